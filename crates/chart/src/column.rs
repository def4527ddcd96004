//! A column of a table as numbers, moments or words.

use crate::spec::{ChartError, Set, nearest, wrong};
use std::collections::HashMap;
use vineloom_table::{ColumnKind, Table};

/// What the cells of a column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quantity {
    /// Numbers.
    Number,
    /// Days or moments, as seconds since 1970.
    Moment,
    /// Words, as their place in the order in which they first appear.
    Word,
}

/// A column.
#[derive(Debug, Clone)]
pub struct Column {
    pub name: String,
    pub quantity: Quantity,
    /// A value a row; nothing where the cell is empty.
    pub values: Vec<Option<f64>>,
    /// The words, in order, when they are words.
    pub words: Vec<String>,
}

impl Column {
    /// The column that a setting names, read as numbers or moments where every cell is one.
    pub fn find(table: &Table, wanted: &Set<String>) -> Result<Column, ChartError> {
        let (at, known) = place(table, wanted)?;
        let cells: Vec<Option<&str>> = table.rows.iter().map(|row| row[at].as_deref()).collect();
        if known == ColumnKind::Number {
            let values = cells.iter().map(|cell| cell.and_then(|text| text.trim().parse().ok())).collect();
            return Ok(Column { name: wanted.value.clone(), quantity: Quantity::Number, values, words: Vec::new() });
        }
        let moments: Vec<Option<Option<f64>>> = cells.iter().map(|cell| cell.map(moment)).collect();
        if cells.iter().any(Option::is_some) && moments.iter().all(|moment| *moment != Some(None)) {
            let values = moments.into_iter().map(Option::flatten).collect();
            return Ok(Column { name: wanted.value.clone(), quantity: Quantity::Moment, values, words: Vec::new() });
        }
        Ok(Column::of_words(&wanted.value, &cells))
    }

    /// The column that a setting names, each different cell a word of its own.
    pub fn find_words(table: &Table, wanted: &Set<String>) -> Result<Column, ChartError> {
        let (at, _) = place(table, wanted)?;
        let cells: Vec<Option<&str>> = table.rows.iter().map(|row| row[at].as_deref()).collect();
        Ok(Column::of_words(&wanted.value, &cells))
    }

    /// The column that a setting names, which has to hold numbers.
    pub fn find_numbers(table: &Table, wanted: &Set<String>) -> Result<Column, ChartError> {
        let column = Column::find(table, wanted)?;
        if column.quantity == Quantity::Number {
            return Ok(column);
        }
        let odd = table.columns.iter().position(|column| column.name == wanted.value).and_then(|at| {
            table.rows.iter().enumerate().find_map(|(row, cells)| {
                let text = cells[at].as_deref()?;
                text.trim().parse::<f64>().is_err().then(|| format!("row {} has `{text}`", row + 1))
            })
        });
        let message = format!("the column `{}` does not hold numbers: {}", wanted.value, odd.unwrap_or_default());
        Err(wrong(
            wanted.line,
            message,
            Some("take a column of numbers, or `kind = \"bar\"` for counts of words".into()),
        ))
    }

    fn of_words<'t>(name: &str, cells: &[Option<&'t str>]) -> Column {
        let mut words: Vec<String> = Vec::new();
        let mut known: HashMap<&'t str, usize> = HashMap::new();
        let value = |cell: &Option<&'t str>| {
            let text = (*cell)?;
            let at = *known.entry(text).or_insert_with(|| {
                words.push(text.to_string());
                words.len() - 1
            });
            Some(at as f64)
        };
        let values = cells.iter().map(value).collect();
        Column { name: name.into(), quantity: Quantity::Word, values, words }
    }
}

fn place(table: &Table, wanted: &Set<String>) -> Result<(usize, ColumnKind), ChartError> {
    let at = table.columns.iter().position(|column| column.name == wanted.value);
    let Some(at) = at else {
        let names: Vec<&str> = table.columns.iter().map(|column| column.name.as_str()).collect();
        let help = nearest(&wanted.value, &names, "its columns are");
        return Err(wrong(wanted.line, format!("the table has no column `{}`", wanted.value), help));
    };
    Ok((at, table.columns[at].kind))
}

/// A day or a moment in ISO 8601, as seconds since 1970.
fn moment(text: &str) -> Option<f64> {
    let text = text.trim();
    if let Ok(stamp) = text.parse::<jiff::Timestamp>() {
        return Some(stamp.as_second() as f64);
    }
    let moment = match text.parse::<jiff::civil::DateTime>() {
        Ok(moment) => moment,
        Err(_) => text.parse::<jiff::civil::Date>().ok()?.to_datetime(jiff::civil::Time::midnight()),
    };
    Some(moment.to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp().as_second() as f64)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn named(name: &str) -> Set<String> {
        Set { value: name.into(), line: 2 }
    }

    #[test]
    fn cells_are_numbers_moments_or_words() {
        let table = Table::read("day,n,plot\n2026-06-01,3,North\n2026-06-02,,Low\n2026-06-02,5,North\n").unwrap();
        let day = Column::find(&table, &named("day")).unwrap();
        assert_eq!(day.quantity, Quantity::Moment);
        assert_eq!(day.values[1].unwrap() - day.values[0].unwrap(), 86_400.0);
        assert_eq!(Column::find(&table, &named("n")).unwrap().values, [Some(3.0), None, Some(5.0)]);
        let plot = Column::find(&table, &named("plot")).unwrap();
        assert_eq!(
            (plot.values, plot.words),
            (vec![Some(0.0), Some(1.0), Some(0.0)], vec!["North".into(), "Low".into()])
        );
    }

    #[test]
    fn a_column_that_is_not_there_is_told_at_its_line() {
        let table = Table::read("day,moisture\nx,1\n").unwrap();
        let error = Column::find(&table, &named("moistur")).unwrap_err();
        assert_eq!((error.line, error.help.as_deref()), (2, Some("did you mean `moisture`?")));
        let error = Column::find_numbers(&table, &named("day")).unwrap_err();
        assert_eq!(error.message, "the column `day` does not hold numbers: row 1 has `x`");
    }
}
