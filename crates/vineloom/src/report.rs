//! What an unattended weave tells machines: events as lines of JSON, and a report that build services read.

use crate::Exit;
use crate::output::{self, visible};
use serde_json::json;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use vineloom_document::{Diagnostic, LiveBlock, Location, Severity, Sources, Span};
use vineloom_project::{Made, Problem};
use vineloom_store::write_whole;
use vineloom_weave::State;

/// Where what happens is told.
pub struct Report {
    json: bool,
    junit: Option<PathBuf>,
    started: Instant,
    suites: Mutex<Vec<Suite>>,
}

/// One document of the report, or the steps after weaving.
struct Suite {
    name: String,
    cases: Vec<Case>,
    /// The place of each case, by its name.
    places: HashMap<String, usize>,
}

/// One block, or one step.
struct Case {
    name: String,
    seconds: f64,
    /// What went wrong, in a line and in full.
    failure: Option<(String, String)>,
}

/// What the suite of the steps after weaving is called.
const AFTER: &str = "after weaving";

impl Report {
    /// A report with nothing in it.
    pub fn new(json: bool, junit: Option<&Path>) -> Self {
        Report { json, junit: junit.map(Path::to_path_buf), started: Instant::now(), suites: Mutex::default() }
    }

    fn suites(&self) -> MutexGuard<'_, Vec<Suite>> {
        // A panic elsewhere leaves no case half written.
        self.suites.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes note of a case, where a report is asked for.
    fn case(&self, suite: &str, case: Case) {
        if self.junit.is_none() {
            return;
        }
        let mut suites = self.suites();
        let at = suites.iter().position(|known| known.name == suite).unwrap_or_else(|| {
            suites.push(Suite { name: suite.into(), cases: Vec::new(), places: HashMap::new() });
            suites.len() - 1
        });
        let Suite { cases, places, .. } = &mut suites[at];
        match places.get(&case.name) {
            // A document that is read again tells of its blocks again: the last counts.
            Some(&at) => cases[at] = case,
            None => {
                places.insert(case.name.clone(), cases.len());
                cases.push(case);
            }
        }
    }

    fn event(&self, event: serde_json::Value) {
        if self.json {
            // One line at a time, whichever document it is from.
            let _one = self.suites();
            output::event(&event);
        }
    }

    /// A document begins to run.
    pub fn begins(&self, document: &str, blocks: usize) {
        self.event(json!({ "event": "begins", "document": document, "blocks": blocks }));
    }

    /// A block is done.
    pub fn block(
        &self,
        document: &str,
        name: &str,
        block: &LiveBlock,
        line: Option<usize>,
        state: State,
        time: Duration,
    ) {
        let word = match state {
            State::Kept => "kept",
            State::Ran => "ran",
            State::Replayed => "replayed",
            State::Failed => "failed",
            State::Waiting => "waiting",
        };
        let seconds = if state == State::Kept { 0.0 } else { time.as_secs_f64() };
        if self.json {
            self.event(json!({
                "event": "block", "document": document, "block": name, "language": block.language, "line": line,
                "state": word, "seconds": seconds,
            }));
        }
        if !matches!(state, State::Failed | State::Replayed | State::Waiting) {
            self.case(document, Case { name: name.into(), seconds, failure: None });
        }
    }

    /// Findings about a document.
    pub fn findings(&self, document: &str, sources: &Sources, findings: &[Diagnostic]) {
        self.tell(document, sources, findings);
        self.fails(document, None, sources, findings, "");
    }

    fn tell(&self, document: &str, sources: &Sources, findings: &[Diagnostic]) {
        if !self.json {
            return;
        }
        for finding in findings {
            let mut event = json!({ "event": "finding", "document": document });
            if let (Some(event), Some(parts)) =
                (event.as_object_mut(), finding_as_json(document, sources, finding).as_object())
            {
                event.extend(parts.clone());
            }
            self.event(event);
        }
    }

    /// Something went wrong with a document; with a block of it, when one is named.
    pub fn problem(&self, document: &str, block: Option<&str>, problem: &Problem) {
        self.tell(document, &problem.sources, &problem.findings);
        self.fails(document, block, &problem.sources, &problem.findings, &problem.output);
    }

    /// A case that failed, when there is an error among the findings.
    fn fails(&self, document: &str, block: Option<&str>, sources: &Sources, findings: &[Diagnostic], output: &str) {
        let errors: Vec<&Diagnostic> = findings.iter().filter(|finding| finding.severity == Severity::Error).collect();
        let Some(first) = errors.first() else { return };
        let line = |finding: &&Diagnostic| {
            let place = finding.span.and_then(|span| sources.location(span));
            let place = place.map_or_else(String::new, |at| format!("{}:{}: ", at.file, at.start.line));
            let help = finding.help.as_ref().map_or_else(String::new, |help| format!("\n{help}"));
            format!("{place}{}{help}", finding.message)
        };
        let lines: Vec<String> = errors.iter().map(line).collect();
        let text = format!("{}\n{output}", lines.join("\n"));
        let name = block.unwrap_or("the document").to_string();
        let failure = Some((first.message.clone(), text.trim().into()));
        self.case(document, Case { name, seconds: 0.0, failure });
    }

