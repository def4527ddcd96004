//! Running a plan: keep what is stored, run what is not, replay what a running block's state needs.
//!
//! A strand is started only when a block on it must run; then the blocks before it run again ("replayed"). When
//! a replayed block gives something else than what is stored, the new outcome is kept and the whole plan is
//! gone through once more, so that everything that used the old one sees the new one. The running strands are
//! kept meanwhile, so that ends: the second time, what is stored is what they gave.

use crate::failure::{Failure, FailureKind};
use crate::interpreting::{Interpreting, Known, NotRunnable};
use crate::keeping::{Keeping, Kept};
use crate::key::{Inputs, Key};
use crate::plan::{Plan, StrandId, Task};
use crate::request::{block_environment, block_run, scratch_folder, streams, variables};
use crate::scratch;
use crate::values::{fill, label};
use std::collections::{BTreeMap, HashMap};
use vineloom_document::options::RunPolicy;
use vineloom_document::{Document, LiveBlock};
use vineloom_interpreters::{Ended, Form, Held, Outcome, RunError, Variable};
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

struct Runner<'a, I: Interpreting, K: Keeping> {
    document: &'a Document,
    plan: &'a Plan,
    interpreters: &'a mut I,
    store: &'a K,
    reuse: Reuse,
    progress: &'a mut dyn FnMut(Progress),
    sessions: HashMap<StrandId, Session<I::Strand>>,
    /// What this weave ran, by index and key.
    done: HashMap<(usize, Key), (Kept, State)>,
    weave: String,
    /// Which block each label stands for.
    labels: BTreeMap<String, usize>,
    not_stored: Option<String>,
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
    outcome: Outcome,
    code: String,
    variables: Vec<Variable>,
    /// The scratch folder before and after it, when it runs there.
    scratch: Option<(Digest, Digest)>,
}

