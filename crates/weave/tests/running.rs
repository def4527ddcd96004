//! The running of documents, with interpreters and a store that live in memory.
//!
//! The language of the fake interpreter has a few words: `set NAME VALUE`, `get NAME`, `print TEXT`, `fail CODE`,
//! `exit`, `tick` (a number that is never the same), `variable NAME` (what was handed in), `env NAME`.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use proptest::prelude::*;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, HashMap, VecDeque};
use std::path::PathBuf;
use vineloom_document::{BlockIndex, Document, Source, has_errors, parse};
use vineloom_interpreters::{BlockRun, Held, Languages, Outcome, Piece, RunError, Saved, Seen, VariableValue};
use vineloom_store::{Digest, Origin, StoreError};
use vineloom_weave::{
    Aids, Caller, FailureKind, FileStates, History, Interpreting, KeptState, Key, Known, LastWeave, Made, NotRunnable,
    Observations, OnFailure, Progress, ResultStore, Results, Reuse, Runs, ScratchFolder, State, forecast, held_after,
    plan, run, run_side_by_side, verify,
};
use vineloom_woven::NoMemory;

#[derive(Default)]
struct Fake {
    version: String,
    moment: String,
    ticks: Cell<u64>,
    started: Cell<usize>,
    files: BTreeMap<String, String>,
    scratch: String,
    observations: Observations,
    written: Vec<(String, Option<String>)>,
    trees: HashMap<Digest, String>,
    /// From how many milliseconds on a state is worth keeping.
    dear: Option<u64>,
    /// Whether states can't be taken up.
    forgets: bool,
    /// How many strands run a block at once; what has begun is done at once, and waits here to be asked for.
    at_once: usize,
    begun: VecDeque<(usize, FakeStrand, Result<Outcome, RunError>, Observations)>,
    /// How many were begun at once, at the most.
    most_at_once: usize,
}

#[derive(Default)]
struct FakeStrand(BTreeMap<String, String>);

impl Interpreting for Fake {
    type Strand = FakeStrand;

    fn known(&mut self, language: &str) -> Result<std::sync::Arc<Known>, NotRunnable> {
        if language == "cobol" {
            return Err(NotRunnable::Unknown { nearest: None, known: vec!["sh".into()] });
        }
        Ok(std::sync::Arc::new(Known {
            command: vec![language.into()],
            version: self.version.clone(),
            driver: "fake".into(),
            environment: BTreeMap::new(),
            session: false,
            shares_streams: true,
        }))
    }

    fn start(&mut self, _language: &str) -> Result<FakeStrand, RunError> {
        self.started.set(self.started.get() + 1);
        Ok(FakeStrand::default())
    }

    fn run(&mut self, strand: &mut FakeStrand, block: &BlockRun) -> Result<Outcome, RunError> {
        let (mut text, mut exit, mut ended) = (String::new(), 0, false);
        for line in block.code.lines() {
            let words: Vec<&str> = line.split_whitespace().collect();
            match words.as_slice() {
                ["set", name, value] => {
                    strand.0.insert((*name).into(), (*value).into());
                }
                ["get", name] => text.push_str(&format!("{}\n", strand.0.get(*name).map_or("nothing", String::as_str))),
                ["print", words @ ..] => text.push_str(&format!("{}\n", words.join(" "))),
                ["fail", code] => exit = code.parse().unwrap(),
                ["exit"] => ended = true,
                ["read", name] => {
                    let seen = self.files.get(*name).map_or(Seen::Absent, |text| Seen::Content(text.clone()));
                    self.observations.inputs.push(((*name).into(), seen));
                    text.push_str(&format!("{}\n", self.files.get(*name).map_or("absent", String::as_str)));
                }
                ["write", name, content] => {
                    let before = self.files.insert((*name).into(), (*content).into());
                    self.written.push(((*name).into(), before));
                    self.observations.outputs.push(((*name).into(), Made::File(Digest::of(content.as_bytes()), 0)));
                }
                ["leave", words @ ..] => self.scratch.push_str(&words.join(" ")),
                ["look"] => text.push_str(&format!("[{}]\n", self.scratch)),
                ["tick"] => {
                    self.ticks.set(self.ticks.get() + 1);
                    text.push_str(&format!("{}\n", self.ticks.get()));
                }
                ["variable", name] => {
                    let found = block.variables.iter().find(|variable| variable.name == *name).unwrap();
                    let VariableValue::Plain(value) = &found.value else { panic!("a plain value") };
                    text.push_str(&format!("{value}\n"));
                }
                ["env", name] => text.push_str(&format!("{}\n", block.env.get(*name).map_or("-", String::as_str))),
                [] => {}
                other => panic!("the fake language has no {other:?}"),
            }
        }
        let pieces = if text.is_empty() { Vec::new() } else { vec![Piece::Text(text)] };
        Ok(Outcome { pieces, exit, interpreter_ended: ended, milliseconds: 1 })
    }

    fn observed(&mut self, _strand: &mut FakeStrand) -> Option<Observations> {
        Some(std::mem::take(&mut self.observations))
    }

    fn dear(&self) -> Option<u64> {
        self.dear
    }

