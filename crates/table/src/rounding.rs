//! Numbers of a table as a reader wants them: no more digits than say something, and as many behind the decimal mark in
//! every row of a column.

use crate::looks::ColumnLooks;
use crate::number::{NumberStyle, WrittenNumber, marked, significant_digits, without_zeros};
use crate::table::{ColumnKind, Table, is_amount};

/// How many digits a number may have and be shown as it is. One with more was computed.
const WRITTEN: usize = 7;
/// How many digits the smallest number of a computed column keeps.
const KEPT: i32 = 3;
/// The most digits behind the decimal mark of a computed column.
const MOST: i32 = 6;

impl Table {
    /// The table with its numbers as a reader wants them. A column in which a number was computed has everywhere the same
    /// number of digits behind the decimal mark: the fewest that leave its smallest number three digits, at most six;
    /// what is too small or too large for that is written with a power of ten. Every digit comes from the full value. Columns
    /// of short numbers stand as they were written. What was said of single columns beats the style.
    #[must_use]
    pub fn for_reading(mut self, style: NumberStyle, looks: &ColumnLooks) -> Self {
        for at in 0..self.columns.len() {
            let mut present = self.rows.iter().filter_map(|row| row.get(at)?.as_deref()).peekable();
            if self.columns[at].kind == ColumnKind::Text && present.peek().is_some() && present.all(is_amount) {
                self.columns[at].kind = ColumnKind::Amount;
            }
            if self.columns[at].kind == ColumnKind::Number {
                let cells = self.rows.iter_mut().filter_map(|row| row.get_mut(at)?.as_mut());
                let digits = looks.digits_of(&self.columns[at].name).or(style.digits);
                column_for_reading(cells.collect(), NumberStyle { digits, ..style });
            }
            self.columns[at].align = looks.align_of(&self.columns[at].name);
        }
        self
    }
}

/// A number of a column.
struct Cell<'a> {
    text: &'a mut String,
    value: f64,
}

impl Cell<'_> {
    fn is_whole(&self) -> bool {
        !self.text.contains(['.', 'e', 'E'])
    }

    /// Whether it was computed: no person wrote so many digits, or a power of ten.
    fn is_computed(&self) -> bool {
        self.text.contains(['e', 'E']) || self.text.contains('.') && significant_digits(self.text) > WRITTEN
    }

    /// Whether it is too small or too large to stand among others with digits behind the mark.
    fn needs_power(&self) -> bool {
        self.value != 0.0 && !(1e-4..1e15).contains(&self.value.abs())
    }

    fn fixed(&self, decimals: usize) -> String {
        format!("{:.decimals$}", self.value)
    }
}

fn column_for_reading(texts: Vec<&mut String>, style: NumberStyle) {
    let mut cells = Vec::new();
    for text in texts {
        if let Some(value) = text.trim().parse::<f64>().ok().filter(|value| value.is_finite()) {
            cells.push(Cell { text, value });
        }
    }
    let fractions = cells.iter().any(|cell| !cell.is_whole());
    let written: Vec<String> = match style.digits {
        _ if !fractions => cells.iter().map(|cell| cell.text.trim().to_string()).collect(),
        Some(digits) => cells.iter().map(|cell| cell.fixed(digits)).collect(),
        None if cells.iter().any(Cell::is_computed) => {
            let decimals = decimals_of(&cells);
            cells.iter().map(|cell| cell.fixed(decimals)).collect()
        }
        None => {
            // A whole column of 1.0, 2.0 came from a language that writes all its numbers so.
            let all_whole = cells.iter().all(|cell| cell.is_whole() || cell.text.trim().ends_with(".0"));
            let short = |cell: &Cell| match all_whole {
                true => cell.text.trim().trim_end_matches(".0").to_string(),
                false => cell.text.trim().to_string(),
            };
            cells.iter().map(short).collect()
        }
    };
    for (cell, written) in cells.iter_mut().zip(written) {
        let with_power = style.digits.is_none() && cell.needs_power() && !cell.is_whole();
        *cell.text = match with_power {
            true => power_of_ten(cell.value, style),
            false => marked(&written, style),
        };
    }
}

/// How many digits stand behind the decimal mark in a computed column.
fn decimals_of(cells: &[Cell]) -> usize {
    let shown = || cells.iter().filter(|cell| !cell.needs_power());
    let smallest = shown().map(|cell| cell.value.abs()).filter(|value| *value > 0.0).fold(f64::INFINITY, f64::min);
    if !smallest.is_finite() {
        return 0;
    }
    let scientific = format!("{:.*e}", KEPT as usize - 1, smallest);
    let power = scientific.split_once('e').and_then(|(_, power)| power.parse::<i32>().ok()).unwrap_or(0);
    let wanted = (KEPT - 1 - power).clamp(0, MOST) as usize;
    // Zeros at the end of all of them say nothing.
    let needed = |cell: &Cell| without_zeros(&cell.fixed(wanted)).split_once('.').map_or(0, |(_, behind)| behind.len());
    shown().map(needed).max().unwrap_or(0)
}

