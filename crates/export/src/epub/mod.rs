//! A book for e-readers: EPUB 3, a chapter a file, with contents, formulas as MathML and footnotes that pop up.

mod package;
mod xhtml;

use crate::html::HtmlOptions;
use crate::html::chapters::{Chapters, chapters};
use crate::html::{Palette, palette};
use crate::layout::headings_of;
use crate::raw_html::{picture_names, without_html};
use crate::xml::text;
use crate::{Export, Exporter, Job, Want};
use package::{File, Shows, XML};
use serde::Serialize;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::Word;
use vineloom_woven::{Block, Heading, Picture, Woven, plain_text};
use xhtml::Piece;

/// A book for e-readers.
#[derive(Debug, Clone, Copy)]
pub struct Epub;

/// The options of a book.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct EpubOptions {
    /// What it shares with the page.
    pub html: HtmlOptions,
    /// How many levels of headings, from the highest on, begin a file of their own.
    pub chapter_level: u8,
    /// The picture of its cover, by its path from the document's folder.
    pub cover: Option<String>,
}

impl Exporter for Epub {
    type Options = EpubOptions;

    fn format(&self) -> Format {
        Format::Epub
    }

    fn options(&self, settings: &Settings) -> EpubOptions {
        EpubOptions {
            html: HtmlOptions::of(settings),
            chapter_level: settings.number("chapter-level").map_or(1, |level| level as u8).clamp(1, 6),
            cover: settings.text("cover").map(String::from),
        }
    }

    fn wants(&self, woven: &Woven, options: &EpubOptions) -> Vec<Want> {
        let file = |what, path: &Option<String>| {
            path.iter().map(move |path| Want::File { what, path: path.clone() }).collect::<Vec<_>>()
        };
        let files = [file("the cover", &options.cover), options.html.house.wants()].concat();
        files.into_iter().chain([Want::HighlightedCode, Want::Pictures(picture_names(woven))]).collect()
    }

    fn export(&self, job: &Job<EpubOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, memory, .. } = *job;
        let (plain, findings) = without_html(woven, &assets.pictures, Format::Epub);
        let parts = in_chapters(&plain.blocks, options.chapter_level);
        let made = chapters(&plain, &options.html, assets, &parts, "pictures", memory);
        let cover = match &options.cover {
            None => None,
            Some(path) => {
                let picture = assets.files.get(path).and_then(|bytes| Picture::new(bytes.clone()));
                let wrong = || {
                    vec![
                        Diagnostic::unplaced(format!("the cover {path} is no picture"))
                            .help("it is an SVG, PNG, JPEG, GIF or WebP file"),
                    ]
                };
                Some(picture.ok_or_else(wrong)?)
            }
        };
        let book = Book { woven: &plain, options, house: options.html.house.style_sheet(assets) };
        let bytes = book.archive(made, &parts, cover.as_ref());
        let bytes = bytes.map_err(|error| vec![Diagnostic::unplaced(format!("the book can't be packed: {error}"))])?;
        Ok(Export { bytes, findings, ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        package::is_signed(file)
    }
}

/// The blocks of each chapter. A chapter begins with a heading of one of the highest levels.
fn in_chapters(blocks: &[Block], levels: u8) -> Vec<Vec<Block>> {
    let mut flat = Vec::new();
    flatten(blocks, &mut flat);
    let level = |block: &Block| if let Block::Heading(heading) = block { Some(heading.level) } else { None };
    let lowest = flat.iter().filter_map(level).min().unwrap_or(1) + levels - 1;
    let mut chapters = vec![Vec::new()];
    for block in flat {
        let begins = level(&block).is_some_and(|level| level <= lowest);
        match chapters.last_mut() {
            Some(chapter) if !begins || chapter.is_empty() => chapter.push(block),
            _ => chapters.push(vec![block]),
        }
    }
    chapters
}

/// What comes in steps stands among the others.
fn flatten(blocks: &[Block], flat: &mut Vec<Block>) {
    for block in blocks {
        match block {
            Block::Steps(blocks) => flatten(blocks, flat),
            block => flat.push(block.clone()),
        }
    }
}

struct Book<'a> {
    woven: &'a Woven,
    options: &'a EpubOptions,
    /// The style sheet of the writer's house.
    house: String,
}

