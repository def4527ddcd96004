//! The running of documents, with interpreters and a store that live in memory.
//!
//! The language of the fake interpreter has a few words: `set NAME VALUE`, `get NAME`, `print TEXT`, `fail CODE`,
//! `exit`, `tick` (a number that is never the same), `variable NAME` (what was handed in), `env NAME`.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use proptest::prelude::*;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;
use vineloom_document::{BlockIndex, Document, Source, has_errors, parse};
use vineloom_interpreters::{BlockRun, Held, Languages, Outcome, Piece, RunError, Seen, VariableValue};
use vineloom_store::{Digest, Origin, StoreError};
use vineloom_weave::{
    Aids, Caller, FailureKind, FileStates, History, Interpreting, Key, Known, Made, NoMemory, NotRunnable,
    Observations, Progress, ResultStore, Results, Reuse, Runs, ScratchFolder, State, forecast, held_after, plan, run,
    verify,
};

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
