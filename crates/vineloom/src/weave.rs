//! `vineloom weave`: from documents on disk to exports on disk.

use crate::Ended;
use crate::along::{DocumentPlace, for_page, for_print};
use crate::command_line::WeaveArguments;
use crate::exports::{Export, Making};
use crate::interrupt::{Running, interrupt};
use crate::messages;
use crate::output::{self, say};
use crate::placing::{self, Place, Placing, Refusal};
use crate::progress::{Teller, Telling};
use crate::reading;
use crate::ready::Ready;
use crate::side_by_side::side_by_side;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Document, Span, has_errors};
use vineloom_export::Loss;
use vineloom_interpreters::{Interrupt, Surroundings, clear_abandoned_sessions};
use vineloom_store::{Digest, Store};
use vineloom_weave::{
    Forecast, Installed, OwnFiles, PicturesIn, Plan, Results, Reuse, Runs, State, block_title, ended_strands, forecast,
    remember_exports, run, splice, splice_text, verify,
};

/// Weaves every document, as many side by side as `--jobs` says; one that fails does not keep the others from being
/// woven. All are read, and the places of their exports looked at, before anything runs.
pub fn weave(arguments: &WeaveArguments) -> Ended {
    let interrupt = interrupt();
    let around = reading::surroundings();
    clear_abandoned_sessions();
    let mut files: Vec<&Path> = Vec::new();
    for file in &arguments.files {
        let same = |other: &&Path| std::fs::canonicalize(other).ok() == std::fs::canonicalize(file).ok();
        if !file.exists() || !files.iter().any(same) {
            files.push(file);
        }
    }
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let jobs = arguments.jobs.unwrap_or(cores).clamp(1, files.len().max(1));
    let running = Running::default();
    let weaving = |file| Weaving { arguments, file, jobs, around: &around, interrupt: &interrupt, running: &running };
    let read = side_by_side(jobs, files.clone(), |file| weaving(file).read(&files));
    let places: Vec<Vec<Place>> = read.iter().map(|it| it.as_ref().map_or(Vec::new(), Readied::places)).collect();
    let mut refused = vec![false; files.len()];
    for (place, takers) in placing::shared(&places) {
        let names: Vec<String> = takers.iter().map(|&at| files[at].display().to_string()).collect();
        messages::error(
            &format!("{} would each write {}", names.join(" and "), place.display()),
            Some("give one of them another name, or weave it into another folder with `--out`"),
        );
        takers.into_iter().for_each(|at| refused[at] = true);
    }
    let read: Vec<_> = files.iter().zip(read).zip(refused).collect();
    let _watch = running.end_typesetting(&interrupt);
    let ended = side_by_side(jobs, read, |((file, read), refused)| match read {
        _ if refused => Ended::Failed,
        _ if interrupt.raised() => Ended::Interrupted,
        Ok(readied) => weaving(file).weave(&readied),
        Err(ended) => ended,
    });
    ended.into_iter().max().unwrap_or(Ended::Done)
}

/// A loss as a finding, at the words it is about, or at the first line of the block where it is met.
fn lost(document: &Document, loss: &Loss) -> Diagnostic {
    let place = loss.span.map(|span| {
        let source = document.sources.of(span.start);
        let text = source.slice(span);
        let words = loss.about.as_deref().and_then(|words| Some((text.find(words)?, words.len())));
        let (start, length) = words.unwrap_or((0, text.lines().next().map_or(0, str::len)));
        Span::new(span.start + start, span.start + start + length)
    });
    let mut finding = Diagnostic::warning(place.unwrap_or_default(), loss.message.clone());
    finding.span = place;
    finding.help = loss.help.clone();
    finding
}

/// How often a document is read again because its blocks wrote files that it is put together from.
const MOST_PASSES: usize = 5;

struct Weaving<'a> {
    arguments: &'a WeaveArguments,
    file: &'a Path,
    /// How many documents are woven side by side.
    jobs: usize,
    around: &'a Surroundings,
    interrupt: &'a Interrupt,
    running: &'a Running,
}

