//! Code, printed text and tables as they are shown: what stands beside the code, where a text comes from, what is left
//! out.

use serde::Serialize;

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

/// What stands in the place of so many lines that are left out.
pub fn lines_left_out(lines: usize) -> String {
    let word = if lines == 1 { "line is" } else { "lines are" };
    format!("{lines} more {word} left out here")
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
