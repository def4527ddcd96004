//! Text in the signs of ASCII.

use crate::math::plain::of_script;
use deunicode::deunicode_char;

/// Signs whose meaning another sign of ASCII has; of all others, what they sound or look like is taken.
const SIGNS: [(char, &str); 38] = [
    ('─', "-"),
    ('═', "="),
    ('╌', "."),
    ('│', "|"),
    ('▌', "|"),
    ('┌', "+"),
    ('┐', "+"),
    ('└', "+"),
    ('┘', "+"),
    ('├', "+"),
    ('┤', "+"),
    ('↩', "\\"),
    ('→', "->"),
    ('←', "<-"),
    ('↔', "<->"),
    ('⇒', "=>"),
    ('⟶', "->"),
    ('≤', "<="),
    ('≥', ">="),
    ('≠', "!="),
    ('≈', "~"),
    ('×', "x"),
    ('·', "*"),
    ('⋅', "*"),
    ('−', "-"),
    ('–', "-"),
    ('—', "--"),
    ('…', "..."),
    ('√', "sqrt "),
    ('∑', "sum "),
    ('∏', "prod "),
    ('∫', "int "),
    ('∞', "inf"),
    ('½', "1/2"),
    ('ä', "ae"),
    ('ö', "oe"),
    ('ü', "ue"),
    ('ß', "ss"),
];

/// A text in ASCII. A sign for which ASCII has nothing is said by its number.
pub(super) fn of(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut scripted = None;
    for c in text.chars() {
        if let Some((sign, plain)) = of_script(c) {
            // Of several signs, the first says that they are raised.
            if scripted != Some(sign) {
                out.push(sign);
            }
            scripted = Some(sign);
            out.push(if plain == '−' { '-' } else { plain });
            continue;
        }
        scripted = None;
        match SIGNS.iter().find(|(sign, _)| *sign == c) {
            _ if c.is_ascii() => out.push(c),
            Some((_, words)) => out.push_str(words),
            None => match deunicode_char(c).map(str::trim_end) {
                Some(words) if words.is_ascii() && (!words.is_empty() || is_mark(c)) => out.push_str(words),
                _ => out.push_str(&format!("U+{:04X}", c as u32)),
            },
        }
    }
    out
}

/// Whether a sign only alters the one before it, so that nothing stands for it.
fn is_mark(c: char) -> bool {
    unicode_width::UnicodeWidthChar::width(c) == Some(0)
}
