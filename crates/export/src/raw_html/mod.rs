//! Documents without HTML, for formats that have none.
//!
//! Writers put tags into their Markdown, and blocks print HTML. What a tag says that the tree can say too, is said
//! there: `<sub>`, `<kbd>` and the like as a look, `<a>` as a link, `<table>` as a table, `<details>` as a fold. What
//! it can't say is left out, and told once for each kind of element, with the place where it is met first.

mod elements;
mod nodes;
mod tables;

use nodes::{Builder, Node};
use std::borrow::Cow;
use std::collections::BTreeMap;
use vineloom_document::Diagnostic;
use vineloom_woven::html_tokens::{Token, tokens};
use vineloom_woven::{Block, Format, Inline, InlineKind, Picture, Rewrite, Shown, Span, Woven, each_inline};

/// The same document without HTML, and what is lost with it. `pictures` are the files that `<img>` names. What is only
/// for other formats than `format` is left out, and nothing of it is lost.
///
/// ```
/// # use std::collections::BTreeMap;
/// # use vineloom_woven::*;
/// let html = |html: &str| Inline::new(InlineKind::Html(html.into()), Span::NOWHERE);
/// let text = |text: &str| Inline::text(text, Span::NOWHERE);
/// let content = vec![text("CO"), html("<sub>"), text("2"), html("</sub>"), html("<blink>"), text("!"), html("</blink>")];
/// let woven = Woven { blocks: vec![Block::Paragraph { content, span: Span::NOWHERE }], ..Woven::default() };
/// let (plain, lost) = vineloom_export::raw_html::without_html(&woven, &BTreeMap::new(), Format::Pdf);
/// let Block::Paragraph { content, .. } = &plain.blocks[0] else { panic!() };
/// assert!(matches!(content[1].kind, InlineKind::Styled { style: InlineStyle::Subscript, .. }));
/// assert_eq!(lost[0].message, "`<blink>` says nothing in the PDF; what stands in it is kept");
/// ```
pub fn without_html<'w>(
    woven: &'w Woven,
    pictures: &BTreeMap<String, Picture>,
    format: Format,
) -> (Cow<'w, Woven>, Vec<Diagnostic>) {
    if !has_html(woven) {
        return (Cow::Borrowed(woven), Vec::new());
    }
    let mut pass = Pass { pictures, format, lost: Vec::new(), place: Span::NOWHERE };
    let plain = pass.document(woven.clone());
    (Cow::Owned(plain), pass.lost)
}

/// Whether anything stands in a document that the pass changes: HTML, what is empty.
fn has_html(woven: &Woven) -> bool {
    let mut found = false;
    woven.each_block(&mut |block| {
        found |= matches!(block, Block::Html { .. }) || is_empty(block);
        if let Block::Run(run) = block {
            found |= run.results.iter().any(|shown| matches!(shown, Shown::Html { .. }));
        }
    });
    if !found {
        woven.each_text(&mut |text| {
            each_inline(text, &mut |inline| found |= matches!(inline.kind, InlineKind::Html(_)));
        });
    }
    found
}

/// The picture files that `<img>` names in a document, as they are written, each once.
pub fn picture_names(woven: &Woven) -> Vec<String> {
    let mut names = Vec::new();
    let mut of_html = |html: &str| {
        for token in tokens(html) {
            if let Token::Open { name, attributes } = token
                && name == "img"
                && let Some((_, source)) = attributes.into_iter().find(|(name, _)| name == "src")
                && !source.contains(':')
            {
                names.push(source.into());
            }
        }
    };
    woven.each_block(&mut |block| match block {
        Block::Html { html, .. } => of_html(html),
        Block::Run(run) => run.results.iter().for_each(|shown| {
            if let Shown::Html { html, .. } = shown {
                of_html(html);
            }
        }),
        _ => {}
    });
    woven.each_text(&mut |text| {
        each_inline(text, &mut |inline| {
            if let InlineKind::Html(html) = &inline.kind {
                of_html(html);
            }
        });
    });
    names.sort_unstable();
    names.dedup();
    names
}

