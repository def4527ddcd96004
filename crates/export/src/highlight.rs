//! Code in colours: lines of pieces, each of a [`Kind`]. Exporters choose what a kind looks like.

use serde::{Deserialize, Serialize};
use std::sync::LazyLock;
use syntect::parsing::{ParseState, Scope, ScopeStack, SyntaxReference, SyntaxSet};

/// What a piece of code is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[allow(missing_docs, reason = "named after the kinds of token")]
pub enum Kind {
    #[serde(rename = "p")]
    Plain,
    #[serde(rename = "c")]
    Comment,
    #[serde(rename = "k")]
    Keyword,
    #[serde(rename = "s")]
    Text,
    #[serde(rename = "n")]
    Number,
    #[serde(rename = "l")]
    Constant,
    #[serde(rename = "f")]
    Function,
    #[serde(rename = "t")]
    Type,
    #[serde(rename = "v")]
    Variable,
    #[serde(rename = "o")]
    Operator,
}

impl Kind {
    /// The word for it in a style sheet; nothing for plain code.
    pub fn class(self) -> Option<&'static str> {
        Some(match self {
            Kind::Plain => return None,
            Kind::Comment => "c",
            Kind::Keyword => "k",
            Kind::Text => "s",
            Kind::Number => "n",
            Kind::Constant => "l",
            Kind::Function => "f",
            Kind::Type => "t",
            Kind::Variable => "v",
            Kind::Operator => "o",
        })
    }
}

/// A line of code in pieces.
pub type Line = Vec<(Kind, String)>;

/// Lines longer than this many bytes are not coloured: their patterns could take very long.
const LONGEST_LINE: usize = 4_000;

/// Lines of code after so many stay plain: colouring these takes a second, and nobody reads further.
const MOST_LINES: usize = 20_000;

static SYNTAXES: LazyLock<SyntaxSet> = LazyLock::new(two_face::syntax::extra_newlines);

/// Scope prefixes and the kinds they stand for; of those that match, the one that comes first counts.
static KINDS: LazyLock<Vec<(Scope, Kind)>> = LazyLock::new(|| {
    [
        ("comment", Kind::Comment),
        ("string", Kind::Text),
        ("constant.numeric", Kind::Number),
        ("constant.character", Kind::Constant),
        ("constant", Kind::Constant),
        ("entity.name.function", Kind::Function),
        ("variable.function", Kind::Function),
        ("support.function", Kind::Function),
        ("entity.name.tag", Kind::Keyword),
        ("entity.name", Kind::Type),
        ("entity.other.inherited-class", Kind::Type),
        ("entity.other.attribute-name", Kind::Variable),
        ("support.type", Kind::Type),
        ("support.class", Kind::Type),
        ("storage.type.string", Kind::Text),
        ("storage", Kind::Keyword),
        ("keyword.operator.word", Kind::Keyword),
        ("keyword.operator.logical.python", Kind::Keyword),
        ("keyword.operator", Kind::Operator),
        ("keyword", Kind::Keyword),
        ("variable.other.readwrite", Kind::Variable),
        ("variable.parameter", Kind::Variable),
        ("variable.language", Kind::Constant),
        ("markup.heading", Kind::Keyword),
    ]
    .iter()
    .filter_map(|(scope, kind)| Some((Scope::new(scope).ok()?, *kind)))
    .collect()
});

/// Whether code of this language can be coloured.
pub fn knows(language: &str) -> bool {
    syntax(language).is_some()
}

fn syntax(language: &str) -> Option<&'static SyntaxReference> {
    if language.is_empty() {
        return None;
    }
    let token = match language {
        "console" | "shell" => "sh",
        "octave" => "matlab",
        "chart" => "toml",
        other => other,
    };
    SYNTAXES.find_syntax_by_token(token)
}

/// Colours code. Code of an unknown language comes back plain, as do very long lines and the end of very long code; the
/// text is never changed.
pub fn highlight(language: &str, code: &str) -> Vec<Line> {
    with_most_lines(language, code, MOST_LINES)
}

