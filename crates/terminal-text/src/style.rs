//! The colours and weights that a program gives its text in a terminal (SGR codes), as data.

use serde::{Deserialize, Serialize};

/// How a part of a text is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct TextStyle {
    /// The colour of the letters.
    pub colour: Option<Colour>,
    /// The colour behind them.
    pub ground: Option<Colour>,
    /// Bold.
    pub bold: bool,
    /// Less prominent.
    pub faint: bool,
    /// Italic.
    pub italic: bool,
    /// Underlined.
    pub underlined: bool,
}

/// The colours of a terminal; others are taken as the nearest of these.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs, reason = "named after the colours")]
pub enum Colour {
    Black,
    Red,
    Green,
    Yellow,
    Blue,
    Magenta,
    Cyan,
    White,
}

impl Colour {
    const ALL: [Colour; 8] = [
        Colour::Black,
        Colour::Red,
        Colour::Green,
        Colour::Yellow,
        Colour::Blue,
        Colour::Magenta,
        Colour::Cyan,
        Colour::White,
    ];

    /// Its name in lower case.
    pub fn word(self) -> &'static str {
        match self {
            Colour::Black => "black",
            Colour::Red => "red",
            Colour::Green => "green",
            Colour::Yellow => "yellow",
            Colour::Blue => "blue",
            Colour::Magenta => "magenta",
            Colour::Cyan => "cyan",
            Colour::White => "white",
        }
    }

    fn numbered(number: u32) -> Option<Colour> {
        Colour::ALL.get(number as usize).copied()
    }

    /// The nearest to three parts of red, green and blue, 0 to 255.
    fn nearest(red: u32, green: u32, blue: u32) -> Colour {
        let brightest = red.max(green).max(blue);
        if brightest < 60 {
            return Colour::Black;
        }
        let on = |part: u32| u32::from(part * 3 > brightest * 2);
        Colour::ALL[(on(red) | on(green) << 1 | on(blue) << 2) as usize]
    }

    /// One of the 256 of a larger palette: 16 basic ones, a cube of 6 x 6 x 6, and 24 greys (ECMA-48 leaves the
    /// choice to the terminal; this is the common one).
    fn of_palette(number: u32) -> Option<Colour> {
        match number {
            0..=7 => Colour::numbered(number),
            8..=15 => Colour::numbered(number - 8),
            16..=231 => {
                let at = number - 16;
                let part = |digit: u32| if digit == 0 { 0 } else { 55 + 40 * digit };
                Some(Colour::nearest(part(at / 36), part(at / 6 % 6), part(at % 6)))
            }
            232..=243 => Some(Colour::Black),
            _ => None,
        }
    }
}

/// A text without its codes, and the parts of it that have a style: byte ranges in order.
pub fn styled(text: &str) -> (String, Vec<(std::ops::Range<usize>, TextStyle)>) {
    let mut plain = String::with_capacity(text.len());
    let mut parts: Vec<(std::ops::Range<usize>, TextStyle)> = Vec::new();
    let mut style = TextStyle::default();
    let mut rest = text;
    loop {
        let at = rest.find("\u{1b}[").unwrap_or(rest.len());
        if at > 0 {
            let start = plain.len();
            plain.push_str(&rest[..at]);
            match parts.last_mut() {
                Some((range, last)) if *last == style && range.end == start => range.end = plain.len(),
                _ if style != TextStyle::default() => parts.push((start..plain.len(), style)),
                _ => {}
            }
        }
        if at == rest.len() {
            return (plain, parts);
        }
        let after = &rest[at + 2..];
        let Some(end) = after.find('m') else { return (plain, parts) };
        apply(&after[..end], &mut style);
        rest = &after[end + 1..];
    }
}

fn apply(codes: &str, style: &mut TextStyle) {
    let mut numbers = codes.split(';').map(|code| code.parse::<u32>().unwrap_or(0));
    while let Some(number) = numbers.next() {
        match number {
            0 => *style = TextStyle::default(),
            1 => style.bold = true,
            2 => style.faint = true,
            3 => style.italic = true,
            4 => style.underlined = true,
            7 => {
                (style.colour, style.ground) =
                    (Some(style.ground.unwrap_or(Colour::White)), Some(style.colour.unwrap_or(Colour::Black)))
            }
            22 => (style.bold, style.faint) = (false, false),
            23 => style.italic = false,
            24 => style.underlined = false,
            27 => (style.colour, style.ground) = (None, None),
            30..=37 => style.colour = Colour::numbered(number - 30),
            90..=97 => style.colour = Colour::numbered(number - 90),
            39 => style.colour = None,
            40..=47 => style.ground = Colour::numbered(number - 40),
            100..=107 => style.ground = Colour::numbered(number - 100),
            49 => style.ground = None,
            38 | 48 => {
                let colour = match numbers.next() {
                    Some(5) => numbers.next().and_then(Colour::of_palette),
                    Some(2) => {
                        let mut part = || numbers.next().unwrap_or(0);
                        Some(Colour::nearest(part(), part(), part()))
                    }
                    _ => None,
                };
                *(if number == 38 { &mut style.colour } else { &mut style.ground }) = colour;
            }
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_become_parts_with_a_style() {
        let (plain, parts) = styled("a\u{1b}[1;31mred\u{1b}[0m b \u{1b}[38;5;28mgreen\u{1b}[39m");
        assert_eq!(plain, "ared b green");
        assert_eq!(parts[0], (1..4, TextStyle { colour: Some(Colour::Red), bold: true, ..TextStyle::default() }));
        assert_eq!(parts[1], (7..12, TextStyle { colour: Some(Colour::Green), ..TextStyle::default() }));
        assert_eq!(parts.len(), 2);
    }

    #[test]
    fn colours_of_larger_palettes_are_the_nearest() {
        assert_eq!(Colour::nearest(220, 40, 30), Colour::Red);
        assert_eq!(Colour::nearest(20, 20, 30), Colour::Black);
        assert_eq!(Colour::of_palette(226), Some(Colour::Yellow));
        assert_eq!(Colour::of_palette(250), None);
        assert_eq!(styled("\u{1b}[38;2;0;0;255mx").1[0].1.colour, Some(Colour::Blue));
    }
}
