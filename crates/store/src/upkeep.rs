//! Looking after a store: how large it is, what is damaged, what was not used for long, and taking it elsewhere.

use crate::objects::Objects;
use crate::{Digest, Sealed, Store, read_what_is_there, write_whole};
use std::fs::{self, File};
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::PoisonError;
use std::time::SystemTime;

/// How much a store holds.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Size {
    /// Results.
    pub records: usize,
    /// Objects.
    pub objects: usize,
    /// What is this user's alone: states of strands.
    pub own: usize,
    /// All of it, in bytes.
    pub bytes: u64,
}

/// What a clean-up did, in bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Cleaned {
    /// How much was removed.
    pub removed: u64,
    /// How much is left.
    pub left: u64,
}

/// One file of a store.
struct Stored {
    path: PathBuf,
    bytes: u64,
    used: SystemTime,
    part: Part,
}

/// The parts of a store, by the names of their folders.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Part {
    Objects,
    Records,
    Own,
}

/// All of them.
const PARTS: [(&str, Part); 3] = [("objects", Part::Objects), ("records", Part::Records), ("own", Part::Own)];

impl Store {
    fn files(&self) -> io::Result<Vec<Stored>> {
        let mut files = Vec::new();
        for (name, part) in PARTS {
            files.extend(self.files_of(name, part)?);
        }
        Ok(files)
    }

    fn files_of(&self, name: &str, part: Part) -> io::Result<Vec<Stored>> {
        let mut files = Vec::new();
        for folder in fs::read_dir(self.root.join(name))?.flatten().filter(|entry| entry.path().is_dir()) {
            for entry in fs::read_dir(folder.path())?.flatten() {
                let Ok(about) = entry.metadata() else { continue };
                // What a process that was killed had begun to write has no name of the store's yet.
                if self.named(&entry.path()).is_none() {
                    continue;
                }
                let used = about.modified().unwrap_or(SystemTime::UNIX_EPOCH);
                files.push(Stored { path: entry.path(), bytes: about.len(), used, part });
            }
        }
        Ok(files)
    }

    /// How much it holds.
    ///
    /// # Errors
    /// When its folders can't be read.
    pub fn size(&self) -> io::Result<Size> {
        let mut size = Size::default();
        for file in self.files()? {
            match file.part {
                Part::Objects => size.objects += 1,
                Part::Records => size.records += 1,
                Part::Own => size.own += 1,
            }
            size.bytes += file.bytes;
        }
        Ok(size)
    }

    /// The files whose content is not what their name or their first line says.
    ///
    /// # Errors
    /// When its folders can't be read.
    pub fn damaged(&self) -> io::Result<Vec<PathBuf>> {
        let is_sound = |file: &Stored| {
            let Ok((bytes, _)) = read_what_is_there(&file.path) else { return false };
            match self.named(&file.path) {
                // What an earlier version wrote is not used, and not damaged.
                Some(key) if file.part != Part::Objects => {
                    is_sound_record(key, &bytes) || is_of_earlier_version(&bytes)
                }
                named => named == Some(Digest::of(&bytes)),
            }
        };
        Ok(self.files()?.into_iter().filter(|file| !is_sound(file)).map(|file| file.path).collect())
    }

    /// The digest that a path in the store stands for.
    fn named(&self, path: &Path) -> Option<Digest> {
        let start = path.parent()?.file_name()?.to_str()?;
        format!("{start}{}", path.file_name()?.to_str()?).parse().ok()
    }

    /// Removes what was not used for longest, until no more than so many bytes are left.
    ///
    /// # Errors
    /// When its folders can't be read.
    pub fn clean(&self, keep: u64) -> io::Result<Cleaned> {
        self.remove_what_was_begun()?;
        Ok(Self::remove_oldest(self.files()?, keep))
    }

    /// Removes what was not used for longest of what is this user's alone, until no more than so many bytes are left.
    pub(crate) fn make_room(&self, keep: u64) -> io::Result<Cleaned> {
        Ok(Self::remove_oldest(self.files_of("own", Part::Own)?, keep))
    }

