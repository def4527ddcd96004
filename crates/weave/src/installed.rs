//! What blocks run on, for real: the interpreters of this machine, the files on its disk, its temporary folder.

use crate::beside::Beside;
use crate::chart;
use crate::exports_of_store::exports_of;
use crate::file_name::as_text;
use crate::file_states::{FilesOnDisk, hashed_files};
use crate::interpreting::{Caller, FileStates, Interpreting, Known, NotRunnable, ScratchFolder};
use crate::observations::{Made, Observations};
use crate::scratch::Scratch;
use crate::states_setting::{DEAR, STATES, states_from};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vineloom_interpreters::{
    BlockRun, Heard, Held, Interpreter, Interrupt, Languages, LeftOut, Observed, Outcome, Products, RunError, Saved,
    Seen, Strand, Surroundings, Watch, clear_abandoned_sessions, is_temporary, now,
};
use vineloom_store::{Digest, Objects, Origin, from_record, to_record};

/// The real interpreters of this machine.
#[derive(Debug)]
pub struct Installed<'a> {
    languages: Languages,
    around: &'a Surroundings,
    /// The document's path in its project.
    name: String,
    folder: PathBuf,
    store: &'a dyn Objects,
    interrupt: Interrupt,
    found: BTreeMap<String, (Interpreter, Arc<Known>)>,
    scratch: Option<Scratch>,
    files: FilesOnDisk,
    started: bool,
    presence: Presence,
    products: Products,
    /// The document and its exports.
    own_files: Vec<PathBuf>,
    /// Who is told what blocks print, while they print it.
    heard: Option<Heard>,
    beside: Beside<RunningInterpreter>,
}

/// A document's file and those of its exports, by absolute paths.
#[derive(Debug, Clone, Default)]
pub struct OwnFiles {
    /// The document.
    pub document: Option<PathBuf>,
    /// Its exports and the folders of their parts.
    pub exports: Vec<PathBuf>,
}

/// Whether interpreters are there to run blocks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Presence {
    /// They are looked for on this machine.
    Here,
    /// Nothing is to run: what the store knows of them will do.
    Stored,
}

impl<'a> Installed<'a> {
    /// Interpreters that start in `folder`, the document's, which lies in the folder `project`. `own` are the
    /// document and the places of its exports. Versions of program files are remembered in the store.
    pub fn new(
        languages: Languages,
        around: &'a Surroundings,
        folder: &Path,
        project: &Path,
        own: OwnFiles,
        store: &'a dyn Objects,
        interrupt: Interrupt,
    ) -> Self {
        let products = Products::new(exports_of(store).into_iter().chain(own.exports.iter().cloned()));
        let project_folder = std::fs::canonicalize(project).unwrap_or_else(|_| project.into());
        let in_project = own.document.as_deref().map(|file| file.strip_prefix(&project_folder).unwrap_or(file));
        let name = in_project.map_or_else(String::new, |file| file.to_string_lossy().into_owned());
        let own_files = own.document.into_iter().chain(own.exports).collect();
        Installed {
            languages,
            around,
            name,
            folder: folder.into(),
            store,
            interrupt,
            found: BTreeMap::new(),
            scratch: None,
            files: FilesOnDisk::new(folder, project, products.clone()),
            products,
            own_files,
            heard: None,
            beside: Beside::default(),
            started: false,
            presence: Presence::Here,
        }
    }

    /// The same, with somebody who is told what blocks print, while they print it.
    #[must_use]
    pub fn heard(mut self, heard: Heard) -> Self {
        self.heard = Some(heard);
        self
    }

    /// The same, with so many strands that may run a block at once.
    #[must_use]
    pub fn at_once(mut self, count: usize) -> Self {
        self.beside.at_once = count;
        self
    }

    /// The same, with nothing to run: interpreters are taken to be those that the stored results come from.
    #[must_use]
    pub fn stored_only(mut self) -> Self {
        self.presence = Presence::Stored;
        self.files.trust_machine();
        self
    }

    /// What the store knows of a language's interpreter.
    fn remembered(&self, language: &str) -> Option<Known> {
        from_record(&self.store.record(self.memory_of(language))?)
    }

    /// Where the store remembers a language's interpreter. Each document has its own: the languages that one uses decide
    /// which programs its blocks find.
    fn memory_of(&self, language: &str) -> Digest {
        Digest::of(format!("interpreter of {language} in {}", self.name).as_bytes())
    }

    fn is_built_in(&self, language: &str) -> bool {
        self.languages.get(language).is_some_and(|language| language.built_in)
    }

