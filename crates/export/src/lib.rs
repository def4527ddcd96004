//! From a woven document to bytes: one module a format, and what they share.
//!
//! Exporters are pure: the same woven document and options give the same bytes.

#![forbid(unsafe_code)]

pub mod highlight;
pub mod highlighted;
pub mod html;
pub mod math;
pub mod numbers;
pub mod raw_html;

pub use html::escape::runs_code;
use serde::{Deserialize, Serialize};
use vineloom_document::Span;

/// Something a format can't show as it was meant, told once a kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Loss {
    /// What it is and what stands in its place.
    pub message: String,
    /// What could be done about it.
    pub help: Option<String>,
    /// The block of the document where it is met first; none where it is about the document as a whole.
    pub span: Option<Span>,
    /// The words there that it is about, as the writer wrote them, so that their line can be told.
    pub about: Option<String>,
}

impl Loss {
    /// A loss that is about the document as a whole.
    pub fn new(message: impl Into<String>) -> Self {
        Loss { message: message.into(), help: None, span: None, about: None }
    }

    /// Adds what could be done about it.
    #[must_use]
    pub fn help(self, help: impl Into<String>) -> Self {
        Loss { help: Some(help.into()), ..self }
    }

    /// Adds where it is met.
    #[must_use]
    pub fn at(self, span: Option<Span>) -> Self {
        Loss { span, ..self }
    }

    /// Adds the words it is about.
    #[must_use]
    pub fn about(self, words: impl Into<String>) -> Self {
        Loss { about: Some(words.into()), ..self }
    }
}
