//! Files of which it is known, without reading them, that they hold what they held.
//!
//! The time at which anything of a file last changed (`ctime`) is set by the kernel at each write, and nobody can set it
//! back. Two things keep it from proving that nothing was written since: a second write in the same tick of the clock,
//! and a page of the file that is mapped into memory and has not been written to the disk yet, which may be written to
//! again and again while the time stands still. So a file is at rest when that time is some seconds past, and when the
//! kernel has been made to write all its pages: the next write to a mapped one is noticed again. This holds on the local
//! file systems named below; on any other no file is ever at rest.

use crate::seen::{Identity, Seen, content, hash_up_to, kind_of};
use serde::{Deserialize, Serialize};
use std::fs::{self, File, Metadata};
use std::io;
use std::os::fd::AsRawFd;
use std::path::Path;
use std::time::{Duration, SystemTime};

/// A smaller file is read faster than it is looked up.
const LARGE: u64 = 1 << 20;

/// How long the last change has to be past: far longer than a tick of any clock.
const PAST: Duration = Duration::from_secs(2);

/// A large file in a state that it is in as long as nothing is written to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct AtRest(Identity);

/// What one look at a path finds, where a file was.
#[derive(Debug)]
pub enum Found {
    /// What is there now, its content read.
    Seen(Seen),
    /// A large file, which is read only when nothing is known of this state of it.
    Large(AtRest),
}

impl Found {
    /// Looks at a path. A link is found as such: a file was there, so it is new.
    pub fn at(path: &Path) -> Self {
        let Ok(about) = fs::symlink_metadata(path) else { return Found::Seen(Seen::Absent) };
        if let Some(large) = AtRest::of(&about) {
            return Found::Large(large);
        }
        let content = || if about.is_file() { hash_up_to(path, about.len()).map(Seen::Content) } else { None };
        Found::Seen(match about.is_symlink() {
            true => fs::read_link(path).map_or(Seen::Absent, Seen::Link),
            // One that may not be read is known by what it is.
            false => content().unwrap_or_else(|| kind_of(&about)),
        })
    }
}

impl AtRest {
    /// The state of a large file now; nothing for others, and for what is no file: a link is none.
    pub fn now(path: &Path) -> Option<Self> {
        Self::of(&fs::symlink_metadata(path).ok()?)
    }

    fn of(about: &Metadata) -> Option<Self> {
        (about.is_file() && about.len() >= LARGE).then(|| AtRest(Identity::of(about)))
    }

    /// The content of a large file, and whether it is proved that a file in this state holds it.
    pub fn content(self, path: &Path) -> (Seen, bool) {
        let is_at_rest = self.is_past() && settled(path).is_ok_and(|settled| settled);
        let seen = content(path);
        let is_same = AtRest::now(path) == Some(self);
        let is_proved = is_at_rest && is_same && matches!(seen, Seen::Content(_));
        (seen, is_proved)
    }

    fn is_past(&self) -> bool {
        SystemTime::now().duration_since(self.0.last_change()).is_ok_and(|since| since > PAST)
    }
}

/// Makes the kernel write all pages of a file; whether that lets it notice the next write to each of them.
#[cfg(target_os = "linux")]
fn settled(path: &Path) -> io::Result<bool> {
    // The first stands for ext2 and ext3 as well.
    let local = [libc::EXT4_SUPER_MAGIC, libc::XFS_SUPER_MAGIC, libc::BTRFS_SUPER_MAGIC];
    let file = File::open(path)?;
    let mut about = std::mem::MaybeUninit::<libc::statfs>::uninit();
    // SAFETY: the descriptor is open, and the structure is only read once the call has filled it.
    let kind = unsafe {
        match libc::fstatfs(file.as_raw_fd(), about.as_mut_ptr()) {
            0 => about.assume_init().f_type,
            _ => return Err(io::Error::last_os_error()),
        }
    };
    if !local.contains(&kind) {
        return Ok(false);
    }
    file.sync_data()?;
    Ok(true)
}

