//! Strands with the real interpreters.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::time::{Duration, Instant};
use vineloom_interpreters::{
    BlockRun, Ended, FigureWishes, Interpreter, Interrupt, Languages, Outcome, Piece, RunError, Strand, Surroundings,
};

fn around() -> Surroundings {
    Surroundings { variables: std::env::vars_os().collect(), ..Surroundings::default() }
}

fn start(language: &str) -> Strand {
    let languages = Languages::built_in();
    let interpreter = Interpreter::find(language, languages.get(language).unwrap(), &around()).unwrap();
    Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap()
}

fn block(code: &str) -> BlockRun {
    BlockRun {
        label: "@test".into(),
        code: code.into(),
        figures: FigureWishes { format: "svg".into(), ..FigureWishes::default() },
        time_limit: Duration::from_secs(240),
        output_limit: 16 << 20,
        ..BlockRun::default()
    }
}

fn run(strand: &mut Strand, code: &str) -> Outcome {
    strand.run(&block(code), &Interrupt::default()).unwrap()
}

fn text(outcome: &Outcome) -> String {
    let part = |piece: &Piece| match piece {
        Piece::Text(text) => text.clone(),
        Piece::Notice(text) => format!("<{text}>"),
        Piece::Statement(text) => format!("{{{text}}}"),
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
    let mut slow = block("sleep 300 & sleep 300");
    slow.time_limit = Duration::from_millis(200);
    let began = Instant::now();
    assert_eq!(ended(start("sh").run(&slow, &Interrupt::default())), Ended::Time);
    let mut flood = block("while :; do echo yyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyy; done");
    flood.output_limit = 100_000;
    assert_eq!(ended(start("sh").run(&flood, &Interrupt::default())), Ended::Output);
    let interrupt = Interrupt::default();
    interrupt.raise();
    assert_eq!(ended(start("python").run(&block("while True: pass"), &interrupt)), Ended::Interrupted);
    assert!(began.elapsed() < Duration::from_secs(200));
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

/// The interpreter of a language. `scripts/test` installs and demands all of them; elsewhere an absent one is said.
fn found(language: &str) -> Option<Interpreter> {
    let languages = Languages::built_in();
    match Interpreter::find(language, languages.get(language).unwrap(), &around()) {
        Ok(interpreter) => Some(interpreter),
        Err(missing) if std::env::var_os("VINELOOM_TEST_TOOLS").is_none() => {
            eprintln!("{missing}: its part of the test did not run; scripts/test installs it");
            None
        }
        Err(missing) => panic!("{missing}"),
    }
}

/// One case, in each language that keeps state: the code and what it gives.
fn in_each(cases: &[(&str, &str, &str)]) {
    for (language, code, wanted) in cases {
        let Some(interpreter) = found(language) else { continue };
        let mut strand = Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap();
        assert_eq!(text(&run(&mut strand, code)), *wanted, "{language}: {code}");
    }
}

#[test]
fn output_notices_and_values_come_in_order() {
    in_each(&[
        ("javascript", "console.log('a'); console.error('b'); console.log('c'); 6 * 7", "a\n<b\n>c\n=42="),
        ("ruby", "puts 'a'; warn 'b'; puts 'c'; 6 * 7", "a\n<b\n>c\n=42="),
        ("r", "cat('a\\n'); message('b'); cat('c\\n'); 6 * 7", "a\n<b\n>c\n=[1] 42="),
        ("r", "warning('w'); invisible(3)", "<Warning: w\n>"),
        ("javascript", "process.stdout.write('no newline')", "no newline=true="),
        ("ruby", "print 'no newline'", "no newline"),
        ("r", "cat('no newline')", "no newline"),
        ("javascript", "console.log('é 漢 🌱')", "é 漢 🌱\n"),
        ("ruby", "puts 'é 漢 🌱'", "é 漢 🌱\n"),
        ("r", "cat('\\u00e9 \\u6f22\\n')", "é 漢\n"),
    ]);
}

#[test]
fn records_and_data_frames_are_tables() {
    in_each(&[
        ("javascript", "[{ a: 1, b: 'x' }, { a: 2, b: null }]", "[2 x 2]"),
        ("ruby", "[{ a: 1, b: 'x' }, { a: 2, b: nil }]", "[2 x 2]"),
        ("r", "data.frame(a = c(1, NA), b = c('x', NA))", "[2 x 2]"),
        ("r", "d <- data.frame(a = 1:2); rownames(d) <- c('p', 'q'); d", "[2 x 2]"),
    ]);
}

#[test]
fn children_and_late_work_are_waited_for() {
    in_each(&[
        ("javascript", "setTimeout(() => console.log('late'), 30); console.log('first')", "first\nlate\n"),
        ("javascript", "Promise.resolve(5)", "=5="),
        ("ruby", "puts 'a'; system('echo b'); puts 'c'", "a\nb\nc\n"),
        ("r", "cat('a\\n'); system('echo b'); cat('c\\n')", "a\nb\nc\n"),
    ]);
}

#[test]
fn failures_have_their_line_and_the_strand_lives_on() {
    for (language, failing, summary, line, after) in [
        ("javascript", "let kept = 3;\n\nnothing.x", "ReferenceError: nothing is not defined", 3, "console.log(kept)"),
        (
            "javascript",
            "let a;\nlet let = ;\n",
            "SyntaxError: let is disallowed as a lexically bound name",
            2,
            "console.log(3)",
        ),
        ("ruby", "kept = 3\n\nraise 'no'", "RuntimeError: no", 3, "puts kept"),
        ("r", "kept <- 3\n\nstop('no')", "no", 3, "cat(kept, '\\n', sep = '')"),
    ] {
        let Some(interpreter) = found(language) else { continue };
        let mut strand = Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap();
        let outcome =
            strand.run(&BlockRun { label: "@0123456789".into(), ..block(failing) }, &Interrupt::default()).unwrap();
        assert_eq!(outcome.exit, 1, "{language}");
        assert_eq!(text(&outcome), format!("!{summary} at Some({line})!"), "{language}");
        assert_eq!(run(&mut strand, after).cited_text(), "3", "{language}");
    }
}

#[test]
fn a_missing_package_is_told_with_the_way_to_install_it() {
    for (language, code, wanted) in [
        ("javascript", "require('no-such-package-of-ours')", "npm install no-such-package-of-ours"),
        ("ruby", "require 'no_such_package_of_ours'", "gem install no_such_package_of_ours"),
        ("r", "library(nosuchpackageofours)", "install.packages(\"nosuchpackageofours\")"),
    ] {
        let Some(interpreter) = found(language) else { continue };
        let outcome = run(&mut Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap(), code);
        let help = outcome.pieces.iter().find_map(|piece| match piece {
            Piece::Failure { help, .. } => help.clone(),
            _ => None,
        });
        assert!(help.as_ref().is_some_and(|help| help.contains(wanted)), "{language}: {outcome:?}");
    }
}

#[test]
fn variables_folder_and_environment_are_those_of_the_block() {
    let table = vineloom_table::Table::read("plot,m\nNorth,31.5\n\"a \"\"b\"\"\",\n").unwrap();
    for (language, code) in [
        ("javascript", "console.log(n + 1, t, rows[0].m + 1, rows[1].plot, process.cwd(), process.env.A)"),
        ("ruby", "puts \"#{n + 1} #{t} #{rows[0]['m'] + 1} #{rows[1]['plot']} #{Dir.pwd} #{ENV['A']}\""),
        ("r", "cat(n + 1, t, rows$m[1] + 1, rows$plot[2], getwd(), Sys.getenv('A'), '\\n')"),
        ("python", "import os; print(n + 1, t, rows[0]['m'] + 1, rows[1]['plot'], os.getcwd(), os.environ['A'])"),
    ] {
        let Some(interpreter) = found(language) else { continue };
        let mut strand = Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap();
        let mut first = block(code);
        let plain = |name: &str, value: serde_json::Value| vineloom_interpreters::Variable {
            name: name.into(),
            value: vineloom_interpreters::VariableValue::Plain(value),
        };
        first.variables = vec![plain("n", 2.into()), plain("t", "é \"x\"\n".trim().into())];
        first.variables.push(vineloom_interpreters::Variable {
            name: "rows".into(),
            value: vineloom_interpreters::VariableValue::Table(table.clone()),
        });
        first.cwd = Some("/usr".into());
        first.env = [("A".to_string(), "it's \\ \"A\"".to_string())].into();
        let outcome = strand.run(&first, &Interrupt::default()).unwrap();
        assert_eq!(outcome.cited_text(), "3 é \"x\" 32.5 a \"b\" /usr it's \\ \"A\"", "{language}");
    }
}

#[test]
fn a_language_that_runs_forever_is_ended() {
    for (language, code) in
        [("javascript", "while (true) {}"), ("ruby", "loop {}"), ("r", "repeat {}"), ("awk", "BEGIN { while (1) {} }")]
    {
        let Some(interpreter) = found(language) else { continue };
        let mut strand = Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap();
        let endless = BlockRun { time_limit: Duration::from_millis(1500), ..block(code) };
        let ended = strand.run(&endless, &Interrupt::default());
        assert!(matches!(ended, Err(RunError::Ended { why: Ended::Time, .. })), "{language}: {ended:?}");
    }
}

#[test]
fn an_interpreter_that_is_told_to_exit_ends_with_its_code() {
    for (language, code) in [("javascript", "process.exit(4)"), ("r", "quit(status = 4)"), ("ruby", "exit! 4")] {
        let Some(interpreter) = found(language) else { continue };
        let mut strand = Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap();
        let outcome = run(&mut strand, code);
        assert_eq!((outcome.exit, outcome.interpreter_ended), (4, true), "{language}");
    }
}

#[test]
fn languages_without_a_driver_run_by_themselves() {
    for (language, code, wanted) in [
        ("awk", "BEGIN { print \"a\", 6 * 7 }", "a 42\n"),
        ("perl", "print 'a ', 6 * 7, \"\\n\";", "a 42\n"),
        ("lua", "print('a', 6 * 7)", "a\t42\n"),
        ("tcl", "puts \"a [expr {6 * 7}]\"", "a 42\n"),
        ("sqlite", "SELECT 6 * 7 AS n, 'x' AS t;", "n,t\n42,x\n"),
        ("c", "#include <stdio.h>\nint main(void) { puts(\"a\"); return 0; }", "a\n"),
        ("raku", "say 'a ' ~ 6 * 7", "a 42\n"),
        ("php", "<?php echo 'a ', 6 * 7, \"\\n\";", "a 42\n"),
        ("scheme", "(display (* 6 7)) (newline)", "42\n"),
        ("jq", "6 * 7", "42\n"),
        ("gnuplot", "plot sin(x)", "(svg)"),
        ("dot", "digraph { a -> b }", "(svg)"),
    ] {
        let Some(interpreter) = found(language) else { continue };
        let mut strand = Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap();
        let outcome = run(&mut strand, code);
        assert_eq!((text(&outcome).as_str(), outcome.exit), (wanted, 0), "{language}");
        let wrong = run(&mut strand, "this is ( no [ language");
        // What stands outside of its marks is text to PHP.
        assert!(wrong.exit != 0 || language == "php", "{language}: a mistake is a failure");
    }
}

#[test]
fn what_r_draws_is_a_figure() {
    let Some(interpreter) = found("r") else { return };
    let mut strand = Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap();
    assert_eq!(text(&run(&mut strand, "plot(1:3); plot(3:1)")), "(svg)(svg)");
    let mut png = block("hist(c(1, 2, 2))");
    png.figures.format = "png".into();
    assert_eq!(text(&strand.run(&png, &Interrupt::default()).unwrap()), "(png)");
}
