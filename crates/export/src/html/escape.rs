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

fn escape(text: &str, quotes: bool) -> Cow<'_, str> {
    let special = |c: char| matches!(c, '&' | '<' | '>') || c == '"' && quotes || forbidden(c);
    if !text.contains(special) {
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
    if runs_code(target) { Cow::Borrowed("#") } else { Cow::Owned(attribute(&percent_encoded(target)).into_owned()) }
}

/// Whether following a target would run code.
pub fn runs_code(target: &str) -> bool {
    let scheme: String = target
        .chars()
        .filter(|c| !c.is_whitespace() && !c.is_control())
        .take_while(|&c| c != ':' && c != '/' && c != '#' && c != '?')
        .collect::<String>()
        .to_lowercase();
    target.contains(':') && matches!(scheme.as_str(), "javascript" | "vbscript" | "data")
}

/// A target with what may not stand in one percent-encoded; what is encoded already stays.
fn percent_encoded(target: &str) -> String {
    let mut encoded = String::with_capacity(target.len());
    for &byte in target.as_bytes() {
        let stays = byte.is_ascii_alphanumeric() || b"-_.+!*'(),%#@?=;:/$~&".contains(&byte);
        if stays {
            encoded.push(char::from(byte));
        } else {
            encoded.push_str(&format!("%{byte:02X}"));
        }
    }
    encoded
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn markup_in_text_stays_text() {
        assert_eq!(text("a<b>&\u{0}\u{7}c"), "a&lt;b&gt;&amp;c");
        assert_eq!(attribute("\" onclick=\"x"), "&quot; onclick=&quot;x");
        assert_eq!(text("plain é 漢"), "plain é 漢");
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
