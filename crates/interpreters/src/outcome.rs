//! What a block gave.

use crate::table::Table;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

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
        /// As it reads in a sentence: a text without its quotes.
        plain: String,
    },
    /// A table.
    Table(Table),
    /// A picture.
    Figure(Figure),
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

/// The line of a block at which it failed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FailurePlace {
    /// The block's label, such as `@decode`.
    pub block: String,
    /// The 1-based line in the block's code.
    pub line: usize,
}

/// A picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Figure {
    /// Its kind.
    pub media: Media,
    /// Its bytes. Not serialised: they are stored beside the record, under [`Figure::hash`].
    #[serde(skip)]
    pub bytes: Arc<Vec<u8>>,
    /// BLAKE3 of the bytes, in hexadecimal digits.
    pub hash: String,
}

impl Figure {
    /// A figure of these bytes; nothing when they are no picture of a known kind.
    pub fn new(bytes: Vec<u8>) -> Option<Self> {
        let media = Media::of(&bytes)?;
        let hash = blake3::hash(&bytes).to_hex().to_string();
        Some(Figure { media, bytes: Arc::new(bytes), hash })
    }
}

/// The kinds of picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs, reason = "named after the formats")]
pub enum Media {
    Svg,
    Png,
    Jpeg,
    Gif,
    Webp,
}

impl Media {
    /// The kind of some bytes, by how they begin.
    pub fn of(bytes: &[u8]) -> Option<Self> {
        match bytes {
            [0x89, b'P', b'N', b'G', ..] => Some(Media::Png),
            [0xFF, 0xD8, 0xFF, ..] => Some(Media::Jpeg),
            [b'G', b'I', b'F', b'8', ..] => Some(Media::Gif),
            [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some(Media::Webp),
            _ => {
                let start = &bytes[..bytes.len().min(4096)];
                start.windows(4).any(|window| window == b"<svg").then_some(Media::Svg)
            }
        }
    }

    /// The file extension.
    pub fn extension(self) -> &'static str {
        match self {
            Media::Svg => "svg",
            Media::Png => "png",
            Media::Jpeg => "jpg",
            Media::Gif => "gif",
            Media::Webp => "webp",
        }
    }

    /// The media type, as in a data URL.
    pub fn media_type(self) -> &'static str {
        match self {
            Media::Svg => "image/svg+xml",
            Media::Png => "image/png",
            Media::Jpeg => "image/jpeg",
            Media::Gif => "image/gif",
            Media::Webp => "image/webp",
        }
    }
}

impl Outcome {
    /// The text the block printed and the value it ended with: what `@[name]` stands for. White space around
    /// it is trimmed; colours are left out.
    pub fn cited_text(&self) -> String {
        let mut text = String::new();
        for piece in &self.pieces {
            match piece {
                Piece::Text(part) => text.push_str(part),
                Piece::Value { plain, .. } => text.push_str(plain),
                _ => {}
            }
        }
        crate::terminal_text::without_colours(&text).trim().to_string()
    }
}
