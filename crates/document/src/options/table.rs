//! The table of options. See the module above for how it is used.

use super::format::Format;
use super::value::{Kind, OptionValue};
use vineloom_table::ColumnAlign;

/// Where an option may be written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Place {
    /// On a live block: its fence line, `[block.NAME]`, `[defaults]`.
    Block,
    /// In `[export]`, and in the tables of the formats that take it.
    Export,
    /// In `[interpreters.NAME]`.
    Interpreter,
    /// In `[environment]`.
    Environment,
    /// In `[after]`.
    After,
    /// In `[script]`.
    Script,
}

/// What changing an option can do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Effect {
    /// It can change what a block gives: it is part of the block's key.
    Outcome,
    /// It decides whether or when a block runs, or what counts as failure, never what it gives.
    Running,
    /// Only the looks: changing it never runs anything.
    Looks,
}

impl Effect {
    /// What changing the option does, in a sentence without a full stop.
    pub fn words(self) -> &'static str {
        match self {
            Effect::Outcome => "changing it runs the block",
            Effect::Running => "decides whether and when the block runs",
            Effect::Looks => "looks: changing it never runs anything",
        }
    }
}

/// One option.
#[derive(Debug, Clone, Copy)]
pub struct OptionEntry {
    /// As it is written.
    pub name: &'static str,
    /// What it may be set to.
    pub kind: Kind,
    /// The default as it would be written; empty when there is none.
    pub default: &'static str,
    /// Where it may be written.
    pub place: Place,
    /// For an option of exports: the formats that take it. One that no format takes stands in `[export]` alone.
    pub formats: &'static [Format],
    /// What changing it can do.
    pub effect: Effect,
    /// What it means, in a sentence.
    pub help: &'static str,
    /// One use of it.
    pub example: &'static str,
}

impl OptionEntry {
    /// The default as a value; nothing when there is none.
    pub fn default_value(&self) -> Option<OptionValue> {
        if self.default.is_empty() { None } else { self.kind.read(self.default).ok() }
    }
}

const fn row(
    name: &'static str,
    kind: Kind,
    default: &'static str,
    place: Place,
    effect: Effect,
    help: &'static str,
    example: &'static str,
) -> OptionEntry {
    OptionEntry { name, kind, default, place, formats: &[], effect, help, example }
}

impl OptionEntry {
    /// The same option, taken by these formats.
    const fn of(self, formats: &'static [Format]) -> Self {
        OptionEntry { formats, ..self }
    }

    /// For an option of exports: the formats that take it, as a list.
    pub fn formats_in_words(&self) -> Option<String> {
        let words: Vec<&str> = self.formats.iter().map(|format| format.word()).collect();
        (!words.is_empty()).then(|| words.join(", "))
    }

    /// Whether it may be written in the table of a format; without one, in `[export]`.
    pub fn fits(&self, format: Option<Format>) -> bool {
        format.is_none_or(|format| self.formats.contains(&format))
    }
}

/// What is laid out for readers: all formats that are made from the tree.
const LAID_OUT: &[Format] = &[
    Format::Html,
    Format::Pdf,
    Format::Deck,
    Format::DeckPdf,
    Format::Pptx,
    Format::Text,
    Format::Docx,
    Format::Epub,
    Format::Latex,
];
/// What can have contents.
const WITH_CONTENTS: &[Format] =
    &[Format::Html, Format::Pdf, Format::Markdown, Format::Deck, Format::Text, Format::Docx, Format::Latex];
