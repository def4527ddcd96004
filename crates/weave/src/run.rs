//! Running a plan: keep what is stored, run what is not, replay what a running block's state needs.
//!
//! A strand is started only when a block on it must run; then the blocks before it run again ("replayed"). When
//! a replayed block gives something else than what is stored, the new outcome is kept and the whole plan is
//! gone through once more, so that everything that used the old one sees the new one. The running strands are
//! kept meanwhile, so that ends: the second time, what is stored is what they gave.

use crate::failure::{Failure, FailureKind};
use crate::interpreting::{Interpreting, Known, NotRunnable};
use crate::keeping::{Keeping, Kept};
use crate::key::{Fact, Inputs, Key};
use crate::observations::Observations;
use crate::plan::{Plan, StrandId, Task};
use crate::request::{block_environment, block_run, scratch_folder, streams, variables};
use crate::scratch;
use crate::values::{fill, label};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;
use vineloom_document::options::RunPolicy;
use vineloom_document::{Document, LiveBlock};
use vineloom_interpreters::{Ended, Form, Held, Outcome, RunError, Seen, Variable};
use vineloom_store::Digest;

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
pub enum Cause {
    /// A file is not as the block found it.
    File {
        /// Its path.
        path: String,
        /// How the block found it.
        was: Option<Seen>,
        /// How it is.
        now: Seen,
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
    /// Why blocks ran of which some result was stored.
    pub causes: BTreeMap<usize, Cause>,
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
        let mut prefix = runner.prefix(index, &settled);
        prefix.push(index);
        if !runner.bring_up(index, &prefix, &settled)? {
            continue;
        }
        let strand = &runner.task(index).strand;
        let Some(session) = runner.sessions.get_mut(strand) else { return Ok(None) };
        let held = runner.interpreters.variables(&mut session.strand);
        return held.map_err(|error| runner.failure(index, FailureKind::from(error)));
    }
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

/// A block before it runs.
struct Ready {
    key: Key,
    facts: Vec<Fact>,
    code: String,
    variables: Vec<Variable>,
    /// The scratch folder before it, when it runs there.
    scratch: Option<Digest>,
}

impl Ready {
    fn settle(self, done: Done) -> Settled {
        let Ready { key, facts, code, variables, scratch } = self;
        let scratch = scratch.zip(done.kept.scratch);
        Settled { key, identity: done.identity, kept: done.kept, code, variables, facts, scratch }
    }
}

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
    Unknown(usize),
    /// It can't run: why.
    NotRunnable(String),
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
            labels: BTreeMap::new(),
            not_stored: None,
            causes: BTreeMap::new(),
            passes: 0,
            in_order: BTreeSet::new(),
            rolled_back: false,
        }
    }

    /// Goes through the plan without running anything. A block that would run leaves what is stored of it, if
    /// anything is, for those that use it.
    pub(crate) fn outlook(&mut self) -> Vec<Option<Outlook>> {
        let mut settled: Vec<Option<Settled>> = vec![None; self.plan.tasks.len()];
        let mut outlooks: Vec<Option<Outlook>> = vec![None; self.plan.tasks.len()];
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
            settled[index] = block;
        }
        outlooks
    }

    /// The stored results that are still true, by index.
    pub(crate) fn stored_outcomes(&mut self) -> Vec<Option<Outcome>> {
        let mut settled: Vec<Option<Settled>> = vec![None; self.plan.tasks.len()];
        for &index in &self.plan.order {
            if let Ok((Outlook::Kept, block)) = self.look_at(index, &settled) {
                settled[index] = block;
            }
        }
        settled.into_iter().map(|settled| settled.map(|settled| settled.kept.outcome)).collect()
    }

    fn look_at(&mut self, index: usize, settled: &[Option<Settled>]) -> Result<(Outlook, Option<Settled>), String> {
        let block = &self.document.live[index];
        let ready = self.ready(index, settled).map_err(|failure| failure.explain(self.document).0.message)?;
        let always = block.options.run == RunPolicy::Always;
        let (outlook, kept) = match self.stored(index, ready.key) {
            Some(kept) => (Outlook::Kept, Some(kept)),
            None => {
                let kept = self.store.load(ready.key).into_iter().next();
                let outlook = match self.causes.remove(&index) {
                    _ if always => Outlook::Always,
                    Some(cause) => Outlook::Stale(cause),
                    None => Outlook::New(ready.facts.clone()),
                };
                (outlook, kept)
            }
        };
        let is_kept = matches!(outlook, Outlook::Kept);
        let settled = kept.map(|kept| {
            // Another state of files, so that what depends on it is seen to change.
            let own = ready.key.of_result(kept.files.as_ref());
            let identity = if is_kept { own } else { own.of_this_weave(&self.weave) };
            ready.settle(Done { kept, identity, state: State::Kept })
        });
        Ok((outlook, settled))
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
        Results {
            codes,
            states,
            causes: std::mem::take(&mut self.causes),
            not_stored: self.not_stored.take(),
            facts,
            files,
            outcomes,
        }
    }

    /// A block as it stands before it runs: its code and its variables, and everything that its key is made of.
    fn ready(&mut self, index: usize, settled: &[Option<Settled>]) -> Result<Ready, Box<Failure>> {
        let block = &self.document.live[index];
        let outcome_of = |at: usize| settled[at].as_ref().map(|s| (&s.kept.outcome, s.code.as_str()));
        let code = fill(&block.code, self.document, &outcome_of);
        self.labels.entry(label(&code)).or_insert(index);
        let known = self.known(index)?;
        let before = self.prefix(index, settled).last().and_then(|&at| settled[at].as_ref()).map(|s| s.identity);
        let variables = variables(self.document, block, &|at| settled[at].as_ref().map(|s| &s.kept.outcome));
        let scratch = scratch_folder(block).map(|_| self.scratch_before(index, settled));
        let facts = self.facts(index, &known, before, scratch, &code, &variables);
        Ok(Ready { key: Key::of(&facts), facts, code, variables, scratch })
    }

    fn settle(&mut self, index: usize, settled: &[Option<Settled>]) -> Result<Option<Settled>, Box<Failure>> {
        let block = &self.document.live[index];
        let ready = self.ready(index, settled)?;
        let key = ready.key;
        if let Some(done) = self.done_before(index, key) {
            return self.in_its_place(index, ready.settle(done), settled);
        }
        if let Some(kept) = self.stored(index, key) {
            let identity = key.of_result(kept.files.as_ref());
            let done = self.finish(index, key, identity, kept, State::Kept);
            return self.in_its_place(index, ready.settle(done), settled);
        }
        if !self.bring_up(index, &self.prefix(index, settled), settled)? {
            return Ok(None);
        }
        let kept = self.execute(index, &ready.code, &ready.variables, ready.scratch)?;
        let identity = match block.options.run {
            RunPolicy::Stored => key.of_result(kept.files.as_ref()),
            RunPolicy::Always => key.of_this_weave(&self.weave),
        };
        self.executed(index, identity, &kept.outcome);
        let done = if block.options.exit.accepts(kept.outcome.exit) {
            self.keep(key, &kept);
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
        let mut prefix = self.prefix(index, settled);
        prefix.push(index);
        let mut with_block = settled.to_vec();
        with_block[index] = Some(block.clone());
        Ok(self.bring_up(index, &prefix, &with_block)?.then_some(block))
    }

    /// What became of a block when the plan was gone through before. A stored result is only still true if the files
    /// that its block read have not been changed by one that ran since.
    fn done_before(&mut self, index: usize, key: Key) -> Option<Done> {
        let done = self.done.get(&(index, key))?.clone();
        if let Some(files) = done.kept.files.as_ref().filter(|_| self.rolled_back)
            && !self.interpreters.put_back(&files.outputs)
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
            let Some(files) = &kept.files else { return Some(kept) };
            match self.interpreters.first_changed(&files.inputs) {
                Some((path, now)) => {
                    let was = files.inputs.iter().find(|(name, _)| *name == path).map(|(_, seen)| seen.clone());
                    changed.get_or_insert(Cause::File { path, was, now });
                }
                None if self.interpreters.put_back(&files.outputs) => return Some(kept),
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

    /// The tree that the scratch folder holds when a block starts: what the last one before it that ran there left.
    fn scratch_before(&self, index: usize, settled: &[Option<Settled>]) -> Digest {
        let earlier = self.plan.order.iter().take_while(|&&at| at != index);
        let left = earlier.filter_map(|&at| settled[at].as_ref()?.scratch);
        left.last().map_or_else(scratch::empty, |(_, after)| after)
    }

    fn known(&mut self, index: usize) -> Result<Arc<Known>, Box<Failure>> {
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
    fn prefix(&self, index: usize, settled: &[Option<Settled>]) -> Vec<usize> {
        let mut prefix = Vec::new();
        let mut at = self.task(index).before;
        while let Some(before) = at {
            let ended = settled[before].as_ref().is_none_or(|s| s.kept.outcome.interpreter_ended);
            if ended {
                break;
            }
            prefix.push(before);
            at = self.task(before).before;
        }
        prefix.reverse();
        prefix
    }

    /// The task of a block that is in the plan's order.
    #[allow(clippy::expect_used, reason = "the order lists only blocks that have a task")]
    fn task(&self, index: usize) -> &'a Task {
        self.plan.tasks[index].as_ref().expect("a block that runs has a task")
    }

    /// Everything that the key of a block is made of.
    fn facts(
        &self,
        index: usize,
        known: &Known,
        before: Option<Key>,
        scratch: Option<Digest>,
        code: &str,
        variables: &[Variable],
    ) -> Vec<Fact> {
        let block = &self.document.live[index];
        let told =
            |variable: &Variable| (variable.name.clone(), serde_json::to_string(&variable.value).unwrap_or_default());
        let reads: Vec<_> = block.options.reads.iter().flat_map(|pattern| self.interpreters.files(pattern)).collect();
        let mut environment = known.environment.clone();
        environment.extend(block_environment(block, code, self.interpreters));
        let inputs = Inputs {
            language: &block.language,
            command: &known.command,
            version: &known.version,
            driver: &known.driver,
            environment: &environment,
            strand: &self.task(index).strand,
            before,
            scratch,
            code,
            variables: &variables.iter().map(told).collect::<Vec<_>>(),
            reads: &reads,
            streams: streams(block),
            options: &block.options,
        };
        inputs.facts()
    }

    /// Gets the block's strand into the state it needs. False when a replayed block gave something new.
    fn bring_up(&mut self, index: usize, prefix: &[usize], settled: &[Option<Settled>]) -> Result<bool, Box<Failure>> {
        let strand = &self.task(index).strand;
        let wanted: Vec<&Settled> = prefix.iter().filter_map(|&at| settled[at].as_ref()).collect();
        let usable = self.sessions.get(strand).is_some_and(|session| {
            session.executed.len() <= wanted.len()
                && session.executed.iter().zip(&wanted).all(|(executed, wanted)| *executed == wanted.identity)
        });
        if !usable {
            self.sessions.remove(strand);
            let language = &self.document.live[index].language;
            let strand_started = self.interpreters.start(language);
            let strand_started = strand_started.map_err(|error| self.failure(index, FailureKind::from(error)))?;
            self.sessions.insert(strand.clone(), Session { strand: strand_started, executed: Vec::new() });
        }
        let already = self.sessions.get(strand).map_or(0, |session| session.executed.len());
        let mut same = true;
        for (&at, before) in prefix.iter().zip(&wanted).skip(already) {
            // Another block has changed, since this one's place in the order, what it read there. Everything is
            // brought back to the beginning, and this strand is run in the order of the document.
            let files = before.kept.files.as_ref().filter(|files| files.altered().is_none());
            if files.is_some_and(|files| self.interpreters.first_changed(&files.inputs).is_some())
                && self.in_order.insert(strand.clone())
            {
                self.interpreters.undo();
                self.rolled_back = true;
                self.sessions.clear();
                return Ok(false);
            }
            let scratch_before = before.scratch.map(|(before, _)| before);
            let kept = self.execute(at, &before.code, &before.variables, scratch_before)?;
            let block = &self.document.live[at];
            if !block.options.exit.accepts(kept.outcome.exit) {
                let kind = FailureKind::Exit { outcome: kept.outcome, expected: block.options.exit };
                return Err(self.failure(at, kind));
            }
            let mut identity = before.identity;
            if kept.differs_from(&before.kept) {
                (self.progress)(Progress::Differs { index: at });
                self.keep(before.key, &kept);
                if block.options.run == RunPolicy::Stored {
                    identity = before.key.of_result(kept.files.as_ref());
                }
                same = false;
            }
            self.executed(at, identity, &kept.outcome);
            self.finish(at, before.key, identity, kept, State::Replayed);
            if !same {
                break;
            }
        }
        Ok(same)
    }

    fn execute(
        &mut self,
        index: usize,
        code: &str,
        variables: &[Variable],
        scratch_before: Option<Digest>,
    ) -> Result<Kept, Box<Failure>> {
        let block = &self.document.live[index];
        if let Some(tree) = scratch_before
            && let Err(problem) = self.interpreters.restore_scratch(tree)
        {
            return Err(self.failure(index, FailureKind::Run(problem, None)));
        }
        (self.progress)(Progress::Started { block, index });
        let strand = &self.task(index).strand;
        let form = self.form(index)?;
        let run = block_run(block, form, code, variables, self.interpreters);
        let Some(session) = self.sessions.get_mut(strand) else {
            return Err(self.failure(index, FailureKind::Lost));
        };
        let result = self.interpreters.run(&mut session.strand, &run);
        match result {
            Ok(outcome) => {
                let files = self.interpreters.observed(&mut session.strand);
                let scratch = scratch_before.map(|_| self.interpreters.snapshot_scratch()).transpose();
                let scratch = scratch.map_err(|problem| self.failure(index, FailureKind::Run(problem, None)))?;
                Ok(Kept { outcome, scratch, files })
            }
            Err(error) => {
                self.sessions.remove(strand);
                Err(self.failure(index, FailureKind::from(error)))
            }
        }
    }

    /// Takes note of what a strand has run. A process of its own is of no more use; one that ended can take no more code.
    fn executed(&mut self, index: usize, identity: Key, outcome: &Outcome) {
        let strand = &self.task(index).strand;
        if outcome.interpreter_ended || matches!(strand, StrandId::Fresh(_)) {
            self.sessions.remove(strand);
        } else if let Some(session) = self.sessions.get_mut(strand) {
            session.executed.push(identity);
        }
    }

    /// What the code of a block is.
    fn form(&mut self, index: usize) -> Result<Form, Box<Failure>> {
        Ok(match self.known(index)? {
            known if known.session => Form::Session,
            _ if self.document.live[index].options.transcript => Form::Transcript,
            _ => Form::Code,
        })
    }

    fn keep(&mut self, key: Key, kept: &Kept) {
        // What changed while it was read belongs to no state of the files that could be found again.
        if kept.files.as_ref().is_some_and(Observations::is_unsteady) {
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
        done
    }

    fn failure(&self, index: usize, kind: FailureKind) -> Box<Failure> {
        Box::new(Failure { index, kind, labels: self.labels.clone() })
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
