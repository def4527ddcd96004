//! What a block did with files, from the single accesses: the state in which it found what it read, and what it made.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::fs::{self, Metadata};
use std::io::Read;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};

/// What a process is about to do with a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Read its content.
    Read,
    /// Ask what it is.
    Look,
    /// Ask what the link itself is.
    LookAtLink,
    /// Read a folder's entries.
    List,
    /// Run it.
    Start,
    /// Write into it and keep what is there.
    Modify,
    /// Write it anew, whatever is there.
    Replace,
    /// Make it, where nothing must be.
    Make,
    /// Take it away.
    Remove,
}

/// The state in which a path was found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Seen {
    /// Nothing is there.
    Absent,
    /// A file with this content: BLAKE3, in hexadecimal digits.
    Content(String),
    /// A file of this size, of which only was asked what it is, and whether it is a program.
    File(u64, bool),
    /// A folder.
    Folder,
    /// A folder with these entries: the hash of their names and kinds.
    Entries(String),
    /// A link to this path.
    Link(PathBuf),
    /// A program of the system: its size and the time of its last change, in nanoseconds.
    Program(u64, i128),
    /// It changed while it was read.
    Unsteady,
}

/// What a block did with files.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Observed {
    /// What it found, by absolute path.
    pub inputs: BTreeMap<PathBuf, Seen>,
    /// What it wrote or took away, with what was there before.
    pub outputs: Vec<(PathBuf, Before)>,
}

/// What was at a path before a block wrote to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Before {
    /// Nothing.
    Nothing,
    /// A folder.
    Folder,
    /// A file: its content and its mode.
    File(Arc<Vec<u8>>, u32),
    /// Something that can't be brought back: a link, a device, a file that is too large.
    Other,
}

/// A file that is larger can't be brought back.
const LARGEST: u64 = 64 << 20;

impl Before {
    fn of(path: &Path) -> Self {
        match fs::symlink_metadata(path) {
            Ok(about) if about.is_dir() => Before::Folder,
            Ok(about) if about.is_file() && about.len() <= LARGEST => fs::read(path)
                .map_or(Before::Other, |bytes| Before::File(Arc::new(bytes), about.permissions().mode() & 0o7777)),
            Ok(_) => Before::Other,
            Err(_) => Before::Nothing,
        }
    }
}

/// Which of a folder's names are left out of its listing: what we make there ourselves.
pub type Products = fn(names: &[String]) -> Vec<String>;

/// Watches the processes of one strand. Clones watch the same.
#[derive(Debug, Clone)]
pub struct Watch {
    inner: Arc<Mutex<Inner>>,
}

#[derive(Debug)]
struct Inner {
    /// Folders of which nothing but programs counts.
    apart: Vec<PathBuf>,
    products: Products,
    entries: BTreeMap<PathBuf, Entry>,
    /// Whether any access has been told: else nothing is observed.
    works: bool,
}

#[derive(Debug, Default)]
struct Entry {
    found: Option<Found>,
    /// The folder's entries, when they were read.
    listed: Option<Seen>,
    link: Option<Seen>,
    /// What was there before it was written to.
    before: Option<Before>,
}

#[derive(Debug)]
enum Found {
    Seen(Seen),
    /// A file that is read; its content is taken at the block's end, if it is then still the same file.
    Reading(Identity),
}

/// What tells one state of a file from another without reading it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Identity {
    file: (u64, u64),
    size: u64,
    changed: (i64, i64),
}

impl Identity {
    fn of(about: &Metadata) -> Self {
        Identity { file: (about.dev(), about.ino()), size: about.len(), changed: (about.ctime(), about.ctime_nsec()) }
    }
}

impl Watch {
    /// A watch to which nothing counts that lies in one of these folders, but for programs that are started.
    pub fn new(apart: Vec<PathBuf>, products: Products) -> Self {
        Watch { inner: Arc::new(Mutex::new(Inner { apart, products, entries: BTreeMap::new(), works: false })) }
    }

