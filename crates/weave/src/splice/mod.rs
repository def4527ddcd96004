//! Putting results into the document: from what was written and what was given to the woven tree.
//!
//! A survey goes first and gives numbers, since a reference may stand before what it refers to; then the tree is
//! made from top to bottom.

mod blocks;
mod failed;
mod inlines;
mod led_to;
mod left_out;
mod markdown_forms;
mod shown;
mod survey;
mod text;
mod text_code;
mod text_containers;
mod text_formulas;
mod text_links;
mod text_pieces;

pub use text::splice_text;
pub use text_pieces::splice_pieces;

use crate::citations::Citations;
use crate::harmless;
use crate::labels::Labels;
use crate::memory::Aids;
use crate::pictures::Pictures;
use crate::plan::Plan;
use crate::prose::Writing;
use crate::results::Results;
use crate::values::{fill, fill_for_reading, values_without_text};
use ecow::EcoString;
use left_out::LeftOut;
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap, HashSet};
use vineloom_document::options::Format;
use vineloom_document::{
    Block, BlockIndex, ByBlock, Diagnostic, Document, Ids, Inline, Name, Role, Span, Template, standing_in,
};
use vineloom_interpreters::Outcome;
use vineloom_language::Typesetter;
use vineloom_woven as woven;
use vineloom_woven::{Author, FloatKind, Head, Id, NoteNumber, StrandIndex, Vocabulary, Woven};

/// Puts results into a document, for formats in all of which the same stands (see [`alike`](vineloom_document::alike)).
/// Findings, such as a picture that is not there, go to `diagnostics`. `body` is the document's own: one that is given
/// away is freed block by block as the tree grows. `document` itself needs no blocks.
pub fn splice(
    document: &Document,
    body: Cow<'_, [Block]>,
    formats: &[Format],
    plan: &Plan,
    results: &Results,
    aids: Aids,
    diagnostics: &mut Vec<Diagnostic>,
) -> Woven {
    let (body, left_out) = parted(document, body, formats);
    let mut splicer = Splicer::new(document, &body, left_out, plan, results, aids, diagnostics);
    let head = splicer.head();
    let mut blocks = Vec::with_capacity(body.len());
    match body {
        Cow::Borrowed(body) => body.iter().for_each(|block| splicer.push(block, &mut blocks)),
        Cow::Owned(body) => body.into_iter().for_each(|block| splicer.push(&block, &mut blocks)),
    }
    if !splicer.citations.list_placed()
        && let Some(list) = splicer.citations.list()
    {
        blocks.push(list);
    }
    let notes = splicer.take_notes();
    splicer.diagnostics.extend(values_without_text(document, &|index| results.cited(index)));
    Woven { head, blocks, notes, strands: splicer.strands.titles }
}

/// What of a body stands in formats, and what does not.
fn parted<'b>(document: &Document, body: Cow<'b, [Block]>, formats: &[Format]) -> (Cow<'b, [Block]>, LeftOut) {
    match formats.first().and_then(|&format| standing_in(format, &body)) {
        Some(standing) => {
            let left_out = LeftOut::of(document, &body, &standing, formats);
            (Cow::Owned(standing), left_out)
        }
        None => (body, LeftOut::nothing(formats)),
    }
}

/// Which strand each block ran on, and what they are called, in order of first use.
struct Strands {
    titles: Vec<String>,
    of_block: ByBlock<StrandIndex>,
}

impl Strands {
    fn of(document: &Document, plan: &Plan) -> Self {
        let mut titles: Vec<String> = Vec::new();
        let mut of_block = document.live.map(|_| StrandIndex::default());
        for (index, block) in document.live.enumerate() {
            let title = match (&plan.tasks[index], &block.role) {
                (Some(task), Role::Shown) => task.strand.title(&block.language),
                (None, Role::Shown) => block.language.clone(),
                _ => continue,
            };
            let known = titles.iter().position(|known| *known == title);
            of_block[index] = StrandIndex(known.unwrap_or_else(|| {
                titles.push(title);
                titles.len() - 1
            }));
        }
        Strands { titles, of_block }
    }
}

/// What a reference to a name becomes.
#[derive(Debug, Clone)]
enum Numbered {
    /// A figure, table or listing.
    Float(FloatKind, usize),
    /// A section.
    Section { number: String, title: Vec<Inline> },
    /// The words on a tab.
    Tab { title: Vec<Inline> },
    /// An equation.
    Equation(usize),
    /// Something without a number.
    Unnumbered,
}

/// What the survey gave a heading.
#[derive(Debug, Clone)]
struct HeadingPlace {
    span: Span,
    id: Option<Id>,
    number: String,
}

#[derive(Default)]
struct Notes {
    numbers: HashMap<String, NoteNumber>,
    written: HashMap<String, Vec<woven::Block>>,
}

