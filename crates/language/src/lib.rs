//! What the language of a document decides: the marks in its numbers, the words that stand for values, how much code
//! a fold holds, how a day is written, and what a typesetter makes of quotes and dashes.
//!
//! ```
//! use vineloom_language::Language;
//!
//! assert_eq!(Language::of("de-AT").decimal, ',');
//! assert_eq!(Language::of("de-AT").words.yes, "ja");
//! // A language that is not in the table reads as English.
//! assert_eq!(Language::of("tlh"), Language::of("en"));
//! ```

#![forbid(unsafe_code)]

mod typography;

pub use typography::Typesetter;

/// A language, by the tag that a document's front matter gives it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Language {
    /// Its tag, such as `en` or `de-ch`, in lower case.
    pub tag: &'static str,
    /// The mark between the whole part of a number and what follows.
    pub decimal: char,
    /// What stands between groups of three digits, where they are grouped.
    pub group: char,
    /// The words that stand for values.
    pub words: Words,
    /// How much code there is: one line, and more; `#` stands for the number, `@` for the language of the code.
    lines_of_code: [&'static str; 2],
}

/// The words that stand for values in a sentence.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Words {
    /// For what is true.
    pub yes: &'static str,
    /// For what is false.
    pub no: &'static str,
    /// For a value that is not there.
    pub missing: &'static str,
    /// Before the last of several, all of which are meant.
    pub and: &'static str,
    /// Before the last of several, one of which is meant.
    pub or: &'static str,
}

/// A space that is narrow and breaks no line.
const THIN: char = '\u{202F}';

/// The languages, those with a region behind the language itself.
#[rustfmt::skip]
const LANGUAGES: &[Language] = &[
    row("en", '.', ',', ["yes", "no", "missing", "and", "or"], ["# line of @", "# lines of @"]),
    row("de", ',', '.', ["ja", "nein", "fehlt", "und", "oder"], ["# Zeile @", "# Zeilen @"]),
    row("de-ch", '.', '\u{2019}', ["ja", "nein", "fehlt", "und", "oder"], ["# Zeile @", "# Zeilen @"]),
    row("fr", ',', THIN, ["oui", "non", "manquant", "et", "ou"], ["# ligne de @", "# lignes de @"]),
    row("es", ',', THIN, ["sí", "no", "falta", "y", "o"], ["# línea de @", "# líneas de @"]),
    row("it", ',', '.', ["sì", "no", "mancante", "e", "o"], ["# riga di @", "# righe di @"]),
    row("pt", ',', THIN, ["sim", "não", "em falta", "e", "ou"], ["# linha de @", "# linhas de @"]),
    row("pt-br", ',', '.', ["sim", "não", "ausente", "e", "ou"], ["# linha de @", "# linhas de @"]),
    row("nl", ',', '.', ["ja", "nee", "ontbreekt", "en", "of"], ["# regel @", "# regels @"]),
    row("da", ',', '.', ["ja", "nej", "mangler", "og", "eller"], ["# linje @", "# linjer @"]),
    row("nb", ',', THIN, ["ja", "nei", "mangler", "og", "eller"], ["# linje @", "# linjer @"]),
    row("nn", ',', THIN, ["ja", "nei", "manglar", "og", "eller"], ["# linje @", "# linjer @"]),
    row("no", ',', THIN, ["ja", "nei", "mangler", "og", "eller"], ["# linje @", "# linjer @"]),
    row("sv", ',', THIN, ["ja", "nej", "saknas", "och", "eller"], ["# rad @", "# rader @"]),
    row("fi", ',', THIN, ["kyllä", "ei", "puuttuu", "ja", "tai"], ["# rivi: @", "# riviä: @"]),
    row("pl", ',', THIN, ["tak", "nie", "brak", "i", "lub"], ["@, wiersze: #", "@, wiersze: #"]),
    row("cs", ',', THIN, ["ano", "ne", "chybí", "a", "nebo"], ["@, řádky: #", "@, řádky: #"]),
];

/// How a day is written: `#` stands for the day, `@` for the month, `%` for the year; and the months, as they are called in
/// a date.
#[rustfmt::skip]
const DAYS: &[(&str, &str, &str)] = &[
    ("en", "# @ %", "January February March April May June July August September October November December"),
    ("de", "#. @ %", "Januar Februar März April Mai Juni Juli August September Oktober November Dezember"),
    ("fr", "# @ %", "janvier février mars avril mai juin juillet août septembre octobre novembre décembre"),
    ("es", "# de @ de %", "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre"),
    ("it", "# @ %", "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre"),
    ("pt", "# de @ de %", "janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro dezembro"),
    ("nl", "# @ %", "januari februari maart april mei juni juli augustus september oktober november december"),
    ("da", "#. @ %", "januar februar marts april maj juni juli august september oktober november december"),
    ("nb", "#. @ %", "januar februar mars april mai juni juli august september oktober november desember"),
    ("sv", "# @ %", "januari februari mars april maj juni juli augusti september oktober november december"),
    ("fi", "#. @ %", "tammikuuta helmikuuta maaliskuuta huhtikuuta toukokuuta kesäkuuta heinäkuuta elokuuta syyskuuta lokakuuta marraskuuta joulukuuta"),
    ("pl", "# @ %", "stycznia lutego marca kwietnia maja czerwca lipca sierpnia września października listopada grudnia"),
    ("cs", "#. @ %", "ledna února března dubna května června července srpna září října listopadu prosince"),
    ("en-us", "@ #, %", "January February March April May June July August September October November December"),
    ("nn", "#. @ %", "januar februar mars april mai juni juli august september oktober november desember"),
    ("no", "#. @ %", "januar februar mars april mai juni juli august september oktober november desember"),
];

