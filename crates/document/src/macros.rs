//! The commands of `[macros]` put in, for readers of formulas that know none of them.

use std::collections::BTreeMap;

/// How deep commands may stand in what others stand for.
const DEEPEST: usize = 16;
/// How long a formula may become, in bytes.
const LONGEST: usize = 100_000;

/// A formula with the writer's own commands replaced by what they stand for. `macros` has them without their backslash;
/// `#1` to `#9` in one are its arguments. A formula whose commands come to no end, since one stands for itself, is left
/// as it is.
///
/// ```
/// use std::collections::BTreeMap;
/// use vineloom_document::expand_macros;
///
/// let macros = BTreeMap::from([("R".into(), "\\mathbb{R}".into()), ("norm".into(), "\\lVert #1 \\rVert".into())]);
/// assert_eq!(expand_macros("\\norm{x} \\in \\R_+", &macros), "\\lVert x \\rVert \\in \\mathbb{R}_+");
/// ```
pub fn expand_macros(latex: &str, macros: &BTreeMap<String, String>) -> String {
    let mut text = latex.to_string();
    for _ in 0..DEEPEST {
        match expanded_once(&text, macros) {
            Some(expanded) if expanded.len() <= LONGEST => text = expanded,
            Some(_) => return latex.into(),
            None => return text,
        }
    }
    latex.into()
}

/// The formula with each command replaced once, or as much of it as is already too long; nothing where there is none.
fn expanded_once(latex: &str, macros: &BTreeMap<String, String>) -> Option<String> {
    let mut out = String::with_capacity(latex.len());
    let mut rest = latex;
    let mut any = false;
    while let Some(at) = rest.find('\\')
        && out.len() <= LONGEST
    {
        out.push_str(&rest[..at]);
        let after = &rest[at + 1..];
        let letters = after.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(after.len());
        let Some(meaning) = macros.get(&after[..letters]) else {
            // A backslash and a sign are one command.
            let step = letters.max(after.chars().next().map_or(0, char::len_utf8));
            out.push_str(&rest[at..at + 1 + step]);
            rest = &after[step..];
            continue;
        };
        any = true;
        rest = &after[letters..];
        let wanted = (1..=9).rev().find(|n| meaning.contains(&format!("#{n}"))).unwrap_or(0);
        let mut arguments = Vec::new();
        for _ in 0..wanted {
            let (argument, behind) = argument(rest);
            arguments.push(argument);
            rest = behind;
        }
        put_in(&mut out, meaning, &arguments);
        // A command at the end must not run into the letters that follow.
        if rest.starts_with(|c: char| c.is_ascii_alphabetic()) && ends_in_command(&out) {
            out.push(' ');
        }
    }
    out.push_str(rest);
    any.then_some(out)
}

/// Writes what a command stands for, with its arguments in their places.
fn put_in(out: &mut String, meaning: &str, arguments: &[&str]) {
    let mut rest = meaning;
    while let Some(at) = rest.find('#')
        && out.len() <= LONGEST
    {
        out.push_str(&rest[..at]);
        let number = rest[at + 1..].chars().next().and_then(|digit| digit.to_digit(10)).unwrap_or(0) as usize;
        match number.checked_sub(1).and_then(|place| arguments.get(place)) {
            Some(argument) => {
                out.push_str(argument);
                rest = &rest[at + 2..];
            }
            None => {
                out.push('#');
                rest = &rest[at + 1..];
            }
        }
    }
    out.push_str(rest);
}

/// The argument that a formula goes on with, without its braces, and what stands behind it.
fn argument(latex: &str) -> (&str, &str) {
    let latex = latex.trim_start();
    if let Some(inner) = latex.strip_prefix('{') {
        return braced(latex).unwrap_or((inner, ""));
    }
    let command = latex.strip_prefix('\\').map_or(0, |after| {
        1 + after.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(after.len()).max(1).min(after.len())
    });
    let length = if command > 0 { command } else { latex.chars().next().map_or(0, char::len_utf8) };
    latex.split_at(length)
}

/// What stands in the braces that LaTeX begins with, and what comes behind them; nothing where none stand there, or
/// where they are never closed.
pub fn braced(latex: &str) -> Option<(&str, &str)> {
    let inner = latex.strip_prefix('{')?;
    let mut depth = 1;
    let mut escaped = false;
    for (at, c) in inner.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            '{' => depth += 1,
            '}' => depth -= 1,
            _ => {}
        }
        if depth == 0 {
            return Some((&inner[..at], &inner[at + 1..]));
        }
    }
    None
}

fn ends_in_command(latex: &str) -> bool {
    let letters = latex.len() - latex.trim_end_matches(|c: char| c.is_ascii_alphabetic()).len();
    letters > 0 && latex[..latex.len() - letters].ends_with('\\')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn commands_stand_for_their_meanings_with_their_arguments() {
        let macros: BTreeMap<String, String> = [
            ("R", "\\mathbb{R}"),
            ("Rn", "\\R^n"),
            ("eps", "\\varepsilon"),
            ("pair", "\\langle#1,#2\\rangle"),
            ("self", "x\\self"),
            ("grows", "\\grows\\grows\\grows\\grows"),
            ("there", "\\back"),
            ("back", "\\there"),
            ("twice", "#1#1"),
            ("swap", "#2#1"),
        ]
        .map(|(name, meaning)| (name.to_string(), meaning.to_string()))
        .into();
        let of = |latex: &str| expand_macros(latex, &macros);
        assert_eq!(of("\\Rn \\to \\R"), "\\mathbb{R}^n \\to \\mathbb{R}");
        assert_eq!(of("\\eps x\\eps"), "\\varepsilon x\\varepsilon");
        assert_eq!(of("a\\eps{}b\\R"), "a\\varepsilon{}b\\mathbb{R}");
        assert_eq!(of("\\pair{(a{b})}{\\}c} \\pair 1\\R"), "\\langle(a{b}),\\}c\\rangle \\langle1,\\mathbb{R}\\rangle");
        assert_eq!(of("\\Real \\\\R \\,"), "\\Real \\\\R \\,");
        assert_eq!(of("\\swap{#1}{a}"), "a#1");
        assert_eq!(of("\\swap{a}{é 中"), "é 中a");
        // One that comes to no end stays as it is written, however it would grow.
        let long = format!("\\twice{{{}}}", "x".repeat(LONGEST));
        let nested = format!("{}x{}", "\\twice{".repeat(12), "}".repeat(12));
        for endless in ["\\self + \\R", "\\grows", "\\there", &long] {
            assert_eq!(of(endless), endless);
        }
        assert_eq!(of(&nested).len(), 1 << 12);
    }
}
