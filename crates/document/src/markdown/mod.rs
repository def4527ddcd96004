//! CommonMark with the GitHub extensions and math, into our tree.
//!
//! What was read comes back as a value, [`Read`] or [`RunningText`]: nothing else is written to, no file is opened. Live
//! blocks and values are numbered within it; who puts several texts together gives them the numbers of the whole.

mod blocks;
mod inlines;
mod nesting;
mod parts;

use crate::container;
use crate::diagnostic::Diagnostic;
use crate::fence::Fence;
use crate::index::{ByBlock, ValueIndex};
use crate::inline::{Inline, InlineKind, Part};
use crate::lines::line_starts;
use crate::name::Name;
use crate::placeholders::Placeholders;
use crate::source::Source;
use crate::span::Span;
use crate::tree::{Block, Container, Named};
use crate::value_use::ValueUse;
use comrak::nodes::{Node, NodeValue, Sourcepos};
use comrak::{Arena, Options, parse_document};
use nesting::{Nesting, Placed};
use parts::Pieces;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;

/// Which Markdown is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Syntax {
    /// That of a vine document.
    Vine,
    /// CommonMark and nothing else.
    CommonMark,
    /// CommonMark with the GitHub extensions and math: no values, no containers.
    GitHub,
}

fn options(syntax: Syntax) -> Options<'static> {
    let mut options = Options::default();
    if syntax == Syntax::CommonMark {
        return options;
    }
    // Blocks run in the order in which they are written, those in footnotes too.
    options.parse.leave_footnote_definitions = true;
    let extension = &mut options.extension;
    extension.strikethrough = true;
    extension.table = true;
    extension.autolink = true;
    extension.tasklist = true;
    extension.footnotes = true;
    extension.alerts = true;
    extension.math_dollars = true;
    extension.shortcodes = true;
    options
}

/// A live block as found in the text, before its options are layered.
#[derive(Debug)]
pub(crate) struct FoundFence {
    /// What its opening line says.
    pub fence: Fence,
    /// The code.
    pub code: String,
    /// Where the first line of code starts.
    pub code_start: usize,
    /// The opening line.
    pub line: Span,
    /// The whole block.
    pub span: Span,
}

/// What a text holds.
#[derive(Debug, Default)]
pub(crate) struct Read {
    pub blocks: Vec<Block>,
    /// The live blocks; [`Block::Live`] says which.
    pub fences: ByBlock<FoundFence>,
    /// The values; [`Part::Value`] says which.
    pub values: Vec<ValueUse>,
    /// What was given a name where it stands: sections, equations, containers, listings.
    pub names: Vec<(Name, Named)>,
    pub findings: Vec<Diagnostic>,
}

impl Read {
    /// Whether nothing was found.
    fn is_empty(&self) -> bool {
        let Read { blocks, fences, values, names, findings } = self;
        blocks.is_empty() && fences.is_empty() && values.is_empty() && names.is_empty() && findings.is_empty()
    }
}

/// What a running text holds that stands nowhere in a body: a title, a caption.
#[derive(Debug)]
pub(crate) struct RunningText {
    pub inlines: Vec<Inline>,
    pub values: Vec<ValueUse>,
    pub findings: Vec<Diagnostic>,
}

impl RunningText {
    /// Hands over the running text, and adds its values and findings to those of what it is a part of.
    pub fn into_inlines(self, values: &mut Vec<ValueUse>, findings: &mut Vec<Diagnostic>) -> Vec<Inline> {
        let by = values.len();
        values.extend(self.values);
        findings.extend(self.findings);
        let mut inlines = self.inlines;
        inlines.iter_mut().for_each(|inline| inline.each_value_mut(&mut |ValueIndex(value)| *value += by));
        inlines
    }
}

/// Reads `text` as blocks; it starts at position `offset` of the source. Pictures are named from `folder`, which is
/// that of the file, from the document's.
pub(crate) fn read(source: &Source, text: &str, offset: usize, syntax: Syntax, folder: &str) -> Read {
    read_by(source, text, offset, syntax, folder, parts::LENGTH)
}

