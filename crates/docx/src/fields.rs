//! Fields: what the word processor counts and repeats itself, with the words that it would show.

use std::collections::{BTreeMap, BTreeSet};
use vineloom_export::xml::text;

/// A field: what it asks for, and the runs that it shows until it is asked again.
pub(crate) fn field(asks: &str, shown: &str) -> String {
    format!(
        "<w:r><w:fldChar w:fldCharType=\"begin\"/></w:r><w:r><w:instrText xml:space=\"preserve\"> {} </w:instrText></w:r>\
         <w:r><w:fldChar w:fldCharType=\"separate\"/></w:r>{shown}<w:r><w:fldChar w:fldCharType=\"end\"/></w:r>",
        text(asks)
    )
}

/// A run of plain words.
pub(crate) fn run(words: &str) -> String {
    format!("<w:r><w:t xml:space=\"preserve\">{}</w:t></w:r>", text(words))
}

/// The bookmarks of a document: each place has a name that a word processor takes, and a number.
#[derive(Debug, Clone, Default)]
pub(crate) struct Bookmarks {
    names: BTreeMap<String, String>,
    /// The names in small letters: a word processor takes large and small ones for the same.
    taken: BTreeSet<String>,
    count: usize,
}

impl Bookmarks {
    /// The name of a place: letters, digits and underscores, at most forty of them, and no two alike.
    pub fn name(&mut self, place: &str) -> String {
        if let Some(name) = self.names.get(place) {
            return name.clone();
        }
        let plain: String = place.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).take(28).collect();
        // Names that begin with an underscore are hidden from who looks through the bookmarks.
        let mut name = format!("_{plain}");
        let mut count = 1;
        while !self.taken.insert(name.to_ascii_lowercase()) {
            count += 1;
            name = format!("_{plain}_{count}");
        }
        self.names.insert(place.into(), name.clone());
        name
    }

    /// What stands between the marks of a place.
    pub fn around(&mut self, place: &str, inside: &str) -> String {
        let name = self.name(place);
        self.count += 1;
        let id = self.count;
        format!("<w:bookmarkStart w:id=\"{id}\" w:name=\"{name}\"/>{inside}<w:bookmarkEnd w:id=\"{id}\"/>")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_place_has_a_name_that_is_its_own() {
        let mut bookmarks = Bookmarks::default();
        let names = ["a-b", "a.b", "A_B", &"long ".repeat(20)].map(|place| bookmarks.name(place));
        assert_eq!(names[0], "_a_b");
        for (at, name) in names.iter().enumerate() {
            assert!(name.len() <= 40 && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_'), "{name}");
            assert!(names[..at].iter().all(|other| !other.eq_ignore_ascii_case(name)), "{name}");
        }
        assert_eq!(bookmarks.name("a-b"), "_a_b");
    }
}
