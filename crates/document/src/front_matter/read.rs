//! Reading front matter and project files: TOML into [`FrontMatter`], every mistake found at once.

use super::{FrontAuthor, FrontDate, FrontMatter, FrontText};
use crate::diagnostic::Diagnostic;
use crate::name::nearest;
use crate::options::{Format, Origin, Place, entry};
use crate::source::Source;
use crate::span::Span;
use toml_edit::{ImDocument, Item, Key, TableLike, Value};
use vineloom_language::Word;

/// Reads the front matter of a source. Returns it with the offset at which the body starts.
pub fn read(source: &Source, diagnostics: &mut Vec<Diagnostic>) -> (FrontMatter, usize) {
    let mark = source.text().len() - source.text().trim_start_matches('\u{FEFF}').len();
    if source.line(1)[mark..].trim_end() != "+++" {
        return (FrontMatter::default(), mark);
    }
    let Some(close) = (2..=source.line_count()).find(|&line| source.line(line).trim_end() == "+++") else {
        diagnostics.push(
            Diagnostic::error(source.line_span(1), "the front matter is opened here and never closed")
                .help("put a line `+++` after the last line of the settings"),
        );
        return (FrontMatter::default(), source.text().len());
    };
    let start = source.line_span(2).start;
    let toml = Span::new(start, source.line_span(close).start);
    let end = if close < source.line_count() { source.line_span(close + 1).start } else { source.end() };
    let mut matter = read_toml(source, toml, Whose::Document, diagnostics);
    matter.span = Span::new(source.base(), end);
    (matter, end - source.base())
}

/// Reads a project file: the same tables, without the title block.
pub fn read_project(source: &Source, diagnostics: &mut Vec<Diagnostic>) -> FrontMatter {
    read_toml(source, Span::new(source.base(), source.end()), Whose::Project, diagnostics)
}

/// Whose settings are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Whose {
    Document,
    Project,
}

fn read_toml(source: &Source, toml: Span, whose: Whose, diagnostics: &mut Vec<Diagnostic>) -> FrontMatter {
    let mut reader = Reader { offset: toml.start, whose, diagnostics, matter: FrontMatter::default() };
    match ImDocument::parse(source.slice(toml).to_string()) {
        Ok(document) => reader.top(document.as_table()),
        Err(error) => reader.syntax_error(&error, source, toml),
    }
    reader.matter
}

pub(super) struct Reader<'a> {
    pub(super) offset: usize,
    pub(super) whose: Whose,
    pub(super) diagnostics: &'a mut Vec<Diagnostic>,
    pub(super) matter: FrontMatter,
}

/// What may stand at the top level, for messages.
pub(crate) const TITLE_BLOCK: [&str; 5] = ["title", "subtitle", "authors", "date", "licence"];
pub(crate) const TABLES: [&str; 14] = [
    "environment",
    "language",
    "references",
    "citation-style",
    "library",
    "parameters",
    "macros",
    "words",
    "defaults",
    "block",
    "interpreters",
    "export",
    "after",
    "script",
];

