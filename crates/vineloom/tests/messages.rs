//! What is said when something is wrong: one mistake a document, the whole message.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

/// The message for a document with a mistake in it, which must end the weave with `code`.
fn message(text: &str, code: i32) -> String {
    let project = Project::with(text);
    let said = project.weave();
    assert_eq!(said.code, code, "{said:?}");
    assert!(!project.exists("guide.html"), "no page is made");
    said.err.trim_end().to_string()
}

#[track_caller]
fn says(text: &str, wanted: &str) {
    assert_eq!(message(text, 1), wanted.trim_matches('\n'), "for the document:\n{text}");
}

#[test]
fn bad_toml() {
    says(
        "+++\ntitle = Probe\n+++\n",
        r#"
error: the front matter can't be read: invalid string, expected `"`, `'`
 --> guide.vine.md:2:9
  |
2 | title = Probe
  |         ^
  |
  = help: texts stand in quotes: `title = "Probe"`"#,
    );
}

#[test]
fn front_matter_never_closed() {
    says(
        "+++\ntitle = \"x\"\n\nText.\n",
        r"
error: the front matter is opened here and never closed
 --> guide.vine.md:1:1
  |
1 | +++
  | ^^^
  |
  = help: put a line `+++` after the last line of the settings",
    );
}

#[test]
fn unknown_option() {
    says(
        "```sh @a fodl=open\n:\n```\n",
        r"
error: there is no option `fodl`
 --> guide.vine.md:1:10
  |
1 | ```sh @a fodl=open
  |          ^^^^
  |
  = help: did you mean `fold`? It takes one of no, open, closed.",
    );
}

#[test]
fn a_value_an_option_cannot_take() {
    says(
        "```sh @a show=everything\n:\n```\n",
        r"
error: `show` can't be set to `everything`
 --> guide.vine.md:1:15
  |
1 | ```sh @a show=everything
  |               ^^^^^^^^^^
  |
  = help: `show` takes a list of code, text, notices, figures, tables; or all, or none",
    );
}

#[test]
fn a_name_used_twice_shows_both_places() {
    says(
        "```sh @a\n:\n```\n\n```python @a\n```\n",
        r"
error: the name `@a` is used twice
 --> guide.vine.md:5:11
  |
1 | ```sh @a
  |       -- used here first
...
5 | ```python @a
  |           ^^ used again here
  |
  = help: give one of them another name: names are unique in a document",
    );
}

#[test]
fn an_unknown_name() {
    says(
        "```sh @daily-mean\n:\n```\n\nIt is @[daily-maen].\n",
        r"
error: nothing is called `@daily-maen`
 --> guide.vine.md:5:7
  |
5 | It is @[daily-maen].
  |       ^^^^^^^^^^^^^
  |
  = help: did you mean `@daily-mean`?",
    );
}

#[test]
fn a_fence_never_closed() {
    says(
        "Text.\n\n```sh @a\necho 1\n",
        r"
error: this fenced block is opened here and never closed
 --> guide.vine.md:3:1
  |
3 | ```sh @a
  | ^^^^^^^^
  |
  = help: put a line ``` after the last line of its code",
    );
}

#[test]
fn a_failing_python_block_is_placed_at_its_line() {
    let said = message("# T\n\n```python @mean\nvalues = []\nsum(values) / len(values)\n```\n", 1);
    assert!(
        said.starts_with("error: @mean failed: ZeroDivisionError: division by zero\n --> guide.vine.md:5:1\n"),
        "{said}"
    );
    assert!(said.contains("5 | sum(values) / len(values)\n  | ^^^^^^^^^^^^^^^^^^^^^^^^^"), "{said}");
    assert!(said.contains("File \"guide.vine.md\", line 5, in <module>"), "{said}");
    assert!(said.contains("add `exit=1` to its fence line"), "{said}");
}

#[test]
fn a_failing_shell_block_is_placed_at_its_line() {
    for shell in ["sh", "bash"] {
        let said = message(&format!("```{shell} @fetch\necho one\nno_such_command\n```\n"), 1);
        assert!(said.starts_with("error: @fetch ended with exit code 127\n --> guide.vine.md:3:1\n"), "{said}");
        assert!(said.contains("not found") && !said.contains("/tmp"), "{said}");
    }
}

