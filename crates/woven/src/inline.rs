//! Running text.

use crate::id::{Id, NoteNumber};
use serde::Serialize;
use vineloom_document::Span;
use vineloom_picture::Picture;

/// A piece of running text.
#[derive(Debug, Clone, Serialize)]
pub struct Inline {
    /// What it is.
    pub kind: InlineKind,
    /// Where in the document it is written; of what a block printed, where the block stands.
    pub span: Span,
}

/// The kinds of running text.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "the fields are named after the parts of each piece")]
pub enum InlineKind {
    Text(String),
    Code(String),
    Math {
        latex: String,
        display: bool,
    },
    Emphasis(Vec<Inline>),
    Strong(Vec<Inline>),
    Strike(Vec<Inline>),
    /// A look that only HTML in the text can ask for.
    Styled {
        style: InlineStyle,
        content: Vec<Inline>,
    },
    Link {
        target: String,
        title: String,
        content: Vec<Inline>,
    },
    /// A link to something in this document.
    Reference {
        id: Id,
        content: Vec<Inline>,
    },
    /// A work that is cited: a link to its entry in the list of works.
    Citation {
        work: Id,
        /// Where in the work, such as `p. 14`; empty where that is not said.
        place: String,
        content: Vec<Inline>,
    },
    /// A link to a section: its number where sections are numbered, else its title.
    SectionReference {
        id: Id,
        number: String,
        title: Vec<Inline>,
    },
    Image {
        picture: Picture,
        alt: String,
        title: String,
        /// In pixels, 96 to the inch, where it is asked for.
        width: Option<f64>,
    },
    /// A picture that is not ours to put in: shown as a link.
    RemoteImage {
        target: String,
        title: String,
        alt: Vec<Inline>,
    },
    /// The mark of a footnote.
    Note(NoteNumber),
    /// HTML as the writer wrote it.
    Html(String),
    SoftBreak,
    LineBreak,
}

impl Inline {
    /// A piece that is written at a place.
    pub fn new(kind: InlineKind, span: Span) -> Self {
        Inline { kind, span }
    }

    /// Plain text that is written at a place.
    pub fn text(text: impl Into<String>, span: Span) -> Self {
        Inline::new(InlineKind::Text(text.into()), span)
    }

    /// The running text that stands in it; empty for a piece that holds none.
    pub fn children(&self) -> &[Inline] {
        match &self.kind {
            InlineKind::Emphasis(content)
            | InlineKind::Strong(content)
            | InlineKind::Strike(content)
            | InlineKind::Styled { content, .. }
            | InlineKind::Link { content, .. }
            | InlineKind::Reference { content, .. }
            | InlineKind::Citation { content, .. }
            | InlineKind::SectionReference { title: content, .. }
            | InlineKind::RemoteImage { alt: content, .. } => content,
            InlineKind::Text(_)
            | InlineKind::Code(_)
            | InlineKind::Math { .. }
            | InlineKind::Image { .. }
            | InlineKind::Note(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => &[],
        }
    }

    /// The same to be changed; nothing for a piece that holds no running text.
    pub fn children_mut(&mut self) -> Option<&mut Vec<Inline>> {
        match &mut self.kind {
            InlineKind::Emphasis(content)
            | InlineKind::Strong(content)
            | InlineKind::Strike(content)
            | InlineKind::Styled { content, .. }
            | InlineKind::Link { content, .. }
            | InlineKind::Reference { content, .. }
            | InlineKind::Citation { content, .. }
            | InlineKind::SectionReference { title: content, .. }
            | InlineKind::RemoteImage { alt: content, .. } => Some(content),
            InlineKind::Text(_)
            | InlineKind::Code(_)
            | InlineKind::Math { .. }
            | InlineKind::Image { .. }
            | InlineKind::Note(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => None,
        }
    }
}

/// The looks of [`InlineKind::Styled`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "named after the looks")]
pub enum InlineStyle {
    Subscript,
    Superscript,
    /// A key of the keyboard.
    Key,
    /// As with a marker pen.
    Stressed,
    Underlined,
    Small,
}

impl InlineStyle {
    /// The HTML element of it.
    pub fn element(self) -> &'static str {
        match self {
            InlineStyle::Subscript => "sub",
            InlineStyle::Superscript => "sup",
            InlineStyle::Key => "kbd",
            InlineStyle::Stressed => "mark",
            InlineStyle::Underlined => "u",
            InlineStyle::Small => "small",
        }
    }

    /// The look of an HTML element.
    pub fn of_element(name: &str) -> Option<Self> {
        Some(match name {
            "sub" => InlineStyle::Subscript,
            "sup" => InlineStyle::Superscript,
            "kbd" => InlineStyle::Key,
            "mark" => InlineStyle::Stressed,
            "u" | "ins" => InlineStyle::Underlined,
            "small" => InlineStyle::Small,
            _ => return None,
        })
    }
}

/// The plain text of running text.
pub fn plain_text(inlines: &[Inline]) -> String {
    let mut text = String::new();
    push_plain(inlines, &mut text);
    text
}

fn push_plain(inlines: &[Inline], text: &mut String) {
    for inline in inlines {
        match &inline.kind {
            InlineKind::Text(part) | InlineKind::Code(part) | InlineKind::Math { latex: part, .. } => {
                text.push_str(part);
            }
            InlineKind::Image { alt, .. } => text.push_str(alt),
            InlineKind::SoftBreak | InlineKind::LineBreak => text.push(' '),
            InlineKind::Html(html) if html.starts_with("<br") => text.push(' '),
            InlineKind::Note(_) | InlineKind::Html(_) => {}
            InlineKind::Emphasis(_)
            | InlineKind::Strong(_)
            | InlineKind::Strike(_)
            | InlineKind::Styled { .. }
            | InlineKind::Link { .. }
            | InlineKind::Reference { .. }
            | InlineKind::Citation { .. }
            | InlineKind::SectionReference { .. }
            | InlineKind::RemoteImage { .. } => push_plain(inline.children(), text),
        }
    }
}
