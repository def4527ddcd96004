//! `@[ … ]`: a value written into a sentence or into code.

use crate::name::Name;
use crate::source::Span;

/// One `@[ … ]` and what it asks for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ValueUse {
    /// The whole of it, from `@` to `]`.
    pub span: Span,
    /// What it asks for.
    pub wanted: Wanted,
}

/// What a value is taken from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Wanted {
    /// The text a block printed.
    Text(Name),
    /// A block's code.
    Code(Name),
    /// A block's exit code.
    Exit(Name),
    /// A text of the front matter: `doc.title`.
    Doc(String),
    /// Something else between the brackets, as written.
    Unreadable(String),
}

impl Wanted {
    /// Reads what stands between the brackets.
    pub fn read(text: &str) -> Self {
        let text = text.trim();
        let (name, part) = match text.split_once('.') {
            Some((name, part)) => (name, Some(part)),
            None => (text, None),
        };
        match (name, Name::new(name), part) {
            ("doc", _, Some(part)) => Wanted::Doc(part.to_string()),
            (_, Some(name), None) => Wanted::Text(name),
            (_, Some(name), Some("code")) => Wanted::Code(name),
            (_, Some(name), Some("exit")) => Wanted::Exit(name),
            _ => Wanted::Unreadable(text.to_string()),
        }
    }

    /// The block it is taken from.
    pub fn block(&self) -> Option<&Name> {
        match self {
            Wanted::Text(name) | Wanted::Code(name) | Wanted::Exit(name) => Some(name),
            Wanted::Doc(_) | Wanted::Unreadable(_) => None,
        }
    }
}

/// Finds every `@[ … ]` on one line each, in order. `\@[` is not one; brackets inside may nest, and quoted
/// texts may hold any.
pub fn find(text: &str) -> Vec<ValueUse> {
    let bytes = text.as_bytes();
    let mut found = Vec::new();
    let mut at = 0;
    while let Some(step) = text[at..].find("@[") {
        let start = at + step;
        at = start + 2;
        let escapes = bytes[..start].iter().rev().take_while(|&&b| b == b'\\').count();
        if escapes % 2 == 1 {
            continue;
        }
        if let Some(end) = closing(bytes, at) {
            let wanted = Wanted::read(&text[at..end]);
            found.push(ValueUse { span: Span::new(start, end + 1), wanted });
            at = end + 1;
        }
    }
    found
}

fn closing(bytes: &[u8], from: usize) -> Option<usize> {
    let mut depth = 0;
    let mut quoted = false;
    for (step, &byte) in bytes[from..].iter().enumerate() {
        match byte {
            b'\n' => return None,
            b'"' => quoted = !quoted,
            b'[' if !quoted => depth += 1,
            b']' if !quoted && depth == 0 => return Some(from + step),
            b']' if !quoted => depth -= 1,
            _ => {}
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_found_with_their_brackets() {
        let text = "a @[count] b \\@[no] c @[x[1]] d @[open\n] @[m.exit]";
        let found = find(text);
        let texts: Vec<_> = found.iter().map(|v| &text[v.span.start..v.span.end]).collect();
        assert_eq!(texts, ["@[count]", "@[x[1]]", "@[m.exit]"]);
        assert_eq!(found[2].wanted, Wanted::Exit(Name::new("m").unwrap()));
        assert_eq!(found[1].wanted, Wanted::Unreadable("x[1]".into()));
    }
}
