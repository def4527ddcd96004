//! `@[ … ]`: a value written into a sentence or into code.

use crate::arguments::{self, Argument};
use crate::index::BlockIndex;
use crate::name::{Name, nearest};
use crate::options::{Origin, Place, Reading, Setting, Settings, entry};
use crate::span::Span;
use memchr::memmem;

/// One `@[ … ]` and what it asks for.
#[derive(Debug, Clone, PartialEq)]
pub struct ValueUse {
    /// The whole of it, from `@` to `]`.
    pub span: Span,
    /// What it asks for.
    pub wanted: Wanted,
    /// The document that has it, by its path from the folder of the file it stands in, where it is not this one.
    pub document: Option<String>,
    /// How many written live blocks stand above it: a call or an expression runs after those.
    pub after: usize,
    /// The block of a library whose code it stands in: a call runs right before that.
    pub library_block: Option<BlockIndex>,
    /// The live block that stands for it, when it is a call or an expression.
    pub runs: Option<BlockIndex>,
    /// The options that are written here, such as `digits=1`.
    pub own: Settings,
    /// How it stands in a sentence.
    pub reading: Reading,
}

/// What a value is taken from.
#[derive(Debug, Clone, PartialEq)]
pub enum Wanted {
    /// The text a block printed, or a parameter.
    Text(Name),
    /// A block's code.
    Code(Name),
    /// A block's exit code.
    Exit(Name),
    /// A text of the front matter: `doc.title`.
    Doc(String),
    /// A call of a block that takes parameters.
    Call(Name, Vec<(Name, Argument)>),
    /// An expression in a language: `python: len(rows)`.
    Expression {
        /// The language.
        language: String,
        /// The expression.
        code: String,
    },
    /// Something else between the brackets: as written, and what is wrong with it when that is known.
    Unreadable(String, Option<String>),
}

impl Wanted {
    /// Reads what stands between the brackets, with the options among it.
    pub fn read(text: &str) -> (Self, Settings) {
        let text = text.trim();
        let bad = |problem| (Wanted::Unreadable(text.to_string(), Some(problem)), Settings::default());
        if let Some((head, code)) = text.split_once(": ") {
            match own_options(head) {
                Ok((language, own)) if is_word(language) => {
                    let expression = Wanted::Expression { language: language.to_lowercase(), code: code.trim().into() };
                    return (expression, own);
                }
                Err(problem) if head.split(' ').next().is_some_and(is_word) => return bad(problem),
                _ => {}
            }
        }
        match own_options(text) {
            Ok((rest, own)) => (Self::named(rest), own),
            Err(problem) => bad(problem),
        }
    }

    fn named(text: &str) -> Self {
        if let Some(call) = call(text) {
            return call;
        }
        let (name, part) = match text.split_once('.') {
            Some((name, part)) => (name, Some(part)),
            None => (text, None),
        };
        match (name, Name::new(name), part) {
            ("doc", _, Some(part)) => Wanted::Doc(part.to_string()),
            (_, Some(name), None) => Wanted::Text(name),
            (_, Some(name), Some("code")) => Wanted::Code(name),
            (_, Some(name), Some("exit")) => Wanted::Exit(name),
            _ => Wanted::Unreadable(text.to_string(), None),
        }
    }

    /// Gives every name in it, and in its arguments, the name that `known_as` says.
    pub(crate) fn rename(&mut self, known_as: &dyn Fn(&Name) -> Name) {
        match self {
            Wanted::Text(name) | Wanted::Code(name) | Wanted::Exit(name) => *name = known_as(name),
            Wanted::Call(name, arguments) => {
                *name = known_as(name);
                arguments::rename(arguments, known_as);
            }
            Wanted::Doc(_) | Wanted::Expression { .. } | Wanted::Unreadable(..) => {}
        }
    }

    /// The block or parameter it is taken from.
    pub fn name(&self) -> Option<&Name> {
        match self {
            Wanted::Text(name) | Wanted::Code(name) | Wanted::Exit(name) | Wanted::Call(name, _) => Some(name),
            Wanted::Doc(_) | Wanted::Expression { .. } | Wanted::Unreadable(..) => None,
        }
    }
}

/// Takes the options off the end of what stands between the brackets; or what is wrong with them.
fn own_options(text: &str) -> Result<(&str, Settings), String> {
    let mut own = Settings::default();
    let mut rest = text;
    while let Some((before, name, value)) = last_option(rest) {
        let is_option = |part: &str| !part.is_empty() && part.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
        // What is no option of ours may be a part of an expression.
        let is_known = Reading::OPTIONS.contains(&name) && !value.contains(['(', ')', '[', ']', '"', '=']);
        if !is_option(name) || !(is_option(value) || is_known) {
            break;
        }
        let known = Reading::OPTIONS.contains(&name).then(|| entry(name, Place::Block)).flatten();
        let Some(entry) = known else {
            let help = match nearest(name, Reading::OPTIONS.iter().copied()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("it takes {}", Reading::OPTIONS.join(", ")),
            };
            return Err(format!("a value in a sentence has no option `{name}`: {help}"));
        };
        let value = entry.kind.read(value).map_err(|bad| format!("`{name}` takes {}", bad.allowed))?;
        own.set(entry.name, Setting { value, span: Span::NOWHERE, origin: Origin::Fence });
        rest = before.trim_end();
    }
    Ok((rest, own))
}