/// A day in the words of a language (BCP 47); nothing for a language that is not in the table.
///
/// ```
/// use vineloom_language::day_in_words;
///
/// assert_eq!(day_in_words("en-GB", 2024, 5, 3).as_deref(), Some("3 May 2024"));
/// assert_eq!(day_in_words("en-US", 2024, 5, 3).as_deref(), Some("May 3, 2024"));
/// assert_eq!(day_in_words("tlh", 2024, 5, 3), None);
/// ```
pub fn day_in_words(tag: &str, year: i16, month: u8, day: u8) -> Option<String> {
    let tag = tag.to_lowercase().replace('_', "-");
    let named = |wanted: &str| DAYS.iter().find(|(tag, ..)| *tag == wanted);
    let alone = tag.split('-').next().unwrap_or_default();
    let (language, form, months) = named(&tag).or_else(|| named(alone))?;
    let month = months.split(' ').nth(usize::from(month.checked_sub(1)?))?;
    // In French the first of a month is counted in another way than the others.
    let day = if *language == "fr" && day == 1 { "1er".to_string() } else { day.to_string() };
    Some(form.replace('#', &day).replace('@', month).replace('%', &year.to_string()))
}

const fn row(
    tag: &'static str,
    decimal: char,
    group: char,
    words: [&'static str; 5],
    lines_of_code: [&'static str; 2],
) -> Language {
    let [yes, no, missing, and, or] = words;
    Language { tag, decimal, group, words: Words { yes, no, missing, and, or }, lines_of_code }
}

impl Language {
    /// The language of a tag (BCP 47): the one with its region, else the language alone, else English.
    pub fn of(tag: &str) -> &'static Language {
        let tag = tag.to_lowercase().replace('_', "-");
        let named = |wanted: &str| LANGUAGES.iter().find(|language| language.tag == wanted);
        let alone = tag.split('-').next().unwrap_or_default();
        named(&tag).or_else(|| named(alone)).unwrap_or(&LANGUAGES[0])
    }

    /// How much code there is, in words: `8 lines of Python`.
    pub fn lines_of_code(&self, lines: usize, code: &str) -> String {
        let [one, more] = self.lines_of_code;
        let words = if lines == 1 { one } else { more };
        words.replace('#', &lines.to_string()).replace('@', code)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_region_beats_the_language_and_the_language_beats_english() {
        assert_eq!(Language::of("de-CH").decimal, '.');
        assert_eq!(Language::of("de_CH").group, '\u{2019}');
        assert_eq!(Language::of("DE").words.and, "und");
        assert_eq!(Language::of("pt-PT").words.missing, "em falta");
        assert_eq!(Language::of("pt-BR").words.missing, "ausente");
        assert_eq!(Language::of("").tag, "en");
    }

    #[test]
    fn code_is_counted_in_lines() {
        assert_eq!(Language::of("en").lines_of_code(1, "R"), "1 line of R");
        assert_eq!(Language::of("de").lines_of_code(8, "Python"), "8 Zeilen Python");
    }

    #[test]
    fn days_are_in_words() {
        assert_eq!(day_in_words("de", 2026, 6, 9).as_deref(), Some("9. Juni 2026"));
        assert_eq!(day_in_words("fr", 2026, 1, 1).as_deref(), Some("1er janvier 2026"));
        assert_eq!(day_in_words("es-MX", 2026, 12, 31).as_deref(), Some("31 de diciembre de 2026"));
        assert_eq!(day_in_words("en", 2026, 13, 1), None);
        assert!(DAYS.iter().all(|(_, _, months)| months.split(' ').count() == 12));
        let tags = LANGUAGES.iter().map(|language| language.tag);
        assert!(tags.into_iter().all(|tag| day_in_words(tag, 2026, 1, 1).is_some()));
    }

    #[test]
    fn each_tag_is_there_once_and_no_word_is_empty() {
        for language in LANGUAGES {
            assert_eq!(LANGUAGES.iter().filter(|other| other.tag == language.tag).count(), 1);
            assert_ne!(language.decimal, language.group, "{}", language.tag);
            assert!(language.lines_of_code.iter().all(|words| words.contains('#') && words.contains('@')));
            let Words { yes, no, missing, and, or } = language.words;
            assert!([yes, no, missing, and, or].iter().all(|word| !word.is_empty()), "{}", language.tag);
        }
    }
}
