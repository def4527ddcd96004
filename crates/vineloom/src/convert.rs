//! `vineloom convert`: a script or a notebook as a document, a document as a script; a whole folder of notebooks at once.

use crate::command_line::ConvertArguments;
use crate::output::say;
use crate::{Exit, messages};
use std::path::{Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Marks, Script, notebook_to_document, to_document, to_script, with_marks};
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
    let marks = Marks { headings: arguments.headings, comments: arguments.comments };
    let asked = marks != Marks::default();
    match kinds {
        (Some(script), None) if is_document(to) => script_to_document(from, to, script, marks),
        (None, Some(script)) if is_document(from) && !asked => document_to_script(from, to, script),
        // The same script with the marks of prose.
        (Some(script), Some(same)) if script == same && asked => {
            let read = vineloom_project::read_source(from);
            read.map_or_else(
                |problem| messages::problem(&problem),
                |source| written(to, with_marks(source.text(), script, marks).0.as_bytes()),
            )
        }
        (None, Some(_)) if asked => {
            let help = "they say which comments of a script become prose";
            messages::error("`--headings` and `--comments` are for what is made of a script", Some(help));
            Exit::WrongUse
        }
        _ => {
            messages::error(&format!("{} can't become {}", from.display(), to.display()), Some(&what_becomes_what(to)));
            Exit::WrongUse
        }
    }
}

/// What can be converted, for somebody who asked for something else.
fn what_becomes_what(to: &Path) -> String {
    let name = to.to_string_lossy().to_lowercase();
    let format = Format::ALL.into_iter().find(|format| name.ends_with(format.ending()));
    let extensions: Vec<&str> = Script::extensions().collect();
    match format {
        Some(format) if !is_document(to) => format!("`vineloom weave --to {format}` makes it of a document"),
        _ => format!(
            "a script or a notebook becomes a document, a document a script: scripts end in .{}, notebooks in .ipynb, documents in .md",
            extensions.join(", .")
        ),
    }
}

fn is_document(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ["md", "markdown"].iter().any(|known| ending.eq_ignore_ascii_case(known)))
}

fn script_to_document(from: &Path, to: &Path, script: Script, marks: Marks) -> Exit {
    let source = match vineloom_project::read_source(from) {
        Ok(source) => source,
        Err(problem) => return messages::problem(&problem),
    };
    let (marked, numbers) = with_marks(source.text(), script, marks);
    let document = to_document(&marked, script);
    for line in &document.named_nothing {
        let number = document.lines.get(line - 1).and_then(|&marked| numbers.get(marked - 1)).copied().unwrap_or(0);
        let words = document.text.lines().nth(line - 1).unwrap_or("").trim();
        let message = format!("{}, line {number}: `{words}` names no code", from.display());
        messages::warning(&message, Some("the code stands directly below its name, without an empty line between"));
    }
    written(to, document.text.as_bytes())
}

fn document_to_script(from: &Path, to: &Path, script: Script) -> Exit {
    let source = match vineloom_project::read_source(from) {
        Ok(source) => source,
        Err(problem) => return messages::problem(&problem),
    };
    let made = to_script(source.text(), script);
    let is_own = |block: &&(usize, String)| block.1 == script.language;
    for (line, language) in made.in_comments.iter().filter(is_own) {
        let message = format!(
            "{}, line {line}: this {language} block stays in the comments of the script: weaving runs it, {language} alone does not",
            from.display()
        );
        let help = "code of a script has a fence at the start of its line, and no blank line at its ends";
        messages::warning(&message, Some(help));
    }
    let exit = written(to, made.text.as_bytes());
    let others = made.in_comments.iter().filter(|block| !is_own(block)).count();
    match others {
        _ if exit != Exit::Done => {}
        0 => {}
        1 => say!("1 block of another language stands in its comments: weaving runs it"),
        others => say!("{others} blocks of other languages stand in its comments: weaving runs them"),
    }
    exit
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