    fn remove_oldest(mut files: Vec<Stored>, keep: u64) -> Cleaned {
        files.sort_by_key(|file| file.used);
        let mut cleaned = Cleaned { removed: 0, left: files.iter().map(|file| file.bytes).sum() };
        for file in files {
            if cleaned.left <= keep {
                break;
            }
            if fs::remove_file(&file.path).is_ok() {
                cleaned.removed += file.bytes;
                cleaned.left -= file.bytes;
            }
        }
        cleaned
    }

    /// Removes files that were begun more than a day ago and never got their name.
    fn remove_what_was_begun(&self) -> io::Result<()> {
        const DAY: std::time::Duration = std::time::Duration::from_secs(86_400);
        for (name, _) in PARTS {
            for folder in fs::read_dir(self.root.join(name))?.flatten().filter(|entry| entry.path().is_dir()) {
                for entry in fs::read_dir(folder.path())?.flatten() {
                    let since =
                        entry.metadata().and_then(|about| about.modified()).map(|at| at.elapsed().unwrap_or_default());
                    if self.named(&entry.path()).is_none() && since.is_ok_and(|since| since > DAY) {
                        fs::remove_file(entry.path())?;
                    }
                }
            }
        }
        Ok(())
    }

    /// Writes all of it but what is this user's alone to a tar file, and says how many files that were.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn export(&self, to: &Path) -> io::Result<usize> {
        let files = self.files()?.into_iter().filter(|file| file.part != Part::Own);
        let files: Vec<PathBuf> = files.map(|file| file.path).collect();
        write_whole(to, &self.archive(&files)?)?;
        Ok(files.len())
    }

    /// What was of use since [`Store::noting`], as a tar archive in the same form, and how many files that are.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn export_noted(&self) -> io::Result<(Vec<u8>, usize)> {
        let noted = self.noted.as_ref().map(|noted| noted.lock().unwrap_or_else(PoisonError::into_inner).clone());
        let files: Vec<PathBuf> = noted.unwrap_or_default().into_iter().filter(|path| path.is_file()).collect();
        Ok((self.archive(&files)?, files.len()))
    }

    fn archive(&self, files: &[PathBuf]) -> io::Result<Vec<u8>> {
        let mut archive = tar::Builder::new(Vec::new());
        for file in files {
            let name = file.strip_prefix(&self.root).map_err(io::Error::other)?;
            archive.append_path_with_name(file, name)?;
        }
        archive.into_inner()
    }

    /// Takes in what [`Store::export`] wrote, and says how many files that were. What is damaged, or has no business
    /// in a store, is left out; so is an entry that says it is larger than the archive. A record stays one from
    /// elsewhere unless it is this user's own, and never takes the place of one that is.
    ///
    /// # Errors
    /// When it can't be read, or the store can't be written.
    pub fn import(&self, from: &Path) -> io::Result<usize> {
        let mut count = 0;
        let archive = File::open(from)?;
        let size = archive.metadata()?.len();
        for entry in tar::Archive::new(archive).entries()? {
            let entry = entry?;
            // Holes (a sparse entry) are nothing that we write.
            if entry.header().entry_type() != tar::EntryType::Regular || entry.size() > size {
                continue;
            }
            let path = self.root.join(entry.path()?);
            let Some(digest) = self.named(&path) else { continue };
            let mut bytes = Vec::new();
            entry.take(size).read_to_end(&mut bytes)?;
            if path == self.path("objects", digest) && Digest::of(&bytes) == digest {
                self.put(&bytes).map_err(io::Error::other)?;
            } else if path == self.path("records", digest) && is_sound_record(digest, &bytes) {
                if self.own_record(digest).is_none() {
                    self.write(&path, &bytes).map_err(io::Error::other)?;
                }
            } else {
                continue;
            }
            count += 1;
        }
        Ok(count)
    }
}

fn is_sound_record(key: Digest, bytes: &[u8]) -> bool {
    Sealed::of(key, bytes).is_some_and(|sealed| sealed.is_sound())
}

