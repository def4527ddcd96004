//! Plain text: the document as lines of letters, wrapped, for a terminal, a mail, a list. Frames are drawn around code,
//! tables are ruled, formulas are signs in a line, links stand as numbers with their addresses at the end.

mod ascii;
mod blocks;
mod frames;
mod inlines;
mod lines;
mod tables;

use crate::layout::headings_of;
use crate::raw_html::{picture_names, without_html};
use crate::{Contents, Export, Exporter, Job, Want};
use lines::{underlined, width, wrapped};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::Word;
use vineloom_woven::{Author, NoteNumber, Woven};

/// The last line of a text.
pub const LAST_LINE: &str = "Woven by Vine Loom: what is changed here is lost at the next weave.";

/// Plain text.
#[derive(Debug, Clone, Copy)]
pub struct Text;

/// The options of plain text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct TextOptions {
    /// How many columns a line has.
    pub width: usize,
    /// Whether it is written in the 95 signs of ASCII alone.
    pub ascii: bool,
    /// Whether headings have their numbers.
    pub numbered: bool,
    /// Whether the code of live blocks is left out.
    /// The lowest level of headings in the contents above the text; nothing where there are none.
    pub contents: Option<u8>,
}

impl Exporter for Text {
    type Options = TextOptions;

    fn format(&self) -> Format {
        Format::Text
    }

    fn is_quick(&self) -> bool {
        true
    }

    fn options(&self, settings: &Settings) -> TextOptions {
        TextOptions {
            width: settings.number("width").map_or(78, |width| width as usize).clamp(30, 400),
            ascii: settings.flag("ascii"),
            numbered: settings.flag("numbered"),
            contents: (Contents::of(settings) == Contents::Top).then(|| Contents::depth(settings)),
        }
    }

    fn wants(&self, woven: &Woven, _options: &TextOptions) -> Vec<Want> {
        vec![Want::Pictures(picture_names(woven))]
    }

    fn export(&self, job: &Job<TextOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, .. } = *job;
        let (plain, findings) = without_html(woven, &assets.pictures, Format::Text);
        let mut writer = Writer::new(&plain, options, job.parts_folder());
        let lines = writer.document();
        let mut text = String::new();
        for line in lines {
            // What does not break a line has done its work.
            text.push_str(line.replace('\u{A0}', " ").trim_end());
            text.push('\n');
        }
        let text = if options.ascii { ascii::of(&text) } else { text };
        let parts = writer.pictures.into_iter().collect();
        Ok(Export { bytes: text.into_bytes(), parts, findings, ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        file.trim_ascii_end().ends_with(LAST_LINE.as_bytes())
    }
}

/// Makes lines of a tree.
struct Writer<'a> {
    woven: &'a Woven,
    options: &'a TextOptions,
    folder: String,
    /// Files of pictures, by their paths from the text's folder.
    pictures: BTreeMap<String, Vec<u8>>,
    /// The addresses that the text leads to, with their numbers.
    addresses: BTreeMap<String, usize>,
    /// Footnotes that are marked and not yet set.
    waiting: Vec<NoteNumber>,
    noted: BTreeSet<NoteNumber>,
}

impl<'a> Writer<'a> {
    fn new(woven: &'a Woven, options: &'a TextOptions, folder: String) -> Self {
        Writer {
            woven,
            options,
            folder,
            pictures: BTreeMap::new(),
            addresses: BTreeMap::new(),
            waiting: Vec::new(),
            noted: BTreeSet::new(),
        }
    }

    fn document(&mut self) -> Vec<String> {
        let mut lines = self.title_block();
        lines.extend(self.contents());
        let width = self.options.width;
        lines.extend(self.blocks(&self.woven.blocks, width));
        lines.push(String::new());
        lines.extend(self.notes(width));
        if !self.addresses.is_empty() {
            lines.extend(underlined(self.woven.head.words.word(Word::Links), '─'));
            let digits = self.addresses.len().to_string().len() + 2;
            let mut addresses: Vec<(&usize, &String)> =
                self.addresses.iter().map(|(it, number)| (number, it)).collect();
            addresses.sort_unstable();
            for (number, address) in addresses {
                lines.push(format!("{:<digits$} {address}", format!("[{number}]")));
            }
            lines.push(String::new());
        }
        lines.push(LAST_LINE.into());
        lines
    }

