//! What a block sees of the world around it.

use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::path::PathBuf;

/// The world as the program found it: the only door through which variables of the caller come in.
#[derive(Debug, Clone, Default)]
pub struct Surroundings {
    /// The caller's environment.
    pub variables: BTreeMap<OsString, OsString>,
    /// A text that no other run of the program has.
    pub moment: String,
}

/// The variables of the caller that every block sees.
const LET_THROUGH: [&str; 6] = ["PATH", "HOME", "USER", "LANG", "LC_ALL", "TZ"];

impl Surroundings {
    /// The small fixed environment of a block, before its own `env` and the language's variables.
    pub fn block_environment(&self) -> BTreeMap<OsString, OsString> {
        let mut environment: BTreeMap<OsString, OsString> = LET_THROUGH
            .iter()
            .filter_map(|name| Some((OsString::from(name), self.variables.get(OsStr::new(name))?.clone())))
            .collect();
        environment.entry("PATH".into()).or_insert_with(|| "/usr/local/bin:/usr/bin:/bin".into());
        environment.entry("LANG".into()).or_insert_with(|| "C.UTF-8".into());
        environment.insert("TERM".into(), "dumb".into());
        environment
    }

    /// The folders in which programs are looked for, in order.
    pub fn program_folders(&self) -> Vec<PathBuf> {
        let environment = self.block_environment();
        environment.get(OsStr::new("PATH")).map(|path| std::env::split_paths(path).collect()).unwrap_or_default()
    }
}
