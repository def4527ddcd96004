//! Text as text: nothing of it ever becomes markup.

use std::borrow::Cow;

/// Text for between tags. Control characters that HTML does not allow are left out.
pub fn text(text: &str) -> Cow<'_, str> {
    escape(text, false)
}

/// Text for inside a double-quoted attribute.
pub fn attribute(text: &str) -> Cow<'_, str> {
    escape(text, true)
}

/// For each byte whether text that has it is to be looked at letter by letter.
const LOOKED_AT: [bool; 256] = {
    let mut table = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        table[byte] = matches!(byte as u8, b'&' | b'<' | b'>' | b'"' | 0x7F..) || byte < 0x20;
        byte += 1;
    }
    table[b'\n' as usize] = false;
    table[b'\t' as usize] = false;
    table[b'\r' as usize] = false;
    table
};

fn escape(text: &str, quotes: bool) -> Cow<'_, str> {
    let special = |c: char| matches!(c, '&' | '<' | '>') || c == '"' && quotes || forbidden(c);
    let is_plain = text.bytes().all(|byte| !LOOKED_AT[usize::from(byte)]);
    if is_plain || !text.contains(special) {
        return Cow::Borrowed(text);
    }
    let mut escaped = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        match c {
            '&' => escaped.push_str("&amp;"),
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '"' if quotes => escaped.push_str("&quot;"),
            c if forbidden(c) => {}
            c => escaped.push(c),
        }
    }
    Cow::Owned(escaped)
}

/// Characters that the HTML standard does not allow in a document.
fn forbidden(c: char) -> bool {
    (c.is_control() && !matches!(c, '\n' | '\t' | '\r'))
        || matches!(c as u32 & 0xFFFF, 0xFFFE | 0xFFFF)
        || ('\u{FDD0}'..='\u{FDEF}').contains(&c)
}

/// A link target that a click may follow: schemes that run code are taken out.
pub fn safe_target(target: &str) -> Cow<'_, str> {
    if runs_code(target) {
        return Cow::Borrowed("#");
    }
    match percent_encoded(target) {
        Cow::Borrowed(target) => attribute(target),
        Cow::Owned(target) => Cow::Owned(attribute(&target).into_owned()),
    }
}

/// Whether following a target would run code.
pub fn runs_code(target: &str) -> bool {
    if !target.contains(':') {
        return false;
    }
    let scheme: String = target
        .chars()
        .filter(|c| !c.is_whitespace() && !c.is_control())
        .take_while(|&c| c != ':' && c != '/' && c != '#' && c != '?')
        .collect::<String>()
        .to_lowercase();
    matches!(scheme.as_str(), "javascript" | "vbscript" | "data")
}

/// A target with what may not stand in one percent-encoded; what is encoded already stays.
fn percent_encoded(target: &str) -> Cow<'_, str> {
    let stays = |byte: u8| byte.is_ascii_alphanumeric() || b"-_.+!*'(),%#@?=;:/$~&".contains(&byte);
    if target.bytes().all(stays) {
        return Cow::Borrowed(target);
    }
    let mut encoded = String::with_capacity(target.len() + 16);
    for byte in target.bytes() {
        if stays(byte) {
            encoded.push(char::from(byte));
        } else {
            encoded.push_str(&format!("%{byte:02X}"));
        }
    }
    Cow::Owned(encoded)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn markup_in_text_stays_text() {
        assert_eq!(text("a<b>&\u{0}\u{7}c"), "a&lt;b&gt;&amp;c");
        assert_eq!(attribute("\" onclick=\"x"), "&quot; onclick=&quot;x");
        assert_eq!(text("plain é 漢"), "plain é 漢");
        for c in (0..=0x11_FFFFu32).filter_map(char::from_u32) {
            let kept = text(&c.to_string()).into_owned();
            assert_eq!(kept.is_empty(), forbidden(c), "{c:?}");
            assert_eq!(kept == c.to_string(), !forbidden(c) && !"&<>".contains(c), "{c:?}");
        }
    }

    #[test]
    fn a_target_that_would_run_code_leads_nowhere() {
        for bad in ["javascript:alert(1)", " JavaScript:alert(1)", "java\nscript:alert(1)", "data:text/html,x"] {
            assert_eq!(safe_target(bad), "#", "{bad}");
        }
        assert_eq!(safe_target("https://example.org/a?b=c&d"), "https://example.org/a?b=c&amp;d");
        assert_eq!(safe_target("notes/javascript:x"), "notes/javascript:x");
    }
}
