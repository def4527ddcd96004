//! What a program printed, as a reader of a terminal would see it.

/// Reads bytes as text: UTF-8 with replacement; a carriage return overwrites its line; backspace takes back a
/// character; colour codes (`ESC [ … m`) stay; every other control sequence and control character goes.
///
/// Returns the text and how many bytes were not UTF-8.
pub fn clean(bytes: &[u8]) -> (String, usize) {
    let mut replaced = 0;
    let mut text = String::with_capacity(bytes.len());
    for chunk in bytes.utf8_chunks() {
        text.push_str(chunk.valid());
        if !chunk.invalid().is_empty() {
            replaced += chunk.invalid().len();
            text.push(char::REPLACEMENT_CHARACTER);
        }
    }
    if !text.contains(|c: char| c.is_control() && c != '\n' && c != '\t') {
        return (text, replaced);
    }
    (terminal_view(&text), replaced)
}

fn terminal_view(text: &str) -> String {
    let mut seen = String::with_capacity(text.len());
    let mut line_start = 0;
    let mut overwrite = false;
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '\n' => {
                overwrite = false;
                seen.push('\n');
                line_start = seen.len();
                continue;
            }
            '\r' => {
                overwrite = chars.peek().is_some_and(|&next| next != '\n' && next != '\r');
                continue;
            }
            '\u{8}' => {
                if seen.len() > line_start {
                    seen.pop();
                }
                continue;
            }
            _ => {}
        }
        if overwrite {
            seen.truncate(line_start);
            overwrite = false;
        }
        match c {
            '\u{1b}' => {
                if let Some(colour) = escape_sequence(&mut chars) {
                    seen.push_str(&colour);
                }
            }
            '\t' => seen.push(c),
            c if c.is_control() => {}
            c => seen.push(c),
        }
    }
    seen
}

/// Takes a control sequence off the text; returns it when it is a colour code.
fn escape_sequence(chars: &mut std::iter::Peekable<std::str::Chars>) -> Option<String> {
    match chars.peek() {
        Some('[') => {
            chars.next();
            let mut sequence = String::from("\u{1b}[");
            for c in chars.by_ref() {
                sequence.push(c);
                if ('@'..='~').contains(&c) {
                    break;
                }
            }
            let plain = sequence[2..].chars().all(|c| c.is_ascii_digit() || c == ';' || c == 'm');
            (sequence.ends_with('m') && plain).then_some(sequence)
        }
        Some(']') => {
            // An operating-system command: up to BEL or ESC \.
            while let Some(c) = chars.next() {
                if c == '\u{7}' || c == '\u{1b}' && chars.next_if_eq(&'\\').is_some() {
                    break;
                }
            }
            None
        }
        Some(_) => {
            chars.next();
            None
        }
        None => None,
    }
}

/// The text without its colour codes.
pub fn without_colours(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find("\u{1b}[") {
        plain.push_str(&rest[..at]);
        let after = &rest[at + 2..];
        rest = after.find('m').map_or("", |end| &after[end + 1..]);
    }
    plain.push_str(rest);
    plain
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_terminal_view_is_what_a_reader_would_have_seen() {
        assert_eq!(clean(b"10%\r50%\r100%\ndone\r\n").0, "100%\ndone\n");
        assert_eq!(clean(b"abc\x08d\x07\n").0, "abd\n");
        assert_eq!(clean(b"\x1b[2J\x1b[31mred\x1b[0m\x1b]0;title\x07!").0, "\u{1b}[31mred\u{1b}[0m!");
        assert_eq!(clean(b"a\xff\xfeb"), ("a\u{FFFD}\u{FFFD}b".into(), 2));
        assert_eq!(clean("caf\u{e9}\t\u{1F331}".as_bytes()).0, "caf\u{e9}\t\u{1F331}");
    }

    #[test]
    fn colours_can_be_left_out() {
        assert_eq!(without_colours("\u{1b}[1;31mred\u{1b}[0m rest"), "red rest");
    }
}
