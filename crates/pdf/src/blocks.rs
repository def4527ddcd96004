//! Blocks of text, code and results.

use crate::pictures::Words;
use crate::source::{LONGEST_IN_CELL, Writer, string};
use std::fmt::Write as _;
use vineloom_export::deck::slides::has_marks;
use vineloom_woven::{
    Block, Float, FloatKind, Heading, Id, Inline, InlineKind, Item, NoticeKind, Term, Work, plain_text,
};

/// A paragraph of so few letters is a line or two.
const SHORT: usize = 180;

/// Whether a paragraph stays with what comes next: it ends in a colon before something set apart, or is so short that
/// it would stand alone with its heading at the foot of a page.
fn leads_to(content: &[Inline], before: Option<&Block>, next: &Block) -> bool {
    let apart = !matches!(next, Block::Paragraph { .. } | Block::Heading(_) | Block::Rule);
    let text = plain_text(content);
    let after_heading = matches!(before, Some(Block::Heading(_))) && !matches!(next, Block::Heading(_));
    apart && text.trim_end().ends_with(':') || after_heading && text.len() < SHORT
}

/// Whether a text is read from right to left, by its first letter that has a direction.
fn from_right(text: &str) -> bool {
    let direction = |c: char| match c {
        '\u{590}'..='\u{8FF}' | '\u{FB1D}'..='\u{FDFF}' | '\u{FE70}'..='\u{FEFC}' => Some(true),
        c if c.is_alphabetic() => Some(false),
        _ => None,
    };
    text.chars().find_map(direction).unwrap_or(false)
}

fn begins_from_right(items: &[Item]) -> bool {
    let first = items.first().and_then(|item| item.blocks.first());
    matches!(first, Some(Block::Paragraph { content, .. }) if from_right(&plain_text(content)))
}

