//! The woven document: a format-neutral tree, numbered and resolved, with no `@` left.
//!
//! Exporters take nothing but this. It serialises (pictures by their hash), so that equal trees can be told. What
//! holds text knows where in the document it is written, so that a format can say where its limits are met.

use serde::Serialize;
use std::sync::Arc;
pub use vineloom_document::options::{Fold, Format};
pub use vineloom_document::{Alignment, NoticeKind, Span};
pub use vineloom_interpreters::{Column, ColumnKind, Media, Table, TextStyle};
use vineloom_store::Digest;

/// A woven document.
#[derive(Debug, Clone, Serialize)]
pub struct Woven {
    /// What stands above the text.
    pub head: Head,
    /// The text.
    pub blocks: Vec<Block>,
    /// The footnotes, in the order of their numbers.
    pub notes: Vec<Vec<Block>>,
    /// The strands that blocks ran on, in order of first use; [`Run::strand`] is an index into it.
    pub strands: Vec<String>,
}

/// Visits blocks and those that stand in them, in the order of the text; footnotes stand apart in [`Woven::notes`].
pub fn each_block<'a>(blocks: &'a [Block], visit: &mut dyn FnMut(&'a Block)) {
    for block in blocks {
        visit(block);
        match block {
            Block::Quote(blocks)
            | Block::Notice { blocks, .. }
            | Block::Fold { blocks, .. }
            | Block::Only { blocks, .. }
            | Block::Group { blocks, .. } => each_block(blocks, visit),
            Block::List { items, .. } => items.iter().for_each(|item| each_block(&item.blocks, visit)),
            Block::Tabs(tabs) => tabs.iter().for_each(|tab| each_block(&tab.blocks, visit)),
            Block::Columns(columns) => columns.iter().for_each(|column| each_block(column, visit)),
            Block::Run(run) => {
                for shown in &run.results {
                    if let Shown::Blocks(blocks) = shown {
                        each_block(blocks, visit);
                    }
                }
            }
            Block::Heading(_)
            | Block::Paragraph { .. }
            | Block::Table { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Data { .. }
            | Block::Works(_)
            | Block::Listing { .. } => {}
        }
    }
}

/// Title and the like.
#[derive(Debug, Clone, Default, Serialize)]
#[allow(missing_docs, reason = "named after the keys of the front matter")]
pub struct Head {
    pub title: Vec<Inline>,
    pub subtitle: Vec<Inline>,
    pub authors: Vec<Author>,
    pub date: Option<String>,
    /// A language tag such as `en`.
    pub language: String,
    pub licence: Option<String>,
    /// Definitions of the writer's own for formulas, as LaTeX.
    pub macros: String,
}

/// Somebody who wrote the document.
#[derive(Debug, Clone, Serialize)]
pub struct Author {
    /// Their name.
    pub name: String,
    /// Where they work.
    pub affiliation: Option<String>,
}

/// A block of text.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "the fields are named after the parts of each block")]
pub enum Block {
    Heading(Heading),
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
    /// A table written in the prose.
    Table {
        alignment: Vec<Alignment>,
        header: Vec<Vec<Inline>>,
        rows: Vec<Vec<Vec<Inline>>>,
        span: Span,
    },
    Rule,
    /// HTML as the writer wrote it.
    Html {
        html: String,
        span: Span,
    },
    Equation {
        id: Option<String>,
        number: Option<usize>,
        latex: String,
        span: Span,
    },
    Notice {
        kind: NoticeKind,
        title: Vec<Inline>,
        blocks: Vec<Block>,
    },
    Tabs(Vec<Tab>),
    Columns(Vec<Vec<Block>>),
    /// Folded away at first, where a format can fold.
    Fold {
        label: Vec<Inline>,
        blocks: Vec<Block>,
    },
    /// For these formats alone.
    Only {
        formats: Vec<Format>,
        blocks: Vec<Block>,
    },
    /// Several things with one number.
    Group {
        id: String,
        float: Option<Float>,
        blocks: Vec<Block>,
    },
    /// A data file.
    Data {
        table: Table,
        float: Option<Float>,
        span: Span,
    },
    /// The list of works cited.
    Works(Vec<Work>),
    /// Code that never ran.
    Listing {
        id: Option<String>,
        code: Code,
        float: Option<Float>,
        span: Span,
    },
    /// A live block: its code, what it gave, or both.
    Run(Run),
}

/// One of several tabs.
#[derive(Debug, Clone, Serialize)]
pub struct Tab {
    /// The words on it.
    pub title: Vec<Inline>,
    /// What it holds.
    pub blocks: Vec<Block>,
}

/// A work in the list of works cited.
#[derive(Debug, Clone, Serialize)]
pub struct Work {
    /// Unique in the document; citations lead here.
    pub id: String,
    /// What stands before it, such as `[1]`.
    pub label: Vec<Inline>,
    /// Its words.
    pub content: Vec<Inline>,
}

/// A heading.
#[derive(Debug, Clone, Serialize)]
pub struct Heading {
    /// 1 to 6.
    pub level: u8,
    /// Unique in the document.
    pub id: String,
    /// Such as `2.1`; shown when the export is numbered.
    pub number: String,
    /// Its words.
    pub content: Vec<Inline>,
    /// Where it is written.
    pub span: Span,
}

/// An entry of a list.
#[derive(Debug, Clone, Serialize)]
pub struct Item {
    /// For a task: whether it is done.
    pub task: Option<bool>,
    /// What it holds.
    pub blocks: Vec<Block>,
}

/// What a numbered thing is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "named after the kinds")]
pub enum FloatKind {
    Figure,
    Table,
    Listing,
}

impl FloatKind {
    /// The word before the number.
    pub fn word(self) -> &'static str {
        match self {
            FloatKind::Figure => "Figure",
            FloatKind::Table => "Table",
            FloatKind::Listing => "Listing",
        }
    }
}

