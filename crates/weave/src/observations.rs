//! What a stored result says of files: what its block found, and what it made; whether the first still holds, and how
//! the second is had again without running.

use crate::file_name::{as_path, as_text};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::fs::{self, Metadata};
use std::os::unix::fs::PermissionsExt;
use std::path::{Component, Path, PathBuf};
use vineloom_interpreters::{Before, Observed, Products, Seen, Stamp, is_temporary, now};
use vineloom_store::{Digest, Origin, Store, write_whole};

/// What a block did with files. Paths are relative to the document's folder where they lie in it.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Observations {
    /// What it found, in the order of paths.
    pub inputs: Vec<(String, Seen)>,
    /// What it left.
    pub outputs: Vec<(String, Made)>,
    /// What it did that can't be followed, so that the result can't be kept.
    #[serde(default)]
    pub unfollowed: Option<String>,
    /// Whether it used the network, which is no input.
    #[serde(default)]
    pub network: bool,
}

/// What a block left at a path.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Made {
    /// A file: its content's digest, and its mode.
    File(Digest, u32),
    /// A link to this path.
    Link(String),
    /// A folder, with its mode.
    Folder(u32),
    /// Nothing: it took it away.
    Nothing,
    /// A file that is too large to be kept, or something else.
    Other,
}

/// A file that is larger is not kept; its block runs again when it is gone.
const LARGEST: u64 = 64 << 20;

/// How many bytes of files that blocks write over are held in memory, to bring them back.
const MOST_HELD: usize = 64 << 20;

/// Files as they are now, each looked at once until something runs.
#[derive(Debug, Default)]
pub(crate) struct Files {
    folder: PathBuf,
    project: PathBuf,
    /// What blocks wrote over in this weave, in order.
    undo: Vec<(PathBuf, Before)>,
    /// How many bytes of files are held for that.
    held: usize,
    now: HashMap<(String, Seen), Seen>,
    products: Products,
    /// Whether files outside of the project are taken to be as they were: they are another machine's.
    trusts_machine: bool,
}

impl Files {
    /// Files of a document in `folder`, which lies in the folder `project`.
    pub fn new(folder: &Path, project: &Path, products: Products) -> Self {
        Files { folder: folder.into(), project: project.into(), products, ..Files::default() }
    }

    /// Takes files outside of the project to be as they were.
    pub fn trust_machine(&mut self) {
        self.trusts_machine = true;
    }

    /// Something has run: nothing is known of files any more.
    pub fn forget(&mut self) {
        self.now.clear();
    }

    /// What was observed, in a form that can be stored; what was made is stored with it.
    pub fn observations(&mut self, observed: Observed, store: &Store) -> Observations {
        let counts =
            |path: &Path| !is_temporary(path) && !path.components().any(|part| part.as_os_str() == ".vineloom");
        let inputs = observed.inputs.into_iter().filter(|(path, _)| counts(path));
        let outputs: Vec<(PathBuf, Before)> = observed.outputs.into_iter().filter(|(path, _)| counts(path)).collect();
        let observations = Observations {
            unfollowed: observed.unfollowed,
            network: observed.network,
            inputs: inputs.map(|(path, seen)| (self.name(&path), seen)).collect(),
            outputs: outputs.iter().map(|(path, _)| (self.name(path), made(path, store))).collect(),
        };
        for (path, before) in outputs {
            self.remember(path, before);
        }
        observations
    }

    /// Holds what was at a path, to bring it back. What was there first is what the weave began with.
    fn remember(&mut self, path: PathBuf, before: Before) {
        if self.undo.iter().any(|(known, _)| *known == path) {
            return;
        }
        let room = MOST_HELD.saturating_sub(self.held);
        match &before {
            Before::File(bytes, _) if bytes.len() > room => self.undo.push((path, Before::Other)),
            Before::File(bytes, _) => {
                self.held += bytes.len();
                self.undo.push((path, before));
            }
            _ => self.undo.push((path, before)),
        }
    }

