//! What a block sees of the world around it.

use std::collections::BTreeMap;
use std::path::PathBuf;

/// The world as the program found it: the only door through which variables of the caller come in.
#[derive(Debug, Clone, Default)]
pub struct Surroundings {
    /// The caller's environment.
    pub variables: BTreeMap<String, String>,
    /// A text that no other run of the program has.
    pub moment: String,
}

/// The variables of the caller that every block sees.
const LET_THROUGH: [&str; 6] = ["PATH", "HOME", "USER", "LANG", "LC_ALL", "TZ"];

impl Surroundings {
    /// The small fixed environment of a block, before its own `env` and the language's variables.
    pub fn block_environment(&self) -> BTreeMap<String, String> {
        let mut environment: BTreeMap<String, String> = LET_THROUGH
            .iter()
            .filter_map(|name| Some((name.to_string(), self.variables.get(*name)?.clone())))
            .collect();
        environment.entry("PATH".into()).or_insert_with(|| "/usr/local/bin:/usr/bin:/bin".into());
        environment.entry("LANG".into()).or_insert_with(|| "C.UTF-8".into());
        environment.insert("TERM".into(), "dumb".into());
        environment
    }

    /// The folders in which programs are looked for, in order.
    pub fn program_folders(&self) -> Vec<PathBuf> {
        let environment = self.block_environment();
        std::env::split_paths(environment.get("PATH").map_or("", String::as_str)).collect()
    }
}
