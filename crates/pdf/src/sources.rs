//! What the typesetter reads: the text in one source, behind what it is made to look by, or, while somebody looks at
//! proofs, with a source for each of these and for each chapter.
//!
//! The typesetter remembers what it read in a source as a whole. With one for each chapter, a changed word costs the
//! reading of its chapter. A chapter keeps its source while others come and go before it, since places in a text are
//! known by their sources.

use crate::template::called_by;
use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};

/// What the source is called that others are read from.
const MAIN: &str = "main.typ";
/// What the template is called as a source.
const TEMPLATE: &str = "template.typ";
/// What each source but the template begins with.
const HEAD: &str = "#import \"template.typ\": *\n";

/// No more chapters have sources of their own than this: of a longer text, several together. The typesetter can tell
/// some 65,000 files apart.
const MOST_CHAPTERS: usize = 1000;

/// A text in sources.
#[derive(Clone)]
pub(crate) enum Sources {
    /// In one source.
    One(Arc<One>),
    /// In several, which outlast the setting: most of the next text is in them.
    Several(Several),
}

/// A text as one source.
pub(crate) struct One {
    file: FileId,
    /// What the text is made to look by, and the text itself from `begins` on.
    text: String,
    begins: usize,
    /// As the typesetter reads it, which takes ten times the memory.
    read: Mutex<Option<Source>>,
}

/// A text in a main source, one for what it is made to look by, and one for each chapter.
#[derive(Clone)]
pub(crate) struct Several {
    main: Source,
    text: String,
    template: Option<Source>,
    /// The numbers of the chapters' sources, in order, and these.
    chapters: Vec<(usize, Source)>,
    by_file: HashMap<FileId, (Source, Option<Begin>)>,
}

/// Where a part of the text begins.
#[derive(Clone, Copy)]
struct Begin {
    in_source: usize,
    in_text: usize,
}

impl Begin {
    /// The byte of the text that a byte of the source is.
    fn byte_of(self, byte: usize) -> Option<usize> {
        Some(self.in_text + byte.checked_sub(self.in_source)?)
    }
}

impl Sources {
    /// A text as one source, with the definitions that it calls of those that it is made to look by.
    pub fn one(look: &str, text: String) -> Self {
        let called = called_by(&text, look);
        let text = [called.as_str(), &text].concat();
        Sources::One(Arc::new(One { file: file_id(MAIN), text, begins: called.len(), read: Mutex::default() }))
    }

    /// What a text is made to look by in a source of its own, and one for each chapter, which begin at `cuts`. What they
    /// have in common with `earlier` sources is known to the typesetter by the same marks.
    pub fn of_chapters(look: String, text: String, cuts: &[usize], earlier: Option<Sources>) -> Self {
        let (earlier_main, earlier_template, earlier_chapters) = match earlier {
            Some(Sources::Several(earlier)) => (Some(earlier.main), earlier.template, earlier.chapters),
            _ => (None, None, Vec::new()),
        };
        if cuts.is_empty() {
            let main = source_after(earlier_main, MAIN, [look.as_str(), &text].concat());
            let begin = Begin { in_source: look.len(), in_text: 0 };
            let by_file = HashMap::from([(main.id(), (main.clone(), Some(begin)))]);
            return Sources::Several(Several { main, text, template: None, chapters: Vec::new(), by_file });
        }
        let template = source_after(earlier_template, TEMPLATE, look);
        let starts: Vec<usize> = cuts.iter().copied().step_by(cuts.len().div_ceil(MOST_CHAPTERS).max(1)).collect();
        let ends = starts.iter().skip(1).copied().chain([text.len()]);
        let texts: Vec<String> = starts.iter().zip(ends).map(|(&start, end)| with_head(&text[start..end])).collect();
        let chapters = chapters(texts, earlier_chapters);
        let first = starts.first().copied().unwrap_or(text.len());
        let mut main = with_head(&text[..first]);
        for (number, _) in &chapters {
            main += &format!("\n\n#include \"{}\"\n", chapter_name(*number));
        }
        let main = source_after(earlier_main, MAIN, main);
        let all = chapters.iter().zip(starts).map(|((_, source), start)| (source, Some(start)));
        let all = all.chain([(&template, None), (&main, Some(0))]);
        let begin = |in_text| Begin { in_source: HEAD.len(), in_text };
        let by_file = all.map(|(source, start)| (source.id(), (source.clone(), start.map(begin)))).collect();
        Sources::Several(Several { main, text, template: Some(template), chapters, by_file })
    }