    /// Leaves out one more folder, of which nothing counts.
    pub fn leave_out(&self, folder: PathBuf) {
        self.lock().apart.push(folder);
    }

    fn lock(&self) -> MutexGuard<'_, Inner> {
        // A panic elsewhere leaves nothing half done that matters here.
        self.inner.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// Takes note of an access, before it happens.
    pub fn touched(&self, path: &Path, access: Access) {
        let mut inner = self.lock();
        inner.works = true;
        let in_system = inner.apart.iter().any(|folder| path.starts_with(folder));
        if in_system && access != Access::Start {
            return;
        }
        let path = plain(path);
        if access == Access::Start {
            inner.started(&path, in_system);
        } else if !inner.apart.iter().any(|folder| path.starts_with(folder)) {
            let products = inner.products;
            inner.entries.entry(path.clone()).or_default().touched(&path, access, products);
        }
    }

    /// What was observed since this was asked last; nothing where observing is not to be had.
    pub fn take(&self) -> Option<Observed> {
        let mut inner = self.lock();
        let entries = std::mem::take(&mut inner.entries);
        if !inner.works {
            return None;
        }
        let mut observed = Observed::default();
        for (path, entry) in entries {
            if let Some(before) = &entry.before {
                observed.outputs.push((path.clone(), before.clone()));
            }
            if let Some(seen) = entry.seen(&path) {
                observed.inputs.insert(path, seen);
            }
        }
        Some(observed)
    }
}

impl Inner {
    fn started(&mut self, path: &Path, in_system: bool) {
        let seen = if in_system { system_program(path) } else { content(path) };
        let is_script = !matches!(seen, Seen::Absent);
        let entry = self.entries.entry(path.to_path_buf()).or_default();
        if !entry.written() && entry.found.is_none() {
            entry.found = Some(Found::Seen(seen));
        }
        // A script starts the program that its first line names.
        if is_script && let Some(program) = named_by_first_line(path) {
            let entry = self.entries.entry(program.clone()).or_default();
            entry.found.get_or_insert_with(|| Found::Seen(system_program(&program)));
        }
    }
}

impl Entry {
    fn touched(&mut self, path: &Path, access: Access, products: Products) {
        match access {
            Access::Look => self.look(path),
            Access::LookAtLink => {
                if !self.written() && self.link.is_none() {
                    match fs::read_link(path) {
                        Ok(target) => self.link = Some(Seen::Link(target)),
                        Err(_) => self.look(path),
                    }
                }
            }
            Access::List => {
                if self.listed.is_none() {
                    self.listed = Some(entries(path, products));
                }
            }
            Access::Read | Access::Start => self.read(path),
            Access::Modify => {
                self.read(path);
                self.write(path);
            }
            Access::Replace => {
                // Its content counts only where it has been read before.
                self.write(path);
            }
            Access::Make | Access::Remove => {
                self.look(path);
                self.write(path);
            }
        }
    }

    fn written(&self) -> bool {
        self.before.is_some()
    }

    fn write(&mut self, path: &Path) {
        self.settle(path);
        self.before.get_or_insert_with(|| Before::of(path));
    }

    fn look(&mut self, path: &Path) {
        if !self.written() && self.found.is_none() {
            self.found = Some(Found::Seen(kind(path)));
        }
    }

    fn read(&mut self, path: &Path) {
        let known = matches!(
            self.found,
            Some(Found::Reading(_) | Found::Seen(Seen::Content(_) | Seen::Absent | Seen::Unsteady))
        );
        if self.written() || known {
            return;
        }
        self.found = Some(match fs::metadata(path) {
            Ok(about) if about.is_file() => Found::Reading(Identity::of(&about)),
            _ => Found::Seen(kind(path)),
        });
    }

    /// Takes the content of a file that is being read, before it changes.
    fn settle(&mut self, path: &Path) {
        if let Some(Found::Reading(identity)) = self.found {
            self.found = Some(Found::Seen(steady_content(path, identity)));
        }
    }

