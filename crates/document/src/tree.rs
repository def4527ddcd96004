//! A document as a tree: what was written, before anything is run or resolved.

use crate::front_matter::FrontMatter;
use crate::name::Name;
use crate::options::BlockOptions;
use crate::source::{Source, Span};
use crate::value_use::ValueUse;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A whole document.
#[derive(Debug, Clone)]
pub struct Document {
    /// Its text.
    pub source: Arc<Source>,
    /// What its front matter says.
    pub front: FrontMatter,
    /// The title, read as Markdown.
    pub title: Vec<Inline>,
    /// The subtitle, read as Markdown.
    pub subtitle: Vec<Inline>,
    /// The body.
    pub blocks: Vec<Block>,
    /// The live blocks, in document order; [`Block::Live`] holds an index into it.
    pub live: Vec<LiveBlock>,
    /// The values used in prose and in code; [`Part::Value`] and [`Inline::Value`] hold an index into it.
    pub values: Vec<ValueUse>,
    /// Everything that has a name.
    pub names: BTreeMap<Name, Named>,
}

/// What a name stands for, and where it was given.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Named {
    /// A live block, by index.
    Live(usize, Span),
    /// A section.
    Section(Span),
    /// An equation.
    Equation(Span),
}

impl Named {
    /// Where the name was given.
    pub fn span(self) -> Span {
        match self {
            Named::Live(_, span) | Named::Section(span) | Named::Equation(span) => span,
        }
    }
}

/// Text with values in it.
pub type Template = Vec<Part>;

/// A piece of a [`Template`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// Text as it stands.
    Text(String),
    /// A value, by index into [`Document::values`].
    Value(usize),
}

/// A block of the body.
#[derive(Debug, Clone)]
#[allow(missing_docs, reason = "the fields are named after the parts of each block")]
pub enum Block {
    Heading {
        level: u8,
        id: Option<Name>,
        content: Vec<Inline>,
        span: Span,
    },
    Paragraph {
        content: Vec<Inline>,
        span: Span,
    },
    Quote(Vec<Block>),
    List {
        start: Option<usize>,
        tight: bool,
        items: Vec<Item>,
    },
    Table {
        alignment: Vec<Alignment>,
        header: Vec<Vec<Inline>>,
        rows: Vec<Vec<Vec<Inline>>>,
    },
    Rule,
    Html(String),
    Equation {
        latex: Template,
        id: Option<Name>,
        span: Span,
    },
    /// Code that is shown and never run.
    Listing(Box<Listing>),
    /// A live block, by index into [`Document::live`].
    Live(usize),
    /// The result of a block, placed here with a caption.
    Placement {
        name: String,
        caption: Vec<Inline>,
        span: Span,
    },
    Notice {
        kind: NoticeKind,
        title: Option<String>,
        blocks: Vec<Block>,
    },
    Footnote {
        name: String,
        blocks: Vec<Block>,
    },
}

/// An entry of a list.
#[derive(Debug, Clone)]
pub struct Item {
    /// For a task: whether it is done.
    pub task: Option<bool>,
    /// What it holds.
    pub blocks: Vec<Block>,
}

/// How a table column is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[allow(missing_docs, reason = "named after the four ways")]
pub enum Alignment {
    None,
    Left,
    Center,
    Right,
}

/// The kinds of notice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[allow(missing_docs, reason = "named after the kinds")]
pub enum NoticeKind {
    Note,
    Tip,
    Important,
    Caution,
    Danger,
}

/// Code that is shown and never run.
#[derive(Debug, Clone)]
pub struct Listing {
    /// The language, lower-cased; empty when none is given.
    pub language: String,
    /// The code, with its last newline.
    pub code: String,
    /// How it is shown.
    pub options: BlockOptions,
    /// Its caption, read as Markdown.
    pub caption: Vec<Inline>,
}

/// Code that is run.
#[derive(Debug, Clone)]
pub struct LiveBlock {
    /// Its name, when it has one.
    pub name: Option<Name>,
    /// The language, lower-cased.
    pub language: String,
    /// The code, with its last newline.
    pub code: Template,
    /// The 1-based document line of its first line of code.
    pub code_line: usize,
    /// The opening fence line.
    pub fence: Span,
    /// Its options, all layers applied.
    pub options: BlockOptions,
    /// Its caption, read as Markdown.
    pub caption: Vec<Inline>,
    /// What its figures show, for those who can't see them.
    pub alt: Option<Template>,
}

/// A piece of running text.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs, reason = "the fields are named after the parts of each piece")]
pub enum Inline {
    Text(String),
    /// A value, by index into [`Document::values`].
    Value(usize),
    Code(Template),
    Math {
        latex: Template,
        display: bool,
        span: Span,
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
        span: Span,
    },
    /// A link to a name: `[](@name)`; an empty content asks for "Figure 2" and the like.
    Reference {
        name: String,
        content: Vec<Inline>,
        span: Span,
    },
    /// The result of a block within a sentence: `![alt](@name)`.
    Placement {
        name: String,
        caption: Vec<Inline>,
        span: Span,
    },
    Footnote(String),
    Html(String),
    SoftBreak,
    LineBreak,
}

/// The plain text of running text; values and math as their source.
pub fn plain_text(inlines: &[Inline]) -> String {
    let mut text = String::new();
    push_plain_text(inlines, &mut text);
    text
}

fn push_plain_text(inlines: &[Inline], text: &mut String) {
    for inline in inlines {
        match inline {
            Inline::Text(part) => text.push_str(part),
            Inline::Code(parts) | Inline::Math { latex: parts, .. } => {
                for part in parts {
                    if let Part::Text(part) = part {
                        text.push_str(part);
                    }
                }
            }
            Inline::Emphasis(content)
            | Inline::Strong(content)
            | Inline::Strike(content)
            | Inline::Link { content, .. }
            | Inline::Reference { content, .. }
            | Inline::Image { alt: content, .. }
            | Inline::Placement { caption: content, .. } => push_plain_text(content, text),
            Inline::SoftBreak | Inline::LineBreak => text.push(' '),
            Inline::Value(_) | Inline::Footnote(_) | Inline::Html(_) => {}
        }
    }
}
