//! What elements of HTML say, in the terms of the tree.

use super::Pass;
use super::nodes::{Element, Node};
use base64::Engine;
use vineloom_woven::html_tokens::{Token, tokens};
use vineloom_woven::{
    Block, Code, Heading, Image, Inline, InlineKind, InlineStyle, Item, Link, Media, Picture, RemoteImage, Span, Term,
    plain_text,
};

/// Elements that begin a block of their own.
const BLOCKS: &[&str] = &[
    "address",
    "article",
    "aside",
    "blockquote",
    "center",
    "dd",
    "details",
    "dialog",
    "div",
    "dl",
    "dt",
    "fieldset",
    "figcaption",
    "figure",
    "footer",
    "form",
    "h1",
    "h2",
    "h3",
    "h4",
    "h5",
    "h6",
    "header",
    "hr",
    "li",
    "main",
    "menu",
    "nav",
    "ol",
    "p",
    "pre",
    "section",
    "summary",
    "table",
    "ul",
    "caption",
    "thead",
    "tbody",
    "tfoot",
    "tr",
    "td",
    "th",
    "html",
    "body",
    "head",
];

/// Elements that say nothing to a reader; what stands in them is running text.
const BARE: &[&str] = &[
    "a", "abbr", "bdi", "bdo", "big", "data", "font", "label", "nobr", "noscript", "output", "rp", "rt", "ruby",
    "slot", "span", "time",
];

/// Elements whose content is not for readers at all.
const UNSEEN: &[&str] = &["base", "col", "colgroup", "link", "meta", "style", "template", "title", "datalist"];

/// HTML that is one drawing, as a picture with the words that it brings along.
pub(super) fn drawing(html: &str) -> Option<(Picture, String)> {
    let svg = html.trim();
    let whole = svg.starts_with("<svg") && svg.ends_with("</svg>") && svg.matches("<svg").count() == 1;
    if !whole || svg.contains("<script") {
        return None;
    }
    let name = "xmlns=\"http://www.w3.org/2000/svg\"";
    let head = &svg[..svg.find('>')?];
    let svg = if head.contains("xmlns=") { svg.into() } else { svg.replacen("<svg", &format!("<svg {name}"), 1) };
    let words = alternative(&svg);
    Some((Picture::of_kind(Media::Svg, svg.into_bytes()), words))
}

/// What a drawing says of itself: its label, or its title.
fn alternative(svg: &str) -> String {
    let mut tokens = tokens(svg).into_iter();
    while let Some(token) = tokens.next() {
        if let Token::Open { name, attributes } = token {
            if let Some((_, label)) = attributes.into_iter().find(|(name, _)| name == "aria-label") {
                return label.into();
            }
            if name == "title"
                && let Some(Token::Text(title)) = tokens.next()
            {
                return title.trim().into();
            }
        }
    }
    String::new()
}

/// The picture that a `data:` address holds.
fn picture_in(address: &str) -> Option<Picture> {
    let (_, data) = address.strip_prefix("data:image/")?.split_once(";base64,")?;
    let data: String = data.chars().filter(|c| !c.is_whitespace()).collect();
    let bytes = base64::engine::general_purpose::STANDARD.decode(data).ok()?;
    Picture::new(bytes)
}

/// A picture in a paragraph of its own.
pub(super) fn figure(picture: Picture, alt: String, span: Span) -> Block {
    let image = InlineKind::Image(Box::new(Image { picture, alt, title: "".into(), width: None }));
    Block::Paragraph { content: vec![Inline::new(image, span)], span }
}

