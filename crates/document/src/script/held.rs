//! A script that is woven: in the form of a document, every place in it known by its line in the script.

use super::{Marks, Script, ScriptDocument, to_document, with_marks};
use crate::front_matter;
use crate::source::Source;

/// A script in the form of a document, as its front matter wants it read; any other file as it is.
pub fn document_of_script(source: Source) -> Source {
    let Some(script) = Script::of_path(source.name()) else { return source };
    let plain = to_document(source.text(), script);
    // What is wrong with the front matter is told when the document is read.
    let (front, _) = front_matter::read(&Source::new(source.name(), plain.text.clone()), &mut Vec::new());
    let marks = Marks { headings: front.script.flag("headings"), comments: front.script.flag("comments") };
    let mut document = plain;
    if marks != Marks::default() {
        let (marked, numbers) = with_marks(source.text(), script, marks);
        document = to_document(&marked, script);
        for line in &mut document.lines {
            *line = numbers.get(line.saturating_sub(1)).copied().unwrap_or(*line);
        }
    }
    let document = without_interpreter(document);
    Source::new(source.name(), document.text).made_from(source.text().to_string(), document.lines)
}

/// The line that names an interpreter is for the system, and no part of what is shown.
fn without_interpreter(document: ScriptDocument) -> ScriptDocument {
    let mut lines: Vec<&str> = document.text.split_inclusive('\n').collect();
    let at = lines.iter().zip(&document.lines).position(|(line, &from)| from == 1 && line.starts_with("<!-- #!"));
    let Some(at) = at else { return document };
    let mut numbers = document.lines.clone();
    lines.remove(at);
    numbers.remove(at);
    ScriptDocument { text: lines.concat(), lines: numbers, ..document }
}