    /// Brings back what blocks wrote over in this weave, as far as it can be brought back.
    pub fn undo(&mut self) {
        self.forget();
        self.held = 0;
        for (path, before) in std::mem::take(&mut self.undo).into_iter().rev() {
            // What can't be brought back stays as it is: the weave then goes by the files as they are.
            let _ = match before {
                Before::Nothing => remove(&path),
                Before::Folder => fs::create_dir_all(&path),
                Before::File(bytes, mode) => {
                    if fs::symlink_metadata(&path).is_ok_and(|about| !about.is_file()) {
                        let _ = remove(&path);
                    }
                    let written = write_whole(&path, &bytes);
                    written.and_then(|()| fs::set_permissions(&path, fs::Permissions::from_mode(mode)))
                }
                Before::Link(target) => link(&target, &path),
                Before::Other => Ok(()),
            };
        }
    }

    fn name(&self, path: &Path) -> String {
        as_text(path.strip_prefix(&self.folder).unwrap_or(path))
    }

    /// The first input that is not as it was, and how it is now.
    pub fn first_changed(&mut self, inputs: &[(String, Seen)]) -> Option<(String, Seen)> {
        inputs.iter().find_map(|(name, seen)| {
            let path = self.folder.join(as_path(name));
            if self.trusts_machine && !path.starts_with(&self.project) {
                return None;
            }
            let products = &self.products;
            let known = (name.clone(), way_of(seen));
            let now = self.now.entry(known).or_insert_with(|| now(&path, seen, products));
            let same = now == seen || self.trusts_machine && now.on_any_machine() == seen.on_any_machine();
            (!same || *seen == Seen::Unsteady).then(|| (name.clone(), now.clone()))
        })
    }

    /// Makes files be there again that a block made: those that are gone, and those in whose place stands what some
    /// other block made. What somebody wrote by hand is never overwritten. False when a file can't be put back, and
    /// the block has to run.
    pub fn put_back(&mut self, outputs: &[(String, Made)], origin: Origin, store: &Store) -> bool {
        outputs.iter().all(|(name, made)| {
            if self.is_there(name, made, origin) {
                return true;
            }
            let path = self.folder.join(as_path(name));
            if !self.may_write(&path, origin, store) {
                return false;
            }
            self.remember(path.clone(), Before::of(&path));
            let put = match made {
                Made::File(digest, mode) => store.get(*digest).is_some_and(|bytes| {
                    let folder = path.parent().map_or(Ok(()), fs::create_dir_all);
                    // What stands there is a link, or an empty folder, that a block left.
                    if fs::symlink_metadata(&path).is_ok_and(|about| !about.is_file()) && remove(&path).is_err() {
                        return false;
                    }
                    let written = folder.and_then(|()| write_whole(&path, &bytes));
                    if origin == Origin::Elsewhere {
                        let kept = written.and_then(|()| restrict(&path, *mode));
                        // From now on the file is known not to be somebody's own.
                        let _ = store.write_record(place_of(&path), digest.to_string().as_bytes());
                        return kept.is_ok();
                    }
                    written.and_then(|()| fs::set_permissions(&path, fs::Permissions::from_mode(*mode))).is_ok()
                }),
                Made::Folder(mode) => {
                    let rights = || fs::set_permissions(&path, fs::Permissions::from_mode(*mode));
                    fs::create_dir_all(&path).is_ok() && (origin == Origin::Elsewhere || rights().is_ok())
                }
                Made::Link(target) => origin == Origin::Own && link(&as_path(target), &path).is_ok(),
                // Removing is an effect like writing; a result from elsewhere removes nothing.
                Made::Nothing => origin == Origin::Own && remove(&path).is_ok(),
                Made::Other => false,
            };
            self.forget();
            put
        })
    }

    /// Whether [`Files::put_back`] would do it.
    pub fn can_put_back(&mut self, outputs: &[(String, Made)], origin: Origin, store: &Store) -> bool {
        outputs.iter().all(|(name, made)| {
            self.is_there(name, made, origin)
                || self.may_write(&self.folder.join(as_path(name)), origin, store)
                    && match made {
                        Made::File(digest, _) => store.get(*digest).is_some(),
                        Made::Folder(_) => true,
                        Made::Nothing | Made::Link(_) => origin == Origin::Own,
                        Made::Other => false,
                    }
        })
    }

