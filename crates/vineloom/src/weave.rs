//! `vineloom weave`: from documents on disk to exports on disk.

use crate::Ended;
use crate::command_line::WeaveArguments;
use crate::exports::Export;
use crate::messages;
use crate::progress::{Teller, Telling};
use crate::reading::{self, DOCUMENT_ENDS, OnDisk};
use std::path::{Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Document, Script, Severity, has_errors};
use vineloom_interpreters::{Interrupt, Languages, Surroundings};
use vineloom_store::{Store, write_whole};
use vineloom_weave::{
    FailureKind, Installed, PicturesIn, Plan, Results, Reuse, check_transcripts, plan, run, splice, splice_text,
};

/// Weaves every document; one that fails does not keep the others from being woven.
pub fn weave(arguments: &WeaveArguments) -> Ended {
    let interrupt = interrupt();
    let around = reading::surroundings();
    let mut ended = Ended::Done;
    for file in &arguments.files {
        let weaving = Weaving { arguments, file, around: &around, interrupt: &interrupt };
        ended = ended.max(weaving.weave());
        if ended == Ended::Interrupted {
            break;
        }
    }
    ended
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

struct Weaving<'a> {
    arguments: &'a WeaveArguments,
    file: &'a Path,
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
        let (document, folder, store_folder, languages) = self.document()?;
        let plan = plan(&document, &languages).map_err(|circle| {
            messages::show(&document.sources, &[*circle]);
            Ended::Failed
        })?;
        let store = Store::open(&store_folder).map_err(|error| {
            messages::error(
                &error.to_string(),
                Some("results are stored beside the document: see that its folder may be written to"),
            );
            Ended::Unusable
        })?;
        let mut teller = Teller::new(self.telling(), &document, &plan);
        let mut interpreters = Installed::new(languages, self.around, &folder, &store, self.interrupt.clone());
        let results = self.run(&document, &plan, &mut interpreters, &store, &mut teller)?;
        let exports = self.exports(&document, &plan, &results, &folder, &store, &teller)?;
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

    fn telling(&self) -> Telling {
        if self.arguments.quiet { Telling::Quiet } else { Telling::All }
    }

    /// The document and where it lies; what is wrong with it has been told.
    fn document(&self) -> Result<(Document, PathBuf, PathBuf, Languages), Ended> {
        let OnDisk { mut parsed, folder, project_folder, languages } = reading::read(self.file, &self.arguments.set)?;
        parsed.diagnostics.extend(check_transcripts(&parsed.document, &languages));
        let findings: Vec<_> = parsed.diagnostics.into_iter().filter(|d| d.severity > Severity::Hint).collect();
        messages::show(&parsed.document.sources, &findings);
        if has_errors(&findings) {
            return Err(Ended::Failed);
        }
        // Results are stored beside the project file, else beside the document.
        Ok((parsed.document, folder, project_folder.join(".vineloom"), languages))
    }

    fn run(
        &self,
        document: &Document,
        plan: &Plan,
        interpreters: &mut Installed,
        store: &Store,
        teller: &mut Teller,
    ) -> Result<Results, Ended> {
        let reuse = if self.arguments.again { Reuse::Nothing } else { Reuse::Stored };
        let results = run(document, plan, interpreters, store, reuse, &mut |progress| teller.tell(progress));
        let results = results.map_err(|failure| {
            teller.failed(&document.live[failure.index], failure.index);
            let (finding, output) = failure.explain(document);
            messages::show_failure(&document.sources, &finding, &output);
            if matches!(failure.kind, FailureKind::Interrupted) { Ended::Interrupted } else { Ended::Failed }
        })?;
        self.say_what_is_not_stored(&results, teller);
        Ok(results)
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
                format => Export::make(&woven, &document.export_options(format), format, store),
            };
            let export = export.map_err(|problem| {
                teller.clear();
                messages::error(&format!("{}: {problem}", self.file.display()), None);
                Ended::Failed
            })?;
            if !export.losses.is_empty() {
                teller.clear();
            }
            for loss in &export.losses {
                messages::warning(&format!("{}: {}", self.file.display(), loss.message), loss.help.as_deref());
            }
            exports.push((path, export));
        }
        Ok(exports)
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