    fn save(&mut self, strand: &mut FakeStrand, _most: u64) -> Result<Saved, RunError> {
        if strand.0.contains_key("handle") {
            return Ok(Saved::InDoubt("it holds a handle".into()));
        }
        Ok(Saved::State(strand.0.iter().map(|(name, value)| format!("{name} {value}\n")).collect::<String>().into()))
    }

    fn take_up(&mut self, strand: &mut FakeStrand, state: &[u8]) -> Result<bool, RunError> {
        let words = std::str::from_utf8(state).unwrap().lines().map(|line| line.split_once(' ').unwrap());
        strand.0.extend(words.map(|(name, value)| (name.to_string(), value.to_string())));
        Ok(!self.forgets)
    }

    fn at_once(&self) -> usize {
        self.at_once
    }

    fn begin(&mut self, lane: usize, mut strand: FakeStrand, block: BlockRun) -> Result<(), RunError> {
        let result = self.run(&mut strand, &block);
        self.begun.push_back((lane, strand, result, std::mem::take(&mut self.observations)));
        self.most_at_once = self.most_at_once.max(self.begun.len());
        Ok(())
    }

    fn next_done(&mut self) -> Option<(usize, FakeStrand, Result<Outcome, RunError>)> {
        let (lane, strand, result, observations) = self.begun.pop_front()?;
        self.observations = observations;
        Some((lane, strand, result))
    }

    fn variables(&mut self, strand: &mut FakeStrand) -> Result<Option<Vec<Held>>, RunError> {
        let held = |(name, value): (&String, &String)| Held {
            name: name.clone(),
            kind: "word".into(),
            shape: String::new(),
            value: value.clone(),
        };
        Ok(Some(strand.0.iter().map(held).collect()))
    }
}

impl FileStates for Fake {
    fn first_changed(&mut self, inputs: &[(String, Seen)]) -> Option<(String, Seen)> {
        let now = |name: &String| match self.files.get(name) {
            Some(text) => Seen::Content(text.clone()),
            None => Seen::Absent,
        };
        inputs
            .iter()
            .map(|(name, seen)| (name, seen, now(name)))
            .find(|(_, seen, now)| *seen != now)
            .map(|(name, _, now)| (name.clone(), now))
    }

    fn put_back(&mut self, outputs: &[(String, Made)], _origin: Origin) -> bool {
        outputs.iter().all(|(name, made)| {
            let there = self.files.get(name).map(|text| Digest::of(text.as_bytes()));
            matches!(made, Made::File(digest, _) if there == Some(*digest))
        })
    }

    fn can_put_back(&mut self, outputs: &[(String, Made)], origin: Origin) -> bool {
        self.put_back(outputs, origin)
    }

    fn undo(&mut self) {
        for (name, before) in std::mem::take(&mut self.written).into_iter().rev() {
            match before {
                Some(content) => self.files.insert(name, content),
                None => self.files.remove(&name),
            };
        }
    }

    fn files(&self, pattern: &str) -> Vec<(String, String)> {
        vec![(pattern.into(), self.files.get(pattern).cloned().unwrap_or_else(|| "absent".into()))]
    }
}

impl ScratchFolder for Fake {
    fn scratch(&mut self) -> Option<PathBuf> {
        Some("/scratch".into())
    }

    fn snapshot_scratch(&mut self) -> Result<Digest, String> {
        let digest = Digest::of(self.scratch.as_bytes());
        self.trees.insert(digest, self.scratch.clone());
        Ok(digest)
    }

    fn restore_scratch(&mut self, tree: Digest) -> Result<(), String> {
        self.scratch = if tree == Digest::of(b"[]") { String::new() } else { self.trees[&tree].clone() };
        Ok(())
    }
}

impl Caller for Fake {
    fn conceal(&mut self, _block: Digest, values: &BTreeMap<String, String>) -> BTreeMap<String, String> {
        values.iter().map(|(name, value)| (name.clone(), Digest::of(value.as_bytes()).to_string())).collect()
    }

    fn variable(&self, name: &str) -> Option<String> {
        (name == "CALLERS").then(|| "caller's".into())
    }

    fn moment(&self) -> String {
        self.moment.clone()
    }

    fn folder(&self) -> PathBuf {
        "/".into()
    }
}

#[derive(Default)]
struct Memory {
    kept: RefCell<HashMap<Key, vineloom_weave::StoredResult>>,
    full: bool,
    states: RefCell<HashMap<Key, KeptState>>,
    contents: RefCell<HashMap<Digest, Vec<u8>>>,
}

impl ResultStore for Memory {
    fn load(&self, key: Key) -> Vec<vineloom_weave::StoredResult> {
        self.kept.borrow().get(&key).cloned().into_iter().collect()
    }

    fn keep(&self, key: Key, kept: &vineloom_weave::StoredResult) -> Result<(), StoreError> {
        if self.full {
            return Err(StoreError { path: "store".into(), source: std::io::ErrorKind::StorageFull.into() });
        }
        self.kept.borrow_mut().insert(key, kept.clone());
        Ok(())
    }

    fn state(&self, key: Key) -> Option<KeptState> {
        self.states.borrow().get(&key).cloned()
    }

