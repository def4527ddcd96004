//! The tables of options in front matter: each checked against the table of options, where it may stand and what it takes.

use super::read::{Reader, Whose, entries};
use crate::diagnostic::Diagnostic;
use crate::name::nearest;
use crate::options::{Format, OptionEntry, OptionValue, Origin, Place, Setting, Settings, entry, names};
use crate::span::Span;
use std::collections::BTreeMap;
use toml_edit::{Item, Key};

impl Reader<'_> {
    pub(super) fn defaults(&mut self, key: &Key, item: &Item) {
        let Some(table) = self.table(key, item) else { return };
        let mut own = Settings::default();
        let origin = if self.whose == Whose::Project { Origin::Project } else { Origin::Document };
        for (name, item) in entries(table) {
            if item.is_table_like() {
                let span = self.key_span(name);
                let settings = self.settings(name, item, Place::Block, Origin::Specific(name.get().into()));
                self.matter.language_defaults.insert(name.get().into(), (span, settings));
            } else {
                self.setting(name, item, Place::Block, origin.clone(), &mut own);
            }
        }
        self.matter.defaults = own;
    }

    /// A table of tables, each with a name of the writer's.
    pub(super) fn named_tables(
        &mut self,
        key: &Key,
        item: &Item,
        place: Place,
        origin: &Origin,
    ) -> BTreeMap<String, (Span, Settings)> {
        let Some(table) = self.table(key, item) else { return BTreeMap::new() };
        let named = |(name, item): (&Key, &Item)| {
            let span = self.key_span(name);
            (name.get().to_string(), (span, self.settings(name, item, place, origin.clone())))
        };
        entries(table).into_iter().map(named).collect()
    }

    pub(super) fn settings(&mut self, key: &Key, item: &Item, place: Place, origin: Origin) -> Settings {
        let mut settings = Settings::default();
        if let Some(table) = self.table(key, item) {
            for (name, item) in entries(table) {
                self.setting(name, item, place, origin.clone(), &mut settings);
            }
        }
        settings
    }

    /// The table of a format, which holds only what that format takes.
    pub(super) fn format_settings(&mut self, key: &Key, item: &Item, format: Format) -> Settings {
        let mut settings = Settings::default();
        let Some(table) = self.table(key, item) else { return settings };
        for (name, item) in entries(table) {
            match entry(name.get(), Place::Export) {
                Some(entry) if !entry.fits(Some(format)) => {
                    let finding = not_of_format(entry, format, self.key_span(name));
                    self.diagnostics.push(finding);
                }
                _ => self.setting(name, item, Place::Export, Origin::Specific(key.get().into()), &mut settings),
            }
        }
        settings
    }

    pub(super) fn setting(&mut self, key: &Key, item: &Item, place: Place, origin: Origin, into: &mut Settings) {
        let span = self.key_span(key);
        let Some(entry) = entry(key.get(), place) else {
            self.diagnostics.push(unknown_option(key.get(), place, span));
            return;
        };
        let value_span = self.value_span(item.span(), key);
        let read = item.as_value().map(|value| entry.kind.read_toml(value));
        let Some(Ok(value)) = read else {
            self.diagnostics.push(
                Diagnostic::error(value_span, format!("`{}` can't be set to this", entry.name)).help(format!(
                    "`{}` takes {}",
                    entry.name,
                    entry.kind.allowed()
                )),
            );
            return;
        };
        if entry.name == "to" {
            self.check_formats(&value, value_span);
        }
        into.set(entry.name, Setting { value, span, origin });
    }

    pub(super) fn check_formats(&mut self, value: &OptionValue, span: Span) {
        let OptionValue::List(words) = value else { return };
        for word in words.iter().filter(|word| Format::from_word(word).is_none()) {
            let all: Vec<_> = Format::ALL.iter().map(|format| format.word()).collect();
            let help = match Format::meant_by(word) {
                Some(meant) => format!("did you mean `{meant}`?"),
                None => format!("the formats are {}", all.join(", ")),
            };
            self.diagnostics.push(Diagnostic::error(span, format!("there is no format `{word}`")).help(help));
        }
    }
}

/// The finding for an option in the table of a format that does not take it.
fn not_of_format(entry: &OptionEntry, format: Format, span: Span) -> Diagnostic {
    let takers: Vec<String> = entry.formats.iter().map(|format| format!("`[{format}]`")).collect();
    let message = format!("`{}` is no option of {format}", entry.name);
    Diagnostic::error(span, message).help(match takers.is_empty() {
        true => "it stands in `[export]`, for all formats".into(),
        false => format!("put it in {}, or in `[export]`", takers.join(" or ")),
    })
}

/// What options were called before, and what they are called.
const FORMER: [(&str, &str); 1] = [("reading-view", "without-code")];

/// The finding for an option that does not exist in a place.
pub fn unknown_option(word: &str, place: Place, span: Span) -> Diagnostic {
    let (here, elsewhere, other) = match place {
        Place::Interpreter => ("of interpreters", Place::Block, "it is an option of blocks: put it in `[defaults]`"),
        Place::Script => ("of scripts", Place::Export, "it is a setting of exports: put it in `[export]`"),
        Place::After => {
            ("of the steps after weaving", Place::Block, "it is an option of blocks: put it in `[defaults]`")
        }
        Place::Environment => ("of the environment", Place::Block, "it is an option of blocks: put it in `[defaults]`"),
        Place::Block => ("of blocks", Place::Export, "it is a setting of exports: put it in `[export]`"),
        Place::Export => ("of exports", Place::Block, "it is an option of blocks: put it in `[defaults]`"),
    };
    let help = if let Some((_, now)) = FORMER.iter().find(|(former, _)| *former == word) {
        format!("it is called `{now}`")
    } else if entry(word, elsewhere).is_some() {
        other.to_string()
    } else if let (Place::Export, Some(format)) = (place, Format::from_word(word)) {
        format!("settings of one format stand in a table of its own: `[{format}]`")
    } else if let Some(near) = nearest(word, names(place)) {
        let allowed = entry(near, place).map_or(String::new(), |e| format!(" It takes {}.", e.kind.allowed()));
        format!("did you mean `{near}`?{allowed}")
    } else {
        format!("the options {here} are {}", names(place).collect::<Vec<_>>().join(", "))
    };
    Diagnostic::error(span, format!("there is no option `{word}`")).help(help)
}
