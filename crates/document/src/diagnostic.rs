//! What is wrong with a document, as plain values.
//!
//! Nothing here prints: the core collects diagnostics, so that one mistake never hides the next, and the
//! program shows them.

use crate::source::Sources;
use crate::span::Span;
use serde::{Deserialize, Serialize};

/// How bad it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing; nothing is wrong.
    Hint,
    /// Probably not what was meant; the weave goes on.
    Warning,
    /// The document can't be woven.
    Error,
}

/// One finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Diagnostic {
    /// How bad it is.
    pub severity: Severity,
    /// What is wrong, in one sentence without a final full stop.
    pub message: String,
    /// Where, when there is one place.
    pub span: Option<Span>,
    /// The words there that it is about, where the place is larger than they are.
    pub about: Option<String>,
    /// A few words beside the place.
    pub label: Option<String>,
    /// Other places that matter, with a few words for each.
    pub related: Vec<(Span, String)>,
    /// What to do about it.
    pub help: Option<String>,
}

impl Diagnostic {
    /// An error at a place.
    pub fn error(span: Span, message: impl Into<String>) -> Self {
        Self::new(Severity::Error, span, message)
    }

    /// A warning at a place.
    pub fn warning(span: Span, message: impl Into<String>) -> Self {
        Self::new(Severity::Warning, span, message)
    }

    /// A hint at a place.
    pub fn hint(span: Span, message: impl Into<String>) -> Self {
        Self::new(Severity::Hint, span, message)
    }

    /// An error that has no place in a text.
    pub fn unplaced(message: impl Into<String>) -> Self {
        Self::new(Severity::Error, Span::NOWHERE, message)
    }

    fn new(severity: Severity, span: Span, message: impl Into<String>) -> Self {
        Diagnostic {
            severity,
            message: message.into(),
            span: span.known(),
            about: None,
            label: None,
            related: Vec::new(),
            help: None,
        }
    }

    /// A warning about what a format does not show as it was meant: what it is, and what stands in its place.
    pub fn loss(message: impl Into<String>) -> Self {
        Self::new(Severity::Warning, Span::NOWHERE, message)
    }

    /// Adds where it is.
    #[must_use]
    pub fn at(mut self, span: Span) -> Self {
        self.span = span.known();
        self
    }

    /// Adds the words at the place that it is about, as the writer wrote them.
    #[must_use]
    pub fn about(mut self, words: impl Into<String>) -> Self {
        self.about = Some(words.into());
        self
    }

    /// The same finding at the words that it is about; at the first line of its place, where they are not found there.
    #[must_use]
    pub fn narrowed(mut self, sources: &Sources) -> Self {
        if let (Some(span), Some(words)) = (self.span, self.about.take()) {
            let text = sources.of(span.start).slice(span);
            let found = text.find(&words).map(|at| (at, words.len()));
            let (start, length) = found.unwrap_or((0, text.lines().next().map_or(0, str::len)));
            self.span = Some(Span::new(span.start + start, span.start + start + length));
        }
        self
    }

    /// Adds what to do about it.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// Adds a few words beside the place.
    #[must_use]
    pub fn label(mut self, label: impl Into<String>) -> Self {
        self.label = Some(label.into());
        self
    }

    /// Adds another place that matters.
    #[must_use]
    pub fn related(mut self, span: Span, note: impl Into<String>) -> Self {
        self.related.push((span, note.into()));
        self
    }
}

/// Whether any of these stops a weave.
pub fn has_errors(diagnostics: &[Diagnostic]) -> bool {
    diagnostics.iter().any(|d| d.severity == Severity::Error)
}
