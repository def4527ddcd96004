//! Text as it stands in XML, and addresses as they stand in files of other programs.

/// A text between tags or in an attribute; characters that XML has not are left out.
pub fn text(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\t' | '\n' => out.push(' '),
            c if c.is_control() || matches!(c, '\u{FFFE}' | '\u{FFFF}') => {}
            c => out.push(c),
        }
    }
    out
}

/// An address. What one may not hold stands there by its bytes, as `%20`.
///
/// ```
/// assert_eq!(vineloom_export::xml::address("my file.csv"), "my%20file.csv");
/// ```
pub fn address(target: &str) -> String {
    let mut address = String::with_capacity(target.len());
    for c in target.trim().chars() {
        let allowed = !c.is_whitespace() && !c.is_control() && !"\"<>\\^`{|}".contains(c);
        if allowed {
            address.push(c);
        } else {
            let mut bytes = [0; 4];
            c.encode_utf8(&mut bytes).bytes().for_each(|byte| address.push_str(&format!("%{byte:02X}")));
        }
    }
    address
}
