//! The language table: how each language is run and installed.

use serde::Deserialize;
use std::collections::BTreeMap;

/// One language.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Language {
    /// The program and its first arguments.
    pub command: Vec<String>,
    /// The extension of its files, without a dot.
    pub extension: String,
    /// What starts a comment.
    pub comment: String,
    /// The arguments that make it print its version; empty: the program file stands for the version.
    #[serde(default)]
    pub version: Vec<String>,
    /// How to get it.
    pub install: String,
    /// The program to look for, when it is not the first word of the command.
    #[serde(default)]
    pub needs: Option<String>,
    /// The driver that keeps its state; without one each block runs by itself.
    #[serde(default)]
    pub driver: Driver,
    /// Environment variables it is always given.
    #[serde(default)]
    pub environment: BTreeMap<String, String>,
}

/// The script that keeps an interpreter's state from block to block.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Driver {
    /// None: each block runs by itself, started by the shells' driver.
    #[default]
    None,
    /// For sh and bash.
    Shell,
    /// For Python.
    Python,
    /// For Node.js.
    Javascript,
    /// For Ruby.
    Ruby,
    /// For R.
    R,
}

impl Driver {
    /// Its text.
    pub fn script(self) -> &'static str {
        match self {
            Driver::None | Driver::Shell => include_str!("drivers/shell.sh"),
            Driver::Python => include_str!("drivers/python.py"),
            Driver::Javascript => include_str!("drivers/javascript.js"),
            Driver::Ruby => include_str!("drivers/ruby.rb"),
            Driver::R => include_str!("drivers/r.R"),
        }
    }

    /// Whether the interpreter is a shell, run by the shells' driver.
    pub(crate) fn is_shells(self) -> bool {
        matches!(self, Driver::None | Driver::Shell)
    }
}

/// All languages that are known.
#[derive(Debug, Clone)]
pub struct Languages(BTreeMap<String, Language>);

impl Languages {
    /// Those of the built-in table.
    ///
    /// # Panics
    /// When the built-in table can't be read, which a test rules out.
    #[allow(clippy::expect_used, reason = "the table is part of the program and a test reads it")]
    pub fn built_in() -> Self {
        let table = include_str!("languages.toml");
        Languages(toml_edit::de::from_str(table).expect("the built-in language table is valid"))
    }

    /// The language of that name.
    pub fn get(&self, name: &str) -> Option<&Language> {
        self.0.get(name)
    }

    /// Whether blocks of a language share state; so do those of a language nobody knows, as far as one can say.
    pub fn keeps_state(&self, name: &str) -> bool {
        self.get(name).is_none_or(|language| language.driver != Driver::None)
    }

    /// All names.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.0.keys().map(String::as_str)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_built_in_table_is_valid_and_says_how_to_install_each() {
        let languages = Languages::built_in();
        assert!(languages.get("python").is_some());
        for name in languages.names() {
            let language = languages.get(name).unwrap();
            assert!(!language.command.is_empty() && !language.install.is_empty(), "{name}");
        }
    }
}
