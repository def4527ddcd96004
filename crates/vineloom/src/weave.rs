//! `vineloom weave`: from documents on disk to exports on disk.

mod steps;
mod work;
mod written;

use crate::command_line::WeaveArguments;
use crate::interrupt::{Busy, Working, interrupt};
use crate::output::{self, say};
use crate::progress::{Teller, Telling};
use crate::report::Report;
use crate::side_by_side::side_by_side;
use crate::{Exit, messages};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::time::Duration;
use steps::Group;
use vineloom_document::{Diagnostic, Severity, Sources};
use vineloom_interpreters::{Interrupt, Surroundings, clear_abandoned_sessions};
use vineloom_project::{
    Destination, Event, Opened, Order, Phase, Place, Planned, Presence, Problem, Step, Steps, Weave, shared,
};
use vineloom_store::Secret;
use vineloom_weave::{Forecast, OnFailure, Progress, Reuse, Runs, block_title, verify};
use work::{Work, works};
pub use written::summaries;
use written::to_standard_output;

/// Weaves every document, as many side by side as `--jobs` says; one that fails does not keep the others from being
/// woven. All are read, and the places of their exports looked at, before anything runs. The weaves of one document, for
/// the rows of a table, come one after the other: what they have in common runs once.
pub fn weave(arguments: &WeaveArguments) -> Exit {
    let report = Report::new(arguments.json, arguments.junit.as_deref());
    let exit = all(arguments, &report);
    report.ends(exit)
}

fn all(arguments: &WeaveArguments, report: &Report) -> Exit {
    let interrupt = interrupt();
    let caller = vineloom_project::surroundings();
    clear_abandoned_sessions();
    let to_output = arguments.out.as_deref() == Some(Path::new("-"))
        || arguments.out.is_none() && arguments.files.iter().any(|file| file == Path::new("-"));
    if to_output || arguments.json {
        output::leave_standard_output();
    }
    if to_output && arguments.json {
        let help = "name a folder with `--out`, or leave out `--json`";
        messages::error("an export and events can't both go to standard output", Some(help));
        return Exit::WrongUse;
    }
    let secret = match messages::secret(&caller) {
        Ok(secret) => secret,
        Err(problem) => return messages::problem(&problem),
    };
    let works = match works(arguments, &secret) {
        Ok(works) => works,
        Err(exit) => return exit,
    };
    let files: Vec<&Path> = works.iter().map(|work| work.file.as_path()).collect();
    let documents = works.chunk_by(|one, other| one.file == other.file).count();
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let at_once = arguments.jobs.unwrap_or(cores);
    let jobs = at_once.clamp(1, documents.max(1));
    let busy = Busy::default();
    let all = AllWork {
        arguments,
        destination: match &arguments.out {
            _ if to_output => Destination::Caller,
            Some(folder) => Destination::Folder(folder),
            None => Destination::Beside,
        },
        is_only: works.len() == 1,
        jobs,
        strands: (at_once / jobs).max(1),
        caller: &caller,
        secret: &secret,
        interrupt: &interrupt,
        busy: &busy,
        report,
    };
    let one = |work| One { work, all: &all };
    let read = side_by_side(cores.min(works.len().max(1)), works.iter().collect(), |work| one(work).read(&files));
    let places: Vec<Vec<Place>> = read.iter().map(|it| it.as_ref().map_or(Vec::new(), Readied::places)).collect();
    if to_output && places.iter().map(Vec::len).sum::<usize>() > 1 {
        let help = "one goes to standard output: choose it with `--to`, or name a folder with `--out`";
        messages::error("there is more than one export", Some(help));
        return Exit::WrongUse;
    }
    let mut refused = vec![false; works.len()];
    for (place, takers) in shared(&places) {
        let names: Vec<&str> = takers.iter().map(|&at| works[at].title.as_str()).collect();
        let help = match arguments.each {
            Some(_) => "let `--name` tell the rows apart, as in `--name report-@[month]-@[grower]`",
            None => "give one of them another name, or weave it into another folder with `--out`",
        };
        messages::error(&format!("{} would each write {}", names.join(" and "), place.display()), Some(help));
        takers.into_iter().for_each(|at| refused[at] = true);
    }
    let mut of_documents: Vec<Vec<Taken>> = Vec::new();
    for ((work, read), refused) in works.iter().zip(read).zip(refused) {
        match of_documents.last_mut().filter(|group| group.last().is_some_and(|(last, ..)| last.file == work.file)) {
            Some(group) => group.push((work, read, refused)),
            None => of_documents.push(vec![(work, read, refused)]),
        }
    }
    let watching = busy.end_typesetting(&interrupt);
    let ended = side_by_side(jobs, of_documents, |group| {
        let each = group.into_iter().map(|(work, read, refused)| match read {
            _ if refused => Ended::with(Exit::Failed),
            _ if interrupt.raised() => Ended::with(Exit::Interrupted),
            Ok(readied) => one(work).go_on(readied),
            Err(exit) => Ended::with(exit),
        });
        each.collect::<Vec<_>>()
    });
    drop(watching);
    let ended: Vec<Ended> = ended.into_iter().flatten().collect();
    let exit = ended.iter().map(|it| it.exit).max().unwrap_or(Exit::Done);
    if exit != Exit::Done || arguments.dry_run || arguments.verify || to_output {
        return exit;
    }
    let exit = steps::run(&groups(&works, &ended), arguments, &caller, &interrupt, report);
    let first = ended.iter().find_map(|it| it.written.first());
    if let Some(path) = first.filter(|_| arguments.open && exit == Exit::Done)
        && let Err(error) = open::that_detached(path)
    {
        let help = Some("open it yourself; there may be no screen here");
        messages::warning(&format!("{} can't be opened: {error}", path.display()), help);
    }
    exit
}

