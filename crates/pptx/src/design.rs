//! What slides stand on: their size, the master and its layouts with the placeholders in them, the masters of notes. It is
//! [ours](crate::frame), or that of [a house](crate::house).

use crate::arrange::Place;

/// The layouts that a deck needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Layout {
    Title,
    Section,
    Content,
    TitleOnly,
    Blank,
}

impl Layout {
    pub const ALL: [Layout; 5] = [Layout::Title, Layout::Section, Layout::Content, Layout::TitleOnly, Layout::Blank];

    pub fn index(self) -> usize {
        Layout::ALL.iter().position(|layout| *layout == self).unwrap_or(0)
    }

    /// The word that a layout has for what it is (`ST_SlideLayoutType`).
    pub fn word(self) -> &'static str {
        match self {
            Layout::Title => "title",
            Layout::Section => "secHead",
            Layout::Content => "obj",
            Layout::TitleOnly => "titleOnly",
            Layout::Blank => "blank",
        }
    }
}

/// The placeholders of a layout: the attributes of each, by which a slide says which one it fills.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Placeholders {
    pub title: Option<String>,
    /// Text, or the subtitle of the first slide.
    pub body: Option<String>,
    pub foot: Option<String>,
    pub number: Option<String>,
}

/// A layout among the parts.
#[derive(Debug, Clone)]
pub(crate) struct Frame {
    /// The name of its part.
    pub part: String,
    pub placeholders: Placeholders,
    /// Where what is no title stands.
    pub room: Place,
}

/// A part of a design, with its content type where its ending does not tell it.
#[derive(Debug, Clone)]
pub(crate) struct Part {
    pub name: String,
    pub kind: Option<String>,
    pub bytes: Vec<u8>,
}

/// What slides stand on.
#[derive(Debug, Clone)]
pub(crate) struct Design {
    /// Width and height of a slide, in pixels of 96 to the inch.
    pub size: (f64, f64),
    /// The size of text where nothing scales it, in pixels.
    pub unit: f64,
    /// The size that the text of the master has, in pixels.
    pub text: f64,
    /// Whether slides are dark: figures lie on a card then.
    pub dark: bool,
    /// All parts, relations with them.
    pub parts: Vec<Part>,
    /// Content types by ending, where they are others than the usual.
    pub endings: Vec<(String, String)>,
    /// The masters: their identifiers, and their parts.
    pub masters: Vec<(String, String)>,
    /// The master of notes.
    pub notes_master: String,
    /// What else the presentation itself leads to: kinds and parts.
    pub others: Vec<(String, String)>,
    /// The style of tables, by its identifier.
    pub table_style: String,
    /// In the order of [`Layout::ALL`].
    pub frames: Vec<Frame>,
}

impl Design {
    pub fn frame(&self, layout: Layout) -> &Frame {
        &self.frames[layout.index().min(self.frames.len() - 1)]
    }
}
