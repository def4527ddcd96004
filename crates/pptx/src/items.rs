//! What stands on a slide, in the terms of a presentation: texts, code, tables, pictures.

use crate::pieces::{Look, Mark, Paragraph, Piece, Words, bold, plain, source};
use vineloom_export::highlighted::Highlighted;
use vineloom_export::html::Palette;
use vineloom_export::math::omml::omml;
use vineloom_export::math::plain::plain as as_text;
use vineloom_export::math::tree;
use vineloom_woven::{
    Alignment, Block, Code, Float, Inline, InlineKind, Picture, Run as Live, Shown, Table, TextKind, plain_text,
};

/// A thing on a slide.
#[derive(Debug, Clone)]
pub(crate) enum Item {
    /// Running text and lists.
    Text(Vec<Paragraph>),
    /// Text in a coloured box.
    Framed(Vec<Paragraph>),
    /// Code or output, a paragraph a line.
    Code {
        lines: Vec<Paragraph>,
        filled: bool,
        /// The strand that a live block ran on: its thread stands beside it.
        strand: Option<usize>,
    },
    /// A formula on a line of its own, as office programs have it and as text.
    Formula {
        omml: String,
        plain: String,
        number: Option<usize>,
    },
    /// A table, its first row the head.
    Table {
        rows: Vec<Vec<Paragraph>>,
        right: Vec<bool>,
    },
    Figure {
        picture: Picture,
        alt: String,
    },
    Columns {
        widths: Vec<u32>,
        columns: Vec<Vec<Item>>,
    },
}

/// Makes items of blocks.
pub(crate) struct Itemising<'a> {
    pub highlighted: &'a Highlighted,
    pub palette: &'a Palette,
    pub words: Words<'a>,
}