/// A caption and its number.
#[derive(Debug, Clone, Serialize)]
pub struct Float {
    /// What it is.
    pub kind: FloatKind,
    /// Counted for each kind from 1.
    pub number: usize,
    /// The words.
    pub caption: Vec<Inline>,
}

/// A live block as the reader sees it.
#[derive(Debug, Clone, Serialize)]
pub struct Run {
    /// Unique in the document.
    pub id: String,
    /// Index into [`Woven::strands`].
    pub strand: usize,
    /// The code, when it is shown here.
    pub code: Option<Code>,
    /// Whether the code stands in a fold.
    pub fold: Fold,
    /// The words on the fold.
    pub fold_label: String,
    /// Code and output in one frame.
    pub join: bool,
    /// Whether the code stands statement by statement among the results.
    pub transcript: bool,
    /// What it gave, as far as it is shown here.
    pub results: Vec<Shown>,
    /// Its caption, when it has one.
    pub float: Option<Float>,
    /// Where it is written; of a placed result, where it is placed.
    pub span: Span,
}

/// Code with what stands beside it.
#[derive(Debug, Clone, Serialize)]
pub struct Code {
    /// The language; empty when unknown.
    pub language: String,
    /// The text, without its last newline.
    pub text: String,
    /// The number of the first line, when lines are numbered.
    pub first_line: Option<u32>,
    /// Lines to stress, from 1, both ends included.
    pub mark: Vec<(u32, u32)>,
}

/// One thing a block gave, as it is shown.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "the fields are named after the parts of each")]
pub enum Shown {
    Text {
        kind: TextKind,
        text: String,
        /// The parts that have a style, as ranges of bytes, in order.
        styles: Vec<(std::ops::Range<usize>, TextStyle)>,
    },
    /// A statement of a transcript or a terminal session, or data set out.
    Code(Code),
    /// HTML that a block printed, for formats that have it.
    Html {
        html: String,
        /// What a drawing in it shows.
        alt: Option<String>,
    },
    /// So many lines are left out here.
    LeftOut {
        lines: usize,
    },
    Table {
        table: Table,
        cut: Option<Cut>,
    },
    Figure {
        picture: Picture,
        alt: Option<String>,
    },
    Blocks(Vec<Block>),
}

/// Rows of a table that are left out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Cut {
    /// How many rows stand before the cut.
    pub after: usize,
    /// How many are left out.
    pub rows: usize,
}

impl Cut {
    /// What stands in their place.
    pub fn words(self) -> String {
        if self.rows == 1 { "1 row left out".into() } else { format!("{} rows left out", self.rows) }
    }
}

/// Where a text comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub enum TextKind {
    /// Printed.
    Output,
    /// The last expression's value.
    Value,
    /// Error output, a message, a warning.
    Notice,
    /// An expected failure.
    Failure,
}

/// A picture.
#[derive(Debug, Clone, Serialize)]
pub struct Picture {
    /// Its kind.
    pub media: Media,
    /// BLAKE3 of the bytes.
    pub hash: String,
    /// The bytes.
    #[serde(skip)]
    pub bytes: Arc<Vec<u8>>,
}

impl Picture {
    /// A picture of that kind.
    pub fn new(media: Media, bytes: Vec<u8>) -> Self {
        Picture { media, hash: Digest::of(&bytes).to_string(), bytes: Arc::new(bytes) }
    }
}

/// A piece of running text.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "the fields are named after the parts of each piece")]
pub enum Inline {
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
        id: String,
        content: Vec<Inline>,
    },
    /// A link to a section: its number where sections are numbered, else its title.
    SectionReference {
        id: String,
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
    Note(usize),
    Html(String),
    SoftBreak,
    LineBreak,
}

/// The looks of [`Inline::Styled`].
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
        match inline {
            Inline::Text(part) | Inline::Code(part) | Inline::Math { latex: part, .. } => text.push_str(part),
            Inline::Emphasis(content)
            | Inline::Strong(content)
            | Inline::Strike(content)
            | Inline::Styled { content, .. }
            | Inline::Link { content, .. }
            | Inline::Reference { content, .. }
            | Inline::SectionReference { title: content, .. }
            | Inline::RemoteImage { alt: content, .. } => push_plain(content, text),
            Inline::Image { alt, .. } => text.push_str(alt),
            Inline::SoftBreak | Inline::LineBreak => text.push(' '),
            Inline::Html(html) if html.starts_with("<br") => text.push(' '),
            Inline::Note(_) | Inline::Html(_) => {}
        }
    }
}