/// The same in parts of about so many bytes.
fn read_by(source: &Source, text: &str, offset: usize, syntax: Syntax, folder: &str, length: usize) -> Read {
    let whole = Whole::new(source, text, offset, syntax, folder);
    let mut reader = Reader::new(&whole, 0);
    let mut nesting = Nesting::default();
    let parts = parts::of(&whole.placeholders.text, &whole.line_starts, length);
    parts::each(&parts, &|lines| pieces(&whole, lines), &mut |piece| {
        nesting.take(reader.taken_over(piece), &mut reader)
    });
    let blocks = nesting.end(&mut reader);
    Read { blocks, ..reader.read }
}

/// Parses the lines of a part.
fn pieces(whole: &Whole, lines: Range<usize>) -> Pieces<Found> {
    let arena = Arena::new();
    let start = |line: usize| whole.line_starts.get(line).copied().unwrap_or(whole.length);
    let text = &whole.placeholders.text[start(lines.start)..start(lines.end)];
    let root = parse_document(&arena, text, &options(whole.syntax));
    let mut reader = Reader::new(whole, lines.start);
    let found = |child| {
        let place = reader.placed(child);
        let read = (!reader.read.is_empty()).then(|| Box::new(std::mem::take(&mut reader.read)));
        Found { place, read }
    };
    let mut pieces: Vec<Found> = root.children().map(found).collect();
    pieces.shrink_to_fit();
    let is_open = root.last_child().is_some_and(|last| match &last.data().value {
        NodeValue::CodeBlock(code) => code.fenced && !code.closed,
        // Those that a blank line does not end; whether one has ended is not told.
        NodeValue::HtmlBlock(html) => html.block_type < 6,
        _ => false,
    });
    Pieces { pieces, is_open }
}

/// A block of a part, or a container's line, with what was found in it.
#[derive(Debug)]
struct Found {
    place: Placed,
    /// What was found beside its blocks; in most of them there is nothing.
    read: Option<Box<Read>>,
}

/// Reads a text as running text: the content of its first paragraph. All that is found in it is placed at `span`.
pub(crate) fn running(text: &str, span: Span) -> RunningText {
    let source = Source::new("", text);
    let whole = Whole::new(&source, text, 0, Syntax::Vine, "");
    let mut reader = Reader::new(&whole, 0);
    let arena = Arena::new();
    let parsed = &whole.placeholders.text;
    let root = parse_document(&arena, parsed, &options(Syntax::Vine));
    let mut inlines = match root.children().next() {
        Some(node) if matches!(node.data().value, NodeValue::Paragraph) => reader.running(node),
        _ if parsed.trim().is_empty() => Vec::new(),
        // A title such as `1. Wiring` reads as a list: take it as plain text.
        _ => reader.plain_running(parsed.trim()),
    };
    let Read { mut values, mut findings, .. } = reader.read;
    inlines.iter_mut().for_each(|inline| inline.each_mut(&mut |inline| inline.set_span(span)));
    values.iter_mut().for_each(|value| value.span = span);
    findings.iter_mut().for_each(|finding| finding.span = span.known());
    RunningText { inlines, values, findings }
}

/// The Markdown of one file, or of a text within one.
struct Whole<'s> {
    source: &'s Source,
    placeholders: Placeholders<'s>,
    containers: BTreeMap<usize, container::Line>,
    offset: usize,
    /// How long the text is, in bytes.
    length: usize,
    line_starts: Vec<usize>,
    folder: &'s str,
    syntax: Syntax,
}

impl<'s> Whole<'s> {
    fn new(source: &'s Source, text: &'s str, offset: usize, syntax: Syntax, folder: &'s str) -> Self {
        let (replaced, containers) = match syntax {
            Syntax::Vine => container::replace(text, offset),
            _ => (Cow::Borrowed(text), BTreeMap::new()),
        };
        let placeholders =
            if syntax == Syntax::Vine { Placeholders::new(replaced, offset) } else { Placeholders::none(replaced) };
        let line_starts = line_starts(text);
        Whole { source, placeholders, containers, offset, length: text.len(), line_starts, folder, syntax }
    }
}

