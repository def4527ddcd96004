//! The temporary folder of a strand: the driver's text, the code of blocks, pictures, standard input.
//!
//! Its name has the number of the process that made it and of the namespace that counts it; the process holds a lock
//! on it as long as it lives. So what a killed process left behind is known, and what is in use is never removed,
//! also when several containers share one folder for temporary files.

use crate::outcome::Piece;
use rustix::fs::{FlockOperation, flock};
use std::fs::{self, File};
use std::io::{self, Seek, Write};
use std::os::fd::OwnedFd;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::Duration;
use vineloom_picture::Picture;

const PREFIX: &str = ".vineloom-";

/// A temporary folder of this process. It is removed when dropped.
#[derive(Debug)]
pub struct TemporaryFolder {
    folder: tempfile::TempDir,
    /// Locked as long as it is open.
    _lock: File,
}

impl TemporaryFolder {
    /// Makes one, which nobody else may look into.
    ///
    /// # Errors
    /// When it can't be made.
    pub fn new() -> io::Result<Self> {
        Self::new_in(&temporary())
    }

    fn new_in(parent: &Path) -> io::Result<Self> {
        let prefix = format!("{PREFIX}{}-{}-", std::process::id(), namespace());
        let mode = fs::Permissions::from_mode(0o700);
        let folder =
            tempfile::Builder::new().prefix(&prefix).rand_bytes(RANDOM).permissions(mode).tempdir_in(parent)?;
        let lock = File::open(folder.path())?;
        // Where locks are not to be had, its process's number alone says whether it is in use.
        let _ = flock(&lock, FlockOperation::NonBlockingLockShared);
        Ok(TemporaryFolder { folder, _lock: lock })
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        self.folder.path()
    }
}

/// The folder for temporary files. Drivers are told paths as text, so one whose name is no text is not used.
fn temporary() -> PathBuf {
    let folder = std::env::temp_dir();
    if folder.to_str().is_some() { folder } else { PathBuf::from("/tmp") }
}

/// A folder for temporary files that is held in memory. Making and removing files in it takes next to nothing; on a
/// disk it takes longer the more were removed in the seconds before.
const IN_MEMORY: &str = "/dev/shm";

/// How many letters of a name are random.
const RANDOM: usize = 8;

/// A number for the namespace that this process's number belongs to; 0 where there are none.
fn namespace() -> u64 {
    fs::metadata("/proc/self/ns/pid").map_or(0, |about| about.ino())
}

/// Whether a path lies in a temporary folder of this process.
pub fn is_temporary(path: &Path) -> bool {
    let ours = format!("{PREFIX}{}-", std::process::id());
    let starts = |part: std::path::Component| part.as_os_str().to_string_lossy().starts_with(&ours);
    let is_in =
        |folder: &Path| path.strip_prefix(folder).is_ok_and(|rest| rest.components().next().is_some_and(starts));
    is_in(&temporary()) || is_in(Path::new(IN_MEMORY))
}

/// The folder of one running interpreter.
#[derive(Debug)]
pub(crate) struct StrandFolder {
    folder: TemporaryFolder,
    /// Where a block's pipes are, and the files by which a shell tells its exit code: nothing that could be large.
    pipes: TemporaryFolder,
    /// Standard input, for interpreters that can't open another one: a file that is written anew for each block.
    input: Option<File>,
}

impl StrandFolder {
    pub fn new() -> io::Result<Self> {
        let folder = TemporaryFolder::new()?;
        for part in ["blocks", "figures", "tmp"] {
            fs::create_dir(folder.path().join(part))?;
        }
        let pipes = TemporaryFolder::new_in(Path::new(IN_MEMORY)).or_else(|_| TemporaryFolder::new())?;
        Ok(StrandFolder { folder, pipes, input: None })
    }

    pub fn path(&self, part: &str) -> PathBuf {
        self.folder.path().join(part)
    }

    /// The path of one of the files that only have to do with a block's pipes.
    pub fn pipe(&self, part: &str) -> PathBuf {
        self.pipes.path().join(part)
    }

    /// The folders in which nothing is of a block's making.
    pub fn own(&self) -> [PathBuf; 2] {
        [self.path("blocks"), self.pipes.path().into()]
    }

    /// All folders of the session.
    pub fn all(&self) -> [&Path; 2] {
        [self.folder.path(), self.pipes.path()]
    }

    /// Writes a file of the session and returns its path.
    pub fn write(&self, part: &str, content: &str) -> io::Result<PathBuf> {
        let path = self.path(part);
        fs::write(&path, content)?;
        Ok(path)
    }