/// What has contents down to a level.
const WITH_DEPTH: &[Format] = &[
    Format::Html,
    Format::Pdf,
    Format::Markdown,
    Format::Deck,
    Format::Text,
    Format::Docx,
    Format::Epub,
    Format::Latex,
];
/// What can be without code.
const WITH_CODE: &[Format] = &[
    Format::Html,
    Format::Pdf,
    Format::Markdown,
    Format::Deck,
    Format::DeckPdf,
    Format::Pptx,
    Format::Text,
    Format::Docx,
    Format::Epub,
    Format::Latex,
];
/// What a theme gives its colours.
const THEMED: &[Format] = &[Format::Html, Format::Deck, Format::DeckPdf, Format::Pptx];
/// What has code in colours of one's choice.
const COLOURED: &[Format] = &[
    Format::Html,
    Format::Pdf,
    Format::Deck,
    Format::DeckPdf,
    Format::Pptx,
    Format::Docx,
    Format::Epub,
    Format::Latex,
];
/// What is shown in a browser.
const IN_BROWSERS: &[Format] = &[Format::Html, Format::Deck];
/// What a style sheet of one's own can alter.
const STYLED: &[Format] = &[Format::Html, Format::Deck, Format::Epub];
/// Slides.
const SLIDES: &[Format] = &[Format::Deck, Format::DeckPdf, Format::Pptx];
/// Slides that can have notes beside them.
const WITH_NOTES: &[Format] = &[Format::Deck, Format::Pptx];
/// What can take its styles from a file of an office program.
const OFFICE: &[Format] = &[Format::Pptx, Format::Docx];
/// A book for e-readers.
const BOOK: &[Format] = &[Format::Epub];
/// A LaTeX source.
const LATEX: &[Format] = &[Format::Latex];
/// A notebook.
const NOTEBOOK: &[Format] = &[Format::Notebook];
/// Plain text.
const TEXT: &[Format] = &[Format::Text];
/// Slides in a browser.
const DECK: &[Format] = &[Format::Deck];
/// Slides in print.
const DECK_PDF: &[Format] = &[Format::DeckPdf];
/// All that the typesetter sets.
const TYPESET: &[Format] = &[Format::Pdf, Format::DeckPdf];
/// The page.
const PAGE: &[Format] = &[Format::Html];
/// Woven Markdown.
const WOVEN: &[Format] = &[Format::Markdown];
/// Print.
const PRINT: &[Format] = &[Format::Pdf];
/// What is divided into sheets of paper.
const ON_PAPER: &[Format] = &[Format::Pdf, Format::Docx];

use Effect::{Looks, Outcome, Running};
use Place::{After, Block, Environment, Export, Interpreter, Script};

const SHOWN: &[&str] = &["code", "text", "notices", "figures", "tables"];

