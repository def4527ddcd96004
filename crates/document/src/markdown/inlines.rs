//! Running text.

use super::{Reader, Syntax};
use crate::files::joined;
use crate::live::with_plain_ends;
use crate::tree::{Inline, Part, Template};
use comrak::nodes::{Node, NodeValue};

impl Reader<'_, '_> {
    pub(super) fn running<'n>(&mut self, node: Node<'n>) -> Vec<Inline> {
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
                Inline::Math { latex: self.template(&with_plain_ends(&math.literal)), display: math.display_math, span }
            }
            NodeValue::Emph => Inline::Emphasis(self.running(node)),
            NodeValue::Strong => Inline::Strong(self.running(node)),
            NodeValue::Strikethrough => Inline::Strike(self.running(node)),
            NodeValue::Link(link) => match link.url.strip_prefix('@').filter(|_| self.syntax == Syntax::Vine) {
                Some(name) => {
                    Inline::Reference { name: self.stand_ins.restore(name), content: self.running(node), span }
                }
                None => Inline::Link {
                    target: self.template(&link.url),
                    title: self.stand_ins.restore(&link.title),
                    content: self.running(node),
                },
            },
            NodeValue::Image(link) => match link.url.strip_prefix('@').filter(|_| self.syntax == Syntax::Vine) {
                Some(name) => {
                    Inline::Placement { name: self.stand_ins.restore(name), caption: self.running(node), span }
                }
                None => Inline::Image {
                    target: self.picture_target(&link.url),
                    title: self.stand_ins.restore(&link.title),
                    alt: self.running(node),
                    span,
                },
            },
            NodeValue::FootnoteReference(note) => Inline::Footnote(note.name.clone()),
            NodeValue::HtmlInline(html) => Inline::Html(with_plain_ends(&self.stand_ins.restore(html))),
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

    pub(super) fn template(&mut self, text: &str) -> Template {
        let first = self.state.values.len();
        let template = self.stand_ins.template(text, &mut self.state.values);
        let after = self.state.live.len();
        self.state.values[first..].iter_mut().for_each(|value| value.after = after);
        template
    }

    /// The target of a picture, from the document's folder.
    fn picture_target(&mut self, target: &str) -> Template {
        if self.folder.is_empty() || target.contains("://") {
            return self.template(target);
        }
        let path = joined(self.folder, target);
        self.template(&path)
    }
}
