//! Blocks of text.

use crate::escape::{code, label, parted, text};
use crate::writer::Writer;
use vineloom_woven::{Block, Float, FloatKind, Heading, Id, Item};

/// The commands of sections, from the highest on.
const SECTIONS: [&str; 6] = ["chapter", "section", "subsection", "subsubsection", "paragraph", "subparagraph"];

/// Environments that number their own lines, and such as stand within one formula, which has one number.
const ENVIRONMENTS: [(&str, &str); 6] = [
    ("alignat", "alignedat"),
    ("align", "aligned"),
    ("flalign", "aligned"),
    ("gather", "gathered"),
    ("multline", "multlined"),
    ("eqnarray", "aligned"),
];

/// How deep lists and quotes stand in each other at most.
const DEEPEST: usize = 7;

/// Whether a source begins with a heading or a notice, or with a place and then one. In a list or a quote LaTeX takes one
/// for the end of what has not begun.
fn begins_above_text(source: &str) -> bool {
    let mut rest = source.trim_start();
    while let Some((_, behind)) = rest.strip_prefix("\\phantomsection\\label{").and_then(|place| place.split_once('}'))
    {
        rest = behind.trim_start();
    }
    let command = rest.strip_prefix('\\');
    command.is_some_and(|command| {
        command.starts_with("begin{vlnotice}") || SECTIONS.iter().any(|name| command.starts_with(name))
    })
}

