//! The text in chapters: the HTML of a book, whose files are made elsewhere.

use super::{Dress, HtmlOptions, Writer};
use crate::Assets;
use crate::web_font::web_font;
use std::collections::BTreeSet;
use vineloom_font::Typeface;
use vineloom_woven::{Block, Memory, NoteNumber, Woven};

/// The chapters of a book as HTML.
#[derive(Debug, Default)]
pub(crate) struct Chapters {
    /// Title, subtitle, authors and date.
    pub title: String,
    /// Each with its footnotes at its end.
    pub chapters: Vec<String>,
    /// The pictures that they show, by their paths.
    pub pictures: Vec<(String, Vec<u8>)>,
    /// The part of the mathematics font that their formulas are set in.
    pub font: Option<Vec<u8>>,
}

/// Writes chapters; each is a list of blocks. Pictures stand in a folder of this name.
pub(crate) fn chapters(
    woven: &Woven,
    options: &HtmlOptions,
    assets: &Assets,
    parts: &[Vec<Block>],
    folder: &str,
    memory: &dyn Memory,
) -> Chapters {
    let mut writer = Writer::new(woven, options, Dress::Full);
    writer.parts_folder = Some(folder.into());
    writer.highlighted = assets.highlighted.clone();
    writer.title_words();
    let title = std::mem::take(&mut writer.out);
    let mut chapters = Vec::new();
    for part in parts {
        writer.noted.clear();
        writer.blocks(part);
        writer.notes_at_end();
        chapters.push(std::mem::take(&mut writer.out));
    }
    let letters = std::mem::take(&mut writer.uses.mathematics);
    let font = if letters.is_empty() { None } else { web_font(Typeface::Mathematics, letters, memory) };
    let pictures = writer.parts.into_iter().map(|(name, bytes)| (format!("{folder}/{name}"), bytes)).collect();
    Chapters { title, chapters, pictures, font }
}

impl Writer<'_> {
    /// The footnotes that are marked in the chapter; a reader shows one beside its mark.
    fn notes_at_end(&mut self) {
        let mut written = BTreeSet::new();
        loop {
            let marked = self.noted.keys().copied().filter(|number| !written.contains(number));
            let marked: Vec<NoteNumber> = marked.collect();
            if marked.is_empty() {
                return;
            }
            // A footnote may have marks of others: they come in the next round.
            for number in marked {
                written.insert(number);
                self.push(&format!("<aside class=\"footnote\" id=\"note-{number}\">\n"));
                let woven = self.woven;
                self.push(&format!("<p class=\"note-number\">{number}</p>\n"));
                self.blocks(woven.note(number));
                self.links_to_marks(number);
                self.push("</aside>\n");
            }
        }
    }
}
