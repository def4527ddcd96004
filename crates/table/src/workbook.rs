//! Tables in workbooks of office programs: `.xlsx`, `.xlsm`, `.xlsb`, `.xls` and `.ods` files.

use crate::table::{Column, ColumnKind, Table, TableError};
use calamine::{Data, Error, Reader, Sheets, open_workbook_auto_from_rs};
use percent_encoding::percent_decode_str;
use std::io::Cursor;

/// The endings of the files that [`Table::read_workbook`] reads.
const ENDINGS: [&str; 5] = ["xlsx", "xlsm", "xlsb", "xls", "ods"];

/// How many cells the table of a workbook may have: a lone cell far away from all others makes a table of a whole sheet.
const MOST_CELLS: u64 = 10_000_000;

/// The file and the part of it that a target such as `soil.xlsx#June!B2:D20` names, when the file is a workbook by its ending.
///
/// ```
/// use vineloom_table::workbook_target;
///
/// assert_eq!(workbook_target("data/soil.xlsx#Hollin%20Ridge"), Some(("data/soil.xlsx", "Hollin Ridge".into())));
/// assert_eq!(workbook_target("soil.csv"), None);
/// ```
pub fn workbook_target(target: &str) -> Option<(&str, String)> {
    let (path, part) = target.split_once('#').unwrap_or((target, ""));
    let (_, ending) = path.rsplit_once('.')?;
    let is_workbook = ENDINGS.iter().any(|known| known.eq_ignore_ascii_case(ending));
    is_workbook.then(|| (path, percent_decode_str(part).decode_utf8_lossy().into_owned()))
}

impl Table {
    /// Reads a part of a workbook: a sheet by its name (`June`), cells of one (`June!B2:D20`), cells of the first
    /// (`B2:D20`), or the first sheet (an empty text). Its first row is the heading. A date is as ISO 8601 has it, a logical
    /// value is `yes` or `no`, and of a formula the value counts that the workbook holds.
    ///
    /// # Errors
    /// [`TableError`] when the file is no workbook, or when it has no such sheet, or no such cells.
    pub fn read_workbook(bytes: &[u8], part: &str) -> Result<Self, TableError> {
        let mut workbook = open_workbook_auto_from_rs(Cursor::new(bytes))
            .map_err(|_| TableError::new("it is no workbook that can be read".into()))?;
        let sheets = workbook.sheet_names();
        let (sheet, cells) = parts(part, &sheets);
        let Some(name) = sheets.iter().find(|known| sheet.is_none_or(|sheet| *known == sheet)) else {
            let asked = sheet.unwrap_or_default();
            return Err(TableError::new(format!("it has no sheet `{asked}`; its sheets are {}", sheets.join(", "))));
        };
        let mut found = cells_of(&mut workbook, name)
            .map_err(|error| TableError::new(format!("its sheet `{name}` can't be read: {error}")))?;
        if let Some((from, to)) = cells {
            found.retain(|((row, column), _)| (from.0..=to.0).contains(row) && (from.1..=to.1).contains(column));
        }
        table_of(found, name)
    }
}

/// The row and the column of a cell, from 0.
type Cell = (u32, u32);

/// The sheet and the cells, first and last, that a part names.
fn parts<'a>(part: &'a str, sheets: &[String]) -> (Option<&'a str>, Option<(Cell, Cell)>) {
    match part.rsplit_once('!') {
        _ if part.is_empty() => (None, None),
        _ if sheets.iter().any(|sheet| sheet == part) => (Some(part), None),
        Some((sheet, cells)) if cell_range(cells).is_some() => (Some(sheet.trim_matches('\'')), cell_range(cells)),
        None if cell_range(part).is_some() => (None, cell_range(part)),
        _ => (Some(part), None),
    }
}

/// `B2:D20` as its first and its last cell.
fn cell_range(text: &str) -> Option<(Cell, Cell)> {
    let (from, to) = text.split_once(':')?;
    let (from, to) = (cell(from)?, cell(to)?);
    (from.0 <= to.0 && from.1 <= to.1).then_some((from, to))
}

fn cell(text: &str) -> Option<Cell> {
    let text = text.replace('$', "");
    let letters = text.bytes().take_while(u8::is_ascii_alphabetic).count();
    let (column, row) = text.split_at(letters);
    let row: u32 = row.parse().ok().filter(|row| *row > 0)?;
    if !(1..=3).contains(&letters) {
        return None;
    }
    let column = column.bytes().fold(0, |sum, letter| sum * 26 + u32::from(letter.to_ascii_uppercase() - b'A') + 1);
    Some((row - 1, column - 1))
}