    fn keep_state(&self, key: Key, saved: &Saved) -> Result<(), StoreError> {
        let kept = match saved {
            Saved::State(state) => {
                self.contents.borrow_mut().insert(Digest::of(state), state.clone());
                KeptState::There(Digest::of(state))
            }
            Saved::InDoubt(why) => KeptState::InDoubt(why.clone()),
        };
        self.states.borrow_mut().insert(key, kept);
        Ok(())
    }

    fn state_of(&self, digest: Digest) -> Option<Vec<u8>> {
        self.contents.borrow().get(&digest).cloned()
    }
}

fn document(text: &str) -> Document {
    let parsed = parse(Source::new("t.md", text));
    assert!(!has_errors(&parsed.diagnostics), "{:?}\n{text}", parsed.diagnostics);
    parsed.document
}

/// A document of fake blocks: name, fence options, code.
fn blocks(blocks: &[(&str, &str, &str)]) -> Document {
    let block = |(name, options, code): &(&str, &str, &str)| format!("```sh @{name} {options}\n{code}\n```\n\n");
    document(&blocks.iter().map(block).collect::<String>())
}

fn woven(document: &Document, fake: &mut Fake, store: &Memory) -> Results {
    run(document, &plan(document, &Languages::built_in()).unwrap(), fake, store, Reuse::Stored, &mut |_| {})
        .unwrap_or_else(|f| panic!("{f:?}"))
}

fn texts(results: &Results) -> Vec<String> {
    results
        .blocks
        .iter()
        .map(|block| block.given.as_ref().map_or_else(String::new, |given| given.outcome.cited_text()))
        .collect()
}

fn states(results: &Results) -> Vec<State> {
    results.blocks.iter().flat_map(|block| &block.given).map(|given| given.state).collect()
}

use State::{Kept, Ran, Replayed};

#[test]
fn nothing_is_started_when_all_is_kept() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let document = blocks(&[("a", "", "set x 1"), ("b", "", "get x")]);
    assert_eq!(states(&woven(&document, &mut fake, &store)), [Ran, Ran]);
    assert_eq!(fake.started.get(), 1);
    assert_eq!(states(&woven(&document, &mut fake, &store)), [Kept, Kept]);
    assert_eq!(fake.started.get(), 1);
}

#[test]
fn a_block_added_at_the_end_replays_the_state_it_needs() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    woven(&blocks(&[("a", "", "set x 1"), ("b", "", "set x 2")]), &mut fake, &store);
    let results = woven(&blocks(&[("a", "", "set x 1"), ("b", "", "set x 2"), ("c", "", "get x")]), &mut fake, &store);
    assert_eq!(states(&results), [Replayed, Replayed, Ran]);
    assert_eq!(texts(&results)[2], "2");
}

#[test]
fn a_block_taken_out_runs_what_stood_after_it() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    woven(&blocks(&[("a", "", "set x 1"), ("b", "", "set x 2"), ("c", "", "get x")]), &mut fake, &store);
    let results = woven(&blocks(&[("a", "", "set x 1"), ("c", "", "get x")]), &mut fake, &store);
    assert_eq!(states(&results), [Replayed, Ran]);
    assert_eq!(texts(&results)[1], "1");
}

#[test]
fn a_replay_that_differs_counts_and_everything_that_used_it_follows() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let other = "```python @user strand=fresh\nprint saw @[t]\n```\n\n";
    let text = "```sh @t\ntick\n```\n\n";
    woven(&document(&format!("{text}{other}")), &mut fake, &store);
    let mut differed = 0;
    let grown = document(&format!("{text}{other}```sh @later\nprint later @[t]\n```\n"));
    let results = run(
        &grown,
        &plan(&grown, &Languages::built_in()).unwrap(),
        &mut fake,
        &store,
        Reuse::Stored,
        &mut |progress| {
            differed += usize::from(matches!(progress, Progress::Differs { .. }));
        },
    );
    let texts = texts(&results.unwrap());
    assert_eq!(differed, 1);
    assert_eq!(texts, ["2", "saw 2", "later 2"], "all see the new value");
}

#[test]
fn an_interpreter_that_ends_leaves_no_state_behind() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let document = blocks(&[("a", "", "set x 1"), ("b", "", "exit"), ("c", "", "get x"), ("d", "", "get x")]);
    let results = woven(&document, &mut fake, &store);
    assert_eq!(texts(&results)[2..], ["nothing", "nothing"]);
    assert_eq!(fake.started.get(), 2);
    let changed = blocks(&[("a", "", "set x 5"), ("b", "", "exit"), ("c", "", "get x"), ("d", "", "get x")]);
    assert_eq!(states(&woven(&changed, &mut fake, &store)), [Ran, Ran, Kept, Kept]);
}

