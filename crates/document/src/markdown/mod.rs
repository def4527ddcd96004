//! CommonMark with the GitHub extensions and math, into our tree.

mod inlines;

use crate::container;
use crate::diagnostic::Diagnostic;
use crate::fence::{self, Fence};
use crate::files::Target;
use crate::live::with_plain_ends;
use crate::name::Name;
use crate::source::{Source, Span};
use crate::stand_in::StandIns;
use crate::state::State;
use crate::tree::{Alignment, Block, Container, ContainerKind, Inline, Item, Named, NoticeKind, Part};
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

/// A fenced block as found in the text, before its options are layered.
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
    /// Which file's front matter applies to it, by its number.
    pub file: usize,
    /// Whether it is part of another file.
    pub embedded: bool,
}

/// Reads the Markdown of one file, or of a text within one.
pub(crate) struct Reader<'s, 'a> {
    state: &'s mut State<'a>,
    source: &'s Source,
    stand_ins: StandIns,
    containers: BTreeMap<usize, container::Line>,
    offset: usize,
    line_starts: Vec<usize>,
    /// The folder of the file, from the document's.
    folder: &'s str,
    syntax: Syntax,
    /// The file's number.
    file: usize,
}

/// Where the numbers of listings start while they wait for their options.
pub(crate) const LISTING: usize = usize::MAX / 2;

impl<'s, 'a> Reader<'s, 'a> {
    /// A reader of `text`, which starts at position `offset` of the source.
    pub fn new(state: &'s mut State<'a>, source: &'s Source, text: &str, offset: usize, syntax: Syntax) -> Self {
        let (replaced, containers) = match syntax {
            Syntax::Vine => container::replace(text, offset),
            _ => (text.to_string(), BTreeMap::new()),
        };
        let stand_ins =
            if syntax == Syntax::Vine { StandIns::new(&replaced, offset) } else { StandIns::none(&replaced) };
        let line_starts = line_starts(text);
        Reader { state, source, stand_ins, containers, offset, line_starts, folder: "", syntax, file: 0 }
    }

    /// The same reader for file number `file` in `folder`.
    #[must_use]
    pub fn in_file(mut self, file: usize, folder: &'s str) -> Self {
        (self.file, self.folder) = (file, folder);
        self
    }

    /// Reads it all as blocks.
    pub fn blocks(&mut self) -> Vec<Block> {
        let arena = Arena::new();
        let text = self.stand_ins.text.clone();
        let root = parse_document(&arena, &text, &options(self.syntax));
        self.children(root)
    }

    /// Reads it as running text: the content of its first paragraph.
    pub fn inlines(&mut self) -> Vec<Inline> {
        let arena = Arena::new();
        let text = self.stand_ins.text.clone();
        let root = parse_document(&arena, &text, &options(self.syntax));
        let first = root.children().next();
        match first {
            Some(node) if matches!(node.data().value, NodeValue::Paragraph) => self.running(node),
            // A title such as `1. Wiring` reads as a list: take it as plain text.
            _ if text.trim().is_empty() => Vec::new(),
            _ => self
                .template(text.trim())
                .into_iter()
                .map(|part| match part {
                    Part::Text(text) => Inline::Text(text),
                    Part::Value(value) => Inline::Value(value),
                })
                .collect(),
        }
    }

