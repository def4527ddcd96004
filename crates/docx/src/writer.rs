//! What writes a document: the parts of it that grow, and the paragraph that everything is made of.

use crate::DocxOptions;
use crate::fields::{Bookmarks, field, run};
use crate::numbering::Lists;
use crate::page::{Lies, Page, Twips};
use crate::styles::Styles;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use vineloom_export::Assets;
use vineloom_export::html::Palette;
use vineloom_export::layout::{headings_of, letter_of, places};
use vineloom_export::xml::text;
use vineloom_office::{Gallery, Relation};
use vineloom_woven::Word;
use vineloom_woven::{Author, Id, NoteNumber, Woven, plain_text};

/// What stands for head and foot in a section, until they are known. No text has this sign: XML knows none such.
pub(crate) const HEADS: &str = "\u{1}";

/// A document as it was written.
pub(crate) struct Body {
    /// What stands in the body, without its last section.
    pub xml: String,
    /// The footnotes.
    pub notes: String,
    /// What the body leads to, and what the footnotes lead to.
    pub relations: Vec<Relation>,
    pub note_relations: Vec<Relation>,
    pub lists: Lists,
    pub gallery: Gallery,
    pub page: Page,
}

/// What a part leads to, and where each target stands among them.
#[derive(Debug, Default)]
pub(crate) struct Relations {
    all: Vec<Relation>,
    known: BTreeMap<String, usize>,
}

/// Writes the body of a document.
pub(crate) struct Writer<'a> {
    pub woven: &'a Woven,
    pub options: &'a DocxOptions,
    pub assets: &'a Assets,
    pub styles: &'a Styles,
    pub colours: &'a Palette,
    pub out: String,
    pub lists: Lists,
    pub bookmarks: Bookmarks,
    /// The places that there are; words that would lead elsewhere are words.
    pub places: BTreeSet<Id>,
    pub gallery: Gallery,
    pub relations: Relations,
    pub page: Page,
    /// The level of the highest headings.
    pub top: u8,
    /// The room from left to right where it writes.
    pub room: Twips,
    /// How far from the left it writes, in lists.
    pub indent: Twips,
    /// How many lists it is in.
    pub depth: usize,
    /// The strand whose thread runs beside what it writes.
    pub strand: Option<usize>,
    pub notes: String,
    /// In a footnote, the others that are marked in it: there can be none within one, so they stand at its end by letters.
    inner: Option<Vec<NoteNumber>>,
    note_relations: Relations,
    noted: BTreeSet<NoteNumber>,
    pub drawings: usize,
    /// The caption that waits for its table: it stands on the page that the table stands on.
    pub above: Option<String>,
    /// How many sections have ended.
    pub sections: usize,
    /// Whether what is written stands in a table: a section can't begin there.
    pub in_table: bool,
}

/// What a paragraph has besides its style.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Extra<'a> {
    pub keeps_next: bool,
    /// The list it is of, and its level there.
    pub list: Option<(usize, usize)>,
    /// The ground, as six hexadecimal digits.
    pub ground: Option<&'a str>,
    /// Room above and below, in twentieths of a point.
    pub spacing: Option<(Twips, Twips)>,
    /// How far from the left, where that is not as its style says.
    pub indent: Option<Twips>,
    /// `right`, `center`, or a mark where numbers meet.
    pub aligned: Option<Aligned>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Aligned {
    Right,
    Centre,
    /// At the decimal mark, so far from the left of the cell.
    Decimal(Twips),
}

