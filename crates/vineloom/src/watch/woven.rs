//! One document that is woven again and again: what it depends on, what is kept running for it, and what its readers are
//! told.

use super::changes::{Outline, is_own_writing};
use super::printed::PagesShown;
use super::{Signal, shown};
use crate::messages;
use crate::progress::{Teller, Telling, usual_times};
use crate::weave::{show_findings, summaries};
use serde_json::{Value, json};
use std::collections::{BTreeSet, HashMap};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};
use vineloom_document::options::Format;
use vineloom_document::{BlockIndex, ByBlock, Diagnostic, Document, Severity, Sources};
use vineloom_interpreters::{Heard, Interrupt, Surroundings};
use vineloom_project::{
    Event, Fault, Live, Made, Onlooker, Opened, Pages, Phase, Place, Problem, WarmStrands, Weave, order_for,
};
use vineloom_serve::{Server, concerns};
use vineloom_store::Secret;
use vineloom_weave::{Progress, State, block_title};

/// A document that is watched.
#[derive(Debug, Default)]
pub struct Watched {
    /// Its file, as it was named.
    pub file: PathBuf,
    /// Parameters set from outside.
    pub set: Vec<(String, String)>,
    /// What is running for it.
    pub warm: WarmStrands,
    /// The files of its text, by absolute paths.
    pub own: BTreeSet<PathBuf>,
    /// How often it was woven in a row for what changed while it was woven.
    pub in_a_row: usize,
    /// The files that it depends on, there or not.
    dependencies: BTreeSet<PathBuf>,
    /// The folders whose lists of entries it depends on.
    pub listed: BTreeSet<PathBuf>,
    /// What its weaves write.
    exports: BTreeSet<PathBuf>,
    /// What its blocks wrote in the last weave.
    made: BTreeSet<PathBuf>,
}

/// What a weave takes beside its document.
pub struct Around<'a> {
    /// The caller's world.
    pub caller: &'a Surroundings,
    /// The user's secret.
    pub secret: &'a Secret,
    /// Ends what runs.
    pub interrupt: &'a Interrupt,
    /// Who is told what blocks print.
    pub heard: &'a Heard,
    /// Where the document is shown, and as which one.
    pub server: &'a Server,
    /// The document's number there.
    pub at: usize,
}

/// How a weave ended.
#[derive(Debug)]
pub struct Ended {
    /// Whether it was interrupted, since what ran was not wanted any more.
    pub was_interrupted: bool,
    /// How many blocks ran.
    pub ran: usize,
    /// When it began.
    began: SystemTime,
}

/// Below these folders lies what belongs to the machine: it is not watched.
const OF_MACHINE: [&str; 9] = ["/usr", "/lib", "/lib64", "/bin", "/sbin", "/etc", "/proc", "/sys", "/dev"];

impl Watched {
    /// A document that has not been woven.
    pub fn new(file: PathBuf, set: &[(String, String)]) -> Self {
        let whole = std::fs::canonicalize(&file).unwrap_or_else(|_| file.clone());
        Watched { file, set: set.to_vec(), own: BTreeSet::from([whole]), ..Watched::default() }
    }

    /// All files that are watched for it.
    pub fn files(&self) -> impl Iterator<Item = &PathBuf> {
        self.own.iter().chain(&self.dependencies)
    }

    /// The files that it read when it was woven last, beside its text and what it wrote itself.
    pub fn read(&self) -> BTreeSet<PathBuf> {
        self.dependencies.difference(&self.made).cloned().collect()
    }

    /// Whether changed files concern it; where nothing is named, all may have changed.
    pub fn is_concerned(&self, paths: &[PathBuf]) -> bool {
        paths.is_empty()
            || paths.iter().any(|path| {
                let is_listed = path.parent().is_some_and(|folder| self.listed.contains(folder));
                !is_own_writing(path, &self.exports)
                    && (is_listed || concerns(&self.own, path) || concerns(&self.dependencies, path))
            })
    }

    /// Whether something it depends on changed since a weave began, that may not have been seen: it was not watched then.
    pub fn changed_since(&self, ended: &Ended) -> bool {
        let is_newer = |path: &PathBuf| {
            // A folder changes with the exports that are put into it.
            let about = std::fs::metadata(path).ok().filter(std::fs::Metadata::is_file);
            // One that was moved here is as old as it was; that it was moved is newer.
            let moved = |about: &std::fs::Metadata| {
                let seconds = u64::try_from(about.ctime()).unwrap_or(0);
                let nanoseconds = u32::try_from(about.ctime_nsec()).unwrap_or(0);
                UNIX_EPOCH + Duration::new(seconds, nanoseconds)
            };
            about.is_some_and(|about| moved(&about).max(about.modified().unwrap_or(UNIX_EPOCH)) > ended.began)
        };
        self.files().filter(|file| !self.made.contains(*file)).any(is_newer)
    }