impl Pass<'_> {
    /// Running text with what elements say.
    pub(super) fn said_as_inlines(&mut self, nodes: Vec<Node>) -> Vec<Inline> {
        let mut inlines = Vec::new();
        for node in nodes {
            match node {
                Node::Text(text, span) => inlines.push(Inline::text(collapsed(&text), span)),
                Node::Inline(inline) => inlines.push(inline),
                // A block within running text can only give its words.
                Node::Block(block) => inlines.extend(words_of(block)),
                Node::Element(element) => self.element(element, &mut inlines),
            }
        }
        inlines
    }

    fn element(&mut self, element: Element, inlines: &mut Vec<Inline>) {
        let before = std::mem::replace(&mut self.place, element.place);
        self.inline_element(element, inlines);
        self.place = before;
    }

    fn inline_element(&mut self, element: Element, inlines: &mut Vec<Inline>) {
        let name = element.name.as_str();
        let place = element.place;
        let made = |kind: InlineKind| Inline::new(kind, place);
        if let Some(style) = InlineStyle::of_element(name) {
            inlines.push(made(InlineKind::Styled { style, content: self.said_as_inlines(element.children).into() }));
            return;
        }
        match name {
            "b" | "strong" => inlines.push(made(InlineKind::Strong(self.said_as_inlines(element.children).into()))),
            "i" | "em" | "cite" | "dfn" | "var" => {
                inlines.push(made(InlineKind::Emphasis(self.said_as_inlines(element.children).into())));
            }
            "s" | "del" | "strike" => {
                inlines.push(made(InlineKind::Strike(self.said_as_inlines(element.children).into())))
            }
            "code" | "samp" | "tt" => {
                inlines.push(made(InlineKind::Code(plain_text(&self.said_as_inlines(element.children)).into())));
            }
            "q" => {
                inlines.push(made(InlineKind::Text("\u{201c}".into())));
                inlines.extend(self.said_as_inlines(element.children));
                inlines.push(made(InlineKind::Text("\u{201d}".into())));
            }
            "br" => inlines.push(made(InlineKind::LineBreak)),
            "wbr" => inlines.push(made(InlineKind::Text("\u{200b}".into()))),
            "img" => self.image(&element, inlines),
            "a" if element.attribute("href").is_some() => {
                let target = element.attribute("href").unwrap_or_default().to_string();
                let content = self.said_as_inlines(element.children);
                inlines.push(made(InlineKind::Link(Box::new(Link {
                    target: target.into(),
                    title: "".into(),
                    content,
                }))));
            }
            "script" => self.lose(format!("a script does not run in {}", self.format.noun()), "<script"),
            name if UNSEEN.contains(&name) => {}
            name if BARE.contains(&name) => inlines.extend(self.said_as_inlines(element.children)),
            name if BLOCKS.contains(&name) => {
                inlines.extend(self.said_as_inlines(element.children));
                inlines.push(made(InlineKind::Text(" ".into())));
            }
            name => {
                // The children of some are parts of them, not words for when they can't be shown.
                let whole = matches!(name, "svg" | "math" | "object" | "iframe" | "canvas" | "select" | "textarea");
                let kept = !whole && !element.children.is_empty();
                let fate = if kept { "what stands in it is kept" } else { "it is left out" };
                self.lose(format!("`<{name}>` says nothing in {}; {fate}", self.format.noun()), &format!("<{name}"));
                if kept {
                    inlines.extend(self.said_as_inlines(element.children));
                }
            }
        }
    }

    fn image(&mut self, element: &Element, inlines: &mut Vec<Inline>) {
        let source = element.attribute("src").unwrap_or_default();
        let alt = element.attribute("alt").unwrap_or_default().to_string();
        let made = |kind: InlineKind| Inline::new(kind, element.place);
        let embedded = picture_in(source);
        if let Some(picture) = self.pictures.get(source).or(embedded.as_ref()) {
            let title = element.attribute("title").unwrap_or_default().to_string();
            let width = element.attribute("width").and_then(|width| width.trim_end_matches("px").parse().ok());
            let width = width.filter(|width: &f64| *width > 0.0 && width.is_finite());
            inlines.push(made(InlineKind::Image(Box::new(Image {
                picture: picture.clone(),
                alt,
                title: title.into(),
                width,
            }))));
        } else if source.contains("://") {
            let alt = vec![Inline::text(alt, element.place)];
            inlines.push(made(InlineKind::RemoteImage(Box::new(RemoteImage {
                target: source.into(),
                title: "".into(),
                alt,
            }))));
        } else {
            let shown = if source.starts_with("data:") { "in an `<img>` can't be read" } else { source };
            let fate = if source.starts_with("data:") { "" } else { " is not there" };
            self.lose(format!("the picture {shown}{fate}; its words stand in {}", self.format.noun()), source);
            inlines.push(made(InlineKind::Text(alt.into())));
        }
    }

    /// Blocks with what elements say.
    pub(super) fn said_as_blocks(&mut self, nodes: Vec<Node>, span: Span) -> Vec<Block> {
        let mut blocks = Vec::new();
        let mut running = Vec::new();
        for node in nodes {
            match node {
                Node::Block(block) => {
                    self.paragraph(&mut running, &mut blocks, span);
                    blocks.push(block);
                }
                Node::Element(element) if holds_blocks(&element) => {
                    self.paragraph(&mut running, &mut blocks, span);
                    self.block_element(element, &mut blocks, span);
                }
                other => running.push(other),
            }
        }
        self.paragraph(&mut running, &mut blocks, span);
        blocks
    }

    /// Ends a paragraph of running text, when there is any.
    fn paragraph(&mut self, running: &mut Vec<Node>, blocks: &mut Vec<Block>, span: Span) {
        let mut content = self.said_as_inlines(std::mem::take(running));
        trim(&mut content);
        if !content.is_empty() {
            blocks.push(Block::Paragraph { content, span });
        }
    }

    pub(super) fn block_element(&mut self, element: Element, blocks: &mut Vec<Block>, span: Span) {
        let span = element.place.or(span);
        match element.name.as_str() {
            "h1" | "h2" | "h3" | "h4" | "h5" | "h6" => {
                let level = element.name.as_bytes()[1] - b'0';
                let mut content = self.said_as_inlines(element.children);
                trim(&mut content);
                blocks.push(Block::Heading(Box::new(Heading {
                    level,
                    id: None,
                    number: String::new(),
                    slide: Default::default(),
                    content,
                    span,
                })));
            }
            "ul" | "ol" | "menu" => {
                let ordered = element.name == "ol";
                let start = element.attribute("start").and_then(|start| start.parse().ok()).unwrap_or(1);
                let items: Vec<Item> = elements(element.children, &["li"])
                    .into_iter()
                    .map(|item| Item { task: None, blocks: self.said_as_blocks(item.children, span) })
                    .collect();
                blocks.push(Block::List { start: ordered.then_some(start), tight: true, items });
            }
            "dl" => {
                let mut terms: Vec<Term> = Vec::new();
                for part in elements(element.children, &["dt", "dd"]) {
                    let is_term = part.name == "dt";
                    let inner = self.said_as_blocks(part.children, span);
                    match terms.last_mut() {
                        Some(last) if !is_term => last.blocks.extend(inner),
                        _ if is_term => {
                            let term = inner.into_iter().flat_map(words_of).collect();
                            terms.push(Term { term, blocks: Vec::new() });
                        }
                        _ => terms.push(Term { term: Vec::new(), blocks: inner }),
                    }
                }
                blocks.push(Block::Terms(terms));
            }
            "blockquote" => blocks.push(Block::Quote(self.said_as_blocks(element.children, span))),
            "hr" => blocks.push(Block::Rule),
            "pre" => blocks.push(Block::Listing { id: None, code: Box::new(code_of(&element)), float: None, span }),
            "details" => {
                let (summary, rest): (Vec<Node>, Vec<Node>) = element
                    .children
                    .into_iter()
                    .partition(|node| matches!(node, Node::Element(e) if e.name == "summary"));
                let label = summary.into_iter().flat_map(|node| match node {
                    Node::Element(summary) => self.said_as_inlines(summary.children),
                    _ => Vec::new(),
                });
                let mut label: Vec<Inline> = label.collect();
                trim(&mut label);
                blocks.push(Block::Fold { label, blocks: self.said_as_blocks(rest, span) });
            }
            "table" => self.table(element, blocks, span),
            "figcaption" | "caption" => {
                let mut content = self.said_as_inlines(element.children);
                trim(&mut content);
                blocks.push(Block::Paragraph {
                    content: vec![Inline::new(InlineKind::Emphasis(content.into()), span)],
                    span,
                });
            }
            _ => blocks.extend(self.said_as_blocks(element.children, span)),
        }
    }
}

