//! What a result depends on, as one hash. Keys are made here and nowhere else.

use crate::observations::Observations;
use crate::plan::StrandId;
use ecow::{EcoString, eco_format};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::LazyLock;
use vineloom_document::options::{BlockOptions, FigureFormat};
use vineloom_interpreters::{Outcome, Streams};
use vineloom_store::{Digest, to_record};

/// Changes when what is stored, or how a driver behaves, changes so that old results must not be used.
const FORMAT: &str = "vineloom result 9";

/// The key of a block: equal keys, equal results.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Key(pub Digest);

/// What enters the keys of all blocks of a language.
#[derive(Debug)]
pub struct InputsOfLanguage<'a> {
    /// The language's name.
    pub language: &'a str,
    /// The program and its first arguments.
    pub command: &'a [String],
    /// What it said of its version.
    pub version: &'a str,
    /// The hash of the driver's text.
    pub driver: &'a str,
    /// The environment that its blocks see.
    pub environment: &'a BTreeMap<String, String>,
}

/// Everything that enters a key.
#[derive(Debug)]
pub struct Inputs<'a> {
    /// Those that all blocks of its language have.
    pub of_language: &'a [Fact],
    /// The variables of the block's own environment, with what stands for their values.
    pub concealed: &'a BTreeMap<String, String>,
    /// The strand.
    pub strand: &'a StrandId,
    /// The identity of the block before it on the strand, when its state is still there.
    pub before: Option<Key>,
    /// The scratch folder, when it runs there.
    pub scratch: Option<Digest>,
    /// The code, values put in.
    pub code: &'a EcoString,
    /// What is handed in: names and values in a form that tells all of them apart.
    pub variables: &'a [(String, String)],
    /// The files it declares to read: paths and the hash of what they hold, or that they are not there.
    pub reads: &'a [(String, String)],
    /// How standard output and error come in.
    pub streams: Streams,
    /// Whether it is an expression in a sentence.
    pub expression: bool,
    /// The block's options; only those marked as outcome in the table enter the key.
    pub options: &'a BlockOptions,
}

/// One thing a key is made of: what it is, and its value in a form that tells all of them apart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fact {
    /// What it is, as a reader would say it: "the code", "the environment variable TZ".
    pub what: EcoString,
    /// Its value.
    pub value: EcoString,
}

impl InputsOfLanguage<'_> {
    /// All of it, one by one. It is the same for many blocks, and copied without being written anew.
    pub fn facts(&self) -> Vec<Fact> {
        let fact = |what: &str, value: &str| Fact { what: what.into(), value: value.into() };
        let mut facts = vec![
            fact("the language", self.language),
            fact("the command", &self.command.join("\u{1f}")),
            fact("the interpreter's version", self.version),
            fact("the driver", self.driver),
        ];
        let variables = self.environment.iter();
        facts.extend(variables.map(|(name, value)| fact(&format!("the environment variable {name}"), value)));
        facts
    }
}

impl Inputs<'_> {
    /// Everything that enters the key, one by one.
    pub fn facts(&self) -> Vec<Fact> {
        static KIND: LazyLock<EcoString> = LazyLock::new(|| "the kind of strand".into());
        let mut facts = Vec::with_capacity(self.of_language.len() + 8);
        facts.extend_from_slice(self.of_language);
        let mut add = |what: EcoString, value: EcoString| facts.push(Fact { what, value });
        for (name, value) in self.concealed {
            add(eco_format!("{CONCEALED} {name}"), value.into());
        }
        let is_fresh = matches!(self.strand, StrandId::Fresh(_));
        add(KIND.clone(), if is_fresh { "fresh" } else { "shared" }.into());
        if let Some(before) = self.before {
            add(BEFORE.into(), before.0.hex()[..].into());
        }
        if let Some(tree) = self.scratch {
            add("the scratch folder".into(), tree.hex()[..].into());
        }
        add(CODE.into(), self.code.clone());
        for (name, value) in self.variables {
            add(eco_format!("what is handed in as {name}"), value.into());
        }
        for (path, hash) in self.reads {
            add(eco_format!("the file {path}"), hash.into());
        }
        if self.expression {
            add("where it stands".into(), "in a sentence".into());
        }
        let options = self.options;
        let mut option = |name: &str, value: Option<&str>| {
            if let Some(value) = value {
                add(eco_format!("the option {name}"), value.into());
            }
        };
        option("show (its notices)", (self.streams == Streams::Separate).then_some("apart"));
        option("stop", options.stop.then_some("yes"));
        option("transcript", options.transcript.then_some("yes"));
        option("cwd", options.cwd.as_deref());
        option("stdin", options.stdin.as_deref());
        option("figure", options.figure.as_deref());
        option("figure-format", (options.figure_format == FigureFormat::Png).then_some("png"));
        for (name, value) in [("width", options.width), ("height", options.height), ("dpi", options.dpi)] {
            option(name, value.map(|v| v.to_string()).as_deref());
        }
        facts
    }
}

/// What the fact of the state before a block is called.
pub(crate) const BEFORE: &str = "the block before it on its strand";
/// How the facts of values begin that are not stored.
pub(crate) const CONCEALED: &str = "the value of the environment variable";
/// What the fact of its code is called.
pub(crate) const CODE: &str = "its code";