/// The cells of a sheet that hold something.
fn cells_of(workbook: &mut Sheets<Cursor<&[u8]>>, sheet: &str) -> Result<Vec<(Cell, String)>, Error> {
    let mut cells = Vec::new();
    let mut add = |at: Cell, data: &Data| cells.extend(words(data).map(|words| (at, words)));
    match workbook {
        // They are read one by one, since a range has all that lies between them.
        Sheets::Xlsx(workbook) => {
            let mut reader = workbook.worksheet_cells_reader(sheet)?;
            while let Some(cell) = reader.next_cell()? {
                add(cell.get_position(), &cell.get_value().clone().into());
            }
        }
        Sheets::Xlsb(workbook) => {
            let mut reader = workbook.worksheet_cells_reader(sheet)?;
            while let Some(cell) = reader.next_cell()? {
                add(cell.get_position(), &cell.get_value().clone().into());
            }
        }
        Sheets::Xls(_) | Sheets::Ods(_) => {
            let range = workbook.worksheet_range(sheet)?;
            let (top, left) = range.start().unwrap_or_default();
            for (row, column, data) in range.used_cells() {
                add((top + row as u32, left + column as u32), data);
            }
        }
    }
    Ok(cells)
}

/// The table from the first row and column that hold something to the last.
fn table_of(cells: Vec<(Cell, String)>, sheet: &str) -> Result<Table, TableError> {
    let rows = cells.iter().map(|((row, _), _)| *row);
    let columns = cells.iter().map(|((_, column), _)| *column);
    let (Some(top), Some(bottom), Some(left), Some(right)) =
        (rows.clone().min(), rows.max(), columns.clone().min(), columns.max())
    else {
        return Err(TableError::new(format!("there is nothing in those cells of its sheet `{sheet}`")));
    };
    let (high, wide) = ((bottom - top) as usize + 1, (right - left) as usize + 1);
    if high as u64 * wide as u64 > MOST_CELLS {
        let message = format!(
            "the cells of its sheet `{sheet}` lie in {high} rows and {wide} columns, too far apart for a table"
        );
        return Err(TableError::new(message));
    }
    let mut rows = vec![vec![None; wide]; high];
    for ((row, column), words) in cells {
        rows[(row - top) as usize][(column - left) as usize] = Some(words);
    }
    let heading = rows.remove(0);
    let columns = heading.into_iter().map(|name| Column::new(name.unwrap_or_default(), ColumnKind::Text)).collect();
    Ok(Table { columns, rows }.with_kinds())
}

/// What a cell holds; nothing for an empty one.
fn words(cell: &Data) -> Option<String> {
    Some(match cell {
        Data::Empty => return None,
        Data::String(text) => Some(text.trim().to_string()).filter(|text| !text.is_empty())?,
        Data::Int(number) => number.to_string(),
        Data::Float(number) if *number == number.trunc() && number.abs() < 1e15 => format!("{number:.0}"),
        Data::Float(number) => number.to_string(),
        Data::Bool(true) => "yes".into(),
        Data::Bool(false) => "no".into(),
        Data::DateTime(moment) if moment.is_duration() => moment.as_f64().to_string(),
        Data::DateTime(moment) => {
            let (year, month, day, hour, minute, second, _) = moment.to_ymd_hms_milli();
            let time = if second == 0 {
                format!("{hour:02}:{minute:02}")
            } else {
                format!("{hour:02}:{minute:02}:{second:02}")
            };
            match (moment.as_f64() < 1.0, (hour, minute, second)) {
                (true, _) => time,
                (false, (0, 0, 0)) => format!("{year:04}-{month:02}-{day:02}"),
                (false, _) => format!("{year:04}-{month:02}-{day:02} {time}"),
            }
        }
        Data::DateTimeIso(text) => text.strip_suffix("T00:00:00").unwrap_or(text).replace('T', " "),
        Data::DurationIso(text) => text.clone(),
        Data::Error(error) => error.to_string(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_part_is_a_sheet_its_cells_or_both() {
        let sheets = ["June".to_string(), "A1:B2".to_string(), "Hollin Ridge".to_string()];
        let range = Some(((1, 1), (19, 27)));
        assert_eq!(parts("", &sheets), (None, None));
        assert_eq!(parts("June", &sheets), (Some("June"), None));
        assert_eq!(parts("June!B2:AB20", &sheets), (Some("June"), range));
        assert_eq!(parts("'Hollin Ridge'!$B$2:$AB$20", &sheets), (Some("Hollin Ridge"), range));
        assert_eq!(parts("B2:AB20", &sheets), (None, range));
        assert_eq!(parts("A1:B2", &sheets), (Some("A1:B2"), None));
        assert_eq!(parts("July!B2", &sheets), (Some("July!B2"), None));
        assert_eq!(cell_range("D20:B2"), None);
    }

    #[test]
    fn cells_read_as_a_person_wrote_them() {
        let read = |cell: Data| words(&cell);
        assert_eq!(read(Data::Float(12.0)).as_deref(), Some("12"));
        assert_eq!(read(Data::Float(0.1)).as_deref(), Some("0.1"));
        assert_eq!(read(Data::Bool(false)).as_deref(), Some("no"));
        assert_eq!(read(Data::String("  ".into())), None);
        assert_eq!(read(Data::DateTimeIso("2026-06-30T00:00:00".into())).as_deref(), Some("2026-06-30"));
    }

    #[test]
    fn what_is_no_workbook_is_told() {
        let error = Table::read_workbook(b"a,b\n1,2\n", "").unwrap_err();
        assert!(error.to_string().starts_with("it is no workbook"), "{error}");
    }
}
