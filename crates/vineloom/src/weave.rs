//! `vineloom weave`: from documents on disk to exports on disk.

use crate::command_line::WeaveArguments;
use crate::interrupt::{Busy, Working, interrupt};
use crate::output::{self, say};
use crate::progress::{Teller, Telling};
use crate::side_by_side::side_by_side;
use crate::{Exit, messages};
use std::collections::BTreeSet;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Severity};
use vineloom_interpreters::{Interrupt, Surroundings, clear_abandoned_sessions};
use vineloom_project::{Event, Made, Opened, Order, Phase, Place, Planned, Presence, Problem, Weave, shared};
use vineloom_store::Secret;
use vineloom_weave::{Forecast, Reuse, Runs, block_title, verify};

/// Weaves every document, as many side by side as `--jobs` says; one that fails does not keep the others from being
/// woven. All are read, and the places of their exports looked at, before anything runs.
pub fn weave(arguments: &WeaveArguments) -> Exit {
    let interrupt = interrupt();
    let caller = vineloom_project::surroundings();
    clear_abandoned_sessions();
    let secret = match messages::secret(&caller) {
        Ok(secret) => secret,
        Err(problem) => return messages::problem(&problem),
    };
    let files = each_once(&arguments.files);
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let jobs = arguments.jobs.unwrap_or(cores).clamp(1, files.len().max(1));
    let busy = Busy::default();
    let one =
        |file| One { arguments, file, jobs, caller: &caller, secret: &secret, interrupt: &interrupt, busy: &busy };
    let read = side_by_side(jobs, files.clone(), |file| one(file).read(&files));
    let places: Vec<Vec<Place>> = read.iter().map(|it| it.as_ref().map_or(Vec::new(), Readied::places)).collect();
    let mut refused = vec![false; files.len()];
    for (place, takers) in shared(&places) {
        let names: Vec<String> = takers.iter().map(|&at| files[at].display().to_string()).collect();
        messages::error(
            &format!("{} would each write {}", names.join(" and "), place.display()),
            Some("give one of them another name, or weave it into another folder with `--out`"),
        );
        takers.into_iter().for_each(|at| refused[at] = true);
    }
    let read: Vec<_> = files.iter().zip(read).zip(refused).collect();
    let _watch = busy.end_typesetting(&interrupt);
    let exits = side_by_side(jobs, read, |((file, read), refused)| match read {
        _ if refused => Exit::Failed,
        _ if interrupt.raised() => Exit::Interrupted,
        Ok(readied) => one(file).go_on(readied),
        Err(exit) => exit,
    });
    exits.into_iter().max().unwrap_or(Exit::Done)
}

/// The files of the command line, each once however it is called.
fn each_once(named: &[PathBuf]) -> Vec<&Path> {
    let mut known = BTreeSet::new();
    let is_new =
        |file: &&PathBuf| std::fs::canonicalize(file).is_err() || known.insert(std::fs::canonicalize(file).ok());
    named.iter().filter(is_new).map(PathBuf::as_path).collect()
}

/// One document of the command line.
struct One<'a> {
    arguments: &'a WeaveArguments,
    file: &'a Path,
    /// How many documents are woven side by side.
    jobs: usize,
    caller: &'a Surroundings,
    secret: &'a Secret,
    interrupt: &'a Interrupt,
    busy: &'a Busy,
}

/// A document that has been read, for what the command line asks of it.
enum Readied<'a> {
    /// It is woven.
    Woven(Box<Weave<'a>>),
    /// It is only looked at.
    LookedAt(Box<Planned>),
}

impl Readied<'_> {
    fn places(&self) -> Vec<Place> {
        match self {
            Readied::Woven(weave) => weave.places(),
            Readied::LookedAt(_) => Vec::new(),
        }
    }
}

