//! Finding an interpreter and its version.

use crate::environment::Surroundings;
use crate::language::Language;
use std::ffi::{OsStr, OsString};
use std::fs::{self, File};
use std::io::{self, Read};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::Duration;
use vineloom_observe::{Program, Watch, library_of};

/// An interpreter that is there.
#[derive(Debug, Clone)]
pub struct Interpreter {
    /// The language's name.
    pub name: String,
    /// The language.
    pub language: Language,
    /// The program.
    pub path: PathBuf,
}

/// An interpreter that is not there.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{program}`, which runs {language} blocks, is not installed, or not in a folder of PATH")]
pub struct MissingInterpreter {
    /// The language's name.
    pub language: String,
    /// The program looked for.
    pub program: String,
    /// How to get it.
    pub install: String,
}

/// What stands for the system: what its package manager brings, and what is no file of anybody's. What is put in
/// `/usr/local` by hand is not among it; the folders below are those of `/usr`.
const SYSTEM: [&str; 20] = [
    "/usr/bin",
    "/usr/sbin",
    "/usr/games",
    "/usr/lib",
    "/usr/lib32",
    "/usr/lib64",
    "/usr/libexec",
    "/usr/share",
    "/usr/include",
    "/lib",
    "/lib32",
    "/lib64",
    "/bin",
    "/sbin",
    "/etc/ld.so.cache",
    "/etc/ssl",
    "/proc",
    "/sys",
    "/var/cache",
    "/run/systemd",
];
/// Devices; what lies in `/dev/shm` is somebody's data.
const DEVICES: [&str; 14] = [
    "/dev/null",
    "/dev/zero",
    "/dev/full",
    "/dev/random",
    "/dev/urandom",
    "/dev/tty",
    "/dev/pts",
    "/dev/ptmx",
    "/dev/fd",
    "/dev/stdin",
    "/dev/stdout",
    "/dev/stderr",
    "/dev/console",
    "/dev/dri",
];
/// Where caches and fonts lie in somebody's home.
const HOME: [&str; 5] = [".cache", ".local/share/fonts", ".fonts", ".config/fontconfig", ".npm"];
impl Interpreter {
    /// Looks for a language's program in the folders of PATH.
    ///
    /// # Errors
    /// [`MissingInterpreter`], with how to install it.
    pub fn find(name: &str, language: &Language, around: &Surroundings) -> Result<Self, MissingInterpreter> {
        let program = language.needs.as_ref().unwrap_or(&language.command[0]);
        let candidates: Vec<PathBuf> = if program.contains('/') {
            vec![PathBuf::from(program)]
        } else {
            around.program_folders().into_iter().map(|folder| folder.join(program)).collect()
        };
        match candidates.into_iter().find(|path| is_program(path)) {
            Some(path) => Ok(Interpreter { name: name.into(), language: language.clone(), path }),
            None => Err(MissingInterpreter {
                language: name.into(),
                program: program.clone(),
                install: language.install.clone(),
            }),
        }
    }

    /// The folders for which its version stands: the system's, and its own library. What lies above `folder`, the
    /// document's, is never among them: there it could be its own data.
    pub fn apart(&self, around: &Surroundings, folder: &Path) -> Vec<PathBuf> {
        let mut apart: Vec<PathBuf> = SYSTEM.iter().chain(&DEVICES).map(PathBuf::from).collect();
        if let Some(home) = around.variables.get(OsStr::new("HOME")).filter(|home| home.len() > 1) {
            apart.extend(HOME.iter().map(|part| Path::new(home).join(part)));
        }
        apart.extend(library_of(&self.path, folder));
        apart.retain(|apart| !folder.starts_with(apart));
        apart
    }

    /// A text that stays the same only as long as the version must, where one is known: the program file's
    /// identity. A script that starts another program has none, for it may start another one tomorrow.
    pub fn fingerprint(&self) -> Option<String> {
        let path = fs::canonicalize(&self.path).ok()?;
        let mut start = [0; 4];
        fs::File::open(&path).ok()?.read_exact(&mut start).ok()?;
        if &start == b"\x7fELF" || !start.starts_with(b"#!") { file_identity(&path) } else { None }
    }

    /// The folders that what starts it stands for: the system's alone. A launch script reads what chooses the program, and
    /// that may lie anywhere else.
    pub fn apart_of_launcher() -> Vec<PathBuf> {
        SYSTEM.iter().chain(&DEVICES).map(PathBuf::from).collect()
    }

