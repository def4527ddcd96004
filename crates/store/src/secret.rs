//! A secret of the user's, by which results of their own are told from those of somebody else.
//!
//! It lies in the user's own data folder, never in a store: whoever ships, copies or forges a store does not have it.

use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::Path;

/// 32 random bytes that only this user has.
#[derive(Clone)]
pub struct Secret {
    bytes: [u8; 32],
    of_records: [u8; 32],
}

impl std::fmt::Debug for Secret {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Secret(…)")
    }
}

impl Secret {
    /// The secret in a file, which is made when it is not there, for its owner's eyes alone.
    ///
    /// # Errors
    /// When it can neither be read nor made, or holds something else.
    pub fn in_file(path: &Path) -> io::Result<Self> {
        match Self::read(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            read => return read,
        }
        let folder = path.parent().unwrap_or(Path::new("."));
        fs::DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
        let made = Self::passing()?;
        let beside = path.with_extension(format!("{}.new", std::process::id()));
        let written = File::options().write(true).create(true).truncate(true).mode(0o600).open(&beside);
        written.and_then(|mut file| file.write_all(&made.bytes).and_then(|()| file.sync_all()))?;
        // When another process was faster, its secret counts.
        let linked = fs::hard_link(&beside, path);
        let _ = fs::remove_file(&beside);
        match linked {
            Err(error) if error.kind() != io::ErrorKind::AlreadyExists => Err(error),
            _ => Self::read(path),
        }
    }

    fn read(path: &Path) -> io::Result<Self> {
        let mut bytes = Vec::new();
        File::open(path)?.take(33).read_to_end(&mut bytes)?;
        let wrong = |_| io::Error::new(io::ErrorKind::InvalidData, "it does not hold 32 bytes");
        bytes.try_into().map(Secret::of).map_err(wrong)
    }

    /// A secret for this process alone.
    ///
    /// # Errors
    /// When the system has no random numbers.
    pub fn passing() -> io::Result<Self> {
        let mut bytes = [0; 32];
        File::open("/dev/urandom")?.read_exact(&mut bytes)?;
        Ok(Secret::of(bytes))
    }

    fn of(bytes: [u8; 32]) -> Self {
        Secret { bytes, of_records: Self::for_use(&bytes, "records") }
    }

    /// A secret of its own for one use, so that what is made with one says nothing of another.
    fn for_use(bytes: &[u8; 32], purpose: &str) -> [u8; 32] {
        let mut hasher = blake3::Hasher::new_derive_key("vineloom secret of the user's");
        hasher.update(bytes).update(purpose.as_bytes());
        *hasher.finalize().as_bytes()
    }

    /// What proves that these parts were stored, one after the other, by somebody who has this secret.
    pub(crate) fn proof(&self, parts: &[&[u8]]) -> blake3::Hash {
        let mut hasher = blake3::Hasher::new_keyed(&self.of_records);
        for part in parts {
            hasher.update(part);
        }
        hasher.finalize()
    }

    /// A text that stands for a value and from which nobody without this secret can tell it, also by trying.
    pub fn conceal(&self, name: &str, value: &str) -> String {
        let mut hasher = blake3::Hasher::new_keyed(&Self::for_use(&self.bytes, "values"));
        hasher.update(&(name.len() as u64).to_le_bytes()).update(name.as_bytes()).update(value.as_bytes());
        hasher.finalize().to_hex().to_string()
    }

    /// A name for it that does not give it away: the same secret has the same.
    pub fn name(&self) -> String {
        blake3::Hash::from_bytes(Self::for_use(&self.bytes, "name")).to_hex()[..16].to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::PermissionsExt;

    #[test]
    fn a_secret_is_made_once_for_its_owner_alone() {
        let home = tempfile::tempdir().unwrap();
        let path = home.path().join("deep/vineloom/secret");
        let first = Secret::in_file(&path).unwrap();
        assert_eq!(Secret::in_file(&path).unwrap().bytes, first.bytes);
        assert_eq!(fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
        assert_eq!(fs::metadata(path.parent().unwrap()).unwrap().permissions().mode() & 0o777, 0o700);
        assert_eq!(fs::read_dir(path.parent().unwrap()).unwrap().count(), 1);
        fs::write(&path, "short").unwrap();
        assert!(Secret::in_file(&path).is_err());
    }

    #[test]
    fn what_stands_for_a_value_depends_on_the_secret_and_the_name() {
        let (one, other) = (Secret::passing().unwrap(), Secret::passing().unwrap());
        assert_eq!(one.conceal("A", "x"), one.conceal("A", "x"));
        assert_ne!(one.conceal("A", "x"), one.conceal("B", "x"));
        assert_ne!(one.conceal("A", "x"), other.conceal("A", "x"));
        assert_ne!(one.name(), other.name());
    }
}
