//! Where exports go, and how they get there: all of a document's or none.
//!
//! Whether an export may stand in its place is found out before anything runs. All files of a document are then
//! written and synced beside their places, and only when each of them is there they take their places, one after the
//! other, parts before what names them. A file that somebody wrote by hand is never replaced unasked: ours is what
//! the store knows to be ours, or what says so itself.

use crate::formats;
use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Script};
use vineloom_export::Export;
use vineloom_store::{Digest, Objects, Prepared, Store, from_record, to_record};

/// The ends of names of documents; what stands before them names the exports.
pub const DOCUMENT_ENDS: [&str; 3] = [".vine.md", ".md", ".markdown"];

/// A place for an export.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// As it is called in messages.
    pub path: PathBuf,
    /// The file itself, after links.
    real: PathBuf,
}

impl Place {
    /// The file, by its absolute path.
    pub fn real(&self) -> &Path {
        &self.real
    }

    /// The folder for its parts, if it has any.
    pub fn parts(&self) -> PathBuf {
        let stem = self.real.file_stem().unwrap_or_default().to_string_lossy();
        self.real.with_file_name(format!("{stem}-parts"))
    }

    /// The name of the export without its ending.
    pub fn stem(&self) -> String {
        self.path.file_stem().unwrap_or_default().to_string_lossy().into_owned()
    }
}

/// Where exports go.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Destination<'a> {
    /// Beside the document.
    Beside,
    /// To a folder.
    Folder(&'a Path),
    /// To no file: whoever asked takes them as they are.
    Caller,
}

/// What the placing of a document's exports needs to know.
#[derive(Debug, Clone, Copy)]
pub struct Placing<'a> {
    /// The document's file.
    pub file: &'a Path,
    /// What the exports are called, without their endings; after the document unless given.
    pub name: Option<&'a str>,
    /// Where they go.
    pub destination: Destination<'a>,
    /// The folder of the document's project.
    pub project: &'a Path,
    /// What knows the exports of earlier weaves.
    pub store: &'a Store,
    /// Whether to replace also what somebody wrote by hand.
    pub overwrite: bool,
}