#[test]
fn a_failure_stops_the_document_and_keeps_what_ran_before() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let failing = blocks(&[("a", "", "print one"), ("b", "", "fail 3"), ("c", "", "print three")]);
    let failure =
        run(&failing, &plan(&failing, &Languages::built_in()).unwrap(), &mut fake, &store, Reuse::Stored, &mut |_| {})
            .unwrap_err();
    assert!(matches!(&failure.kind, FailureKind::Exit { outcome, .. } if outcome.exit == 3));
    assert_eq!(failure.index, BlockIndex::of_number(2));
    assert_eq!(store.kept.borrow().len(), 1, "what failed is not kept");
    let expected = blocks(&[("a", "", "print one"), ("b", "exit=3", "fail 3"), ("c", "", "print three")]);
    assert_eq!(states(&woven(&expected, &mut fake, &store)), [Replayed, Ran, Ran]);
    let no_longer = blocks(&[("a", "", "print one"), ("b", "exit=2", "fail 3"), ("c", "", "print three")]);
    let failure = run(
        &no_longer,
        &plan(&no_longer, &Languages::built_in()).unwrap(),
        &mut fake,
        &store,
        Reuse::Stored,
        &mut |_| {},
    )
    .unwrap_err();
    let (finding, _) = failure.explain(&no_longer);
    assert_eq!(finding.message, "@b ended with exit code 3 where `exit=2` is expected");
}

#[test]
fn what_a_block_is_given_is_part_of_its_key() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let with_option = |option: &str| blocks(&[("a", option, "env A"), ("b", "strand=x", "print b")]);
    assert_eq!(texts(&woven(&with_option("env=A=1"), &mut fake, &store))[0], "1");
    assert_eq!(states(&woven(&with_option("env=A=1"), &mut fake, &store)), [Kept, Kept]);
    let results = woven(&with_option("env=A=2"), &mut fake, &store);
    assert_eq!((states(&results), texts(&results)[0].as_str()), (vec![Ran, Kept], "2"));
    let passed = blocks(&[("a", "env=CALLERS", "env CALLERS")]);
    assert_eq!(texts(&woven(&passed, &mut fake, &store))[0], "caller's");
    fake.version = "2".into();
    assert_eq!(states(&woven(&with_option("env=A=2"), &mut fake, &store)), [Ran, Ran], "another version");
    let reading = blocks(&[("a", "reads=f", "print read")]);
    woven(&reading, &mut fake, &store);
    fake.files.insert("f".into(), "hash of its content".into());
    assert_eq!(states(&woven(&reading, &mut fake, &store)), [Ran]);
}

#[test]
fn values_and_variables_go_from_block_to_block() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let text = |value: &str| {
        format!(
            "+++\n[parameters]\ndepth = 30\n+++\n```sh @v\nprint {value}\n```\n\n```python @w with=v,depth\nvariable v\nvariable depth\nprint in code @[v]\n```\n"
        )
    };
    let results = woven(&document(&text("a")), &mut fake, &store);
    assert_eq!(texts(&results)[1], "\"a\"\n30\nin code a");
    assert_eq!(results.blocks[BlockIndex::of_number(2)].code, "variable v\nvariable depth\nprint in code a\n");
    let results = woven(&document(&text("b")), &mut fake, &store);
    assert_eq!(texts(&results)[1], "\"b\"\n30\nin code b");
}

#[test]
fn a_block_that_always_runs_takes_what_follows_along() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let document = blocks(&[("a", "run=always", "tick"), ("b", "", "print b"), ("c", "strand=x", "print c")]);
    assert_eq!(states(&woven(&document, &mut fake, &store)), [Ran, Ran, Ran]);
    fake.moment = "the next weave".into();
    let results = woven(&document, &mut fake, &store);
    assert_eq!((states(&results), texts(&results)[0].as_str()), (vec![Ran, Ran, Kept], "2"));
}

#[test]
fn a_store_that_is_full_is_told_of_and_nothing_else_suffers() {
    let (mut fake, store) = (Fake::default(), Memory { full: true, ..Memory::default() });
    let results = woven(&blocks(&[("a", "", "print a")]), &mut fake, &store);
    assert_eq!(texts(&results), ["a"]);
    assert!(results.not_stored.unwrap().contains("can't be written"));
}

#[test]
fn a_language_nobody_knows_is_explained() {
    let (mut fake, store) = (Fake::default(), Memory::default());
    let document = document("```cobol @a\nprint\n```\n");
    let failure = run(
        &document,
        &plan(&document, &Languages::built_in()).unwrap(),
        &mut fake,
        &store,
        Reuse::Stored,
        &mut |_| {},
    )
    .unwrap_err();
    let (finding, _) = failure.explain(&document);
    assert_eq!(finding.message, "no interpreter is known for the language `cobol`");
    assert_eq!(finding.help.as_deref(), Some("the languages are sh; without `@` the block is a plain listing"));
}

struct NoPictures;

impl vineloom_weave::Pictures for NoPictures {
    fn read(&self, _name: &str) -> Result<vineloom_woven::Picture, vineloom_weave::PictureProblem> {
        Err(vineloom_weave::PictureProblem::NotAPicture)
    }
}

/// The woven Markdown of a document.
fn markdown(document: &Document) -> String {
    let plan = plan(document, &Languages::built_in()).unwrap();
    let results = woven(document, &mut Fake::default(), &Memory::default());
    vineloom_weave::splice_text(
        document,
        &plan,
        &results,
        "parts",
        Aids { pictures: &NoPictures, memory: &NoMemory },
        &mut Vec::new(),
    )
    .text
}

