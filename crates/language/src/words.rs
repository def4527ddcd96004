//! The words that exports are made with beside the writer's own, by language: the table is `languages.txt`.

use std::collections::BTreeMap;
use std::sync::OnceLock;

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

/// All languages with their cells, those with a region last: their cells are those of the language, but for what the region
/// says otherwise.
pub(crate) fn table() -> &'static [(&'static str, Cells)] {
    static READ: OnceLock<Vec<(&'static str, Cells)>> = OnceLock::new();
    READ.get_or_init(|| {
        let mut lines = TABLE.lines().filter(|line| !line.starts_with('#'));
        let cells = |line: &'static str| line.split('|').map(str::trim);
        let tags = lines.next().into_iter().flat_map(cells).filter(|tag| !tag.is_empty());
        let mut languages: Vec<(&str, Cells)> = tags.map(|tag| (tag, Cells::new())).collect();
        for line in lines {
            let mut cells = cells(line);
            let key = cells.next().unwrap_or_default();
            let Some(region) = key.strip_prefix('@').map(str::trim) else {
                for ((_, language), cell) in languages.iter_mut().zip(cells) {
                    language.insert(key, cell);
                }
                continue;
            };
            let alone = if region == "nn" { "nb" } else { region.split('-').next().unwrap_or(region) };
            let mut own =
                languages.iter().find(|(tag, _)| *tag == alone).map(|(_, cells)| cells.clone()).unwrap_or_default();
            while let (Some(key), Some(cell)) = (cells.next(), cells.next()) {
                own.insert(key, cell);
            }
            languages.push((region, own));
        }
        languages
    })
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
