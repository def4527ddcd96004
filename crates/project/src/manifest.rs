//! What a pack says of itself, and what may stand in one.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::{Component, Path};

/// What a pack says of itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Manifest {
    /// The form of the pack.
    pub form: u32,
    /// The version of the program that made it.
    pub program: String,
    /// The documents, by their paths in the project.
    pub documents: Vec<String>,
    /// The languages of their blocks, with what their interpreters said of their versions.
    pub languages: BTreeMap<String, String>,
    /// The files, by their paths in the project, each with the hash of what it holds (BLAKE3).
    pub files: BTreeMap<String, String>,
    /// The links among them, each with the path that it leads to.
    pub links: BTreeMap<String, String>,
    /// How many results and objects are with it.
    pub results: usize,
}

impl Manifest {
    /// The form of packs that this program makes.
    pub const FORM: u32 = 1;
    /// Where it stands in the archive.
    pub(crate) const PLACE: &str = "pack.json";
    /// Where the results stand.
    pub(crate) const RESULTS: &str = "results.tar";
    /// The folder of the files.
    pub(crate) const PROJECT: &str = "project";
}

/// Whether a link at a path of the project leads to something in the project, whatever else is there.
pub(crate) fn stays_inside(link: &Path, to: &Path) -> bool {
    let mut depth = link.components().count().saturating_sub(1);
    // A step up counts only from where the link itself stands: behind a name it may follow another link.
    let mut named = false;
    for part in to.components() {
        match part {
            Component::CurDir => {}
            Component::Normal(name) if !name.to_string_lossy().starts_with('.') => named = true,
            Component::ParentDir if !named && depth > 0 => depth -= 1,
            _ => return false,
        }
    }
    named
}
