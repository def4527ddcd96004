//! The same twenty cases for every driver that keeps state, with the real interpreters: what is printed, what fails,
//! what is ended, and that the strand is of use afterwards.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::time::{Duration, Instant};
use vineloom_interpreters::{
    BlockRun, Ended, FigureWishes, Interpreter, Interrupt, Languages, Outcome, Piece, RunError, Strand, Surroundings,
};

/// One driver's words for the twenty cases.
struct Words {
    language: &'static str,
    unended: &'static str,
    between: &'static str,
    unicode: &'static str,
    five_megabytes: &'static str,
    syntax: &'static str,
    in_function: &'static str,
    exit_three: &'static str,
    exit_between: &'static str,
    child: &'static str,
    background: &'static str,
    closes_stdout: &'static str,
    forever: &'static str,
    reads: &'static str,
    figures: &'static str,
    recursion: &'static str,
    division: &'static str,
    warning: &'static str,
    moves: &'static str,
    stands: &'static str,
    locale: &'static str,
    kills: &'static str,
}

const SHELL: Words = Words {
    language: "sh",
    unended: "printf a",
    between: "echo one; echo two >&2; echo three",
    unicode: "echo 'é 🌱 漢'",
    five_megabytes: "head -c 5000000 /dev/zero | tr '\\0' x; echo",
    syntax: "echo a\necho b\nif then\n",
    in_function: "f() {\n  no_such_command\n}\nf",
    exit_three: "exit 3",
    exit_between: "echo before\nexit\necho after",
    child: "echo one; sh -c 'echo child'; echo two",
    background: "sleep 300 &\necho there",
    closes_stdout: "exec >&-\necho lost",
    forever: "while :; do :; done",
    reads: "read line; echo \"got $line\"; read more || echo end",
    figures: "i=0; while [ $i -lt 200 ]; do echo '<svg/>' > $VINELOOM_FIGURES/$(printf %03d $i).svg; i=$((i+1)); done",
    recursion: "ulimit -s 512; f() { f; }; f",
    division: "echo $((1/0))",
    warning: "echo careful >&2",
    moves: "cd /usr",
    stands: "pwd",
    locale: "LC_ALL=POSIX; export LC_ALL",
    kills: "kill -9 $$",
};

