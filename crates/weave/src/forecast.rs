//! What a weave would run and why, without running anything.

use crate::history::{History, Past, changes, names};
use crate::interpreting::Machine;
use crate::key::{BEFORE, Fact};
use crate::plan::{Plan, block_title};
use crate::results::Reuse;
use crate::run::{Cause, Outlook, Outlooks, Runner};
use crate::stored_results::ResultStore;
use vineloom_document::{BlockIndex, ByBlock, Document};
use vineloom_interpreters::Seen;

/// What would become of one block.
#[derive(Debug, Clone)]
pub struct Forecast {
    /// Its index among the live blocks.
    pub index: BlockIndex,
    /// Whether it would run, for its result or for the state that a later block needs.
    pub runs: Runs,
    /// Why, in sentences without a full stop.
    pub reasons: Vec<String>,
    /// Where its strand would start, or why it can't start at the state before it; nothing where none was stored.
    pub start: Option<String>,
    /// The block for whose sake alone it runs.
    pub because_of: Option<BlockIndex>,
    /// How long it ran last, in milliseconds, when that is known.
    pub milliseconds: Option<u64>,
    /// How much it gave last, in bytes.
    pub bytes: Option<u64>,
    /// How many files it was seen to use; nothing when that could not be observed, or it never ran.
    pub observed: Option<usize>,
}

impl Forecast {
    /// The reasons in one line, without the lines of code that changed.
    pub fn in_short(&self) -> String {
        let first = |reason: &String| reason.lines().next().unwrap_or("").trim_end_matches(':').to_string();
        self.reasons.iter().map(first).collect::<Vec<_>>().join("; ")
    }
}

/// Whether a block would run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Runs {
    /// Its stored result is still true.
    No,
    /// It would run.
    Yes,
    /// Its result is stored, and it would run for its state.
    ForState,
}

/// Says for every block of a plan whether a weave would run it.
pub fn forecast<I: Machine>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl ResultStore,
    history: &History,
) -> Vec<Forecast> {
    let mut ignore = |_: crate::results::Progress| {};
    let mut runner = Runner::new(document, plan, interpreters, store, Reuse::Stored, &mut ignore);
    let Outlooks { of: outlooks, starts } = runner.outlook();
    let mut runs: ByBlock<Option<Runs>> = plan.tasks.map(|_| None);
    for &index in &plan.order {
        let kept = matches!(outlooks[index], Some(Outlook::Kept));
        runs[index] = Some(if kept { Runs::No } else { Runs::Yes });
        if !kept {
            // Those before it on its strand run for their state, down to one after which it is stored.
            let mut at = plan.tasks[index].as_ref().and_then(|task| task.before);
            while let Some(before) = at.filter(|before| starts[index].from != Some(*before)) {
                if runs[before] == Some(Runs::No) {
                    runs[before] = Some(Runs::ForState);
                }
                at = plan.tasks[before].as_ref().and_then(|task| task.before);
            }
        }
    }
    let names = names(document);
    let one = |&index: &BlockIndex| {
        let past = history.block(&names[index]);
        let before = plan.tasks[index].as_ref().and_then(|task| task.before);
        let before_runs = before.filter(|&before| runs[before] == Some(Runs::Yes));
        let reasons = match (&outlooks[index], runs[index]) {
            (_, Some(Runs::ForState)) => {
                vec!["a later block on its strand runs and needs the state it makes".to_string()]
            }
            (Some(Outlook::Kept), _) => vec!["nothing that it depends on changed".to_string()],
            (Some(Outlook::Always), _) => vec!["its option `run=always` says so".to_string()],
            (Some(Outlook::Unknown(needed)), _) => {
                vec![format!("it uses the result of {}, which runs", block_title(document, *needed))]
            }
            (Some(Outlook::Stale(cause)), _) => vec![in_words(cause)],
            (Some(Outlook::New(facts)), _) => match past {
                None => vec!["it has not run before".to_string()],
                Some(past) => {
                    let own =
                        |facts: &[Fact]| facts.iter().filter(|fact| fact.what != BEFORE).cloned().collect::<Vec<_>>();
                    let mut reasons = match (before_runs, facts.is_empty()) {
                        (Some(_), true) => Vec::new(),
                        (Some(_), false) => changes(&own(&past.facts), &own(facts)),
                        (None, _) => changes(&past.facts, facts),
                    };
                    if let Some(before) = before_runs {
                        reasons.push(format!("{} runs, whose state it starts from", block_title(document, before)));
                    }
                    if reasons.is_empty() {
                        vec![never_kept(past).unwrap_or_else(|| "its stored result is gone".to_string())]
                    } else {
                        reasons
                    }
                }
            },
            (Some(Outlook::NotRunnable(why)), _) => vec![why.clone()],
            (None, _) => Vec::new(),
        };
        let because_of = match &outlooks[index] {
            Some(Outlook::Unknown(needed)) => Some(*needed),
            _ if reasons.len() == 1 && runs[index] == Some(Runs::Yes) => before_runs,
            _ => None,
        };
        let start = &starts[index];
        let start = match (start.from, &start.doubt) {
            _ if before_runs.is_some() || runs[index] != Some(Runs::Yes) => None,
            (Some(from), _) => Some(format!(
                "its strand would start from the stored state after {}, which would not run again",
                block_title(document, from)
            )),
            (None, Some(why)) => Some(format!("the state before it could not be stored: {why}")),
            (None, None) => None,
        };
        Forecast {
            index,
            because_of,
            start,
            runs: runs[index].unwrap_or(Runs::No),
            reasons,
            milliseconds: past.map(|past| past.milliseconds),
            bytes: past.map(|past| past.bytes),
            observed: past.and_then(|past| {
                let files = past.files.as_ref()?.inputs.iter();
                Some(files.filter(|(_, seen)| !matches!(seen, Seen::Place(_))).count())
            }),
        }
    };
    let mut forecasts: Vec<Forecast> = plan.order.iter().map(one).collect();
    tell_first_causes(document, &mut forecasts);
    forecasts
}

