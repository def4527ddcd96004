//! The state in which a path is found, and whether it is still in that state.

use crate::places::is_of_system;
use crate::reading;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::ffi::{OsStr, OsString};
use std::fs::{self, Metadata};
use std::io::{Read, Take};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime};

/// The state in which a path was found.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Seen {
    /// Nothing is there.
    Absent,
    /// A file with this content: BLAKE3, in hexadecimal digits.
    Content(String),
    /// A file of which was asked what it is. Where only its times differ, its content decides.
    Asked(Stamp),
    /// A file that is there, with this mode; nothing else was asked.
    There(u32),
    /// A folder with this mode.
    Folder(u32),
    /// A folder with these entries, as the hash of their names and kinds; and with this mode, when it was asked what
    /// it is.
    ///
    /// Names that the block itself had made or taken away by then are left out: these, in their order.
    Entries(String, Option<u32>, Vec<String>),
    /// A link to this path.
    Link(PathBuf),
    /// A program of the system: its size and the time of its last change, in nanoseconds.
    Program(u64, i128),
    /// It changed while it was read.
    Unsteady,
    /// A folder that is known by where it lies: the hash of its whole path.
    Place(String),
}

/// Where a folder lies.
pub fn place(folder: &Path) -> Seen {
    let whole = fs::canonicalize(folder).unwrap_or_else(|_| folder.into());
    Seen::Place(blake3::hash(whole.as_os_str().as_encoded_bytes()).to_hex().to_string())
}

impl Seen {
    /// The same for a file of which nothing but its content counted, known by what can be asked of it as well: as long as
    /// that is the same, the file need not be read.
    #[must_use]
    pub fn with_stamp(self, path: &Path) -> Self {
        let Seen::Content(content) = &self else { return self };
        let before = fs::metadata(path).ok().map(|about| (Identity::of(&about), Stamp::of(&about)));
        let is_so = hash(path).as_ref() == Some(content);
        let after = fs::metadata(path).ok().map(|about| Identity::of(&about));
        match before {
            Some((identity, stamp)) if is_so && after == Some(identity) => {
                let stamp = stamp.with_content(Some(content.clone()));
                if stamp.times.is_some() { Seen::Asked(stamp) } else { self }
            }
            _ => self,
        }
    }

    /// The same without what differs from one machine to another though nothing was changed: who may read and write,
    /// and the times of a file whose content is known. Whether its owner may run it stays.
    pub fn on_any_machine(&self) -> Self {
        const RUNS: u32 = 0o100;
        match self {
            Seen::There(mode) => Seen::There(mode & RUNS),
            Seen::Folder(mode) => Seen::Folder(mode & RUNS),
            Seen::Entries(hash, mode, own) => Seen::Entries(hash.clone(), mode.map(|mode| mode & RUNS), own.clone()),
            Seen::Asked(stamp) => Seen::Asked(Stamp {
                mode: stamp.mode & RUNS,
                times: stamp.times.filter(|_| stamp.content.is_none()),
                ..stamp.clone()
            }),
            Seen::Place(_) => Seen::Place(String::new()),
            other => other.clone(),
        }
    }
}

/// What can be asked of a file, and its content.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Stamp {
    /// Its size in bytes.
    pub size: u64,
    /// Its mode.
    pub mode: u32,
    /// When its content and when anything of it changed last, in nanoseconds; nothing when that was so short before
    /// it was asked that another change could bear the same time.
    pub times: Option<(i128, i128)>,
    /// BLAKE3 of its content, in hexadecimal digits; nothing for a large file that was not read.
    pub content: Option<String>,
}

/// Files of our own making, which are no part of a folder's listing: the store, and exports.
#[derive(Debug, Clone, Default)]
pub struct Products(Arc<BTreeSet<PathBuf>>);

impl Products {
    /// These files, by their absolute paths.
    pub fn new(paths: impl IntoIterator<Item = PathBuf>) -> Self {
        Products(Arc::new(paths.into_iter().collect()))
    }

    pub(crate) fn has(&self, path: &Path) -> bool {
        path.file_name().is_some_and(|name| name == ".vineloom") || self.0.contains(path)
    }
}

/// What tells one state of a file from another without reading it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Identity {
    file: (u64, u64),
    pub(crate) size: u64,
    changed: (i64, i64),
}