struct Pass<'a> {
    pictures: &'a BTreeMap<String, Picture>,
    format: Format,
    lost: Vec<Diagnostic>,
    place: Span,
}

impl Pass<'_> {
    fn lose(&mut self, message: String, about: &str) {
        if self.lost.iter().all(|told| told.message != message) {
            let help = "put it between `::: for html` and `:::`, and what this format should have between `::: not-for html` and `:::`";
            self.lost.push(Diagnostic::loss(message).help(help).at(self.place).about(about));
        }
    }

    fn at<T>(&mut self, place: Span, work: impl FnOnce(&mut Self) -> T) -> T {
        let before = std::mem::replace(&mut self.place, place);
        let done = work(self);
        self.place = before;
        done
    }

    /// HTML that a block printed.
    fn printed(&mut self, html: &str, alt: Option<String>) -> Shown {
        if let Some((picture, words)) = elements::drawing(html) {
            return Shown::Figure { picture, alt: alt.or(Some(words).filter(|words| !words.is_empty())) };
        }
        let (told, place) = (self.lost.len(), self.place);
        let mut builder = Builder::default();
        builder.html(html, place);
        let blocks = self.said_as_blocks(builder.nodes(), place);
        if blocks.is_empty() && self.lost.len() == told {
            let message = format!("the HTML that this block printed shows nothing in {}", self.format.noun());
            let help = format!("give it something of its own: `::: for {}`", self.format);
            self.lost.push(Diagnostic::loss(message).at(place).help(help));
        }
        Shown::Blocks(blocks)
    }
}

impl Rewrite for Pass<'_> {
    fn blocks(&mut self, blocks: Vec<Block>) -> Vec<Block> {
        if !blocks.iter().any(|block| matches!(block, Block::Html { .. })) {
            return blocks.into_iter().map(|block| self.block(block)).filter(|block| !is_empty(block)).collect();
        }
        let mut builder = Builder::default();
        let mut first = None;
        for block in blocks {
            match block {
                Block::Html { html, span } => {
                    first.get_or_insert(span);
                    match elements::drawing(&html) {
                        Some((picture, words)) => builder.push(Node::Block(elements::figure(picture, words, span))),
                        None => builder.html(&html, span),
                    }
                }
                block => {
                    let block = self.block(block);
                    if !is_empty(&block) {
                        builder.push(Node::Block(block));
                    }
                }
            }
        }
        let place = first.unwrap_or(Span::NOWHERE);
        let nodes = builder.nodes();
        self.at(place, |pass| pass.said_as_blocks(nodes, place))
    }

    fn block(&mut self, block: Block) -> Block {
        match block {
            Block::Run(ref run) => self.at(run.span, |pass| pass.inside(block)),
            block => self.inside(block),
        }
    }

    fn shown(&mut self, shown: Shown) -> Shown {
        match shown {
            Shown::Html { html, alt } => self.printed(&html, alt),
            Shown::Blocks(blocks) => Shown::Blocks(self.blocks(blocks)),
            Shown::Text { .. }
            | Shown::Code(_)
            | Shown::LeftOut { .. }
            | Shown::Table { .. }
            | Shown::Figure { .. } => shown,
        }
    }

    fn text(&mut self, text: Vec<Inline>) -> Vec<Inline> {
        if !text.iter().any(|inline| matches!(inline.kind, InlineKind::Html(_))) {
            return text.into_iter().map(|inline| self.inline(inline)).collect();
        }
        let mut builder = Builder::default();
        for inline in text {
            match &inline.kind {
                InlineKind::Html(html) => builder.html(html, inline.span()),
                _ => {
                    let inline = self.inline(inline);
                    builder.push(Node::Inline(inline));
                }
            }
        }
        self.said_as_inlines(builder.nodes())
    }
}

/// Whether nothing is left of a paragraph.
fn is_empty(block: &Block) -> bool {
    matches!(block, Block::Paragraph { content, .. } if content.is_empty())
}
