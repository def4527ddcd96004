//! Charts of a table: lines, bars, points, areas, boxes and histograms, drawn to SVG from a few words of TOML.
//!
//! ```
//! use vineloom_chart::{Size, draw};
//! use vineloom_table::Table;
//!
//! let table = Table::read("day,moisture\n2026-06-01,31\n2026-06-02,29.5\n").unwrap();
//! let svg = draw("kind = \"line\"\nx = \"day\"\ny = \"moisture\"", &table, Size::default())?;
//! assert!(svg.starts_with("<svg"));
//! # Ok::<(), vineloom_chart::ChartError>(())
//! ```

#![forbid(unsafe_code)]

mod axis;
mod column;
mod ends;
mod heat;
mod ink;
mod panel;
mod sheet;
mod spec;
mod text;

pub use spec::{ChartError, Data, KEYS, Spec};

use vineloom_table::Table;

/// How large a chart is, in millimetres.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Size {
    /// From left to right.
    pub width: u32,
    /// From top to bottom.
    pub height: u32,
}

impl Default for Size {
    fn default() -> Self {
        Size { width: 160, height: 95 }
    }
}

/// Draws a table as `spec`, the TOML text of a chart, says. The same input gives the same text.
///
/// # Errors
/// [`ChartError`] with the line of the text that can't be followed.
pub fn draw(spec: &str, table: &Table, size: Size) -> Result<String, ChartError> {
    let spec = Spec::read(spec)?;
    sheet::draw(&spec, table, size)
}