    /// Whether what a block made is there as it left it. What comes from elsewhere has the rights that it has here.
    fn is_there(&mut self, name: &str, made: &Made, origin: Origin) -> bool {
        let path = self.folder.join(as_path(name));
        let any_rights = self.trusts_machine || origin == Origin::Elsewhere;
        let has = |about: Metadata, mode: u32| any_rights || about.permissions().mode() & 0o7777 == mode;
        match made {
            Made::File(digest, mode) => {
                let seen = Seen::Content(digest.to_string());
                let products = &self.products;
                let known = (name.to_string(), way_of(&seen));
                let is = self.now.entry(known).or_insert_with(|| now(&path, &seen, products)) == &seen;
                is && fs::symlink_metadata(&path).is_ok_and(|about| has(about, *mode))
            }
            Made::Link(target) => fs::read_link(&path).is_ok_and(|there| there == as_path(target)),
            Made::Folder(mode) => fs::symlink_metadata(&path).is_ok_and(|about| about.is_dir() && has(about, *mode)),
            Made::Nothing => fs::symlink_metadata(&path).is_err(),
            Made::Other => path.exists(),
        }
    }

    /// Whether nothing is lost when something is written there. Elsewhere than in the document's folder and the
    /// temporary one we write nothing that no block writes while we watch. A result from elsewhere writes inside the
    /// project alone, where no name begins with a dot, and never over what somebody else put there.
    fn may_write(&self, path: &Path, origin: Origin, store: &Store) -> bool {
        let there = now(path, &Seen::Content(String::new()), &self.products);
        let is_link = fs::symlink_metadata(path).is_ok_and(|about| about.is_symlink());
        match origin {
            Origin::Own => {
                (path.starts_with(&self.folder) || path.starts_with(std::env::temp_dir()))
                    && match there {
                        // A link is no content of anybody's.
                        _ if is_link => true,
                        Seen::Absent => true,
                        Seen::Folder(_) => fs::read_dir(path).is_ok_and(|mut inside| inside.next().is_none()),
                        Seen::Content(hash) => hash.parse().is_ok_and(|digest| store.get(digest).is_some()),
                        _ => false,
                    }
            }
            Origin::Elsewhere => {
                is_inside(path, &self.project)
                    && match there {
                        Seen::Absent => fs::symlink_metadata(path).is_err(),
                        Seen::Content(hash) => store.own_record(place_of(path)).as_deref() == Some(hash.as_bytes()),
                        _ => false,
                    }
            }
        }
    }
}

