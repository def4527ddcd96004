//! What goes on running between the weaves of one document, for who weaves it again and again.

use super::{Done, Runner, RunningStrand, Settled};
use crate::failure::{Failure, FailureKind};
use crate::history::names;
use crate::interpreting::Machine;
use crate::key::Key;
use crate::plan::StrandId;
use crate::request::scratch_folder;
use crate::results::Results;
use crate::stored_results::ResultStore;
use std::collections::HashMap;
use std::path::Path;
use vineloom_document::options::RunPolicy;
use vineloom_document::{BlockIndex, ByBlock};

/// The interpreters that a weave left running, each with what it has run, and what the blocks gave that run at every
/// weave.
///
/// An interpreter is taken up only where its state is, block by block and file by file, the one that is needed; else it is
/// ended and another one started. Dropping this ends them all.
pub struct Warm<S> {
    strands: HashMap<StrandId, RunningStrand<S>>,
    session: HashMap<Key, OfSession>,
    /// Whether blocks are to run that only do when they are asked for.
    is_asked: bool,
}

impl<S> Default for Warm<S> {
    fn default() -> Self {
        Warm { strands: HashMap::new(), session: HashMap::new(), is_asked: false }
    }
}

impl<S> std::fmt::Debug for Warm<S> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Warm").field("running", &self.strands.len()).field("session", &self.session.len()).finish()
    }
}

impl<S> Warm<S> {
    /// Lets the blocks that run at every weave run at the next one.
    pub fn ask_again(&mut self) {
        self.session.clear();
    }

    /// Lets the blocks that wait to be asked for run at the next weave.
    pub fn ask_for_waiting(&mut self) {
        self.is_asked = true;
    }

    /// Ends all interpreters.
    pub fn cool(&mut self) {
        self.strands.clear();
    }
}

/// What a block gave that runs at every weave, and what the block was known as at the end of the weave before.
#[derive(Clone)]
pub(super) struct OfSession {
    known_as: String,
    done: Done,
}

/// Blocks that ran together for so long, in milliseconds, are rather gone back to than run again.
const DEAR: u64 = 20;
/// How many copies a strand may leave: each is a process.
const MOST_COPIES: usize = 24;

impl<S> RunningStrand<S> {
    /// An interpreter that has run nothing.
    pub(super) fn of(strand: S, folder: &Path) -> Self {
        RunningStrand {
            strand,
            executed: Vec::new(),
            copies: Vec::new(),
            since_copy: 0,
            states: vec![Some(Key::of_nothing(folder))],
            since_state: 0,
        }
    }
}