    /// An export is in its place.
    pub fn export(&self, document: &str, made: &Made) {
        let path = std::path::absolute(&made.place.path).unwrap_or_else(|_| made.place.path.clone());
        self.event(json!({
            "event": "export", "document": document, "format": made.format.word(), "path": path.display().to_string(),
            "bytes": made.export.bytes.len(), "pages": made.export.pages,
        }));
    }

    /// A step after weaving is done.
    pub fn step(&self, words: &[String], folder: &Path, time: Duration, why: Option<&str>) {
        let seconds = time.as_secs_f64();
        self.event(json!({
            "event": "step", "words": words, "folder": folder.display().to_string(), "seconds": seconds, "failure": why,
        }));
        let failure = why.map(|why| (why.to_string(), format!("{}\nin {}", words.join(" "), folder.display())));
        let number = self.suites().iter().find(|suite| suite.name == AFTER).map_or(1, |suite| suite.cases.len() + 1);
        self.case(AFTER, Case { name: format!("{number}. {}", words.join(" ")), seconds, failure });
    }

    /// All is done: the report is written.
    pub fn ends(&self, exit: Exit) -> Exit {
        let seconds = self.started.elapsed().as_secs_f64();
        self.event(json!({ "event": "ends", "exit": exit as u8, "seconds": seconds }));
        let Some(file) = &self.junit else { return exit };
        let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty());
        let written = folder.map_or(Ok(()), std::fs::create_dir_all);
        match written.and_then(|()| write_whole(file, junit(&self.suites(), seconds).as_bytes())) {
            Ok(()) => exit,
            Err(error) => {
                crate::messages::error(&format!("{} can't be written: {error}", file.display()), None);
                exit.max(Exit::WrongUse)
            }
        }
    }
}

/// The report as JUnit XML.
fn junit(suites: &[Suite], seconds: f64) -> String {
    let failed = |suite: &Suite| suite.cases.iter().filter(|case| case.failure.is_some()).count();
    let (tests, failures): (usize, usize) =
        suites.iter().fold((0, 0), |(tests, failures), it| (tests + it.cases.len(), failures + failed(it)));
    let mut xml = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"vineloom\" tests=\"{tests}\" failures=\"{failures}\" time=\"{seconds:.3}\">\n"
    );
    for suite in suites {
        let name = in_xml(&suite.name);
        let time: f64 = suite.cases.iter().map(|case| case.seconds).sum();
        xml.push_str(&format!(
            "  <testsuite name=\"{name}\" tests=\"{}\" failures=\"{}\" errors=\"0\" skipped=\"0\" time=\"{time:.3}\">\n",
            suite.cases.len(),
            failed(suite)
        ));
        for case in &suite.cases {
            let open = format!(
                "    <testcase classname=\"{name}\" name=\"{}\" time=\"{:.3}\"",
                in_xml(&case.name),
                case.seconds
            );
            match &case.failure {
                None => xml.push_str(&format!("{open}/>\n")),
                Some((message, text)) => xml.push_str(&format!(
                    "{open}>\n      <failure message=\"{}\">{}</failure>\n    </testcase>\n",
                    in_xml(message),
                    in_xml(text)
                )),
            }
        }
        xml.push_str("  </testsuite>\n");
    }
    xml + "</testsuites>\n"
}

/// A text in XML, without the characters that XML can't hold.
fn in_xml(text: &str) -> String {
    let mut written = String::new();
    for c in visible(text).chars() {
        match c {
            '&' => written.push_str("&amp;"),
            '<' => written.push_str("&lt;"),
            '>' => written.push_str("&gt;"),
            '"' => written.push_str("&quot;"),
            '\u{FFFE}' | '\u{FFFF}' => written.push('\u{FFFD}'),
            c => written.push(c),
        }
    }
    written
}

/// A finding in a document. Lines and columns count from 1; columns count characters, and beside that bytes of UTF-8 and units of UTF-16.
pub fn finding_as_json(file: &str, sources: &Sources, finding: &Diagnostic) -> serde_json::Value {
    let place = |span: Span| {
        let Some(Location { file, start, end }) = sources.location(span) else { return json!({}) };
        json!({
            "file": file,
            "line": start.line,
            "column": start.column,
            "end_column": end.column,
            "utf8": [start.utf8, end.utf8],
            "utf16": [start.utf16, end.utf16],
        })
    };
    let mut value = json!({
        "severity": finding.severity,
        "message": finding.message,
        "help": finding.help,
        "file": file,
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