#[test]
fn a_failure_in_a_function_of_an_earlier_block_is_placed_there() {
    let said = message("```python @f\ndef f():\n    return nothing\n```\n\n```python @call\nf()\n```\n", 1);
    assert!(said.contains("@call failed: NameError") && said.contains("guide.vine.md:3:5"), "{said}");
}

#[test]
fn a_missing_interpreter_is_named_with_the_way_to_install_it() {
    let project = Project::with(
        "+++\n[interpreters.python]\ncommand = [\"python-that-is-not-there\"]\n+++\n```python @a\n1\n```\n",
    );
    let said = project.weave();
    assert_eq!(said.code, 1);
    assert!(
        said.err.contains("`python-that-is-not-there`, which runs python blocks, is not installed"),
        "{}",
        said.err
    );
    assert!(said.err.contains("correct `command` in its table"), "{}", said.err);
}

#[test]
fn an_unknown_language() {
    let said = message("```pyhton @a\n1\n```\n", 1);
    assert!(said.contains("no interpreter is known for the language `pyhton`"), "{said}");
    assert!(said.contains("did you mean `python`?"), "{said}");
}

#[test]
fn a_block_over_its_time_limit() {
    let said = message("```sh @slow time-limit=5s\necho started\nsleep 300\n```\n", 1);
    assert!(said.contains("@slow ran longer than its time limit of 5 s and was ended"), "{said}");
    assert!(said.contains("time-limit=5min") && said.contains("    started"), "{said}");
}

#[test]
fn a_block_that_floods() {
    let said = message("```python @flood\nprint('y' * 20_000_000)\n```\n", 1);
    assert!(said.contains("@flood printed more than its output limit and was ended"), "{said}");
    assert!(said.contains("output-limit="), "{said}");
    assert!(said.len() < 5_000, "the message is short");
}

#[test]
fn a_block_that_waits_for_input() {
    let said = message("```python @ask\nname = input()\n```\n", 1);
    assert!(said.contains("EOFError") && said.contains("give it text with `stdin="), "{said}");
}

#[test]
fn a_missing_package() {
    let said = message("```python @a\nimport no_such_package_of_ours\n```\n", 1);
    assert!(said.contains("-m pip install no_such_package_of_ours"), "{said}");
}

#[test]
fn an_interpreter_that_dies() {
    let said = message("```python @a\nimport os, signal\nos.kill(os.getpid(), signal.SIGKILL)\n```\n", 1);
    assert!(said.contains("the interpreter of @a was ended by signal 9 (KILL)"), "{said}");
}

#[test]
fn a_folder_or_a_figure_that_is_not_there() {
    let said = message("```sh @a cwd=nope\n:\n```\n", 1);
    assert!(said.contains("there is no folder") && said.contains("= help: `cwd` names a folder"), "{said}");
    let said = message("```sh @a figure=nope.png\n:\n```\n", 1);
    assert!(said.contains("left no picture") && said.contains("= help: `figure` names a picture"), "{said}");
}

#[test]
fn text_that_is_no_table() {
    let said = message("```sh @a as=table\nprintf 'a,b\\n1,2,3\\n'\n```\n", 1);
    assert!(said.contains("not a table: row 1 has 3 cells where the heading has 2"), "{said}");
}

#[test]
fn a_reference_to_what_has_no_number() {
    let said = message("```sh @a\necho 1\n```\n\nSee [](@a).\n", 1);
    assert!(said.contains("`@a` has no number to refer to") && said.contains("give it a caption"), "{said}");
}

#[test]
fn a_picture_that_is_not_there() {
    let said = message("![A probe](probe.png)\n", 1);
    assert!(said.contains("the picture probe.png is not there"), "{said}");
    let project = Project::with("![A probe](probe.png)\n");
    project.write("probe.png", "not a picture");
    let said = project.weave();
    assert_eq!(said.code, 1);
    assert!(said.err.contains("the picture probe.png is not a picture"), "{}", said.err);
}

#[test]
fn all_mistakes_are_shown_at_once() {
    let said = message("+++\ntitel = \"x\"\n+++\n```sh @a fodl=open\n:\n```\n@[b]\n", 1);
    assert_eq!(said.matches("error: ").count(), 3, "{said}");
}