/// A piece of work, what reading it gave, and whether the places of its exports are refused.
type Taken<'a> = (&'a Work, Result<Readied<'a>, Exit>, bool);

/// How a weave ended, and what it wrote.
struct Ended {
    exit: Exit,
    written: Vec<PathBuf>,
    steps: Option<(Steps, PathBuf)>,
}

impl Ended {
    fn with(exit: Exit) -> Self {
        Ended { exit, written: Vec::new(), steps: None }
    }
}

/// The steps after weaving: those of each document for what it wrote, then those of each project once, for all.
fn groups(works: &[Work], ended: &[Ended]) -> Vec<Group> {
    let mut groups = Vec::new();
    let mut of_projects: Vec<(&PathBuf, &[Step], Vec<PathBuf>)> = Vec::new();
    for (work, Ended { written, steps, .. }) in works.iter().zip(ended) {
        let Some((Steps { of_document, of_project }, project)) = steps else { continue };
        if !of_document.is_empty() {
            let environment = Step::environment(written, Some(&work.file), &work.cells);
            groups.push(Group { project: project.clone(), steps: of_document.clone(), environment });
        }
        match of_projects.iter_mut().find(|(known, ..)| *known == project) {
            Some((.., all)) => all.extend(written.iter().cloned()),
            None => of_projects.push((project, of_project, written.clone())),
        }
    }
    for (project, steps, written) in of_projects.into_iter().filter(|(_, steps, _)| !steps.is_empty()) {
        let environment = Step::environment(&written, None, &[]);
        groups.push(Group { project: project.clone(), steps: steps.to_vec(), environment });
    }
    groups
}

/// What all weaves of a call have in common.
struct AllWork<'a> {
    arguments: &'a WeaveArguments,
    destination: Destination<'a>,
    /// Whether there is one document and no more.
    is_only: bool,
    /// How many documents are woven side by side.
    jobs: usize,
    /// How many strands of one document run at once, where none can see another.
    strands: usize,
    caller: &'a Surroundings,
    secret: &'a Secret,
    interrupt: &'a Interrupt,
    busy: &'a Busy,
    report: &'a Report,
}

