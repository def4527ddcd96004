//! CommonMark with the GitHub extensions and math, into our tree.
//!
//! What was read comes back as a value, [`Read`] or [`RunningText`]: nothing else is written to, no file is opened. Live
//! blocks and values are numbered within it; who puts several texts together gives them the numbers of the whole.

mod inlines;

use crate::container;
use crate::diagnostic::Diagnostic;
use crate::fence::{self, Fence};
use crate::files::joined;
use crate::index::{ByBlock, ValueIndex};
use crate::inline::{Inline, InlineKind, Part};
use crate::listing::{listing, named_twice, plain_listing, with_plain_ends};
use crate::name::Name;
use crate::options::{OneSlide, OptionValue};
use crate::placeholders::Placeholders;
use crate::source::Source;
use crate::span::Span;
use crate::tree::{Alignment, Block, Container, ContainerKind, Item, Named, NoticeKind};
use crate::value_use::ValueUse;
use comrak::nodes::{AlertType, ListType, Node, NodeCodeBlock, NodeValue, Sourcepos, TableAlignment};
use comrak::{Arena, Options, parse_document};
use std::collections::BTreeMap;

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
    let mut reader = Reader::new(source, text, offset, syntax, folder);
    let arena = Arena::new();
    let parsed = std::mem::take(&mut reader.placeholders.text);
    let root = parse_document(&arena, &parsed, &options(syntax));
    let blocks = reader.children(root);
    Read { blocks, ..reader.read }
}

/// Reads a text as running text: the content of its first paragraph. All that is found in it is placed at `span`.
pub(crate) fn running(text: &str, span: Span) -> RunningText {
    let source = Source::new("", text);
    let mut reader = Reader::new(&source, text, 0, Syntax::Vine, "");
    let arena = Arena::new();
    let parsed = std::mem::take(&mut reader.placeholders.text);
    let root = parse_document(&arena, &parsed, &options(Syntax::Vine));
    let mut inlines = match root.children().next() {
        Some(node) if matches!(node.data().value, NodeValue::Paragraph) => reader.running(node),
        _ if parsed.trim().is_empty() => Vec::new(),
        // A title such as `1. Wiring` reads as a list: take it as plain text.
        _ => reader.plain_running(parsed.trim()),
    };
    let Read { mut values, mut findings, .. } = reader.read;
    inlines.iter_mut().for_each(|inline| inline.each_mut(&mut |inline| inline.span = span));
    values.iter_mut().for_each(|value| value.span = span);
    findings.iter_mut().for_each(|finding| finding.span = span.known());
    RunningText { inlines, values, findings }
}

/// Reads the Markdown of one file, or of a text within one.
struct Reader<'s> {
    source: &'s Source,
    placeholders: Placeholders,
    containers: BTreeMap<usize, container::Line>,
    offset: usize,
    /// How long the text is, in bytes.
    length: usize,
    line_starts: Vec<usize>,
    folder: &'s str,
    syntax: Syntax,
    /// What has been read so far, without the blocks.
    read: Read,
}

