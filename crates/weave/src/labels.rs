//! The names of blocks in what interpreters said, which only knew labels.

use crate::results::Results;
use crate::values::label;
use vineloom_document::{BlockIndex, Document, Role};

/// Replaces the labels that code was called by while it ran with the blocks' names.
pub(crate) fn show_labels(text: &str, labels: &[(String, String)]) -> String {
    if !text.contains('@') {
        return text.to_string();
    }
    let mut shown = text.to_string();
    for (label, name) in labels {
        if shown.contains(label.as_str()) {
            shown = shown.replace(label, name);
        }
    }
    shown
}

/// What a block gave with the blocks' names in it, where the interpreters only knew labels.
pub fn with_names(text: &str, document: &Document, results: &Results) -> String {
    show_labels(text, &labels(document, results))
}

/// The labels of all blocks, with what a reader calls each: `@name`, or `block 3`.
pub(crate) fn labels(document: &Document, results: &Results) -> Vec<(String, String)> {
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
    results.blocks.enumerate().map(|(index, result)| (label(&result.code), name(index))).collect()
}
