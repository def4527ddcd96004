//! The source text for the typesetter: strings, pictures, the title block.

use crate::fonts::Chosen;
use crate::options::{Layout, Margins, PdfOptions};
use crate::picture_file::PictureFile;
use jiff::civil::Date;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fmt::Write as _;
use vineloom_document::Diagnostic;
use vineloom_export::Contents;
use vineloom_export::highlighted::Highlighted;
use vineloom_language::language_and_region;
use vineloom_woven::Word;
use vineloom_woven::{Block, Heading, Id, NoteNumber, Span, Woven, plain_text};

/// The longest word that is sure to fit a line of text or code; longer ones get places to break.
pub(crate) const LONGEST_WORD: usize = 60;
/// The same in a cell of a table, and in the large type of a heading.
pub(crate) const LONGEST_IN_CELL: usize = 24;

/// Writes the source of one document.
pub(crate) struct Writer<'a> {
    pub woven: &'a Woven,
    pub options: &'a PdfOptions,
    pub highlighted: &'a Highlighted,
    /// What the text is made to look by, as definitions.
    pub look: String,
    pub out: String,
    /// Where each chapter begins.
    pub cuts: Vec<usize>,
    /// The level of the highest heading, which is set as the first.
    pub top: u8,
    /// Pictures by the name the source calls them.
    pub pictures: BTreeMap<String, PictureFile>,
    pub lost: Vec<Diagnostic>,
    /// What keeps the document from being set.
    pub errors: Vec<Diagnostic>,
    /// Footnotes that have been set; a second mark leads to the first.
    pub set_notes: Vec<NoteNumber>,
    /// Those that a heading set. It is repeated in the contents, so that nothing in it may have a label.
    pub notes_of_headings: Vec<NoteNumber>,
    pub in_heading: bool,
    /// Whether code and output follow each other closely, as in a transcript.
    pub dense: bool,
    /// The longest word that fits where we are.
    pub longest_word: usize,
    /// How much of the width of the text there is where we are, from 0 to 1.
    pub share: f64,
    /// Where in the document the writer is.
    pub place: Span,
    /// From which byte of the source on it is what part of the document.
    pub places: Vec<(usize, Span)>,
    /// The places of what the template may tell something of, by the names that it is given.
    pub named: BTreeMap<String, Span>,
    /// How many of these are alike, by the hash of what they stand for.
    pub alike: HashMap<u64, usize>,
    /// Figures that nobody gave words to.
    pub without_words: Vec<Span>,
    /// The places that links may lead to, and those that they do lead to.
    pub labels: BTreeSet<Id>,
    pub referred: BTreeSet<Id>,
    /// Places that are not among what is printed.
    pub absent: BTreeSet<Id>,
    /// Whether the parts of code that are marked come step by step.
    pub marks_in_steps: bool,
    /// How a slide is written; nothing on paper.
    pub slide: Option<OnSlide>,
}

/// How a slide is written.
#[derive(Debug, Clone, Copy)]
pub(crate) struct OnSlide {
    /// How many steps there have been so far.
    pub steps: u32,
    /// The last step that is shown; all are, where it is nothing.
    pub shown: Option<u32>,
    /// Whether it was written before, so that nothing on it has a label again.
    pub again: bool,
    /// The size of its code beside that of the others.
    pub code: f64,
}

/// A text as a string literal.
pub(crate) fn string(text: &str) -> String {
    let mut literal = String::with_capacity(text.len() + 2);
    push_string(text, &mut literal);
    literal
}

/// Writes a text as a string literal.
pub(crate) fn push_string(text: &str, out: &mut String) {
    out.push('"');
    let mut plain = 0;
    for (at, c) in text.char_indices().filter(|(_, c)| c.is_control() || matches!(c, '"' | '\\')) {
        out.push_str(&text[plain..at]);
        out.push_str(match c {
            '"' => "\\\"",
            '\\' => "\\\\",
            '\n' => "\\n",
            '\t' => "\\t",
            _ => "",
        });
        plain = at + c.len_utf8();
    }
    out.push_str(&text[plain..]);
    out.push('"');
}

impl<'a> Writer<'a> {
    pub fn new(woven: &'a Woven, options: &'a PdfOptions, highlighted: &'a Highlighted) -> Self {
        Writer {
            woven,
            options,
            highlighted,
            look: String::new(),
            out: String::new(),
            cuts: Vec::new(),
            top: headings(&woven.blocks).map(|heading| heading.level).min().unwrap_or(1),
            pictures: BTreeMap::new(),
            lost: Vec::new(),
            errors: Vec::new(),
            set_notes: Vec::new(),
            notes_of_headings: Vec::new(),
            in_heading: false,
            dense: false,
            longest_word: LONGEST_WORD / usize::from(options.columns),
            share: 1.0,
            place: Span::NOWHERE,
            places: Vec::new(),
            named: BTreeMap::new(),
            alike: HashMap::new(),
            without_words: Vec::new(),
            labels: BTreeSet::new(),
            referred: BTreeSet::new(),
            absent: BTreeSet::new(),
            marks_in_steps: false,
            slide: None,
        }
    }

