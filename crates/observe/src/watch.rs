//! What a block did with files, from the single accesses: the state in which it found what it read, and what it made.

use crate::seen::{
    Identity, Products, Seen, Stamp, entries, is_of_package, is_of_system, is_place_of_programs, kind,
    named_by_first_line, source_of_compiled, steady_content, system_program,
};
use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsString;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};

/// What a process is about to do with a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Read its content.
    Read,
    /// Give it a second name, by which its content can be had.
    Share,
    /// Ask what it is: kind, size, mode and times.
    Look,
    /// Ask whether it is there, and what may be done with it.
    Ask,
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
    /// Change what may be done with it.
    Change,
    /// Make it, where nothing must be.
    Make,
    /// Take it away.
    Remove,
}

impl Access {
    /// Whether a link at the end of the path is followed.
    fn follows(self) -> bool {
        !matches!(self, Access::LookAtLink | Access::Make | Access::Remove)
    }
}

/// What a block did with files.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Observed {
    /// What it found, by absolute path.
    pub inputs: BTreeMap<PathBuf, Seen>,
    /// What it wrote or took away, with what was there before.
    pub outputs: Vec<(PathBuf, Before)>,
    /// Something it did that can't be followed, if anything: what it found then is not known.
    pub unfollowed: Option<String>,
    /// Whether it connected to the network.
    pub network: bool,
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
    /// A link to this path.
    Link(PathBuf),
    /// Something that can't be brought back: a device, a file that is too large.
    Other,
}

/// A file that is larger can't be brought back.
const LARGEST: u64 = 64 << 20;

impl Before {
    /// What is at a path now.
    pub fn of(path: &Path) -> Self {
        match fs::symlink_metadata(path) {
            Ok(about) if about.is_symlink() => fs::read_link(path).map_or(Before::Other, Before::Link),
            Ok(about) if about.is_dir() => Before::Folder,
            Ok(about) if about.is_file() && about.len() <= LARGEST => fs::read(path)
                .map_or(Before::Other, |bytes| Before::File(Arc::new(bytes), about.permissions().mode() & 0o7777)),
            Ok(_) => Before::Other,
            Err(_) => Before::Nothing,
        }
    }
}

/// What a watch takes no note of.
#[derive(Debug, Clone, Default)]
pub struct LeftOut {
    /// Folders of the system and of interpreters, of which nothing but programs counts.
    pub apart: Vec<PathBuf>,
    /// Files of our own making.
    pub products: Products,
    /// Files that may be asked for what they are without that counting: some interpreters ask that of every file in
    /// the folder they start in.
    pub unasked: Vec<PathBuf>,
}

/// Watches the processes of one strand. Clones watch the same.
#[derive(Debug, Clone)]
pub struct Watch {
    inner: Arc<Mutex<Inner>>,
}

#[derive(Debug)]
struct Inner {
    left_out: LeftOut,
    entries: BTreeMap<PathBuf, Entry>,
    /// Folders that are no links, as far as is known.
    plain: BTreeSet<PathBuf>,
    unfollowed: Option<String>,
    network: bool,
    /// Whether any access has been told: else nothing is observed.
    works: bool,
}

#[derive(Debug, Default)]
struct Entry {
    found: Option<Found>,
    /// What it was when it was asked what it is.
    asked: Option<Stamp>,
    /// Whether it was more than asked for: read, or run.
    read: bool,
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

/// A file that was only asked for is hashed up to this size, and so many bytes of all of them.
const LARGEST_ASKED: u64 = 16 << 20;
const MOST_ASKED: u64 = 256 << 20;

impl Watch {
    /// A watch to which nothing of what is left out counts, but programs that are started.
    pub fn new(left_out: LeftOut) -> Self {
        let inner = Inner {
            left_out,
            entries: BTreeMap::new(),
            plain: BTreeSet::new(),
            unfollowed: None,
            network: false,
            works: false,
        };
        Watch { inner: Arc::new(Mutex::new(inner)) }
    }

    /// Leaves out one more folder, of which nothing counts.
    pub fn leave_out(&self, folder: PathBuf) {
        self.lock().left_out.apart.push(folder);
    }

    /// Takes note that something happens which can't be followed.
    pub fn cannot_follow(&self, what: &str) {
        let mut inner = self.lock();
        inner.works = true;
        inner.unfollowed.get_or_insert_with(|| what.into());
    }

    /// Takes note that the network is used.
    pub fn uses_network(&self) {
        self.lock().network = true;
    }

    fn lock(&self) -> MutexGuard<'_, Inner> {
        // A panic elsewhere leaves nothing half done that matters here.
        self.inner.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// Takes note of an access, before it happens.
    pub fn touched(&self, path: &Path, access: Access) {
        let mut inner = self.lock();
        inner.works = true;
        if inner.counts(path, access) {
            inner.follow(path, access);
        }
    }

