//! What else can be written, for the catalogue in the terminal: keys of front matter, settings of charts, containers,
//! formats; and the everyday words under which somebody may look for any of it.

use super::Format;

/// Something that can be written and is no row of [`TABLE`].
#[derive(Debug, Clone, Copy)]
pub struct Topic {
    /// As it is written.
    pub name: &'static str,
    /// What it belongs to.
    pub kind: TopicKind,
    /// What it takes.
    pub takes: &'static str,
    /// What it means, in a sentence.
    pub help: &'static str,
    /// One use of it.
    pub example: &'static str,
}

/// What a topic belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TopicKind {
    /// A key at the top of front matter.
    FrontMatter,
    /// A table of front matter or of the project file.
    Table,
    /// A setting in the text of a `chart` block.
    Chart,
    /// A container: `::: kind` … `:::`.
    Container,
    /// A format of exports.
    Format,
}

impl TopicKind {
    /// All of them, in the order of the catalogue.
    pub const ALL: [TopicKind; 5] =
        [TopicKind::FrontMatter, TopicKind::Table, TopicKind::Chart, TopicKind::Container, TopicKind::Format];

    /// The heading above its topics.
    pub fn title(self) -> &'static str {
        match self {
            TopicKind::FrontMatter => "Keys of front matter",
            TopicKind::Table => "Tables of front matter and of vineloom.toml",
            TopicKind::Chart => "Settings of charts",
            TopicKind::Container => "Containers",
            TopicKind::Format => "Formats",
        }
    }

    /// Where its topics are written.
    pub fn place(self) -> &'static str {
        match self {
            TopicKind::FrontMatter => "front matter, between two lines +++ at the top of the document",
            TopicKind::Table => "front matter, or vineloom.toml for all documents of a project",
            TopicKind::Chart => "the text of a chart block",
            TopicKind::Container => "a line of its own, and a line ::: at its end",
            TopicKind::Format => "to = [\"…\"] in [export], or --to",
        }
    }
}

const fn topic(
    kind: TopicKind,
    name: &'static str,
    takes: &'static str,
    help: &'static str,
    example: &'static str,
) -> Topic {
    Topic { name, kind, takes, help, example }
}

use TopicKind::{Chart, Container, FrontMatter, Table};

