//! What is stored of a block, whether that is still true, and what of a run can be kept.

use super::{Done, MOST_PASSES, Runner};
use crate::interpreting::Machine;
use crate::key::Key;
use crate::observations::Observations;
use crate::results::Reuse;
use crate::stored_results::{ResultStore, StoredResult};
use vineloom_document::BlockIndex;
use vineloom_document::options::RunPolicy;
use vineloom_interpreters::Seen;
use vineloom_store::Origin;

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

/// What is stored of a block under its key.
pub(crate) enum Stored {
    /// A result that is still true.
    True(StoredResult),
    /// Results that are not true any more: why the newest is not.
    Stale(Cause),
    /// Nothing that could be used.
    Nothing,
}

impl<I: Machine, K: ResultStore> Runner<'_, I, K> {
    /// What became of a block when the plan was gone through before. A stored result is only still true if the files
    /// that its block read have not been changed by one that ran since.
    pub(super) fn done_before(&mut self, index: BlockIndex, key: Key) -> Option<Done> {
        let done = self.done.get(&(index, key))?.clone();
        let files = done.kept.files.as_ref().filter(|_| self.passes < MOST_PASSES);
        let stale = files.is_some_and(|files| self.interpreters.first_changed(&files.inputs).is_some());
        let rewritten = files.and_then(Observations::altered).is_some();
        if stale && !rewritten && self.document.live[index].options.run.is_stored() {
            return None;
        }
        // On a strand that is run in the order of the document it runs again in its place, and makes its files then.
        let runs_again = self.in_order.contains(&self.task(index).strand);
        if let Some(files) = done.kept.files.as_ref().filter(|_| self.rolled_back && !runs_again)
            && !self.interpreters.put_back(&files.outputs, done.kept.origin)
        {
            return None;
        }
        Some(done)
    }

    /// What is stored of a block under a key: a result that is still true (the files its block read are as they were, and
    /// those it made are there), or why none is.
    pub(super) fn stored(&mut self, index: BlockIndex, key: Key) -> Stored {
        if self.reuse == Reuse::Nothing || self.document.live[index].options.run == RunPolicy::Always {
            return Stored::Nothing;
        }
        let mut changed = Stored::Nothing;
        for kept in self.store.load(key) {
            let Some(files) = &kept.files else {
                // Where nothing is observed, what the block reads is what it says.
                match self.vouches(index) {
                    true => return Stored::True(kept),
                    false => continue,
                }
            };
            let cause = match self.interpreters.first_changed(&files.inputs) {
                Some((path, now)) => {
                    let was = files.inputs.iter().find(|(name, _)| *name == path).map(|(_, seen)| seen.clone());
                    Cause::File { path, was: Box::new(was), now: Box::new(now) }
                }
                None if self.has_outputs(files, kept.origin) => return Stored::True(kept),
                None => Cause::OutputGone,
            };
            // The newest says why.
            if let Stored::Nothing = changed {
                changed = Stored::Stale(cause);
            }
        }
        changed
    }

    /// Whether the files that a block made are there, or are put back now; when nothing is to change, whether they
    /// could be.
    pub(super) fn has_outputs(&mut self, files: &Observations, origin: Origin) -> bool {
        match self.only_looks {
            true => self.interpreters.can_put_back(&files.outputs, origin),
            false => self.interpreters.put_back(&files.outputs, origin),
        }
    }

    pub(super) fn keep(&mut self, index: BlockIndex, key: Key, kept: &StoredResult) {
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

    /// What a block did with files when it was kept or ran last in this weave.
    pub(super) fn last_files(&self, index: BlockIndex) -> Option<&Observations> {
        let key = *self.latest.get(&index)?;
        self.done.get(&(index, key))?.kept.files.as_ref()
    }

    /// What a block that ran is for those after it on its strand: one that can't be kept is another in each weave.
    pub(super) fn identity(&self, index: BlockIndex, key: Key, kept: &StoredResult) -> Key {
        match self.is_known(index, kept) {
            true => key.of_result(kept.files.as_ref()),
            false => key.of_this_weave(&self.weave),
        }
    }

    /// Whether what a block gave depends on nothing but what its key and its files say.
    pub(super) fn is_known(&self, index: BlockIndex, kept: &StoredResult) -> bool {
        let is_followed = match &kept.files {
            Some(files) => files.is_keepable(),
            None => self.vouches(index),
        };
        is_followed && matches!(self.document.live[index].options.run, RunPolicy::Stored | RunPolicy::Asked)
    }

    /// Whether a block says what it reads.
    pub(super) fn vouches(&self, index: BlockIndex) -> bool {
        !self.document.live[index].options.reads.is_empty()
    }
}