impl Writer<'_> {
    pub fn blocks(&mut self, blocks: &[Block]) {
        for (at, block) in blocks.iter().enumerate() {
            match (block, blocks.get(at + 1)) {
                (Block::Paragraph { content, span }, Some(next))
                    if leads_to(content, at.checked_sub(1).map(|before| &blocks[before]), next) =>
                {
                    self.out.push_str("#leading[");
                    self.at(*span, |writer| writer.paragraph(content));
                    self.out.push(']');
                }
                _ => self.block(block),
            }
            self.out.push_str("\n\n");
        }
    }

    fn paragraph(&mut self, content: &[Inline]) {
        if let [Inline { kind: InlineKind::Image(image), .. }] = content {
            self.picture("picture", &image.picture, Words::written(&image.alt), image.width);
        } else if from_right(&plain_text(content)) {
            self.out.push_str("#from-right[");
            self.inlines(content);
            self.out.push(']');
        } else {
            self.inlines(content);
        }
    }

    fn block(&mut self, block: &Block) {
        match block {
            Block::Heading(heading) => self.at(heading.span, |writer| writer.heading(heading)),
            Block::Paragraph { content, span } => self.at(*span, |writer| writer.paragraph(content)),
            Block::Quote(blocks) => {
                self.out.push_str("#quoted[");
                self.blocks(blocks);
                self.out.push(']');
            }
            Block::List { start, tight, items } if begins_from_right(items) => {
                self.out.push_str("#from-right[");
                self.list(*start, *tight, items);
                self.out.push(']');
            }
            Block::List { start, tight, items } => self.list(*start, *tight, items),
            Block::Table { alignment, header, rows, span } => {
                self.at(*span, |writer| writer.prose_table(alignment, header, rows));
            }
            Block::Terms(terms) => {
                for Term { term, blocks } in terms {
                    self.out.push_str("#meaning([");
                    self.inlines(term);
                    self.out.push_str("], [");
                    self.blocks(blocks);
                    self.out.push_str("])\n");
                }
            }
            Block::Steps(blocks) => self.steps(blocks),
            // Where there is a speaker, the notes have been taken out.
            Block::Speaker(_) => {}
            Block::Rule => self.out.push_str("#divider"),
            Block::Place(id) => self.anchor(id),
            // What could be said without HTML has been; the rest was told.
            Block::Html { .. } => {}
            Block::Equation { id, number, latex, span } => {
                self.at(*span, |writer| writer.equation(id.as_ref(), *number, latex));
            }
            Block::Notice { kind, title, blocks } => self.notice(*kind, title, blocks),
            Block::Listing { id, code, float, span } => self.at(*span, |writer| {
                writer.floating(float.as_deref(), id.as_ref(), |writer| writer.code(code));
                if let (Some(id), None) = (id, float) {
                    writer.anchor(id);
                }
            }),
            Block::Tabs(tabs) => {
                for tab in tabs {
                    self.out.push_str("#tab-title[");
                    self.inlines(&tab.title);
                    self.out.push_str("]\n");
                    self.blocks(&tab.blocks);
                }
            }
            Block::Columns { widths, columns } => {
                let wide: String = match widths.as_slice() {
                    [] => "1fr,".repeat(columns.len()),
                    widths => widths.iter().map(|width| format!("{width}fr,")).collect(),
                };
                let _ = write!(self.out, "#side-by-side(({wide})");
                let all: f64 = widths.iter().map(|width| f64::from(*width)).sum();
                for (at, column) in columns.iter().enumerate() {
                    let share = widths.get(at).map_or(1.0 / columns.len() as f64, |width| f64::from(*width) / all);
                    self.beside(share, columns.len(), column);
                }
                self.out.push(')');
            }
            Block::Fold { label, blocks } => {
                if !label.is_empty() {
                    self.out.push_str("#tab-title[");
                    self.inlines(label);
                    self.out.push_str("]\n");
                }
                self.blocks(blocks);
            }
            Block::Group { id, float, blocks } => self.group(id.as_ref(), float.as_deref(), blocks),
            Block::Data { table, float, span } => self.at(*span, |writer| {
                writer.floating(float.as_deref(), None, |writer| writer.data_table(table, None));
            }),
            Block::Works(works) => self.works(works),
            Block::Run(run) => self.at(run.span, |writer| writer.run(run)),
        }
    }

    /// What comes step by step: on paper all of it at once, in steps as far as they are shown.
    fn steps(&mut self, blocks: &[Block]) {
        if self.slide.is_none_or(|slide| slide.shown.is_none()) {
            self.blocks(blocks);
            return;
        }
        for block in blocks {
            if let Block::List { start, tight, items } = block {
                // Those that are not shown yet keep their room, without a mark before them.
                let shown = items.iter().take_while(|_| !self.is_ahead()).count();
                if let Some(slide) = self.slide.as_mut().filter(|_| shown < items.len()) {
                    slide.steps += (items.len() - shown) as u32 - 1;
                }
                let (now, later) = items.split_at(shown);
                if !now.is_empty() {
                    self.list(*start, *tight, now);
                }
                if !later.is_empty() {
                    self.out.push_str("#hide[");
                    self.list(start.map(|start| start + shown), *tight, later);
                    self.out.push(']');
                }
            } else if has_marks(block) {
                self.marks_in_steps = true;
                self.block(block);
                self.marks_in_steps = false;
            } else {
                let hidden = self.is_ahead();
                self.out.push_str(if hidden { "#hide[" } else { "#[" });
                self.block(block);
                self.out.push(']');
            }
            self.out.push_str("\n\n");
        }
    }

    /// Whether the next step is not shown yet.
    fn is_ahead(&mut self) -> bool {
        let Some(slide) = &mut self.slide else { return false };
        slide.steps += 1;
        slide.shown.is_some_and(|shown| slide.steps > shown)
    }

    fn heading(&mut self, heading: &Heading) {
        if heading.content.is_empty() {
            heading.id.iter().for_each(|id| self.anchor(id));
            return;
        }
        let numbering = match self.options.numbered && !heading.number.is_empty() {
            true => format!("(..ignored) => {}", string(&heading.number)),
            false => "none".into(),
        };
        let outlined = heading.id.is_some();
        let level = (heading.level + 1).saturating_sub(self.top).max(1);
        let _ = write!(self.out, "#heading(level: {level}, numbering: {numbering}, outlined: {outlined})[");
        let longest = std::mem::replace(&mut self.longest_word, LONGEST_IN_CELL);
        self.in_heading = true;
        self.inlines(&heading.content);
        self.in_heading = false;
        self.longest_word = longest;
        self.out.push(']');
        self.label(heading.id.as_ref());
    }

    pub(crate) fn label(&mut self, id: Option<&Id>) {
        let written_before = self.slide.is_some_and(|slide| slide.again);
        if let Some(id) = id.filter(|id| !written_before && id.as_str().chars().any(|c| !c.is_control())) {
            self.labels.insert(id.clone());
            let _ = write!(self.out, "#label({})", string(id.as_str()));
        }
    }

    fn list(&mut self, start: Option<usize>, tight: bool, items: &[Item]) {
        let _ = match start {
            Some(start) => write!(self.out, "#enum(start: {start}, tight: {tight}, "),
            None if items.iter().all(|item| item.task.is_some()) => {
                write!(self.out, "#list(marker: none, tight: {tight}, ")
            }
            None => write!(self.out, "#list(tight: {tight}, "),
        };
        for item in items {
            self.out.push('[');
            if let Some(done) = item.task {
                let mark = if done { "☑" } else { "☐" };
                let _ = write!(self.out, "#text(font: code-font, \"{mark} \")");
            }
            self.blocks(&item.blocks);
            self.trim_end();
            self.out.push_str("],");
        }
        self.out.push(')');
    }

    fn equation(&mut self, id: Option<&Id>, number: Option<usize>, latex: &str) {
        match number {
            Some(number) => {
                let _ = write!(self.out, "#{{ set math.equation(numbering: _ => [({number})]); [");
                self.math(latex, true);
                self.label(id);
                self.out.push_str("] }");
            }
            None => self.math(latex, true),
        }
    }

    /// Several things side by side under one caption; tables stand one below the other.
    fn group(&mut self, id: Option<&Id>, float: Option<&Float>, blocks: &[Block]) {
        let rows = blocks.iter().all(|block| matches!(block, Block::Columns { .. }));
        let beside = blocks.len() > 1 && !rows && float.is_none_or(|float| float.kind == FloatKind::Figure);
        self.floating(float, id, |writer| {
            if !beside {
                writer.blocks(blocks);
                return;
            }
            let _ = write!(writer.out, "#side-by-side(({})", "1fr,".repeat(blocks.len()));
            for block in blocks {
                writer.beside(1.0 / blocks.len() as f64, blocks.len(), std::slice::from_ref(block));
            }
            writer.out.push(')');
        });
        if let (None, Some(id)) = (float, id) {
            self.anchor(id);
        }
    }

    /// One of several columns, `share` of the room that the gutters between them leave.
    fn beside(&mut self, share: f64, columns: usize, blocks: &[Block]) {
        let around = self.share;
        // A gutter is about a thirtieth of the width, and the ground of code keeps its edges in any column.
        self.share *= share * (1.0 - 0.06 * (columns - 1) as f64).max(0.5);
        self.out.push_str(", [");
        self.blocks(blocks);
        self.out.push(']');
        self.share = around;
    }

    fn works(&mut self, works: &[Work]) {
        self.out.push_str("#v(0.2em)\n");
        for work in works {
            self.out.push_str("#work[");
            if !work.label.is_empty() {
                self.inlines(&work.label);
                self.out.push_str("#\" \"");
            }
            self.inlines(&work.content);
            self.out.push(']');
            self.label(Some(&work.id));
            self.out.push('\n');
        }
    }

    /// A place that links lead to.
    pub(crate) fn anchor(&mut self, id: &Id) {
        self.out.push_str("#metadata(none)");
        self.label(Some(id));
    }

    fn notice(&mut self, kind: NoticeKind, title: &[Inline], blocks: &[Block]) {
        let colour = match kind {
            NoticeKind::Note => "ink",
            NoticeKind::Tip => "strands.at(2)",
            NoticeKind::Important | NoticeKind::Caution => "strands.at(3)",
            NoticeKind::Danger => "strands.at(1)",
        };
        let _ = write!(self.out, "#notice({colour}, [");
        if title.is_empty() {
            {
                let word = string(self.woven.head.words.notice(kind));
                let _ = write!(self.out, "#{word}");
            }
        } else {
            self.inlines(title)
        }
        self.out.push_str("])[");
        self.blocks(blocks);
        self.out.push(']');
    }
}
