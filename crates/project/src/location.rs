//! Where a document and its project lie.

use std::path::{Path, PathBuf};

/// Where a document lies.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Location {
    /// The document's folder, absolute.
    pub folder: PathBuf,
    /// The folder of its project file; its own when it has none.
    pub project: PathBuf,
    /// Its project file.
    pub project_file: Option<PathBuf>,
}

impl Location {
    /// Where a file lies, which need not be there itself.
    ///
    /// # Errors
    /// When its folder can't be found.
    pub fn of(file: &Path) -> std::io::Result<Self> {
        let folder = match std::fs::canonicalize(file) {
            // A link is woven where it leads.
            Ok(whole) => whole.parent().map_or_else(|| PathBuf::from("/"), Path::to_path_buf),
            Err(_) => {
                let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty());
                std::fs::canonicalize(folder.unwrap_or(Path::new(".")))?
            }
        };
        let project = folder.ancestors().find(|at| at.join(PROJECT_FILE).is_file()).map(Path::to_path_buf);
        let project_file = project.as_ref().map(|project| project.join(PROJECT_FILE));
        Ok(Location { project: project.unwrap_or_else(|| folder.clone()), folder, project_file })
    }

    /// The folder of the project's store.
    pub fn store(&self) -> PathBuf {
        self.project.join(STORE)
    }

    /// By what the history of a document is found: its path in the project.
    pub fn name_in_project(&self, file: &Path) -> String {
        let folder = self.folder.strip_prefix(&self.project).unwrap_or(&self.folder);
        folder.join(file.file_name().unwrap_or_default()).to_string_lossy().into_owned()
    }
}

/// The folder of the store that the weave of a document in a folder uses: that of the project file there or above, else its
/// own.
pub fn store_for(folder: &Path) -> PathBuf {
    let whole = std::fs::canonicalize(folder).unwrap_or_else(|_| folder.into());
    let project = whole.ancestors().find(|at| at.join(PROJECT_FILE).is_file());
    project.map_or_else(|| whole.clone(), Path::to_path_buf).join(STORE)
}

/// The name of a store's folder.
const STORE: &str = ".vineloom";
/// The name of a project file.
const PROJECT_FILE: &str = "vineloom.toml";

/// A path as somebody who stands in the current folder would write it.
pub fn from_here(path: &Path) -> PathBuf {
    let here = std::env::current_dir().and_then(std::fs::canonicalize).unwrap_or_default();
    path.strip_prefix(&here).map_or_else(|_| path.to_path_buf(), Path::to_path_buf)
}
