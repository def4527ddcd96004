//! The pages of a document as they are set, with the lines that they come from.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Arc;
use vineloom_document::{Source, Sources, Span};
use vineloom_project::{Page, Pages, SetText};
use vineloom_serve::{Line, Printed, PrintedPage};

/// Pages that have been set, and the texts that they were made from.
pub struct PagesShown {
    /// The pages.
    pub pages: Arc<dyn Pages>,
    /// The texts.
    pub sources: Sources,
}

impl Printed for PagesShown {
    fn pages(&self) -> Vec<PrintedPage> {
        let page = |page: Page| PrintedPage {
            digest: format!("{:016x}", page.digest),
            width: page.width,
            height: page.height,
        };
        self.pages.all().into_iter().map(page).collect()
    }

    fn picture(&self, page: usize) -> Option<String> {
        self.pages.picture(page)
    }

    fn line_at(&self, page: usize, point: (f64, f64)) -> Option<Line> {
        let set = self.pages.at(page, point)?;
        let source = self.sources.of(set.part.start);
        let number = line_of(source, &set);
        let written = source.written_line(number);
        Some(Line { file: PathBuf::from(source.name()), number: written, text: source.line(number).to_string() })
    }

    fn place_of(&self, line: usize) -> Option<(usize, f64)> {
        let source = self.sources.of(0);
        let is_it = |&own: &usize| source.written_line(own) >= line;
        let number = (1..=source.line_count()).find(is_it).unwrap_or(source.line_count());
        let found = self.pages.place_of(source.line_span(number).start, source.line(number));
        // Before the first line that is set, in the front matter for instance, is the beginning.
        found.or_else(|| (!self.pages.all().is_empty()).then_some((0, 0.0)))
    }
}

/// The line of a source that a piece of text comes from, as far as its words tell: the part that it belongs to may have many.
fn line_of(source: &Source, set: &SetText) -> usize {
    let Span { start, end } = set.part;
    let first = source.line_of(start);
    let lines = first..=source.line_of(end.saturating_sub(1).max(start));
    let to_point = set.text.get(..set.byte).unwrap_or("");
    let before: Vec<&str> = to_point.split_whitespace().collect();
    let words: Vec<&str> = set.text.split_whitespace().collect();
    // The word at the point may begin before it.
    let at = before.len().saturating_sub(usize::from(!to_point.ends_with(char::is_whitespace)));
    let near = |line: &str| {
        let has = |step: usize, worth: usize| {
            let word = (at + step).checked_sub(1).and_then(|at| words.get(at));
            let is_there = |word: &&&str| {
                let word = word.trim_matches(is_between);
                !word.is_empty() && line.split(is_between).any(|there| there == word)
            };
            word.filter(is_there).map_or(0, |_| worth)
        };
        // The whole piece, the word itself, its neighbours.
        let is_whole = !words.is_empty() && line.contains(set.text.trim());
        has(0, 1) + has(1, 3) + has(2, 1) + if is_whole { 8 } else { 0 }
    };
    // Of lines that are as good the first.
    lines.rev().max_by_key(|&line| near(source.line(line))).unwrap_or(first)
}

/// Whether a letter stands between words.
fn is_between(c: char) -> bool {
    !c.is_alphanumeric()
}

/// An editor's command line: its words, in which `{file}` and `{line}` stand for a place.
#[derive(Debug, Clone)]
pub struct Editor(Vec<String>);

impl Editor {
    /// The command line that was given.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn of(command: &str) -> Result<Self, String> {
        let words: Vec<String> = command.split_whitespace().map(str::to_string).collect();
        if words.is_empty() {
            return Err("`--editor-command` names no program".into());
        }
        if !command.contains("{file}") {
            return Err("`--editor-command` does not say where the file's name goes: write `{file}`".into());
        }
        Ok(Editor(words))
    }

    /// Opens a line of a file.
    ///
    /// # Errors
    /// Why the program can't be started.
    pub fn open(&self, file: &Path, line: usize) -> Result<(), String> {
        let filled =
            |word: &String| word.replace("{line}", &line.to_string()).replace("{file}", &file.display().to_string());
        let mut words = self.0.iter().map(filled);
        let program = words.next().unwrap_or_default();
        let started = Command::new(&program).args(words).stdin(Stdio::null()).stdout(Stdio::null()).spawn();
        let mut child = started.map_err(|error| format!("{program} can't be started: {error}"))?;
        // Who is started is waited for, so that it does not stay in the table of processes; nobody else waits.
        let _ = std::thread::Builder::new().name("editor".into()).spawn(move || child.wait());
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_piece_of_text_leads_to_its_own_line() {
        let text = "# Moisture\n\nThe probes of June gave\nmoisture in per cent, and of July 14\nnothing at all.\n";
        let source = Source::new("a.vine.md", text);
        let part = Span::new(12, text.len());
        let line = |text: &str, word: &str| {
            let byte = text.find(word).unwrap();
            line_of(&source, &SetText { part, text: text.into(), byte })
        };
        let set = "The probes of June gave moisture in per cent, and of July 14";
        assert_eq!(line(set, "June"), 3);
        assert_eq!(line(set, "cent"), 4);
        assert_eq!(line("July nothing at all.", "nothing"), 5);
        assert_eq!(line("nothing", "nothing"), 5);
        assert_eq!(line("Figure", "Figure"), 3);
        assert_eq!(line("1 has", "1"), 3, "no part of a word");
    }

    #[test]
    fn an_editor_needs_a_place_for_the_file() {
        assert!(Editor::of("edit +{line} {file}").is_ok());
        assert!(Editor::of("edit").unwrap_err().contains("{file}"));
        assert!(Editor::of("  ").unwrap_err().contains("no program"));
    }
}
