//! Running a plan: keep what is stored, run what is not, replay what a running block's state needs.
//!
//! A strand is started only when a block on it must run; then the blocks before it run again ("replayed"). When
//! a replayed block gives something else than what is stored, the new outcome is kept and the whole plan is
//! gone through once more, so that everything that used the old one sees the new one. The running strands are
//! kept meanwhile, so that ends: the second time, what is stored is what they gave.

mod outlook;
mod ready;
mod strands;

pub(crate) use outlook::Outlook;

use crate::failure::{Failure, FailureKind};
use crate::interpreting::Interpreting;
use crate::keeping::{Keeping, Kept};
use crate::key::{Fact, Key};
use crate::observations::Observations;
use crate::plan::{Plan, StrandId, block_title};
use crate::values::fill;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use vineloom_document::options::RunPolicy;
use vineloom_document::{Diagnostic, Document, LiveBlock};
use vineloom_interpreters::{Held, Outcome, Seen, Variable};
use vineloom_store::{Digest, Origin};

/// Which stored results may be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reuse {
    /// All that are still true.
    Stored,
    /// None: everything runs again.
    Nothing,
}

/// What became of a block.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// Its stored result is still true.
    Kept,
    /// It ran.
    Ran,
    /// It ran again for the state that a later block needs.
    Replayed,
}

/// What happens while a document runs.
#[derive(Debug, Clone, Copy)]
pub enum Progress<'a> {
    /// A block starts; its index among the live blocks.
    Started {
        /// The block.
        block: &'a LiveBlock,
        /// Its index.
        index: usize,
    },
    /// A block is done.
    Finished {
        /// The block.
        block: &'a LiveBlock,
        /// Its index.
        index: usize,
        /// What became of it.
        state: State,
        /// How long it ran, in milliseconds; for a kept block, how long it once ran.
        milliseconds: u64,
    },
    /// A replayed block gave something else than what was stored.
    Differs {
        /// The block's index.
        index: usize,
    },
}

/// Why a block ran although a result of the same key is stored.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Cause {
    /// A file is not as the block found it.
    File {
        /// Its path.
        path: String,
        /// How the block found it.
        was: Box<Option<Seen>>,
        /// How it is.
        now: Box<Seen>,
    },
    /// A file that the block made is gone or was altered, and could not be put back.
    OutputGone,
}

/// How often the plan is gone through before a file that keeps changing is let be.
const MOST_PASSES: usize = 8;

/// What all live blocks of a document gave.
#[derive(Debug, Clone)]
pub struct Results {
    /// The outcome of each that ran, by index.
    pub outcomes: Vec<Option<Outcome>>,
    /// The code of each, values put in as far as they are known.
    pub codes: Vec<String>,
    /// What became of each that ran.
    pub states: Vec<Option<State>>,
    /// Results that could not be stored, if any.
    pub not_stored: Option<String>,
    /// What the key of each was made of; nothing for one that did not run.
    pub facts: Vec<Vec<Fact>>,
    /// What each did with files; nothing where that could not be observed.
    pub files: Vec<Option<Observations>>,
}

/// Runs the plan of a document.
///
/// # Errors
/// The first [`Failure`]; what ran before it is stored.
pub fn run<I: Interpreting>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl Keeping,
    reuse: Reuse,
    progress: &mut dyn FnMut(Progress),
) -> Result<Results, Box<Failure>> {
    Runner::new(document, plan, interpreters, store, reuse, progress).whole()
}

/// Runs what a block needs and the block itself, and tells what its strand's state holds then. Nothing for a
/// language whose driver can't tell.
///
/// # Errors
/// The first [`Failure`].
pub fn held_after<I: Interpreting>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl Keeping,
    index: usize,
    progress: &mut dyn FnMut(Progress),
) -> Result<Option<Vec<Held>>, Box<Failure>> {
    let part = plan.through(index);
    let mut runner = Runner::new(document, &part, interpreters, store, Reuse::Stored, progress);
    loop {
        let settled = runner.settled_pass()?;
        let Some(settled) = settled else { continue };
        let mut wanted = runner.wanted(index, &settled);
        wanted.extend(settled[index].as_ref().map(|block| (index, block)));
        if !runner.bring_up(index, &wanted)? {
            continue;
        }
        let strand = &runner.task(index).strand;
        let Some(session) = runner.sessions.get_mut(strand) else { return Ok(None) };
        let held = runner.interpreters.variables(&mut session.strand);
        return held.map_err(|error| runner.failure(index, FailureKind::from(error)));
    }
}

