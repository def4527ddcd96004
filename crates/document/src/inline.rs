//! Running text as it was written: words, marks, links, and values in their places.

use crate::index::ValueIndex;
use crate::span::{PackedSpan, Span};
use ecow::EcoString;

/// Text with values in it.
pub type Template = Box<[Part]>;

/// A piece of a [`Template`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// Text as it stands.
    Text(EcoString),
    /// A value.
    Value(ValueIndex),
}

/// A piece of running text.
#[derive(Debug, Clone, PartialEq)]
pub struct Inline {
    /// What it is.
    pub kind: InlineKind,
    span: PackedSpan,
}

/// The kinds of running text. A long document has hundreds of thousands of pieces, most of them text: what is rare and
/// large stands in a box, and a text is shared with the tree that is made from this one.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs, reason = "the fields are named after the parts of each piece")]
pub enum InlineKind {
    Text(EcoString),
    Value(ValueIndex),
    Code(Template),
    Math { latex: Template, display: bool },
    Emphasis(Box<[Inline]>),
    Strong(Box<[Inline]>),
    Strike(Box<[Inline]>),
    Link(Box<Link>),
    Image(Box<Image>),
    Reference(Box<Reference>),
    Placement(Box<Placement>),
    Footnote(EcoString),
    Html(EcoString),
    SoftBreak,
    LineBreak,
}

/// A link.
#[derive(Debug, Clone, PartialEq)]
pub struct Link {
    /// Where it leads.
    pub target: Template,
    /// What is told of where it leads; often empty.
    pub title: EcoString,
    /// Its words.
    pub content: Vec<Inline>,
}

/// A picture.
#[derive(Debug, Clone, PartialEq)]
pub struct Image {
    /// The file that holds it.
    pub target: Template,
    /// What is told of it; often empty.
    pub title: EcoString,
    /// What it shows, for those who can't see it.
    pub alt: Vec<Inline>,
}

/// A link to a name: `[](@name)`.
#[derive(Debug, Clone, PartialEq)]
pub struct Reference {
    /// The name.
    pub name: String,
    /// Its words; empty content asks for "Figure 2" and the like.
    pub content: Vec<Inline>,
}

/// The result of a block within a sentence: `![alt](@name)`.
#[derive(Debug, Clone, PartialEq)]
pub struct Placement {
    /// The name of the block.
    pub name: String,
    /// The words between the brackets.
    pub caption: Vec<Inline>,
}

impl Inline {
    /// A piece that is written at a place.
    pub fn new(kind: InlineKind, span: Span) -> Self {
        Inline { kind, span: span.into() }
    }

    /// Where it is written.
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
            InlineKind::Emphasis(content) | InlineKind::Strong(content) | InlineKind::Strike(content) => content,
            InlineKind::Link(link) => &link.content,
            InlineKind::Reference(reference) => &reference.content,
            InlineKind::Placement(placement) => &placement.caption,
            InlineKind::Image(image) => &image.alt,
            InlineKind::Text(_)
            | InlineKind::Value(_)
            | InlineKind::Code(_)
            | InlineKind::Math { .. }
            | InlineKind::Footnote(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => &[],
        }
    }

    /// Visits the piece and those that stand in it, to change them.
    pub(crate) fn each_mut(&mut self, visit: &mut dyn FnMut(&mut Inline)) {
        visit(self);
        self.children_mut().iter_mut().for_each(|inline| inline.each_mut(visit));
    }

    /// The running text that stands in it, to be changed; empty for a piece that holds none.
    fn children_mut(&mut self) -> &mut [Inline] {
        match &mut self.kind {
            InlineKind::Emphasis(content) | InlineKind::Strong(content) | InlineKind::Strike(content) => content,
            InlineKind::Link(link) => &mut link.content,
            InlineKind::Reference(reference) => &mut reference.content,
            InlineKind::Placement(placement) => &mut placement.caption,
            InlineKind::Image(image) => &mut image.alt,
            InlineKind::Text(_)
            | InlineKind::Value(_)
            | InlineKind::Code(_)
            | InlineKind::Math { .. }
            | InlineKind::Footnote(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => &mut [],
        }
    }

    /// Visits the values in the piece and in those that stand in it, to change them.
    pub(crate) fn each_value_mut(&mut self, visit: &mut dyn FnMut(&mut ValueIndex)) {
        self.each_mut(&mut |inline| match &mut inline.kind {
            InlineKind::Value(value) => visit(value),
            InlineKind::Code(template) | InlineKind::Math { latex: template, .. } => values_mut(template, visit),
            InlineKind::Link(link) => values_mut(&mut link.target, visit),
            InlineKind::Image(image) => values_mut(&mut image.target, visit),
            InlineKind::Text(_)
            | InlineKind::Emphasis(_)
            | InlineKind::Strong(_)
            | InlineKind::Strike(_)
            | InlineKind::Reference(_)
            | InlineKind::Placement(_)
            | InlineKind::Footnote(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => {}
        });
    }
}

/// Visits the values of a template, to change them.
pub(crate) fn values_mut(template: &mut Template, visit: &mut dyn FnMut(&mut ValueIndex)) {
    for part in template {
        if let Part::Value(value) = part {
            visit(value);
        }
    }
}

/// The plain text of running text; values and math as their source.
pub fn plain_text(inlines: &[Inline]) -> String {
    let mut text = String::new();
    push_plain_text(inlines, &mut text);
    text
}

fn push_plain_text(inlines: &[Inline], text: &mut String) {
    for inline in inlines {
        match &inline.kind {
            InlineKind::Text(part) => text.push_str(part),
            InlineKind::Code(parts) | InlineKind::Math { latex: parts, .. } => {
                for part in parts {
                    if let Part::Text(part) = part {
                        text.push_str(part);
                    }
                }
            }
            InlineKind::SoftBreak | InlineKind::LineBreak => text.push(' '),
            InlineKind::Value(_) | InlineKind::Footnote(_) | InlineKind::Html(_) => {}
            InlineKind::Emphasis(_)
            | InlineKind::Strong(_)
            | InlineKind::Strike(_)
            | InlineKind::Link(_)
            | InlineKind::Reference(_)
            | InlineKind::Placement(_)
            | InlineKind::Image(_) => push_plain_text(inline.children(), text),
        }
    }
}

/// Visits each piece of running text, those inside others too.
pub fn each_inline<'t>(inlines: &'t [Inline], visit: &mut dyn FnMut(&'t Inline)) {
    for inline in inlines {
        visit(inline);
        each_inline(inline.children(), visit);
    }
}