fn power_of_ten(value: f64, style: NumberStyle) -> String {
    let scientific = format!("{value:.*e}", KEPT as usize - 1);
    let (mantissa, power) = scientific.split_once('e').unwrap_or((&scientific, "0"));
    WrittenNumber { digits: marked(mantissa, style), exponent: power.parse().ok() }.in_sentence()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::looks::ColumnAlign;

    const PLAIN: NumberStyle = NumberStyle { digits: None, group: None, decimal: '.' };

    fn column_in(cells: &[&str], style: NumberStyle) -> Vec<String> {
        let lines: Vec<String> = cells.iter().map(|cell| format!("{cell},a")).collect();
        let table =
            Table::read(&format!("x,y\n{}\n", lines.join("\n"))).unwrap().for_reading(style, &ColumnLooks::default());
        table.rows.into_iter().map(|row| row[0].clone().unwrap_or_default()).collect()
    }

    fn column(cells: &[&str]) -> Vec<String> {
        column_in(cells, PLAIN)
    }

    #[test]
    fn the_smallest_number_of_a_computed_column_keeps_three_digits() {
        assert_eq!(column(&["23.133333333333333", "1.5"]), ["23.13", "1.50"]);
        assert_eq!(column(&["23.133333333333333", "18.04"]), ["23.1", "18.0"]);
        assert_eq!(column(&["0.1", "0.30000000000000004"]), ["0.1", "0.3"]);
        assert_eq!(column(&["758.6666666666666", "0.00123456"]), ["758.66667", "0.00123"]);
        assert_eq!(column(&["758.6666666666666", "0.000123456"]), ["758.666667", "0.000123"]);
        assert_eq!(column(&["12345678.123", "2"]), ["12345678.12", "2.00"]);
        assert_eq!(column(&["-2345.678901", "3456.789012", "0"]), ["-2346", "3457", "0"]);
        assert_eq!(column(&["", "9.9999999", "12.123456789"]), ["", "10.0", "12.1"]);
    }

    #[test]
    fn what_is_too_small_or_too_large_is_a_power_of_ten_among_the_others() {
        assert_eq!(column(&["1.23456789e-12", "2.5"]), ["1.23 × 10⁻¹²", "2.5"]);
        assert_eq!(column(&["1e-5", "2.5e-6"]), ["1.00 × 10⁻⁵", "2.50 × 10⁻⁶"]);
        assert_eq!(column(&["6.02214076e23", "1.5", "0"]), ["6.02 × 10²³", "1.5", "0.0"]);
    }

    #[test]
    fn short_and_whole_numbers_stand_as_they_were_written() {
        assert_eq!(column(&["1234567890", "2"]), ["1234567890", "2"]);
        assert_eq!(column(&["9.50", "8.25"]), ["9.50", "8.25"]);
        assert_eq!(column(&["7", "12.25"]), ["7", "12.25"]);
        assert_eq!(column(&["1.0", "20.0", "3.0"]), ["1", "20", "3"]);
        assert_eq!(column(&["12345678901234567890123", "1"]), ["12345678901234567890123", "1"]);
    }

    #[test]
    fn what_is_said_of_one_column_holds_for_that_one() {
        let looks = ColumnLooks {
            digits: vec![("n".into(), 0), ("nosuch".into(), 4)],
            align: vec![("plot".into(), ColumnAlign::Right)],
            align_others: None,
        };
        let style = NumberStyle { digits: Some(2), ..PLAIN };
        let table = Table::read("plot,n,m\nNorth,3.7,1.5\n").unwrap().for_reading(style, &looks);
        assert_eq!(table.rows[0], ["North", "4", "1.50"].map(|cell| Some(cell.to_string())));
        assert!(table.is_right(0) && table.is_right(2));
        assert_eq!(table.columns[0].align(), ColumnAlign::Right);
    }

    #[test]
    fn digits_groups_and_marks_are_as_asked() {
        let style = NumberStyle { digits: Some(2), group: Some('.'), decimal: ',' };
        assert_eq!(column_in(&["1234.5", "7"], style), ["1.234,50", "7,00"]);
        assert_eq!(column_in(&["12345", "7"], style), ["12.345", "7"]);
        assert_eq!(column_in(&["23.133333333333333", "1.5"], NumberStyle { decimal: ',', ..PLAIN }), ["23,13", "1,50"]);
    }
}