    fn scratch_folder(&mut self) -> Result<&mut Scratch, String> {
        if self.scratch.is_none() {
            let made = Scratch::new().map_err(|error| format!("the scratch folder can't be made: {error}"))?;
            self.scratch = Some(made);
        }
        self.scratch.as_mut().ok_or_else(String::new)
    }

    fn find(&mut self, name: &str) -> Result<&(Interpreter, Arc<Known>), NotRunnable> {
        if !self.found.contains_key(name) {
            let language = self.languages.get(name).ok_or_else(|| NotRunnable::Unknown {
                nearest: vineloom_document::nearest(name, self.languages.names()).map(String::from),
                known: self.languages.names().map(String::from).collect(),
            })?;
            let session = language.session;
            let home = self.languages.home(name);
            let language = self.languages.get(home).unwrap_or(language);
            let interpreter = Interpreter::find(home, language, self.around).map_err(NotRunnable::Missing)?;
            let text = |(name, value): (OsString, OsString)| (as_text(Path::new(&name)), as_text(Path::new(&value)));
            let mut environment: BTreeMap<String, String> =
                self.around.block_environment().into_iter().map(text).collect();
            let secret = self.store.secret();
            environment
                .extend(language.environment.iter().map(|(name, value)| (name.clone(), secret.conceal(name, value))));
            let known = Known {
                command: language.command.clone(),
                version: self.version(&interpreter),
                driver: Digest::of(language.driver.script().as_bytes()).to_string(),
                environment,
                session,
                shares_streams: language.shares_streams(),
            };
            self.found.insert(name.into(), (interpreter, Arc::new(known)));
        }
        self.found.get(name).ok_or(NotRunnable::Unknown { nearest: None, known: Vec::new() })
    }

    fn version(&self, interpreter: &Interpreter) -> String {
        let Some(fingerprint) = interpreter.fingerprint() else {
            return self.version_by_launcher(interpreter);
        };
        let key = Digest::of(format!("version of {fingerprint}").as_bytes());
        if let Some(version) = self.store.own_record(key).and_then(|bytes| String::from_utf8(bytes).ok()) {
            return version;
        }
        let version = interpreter.ask_version(self.around, &self.folder, None);
        // Only a shortcut for the next weave: asking again is always right.
        let _ = self.store.write_record(key, version.as_bytes());
        version
    }

    /// The version behind a launch script, which may start another program tomorrow. It is asked again when anything has
    /// changed that it read to say it: that is seen as what a block reads is.
    fn version_by_launcher(&self, interpreter: &Interpreter) -> String {
        let environment: BTreeMap<OsString, OsString> = self.around.block_environment().into_iter().collect();
        let question = format!("version behind {:?} in {:?} with {environment:?}", interpreter.path, self.folder);
        let key = Digest::of(question.as_bytes());
        let known = self.store.own_record(key).and_then(|said| from_record::<Said>(&said));
        let is_true = |said: &Said| said.inputs.iter().all(|(path, seen)| now(path, seen, &self.products) == *seen);
        if let Some(said) = known.filter(is_true) {
            return said.version;
        }
        let (apart, folder) = (Interpreter::apart_of_launcher(), self.folder.clone());
        let watch = Watch::new(LeftOut { apart, folder, products: self.products.clone(), unasked: Vec::new() });
        let version = interpreter.ask_version(self.around, &self.folder, Some(&watch));
        let observed = watch.take();
        let is_followed = |observed: &Observed| {
            let is_steady = observed.inputs.values().all(|seen| *seen != Seen::Unsteady);
            observed.unfollowed.is_none() && is_steady && observed.outputs.iter().all(|made| is_temporary(&made.path))
        };
        if let Some(observed) = observed.filter(is_followed) {
            let inputs = observed.inputs.into_iter().filter(|(path, _)| !is_temporary(path));
            let inputs = inputs.map(|(path, seen)| (seen.with_stamp(&path), path)).map(|(seen, path)| (path, seen));
            let said = Said { version: version.clone(), inputs: inputs.collect() };
            // Only a shortcut, as above.
            let _ = self.store.write_record(key, &to_record(&said));
        }
        version
    }
}

/// What a launch script said of the version of what it starts, and the files that it found when it said so.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Said {
    pub version: String,
    pub inputs: Vec<(PathBuf, Seen)>,
}

/// What stands in the store for the environment of a block, and whose secret made it.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Concealed {
    pub by: String,
    pub values: BTreeMap<String, String>,
}

