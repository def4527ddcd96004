//! Writing files that blocks made: where that may be done, and how it leads nowhere else.

use crate::file_name::as_text;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Component, Path};
use vineloom_store::Digest;

/// Whether a path lies in a folder, and no folder or file on the way down to it is hidden, also after every link is
/// followed.
pub(crate) fn is_inside(path: &Path, folder: &Path) -> bool {
    let is_plain = |below: &Path| {
        below
            .components()
            .all(|part| matches!(part, Component::Normal(name) if !name.as_encoded_bytes().starts_with(b".")))
    };
    let Ok(folder) = fs::canonicalize(folder) else { return false };
    let (mut there, mut missing) = (path, Vec::new());
    let real = loop {
        if let Ok(real) = fs::canonicalize(there) {
            break real;
        }
        // A link that leads nowhere yet would be followed when its end is made.
        if fs::symlink_metadata(there).is_ok() {
            return false;
        }
        match (there.file_name(), there.parent()) {
            (Some(name), Some(parent)) => {
                missing.push(name);
                there = parent;
            }
            _ => return false,
        }
    };
    let whole = missing.iter().rev().fold(real, |at, name| at.join(name));
    whole.strip_prefix(&folder).is_ok_and(|below| below != Path::new("") && is_plain(below))
}

/// Under what the store remembers the content that a result from elsewhere put at a path.
pub(crate) fn place_of(path: &Path) -> Digest {
    Digest::of(format!("put by a result from elsewhere: {}", as_text(path)).as_bytes())
}

/// Gives a file the rights of `mode`, but no more than a new file of this user's would have.
pub(crate) fn restrict(path: &Path, mode: u32) -> std::io::Result<()> {
    // A new file has every right that the mask leaves but that of being run, which follows that of being read.
    let new = fs::metadata(path)?.permissions().mode() & 0o666;
    let runs = if mode & 0o100 != 0 { (new & 0o444) >> 2 } else { 0 };
    fs::set_permissions(path, fs::Permissions::from_mode((new & (mode | 0o600)) | (runs & mode)))
}

/// Removes a file, a link, or an empty folder.
pub(crate) fn remove(path: &Path) -> std::io::Result<()> {
    if fs::symlink_metadata(path)?.is_dir() { fs::remove_dir(path) } else { fs::remove_file(path) }
}

/// Makes a link in the place of whatever file or link is there.
pub(crate) fn link(target: &Path, path: &Path) -> std::io::Result<()> {
    if fs::symlink_metadata(path).is_ok() {
        remove(path)?;
    }
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    std::os::unix::fs::symlink(target, path)
}
