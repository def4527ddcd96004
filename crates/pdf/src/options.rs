//! The options of print, typed.

use serde::Serialize;
use vineloom_document::options::{Settings, points};
use vineloom_export::Contents;
pub use vineloom_export::layout::{Margins, Paper};

/// The options of print.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[allow(missing_docs, reason = "named after the options, which the table of options describes")]
pub struct PdfOptions {
    pub contents: Contents,
    pub contents_depth: u8,
    pub numbered: bool,
    pub standard: String,
    pub paper: Paper,
    pub layout: Layout,
    pub margins: Option<Margins>,
    pub columns: u8,
    /// The colour of the writer's house.
    pub accent: Option<String>,
    /// The colours of code.
    pub code_colours: String,
    pub font: Vec<String>,
    pub code_font: Vec<String>,
    /// In points.
    pub font_size: f64,
    /// The size of code, as a part of the size of text.
    pub code_size: f64,
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
    /// One slide a page.
    Slides,
}

/// The size of code on paper, as a part of the size of text: 80 columns and their numbers stand on a line.
const SIZE_OF_CODE: f64 = 0.66;

impl PdfOptions {
    /// As the settings of a document have them.
    pub fn of(settings: &Settings) -> Self {
        PdfOptions {
            contents: Contents::of(settings),
            contents_depth: Contents::depth(settings),
            numbered: settings.flag("numbered"),
            standard: settings.text("standard").unwrap_or("auto").into(),
            paper: Paper::of(settings),
            layout: match settings.text("layout") {
                Some("report") => Layout::Report,
                Some("handout") => Layout::Handout,
                _ => Layout::Article,
            },
            margins: Margins::of(settings.list("margins")),
            accent: settings.text("accent").map(String::from),
            code_colours: settings.text("code-colours").unwrap_or("theme").into(),
            columns: settings.number("columns").unwrap_or(1) as u8,
            font: settings.list("font").to_vec(),
            code_font: settings.list("code-font").to_vec(),
            font_size: settings.text("font-size").and_then(points).unwrap_or(10.5),
            code_size: SIZE_OF_CODE,
        }
    }
}
