//! `vineloom convert`: a script as a document, a document as a script.

use crate::command_line::ConvertArguments;
use crate::output::say;
use crate::{Ended, messages, reading};
use vineloom_document::{Script, to_document, to_script};
use vineloom_store::write_whole;

/// Converts one file; never overwrites.
pub fn convert(arguments: &ConvertArguments) -> Ended {
    let (from, to) = (&arguments.from, &arguments.to);
    let kinds = (Script::of_path(&from.to_string_lossy()), Script::of_path(&to.to_string_lossy()));
    let source = match reading::read_source(from) {
        Ok(source) => source,
        Err(ended) => return ended,
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
            return Ended::Unusable;
        }
    };
    if to.exists() {
        messages::error(
            &format!("{} is there already", to.display()),
            Some("name a file that does not exist; nothing is overwritten"),
        );
        return Ended::Unusable;
    }
    match write_whole(to, text.as_bytes()) {
        Ok(()) => {
            say!("{}  written", to.display());
            Ended::Done
        }
        Err(error) => {
            messages::error(&format!("{} can't be written: {error}", to.display()), None);
            Ended::Unusable
        }
    }
}
