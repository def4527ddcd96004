//! Walking the whole tree of a document. Each walker names every variant, so that a new one is not forgotten.

use crate::index::ValueIndex;
use crate::inline::{Inline, values_mut};
use crate::tree::{Block, Document};

impl Block {
    /// The lists of blocks that stand in it, in the order of the text.
    pub fn children(&self) -> Vec<&[Block]> {
        match self {
            Block::Quote(blocks) | Block::Embedded { blocks, .. } | Block::Footnote { blocks, .. } => vec![blocks],
            Block::Container(container) => vec![&container.blocks],
            Block::List { items, .. } => items.iter().map(|item| item.blocks.as_slice()).collect(),
            Block::Heading { .. }
            | Block::Paragraph { .. }
            | Block::Table { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Listing(_)
            | Block::Live(_)
            | Block::Placement { .. }
            | Block::DataFile { .. } => Vec::new(),
        }
    }

    /// The same, to be changed.
    pub(crate) fn children_mut(&mut self) -> Vec<&mut Vec<Block>> {
        match self {
            Block::Quote(blocks) | Block::Embedded { blocks, .. } | Block::Footnote { blocks, .. } => vec![blocks],
            Block::Container(container) => vec![&mut container.blocks],
            Block::List { items, .. } => items.iter_mut().map(|item| &mut item.blocks).collect(),
            Block::Heading { .. }
            | Block::Paragraph { .. }
            | Block::Table { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Listing(_)
            | Block::Live(_)
            | Block::Placement { .. }
            | Block::DataFile { .. } => Vec::new(),
        }
    }

    /// The running texts of the block itself: sentences, titles, cells, captions. The caption of a live block stands
    /// in [`Document::live`].
    pub fn texts(&self) -> Vec<&[Inline]> {
        match self {
            Block::Heading { content, .. } | Block::Paragraph { content, .. } => vec![content],
            Block::Placement { caption, .. } | Block::DataFile { caption, .. } => vec![caption],
            Block::Listing(listing) => vec![&listing.caption],
            Block::Container(container) => vec![&container.title],
            Block::Table { header, rows, .. } => {
                header.iter().chain(rows.iter().flatten()).map(Vec::as_slice).collect()
            }
            Block::Quote(_)
            | Block::List { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Live(_)
            | Block::Embedded { .. }
            | Block::Footnote { .. } => Vec::new(),
        }
    }

    /// The same, to be changed.
    fn texts_mut(&mut self) -> Vec<&mut Vec<Inline>> {
        match self {
            Block::Heading { content, .. } | Block::Paragraph { content, .. } => vec![content],
            Block::Placement { caption, .. } | Block::DataFile { caption, .. } => vec![caption],
            Block::Listing(listing) => vec![&mut listing.caption],
            Block::Container(container) => vec![&mut container.title],
            Block::Table { header, rows, .. } => header.iter_mut().chain(rows.iter_mut().flatten()).collect(),
            Block::Quote(_)
            | Block::List { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Live(_)
            | Block::Embedded { .. }
            | Block::Footnote { .. } => Vec::new(),
        }
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
}

/// Visits each block, those inside others too, in the order of the text.
pub fn each_block<'t>(blocks: &'t [Block], visit: &mut dyn FnMut(&'t Block)) {
    for block in blocks {
        visit(block);
        block.children().into_iter().for_each(|blocks| each_block(blocks, visit));
    }
}

/// Visits each running text that stands in blocks: sentences, headings, cells, captions, titles.
pub fn each_text<'t>(blocks: &'t [Block], visit: &mut dyn FnMut(&'t [Inline])) {
    each_block(blocks, &mut |block| block.texts().into_iter().for_each(&mut *visit));
}

impl Document {
    /// Visits each running text of the body in the order in which it is read, the captions of live blocks among them.
    pub fn each_text<'t>(&'t self, visit: &mut dyn FnMut(&'t [Inline])) {
        each_block(&self.blocks, &mut |block| match block {
            Block::Live(index) => visit(&self.live[*index].caption),
            block => block.texts().into_iter().for_each(&mut *visit),
        });
    }
}
