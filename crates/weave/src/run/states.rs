//! States of strands in the store. Where running again what made a strand's state was dear, and its interpreter can tell the
//! state faithfully, it is stored; a strand that has to start later takes it up, instead of running those blocks again.

use super::{Runner, RunningStrand, Settled};
use crate::failure::{Failure, FailureKind};
use crate::interpreting::Machine;
use crate::key::Key;
use crate::plan::StrandId;
use crate::request::scratch_folder;
use crate::results::Reuse;
use crate::stored_results::{KeptState, ResultStore, StoredResult};
use vineloom_document::BlockIndex;
use vineloom_interpreters::{Ended, RunError};
use vineloom_store::Digest;

/// How many bytes of state are worth a millisecond of running again: writing and reading them takes a small part of that.
const BYTES_FOR_A_MILLISECOND: u64 = 20 << 10;
/// How large a state may be in any case, in bytes.
const LARGEST: u64 = 512 << 20;

impl<S> RunningStrand<S> {
    /// What stands for its state; nothing when no other weave could need it.
    fn state(&self) -> Option<Key> {
        self.states.last().copied().flatten()
    }

    /// Takes note that it ran a block. `lasts` says whether its state is of use to another weave.
    pub(super) fn ran(&mut self, identity: Key, kept: &StoredResult, lasts: bool) {
        let state =
            self.state().filter(|_| lasts).map(|before| Key::of_state(before, identity, &kept.outcome, kept.scratch));
        self.executed.push(identity);
        self.states.push(state);
        self.since_copy += kept.outcome.milliseconds;
        self.since_state += kept.outcome.milliseconds;
    }
}

impl<I: Machine, K: ResultStore> Runner<'_, I, K> {
    /// Whether the state after a block is of use to another weave: it must not hold what the caller's environment lets
    /// through, nor know a scratch folder, which is another one each time.
    pub(super) fn lasts(&self, index: BlockIndex, kept: &StoredResult) -> bool {
        let block = &self.document.live[index];
        self.is_known(index, kept)
            && self.accepts(index, kept)
            && block.options.env.is_empty()
            && scratch_folder(block).is_none()
    }

    /// Stores the state of a strand that has just run a block, where running again what made it would be dear.
    ///
    /// # Errors
    /// The user interrupted it.
    pub(super) fn leave_state(&mut self, index: BlockIndex) -> Result<(), Box<Failure>> {
        let strand = &self.task(index).strand;
        let Some(dear) = self.interpreters.dear() else { return Ok(()) };
        let Some(running) = self.strands.get_mut(strand) else { return Ok(()) };
        let Some(state) = running.state() else { return Ok(()) };
        // Going back to a copy is cheaper still.
        if running.since_state < dear || !running.copies.is_empty() {
            return Ok(());
        }
        let most = running.since_state.saturating_mul(BYTES_FOR_A_MILLISECOND).min(LARGEST);
        // Where it is in doubt, it is tried again only when more has run.
        running.since_state = 0;
        if let Some(KeptState::There(digest)) = self.store.state(state)
            && self.store.state_of(digest).is_some()
        {
            return Ok(());
        }
        match self.interpreters.save(&mut running.strand, most.max(SMALL)) {
            Ok(saved) => {
                if let Err(error) = self.store.keep_state(state, &saved) {
                    self.not_stored.get_or_insert(error.to_string());
                }
            }
            Err(error) => self.lose(strand, index, error)?,
        }
        Ok(())
    }

    /// Brings a strand that has run nothing to the latest of these blocks after which its state is stored.
    ///
    /// # Errors
    /// The user interrupted it, or the interpreter can't be started.
    pub(super) fn take_up_state(
        &mut self,
        index: BlockIndex,
        wanted: &[(BlockIndex, &Settled)],
    ) -> Result<(), Box<Failure>> {
        let strand = &self.task(index).strand;
        // Where each block runs in its place, it makes its files there.
        if self.reuse == Reuse::Nothing || self.in_order.contains(strand) {
            return Ok(());
        }
        let Some((count, digest)) = self.latest_state(wanted) else { return Ok(()) };
        let states = self.states(wanted);
        let Some(state) = self.store.state_of(digest) else { return Ok(()) };
        let Some(running) = self.strands.get_mut(strand) else { return Ok(()) };
        match self.interpreters.take_up(&mut running.strand, &state) {
            Ok(true) => {
                running.executed = wanted[..count].iter().map(|(_, settled)| settled.identity).collect();
                running.states.extend(states.into_iter().take(count).map(Some));
                return Ok(());
            }
            Ok(false) => drop(self.strands.remove(strand)),
            Err(error) => self.lose(strand, index, error)?,
        }
        self.start(index)
    }

    /// How many of these blocks the latest state that is stored has run, and its digest.
    pub(super) fn latest_state(&self, wanted: &[(BlockIndex, &Settled)]) -> Option<(usize, Digest)> {
        self.interpreters.dear()?;
        let states = self.states(wanted);
        states.iter().enumerate().rev().find_map(|(at, state)| match self.store.state(*state)? {
            KeptState::There(digest) => Some((at + 1, digest)),
            KeptState::InDoubt(_) => None,
        })
    }

    /// Why the state after these blocks is not stored, where that was tried.
    pub(super) fn latest_doubt(&self, wanted: &[(BlockIndex, &Settled)]) -> Option<String> {
        self.interpreters.dear()?;
        match self.store.state(*self.states(wanted).last()?)? {
            KeptState::InDoubt(why) => Some(why),
            KeptState::There(_) => None,
        }
    }

    /// What stands for the state of a strand after each of these blocks.
    fn states(&self, wanted: &[(BlockIndex, &Settled)]) -> Vec<Key> {
        let mut state = Key::of_nothing(&self.interpreters.folder());
        let after = |(_, settled): &(BlockIndex, &Settled)| {
            state = Key::of_state(state, settled.identity, &settled.kept.outcome, settled.kept.scratch);
            state
        };
        wanted.iter().map(after).collect()
    }

    /// Ends a strand that can't be talked to any more.
    fn lose(&mut self, strand: &StrandId, index: BlockIndex, error: RunError) -> Result<(), Box<Failure>> {
        self.strands.remove(strand);
        match error {
            RunError::Ended { why: Ended::Interrupted, .. } => Err(self.failure(index, FailureKind::Interrupted)),
            _ => Ok(()),
        }
    }
}

/// A state of this size is never too large, in bytes.
const SMALL: u64 = 1 << 20;
