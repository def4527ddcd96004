//! Running in all its forms: sessions, transcripts, the scratch folder, interpreters of one's own, charts, and `run`.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, visible};

#[test]
fn a_terminal_session_shows_each_command_over_its_output() {
    let project = Project::with(
        "```console @s\n$ n=3; echo hello\nwhat was here before\n$ for i in 1 2; do\n>   echo \"line $i\"\n> done\n$ nothing_here\n$ echo last\n```\n\n\
         ```sh @t\necho n is $n\n```\n",
    );
    let said = project.run(&["run", "guide.vine.md"]);
    assert_eq!(said.code, 0, "{said:?}");
    let expected = "$ n=3; echo hello\nhello\n$ for i in 1 2; do\n>   echo \"line $i\"\n> done\nline 1\nline 2\n$ nothing_here\n\
                    sh: nothing_here: not found\n$ echo last\nlast\n";
    assert!(said.out.contains(expected), "{}", said.out);
    assert!(said.out.contains("n is 3"), "{}", said.out);
    assert!(!project.page().contains("what was here before"));
}

#[test]
fn a_transcript_shows_each_statement_over_its_output() {
    for (language, code, expected) in [
        (
            "python",
            "# two\nx = 2\nx * 21\nfor i in range(2):\n    print(i)",
            "# two\nx = 2\nx * 21\n42\nfor i in range(2):\n    print(i)\n0\n1\n",
        ),
        (
            "r",
            "x <- 2\nx * 21\nf <- function(a) {\n  a + 1\n}\nf(x)",
            "x <- 2\nx * 21\n[1] 42\nf <- function(a) {\n  a + 1\n}\nf(x)\n[1] 3\n",
        ),
        (
            "octave",
            "x = 2;\nx * 21\nfor i = 1:2\n  disp(i)\nend",
            "x = 2;\nx * 21\nans = 42\nfor i = 1:2\n  disp(i)\nend\n1\n2\n",
        ),
        (
            "javascript",
            "let x = 2;\nx * 21\nfunction f(a) {\n  return a + 1;\n}\n[1, 2]\n  .map(f)",
            "let x = 2;\nx * 21\n42\nfunction f(a) {\n  return a + 1;\n}\n[1, 2]\n  .map(f)\n[ 2, 3 ]\n",
        ),
    ] {
        let project = Project::with(&format!("```{language} @t transcript=yes\n{code}\n```\n"));
        let said = project.run(&["run", "guide.vine.md@t"]);
        assert_eq!(said.code, 0, "{said:?}");
        assert!(said.out.ends_with(expected), "{language}: {}", said.out);
    }
    let project = Project::with("```ruby @t transcript=yes\n1\n```\n");
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.err.contains("ruby blocks can't be shown as a transcript"), "{said:?}");
}

/// Names that a block gives to things of its own are its own affair, whatever the driver calls by them.
#[test]
fn a_block_may_use_the_names_of_the_language_for_its_own_things() {
    for (language, own, shows) in [
        (
            "python",
            "def print(*a): raise OSError\nlen = json = os = sys = request = run = place = str = list = 3",
            "[1, 2]",
        ),
        (
            "r",
            "wrong <- function(...) stop('masked')\nfor (name in c('cat', 'paste0', 'sprintf', 'parse', 'eval', 'vapply', 'flush', 'quoted', 'run', 'place', 'regmatches')) assign(name, wrong)\nT <- 0; request <- codes <- 3\nc <- length <- list <- switch <- is.null <- `[[` <- `+` <- wrong",
            "x <- 1:2\nx",
        ),
        (
            "ruby",
            "def place(*) = raise\ndef format(*) = raise\ndef table(*) = raise\ndef show(*) = raise\ndef p(*) = raise\nrequest = out = 3",
            "[1, 2]",
        ),
        (
            "javascript",
            "var fs = 1, path = 1, util = 1, vm = 1, request = 3, send = 4, place = 5, JSON = 6, Buffer = 7, String = 8;\nfunction writeAll() { throw 1 }",
            "[1, 2]",
        ),
        ("octave", "jsonencode = fputs = sprintf = stdout = numel = vineloom_run = request = code = 3;", "x = [1 2]"),
    ] {
        let project = Project::with(&format!(
            "```{language} @own\n{own}\n```\n\n```{language} @shows show=text\n{shows}\n```\n\n@[shows] probes.\n"
        ));
        let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
        assert_eq!(said.code, 0, "{language}: {said:?}");
        let woven = project.read("guide.md");
        assert!(woven.contains("1 and 2 probes") || woven.contains("1, 2 probes"), "{language}: {woven}");
    }
}

