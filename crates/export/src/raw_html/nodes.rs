//! Elements put together from tags that stand among running text and blocks.

use ecow::EcoString;
use vineloom_woven::html_tokens::{Token, tokens};
use vineloom_woven::{Block, Inline, Span};

/// Elements that have no end tag.
const EMPTY: &[&str] =
    &["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"];

/// What stands in an element, or beside it.
#[derive(Debug, Clone)]
pub(super) enum Node {
    Element(Element),
    Text(String, Span),
    /// Running text that was no HTML.
    Inline(Inline),
    /// A block that was no HTML.
    Block(Block),
}

/// An element of HTML.
#[derive(Debug, Clone)]
pub(super) struct Element {
    pub name: EcoString,
    pub attributes: Vec<(EcoString, EcoString)>,
    pub children: Vec<Node>,
    /// Where in the document it is written: its block, or its tag in running text.
    pub place: Span,
}

impl Element {
    pub fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
    }
}

/// Puts elements together. What is never closed ends where its surroundings end; what was never opened is left out.
#[derive(Debug, Default)]
pub(super) struct Builder {
    done: Vec<Node>,
    open: Vec<Element>,
}

impl Builder {
    pub fn push(&mut self, node: Node) {
        self.open.last_mut().map_or(&mut self.done, |element| &mut element.children).push(node);
    }

    /// Reads a piece of HTML that is written at a place.
    pub fn html(&mut self, html: &str, place: Span) {
        for token in tokens(html) {
            match token {
                Token::Text(text) => self.push(Node::Text(text, place)),
                Token::Open { name, attributes } => {
                    self.close_what_ends_before(&name);
                    let empty = EMPTY.contains(&name.as_str());
                    let element = Element { name, attributes, children: Vec::new(), place };
                    if empty { self.push(Node::Element(element)) } else { self.open.push(element) }
                }
                Token::Close(name) => {
                    if let Some(at) = self.open.iter().rposition(|element| element.name == name) {
                        self.close_from(at);
                    }
                }
            }
        }
    }

    /// End tags that HTML lets writers leave out.
    fn close_what_ends_before(&mut self, name: &str) {
        let (ended, within): (&[&str], &[&str]) = match name {
            "li" => (&["li"], &["ul", "ol", "menu"]),
            "tr" => (&["tr", "td", "th"], &["table"]),
            "td" | "th" => (&["td", "th"], &["tr", "table"]),
            "thead" | "tbody" | "tfoot" => (&["thead", "tbody", "tfoot", "tr", "td", "th", "caption"], &["table"]),
            "dt" | "dd" => (&["dt", "dd"], &["dl"]),
            "p" | "div" | "ul" | "ol" | "table" | "pre" | "blockquote" | "h1" | "h2" | "h3" | "h4" | "h5" | "h6" => {
                (&["p"], &["td", "th", "li", "div", "blockquote", "details"])
            }
            _ => return,
        };
        let from = self.open.iter().rposition(|e| within.contains(&e.name.as_str())).map_or(0, |at| at + 1);
        if let Some(at) = self.open[from..].iter().position(|e| ended.contains(&e.name.as_str())) {
            self.close_from(from + at);
        }
    }

    fn close_from(&mut self, at: usize) {
        while self.open.len() > at {
            if let Some(element) = self.open.pop() {
                self.push(Node::Element(element));
            }
        }
    }

    pub fn nodes(mut self) -> Vec<Node> {
        self.close_from(0);
        self.done
    }
}
