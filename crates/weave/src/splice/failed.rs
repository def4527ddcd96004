//! What stands in sentences for values of blocks that failed, where the rest went on.

use crate::plan::block_title;
use crate::results::{Results, State};
use vineloom_document::{Document, Named, ValueIndex, Wanted};

/// What stands for the value of a block that failed while the rest went on.
pub(super) fn failed_text(value: ValueIndex, document: &Document, results: &Results) -> Option<String> {
    let used = document.value(value);
    let named = || match document.names.get(used.wanted.name()?)? {
        Named::Live(index, _) => Some(*index),
        _ => None,
    };
    let failed = used.runs.or_else(named).filter(|index| results.has_failed(*index))?;
    (!matches!(used.wanted, Wanted::Code(_))).then(|| {
        let word = if results.state(failed) == Some(State::Waiting) { "waits" } else { "failed" };
        format!("[{} {word}]", block_title(document, failed))
    })
}
