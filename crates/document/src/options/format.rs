//! The table of formats: the word each is asked for by, and how its files are named. Which options a format takes
//! stands in the table of options; what it makes of them, in its exporter.

use crate::name::nearest;
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
    /// Slides in one HTML file.
    Deck,
    /// Slides in print, one a page.
    #[serde(rename = "deck-pdf")]
    DeckPdf,
    /// Slides for an office program.
    Pptx,
    /// Plain text, in lines.
    Text,
    /// A document for a word processor.
    Docx,
    /// A book for e-readers.
    Epub,
    /// A LaTeX source.
    Latex,
    /// A notebook.
    Notebook,
}

impl Format {
    /// All of them.
    pub const ALL: [Format; 11] = [
        Format::Html,
        Format::Pdf,
        Format::Markdown,
        Format::Deck,
        Format::DeckPdf,
        Format::Pptx,
        Format::Text,
        Format::Docx,
        Format::Epub,
        Format::Latex,
        Format::Notebook,
    ];

    /// The word it is asked for by.
    pub fn word(self) -> &'static str {
        match self {
            Format::Html => "html",
            Format::Pdf => "pdf",
            Format::Markdown => "markdown",
            Format::Deck => "deck",
            Format::DeckPdf => "deck-pdf",
            Format::Pptx => "pptx",
            Format::Text => "text",
            Format::Docx => "docx",
            Format::Epub => "epub",
            Format::Latex => "latex",
            Format::Notebook => "notebook",
        }
    }

    /// What the names of its exports end in, after the name of the document.
    pub fn ending(self) -> &'static str {
        match self {
            Format::Html => ".html",
            Format::Pdf => ".pdf",
            Format::Markdown => ".md",
            Format::Deck => "-deck.html",
            Format::DeckPdf => "-deck.pdf",
            Format::Pptx => ".pptx",
            Format::Text => ".txt",
            Format::Docx => ".docx",
            Format::Epub => ".epub",
            Format::Latex => ".tex",
            Format::Notebook => ".ipynb",
        }
    }

    /// What an export is called in a sentence.
    pub fn noun(self) -> &'static str {
        match self {
            Format::Html => "the page",
            Format::Pdf => "the PDF",
            Format::Markdown => "the woven Markdown",
            Format::Deck => "the deck",
            Format::DeckPdf => "the PDF of the deck",
            Format::Pptx => "the office slides",
            Format::Text => "the text",
            Format::Docx => "the office document",
            Format::Epub => "the book",
            Format::Latex => "the LaTeX source",
            Format::Notebook => "the notebook",
        }
    }

    /// The format that somebody meant by another word: one in capitals, the ending of its files, or a word near to it.
    pub fn meant_by(word: &str) -> Option<Self> {
        const OTHERS: [(&str, Format); 12] = [
            ("md", Format::Markdown),
            ("gfm", Format::Markdown),
            ("txt", Format::Text),
            ("plain", Format::Text),
            ("tex", Format::Latex),
            ("ipynb", Format::Notebook),
            ("htm", Format::Html),
            ("page", Format::Html),
            ("web", Format::Html),
            ("slides", Format::Deck),
            ("print", Format::Pdf),
            ("book", Format::Epub),
        ];
        let plain = word.trim().trim_start_matches('.').to_lowercase();
        let other = || OTHERS.iter().find(|(known, _)| *known == plain).map(|(_, format)| *format);
        let near = || nearest(&plain, Format::ALL.iter().map(|format| format.word())).and_then(Format::from_word);
        Format::from_word(&plain).or_else(other).or_else(near)
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
