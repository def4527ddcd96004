//! Running a plan: keep what is stored, run what is not, replay what a running block's state needs.
//!
//! A strand is started only when a block on it must run; then the blocks before it run again ("replayed"). When
//! a replayed block gives something else than what is stored, the new outcome is kept and the whole plan is
//! gone through once more, so that everything that used the old one sees the new one. The running strands are
//! kept meanwhile, so that ends: the second time, what is stored is what they gave.

use crate::failure::{Failure, FailureKind};
use crate::interpreting::{Interpreting, Known, NotRunnable};
use crate::keeping::Keeping;
use crate::key::{Inputs, Key};
use crate::plan::{Plan, StrandId, Task};
use crate::values::{fill, label};
use std::collections::{BTreeMap, HashMap};
use vineloom_document::options::{FigureFormat, ReadAs, RunPolicy};
use vineloom_document::{Argument, Document, LiveBlock, Name, Named, ParameterValue};
use vineloom_interpreters::{
    BlockRun, Ended, FigureWishes, Outcome, Piece, RunError, Streams, Table, Variable, VariableValue,
};

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
    let mut runner = Runner {
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
    };
    loop {
        if let Some(results) = runner.pass()? {
            return Ok(results);
        }
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
    done: HashMap<(usize, Key), (Outcome, State)>,
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
}

impl<'a, I: Interpreting, K: Keeping> Runner<'a, I, K> {
    /// Goes through the plan once. Nothing comes back when a replayed block gave something new.
    fn pass(&mut self) -> Result<Option<Results>, Box<Failure>> {
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
        let code_of = |index: usize| match &settled[index] {
            Some(settled) => settled.code.clone(),
            None => fill(&self.document.live[index].code, self.document, &|at| {
                settled[at].as_ref().map(|s| (&s.outcome, s.code.as_str()))
            }),
        };
        Ok(Some(Results {
            codes: (0..settled.len()).map(code_of).collect(),
            states: settled
                .iter()
                .enumerate()
                .map(|(index, s)| Some(self.done.get(&(index, s.as_ref()?.identity))?.1))
                .collect(),
            outcomes: settled.into_iter().map(|s| s.map(|s| s.outcome)).collect(),
            not_stored: self.not_stored.take(),
        }))
    }

