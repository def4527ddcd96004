//! Blocks of text: paragraphs, lists, tables, containers, live blocks with what they gave.

use crate::code::{Code, Cut, TextKind};
use crate::float::Float;
use crate::id::{Id, StrandIndex};
use crate::inline::Inline;
use ecow::EcoString;
use serde::Serialize;
use std::ops::Range;
use vineloom_document::options::{Fold, OneSlide};
use vineloom_document::{Alignment, NoticeKind, Span};
use vineloom_picture::Picture;
use vineloom_table::Table;
use vineloom_terminal_text::TextStyle;

/// A block of text; most are paragraphs, so that what is rare and large stands in a box.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "the fields are named after the parts of each block")]
pub enum Block {
    Heading(Box<Heading>),
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
        alignment: Box<[Alignment]>,
        header: Box<[Vec<Inline>]>,
        rows: Box<[Vec<Vec<Inline>>]>,
        span: Span,
    },
    /// Terms with what each means.
    Terms(Vec<Term>),
    Rule,
    /// HTML as the writer wrote it.
    Html {
        html: String,
        span: Span,
    },
    Equation {
        id: Option<Id>,
        number: Option<usize>,
        latex: EcoString,
        span: Span,
    },
    Notice {
        kind: NoticeKind,
        title: Vec<Inline>,
        blocks: Vec<Block>,
    },
    Tabs(Vec<Tab>),
    Columns {
        /// How wide each is beside the others; nothing where all are as wide.
        widths: Vec<u32>,
        columns: Vec<Vec<Block>>,
    },
    /// Folded away at first, where a format can fold.
    Fold {
        label: Vec<Inline>,
        blocks: Vec<Block>,
    },
    /// Its parts come one by one where a format shows things in time.
    Steps(Vec<Block>),
    /// For the one who speaks, and not for who listens.
    Speaker(Vec<Block>),
    /// A place that links lead to: what stands behind it has none of its own.
    Place(Id),
    /// Several things with one number.
    Group {
        id: Option<Id>,
        float: Option<Box<Float>>,
        blocks: Vec<Block>,
    },
    /// A data file.
    Data {
        table: Box<Table>,
        float: Option<Box<Float>>,
        span: Span,
    },
    /// The list of works cited.
    Works(Vec<Work>),
    /// Code that never ran.
    Listing {
        id: Option<Id>,
        code: Box<Code>,
        float: Option<Box<Float>>,
        span: Span,
    },
    /// A live block: its code, what it gave, or both.
    Run(Box<Run>),
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
    /// What is set for the slide that it begins.
    pub slide: Box<OneSlide>,
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

/// A term and what it means.
#[derive(Debug, Clone, Serialize)]
pub struct Term {
    /// The term.
    pub term: Vec<Inline>,
    /// What it means.
    pub blocks: Vec<Block>,
}

/// A live block as the reader sees it.
#[derive(Debug, Clone, Serialize)]
pub struct Run {
    /// Where links to it lead.
    pub id: Id,
    /// The strand it ran on.
    pub strand: StrandIndex,
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
    pub float: Option<Box<Float>>,
    /// Where it is written; of a placed result, where it is placed.
    pub span: Span,
}

/// One thing a block gave, as it is shown.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "the fields are named after the parts of each")]
pub enum Shown {
    Text {
        kind: TextKind,
        text: String,
        /// The parts that have a style, as ranges of bytes, in order.
        styles: Vec<(Range<usize>, TextStyle)>,
    },
    /// A statement of a transcript or a terminal session, or data set out.
    Code(Code),
    /// HTML that a block printed, for formats that have it.
    Html {
        html: String,
        /// What a drawing in it shows.
        alt: Option<String>,
    },
    /// Something is not shown here: lines that were left out, a table in which there is nothing.
    LeftOut {
        /// What stands in its place.
        words: String,
    },
    /// A table; it has a column.
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
