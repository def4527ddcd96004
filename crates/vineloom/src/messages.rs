//! Findings as a person reads them: what is wrong, where, the line itself, what to do.

use crate::Exit;
use crate::output::{colours_wanted, drawn, visible, visible_in_place};
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use std::borrow::Cow;
use vineloom_document::{Diagnostic, Severity, Source, Sources, Span};
use vineloom_interpreters::Surroundings;
use vineloom_project::{Fault, Problem};
use vineloom_store::Secret;

/// Shows findings on standard error.
pub fn show(sources: &Sources, diagnostics: &[Diagnostic]) {
    for diagnostic in diagnostics {
        drawn(&rendered(sources, diagnostic));
    }
}

/// Shows a failure with the last lines that the block printed.
fn show_failure(sources: &Sources, diagnostic: &Diagnostic, output: &str) {
    let mut message = rendered(sources, diagnostic);
    if !output.is_empty() {
        message.push_str("\nThe last it printed:\n");
        for line in output.lines() {
            message.push_str("    ");
            message.push_str(&visible(line));
            message.push('\n');
        }
    }
    drawn(message.trim_end());
}

/// Shows why something could not be done; what the command then ends with.
pub fn problem(problem: &Problem) -> Exit {
    match problem.findings.as_slice() {
        [finding] if !problem.output.is_empty() => show_failure(&problem.sources, finding, &problem.output),
        findings => show(&problem.sources, findings),
    }
    match problem.fault {
        Fault::Document => Exit::Failed,
        Fault::Use => Exit::WrongUse,
        Fault::Interrupt => Exit::Interrupted,
    }
}

/// The user's secret; why it will not last, where it will not, is shown.
pub fn secret(caller: &Surroundings) -> Result<Secret, Box<Problem>> {
    let (secret, warning) = vineloom_project::secret(caller)?;
    show(&Sources::default(), warning.as_slice());
    Ok(secret)
}

/// Shows an error that has no place in a document.
pub fn error(message: &str, help: Option<&str>) {
    drawn(&plain(Level::ERROR, message, help));
}

/// Shows a warning that has no place in a document.
pub fn warning(message: &str, help: Option<&str>) {
    drawn(&plain(Level::WARNING, message, help));
}

fn plain(level: Level, message: &str, help: Option<&str>) -> String {
    let mut group = Group::with_title(level.primary_title(visible(message)));
    if let Some(help) = help {
        group = group.element(Level::HELP.message(visible(help)));
    }
    without_empty_gutter(&renderer().render(&[group]))
}

/// A message without a place has no line for the gutter's bar to lead to.
fn without_empty_gutter(message: &str) -> String {
    let is_bar = |line: &str| line.contains('|') && line.chars().all(|c| c == ' ' || c == '|');
    message.lines().filter(|line| !is_bar(&plain_text(line))).collect::<Vec<_>>().join("\n")
}

/// A line without its colour codes.
fn plain_text(line: &str) -> String {
    let mut plain = String::new();
    let mut rest = line;
    while let Some(at) = rest.find("\u{1b}[") {
        plain.push_str(&rest[..at]);
        rest = rest[at..].find('m').map_or("", |end| &rest[at + end + 1..]);
    }
    plain + rest
}

fn rendered(sources: &Sources, diagnostic: &Diagnostic) -> String {
    let level = match diagnostic.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Hint => Level::NOTE,
    };
    let mut group = Group::with_title(level.primary_title(visible(&diagnostic.message)));
    let mut spans: Vec<(Span, AnnotationKind, Option<Cow<str>>)> = Vec::new();
    if let Some(span) = diagnostic.span {
        spans.push((span, AnnotationKind::Primary, diagnostic.label.as_deref().map(visible)));
    }
    for (span, note) in &diagnostic.related {
        spans.push((*span, AnnotationKind::Context, Some(visible(note))));
    }
    // One snippet for each file that a place lies in, that of the first place first.
    let mut files: Vec<usize> = Vec::new();
    for (span, ..) in &spans {
        let base = sources.of(span.start).base();
        if !files.contains(&base) {
            files.push(base);
        }
    }
    for base in files {
        let source = sources.of(base);
        let here: Vec<_> = spans.iter().filter(|(span, ..)| sources.of(span.start).base() == base).collect();
        let ranges: Vec<_> = here.iter().map(|(span, ..)| printable(source, *span)).collect();
        let (first_line, excerpt) = excerpt(source, &ranges);
        let mut snippet = Snippet::source(visible_in_place(&source.written_text()[excerpt.clone()]))
            .line_start(first_line)
            .path(visible(source.name()));
        for ((_, kind, label), range) in here.into_iter().zip(ranges) {
            let annotation = kind.span(range.start - excerpt.start..range.end - excerpt.start);
            snippet = snippet.annotation(match label {
                Some(label) => annotation.label(label.clone()),
                None => annotation,
            });
        }
        group = group.element(snippet);
    }
    if let Some(help) = &diagnostic.help {
        group = group.element(Level::HELP.message(visible(help)));
    }
    let message = renderer().render(&[group]);
    if spans.is_empty() { without_empty_gutter(&message) } else { message }
}

/// The lines that a message shows of a text, from the first that has a place to the last: the number of the first
/// and the range of bytes. A message of a long document is made from its own lines, not from all.
fn excerpt(source: &Source, places: &[std::ops::Range<usize>]) -> (usize, std::ops::Range<usize>) {
    let text = source.written_text();
    let first = places.iter().map(|place| place.start).min().unwrap_or(0);
    let last = places.iter().map(|place| place.end).max().unwrap_or(0);
    let (line, start) = source.written_line_at(first);
    let end = text[last..].find('\n').map_or(text.len(), |newline| last + newline + 1);
    (line, start..end)
}

/// The part of a span on its first line, in the text as its writer sees it, on character boundaries.
fn printable(source: &Source, span: Span) -> std::ops::Range<usize> {
    let range = source.written_range(span);
    let text = source.written_text();
    let start = floor(text, range.start.min(text.len()));
    start..floor(text, range.end.min(text.len())).max(start)
}

fn floor(text: &str, mut at: usize) -> usize {
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

fn renderer() -> Renderer {
    if colours_wanted(&std::io::stderr()) { Renderer::styled() } else { Renderer::plain() }
}
