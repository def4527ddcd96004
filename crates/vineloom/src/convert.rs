//! `vineloom convert`: a script as a document, a document as a script.

use crate::command_line::ConvertArguments;
use crate::output::say;
use crate::{Exit, messages};
use vineloom_document::{Script, to_document, to_script};
use vineloom_store::write_whole;

/// Converts one file; never overwrites.
pub fn convert(arguments: &ConvertArguments) -> Exit {
    let (from, to) = (&arguments.from, &arguments.to);
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
                "one of the two must be a script and the other a document",
                Some(&format!("scripts end in .{}; documents in .md", extensions.join(", ."))),
            );
            return Exit::WrongUse;
        }
    };
    if to.exists() {
        messages::error(
            &format!("{} is there already", to.display()),
            Some("name a file that does not exist; nothing is overwritten"),
        );
        return Exit::WrongUse;
    }
    match write_whole(to, text.as_bytes()) {
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
