//! The temporary folder of a strand: the driver's text, the code of blocks, pictures, standard input.
//!
//! Its name has the number of the process that made it, so that what a killed process left behind is known.

use crate::outcome::{Figure, Piece};
use std::fs::{self, File};
use std::io::{self, Seek, Write};
use std::path::{Path, PathBuf};
use std::process::Stdio;

const PREFIX: &str = ".vineloom-";
/// The file that says that a folder is ours. A folder without it is never removed, whatever its name.
const MARK: &str = "made-by-vineloom";

/// A temporary folder of this process: what is left of it when we are killed is known by its name and its mark.
///
/// # Errors
/// When it can't be made.
pub fn temporary_folder() -> io::Result<tempfile::TempDir> {
    let prefix = format!("{PREFIX}{}-", std::process::id());
    let folder = tempfile::Builder::new().prefix(&prefix).tempdir()?;
    fs::write(folder.path().join(MARK), "a folder of a running weave; it goes when the weave is over\n")?;
    Ok(folder)
}

/// Whether a path lies in a temporary folder of this process.
pub fn is_temporary(path: &Path) -> bool {
    let ours = format!("{PREFIX}{}-", std::process::id());
    let first = path.strip_prefix(std::env::temp_dir()).ok().and_then(|rest| rest.components().next());
    first.is_some_and(|part| part.as_os_str().to_string_lossy().starts_with(&ours))
}

/// The folder of one running interpreter.
#[derive(Debug)]
pub(crate) struct Session {
    folder: tempfile::TempDir,
    /// Standard input, for interpreters that can't open another one: a file that is written anew for each block.
    input: Option<File>,
}

impl Session {
    pub fn new() -> io::Result<Self> {
        let folder = temporary_folder()?;
        for part in ["blocks", "figures", "tmp"] {
            fs::create_dir(folder.path().join(part))?;
        }
        Ok(Session { folder, input: None })
    }

    pub fn path(&self, part: &str) -> PathBuf {
        self.folder.path().join(part)
    }

    /// Writes a file of the session and returns its path.
    pub fn write(&self, part: &str, content: &str) -> io::Result<PathBuf> {
        let path = self.path(part);
        fs::write(&path, content)?;
        Ok(path)
    }

    /// A standard input that stays open while what it holds changes.
    pub fn lasting_input(&mut self) -> io::Result<Stdio> {
        let path = self.write("stdin", "")?;
        let input = File::options().read(true).write(true).open(path)?;
        let given = input.try_clone()?;
        self.input = Some(input);
        Ok(given.into())
    }

    /// Makes a text standard input; returns the path of a file with it, for drivers that open it themselves.
    pub fn give_input(&mut self, text: Option<&str>) -> io::Result<PathBuf> {
        if let Some(input) = &mut self.input {
            // Both processes share one position in the file.
            input.set_len(0)?;
            input.rewind()?;
            input.write_all(typed(text.unwrap_or_default()).as_bytes())?;
            input.rewind()?;
            return Ok(self.path("stdin"));
        }
        match text {
            Some(text) => self.write("stdin", &typed(text)),
            None => Ok("/dev/null".into()),
        }
    }

    /// The text with the paths of this session made the same everywhere.
    pub fn plain_paths(&self, text: String) -> String {
        let session = self.folder.path().to_string_lossy();
        if !text.contains(&*session) {
            return text;
        }
        text.replace(&format!("{session}/blocks/"), "")
            .replace(&format!("{session}/figures"), "/figures")
            .replace(&format!("{session}/tmp"), "/tmp")
            .replace(&*session, "/tmp")
    }

    /// Takes a picture out of the folder of figures.
    pub fn take_figure(&self, name: &str) -> Option<Figure> {
        let path = self.path("figures").join(name);
        let bytes = fs::read(&path).ok()?;
        let _ = fs::remove_file(&path);
        Figure::new(bytes)
    }

    /// Takes the pictures the block wrote to the folder of figures, by name.
    pub fn collect_figures(&self, pieces: &mut Vec<Piece>) -> io::Result<()> {
        let mut names = Vec::new();
        for entry in fs::read_dir(self.path("figures"))? {
            let entry = entry?;
            if entry.file_type().is_ok_and(|kind| kind.is_file()) {
                names.push(entry.file_name().to_string_lossy().into_owned());
            }
        }
        names.sort();
        for name in names {
            match self.take_figure(&name) {
                Some(figure) => pieces.push(Piece::Figure(figure)),
                None => pieces
                    .push(Piece::Notice(format!("/figures/{name} is not a picture (SVG, PNG, JPEG, GIF or WebP)\n"))),
            }
        }
        Ok(())
    }
}

/// Text as somebody at a keyboard gives it: the last line ends as all do.
fn typed(text: &str) -> String {
    let end = if text.is_empty() || text.ends_with('\n') { "" } else { "\n" };
    format!("{text}{end}")
}

/// Removes the folders of processes that were killed before they could do it.
pub fn clear_abandoned_sessions() {
    let Ok(entries) = fs::read_dir(std::env::temp_dir()) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let owner = name.strip_prefix(PREFIX).and_then(|rest| rest.split('-').next()?.parse::<u32>().ok());
        if owner.is_some_and(|owner| !Path::new("/proc").join(owner.to_string()).exists())
            && cfg!(target_os = "linux")
            && entry.path().join(MARK).is_file()
        {
            let _ = fs::remove_dir_all(entry.path());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_killed_process_left_is_removed_and_nothing_else() {
        let mut killed = std::process::Command::new("true").spawn().unwrap();
        killed.wait().unwrap();
        let left = std::env::temp_dir().join(format!("{PREFIX}{}-abc", killed.id()));
        fs::create_dir(&left).unwrap();
        fs::write(left.join(MARK), "").unwrap();
        let somebodys = std::env::temp_dir().join(format!("{PREFIX}{}-report", killed.id()));
        fs::create_dir(&somebodys).unwrap();
        let living = Session::new().unwrap();
        clear_abandoned_sessions();
        assert!(!left.exists());
        assert!(somebodys.exists(), "a folder of somebody's that only has such a name");
        fs::remove_dir(somebodys).unwrap();
        assert!(living.path("figures").exists());
    }
}
