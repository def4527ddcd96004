//! `vineloom watch`: documents woven again whenever something changes that they were made from, and shown live.
//!
//! One document is woven at a time, by a thread of its own. Meanwhile this one takes note of what changes, what readers of
//! the live page ask for and what becomes of the weave, as [`Signal`]s in the order in which they come.

mod changes;
mod meanwhile;
mod printed;
mod shown;
mod woven;

use crate::command_line::WatchArguments;
use crate::interrupt::interrupt;
use crate::output::{self, say};
use crate::{Exit, messages};
use changes::Outline;
use meanwhile::{Attendant, Meanwhile};
use printed::Editor;
use serde_json::json;
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use vineloom_document::BlockIndex;
use vineloom_interpreters::{Heard, Interrupt, Surroundings, clear_abandoned_sessions};
use vineloom_project::{Opened, Text};
use vineloom_serve::{Ask, Line, Server, Watcher};
use vineloom_store::Secret;
use woven::{Around, Ended, Watched};

/// What happens while documents are watched.
enum Signal {
    /// Files changed; nothing is named where it is not known which.
    Changed(Vec<PathBuf>),
    /// A reader of the live page asks for something.
    Asked(Ask),
    /// Blocks of a document that is woven begin to run: what stands where.
    Begins(Outline),
    /// One of them starts.
    Starts(BlockIndex),
    /// It prints something.
    Prints(String),
    /// No block runs any more: exports are made.
    Exports,
    /// The weave is over.
    Over(Box<Ended>),
}

/// After so long without a further change what changed is woven: an editor saves in several steps.
const QUIET: Duration = Duration::from_millis(20);
/// No longer than this is waited for quiet.
const PATIENCE: Duration = Duration::from_millis(250);
/// How often a wish to end is looked for, where nothing else happens.
const LOOK_ROUND: Duration = Duration::from_millis(150);
/// How often a document is woven again for changes that came while it was woven, where its blocks ran each time: its own
/// blocks may make them.
const MOST_IN_A_ROW: usize = 3;
/// Deeply nested documents are walked by recursion; the memory is only touched when it is needed.
const STACK: usize = 1 << 30;

/// Weaves documents whenever something changes, until it is interrupted.
pub fn watch(arguments: &WatchArguments) -> Exit {
    match Watching::begin(arguments) {
        Ok(mut watching) => watching.until_interrupted(),
        Err(exit) => exit,
    }
}

/// Documents that are being watched.
struct Watching {
    documents: Vec<Watched>,
    server: Server,
    watcher: Watcher,
    signals: Receiver<Signal>,
    sender: Sender<Signal>,
    interrupt: Interrupt,
    caller: Surroundings,
    secret: Secret,
    /// The folders that were named, by their absolute paths and as they were named: documents may come into them.
    folders: BTreeMap<PathBuf, PathBuf>,
    /// Documents that were parts, or libraries, of others when watching began.
    parts: BTreeSet<PathBuf>,
    /// What is to be woven, in order.
    waiting: VecDeque<usize>,
    /// Files that changed and have not been looked at.
    changed: Vec<Vec<PathBuf>>,
    paused: bool,
    /// What opens a line that was pointed at.
    editor: Option<Editor>,
    /// Parameters set from outside.
    set: Vec<(String, String)>,
}