    fn span(&self, at: Sourcepos) -> Span {
        let byte = |line: usize, column: usize| {
            self.line_starts.get(line.saturating_sub(1)).copied().unwrap_or(0) + column.saturating_sub(1)
        };
        let start = byte(at.start.line, at.start.column);
        let end = byte(at.end.line, at.end.column) + 1;
        Span::new(start, end.max(start).min(self.stand_ins.text.len())).shifted(self.offset)
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
                            self.state.diagnostics.push(finding);
                        }
                        open.truncate(at + 1);
                        if let Some((opened, inner)) = open.pop() {
                            let container = self.container(&opened, inner);
                            open.last_mut().map_or(&mut blocks, |(_, inner)| inner).extend(container);
                        }
                    }
                    None => self
                        .state
                        .diagnostics
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
            self.state.diagnostics.push(never_closed(&unclosed));
            blocks.extend(inner);
        }
        blocks
    }

    fn container(&mut self, line: &container::Line, blocks: Vec<Block>) -> Option<Block> {
        match container::open(line) {
            Ok(opening) => {
                let title = self.state.inlines_at(self.source, &opening.title, line.span);
                let id = opening.id.and_then(|name| self.named(name.as_str(), line.span, Named::Container(line.span)));
                let formats = opening.formats;
                Some(Block::Container(Container { kind: opening.kind, title, id, formats, blocks, span: line.span }))
            }
            Err(finding) => {
                self.state.diagnostics.push(*finding);
                Some(Block::Embedded { blocks, span: line.span, body: Span::default() })
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
                let html = with_plain_ends(&self.stand_ins.restore(&html.literal));
                Block::Html { html: container::restore(html, data.sourcepos.start.line, &self.containers), span }
            }
            NodeValue::ThematicBreak => Block::Rule,
            NodeValue::FootnoteDefinition(note) => {
                Block::Footnote { name: note.name.clone(), blocks: self.children(node) }
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
                title: alert.title.as_ref().map(|t| Inline::Text(self.stand_ins.restore(t))).into_iter().collect(),
                id: None,
                formats: Vec::new(),
                blocks: self.children(node),
                span,
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
        let mut content = self.running(node);
        match content.as_slice() {
            [Inline::Placement { .. }] => {
                if let Some(Inline::Placement { name, caption, span }) = content.pop() {
                    return Block::Placement { name, caption, span };
                }
            }
            [Inline::Image { target, .. }] if self.syntax == Syntax::Vine => {
                if let [Part::Text(target)] = target.as_slice() {
                    let (target, kind) = (target.clone(), Target::of(target));
                    if kind != Target::Picture
                        && let Some(Inline::Image { alt, span, .. }) = content.pop()
                    {
                        return self.state.embed(&target, kind, alt, span);
                    }
                }
            }
            [Inline::Math { display: true, .. }] => {
                if let Some(Inline::Math { latex, .. }) = content.pop() {
                    return Block::Equation { latex, id: None, span };
                }
            }
            [Inline::Math { display: true, .. }, Inline::Text(rest)] => {
                if let Some(("", id)) = trailing_id(rest) {
                    let id = self.named(id, span, Named::Equation(span));
                    if let Some(Inline::Math { latex, .. }) = content.into_iter().next() {
                        return Block::Equation { latex, id, span };
                    }
                    return Block::Paragraph { content: Vec::new(), span };
                }
            }
            _ => {}
        }
        Block::Paragraph { content, span }
    }

    fn heading<'n>(&mut self, node: Node<'n>, level: u8, span: Span) -> Block {
        let mut content = self.running(node);
        let mut id = None;
        if let Some(Inline::Text(last)) = content.last_mut()
            && let Some((kept, given)) = trailing_id(last)
        {
            let given = given.to_string();
            *last = kept.to_string();
            if last.is_empty() {
                content.pop();
            }
            id = self.named(&given, span, Named::Section(span));
        }
        Block::Heading { level, id, content, span }
    }

    fn named(&mut self, word: &str, span: Span, named: Named) -> Option<Name> {
        let Some(name) = Name::new(word) else {
            self.state.diagnostics.push(
                Diagnostic::error(span, format!("`{word}` is not a name"))
                    .help("a name starts with a letter and has letters, digits, `-` and `_`"),
            );
            return None;
        };
        if let Some(before) = self.state.names.get(&name) {
            let finding = duplicate(&name, before.span(), span);
            self.state.diagnostics.push(finding);
            return None;
        }
        self.state.names.insert(name.clone(), named);
        Some(name)
    }

    fn code(&mut self, code: &NodeCodeBlock, span: Span) -> Block {
        let opening = self.source.line_of(span.start);
        let first =
            self.line_starts.partition_point(|&start| start <= span.start - self.offset) + usize::from(code.fenced);
        let literal = container::restore(self.stand_ins.restore(&code.literal), first, &self.containers);
        if !code.fenced || self.syntax != Syntax::Vine {
            let fence = if code.fenced { Fence::plain(&code.info) } else { Fence::default() };
            let (code_start, line) = (span.start, span);
            return self.listing(FoundFence {
                fence,
                code: literal,
                code_start,
                line,
                span,
                file: self.file,
                embedded: false,
            });
        }
        let line = self.source.line_span(opening);
        let line = Span::new(span.start, line.end.max(span.start));
        if !code.closed && self.source.line_count() > 0 {
            let ticks = char::from(code.fence_char).to_string().repeat(code.fence_length);
            self.state.diagnostics.push(
                Diagnostic::error(line, "this fenced block is opened here and never closed")
                    .help(format!("put a line {ticks} after the last line of its code")),
            );
        }
        let text = self.source.slice(line);
        let info = text.trim_start_matches(char::from(code.fence_char));
        let fence = fence::read(info, line.end - info.len(), &mut self.state.diagnostics);
        if fence.language == "math" && !fence.live {
            return Block::Equation { latex: vec![Part::Text(with_plain_ends(literal.trim_end()))], id: None, span };
        }
        let code_start = self.source.line_span(opening + 1).start;
        let found = FoundFence { fence, code: literal, code_start, line, span, file: self.file, embedded: false };
        if found.fence.live {
            self.state.live.push(found);
            Block::Live(self.state.live.len() - 1)
        } else {
            self.listing(found)
        }
    }

    fn listing(&mut self, found: FoundFence) -> Block {
        self.state.listings.push(found);
        Block::Live(LISTING + self.state.listings.len() - 1)
    }
}

fn never_closed(line: &container::Line) -> Diagnostic {
    Diagnostic::error(line.span, "this container is opened here and never closed")
        .help(format!("put a line {} after the last line inside it", ":".repeat(line.colons)))
}

/// The finding for a name given twice.
pub(crate) fn duplicate(name: &Name, first: Span, second: Span) -> Diagnostic {
    Diagnostic::error(second, format!("the name `@{name}` is used twice"))
        .label("used again here")
        .related(first, "used here first")
        .help("give one of them another name: names are unique in a document")
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
    for (at, &byte) in bytes.iter().enumerate() {
        if byte == b'\n' || (byte == b'\r' && bytes.get(at + 1) != Some(&b'\n')) {
            starts.push(at + 1);
        }
    }
    starts
}