const DRIVERS: [Words; 7] = [
    SHELL,
    Words { language: "bash", ..SHELL },
    Words {
        language: "python",
        unended: "print('a', end='')",
        between: "import sys\nprint('one')\nprint('two', file=sys.stderr)\nprint('three')",
        unicode: "print('é 🌱 漢')",
        five_megabytes: "print('x' * 5_000_000)",
        syntax: "a = 1\nb = 2\nif then\n",
        in_function: "def f():\n    raise ValueError('bad')\n\nf()",
        exit_three: "import sys; sys.exit(3)",
        exit_between: "print('before')\nraise SystemExit\nprint('after')",
        child: "import subprocess\nprint('one')\nsubprocess.run(['echo', 'child'])\nprint('two')",
        background: "import subprocess\np = subprocess.Popen(['sleep', '300'])\nprint('there')",
        closes_stdout: "import os, sys\nsys.stdout.close()\nos.close(1)",
        forever: "while True: pass",
        reads: "print('got', input())\ntry:\n    input()\nexcept EOFError:\n    print('end')",
        figures: "import os\nfor i in range(200):\n    open(os.environ['VINELOOM_FIGURES'] + f'/{i:03}.svg', 'w').write('<svg/>')",
        recursion: "def f(): return f()\nf()",
        division: "1 / 0",
        warning: "import warnings\nwarnings.warn('careful')",
        moves: "import os; os.chdir('/usr')",
        stands: "print(os.getcwd())",
        locale: "import locale; locale.setlocale(locale.LC_ALL, 'C'); None",
        kills: "import os; os.kill(os.getpid(), 9)",
    },
    Words {
        language: "r",
        unended: "cat('a')",
        between: "cat('one\\n'); message('two'); cat('three\\n')",
        unicode: "cat('é 🌱 漢\\n')",
        five_megabytes: "cat(strrep('x', 5000000), '\\n', sep = '')",
        syntax: "a <- 1\nb <- 2\nif then\n",
        in_function: "f <- function() {\n  stop('bad')\n}\nf()",
        exit_three: "quit(status = 3)",
        exit_between: "cat('before\\n')\nquit()\ncat('after\\n')",
        child: "cat('one\\n'); system('echo child'); cat('two\\n')",
        background: "system('sleep 300', wait = FALSE); cat('there\\n')",
        closes_stdout: "sink('/dev/null'); cat('lost')",
        forever: "repeat {}",
        reads: "i <- file('stdin'); open(i); cat('got', readLines(i, 1), '\\n'); if (length(readLines(i, 1)) == 0) cat('end\\n'); close(i)",
        figures: "for (i in 0:199) writeLines('<svg/>', sprintf('%s/%03d.svg', Sys.getenv('VINELOOM_FIGURES'), i))",
        recursion: "f <- function() f()\nf()",
        division: "1 / 0",
        warning: "warning('careful')",
        moves: "setwd('/usr')",
        stands: "cat(getwd(), '\\n', sep = '')",
        locale: "invisible(Sys.setlocale('LC_COLLATE', 'C'))",
        kills: "tools::pskill(Sys.getpid(), 9)",
    },
    Words {
        language: "javascript",
        unended: "process.stdout.write('a'); undefined",
        between: "console.log('one'); console.error('two'); console.log('three')",
        unicode: "console.log('é 🌱 漢')",
        five_megabytes: "console.log('x'.repeat(5000000))",
        syntax: "a = 1;\nb = 2;\nif then\n",
        in_function: "function f() {\n  throw new Error('bad');\n}\nf()",
        exit_three: "process.exit(3)",
        exit_between: "console.log('before');\nprocess.exit();\nconsole.log('after')",
        child: "console.log('one'); require('child_process').execSync('echo child', {stdio: 'inherit'}); console.log('two')",
        background: "const p = require('child_process').spawn('sleep', ['300'], {stdio: 'ignore', detached: true}); p.unref(); console.log('there')",
        closes_stdout: "require('fs').closeSync(1)",
        forever: "for (;;) {}",
        reads: "var l = require('fs').readFileSync(0, 'utf8').split('\\n'); console.log('got ' + l[0]); console.log('end')",
        figures: "for (let i = 0; i < 200; i++) require('fs').writeFileSync(`${process.env.VINELOOM_FIGURES}/${String(i).padStart(3, '0')}.svg`, '<svg/>')",
        recursion: "function g() { return g() + 1 }\ng()",
        division: "1n / 0n",
        warning: "process.stderr.write('careful\\n')",
        moves: "process.chdir('/usr')",
        stands: "console.log(process.cwd())",
        locale: "process.env.LC_ALL = 'C'; undefined",
        kills: "process.kill(process.pid, 'SIGKILL'); for (;;) {}",
    },
    Words {
        language: "octave",
        unended: "printf('a');",
        between: "printf('one\\n');\nfprintf(stderr, 'two\\n');\nprintf('three\\n');",
        unicode: "printf('é 🌱 漢\\n');",
        five_megabytes: "printf('%s\\n', repmat('x', 1, 5000000));",
        syntax: "a = 1;\nb = 2;\nif (\n",
        in_function: "function f()\n  error('bad');\nend\nf()",
        exit_three: "exit(3)",
        exit_between: "printf('before\\n');\nexit\nprintf('after\\n');",
        child: "printf('one\\n'); fflush(stdout);\nsystem('echo child');\nprintf('two\\n');",
        background: "system('sleep 300', false, 'async');\nprintf('there\\n');",
        closes_stdout: "x = 1;",
        forever: "while true\nend",
        reads: "l = input('', 's');\nprintf('got %s\\n', l);\nprintf('end\\n');",
        figures: "for i = 0:199\n  f = fopen(sprintf('%s/%03d.svg', getenv('VINELOOM_FIGURES'), i), 'w'); fputs(f, '<svg/>'); fclose(f);\nend",
        recursion: "function g()\n  g();\nend\ng()",
        division: "1 / 0",
        warning: "warning('careful')",
        moves: "cd('/usr');",
        stands: "printf('%s\\n', pwd());",
        locale: "setenv('LC_ALL', 'C');",
        kills: "kill(getpid(), 9);",
    },
    Words {
        language: "ruby",
        unended: "print 'a'; nil",
        between: "puts 'one'; $stderr.puts 'two'; puts 'three'",
        unicode: "puts 'é 🌱 漢'",
        five_megabytes: "puts 'x' * 5_000_000",
        syntax: "a = 1\nb = 2\nif then\n",
        in_function: "def f\n  raise 'bad'\nend\nf",
        exit_three: "exit 3",
        exit_between: "puts 'before'\nexit\nputs 'after'",
        child: "puts 'one'; system('echo child'); puts 'two'",
        background: "spawn('sleep 300'); puts 'there'",
        closes_stdout: "$stdout.close; nil",
        forever: "loop {}",
        reads: "puts \"got #{gets}\"; puts 'end' if gets.nil?; nil",
        figures: "200.times { |i| File.write(format('%s/%03d.svg', ENV['VINELOOM_FIGURES'], i), '<svg/>') }; nil",
        recursion: "def g = g()\ng",
        division: "1 / 0",
        warning: "warn 'careful'",
        moves: "Dir.chdir('/usr'); nil",
        stands: "puts Dir.pwd",
        locale: "ENV['LC_ALL'] = 'C'; nil",
        kills: "Process.kill(:KILL, Process.pid); sleep",
    },
];

