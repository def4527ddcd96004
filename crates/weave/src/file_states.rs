//! Files as stored results know them: whether what a block found still holds, and how what it made is had again without
//! running.

use crate::file_name::{as_path, as_text};
use crate::observations::{Made, Observations};
use crate::writing_back::{is_inside, link, place_of, remove, restrict};
use std::collections::HashMap;
use std::fs::{self, Metadata};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use vineloom_interpreters::{
    AtRest, Before, Found, Observed, Output, Products, Seen, is_temporary, moment, now, place, read_file,
};
use vineloom_store::{Digest, Objects, Origin, from_record, to_record, write_whole};

/// What `reads` is set to for a block that reads no file.
const READS_NOTHING: &str = "none";

/// A file that is larger is not kept; its block runs again when it is gone.
const LARGEST: u64 = 64 << 20;

/// How many bytes of files that blocks write over are held in memory, to bring them back.
const MOST_HELD: usize = 64 << 20;

/// Files as they are now, each looked at once until something runs.
#[derive(Debug, Default)]
pub(crate) struct FilesOnDisk {
    folder: PathBuf,
    project: PathBuf,
    /// The project's folder without links on the way, as blocks know it.
    real_project: PathBuf,
    /// What blocks wrote over in this weave, and when it was looked at.
    undo: HashMap<PathBuf, (u64, Before)>,
    /// How many bytes of files are held for that.
    held: usize,
    /// What was found at each path, beside a state that was asked for in the same way.
    now: Vec<Vec<(Seen, Seen)>>,
    /// Where that of a path stands.
    by_name: HashMap<String, usize>,
    products: Products,
    /// Whether files outside of the project are taken to be as they were: they are another machine's.
    trusts_machine: bool,
}

impl FilesOnDisk {
    /// Files of a document in `folder`, which lies in the folder `project`.
    pub fn new(folder: &Path, project: &Path, products: Products) -> Self {
        let real_project = fs::canonicalize(project).unwrap_or_else(|_| project.into());
        let (folder, project) = (folder.into(), project.into());
        FilesOnDisk { folder, project, real_project, products, ..FilesOnDisk::default() }
    }

    /// Takes files outside of the project to be as they were.
    pub fn trust_machine(&mut self) {
        self.trusts_machine = true;
    }

    /// Something has run: nothing is known of files any more.
    pub fn forget(&mut self) {
        self.now.clear();
        self.by_name.clear();
    }

    /// What was observed, in a form that can be stored; what was made is stored with it.
    pub fn observations(&mut self, observed: Observed, store: &dyn Objects) -> Observations {
        let counts =
            |path: &Path| !is_temporary(path) && !path.components().any(|part| part.as_os_str() == ".vineloom");
        let inputs = observed.inputs.into_iter().filter(|(path, _)| counts(path));
        let outputs: Vec<Output> = observed.outputs.into_iter().filter(|made| counts(&made.path)).collect();
        let mut observations = Observations {
            unfollowed: observed.unfollowed,
            network: observed.network,
            inputs: inputs.map(|(path, seen)| (self.name(&path), seen)).collect(),
            outputs: outputs.iter().map(|it| (self.name(&it.path), made(&it.path, store))).collect(),
        };
        let place = outputs.iter().find_map(|made| self.place_named_in(&text_of(&made.path)?));
        observations.inputs.extend(place);
        outputs.into_iter().for_each(|output| self.remember(output));
        observations
    }

    /// Where the document lies, as an input, when these bytes name the folder of its project: elsewhere they would be others.
    pub fn place_named_in(&self, bytes: &[u8]) -> Option<(String, Seen)> {
        let names = |folder: &Path| memchr::memmem::find(bytes, plain_part(folder)).is_some();
        let is_named = names(&self.real_project) || self.project.is_absolute() && names(&self.project);
        is_named.then(|| (String::new(), place(&self.folder)))
    }

    /// Holds what was at a path, to bring it back. What was there first is what the weave began with; of blocks that run at
    /// once, the one that ends first need not have been the first to write.
    fn remember(&mut self, Output { path, before, moment }: Output) {
        let known = self.undo.get(&path);
        if known.is_some_and(|(known, _)| *known <= moment) {
            return;
        }
        let size = |before: &Before| if let Before::File(bytes, _) = before { bytes.len() } else { 0 };
        self.held -= known.map_or(0, |(_, before)| size(before));
        let room = MOST_HELD.saturating_sub(self.held);
        let before = if size(&before) > room { Before::Other } else { before };
        self.held += size(&before);
        self.undo.insert(path, (moment, before));
    }

