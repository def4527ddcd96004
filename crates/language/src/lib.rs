//! What the language of a document decides: the marks in its numbers, the words that stand for values, all the words that
//! an export is made with beside the writer's own, how a day is written, and what a typesetter makes of quotes and dashes.
//!
//! ```
//! use vineloom_language::{Language, Word};
//!
//! let german = Language::of("de-AT");
//! assert_eq!(german.decimal, ',');
//! assert_eq!(german.word(Word::Yes), "ja");
//! assert_eq!(german.counted(Word::RowsLeftOut, 3), "3 Zeilen ausgelassen");
//! // A language that is not in the table reads as English.
//! assert_eq!(Language::of("tlh"), Language::of("en"));
//! ```

#![forbid(unsafe_code)]

mod typography;
mod words;

pub use typography::Typesetter;
pub use words::Word;

use std::sync::OnceLock;
use words::{Cells, cells, form, pick};

/// A language, by the tag that a document's front matter gives it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Language {
    /// Its tag, such as `en` or `de-ch`, in lower case.
    pub tag: &'static str,
    /// The mark between the whole part of a number and what follows.
    pub decimal: char,
    /// What stands between groups of three digits, where they are grouped.
    pub group: char,
    cells: Cells,
}

/// A space that is narrow and breaks no line.
const THIN: char = '\u{202F}';

/// The languages of the table by their tags, each read when it is asked for.
fn languages() -> &'static [(&'static str, OnceLock<Language>)] {
    static ALL: OnceLock<Vec<(&'static str, OnceLock<Language>)>> = OnceLock::new();
    ALL.get_or_init(|| words::tags().into_iter().map(|tag| (tag, OnceLock::new())).collect())
}

fn read((tag, language): &'static (&'static str, OnceLock<Language>)) -> &'static Language {
    language.get_or_init(|| {
        let cells = cells(tag);
        let mark = |key: &str| {
            let mark = cells.get(key).and_then(|cell| cell.chars().next()).unwrap_or('.');
            if mark == '_' { THIN } else { mark }
        };
        Language { tag, decimal: mark("decimal"), group: mark("group"), cells }
    })
}

/// The language of a tag, when it is in the table: the one with its region, else the language alone.
fn known(tag: &str) -> Option<&'static Language> {
    let tag = tag.to_lowercase().replace('_', "-");
    let tag = if tag == "no" { "nb" } else { &tag };
    let named = |wanted: &str| languages().iter().find(|(known, _)| *known == wanted);
    named(tag).or_else(|| named(tag.split('-').next().unwrap_or_default())).map(read)
}

/// The tags of the languages that exports speak.
pub fn tags() -> impl Iterator<Item = &'static str> {
    languages().iter().map(|(tag, _)| *tag)
}

/// The language and the region of a tag (BCP 47), as tags write them; nothing when it begins with no language.
///
/// ```
/// use vineloom_language::language_and_region;
///
/// assert_eq!(language_and_region("zh-Hant-TW"), Some(("zh".into(), Some("TW".into()))));
/// assert_eq!(language_and_region("de_at"), Some(("de".into(), Some("AT".into()))));
/// assert_eq!(language_and_region("?"), None);
/// ```
pub fn language_and_region(tag: &str) -> Option<(String, Option<String>)> {
    let mut parts = tag.split(['-', '_']);
    let alphabetic = |part: &&str| part.chars().all(|c| c.is_ascii_alphabetic());
    let language = parts.next().filter(|part| (2..=3).contains(&part.len())).filter(alphabetic)?;
    let region = parts.find(|part| part.len() == 2).filter(alphabetic);
    Some((language.to_lowercase(), region.map(str::to_uppercase)))
}

/// A day in the words of a language (BCP 47); nothing for a language that is not in the table.
///
/// ```
/// use vineloom_language::day_in_words;
///
/// assert_eq!(day_in_words("en-GB", 2024, 5, 3).as_deref(), Some("3 May 2024"));
/// assert_eq!(day_in_words("en-US", 2024, 5, 3).as_deref(), Some("May 3, 2024"));
/// assert_eq!(day_in_words("ja", 2024, 5, 3).as_deref(), Some("2024年5月3日"));
/// assert_eq!(day_in_words("tlh", 2024, 5, 3), None);
/// ```
pub fn day_in_words(tag: &str, year: i16, month: u8, day: u8) -> Option<String> {
    let language = known(tag)?;
    let months = language.cells.get("months")?;
    let month = months.split(' ').nth(usize::from(month.checked_sub(1)?))?;
    // In French the first of a month is counted in another way than the others.
    let day = if language.tag.starts_with("fr") && day == 1 { "1er".to_string() } else { day.to_string() };
    Some(language.cells.get("date")?.replace('#', &day).replace('@', month).replace('%', &year.to_string()))
}

/// Whether a language is written from right to left.
pub fn runs_from_the_right(language: &str) -> bool {
    let tag = language.to_lowercase().replace('_', "-");
    let first = tag.split('-').next().unwrap_or("");
    ["ar", "dv", "fa", "he", "ku", "ps", "sd", "ug", "ur", "yi"].contains(&first)
}

