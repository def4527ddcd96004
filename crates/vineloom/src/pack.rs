//! `vineloom pack` and `vineloom unpack`: documents with everything that it takes to weave them elsewhere, in one archive.

use crate::command_line::{PackArguments, UnpackArguments};
use crate::output::say;
use crate::{Exit, messages};
use std::path::{Path, PathBuf};
use vineloom_project::{Limits, Packed};

/// The end of a pack's name.
const ENDING: &str = "-pack.tar.gz";

/// Packs documents of one project.
pub fn pack(arguments: &PackArguments) -> Exit {
    let caller = vineloom_project::surroundings();
    let secret = match messages::secret(&caller) {
        Ok(secret) => secret,
        Err(problem) => return messages::problem(&problem),
    };
    let first = arguments.files.first().cloned().unwrap_or_default();
    let stem = first.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
    let stem = stem.split('.').next().unwrap_or("").to_string();
    let archive = arguments.to.clone().unwrap_or_else(|| PathBuf::from(format!("{stem}{ENDING}")));
    let packed = vineloom_project::pack(&arguments.files, &arguments.set, &archive, &caller, &secret);
    let Packed { manifest, bytes, left_out } = match packed {
        Ok(packed) => packed,
        Err(problem) => return messages::problem(&problem),
    };
    for (path, why) in &left_out {
        let path = vineloom_project::from_here(path);
        messages::warning(
            &format!("{} is not in the pack: {why}", path.display()),
            Some("where it is not, a block that read it can't run; its stored result is in the pack"),
        );
    }
    let size = bytes.div_ceil(1000);
    say!(
        "{}  {} files, {} stored results and objects, {size} KB",
        archive.display(),
        manifest.files.len(),
        manifest.results
    );
    say!("Next, wherever it goes: vineloom unpack {}", archive.file_name().unwrap_or_default().to_string_lossy());
    Exit::Done
}

/// Opens a pack in a new folder.
pub fn unpack(arguments: &UnpackArguments) -> Exit {
    let caller = vineloom_project::surroundings();
    let secret = match messages::secret(&caller) {
        Ok(secret) => secret,
        Err(problem) => return messages::problem(&problem),
    };
    let folder = arguments.folder.clone().unwrap_or_else(|| usual_folder(&arguments.archive));
    let limits = Limits { bytes: arguments.limit, ..Limits::default() };
    match vineloom_project::unpack(&arguments.archive, &folder, limits, &secret) {
        Ok(manifest) => {
            let named = |(language, version): (&String, &String)| match version.as_str() {
                "" => language.clone(),
                version => format!("{language} ({version})"),
            };
            let versions: Vec<String> = manifest.languages.iter().map(named).collect();
            say!("{}  {} files, woven with {}", folder.display(), manifest.files.len(), manifest.program);
            if !versions.is_empty() {
                say!("its blocks ran with {}", versions.join(", "));
            }
            let documents: Vec<String> =
                manifest.documents.iter().map(|name| folder.join(name).display().to_string()).collect();
            say!("Next: vineloom weave --stored-only {}", documents.join(" "));
            Exit::Done
        }
        Err(problem) => messages::problem(&problem),
    }
}

/// The folder that a pack is opened in when none is named: after the pack, in the current folder.
fn usual_folder(archive: &Path) -> PathBuf {
    let name = archive.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
    let stem = [ENDING, ".tar.gz", ".tgz"].iter().find_map(|ending| name.strip_suffix(ending)).unwrap_or(&name);
    PathBuf::from(if stem.is_empty() { "pack" } else { stem })
}
