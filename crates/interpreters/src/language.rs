//! The language table: how each language is run and installed.

use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{LazyLock, OnceLock};

/// One language.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Language {
    /// The program and its first arguments.
    pub command: Vec<String>,
    /// The extension of its files, without a dot.
    #[serde(default)]
    pub extension: String,
    /// What starts a comment.
    #[serde(default = "hash")]
    pub comment: String,
    /// The arguments that make it print its version; empty: the program file stands for the version.
    #[serde(default)]
    pub version: Vec<String>,
    /// How to get it.
    #[serde(default = "its_own_way")]
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
    /// The language whose strand its blocks run on, when it has none of its own.
    #[serde(default)]
    pub shares: Option<String>,
    /// Whether its blocks are terminal sessions.
    #[serde(default)]
    pub session: bool,
    /// Whether the program runs its blocks itself, with no interpreter.
    #[serde(default)]
    pub built_in: bool,
}

fn hash() -> String {
    "#".into()
}

fn its_own_way() -> String {
    "see that its program is in a folder of PATH, or correct `command` in its table under [interpreters]".into()
}

/// The script that keeps an interpreter's state from block to block.
#[derive(Debug, Clone, PartialEq, Eq, Default, Deserialize)]
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
    /// For Octave.
    Octave,
    /// One of the user's own, with its text.
    #[serde(skip)]
    Own(String),
}

impl Language {
    /// Whether what it prints and its error output are one stream, unless the two are asked for apart.
    pub fn shares_streams(&self) -> bool {
        self.driver.is_shells()
    }
}

/// What a driver and its interpreter can do.
#[derive(Debug, Clone, Copy)]
struct Traits {
    /// The interpreter is a shell, run by the shells' driver.
    shell: bool,
    /// It can't open another standard input, and so gets one that changes.
    lasting_input: bool,
    /// It opens a block's standard output and error by name, so that they are the block's alone.
    opens_output: bool,
    /// It can say what its state holds.
    variables: bool,
    /// It can tell statement by statement what a block gives.
    statements: bool,
    /// It can leave stopped copies of its interpreter, and go back to them.
    copies: bool,
    /// It can write its state into a file, and take it up in another interpreter.
    saves: bool,
}

/// What no driver can do unless its row says so.
const NONE: Traits = Traits {
    shell: false,
    lasting_input: false,
    opens_output: false,
    variables: false,
    statements: false,
    copies: false,
    saves: false,
};
/// A driver that keeps state can say what that holds.
const STATE: Traits = Traits { variables: true, ..NONE };

impl Driver {
    /// The row of a driver: its text, and what it can do.
    fn row(&self) -> (&str, Traits) {
        match self {
            Driver::None => (include_str!("drivers/shell.sh"), Traits { shell: true, ..NONE }),
            Driver::Shell => (include_str!("drivers/shell.sh"), Traits { shell: true, saves: true, ..STATE }),
            Driver::Python => (
                // The part that saves states is a text in it, read when it is needed: it imports more than most blocks do.
                concat!(
                    include_str!("drivers/python.py"),
                    "\n\nSTATES = r'''\n",
                    include_str!("drivers/python_state.py"),
                    "'''\n\nserve()\n"
                ),
                Traits { opens_output: true, statements: true, copies: true, saves: true, ..STATE },
            ),
            Driver::Javascript => {
                (include_str!("drivers/javascript.js"), Traits { lasting_input: true, statements: true, ..STATE })
            }
            Driver::Ruby => (include_str!("drivers/ruby.rb"), Traits { opens_output: true, ..STATE }),
            Driver::R => {
                (include_str!("drivers/r.R"), Traits { lasting_input: true, statements: true, saves: true, ..STATE })
            }
            Driver::Octave => (
                include_str!("drivers/octave.m"),
                Traits { lasting_input: true, statements: true, saves: true, ..STATE },
            ),
            Driver::Own(script) => (script, Traits { statements: true, ..STATE }),
        }
    }

    /// Its text.
    pub fn script(&self) -> &str {
        self.row().0
    }

    /// Whether the interpreter is a shell, run by the shells' driver.
    pub(crate) fn is_shells(&self) -> bool {
        self.row().1.shell
    }

    /// Whether the interpreter can't open another standard input, and so gets one that changes.
    pub(crate) fn has_lasting_input(&self) -> bool {
        self.row().1.lasting_input
    }

    /// Whether it opens a block's standard output and error by name, so that they are the block's alone.
    pub(crate) fn opens_its_output(&self) -> bool {
        self.row().1.opens_output
    }

    /// Whether it can say what its state holds.
    pub(crate) fn tells_variables(&self) -> bool {
        self.row().1.variables
    }

    /// Whether it can leave stopped copies of its interpreter.
    pub(crate) fn leaves_copies(&self) -> bool {
        self.row().1.copies
    }

    /// Whether it can write its state into a file, and take it up in another interpreter.
    pub fn saves_its_state(&self) -> bool {
        self.row().1.saves
    }

    /// Whether it can tell statement by statement what a block gives.
    pub fn tells_statements(&self) -> bool {
        self.row().1.statements
    }
}

/// A language table of the user's that can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("[interpreters.{language}]: {problem}")]
pub struct LanguageError {
    /// The language.
    pub language: String,
    /// What is wrong.
    pub problem: String,
}

/// All languages that are known: the built-in ones, and before them those of the user.
#[derive(Debug, Clone, Default)]
pub struct Languages(BTreeMap<String, Language>);

const BUILT_IN: &str = include_str!("languages.toml");

