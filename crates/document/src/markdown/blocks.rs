//! Blocks: what a paragraph, a heading, a table, a fenced block of Markdown is in our tree.

use super::{FoundFence, Reader, Syntax, running};
use crate::container;
use crate::diagnostic::Diagnostic;
use crate::fence::{self, Fence};
use crate::files::joined;
use crate::inline::{Inline, InlineKind, Part, Placement};
use crate::listing::{listing, named_twice, plain_listing, with_plain_ends};
use crate::name::Name;
use crate::options::{OneSlide, OptionValue};
use crate::span::Span;
use crate::tree::{Alignment, Block, Container, ContainerKind, Item, Named, NoticeKind};
use comrak::nodes::{AlertType, ListType, Node, NodeCodeBlock, NodeValue, TableAlignment};

impl Reader<'_, '_> {
    pub(super) fn block<'n>(&mut self, node: Node<'n>) -> Option<Block> {
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
                let html = with_plain_ends(&self.whole.placeholders.restore(&html.literal));
                Block::Html {
                    html: container::restore(html, self.before + data.sourcepos.start.line, &self.whole.containers),
                    span,
                }
            }
            NodeValue::ThematicBreak => Block::Rule,
            NodeValue::FootnoteDefinition(note) => {
                Block::Footnote { name: note.name.clone(), blocks: self.children(node), span }
            }
            NodeValue::Table(table) => {
                let alignment = table.alignments.iter().map(|&a| aligned(a)).collect();
                let mut rows: Vec<Vec<Vec<Inline>>> =
                    node.children().map(|row| row.children().map(|cell| self.cell(cell)).collect()).collect();
                let header = if rows.is_empty() { Vec::new() } else { rows.remove(0) };
                Block::Table { alignment, header: header.into(), rows: rows.into(), span }
            }
            NodeValue::Alert(alert) => Block::Container(Box::new(Container {
                kind: ContainerKind::Notice(match alert.alert_type {
                    AlertType::Note => NoticeKind::Note,
                    AlertType::Tip => NoticeKind::Tip,
                    AlertType::Important => NoticeKind::Important,
                    AlertType::Warning => NoticeKind::Caution,
                    AlertType::Caution => NoticeKind::Danger,
                }),
                title: alert
                    .title
                    .iter()
                    .map(|title| Inline::text(self.whole.placeholders.restore(title), span))
                    .collect(),
                id: None,
                formats: Vec::new(),
                widths: Vec::new(),
                blocks: self.children(node),
                span,
                close: Span::NOWHERE,
            })),
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
            [inline] if let InlineKind::Placement(placement) = &inline.kind => {
                let Placement { name, caption } = placement.as_ref().clone();
                return Block::Placement { name, caption, span: inline.span() };
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
        let mut slide = Box::<OneSlide>::default();
        if let Some(InlineKind::Text(last)) = content.last_mut().map(|inline| &mut inline.kind)
            && let Some((kept, given)) = trailing_id(last)
        {
            let given = given.to_string();
            *last = kept.into();
            if last.is_empty() {
                content.pop();
            }
            let (name, settings) = given.split_once(char::is_whitespace).unwrap_or((&given, ""));
            id = self.named(name, span, Named::Section(span));
            match OneSlide::read(settings) {
                Ok(read) => *slide = read,
                Err((message, help)) => self.read.findings.push(Diagnostic::error(span, message).help(help)),
            }
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
        let opening = self.whole.source.line_of(span.start);
        let first = self.whole.line_starts.partition_point(|&start| start <= span.start - self.whole.offset)
            + usize::from(code.fenced);
        let literal = container::restore(self.whole.placeholders.restore(&code.literal), first, &self.whole.containers);
        if !code.fenced || self.whole.syntax != Syntax::Vine {
            let fence = if code.fenced { Fence::plain(&code.info) } else { Fence::default() };
            return Block::Listing(Box::new(plain_listing(fence, &literal, span)));
        }
        let line = self.whole.source.line_span(opening);
        let line = Span::new(span.start, line.end.max(span.start));
        // After some tables the parser gives a block no more than its first letters.
        let lines = literal.lines().count() + usize::from(code.closed);
        let cut_short = span.end < line.end;
        let span =
            if cut_short { Span::new(span.start, self.whole.source.line_span(opening + lines).end) } else { span };
        if !code.closed && self.whole.source.line_count() > 0 {
            let ticks = char::from(code.fence_char).to_string().repeat(code.fence_length);
            self.read.findings.push(
                Diagnostic::error(line, "this fenced block is opened here and never closed")
                    .help(format!("put a line {ticks} after the last line of its code")),
            );
        }
        let text = self.whole.source.slice(line);
        let info = text.trim_start_matches(char::from(code.fence_char));
        let mut fence = fence::read(info, line.end - info.len(), &mut self.read.findings);
        // Code from a file is found from where it is named, as pictures are.
        if let (false, Some(mut from)) = (self.whole.folder.is_empty(), fence.settings.get("from").cloned())
            && let Some(path) = from.value.as_text()
        {
            from.value = OptionValue::Text(joined(self.whole.folder, path));
            fence.settings.set("from", from);
        }
        if fence.language == "math" && !fence.live {
            return Block::Equation {
                latex: [Part::Text(with_plain_ends(literal.trim_end()).into())].into(),
                id: None,
                span,
            };
        }
        if !fence.live {
            let caption = self.option_inlines(&fence, "caption", line);
            let (listing, twice) = listing(fence, &literal, caption, span);
            let code_start = self.whole.source.line_span(opening + 1).start;
            self.read.findings.extend(named_twice(twice, self.whole.source, code_start));
            if let (Some(id), Some(setting)) = (&listing.id, listing.id_span) {
                self.read.names.push((id.clone(), Named::Listing(setting)));
            }
            return Block::Listing(Box::new(listing));
        }
        let code_start = self.whole.source.line_span(opening + 1).start;
        Block::Live(self.read.fences.push(FoundFence { fence, code: literal, code_start, line, span }))
    }

    /// The text of an option as running text; empty where it is not set.
    fn option_inlines(&mut self, fence: &Fence, option: &str, line: Span) -> Vec<Inline> {
        let Some(setting) = fence.settings.get(option) else { return Vec::new() };
        let text = setting.value.as_text().unwrap_or("").to_string();
        self.titled(&text, setting.span.or(line))
    }

    /// A title or a caption as running text.
    pub(super) fn titled(&mut self, text: &str, span: Span) -> Vec<Inline> {
        running(text, span).into_inlines(&mut self.read.values, &mut self.read.findings)
    }
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
