//! Running text.

use super::{Reader, Syntax};
use crate::files::joined;
use crate::inline::{Image, Inline, InlineKind, Link, Part, Placement, Reference, Template};
use crate::listing::with_plain_ends;
use crate::span::Span;
use comrak::nodes::{Node, NodeValue};

impl Reader<'_, '_> {
    pub(super) fn running<'n>(&mut self, node: Node<'n>) -> Vec<Inline> {
        let mut content = Vec::with_capacity(node.children().count());
        for child in node.children() {
            self.inline(child, &mut content);
        }
        content
    }

    pub(super) fn cell<'n>(&mut self, cell: Node<'n>) -> Vec<Inline> {
        let span = self.span(cell.data().sourcepos);
        let lines = self.whole.source.slice(span).match_indices("\\|").map(|(at, _)| span.start + at);
        self.escaped_lines = lines.collect();
        let content = self.running(cell);
        self.escaped_lines.clear();
        content
    }

    fn inline<'n>(&mut self, node: Node<'n>, into: &mut Vec<Inline>) {
        let data = node.data();
        let span = self.span(data.sourcepos);
        let kind = match &data.value {
            NodeValue::Text(text) if !self.whole.placeholders.has_values() => return push_text(into, text, span),
            NodeValue::Text(text) => {
                for part in self.template(text) {
                    match part {
                        Part::Text(text) => push_text(into, &text, span),
                        Part::Value(value) => {
                            let span = self.read.values[value.0].span;
                            into.push(Inline::new(InlineKind::Value(value), span));
                        }
                    }
                }
                return;
            }
            NodeValue::ShortCode(code) => return push_text(into, &code.emoji, span),
            NodeValue::Code(code) => {
                let mut template = self.template(&code.literal);
                // Markdown knows no escapes in code, but a value can stand there.
                for part in template.iter_mut().filter(|_| self.whole.syntax == Syntax::Vine) {
                    if let Part::Text(text) = part
                        && text.contains('\\')
                    {
                        *text = text.replace("\\@[", "@[");
                    }
                }
                InlineKind::Code(template)
            }
            NodeValue::Math(math) => {
                InlineKind::Math { latex: self.template(&with_plain_ends(&math.literal)), display: math.display_math }
            }
            NodeValue::Emph => InlineKind::Emphasis(self.running(node).into()),
            NodeValue::Strong => InlineKind::Strong(self.running(node).into()),
            NodeValue::Strikethrough => InlineKind::Strike(self.running(node).into()),
            NodeValue::Link(link) => match link.url.strip_prefix('@').filter(|_| self.whole.syntax == Syntax::Vine) {
                Some(name) => InlineKind::Reference(Box::new(Reference {
                    name: self.whole.placeholders.restore(name),
                    content: self.running(node),
                })),
                None => InlineKind::Link(Box::new(Link {
                    target: self.template(&link.url),
                    title: self.whole.placeholders.restore(&link.title).into(),
                    content: self.running(node),
                })),
            },
            NodeValue::Image(link) => match link.url.strip_prefix('@').filter(|_| self.whole.syntax == Syntax::Vine) {
                Some(name) => InlineKind::Placement(Box::new(Placement {
                    name: self.whole.placeholders.restore(name),
                    caption: self.running(node),
                })),
                None => InlineKind::Image(Box::new(Image {
                    target: self.picture_target(&link.url),
                    title: self.whole.placeholders.restore(&link.title).into(),
                    alt: self.running(node),
                })),
            },
            NodeValue::FootnoteReference(note) => InlineKind::Footnote(note.name.as_str().into()),
            NodeValue::HtmlInline(html) => {
                InlineKind::Html(with_plain_ends(&self.whole.placeholders.restore(html)).into())
            }
            NodeValue::SoftBreak => InlineKind::SoftBreak,
            NodeValue::LineBreak => InlineKind::LineBreak,
            _ => {
                for child in node.children() {
                    self.inline(child, into);
                }
                return;
            }
        };
        into.push(Inline::new(kind, span));
    }

    pub(super) fn template(&mut self, text: &str) -> Template {
        self.whole.placeholders.template(text, &mut self.read.values)
    }

    /// The target of a picture, from the document's folder.
    fn picture_target(&mut self, target: &str) -> Template {
        if self.whole.folder.is_empty() || target.contains("://") {
            return self.template(target);
        }
        let path = joined(self.whole.folder, target);
        self.template(&path)
    }
}

/// Adds text to running text: to the text that stands last, if there is one.
fn push_text(into: &mut Vec<Inline>, text: &str, span: Span) {
    if let Some(last) = into.last_mut()
        && let InlineKind::Text(before) = &mut last.kind
    {
        before.push_str(text);
        last.set_span(Span::new(last.span().start, span.end));
        return;
    }
    into.push(Inline::text(text, span));
}