impl Watching {
    fn begin(arguments: &WatchArguments) -> Result<Self, Exit> {
        let editor = arguments.editor_command.as_deref().map(Editor::of).transpose().map_err(|why| {
            messages::error(&why, Some("as in `--editor-command \"edit +{line} {file}\"`"));
            Exit::WrongUse
        })?;
        let found = documents(&arguments.paths)?;
        let interrupt = interrupt();
        let caller = vineloom_project::surroundings();
        clear_abandoned_sessions();
        let secret = messages::secret(&caller).map_err(|problem| messages::problem(&problem))?;
        let parts = parts(&found, &secret);
        let whole = |path: &Path| std::fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf());
        let is_wanted = |(file, how): &(PathBuf, Found)| *how == Found::Named || !parts.contains(&whole(file));
        let wanted: Vec<PathBuf> = found.iter().filter(|it| is_wanted(it)).map(|(file, _)| file.clone()).collect();
        // Documents that are parts of each other are all looked at.
        let files = if wanted.is_empty() { found.into_iter().map(|(file, _)| file).collect() } else { wanted };
        let (sender, signals) = channel();
        let refused = |why: String, help: &str| {
            messages::error(&why, Some(help));
            Exit::WrongUse
        };
        let asked = sender.clone();
        let (asks, asking) = channel();
        // The server hands on asks as its own; here they are signals among others.
        let _ = std::thread::Builder::new().name("asks".into()).spawn(move || {
            while let Ok(ask) = asking.recv() {
                if asked.send(Signal::Asked(ask)).is_err() {
                    return;
                }
            }
        });
        let titles: Vec<String> = files.iter().map(|file| file.display().to_string()).collect();
        let server = Server::start(arguments.port, &titles, asks)
            .map_err(|error| refused(error.to_string(), "choose another port with `--port`"))?;
        let changes = sender.clone();
        let watcher = Watcher::new(move |paths| changes.send(Signal::Changed(paths)).unwrap_or(()))
            .map_err(|error| refused(error.to_string(), "weave by hand with `vineloom weave`"))?;
        let documents: Vec<Watched> = files.into_iter().map(|file| Watched::new(file, &arguments.set)).collect();
        let waiting = (0..documents.len()).collect();
        let mut watching = Watching {
            documents,
            server,
            watcher,
            signals,
            sender,
            interrupt,
            caller,
            secret,
            folders: folders(&arguments.paths),
            parts,
            waiting,
            changed: Vec::new(),
            paused: false,
            editor,
            set: arguments.set.clone(),
        };
        watching.watch_files();
        let address = watching.server.address();
        say!("The live page is {address}");
        output::note("Ctrl-C ends watching");
        if !arguments.no_open
            && let Err(error) = open::that_detached(&address)
        {
            messages::warning(
                &format!("the page can't be opened here: {error}"),
                Some("open the address in a browser"),
            );
        }
        Ok(watching)
    }

    fn until_interrupted(&mut self) -> Exit {
        while !self.interrupt.raised() {
            self.take_changes();
            let next = if self.paused { None } else { self.waiting.pop_front() };
            match next {
                Some(at) => self.weave(at),
                None => match self.signals.recv_timeout(LOOK_ROUND) {
                    Ok(signal) => self.note(signal),
                    Err(RecvTimeoutError::Timeout) => {}
                    Err(RecvTimeoutError::Disconnected) => break,
                },
            }
        }
        // Interpreters end with what holds them.
        self.documents.clear();
        say!("watching has ended");
        Exit::Done
    }

    /// Takes note of something that happens while nothing is woven.
    fn note(&mut self, signal: Signal) {
        match signal {
            Signal::Changed(paths) => {
                self.changed.push(paths);
                let begun = Instant::now();
                while begun.elapsed() < PATIENCE {
                    match self.signals.recv_timeout(QUIET) {
                        Ok(Signal::Changed(paths)) => self.changed.push(paths),
                        Ok(other) => self.note(other),
                        Err(_) => break,
                    }
                }
            }
            Signal::Asked(ask) => self.asked(ask),
            Signal::Begins(_) | Signal::Starts(_) | Signal::Prints(_) | Signal::Exports | Signal::Over(_) => {}
        }
    }

    fn asked(&mut self, ask: Ask) {
        match ask {
            Ask::Again(at) => {
                if let Some(document) = self.documents.get_mut(at) {
                    document.warm.ask_again();
                    self.wants(at);
                }
            }
            Ask::Waiting(at) => {
                if let Some(document) = self.documents.get_mut(at) {
                    document.warm.ask_for_waiting();
                    self.wants(at);
                }
            }
            Ask::Pause => {
                self.paused = true;
                self.server.tell_all(&json!({ "event": "paused" }));
            }
            Ask::GoOn => {
                self.paused = false;
                self.server.tell_all(&json!({ "event": "goes-on" }));
            }
            Ask::Open(line) => open_in_editor(self.editor.as_ref(), &line),
        }
    }

    fn wants(&mut self, at: usize) {
        if !self.waiting.contains(&at) {
            self.waiting.push_back(at);
        }
    }

    /// Finds the documents that changed files concern.
    fn take_changes(&mut self) {
        let changed = std::mem::take(&mut self.changed);
        self.look_for_documents_in(&changed);
        for paths in changed {
            for at in 0..self.documents.len() {
                if self.documents[at].is_concerned(&paths) {
                    self.documents[at].in_a_row = 0;
                    self.wants(at);
                }
            }
        }
    }

    /// Takes up the documents that changes may have brought.
    fn look_for_documents_in(&mut self, changes: &[Vec<PathBuf>]) {
        if changes.iter().any(|paths| paths.is_empty() || paths.iter().any(|path| self.may_be_new(path))) {
            self.look_for_documents();
        }
    }

    /// Whether a path may be that of a document, or of a folder of documents, that has come into a folder.
    fn may_be_new(&self, path: &Path) -> bool {
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        let is_candidate = name.ends_with(".vine.md") || path.is_dir() && !name.starts_with('.');
        self.folders.keys().any(|folder| path.starts_with(folder)) && is_candidate
    }

    /// Takes up the documents that have come into the folders since. Folders are watched before they are looked through, and
    /// looked through again as long as others come: what comes into one later is told.
    fn look_for_documents(&mut self) {
        let mut known: BTreeSet<PathBuf> = self.documents.iter().flat_map(|document| &document.own).cloned().collect();
        known.extend(self.parts.iter().cloned());
        loop {
            let before = self.all_folders();
            self.watch_files();
            let all = self.folders.values().flat_map(|folder| documents_below(folder));
            let whole = |file: PathBuf| std::fs::canonicalize(&file).ok().map(|whole| (file, whole));
            let new: Vec<(PathBuf, PathBuf)> =
                all.filter_map(whole).filter(|(_, whole)| !known.contains(whole)).collect();
            for (file, whole) in new {
                known.insert(whole);
                self.server.add(&file.display().to_string());
                self.documents.push(Watched::new(file, &self.set));
                self.waiting.push_back(self.documents.len() - 1);
            }
            if self.all_folders() == before {
                break;
            }
        }
        self.watch_files();
    }

    /// The folders into which documents may come.
    fn all_folders(&self) -> BTreeSet<PathBuf> {
        self.folders.keys().flat_map(|folder| folders_below(folder)).collect()
    }

    /// Weaves a document. What it is made from may change meanwhile: then what runs is ended, where it is not wanted any
    /// more, and the document is woven again.
    fn weave(&mut self, at: usize) {
        let (sender, caller, secret, server) = (self.sender.clone(), &self.caller, &self.secret, &self.server);
        let mut document = std::mem::take(&mut self.documents[at]);
        // Watched anew, should a fault in the program take it away.
        self.documents[at] = Watched::new(document.file.clone(), &document.set);
        let around = (&self.interrupt, self.editor.as_ref(), secret);
        let attendant = Attendant::of(&document, (server, at), &self.signals, around);
        let (woven, meanwhile) = std::thread::scope(|scope| {
            let interrupt = attendant.weave.clone();
            let prints = Mutex::new(self.sender.clone());
            let heard = Heard::new(move |text| {
                let sender = prints.lock().unwrap_or_else(PoisonError::into_inner);
                let _ = sender.send(Signal::Prints(text.to_string()));
            });
            let worker = std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, move || {
                let around = Around { caller, secret, interrupt: &interrupt, heard: &heard, server, at };
                let ended = document.weave(&around, &mut |signal| {
                    // Nobody is there to be told only when the program ends.
                    let _ = sender.send(signal);
                });
                let _ = sender.send(Signal::Over(Box::new(ended)));
                document
            });
            let Ok(worker) = worker else { return (None, Meanwhile::default()) };
            let meanwhile = attendant.attend(&|| worker.is_finished());
            (worker.join().ok(), meanwhile)
        });
        let (Some(document), Some(ended)) = (woven, meanwhile.ended) else {
            messages::error("a fault in the program stopped the weave; watching goes on", None);
            return;
        };
        self.documents[at] = document;
        self.watch_files();
        meanwhile.asks.into_iter().for_each(|ask| self.asked(ask));
        if ended.was_interrupted && !self.interrupt.raised() {
            self.waiting.push_front(at);
        }
        // What changed meanwhile was perhaps read before. What the document's own blocks wrote makes them run no more often
        // than needed.
        let document = &mut self.documents[at];
        let changes = meanwhile.changes;
        let concerning: Vec<&Vec<PathBuf>> = changes.iter().filter(|paths| document.is_concerned(paths)).collect();
        let (own, others): (Vec<_>, Vec<_>) = concerning.into_iter().partition(|paths| document.may_have_made(paths));
        if !others.is_empty() || document.changed_since(&ended) {
            document.in_a_row = 0;
            self.wants(at);
        } else if !own.is_empty() && ended.ran > 0 && document.in_a_row < MOST_IN_A_ROW {
            document.in_a_row += 1;
            self.wants(at);
        }
        self.look_for_documents_in(&changes);
        for paths in changes {
            for other in (0..self.documents.len()).filter(|&other| other != at) {
                if self.documents[other].is_concerned(&paths) {
                    self.wants(other);
                }
            }
        }
    }

    /// Watches what all documents depend on.
    fn watch_files(&mut self) {
        let files: BTreeSet<PathBuf> = self.documents.iter().flat_map(Watched::files).cloned().collect();
        let mut listed: BTreeSet<PathBuf> =
            self.documents.iter().flat_map(|document| &document.listed).cloned().collect();
        listed.extend(self.all_folders());
        self.watcher.watch(&files, &listed);
    }
}

