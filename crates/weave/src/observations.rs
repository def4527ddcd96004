//! What a stored result says of files: what its block found, and what it made.

use serde::{Deserialize, Serialize};
use std::path::Path;
use vineloom_interpreters::{Seen, Stamp};
use vineloom_store::Digest;

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

    /// What it left, without what it found absent, made, and took away again: programs make up another name for that each time.
    pub fn lasting(&self) -> impl Iterator<Item = &(String, Made)> {
        let was_absent = |name: &String| {
            let absent = self.inputs.iter().filter(|(_, seen)| *seen == Seen::Absent);
            // What lies in a folder that was not there was not there either.
            absent.map(|(found, _)| found).any(|found| Path::new(name).starts_with(found))
        };
        self.outputs.iter().filter(move |(name, made)| *made != Made::Nothing || !was_absent(name))
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
