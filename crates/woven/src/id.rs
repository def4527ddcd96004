//! Places that links lead to, and the numbers by which one part of the tree points to another.

use ecow::EcoString;
use serde::Serialize;
use std::borrow::Borrow;
use std::fmt;

/// The name of a place that links lead to: unique in the document, and never empty. A place without a name has no
/// `Id` at all.
///
/// ```
/// use vineloom_woven::Id;
///
/// assert_eq!(Id::new("wiring").map(|id| id.to_string()).as_deref(), Some("wiring"));
/// assert_eq!(Id::new(""), None);
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(transparent)]
pub struct Id(EcoString);

impl Id {
    /// An id of that text; nothing when the text is empty.
    pub fn new(text: impl Into<EcoString>) -> Option<Self> {
        Some(text.into()).filter(|text| !text.is_empty()).map(Id)
    }

    /// Its text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Id {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl Borrow<str> for Id {
    fn borrow(&self) -> &str {
        &self.0
    }
}

/// Which strand a block ran on: an index into [`crate::Woven::strands`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
#[serde(transparent)]
pub struct StrandIndex(pub usize);

/// The number of a footnote, counted from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(transparent)]
pub struct NoteNumber(usize);

impl NoteNumber {
    /// The number of the footnote at an index of [`crate::Woven::notes`].
    pub fn of_index(index: usize) -> Self {
        NoteNumber(index + 1)
    }

    /// Its index in [`crate::Woven::notes`].
    pub fn index(self) -> usize {
        self.0 - 1
    }
}

impl fmt::Display for NoteNumber {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}
