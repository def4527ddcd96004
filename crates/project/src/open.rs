//! Opening a document: its text put together with the files it names, and everything that is wrong with it.

use crate::languages::languages;
use crate::location::{Location, from_here};
use crate::memory::InStore;
use crate::problem::{Fault, Problem};
use crate::store_of_project::store_there;
use crate::{dates, findings};
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vineloom_document::{
    Diagnostic, Document, FileProblem, Files, Given, Parsed, Source, document_of_script, parse_with,
};
use vineloom_interpreters::Languages;
use vineloom_store::{Digest, Secret};
use vineloom_weave::{History, Outline, Plan, check_data_files, plan};

/// Where the text of a document is.
#[derive(Debug, Clone)]
pub enum Text {
    /// In its file.
    OnDisk,
    /// Somewhere else, in an editor for instance; the file need not be there.
    Held(String),
}

/// A document that has been opened.
#[derive(Debug)]
pub struct Opened {
    /// The document, as far as it could be read.
    pub document: Document,
    /// Its file.
    pub file: PathBuf,
    /// The languages, with those that the document and its project set up.
    pub languages: Languages,
    /// What runs in which order; nothing when blocks wait for each other in a circle, which is among the findings.
    pub plan: Option<Plan>,
    pub(crate) at: Location,
    findings: Vec<Diagnostic>,
    /// Parameters set from outside.
    set: Vec<(String, String)>,
    /// Its text, where that is not in its file.
    pub(crate) held: Option<String>,
    /// By what its history is found.
    pub(crate) name_in_project: String,
    /// The files that it is put together from, as they were when it was read.
    used: UsedFiles,
}

/// Files that a document is put together from, by their paths from its folder, each with the hash of what it held;
/// nothing for one that was not there.
type UsedFiles = BTreeMap<String, Option<Digest>>;

impl Opened {
    /// Opens a document with its project file; `set` are parameters as `name` and text. `secret` tells what its last
    /// weave knew from what came from elsewhere.
    ///
    /// # Errors
    /// [`Fault::Use`] when it can't be read. What is wrong with its text is no such error, but among the findings.
    pub fn open(
        file: &Path,
        text: Text,
        set: &[(String, String)],
        secret: Option<&Secret>,
    ) -> Result<Self, Box<Problem>> {
        Opened::open_as(file, None, text, set, secret)
    }

    /// The same for one of several weaves of a document, each with a history of its own: `name` is that of its exports.
    ///
    /// # Errors
    /// As [`Opened::open`].
    pub(crate) fn open_as(
        file: &Path,
        name: Option<&str>,
        text: Text,
        set: &[(String, String)],
        secret: Option<&Secret>,
    ) -> Result<Self, Box<Problem>> {
        let held = match &text {
            Text::OnDisk => None,
            Text::Held(text) => Some(text.clone()),
        };
        let source = Arc::new(document_of_script(match text {
            Text::OnDisk => read_source(file)?,
            Text::Held(text) => Source::new(file.display().to_string(), text),
        }));
        let at = Location::of(file).map_err(|error| {
            Problem::unplaced(Fault::Use, Diagnostic::unplaced(format!("{} can't be found: {error}", file.display())))
        })?;
        let project = at.project_file.as_ref().map(|file| read_source(&from_here(file))).transpose()?;
        let name_in_project = match name {
            Some(name) => format!("{} as {name}", at.name_in_project(file)),
            None => at.name_in_project(file),
        };
        let store = secret.and_then(|secret| store_there(&at, secret));
        let outline = store.as_ref().map_or_else(Outline::default, |store| Outline::load(store, &name_in_project));
        let mut files = FilesIn { folder: at.folder.clone(), promised: Vec::new(), used: RefCell::default() };
        let read = |files: &FilesIn| parse_with(Arc::clone(&source), Given { files, project: project.clone(), set });
        let mut parsed = read(&files);
        if files.used.borrow().values().any(Option::is_none) {
            // What a block is going to write is left until it has.
            files.promised = promised(&parsed.document, &outline);
            if files.used.borrow().iter().any(|(name, was)| was.is_none() && files.is_promised(name)) {
                parsed = read(&files);
            }
        }
        let Parsed { mut document, diagnostics: mut findings } = parsed;
        dates::tell(&mut document, file);
        let languages = languages(&document, &at, &mut findings);
        let plan = plan(&document, &languages).map_err(|circle| findings.push(*circle)).ok();
        findings.extend(findings::without_running(&document, &languages, &at.folder, InStore(store.as_ref())));
        if let (Some(plan), Some(store)) = (&plan, &store)
            && !outline.is_in_order(&document, plan)
        {
            findings.extend(History::load(store, &name_in_project).moved_above(&document, plan));
        }
        findings.extend(outline.used_network(&document));
        findings.sort_by_key(|finding| finding.span.map_or(0, |span| span.start));
        let used = files.used.into_inner();
        Ok(Opened {
            document,
            file: file.into(),
            languages,
            plan,
            at,
            findings,
            set: set.to_vec(),
            held,
            name_in_project,
            used,
        })
    }

    /// Opens the document again, as it lies on disk now.
    ///
    /// # Errors
    /// As [`Opened::open`].
    pub(crate) fn again(&self, secret: &Secret) -> Result<Self, Box<Problem>> {
        let text = self.held.clone().map_or(Text::OnDisk, Text::Held);
        let again = Opened::open(&self.file, text, &self.set, Some(secret))?;
        Ok(Opened { name_in_project: self.name_in_project.clone(), ..again })
    }

