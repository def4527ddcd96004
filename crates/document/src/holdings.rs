//! Which kinds of running text a document holds, so that nobody looks through a long one for what is not in it.

use crate::inline::{Inline, InlineKind, each_inline};
use crate::tree::Document;

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
    fn of(inline: &Inline) -> Option<Self> {
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
    pub(crate) fn of(document: &Document) -> Self {
        let mut bits = 0;
        document.each_text(&mut |text| {
            each_inline(text, &mut |inline| bits |= Sought::of(inline).map_or(0, Sought::bit));
        });
        Holdings(bits)
    }
}

impl Document {
    /// Whether a kind of running text occurs in the document.
    pub fn holds(&self, sought: Sought) -> bool {
        self.holdings.0 & sought.bit() != 0
    }

    /// Visits all pieces of one kind in the order in which they are read, as [`Document::each_text`] does.
    pub fn each_inline<'t>(&'t self, sought: Sought, visit: &mut dyn FnMut(&'t Inline)) {
        if self.holds(sought) {
            self.each_text(&mut |text| {
                each_inline(text, &mut |inline| {
                    if Sought::of(inline) == Some(sought) {
                        visit(inline);
                    }
                });
            });
        }
    }
}
