//! Front matter: TOML between two lines `+++` at the top of a document.

mod parameters;
mod read;
mod settings;

#[cfg(test)]
pub(crate) use read::{TABLES, TITLE_BLOCK};
pub use read::{read, read_project};
pub use settings::unknown_option;

use crate::name::Name;
use crate::options::{Format, Place, Settings};
use crate::parameter::Parameter;
use crate::span::Span;
use std::collections::BTreeMap;

/// A text from the front matter and where it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FrontText {
    /// The text.
    pub text: String,
    /// Where it was written.
    pub span: Span,
}

/// Somebody who wrote the document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FrontAuthor {
    /// Their name.
    pub name: FrontText,
    /// Where they work.
    pub affiliation: Option<FrontText>,
}

/// The date of a document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FrontDate {
    /// The day of the weave.
    Today,
    /// The day the file was last changed.
    Modified,
    /// A date or any text, as written.
    Written(FrontText),
}

impl FrontDate {
    /// The date as it was written; nothing for a day that only the weave knows.
    pub fn written(&self) -> Option<&FrontText> {
        match self {
            FrontDate::Written(text) => Some(text),
            FrontDate::Today | FrontDate::Modified => None,
        }
    }
}

/// Everything the front matter says.
#[derive(Debug, Clone, Default)]
pub struct FrontMatter {
    /// The bytes of the whole front matter, both `+++` lines included; nowhere when there is none.
    pub span: Span,
    /// The title.
    pub title: Option<FrontText>,
    /// The subtitle.
    pub subtitle: Option<FrontText>,
    /// The authors, in order.
    pub authors: Vec<FrontAuthor>,
    /// The date.
    pub date: Option<FrontDate>,
    /// The language tag of the prose, such as `en`.
    pub language: Option<FrontText>,
    /// The licence.
    pub licence: Option<FrontText>,
    /// The BibLaTeX files of works cited.
    pub references: Vec<FrontText>,
    /// The citation style.
    pub citation_style: Option<FrontText>,
    /// The documents whose blocks can be called here.
    pub library: Vec<FrontText>,
    /// `[parameters]`, with where each is named.
    pub parameters: BTreeMap<Name, (Span, Parameter)>,
    /// `[macros]`: commands for formulas, each with what it stands for.
    pub macros: BTreeMap<String, String>,
    /// `[words]`: the words that stand for values in sentences, each with what it is for.
    pub words: BTreeMap<String, String>,
    /// `[defaults]`.
    pub defaults: Settings,
    /// `[defaults.LANGUAGE]`, with where each language is named.
    pub language_defaults: BTreeMap<String, (Span, Settings)>,
    /// `[block.NAME]`, with where each block is named.
    pub block_options: BTreeMap<String, (Span, Settings)>,
    /// `[interpreters.NAME]`, with where each language is named.
    pub interpreters: BTreeMap<String, (Span, Settings)>,
    /// `[environment]`.
    pub environment: Settings,
    /// `[after]`.
    pub after: Settings,
    /// `[script]`.
    pub script: Settings,
    /// `[export]`.
    pub export: Settings,
    /// A format's own table.
    pub format_options: BTreeMap<Format, Settings>,
}

impl FrontMatter {
    /// The options of a live block, of a language and perhaps a name, as these layers set them.
    pub fn block_settings(layers: &[&FrontMatter], language: &str, name: Option<&Name>) -> Settings {
        let mut settings = Settings::built_in(Place::Block);
        let shared = FrontMatter::shared_language(layers, language);
        for layer in layers {
            settings.overlay(&layer.defaults);
            for language in shared.iter().chain([&language]) {
                if let Some((_, own)) = layer.language_defaults.get(*language) {
                    settings.overlay(own);
                }
            }
        }
        for layer in layers {
            if let Some((_, own)) = name.and_then(|name| layer.block_options.get(name.as_str())) {
                settings.overlay(own);
            }
        }
        settings
    }

    /// The language whose interpreter runs the blocks of another one, and whose defaults are therefore theirs: of a
    /// terminal session, the shell.
    fn shared_language<'a>(layers: &[&'a FrontMatter], language: &str) -> Option<&'a str> {
        let own = layers.iter().rev().find_map(|layer| layer.interpreters.get(language)?.1.text("shares"));
        own.or((language == "console").then_some("sh"))
    }

    /// The options that an export of a format takes, as these layers set them.
    pub fn export_settings(layers: &[&FrontMatter], format: Format) -> Settings {
        let mut settings = Settings::of_format(format);
        for layer in layers {
            settings.overlay_for(format, &layer.export);
            if let Some(own) = layer.format_options.get(&format) {
                settings.overlay(own);
            }
        }
        settings
    }

    /// What `[export]` says for all formats together, as these layers set it.
    pub fn settings_of_all_formats(layers: &[&FrontMatter]) -> Settings {
        let mut settings = Settings::built_in(Place::Export);
        layers.iter().for_each(|layer| settings.overlay(&layer.export));
        settings
    }

    /// The formats asked for.
    pub fn formats(layers: &[&FrontMatter]) -> Vec<Format> {
        let settings = FrontMatter::settings_of_all_formats(layers);
        settings.list("to").iter().filter_map(|word| Format::from_word(word)).collect()
    }
}
