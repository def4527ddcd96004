//! Which kinds of running text a document holds, so that nobody looks through a long one for what is not in it.

use crate::inline::{Inline, InlineKind, each_inline};

/// A kind of running text that is looked for by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "named after the kinds")]
pub enum Sought {
    Formulas,
    Links,
    Pictures,
    References,
    Placements,
    Html,
}

impl Sought {
    /// The kind of a piece, if it is one of these.
    pub(crate) fn of(inline: &Inline) -> Option<Self> {
        match &inline.kind {
            InlineKind::Math { .. } => Some(Sought::Formulas),
            InlineKind::Link(_) => Some(Sought::Links),
            InlineKind::Image(_) => Some(Sought::Pictures),
            InlineKind::Reference(_) => Some(Sought::References),
            InlineKind::Placement(_) => Some(Sought::Placements),
            InlineKind::Html(_) => Some(Sought::Html),
            InlineKind::Text(_)
            | InlineKind::Value(_)
            | InlineKind::Code(_)
            | InlineKind::Emphasis(_)
            | InlineKind::Strong(_)
            | InlineKind::Strike(_)
            | InlineKind::Footnote(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => None,
        }
    }

    fn bit(self) -> u8 {
        1 << self as u8
    }
}

/// The kinds that occur in the body of a document and in the captions of its live blocks.
#[derive(Debug, Clone, Copy, Default)]
pub struct Holdings(u8);

impl Holdings {
    /// Adds what a running text holds.
    pub(crate) fn add(&mut self, text: &[Inline]) {
        each_inline(text, &mut |inline| self.0 |= Sought::of(inline).map_or(0, Sought::bit));
    }

    /// Whether a kind is among them.
    pub(crate) fn contains(self, sought: Sought) -> bool {
        self.0 & sought.bit() != 0
    }
}
