//! The author's own text in pieces, for formats in which live blocks stand apart.

use super::led_to::LedTo;
use super::markdown_forms::work_line;
use super::text::{Editor, applied, sort};
use super::{Splicer, parted};
use crate::memory::Aids;
use crate::plan::Plan;
use crate::results::Results;
use std::borrow::Cow;
use vineloom_document::options::Format;
use vineloom_document::{Block, Document, Span};
use vineloom_woven as woven;
use vineloom_woven::{Picture, TextPiece};

/// The author's text with the results in it as a notebook has it, in pieces: live blocks, and what stands between them. With it the pictures that the pieces name.
pub fn splice_pieces(
    document: &Document,
    plan: &Plan,
    results: &Results,
    parts: &str,
    aids: Aids,
) -> (Vec<TextPiece>, Vec<(String, Picture)>) {
    let mut unheard = Vec::new();
    let format = Format::Notebook;
    let (standing, left_out) = parted(document, Cow::Borrowed(&document.blocks), &[format]);
    let splicer = Splicer::new(document, &standing, left_out, plan, results, aids, &mut unheard);
    let main = document.sources.main();
    let (led_to, commands) = (LedTo::of(&splicer), document.commands());
    let mut editor = Editor { splicer, parts, format, edits: Vec::new(), pictures: Vec::new(), led_to, commands };
    editor.blocks(&document.blocks);
    sort(&mut editor.edits);
    let text = |span: Span| applied(main, span, &editor.edits);
    let mut at = document.front.span.known().map_or(main.base(), |span| span.end);
    let mut pieces = Vec::new();
    for block in &document.blocks {
        let Block::Live(index) = block else { continue };
        let span = document.live[*index].span;
        if span.start < at || span.end > main.end() {
            continue;
        }
        pieces.push(TextPiece::Prose { start: at, end: span.start, text: text(Span::new(at, span.start)) });
        let name = document.live[*index].name.as_ref().filter(|_| !editor.splicer.placed_apart.contains(index));
        let led_to = name.is_some_and(|name| editor.led_to.contains(name.as_str()));
        pieces.push(TextPiece::Live { start: span.start, text: text(span), led_to });
        at = span.end;
    }
    pieces.push(TextPiece::Prose { start: at, end: main.end(), text: text(Span::new(at, main.end())) });
    if !editor.splicer.citations.list_placed()
        && let Some(woven::Block::Works(works)) = editor.splicer.citations.list()
    {
        let text = works.iter().map(work_line).collect();
        pieces.push(TextPiece::Prose { start: main.end(), end: main.end(), text });
    }
    (pieces, editor.pictures)
}
