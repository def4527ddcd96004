//! Numbers, before anything is put in.

use super::{HeadingPlace, Numbered, Splicer};
use std::collections::HashSet;
use vineloom_document::options::{LineNumbers, ReadAs, Show};
use vineloom_document::{
    Block, BlockIndex, Container, ContainerKind, Inline, InlineKind, Name, Named, Span, each_block, each_inline,
    each_text, first_level, plain_text, slug,
};
use vineloom_interpreters::Piece;
use vineloom_woven::{FloatKind, Id};

/// What has been counted so far.
struct Counts {
    /// The level of the highest heading, which counts as the first part of a section number.
    top: u8,
    headings: [usize; 6],
    floats: [usize; 3],
    equations: usize,
    numbered: HashSet<BlockIndex>,
}

impl<'a> Splicer<'a> {
    pub(super) fn survey(&mut self, body: &[Block]) {
        let document = self.document;
        if !document.live.is_empty() {
            self.survey_placements(body);
        }
        for (name, named) in &document.names {
            if matches!(named, Named::Live(..) | Named::Listing(_) | Named::Container(_)) {
                self.names.insert(name.clone(), Numbered::Unnumbered);
            }
        }
        let top = first_level(body).unwrap_or(1);
        let mut counts = Counts { top, headings: [0; 6], floats: [0; 3], equations: 0, numbered: HashSet::new() };
        self.survey_blocks(body, &mut counts);
        self.survey_lines(body);
    }

    /// Which blocks have their results placed somewhere.
    fn survey_placements(&mut self, body: &[Block]) {
        let document = self.document;
        let live = |name: &str| document.block_named(name);
        each_block(body, &mut |block| {
            if let Block::Placement { name, .. } = block {
                self.placed.extend(live(name));
                self.placed_apart.extend(live(name));
            }
        });
        // Within a sentence there is no room for a caption: a block that has one is shown in its place as well.
        each_text(body, &mut |text| {
            each_inline(text, &mut |inline| {
                if let InlineKind::Placement(placement) = &inline.kind {
                    self.placed.extend(live(&placement.name).filter(|&index| document.live[index].caption.is_empty()));
                }
            });
        });
    }

    /// Which numbers stand beside which code, in the order of the document.
    fn survey_lines(&mut self, body: &[Block]) {
        let (document, results) = (self.document, self.results);
        let mut numbered: Vec<(Span, LineNumbers, &str)> = Vec::new();
        each_block(body, &mut |block| match block {
            // What is told statement by statement has no numbers.
            Block::Live(index) if !self.shows_code(*index) || self.is_told_by_statements(*index) => {}
            Block::Live(index) => {
                let live = &document.live[*index];
                numbered.push((live.fence, live.options.lines, &results.blocks[*index].code));
            }
            Block::Listing(listing) => numbered.push((listing.span, listing.options.lines, &listing.code)),
            _ => {}
        });
        let mut last: u32 = 0;
        for (fence, how, code) in numbered {
            let first = match how {
                LineNumbers::Off => continue,
                LineNumbers::From(first) => first,
                LineNumbers::Continue => last + 1,
            };
            let lines = u32::try_from(code.lines().count()).unwrap_or(u32::MAX);
            last = first.saturating_add(lines).saturating_sub(1);
            self.first_lines.insert(fence.start, first);
        }
    }

    fn survey_blocks(&mut self, blocks: &[Block], counts: &mut Counts) {
        for block in blocks {
            self.survey_block(block, counts);
        }
    }

    fn survey_block(&mut self, block: &Block, counts: &mut Counts) {
        match block {
            Block::Heading { level, id, content, span, .. } => {
                let number = next_number(&mut counts.headings, *level, counts.top);
                let id = self.survey_heading(id.as_ref(), &number, content);
                self.headings.push(HeadingPlace { span: *span, id, number });
            }
            Block::Equation { id: Some(name), .. } => {
                counts.equations += 1;
                self.names.insert(name.clone(), Numbered::Equation(counts.equations));
            }
            Block::Live(index) if self.stands_captioned(*index) => self.survey_result(*index, counts),
            Block::Listing(listing) if !listing.caption.is_empty() => {
                self.survey_float(FloatKind::Listing, listing.id.as_ref(), counts);
            }
            Block::DataFile { caption, .. } if !caption.is_empty() => {
                self.survey_float(FloatKind::Table, None, counts);
            }
            Block::Placement { name, caption, .. } => {
                if let Some(index) = self.document.block_named(name)
                    && (!caption.is_empty() || !self.document.live[index].caption.is_empty())
                {
                    self.captioned.insert(index);
                    self.survey_result(index, counts);
                }
            }
            Block::Container(container) => self.survey_container(container, counts),
            Block::Quote(blocks) | Block::Embedded { blocks, .. } | Block::Footnote { blocks, .. } => {
                self.survey_blocks(blocks, counts);
            }
            Block::List { items, .. } => items.iter().for_each(|item| self.survey_blocks(&item.blocks, counts)),
            Block::Paragraph { .. }
            | Block::Table { .. }
            | Block::Rule
            | Block::Html { .. }
            | Block::Equation { .. }
            | Block::Listing(_)
            | Block::Live(_)
            | Block::DataFile { .. } => {}
        }
    }