/// What a reader is told of a failure is the language's own words: nothing in it is of the driver that ran the block.
#[test]
fn a_failure_names_nothing_that_is_not_the_writers() {
    for (language, codes) in [
        ("python", ["nosuch", "1 + 'a'", "def f(): raise ValueError('x')\nf()"]),
        ("r", ["nosuch", "stop('x')", "f <- function() stop('x')\nf()"]),
        ("ruby", ["nosuch", "raise 'x'", "def f = raise('x')\nf"]),
        ("javascript", ["nosuch", "throw new Error('x')", "function f() { throw new Error('x') }\nf()"]),
        ("octave", ["nosuch", "error ('x')", "function f ()\n  error ('x');\nend\nf ()"]),
        ("bash", ["nosuch", "false", "f() { return 3; }\nf"]),
    ] {
        for code in codes {
            let project = Project::with(&format!("```{language} @a exit=any show=text,notices\n{code}\n```\n"));
            let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
            assert_eq!(said.code, 0, "{language}: {said:?}");
            let woven = project.read("guide.md");
            for foreign in ["vineloom", "VineLoom", "driver", "eval(", "expressions", "/tmp", "tryCatch", "TOPLEVEL"] {
                assert!(!woven.split("<!--").next().unwrap().contains(foreign), "{language}, {code}: {woven}");
            }
        }
    }
}

#[test]
fn the_scratch_folder_is_clean_at_each_weave_and_kept_for_later_blocks() {
    let project = Project::with(
        "```sh @make cwd=@scratch/deep\nls; pwd; echo data > made.txt\n```\n\n```python @use cwd=@scratch\nimport os\nprint(sorted(os.listdir('deep')), open('deep/made.txt').read())\n```\n",
    );
    let page = project.page();
    let shown = visible(&page).replace("&#39;", "'");
    assert!(shown.contains("/scratch/deep") && shown.contains("['made.txt'] data"), "{shown}");
    assert!(!project.exists("deep"));
    // The second block runs again on what the first one left, without it.
    let changed = project.read("guide.vine.md").replace("import os\n", "import os\n# again\n");
    project.write("guide.vine.md", changed);
    let said = project.weave();
    assert_eq!(project.states(&said), "make:kept use:ran", "{said:?}");
    assert!(project.read("guide.html").contains("made.txt"));
    // What it left is gone from the store: it is made again.
    std::fs::remove_dir_all(project.path(".vineloom/v1/objects")).unwrap();
    project.write("guide.vine.md", project.read("guide.vine.md").replace("# again", "# once more"));
    let said = project.weave();
    assert_eq!(project.states(&said), "make:ran use:ran", "{said:?}");
}