/// Reads a part of it.
struct Reader<'w, 's> {
    whole: &'w Whole<'s>,
    /// How many lines stand before the part.
    before: usize,
    /// What has been read so far, without the blocks.
    read: Read,
    /// Where in the source the escaped lines between columns (`\|`) of the cell stand that is being read.
    escaped_lines: Vec<usize>,
}

impl<'w, 's> Reader<'w, 's> {
    fn new(whole: &'w Whole<'s>, before: usize) -> Self {
        Reader { whole, before, read: Read::default(), escaped_lines: Vec::new() }
    }

    fn plain_running(&mut self, text: &str) -> Vec<Inline> {
        let kind = |part| match part {
            Part::Text(text) => InlineKind::Text(text),
            Part::Value(value) => InlineKind::Value(value),
        };
        self.template(text).into_iter().map(|part| Inline::new(kind(part), Span::NOWHERE)).collect()
    }

    fn span(&self, at: Sourcepos) -> Span {
        let byte = |line: usize, column: usize| {
            let line = self.before + line.saturating_sub(1);
            self.whole.line_starts.get(line).copied().unwrap_or(0) + column.saturating_sub(1)
        };
        let start = byte(at.start.line, at.start.column);
        let end = byte(at.end.line, at.end.column) + 1;
        let span = Span::new(start, end.max(start).min(self.whole.length)).shifted(self.whole.offset);
        // In a cell, places are counted without the backslashes before such lines.
        let written = |at: usize| {
            let before = |(count, line): &(usize, &usize)| **line - count < at;
            at + self.escaped_lines.iter().enumerate().filter(before).count()
        };
        Span::new(written(span.start), written(span.end))
    }

