//! Going through a plan without running anything.

use super::{Cause, Done, Runner, Settled, Stored};
use crate::interpreting::Machine;
use crate::key::Fact;
use crate::results::State;
use crate::stored_results::ResultStore;
use std::sync::Arc;
use vineloom_document::options::RunPolicy;
use vineloom_document::{BlockIndex, ByBlock};
use vineloom_interpreters::Outcome;

/// What would become of a block.
#[derive(Debug, Clone)]
pub(crate) enum Outlook {
    /// Its stored result is still true.
    Kept,
    /// It runs at every weave.
    Always,
    /// A result of the same key is stored, and no longer true.
    Stale(Cause),
    /// No result of its key is stored; what its key is made of.
    New(Vec<Fact>),
    /// It uses the result of a block of which nothing is stored.
    Unknown(BlockIndex),
    /// It can't run: why.
    NotRunnable(String),
}

/// What would become of the blocks of a plan.
pub(crate) struct Outlooks {
    /// Of each; nothing for one that is not in the plan.
    pub(crate) of: ByBlock<Option<Outlook>>,
    /// For one that would run: where its strand would start.
    pub(crate) starts: ByBlock<Start>,
}

/// Where the strand of a block starts.
#[derive(Debug, Clone, Default)]
pub(crate) struct Start {
    /// The block after which its state is stored.
    pub(crate) from: Option<BlockIndex>,
    /// Why the state that it needs is not stored, where that was tried.
    pub(crate) doubt: Option<String>,
}

impl<'a, I: Machine, K: ResultStore> Runner<'a, I, K> {
    /// Goes through the plan without running anything. A block that would run leaves what is stored of it, if
    /// anything is, for those that use it.
    pub(crate) fn outlook(&mut self) -> Outlooks {
        self.only_looks = true;
        let mut settled: ByBlock<Option<Settled>> = self.plan.tasks.map(|_| None);
        let mut outlooks: ByBlock<Option<Outlook>> = self.plan.tasks.map(|_| None);
        let mut starts: ByBlock<Start> = self.plan.tasks.map(|_| Start::default());
        for &index in &self.plan.order {
            let missing =
                self.task(index).needs.iter().find(|&&need| settled[need].is_none() && self.plan.tasks[need].is_some());
            if let Some(&needed) = missing {
                outlooks[index] = Some(Outlook::Unknown(needed));
                continue;
            }
            let before_runs = self.task(index).before.is_some_and(|before| settled[before].is_none());
            let (outlook, block) = match self.look_at(index, &settled) {
                Ok(found) => found,
                Err(why) => (Outlook::NotRunnable(why), None),
            };
            // What its strand holds then is not known; the facts say at least that it is another.
            outlooks[index] = Some(match outlook {
                Outlook::Kept if before_runs => Outlook::New(Vec::new()),
                other => other,
            });
            if !matches!(outlooks[index], Some(Outlook::Kept)) {
                let mut wanted = self.wanted(index, &settled);
                let is_kept = |(at, _): &(BlockIndex, &Settled)| matches!(outlooks[*at], Some(Outlook::Kept));
                wanted.truncate(wanted.iter().take_while(|block| is_kept(block)).count());
                let from = self.latest_state(&wanted).map(|(count, _)| wanted[count - 1].0);
                starts[index] = Start { from, doubt: self.latest_doubt(&wanted) };
            }
            settled[index] = block;
        }
        Outlooks { of: outlooks, starts }
    }

    /// The stored results that are still true, by index.
    pub(crate) fn stored_outcomes(&mut self) -> ByBlock<Option<Outcome>> {
        self.only_looks = true;
        let mut settled: ByBlock<Option<Settled>> = self.plan.tasks.map(|_| None);
        for &index in &self.plan.order {
            if let Ok((Outlook::Kept, block)) = self.look_at(index, &settled) {
                settled[index] = block;
            }
        }
        let outcome = |settled: Settled| Arc::unwrap_or_clone(settled.kept).outcome;
        settled.into_iter().map(|settled| settled.map(outcome)).collect()
    }

    fn look_at(
        &mut self,
        index: BlockIndex,
        settled: &ByBlock<Option<Settled>>,
    ) -> Result<(Outlook, Option<Settled>), String> {
        let block = &self.document.live[index];
        let prepared = self.prepare(index, settled).map_err(|failure| failure.explain(self.document).0.message)?;
        let always = block.options.run == RunPolicy::Always;
        let newest = |runner: &Self| runner.store.load(prepared.key).into_iter().next();
        let (outlook, kept) = match self.stored(index, prepared.key) {
            Stored::True(kept) => (Outlook::Kept, Some(kept)),
            _ if always => (Outlook::Always, newest(self)),
            Stored::Stale(cause) => (Outlook::Stale(cause), newest(self)),
            Stored::Nothing => (Outlook::New(prepared.facts.clone()), newest(self)),
        };
        let is_kept = matches!(outlook, Outlook::Kept);
        let settled = kept.map(|kept| {
            // Another state of files, so that what depends on it is seen to change.
            let own = prepared.key.of_result(kept.files.as_ref());
            let identity = if is_kept { own } else { own.of_this_weave(&self.weave) };
            prepared.settle(Done { kept: kept.into(), identity, state: State::Kept })
        });
        Ok((outlook, settled))
    }
}