    fn settle(&mut self, index: usize, settled: &[Option<Settled>]) -> Result<Option<Settled>, Box<Failure>> {
        let block = &self.document.live[index];
        let outcome_of = |at: usize| settled[at].as_ref().map(|s| (&s.outcome, s.code.as_str()));
        let code = fill(&block.code, self.document, &outcome_of);
        self.labels.entry(label(&code)).or_insert(index);
        let known = self.known(index)?;
        let prefix = self.prefix(index, settled);
        let before = prefix.last().and_then(|&at| settled[at].as_ref()).map(|s| s.identity);
        let variables = self.variables(block, settled);
        let key = self.key(block, &known, index, before, &code, &variables);
        let identity = match block.options.run {
            RunPolicy::Stored => key,
            RunPolicy::Always => key.of_this_weave(&self.weave),
        };
        if let Some((outcome, _)) = self.done.get(&(index, identity)).cloned() {
            return Ok(Some(Settled { key, identity, outcome, code, variables }));
        }
        if self.reuse == Reuse::Stored
            && block.options.run == RunPolicy::Stored
            && let Some(outcome) = self.store.load(key)
        {
            self.finish(index, identity, &outcome, State::Kept);
            return Ok(Some(Settled { key, identity, outcome, code, variables }));
        }
        if !self.bring_up(index, &prefix, settled)? {
            return Ok(None);
        }
        let outcome = self.execute(index, identity, &code, &variables)?;
        if block.options.exit.accepts(outcome.exit) {
            self.keep(key, &outcome);
            self.finish(index, identity, &outcome, State::Ran);
        }
        Ok(Some(Settled { key, identity, outcome, code, variables }))
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

    fn variables(&self, block: &LiveBlock, settled: &[Option<Settled>]) -> Vec<Variable> {
        let value = |argument: &Argument| match argument {
            Argument::Given(value) => VariableValue::Plain(json(value)),
            Argument::Named(name) => match self.document.names.get(name) {
                Some(Named::Parameter(_)) => {
                    let parameter = self.document.parameters.get(name);
                    VariableValue::Plain(parameter.map_or(serde_json::Value::Null, |p| json(&p.value)))
                }
                Some(Named::Live(index, _)) => match settled[*index].as_ref() {
                    Some(settled) => handed(&self.document.live[*index], &settled.outcome),
                    None => VariableValue::Plain(serde_json::Value::Null),
                },
                _ => VariableValue::Plain(serde_json::Value::Null),
            },
        };
        let variable = |(name, argument): &(Name, Argument)| Variable {
            name: name.as_str().replace('-', "_"),
            value: value(argument),
        };
        block.variables.iter().map(variable).collect()
    }

    fn key(
        &self,
        block: &LiveBlock,
        known: &Known,
        index: usize,
        before: Option<Key>,
        code: &str,
        variables: &[Variable],
    ) -> Key {
        let told =
            |variable: &Variable| (variable.name.clone(), serde_json::to_string(&variable.value).unwrap_or_default());
        let reads: Vec<_> = block.options.reads.iter().flat_map(|pattern| self.interpreters.files(pattern)).collect();
        let mut environment = known.environment.clone();
        environment.extend(self.block_variables(block));
        Key::of(&Inputs {
            language: &block.language,
            command: &known.command,
            version: &known.version,
            driver: &known.driver,
            environment: &environment,
            strand: &self.task(index).strand,
            before,
            code,
            variables: &variables.iter().map(told).collect::<Vec<_>>(),
            reads: &reads,
            streams: streams(block),
            options: &block.options,
        })
    }

    fn block_variables(&self, block: &LiveBlock) -> BTreeMap<String, String> {
        let read = |entry: &String| match entry.split_once('=') {
            Some((name, value)) => Some((name.trim().to_string(), value.to_string())),
            None => Some((entry.clone(), self.interpreters.variable(entry)?)),
        };
        block.options.env.iter().filter_map(read).collect()
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
            let outcome = self.execute(at, before.identity, &before.code, &before.variables)?;
            let block = &self.document.live[at];
            if !block.options.exit.accepts(outcome.exit) {
                let kind = FailureKind::Exit { outcome, expected: block.options.exit };
                return Err(self.failure(at, kind));
            }
            if outcome.pieces != before.outcome.pieces || outcome.exit != before.outcome.exit {
                (self.progress)(Progress::Differs { index: at });
                self.keep(before.key, &outcome);
                same = false;
            }
            self.finish(at, before.identity, &outcome, State::Replayed);
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
    ) -> Result<Outcome, Box<Failure>> {
        let block = &self.document.live[index];
        (self.progress)(Progress::Started { block, index });
        let strand = &self.task(index).strand;
        let run = self.block_run(block, code, variables);
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
                Ok(outcome)
            }
            Err(error) => {
                self.sessions.remove(strand);
                Err(self.failure(index, FailureKind::from(error)))
            }
        }
    }

    fn block_run(&self, block: &LiveBlock, code: &str, variables: &[Variable]) -> BlockRun {
        let options = &block.options;
        BlockRun {
            label: label(code),
            code: code.into(),
            cwd: options.cwd.as_ref().map(|folder| self.interpreters.folder().join(folder)),
            env: self.block_variables(block),
            variables: variables.to_vec(),
            stdin: options.stdin.clone(),
            streams: streams(block),
            // Relative to the folder it runs in; a strand that stands elsewhere is taken to stand at home.
            figure: options.figure.as_ref().map(|path| match &options.cwd {
                Some(_) => path.into(),
                None => self.interpreters.folder().join(path),
            }),
            figures: FigureWishes {
                format: if options.figure_format == FigureFormat::Svg { "svg".into() } else { "png".into() },
                width: options.width,
                height: options.height,
                dpi: options.dpi,
            },
            time_limit: options.time_limit,
            output_limit: options.output_limit,
        }
    }

    fn keep(&mut self, key: Key, outcome: &Outcome) {
        if let Err(error) = self.store.keep(key, outcome) {
            self.not_stored.get_or_insert(error.to_string());
        }
    }

    fn finish(&mut self, index: usize, identity: Key, outcome: &Outcome, state: State) {
        self.done.insert((index, identity), (outcome.clone(), state));
        let block = &self.document.live[index];
        (self.progress)(Progress::Finished { block, index, state, milliseconds: outcome.milliseconds });
    }

    fn failure(&self, index: usize, kind: FailureKind) -> Box<Failure> {
        Box::new(Failure { index, kind, labels: self.labels.clone() })
    }
}

/// A parameter's value as the languages take it.
fn json(value: &ParameterValue) -> serde_json::Value {
    serde_json::to_value(value).unwrap_or_default()
}

/// The result of a block as it is handed to another: its table, if it gave one, else its text.
fn handed(block: &LiveBlock, outcome: &Outcome) -> VariableValue {
    let table = outcome.pieces.iter().find_map(|piece| match piece {
        Piece::Table(table) => Some(table.clone()),
        Piece::Text(text) if block.options.read_as == ReadAs::Table => Table::read(text).ok(),
        _ => None,
    });
    match table {
        Some(table) => VariableValue::Table(table),
        None => VariableValue::Plain(outcome.cited_text().into()),
    }
}

/// Shells give one stream, as a terminal does, unless the reader is to see notices apart from the rest.
fn streams(block: &LiveBlock) -> Streams {
    if block.options.show.notices { Streams::Separate } else { Streams::Shared }
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