    /// Whether its own blocks may have made all of these changes, while they ran.
    pub fn may_have_made(&self, paths: &[PathBuf]) -> bool {
        !paths.is_empty()
            && paths.iter().all(|path| self.made.contains(path) || !self.is_concerned(std::slice::from_ref(path)))
    }

    /// Weaves it, tells the terminal and the readers of the live page what happens, and takes note of what it depends on.
    pub fn weave(&mut self, around: &Around, signal: &mut dyn FnMut(Signal)) -> Ended {
        let mut ended = Ended { was_interrupted: false, ran: 0, began: SystemTime::now() };
        let mut telling = TellingBoth {
            server: around.server,
            at: around.at,
            teller: Teller::new(Telling::AtOnce),
            running: None,
            is_shown: false,
            ids: ByBlock::default(),
        };
        if let Err(problem) = self.steps(around, &mut telling, &mut ended, signal) {
            ended.was_interrupted = problem.fault == Fault::Interrupt;
            telling.failed(&problem);
            // What mends it may be any file beside it.
            self.listed.extend(self.own.iter().filter_map(|file| file.parent()).map(Path::to_path_buf));
        }
        ended
    }

    fn steps(
        &mut self,
        around: &Around,
        telling: &mut TellingBoth,
        ended: &mut Ended,
        signal: &mut dyn FnMut(Signal),
    ) -> Result<(), Box<Problem>> {
        let Around { caller, secret, interrupt, heard, .. } = *around;
        let started = Instant::now();
        let order = vineloom_project::Order { set: &self.set, ..order_for(&self.file) };
        let opened = Opened::for_order(&order, secret)?;
        self.own = opened.files().into_iter().map(|file| std::fs::canonicalize(&file).unwrap_or(file)).collect();
        show_findings(&opened);
        let (known, sources) = (opened.findings().to_vec(), opened.document.sources.clone());
        let weave = Weave::of(order, opened, &[&self.file], secret).map_err(|mut problem| {
            // What is wrong with the text has been shown on the terminal; the page is still to be told.
            if problem.findings.is_empty() {
                telling.is_shown = true;
                (problem.findings, problem.sources) = (known, sources);
            }
            problem
        })?;
        self.exports = weave.places().iter().flat_map(|place| [place.real().to_path_buf(), place.parts()]).collect();
        messages::show(&weave.planned.document().sources, &weave.planned.about_store);
        let usual = usual_times(&weave.planned);
        let mut outline: Option<Outline> = None;
        // The blocks that wait to be asked for, or need one that does, and why in words.
        let mut waiting: Vec<Value> = Vec::new();
        let (server, at) = (telling.server, telling.at);
        // The page is there before the print is set.
        let made = |made: &Made| {
            if matches!(made.format, Format::Html | Format::Deck) && made.export.parts.is_empty() {
                server.show_first(at, shown::file(made));
            }
        };
        let pages = |place: &Place, pages: Arc<dyn Pages>, sources: &Sources| {
            server.show_pages(at, &shown::name(place), Arc::new(PagesShown { pages, sources: sources.clone() }));
        };
        let live = Live { warm: &mut self.warm, heard, onlooker: Onlooker { made: &made, pages: &pages } };
        let woven = weave.weave_live(live, caller, interrupt, &mut |event| match event {
            Event::Begins { document, plan } => {
                telling.begins(document, plan);
                outline = Some(Outline::of(document, plan));
                signal(Signal::Begins(Outline::of(document, plan)));
            }
            Event::Progress(progress) => {
                if let Progress::Started { index, .. } = progress {
                    signal(Signal::Starts(index));
                    let after = outline.as_ref().map_or_else(Vec::new, |outline| outline.after(index));
                    telling.starts(index, &after, &usual);
                }
                telling.progress(progress);
            }
            Event::Found(sources, findings) => {
                let worth_telling: Vec<Diagnostic> =
                    findings.iter().filter(|finding| finding.severity > Severity::Hint).cloned().collect();
                if !worth_telling.is_empty() {
                    telling.teller.clear();
                    messages::show(sources, &worth_telling);
                }
            }
            Event::Phase(Phase::Exporting) => {
                // Before the page that lacks their results.
                telling.tell(&json!({ "event": "waits", "blocks": waiting }));
                signal(Signal::Exports);
            }
            Event::Failed(index, problem) => {
                let why = problem.findings.first().map(|finding| finding.message.clone());
                waiting.push(json!({ "id": telling.ids[index].0, "why": why }));
            }
            Event::Phase(_) => {}
        })?;
        ended.ran = woven.results.count(State::Ran) + woven.results.count(State::Replayed);
        let is_of_project = |path: &PathBuf| !OF_MACHINE.iter().any(|folder| path.starts_with(folder));
        let files = woven.planned.dependencies(&woven.results, &woven.trees);
        // A folder that was only asked whether it is there says so by what stands in it.
        let files = files.into_iter().map(in_full).filter(|file| is_of_project(file) && !file.is_dir());
        self.dependencies = files.collect();
        self.made = woven.planned.made_files(&woven.results).into_iter().map(in_full).collect();
        let listed = woven.planned.listed_folders(&woven.results);
        self.listed = listed.into_iter().map(in_full).filter(is_of_project).collect();
        let title = self.file.display().to_string();
        telling.teller.summary(&title, &woven.results, &summaries(&woven.exports));
        let [ran, kept] = [State::Ran, State::Kept].map(|state| woven.results.count(state));
        let view = shown::shown(&title, &woven.exports);
        let event = json!({
            "event": "woven", "ran": ran, "kept": kept, "seconds": started.elapsed().as_secs_f64(), "views": view.views, "waits": waiting,
        });
        telling.server.show(telling.at, view.files, event);
        Ok(())
    }
}

