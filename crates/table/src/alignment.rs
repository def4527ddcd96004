//! Numbers in a column, one below the other by their decimal mark.

use crate::looks::ColumnAlign;
use crate::table::Table;

/// How long the numbers of a column are behind their decimal mark.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Decimals {
    mark: char,
    longest: usize,
}

/// The decimals of a column, where its numbers differ in them; none where there is nothing to align, or something in
/// the column is no plain number.
///
/// ```
/// use vineloom_table::decimals;
///
/// let column = decimals(["7", "12.25", "", "-0.5"]).unwrap();
/// assert_eq!(column.rest("7"), ".00");
/// assert_eq!(column.rest("-0.5"), "0");
/// assert_eq!(decimals(["1", "2"]), None);
/// assert_eq!(decimals(["1.5", "about 2"]), None);
/// ```
pub fn decimals(cells: impl IntoIterator<Item = impl AsRef<str>>) -> Option<Decimals> {
    let mut mark = None;
    let (mut shortest, mut longest) = (usize::MAX, 0);
    for cell in cells {
        let cell = cell.as_ref().trim();
        if cell.is_empty() {
            continue;
        }
        let (found, length) = after_mark(cell)?;
        match (mark, found) {
            (Some(before), Some(now)) if before != now => return None,
            (None, Some(now)) => mark = Some(now),
            _ => {}
        }
        shortest = shortest.min(length);
        longest = longest.max(length);
    }
    mark.filter(|_| shortest < longest).map(|mark| Decimals { mark, longest })
}

impl Decimals {
    /// What a number would have to be followed by to be as long as the longest: its mark and zeros.
    pub fn rest(&self, cell: &str) -> String {
        let cell = cell.trim();
        match after_mark(cell) {
            _ if cell.is_empty() => String::new(),
            Some((Some(_), length)) => "0".repeat(self.longest - length.min(self.longest)),
            Some((None, _)) => format!("{}{}", self.mark, "0".repeat(self.longest)),
            None => String::new(),
        }
    }
}

/// The decimal mark of a plain number, and how many digits follow it.
fn after_mark(number: &str) -> Option<(Option<char>, usize)> {
    let digits = number.strip_prefix(['-', '+', '\u{2212}']).unwrap_or(number);
    let at = digits.rfind(['.', ',']);
    let (whole, behind) = at.map_or((digits, ""), |at| (&digits[..at], &digits[at + 1..]));
    let all_digits = |text: &str| text.bytes().all(|b| b.is_ascii_digit());
    // What stands before the mark may be grouped, by thin spaces or by the other mark.
    let grouped =
        whole.chars().all(|c| c.is_ascii_digit() || matches!(c, ',' | ' ' | '\u{A0}' | '\u{202F}' | '\u{2009}'));
    let any = whole.bytes().chain(behind.bytes()).any(|b| b.is_ascii_digit());
    let mark = at.and_then(|at| digits[at..].chars().next());
    // A lone comma with three digits behind it may as well group thousands.
    let unclear = mark == Some(',') && behind.len() == 3;
    (any && grouped && all_digits(behind) && !unclear).then_some((mark, behind.len()))
}

/// Whether a text is a plain number.
pub fn is_plain_number(text: &str) -> bool {
    after_mark(text.trim()).is_some()
}

impl Table {
    /// Whether the cells of a column stand at its right.
    pub fn is_right(&self, column: usize) -> bool {
        self.columns[column].align() != ColumnAlign::Left
    }

    /// The decimals of a column whose numbers stand one below the other by their mark, as [`decimals`] has them.
    pub fn decimals(&self, column: usize) -> Option<Decimals> {
        let cells = self.rows.iter().map(|row| row[column].as_deref().unwrap_or(""));
        (self.columns[column].align() == ColumnAlign::Mark).then(|| decimals(cells)).flatten()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_decimal_comma_is_a_mark_and_a_thousands_comma_is_not() {
        assert_eq!(decimals(["1,5", "12,25"]).map(|d| d.rest("1,5")), Some("0".into()));
        assert_eq!(decimals(["1,500", "2"]), None);
        assert_eq!(decimals(["1,500.5", "2"]).map(|d| d.rest("2")), Some(".0".into()));
        assert_eq!(decimals(["1,5", "1.5"]), None);
    }

    #[test]
    fn what_is_no_plain_number_is_left_alone() {
        assert_eq!(decimals(["1e-3", "2.5"]), None);
        assert_eq!(decimals(["2026-11-23", "2.5"]), None);
        assert_eq!(decimals([""]), None);
        assert_eq!(decimals(["1.5", "2.25"]).unwrap().rest(""), "");
    }
}
