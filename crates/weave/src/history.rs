//! What the last weave of a document knew of each block: to say what changed since, which block needs which, and how
//! long it will take. Nothing is kept or run because of it.

use crate::key::{BEFORE, CODE, CONCEALED, Fact};
use crate::names_in_code::{mentions, names_given_in};
use crate::observations::{Made, Observations};
use crate::plan::{Plan, block_title};
use crate::results::Results;
use crate::values::plain_template;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use vineloom_document::{BlockIndex, ByBlock, Diagnostic, Document, LiveBlock};
use vineloom_interpreters::Piece;
use vineloom_store::{Digest, Objects, from_record, to_record};

/// The last weave of one document.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct History {
    /// Its blocks, in the order in which they ran.
    pub blocks: Vec<Past>,
}

/// A block in the last weave.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Past {
    /// What it is known by: its name, or its language and its place among those without one.
    pub known_as: String,
    /// What its key was made of.
    pub facts: Vec<Fact>,
    /// What it did with files.
    pub files: Option<Observations>,
    /// How long it ran, in milliseconds.
    pub milliseconds: u64,
    /// How much it gave, in bytes.
    pub bytes: u64,
}

/// What each live block is known by from weave to weave.
pub fn names(document: &Document) -> ByBlock<String> {
    let mut unnamed: BTreeMap<&str, usize> = BTreeMap::new();
    let mut names = ByBlock::default();
    for LiveBlock { name, language, .. } in &document.live {
        names.push(match name {
            Some(name) => ["@", name.as_str()].concat(),
            None => {
                let count = unnamed.entry(language.as_str()).or_insert(0);
                *count += 1;
                format!("{language} {count}")
            }
        });
    }
    names
}

impl History {
    fn place(document: &str) -> Digest {
        Digest::of(format!("history of {document}").as_bytes())
    }

    /// The history of a document, by its path in the project; empty when it was never woven.
    pub fn load(store: &dyn Objects, document: &str) -> History {
        store.record(Self::place(document)).and_then(|bytes| from_record(&bytes)).unwrap_or_default()
    }

    /// Keeps it. It is of use and not needed, so a store that can't be written is no failure.
    pub fn save(&self, store: &dyn Objects, document: &str) {
        let _ = store.write_record(Self::place(document), &to_record(self));
    }

    /// What a weave knew.
    pub fn of(document: &Document, plan: &Plan, results: &Results) -> History {
        let names = names(document);
        let past = |&index: &BlockIndex| {
            let given = results.blocks[index].given.as_ref()?;
            let outcome = &given.outcome;
            Some(Past {
                known_as: names[index].clone(),
                facts: given.facts.clone(),
                files: given.files.clone(),
                milliseconds: outcome.milliseconds,
                bytes: outcome.pieces.iter().map(size).sum(),
            })
        };
        History { blocks: plan.order.iter().filter_map(past).collect() }
    }

    /// The block that was known as this.
    pub fn block(&self, known_as: &str) -> Option<&Past> {
        self.blocks.iter().find(|past| past.known_as == known_as)
    }

    /// A warning for every block that now stands above one that it needed: by the files it read, or by the names it
    /// uses of the state they share.
    pub fn moved_above(&self, document: &Document, plan: &Plan) -> Vec<Diagnostic> {
        let names = names(document);
        let place: BTreeMap<&str, usize> =
            self.blocks.iter().enumerate().map(|(at, past)| (past.known_as.as_str(), at)).collect();
        let mut found = Vec::new();
        let was: Vec<Option<usize>> =
            plan.order.iter().map(|&index| place.get(names[index].as_str()).copied()).collect();
        for (at, &index) in plan.order.iter().enumerate() {
            let Some(was_at) = was[at] else { continue };
            let past = &self.blocks[was_at];
            for (&later, maker_at) in plan.order.iter().zip(&was).skip(at + 1) {
                let Some(maker) = maker_at.filter(|maker_at| *maker_at < was_at) else { continue };
                let maker = &self.blocks[maker];
                let what = made_for(maker, past).or_else(|| {
                    let same =
                        plan.tasks[index].as_ref().map(|t| &t.strand) == plan.tasks[later].as_ref().map(|t| &t.strand);
                    same.then(|| set_for(document, index, later)).flatten()
                });
                if let Some(what) = what {
                    let message = format!(
                        "{} {what} {}, which stands below it now",
                        block_title(document, index),
                        block_title(document, later)
                    );
                    let finding = Diagnostic::warning(document.live[index].fence, message);
                    found.push(
                        finding
                            .related(document.live[later].fence, "this block")
                            .help(format!("move {} above it again", block_title(document, later))),
                    );
                }
            }
        }
        found
    }
}

