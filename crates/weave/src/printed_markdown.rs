//! Markdown that a block printed (`as=markdown`), as woven blocks. It has no names, values or live blocks.

use crate::values::plain_template;
use ecow::EcoString;
use vineloom_document::{Block, ContainerKind, Inline, InlineKind, Span, plain_text};
use vineloom_woven as woven;
use vineloom_woven::{Code, Heading};

/// The woven form of Markdown that a block printed. Headings in it have no number and no id of their own, and all of it stands at
/// `span`: where the block is that printed it.
pub fn woven_markdown(blocks: &[Block], span: Span) -> Vec<woven::Block> {
    blocks.iter().filter_map(|inner| block(inner, span)).collect()
}

fn block(block: &Block, span: Span) -> Option<woven::Block> {
    Some(match block {
        Block::Heading { level, content, .. } => woven::Block::Heading(Box::new(Heading {
            level: *level,
            id: None,
            number: String::new(),
            slide: Default::default(),
            content: inlines(content, span),
            span,
        })),
        Block::Paragraph { content, .. } => woven::Block::Paragraph { content: inlines(content, span), span },
        Block::Quote(inner) => woven::Block::Quote(woven_markdown(inner, span)),
        Block::List { start, tight, items } => woven::Block::List {
            start: *start,
            tight: *tight,
            items: items
                .iter()
                .map(|i| woven::Item { task: i.task, blocks: woven_markdown(&i.blocks, span) })
                .collect(),
        },
        Block::Table { alignment, header, rows, .. } => woven::Block::Table {
            alignment: alignment.clone(),
            header: header.iter().map(|cell| inlines(cell, span)).collect(),
            rows: rows.iter().map(|row| row.iter().map(|cell| inlines(cell, span)).collect()).collect(),
            span,
        },
        Block::Rule => woven::Block::Rule,
        Block::Html { html, .. } => woven::Block::Html { html: html.clone(), span },
        Block::Equation { latex, .. } => {
            woven::Block::Equation { id: None, number: None, latex: plain_template(latex), span }
        }
        Block::Container(container) => match container.kind {
            ContainerKind::Notice(kind) => woven::Block::Notice {
                kind,
                title: inlines(&container.title, span),
                blocks: woven_markdown(&container.blocks, span),
            },
            _ => return None,
        },
        Block::Listing(listing) => woven::Block::Listing {
            id: None,
            code: Box::new(Code {
                language: listing.language.clone(),
                text: listing.code.strip_suffix('\n').unwrap_or(&listing.code).into(),
                first_line: None,
                mark: Vec::new(),
            }),
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

fn inlines(inlines: &[Inline], span: Span) -> Vec<woven::Inline> {
    inlines.iter().map(|inline| woven::Inline::new(kind(inline, span), span)).collect()
}

fn kind(inline: &Inline, span: Span) -> woven::InlineKind {
    let inlines = |content: &[Inline]| inlines(content, span);
    match &inline.kind {
        InlineKind::Text(text) => woven::InlineKind::Text(text.clone()),
        InlineKind::Code(template) => woven::InlineKind::Code(plain_template(template)),
        InlineKind::Math { latex, display } => {
            woven::InlineKind::Math { latex: plain_template(latex), display: *display }
        }
        InlineKind::Emphasis(content) => woven::InlineKind::Emphasis(inlines(content).into()),
        InlineKind::Strong(content) => woven::InlineKind::Strong(inlines(content).into()),
        InlineKind::Strike(content) => woven::InlineKind::Strike(inlines(content).into()),
        InlineKind::Link(link) => woven::InlineKind::Link(Box::new(woven::Link {
            target: plain_template(&link.target),
            title: link.title.clone(),
            content: inlines(&link.content),
        })),
        InlineKind::Image(image) => woven::InlineKind::RemoteImage(Box::new(woven::RemoteImage {
            target: plain_template(&image.target),
            title: image.title.clone(),
            alt: inlines(&image.alt),
        })),
        InlineKind::Reference(_) | InlineKind::Placement(_) => {
            woven::InlineKind::Text(plain_text(inline.children()).into())
        }
        InlineKind::Html(html) => woven::InlineKind::Html(html.clone()),
        InlineKind::SoftBreak => woven::InlineKind::SoftBreak,
        InlineKind::LineBreak => woven::InlineKind::LineBreak,
        InlineKind::Value(_) | InlineKind::Footnote(_) => woven::InlineKind::Text(EcoString::new()),
    }
}
