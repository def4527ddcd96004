//! Tables as data: columns with types, rows of cells.

use crate::looks::ColumnAlign;
use serde::{Deserialize, Serialize};

/// A table.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Table {
    /// The columns, left to right.
    pub columns: Vec<Column>,
    /// The rows; each has one cell a column, nothing where a value is missing.
    pub rows: Vec<Vec<Option<String>>>,
}

/// A column of a table.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Column {
    /// Its heading.
    pub name: String,
    /// What its cells hold.
    pub kind: ColumnKind,
    /// How its cells stand, where somebody said so; else it follows from what they hold.
    #[serde(default)]
    pub align: Option<ColumnAlign>,
}

impl Column {
    /// A column whose cells stand as what they hold wants it.
    pub fn new(name: impl Into<String>, kind: ColumnKind) -> Self {
        Column { name: name.into(), kind, align: None }
    }

    /// How its cells stand.
    pub fn align(&self) -> ColumnAlign {
        self.align.unwrap_or(match self.kind {
            ColumnKind::Number | ColumnKind::Amount => ColumnAlign::Mark,
            ColumnKind::Text => ColumnAlign::Left,
        })
    }
}

/// What the cells of a column hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ColumnKind {
    /// Numbers, to be aligned right.
    Number,
    /// Numbers as people write them, in groups of digits or with a currency or a per cent sign: aligned right, texts for code.
    Amount,
    /// Anything else.
    Text,
}

/// Text that is not a table.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct TableError(String);

impl TableError {
    pub(crate) fn new(message: String) -> Self {
        TableError(message)
    }
}

impl Table {
    /// Reads CSV, TSV (when the first line has a tab), or JSON (a list of objects). The first row of CSV and
    /// TSV is the heading.
    ///
    /// # Errors
    /// [`TableError`] says what is wrong and in which row.
    pub fn read(text: &str) -> Result<Self, TableError> {
        let text = text.trim_start_matches('\u{FEFF}');
        let table = if text.trim_start().starts_with('[') { from_json(text)? } else { from_separated(text)? };
        Ok(table.with_kinds())
    }

    /// The table as CSV, its first row the heading.
    pub fn to_csv(&self) -> String {
        let mut writer = csv::Writer::from_writer(Vec::new());
        let rows = self.rows.iter().map(|row| row.iter().map(|cell| cell.as_deref().unwrap_or("")).collect::<Vec<_>>());
        let heading = self.columns.iter().map(|column| column.name.as_str()).collect::<Vec<_>>();
        for row in std::iter::once(heading).chain(rows) {
            // Writing to memory can't fail, and every row has a cell a column.
            let _ = writer.write_record(row);
        }
        writer.into_inner().map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).unwrap_or_default()
    }

    /// The table with what its columns hold told by their cells.
    pub(crate) fn with_kinds(mut self) -> Self {
        for (at, column) in self.columns.iter_mut().enumerate() {
            let present = || self.rows.iter().filter_map(|row| row.get(at)?.as_deref());
            column.kind = match present().next() {
                Some(_) if present().all(is_number) => ColumnKind::Number,
                Some(_) if present().all(is_amount) => ColumnKind::Amount,
                _ => ColumnKind::Text,
            };
        }
        self
    }
}

fn is_number(text: &str) -> bool {
    let text = text.trim();
    text.parse::<f64>().is_ok() && text.contains(|c: char| c.is_ascii_digit())
}

/// Whether a text is a number as a person writes it: `1,234.50`, `12 %`, `€ 3.00`.
pub(crate) fn is_amount(text: &str) -> bool {
    const CURRENCIES: [char; 5] = ['€', '$', '£', '¥', '₹'];
    let is_space = |c: char| c.is_whitespace();
    let text = text.trim().trim_start_matches(['-', '+', '\u{2212}']);
    let text = text.trim_start_matches(CURRENCIES).trim_start_matches(is_space);
    let text = text.trim_end_matches(CURRENCIES).trim_end_matches(['%', '‰']).trim_end_matches(is_space);
    let text = text.trim_start_matches(['-', '+', '\u{2212}']);
    let (whole, behind) = match text.rfind(['.', ',']) {
        Some(at) => (&text[..at], &text[at + 1..]),
        None => (text, "0"),
    };
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let mut groups = whole.split(|c: char| is_space(c) || matches!(c, ',' | '.' | '\u{2019}' | '\''));
    let first = groups.next().is_some_and(&digits);
    first && groups.all(|group| group.len() == 3 && digits(group)) && digits(behind)
}

