//! Opening a pack. It may come from anybody, so nothing of it counts before all of it was looked at: it is opened in a new
//! folder beside the one that is asked for, which takes its name only when everything is sound.

use crate::manifest::{Manifest, stays_inside};
use crate::problem::{Fault, Problem};
use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Read};
use std::os::unix::fs::PermissionsExt;
use std::path::{Component, Path, PathBuf};
use std::time::{Duration, UNIX_EPOCH};
use vineloom_document::Diagnostic;
use vineloom_store::{Digest, Secret, Store, write_whole};

/// What a pack may hold, so that a small archive does not fill a disk.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// How many bytes all its files may have together.
    pub bytes: u64,
    /// How many files and links it may have.
    pub files: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Limits { bytes: 4 << 30, files: 100_000 }
    }
}

/// Opens a pack in a folder, which must not be there. Nothing of it lands anywhere else, and nothing in it runs.
///
/// # Errors
/// Why it is refused; nothing is left of it then.
pub fn unpack(archive: &Path, folder: &Path, limits: Limits, secret: &Secret) -> Result<Manifest, Box<Problem>> {
    let problem = |message: String, help: &str| Problem::unplaced(Fault::Use, Diagnostic::unplaced(message).help(help));
    if folder.symlink_metadata().is_ok() {
        let message = format!("{} is there already", folder.display());
        return Err(problem(message, "name a folder that does not exist: nothing is overwritten"));
    }
    let refused = |why: String| {
        problem(
            format!("{} is no sound pack: {why}", archive.display()),
            "nothing of it was written; get it again from who made it",
        )
    };
    let file = File::open(archive).map_err(|error| {
        problem(format!("{} can't be read: {error}", archive.display()), "a pack is what `vineloom pack` made")
    })?;
    let parent = folder.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let made = fs::create_dir_all(parent).and_then(|()| {
        tempfile::Builder::new().prefix(".unpacking-").permissions(fs::Permissions::from_mode(0o755)).tempdir_in(parent)
    });
    let workplace = made.map_err(|error| {
        problem(format!("{} can't be made: {error}", folder.display()), "see that the folder above may be written to")
    })?;
    let mut opening = Opening {
        folder: workplace.path().join("project"),
        limits,
        left: limits.bytes,
        count: 0,
        files: BTreeMap::new(),
    };
    let manifest = opening.read(file).map_err(&refused)?;
    opening.check(&manifest).map_err(&refused)?;
    let results = workplace.path().join(Manifest::RESULTS);
    let store =
        Store::open(&opening.folder.join(".vineloom"), secret.clone()).map_err(|error| refused(error.to_string()))?;
    store.import(&results).map_err(|error| refused(format!("its results can't be read: {error}")))?;
    opening.link(&manifest).map_err(&refused)?;
    fs::rename(&opening.folder, folder).map_err(|error| {
        problem(format!("{} can't be made: {error}", folder.display()), "see that the folder above may be written to")
    })?;
    Ok(manifest)
}

/// A pack that is being opened.
struct Opening {
    /// The folder of the files.
    folder: PathBuf,
    limits: Limits,
    /// How many more bytes may come.
    left: u64,
    count: usize,
    /// The files that came, each with its hash.
    files: BTreeMap<String, Digest>,
}

impl Opening {
    fn read(&mut self, file: File) -> Result<Manifest, String> {
        let limit = self.limits.bytes;
        // The form of a tar archive takes room too; a pack that goes on for ever ends here.
        let unpacked = flate2::read::GzDecoder::new(file).take(limit.saturating_add(limit / 8).saturating_add(1 << 20));
        let mut archive = tar::Archive::new(unpacked);
        let mut manifest = None;
        fs::create_dir(&self.folder).map_err(|error| error.to_string())?;
        for entry in archive.entries().map_err(|error| error.to_string())? {
            let entry = entry.map_err(|error| error.to_string())?;
            self.count += 1;
            if self.count > self.limits.files {
                return Err(format!("it has more than {} files", self.limits.files));
            }
            let path = entry.path().map_err(|error| error.to_string())?.into_owned();
            match entry.header().entry_type() {
                tar::EntryType::Regular => {}
                // Links are made last, of what the pack says of itself.
                tar::EntryType::Symlink if path.starts_with(Manifest::PROJECT) => continue,
                other => return Err(format!("{} is no file, but {other:?}", path.display())),
            }
            match path.to_str() {
                Some(Manifest::PLACE) => {
                    let bytes = self.content(entry)?;
                    let read: Manifest = serde_json::from_slice(&bytes).map_err(|error| error.to_string())?;
                    if read.form != Manifest::FORM {
                        return Err(format!(
                            "it is of the form {}, and this program reads {}",
                            read.form,
                            Manifest::FORM
                        ));
                    }
                    manifest = Some(read);
                }
                Some(Manifest::RESULTS) => {
                    let bytes = self.content(entry)?;
                    let place = self.folder.with_file_name(Manifest::RESULTS);
                    write_whole(&place, &bytes).map_err(|error| error.to_string())?;
                }
                _ => self.file(&path, entry)?,
            }
        }
        manifest.ok_or_else(|| "it does not say what it is".into())
    }

