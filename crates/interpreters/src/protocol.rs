//! What is said between a strand and its driver: one JSON request a line, one JSON event a line.

use crate::outcome::{FailurePlace, ListItem, ValueKind};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use vineloom_table::Table;

/// How standard output and error come in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Streams {
    /// As one stream, as in a terminal.
    #[default]
    Shared,
    /// As two.
    Separate,
}

/// How the language's own plotting should draw.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct FigureWishes {
    /// `svg` or `png`.
    pub format: String,
    /// Width in millimetres.
    pub width: Option<u32>,
    /// Height in millimetres.
    pub height: Option<u32>,
    /// Dots per inch of a png.
    pub dpi: Option<u32>,
}

/// A variable handed to a block.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Variable {
    /// Its name in the language.
    pub name: String,
    /// Its value.
    pub value: VariableValue,
}

/// What a variable is given.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum VariableValue {
    /// A text, a number, a flag, or a list of those.
    Plain(serde_json::Value),
    /// A table.
    Table(Table),
}

/// What is asked of a driver.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Ask {
    /// To run the code.
    Run,
    /// To tell what the state holds.
    Variables,
    /// To leave a stopped copy of itself, if that is safe.
    Checkpoint,
    /// To give way to a copy; how many of those that are left, the code says.
    Back,
    /// To write its state into the file, in no more bytes than the limit, if another interpreter would be the same with it.
    Save,
    /// To take up the state that stands in the file.
    Load,
}

/// A variable that a strand's state holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Held {
    /// Its name.
    pub name: String,
    /// Its type, as the language calls it.
    pub kind: String,
    /// Its length, or its extent in each dimension; empty where there is none.
    pub shape: String,
    /// The beginning of its value.
    pub value: String,
}

/// A request to run one block. The first fields never hold quotes or backslashes, so that a driver without a
/// JSON reader can cut them out by pattern.
#[derive(Debug, Serialize)]
pub(crate) struct Request<'a> {
    /// The word that the marks of this block carry.
    pub mark: &'a str,
    /// The file that a state is saved in or taken up from.
    pub file: &'a str,
    /// For R, which reads no JSON: how many bytes of code follow the line, to run before the block, the block's own, and to
    /// run after it.
    pub before: usize,
    pub size: usize,
    pub after: usize,
    /// For R: the block's environment, the bytes of each value in hexadecimal digits.
    pub environment: &'a str,
    /// The file that is standard input.
    pub stdin: &'a str,
    /// The pipes to open as standard output and error, for drivers that open them; else nothing.
    pub stdout: Option<&'a str>,
    pub stderr: Option<&'a str>,
    pub streams: Streams,
    pub task: Ask,
    /// Whether a sentence asks for the value, so that nothing is told as a value too.
    pub expression: bool,
    /// Whether each statement is told before it runs.
    pub transcript: bool,
    /// How large a state may be that is saved, in bytes.
    pub limit: u64,
    /// The code itself, for drivers that read JSON.
    pub code: Option<&'a str>,
    /// What to call the code in messages: `@` and a few digits.
    pub label: &'a str,
    /// The folder to run in; nothing: wherever the strand stands.
    pub cwd: Option<&'a str>,
    /// Environment variables for this block alone.
    pub env: &'a BTreeMap<String, String>,
    /// Variables handed in, which stay.
    pub variables: &'a [Variable],
    pub figures: &'a FigureWishes,
}

/// What a driver answers, each behind the block's mark and a space. The n-th event of a block that has a place among the output is marked in standard
/// output, and where the driver wishes in standard error, by `STX mark : n ETX`; the end of the block by `STX mark : end ETX`, in both streams.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Event {
    Notice(String),
    /// The statement that runs next, as it is written.
    Statement(String),
    /// Nothing but a place in both streams.
    Here(serde::de::IgnoredAny),
    Variables(Vec<Held>),
    Value {
        text: String,
        plain: String,
        #[serde(default)]
        kind: ValueKind,
        #[serde(default)]
        items: Vec<ListItem>,
    },
    Table(Table),
    Figure {
        file: String,
    },
    Failure {
        summary: String,
        text: String,
        at: Option<FailurePlace>,
        #[serde(default)]
        help: Option<String>,
    },
    Done {
        exit: i32,
    },
}

/// The bytes that begin a mark in a stream.
pub(crate) fn mark_start(mark: &str) -> Vec<u8> {
    format!("\u{2}{mark}:").into_bytes()
}