#[test]
fn values_in_the_authors_text_are_put_in_where_they_stand() {
    let text = "It is *odd*   @[v], `@[v]`.\n\n> ```sh @v show=text\n> print a_b\n> ```\n\nEnd  ";
    assert_eq!(markdown(&document(text)), "It is *odd*   a\\_b, `a_b`.\n\n> ```text\n> a_b\n> ```\n\nEnd  ");
}

// The oracle in small: whatever is edited, weaving with the store gives what weaving from nothing gives.

/// A block of a generated document.
#[derive(Debug, Clone, PartialEq)]
struct Drawn {
    strand: usize,
    op: usize,
    value: usize,
}

#[derive(Debug, Clone)]
enum Edit {
    Change(usize, Drawn),
    Insert(usize, Drawn),
    Delete(usize),
    Swap(usize, usize),
    Prose,
}

fn made() -> impl Strategy<Value = Drawn> {
    (0..4usize, 0..6usize, 0..3usize).prop_map(|(strand, op, value)| Drawn { strand, op, value })
}

fn edits() -> impl Strategy<Value = Edit> {
    prop_oneof![
        (0..20usize, made()).prop_map(|(at, block)| Edit::Change(at, block)),
        (0..20usize, made()).prop_map(|(at, block)| Edit::Insert(at, block)),
        (0..20usize).prop_map(Edit::Delete),
        (0..20usize, 0..20usize).prop_map(|(a, b)| Edit::Swap(a, b)),
        Just(Edit::Prose),
    ]
}

fn written(made: &[Drawn], prose: usize) -> String {
    let mut text = format!("Prose {prose}.\n\n");
    for (at, block) in made.iter().enumerate() {
        let (language, option) =
            [("sh", ""), ("python", ""), ("sh", "strand=other"), ("sh", "strand=fresh")][block.strand];
        let code = match block.op {
            0 => format!("set x {}", block.value),
            1 => "get x".to_string(),
            2 => format!("print {}", block.value),
            3 => "exit".to_string(),
            // A value from another block, above or below; a circle is no document.
            _ if at > 0 => format!("print saw @[b{}]", block.value % at),
            _ => format!("set y {}\nget y", block.value),
        };
        text.push_str(&format!("```{language} @b{at} {option}\n{code}\n```\n\n"));
    }
    text
}

/// Markdown without anything that is woven.
fn plain_markdown() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        Just("# Heading\n".to_string()),
        Just("* item\n\n  more\n".to_string()),
        Just("```python x\ncode\n```\n".to_string()),
        Just("> quote\n".to_string()),
        Just("| a | b |\n|--|--|\n| 1 |\n".to_string()),
        Just("$$x$$ and $y$\n".to_string()),
        Just("\\@[not] <b>html</b> &amp; é漢\u{200F}\r\n".to_string()),
        Just("\t    \n".to_string()),
        Just("text **bold** [l](u)\n\n".to_string()),
        Just("[^n]\n\n[^n]: note\n".to_string()),
    ];
    proptest::collection::vec(piece, 0..20).prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_document_with_nothing_woven_comes_out_to_the_byte(text in plain_markdown()) {
        let parsed = parse(Source::new("t.md", text.as_str()));
        // Headings of one name are an error, and an error is never woven.
        prop_assume!(!has_errors(&parsed.diagnostics));
        prop_assert_eq!(markdown(&parsed.document), text);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn weaving_with_the_store_is_weaving_from_nothing(
        start in proptest::collection::vec(made(), 1..10),
        walk in proptest::collection::vec(edits(), 1..20),
    ) {
        let store = Memory::default();
        let mut blocks = start;
        let (mut prose, mut woven_before) = (0, false);
        for edit in walk {
            let before = blocks.clone();
            match edit {
                Edit::Change(at, block) => { let at = at % blocks.len(); blocks[at] = block; }
                Edit::Insert(at, block) => { let at = at % (blocks.len() + 1); blocks.insert(at, block); }
                Edit::Delete(at) if blocks.len() > 1 => { let at = at % blocks.len(); blocks.remove(at); }
                Edit::Swap(a, b) => { let (a, b) = (a % blocks.len(), b % blocks.len()); blocks.swap(a, b); }
                Edit::Delete(_) | Edit::Prose => prose += 1,
            }
            let document = document(&written(&blocks, prose));
            let stored = woven(&document, &mut Fake::default(), &store);
            let clean = woven(&document, &mut Fake::default(), &Memory::default());
            let codes = |results: &Results| results.blocks.iter().map(|block| block.code.clone()).collect::<Vec<_>>();
            prop_assert_eq!(codes(&stored), codes(&clean));
            prop_assert_eq!(texts(&stored), texts(&clean));
            let again = woven(&document, &mut Fake::default(), &store);
            prop_assert!(states(&again).iter().all(|state| *state == Kept), "a second weave runs nothing");
            if before == blocks && woven_before {
                prop_assert!(states(&stored).iter().all(|state| *state == Kept), "prose runs nothing");
            }
            woven_before = true;
        }
    }
}

