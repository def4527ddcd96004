//! Ranges of bytes in the sources of a document.

use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::fmt;

/// A range of bytes, end exclusive, in the [`crate::Sources`] of a document: the position alone says which file.
///
/// What stands nowhere in a text (a built-in setting, what the program itself adds) has the value [`Span::NOWHERE`],
/// which lies in no file and is equal to nothing else.
///
/// ```
/// use vineloom_document::Span;
///
/// assert_eq!(Span::new(3, 5).known(), Some(Span::new(3, 5)));
/// assert_eq!(Span::NOWHERE.known(), None);
/// assert_eq!(serde_json::to_string(&[Span::new(3, 5), Span::NOWHERE]).unwrap(), "[[3,5],null]");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span {
    /// First byte.
    pub start: usize,
    /// One past the last byte.
    pub end: usize,
}

impl Span {
    /// Not in any text.
    pub const NOWHERE: Span = Span { start: usize::MAX, end: usize::MAX };

    /// The range `start..end`.
    pub fn new(start: usize, end: usize) -> Self {
        Span { start, end }
    }

    /// The same range, `by` bytes further on; nowhere stays nowhere.
    #[must_use]
    pub fn shifted(self, by: usize) -> Self {
        match self.known() {
            Some(Span { start, end }) => Span::new(start + by, end + by),
            None => self,
        }
    }

    /// The span, unless it is nowhere.
    pub fn known(self) -> Option<Span> {
        (self != Span::NOWHERE).then_some(self)
    }

    /// The span, or another where this one is nowhere.
    #[must_use]
    pub fn or(self, other: Span) -> Span {
        self.known().unwrap_or(other)
    }
}

/// A span as it is kept where there are many: half as large, for the first 4 GB of a document; behind those it is
/// nowhere.
///
/// ```
/// use vineloom_document::{PackedSpan, Span};
///
/// for span in [Span::new(3, 5), Span::NOWHERE] {
///     assert_eq!(PackedSpan::from(span).span(), span);
/// }
/// ```
#[derive(Clone, Copy, PartialEq, Eq)]
pub struct PackedSpan {
    start: u32,
    end: u32,
}

impl PackedSpan {
    const NOWHERE: PackedSpan = PackedSpan { start: u32::MAX, end: u32::MAX };

    /// The span.
    pub fn span(self) -> Span {
        match self {
            PackedSpan::NOWHERE => Span::NOWHERE,
            PackedSpan { start, end } => Span::new(start as usize, end as usize),
        }
    }
}

impl From<Span> for PackedSpan {
    fn from(span: Span) -> Self {
        match (u32::try_from(span.start), u32::try_from(span.end)) {
            (Ok(start), Ok(end)) => PackedSpan { start, end },
            _ => PackedSpan::NOWHERE,
        }
    }
}

impl fmt::Debug for PackedSpan {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.span().fmt(f)
    }
}

impl Serialize for PackedSpan {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.span().serialize(serializer)
    }
}

impl Default for Span {
    fn default() -> Self {
        Span::NOWHERE
    }
}

/// Two numbers, or nothing.
impl Serialize for Span {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.known().map(|Span { start, end }| [start, end]).serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for Span {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        match Option::<[usize; 2]>::deserialize(deserializer)? {
            Some([start, end]) if start <= end => Ok(Span::new(start, end)),
            Some(_) => Err(D::Error::custom("a span ends before it starts")),
            None => Ok(Span::NOWHERE),
        }
    }
}