#[cfg(not(target_os = "linux"))]
fn settled(_path: &Path) -> io::Result<bool> {
    Ok(false)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;

    /// Whether the file system under this folder is one on which files come to rest.
    fn rests(folder: &Path) -> bool {
        fs::write(folder.join("probe"), "x").unwrap();
        settled(&folder.join("probe")).unwrap()
    }

    #[test]
    fn a_file_is_at_rest_when_its_last_change_is_past() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("large");
        fs::write(&path, vec![b'a'; LARGE as usize]).unwrap();
        let fresh = AtRest::now(&path).unwrap();
        assert!(!fresh.content(&path).1, "it may be written to again in the same tick");
        std::thread::sleep(PAST + Duration::from_millis(50));
        let (seen, is_proved) = fresh.content(&path);
        assert!(matches!(seen, Seen::Content(_)));
        assert_eq!(is_proved, rests(folder.path()));
        // Each of these leaves size and modification time as they were, and the state is another all the same.
        let times = fs::metadata(&path).unwrap().modified().unwrap();
        let mut file = File::options().write(true).open(&path).unwrap();
        file.write_all(b"b").unwrap();
        file.set_modified(times).unwrap();
        assert_ne!(AtRest::now(&path), Some(fresh));
        let written = AtRest::now(&path).unwrap();
        fs::write(folder.path().join("other"), vec![b'c'; LARGE as usize]).unwrap();
        fs::rename(folder.path().join("other"), &path).unwrap();
        assert_ne!(AtRest::now(&path), Some(written));
    }

    /// The case for which the pages are written first: while one is dirty, writing to it sets no time.
    #[cfg(target_os = "linux")]
    #[test]
    fn a_write_through_mapped_memory_is_noticed() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("mapped");
        fs::write(&path, vec![b'a'; LARGE as usize]).unwrap();
        let file = File::options().read(true).write(true).open(&path).unwrap();
        let (access, way) = (libc::PROT_READ | libc::PROT_WRITE, libc::MAP_SHARED);
        // SAFETY: a new mapping of an open file, which is as long as the file.
        let at = unsafe { libc::mmap(std::ptr::null_mut(), LARGE as usize, access, way, file.as_raw_fd(), 0) };
        assert_ne!(at, libc::MAP_FAILED);
        // SAFETY: the mapping is as long as the file, and stays until the test ends.
        let write = |byte: u8| unsafe { at.cast::<u8>().write_volatile(byte) };
        write(b'b');
        std::thread::sleep(PAST + Duration::from_millis(50));
        let state = AtRest::now(&path).unwrap();
        let (before, is_proved) = state.content(&path);
        write(b'c');
        let (after, _) = AtRest::now(&path).unwrap().content(&path);
        assert_ne!(before, after);
        assert!(!is_proved || AtRest::now(&path) != Some(state), "the state must be another than the one proved");
        // SAFETY: it was mapped above, and nothing uses it any more.
        unsafe { libc::munmap(at, LARGE as usize) };
    }

    /// One look finds what asking for each thing by itself finds.
    #[test]
    fn a_look_finds_what_is_there_now_whatever_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        fs::write(at("small"), "a").unwrap();
        fs::write(at("empty"), "").unwrap();
        fs::write(at("large"), vec![b'a'; LARGE as usize]).unwrap();
        std::os::unix::fs::symlink("small", at("link")).unwrap();
        std::os::unix::fs::symlink("nowhere", at("broken")).unwrap();
        assert!(std::process::Command::new("mkfifo").arg(at("pipe")).status().unwrap().success());
        for name in ["small", "empty", "link", "broken", ".", "pipe", "none", "small/none"] {
            let asked = crate::now(&at(name), &Seen::Content(String::new()), &crate::Products::default());
            assert!(matches!(Found::at(&at(name)), Found::Seen(seen) if seen == asked), "{name}: {asked:?}");
        }
        let proc = Path::new("/proc/self/cmdline");
        assert!(!proc.exists() || matches!(Found::at(proc), Found::Seen(seen) if seen == content(proc)));
        assert!(matches!(Found::at(&at("large")), Found::Large(state) if Some(state) == AtRest::now(&at("large"))));
    }

    #[test]
    fn what_is_small_or_no_file_is_read() {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("small"), "a").unwrap();
        fs::write(folder.path().join("large"), vec![b'a'; LARGE as usize]).unwrap();
        std::os::unix::fs::symlink("large", folder.path().join("link")).unwrap();
        for name in ["small", ".", "none", "link"] {
            assert_eq!(AtRest::now(&folder.path().join(name)), None, "{name}");
        }
    }
}