impl Itemising<'_> {
    pub fn items(&self, blocks: &[Block]) -> Vec<Item> {
        let mut items = Vec::new();
        blocks.iter().for_each(|block| self.block(block, &mut items));
        items
    }

    fn block(&self, block: &Block, items: &mut Vec<Item>) {
        match block {
            Block::Heading(heading) => text_into(items, vec![Paragraph::whole(self.words.bold(&heading.content))]),
            Block::Paragraph { content, .. } => self.paragraph(content, items),
            Block::Quote(blocks) => {
                let mut inner = self.items(blocks);
                each_paragraph(&mut inner, &mut |paragraph| {
                    paragraph.pieces.iter_mut().for_each(|piece| piece.look.italic = true);
                    paragraph.level = paragraph.level.max(1);
                });
                append(items, inner);
            }
            Block::List { .. } => self.list(block, 0, items),
            Block::Terms(terms) => {
                for term in terms {
                    text_into(items, vec![Paragraph::whole(self.words.bold(&term.term))]);
                    let mut inner = self.items(&term.blocks);
                    each_paragraph(&mut inner, &mut |paragraph| paragraph.level = paragraph.level.max(1));
                    append(items, inner);
                }
            }
            Block::Table { alignment, header, rows, .. } => {
                let right = alignment.iter().map(|alignment| *alignment == Alignment::Right).collect();
                let cell = |cell: &Vec<Inline>| Paragraph::whole(self.words.pieces(cell));
                let head: Vec<Paragraph> = header.iter().map(|cell| Paragraph::whole(self.words.bold(cell))).collect();
                let rows = std::iter::once(head).chain(rows.iter().map(|row| row.iter().map(cell).collect())).collect();
                items.push(Item::Table { rows, right });
            }
            Block::Equation { latex, number, .. } => {
                items.push(match tree::read(latex, self.words.macros, true) {
                    Ok(read) => Item::Formula { omml: omml(&read, &face), plain: as_text(&read), number: *number },
                    // What can't be read is told of elsewhere, and shown as it is written.
                    Err(_) => Item::Text(vec![Paragraph { centred: true, ..Paragraph::whole(vec![source(latex)]) }]),
                });
            }
            Block::Notice { title, blocks, kind } => {
                let title = if title.is_empty() {
                    vec![bold(plain(self.words.vocabulary.notice(*kind)))]
                } else {
                    self.words.bold(title)
                };
                let mut framed = vec![Paragraph::whole(title)];
                let mut inner = self.items(blocks);
                // What is no text stands below the box.
                let texts = inner.iter().take_while(|item| matches!(item, Item::Text(_))).count();
                for item in inner.drain(..texts) {
                    if let Item::Text(paragraphs) = item {
                        framed.extend(paragraphs);
                    }
                }
                items.push(Item::Framed(framed));
                append(items, inner);
            }
            Block::Tabs(tabs) => {
                for tab in tabs {
                    text_into(items, vec![Paragraph::whole(self.words.bold(&tab.title))]);
                    append(items, self.items(&tab.blocks));
                }
            }
            Block::Columns { widths, columns } => {
                let columns = columns.iter().map(|column| self.items(column)).collect();
                items.push(Item::Columns { widths: widths.clone(), columns });
            }
            Block::Fold { label, blocks } => {
                if !label.is_empty() {
                    text_into(items, vec![Paragraph::whole(self.words.bold(label))]);
                }
                append(items, self.items(blocks));
            }
            Block::Steps(blocks) => append(items, self.items(blocks)),
            Block::Group { float, blocks, .. } => {
                let inside = self.items(blocks);
                self.captioned(float.as_deref(), items, |_, items| append(items, inside));
            }
            Block::Data { table, float, .. } => {
                self.captioned(float.as_deref(), items, |_, items| items.push(data_table(table)));
            }
            Block::Works(works) => {
                let work = |work: &vineloom_woven::Work| {
                    let mut pieces = self.words.pieces(&work.label);
                    if !pieces.is_empty() {
                        pieces.push(plain(" "));
                    }
                    pieces.extend(self.words.pieces(&work.content));
                    Paragraph { size: 0.72, ..Paragraph::whole(pieces) }
                };
                text_into(items, works.iter().map(work).collect());
            }
            Block::Listing { code, float, .. } => {
                self.captioned(float.as_deref(), items, |writer, items| items.push(writer.code(code, None)));
            }
            Block::Run(run) => self.captioned(run.float.as_deref(), items, |writer, items| writer.run(run, items)),
            // What could be said without HTML has been; the rest was told.
            Block::Rule | Block::Html { .. } | Block::Place(_) | Block::Speaker(_) => {}
        }
    }

    fn paragraph(&self, content: &[Inline], items: &mut Vec<Item>) {
        let mut text: Vec<Inline> = Vec::new();
        for inline in content {
            match &inline.kind {
                InlineKind::Image(image) => {
                    self.sentence(&mut text, items);
                    items.push(Item::Figure { picture: image.picture.clone(), alt: image.alt.clone() });
                }
                _ => text.push(inline.clone()),
            }
        }
        self.sentence(&mut text, items);
    }

    fn sentence(&self, text: &mut Vec<Inline>, items: &mut Vec<Item>) {
        if !plain_text(text).trim().is_empty() {
            text_into(items, vec![Paragraph::whole(self.words.pieces(text))]);
        }
        text.clear();
    }

    fn list(&self, block: &Block, level: u8, items: &mut Vec<Item>) {
        let Block::List { start, items: entries, .. } = block else { return };
        for (at, entry) in entries.iter().enumerate() {
            let mark = start.map_or(Mark::Bullet, |start| Mark::Number(start + at));
            let mut first = true;
            for block in &entry.blocks {
                match block {
                    Block::List { .. } => self.list(block, (level + 1).min(8), items),
                    Block::Paragraph { content, .. } => {
                        let mut pieces = self.words.pieces(content);
                        if let Some(done) = entry.task.filter(|_| first) {
                            pieces.insert(0, plain(if done { "☑ " } else { "☐ " }));
                        }
                        let mark = if first { mark } else { Mark::None };
                        let level = if first { level } else { level + 1 };
                        text_into(items, vec![Paragraph { mark, level, ..Paragraph::whole(pieces) }]);
                    }
                    other => append(items, self.items(std::slice::from_ref(other))),
                }
                first = false;
            }
        }
    }

    fn run(&self, run: &Live, items: &mut Vec<Item>) {
        let strand = Some(run.strand.0);
        if let Some(code) = &run.code {
            items.push(self.code(code, strand));
        }
        for shown in &run.results {
            match shown {
                Shown::Text { text, kind, .. } => {
                    let colour = match kind {
                        TextKind::Failure => Some(self.palette.strands[1]),
                        TextKind::Notice => Some(self.palette.ink_soft),
                        TextKind::Output | TextKind::Value => None,
                    };
                    let look = Look { code: true, colour, ..Look::default() };
                    let line = |line: &str| {
                        Paragraph::whole(vec![Piece { text: line.replace('\t', "    "), look, ..Piece::default() }])
                    };
                    let printed = text.lines().map(line);
                    match items.last_mut() {
                        Some(Item::Code { lines, .. }) if run.join => lines.extend(printed),
                        _ => items.push(Item::Code { lines: printed.collect(), filled: false, strand }),
                    }
                }
                Shown::Code(code) => items.push(self.code(code, strand)),
                Shown::Html { .. } => {}
                Shown::LeftOut { words } => text_into(items, vec![small(words)]),
                Shown::Table { table, cut } => {
                    items.push(data_table(table));
                    text_into(items, cut.iter().map(|cut| small(&cut.words)).collect());
                }
                Shown::Figure { picture, alt } => {
                    let caption = run.float.as_deref().map(|float| plain_text(&float.caption));
                    items.push(Item::Figure {
                        picture: picture.clone(),
                        alt: alt.clone().or(caption).unwrap_or_default(),
                    });
                }
                Shown::Blocks(blocks) => append(items, self.items(blocks)),
            }
        }
    }

    /// What has a caption, with it above or below.
    fn captioned(&self, float: Option<&Float>, items: &mut Vec<Item>, inside: impl FnOnce(&Self, &mut Vec<Item>)) {
        let (above, below) = (float.filter(|float| float.is_above()), float.filter(|float| !float.is_above()));
        above.into_iter().for_each(|float| self.caption(float, items));
        inside(self, items);
        below.into_iter().for_each(|float| self.caption(float, items));
    }

    fn caption(&self, float: &Float, items: &mut Vec<Item>) {
        let mut pieces = vec![bold(plain(&format!("{} {}. ", float.word, float.number)))];
        pieces.extend(self.words.pieces(&float.caption));
        text_into(items, vec![Paragraph { size: 0.62, ..Paragraph::whole(pieces) }]);
    }

    fn code(&self, code: &Code, strand: Option<usize>) -> Item {
        let digits = code.first_line.map(|first| (first as usize + code.text.lines().count()).to_string().len());
        let line = |(at, line): (usize, Vec<(vineloom_export::highlight::Kind, String)>)| {
            let mut pieces = Vec::new();
            if let (Some(first), Some(digits)) = (code.first_line, digits) {
                let number = format!("{:>digits$}  ", first as usize + at);
                pieces.push(Piece {
                    text: number,
                    look: Look { code: true, colour: Some(self.palette.ink_soft), ..Look::default() },
                    ..Piece::default()
                });
            }
            pieces.extend(line.into_iter().map(|(kind, text)| {
                let look = Look {
                    code: true,
                    italic: kind.class() == Some("c"),
                    colour: kind.class().and_then(|class| self.palette.code(class)),
                    ..Look::default()
                };
                Piece { text: text.replace('\t', "    "), look, ..Piece::default() }
            }));
            Paragraph::whole(pieces)
        };
        let lines = self.highlighted.lines(code).into_iter().enumerate().map(line).collect();
        Item::Code { lines, filled: true, strand }
    }
}

