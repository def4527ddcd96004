//! A document with its plan, its store and its history: ready to run.

use crate::location::Location;
use crate::memory::InStore;
use crate::open::Opened;
use crate::problem::{Fault, Problem};
use crate::store_of_project::open_store;
use crate::surroundings::{program_elsewhere, surroundings_of};
use crate::trees::Trees;
use std::collections::BTreeSet;
use std::path::PathBuf;
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Document, has_errors};
use vineloom_export::Want;
use vineloom_interpreters::{Interrupt, Seen, Surroundings};
use vineloom_store::{Secret, Store};
use vineloom_weave::{
    Aids, Failure, FailureKind, Forecast, History, Installed, Outline, OwnFiles, PicturesIn, Plan, Results, State,
    forecast,
};

/// A document with all it takes to run it.
#[derive(Debug)]
pub struct Planned {
    /// The document as it was opened.
    pub opened: Opened,
    /// What runs in which order.
    pub plan: Plan,
    /// Where its results are.
    pub store: Store,
    /// What is told of the store: another version's results in it, or why it can't be written.
    pub about_store: Vec<Diagnostic>,
    /// A store for this run alone, when the right one can't be written.
    _passing: Option<tempfile::TempDir>,
}

impl Planned {
    /// Opens the store of a document that has been opened.
    ///
    /// # Errors
    /// [`Fault::Document`] when something is wrong with it; what, is among its findings. [`Fault::Use`] when there is no
    /// place for a store.
    pub fn of(opened: Opened, secret: &Secret) -> Result<Self, Box<Problem>> {
        let Some(plan) = opened.plan.clone().filter(|_| !has_errors(opened.findings())) else {
            return Err(Problem::of(Fault::Document, Vec::new(), &opened.document.sources));
        };
        let (store, passing, about_store) = open_store(&opened.at, secret)?;
        Ok(Planned { opened, plan, store, about_store, _passing: passing })
    }

    /// The document.
    pub fn document(&self) -> &Document {
        &self.opened.document
    }

    /// What its last weave knew.
    pub fn history(&self) -> History {
        History::load(&self.store, &self.opened.name_in_project)
    }

    /// Keeps what this weave knew, for the next one to tell of.
    pub(crate) fn keep_history(&self, results: &Results) {
        let all_kept = results.count(State::Ran) + results.count(State::Replayed) == 0;
        let name = &self.opened.name_in_project;
        if !(all_kept && Outline::load(&self.store, name).is_in_order(self.document(), &self.plan)) {
            let history = History::of(self.document(), &self.plan, results);
            history.save(&self.store, name);
            Outline::of(&history).save(&self.store, name);
        }
    }

    /// The world as its blocks see it.
    pub fn surroundings(&self, caller: &Surroundings) -> Surroundings {
        surroundings_of(caller, self.document(), &self.opened.languages, &self.opened.at)
    }

    /// The interpreters of this machine for its blocks, which see the world as `around`. `exports` are the files, and the
    /// folders of parts, that the weave writes.
    pub fn interpreters<'a>(
        &'a self,
        around: &'a Surroundings,
        exports: Vec<PathBuf>,
        interrupt: Interrupt,
    ) -> Installed<'a> {
        let own = OwnFiles { document: std::fs::canonicalize(&self.opened.file).ok(), exports };
        let Location { folder, project, .. } = &self.opened.at;
        Installed::new(self.opened.languages.clone(), around, folder, project, own, &self.store, interrupt)
    }

    /// What a weave would run and why.
    pub fn forecast(&self, interpreters: &mut Installed) -> Vec<Forecast> {
        forecast(self.document(), &self.plan, interpreters, &self.store, &self.history())
    }

    /// Why a block stopped the document.
    pub fn explain(&self, failure: &Failure, caller: &Surroundings) -> Box<Problem> {
        let (mut finding, output) = failure.explain(self.document());
        // A shell's words for a program that it does not find.
        let missing = output.lines().rev().find_map(|line| {
            let words = line.strip_suffix(": not found").or_else(|| line.strip_suffix(": command not found"))?;
            words.rsplit(": ").next()
        });
        let elsewhere = missing.and_then(|name| program_elsewhere(name.trim(), caller, &self.surroundings(caller)));
        if let Some(help) = elsewhere {
            finding.help = Some(help);
        }
        let fault = match failure.kind {
            FailureKind::Interrupted => Fault::Interrupt,
            _ => Fault::Document,
        };
        Box::new(Problem { output, ..*Problem::of(fault, vec![finding], &self.document().sources) })
    }

    /// Does work with what splicing takes beside the document and its results.
    pub(crate) fn aided<T>(&self, work: impl FnOnce(Aids) -> T) -> T {
        let pictures = PicturesIn(self.opened.folder().into());
        work(Aids { pictures: &pictures, memory: &InStore(Some(&self.store)) })
    }

    /// The files that blocks were seen to write when they ran last, by absolute paths.
    pub fn made_files(&self, results: &Results) -> BTreeSet<PathBuf> {
        let observed = self.document().live.indices().filter_map(|index| results.files(index));
        let made = observed.flat_map(|block| &block.outputs);
        made.map(|(name, _)| self.opened.folder().join(name)).collect()
    }

    /// The folders whose lists of entries blocks were seen to read when they ran last, by absolute paths.
    pub fn listed_folders(&self, results: &Results) -> BTreeSet<PathBuf> {
        let observed = self.document().live.indices().filter_map(|index| results.files(index));
        let listed = observed.flat_map(|block| &block.inputs).filter(|(_, seen)| matches!(seen, Seen::Entries(..)));
        listed.map(|(name, _)| self.opened.folder().join(name)).collect()
    }

    /// Every file that a weave of the document depends on, by absolute paths: what it is put together from, what its
    /// blocks were seen to use when they ran last, and what its exports take along. A file that was looked for and is not
    /// there is among them.
    pub fn dependencies(&self, results: &Results, trees: &Trees) -> BTreeSet<PathBuf> {
        let mut files = self.opened.files();
        let at = |name: &str| self.opened.folder().join(name);
        let observed = self.document().live.indices().filter_map(|index| results.files(index));
        for block in observed {
            files.extend(block.inputs.iter().map(|(name, _)| at(name)));
        }
        let declared = self.document().live.iter().flat_map(|block| &block.options.reads);
        for pattern in declared.filter(|pattern| *pattern != "none") {
            let found =
                glob::glob(&self.opened.folder().join(pattern).to_string_lossy()).into_iter().flatten().flatten();
            files.extend(found.chain([at(pattern)].into_iter().filter(|_| !pattern.contains(['*', '?', '[']))));
        }
        for target in &self.document().pictures {
            if !target.contains("://") && !target.starts_with("//") {
                files.insert(at(target.split(['?', '#']).next().unwrap_or(target)));
            }
        }
        for format in Format::ALL {
            let wants = crate::exporter(format).wants(trees.of(format), &self.document().export_settings(format));
            for want in wants {
                match want {
                    Want::File { path, .. } => files.extend([at(&path)]),
                    Want::Pictures(names) => files.extend(names.iter().map(|name| at(name))),
                    // The files of works are among those of the document.
                    Want::HighlightedCode
                    | Want::Source
                    | Want::SourceWithData
                    | Want::AuthorsText
                    | Want::Works
                    | Want::Program => {}
                }
            }
        }
        files
    }
}
