//! Running a plan: keep what is stored, run what is not, replay what a running block's state needs.
//!
//! A strand is started only when a block on it must run; then the blocks before it run again ("replayed"). When
//! a replayed block gives something else than what is stored, the new outcome is kept and the whole plan is
//! gone through once more, so that everything that used the old one sees the new one. The running strands are
//! kept meanwhile, so that ends: the second time, what is stored is what they gave.

mod framed;
mod keeping;
mod outlook;
mod prepared;
mod side_by_side;
mod states;
mod strands;
mod uses;
mod warm;

pub(crate) use keeping::{Cause, Stored};
pub(crate) use outlook::{Outlook, Outlooks};
pub use warm::Warm;

use crate::failure::{Failure, FailureKind};
use crate::interpreting::Machine;
use crate::key::{Fact, Key};
use crate::plan::{Plan, StrandId};
use crate::results::{BlockResult, Given, OnFailure, Progress, Results, Reuse, State};
use crate::stored_results::{ResultStore, StoredResult};
use crate::values::fill;
use ecow::EcoString;
use prepared::OfLanguages;
pub use side_by_side::LastWeave;
use side_by_side::{Came, SideBySide};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::sync::Arc;
use vineloom_document::{BlockIndex, ByBlock, Document};
use vineloom_interpreters::{Held, Variable};
use vineloom_store::Digest;
use warm::OfSession;

/// How often the plan is gone through before a file that keeps changing is let be.
const MOST_PASSES: usize = 8;

/// Runs the plan of a document.
///
/// # Errors
/// The first [`Failure`]; what ran before it is stored.
pub fn run<I: Machine>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl ResultStore,
    reuse: Reuse,
    progress: &mut dyn FnMut(Progress),
) -> Result<Results, Box<Failure>> {
    Runner::new(document, plan, interpreters, store, reuse, progress).whole()
}

/// The same with what an earlier weave left running: an interpreter whose state is the one that a block needs goes on from
/// there. What is running in the end is left in `warm`.
///
/// # Errors
/// As [`run`].
pub fn run_warm<I: Machine>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl ResultStore,
    warm: &mut Warm<I::Strand>,
    progress: &mut dyn FnMut(Progress),
) -> Result<Results, Box<Failure>> {
    let mut runner = Runner::new(document, plan, interpreters, store, Reuse::Stored, progress);
    runner.take_up(warm);
    let results = runner.whole();
    runner.leave(warm, &results);
    results
}

/// The same, with blocks of different strands side by side where nothing of them has changed but the files that they read,
/// and what the last weave knew says that none sees what another does.
///
/// # Errors
/// As [`run`]. With [`OnFailure::GoOn`], what failed is among the results.
pub fn run_side_by_side<I: Machine>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl ResultStore,
    on_failure: OnFailure,
    past: LastWeave,
    progress: &mut dyn FnMut(Progress),
) -> Result<Results, Box<Failure>> {
    let mut runner = Runner::new(document, plan, interpreters, store, Reuse::Stored, progress);
    runner.side_by_side = SideBySide::allowed(past);
    runner.on_failure = on_failure;
    runner.whole()
}

/// Runs the plan of a document to its end, whatever fails on the way. What failed is among the results.
///
/// # Errors
/// The user interrupted it.
pub fn run_to_the_end<I: Machine>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl ResultStore,
    reuse: Reuse,
    progress: &mut dyn FnMut(Progress),
) -> Result<Results, Box<Failure>> {
    let mut runner = Runner::new(document, plan, interpreters, store, reuse, progress);
    runner.on_failure = OnFailure::GoOn;
    runner.whole()
}

/// Runs what a block needs and the block itself, and tells what its strand's state holds then. Nothing for a
/// language whose driver can't tell.
///
/// # Errors
/// The first [`Failure`].
pub fn held_after<I: Machine>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl ResultStore,
    index: BlockIndex,
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
            runner.begin_again();
            continue;
        }
        let strand = &runner.task(index).strand;
        let Some(running) = runner.strands.get_mut(strand) else { return Ok(None) };
        let held = runner.interpreters.variables(&mut running.strand);
        return held.map_err(|error| runner.failure(index, FailureKind::from(error)));
    }
}