/// Whether a path lies in a folder, and no folder or file on the way down to it is hidden, also after every link is
/// followed.
fn is_inside(path: &Path, folder: &Path) -> bool {
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
fn place_of(path: &Path) -> Digest {
    Digest::of(format!("put by a result from elsewhere: {}", as_text(path)).as_bytes())
}

/// Gives a file the rights of `mode`, but no more than a new file of this user's would have.
fn restrict(path: &Path, mode: u32) -> std::io::Result<()> {
    // A new file has every right that the mask leaves but that of being run, which follows that of being read.
    let new = fs::metadata(path)?.permissions().mode() & 0o666;
    let runs = if mode & 0o100 != 0 { (new & 0o444) >> 2 } else { 0 };
    fs::set_permissions(path, fs::Permissions::from_mode((new & (mode | 0o600)) | (runs & mode)))
}

/// The way in which a state is asked for: states that are asked for in the same way are looked at once.
fn way_of(seen: &Seen) -> Seen {
    match seen {
        Seen::Content(_) => Seen::Content(String::new()),
        Seen::Entries(_, mode) => Seen::Entries(String::new(), mode.map(|_| 0)),
        Seen::Link(_) => Seen::Link(PathBuf::new()),
        Seen::Program(..) => Seen::Program(0, 0),
        other => other.clone(),
    }
}

/// Removes a file, a link, or an empty folder.
fn remove(path: &Path) -> std::io::Result<()> {
    if fs::symlink_metadata(path)?.is_dir() { fs::remove_dir(path) } else { fs::remove_file(path) }
}

/// Makes a link in the place of whatever file or link is there.
fn link(target: &Path, path: &Path) -> std::io::Result<()> {
    if fs::symlink_metadata(path).is_ok() {
        remove(path)?;
    }
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    std::os::unix::fs::symlink(target, path)
}

fn made(path: &Path, store: &Store) -> Made {
    match fs::symlink_metadata(path) {
        Ok(about) if about.is_dir() => Made::Folder(about.permissions().mode() & 0o7777),
        Ok(about) if about.is_file() && about.len() <= LARGEST => {
            let stored = fs::read(path).ok().and_then(|bytes| store.put(&bytes).ok());
            stored.map_or(Made::Other, |digest| Made::File(digest, about.permissions().mode() & 0o7777))
        }
        Ok(about) if about.is_symlink() => fs::read_link(path).map_or(Made::Other, |to| Made::Link(as_text(&to))),
        Ok(_) => Made::Other,
        Err(_) => Made::Nothing,
    }
}

impl Observations {
    /// A file that the block read and then changed: it can never be kept, for what it reads is what it left.
    pub fn altered(&self) -> Option<&str> {
        self.inputs.iter().find_map(|(name, seen)| {
            let (Seen::Content(before) | Seen::Asked(Stamp { content: Some(before), .. })) = seen else { return None };
            let left = self.outputs.iter().find(|(output, _)| output == name)?;
            match &left.1 {
                Made::File(after, _) if after.to_string() != *before => Some(name.as_str()),
                _ => None,
            }
        })
    }

    /// Whether the result can be kept: all that the block did with files is known, and will be the same again.
    pub fn is_keepable(&self) -> bool {
        self.unfollowed.is_none() && !self.is_unsteady()
    }

    /// Whether a file changed while the block read it.
    pub fn is_unsteady(&self) -> bool {
        self.inputs.iter().any(|(_, seen)| *seen == Seen::Unsteady)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;
    use vineloom_store::Secret;

    #[test]
    fn what_a_block_made_is_put_back_with_its_mode() {
        let home = tempfile::tempdir().unwrap();
        let store = Store::open(&home.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        let folder = home.path();
        fs::create_dir(folder.join("out")).unwrap();
        fs::set_permissions(folder.join("out"), fs::Permissions::from_mode(0o710)).unwrap();
        fs::write(folder.join("out/run.sh"), "echo").unwrap();
        fs::set_permissions(folder.join("out/run.sh"), fs::Permissions::from_mode(0o755)).unwrap();
        let mut files = Files::new(folder, folder, Products::default());
        let outputs = ["out", "out/run.sh", "gone"].map(|name| (folder.join(name), Before::Nothing));
        let observed = Observed { outputs: outputs.to_vec(), ..Observed::default() };
        let observations = files.observations(observed, &store);
        assert_eq!(observations.outputs[2], ("gone".to_string(), Made::Nothing));
        fs::remove_dir_all(folder.join("out")).unwrap();
        assert!(files.put_back(&observations.outputs, Origin::Own, &store));
        let mode = |name: &str| fs::metadata(folder.join(name)).unwrap().permissions().mode() & 0o777;
        assert_eq!((mode("out"), mode("out/run.sh")), (0o710, 0o755));
        fs::write(folder.join("out/run.sh"), "by hand").unwrap();
        files.forget();
        assert!(!files.put_back(&observations.outputs, Origin::Own, &store));
        assert_eq!(fs::read_to_string(folder.join("out/run.sh")).unwrap(), "by hand");
        store.put(b"by another block").unwrap();
        fs::write(folder.join("out/run.sh"), "by another block").unwrap();
        files.forget();
        assert!(files.put_back(&observations.outputs, Origin::Own, &store));
        assert_eq!(fs::read_to_string(folder.join("out/run.sh")).unwrap(), "echo");
    }

    /// A result from elsewhere may try to write anywhere; each place here is outside what it may touch.
    #[test]
    fn a_result_from_elsewhere_writes_in_the_project_alone() {
        let home = tempfile::tempdir().unwrap();
        let project = home.path().join("project");
        let folder = project.join("guides");
        fs::create_dir_all(project.join(".git/hooks")).unwrap();
        fs::create_dir_all(&folder).unwrap();
        fs::create_dir_all(home.path().join("elsewhere")).unwrap();
        fs::write(folder.join("own.txt"), "by hand").unwrap();
        fs::write(home.path().join("elsewhere/there.txt"), "there").unwrap();
        symlink(home.path().join("elsewhere"), folder.join("out")).unwrap();
        symlink(home.path().join("elsewhere/there.txt"), folder.join("link.txt")).unwrap();
        symlink(home.path().join("elsewhere/new.txt"), folder.join("dangling.txt")).unwrap();
        symlink(project.join(".git"), folder.join("git")).unwrap();
        let store = Store::open(&project.join(".vineloom"), Secret::passing().unwrap()).unwrap();
        let digest = store.put(b"theirs").unwrap();
        store.put(b"by hand").unwrap();
        let mut files = Files::new(&folder, &project, Products::default());
        let outside = home.path().join("elsewhere/absolute.txt");
        let names = [
            "../../elsewhere/x",
            "../../.profile",
            outside.to_str().unwrap(),
            "/tmp/vineloom-from-elsewhere",
            "out/x",
            "out/deep/x",
            "link.txt",
            "dangling.txt",
            "git/hooks/post-commit",
            "../.git/hooks/post-commit",
            ".hidden",
            ".bashrc",
            "deep/.config/x",
            "../.vineloom/x",
            "own.txt",
            "",
            ".",
            "..",
            "out/../../x",
        ];
        for name in names {
            let output = [(name.to_string(), Made::File(digest, 0o6777))];
            assert!(!files.can_put_back(&output, Origin::Elsewhere, &store), "{name}");
            assert!(!files.put_back(&output, Origin::Elsewhere, &store), "{name}");
        }
        assert_eq!(fs::read_to_string(folder.join("own.txt")).unwrap(), "by hand");
        assert_eq!(fs::read_to_string(home.path().join("elsewhere/there.txt")).unwrap(), "there");
        assert_eq!(fs::read_dir(home.path().join("elsewhere")).unwrap().count(), 1);
        assert_eq!(fs::read_dir(home.path()).unwrap().count(), 2);
        assert_eq!(fs::read_dir(project.join(".git/hooks")).unwrap().count(), 0);
        // Inside, it may; but never with rights that a new file of the user's would not have.
        for name in ["new.txt", "deep/er/new.txt", "../beside.txt"] {
            let output = [(name.to_string(), Made::File(digest, 0o6777))];
            assert!(files.put_back(&output, Origin::Elsewhere, &store), "{name}");
            let mode = fs::metadata(folder.join(name)).unwrap().permissions().mode() & 0o7777;
            fs::write(home.path().join("plain"), "").unwrap();
            let plain = fs::metadata(home.path().join("plain")).unwrap().permissions().mode() & 0o7777;
            assert_eq!(mode & !0o111, plain & !0o111, "{name}");
            assert_eq!(mode & 0o7000, 0, "{name}");
        }
        // What it put there it may replace; when somebody changed that, it is theirs.
        let newer = [("new.txt".to_string(), Made::File(store.put(b"newer").unwrap(), 0o644))];
        assert!(files.put_back(&newer, Origin::Elsewhere, &store));
        fs::write(folder.join("new.txt"), "theirs").unwrap();
        files.forget();
        assert!(!files.put_back(&newer, Origin::Elsewhere, &store));
    }

    #[test]
    fn what_blocks_wrote_over_is_brought_back_in_reverse() {
        let home = tempfile::tempdir().unwrap();
        let store = Store::open(&home.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        let file = home.path().join("a");
        let mut files = Files::new(home.path(), home.path(), Products::default());
        fs::write(&file, "third").unwrap();
        for before in ["first", "second"] {
            let outputs = vec![
                (file.clone(), Before::File(before.as_bytes().to_vec().into(), 0o640)),
                (home.path().join("b"), Before::Nothing),
            ];
            files.observations(Observed { outputs, ..Observed::default() }, &store);
        }
        fs::write(home.path().join("b"), "made").unwrap();
        files.undo();
        assert_eq!(fs::read_to_string(&file).unwrap(), "first");
        assert!(!home.path().join("b").exists());
    }

    #[test]
    fn the_first_input_that_changed_is_told() {
        let home = tempfile::tempdir().unwrap();
        fs::write(home.path().join("a"), "1").unwrap();
        let mut files = Files::new(home.path(), home.path(), Products::default());
        let inputs =
            [("a".to_string(), Seen::Content(Digest::of(b"1").to_string())), ("none".to_string(), Seen::Absent)];
        assert_eq!(files.first_changed(&inputs), None);
        fs::write(home.path().join("none"), "2").unwrap();
        assert_eq!(files.first_changed(&inputs), None, "files are looked at once");
        files.forget();
        let mode = fs::metadata(home.path().join("none")).unwrap().permissions().mode() & 0o7777;
        let there = Seen::There(mode);
        assert_eq!(files.first_changed(&inputs), Some(("none".to_string(), there)));
    }
}
