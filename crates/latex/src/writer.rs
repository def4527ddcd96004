//! What writes the text: the source that grows, the files beside it.

use crate::LatexOptions;
use std::collections::BTreeSet;
use vineloom_document::Diagnostic;
use vineloom_export::Assets;
use vineloom_export::layout::{headings_of, places};
use vineloom_woven::Word;
use vineloom_woven::{Block, Id, InlineKind, NoteNumber, Woven, each_inline};

/// Writes the text of a source.
pub(crate) struct Writer<'a> {
    pub woven: &'a Woven,
    pub options: &'a LatexOptions,
    pub assets: &'a Assets,
    pub folder: &'a str,
    pub out: String,
    /// Files beside the source, by their paths.
    pub parts: Vec<(String, Vec<u8>)>,
    pub errors: Vec<Diagnostic>,
    /// What is told of pictures that could not be taken along.
    pub unknown_pictures: Vec<Diagnostic>,
    /// The places that there are; words that would lead elsewhere are words.
    pub places: BTreeSet<Id>,
    /// The level of the highest headings.
    pub top: u8,
    pub noted: BTreeSet<NoteNumber>,
    /// Footnotes whose marks stand where LaTeX loses what belongs to them: in tables and captions.
    pub waiting: Option<Vec<NoteNumber>>,
    /// How many lists and quotes it stands in.
    pub depth: usize,
    /// In a footnote, the others that are marked in it: LaTeX knows none within one, so they stand at its end by letters.
    pub inner: Option<Vec<NoteNumber>>,
    /// Whether what is written is the argument of a command, in which no listing can stand.
    pub in_argument: bool,
    /// Whether what is written stands where nothing can float.
    pub fixed: bool,
}

impl<'a> Writer<'a> {
    pub fn new(woven: &'a Woven, options: &'a LatexOptions, assets: &'a Assets, folder: &'a str) -> Self {
        let headings = headings_of(&woven.blocks, 6);
        let top = headings.iter().map(|heading| heading.level).min().unwrap_or(1);
        Writer {
            woven,
            options,
            assets,
            folder,
            out: String::new(),
            parts: Vec::new(),
            errors: Vec::new(),
            unknown_pictures: Vec::new(),
            places: places(woven),
            top,
            noted: BTreeSet::new(),
            waiting: None,
            inner: None,
            depth: 0,
            in_argument: false,
            fixed: false,
        }
    }

    pub fn document(&mut self) {
        let head = &self.woven.head;
        let (title, subtitle) = (self.inlines(&head.title), self.inlines(&head.subtitle));
        let block = crate::preamble::title(head, &self.options.document_class, &title, &subtitle);
        if !self.options.part {
            self.out.push_str(&block);
            if let Some(licence) = &head.licence {
                self.push(&format!(
                    "\n{{\\noindent\\small {}: {}}}\n",
                    crate::escape::text(self.woven.head.words.word(Word::Licence)),
                    crate::escape::text(licence)
                ));
            }
            if self.options.contents.is_some() {
                self.push("\\tableofcontents\n");
            }
        }
        self.blocks(&self.woven.blocks);
    }

    pub fn push(&mut self, latex: &str) {
        self.out.push_str(latex);
    }

    /// What a part of the writer's work would add to the text, apart from it.
    pub fn aside(&mut self, work: impl FnOnce(&mut Self)) -> String {
        let before = std::mem::take(&mut self.out);
        work(self);
        std::mem::replace(&mut self.out, before)
    }
}

/// The works that a document cites, where it cites any and commands are wanted for them.
pub(crate) fn cited_works(woven: &Woven, options: &LatexOptions, assets: &Assets) -> Option<String> {
    if !options.cites || assets.works.is_empty() {
        return None;
    }
    let mut cites = false;
    woven.each_text(&mut |text| {
        each_inline(text, &mut |inline| cites |= matches!(inline.kind, InlineKind::Citation(_)));
    });
    woven.each_block(&mut |block| cites |= matches!(block, Block::Works(_)));
    cites.then(|| assets.works.join("\n"))
}
