//! Dates ready to print, in the words of the document's language: `23 November 2026`; as ISO 8601 has it in a language whose
//! months are not known.

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use std::path::Path;
use vineloom_document::{Day, Document, FrontDate};
use vineloom_language::day_in_words;

/// Tells a document which day it is, or on which day its file was last changed, in the words of its language; and a day that
/// is written as ISO 8601 has it in those words. One that asks for none is not told: learning the time zone takes a while.
pub fn tell(document: &mut Document, path: &Path) {
    let language = document.language().to_string();
    document.set_day(|wanted| {
        let of_time = |time: Timestamp| time.to_zoned(TimeZone::system()).date();
        let day = match wanted {
            FrontDate::Written(text) => text.text.trim().parse::<Date>().ok()?,
            FrontDate::Today => of_time(Timestamp::now()),
            FrontDate::Modified => {
                let modified = std::fs::metadata(path).and_then(|found| found.modified()).ok();
                of_time(modified.and_then(|time| Timestamp::try_from(time).ok()).unwrap_or_else(Timestamp::now))
            }
        };
        Some(printed(day, &language))
    });
}

fn printed(day: Date, language: &str) -> Day {
    let iso = day.to_string();
    let words = day_in_words(language, day.year(), day.month().unsigned_abs(), day.day().unsigned_abs());
    Day { printed: words.unwrap_or_else(|| iso.clone()), iso }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn days_are_in_the_words_of_the_language() {
        let day: Date = "2026-06-09".parse().unwrap();
        assert_eq!(printed(day, "en-GB").printed, "9 June 2026");
        assert_eq!(printed(day, "de").printed, "9. Juni 2026");
        assert_eq!(printed(day, "ja").printed, "2026年6月9日");
        // Basque has no words of ours.
        assert_eq!(printed(day, "eu"), Day { printed: "2026-06-09".into(), iso: "2026-06-09".into() });
    }
}