    /// The source that the others are read from.
    pub fn main(&self) -> Source {
        match self {
            Sources::One(one) => one.read(),
            Sources::Several(several) => several.main.clone(),
        }
    }

    /// Its file.
    pub fn main_file(&self) -> FileId {
        match self {
            Sources::One(one) => one.file,
            Sources::Several(several) => several.main.id(),
        }
    }

    /// The whole text, without what it is made to look by.
    pub fn text(&self) -> &str {
        match self {
            Sources::One(one) => &one.text[one.begins..],
            Sources::Several(several) => &several.text,
        }
    }

    /// A source by its file.
    pub fn of_file(&self, file: FileId) -> Option<Source> {
        match self {
            Sources::One(one) => (file == one.file).then(|| one.read()),
            Sources::Several(several) => several.by_file.get(&file).map(|(source, _)| source.clone()),
        }
    }

    /// Whether a file is one of the sources.
    pub fn has(&self, file: FileId) -> bool {
        match self {
            Sources::One(one) => file == one.file,
            Sources::Several(several) => several.by_file.contains_key(&file),
        }
    }

    /// The byte of the text that a byte of a source is; nothing for what the text is made to look by.
    pub fn byte_of(&self, file: FileId, byte: usize) -> Option<usize> {
        match self {
            Sources::One(one) => Begin { in_source: one.begins, in_text: 0 }.byte_of(byte),
            Sources::Several(several) => several.by_file.get(&file)?.1?.byte_of(byte),
        }
    }

    /// Gives up what has been read and is not needed again but for what went wrong: it is then read once more.
    pub fn give_up_read(&self) {
        if let Sources::One(one) = self {
            drop(one.held().take());
        }
    }
}

impl One {
    fn held(&self) -> MutexGuard<'_, Option<Source>> {
        self.read.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn read(&self) -> Source {
        self.held().get_or_insert_with(|| Source::new(self.file, self.text.clone())).clone()
    }
}

fn with_head(text: &str) -> String {
    [HEAD, text].concat()
}

fn chapter_name(number: usize) -> String {
    format!("chapter-{number}.typ")
}

/// The sources of chapters. Those that were there before, first and last, stay as they are; those between become others.
fn chapters(texts: Vec<String>, earlier: Vec<(usize, Source)>) -> Vec<(usize, Source)> {
    let is_same = |text: &String, (_, source): &(usize, Source)| source.text() == text;
    let first = texts.iter().zip(&earlier).take_while(|(text, source)| is_same(text, source)).count();
    let most = texts.len().min(earlier.len()) - first;
    let pairs = texts.iter().rev().zip(earlier.iter().rev()).take(most);
    let last = pairs.take_while(|(text, source)| is_same(text, source)).count();
    let mut numbers: BTreeSet<usize> = earlier.iter().map(|(number, _)| *number).collect();
    let count = texts.len();
    let mut sources = earlier;
    let mut behind = sources.split_off(sources.len() - last);
    let mut between = sources.split_off(first).into_iter();
    for text in texts.into_iter().take(count - last).skip(first) {
        let (number, source) = match between.next() {
            Some((number, source)) => (number, Some(source)),
            None => ((0..).find(|number| !numbers.contains(number)).unwrap_or_default(), None),
        };
        numbers.insert(number);
        sources.push((number, source_after(source, &chapter_name(number), text)));
    }
    sources.append(&mut behind);
    sources
}

fn source_after(earlier: Option<Source>, name: &str, text: String) -> Source {
    match earlier {
        Some(mut source) => {
            source.replace(&text);
            source
        }
        None => Source::new(file_id(name), text),
    }
}

#[allow(clippy::expect_used, reason = "the names are ours and have no `..` in them")]
fn file_id(name: &str) -> FileId {
    let path = VirtualPath::new(name).expect("a plain file name is a valid path");
    RootedPath::new(VirtualRoot::Project, path).intern()
}

