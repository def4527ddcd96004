//! A document that is ready to run: read, planned, with its store open.

use crate::reading::{self, OnDisk, Used};
use crate::{Ended, messages};
use std::path::{Path, PathBuf};
use vineloom_document::{Document, Severity, has_errors};
use vineloom_interpreters::{Languages, Surroundings};
use vineloom_store::{Secret, Store, StoreError};
use vineloom_weave::{Failure, FailureKind, History, Plan, Results, State, check_transcripts, known_names, plan};

/// A document and all it takes to run it.
pub struct Ready {
    /// The document.
    pub document: Document,
    /// Its file.
    pub file: PathBuf,
    /// What runs in which order.
    pub plan: Plan,
    /// The document's folder.
    pub folder: PathBuf,
    /// The folder of its project file; its own when it has none.
    pub project_folder: PathBuf,
    /// The languages, with those that the document and its project set up.
    pub languages: Languages,
    /// The files that it is put together from.
    used: Used,
    /// Where its results are.
    pub store: Store,
    /// Its path in the project, by which its history is found.
    name: String,
    /// A store for this run alone, when the right one can't be written.
    _passing: Option<tempfile::TempDir>,
}

impl Ready {
    /// Reads and plans a document, and opens its store.
    ///
    /// # Errors
    /// What ended it; why has been told.
    pub fn read(file: &Path, set: &[(String, String)]) -> Result<Ready, Ended> {
        let OnDisk { mut parsed, folder, project_folder, languages, used } = reading::read(file, set)?;
        parsed.diagnostics.extend(check_transcripts(&parsed.document, &languages));
        let unread = crate::formulas::unread(&parsed.document);
        parsed.diagnostics.extend(unread);
        let findings: Vec<_> = parsed.diagnostics.into_iter().filter(|d| d.severity > Severity::Hint).collect();
        let document = parsed.document;
        messages::show(&document.sources, &findings);
        if has_errors(&findings) {
            return Err(Ended::Failed);
        }
        let plan = plan(&document, &languages).map_err(|circle| {
            messages::show(&document.sources, &[*circle]);
            Ended::Failed
        })?;
        let (store, passing) = open_store(&project_folder)?;
        let name = history_name(file, &folder, &project_folder);
        Ok(Ready {
            document,
            file: file.into(),
            plan,
            folder,
            project_folder,
            languages,
            used,
            store,
            name,
            _passing: passing,
        })
    }

    /// Whether a file that the document is put together from is not any more as it was when it was read.
    pub fn is_behind(&self) -> bool {
        reading::have_changed(&self.used, &self.folder)
    }

    /// What its last weave knew.
    pub fn history(&self) -> History {
        History::load(&self.store, &self.name)
    }

    /// Whether the last weave had the same blocks in the same order.
    fn is_in_order(&self) -> bool {
        let names = known_names(&self.document);
        let order: Vec<String> = self.plan.order.iter().map(|&index| names[index].clone()).collect();
        History::is_in_order(&self.store, &self.name, &order)
    }

    /// Warns of blocks that stand above what they needed in the last weave.
    pub fn say_what_moved(&self) {
        if !self.is_in_order() {
            messages::show(&self.document.sources, &self.history().moved_above(&self.document, &self.plan));
        }
    }

    /// Keeps what this weave knew, for the next one to tell of.
    pub fn keep_history(&self, results: &Results) {
        let all_kept = results.states.iter().flatten().all(|state| *state == State::Kept);
        if !(all_kept && self.is_in_order()) {
            History::of(&self.document, &self.plan, results).save(&self.store, &self.name);
        }
    }

    /// The world as its blocks see it.
    pub fn surroundings(&self) -> Surroundings {
        let caller = reading::surroundings();
        reading::surroundings_of(&caller, &self.document, &self.languages, &self.folder, &self.project_folder)
    }

    /// Tells why a block stopped the document.
    pub fn tell_failure(&self, failure: &Failure) -> Ended {
        let (mut finding, output) = failure.explain(&self.document);
        // A shell's words for a program that it does not find.
        let missing = output.lines().rev().find_map(|line| {
            let words = line.strip_suffix(": not found").or_else(|| line.strip_suffix(": command not found"))?;
            words.rsplit(": ").next()
        });
        if let Some(help) = missing.and_then(|name| reading::program_elsewhere(name.trim(), &self.surroundings())) {
            finding.help = Some(help);
        }
        messages::show_failure(&self.document.sources, &finding, &output);
        if matches!(failure.kind, FailureKind::Interrupted) { Ended::Interrupted } else { Ended::Failed }
    }
}

/// By what the history of a document is found: its path in the project.
pub fn history_name(file: &Path, folder: &Path, project_folder: &Path) -> String {
    let name = folder.strip_prefix(project_folder).unwrap_or(folder).join(file.file_name().unwrap_or_default());
    name.to_string_lossy().into_owned()
}

/// Opens a store; one that is a link to somewhere outside its project is not used: it may have come with the project.
fn opened(folder: &Path, project_folder: &Path, secret: Secret) -> Result<Store, StoreError> {
    let leads_outside = std::fs::canonicalize(folder).is_ok_and(|real| !real.starts_with(project_folder));
    if leads_outside || std::fs::symlink_metadata(folder).is_ok_and(|about| about.is_symlink() && !folder.exists()) {
        let source = std::io::Error::other("it is a link that leads out of the project");
        return Err(StoreError { path: folder.into(), source });
    }
    Store::open(folder, secret)
}

/// Opens the store beside the project file, else beside the document. Where that can't be, results are kept for this
/// run alone.
fn open_store(project_folder: &Path) -> Result<(Store, Option<tempfile::TempDir>), Ended> {
    let folder = project_folder.join(".vineloom");
    let secret = reading::secret()?;
    match opened(&folder, project_folder, secret.clone()) {
        Ok(store) => {
            if let Some(other) = store.other_layout() {
                let message =
                    format!("{} holds results of another version of this program ({other})", folder.display());
                messages::warning(
                    &message,
                    Some("they are left alone and not read; remove them when no older program needs them"),
                );
            }
            Ok((store, None))
        }
        Err(error) => {
            let passing = tempfile::tempdir().and_then(|passing| {
                let store = Store::open(passing.path(), secret).map_err(std::io::Error::other)?;
                Ok((store, Some(passing)))
            });
            match passing {
                Ok(passing) => {
                    messages::warning(
                        &error.to_string(),
                        Some("the weave goes on, and the next one will run every block again"),
                    );
                    Ok(passing)
                }
                Err(_) => {
                    messages::error(
                        &error.to_string(),
                        Some("see that there is room, and that the folder may be written to"),
                    );
                    Err(Ended::Unusable)
                }
            }
        }
    }
}
