//! Woven Markdown: the author's own text with the results in it. What it shows is decided where that text is made; here
//! it is signed, and its pictures are laid beside it.

use crate::{Export, Exporter, Job, Want};
use serde::Serialize;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::{Author, Head, Picture, Woven, WovenText, escaped, plain_text};

/// The last line of woven Markdown.
pub const LAST_LINE: &str = "<!-- Woven by Vine Loom: what is changed here is lost at the next weave. -->";

/// Woven Markdown.
#[derive(Debug, Clone, Copy)]
pub struct Markdown;

/// The options of woven Markdown.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct MarkdownOptions {
    /// What it begins with.
    pub front_matter: FrontMatterForm,
}

/// What woven Markdown begins with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum FrontMatterForm {
    /// The title block as text: a heading, who wrote it, when.
    None,
    /// The author's own front matter.
    Toml,
    /// The title block as YAML.
    Yaml,
}

impl Exporter for Markdown {
    type Options = MarkdownOptions;

    fn format(&self) -> Format {
        Format::Markdown
    }

    fn options(&self, settings: &Settings) -> MarkdownOptions {
        let front_matter = match settings.text("front-matter") {
            Some("toml") => FrontMatterForm::Toml,
            Some("yaml") => FrontMatterForm::Yaml,
            _ => FrontMatterForm::None,
        };
        MarkdownOptions { front_matter }
    }

    fn wants(&self, _woven: &Woven, _options: &MarkdownOptions) -> Vec<Want> {
        vec![Want::AuthorsText]
    }

    fn export(&self, job: &Job<MarkdownOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Some(WovenText { text, front, pictures }) = &job.assets.text else {
            return Err(vec![Diagnostic::unplaced("the woven Markdown is made from the text, which is missing")]);
        };
        let folder = job.parts_folder();
        let part = |(name, picture): &(String, Picture)| (format!("{folder}/{name}"), picture.bytes.to_vec());
        let between = if text.ends_with('\n') { "\n" } else { "\n\n" };
        let head = &job.woven.head;
        let body = text.get(*front..).unwrap_or(text).trim_start_matches(['\r', '\n']);
        let (begin, text) = match job.options.front_matter {
            FrontMatterForm::Toml => (String::new(), text.as_str()),
            FrontMatterForm::Yaml => (yaml(head), body),
            FrontMatterForm::None => (title_block(head), if *front == 0 { text.as_str() } else { body }),
        };
        let bytes = format!("{begin}{text}{between}{LAST_LINE}\n").into_bytes();
        Ok(Export { bytes, parts: pictures.iter().map(part).collect(), ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        file.trim_ascii_end().ends_with(LAST_LINE.as_bytes())
    }
}

/// The title block as text; nothing where the document has none.
fn title_block(head: &Head) -> String {
    let title = plain_text(&head.title);
    let subtitle = plain_text(&head.subtitle);
    let author = |author: &Author| match &author.affiliation {
        Some(place) => escaped(&format!("{} ({place})", author.name)),
        None => escaped(&author.name),
    };
    let authors: Vec<String> = head.authors.iter().map(author).collect();
    let mut signed = Vec::new();
    signed.extend((!authors.is_empty()).then(|| authors.join(", ")));
    signed.extend(head.date.as_deref().map(escaped));
    signed.extend(head.licence.as_deref().map(escaped));
    let mut text = String::new();
    if !title.is_empty() {
        text += &format!("# {}\n\n", escaped(&title));
    }
    if !subtitle.is_empty() {
        text += &format!("*{}*\n\n", escaped(&subtitle));
    }
    if !signed.is_empty() {
        text += &format!("{}\n\n", signed.join(" · "));
    }
    text
}

/// The title block as YAML; nothing where the document has none.
fn yaml(head: &Head) -> String {
    let quoted = |text: &str| serde_json::Value::from(text).to_string();
    let mut lines = String::new();
    let (title, subtitle) = (plain_text(&head.title), plain_text(&head.subtitle));
    let texts =
        [("title", Some(&title)), ("subtitle", Some(&subtitle)), ("date", head.day.as_ref().or(head.date.as_ref()))];
    for (key, text) in texts.into_iter().chain([("licence", head.licence.as_ref())]) {
        if let Some(text) = text.filter(|text| !text.is_empty()) {
            lines += &format!("{key}: {}\n", quoted(text));
        }
    }
    if !head.authors.is_empty() {
        let names: Vec<String> = head.authors.iter().map(|author| quoted(&author.name)).collect();
        lines += &format!("authors: [{}]\n", names.join(", "));
    }
    if lines.is_empty() { lines } else { format!("---\n{lines}lang: {}\n---\n\n", quoted(&head.language)) }
}
