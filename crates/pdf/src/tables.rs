//! Tables: those of the prose, and data. A column of numbers has its decimal marks one below the other.

use crate::source::{LONGEST_IN_CELL, Writer, room, string};
use std::fmt::Write as _;
use std::hash::{DefaultHasher, Hash, Hasher};
use vineloom_table::{Decimals, decimals};
use vineloom_woven::{Alignment, Cut, Inline, InlineKind, Table, plain_text};

/// How many bytes a cell of a table's head may have to stand at the head of each page.
const LONGEST_HEAD: usize = 300;

/// Whether a piece of text has a link or a note in it.
fn leads_somewhere(inline: &Inline) -> bool {
    use vineloom_woven::InlineKind::{Link, Note, Reference, SectionReference};
    matches!(inline.kind, Link { .. } | Reference { .. } | SectionReference { .. } | Note(_))
        || inline.children().iter().any(leads_somewhere)
}

/// Whether a piece of text is no higher and no wider than its letters.
fn is_plain(inline: &Inline) -> bool {
    use vineloom_woven::InlineKind::{Code, Emphasis, Link, Strong, Text};
    let itself = matches!(inline.kind, Text(_) | Emphasis(_) | Strong(_) | Code(_) | Link { .. });
    itself && inline.children().iter().all(is_plain)
}

/// The texts in the cells of a table.
fn cells(table: &Table) -> impl Iterator<Item = &str> {
    table.rows.iter().flatten().flatten().map(String::as_str)
}

/// What the template is told of the cells of a table: whether each is a line, and whether of plain letters alone.
fn of_lines(lines: bool, letters: bool) -> String {
    if lines { format!("lines: true, letters: {letters}, ") } else { String::new() }
}

/// Whether a piece of text is letters as any font has them: a line of these is as high as any other.
fn is_letters(inline: &Inline) -> bool {
    matches!(&inline.kind, InlineKind::Text(text) if text.is_ascii())
}