    /// A standard input that stays open while what it holds changes.
    pub fn lasting_input(&mut self) -> io::Result<OwnedFd> {
        let path = self.write("stdin", "")?;
        let input = File::options().read(true).write(true).open(path)?;
        let given = input.try_clone()?;
        self.input = Some(input);
        Ok(given.into())
    }

    /// Makes a text standard input; returns the path of a file with it, for drivers that open it themselves.
    pub fn give_input(&mut self, text: Option<&str>) -> io::Result<PathBuf> {
        if let Some(input) = &mut self.input {
            // Both processes share one position in the file.
            input.set_len(0)?;
            input.rewind()?;
            input.write_all(typed(text.unwrap_or_default()).as_bytes())?;
            input.rewind()?;
            return Ok(self.path("stdin"));
        }
        match text {
            Some(text) => self.write("stdin", &typed(text)),
            None => Ok("/dev/null".into()),
        }
    }

    /// The exit code that a shell told by the name of a file.
    pub fn take_exit(&self) -> i32 {
        let names = fs::read_dir(self.pipes.path()).into_iter().flatten().flatten();
        let told = names.filter_map(|entry| {
            let exit = entry.file_name().to_str()?.strip_prefix("exit-")?.parse().ok()?;
            fs::remove_file(entry.path()).is_ok().then_some(exit)
        });
        // A shell that could not even make a file has failed.
        told.last().unwrap_or(1)
    }

    /// The text with the paths of this session made the same everywhere.
    pub fn plain_paths(&self, text: String) -> String {
        let pipes = self.pipes.path().to_string_lossy();
        let text = if text.contains(&*pipes) { text.replace(&*pipes, "/tmp/io") } else { text };
        let session = self.folder.path().to_string_lossy();
        if !text.contains(&*session) {
            return text;
        }
        text.replace(&format!("{session}/blocks/"), "")
            .replace(&format!("{session}/figures"), "/figures")
            .replace(&format!("{session}/tmp"), "/tmp")
            .replace(&*session, "/tmp")
    }

    /// Takes a picture out of the folder of figures.
    pub fn take_figure(&self, name: &str) -> Option<Picture> {
        let path = self.path("figures").join(name);
        let bytes = fs::read(&path).ok()?;
        let _ = fs::remove_file(&path);
        Picture::drawn(bytes)
    }

    /// Takes the pictures the block wrote to the folder of figures, by name.
    pub fn collect_figures(&self, pieces: &mut Vec<Piece>) -> io::Result<()> {
        let mut names = Vec::new();
        for entry in fs::read_dir(self.path("figures"))? {
            let entry = entry?;
            if entry.file_type().is_ok_and(|kind| kind.is_file()) {
                names.push(entry.file_name().to_string_lossy().into_owned());
            }
        }
        names.sort();
        for name in names {
            match self.take_figure(&name) {
                Some(figure) => pieces.push(Piece::Figure(figure)),
                None => pieces
                    .push(Piece::Notice(format!("/figures/{name} is not a picture (SVG, PNG, JPEG, GIF or WebP)\n"))),
            }
        }
        Ok(())
    }
}

/// Text as somebody at a keyboard gives it: the last line ends as all do.
fn typed(text: &str) -> String {
    let end = if text.is_empty() || text.ends_with('\n') { "" } else { "\n" };
    format!("{text}{end}")
}

/// Removes the folders of weaves that were killed before they could do it.
pub fn clear_abandoned_sessions() {
    let inside = |folder: &Path| fs::read_dir(folder).into_iter().flatten().flatten();
    for entry in inside(&temporary()).chain(inside(Path::new(IN_MEMORY))) {
        if let Some(owner) = entry.file_name().to_str().and_then(Owner::of_name)
            && owner.is_gone(&entry.path())
        {
            // Another weave may be removing it as well.
            let _ = remove_all(&entry.path());
        }
    }
}

/// The process that made a temporary folder, as the folder's name tells it.
#[derive(Debug, PartialEq, Eq)]
struct Owner {
    process: u32,
    namespace: u64,
}

impl Owner {
    /// Nothing for a name that is not of our making.
    fn of_name(name: &str) -> Option<Owner> {
        let mut parts = name.strip_prefix(PREFIX)?.split('-');
        let (process, namespace, random) = (parts.next()?, parts.next()?, parts.next()?);
        let is_ours =
            parts.next().is_none() && random.len() == RANDOM && random.bytes().all(|b| b.is_ascii_alphanumeric());
        is_ours.then_some(Owner { process: process.parse().ok()?, namespace: namespace.parse().ok()? })
    }

