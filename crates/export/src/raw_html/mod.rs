//! Documents without HTML, for formats that have none.
//!
//! Writers put tags into their Markdown, and blocks print HTML. What a tag says that the tree can say too, is said
//! there: `<sub>`, `<kbd>` and the like as a look, `<a>` as a link, `<table>` as a table, `<details>` as a fold. What
//! it can't say is left out, and told once for each kind of element, with the place where it is met first.

mod nodes;
mod said;
mod tables;

use crate::Loss;
use nodes::{Builder, Node};
use std::collections::BTreeMap;
use vineloom_weave::html_tokens::{Token, tokens};
use vineloom_weave::woven::{Block, Format, Inline, Item, Picture, Shown, Span, Tab, Woven, each_block};

/// The same document without HTML, and what is lost with it. `pictures` are the files that `<img>` names. What is only
/// for other formats than `format` is left out, and nothing of it is lost.
///
/// ```
/// # use std::collections::BTreeMap;
/// # use vineloom_document::parse_fragment;
/// # use vineloom_weave::{plain_markdown, woven::*};
/// let blocks = plain_markdown(&parse_fragment("CO<sub>2</sub> <blink>!</blink>"), Span::default());
/// let woven = Woven { head: Head::default(), blocks, notes: Vec::new(), strands: Vec::new() };
/// let (plain, losses) = vineloom_export::raw_html::without_html(&woven, &BTreeMap::new(), Format::Pdf);
/// assert!(matches!(&plain.blocks[0], Block::Paragraph { content, .. }
///     if matches!(content[1], Inline::Styled { style: InlineStyle::Subscript, .. })));
/// assert_eq!(losses[0].message, "`<blink>` says nothing in the PDF; what stands in it is kept");
/// ```
pub fn without_html(woven: &Woven, pictures: &BTreeMap<String, Picture>, format: Format) -> (Woven, Vec<Loss>) {
    let mut pass = Pass { pictures, format, losses: Vec::new(), place: None };
    let mut plain = woven.clone();
    plain.head.title = pass.inlines(&woven.head.title);
    plain.head.subtitle = pass.inlines(&woven.head.subtitle);
    plain.blocks = pass.blocks(&woven.blocks);
    plain.notes = woven.notes.iter().map(|blocks| pass.blocks(blocks)).collect();
    (plain, pass.losses)
}

/// The picture files that `<img>` names in a document, as they are written.
pub fn picture_names(woven: &Woven) -> Vec<String> {
    let mut names = Vec::new();
    let mut of_html = |html: &str| {
        for token in tokens(html) {
            if let Token::Open { name, attributes } = token
                && name == "img"
                && let Some((_, source)) = attributes.into_iter().find(|(name, _)| name == "src")
                && !source.contains(':')
            {
                names.push(source);
            }
        }
    };
    each_html(&woven.blocks, &mut of_html);
    woven.notes.iter().for_each(|blocks| each_html(blocks, &mut of_html));
    names
}

struct Pass<'a> {
    pictures: &'a BTreeMap<String, Picture>,
    format: Format,
    losses: Vec<Loss>,
    place: Option<Span>,
}

