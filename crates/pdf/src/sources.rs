//! What the typesetter reads: the text in one source or, while somebody looks at proofs, with a source for each chapter.
//!
//! The typesetter remembers what it read in a source as a whole. With one for each chapter, a changed word costs the
//! reading of its chapter. A chapter keeps its source while others come and go before it, since places in a text are
//! known by their sources.

use std::collections::{BTreeSet, HashMap};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};

/// What the template is called as a source.
const TEMPLATE: &str = "template.typ";
/// What each source but the template begins with.
const HEAD: &str = "#import \"template.typ\": *\n";

/// No more chapters have sources of their own than this: of a longer text, several together. The typesetter can tell
/// some 65,000 files apart.
const MOST_CHAPTERS: usize = 1000;

/// A text in sources.
#[derive(Clone)]
pub(crate) struct Sources {
    main: Source,
    /// The text, where it is in several sources.
    whole: Option<String>,
    template: Option<Source>,
    /// The numbers of the chapters' sources, in order, and these.
    chapters: Vec<(usize, Source)>,
    /// All of them, with the byte of the text at which each begins.
    by_file: HashMap<FileId, (Source, usize)>,
}

impl Sources {
    /// A text as one source.
    pub fn one(text: String) -> Self {
        Self::of_main(Source::new(file_id("main.typ"), text))
    }

    /// A text with a source for its template, which ends at the first of `cuts`, and one for each chapter, which begin at
    /// the others. What it has in common with `earlier` sources is known to the typesetter by the same marks.
    pub fn of_chapters(text: String, cuts: &[usize], earlier: Option<Sources>) -> Self {
        let (earlier_main, earlier_template, earlier_chapters) = match earlier {
            Some(earlier) => (Some(earlier.main), earlier.template, earlier.chapters),
            None => (None, None, Vec::new()),
        };
        let [end_of_template, starts @ ..] = cuts else {
            return Self::of_main(source_after(earlier_main, "main.typ", text));
        };
        let template = source_after(earlier_template, TEMPLATE, text[..*end_of_template].into());
        let starts: Vec<usize> = starts.iter().copied().step_by(starts.len().div_ceil(MOST_CHAPTERS).max(1)).collect();
        let ends = starts.iter().skip(1).copied().chain([text.len()]);
        let texts: Vec<String> = starts.iter().zip(ends).map(|(&start, end)| with_head(&text[start..end])).collect();
        let chapters = chapters(texts, earlier_chapters);
        let first = starts.first().copied().unwrap_or(text.len());
        let mut main = with_head(&text[*end_of_template..first]);
        for (number, _) in &chapters {
            main += &format!("\n\n#include \"{}\"\n", chapter_name(*number));
        }
        let main = source_after(earlier_main, "main.typ", main);
        let all = chapters.iter().zip(starts).map(|((_, source), start)| (source.clone(), start));
        let all = all.chain([(template.clone(), 0), (main.clone(), *end_of_template)]);
        let by_file = all.map(|(source, start)| (source.id(), (source, start))).collect();
        Sources { main, whole: Some(text), template: Some(template), chapters, by_file }
    }

    fn of_main(main: Source) -> Self {
        let by_file = HashMap::from([(main.id(), (main.clone(), 0))]);
        Sources { main, whole: None, template: None, chapters: Vec::new(), by_file }
    }

    /// The source that the others are read from.
    pub fn main(&self) -> &Source {
        &self.main
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        self.whole.as_deref().unwrap_or(self.main.text())
    }

    /// A source by its file.
    pub fn of_file(&self, file: FileId) -> Option<&Source> {
        self.by_file.get(&file).map(|(source, _)| source)
    }

    /// The byte of the text that a byte of a source is.
    pub fn byte_of(&self, file: FileId, byte: usize) -> Option<usize> {
        let (_, begin) = self.by_file.get(&file)?;
        let has_head = self.whole.is_some() && self.template.as_ref().is_none_or(|template| template.id() != file);
        Some(begin + if has_head { byte.saturating_sub(HEAD.len()) } else { byte })
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

    const TEXT: &str = "#let f = 1\n\nTitle.\n\n= One\n\nFirst.\n\n= Two\n\nSecond.\n";

    fn of(text: &str, earlier: Option<Sources>) -> Sources {
        let cut = |words: &str| text.find(words);
        let mut cuts: Vec<usize> = ["\nTitle", "= One", "= Two", "= Three"].into_iter().filter_map(cut).collect();
        cuts.sort_unstable();
        Sources::of_chapters(text.into(), &cuts, earlier)
    }

    fn names(sources: &Sources) -> Vec<usize> {
        sources.chapters.iter().map(|(number, _)| *number).collect()
    }

    #[test]
    fn all_of_a_text_is_in_its_sources_at_its_place() {
        let sources = of(TEXT, None);
        assert_eq!((sources.text(), names(&sources)), (TEXT, vec![0, 1]));
        let mut found = Vec::new();
        for (source, _) in sources.by_file.values() {
            for words in ["#let", "Title", "One", "First", "Two", "Second"] {
                if let Some(at) = source.text().find(words) {
                    let byte = sources.byte_of(source.id(), at).unwrap();
                    assert!(TEXT[byte..].starts_with(words), "{words} at {byte}");
                    found.push(words);
                }
            }
        }
        found.sort_unstable();
        assert_eq!(found, ["#let", "First", "One", "Second", "Title", "Two"]);
        assert!(sources.main().text().ends_with("#include \"chapter-0.typ\"\n\n\n#include \"chapter-1.typ\"\n"));
        let one = Sources::one(TEXT.into());
        assert_eq!(one.byte_of(one.main().id(), 12), Some(12));
    }

    #[test]
    fn a_chapter_keeps_its_source_while_others_come_and_go() {
        let first = of(TEXT, None);
        let more = of(&TEXT.replace("= Two", "= Three\n\nNew.\n\n= Two"), Some(first.clone()));
        assert_eq!(names(&more), [0, 2, 1], "{:?}", more.main().text());
        assert!(more.chapters[2].1.text().contains("Second") && more.chapters[1].1.text().contains("New"));
        let fewer = of(&TEXT.replace("= One\n\nFirst.\n\n", ""), Some(more));
        assert_eq!(names(&fewer), [1], "{:?}", fewer.main().text());
        let changed = of(&TEXT.replace("First", "Another"), Some(first));
        assert_eq!(names(&changed), [0, 1]);
    }

    #[test]
    fn a_text_of_very_many_chapters_has_no_more_sources_than_can_be_told_apart() {
        let text = "= A\n".repeat(70_000);
        let cuts: Vec<usize> = std::iter::once(0).chain((0..70_000).map(|at| 4 * at)).collect();
        let sources = Sources::of_chapters(text.clone(), &cuts, None);
        assert!(sources.chapters.len() <= MOST_CHAPTERS);
        let set: String = sources.chapters.iter().map(|(_, source)| &source.text()[HEAD.len()..]).collect();
        assert_eq!(set, text);
    }
}