impl Placing<'_> {
    /// Where the export of a format goes.
    ///
    /// # Errors
    /// A finding when it can't stand there.
    pub fn place(&self, format: Format) -> Result<Place, Box<Diagnostic>> {
        let name = self.file.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
        let stem = self.name.unwrap_or_else(|| stem(&name));
        let folder = match self.destination {
            Destination::Folder(folder) => folder.to_path_buf(),
            Destination::Beside => self.file.parent().map(Path::to_path_buf).unwrap_or_default(),
            Destination::Caller => {
                let path = PathBuf::from(format!("{stem}{}", format.ending()));
                return Ok(Place { real: path.clone(), path });
            }
        };
        let mut path = folder.join(format!("{stem}{}", format.ending()));
        // An export never takes the place of its document.
        let same = fs::canonicalize(&path).is_ok_and(|it| fs::canonicalize(self.file).is_ok_and(|own| own == it));
        if same {
            path = folder.join(format!("{stem}.woven{}", format.ending()));
        }
        let place = Place { real: self.real(&path)?, path };
        self.may_take(&place, &BTreeSet::new(), &[])?;
        Ok(place)
    }

    /// The file that a path leads to. A link is followed inside the project alone.
    fn real(&self, path: &Path) -> Result<PathBuf, Box<Diagnostic>> {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let beside = there_already(folder).map_err(|error| cant_be_written(path, &error))?;
        let is_link = fs::symlink_metadata(path).is_ok_and(|about| about.is_symlink());
        if !is_link {
            return Ok(beside.join(path.file_name().unwrap_or_default()));
        }
        let target = fs::read_link(path).map_err(|error| cant_be_written(path, &error))?;
        let target = folder.join(target);
        let to = target.parent().unwrap_or(Path::new("/"));
        let real = fs::canonicalize(&target)
            .or_else(|_| there_already(to).map(|folder| folder.join(target.file_name().unwrap_or_default())))
            .map_err(|error| cant_be_written(path, &error))?;
        let project = fs::canonicalize(self.project).unwrap_or_else(|_| self.project.into());
        if fs::symlink_metadata(&real).is_ok_and(|about| about.is_symlink()) || !real.starts_with(&project) {
            return Err(refusal(
                format!("{} is a link that leads out of the project, to {}", path.display(), target.display()),
                "remove the link, or let it lead to a file of the project",
            ));
        }
        Ok(real)
    }

    /// Whether an export may stand in a place: nothing of somebody else's is there, and it can be written.
    fn may_take(&self, place: &Place, named: &BTreeSet<String>, bytes: &[u8]) -> Result<(), Box<Diagnostic>> {
        let path = &place.path;
        let about = match fs::symlink_metadata(&place.real) {
            Ok(about) => about,
            Err(_) => {
                let folder = place.real.ancestors().skip(1).find(|at| at.exists()).unwrap_or(Path::new("/"));
                return match is_writable(folder) {
                    true => Ok(()),
                    false => Err(cant_be_written(path, &io::ErrorKind::PermissionDenied.into())),
                };
            }
        };
        if about.is_dir() {
            return Err(refusal(
                format!("{} is a folder: the export can't stand there", path.display()),
                "move it away, or choose another place with `--out`",
            ));
        }
        if !about.is_file() {
            let message = format!("{} is no file: the export can't stand there", path.display());
            return Err(refusal(message, "move it away, or choose another place with `--out`"));
        }
        if !place.real.parent().is_some_and(is_writable) {
            return Err(cant_be_written(path, &io::ErrorKind::PermissionDenied.into()));
        }
        if self.overwrite || about.len() == 0 || self.is_ours(place, named, bytes) {
            return Ok(());
        }
        Err(refusal(
            format!("{} is there already, and Vine Loom did not write it", path.display()),
            "move it away, choose another place with `--out`, or replace it with `--overwrite`",
        ))
    }

    /// Whether what stands in a place is ours: it is what was put there last, or says that it is; a part (`named` are
    /// those that our export names) has its content's hash in its name, or is named by an export of ours.
    fn is_ours(&self, place: &Place, named: &BTreeSet<String>, bytes: &[u8]) -> bool {
        let Ok(there) = fs::read(&place.real) else { return false };
        let hash = Digest::of(&there).to_string();
        let name = place.real.file_stem().unwrap_or_default().to_string_lossy();
        there == bytes
            || self.remembered().get(&key_of(&place.real)).is_some_and(|hashes| hashes.contains(&hash))
            || formats::is_signed(&there)
            || name.len() >= 16 && hash.starts_with(&*name)
            || place.real.file_name().is_some_and(|name| named.contains(&*name.to_string_lossy()))
    }

    fn memory(&self) -> Digest {
        let whole = fs::canonicalize(self.file).unwrap_or_else(|_| self.file.into());
        Digest::of(format!("exports of {}", whole.display()).as_bytes())
    }

    /// The hashes of what was put where, by this user.
    fn remembered(&self) -> BTreeMap<String, Vec<String>> {
        let bytes = self.store.own_record(self.memory());
        bytes.and_then(|bytes| from_record(&bytes)).unwrap_or_default()
    }

    /// Writes all exports of the document, or none.
    ///
    /// # Errors
    /// A finding; no export has been replaced then, unless the last step of all failed.
    pub fn put(&self, exports: &[(&Place, &Export)]) -> Result<(), Box<Diagnostic>> {
        let mut files: Vec<(Place, &[u8])> = Vec::new();
        for (place, export) in exports {
            if export.parts.is_empty() {
                continue;
            }
            let named = names_in(&place.real);
            let folder = place.path.parent().map(Path::to_path_buf).unwrap_or_default();
            for (name, bytes) in &export.parts {
                let path = folder.join(name);
                let part = Place { real: self.part(&path)?, path };
                self.may_take(&part, &named, bytes)?;
                files.push((part, bytes));
            }
        }
        files.extend(exports.iter().map(|&(place, export)| (place.clone(), export.bytes.as_slice())));
        // What is there as it should be is left as it is.
        files.retain(|(place, bytes)| !holds(&place.real, bytes).unwrap_or(false));
        let mut prepared = Vec::new();
        for (place, bytes) in &files {
            let failed = |error: io::Error| cant_be_written(&place.path, &error);
            if let Some(folder) = place.real.parent() {
                fs::create_dir_all(folder).map_err(failed)?;
            }
            prepared.push((&place.path, Prepared::new(&place.real, bytes).map_err(failed)?));
        }
        self.remember(&files);
        for (path, file) in prepared {
            file.place().map_err(|error| cant_be_written(path, &error))?;
        }
        Ok(())
    }

    /// The file of a part. Its folder is never a link to elsewhere.
    fn part(&self, path: &Path) -> Result<PathBuf, Box<Diagnostic>> {
        let folder = path.parent().unwrap_or(Path::new("."));
        if fs::symlink_metadata(folder).is_ok_and(|about| about.is_symlink()) {
            let project = fs::canonicalize(self.project).unwrap_or_else(|_| self.project.into());
            if !fs::canonicalize(folder).is_ok_and(|real| real.starts_with(&project)) {
                return Err(refusal(
                    format!("{} is a link that leads out of the project", folder.display()),
                    "remove the link, or let it lead to a folder of the project",
                ));
            }
        }
        self.real(path)
    }

    /// Takes note of what will stand where, before it does: a weave that is killed in between finds its own again.
    fn remember(&self, files: &[(Place, &[u8])]) {
        if files.is_empty() {
            return;
        }
        let mut remembered = self.remembered();
        for (place, bytes) in files {
            let hashes = remembered.entry(key_of(&place.real)).or_default();
            hashes.insert(0, Digest::of(bytes).to_string());
            // The new content, and the one before.
            hashes.truncate(2);
        }
        // Without it the exports still say themselves that they are ours.
        let _ = self.store.write_record(self.memory(), &to_record(&remembered));
    }
}

