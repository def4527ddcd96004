//! The words that exports are made with beside the writer's own, by language: the table is `languages.txt`.

use std::collections::BTreeMap;

macro_rules! words {
    ($($name:ident $key:literal,)*) => {
        /// A word, or a few, that an export is made with beside the writer's own.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
        #[allow(missing_docs, reason = "each is what it says in English, in the first column of the table")]
        pub enum Word {
            $($name,)*
        }

        impl Word {
            /// All of them.
            pub const ALL: &[Word] = &[$(Word::$name,)*];

            /// By what it is found in the table, and in `[words]`.
            pub fn key(self) -> &'static str {
                match self {
                    $(Word::$name => $key,)*
                }
            }
        }
    };
}

words! {
    Yes "yes", No "no", Missing "missing", And "and", Or "or",
    LinesOfCode "lines-of-code",
    Figure "figure", Table "table", Listing "listing", Equation "equation", Section "section", Line "line",
    Contents "contents", WorksCited "works-cited", Footnotes "footnotes", Footnote "footnote",
    Note "note", Tip "tip", Important "important", Caution "caution", Danger "danger",
    Licence "licence", PageOf "page-of", Notes "notes", Links "links", Picture "picture", Untitled "untitled", More "more",
    ToTheText "to-the-text", UnfoldAll "unfold-all", FoldAll "fold-all", DarkPage "dark-page", LightPage "light-page",
    Copy "copy", Copied "copied", LinkTo "link-to", BackToTheText "back-to-the-text", BackToCitation "back-to-citation",
    Code "code", Output "output", Value "value", Notices "notices", Error "error",
    PreviousFigure "previous-figure", NextFigure "next-figure", Close "close", Enlarge "enlarge", TakeAlong "take-along",
    RowsLeftOut "rows-left-out", LinesLeftOut "lines-left-out", Empty "empty", ColumnsOf "columns-of",
    Slides "slides", TheDeck "the-deck", Back "back", On "on", Menu "menu", All "all", Speaker "speaker",
    FullScreen "full-screen", Keys "keys", FirstAndLastSlide "first-and-last-slide", Slide "slide", AllSlides "all-slides",
    SpeakersWindow "speakers-window", Black "black", LightOrDark "light-or-dark", TheseKeys "these-keys",
    TimeAgain "time-again",
}

/// The table, as it is written.
const TABLE: &str = include_str!("languages.txt");
/// What parts the forms of a plural.
pub(crate) const FORMS: char = '~';

/// What a language says, by the keys of the table.
pub(crate) type Cells = BTreeMap<&'static str, &'static str>;

/// The lines of the table, the first of which names the languages.
fn lines() -> impl Iterator<Item = &'static str> {
    TABLE.lines().filter(|line| !line.starts_with('#'))
}

/// The cells of a line.
fn cells_of(line: &'static str) -> impl Iterator<Item = &'static str> {
    line.split('|').map(str::trim)
}

/// A line of what a region says otherwise than its language, in pairs: the region, and where these begin.
fn region_of(line: &'static str) -> Option<(&'static str, &'static str)> {
    let (region, pairs) = line.strip_prefix('@')?.split_once('|')?;
    Some((region.trim(), pairs))
}

/// The languages of the table by their tags, those with a region last.
pub(crate) fn tags() -> Vec<&'static str> {
    let alone = lines().next().into_iter().flat_map(cells_of).filter(|tag| !tag.is_empty());
    alone.chain(lines().filter_map(region_of).map(|(region, _)| region)).collect()
}

/// The cells of one language, so that a document costs the reading of its own: with a region those of the language, but
/// for what the region says otherwise.
pub(crate) fn cells(tag: &str) -> Cells {
    let own = lines().filter_map(region_of).find(|(region, _)| *region == tag);
    let alone = if tag == "nn" { "nb" } else { tag.split('-').next().unwrap_or(tag) };
    let mut words = Cells::new();
    let Some(column) = lines().next().into_iter().flat_map(cells_of).position(|known| known == alone) else {
        return words;
    };
    for line in lines().skip(1).filter(|line| region_of(line).is_none()) {
        let mut cells = cells_of(line);
        if let (Some(key), Some(cell)) = (cells.next(), cells.nth(column - 1)) {
            words.insert(key, cell);
        }
    }
    let mut pairs = own.into_iter().flat_map(|(_, pairs)| cells_of(pairs));
    while let (Some(key), Some(cell)) = (pairs.next(), pairs.next()) {
        words.insert(key, cell);
    }
    words
}

/// Which form of a plural stands with a number, by the rules of a language (the plural rules of Unicode's CLDR for whole
/// numbers). A word with fewer forms has its last one for all that are left.
pub(crate) fn form(tag: &str, number: usize) -> usize {
    let (tens, hundreds) = (number % 10, number % 100);
    let few = (2..=4).contains(&tens) && !(12..=14).contains(&hundreds);
    match tag.split('-').next().unwrap_or(tag) {
        "ja" | "zh" | "ko" => 0,
        "fr" | "pt" => usize::from(number > 1),
        "ru" | "uk" => match () {
            () if tens == 1 && hundreds != 11 => 0,
            () if few => 1,
            () => 2,
        },
        "pl" => match () {
            () if number == 1 => 0,
            () if few => 1,
            () => 2,
        },
        "cs" => match number {
            1 => 0,
            2..=4 => 1,
            _ => 2,
        },
        "ar" => match number {
            0..=2 => number,
            _ if (3..=10).contains(&hundreds) => 3,
            _ if hundreds >= 11 => 4,
            _ => 5,
        },
        _ => usize::from(number != 1),
    }
}

/// The form of a plural out of those that a cell holds.
pub(crate) fn pick(forms: &str, at: usize) -> &str {
    let mut last = "";
    for (number, form) in forms.split(FORMS).enumerate() {
        last = form;
        if number == at {
            break;
        }
    }
    last
}