/// Something that runs blocks.
#[derive(Debug)]
pub enum RunningInterpreter {
    /// An interpreter.
    Interpreter(Box<Strand>),
    /// Ourselves, drawing charts; the file that the last one took its data from.
    Charts(Option<String>),
}

impl Interpreting for Installed<'_> {
    type Strand = RunningInterpreter;

    fn known(&mut self, language: &str) -> Result<Arc<Known>, NotRunnable> {
        if self.is_built_in(language) {
            return Ok(Arc::new(Known { version: env!("CARGO_PKG_VERSION").into(), ..Known::default() }));
        }
        if self.presence == Presence::Stored
            && let Some(known) = self.remembered(language)
        {
            return Ok(Arc::new(known));
        }
        let is_new = !self.found.contains_key(language);
        let known = self.find(language).map(|(_, known)| Arc::clone(known))?;
        if is_new && self.presence == Presence::Here && self.remembered(language).as_ref() != Some(&*known) {
            // Of use where no interpreter is; without it nothing is lost here.
            let place = self.memory_of(language);
            let _ = self.store.write_record(place, &to_record(&*known));
        }
        Ok(known)
    }

    fn start(&mut self, language: &str) -> Result<RunningInterpreter, RunError> {
        if self.is_built_in(language) {
            return Ok(RunningInterpreter::Charts(None));
        }
        if !std::mem::replace(&mut self.started, true) {
            clear_abandoned_sessions();
        }
        let folder = self.folder.clone();
        let around = self.around;
        let looks_around = matches!(language, "octave" | "java");
        let (products, unasked) =
            (self.products.clone(), if looks_around { self.own_files.clone() } else { Vec::new() });
        match self.find(language) {
            Ok((interpreter, _)) => {
                let real = std::fs::canonicalize(&folder).unwrap_or_else(|_| folder.clone());
                let apart = interpreter.apart(around, &real);
                let watch = Watch::new(LeftOut { apart, products, unasked, folder: real });
                Strand::start(interpreter, around, &folder, Some(watch))
                    .map(|strand| RunningInterpreter::Interpreter(Box::new(strand)))
            }
            Err(_) => Err(RunError::System {
                what: format!("no interpreter for {language}"),
                source: std::io::ErrorKind::NotFound.into(),
            }),
        }
    }

    fn run(&mut self, strand: &mut RunningInterpreter, block: &BlockRun) -> Result<Outcome, RunError> {
        self.files.forget();
        match strand {
            RunningInterpreter::Interpreter(strand) => {
                strand.hear(self.heard.clone());
                strand.run(block, &self.interrupt)
            }
            RunningInterpreter::Charts(data) => {
                *data = chart::data_file(block);
                Ok(chart::run(block, &self.folder))
            }
        }
    }

    fn checkpoint(&mut self, strand: &mut RunningInterpreter) -> Result<bool, RunError> {
        match strand {
            RunningInterpreter::Interpreter(strand) => strand.checkpoint(&self.interrupt),
            RunningInterpreter::Charts(_) => Ok(false),
        }
    }

    fn go_back(&mut self, strand: &mut RunningInterpreter, levels: usize) -> Result<bool, RunError> {
        match strand {
            RunningInterpreter::Interpreter(strand) => strand.go_back(levels, &self.interrupt),
            RunningInterpreter::Charts(_) => Ok(false),
        }
    }

    fn dear(&self) -> Option<u64> {
        states_from(self.around.variables.get(OsStr::new(STATES)).map(OsString::as_os_str)).unwrap_or(Some(DEAR))
    }

    fn save(&mut self, strand: &mut RunningInterpreter, most: u64) -> Result<Saved, RunError> {
        match strand {
            RunningInterpreter::Interpreter(strand) => strand.save(most, &self.interrupt),
            RunningInterpreter::Charts(_) => Ok(Saved::InDoubt("charts have no state".into())),
        }
    }

    fn take_up(&mut self, strand: &mut RunningInterpreter, state: &[u8]) -> Result<bool, RunError> {
        match strand {
            RunningInterpreter::Interpreter(strand) => strand.take_up(state, &self.interrupt),
            RunningInterpreter::Charts(_) => Ok(false),
        }
    }

    fn observed(&mut self, strand: &mut RunningInterpreter) -> Option<Observations> {
        match strand {
            RunningInterpreter::Interpreter(strand) => {
                strand.observed().map(|observed| self.files.observations(observed, self.store))
            }
            RunningInterpreter::Charts(data) => {
                let read = data.take().map(|name| {
                    let seen = now(&self.folder.join(&name), &Seen::Content(String::new()), &self.products);
                    (name, seen)
                });
                Some(Observations { inputs: read.into_iter().collect(), ..Observations::default() })
            }
        }
    }

    fn at_once(&self) -> usize {
        // Who is told what blocks print takes it to come from the block that began last.
        if self.heard.is_some() { 1 } else { self.beside.at_once }
    }

    fn begin(&mut self, lane: usize, strand: RunningInterpreter, block: BlockRun) -> Result<(), RunError> {
        self.files.forget();
        let folder = self.folder.clone();
        self.beside.begin(lane, &self.interrupt, move |interrupt| match strand {
            RunningInterpreter::Interpreter(mut strand) => {
                let result = strand.run(&block, interrupt);
                (RunningInterpreter::Interpreter(strand), result)
            }
            RunningInterpreter::Charts(_) => {
                (RunningInterpreter::Charts(chart::data_file(&block)), Ok(chart::run(&block, &folder)))
            }
        })
    }

    fn next_done(&mut self) -> Option<(usize, RunningInterpreter, Result<Outcome, RunError>)> {
        let done = self.beside.next_done();
        self.files.forget();
        done
    }

    fn give_up(&mut self) {
        self.beside.give_up();
    }

    fn variables(&mut self, strand: &mut RunningInterpreter) -> Result<Option<Vec<Held>>, RunError> {
        match strand {
            RunningInterpreter::Interpreter(strand) => strand.variables(&self.interrupt),
            RunningInterpreter::Charts(_) => Ok(None),
        }
    }
}

