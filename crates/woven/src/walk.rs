//! Walking the whole tree. Each walker names every variant, so that a new one is not forgotten.

use crate::block::{Block, Item, Shown, Tab, Term, Work};
use crate::float::Float;
use crate::inline::Inline;
use crate::{Head, Woven};
use smallvec::{SmallVec, smallvec};
use std::mem::take;
use vineloom_document::Span;

impl Block {
    /// The lists of blocks that stand in it, in the order of the text; footnotes stand apart in [`Woven::notes`].
    pub fn children(&self) -> SmallVec<[&[Block]; 1]> {
        match self {
            Block::Quote(blocks)
            | Block::Notice { blocks, .. }
            | Block::Fold { blocks, .. }
            | Block::Steps(blocks)
            | Block::Speaker(blocks)
            | Block::Group { blocks, .. } => smallvec![blocks.as_slice()],
            Block::Terms(terms) => terms.iter().map(|term| term.blocks.as_slice()).collect(),
            Block::List { items, .. } => items.iter().map(|item| item.blocks.as_slice()).collect(),
            Block::Tabs(tabs) => tabs.iter().map(|tab| tab.blocks.as_slice()).collect(),
            Block::Columns { columns, .. } => columns.iter().map(Vec::as_slice).collect(),
            Block::Run(run) => run.results.iter().filter_map(Shown::blocks).collect(),
            Block::Heading(_)
            | Block::Paragraph { .. }
            | Block::Table { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Data { .. }
            | Block::Works(_)
            | Block::Place(_)
            | Block::Listing { .. } => SmallVec::new(),
        }
    }

    /// The running texts of the block itself, in the order of the text: sentences, titles, labels, cells, captions.
    pub fn texts(&self) -> SmallVec<[&[Inline]; 1]> {
        match self {
            Block::Heading(heading) => smallvec![heading.content.as_slice()],
            Block::Paragraph { content, .. } => smallvec![content.as_slice()],
            Block::Table { header, rows, .. } => {
                header.iter().chain(rows.iter().flatten()).map(Vec::as_slice).collect()
            }
            Block::Notice { title, .. } => smallvec![title.as_slice()],
            Block::Tabs(tabs) => tabs.iter().map(|tab| tab.title.as_slice()).collect(),
            Block::Fold { label, .. } => smallvec![label.as_slice()],
            Block::Terms(terms) => terms.iter().map(|term| term.term.as_slice()).collect(),
            Block::Works(works) => works.iter().flat_map(|work| [&*work.label, &*work.content]).collect(),
            Block::Group { float, .. } | Block::Data { float, .. } | Block::Listing { float, .. } => caption(float),
            Block::Run(run) => caption(&run.float),
            Block::Quote(_)
            | Block::List { .. }
            | Block::Rule
            | Block::Place(_)
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Columns { .. }
            | Block::Steps(_)
            | Block::Speaker(_) => SmallVec::new(),
        }
    }

    /// Where it is written, as far as it knows.
    pub fn span(&self) -> Span {
        match self {
            Block::Heading(heading) => heading.span,
            Block::Paragraph { span, .. }
            | Block::Table { span, .. }
            | Block::Html { span, .. }
            | Block::Equation { span, .. }
            | Block::Data { span, .. }
            | Block::Listing { span, .. } => *span,
            Block::Run(run) => run.span,
            block => {
                let inner = block.children().into_iter().flatten().map(Block::span);
                inner.into_iter().find(|span| span.known().is_some()).unwrap_or(Span::NOWHERE)
            }
        }
    }
}

fn caption(float: &Option<Box<Float>>) -> SmallVec<[&[Inline]; 1]> {
    float.iter().map(|float| float.caption.as_slice()).collect()
}

impl Shown {
    /// The blocks of Markdown or HTML that a block printed; nothing for what is no such text.
    pub fn blocks(&self) -> Option<&[Block]> {
        match self {
            Shown::Blocks(blocks) => Some(blocks),
            Shown::Text { .. }
            | Shown::Code(_)
            | Shown::Html { .. }
            | Shown::LeftOut { .. }
            | Shown::Table { .. }
            | Shown::Figure { .. } => None,
        }
    }
}

/// Visits blocks and those that stand in them, in the order of the text.
pub fn each_block<'a>(blocks: &'a [Block], visit: &mut dyn FnMut(&'a Block)) {
    for block in blocks {
        visit(block);
        block.children().into_iter().for_each(|blocks| each_block(blocks, visit));
    }
}

/// Visits pieces of running text and those that stand in them.
pub fn each_inline<'a>(inlines: &'a [Inline], visit: &mut dyn FnMut(&'a Inline)) {
    for inline in inlines {
        visit(inline);
        each_inline(inline.children(), visit);
    }
}

/// Visits every running text of blocks and of those that stand in them.
pub fn each_text<'a>(blocks: &'a [Block], visit: &mut dyn FnMut(&'a [Inline])) {
    each_block(blocks, &mut |block| block.texts().into_iter().for_each(&mut *visit));
}

impl Woven {
    /// Visits every block of the document, footnotes last.
    pub fn each_block<'a>(&'a self, visit: &mut dyn FnMut(&'a Block)) {
        self.bodies().for_each(|blocks| each_block(blocks, visit));
    }

    /// Visits every running text of the document: the title block, then the text, then the footnotes.
    pub fn each_text<'a>(&'a self, visit: &mut dyn FnMut(&'a [Inline])) {
        let Head { title, subtitle, authors: _, date: _, day: _, language: _, licence: _, macros: _, words: _ } =
            &self.head;
        visit(title);
        visit(subtitle);
        self.bodies().for_each(|blocks| each_text(blocks, visit));
    }