    /// Everything that is wrong with it, or probably not meant, in the order of the text: all that can be known without
    /// running anything.
    pub fn findings(&self) -> &[Diagnostic] {
        &self.findings
    }

    /// The findings, and what is wrong with the tables that it embeds: reading those takes a while, and whoever weaves it
    /// is told of them by that.
    pub fn all_findings(&self) -> Vec<Diagnostic> {
        let mut findings = self.findings.clone();
        findings.extend(check_data_files(&self.document));
        findings.sort_by_key(|finding| finding.span.map_or(0, |span| span.start));
        findings
    }

    /// The document's folder, absolute: where its blocks start, and its paths.
    pub fn folder(&self) -> &Path {
        &self.at.folder
    }

    /// The folder of its project file; its own when it has none.
    pub fn project_folder(&self) -> &Path {
        &self.at.project
    }

    /// Whether a file that the document is put together from is not any more as it was when it was read: a block may
    /// have written it since.
    pub fn is_behind(&self) -> bool {
        let now = |name: &String| std::fs::read(self.at.folder.join(name)).ok().map(|bytes| Digest::of(&bytes));
        self.used.iter().any(|(name, was)| now(name) != *was)
    }

    /// The files that the document is put together from, by absolute paths: its own, the project's, those it embeds and
    /// names. One that is not there is among them, since the document is another when it comes.
    pub fn files(&self) -> BTreeSet<PathBuf> {
        let own = self.at.folder.join(self.file.file_name().unwrap_or_default());
        let used = self.used.keys().map(|name| self.at.folder.join(name));
        used.chain([own]).chain(self.at.project_file.clone()).collect()
    }
}

/// What the blocks of a document say that they write, and what they wrote in its last weave; paths and patterns.
fn promised(document: &Document, outline: &Outline) -> Vec<String> {
    let mut promised: Vec<String> = document.live.iter().flat_map(|block| block.options.writes.clone()).collect();
    promised.extend_from_slice(outline.made());
    promised
}

/// Files in a document's folder.
struct FilesIn {
    folder: PathBuf,
    /// Paths and patterns of files that blocks write.
    promised: Vec<String>,
    used: RefCell<UsedFiles>,
}

impl FilesIn {
    fn is_promised(&self, name: &str) -> bool {
        let plain = name.trim_start_matches("./");
        let is_meant = |pattern: &String| {
            pattern == plain || glob::Pattern::new(pattern).is_ok_and(|pattern| pattern.matches(plain))
        };
        self.promised.iter().any(is_meant)
    }
}

impl Files for FilesIn {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileProblem> {
        let read = std::fs::read(self.folder.join(path));
        self.used.borrow_mut().insert(path.into(), read.as_ref().ok().map(|bytes| Digest::of(bytes)));
        match read {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound && self.is_promised(path) => {
                Ok(match path.rsplit('.').next() {
                    Some("csv" | "tsv") => b"not written yet\n".to_vec(),
                    Some("json") => b"[{\"not written yet\": null}]".to_vec(),
                    _ => Vec::new(),
                })
            }
            read => read.map_err(|error| match error.kind() {
                std::io::ErrorKind::NotFound => FileProblem::Absent,
                _ => FileProblem::Unreadable(error.to_string()),
            }),
        }
    }
}

/// The text of a document, as it is known by its path.
///
/// # Errors
/// [`Fault::Use`] when it can't be read.
pub fn read_source(file: &Path) -> Result<Source, Box<Problem>> {
    let name = file.display().to_string();
    let unusable =
        |message: String, help: &str| Problem::unplaced(Fault::Use, Diagnostic::unplaced(message).help(help));
    let bytes = std::fs::read(file).map_err(|error| match error.kind() {
        std::io::ErrorKind::NotFound => unusable(format!("there is no document {name}"), &near_files(file)),
        std::io::ErrorKind::IsADirectory => {
            unusable(format!("{name} is a folder"), "name the documents in it, as in `vineloom weave FOLDER/*.md`")
        }
        _ => unusable(format!("{name} can't be read: {error}"), "see that the file may be read"),
    })?;
    Source::from_bytes(name.clone(), bytes).map_err(|error| {
        let message = format!("{name}, line {}: {error}", error.line);
        unusable(message, "documents are UTF-8: save it as UTF-8 in your editor")
    })
}

/// What documents there are, for somebody who named one that is not there.
fn near_files(file: &Path) -> String {
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut names: Vec<String> = std::fs::read_dir(folder)
        .into_iter()
        .flatten()
        .flatten()
        .map(|entry| entry.file_name().to_string_lossy().into_owned())
        .filter(|name| name.ends_with(".md"))
        .collect();
    names.sort();
    let wanted = file.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
    match vineloom_document::nearest(&wanted, names.iter().map(String::as_str)) {
        Some(near) => {
            let path = folder.join(near);
            format!("did you mean {}?", path.strip_prefix("./").unwrap_or(&path).display())
        }
        None if names.is_empty() => "documents are Markdown files, such as guide.vine.md".into(),
        None => format!("the documents in that folder are {}", names.join(", ")),
    }
}