impl Identity {
    pub(crate) fn of(about: &Metadata) -> Self {
        Identity { file: (about.dev(), about.ino()), size: about.len(), changed: (about.ctime(), about.ctime_nsec()) }
    }

    /// Whether its last change is so long past that another one will have another time.
    pub(crate) fn is_at_rest(&self) -> bool {
        let (seconds, nanoseconds) = self.changed;
        now_in_nanoseconds() - (i128::from(seconds) * 1_000_000_000 + i128::from(nanoseconds)) > TICK
    }

    /// When anything of it changed last.
    pub(crate) fn last_change(&self) -> SystemTime {
        let (seconds, nanoseconds) = self.changed;
        let since = Duration::new(u64::try_from(seconds).unwrap_or(0), u32::try_from(nanoseconds).unwrap_or(0));
        SystemTime::UNIX_EPOCH + since
    }
}

/// The clock of a file system may stand still for so long, in nanoseconds.
const TICK: i128 = 50_000_000;

impl Stamp {
    pub(crate) fn of(about: &Metadata) -> Self {
        let nanoseconds = |seconds: i64, rest: i64| i128::from(seconds) * 1_000_000_000 + i128::from(rest);
        let modified = nanoseconds(about.mtime(), about.mtime_nsec());
        let changed = nanoseconds(about.ctime(), about.ctime_nsec());
        let is_at_rest = now_in_nanoseconds() - changed.max(modified) > TICK;
        let mode = about.permissions().mode() & 0o7777;
        Stamp { size: about.len(), mode, times: is_at_rest.then_some((modified, changed)), content: None }
    }

    /// The same with the content that the file has. Its times stand for that only when the kernel has written its pages
    /// since: a page in mapped memory that is still to be written is changed again without a new time.
    pub(crate) fn with_content(self, content: Option<String>) -> Self {
        /// Twice as long as the kernel leaves a page unwritten, unless it is told otherwise.
        const WRITTEN: i128 = 70_000_000_000;
        let is_written =
            |(modified, changed): &(i128, i128)| now_in_nanoseconds() - (*modified).max(*changed) > WRITTEN;
        let times = self.times.filter(|times| content.is_none() || is_written(times));
        Stamp { times, content, ..self }
    }
}

fn now_in_nanoseconds() -> i128 {
    SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).map_or(0, |since| since.as_nanos() as i128)
}

/// The state of a path now, asked in the way in which it was seen; what still holds is given back as it was seen.
pub fn now(path: &Path, as_seen: &Seen, products: &Products) -> Seen {
    // Every link was followed when the path was taken note of: one in its place is new.
    if !matches!(as_seen, Seen::Link(_) | Seen::Program(..) | Seen::There(_) | Seen::Place(_))
        && let Ok(target) = fs::read_link(path)
    {
        return Seen::Link(target);
    }
    match as_seen {
        Seen::Content(_) => content(path),
        Seen::Asked(was) => asked_now(path, was),
        Seen::Entries(_, mode, own) => entries(path, products, mode.is_some(), own),
        Seen::Link(_) => fs::read_link(path).map_or_else(|_| kind(path), Seen::Link),
        Seen::Program(..) => system_program(path),
        Seen::Place(_) => place(path),
        Seen::There(mode) if is_of_system(path) => match kind(path) {
            Seen::There(now) if now & 0o111 == *mode => as_seen.clone(),
            other => other,
        },
        Seen::Absent | Seen::There(_) | Seen::Folder(_) | Seen::Unsteady => kind(path),
    }
}

pub(crate) fn asked_now(path: &Path, was: &Stamp) -> Seen {
    let Ok(about) = fs::metadata(path) else { return Seen::Absent };
    if !about.is_file() {
        return kind(path);
    }
    let is = Stamp::of(&about);
    let same_mode = is.mode == was.mode;
    if is.size == was.size && same_mode && is.times.is_some() && is.times == was.times {
        return Seen::Asked(was.clone());
    }
    let content = if is.size == was.size && was.content.is_some() { hash(path) } else { None };
    match same_mode && content.is_some() && content == was.content {
        true => Seen::Asked(was.clone()),
        false => Seen::Asked(Stamp { content, ..is }),
    }
}

/// What a path is, without its content.
pub(crate) fn kind(path: &Path) -> Seen {
    fs::metadata(path).map_or(Seen::Absent, |about| kind_of(&about))
}

