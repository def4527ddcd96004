//! The woven document: a format-neutral tree, numbered and resolved, with no `@` left.
//!
//! Exporters take nothing but this. It knows neither how it was made nor how it is shown. It serialises (pictures by
//! their hash), so that equal trees can be told. Every heading, paragraph and piece of running text knows where in the
//! document it is written, so that a format can say where its limits are met.
//!
//! What walks the whole tree starts from the walkers of [`walk`], which do not compile when a variant is added and
//! forgotten: [`each_block`] and [`each_text`] visit, [`Rewrite`] makes another tree.

#![forbid(unsafe_code)]

mod block;
mod code;
mod float;
pub mod html_tokens;
mod id;
mod inline;
mod markdown;
mod memory;
mod program;
mod vocabulary;
pub mod walk;

pub use block::{Block, Heading, Item, Run, Shown, Tab, Term, Work};
pub use code::{Code, Cut, TextKind};
pub use float::{Float, FloatKind};
pub use id::{Id, NoteNumber, StrandIndex};
pub use inline::{
    Citation, Image, Inline, InlineKind, InlineStyle, Link, Reference, RemoteImage, SectionReference, plain_text,
};
pub use markdown::escaped;
pub use memory::{Memory, NoMemory};
pub use program::{ProgramBlock, TextPiece};
pub use vineloom_document::options::{Fold, Format, OneSlide};
pub use vineloom_document::{Alignment, NoticeKind, Span};
pub use vineloom_language::{Word, runs_from_the_right};
pub use vineloom_picture::{Media, Picture};
pub use vineloom_table::{Column, ColumnKind, Table};
pub use vineloom_terminal_text::{Colour, TextStyle};
pub use vocabulary::Vocabulary;
pub use walk::{Rewrite, each_block, each_inline, each_text};

use serde::Serialize;

/// A woven document.
#[derive(Debug, Clone, Default, Serialize)]
pub struct Woven {
    /// What stands above the text.
    pub head: Head,
    /// The text.
    pub blocks: Vec<Block>,
    /// The footnotes, in the order of their numbers.
    pub notes: Vec<Vec<Block>>,
    /// What the strands are called that blocks ran on, in order of first use; [`Run::strand`] is an index into it.
    pub strands: Vec<String>,
}

impl Woven {
    /// The blocks of a footnote.
    pub fn note(&self, number: NoteNumber) -> &[Block] {
        self.notes.get(number.index()).map_or(&[], Vec::as_slice)
    }

    /// What a strand is called.
    pub fn strand(&self, strand: StrandIndex) -> &str {
        self.strands.get(strand.0).map_or("", String::as_str)
    }
}

/// The author's own text with results in it, as Markdown.
#[derive(Debug, Clone, Default)]
pub struct WovenText {
    /// The text.
    pub text: String,
    /// How many bytes of it are the author's front matter.
    pub front: usize,
    /// The pictures it names, by file name in its folder of parts.
    pub pictures: Vec<(String, Picture)>,
}

/// Title and the like.
#[derive(Debug, Clone, Default, Serialize)]
#[allow(missing_docs, reason = "named after the keys of the front matter")]
pub struct Head {
    pub title: Vec<Inline>,
    pub subtitle: Vec<Inline>,
    pub authors: Vec<Author>,
    pub date: Option<String>,
    /// The day that the date is, as ISO 8601 has it, where it is one.
    pub day: Option<String>,
    /// A language tag such as `en`.
    pub language: String,
    pub licence: Option<String>,
    /// Definitions of the writer's own for formulas, as LaTeX.
    pub macros: String,
    pub words: Vocabulary,
}

/// Somebody who wrote the document.
#[derive(Debug, Clone, Serialize)]
pub struct Author {
    /// Their name.
    pub name: String,
    /// Where they work.
    pub affiliation: Option<String>,
}

impl Author {
    /// The name, with the place in brackets behind it where it is known.
    pub fn with_place(&self) -> String {
        match &self.affiliation {
            Some(place) => format!("{} ({place})", self.name),
            None => self.name.clone(),
        }
    }
}