impl Reader<'_> {
    fn syntax_error(&mut self, error: &toml_edit::TomlError, source: &Source, toml: Span) {
        let span = match error.span() {
            Some(range) => Span::new(range.start, range.end).shifted(self.offset),
            None => source.line_span(2),
        };
        // An error at the very end of the text belongs to the last line that has something on it.
        let span = if span.start >= toml.end {
            source.line_span(source.line_of(toml.start + source.slice(toml).trim_end().len()))
        } else {
            span
        };
        let reason = error.message().lines().collect::<Vec<_>>().join(", ");
        let line = source.line(source.line_of(span.start));
        let help = match line.split_once('=') {
            Some((key, value)) if !value.trim().is_empty() && !value.trim().starts_with(['"', '\'', '[', '{']) => {
                format!("texts stand in quotes: `{} = \"{}\"`", key.trim(), value.trim())
            }
            None if line.contains(':') => {
                let (key, value) = line.split_once(':').unwrap_or((line, ""));
                format!("front matter is TOML, which writes `{} = \"{}\"`", key.trim(), value.trim().trim_matches('"'))
            }
            _ => "front matter is TOML: `key = \"text\"`, `key = true`, `key = [\"a\", \"b\"]`, `[table]`".to_string(),
        };
        self.diagnostics.push(Diagnostic::error(span, format!("the front matter can't be read: {reason}")).help(help));
    }

    pub(super) fn key_span(&self, key: &Key) -> Span {
        key.span().map_or(Span::NOWHERE, |r| Span::new(r.start, r.end).shifted(self.offset))
    }

    pub(super) fn value_span(&self, range: Option<std::ops::Range<usize>>, key: &Key) -> Span {
        range.map_or_else(|| self.key_span(key), |r| Span::new(r.start, r.end).shifted(self.offset))
    }

    fn top(&mut self, table: &dyn TableLike) {
        for (key, item) in entries(table) {
            match key.get() {
                word if self.whose == Whose::Project && TITLE_BLOCK.contains(&word) => {
                    let span = self.key_span(key);
                    self.diagnostics.push(
                        Diagnostic::error(span, format!("`{word}` belongs to a document, not to the project"))
                            .help("put it in the document's front matter"),
                    );
                }
                // What a project calls itself is for people.
                "project" if self.whose == Whose::Project => {}
                "references" => self.matter.references = self.texts(key, item),
                "citation-style" => self.matter.citation_style = self.text(key, item),
                "library" => self.matter.library = self.texts(key, item),
                "parameters" => self.parameters(key, item),
                "macros" => self.macros(key, item),
                "words" => self.words(key, item),
                "title" => self.matter.title = self.text(key, item),
                "subtitle" => self.matter.subtitle = self.text(key, item),
                "language" => self.matter.language = self.text(key, item),
                "licence" => self.matter.licence = self.text(key, item),
                "date" => self.matter.date = self.date(key, item),
                "authors" => self.matter.authors = self.authors(key, item),
                "defaults" => self.defaults(key, item),
                "block" => {
                    self.matter.block_options = self.named_tables(key, item, Place::Block, &Origin::BlockTable);
                }
                "interpreters" => {
                    let origin = if self.whose == Whose::Project { Origin::Project } else { Origin::Document };
                    self.matter.interpreters = self.named_tables(key, item, Place::Interpreter, &origin);
                }
                "environment" => {
                    let origin = if self.whose == Whose::Project { Origin::Project } else { Origin::Document };
                    let settings = self.settings(key, item, Place::Environment, origin);
                    self.matter.environment.overlay(&settings);
                }
                "after" => {
                    let origin = if self.whose == Whose::Project { Origin::Project } else { Origin::Document };
                    self.matter.after = self.settings(key, item, Place::After, origin);
                }
                "script" => self.matter.script = self.settings(key, item, Place::Script, Origin::Document),
                "export" => {
                    let origin = if self.whose == Whose::Project { Origin::Project } else { Origin::Document };
                    let settings = self.settings(key, item, Place::Export, origin);
                    self.matter.export.overlay(&settings);
                }
                word => match Format::from_word(word) {
                    Some(format) => {
                        let settings = self.format_settings(key, item, format);
                        self.matter.format_options.insert(format, settings);
                    }
                    None => self.unknown_top(key),
                },
            }
        }
    }

    fn unknown_top(&mut self, key: &Key) {
        let span = self.key_span(key);
        let word = key.get();
        let found = Diagnostic::error(span, format!("there is no front-matter key `{word}`"));
        let formats = Format::ALL.iter().map(|format| format.word());
        let known: Vec<&str> = TITLE_BLOCK.into_iter().chain(TABLES).chain(formats).collect();
        let help = if let Some(near) = nearest(word, known.iter().copied()) {
            format!("did you mean `{near}`?")
        } else if entry(word, Place::Export).is_some() {
            format!("`{word}` belongs in the table `[export]`")
        } else if entry(word, Place::Block).is_some() {
            format!("`{word}` is an option of blocks: put it in `[defaults]`, or on a block's fence line")
        } else {
            format!("the keys are {}", known.join(", "))
        };
        self.diagnostics.push(found.help(help));
    }

    pub(super) fn expected(&mut self, key: &Key, range: Option<std::ops::Range<usize>>, what: &str) {
        let span = self.value_span(range, key);
        self.diagnostics.push(Diagnostic::error(span, format!("`{}` takes {what}", key.get())));
    }

    pub(super) fn text(&mut self, key: &Key, item: &Item) -> Option<FrontText> {
        match item.as_value() {
            Some(Value::String(text)) => {
                let span = self.value_span(text.span(), key);
                Some(FrontText { text: text.value().clone(), span })
            }
            _ => {
                self.expected(key, item.span(), "a text in quotes");
                let written = item.to_string();
                if let Some(finding) = self.diagnostics.last_mut() {
                    finding.help = Some(format!("write `{} = \"{}\"`", key.get(), written.trim()));
                }
                None
            }
        }
    }

    fn texts(&mut self, key: &Key, item: &Item) -> Vec<FrontText> {
        if item.is_str() {
            return self.text(key, item).into_iter().collect();
        }
        let Some(list) = item.as_array() else {
            self.expected(key, item.span(), "a list of texts");
            return Vec::new();
        };
        let mut texts = Vec::new();
        for value in list {
            match value {
                Value::String(text) => {
                    let span = self.value_span(text.span(), key);
                    texts.push(FrontText { text: text.value().clone(), span });
                }
                other => self.expected(key, other.span(), "a list of texts"),
            }
        }
        texts
    }

    fn macros(&mut self, key: &Key, item: &Item) {
        let Some(table) = self.table(key, item) else { return };
        for (key, item) in entries(table) {
            let letters = key.get().strip_prefix('\\').unwrap_or(key.get());
            if letters.is_empty() || !letters.chars().all(|c| c.is_ascii_alphabetic()) {
                let span = self.key_span(key);
                let finding = Diagnostic::error(span, format!("`{}` can't be a command in formulas", key.get()));
                self.diagnostics.push(finding.help("a command has letters only: `\"\\\\R\" = \"\\\\mathbb{R}\"`"));
            } else if let Some(text) = self.text(key, item) {
                self.matter.macros.insert(letters.to_string(), text.text);
            }
        }
    }

    fn words(&mut self, key: &Key, item: &Item) {
        let Some(table) = self.table(key, item) else { return };
        for (key, item) in entries(table) {
            let word = key.get();
            let known: Vec<&str> = Word::ALL.iter().map(|word| word.key()).collect();
            if !known.contains(&word) {
                let help = match nearest(word, known.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!("the words are {}", known.join(", ")),
                };
                let finding = Diagnostic::error(self.key_span(key), format!("no word is called `{word}`"));
                self.diagnostics.push(finding.help(help));
            } else if item.is_array() {
                // The forms of a plural.
                let forms: Vec<String> = self.texts(key, item).into_iter().map(|form| form.text).collect();
                self.matter.words.insert(word.to_string(), forms.join("~"));
            } else if let Some(text) = self.text(key, item) {
                self.matter.words.insert(word.to_string(), text.text);
            }
        }
    }

    fn date(&mut self, key: &Key, item: &Item) -> Option<FrontDate> {
        match item.as_value() {
            Some(Value::Datetime(date)) => {
                let span = self.value_span(date.span(), key);
                Some(FrontDate::Written(FrontText { text: date.value().to_string(), span }))
            }
            _ => self.text(key, item).map(|text| match text.text.as_str() {
                "today" => FrontDate::Today,
                "modified" => FrontDate::Modified,
                _ => FrontDate::Written(text),
            }),
        }
    }

    fn authors(&mut self, key: &Key, item: &Item) -> Vec<FrontAuthor> {
        const SHAPE: &str = "a list of names, or of tables { name = \"…\", affiliation = \"…\" }";
        if let Some(Value::String(text)) = item.as_value() {
            let name = FrontText { text: text.value().clone(), span: self.value_span(text.span(), key) };
            return vec![FrontAuthor { name, affiliation: None }];
        }
        let Some(list) = item.as_array() else {
            self.expected(key, item.span(), SHAPE);
            return Vec::new();
        };
        let mut authors = Vec::new();
        for value in list {
            match value {
                Value::String(text) => {
                    let name = FrontText { text: text.value().clone(), span: self.value_span(text.span(), key) };
                    authors.push(FrontAuthor { name, affiliation: None });
                }
                Value::InlineTable(table) => {
                    let mut name = None;
                    let mut affiliation = None;
                    for (part, item) in entries(table) {
                        match part.get() {
                            "name" => name = self.text(part, item),
                            "affiliation" => affiliation = self.text(part, item),
                            _ => {
                                let span = self.key_span(part);
                                self.diagnostics.push(
                                    Diagnostic::error(span, format!("an author has no `{}`", part.get()))
                                        .help("the keys are name and affiliation"),
                                );
                            }
                        }
                    }
                    match name {
                        Some(name) => authors.push(FrontAuthor { name, affiliation }),
                        None => self.expected(key, value.span(), "authors with a `name` each"),
                    }
                }
                other => self.expected(key, other.span(), SHAPE),
            }
        }
        authors
    }

    pub(super) fn table<'t>(&mut self, key: &Key, item: &'t Item) -> Option<&'t dyn TableLike> {
        let table = item.as_table_like();
        if table.is_none() {
            let what = format!("a table: write `[{}]` on a line of its own, with its keys below", key.get());
            self.expected(key, item.span(), &what);
        }
        table
    }
}

