//! Markdown that a block printed (`as=markdown`), as woven blocks. It has no names, values or live blocks.

use crate::values::plain_template;
use crate::woven::{self, Code, Heading};
use vineloom_document::{Block, ContainerKind, Inline, Span, plain_text};

/// The woven form of printed Markdown. Headings in it have no number and no id of their own, and all of it stands at
/// `span`: where the block is that printed it.
pub fn blocks(blocks: &[Block], span: Span) -> Vec<woven::Block> {
    blocks.iter().filter_map(|inner| block(inner, span)).collect()
}

fn block(block: &Block, span: Span) -> Option<woven::Block> {
    Some(match block {
        Block::Heading { level, content, .. } => woven::Block::Heading(Heading {
            level: *level,
            id: String::new(),
            number: String::new(),
            content: inlines(content),
            span,
        }),
        Block::Paragraph { content, .. } => woven::Block::Paragraph { content: inlines(content), span },
        Block::Quote(inner) => woven::Block::Quote(blocks(inner, span)),
        Block::List { start, tight, items } => woven::Block::List {
            start: *start,
            tight: *tight,
            items: items.iter().map(|i| woven::Item { task: i.task, blocks: blocks(&i.blocks, span) }).collect(),
        },
        Block::Table { alignment, header, rows, .. } => woven::Block::Table {
            alignment: alignment.clone(),
            header: header.iter().map(|cell| inlines(cell)).collect(),
            rows: rows.iter().map(|row| row.iter().map(|cell| inlines(cell)).collect()).collect(),
            span,
        },
        Block::Rule => woven::Block::Rule,
        Block::Html { html, .. } => woven::Block::Html { html: html.clone(), span },
        Block::Equation { latex, .. } => {
            woven::Block::Equation { id: None, number: None, latex: plain_template(latex), span }
        }
        Block::Container(container) => match container.kind {
            ContainerKind::Notice(kind) => {
                woven::Block::Notice { kind, title: inlines(&container.title), blocks: blocks(&container.blocks, span) }
            }
            _ => return None,
        },
        Block::Listing(listing) => woven::Block::Listing {
            id: None,
            code: Code {
                language: listing.language.clone(),
                text: listing.code.strip_suffix('\n').unwrap_or(&listing.code).into(),
                first_line: None,
                mark: Vec::new(),
            },
            float: None,
            span,
        },
        Block::Live(_)
        | Block::Placement { .. }
        | Block::Footnote { .. }
        | Block::Embedded { .. }
        | Block::DataFile { .. } => return None,
    })
}

fn inlines(inlines_in: &[Inline]) -> Vec<woven::Inline> {
    inlines_in.iter().map(inline).collect()
}

fn inline(inline: &Inline) -> woven::Inline {
    match inline {
        Inline::Text(text) => woven::Inline::Text(text.clone()),
        Inline::Code(template) => woven::Inline::Code(plain_template(template)),
        Inline::Math { latex, display, .. } => woven::Inline::Math { latex: plain_template(latex), display: *display },
        Inline::Emphasis(content) => woven::Inline::Emphasis(inlines(content)),
        Inline::Strong(content) => woven::Inline::Strong(inlines(content)),
        Inline::Strike(content) => woven::Inline::Strike(inlines(content)),
        Inline::Link { target, title, content } => {
            woven::Inline::Link { target: plain_template(target), title: title.clone(), content: inlines(content) }
        }
        Inline::Image { target, title, alt, .. } => {
            woven::Inline::RemoteImage { target: plain_template(target), title: title.clone(), alt: inlines(alt) }
        }
        Inline::Reference { content, .. } | Inline::Placement { caption: content, .. } => {
            woven::Inline::Text(plain_text(content))
        }
        Inline::Html(html) => woven::Inline::Html(html.clone()),
        Inline::SoftBreak => woven::Inline::SoftBreak,
        Inline::LineBreak => woven::Inline::LineBreak,
        Inline::Value(_) | Inline::Footnote(_) => woven::Inline::Text(String::new()),
    }
}
