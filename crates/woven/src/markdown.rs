//! Text in Markdown.

/// A text as Markdown that shows just that: in one line, with a backslash before each character that would be read as markup.
///
/// ```
/// assert_eq!(vineloom_woven::escaped("a *b*"), "a \\*b\\*");
/// ```
pub fn escaped(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        if matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|' | '$' | '~' | '&') {
            escaped.push('\\');
        }
        escaped.push(if c == '\n' { ' ' } else { c });
    }
    escaped
}
