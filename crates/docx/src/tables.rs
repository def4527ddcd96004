//! Tables: real ones, whose head is repeated on each page, and grids without lines that only set things beside each other.

use crate::inlines::Look;
use crate::page::{Lies, Twips};
use crate::writer::HEADS;
use crate::writer::{Aligned, Extra, Writer};
use std::fmt::Write as _;
use vineloom_export::xml::text;
use vineloom_woven::{Alignment, Cut, Inline, Table, plain_text};

/// What a letter of a cell takes, about, in twentieths of a point.
const LETTER: Twips = 124;
/// What a cell has beside its words.
const BESIDE: Twips = 240;

/// A table that is written: its cells are paragraphs.
struct Grid {
    header: Vec<String>,
    rows: Vec<Vec<String>>,
    /// Behind so many rows, a row of words in the place of others.
    cut: Option<Cut>,
    aligned: Vec<Option<Aligned>>,
    /// The most letters of each column, and those of its longest word.
    letters: Vec<(usize, usize)>,
}

impl Writer<'_> {
    pub fn prose_table(&mut self, alignment: &[Alignment], header: &[Vec<Inline>], rows: &[Vec<Vec<Inline>>]) {
        let aligned = |at: usize| match alignment.get(at) {
            Some(Alignment::Right) => Some(Aligned::Right),
            Some(Alignment::Center) => Some(Aligned::Centre),
            _ => None,
        };
        let count = header.len();
        let column = |at: usize| {
            let cells = rows.iter().filter_map(move |row| row.get(at)).chain(header.get(at));
            letters(cells.map(|cell| plain_text(cell)))
        };
        let grid = Grid {
            letters: (0..count).map(column).collect(),
            aligned: (0..count).map(aligned).collect(),
            header: header.iter().map(|cell| self.inlines(cell)).collect(),
            rows: rows.iter().map(|row| row.iter().map(|cell| self.inlines(cell)).collect()).collect(),
            cut: None,
        };
        self.table(&grid);
    }

    pub fn data_table(&mut self, table: &Table, cut: Option<&Cut>) {
        let count = table.columns.len();
        let words = |cell: &Option<String>| cell.clone().unwrap_or_default();
        let column = |at: usize| {
            let cells = table.rows.iter().filter_map(|row| row.get(at)).map(words);
            letters(cells.chain([table.columns[at].name.clone()]))
        };
        let all: Vec<(usize, usize)> = (0..count).map(column).collect();
        let aligned = |at: usize| {
            let decimals = table.decimals(at);
            let rest = |row: &Vec<Option<String>>| {
                decimals.as_ref().map_or(0, |decimals| decimals.rest(&words(&row[at])).chars().count())
            };
            let uneven = table.rows.iter().filter(|row| row.len() > at).map(rest).max().unwrap_or(0);
            match (table.is_right(at), uneven) {
                (false, _) => None,
                (true, 0) => Some(Aligned::Right),
                // Numbers of different lengths behind the mark meet at it.
                (true, uneven) => Some(Aligned::Decimal(LETTER * all[at].0.saturating_sub(uneven).max(1) as Twips)),
            }
        };
        let cell = |cell: &Option<String>| self.run(cell.as_deref().unwrap_or(""), Look::default());
        let grid = Grid {
            header: table.columns.iter().map(|column| self.run(&column.name, Look::default())).collect(),
            rows: table.rows.iter().map(|row| row.iter().map(cell).collect()).collect(),
            aligned: (0..count).map(aligned).collect(),
            letters: all.clone(),
            cut: cut.cloned(),
        };
        self.table(&grid);
    }

    /// A table; one that is too wide for the page lies on a page on its side.
    fn table(&mut self, grid: &Grid) {
        let least: Twips = grid.letters.iter().map(|(_, word)| *word as Twips * LETTER + BESIDE).sum();
        let turned = !self.in_table
            && self.indent == 0
            && least > self.room * 11 / 10
            && self.page.room(Lies::OnItsSide) > self.page.room(Lies::Upright);
        if turned {
            self.section(Lies::Upright);
            self.caption_by_now();
            let room = std::mem::replace(&mut self.room, self.page.room(Lies::OnItsSide));
            self.plain_table(grid);
            self.room = room;
            self.section(Lies::OnItsSide);
        } else {
            self.caption_by_now();
            self.plain_table(grid);
            self.part();
        }
    }

    /// Ends a section whose pages lie in this way.
    fn section(&mut self, lies: Lies) {
        let page = self.page.section(lies);
        // The first page has the title; it needs no head.
        let first = if self.sections == 0 { "<w:titlePg/>" } else { "" };
        self.sections += 1;
        let _ = write!(
            self.out,
            "<w:p><w:pPr><w:spacing w:after=\"0\" w:line=\"20\" w:lineRule=\"exact\"/><w:sectPr>{HEADS}{page}{first}</w:sectPr></w:pPr></w:p>"
        );
    }

    fn plain_table(&mut self, grid: &Grid) {
        let widths = widths(&grid.letters, self.room - self.indent);
        let columns: String = widths.iter().map(|wide| format!("<w:gridCol w:w=\"{wide}\"/>")).collect();
        let style = text(self.styles.id("Ruled")).to_string();
        let _ = write!(
            self.out,
            "<w:tbl><w:tblPr><w:tblStyle w:val=\"{style}\"/><w:tblW w:w=\"{}\" w:type=\"dxa\"/><w:tblInd w:w=\"{}\" w:type=\"dxa\"/><w:tblLayout w:type=\"fixed\"/><w:tblLook w:val=\"0020\" w:firstRow=\"1\"/></w:tblPr><w:tblGrid>{columns}</w:tblGrid>",
            widths.iter().sum::<Twips>(),
            self.indent,
        );
        let strand = self.strand.take();
        let indent = std::mem::take(&mut self.indent);
        self.out.push_str("<w:tr><w:trPr><w:cantSplit/><w:tblHeader/></w:trPr>");
        self.cells("CellHead", &grid.header, grid, &widths);
        self.out.push_str("</w:tr>");
        for at in 0..=grid.rows.len() {
            if let Some(cut) = grid.cut.as_ref().filter(|cut| cut.after == at) {
                let words = self.run(&cut.words, Look { italic: true, ..Look::default() });
                let _ = write!(
                    self.out,
                    "<w:tr><w:tc><w:tcPr><w:tcW w:w=\"{}\" w:type=\"dxa\"/><w:gridSpan w:val=\"{}\"/></w:tcPr>",
                    widths.iter().sum::<Twips>(),
                    widths.len()
                );
                self.paragraph("Cell", Extra::default(), &words);
                self.out.push_str("</w:tc></w:tr>");
            }
            if let Some(row) = grid.rows.get(at) {
                self.out.push_str("<w:tr><w:trPr><w:cantSplit/></w:trPr>");
                self.cells("Cell", row, grid, &widths);
                self.out.push_str("</w:tr>");
            }
        }
        self.out.push_str("</w:tbl>");
        (self.strand, self.indent) = (strand, indent);
    }

    fn cells(&mut self, style: &str, cells: &[String], grid: &Grid, widths: &[Twips]) {
        for (at, wide) in widths.iter().enumerate() {
            let _ = write!(self.out, "<w:tc><w:tcPr><w:tcW w:w=\"{wide}\" w:type=\"dxa\"/></w:tcPr>");
            let aligned = match (style, grid.aligned.get(at).copied().flatten()) {
                // A head stands at the edge that the numbers have.
                ("CellHead", Some(Aligned::Decimal(_))) => Some(Aligned::Right),
                (_, aligned) => aligned,
            };
            self.paragraph(style, Extra { aligned, ..Extra::default() }, cells.get(at).map_or("", String::as_str));
            self.out.push_str("</w:tc>");
        }
    }

    /// Things beside each other, in a table without lines.
    pub fn grid(&mut self, widths: &[Twips], write: &mut dyn FnMut(&mut Self, usize)) {
        let columns: String = widths.iter().map(|wide| format!("<w:gridCol w:w=\"{wide}\"/>")).collect();
        let mut row = String::new();
        for (at, wide) in widths.iter().enumerate() {
            let inside = self.cell(wide - BESIDE, |writer| write(writer, at));
            let _ = write!(row, "<w:tc><w:tcPr><w:tcW w:w=\"{wide}\" w:type=\"dxa\"/></w:tcPr>{inside}</w:tc>");
        }
        let whole: Twips = widths.iter().sum();
        let _ = write!(
            self.out,
            "<w:tbl><w:tblPr><w:tblW w:w=\"{whole}\" w:type=\"dxa\"/><w:tblInd w:w=\"{}\" w:type=\"dxa\"/><w:tblLayout w:type=\"fixed\"/><w:tblLook w:val=\"0000\"/></w:tblPr><w:tblGrid>{columns}</w:tblGrid><w:tr>{row}</w:tr></w:tbl>",
            self.indent
        );
        self.part();
    }

    /// What stands in a cell of so much room. A cell ends with a paragraph.
    pub fn cell(&mut self, room: Twips, write: impl FnOnce(&mut Self)) -> String {
        let before = (self.room, self.indent, self.depth, self.strand.take(), self.in_table);
        (self.room, self.indent, self.depth, self.in_table) = (room, 0, 0, true);
        let mut inside = self.aside(write);
        (self.room, self.indent, self.depth, self.strand, self.in_table) = before;
        if !inside.ends_with("</w:p>") {
            inside.push_str("<w:p/>");
        }
        inside
    }
}

