//! Running text.

use crate::id::{Id, NoteNumber};
use ecow::EcoString;
use serde::Serialize;
use std::mem::take;
use vineloom_document::{PackedSpan, Span};
use vineloom_picture::Picture;

/// A piece of running text.
#[derive(Debug, Clone, Serialize)]
pub struct Inline {
    /// What it is.
    pub kind: InlineKind,
    span: PackedSpan,
}

/// The kinds of running text. What is rare and large stands in a box: a long document has hundreds of thousands of
/// pieces, most of them text, which they share with what was written.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "the fields are named after the parts of each piece")]
pub enum InlineKind {
    Text(EcoString),
    Code(EcoString),
    Math {
        latex: EcoString,
        display: bool,
    },
    Emphasis(Box<[Inline]>),
    Strong(Box<[Inline]>),
    Strike(Box<[Inline]>),
    /// A look that only HTML in the text can ask for.
    Styled {
        style: InlineStyle,
        content: Box<[Inline]>,
    },
    Link(Box<Link>),
    Reference(Box<Reference>),
    Citation(Box<Citation>),
    SectionReference(Box<SectionReference>),
    Image(Box<Image>),
    RemoteImage(Box<RemoteImage>),
    /// The mark of a footnote.
    Note(NoteNumber),
    /// HTML as the writer wrote it.
    Html(EcoString),
    SoftBreak,
    LineBreak,
}

/// A link.
#[derive(Debug, Clone, Serialize)]
pub struct Link {
    /// Where it leads.
    pub target: EcoString,
    /// What is told of where it leads; often empty.
    pub title: EcoString,
    /// Its words.
    pub content: Vec<Inline>,
}

/// A link to something in this document.
#[derive(Debug, Clone, Serialize)]
pub struct Reference {
    /// What it leads to.
    pub id: Id,
    /// Its words.
    pub content: Vec<Inline>,
}

/// A work that is cited: a link to its entry in the list of works.
#[derive(Debug, Clone, Serialize)]
pub struct Citation {
    /// The entry.
    pub work: Id,
    /// Where in the work, such as `p. 14`; empty where that is not said.
    pub place: String,
    /// Its words.
    pub content: Vec<Inline>,
}

/// A link to a section: its number where sections are numbered, else its title.
#[derive(Debug, Clone, Serialize)]
pub struct SectionReference {
    /// The section.
    pub id: Id,
    /// Its number, such as `2.1`.
    pub number: String,
    /// Its title.
    pub title: Vec<Inline>,
}

/// A picture.
#[derive(Debug, Clone, Serialize)]
pub struct Image {
    /// What is drawn.
    pub picture: Picture,
    /// What it shows, for those who can't see it.
    pub alt: String,
    /// What is told of it; often empty.
    pub title: EcoString,
    /// In pixels, 96 to the inch, where it is asked for.
    pub width: Option<f64>,
}

/// A picture that is not ours to put in: shown as a link.
#[derive(Debug, Clone, Serialize)]
pub struct RemoteImage {
    /// Where it is.
    pub target: EcoString,
    /// What is told of it; often empty.
    pub title: EcoString,
    /// What it shows.
    pub alt: Vec<Inline>,
}

impl Inline {
    /// A piece that is written at a place.
    pub fn new(kind: InlineKind, span: Span) -> Self {
        Inline { kind, span: span.into() }
    }

    /// Where in the document it is written; of what a block printed, where the block stands.
    pub fn span(&self) -> Span {
        self.span.span()
    }

    /// Says where it is written.
    pub fn set_span(&mut self, span: Span) {
        self.span = span.into();
    }

    /// Plain text that is written at a place.
    pub fn text(text: impl Into<EcoString>, span: Span) -> Self {
        Inline::new(InlineKind::Text(text.into()), span)
    }

    /// The running text that stands in it; empty for a piece that holds none.
    pub fn children(&self) -> &[Inline] {
        match &self.kind {
            InlineKind::Emphasis(content)
            | InlineKind::Strong(content)
            | InlineKind::Strike(content)
            | InlineKind::Styled { content, .. } => content,
            InlineKind::Link(link) => &link.content,
            InlineKind::Reference(reference) => &reference.content,
            InlineKind::Citation(citation) => &citation.content,
            InlineKind::SectionReference(reference) => &reference.title,
            InlineKind::RemoteImage(image) => &image.alt,
            InlineKind::Text(_)
            | InlineKind::Code(_)
            | InlineKind::Math { .. }
            | InlineKind::Image(_)
            | InlineKind::Note(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => &[],
        }
    }

    /// Makes the running text that stands in it anew, where it holds any.
    pub fn change_children(&mut self, change: impl FnOnce(Vec<Inline>) -> Vec<Inline>) {
        let content = match &mut self.kind {
            InlineKind::Emphasis(content)
            | InlineKind::Strong(content)
            | InlineKind::Strike(content)
            | InlineKind::Styled { content, .. } => {
                *content = change(take(content).into_vec()).into_boxed_slice();
                return;
            }
            InlineKind::Link(link) => &mut link.content,
            InlineKind::Reference(reference) => &mut reference.content,
            InlineKind::Citation(citation) => &mut citation.content,
            InlineKind::SectionReference(reference) => &mut reference.title,
            InlineKind::RemoteImage(image) => &mut image.alt,
            InlineKind::Text(_)
            | InlineKind::Code(_)
            | InlineKind::Math { .. }
            | InlineKind::Image(_)
            | InlineKind::Note(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => return,
        };
        *content = change(take(content));
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
            InlineKind::Image(image) => text.push_str(&image.alt),
            InlineKind::SoftBreak | InlineKind::LineBreak => text.push(' '),
            InlineKind::Html(html) if html.starts_with("<br") => text.push(' '),
            InlineKind::Note(_) | InlineKind::Html(_) => {}
            InlineKind::Emphasis(_)
            | InlineKind::Strong(_)
            | InlineKind::Strike(_)
            | InlineKind::Styled { .. }
            | InlineKind::Link(_)
            | InlineKind::Reference(_)
            | InlineKind::Citation(_)
            | InlineKind::SectionReference(_)
            | InlineKind::RemoteImage(_) => push_plain(inline.children(), text),
        }
    }
}
