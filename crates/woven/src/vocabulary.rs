//! The words of the reader's language that an export is made with beside the writer's own.

use serde::Serialize;
use std::collections::BTreeMap;
use vineloom_document::NoticeKind;
use vineloom_language::{Language, Word};

/// The words of a document's language, and those that its writer wants instead (`[words]`).
///
/// ```
/// use vineloom_woven::{Vocabulary, Word};
///
/// let words = Vocabulary::new("de", [("contents".to_string(), "Übersicht".to_string())].into());
/// assert_eq!(words.word(Word::Contents), "Übersicht");
/// assert_eq!(words.word(Word::Figure), "Abbildung");
/// assert_eq!(words.counted(Word::RowsLeftOut, 1), "1 Zeile ausgelassen");
/// assert_eq!(words.with(Word::Footnote, "3"), "Fußnote 3");
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Vocabulary {
    tag: String,
    own: BTreeMap<String, String>,
}

impl Vocabulary {
    /// The words of a language (BCP 47), with the writer's own by their keys.
    pub fn new(tag: &str, own: BTreeMap<String, String>) -> Self {
        Vocabulary { tag: tag.into(), own }
    }

    /// A word.
    pub fn word(&self, word: Word) -> &str {
        self.own.get(word.key()).map_or_else(|| Language::of(&self.tag).word(word), String::as_str)
    }

    /// The form of a word that stands with many, without their number.
    pub fn many(&self, word: Word) -> &str {
        let forms = self.own.get(word.key()).map_or_else(|| Language::of(&self.tag).forms(word), String::as_str);
        forms.rsplit('~').next().unwrap_or(forms)
    }

    /// What stands above a notice that has no title of its own.
    pub fn notice(&self, kind: NoticeKind) -> &str {
        self.word(match kind {
            NoticeKind::Note => Word::Note,
            NoticeKind::Tip => Word::Tip,
            NoticeKind::Important => Word::Important,
            NoticeKind::Caution => Word::Caution,
            NoticeKind::Danger => Word::Danger,
        })
    }

    /// A word in the form that stands with a number, with the number in it.
    pub fn counted(&self, word: Word, number: usize) -> String {
        let language = Language::of(&self.tag);
        language.counted_in(self.own.get(word.key()).map_or_else(|| language.forms(word), String::as_str), number)
    }

    /// A word with something in the place of its `#`.
    pub fn with(&self, word: Word, what: &str) -> String {
        self.word(word).replace('#', what)
    }

    /// A number of so many, as in `3 of 12`.
    pub fn of(&self, word: Word, what: &str, all: &str) -> String {
        self.word(word).replace('#', what).replace('@', all)
    }
}
