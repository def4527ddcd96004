//! Blocks of different strands side by side.
//!
//! The order of the document is the contract: what runs beside what must make no difference. So a block runs ahead of its
//! place only where nothing of it has changed since the last weave but the files that it reads and the state that it starts
//! from, and where that weave saw that none of the blocks between uses a file that another strand makes. What they use is
//! seen again when they run, and their results count only when it holds of that as well. Else files are brought back to what
//! they were, and everything runs in the order of the document.

use super::prepared::Prepared;
use super::strands::with_place;
use super::uses::Uses;
use super::{Done, Runner, RunningStrand, Settled};
use crate::failure::{Failure, FailureKind};
use crate::history::{History, Past, names};
use crate::interpreting::Machine;
use crate::key::{BEFORE, Fact, Key};
use crate::observations::{Made, Observations};
use crate::plan::StrandId;
use crate::request::scratch_folder;
use crate::results::{Progress, State};
use crate::stored_results::{ResultStore, StoredResult};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use vineloom_document::options::RunPolicy;
use vineloom_document::{BlockIndex, ByBlock};
use vineloom_interpreters::{Ended, Outcome, RunError};
use vineloom_store::Origin;

/// The last weave, which decides what may run side by side in this one.
#[derive(Clone, Copy)]
pub struct LastWeave<'a> {
    /// What it knew; that is asked only when a block has to run.
    pub history: &'a dyn Fn() -> History,
    /// From how many milliseconds on, that the others took last time while the longest strand ran, it is worth the trouble.
    pub worth: u64,
}

/// What may run side by side, and what has run ahead of its place.
#[derive(Default)]
pub(super) struct SideBySide<'a> {
    /// What the last weave knew; nothing where no block is to run ahead.
    past: Option<LastWeave<'a>>,
    /// The same by what each block is known as, once that has been asked.
    known: Option<HashMap<String, Past>>,
    /// What each block is known as, once that has been asked.
    known_as: Option<Arc<ByBlock<String>>>,
    /// What has run ahead of its place, until its place has come; with it, the blocks that were replayed for it.
    ahead: HashMap<BlockIndex, Vec<Replayed>>,
    /// Blocks that were found to have nothing that could run beside them.
    alone: HashSet<BlockIndex>,
    /// The block that has begun last.
    begun_last: Option<BlockIndex>,
}

/// A block that was replayed ahead of its place, with its key and its identity.
type Replayed = (BlockIndex, Key, Key, StoredResult);

/// What came of the wish to run blocks side by side.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Came {
    /// There is nothing to run beside the block.
    Alone,
    /// The block has run, and others beside it.
    Ran,
    /// What they did can't stand: everything runs in the order of the document.
    Spoiled,
}

/// The blocks of one strand that may run beside those of others.
struct Lane {
    strand: StrandId,
    blocks: Vec<BlockIndex>,
    /// How long they took last time, in milliseconds.
    took: u64,
    /// How many of them are done.
    at: usize,
    /// The next of them, ready to run.
    next: Option<Prepared>,
    /// What it runs now.
    running: Option<Running>,
    /// What has been replayed for the next block.
    replayed: Vec<Replayed>,
}

/// A block that runs, and what is known of its strand meanwhile.
struct Running {
    index: BlockIndex,
    is_replay: bool,
    strand: RunningStrand<()>,
}

/// Why blocks that ran side by side have no results.
enum Stop {
    Spoiled,
    Failed(Box<Failure>),
}

impl From<Box<Failure>> for Stop {
    fn from(failure: Box<Failure>) -> Self {
        match failure.kind {
            FailureKind::Interrupted => Stop::Failed(failure),
            // In its place it fails again, and is told of there.
            _ => Stop::Spoiled,
        }
    }
}

impl<'a> SideBySide<'a> {
    /// Lets blocks run side by side.
    pub(super) fn allowed(past: LastWeave<'a>) -> Self {
        SideBySide { past: Some(past), ..SideBySide::default() }
    }

    /// From now on everything runs in the order of the document. Returns what has run ahead of its place.
    fn forbid(&mut self) -> Vec<BlockIndex> {
        self.past = None;
        std::mem::take(&mut self.ahead).into_keys().collect()
    }
}

impl<S> RunningStrand<S> {
    /// The interpreter, and what is known of it.
    fn apart(self) -> (S, RunningStrand<()>) {
        let RunningStrand { strand, executed, copies, since_copy, states, since_state } = self;
        (strand, RunningStrand { strand: (), executed, copies, since_copy, states, since_state })
    }
}

