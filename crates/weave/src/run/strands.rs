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
use vineloom_interpreters::{Ended, Outcome, RunError, Variable};
use vineloom_store::{Digest, Origin};

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
        let usable = self.strands.get(strand).is_some_and(|running| {
            running.executed.len() <= wanted.len()
                && running.executed.iter().zip(wanted).all(|(executed, (_, wanted))| *executed == wanted.identity)
        });
        if !usable && !self.went_back(strand, wanted) {
            self.strands.remove(strand);
            let language = &self.document.live[index].language;
            let strand_started = self.interpreters.start(language);
            let strand_started = strand_started.map_err(|error| self.failure(index, FailureKind::from(error)))?;
            self.strands.insert(strand.clone(), RunningStrand::of(strand_started));
        }
        let already = self.strands.get(strand).map_or(0, |running| running.executed.len());
        let mut same = true;
        for &(at, before) in wanted.iter().skip(already) {
            // Another block has changed, since this one's place in the order, what it read there, or has written over
            // what it makes. Everything is brought back to the beginning, and this strand is run in the order of the
            // document.
            let files = before.kept.files.as_ref();
            let is_out_of_place = files.is_some_and(|files| {
                self.interpreters.first_changed(&files.inputs).is_some() || self.is_written_over(at, index, files)
            });
            if is_out_of_place && self.passes < MOST_PASSES && self.in_order.insert(strand.clone()) {
                self.interpreters.undo();
                self.rolled_back = true;
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
                self.executed(at, identity, &kept.outcome);
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
            self.executed(at, identity, &kept.outcome);
            self.finish(at, before.key, identity, kept, State::Replayed);
            if !same {
                break;
            }
        }
        Ok(same)
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
        let form = self.form(index)?;
        let run = block_run(block, form, code, variables, self.interpreters);
        self.leave_copy(index, is_replay);
        let Some(running) = self.strands.get_mut(strand) else {
            return Err(self.failure(index, FailureKind::Lost));
        };
        let result = self.interpreters.run(&mut running.strand, &run);
        match result {
            Ok(outcome) => {
                let files = self.interpreters.observed(&mut running.strand);
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

    /// Takes note of what a strand has run. A process of its own is of no more use; one that ended can take no more code.
    pub(super) fn executed(&mut self, index: BlockIndex, identity: Key, outcome: &Outcome) {
        let strand = &self.task(index).strand;
        if outcome.interpreter_ended || matches!(strand, StrandId::Fresh(_)) {
            self.strands.remove(strand);
        } else if let Some(running) = self.strands.get_mut(strand) {
            running.executed.push(identity);
            running.since_copy += outcome.milliseconds;
        }
    }
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
