//! Live blocks as a reader sees them: code, and what it gave.

use crate::block::Block;
use crate::float::Float;
use crate::id::{Id, StrandIndex};
use serde::Serialize;
use std::ops::Range;
use vineloom_document::Span;
use vineloom_document::options::Fold;
use vineloom_picture::Picture;
use vineloom_table::Table;
use vineloom_terminal_text::TextStyle;

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
