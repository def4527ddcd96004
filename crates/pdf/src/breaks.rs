//! Places to break where a word is too long for any line.
//!
//! Words of letters are hyphenated by the typesetter. What can't be (paths, hashes, numbers, names in code) is cut into
//! pieces with nothing between them but leave to break, so that it is copied out of the PDF as it was.

use crate::source::{Writer, push_string};

/// The longest word of letters that hyphens are trusted with; in a narrow place three times as long as what is left whole.
const LONGEST_OF_LETTERS: usize = 60;

/// After so many letters of a long word there may be a break.
const PIECE: usize = 8;

/// A text in pieces between which it may be broken: one, unless it has a word that is longer than `longest`.
pub(crate) fn pieces(text: &str, longest: usize) -> Vec<&str> {
    let mut pieces = Vec::new();
    let mut begun = 0;
    let mut at = 0;
    for word in text.split_inclusive(char::is_whitespace) {
        let length = || word.chars().count();
        let of_letters =
            || word.chars().all(|c| c.is_alphabetic() || c.is_whitespace() || matches!(c, ',' | '.' | '-'));
        // A word has no more letters than bytes.
        let is_long = word.len() > longest && length() > longest;
        if is_long && (length() > LONGEST_OF_LETTERS.min(3 * longest) || !of_letters()) {
            let places = word.char_indices().map(|(byte, _)| byte).step_by(PIECE).skip(1);
            for place in places {
                pieces.push(&text[begun..at + place]);
                begun = at + place;
            }
        }
        at += word.len();
    }
    pieces.push(&text[begun..]);
    pieces
}

impl Writer<'_> {
    /// Writes a text, each piece as the argument of what `open` and `close` stand for.
    pub fn words(&mut self, open: &str, text: &str, close: &str, longest: usize) {
        for (at, piece) in pieces(text, longest).into_iter().enumerate() {
            let leave = if at == 0 { "" } else { "#box()" };
            self.out.extend([leave, "#", open]);
            push_string(piece, &mut self.out);
            self.out.push_str(close);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_cannot_be_hyphenated_is_cut_and_nothing_is_added() {
        assert_eq!(pieces("Feuchtigkeitsaufnahmefähigkeit, so long", 20), ["Feuchtigkeitsaufnahmefähigkeit, so long"]);
        assert_eq!(pieces("a 0123456789abcdef0123 b", 20), ["a 01234567", "89abcdef", "0123 b"]);
        assert_eq!(pieces("", 20), [""]);
        let long = "é".repeat(70);
        assert_eq!(pieces(&long, 20).concat(), long);
        assert!(pieces(&long, 20).len() > 5);
    }
}
