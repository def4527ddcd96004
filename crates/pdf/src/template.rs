//! The template: what a document is made to look by, in definitions for the typesetter.
//!
//! A document is given the definitions that it calls, and those that these call. All that the typesetter is given it
//! reads, and looks at again to know whether it is what it was: of a short document this was a third of the work.

use foldhash::fast::RandomState;
use std::collections::{BTreeSet, HashMap};

/// What documents are made to look by.
pub(crate) const OF_DOCUMENTS: &str = include_str!("template.typ");
/// What slides are made to look by, beside that.
pub(crate) const OF_SLIDES: &str = include_str!("deck.typ");

/// What each definition begins with, at the beginning of a line.
const DEFINITION: &str = "#let ";

/// The definitions of `look` that `text` calls, and all that these call, in their order. A name that is defined
/// several times keeps all its definitions, since a later one may call an earlier one.
pub(crate) fn called_by(text: &str, look: &str) -> String {
    let definitions = definitions(look);
    let mut by_name: HashMap<&[u8], Vec<usize>, RandomState> = HashMap::default();
    for (at, definition) in definitions.iter().enumerate() {
        by_name.entry(definition.name.as_bytes()).or_default().push(at);
    }
    let mut called = BTreeSet::new();
    let mut texts = vec![text];
    while let Some(text) = texts.pop() {
        for at in names(text).filter_map(|name| by_name.get(name)).flatten() {
            if called.insert(*at) {
                texts.push(definitions[*at].text);
            }
        }
    }
    called.into_iter().map(|at| definitions[at].text).collect()
}

/// One definition: its name, and all of its lines.
struct Definition<'a> {
    name: &'a str,
    text: &'a str,
}

/// The definitions of a template. What stands between them are remarks.
fn definitions(look: &str) -> Vec<Definition<'_>> {
    let mut definitions: Vec<Definition> = Vec::new();
    let (mut at, mut begun) = (0, None);
    let mut end = |begun: Option<usize>, at: usize| {
        if let Some(text) = begun.and_then(|begun: usize| look.get(begun..at)) {
            let rest = &text[DEFINITION.len()..];
            let name = &rest[..rest.bytes().position(|byte| !is_of_name(byte)).unwrap_or(rest.len())];
            definitions.push(Definition { name, text });
        }
    };
    for line in look.split_inclusive('\n') {
        let defines = line.starts_with(DEFINITION);
        if defines || line.starts_with("//") {
            end(begun, at);
            begun = defines.then_some(at);
        }
        at += line.len();
    }
    end(begun, at);
    definitions
}

fn is_of_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_')
}

/// All that may be a name of the typesetter's in a text. In formulas names have no hyphen, so each part of one that has
/// one is another.
fn names(text: &str) -> impl Iterator<Item = &[u8]> {
    let whole = text.as_bytes().split(|&byte| !is_of_name(byte)).filter(|name| !name.is_empty());
    whole.flat_map(|name| {
        let parts = name.split(|&byte| byte == b'-').filter(move |part| part.len() < name.len());
        std::iter::once(name).chain(parts)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn given(text: &str, look: &str) -> Vec<String> {
        definitions(&called_by(text, look)).iter().map(|definition| definition.name.to_string()).collect()
    }

    #[test]
    fn a_text_is_given_what_it_calls_and_what_that_calls() {
        let look = "// A remark: #d.\n#let a = 1\n#let b-c(x) = {\n  a + x\n}\n// Of d.\n#let d = b-c(2)\n#let e = 3\n#let a = a + 1\n";
        for (text, names) in [
            ("Words.", &[][..]),
            ("#e", &["e"]),
            ("#a", &["a", "a"]),
            ("#strong[#d]", &["a", "b-c", "d", "a"]),
            ("$ a-e $", &["a", "e", "a"]),
            ("word(\"e\")", &["e"]),
        ] {
            assert_eq!(given(text, look), names, "{text}");
        }
        assert_eq!(called_by("#b-c(1)", look), "#let a = 1\n#let b-c(x) = {\n  a + x\n}\n#let a = a + 1\n");
    }

    #[test]
    fn nothing_but_definitions_and_remarks_stands_in_what_documents_look_by() {
        for look in [OF_DOCUMENTS, OF_SLIDES, crate::colours::PRINT] {
            let defined: String = definitions(look).iter().map(|definition| definition.text).collect();
            let left: usize = look.lines().filter(|line| line.starts_with("//")).map(|line| line.len() + 1).sum();
            let before = look.find(DEFINITION).unwrap_or_default();
            let blank = look[..before].lines().filter(|line| line.is_empty()).count();
            assert_eq!(defined.len() + left + blank, look.len());
            let is_name = |name: &str| name.starts_with(|c: char| c.is_ascii_lowercase());
            assert!(definitions(look).iter().all(|definition| is_name(definition.name)));
        }
    }

    /// The typesetter remembers every call of a function that is made for a row, with what came of it.
    #[test]
    fn rows_and_cells_are_gone_through_in_loops() {
        for of_all in ["rows", "row", "header", "cells", "full"] {
            for way in ["map", "filter", "fold", "any", "all", "enumerate().map"] {
                assert!(!OF_DOCUMENTS.contains(&format!(" {of_all}.{way}(")), "{of_all}.{way}");
            }
        }
    }

    #[test]
    fn plain_prose_is_given_a_part_of_the_template() {
        let given = called_by("#show: sheet.with(title: \"T\")\n\n#\"Words\"", OF_DOCUMENTS);
        assert!(given.contains("#let sheet(") && given.contains("#let running-head(") && !given.contains("ruled"));
        assert!(given.len() * 2 < OF_DOCUMENTS.len());
    }
}