/// Adds to the reasons of a block that runs because another one does what set off the first of them.
fn tell_first_causes(document: &Document, forecasts: &mut [Forecast]) {
    let found: Vec<Option<String>> =
        forecasts.iter().map(|forecast| first_cause(document, forecasts, forecast)).collect();
    for (forecast, cause) in forecasts.iter_mut().zip(found) {
        forecast.reasons.extend(cause);
    }
}

/// What set off the first of the blocks for whose sake one runs; nothing for a block that runs for a reason of its own.
fn first_cause(document: &Document, forecasts: &[Forecast], forecast: &Forecast) -> Option<String> {
    let of = |index: BlockIndex| forecasts.iter().find(|forecast| forecast.index == index);
    let mut at = of(forecast.because_of?)?;
    // Nothing waits for itself, so this comes to an end.
    while let Some(before) = at.because_of.and_then(of) {
        at = before;
    }
    let title = block_title(document, at.index);
    Some(format!("the first cause is {title}: {}", at.in_short()))
}

/// Why nothing is ever kept of a block, if that is so.
fn never_kept(past: &Past) -> Option<String> {
    match &past.files {
        None => Some("its files can't be observed here, and it has no `reads`".into()),
        Some(files) if files.is_unsteady() => Some("a file changed while it read it".into()),
        Some(files) => files.unfollowed.as_ref().map(|what| format!("it {what}, where its files can't be followed")),
    }
}

/// The package of an interpreter that a file belongs to, by the folder it lies in.
fn package_of(path: &str) -> Option<&str> {
    let below = ["site-packages/", "dist-packages/", "node_modules/", "gems/", "-library/"]
        .iter()
        .find_map(|folder| path.rsplit_once(folder).map(|(_, below)| below))?;
    let name = below.split('/').next()?;
    // R has a folder for its own version in between.
    let name = if name.starts_with(|c: char| c.is_ascii_digit()) { below.split('/').nth(1)? } else { name };
    Some(name.trim_end_matches(".py"))
}

/// A cause in words.
pub(crate) fn in_words(cause: &Cause) -> String {
    match cause {
        Cause::OutputGone => "a file that it made is gone, or somebody changed it".into(),
        Cause::File { path, was, now } if package_of(path).is_some() && !matches!(**was, Some(Seen::Absent)) => {
            let what = if **now == Seen::Absent { "is gone" } else { "is another" };
            format!("the package {} {what} (its file {path} changed)", package_of(path).unwrap_or_default())
        }
        Cause::File { path, was, now } => match (was.as_ref(), now.as_ref()) {
            (Some(Seen::Place(_)), _) => {
                "it shows the folder that it ran in, and the document lies in another now".into()
            }
            (Some(Seen::Absent), _) => format!("the file {path}, which it looked for, is there now"),
            (_, Seen::Absent) => format!("the file {path} is gone"),
            (Some(Seen::Entries(was, ..)), Seen::Entries(now, ..)) if was == now => {
                format!("what may be done with the folder {path} changed")
            }
            (Some(Seen::Entries(..)), _) => format!("the folder {path} has other files in it"),
            (Some(Seen::Program(..)), _) => format!("the program {path} is another"),
            (Some(Seen::Content(was)), Seen::Content(now)) => {
                format!(
                    "the file {path} changed (content {} is now {})",
                    &was[..8.min(was.len())],
                    &now[..8.min(now.len())]
                )
            }
            (Some(Seen::Asked(was)), Seen::Asked(now)) if was.mode != now.mode => {
                format!("what may be done with the file {path} changed (its mode is {:o} now)", now.mode)
            }
            (Some(Seen::Link(was)), Seen::Link(now)) => {
                format!("the link {path} leads to {} now; it led to {}", now.display(), was.display())
            }
            (Some(Seen::Unsteady), _) => format!("the file {path} changed while it read it"),
            _ => format!("the file {path} changed"),
        },
    }
}
