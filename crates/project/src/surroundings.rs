//! The world as this process finds it, and as the blocks of a document see it.

use crate::location::Location;
use crate::problem::{Fault, Problem};
use std::collections::BTreeSet;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use vineloom_document::{Diagnostic, Document, Span};
use vineloom_interpreters::{Interpreter, Languages, Surroundings};
use vineloom_store::Secret;

/// The world as this process finds it.
pub fn surroundings() -> Surroundings {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
    let moment = format!("{}.{}", std::process::id(), now.as_nanos());
    Surroundings { variables: std::env::vars_os().collect(), moment }
}

/// The user's secret, by which results of their own are known; it lies in the user's data folder. Where that can't be
/// written there is one for this run alone, with a warning: the next takes its results for somebody else's.
///
/// # Errors
/// [`Fault::Use`] when the system has no random numbers.
pub fn secret(caller: &Surroundings) -> Result<(Secret, Option<Diagnostic>), Box<Problem>> {
    let variable = |name: &str| caller.variables.get(OsStr::new(name)).filter(|value| !value.is_empty());
    let data = variable("XDG_DATA_HOME").map(PathBuf::from).filter(|folder| folder.is_absolute());
    let in_home = || Some(PathBuf::from(variable("HOME")?).join(".local/share"));
    let file = data.or_else(in_home).map(|folder| folder.join("vineloom/secret"));
    let why = match file.as_ref().map(|file| (file, Secret::in_file(file))) {
        Some((_, Ok(secret))) => return Ok((secret, None)),
        Some((file, Err(error))) => format!("the secret in {} can't be used: {error}", file.display()),
        None => "there is no folder for a secret: neither HOME nor XDG_DATA_HOME is set".into(),
    };
    let warning = Diagnostic::warning(Span::NOWHERE, why)
        .help("the weave goes on; later ones will take what it stores for somebody else's, and trust it less");
    match Secret::passing() {
        Ok(secret) => Ok((secret, Some(warning))),
        Err(error) => {
            let finding = Diagnostic::unplaced(format!("no random numbers can be had: {error}"));
            Err(Problem::unplaced(Fault::Use, finding.help("see that /dev/urandom is there")))
        }
    }
}

/// What the system's own programs are found in, first to last.
const SYSTEM_PATH: [&str; 6] = ["/usr/local/sbin", "/usr/local/bin", "/usr/sbin", "/usr/bin", "/sbin", "/bin"];

/// The world as the blocks of a document see it: programs are found in the same folders from every terminal, editor and
/// build service. Those that the document names come first, then those of its interpreters, the user's own, the system's.
pub(crate) fn surroundings_of(
    caller: &Surroundings,
    document: &Document,
    languages: &Languages,
    at: &Location,
) -> Surroundings {
    let home = caller.variables.get(OsStr::new("HOME")).map(PathBuf::from);
    let named = document.program_folders().into_iter().map(|name| match (name.strip_prefix("~/"), &home) {
        (Some(below), Some(home)) => home.join(below),
        // The project file's paths start where it lies; a document may stand below it.
        _ if at.folder.join(&name).is_dir() => at.folder.join(&name),
        _ => at.project.join(&name),
    });
    let mut asked = BTreeSet::new();
    let used = document.live.iter().map(|block| block.language.as_str()).filter(|language| asked.insert(*language));
    let of_interpreters = used.filter_map(|name| {
        let language = languages.get(languages.home(name)).filter(|language| !language.built_in)?;
        let found = Interpreter::find(name, language, caller).ok()?;
        Some(found.path.parent()?.to_path_buf())
    });
    let own = home.iter().flat_map(|home| [home.join(".local/bin"), home.join("bin")]);
    let mut path: Vec<PathBuf> = Vec::new();
    let is_system = |folder: &PathBuf| SYSTEM_PATH.iter().any(|system| folder == Path::new(system));
    let before = named.chain(of_interpreters).chain(own).filter(|folder| !is_system(folder) && folder.is_absolute());
    for folder in before.chain(SYSTEM_PATH.map(PathBuf::from)) {
        if !path.contains(&folder) {
            path.push(folder);
        }
    }
    let mut around = caller.clone();
    if let Ok(path) = std::env::join_paths(path) {
        around.variables.insert("PATH".into(), path);
    }
    around
}

/// Where on the caller's own PATH a program is that blocks do not find; what to write so that they do.
pub(crate) fn program_elsewhere(name: &str, caller: &Surroundings, blocks: &Surroundings) -> Option<String> {
    let is_program = |folder: &PathBuf| {
        use std::os::unix::fs::PermissionsExt;
        std::fs::metadata(folder.join(name)).is_ok_and(|it| it.is_file() && it.permissions().mode() & 0o111 != 0)
    };
    if name.is_empty() || name.contains('/') || blocks.program_folders().iter().any(is_program) {
        return None;
    }
    let folder = caller.program_folders().into_iter().find(is_program)?;
    Some(format!(
        "`{name}` is in {0}, where blocks do not look: put `[environment]` and below it `path = [\"{0}\"]` into the front matter or vineloom.toml",
        folder.display()
    ))
}