fn from_separated(text: &str) -> Result<Table, TableError> {
    let first = text.lines().next().unwrap_or("");
    let delimiter = if first.contains('\t') { b'\t' } else { b',' };
    let mut reader = csv::ReaderBuilder::new().delimiter(delimiter).from_reader(text.as_bytes());
    let headers = reader.headers().map_err(|e| TableError(format!("the heading can't be read: {e}")))?.clone();
    if headers.is_empty() || text.trim().is_empty() {
        return Err(TableError("there is no row at all".into()));
    }
    let columns = headers.iter().map(|h| Column::new(h.trim(), ColumnKind::Text)).collect();
    let mut rows = Vec::new();
    for (number, record) in reader.records().enumerate() {
        let record = record.map_err(|error| match error.kind() {
            csv::ErrorKind::UnequalLengths { expected_len, len, .. } => {
                TableError(format!("row {} has {len} cells where the heading has {expected_len}", number + 1))
            }
            _ => TableError(format!("row {} can't be read: {error}", number + 1)),
        })?;
        rows.push(record.iter().map(|cell| Some(cell.trim().to_string()).filter(|cell| !cell.is_empty())).collect());
    }
    Ok(Table { columns, rows })
}

fn from_json(text: &str) -> Result<Table, TableError> {
    use serde_json::Value;
    let values: Vec<serde_json::Map<String, Value>> =
        serde_json::from_str(text).map_err(|e| TableError(format!("JSON rows are a list of objects: {e}")))?;
    let mut columns: Vec<Column> = Vec::new();
    for name in values.iter().flat_map(|row| row.keys()) {
        if !columns.iter().any(|column| &column.name == name) {
            columns.push(Column::new(name, ColumnKind::Text));
        }
    }
    let cell = |row: &serde_json::Map<String, Value>, name: &str| match row.get(name)? {
        Value::Null => None,
        Value::String(text) => Some(text.clone()),
        other => Some(other.to_string()),
    };
    let rows = values.iter().map(|row| columns.iter().map(|column| cell(row, &column.name)).collect()).collect();
    Ok(Table { columns, rows })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn csv_tsv_and_json_give_the_same_table() {
        let csv = Table::read("probe,depth\nNorth,30\n\"East, low\",\n").unwrap();
        assert_eq!(csv.columns[1].kind, ColumnKind::Number);
        assert_eq!(csv.rows[1], [Some("East, low".to_string()), None]);
        let tsv = Table::read("probe\tdepth\nNorth\t30\nEast, low\t\n").unwrap();
        assert_eq!(tsv, csv);
        let json = r#"[{"probe":"North","depth":30},{"probe":"East, low","depth":null}]"#;
        assert_eq!(Table::read(json).unwrap(), csv);
    }

    #[test]
    fn a_row_of_the_wrong_length_is_named() {
        let error = Table::read("a,b\n1,2\n1,2,3\n").unwrap_err();
        assert_eq!(error.to_string(), "row 2 has 3 cells where the heading has 2");
        assert!(Table::read("").is_err());
        assert!(Table::read("[1]").is_err());
    }

    #[test]
    fn numbers_as_people_write_them_are_amounts() {
        let kind = |cells: &[&str]| {
            let rows: Vec<String> = cells.iter().map(|cell| format!("\"{cell}\",x")).collect();
            Table::read(&format!("a,b\n{}\n", rows.join("\n"))).unwrap().columns[0].kind
        };
        for amounts in [
            &["1,234.50", "12"][..],
            &["12 %", "3.5 %"],
            &["€ 3.00", "€ -12.50"],
            &["-$1,000", "$5"],
            &["3,00 €", "1.234,50 €"],
            &["1 234", "1\u{202F}234,5"],
        ] {
            assert_eq!(kind(amounts), ColumnKind::Amount, "{amounts:?}");
        }
        for texts in
            [&["2026-11-23"][..], &["12 %", "about 3"], &["1,23,4"], &["12 34 56"], &["%"], &["1.2.3"], &["v2"]]
        {
            assert_eq!(kind(texts), ColumnKind::Text, "{texts:?}");
        }
        assert_eq!(kind(&["1.5", "-2e3"]), ColumnKind::Number);
    }
}