/// A path as the system tells of it: its folder without links and steps back.
fn in_full(path: PathBuf) -> PathBuf {
    let folder = path.parent().and_then(|folder| std::fs::canonicalize(folder).ok());
    match (folder, path.file_name()) {
        (Some(folder), Some(name)) => folder.join(name),
        _ => path,
    }
}

/// Tells the terminal and the live page.
struct TellingBoth<'a> {
    server: &'a Server,
    at: usize,
    teller: Teller,
    running: Option<BlockIndex>,
    /// Whether the terminal shows already what went wrong.
    is_shown: bool,
    /// What each block is called on the page.
    ids: ByBlock<(String, String)>,
}

impl TellingBoth<'_> {
    fn tell(&self, event: &Value) {
        self.server.tell(self.at, event);
    }

    fn begins(&mut self, document: &Document, plan: &vineloom_weave::Plan) {
        self.teller.begin(document, plan);
        let mut ids = ByBlock::default();
        for (index, block) in document.live.enumerate() {
            let id = block.name.as_ref().map_or_else(|| format!("block-{}", index.number()), ToString::to_string);
            ids.push((id, block_title(document, index)));
        }
        self.ids = ids;
        self.tell(&json!({ "event": "begins", "ids": [] }));
    }

    fn starts(&mut self, index: BlockIndex, after: &[BlockIndex], usual: &HashMap<BlockIndex, f64>) {
        self.running = Some(index);
        let (id, title) = &self.ids[index];
        let after: Vec<&str> = after.iter().map(|&index| self.ids[index].0.as_str()).collect();
        self.tell(
            &json!({ "event": "starts", "id": id, "title": title, "usual": usual.get(&index), "waiting": after }),
        );
    }

    fn progress(&mut self, progress: Progress) {
        if let Progress::Finished { index, state, .. } = progress {
            self.running = None;
            let word = match state {
                State::Kept => "kept",
                State::Ran => "ran",
                State::Replayed => "replayed",
                State::Failed => "failed",
                State::Waiting => "waits",
            };
            // Hundreds of kept blocks are nothing to tell one by one.
            if state != State::Kept {
                self.tell(&json!({ "event": "block", "id": self.ids[index].0, "state": word }));
            }
        }
        self.teller.tell(progress);
    }

    fn failed(&mut self, problem: &Problem) {
        self.teller.stopped();
        if problem.fault == Fault::Interrupt {
            return;
        }
        if !self.is_shown {
            messages::problem(problem);
        }
        let finding = |finding: &Diagnostic| {
            let place = finding.span.and_then(|span| problem.sources.location(span));
            json!({
                "message": finding.message, "help": finding.help,
                "file": place.as_ref().map(|place| place.file.clone()), "line": place.map(|place| place.start.line),
            })
        };
        let errors = problem.findings.iter().filter(|finding| finding.severity == Severity::Error);
        let block = self.running.map(|index| &self.ids[index]);
        self.tell(&json!({
            "event": "failed", "id": block.map(|(id, _)| id), "title": block.map(|(_, title)| title),
            "findings": errors.map(finding).collect::<Vec<_>>(), "output": problem.output,
        }));
    }
}
