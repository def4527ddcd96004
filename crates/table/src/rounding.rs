//! Numbers of a table as a reader wants them: no more digits than say something, and as many after the point in
//! every row of a column.

use crate::table::{ColumnKind, Table};

/// How many digits of a computed number are shown. What is handed to other blocks keeps all.
const DIGITS: usize = 7;

impl Table {
    /// The table with its computed numbers shortened for reading.
    #[must_use]
    pub fn for_reading(mut self) -> Self {
        tidy(&mut self);
        self
    }
}

fn tidy(table: &mut Table) {
    for (at, column) in table.columns.iter().enumerate() {
        let numbers: Vec<&str> = table.rows.iter().filter_map(|row| row[at].as_deref()).collect();
        if column.kind != ColumnKind::Number || !numbers.iter().any(|number| is_long(number)) {
            continue;
        }
        if numbers.iter().any(|number| number.contains(['e', 'E'])) {
            table.rows.iter_mut().filter_map(|row| row[at].as_mut()).for_each(|cell| *cell = to_digits(cell));
            continue;
        }
        let decimals = numbers.iter().map(|number| decimals_needed(number)).max().unwrap_or(0);
        for cell in table.rows.iter_mut().filter_map(|row| row[at].as_mut()) {
            if let Ok(number) = cell.parse::<f64>() {
                *cell = format!("{number:.decimals$}");
            }
        }
    }
}

/// Whether a number has more digits after its point than are shown.
fn is_long(number: &str) -> bool {
    let digits = number.bytes().filter(u8::is_ascii_digit).count();
    number.contains('.') && digits > DIGITS
}

/// The digits after the point that a number has when it is rounded to [`DIGITS`] digits in all.
fn decimals_needed(number: &str) -> usize {
    let Ok(value) = number.parse::<f64>() else { return 0 };
    let before_point = if value.abs() < 1.0 { 1 } else { value.abs().log10().floor() as usize + 1 };
    let rounded = format!("{value:.*}", DIGITS.saturating_sub(before_point));
    match rounded.split_once('.') {
        Some((_, decimals)) => decimals.trim_end_matches('0').len(),
        None => 0,
    }
}

fn to_digits(number: &str) -> String {
    match number.parse::<f64>() {
        Ok(value) if is_long(number) => {
            let shown = format!("{value:.*e}", DIGITS - 1);
            let (digits, exponent) = shown.split_once('e').unwrap_or((&shown, "0"));
            let digits = digits.trim_end_matches('0').trim_end_matches('.');
            if exponent == "0" { digits.to_string() } else { format!("{digits}e{exponent}") }
        }
        _ => number.to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn column(cells: &[&str]) -> Vec<String> {
        let mut table =
            Table::read(&format!("x,y\n{}\n", cells.iter().map(|c| format!("{c},a")).collect::<Vec<_>>().join("\n")))
                .unwrap();
        tidy(&mut table);
        table.rows.into_iter().map(|row| row[0].clone().unwrap_or_default()).collect()
    }

    #[test]
    fn computed_numbers_lose_the_digits_that_say_nothing() {
        assert_eq!(column(&["23.133333333333333", "1.5"]), ["23.13333", "1.50000"]);
        assert_eq!(column(&["0.1", "0.30000000000000004"]), ["0.1", "0.3"]);
        assert_eq!(column(&["1234567890", "2"]), ["1234567890", "2"]);
        assert_eq!(column(&["12345678.123", "2"]), ["12345678", "2"]);
        assert_eq!(column(&["1.23456789e-12", "2.5"]), ["1.234568e-12", "2.5"]);
        assert_eq!(column(&["9.50", "8.25"]), ["9.50", "8.25"]);
    }
}
