//! The running strands: bringing one into the state that a block needs, and running the block.

use super::{MOST_PASSES, Runner, RunningStrand, Settled};
use crate::failure::{Failure, FailureKind};
use crate::interpreting::Machine;
use crate::key::Key;
use crate::observations::{Made, Observations};
use crate::plan::StrandId;
use crate::request::block_run;
use crate::results::{Progress, State};
use crate::stored_results::{ResultStore, StoredResult};
use vineloom_document::options::RunPolicy;
use vineloom_document::{BlockIndex, ByBlock};
use vineloom_interpreters::{BlockRun, Ended, Outcome, Piece, RunError, Seen, Variable};
use vineloom_store::{Digest, Origin, to_record};

impl<'a, I: Machine, K: ResultStore> Runner<'a, I, K> {
    /// The blocks whose state a block needs, in order.
    pub(super) fn wanted<'s>(
        &self,
        index: BlockIndex,
        settled: &'s ByBlock<Option<Settled>>,
    ) -> Vec<(BlockIndex, &'s Settled)> {
        let prefix = self.prefix(index, settled).into_iter();
        prefix.filter_map(|at| Some((at, settled[at].as_ref()?))).collect()
    }

    /// Gets the block's strand into the state that these blocks make. False when a replayed one gave something new.
    pub(super) fn bring_up(
        &mut self,
        index: BlockIndex,
        wanted: &[(BlockIndex, &Settled)],
    ) -> Result<bool, Box<Failure>> {
        let strand = &self.task(index).strand;
        if !self.is_usable(strand, wanted) && !self.went_back(strand, wanted) {
            self.start(index)?;
            self.take_up_state(index, wanted)?;
        }
        let already = self.strands.get(strand).map_or(0, |running| running.executed.len());
        let mut same = true;
        for &(at, before) in wanted.iter().skip(already) {
            // All is gone through once more from the beginning, with this strand in the order of the document.
            let is_out_of_place = self.is_out_of_place(at, index, before);
            if is_out_of_place && self.passes < MOST_PASSES && self.in_order.insert(strand.clone()) {
                self.strands.clear();
                return Ok(false);
            }
            let scratch_before = before.scratch.map(|(before, _)| before);
            let kept = self.execute(at, &before.code, &before.variables, scratch_before, true)?;
            let block = &self.document.live[at];
            if !self.accepts(at, &kept) && !self.failures.contains_key(&at) {
                let kind = FailureKind::Exit { outcome: kept.outcome, expected: block.options.exit };
                return Err(self.failure(at, kind));
            }
            let mut identity = before.identity;
            if self.failures.contains_key(&at) {
                self.executed(at, identity, &kept)?;
                continue;
            }
            if kept.differs_from(&before.kept) {
                (self.progress)(Progress::Differs { index: at });
                self.keep(at, before.key, &kept);
                if block.options.run.is_stored() {
                    identity = self.identity(at, before.key, &kept);
                }
                // One that gives something else each time is let be in the end.
                same = self.passes >= MOST_PASSES;
            }
            self.executed(at, identity, &kept)?;
            self.finish(at, before.key, identity, kept, State::Replayed);
            if !same {
                break;
            }
        }
        Ok(same)
    }

    /// Whether a strand is there that has run the first of these blocks, and nothing else.
    pub(super) fn is_usable(&self, strand: &StrandId, wanted: &[(BlockIndex, &Settled)]) -> bool {
        self.strands.get(strand).is_some_and(|running| {
            running.executed.len() <= wanted.len()
                && running.executed.iter().zip(wanted).all(|(executed, (_, wanted))| *executed == wanted.identity)
        })
    }

    /// Whether a block that is to be replayed for another would not find what it found in its place: a block has changed since
    /// what it read there, or has written over what it makes.
    pub(super) fn is_out_of_place(&mut self, at: BlockIndex, index: BlockIndex, before: &Settled) -> bool {
        before.kept.files.as_ref().is_some_and(|files| {
            self.interpreters.first_changed(&files.inputs).is_some() || self.is_written_over(at, index, files)
        })
    }

    /// Starts the strand of a block, in place of one that may be there.
    ///
    /// # Errors
    /// The interpreter can't be started.
    pub(super) fn start(&mut self, index: BlockIndex) -> Result<(), Box<Failure>> {
        let strand = &self.task(index).strand;
        self.strands.remove(strand);
        let started = self.interpreters.start(&self.document.live[index].language);
        let started = started.map_err(|error| self.failure(index, FailureKind::from(error)))?;
        self.strands.insert(strand.clone(), RunningStrand::of(started, &self.interpreters.folder()));
        Ok(())
    }

    /// Whether a block between these two, in the order of the document, writes what the first one writes.
    fn is_written_over(&self, first: BlockIndex, last: BlockIndex, files: &Observations) -> bool {
        if files.outputs.is_empty() {
            return false;
        }
        let after = self.plan.order.iter().skip_while(|&&at| at != first).skip(1).take_while(|&&at| at != last);
        let outputs_of = |at: &BlockIndex| self.last_files(*at);
        after.filter_map(outputs_of).any(|later| {
            later.outputs.iter().any(|(name, _)| {
                files.outputs.iter().any(|(own, made)| own == name && !matches!(made, Made::Folder(_)))
            })
        })
    }

    pub(super) fn execute(
        &mut self,
        index: BlockIndex,
        code: &str,
        variables: &[Variable],
        scratch_before: Option<Digest>,
        is_replay: bool,
    ) -> Result<StoredResult, Box<Failure>> {
        let block = &self.document.live[index];
        if block.options.run == RunPolicy::Asked && !self.is_asked {
            return Err(self.failure(index, FailureKind::Waits(index)));
        }
        if let Some(tree) = scratch_before
            && let Err(problem) = self.interpreters.restore_scratch(tree)
        {
            return Err(self.failure(index, FailureKind::Run(problem, None)));
        }
        (self.progress)(Progress::Started { block, index });
        let strand = &self.task(index).strand;
        let run = self.request(index, code, variables)?;
        self.leave_copy(index, is_replay);
        let Some(running) = self.strands.get_mut(strand) else {
            return Err(self.failure(index, FailureKind::Lost));
        };
        let result = self.interpreters.run(&mut running.strand, &run);
        match result {
            Ok(outcome) => {
                let files = self.interpreters.observed(&mut running.strand);
                let files = files.map(|files| with_place(self.interpreters, &outcome, files));
                let scratch = scratch_before.map(|_| self.interpreters.snapshot_scratch()).transpose();
                let scratch = scratch.map_err(|problem| self.failure(index, FailureKind::Run(problem, None)))?;
                Ok(StoredResult { outcome, scratch, files, origin: Origin::Own })
            }
            Err(error) => {
                self.strands.remove(strand);
                Err(self.failure(index, FailureKind::from(error)))
            }
        }
    }

    /// What is asked of an interpreter for a block.
    pub(super) fn request(
        &mut self,
        index: BlockIndex,
        code: &str,
        variables: &[Variable],
    ) -> Result<BlockRun, Box<Failure>> {
        let form = self.form(index)?;
        Ok(block_run(&self.document.live[index], form, code, variables, self.interpreters))
    }

    /// Takes note of what a strand has run. A process of its own is of no more use; one that ended can take no more code.
    ///
    /// # Errors
    /// The user interrupted it.
    pub(super) fn executed(
        &mut self,
        index: BlockIndex,
        identity: Key,
        kept: &StoredResult,
    ) -> Result<(), Box<Failure>> {
        let strand = &self.task(index).strand;
        let lasts = self.lasts(index, kept);
        if kept.outcome.interpreter_ended || matches!(strand, StrandId::Fresh(_)) {
            self.strands.remove(strand);
        } else if let Some(running) = self.strands.get_mut(strand) {
            running.ran(identity, kept, lasts);
            self.leave_state(index)?;
        }
        Ok(())
    }
}