    fn title_block(&mut self) -> Vec<String> {
        let (woven, wide) = (self.woven, self.options.width);
        let head = &woven.head;
        let mut lines = Vec::new();
        if !head.title.is_empty() {
            let title = wrapped(&self.inline(&head.title), wide);
            let rule = "═".repeat(title.iter().map(|line| width(line)).max().unwrap_or(0));
            lines.push(rule.clone());
            lines.extend(title);
            lines.push(rule);
        }
        if !head.subtitle.is_empty() {
            lines.extend(wrapped(&self.inline(&head.subtitle), wide));
        }
        if !lines.is_empty() {
            lines.push(String::new());
        }
        let mut signed: Vec<String> = head.authors.iter().map(Author::with_place).collect();
        signed.extend(head.date.clone());
        signed.extend(head.licence.as_ref().map(|licence| format!("{}: {licence}", head.words.word(Word::Licence))));
        if !signed.is_empty() {
            lines.extend(signed.iter().flat_map(|line| wrapped(line, wide)));
            lines.push(String::new());
        }
        lines
    }

    fn contents(&mut self) -> Vec<String> {
        let Some(depth) = self.options.contents else { return Vec::new() };
        let headings = headings_of(&self.woven.blocks, depth);
        let top = headings.iter().map(|heading| heading.level).min().unwrap_or(1);
        if headings.len() < 2 {
            return Vec::new();
        }
        let mut lines = underlined(self.woven.head.words.word(Word::Contents), '─');
        for heading in headings {
            let indent = "  ".repeat(usize::from(heading.level - top));
            lines.push(format!("{indent}{}", self.heading_words(heading)));
        }
        lines.push(String::new());
        lines
    }

    /// The footnotes that are marked in the text above.
    fn notes(&mut self, width: usize) -> Vec<String> {
        let mut lines = Vec::new();
        // A footnote may have footnotes.
        while !self.waiting.is_empty() {
            if lines.is_empty() {
                lines.push("─".repeat(20));
            }
            let number = self.waiting.remove(0);
            let mark = inlines::note_mark(number, self.options.ascii);
            let inner = self.blocks(self.woven.note(number), width - 4);
            lines.extend(lines::hung(&format!("{mark} "), inner));
        }
        if !lines.is_empty() {
            lines.push(String::new());
        }
        lines
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_woven::{Block, Head, Inline, InlineKind, Link, NoMemory, Span};

    fn text(blocks: Vec<Block>, options: &TextOptions) -> String {
        let head = Head { title: vec![Inline::text("Soil", Span::NOWHERE)], ..Head::default() };
        let woven = Woven { head, blocks, ..Woven::default() };
        let assets = crate::Assets::default();
        let job = Job { woven: &woven, options, assets: &assets, memory: &NoMemory, name: "guide", proof: None };
        String::from_utf8(Text.export(&job).unwrap().bytes).unwrap()
    }

    const PLAIN: TextOptions = TextOptions { width: 40, ascii: false, numbered: false, contents: None };

    #[test]
    fn words_are_wrapped_and_links_are_listed() {
        let link = InlineKind::Link(Box::new(Link {
            target: "https://example.org/soil".into(),
            title: "".into(),
            content: vec![Inline::text("the book", Span::NOWHERE)],
        }));
        let words = Inline::text("Soil that dries within a day holds little water, says ", Span::NOWHERE);
        let content = vec![words, Inline::new(link, Span::NOWHERE)];
        let text = text(vec![Block::Paragraph { content, span: Span::NOWHERE }], &PLAIN);
        assert!(text.starts_with("════\nSoil\n════\n"), "{text}");
        assert!(text.lines().filter(|line| *line != LAST_LINE).all(|line| width(line) <= 40), "{text}");
        assert!(text.contains("the book [1]") && text.contains("[1] https://example.org/soil\n"), "{text}");
        assert!(text.trim_end().ends_with(LAST_LINE));
    }

    #[test]
    fn plain_ascii_has_no_other_sign() {
        let content = vec![Inline::text("“Größe” – 3 × ½ → x²", Span::NOWHERE)];
        let text = text(vec![Block::Paragraph { content, span: Span::NOWHERE }], &TextOptions { ascii: true, ..PLAIN });
        assert!(text.is_ascii() && text.contains("\"Groesse\" - 3 x 1/2 -> x^2"), "{text}");
    }
}
