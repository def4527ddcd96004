//! `vineloom check`: everything that can be known without running, all at once.

use crate::command_line::CheckArguments;
use crate::output::say;
use crate::report::finding_as_json;
use crate::{Exit, messages};
use std::path::Path;
use vineloom_document::{Diagnostic, Severity, has_errors};
use vineloom_interpreters::Interrupt;
use vineloom_project::{Event, Opened, Order, Presence, Problem, Text, Weave, order_for};
use vineloom_store::Secret;

/// Checks every document.
pub fn check(arguments: &CheckArguments) -> Exit {
    let mut exit = Exit::Done;
    let mut all = Vec::new();
    // Without it nothing is known of the last weave, and all else can be checked.
    let secret = vineloom_project::secret(&vineloom_project::surroundings()).ok().map(|(secret, _)| secret);
    for file in &arguments.files {
        match Opened::open(file, Text::OnDisk, &arguments.set, secret.as_ref()) {
            Ok(opened) => {
                let mut findings = opened.all_findings();
                let sources = opened.document.sources.clone();
                if has_errors(&findings) {
                    exit = exit.max(Exit::Failed);
                } else if let Some(secret) = secret.as_ref().filter(|_| arguments.fit) {
                    match of_exports(file, arguments, opened, secret) {
                        Ok(found) => findings.extend(found),
                        Err(problem) => {
                            exit = exit.max(messages::problem(&problem));
                            continue;
                        }
                    }
                }
                if arguments.json {
                    all.extend(
                        findings.iter().map(|finding| finding_as_json(&file.display().to_string(), &sources, finding)),
                    );
                } else {
                    messages::show(&sources, &findings);
                    say!("{}", summary(file, &findings));
                }
            }
            Err(problem) => exit = exit.max(messages::problem(&problem)),
        }
    }
    if arguments.json {
        say!("{:#}", serde_json::Value::Array(all));
    }
    exit
}

/// What the exports of a document do not show as it is meant. They are made from stored results, and none is written.
fn of_exports(
    file: &Path,
    arguments: &CheckArguments,
    opened: Opened,
    secret: &Secret,
) -> Result<Vec<Diagnostic>, Box<Problem>> {
    let order = Order { set: &arguments.set, presence: Presence::StoredOnly, overwrite: true, ..order_for(file) };
    let mut found = Vec::new();
    let known = opened.findings().to_vec();
    Weave::of(order, opened, &[file], secret)?.try_out(
        &vineloom_project::surroundings(),
        &Interrupt::default(),
        &mut |event| {
            if let Event::Found(_, findings) = event {
                found.extend(findings.iter().filter(|finding| !known.contains(finding)).cloned());
            }
        },
    )?;
    Ok(found)
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