    fn seen(self, path: &Path) -> Option<Seen> {
        let found = match self.found {
            Some(Found::Reading(identity)) => Some(steady_content(path, identity)),
            Some(Found::Seen(seen)) => Some(seen),
            None => None,
        };
        match found {
            Some(Seen::Folder) | None => self.listed.or(self.link).or(found),
            found => found,
        }
    }
}

/// The state of a path now, asked in the way in which it was seen.
pub fn now(path: &Path, as_seen: &Seen, products: Products) -> Seen {
    match as_seen {
        Seen::Content(_) => content(path),
        Seen::Entries(_) => entries(path, products),
        Seen::Link(_) => fs::read_link(path).map_or_else(|_| kind(path), Seen::Link),
        Seen::Program(..) => system_program(path),
        Seen::Absent | Seen::File(..) | Seen::Folder | Seen::Unsteady => kind(path),
    }
}

/// What a path is, without its content.
fn kind(path: &Path) -> Seen {
    match fs::metadata(path) {
        Ok(about) if about.is_dir() => Seen::Folder,
        Ok(about) if about.is_file() => Seen::File(about.len(), about.permissions().mode() & 0o111 != 0),
        // A pipe, a socket, a device: it is there, and has no content to speak of.
        Ok(_) => Seen::File(0, false),
        Err(_) => Seen::Absent,
    }
}

fn content(path: &Path) -> Seen {
    match fs::metadata(path) {
        // One that may not be read is known by what it is.
        Ok(about) if about.is_file() => hash(path).map_or_else(|| kind(path), Seen::Content),
        _ => kind(path),
    }
}

fn steady_content(path: &Path, identity: Identity) -> Seen {
    let same = || fs::metadata(path).is_ok_and(|about| Identity::of(&about) == identity);
    match hash(path) {
        Some(hash) if same() => Seen::Content(hash),
        None if same() => kind(path),
        _ => Seen::Unsteady,
    }
}

/// Files up to this size are read at once: the room that larger ones are read through takes longer to make than that.
const SMALL: usize = 16 * 1024;

fn hash(path: &Path) -> Option<String> {
    let mut file = fs::File::open(path).ok()?;
    let mut hasher = blake3::Hasher::new();
    let mut read = [0; SMALL];
    loop {
        let length = file.read(&mut read).ok()?;
        hasher.update(&read[..length]);
        match length {
            0 => break,
            SMALL => {
                hasher.update_reader(file).ok()?;
                break;
            }
            _ => {}
        }
    }
    Some(hasher.finalize().to_hex().to_string())
}

fn entries(path: &Path, products: Products) -> Seen {
    let Ok(found) = fs::read_dir(path) else { return kind(path) };
    let kind = |entry: &fs::DirEntry| {
        entry.file_type().map_or(0, |kind| u8::from(kind.is_dir()) + 2 * u8::from(kind.is_symlink()))
    };
    let mut names: Vec<(std::ffi::OsString, u8)> =
        found.flatten().map(|entry| (entry.file_name(), kind(&entry))).collect();
    let all: Vec<String> = names.iter().map(|(name, _)| name.to_string_lossy().into_owned()).collect();
    let ours = products(&all);
    names.retain(|(name, _)| !ours.iter().any(|ours| name == OsStr::new(ours)));
    names.sort();
    let mut hasher = blake3::Hasher::new();
    for (name, kind) in names {
        hasher.update(name.as_encoded_bytes()).update(&[0, kind]);
    }
    Seen::Entries(hasher.finalize().to_hex().to_string())
}

fn system_program(path: &Path) -> Seen {
    match fs::metadata(path) {
        Ok(about) => {
            Seen::Program(about.len(), i128::from(about.mtime()) * 1_000_000_000 + i128::from(about.mtime_nsec()))
        }
        Err(_) => Seen::Absent,
    }
}

fn named_by_first_line(path: &Path) -> Option<PathBuf> {
    use std::io::Read;
    let mut start = [0; 256];
    let count = fs::File::open(path).ok()?.read(&mut start).ok()?;
    let line = std::str::from_utf8(start[..count].split(|&byte| byte == b'\n').next()?).ok()?;
    let program = line.strip_prefix("#!")?.split_whitespace().next()?;
    program.starts_with('/').then(|| PathBuf::from(program))
}

