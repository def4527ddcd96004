//! What all charts are drawn with: the colours of words and lines, words at their place.

use crate::axis::LABEL;
use crate::text;
use plotters::coord::Shift;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};

pub(crate) const INK: RGBColor = RGBColor(42, 37, 32);
pub(crate) const SOFT: RGBColor = RGBColor(102, 92, 80);
pub(crate) const FAINT: RGBColor = RGBColor(226, 220, 208);
pub(crate) const FONT: &str = "sans-serif";

pub(crate) type Area<'a> = DrawingArea<SVGBackend<'a>, Shift>;

/// Writes words.
pub(crate) fn words(
    area: &Area,
    text: &str,
    (x, y): (f64, f64),
    size: f64,
    ink: RGBColor,
    style: FontStyle,
    anchor: HPos,
) -> Result<(), String> {
    let font = FontDesc::new(FontFamily::Name(FONT), size, style);
    let style = TextStyle::from(font).color(&ink).pos(Pos::new(anchor, VPos::Top));
    area.draw_text(text, &style, (x as i32, y as i32)).map_err(said)
}

/// A text cut to a width in pixels.
pub(crate) fn fitted(label: &str, room: f64) -> String {
    if text::width(label) * LABEL <= room {
        return label.to_string();
    }
    let mut cut = String::new();
    for c in label.chars() {
        if text::width(&cut) * LABEL + 2.0 * LABEL > room {
            break;
        }
        cut.push(c);
    }
    cut + "…"
}

/// Why something could not be drawn.
pub(crate) fn said(problem: impl std::fmt::Display) -> String {
    format!("the chart can't be drawn: {problem}")
}
