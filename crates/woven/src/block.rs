//! Blocks of text: paragraphs, lists, tables, containers, and what live blocks gave.

use crate::float::Float;
use crate::id::Id;
use crate::inline::Inline;
use crate::run::{Code, Run};
use serde::Serialize;
use vineloom_document::options::Format;
use vineloom_document::{Alignment, NoticeKind, Span};
use vineloom_table::Table;

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
        id: Option<Id>,
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
        id: Option<Id>,
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
        id: Option<Id>,
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
    /// Citations lead here.
    pub id: Id,
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
    /// Where links to it lead; printed Markdown has headings without.
    pub id: Option<Id>,
    /// Such as `2.1`, shown when the export is numbered; empty for a heading that has none.
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
