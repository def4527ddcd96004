//! Lines: how wide they are, how words are put into them.

use unicode_width::UnicodeWidthStr;

/// How many columns a text takes.
pub(super) fn width(text: &str) -> usize {
    // The table of widths is asked only of what is in it.
    if text.bytes().all(|byte| matches!(byte, b' '..=b'~')) { text.len() } else { text.width() }
}

/// A text in lines of at most so many columns. A line ends at a space, or where the text itself has a newline; a word
/// that is longer than a line is one of its own.
pub(super) fn wrapped(text: &str, most: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for part in text.split('\n') {
        let room = || String::with_capacity(part.len().min(most));
        let mut line = room();
        let mut used = 0;
        for word in part.split(' ').filter(|word| !word.is_empty()) {
            let wide = width(word);
            if used > 0 && used + 1 + wide > most {
                lines.push(std::mem::replace(&mut line, room()));
                used = 0;
            }
            if used > 0 {
                line.push(' ');
                used += 1;
            }
            line.push_str(word);
            used += wide;
        }
        lines.push(line);
    }
    lines
}

/// A line of code in pieces of at most so many columns; all but the last end in a sign that it goes on. A piece ends
/// behind a word, where it has one that ends in its second half.
pub(super) fn cut(line: &str, most: usize) -> Vec<String> {
    if width(line) <= most {
        return vec![line.into()];
    }
    let room = most.saturating_sub(1).max(1);
    let mut pieces = Vec::new();
    let mut piece = String::new();
    for c in line.chars() {
        if width(&piece) + width(c.encode_utf8(&mut [0; 4])) > room {
            let in_word = |c: char| c.is_alphanumeric() || c == '_';
            let end = piece.char_indices().rev().find(|(_, c)| !in_word(*c)).map(|(at, c)| at + c.len_utf8());
            let end = end.filter(|end| *end * 2 > piece.len() && in_word(c)).unwrap_or(piece.len());
            let rest = piece.split_off(end);
            pieces.push(std::mem::replace(&mut piece, rest) + "↩");
        }
        piece.push(c);
    }
    pieces.push(piece);
    pieces
}

/// A text on a line of its own with a rule below it.
pub(super) fn underlined(text: &str, sign: char) -> Vec<String> {
    vec![text.into(), sign.to_string().repeat(width(text)), String::new()]
}

/// Lines behind a mark, and all but the first below the first.
pub(super) fn hung(mark: &str, lines: Vec<String>) -> Vec<String> {
    let room = " ".repeat(width(mark));
    let lines = if lines.is_empty() { vec![String::new()] } else { lines };
    let hang = |(at, line): (usize, String)| match (at, line.is_empty()) {
        (0, _) => format!("{mark}{line}"),
        (_, true) => line,
        (_, false) => format!("{room}{line}"),
    };
    lines.into_iter().enumerate().map(hang).collect()
}

/// Lines with the same mark before each.
pub(super) fn marked(mark: &str, lines: Vec<String>) -> Vec<String> {
    lines.into_iter().map(|line| format!("{mark}{line}")).collect()
}

/// A line with room on both sides.
pub(super) fn centred(line: &str, most: usize) -> String {
    format!("{}{line}", " ".repeat(most.saturating_sub(width(line)) / 2))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_word_is_lost_and_no_line_is_too_long() {
        let text = "Soil dries from above, and 土が乾く slowly\nthen fast";
        let lines = wrapped(text, 14);
        assert_eq!(lines, ["Soil dries", "from above,", "and 土が乾く", "slowly", "then fast"]);
        assert_eq!(wrapped("unbreakablelongword x", 5), ["unbreakablelongword", "x"]);
        assert_eq!(cut("abcdefgh", 4), ["abc↩", "def↩", "gh"]);
        assert_eq!(cut("call(first, second)", 13), ["call(first, ↩", "second)"]);
        assert_eq!(hung("1. ", vec!["a".into(), String::new(), "b".into()]), ["1. a", "", "   b"]);
    }
}
