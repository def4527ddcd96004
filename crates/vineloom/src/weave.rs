//! `vineloom weave`: from documents on disk to exports on disk.

use crate::along::{for_page, for_print};
use crate::command_line::WeaveArguments;
use crate::exports::{Export, Making};
use crate::messages;
use crate::output::say;
use crate::progress::{Teller, Telling};
use crate::reading::{self, DOCUMENT_ENDS};
use crate::ready::Ready;
use crate::{Ended, STACK};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Document, Script, Span, has_errors};
use vineloom_export::Loss;
use vineloom_interpreters::{Interrupt, Surroundings};
use vineloom_store::{Store, write_whole};
use vineloom_weave::{
    Forecast, Installed, PicturesIn, Plan, Results, Reuse, Runs, State, block_title, forecast, run, splice,
    splice_text, verify,
};

/// Weaves every document, as many side by side as `--jobs` says; one that fails does not keep the others from being
/// woven.
pub fn weave(arguments: &WeaveArguments) -> Ended {
    let interrupt = interrupt();
    let around = reading::surroundings();
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let jobs = arguments.jobs.unwrap_or(cores).clamp(1, arguments.files.len().max(1));
    let one = |file: &Path| Weaving { arguments, file, jobs, around: &around, interrupt: &interrupt }.weave();
    if jobs == 1 {
        let mut ended = Ended::Done;
        for file in &arguments.files {
            ended = ended.max(one(file));
            if ended == Ended::Interrupted {
                break;
            }
        }
        return ended;
    }
    let next = AtomicUsize::new(0);
    let work = || {
        let mut ended = Ended::Done;
        while let Some(file) = arguments.files.get(next.fetch_add(1, Ordering::SeqCst)) {
            ended = ended.max(one(file));
            if ended == Ended::Interrupted {
                break;
            }
        }
        ended
    };
    std::thread::scope(|scope| {
        // Where no thread can be started, the others do its work; without any, this one does all.
        let started: Vec<_> = (0..jobs)
            .filter_map(|_| std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, work).ok())
            .collect();
        if started.is_empty() {
            return work();
        }
        started.into_iter().map(|job| job.join().unwrap_or(Ended::Failed)).max().unwrap_or(Ended::Done)
    })
}

/// Ctrl-C and a polite request to end set a flag; a second Ctrl-C ends the program at once.
pub fn interrupt() -> Interrupt {
    let interrupt = Interrupt::default();
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        // Without handlers the signal ends the program, and the kernel the interpreters: nothing is lost.
        let _ = signal_hook::flag::register_conditional_shutdown(signal, Ended::Interrupted as i32, interrupt.flag());
        let _ = signal_hook::flag::register(signal, interrupt.flag());
    }
    interrupt
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

struct Weaving<'a> {
    arguments: &'a WeaveArguments,
    file: &'a Path,
    /// How many documents are woven side by side.
    jobs: usize,
    around: &'a Surroundings,
    interrupt: &'a Interrupt,
}