/// Every option, in the order of the reference page.
#[rustfmt::skip]
pub const TABLE: &[OptionEntry] = &[
    row("run", Kind::Word(&["stored", "asked", "always"]), "stored", Block, Running,
        "When it runs: stored, when something it depends on changed; asked, while watched only on request; always, each time.", "run=always"),
    row("strand", Kind::Text, "", Block, Outcome,
        "The running interpreter it shares state with: the language's own unless named; fresh is a clean process.", "strand=server"),
    row("with", Kind::Text, "", Block, Outcome,
        "Results and parameters handed in as variables: a name, or variable=@name.", "with=\"n=@count,month\""),
    row("takes", Kind::Text, "", Block, Running,
        "Makes the block callable: its parameters with their defaults. It runs only when called.", "takes=\"n=3\""),
    row("from", Kind::Text, "", Block, Running,
        "The file that holds the code, or lines of it, for a listing too; the fence is then empty.", "from=src/decode.py#L10-L24"),
    row("reads", Kind::Texts, "", Block, Outcome,
        "Files it depends on, where they can't be observed: paths and patterns, relative to the document's folder; `none` for no file.", "reads=data/*.csv"),
    row("writes", Kind::Texts, "", Block, Running,
        "Files it makes that the document embeds: paths and patterns. They are read when the block has run.", "writes=totals.csv"),
    row("cwd", Kind::Text, "", Block, Outcome,
        "The folder it runs in, relative to the document's folder.", "cwd=data"),
    row("env", Kind::Texts, "", Block, Outcome,
        "Environment variables for this block: NAME=value, or NAME alone to let the caller's value through.", "env=\"TZ=UTC,API_HOST\""),
    row("stdin", Kind::Text, "", Block, Outcome,
        "Text given to the block on standard input, which is otherwise empty.", "stdin=\"42\""),
    row("exit", Kind::Exit, "0", Block, Running,
        "The exit code the block should have; any other stops the weave. any accepts every code.", "exit=1"),
    row("stop", Kind::Flag, "no", Block, Outcome,
        "Ends at the first command that fails: a block of a shell, or a terminal session. A command of a session that is to fail says so behind it: `# @exit=1`.", "stop=yes"),
    row("time-limit", Kind::Time, "60s", Block, Running,
        "The block is ended after this time.", "time-limit=5min"),
    row("output-limit", Kind::Bytes, "16MiB", Block, Running,
        "The block is ended when one of its output streams grows beyond this.", "output-limit=1MB"),
    row("as", Kind::Word(&["text", "markdown", "html", "table", "json"]), "text", Block, Looks,
        "How standard output is read: plain text, Markdown or HTML to weave in, a table (CSV, TSV or JSON rows), or JSON to set out.", "as=table"),
    row("transcript", Kind::Flag, "no", Block, Outcome,
        "Each statement followed by its own output: python, r, octave, javascript.", "transcript=yes"),
    row("figure", Kind::Text, "", Block, Outcome,
        "A picture file the block leaves on disk, taken as its figure.", "figure=plot.png"),
    row("figure-format", Kind::Word(&["svg", "png"]), "svg", Block, Outcome,
        "How the language's own plotting draws.", "figure-format=png"),
    row("width", Kind::Number, "", Block, Outcome,
        "Width of a drawn figure, in millimetres.", "width=120"),
    row("height", Kind::Number, "", Block, Outcome,
        "Height of a drawn figure, in millimetres.", "height=80"),
    row("dpi", Kind::Number, "", Block, Outcome,
        "Dots per inch of a figure drawn as png.", "dpi=200"),
    row("show", Kind::Words(SHOWN), "code,text,figures,tables", Block, Looks,
        "What the reader sees of the block.", "show=text,figures"),
    row("fold", Kind::Word(&["no", "open", "closed"]), "no", Block, Looks,
        "Puts the code in a fold, open or closed at first.", "fold=closed"),
    row("fold-label", Kind::Text, "", Block, Looks,
        "The words on the fold. Without them it says what it holds: 8 lines of Python.", "fold-label=\"How it is drawn\""),
    row("join", Kind::Flag, "no", Block, Looks,
        "Code and output in one frame.", "join=yes"),
    row("prefix", Kind::Text, "", Block, Looks,
        "Put before each line of output.", "prefix=\"# \""),
    row("lines", Kind::Numbering, "off", Block, Looks,
        "Line numbers: off, on, continue from the listing before, or the number of the first line.", "lines=on"),
    row("mark", Kind::Lines, "", Block, Looks,
        "Lines of code to stress, counted from 1.", "mark=2,4-6"),
    row("trim", Kind::Trim, "", Block, Looks,
        "Shortens longer output to so many first (and last) lines or rows, and says how much is left out. Without it, tables of more than 60 rows keep 20,5; none keeps all.", "trim=20,5"),
    row("caption", Kind::Text, "", Block, Looks,
        "A caption; the result gets a number.", "caption=\"Frames received\""),
    row("alt", Kind::Text, "", Block, Looks,
        "What a figure shows, for those who can't see it.", "alt=\"Line chart, falling\""),
    row("digits", Kind::ByColumn(&Kind::Number), "", Block, Looks,
        "How many digits follow the decimal mark, in sentences and tables, also by column: without it five digits count in a sentence, and a computed column keeps three of its smallest number; @[mean digits=1] sets it for one place.", "digits=\"2, n: 0\""),
    row("thousands", Kind::Flag, "no", Block, Looks,
        "Groups the digits of large numbers, in sentences and tables: @[total thousands=yes] sets it for one place.", "thousands=yes"),
    row("align", Kind::ByColumn(&Kind::Word(ColumnAlign::WORDS)), "", Block, Looks,
        "How the cells of tables stand, also by column: left, right, or numbers below one another by their decimal mark. Without it numbers stand by their mark, all else left.", "align=\"code: left, price: mark\""),
    row("unit", Kind::Texts, "", Block, Looks,
        "What stands behind a number in a sentence, after a space that breaks no line: a sign or a word, or a word's forms as the language counts. @[n unit=\"day, days\"] sets it for one place.", "unit=\"day, days\""),
    row("list", Kind::Word(&["plain", "and", "or"]), "plain", Block, Looks,
        "How a list stands in a sentence: plain is a, b, c; and is a, b and c; or is a, b or c. @[names list=and] sets it for one place.", "list=and"),
    row("id", Kind::Text, "", Block, Looks,
        "A name for a listing that never runs, to refer to.", "id=wiring"),
    row("typographic", Kind::Flag, "no", Export, Looks,
        "Sets quotes, dashes and the spaces beside them as typesetters of the language do: in all formats but Markdown, and not in code or in values.", "typographic = true"),
    row("to", Kind::Texts, "html", Export, Looks,
        "The formats to export.", "to = [\"html\", \"pdf\"]"),
    row("contents", Kind::Word(&["side", "top", "none"]), "side", Export, Looks,
        "Where the table of contents stands: in a PDF, side is the same as top; Markdown and plain text have it at the top alone; a deck has a menu unless it is none.", "contents = \"top\"").of(WITH_CONTENTS),
    row("contents-depth", Kind::Number, "3", Export, Looks,
        "The lowest heading level in the contents.", "contents-depth = 2").of(WITH_DEPTH),
    row("numbered", Kind::Flag, "no", Export, Looks,
        "Numbers the sections.", "numbered = true").of(LAID_OUT),
    row("theme", Kind::Word(&["linen", "indigo", "madder", "undyed"]), "linen", Export, Looks,
        "The look of the page: linen, warm paper; indigo, dark; madder, a report with a coloured title band; undyed, no ornament.", "theme = \"madder\"").of(THEMED),
    row("code-colours", Kind::Word(&["theme", "linen", "indigo", "weld", "walnut", "lichen", "ink"]), "theme", Export, Looks,
        "The colours of code on the page, in light and in dark, and in print; theme is the theme's own.", "code-colours = \"lichen\"").of(COLOURED),
    row("style", Kind::Texts, "", Export, Looks,
        "Style sheets of your own, laid over the theme one after the other.", "style = [\"house.css\"]").of(STYLED),
    row("page-head", Kind::Text, "", Export, Looks,
        "A file with HTML of your own that stands at the top of the page, above the title.", "page-head = \"head.html\"").of(PAGE),
    row("page-foot", Kind::Text, "", Export, Looks,
        "A file with HTML of your own that stands at the foot of the page.", "page-foot = \"foot.html\"").of(PAGE),
    row("scripts", Kind::Texts, "", Export, Looks,
        "Scripts of your own that run in the page behind its own; none in one that is strict.", "scripts = [\"house.js\"]").of(PAGE),
    row("icon", Kind::Text, "", Export, Looks,
        "A picture file for the browser's tab.", "icon = \"icon.svg\"").of(IN_BROWSERS),
    row("social-picture", Kind::Text, "", Export, Looks,
        "The picture of the card that others show of the page: an address, which all of them read, or a file, which is put into the page.", "social-picture = \"https://example.org/card.png\"").of(PAGE),
    row("without-code", Kind::Flag, "no", Export, Looks,
        "Shows no code of live blocks, whatever they say.", "without-code = true").of(WITH_CODE),
    row("attach", Kind::Words(&["source", "data"]), "", Export, Looks,
        "Offers the document, or the document with the files it read, for download in the page.", "attach = [\"source\"]").of(PAGE),
    row("strict", Kind::Flag, "no", Export, Looks,
        "Adds a content security policy that lets nothing run in the page but our own script.", "strict = true").of(IN_BROWSERS),
    row("single-file", Kind::Flag, "yes", Export, Looks,
        "One file holds the whole page; otherwise pictures, style and script stand in the folder NAME-parts.", "single-file = false").of(PAGE),
    row("standard", Kind::Word(&["auto", "none", "ua-1", "a-1b", "a-2b", "a-2u", "a-2a", "a-3b", "a-3u", "a-4"]), "auto", Export, Looks,
        "The standard that a PDF keeps: auto is PDF/UA-1, accessible, whenever it can be.", "standard = \"a-2u\"").of(TYPESET),
    row("paper", Kind::Word(&["a4", "a5", "letter"]), "a4", Export, Looks,
        "The paper of a PDF, or of a document for a word processor.", "paper = \"letter\"").of(ON_PAPER),
    row("orientation", Kind::Word(&["portrait", "landscape"]), "portrait", Export, Looks,
        "Which side of the paper lies across: portrait, the short one; landscape, the long one.", "orientation = \"landscape\"").of(ON_PAPER),
    row("layout", Kind::Word(&["article", "report", "handout"]), "article", Export, Looks,
        "How a PDF is laid out: article, the text begins under the title; report, a title page, and each chapter begins a page; handout, room for notes beside the text.", "layout = \"report\"").of(PRINT),
    row("margins", Kind::Lengths, "", Export, Looks,
        "The margins of a page of paper: one length for all sides; top and bottom, then left and right; or top, right, bottom, left.", "margins = [\"25mm\", \"30mm\"]").of(ON_PAPER),
    row("accent", Kind::Colour, "", Export, Looks,
        "The colour of your house in a PDF: of links, and of the thread beside the first strand.", "accent = \"#7a1f3d\"").of(PRINT),
    row("columns", Kind::Count(3), "1", Export, Looks,
        "How many columns the text of a PDF has.", "columns = 2").of(PRINT),
    row("font", Kind::Texts, "", Export, Looks,
        "The font of a PDF: font files, or families that are installed. The first that has a letter is taken.", "font = [\"fonts/House.ttf\", \"Noto Serif\"]").of(TYPESET),
    row("code-font", Kind::Texts, "", Export, Looks,
        "The font of code and output in a PDF.", "code-font = \"Fira Mono\"").of(TYPESET),
    row("font-size", Kind::Length, "10.5pt", Export, Looks,
        "The size of the text in a PDF; all other sizes follow it.", "font-size = \"12pt\"").of(PRINT),
    row("aspect", Kind::Word(&["16:9", "4:3"]), "16:9", Export, Looks,
        "Width and height of a slide.", "aspect = \"4:3\"").of(SLIDES),
    row("text-scale", Kind::Number, "100", Export, Looks,
        "The size of text on slides, in per cent of the usual.", "text-scale = 115").of(SLIDES),
    row("code-scale", Kind::Number, "100", Export, Looks,
        "The size of code on slides, in per cent of the usual: it is never so large that a line would not fit.", "code-scale = 130").of(SLIDES),
    row("count", Kind::Flag, "yes", Export, Looks,
        "Each slide says which it is, and of how many.", "count = false").of(SLIDES),
    row("notes", Kind::Flag, "yes", Export, Looks,
        "Brings what stands in `::: speaker`, for the speaker's window: without it the file can be given away.", "notes = false").of(WITH_NOTES),
    row("foot", Kind::Text, "", Export, Looks,
        "What stands at the foot of each slide.", "foot = \"Hollin Ridge, June 2026\"").of(SLIDES),
    row("emblem", Kind::Text, "", Export, Looks,
        "A picture file for the corner of each slide.", "emblem = \"emblem.svg\"").of(SLIDES),
    row("styles-from", Kind::Text, "", Export, Looks,
        "An office file of your house whose styles an export takes: master and layouts of a presentation; styles, head and foot of a document.", "styles-from = \"house.pptx\"").of(OFFICE),
    row("change", Kind::Word(&["none", "fade", "slide"]), "none", Export, Looks,
        "How one slide gives way to the next.", "change = \"fade\"").of(DECK),
    row("per-sheet", Kind::Word(&["1", "2", "3", "4", "6", "notes"]), "1", Export, Looks,
        "How many slides a printed sheet has: more than one stand on paper, three with room for writing beside them; notes is one with its notes below.", "per-sheet = \"3\"").of(DECK_PDF),
    row("steps", Kind::Word(&["together", "pages"]), "together", Export, Looks,
        "What comes step by step in a deck stands in print together, or each step has its page.", "steps = \"pages\"").of(DECK_PDF),
    row("width", Kind::Number, "78", Export, Looks,
        "How many columns a line of plain text has, at least 30.", "width = 100").of(TEXT),
    row("ascii", Kind::Flag, "no", Export, Looks,
        "Writes plain text in the 95 signs of ASCII alone.", "ascii = true").of(TEXT),
    row("chapter-level", Kind::Number, "1", Export, Looks,
        "How many levels of headings, from the highest on, begin a file of their own in a book for e-readers.", "chapter-level = 2").of(BOOK),
    row("cover", Kind::Text, "", Export, Looks,
        "The picture file of a book's cover.", "cover = \"cover.png\"").of(BOOK),
    row("document-class", Kind::Text, "article", Export, Looks,
        "The class of a LaTeX source.", "document-class = \"report\"").of(LATEX),
    row("class-options", Kind::Text, "", Export, Looks,
        "The options of that class.", "class-options = \"12pt,twocolumn\"").of(LATEX),
    row("preamble", Kind::Text, "", Export, Looks,
        "A file of your own that stands at the end of a LaTeX source's preamble.", "preamble = \"house.tex\"").of(LATEX),
    row("part", Kind::Flag, "no", Export, Looks,
        "The LaTeX source is a part that another one takes in with `\\input`.", "part = true").of(LATEX),
    row("citations", Kind::Word(&["cite", "formatted"]), "cite", Export, Looks,
        "Citations in a LaTeX source: cite, commands, with the works beside it; formatted, as words, with the list.", "citations = \"formatted\"").of(LATEX),
    row("language", Kind::Text, "", Export, Looks,
        "The language whose blocks run in a notebook; others stand there as text with their results. Without it, the language of the most blocks.", "language = \"r\"").of(NOTEBOOK),
    row("front-matter", Kind::Word(&["none", "toml", "yaml"]), "none", Export, Looks,
        "What woven Markdown begins with: none, the title as a heading; toml, your front matter as it is; yaml, title, authors and date as YAML.", "front-matter = \"yaml\"").of(WOVEN),
    row("path", Kind::Texts, "", Environment, Outcome,
        "Folders in which blocks find programs before all others: from the document's folder; `~` is your home folder.", "path = [\"~/tools/bin\"]"),
    row("run", Kind::Commands, "", After, Running,
        "What runs when everything is written: programs, one after the other, in the folder of the document or of the project file. What was written stands in VINELOOM_EXPORTS, a path a line. They are asked about once.", "run = [[\"git\", \"add\", \"guide.html\"]]"),
    row("headings", Kind::Flag, "no", Script, Looks,
        "Comments that part an ordinary script into sections are headings: `# Load ----`, `# %% Load`, a title between two rules.", "headings = true"),
    row("comments", Kind::Flag, "no", Script, Looks,
        "Whole-line comments that stand between blank lines are prose, without a mark.", "comments = true"),
    row("command", Kind::Texts, "", Interpreter, Outcome,
        "The program and its first arguments. Without a driver, the file of a block comes after them.", "command = [\"nice\", \"python3\"]"),
    row("driver", Kind::Text, "", Interpreter, Outcome,
        "What keeps state from block to block: shell, python, javascript, ruby, r, octave, none, or the file of a driver of your own.", "driver = \"tools/forth-driver.py\""),
    row("extension", Kind::Text, "", Interpreter, Running,
        "The extension of the language's files, without a dot.", "extension = \"fth\""),
    row("comment", Kind::Text, "#", Interpreter, Running,
        "What starts a comment.", "comment = \"--\""),
    row("version", Kind::Texts, "", Interpreter, Running,
        "The arguments that make the program print its version; without them the program's file stands for it.", "version = [\"--version\"]"),
    row("needs", Kind::Text, "", Interpreter, Running,
        "The program to look for, where it is not the first word of the command.", "needs = \"gforth\""),
    row("install", Kind::Text, "", Interpreter, Running,
        "What a reader without it is told to do.", "install = \"apt install gforth\""),
    row("environment", Kind::Texts, "", Interpreter, Outcome,
        "Environment variables that its blocks always see, as NAME=value.", "environment = [\"TZ=UTC\"]"),
    row("shares", Kind::Text, "", Interpreter, Outcome,
        "The language on whose strand its blocks run.", "shares = \"bash\""),
];