impl Book<'_> {
    fn archive(
        &self,
        made: Chapters,
        parts: &[Vec<Block>],
        cover: Option<&Picture>,
    ) -> Result<Vec<u8>, zip::result::ZipError> {
        let head = &self.woven.head;
        let names: Vec<String> = (1..=parts.len()).map(|at| format!("chapter-{at}.xhtml")).collect();
        let pieces = Piece::read_all(made.chapters);
        let formulas = pieces.iter().any(|piece| piece.has("math"));
        let mut file_of = BTreeMap::new();
        for (piece, name) in pieces.iter().zip(&names) {
            for place in piece.places() {
                file_of.entry(place.to_string()).or_insert_with(|| name.clone());
            }
        }
        let title = plain_text(&head.title);
        let title = if title.is_empty() { self.woven.head.words.word(Word::Untitled).to_string() } else { title };
        let mut files = Vec::new();
        let file = |name: &str, media, bytes: Vec<u8>| File {
            name: name.into(),
            media,
            bytes,
            properties: "",
            is_read: false,
        };
        if let Some(cover) = cover {
            let name = format!("pictures/cover.{}", cover.media.extension());
            let image =
                File { properties: "cover-image", ..file(&name, cover.media.media_type(), cover.bytes.to_vec()) };
            let body = format!(
                "<section epub:type=\"cover\" class=\"cover\"><img src=\"{name}\" alt=\"{}\"/></section>",
                text(&format!("Cover of {title}"))
            );
            files.push(image);
            let page = self.page(&title, &body).into_bytes();
            files.push(File { is_read: true, ..file("cover.xhtml", XHTML, page) });
        }
        let title_page = Piece::read(&made.title).xhtml(&file_of, "title.xhtml");
        if !title_page.is_empty() {
            let licence = head.licence.as_ref().map_or_else(String::new, |it| {
                format!("<p class=\"date\">{}: {}</p>", text(self.woven.head.words.word(Word::Licence)), text(it))
            });
            let body = format!("<section epub:type=\"titlepage\" class=\"title\">{title_page}{licence}</section>");
            files.push(File { is_read: true, ..file("title.xhtml", XHTML, self.page(&title, &body).into_bytes()) });
        }
        let nav = self.contents(parts, &names, &file_of, &title).into_bytes();
        files.push(File { properties: "nav", is_read: true, ..file("contents.xhtml", XHTML, nav) });
        for ((piece, name), blocks) in pieces.into_iter().zip(&names).zip(parts) {
            let heading = blocks.iter().find_map(|block| {
                if let Block::Heading(heading) = block { Some(plain_text(&heading.content)) } else { None }
            });
            let body = format!("<section epub:type=\"chapter\">{}</section>", piece.xhtml(&file_of, name));
            let properties = if piece.has("math") { "mathml" } else { "" };
            let page =
                self.page(heading.as_deref().filter(|it| !it.trim().is_empty()).unwrap_or(&title), &body).into_bytes();
            files.push(File { properties, is_read: true, ..file(name, XHTML, page) });
        }
        files.push(file("book.css", "text/css", self.sheet(made.font.is_some()).into_bytes()));
        files.extend(made.font.map(|font| file("mathematics.woff2", "font/woff2", font)));
        let pictures = !made.pictures.is_empty();
        for (name, bytes) in made.pictures {
            let kind =
                Picture::new(bytes.clone()).map_or("application/octet-stream", |picture| picture.media.media_type());
            files.push(file(&name, kind, bytes));
        }
        let shows = Shows { pictures, formulas };
        let opf = package::opf(head, &self.identifier(), &files, shows);
        package::archive(&opf, &files)
    }

    /// The name of the book among all others: it stays the same as long as title and authors do.
    fn identifier(&self) -> String {
        let head = &self.woven.head;
        let authors: Vec<&str> = head.authors.iter().map(|author| author.name.as_str()).collect();
        let hash = blake3::hash(format!("{}\n{}", plain_text(&head.title), authors.join("\n")).as_bytes());
        let digits = hash.to_hex();
        // A UUID of version 8: what its digits mean is ours to say (RFC 9562).
        format!(
            "urn:uuid:{}-{}-8{}-8{}-{}",
            &digits[..8],
            &digits[8..12],
            &digits[13..16],
            &digits[17..20],
            &digits[20..32]
        )
    }

    /// A file around what it shows.
    fn page(&self, title: &str, body: &str) -> String {
        let direction =
            if vineloom_woven::runs_from_the_right(&self.woven.head.language) { " dir=\"rtl\"" } else { "" };
        let language = text(if self.woven.head.language.is_empty() { "en" } else { &self.woven.head.language });
        format!(
            "{XML}<!DOCTYPE html>\n<html xmlns=\"http://www.w3.org/1999/xhtml\" xmlns:epub=\"http://www.idpf.org/2007/ops\" lang=\"{language}\" xml:lang=\"{language}\"{direction}>\n\
             <head><title>{}</title><link rel=\"stylesheet\" type=\"text/css\" href=\"book.css\"/></head>\n<body>\n{body}\n</body>\n</html>\n",
            text(title)
        )
    }

    /// The contents that a reader shows, by the headings down to a level. A chapter without a heading is called as the
    /// book is.
    fn contents(
        &self,
        parts: &[Vec<Block>],
        names: &[String],
        file_of: &BTreeMap<String, String>,
        title: &str,
    ) -> String {
        let depth = self.options.html.contents_depth.max(1);
        let mut entries: Vec<(u8, String, String)> = Vec::new();
        for (blocks, name) in parts.iter().zip(names) {
            let headings: Vec<&Heading> = headings_of(blocks, 6);
            if !matches!(blocks.first(), Some(Block::Heading(_))) {
                entries.push((0, name.clone(), title.to_string()));
            }
            for heading in headings.into_iter().filter(|heading| heading.level <= depth) {
                let Some(id) = &heading.id else { continue };
                let file = file_of.get(id.as_str()).unwrap_or(name);
                let number = if self.options.html.numbered { format!("{} ", heading.number) } else { String::new() };
                let words = format!("{number}{}", plain_text(&heading.content));
                entries.push((heading.level, format!("{file}#{id}"), words.trim().to_string()));
            }
        }
        let top = entries.iter().map(|(level, ..)| *level).filter(|level| *level > 0).min().unwrap_or(1);
        let mut list = String::new();
        let mut open = 0;
        for (level, address, words) in &entries {
            // A level that is skipped gets no empty list of its own.
            let wanted = usize::from((*level).max(top) - top + 1).min(open + 1);
            if wanted > open {
                list.push_str("<ol>");
                open += 1;
            } else {
                list.push_str("</li>");
                while open > wanted {
                    list.push_str("</ol></li>");
                    open -= 1;
                }
            }
            let words = if words.is_empty() { "…" } else { words };
            let _ = write!(list, "<li><a href=\"{}\">{}</a>", text(address), text(words));
        }
        for _ in 0..open {
            list.push_str("</li></ol>");
        }
        let contents = text(self.woven.head.words.word(Word::Contents));
        let first = names.first().map_or("", String::as_str);
        let body = format!(
            "<nav epub:type=\"toc\" role=\"doc-toc\" aria-labelledby=\"contents\"><h1 id=\"contents\">{contents}</h1>{list}</nav>\n\
             <nav epub:type=\"landmarks\" hidden=\"hidden\" aria-label=\"Landmarks\"><ol><li><a epub:type=\"toc\" href=\"contents.xhtml\">{contents}</a></li><li><a epub:type=\"bodymatter\" href=\"{first}\">Text</a></li></ol></nav>"
        );
        self.page(&contents, &body)
    }

    fn sheet(&self, has_font: bool) -> String {
        let font = match has_font {
            true => {
                "@font-face { font-family: \"Vine Mathematics\"; src: url(mathematics.woff2) format(\"woff2\"); }\n"
            }
            false => "",
        };
        let colours = palette("linen", &self.options.html.code_colours);
        format!("{font}{}{}{}", include_str!("book.css"), code_rules(&colours), self.house)
    }
}

