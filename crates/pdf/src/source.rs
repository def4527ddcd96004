//! The source text for the typesetter: strings, pictures, the title block.

use jiff::civil::Date;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::sync::Arc;
use vineloom_document::options::{Contents, ExportOptions, Paper};
use vineloom_export::Loss;
use vineloom_weave::woven::{Block, Heading, Picture, Woven, plain_text};

/// Writes the source of one document.
pub(crate) struct Writer<'a> {
    pub woven: &'a Woven,
    pub options: &'a ExportOptions,
    pub out: String,
    /// The level of the highest heading, which is set as the first.
    pub top: u8,
    /// Pictures by the name the source calls them.
    pub pictures: BTreeMap<String, Arc<Vec<u8>>>,
    pub losses: Vec<Loss>,
    /// Footnotes that have been set; a second mark leads to the first.
    pub set_notes: Vec<usize>,
    /// Whether code and output follow each other closely, as in a transcript.
    pub dense: bool,
}

/// A text as a string literal.
pub(crate) fn string(text: &str) -> String {
    let mut literal = String::with_capacity(text.len() + 2);
    literal.push('"');
    for c in text.chars() {
        match c {
            '"' => literal.push_str("\\\""),
            '\\' => literal.push_str("\\\\"),
            '\n' => literal.push_str("\\n"),
            '\t' => literal.push_str("\\t"),
            c if c.is_control() => {}
            c => literal.push(c),
        }
    }
    literal.push('"');
    literal
}

impl<'a> Writer<'a> {
    pub fn new(woven: &'a Woven, options: &'a ExportOptions) -> Self {
        Writer {
            woven,
            options,
            out: String::new(),
            top: headings(&woven.blocks).map(|heading| heading.level).min().unwrap_or(1),
            pictures: BTreeMap::new(),
            losses: Vec::new(),
            set_notes: Vec::new(),
            dense: false,
        }
    }

    pub fn document(&mut self) {
        let head = &self.woven.head;
        self.out.push_str(include_str!("template.typ"));
        let title = plain_text(&head.title);
        let first = || headings(&self.woven.blocks).next().map(|heading| plain_text(&heading.content));
        let known_as = if title.is_empty() { first().unwrap_or_else(|| "Untitled".into()) } else { title.clone() };
        let authors: String = head.authors.iter().map(|author| string(&author.name) + ",").collect();
        let paper = match self.options.paper {
            Paper::A4 => "a4",
            Paper::A5 => "a5",
            Paper::Letter => "us-letter",
        };
        // Writing to a String can't fail, here and below.
        let date = self.day().unwrap_or_else(|| "none".into());
        let _ = write!(
            self.out,
            "\n#set document(title: {}, author: ({authors}), date: {date})\n#show: sheet.with(title: {}, paper: {}, lang: {})\n",
            string(&known_as),
            string(&title),
            string(paper),
            string(language(&head.language)),
        );
        self.title_block();
        if self.options.contents != Contents::None && self.contents_entries() > 1 {
            let depth = (self.options.contents_depth + 1).saturating_sub(self.top).max(1);
            let _ = write!(self.out, "#contents({depth})\n\n");
        }
        self.blocks(&self.woven.blocks);
        if let Some(licence) = &head.licence {
            let _ = writeln!(self.out, "#licence({})", string(licence));
        }
    }

    fn contents_entries(&self) -> usize {
        headings(&self.woven.blocks).filter(|heading| heading.level <= self.options.contents_depth).count()
    }

    /// The day of the document, where its date is one: in full, or as ISO 8601 has it.
    fn day(&self) -> Option<String> {
        let text = self.woven.head.date.as_deref()?.trim();
        let day = Date::strptime("%d %B %Y", text).or_else(|_| text.parse::<Date>()).ok()?;
        Some(format!("datetime(year: {}, month: {}, day: {})", day.year(), day.month(), day.day()))
    }

    fn title_block(&mut self) {
        let head = &self.woven.head;
        if head.title.is_empty() && head.authors.is_empty() && head.date.is_none() {
            return;
        }
        self.out.push_str("#title-block(title: [");
        self.inlines(&head.title);
        self.out.push_str("], subtitle: [");
        self.inlines(&head.subtitle);
        self.out.push_str("], authors: (");
        for author in &head.authors {
            let affiliation = author.affiliation.as_ref().map_or("none".into(), |text| string(text));
            let _ = write!(self.out, "(name: {}, affiliation: {affiliation}),", string(&author.name));
        }
        let date = head.date.as_ref().map_or("none".into(), |text| string(text));
        let _ = write!(self.out, "), date: {date})\n\n");
    }

    /// Makes a picture known and returns the name the source calls it.
    pub fn picture_name(&mut self, picture: &Picture) -> String {
        let name = format!("{}.{}", &picture.hash[..picture.hash.len().min(24)], picture.media.extension());
        self.pictures.entry(name.clone()).or_insert_with(|| picture.bytes.clone());
        name
    }

    pub fn lose(&mut self, message: impl Into<String>, help: Option<&str>) {
        let loss = Loss { message: message.into(), help: help.map(String::from) };
        if !self.losses.contains(&loss) {
            self.losses.push(loss);
        }
    }
}

/// The language part of a tag: `en` of `en-GB`.
fn language(tag: &str) -> &str {
    let part = tag.split(['-', '_']).next().unwrap_or("en");
    if (2..=3).contains(&part.len()) && part.chars().all(|c| c.is_ascii_alphabetic()) { part } else { "en" }
}

fn headings(blocks: &[Block]) -> impl Iterator<Item = &Heading> {
    blocks.iter().filter_map(|block| if let Block::Heading(heading) = block { Some(heading) } else { None })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_string_literal_holds_any_text() {
        assert_eq!(string("a\"b\\c\nd\u{7}#[$"), "\"a\\\"b\\\\c\\nd#[$\"");
    }
}
