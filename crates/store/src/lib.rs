//! The store: content-addressed objects, and one record per key, in files.
//!
//! It does not know what it stores. Every write goes to a temporary name and is then renamed, so a reader
//! sees the old or the new content, whole; everything read is checked against its hash, and what is damaged
//! counts as absent. Several processes may use one store at once. A record carries its key, so that one in the place
//! of another is damage, and a proof that only who has the user's [`Secret`] can make: [`Origin`] tells records of
//! the user's own from those that came from elsewhere.
//!
//! ```
//! # let folder = tempfile::tempdir().unwrap();
//! use vineloom_store::{Digest, Objects, Secret, Store};
//!
//! let secret = Secret::in_file(&folder.path().join("secret"))?;
//! let store = Store::open(&folder.path().join(".vineloom"), secret)?;
//! let figure = store.put(b"<svg/>")?;
//! let key = Digest::of(b"the inputs of a block");
//! store.write_record(key, figure.to_string().as_bytes())?;
//! assert_eq!(store.get(figure).as_deref(), Some(&b"<svg/>"[..]));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

#![forbid(unsafe_code)]

mod digest;
mod encoding;
mod objects;
mod secret;
mod upkeep;
mod write_whole;

pub use digest::Digest;
pub use encoding::{from_record, to_record};
pub use objects::Objects;
pub use secret::Secret;
pub use upkeep::{Cleaned, Size};
pub use write_whole::{Prepared, write_whole};

use rustix::fs::{Mode, OFlags, open};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::fs::{self, File, Metadata};
use std::io::{self, Read};
use std::os::unix::fs::{DirBuilderExt, MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// The version of the layout on disk; a store of another version is left alone and not read.
const LAYOUT: &str = "v1";

/// How much of what is a user's alone is kept, in bytes, before what was not used for longest is removed.
const LARGEST_OWN: u64 = 2 << 30;

/// A store that can't be written.
#[derive(Debug, thiserror::Error)]
#[error("the store at {} can't be written: {source}", path.display())]
pub struct StoreError {
    /// The file or folder that failed.
    pub path: PathBuf,
    /// Why.
    #[source]
    pub source: io::Error,
}

/// Where a record comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Origin {
    /// This user stored it.
    #[default]
    Own,
    /// It came with a store of somebody else's, or of another machine.
    Elsewhere,
}

/// A folder of objects and records.
#[derive(Debug, Clone)]
pub struct Store {
    root: PathBuf,
    secret: Secret,
    /// The files that were of use, where that is noted.
    noted: Option<Arc<Mutex<BTreeSet<PathBuf>>>>,
}

impl Store {
    /// Whether there is a store in `folder`.
    pub fn is_in(folder: &Path) -> bool {
        folder.join(LAYOUT).is_dir()
    }

    /// Opens the store in `folder`, making it when it is not there. Nobody but its owner may look into it. A folder
    /// that was there before, for something else, keeps its mode, and only the store's part of it is closed.
    ///
    /// # Errors
    /// [`StoreError`] when the folder can't be made.
    pub fn open(folder: &Path, secret: Secret) -> Result<Self, StoreError> {
        let root = folder.join(LAYOUT);
        for part in [root.clone(), root.join("objects"), root.join("records"), root.join("own")] {
            if fs::symlink_metadata(&part).is_ok_and(|about| about.is_symlink()) {
                let source = io::Error::other("a folder in it is a link to elsewhere");
                return Err(StoreError { path: part, source });
            }
        }
        let is_own = !folder.exists() || folder.file_name().is_some_and(|name| name == ".vineloom");
        for part in ["objects", "records", "own"] {
            let made = fs::DirBuilder::new().recursive(true).mode(0o700).create(root.join(part));
            made.map_err(|source| StoreError { path: folder.into(), source })?;
        }
        let own = if is_own { folder } else { &root };
        let mode = fs::metadata(own).map(|about| about.permissions().mode() & 0o777);
        if mode.is_ok_and(|mode| mode != 0o700) {
            // Made by an earlier version, by hand, or under a mask that took too much. One of somebody else's stays so.
            let _ = fs::set_permissions(own, fs::Permissions::from_mode(0o700));
        }
        let ignore = own.join(".gitignore");
        if !ignore.exists() {
            write_whole(&ignore, b"*\n").map_err(|source| StoreError { path: ignore, source })?;
        }
        Ok(Store { root, secret, noted: None })
    }