/// The most letters of some cells, and of their words.
fn letters(cells: impl Iterator<Item = String>) -> (usize, usize) {
    cells.fold((1, 1), |(most, longest), cell| {
        let word = cell.split_whitespace().map(|word| word.chars().count()).max().unwrap_or(0);
        (most.max(cell.chars().count()), longest.max(word))
    })
}

/// How wide columns are: as their cells want, and no wider together than there is room. Long cells give way first.
fn widths(letters: &[(usize, usize)], room: Twips) -> Vec<Twips> {
    let mut widths: Vec<Twips> = letters.iter().map(|(most, _)| *most as Twips * LETTER + BESIDE).collect();
    let least: Vec<Twips> = letters.iter().map(|(_, word)| *word as Twips * LETTER + BESIDE).collect();
    let over = widths.iter().sum::<Twips>() - room;
    if over > 0 {
        let slack: Twips = widths.iter().zip(&least).map(|(wide, least)| wide - least).sum();
        for (wide, least) in widths.iter_mut().zip(&least) {
            let give = if slack > 0 { (*wide - least) * over.min(slack) / slack } else { 0 };
            *wide -= give;
        }
        let whole: Twips = widths.iter().sum();
        if whole > room {
            widths.iter_mut().for_each(|wide| *wide = (*wide * room / whole).max(60));
        }
    }
    widths
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_as_wide_as_they_want_until_there_is_no_room() {
        assert_eq!(widths(&[(10, 5), (3, 3)], 9000), [10 * LETTER + BESIDE, 3 * LETTER + BESIDE]);
        let narrow = widths(&[(200, 8), (5, 5)], 4000);
        assert!(narrow.iter().sum::<Twips>() <= 4000 && narrow[1] == 5 * LETTER + BESIDE, "{narrow:?}");
        let hopeless = widths(&[(50, 50); 10], 4000);
        assert!(hopeless.iter().sum::<Twips>() <= 4000);
    }
}