    fn children<'n>(&mut self, node: Node<'n>) -> Vec<Block> {
        if self.whole.containers.is_empty() {
            return node.children().filter_map(|child| self.block(child)).collect();
        }
        let mut nesting = Nesting::default();
        for child in node.children() {
            let placed = self.placed(child);
            nesting.take(placed, self);
        }
        nesting.end(self)
    }

    /// What a node is among its siblings.
    fn placed<'n>(&mut self, node: Node<'n>) -> Placed {
        let is_marker = matches!(node.data().value, NodeValue::Heading(_));
        let line = self.before + node.data().sourcepos.start.line;
        match self.whole.containers.get(&line).filter(|_| is_marker) {
            Some(line) if line.rest.is_empty() => Placed::Closing(line.clone()),
            Some(line) => Placed::Opening(line.clone()),
            None => Placed::Block(self.block(node)),
        }
    }

    /// Adds what was found in a piece to what was read, in which its live blocks and values get their numbers.
    fn taken_over(&mut self, Found { mut place, read }: Found) -> Placed {
        let Some(read) = read else { return place };
        let Read { blocks: _, fences, values, names, findings } = *read;
        if let Placed::Block(Some(block)) = &mut place
            && !(fences.is_empty() && values.is_empty())
        {
            let (value_by, fence_by) = (self.read.values.len(), self.read.fences.next());
            block.renumber(&mut |ValueIndex(value)| *value += value_by, &mut |fence| *fence = fence.after(fence_by));
        }
        self.read.fences.append(fences);
        self.read.values.extend(values);
        self.read.names.extend(names);
        self.read.findings.extend(findings);
        place
    }

    fn container(&mut self, line: &container::Line, blocks: Vec<Block>, close: Span) -> Option<Block> {
        match container::open(line) {
            Ok(opening) => {
                let title = self.titled(&opening.title, line.span);
                if let Some(id) = &opening.id {
                    self.read.names.push((id.clone(), Named::Container(line.span)));
                }
                let container::Opening { kind, id, formats, widths, .. } = opening;
                let span = line.span;
                Some(Block::Container(Box::new(Container { kind, title, id, formats, widths, blocks, span, close })))
            }
            Err(finding) => {
                self.read.findings.push(*finding);
                Some(Block::Embedded { blocks, span: line.span, body: Span::NOWHERE })
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// What a text gives, when it is cut wherever it can be and when it is not.
    fn in_parts_and_whole(text: &str) -> [String; 2] {
        let source = Source::new("t.md", text);
        [1, usize::MAX].map(|length| format!("{:#?}", read_by(&source, text, 0, Syntax::Vine, "", length)))
    }

    fn assert_same(text: &str) {
        let [parts, whole] = in_parts_and_whole(text);
        assert!(parts == whole, "{text:?}\n{}", first_difference(&parts, &whole));
    }

    fn first_difference(one: &str, other: &str) -> String {
        let at = one.lines().zip(other.lines()).take_while(|(one, other)| one == other).count();
        let from = at.saturating_sub(8);
        let lines = |text: &str| text.lines().skip(from).take(16).collect::<Vec<_>>().join("\n");
        format!("in parts:\n{}\nwhole:\n{}", lines(one), lines(other))
    }

    /// What could stand in one part and concern another.
    fn texts() -> impl Strategy<Value = String> {
        let pieces = [
            "Words.",
            "more @[a] words",
            "# Heading",
            "\u{e9}t\u{e9}",
            "漢字",
            "```",
            "````",
            "~~~",
            "```sh @b\n",
            "```python @c x=1\n\nx\n\n```",
            "    code",
            "- item",
            "  - inner",
            "1. one",
            "  indented",
            "> quote",
            "> - > deep",
            "> [!NOTE]",
            "| a | b |\n|---|--:|\n| @[x] | 2 |",
            "<div>",
            "</div>",
            "<pre>",
            "</pre>",
            "<!--",
            "-->",
            "<script>",
            "<?php",
            "::: note \"T @[a]\" #n\n",
            "::::: tabs\n",
            ":::\n",
            ":::::\n",
            "[a]",
            "[A][]",
            "[b][a]",
            "[a]: /one",
            "[a]: /two \"t\"",
            "> [A]: /three",
            "[\u{df}]",
            "[SS]: /ss",
            "[^n]",
            "[^n]: note",
            "[^N]: other",
            "    more of it",
            "- [^n]: inner",
            "[c\nd]",
            "[c d]: /cd",
            "$$x$$ {#e}",
            "[^k]: [d]: /d",
            "[d]",
            "a[1]: b",
            "[x[d]",
            "[e\\]f]",
            "[e\\]f]: /ef",
            "[g\\[h]",
            "[g\\[h]: /gh",
            "[^o[p]",
            "[^o[p]: note",
            "[q\nr]: /qr",
            "[Q R]",
            "***",
            "---",
            "===",
            "![p](@b)",
            "[](@a)",
            "\u{feff}",
            "\0",
            "&amp;",
            ":smile:",
            "https://example.org/[a]",
        ];
        let ends = ["\n\n", "\n\n", "\n\n", "\n", "\r\n\r\n", "\n \t\n", "\r\r", " "];
        let line = (proptest::sample::select(pieces.to_vec()), proptest::sample::select(ends.to_vec()));
        proptest::collection::vec(line, 0..30)
            .prop_map(|lines| lines.iter().flat_map(|&(line, end)| [line, end]).collect())
    }

    /// All examples of the specification one behind the other: many leave open what the next one then stands in.
    #[test]
    fn the_examples_of_the_specification_in_parts_are_what_they_are_as_a_whole() {
        let examples = include_str!("../../../export/tests/data/commonmark-0.31.json");
        let examples: serde_json::Value = serde_json::from_str(examples).unwrap();
        let texts = examples.as_array().unwrap().iter().filter_map(|example| example["markdown"].as_str());
        let texts: Vec<&str> = texts.collect();
        assert_same(&texts.join("\n\n"));
        texts.chunks(7).for_each(|some| assert_same(&some.join("\n\nWords.\n\n")));
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 3000, ..ProptestConfig::default() })]

        #[test]
        fn a_text_in_parts_is_what_it_is_as_a_whole(text in texts()) {
            assert_same(&text);
        }
    }
}