/// The option of that name in a place.
pub fn entry(name: &str, place: Place) -> Option<&'static OptionEntry> {
    TABLE.iter().find(|entry| entry.name == name && entry.place == place)
}

/// The names of the options that may be written in the table of a format.
pub fn names_of(format: Format) -> impl Iterator<Item = &'static str> {
    TABLE.iter().filter(move |entry| entry.formats.contains(&format)).map(|entry| entry.name)
}

/// The names of all options of a place.
pub fn names(place: Place) -> impl Iterator<Item = &'static str> {
    TABLE.iter().filter(move |entry| entry.place == place).map(|entry| entry.name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_default_and_example_is_a_value_its_option_takes() {
        for entry in TABLE {
            assert!(entry.default.is_empty() || entry.default_value().is_some(), "default of {}", entry.name);
            let (name, value) = entry.example.split_once('=').unwrap();
            assert_eq!(name.trim(), entry.name);
            let read = match entry.place {
                Place::Block => entry.kind.read(value.trim_matches('"')),
                Place::Export | Place::Interpreter | Place::Environment | Place::After | Place::Script => {
                    entry.kind.read_toml(&value.trim().parse().unwrap())
                }
            };
            assert!(read.is_ok(), "example of {}: {read:?}", entry.name);
        }
    }

    #[test]
    fn no_option_is_listed_twice() {
        for (at, one) in TABLE.iter().enumerate() {
            assert!(
                TABLE[at + 1..].iter().all(|other| (one.name, one.place) != (other.name, other.place)),
                "{}",
                one.name
            );
        }
    }
}
