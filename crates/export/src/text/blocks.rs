//! Blocks as lines.

use super::Writer;
use super::frames::{Section, framed};
use super::lines::{centred, hung, marked, width, wrapped};
use super::tables::{Grid, Row};
use crate::math::tree::{self, Node};
use vineloom_woven::{
    Alignment, Block, Code, Cut, Float, Heading, Inline, Item, Run, Shown, Table, TextKind, plain_text,
};

impl Writer<'_> {
    /// Blocks, an empty line between each two.
    pub(super) fn blocks(&mut self, blocks: &[Block], most: usize) -> Vec<String> {
        let mut lines = Vec::new();
        for block in blocks {
            let own = self.block(block, most);
            if !lines.is_empty() && !own.is_empty() {
                lines.push(String::new());
            }
            lines.extend(own);
        }
        lines
    }

    fn block(&mut self, block: &Block, most: usize) -> Vec<String> {
        match block {
            Block::Heading(heading) => self.heading(heading, most),
            Block::Paragraph { content, .. } => wrapped(&self.inline(content), most),
            Block::Quote(blocks) => marked("> ", self.blocks(blocks, most - most.min(2))),
            Block::List { start, tight, items } => self.list(*start, *tight, items, most),
            Block::Table { alignment, header, rows, .. } => self.prose_table(alignment, header, rows, most),
            Block::Terms(terms) => {
                let mut lines = Vec::new();
                for term in terms {
                    lines.extend(wrapped(&self.inline(&term.term), most));
                    lines.extend(marked("    ", self.blocks(&term.blocks, most - most.min(4))));
                }
                lines
            }
            Block::Rule => vec![centred("* * *", most)],
            Block::Equation { number, latex, .. } => self.equation(*number, latex, most),
            Block::Notice { kind, title, blocks } => {
                let word = self.woven.head.words.notice(*kind);
                let title = if title.is_empty() { word.into() } else { format!("{word}: {}", self.inline(title)) };
                let room = most - most.min(2);
                let mut lines = wrapped(&title, room);
                lines.extend(self.blocks(blocks, room));
                marked("▌ ", lines)
            }
            Block::Tabs(tabs) => {
                let mut lines = Vec::new();
                for tab in tabs {
                    self.begin(&mut lines);
                    lines.extend(wrapped(&format!("— {} —", self.inline(&tab.title)), most));
                    let own = self.blocks(&tab.blocks, most);
                    if !own.is_empty() {
                        lines.push(String::new());
                    }
                    lines.extend(own);
                }
                lines
            }
            Block::Columns { columns, .. } => {
                let mut lines = Vec::new();
                for column in columns {
                    self.begin(&mut lines);
                    lines.extend(self.blocks(column, most));
                }
                lines
            }
            Block::Fold { label, blocks } => {
                let mut lines = Vec::new();
                if !label.is_empty() {
                    lines.extend(wrapped(&format!("{}:", self.inline(label)), most));
                    lines.push(String::new());
                }
                lines.extend(self.blocks(blocks, most));
                lines
            }
            Block::Steps(blocks) => self.blocks(blocks, most),
            Block::Group { float, blocks, .. } => {
                let lines = self.blocks(blocks, most);
                self.captioned(float.as_deref(), lines, most)
            }
            Block::Data { table, float, .. } => {
                let lines = data_table(table, None, most);
                self.captioned(float.as_deref(), lines, most)
            }
            Block::Works(works) => {
                let mut lines = Vec::new();
                for work in works {
                    let label = self.inline(&work.label);
                    let mark = if label.is_empty() { String::new() } else { format!("{label} ") };
                    let words = self.inline(&work.content);
                    let own = wrapped(&words, most - most.min(width(&mark).max(4)));
                    // Without a label, all lines but the first hang.
                    let hanging = if mark.is_empty() { hung("    ", own) } else { hung(&mark, own) };
                    lines.extend(hanging.into_iter().enumerate().map(|(at, line)| match (at, mark.is_empty()) {
                        (0, true) => line.trim_start().to_string(),
                        _ => line,
                    }));
                }
                lines
            }
            Block::Listing { code, float, .. } => {
                let lines = framed(&[section(code)], most);
                self.captioned(float.as_deref(), lines, most)
            }
            Block::Run(run) => self.run(run, most),
            // What could be said without HTML has been; the rest was told.
            Block::Html { .. } | Block::Place(_) | Block::Speaker(_) => Vec::new(),
        }
    }

    fn begin(&self, lines: &mut Vec<String>) {
        if !lines.is_empty() {
            lines.push(String::new());
        }
    }

    pub(super) fn heading_words(&mut self, heading: &Heading) -> String {
        let words = self.inline(&heading.content).replace('\n', " ");
        match heading.number.as_str() {
            "" => words,
            number if self.options.numbered => format!("{number} {words}"),
            _ => words,
        }
    }

    fn heading(&mut self, heading: &Heading, most: usize) -> Vec<String> {
        // The footnotes of a section stand at its end.
        let mut lines = if heading.level <= 2 { self.notes(most) } else { Vec::new() };
        let words = wrapped(&self.heading_words(heading), most);
        let wide = words.iter().map(|line| width(line)).max().unwrap_or(0);
        let sign = match heading.level {
            1 => "═",
            2 => "─",
            3 => "╌",
            _ => "",
        };
        if heading.level <= 2 {
            lines.push(String::new());
        }
        lines.extend(words);
        lines.extend((!sign.is_empty()).then(|| sign.repeat(wide)));
        lines
    }

    fn list(&mut self, start: Option<usize>, tight: bool, items: &[Item], most: usize) -> Vec<String> {
        let last = start.map_or(0, |start| start + items.len().saturating_sub(1));
        let digits = last.to_string().len();
        let mut lines = Vec::new();
        for (at, item) in items.iter().enumerate() {
            let mut mark = match start {
                Some(start) => format!("{:>digits$}. ", start + at),
                None => "- ".into(),
            };
            if let Some(done) = item.task {
                mark.push_str(if done { "[x] " } else { "[ ] " });
            }
            if !tight {
                self.begin(&mut lines);
            }
            let room = most - most.min(width(&mark));
            let mut own = Vec::new();
            for block in &item.blocks {
                if !tight {
                    self.begin(&mut own);
                }
                own.extend(self.block(block, room));
            }
            lines.extend(hung(&mark, own));
        }
        lines
    }

    fn prose_table(
        &mut self,
        alignment: &[Alignment],
        header: &[Vec<Inline>],
        rows: &[Vec<Vec<Inline>>],
        most: usize,
    ) -> Vec<String> {
        let header = header.iter().map(|cell| self.inline(cell)).collect();
        let rows = rows.iter().map(|row| Row::Cells(row.iter().map(|cell| self.inline(cell)).collect())).collect();
        let right = alignment.iter().map(|alignment| *alignment == Alignment::Right).collect();
        Grid { header, rows, right }.lines(most)
    }

    fn equation(&self, number: Option<usize>, latex: &str, most: usize) -> Vec<String> {
        let read = tree::read(latex, &self.woven.head.macros, true);
        let mut lines = match &read {
            Ok(read) => formula_lines(read),
            Err(_) => latex.trim().lines().map(String::from).collect(),
        };
        lines = lines.iter().map(|line| centred(line, most)).collect();
        if let (Some(number), Some(last)) = (number, lines.last_mut()) {
            let number = format!("({number})");
            let room = most.saturating_sub(width(last) + width(&number)).max(2);
            last.push_str(&format!("{}{number}", " ".repeat(room)));
        }
        lines
    }

    fn run(&mut self, run: &Run, most: usize) -> Vec<String> {
        let mut lines = Vec::new();
        let mut sections: Vec<Section> = Vec::new();
        if let Some(code) = &run.code {
            sections.push(section(code));
        }
        for shown in &run.results {
            match shown {
                Shown::Text { kind, text, .. } => {
                    let mark = if matches!(kind, TextKind::Notice | TextKind::Failure) { "! " } else { "" };
                    let own = text.lines().map(|line| format!("{mark}{}", line.replace('\t', "    "))).collect();
                    sections.push(Section { label: String::new(), lines: own });
                }
                Shown::Code(code) => sections.push(section(code)),
                Shown::Html { .. } => {}
                Shown::LeftOut { words } => {
                    let words = format!("({})", words);
                    sections.push(Section { label: String::new(), lines: vec![words] });
                }
                Shown::Table { table, cut } => {
                    self.close(&mut sections, &mut lines, most);
                    self.begin(&mut lines);
                    lines.extend(data_table(table, cut.as_ref(), most));
                }
                Shown::Figure { picture, alt } => {
                    self.close(&mut sections, &mut lines, most);
                    self.begin(&mut lines);
                    let caption = run.float.as_deref().map(|float| plain_text(&float.caption));
                    let words = self.picture(picture, &alt.clone().or(caption).unwrap_or_default());
                    lines.extend(wrapped(&words, most));
                }
                Shown::Blocks(blocks) => {
                    self.close(&mut sections, &mut lines, most);
                    self.begin(&mut lines);
                    lines.extend(self.blocks(blocks, most));
                }
            }
        }
        self.close(&mut sections, &mut lines, most);
        self.captioned(run.float.as_deref(), lines, most)
    }

    /// Draws the frame around what has been gathered for it.
    fn close(&self, sections: &mut Vec<Section>, lines: &mut Vec<String>, most: usize) {
        if !sections.is_empty() {
            self.begin(lines);
            lines.extend(framed(sections, most));
            sections.clear();
        }
    }

    fn captioned(&mut self, float: Option<&Float>, mut lines: Vec<String>, most: usize) -> Vec<String> {
        if let Some(float) = float {
            let words = format!("{} {}. {}", float.word, float.number, self.inline(&float.caption));
            let words = wrapped(&words, most);
            let at = if float.is_above() { 0 } else { lines.len() };
            lines.splice(at..at, words);
        }
        lines
    }
}

