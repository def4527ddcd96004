//! What a path stands for by where it lies: the system, an interpreter's own library, a package, a program.

use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};

/// The parts of an installation that hold an interpreter's own library.
const LIBRARY: [&str; 5] = ["lib", "lib64", "libexec", "share", "include"];

/// The folders of an interpreter's own library, for which its version stands: those beside the `bin` folder in which
/// the program lies, after every link. A script has none, nor has a program of the system (the system stands for
/// itself), of a virtual environment, of `/usr/local` (which is filled by hand), or of an installation that `folder`,
/// the document's, lies in.
pub fn library_of(program: &Path, folder: &Path) -> Vec<PathBuf> {
    let installation = || {
        let real = fs::canonicalize(program).ok()?;
        let mut start = [0; 4];
        fs::File::open(&real).ok()?.read_exact(&mut start).ok()?;
        let bin = real.parent().filter(|bin| bin.ends_with("bin") && !is_of_system(bin))?;
        let root = bin.parent()?.to_path_buf();
        let is_one = &start == b"\x7fELF"
            // A program right below the root of the files is no installation.
            && root.components().count() > 2
            && root != Path::new("/usr/local")
            && !root.join("pyvenv.cfg").exists()
            && !folder.starts_with(&root);
        is_one.then_some(root)
    };
    installation().map_or_else(Vec::new, |root| LIBRARY.map(|part| root.join(part)).into())
}

/// Names of folders that hold what interpreters load as packages.
const PACKAGES: [&str; 4] = ["site-packages", "dist-packages", "node_modules", "gems"];

/// Whether a path lies among the packages of an interpreter. They count wherever they lie outside of the system.
pub(crate) fn is_of_package(path: &Path) -> bool {
    path.components().any(|part| {
        let name = part.as_os_str().to_string_lossy();
        PACKAGES.contains(&&*name) || name.ends_with("-library")
    })
}

/// Whether a path lies where the system's own package manager puts things.
pub(crate) fn is_of_system(path: &Path) -> bool {
    let system = ["/usr", "/lib", "/lib32", "/lib64", "/bin", "/sbin"];
    !path.starts_with("/usr/local") && system.iter().any(|folder| path.starts_with(folder))
}

/// Whether a path lies in a folder in which programs are looked for by name.
pub(crate) fn is_place_of_programs(path: &Path) -> bool {
    let parent = path.parent().and_then(Path::file_name);
    parent.is_some_and(|name| name == "bin" || name == "sbin" || name == "games")
}

/// What Python compiled stands for its source.
pub(crate) fn source_of_compiled(path: &Path) -> Option<PathBuf> {
    let name = path.file_name()?.to_str()?;
    let folder = path.parent().filter(|folder| folder.file_name().is_some_and(|name| name == "__pycache__"))?;
    let module = name.strip_suffix(".pyc").or_else(|| name.rsplit_once(".pyc.").map(|(module, _)| module))?;
    Some(folder.parent()?.join(format!("{}.py", module.split('.').next()?)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_program_that_is_installed_somewhere_has_a_library() {
        let folder = tempfile::tempdir().unwrap();
        let root = fs::canonicalize(folder.path()).unwrap();
        let installation = root.join("python-3.12");
        let (program, link, script) =
            (installation.join("bin/python3"), root.join("env/bin/python3"), root.join("bin/python3"));
        for path in [&program, &link, &script] {
            fs::create_dir_all(path.parent().unwrap()).unwrap();
        }
        fs::write(&program, b"\x7fELF and more").unwrap();
        fs::write(&script, "#!/bin/sh\nexec python3.12 \"$@\"\n").unwrap();
        std::os::unix::fs::symlink(&program, &link).unwrap();
        let library = |program: &Path| library_of(program, Path::new("/elsewhere"));
        assert!(library(&program).contains(&installation.join("lib")));
        assert_eq!(library(&link), library(&program));
        assert_eq!(library(&script), Vec::<PathBuf>::new());
        assert_eq!(library(Path::new("/bin/sh")), Vec::<PathBuf>::new());
        assert_eq!(library_of(&program, &installation.join("share/notes")), Vec::<PathBuf>::new());
        fs::write(installation.join("pyvenv.cfg"), "").unwrap();
        assert_eq!(library(&program), Vec::<PathBuf>::new());
    }
}