    /// The same store, which notes from now on what of it is of use: see [`Store::export_noted`].
    #[must_use]
    pub fn noting(self) -> Self {
        Store { noted: Some(Arc::default()), ..self }
    }

    /// Where it is.
    pub fn folder(&self) -> &Path {
        self.root.parent().unwrap_or(&self.root)
    }

    /// A folder of results in another layout than this program's, beside its own.
    pub fn other_layout(&self) -> Option<String> {
        let is_layout = |name: &str| name.strip_prefix('v').is_some_and(|number| number.parse::<u32>().is_ok());
        let entries = fs::read_dir(self.root.parent()?).ok()?.flatten();
        let mut names = entries.map(|entry| entry.file_name().to_string_lossy().into_owned());
        names.find(|name| name != LAYOUT && is_layout(name))
    }

    /// Takes note that a file is of use, for [`Store::export_noted`].
    fn note(&self, path: &Path) {
        if let Some(noted) = &self.noted {
            noted.lock().unwrap_or_else(PoisonError::into_inner).insert(path.to_path_buf());
        }
    }

    /// What a file holds that is sealed with its key, and where it comes from.
    fn sealed(&self, path: &Path, key: Digest) -> Option<(Vec<u8>, Origin)> {
        let (mut bytes, about) = read_what_is_there(path).ok()?;
        Self::used(path, &about);
        let sealed = Sealed::of(key, &bytes)?;
        let origin = sealed.origin(&self.secret)?;
        let head = bytes.len() - sealed.content.len();
        bytes.drain(..head);
        Some((bytes, origin))
    }

    /// Takes note that a file is of use, once a day: what is not used for long can be removed.
    fn used(path: &Path, about: &Metadata) {
        const DAY: std::time::Duration = std::time::Duration::from_secs(86_400);
        let is_old = about.modified().is_ok_and(|last| last.elapsed().is_ok_and(|since| since > DAY));
        if is_old && let Ok(file) = File::options().append(true).open(path) {
            // In a store that can't be written nothing is removed either.
            let _ = file.set_modified(std::time::SystemTime::now());
        }
    }

    fn path(&self, part: &str, digest: Digest) -> PathBuf {
        let name = digest.hex();
        let mut path = PathBuf::with_capacity(self.root.as_os_str().len() + part.len() + name.len() + 3);
        path.extend([self.root.as_os_str(), part.as_ref(), name[..2].as_ref(), name[2..].as_ref()]);
        path
    }

    fn write(&self, path: &Path, bytes: &[u8]) -> Result<(), StoreError> {
        let failed = |source| StoreError { path: path.into(), source };
        if let Some(folder) = path.parent() {
            fs::create_dir_all(folder).map_err(failed)?;
            if fs::symlink_metadata(folder).is_ok_and(|about| about.is_symlink()) {
                return Err(failed(io::Error::other("a folder in it is a link to elsewhere")));
            }
        }
        write_whole(path, bytes).map_err(failed)
    }
}

impl Objects for Store {
    fn put(&self, bytes: &[u8]) -> Result<Digest, StoreError> {
        let digest = Digest::of(bytes);
        let path = self.path("objects", digest);
        let there = fs::metadata(&path).is_ok_and(|found| found.len() == bytes.len() as u64);
        if !there || self.get(digest).is_none() {
            self.write(&path, bytes)?;
        }
        Ok(digest)
    }

    fn get(&self, digest: Digest) -> Option<Vec<u8>> {
        let path = self.path("objects", digest);
        let (bytes, about) = read_what_is_there(&path).ok()?;
        self.note(&path);
        Self::used(&path, &about);
        (Digest::of(&bytes) == digest).then_some(bytes)
    }

    fn has(&self, digest: Digest) -> bool {
        let path = self.path("objects", digest);
        self.note(&path);
        path.is_file()
    }

    fn write_record(&self, key: Digest, content: &[u8]) -> Result<(), StoreError> {
        self.write(&self.path("records", key), &Sealed::bytes(key, content, &self.secret))
    }

    fn record_from(&self, key: Digest) -> Option<(Vec<u8>, Origin)> {
        let path = self.path("records", key);
        self.note(&path);
        self.sealed(&path, key)
    }

    fn secret(&self) -> &Secret {
        &self.secret
    }