/// Opens a line that was pointed at, where an editor was named.
fn open_in_editor(editor: Option<&Editor>, line: &Line) {
    if let Some(Err(why)) = editor.map(|editor| editor.open(&line.file, line.number)) {
        messages::warning(&why, Some("see `--editor-command`"));
    }
}

/// How a document came to be watched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Found {
    /// It was named.
    Named,
    /// It lies in a folder that was named.
    InFolder,
}

/// The files that documents are put together from, beside themselves.
fn parts(found: &[(PathBuf, Found)], secret: &Secret) -> BTreeSet<PathBuf> {
    let whole = |path: &Path| std::fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf());
    let mut parts = BTreeSet::new();
    for (file, _) in found {
        if let Ok(opened) = Opened::open(file, Text::OnDisk, &[], Some(secret)) {
            let itself = whole(file);
            parts.extend(opened.files().iter().map(|file| whole(file)).filter(|file| *file != itself));
        }
    }
    parts
}

/// The documents that are meant: those named, and all below the folders named.
fn documents(paths: &[PathBuf]) -> Result<Vec<(PathBuf, Found)>, Exit> {
    let mut found: BTreeMap<PathBuf, (PathBuf, Found)> = BTreeMap::new();
    for path in paths {
        let how = if path.is_dir() { Found::InFolder } else { Found::Named };
        let below = if path.is_dir() { documents_below(path) } else { vec![path.clone()] };
        if below.is_empty() {
            let message = format!("there are no documents in {}", path.display());
            messages::error(&message, Some("their names end in `.vine.md`; `vineloom new guide.vine.md` makes one"));
            return Err(Exit::WrongUse);
        }
        for file in below {
            match std::fs::canonicalize(&file) {
                Ok(whole) if whole.is_file() => {
                    let known = found.entry(whole).or_insert((file, how));
                    if how == Found::Named {
                        known.1 = how;
                    }
                }
                _ => {
                    let help = "`vineloom new FILE` makes a document";
                    messages::error(&format!("{} is no file", file.display()), Some(help));
                    return Err(Exit::WrongUse);
                }
            }
        }
    }
    Ok(found.into_values().collect())
}