/// Places that several documents would take, each with the documents, by their positions.
pub fn shared(places: &[Vec<Place>]) -> Vec<(PathBuf, Vec<usize>)> {
    let mut takers: BTreeMap<&Path, (PathBuf, Vec<usize>)> = BTreeMap::new();
    for (document, places) in places.iter().enumerate() {
        for place in places {
            let (_, all) = takers.entry(&place.real).or_insert_with(|| (place.path.clone(), Vec::new()));
            all.push(document);
        }
    }
    takers.into_values().filter(|(_, all)| all.len() > 1).collect()
}

/// Whether a place is a file of this name.
pub fn is_at(place: &Place, file: &Path) -> bool {
    fs::canonicalize(file).is_ok_and(|file| file == place.real)
}

fn key_of(real: &Path) -> String {
    real.to_string_lossy().into_owned()
}

/// Whether a file holds these bytes; it is read piece by piece, and no further than it holds them.
fn holds(file: &Path, mut bytes: &[u8]) -> io::Result<bool> {
    let mut file = File::open(file)?;
    let mut piece = vec![0; 64 << 10];
    loop {
        match file.read(&mut piece)? {
            0 => return Ok(bytes.is_empty()),
            length => match bytes.strip_prefix(&piece[..length]) {
                Some(rest) => bytes = rest,
                None => return Ok(false),
            },
        }
    }
}

/// The names of the files that an export of ours, if one stands there, names.
fn names_in(path: &Path) -> BTreeSet<String> {
    let Ok(text) = fs::read(path) else { return BTreeSet::new() };
    if !formats::is_signed(&text) {
        return BTreeSet::new();
    }
    let text = String::from_utf8_lossy(&text);
    let ends = |c: char| c.is_whitespace() || matches!(c, '/' | '"' | '\'' | '(' | ')' | '<' | '>');
    text.split(ends).filter(|word| word.contains('.') && word.len() < 200).map(String::from).collect()
}

/// A folder with its links followed, as far as it is there; the rest as it is written.
pub(crate) fn there_already(folder: &Path) -> io::Result<PathBuf> {
    let whole = std::path::absolute(folder)?;
    let there = whole.ancestors().find(|at| at.exists()).unwrap_or(Path::new("/"));
    let missing = whole.strip_prefix(there).unwrap_or(Path::new(""));
    Ok(fs::canonicalize(there)?.join(missing))
}

fn is_writable(folder: &Path) -> bool {
    use rustix::fs::{Access, access};
    access(folder, Access::WRITE_OK | Access::EXEC_OK).is_ok()
}

fn refusal(message: String, help: &str) -> Box<Diagnostic> {
    Box::new(Diagnostic::unplaced(message).help(help))
}

fn cant_be_written(path: &Path, error: &io::Error) -> Box<Diagnostic> {
    refusal(
        format!("{} can't be written: {error}", path.display()),
        "see that there is room and that the folder may be written to",
    )
}

/// The name of a document's file without what says that it is one.
pub(crate) fn stem(name: &str) -> &str {
    let script = Script::of_path(name).and_then(|_| name.rsplit_once('.')).map(|(stem, _)| stem);
    DOCUMENT_ENDS.iter().find_map(|end| name.strip_suffix(end)).or(script).unwrap_or(name)
}