#[test]
fn the_scratch_folder_is_what_the_blocks_before_left_also_when_they_do_not_run() {
    let store = Memory::default();
    let mut fake = Fake::default();
    let text = [
        ("a", "cwd=@scratch strand=fresh", "leave one"),
        ("b", "cwd=@scratch strand=fresh", "look"),
        ("c", "strand=fresh", "print c"),
    ];
    let results = woven(&blocks(&text), &mut fake, &store);
    assert_eq!(texts(&results), ["", "[one]", "c"]);
    // Only b changes: what a left is put back without running it.
    let mut later = Fake { trees: fake.trees.clone(), ..Fake::default() };
    let mut changed = text;
    changed[1].2 = "look\nlook";
    let results = woven(&blocks(&changed), &mut later, &store);
    assert_eq!(texts(&results), ["", "[one]\n[one]", "c"]);
    assert_eq!(states(&results), [Kept, Ran, Kept]);
    // What a leaves is an input of b, not of c.
    changed[0].2 = "leave two";
    let results = woven(&blocks(&changed), &mut later, &store);
    assert_eq!(texts(&results), ["", "[two]\n[two]", "c"]);
    assert_eq!(states(&results), [Ran, Ran, Kept]);
}

#[test]
fn what_a_state_holds_is_told_also_when_everything_is_stored() {
    let store = Memory::default();
    let document = blocks(&[("a", "", "set x 1"), ("b", "", "set y 2"), ("c", "", "set x 3")]);
    woven(&document, &mut Fake::default(), &store);
    let plan = plan(&document, &Languages::built_in()).unwrap();
    let held = held_after(&document, &plan, &mut Fake::default(), &store, BlockIndex::of_number(2), &mut |_| {})
        .unwrap()
        .unwrap();
    let told: Vec<(String, String)> = held.into_iter().map(|held| (held.name, held.value)).collect();
    assert_eq!(told, [("x".to_string(), "1".to_string()), ("y".to_string(), "2".to_string())]);
}

#[test]
fn a_block_sees_files_as_they_were_in_its_place_also_when_it_is_replayed() {
    let store = Memory::default();
    let mut fake = Fake::default();
    fake.files.insert("f".into(), "old".into());
    let text = [("a", "", "read f\nset x 1"), ("b", "strand=other", "print b"), ("c", "", "get x")];
    woven(&blocks(&text), &mut fake, &store);
    // b now writes what a reads, and c has to run, for which a is run again: in its place, before b.
    let mut changed = text;
    changed[1].2 = "write f new";
    changed[2].2 = "get x\nprint c";
    let mut later = Fake { files: fake.files.clone(), ..Fake::default() };
    let results = woven(&blocks(&changed), &mut later, &store);
    assert_eq!(texts(&results), ["old", "", "1\nc"]);
    assert_eq!(later.files["f"], "new");
    assert_eq!(states(&results), [Replayed, Ran, Ran]);
}

#[test]
fn an_undeclared_file_is_an_input_and_what_a_block_makes_is_an_output() {
    let store = Memory::default();
    let document = blocks(&[("a", "strand=x", "read f"), ("b", "strand=y", "write g 1"), ("c", "strand=z", "read g")]);
    let mut fake = Fake::default();
    assert_eq!(texts(&woven(&document, &mut fake, &store)), ["absent", "", "1"]);
    let again = |fake: &mut Fake| states(&woven(&document, fake, &store));
    assert_eq!(again(&mut fake), [Kept, Kept, Kept]);
    fake.files.insert("f".into(), "new".into());
    assert_eq!(again(&mut fake), [Ran, Kept, Kept]);
    fake.files.remove("g");
    assert_eq!(again(&mut fake), [Kept, Ran, Kept], "what it made is gone and can't be put back");
}

#[test]
fn a_block_that_reads_another_file_state_gives_its_strand_another_state() {
    let store = Memory::default();
    let document = blocks(&[("a", "", "read f\nset x 1"), ("b", "", "get x")]);
    let mut fake = Fake::default();
    woven(&document, &mut fake, &store);
    fake.files.insert("f".into(), "new".into());
    assert_eq!(states(&woven(&document, &mut fake, &store)), [Ran, Ran]);
}

fn forecasts(document: &Document, fake: &mut Fake, store: &Memory, history: &History) -> Vec<(Runs, String)> {
    let plan = plan(document, &Languages::built_in()).unwrap();
    forecast(document, &plan, fake, store, history).into_iter().map(|f| (f.runs, f.in_short())).collect()
}

#[test]
fn a_forecast_says_what_would_run_and_runs_nothing() {
    let store = Memory::default();
    let text = [
        ("a", "", "read f"),
        ("b", "", "print b"),
        ("c", "strand=x", "print @[a]"),
        ("d", "strand=y run=always", "print d"),
    ];
    let document = blocks(&text);
    let mut fake = Fake::default();
    let never = forecasts(&document, &mut fake, &store, &History::default());
    assert!(never.iter().all(|(runs, _)| *runs == Runs::Yes), "{never:?}");
    let results = woven(&document, &mut fake, &store);
    let history = History::of(&document, &plan(&document, &Languages::built_in()).unwrap(), &results);
    let started = fake.started.get();
    let kept = forecasts(&document, &mut fake, &store, &history);
    assert_eq!(kept.iter().map(|(runs, _)| *runs).collect::<Vec<_>>(), [Runs::No, Runs::No, Runs::No, Runs::Yes]);
    assert_eq!(kept[3].1, "its option `run=always` says so");
    fake.files.insert("f".into(), "new".into());
    let stale = forecasts(&document, &mut fake, &store, &history);
    assert_eq!(stale[0], (Runs::Yes, "the file f, which it looked for, is there now".into()));
    let first = "the first cause is @a: the file f, which it looked for, is there now";
    assert_eq!(stale[1], (Runs::Yes, format!("@a runs, whose state it starts from; {first}")));
    let mut changed = text;
    changed[1].2 = "print other";
    fake.files.remove("f");
    let changed = forecasts(&blocks(&changed), &mut fake, &store, &history);
    assert_eq!(changed[0].0, Runs::ForState);
    assert_eq!(changed[1], (Runs::Yes, "its code changed".into()));
    assert_eq!(fake.started.get(), started, "nothing was started for any of this");
}

