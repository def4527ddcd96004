//! The scratch folder: empty at each weave, and known by its content, so that it can be had again without running
//! what made it. A tree is stored as an object that lists its entries; files are objects of their own.

use crate::file_name::{as_path, as_text};
use serde::{Deserialize, Serialize};
use std::fs;
use std::io;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::{Component, Path, PathBuf};
use vineloom_interpreters::{TemporaryFolder, read_file};
use vineloom_store::{Digest, Objects};

/// A scratch folder on disk. It is removed when dropped.
#[derive(Debug)]
pub struct Scratch {
    path: PathBuf,
    /// Removes it in the end.
    _folder: TemporaryFolder,
    /// The tree that is there now, when it is known.
    now: Option<Digest>,
}

/// One entry of a tree, in the order of paths.
#[derive(Debug, Serialize, Deserialize)]
struct Entry {
    path: String,
    mode: u32,
    content: Content,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Content {
    Folder,
    File(String),
    Link(PathBuf),
}

impl Scratch {
    /// An empty one, in the temporary folder.
    ///
    /// # Errors
    /// When it can't be made.
    pub fn new() -> io::Result<Self> {
        let folder = TemporaryFolder::new()?;
        let path = folder.path().join("scratch");
        fs::create_dir(&path)?;
        Ok(Scratch { path, _folder: folder, now: Some(empty()) })
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Stores what is there now and returns the tree's digest.
    ///
    /// # Errors
    /// When a file can't be read or stored.
    pub fn snapshot(&mut self, store: &dyn Objects) -> io::Result<Digest> {
        let mut entries = Vec::new();
        collect(self.path(), Path::new(""), store, &mut entries)?;
        entries.sort_by(|one, other| one.path.cmp(&other.path));
        let digest = store.put(&serde_json::to_vec(&entries)?).map_err(io::Error::other)?;
        self.now = Some(digest);
        Ok(digest)
    }

    /// Makes the folder hold a stored tree. False when a part of it is not in the store any more.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn restore(&mut self, tree: Digest, store: &dyn Objects) -> io::Result<bool> {
        if self.now == Some(tree) {
            return Ok(true);
        }
        self.now = None;
        clear(self.path())?;
        if tree != empty() {
            let Some(entries) = store.get(tree).and_then(|b| serde_json::from_slice::<Vec<Entry>>(&b).ok()) else {
                return Ok(false);
            };
            for entry in &entries {
                let path = self.path().join(as_path(&entry.path));
                if !self.holds(&path) {
                    return Ok(false);
                }
                match &entry.content {
                    Content::Folder => fs::create_dir_all(&path)?,
                    Content::Link(target) => {
                        symlink(target, &path)?;
                        continue;
                    }
                    Content::File(digest) => match digest.parse().ok().and_then(|digest| store.get(digest)) {
                        Some(bytes) => fs::write(&path, bytes)?,
                        None => return Ok(false),
                    },
                }
            }
            // A folder that may not be written to is closed only when all is in it.
            for entry in entries.iter().rev().filter(|entry| !matches!(entry.content, Content::Link(_))) {
                fs::set_permissions(self.path().join(as_path(&entry.path)), fs::Permissions::from_mode(entry.mode))?;
            }
        }
        self.now = Some(tree);
        Ok(true)
    }
}

impl Scratch {
    /// Whether a path lies in the folder, every folder on the way to it is there and is no link, and nothing stands in
    /// its place: a tree that was tampered with could lead elsewhere.
    fn holds(&self, path: &Path) -> bool {
        let Ok(below) = path.strip_prefix(&self.path) else { return false };
        let is_plain = below.components().all(|part| matches!(part, Component::Normal(_)));
        let is_folder = |at: &Path| fs::symlink_metadata(at).is_ok_and(|about| about.is_dir());
        let mut on_the_way = path.ancestors().skip(1).take_while(|at| at.starts_with(&self.path));
        is_plain && below != Path::new("") && on_the_way.all(is_folder) && fs::symlink_metadata(path).is_err()
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        // A folder that may not be written to could not be removed.
        let _ = clear(self.path());
    }
}

/// Whether every part of a tree is still in the store.
pub fn is_whole(tree: Digest, store: &dyn Objects) -> bool {
    let entries = || serde_json::from_slice::<Vec<Entry>>(&store.get(tree)?).ok();
    tree == empty()
        || entries().is_some_and(|entries| {
            entries.iter().all(|entry| match &entry.content {
                Content::File(digest) => digest.parse().is_ok_and(|digest| store.has(digest)),
                Content::Folder | Content::Link(_) => true,
            })
        })
}

/// The digest of a tree with nothing in it.
pub fn empty() -> Digest {
    Digest::of(b"[]")
}

fn collect(root: &Path, folder: &Path, store: &dyn Objects, entries: &mut Vec<Entry>) -> io::Result<()> {
    for found in fs::read_dir(root.join(folder))? {
        let found = found?;
        let path = folder.join(found.file_name());
        let about = found.metadata()?;
        let kind = about.file_type();
        let content = if kind.is_dir() {
            Content::Folder
        } else if kind.is_symlink() {
            Content::Link(fs::read_link(found.path())?)
        } else if kind.is_file() {
            Content::File(store.put(&read_file(&found.path())?).map_err(io::Error::other)?.to_string())
        } else {
            continue; // a socket or a pipe has no content to keep
        };
        let goes_on = matches!(content, Content::Folder);
        let name = as_text(&path);
        entries.push(Entry { path: name, mode: about.permissions().mode() & 0o7777, content });
        if goes_on {
            collect(root, &path, store, entries)?;
        }
    }
    Ok(())
}

/// Removes everything in a folder. Links are removed, never followed.
fn clear(folder: &Path) -> io::Result<()> {
    for found in fs::read_dir(folder)? {
        let found = found?;
        if found.file_type()?.is_dir() {
            fs::set_permissions(found.path(), fs::Permissions::from_mode(0o700))?;
            clear(&found.path())?;
            fs::remove_dir(found.path())?;
        } else {
            fs::remove_file(found.path())?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_store::{Secret, Store};

    #[test]
    fn a_tree_comes_back_with_modes_links_and_empty_folders() {
        let home = tempfile::tempdir().unwrap();
        let store = Store::open(home.path(), Secret::passing().unwrap()).unwrap();
        let outside = home.path().join("outside");
        fs::write(&outside, "stays").unwrap();
        let mut scratch = Scratch::new().unwrap();
        let at = scratch.path().to_path_buf();
        fs::create_dir_all(at.join("a/empty")).unwrap();
        fs::write(at.join("a/run.sh"), "echo").unwrap();
        fs::set_permissions(at.join("a/run.sh"), fs::Permissions::from_mode(0o755)).unwrap();
        symlink(&outside, at.join("link")).unwrap();
        fs::set_permissions(at.join("a"), fs::Permissions::from_mode(0o555)).unwrap();
        let tree = scratch.snapshot(&store).unwrap();
        assert!(scratch.restore(empty(), &store).unwrap());
        assert_eq!(fs::read_dir(&at).unwrap().count(), 0);
        assert_eq!(fs::read_to_string(&outside).unwrap(), "stays");
        assert!(scratch.restore(tree, &store).unwrap());
        assert!(at.join("a/empty").is_dir());
        assert_eq!(fs::metadata(at.join("a/run.sh")).unwrap().permissions().mode() & 0o777, 0o755);
        assert_eq!(fs::metadata(at.join("a")).unwrap().permissions().mode() & 0o777, 0o555);
        assert_eq!(fs::read_link(at.join("link")).unwrap(), outside);
        assert_eq!(scratch.snapshot(&store).unwrap(), tree);
        drop(scratch);
        assert!(!at.exists());
    }

    #[test]
    fn a_tree_that_was_tampered_with_leads_nowhere_else() {
        let home = tempfile::tempdir().unwrap();
        let store = Store::open(&home.path().join("store"), Secret::passing().unwrap()).unwrap();
        let outside = home.path().join("outside");
        fs::create_dir(&outside).unwrap();
        let entry = |path: &str, content| Entry { path: path.into(), mode: 0o755, content };
        let file = || Content::File(store.put(b"theirs").unwrap().to_string());
        let target = outside.join("x");
        for entries in [
            vec![entry("../x", file())],
            vec![entry("a/../../x", file())],
            vec![entry(target.to_str().unwrap(), file())],
            vec![entry("link", Content::Link(outside.clone())), entry("link/x", file())],
            vec![entry("link", Content::Link(target.clone())), entry("link", file())],
            vec![entry("missing/x", file())],
            vec![entry("", Content::Folder)],
            vec![entry("link", Content::Link(outside.clone())), entry("link", Content::Folder)],
        ] {
            let tree = store.put(&serde_json::to_vec(&entries).unwrap()).unwrap();
            let mut scratch = Scratch::new().unwrap();
            assert!(!scratch.restore(tree, &store).unwrap(), "{entries:?}");
            assert_eq!(fs::read_dir(&outside).unwrap().count(), 0, "{entries:?}");
            assert!(!scratch.path().parent().unwrap().join("x").exists(), "{entries:?}");
        }
    }

    #[test]
    fn an_empty_folder_is_the_empty_tree() {
        let home = tempfile::tempdir().unwrap();
        let store = Store::open(home.path(), Secret::passing().unwrap()).unwrap();
        assert_eq!(Scratch::new().unwrap().snapshot(&store).unwrap(), empty());
        assert!(!Scratch::new().unwrap().restore(Digest::of(b"never stored"), &store).unwrap());
    }
}