    fn keep_own(&self, key: Digest, content: &[u8]) -> Result<(), StoreError> {
        self.write(&self.path("own", key), &Sealed::bytes(key, content, &self.secret))?;
        // What can't be counted now is counted next time.
        let _ = self.make_room(LARGEST_OWN);
        Ok(())
    }

    fn own(&self, key: Digest) -> Option<Vec<u8>> {
        let (content, origin) = self.sealed(&self.path("own", key), key)?;
        (origin == Origin::Own).then_some(content)
    }
}

/// The bytes of a file, and what was known of it before they were read. One that says it is far larger than what there
/// is of it on disk (a file with holes) is not read: it would take memory for nothing.
fn read_what_is_there(path: &Path) -> io::Result<(Vec<u8>, Metadata)> {
    /// What a file may be larger than its room on disk, for file systems that compress.
    const AT_MOST: u64 = 64;
    const SMALL: u64 = 16 << 20;
    // What is no file, such as a pipe, must not be waited for.
    let file = File::from(open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty())?);
    let about = file.metadata()?;
    let is_hollow = about.len() > SMALL && about.len() / AT_MOST > about.blocks() * 512;
    if !about.is_file() || is_hollow {
        return Err(io::ErrorKind::InvalidData.into());
    }
    let mut bytes = Vec::with_capacity(usize::try_from(about.len()).unwrap_or_default());
    file.take(about.len()).read_to_end(&mut bytes)?;
    Ok((bytes, about))
}

/// A record as it stands in its file: a line with the hash of its key and its content and with the proof of its origin,
/// then the content.
struct Sealed<'a> {
    key: Digest,
    hash: &'a [u8],
    proof: &'a [u8],
    content: &'a [u8],
}

impl<'a> Sealed<'a> {
    fn bytes(key: Digest, content: &[u8], secret: &Secret) -> Vec<u8> {
        let hash = Digest::of_parts(&[key.as_bytes(), content]);
        let line = format!("{hash} {}\n", secret.proof(&[key.as_bytes(), content]).to_hex());
        [line.as_bytes(), content].concat()
    }

    /// The parts of a record, sound or not; nothing when it has not these parts.
    fn of(key: Digest, bytes: &'a [u8]) -> Option<Self> {
        let end = bytes.iter().position(|&b| b == b'\n')?;
        let (hash, proof) = bytes[..end].split_at_checked(64)?;
        Some(Sealed { key, hash, proof: proof.strip_prefix(b" ")?, content: &bytes[end + 1..] })
    }

    /// Whether it is whole, and the record of its key.
    fn is_sound(&self) -> bool {
        Digest::of_parts(&[self.key.as_bytes(), self.content]).to_string().as_bytes() == self.hash
    }