/// The built-in languages by their names, each with its part of the table, which is read when the language is asked for.
static TABLES: LazyLock<BTreeMap<&'static str, (&'static str, OnceLock<Language>)>> = LazyLock::new(|| {
    let parts = BUILT_IN.split("\n[").skip(1).filter_map(|part| part.split_once("]\n"));
    parts.map(|(name, table)| (name, (table, OnceLock::new()))).collect()
});

/// # Panics
/// When the table of the language can't be read, which a test rules out.
#[allow(clippy::expect_used, reason = "the table is part of the program and a test reads all of it")]
fn built_in(name: &str) -> Option<&'static Language> {
    let (table, language) = TABLES.get(name)?;
    Some(language.get_or_init(|| toml_edit::de::from_str(table).expect("the built-in table of the language is valid")))
}

impl Languages {
    /// Those of the built-in table.
    pub fn built_in() -> Self {
        Languages::default()
    }

    /// Adds a table of the user's: a new language, or other values for a known one. A `driver` that is not one of
    /// ours is a file, of which `read` gives the text.
    ///
    /// # Errors
    /// [`LanguageError`] when the table lacks something or its driver can't be read.
    pub fn add(&mut self, name: &str, table: &str, read: &dyn Fn(&str) -> Option<String>) -> Result<(), LanguageError> {
        let wrong = |problem: String| LanguageError { language: name.into(), problem };
        let mut whole = toml_edit::DocumentMut::new();
        if let Some((table, _)) = TABLES.get(name)
            && let Ok(known) = table.parse::<toml_edit::DocumentMut>()
        {
            known.iter().for_each(|(key, value)| whole[key] = value.clone());
        }
        let given: toml_edit::DocumentMut =
            table.parse().map_err(|error: toml_edit::TomlError| wrong(error.message().into()))?;
        given.iter().for_each(|(key, value)| whole[key] = value.clone());
        // Another command says its version and is found in its own way, unless the table says how.
        if given.contains_key("command") {
            for key in ["needs", "install"].iter().filter(|key| !given.contains_key(key)) {
                whole.remove(key);
            }
        }
        let mut own_driver = None;
        if let Some(driver) = whole.get("driver").and_then(|item| item.as_str()).map(String::from)
            && !["none", "shell", "python", "javascript", "ruby", "r", "octave"].contains(&driver.as_str())
        {
            own_driver = Some(read(&driver).ok_or_else(|| wrong(format!("the driver {driver} can't be read")))?);
            whole.remove("driver");
        }
        let mut language: Language =
            toml_edit::de::from_document(whole).map_err(|error| wrong(error.message().into()))?;
        if language.command.is_empty() {
            return Err(wrong("`command` has no word".into()));
        }
        if let Some(script) = own_driver {
            language.driver = Driver::Own(script);
        }
        self.0.insert(name.into(), language);
        Ok(())
    }

    /// The language of that name.
    pub fn get(&self, name: &str) -> Option<&Language> {
        self.0.get(name).or_else(|| built_in(name))
    }

    /// The language whose interpreter runs the blocks of a language: its own, unless it shares another's.
    pub fn home<'a>(&'a self, name: &'a str) -> &'a str {
        self.get(name).and_then(|language| language.shares.as_deref()).unwrap_or(name)
    }

    /// Whether blocks of a language share state; so do those of a language nobody knows, as far as one can say.
    pub fn keeps_state(&self, name: &str) -> bool {
        self.get(self.home(name)).is_none_or(|language| language.driver != Driver::None)
    }

    /// All names.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        let names: BTreeSet<&str> = self.0.keys().map(String::as_str).chain(TABLES.keys().copied()).collect();
        names.into_iter()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_built_in_table_is_valid_and_says_how_to_install_each() {
        let languages = Languages::built_in();
        assert!(languages.get("python").is_some());
        let whole: BTreeMap<String, Language> = toml_edit::de::from_str(BUILT_IN).unwrap();
        assert!(whole.keys().eq(TABLES.keys()), "each table of the file is one of the parts");
        for (name, language) in whole {
            assert_eq!(format!("{:?}", built_in(&name).unwrap()), format!("{language:?}"));
        }
        for name in languages.names() {
            let language = languages.get(name).unwrap();
            assert!(!language.command.is_empty() && !language.install.is_empty(), "{name}");
            assert!(!language.extension.is_empty(), "{name}");
            assert!(languages.get(languages.home(name)).is_some(), "{name}");
        }
    }

    #[test]
    fn a_table_of_the_users_adds_a_language_or_changes_one() {
        let mut languages = Languages::built_in();
        let read = |path: &str| (path == "drivers/forth.py").then(|| "text".to_string());
        languages.add("python", "command = [\"nice\", \"python3\"]", &read).unwrap();
        let python = languages.get("python").unwrap();
        assert_eq!(python.command, ["nice", "python3"]);
        assert_eq!(python.driver, Driver::Python);
        languages.add("forth", "command = [\"gforth\"]\ndriver = \"drivers/forth.py\"", &read).unwrap();
        assert_eq!(languages.get("forth").unwrap().driver, Driver::Own("text".into()));
        let error = languages.add("forth", "command = [\"gforth\"]\ndriver = \"gone\"", &read).unwrap_err();
        assert_eq!(error.to_string(), "[interpreters.forth]: the driver gone can't be read");
        let error = languages.add("zig", "extension = \"zig\"", &read).unwrap_err();
        assert!(error.problem.contains("command"), "{error}");
    }
}
