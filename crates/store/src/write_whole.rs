//! Files that are there whole or not at all.

use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// New content of a file, written and synced beside its place. Dropped, it is gone.
#[derive(Debug)]
pub struct Prepared {
    file: tempfile::NamedTempFile,
    path: PathBuf,
}

impl Prepared {
    /// Writes `bytes` beside `path` and waits until they are on the disk.
    ///
    /// # Errors
    /// Those of the file system; what stands at `path` is untouched.
    pub fn new(path: &Path, bytes: &[u8]) -> io::Result<Self> {
        let prepared = Self::unsynced(path, bytes)?;
        prepared.file.as_file().sync_all()?;
        Ok(prepared)
    }

    fn unsynced(path: &Path, bytes: &[u8]) -> io::Result<Self> {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let mut builder = tempfile::Builder::new();
        builder.prefix(".vineloom-").suffix(".part");
        // The mode a plain new file would have; the process's own mask is applied to it.
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
        let mut file = builder.tempfile_in(folder)?;
        file.write_all(bytes)?;
        if let Ok(old) = fs::metadata(path) {
            file.as_file().set_permissions(old.permissions())?;
        }
        Ok(Prepared { file, path: path.into() })
    }

    /// Puts it in its place.
    ///
    /// # Errors
    /// Those of the file system; the old content is then untouched.
    pub fn place(self) -> io::Result<()> {
        self.file.persist(&self.path).map(drop).map_err(|failed| failed.error)
    }
}

/// Writes a file so that a reader, or a crash of this process at any instant, finds the old content or the new, whole.
///
/// # Errors
/// Those of the file system; the old content is then untouched.
pub fn write_whole(path: &Path, bytes: &[u8]) -> io::Result<()> {
    Prepared::unsynced(path, bytes)?.place()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_replaced_and_nothing_is_left_beside_it() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("page.html");
        write_whole(&path, b"one").unwrap();
        write_whole(&path, b"two").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"two");
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1);
    }

    #[test]
    fn a_folder_that_is_not_there_is_an_error() {
        let folder = tempfile::tempdir().unwrap();
        assert!(write_whole(&folder.path().join("no/page.html"), b"x").is_err());
    }
}
