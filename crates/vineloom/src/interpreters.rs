//! `vineloom interpreters`: what can run here.

use crate::command_line::InterpretersArguments;
use crate::output::say;
use crate::{Exit, messages};
use std::collections::BTreeSet;
use vineloom_document::Role;
use vineloom_interpreters::{Interpreter, Languages};
use vineloom_project::{Opened, Text};

/// Lists each language: its state, its version and where it is, or how to get it.
pub fn interpreters(arguments: &InterpretersArguments) -> Exit {
    let mut languages = Languages::built_in();
    let needed = match &arguments.file {
        Some(file) => match Opened::open(file, Text::OnDisk, &[], None) {
            Ok(opened) => {
                languages = opened.languages;
                let live = opened.document.live;
                // What a library holds is needed only where it is called, and then by the call.
                let runs = live.into_iter().filter(|block| !matches!(block.role, Role::Library { .. }));
                Some(runs.map(|block| block.language).collect::<BTreeSet<_>>())
            }
            Err(problem) => return messages::problem(&problem),
        },
        None => None,
    };
    let around = vineloom_project::surroundings();
    let mut missing = 0;
    let names: Vec<&str> = match &needed {
        Some(needed) => needed.iter().map(String::as_str).collect(),
        None => languages.names().collect(),
    };
    for name in names {
        let Some(language) = languages.get(languages.home(name)) else {
            say!("{name:12} unknown      no language has this name");
            missing += 1;
            continue;
        };
        if language.built_in {
            say!("{name:12} {:12} {:14} a part of vineloom", "fresh", env!("CARGO_PKG_VERSION"));
            continue;
        }
        let state = if languages.keeps_state(name) { "keeps state" } else { "fresh" };
        match Interpreter::find(name, language, &around) {
            Ok(found) => {
                let here = std::env::current_dir().unwrap_or_default();
                let version = match language.version.is_empty() {
                    true => String::new(),
                    false => short_version(&found.ask_version(&around, &here, None)),
                };
                say!("{name:12} {state:12} {version:14} {}", found.path.display());
            }
            Err(absent) => {
                missing += 1;
                say!("{name:12} {state:12} {:14} {}", "not found", absent.install);
            }
        }
    }
    if needed.is_some() && missing > 0 { Exit::Failed } else { Exit::Done }
}

/// The number in what a program says of its version.
fn short_version(said: &str) -> String {
    let is_number = |word: &&str| {
        word.trim_start_matches("jq-").trim_start_matches('v').starts_with(|c: char| c.is_ascii_digit())
            && word.contains('.')
    };
    let word = said.split(|c: char| c.is_whitespace() || c == ',' || c == '(').find(is_number);
    let number = word.unwrap_or("").trim_start_matches("jq-").trim_start_matches('v').trim_end_matches([')', ';']);
    // What a distribution adds to the number is of no use here.
    number.split(['-', '+']).next().unwrap_or(number).trim_end_matches('.').to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_number_of_a_version_is_found() {
        assert_eq!(short_version("Python 3.11.7"), "3.11.7");
        assert_eq!(short_version("v20.20.2"), "20.20.2");
        assert_eq!(short_version("ruby 3.1.7p261 (2025-03-26 revision 0a) [x]"), "3.1.7p261");
        assert_eq!(short_version("GNU bash, version 5.2.15(1)-release"), "5.2.15");
        assert_eq!(short_version("cc (Debian 12.2.0-14+deb12u1) 12.2.0"), "12.2.0");
        assert_eq!(short_version("unknown"), "");
    }
}
