//! The options of an export, typed.

use super::Settings;
use super::value::points;
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

    /// The file extension of its exports.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Markdown => "md",
            other => other.word(),
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

/// Where the contents stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Contents {
    /// Beside the text.
    Side,
    /// Above the text.
    Top,
    /// Nowhere.
    None,
}

/// The paper of a PDF.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Paper {
    /// 210 by 297 mm.
    A4,
    /// 148 by 210 mm.
    A5,
    /// 8.5 by 11 in.
    Letter,
}

/// How a PDF is laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Layout {
    /// The text begins under the title.
    Article,
    /// A title page; each chapter begins a page.
    Report,
    /// Room for notes beside the text.
    Handout,
}

/// The margins of a page, in points.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[allow(missing_docs, reason = "named after the sides")]
pub struct Margins {
    pub top: f64,
    pub right: f64,
    pub bottom: f64,
    pub left: f64,
}

impl Margins {
    /// From one length for all sides, two for top and bottom and for the sides, or three or four from the top on.
    fn of(lengths: &[String]) -> Option<Self> {
        let lengths: Vec<f64> = lengths.iter().map(|text| points(text)).collect::<Option<_>>()?;
        let top = *lengths.first()?;
        let right = *lengths.get(1).unwrap_or(&top);
        let bottom = *lengths.get(2).unwrap_or(&top);
        Some(Margins { top, right, bottom, left: *lengths.get(3).unwrap_or(&right) })
    }
}

/// All options of one export.
#[derive(Debug, Clone, Serialize)]
#[allow(missing_docs, reason = "each field is the option of that name in the table")]
pub struct ExportOptions {
    pub contents: Contents,
    pub contents_depth: u8,
    pub numbered: bool,
    pub theme: String,
    pub code_colours: String,
    pub style: Option<String>,
    pub reading_view: bool,
    pub attach_source: bool,
    pub attach_data: bool,
    pub strict: bool,
    pub single_file: bool,
    pub standard: String,
    pub paper: Paper,
    pub layout: Layout,
    pub margins: Option<Margins>,
    pub columns: u8,
    pub font: Vec<String>,
    pub code_font: Vec<String>,
    /// In points.
    pub font_size: f64,
}

impl ExportOptions {
    /// The typed form of settings that start from [`Settings::built_in`].
    pub fn from_settings(settings: &Settings) -> Self {
        ExportOptions {
            contents: match settings.text("contents") {
                Some("top") => Contents::Top,
                Some("none") => Contents::None,
                _ => Contents::Side,
            },
            contents_depth: settings.number("contents-depth").unwrap_or(3).clamp(0, 6) as u8,
            numbered: settings.flag("numbered"),
            theme: settings.text("theme").unwrap_or("linen").into(),
            code_colours: settings.text("code-colours").unwrap_or("theme").into(),
            style: settings.text("style").map(String::from),
            reading_view: settings.flag("reading-view"),
            attach_source: settings.list("attach").iter().any(|word| word == "source"),
            attach_data: settings.list("attach").iter().any(|word| word == "data"),
            strict: settings.flag("strict"),
            single_file: settings.flag("single-file"),
            standard: settings.text("standard").unwrap_or("auto").into(),
            paper: match settings.text("paper") {
                Some("a5") => Paper::A5,
                Some("letter") => Paper::Letter,
                _ => Paper::A4,
            },
            layout: match settings.text("layout") {
                Some("report") => Layout::Report,
                Some("handout") => Layout::Handout,
                _ => Layout::Article,
            },
            margins: Margins::of(settings.list("margins")),
            columns: settings.number("columns").unwrap_or(1) as u8,
            font: settings.list("font").to_vec(),
            code_font: settings.list("code-font").to_vec(),
            font_size: settings.text("font-size").and_then(points).unwrap_or(10.5),
        }
    }
}