    fn content(&mut self, mut entry: impl Read) -> Result<Vec<u8>, String> {
        let mut bytes = Vec::new();
        (&mut entry).take(self.left.saturating_add(1)).read_to_end(&mut bytes).map_err(|error| error.to_string())?;
        match self.left.checked_sub(bytes.len() as u64) {
            Some(left) => self.left = left,
            None => return Err(format!("it holds more than {} bytes; `--limit` lets more in", self.limits.bytes)),
        }
        Ok(bytes)
    }

    fn file<R: Read>(&mut self, path: &Path, entry: tar::Entry<R>) -> Result<(), String> {
        let name = path.strip_prefix(Manifest::PROJECT).ok().filter(|name| is_plain(name));
        let Some(name) = name else { return Err(format!("{} has no business in a pack", path.display())) };
        let (mode, modified) = (entry.header().mode().unwrap_or(0o644), entry.header().mtime().unwrap_or(0));
        let bytes = self.content(entry)?;
        let place = self.folder.join(name);
        let shown = name.to_string_lossy().into_owned();
        if self.files.insert(shown.clone(), Digest::of(&bytes)).is_some() {
            return Err(format!("{shown} is in it twice"));
        }
        let put = || -> io::Result<()> {
            if let Some(folder) = place.parent() {
                fs::create_dir_all(folder)?;
            }
            write_whole(&place, &bytes)?;
            let mode = if mode & 0o100 == 0 { 0o644 } else { 0o755 };
            fs::set_permissions(&place, fs::Permissions::from_mode(mode))?;
            let modified = UNIX_EPOCH.checked_add(Duration::from_secs(modified)).unwrap_or(UNIX_EPOCH);
            File::options().write(true).open(&place)?.set_modified(modified)
        };
        put().map_err(|error| format!("{shown} can't be written: {error}"))
    }

    /// What came is what the pack says that it holds.
    fn check(&self, manifest: &Manifest) -> Result<(), String> {
        for (name, hash) in &manifest.files {
            match self.files.get(name) {
                None => return Err(format!("{name} is missing")),
                Some(came) if came.to_string() != *hash => return Err(format!("{name} is damaged")),
                Some(_) => {}
            }
        }
        match self.files.keys().find(|name| !manifest.files.contains_key(*name)) {
            Some(name) => Err(format!("it does not say that it holds {name}")),
            None => Ok(()),
        }
    }

    /// Makes the links, which lead from the project into the project.
    fn link(&self, manifest: &Manifest) -> Result<(), String> {
        for (link, to) in &manifest.links {
            let (name, target) = (Path::new(link), Path::new(to));
            if !is_plain(name) || !stays_inside(name, target) {
                return Err(format!("the link {link} leads out of it"));
            }
            let place = self.folder.join(name);
            // No link stands on the way to another, or in the place of a file.
            let folders = name.ancestors().skip(1).map(|folder| self.folder.join(folder));
            let is_free = place.symlink_metadata().is_err()
                && folders.into_iter().all(|folder| !folder.symlink_metadata().is_ok_and(|about| about.is_symlink()));
            if !is_free {
                return Err(format!("something is in the place of the link {link}"));
            }
            let make = || -> io::Result<()> {
                if let Some(folder) = place.parent() {
                    fs::create_dir_all(folder)?;
                }
                std::os::unix::fs::symlink(target, &place)
            };
            make().map_err(|error| format!("the link {link} can't be made: {error}"))?;
        }
        Ok(())
    }
}

/// Whether a path has names alone, none of them hidden.
fn is_plain(path: &Path) -> bool {
    let plain = |part: Component| matches!(part, Component::Normal(name) if !name.to_string_lossy().starts_with('.'));
    path.components().next().is_some() && path.components().all(plain) && !path.to_string_lossy().contains('\0')
}