/// Whether an element begins a block, or holds one.
fn holds_blocks(element: &Element) -> bool {
    BLOCKS.contains(&element.name.as_str())
        || element.children.iter().any(|node| match node {
            Node::Block(_) => true,
            Node::Element(inner) => holds_blocks(inner),
            Node::Text(..) | Node::Inline(_) => false,
        })
}

/// The elements of these names, however deep they stand in others.
pub(super) fn elements(nodes: Vec<Node>, names: &[&str]) -> Vec<Element> {
    let mut found = Vec::new();
    for node in nodes {
        match node {
            Node::Element(element) if names.contains(&element.name.as_str()) => found.push(element),
            Node::Element(element) => found.extend(elements(element.children, names)),
            _ => {}
        }
    }
    found
}

fn code_of(pre: &Element) -> Code {
    let mut text = String::new();
    let mut language = String::new();
    collect_text(&pre.children, &mut text, &mut language);
    let text = text.strip_prefix('\n').unwrap_or(&text).trim_end().to_string();
    Code { language, text, first_line: None, mark: Vec::new() }
}

fn collect_text(nodes: &[Node], text: &mut String, language: &mut String) {
    for node in nodes {
        match node {
            Node::Text(part, _) => text.push_str(part),
            Node::Inline(inline) => text.push_str(&plain_text(std::slice::from_ref(inline))),
            Node::Block(_) => {}
            Node::Element(element) => {
                let classes = element.attribute("class").unwrap_or_default();
                if let Some(named) = classes.split_whitespace().find_map(|class| class.strip_prefix("language-")) {
                    *language = named.into();
                }
                if element.name == "br" {
                    text.push('\n');
                }
                collect_text(&element.children, text, language);
            }
        }
    }
}

