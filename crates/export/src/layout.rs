//! Options that all formats share which are laid out for readers.

use serde::Serialize;
use vineloom_document::options::Settings;

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