#[test]
fn verifying_runs_beside_the_store_and_says_what_differs() {
    let store = Memory::default();
    let document = blocks(&[("a", "", "print a"), ("b", "strand=x", "tick")]);
    let mut fake = Fake::default();
    woven(&document, &mut fake, &store);
    let before = store.kept.borrow().len();
    let plan = plan(&document, &Languages::built_in()).unwrap();
    let found = verify(&document, &plan, &mut fake, &store, &mut |_| {}).unwrap();
    assert_eq!((found.same, found.differences.len(), found.not_stored.len()), (1, 1, 0));
    assert_eq!((found.differences[0].stored.as_str(), found.differences[0].now.as_str()), ("1\n", "2\n"));
    assert_eq!(store.kept.borrow().len(), before);
    assert_eq!(states(&woven(&document, &mut fake, &store)), [Kept, Kept]);
}

/// Weaves three blocks of which the last one changes, and tells what became of them the second time.
fn after_the_last_changed(first: (&str, &str), fake: &mut Fake, store: &Memory) -> (Vec<State>, Vec<String>) {
    let of = |last: &str| blocks(&[("a", first.0, first.1), ("b", "", "get x"), ("c", "", last)]);
    woven(&of("print 1\nget x"), fake, store);
    let results = woven(&of("print 2\nget x"), fake, store);
    (states(&results), texts(&results))
}

#[test]
fn a_stored_state_is_taken_up_instead_of_running_again() {
    let (mut fake, store) = (Fake { dear: Some(0), ..Fake::default() }, Memory::default());
    let (became, gave) = after_the_last_changed(("", "set x 1"), &mut fake, &store);
    assert_eq!((became, gave[2].as_str()), (vec![Kept, Kept, Ran], "2\n1"));
    assert_eq!(fake.started.get(), 2);
    // Of another state nothing is taken up: a block before it changed.
    let other = blocks(&[("a", "", "set x 5"), ("b", "", "get x"), ("c", "", "print 2\nget x")]);
    let results = woven(&other, &mut fake, &store);
    assert_eq!(texts(&results), ["", "5", "2\n5"]);
}

#[test]
fn a_state_is_made_again_where_it_could_be_another() {
    let replayed = vec![Replayed, Replayed, Ran];
    for (options, code, what) in [
        ("env=N=1", "set x 1", "it may hold what `env` lets through"),
        ("cwd=@scratch", "set x 1\nleave f", "it may know the scratch folder"),
        ("", "set x 1\nset handle 7", "its interpreter doubts it"),
    ] {
        let (mut fake, store) = (Fake { dear: Some(0), ..Fake::default() }, Memory::default());
        assert_eq!(after_the_last_changed((options, code), &mut fake, &store).0, replayed, "{what}");
    }
    // Cheap states are not stored, and none are where nobody wants them.
    for dear in [None, Some(50)] {
        let (mut fake, store) = (Fake { dear, ..Fake::default() }, Memory::default());
        assert_eq!(after_the_last_changed(("", "set x 1"), &mut fake, &store).0, replayed, "{dear:?}");
        assert!(store.states.borrow().is_empty());
    }
    // One that can't be taken up costs another interpreter, and nothing else.
    let (mut fake, store) = (Fake { dear: Some(0), forgets: true, ..Fake::default() }, Memory::default());
    let (states, texts) = after_the_last_changed(("", "set x 1"), &mut fake, &store);
    assert_eq!((states, texts[2].as_str()), (replayed, "2\n1"));
    assert_eq!(fake.started.get(), 3);
}

#[test]
fn a_state_goes_with_what_was_seen_of_it() {
    let of = |last: &str| blocks(&[("a", "", "set x 1\ntick"), ("b", "", last)]);
    let (mut fake, store) = (Fake { dear: Some(0), ..Fake::default() }, Memory::default());
    woven(&of("print 1"), &mut fake, &store);
    assert_eq!(states(&woven(&of("print 2"), &mut fake, &store)), [Kept, Ran]);
    // Another result took the place of the one that came with the state.
    store.kept.borrow_mut().values_mut().filter(|kept| kept.outcome.cited_text() == "1").for_each(|kept| {
        kept.outcome.pieces = vec![Piece::Text("7\n".into())];
    });
    assert_eq!(states(&woven(&of("print 3"), &mut fake, &store))[0], Replayed);
}