#[test]
fn a_driver_of_ones_own_keeps_the_state_of_its_language() {
    let project = Project::with(
        "+++\n[interpreters.perl]\ncommand = [\"perl\"]\ndriver = \"tools/perl-driver.pl\"\n+++\n\n\
         ```python @rows show=none\n[{\"plot\": \"North\", \"m\": 31}, {\"plot\": \"Low\", \"m\": 36}]\n```\n\n\
         ```perl @a with=\"rows=@rows\"\n$n = 4; print \"there are \" . @$rows . \"\\n\";\n```\n\n```perl @b\n$n * 2\n```\n\n\
         ```perl @c exit=any\n\ndie \"too dry\";\n```\n",
    );
    project.write("tools/perl-driver.pl", include_str!("data/perl-driver.pl"));
    let said = project.run(&["run", "guide.vine.md"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert!(
        said.out.contains("there are 2") && said.out.contains("\n8\n") && said.out.contains("too dry"),
        "{}",
        said.out
    );
    let said = project.run(&["run", "guide.vine.md@b", "--variables"]);
    assert!(said.out.contains("scalar    4"), "{said:?}");
    // The failure's line is the document's; a change of the driver runs the blocks again.
    project.write("guide.vine.md", project.read("guide.vine.md").replace(" exit=any", ""));
    let said = project.weave();
    assert!(said.code == 1 && said.err.contains("guide.vine.md:21:1"), "{said:?}");
    project.write("guide.vine.md", project.read("guide.vine.md").replace("@c\n", "@c exit=1\n"));
    assert_eq!(project.weave().code, 0);
    assert!(project.states(&project.weave()).contains("b:kept"));
    project.write("tools/perl-driver.pl", include_str!("data/perl-driver.pl").replace("# A driver", "# The driver"));
    assert!(project.states(&project.weave()).contains("b:ran"));
}

#[test]
fn an_interpreter_can_have_another_command_in_front() {
    let project = Project::with(
        "+++\n[interpreters.python]\ncommand = [\"env\", \"LAUNCHED=yes\", \"python3\"]\n[interpreters.shout]\ncommand = [\"tr\", \"a-z\", \"A-Z\"]\n\
         [interpreters.cat]\ncommand = [\"cat\"]\nextension = \"txt\"\n+++\n\n\
         ```python @a\nimport os\nos.environ.get('LAUNCHED')\n```\n\n```cat @b\nas it is\n```\n",
    );
    let said = project.run(&["run", "guide.vine.md"]);
    assert!(said.out.contains("'yes'") && said.out.contains("as it is"), "{said:?}");
    project.write(
        "bad.vine.md",
        "+++\n[interpreters.zig]\nextension = \"zig\"\n[interpreters.python]\ncomand = [\"x\"]\n+++\n\ntext\n",
    );
    let said = project.run(&["check", "bad.vine.md"]);
    assert!(said.err.contains("did you mean `command`?"), "{said:?}");
    assert!(said.err.contains("[interpreters.zig]"), "{said:?}");
}

#[test]
fn a_part_of_a_document_is_run_and_shown() {
    let project = Project::with(
        "```sh @a\necho one; x=1\n```\n```sh @b\necho two $x\n```\n```python @c\n3\n```\n```sh @d\necho four\n```\n",
    );
    let shown = |arguments: &[&str]| {
        let said = project.run(arguments);
        assert_eq!(said.code, 0, "{said:?}");
        said.out.lines().filter(|line| !line.starts_with('@')).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(shown(&["run", "guide.vine.md", "--through", "b"]), "one two 1");
    assert_eq!(shown(&["run", "guide.vine.md", "--only", "c,b"]), "3 two 1");
    assert_eq!(shown(&["run", "guide.vine.md@d"]), "four");
    let said = project.run(&["run", "guide.vine.md", "--through", "e"]);
    assert_eq!(said.code, 2);
}

#[test]
fn the_variables_of_a_state_are_shown_in_every_language_that_keeps_one() {
    for (language, code, name, value) in [
        ("sh", "count=3", "count", "3"),
        ("bash", "count=3; f() { :; }", "count", "3"),
        ("python", "import os\ncount = [1, 2, 3]\ndef f(): pass", "count", "[1, 2, 3]"),
        ("r", "count <- c(1, 2)\nf <- function() 1", "count", "num [1:2] 1 2"),
        ("javascript", "const count = { a: 1 };\nfunction f() {}", "count", "{ a: 1 }"),
        ("octave", "count = [1 2 3];", "count", "1 2 3"),
        ("ruby", "count = { a: 1 }; nil", "count", "{:a=>1}"),
    ] {
        let project = Project::with(&format!("```{language} @a\n{code}\n```\n"));
        let said = project.run(&["run", "guide.vine.md@a", "--variables"]);
        let lines: Vec<&str> = said.out.lines().collect();
        assert_eq!(lines[0], "after @a: 1 variable", "{language}: {said:?}");
        assert!(lines[1].starts_with(name) && lines[1].ends_with(value), "{language}: {said:?}");
    }
    let project = Project::with("```awk @a\nBEGIN { print 1 }\n```\n");
    let said = project.run(&["run", "guide.vine.md@a", "--variables"]);
    assert!(said.out.contains("there is no state to look at"), "{said:?}");
}

#[test]
fn what_a_block_prints_is_read_as_html_or_json_when_it_says_so() {
    let project = Project::with(
        "```python @h as=html\nimport os\nprint(f'<i id=\"{os.environ[\"VINELOOM_ID\"]}\">drawn</i>')\n```\n\n```sh @j as=json\necho '{\"a\":[1,2]}'\n```\n\n\
         ```sh @bad as=text\nprintf '\\033[31m<b>red</b>\\033[0m'\n```\n",
    );
    let page = project.page();
    assert!(page.contains("<i id=\"h-drawing\">drawn</i>"), "{page}");
    assert!(page.contains("<span class=\"ink-red\">&lt;b&gt;red&lt;/b&gt;</span>"), "{page}");
    assert!(page.contains("language-json"));
    project.write("guide.vine.md", "```sh @j as=json\necho nothing\n```\n");
    let said = project.weave();
    assert!(said.code == 1 && said.err.contains("what the block printed is not JSON"), "{said:?}");
}

#[test]
fn long_tables_are_cut_unless_all_is_wanted() {
    let code = "print('n,square')\nfor i in range(100):\n    print(f'{i},{i * i}')";
    let rows = |options: &str| {
        let project = Project::with(&format!("```python @a as=table {options}\n{code}\n```\n"));
        let page = project.page();
        (page.matches("<tr>").count() - 1, page.contains("rows left out"))
    };
    assert_eq!(rows(""), (25, true));
    assert_eq!(rows("trim=none"), (100, false));
    assert_eq!(rows("trim=3"), (3, true));
}

#[test]
fn a_chart_draws_a_result_or_a_file_and_says_what_it_can_not() {
    let project = Project::with(
        "```python @rows\n[{\"day\": f\"2026-06-0{d}\", \"m\": 30 - d} for d in range(1, 6)]\n```\n\n\
         ```chart @c caption=\"Drying\"\ndata = \"@rows\"\nx = \"day\"\ny = \"m\"\n```\n\n```chart @f\ndata = \"a.csv\"\nkind = \"bar\"\nx = \"site\"\ny = \"n\"\n```\n",
    );
    project.write("a.csv", "site,n\nA,1\nB,2\n");
    let page = project.page();
    assert_eq!(page.matches("<img src=\"data:image/svg+xml").count(), 2);
    project.write("a.csv", "site,n\nA,1\nB,3\n");
    assert_eq!(project.states(&project.weave()), "rows:kept c:kept f:ran");
    project.write("guide.vine.md", project.read("guide.vine.md").replace("x = \"day\"", "x = \"dy\""));
    let said = project.weave();
    assert!(
        said.code == 1 && said.err.contains("guide.vine.md:7:1") && said.err.contains("did you mean `day`?"),
        "{said:?}"
    );
    project.write("guide.vine.md", project.read("guide.vine.md").replace("\"@rows\"", "\"@row\""));
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.err.contains("there is no block `@row`") && said.err.contains("did you mean `@rows`?"), "{said:?}");
}

#[test]
fn on_a_terminal_a_document_that_is_run_shows_what_ran_and_counts_what_was_kept() {
    let project = Project::with("```python @one\nprint('from one')\n```\n\n```python @two\nprint('from two')\n```\n");
    let on_terminal = |arguments: &str| {
        let program = project.command(&[]).get_program().to_string_lossy().into_owned();
        let mut command = std::process::Command::new("script");
        command.args(["-qec", &format!("{program} run {arguments}"), "/dev/null"]).current_dir(project.path(""));
        support::said(&command.output().unwrap()).out
    };
    assert!(on_terminal("guide.vine.md").contains("from one"));
    project.write("guide.vine.md", project.read("guide.vine.md").replace("print('from two')", "print('from three')"));
    let told = on_terminal("guide.vine.md");
    assert!(!told.contains("from one") && told.contains("from three"), "{told}");
    assert!(told.contains("2 blocks: 1 ran, 1 kept; --kept shows those too"), "{told}");
    assert!(on_terminal("guide.vine.md --kept").contains("from one"));
    assert!(on_terminal("guide.vine.md@one").contains("from one"));
    // What is read by a program is the same whatever was kept.
    assert!(project.run(&["run", "guide.vine.md"]).out.contains("from one"));
}