const XHTML: &str = "application/xhtml+xml";

/// The colours of code and of strands.
fn code_rules(colours: &Palette) -> String {
    let mut rules = String::new();
    for class in ["c", "k", "s", "n", "l", "f", "t", "o"] {
        if let Some(colour) = colours.code(class) {
            let _ = writeln!(rules, "code .{class} {{ color: #{colour}; }}");
        }
    }
    for (at, colour) in colours.strands.iter().enumerate() {
        let _ = writeln!(rules, ".strand-{} {{ border-left-color: #{colour}; }}", at + 1);
    }
    rules
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_woven::{Inline, Span};

    fn heading(level: u8) -> Block {
        let content = vec![Inline::text("x", Span::NOWHERE)];
        let (slide, span) = (Box::default(), Span::NOWHERE);
        Block::Heading(Box::new(Heading { level, id: None, number: String::new(), slide, content, span }))
    }

    #[test]
    fn a_chapter_begins_at_each_of_the_highest_headings() {
        let blocks = [Block::Rule, heading(2), Block::Rule, heading(3), heading(2)];
        let sizes = |levels| in_chapters(&blocks, levels).iter().map(Vec::len).collect::<Vec<_>>();
        assert_eq!(sizes(1), [1, 3, 1]);
        assert_eq!(sizes(2), [1, 2, 1, 1]);
        assert_eq!(in_chapters(&[], 1).len(), 1);
    }
}
