//! Values as a person would write them in a sentence: numbers with the digits that say something, in the marks of the
//! document's language; yes and no; a word for what is missing; lists.

use vineloom_document::options::{Joining, Reading};
use vineloom_document::{Document, ParameterValue};
use vineloom_interpreters::{Outcome, ValueKind};
use vineloom_language::{Language, Word};
use vineloom_table::{NumberStyle, significant_digits, written_number};

/// With so many digits a printed number is one that a computer printed, not one that a writer has rounded.
const ALL_DIGITS: usize = 15;

/// Where a value is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Writing {
    /// In running text.
    Sentence,
    /// In a formula, in LaTeX.
    Formula,
}

/// How values are written at one place of a document.
pub(crate) struct Prose<'a> {
    document: &'a Document,
    language: &'static Language,
    reading: Reading,
    writing: Writing,
}

/// How the numbers of a document are written, in sentences and in tables.
pub fn number_style(document: &Document, reading: &Reading) -> NumberStyle {
    let language = Language::of(document.language());
    NumberStyle {
        digits: reading.digits,
        group: reading.thousands.then_some(language.group),
        decimal: language.decimal,
    }
}

impl<'a> Prose<'a> {
    pub fn new(document: &'a Document, reading: Reading, writing: Writing) -> Self {
        Prose { document, language: Language::of(document.language()), reading, writing }
    }

    /// What a block gave. A value alone is said as its kind is; what was printed stands as it was printed, but for a
    /// lone number with all the digits a computer has, or one whose digits are asked for.
    pub fn outcome(&self, outcome: &Outcome) -> String {
        match outcome.lone_value() {
            Some((_, _, items)) if !items.is_empty() => {
                self.joined(items.iter().map(|item| self.value(item.kind, &item.plain)).collect())
            }
            Some((kind, plain, _)) => self.value(kind, plain.trim()),
            None => {
                let text = outcome.cited_text();
                let asked = self.reading.digits.is_some() || self.reading.thousands;
                let computed = text.contains('.') && significant_digits(&text) >= ALL_DIGITS;
                match asked || computed {
                    true => self.value(ValueKind::Number, &text),
                    // What was printed stands as it was printed, with its unit.
                    false if text.trim().parse::<f64>().is_ok() => format!("{text}{}", self.unit(&text)),
                    false => text,
                }
            }
        }
    }

    /// The value of a parameter.
    pub fn parameter(&self, value: &ParameterValue) -> String {
        match value {
            ParameterValue::Integer(_) | ParameterValue::Number(_) => self.value(ValueKind::Number, &value.text()),
            ParameterValue::Flag(true) => self.value(ValueKind::Yes, "true"),
            ParameterValue::Flag(false) => self.value(ValueKind::No, "false"),
            ParameterValue::List(values) => self.joined(values.iter().map(|value| self.parameter(value)).collect()),
            ParameterValue::Text(text) => text.clone(),
        }
    }

    fn value(&self, kind: ValueKind, plain: &str) -> String {
        match kind {
            ValueKind::Text => plain.to_string(),
            ValueKind::Number => self.number(plain),
            ValueKind::Yes => self.word(Word::Yes),
            ValueKind::No => self.word(Word::No),
            ValueKind::Missing => self.word(Word::Missing),
        }
    }

    /// A word: the document's own, else the language's.
    fn word(&self, word: Word) -> String {
        self.document.word(word.key()).unwrap_or_else(|| self.language.word(word)).to_string()
    }

    fn number(&self, plain: &str) -> String {
        let style = number_style(self.document, &self.reading);
        match (written_number(plain, style), self.writing) {
            (None, _) => plain.to_string(),
            (Some(number), Writing::Sentence) => number.in_sentence() + &self.unit(plain),
            (Some(number), Writing::Formula) => number.in_formula(),
        }
    }

    /// What stands behind a number, with the space before it.
    fn unit(&self, plain: &str) -> String {
        if self.reading.unit.is_empty() {
            return String::new();
        }
        // A number with a fraction counts as many.
        let number = plain.trim().trim_start_matches('-').parse::<f64>().ok().filter(|number| number.fract() == 0.0);
        let forms = self.reading.unit.join("~");
        let unit = match number {
            Some(number) => self.language.counted_in(&forms, number as usize),
            None => self.reading.unit.last().cloned().unwrap_or_default(),
        };
        // A sign stands closer than a word.
        let space = if unit.starts_with(char::is_alphabetic) { '\u{A0}' } else { '\u{202F}' };
        format!("{space}{unit}")
    }

    fn joined(&self, items: Vec<String>) -> String {
        let conjunction = match self.reading.list {
            Joining::Plain => return items.join(", "),
            Joining::And => self.word(Word::And),
            Joining::Or => self.word(Word::Or),
        };
        match items.as_slice() {
            [before @ .., last] if !before.is_empty() => format!("{} {conjunction} {last}", before.join(", ")),
            _ => items.concat(),
        }
    }
}