impl<'a> Writer<'a> {
    pub fn new(
        woven: &'a Woven,
        options: &'a DocxOptions,
        assets: &'a Assets,
        styles: &'a Styles,
        (colours, top): (&'a Palette, u8),
    ) -> Self {
        let page = Page::new(options.paper, options.margins);
        Writer {
            woven,
            options,
            assets,
            styles,
            colours,
            out: String::new(),
            lists: Lists::new(),
            bookmarks: Bookmarks::default(),
            places: places(woven),
            gallery: Gallery::default(),
            relations: Relations::default(),
            page,
            top,
            room: page.room(Lies::Upright),
            indent: 0,
            depth: 0,
            strand: None,
            notes: String::new(),
            inner: None,
            note_relations: Relations::default(),
            noted: BTreeSet::new(),
            drawings: 0,
            above: None,
            sections: 0,
            in_table: false,
        }
    }

    pub fn document(mut self) -> Body {
        self.title_block();
        self.contents();
        self.blocks(&self.woven.blocks);
        let Writer { out, notes, relations, note_relations, lists, gallery, page, .. } = self;
        let (relations, note_relations) = (relations.all, note_relations.all);
        Body { xml: out, notes, relations, note_relations, lists, gallery, page }
    }

    /// A paragraph of a style around what stands in it.
    pub fn paragraph(&mut self, style: &str, extra: Extra, inside: &str) {
        let mut properties = format!("<w:pStyle w:val=\"{}\"/>", text(self.styles.id(style)));
        if extra.keeps_next {
            properties.push_str("<w:keepNext/>");
        }
        if let Some((list, level)) = extra.list {
            let _ = write!(properties, "<w:numPr><w:ilvl w:val=\"{level}\"/><w:numId w:val=\"{list}\"/></w:numPr>");
        }
        if let Some(strand) = self.strand {
            let colour = self.colours.strands[strand % self.colours.strands.len()].to_uppercase();
            let line = format!("<w:left w:val=\"single\" w:sz=\"16\" w:space=\"9\" w:color=\"{colour}\"/>");
            let _ = write!(properties, "<w:pBdr>{line}</w:pBdr>");
        }
        if let Some(ground) = extra.ground {
            let _ = write!(properties, "<w:shd w:val=\"clear\" w:color=\"auto\" w:fill=\"{ground}\"/>");
        }
        if let Some(Aligned::Decimal(at)) = extra.aligned {
            let _ = write!(properties, "<w:tabs><w:tab w:val=\"decimal\" w:pos=\"{at}\"/></w:tabs>");
        }
        if begins_right(inside) {
            properties.push_str("<w:bidi/>");
        }
        if let Some((above, below)) = extra.spacing {
            let _ = write!(properties, "<w:spacing w:before=\"{above}\" w:after=\"{below}\"/>");
        }
        let indent = extra.indent.or(Some(self.indent).filter(|it| *it > 0 && extra.list.is_none()));
        if let Some(indent) = indent {
            let _ = write!(properties, "<w:ind w:left=\"{indent}\"/>");
        }
        match extra.aligned {
            Some(Aligned::Right) => properties.push_str("<w:jc w:val=\"right\"/>"),
            Some(Aligned::Centre) => properties.push_str("<w:jc w:val=\"center\"/>"),
            Some(Aligned::Decimal(_)) | None => {}
        }
        let _ = write!(self.out, "<w:p><w:pPr>{properties}</w:pPr>{inside}</w:p>");
    }

    /// An empty line so low that it only parts what stands above from what stands below: two tables would be one.
    pub fn part(&mut self) {
        self.part_at(None);
    }

    /// The same, and the place that it is.
    pub fn part_at(&mut self, place: Option<&Id>) {
        let inside = place.map_or_else(String::new, |id| self.bookmarks.around(id.as_str(), ""));
        let spacing = "<w:spacing w:before=\"0\" w:after=\"0\" w:line=\"150\" w:lineRule=\"exact\"/>";
        let _ = write!(self.out, "<w:p><w:pPr>{spacing}</w:pPr>{inside}</w:p>");
    }

    /// The name of a relation, `rId` and a number.
    pub fn relate(&mut self, relation: Relation) -> String {
        let known = self.relations.known.get(&relation.target).copied();
        let at = known.unwrap_or_else(|| {
            self.relations.known.insert(relation.target.clone(), self.relations.all.len());
            self.relations.all.push(relation);
            self.relations.all.len() - 1
        });
        format!("rId{}", at + 1)
    }

    /// What a part of the writer's work would add to the text, apart from it.
    pub fn aside(&mut self, work: impl FnOnce(&mut Self)) -> String {
        let before = std::mem::take(&mut self.out);
        work(self);
        std::mem::replace(&mut self.out, before)
    }

    /// The mark of a footnote. The first time the footnote is written with it; later marks repeat its number.
    pub fn note(&mut self, number: NoteNumber) -> String {
        let style = text(self.styles.id("FootnoteReference")).to_string();
        if let Some(inner) = &mut self.inner {
            return raised(&letter_of(inner, number));
        }
        let place = format!("note {number}");
        if !self.noted.insert(number) {
            let name = self.bookmarks.name(&place);
            let shown = format!("<w:r><w:rPr><w:rStyle w:val=\"{style}\"/></w:rPr><w:t>{number}</w:t></w:r>");
            return field(&format!("NOTEREF {name} \\f \\h"), &shown);
        }
        let id = number.index() + 1;
        let relations = std::mem::take(&mut self.note_relations);
        let body_relations = std::mem::replace(&mut self.relations, relations);
        let (strand, indent, depth) = (self.strand.take(), self.indent, self.depth);
        (self.indent, self.depth) = (0, 0);
        let woven = self.woven;
        self.inner = Some(Vec::new());
        let mut inside = self.aside(|writer| writer.blocks(woven.note(number)));
        let mut at = 0;
        while let Some(other) = self.inner.as_ref().and_then(|inner| inner.get(at).copied()) {
            at += 1;
            let letter = self.inner.as_mut().map_or_else(String::new, |inner| letter_of(inner, other));
            let words = self.aside(|writer| writer.blocks(woven.note(other)));
            inside.push_str(&begun_with(&(raised(&letter) + &run(" ")), &words));
        }
        self.inner = None;
        (self.strand, self.indent, self.depth) = (strand, indent, depth);
        self.note_relations = std::mem::replace(&mut self.relations, body_relations);
        let body = text(self.styles.id("BodyText")).to_string();
        let foot = text(self.styles.id("FootnoteText")).to_string();
        let inside = inside.replace(&format!("<w:pStyle w:val=\"{body}\"/>"), &format!("<w:pStyle w:val=\"{foot}\"/>"));
        let mark = format!("<w:r><w:rPr><w:rStyle w:val=\"{style}\"/></w:rPr><w:footnoteRef/></w:r>{}", run(" "));
        let inside = begun_with(&mark, &inside);
        let end = if inside.ends_with("</w:tbl>") { "<w:p/>" } else { "" };
        let _ = write!(self.notes, "<w:footnote w:id=\"{id}\">{inside}{end}</w:footnote>");
        let reference =
            format!("<w:r><w:rPr><w:rStyle w:val=\"{style}\"/></w:rPr><w:footnoteReference w:id=\"{id}\"/></w:r>");
        self.bookmarks.around(&place, &reference)
    }

    fn title_block(&mut self) {
        let head = &self.woven.head;
        if !head.title.is_empty() {
            let inside = self.inlines(&head.title);
            self.paragraph("Title", Extra::default(), &inside);
        }
        if !head.subtitle.is_empty() {
            let inside = self.inlines(&head.subtitle);
            self.paragraph("Subtitle", Extra::default(), &inside);
        }
        for line in head.authors.iter().map(Author::with_place) {
            self.paragraph("Author", Extra::default(), &run(&line));
        }
        if let Some(date) = &head.date {
            self.paragraph("Date", Extra::default(), &run(date));
        }
        if let Some(licence) = &head.licence {
            self.paragraph(
                "Licence",
                Extra::default(),
                &run(&format!("{}: {licence}", self.woven.head.words.word(Word::Licence))),
            );
        }
    }

    /// The contents: a field that the program fills anew, with the headings in it until then.
    fn contents(&mut self) {
        let Some(depth) = self.options.contents else { return };
        let headings = headings_of(&self.woven.blocks, depth);
        if headings.len() < 3 {
            return;
        }
        self.paragraph("TOCHeading", Extra::default(), &run(self.woven.head.words.word(Word::Contents)));
        let last = headings.len() - 1;
        let top = headings.iter().map(|heading| heading.level).min().unwrap_or(1);
        for (at, heading) in headings.iter().enumerate() {
            let number = if self.options.numbered { format!("{} ", heading.number) } else { String::new() };
            let words = format!("{number}{}", plain_text(&heading.content));
            let name = heading.id.as_ref().map_or_else(String::new, |id| self.bookmarks.name(id.as_str()));
            let link =
                format!("<w:hyperlink w:anchor=\"{name}\" w:history=\"1\">{}</w:hyperlink>", run(words.trim_start()));
            let begin = format!(
                "<w:r><w:fldChar w:fldCharType=\"begin\" w:dirty=\"true\"/></w:r><w:r><w:instrText xml:space=\"preserve\"> TOC \\o \"1-{depth}\" \\h \\z \\u </w:instrText></w:r><w:r><w:fldChar w:fldCharType=\"separate\"/></w:r>"
            );
            let end = "<w:r><w:fldChar w:fldCharType=\"end\"/></w:r>";
            let inside = [if at == 0 { begin.as_str() } else { "" }, &link, if at == last { end } else { "" }].concat();
            let spacing = (at == last).then_some((0, 300));
            let level = (heading.level - top + 1).clamp(1, 6);
            self.paragraph(&format!("TOC{level}"), Extra { spacing, ..Extra::default() }, &inside);
        }
    }
}

/// Paragraphs with runs before their first words; with a paragraph of their own where none is first.
fn begun_with(runs: &str, paragraphs: &str) -> String {
    match paragraphs.split_once("</w:pPr>") {
        Some((before, after)) if before.starts_with("<w:p>") => format!("{before}</w:pPr>{runs}{after}"),
        _ => format!("<w:p>{runs}</w:p>{paragraphs}"),
    }
}

/// Small words above the line.
fn raised(words: &str) -> String {
    format!("<w:r><w:rPr><w:vertAlign w:val=\"superscript\"/></w:rPr><w:t>{}</w:t></w:r>", text(words))
}

/// Whether the first letter of a paragraph is of a script that is written from right to left.
fn begins_right(inside: &str) -> bool {
    let mut is_tag = false;
    for c in inside.chars() {
        match c {
            '<' => is_tag = true,
            '>' => is_tag = false,
            c if !is_tag && c.is_alphabetic() => return is_right_to_left(c),
            _ => {}
        }
    }
    false
}

/// Whether a letter is of a script that is written from right to left: Hebrew, Arabic, Syriac, Thaana, N'Ko and their
/// further forms.
pub(crate) fn is_right_to_left(c: char) -> bool {
    matches!(c, '\u{590}'..='\u{8FF}' | '\u{FB1D}'..='\u{FDFF}' | '\u{FE70}'..='\u{FEFF}' | '\u{10800}'..='\u{10FFF}' | '\u{1E800}'..='\u{1EFFF}')
}