/// A warning for every block that ended its interpreter though later blocks share its strand: they start from nothing.
pub fn ended_strands(document: &Document, plan: &Plan, results: &Results) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    for (place, &index) in plan.order.iter().enumerate() {
        let Some(strand) = plan.tasks[index].as_ref().map(|task| &task.strand) else { continue };
        if !results.outcomes[index].as_ref().is_some_and(|outcome| outcome.interpreter_ended) {
            continue;
        }
        let shares = |&&later: &&usize| plan.tasks[later].as_ref().is_some_and(|task| task.strand == *strand);
        let later: Vec<usize> = plan.order[place + 1..].iter().filter(shares).copied().collect();
        if later.is_empty() {
            continue;
        }
        let names: Vec<String> = later.iter().map(|&later| block_title(document, later)).collect();
        let share = if later.len() == 1 { "shares" } else { "share" };
        let message = format!(
            "{} ended its interpreter: its state is gone for {}, which {share} its strand",
            block_title(document, index),
            names.join(", ")
        );
        found.push(
            Diagnostic::warning(document.live[index].fence, message)
                .help("leave the code without ending the interpreter, or give the block `strand=fresh`"),
        );
    }
    found
}

pub(crate) struct Runner<'a, I: Interpreting, K: Keeping> {
    document: &'a Document,
    plan: &'a Plan,
    interpreters: &'a mut I,
    store: &'a K,
    reuse: Reuse,
    progress: &'a mut dyn FnMut(Progress),
    sessions: HashMap<StrandId, Session<I::Strand>>,
    /// What this weave ran, by index and key.
    done: HashMap<(usize, Key), Done>,
    /// The key of each block when it was kept or ran last.
    latest: HashMap<usize, Key>,
    weave: String,
    /// Which block each label stands for.
    labels: BTreeMap<String, usize>,
    not_stored: Option<String>,
    causes: BTreeMap<usize, Cause>,
    /// How often the plan has been gone through.
    passes: usize,
    /// The strands whose blocks all run, each in its place.
    in_order: BTreeSet<StrandId>,
    /// Whether files were brought back to what they were before the weave.
    rolled_back: bool,
    /// Whether the plan is only looked through: no file is written then.
    only_looks: bool,
}

/// What became of a block in this weave.
#[derive(Clone)]
struct Done {
    kept: Kept,
    state: State,
    identity: Key,
}

/// A running strand and the identities of the blocks it has run, in order.
struct Session<S> {
    strand: S,
    executed: Vec<Key>,
}

/// What one pass knows of a block so far.
#[derive(Clone)]
struct Settled {
    key: Key,
    identity: Key,
    kept: Kept,
    code: String,
    variables: Vec<Variable>,
    facts: Vec<Fact>,
    /// The scratch folder before and after it, when it runs there.
    scratch: Option<(Digest, Digest)>,
}

impl<'a, I: Interpreting, K: Keeping> Runner<'a, I, K> {
    pub(crate) fn new(
        document: &'a Document,
        plan: &'a Plan,
        interpreters: &'a mut I,
        store: &'a K,
        reuse: Reuse,
        progress: &'a mut dyn FnMut(Progress),
    ) -> Self {
        Runner {
            document,
            plan,
            weave: interpreters.moment(),
            interpreters,
            store,
            reuse,
            progress,
            sessions: HashMap::new(),
            done: HashMap::new(),
            latest: HashMap::new(),
            labels: BTreeMap::new(),
            not_stored: None,
            causes: BTreeMap::new(),
            passes: 0,
            in_order: BTreeSet::new(),
            rolled_back: false,
            only_looks: false,
        }
    }

    /// Goes through the plan until every block has what all the others see of it.
    fn whole(mut self) -> Result<Results, Box<Failure>> {
        loop {
            if let Some(settled) = self.settled_pass()? {
                return Ok(self.results(settled));
            }
        }
    }