    /// Where it comes from; nothing when it is not sound. A proof that holds says that it is.
    fn origin(&self, secret: &Secret) -> Option<Origin> {
        match blake3::Hash::from_hex(self.proof) {
            // This comparison takes the same time whatever differs.
            Ok(proof) if proof == secret.proof(&[self.key.as_bytes(), self.content]) => Some(Origin::Own),
            _ => self.is_sound().then_some(Origin::Elsewhere),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn store() -> (tempfile::TempDir, Store) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        (folder, store)
    }

    #[test]
    fn a_record_in_the_place_of_another_is_damage() {
        let (_folder, store) = store();
        let (one, other) = (Digest::of(b"one"), Digest::of(b"other"));
        store.write_record(one, b"result of one").unwrap();
        store.write_record(other, b"result of other").unwrap();
        fs::copy(store.path("records", one), store.path("records", other)).unwrap();
        assert_eq!(store.record(other), None);
        assert_eq!(store.damaged().unwrap(), [store.path("records", other)]);
    }

    #[test]
    fn a_record_of_somebody_elses_is_read_and_known_as_such() {
        let (folder, store) = store();
        let key = Digest::of(b"key");
        store.write_record(key, b"theirs").unwrap();
        assert_eq!(store.record_from(key), Some((b"theirs".to_vec(), Origin::Own)));
        let here = Store::open(&folder.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        assert_eq!(here.record_from(key), Some((b"theirs".to_vec(), Origin::Elsewhere)));
        assert_eq!(here.own_record(key), None);
        here.write_record(key, b"ours").unwrap();
        assert_eq!(here.own_record(key).as_deref(), Some(&b"ours"[..]));
        // A hash can be made by anybody, a proof can't.
        let forged = [key.as_bytes().as_slice(), b"forged"].concat();
        for proof in ["", " ", " -", &format!(" {}", Digest::of(&forged)), &format!(" {}", "0".repeat(64))] {
            let line = format!("{}{proof}\nforged", Digest::of(&forged));
            fs::write(here.path("records", key), line).unwrap();
            assert_eq!(here.own_record(key), None, "{proof}");
        }
    }

    #[test]
    fn a_store_is_its_owners_alone() {
        let folder = tempfile::tempdir().unwrap();
        let open = || Store::open(&folder.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        let mode = || fs::metadata(folder.path().join(".vineloom")).unwrap().permissions().mode() & 0o777;
        open();
        assert_eq!(mode(), 0o700);
        fs::set_permissions(folder.path().join(".vineloom"), fs::Permissions::from_mode(0o755)).unwrap();
        open();
        assert_eq!(mode(), 0o700);
    }

    #[test]
    fn a_folder_of_something_else_keeps_its_mode_and_its_files_in_view() {
        let folder = tempfile::tempdir().unwrap();
        fs::set_permissions(folder.path(), fs::Permissions::from_mode(0o755)).unwrap();
        let mode = |at: &Path| fs::metadata(at).unwrap().permissions().mode() & 0o777;
        assert!(!Store::is_in(folder.path()));
        for _ in 0..2 {
            Store::open(folder.path(), Secret::passing().unwrap()).unwrap();
            assert_eq!(mode(folder.path()), 0o755);
            assert_eq!(mode(&folder.path().join(LAYOUT)), 0o700);
            assert!(!folder.path().join(".gitignore").exists());
            assert!(Store::is_in(folder.path()));
        }
    }

    #[test]
    fn a_file_with_holes_takes_no_memory() {
        let (_folder, store) = store();
        let digest = store.put(b"abc").unwrap();
        let file = File::options().write(true).open(store.path("objects", digest)).unwrap();
        file.set_len(1 << 40).unwrap();
        assert_eq!(store.get(digest), None);
        assert_eq!(store.damaged().unwrap(), [store.path("objects", digest)]);
        store.put(b"abc").unwrap();
        assert_eq!(store.get(digest).as_deref(), Some(&b"abc"[..]));
    }

    #[test]
    fn a_pipe_in_the_place_of_an_object_is_not_waited_for() {
        let (_folder, store) = store();
        let digest = store.put(b"abc").unwrap();
        let path = store.path("objects", digest);
        fs::remove_file(&path).unwrap();
        rustix::fs::mknodat(rustix::fs::CWD, &path, rustix::fs::FileType::Fifo, Mode::RWXU, 0).unwrap();
        assert_eq!(store.get(digest), None);
    }

    #[test]
    fn what_is_put_comes_back_and_a_store_ignores_itself_in_version_control() {
        let (folder, store) = store();
        let digest = store.put(b"abc").unwrap();
        assert_eq!(store.get(digest).as_deref(), Some(&b"abc"[..]));
        assert_eq!(store.get(Digest::of(b"other")), None);
        assert_eq!(fs::read_to_string(folder.path().join(".vineloom/.gitignore")).unwrap(), "*\n");
    }

    #[test]
    fn a_damaged_object_counts_as_absent_and_can_be_put_again() {
        let (_folder, store) = store();
        let digest = store.put(b"abc").unwrap();
        fs::write(store.path("objects", digest), b"abd").unwrap();
        assert_eq!(store.get(digest), None);
        store.put(b"abc").unwrap();
        assert_eq!(store.get(digest).as_deref(), Some(&b"abc"[..]));
    }

    #[test]
    fn a_cut_or_changed_record_counts_as_absent() {
        let (_folder, store) = store();
        let key = Digest::of(b"key");
        store.write_record(key, b"a record of some length").unwrap();
        assert_eq!(store.record(key).as_deref(), Some(&b"a record of some length"[..]));
        let path = store.path("records", key);
        let whole = fs::read(&path).unwrap();
        for cut in [0, 10, 64, 65, whole.len() - 1] {
            fs::write(&path, &whole[..cut]).unwrap();
            assert_eq!(store.record(key), None, "cut at {cut}");
        }
        let mut changed = whole.clone();
        *changed.last_mut().unwrap() ^= 1;
        fs::write(&path, &changed).unwrap();
        assert_eq!(store.record(key), None);
    }
}
