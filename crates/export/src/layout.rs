//! Options that all formats share which are laid out for readers.

use serde::Serialize;
use std::collections::BTreeSet;
use vineloom_document::options::{Settings, points};
use vineloom_woven::{Block, Heading, Id, NoteNumber, Woven};

/// Where the contents stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Contents {
    /// Beside the text.
    Side,
    /// Above the text.
    Top,
    /// Nowhere.
    None,
}

/// The headings that stand in the contents, down to a level: those of the text itself, not those on tabs.
pub fn headings_of(blocks: &[Block], depth: u8) -> Vec<&Heading> {
    let mut found: Vec<&Heading> = Vec::new();
    for block in blocks {
        match block {
            Block::Heading(heading) if heading.level <= depth && heading.id.is_some() => found.push(heading),
            Block::Quote(inner) | Block::Notice { blocks: inner, .. } | Block::Steps(inner) => {
                found.extend(headings_of(inner, depth));
            }
            _ => {}
        }
    }
    found
}

/// The places that links can lead to: what a speaker alone sees is none.
pub fn places(woven: &Woven) -> BTreeSet<Id> {
    let mut places = BTreeSet::new();
    places_in(&woven.blocks, &mut places);
    woven.notes.iter().for_each(|note| places_in(note, &mut places));
    places
}

fn places_in(blocks: &[Block], places: &mut BTreeSet<Id>) {
    for block in blocks {
        match block {
            Block::Speaker(_) => continue,
            Block::Heading(heading) => places.extend(heading.id.clone()),
            Block::Equation { id, .. } | Block::Group { id, .. } | Block::Listing { id, .. } => {
                places.extend(id.clone())
            }
            Block::Place(id) => places.extend([id.clone()]),
            Block::Run(run) => places.extend([run.id.clone()]),
            Block::Works(works) => places.extend(works.iter().map(|work| work.id.clone())),
            _ => {}
        }
        block.children().into_iter().for_each(|blocks| places_in(blocks, places));
    }
}

/// The letter that a footnote has among those marked within another one: `a` for the first, and so on; it is put among
/// them where it is new.
pub fn letter_of(inner: &mut Vec<NoteNumber>, number: NoteNumber) -> String {
    let at = inner.iter().position(|known| *known == number).unwrap_or_else(|| {
        inner.push(number);
        inner.len() - 1
    });
    let letter = |at: usize| char::from(b'a' + (at % 26) as u8);
    if at < 26 { letter(at).to_string() } else { format!("{}{}", letter(at / 26 - 1), letter(at)) }
}

impl Contents {
    /// As `contents` says.
    pub fn of(settings: &Settings) -> Self {
        match settings.text("contents") {
            Some("top") => Contents::Top,
            Some("none") => Contents::None,
            _ => Contents::Side,
        }
    }

    /// The lowest level of headings in them, as `contents-depth` says.
    pub fn depth(settings: &Settings) -> u8 {
        settings.number("contents-depth").unwrap_or(3).clamp(0, 6) as u8
    }
}

/// The paper of what has pages.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Paper {
    /// 210 by 297 mm.
    A4,
    /// 148 by 210 mm.
    A5,
    /// 8.5 by 11 in.
    Letter,
    /// A4 with its long side across.
    A4Landscape,
    /// A5 with its long side across.
    A5Landscape,
    /// Letter with its long side across.
    LetterLandscape,
    /// A slide, 10 in wide, 16 to 9.
    WideSlide,
    /// A slide, 7.5 in wide, 4 to 3.
    SquareSlide,
}

impl Paper {
    /// As `paper` and `orientation` say.
    pub fn of(settings: &Settings) -> Self {
        let across = settings.text("orientation") == Some("landscape");
        match (settings.text("paper"), across) {
            (Some("a5"), false) => Paper::A5,
            (Some("a5"), true) => Paper::A5Landscape,
            (Some("letter"), false) => Paper::Letter,
            (Some("letter"), true) => Paper::LetterLandscape,
            (_, false) => Paper::A4,
            (_, true) => Paper::A4Landscape,
        }
    }

    /// Its width and height, in points.
    pub fn size(self) -> (f64, f64) {
        match self {
            Paper::A4 => (595.28, 841.89),
            Paper::A5 => (419.53, 595.28),
            Paper::Letter => (612.0, 792.0),
            Paper::A4Landscape => (841.89, 595.28),
            Paper::A5Landscape => (595.28, 419.53),
            Paper::LetterLandscape => (792.0, 612.0),
            Paper::WideSlide => (720.0, 405.0),
            Paper::SquareSlide => (540.0, 405.0),
        }
    }
}

/// The margins of a page, in points.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[allow(missing_docs, reason = "named after the sides")]
pub struct Margins {
    pub top: f64,
    pub right: f64,
    pub bottom: f64,
    pub left: f64,
}

impl Margins {
    /// From one length for all sides, two for top and bottom and for the sides, or three or four from the top on.
    pub fn of(lengths: &[String]) -> Option<Self> {
        let lengths: Vec<f64> = lengths.iter().map(|text| points(text)).collect::<Option<_>>()?;
        let top = *lengths.first()?;
        let right = *lengths.get(1).unwrap_or(&top);
        let bottom = *lengths.get(2).unwrap_or(&top);
        Some(Margins { top, right, bottom, left: *lengths.get(3).unwrap_or(&right) })
    }
}