pub(crate) fn kind_of(about: &Metadata) -> Seen {
    let mode = about.permissions().mode() & 0o7777;
    // A pipe, a socket, a device is there too, and has no content to speak of.
    if about.is_dir() { Seen::Folder(mode) } else { Seen::There(mode) }
}

pub(crate) fn content(path: &Path) -> Seen {
    match fs::metadata(path) {
        // One that may not be read is known by what it is.
        Ok(about) if about.is_file() => hash(path).map_or_else(|| kind(path), Seen::Content),
        _ => kind(path),
    }
}

pub(crate) fn steady_content(path: &Path, identity: Identity) -> Seen {
    let same = || fs::metadata(path).is_ok_and(|about| Identity::of(&about) == identity);
    match hash(path) {
        Some(hash) if same() => Seen::Content(hash),
        None if same() => kind(path),
        _ => Seen::Unsteady,
    }
}

/// Files up to this size are read at once: the room that larger ones are read through takes longer to make than that.
const SMALL: usize = 16 * 1024;

pub(crate) fn hash(path: &Path) -> Option<String> {
    hash_of(reading::opened(path).ok()?)
}

/// The hash of a file that was as long as this just now.
pub(crate) fn hash_up_to(path: &Path, length: u64) -> Option<String> {
    hash_of(reading::up_to(fs::File::open(path).ok()?, length))
}

fn hash_of(mut file: Take<fs::File>) -> Option<String> {
    let mut hasher = blake3::Hasher::new();
    let mut start = Vec::with_capacity(SMALL);
    (&mut file).take(SMALL as u64).read_to_end(&mut start).ok()?;
    hasher.update(&start);
    if start.len() == SMALL {
        hasher.update_reader(file).ok()?;
    }
    Some(hasher.finalize().to_hex().to_string())
}

pub(crate) fn entries(path: &Path, products: &Products, with_mode: bool, own: &[String]) -> Seen {
    let Ok(found) = fs::read_dir(path) else { return kind(path) };
    let kind = |entry: &fs::DirEntry| {
        entry.file_type().map_or(0, |kind| u8::from(kind.is_dir()) + 2 * u8::from(kind.is_symlink()))
    };
    let is_own =
        |name: &OsStr| name.to_str().is_some_and(|name| own.binary_search_by(|own| own.as_str().cmp(name)).is_ok());
    let found = found.flatten().filter(|entry| !products.has(&entry.path()) && !is_own(&entry.file_name()));
    let mut names: Vec<(OsString, u8)> = found.map(|entry| (entry.file_name(), kind(&entry))).collect();
    names.sort();
    let mut hasher = blake3::Hasher::new();
    for (name, kind) in names {
        hasher.update(name.as_encoded_bytes()).update(&[0, kind]);
    }
    let mode = || fs::metadata(path).ok().map(|about| about.permissions().mode() & 0o7777);
    Seen::Entries(hasher.finalize().to_hex().to_string(), with_mode.then(mode).flatten(), own.to_vec())
}

pub(crate) fn system_program(path: &Path) -> Seen {
    match fs::metadata(path) {
        Ok(about) => {
            Seen::Program(about.len(), i128::from(about.mtime()) * 1_000_000_000 + i128::from(about.mtime_nsec()))
        }
        Err(_) => Seen::Absent,
    }
}

/// The program that a script's first line names.
pub(crate) fn named_by_first_line(path: &Path) -> Option<PathBuf> {
    let mut start = [0; 256];
    let count = fs::File::open(path).ok()?.read(&mut start).ok()?;
    let line = std::str::from_utf8(start[..count].split(|&byte| byte == b'\n').next()?).ok()?;
    let program = line.strip_prefix("#!")?.split_whitespace().next()?;
    Some(PathBuf::from(program))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_listing_changes_with_its_names_alone() {
        let folder = tempfile::tempdir().unwrap();
        let entries = |folder: &Path| entries(folder, &Products::new([folder.join("export.html")]), false, &[]);
        let before = entries(folder.path());
        fs::write(folder.path().join("export.html"), "1").unwrap();
        assert_eq!(entries(folder.path()), before);
        fs::write(folder.path().join("a"), "1").unwrap();
        let with_a = entries(folder.path());
        assert_ne!(before, with_a);
        fs::write(folder.path().join("a"), "2").unwrap();
        assert_eq!(entries(folder.path()), with_a);
    }
}