impl RunningStrand<()> {
    fn with<S>(self, strand: S) -> RunningStrand<S> {
        let RunningStrand { strand: (), executed, copies, since_copy, states, since_state } = self;
        RunningStrand { strand, executed, copies, since_copy, states, since_state }
    }
}

impl<I: Machine, K: ResultStore> Runner<'_, I, K> {
    /// Runs a block that has to run, and beside it what may run beside it.
    ///
    /// # Errors
    /// The user interrupted it.
    pub(super) fn run_side_by_side(
        &mut self,
        index: BlockIndex,
        settled: &mut ByBlock<Option<Settled>>,
    ) -> Result<Came, Box<Failure>> {
        let may = self.side_by_side.past.is_some() && self.interpreters.at_once() > 1;
        let may = may && !self.rolled_back && self.in_order.is_empty() && self.failures.is_empty();
        if !may || self.side_by_side.alone.contains(&index) {
            return Ok(Came::Alone);
        }
        let mut lanes = self.lanes(index, settled);
        let blocks: Vec<BlockIndex> = lanes.iter().flat_map(|lane| &lane.blocks).copied().collect();
        if lanes.len() < 2 {
            self.side_by_side.alone.extend(blocks);
            return Ok(Came::Alone);
        }
        let mut uses = Uses::new(self.interpreters.folder());
        let mut came = Ok(());
        for (number, lane) in lanes.iter_mut().enumerate() {
            came = came.and_then(|()| self.advance(number, lane, settled, &mut uses));
        }
        let begins = came.is_ok() && self.is_worth_it(&lanes);
        if begins {
            came = self.run_lanes(&mut lanes, settled, &mut uses);
        }
        // In their places they are looked at once more.
        blocks.iter().for_each(|&at| settled[at] = None);
        match came {
            _ if !begins => {
                self.side_by_side.alone.extend(blocks);
                Ok(Came::Alone)
            }
            Ok(()) => Ok(Came::Ran),
            Err(Stop::Spoiled) => Ok(Came::Spoiled),
            Err(Stop::Failed(failure)) => Err(failure),
        }
    }

    /// Forgets what ran ahead of its place: all is gone through once more, in the order of the document.
    pub(super) fn back_in_order(&mut self) {
        let ahead = self.side_by_side.forbid();
        self.done.retain(|(index, _), _| !ahead.contains(index));
        self.latest.retain(|index, _| !ahead.contains(index));
        self.strands.clear();
    }

    /// Whether a block has run ahead of its place, which has come now.
    pub(super) fn has_run_ahead(&self, index: BlockIndex) -> bool {
        self.side_by_side.ahead.contains_key(&index)
    }

    /// Takes note, and tells, that a block's place has come that has run ahead of it. Only now it is stored.
    pub(super) fn arrived(&mut self, index: BlockIndex, key: Key, done: &Done) {
        let Some(replayed) = self.side_by_side.ahead.remove(&index) else { return };
        for (at, key, identity, kept) in replayed {
            self.finish(at, key, identity, kept, State::Replayed);
        }
        self.keep(index, key, &done.kept);
        self.finish(index, key, done.identity, done.kept.clone(), done.state);
    }

    /// The blocks from this one on that may run side by side, by strands. They end before the first block that does not
    /// belong to them.
    fn lanes(&mut self, index: BlockIndex, settled: &ByBlock<Option<Settled>>) -> Vec<Lane> {
        let document = self.document;
        let known_as = Arc::clone(self.side_by_side.known_as.get_or_insert_with(|| Arc::new(names(document))));
        let mut lanes: Vec<Lane> = Vec::new();
        let mut uses = Uses::new(self.interpreters.folder());
        let plan = self.plan;
        for &at in plan.order.iter().skip_while(|&&at| at != index) {
            let strand = &self.task(at).strand;
            let number = lanes.iter().position(|lane| lane.strand == *strand).unwrap_or(lanes.len());
            let Some((files, took)) = self.as_seen_last(at, &known_as[at], settled) else { break };
            // What is replayed for it is a part of what its strand does.
            let before = self.wanted(at, settled);
            let is_apart = before.iter().all(|(before, block)| {
                let files = block.kept.files.as_ref().filter(|files| is_followed(files));
                self.is_bound_to_files(*before) && files.is_some_and(|files| uses.add(number, files))
            });
            if !is_apart || !uses.add(number, &files) {
                break;
            }
            match lanes.get_mut(number) {
                Some(lane) => {
                    lane.blocks.push(at);
                    lane.took += took;
                }
                None => lanes.push(Lane {
                    strand: strand.clone(),
                    blocks: vec![at],
                    took,
                    at: 0,
                    next: None,
                    running: None,
                    replayed: Vec::new(),
                }),
            }
        }
        lanes
    }

    /// Whether a block is bound to others by files alone: not by the moment, nor by the scratch folder, of which there is one.
    fn is_bound_to_files(&self, index: BlockIndex) -> bool {
        let block = &self.document.live[index];
        block.options.run == RunPolicy::Stored && scratch_folder(block).is_none()
    }

    /// What the last weave saw a block do with files, and how long it took, in milliseconds: if nothing of it has changed since
    /// but those files and the state that it starts from, and if there is nothing else by which it could see others.
    fn as_seen_last(
        &mut self,
        index: BlockIndex,
        known_as: &str,
        settled: &ByBlock<Option<Settled>>,
    ) -> Option<(Observations, u64)> {
        let needs_others = self.task(index).needs.iter().any(|&needed| settled[needed].is_none());
        if needs_others || !self.is_bound_to_files(index) {
            return None;
        }
        let facts = self.prepare(index, settled).ok()?.facts;
        let all = self.side_by_side.past?.history;
        let by_name = || all().blocks.into_iter().map(|past| (past.known_as.clone(), past)).collect();
        let past = self.side_by_side.known.get_or_insert_with(by_name).get(known_as)?;
        let own = |facts: &[Fact]| facts.iter().filter(|fact| fact.what != BEFORE).cloned().collect::<Vec<_>>();
        let files = past.files.clone().filter(is_followed)?;
        (own(&past.facts) == own(&facts)).then_some((files, past.milliseconds))
    }

    /// Whether more than one of the lanes has something to run, and those beside the longest took long enough last time.
    fn is_worth_it(&self, lanes: &[Lane]) -> bool {
        let Some(worth) = self.side_by_side.past.map(|past| past.worth) else { return false };
        let run: Vec<u64> = lanes.iter().filter(|lane| lane.next.is_some()).map(|lane| lane.took).collect();
        let longest = run.iter().max().copied().unwrap_or(0);
        run.len() > 1 && run.iter().sum::<u64>() - longest >= worth
    }

    /// Goes on to the next block of a lane that has to run. What is stored of those before it holds for now.
    fn advance(
        &mut self,
        number: usize,
        lane: &mut Lane,
        settled: &mut ByBlock<Option<Settled>>,
        uses: &mut Uses,
    ) -> Result<(), Stop> {
        lane.next = None;
        while let Some(&index) = lane.blocks.get(lane.at) {
            let prepared = self.prepare(index, settled)?;
            let Some(done) = self.kept_for_now(index, prepared.key) else {
                lane.next = Some(prepared);
                return Ok(());
            };
            self.note_uses(number, &done.kept, uses)?;
            settled[index] = Some(prepared.settle(done));
            lane.at += 1;
        }
        Ok(())
    }

    /// What is known of a block that need not run, as far as that can be told before its place has come; no file is written.
    fn kept_for_now(&mut self, index: BlockIndex, key: Key) -> Option<Done> {
        let only_looked = std::mem::replace(&mut self.only_looks, true);
        let stored = self.stored(index, key);
        self.only_looks = only_looked;
        match stored {
            super::Stored::True(kept) => {
                let identity = key.of_result(kept.files.as_ref());
                Some(Done { kept: kept.into(), identity, state: State::Kept })
            }
            _ => None,
        }
    }

    fn note_uses(&self, number: usize, kept: &StoredResult, uses: &mut Uses) -> Result<(), Stop> {
        let files = kept.files.as_ref().filter(|files| is_followed(files));
        if files.is_some_and(|files| uses.add(number, files)) { Ok(()) } else { Err(Stop::Spoiled) }
    }

    /// Runs lanes side by side until all are through.
    fn run_lanes(
        &mut self,
        lanes: &mut [Lane],
        settled: &mut ByBlock<Option<Settled>>,
        uses: &mut Uses,
    ) -> Result<(), Stop> {
        let at_once = self.interpreters.at_once();
        let mut came = Ok(());
        loop {
            let mut running = lanes.iter().filter(|lane| lane.running.is_some()).count();
            for (number, lane) in lanes.iter_mut().enumerate() {
                if came.is_ok() && running < at_once && lane.running.is_none() && lane.next.is_some() {
                    came = self.begin(number, lane, settled);
                    running += usize::from(lane.running.is_some());
                }
            }
            if running == 0 {
                return came;
            }
            if came.is_err() {
                self.interpreters.give_up();
            }
            let Some((number, strand, result)) = self.interpreters.next_done() else {
                return came.and(Err(Stop::Spoiled));
            };
            let ended = self.ended(number, &mut lanes[number], strand, result, settled, uses);
            came = match (came, ended) {
                // Those that were given up say that they were interrupted.
                (Err(first), _) => Err(first),
                (Ok(()), ended) => ended,
            };
        }
    }

    /// Begins the next block of a lane, or one that has to be replayed for it.
    fn begin(&mut self, number: usize, lane: &mut Lane, settled: &ByBlock<Option<Settled>>) -> Result<(), Stop> {
        let (Some(&index), Some(next)) = (lane.blocks.get(lane.at), &lane.next) else { return Ok(()) };
        let wanted = self.wanted(index, settled);
        if !self.is_usable(&lane.strand, &wanted) {
            self.start(index)?;
            self.take_up_state(index, &wanted)?;
        }
        let already = self.strands.get(&lane.strand).map_or(0, |running| running.executed.len());
        let (at, run) = match wanted.get(already) {
            Some((_, before)) if self.is_out_of_place(wanted[already].0, index, before) => return Err(Stop::Spoiled),
            Some((at, before)) => (*at, self.request(*at, &before.code, &before.variables)?),
            None => (index, self.request(index, &next.code, &next.variables)?),
        };
        let Some(running) = self.strands.remove(&lane.strand) else { return Err(Stop::Spoiled) };
        (self.progress)(Progress::Started { block: &self.document.live[at], index: at });
        self.side_by_side.begun_last = Some(at);
        let (strand, rest) = running.apart();
        self.interpreters.begin(number, strand, run).map_err(|_| Stop::Spoiled)?;
        lane.running = Some(Running { index: at, is_replay: at != index, strand: rest });
        Ok(())
    }

    /// Takes note of a block that has run in a lane, and goes on to the next one.
    fn ended(
        &mut self,
        number: usize,
        lane: &mut Lane,
        strand: I::Strand,
        result: Result<Outcome, RunError>,
        settled: &mut ByBlock<Option<Settled>>,
        uses: &mut Uses,
    ) -> Result<(), Stop> {
        let Some(Running { index, is_replay, strand: rest }) = lane.running.take() else { return Err(Stop::Spoiled) };
        let mut running = rest.with(strand);
        // Also of one that failed: what it wrote is to be brought back.
        let files = self.interpreters.observed(&mut running.strand);
        let outcome = match result {
            Err(RunError::Ended { why: Ended::Interrupted, .. }) => {
                // Of several that run, who looks on was told of the last one.
                let index = self.side_by_side.begun_last.unwrap_or(index);
                return Err(Stop::Failed(self.failure(index, FailureKind::Interrupted)));
            }
            Err(_) => return Err(Stop::Spoiled),
            Ok(outcome) => outcome,
        };
        self.strands.insert(lane.strand.clone(), running);
        let files = files.map(|files| with_place(self.interpreters, &outcome, files));
        let kept = StoredResult { outcome, scratch: None, files, origin: Origin::Own };
        self.note_uses(number, &kept, uses)?;
        if !self.accepts(index, &kept) {
            return Err(Stop::Spoiled);
        }
        if is_replay {
            let Some(before) = settled[index].as_ref().filter(|before| !kept.differs_from(&before.kept)) else {
                return Err(Stop::Spoiled);
            };
            self.executed(index, before.identity, &kept)?;
            lane.replayed.push((index, before.key, before.identity, kept));
            return Ok(());
        }
        let Some(prepared) = lane.next.take() else { return Err(Stop::Spoiled) };
        let key = prepared.key;
        let identity = self.identity(index, key, &kept);
        self.executed(index, identity, &kept)?;
        let done = Done { kept: kept.into(), identity, state: State::Ran };
        self.done.insert((index, key), done.clone());
        self.latest.insert(index, key);
        self.side_by_side.ahead.insert(index, std::mem::take(&mut lane.replayed));
        settled[index] = Some(prepared.settle(done));
        lane.at += 1;
        self.advance(number, lane, settled, uses)
    }
}

/// Whether all that a block could see of others is in these observations, and what it did can be brought back.
fn is_followed(files: &Observations) -> bool {
    let is_kept = files.outputs.iter().all(|(_, made)| *made != Made::Other);
    files.is_keepable() && !files.network && files.altered().is_none() && is_kept
}
