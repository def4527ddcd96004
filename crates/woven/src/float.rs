//! Captions and the numbers of what has one.

use crate::inline::Inline;
use serde::Serialize;
use vineloom_language::Word;

/// What a numbered thing is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "named after the kinds")]
pub enum FloatKind {
    Figure,
    Table,
    Listing,
}

impl FloatKind {
    /// What it is called before its number.
    pub fn word(self) -> Word {
        match self {
            FloatKind::Figure => Word::Figure,
            FloatKind::Table => Word::Table,
            FloatKind::Listing => Word::Listing,
        }
    }

    /// Whether its caption stands above it, in every format: what may break over pages says first what it is.
    pub fn is_captioned_above(self) -> bool {
        match self {
            FloatKind::Table | FloatKind::Listing => true,
            FloatKind::Figure => false,
        }
    }
}

impl Float {
    /// Whether its caption stands above it.
    pub fn is_above(&self) -> bool {
        self.kind.is_captioned_above()
    }
}

/// A caption and its number.
#[derive(Debug, Clone, Serialize)]
pub struct Float {
    /// What it is.
    pub kind: FloatKind,
    /// What it is called before its number, in the reader's language.
    pub word: String,
    /// Counted for each kind from 1.
    pub number: usize,
    /// The words.
    pub caption: Vec<Inline>,
}