impl Writer<'_> {
    pub(crate) fn prose_table(&mut self, alignment: &[Alignment], header: &[Vec<Inline>], rows: &[Vec<Vec<Inline>>]) {
        let of = |column: usize| alignment.get(column).copied().unwrap_or(Alignment::None);
        let aligns: String = (0..header.len())
            .map(|column| match of(column) {
                Alignment::Center => "center,",
                Alignment::Right => "right,",
                Alignment::None | Alignment::Left => "left,",
            })
            .collect();
        let numbers: Vec<Option<Decimals>> = (0..header.len())
            .map(|column| {
                let cells = rows.iter().map(|row| row.get(column).map_or_else(String::new, |cell| plain_text(cell)));
                (of(column) == Alignment::Right).then(|| decimals(cells)).flatten()
            })
            .collect();
        // What is repeated on each page is no part of what is read aloud, and may lead nowhere.
        let repeat = !header.iter().flatten().any(leads_somewhere);
        let letters = |row: &Vec<Vec<Inline>>| {
            let is_text = row.iter().flatten().all(is_plain);
            is_text.then(|| row.iter().map(|cell| plain_text(cell).chars().count()).max().unwrap_or(0))
        };
        let head = header.to_vec();
        let short = self.is_surely_short(header.len(), std::iter::once(&head).chain(rows).map(letters));
        let lines = header.iter().chain(rows.iter().flatten()).flatten().all(is_plain);
        let letters = rows.iter().flatten().flatten().all(is_letters);
        let begun = self.out.len();
        let _ = write!(self.out, "#ruled(repeat: {repeat}, short: {short}, {}({aligns}), (", of_lines(lines, letters));
        // HTML has tables without a head. One that takes much of a page is a row like others: a head can't be broken.
        let is_long = header.iter().any(|cell| plain_text(cell).len() > LONGEST_HEAD);
        if !is_long {
            for cell in header.iter().filter(|_| header.iter().any(|cell| !cell.is_empty())) {
                self.cell(cell, "");
            }
        }
        self.out.push_str("), (");
        if is_long {
            self.out.push('(');
            header.iter().for_each(|cell| self.cell(cell, ""));
            self.out.push_str("),");
        }
        for row in rows {
            self.out.push('(');
            for (column, numbers) in numbers.iter().enumerate() {
                let cell = row.get(column).map_or(&[][..], Vec::as_slice);
                let rest = numbers.map_or_else(String::new, |numbers| numbers.rest(&plain_text(cell)));
                self.cell(cell, &rest);
            }
            self.out.push_str("),");
        }
        self.end_table(begun);
    }

    /// A cell of running text; `rest` is what a number lacks to be as long as the others behind the decimal mark.
    fn cell(&mut self, content: &[Inline], rest: &str) {
        let longest = std::mem::replace(&mut self.longest_word, LONGEST_IN_CELL);
        self.out.push('[');
        self.inlines(content);
        if !rest.is_empty() {
            let _ = write!(self.out, "#number([], {})", string(rest));
        }
        self.out.push_str("],");
        self.longest_word = longest;
    }

    pub(crate) fn data_table(&mut self, table: &Table, cut: Option<&Cut>) {
        let columns = table.columns.len();
        let aligns: String =
            (0..columns).map(|column| if table.is_right(column) { "right," } else { "left," }).collect();
        let numbers: Vec<Option<Decimals>> = (0..columns).map(|column| table.decimals(column)).collect();
        let letters = |row: &Vec<Option<String>>| {
            let mut cells =
                row.iter().flatten().map(|cell| if cell.contains('\n') { None } else { Some(cell.chars().count()) });
            cells.try_fold(0, |most, letters| Some(most.max(letters?)))
        };
        let head: Vec<Option<String>> = table.columns.iter().map(|column| Some(column.name.clone())).collect();
        let short = self.is_surely_short(columns, std::iter::once(&head).chain(&table.rows).map(letters));
        let all = || table.columns.iter().map(|column| column.name.as_str()).chain(cells(table));
        let lines = !all().any(|cell| cell.contains('\n'));
        let letters = cells(table).all(str::is_ascii);
        let begun = self.out.len();
        let _ = write!(self.out, "#ruled(short: {short}, {}({aligns}), (", of_lines(lines, letters));
        let is_long = table.columns.iter().any(|column| column.name.len() > LONGEST_HEAD);
        let head = |writer: &mut Self| table.columns.iter().for_each(|column| writer.text_cell(&column.name));
        if !is_long {
            head(self);
        }
        self.out.push_str("), (");
        if is_long {
            self.out.push('(');
            head(self);
            self.out.push_str("),");
        }
        let all = table.rows.len();
        for (at, row) in table.rows.iter().enumerate() {
            self.cut_row(cut.filter(|cut| cut.after == at));
            self.out.push('(');
            for (cell, numbers) in row.iter().zip(&numbers) {
                let text = cell.as_deref().unwrap_or("");
                let rest = numbers.map_or_else(String::new, |numbers| numbers.rest(text));
                match rest.is_empty() {
                    true => self.text_cell(text),
                    false => {
                        let _ = write!(self.out, "number({}, {}),", string(text), string(&rest));
                    }
                }
            }
            self.out.push_str("),");
        }
        self.cut_row(cut.filter(|cut| cut.after == all));
        self.end_table(begun);
    }

    /// Whether a table is sure to stand on one page, by the letters of the longest cell of each row; nothing stands for a
    /// row of which that tells little. Letters are taken as wide, and the room as narrow, as they may ever be.
    fn is_surely_short(&self, columns: usize, rows: impl Iterator<Item = Option<usize>>) -> bool {
        const MOST_ROWS: usize = 17;
        let (width, height) = room(self.options);
        let em = 0.857 * self.options.font_size;
        let column = 0.6 * width * self.share / f64::from(self.options.columns) / columns.max(1) as f64 - 1.34 * em;
        let letters_in_line = column / (0.7 * em);
        if letters_in_line < 1.0 {
            return false;
        }
        let mut needed = 0.0;
        for (at, letters) in rows.enumerate() {
            let Some(letters) = letters.filter(|_| at < MOST_ROWS) else { return false };
            let lines =
                if letters as f64 <= letters_in_line { 1.0 } else { 2.0 + letters as f64 / (0.7 * letters_in_line) };
            needed += (1.5 * lines + 0.84) * em;
        }
        needed <= 0.6 * height
    }

    /// What the table is called goes with it, to be handed back should it have to be turned. It began at that byte of the source.
    fn end_table(&mut self, begun: usize) {
        let table = self.out[begun..].to_string();
        let name = self.name_of(&table);
        let _ = write!(self.out, "), named: \"{name}\")");
    }

    /// A name for what stands where we are in the document, for the template to hand back. It follows from what stands there,
    /// not from where that is: what was set before need not be set again for words that have come before it.
    pub(crate) fn name_of(&mut self, what: &str) -> String {
        let mut hasher = DefaultHasher::new();
        what.hash(&mut hasher);
        let hash = hasher.finish();
        let before = self.alike.entry(hash).or_default();
        let name = format!("{hash:016x}-{before}");
        *before += 1;
        self.named.insert(name.clone(), self.place);
        name
    }

    /// The row that says how many are left out.
    fn cut_row(&mut self, cut: Option<&Cut>) {
        if let Some(cut) = cut {
            let _ = write!(self.out, "{},", string(&cut.words));
        }
    }

    fn text_cell(&mut self, text: &str) {
        self.out.push('[');
        self.words("", text, "", LONGEST_IN_CELL);
        self.out.push_str("],");
    }
}

#[cfg(test)]
mod tests {
    use crate::fonts::Chosen;
    use crate::options::PdfOptions;
    use crate::source::Writer;
    use crate::sources::Sources;
    use crate::world::Sheet;
    use std::collections::BTreeMap;
    use vineloom_document::options::{Format, Settings};
    use vineloom_document::parse_printed;
    use vineloom_export::highlighted::Highlighted;
    use vineloom_table::{Column, ColumnKind};
    use vineloom_weave::woven_markdown;
    use vineloom_woven::{Block, Cut, Fold, Head, Id, Run, Shown, Span, StrandIndex, Table, Woven};