impl<'a, I: Interpreting, K: Keeping> Runner<'a, I, K> {
    fn new(
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
        let mut settled: Vec<Option<Settled>> = vec![None; self.plan.tasks.len()];
        for &index in &self.plan.order {
            let Some(block) = self.settle(index, &settled)? else { return Ok(None) };
            let block_options = &self.document.live[index].options;
            if !block_options.exit.accepts(block.outcome.exit) {
                let kind = FailureKind::Exit { outcome: block.outcome, expected: block_options.exit };
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
                settled[at].as_ref().map(|s| (&s.outcome, s.code.as_str()))
            }),
        };
        Results {
            codes: (0..settled.len()).map(code_of).collect(),
            states: settled
                .iter()
                .enumerate()
                .map(|(index, s)| Some(self.done.get(&(index, s.as_ref()?.identity))?.1))
                .collect(),
            outcomes: settled.into_iter().map(|s| s.map(|s| s.outcome)).collect(),
            not_stored: self.not_stored.take(),
        }
    }

    fn settle(&mut self, index: usize, settled: &[Option<Settled>]) -> Result<Option<Settled>, Box<Failure>> {
        let block = &self.document.live[index];
        let outcome_of = |at: usize| settled[at].as_ref().map(|s| (&s.outcome, s.code.as_str()));
        let code = fill(&block.code, self.document, &outcome_of);
        self.labels.entry(label(&code)).or_insert(index);
        let known = self.known(index)?;
        let prefix = self.prefix(index, settled);
        let before = prefix.last().and_then(|&at| settled[at].as_ref()).map(|s| s.identity);
        let variables = variables(self.document, block, &|at| settled[at].as_ref().map(|s| &s.outcome));
        let scratch_before = scratch_folder(block).map(|_| self.scratch_before(index, settled));
        let key = self.key(index, &known, before, scratch_before, &code, &variables);
        let identity = match block.options.run {
            RunPolicy::Stored => key,
            RunPolicy::Always => key.of_this_weave(&self.weave),
        };
        let settle = |kept: Kept, variables| {
            let scratch = scratch_before.zip(kept.scratch);
            Settled { key, identity, outcome: kept.outcome, code: code.clone(), variables, scratch }
        };
        if let Some((kept, _)) = self.done.get(&(index, identity)).cloned() {
            return Ok(Some(settle(kept, variables)));
        }
        if self.reuse == Reuse::Stored
            && block.options.run == RunPolicy::Stored
            && let Some(kept) = self.store.load(key)
        {
            self.finish(index, identity, &kept, State::Kept);
            return Ok(Some(settle(kept, variables)));
        }
        if !self.bring_up(index, &prefix, settled)? {
            return Ok(None);
        }
        let kept = self.execute(index, identity, &code, &variables, scratch_before)?;
        if block.options.exit.accepts(kept.outcome.exit) {
            self.keep(key, &kept);
            self.finish(index, identity, &kept, State::Ran);
        }
        Ok(Some(settle(kept, variables)))
    }

    /// The tree that the scratch folder holds when a block starts: what the last one before it that ran there left.
    fn scratch_before(&self, index: usize, settled: &[Option<Settled>]) -> Digest {
        let earlier = self.plan.order.iter().take_while(|&&at| at != index);
        let left = earlier.filter_map(|&at| settled[at].as_ref()?.scratch);
        left.last().map_or_else(scratch::empty, |(_, after)| after)
    }

    fn known(&mut self, index: usize) -> Result<Known, Box<Failure>> {
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
            let ended = settled[before].as_ref().is_none_or(|s| s.outcome.interpreter_ended);
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

    fn key(
        &self,
        index: usize,
        known: &Known,
        before: Option<Key>,
        scratch: Option<Digest>,
        code: &str,
        variables: &[Variable],
    ) -> Key {
        let block = &self.document.live[index];
        let told =
            |variable: &Variable| (variable.name.clone(), serde_json::to_string(&variable.value).unwrap_or_default());
        let reads: Vec<_> = block.options.reads.iter().flat_map(|pattern| self.interpreters.files(pattern)).collect();
        let mut environment = known.environment.clone();
        environment.extend(block_environment(block, code, self.interpreters));
        Key::of(&Inputs {
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
        })
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
            let scratch_before = before.scratch.map(|(before, _)| before);
            let kept = self.execute(at, before.identity, &before.code, &before.variables, scratch_before)?;
            let block = &self.document.live[at];
            if !block.options.exit.accepts(kept.outcome.exit) {
                let kind = FailureKind::Exit { outcome: kept.outcome, expected: block.options.exit };
                return Err(self.failure(at, kind));
            }
            if kept.outcome.pieces != before.outcome.pieces
                || kept.outcome.exit != before.outcome.exit
                || kept.scratch != before.scratch.map(|(_, after)| after)
            {
                (self.progress)(Progress::Differs { index: at });
                self.keep(before.key, &kept);
                same = false;
            }
            self.finish(at, before.identity, &kept, State::Replayed);
            if !same {
                break;
            }
        }
        Ok(same)
    }

    fn execute(
        &mut self,
        index: usize,
        identity: Key,
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
                session.executed.push(identity);
                // A process of its own is of no more use; one that ended can take no more code.
                if outcome.interpreter_ended || matches!(strand, StrandId::Fresh(_)) {
                    self.sessions.remove(strand);
                }
                let scratch = scratch_before.map(|_| self.interpreters.snapshot_scratch()).transpose();
                let scratch = scratch.map_err(|problem| self.failure(index, FailureKind::Run(problem, None)))?;
                Ok(Kept { outcome, scratch })
            }
            Err(error) => {
                self.sessions.remove(strand);
                Err(self.failure(index, FailureKind::from(error)))
            }
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
        if let Err(error) = self.store.keep(key, kept) {
            self.not_stored.get_or_insert(error.to_string());
        }
    }

    fn finish(&mut self, index: usize, identity: Key, kept: &Kept, state: State) {
        self.done.insert((index, identity), (kept.clone(), state));
        let block = &self.document.live[index];
        (self.progress)(Progress::Finished { block, index, state, milliseconds: kept.outcome.milliseconds });
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