impl<I: Machine, K: ResultStore> Runner<'_, I, K> {
    /// Leaves a copy of the strand that a block is going to run on, where running again what it has run would be dear, and
    /// before the first block that is new on it: what has been changed once is likely to be changed again.
    pub(super) fn leave_copy(&mut self, index: BlockIndex, is_replay: bool) {
        let strand = &self.task(index).strand;
        if !self.keeps_session || matches!(strand, StrandId::Fresh(_)) {
            return;
        }
        let is_first = !is_replay && self.begun.insert(strand.clone());
        let Some(running) = self.strands.get_mut(&self.task(index).strand) else { return };
        let is_new = running.copies.last().copied().unwrap_or(0) < running.executed.len();
        let is_wanted = running.since_copy >= DEAR || is_first && is_new;
        if !is_wanted || running.copies.len() >= MOST_COPIES {
            return;
        }
        // Where none can be left, it is tried again only when more has run.
        running.since_copy = 0;
        if let Ok(true) = self.interpreters.checkpoint(&mut running.strand) {
            running.copies.push(running.executed.len());
        }
    }

    /// Brings a strand back to the latest copy that has run nothing but what is wanted. False where there is none.
    pub(super) fn went_back(&mut self, strand: &StrandId, wanted: &[(BlockIndex, &Settled)]) -> bool {
        let Some(running) = self.strands.get_mut(strand) else { return false };
        let common =
            running.executed.iter().zip(wanted).take_while(|(executed, (_, wanted))| **executed == wanted.identity);
        let common = common.count();
        let Some(at) = running.copies.iter().rposition(|&length| length <= common) else { return false };
        let levels = running.copies.len() - at;
        if !matches!(self.interpreters.go_back(&mut running.strand, levels), Ok(true)) {
            return false;
        }
        running.executed.truncate(running.copies[at]);
        running.states.truncate(running.copies[at] + 1);
        running.copies.truncate(at);
        // The copy goes on itself: before the next block another one is left.
        running.since_copy = DEAR;
        true
    }

    /// Takes up what an earlier weave left, as far as the plan has a use for it.
    pub(super) fn take_up(&mut self, warm: &mut Warm<I::Strand>) {
        warm.strands.retain(|strand, _| self.plan.tasks.iter().flatten().any(|task| task.strand == *strand));
        self.strands = std::mem::take(&mut warm.strands);
        self.session = std::mem::take(&mut warm.session);
        self.keeps_session = true;
        self.is_asked = warm.is_asked;
    }

    /// The block that one waits for, itself or another, if it waits to be asked for.
    pub(super) fn waiting(&self, index: BlockIndex) -> Option<BlockIndex> {
        match self.failures.get(&index)?.kind {
            FailureKind::Waits(waiting) => Some(waiting),
            _ => None,
        }
    }

    /// The block that waits to be asked for, if one does whose state a block needs: one before it on its strand, since the
    /// interpreter last ended.
    pub(super) fn waiting_before(&self, index: BlockIndex, settled: &ByBlock<Option<Settled>>) -> Option<BlockIndex> {
        let mut at = self.task(index).before;
        while let Some(before) = at {
            let waiting = self.waiting(before);
            if waiting.is_some() || settled[before].as_ref().is_none_or(|block| block.kept.outcome.interpreter_ended) {
                return waiting;
            }
            at = self.task(before).before;
        }
        None
    }

    /// Leaves what is running, and what was learnt, to the next weave. What was asked for is done then, unless it was
    /// interrupted: what failed has been asked for, and had.
    pub(super) fn leave(&mut self, warm: &mut Warm<I::Strand>, results: &Result<Results, Box<Failure>>) {
        let is_interrupted = results.as_ref().is_err_and(|failure| matches!(failure.kind, FailureKind::Interrupted));
        warm.is_asked = warm.is_asked && is_interrupted;
        // The scratch folder is another one at each weave: what knows this one by its path could not be told from it.
        let tasks = self.plan.tasks.enumerate().filter_map(|(index, task)| Some((index, task.as_ref()?)));
        let in_scratch = tasks.filter(|(index, _)| scratch_folder(&self.document.live[*index]).is_some());
        let left: Vec<StrandId> = in_scratch.map(|(_, task)| task.strand.clone()).collect();
        warm.strands = std::mem::take(&mut self.strands);
        warm.strands.retain(|strand, _| matches!(strand, StrandId::Shared { .. }) && !left.contains(strand));
        // Forgotten is what a block gave before it became another. One that was not asked for may come back: the weave came
        // to no end, or the document was read while it was being written.
        if !self.session.is_empty() {
            let names = names(self.document);
            let now: HashMap<&str, Key> =
                self.latest.iter().map(|(index, key)| (names[*index].as_str(), *key)).collect();
            for (known_as, key) in &now {
                if let Some(of) = self.session.get_mut(key) {
                    of.known_as = known_as.to_string();
                }
            }
            self.session.retain(|key, of| now.get(of.known_as.as_str()).is_none_or(|now| now == key));
        }
        warm.session = std::mem::take(&mut self.session);
    }

    /// What a block gave in this session that runs at every weave, unless a file that it read has changed since.
    pub(super) fn of_session(&mut self, key: Key) -> Option<Done> {
        let done = self.session.get(&key)?.done.clone();
        let files = done.kept.files.as_ref();
        let is_true = files.is_none_or(|files| self.interpreters.first_changed(&files.inputs).is_none());
        is_true.then_some(done)
    }

    /// Notes what a block gave that runs at every weave.
    pub(super) fn note_for_session(&mut self, index: BlockIndex, key: Key, done: &Done) {
        if self.keeps_session && self.document.live[index].options.run == RunPolicy::Always {
            self.session.insert(key, OfSession { known_as: String::new(), done: done.clone() });
        }
    }
}