    /// Takes note that something gets another name: what it holds is read there and written here.
    pub fn renamed(&self, from: &Path, to: &Path) {
        const MOST: usize = 10_000;
        let mut pairs = vec![(from.to_path_buf(), to.to_path_buf())];
        let mut at = 0;
        while at < pairs.len() && pairs.len() < MOST {
            let (from, to) = pairs[at].clone();
            at += 1;
            if fs::symlink_metadata(&from).is_ok_and(|about| about.is_dir()) {
                let inside = fs::read_dir(&from).into_iter().flatten().flatten();
                pairs.extend(inside.map(|entry| (entry.path(), to.join(entry.file_name()))));
            }
        }
        for (from, to) in pairs {
            if !fs::symlink_metadata(&from).is_ok_and(|about| about.is_symlink()) {
                self.touched(&from, Access::Read);
            } else {
                self.touched(&from, Access::LookAtLink);
            }
            self.touched(&from, Access::Remove);
            self.touched(&to, Access::Remove);
        }
    }

    /// What was observed since this was asked last; nothing where observing is not to be had.
    pub fn take(&self) -> Option<Observed> {
        let mut inner = self.lock();
        let entries = std::mem::take(&mut inner.entries);
        inner.plain.clear();
        if !inner.works {
            return None;
        }
        let network = std::mem::take(&mut inner.network);
        let mut observed = Observed { unfollowed: inner.unfollowed.clone(), network, ..Observed::default() };
        let mut room = MOST_ASKED;
        for (path, entry) in entries {
            if let Some(before) = &entry.before {
                observed.outputs.push((path.clone(), before.clone()));
            }
            if let Some(seen) = entry.seen(&path, &mut room) {
                observed.inputs.insert(path, seen);
            }
        }
        Some(observed)
    }
}

impl Inner {
    /// Whether an access is taken note of at all, by its path as it is written.
    fn counts(&self, path: &Path, access: Access) -> bool {
        let apart = self.left_out.apart.iter().any(|folder| path.starts_with(folder));
        let packaged = || is_of_package(path) && !is_of_system(path);
        !apart || access == Access::Start || is_place_of_programs(path) || packaged()
    }

    /// Takes note of every link on the way and of what is at the end.
    fn follow(&mut self, path: &Path, access: Access) {
        if matches!(access, Access::Make | Access::Remove | Access::Replace) {
            self.plain.clear();
        }
        let (links, real) = self.walk(path, access.follows());
        for (link, target) in links {
            if self.left_out.apart.iter().any(|folder| link.starts_with(folder)) {
                continue;
            }
            let entry = self.entries.entry(link).or_default();
            if !entry.written() && entry.link.is_none() {
                entry.link = Some(Seen::Link(target));
            }
        }
        self.reached(&real, access);
    }

    /// What a path leads to, and the links on the way, each with its target.
    fn walk(&mut self, path: &Path, follow_last: bool) -> (Vec<(PathBuf, PathBuf)>, PathBuf) {
        const MOST_LINKS: usize = 40;
        let mut links = Vec::new();
        let mut real = PathBuf::from("/");
        let mut left: Vec<OsString> = path.components().rev().map(|part| part.as_os_str().to_owned()).collect();
        while let Some(part) = left.pop() {
            if part == "/" {
                real = PathBuf::from("/");
                continue;
            } else if part == "." {
                continue;
            } else if part == ".." {
                real.pop();
                continue;
            }
            let next = real.join(&part);
            let is_last = left.is_empty();
            if self.plain.contains(&next) || is_last && !follow_last {
                real = next;
                continue;
            }
            match fs::symlink_metadata(&next) {
                Ok(about) if about.is_symlink() && links.len() < MOST_LINKS => {
                    let Ok(target) = fs::read_link(&next) else {
                        real = next;
                        continue;
                    };
                    left.extend(target.components().rev().map(|part| part.as_os_str().to_owned()));
                    links.push((next, target));
                }
                Ok(about) => {
                    if about.is_dir() {
                        self.plain.insert(next.clone());
                    }
                    real = next;
                }
                Err(_) => real = next,
            }
        }
        (links, real)
    }

