//! `vineloom compare`: what came back of a document that was given away.

use crate::command_line::CompareArguments;
use crate::output::say;
use crate::{Exit, messages};
use serde_json::json;
use std::path::PathBuf;
use vineloom_project::{Placed, RemarkKind};

/// Lists the comments and changes of a returned file.
pub fn compare(arguments: &CompareArguments) -> Exit {
    let returned = &arguments.returned;
    let document = arguments.document.clone().or_else(|| beside(returned));
    let Some(document) = document else {
        let help = "name it: `vineloom compare returned.docx guide.vine.md`";
        messages::error(&format!("no document of the name of {} stands beside it", returned.display()), Some(help));
        return Exit::WrongUse;
    };
    let source = match vineloom_project::read_source(&document) {
        Ok(source) => source,
        Err(problem) => return messages::problem(&problem),
    };
    let bytes = match std::fs::read(returned) {
        Ok(bytes) => bytes,
        Err(error) => {
            messages::error(&format!("{} can't be read: {error}", returned.display()), None);
            return Exit::WrongUse;
        }
    };
    let found = match vineloom_project::compare(source.text(), &bytes) {
        Ok(found) => found,
        Err(why) => {
            let help = "comments and changes are read from documents of a word processor (.docx)";
            messages::error(&format!("{} can't be read: {why}", returned.display()), Some(help));
            return Exit::WrongUse;
        }
    };
    let name = document.display().to_string();
    if arguments.json {
        let all: Vec<_> =
            found.iter().map(|(line, remark)| json!({ "file": name, "line": line, "remark": remark })).collect();
        say!("{}", serde_json::Value::from(all));
        return Exit::Done;
    }
    for placed in &found {
        shown(&name, placed);
    }
    let count = |is: fn(&RemarkKind) -> bool| found.iter().filter(|(_, remark)| is(&remark.kind)).count();
    let comments = count(|kind| matches!(kind, RemarkKind::Comment { .. }));
    let changes = found.len() - comments;
    let word = |count: usize, one: &str| format!("{count} {one}{}", if count == 1 { "" } else { "s" });
    say!("{}  {}, {}", returned.display(), word(comments, "comment"), word(changes, "change"));
    Exit::Done
}

/// The document of the same name, or of the same name without what was put behind it on its way.
fn beside(returned: &std::path::Path) -> Option<PathBuf> {
    let stem = returned.file_stem()?.to_string_lossy().into_owned();
    let folder = returned.parent()?;
    let mut stem = stem.as_str();
    loop {
        let document = folder.join(format!("{stem}.vine.md"));
        if document.exists() {
            return Some(document);
        }
        stem = stem.rsplit_once([' ', '-', '_', '.', '('])?.0.trim_end();
    }
}

fn shown(document: &str, (line, remark): &Placed) {
    let place = line.map_or_else(|| document.to_string(), |line| format!("{document}:{line}"));
    let author = if remark.author.is_empty() { "somebody" } else { &remark.author };
    match &remark.kind {
        RemarkKind::Comment { says, about } if about.is_empty() => say!("{place}  {author}: {says}"),
        RemarkKind::Comment { says, about } => say!("{place}  {author} on “{about}”: {says}"),
        RemarkKind::Inserted { words, after } if after.is_empty() => say!("{place}  {author} put in “{words}”"),
        RemarkKind::Inserted { words, after } => say!("{place}  {author} put in “{words}” behind “{after}”"),
        RemarkKind::Deleted { words } => say!("{place}  {author} took out “{words}”"),
    }
}