    /// The place that a heading is.
    fn survey_heading(&mut self, id: Option<&Name>, number: &str, content: &[Inline]) -> Option<Id> {
        Id::new(match id {
            Some(name) => {
                let target = Numbered::Section { number: number.into(), title: content.to_vec() };
                self.names.insert(name.clone(), target);
                name.to_string()
            }
            None => self.ids.free(&slug(&plain_text(content))),
        })
    }

    fn survey_container(&mut self, container: &Container, counts: &mut Counts) {
        match container.kind {
            ContainerKind::Figure | ContainerKind::Table if !container.title.is_empty() => {
                let kind = if container.kind == ContainerKind::Table { FloatKind::Table } else { FloatKind::Figure };
                self.survey_float(kind, container.id.as_ref(), counts);
                self.survey_blocks(&container.blocks, counts);
            }
            // The words on tabs are no sections.
            ContainerKind::Tabs => {
                let level = first_level(&container.blocks);
                for block in &container.blocks {
                    match block {
                        Block::Heading { level: this, id, content, .. } if Some(*this) == level => {
                            if let Some(name) = id {
                                self.names.insert(name.clone(), Numbered::Tab { title: content.clone() });
                            }
                        }
                        other => self.survey_block(other, counts),
                    }
                }
            }
            _ => self.survey_blocks(&container.blocks, counts),
        }
    }

    fn survey_float(&mut self, kind: FloatKind, name: Option<&Name>, counts: &mut Counts) {
        counts.floats[kind as usize] += 1;
        if let Some(name) = name {
            self.names.insert(name.clone(), Numbered::Float(kind, counts.floats[kind as usize]));
        }
    }

    fn survey_result(&mut self, index: BlockIndex, counts: &mut Counts) {
        if counts.numbered.insert(index) {
            let kind = self.float_kind(index);
            self.survey_float(kind, self.document.live[index].name.as_ref(), counts);
        }
    }

    /// Whether a block stands where it is written with its caption: with its code, or with what it gave, were it nothing. Where
    /// no code is shown, it does once it gave something.
    pub(super) fn stands_captioned(&self, index: BlockIndex) -> bool {
        let is_shown = match self.without_code && self.outcome(index).is_some() {
            true => self.gives_what_is_shown(index),
            false => self.show(index) != Show::NOTHING,
        };
        !self.document.live[index].caption.is_empty() && is_shown && !self.placed.contains(&index)
    }

    /// What a captioned block counts as: by what it gave.
    pub(super) fn float_kind(&self, index: BlockIndex) -> FloatKind {
        let block = &self.document.live[index];
        let pieces = self.outcome(index).map_or(&[][..], |outcome| &outcome.pieces);
        if block.options.show.figures && pieces.iter().any(|piece| matches!(piece, Piece::Figure(_))) {
            FloatKind::Figure
        } else if block.options.read_as == ReadAs::Table || pieces.iter().any(|piece| matches!(piece, Piece::Table(_)))
        {
            FloatKind::Table
        } else {
            FloatKind::Listing
        }
    }
}

fn next_number(counts: &mut [usize; 6], level: u8, top: u8) -> String {
    let at = usize::from(level.saturating_sub(top)).min(5);
    counts[at] += 1;
    counts[at + 1..].fill(0);
    counts[..=at].iter().map(usize::to_string).collect::<Vec<_>>().join(".")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn section_numbers_start_at_the_highest_level_there_is() {
        let mut counts = [0; 6];
        let numbers: Vec<String> = [2, 3, 3, 2, 4].iter().map(|&level| next_number(&mut counts, level, 2)).collect();
        assert_eq!(numbers, ["1", "1.1", "1.2", "2", "2.0.1"]);
    }
}
