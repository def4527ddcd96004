//! The paper and its margins. A word processor measures in twentieths of a point.

use vineloom_export::layout::{Margins, Paper};

/// Twentieths of a point.
pub(crate) type Twips = i64;

/// How a page lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Lies {
    Upright,
    OnItsSide,
}

/// A page: its paper, what is left free of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Page {
    pub wide: Twips,
    pub high: Twips,
    pub margins: Margins,
}

impl Page {
    pub fn new(paper: Paper, margins: Option<Margins>) -> Self {
        let twips = |points: f64| (points * 20.0).round() as Twips;
        let (wide, high) = paper.size();
        let (wide, high) = (twips(wide), twips(high));
        let usual = if matches!(paper, Paper::A5 | Paper::A5Landscape) { 51.0 } else { 71.0 };
        let margins = margins.unwrap_or(Margins { top: usual, right: usual, bottom: usual, left: usual });
        Page { wide, high, margins }
    }

    /// Width and height of a page that lies in this way. Paper whose long side lies across by itself stays as it is.
    fn size(&self, lies: Lies) -> (Twips, Twips) {
        match lies {
            Lies::Upright => (self.wide, self.high),
            Lies::OnItsSide => (self.wide.max(self.high), self.wide.min(self.high)),
        }
    }

    /// The room for text from left to right.
    pub fn room(&self, lies: Lies) -> Twips {
        let (wide, _) = self.size(lies);
        (wide - ((self.margins.left + self.margins.right) * 20.0) as Twips).max(1440)
    }

    /// The room for a picture from top to bottom.
    pub fn height(&self) -> Twips {
        (self.high - ((self.margins.top + self.margins.bottom) * 20.0) as Twips).max(1440)
    }

    /// Paper and margins, as a section has them.
    pub fn section(&self, lies: Lies) -> String {
        let Margins { top, right, bottom, left } = self.margins;
        let twips = |points: f64| (points * 20.0).round() as Twips;
        let (wide, high) = self.size(lies);
        let turned = if wide > high { " w:orient=\"landscape\"" } else { "" };
        format!(
            "<w:pgSz w:w=\"{wide}\" w:h=\"{high}\"{turned}/><w:pgMar w:top=\"{}\" w:right=\"{}\" w:bottom=\"{}\" w:left=\"{}\" w:header=\"708\" w:footer=\"708\" w:gutter=\"0\"/>",
            twips(top),
            twips(right),
            twips(bottom),
            twips(left)
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_on_its_side_has_more_room_from_left_to_right() {
        let page = Page::new(Paper::A4, None);
        assert!(page.room(Lies::OnItsSide) > page.room(Lies::Upright));
        assert!(page.section(Lies::OnItsSide).contains("w:w=\"16838\" w:h=\"11906\" w:orient=\"landscape\""));
        let across = Page::new(Paper::A4Landscape, None);
        assert_eq!(across.section(Lies::Upright), page.section(Lies::OnItsSide));
        assert_eq!(across.section(Lies::Upright), across.section(Lies::OnItsSide));
        let lengths = ["20mm".to_string(), "30mm".to_string()];
        let margins = Margins::of(&lengths).unwrap();
        assert!((margins.left - 85.04).abs() < 0.01 && margins.top < margins.right);
    }
}
