//! A document as a tree: what was written, before anything is run or resolved.

use crate::arguments::Argument;
use crate::front_matter::FrontMatter;
use crate::holdings::Holdings;
use crate::index::{BlockIndex, ByBlock, ValueIndex};
use crate::inline::{Inline, Template};
use crate::name::Name;
use crate::options::{BlockOptions, OneSlide, Settings};
use crate::parameter::Parameter;
use crate::source::Sources;
use crate::span::Span;
use crate::value_use::ValueUse;
use ecow::EcoString;
use std::collections::BTreeMap;

/// A whole document.
#[derive(Debug, Clone)]
pub struct Document {
    /// Its text, and those of the files it is put together from.
    pub sources: Sources,
    /// What its own front matter says.
    pub front: FrontMatter,
    /// The layers of settings, later beats earlier: the project's, then its own.
    pub layers: Vec<FrontMatter>,
    /// The title, read as Markdown.
    pub title: Vec<Inline>,
    /// The subtitle, read as Markdown.
    pub subtitle: Vec<Inline>,
    /// The authors, each with their affiliation, read as Markdown.
    pub authors: Vec<(Vec<Inline>, Vec<Inline>)>,
    /// The date as written, read as Markdown; empty for a date that is known only at the weave.
    pub date: Vec<Inline>,
    /// The day that the date is, as ISO 8601 has it, once it is known.
    pub day: Option<String>,
    /// The licence, read as Markdown.
    pub licence: Vec<Inline>,
    /// The body.
    pub blocks: Vec<Block>,
    /// The live blocks, in document order; [`Block::Live`] says which. After those that are written come one for
    /// each call and each expression.
    pub live: ByBlock<LiveBlock>,
    /// The values used in prose and in code; [`crate::Part::Value`] and [`crate::InlineKind::Value`] say which.
    pub values: Vec<ValueUse>,
    /// Everything that has a name.
    pub names: BTreeMap<Name, Named>,
    /// The parameters, with their values.
    pub parameters: BTreeMap<Name, Parameter>,
    /// The BibLaTeX files of works cited: name and text.
    pub references: Vec<(String, String)>,
    /// Where each listing that has a name stands, and the names of its lines, each with its line in the code, from 1.
    pub listings: BTreeMap<Name, (Span, BTreeMap<String, usize>)>,
    /// The files of the pictures that it names, as they are written; those that are named by a value are not known yet.
    pub pictures: Vec<EcoString>,
    /// Which kinds of running text occur in it: [`Document::each_inline`] looks for no others.
    pub holdings: Holdings,
}

impl Document {
    /// A value that is used somewhere.
    pub fn value(&self, value: ValueIndex) -> &ValueUse {
        &self.values[value.0]
    }

    /// The live block of a name.
    pub fn block_named(&self, name: &str) -> Option<BlockIndex> {
        match self.names.get(name) {
            Some(Named::Live(block, _)) => Some(*block),
            _ => None,
        }
    }
}

/// A day.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Day {
    /// Ready to print.
    pub printed: String,
    /// As ISO 8601 has it.
    pub iso: String,
}

/// What a name stands for, and where it was given.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Named {
    /// A live block.
    Live(BlockIndex, Span),
    /// A section.
    Section(Span),
    /// An equation.
    Equation(Span),
    /// A figure made of several pictures, or a table written in the prose.
    Container(Span),
    /// A listing that never runs.
    Listing(Span),
    /// A parameter.
    Parameter(Span),
    /// A work that can be cited.
    Work(Span),
}

impl Named {
    /// Where the name was given.
    pub fn span(self) -> Span {
        match self {
            Named::Live(_, span)
            | Named::Section(span)
            | Named::Equation(span)
            | Named::Container(span)
            | Named::Listing(span)
            | Named::Parameter(span)
            | Named::Work(span) => span,
        }
    }
}

/// A block of the body.
#[derive(Debug, Clone)]
#[allow(missing_docs, reason = "the fields are named after the parts of each block")]
pub enum Block {
    Heading {
        level: u8,
        id: Option<Name>,
        /// What is set for the slide that it begins.
        slide: Box<OneSlide>,
        content: Vec<Inline>,
        span: Span,
    },
    Paragraph {
        content: Vec<Inline>,
        span: Span,
    },
    Quote(Vec<Block>),
    List {
        start: Option<usize>,
        tight: bool,
        items: Vec<Item>,
    },
    Table {
        alignment: Box<[Alignment]>,
        header: Box<[Vec<Inline>]>,
        rows: Box<[Vec<Vec<Inline>>]>,
        span: Span,
    },
    Rule,
    Html {
        html: String,
        span: Span,
    },
    Equation {
        latex: Template,
        id: Option<Name>,
        span: Span,
    },
    /// Code that is shown and never run.
    Listing(Box<Listing>),
    /// A live block of [`Document::live`].
    Live(BlockIndex),
    /// The result of a block, placed here with a caption.
    Placement {
        name: String,
        caption: Vec<Inline>,
        span: Span,
    },
    Container(Box<Container>),
    /// The body of another document.
    Embedded {
        blocks: Vec<Block>,
        /// Where it is embedded.
        span: Span,
        /// The body in its own file; nowhere when it could not be had.
        body: Span,
    },
    /// A data file, shown as a table.
    DataFile {
        path: EcoString,
        text: EcoString,
        caption: Vec<Inline>,
        span: Span,
    },
    Footnote {
        name: String,
        blocks: Vec<Block>,
        span: Span,
    },
}

