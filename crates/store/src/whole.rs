//! Files that are there whole or not at all.

use std::fs;
use std::io::{self, Write};
use std::path::Path;

/// Writes a file so that a reader, or a crash at any instant, finds the old content or the new, whole.
///
/// # Errors
/// Those of the file system; the old content is then untouched.
pub fn write_whole(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut builder = tempfile::Builder::new();
    builder.prefix(".vineloom-").suffix(".part");
    // The mode a plain new file would have; the process's own mask is applied to it.
    #[cfg(unix)]
    builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
    let mut file = builder.tempfile_in(folder)?;
    file.write_all(bytes)?;
    if let Ok(old) = fs::metadata(path) {
        file.as_file().set_permissions(old.permissions())?;
    }
    file.persist(path).map(drop).map_err(|failed| failed.error)
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
