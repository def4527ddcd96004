//! Strands with the real interpreters.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::BTreeMap;
use std::time::{Duration, Instant};
use vineloom_interpreters::{
    BlockRun, Ended, FigureWishes, Interpreter, Interrupt, Languages, Outcome, Piece, RunError, Strand, Streams,
    Surroundings,
};

fn around() -> Surroundings {
    Surroundings { variables: std::env::vars().collect() }
}

fn start(language: &str) -> Strand {
    let languages = Languages::built_in();
    let interpreter = Interpreter::find(language, languages.get(language).unwrap(), &around()).unwrap();
    Strand::start(&interpreter, &around(), &std::env::temp_dir()).unwrap()
}

fn block(code: &str) -> BlockRun {
    BlockRun {
        label: "@test".into(),
        code: code.into(),
        cwd: None,
        env: BTreeMap::new(),
        variables: Vec::new(),
        stdin: None,
        streams: Streams::Shared,
        figure: None,
        figures: FigureWishes { format: "svg".into(), ..FigureWishes::default() },
        time_limit: Duration::from_secs(20),
        output_limit: 16 << 20,
    }
}

fn run(strand: &mut Strand, code: &str) -> Outcome {
    strand.run(&block(code), &Interrupt::default()).unwrap()
}

fn text(outcome: &Outcome) -> String {
    let part = |piece: &Piece| match piece {
        Piece::Text(text) => text.clone(),
        Piece::Notice(text) => format!("<{text}>"),
        Piece::Value { text, .. } => format!("={text}="),
        Piece::Failure { summary, at, .. } => format!("!{summary} at {:?}!", at.as_ref().map(|at| at.line)),
        Piece::Table(table) => format!("[{} x {}]", table.rows.len(), table.columns.len()),
        Piece::Figure(figure) => format!("({})", figure.media.extension()),
    };
    outcome.pieces.iter().map(part).collect()
}

#[test]
fn shells_keep_their_state_and_show_both_streams_in_order() {
    for language in ["sh", "bash"] {
        let mut strand = start(language);
        run(&mut strand, "n=5; cd /");
        let outcome = run(&mut strand, "echo one; echo two >&2; printf 'three %s %s' $n \"$PWD\"");
        assert_eq!(text(&outcome), "one\ntwo\nthree 5 /", "{language}");
        let outcome = run(&mut strand, "echo a\nmissing_command\n");
        assert_eq!(outcome.exit, 127);
        assert!(text(&outcome).contains("@test"), "{language}: {}", text(&outcome));
        assert!(!strand.ended());
    }
}

#[test]
fn a_shell_that_exits_ends_its_strand_with_its_code() {
    let mut strand = start("sh");
    let outcome = run(&mut strand, "echo before\nexit 3\necho after");
    assert_eq!((text(&outcome).as_str(), outcome.exit, outcome.interpreter_ended), ("before\n", 3, true));
    assert!(strand.ended());
}

#[test]
fn tracing_and_strict_shells_do_not_show_the_driver() {
    let mut strand = start("sh");
    run(&mut strand, "set -eux");
    let outcome = run(&mut strand, "true");
    assert!(!text(&outcome).contains("vineloom"), "{}", text(&outcome));
    assert_eq!(outcome.exit, 0);
}

#[test]
fn folder_variables_and_input_belong_to_one_block() {
    for (language, code) in [
        ("sh", "pwd; echo $A; cat"),
        (
            "python",
            "import os, sys\nprint(os.getcwd())\nprint(os.environ.get('A', ''))\nprint(sys.stdin.read(), end='')",
        ),
    ] {
        let mut strand = start(language);
        let mut first = block(code);
        first.cwd = Some("/usr".into());
        first.env = [("A".to_string(), "it's".to_string())].into();
        first.stdin = Some("in\n".into());
        let outcome = strand.run(&first, &Interrupt::default()).unwrap();
        assert_eq!(text(&outcome), "/usr\nit's\nin\n", "{language}");
        let second = text(&run(&mut strand, code));
        assert!(
            !second.contains("/usr") && !second.contains("it's") && !second.contains("in\n"),
            "{language}: {second}"
        );
    }
}