/// The path without `.`, and without `..` where no link is before it. A path that goes on through a link and back
/// keeps its `..`: what it leads to depends on the link.
fn plain(path: &Path) -> PathBuf {
    let mut plain = PathBuf::new();
    for part in path.components() {
        match part {
            Component::CurDir => {}
            Component::ParentDir if !fs::symlink_metadata(&plain).is_ok_and(|about| about.is_symlink()) => {
                plain.pop();
            }
            other => plain.push(other),
        }
    }
    plain
}

#[cfg(test)]
mod tests {
    use super::*;

    fn watched(accesses: &[(&str, Access)], between: impl Fn(&Path, usize)) -> (tempfile::TempDir, Observed) {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("data"), "one").unwrap();
        let watch = Watch::new(vec!["/usr".into()], |_| Vec::new());
        for (at, (name, access)) in accesses.iter().enumerate() {
            watch.touched(&folder.path().join(name), *access);
            between(folder.path(), at);
        }
        let observed = watch.take().unwrap();
        (folder, observed)
    }

    fn content_of(text: &str) -> Seen {
        Seen::Content(blake3::hash(text.as_bytes()).to_hex().to_string())
    }

    #[test]
    fn what_is_read_is_known_by_its_content_and_what_is_not_there_as_absent() {
        let (folder, observed) =
            watched(&[("data", Access::Look), ("data", Access::Read), ("./x/../none", Access::Look)], |_, _| {});
        assert_eq!(observed.inputs[&folder.path().join("data")], content_of("one"));
        assert_eq!(observed.inputs[&folder.path().join("none")], Seen::Absent);
        assert!(observed.outputs.is_empty());
    }

    #[test]
    fn what_is_read_and_then_changed_is_known_as_it_was_before() {
        let write = |folder: &Path, at: usize| {
            if at == 1 {
                fs::write(folder.join("data"), "two").unwrap();
            }
        };
        for change in [Access::Replace, Access::Modify, Access::Remove] {
            let (folder, observed) = watched(&[("data", Access::Read), ("data", change)], write);
            assert_eq!(observed.inputs[&folder.path().join("data")], content_of("one"), "{change:?}");
            assert_eq!(observed.outputs.len(), 1);
        }
    }

    #[test]
    fn what_is_written_anew_is_no_input_though_it_be_read_later() {
        let write = |folder: &Path, _: usize| fs::write(folder.join("made"), "x").unwrap();
        let (folder, observed) = watched(&[("made", Access::Replace), ("made", Access::Read)], write);
        assert!(observed.inputs.is_empty());
        assert_eq!(observed.outputs, [(folder.path().join("made"), Before::Nothing)]);
    }

    #[test]
    fn what_somebody_else_changes_meanwhile_is_unsteady() {
        let write = |folder: &Path, _: usize| fs::write(folder.join("data"), "two").unwrap();
        let (folder, observed) = watched(&[("data", Access::Read)], write);
        assert_eq!(observed.inputs[&folder.path().join("data")], Seen::Unsteady);
    }

    #[test]
    fn a_listing_changes_with_its_names_alone() {
        let folder = tempfile::tempdir().unwrap();
        let entries = |folder: &Path| entries(folder, |_| vec!["export.html".into()]);
        let before = entries(folder.path());
        fs::write(folder.path().join("export.html"), "1").unwrap();
        assert_eq!(entries(folder.path()), before);
        fs::write(folder.path().join("a"), "1").unwrap();
        let with_a = entries(folder.path());
        assert_ne!(before, with_a);
        fs::write(folder.path().join("a"), "2").unwrap();
        assert_eq!(entries(folder.path()), with_a);
    }

    #[test]
    fn nothing_is_said_where_nothing_can_be_observed() {
        assert_eq!(Watch::new(Vec::new(), |_| Vec::new()).take(), None);
    }
}
