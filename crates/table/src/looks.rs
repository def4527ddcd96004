//! How the columns of a table are to be shown, where somebody said so.

use serde::{Deserialize, Serialize};

/// How the cells of a column stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ColumnAlign {
    /// At the left.
    Left,
    /// At the right.
    Right,
    /// Numbers one below the other by their decimal mark.
    Mark,
}

impl ColumnAlign {
    /// The words it is asked for by.
    pub const WORDS: &'static [&'static str] = &["left", "right", "mark"];

    /// By its word.
    pub fn from_word(word: &str) -> Option<Self> {
        Some(match word {
            "left" => ColumnAlign::Left,
            "right" => ColumnAlign::Right,
            "mark" => ColumnAlign::Mark,
            _ => return None,
        })
    }
}

/// What somebody said of columns, by their names.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ColumnLooks {
    /// How many digits stand behind the decimal mark.
    pub digits: Vec<(String, usize)>,
    /// How the cells stand.
    pub align: Vec<(String, ColumnAlign)>,
    /// How the cells of all other columns stand.
    pub align_others: Option<ColumnAlign>,
}

impl ColumnLooks {
    /// The names of columns in it.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.digits.iter().map(|(name, _)| name.as_str()).chain(self.align.iter().map(|(name, _)| name.as_str()))
    }

    pub(crate) fn digits_of(&self, column: &str) -> Option<usize> {
        self.digits.iter().find(|(name, _)| name == column).map(|(_, digits)| *digits)
    }

    pub(crate) fn align_of(&self, column: &str) -> Option<ColumnAlign> {
        self.align.iter().find(|(name, _)| name == column).map(|(_, align)| *align).or(self.align_others)
    }
}
