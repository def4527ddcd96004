//! CommonMark with the GitHub extensions and math, into our tree.

use crate::diagnostic::Diagnostic;
use crate::fence::{self, Fence};
use crate::name::Name;
use crate::source::{Source, Span};
use crate::stand_in::StandIns;
use crate::tree::{Alignment, Block, Inline, Item, Named, NoticeKind, Part, Template};
use crate::value_use::ValueUse;
use comrak::nodes::{AlertType, ListType, Node, NodeCodeBlock, NodeValue, Sourcepos, TableAlignment};
use comrak::{Arena, Options, parse_document};
use std::collections::BTreeMap;

/// The markdown features of a vine document.
fn options() -> Options<'static> {
    let mut options = Options::default();
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
pub(crate) struct FoundFence {
    /// What its opening line says.
    pub fence: Fence,
    /// The code.
    pub code: String,
    /// The 1-based line of the first line of code.
    pub code_line: usize,
    /// The opening line.
    pub span: Span,
}

/// What reading a body gathers beside the tree.
pub(crate) struct Reader<'a> {
    source: &'a Source,
    stand_ins: StandIns,
    offset: usize,
    line_starts: Vec<usize>,
    /// The values used in prose.
    pub values: &'a mut Vec<ValueUse>,
    /// The live blocks found, in order.
    pub live: Vec<FoundFence>,
    /// Listings found, in order; [`Block::Live`] numbers at or above [`LISTING`] stand for them.
    pub listings: Vec<FoundFence>,
    /// Sections and equations that were given a name.
    pub names: BTreeMap<Name, Named>,
    /// What is wrong.
    pub diagnostics: &'a mut Vec<Diagnostic>,
}

/// Where the numbers of listings start while they wait for their options.
pub(crate) const LISTING: usize = usize::MAX / 2;

impl<'a> Reader<'a> {
    /// A reader of `text`, which starts at byte `offset` of the source.
    pub fn new(
        source: &'a Source,
        text: &str,
        offset: usize,
        values: &'a mut Vec<ValueUse>,
        diagnostics: &'a mut Vec<Diagnostic>,
    ) -> Self {
        let stand_ins = StandIns::new(text, offset);
        let line_starts = line_starts(text);
        Reader {
            source,
            stand_ins,
            offset,
            line_starts,
            values,
            live: Vec::new(),
            listings: Vec::new(),
            names: BTreeMap::new(),
            diagnostics,
        }
    }

    /// Reads it all as blocks.
    pub fn blocks(&mut self) -> Vec<Block> {
        let arena = Arena::new();
        let text = self.stand_ins.text.clone();
        let root = parse_document(&arena, &text, &options());
        self.children(root)
    }

    /// Reads it as running text: the content of its first paragraph.
    pub fn inlines(&mut self) -> Vec<Inline> {
        let arena = Arena::new();
        let text = self.stand_ins.text.clone();
        let root = parse_document(&arena, &text, &options());
        let first = root.children().next();
        match first {
            Some(node) if matches!(node.data().value, NodeValue::Paragraph) => self.running(node),
            // A title such as `1. Wiring` reads as a list: take it as plain text.
            _ if text.trim().is_empty() => Vec::new(),
            _ => self
                .stand_ins
                .template(text.trim(), self.values)
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
        node.children().filter_map(|child| self.block(child)).collect()
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
            NodeValue::HtmlBlock(html) => Block::Html(self.stand_ins.restore(&html.literal)),
            NodeValue::ThematicBreak => Block::Rule,
            NodeValue::FootnoteDefinition(note) => {
                Block::Footnote { name: note.name.clone(), blocks: self.children(node) }
            }
            NodeValue::Table(table) => {
                let alignment = table.alignments.iter().map(|&a| aligned(a)).collect();
                let mut rows: Vec<Vec<Vec<Inline>>> =
                    node.children().map(|row| row.children().map(|cell| self.running(cell)).collect()).collect();
                let header = if rows.is_empty() { Vec::new() } else { rows.remove(0) };
                Block::Table { alignment, header, rows }
            }
            NodeValue::Alert(alert) => Block::Notice {
                kind: match alert.alert_type {
                    AlertType::Note => NoticeKind::Note,
                    AlertType::Tip => NoticeKind::Tip,
                    AlertType::Important => NoticeKind::Important,
                    AlertType::Warning => NoticeKind::Caution,
                    AlertType::Caution => NoticeKind::Danger,
                },
                title: alert.title.as_ref().map(|title| self.stand_ins.restore(title)),
                blocks: self.children(node),
            },
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
            self.diagnostics.push(
                Diagnostic::error(span, format!("`{word}` is not a name"))
                    .help("a name starts with a letter and has letters, digits, `-` and `_`"),
            );
            return None;
        };
        if let Some(before) = self.names.get(&name) {
            self.diagnostics.push(duplicate(&name, before.span(), span));
            return None;
        }
        self.names.insert(name.clone(), named);
        Some(name)
    }