struct Splicer<'a> {
    document: &'a Document,
    results: &'a Results,
    pictures: &'a dyn Pictures,
    diagnostics: &'a mut Vec<Diagnostic>,
    citations: Citations,
    labels: Labels,
    /// The words of the reader's language.
    words: Vocabulary,
    strands: Strands,
    /// Blocks whose result the prose places somewhere.
    placed: HashSet<BlockIndex>,
    /// Those of them that it places in a paragraph of their own.
    placed_apart: HashSet<BlockIndex>,
    /// Those of them that it places with a caption.
    captioned: HashSet<BlockIndex>,
    names: BTreeMap<Name, Numbered>,
    left_out: LeftOut,
    /// Whether no code of live blocks is shown.
    without_code: bool,
    headings: Vec<HeadingPlace>,
    next_heading: usize,
    ids: Ids,
    /// Blocks whose numbered result has been put in.
    shown: HashSet<BlockIndex>,
    counts: [usize; 3],
    /// The number of the first line of all code with numbers beside it, by where its fence stands.
    first_lines: BTreeMap<usize, u32>,
    notes: Notes,
    /// Sets the prose, where that is asked for.
    typesetter: Option<Typesetter>,
    /// How deep in one running text we are.
    depth: usize,
}

impl<'a> Splicer<'a> {
    /// A splicer that has given all numbers.
    fn new(
        document: &'a Document,
        body: &[Block],
        left_out: LeftOut,
        plan: &Plan,
        results: &'a Results,
        aids: Aids<'a>,
        diagnostics: &'a mut Vec<Diagnostic>,
    ) -> Self {
        let Aids { pictures, memory } = aids;
        let citations = Citations::of(document, body, memory, diagnostics);
        let mut splicer = Splicer {
            document,
            results,
            pictures,
            diagnostics,
            citations,
            labels: Labels::of(document, results),
            words: Vocabulary::new(document.language(), document.own_words()),
            strands: Strands::of(document, plan),
            placed: HashSet::new(),
            placed_apart: HashSet::new(),
            captioned: HashSet::new(),
            names: BTreeMap::new(),
            without_code: left_out.formats.first().is_some_and(|&format| document.is_without_code(format)),
            left_out,
            headings: Vec::new(),
            next_heading: 0,
            ids: Ids::beside(document.names.keys().map(ToString::to_string)),
            shown: HashSet::new(),
            counts: [0; 3],
            first_lines: BTreeMap::new(),
            notes: Notes::default(),
            typesetter: document.is_typographic().then(|| Typesetter::of(document.language())),
            depth: 0,
        };
        splicer.survey(body);
        splicer
    }

    fn head(&mut self) -> Head {
        let document = self.document;
        Head {
            title: self.heading_of(&document.title),
            subtitle: self.heading_of(&document.subtitle),
            authors: document
                .authors
                .iter()
                .map(|(name, affiliation)| {
                    let affiliation = self.plain(affiliation);
                    Author { name: self.plain(name), affiliation: Some(affiliation).filter(|text| !text.is_empty()) }
                })
                .collect(),
            date: Some(self.plain(&document.date)).filter(|text| !text.is_empty()),
            day: document.day.clone(),
            language: document.language().to_string(),
            macros: document.macros(),
            words: self.words.clone(),
            licence: Some(self.plain(&document.licence)).filter(|text| !text.is_empty()),
        }
    }

    /// What stands over something and is written as a text of its own (a title, a caption, a label): with harmless tags
    /// only.
    fn heading_of(&mut self, inlines: &[Inline]) -> Vec<woven::Inline> {
        let pictures = self.pictures;
        harmless::inlines(self.inlines(inlines), &|source| pictures.read(source).is_ok())
    }

    /// Running text without its markup, values put in.
    fn plain(&mut self, inlines: &[Inline]) -> String {
        woven::plain_text(&self.inlines(inlines))
    }

    fn outcome(&self, index: BlockIndex) -> Option<&'a Outcome> {
        self.results.outcome(index)
    }

    fn fill(&self, template: &Template) -> EcoString {
        let results = self.results;
        fill(template, self.document, &|index| results.cited(index))
    }

    fn fill_for_reading(&self, template: &Template, writing: Writing) -> EcoString {
        let results = self.results;
        fill_for_reading(template, self.document, &|index| results.cited(index), writing)
    }

    /// The number of an equation that has a name.
    fn equation_number(&self, name: &Name) -> Option<usize> {
        match self.names.get(name) {
            Some(Numbered::Equation(number)) => Some(*number),
            _ => None,
        }
    }

    fn take_notes(&mut self) -> Vec<Vec<woven::Block>> {
        let mut numbered: Vec<(NoteNumber, String)> =
            self.notes.numbers.drain().map(|(name, number)| (number, name)).collect();
        numbered.sort_unstable();
        numbered.into_iter().map(|(_, name)| self.notes.written.remove(&name).unwrap_or_default()).collect()
    }
}