    /// The pages of a document as pictures, each table set as one of lines where it is one; or every cell by itself.
    fn pages(woven: &Woven, columns: u8, as_lines: bool) -> Vec<String> {
        let mut options = PdfOptions::of(&Settings::of_format(Format::Pdf));
        options.columns = columns;
        let fonts = Chosen::of(&options, &BTreeMap::new()).unwrap();
        let highlighted = Highlighted::default();
        let mut writer = Writer::new(woven, &options, &highlighted);
        writer.document(&fonts);
        let Writer { look, mut out, pictures, .. } = writer;
        if !as_lines {
            assert!(out.contains("lines: true, "), "a table of lines is one");
            out = out.replace("lines: true, ", "");
        }
        let sheet = Sheet::new(Sources::one(&look, out), pictures, fonts.into_store());
        let set = crate::setting::from_nothing(&sheet).ok().unwrap();
        let options = typst_svg::SvgOptions { render_bleed: false, pretty: false };
        set.document.pages().iter().map(|page| typst_svg::svg(page, &options)).collect()
    }

    fn assert_alike(woven: &Woven, what: &str) {
        for columns in [1, 2] {
            let (lines, cells) = (pages(woven, columns, true), pages(woven, columns, false));
            assert_eq!(lines.len(), cells.len(), "{what}");
            let other = lines.iter().zip(&cells).position(|(line, cell)| line != cell);
            assert_eq!(other, None, "{what}, in {columns} columns: this page is another one");
        }
    }

    #[test]
    fn a_table_of_lines_looks_as_if_each_cell_were_set_by_itself() {
        let head = "| plot | depth | said |\n|:-:|--:|---|\n";
        let long: String = (0..70).map(|n| format!("| North {n} | {n}.{} | yes |\n", n % 7)).collect();
        let wide = format!("| {} | {} | 1 |\n", "so many words of it ".repeat(4), "and as many beside them ".repeat(3));
        for (what, rows) in [
            ("letters", "| North | 1.25 | yes |\n| | 31.5 | no, fi fl AV |\n".to_string()),
            ("looks", "| **North** | `1.25` | *yes* |\n| a `b` **c** | 3 | [more](https://example.org) |\n".into()),
            ("other scripts", "| 土壤 | 1 | é |\n| שלום | 2 | Ünder — “so” |\n| تربة | 3 | ½ ² |\n".into()),
            ("long", long),
            ("too wide", wide.clone()),
            ("long and too wide", wide.repeat(12)),
            (
                "wider than a column",
                "| the upper plot by the northern wall | 12.5 | said so, and said it again |\n".repeat(4),
            ),
            ("a long word", format!("| {} | 1 | x |\n", "0123456789abcdef".repeat(4))),
        ] {
            let woven = Woven { head: Head { language: "en".into(), ..Head::default() }, ..Woven::default() };
            let table = format!("{head}{rows}\n");
            let listed = table.lines().map(|line| format!("   {line}\n")).collect::<String>();
            for text in [format!("Words.\n\n{table}"), format!("1. In a list:\n\n{listed}")] {
                let blocks = woven_markdown(&parse_printed(&text), Span::NOWHERE);
                assert_alike(&Woven { blocks, ..woven.clone() }, &format!("{what}\n{text}"));
            }
        }
    }

    #[test]
    fn a_table_of_many_columns_looks_as_if_each_cell_were_set_by_itself() {
        for columns in [9, 12, 26] {
            let line =
                |cell: &dyn Fn(usize) -> String| (0..columns).map(|at| format!("| {} ", cell(at))).collect::<String>();
            let (head, marks) = (line(&|at| format!("plot {at}")), line(&|_| "--:".into()));
            let rows: String = (0..4).map(|n| line(&|at| format!("{}.{n}", at * 37)) + "|\n").collect();
            let blocks = woven_markdown(&parse_printed(&format!("{head}|\n{marks}|\n{rows}")), Span::NOWHERE);
            assert_alike(&Woven { blocks, ..Woven::default() }, &format!("{columns} columns"));
        }
    }

    #[test]
    fn data_of_lines_looks_as_if_each_cell_were_set_by_itself() {
        let column = |name: &str| Column::new(name, ColumnKind::Number);
        let row = |n: usize| vec![(!n.is_multiple_of(5)).then(|| format!("{}", n as f64 / 4.0)), Some(format!("-{n}"))];
        for (rows, words) in [(3, "7 rows left out"), (60, "7")] {
            let table = Table { columns: vec![column("a"), column("b")], rows: (0..rows).map(row).collect() };
            let cut = Some(Cut { after: rows / 2, rows: 7, words: words.into() });
            let run = Run {
                id: Id::new("a").unwrap(),
                strand: StrandIndex(0),
                code: None,
                fold: Fold::Closed,
                fold_label: String::new(),
                join: false,
                transcript: false,
                results: vec![Shown::Table { table, cut }],
                float: None,
                span: Span::NOWHERE,
            };
            let blocks = vec![Block::Run(Box::new(run))];
            let woven = Woven { blocks, strands: vec!["sh".into()], ..Woven::default() };
            assert_alike(&woven, &format!("{rows} rows"));
        }
    }
}
