//! Running text as it was written: words, marks, links, and values in their places.

use crate::index::ValueIndex;
use crate::span::Span;

/// Text with values in it.
pub type Template = Vec<Part>;

/// A piece of a [`Template`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// Text as it stands.
    Text(String),
    /// A value.
    Value(ValueIndex),
}

/// A piece of running text.
#[derive(Debug, Clone, PartialEq)]
pub struct Inline {
    /// What it is.
    pub kind: InlineKind,
    /// Where it is written.
    pub span: Span,
}

/// The kinds of running text.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs, reason = "the fields are named after the parts of each piece")]
pub enum InlineKind {
    Text(String),
    Value(ValueIndex),
    Code(Template),
    Math {
        latex: Template,
        display: bool,
    },
    Emphasis(Vec<Inline>),
    Strong(Vec<Inline>),
    Strike(Vec<Inline>),
    Link {
        target: Template,
        title: String,
        content: Vec<Inline>,
    },
    Image {
        target: Template,
        title: String,
        alt: Vec<Inline>,
    },
    /// A link to a name: `[](@name)`; an empty content asks for "Figure 2" and the like.
    Reference {
        name: String,
        content: Vec<Inline>,
    },
    /// The result of a block within a sentence: `![alt](@name)`.
    Placement {
        name: String,
        caption: Vec<Inline>,
    },
    Footnote(String),
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
            | InlineKind::Link { content, .. }
            | InlineKind::Reference { content, .. }
            | InlineKind::Placement { caption: content, .. }
            | InlineKind::Image { alt: content, .. } => content,
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
        match &mut self.kind {
            InlineKind::Emphasis(content)
            | InlineKind::Strong(content)
            | InlineKind::Strike(content)
            | InlineKind::Link { content, .. }
            | InlineKind::Reference { content, .. }
            | InlineKind::Placement { caption: content, .. }
            | InlineKind::Image { alt: content, .. } => content.iter_mut().for_each(|inline| inline.each_mut(visit)),
            InlineKind::Text(_)
            | InlineKind::Value(_)
            | InlineKind::Code(_)
            | InlineKind::Math { .. }
            | InlineKind::Footnote(_)
            | InlineKind::Html(_)
            | InlineKind::SoftBreak
            | InlineKind::LineBreak => {}
        }
    }

    /// Visits the values in the piece and in those that stand in it, to change them.
    pub(crate) fn each_value_mut(&mut self, visit: &mut dyn FnMut(&mut ValueIndex)) {
        self.each_mut(&mut |inline| match &mut inline.kind {
            InlineKind::Value(value) => visit(value),
            InlineKind::Code(template) | InlineKind::Math { latex: template, .. } => values_mut(template, visit),
            InlineKind::Link { target, .. } | InlineKind::Image { target, .. } => values_mut(target, visit),
            InlineKind::Text(_)
            | InlineKind::Emphasis(_)
            | InlineKind::Strong(_)
            | InlineKind::Strike(_)
            | InlineKind::Reference { .. }
            | InlineKind::Placement { .. }
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
            | InlineKind::Link { .. }
            | InlineKind::Reference { .. }
            | InlineKind::Placement { .. }
            | InlineKind::Image { .. } => push_plain_text(inline.children(), text),
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
