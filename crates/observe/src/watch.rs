//! What a block did with files, from the single accesses: the state in which it found what it read, and what it made.

use crate::access::{Access, Before};
use crate::entry::{Entry, Found, MOST_ASKED};
use crate::places::{is_of_package, is_of_system, is_place_of_programs, library_of, source_of_compiled};
use crate::seen::{Products, Seen, kind, named_by_first_line, system_program};
use std::collections::{BTreeMap, HashSet};
use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};

/// What a block did with files.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Observed {
    /// What it found, by absolute path.
    pub inputs: BTreeMap<PathBuf, Seen>,
    /// What it wrote or took away, by path.
    pub outputs: Vec<Output>,
    /// Something it did that can't be followed, if anything: what it found then is not known.
    pub unfollowed: Option<String>,
    /// Whether it connected to the network.
    pub network: bool,
}

/// Something that a block wrote or took away.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Output {
    /// Its absolute path.
    pub path: PathBuf,
    /// What was there before.
    pub before: Before,
    /// When that was looked at.
    pub moment: u64,
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
    /// The document's folder: no installation that it lies in is left out.
    pub folder: PathBuf,
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
    plain: HashSet<PathBuf>,
    unfollowed: Option<String>,
    network: bool,
    /// Whether any access has been told: else nothing is observed.
    works: bool,
}