    fn code(&mut self, code: &NodeCodeBlock, span: Span) -> Block {
        let literal = self.stand_ins.restore(&code.literal);
        let opening = self.source.line_of(span.start);
        if !code.fenced {
            let found = FoundFence { fence: Fence::default(), code: literal, code_line: opening, span };
            return self.listing(found);
        }
        let line = self.source.line_span(opening);
        let line = Span::new(span.start, line.end.max(span.start));
        if !code.closed {
            let ticks = char::from(code.fence_char).to_string().repeat(code.fence_length);
            self.diagnostics.push(
                Diagnostic::error(line, "this fenced block is opened here and never closed")
                    .help(format!("put a line {ticks} after the last line of its code")),
            );
        }
        let text = self.source.slice(line);
        let info = text.trim_start_matches(char::from(code.fence_char));
        let fence = fence::read(info, line.end - info.len(), self.diagnostics);
        if fence.language == "math" && !fence.live {
            return Block::Equation { latex: vec![Part::Text(literal.trim_end().into())], id: None, span };
        }
        let found = FoundFence { fence, code: literal, code_line: opening + 1, span: line };
        if found.fence.live {
            self.live.push(found);
            Block::Live(self.live.len() - 1)
        } else {
            self.listing(found)
        }
    }

    fn listing(&mut self, found: FoundFence) -> Block {
        self.listings.push(found);
        Block::Live(LISTING + self.listings.len() - 1)
    }

    fn running<'n>(&mut self, node: Node<'n>) -> Vec<Inline> {
        let mut content = Vec::new();
        for child in node.children() {
            self.inline(child, &mut content);
        }
        content
    }

    fn inline<'n>(&mut self, node: Node<'n>, into: &mut Vec<Inline>) {
        let data = node.data();
        let span = self.span(data.sourcepos);
        let inline = match &data.value {
            NodeValue::Text(text) => {
                for part in self.template(text) {
                    match (part, into.last_mut()) {
                        (Part::Text(text), Some(Inline::Text(before))) => before.push_str(&text),
                        (Part::Text(text), _) => into.push(Inline::Text(text)),
                        (Part::Value(value), _) => into.push(Inline::Value(value)),
                    }
                }
                return;
            }
            NodeValue::ShortCode(code) => match into.last_mut() {
                Some(Inline::Text(before)) => {
                    before.push_str(&code.emoji);
                    return;
                }
                _ => Inline::Text(code.emoji.clone()),
            },
            NodeValue::Code(code) => Inline::Code(self.template(&code.literal)),
            NodeValue::Math(math) => {
                Inline::Math { latex: self.template(&math.literal), display: math.display_math, span }
            }
            NodeValue::Emph => Inline::Emphasis(self.running(node)),
            NodeValue::Strong => Inline::Strong(self.running(node)),
            NodeValue::Strikethrough => Inline::Strike(self.running(node)),
            NodeValue::Link(link) => match link.url.strip_prefix('@') {
                Some(name) => {
                    Inline::Reference { name: self.stand_ins.restore(name), content: self.running(node), span }
                }
                None => Inline::Link {
                    target: self.template(&link.url),
                    title: self.stand_ins.restore(&link.title),
                    content: self.running(node),
                },
            },
            NodeValue::Image(link) => match link.url.strip_prefix('@') {
                Some(name) => {
                    Inline::Placement { name: self.stand_ins.restore(name), caption: self.running(node), span }
                }
                None => Inline::Image {
                    target: self.template(&link.url),
                    title: self.stand_ins.restore(&link.title),
                    alt: self.running(node),
                    span,
                },
            },
            NodeValue::FootnoteReference(note) => Inline::Footnote(note.name.clone()),
            NodeValue::HtmlInline(html) => Inline::Html(self.stand_ins.restore(html)),
            NodeValue::SoftBreak => Inline::SoftBreak,
            NodeValue::LineBreak => Inline::LineBreak,
            _ => {
                for child in node.children() {
                    self.inline(child, into);
                }
                return;
            }
        };
        into.push(inline);
    }

    fn template(&mut self, text: &str) -> Template {
        self.stand_ins.template(text, self.values)
    }
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