/// The folders among what was named.
fn folders(paths: &[PathBuf]) -> BTreeMap<PathBuf, PathBuf> {
    let folder =
        |path: &PathBuf| Some((std::fs::canonicalize(path).ok().filter(|whole| whole.is_dir())?, path.clone()));
    paths.iter().filter_map(folder).collect()
}

/// A folder and all below it, but for those that are hidden.
fn folders_below(folder: &Path) -> Vec<PathBuf> {
    let mut all = vec![folder.to_path_buf()];
    let mut at = 0;
    while at < all.len() {
        let entries = std::fs::read_dir(&all[at]).into_iter().flatten().flatten();
        let is_shown = |entry: &std::fs::DirEntry| !entry.file_name().to_string_lossy().starts_with('.');
        let below = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()) && is_shown(entry));
        let below: Vec<PathBuf> = below.map(|entry| entry.path()).collect();
        all.extend(below);
        at += 1;
    }
    all
}

fn documents_below(folder: &Path) -> Vec<PathBuf> {
    let entries = |folder: PathBuf| std::fs::read_dir(folder).into_iter().flatten().flatten();
    let files = folders_below(folder).into_iter().flat_map(entries).map(|entry| entry.path());
    let mut found: Vec<PathBuf> =
        files.filter(|path| path.is_file() && path.to_string_lossy().ends_with(".vine.md")).collect();
    found.sort();
    found
}
