//! Every option there is, in one table, and the typed settings made from it.
//!
//! [`TABLE`] is the only list of options: reading a fence, reading front matter, the terminal catalogue and
//! the reference page all start from it. To add an option, add a row there and, when it says something about
//! a block, a field in [`BlockOptions`]; what says something about an export is read by the exporters that take it.

mod block;
mod catalogue;
mod format;
mod reference;
mod slide;
mod table;
mod value;

pub use block::{
    BlockOptions, ExpectedExit, FigureFormat, Fold, Joining, LineNumbers, ReadAs, Reading, RunPolicy, Show,
    StrandChoice, Trim, Trimming,
};
pub use catalogue::{Topic, TopicKind, answers, topics};
pub use format::Format;
pub use reference::{reference_page, schema};
pub use slide::OneSlide;
pub use table::{Effect, OptionEntry, Place, TABLE, entry, names, names_of};
pub use value::{BadValue, Kind, OptionValue, points};

use crate::span::Span;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

/// Which layer a setting comes from; later beats earlier.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Origin {
    /// The table's own default.
    BuiltIn,
    /// The project file.
    Project,
    /// `[defaults]` or `[export]` in the document.
    Document,
    /// `[defaults.LANGUAGE]`, or an export format's own table.
    Specific(String),
    /// `[block.NAME]`.
    BlockTable,
    /// The fence line.
    Fence,
}

impl Origin {
    /// The layer in words.
    pub fn words(&self) -> String {
        match self {
            Origin::BuiltIn => "built in".into(),
            Origin::Project => "the project file".into(),
            Origin::Document => "the document's [defaults] or [export]".into(),
            Origin::Specific(name) => format!("the table for {name}"),
            Origin::BlockTable => "its [block] table".into(),
            Origin::Fence => "its fence line".into(),
        }
    }
}

/// One option as somebody wrote it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting {
    /// What it is set to.
    pub value: OptionValue,
    /// Where it was written; empty for a built-in default.
    pub span: Span,
    /// Which layer set it.
    pub origin: Origin,
}

/// Options by name, the winning layer for each.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Settings {
    set: ByName,
    /// What holds of what is not set. Every block has these, so that they are not copied for each.
    built_in: &'static ByName,
}

type ByName = BTreeMap<&'static str, Setting>;

impl Default for Settings {
    fn default() -> Self {
        static NOTHING: ByName = ByName::new();
        Settings { set: ByName::new(), built_in: &NOTHING }
    }
}

/// The built-in defaults of the options that are taken.
fn built_in(is_taken: impl Fn(&OptionEntry) -> bool) -> ByName {
    let taken = TABLE.iter().filter(|entry| is_taken(entry));
    let setting = |value| Setting { value, span: Span::NOWHERE, origin: Origin::BuiltIn };
    taken.filter_map(|entry| Some((entry.name, setting(entry.default_value()?)))).collect()
}

impl Settings {
    fn on(built_in: Option<&'static ByName>) -> Self {
        built_in.map_or_else(Settings::default, |built_in| Settings { set: ByName::new(), built_in })
    }

    /// The built-in defaults of what a format takes.
    pub fn of_format(format: Format) -> Self {
        static READ: LazyLock<BTreeMap<Format, ByName>> = LazyLock::new(|| {
            let taken = |format| built_in(|entry| entry.place == Place::Export && entry.fits(Some(format)));
            Format::ALL.into_iter().map(|format| (format, taken(format))).collect()
        });
        Settings::on(READ.get(&format))
    }

    /// The built-in defaults of one place.
    pub fn built_in(place: Place) -> Self {
        static READ: LazyLock<BTreeMap<Place, ByName>> = LazyLock::new(|| {
            let places: BTreeSet<Place> = TABLE.iter().map(|entry| entry.place).collect();
            places.into_iter().map(|place| (place, built_in(|entry| entry.place == place))).collect()
        });
        Settings::on(READ.get(&place))
    }

    /// Sets one option, whatever stood there before.
    pub fn set(&mut self, name: &'static str, setting: Setting) {
        self.set.insert(name, setting);
    }

    /// Lays what a format takes of `later` over these.
    pub fn overlay_for(&mut self, format: Format, later: &Settings) {
        for (name, setting) in later.each() {
            if entry(name, Place::Export).is_some_and(|entry| entry.fits(Some(format))) {
                self.set.insert(name, setting.clone());
            }
        }
    }

    /// Lays `later` over these.
    pub fn overlay(&mut self, later: &Settings) {
        for (name, setting) in later.each() {
            self.set.insert(name, setting.clone());
        }
    }

    /// The setting of one option.
    pub fn get(&self, name: &str) -> Option<&Setting> {
        self.set.get(name).or_else(|| self.built_in.get(name))
    }

    /// Whether nothing is set.
    pub fn is_empty(&self) -> bool {
        self.set.is_empty() && self.built_in.is_empty()
    }

    /// All of them, by name.
    pub fn iter(&self) -> impl Iterator<Item = (&'static str, &Setting)> {
        let by_name: BTreeMap<&'static str, &Setting> = self.each().collect();
        by_name.into_iter()
    }

    /// All of them, in no order.
    fn each(&self) -> impl Iterator<Item = (&'static str, &Setting)> {
        let not_set = self.built_in.iter().filter(|(name, _)| !self.set.contains_key(*name));
        not_set.chain(&self.set).map(|(name, setting)| (*name, setting))
    }

    /// The text of an option.
    pub fn text(&self, name: &str) -> Option<&str> {
        self.get(name).and_then(|s| s.value.as_text())
    }

    /// Whether an option is set to yes.
    pub fn flag(&self, name: &str) -> bool {
        matches!(self.get(name).map(|s| &s.value), Some(OptionValue::Flag(true)))
    }

    /// The number of an option.
    pub fn number(&self, name: &str) -> Option<i64> {
        match self.get(name)?.value {
            OptionValue::Number(number) => Some(number),
            _ => None,
        }
    }

    /// The list of an option; empty when it is not set.
    pub fn list(&self, name: &str) -> &[String] {
        match self.get(name).map(|s| &s.value) {
            Some(OptionValue::List(list)) => list,
            _ => &[],
        }
    }
}