fn around() -> Surroundings {
    Surroundings { variables: std::env::vars_os().collect(), ..Surroundings::default() }
}

/// A strand of one driver, started anew when a case has ended it.
struct Bench {
    language: &'static str,
    strand: Option<Strand>,
}

impl Bench {
    fn try_run(&mut self, code: &str, change: impl FnOnce(&mut BlockRun)) -> Result<Outcome, RunError> {
        let strand = self.strand.get_or_insert_with(|| {
            let languages = Languages::built_in();
            let language = languages.get(self.language).unwrap();
            let interpreter = Interpreter::find(self.language, language, &around()).unwrap();
            Strand::start(&interpreter, &around(), &std::env::temp_dir(), None).unwrap()
        });
        let mut block = BlockRun {
            label: "@0123456789".into(),
            code: code.into(),
            figures: FigureWishes { format: "svg".into(), ..FigureWishes::default() },
            time_limit: Duration::from_secs(240),
            output_limit: 16 << 20,
            ..BlockRun::default()
        };
        change(&mut block);
        let result = strand.run(&block, &Interrupt::default());
        if strand.ended() {
            self.strand = None;
        }
        result
    }

    fn run(&mut self, code: &str) -> Outcome {
        self.try_run(code, |_| {}).unwrap_or_else(|error| panic!("{} {code}: {error}", self.language))
    }
}

/// Text as it is, notices in `<>`, failures in `!!` with their line.
fn told(outcome: &Outcome) -> String {
    let part = |piece: &Piece| match piece {
        Piece::Text(text) => text.clone(),
        Piece::Notice(text) => format!("<{text}>"),
        Piece::Value { text, .. } => format!("={text}="),
        Piece::Failure { summary, at, .. } => {
            format!("!{}! {summary}", at.as_ref().map_or_else(String::new, |at| at.line.to_string()))
        }
        Piece::Statement(_) | Piece::Table(_) | Piece::Figure(_) => String::new(),
    };
    outcome.pieces.iter().map(part).collect()
}

fn is_shell(words: &Words) -> bool {
    ["sh", "bash"].contains(&words.language)
}

/// Runs one case for every driver, side by side.
fn each(case: impl Fn(&Words, &mut Bench) + Sync) {
    std::thread::scope(|scope| {
        for words in &DRIVERS {
            let case = &case;
            scope.spawn(move || case(words, &mut Bench { language: words.language, strand: None }));
        }
    });
}

#[test]
fn what_is_printed_comes_as_it_is_and_in_order() {
    each(|words, bench| {
        let name = words.language;
        assert_eq!(told(&bench.run(words.unended)), "a", "{name}");
        let between = if is_shell(words) { "one\ntwo\nthree\n" } else { "one\n<two\n>three\n" };
        assert_eq!(told(&bench.run(words.between)), between, "{name}");
        assert_eq!(told(&bench.run(words.unicode)).trim_end(), "é 🌱 漢", "{name}");
        assert_eq!(told(&bench.run(words.five_megabytes)).len(), 5_000_001, "{name}");
        let child = told(&bench.run(words.child));
        assert!(child.starts_with("one\nchild\ntwo\n"), "{name}: {child}");
        let warned =
            bench.try_run(words.warning, |block| block.streams = vineloom_interpreters::Streams::Separate).unwrap();
        let notice =
            warned.pieces.iter().find_map(|piece| if let Piece::Notice(text) = piece { Some(text) } else { None });
        assert!(notice.is_some_and(|text| text.contains("careful")), "{name}: {warned:?}");
        assert_eq!(warned.exit, 0, "{name}");
    });
}