/// What a block did with files, and where its document lies, if what it gave names that.
pub(super) fn with_place(interpreters: &impl Machine, outcome: &Outcome, mut files: Observations) -> Observations {
    if files.inputs.iter().any(|(_, seen)| matches!(seen, Seen::Place(_))) {
        return files;
    }
    let in_figure = |piece: &Piece| match piece {
        Piece::Figure(figure) => interpreters.place_named_in(&figure.bytes),
        _ => None,
    };
    let place = interpreters.place_named_in(&to_record(outcome));
    let place = place.or_else(|| outcome.pieces.iter().find_map(in_figure));
    files.inputs.extend(place);
    files
}

impl From<RunError> for FailureKind {
    fn from(error: RunError) -> Self {
        match error {
            RunError::Ended { why: Ended::Interrupted, .. } => FailureKind::Interrupted,
            RunError::Ended { why, so_far } => FailureKind::Ended { why, so_far },
            other => {
                let help = match other {
                    RunError::NoFolder(_) => Some("`cwd` names a folder that is there, from the document's folder"),
                    RunError::NoFigure(_) => {
                        Some("`figure` names a picture that the block writes: SVG, PNG, JPEG, GIF or WebP")
                    }
                    _ => None,
                };
                FailureKind::Run(other.to_string(), help)
            }
        }
    }
}
