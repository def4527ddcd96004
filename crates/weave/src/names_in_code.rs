//! Which names a piece of code sets, as far as one can tell by looking at its lines: enough to say which block would
//! have to stand above another.

use crate::values::plain_template;
use vineloom_document::{BlockIndex, Document, LiveBlock};

/// The names that a line of code gives a value: `x = 1`, `x <- 1`, `def x`, `function x`, `const x`, `import x`.
fn names_of(line: &str) -> Vec<&str> {
    let words: Vec<&str> = line.split_whitespace().collect();
    let bare = |word: &str| -> Option<usize> {
        let end = word.find(|c: char| !(c.is_alphanumeric() || c == '_' || c == '.')).unwrap_or(word.len());
        (end > 0 && !word.starts_with(|c: char| c.is_ascii_digit())).then_some(end)
    };
    let name = |word: &&'_ str| bare(word).is_some();
    match words.as_slice() {
        ["def" | "class" | "function" | "const" | "let" | "var" | "global" | "local" | "export", word, ..] => {
            bare(word).map(|end| &word[..end]).into_iter().collect()
        }
        ["import", .., "as", word] => vec![word],
        ["from", _, "import", rest @ ..] => rest.iter().map(|word| word.trim_end_matches(',')).filter(name).collect(),
        ["import", rest @ ..] => rest.iter().map(|word| word.trim_end_matches(',')).filter(name).collect(),
        [word, "=" | "<-" | "<<-" | ":=", ..] => bare(word).map(|end| &word[..end]).into_iter().collect(),
        [word, ..] => {
            let set =
                word.split_once('=').filter(|(name, rest)| !rest.starts_with('=') && bare(name) == Some(name.len()));
            set.map(|(name, _)| name).into_iter().collect()
        }
        [] => Vec::new(),
    }
}

/// The names that the code of a block sets at the outermost level.
pub(crate) fn names_given_in(code: &str) -> Vec<&str> {
    code.lines().filter(|line| !line.starts_with([' ', '\t'])).flat_map(names_of).collect()
}

/// Whether the code mentions a name.
pub(crate) fn mentions(code: &str, name: &str) -> bool {
    let is_part = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    code.match_indices(name)
        .any(|(at, _)| !is_part(code[..at].chars().next_back()) && !is_part(code[at + name.len()..].chars().next()))
}

/// The name that a message says is not known.
pub(crate) fn unknown_name(message: &str) -> Option<&str> {
    let between = |start: &str, end: &str| {
        let (_, rest) = message.split_once(start)?;
        rest.split_once(end).map(|(name, _)| name)
    };
    between("name '", "' is not defined")
        .or_else(|| between("object '", "' not found"))
        .or_else(|| between("could not find function \"", "\""))
        .or_else(|| between("local variable or method `", "'"))
        .or_else(|| between("local variable or method '", "'"))
        .or_else(|| message.split_once(" is not defined").and_then(|(before, _)| before.rsplit(' ').next()))
        .or_else(|| message.strip_prefix('\'').and_then(|rest| rest.split_once("' undefined")).map(|(name, _)| name))
}

/// The first block below another, of the same language, that sets a name.
pub(crate) fn set_below(document: &Document, index: BlockIndex, name: &str) -> Option<BlockIndex> {
    let here = &document.live[index];
    let sets = |block: &LiveBlock| names_given_in(&plain_template(&block.code)).contains(&name);
    let below = |block: &LiveBlock| block.position > here.position && block.language == here.language;
    document.live.position(|block| below(block) && sets(block))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_in_every_language() {
        let code = "import os, sys\nimport pandas as pd\nfrom math import pi, tau\nx = 1\ny=2\nif a == b:\n  z = 3\ndef f(a):\n  w = 1\n\
                    m <- c(1)\nconst k = 3;\nlet q;\nfunction g(a) {\nn.o <- 2\n";
        assert_eq!(names_given_in(code), ["os", "sys", "pd", "pi", "tau", "x", "y", "f", "m", "k", "q", "g", "n.o"]);
        assert!(mentions("print(df.head())", "df") && !mentions("dfx + my_df", "df"));
    }

    #[test]
    fn the_unknown_name_of_a_message_is_found() {
        for message in [
            "NameError: name 'df' is not defined",
            "object 'df' not found",
            "could not find function \"df\"",
            "ReferenceError: df is not defined",
            "NameError: undefined local variable or method `df' for main:Object",
            "'df' undefined",
        ] {
            assert_eq!(unknown_name(message), Some("df"), "{message}");
        }
        assert_eq!(unknown_name("ValueError: bad"), None);
    }
}
