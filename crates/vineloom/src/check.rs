//! `vineloom check`: everything that can be known without running, all at once.

use crate::command_line::CheckArguments;
use crate::output::say;
use crate::reading::{self, OnDisk};
use crate::ready::history_name;
use crate::{Ended, messages};
use serde_json::json;
use std::path::Path;
use vineloom_document::{Diagnostic, Document, Severity, has_errors, lint, nearest};
use vineloom_interpreters::Languages;
use vineloom_store::Store;
use vineloom_weave::{History, check_citation_style, check_transcripts, plan};

/// Checks every document.
pub fn check(arguments: &CheckArguments) -> Ended {
    let mut ended = Ended::Done;
    let mut all = Vec::new();
    for file in &arguments.files {
        match findings(file, &arguments.set) {
            Ok((document, findings)) => {
                if has_errors(&findings) {
                    ended = ended.max(Ended::Failed);
                }
                if arguments.json {
                    all.extend(findings.iter().map(|finding| as_json(file, &document, finding)));
                } else {
                    messages::show(&document.sources, &findings);
                    say!("{}", summary(file, &findings));
                }
            }
            Err(problem) => ended = ended.max(problem),
        }
    }
    if arguments.json {
        say!("{:#}", serde_json::Value::Array(all));
    }
    ended
}

fn findings(file: &Path, set: &[(String, String)]) -> Result<(Document, Vec<Diagnostic>), Ended> {
    let OnDisk { parsed, folder, project_folder, languages, .. } = reading::read(file, set)?;
    let (document, mut findings) = (parsed.document, parsed.diagnostics);
    findings.extend(check_languages(&document, &languages));
    findings.extend(check_citation_style(&document));
    findings.extend(crate::formulas::unread(&document));
    if let Err(circle) = plan(&document, &languages) {
        findings.push(*circle);
    }
    findings.extend(lint(&document));
    findings.extend(moved(&document, file, &folder, &project_folder, &languages));
    findings.sort_by_key(|finding| finding.span.map_or(0, |span| span.start));
    Ok((document, findings))
}

/// What the last weave knew, if there was one: blocks that stand above what they needed, and those that used the network.
fn moved(
    document: &Document,
    file: &Path,
    folder: &Path,
    project_folder: &Path,
    languages: &Languages,
) -> Vec<Diagnostic> {
    let store = project_folder.join(".vineloom");
    let name = history_name(file, folder, project_folder);
    let (true, Ok(plan)) = (store.is_dir(), plan(document, languages)) else { return Vec::new() };
    let opened = reading::secret().ok().and_then(|secret| Store::open(&store, secret).ok());
    opened.map_or_else(Vec::new, |store| {
        let history = History::load(&store, &name);
        let mut findings = history.moved_above(document, &plan);
        findings.extend(history.used_network(document));
        findings
    })
}

fn check_languages(document: &Document, languages: &Languages) -> Vec<Diagnostic> {
    let unknown =
        document.live.iter().filter(|block| !block.language.is_empty() && languages.get(&block.language).is_none());
    unknown
        .map(|block| {
            let help = match nearest(&block.language, languages.names()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("the languages are {}", languages.names().collect::<Vec<_>>().join(", ")),
            };
            let message = format!("no interpreter is known for the language `{}`", block.language);
            Diagnostic::error(block.fence, message).help(help)
        })
        .chain(check_transcripts(document, languages))
        .collect()
}

fn summary(file: &Path, findings: &[Diagnostic]) -> String {
    let count = |severity| findings.iter().filter(|finding| finding.severity == severity).count();
    let counted = |number: usize, word: &str| match number {
        0 => None,
        1 => Some(format!("1 {word}")),
        n => Some(format!("{n} {word}s")),
    };
    let parts: Vec<String> = [
        counted(count(Severity::Error), "error"),
        counted(count(Severity::Warning), "warning"),
        counted(count(Severity::Hint), "hint"),
    ]
    .into_iter()
    .flatten()
    .collect();
    let found = if parts.is_empty() { "nothing to mend".to_string() } else { parts.join(", ") };
    format!("{}  {found}", file.display())
}

/// Lines and columns count from 1; columns count characters.
fn as_json(file: &Path, document: &Document, finding: &Diagnostic) -> serde_json::Value {
    let place = |span: vineloom_document::Span| {
        let source = document.sources.of(span.start);
        let range = source.written_range(span);
        let text = source.written_text();
        let line_start = text[..range.start].rfind('\n').map_or(0, |at| at + 1);
        let column = |at: usize| text.get(line_start..at).map_or(1, |before| before.chars().count() + 1);
        json!({
            "file": source.name(),
            "line": text[..range.start].matches('\n').count() + 1,
            "column": column(range.start),
            "end_column": column(range.end),
        })
    };
    let mut value = json!({
        "severity": finding.severity,
        "message": finding.message,
        "help": finding.help,
        "file": file.display().to_string(),
    });
    if let (Some(span), Some(object)) = (finding.span, value.as_object_mut())
        && let Some(place) = place(span).as_object()
    {
        object.extend(place.clone());
    }
    if !finding.related.is_empty() {
        let related = finding.related.iter().map(|(span, note)| json!({ "at": place(*span), "note": note }));
        value["related"] = related.collect();
    }
    value
}
