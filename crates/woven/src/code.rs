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
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Cut {
    /// How many rows stand before the cut.
    pub after: usize,
    /// How many are left out.
    pub rows: usize,
    /// What stands in their place.
    pub words: String,
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
