//! What typesetting brought to light: letters without a shape, tables that had to be turned, what keeps a PDF from
//! being accessible by the standard.

use crate::fonts::{has, is_drawn};
use std::collections::{BTreeMap, BTreeSet};
use typst::foundations::{Label, Selector, Value};
use typst::introspection::{Introspector, MetadataElem};
use typst::layout::{Frame, FrameItem};
use typst::text::FontBook;
use typst::utils::PicoStr;
use typst_layout::PagedDocument;
use vineloom_document::Diagnostic;
use vineloom_woven::Span;

/// From which byte of the typesetter's source on it is what part of the document.
#[derive(Debug, Clone)]
pub(crate) struct Places(pub Vec<(usize, Span)>);

impl Places {
    /// The first byte of the source that belongs to a part of the document.
    pub fn start(&self) -> usize {
        self.0.first().map_or(0, |(start, _)| *start)
    }

    /// The part of the document that a byte of the source belongs to.
    pub fn of(&self, byte: usize) -> Span {
        let after = self.0.partition_point(|(start, _)| *start <= byte);
        after.checked_sub(1).and_then(|at| self.0.get(at)).map_or(Span::NOWHERE, |(_, place)| *place)
    }
}

/// The letters that were set without a shape, as no font has them.
pub(crate) fn letters_without_shape(document: &PagedDocument, book: &FontBook) -> BTreeSet<char> {
    let mut letters = BTreeSet::new();
    document.pages().iter().for_each(|page| look_for_letters(&page.frame, &mut letters));
    // What is joined to such a letter was set with it.
    letters.retain(|&c| is_drawn(c) && !has(book, c));
    letters
}

fn look_for_letters(frame: &Frame, letters: &mut BTreeSet<char>) {
    for (_, item) in frame.items() {
        match item {
            FrameItem::Group(group) => look_for_letters(&group.frame, letters),
            FrameItem::Text(text) => {
                let missing = text.glyphs.iter().filter(|glyph| glyph.id == 0);
                letters.extend(missing.flat_map(|glyph| text.text[glyph.range()].chars()));
            }
            _ => {}
        }
    }
}

/// What is told of letters that no font has.
pub(crate) fn of_letters(letters: &BTreeSet<char>, source: &str, places: &Places) -> Option<Diagnostic> {
    let first = letters.first()?;
    let shown = letters.iter().take(5).map(|&c| format!("{c} (U+{:04X})", u32::from(c))).collect::<Vec<_>>();
    let more = letters.len().saturating_sub(shown.len());
    let more = if more == 0 { String::new() } else { format!(" and {more} more") };
    let noun = if letters.len() == 1 { "the letter" } else { "the letters" };
    let message = format!("no font here has {noun} {}{more}; an empty box stands in the PDF", shown.join(", "));
    let help = "install a font that has it, or name one: `font = [\"fonts/Name.ttf\"]` under `[pdf]`";
    let text = places.start();
    let found = source[text..].char_indices().find(|(_, c)| letters.contains(c));
    let loss = Diagnostic::loss(message).help(help);
    Some(match found {
        Some((byte, c)) => loss.at(places.of(text + byte)).about(c),
        None => loss.about(*first),
    })
}

/// What is told of letters in drawings that no font has.
pub(crate) fn of_drawn_letters(words: &[(String, Span)], book: &FontBook) -> Vec<Diagnostic> {
    let of_drawing = |(words, place): &(String, Span)| {
        let lacking = words.chars().find(|&c| !c.is_ascii() && is_drawn(c) && !has(book, c))?;
        let message = format!("no font here has the letter {lacking} (U+{:04X}) of this drawing", u32::from(lacking));
        let help = "install a font that has it, or let the program that draws turn text into outlines";
        Some(Diagnostic::loss(message).help(help).at(*place))
    };
    words.iter().filter_map(of_drawing).collect()
}

/// What the template tells of tables and formulas that were too wide for the page as they are.
pub(crate) fn of_sizes(document: &PagedDocument, named: &BTreeMap<String, Span>) -> Vec<Diagnostic> {
    let Some(label) = Label::new(PicoStr::intern("told")) else { return Vec::new() };
    let told = document.introspector().query(&Selector::Label(label));
    told.iter()
        .filter_map(|content| {
            let Value::Dict(told) = &content.to_packed::<MetadataElem>()?.value else { return None };
            let (Ok(Value::Str(what)), Ok(Value::Str(name))) = (told.get("what"), told.get("named")) else {
                return None;
            };
            let place = named.get(name.as_str()).copied().unwrap_or(Span::NOWHERE);
            let mut words = what.as_str().splitn(3, ':');
            let (kind, columns, amount) = (words.next()?, words.next()?, words.next()?);
            let message = match kind {
                "slide" => {
                    let message = format!("the slide “{amount}” is set at {columns} % of its size to fit: it will not be read from the back");
                    return Some(Diagnostic::loss(message).help("divide it, or take something off it").at(place));
                }
                "scaled" => format!("the table of {columns} columns is set at {amount} % of its size to fit the page"),
                "formula" => {
                    let message = format!("the formula is set at {columns} % of its size to fit its line");
                    return Some(
                        Diagnostic::loss(message).help("break it, with `\\\\` in an `aligned` for instance").at(place),
                    );
                }
                "turned" => format!("the table of {columns} columns is turned on its side to fit the page"),
                _ => format!("the table of {columns} columns is set in {amount} parts, one below the other"),
            };
            let help = "show fewer columns in print, or turn rows and columns around";
            Some(Diagnostic::loss(message).help(help).at(place))
        })
        .collect()
}

/// What is told of a PDF that is not accessible by the standard, when nothing else has told it.
pub(crate) fn of_the_standard(why: &Diagnostic) -> Diagnostic {
    let message = why.message.rsplit("PDF/UA-1 error: ").next().unwrap_or_default();
    let help = match message {
        message if message.contains("heading level") => "let headings go down one level at a time",
        _ => "`standard = \"none\"` asks for a PDF without the claim",
    };
    Diagnostic::loss(format!("the PDF is tagged and makes no claim to PDF/UA-1: {message}"))
        .help(help)
        .at(why.span.unwrap_or(Span::NOWHERE))
}

/// What is told of figures that nobody gave words to.
pub(crate) fn of_figures(without_words: &[Span]) -> Option<Diagnostic> {
    let place = *without_words.first()?;
    let message = match without_words.len() {
        1 => "this figure has no alternative text, so the PDF makes no claim to PDF/UA-1".to_string(),
        count => {
            format!("{count} figures have no alternative text, so the PDF makes no claim to PDF/UA-1; the first is")
        }
    };
    let help = "say what each shows: `alt=\"…\"` on the fence line, the words in `![…]`; `alt=\"\"` for an ornament";
    Some(Diagnostic::loss(message).help(help).at(place))
}