pub(crate) struct Runner<'a, I: Machine, K: ResultStore> {
    document: &'a Document,
    plan: &'a Plan,
    interpreters: &'a mut I,
    store: &'a K,
    reuse: Reuse,
    progress: &'a mut dyn FnMut(Progress),
    strands: HashMap<StrandId, RunningStrand<I::Strand>>,
    /// What this weave ran, by index and key.
    done: HashMap<(BlockIndex, Key), Done>,
    /// The key of each block when it was kept or ran last.
    latest: HashMap<BlockIndex, Key>,
    weave: String,
    /// Which block each label stands for.
    labels: BTreeMap<String, BlockIndex>,
    not_stored: Option<String>,
    /// How often the plan has been gone through.
    passes: usize,
    /// The strands whose blocks all run, each in its place.
    in_order: BTreeSet<StrandId>,
    /// Whether files were brought back to what they were before the weave.
    rolled_back: bool,
    /// Whether the plan is only looked through: no file is written then.
    only_looks: bool,
    /// What blocks gave that run at every weave, where they are not to run at this one.
    session: HashMap<Key, OfSession>,
    /// Whether that is kept for the next weave.
    keeps_session: bool,
    /// The strands on which something new has run in this weave.
    begun: HashSet<StrandId>,
    /// Whether blocks run that only do when they are asked for.
    is_asked: bool,
    on_failure: OnFailure,
    /// The blocks that failed, where the rest goes on.
    failures: BTreeMap<BlockIndex, Box<Failure>>,
    /// Those of them that never began: they left their strands as they were.
    unbegun: BTreeSet<BlockIndex>,
    side_by_side: SideBySide<'a>,
    of_language: OfLanguages,
}

/// What became of a block in this weave.
#[derive(Clone)]
struct Done {
    kept: Arc<StoredResult>,
    state: State,
    identity: Key,
}

/// A running strand and the identities of the blocks it has run, in order.
struct RunningStrand<S> {
    strand: S,
    executed: Vec<Key>,
    /// Where it left copies of itself: after how many of these blocks, the latest last.
    copies: Vec<usize>,
    /// How long blocks ran since it left the last one, in milliseconds.
    since_copy: u64,
    /// What stands for its state at its start and after each of these blocks; nothing where no other weave could need that.
    states: Vec<Option<Key>>,
    /// How long blocks ran since a state of it was kept or taken up, in milliseconds.
    since_state: u64,
}

/// What one pass knows of a block so far.
#[derive(Clone)]
struct Settled {
    key: Key,
    identity: Key,
    kept: Arc<StoredResult>,
    code: EcoString,
    variables: Vec<Variable>,
    facts: Vec<Fact>,
    /// The scratch folder before and after it, when it runs there.
    scratch: Option<(Digest, Digest)>,
}

