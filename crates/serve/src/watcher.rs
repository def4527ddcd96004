//! Watching files, there or not, through whatever editors and version control do to them.

use notify::event::{EventKind, ModifyKind};
use notify::{RecommendedWatcher, RecursiveMode, Watcher as _};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Files can't be watched.
#[derive(Debug, thiserror::Error)]
#[error("files can't be watched here: {0}")]
pub struct WatchError(#[from] notify::Error);

/// Watches files by the folders they stand in, so that one that is replaced, renamed or made anew is seen too. A file whose
/// folder is not there is watched by the nearest folder that is.
pub struct Watcher {
    inner: RecommendedWatcher,
    folders: BTreeSet<PathBuf>,
    watched: Arc<Mutex<Watched>>,
}

/// What is watched, by absolute paths.
#[derive(Debug, Default)]
struct Watched {
    files: BTreeSet<PathBuf>,
    /// Folders that are watched for what comes into them and goes from them.
    listed: BTreeSet<PathBuf>,
}

impl std::fmt::Debug for Watcher {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Watcher").field("folders", &self.folders).finish_non_exhaustive()
    }
}

impl Watcher {
    /// A watcher of nothing. `changed` is told of files that changed, from another thread; of none where so much
    /// happened that it is not known which.
    ///
    /// # Errors
    /// [`WatchError`] when the system has no way, or no room, to watch.
    pub fn new(changed: impl Fn(Vec<PathBuf>) + Send + 'static) -> Result<Self, WatchError> {
        let watched: Arc<Mutex<Watched>> = Arc::default();
        let known = Arc::clone(&watched);
        let inner = notify::recommended_watcher(move |event: notify::Result<notify::Event>| match event {
            Ok(event) if event.need_rescan() => changed(Vec::new()),
            Ok(event) if matches!(event.kind, EventKind::Access(_) | EventKind::Other) => {}
            Ok(event) => {
                // What a file in a listed folder holds changes nothing in the list.
                let lists = !matches!(event.kind, EventKind::Modify(kind) if !matches!(kind, ModifyKind::Name(_)));
                let is_of_use = |path: &PathBuf| {
                    let known = lock(&known);
                    let is_listed = lists && path.parent().is_some_and(|folder| known.listed.contains(folder));
                    is_listed || concerns(&known.files, path)
                };
                let paths: Vec<PathBuf> = event.paths.into_iter().filter(is_of_use).collect();
                if !paths.is_empty() {
                    changed(paths);
                }
            }
            Err(_) => changed(Vec::new()),
        })?;
        Ok(Watcher { inner, folders: BTreeSet::new(), watched })
    }

    /// Watches these files, and what comes into and goes from the `listed` folders, and nothing else. All are named by
    /// absolute paths. A folder that can't be watched is left out; how many were is what comes back.
    pub fn watch(&mut self, files: &BTreeSet<PathBuf>, listed: &BTreeSet<PathBuf>) -> usize {
        let folders: BTreeSet<PathBuf> =
            files.iter().flat_map(|file| folders_of(file)).chain(listed.iter().cloned()).collect();
        *lock(&self.watched) = Watched { files: files.clone(), listed: listed.clone() };
        // Also where it was watched: it may be another folder of the same name. None is let go before, so that nothing is
        // missed.
        let mut left_out = 0;
        for folder in &folders {
            left_out += usize::from(self.inner.watch(folder, RecursiveMode::NonRecursive).is_err());
        }
        for gone in self.folders.difference(&folders) {
            let _ = self.inner.unwatch(gone);
        }
        self.folders = folders;
        left_out
    }
}

/// Whether a path that something happened to is a watched file, or a folder that one stands in.
pub fn concerns(files: &BTreeSet<PathBuf>, path: &Path) -> bool {
    files.contains(path) || files.range(path.to_path_buf()..).next().is_some_and(|file| file.starts_with(path))
}

/// The folders by which a file is watched: its own and, so that it is seen when that is moved, the one above.
fn folders_of(file: &Path) -> Vec<PathBuf> {
    file.ancestors().skip(1).filter(|folder| folder.is_dir()).take(2).map(Path::to_path_buf).collect()
}

fn lock(watched: &Mutex<Watched>) -> MutexGuard<'_, Watched> {
    // A panic elsewhere leaves no set half written.
    watched.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;
    use std::sync::mpsc::{Receiver, channel};
    use std::time::Duration;

    /// What was told within a moment: whether anything, and whether `wanted` was among it.
    fn told(changes: &Receiver<Vec<PathBuf>>, wanted: &Path) -> bool {
        let mut found = false;
        while let Ok(paths) = changes.recv_timeout(Duration::from_millis(150)) {
            found |= paths.iter().any(|path| path == wanted || wanted.starts_with(path));
        }
        found
    }

    #[test]
    fn whatever_is_done_to_a_file_is_told_and_nothing_else() {
        let home = tempfile::tempdir().unwrap();
        let home = home.path().canonicalize().unwrap();
        fs::create_dir(home.join("data")).unwrap();
        fs::write(home.join("data/a.csv"), "1").unwrap();
        let file = home.join("data/a.csv");
        let absent = home.join("gone/b.csv");
        let (tell, changes) = channel();
        let mut watcher = Watcher::new(move |paths| tell.send(paths).unwrap_or(())).unwrap();
        let files = BTreeSet::from([file.clone(), absent.clone()]);
        assert_eq!(watcher.watch(&files, &BTreeSet::new()), 0);

        fs::write(home.join("data/other.csv"), "x").unwrap();
        fs::read(&file).unwrap();
        assert!(!told(&changes, &file), "another file, and reading, are nothing");
        fs::write(&file, "2").unwrap();
        assert!(told(&changes, &file), "written");
        fs::write(home.join("data/.a.swp"), "3").unwrap();
        fs::rename(home.join("data/.a.swp"), &file).unwrap();
        assert!(told(&changes, &file), "replaced");
        fs::remove_file(&file).unwrap();
        assert!(told(&changes, &file), "removed");
        fs::write(&file, "4").unwrap();
        assert!(told(&changes, &file), "made anew");
        fs::create_dir(home.join("gone")).unwrap();
        assert!(told(&changes, &absent), "its folder made");
        watcher.watch(&files, &BTreeSet::new());
        fs::write(&absent, "5").unwrap();
        assert!(told(&changes, &absent), "in the new folder");
        watcher.watch(&files, &BTreeSet::from([home.join("data")]));
        fs::write(home.join("data/other.csv"), "y").unwrap();
        assert!(!told(&changes, &home.join("data/other.csv")), "what an entry of a listed folder holds");
        fs::write(home.join("data/new.csv"), "z").unwrap();
        assert!(told(&changes, &home.join("data/new.csv")), "a new entry of a listed folder");
        fs::rename(home.join("data"), home.join("moved")).unwrap();
        assert!(told(&changes, &file), "its folder moved away");
    }
}
