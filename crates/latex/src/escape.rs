//! Text as it stands in a LaTeX source.

/// Text of the document: nothing in it is a command.
///
/// A space that does not break is a tie, and what one font has for two signs is kept apart.
pub(crate) fn text(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut last = ' ';
    for c in text.chars() {
        match c {
            '\\' => out.push_str("\\textbackslash{}"),
            '{' => out.push_str("\\{"),
            '}' => out.push_str("\\}"),
            '$' => out.push_str("\\$"),
            '&' => out.push_str("\\&"),
            '#' => out.push_str("\\#"),
            '_' => out.push_str("\\_"),
            '%' => out.push_str("\\%"),
            '~' => out.push_str("\\textasciitilde{}"),
            '^' => out.push_str("\\textasciicircum{}"),
            '<' => out.push_str("\\textless{}"),
            '>' => out.push_str("\\textgreater{}"),
            '|' => out.push_str("\\textbar{}"),
            '"' => out.push_str("\\textquotedbl{}"),
            '`' => out.push_str("\\textasciigrave{}"),
            // Two of these would be one other sign.
            '-' | ',' | '\'' if last == c => {
                out.push_str("{}");
                out.push(c);
            }
            '[' | ']' => {
                out.push('{');
                out.push(c);
                out.push('}');
            }
            '\u{A0}' => out.push('~'),
            '\u{AD}' => out.push_str("\\-"),
            '\n' | '\t' => out.push(' '),
            c if c.is_control() || matches!(c, '\u{FFFE}' | '\u{FFFF}' | '\u{FEFF}') => {}
            // What orders words from the right is not known to every engine.
            '\u{200B}'..='\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}' => {}
            c => out.push(c),
        }
        last = c;
    }
    out
}

/// Code within a line of text: spaces stay.
pub(crate) fn code(code: &str) -> String {
    text(code).replace("  ", " \\ ")
}

/// A line of code within a listing, in which only a backslash and braces begin commands.
pub(crate) fn listing(line: &str) -> String {
    let mut out = String::with_capacity(line.len());
    for c in line.chars() {
        match c {
            '\\' => out.push_str("\\vlback{}"),
            '{' => out.push_str("\\vlopen{}"),
            '}' => out.push_str("\\vlclose{}"),
            '\t' => out.push_str("    "),
            c if c.is_control() || matches!(c, '\u{FFFE}' | '\u{FFFF}' | '\u{FEFF}') => {}
            '\u{200B}'..='\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}' => {}
            c => out.push(c),
        }
    }
    out
}

/// Lines of a source that are longer than this many bytes are parted: an engine reads no more than 200,000 at once.
const LONGEST: usize = 4000;

/// Running text whose lines an engine can read: a very long one goes on in the next, at a space.
pub(crate) fn parted(text: &str) -> String {
    if text.lines().all(|line| line.len() <= LONGEST) {
        return text.into();
    }
    let mut out = String::with_capacity(text.len());
    let mut used = 0;
    for part in text.split_inclusive([' ', '\n']) {
        used += part.len();
        out.push_str(part);
        if part.ends_with('\n') {
            used = 0;
        } else if used > 100 && part.ends_with(' ') {
            out.pop();
            out.push('\n');
            used = 0;
        }
    }
    out
}

/// A line of code in pieces that an engine can read; all but the last end in a sign that it goes on.
pub(crate) fn pieces(line: &str) -> Vec<String> {
    if line.len() <= LONGEST {
        return vec![line.into()];
    }
    let letters: Vec<char> = line.chars().collect();
    let mut pieces: Vec<String> = letters.chunks(1000).map(|piece| piece.iter().collect::<String>() + "↩").collect();
    if let Some(last) = pieces.last_mut() {
        last.pop();
    }
    pieces
}

/// An address, as the argument of a command. The engines know no letters in one but those of ASCII.
pub(crate) fn address(target: &str) -> String {
    let mut out = String::with_capacity(target.len());
    for c in vineloom_export::xml::address(target).chars() {
        match c {
            '%' | '#' | '&' | '_' => out.extend(['\\', c]),
            '~' => out.push_str("\\string~"),
            c if c.is_ascii() => out.push(c),
            c => c.encode_utf8(&mut [0; 4]).bytes().for_each(|byte| out.push_str(&format!("\\%{byte:02X}"))),
        }
    }
    out
}

/// The name of a place, as a label.
pub(crate) fn label(id: &str) -> String {
    let plain = |c: char| {
        if c.is_ascii_alphanumeric() || c == '-' || c == ':' { c.to_string() } else { format!(":{:x}", c as u32) }
    };
    id.chars().map(plain).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn very_long_lines_are_parted_and_nothing_of_them_is_lost() {
        let long = "word ".repeat(2000);
        let text = parted(&long);
        assert!(text.lines().all(|line| line.len() <= 120));
        assert_eq!(text.split_whitespace().count(), 2000);
        assert_eq!(parted("a b"), "a b");
        let code = pieces(&"x".repeat(4500));
        assert_eq!(code.len(), 5);
        assert_eq!(code.concat().matches('x').count(), 4500);
        assert!(code[0].ends_with('↩') && !code[4].ends_with('↩'));
    }

    #[test]
    fn nothing_in_a_text_is_a_command() {
        assert_eq!(text("50 % of $x_1$ & \\write18{a}"), "50 \\% of \\$x\\_1\\$ \\& \\textbackslash{}write18\\{a\\}");
        assert_eq!(text("a--b ''c''"), "a-{}-b '{}'c'{}'");
        assert_eq!(text("1\u{A0}m"), "1~m");
        assert_eq!(listing("f{\\n}\t#%"), "f\\vlopen{}\\vlback{}n\\vlclose{}    #%");
        assert_eq!(address("https://a.b/c_d?e=1&f=2#g%20"), "https://a.b/c\\_d?e=1\\&f=2\\#g\\%20");
        assert_eq!(label("größe a"), "gr:f6:dfe:20a");
    }
}