/// A file that one block made and another read.
fn made_for(maker: &Past, reader: &Past) -> Option<String> {
    let outputs = &maker.files.as_ref()?.outputs;
    let inputs = &reader.files.as_ref()?.inputs;
    let shared =
        |(path, made): &&(String, Made)| *made != Made::Nothing && inputs.iter().any(|(input, _)| input == path);
    outputs.iter().find(shared).map(|(path, _)| format!("reads {path}, made by"))
}

/// A name that one block sets and another uses without setting it.
fn set_for(document: &Document, user: BlockIndex, setter: BlockIndex) -> Option<String> {
    let code = plain_template(&document.live[user].code);
    let setting = plain_template(&document.live[setter].code);
    let own = names_given_in(&code);
    let used = names_given_in(&setting).into_iter().find(|name| !own.contains(name) && mentions(&code, name))?;
    Some(format!("uses `{used}`, set by"))
}

fn size(piece: &Piece) -> u64 {
    match piece {
        Piece::Text(text) | Piece::Notice(text) | Piece::Statement(text) => text.len() as u64,
        Piece::Value { text, .. } | Piece::Failure { text, .. } => text.len() as u64,
        Piece::Table(table) => table.to_csv().len() as u64,
        Piece::Figure(figure) => figure.bytes.len() as u64,
    }
}

/// What is different between two lists of facts, in sentences without a full stop.
pub fn changes(was: &[Fact], now: &[Fact]) -> Vec<String> {
    let value =
        |facts: &'_ [Fact], what: &str| facts.iter().find(|fact| fact.what == what).map(|fact| fact.value.clone());
    let mut changes = Vec::new();
    for fact in now {
        match value(was, &fact.what) {
            Some(before) if before == fact.value => {}
            _ if fact.what == BEFORE => changes.push(format!("{BEFORE} is another, or changed")),
            Some(before) if fact.what == CODE => {
                changes.push(format!("{CODE} changed:\n{}", difference(&before, &fact.value)))
            }
            Some(_) if fact.what.starts_with(CONCEALED) => changes.push(format!("{} is another", fact.what)),
            None if fact.what.starts_with(CONCEALED) => changes.push(format!("{} is new", fact.what)),
            Some(before) => {
                changes.push(format!("{} changed from {} to {}", fact.what, short(&before), short(&fact.value)))
            }
            None => changes.push(format!("{} is new: {}", fact.what, short(&fact.value))),
        }
    }
    for gone in was.iter().filter(|fact| value(now, &fact.what).is_none()) {
        changes.push(match gone.what.as_str() {
            BEFORE => "it is the first block on its strand now".to_string(),
            what if what.starts_with(CONCEALED) => format!("{what} is gone"),
            what => format!("{what} is gone; it was {}", short(&gone.value)),
        });
    }
    changes
}

/// The lines in which two texts differ.
pub fn difference(was: &str, now: &str) -> String {
    let differences = similar::TextDiff::from_lines(was, now);
    let mut lines: Vec<String> = Vec::new();
    for change in differences.iter_all_changes() {
        let sign = match change.tag() {
            similar::ChangeTag::Delete => "-",
            similar::ChangeTag::Insert => "+",
            similar::ChangeTag::Equal => continue,
        };
        lines.push(format!("    {sign} {}", change.value().trim_end_matches('\n')));
    }
    let more = lines.len().saturating_sub(12);
    lines.truncate(12);
    if more > 0 {
        lines.push(format!("    … and {more} more lines"));
    }
    lines.join("\n")
}

fn short(value: &str) -> String {
    let is_hash = value.len() == 64 && value.bytes().all(|byte| byte.is_ascii_hexdigit());
    let text = value.replace('\u{1f}', " ");
    match is_hash {
        true => format!("{}…", &text[..8]),
        false if text.chars().count() > 80 => format!("{}…", text.chars().take(80).collect::<String>()),
        false => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fact(what: &str, value: &str) -> Fact {
        Fact { what: what.into(), value: value.into() }
    }

    #[test]
    fn what_changed_is_said_from_what_to_what() {
        let was = [fact(CODE, "a\nb\n"), fact("the environment variable TZ", "UTC"), fact("the option cwd", "data")];
        let now = [fact(CODE, "a\nc\n"), fact("the environment variable TZ", "CET"), fact(BEFORE, "x")];
        assert_eq!(
            changes(&was, &now),
            [
                "its code changed:\n    - b\n    + c",
                "the environment variable TZ changed from UTC to CET",
                "the block before it on its strand is another, or changed",
                "the option cwd is gone; it was data",
            ]
        );
        assert!(changes(&was, &was).is_empty());
    }
}