/// The last option of a text: what stands before it, its name, and its value without quotes.
fn last_option(text: &str) -> Option<(&str, &str, &str)> {
    let (before, name, value) = match text.strip_suffix('"') {
        Some(quoted) => {
            let (head, value) = quoted.rsplit_once("=\"")?;
            let (before, name) = head.rsplit_once(' ')?;
            (before, name, value)
        }
        None => {
            let (before, option) = text.rsplit_once(' ')?;
            let (name, value) = option.split_once('=')?;
            (before, name, value)
        }
    };
    Some((before, name, value))
}

fn is_word(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_ascii_alphanumeric())
}

fn call(text: &str) -> Option<Wanted> {
    let (name, rest) = text.split_once('(')?;
    let name = Name::new(name.trim())?;
    let inside = rest.strip_suffix(')')?;
    Some(match arguments::read(inside) {
        Ok(arguments) => Wanted::Call(name, arguments),
        Err(bad) => Wanted::Unreadable(text.to_string(), Some(format!("`{}` {}", bad.part, bad.problem))),
    })
}

/// Finds every `@[ … ]` on one line each, in order. `\@[` is not one; brackets inside may nest, and quoted
/// texts may hold any.
pub fn find(text: &str) -> Vec<ValueUse> {
    let bytes = text.as_bytes();
    let mut found = Vec::new();
    let mut at = 0;
    while let Some(step) = memmem::find(&bytes[at..], b"@[") {
        let start = at + step;
        at = start + 2;
        let escapes = bytes[..start].iter().rev().take_while(|&&b| b == b'\\').count();
        if escapes % 2 == 1 {
            continue;
        }
        if let Some(end) = closing(bytes, at) {
            let inside = text[at..end].trim();
            let (document, inside) = match of_document(inside) {
                Some((document, inside)) => (Some(document.to_string()), inside),
                None => (None, inside),
            };
            let (wanted, own) = Wanted::read(inside);
            let span = Span::new(start, end + 1);
            found.push(ValueUse {
                span,
                wanted,
                document,
                after: 0,
                library_block: None,
                runs: None,
                own,
                reading: Reading::default(),
            });
            at = end + 1;
        }
    }
    found
}

/// The document and what is wanted of it: `plots/june.vine.md@total` names both.
pub(crate) fn of_document(text: &str) -> Option<(&str, &str)> {
    let (path, wanted) = text.split_once('@')?;
    let is_path = !path.contains(|c: char| c.is_whitespace() || c == '"') && !path.contains("://");
    (is_path && (path.ends_with(".md") || path.ends_with(".markdown"))).then_some((path, wanted))
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
    use crate::parameter::ParameterValue;

    #[test]
    fn values_are_found_with_their_brackets() {
        let text = "a @[count] b \\@[no] c @[x[1]] d @[open\n] @[m.exit]";
        let found = find(text);
        let texts: Vec<_> = found.iter().map(|v| &text[v.span.start..v.span.end]).collect();
        assert_eq!(texts, ["@[count]", "@[x[1]]", "@[m.exit]"]);
        assert_eq!(found[2].wanted, Wanted::Exit(Name::new("m").unwrap()));
        assert_eq!(found[1].wanted, Wanted::Unreadable("x[1]".into(), None));
    }

    #[test]
    fn calls_and_expressions_are_told_apart() {
        let name = |text: &str| Name::new(text).unwrap();
        let read = |text: &str| Wanted::read(text).0;
        let wanted = read("greet(name=\"Ann (2)\", n=3)");
        let Wanted::Call(callee, arguments) = wanted else { panic!() };
        assert_eq!(callee, name("greet"));
        assert_eq!(arguments[1], (name("n"), Argument::Given(ParameterValue::Integer(3))));
        let wanted = read("python: len(rows)[0]");
        assert_eq!(wanted, Wanted::Expression { language: "python".into(), code: "len(rows)[0]".into() });
        assert!(matches!(read("greet(n=what)"), Wanted::Unreadable(_, Some(_))));
    }

    #[test]
    fn options_stand_behind_a_name_and_before_the_colon_of_an_expression() {
        let digits = |text: &str| {
            let (wanted, own) = Wanted::read(text);
            (wanted, own.number("digits"), own.flag("thousands"))
        };
        let name = |text: &str| Name::new(text).unwrap();
        assert_eq!(digits("mean digits=1"), (Wanted::Text(name("mean")), Some(1), false));
        assert_eq!(digits("mean digits=0 thousands=yes"), (Wanted::Text(name("mean")), Some(0), true));
        let expression = |code: &str| Wanted::Expression { language: "python".into(), code: code.into() };
        assert_eq!(digits("python digits=2: f(x, digits=3)"), (expression("f(x, digits=3)"), Some(2), false));
        assert_eq!(digits("python: f(x, n=3)"), (expression("f(x, n=3)"), None, false));
        assert!(matches!(digits("greet(n=3) digits=2"), (Wanted::Call(..), Some(2), false)));
        for (wrong, why) in [("mean digit=1", "did you mean `digits`?"), ("mean digits=few", "`digits` takes")] {
            let Wanted::Unreadable(_, Some(problem)) = Wanted::read(wrong).0 else { panic!("{wrong}") };
            assert!(problem.contains(why), "{problem}");
        }
    }
}
