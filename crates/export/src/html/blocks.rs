//! Blocks of text, code and results.

use super::escape::{attribute, text};
use super::{Dress, Writer};
use crate::highlight::{Line, highlight};
use vineloom_weave::woven::{
    Alignment, Block, Code, ColumnKind, Cut, Float, FloatKind, Fold, Format, Heading, Inline, Item, NoticeKind, Run,
    Shown, Tab, Table, TextKind, TextStyle, Work, plain_text,
};

/// How many strand colours a theme has.
const STRAND_COLOURS: usize = 6;

impl Writer<'_> {
    pub(super) fn blocks(&mut self, blocks: &[Block]) {
        blocks.iter().for_each(|block| self.block(block));
    }

    fn block(&mut self, block: &Block) {
        match block {
            Block::Heading(heading) => self.heading(heading),
            Block::Paragraph(content) => {
                self.push("<p>");
                self.inlines(content);
                self.push("</p>\n");
            }
            Block::Quote(blocks) => {
                self.push("<blockquote>\n");
                self.blocks(blocks);
                self.push("</blockquote>\n");
            }
            Block::List { start, tight, items } => self.list(*start, *tight, items),
            Block::Table { alignment, header, rows } => self.prose_table(alignment, header, rows),
            Block::Rule => self.push("<hr>\n"),
            Block::Html(html) => self.push(html),
            Block::Equation { id, number, latex } => self.equation(id.as_deref(), *number, latex),
            Block::Notice { kind, title, blocks } => self.notice(*kind, title, blocks),
            Block::Listing { id, code, float } => {
                match (id, float) {
                    (Some(id), None) => self.out.push_str(&format!("<div id=\"{}\">\n", attribute(id))),
                    _ => self.open_figure("listing", id.as_deref(), float.as_ref()),
                }
                self.code(code);
                match (id, float) {
                    (Some(_), None) => self.push("</div>\n"),
                    _ => self.close_figure(float.as_ref()),
                }
            }
            Block::Tabs(tabs) => self.tabs(tabs),
            Block::Columns(columns) => {
                self.push("<div class=\"columns\">\n");
                for column in columns {
                    self.push("<div>\n");
                    self.blocks(column);
                    self.push("</div>\n");
                }
                self.push("</div>\n");
            }
            Block::Fold { label, blocks } => {
                self.push("<details class=\"fold text\"><summary>");
                if label.is_empty() {
                    self.push("More")
                } else {
                    self.plain_inlines(label)
                }
                self.push("</summary>\n");
                self.blocks(blocks);
                self.push("</details>\n");
            }
            Block::Only { formats, blocks } => {
                if formats.contains(&Format::Html) {
                    self.blocks(blocks);
                }
            }
            Block::Group { id, float, blocks } => self.group(id, float.as_ref(), blocks),
            Block::Data { table, float } => match float {
                Some(float) => {
                    self.open_figure("table-figure", None, Some(float));
                    self.caption(float);
                    self.data_table(table, None);
                    self.push("</figure>\n");
                }
                None => self.data_table(table, None),
            },
            Block::Works(works) => self.works(works),
            Block::Run(run) => self.run(run),
        }
    }

    fn heading(&mut self, heading: &Heading) {
        // The title is the page's h1; the text's own headings come below it.
        let has_title = !self.woven.head.title.is_empty();
        let level = (heading.level + u8::from(has_title && self.has_top_heading())).min(6);
        if heading.id.is_empty() {
            self.out.push_str(&format!("<h{level}>"));
            self.inlines(&heading.content);
            self.out.push_str(&format!("</h{level}>\n"));
            return;
        }
        let id = attribute(&heading.id).into_owned();
        self.out.push_str(&format!("<h{level} id=\"{id}\">"));
        if self.options.numbered {
            self.out.push_str(&format!("<span class=\"number\">{}</span> ", text(&heading.number)));
        }
        self.inlines(&heading.content);
        let words = plain_text(&heading.content);
        self.out.push_str(&format!(
            " <a class=\"self\" href=\"#{id}\" aria-label=\"Link to “{}”\">#</a></h{level}>\n",
            attribute(&words)
        ));
    }

    fn has_top_heading(&self) -> bool {
        self.woven.blocks.iter().any(|block| matches!(block, Block::Heading(h) if h.level == 1))
    }

    fn list(&mut self, start: Option<usize>, tight: bool, items: &[Item]) {
        match start {
            Some(1) => self.push("<ol>\n"),
            Some(first) => self.out.push_str(&format!("<ol start=\"{first}\">\n")),
            None => self.push("<ul>\n"),
        }
        for item in items {
            match item.task {
                Some(done) => {
                    let (checked, words) = if done { (" checked", "done") } else { ("", "to do") };
                    self.out.push_str(&format!(
                        "<li class=\"task\"><input type=\"checkbox\" disabled{checked} aria-label=\"{words}\"> "
                    ));
                }
                None => self.push("<li>"),
            }
            for block in &item.blocks {
                match block {
                    Block::Paragraph(content) if tight => {
                        self.inlines(content);
                        self.push("\n");
                    }
                    other => self.block(other),
                }
            }
            self.push("</li>\n");
        }
        self.push(if start.is_some() { "</ol>\n" } else { "</ul>\n" });
    }

    fn prose_table(&mut self, alignment: &[Alignment], header: &[Vec<Inline>], rows: &[Vec<Vec<Inline>>]) {
        let class = |column: usize| match alignment.get(column) {
            Some(Alignment::Center) => " class=\"centre\"",
            Some(Alignment::Right) => " class=\"right\"",
            _ => "",
        };
        if self.dress == Dress::Full {
            self.push("<div class=\"table\" tabindex=\"0\" role=\"group\" aria-label=\"Table\">");
        }
        self.push("<table>\n<thead><tr>");
        for (column, cell) in header.iter().enumerate() {
            self.out.push_str(&format!("<th scope=\"col\"{}>", class(column)));
            self.inlines(cell);
            self.push("</th>");
        }
        self.push("</tr></thead>\n<tbody>\n");
        for row in rows {
            self.push("<tr>");
            for (column, cell) in row.iter().enumerate() {
                self.out.push_str(&format!("<td{}>", class(column)));
                self.inlines(cell);
                self.push("</td>");
            }
            self.push("</tr>\n");
        }
        self.push("</tbody>\n</table>");
        self.push(if self.dress == Dress::Full { "</div>\n" } else { "\n" });
    }

    fn equation(&mut self, id: Option<&str>, number: Option<usize>, latex: &str) {
        match id {
            Some(id) => self.out.push_str(&format!("<div class=\"equation\" id=\"{}\">", attribute(id))),
            None => self.push("<div class=\"equation\">"),
        }
        self.math(latex, true);
        if let Some(number) = number {
            self.out.push_str(&format!("<span class=\"equation-number\">({number})</span>"));
        }
        self.push("</div>\n");
    }

    /// Tabs are sections with a heading each; the page's script makes tabs of them.
    fn tabs(&mut self, tabs: &[Tab]) {
        self.uses.tabs = true;
        self.push("<div class=\"tabs\">\n");
        for tab in tabs {
            self.push("<section class=\"tab\">\n<p class=\"tab-title\">");
            self.plain_inlines(&tab.title);
            self.push("</p>\n");
            self.blocks(&tab.blocks);
            self.push("</section>\n");
        }
        self.push("</div>\n");
    }

    fn group(&mut self, id: &str, float: Option<&Float>, blocks: &[Block]) {
        let table = float.is_some_and(|float| float.kind == FloatKind::Table);
        let class = if table { "table-figure" } else { "group" };
        self.out.push_str(&format!("<figure class=\"{class}\""));
        if !id.is_empty() {
            self.out.push_str(&format!(" id=\"{}\"", attribute(id)));
        }
        self.push(">\n");
        if let Some(float) = float.filter(|_| table) {
            self.caption(float);
        }
        self.push("<div class=\"side-by-side\">\n");
        self.blocks(blocks);
        self.push("</div>\n");
        if let Some(float) = float.filter(|_| !table) {
            self.caption(float);
        }
        self.push("</figure>\n");
    }

    fn works(&mut self, works: &[Work]) {
        self.push("<section class=\"works\" aria-label=\"Works cited\">\n");
        for work in works {
            self.out.push_str(&format!("<p id=\"{}\">", attribute(&work.id)));
            if !work.label.is_empty() {
                self.push("<span class=\"work-label\">");
                self.inlines(&work.label);
                self.push("</span> ");
            }
            self.inlines(&work.content);
            self.back_to_citations(&work.id);
            self.push("</p>\n");
        }
        self.push("</section>\n");
    }

    /// Links from a work to where it is cited, as far as the text before the list does it.
    fn back_to_citations(&mut self, id: &str) {
        let id = attribute(id).into_owned();
        for at in 1..=self.cited.get(&id).copied().unwrap_or(0) {
            self.out.push_str(&format!(
                " <a class=\"back\" href=\"#{id}-cited-{at}\" aria-label=\"Back to where it is cited\">\u{21a9}\u{fe0e}</a>"
            ));
        }
    }

    /// Whether an identifier is that of a work cited.
    pub(super) fn is_work(&self, id: &str) -> bool {
        fn any(blocks: &[Block], id: &str) -> bool {
            blocks.iter().any(|block| match block {
                Block::Works(works) => works.iter().any(|work| work.id == id),
                Block::Only { blocks, .. } => any(blocks, id),
                _ => false,
            })
        }
        any(&self.woven.blocks, id)
    }

    fn notice(&mut self, kind: NoticeKind, title: &[Inline], blocks: &[Block]) {
        let (class, word) = match kind {
            NoticeKind::Note => ("note", "Note"),
            NoticeKind::Tip => ("tip", "Tip"),
            NoticeKind::Important => ("important", "Important"),
            NoticeKind::Caution => ("caution", "Caution"),
            NoticeKind::Danger => ("danger", "Danger"),
        };
        self.out.push_str(&format!("<aside class=\"notice {class}\">\n<p class=\"notice-title\">"));
        if title.is_empty() {
            self.push(word)
        } else {
            self.inlines(title)
        }
        self.push("</p>\n");
        self.blocks(blocks);
        self.push("</aside>\n");
    }

    // Live blocks.

    fn run(&mut self, run: &Run) {
        let strand = self.woven.strands.get(run.strand).map_or("", String::as_str).to_string();
        let colour = run.strand % STRAND_COLOURS + 1;
        let join = match (run.transcript, run.join) {
            (true, _) => " join transcript",
            (false, true) => " join",
            (false, false) => "",
        };
        let knot = if run.code.is_some() || run.transcript { "" } else { " placed" };
        self.out.push_str(&format!(
            "<div class=\"run strand-{colour}{join}{knot}\" data-strand=\"{}\"",
            attribute(&strand)
        ));
        // A caption's figure carries the id when there is one.
        if run.float.is_none() {
            self.out.push_str(&format!(" id=\"{}\"", attribute(&run.id)));
        }
        self.push(">\n");
        let listing = run.float.as_ref().filter(|float| float.kind == FloatKind::Listing && run.code.is_some());
        if let Some(code) = run.code.as_ref().filter(|_| !self.options.reading_view) {
            if listing.is_some() {
                self.open_figure("listing", Some(&run.id), listing);
            }
            self.folded_code(run, code);
            if listing.is_some() {
                self.close_figure(listing);
            }
        }
        let float = run.float.as_ref().filter(|_| listing.is_none());
        if !run.results.is_empty() {
            let class = match float.map(|float| float.kind) {
                Some(FloatKind::Figure) => "figure",
                Some(FloatKind::Table) => "table-figure",
                _ => "listing",
            };
            if let (Some(float), FloatKind::Table) = (float, float.map_or(FloatKind::Figure, |f| f.kind)) {
                self.open_figure(class, Some(&run.id), Some(float));
                self.caption(float);
                self.results(&run.results, float);
                self.push("</figure>\n");
            } else {
                self.open_figure(class, Some(&run.id), float);
                self.results_with(&run.results, float.map(|f| plain_text(&f.caption)));
                self.close_figure(float);
            }
        } else if let Some(float) = float {
            self.open_figure("listing", Some(&run.id), Some(float));
            self.close_figure(Some(float));
        }
        self.push("</div>\n");
    }

    fn results(&mut self, results: &[Shown], float: &Float) {
        self.results_with(results, Some(plain_text(&float.caption)));
    }

    fn folded_code(&mut self, run: &Run, code: &Code) {
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

    fn open_figure(&mut self, class: &str, id: Option<&str>, float: Option<&Float>) {
        if float.is_some() {
            self.out.push_str(&format!("<figure class=\"{class}\""));
            if let Some(id) = id {
                self.out.push_str(&format!(" id=\"{}\"", attribute(id)));
            }
            self.push(">\n");
        }
    }

    fn close_figure(&mut self, float: Option<&Float>) {
        if let Some(float) = float {
            self.caption(float);
            self.push("</figure>\n");
        }
    }

    fn caption(&mut self, float: &Float) {
        self.out.push_str(&format!(
            "<figcaption><span class=\"label\">{} {}.</span> ",
            float.kind.word(),
            float.number
        ));
        self.inlines(&float.caption);
        self.push("</figcaption>\n");
    }

    fn code(&mut self, code: &Code) {
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
            "<div class=\"code\"><pre tabindex=\"0\" role=\"group\" aria-label=\"Code, {0}\"><code class=\"language-{0}\">", attribute(language)));
        let lines = highlight(&code.language, &code.text);
        let by_line = code.first_line.is_some() || !code.mark.is_empty();
        let last = lines.len();
        for (at, line) in lines.iter().enumerate() {
            if by_line {
                let number = at as u32 + 1;
                let marked = code.mark.iter().any(|&(first, last)| (first..=last).contains(&number));
                let class = if marked { "line marked" } else { "line" };
                self.out.push_str(&format!("<span class=\"{class}\""));
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

    fn coloured(&mut self, line: &Line) {
        for (kind, part) in line {
            match kind.class() {
                Some(class) => self.out.push_str(&format!("<span class=\"{class}\">{}</span>", text(part))),
                None => self.out.push_str(&text(part)),
            }
        }
    }

    fn results_with(&mut self, results: &[Shown], caption: Option<String>) {
        for shown in results {
            match shown {
                Shown::Text { kind, text: output, styles } => {
                    let (class, label) = match kind {
                        TextKind::Output => ("output", "Output"),
                        TextKind::Value => ("output value", "Value"),
                        TextKind::Notice => ("output notice-text", "Notices"),
                        TextKind::Failure => ("output failure", "Error"),
                    };
                    self.out.push_str(&format!(
                        "<pre class=\"{class}\" tabindex=\"0\" role=\"group\" aria-label=\"{label}\"><samp>"
                    ));
                    self.styled(output, styles);
                    self.push("</samp></pre>\n");
                }
                Shown::Code(_) if self.options.reading_view => {}
                Shown::Code(code) => self.code(code),
                Shown::Html(html) => self.out.push_str(&format!("<div class=\"printed\">\n{html}\n</div>\n")),
                Shown::LeftOut { lines } => {
                    let word = if *lines == 1 { "line is" } else { "lines are" };
                    self.out.push_str(&format!("<p class=\"left-out\">{lines} more {word} left out here</p>\n"));
                }
                Shown::Table { table, cut } => self.data_table(table, *cut),
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
    fn styled(&mut self, output: &str, styles: &[(std::ops::Range<usize>, TextStyle)]) {
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

    fn data_table(&mut self, table: &Table, cut: Option<Cut>) {
        self.push("<div class=\"table data\" tabindex=\"0\" role=\"group\" aria-label=\"Table\"><table>\n<thead><tr>");
        let class = |kind: ColumnKind| if kind == ColumnKind::Number { " class=\"number\"" } else { "" };
        for column in &table.columns {
            self.out.push_str(&format!("<th scope=\"col\"{}>{}</th>", class(column.kind), text(&column.name)));
        }
        self.push("</tr></thead>\n<tbody>\n");
        let all = table.rows.len();
        for (at, row) in table.rows.iter().enumerate() {
            self.cut_row(table, cut.filter(|cut| cut.after == at));
            self.push("<tr>");
            for (cell, column) in row.iter().zip(&table.columns) {
                self.out.push_str(&format!("<td{}>{}</td>", class(column.kind), text(cell.as_deref().unwrap_or(""))));
            }
            self.push("</tr>\n");
        }
        self.cut_row(table, cut.filter(|cut| cut.after == all));
        self.push("</tbody>\n</table></div>\n");
    }

    /// The row that says how many are left out.
    fn cut_row(&mut self, table: &Table, cut: Option<Cut>) {
        if let Some(cut) = cut {
            let columns = table.columns.len();
            self.out.push_str(&format!("<tr class=\"cut\"><td colspan=\"{columns}\">{}</td></tr>\n", cut.words()));
        }
    }
}
