//! The options of a live block, typed.

use super::value::{by_column, line_range};
use super::{OptionValue, Settings};
use serde::{Deserialize, Serialize};
use std::time::Duration;
use vineloom_table::{ColumnAlign, ColumnLooks};

/// When a block runs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunPolicy {
    /// Only when something it depends on changed.
    Stored,
    /// The same; while the document is watched, only when it is asked for then.
    Asked,
    /// At every weave.
    Always,
}

impl RunPolicy {
    /// Whether a stored result stands for the block's run.
    pub fn is_stored(self) -> bool {
        self != RunPolicy::Always
    }
}

/// Which running interpreter a block uses.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StrandChoice {
    /// The one of its language.
    Language,
    /// One with a name of its own.
    Named(String),
    /// A process for this block alone.
    Fresh,
}

/// The exit code a block should have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ExpectedExit {
    /// This one.
    Code(i32),
    /// Any.
    Any,
}

impl ExpectedExit {
    /// Whether an exit code is the expected one.
    pub fn accepts(self, code: i32) -> bool {
        match self {
            ExpectedExit::Code(expected) => expected == code,
            ExpectedExit::Any => true,
        }
    }
}

/// How a block's standard output is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReadAs {
    /// As plain text.
    Text,
    /// As Markdown, woven into the document.
    Markdown,
    /// As HTML, for formats that have it.
    Html,
    /// As JSON, set out for reading.
    Json,
    /// As a table in CSV, TSV or JSON rows.
    Table,
}

/// How a language's own plotting draws.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FigureFormat {
    /// Scalable lines.
    Svg,
    /// Dots.
    Png,
}

/// What the reader sees of a block.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Show {
    /// The code.
    pub code: bool,
    /// Text output and values.
    pub text: bool,
    /// Error output, messages and warnings.
    pub notices: bool,
    /// Figures.
    pub figures: bool,
    /// Tables.
    pub tables: bool,
}

impl Show {
    /// All of a block.
    pub const EVERYTHING: Show = Show { code: true, text: true, notices: true, figures: true, tables: true };
    /// Nothing of a block.
    pub const NOTHING: Show = Show { code: false, text: false, notices: false, figures: false, tables: false };
}

/// Whether code stands in a fold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Fold {
    /// No fold.
    No,
    /// A fold that is open at first.
    Open,
    /// A fold that is closed at first.
    Closed,
}

/// Line numbers beside code.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LineNumbers {
    /// None.
    Off,
    /// From this number on.
    From(u32),
    /// From where the numbered listing before left off.
    Continue,
}

/// How long output is shortened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Trimming {
    /// Long tables are, to [`Trim::OF_TABLES`]; text is not.
    Usual,
    /// Nothing is.
    None,
    /// Whatever is longer.
    To(Trim),
}

/// What is kept of long output, in lines or rows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Trim {
    /// Lines kept at the start.
    pub first: usize,
    /// Lines kept at the end.
    pub last: usize,
}

impl Trim {
    /// What is kept of a table of more than [`Trim::LONG_TABLE`] rows.
    pub const OF_TABLES: Trim = Trim { first: 20, last: 5 };
    /// How many rows a table may have before it is shortened without having been asked to.
    pub const LONG_TABLE: usize = 60;
}

/// How a value stands in a sentence.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Reading {
    /// How many digits follow the decimal mark of a number; nothing: as many as make five in all.
    pub digits: Option<usize>,
    /// Whether the digits of large numbers are grouped.
    pub thousands: bool,
    /// How a list is joined.
    pub list: Joining,
    /// What stands behind a number: one word, or its forms as the language counts.
    pub unit: Vec<String>,
}

/// How a list is joined in a sentence.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Joining {
    /// a, b, c
    #[default]
    Plain,
    /// a, b and c
    And,
    /// a, b or c
    Or,
}

