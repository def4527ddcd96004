//! Captions and the numbers of what has one.

use crate::inline::Inline;
use serde::Serialize;

/// What a numbered thing is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "named after the kinds")]
pub enum FloatKind {
    Figure,
    Table,
    Listing,
}

impl FloatKind {
    /// The word before the number.
    pub fn word(self) -> &'static str {
        match self {
            FloatKind::Figure => "Figure",
            FloatKind::Table => "Table",
            FloatKind::Listing => "Listing",
        }
    }
}

/// A caption and its number.
#[derive(Debug, Clone, Serialize)]
pub struct Float {
    /// What it is.
    pub kind: FloatKind,
    /// Counted for each kind from 1.
    pub number: usize,
    /// The words.
    pub caption: Vec<Inline>,
}
