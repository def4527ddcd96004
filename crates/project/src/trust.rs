//! What a user lets a project do beyond its own folder: the steps that it runs after weaving.
//!
//! It is kept in the user's data folder, where nothing that comes with a project can write: one file for each folder of a
//! project and the steps that were agreed to there. Other steps, in that folder or elsewhere, are asked about again.

use crate::after::Step;
use std::ffi::OsStr;
use std::io;
use std::path::{Path, PathBuf};
use vineloom_interpreters::Surroundings;
use vineloom_store::{Digest, write_whole};

/// What the user agreed to.
#[derive(Debug, Clone)]
pub struct Trust {
    /// Nothing where there is no folder to keep it in.
    folder: Option<PathBuf>,
}

impl Trust {
    /// What this user agreed to.
    pub fn of(caller: &Surroundings) -> Self {
        let variable = |name: &str| caller.variables.get(OsStr::new(name)).filter(|value| !value.is_empty());
        let data = variable("XDG_DATA_HOME").map(PathBuf::from).filter(|folder| folder.is_absolute());
        let in_home = || Some(PathBuf::from(variable("HOME")?).join(".local/share"));
        Trust { folder: data.or_else(in_home).map(|folder| folder.join("vineloom/steps")) }
    }

    /// Whether these steps were agreed to in a project.
    pub fn covers(&self, project: &Path, steps: &[Step]) -> bool {
        steps.is_empty() || self.file(project, steps).is_some_and(|file| file.is_file())
    }

    /// Agrees to these steps in a project, from now on.
    ///
    /// # Errors
    /// When there is no place to remember it.
    pub fn agree(&self, project: &Path, steps: &[Step]) -> io::Result<()> {
        let file = self.file(project, steps);
        let file = file.ok_or_else(|| io::Error::other("neither HOME nor XDG_DATA_HOME is set"))?;
        if let Some(folder) = file.parent() {
            std::fs::create_dir_all(folder)?;
        }
        // For people who look what they agreed to.
        let lines: String = steps.iter().map(|step| format!("{}\n", step.words.join(" "))).collect();
        write_whole(&file, format!("{}\n{lines}", project.display()).as_bytes())
    }

    fn file(&self, project: &Path, steps: &[Step]) -> Option<PathBuf> {
        let project = std::fs::canonicalize(project).unwrap_or_else(|_| project.into());
        let steps: Vec<(&Path, &[String])> =
            steps.iter().map(|step| (step.folder.as_path(), step.words.as_slice())).collect();
        let all = serde_json::to_vec(&(project, steps)).ok()?;
        Some(self.folder.as_ref()?.join(&Digest::of(&all).to_string()[..32]))
    }
}
