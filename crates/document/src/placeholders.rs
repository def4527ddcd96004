//! Keeps `@[ … ]` whole while Markdown is parsed.
//!
//! What stands between the brackets is ours and must not be read as emphasis, links or table cells. Before
//! parsing, each value is replaced by a placeholder of the same length in bytes (one private-use character of
//! four bytes, then as many letters `x` as it takes), so that every position stays true; afterwards placeholders
//! are recognised in text, code, links and captions alike, and put back as written where no value is wanted.

use crate::index::ValueIndex;
use crate::inline::{Part, Template};
use crate::span::Span;
use crate::value_use::{self, ValueUse};
use std::borrow::Cow;
use std::collections::{HashMap, HashSet};

/// A text whose values are replaced by placeholders.
pub(crate) struct Placeholders<'t> {
    /// The text to parse.
    pub text: Cow<'t, str>,
    originals: HashMap<char, (ValueUse, String)>,
}

/// The planes of private use, all four bytes in UTF-8.
const PRIVATE_USE: [std::ops::RangeInclusive<u32>; 2] = [0xF0000..=0xFFFFD, 0x10_0000..=0x10_FFFD];

impl<'t> Placeholders<'t> {
    /// The text as it is, with no values in it.
    pub fn none(text: Cow<'t, str>) -> Self {
        Placeholders { text, originals: HashMap::new() }
    }

    /// Replaces the values of `text`, which starts at byte `offset` of the source.
    pub fn new(text: Cow<'t, str>, offset: usize) -> Self {
        let found = value_use::find(&text);
        if found.is_empty() {
            return Placeholders::none(text);
        }
        let taken: HashSet<char> = text.chars().filter(|&c| c as u32 >= 0xF0000).collect();
        let mut free = PRIVATE_USE.into_iter().flatten().filter_map(char::from_u32).filter(|c| !taken.contains(c));
        let mut replaced = String::with_capacity(text.len());
        let mut originals = HashMap::new();
        let mut done = 0;
        for value in found {
            let Span { start, end } = value.span;
            // `@[]` is shorter than a placeholder and stays as it is.
            let Some(placeholder) = (if end - start >= 4 { free.next() } else { None }) else { continue };
            replaced.push_str(&text[done..start]);
            replaced.push(placeholder);
            replaced.extend(std::iter::repeat_n('x', end - start - 4));
            let original = text[start..end].to_string();
            originals.insert(placeholder, (ValueUse { span: value.span.shifted(offset), ..value }, original));
            done = end;
        }
        replaced.push_str(&text[done..]);
        Placeholders { text: Cow::Owned(replaced), originals }
    }

    /// The text as it was written.
    pub fn restore(&self, text: &str) -> String {
        let mut restored = String::with_capacity(text.len());
        self.walk(text, |piece| match piece {
            Piece::Text(text) => restored.push_str(text),
            Piece::Value(_, original) => restored.push_str(original),
        });
        restored
    }

    /// Whether any values are in the text: else it is as it was written.
    pub fn has_values(&self) -> bool {
        !self.originals.is_empty()
    }

    /// The text with its values, each added to `values`.
    pub fn template(&self, text: &str, values: &mut Vec<ValueUse>) -> Template {
        // Most have one part.
        let mut template = Vec::with_capacity(1);
        self.walk(text, |piece| match piece {
            Piece::Text(text) => template.push(Part::Text(text.into())),
            Piece::Value(value, _) => {
                values.push(value.clone());
                template.push(Part::Value(ValueIndex(values.len() - 1)));
            }
        });
        template.into()
    }

    fn walk<'p>(&'p self, text: &'p str, mut each: impl FnMut(Piece<'p>)) {
        if !self.has_values() {
            if !text.is_empty() {
                each(Piece::Text(text));
            }
            return;
        }
        let mut rest = text;
        while let Some((at, found)) =
            rest.char_indices().find_map(|(at, c)| self.originals.get(&c).map(|original| (at, original)))
        {
            if at > 0 {
                each(Piece::Text(&rest[..at]));
            }
            let (value, original) = found;
            each(Piece::Value(value, original));
            rest = rest.get(at + original.len()..).unwrap_or("");
        }
        if !rest.is_empty() {
            each(Piece::Text(rest));
        }
    }
}

enum Piece<'t> {
    Text(&'t str),
    Value(&'t ValueUse, &'t str),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_placeholder_is_as_long_as_its_value_and_comes_back() {
        let text = "a @[count] *b* `@[x.exit]` \u{F0000} é";
        let placeholders = Placeholders::new(text.into(), 0);
        assert_eq!(placeholders.text.len(), text.len());
        assert!(!placeholders.text.contains("@["));
        assert_eq!(placeholders.restore(&placeholders.text), text);
        let mut values = Vec::new();
        let template = placeholders.template(&placeholders.text, &mut values);
        assert_eq!(values.len(), 2);
        assert_eq!(template[0], Part::Text("a ".into()));
        assert_eq!(template[1], Part::Value(ValueIndex(0)));
    }
}