    /// The version, by asking the program; the hash of the program file when it can't be asked. `watch` is told of what it
    /// reads to say that.
    pub fn ask_version(&self, around: &Surroundings, folder: &Path, watch: Option<&Watch>) -> String {
        if self.language.version.is_empty() {
            return fs::read(&self.path).map_or_else(|_| "unknown".into(), |b| blake3::hash(&b).to_hex().to_string());
        }
        match self.answer(around, folder, watch) {
            Ok(said) => String::from_utf8_lossy(&said).trim().to_string(),
            Err(error) => format!("unknown: {error}"),
        }
    }

    /// What the program says of its version, on standard output or else on standard error.
    fn answer(&self, around: &Surroundings, folder: &Path, watch: Option<&Watch>) -> io::Result<Vec<u8>> {
        /// A launch script may have to look around; one that still says nothing is ended.
        const PATIENCE: Duration = Duration::from_secs(20);
        let (stdout, stdout_end) = io::pipe()?;
        let (stderr, stderr_end) = io::pipe()?;
        let words = if self.language.needs.is_none() { &self.language.command[1..] } else { &[] };
        let arguments = words.iter().chain(&self.language.version).map(OsString::from);
        let program = Program {
            path: self.path.clone(),
            arguments: std::iter::once(self.path.clone().into()).chain(arguments).collect(),
            environment: around.block_environment().into_iter().collect(),
            folder: folder.into(),
            streams: [File::open("/dev/null")?.into(), stdout_end.into(), stderr_end.into()],
            channels: None,
        };
        let running = vineloom_observe::spawn(&program, watch)?;
        drop(program);
        let readers = [stdout, stderr].map(|mut pipe| {
            std::thread::spawn(move || {
                let mut bytes = Vec::new();
                pipe.read_to_end(&mut bytes).map(|_| bytes)
            })
        });
        let ended = running.ends_within(PATIENCE);
        // Ends what it may have started, so that both pipes close.
        drop(running);
        let [stdout, stderr] = readers.map(|reader| reader.join().unwrap_or_else(|_| Ok(Vec::new())));
        match (ended, stdout?, stderr?) {
            (false, ..) => Err(io::ErrorKind::TimedOut.into()),
            (true, stdout, stderr) => Ok(if stdout.is_empty() { stderr } else { stdout }),
        }
    }
}

/// Path, size and times of a file, as far as they can tell that it is still the same.
fn file_identity(path: &Path) -> Option<String> {
    let found = fs::metadata(path).ok()?;
    Some(format!(
        "{}:{}:{}:{}.{}:{}.{}",
        path.display(),
        found.ino(),
        found.size(),
        found.mtime(),
        found.mtime_nsec(),
        found.ctime(),
        found.ctime_nsec()
    ))
}

fn is_program(path: &Path) -> bool {
    fs::metadata(path).is_ok_and(|found| found.is_file() && found.permissions().mode() & 0o111 != 0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::Languages;

    fn around(path: &str) -> Surroundings {
        Surroundings { variables: [("PATH".into(), path.into())].into(), ..Surroundings::default() }
    }

    #[test]
    fn a_missing_interpreter_is_named_with_how_to_install_it() {
        let languages = Languages::built_in();
        let missing = Interpreter::find("python", languages.get("python").unwrap(), &around("/nowhere")).unwrap_err();
        assert_eq!(missing.program, "python3");
        assert!(missing.install.contains("apt install python3"));
    }

    #[test]
    fn a_program_has_a_fingerprint_and_a_script_has_none() {
        let folder = tempfile::tempdir().unwrap();
        let script = folder.path().join("python3");
        fs::write(&script, "#!/bin/sh\nexec python3.11 \"$@\"\n").unwrap();
        fs::set_permissions(&script, fs::Permissions::from_mode(0o755)).unwrap();
        let languages = Languages::built_in();
        let path = folder.path().to_str().unwrap();
        let found = Interpreter::find("python", languages.get("python").unwrap(), &around(path)).unwrap();
        assert_eq!(found.path, script);
        assert_eq!(found.fingerprint(), None);
        let sh = Interpreter::find("sh", languages.get("sh").unwrap(), &around("/bin:/usr/bin")).unwrap();
        assert!(sh.fingerprint().is_some());
    }
}
