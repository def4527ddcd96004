//! The table of formats: the word each is asked for by, and how its files are named. Which options a format takes
//! stands in the table of options; what it makes of them, in its exporter.

use serde::Serialize;
use std::fmt;

/// A format a document can be exported to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Format {
    /// One self-contained page.
    Html,
    /// Print.
    Pdf,
    /// The author's own text with the results in it.
    Markdown,
}

impl Format {
    /// All of them.
    pub const ALL: [Format; 3] = [Format::Html, Format::Pdf, Format::Markdown];

    /// The word it is asked for by.
    pub fn word(self) -> &'static str {
        match self {
            Format::Html => "html",
            Format::Pdf => "pdf",
            Format::Markdown => "markdown",
        }
    }

    /// What the names of its exports end in, after the name of the document.
    pub fn ending(self) -> &'static str {
        match self {
            Format::Html => ".html",
            Format::Pdf => ".pdf",
            Format::Markdown => ".md",
        }
    }

    /// What an export is called in a sentence.
    pub fn noun(self) -> &'static str {
        match self {
            Format::Html => "the page",
            Format::Pdf => "the PDF",
            Format::Markdown => "the woven Markdown",
        }
    }

    /// The format of that word.
    pub fn from_word(word: &str) -> Option<Self> {
        Format::ALL.into_iter().find(|format| format.word() == word)
    }
}

impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}
