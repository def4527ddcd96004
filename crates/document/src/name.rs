//! Names of things: blocks, sections, equations, works.

use ecow::{EcoString, eco_format};
use serde::{Deserialize, Serialize};
use std::borrow::Borrow;
use std::collections::{BTreeSet, HashMap};
use std::fmt;

/// A name as written after `@`: letters, digits, `-` and `_`, starting with a letter.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Name(EcoString);

impl Name {
    /// Reads a name; nothing when the text is not one.
    ///
    /// ```
    /// # use vineloom_document::Name;
    /// assert!(Name::new("daily-mean").is_some());
    /// assert!(Name::new("2nd").is_none());
    /// ```
    pub fn new(text: &str) -> Option<Self> {
        let mut chars = text.chars();
        let first = chars.next()?;
        let valid = first.is_alphabetic() && chars.all(|c| c.is_alphanumeric() || c == '-' || c == '_');
        valid.then(|| Name(text.into()))
    }

    /// The name that a block of another document has in this one: `plots/june.vine.md@total` is `plots-june-total`.
    pub(crate) fn within(&self, scope: &Scope) -> Name {
        Name(eco_format!("{}-{}", scope.0, self.0))
    }

    /// The name without its `@`.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl Borrow<str> for Name {
    fn borrow(&self) -> &str {
        &self.0
    }
}

/// What the names of another document are put behind, so that they are not mistaken for this document's own.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Scope(String);

impl Scope {
    /// The scope of a document, by its path.
    pub fn of(path: &str) -> Self {
        let path = path.strip_suffix(".md").or_else(|| path.strip_suffix(".markdown")).unwrap_or(path);
        let path = path.strip_suffix(".vine").unwrap_or(path);
        let words = path.split(|c: char| !c.is_alphanumeric() && c != '_').filter(|word| !word.is_empty());
        let scope = words.collect::<Vec<_>>().join("-");
        Scope(if scope.starts_with(char::is_alphabetic) { scope } else { format!("of-{scope}") })
    }

    /// What a name that stands behind it is called in the other document.
    pub fn inside<'a>(&self, name: &'a str) -> Option<&'a str> {
        name.strip_prefix(&self.0)?.strip_prefix('-')
    }

    /// The scope as a word.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// The candidate most like `word`, if any is like enough to be a slip of the hand.
///
/// Likeness is Jaro-Winkler similarity of at least 0.8, or an edit distance of one.
pub fn nearest<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    candidates
        .into_iter()
        .map(|candidate| {
            let score = strsim::jaro_winkler(word, candidate);
            // The edit distance is dear: it is asked of words that it can bring nearer only.
            let close = candidate.len() > 2
                && (0.5..0.95).contains(&score)
                && word.chars().count().abs_diff(candidate.chars().count()) <= 1
                && strsim::damerau_levenshtein(word, candidate) <= 1;
            (if close { score.max(0.95) } else { score }, candidate)
        })
        .filter(|(score, _)| *score >= 0.8)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, candidate)| candidate)
}

/// A heading's words as an id: lower case, hyphens for spaces, nothing else but letters and digits.
pub fn slug(text: &str) -> String {
    let mut slug = String::new();
    for c in text.chars() {
        if c.is_alphanumeric() {
            slug.extend(c.to_lowercase());
        } else if !slug.is_empty() && !slug.ends_with('-') && (c.is_whitespace() || c == '-' || c == '_') {
            slug.push('-');
        }
    }
    slug.trim_end_matches('-').to_string()
}

/// Identifiers that are given out, none of them twice.
#[derive(Debug, Clone, Default)]
pub struct Ids {
    taken: BTreeSet<String>,
    /// How far the numbers behind the same words have come.
    counted: HashMap<String, usize>,
}

impl Ids {
    /// Those that are taken already.
    pub fn beside(taken: impl IntoIterator<Item = String>) -> Self {
        Ids { taken: taken.into_iter().collect(), counted: HashMap::new() }
    }

    /// One that nothing else has: the words, or the words and a number.
    pub fn free(&mut self, wanted: &str) -> String {
        let wanted = if wanted.is_empty() { "section" } else { wanted };
        if self.taken.insert(wanted.to_string()) {
            return wanted.to_string();
        }
        // None is ever given back: what was passed over once is still taken.
        let count = self.counted.entry(wanted.to_string()).or_insert(1);
        loop {
            *count += 1;
            let id = format!("{wanted}-{count}");
            if self.taken.insert(id.clone()) {
                return id;
            }
        }
    }

    /// Whether an identifier is taken.
    pub fn contains(&self, id: &str) -> bool {
        self.taken.contains(id)
    }

    /// All that are taken, in the order of the alphabet.
    pub fn iter(&self) -> impl Iterator<Item = &str> {
        self.taken.iter().map(String::as_str)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_start_with_a_letter_and_have_no_spaces() {
        assert!(Name::new("a_1-b").is_some());
        assert!(Name::new("économie").is_some());
        for bad in ["", "1a", "-a", "a b", "a.b", "a:b"] {
            assert!(Name::new(bad).is_none(), "{bad:?} is not a name");
        }
    }

    #[test]
    fn the_nearest_word_is_a_slip_not_a_stranger() {
        assert_eq!(nearest("fodl", ["fold", "show", "width"]), Some("fold"));
        assert_eq!(nearest("daily-maen", ["daily-mean", "count"]), Some("daily-mean"));
        assert_eq!(nearest("elephant", ["fold", "show"]), None);
    }

    #[test]
    fn ids_come_from_words() {
        assert_eq!(slug("What's  new: the Marl_probe?"), "whats-new-the-marl-probe");
        assert_eq!(slug("«»"), "");
    }

    #[test]
    fn no_identifier_is_given_twice_and_each_is_the_first_that_is_free() {
        let mut ids = Ids::beside(["a-3".to_string(), "b".to_string()]);
        let wanted = ["a", "a", "a", "b", "a-2", "", "a", "", "b-2", "b"];
        let given = wanted.map(|wanted| ids.free(wanted));
        assert_eq!(given, ["a", "a-2", "a-4", "b-2", "a-2-2", "section", "a-5", "section-2", "b-2-2", "b-3"]);
        assert!(ids.contains("a-5") && !ids.contains("a-6") && ids.iter().count() == 12);
    }
}
