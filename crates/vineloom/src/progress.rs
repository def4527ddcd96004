//! What is told while documents are woven: a line a block, a bar on a terminal, one summary.

use crate::output::{line_with_faint, say, visible};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::collections::HashMap;
use std::io::IsTerminal;
use std::time::{Duration, Instant};
use vineloom_document::{BlockIndex, ByBlock, Document, LiveBlock, Role};
use vineloom_project::Planned;
use vineloom_weave::{Plan, Progress, Results, State, known_names};

/// How much is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Telling {
    /// Everything, as it happens.
    AtOnce,
    /// Everything, when the document is done: others are woven beside it.
    Together,
    /// Only what is wrong.
    Quiet,
}

/// Tells of one document.
pub struct Teller {
    telling: Telling,
    /// Whether standard output is a terminal, at which somebody looks.
    is_watched: bool,
    bar: ProgressBar,
    name_width: usize,
    started: Instant,
    titles: ByBlock<String>,
    /// How often the document has begun to run.
    begun: usize,
    /// The block that runs: its name and its language.
    running: Option<(String, String)>,
    /// How long each block ran last, in seconds.
    usual: HashMap<BlockIndex, f64>,
    /// What is still to be told.
    lines: Vec<(String, &'static str)>,
}

impl Teller {
    /// A teller that has nothing to tell yet.
    pub fn new(telling: Telling) -> Self {
        Teller {
            telling,
            is_watched: std::io::stdout().is_terminal(),
            bar: ProgressBar::hidden(),
            name_width: 0,
            started: Instant::now(),
            titles: ByBlock::default(),
            begun: 0,
            running: None,
            usual: HashMap::new(),
            lines: Vec::new(),
        }
    }

    /// Says on a terminal, beside a block that runs, how long it ran last.
    pub fn know_past(&mut self, planned: &Planned) {
        if self.telling == Telling::AtOnce && std::io::stderr().is_terminal() {
            self.usual = usual_times(planned);
        }
    }

    /// The blocks of a plan begin to run; a document that its blocks wrote to begins again.
    pub fn begin(&mut self, document: &Document, plan: &Plan) {
        self.clear();
        let bar = ProgressBar::with_draw_target(Some(plan.order.len() as u64), ProgressDrawTarget::stderr());
        // A bar that nobody sees needs no thread to move it.
        if self.telling != Telling::AtOnce || plan.order.is_empty() || !std::io::stderr().is_terminal() {
            bar.set_draw_target(ProgressDrawTarget::hidden());
        } else {
            bar.enable_steady_tick(Duration::from_millis(120));
        }
        if let Ok(style) = ProgressStyle::with_template("  {bar:24} {pos}/{len}  {wide_msg}  {elapsed}") {
            bar.set_style(style.progress_chars("━╸─"));
        }
        self.bar = bar;
        self.titles = titles(document).map(|title| visible(title).into_owned());
        let widths = plan.order.iter().map(|&index| self.titles[index].chars().count());
        self.name_width = widths.max().unwrap_or(0).min(32);
        self.begun += 1;
    }

    /// Tells of something that happened.
    pub fn tell(&mut self, progress: Progress) {
        match progress {
            Progress::Started { block, index } => {
                let past = match self.usual.get(&index) {
                    Some(seconds) if *seconds >= 1.0 => format!(", {seconds:.0} s last time"),
                    _ => String::new(),
                };
                self.bar.set_message(format!("{} ({}{past})", self.titles[index], block.language));
                self.running = Some((self.titles[index].clone(), block.language.clone()));
            }
            Progress::Finished { block, index, state, milliseconds } => {
                let seconds = milliseconds as f64 / 1000.0;
                let (words, faint) = match state {
                    State::Kept => (String::new(), "kept"),
                    State::Ran => (format!("ran {seconds:.2} s"), ""),
                    State::Replayed => (format!("replayed {seconds:.2} s"), ""),
                    State::Failed => ("failed".into(), ""),
                    State::Waiting => ("waits to be asked for".into(), ""),
                };
                if state != State::Replayed {
                    self.bar.inc(1);
                }
                self.running = None;
                // What was kept when the document was run before has been told. Somebody who looks on wants to see what
                // ran; how much was kept stands in the summary.
                if self.telling == Telling::Quiet || state == State::Kept && (self.begun > 1 || self.is_watched) {
                    return;
                }
                let name = self.titles[index].clone();
                let width = self.name_width;
                self.line(&format!("  {name:width$}  {:10}  {words}", block.language), faint);
            }
            Progress::Differs { index } => {
                let name = self.titles[index].clone();
                self.line(&format!("  {name} gave something else when it was replayed; the new result counts"), "");
            }
        }
    }

