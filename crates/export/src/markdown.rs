//! Woven Markdown: the author's own text with the results in it. What it shows is decided where that text is made; here
//! it is signed, and its pictures are laid beside it.

use crate::layout::headings_of;
use crate::{Contents, Export, Exporter, Job, Want};
use serde::Serialize;
use std::collections::BTreeMap;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::{Head, Heading, Id, Picture, Woven, WovenText, escaped, plain_text};

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
    /// The lowest level of headings in the contents above the text; nothing where there are none.
    pub contents: Option<u8>,
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

    fn is_quick(&self) -> bool {
        true
    }

    fn options(&self, settings: &Settings) -> MarkdownOptions {
        let front_matter = match settings.text("front-matter") {
            Some("toml") => FrontMatterForm::Toml,
            Some("yaml") => FrontMatterForm::Yaml,
            _ => FrontMatterForm::None,
        };
        let contents = (Contents::of(settings) == Contents::Top).then(|| Contents::depth(settings));
        MarkdownOptions { front_matter, contents }
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
        let contents = job.options.contents.map_or_else(String::new, |depth| contents(job.woven, depth));
        let (begin, text) = match (job.options.front_matter, text.split_at_checked(*front)) {
            // The author's own front matter comes first.
            (FrontMatterForm::Toml, Some((front, rest))) if !contents.is_empty() => {
                (front.trim_end().to_string() + "\n\n", rest.trim_start_matches(['\r', '\n']))
            }
            _ => (begin, text),
        };
        let bytes = format!("{begin}{contents}{text}{between}{LAST_LINE}\n").into_bytes();
        Ok(Export { bytes, parts: pictures.iter().map(part).collect(), ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        file.trim_ascii_end().ends_with(LAST_LINE.as_bytes())
    }
}

/// The contents as a list of links to the places that code hosts give headings; nothing for less than two.
fn contents(woven: &Woven, depth: u8) -> String {
    let headings = headings_of(&woven.blocks, depth);
    let top = headings.iter().map(|heading| heading.level).min().unwrap_or(1);
    // The title is the first heading of the text.
    let mut counts = BTreeMap::from([(hosted(&plain_text(&woven.head.title)), 1)]);
    let mut all: BTreeMap<&Id, String> = BTreeMap::new();
    for heading in headings_of(&woven.blocks, 6) {
        let words = hosted(&plain_text(&heading.content));
        let count: &mut usize = counts.entry(words.clone()).or_default();
        let place = if *count == 0 { words } else { format!("{words}-{count}") };
        *count += 1;
        all.extend(heading.id.as_ref().map(|id| (id, place)));
    }
    let entry = |heading: &&Heading| {
        let place = heading.id.as_ref().and_then(|id| all.get(id)).map_or("", String::as_str);
        let indent = "  ".repeat(usize::from(heading.level - top));
        format!("{indent}- [{}](#{place})\n", escaped(&plain_text(&heading.content)))
    };
    match headings.len() {
        0 | 1 => String::new(),
        _ => headings.iter().map(entry).collect::<String>() + "\n",
    }
}

/// The place that code hosts give a heading of these words: in lower case, a hyphen for each space, and nothing for what
/// is no letter, digit, hyphen or underscore.
fn hosted(words: &str) -> String {
    let kept = words.trim().chars().filter(|c| c.is_alphanumeric() || matches!(c, ' ' | '-' | '_'));
    kept.map(|c| if c == ' ' { '-' } else { c }).collect::<String>().to_lowercase()
}

/// The title block as text; nothing where the document has none.
fn title_block(head: &Head) -> String {
    let title = plain_text(&head.title);
    let subtitle = plain_text(&head.subtitle);
    let authors: Vec<String> = head.authors.iter().map(|author| escaped(&author.with_place())).collect();
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