impl Key {
    /// Makes the key of a block.
    pub fn of(facts: &[Fact]) -> Key {
        let mut fields = Fields::new();
        facts.iter().for_each(|fact| fields.add(&fact.what, &fact.value));
        Key(fields.digest())
    }

    /// The identity of a result: the key, and the state in which its block found files. What is on the strand after it
    /// depends on both.
    pub fn of_result(self, files: Option<&Observations>) -> Key {
        let Some(files) = files.filter(|files| !files.inputs.is_empty()) else { return self };
        let mut fields = Fields::new();
        fields.add_bytes("key", self.0.as_bytes());
        fields.add_bytes("files", &to_record(&files.inputs));
        Key(fields.digest())
    }

    /// What stands for the state of a strand that has run nothing. A state knows the folder that it was made in.
    pub fn of_nothing(folder: &Path) -> Key {
        let mut fields = Fields::new();
        fields.add_bytes("folder", folder.as_os_str().as_encoded_bytes());
        Key(fields.digest())
    }

    /// What stands for the state of a strand that has run one more block: all blocks that it ran, and what each of them
    /// gave. `before` is that of the strand without it.
    pub fn of_state(before: Key, identity: Key, outcome: &Outcome, scratch: Option<Digest>) -> Key {
        let mut fields = Fields::new();
        fields.add_bytes("state", before.0.as_bytes());
        fields.add_bytes("identity", identity.0.as_bytes());
        fields.add_bytes("gave", &to_record(&(&outcome.pieces, outcome.exit, scratch)));
        Key(fields.digest())
    }

    /// The identity of a block that runs at every weave: what comes after it must run too.
    pub fn of_this_weave(self, weave: &str) -> Key {
        let mut fields = Fields::new();
        fields.add("always", &self.0.to_string());
        fields.add("weave", weave);
        Key(fields.digest())
    }
}

/// Named texts, each with its length, so that no two lists of fields run into the same bytes.
struct Fields(blake3::Hasher);

impl Fields {
    fn new() -> Self {
        let mut fields = Fields(blake3::Hasher::new());
        fields.add("format", FORMAT);
        fields
    }

    fn add(&mut self, name: &str, value: &str) {
        self.add_bytes(name, value.as_bytes());
    }

    fn add_bytes(&mut self, name: &str, value: &[u8]) {
        for part in [name.as_bytes(), value] {
            self.0.update(&(part.len() as u64).to_le_bytes());
            self.0.update(part);
        }
    }

    fn digest(&self) -> Digest {
        self.0.finalize().into()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_document::Span;
    use vineloom_document::options::{Effect, Origin, Place, Setting, Settings, TABLE, entry};

    fn key_with(option: Option<(&str, &str)>) -> Key {
        let mut settings = Settings::built_in(Place::Block);
        if let Some((name, text)) = option {
            let entry = entry(name, Place::Block).unwrap();
            let value = entry.kind.read(text).unwrap();
            settings.set(entry.name, Setting { value, span: Span::NOWHERE, origin: Origin::Fence });
        }
        let options = BlockOptions::from_settings(&settings);
        let environment = BTreeMap::from([("PATH".to_string(), "/bin".to_string())]);
        let concealed = options.env.iter().map(|variable| (variable.clone(), String::new())).collect();
        let of_language = InputsOfLanguage {
            language: "sh",
            command: &["sh".into()],
            version: "1",
            driver: "d",
            environment: &environment,
        };
        let inputs = Inputs {
            of_language: &of_language.facts(),
            concealed: &concealed,
            // The strand enters through what ran before on it.
            strand: &if option.is_some_and(|(name, _)| name == "strand") {
                StrandId::Fresh(vineloom_document::BlockIndex::of_number(1))
            } else {
                StrandId::Shared { language: "sh".into(), name: None, library: None }
            },
            before: None,
            scratch: None,
            code: &"echo".into(),
            variables: &option
                .filter(|(name, _)| *name == "with")
                .map(|(_, v)| ("x".into(), v.into()))
                .into_iter()
                .collect::<Vec<_>>(),
            reads: &options.reads.iter().map(|path| (path.clone(), "absent".into())).collect::<Vec<_>>(),
            streams: Streams::Shared,
            expression: false,
            options: &options,
        };
        Key::of(&inputs.facts())
    }

    /// An option that can change what a block gives changes its key; one of looks or of running never does.
    #[test]
    fn every_option_is_in_the_key_or_marked_as_no_input() {
        for entry in TABLE.iter().filter(|entry| entry.place == Place::Block) {
            let value = entry.example.split_once('=').unwrap().1.trim_matches('"');
            let differs = key_with(Some((entry.name, value))) != key_with(None);
            assert_eq!(differs, entry.effect == Effect::Outcome, "option {}", entry.name);
        }
    }

    #[test]
    fn fields_do_not_run_together() {
        let digest = |pairs: &[(&str, &str)]| {
            let mut fields = Fields::new();
            pairs.iter().for_each(|(name, value)| fields.add(name, value));
            fields.digest()
        };
        assert_ne!(digest(&[("a", "bc")]), digest(&[("ab", "c")]));
        assert_ne!(digest(&[("a", "b"), ("c", "d")]), digest(&[("a", "bc"), ("", "d")]));
    }
}