impl<'a> One<'a> {
    /// Reads the document, says what is wrong with it, and finds the places of its exports.
    fn read(&self, files: &[&Path]) -> Result<Readied<'a>, Exit> {
        let WeaveArguments { set, to, out, overwrite, again, stored_only, dry_run, verify, .. } = self.arguments;
        let order = Order {
            file: self.file,
            set,
            formats: to,
            out: out.as_deref(),
            overwrite: *overwrite,
            reuse: if *again { Reuse::Nothing } else { Reuse::Stored },
            presence: if *stored_only { Presence::StoredOnly } else { Presence::Running },
        };
        let opened = Opened::for_order(&order, self.secret).map_err(|problem| messages::problem(&problem))?;
        show_findings(&opened);
        let readied = if *dry_run || *verify {
            Planned::of(opened, self.secret).map(|planned| Readied::LookedAt(Box::new(planned)))
        } else {
            Weave::of(order, opened, files, self.secret).map(|weave| Readied::Woven(Box::new(weave)))
        };
        let readied = readied.map_err(|problem| messages::problem(&problem))?;
        let planned = match &readied {
            Readied::LookedAt(planned) => planned,
            Readied::Woven(weave) => &weave.planned,
        };
        messages::show(&planned.document().sources, &planned.about_store);
        Ok(readied)
    }

    fn go_on(&self, readied: Readied) -> Exit {
        let done = match readied {
            Readied::Woven(weave) => self.weave(*weave),
            Readied::LookedAt(planned) if self.arguments.dry_run => {
                self.say_forecast(&planned);
                return Exit::Done;
            }
            Readied::LookedAt(planned) => self.verify(&planned),
        };
        done.unwrap_or_else(|problem| messages::problem(&problem))
    }

    fn weave(&self, weave: Weave) -> Result<Exit, Box<Problem>> {
        let plan = &weave.planned.plan;
        if self.arguments.stored_only && !self.arguments.quiet {
            output::note(
                "nothing runs: files of the project were checked, those of the machine are taken as they were stored",
            );
        }
        if self.telling() == Telling::Together && std::io::stderr().is_terminal() {
            output::note(&format!("weaving {} ({} blocks)", self.file.display(), plan.order.len()));
        }
        let mut teller = Teller::new(self.telling());
        // Held while it must not be left alone: while blocks run, and while exports take their places.
        let mut working: Option<Working> = None;
        let woven = weave.weave(self.caller, self.interrupt, &mut |event| match event {
            Event::Begins { document, plan } => teller.begin(document, plan),
            Event::Progress(progress) => teller.tell(progress),
            Event::Found(sources, findings) => {
                let worth_telling: Vec<Diagnostic> =
                    findings.iter().filter(|finding| finding.severity > Severity::Hint).cloned().collect();
                if !worth_telling.is_empty() {
                    teller.clear();
                    messages::show(sources, &worth_telling);
                }
            }
            Event::Phase(Phase::Running | Phase::Placing) => working = Some(self.busy.one()),
            Event::Phase(Phase::Exporting | Phase::Done) => working = None,
        });
        drop(working);
        let woven = woven.inspect_err(|_| teller.stopped())?;
        let summaries: Vec<String> = woven.exports.iter().map(summary).collect();
        teller.summary(&self.file.display().to_string(), &woven.results, &summaries);
        Ok(Exit::Done)
    }

    /// What would run, why, and how long it took last time.
    fn say_forecast(&self, planned: &Planned) {
        let around = planned.surroundings(self.caller);
        let mut interpreters = planned.interpreters(&around, Vec::new(), self.interrupt.clone());
        let forecasts = planned.forecast(&mut interpreters);
        let mut known = 0.0;
        let mut unknown = 0;
        let running: Vec<&Forecast> = forecasts.iter().filter(|forecast| forecast.runs != Runs::No).collect();
        for forecast in &running {
            let time = match forecast.milliseconds {
                Some(time) => format!("{:.2} s last time", time as f64 / 1000.0),
                None => "never ran".into(),
            };
            known += forecast.milliseconds.unwrap_or(0) as f64 / 1000.0;
            unknown += usize::from(forecast.milliseconds.is_none());
            let verb = if forecast.runs == Runs::ForState { "would be replayed" } else { "would run" };
            say!("{} {verb} ({time}): {}", block_title(planned.document(), forecast.index), forecast.in_short());
        }
        let count = running.len();
        let more = if unknown > 0 { format!(", and {unknown} whose time is not known") } else { String::new() };
        say!("{}  {} blocks: {count} would run, about {known:.2} s{more}", self.file.display(), forecasts.len());
    }

    /// Runs everything beside the store and shows what differs.
    fn verify(&self, planned: &Planned) -> Result<Exit, Box<Problem>> {
        let (document, plan) = (planned.document(), &planned.plan);
        let _working = self.busy.one();
        let mut teller = Teller::new(self.telling());
        teller.begin(document, plan);
        let around = planned.surroundings(self.caller);
        let mut interpreters = planned.interpreters(&around, Vec::new(), self.interrupt.clone());
        let progress = &mut |progress: vineloom_weave::Progress| teller.tell(progress);
        let found = verify(document, plan, &mut interpreters, &planned.store, progress);
        teller.clear();
        let found = found.map_err(|failure| planned.explain(&failure, self.caller))?;
        for difference in &found.differences {
            say!("{} gives something else than what is stored:", block_title(document, difference.index));
            say!("{}", vineloom_weave::difference(&difference.stored, &difference.now));
        }
        for &index in &found.not_stored {
            say!("{} has no stored result to compare with", block_title(document, index));
        }
        let (file, different, absent) = (self.file.display(), found.differences.len(), found.not_stored.len());
        say!("{file}  {} the same, {different} different, {absent} not stored", found.same);
        Ok(if different > 0 { Exit::Failed } else { Exit::Done })
    }

    fn telling(&self) -> Telling {
        match (self.arguments.quiet, self.jobs) {
            (true, _) => Telling::Quiet,
            (false, 1) => Telling::AtOnce,
            (false, _) => Telling::Together,
        }
    }
}

/// Shows what is wrong with a document; hints are for `check`.
pub fn show_findings(opened: &Opened) {
    let worth_telling: Vec<Diagnostic> =
        opened.findings().iter().filter(|finding| finding.severity > Severity::Hint).cloned().collect();
    messages::show(&opened.document.sources, &worth_telling);
}

/// What the summary says of an export.
fn summary(made: &Made) -> String {
    let path = &made.place.path;
    let name = path.file_name().map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned());
    let bytes = made.export.bytes.len();
    let noun = if matches!(made.format, Format::Deck | Format::Pptx) { "slide" } else { "page" };
    match made.export.pages {
        Some(1) => format!("{name} 1 {noun}"),
        Some(pages) => format!("{name} {pages} {noun}s"),
        None if bytes < 1_000_000 => format!("{name} {} KB", bytes.div_ceil(1000)),
        None => format!("{name} {:.1} MB", bytes as f64 / 1e6),
    }
}