impl Watch {
    /// A watch to which nothing of what is left out counts, but programs that are started.
    pub fn new(left_out: LeftOut) -> Self {
        let inner = Inner {
            left_out,
            entries: BTreeMap::new(),
            plain: HashSet::new(),
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
        /// The kernel follows no more first lines of scripts than these.
        const MOST_SCRIPTS: usize = 5;
        let mut inner = self.lock();
        inner.works = true;
        let mut real = inner.follow(path, access);
        let mut scripts = 0;
        // A script starts the program that its first line names, which may be a script.
        while access == Access::Start
            && scripts < MOST_SCRIPTS
            && let Some(program) = named_by_first_line(&real)
        {
            if program.is_relative() {
                inner.unfollowed.get_or_insert_with(|| "starts a script whose first line names no whole path".into());
                break;
            }
            real = inner.follow(&program, access);
            scripts += 1;
        }
    }

    /// Takes note of the program that a strand's own process becomes: the version of an interpreter stands for its
    /// own library.
    pub fn becomes(&self, path: &Path) {
        let mut inner = self.lock();
        let library = library_of(path, &inner.left_out.folder);
        let apart = &mut inner.left_out.apart;
        library.into_iter().for_each(|part| {
            if !apart.contains(&part) {
                apart.push(part);
            }
        });
    }

    /// Takes note that something gets another name: what it holds is read there and written here.
    pub fn renamed(&self, from: &Path, to: &Path) {
        const MOST: usize = 10_000;
        let mut pairs = vec![(from.to_path_buf(), to.to_path_buf())];
        let mut at = 0;
        while at < pairs.len() {
            if pairs.len() > MOST {
                self.cannot_follow("gives a folder of very many files another name");
                break;
            }
            let (from, to) = pairs[at].clone();
            at += 1;
            if fs::symlink_metadata(&from).is_ok_and(|about| about.is_dir()) {
                // Whatever is in it comes along.
                self.touched(&from, Access::List);
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
        for (path, mut entry) in entries {
            let is_left_alone = entry.is_left_alone(&path);
            if let Some(before) = entry.before.as_ref().filter(|_| !is_left_alone) {
                let (path, before) = (path.clone(), before.clone());
                observed.outputs.push(Output { path, before, moment: entry.moment });
            }
            if let Some(seen) = entry.seen(&path, &mut room) {
                observed.inputs.insert(path, seen);
            }
        }
        Some(observed)
    }
}

/// The way that a path takes.
struct Way {
    /// The links on it, each with its target.
    links: Vec<(PathBuf, PathBuf)>,
    /// The folders that it leaves again by `..`.
    left: Vec<PathBuf>,
    /// Where it leads.
    real: PathBuf,
    /// Whether it leads there: one that leaves what is no folder leads nowhere, whatever is done there.
    leads_on: bool,
}

impl Inner {
    fn is_apart(&self, path: &Path) -> bool {
        self.left_out.apart.iter().any(|folder| path.starts_with(folder))
    }

    /// Takes note of every link on the way and of what is at the end, and tells where that is.
    fn follow(&mut self, path: &Path, access: Access) -> PathBuf {
        if access == Access::Remove {
            // What was a folder may be a link next.
            self.plain.clear();
        }
        let Way { links, left, real, leads_on } = self.walk(path, access.follows());
        // A folder that a path leaves again has to be there.
        for folder in left {
            self.reached(&folder, Access::Ask);
        }
        for (link, target) in links {
            if self.is_apart(&link) && !is_place_of_programs(&link) {
                continue;
            }
            let entry = self.entries.entry(link.clone()).or_default();
            if !entry.written(&link) && entry.link.is_none() {
                entry.link = Some(Seen::Link(target));
            }
        }
        if !leads_on {
            return real;
        }
        self.reached(&real, access);
        let folder = real.parent().filter(|folder| !self.plain.contains(*folder));
        if let Some(folder) = folder.filter(|_| access.needs_its_folder())
            && !folder.is_dir()
        {
            // What is written there fails because of the first folder that is not there.
            let above = folder.ancestors().take_while(|folder| !folder.is_dir()).last().unwrap_or(folder).to_path_buf();
            self.reached(&above, Access::Ask);
        }
        real
    }

    /// What a path leads to, and what it passes on the way.
    fn walk(&mut self, path: &Path, follow_last: bool) -> Way {
        const MOST_LINKS: usize = 40;
        let (mut links, mut folders) = (Vec::new(), Vec::new());
        let (mut real, mut left) = match (path.parent(), path.file_name()) {
            (Some(folder), Some(name)) if self.plain.contains(folder) => (folder.into(), vec![name.to_owned()]),
            _ => ("/".into(), parts_in_reverse(path)),
        };
        while let Some(part) = left.pop() {
            if part == "/" {
                real = PathBuf::from("/");
                continue;
            } else if part == "." {
                continue;
            } else if part == ".." {
                folders.push(real.clone());
                if !real.is_dir() {
                    return Way { links, left: folders, real, leads_on: false };
                }
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
                    left.extend(parts_in_reverse(&target));
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
        Way { links, left: folders, real, leads_on: true }
    }

    fn reached(&mut self, path: &Path, access: Access) {
        let system = is_of_system(path);
        let apart = self.is_apart(path);
        if access == Access::Start {
            return self.started(path, apart || system);
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
        if let Some(source) = source_of_compiled(path) {
            // Writing it is no effect that anybody waits for; reading it is reading the source.
            if matches!(access, Access::Read | Access::Look) && source.exists() {
                self.reached(&source, Access::Look);
                self.reached(&source, Access::Read);
            }
            return;
        }
        if matches!(access, Access::Look | Access::Ask) && self.left_out.unasked.iter().any(|unasked| unasked == path) {
            return;
        }
        if access == Access::List {
            if self.entries.get(path).is_none_or(|entry| entry.listed.is_none()) {
                let own = self.own_names(path);
                self.entries.entry(path.into()).or_default().list(path, &self.left_out.products, &own);
            }
            return;
        }
        self.entries.entry(path.into()).or_default().touched(path, access);
    }

    /// The names in a folder that have been made or taken away.
    fn own_names(&self, folder: &Path) -> Vec<String> {
        let below = self.entries.range(folder.to_path_buf()..).skip_while(|(path, _)| *path == folder);
        let inside = below.take_while(|(path, _)| path.starts_with(folder));
        let own = inside.filter(|(path, entry)| path.parent() == Some(folder) && entry.written(path));
        own.filter_map(|(path, _)| path.file_name()?.to_str().map(String::from)).collect()
    }

    fn started(&mut self, path: &Path, in_system: bool) {
        let entry = self.entries.entry(path.to_path_buf()).or_default();
        if !in_system {
            entry.look(path);
            entry.read(path);
        } else if !entry.written(path) && !matches!(entry.found, Some(Found::Seen(Seen::Program(..) | Seen::Absent))) {
            entry.found = Some(Found::Seen(system_program(path)));
        }
    }
}

fn parts_in_reverse(path: &Path) -> Vec<OsString> {
    path.components().rev().map(|part| part.as_os_str().to_owned()).collect()
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
        let (folder, observed) =
            watched(&[("data", Access::Read), ("./none", Access::Look), ("x/../data", Access::Replace)], |_, _| {});
        assert_eq!(observed.inputs[&folder.path().join("data")], content_of("one"));
        assert_eq!(observed.inputs[&folder.path().join("none")], Seen::Absent);
        // A path that leaves a folder which is not there leads nowhere.
        assert_eq!(observed.inputs[&folder.path().join("x")], Seen::Absent);
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
        let outputs: Vec<_> = observed.outputs.into_iter().map(|made| (made.path, made.before)).collect();
        assert_eq!(outputs, [(folder.path().join("made"), Before::Nothing)]);
    }

    #[test]
    fn what_somebody_else_changes_meanwhile_is_unsteady() {
        let write = |folder: &Path, _: usize| fs::write(folder.join("data"), "two").unwrap();
        let (folder, observed) = watched(&[("data", Access::Read)], write);
        assert_eq!(observed.inputs[&folder.path().join("data")], Seen::Unsteady);
    }

    #[test]
    fn a_link_that_leads_out_of_what_is_left_out_is_followed() {
        let folder = tempfile::tempdir().unwrap();
        let root = fs::canonicalize(folder.path()).unwrap();
        fs::create_dir(root.join("apart")).unwrap();
        fs::write(root.join("data"), "one").unwrap();
        std::os::unix::fs::symlink(root.join("data"), root.join("apart/link")).unwrap();
        let watch = Watch::new(LeftOut { apart: vec![root.join("apart")], ..LeftOut::default() });
        watch.touched(&root.join("apart/link"), Access::Read);
        watch.touched(&root.join("apart/none"), Access::Read);
        let inputs = watch.take().unwrap().inputs;
        assert_eq!(inputs, [(root.join("data"), content_of("one"))].into());
    }

    #[test]
    fn a_file_whose_times_are_set_after_it_was_read_is_steady() {
        let touch = |folder: &Path, at: usize| {
            if at == 1 {
                let file = fs::File::options().write(true).open(folder.join("data")).unwrap();
                file.set_modified(std::time::SystemTime::UNIX_EPOCH).unwrap();
            }
        };
        let (folder, observed) = watched(&[("data", Access::Read), ("data", Access::Date)], touch);
        assert_eq!(observed.inputs[&folder.path().join("data")], content_of("one"));
        assert!(observed.outputs.is_empty());
    }

    #[test]
    fn more_files_than_can_be_counted_are_not_passed_over_in_silence() {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("many")).unwrap();
        (0..10_001).for_each(|at| drop(fs::File::create(folder.path().join(format!("many/{at}"))).unwrap()));
        let watch = Watch::new(LeftOut::default());
        watch.renamed(&folder.path().join("many"), &folder.path().join("other"));
        assert!(watch.take().unwrap().unfollowed.is_some());
    }

    #[test]
    fn nothing_is_said_where_nothing_can_be_observed() {
        assert_eq!(Watch::new(LeftOut::default()).take(), None);
    }
}
