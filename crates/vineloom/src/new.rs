//! `vineloom new`: a document to start from.

use crate::command_line::NewArguments;
use crate::output::{self, say};
use crate::{Exit, messages};
use std::io::{BufRead, IsTerminal};
use std::path::Path;
use vineloom_document::Script;
use vineloom_store::write_whole;

/// The starters, with what stands in for title, author and date.
const STARTERS: [(&str, &str); 5] = [
    ("guide", include_str!("../starters/guide.vine.md")),
    ("report", include_str!("../starters/report.vine.md")),
    ("deck", include_str!("../starters/deck.vine.md")),
    ("blank", include_str!("../starters/blank.vine.md")),
    ("script", include_str!("../starters/script.py")),
];

/// Writes a document from a starter; never overwrites.
pub fn new(arguments: &NewArguments) -> Exit {
    let file = &arguments.file;
    if file.exists() {
        messages::error(
            &format!("{} is there already", file.display()),
            Some("name a file that does not exist; nothing is overwritten"),
        );
        return Exit::WrongUse;
    }
    let is_script = Script::of_path(&file.to_string_lossy()).is_some();
    if (arguments.from == "script") != is_script {
        let help = if is_script { "start it with `--from script`" } else { "a script's name ends in .py" };
        messages::error(&format!("{} does not suit the starter `{}`", file.display(), arguments.from), Some(help));
        return Exit::WrongUse;
    }
    let starter = STARTERS.iter().find(|(name, _)| *name == arguments.from).map_or("", |(_, text)| text);
    let title = arguments.title.clone().unwrap_or_else(|| ask("Title", &title_of(file)));
    let author = arguments.author.clone().unwrap_or_else(|| ask("Author", &std::env::var("USER").unwrap_or_default()));
    let date = arguments.date.clone().unwrap_or_else(|| "today".into());
    let text = starter
        .replace("\"{{title}}\"", &quoted(&title))
        .replace(
            "[\"{{author}}\"]",
            &if author.is_empty() { "[]".to_string() } else { format!("[{}]", quoted(&author)) },
        )
        .replace("\"{{date}}\"", &quoted(&date));
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty());
    let written = folder.map_or(Ok(()), std::fs::create_dir_all).and_then(|()| write_whole(file, text.as_bytes()));
    match written {
        Ok(()) => {
            say!("{}  written. Next: vineloom weave --open {}", file.display(), file.display());
            if arguments.from != "blank" {
                say!("Then change the first block, weave again, and see what runs.");
            }
            Exit::Done
        }
        Err(error) => {
            messages::error(&format!("{} can't be written: {error}", file.display()), None);
            Exit::WrongUse
        }
    }
}

/// Asks on a terminal; elsewhere the answer is what would be suggested.
fn ask(what: &str, suggestion: &str) -> String {
    if !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return suggestion.to_string();
    }
    let mut line = String::new();
    output::ask(&format!("{what} [{suggestion}]: "));
    let _ = std::io::stdin().lock().read_line(&mut line);
    let answer = line.trim();
    if answer.is_empty() { suggestion.to_string() } else { answer.to_string() }
}

/// A title from a file's name: `soil-report.vine.md` is "Soil report".
fn title_of(file: &Path) -> String {
    let name = file.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
    let words = name.split('.').next().unwrap_or("").replace(['-', '_'], " ");
    let mut chars = words.chars();
    chars.next().map_or_else(|| "Untitled".into(), |first| first.to_uppercase().chain(chars).collect())
}

/// A text as TOML writes it.
fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}
