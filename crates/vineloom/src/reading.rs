//! Documents as they lie on disk: the file, its folder, its project file, the files it names.

use crate::Ended;
use crate::messages;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use vineloom_document::options::OptionValue;
use vineloom_document::{
    Diagnostic, Document, FileProblem, Files, Given, Parsed, Script, Source, parse_with, to_document,
};
use vineloom_interpreters::{Interpreter, Languages, Surroundings};
use vineloom_store::{Digest, Secret, Store};
use vineloom_weave::{History, Made};

/// A document read from disk.
pub struct OnDisk {
    /// The document and what is wrong with it.
    pub parsed: Parsed,
    /// Its folder, absolute.
    pub folder: PathBuf,
    /// The folder of its project file; its own when it has none.
    pub project_folder: PathBuf,
    /// The languages, with those that the document and its project set up.
    pub languages: Languages,
    /// The files that it is put together from, as they were when it was read.
    pub used: Used,
}

/// Files that a document is put together from, each with the hash of what it held; nothing for one that was not there.
pub type Used = BTreeMap<String, Option<Digest>>;

/// Whether any of these files is not any more as it was: a block may have written it since.
pub fn have_changed(used: &Used, folder: &Path) -> bool {
    let now = |name: &String| std::fs::read(folder.join(name)).ok().map(|bytes| Digest::of(&bytes));
    used.iter().any(|(name, was)| now(name) != *was)
}

/// Reads a document with its project file; `set` are parameters as `name` and text.
///
/// # Errors
/// [`Ended::Unusable`] when it can't be read; why has been told.
pub fn read(file: &Path, set: &[(String, String)]) -> Result<OnDisk, Ended> {
    let source = as_document(read_source(file)?);
    let folder = folder_of(file)?;
    let project_folder = folder.ancestors().find(|at| at.join("vineloom.toml").is_file());
    let project = project_folder.map(|at| read_source(&from_here(&at.join("vineloom.toml")))).transpose()?;
    let mut files = FilesIn { folder: folder.clone(), promised: Vec::new(), used: RefCell::default() };
    let given = |files: &FilesIn| parse_with(source.clone(), Given { files, project: project.clone(), set });
    let mut parsed = given(&files);
    let project_folder = project_folder.unwrap_or(&folder).to_path_buf();
    if files.used.borrow().values().any(Option::is_none) {
        // What a block is going to write is left until it has.
        files.promised = promised(&parsed.document, file, &folder, &project_folder);
        if files.used.borrow().iter().any(|(name, was)| was.is_none() && files.is_promised(name)) {
            parsed = given(&files);
        }
    }
    crate::dates::tell(&mut parsed.document, file);
    let languages = languages(&mut parsed, &folder, &project_folder);
    Ok(OnDisk { parsed, folder, project_folder, languages, used: files.used.into_inner() })
}

/// What the blocks of a document say that they write, and what they wrote in its last weave; paths and patterns.
fn promised(document: &Document, file: &Path, folder: &Path, project_folder: &Path) -> Vec<String> {
    let mut promised: Vec<String> = document.live.iter().flat_map(|block| block.options.writes.clone()).collect();
    let store = project_folder.join(".vineloom");
    if store.is_dir()
        && let Some(store) = secret().ok().and_then(|secret| Store::open(&store, secret).ok())
    {
        let history = History::load(&store, &crate::ready::history_name(file, folder, project_folder));
        let outputs = history.blocks.into_iter().filter_map(|past| past.files).flat_map(|files| files.outputs);
        promised.extend(outputs.filter(|(_, made)| matches!(made, Made::File(..))).map(|(name, _)| name));
    }
    promised
}

/// The built-in languages and those of `[interpreters.NAME]`. The file of a driver is looked for beside the document,
/// then beside the project file.
fn languages(parsed: &mut Parsed, folder: &Path, project_folder: &Path) -> Languages {
    let mut languages = Languages::built_in();
    let read = |path: &str| [folder, project_folder].iter().find_map(|at| std::fs::read_to_string(at.join(path)).ok());
    for (name, span, settings) in parsed.document.interpreters() {
        let mut table = toml_edit::DocumentMut::new();
        for (key, setting) in settings.iter() {
            table[key] = match &setting.value {
                OptionValue::List(list) if key == "environment" => {
                    let pairs = list.iter().filter_map(|pair| pair.split_once('='));
                    toml_edit::value(
                        pairs.map(|(name, value)| (name.trim(), value)).collect::<toml_edit::InlineTable>(),
                    )
                }
                OptionValue::List(list) => {
                    toml_edit::value(list.iter().map(String::as_str).collect::<toml_edit::Array>())
                }
                OptionValue::Text(text) => toml_edit::value(text),
                OptionValue::Flag(flag) => toml_edit::value(*flag),
                OptionValue::Number(number) => toml_edit::value(*number),
            };
        }
        if let Err(error) = languages.add(&name, &table.to_string(), &read) {
            let help = "`vineloom options command` and the other settings of interpreters say what each takes";
            parsed.diagnostics.push(Diagnostic::error(span, error.to_string()).help(help));
        }
    }
    languages
}

/// The world as this process finds it.
pub fn surroundings() -> Surroundings {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
    let moment = format!("{}.{}", std::process::id(), now.as_nanos());
    Surroundings { variables: std::env::vars_os().collect(), moment }
}

