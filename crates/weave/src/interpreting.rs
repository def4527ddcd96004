//! The doors to what blocks run on. They are traits, so that the running of documents is tested without processes and
//! without files: [`Interpreting`] runs code, [`FileStates`] looks at files and brings them back, [`ScratchFolder`] keeps
//! the folder that is clean at each weave, [`Caller`] tells what the caller's world is like.

use crate::observations::{Made, Observations};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;
use vineloom_interpreters::{BlockRun, Held, MissingInterpreter, Outcome, RunError, Saved, Seen};
use vineloom_store::{Digest, Origin};

/// An interpreter as far as keys need to know it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Known {
    /// The program and its first arguments.
    pub command: Vec<String>,
    /// What it says of its version.
    pub version: String,
    /// The hash of the driver's text.
    pub driver: String,
    /// The environment its blocks see; what is set for the language, concealed.
    pub environment: BTreeMap<String, String>,
    /// Whether its blocks are terminal sessions.
    pub session: bool,
    /// Whether it has one stream for standard output and error, unless the two are asked for apart.
    #[serde(default)]
    pub shares_streams: bool,
}

/// A language that can't be run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NotRunnable {
    /// No language of that name; the nearest one there is.
    Unknown {
        /// The nearest name.
        nearest: Option<String>,
        /// All names.
        known: Vec<String>,
    },
    /// The interpreter is not installed.
    Missing(MissingInterpreter),
}

/// Interpreters: finds, starts and feeds them.
pub trait Interpreting {
    /// A running interpreter. Dropping it ends it.
    type Strand;

    /// What is known of a language's interpreter.
    ///
    /// # Errors
    /// [`NotRunnable`] when there is none.
    fn known(&mut self, language: &str) -> Result<Arc<Known>, NotRunnable>;

    /// Starts one.
    ///
    /// # Errors
    /// [`RunError`] when it can't be started.
    fn start(&mut self, language: &str) -> Result<Self::Strand, RunError>;

    /// Runs a block.
    ///
    /// # Errors
    /// [`RunError`] when the block was ended or could not be run.
    fn run(&mut self, strand: &mut Self::Strand, block: &BlockRun) -> Result<Outcome, RunError>;

    /// What was observed of files since this was asked last; nothing when that is not to be had.
    fn observed(&mut self, strand: &mut Self::Strand) -> Option<Observations>;

    /// Lets a strand leave a stopped copy of itself, to go back to. False where it can't, or where that is not safe.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    fn checkpoint(&mut self, _strand: &mut Self::Strand) -> Result<bool, RunError> {
        Ok(false)
    }

    /// Brings a strand back to the copy that it left so many copies ago. False where that can't be done: the strand is then
    /// of no more use.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    fn go_back(&mut self, _strand: &mut Self::Strand, _levels: usize) -> Result<bool, RunError> {
        Ok(false)
    }

    /// From how many milliseconds on the state of a strand is worth keeping that running blocks made; nothing where none
    /// is to be kept.
    fn dear(&self) -> Option<u64> {
        None
    }

    /// Saves the state of a strand, in no more than `most` bytes, or says why that can't be done faithfully.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    fn save(&mut self, _strand: &mut Self::Strand, _most: u64) -> Result<Saved, RunError> {
        Ok(Saved::InDoubt("its interpreter saves no state".into()))
    }

    /// Brings a strand that has run nothing into a state that was saved. False where that can't be done: the strand is then
    /// of no more use.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    fn take_up(&mut self, _strand: &mut Self::Strand, _state: &[u8]) -> Result<bool, RunError> {
        Ok(false)
    }

    /// How many strands may run a block at once.
    fn at_once(&self) -> usize {
        1
    }

    /// Begins a block on a strand, beside what has been begun on others. `lane` is a number that comes back with what comes
    /// of it.
    ///
    /// # Errors
    /// [`RunError`] when it can't be begun; the strand is lost then.
    fn begin(&mut self, _lane: usize, _strand: Self::Strand, _block: BlockRun) -> Result<(), RunError> {
        let what = "blocks run one after the other here".to_string();
        Err(RunError::System { what, source: std::io::ErrorKind::Unsupported.into() })
    }

    /// Waits for the first block that has been begun to end: its lane, its strand, and what came of it. Nothing where none
    /// runs.
    fn next_done(&mut self) -> Option<(usize, Self::Strand, Result<Outcome, RunError>)> {
        None
    }

    /// Ends what has been begun and still runs, as if the user had interrupted it. [`Interpreting::next_done`] still gives
    /// what comes of it.
    fn give_up(&mut self) {}

    /// What the state of a strand holds; nothing when its driver can't tell.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    fn variables(&mut self, strand: &mut Self::Strand) -> Result<Option<Vec<Held>>, RunError>;
}

/// The files that blocks read and make.
pub trait FileStates {
    /// The first of these inputs that is not any more as it was, and how it is now.
    fn first_changed(&mut self, inputs: &[(String, Seen)]) -> Option<(String, Seen)>;

    /// Makes files be there again that a block made, as far as the result's origin allows. False when that can't be
    /// done.
    fn put_back(&mut self, outputs: &[(String, Made)], origin: Origin) -> bool;

    /// Whether [`FileStates::put_back`] would do it; nothing is written.
    fn can_put_back(&mut self, outputs: &[(String, Made)], origin: Origin) -> bool;

    /// Brings back the files that blocks wrote over in this weave.
    fn undo(&mut self);

    /// Where the document lies, as an input, when these bytes name that.
    fn place_named_in(&self, _bytes: &[u8]) -> Option<(String, Seen)> {
        None
    }

    /// The files of a pattern, each with the hash of what it holds; the pattern itself as absent when there is none.
    fn files(&self, pattern: &str) -> Vec<(String, String)>;
}

/// The scratch folder: empty at each weave, and known by its content.
pub trait ScratchFolder {
    /// The scratch folder; nothing when it can't be made.
    fn scratch(&mut self) -> Option<PathBuf>;

    /// Stores what the scratch folder holds; returns the tree's digest.
    ///
    /// # Errors
    /// What went wrong, in a sentence.
    fn snapshot_scratch(&mut self) -> Result<Digest, String>;

    /// Makes the scratch folder hold a stored tree.
    ///
    /// # Errors
    /// What went wrong, in a sentence.
    fn restore_scratch(&mut self, tree: Digest) -> Result<(), String>;
}

/// The caller's world, as far as blocks are let see it.
pub trait Caller {
    /// Texts that stand for the values of a block's own environment variables in what is stored: who reads the store
    /// can't tell the values from them. `block` names the block without its values. Where results from elsewhere are
    /// all there is, the values are taken to be those that the results come from.
    fn conceal(&mut self, block: Digest, values: &BTreeMap<String, String>) -> BTreeMap<String, String>;

    /// A variable of the caller's environment.
    fn variable(&self, name: &str) -> Option<String>;

    /// A text that no other weave has.
    fn moment(&self) -> String;

    /// The folder that blocks start in: the document's.
    fn folder(&self) -> PathBuf;
}

/// All that blocks run on.
pub trait Machine: Interpreting + FileStates + ScratchFolder + Caller {}

impl<M: Interpreting + FileStates + ScratchFolder + Caller> Machine for M {}
