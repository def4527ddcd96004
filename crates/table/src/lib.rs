//! Tables as data, and their numbers as a reader wants them.
//!
//! [`Table::read`] takes CSV, TSV and JSON, [`Table::read_workbook`] the files of office programs; [`Table::for_reading`] leaves out the digits that say nothing; [`decimals`]
//! puts the numbers of a column one below the other by their mark; [`written_number`] writes one into a sentence.
//!
//! ```
//! use vineloom_table::{ColumnKind, ColumnLooks, NumberStyle, Table};
//!
//! let table = Table::read("plot,moisture\nNorth,23.133333333333333\n")?;
//! assert_eq!(table.columns[1].kind, ColumnKind::Number);
//! let style = NumberStyle { digits: None, group: None, decimal: '.' };
//! assert_eq!(table.for_reading(style, &ColumnLooks::default()).rows[0][1].as_deref(), Some("23.1"));
//! # Ok::<(), vineloom_table::TableError>(())
//! ```

#![forbid(unsafe_code)]

mod alignment;
mod looks;
mod number;
mod rounding;
mod table;
mod workbook;

pub use alignment::{Decimals, decimals, is_plain_number};
pub use looks::{ColumnAlign, ColumnLooks};
pub use number::{NumberStyle, WrittenNumber, significant_digits, written_number};
pub use table::{Column, ColumnKind, Table, TableError};
pub use workbook::workbook_target;