/// Everything of the kind but the formats, which [`topics`] adds.
#[rustfmt::skip]
const TOPICS: &[Topic] = &[
    topic(FrontMatter, "title", "a text", "The title of the document.", "title = \"Reading a soil probe\""),
    topic(FrontMatter, "subtitle", "a text", "What stands below the title.", "subtitle = \"Field guide\""),
    topic(FrontMatter, "authors", "a list of names, or of { name, affiliation }", "Who wrote it, and where they work.", "authors = [\"Ines Calloway\"]"),
    topic(FrontMatter, "date", "\"today\", \"modified\", a date, or any text", "The date: that of the weave, that of the file, or what is written.", "date = \"today\""),
    topic(FrontMatter, "licence", "a text", "Under which licence it may be used.", "licence = \"CC-BY-4.0\""),
    topic(FrontMatter, "language", "a language tag", "The language of the document: of the words that exports add, numbers, dates, hyphenation.", "language = \"de\""),
    topic(FrontMatter, "references", "a list of files", "The BibLaTeX files of works that are cited.", "references = [\"library.bib\"]"),
    topic(FrontMatter, "citation-style", "the name of a style, or a CSL file", "How citations and the list of works look.", "citation-style = \"ieee\""),
    topic(FrontMatter, "library", "a list of documents", "Documents whose blocks can be called here and are never shown.", "library = [\"helpers.vine.md\"]"),
    topic(Table, "parameters", "names with defaults, or { default, allowed, about }", "What can be set from outside, with --set or --each; @[name] in the text.", "[parameters] with month = \"June\" below it"),
    topic(Table, "defaults", "options of blocks", "Options for all live blocks; [defaults.python] for those of a language.", "[defaults] with fold = \"closed\" below it"),
    topic(Table, "block", "options of a block", "Options of one block that are too long for its fence line: [block.NAME].", "[block.daily-mean] with alt = \"…\" below it"),
    topic(Table, "export", "settings of exports", "Settings for all formats that take them; a table named after a format, such as [pdf], is for that one.", "[export] with to = [\"html\", \"pdf\"] below it"),
    topic(Table, "after", "run = [[\"program\", \"word\"]]", "Programs that run when everything is written.", "[after] with run = [[\"git\", \"add\", \"guide.html\"]] below it"),
    topic(Table, "environment", "path = [\"folder\"]", "Where blocks find programs before all others.", "[environment] with path = [\"~/tools/bin\"] below it"),
    topic(Table, "interpreters", "settings of interpreters", "Another command for a language, or a language of your own: [interpreters.NAME].", "[interpreters.python] with command = [\"python3.12\"] below it"),
    topic(Table, "macros", "commands with what they stand for", "Commands of your own for formulas.", "[macros] with \"\\\\R\" = \"\\\\mathbb{R}\" below it"),
    topic(Table, "words", "words of exports", "Other words than those of the language: yes, figure, contents, and so on.", "[words] with figure = \"Fig.\" below it"),
    topic(Table, "script", "headings, comments", "How an ordinary script is read as a document.", "[script] with headings = true below it"),
    topic(Chart, "data", "\"@name\" or a file", "The table that is drawn: what a block gave, CSV, TSV, JSON rows, a workbook.", "data = \"@readings\""),
    topic(Chart, "kind", "line, bar, point, area, box, histogram, heat", "How the rows are drawn.", "kind = \"bar\""),
    topic(Chart, "x", "a column", "What lies along.", "x = \"day\""),
    topic(Chart, "y", "a column, or a list of them", "What goes up.", "y = [\"north\", \"east\"]"),
    topic(Chart, "colour", "a column", "Divides the rows by colour; in a heat map, its numbers are the colours.", "colour = \"plot\""),
    topic(Chart, "panels", "a column", "A small chart for each of its words.", "panels = \"plot\""),
    topic(Chart, "title", "a text", "A title above the chart.", "title = \"June\""),
    topic(Chart, "x-title", "a text", "The title of the axis along; the column's name unless set.", "x-title = \"day of the month\""),
    topic(Chart, "y-title", "a text", "The title of the axis that goes up; the column's name unless set.", "y-title = \"% water\""),
    topic(Chart, "x-scale", "linear, log", "The scale along.", "x-scale = \"log\""),
    topic(Chart, "y-scale", "linear, log", "The scale that goes up.", "y-scale = \"log\""),
    topic(Chart, "bins", "a number", "The steps of a histogram.", "bins = 12"),
    topic(Chart, "stack", "true, false", "Bars of one place stand on one another.", "stack = true"),
    topic(Chart, "error", "a column, or two", "How far each value may be off, or where it reaches down and up.", "error = \"sd\""),
    topic(Container, "tabs", "nothing", "The shallowest headings inside become tabs.", "::: tabs"),
    topic(Container, "note", "a title", "A notice; also tip, caution and danger.", "::: note \"Calibrate first\""),
    topic(Container, "tip", "a title", "A notice with advice.", "::: tip"),
    topic(Container, "important", "a title", "A notice of what must not be missed.", "::: important"),
    topic(Container, "caution", "a title", "A notice of what may go wrong.", "::: caution"),
    topic(Container, "danger", "a title", "A notice of what does harm.", "::: danger"),
    topic(Container, "columns", "widths", "What stands side by side, divided by lines ---.", "::: columns"),
    topic(Container, "for", "formats", "What only these formats have.", "::: for html, pdf"),
    topic(Container, "not-for", "formats", "What all formats have but these.", "::: not-for text"),
    topic(Container, "figure", "widths, a caption", "Several pictures under one number, side by side; with 1:1, two in each row: a gallery.", "::: figure 1:1 \"Four plots\" #plots"),
    topic(Container, "table", "a caption", "A Markdown table with a number.", "::: table \"Limits\" #limits"),
    topic(Container, "fold", "a label", "What is folded away at first.", "::: fold \"The details\""),
    topic(Container, "references", "nothing", "Where the list of works cited stands; at the end unless it is there.", "::: references"),
    topic(Container, "speaker", "nothing", "Notes for the speaker of a deck.", "::: speaker"),
    topic(Container, "terms", "a list", "Terms with what each means.", "::: terms"),
    topic(Container, "steps", "nothing", "What comes one by one in a deck.", "::: steps"),
];

