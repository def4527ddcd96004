//! Code that is shown and never run, and what holds for all code: its line ends, and the names of its lines.

use crate::diagnostic::Diagnostic;
use crate::fence::Fence;
use crate::inline::Inline;
use crate::name::Name;
use crate::options::{BlockOptions, Place, Settings};
use crate::source::Source;
use crate::span::Span;
use crate::tree::Listing;
use std::collections::BTreeMap;

/// A listing of a vine document: a fence that says what it is, its code, its caption; and the names of lines that were
/// given before, each with its line.
pub(crate) fn listing(fence: Fence, code: &str, caption: Vec<Inline>, span: Span) -> (Listing, Vec<(String, usize)>) {
    let mut settings = Settings::built_in(Place::Block);
    settings.overlay(&fence.settings);
    let id = settings.get("id").and_then(|setting| Some((Name::new(setting.value.as_text()?)?, setting.span)));
    let (id, id_span) = id.unzip();
    let from = fence.settings.get("from").and_then(|it| Some((it.value.as_text()?.to_string(), it.span)));
    let mut listing = Listing { caption, id, id_span, from, ..plain_listing(fence, "", span) };
    listing.options = BlockOptions::from_settings(&settings);
    let twice = listing.take_code(code);
    (listing, twice)
}

impl Listing {
    /// Takes code for its own, and the names of its lines out of it. Names that were given before are left over, each with
    /// its line; in a listing without a name they lead nowhere, and none is left over.
    pub(crate) fn take_code(&mut self, code: &str) -> Vec<(String, usize)> {
        self.code = with_plain_ends(code);
        if self.language.is_empty() {
            return Vec::new();
        }
        let twice;
        (self.code, self.line_names, twice) = take_line_names(&self.code);
        if self.id.is_some() { twice } else { Vec::new() }
    }
}

/// What is wrong where lines of code, which starts here in its source, have names that were given before.
pub(crate) fn named_twice(twice: Vec<(String, usize)>, source: &Source, code_start: usize) -> Vec<Diagnostic> {
    let found = twice.into_iter().map(|(name, at)| {
        let span = source.line_span(source.line_of(code_start) + at - 1);
        let finding = Diagnostic::error(span, format!("a line before is called `{name}` too"));
        finding.help("give one of them another name: `[](@block:name)` leads to one line")
    });
    found.collect()
}

/// A listing of plain Markdown, where a fence says nothing but the language.
pub(crate) fn plain_listing(fence: Fence, code: &str, span: Span) -> Listing {
    let options = BlockOptions::from_settings(&Settings::built_in(Place::Block));
    let (language, code) = (fence.language, with_plain_ends(code));
    Listing {
        language,
        code,
        options,
        caption: Vec::new(),
        id: None,
        id_span: None,
        line_names: BTreeMap::new(),
        from: None,
        embedded: None,
        span,
    }
}

/// Code with the line ends that all languages know, whichever the document has.
pub(crate) fn with_plain_ends(code: &str) -> String {
    code.replace("\r\n", "\n")
}

/// Takes the names of lines, `# @:checksum`, out of code. The last are the names that were given before, with their lines.
pub(crate) fn take_line_names(code: &str) -> (String, BTreeMap<String, usize>, Vec<(String, usize)>) {
    let (mut names, mut twice) = (BTreeMap::new(), Vec::new());
    if !code.contains("@:") {
        return (code.to_string(), names, twice);
    }
    let mut kept = String::with_capacity(code.len());
    for (at, line) in code.split_inclusive('\n').enumerate() {
        let body = line.trim_end();
        match line_name(body) {
            Some((before, name)) => {
                if names.insert(name.to_string(), at + 1).is_some() {
                    twice.push((name.to_string(), at + 1));
                }
                kept.push_str(before);
                kept.push_str(&line[line.trim_end_matches(['\n', '\r']).len()..]);
            }
            None => kept.push_str(line),
        }
    }
    (kept, names, twice)
}

fn line_name(line: &str) -> Option<(&str, &str)> {
    let (before, name) = line.rsplit_once("@:")?;
    Name::new(name)?;
    let before = before.trim_end();
    let mark = ["#", "//", "--", "%", ";"].into_iter().find(|mark| before.ends_with(mark))?;
    Some((before[..before.len() - mark.len()].trim_end(), name))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn line_names_are_taken_out_of_code() {
        let (code, names, twice) = take_line_names("a = 1\nb = 2  # @:second\n// @:no name\nc(); // @:third\n");
        assert!(twice.is_empty());
        assert_eq!(take_line_names("a # @:x\nb # @:x\n").2, [("x".to_string(), 2)]);
        assert_eq!(code, "a = 1\nb = 2\n// @:no name\nc();\n");
        assert_eq!(names, BTreeMap::from([("second".into(), 2), ("third".into(), 4)]));
    }
}