/// One weave of one document.
struct One<'a> {
    work: &'a Work,
    all: &'a AllWork<'a>,
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
        let WeaveArguments { to, overwrite, again, stored_only, all_kept, keep_going, dry_run, verify, .. } =
            self.all.arguments;
        let (work, secret) = (self.work, self.all.secret);
        let order = Order {
            file: &work.file,
            held: work.held.as_deref(),
            name: work.name.as_deref(),
            set: &work.set,
            formats: to,
            destination: self.all.destination,
            overwrite: *overwrite,
            reuse: if *again { Reuse::Nothing } else { Reuse::Stored },
            at_once: self.all.strands,
            presence: match (stored_only, all_kept) {
                (true, _) => Presence::StoredOnly,
                (_, true) => Presence::AllKept,
                _ => Presence::Running,
            },
            on_failure: if *keep_going { OnFailure::GoOn } else { OnFailure::Stop },
        };
        let opened = Opened::for_order(&order, secret).map_err(|problem| self.problem(None, &problem))?;
        self.all.report.findings(&work.title, &opened.document.sources, &worth_telling(&opened));
        show_findings(&opened);
        let readied = if *dry_run || *verify {
            Planned::of(opened, secret).map(|planned| Readied::LookedAt(Box::new(planned)))
        } else {
            Weave::of(order, opened, files, secret).map(|weave| Readied::Woven(Box::new(weave)))
        };
        let readied = readied.map_err(|problem| self.problem(None, &problem))?;
        let planned = match &readied {
            Readied::LookedAt(planned) => planned,
            Readied::Woven(weave) => &weave.planned,
        };
        messages::show(&planned.document().sources, &planned.about_store);
        Ok(readied)
    }

    /// Tells of a problem; of a row's, which row.
    fn problem(&self, block: Option<&str>, problem: &Problem) -> Exit {
        self.all.report.problem(&self.work.title, block, problem);
        if self.work.cells.is_empty() {
            return messages::problem(problem);
        }
        let mut problem = problem.clone();
        for finding in problem.findings.iter_mut().filter(|finding| finding.span.is_none()) {
            finding.message = format!("{}: {}", self.work.title, finding.message);
        }
        messages::problem(&problem)
    }

    fn go_on(&self, readied: Readied) -> Ended {
        match readied {
            Readied::Woven(weave) => self.weave(*weave),
            Readied::LookedAt(planned) if self.all.arguments.dry_run => {
                self.say_forecast(&planned);
                Ended::with(Exit::Done)
            }
            Readied::LookedAt(planned) => {
                Ended::with(self.verify(&planned).unwrap_or_else(|problem| self.problem(None, &problem)))
            }
        }
    }

    fn weave(&self, weave: Weave) -> Ended {
        let AllWork { arguments, report, .. } = self.all;
        let title = self.work.title.as_str();
        let plan = &weave.planned.plan;
        if arguments.stored_only && !arguments.quiet {
            output::note(
                "nothing runs: files of the project were checked, those of the machine are taken as they were stored",
            );
        }
        if self.telling() == Telling::Together && std::io::stderr().is_terminal() {
            output::note(&format!("weaving {title} ({} blocks)", plan.order.len()));
        }
        let mut teller = Teller::new(self.telling());
        teller.know_past(&weave.planned);
        // Held while it must not be left alone: while blocks run, and while exports take their places.
        let mut working: Option<Working> = None;
        let mut sources = Sources::default();
        let woven = weave.weave(self.all.caller, self.all.interrupt, &mut |event| match event {
            Event::Begins { document, plan } => {
                teller.begin(document, plan);
                report.begins(title, plan.order.len());
                sources = document.sources.clone();
            }
            Event::Progress(progress) => {
                if let Progress::Finished { block, index, state, milliseconds } = progress {
                    let line = sources.location(block.fence).map(|place| place.start.line);
                    let time = Duration::from_millis(milliseconds);
                    report.block(title, teller.title(index), block, line, state, time);
                }
                teller.tell(progress);
            }
            Event::Found(sources, findings) => {
                let worth_telling: Vec<Diagnostic> =
                    findings.iter().filter(|finding| finding.severity > Severity::Hint).cloned().collect();
                if !worth_telling.is_empty() {
                    teller.clear();
                    report.findings(title, sources, &worth_telling);
                    messages::show(sources, &worth_telling);
                }
            }
            Event::Failed(index, problem) => {
                teller.clear();
                self.problem(Some(teller.title(index)), problem);
            }
            Event::Phase(Phase::Running | Phase::Placing) => working = Some(self.all.busy.one()),
            Event::Phase(Phase::Exporting | Phase::Done) => working = None,
        });
        drop(working);
        let woven = match woven {
            Ok(woven) => woven,
            Err(problem) => {
                let block = teller.running().map(|(name, _)| name.clone());
                teller.stopped();
                return Ended::with(self.problem(block.as_deref(), &problem));
            }
        };
        if self.all.destination == Destination::Caller {
            if let Err(exit) = to_standard_output(&woven.exports) {
                return Ended::with(exit);
            }
        } else {
            woven.exports.iter().for_each(|made| report.export(title, made));
        }
        teller.summary(title, &woven.results, &summaries(&woven.exports));
        let placed = woven.exports.iter().filter(|_| self.all.destination != Destination::Caller);
        let opened = &woven.planned.opened;
        let ended = Ended {
            exit: if woven.results.failures.is_empty() { Exit::Done } else { Exit::Failed },
            written: placed.map(|made| made.place.path.clone()).collect(),
            steps: Some((opened.steps(), opened.project_folder().to_path_buf())),
        };
        if self.all.is_only {
            // The process ends next, and the system takes its memory at once: to free a long text piece by piece takes longer.
            std::mem::forget(woven.trees);
            std::mem::forget(woven.planned.opened.document);
        }
        ended
    }

    /// What would run, why, and how long it took last time.
    fn say_forecast(&self, planned: &Planned) {
        let around = planned.surroundings(self.all.caller);
        let mut interpreters = planned.interpreters(&around, Vec::new(), self.all.interrupt.clone());
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
        say!("{}  {} blocks: {count} would run, about {known:.2} s{more}", self.work.title, forecasts.len());
    }

    /// Runs everything beside the store and shows what differs.
    fn verify(&self, planned: &Planned) -> Result<Exit, Box<Problem>> {
        let (document, plan) = (planned.document(), &planned.plan);
        let _working = self.all.busy.one();
        let mut teller = Teller::new(self.telling());
        teller.begin(document, plan);
        let around = planned.surroundings(self.all.caller);
        let mut interpreters = planned.interpreters(&around, Vec::new(), self.all.interrupt.clone());
        let progress = &mut |progress: vineloom_weave::Progress| teller.tell(progress);
        let found = verify(document, plan, &mut interpreters, &planned.store, progress);
        teller.clear();
        let found = found.map_err(|failure| planned.explain(&failure, self.all.caller))?;
        for difference in &found.differences {
            say!("{} gives something else than what is stored:", block_title(document, difference.index));
            say!("{}", vineloom_weave::difference(&difference.stored, &difference.now));
        }
        for &index in &found.not_stored {
            say!("{} has no stored result to compare with", block_title(document, index));
        }
        let (file, different, absent) = (&self.work.title, found.differences.len(), found.not_stored.len());
        say!("{file}  {} the same, {different} different, {absent} not stored", found.same);
        Ok(if different > 0 { Exit::Failed } else { Exit::Done })
    }

    fn telling(&self) -> Telling {
        let AllWork { arguments, jobs, .. } = self.all;
        match (arguments.quiet || arguments.json || self.all.destination == Destination::Caller, jobs) {
            (true, _) => Telling::Quiet,
            (false, 1) => Telling::AtOnce,
            (false, _) => Telling::Together,
        }
    }
}

/// What is wrong with a document; hints are for `check`.
fn worth_telling(opened: &Opened) -> Vec<Diagnostic> {
    opened.findings().iter().filter(|finding| finding.severity > Severity::Hint).cloned().collect()
}

/// Shows what is wrong with a document.
pub fn show_findings(opened: &Opened) {
    messages::show(&opened.document.sources, &worth_telling(opened));
}