    /// Goes through the plan once. Nothing comes back when a replayed block gave something new.
    fn settled_pass(&mut self) -> Result<Option<Vec<Option<Settled>>>, Box<Failure>> {
        self.passes += 1;
        let mut settled: Vec<Option<Settled>> = vec![None; self.plan.tasks.len()];
        for &index in &self.plan.order {
            let Some(block) = self.settle(index, &settled)? else { return Ok(None) };
            let block_options = &self.document.live[index].options;
            if !block_options.exit.accepts(block.kept.outcome.exit) {
                let kind = FailureKind::Exit { outcome: block.kept.outcome, expected: block_options.exit };
                return Err(self.failure(index, kind));
            }
            settled[index] = Some(block);
        }
        Ok(Some(settled))
    }

    fn results(mut self, settled: Vec<Option<Settled>>) -> Results {
        let code_of = |index: usize| match &settled[index] {
            Some(settled) => settled.code.clone(),
            None => fill(&self.document.live[index].code, self.document, &|at| {
                settled[at].as_ref().map(|s| (&s.kept.outcome, s.code.as_str()))
            }),
        };
        let codes = (0..settled.len()).map(code_of).collect();
        let state = |(index, s): (usize, &Option<Settled>)| Some(self.done.get(&(index, s.as_ref()?.key))?.state);
        let states = settled.iter().enumerate().map(state).collect();
        let (mut facts, mut files, mut outcomes) = (Vec::new(), Vec::new(), Vec::new());
        for block in settled {
            let (own_facts, kept) = block.map_or((Vec::new(), None), |block| (block.facts, Some(block.kept)));
            facts.push(own_facts);
            let (own_files, outcome) = kept.map_or((None, None), |kept| (kept.files, Some(kept.outcome)));
            files.push(own_files);
            outcomes.push(outcome);
        }
        Results { codes, states, not_stored: self.not_stored.take(), facts, files, outcomes }
    }

    fn settle(&mut self, index: usize, settled: &[Option<Settled>]) -> Result<Option<Settled>, Box<Failure>> {
        let block = &self.document.live[index];
        let ready = self.ready(index, settled)?;
        let key = ready.key;
        if let Some(done) = self.done_before(index, key) {
            self.latest.insert(index, key);
            return self.in_its_place(index, ready.settle(done), settled);
        }
        if let Some(kept) = self.stored(index, key) {
            let identity = key.of_result(kept.files.as_ref());
            let done = self.finish(index, key, identity, kept, State::Kept);
            return self.in_its_place(index, ready.settle(done), settled);
        }
        if !self.bring_up(index, &self.wanted(index, settled))? {
            return Ok(None);
        }
        let kept = self.execute(index, &ready.code, &ready.variables, ready.scratch)?;
        let identity = self.identity(index, key, &kept);
        self.executed(index, identity, &kept.outcome);
        let done = if block.options.exit.accepts(kept.outcome.exit) {
            self.keep(index, key, &kept);
            self.finish(index, key, identity, kept, State::Ran)
        } else {
            Done { kept, identity, state: State::Ran }
        };
        Ok(Some(ready.settle(done)))
    }

    /// On a strand whose state has to be made in the order of the document, a stored block is run again for it in its
    /// place. Nothing comes back when it gave something new.
    fn in_its_place(
        &mut self,
        index: usize,
        block: Settled,
        settled: &[Option<Settled>],
    ) -> Result<Option<Settled>, Box<Failure>> {
        if !self.in_order.contains(&self.task(index).strand) {
            return Ok(Some(block));
        }
        let mut wanted = self.wanted(index, settled);
        wanted.push((index, &block));
        Ok(self.bring_up(index, &wanted)?.then_some(block))
    }

