//! Walking the whole tree of a document. Each walker names every variant, so that a new one is not forgotten.

use crate::holdings::Sought;
use crate::index::{BlockIndex, ValueIndex};
use crate::inline::{Inline, each_inline, values_mut};
use crate::tree::{Block, Document, Item};
use std::slice;

impl Block {
    /// The lists of blocks that stand in it, in the order of the text.
    pub fn children(&self) -> impl Iterator<Item = &[Block]> {
        let (one, items): (Option<&[Block]>, &[Item]) = match self {
            Block::Quote(blocks) | Block::Embedded { blocks, .. } | Block::Footnote { blocks, .. } => {
                (Some(blocks), &[])
            }
            Block::Container(container) => (Some(&container.blocks), &[]),
            Block::List { items, .. } => (None, items),
            Block::Heading { .. }
            | Block::Paragraph { .. }
            | Block::Table { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Listing(_)
            | Block::Live(_)
            | Block::Placement { .. }
            | Block::DataFile { .. } => (None, &[]),
        };
        one.into_iter().chain(items.iter().map(|item| item.blocks.as_slice()))
    }

    /// The same, to be changed.
    pub(crate) fn children_mut(&mut self) -> impl Iterator<Item = &mut Vec<Block>> {
        let (one, items): (Option<&mut Vec<Block>>, &mut [Item]) = match self {
            Block::Quote(blocks) | Block::Embedded { blocks, .. } | Block::Footnote { blocks, .. } => {
                (Some(blocks), &mut [])
            }
            Block::Container(container) => (Some(&mut container.blocks), &mut []),
            Block::List { items, .. } => (None, items),
            Block::Heading { .. }
            | Block::Paragraph { .. }
            | Block::Table { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Listing(_)
            | Block::Live(_)
            | Block::Placement { .. }
            | Block::DataFile { .. } => (None, &mut []),
        };
        one.into_iter().chain(items.iter_mut().map(|item| &mut item.blocks))
    }

    /// The running texts of the block itself: sentences, titles, cells, captions. The caption of a live block stands
    /// in [`Document::live`].
    pub fn texts(&self) -> impl Iterator<Item = &[Inline]> {
        let (header, rows): (&[Vec<Inline>], &[Vec<Vec<Inline>>]) = match self {
            Block::Heading { content, .. } | Block::Paragraph { content, .. } => (slice::from_ref(content), &[]),
            Block::Placement { caption, .. } | Block::DataFile { caption, .. } => (slice::from_ref(caption), &[]),
            Block::Listing(listing) => (slice::from_ref(&listing.caption), &[]),
            Block::Container(container) => (slice::from_ref(&container.title), &[]),
            Block::Table { header, rows, .. } => (header, rows),
            Block::Quote(_)
            | Block::List { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Live(_)
            | Block::Embedded { .. }
            | Block::Footnote { .. } => (&[], &[]),
        };
        header.iter().chain(rows.iter().flatten()).map(Vec::as_slice)
    }

    /// The same, to be changed.
    fn texts_mut(&mut self) -> impl Iterator<Item = &mut Vec<Inline>> {
        let (header, rows): (&mut [Vec<Inline>], &mut [Vec<Vec<Inline>>]) = match self {
            Block::Heading { content, .. } | Block::Paragraph { content, .. } => (slice::from_mut(content), &mut []),
            Block::Placement { caption, .. } | Block::DataFile { caption, .. } => (slice::from_mut(caption), &mut []),
            Block::Listing(listing) => (slice::from_mut(&mut listing.caption), &mut []),
            Block::Container(container) => (slice::from_mut(&mut container.title), &mut []),
            Block::Table { header, rows, .. } => (header, rows),
            Block::Quote(_)
            | Block::List { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Live(_)
            | Block::Embedded { .. }
            | Block::Footnote { .. } => (&mut [], &mut []),
        };
        header.iter_mut().chain(rows.iter_mut().flatten())
    }

    /// Visits the values of the block itself, to change them.
    pub(crate) fn each_value_mut(&mut self, visit: &mut dyn FnMut(&mut ValueIndex)) {
        for text in self.texts_mut() {
            text.iter_mut().for_each(|inline| inline.each_value_mut(visit));
        }
        if let Block::Equation { latex, .. } = self {
            values_mut(latex, visit);
        }
    }

    /// Gives the values and the live blocks of the block, and of those inside it, other numbers.
    pub(crate) fn renumber(&mut self, value: &mut dyn FnMut(&mut ValueIndex), live: &mut dyn FnMut(&mut BlockIndex)) {
        self.each_value_mut(value);
        if let Block::Live(index) = self {
            live(index);
        }
        self.children_mut().flatten().for_each(|inner| inner.renumber(value, live));
    }
}

/// Visits each block, those inside others too, in the order of the text.
pub fn each_block<'t>(blocks: &'t [Block], visit: &mut dyn FnMut(&'t Block)) {
    for block in blocks {
        visit(block);
        block.children().for_each(|blocks| each_block(blocks, visit));
    }
}

/// Visits each running text that stands in blocks: sentences, headings, cells, captions, titles.
pub fn each_text<'t>(blocks: &'t [Block], visit: &mut dyn FnMut(&'t [Inline])) {
    each_block(blocks, &mut |block| block.texts().for_each(&mut *visit));
}

impl Document {
    /// Visits each running text of the body in the order in which it is read, the captions of live blocks among them.
    pub fn each_text<'t>(&'t self, visit: &mut dyn FnMut(&'t [Inline])) {
        self.each_text_of(&self.blocks, visit);
    }

    /// Whether a kind of running text occurs in the body or in the captions of its live blocks.
    pub fn holds(&self, sought: Sought) -> bool {
        self.holdings.contains(sought)
    }

    /// Visits all pieces of one kind in the order in which they are read, as [`Document::each_text`] does.
    pub fn each_inline<'t>(&'t self, sought: Sought, visit: &mut dyn FnMut(&'t Inline)) {
        if self.holds(sought) {
            self.each_text(&mut |text| {
                each_inline(text, &mut |inline| {
                    if Sought::of(inline) == Some(sought) {
                        visit(inline);
                    }
                });
            });
        }
    }

    /// Visits each running text of blocks of the body, as [`Document::each_text`] does of all.
    pub fn each_text_of<'t>(&'t self, blocks: &'t [Block], visit: &mut dyn FnMut(&'t [Inline])) {
        each_block(blocks, &mut |block| match block {
            Block::Live(index) => visit(&self.live[*index].caption),
            block => block.texts().for_each(&mut *visit),
        });
    }
}