    pub fn document(&mut self, fonts: &Chosen) {
        let head = &self.woven.head;
        self.measures(fonts);
        self.look.push_str(crate::colours::PRINT);
        self.look.push_str(&crate::colours::of_house(self.options));
        self.look.push_str(crate::template::OF_DOCUMENTS);
        let title = plain_text(&head.title);
        let first = || headings(&self.woven.blocks).next().map(|heading| plain_text(&heading.content));
        let known_as = if title.is_empty() {
            first().unwrap_or_else(|| head.words.word(Word::Untitled).into())
        } else {
            title.clone()
        };
        let authors: String = head.authors.iter().map(|author| string(&author.name) + ",").collect();
        // Writing to a String can't fail, here and below.
        let date = self.day().unwrap_or_else(|| "none".into());
        let (language, region) = language(&head.language);
        let _ = write!(
            self.out,
            "\n#set document(title: {}, author: ({authors}), date: {date})\n#show: sheet.with(title: {}, lang: {}, region: {})\n",
            string(&known_as),
            string(&title),
            string(&language),
            region.map_or("none".into(), |region| string(&region)),
        );
        self.title_block();
        let wanted = match self.options.layout {
            Layout::Slides => false,
            Layout::Handout => self.options.contents == Contents::Top,
            Layout::Article | Layout::Report => self.options.contents != Contents::None,
        };
        if wanted && self.contents_entries() > 1 {
            let depth = (self.options.contents_depth + 1).saturating_sub(self.top).max(1);
            let _ = write!(self.out, "#contents({depth})\n\n");
        }
        for part in self.chapters() {
            self.cuts.push(self.out.len());
            // What stands before the first chapter may follow the contents.
            let chapter = matches!(part.first(), Some(Block::Heading(_)));
            if self.options.layout == Layout::Report && chapter {
                self.out.push_str("#pagebreak(weak: true)\n\n");
            }
            self.blocks(part);
        }
    }

