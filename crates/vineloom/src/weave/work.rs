//! What a call of `weave` asks for, one piece of work for each document, or for each row of a table and each document.

use crate::command_line::WeaveArguments;
use crate::output::note;
use crate::{Exit, messages};
use std::collections::BTreeSet;
use std::io::Read;
use std::path::{Path, PathBuf};
use vineloom_project::{Opened, Rows, Text, names_exports};
use vineloom_store::Secret;

/// The document on standard input.
const STANDARD_INPUT: &str = "-";

/// One weave of one document.
#[derive(Debug, Default)]
pub struct Work {
    /// The document's file; `-` is standard input.
    pub file: PathBuf,
    /// Its text, where that came on standard input.
    pub held: Option<String>,
    /// As it is called in messages.
    pub title: String,
    /// The parameters that are set, each with its text.
    pub set: Vec<(String, String)>,
    /// What its exports are called.
    pub name: Option<String>,
    /// The cells of its row, by the names of their columns.
    pub cells: Vec<(String, String)>,
}

/// All the work of a call.
///
/// # Errors
/// What the command ends with, when something can't be read; it has been told.
pub fn works(arguments: &WeaveArguments, secret: &Secret) -> Result<Vec<Work>, Exit> {
    let mut works = Vec::new();
    let files = each_once(&arguments.files);
    if let Some(name) = arguments.name.as_ref().filter(|_| arguments.each.is_none())
        && (files.len() > 1 || !names_exports(name))
    {
        let help = "it is the name of one document's exports, without a folder and an ending";
        messages::error(&format!("`--name {name}` can't be"), Some(help));
        return Err(Exit::WrongUse);
    }
    for file in files {
        let held = if file == Path::new(STANDARD_INPUT) { Some(standard_input()?) } else { None };
        let usual = held.as_ref().map(|_| "document".to_string());
        let work = Work {
            file: file.to_path_buf(),
            held,
            title: file.display().to_string(),
            set: arguments.set.clone(),
            name: arguments.name.clone().or(usual),
            cells: Vec::new(),
        };
        match &arguments.each {
            None => works.push(work),
            Some(table) => works.extend(for_each_row(work, table, arguments, secret)?),
        }
    }
    Ok(works)
}

fn for_each_row(work: Work, table: &Path, arguments: &WeaveArguments, secret: &Secret) -> Result<Vec<Work>, Exit> {
    let text = work.held.clone().map_or(Text::OnDisk, Text::Held);
    let opened = Opened::open(&work.file, text, &[], Some(secret));
    let rows = opened.and_then(|opened| Rows::read(table, &opened, arguments.name.as_deref()));
    let Rows { rows, others } = rows.map_err(|problem| messages::problem(&problem))?;
    if !others.is_empty() && !arguments.quiet {
        let (columns, are) =
            if others.len() == 1 { ("column", "is no parameter") } else { ("columns", "are no parameters") };
        note(&format!(
            "the {columns} {} of {} {are} of {}: names of files and steps after weaving can use them",
            others.join(", "),
            table.display(),
            work.file.display()
        ));
    }
    let of_row = |row: vineloom_project::Row| Work {
        file: work.file.clone(),
        held: work.held.clone(),
        title: format!("{} as {}", work.title, row.name),
        // What a row says is closer than what is said for all.
        set: arguments.set.iter().cloned().chain(row.set).collect(),
        name: Some(row.name),
        cells: row.cells,
    };
    Ok(rows.into_iter().map(of_row).collect())
}

fn standard_input() -> Result<String, Exit> {
    let mut bytes = Vec::new();
    let read = std::io::stdin().lock().read_to_end(&mut bytes).map_err(|error| error.to_string());
    let text = read.and_then(|_| String::from_utf8(bytes).map_err(|_| "documents are UTF-8, and it is not".into()));
    text.map_err(|why| {
        messages::error(&format!("the document on standard input can't be read: {why}"), None);
        Exit::WrongUse
    })
}

/// The files of the command line, each once however it is called.
fn each_once(named: &[PathBuf]) -> Vec<&Path> {
    let mut known = BTreeSet::new();
    let called = |file: &Path| match std::fs::canonicalize(file) {
        Ok(whole) => whole,
        Err(_) => file.to_path_buf(),
    };
    named.iter().filter(|file| known.insert(called(file))).map(PathBuf::as_path).collect()
}