/// Everything that can be written and is no row of [`TABLE`].
pub fn topics() -> Vec<Topic> {
    let format = |format: Format| {
        let (help, example) = about(format);
        topic(TopicKind::Format, format.word(), "its own table of settings", help, example)
    };
    TOPICS.iter().copied().chain(Format::ALL.into_iter().map(format)).collect()
}

fn about(format: Format) -> (&'static str, &'static str) {
    match format {
        Format::Html => ("A page in one file, NAME.html, for browsers.", "to = [\"html\"]"),
        Format::Pdf => ("Print, NAME.pdf.", "to = [\"pdf\"]"),
        Format::Markdown => ("Your own text with the results in it, NAME.md, for a code host.", "to = [\"markdown\"]"),
        Format::Deck => ("Slides for browsers, NAME-deck.html.", "to = [\"deck\"]"),
        Format::DeckPdf => ("Slides in print, NAME-deck.pdf, and handouts.", "to = [\"deck-pdf\"]"),
        Format::Pptx => ("Slides for an office program, NAME.pptx.", "to = [\"pptx\"]"),
        Format::Text => ("Plain text with ruled boxes, NAME.txt.", "to = [\"text\"]"),
        Format::Docx => ("A document for a word processor, NAME.docx.", "to = [\"docx\"]"),
        Format::Epub => ("A book for e-readers, NAME.epub.", "to = [\"epub\"]"),
        Format::Latex => ("A LaTeX source, NAME.tex.", "to = [\"latex\"]"),
        Format::Notebook => ("A notebook with the results in it, NAME.ipynb.", "to = [\"notebook\"]"),
    }
}

/// Everyday words, each with what it is called here: names, and words that stand in meanings.
const EVERYDAY: &[(&str, &[&str])] = &[
    ("author", &["authors"]),
    ("by", &["authors"]),
    ("writer", &["authors"]),
    ("today", &["date"]),
    ("day", &["date"]),
    ("color", &["colour", "code-colours", "theme", "accent"]),
    ("colors", &["colour", "code-colours", "theme", "accent"]),
    ("colours", &["colour", "code-colours", "theme", "accent"]),
    ("dark", &["theme", "code-colours"]),
    ("light", &["theme"]),
    ("look", &["theme", "style"]),
    ("css", &["style"]),
    ("stylesheet", &["style"]),
    ("cite", &["references", "citation-style", "citations"]),
    ("citation", &["references", "citation-style", "citations"]),
    ("bibliography", &["references", "citation-style"]),
    ("bibtex", &["references"]),
    ("footnote", &["references"]),
    ("chart", &["data", "kind", "x", "y", "colour", "panels", "bins"]),
    ("graph", &["data", "kind", "figure-format"]),
    ("plot", &["data", "kind", "figure-format", "width", "height", "dpi"]),
    ("image", &["figure", "alt", "width", "height"]),
    ("picture", &["figure", "alt", "width", "height", "cover"]),
    ("photo", &["figure", "alt"]),
    ("source", &["attach", "from", "show"]),
    ("download", &["attach"]),
    ("hide", &["show", "without-code", "fold"]),
    ("echo", &["show"]),
    ("collapse", &["fold"]),
    ("slide", &["deck", "deck-pdf", "pptx", "per-sheet", "steps"]),
    ("slides", &["deck", "deck-pdf", "pptx", "per-sheet", "steps"]),
    ("presentation", &["deck", "deck-pdf", "pptx"]),
    ("book", &["epub", "cover", "chapter-level"]),
    ("tex", &["latex"]),
    ("toc", &["contents", "contents-depth"]),
    ("numbering", &["numbered", "lines"]),
    ("sections", &["numbered", "contents"]),
    ("timeout", &["time-limit"]),
    ("cache", &["run", "reads"]),
    ("rerun", &["run"]),
    ("fail", &["exit", "stop"]),
    ("error", &["exit", "stop", "show"]),
    ("warning", &["show"]),
    ("stderr", &["show"]),
    ("folder", &["cwd"]),
    ("directory", &["cwd"]),
    ("input", &["stdin", "reads"]),
    ("variable", &["with", "env", "parameters"]),
    ("argument", &["takes", "parameters"]),
    ("parameter", &["parameters", "takes"]),
    ("round", &["digits"]),
    ("decimal", &["digits", "align"]),
    ("plural", &["unit"]),
    ("font", &["font", "code-font", "font-size"]),
    ("page", &["paper", "margins", "layout"]),
    ("landscape", &["orientation", "paper"]),
    ("heatmap", &["kind"]),
    ("gallery", &["figure"]),
    ("snippet", &["from"]),
    ("include", &["from"]),
    ("excerpt", &["from"]),
    ("logo", &["page-head", "styles-from", "cover"]),
    ("brand", &["accent", "style", "page-head", "styles-from"]),
    ("house", &["accent", "style", "page-head", "styles-from"]),
    ("letter", &["paper"]),
    ("abstract", &["subtitle"]),
    ("license", &["licence"]),
    ("translation", &["language", "words"]),
    ("equation", &["macros"]),
    ("math", &["macros"]),
    ("git", &["after"]),
    ("publish", &["after"]),
    ("hook", &["after"]),
    ("shell", &["stop"]),
    ("crop", &["trim"]),
    ("shorten", &["trim"]),
    ("truncate", &["trim"]),
    ("highlight", &["mark", "code-colours"]),
    ("warning box", &["note", "caution"]),
    ("callout", &["note", "tip", "caution"]),
    ("admonition", &["note", "tip", "caution"]),
];