    /// What became of a block when the plan was gone through before. A stored result is only still true if the files
    /// that its block read have not been changed by one that ran since.
    fn done_before(&mut self, index: usize, key: Key) -> Option<Done> {
        let done = self.done.get(&(index, key))?.clone();
        // On a strand that is run in the order of the document it runs again in its place, and makes its files then.
        let runs_again = self.in_order.contains(&self.task(index).strand);
        if let Some(files) = done.kept.files.as_ref().filter(|_| self.rolled_back && !runs_again)
            && !self.interpreters.put_back(&files.outputs, done.kept.origin)
        {
            return None;
        }
        let files = done.kept.files.as_ref().filter(|_| self.passes < MOST_PASSES);
        let stale = files.is_some_and(|files| self.interpreters.first_changed(&files.inputs).is_some());
        let rewritten = files.and_then(Observations::altered).is_some();
        if stale && !rewritten && self.document.live[index].options.run == RunPolicy::Stored {
            None
        } else {
            Some(done)
        }
    }

    /// A stored result that is still true: the files its block read are as they were, and those it made are there.
    fn stored(&mut self, index: usize, key: Key) -> Option<Kept> {
        if self.reuse == Reuse::Nothing || self.document.live[index].options.run == RunPolicy::Always {
            return None;
        }
        let all = self.store.load(key);
        let mut changed = None;
        for kept in all {
            let Some(files) = &kept.files else {
                // Where nothing is observed, what the block reads is what it says.
                match self.vouches(index) {
                    true => return Some(kept),
                    false => continue,
                }
            };
            match self.interpreters.first_changed(&files.inputs) {
                Some((path, now)) => {
                    let was = files.inputs.iter().find(|(name, _)| *name == path).map(|(_, seen)| seen.clone());
                    changed.get_or_insert(Cause::File { path, was: Box::new(was), now: Box::new(now) });
                }
                None if self.has_outputs(files, kept.origin) => return Some(kept),
                None => {
                    changed.get_or_insert(Cause::OutputGone);
                }
            }
        }
        if let Some(cause) = changed {
            self.causes.insert(index, cause);
        }
        None
    }

    /// Whether the files that a block made are there, or are put back now; when nothing is to change, whether they
    /// could be.
    fn has_outputs(&mut self, files: &Observations, origin: Origin) -> bool {
        match self.only_looks {
            true => self.interpreters.can_put_back(&files.outputs, origin),
            false => self.interpreters.put_back(&files.outputs, origin),
        }
    }

    fn keep(&mut self, index: usize, key: Key, kept: &Kept) {
        if kept.files.is_none() && !self.vouches(index) {
            return;
        }
        // What can't be followed, or changed while it was read, belongs to no state of files that could be found again.
        if kept.files.as_ref().is_some_and(|files| !files.is_keepable()) {
            return;
        }
        if let Err(error) = self.store.keep(key, kept) {
            self.not_stored.get_or_insert(error.to_string());
        }
    }

    fn finish(&mut self, index: usize, key: Key, identity: Key, kept: Kept, state: State) -> Done {
        let block = &self.document.live[index];
        let milliseconds = kept.outcome.milliseconds;
        let done = Done { kept, state, identity };
        if state != State::Kept || !self.done.contains_key(&(index, key)) {
            (self.progress)(Progress::Finished { block, index, state, milliseconds });
        }
        self.done.insert((index, key), done.clone());
        self.latest.insert(index, key);
        done
    }

    /// What a block did with files when it was kept or ran last in this weave.
    fn last_files(&self, index: usize) -> Option<&Observations> {
        let key = *self.latest.get(&index)?;
        self.done.get(&(index, key))?.kept.files.as_ref()
    }

    /// What a block that ran is for those after it on its strand: one that can't be kept is another in each weave.
    fn identity(&self, index: usize, key: Key, kept: &Kept) -> Key {
        let is_known = match &kept.files {
            Some(files) => files.is_keepable(),
            None => self.vouches(index),
        };
        match self.document.live[index].options.run {
            RunPolicy::Stored if is_known => key.of_result(kept.files.as_ref()),
            _ => key.of_this_weave(&self.weave),
        }
    }

    /// Whether a block says what it reads.
    fn vouches(&self, index: usize) -> bool {
        !self.document.live[index].options.reads.is_empty()
    }

    fn failure(&self, index: usize, kind: FailureKind) -> Box<Failure> {
        Box::new(Failure { index, kind, labels: self.labels.clone() })
    }
}
