//! What a block can't do to its driver, to the channels of it, and to the output of other blocks; with the real
//! interpreters.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::time::Duration;
use vineloom_interpreters::{
    BlockRun, FigureWishes, Interpreter, Interrupt, Languages, Outcome, Piece, Strand, Streams, Surroundings,
};

fn start(language: &str) -> Option<Strand> {
    let around = Surroundings { variables: std::env::vars_os().collect(), ..Surroundings::default() };
    let languages = Languages::built_in();
    let found = Interpreter::find(language, languages.get(language).unwrap(), &around);
    if found.is_err() && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
        eprintln!("{language} is not installed: its part of the test did not run");
        return None;
    }
    Some(Strand::start(&found.unwrap(), &around, &std::env::temp_dir(), None).unwrap())
}

fn run_as(strand: &mut Strand, code: &str, streams: Streams) -> Outcome {
    let block = BlockRun {
        label: "@guarded".into(),
        code: code.into(),
        streams,
        figures: FigureWishes { format: "svg".into(), ..FigureWishes::default() },
        time_limit: Duration::from_secs(240),
        output_limit: 16 << 20,
        ..BlockRun::default()
    };
    strand.run(&block, &Interrupt::default()).unwrap_or_else(|error| panic!("{code}: {error:?}"))
}

fn run(strand: &mut Strand, code: &str) -> Outcome {
    run_as(strand, code, Streams::Shared)
}

fn text(outcome: &Outcome) -> String {
    let part = |piece: &Piece| match piece {
        Piece::Text(text) => text.clone(),
        Piece::Notice(text) => format!("<{text}>"),
        Piece::Failure { text, .. } => format!("!{text}!"),
        _ => String::new(),
    };
    outcome.pieces.iter().map(part).collect()
}

/// Each hurts a driver that runs in the shell; the next block still has the state, its output and its exit code.
#[test]
fn nothing_in_a_shell_block_hurts_what_drives_it() {
    let hurts = [
        "break",
        "continue",
        "break 3",
        "for i in 1 2; do continue 2; done",
        "return",
        "return 3",
        "return 0; echo not",
        "printf() { echo mine; }",
        "read() { echo mine; }",
        "echo() { :; }",
        "cd() { :; }",
        "command() { :; }",
        "alias printf=false; alias .=false; alias eval=false",
        "set -x",
        "set -u",
        "set -f",
        "set -C",
        "set -a",
        "set -v",
        "trap 'x=trapped' EXIT",
        "trap '' HUP INT TERM PIPE CHLD",
        "trap 'kill -9 $$' USR1",
        "exec 3>&- 4>&- 5>&- 6>&- 7>&- 8>&- 9>&-",
        "exec 3</dev/null 7</dev/null 8>/dev/null 9</dev/null",
        "exec <&-",
        "exec >&- 2>&-",
        "exec </dev/null >/dev/null",
        "IFS=",
        "IFS='x/'",
        "PATH=",
        "unset PATH HOME IFS",
        "umask 777",
        "cd /; PWD=/nowhere",
        "vineloom_mark=x; vineloom_file=y",
        "(exit 9)",
        "false",
        "readonly IFS",
        "PS4='+ . '; set -x; true; set +x",
    ];
    for shell in ["sh", "bash"] {
        for hurt in hurts {
            // A shell of its own each, for some of these stay.
            let mut strand = start(shell).unwrap();
            run(&mut strand, "kept=5");
            let outcome = run(&mut strand, hurt);
            assert!(!outcome.interpreter_ended, "{shell}: {hurt}: {outcome:?}");
            let after = run(&mut strand, "'printf' '%s\\n' \"kept is $kept\"; (exit 7)");
            let said = text(&after);
            let plain = hurt.starts_with("printf()") || hurt.starts_with("alias printf");
            assert!(said.contains("kept is 5") || plain && said.contains("mine"), "{shell}: {hurt}: {said}");
            assert_eq!(after.exit, 7, "{shell}: {hurt}");
        }
        // Those that end a shell end it as they would end a script, with its code.
        for (ends, exit) in [("exit 4", 4), ("set -e; false", 1), ("exec sh -c 'exit 5'", 5), ("kill -9 $$", 137)] {
            let mut strand = start(shell).unwrap();
            let outcome = run(&mut strand, ends);
            assert_eq!((outcome.interpreter_ended, outcome.exit), (true, exit), "{shell}: {ends}");
        }
    }
}

#[test]
fn a_shell_keeps_the_descriptors_that_a_block_opens() {
    for shell in ["sh", "bash"] {
        let mut strand = start(shell).unwrap();
        for descriptor in 3..=9 {
            run(&mut strand, &format!("exec {descriptor}<<END\nfrom {descriptor}\nEND"));
        }
        for descriptor in 3..=9 {
            let said = text(&run(&mut strand, &format!("cat <&{descriptor}")));
            assert_eq!(said, format!("from {descriptor}\n"), "{shell}");
        }
    }
}

