//! What came back of a document that was given away: remarks in a word processor's file, each with the line of the document
//! that it is about.

use std::collections::{BTreeMap, BTreeSet};
use vineloom_docx::{Remark, Unreadable, remarks};

/// A remark, and the line of the document that it is about, from 1; nothing where none has its words.
pub type Placed = (Option<usize>, Remark);

/// The remarks in a returned file, in the order of its text.
///
/// # Errors
/// [`Unreadable`] where the file is none of a word processor.
pub fn compare(document: &str, returned: &[u8]) -> Result<Vec<Placed>, Unreadable> {
    let sections = sections(document);
    let found = remarks(returned)?;
    Ok(found.into_iter().map(|remark| (line_of(&sections, &remark), remark)).collect())
}

/// A section of a document: lines without an empty one between them.
struct Section {
    /// The number of its first line, from 1.
    first: usize,
    lines: Vec<BTreeSet<String>>,
    words: BTreeMap<String, usize>,
}

fn words(text: &str) -> impl Iterator<Item = String> {
    text.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty()).map(str::to_lowercase)
}

fn sections(document: &str) -> Vec<Section> {
    let mut sections: Vec<Section> = Vec::new();
    let mut is_new = true;
    for (at, line) in document.lines().enumerate() {
        if line.trim().is_empty() {
            is_new = true;
            continue;
        }
        if std::mem::take(&mut is_new) {
            sections.push(Section { first: at + 1, lines: Vec::new(), words: BTreeMap::new() });
        }
        if let Some(section) = sections.last_mut() {
            section.lines.push(words(line).collect());
            words(line).for_each(|word| *section.words.entry(word).or_default() += 1);
        }
    }
    sections
}

/// How much of what two texts say is in both: from 0 to 1.
fn likeness(section: &Section, wanted: &BTreeMap<String, usize>) -> f64 {
    let shared: usize =
        wanted.iter().map(|(word, count)| section.words.get(word).copied().unwrap_or(0).min(*count)).sum();
    let all: usize = wanted.values().sum::<usize>() + section.words.values().sum::<usize>();
    if all == 0 { 0.0 } else { 2.0 * shared as f64 / all as f64 }
}

/// The least likeness of a paragraph and what it was made of: values and references are other words there.
const LEAST: f64 = 0.2;

fn line_of(sections: &[Section], remark: &Remark) -> Option<usize> {
    let mut wanted = BTreeMap::new();
    words(&remark.paragraph).for_each(|word| *wanted.entry(word).or_default() += 1);
    let about: BTreeSet<String> = words(remark.about()).collect();
    let shares = |line: &BTreeSet<String>| about.intersection(line).count();
    let scored = sections.iter().map(|section| {
        // One line of many, as in code, may be the whole paragraph.
        let best = section.lines.iter().map(|line| {
            let shared = wanted.keys().filter(|word| line.contains(*word)).count();
            2.0 * shared as f64 / (line.len() + wanted.len()).max(1) as f64
        });
        let best = best.fold(0.0, f64::max);
        (section, likeness(section, &wanted).max(best * 0.95))
    });
    let (section, score) = scored.max_by(|one, other| one.1.total_cmp(&other.1))?;
    if score < LEAST {
        return None;
    }
    let like = |line: &BTreeSet<String>| wanted.keys().filter(|word| line.contains(*word)).count();
    // The line that has the most of what the remark is about; of several, the one that is most like the paragraph.
    let best = section.lines.iter().enumerate().max_by_key(|(at, line)| (shares(line), like(line), usize::MAX - at));
    best.map(|(at, _)| section.first + at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_docx::RemarkKind;

    #[test]
    fn a_remark_is_about_the_line_that_has_its_words() {
        let document = "# Soil\n\nThe plot dries *slowly* from\nabove, and @[days] days later\nthe roots are dry.\n\n```python\nx = 1\nprint(x)\n```\n";
        let line = |paragraph: &str, about: &str| {
            let kind = RemarkKind::Comment { says: "?".into(), about: about.into() };
            let (author, date) = (String::new(), String::new());
            line_of(&sections(document), &Remark { kind, author, date, paragraph: paragraph.into() })
        };
        let paragraph = "The plot dries slowly from above, and 12 days later the roots are dry.";
        assert_eq!(line(paragraph, "slowly"), Some(3));
        assert_eq!(line(paragraph, "the roots"), Some(5));
        assert_eq!(line("Soil", ""), Some(1));
        assert_eq!(line("print(x)", "print"), Some(9));
        assert_eq!(line("Words of another document altogether", "Words"), None);
    }
}