impl<'s> Reader<'s> {
    fn new(source: &'s Source, text: &str, offset: usize, syntax: Syntax, folder: &'s str) -> Self {
        let (replaced, containers) = match syntax {
            Syntax::Vine => container::replace(text, offset),
            _ => (text.to_string(), BTreeMap::new()),
        };
        let placeholders =
            if syntax == Syntax::Vine { Placeholders::new(&replaced, offset) } else { Placeholders::none(&replaced) };
        let line_starts = line_starts(text);
        let length = text.len();
        Reader { source, placeholders, containers, offset, length, line_starts, folder, syntax, read: Read::default() }
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
            self.line_starts.get(line.saturating_sub(1)).copied().unwrap_or(0) + column.saturating_sub(1)
        };
        let start = byte(at.start.line, at.start.column);
        let end = byte(at.end.line, at.end.column) + 1;
        Span::new(start, end.max(start).min(self.length)).shifted(self.offset)
    }

    fn children<'n>(&mut self, node: Node<'n>) -> Vec<Block> {
        if self.containers.is_empty() {
            return node.children().filter_map(|child| self.block(child)).collect();
        }
        let mut open: Vec<(container::Line, Vec<Block>)> = Vec::new();
        let mut blocks = Vec::new();
        for child in node.children() {
            let line = child.data().sourcepos.start.line;
            let is_marker = matches!(child.data().value, NodeValue::Heading(_));
            match self.containers.get(&line).filter(|_| is_marker).cloned() {
                Some(line) if line.rest.is_empty() => match open
                    .iter()
                    .rposition(|(opened, _)| opened.colons == line.colons)
                {
                    Some(at) => {
                        for (unclosed, _) in &open[at + 1..] {
                            let finding = never_closed(unclosed);
                            self.read.findings.push(finding);
                        }
                        open.truncate(at + 1);
                        if let Some((opened, inner)) = open.pop() {
                            let container = self.container(&opened, inner, line.span);
                            open.last_mut().map_or(&mut blocks, |(_, inner)| inner).extend(container);
                        }
                    }
                    None => self
                        .read
                        .findings
                        .push(Diagnostic::error(line.span, "this line closes no container").help(
                        "a container is closed by as many colons as opened it; take the line out if nothing is open",
                    )),
                },
                Some(line) => open.push((line, Vec::new())),
                None => {
                    let block = self.block(child);
                    open.last_mut().map_or(&mut blocks, |(_, inner)| inner).extend(block);
                }
            }
        }
        for (unclosed, inner) in open {
            self.read.findings.push(never_closed(&unclosed));
            blocks.extend(inner);
        }
        blocks
    }

    fn container(&mut self, line: &container::Line, blocks: Vec<Block>, close: Span) -> Option<Block> {
        match container::open(line) {
            Ok(opening) => {
                let title = self.titled(&opening.title, line.span);
                if let Some(id) = &opening.id {
                    self.read.names.push((id.clone(), Named::Container(line.span)));
                }
                let container::Opening { kind, id, formats, widths, .. } = opening;
                Some(Block::Container(Container { kind, title, id, formats, widths, blocks, span: line.span, close }))
            }
            Err(finding) => {
                self.read.findings.push(*finding);
                Some(Block::Embedded { blocks, span: line.span, body: Span::NOWHERE })
            }
        }
    }

    fn block<'n>(&mut self, node: Node<'n>) -> Option<Block> {
        let data = node.data();
        let span = self.span(data.sourcepos);
        Some(match &data.value {
            NodeValue::Paragraph => self.paragraph(node, span),
            NodeValue::Heading(heading) => self.heading(node, heading.level, span),
            NodeValue::BlockQuote => Block::Quote(self.children(node)),
            NodeValue::List(list) => Block::List {
                start: (list.list_type == ListType::Ordered).then_some(list.start),
                tight: list.tight,
                items: node.children().map(|item| self.item(item)).collect(),
            },
            NodeValue::CodeBlock(code) => self.code(code, span),
            NodeValue::HtmlBlock(html) => {
                let html = with_plain_ends(&self.placeholders.restore(&html.literal));
                Block::Html { html: container::restore(html, data.sourcepos.start.line, &self.containers), span }
            }
            NodeValue::ThematicBreak => Block::Rule,
            NodeValue::FootnoteDefinition(note) => {
                Block::Footnote { name: note.name.clone(), blocks: self.children(node), span }
            }
            NodeValue::Table(table) => {
                let alignment = table.alignments.iter().map(|&a| aligned(a)).collect();
                let mut rows: Vec<Vec<Vec<Inline>>> =
                    node.children().map(|row| row.children().map(|cell| self.running(cell)).collect()).collect();
                let header = if rows.is_empty() { Vec::new() } else { rows.remove(0) };
                Block::Table { alignment, header, rows, span }
            }
            NodeValue::Alert(alert) => Block::Container(Container {
                kind: ContainerKind::Notice(match alert.alert_type {
                    AlertType::Note => NoticeKind::Note,
                    AlertType::Tip => NoticeKind::Tip,
                    AlertType::Important => NoticeKind::Important,
                    AlertType::Warning => NoticeKind::Caution,
                    AlertType::Caution => NoticeKind::Danger,
                }),
                title: alert.title.iter().map(|title| Inline::text(self.placeholders.restore(title), span)).collect(),
                id: None,
                formats: Vec::new(),
                widths: Vec::new(),
                blocks: self.children(node),
                span,
                close: Span::NOWHERE,
            }),
            _ => return None,
        })
    }

    fn item<'n>(&mut self, node: Node<'n>) -> Item {
        let task = match &node.data().value {
            NodeValue::TaskItem(task) => Some(task.symbol.is_some()),
            _ => None,
        };
        Item { task, blocks: self.children(node) }
    }

    fn paragraph<'n>(&mut self, node: Node<'n>, span: Span) -> Block {
        let content = self.running(node);
        match content.as_slice() {
            [Inline { kind: InlineKind::Placement { name, caption }, span }] => {
                return Block::Placement { name: name.clone(), caption: caption.clone(), span: *span };
            }
            [Inline { kind: InlineKind::Math { latex, display: true }, .. }] => {
                return Block::Equation { latex: latex.clone(), id: None, span };
            }
            [
                Inline { kind: InlineKind::Math { latex, display: true }, .. },
                Inline { kind: InlineKind::Text(rest), .. },
            ] => {
                if let Some(("", id)) = trailing_id(rest) {
                    let id = self.named(id, span, Named::Equation(span));
                    return Block::Equation { latex: latex.clone(), id, span };
                }
            }
            _ => {}
        }
        Block::Paragraph { content, span }
    }

    fn heading<'n>(&mut self, node: Node<'n>, level: u8, span: Span) -> Block {
        let mut content = self.running(node);
        let mut id = None;
        let mut slide = OneSlide::default();
        if let Some(InlineKind::Text(last)) = content.last_mut().map(|inline| &mut inline.kind)
            && let Some((kept, given)) = trailing_id(last)
        {
            let given = given.to_string();
            *last = kept.to_string();
            if last.is_empty() {
                content.pop();
            }
            let (name, settings) = given.split_once(char::is_whitespace).unwrap_or((&given, ""));
            id = self.named(name, span, Named::Section(span));
            slide = OneSlide::read(settings).unwrap_or_else(|(message, help)| {
                self.read.findings.push(Diagnostic::error(span, message).help(help));
                OneSlide::default()
            });
        }
        Block::Heading { level, id, slide, content, span }
    }

    fn named(&mut self, word: &str, span: Span, named: Named) -> Option<Name> {
        let Some(name) = Name::new(word) else {
            self.read.findings.push(
                Diagnostic::error(span, format!("`{word}` is not a name"))
                    .help("a name starts with a letter and has letters, digits, `-` and `_`"),
            );
            return None;
        };
        self.read.names.push((name.clone(), named));
        Some(name)
    }

    fn code(&mut self, code: &NodeCodeBlock, span: Span) -> Block {
        let opening = self.source.line_of(span.start);
        let first =
            self.line_starts.partition_point(|&start| start <= span.start - self.offset) + usize::from(code.fenced);
        let literal = container::restore(self.placeholders.restore(&code.literal), first, &self.containers);
        if !code.fenced || self.syntax != Syntax::Vine {
            let fence = if code.fenced { Fence::plain(&code.info) } else { Fence::default() };
            return Block::Listing(Box::new(plain_listing(fence, &literal, span)));
        }
        let line = self.source.line_span(opening);
        let line = Span::new(span.start, line.end.max(span.start));
        // After some tables the parser gives a block no more than its first letters.
        let lines = literal.lines().count() + usize::from(code.closed);
        let cut_short = span.end < line.end;
        let span = if cut_short { Span::new(span.start, self.source.line_span(opening + lines).end) } else { span };
        if !code.closed && self.source.line_count() > 0 {
            let ticks = char::from(code.fence_char).to_string().repeat(code.fence_length);
            self.read.findings.push(
                Diagnostic::error(line, "this fenced block is opened here and never closed")
                    .help(format!("put a line {ticks} after the last line of its code")),
            );
        }
        let text = self.source.slice(line);
        let info = text.trim_start_matches(char::from(code.fence_char));
        let mut fence = fence::read(info, line.end - info.len(), &mut self.read.findings);
        // Code from a file is found from where it is named, as pictures are.
        if let (false, Some(mut from)) = (self.folder.is_empty(), fence.settings.get("from").cloned())
            && let Some(path) = from.value.as_text()
        {
            from.value = OptionValue::Text(joined(self.folder, path));
            fence.settings.set("from", from);
        }
        if fence.language == "math" && !fence.live {
            return Block::Equation { latex: vec![Part::Text(with_plain_ends(literal.trim_end()))], id: None, span };
        }
        if !fence.live {
            let caption = self.option_inlines(&fence, "caption", line);
            let (listing, twice) = listing(fence, &literal, caption, span);
            let code_start = self.source.line_span(opening + 1).start;
            self.read.findings.extend(named_twice(twice, self.source, code_start));
            if let (Some(id), Some(setting)) = (&listing.id, listing.id_span) {
                self.read.names.push((id.clone(), Named::Listing(setting)));
            }
            return Block::Listing(Box::new(listing));
        }
        let code_start = self.source.line_span(opening + 1).start;
        Block::Live(self.read.fences.push(FoundFence { fence, code: literal, code_start, line, span }))
    }

    /// The text of an option as running text; empty where it is not set.
    fn option_inlines(&mut self, fence: &Fence, option: &str, line: Span) -> Vec<Inline> {
        let Some(setting) = fence.settings.get(option) else { return Vec::new() };
        let text = setting.value.as_text().unwrap_or("").to_string();
        self.titled(&text, setting.span.or(line))
    }

    /// A title or a caption as running text.
    fn titled(&mut self, text: &str, span: Span) -> Vec<Inline> {
        running(text, span).into_inlines(&mut self.read.values, &mut self.read.findings)
    }
}

fn never_closed(line: &container::Line) -> Diagnostic {
    Diagnostic::error(line.span, "this container is opened here and never closed")
        .help(format!("put a line {} after the last line inside it", ":".repeat(line.colons)))
}

/// Splits `Wiring {#wiring}` into what stands before the braces and the name in them.
fn trailing_id(text: &str) -> Option<(&str, &str)> {
    let inner = text.trim_end().strip_suffix('}')?;
    let open = inner.rfind("{#")?;
    Some((inner[..open].trim_end(), &inner[open + 2..]))
}

fn aligned(alignment: TableAlignment) -> Alignment {
    match alignment {
        TableAlignment::None => Alignment::None,
        TableAlignment::Left => Alignment::Left,
        TableAlignment::Center => Alignment::Center,
        TableAlignment::Right => Alignment::Right,
    }
}

/// Where CommonMark's lines start: after LF, CR LF, or a CR alone.
fn line_starts(text: &str) -> Vec<usize> {
    let bytes = text.as_bytes();
    let mut starts = vec![0];
    for at in memchr::memchr2_iter(b'\n', b'\r', bytes) {
        if bytes[at] == b'\n' || bytes.get(at + 1) != Some(&b'\n') {
            starts.push(at + 1);
        }
    }
    starts
}
