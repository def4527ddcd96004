//! Blocks of text, code and results.

use crate::source::{Writer, string};
use std::fmt::Write as _;
use vineloom_export::highlight::highlight;
use vineloom_weave::woven::{
    Alignment, Block, Code, ColumnKind, Cut, Float, FloatKind, Format, Heading, Inline, Item, NoticeKind, Run, Shown,
    Table, TextKind, TextStyle, Work, plain_text,
};

/// How many lines of code and output are kept together on a page.
const KEPT_TOGETHER: usize = 24;

/// From so many columns on, a table that has to fit the page can hardly be read.
const WIDE_TABLE: usize = 14;

/// The longest word of code that is sure to fit a line.
const LONGEST_WORD: usize = 60;

/// Code with places to break where a word is too long for any line.
fn with_breaks(code: &str) -> String {
    let mut broken = String::with_capacity(code.len());
    let mut length = 0;
    for c in code.chars() {
        length = if c.is_whitespace() { 0 } else { length + 1 };
        broken.push(c);
        if length >= LONGEST_WORD {
            broken.push('\u{200B}');
            length = LONGEST_WORD - 10;
        }
    }
    broken
}

/// Whether a block is short enough to stand on one page as a whole.
fn is_short(run: &Run) -> bool {
    let code = run.code.as_ref().map_or(0, |code| code.text.lines().count());
    let results = run.results.iter().map(|shown| match shown {
        Shown::Text { text, .. } | Shown::Code(Code { text, .. }) => text.lines().count(),
        Shown::Html(_) => 1,
        Shown::Table { table, .. } => table.rows.len() + 2,
        Shown::LeftOut { .. } => 1,
        // A picture is never broken; printed Markdown breaks as any text does.
        Shown::Figure { .. } => 12,
        Shown::Blocks(_) => KEPT_TOGETHER,
    });
    code + results.sum::<usize>() <= KEPT_TOGETHER
}

/// Whether a paragraph only leads to what comes next: it ends in a colon before something set apart.
fn leads_to(content: &[Inline], next: &Block) -> bool {
    let apart = !matches!(next, Block::Paragraph(_) | Block::Heading(_) | Block::Rule);
    apart && plain_text(content).trim_end().ends_with(':')
}