impl Pass<'_> {
    /// What is made, as the losses call it.
    fn made(&self) -> &'static str {
        match self.format {
            Format::Html => "the page",
            Format::Pdf => "the PDF",
            Format::Markdown => "the woven Markdown",
        }
    }

    fn lose(&mut self, message: String, about: &str) {
        if self.losses.iter().all(|told| told.message != message) {
            let help = "put it between `::: only html` and `:::`, and what this format should have between `::: except html` and `:::`";
            self.losses.push(Loss::new(message).help(help).at(self.place).about(about));
        }
    }

    fn at<T>(&mut self, place: Span, work: impl FnOnce(&mut Self) -> T) -> T {
        let before = self.place.replace(place);
        let done = work(self);
        self.place = before;
        done
    }

    fn blocks(&mut self, blocks: &[Block]) -> Vec<Block> {
        if !blocks.iter().any(|block| matches!(block, Block::Html { .. })) {
            return blocks.iter().map(|block| self.block(block)).filter(|block| !is_empty(block)).collect();
        }
        let mut builder = Builder::default();
        let mut places = Vec::new();
        for block in blocks {
            match block {
                Block::Html { html, span } => {
                    places.push(*span);
                    match said::drawing(html) {
                        Some((picture, words)) => builder.push(Node::Block(said::figure(picture, words, *span))),
                        None => builder.html(html, Some(*span)),
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
        let place = places.first().copied().unwrap_or_default();
        let nodes = builder.nodes();
        self.at(place, |pass| pass.said_as_blocks(nodes, place))
    }

    fn block(&mut self, block: &Block) -> Block {
        match block {
            Block::Heading(heading) => {
                let content = self.at(heading.span, |pass| pass.inlines(&heading.content));
                Block::Heading(vineloom_weave::woven::Heading { content, ..heading.clone() })
            }
            Block::Paragraph { content, span } => {
                Block::Paragraph { content: self.at(*span, |pass| pass.inlines(content)), span: *span }
            }
            Block::Quote(blocks) => Block::Quote(self.blocks(blocks)),
            Block::List { start, tight, items } => {
                let items =
                    items.iter().map(|item| Item { task: item.task, blocks: self.blocks(&item.blocks) }).collect();
                Block::List { start: *start, tight: *tight, items }
            }
            Block::Table { alignment, header, rows, span } => self.at(*span, |pass| Block::Table {
                alignment: alignment.clone(),
                header: header.iter().map(|cell| pass.inlines(cell)).collect(),
                rows: rows.iter().map(|row| row.iter().map(|cell| pass.inlines(cell)).collect()).collect(),
                span: *span,
            }),
            Block::Notice { kind, title, blocks } => {
                Block::Notice { kind: *kind, title: self.inlines(title), blocks: self.blocks(blocks) }
            }
            Block::Tabs(tabs) => Block::Tabs(
                tabs.iter()
                    .map(|tab| Tab { title: self.inlines(&tab.title), blocks: self.blocks(&tab.blocks) })
                    .collect(),
            ),
            Block::Columns(columns) => Block::Columns(columns.iter().map(|column| self.blocks(column)).collect()),
            Block::Fold { label, blocks } => Block::Fold { label: self.inlines(label), blocks: self.blocks(blocks) },
            Block::Only { formats, blocks } => {
                let here = formats.contains(&self.format);
                let blocks = if here { self.blocks(blocks) } else { Vec::new() };
                Block::Only { formats: formats.clone(), blocks }
            }
            Block::Group { id, float, blocks } => {
                Block::Group { id: id.clone(), float: float.clone(), blocks: self.blocks(blocks) }
            }
            Block::Run(run) => {
                let mut run = run.clone();
                run.results = self.at(run.span, |pass| pass.results(run.results, run.span));
                Block::Run(run)
            }
            Block::Html { .. }
            | Block::Rule
            | Block::Equation { .. }
            | Block::Data { .. }
            | Block::Works(_)
            | Block::Listing { .. } => block.clone(),
        }
    }

    fn results(&mut self, results: Vec<Shown>, span: Span) -> Vec<Shown> {
        let said = |shown: Shown| match shown {
            Shown::Html { html, alt } => {
                let told = self.losses.len();
                let blocks = match said::drawing(&html) {
                    Some((picture, words)) => {
                        return Shown::Figure { picture, alt: alt.or(Some(words).filter(|words| !words.is_empty())) };
                    }
                    None => {
                        let mut builder = Builder::default();
                        builder.html(&html, Some(span));
                        self.said_as_blocks(builder.nodes(), span)
                    }
                };
                if blocks.is_empty() && self.losses.len() == told {
                    let message = format!("the HTML that this block printed shows nothing in {}", self.made());
                    self.losses
                        .push(Loss::new(message).at(self.place).help("give it something of its own: `::: only pdf`"));
                }
                Shown::Blocks(blocks)
            }
            Shown::Blocks(blocks) => Shown::Blocks(self.blocks(&blocks)),
            other => other,
        };
        results.into_iter().map(said).collect()
    }

    fn inlines(&mut self, inlines: &[Inline]) -> Vec<Inline> {
        if !inlines.iter().any(|inline| matches!(inline, Inline::Html(_))) {
            return inlines.iter().map(|inline| self.inline(inline)).collect();
        }
        let mut builder = Builder::default();
        for inline in inlines {
            match inline {
                Inline::Html(html) => builder.html(html, self.place),
                inline => builder.push(Node::Inline(self.inline(inline))),
            }
        }
        self.said_as_inlines(builder.nodes())
    }

    fn inline(&mut self, inline: &Inline) -> Inline {
        match inline {
            Inline::Emphasis(content) => Inline::Emphasis(self.inlines(content)),
            Inline::Strong(content) => Inline::Strong(self.inlines(content)),
            Inline::Strike(content) => Inline::Strike(self.inlines(content)),
            Inline::Link { target, title, content } => {
                Inline::Link { target: target.clone(), title: title.clone(), content: self.inlines(content) }
            }
            other => other.clone(),
        }
    }
}

/// Whether nothing is left of a paragraph.
fn is_empty(block: &Block) -> bool {
    matches!(block, Block::Paragraph { content, .. } if content.is_empty())
}

/// Visits all HTML in blocks, printed HTML too.
fn each_html(blocks: &[Block], visit: &mut dyn FnMut(&str)) {
    each_block(blocks, &mut |block| match block {
        Block::Html { html, .. } => visit(html),
        Block::Heading(heading) => each_inline_html(&heading.content, visit),
        Block::Paragraph { content, .. } => each_inline_html(content, visit),
        Block::Table { header, rows, .. } => {
            header.iter().chain(rows.iter().flatten()).for_each(|cell| each_inline_html(cell, visit));
        }
        Block::Run(run) => {
            for shown in &run.results {
                if let Shown::Html { html, .. } = shown {
                    visit(html);
                }
            }
        }
        _ => {}
    });
}

fn each_inline_html(inlines: &[Inline], visit: &mut dyn FnMut(&str)) {
    for inline in inlines {
        match inline {
            Inline::Html(html) => visit(html),
            Inline::Emphasis(content)
            | Inline::Strong(content)
            | Inline::Strike(content)
            | Inline::Link { content, .. } => each_inline_html(content, visit),
            _ => {}
        }
    }
}
