//! Dates ready to print: `23 November 2026` in English, `2026-11-23` in any other language.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use std::path::Path;
use vineloom_document::{Document, FrontDate};

/// Tells a document which day it is, or on which day its file was last changed, in the words of its language. One that
/// does not ask is not told: learning the time zone takes a while.
pub fn tell(document: &mut Document, path: &Path) {
    let language = document.language().to_string();
    document.set_day(|wanted| {
        let modified = || std::fs::metadata(path).and_then(|found| found.modified()).ok();
        let time = match wanted {
            FrontDate::Modified => modified().and_then(|time| Timestamp::try_from(time).ok()),
            _ => None,
        };
        printed(time.unwrap_or_else(Timestamp::now), &language)
    });
}

fn printed(time: Timestamp, language: &str) -> String {
    let day = time.to_zoned(TimeZone::system());
    let english = language == "en" || language.starts_with("en-");
    day.strftime(if english { "%-d %B %Y" } else { "%Y-%m-%d" }).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn english_dates_are_spelt_out() {
        let time: Timestamp = "2026-06-09T12:00:00Z".parse().unwrap();
        assert_eq!(printed(time, "en-GB"), "9 June 2026");
        assert_eq!(printed(time, "de"), "2026-06-09");
    }
}