impl Writer<'_> {
    pub fn blocks(&mut self, blocks: &[Block]) {
        for (at, block) in blocks.iter().enumerate() {
            match (block, blocks.get(at + 1)) {
                (Block::Paragraph(content), Some(next)) if leads_to(content, next) => {
                    self.out.push_str("#leading[");
                    self.inlines(content);
                    self.out.push(']');
                }
                _ => self.block(block),
            }
            self.out.push_str("\n\n");
        }
    }

    fn block(&mut self, block: &Block) {
        match block {
            Block::Heading(heading) => self.heading(heading),
            Block::Paragraph(content) => self.inlines(content),
            Block::Quote(blocks) => {
                self.out.push_str("#quoted[");
                self.blocks(blocks);
                self.out.push(']');
            }
            Block::List { start, tight, items } => self.list(*start, *tight, items),
            Block::Table { alignment, header, rows } => self.prose_table(alignment, header, rows),
            Block::Rule => self.out.push_str("#divider"),
            Block::Html(html) => {
                if !html.trim_start().starts_with("<!--") {
                    self.lose(
                        "blocks of raw HTML are left out of the PDF",
                        Some("write them in Markdown to have them in print"),
                    );
                }
            }
            Block::Equation { id, number, latex } => self.equation(id.as_deref(), *number, latex),
            Block::Notice { kind, title, blocks } => self.notice(*kind, title, blocks),
            Block::Listing { id, code, float } => {
                self.floating(float.as_ref(), id.as_deref(), |writer| writer.code(code));
                if let (Some(id), None) = (id, float) {
                    self.anchor(id);
                }
            }
            Block::Tabs(tabs) => {
                for tab in tabs {
                    self.out.push_str("#tab-title[");
                    self.inlines(&tab.title);
                    self.out.push_str("]\n");
                    self.blocks(&tab.blocks);
                }
            }
            Block::Columns(columns) => {
                let _ = write!(self.out, "#side-by-side({}", columns.len());
                for column in columns {
                    self.out.push_str(", [");
                    self.blocks(column);
                    self.out.push(']');
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
            Block::Only { formats, blocks } => {
                if formats.contains(&Format::Pdf) {
                    self.blocks(blocks);
                }
            }
            Block::Group { id, float, blocks } => self.group(id, float.as_ref(), blocks),
            Block::Data { table, float } => {
                self.floating(float.as_ref(), None, |writer| writer.data_table(table, None))
            }
            Block::Works(works) => self.works(works),
            Block::Run(run) => self.run(run),
        }
    }

    fn heading(&mut self, heading: &Heading) {
        let numbering = match self.options.numbered && !heading.number.is_empty() {
            true => format!("(..ignored) => {}", string(&heading.number)),
            false => "none".into(),
        };
        let outlined = !heading.id.is_empty();
        let level = (heading.level + 1).saturating_sub(self.top).max(1);
        let _ = write!(self.out, "#heading(level: {level}, numbering: {numbering}, outlined: {outlined})[");
        self.inlines(&heading.content);
        self.out.push(']');
        self.label(&heading.id);
    }

    fn label(&mut self, id: &str) {
        if !id.is_empty() {
            let _ = write!(self.out, "#label({})", string(id));
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
            let kept = self.out.trim_end().len();
            self.out.truncate(kept);
            self.out.push_str("],");
        }
        self.out.push(')');
    }

    fn prose_table(&mut self, alignment: &[Alignment], header: &[Vec<Inline>], rows: &[Vec<Vec<Inline>>]) {
        let aligns: String = (0..header.len())
            .map(|column| match alignment.get(column) {
                Some(Alignment::Center) => "center,",
                Some(Alignment::Right) => "right,",
                _ => "left,",
            })
            .collect();
        let _ = write!(self.out, "#ruled(({aligns}), (");
        for cell in header {
            self.cell(cell);
        }
        self.out.push_str("), (");
        for row in rows {
            self.out.push('(');
            for column in 0..header.len() {
                self.cell(row.get(column).map_or(&[][..], Vec::as_slice));
            }
            self.out.push_str("),");
        }
        self.out.push_str("))");
    }

    fn cell(&mut self, content: &[Inline]) {
        self.out.push('[');
        self.inlines(content);
        self.out.push_str("],");
    }

    fn equation(&mut self, id: Option<&str>, number: Option<usize>, latex: &str) {
        match number {
            Some(number) => {
                let _ = write!(self.out, "#{{ set math.equation(numbering: _ => [({number})]); [");
                self.math(latex, true);
                self.label(id.unwrap_or_default());
                self.out.push_str("] }");
            }
            None => self.math(latex, true),
        }
    }

    /// Several things side by side under one caption; tables stand one below the other.
    fn group(&mut self, id: &str, float: Option<&Float>, blocks: &[Block]) {
        let beside = blocks.len() > 1 && float.is_none_or(|float| float.kind == FloatKind::Figure);
        self.floating(float, Some(id).filter(|id| !id.is_empty()), |writer| {
            if !beside {
                writer.blocks(blocks);
                return;
            }
            let _ = write!(writer.out, "#side-by-side({}", blocks.len());
            for block in blocks {
                writer.out.push_str(", [");
                writer.blocks(std::slice::from_ref(block));
                writer.out.push(']');
            }
            writer.out.push(')');
        });
        if float.is_none() && !id.is_empty() {
            self.anchor(id);
        }
    }

    fn works(&mut self, works: &[Work]) {
        self.out.push_str("#v(1.2em)\n");
        for work in works {
            self.out.push_str("#work[");
            if !work.label.is_empty() {
                self.inlines(&work.label);
                self.out.push_str("#\" \"");
            }
            self.inlines(&work.content);
            self.out.push(']');
            self.label(&work.id);
            self.out.push('\n');
        }
    }

    /// A place that links lead to.
    fn anchor(&mut self, id: &str) {
        self.out.push_str("#metadata(none)");
        self.label(id);
    }

    fn notice(&mut self, kind: NoticeKind, title: &[Inline], blocks: &[Block]) {
        let (colour, word) = match kind {
            NoticeKind::Note => ("ink", "Note"),
            NoticeKind::Tip => ("strands.at(2)", "Tip"),
            NoticeKind::Important => ("strands.at(3)", "Important"),
            NoticeKind::Caution => ("strands.at(3)", "Caution"),
            NoticeKind::Danger => ("strands.at(1)", "Danger"),
        };
        let _ = write!(self.out, "#notice({colour}, [");
        if title.is_empty() {
            self.out.push_str(word)
        } else {
            self.inlines(title)
        }
        self.out.push_str("])[");
        self.blocks(blocks);
        self.out.push(']');
    }

    // Live blocks.

    fn run(&mut self, run: &Run) {
        let _ = write!(
            self.out,
            "#run({}, knot: {}, joined: {}, dense: {}, whole: {})[",
            run.strand,
            run.code.is_some() || run.transcript,
            run.join,
            run.transcript,
            is_short(run)
        );
        let on_code = run.float.as_ref().is_some_and(|f| f.kind == FloatKind::Listing) && run.code.is_some();
        if let Some(code) = &run.code {
            let float = run.float.as_ref().filter(|_| on_code);
            self.floating(float, Some(&run.id), |writer| writer.code(code));
        }
        if !run.results.is_empty() {
            let float = run.float.as_ref().filter(|_| !on_code);
            let caption = float.map(|float| plain_text(&float.caption));
            self.dense = run.transcript;
            self.floating(float, Some(&run.id), |writer| writer.results(&run.results, caption.as_deref()));
            self.dense = false;
        }
        if run.float.is_none() {
            self.anchor(&run.id);
        }
        self.out.push(']');
    }

    /// Sets something as a numbered figure when it has a caption.
    fn floating(&mut self, float: Option<&Float>, id: Option<&str>, body: impl FnOnce(&mut Self)) {
        let Some(float) = float else {
            body(self);
            return;
        };
        let kind = match float.kind {
            FloatKind::Figure => "image",
            FloatKind::Table => "table",
            FloatKind::Listing => "raw",
        };
        let _ = write!(self.out, "#floating({kind}, \"{}\", {}, [", float.kind.word(), float.number);
        self.inlines(&float.caption);
        self.out.push_str("])[");
        body(self);
        self.out.push(']');
        self.label(id.unwrap_or_default());
    }

    fn code(&mut self, code: &Code) {
        let text = code.text.replace('\t', "    ");
        let _ = write!(self.out, "#code({}, (", string(&text));
        for line in highlight(&code.language, &text) {
            self.out.push('[');
            for (kind, part) in line {
                let part = string(&with_breaks(&part));
                let _ = match kind.class() {
                    Some(class) => write!(self.out, "#text(fill: code-colours.{class}, {part})"),
                    None => write!(self.out, "#{part}"),
                };
            }
            self.out.push_str("],");
        }
        self.out.push(')');
        if let Some(first) = code.first_line {
            let _ = write!(self.out, ", first: {first}");
        }
        if !code.mark.is_empty() {
            let marked: String = code.mark.iter().flat_map(|&(a, b)| a..=b).map(|line| format!("{line},")).collect();
            let _ = write!(self.out, ", marked: ({marked})");
        }
        self.say_dense();
        self.out.push(')');
    }

    fn results(&mut self, results: &[Shown], caption: Option<&str>) {
        for shown in results {
            match shown {
                Shown::Text { kind, text, styles } => {
                    let colour = match kind {
                        TextKind::Output | TextKind::Value => "ink",
                        TextKind::Notice => "soft",
                        TextKind::Failure => "strands.at(1)",
                    };
                    let plain = text.replace('\t', "    ");
                    let _ = write!(self.out, "#output({}, colour: {colour}", string(&with_breaks(&plain)));
                    if !styles.is_empty() {
                        self.out.push_str(", lines: (");
                        self.styled_lines(text, styles);
                        self.out.push(')');
                    }
                    self.say_dense();
                    self.out.push(')');
                }
                Shown::Code(code) => self.code(code),
                Shown::Html(_) => self.lose(
                    "HTML that a block printed is only in the page",
                    Some("give print something of its own: `::: only pdf`"),
                ),
                Shown::LeftOut { lines } => {
                    let word = if *lines == 1 { "line is" } else { "lines are" };
                    let _ = write!(self.out, "#left-out[{lines} more {word} left out here]");
                }
                Shown::Table { table, cut } => self.data_table(table, *cut),
                Shown::Figure { picture, alt } => {
                    let name = self.picture_name(picture);
                    let alt = alt.as_deref().or(caption).map_or("none".into(), string);
                    let _ = write!(self.out, "#picture({}, {alt})", string(&name));
                }
                Shown::Blocks(blocks) => self.blocks(blocks),
            }
            self.out.push('\n');
        }
    }

    fn say_dense(&mut self) {
        if self.dense {
            self.out.push_str(", dense: true");
        }
    }

    /// The lines of a text with the colours a program gave it.
    fn styled_lines(&mut self, text: &str, styles: &[(std::ops::Range<usize>, TextStyle)]) {
        let mut start = 0;
        for line in text.split('\n') {
            let end = start + line.len();
            let mut at = start;
            self.out.push('[');
            for (range, style) in styles.iter().filter(|(range, _)| range.start < end && range.end > start) {
                let (from, to) = (range.start.max(start), range.end.min(end));
                self.plain_part(&text[at..from]);
                self.styled_part(&text[from..to], style);
                at = to;
            }
            self.plain_part(&text[at..end]);
            self.out.push_str("],");
            start = end + 1;
        }
    }

    fn plain_part(&mut self, part: &str) {
        if !part.is_empty() {
            let _ = write!(self.out, "#{}", string(&with_breaks(&part.replace('\t', "    "))));
        }
    }

    fn styled_part(&mut self, part: &str, style: &TextStyle) {
        let mut open = String::new();
        if let Some(ground) = style.ground {
            let _ = write!(open, "highlight(fill: ground-colours.{}, ", ground.word());
        }
        let mut look = String::new();
        if let Some(colour) = style.colour {
            let _ = write!(look, "fill: text-colours.{}, ", colour.word());
        } else if style.faint {
            look.push_str("fill: soft, ");
        }
        if style.bold {
            look.push_str("weight: \"bold\", ");
        }
        if style.italic {
            look.push_str("style: \"italic\", ");
        }
        let part = string(&with_breaks(&part.replace('\t', "    ")));
        let inner = if style.underlined { format!("underline({part})") } else { part };
        let close = if style.ground.is_some() { ")" } else { "" };
        let _ = write!(self.out, "#{open}text({look}{inner}){close}");
    }

    fn data_table(&mut self, table: &Table, cut: Option<Cut>) {
        if table.columns.len() > WIDE_TABLE {
            self.lose(
                format!("a table of {} columns is made as small as it takes to fit the page", table.columns.len()),
                Some("show fewer columns in print, or turn rows and columns around"),
            );
        }
        let aligns: String =
            table.columns.iter().map(|c| if c.kind == ColumnKind::Number { "right," } else { "left," }).collect();
        let _ = write!(self.out, "#ruled(({aligns}), (");
        for column in &table.columns {
            let _ = write!(self.out, "{},", string(&column.name));
        }
        self.out.push_str("), (");
        let all = table.rows.len();
        for (at, row) in table.rows.iter().enumerate() {
            self.cut_row(table, cut.filter(|cut| cut.after == at));
            self.out.push('(');
            for cell in row {
                let _ = write!(self.out, "{},", string(cell.as_deref().unwrap_or("")));
            }
            self.out.push_str("),");
        }
        self.cut_row(table, cut.filter(|cut| cut.after == all));
        self.out.push_str("))");
    }

    /// The row that says how many are left out.
    fn cut_row(&mut self, table: &Table, cut: Option<Cut>) {
        if let Some(cut) = cut {
            let _ = write!(self.out, "(cut-row({}, {}),),", table.columns.len(), string(&cut.words()));
        }
    }
}
