//! What stands for some formats alone: within `::: for` and `::: not-for`, and what only a speaker sees.

use crate::options::{Format, Settings};
use crate::tree::{Block, Container, ContainerKind, Document};
use crate::walk::each_block;

/// The setting of exports that show no code.
const WITHOUT_CODE: &str = "without-code";

impl Document {
    /// Whether an export shows no code of live blocks.
    pub fn is_without_code(&self, format: Format) -> bool {
        let says = |settings: &Settings| settings.get(WITHOUT_CODE).is_some();
        // All settings of a format are put together only where some of them say so.
        self.layers.iter().any(|layer| says(&layer.export) || layer.format_options.values().any(says))
            && self.export_settings(format).flag(WITHOUT_CODE)
    }
}

impl Container {
    /// Whether what it holds stands in the exports of a format.
    pub fn stands_in(&self, format: Format) -> bool {
        let is_named = || self.formats.iter().any(|word| word == format.word());
        match self.kind {
            ContainerKind::For => is_named(),
            ContainerKind::NotFor => !is_named(),
            ContainerKind::Speaker => matches!(format, Format::Deck | Format::DeckPdf | Format::Pptx),
            _ => true,
        }
    }
}

/// The containers that do not stand in every format.
fn for_some(blocks: &[Block]) -> Vec<&Container> {
    let mut found = Vec::new();
    each_block(blocks, &mut |block| {
        if let Block::Container(container) = block
            && matches!(container.kind, ContainerKind::For | ContainerKind::NotFor | ContainerKind::Speaker)
        {
            found.push(container.as_ref());
        }
    });
    found
}

/// Formats in groups, in the order of the first of each: in all formats of a group the same stands of the blocks of a
/// document, either with the code of live blocks or without it.
pub fn alike(document: &Document, blocks: &[Block], formats: &[Format]) -> Vec<Vec<Format>> {
    let containers = for_some(blocks);
    let mut groups: Vec<(Vec<bool>, Vec<Format>)> = Vec::new();
    for &format in formats {
        let mut stands: Vec<bool> = containers.iter().map(|container| container.stands_in(format)).collect();
        stands.push(document.is_without_code(format));
        match groups.iter_mut().find(|(known, _)| *known == stands) {
            Some((_, group)) => group.push(format),
            None => groups.push((stands, vec![format])),
        }
    }
    groups.into_iter().map(|(_, group)| group).collect()
}

/// The blocks of them that stand in a format, where that is not all of them.
pub fn standing_in(format: Format, blocks: &[Block]) -> Option<Vec<Block>> {
    if for_some(blocks).iter().all(|container| container.stands_in(format)) {
        return None;
    }
    let mut standing = blocks.to_vec();
    leave_out(&mut standing, format);
    Some(standing)
}

fn leave_out(blocks: &mut Vec<Block>, format: Format) {
    blocks.retain(|block| !matches!(block, Block::Container(container) if !container.stands_in(format)));
    blocks.iter_mut().flat_map(Block::children_mut).for_each(|blocks| leave_out(blocks, format));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Source, parse};

    const TEXT: &str = "\
All.

::: for html,pdf
- In a list:

  ::: not-for pdf
  The page alone.
  :::
:::

> ::: for text
> The text alone.
> :::

::: speaker
Whoever speaks.
:::
";

    fn words(format: Format) -> Vec<&'static str> {
        let blocks = parse(Source::new("a.vine.md", TEXT)).document.blocks;
        let standing = standing_in(format, &blocks).unwrap_or(blocks);
        let mut found = Vec::new();
        each_block(&standing, &mut |block| {
            if let Block::Paragraph { span, .. } = block {
                found.push(&TEXT[span.start..span.end]);
            }
        });
        found
    }

    #[test]
    fn what_stands_for_others_is_left_out_wherever_it_stands() {
        assert_eq!(words(Format::Html), ["All.", "In a list:", "The page alone."]);
        assert_eq!(words(Format::Pdf), ["All.", "In a list:"]);
        assert_eq!(words(Format::Text), ["All.", "The text alone."]);
        assert_eq!(words(Format::Deck), ["All.", "Whoever speaks."]);
        assert_eq!(words(Format::Docx), ["All."]);
    }

    #[test]
    fn formats_are_alike_in_which_the_same_stands() {
        let document = parse(Source::new("a.vine.md", TEXT)).document;
        let blocks = &document.blocks;
        let groups = alike(&document, blocks, &[Format::Docx, Format::Html, Format::Epub, Format::Deck, Format::Pptx]);
        assert_eq!(groups, [vec![Format::Docx, Format::Epub], vec![Format::Html], vec![Format::Deck, Format::Pptx]]);
        assert_eq!(alike(&document, &blocks[..1], &Format::ALL), [Format::ALL.to_vec()]);
        assert!(standing_in(Format::Docx, &blocks[..1]).is_none(), "nothing is copied where all of it stands");
    }
}