/// Some code as a part of a frame.
fn section(code: &Code) -> Section {
    let count = code.text.split('\n').count();
    let digits = code.first_line.map(|first| (first as usize + count).to_string().len());
    let marked = |at: usize| code.mark.iter().any(|(first, last)| (*first..=*last).contains(&(at as u32 + 1)));
    let line = |(at, line): (usize, &str)| {
        let mark = if code.mark.is_empty() {
            ""
        } else if marked(at) {
            "> "
        } else {
            "  "
        };
        let line = line.replace('\t', "    ");
        match (code.first_line, digits) {
            (Some(first), Some(digits)) => format!("{mark}{:>digits$}  {line}", first as usize + at),
            _ => format!("{mark}{line}"),
        }
    };
    Section { label: code.language.clone(), lines: code.text.split('\n').enumerate().map(line).collect() }
}

/// A formula in lines: one for each row of what is aligned, else one.
fn formula_lines(formula: &Node) -> Vec<String> {
    let line = |cells: &Vec<Node>| crate::math::plain::plain(&Node::Row(cells.clone()));
    match formula {
        Node::Table { rows, .. } => rows.iter().map(line).collect(),
        other => vec![crate::math::plain::plain(other)],
    }
}

fn data_table(table: &Table, cut: Option<&Cut>, most: usize) -> Vec<String> {
    let decimals: Vec<_> = (0..table.columns.len()).map(|column| table.decimals(column)).collect();
    let cell = |(column, cell): (usize, &Option<String>)| {
        let words = cell.as_deref().unwrap_or("");
        // Numbers stand one below the other by their marks. A space that a line does not end at keeps the room.
        let rest = decimals.get(column).and_then(Option::as_ref).map_or(0, |decimals| width(&decimals.rest(words)));
        format!("{words}{}", "\u{A0}".repeat(rest))
    };
    let mut rows = Vec::new();
    for (at, row) in table.rows.iter().enumerate() {
        rows.extend(cut.filter(|cut| cut.after == at).map(|cut| Row::Words(cut.words.clone())));
        rows.push(Row::Cells(row.iter().enumerate().map(cell).collect()));
    }
    rows.extend(cut.filter(|cut| cut.after == table.rows.len()).map(|cut| Row::Words(cut.words.clone())));
    let header = table.columns.iter().map(|column| column.name.clone()).collect();
    let right = (0..table.columns.len()).map(|column| table.is_right(column)).collect();
    Grid { header, rows, right }.lines(most)
}
