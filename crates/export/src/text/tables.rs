//! Tables as columns of letters between rules. What is too wide has its cells wrapped; what is much too wide, is set in
//! parts, each with the first column.

use super::lines::{width, wrapped};

/// A table as it is set: its cells, and which columns end at the right.
pub(super) struct Grid {
    pub header: Vec<String>,
    pub rows: Vec<Row>,
    pub right: Vec<bool>,
}

/// A row of a table, or words in the place of rows.
pub(super) enum Row {
    Cells(Vec<String>),
    Words(String),
}

/// The room between columns.
const GAP: usize = 2;
/// The least columns of letters that a column may have.
const LEAST: usize = 6;

impl Grid {
    /// Its lines, none wider than asked where that can be.
    pub fn lines(&self, most: usize) -> Vec<String> {
        let count = self.columns();
        let natural: Vec<usize> = (0..count).map(|column| self.natural(column)).collect();
        let mut lines = Vec::new();
        let mut first = 1;
        // Every part has the first column, and of the others as many as find room.
        loop {
            let mut part = vec![0];
            let mut used = natural.first().map_or(0, |wide| (*wide).min(most / 2));
            while first < count && (part.len() == 1 || used + GAP + natural[first].min(self.least(first)) <= most) {
                used += GAP + natural[first].min(self.least(first));
                part.push(first);
                first += 1;
            }
            lines.extend(self.part(&part, &fitted(&part, &natural, most)));
            if first >= count {
                return lines;
            }
            lines.push(String::new());
        }
    }

    fn columns(&self) -> usize {
        let cells = self.rows.iter().map(|row| if let Row::Cells(cells) = row { cells.len() } else { 0 });
        cells.chain([self.header.len()]).max().unwrap_or(0).max(1)
    }

    fn cells(&self, column: usize) -> impl Iterator<Item = &String> {
        let cells = self.rows.iter().filter_map(move |row| match row {
            Row::Cells(cells) => cells.get(column),
            Row::Words(_) => None,
        });
        self.header.get(column).into_iter().chain(cells)
    }

    fn natural(&self, column: usize) -> usize {
        self.cells(column).flat_map(|cell| cell.split('\n')).map(width).max().unwrap_or(0).max(1)
    }

    /// As narrow as a column can be: its longest word.
    fn least(&self, column: usize) -> usize {
        self.cells(column).flat_map(|cell| cell.split([' ', '\n'])).map(width).max().unwrap_or(0).max(LEAST)
    }

    fn part(&self, columns: &[usize], widths: &[usize]) -> Vec<String> {
        let whole = widths.iter().sum::<usize>() + GAP * (columns.len() - 1);
        let rule = |sign: &str| sign.repeat(whole);
        let mut lines = vec![rule("─")];
        if self.header.iter().any(|cell| !cell.is_empty()) {
            lines.extend(self.row(&self.header, columns, widths));
            let under: Vec<String> = widths.iter().map(|wide| "─".repeat(*wide)).collect();
            lines.push(under.join(&" ".repeat(GAP)));
        }
        for row in &self.rows {
            match row {
                Row::Cells(cells) => lines.extend(self.row(cells, columns, widths)),
                Row::Words(words) => lines.push(format!("({words})")),
            }
        }
        lines.push(rule("─"));
        lines
    }

    fn row(&self, cells: &[String], columns: &[usize], widths: &[usize]) -> Vec<String> {
        let parts: Vec<Vec<String>> = columns
            .iter()
            .zip(widths)
            .map(|(column, wide)| wrapped(cells.get(*column).map_or("", String::as_str), *wide))
            .collect();
        let high = parts.iter().map(Vec::len).max().unwrap_or(1);
        let line = |at: usize| {
            let cell = |((part, column), wide): ((&Vec<String>, &usize), &usize)| {
                let words = part.get(at).map_or("", String::as_str);
                let room = " ".repeat(wide.saturating_sub(width(words)));
                if self.right.get(*column) == Some(&true) { format!("{room}{words}") } else { format!("{words}{room}") }
            };
            let cells: Vec<String> = parts.iter().zip(columns).zip(widths).map(cell).collect();
            cells.join(&" ".repeat(GAP))
        };
        (0..high).map(line).collect()
    }
}

/// How wide the columns of a part are set: what is wider than its share gives way.
fn fitted(columns: &[usize], natural: &[usize], most: usize) -> Vec<usize> {
    let mut widths: Vec<usize> = columns.iter().map(|column| natural[*column]).collect();
    let room = most.saturating_sub(GAP * (columns.len() - 1));
    while widths.iter().sum::<usize>() > room {
        let Some((at, wide)) = widths.iter().copied().enumerate().max_by_key(|(_, wide)| *wide) else { break };
        if wide <= LEAST {
            break;
        }
        widths[at] = wide - 1;
    }
    widths
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cells(cells: &[&str]) -> Vec<String> {
        cells.iter().map(|cell| (*cell).to_string()).collect()
    }

    #[test]
    fn cells_stand_in_columns_and_are_wrapped_where_there_is_no_room() {
        let grid = Grid {
            header: cells(&["plot", "what was seen", "depth"]),
            rows: vec![
                Row::Cells(cells(&["North", "wet below the roots and dry above", "30"])),
                Row::Words("2 rows left out".into()),
            ],
            right: vec![false, false, true],
        };
        let lines = grid.lines(30);
        assert!(lines.iter().all(|line| width(line) <= 30), "{lines:#?}");
        assert_eq!(lines[1], "plot   what was seen     depth");
        assert!(lines.concat().contains("above") && lines.contains(&"(2 rows left out)".to_string()), "{lines:#?}");
    }

    #[test]
    fn a_table_that_is_much_too_wide_is_set_in_parts_that_begin_alike() {
        let names: Vec<String> = (0..20).map(|at| format!("column{at}")).collect();
        let grid = Grid { header: names.clone(), rows: vec![Row::Cells(names.clone())], right: Vec::new() };
        let lines = grid.lines(60);
        assert!(lines.iter().all(|line| width(line) <= 60), "{lines:#?}");
        assert!(names.iter().all(|name| lines.concat().contains(name)));
        assert!(lines.iter().filter(|line| line.starts_with("column0")).count() > 2, "{lines:#?}");
    }
}