#[test]
fn a_document_that_is_not_there_or_not_text() {
    let project = Project::with("x\n");
    let said = project.run(&["weave", "giude.vine.md"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("there is no document giude.vine.md") && said.err.contains("did you mean guide.vine.md?"),
        "{}",
        said.err
    );
    project.write("guide.vine.md", b"fine\nnot \xff fine\n");
    let said = project.weave();
    assert_eq!(said.code, 2);
    assert!(said.err.contains("guide.vine.md, line 2: byte 5 of line 2 is not UTF-8 (0xFF)"), "{}", said.err);
    assert_eq!(project.run(&["weave", "."]).code, 2);
}

#[test]
fn wrong_use_ends_with_2() {
    let project = Project::new();
    assert_eq!(project.run(&["weave"]).code, 2);
    assert_eq!(project.run(&["waeve", "x"]).code, 2);
    let said = project.run(&["weave", "--to", "htlm", "x"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("did you mean `html`? The formats are html, pdf"), "{}", said.err);
    for (word, meant) in [
        ("PDF", "pdf"),
        ("md", "markdown"),
        (".docx", "docx"),
        ("slides", "deck"),
        ("tex", "latex"),
        ("ipynb", "notebook"),
    ] {
        let said = project.run(&["weave", "--to", word, "x"]);
        assert!(said.code == 2 && said.err.contains(&format!("did you mean `{meant}`?")), "{word}: {}", said.err);
    }
}

#[test]
fn a_wrong_key_says_where_it_belongs() {
    let said = message("+++\nnumbered = true\n+++\n", 1);
    assert!(said.contains("`numbered` belongs in the table `[export]`"), "{said}");
    let said = message("+++\n[block.cuont]\nalt = \"x\"\n+++\n```sh @count\n:\n```\n", 1);
    assert!(said.contains("did you mean `[block.count]`?"), "{said}");
    let said = message("+++\n[export]\nto = [\"htlm\"]\n+++\n", 1);
    assert!(said.contains("there is no format `htlm`") && said.contains("did you mean `html`?"), "{said}");
}

#[test]
fn a_failure_in_a_library_shows_where_the_text_uses_it() {
    let callable = "```python @half takes=\"n=2\"\nprint(1 / n)\n```\n";
    let library = format!("{callable}\n```python @third\nopen('nosuch.csv')\n```\n");
    for (library, used, block, words) in [
        (callable, "@[half(n=0)]", "lib.vine.md:2:1", "it is used here"),
        (&library, "@[third]", "lib.vine.md:6:1", "it is used here"),
        (&library, "@[half(n=3)]", "lib.vine.md:6:1", "its library is used here"),
    ] {
        let project = Project::with(&format!("+++\nlibrary = [\"lib.vine.md\"]\n+++\n\nIt is {used}.\n"));
        project.write("lib.vine.md", library);
        let said = project.weave();
        assert_eq!(said.code, 1, "{said:?}");
        assert!(said.err.contains(block) && said.err.contains("guide.vine.md:5:7"), "{said:?}");
        assert!(said.err.contains(words), "{said:?}");
    }
}

#[test]
fn a_name_in_a_script_that_stands_over_no_code_is_told() {
    let project = Project::new();
    project.write(
        "tide.py",
        "#~ Wiring.\n#~\n#~ @count show=none\n\n#~ More, by @ines and others.\n#~ @level\nx = 1\n#~ @last\n",
    );
    let said = project.run(&["check", "tide.py"]);
    assert!(said.err.contains("`@count show=none` names no code") && said.err.contains("tide.py:3:4"), "{said:?}");
    assert!(said.err.contains("`@last` names no code") && said.err.contains("tide.py:8:4"), "{said:?}");
    assert_eq!(said.err.matches("error: ").count(), 2, "{said:?}");
}

#[test]
fn many_findings_of_a_long_document_are_told_without_reading_it_for_each() {
    let links: String =
        (0..3_000).map(|n| format!("See [the file](data/{n}.csv) of it.\n\nA line between.\n\n")).collect();
    let project = Project::with(&format!("+++\ntitle = \"T\"\n+++\n{links}"));
    let started = std::time::Instant::now();
    let said = project.run(&["check", "guide.vine.md"]);
    assert_eq!(said.err.matches("leads to a file that is not there").count(), 3_000);
    assert!(said.err.contains("guide.vine.md:12000:5\n") && said.err.contains("12000 | See [the file](data/2999.csv)"));
    // Where the whole text is gone through for each, it is a minute.
    assert!(started.elapsed().as_secs() < 20, "{:?}", started.elapsed());
}