fn with_most_lines(language: &str, code: &str, most: usize) -> Vec<Line> {
    let Some(syntax) = syntax(language) else {
        return code.split('\n').map(|line| vec![(Kind::Plain, line.to_string())]).collect();
    };
    let mut state = ParseState::new(syntax);
    let mut stack = ScopeStack::new();
    code.split('\n')
        .enumerate()
        .map(|(at, line)| {
            if at >= most || line.len() > LONGEST_LINE {
                return vec![(Kind::Plain, line.to_string())];
            }
            let with_end = format!("{line}\n");
            match state.parse_line(&with_end, &SYNTAXES) {
                Ok(ops) => pieces(line, &ops, &mut stack),
                Err(_) => vec![(Kind::Plain, line.to_string())],
            }
        })
        .collect()
}

fn pieces(line: &str, ops: &[(usize, syntect::parsing::ScopeStackOp)], stack: &mut ScopeStack) -> Line {
    let mut pieces: Line = Vec::new();
    let mut done = 0;
    let mut push = |text: &str, stack: &ScopeStack| {
        if text.is_empty() {
            return;
        }
        let kind = if text.trim().is_empty() { Kind::Plain } else { kind_of(stack) };
        match pieces.last_mut() {
            Some((last, before)) if *last == kind => before.push_str(text),
            _ => pieces.push((kind, text.to_string())),
        }
    };
    for (at, op) in ops {
        let at = (*at).min(line.len());
        if at > done {
            push(line.get(done..at).unwrap_or(""), stack);
            done = at;
        }
        // An operation that does not fit the stack leaves it as it is: colours may be off, the text never.
        let _ = stack.apply(op);
    }
    push(line.get(done..).unwrap_or(""), stack);
    pieces
}

fn kind_of(stack: &ScopeStack) -> Kind {
    for scope in stack.as_slice().iter().rev() {
        if let Some((_, kind)) = KINDS.iter().find(|(prefix, _)| prefix.is_prefix_of(*scope)) {
            return *kind;
        }
    }
    Kind::Plain
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kinds(language: &str, code: &str) -> Vec<(Kind, String)> {
        highlight(language, code).into_iter().flatten().filter(|(kind, _)| *kind != Kind::Plain).collect()
    }

    /// A pattern that can't be compiled would only be noticed when a text comes to it.
    #[test]
    fn every_pattern_of_every_language_can_be_compiled() {
        use syntect::parsing::syntax_definition::Pattern;
        let languages = SYNTAXES.clone().into_builder();
        let contexts = languages.syntaxes().iter().flat_map(|language| language.contexts.values());
        let mut count = 0;
        for pattern in contexts.flat_map(|context| &context.patterns) {
            // One that refers to what another one matched is made of that.
            if let Pattern::Match(it) = pattern
                && !it.has_captures
            {
                it.regex().search("x", 0, 1, None);
                count += 1;
            }
        }
        assert!(count > 10_000, "{count}");
    }

    #[test]
    fn tokens_get_their_kind_and_the_text_stays() {
        let code = "def f(n):  # why\n    return \"a\" + 12\n";
        let lines = highlight("python", code);
        let text: Vec<String> = lines.iter().map(|l| l.iter().map(|(_, t)| t.as_str()).collect()).collect();
        assert_eq!(text.join("\n"), code);
        let found = kinds("python", code);
        assert!(found.contains(&(Kind::Function, "f".into())), "{found:?}");
        assert!(found.contains(&(Kind::Comment, "# why".into())), "{found:?}");
        assert!(found.contains(&(Kind::Number, "12".into())), "{found:?}");
        assert!(found.iter().any(|(k, t)| *k == Kind::Keyword && t.contains("return")), "{found:?}");
    }

    #[test]
    fn the_end_of_very_long_code_is_plain_and_whole() {
        let lines = with_most_lines("python", "return 1\nreturn 2\nreturn 3", 2);
        assert!(lines[1].iter().any(|(kind, _)| *kind != Kind::Plain));
        assert_eq!(lines[2], [(Kind::Plain, "return 3".into())]);
    }

    #[test]
    fn an_unknown_language_is_plain() {
        assert_eq!(highlight("no-such-language", "a\nb"), [[(Kind::Plain, "a".into())], [(Kind::Plain, "b".into())]]);
        assert!(knows("sh") && knows("python") && knows("rust") && !knows(""));
    }
}
