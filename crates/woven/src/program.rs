//! The code of a document as it ran, and its text around the code, for formats that are run again.

use serde::Serialize;

/// A live block as it ran.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ProgramBlock {
    /// Where in the document it begins; the same as that of its [`crate::Run`].
    pub start: usize,
    /// Its language.
    pub language: String,
    /// What stands behind the language in its fence, such as `@count show=code`.
    pub header: String,
    /// Its code, values put in, without the last newline.
    pub code: String,
    /// What was handed in: names, and values as JSON; nothing for a value that JSON has no form for.
    pub variables: Vec<(String, Option<String>)>,
    /// Whether it ran on the strand that all blocks of its language share.
    pub on_shared_strand: bool,
}

/// A piece of the author's own text with the results in it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub enum TextPiece {
    /// Text between live blocks. Those that stand in a quote, a list or a container are in it.
    Prose {
        /// Where in the document it begins.
        start: usize,
        /// Where it ends.
        end: usize,
        /// The text.
        text: String,
    },
    /// A live block.
    Live {
        /// Where in the document it begins.
        start: usize,
        /// What stands in its place; empty where nothing is shown.
        text: String,
        /// Whether something in the document leads there.
        led_to: bool,
    },
}
