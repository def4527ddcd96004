//! Blocks of text.

use crate::fields::{field, run};
use crate::numbering::{BULLETS, HEADINGS, STEP};
use crate::writer::{Aligned, Extra, Writer};
use std::fmt::Write as _;
use vineloom_woven::{Block, Float, Heading, Id, Inline, Item, NoticeKind, Work};

impl Writer<'_> {
    pub fn blocks(&mut self, blocks: &[Block]) {
        blocks.iter().for_each(|block| self.block(block));
    }

    fn block(&mut self, block: &Block) {
        match block {
            Block::Heading(heading) => self.heading(heading),
            Block::Paragraph { content, .. } => self.text("BodyText", content),
            Block::Quote(blocks) => self.styled_as("Quote", 400, blocks),
            Block::List { start, items, .. } => self.list(*start, items),
            Block::Table { alignment, header, rows, .. } => self.prose_table(alignment, header, rows),
            Block::Terms(terms) => {
                for term in terms {
                    self.text("Term", &term.term);
                    self.styled_as("Definition", 400, &term.blocks);
                }
            }
            Block::Rule => self.paragraph("Rule", Extra::default(), ""),
            Block::Place(id) => {
                let place = self.bookmarks.around(id.as_str(), "");
                self.out.push_str(&place);
            }
            Block::Equation { id, number, latex, .. } => self.equation(id.as_ref(), *number, latex),
            Block::Notice { kind, title, blocks } => self.notice(*kind, title, blocks),
            Block::Tabs(tabs) => {
                for tab in tabs {
                    self.text("TabTitle", &tab.title);
                    self.blocks(&tab.blocks);
                }
            }
            Block::Columns { widths, columns } => self.columns(widths, columns),
            Block::Fold { label, blocks } => {
                if !label.is_empty() {
                    self.text("FoldTitle", label);
                }
                self.blocks(blocks);
            }
            Block::Steps(blocks) => self.blocks(blocks),
            Block::Group { id, float, blocks } => {
                let above = float.as_ref().filter(|float| float.is_above());
                above.into_iter().for_each(|float| self.caption_above(id.as_ref(), float));
                self.side_by_side(blocks);
                self.caption_by_now();
                let below = float.as_ref().filter(|float| !float.is_above());
                below.into_iter().for_each(|float| self.caption(id.as_ref(), float));
            }
            Block::Data { table, float, .. } => {
                float.iter().for_each(|float| self.caption_above(None, float));
                self.data_table(table, None);
            }
            Block::Works(works) => works.iter().for_each(|work| self.work(work)),
            Block::Listing { id, code, float, .. } => {
                float.iter().for_each(|float| self.caption(id.as_ref(), float));
                self.code(code, id.as_ref().filter(|_| float.is_none()));
                self.part();
            }
            Block::Run(run) => self.live(run),
            // What could be said without HTML has been; the rest was told.
            Block::Html { .. } | Block::Speaker(_) => {}
        }
    }

    /// A paragraph of running text; a picture that stands alone in one is set as a figure.
    fn text(&mut self, style: &str, content: &[Inline]) {
        let alone = matches!(content, [Inline { kind: vineloom_woven::InlineKind::Image(_), .. }]);
        let inside = self.inlines(content);
        self.paragraph(if alone { "Figure" } else { style }, Extra::default(), &inside);
    }

    fn heading(&mut self, heading: &Heading) {
        let words = self.inlines(&heading.content);
        let inside = match &heading.id {
            Some(id) => self.bookmarks.around(id.as_str(), &words),
            None => words,
        };
        let list = match (self.options.numbered, heading.level.checked_sub(self.top)) {
            (false, _) => None,
            // A heading without a number is none of the list that its style is of.
            (true, _) if heading.number.is_empty() => Some((0, 0)),
            // The styles of a house know nothing of our list.
            (true, level) => level.map(|level| (HEADINGS, usize::from(level))),
        };
        self.paragraph(&format!("Heading{}", heading.level.clamp(1, 6)), Extra { list, ..Extra::default() }, &inside);
    }

    /// Blocks whose paragraphs have a style of what they stand in.
    fn styled_as(&mut self, style: &str, indent: i64, blocks: &[Block]) {
        for block in blocks {
            match block {
                Block::Paragraph { content, .. } => {
                    let inside = self.inlines(content);
                    let indent = Some(self.indent + indent);
                    self.paragraph(style, Extra { indent, ..Extra::default() }, &inside);
                }
                block => {
                    self.indent += indent;
                    self.block(block);
                    self.indent -= indent;
                }
            }
        }
    }

    fn list(&mut self, start: Option<usize>, items: &[Item]) {
        let level = self.depth.min(8);
        let list = start.map_or(BULLETS, |start| self.lists.numbered(start));
        let style = if start.is_some() { "ListNumber" } else { "ListBullet" };
        let before = self.indent;
        self.depth += 1;
        self.indent = STEP * self.depth as i64;
        for item in items {
            let mut is_first = true;
            if !matches!(item.blocks.first(), Some(Block::Paragraph { .. })) {
                // The mark stands before what is no paragraph.
                self.paragraph(style, Extra { list: Some((list, level)), keeps_next: true, ..Extra::default() }, "");
                is_first = false;
            }
            for block in &item.blocks {
                match block {
                    Block::Paragraph { content, .. } => {
                        let mut inside = self.inlines(content);
                        if let Some(done) = item.task.filter(|_| is_first) {
                            inside.insert_str(0, &run(if done { "☑ " } else { "☐ " }));
                        }
                        // A task has its box for a mark.
                        let list = Some((list, level)).filter(|_| is_first && item.task.is_none());
                        let style = if is_first { style } else { "ListContinue" };
                        self.paragraph(style, Extra { list, ..Extra::default() }, &inside);
                    }
                    block => self.block(block),
                }
                is_first = false;
            }
        }
        self.depth -= 1;
        self.indent = before;
    }

    fn equation(&mut self, id: Option<&Id>, number: Option<usize>, latex: &str) {
        let formula = self.display(latex);
        let Some(number) = number else { return self.paragraph("Equation", Extra::default(), &formula) };
        let counted = field("SEQ Equation \\* ARABIC", &run(&number.to_string()));
        let counted = match id {
            Some(id) => self.bookmarks.around(id.as_str(), &counted),
            None => counted,
        };
        // The formula stands in the middle, its number at the edge: three cells without lines.
        let room = self.room - self.indent;
        let widths = [room / 10, room - 2 * (room / 10), room / 10];
        let numbered = format!("{}{counted}{}", run("("), run(")"));
        self.grid(&widths, &mut |writer, at| match at {
            0 => writer.paragraph("Equation", Extra::default(), ""),
            1 => writer.paragraph("Equation", Extra::default(), &formula),
            _ => writer.paragraph("Equation", Extra { aligned: Some(Aligned::Right), ..Extra::default() }, &numbered),
        });
    }

    fn notice(&mut self, kind: NoticeKind, title: &[Inline], blocks: &[Block]) {
        let word = kind.name();
        let words = if title.is_empty() { run(self.woven.head.words.notice(kind)) } else { self.inlines(title) };
        let room = self.room - self.indent;
        let inside = self.cell(room - 360, |writer| {
            writer.paragraph(&format!("{word}Title"), Extra::default(), &words);
            writer.blocks(blocks);
        });
        let style = format!("{word}Box");
        let _ = write!(
            self.out,
            "<w:tbl><w:tblPr><w:tblStyle w:val=\"{style}\"/><w:tblW w:w=\"{room}\" w:type=\"dxa\"/><w:tblInd w:w=\"{}\" w:type=\"dxa\"/><w:tblLook w:val=\"0000\"/></w:tblPr><w:tblGrid><w:gridCol w:w=\"{room}\"/></w:tblGrid>\
             <w:tr><w:tc><w:tcPr><w:tcW w:w=\"{room}\" w:type=\"dxa\"/></w:tcPr>{inside}</w:tc></w:tr></w:tbl>",
            self.indent
        );
        self.part();
    }

    fn columns(&mut self, widths: &[u32], columns: &[Vec<Block>]) {
        let parts: Vec<i64> =
            if widths.is_empty() { vec![1; columns.len()] } else { widths.iter().map(|it| i64::from(*it)).collect() };
        let whole: i64 = parts.iter().sum::<i64>().max(1);
        let room = self.room - self.indent;
        let widths: Vec<i64> = parts.iter().map(|part| room * part / whole).collect();
        self.grid(&widths, &mut |writer, at| writer.blocks(&columns[at]));
    }

    /// Several things with one number, beside each other where there are a few of them.
    fn side_by_side(&mut self, blocks: &[Block]) {
        let rows = blocks.iter().any(|block| matches!(block, Block::Columns { .. }));
        if rows || !(2..=3).contains(&blocks.len()) {
            return self.blocks(blocks);
        }
        let room = (self.room - self.indent) / blocks.len() as i64;
        self.grid(&vec![room; blocks.len()], &mut |writer, at| writer.block(&blocks[at]));
    }

    /// A caption with its number, which the program counts. What leads to it repeats the words before the full stop.
    pub fn caption(&mut self, id: Option<&Id>, float: &Float) {
        let word = &float.word;
        // The name of a series is one word.
        let is_name = word.chars().all(char::is_alphanumeric) && word.chars().count() <= 40;
        let series = if is_name { word } else { float.kind.word().key() };
        let label = format!(
            "{}{}",
            run(&format!("{word}\u{A0}")),
            field(&format!("SEQ {series} \\* ARABIC"), &run(&float.number.to_string()))
        );
        let label = match id {
            Some(id) => self.bookmarks.around(id.as_str(), &label),
            None => label,
        };
        let words = self.inlines(&float.caption);
        let keeps_next = float.is_above();
        self.paragraph("Caption", Extra { keeps_next, ..Extra::default() }, &format!("{label}{}{words}", run(". ")));
    }

    /// A caption that stands above the next table, on its page.
    pub fn caption_above(&mut self, id: Option<&Id>, float: &Float) {
        let strand = self.strand.take();
        self.above = Some(self.aside(|writer| writer.caption(id, float)));
        self.strand = strand;
    }

    /// The caption that still waits, where no table came.
    pub fn caption_by_now(&mut self) {
        let above = self.above.take().unwrap_or_default();
        self.out.push_str(&above);
    }

    fn work(&mut self, work: &Work) {
        let mut inside = self.inlines(&work.label);
        if !work.label.is_empty() {
            inside.push_str(&run(" "));
        }
        inside.push_str(&self.inlines(&work.content));
        let inside = self.bookmarks.around(work.id.as_str(), &inside);
        self.paragraph("Bibliography", Extra::default(), &inside);
    }
}