    /// The text in parts that begin with a heading of the highest level.
    fn chapters(&self) -> Vec<&'a [Block]> {
        let begins = |block: &Block| matches!(block, Block::Heading(heading) if heading.level == self.top);
        let blocks = &self.woven.blocks;
        let mut starts: Vec<usize> = (0..blocks.len()).filter(|&at| at == 0 || begins(&blocks[at])).collect();
        starts.push(blocks.len());
        starts.windows(2).map(|pair| &blocks[pair[0]..pair[1]]).collect()
    }

    /// What the template is made to measure by.
    pub(crate) fn measures(&mut self, fonts: &Chosen) {
        let options = self.options;
        let (width, height) = options.paper.size();
        let margins = margins(options);
        let list = |families: &[String]| families.iter().map(|family| string(family) + ",").collect::<String>();
        let layout = match options.layout {
            Layout::Article => "article",
            Layout::Report => "report",
            Layout::Handout => "handout",
            Layout::Slides => "slides",
        };
        let _ = write!(
            self.look,
            "#let code-size = {}pt\n#let text-font = ({})\n#let code-font = ({})\n#let text-size = {}pt\n\
             #let page-size = (width: {width}pt, height: {height}pt)\n\
             #let margin = (top: {}pt, right: {}pt, bottom: {}pt, left: {}pt)\n\
             #let layout-name = \"{layout}\"\n#let columns-count = {}\n",
            options.code_size * options.font_size,
            list(&fonts.text),
            list(&fonts.code),
            options.font_size,
            margins.top,
            margins.right,
            margins.bottom,
            margins.left,
            options.columns,
        );
        let _ = writeln!(
            self.look,
            "#let from-the-right = {}",
            vineloom_woven::runs_from_the_right(&self.woven.head.language)
        );
        let words = &self.woven.head.words;
        let said = [
            ("page-of", words.word(Word::PageOf)),
            ("notes", words.word(Word::Notes)),
            ("licence", words.word(Word::Licence)),
            ("contents", words.word(Word::Contents)),
            ("column-of", words.word(Word::ColumnsOf)),
        ];
        let said: String = said.iter().map(|(name, word)| format!("{name}: {}, ", string(word))).collect();
        let _ = writeln!(self.look, "#let said = ({said}columns-of: {})", string(words.many(Word::ColumnsOf)));
    }

    /// How many headings the contents have.
    fn contents_entries(&self) -> usize {
        headings(&self.woven.blocks).filter(|heading| heading.level <= self.options.contents_depth).count()
    }

    /// The day of the document, where its date is one: as it is known, or in full in English.
    pub(crate) fn day(&self) -> Option<String> {
        let head = &self.woven.head;
        let known = head.day.as_deref().and_then(|day| day.parse::<Date>().ok());
        let day = known.or_else(|| Date::strptime("%d %B %Y", head.date.as_deref()?.trim()).ok())?;
        Some(format!("datetime(year: {}, month: {}, day: {})", day.year(), day.month(), day.day()))
    }

    fn title_block(&mut self) {
        let head = &self.woven.head;
        if head.title.is_empty() && head.authors.is_empty() && head.date.is_none() && head.licence.is_none() {
            return;
        }
        let title = if self.options.layout == Layout::Report { "title-page" } else { "title-block" };
        let longest = std::mem::replace(&mut self.longest_word, LONGEST_IN_CELL);
        self.titles(title);
        self.longest_word = longest;
        self.out.push_str("\n\n");
    }

    /// Calls a function of the template with what the title block says.
    pub fn titles(&mut self, function: &str) {
        let head = &self.woven.head;
        // Writing to a String can't fail.
        let _ = write!(self.out, "#{function}(title: [");
        self.inlines(&head.title);
        self.out.push_str("], subtitle: [");
        self.inlines(&head.subtitle);
        self.out.push_str("], authors: (");
        for author in &head.authors {
            let affiliation = author.affiliation.as_ref().map_or("none".into(), |text| string(text));
            let _ = write!(self.out, "(name: {}, affiliation: {affiliation}),", string(&author.name));
        }
        let date = head.date.as_ref().map_or("none".into(), |text| string(text));
        let licence = head.licence.as_ref().map_or("none".into(), |text| string(text));
        let _ = write!(self.out, "), date: {date}, licence: {licence})");
    }

    /// Writes what stands at a place of the document, and remembers which part of the source that is.
    pub fn at(&mut self, place: Span, write: impl FnOnce(&mut Self)) {
        let before = std::mem::replace(&mut self.place, place);
        self.places.push((self.out.len(), self.place));
        write(self);
        self.place = before;
        self.places.push((self.out.len(), before));
    }

    /// Takes back the white space that was written last.
    pub fn trim_end(&mut self) {
        let kept = self.out.trim_end().len();
        self.out.truncate(kept);
        for (start, _) in self.places.iter_mut().rev().take_while(|(start, _)| *start > kept) {
            *start = kept;
        }
    }

    /// Tells once what can't be shown, with the place where it is met first.
    pub fn lose(&mut self, loss: Diagnostic) {
        if self.lost.iter().all(|told| told.message != loss.message) {
            self.lost.push(loss.at(self.place));
        }
    }
}

/// The margins that are asked for, or those that suit the layout.
fn margins(options: &PdfOptions) -> Margins {
    let (width, height) = options.paper.size();
    let (left, right) = match (options.layout, options.columns) {
        (Layout::Slides, _) => (0.084, 0.066),
        (Layout::Handout, _) => (0.09, 0.38),
        (_, 1) => (0.175, 0.175),
        _ => (0.1, 0.1),
    };
    let top = 0.125 * height;
    options.margins.unwrap_or(Margins { top, right: right * width, bottom: top, left: left * width })
}

/// Width and height that the margins leave for text, in points.
pub(crate) fn room(options: &PdfOptions) -> (f64, f64) {
    let (width, height) = options.paper.size();
    let margins = margins(options);
    (width - margins.left - margins.right, height - margins.top - margins.bottom)
}

/// How many columns of code stand on a line, in the built-in font and outside of lists and the like.
pub(crate) fn code_columns(options: &PdfOptions) -> usize {
    const WIDTH_OF_A_LETTER: f64 = 0.602;
    let (width, _) = room(options);
    let gaps = f64::from(options.columns - 1) * 0.04 * width;
    let column = (width - gaps) / f64::from(options.columns) - 2.0 * 0.76 * options.font_size;
    (column / (options.code_size * WIDTH_OF_A_LETTER * options.font_size)) as usize
}

/// The language and the region of a tag; English for one that names no language.
pub(crate) fn language(tag: &str) -> (String, Option<String>) {
    language_and_region(tag).unwrap_or_else(|| ("en".into(), None))
}

fn headings(blocks: &[Block]) -> impl Iterator<Item = &Heading> {
    blocks.iter().filter_map(|block| if let Block::Heading(heading) = block { Some(heading.as_ref()) } else { None })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_string_literal_holds_any_text() {
        assert_eq!(string("a\"b\\c\nd\u{7}#[$"), "\"a\\\"b\\\\c\\nd#[$\"");
    }
}