#[test]
fn python_gives_output_notices_and_the_last_value_in_order() {
    let mut strand = start("python");
    run(&mut strand, "import sys\nfrom __future__ import annotations\nx = 3");
    let outcome = run(
        &mut strand,
        "print('a')\nprint('b', file=sys.stderr)\nimport subprocess\nsubprocess.run(['echo', 'c'])\nprint('d')\n'e' * x",
    );
    assert_eq!(text(&outcome), "a\n<b\n>c\nd\n='eee'=");
    assert_eq!(outcome.cited_text(), "a\nc\nd\neee");
}

#[test]
fn a_python_failure_knows_its_line_and_the_strand_lives_on() {
    let mut strand = start("python");
    let outcome = run(&mut strand, "x = 1\n\nprint(y)\n");
    assert_eq!(text(&outcome), "!NameError: name 'y' is not defined at Some(3)!");
    assert_eq!(outcome.exit, 1);
    assert_eq!(text(&run(&mut strand, "if True\n  pass")), "!SyntaxError: expected ':' at Some(1)!");
    assert_eq!(text(&run(&mut strand, "x")), "=1=");
    assert_eq!(run(&mut strand, "raise SystemExit(4)").exit, 4);
}

#[test]
fn a_list_of_records_is_a_table_and_a_picture_in_the_folder_is_a_figure() {
    let mut strand = start("python");
    let outcome = run(
        &mut strand,
        "import os\nopen(os.environ['VINELOOM_FIGURES'] + '/a.svg', 'w').write('<svg/>')\n[{'day': 1, 'm': 30.5}, {'day': 2, 'm': None}]",
    );
    assert_eq!(text(&outcome), "[2 x 2](svg)");
    assert_eq!(text(&run(&mut strand, "1")), "=1=");
}

#[test]
fn a_block_that_runs_floods_or_is_interrupted_is_ended() {
    let ended = |error: Result<Outcome, RunError>| match error {
        Err(RunError::Ended { why, .. }) => why,
        other => panic!("{other:?}"),
    };
    let mut slow = block("sleep 30 & sleep 30");
    slow.time_limit = Duration::from_millis(200);
    let began = Instant::now();
    assert_eq!(ended(start("sh").run(&slow, &Interrupt::default())), Ended::Time);
    let mut flood = block("while :; do echo yyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyy; done");
    flood.output_limit = 100_000;
    assert_eq!(ended(start("sh").run(&flood, &Interrupt::default())), Ended::Output);
    let interrupt = Interrupt::default();
    interrupt.raise();
    assert_eq!(ended(start("python").run(&block("while True: pass"), &interrupt)), Ended::Interrupted);
    assert!(began.elapsed() < Duration::from_secs(10));
}

#[test]
fn reading_input_that_is_not_there_ends_at_once() {
    assert_eq!(run(&mut start("sh"), "read x; echo \"got $? '$x'\"").cited_text(), "got 1 ''");
    let outcome = run(&mut start("python"), "input()");
    assert!(matches!(&outcome.pieces[0], Piece::Failure { help: Some(help), .. } if help.contains("stdin=")));
}

#[test]
fn odd_output_does_not_confuse_the_capture() {
    let mut strand = start("python");
    let outcome = run(&mut strand, "import os\nos.write(1, bytes(range(256)))\nprint('\\x02end\\x03')");
    assert!(text(&outcome).contains("not UTF-8"));
    assert_eq!(text(&run(&mut strand, "import sys\nprint('x')\nsys.stdout.close()")), "x\n");
    assert_eq!(text(&run(&mut strand, "print('still here')")), "still here\n");
    let outcome = run(&mut strand, "print('y' * 5_000_000)");
    assert_eq!(outcome.cited_text().len(), 5_000_000);
    assert_eq!(run(&mut strand, "os._exit(7)").exit, 7);
    assert!(strand.ended());
}
