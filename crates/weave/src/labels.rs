//! The names of blocks in what interpreters said, which only knew labels.

use crate::results::Results;
use crate::values::{LABEL_LENGTH, label};
use std::collections::HashMap;
use vineloom_document::{BlockIndex, Document, Role};

/// The labels of all blocks, with what a reader calls each: `@name`, or `block 3`.
#[derive(Debug)]
pub(crate) struct Labels(HashMap<String, String>);

impl Labels {
    /// Those of a document that ran.
    pub fn of(document: &Document, results: &Results) -> Self {
        let name = |index: BlockIndex| match &document.live[index].name {
            Some(name) => format!("@{name}"),
            None => match document.live[index].role {
                Role::Call(callee) => {
                    document.live[callee].name.as_ref().map_or_else(String::new, |name| format!("@{name}"))
                }
                Role::Expression => "expression".into(),
                _ => format!("block {}", index.number()),
            },
        };
        let mut labels = HashMap::new();
        for (index, result) in results.blocks.enumerate() {
            // Of blocks with the same code the first is named.
            labels.entry(label(&result.code)).or_insert_with(|| name(index));
        }
        Labels(labels)
    }

    /// Replaces the labels that code was called by while it ran with the blocks' names.
    pub fn shown(&self, text: &str) -> String {
        let mut shown = String::with_capacity(text.len());
        let mut rest = text;
        while let Some((at, label)) = first_label(rest) {
            let end = at + label.len();
            match self.0.get(label) {
                Some(name) => shown.extend([&rest[..at], name]),
                None => shown.push_str(&rest[..end]),
            }
            rest = &rest[end..];
        }
        shown + rest
    }
}

/// Where the first text stands that could be a label, and that text.
fn first_label(text: &str) -> Option<(usize, &str)> {
    text.match_indices('@').find_map(|(at, _)| {
        let label = text.get(at..at + LABEL_LENGTH)?;
        label[1..].bytes().all(|byte| byte.is_ascii_hexdigit()).then_some((at, label))
    })
}

/// What a block gave with the blocks' names in it, where the interpreters only knew labels.
pub fn with_names(text: &str, document: &Document, results: &Results) -> String {
    match first_label(text) {
        Some(_) => Labels::of(document, results).shown(text),
        None => text.to_string(),
    }
}
