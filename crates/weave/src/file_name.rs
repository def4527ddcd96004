//! Paths as texts that can be stored and read again, also those that are not UTF-8.

use std::ffi::OsString;
use std::fmt::Write as _;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

/// What a text begins with whose path is not UTF-8: no path has it. The bytes follow, two hexadecimal digits each.
const BYTES: char = '\0';

/// A path as a text.
pub(crate) fn as_text(path: &Path) -> String {
    match path.to_str() {
        Some(text) => text.to_string(),
        None => path.as_os_str().as_bytes().iter().fold(BYTES.to_string(), |mut text, byte| {
            // Writing to a String can't fail.
            let _ = write!(text, "{byte:02x}");
            text
        }),
    }
}

/// The path of such a text.
pub(crate) fn as_path(text: &str) -> PathBuf {
    let Some(digits) = text.strip_prefix(BYTES) else { return PathBuf::from(text) };
    let byte = |at: usize| u8::from_str_radix(digits.get(at..at + 2)?, 16).ok();
    PathBuf::from(OsString::from_vec((0..digits.len()).step_by(2).filter_map(byte).collect()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_path_comes_back() {
        for bytes in [&b"data/a.csv"[..], b"n\xff", b"caf\xc3\xa9/\x80\x01", b""] {
            let path = PathBuf::from(OsString::from_vec(bytes.to_vec()));
            assert_eq!(as_path(&as_text(&path)), path);
        }
        assert_eq!(as_text(Path::new("data/é.csv")), "data/é.csv");
    }
}