    /// The block that runs: its name and its language.
    pub fn running(&self) -> Option<&(String, String)> {
        self.running.as_ref()
    }

    /// What a block is called.
    pub fn title(&self, index: BlockIndex) -> &str {
        &self.titles[index]
    }

    /// Something stopped the document: the block that ran then has failed.
    pub fn stopped(&mut self) {
        if let Some((name, language)) = self.running.take() {
            let width = self.name_width;
            self.line(&format!("  {name:width$}  {language:10}  failed"), "");
        }
        self.clear();
        self.tell_lines();
    }

    fn line(&mut self, line: &str, faint: &'static str) {
        match self.telling {
            Telling::AtOnce => self.bar.suspend(|| line_with_faint(line, faint)),
            Telling::Together => self.lines.push((line.to_string(), faint)),
            Telling::Quiet => {}
        }
    }

    fn tell_lines(&mut self) {
        std::mem::take(&mut self.lines).iter().for_each(|(line, faint)| line_with_faint(line, faint));
    }

    /// Takes the bar away, before a message is shown.
    pub fn clear(&self) {
        self.bar.finish_and_clear();
    }

    /// The one-line summary.
    pub fn summary(&mut self, document: &str, results: &Results, exports: &[String]) {
        self.clear();
        if self.telling == Telling::Quiet {
            return;
        }
        let [ran, kept, replayed] = [State::Ran, State::Kept, State::Replayed].map(|state| results.count(state));
        let total = ran + kept + replayed;
        let replayed = match replayed {
            0 => String::new(),
            replayed => format!(", {replayed} replayed"),
        };
        let waiting = results.waiting().len();
        let failed = match results.failures.len() - waiting {
            0 => String::new(),
            failed => format!(", {failed} failed"),
        };
        let waits = match waiting {
            0 => String::new(),
            waiting => format!(", {waiting} waiting to be asked for"),
        };
        let total = total + results.failures.len();
        let blocks = if total == 1 { "block" } else { "blocks" };
        let seconds = self.started.elapsed().as_secs_f64();
        let exports = if waiting == 0 { exports.join(", ") } else { "no file: the live page asks for them".into() };
        self.tell_lines();
        say!(
            "{document}  {total} {blocks}: {ran} ran, {kept} kept{replayed}{failed}{waits}  {seconds:.2} s  ->  {exports}"
        );
    }
}

/// How long each block ran last, in seconds, as far as that is known.
pub fn usual_times(planned: &Planned) -> HashMap<BlockIndex, f64> {
    let history = planned.history();
    let names = known_names(planned.document());
    let seconds = |(index, name): (BlockIndex, &String)| {
        let past = history.blocks.iter().find(|past| past.known_as == *name)?;
        Some((index, past.milliseconds as f64 / 1000.0))
    };
    names.enumerate().filter_map(seconds).collect()
}

/// What each live block is called: its name, what it calls or computes, or its number among those that are written.
fn titles(document: &Document) -> ByBlock<String> {
    let mut unnamed = 0;
    let title = |block: &LiveBlock| match (&block.name, &block.role) {
        (Some(name), _) => format!("@{name}"),
        (None, Role::Call(_) | Role::Expression) => {
            let source = document.sources.of(block.fence.start);
            match block.role {
                Role::Call(callee) => {
                    document.live[callee].name.as_ref().map_or_else(String::new, |name| format!("@{name}(…)"))
                }
                _ => {
                    let text = source.slice(block.fence);
                    if text.chars().count() > 32 { text.chars().take(31).chain(['…']).collect() } else { text.into() }
                }
            }
        }
        (None, _) => {
            unnamed += 1;
            format!("block {unnamed}")
        }
    };
    document.live.iter().map(title).collect()
}
