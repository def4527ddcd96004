//! Tables, ruled above and below; long ones break over pages with their head.

use crate::escape::text;
use crate::writer::Writer;
use vineloom_woven::{Alignment, Cut, Inline, Table, plain_text};

/// Letters that a line has room for, about.
const LETTERS: usize = 84;
/// Rows that a page has room for.
const ROWS: usize = 34;

/// A table as it is written.
struct Grid {
    header: Vec<String>,
    /// Each row, or words in the place of some.
    rows: Vec<Result<Vec<String>, String>>,
    /// `l`, `r` or `c`.
    aligned: Vec<char>,
    /// The most letters of each column.
    letters: Vec<usize>,
}

impl Writer<'_> {
    pub fn prose_table(&mut self, alignment: &[Alignment], header: &[Vec<Inline>], rows: &[Vec<Vec<Inline>>]) {
        let aligned = |at: usize| match alignment.get(at) {
            Some(Alignment::Right) => 'r',
            Some(Alignment::Center) => 'c',
            _ => 'l',
        };
        let letters = |at: usize| {
            let cells = rows.iter().filter_map(|row| row.get(at)).chain(header.get(at));
            cells.map(|cell| plain_text(cell).chars().count()).max().unwrap_or(0)
        };
        let count = header.len();
        let (aligned, letters): (Vec<char>, Vec<usize>) = (0..count).map(|at| (aligned(at), letters(at))).unzip();
        self.with_notes_behind(|writer| {
            let argument = std::mem::replace(&mut writer.in_argument, true);
            let header = header.iter().map(|cell| writer.inlines(cell)).collect();
            let rows = rows.iter().map(|row| Ok(row.iter().map(|cell| writer.inlines(cell)).collect())).collect();
            writer.in_argument = argument;
            writer.table(&Grid { header, rows, aligned, letters });
        });
    }

    pub fn data_table(&mut self, table: &Table, cut: Option<&Cut>) {
        let count = table.columns.len();
        let cell = |cell: &Option<String>| text(cell.as_deref().unwrap_or(""));
        let mut rows = Vec::new();
        for at in 0..=table.rows.len() {
            rows.extend(cut.filter(|cut| cut.after == at).map(|cut| Err(cut.words.clone())));
            rows.extend(table.rows.get(at).map(|row| Ok(row.iter().map(cell).collect())));
        }
        let letters = |at: usize| {
            let cells = table.rows.iter().filter_map(|row| row.get(at)?.as_deref());
            cells.chain([table.columns[at].name.as_str()]).map(|cell| cell.chars().count()).max().unwrap_or(0)
        };
        let grid = Grid {
            header: table.columns.iter().map(|column| text(&column.name)).collect(),
            rows,
            aligned: (0..count).map(|at| if table.is_right(at) { 'r' } else { 'l' }).collect(),
            letters: (0..count).map(letters).collect(),
        };
        self.table(&grid);
    }

    fn table(&mut self, grid: &Grid) {
        let whole: usize = grid.letters.iter().map(|letters| letters + 2).sum();
        let columns: String =
            grid.aligned.iter().zip(&grid.letters).map(|(side, letters)| column(*side, *letters, whole)).collect();
        let count = grid.aligned.len().max(1);
        let line = |cells: &[String]| {
            let cells: Vec<&str> = (0..count).map(|at| cells.get(at).map_or("", String::as_str)).collect();
            format!("{} \\\\\n", cells.join(" & "))
        };
        let head = if grid.header.iter().all(String::is_empty) {
            String::new()
        } else {
            let bold: Vec<String> = grid.header.iter().map(|cell| format!("\\textbf{{{cell}}}")).collect();
            line(&bold) + "\\midrule\n"
        };
        let body: String = grid
            .rows
            .iter()
            .map(|row| match row {
                Ok(cells) => line(cells),
                Err(words) => format!("\\multicolumn{{{count}}}{{l}}{{\\itshape {words}}} \\\\\n"),
            })
            .collect();
        // Many columns are set smaller.
        let size = if count > 9 { "\\scriptsize\\setlength{\\tabcolsep}{2pt}" } else { "\\small" };
        if grid.rows.len() > ROWS && !self.fixed && !self.in_argument {
            self.push(&format!(
                "{{{size}\n\\begin{{longtable}}{{{columns}}}\n\\toprule\n{head}\\endhead\n\\bottomrule\n\\endfoot\n{body}\\end{{longtable}}}}\n"
            ));
        } else {
            let table =
                format!("\\begin{{tabular}}{{{columns}}}\n\\toprule\n{head}{body}\\bottomrule\n\\end{{tabular}}");
            // A table that is too wide all the same is made smaller as a whole.
            let table = if whole > LETTERS && count > 9 {
                format!("\\resizebox{{\\linewidth}}{{!}}{{{table}}}")
            } else {
                table
            };
            match self.fixed || self.in_argument {
                true => self.push(&format!("{{{size} {table}}}\n")),
                false => self.push(&format!("\\begin{{center}}\n{size}\n{table}\n\\end{{center}}\n")),
            }
        }
    }
}

/// How a column is set: as wide as its words, or wrapped where all together are wider than a line.
fn column(side: char, letters: usize, whole: usize) -> String {
    if whole <= LETTERS || letters < 14 {
        return side.to_string();
    }
    let share = 0.92 * letters as f64 / whole as f64;
    let ragged = match side {
        'r' => "\\raggedleft",
        'c' => "\\centering",
        _ => "\\raggedright",
    };
    format!(">{{{ragged}\\arraybackslash}}p{{{share:.3}\\linewidth}}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_wrapped_only_where_there_is_no_room() {
        assert_eq!(column('r', 5, 40), "r");
        assert_eq!(column('l', 100, 120), ">{\\raggedright\\arraybackslash}p{0.767\\linewidth}");
        assert_eq!(column('r', 6, 120), "r");
    }
}