#[test]
fn a_failure_has_its_line_and_leaves_the_strand_of_use() {
    each(|words, bench| {
        let name = words.language;
        let outcome = bench.run(words.syntax);
        assert_ne!(outcome.exit, 0, "{name}");
        let said = told(&outcome);
        let line = if is_shell(words) { "3" } else { "!3!" };
        assert!(said.contains(line), "{name}: {said}");
        let outcome = bench.run(words.in_function);
        assert_ne!(outcome.exit, 0, "{name}");
        let said = told(&outcome);
        assert!(
            is_shell(words) && said.contains("2: ") || said.contains("!2!") || said.contains("!4!"),
            "{name}: {said}"
        );
        let division = bench.try_run(words.division, |_| {}).unwrap();
        let said = told(&division);
        let known = ["ivision by", "divided by", "divide", "Inf", "arithmetic"];
        assert!(known.iter().any(|word| said.contains(word)), "{name}: {said}");
        let recursion = bench.run(words.recursion);
        assert_ne!(recursion.exit, 0, "{name}: {}", told(&recursion));
        assert_eq!(told(&bench.run(words.unended)), "a", "{name}");
    });
}

#[test]
fn an_exit_ends_the_block_with_its_code() {
    each(|words, bench| {
        let name = words.language;
        assert_eq!(bench.run(words.exit_three).exit, 3, "{name}");
        let outcome = bench.run(words.exit_between);
        assert_eq!((told(&outcome).trim_end(), outcome.exit), ("before", 0), "{name}");
        let killed = bench.run(words.kills);
        assert_eq!((killed.exit, killed.interpreter_ended), (137, true), "{name}");
        assert_eq!(told(&bench.run(words.unended)), "a", "{name}");
    });
}

#[test]
fn a_block_neither_waits_for_a_child_nor_loses_the_next_blocks_output() {
    each(|words, bench| {
        let name = words.language;
        let started = Instant::now();
        let there = told(&bench.run(words.background));
        assert!(there.contains("there"), "{name}: {there}");
        assert!(started.elapsed() < Duration::from_secs(200), "{name}");
        bench.run(words.closes_stdout);
        if words.language == "r" {
            bench.run("sink()");
        }
        assert_eq!(told(&bench.run(words.unicode)).trim_end(), "é 🌱 漢", "{name}");
    });
}

#[test]
fn input_is_what_the_block_was_given_and_ends() {
    each(|words, bench| {
        let name = words.language;
        for _ in 0..2 {
            let outcome = bench.try_run(words.reads, |block| block.stdin = Some("42".into())).unwrap();
            let said = told(&outcome).split_whitespace().collect::<Vec<_>>().join(" ");
            assert!(said.starts_with("got 42") && said.ends_with("end"), "{name}: {said}");
        }
        let started = Instant::now();
        let _ = bench.try_run(words.reads, |_| {});
        assert!(started.elapsed() < Duration::from_secs(200), "{name}");
    });
}

#[test]
fn what_never_ends_is_ended() {
    each(|words, bench| {
        let result = bench.try_run(words.forever, |block| block.time_limit = Duration::from_secs(3));
        assert!(matches!(result, Err(RunError::Ended { why: Ended::Time, .. })), "{}: {result:?}", words.language);
    });
}

#[test]
fn two_hundred_pictures_are_figures_in_order() {
    each(|words, bench| {
        let outcome = bench.run(words.figures);
        let figures = outcome.pieces.iter().filter(|piece| matches!(piece, Piece::Figure(_))).count();
        assert_eq!(figures, 200, "{}: {}", words.language, told(&outcome));
    });
}

#[test]
fn a_changed_folder_stays_changed_but_for_blocks_with_their_own() {
    each(|words, bench| {
        let name = words.language;
        bench.run(words.moves);
        assert_eq!(told(&bench.run(words.stands)).trim_end(), "/usr", "{name}");
        let elsewhere = bench.try_run(words.stands, |block| block.cwd = Some("/etc".into())).unwrap();
        assert_eq!(told(&elsewhere).trim_end(), "/etc", "{name}");
        assert_eq!(told(&bench.run(words.stands)).trim_end(), "/usr", "{name}");
        bench.run(words.locale);
        assert_eq!(told(&bench.run(words.unicode)).trim_end(), "é 🌱 漢", "{name}");
    });
}