    fn bodies(&self) -> impl Iterator<Item = &[Block]> {
        std::iter::once(self.blocks.as_slice()).chain(self.notes.iter().map(Vec::as_slice))
    }
}

/// Makes another tree out of one. What an implementation says nothing of stays as it is; whatever holds blocks or
/// running text gets back what the implementation makes of those.
///
/// ```
/// use vineloom_woven::*;
///
/// /// Says everything twice.
/// struct Twice;
/// impl Rewrite for Twice {
///     fn text(&mut self, text: Vec<Inline>) -> Vec<Inline> {
///         [text.clone(), text].concat()
///     }
/// }
/// let label = vec![Inline::text("More", Span::NOWHERE)];
/// let Block::Fold { label, .. } = Twice.inside(Block::Fold { label, blocks: Vec::new() }) else { panic!() };
/// assert_eq!(plain_text(&label), "MoreMore");
/// ```
pub trait Rewrite {
    /// What becomes of a list of blocks.
    fn blocks(&mut self, blocks: Vec<Block>) -> Vec<Block> {
        blocks.into_iter().map(|block| self.block(block)).collect()
    }

    /// What becomes of a block.
    fn block(&mut self, block: Block) -> Block {
        self.inside(block)
    }

    /// What becomes of running text.
    fn text(&mut self, text: Vec<Inline>) -> Vec<Inline> {
        text.into_iter().map(|inline| self.inline(inline)).collect()
    }

    /// What becomes of a piece of running text.
    fn inline(&mut self, inline: Inline) -> Inline {
        self.inside_of(inline)
    }

    /// A piece of running text with all that stands in it made anew.
    fn inside_of(&mut self, mut inline: Inline) -> Inline {
        inline.change_children(|content| self.text(content));
        inline
    }

    /// What becomes of a result.
    fn shown(&mut self, shown: Shown) -> Shown {
        match shown {
            Shown::Blocks(blocks) => Shown::Blocks(self.blocks(blocks)),
            Shown::Text { .. }
            | Shown::Code(_)
            | Shown::Html { .. }
            | Shown::LeftOut { .. }
            | Shown::Table { .. }
            | Shown::Figure { .. } => shown,
        }
    }

    /// What becomes of a caption.
    fn float(&mut self, mut float: Option<Box<Float>>) -> Option<Box<Float>> {
        if let Some(float) = &mut float {
            float.caption = self.text(take(&mut float.caption));
        }
        float
    }

    /// A block with all that stands in it made anew.
    fn inside(&mut self, block: Block) -> Block {
        match block {
            Block::Heading(mut heading) => {
                heading.content = self.text(take(&mut heading.content));
                Block::Heading(heading)
            }
            Block::Paragraph { content, span } => Block::Paragraph { content: self.text(content), span },
            Block::Quote(blocks) => Block::Quote(self.blocks(blocks)),
            Block::List { start, tight, items } => {
                let item = |item: Item| Item { task: item.task, blocks: self.blocks(item.blocks) };
                Block::List { start, tight, items: items.into_iter().map(item).collect() }
            }
            Block::Table { alignment, header, rows, span } => Block::Table {
                alignment,
                header: header.into_iter().map(|cell| self.text(cell)).collect(),
                rows: rows.into_iter().map(|row| row.into_iter().map(|cell| self.text(cell)).collect()).collect(),
                span,
            },
            Block::Notice { kind, title, blocks } => {
                Block::Notice { kind, title: self.text(title), blocks: self.blocks(blocks) }
            }
            Block::Tabs(tabs) => {
                let tab = |tab: Tab| Tab { title: self.text(tab.title), blocks: self.blocks(tab.blocks) };
                Block::Tabs(tabs.into_iter().map(tab).collect())
            }
            Block::Columns { widths, columns } => {
                Block::Columns { widths, columns: columns.into_iter().map(|column| self.blocks(column)).collect() }
            }
            Block::Fold { label, blocks } => Block::Fold { label: self.text(label), blocks: self.blocks(blocks) },
            Block::Steps(blocks) => Block::Steps(self.blocks(blocks)),
            Block::Speaker(blocks) => Block::Speaker(self.blocks(blocks)),
            Block::Terms(terms) => {
                let term = |term: Term| Term { term: self.text(term.term), blocks: self.blocks(term.blocks) };
                Block::Terms(terms.into_iter().map(term).collect())
            }
            Block::Group { id, float, blocks } => {
                Block::Group { id, float: self.float(float), blocks: self.blocks(blocks) }
            }
            Block::Data { table, float, span } => Block::Data { table, float: self.float(float), span },
            Block::Works(works) => {
                let work =
                    |work: Work| Work { label: self.text(work.label), content: self.text(work.content), id: work.id };
                Block::Works(works.into_iter().map(work).collect())
            }
            Block::Listing { id, code, float, span } => Block::Listing { id, code, float: self.float(float), span },
            Block::Run(mut run) => {
                run.results = take(&mut run.results).into_iter().map(|shown| self.shown(shown)).collect();
                run.float = self.float(run.float.take());
                Block::Run(run)
            }
            Block::Rule | Block::Html { .. } | Block::Equation { .. } | Block::Place(_) => block,
        }
    }

    /// A whole document, made anew.
    fn document(&mut self, woven: Woven) -> Woven {
        let Woven { head, blocks, notes, strands } = woven;
        let head = Head { title: self.text(head.title), subtitle: self.text(head.subtitle), ..head };
        let blocks = self.blocks(blocks);
        Woven { head, blocks, notes: notes.into_iter().map(|note| self.blocks(note)).collect(), strands }
    }
}
