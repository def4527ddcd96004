//! The languages of a document: the built-in ones, and those that it and its project set up.

use crate::location::Location;
use vineloom_document::options::OptionValue;
use vineloom_document::{Diagnostic, Document};
use vineloom_interpreters::Languages;

/// The built-in languages and those of `[interpreters.NAME]`. The file of a driver is looked for beside the document,
/// then beside the project file.
pub(crate) fn languages(document: &Document, at: &Location, findings: &mut Vec<Diagnostic>) -> Languages {
    let mut languages = Languages::built_in();
    let read =
        |path: &str| [&at.folder, &at.project].into_iter().find_map(|at| std::fs::read_to_string(at.join(path)).ok());
    for (name, span, settings) in document.interpreters() {
        let mut table = toml_edit::DocumentMut::new();
        for (key, setting) in settings.iter() {
            table[key] = match &setting.value {
                OptionValue::List(list) if key == "environment" => {
                    let pairs = list.iter().filter_map(|pair| pair.split_once('='));
                    toml_edit::value(
                        pairs.map(|(name, value)| (name.trim(), value)).collect::<toml_edit::InlineTable>(),
                    )
                }
                OptionValue::List(list) => {
                    toml_edit::value(list.iter().map(String::as_str).collect::<toml_edit::Array>())
                }
                OptionValue::Text(text) => toml_edit::value(text),
                OptionValue::Flag(flag) => toml_edit::value(*flag),
                OptionValue::Number(number) => toml_edit::value(*number),
                // No option of interpreters takes these.
                OptionValue::Lists(_) => continue,
            };
        }
        if let Err(error) = languages.add(&name, &table.to_string(), &read) {
            let help = "`vineloom options command` and the other settings of interpreters say what each takes";
            findings.push(Diagnostic::error(span, error.to_string()).help(help));
        }
    }
    languages
}