impl<'a, I: Machine, K: ResultStore> Runner<'a, I, K> {
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
            strands: HashMap::new(),
            done: HashMap::new(),
            latest: HashMap::new(),
            labels: BTreeMap::new(),
            not_stored: None,
            passes: 0,
            in_order: BTreeSet::new(),
            rolled_back: false,
            only_looks: false,
            session: HashMap::new(),
            keeps_session: false,
            begun: HashSet::new(),
            is_asked: true,
            on_failure: OnFailure::Stop,
            failures: BTreeMap::new(),
            unbegun: BTreeSet::new(),
            side_by_side: SideBySide::default(),
            of_language: OfLanguages::default(),
        }
    }

    /// Goes through the plan until every block has what all the others see of it.
    fn whole(&mut self) -> Result<Results, Box<Failure>> {
        loop {
            if let Some(settled) = self.settled_pass()? {
                return Ok(self.results(settled));
            }
        }
    }

    /// Goes through the plan once. Nothing comes back when a replayed block gave something new.
    fn settled_pass(&mut self) -> Result<Option<ByBlock<Option<Settled>>>, Box<Failure>> {
        self.passes += 1;
        let waiting: Vec<BlockIndex> = self.failures.keys().copied().filter(|&at| self.waiting(at).is_some()).collect();
        for at in waiting {
            self.failures.remove(&at);
            self.unbegun.remove(&at);
        }
        let mut settled: ByBlock<Option<Settled>> = self.plan.tasks.map(|_| None);
        for &index in &self.plan.order {
            let block = match self.settle(index, &mut settled) {
                Err(failure) => self.framed(index, failure)?,
                Ok(None) => {
                    self.begin_again();
                    return Ok(None);
                }
                Ok(Some(block)) if self.accepts(index, &block.kept) => block,
                Ok(Some(block)) => self.framed_exit(index, block)?,
            };
            settled[index] = Some(block);
        }
        Ok(Some(settled))
    }

    /// Brings files back to what they were before the weave, since all is gone through once more: each block finds in its
    /// place what it found there.
    fn begin_again(&mut self) {
        self.interpreters.undo();
        self.rolled_back = true;
    }

    /// Whether a block ended as it should.
    fn accepts(&self, index: BlockIndex, kept: &StoredResult) -> bool {
        self.document.live[index].options.exit.accepts(kept.outcome.exit)
    }

    fn results(&mut self, settled: ByBlock<Option<Settled>>) -> Results {
        let cited = |at: BlockIndex| settled[at].as_ref().map(|s| (&s.kept.outcome, s.code.as_str()));
        let code = |(index, block): (BlockIndex, &Option<Settled>)| match block {
            Some(block) => block.code.clone(),
            None => fill(&self.document.live[index].code, self.document, &cited),
        };
        let codes: Vec<EcoString> = settled.enumerate().map(code).collect();
        let state =
            |(index, block): (BlockIndex, &Option<Settled>)| Some(self.done.get(&(index, block.as_ref()?.key))?.state);
        let states: Vec<Option<State>> = settled.enumerate().map(state).collect();
        // Nothing is asked of them any more, so that each result has one owner and need not be copied.
        self.done = HashMap::new();
        let result = |((block, code), state): ((Option<Settled>, EcoString), Option<State>)| BlockResult {
            code,
            given: block.zip(state).map(|(Settled { kept, facts, .. }, state)| {
                let StoredResult { outcome, files, .. } = Arc::unwrap_or_clone(kept);
                Given { outcome, state, facts, files }
            }),
        };
        let blocks = settled.into_iter().zip(codes).zip(states).map(result).collect();
        Results {
            blocks,
            not_stored: self.not_stored.take(),
            failures: std::mem::take(&mut self.failures).into_values().collect(),
        }
    }

    fn settle(
        &mut self,
        index: BlockIndex,
        settled: &mut ByBlock<Option<Settled>>,
    ) -> Result<Option<Settled>, Box<Failure>> {
        if let Some(failed) = self.task(index).needs.iter().find(|needed| self.failures.contains_key(needed)) {
            let kind = match self.waiting(*failed) {
                Some(waiting) => FailureKind::Waits(waiting),
                None => FailureKind::Needs(*failed),
            };
            return Err(self.failure(index, kind));
        }
        let prepared = self.prepare(index, settled)?;
        let key = prepared.key;
        if let Some(done) = self.done_before(index, key) {
            self.latest.insert(index, key);
            self.arrived(index, key, &done);
            return self.in_its_place(index, prepared.settle(done), settled);
        }
        if self.has_run_ahead(index) {
            self.back_in_order();
            return Ok(None);
        }
        if let Some(Done { kept, identity, .. }) = self.of_session(key) {
            let done = self.finish(index, key, identity, kept, State::Kept);
            return self.in_its_place(index, prepared.settle(done), settled);
        }
        if let Stored::True(kept) = self.stored(index, key) {
            let identity = key.of_result(kept.files.as_ref());
            let done = self.finish(index, key, identity, kept, State::Kept);
            return self.in_its_place(index, prepared.settle(done), settled);
        }
        if let Some(waiting) = self.waiting_before(index, settled) {
            return Err(self.failure(index, FailureKind::Waits(waiting)));
        }
        match self.run_side_by_side(index, settled)? {
            Came::Alone => {}
            Came::Ran => return self.settle(index, settled),
            Came::Spoiled => {
                self.back_in_order();
                return Ok(None);
            }
        }
        if !self.bring_up(index, &self.wanted(index, settled))? {
            return Ok(None);
        }
        let kept = Arc::new(self.execute(index, &prepared.code, &prepared.variables, prepared.scratch, false)?);
        let identity = self.identity(index, key, &kept);
        self.executed(index, identity, &kept)?;
        let done = if self.accepts(index, &kept) {
            self.keep(index, key, &kept);
            let done = self.finish(index, key, identity, kept, State::Ran);
            self.note_for_session(index, key, &done);
            done
        } else {
            Done { kept, identity, state: State::Ran }
        };
        Ok(Some(prepared.settle(done)))
    }

    /// On a strand whose state has to be made in the order of the document, a stored block is run again for it in its
    /// place. Nothing comes back when it gave something new.
    fn in_its_place(
        &mut self,
        index: BlockIndex,
        block: Settled,
        settled: &ByBlock<Option<Settled>>,
    ) -> Result<Option<Settled>, Box<Failure>> {
        if !self.in_order.contains(&self.task(index).strand) {
            return Ok(Some(block));
        }
        let mut wanted = self.wanted(index, settled);
        wanted.push((index, &block));
        if !self.bring_up(index, &wanted)? {
            return Ok(None);
        }
        // Where it ran the last time that the plan was gone through, blocks before it may have had their files put back since.
        if let Some(files) = &block.kept.files {
            self.interpreters.put_back(&files.outputs, block.kept.origin);
        }
        Ok(Some(block))
    }

    fn finish(
        &mut self,
        index: BlockIndex,
        key: Key,
        identity: Key,
        kept: impl Into<Arc<StoredResult>>,
        state: State,
    ) -> Done {
        let kept = kept.into();
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

    fn failure(&self, index: BlockIndex, kind: FailureKind) -> Box<Failure> {
        Box::new(Failure { index, kind, labels: self.labels.clone() })
    }
}
