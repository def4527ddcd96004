//! `vineloom demo`: the demo project, which is part of the program, written to a folder and woven.

use crate::command_line::{DemoArguments, WeaveArguments};
use crate::output::say;
use crate::{Exit, messages};
use std::fs;
use std::path::Path;
use vineloom_store::write_whole;

/// The files of the project, by their names in its folder.
const FILES: [(&str, &str); 10] = [
    ("probe.vine.md", include_str!("../demo/probe.vine.md")),
    ("month.vine.md", include_str!("../demo/month.vine.md")),
    ("talk.vine.md", include_str!("../demo/talk.vine.md")),
    ("drying.py", include_str!("../demo/drying.py")),
    ("helpers.vine.md", include_str!("../demo/helpers.vine.md")),
    ("library.bib", include_str!("../demo/library.bib")),
    ("data/june.csv", include_str!("../demo/data/june.csv")),
    ("data/july.csv", include_str!("../demo/data/july.csv")),
    ("data/limits.csv", include_str!("../demo/data/limits.csv")),
    ("src/ask.sh", include_str!("../demo/src/ask.sh")),
];

/// The documents among them.
const DOCUMENTS: [&str; 4] = ["probe.vine.md", "month.vine.md", "drying.py", "talk.vine.md"];

/// Writes the project, keeping what somebody changed, and weaves it.
pub fn demo(arguments: &DemoArguments) -> Exit {
    let folder = &arguments.folder;
    for (name, text) in FILES {
        if let Err(problem) = write_file(&folder.join(name), text, arguments.quiet) {
            messages::error(&problem, Some("name another folder: `vineloom demo FOLDER`"));
            return Exit::WrongUse;
        }
    }
    let exit = crate::weave::weave(&WeaveArguments {
        files: DOCUMENTS.iter().map(|name| folder.join(name)).collect(),
        quiet: arguments.quiet,
        ..WeaveArguments::default()
    });
    if exit == Exit::Done && !arguments.quiet {
        let at = |name: &str| folder.join(name).display().to_string();
        say!("\nOpen {}, {} and {}.", at("probe.html"), at("probe.pdf"), at("talk-deck.html"));
        say!("Then change a number in {}, weave again, and see what runs:", at("data/june.csv"));
        say!("vineloom weave {}", at("probe.vine.md"));
    }
    exit
}

fn write_file(path: &Path, text: &str, quiet: bool) -> Result<(), String> {
    let problem = |error: std::io::Error| format!("{} can't be written: {error}", path.display());
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder).map_err(problem)?;
    }
    let word = match fs::read(path) {
        Ok(there) if there == text.as_bytes() => "unchanged",
        Ok(_) => "kept as you changed it",
        Err(_) => {
            write_whole(path, text.as_bytes()).map_err(problem)?;
            "written"
        }
    };
    if !quiet {
        say!("{}  {word}", path.display());
    }
    Ok(())
}