    fn reached(&mut self, path: &Path, access: Access) {
        let apart = self.left_out.apart.iter().any(|folder| path.starts_with(folder));
        let system = is_of_system(path);
        if access == Access::Start {
            return self.started(path, apart || system);
        }
        if let Some(source) = source_of_compiled(path) {
            // Writing it is no effect that anybody waits for; reading it is reading the source.
            if matches!(access, Access::Read | Access::Look) && self.counts(&source, access) && source.exists() {
                self.reached(&source, Access::Look);
                self.reached(&source, Access::Read);
            }
            return;
        }
        if matches!(access, Access::Look | Access::Ask) && self.left_out.unasked.iter().any(|unasked| unasked == path) {
            return;
        }
        if apart && (system || !is_of_package(path)) {
            // Of programs of the system counts whether they are there.
            if is_place_of_programs(path) && matches!(access, Access::Look | Access::Ask | Access::Read) {
                let there = match kind(path) {
                    Seen::There(mode) => Seen::There(mode & 0o111),
                    other => other,
                };
                self.entries.entry(path.into()).or_default().found.get_or_insert(Found::Seen(there));
            }
            return;
        }
        let products = self.left_out.products.clone();
        self.entries.entry(path.into()).or_default().touched(path, access, &products);
    }

    fn started(&mut self, path: &Path, in_system: bool) {
        let entry = self.entries.entry(path.to_path_buf()).or_default();
        if in_system {
            if !entry.written() && !matches!(entry.found, Some(Found::Seen(Seen::Program(..) | Seen::Absent))) {
                entry.found = Some(Found::Seen(system_program(path)));
            }
        } else {
            entry.look(path);
            entry.read(path);
        }
        // A script starts the program that its first line names.
        if let Some(program) = named_by_first_line(path) {
            let entry = self.entries.entry(program.clone()).or_default();
            entry.found.get_or_insert_with(|| Found::Seen(system_program(&program)));
        }
    }
}

impl Entry {
    fn touched(&mut self, path: &Path, access: Access, products: &Products) {
        match access {
            Access::Look => self.look(path),
            Access::Ask => {
                if !self.written() && self.found.is_none() {
                    self.found = Some(Found::Seen(kind(path)));
                }
            }
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
            Access::Share => {
                self.read(path);
                // Its times change with the number of its names.
                self.settle(path);
            }
            Access::Modify => {
                self.read(path);
                self.write(path);
            }
            Access::Replace => {
                // Its content counts only where it has been read before.
                self.write(path);
            }
            Access::Change | Access::Make | Access::Remove => {
                if !self.written() && self.found.is_none() {
                    self.found = Some(Found::Seen(kind(path)));
                }
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
        if self.written() || self.asked.is_some() {
            return;
        }
        match fs::metadata(path) {
            Ok(about) if about.is_file() => {
                self.asked = Some(Stamp::of(&about));
                if !matches!(self.found, Some(Found::Reading(_) | Found::Seen(Seen::Content(_) | Seen::Unsteady))) {
                    self.found = Some(Found::Reading(Identity::of(&about)));
                }
            }
            _ => {
                if self.found.is_none() {
                    self.found = Some(Found::Seen(kind(path)));
                }
            }
        }
    }

    fn read(&mut self, path: &Path) {
        if self.written() {
            return;
        }
        self.read = true;
        let known = matches!(
            self.found,
            Some(Found::Reading(_) | Found::Seen(Seen::Content(_) | Seen::Absent | Seen::Unsteady))
        );
        if known {
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

    fn seen(self, path: &Path, room: &mut u64) -> Option<Seen> {
        let found = match self.found {
            // One that is large and was only asked for is known by its stamp.
            Some(Found::Reading(identity)) if !self.read => match self.asked {
                Some(stamp) if identity.size > LARGEST_ASKED.min(*room) => return Some(Seen::Asked(stamp)),
                Some(stamp) => {
                    *room -= identity.size;
                    let content = match steady_content(path, identity) {
                        Seen::Content(hash) => Some(hash),
                        _ => None,
                    };
                    return Some(Seen::Asked(Stamp { content, ..stamp }));
                }
                None => Some(steady_content(path, identity)),
            },
            Some(Found::Reading(identity)) => Some(steady_content(path, identity)),
            Some(Found::Seen(seen)) => Some(seen),
            None => None,
        };
        match (found, self.asked) {
            (Some(Seen::Content(hash)), Some(stamp)) => Some(Seen::Asked(Stamp { content: Some(hash), ..stamp })),
            (Some(Seen::Folder(_)) | None, _) if self.listed.is_some() || self.link.is_some() => {
                self.listed.or(self.link)
            }
            (found, _) => found,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn watched(accesses: &[(&str, Access)], between: impl Fn(&Path, usize)) -> (tempfile::TempDir, Observed) {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("data"), "one").unwrap();
        let watch = Watch::new(LeftOut { apart: vec!["/usr".into()], ..LeftOut::default() });
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
        let (folder, observed) = watched(&[("data", Access::Read), ("./x/../none", Access::Look)], |_, _| {});
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
        let entries = |folder: &Path| entries(folder, &Products::new([folder.join("export.html")]));
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
        assert_eq!(Watch::new(LeftOut::default()).take(), None);
    }
}