/// A document that has been read, and where its exports go.
struct Readied {
    ready: Ready,
    exports: Vec<(Format, Place)>,
}

impl Readied {
    fn places(&self) -> Vec<Place> {
        self.exports.iter().map(|(_, place)| place.clone()).collect()
    }
}

impl Weaving<'_> {
    /// Reads the document and finds the places of its exports; `files` are all documents of this weave, of which no
    /// export takes the place.
    fn read(&self, files: &[&Path]) -> Result<Readied, Ended> {
        let ready = Ready::read(self.file, &self.arguments.set)?;
        let mut exports = Vec::new();
        if self.arguments.dry_run || self.arguments.verify {
            return Ok(Readied { ready, exports });
        }
        let wanted = if self.arguments.to.is_empty() { ready.document.formats() } else { self.arguments.to.clone() };
        for (_, &format) in wanted.iter().enumerate().filter(|(at, format)| !wanted[..*at].contains(format)) {
            let place = self.placing(&ready).place(format);
            let place = place.and_then(|place| match files.iter().find(|file| placing::is_at(&place, file)) {
                Some(file) => Err(Refusal {
                    message: format!("an export of {} would take the place of {}", self.file.display(), file.display()),
                    help: "give one of them another name, or choose another place with `--out`".into(),
                }),
                None => Ok(place),
            });
            exports.push((format, place.map_err(|refusal| self.refuse(&refusal))?));
        }
        Ok(Readied { ready, exports })
    }

    fn own_files(&self, exports: &[(Format, Place)]) -> OwnFiles {
        let exports = exports.iter().flat_map(|(_, place)| [place.real().to_path_buf(), place.parts()]);
        OwnFiles { document: std::fs::canonicalize(self.file).ok(), exports: exports.collect() }
    }

    fn placing<'a>(&'a self, ready: &'a Ready) -> Placing<'a> {
        Placing {
            file: self.file,
            out: self.arguments.out.as_deref(),
            project: &ready.project_folder,
            store: &ready.store,
            overwrite: self.arguments.overwrite,
        }
    }

    fn refuse(&self, refusal: &Refusal) -> Ended {
        messages::error(&refusal.message, Some(&refusal.help));
        Ended::Failed
    }

    fn weave(&self, readied: &Readied) -> Ended {
        match self.steps(readied) {
            Ok(()) => Ended::Done,
            Err(ended) => ended,
        }
    }

    fn steps(&self, readied: &Readied) -> Result<(), Ended> {
        self.pass(readied, None, 0)
    }

    /// Runs and exports the document as it was read; `before` are the states of its blocks in an earlier pass.
    fn pass(
        &self,
        Readied { ready, exports }: &Readied,
        before: Option<Vec<Option<State>>>,
        passes: usize,
    ) -> Result<(), Ended> {
        let running = self.running.one();
        if !self.arguments.dry_run {
            ready.say_what_moved();
        }
        let Ready { document, plan, folder, store, .. } = ready;
        let own_files = self.own_files(exports);
        let around = reading::surroundings_of(self.around, document, &ready.languages, folder, &ready.project_folder);
        let interpreters = Installed::new(
            ready.languages.clone(),
            &around,
            folder,
            &ready.project_folder,
            own_files,
            store,
            self.interrupt.clone(),
        );
        let mut interpreters = if self.arguments.stored_only { interpreters.stored_only() } else { interpreters };
        if self.arguments.dry_run || self.arguments.stored_only {
            let forecasts = forecast(document, plan, &mut interpreters, store, &ready.history());
            if self.arguments.dry_run {
                self.say_forecast(ready, &forecasts);
                return Ok(());
            }
            self.need_all_stored(ready, &forecasts)?;
            if self.telling() != Telling::Quiet {
                output::note(
                    "nothing runs: files of the project were checked, those of the machine are taken as they were stored",
                );
            }
        }
        if self.telling() == Telling::Together && std::io::stderr().is_terminal() {
            output::note(&format!("weaving {} ({} blocks)", self.file.display(), plan.order.len()));
        }
        let telling = if passes > 0 && self.telling() != Telling::Quiet { Telling::Summary } else { self.telling() };
        let mut teller = Teller::new(telling, document, plan);
        if self.arguments.verify {
            return self.verify(ready, &mut interpreters, &mut teller);
        }
        let mut results = self.run(ready, &mut interpreters, &mut teller)?;
        if let Some(before) = before {
            before.iter().zip(&mut results.states).for_each(|(was, state)| {
                // What ran before the document was read again has run in this weave.
                if *state == Some(State::Kept) && was.is_some() {
                    *state = *was;
                }
            });
        }
        if passes < MOST_PASSES && ready.is_behind() {
            // A block has written what the document is put together from.
            drop((interpreters, running));
            teller.clear();
            let ready = Ready::read(self.file, &self.arguments.set)?;
            let readied = Readied { ready, exports: exports.clone() };
            return self.pass(&readied, Some(results.states), passes + 1);
        }
        // From here on nothing is left behind when the program ends.
        drop(interpreters);
        drop(running);
        let made = self.exports(document, plan, &results, folder, store, exports, &ready.project_folder, &teller)?;
        // Files take their places one after the other: the end of the program waits for the last.
        let _placing = self.running.one();
        if self.interrupt.raised() {
            teller.clear();
            return Err(Ended::Interrupted);
        }
        self.placing(ready).put(&made).map_err(|refusal| {
            teller.clear();
            self.refuse(&refusal)
        })?;
        let written: Vec<PathBuf> =
            made.iter().flat_map(|(place, _)| [place.real().to_path_buf(), place.parts()]).collect();
        remember_exports(store, &written);
        let summaries: Vec<String> = made.iter().map(|(place, export)| export.summary(&place.path)).collect();
        teller.summary(&self.file.display().to_string(), &results, &summaries);
        Ok(())
    }

    /// What would run, why, and how long it took last time.
    fn say_forecast(&self, ready: &Ready, forecasts: &[Forecast]) {
        let mut known = 0.0;
        let mut unknown = 0;
        for forecast in forecasts.iter().filter(|forecast| forecast.runs != Runs::No) {
            let time = match forecast.milliseconds {
                Some(time) => format!("{:.2} s last time", time as f64 / 1000.0),
                None => "never ran".into(),
            };
            known += forecast.milliseconds.unwrap_or(0) as f64 / 1000.0;
            unknown += usize::from(forecast.milliseconds.is_none());
            let verb = if forecast.runs == Runs::ForState { "would be replayed" } else { "would run" };
            say!("{} {verb} ({time}): {}", block_title(&ready.document, forecast.index), forecast.in_short());
        }
        let count = forecasts.iter().filter(|forecast| forecast.runs != Runs::No).count();
        let more = if unknown > 0 { format!(", and {unknown} whose time is not known") } else { String::new() };
        say!("{}  {} blocks: {count} would run, about {known:.2} s{more}", self.file.display(), forecasts.len());
    }

    /// Names every block of which no true result is stored, when nothing may run.
    fn need_all_stored(&self, ready: &Ready, forecasts: &[Forecast]) -> Result<(), Ended> {
        let missing: Vec<&Forecast> = forecasts.iter().filter(|forecast| forecast.runs == Runs::Yes).collect();
        if missing.is_empty() {
            return Ok(());
        }
        for forecast in &missing {
            let title = block_title(&ready.document, forecast.index);
            let message = format!("{title} has no stored result that is true: {}", forecast.in_short());
            let finding = Diagnostic::error(ready.document.live[forecast.index].fence, message);
            let help =
                "weave it where its interpreter is, and bring the store: `vineloom store export`, then `store import`";
            messages::show(&ready.document.sources, &[finding.help(help)]);
        }
        Err(Ended::Failed)
    }

    /// Runs everything beside the store and shows what differs.
    fn verify(&self, ready: &Ready, interpreters: &mut Installed, teller: &mut Teller) -> Result<(), Ended> {
        let found =
            verify(&ready.document, &ready.plan, interpreters, &ready.store, &mut |progress| teller.tell(progress));
        teller.clear();
        let found = found.map_err(|failure| ready.tell_failure(&failure))?;
        for difference in &found.differences {
            say!("{} gives something else than what is stored:", block_title(&ready.document, difference.index));
            say!("{}", vineloom_weave::difference(&difference.stored, &difference.now));
        }
        for &index in &found.not_stored {
            say!("{} has no stored result to compare with", block_title(&ready.document, index));
        }
        let count = found.differences.len();
        say!(
            "{}  {} the same, {count} different, {} not stored",
            self.file.display(),
            found.same,
            found.not_stored.len()
        );
        if count > 0 { Err(Ended::Failed) } else { Ok(()) }
    }

    fn telling(&self) -> Telling {
        match (self.arguments.quiet, self.jobs) {
            (true, _) => Telling::Quiet,
            (false, 1) => Telling::AtOnce,
            (false, _) => Telling::Together,
        }
    }

    fn run(&self, ready: &Ready, interpreters: &mut Installed, teller: &mut Teller) -> Result<Results, Ended> {
        let Ready { document, plan, store, .. } = ready;
        let reuse = if self.arguments.again { Reuse::Nothing } else { Reuse::Stored };
        let results = run(document, plan, interpreters, store, reuse, &mut |progress| teller.tell(progress));
        let results = results.map_err(|failure| {
            teller.failed(&document.live[failure.index], failure.index);
            ready.tell_failure(&failure)
        })?;
        ready.keep_history(&results);
        self.say_what_is_not_stored(ready, &results, teller);
        let ended = ended_strands(document, plan, &results);
        if !ended.is_empty() {
            teller.clear();
            messages::show(&document.sources, &ended);
        }
        self.say_what_is_altered(document, plan, &results, teller);
        Ok(results)
    }

    /// Warns of blocks that can never be kept.
    fn say_what_is_altered(&self, document: &Document, plan: &Plan, results: &Results, teller: &Teller) {
        let ran = |index: &&usize| results.states[**index] != Some(State::Kept);
        for &index in plan.order.iter().filter(ran) {
            if results.files[index].as_ref().is_some_and(|files| files.is_unsteady()) {
                teller.clear();
                let message =
                    format!("a file changed while {} read it, so its result is not kept", block_title(document, index));
                let finding = Diagnostic::warning(document.live[index].fence, message);
                messages::show(&document.sources, &[finding.help("weave again when the file is at rest")]);
            }
            if let Some(what) = results.files[index].as_ref().and_then(|files| files.unfollowed.as_ref()) {
                teller.clear();
                let message = format!(
                    "{} {what}, where its files can't be followed, so it runs at every weave",
                    block_title(document, index)
                );
                messages::show(&document.sources, &[Diagnostic::warning(document.live[index].fence, message)]);
            }
            if let Some(path) = results.files[index].as_ref().and_then(|files| files.altered()) {
                teller.clear();
                let message = format!(
                    "{} changes {path}, which it also reads, so it runs at every weave",
                    block_title(document, index)
                );
                let finding = Diagnostic::warning(document.live[index].fence, message);
                let help = "let it write another file, or run in `cwd=@scratch`, which is clean at each weave";
                messages::show(&document.sources, &[finding.help(help)]);
            }
        }
    }

    fn say_what_is_not_stored(&self, ready: &Ready, results: &Results, teller: &Teller) {
        let unobserved = |index: &&usize| {
            results.files[**index].is_none()
                && results.states[**index].is_some()
                && ready.document.live[**index].options.reads.is_empty()
        };
        if let Some(&first) = ready.plan.order.iter().find(unobserved) {
            teller.clear();
            messages::warning(
                &format!(
                    "files can't be observed here, so {} and others run at every weave",
                    block_title(&ready.document, first)
                ),
                Some("say what a block reads: `reads=data/*.csv`, or `reads=none`; its results are then kept"),
            );
        }
        if let Some(problem) = &results.not_stored {
            teller.clear();
            messages::warning(problem, Some("the weave goes on, but the next one will run these blocks again"));
        }
    }

    /// Makes all exports before any is written, so that a failure leaves the old ones as they are.
    #[allow(
        clippy::too_many_arguments,
        reason = "each is a part of its own; the room that weaves is to take them over"
    )]
    fn exports(
        &self,
        document: &Document,
        plan: &Plan,
        results: &Results,
        folder: &Path,
        store: &Store,
        places: &[(Format, Place)],
        project: &Path,
        teller: &Teller,
    ) -> Result<Vec<(Place, Export)>, Ended> {
        let pictures = PicturesIn(folder.into());
        let mut findings = Vec::new();
        let woven = splice(document, plan, results, &pictures, &mut findings);
        if !findings.is_empty() {
            teller.clear();
            messages::show(&document.sources, &findings);
        }
        if has_errors(&findings) {
            return Err(Ended::Failed);
        }
        let making = Making::new(&woven, store, self.file);
        let mut exports = Vec::new();
        for (format, place) in places {
            let path = &place.path;
            let export = match *format {
                Format::Markdown => {
                    let parts = format!("{}-parts", path.file_stem().unwrap_or_default().to_string_lossy());
                    // Whatever is wrong has been found with the tree.
                    let text = splice_text(document, plan, results, &parts, &pictures, &mut Vec::new());
                    Ok(Export::of_markdown(text, &parts))
                }
                format => {
                    let options = document.export_options(format);
                    let page = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
                    let along = match format {
                        Format::Html => {
                            let at = DocumentPlace { file: self.file, folder, project };
                            for_page(&woven, document, results, &options, at, &page)
                        }
                        _ => for_print(&woven, &options, folder),
                    };
                    let along = along.map_err(|problem| vec![Diagnostic::unplaced(problem)]);
                    if let Ok(along) = &along {
                        self.say_what_is_given_away(&along.taken, path, store, teller);
                    }
                    along.and_then(|along| making.export(&options, format, along))
                }
            };
            let export = export.map_err(|problems| {
                teller.clear();
                problems.into_iter().for_each(|problem| self.say(document, problem));
                Ended::Failed
            })?;
            if !export.losses.is_empty() {
                teller.clear();
            }
            export.losses.iter().for_each(|loss| self.say(document, lost(document, loss)));
            exports.push((place.clone(), export));
        }
        Ok(exports)
    }

    /// Tells which data files a page offers for download, when that is not what it offered last.
    fn say_what_is_given_away(&self, taken: &[String], page: &Path, store: &Store, teller: &Teller) {
        let whole = std::fs::canonicalize(self.file).unwrap_or_else(|_| self.file.into());
        let place = Digest::of(format!("given away with {}", whole.display()).as_bytes());
        let list = serde_json::to_vec(taken).unwrap_or_default();
        if taken.is_empty() || store.own_record(place).is_some_and(|known| known == list) {
            return;
        }
        teller.clear();
        messages::warning(
            &format!("{} now offers these files to everybody who gets it: {}", page.display(), taken.join(", ")),
            Some("`attach = [\"source\"]` gives away the document alone"),
        );
        // Without it the list is told again.
        let _ = store.write_record(place, &list);
    }

    /// Shows a finding; one that has no place in the text begins with the document's name.
    fn say(&self, document: &Document, mut finding: Diagnostic) {
        if finding.span.is_none() {
            finding.message = format!("{}: {}", self.file.display(), finding.message);
        }
        messages::show(&document.sources, &[finding]);
    }
}