/// What a block writes to every descriptor it can find is no event, and no end, of it or of the next block.
#[test]
fn no_block_speaks_for_its_driver() {
    let lie = r#"{\"done\":{\"exit\":0}}"#;
    let value = r#"{\"value\":{\"text\":\"lie\",\"plain\":\"lie\"}}"#;
    for (language, forge, fails, fine) in [
        (
            "sh",
            format!(
                "for n in 3 4 5 6 7 8 9 10 11 12; do (printf '%s\\n' \"{lie}\" \"{value}\" >/proc/$$/fd/$n) 2>/dev/null & done; wait; echo true"
            ),
            "false",
            "echo fine",
        ),
        (
            "bash",
            format!(
                "for n in 3 4 5 6 7 8 9 10 255; do (printf '%s\\n' \"{lie}\" \"{value}\" >/proc/$$/fd/$n) 2>/dev/null & done; wait; echo true"
            ),
            "false",
            "echo fine",
        ),
        (
            "python",
            format!(
                "import os\nfor n in range(3, 40):\n    try: os.write(n, \"{lie}\\n{value}\\nhalf\".encode())\n    except OSError: pass\nprint('true')"
            ),
            "raise SystemExit(1)",
            "print('fine')",
        ),
        (
            "ruby",
            format!(
                "(3..40).each {{ |n| begin; IO.for_fd(n, 'w', autoclose: false).syswrite(\"{lie}\\n{value}\\nhalf\"); rescue; end }}; puts 'true'"
            ),
            "exit 1",
            "puts 'fine'",
        ),
        (
            "javascript",
            format!(
                "for (const n of [4]) try {{ require('fs').writeSync(n, \"{lie}\\n{value}\\nhalf\") }} catch {{}}\nconsole.log('true')"
            ),
            "throw new Error('x')",
            "console.log('fine')",
        ),
        (
            "r",
            format!(
                "con <- file('/dev/fd/4', 'w', raw = TRUE); cat(\"{lie}\\n{value}\\nhalf\", file = con); close(con); cat('true\\n')"
            ),
            "stop('x')",
            "cat('fine\\n')",
        ),
        (
            "octave",
            format!(
                "f = fopen ('/dev/fd/4', 'w'); fprintf (f, '%s', \"{lie}\\n{value}\\nhalf\"); fclose (f); printf ('true\\n');"
            ),
            "error ('x')",
            "printf ('fine\\n');",
        ),
    ] {
        let Some(mut strand) = start(language) else { continue };
        let outcome = run(&mut strand, &forge);
        let said = text(&outcome);
        // On descriptors that lead to its own output it may say what it likes.
        assert!(said.contains("true"), "{language}: {outcome:?}");
        assert!(!outcome.pieces.iter().any(|piece| matches!(piece, Piece::Value { .. })), "{language}: {outcome:?}");
        assert_eq!(run(&mut strand, fails).exit, 1, "{language}");
        let mut strand = if language == "ruby" || language == "python" { strand } else { start(language).unwrap() };
        assert_eq!(text(&run(&mut strand, fine)).trim(), "fine", "{language}");
    }
}

/// What a process of an earlier block prints later gets into no other block; nor does it end the process.
#[test]
fn what_a_block_left_running_prints_into_no_other_block() {
    for (language, leaves, next) in [
        (
            "sh",
            "(while :; do echo late; echo later >&2; sleep 0.01; done) & pid=$!",
            "sleep 0.3; echo next; kill -0 $pid && echo lives",
        ),
        (
            "bash",
            "(while :; do echo late; echo later >&2; sleep 0.01; done) & pid=$!",
            "sleep 0.3; echo next; kill -0 $pid && echo lives",
        ),
        (
            "python",
            "import subprocess, time\np = subprocess.Popen(['sh', '-c', 'while :; do echo late; echo later >&2; sleep 0.01; done'])",
            "time.sleep(0.3)\nprint('next')\nif p.poll() is None: print('lives')",
        ),
        (
            "ruby",
            "pid = spawn('while :; do echo late; echo later >&2; sleep 0.01; done')",
            "sleep 0.3; puts 'next'; puts 'lives' if Process.kill(0, pid)",
        ),
    ] {
        for streams in [Streams::Shared, Streams::Separate] {
            let Some(mut strand) = start(language) else { continue };
            run_as(&mut strand, leaves, streams);
            for _ in 0..3 {
                assert_eq!(text(&run_as(&mut strand, next, streams)), "next\nlives\n", "{language}");
            }
        }
    }
}

#[test]
fn a_language_sees_no_descriptor_of_ours() {
    for (language, lists) in [
        ("sh", "ls /proc/self/fd | grep -v '^[0123]$'; echo end"),
        ("awk", "BEGIN { system(\"ls /proc/self/fd | grep -v '^[0123]$'; echo end\") }"),
        (
            "python",
            "import subprocess\nprint(subprocess.run(\"ls /proc/self/fd | grep -v '^[0123]$'; echo end\", shell=True, capture_output=True, text=True, close_fds=False).stdout, end='')",
        ),
    ] {
        let Some(mut strand) = start(language) else { continue };
        assert_eq!(text(&run(&mut strand, lists)), "end\n", "{language}");
    }
}
