//! How much room words take, as far as one can know without the reader's font.

/// The width of a text, in units of the font's size. A little more than most fonts without serifs need.
pub fn width(text: &str) -> f64 {
    text.chars()
        .map(|c| match c {
            'i' | 'j' | 'l' | '.' | ',' | ':' | ';' | '|' | '\'' | '!' | 'I' | ' ' => 0.32,
            'f' | 't' | 'r' | '(' | ')' | '-' | '/' => 0.42,
            'm' | 'w' | 'M' | 'W' | '%' | '@' => 0.92,
            c if c.is_ascii_uppercase() => 0.72,
            c if c as u32 >= 0x2E80 => 1.05,
            _ => 0.6,
        })
        .sum()
}