impl FileStates for Installed<'_> {
    fn first_changed(&mut self, inputs: &[(String, Seen)]) -> Option<(String, Seen)> {
        self.files.first_changed(inputs, self.store)
    }

    fn put_back(&mut self, outputs: &[(String, Made)], origin: Origin) -> bool {
        self.files.put_back(outputs, origin, self.store)
    }

    fn can_put_back(&mut self, outputs: &[(String, Made)], origin: Origin) -> bool {
        self.files.can_put_back(outputs, origin, self.store)
    }

    fn undo(&mut self) {
        self.files.undo();
    }

    fn place_named_in(&self, bytes: &[u8]) -> Option<(String, Seen)> {
        self.files.place_named_in(bytes)
    }

    fn files(&self, pattern: &str) -> Vec<(String, String)> {
        hashed_files(&self.folder, pattern)
    }
}

impl ScratchFolder for Installed<'_> {
    fn scratch(&mut self) -> Option<PathBuf> {
        self.scratch_folder().ok().map(|scratch| scratch.path().to_path_buf())
    }

    fn snapshot_scratch(&mut self) -> Result<Digest, String> {
        let store = self.store;
        let failed = |error| format!("the scratch folder can't be stored: {error}");
        self.scratch_folder()?.snapshot(store).map_err(failed)
    }

    fn restore_scratch(&mut self, tree: Digest) -> Result<(), String> {
        let store = self.store;
        match self.scratch_folder()?.restore(tree, store) {
            Ok(true) => Ok(()),
            Ok(false) => {
                Err("what the blocks before it left in the scratch folder is not in the store any more".into())
            }
            Err(error) => Err(format!("the scratch folder can't be written: {error}")),
        }
    }
}

impl Caller for Installed<'_> {
    fn conceal(&mut self, block: Digest, values: &BTreeMap<String, String>) -> BTreeMap<String, String> {
        if values.is_empty() && self.presence == Presence::Here {
            return BTreeMap::new();
        }
        let secret = self.store.secret();
        let conceal = |(name, value): (&String, &String)| (name.clone(), secret.conceal(name, value));
        let own = Concealed { by: secret.name(), values: values.iter().map(conceal).collect() };
        let place = Digest::of(format!("environment of {block} in {}", self.name).as_bytes());
        let remembered: Option<Concealed> = self.store.record(place).and_then(|bytes| from_record(&bytes));
        match (self.presence, remembered) {
            (Presence::Stored, Some(theirs)) if theirs.by != own.by => theirs.values,
            (Presence::Here, remembered) if remembered.as_ref() != Some(&own) => {
                // Of use where the store is taken; without it nothing is lost here.
                let _ = self.store.write_record(place, &to_record(&own));
                own.values
            }
            _ => own.values,
        }
    }

    fn variable(&self, name: &str) -> Option<String> {
        self.around.variables.get(OsStr::new(name)).map(|value| as_text(Path::new(value)))
    }

    fn moment(&self) -> String {
        self.around.moment.clone()
    }

    fn folder(&self) -> PathBuf {
        self.folder.clone()
    }
}