#[test]
fn a_forecast_says_from_which_state_a_strand_starts() {
    let (mut fake, store) = (Fake { dear: Some(0), ..Fake::default() }, Memory::default());
    let of = |first: &str, last: &str| blocks(&[("a", "", first), ("b", "", "get x"), ("c", "", last)]);
    let reasons = |document: &Document, fake: &mut Fake| {
        let plan = plan(document, &Languages::built_in()).unwrap();
        let all = forecast(document, &plan, fake, &store, &History::default());
        (all.iter().map(|one| one.runs).collect::<Vec<_>>(), all[2].start.clone().unwrap())
    };
    woven(&of("set x 1", "print 1"), &mut fake, &store);
    let (runs, reason) = reasons(&of("set x 1", "print 2"), &mut fake);
    assert_eq!(runs, [Runs::No, Runs::No, Runs::Yes]);
    assert_eq!(reason, "its strand would start from the stored state after @b, which would not run again");
    woven(&of("set handle 1", "print 1"), &mut fake, &store);
    let (runs, reason) = reasons(&of("set handle 1", "print 2"), &mut fake);
    assert_eq!(runs, [Runs::ForState, Runs::ForState, Runs::Yes]);
    assert_eq!(reason, "the state before it could not be stored: it holds a handle");
}

/// Weaves with what the weave before knew, and returns what it knows itself.
fn side_by_side(document: &Document, fake: &mut Fake, store: &Memory, past: &History) -> (Results, History) {
    let plan = plan(document, &Languages::built_in()).unwrap();
    let history = || past.clone();
    let known = LastWeave { history: &history, worth: 0 };
    let results = run_side_by_side(document, &plan, fake, store, OnFailure::Stop, known, &mut |_| {});
    let results = results.unwrap_or_else(|failure| panic!("{failure:?}"));
    let history = History::of(document, &plan, &results);
    (results, history)
}

/// How many blocks ran at once when the file `f` was changed between two weaves.
fn at_once_after_a_change(first: &Document, second: &Document) -> (usize, Vec<String>) {
    let (mut fake, store) = (Fake { at_once: 2, ..Fake::default() }, Memory::default());
    fake.files.insert("f".into(), "one".into());
    let (_, history) = side_by_side(first, &mut fake, &store, &History::default());
    assert_eq!(fake.most_at_once, 0, "of what never ran nothing is known");
    fake.files.insert("f".into(), "two".into());
    let (results, _) = side_by_side(second, &mut fake, &store, &history);
    (fake.most_at_once, texts(&results))
}

#[test]
fn blocks_run_side_by_side_where_nothing_but_their_files_changed() {
    let two = |options: &str, code: &str| {
        blocks(&[("a", "strand=one", "read f"), ("b", &format!("strand=two {options}"), code)])
    };
    let same = two("", "read f");
    assert_eq!(at_once_after_a_change(&same, &same), (2, vec!["two".into(), "two".into()]));
    // A block that changed is known as little as one that is new, wherever it stands.
    assert_eq!(at_once_after_a_change(&same, &two("", "read f\nprint more")).0, 0);
    assert_eq!(at_once_after_a_change(&two("", "read f\nprint more"), &same).0, 0);
    assert_eq!(at_once_after_a_change(&same, &two("stdin=in.txt", "read f")).0, 0, "what changes what it gives");
    assert_eq!(at_once_after_a_change(&same, &two("fold=closed", "read f")).0, 2, "what changes how it looks");
    // What may hang on more than files stays in its place.
    for (options, code) in
        [("run=always", "read f"), ("cwd=@scratch", "read f"), ("", "read f\nprint @[a]"), ("with=a", "read f")]
    {
        let bound = two(options, code);
        assert_eq!(at_once_after_a_change(&bound, &bound).0, 0, "{options} {code}");
    }
}

#[test]
fn what_blocks_turn_out_to_share_is_run_again_in_order() {
    // With other data the first one reads what the second one writes, and has done so before it did.
    let shared = blocks(&[("a", "strand=one", "read f"), ("b", "strand=two", "read f"), ("c", "strand=two", "get x")]);
    let (mut fake, store) = (Fake { at_once: 2, ..Fake::default() }, Memory::default());
    let (_, mut history) = side_by_side(&shared, &mut fake, &store, &History::default());
    // As if it had not been seen to write at all.
    let writes = blocks(&[
        ("a", "strand=one", "read f"),
        ("b", "strand=two", "read g\nwrite f new"),
        ("c", "strand=two", "get x"),
    ]);
    let (_, known) = side_by_side(&writes, &mut fake, &Memory::default(), &History::default());
    fake.undo();
    history.blocks[1] = known.blocks[1].clone();
    history.blocks[1].files.as_mut().unwrap().outputs.clear();
    let kept = store.kept.borrow().len();
    fake.files.insert("f".into(), "two".into());
    let (results, _) = side_by_side(&writes, &mut fake, &store, &history);
    assert_eq!(fake.most_at_once, 2);
    assert_eq!(texts(&results), ["two", "absent", "nothing"]);
    assert_eq!(fake.files["f"], "new", "it is written in the end");
    assert_eq!(store.kept.borrow().len(), kept + 2, "what was given up is not stored");
}
