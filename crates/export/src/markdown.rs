//! Woven Markdown: the author's own text with the results in it. What it shows is decided where that text is made; here
//! it is signed, and its pictures are laid beside it.

use crate::{Export, Exporter, Job, Want};
use serde::Serialize;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::{Picture, Woven, WovenText};

/// The last line of woven Markdown.
pub const LAST_LINE: &str = "<!-- Woven by Vine Loom: what is changed here is lost at the next weave. -->";

/// Woven Markdown.
#[derive(Debug, Clone, Copy)]
pub struct Markdown;

/// Woven Markdown takes no options.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct MarkdownOptions;

impl Exporter for Markdown {
    type Options = MarkdownOptions;

    fn format(&self) -> Format {
        Format::Markdown
    }

    fn options(&self, _settings: &Settings) -> MarkdownOptions {
        MarkdownOptions
    }

    fn wants(&self, _woven: &Woven, _options: &MarkdownOptions) -> Vec<Want> {
        vec![Want::AuthorsText]
    }

    fn export(&self, job: &Job<MarkdownOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Some(WovenText { text, pictures }) = &job.assets.text else {
            return Err(vec![Diagnostic::unplaced("the woven Markdown is made from the text, which is missing")]);
        };
        let folder = job.parts_folder();
        let part = |(name, picture): &(String, Picture)| (format!("{folder}/{name}"), picture.bytes.to_vec());
        let between = if text.ends_with('\n') { "\n" } else { "\n\n" };
        let bytes = format!("{text}{between}{LAST_LINE}\n").into_bytes();
        Ok(Export { bytes, parts: pictures.iter().map(part).collect(), ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        file.trim_ascii_end().ends_with(LAST_LINE.as_bytes())
    }
}
