//! Options that all formats share which are laid out for readers.

use serde::Serialize;
use vineloom_document::options::Settings;
use vineloom_woven::{Block, Format, Heading};

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

/// The headings that stand in the contents of a format, down to a level: those of the text itself, not those on tabs.
pub fn headings_of(blocks: &[Block], format: Format, depth: u8) -> Vec<&Heading> {
    let mut found = Vec::new();
    for block in blocks {
        match block {
            Block::Heading(heading) if heading.level <= depth && heading.id.is_some() => found.push(heading),
            Block::For { formats, blocks } if formats.contains(&format) => {
                found.extend(headings_of(blocks, format, depth));
            }
            Block::Quote(inner) | Block::Notice { blocks: inner, .. } | Block::Steps(inner) => {
                found.extend(headings_of(inner, format, depth));
            }
            _ => {}
        }
    }
    found
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
