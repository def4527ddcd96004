//! Tables: those of the prose, and data. A column of numbers has its decimal marks one below the other.

use crate::source::{LONGEST_IN_CELL, Writer, string};
use std::fmt::Write as _;
use vineloom_table::{Decimals, decimals};
use vineloom_woven::{Alignment, Cut, Inline, Table, plain_text};

/// How many bytes a cell of a table's head may have to stand at the head of each page.
const LONGEST_HEAD: usize = 300;

/// Whether a piece of text has a link or a note in it.
fn leads_somewhere(inline: &Inline) -> bool {
    use vineloom_woven::InlineKind::{Link, Note, Reference, SectionReference};
    matches!(inline.kind, Link { .. } | Reference { .. } | SectionReference { .. } | Note(_))
        || inline.children().iter().any(leads_somewhere)
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
        let _ = write!(self.out, "#ruled(repeat: {repeat}, ({aligns}), (");
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
        self.end_table();
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
        let _ = write!(self.out, "#ruled(({aligns}), (");
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
        self.end_table();
    }

    /// Where the table stands goes with it, to be handed back should it have to be turned.
    fn end_table(&mut self) {
        let _ = write!(self.out, "), place-of: {})", self.place_of());
    }

    /// Where in the document we are, for the template to hand back.
    pub(crate) fn place_of(&self) -> String {
        // Zero is no end of anything.
        let (start, end) = self.place.known().map_or((0, 0), |span| (span.start, span.end));
        format!("({start}, {end})")
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
