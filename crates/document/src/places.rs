//! The places in a document that links and references can lead to.

use crate::inline::{Inline, InlineKind, each_inline, plain_text};
use crate::name::{Ids, slug};
use crate::tree::{Block, ContainerKind, Document, Named};
use crate::walk::each_block;
use std::borrow::Cow;
use std::collections::HashSet;

/// Visits the places in blocks of a document by their names, with the words that stand over each: a title, a caption. A
/// section without a name has one made of its words; the words on a tab are no section.
pub fn each_place<'b>(document: &'b Document, blocks: &'b [Block], visit: &mut dyn FnMut(Cow<'b, str>, &'b [Inline])) {
    let mut ids = Ids::beside(document.names.keys().map(ToString::to_string));
    let mut on_tabs: HashSet<*const Block> = HashSet::new();
    each_block(blocks, &mut |block| match block {
        Block::Heading { id: Some(id), content, .. } => visit(id.as_str().into(), content),
        Block::Heading { id: None, content, .. } => {
            if !on_tabs.contains(&std::ptr::from_ref(block)) {
                visit(ids.free(&slug(&plain_text(content))).into(), content);
            }
        }
        Block::Equation { id: Some(id), .. } => visit(id.as_str().into(), &[]),
        Block::Listing(listing) => {
            if let Some(id) = &listing.id {
                visit(id.as_str().into(), &listing.caption);
            }
        }
        Block::Container(container) => {
            if let Some(id) = &container.id {
                visit(id.as_str().into(), &container.title);
            }
            if container.kind == ContainerKind::Tabs {
                on_tabs.extend(titles_of_tabs(&container.blocks).map(std::ptr::from_ref));
            }
        }
        Block::Live(index) => {
            let live = &document.live[*index];
            if let Some(name) = &live.name {
                visit(name.as_str().into(), &live.caption);
            }
        }
        Block::Placement { name, caption, .. } => visit(name.as_str().into(), caption),
        Block::Equation { id: None, .. }
        | Block::Paragraph { .. }
        | Block::Quote(_)
        | Block::List { .. }
        | Block::Table { .. }
        | Block::Rule
        | Block::Html { .. }
        | Block::DataFile { .. }
        | Block::Embedded { .. }
        | Block::Footnote { .. } => {}
    });
    // What is cited stands in the list of works.
    document.each_text_of(blocks, &mut |text| {
        each_inline(text, &mut |inline| {
            if let InlineKind::Reference(to) = &inline.kind
                && let Some(Named::Work(_)) = document.names.get(to.name.as_str())
            {
                visit(place_of_work(&to.name).into(), &[]);
            }
        });
    });
}

/// The place of a work in the list of works.
pub fn place_of_work(key: &str) -> String {
    format!("work-{key}")
}

/// The headings among the blocks of a container of tabs that are the words on the tabs.
fn titles_of_tabs(blocks: &[Block]) -> impl Iterator<Item = &Block> {
    let first = first_level(blocks);
    blocks.iter().filter(move |block| matches!(block, Block::Heading { level, .. } if Some(*level) == first))
}

/// The level of the highest heading among blocks and in documents embedded there.
pub fn first_level(blocks: &[Block]) -> Option<u8> {
    blocks
        .iter()
        .filter_map(|block| match block {
            Block::Heading { level, .. } => Some(*level),
            Block::Embedded { blocks, .. } => first_level(blocks),
            _ => None,
        })
        .min()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Source, parse};

    fn places(text: &str) -> Vec<(String, String)> {
        let document = parse(Source::new("a.vine.md", text)).document;
        let mut places = Vec::new();
        each_place(&document, &document.blocks, &mut |name, words| places.push((name.into_owned(), plain_text(words))));
        places
    }

    #[test]
    fn all_that_has_a_name_is_a_place_and_so_is_every_section() {
        let text = "# Of *soil*\n\n## Of soil\n\n## Named {#here}\n\n$$\na\n$$ {#eq}\n\n::: figure \"Drawn\" #fig\n\nx\n\n:::\n\n\
            ```python id=lst caption=\"Code\"\nx\n```\n\n```sh @run caption=\"Ran\"\ntrue\n```\n\n![Placed](@run)\n";
        let expected = [
            ("of-soil", "Of soil"),
            ("of-soil-2", "Of soil"),
            ("here", "Named"),
            ("eq", ""),
            ("fig", "Drawn"),
            ("lst", "Code"),
            ("run", "Ran"),
            ("run", "Placed"),
        ];
        assert_eq!(places(text), expected.map(|(name, words)| (name.to_string(), words.to_string())));
    }

    #[test]
    fn words_on_tabs_are_a_place_only_with_a_name() {
        let text = "::: tabs\n\n## One {#first}\n\n### Deep\n\n## Two\n\nx\n\n:::\n\n## Two\n";
        let names: Vec<String> = places(text).into_iter().map(|(name, _)| name).collect();
        assert_eq!(names, ["first", "deep", "two"]);
    }
}