impl Reading {
    /// The options that may also be written where a value is used: `@[mean digits=1]`.
    pub const OPTIONS: [&'static str; 4] = ["digits", "thousands", "list", "unit"];

    /// The typed form of settings of a block.
    pub fn from_settings(settings: &Settings) -> Self {
        Reading {
            digits: for_all_columns(settings, "digits").and_then(|digits| digits.parse().ok()).map(at_most_digits),
            thousands: settings.flag("thousands"),
            unit: settings.list("unit").to_vec(),
            list: match settings.text("list") {
                Some("and") => Joining::And,
                Some("or") => Joining::Or,
                _ => Joining::Plain,
            },
        }
    }
}

/// The most digits behind a decimal mark that a number holds.
fn at_most_digits(digits: usize) -> usize {
    digits.min(15)
}

/// What an option that can be set by column says of all of them.
fn for_all_columns(settings: &Settings, name: &str) -> Option<String> {
    match &settings.get(name)?.value {
        OptionValue::List(parts) => by_column(parts).0.first().map(ToString::to_string),
        OptionValue::Text(text) => Some(text.clone()),
        OptionValue::Number(number) => Some(number.to_string()),
        OptionValue::Flag(_) | OptionValue::Lists(_) => None,
    }
}

/// What settings say of the columns of tables.
fn column_looks(settings: &Settings) -> ColumnLooks {
    fn of<T>(settings: &Settings, name: &str, read: impl Fn(&str) -> Option<T>) -> Vec<(String, T)> {
        let columns = by_column(settings.list(name)).1;
        columns.into_iter().filter_map(|(column, value)| Some((column.into(), read(value)?))).collect()
    }
    ColumnLooks {
        digits: of(settings, "digits", |digits| digits.parse().ok().map(at_most_digits)),
        align: of(settings, "align", ColumnAlign::from_word),
        align_others: for_all_columns(settings, "align").and_then(|word| ColumnAlign::from_word(&word)),
    }
}

/// All options of one live block.
#[derive(Debug, Clone)]
#[allow(missing_docs, reason = "each field is the option of that name in the table")]
pub struct BlockOptions {
    pub run: RunPolicy,
    pub strand: StrandChoice,
    pub reads: Vec<String>,
    /// Files it makes that the document embeds.
    pub writes: Vec<String>,
    pub cwd: Option<String>,
    pub env: Vec<String>,
    pub stdin: Option<String>,
    pub exit: ExpectedExit,
    pub time_limit: Duration,
    pub output_limit: u64,
    pub read_as: ReadAs,
    pub transcript: bool,
    pub stop: bool,
    pub figure: Option<String>,
    pub figure_format: FigureFormat,
    pub width: Option<u32>,
    pub height: Option<u32>,
    pub dpi: Option<u32>,
    pub show: Show,
    pub fold: Fold,
    pub fold_label: String,
    pub join: bool,
    pub prefix: String,
    pub lines: LineNumbers,
    pub mark: Vec<(u32, u32)>,
    pub trim: Trimming,
    pub caption: Option<String>,
    pub alt: Option<String>,
    /// How its value stands in a sentence.
    pub reading: Reading,
    /// How the columns of its tables stand.
    pub columns: ColumnLooks,
}

impl BlockOptions {
    /// The typed form of settings that start from [`Settings::built_in`].
    pub fn from_settings(settings: &Settings) -> Self {
        let owned = |name: &str| settings.text(name).map(String::from);
        let small = |name: &str| settings.number(name).and_then(|n| u32::try_from(n).ok());
        let shown = settings.list("show");
        let shows = |word: &str| shown.iter().any(|s| s == word);
        BlockOptions {
            run: match settings.text("run") {
                Some("always") => RunPolicy::Always,
                Some("asked") => RunPolicy::Asked,
                _ => RunPolicy::Stored,
            },
            strand: match settings.text("strand") {
                None => StrandChoice::Language,
                Some("fresh") => StrandChoice::Fresh,
                Some(name) => StrandChoice::Named(name.into()),
            },
            reads: settings.list("reads").to_vec(),
            writes: settings.list("writes").to_vec(),
            cwd: owned("cwd"),
            env: settings.list("env").to_vec(),
            stdin: owned("stdin"),
            exit: match settings.number("exit") {
                Some(code) => ExpectedExit::Code(code as i32),
                None => ExpectedExit::Any,
            },
            time_limit: Duration::from_millis(settings.number("time-limit").unwrap_or(60_000).unsigned_abs()),
            output_limit: settings.number("output-limit").unwrap_or(16 << 20).unsigned_abs(),
            read_as: match settings.text("as") {
                Some("markdown") => ReadAs::Markdown,
                Some("html") => ReadAs::Html,
                Some("json") => ReadAs::Json,
                Some("table") => ReadAs::Table,
                _ => ReadAs::Text,
            },
            transcript: settings.flag("transcript"),
            stop: settings.flag("stop"),
            figure: owned("figure"),
            figure_format: match settings.text("figure-format") {
                Some("png") => FigureFormat::Png,
                _ => FigureFormat::Svg,
            },
            width: small("width"),
            height: small("height"),
            dpi: small("dpi"),
            show: Show {
                code: shows("code"),
                text: shows("text"),
                notices: shows("notices"),
                figures: shows("figures"),
                tables: shows("tables"),
            },
            fold: match settings.text("fold") {
                Some("open") => Fold::Open,
                Some("closed") => Fold::Closed,
                _ => Fold::No,
            },
            fold_label: owned("fold-label").unwrap_or_default(),
            join: settings.flag("join"),
            prefix: owned("prefix").unwrap_or_default(),
            lines: match settings.get("lines").map(|s| &s.value) {
                Some(OptionValue::Number(first)) => LineNumbers::From(*first as u32),
                Some(OptionValue::Text(word)) if word == "on" => LineNumbers::From(1),
                Some(OptionValue::Text(word)) if word == "continue" => LineNumbers::Continue,
                _ => LineNumbers::Off,
            },
            mark: settings.list("mark").iter().filter_map(|part| line_range(part)).collect(),
            trim: match settings.list("trim") {
                [word] if word == "none" => Trimming::None,
                [first] => first.parse().map_or(Trimming::Usual, |first| Trimming::To(Trim { first, last: 0 })),
                [first, last] => match (first.parse(), last.parse()) {
                    (Ok(first), Ok(last)) => Trimming::To(Trim { first, last }),
                    _ => Trimming::Usual,
                },
                _ => Trimming::Usual,
            },
            caption: owned("caption"),
            alt: owned("alt"),
            reading: Reading::from_settings(settings),
            columns: column_looks(settings),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::options::{Origin, Place, Setting, entry};
    use crate::span::Span;

    fn with(pairs: &[(&str, &str)]) -> BlockOptions {
        let mut settings = Settings::built_in(Place::Block);
        for (name, text) in pairs {
            let entry = entry(name, Place::Block).unwrap();
            let value = entry.kind.read(text).unwrap();
            settings.set(entry.name, Setting { value, span: Span::NOWHERE, origin: Origin::Fence });
        }
        BlockOptions::from_settings(&settings)
    }

    #[test]
    fn the_built_in_defaults_are_those_of_the_table() {
        let options = with(&[]);
        assert_eq!(options.exit, ExpectedExit::Code(0));
        assert_eq!(options.time_limit, Duration::from_secs(60));
        assert!(options.show.code && options.show.text && !options.show.notices);
        assert_eq!(options.fold_label, "");
    }

    #[test]
    fn options_are_read_into_their_types() {
        let options = with(&[("exit", "any"), ("show", "none"), ("lines", "12"), ("mark", "2,4-6"), ("trim", "20,5")]);
        assert_eq!(options.exit, ExpectedExit::Any);
        assert!(!options.show.code && !options.show.tables);
        assert_eq!(options.lines, LineNumbers::From(12));
        assert_eq!(options.mark, [(2, 2), (4, 6)]);
        assert_eq!(options.trim, Trimming::To(Trim { first: 20, last: 5 }));
        assert_eq!(with(&[("trim", "none")]).trim, Trimming::None);
    }
}
