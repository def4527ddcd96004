//! The vine document: its syntax, its options, and what can be wrong with it.
//!
//! [`parse`] turns text into a [`Document`] and a list of [`Diagnostic`]s. Nothing here runs code, reads other
//! files or prints.
//!
//! ```
//! use vineloom_document::{Block, Source, parse};
//!
//! let parsed = parse(Source::new("hello.vine.md", "# Hello\n\n```sh @greet\necho hi\n```\n"));
//! assert!(parsed.diagnostics.is_empty());
//! assert_eq!(parsed.document.live.iter().next().unwrap().language, "sh");
//! ```

#![forbid(unsafe_code)]

mod arguments;
mod bibliography;
mod checks;
mod container;
mod diagnostic;
mod fence;
mod fenced_lines;
mod files;
mod for_formats;
mod front_matter;
mod gather;
mod holdings;
mod index;
mod inline;
mod lines;
mod lints;
mod listing;
mod live;
mod macros;
mod markdown;
mod name;
mod notebook;
pub mod options;
mod parameter;
mod parse;
mod placeholders;
mod places;
mod script;
mod source;
mod span;
mod tree;
mod value_use;
mod walk;

pub use arguments::Argument;
pub use diagnostic::{Diagnostic, Severity, has_errors};
pub use fenced_lines::FencedLines;
pub use files::{FileProblem, Files, NoFiles};
pub use for_formats::{alike, standing_in};
pub use front_matter::{FrontAuthor, FrontDate, FrontMatter, FrontText};
pub use holdings::{Holdings, Sought};
pub use index::{BlockIndex, ByBlock, ValueIndex};
pub use inline::{Image, Inline, InlineKind, Link, Part, Placement, Reference, Template, each_inline, plain_text};
pub use lints::lint;
pub use macros::{braced, expand_macros};
pub use name::{Ids, Name, nearest, slug};
pub use notebook::{NotebookDocument, notebook_to_document};
pub use parameter::{Parameter, ParameterKind, ParameterValue};
pub use parse::{Given, Parsed, parse, parse_commonmark, parse_printed, parse_with};
pub use places::{each_place, first_level, place_of_work};
pub use script::{
    DocumentScript, Marks, Script, ScriptDocument, document_of_script, to_document, to_script, with_marks,
};
pub use source::{Location, NotUtf8, Position, Source, Sources};
pub use span::{PackedSpan, Span};
pub use tree::{
    Alignment, Block, Container, ContainerKind, Day, Document, Item, Listing, LiveBlock, Named, NoticeKind, Role,
};
pub use value_use::{ValueUse, Wanted};
pub use walk::{each_block, each_text};
