//! `vineloom convert`: a script or a notebook as a document, a document as a script; a whole folder of notebooks at once.

use crate::command_line::ConvertArguments;
use crate::output::say;
use crate::{Exit, messages};
use std::path::{Path, PathBuf};
use vineloom_document::{Script, notebook_to_document, to_document, to_script};
use vineloom_store::write_whole;

/// Converts one file, or all notebooks of a folder; never overwrites.
pub fn convert(arguments: &ConvertArguments) -> Exit {
    let (from, to) = (&arguments.from, &arguments.to);
    if from.is_dir() {
        return folder(from, to);
    }
    if is_notebook(from) {
        return notebook(from, to);
    }
    let kinds = (Script::of_path(&from.to_string_lossy()), Script::of_path(&to.to_string_lossy()));
    let source = match vineloom_project::read_source(from) {
        Ok(source) => source,
        Err(problem) => return messages::problem(&problem),
    };
    let text = match kinds {
        (Some(script), None) => to_document(source.text(), script).text,
        (None, Some(script)) => to_script(source.text(), script),
        _ => {
            let extensions: Vec<&str> = Script::extensions().collect();
            messages::error(
                "one of the two must be a script or a notebook and the other a document",
                Some(&format!(
                    "scripts end in .{}; notebooks in .ipynb; documents in .md. A document becomes a notebook by `vineloom weave --to notebook`",
                    extensions.join(", .")
                )),
            );
            return Exit::WrongUse;
        }
    };
    written(to, text.as_bytes())
}

fn is_notebook(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("ipynb"))
}

fn written(to: &Path, bytes: &[u8]) -> Exit {
    if to.exists() {
        messages::error(
            &format!("{} is there already", to.display()),
            Some("name a file that does not exist; nothing is overwritten"),
        );
        return Exit::WrongUse;
    }
    match write_whole(to, bytes) {
        Ok(()) => {
            say!("{}  written", to.display());
            Exit::Done
        }
        Err(error) => {
            messages::error(&format!("{} can't be written: {error}", to.display()), None);
            Exit::WrongUse
        }
    }
}

/// One notebook as a document, with the files that were attached to it. What a document says otherwise is told.
fn notebook(from: &Path, to: &Path) -> Exit {
    let text = match vineloom_project::read_source(from) {
        Ok(source) => source.text().to_string(),
        Err(problem) => return messages::problem(&problem),
    };
    let name = to.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let stem = ["vine.md", "md"].iter().find_map(|ending| name.strip_suffix(&format!(".{ending}")));
    let Some(stem) = stem else {
        messages::error("a notebook becomes a document", Some("documents end in .vine.md"));
        return Exit::WrongUse;
    };
    let made = match notebook_to_document(&text, stem) {
        Ok(made) => made,
        Err(why) => {
            messages::error(&format!("{} can't be read: {why}", from.display()), None);
            return Exit::WrongUse;
        }
    };
    let folder = to.parent().unwrap_or(Path::new(""));
    let taken = made.files.keys().map(|path| folder.join(path)).find(|path| path.exists());
    if let Some(taken) = taken {
        messages::error(&format!("{} is there already", taken.display()), Some("nothing is overwritten"));
        return Exit::WrongUse;
    }
    let exit = written(to, made.text.as_bytes());
    if exit != Exit::Done {
        return exit;
    }
    for (path, bytes) in &made.files {
        let path = folder.join(path);
        let put = path.parent().map_or(Ok(()), std::fs::create_dir_all).and_then(|()| write_whole(&path, bytes));
        if let Err(error) = put {
            messages::error(&format!("{} can't be written: {error}", path.display()), None);
            return Exit::WrongUse;
        }
        say!("{}  written", path.display());
    }
    for (cell, message) in &made.told {
        messages::warning(&format!("{}, cell {cell}: {message}", from.display()), None);
    }
    Exit::Done
}

/// All notebooks below a folder, each to its place below another.
fn folder(from: &Path, to: &Path) -> Exit {
    let mut found = Vec::new();
    notebooks_below(from, &mut found);
    found.sort();
    if found.is_empty() {
        messages::error(&format!("there is no notebook in {}", from.display()), Some("notebooks end in .ipynb"));
        return Exit::WrongUse;
    }
    let mut worst = Exit::Done;
    for path in &found {
        let below = path.strip_prefix(from).unwrap_or(path).with_extension("vine.md");
        let place = to.join(below);
        if let Some(parent) = place.parent()
            && let Err(error) = std::fs::create_dir_all(parent)
        {
            messages::error(&format!("{} can't be made: {error}", parent.display()), None);
            return Exit::WrongUse;
        }
        // One that can't be converted does not keep the others back.
        let exit = notebook(path, &place);
        if exit != Exit::Done {
            worst = exit;
        }
    }
    worst
}

fn notebooks_below(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        let name = entry.file_name();
        let kind = entry.file_type();
        // A link may lead back to where it stands; hidden folders hold copies.
        if kind.as_ref().is_ok_and(std::fs::FileType::is_dir) && !name.to_string_lossy().starts_with('.') {
            notebooks_below(&path, found);
        } else if kind.is_ok_and(|kind| kind.is_file()) && is_notebook(&path) {
            found.push(path);
        }
    }
}
