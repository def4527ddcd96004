//! Failures: each way in which a block can stop its document, as a finding at its place.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::BTreeMap;
use vineloom_document::options::ExpectedExit;
use vineloom_document::{BlockIndex, Document, Source, parse};
use vineloom_interpreters::{Ended, FailurePlace, Outcome, Piece};
use vineloom_weave::{Failure, FailureKind};

const DOCUMENT: &str = "Words.\n\n```python @a\nx = 1\nraise ValueError(x)\n```\n\n```sh @b exit=3 time-limit=2s\nfalse\n```\n\n```sh @\ntrue\n```\n\n```python @c\ndf = 1\n```\n";

fn explained(number: usize, kind: FailureKind) -> (String, usize, String, String) {
    let document: Document = parse(Source::new("a.vine.md", DOCUMENT)).document;
    let index = BlockIndex::of_number(number);
    let labels =
        BTreeMap::from([("@0a".to_string(), BlockIndex::of_number(1)), ("@0b".to_string(), BlockIndex::of_number(2))]);
    let (finding, output) = Failure { index, kind, labels }.explain(&document);
    let line = document.sources.line_of(finding.span.unwrap().start);
    (finding.message, line, finding.help.unwrap_or_default(), output)
}

fn exit(pieces: Vec<Piece>, code: i32, ended: bool, expected: ExpectedExit) -> FailureKind {
    let outcome = Outcome { pieces, exit: code, interpreter_ended: ended, milliseconds: 1 };
    FailureKind::Exit { outcome, expected }
}

fn raised(summary: &str, at: Option<(&str, usize)>) -> Piece {
    let at = at.map(|(block, line)| FailurePlace { block: block.into(), line });
    let text = format!("Traceback:\n  File \"@0a\", line 2\n{summary}\n");
    Piece::Failure { summary: summary.into(), text, at, help: None }
}

#[test]
fn each_failure_says_what_happened_where_and_what_to_do() {
    let zero = ExpectedExit::Code(0);
    for (number, kind, message, line, help) in [
        (1, exit(vec![raised("ValueError: 1", Some(("@0a", 2)))], 1, false, zero), "@a failed: ValueError: 1", 5, ""),
        (1, exit(vec![], 2, false, zero), "@a ended with exit code 2", 3, "exit=2"),
        (
            2,
            exit(vec![], 0, false, ExpectedExit::Code(3)),
            "@b ended with exit code 0 where `exit=3` is expected",
            8,
            "",
        ),
        (1, exit(vec![], 137, true, zero), "the interpreter of @a was ended by signal 9 (KILL)", 3, ""),
        (
            1,
            exit(vec![raised("NameError: name 'df' is not defined", Some(("@0a", 1)))], 1, false, zero),
            "@a failed: NameError: name 'df' is not defined",
            4,
            "`df` is set in @c, which stands below; move it above",
        ),
        (
            2,
            FailureKind::Ended { why: Ended::Time, so_far: vec![] },
            "@b ran longer than its time limit of 2 s and was ended",
            8,
            "time-limit=5min",
        ),
        (
            2,
            FailureKind::Ended { why: Ended::Output, so_far: vec![] },
            "@b printed more than its output limit and was ended",
            8,
            "output-limit=64MiB",
        ),
        (3, FailureKind::Interrupted, "interrupted while this sh block ran", 12, ""),
        (
            3,
            FailureKind::UnknownLanguage { nearest: Some("bash".into()), known: vec![] },
            "no interpreter is known for the language `sh`",
            12,
            "did you mean `bash`?",
        ),
        (2, FailureKind::Run("no room".into(), Some("make some")), "@b: no room", 8, "make some"),
        (2, FailureKind::Lost, "@b lost its interpreter before it ran; this is a fault in the program", 8, ""),
    ] {
        let (said, at, do_this, _) = explained(number, kind);
        assert_eq!((said.as_str(), at), (message, line));
        assert!(do_this.contains(help), "{message}: {do_this}");
    }
}

#[test]
fn interpreters_lines_become_the_documents_and_only_the_last_are_shown() {
    let (_, _, _, output) =
        explained(1, exit(vec![raised("ValueError: 1", Some(("@0a", 2)))], 1, false, ExpectedExit::Code(0)));
    assert!(output.contains("\"a.vine.md\", line 5"), "{output}");
    let many = (1..=30).map(|n| format!("line {n}\n")).collect::<String>() + "\u{1b}[31mred\u{1b}[0m\n";
    let (_, _, _, output) = explained(2, exit(vec![Piece::Text(many)], 1, false, ExpectedExit::Code(3)));
    assert_eq!(output.lines().count(), 8);
    assert!(output.ends_with("line 30\nred"), "{output}");
}
