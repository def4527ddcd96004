//! What a block gave.

use serde::{Deserialize, Serialize};
use vineloom_picture::Picture;
use vineloom_table::Table;
use vineloom_terminal_text::without_colours;

/// Everything a block gave, in order.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Outcome {
    /// The pieces, in the order they came.
    pub pieces: Vec<Piece>,
    /// The exit code; 128 and the signal's number when a signal ended it.
    pub exit: i32,
    /// Whether the interpreter ended with the block, and its state with it.
    pub interpreter_ended: bool,
    /// How long it ran, in milliseconds.
    pub milliseconds: u64,
}

/// One thing a block gave.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Piece {
    /// Printed text. It may hold terminal colour codes and no other control characters but tab and newline.
    Text(String),
    /// Error output, messages and warnings.
    Notice(String),
    /// A statement, before what it gave: in a transcript, and each command of a terminal session.
    Statement(String),
    /// The last expression's value.
    Value {
        /// As the language shows it.
        text: String,
        /// As it is handed on, to code and to sentences: a text without its quotes, a number with all its digits.
        plain: String,
        /// What kind of value it is.
        #[serde(default)]
        kind: ValueKind,
        /// What it holds, when it is a flat list.
        #[serde(default)]
        items: Vec<ListItem>,
    },
    /// A table.
    Table(Table),
    /// A picture.
    Figure(Picture),
    /// What went wrong, when the interpreter could say.
    Failure {
        /// One line.
        summary: String,
        /// All of it.
        text: String,
        /// Where, when it is known.
        at: Option<FailurePlace>,
        /// What to do about it, when that is known.
        help: Option<String>,
    },
}

/// What kind of value a value is, so that a sentence can say it as a person would.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ValueKind {
    /// Said as it is.
    #[default]
    Text,
    /// A number, in digits with a point.
    Number,
    /// True.
    Yes,
    /// False.
    No,
    /// A value that is not there: `None`, `NULL`, `NA`.
    Missing,
}

/// One of what a flat list holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ListItem {
    /// As it is handed on.
    pub plain: String,
    /// What kind of value it is.
    pub kind: ValueKind,
}

/// The line of a block at which it failed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FailurePlace {
    /// The block's label, such as `@decode`.
    pub block: String,
    /// The 1-based line in the block's code.
    pub line: usize,
}

impl Outcome {
    /// What it is, in words, when it is nothing but tables and figures.
    pub fn only_laid_out(&self) -> Option<&'static str> {
        let (mut tables, mut figures) = (false, false);
        for piece in &self.pieces {
            match piece {
                Piece::Table(_) => tables = true,
                Piece::Figure(_) => figures = true,
                Piece::Text(text) if text.trim().is_empty() => {}
                Piece::Notice(_) | Piece::Statement(_) => {}
                Piece::Text(_) | Piece::Value { .. } | Piece::Failure { .. } => return None,
            }
        }
        match (tables, figures) {
            (true, true) => Some("a table and a figure"),
            (true, false) => Some("a table"),
            (false, true) => Some("a figure"),
            (false, false) => None,
        }
    }

    /// The text the block printed and the values it gave, each on a line of its own: what `@[name]` stands for in code.
    /// White space around it is trimmed; colours are left out.
    pub fn cited_text(&self) -> String {
        let mut text = String::new();
        for piece in &self.pieces {
            match piece {
                Piece::Text(part) => text.push_str(part),
                Piece::Value { plain, .. } => {
                    if !text.is_empty() && !text.ends_with('\n') {
                        text.push('\n');
                    }
                    text.push_str(plain);
                    text.push('\n');
                }
                _ => {}
            }
        }
        without_colours(&text).trim().to_string()
    }

    /// What the block gave as a value alone: its kind, its text and what it holds. Nothing where it printed something
    /// too, or gave several.
    pub fn lone_value(&self) -> Option<(ValueKind, &str, &[ListItem])> {
        let mut lone = None;
        for piece in &self.pieces {
            match piece {
                Piece::Value { plain, kind, items, .. } if lone.is_none() => {
                    lone = Some((*kind, plain.as_str(), items.as_slice()));
                }
                Piece::Value { .. } => return None,
                Piece::Text(text) if !text.trim().is_empty() => return None,
                _ => {}
            }
        }
        lone
    }
}