    /// Brings back what blocks wrote over in this weave, as far as it can be brought back.
    pub fn undo(&mut self) {
        self.forget();
        self.held = 0;
        let mut written: Vec<_> = std::mem::take(&mut self.undo).into_iter().collect();
        written.sort_by_key(|(_, (moment, _))| std::cmp::Reverse(*moment));
        for (path, (_, before)) in written {
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
    pub fn first_changed(&mut self, inputs: &[(String, Seen)], store: &dyn Objects) -> Option<(String, Seen)> {
        inputs.iter().find_map(|(name, seen)| {
            let trusts_machine = self.trusts_machine;
            if trusts_machine && !self.folder.join(as_path(name)).starts_with(&self.project) {
                return None;
            }
            let now = self.now(name, seen, store);
            let same = now == seen || trusts_machine && now.on_any_machine() == seen.on_any_machine();
            (!same || *seen == Seen::Unsteady).then(|| (name.clone(), now.clone()))
        })
    }

    /// The state of a path now, asked for in the way in which it was seen.
    fn now(&mut self, name: &str, as_seen: &Seen, store: &dyn Objects) -> &Seen {
        // Those of the interpreter are asked for by every block.
        let of_name = self.by_name.get(name).copied().unwrap_or_else(|| {
            self.now.push(Vec::with_capacity(1));
            self.by_name.insert(name.to_string(), self.now.len() - 1);
            self.now.len() - 1
        });
        let asked = &mut self.now[of_name];
        let at = asked.iter().position(|(way, _)| is_asked_alike(way, as_seen)).unwrap_or_else(|| {
            let path = self.folder.join(as_path(name));
            let found = match as_seen {
                Seen::Content(_) => content_now(&path, store),
                _ => now(&path, as_seen, &self.products),
            };
            asked.push((as_seen.clone(), found));
            asked.len() - 1
        });
        &asked[at].1
    }

    /// Makes files be there again that a block made: those that are gone, and those in whose place stands what some
    /// other block made. What somebody wrote by hand is never overwritten. False when a file can't be put back, and
    /// the block has to run; then nothing is put back, for it is to find what is there.
    pub fn put_back(&mut self, outputs: &[(String, Made)], origin: Origin, store: &dyn Objects) -> bool {
        // What is taken away goes first, what lies in a folder before the folder.
        let (gone, made): (Vec<_>, Vec<_>) = outputs.iter().partition(|(_, made)| *made == Made::Nothing);
        self.can_put_back(outputs, origin, store)
            && gone.into_iter().rev().chain(made).all(|(name, made)| {
                if self.is_there(name, made, origin, store) {
                    return true;
                }
                let path = self.folder.join(as_path(name));
                if !self.may_write(&path, made, origin, store) {
                    return false;
                }
                self.remember(Output { before: Before::of(&path), moment: moment(), path: path.clone() });
                let put = match made {
                    Made::File(digest, mode) => store.get(*digest).is_some_and(|bytes| {
                        let folder = path.parent().map_or(Ok(()), fs::create_dir_all);
                        // What stands there is a link that a block left.
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

    /// Whether [`FilesOnDisk::put_back`] would do it.
    pub fn can_put_back(&mut self, outputs: &[(String, Made)], origin: Origin, store: &dyn Objects) -> bool {
        outputs.iter().all(|(name, made)| {
            let path = self.folder.join(as_path(name));
            self.is_there(name, made, origin, store)
                || (self.may_write(&path, made, origin, store)
                    || *made == Made::Nothing && self.is_emptied(&path, outputs))
                    && match made {
                        Made::File(digest, _) => store.get(*digest).is_some(),
                        Made::Folder(_) => true,
                        Made::Nothing | Made::Link(_) => origin == Origin::Own,
                        Made::Other => false,
                    }
        })
    }

    /// Whether what a block made is there as it left it. What comes from elsewhere has the rights that it has here.
    fn is_there(&mut self, name: &str, made: &Made, origin: Origin, store: &dyn Objects) -> bool {
        let path = self.folder.join(as_path(name));
        let any_rights = self.trusts_machine || origin == Origin::Elsewhere;
        let has = |about: Metadata, mode: u32| any_rights || about.permissions().mode() & 0o7777 == mode;
        match made {
            Made::File(digest, mode) => {
                let seen = Seen::Content(digest.to_string());
                *self.now(name, &seen, store) == seen
                    && fs::symlink_metadata(&path).is_ok_and(|about| has(about, *mode))
            }
            Made::Link(target) => fs::read_link(&path).is_ok_and(|there| there == as_path(target)),
            Made::Folder(mode) => fs::symlink_metadata(&path).is_ok_and(|about| about.is_dir() && has(about, *mode)),
            Made::Nothing => fs::symlink_metadata(&path).is_err(),
            Made::Other => path.exists(),
        }
    }

    /// Whether a folder holds nothing but what is taken away as well.
    fn is_emptied(&self, path: &Path, outputs: &[(String, Made)]) -> bool {
        let goes =
            |inside: PathBuf| outputs.iter().any(|(name, made)| *made == Made::Nothing && *name == self.name(&inside));
        let is_folder = fs::symlink_metadata(path).is_ok_and(|about| about.is_dir());
        let inside = fs::read_dir(path).into_iter().flatten();
        is_folder && path.starts_with(&self.folder) && inside.flatten().all(|entry| goes(entry.path()))
    }

    /// Whether nothing is lost when something is written there. Elsewhere than in the document's folder and the
    /// temporary one we write nothing that no block writes while we watch. A result from elsewhere writes inside the
    /// project alone, where no name begins with a dot, and never over what somebody else put there.
    ///
    /// Where a folder stands, a block could not have made a file, nor a link in its place.
    fn may_write(&self, path: &Path, made: &Made, origin: Origin, store: &dyn Objects) -> bool {
        let there = now(path, &Seen::Content(String::new()), &self.products);
        let is_link = fs::symlink_metadata(path).is_ok_and(|about| about.is_symlink());
        match origin {
            Origin::Own => {
                (path.starts_with(&self.folder) || path.starts_with(std::env::temp_dir()))
                    && match there {
                        // A link is no content of anybody's.
                        _ if is_link => true,
                        Seen::Absent => true,
                        Seen::Folder(_) => {
                            matches!(made, Made::Folder(_) | Made::Nothing)
                                && fs::read_dir(path).is_ok_and(|mut inside| inside.next().is_none())
                        }
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

/// The longest part of a path that is written the same everywhere: in an address, in JSON and for a shell other letters and
/// spaces are written otherwise.
fn plain_part(path: &Path) -> &[u8] {
    let is_plain = |byte: &u8| byte.is_ascii_alphanumeric() || b"/-_.".contains(byte);
    let parts = path.as_os_str().as_bytes().split(|byte| !is_plain(byte));
    parts.max_by_key(|part| part.len()).unwrap_or_default()
}

/// The bytes of a file that a text could be.
fn text_of(path: &Path) -> Option<Vec<u8>> {
    const LARGEST_TEXT: u64 = 1 << 20;
    let about = fs::symlink_metadata(path).ok()?;
    if about.is_file() && about.len() <= LARGEST_TEXT { read_file(path).ok() } else { None }
}

/// What stands where a file was. The content of a large one that was hashed before and is at rest since is not read
/// again; one that is read now is remembered.
fn content_now(path: &Path, store: &dyn Objects) -> Seen {
    let state = match Found::at(path) {
        Found::Seen(seen) => return seen,
        Found::Large(state) => state,
    };
    let place = Digest::of_parts(&[b"content at rest of ", path.as_os_str().as_encoded_bytes()]);
    let known = store.own_record(place).and_then(|record| from_record::<(AtRest, Seen)>(&record));
    if let Some((_, seen)) = known.filter(|(known, _)| *known == state) {
        return seen;
    }
    let (seen, is_proved) = state.content(path);
    if is_proved {
        // Only a shortcut for the next weave.
        let _ = store.write_record(place, &to_record(&(state, &seen)));
    }
    seen
}

/// Whether two states are asked for in the same way: then one look at the path answers both.
fn is_asked_alike(one: &Seen, other: &Seen) -> bool {
    match (one, other) {
        (Seen::Content(_), Seen::Content(_))
        | (Seen::Link(_), Seen::Link(_))
        | (Seen::Program(..), Seen::Program(..)) => true,
        (Seen::Entries(_, one, own), Seen::Entries(_, other, others)) => {
            one.is_some() == other.is_some() && own == others
        }
        _ => one == other,
    }
}

fn made(path: &Path, store: &dyn Objects) -> Made {
    match fs::symlink_metadata(path) {
        Ok(about) if about.is_dir() => Made::Folder(about.permissions().mode() & 0o7777),
        Ok(about) if about.is_file() && about.len() <= LARGEST => {
            let stored = read_file(path).ok().and_then(|bytes| store.put(&bytes).ok());
            stored.map_or(Made::Other, |digest| Made::File(digest, about.permissions().mode() & 0o7777))
        }
        Ok(about) if about.is_symlink() => fs::read_link(path).map_or(Made::Other, |to| Made::Link(as_text(&to))),
        Ok(_) => Made::Other,
        Err(_) => Made::Nothing,
    }
}

/// The files of a pattern below a folder, each with the hash of what it holds; the pattern itself as absent when there
/// is none.
pub(crate) fn hashed_files(folder: &Path, pattern: &str) -> Vec<(String, String)> {
    if pattern == READS_NOTHING {
        return Vec::new();
    }
    let paths = glob::glob(&folder.join(pattern).to_string_lossy()).into_iter().flatten().flatten();
    let hashed = |path: PathBuf| {
        let name = path.strip_prefix(folder).unwrap_or(&path).to_string_lossy().into_owned();
        let hash = read_file(&path)
            .map_or_else(|error| format!("unreadable: {error}"), |bytes| Digest::of(&bytes).to_string());
        (name, hash)
    };
    let files: Vec<(String, String)> = paths.filter(|path| !path.is_dir()).map(hashed).collect();
    if files.is_empty() { vec![(pattern.to_string(), "absent".into())] } else { files }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;
    use vineloom_store::{Secret, Store};

    /// What a block wrote just now.
    fn written(outputs: impl IntoIterator<Item = (PathBuf, Before)>) -> Observed {
        let output = |(path, before)| Output { path, before, moment: moment() };
        Observed { outputs: outputs.into_iter().map(output).collect(), ..Observed::default() }
    }

    #[test]
    fn what_a_block_made_is_put_back_with_its_mode() {
        let home = tempfile::tempdir().unwrap();
        let store = Store::open(&home.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        let folder = home.path();
        fs::create_dir(folder.join("out")).unwrap();
        fs::set_permissions(folder.join("out"), fs::Permissions::from_mode(0o710)).unwrap();
        fs::write(folder.join("out/run.sh"), "echo").unwrap();
        fs::set_permissions(folder.join("out/run.sh"), fs::Permissions::from_mode(0o755)).unwrap();
        let mut files = FilesOnDisk::new(folder, folder, Products::default());
        let outputs = ["out", "out/run.sh", "gone"].map(|name| (folder.join(name), Before::Nothing));
        let observations = files.observations(written(outputs), &store);
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
        let mut files = FilesOnDisk::new(&folder, &project, Products::default());
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
        let mut files = FilesOnDisk::new(home.path(), home.path(), Products::default());
        fs::write(&file, "third").unwrap();
        for before in ["first", "second"] {
            let outputs = [
                (file.clone(), Before::File(before.as_bytes().to_vec().into(), 0o640)),
                (home.path().join("b"), Before::Nothing),
            ];
            files.observations(written(outputs), &store);
        }
        fs::write(home.path().join("b"), "made").unwrap();
        files.undo();
        assert_eq!(fs::read_to_string(&file).unwrap(), "first");
        assert!(!home.path().join("b").exists());
    }

    /// Two blocks at once: the one that wrote later ends first.
    #[test]
    fn what_was_there_before_the_first_writer_is_brought_back_whoever_ends_first() {
        let home = tempfile::tempdir().unwrap();
        let store = Store::open(&home.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        let mut files = FilesOnDisk::new(home.path(), home.path(), Products::default());
        let (folder, file) = (home.path().join("d"), home.path().join("d/f"));
        fs::create_dir(&folder).unwrap();
        fs::write(&file, "of both").unwrap();
        let wrote = |path: &PathBuf, before: Before, moment: u64| Observed {
            outputs: vec![Output { path: path.clone(), before, moment }],
            ..Observed::default()
        };
        let of_the_first = Before::File(b"of the first".to_vec().into(), 0o644);
        files.observations(wrote(&file, of_the_first, 7), &store);
        files.observations(wrote(&folder, Before::Nothing, 3), &store);
        files.observations(wrote(&file, Before::Nothing, 4), &store);
        files.undo();
        assert!(!folder.exists(), "neither the file nor the folder was there");
    }

    #[test]
    fn the_first_input_that_changed_is_told() {
        let home = tempfile::tempdir().unwrap();
        fs::write(home.path().join("a"), "1").unwrap();
        let store = Store::open(&home.path().join(".vineloom"), Secret::passing().unwrap()).unwrap();
        let mut files = FilesOnDisk::new(home.path(), home.path(), Products::default());
        let inputs =
            [("a".to_string(), Seen::Content(Digest::of(b"1").to_string())), ("none".to_string(), Seen::Absent)];
        assert_eq!(files.first_changed(&inputs, &store), None);
        fs::write(home.path().join("none"), "2").unwrap();
        assert_eq!(files.first_changed(&inputs, &store), None, "files are looked at once");
        files.forget();
        let mode = fs::metadata(home.path().join("none")).unwrap().permissions().mode() & 0o7777;
        let there = Seen::There(mode);
        assert_eq!(files.first_changed(&inputs, &store), Some(("none".to_string(), there)));
    }
}