    /// Whether the process has ended: nobody holds the folder's lock, and its number is not in use where it can be
    /// asked for; elsewhere, the folder has not been made this instant, before the lock.
    fn is_gone(&self, folder: &Path) -> bool {
        const AT_REST: Duration = Duration::from_secs(60);
        let Ok(about) = fs::symlink_metadata(folder) else { return false };
        let ours = rustix::process::geteuid().as_raw();
        if !about.is_dir() || (about.uid() != ours && ours != 0) {
            return false;
        }
        let is_locked = || {
            let Ok(open) = File::open(folder) else { return true };
            flock(&open, FlockOperation::NonBlockingLockExclusive).is_err()
        };
        let is_known = cfg!(target_os = "linux") && self.namespace == namespace();
        match is_known {
            true if self.process == std::process::id() => false,
            true => {
                !Path::new("/proc").join(self.process.to_string()).exists() || !is_locked() && is_old(&about, AT_REST)
            }
            false => !is_locked() && is_old(&about, AT_REST),
        }
    }
}

fn is_old(about: &fs::Metadata, age: Duration) -> bool {
    about.modified().is_ok_and(|at| at.elapsed().is_ok_and(|since| since > age))
}

/// Removes a folder and all in it, also what may not be written to.
fn remove_all(folder: &Path) -> io::Result<()> {
    if fs::remove_dir_all(folder).is_ok() {
        return Ok(());
    }
    let mut folders = vec![folder.to_path_buf()];
    while let Some(folder) = folders.pop() {
        fs::set_permissions(&folder, fs::Permissions::from_mode(0o700))?;
        let inside = fs::read_dir(&folder)?.flatten();
        folders.extend(inside.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir())).map(|e| e.path()));
    }
    fs::remove_dir_all(folder)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::process::Command;

    /// A number that no process has any more.
    fn ended() -> u32 {
        let mut process = Command::new("true").spawn().unwrap();
        process.wait().unwrap();
        process.id()
    }

    fn make(name: &str) -> PathBuf {
        let path = temporary().join(name);
        fs::create_dir(&path).unwrap();
        path
    }

    #[test]
    fn what_a_killed_process_left_is_removed_and_nothing_else() {
        let here = namespace();
        let left = make(&format!("{PREFIX}{}-{here}-abcdEFG1", ended()));
        fs::create_dir(left.join("closed")).unwrap();
        fs::write(left.join("closed/file"), "").unwrap();
        fs::set_permissions(left.join("closed"), fs::Permissions::from_mode(0o500)).unwrap();
        let somebodys = make(&format!("{PREFIX}{}-report", ended()));
        let elsewhere = make(&format!("{PREFIX}{}-{}-abcdEFG2", ended(), here + 1));
        let old = make(&format!("{PREFIX}{}-{}-abcdEFG3", ended(), here + 1));
        File::open(&old).unwrap().set_modified(std::time::UNIX_EPOCH).unwrap();
        let in_use = make(&format!("{PREFIX}{}-{}-abcdEFG4", ended(), here + 1));
        let lock = File::open(&in_use).unwrap();
        lock.set_modified(std::time::UNIX_EPOCH).unwrap();
        flock(&lock, FlockOperation::NonBlockingLockShared).unwrap();
        let in_memory = Path::new(IN_MEMORY).join(format!("{PREFIX}{}-{here}-abcdEFG5", ended()));
        let has_memory = fs::create_dir(&in_memory).is_ok();
        let living = StrandFolder::new().unwrap();
        assert_eq!(living.pipe("stdout").starts_with(IN_MEMORY), has_memory);
        assert!(is_temporary(&living.pipe("stdout")) && is_temporary(&living.path("figures")));
        clear_abandoned_sessions();
        assert!(!in_memory.exists() && living.pipe("").exists());
        assert!(!left.exists() && !old.exists());
        assert!(somebodys.exists(), "a folder of somebody's that only has such a name");
        assert!(elsewhere.exists(), "it may have been made this instant, in another container");
        assert!(in_use.exists(), "somebody in another container works in it");
        assert!(living.path("figures").exists());
        for made in [somebodys, elsewhere, in_use] {
            fs::remove_dir(made).unwrap();
        }
    }

    #[test]
    fn nobody_else_may_look_into_it() {
        let folder = TemporaryFolder::new().unwrap();
        assert_eq!(fs::metadata(folder.path()).unwrap().permissions().mode() & 0o777, 0o700);
    }
}