#[cfg(test)]
mod tests {
    use super::*;

    const LOOK: &str = "#let f = 1\n#let g = 2\n";
    const TEXT: &str = "Title #g.\n\n= One\n\nFirst.\n\n= Two\n\nSecond.\n";

    fn of(text: &str, earlier: Option<Several>) -> Several {
        let cut = |words: &str| text.find(words);
        let mut cuts: Vec<usize> = ["= One", "= Two", "= Three"].into_iter().filter_map(cut).collect();
        cuts.sort_unstable();
        several(Sources::of_chapters(LOOK.into(), text.into(), &cuts, earlier.map(Sources::Several)))
    }

    fn several(sources: Sources) -> Several {
        let Sources::Several(several) = sources else { panic!("one source") };
        several
    }

    fn names(sources: &Several) -> Vec<usize> {
        sources.chapters.iter().map(|(number, _)| *number).collect()
    }

    #[test]
    fn all_of_a_text_is_in_its_sources_at_its_place() {
        let sources = of(TEXT, None);
        assert_eq!((sources.text.as_str(), names(&sources)), (TEXT, vec![0, 1]));
        let all = Sources::Several(sources.clone());
        let mut found = Vec::new();
        for (source, _) in sources.by_file.values() {
            for words in ["Title", "One", "First", "Two", "Second"] {
                if let Some(at) = source.text().find(words) {
                    let byte = all.byte_of(source.id(), at).unwrap();
                    assert!(TEXT[byte..].starts_with(words), "{words} at {byte}");
                    found.push(words);
                }
            }
        }
        found.sort_unstable();
        assert_eq!(found, ["First", "One", "Second", "Title", "Two"]);
        let template = sources.template.as_ref().unwrap();
        assert_eq!((template.text(), all.byte_of(template.id(), 3)), (LOOK, None));
        assert!(sources.main.text().ends_with("#include \"chapter-0.typ\"\n\n\n#include \"chapter-1.typ\"\n"));
        let one = Sources::one(LOOK, TEXT.into());
        let read = one.main();
        assert_eq!((read.text(), one.text()), (["#let g = 2\n", TEXT].concat().as_str(), TEXT));
        assert_eq!([5, 23].map(|byte| one.byte_of(one.main_file(), byte)), [None, Some(12)]);
    }

    #[test]
    fn what_was_given_up_is_read_again_with_the_same_places() {
        let one = Sources::one(LOOK, TEXT.into());
        let first = one.main();
        one.give_up_read();
        let again = one.main();
        let places = |source: &Source| -> Vec<_> {
            source.root().children().map(|node| (node.span(), source.find(node.span()).map(|it| it.range()))).collect()
        };
        assert!(places(&first) == places(&again) && places(&first).len() > 3);
    }

    #[test]
    fn a_chapter_keeps_its_source_while_others_come_and_go() {
        let first = of(TEXT, None);
        let more = of(&TEXT.replace("= Two", "= Three\n\nNew.\n\n= Two"), Some(first.clone()));
        assert_eq!(names(&more), [0, 2, 1], "{:?}", more.main.text());
        assert!(more.chapters[2].1.text().contains("Second") && more.chapters[1].1.text().contains("New"));
        let fewer = of(&TEXT.replace("= One\n\nFirst.\n\n", ""), Some(more));
        assert_eq!(names(&fewer), [1], "{:?}", fewer.main.text());
        let changed = of(&TEXT.replace("First", "Another"), Some(first));
        assert_eq!(names(&changed), [0, 1]);
    }

    #[test]
    fn a_text_of_very_many_chapters_has_no_more_sources_than_can_be_told_apart() {
        let text = "= A\n".repeat(70_000);
        let cuts: Vec<usize> = (0..70_000).map(|at| 4 * at).collect();
        let sources = several(Sources::of_chapters(String::new(), text.clone(), &cuts, None));
        assert!(sources.chapters.len() <= MOST_CHAPTERS);
        let set: String = sources.chapters.iter().map(|(_, source)| &source.text()[HEAD.len()..]).collect();
        assert_eq!(set, text);
    }
}