impl Weaving<'_> {
    fn weave(&self) -> Ended {
        match self.steps() {
            Ok(()) => Ended::Done,
            Err(ended) => ended,
        }
    }

    fn steps(&self) -> Result<(), Ended> {
        let ready = Ready::read(self.file, &self.arguments.set)?;
        if !self.arguments.dry_run {
            ready.say_what_moved();
        }
        let Ready { document, plan, folder, store, .. } = &ready;
        let interpreters = Installed::new(ready.languages.clone(), self.around, folder, store, self.interrupt.clone());
        let mut interpreters = if self.arguments.stored_only { interpreters.stored_only() } else { interpreters };
        if self.arguments.dry_run || self.arguments.stored_only {
            let forecasts = forecast(document, plan, &mut interpreters, store, &ready.history());
            if self.arguments.dry_run {
                self.say_forecast(&ready, &forecasts);
                return Ok(());
            }
            self.need_all_stored(&ready, &forecasts)?;
        }
        if self.telling() == Telling::Together && std::io::stderr().is_terminal() {
            eprintln!("weaving {} ({} blocks)", self.file.display(), plan.order.len());
        }
        let mut teller = Teller::new(self.telling(), document, plan);
        if self.arguments.verify {
            return self.verify(&ready, &mut interpreters, &mut teller);
        }
        let results = self.run(&ready, &mut interpreters, &mut teller)?;
        let exports = self.exports(document, plan, &results, folder, store, &teller)?;
        if self.interrupt.raised() {
            teller.clear();
            return Err(Ended::Interrupted);
        }
        let mut summaries = Vec::new();
        for (path, export) in &exports {
            self.write(path, export, &teller)?;
            summaries.push(export.summary(path));
        }
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
        self.say_what_is_not_stored(&results, teller);
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

    fn say_what_is_not_stored(&self, results: &Results, teller: &Teller) {
        if let Some(problem) = &results.not_stored {
            teller.clear();
            messages::warning(problem, Some("the weave goes on, but the next one will run these blocks again"));
        }
    }

    /// Makes all exports before any is written, so that a failure leaves the old ones as they are.
    fn exports(
        &self,
        document: &Document,
        plan: &Plan,
        results: &Results,
        folder: &Path,
        store: &Store,
        teller: &Teller,
    ) -> Result<Vec<(PathBuf, Export)>, Ended> {
        let formats = if self.arguments.to.is_empty() { document.formats() } else { self.arguments.to.clone() };
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
        for format in formats {
            let path = self.export_path(format)?;
            let export = match format {
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
                        Format::Html => for_page(&woven, document, results, &options, self.file, folder, &page),
                        _ => for_print(&woven, &options, folder),
                    };
                    let along = along.map_err(|problem| vec![Diagnostic::unplaced(problem)]);
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
            exports.push((path, export));
        }
        Ok(exports)
    }

    /// Shows a finding; one that has no place in the text begins with the document's name.
    fn say(&self, document: &Document, mut finding: Diagnostic) {
        if finding.span.is_none() {
            finding.message = format!("{}: {}", self.file.display(), finding.message);
        }
        messages::show(&document.sources, &[finding]);
    }

    /// Writes an export, its parts first, so that it never names what is not there.
    fn write(&self, path: &Path, export: &Export, teller: &Teller) -> Result<(), Ended> {
        let folder = path.parent().map(Path::to_path_buf).unwrap_or_default();
        let parts = export.parts.iter().map(|(name, bytes)| (folder.join(name), bytes.as_slice()));
        for (path, bytes) in parts.chain([(path.to_path_buf(), export.bytes.as_slice())]) {
            let made = path.parent().map_or(Ok(()), |folder| {
                if folder.as_os_str().is_empty() { Ok(()) } else { std::fs::create_dir_all(folder) }
            });
            made.and_then(|()| write_whole(&path, bytes)).map_err(|error| {
                teller.clear();
                messages::error(
                    &format!("{} can't be written: {error}", path.display()),
                    Some("see that there is room and that the folder may be written to"),
                );
                Ended::Failed
            })?;
        }
        Ok(())
    }

    fn export_path(&self, format: Format) -> Result<PathBuf, Ended> {
        let name = self.file.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
        let stem = stem(&name);
        let folder = match &self.arguments.out {
            Some(folder) => {
                std::fs::create_dir_all(folder).map_err(|error| {
                    messages::error(&format!("the folder {} can't be made: {error}", folder.display()), None);
                    Ended::Unusable
                })?;
                folder.clone()
            }
            None => self.file.parent().map(Path::to_path_buf).unwrap_or_default(),
        };
        let path = folder.join(format!("{stem}.{}", format.extension()));
        // An export never takes the place of its document.
        let same = std::fs::canonicalize(&path)
            .is_ok_and(|there| std::fs::canonicalize(self.file).is_ok_and(|own| own == there));
        Ok(if same { folder.join(format!("{stem}.woven.{}", format.extension())) } else { path })
    }
}

/// The name of a document's file without what says that it is one.
fn stem(name: &str) -> &str {
    let script = Script::of_path(name).and_then(|_| name.rsplit_once('.')).map(|(stem, _)| stem);
    DOCUMENT_ENDS.iter().find_map(|end| name.strip_suffix(end)).or(script).unwrap_or(name)
}