/// The user's secret, by which results of their own are known; it lies in the user's data folder. Where that can't be
/// written there is one for this run alone, and the next takes its results for somebody else's.
///
/// # Errors
/// [`Ended::Unusable`] when the system has no random numbers; that has been told.
pub fn secret() -> Result<Secret, Ended> {
    let in_home =
        || Some(PathBuf::from(std::env::var_os("HOME").filter(|home| !home.is_empty())?).join(".local/share"));
    let data = std::env::var_os("XDG_DATA_HOME").map(PathBuf::from).filter(|folder| folder.is_absolute());
    let file = data.or_else(in_home).map(|folder| folder.join("vineloom/secret"));
    let found = file.as_ref().map(|file| Secret::in_file(file));
    if let Some(Ok(secret)) = found {
        return Ok(secret);
    }
    let problem = match (&file, found) {
        (Some(file), Some(Err(error))) => format!("the secret in {} can't be used: {error}", file.display()),
        _ => "there is no folder for a secret: neither HOME nor XDG_DATA_HOME is set".into(),
    };
    messages::warning(
        &problem,
        Some("the weave goes on; later ones will take what it stores for somebody else's, and trust it less"),
    );
    Secret::passing().map_err(|error| {
        messages::error(&format!("no random numbers can be had: {error}"), Some("see that /dev/urandom is there"));
        Ended::Unusable
    })
}

/// What the system's own programs are found in, first to last.
const SYSTEM_PATH: [&str; 6] = ["/usr/local/sbin", "/usr/local/bin", "/usr/sbin", "/usr/bin", "/sbin", "/bin"];

/// The world as the blocks of a document see it: programs are found in the same folders from every terminal, editor and
/// build service. Those that the document names come first, then those of its interpreters, the user's own, the system's.
pub fn surroundings_of(
    caller: &Surroundings,
    document: &Document,
    languages: &Languages,
    folder: &Path,
    project: &Path,
) -> Surroundings {
    let home = caller.variables.get(OsStr::new("HOME")).map(PathBuf::from);
    let named = document.program_folders().into_iter().map(|name| match (name.strip_prefix("~/"), &home) {
        (Some(below), Some(home)) => home.join(below),
        // The project file's paths start where it lies; a document may stand below it.
        _ if folder.join(&name).is_dir() => folder.join(&name),
        _ => project.join(&name),
    });
    let of_interpreters = document.live.iter().filter_map(|block| {
        let language = languages.get(languages.home(&block.language))?;
        let found = Interpreter::find(&block.language, language, caller).ok()?;
        Some(found.path.parent()?.to_path_buf())
    });
    let own = home.iter().flat_map(|home| [home.join(".local/bin"), home.join("bin")]);
    let mut path: Vec<PathBuf> = Vec::new();
    let is_system = |folder: &PathBuf| SYSTEM_PATH.iter().any(|system| folder == Path::new(system));
    let before = named.chain(of_interpreters).chain(own).filter(|folder| !is_system(folder) && folder.is_absolute());
    for folder in before.chain(SYSTEM_PATH.map(PathBuf::from)) {
        if !path.contains(&folder) {
            path.push(folder);
        }
    }
    let mut around = caller.clone();
    if let Ok(path) = std::env::join_paths(path) {
        around.variables.insert("PATH".into(), path);
    }
    around
}

/// Where on the caller's own PATH a program is that blocks do not find; what to write so that they do.
pub fn program_elsewhere(name: &str, blocks: &Surroundings) -> Option<String> {
    let is_program = |folder: &PathBuf| {
        use std::os::unix::fs::PermissionsExt;
        std::fs::metadata(folder.join(name)).is_ok_and(|it| it.is_file() && it.permissions().mode() & 0o111 != 0)
    };
    if name.is_empty() || name.contains('/') || blocks.program_folders().iter().any(is_program) {
        return None;
    }
    let folder = surroundings().program_folders().into_iter().find(is_program)?;
    Some(format!(
        "`{name}` is in {0}, where blocks do not look: put `[environment]` and below it `path = [\"{0}\"]` into the front matter or vineloom.toml",
        folder.display()
    ))
}

/// A script in the form of a document; any other file as it is.
fn as_document(source: Source) -> Source {
    match Script::of_path(source.name()) {
        Some(script) => {
            let document = to_document(source.text(), script);
            Source::new(source.name(), document.text).made_from(source.text().to_string(), document.lines)
        }
        None => source,
    }
}

/// Files in a document's folder.
struct FilesIn {
    folder: PathBuf,
    /// Paths and patterns of files that blocks write.
    promised: Vec<String>,
    used: RefCell<Used>,
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

/// A path as somebody who stands in the current folder would write it.
pub fn from_here(path: &Path) -> PathBuf {
    let here = std::env::current_dir().and_then(std::fs::canonicalize).unwrap_or_default();
    path.strip_prefix(&here).map_or_else(|_| path.to_path_buf(), Path::to_path_buf)
}

/// The text of a document, as it is known by its path.
///
/// # Errors
/// [`Ended::Unusable`] when it can't be read; why has been told.
pub fn read_source(file: &Path) -> Result<Source, Ended> {
    let name = file.display().to_string();
    let unusable = |message: String, help: &str| {
        messages::error(&message, Some(help));
        Ended::Unusable
    };
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

/// A file's folder, absolute.
fn folder_of(file: &Path) -> Result<PathBuf, Ended> {
    let path = std::fs::canonicalize(file).map_err(|error| {
        messages::error(&format!("{} can't be found: {error}", file.display()), None);
        Ended::Unusable
    })?;
    Ok(path.parent().map_or_else(|| PathBuf::from("/"), Path::to_path_buf))
}
