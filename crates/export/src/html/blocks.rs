//! Blocks of text, code and results.

use super::escape::{attribute, text};
use super::runs::rest_attribute;
use super::{Dress, Writer};
use vineloom_table::{Decimals, decimals};
use vineloom_woven::Word;
use vineloom_woven::{
    Alignment, Block, Float, FloatKind, Heading, Id, Inline, Item, NoticeKind, Tab, Term, Work, plain_text,
};

impl Writer<'_> {
    pub(crate) fn blocks(&mut self, blocks: &[Block]) {
        blocks.iter().for_each(|block| self.block(block));
    }

    pub(super) fn block(&mut self, block: &Block) {
        match block {
            Block::Heading(heading) => self.heading(heading),
            Block::Paragraph { content, .. } => {
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
            Block::Table { alignment, header, rows, .. } => self.prose_table(alignment, header, rows),
            Block::Terms(terms) => {
                self.push("<dl>\n");
                for Term { term, blocks } in terms {
                    self.push("<dt>");
                    self.inlines(term);
                    self.push("</dt>\n<dd>");
                    match blocks.as_slice() {
                        [Block::Paragraph { content, .. }] => self.inlines(content),
                        blocks => {
                            self.push("\n");
                            self.blocks(blocks);
                        }
                    }
                    self.push("</dd>\n");
                }
                self.push("</dl>\n");
            }
            Block::Steps(blocks) => self.steps(blocks),
            // Where there is a speaker, the notes have been taken out.
            Block::Speaker(_) => {}
            Block::Rule => self.push("<hr>\n"),
            Block::Place(id) => self.out.push_str(&format!("<div id=\"{}\"></div>\n", attribute(id.as_str()))),
            Block::Html { html, .. } => self.raw(html),
            Block::Equation { id, number, latex, .. } => self.equation(id.as_ref(), *number, latex),
            Block::Notice { kind, title, blocks } => self.notice(*kind, title, blocks),
            Block::Listing { id, code, float, .. } => {
                match (id, float) {
                    (Some(id), None) => self.out.push_str(&format!("<div id=\"{}\">\n", attribute(id.as_str()))),
                    _ => self.open_figure("listing", id.as_ref(), float.as_deref()),
                }
                self.code(code);
                match (id, float) {
                    (Some(_), None) => self.push("</div>\n"),
                    _ => self.close_figure(float.as_deref()),
                }
            }
            Block::Tabs(tabs) => self.tabs(tabs),
            Block::Columns { widths, columns } => {
                let wide: Vec<String> = widths.iter().map(|width| format!("{width}fr")).collect();
                let style = format!(" style=\"grid-template-columns:{}\"", wide.join(" "));
                let style = if widths.is_empty() { "" } else { &style };
                self.out.push_str(&format!("<div class=\"columns\"{style}>\n"));
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
                    let words = text(self.word(Word::More)).into_owned();
                    self.push(&words)
                } else {
                    self.plain_inlines(label)
                }
                self.push("</summary>\n");
                self.blocks(blocks);
                self.push("</details>\n");
            }
            Block::Group { id, float, blocks } => self.group(id.as_ref(), float.as_deref(), blocks),
            Block::Data { table, float, .. } => match float {
                Some(float) => {
                    self.open_figure("table-figure", None, Some(float));
                    self.data_table(table, None);
                    self.close_figure(Some(float));
                }
                None => self.data_table(table, None),
            },
            Block::Works(works) => self.works(works),
            Block::Run(run) => self.run(run),
        }
    }

    /// The level of a heading as HTML has it: the title is the h1, and the text's own headings come below it.
    pub(crate) fn level_of(&self, heading: &Heading) -> u8 {
        (heading.level + u8::from(self.is_below_title)).min(6)
    }

    fn heading(&mut self, heading: &Heading) {
        let level = self.level_of(heading);
        let Some(id) = &heading.id else {
            self.out.push_str(&format!("<h{level}>"));
            self.inlines(&heading.content);
            self.out.push_str(&format!("</h{level}>\n"));
            return;
        };
        let id = attribute(id.as_str()).into_owned();
        self.out.push_str(&format!("<h{level} id=\"{id}\">"));
        if self.options.numbered {
            self.out.push_str(&format!("<span class=\"number\">{}</span> ", text(&heading.number)));
        }
        self.inlines(&heading.content);
        let words = plain_text(&heading.content);
        self.out.push_str(&format!(
            " <a class=\"self\" href=\"#{id}\" aria-label=\"{}\">#</a></h{level}>\n",
            attribute(&self.woven.head.words.with(Word::LinkTo, &words))
        ));
    }

    /// A list whose entries come one after the other.
    pub(super) fn stepped_list(&mut self, start: Option<usize>, tight: bool, items: &[Item]) {
        self.list_with(start, tight, items, Self::next_step);
    }

    fn list(&mut self, start: Option<usize>, tight: bool, items: &[Item]) {
        self.list_with(start, tight, items, |_| String::new());
    }

    /// A list; each entry gets the attributes that are made for it.
    fn list_with(&mut self, start: Option<usize>, tight: bool, items: &[Item], attributes: fn(&mut Self) -> String) {
        match start {
            Some(1) => self.push("<ol>\n"),
            Some(first) => self.out.push_str(&format!("<ol start=\"{first}\">\n")),
            None => self.push("<ul>\n"),
        }
        for item in items {
            let own = attributes(self);
            match item.task {
                Some(done) => {
                    let (checked, words) = if done { (" checked", "done") } else { ("", "to do") };
                    self.out.push_str(&format!(
                        "<li class=\"task\"{own}><input type=\"checkbox\" disabled{checked} aria-label=\"{words}\"> "
                    ));
                }
                None => self.push(&format!("<li{own}>")),
            }
            for block in &item.blocks {
                match block {
                    Block::Paragraph { content, .. } if tight => {
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
            let label = attribute(self.word(Word::Table)).into_owned();
            self.push(&format!("<div class=\"table\" tabindex=\"0\" role=\"group\" aria-label=\"{label}\">"));
        }
        self.push("<table>\n<thead><tr>");
        for (column, cell) in header.iter().enumerate() {
            self.out.push_str(&format!("<th scope=\"col\"{}>", class(column)));
            self.inlines(cell);
            self.push("</th>");
        }
        self.push("</tr></thead>\n<tbody>\n");
        let behind_marks = |column: usize| {
            let cells = rows.iter().map(|row| row.get(column).map_or_else(String::new, |cell| plain_text(cell)));
            let aligned = self.dress == Dress::Full && alignment.get(column) == Some(&Alignment::Right);
            aligned.then(|| decimals(cells)).flatten()
        };
        let behind_marks: Vec<Option<Decimals>> = (0..header.len()).map(behind_marks).collect();
        for row in rows {
            self.push("<tr>");
            for (column, cell) in row.iter().enumerate() {
                let decimals = behind_marks.get(column).and_then(Option::as_ref);
                let rest = decimals.map_or_else(String::new, |_| rest_attribute(decimals, &plain_text(cell)));
                self.out.push_str(&format!("<td{}{rest}>", class(column)));
                self.inlines(cell);
                self.push("</td>");
            }
            self.push("</tr>\n");
        }
        self.push("</tbody>\n</table>");
        self.push(if self.dress == Dress::Full { "</div>\n" } else { "\n" });
    }

    fn equation(&mut self, id: Option<&Id>, number: Option<usize>, latex: &str) {
        match id {
            Some(id) => self.out.push_str(&format!("<div class=\"equation\" id=\"{}\">", attribute(id.as_str()))),
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

    fn group(&mut self, id: Option<&Id>, float: Option<&Float>, blocks: &[Block]) {
        let table = float.is_some_and(|float| float.kind == FloatKind::Table);
        let class = if table { "table-figure" } else { "group" };
        self.out.push_str(&format!("<figure class=\"{class}\""));
        if let Some(id) = id {
            self.out.push_str(&format!(" id=\"{}\"", attribute(id.as_str())));
        }
        self.push(">\n");
        let above = float.filter(|float| float.is_above());
        above.into_iter().for_each(|float| self.caption(float));
        self.push("<div class=\"side-by-side\">\n");
        self.blocks(blocks);
        self.push("</div>\n");
        if let Some(float) = float.filter(|float| !float.is_above()) {
            self.caption(float);
        }
        self.push("</figure>\n");
    }

    fn works(&mut self, works: &[Work]) {
        let label = attribute(self.word(Word::WorksCited)).into_owned();
        self.push(&format!("<section class=\"works\" aria-label=\"{label}\">\n"));
        for work in works {
            self.out.push_str(&format!("<p id=\"{}\">", attribute(work.id.as_str())));
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
    fn back_to_citations(&mut self, id: &Id) {
        let cited = self.cited.get(id).copied().unwrap_or(0);
        let id = attribute(id.as_str()).into_owned();
        let label = attribute(self.word(Word::BackToCitation)).into_owned();
        for at in 1..=cited {
            self.out.push_str(&format!(
                " <a class=\"back\" href=\"#{id}-cited-{at}\" aria-label=\"{label}\">\u{21a9}\u{fe0e}</a>"
            ));
        }
    }

    /// Whether an identifier is that of a work cited.
    pub(super) fn is_work(&self, id: &Id) -> bool {
        self.works.contains(id)
    }

    fn notice(&mut self, kind: NoticeKind, title: &[Inline], blocks: &[Block]) {
        let class = kind.name().to_lowercase();
        self.out.push_str(&format!("<aside class=\"notice {class}\">\n<p class=\"notice-title\">"));
        if title.is_empty() {
            let word = text(self.woven.head.words.notice(kind)).into_owned();
            self.push(&word)
        } else {
            self.inlines(title)
        }
        self.push("</p>\n");
        self.blocks(blocks);
        self.push("</aside>\n");
    }
}