/// Blocks between `:::` lines.
#[derive(Debug, Clone)]
pub struct Container {
    /// What it is.
    pub kind: ContainerKind,
    /// Its title, caption or label.
    pub title: Vec<Inline>,
    /// Its name.
    pub id: Option<Name>,
    /// For `for` and `not-for`: the formats.
    pub formats: Vec<String>,
    /// How wide the columns of `columns` are, or the pictures in each row of a `figure`; nothing where all are as wide.
    pub widths: Vec<u32>,
    /// What stands in it.
    pub blocks: Vec<Block>,
    /// Its opening line.
    pub span: Span,
    /// Its closing line; nowhere for a notice that is written as a quote.
    pub close: Span,
}

/// The kinds of container.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ContainerKind {
    /// The shallowest headings inside become tabs.
    Tabs,
    /// A notice.
    Notice(NoticeKind),
    /// Side by side, divided by rules.
    Columns,
    /// Only in these formats.
    For,
    /// In all formats but these.
    NotFor,
    /// Several pictures with one number.
    Figure,
    /// A table with a number.
    Table,
    /// Folded away at first.
    Fold,
    /// Where the list of works cited stands.
    References,
    /// What a speaker sees.
    Speaker,
    /// Terms with what each means, written as a list.
    Terms,
    /// What comes one by one in a deck.
    Steps,
}

/// An entry of a list.
#[derive(Debug, Clone)]
pub struct Item {
    /// For a task: whether it is done.
    pub task: Option<bool>,
    /// What it holds.
    pub blocks: Vec<Block>,
}

/// How a table column is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[allow(missing_docs, reason = "named after the four ways")]
pub enum Alignment {
    None,
    Left,
    Center,
    Right,
}

/// The kinds of notice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[allow(missing_docs, reason = "named after the kinds")]
pub enum NoticeKind {
    Note,
    Tip,
    Important,
    Caution,
    Danger,
}

impl NoticeKind {
    /// Its name in the names of styles and classes.
    pub fn name(self) -> &'static str {
        match self {
            NoticeKind::Note => "Note",
            NoticeKind::Tip => "Tip",
            NoticeKind::Important => "Important",
            NoticeKind::Caution => "Caution",
            NoticeKind::Danger => "Danger",
        }
    }
}

/// Code that is shown and never run.
#[derive(Debug, Clone)]
pub struct Listing {
    /// The language, lower-cased; empty when none is given.
    pub language: String,
    /// The code, with its last newline.
    pub code: String,
    /// How it is shown.
    pub options: BlockOptions,
    /// Its caption, read as Markdown.
    pub caption: Vec<Inline>,
    /// Its name, to refer to.
    pub id: Option<Name>,
    /// Where the name is given.
    pub id_span: Option<Span>,
    /// The names of its lines, each with its line in the code, from 1.
    pub line_names: BTreeMap<String, usize>,
    /// The file whose code it shows, by its path from the document's folder, and where that is named.
    pub from: Option<(String, Span)>,
    /// Where it is embedded, when it is part of another file.
    pub embedded: Option<Span>,
    /// Where it stands.
    pub span: Span,
}

/// Code that is run.
#[derive(Debug, Clone)]
pub struct LiveBlock {
    /// Its name, when it has one.
    pub name: Option<Name>,
    /// The language, lower-cased.
    pub language: String,
    /// The code, with its last newline.
    pub code: Template,
    /// Where its first line of code starts; the file that holds it is the one of this position.
    pub code_start: usize,
    /// What it is there for.
    pub role: Role,
    /// Where it stands in the order of running, to be compared.
    pub position: [usize; 3],
    /// The parameters it takes, with their defaults: it runs only when called.
    pub takes: Vec<(Name, Argument)>,
    /// What is handed in as variables.
    pub variables: Vec<(Name, Argument)>,
    /// The lines of code that were given a name, from 1.
    pub line_names: BTreeMap<String, usize>,
    /// The whole block in the text, both fence lines included.
    pub span: Span,
    /// The opening fence line.
    pub fence: Span,
    /// Its options, all layers applied.
    pub options: BlockOptions,
    /// The same, with which layer set each.
    pub settings: Settings,
    /// Its caption, read as Markdown.
    pub caption: Vec<Inline>,
    /// What its figures show, for those who can't see them.
    pub alt: Option<Template>,
}

/// What a live block is there for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Role {
    /// It runs where it stands and is shown.
    Shown,
    /// It stands in a library document: it is never shown, and runs only for what is called there.
    Library {
        /// The library's name: its blocks share strands of their own.
        library: String,
    },
    /// A call of that block.
    Call(BlockIndex),
    /// An expression written in the text.
    Expression,
}