/// How well something answers a word that somebody looks for: by its name, by an everyday word, by its values, by its
/// meaning. Less is better; nothing when it does not.
pub fn answers(word: &str, name: &str, takes: &str, help: &str) -> Option<u8> {
    let word = word.trim().to_lowercase();
    let one = word.strip_suffix('s').filter(|one| one.len() > 2);
    let everyday =
        |word: &str| EVERYDAY.iter().find(|(known, _)| *known == word).is_some_and(|(_, names)| names.contains(&name));
    let holds = |text: &str| text.to_lowercase().contains(&word);
    match () {
        () if name == word || one.is_some_and(|one| name == one) => Some(0),
        () if everyday(&word) || one.is_some_and(everyday) => Some(1),
        () if name.contains(&*word) => Some(2),
        () if holds(takes) => Some(3),
        () if holds(help) => Some(4),
        () => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::options::{Place, TABLE, entry};

    #[test]
    fn every_key_of_front_matter_is_in_the_catalogue() {
        let known: Vec<&str> = topics().iter().map(|topic| topic.name).collect();
        for key in crate::front_matter::TITLE_BLOCK.iter().chain(&crate::front_matter::TABLES) {
            assert!(known.contains(key), "{key}");
        }
        for format in Format::ALL {
            assert!(known.contains(&format.word()));
        }
    }

    #[test]
    fn every_setting_of_charts_is_in_the_catalogue() {
        let known: Vec<&str> = topics().iter().filter(|it| it.kind == TopicKind::Chart).map(|it| it.name).collect();
        assert_eq!(known, vineloom_chart::KEYS);
    }

    #[test]
    fn everyday_words_lead_to_something() {
        let topics = topics();
        for (word, names) in EVERYDAY {
            for name in *names {
                let there =
                    topics.iter().any(|topic| topic.name == *name) || TABLE.iter().any(|entry| entry.name == *name);
                assert!(there, "{word}: {name}");
            }
        }
        for (word, name) in [
            ("author", "authors"),
            ("today", "date"),
            ("color", "theme"),
            ("dark", "theme"),
            ("cite", "references"),
            ("source", "attach"),
            ("slides", "deck"),
        ] {
            let topic = topics.iter().find(|topic| topic.name == name);
            let (takes, help) = match (topic, entry(name, Place::Export)) {
                (Some(topic), _) => (topic.takes.to_string(), topic.help),
                (None, Some(entry)) => (entry.kind.allowed(), entry.help),
                (None, None) => panic!("{name}"),
            };
            assert!(answers(word, name, &takes, help).is_some_and(|rank| rank <= 3), "{word}");
        }
        assert_eq!(answers("zebra", "theme", "", ""), None);
    }
}
