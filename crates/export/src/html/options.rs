//! The options of a page.

use super::house::House;
use crate::Contents;
use serde::Serialize;
use vineloom_document::options::Settings;

/// The options of a page.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[allow(missing_docs, reason = "named after the options, which the table of options describes")]
pub struct HtmlOptions {
    pub contents: Contents,
    pub contents_depth: u8,
    pub numbered: bool,
    pub theme: String,
    pub code_colours: String,
    pub house: House,
    pub attach: Attach,
    pub strict: bool,
    pub single_file: bool,
}

/// What a page offers for download.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Attach {
    /// Nothing.
    Nothing,
    /// The document.
    Source,
    /// The document with the files that it read.
    Data,
}

impl HtmlOptions {
    /// As the settings of a document have them.
    pub fn of(settings: &Settings) -> Self {
        let attach = settings.list("attach");
        let attaches = |word: &str| attach.iter().any(|asked| asked == word);
        HtmlOptions {
            contents: Contents::of(settings),
            contents_depth: Contents::depth(settings),
            numbered: settings.flag("numbered"),
            theme: settings.text("theme").unwrap_or("linen").into(),
            code_colours: settings.text("code-colours").unwrap_or("theme").into(),
            house: House::of(settings),
            attach: match (attaches("data"), attaches("source")) {
                (true, _) => Attach::Data,
                (false, true) => Attach::Source,
                (false, false) => Attach::Nothing,
            },
            strict: settings.flag("strict"),
            single_file: settings.flag("single-file"),
        }
    }
}
