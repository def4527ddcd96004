//! A block before it runs: its code, its variables, its place on its strand, and everything that its key is made of.

use super::{Done, Runner, Settled};
use crate::failure::{Failure, FailureKind};
use crate::interpreting::{Known, Machine, NotRunnable};
use crate::key::{Fact, Inputs, InputsOfLanguage, Key};
use crate::plan::Task;
use crate::request::{own_environment, scratch_folder, streams, variables};
use crate::scratch;
use crate::stored_results::ResultStore;
use crate::values::{fill, label};
use ecow::EcoString;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use vineloom_document::{BlockIndex, ByBlock, LiveBlock, Role};
use vineloom_interpreters::{Form, Streams, Variable};
use vineloom_store::Digest;

/// A block before it runs.
pub(super) struct Prepared {
    pub(super) key: Key,
    pub(super) facts: Vec<Fact>,
    pub(super) code: EcoString,
    pub(super) variables: Vec<Variable>,
    /// The scratch folder before it, when it runs there.
    pub(super) scratch: Option<Digest>,
}

/// What the keys of the blocks of each language have in common.
#[derive(Default)]
pub(super) struct OfLanguages(HashMap<String, (Arc<Known>, Vec<Fact>)>);

impl OfLanguages {
    fn facts(&mut self, language: &str, known: Arc<Known>) -> &[Fact] {
        if self.0.get(language).is_none_or(|(of, _)| !Arc::ptr_eq(of, &known)) {
            let Known { command, version, driver, environment, .. } = &*known;
            let facts = InputsOfLanguage { language, command, version, driver, environment }.facts();
            self.0.insert(language.to_string(), (known, facts));
        }
        self.0.get(language).map_or(&[], |(_, facts)| facts)
    }
}

impl Prepared {
    pub(super) fn settle(self, done: Done) -> Settled {
        let Prepared { key, facts, code, variables, scratch } = self;
        let scratch = scratch.zip(done.kept.scratch);
        Settled { key, identity: done.identity, kept: done.kept, code, variables, facts, scratch }
    }
}

impl<'a, I: Machine, K: ResultStore> Runner<'a, I, K> {
    /// A block as it stands before it runs: its code and its variables, and everything that its key is made of.
    pub(super) fn prepare(
        &mut self,
        index: BlockIndex,
        settled: &ByBlock<Option<Settled>>,
    ) -> Result<Prepared, Box<Failure>> {
        let block = &self.document.live[index];
        let outcome_of = |at: BlockIndex| settled[at].as_ref().map(|s| (&s.kept.outcome, s.code.as_str()));
        let code = fill(&block.code, self.document, &outcome_of);
        self.labels.entry(label(&code)).or_insert(index);
        let known = self.known(index)?;
        let before = self.backwards(index, settled).next().and_then(|at| settled[at].as_ref()).map(|s| s.identity);
        let variables = variables(self.document, block, &|at| settled[at].as_ref().map(|s| &s.kept.outcome));
        let scratch = scratch_folder(block).map(|_| self.scratch_before(index, settled));
        let facts = self.facts(index, known, before, scratch, &code, &variables);
        Ok(Prepared { key: Key::of(&facts), facts, code, variables, scratch })
    }

    /// The tree that the scratch folder holds when a block starts: what the last one before it that ran there left.
    pub(super) fn scratch_before(&self, index: BlockIndex, settled: &ByBlock<Option<Settled>>) -> Digest {
        let earlier = self.plan.order.iter().take_while(|&&at| at != index);
        let left = earlier.filter_map(|&at| settled[at].as_ref()?.scratch);
        left.last().map_or_else(scratch::empty, |(_, after)| after)
    }

    pub(super) fn known(&mut self, index: BlockIndex) -> Result<Arc<Known>, Box<Failure>> {
        let language = &self.document.live[index].language;
        self.interpreters.known(language).map_err(|why| match why {
            NotRunnable::Unknown { nearest, known } => {
                self.failure(index, FailureKind::UnknownLanguage { nearest, known })
            }
            NotRunnable::Missing(missing) => self.failure(index, FailureKind::Missing(missing)),
        })
    }

    /// The blocks whose state is there when this one runs: those before it on its strand since the
    /// interpreter last ended.
    pub(super) fn prefix(&self, index: BlockIndex, settled: &ByBlock<Option<Settled>>) -> Vec<BlockIndex> {
        let mut prefix: Vec<BlockIndex> = self.backwards(index, settled).collect();
        prefix.reverse();
        prefix
    }

    /// The same blocks, the last one first.
    fn backwards(&self, index: BlockIndex, settled: &ByBlock<Option<Settled>>) -> impl Iterator<Item = BlockIndex> {
        let ended = |at: BlockIndex| settled[at].as_ref().is_none_or(|s| s.kept.outcome.interpreter_ended);
        std::iter::successors(self.task(index).before, |&at| self.task(at).before)
            .filter(|at| !self.unbegun.contains(at))
            .take_while(move |&at| !ended(at))
    }

    /// The task of a block that is in the plan's order.
    #[allow(clippy::expect_used, reason = "the order lists only blocks that have a task")]
    pub(super) fn task(&self, index: BlockIndex) -> &'a Task {
        self.plan.tasks[index].as_ref().expect("a block that runs has a task")
    }

    /// Everything that the key of a block is made of.
    pub(super) fn facts(
        &mut self,
        index: BlockIndex,
        known: Arc<Known>,
        before: Option<Key>,
        scratch: Option<Digest>,
        code: &EcoString,
        variables: &[Variable],
    ) -> Vec<Fact> {
        let block = &self.document.live[index];
        let told =
            |variable: &Variable| (variable.name.clone(), serde_json::to_string(&variable.value).unwrap_or_default());
        let reads: Vec<_> = block.options.reads.iter().flat_map(|pattern| self.interpreters.files(pattern)).collect();
        let concealed = self.concealed(block, code);
        // Others keep the two apart in any case, so that showing notices changes nothing for them.
        let streams = if known.shares_streams { streams(block) } else { Streams::Shared };
        let strand = &self.task(index).strand;
        let inputs = Inputs {
            of_language: self.of_language.facts(&block.language, known),
            concealed: &concealed,
            strand,
            before,
            scratch,
            code,
            variables: &variables.iter().map(told).collect::<Vec<_>>(),
            reads: &reads,
            streams,
            expression: block.role == Role::Expression,
            options: &block.options,
        };
        inputs.facts()
    }

    /// What stands for the values of the environment variables that a block's `env` gives it.
    fn concealed(&mut self, block: &LiveBlock, code: &str) -> BTreeMap<String, String> {
        let named = &block.options.env;
        if named.is_empty() {
            return BTreeMap::new();
        }
        let own = own_environment(block, self.interpreters);
        let name = |entry: &'_ String| entry.split_once('=').map_or(entry.clone(), |(name, _)| name.to_string());
        let names: Vec<String> = named.iter().map(name).collect();
        let without_values = format!("{}\u{1f}{code}\u{1f}{}", block.language, names.join("\u{1f}"));
        self.interpreters.conceal(Digest::of(without_values.as_bytes()), &own)
    }

    /// What the code of a block is.
    pub(super) fn form(&mut self, index: BlockIndex) -> Result<Form, Box<Failure>> {
        Ok(match self.known(index)? {
            known if known.session => Form::Session,
            _ if self.document.live[index].role == Role::Expression => Form::Expression,
            _ if self.document.live[index].options.transcript => Form::Transcript,
            _ => Form::Code,
        })
    }
}