fn words_of(block: Block) -> Vec<Inline> {
    match block {
        Block::Paragraph { content, .. } => content,
        Block::Heading(heading) => heading.content,
        _ => Vec::new(),
    }
}

/// White space as HTML reads it: any amount is one space.
fn collapsed(text: &str) -> String {
    let mut collapsed = String::with_capacity(text.len());
    for c in text.chars() {
        if !matches!(c, ' ' | '\t' | '\n' | '\r' | '\u{c}') {
            collapsed.push(c);
        } else if !collapsed.ends_with(' ') {
            collapsed.push(' ');
        }
    }
    collapsed
}

/// Takes white space off both ends of running text.
pub(super) fn trim(inlines: &mut Vec<Inline>) {
    let blank = |inline: &Inline| match &inline.kind {
        InlineKind::Text(text) => text.trim().is_empty() && !text.contains('\u{a0}'),
        InlineKind::SoftBreak | InlineKind::LineBreak => true,
        _ => false,
    };
    while inlines.last().is_some_and(blank) {
        inlines.pop();
    }
    let lead = inlines.iter().take_while(|inline| blank(inline)).count();
    inlines.drain(..lead);
    if let Some(InlineKind::Text(text)) = inlines.first_mut().map(|inline| &mut inline.kind) {
        *text = text.trim_start().into();
    }
    if let Some(InlineKind::Text(text)) = inlines.last_mut().map(|inline| &mut inline.kind) {
        *text = text.trim_end().into();
    }
}