impl Language {
    /// The language of a tag (BCP 47): the one with its region, else the language alone, else English.
    pub fn of(tag: &str) -> &'static Language {
        known(tag).unwrap_or_else(|| read(&languages()[0]))
    }

    /// A word of the language; of one with several forms, the first.
    pub fn word(&self, word: Word) -> &'static str {
        pick(self.cells.get(word.key()).copied().unwrap_or_default(), 0)
    }

    /// All forms of a word, as the table has them.
    pub fn forms(&self, word: Word) -> &'static str {
        self.cells.get(word.key()).copied().unwrap_or_default()
    }

    /// The form of a word that stands with a number, with the number in it.
    pub fn counted(&self, word: Word, number: usize) -> String {
        self.counted_in(self.forms(word), number)
    }

    /// The form that stands with a number, out of those of a text that `~` parts, with the number in the place of `#`.
    pub fn counted_in(&self, forms: &str, number: usize) -> String {
        pick(forms, form(self.tag, number)).replace('#', &number.to_string())
    }

    /// How much code there is, in words: `8 lines of Python`.
    pub fn lines_of_code(&self, lines: usize, code: &str) -> String {
        self.counted(Word::LinesOfCode, lines).replace('@', code)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_region_beats_the_language_and_the_language_beats_english() {
        assert_eq!(Language::of("de-CH").decimal, '.');
        assert_eq!(Language::of("de_CH").group, '\u{2019}');
        assert_eq!(Language::of("DE").word(Word::And), "und");
        assert_eq!(Language::of("pt-PT").word(Word::Missing), "em falta");
        assert_eq!(Language::of("pt-BR").word(Word::Missing), "ausente");
        assert_eq!(Language::of("no").word(Word::Note), "Merk");
        assert_eq!(Language::of("nn").word(Word::Missing), "manglar");
        assert_eq!(Language::of("fr").group, THIN);
        assert_eq!(Language::of("").tag, "en");
    }

    #[test]
    fn plurals_are_those_of_the_language() {
        assert_eq!(Language::of("en").lines_of_code(1, "R"), "1 line of R");
        assert_eq!(Language::of("de").lines_of_code(8, "Python"), "8 Zeilen Python");
        let rows = |tag: &str| [0, 1, 2, 5, 11, 21, 22].map(|n| Language::of(tag).counted(Word::RowsLeftOut, n));
        assert_eq!(rows("en")[..3], ["0 rows left out", "1 row left out", "2 rows left out"]);
        assert_eq!(rows("fr")[..3], ["0 ligne omise", "1 ligne omise", "2 lignes omises"]);
        assert_eq!(
            rows("pl")[1..],
            [
                "pominięto 1 wiersz",
                "pominięto 2 wiersze",
                "pominięto 5 wierszy",
                "pominięto 11 wierszy",
                "pominięto 21 wierszy",
                "pominięto 22 wiersze"
            ]
        );
        assert_eq!(
            rows("ru")[1..],
            [
                "пропущена 1 строка",
                "пропущено 2 строки",
                "пропущено 5 строк",
                "пропущено 11 строк",
                "пропущена 21 строка",
                "пропущено 22 строки"
            ]
        );
        assert_eq!(rows("ja")[1], "1行省略");
        assert_eq!(rows("ar")[2], "حذف صفان");
    }

    #[test]
    fn days_are_in_words() {
        assert_eq!(day_in_words("de", 2026, 6, 9).as_deref(), Some("9. Juni 2026"));
        assert_eq!(day_in_words("de-AT", 2026, 1, 9).as_deref(), Some("9. Jänner 2026"));
        assert_eq!(day_in_words("fr", 2026, 1, 1).as_deref(), Some("1er janvier 2026"));
        assert_eq!(day_in_words("es-MX", 2026, 12, 31).as_deref(), Some("31 de diciembre de 2026"));
        assert_eq!(day_in_words("hu", 2026, 3, 5).as_deref(), Some("2026. március 5."));
        assert_eq!(day_in_words("en", 2026, 13, 1), None);
        for language in languages().iter().map(read) {
            assert_eq!(language.cells["months"].split(' ').count(), 12, "{}", language.tag);
        }
    }

    #[test]
    fn every_language_has_every_word_and_nothing_else() {
        assert!(tags().filter(|tag| !tag.contains('-')).count() >= 20);
        for language in languages().iter().map(read) {
            assert_eq!(tags().filter(|other| *other == language.tag).count(), 1);
            assert_ne!(language.decimal, language.group, "{}", language.tag);
            for word in Word::ALL {
                let forms = language.forms(*word);
                assert!(!forms.is_empty(), "{} in {}", word.key(), language.tag);
                // A word that stands with something has a place for it in each language; a form of none, one or two may say the number itself.
                let english = Language::of("en").forms(*word);
                for mark in ['#', '@', '%'] {
                    assert_eq!(
                        forms.contains(mark),
                        english.contains(mark),
                        "{} in {}: {mark}",
                        word.key(),
                        language.tag
                    );
                }
            }
            let known = |key: &&str| Word::ALL.iter().any(|word| word.key() == *key);
            let others: Vec<&&str> = language.cells.keys().filter(|key| !known(key)).collect();
            assert_eq!(others, [&"date", &"decimal", &"group", &"months"], "{}", language.tag);
        }
    }
}