pub(super) fn entries(table: &dyn TableLike) -> Vec<(&Key, &Item)> {
    table.iter().filter_map(|(name, _)| table.get_key_value(name)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::options::TABLE;

    fn read_text(text: &str) -> (FrontMatter, Vec<Diagnostic>) {
        let mut diagnostics = Vec::new();
        let (matter, _) = read(&Source::new("t.md", text), &mut diagnostics);
        (matter, diagnostics)
    }

    #[test]
    fn the_title_block_is_read() {
        let (matter, found) = read_text(
            "+++\ntitle = \"Probe\"\nauthors = [\"A\", { name = \"B\", affiliation = \"C\" }]\ndate = 2026-06-01\n+++\nbody",
        );
        assert_eq!(found, []);
        assert_eq!(matter.title.map(|t| t.text).as_deref(), Some("Probe"));
        assert_eq!(matter.authors.len(), 2);
        assert!(matches!(matter.date, Some(FrontDate::Written(d)) if d.text == "2026-06-01"));
    }

    #[test]
    fn formats_and_their_own_tables_are_layered() {
        let (matter, found) =
            read_text("+++\n[export]\nto = [\"html\", \"pdf\"]\ncontents-depth = 2\n[pdf]\ncontents-depth = 1\n+++\n");
        assert_eq!(found, []);
        assert_eq!(FrontMatter::formats(&[&matter]), [Format::Html, Format::Pdf]);
        let depth = |format| FrontMatter::export_settings(&[&matter], format).number("contents-depth");
        assert_eq!([Format::Html, Format::Pdf, Format::Markdown].map(depth), [Some(2), Some(1), Some(2)]);
    }

    #[test]
    fn every_option_is_taken_by_its_formats_and_refused_by_the_others() {
        for entry in TABLE.iter().filter(|entry| entry.place == Place::Export) {
            let (_, found) = read_text(&format!("+++\n[export]\n{}\n+++\n", entry.example));
            assert_eq!(found, [], "[export] takes {}", entry.name);
            for format in Format::ALL {
                let (matter, found) = read_text(&format!("+++\n[{format}]\n{}\n+++\n", entry.example));
                let set = FrontMatter::export_settings(&[&matter], format).get(entry.name).is_some();
                if entry.formats.contains(&format) {
                    assert!(found.is_empty() && set, "[{format}] takes {}: {found:?}", entry.name);
                } else {
                    assert!(!set);
                    assert_eq!(found[0].message, format!("`{}` is no option of {format}", entry.name));
                    let help = found[0].help.clone().unwrap();
                    assert!(help.contains("[export]"), "{help}");
                    assert!(entry.formats.iter().all(|taker| help.contains(&format!("`[{taker}]`"))), "{help}");
                }
            }
        }
    }

    #[test]
    fn a_key_in_the_wrong_table_is_told_where_it_belongs() {
        let (_, found) = read_text("+++\ncontents = \"top\"\n+++\n");
        assert_eq!(found[0].help.as_deref(), Some("`contents` belongs in the table `[export]`"));
        let (_, found) = read_text("+++\n[defaults]\nnumbered = true\n+++\n");
        assert_eq!(found[0].help.as_deref(), Some("it is a setting of exports: put it in `[export]`"));
    }

    #[test]
    fn every_mistake_is_found_at_once_and_at_its_place() {
        let text = "+++\ntitel = \"x\"\nsubtitle = 3\n[export]\nto = [\"htlm\"]\n+++\n";
        let (_, found) = read_text(text);
        let lines: Vec<_> = found.iter().map(|d| Source::new("t", text).line_of(d.span.unwrap().start)).collect();
        assert_eq!(lines, [2, 3, 5]);
        assert_eq!(found[0].help.as_deref(), Some("did you mean `title`?"));
    }

    #[test]
    fn a_header_that_is_never_closed_is_an_error_at_its_first_line() {
        let (_, found) = read_text("+++\ntitle = \"x\"\n\nText\n");
        assert_eq!(found.len(), 1);
        assert_eq!(found[0].span, Some(Span::new(0, 3)));
    }
}