/// What a run of a formula looks like: as the text around it, unless it has a colour of its own.
fn face(colour: Option<&str>) -> String {
    let face = |colour| format!("<a:rPr><a:solidFill><a:srgbClr val=\"{colour}\"/></a:solidFill></a:rPr>");
    colour.map_or_else(String::new, face)
}

fn small(words: &str) -> Paragraph {
    let piece = Piece { text: words.into(), look: Look { italic: true, ..Look::default() }, ..Piece::default() };
    Paragraph { size: 0.62, ..Paragraph::whole(vec![piece]) }
}

fn data_table(table: &Table) -> Item {
    let head = table.columns.iter().map(|column| Paragraph::whole(vec![bold(plain(&column.name))])).collect();
    let cell = |cell: &Option<String>| Paragraph::whole(vec![plain(cell.as_deref().unwrap_or(""))]);
    let rows = std::iter::once(head).chain(table.rows.iter().map(|row| row.iter().map(cell).collect())).collect();
    Item::Table { rows, right: (0..table.columns.len()).map(|column| table.is_right(column)).collect() }
}

/// Adds paragraphs to the text that stands last, or begins one.
fn text_into(items: &mut Vec<Item>, paragraphs: Vec<Paragraph>) {
    match items.last_mut() {
        _ if paragraphs.is_empty() => {}
        Some(Item::Text(text)) => text.extend(paragraphs),
        _ => items.push(Item::Text(paragraphs)),
    }
}

fn append(items: &mut Vec<Item>, more: Vec<Item>) {
    for item in more {
        match item {
            Item::Text(paragraphs) => text_into(items, paragraphs),
            item => items.push(item),
        }
    }
}

fn each_paragraph(items: &mut [Item], change: &mut dyn FnMut(&mut Paragraph)) {
    for item in items {
        match item {
            Item::Text(paragraphs) | Item::Framed(paragraphs) => paragraphs.iter_mut().for_each(&mut *change),
            Item::Columns { columns, .. } => columns.iter_mut().for_each(|column| each_paragraph(column, change)),
            Item::Code { .. } | Item::Formula { .. } | Item::Table { .. } | Item::Figure { .. } => {}
        }
    }
}
