//! Proofs: the pages of an export as somebody sees them who is writing the document.

use std::fmt;
use std::path::Path;
use std::sync::Arc;
use vineloom_document::Span;

/// Somebody who looks at an export while the document is being written.
#[derive(Clone, Copy)]
pub struct Proof<'a> {
    /// The export, which is told from others by its path.
    pub export: &'a Path,
    /// Is told of the pages as soon as they are set, before a file is made of them.
    pub pages: &'a (dyn Fn(Arc<dyn Pages>) + Sync),
    /// Whether the document has changed since. Then the export may be given up: what comes back is an error without a
    /// finding.
    pub is_outdated: &'a (dyn Fn() -> bool + Sync),
}

impl fmt::Debug for Proof<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Proof").field("export", &self.export).finish_non_exhaustive()
    }
}

/// The pages of an export as they are set. Pages are counted from 0; lengths are in points, from the upper left corner.
pub trait Pages: fmt::Debug + Send + Sync {
    /// What each page is, in their order.
    fn all(&self) -> Vec<Page>;

    /// A page as a picture, in SVG.
    fn picture(&self, page: usize) -> Option<String>;

    /// What of the document is set at a point of a page, or nearest to it.
    fn at(&self, page: usize, point: (f64, f64)) -> Option<SetText>;

    /// Where a line of the document is set, of which the first byte and the text are given: the page, and how far down.
    /// What is not set itself is where the part before it is.
    fn place_of(&self, byte: usize, text: &str) -> Option<(usize, f64)>;
}

/// One page.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Page {
    /// Differs where the page does.
    pub digest: u64,
    /// Its width.
    pub width: f64,
    /// Its height.
    pub height: f64,
}

/// A piece of text as it is set.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetText {
    /// The part of the document that it belongs to.
    pub part: Span,
    /// The line of it on the page.
    pub text: String,
    /// The byte of `text` that is at the point.
    pub byte: usize,
}