/// Whether bytes are a record as versions before the first release wrote it: the hash of the content alone, and the
/// content.
fn is_of_earlier_version(bytes: &[u8]) -> bool {
    let parts = bytes.split_at_checked(64).and_then(|(hash, rest)| Some((hash, rest.strip_prefix(b"\n")?)));
    parts.is_some_and(|(hash, content)| Digest::of(content).to_string().as_bytes() == hash)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Secret;

    fn filled() -> (tempfile::TempDir, Store) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        for n in 0..4_u8 {
            store.put(&[n; 100]).unwrap();
        }
        store.write_record(Digest::of(b"key"), b"result").unwrap();
        (folder, store)
    }

    #[test]
    fn what_was_of_use_goes_elsewhere_and_nothing_else() {
        let (folder, store) = filled();
        let store = store.noting();
        assert!(store.get(Digest::of(&[2; 100])).is_some() && store.record(Digest::of(b"key")).is_some());
        assert!(store.get(Digest::of(b"nothing")).is_none());
        let (archive, count) = store.export_noted().unwrap();
        assert_eq!(count, 2);
        let file = folder.path().join("noted.tar");
        fs::write(&file, archive).unwrap();
        let other = Store::open(&folder.path().join("other"), Secret::passing().unwrap()).unwrap();
        assert_eq!(other.import(&file).unwrap(), 2);
        assert!(other.get(Digest::of(&[2; 100])).is_some() && other.get(Digest::of(&[1; 100])).is_none());
    }

    #[test]
    fn a_store_goes_elsewhere_whole() {
        let (folder, store) = filled();
        let file = folder.path().join("store.tar");
        assert_eq!(store.export(&file).unwrap(), 5);
        let other = Store::open(&folder.path().join("other"), Secret::passing().unwrap()).unwrap();
        assert_eq!(other.import(&file).unwrap(), 5);
        assert_eq!(other.size().unwrap(), store.size().unwrap());
        assert_eq!(other.record(Digest::of(b"key")).as_deref(), Some(&b"result"[..]));
        assert!(other.import(&folder.path().join("none")).is_err());
    }

    #[test]
    fn an_archive_brings_no_more_than_it_holds_and_nothing_beside_the_store() {
        let (folder, store) = filled();
        let file = folder.path().join("forged.tar");
        let mut archive = tar::Builder::new(Vec::new());
        let name = |digest: Digest| format!("objects/{}/{}", &digest.to_string()[..2], &digest.to_string()[2..]);
        let mut add = |name: &str, kind: tar::EntryType, size: u64, bytes: &[u8]| {
            let mut header = tar::Header::new_gnu();
            // A builder would refuse such names.
            header.as_gnu_mut().unwrap().name[..name.len()].copy_from_slice(name.as_bytes());
            header.set_size(size);
            header.set_entry_type(kind);
            header.set_cksum();
            archive.append(&header, bytes).unwrap();
        };
        let (one, link) = (Digest::of(b"one"), Digest::of(b"link"));
        add("../outside", tar::EntryType::Regular, 3, b"one");
        add(&format!("objects/../../{}", name(one)), tar::EntryType::Regular, 3, b"one");
        add(&name(link), tar::EntryType::Symlink, 0, b"");
        add(&name(Digest::of(b"other")), tar::EntryType::Regular, 3, b"one");
        add(&name(one), tar::EntryType::Regular, 3, b"one");
        fs::write(&file, archive.into_inner().unwrap()).unwrap();
        let before = store.size().unwrap();
        assert_eq!(store.import(&file).unwrap(), 1);
        assert_eq!(store.size().unwrap().objects, before.objects + 1);
        assert!(!folder.path().join(".vineloom/outside").exists());
        // Of one that says it is larger than the whole archive, or has holes, nothing is taken in.
        for kind in [tar::EntryType::Regular, tar::EntryType::GNUSparse] {
            let mut header = tar::Header::new_gnu();
            header.set_path(name(Digest::of(b"huge"))).unwrap();
            header.set_entry_type(kind);
            header.as_gnu_mut().unwrap().set_real_size(1 << 40);
            header.set_size(1 << 40);
            header.set_cksum();
            fs::write(&file, header.as_bytes()).unwrap();
            assert!(matches!(store.import(&file), Ok(0) | Err(_)), "{kind:?}");
        }
    }

    #[test]
    fn what_is_imported_never_takes_the_place_of_ones_own() {
        let (folder, store) = filled();
        let theirs = Store::open(&folder.path().join("theirs"), Secret::passing().unwrap()).unwrap();
        theirs.write_record(Digest::of(b"key"), b"another result").unwrap();
        theirs.write_record(Digest::of(b"new"), b"new").unwrap();
        let file = folder.path().join("store.tar");
        theirs.export(&file).unwrap();
        store.import(&file).unwrap();
        assert_eq!(store.own_record(Digest::of(b"key")).as_deref(), Some(&b"result"[..]));
        assert_eq!(store.own_record(Digest::of(b"new")), None);
        assert_eq!(store.record(Digest::of(b"new")).as_deref(), Some(&b"new"[..]));
    }

    #[test]
    fn what_is_damaged_is_found() {
        let (_folder, store) = filled();
        assert!(store.damaged().unwrap().is_empty());
        let object = store.path("objects", Digest::of(&[1; 100]));
        fs::write(&object, "other").unwrap();
        let record = store.path("records", Digest::of(b"key"));
        fs::write(&record, "cut").unwrap();
        let mut damaged = store.damaged().unwrap();
        damaged.sort();
        let mut expected = vec![object, record];
        expected.sort();
        assert_eq!(damaged, expected);
    }

    #[test]
    fn what_a_killed_process_had_begun_is_no_damage_and_goes_after_a_day() {
        let (_folder, store) = filled();
        let begun = store.path("objects", Digest::of(&[1; 100])).with_file_name(".tmpAbCdEf");
        fs::write(&begun, "half").unwrap();
        assert!(store.damaged().unwrap().is_empty());
        store.clean(u64::MAX).unwrap();
        assert!(begun.exists(), "it may still be written");
        let long_ago = SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_000_000);
        File::options().append(true).open(&begun).unwrap().set_modified(long_ago).unwrap();
        store.clean(u64::MAX).unwrap();
        assert!(!begun.exists());
    }

    #[test]
    fn what_was_not_used_for_longest_goes_first() {
        let (_folder, store) = filled();
        let old = store.path("objects", Digest::of(&[2; 100]));
        let long_ago = SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_000_000);
        File::options().append(true).open(&old).unwrap().set_modified(long_ago).unwrap();
        let all = store.size().unwrap().bytes;
        assert_eq!(store.clean(all - 1).unwrap(), Cleaned { removed: 100, left: all - 100 });
        assert!(!old.exists());
        // What is used again is young again.
        let another = store.path("objects", Digest::of(&[3; 100]));
        File::options().append(true).open(&another).unwrap().set_modified(long_ago).unwrap();
        store.get(Digest::of(&[3; 100])).unwrap();
        assert!(fs::metadata(&another).unwrap().modified().unwrap() > long_ago);
    }

    #[test]
    fn what_is_the_users_alone_is_bounded_and_stays_behind() {
        let (folder, store) = filled();
        let keys = [1, 2, 3].map(|n: u8| Digest::of(&[n]));
        for (at, key) in keys.iter().enumerate() {
            store.keep_own(*key, &[at as u8; 1000]).unwrap();
            let file = File::options().append(true).open(store.path("own", *key)).unwrap();
            file.set_modified(SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(at as u64)).unwrap();
        }
        let before = store.size().unwrap();
        assert_eq!(before.own, 3);
        assert!(store.damaged().unwrap().is_empty());
        // Records and objects are left alone.
        store.make_room(2500).unwrap();
        let after = store.size().unwrap();
        assert_eq!((after.own, after.records, after.objects), (2, before.records, before.objects));
        assert_eq!(store.own(keys[0]), None);
        assert_eq!(store.own(keys[2]).as_deref(), Some(&[2_u8; 1000][..]));
        let archive = folder.path().join("all.tar");
        assert_eq!(store.export(&archive).unwrap(), after.records + after.objects);
        // Of somebody else's nothing is had.
        let theirs = Store::open(&folder.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        assert_eq!(theirs.own(keys[2]), None);
    }
}