impl Writer<'_> {
    pub fn blocks(&mut self, blocks: &[Block]) {
        blocks.iter().for_each(|block| self.block(block));
    }

    fn block(&mut self, block: &Block) {
        match block {
            Block::Heading(heading) => self.heading(heading),
            Block::Paragraph { content, .. } => {
                let words = self.inlines(content);
                self.push(&format!("\n{}\n", parted(words.trim_end())));
            }
            Block::Quote(blocks) => self.within("quote", "", blocks),
            Block::List { start, items, .. } => self.list(*start, items),
            Block::Table { alignment, header, rows, .. } => self.prose_table(alignment, header, rows),
            Block::Terms(terms) => {
                self.push("\n\\begin{description}\n");
                for term in terms {
                    let words = self.inlines(&term.term);
                    self.push(&format!("\\item[{{{words}}}] \\leavevmode\n"));
                    self.blocks(&term.blocks);
                }
                self.push("\\end{description}\n");
            }
            Block::Rule => self.push("\n\\begin{center}\\rule{0.3\\linewidth}{0.4pt}\\end{center}\n"),
            Block::Equation { id, number, latex, .. } => self.equation(id.as_ref(), *number, latex),
            Block::Notice { kind, title, blocks } => {
                let title =
                    if title.is_empty() { text(self.woven.head.words.notice(*kind)) } else { self.inlines(title) };
                self.within("vlnotice", &format!("{{{title}}}"), blocks);
            }
            Block::Tabs(tabs) => {
                for tab in tabs {
                    let title = self.inlines(&tab.title);
                    self.push(&format!("\n\\medskip\\noindent\\textbf{{{title}}}\\par\\nopagebreak\n"));
                    self.blocks(&tab.blocks);
                }
            }
            Block::Columns { widths, columns } => {
                let parts: Vec<u32> = if widths.is_empty() { vec![1; columns.len()] } else { widths.clone() };
                let whole: u32 = parts.iter().sum::<u32>().max(1);
                self.push("\n\\noindent");
                for (column, part) in columns.iter().zip(&parts) {
                    let share = 0.95 * f64::from(*part) / f64::from(whole);
                    self.push(&format!("\\begin{{minipage}}[t]{{{share:.3}\\linewidth}}\n"));
                    self.unfloating(|writer| writer.blocks(column));
                    self.push("\\end{minipage}\\hfill%\n");
                }
                self.push("\\par\\medskip\n");
            }
            Block::Fold { label, blocks } => {
                if !label.is_empty() {
                    let words = self.inlines(label);
                    self.push(&format!("\n\\medskip\\noindent\\textbf{{{words}}}\\par\\nopagebreak\n"));
                }
                self.blocks(blocks);
            }
            Block::Steps(blocks) => self.blocks(blocks),
            Block::Group { id, float, blocks } => match float {
                Some(float) if float.kind != FloatKind::Listing => {
                    self.floating(float, id.as_ref(), &mut |writer| writer.blocks(blocks));
                }
                Some(float) => {
                    self.listing_caption(float, id.as_ref());
                    self.blocks(blocks);
                }
                None => self.blocks(blocks),
            },
            Block::Data { table, float, .. } => match float {
                Some(float) => self.floating(float, None, &mut |writer| writer.data_table(table, None)),
                None => self.data_table(table, None),
            },
            Block::Works(works) => {
                if self.lists_works_itself() {
                    return self.push("\n\\printbibliography[heading=none]\n");
                }
                self.push("\n\\begin{vlworks}\n");
                for work in works {
                    let (mark, words) = (self.inlines(&work.label), self.inlines(&work.content));
                    let place = label(work.id.as_str());
                    self.push(&format!("\\item \\hypertarget{{{place}}}{{}}{mark} {words}\n"));
                }
                self.push("\\end{vlworks}\n");
            }
            Block::Listing { id, code, float, .. } => {
                if let (Some(id), None) = (id, float) {
                    self.place(id);
                }
                float.iter().for_each(|float| self.listing_caption(float, id.as_ref()));
                self.code(code, None);
                self.push("\n");
            }
            Block::Place(id) => self.place(id),
            Block::Run(run) => self.run(run),
            // What could be said without HTML has been; the rest was told.
            Block::Html { .. } | Block::Speaker(_) => {}
        }
    }

    /// A place that links lead to.
    pub fn place(&mut self, id: &Id) {
        self.push(&format!("\n\\phantomsection\\label{{{}}}\n", label(id.as_str())));
    }

    fn within(&mut self, environment: &str, arguments: &str, blocks: &[Block]) {
        if self.depth >= DEEPEST {
            return self.blocks(blocks);
        }
        self.push(&format!("\n\\begin{{{environment}}}{arguments}\n"));
        let inside = self.aside(|writer| writer.unfloating(|writer| writer.blocks(blocks)));
        if begins_above_text(&inside) {
            self.push("\\leavevmode\\vspace{-\\baselineskip}\n");
        }
        self.push(&inside);
        self.push(&format!("\\end{{{environment}}}\n"));
    }

    /// Work in something that nothing can float out of, and that can stand in itself only so often.
    fn unfloating(&mut self, work: impl FnOnce(&mut Self)) {
        let fixed = std::mem::replace(&mut self.fixed, true);
        self.depth += 1;
        work(self);
        self.depth -= 1;
        self.fixed = fixed;
    }

    fn heading(&mut self, heading: &Heading) {
        let has_chapters =
            ["report", "book", "memoir", "scrreprt", "scrbook"].contains(&self.options.document_class.as_str());
        let first = if has_chapters { 0 } else { 1 };
        let level = usize::from(heading.level.saturating_sub(self.top)) + first;
        let command = SECTIONS[level.min(SECTIONS.len() - 1)];
        let (words, short) = (self.inlines(&heading.content), self.moving(&heading.content));
        let short = if short == words { String::new() } else { format!("[{{{short}}}]") };
        let star = if self.options.numbered && heading.number.is_empty() { "*" } else { "" };
        let short = if star.is_empty() { short } else { String::new() };
        self.push(&format!("\n\\{command}{star}{short}{{{words}}}"));
        if let Some(id) = &heading.id {
            self.push(&format!("\\label{{{}}}", label(id.as_str())));
        }
        self.push("\n");
    }

    fn list(&mut self, start: Option<usize>, items: &[Item]) {
        let (name, options) = match start {
            Some(1) => ("vlnumbers", String::new()),
            Some(start) => ("vlnumbers", format!("[start={start}]")),
            None => ("vlitems", String::new()),
        };
        if self.depth >= DEEPEST {
            // LaTeX knows no list that is deeper: its entries are paragraphs with their marks.
            for (at, item) in items.iter().enumerate() {
                let mark = start.map_or("\\textbullet".to_string(), |start| format!("{}.", start + at));
                self.push(&format!("\n\\noindent {mark}~\\ignorespaces\n"));
                self.unfloating(|writer| writer.blocks(&item.blocks));
            }
            return;
        }
        self.push(&format!("\n\\begin{{{name}}}{options}\n"));
        for item in items {
            match item.task {
                Some(true) => self.push("\\item[\\(\\boxtimes\\)] "),
                Some(false) => self.push("\\item[\\(\\square\\)] "),
                None => self.push("\\item "),
            }
            let inside = self.aside(|writer| writer.unfloating(|writer| writer.blocks(&item.blocks)));
            // An entry that begins with an environment or a heading needs a line to stand on.
            let inside = inside.trim_start();
            if inside.starts_with("\\begin") || begins_above_text(inside) {
                self.push("\\leavevmode\n");
            }
            self.push(inside);
        }
        self.push(&format!("\\end{{{name}}}\n"));
    }

    fn equation(&mut self, id: Option<&Id>, number: Option<usize>, latex: &str) {
        let Some(mut inside) = self.formula(latex) else {
            let source = latex.trim().lines().map(|line| format!("\\texttt{{{}}}", code(line)));
            let source = source.collect::<Vec<_>>().join("\\\\\n");
            return self.push(&format!("\n\\begin{{center}}\n{source}\n\\end{{center}}\n"));
        };
        // What only says that it is a formula is said already.
        for name in ["equation", "equation*", "displaymath", "math"] {
            let (open, close) = (format!("\\begin{{{name}}}"), format!("\\end{{{name}}}"));
            let within = inside.trim().strip_prefix(&open).and_then(|rest| rest.strip_suffix(&close));
            if let Some(within) = within {
                inside = within.trim().to_string();
            }
        }
        let begins = |name: &str| inside.trim_start().starts_with(&format!("\\begin{{{name}}}"));
        let environment = ENVIRONMENTS.iter().find(|(own, _)| begins(own) || begins(&format!("{own}*")));
        if let (Some((own, _)), None) = (environment, number) {
            // Alone it stands for itself, without numbers but those that its writer gives it.
            for end in ["begin", "end"] {
                inside = inside.replace(&format!("\\{end}{{{own}}}"), &format!("\\{end}{{{own}*}}"));
            }
            return self.push(&format!("\n{}\n", inside.trim()));
        }
        for (own, within) in ENVIRONMENTS {
            for star in ["", "*"] {
                for end in ["begin", "end"] {
                    inside = inside.replace(&format!("\\{end}{{{own}{star}}}"), &format!("\\{end}{{{within}}}"));
                }
            }
        }
        let inside = inside.trim_end();
        match number {
            None => self.push(&format!("\n\\[\n{inside}\n\\]\n")),
            Some(_) => {
                let place = id.map_or_else(String::new, |id| format!("\\label{{{}}}", label(id.as_str())));
                self.push(&format!("\n\\begin{{equation}}{place}\n{inside}\n\\end{{equation}}\n"));
            }
        }
    }

    /// A figure or a table with its caption, where LaTeX finds room for it; where nothing floats, at its place.
    pub fn floating(&mut self, float: &Float, id: Option<&Id>, work: &mut dyn FnMut(&mut Self)) {
        let environment = if float.kind == FloatKind::Table { "table" } else { "figure" };
        let place = id.map_or_else(String::new, |id| format!("\\label{{{}}}", label(id.as_str())));
        let fixed = self.fixed || self.in_argument;
        self.with_notes_behind(|writer| {
            let (words, short) = (writer.inlines(&float.caption), writer.moving(&float.caption));
            let inside = writer.aside(|writer| writer.unfloating(|writer| work(writer)));
            let inside = inside.trim();
            if fixed {
                // A number and a label are all that a caption needs.
                let word = text(&float.word);
                let caption = format!(
                    "\\refstepcounter{{{environment}}}{place}{{\\small\\textbf{{{word}~\\the{environment}.}} {words}}}"
                );
                let both = if float.kind == FloatKind::Table { [caption.as_str(), inside] } else { [inside, &caption] };
                // Behind the end of code nothing may stand in its line.
                return writer
                    .push(&format!("\n\\noindent {}\n\\par\n\\noindent {}\n\\par\\medskip\n", both[0], both[1]));
            }
            let short = if short == words { String::new() } else { format!("[{{{short}}}]") };
            let caption = format!("\\caption{short}{{{words}}}{place}");
            let both = if float.kind == FloatKind::Table { [caption.as_str(), inside] } else { [inside, &caption] };
            writer.push(&format!(
                "\n\\begin{{{environment}}}[htbp]\n\\centering\n{}\n{}\n\\end{{{environment}}}\n",
                both[0], both[1]
            ));
        });
    }
}
