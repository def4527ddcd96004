//! What the language of a document decides: the marks in its numbers, the words that stand for values, and how much code
//! a fold holds.
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
