//! Live blocks: their code, what they gave, and the tables and colours in it.

use super::escape::{attribute, text};
use super::{Dress, Writer};
use crate::highlight::Line;
use vineloom_table::Decimals;
use vineloom_woven::Word;
use vineloom_woven::{Code, Cut, Float, FloatKind, Fold, Id, Run, Shown, Table, TextKind, TextStyle, plain_text};

/// How many strand colours a theme has.
const STRAND_COLOURS: usize = 6;

impl Writer<'_> {
    pub(super) fn run(&mut self, run: &Run) {
        let strand = self.woven.strand(run.strand);
        let colour = run.strand.0 % STRAND_COLOURS + 1;
        let join = match (run.transcript, run.join) {
            (true, _) => " join transcript",
            (false, true) => " join",
            (false, false) => "",
        };
        let knot = if run.code.is_some() || run.transcript { "" } else { " placed" };
        self.out
            .push_str(&format!("<div class=\"run strand-{colour}{join}{knot}\" data-strand=\"{}\"", attribute(strand)));
        // A caption's figure carries the id when there is one.
        if run.float.is_none() {
            self.out.push_str(&format!(" id=\"{}\"", attribute(run.id.as_str())));
        }
        self.push(">\n");
        let listing = run.float.as_deref().filter(|float| float.kind == FloatKind::Listing && run.code.is_some());
        if let Some(code) = &run.code {
            self.open_figure("listing", Some(&run.id), listing);
            self.folded_code(run, code);
            self.close_figure(listing);
        }
        let float = run.float.as_deref().filter(|_| listing.is_none());
        if !run.results.is_empty() {
            let class = match float.map(|float| float.kind) {
                Some(FloatKind::Figure) => "figure",
                Some(FloatKind::Table) => "table-figure",
                _ => "listing",
            };
            self.open_figure(class, Some(&run.id), float);
            self.results_with(&run.results, float.map(|float| plain_text(&float.caption)));
            self.close_figure(float);
        } else if let Some(float) = float {
            self.open_figure("listing", Some(&run.id), Some(float));
            self.close_figure(Some(float));
        }
        self.push("</div>\n");
    }

    pub(super) fn folded_code(&mut self, run: &Run, code: &Code) {
        match run.fold {
            Fold::No => self.code(code),
            Fold::Open | Fold::Closed => {
                let open = if run.fold == Fold::Open { " open" } else { "" };
                self.out
                    .push_str(&format!("<details class=\"fold\"{open}><summary>{}</summary>\n", text(&run.fold_label)));
                self.code(code);
                self.push("</details>\n");
            }
        }
    }

    pub(super) fn open_figure(&mut self, class: &str, id: Option<&Id>, float: Option<&Float>) {
        if float.is_some() {
            self.out.push_str(&format!("<figure class=\"{class}\""));
            if let Some(id) = id {
                self.out.push_str(&format!(" id=\"{}\"", attribute(id.as_str())));
            }
            self.push(">\n");
            float.filter(|float| float.is_above()).into_iter().for_each(|float| self.caption(float));
        }
    }

    pub(super) fn close_figure(&mut self, float: Option<&Float>) {
        if let Some(float) = float {
            if !float.is_above() {
                self.caption(float);
            }
            self.push("</figure>\n");
        }
    }

    pub(super) fn caption(&mut self, float: &Float) {
        self.out.push_str(&format!("<figcaption><span class=\"label\">{} {}.</span> ", float.word, float.number));
        self.inlines(&float.caption);
        self.push("</figcaption>\n");
    }

    pub(super) fn code(&mut self, code: &Code) {
        if self.dress == Dress::Bare {
            let class = match code.language.as_str() {
                "" => String::new(),
                language => format!(" class=\"language-{}\"", attribute(language)),
            };
            let end = if code.text.is_empty() { "" } else { "\n" };
            self.out.push_str(&format!("<pre><code{class}>{}{end}</code></pre>\n", text(&code.text)));
            return;
        }
        self.uses.code = true;
        let language = if code.language.is_empty() { "text" } else { &code.language };
        self.out.push_str(&format!(
            "<div class=\"code\"><pre tabindex=\"0\" role=\"group\" aria-label=\"{1}\"><code class=\"language-{0}\">",
            attribute(language),
            attribute(&self.woven.head.words.with(Word::Code, language))
        ));
        let marks = self.steps_of_marks(code);
        let lines = self.highlighted.lines(code);
        let by_line = code.first_line.is_some() || !code.mark.is_empty();
        let last = lines.len();
        for (at, line) in lines.iter().enumerate() {
            if by_line {
                let number = at as u32 + 1;
                let marked = code.mark.iter().position(|&(first, last)| (first..=last).contains(&number));
                let class = if marked.is_some() { "line marked" } else { "line" };
                self.out.push_str(&format!("<span class=\"{class}\""));
                if let Some(step) = marked.and_then(|part| marks.get(part)) {
                    self.out.push_str(&format!(" data-mark=\"{step}\""));
                }
                if let Some(first) = code.first_line {
                    self.out.push_str(&format!(" data-line=\"{}\"", first + at as u32));
                }
                self.push(">");
                self.coloured(line);
                self.push("</span>");
            } else {
                self.coloured(line);
            }
            if at + 1 < last {
                self.push("\n");
            }
        }
        self.push("</code></pre></div>\n");
    }

    pub(super) fn coloured(&mut self, line: &Line) {
        for (kind, part) in line {
            match kind.class() {
                Some(class) => self.out.push_str(&format!("<span class=\"{class}\">{}</span>", text(part))),
                None => self.out.push_str(&text(part)),
            }
        }
    }

    pub(super) fn results_with(&mut self, results: &[Shown], caption: Option<String>) {
        for shown in results {
            match shown {
                Shown::Text { kind, text: output, styles } => {
                    let (class, label) = match kind {
                        TextKind::Output => ("output", Word::Output),
                        TextKind::Value => ("output value", Word::Value),
                        TextKind::Notice => ("output notice-text", Word::Notices),
                        TextKind::Failure => ("output failure", Word::Error),
                    };
                    let label = attribute(self.word(label)).into_owned();
                    self.out.push_str(&format!(
                        "<pre class=\"{class}\" tabindex=\"0\" role=\"group\" aria-label=\"{label}\"><samp>"
                    ));
                    self.styled(output, styles);
                    self.push("</samp></pre>\n");
                }
                Shown::Code(code) => self.code(code),
                Shown::Html { html, .. } => {
                    self.push("<div class=\"printed\">\n");
                    self.raw(html);
                    self.push("\n</div>\n");
                }
                Shown::LeftOut { words } => {
                    self.out.push_str(&format!("<p class=\"left-out\">{}</p>\n", words));
                }
                Shown::Table { table, cut } => self.data_table(table, cut.as_ref()),
                Shown::Figure { picture, alt } => {
                    self.push("<div class=\"picture\">");
                    let alt = alt.as_deref().or(caption.as_deref()).unwrap_or("");
                    self.image(picture, alt, None);
                    self.push("</div>\n");
                }
                Shown::Blocks(blocks) => {
                    self.push("<div class=\"printed\">\n");
                    self.blocks(blocks);
                    self.push("</div>\n");
                }
            }
        }
    }

    /// Text with the colours a program gave it.
    pub(super) fn styled(&mut self, output: &str, styles: &[(std::ops::Range<usize>, TextStyle)]) {
        let mut at = 0;
        for (range, style) in styles {
            let classes = [
                style.colour.map(|colour| format!("ink-{}", colour.word())),
                style.ground.map(|colour| format!("on-{}", colour.word())),
                style.bold.then(|| "bold".to_string()),
                style.faint.then(|| "faint".to_string()),
                style.italic.then(|| "italic".to_string()),
                style.underlined.then(|| "underlined".to_string()),
            ];
            let classes: Vec<String> = classes.into_iter().flatten().collect();
            let part = text(&output[range.clone()]);
            self.out.push_str(&text(&output[at..range.start]));
            self.out.push_str(&format!("<span class=\"{}\">{part}</span>", classes.join(" ")));
            at = range.end;
        }
        self.out.push_str(&text(&output[at..]));
    }

    pub(super) fn data_table(&mut self, table: &Table, cut: Option<&Cut>) {
        let label = attribute(self.word(Word::Table)).into_owned();
        self.push(&format!(
            "<div class=\"table data\" tabindex=\"0\" role=\"group\" aria-label=\"{label}\"><table>\n<thead><tr>"
        ));
        let columns = 0..table.columns.len();
        let class = |right: bool| if right { " class=\"number\"" } else { "" };
        let classes: Vec<&str> = columns.clone().map(|at| class(table.is_right(at))).collect();
        let behind_marks: Vec<Option<Decimals>> = columns.map(|at| table.decimals(at)).collect();
        for (column, class) in table.columns.iter().zip(&classes) {
            // A head without words is none.
            match column.name.is_empty() {
                true => self.push("<td></td>"),
                false => {
                    let head = format!("<th scope=\"col\"{class}>{}</th>", text(&column.name));
                    self.push(&head);
                }
            }
        }
        self.push("</tr></thead>\n<tbody>\n");
        let all = table.rows.len();
        for (at, row) in table.rows.iter().enumerate() {
            self.cut_row(table, cut.filter(|cut| cut.after == at));
            self.push("<tr>");
            for ((cell, class), behind_marks) in row.iter().zip(&classes).zip(&behind_marks) {
                let words = cell.as_deref().unwrap_or("");
                let rest = rest_attribute(behind_marks.as_ref(), words);
                self.out.push_str(&format!("<td{class}{rest}>{}</td>", text(words)));
            }
            self.push("</tr>\n");
        }
        self.cut_row(table, cut.filter(|cut| cut.after == all));
        self.push("</tbody>\n</table></div>\n");
    }

    /// The row that says how many are left out.
    pub(super) fn cut_row(&mut self, table: &Table, cut: Option<&Cut>) {
        if let Some(cut) = cut {
            let columns = table.columns.len();
            self.out
                .push_str(&format!("<tr class=\"cut\"><td colspan=\"{columns}\">{}</td></tr>\n", cut.words.clone()));
        }
    }
}

/// What a number lacks to be as long as the others behind the decimal mark; the style sheet leaves as much room.
pub(super) fn rest_attribute(behind_marks: Option<&Decimals>, words: &str) -> String {
    match behind_marks.map(|decimals| decimals.rest(words)) {
        Some(rest) if !rest.is_empty() => format!(" data-rest=\"{rest}\""),
        _ => String::new(),
    }
}
