//! The store: content-addressed objects, and one record per key, in files.
//!
//! It does not know what it stores. Every write goes to a temporary name and is then renamed, so a reader
//! sees the old or the new content, whole; everything read is checked against its hash, and what is damaged
//! counts as absent. Several processes may use one store at once.
//!
//! ```
//! # let folder = tempfile::tempdir().unwrap();
//! use vineloom_store::{Digest, Store};
//!
//! let store = Store::open(&folder.path().join(".vineloom"))?;
//! let figure = store.put(b"<svg/>")?;
//! let key = Digest::of(b"the inputs of a block");
//! store.write_record(key, figure.to_string().as_bytes())?;
//! assert_eq!(store.get(figure).as_deref(), Some(&b"<svg/>"[..]));
//! # Ok::<(), vineloom_store::StoreError>(())
//! ```

#![forbid(unsafe_code)]

mod digest;
mod upkeep;
mod whole;

pub use digest::Digest;
pub use upkeep::{Cleaned, Size};
pub use whole::write_whole;

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// The version of the layout on disk; a store of another version is left alone and not read.
const LAYOUT: &str = "v1";

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

/// A folder of objects and records.
#[derive(Debug, Clone)]
pub struct Store {
    root: PathBuf,
}

impl Store {
    /// Opens the store in `folder`, making it when it is not there.
    ///
    /// # Errors
    /// [`StoreError`] when the folder can't be made.
    pub fn open(folder: &Path) -> Result<Self, StoreError> {
        let root = folder.join(LAYOUT);
        for part in ["objects", "records"] {
            fs::create_dir_all(root.join(part)).map_err(|source| StoreError { path: folder.into(), source })?;
        }
        let ignore = folder.join(".gitignore");
        if !ignore.exists() {
            write_whole(&ignore, b"*\n").map_err(|source| StoreError { path: ignore, source })?;
        }
        Ok(Store { root })
    }

    /// Stores bytes and returns their digest. Storing the same bytes again writes nothing.
    ///
    /// # Errors
    /// [`StoreError`] when they can't be written.
    pub fn put(&self, bytes: &[u8]) -> Result<Digest, StoreError> {
        let digest = Digest::of(bytes);
        let path = self.path("objects", digest);
        let there = fs::metadata(&path).is_ok_and(|found| found.len() == bytes.len() as u64);
        if !there || self.get(digest).is_none() {
            self.write(&path, bytes)?;
        }
        Ok(digest)
    }

    /// The bytes of a digest; nothing when they are not there or damaged.
    pub fn get(&self, digest: Digest) -> Option<Vec<u8>> {
        let path = self.path("objects", digest);
        let bytes = fs::read(&path).ok()?;
        self.used(&path);
        (Digest::of(&bytes) == digest).then_some(bytes)
    }

    /// Whether there is something under a digest; whether it is sound, [`Store::get`] says.
    pub fn has(&self, digest: Digest) -> bool {
        self.path("objects", digest).is_file()
    }

    /// Writes the record of a key, in place of an earlier one.
    ///
    /// # Errors
    /// [`StoreError`] when it can't be written.
    pub fn write_record(&self, key: Digest, content: &[u8]) -> Result<(), StoreError> {
        let mut bytes = Digest::of(content).to_string().into_bytes();
        bytes.push(b'\n');
        bytes.extend_from_slice(content);
        self.write(&self.path("records", key), &bytes)
    }

    /// The record of a key; nothing when there is none or it is damaged.
    pub fn record(&self, key: Digest) -> Option<Vec<u8>> {
        let path = self.path("records", key);
        let bytes = fs::read(&path).ok()?;
        self.used(&path);
        content(&bytes).map(<[u8]>::to_vec)
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

    /// Takes note that a file is of use, once a day: what is not used for long can be removed.
    fn used(&self, path: &Path) {
        const DAY: std::time::Duration = std::time::Duration::from_secs(86_400);
        let last = fs::metadata(path).and_then(|about| about.modified());
        let is_old = last.is_ok_and(|last| last.elapsed().is_ok_and(|since| since > DAY));
        if is_old && let Ok(file) = fs::File::options().append(true).open(path) {
            // In a store that can't be written nothing is removed either.
            let _ = file.set_modified(std::time::SystemTime::now());
        }
    }

    fn path(&self, part: &str, digest: Digest) -> PathBuf {
        let name = digest.to_string();
        self.root.join(part).join(&name[..2]).join(&name[2..])
    }

    fn write(&self, path: &Path, bytes: &[u8]) -> Result<(), StoreError> {
        let failed = |source| StoreError { path: path.into(), source };
        if let Some(folder) = path.parent() {
            fs::create_dir_all(folder).map_err(failed)?;
        }
        write_whole(path, bytes).map_err(failed)
    }
}

/// The content of a record: what stands after its first line, if that is its hash.
fn content(bytes: &[u8]) -> Option<&[u8]> {
    let end = bytes.iter().position(|&b| b == b'\n')?;
    let content = &bytes[end + 1..];
    (Digest::of(content).to_string().as_bytes() == &bytes[..end]).then_some(content)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn store() -> (tempfile::TempDir, Store) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join(".vineloom")).unwrap();
        (folder, store)
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
