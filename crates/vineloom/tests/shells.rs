//! Shells: blocks and sessions that end at their first failure, commands that say how they end, defaults that sessions
//! share with their shell; and the identifier that every block of every language finds in its environment.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

#[test]
fn a_block_that_stops_ends_at_its_first_failing_command() {
    for shell in ["sh", "bash"] {
        for (code, seen, exit) in [
            ("echo one\nfalse\necho two\n", "one", 1),
            ("f() { echo in; (exit 4); echo behind; }\nf\necho two\n", "in", 4),
            ("cat /nosuch 2> /dev/null\necho two\n", "", 1),
            ("for n in 1 2 3; do echo $n; [ $n = 2 ] && (exit 7); done\necho two\n", "1\n2", 7),
        ] {
            let project = Project::with(&format!(
                "```{shell} @a stop=yes exit={exit}\n{code}```\n\n```{shell} @b\nfalse\necho on\n```\n"
            ));
            let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
            assert_eq!(said.code, 0, "{shell} {code}: {said:?}");
            let text = project.read("guide.md");
            let output = if seen.is_empty() { String::new() } else { format!("```text\n{seen}\n```") };
            assert!(text.contains(&output) && !text.contains("text\ntwo"), "{shell} {code}: {text}");
            assert!(text.contains("```text\non\n```"), "the next block does not stop: {text}");
        }
        // What is no failure for `set -e` is none here.
        let project = Project::with(&format!(
            "```{shell} @a stop=yes\nif false; then :; fi\nfalse || echo or\n! true\necho end\n```\n\n```{shell} @b\nfalse\necho later\n```\n"
        ));
        let said = project.run(&["run", "guide.vine.md"]);
        assert!(said.code == 0 && said.out.contains("or\nend\n") && said.out.contains("later"), "{shell}: {said:?}");
    }
}

#[test]
fn a_session_stops_and_its_commands_say_how_they_end() {
    let session = "$ echo one\n$ false  # @exit=1\n$ echo $?\n$ (exit 9) # @exit=any\n$ echo \"code $?\"\n$ ls /nosuch 2>&1 | wc -l\n";
    let project =
        Project::with(&format!("```console @a stop=yes\n{session}```\n\n```sh @b\nexit_code=x; echo on\n```\n"));
    let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    let text = project.read("guide.md");
    assert!(!text.contains("@exit"), "what is said of a command is not shown: {text}");
    for shown in ["$ false\n", "$ echo $?\n1\n", "code 9\n"] {
        assert!(text.replace("```\n\n```text\n", "").contains(shown), "{shown}: {text}");
    }
    for (session, why) in [
        ("$ false\n$ echo behind\n", "exit code 1"),
        ("$ true # @exit=1\n$ echo behind\n", "this command ended with exit code 0, not with 1"),
        ("$ (exit 3) # @exit=2\n$ echo behind\n", "this command ended with exit code 3, not with 2"),
        ("$ echo last\n$ false\n", "exit code 1"),
    ] {
        let project = Project::with(&format!("```console @a stop=yes\n{session}```\n"));
        let said = project.weave();
        assert!(said.code == 1 && said.err.contains(why), "{session}: {said:?}");
        assert!(!said.err.contains("\n    behind"), "{session}: {said:?}");
    }
    // Without `stop` a session goes on, and an exit code that is asked for is that of the command before.
    let project = Project::with("```console @a\n$ false\n$ echo \"was $?\"\n$ true # @exit=0\n```\n");
    let said = project.run(&["run", "guide.vine.md"]);
    assert!(said.code == 0 && said.out.contains("was 1"), "{said:?}");
    let last = Project::with("```console @a\n$ false # @exit=1\n```\n");
    assert_eq!(last.weave().code, 0);
}

#[test]
fn a_session_takes_the_defaults_of_its_shell() {
    let project = Project::with(
        "+++\n[defaults.sh]\nstop = true\nenv = [\"FIELD=north\"]\n[defaults.console]\nprefix = \"| \"\n+++\n```console @a\n$ echo $FIELD\n$ false\n$ echo behind\n```\n",
    );
    let said = project.weave();
    assert!(said.code == 1 && said.err.contains("north") && !said.err.contains("\n    behind"), "{said:?}");
    project.write("guide.vine.md", project.read("guide.vine.md").replace("$ false", "$ true"));
    assert!(project.page().contains("| north"));
    let bash = "+++\n[interpreters.console]\ncommand = [\"bash\"]\nshares = \"bash\"\n[defaults.bash]\nenv = [\"FIELD=south\"]\n[defaults.sh]\nenv = [\"FIELD=north\"]\n+++\n```console @a\n$ echo $FIELD\n```\n";
    project.write("guide.vine.md", bash);
    assert!(project.page().contains("south"));
}

#[test]
fn the_starters_stop_at_the_first_failure() {
    for starter in ["guide", "report"] {
        let project = Project::new();
        assert_eq!(project.run(&["new", "guide.vine.md", "--from", starter, "--title", "T", "--author", "A"]).code, 0);
        project.write("guide.vine.md", project.read("guide.vine.md") + "\n```sh @own\nfalse\necho behind\n```\n");
        let said = project.weave();
        assert!(said.code == 1 && said.err.contains("@own"), "{starter}: {said:?}");
    }
}

/// A block of each language that prints what `$VINELOOM_ID` is for it.
const IDENTIFIERS: [(&str, &str); 10] = [
    ("sh", "echo \"<i id=$VINELOOM_ID>\""),
    ("bash", "echo \"<i id=$VINELOOM_ID>\""),
    ("python", "import os; print(f'<i id={os.environ[\"VINELOOM_ID\"]}>')"),
    ("r", "cat(sprintf('<i id=%s>', Sys.getenv('VINELOOM_ID')))"),
    ("javascript", "console.log(`<i id=${process.env.VINELOOM_ID}>`)"),
    ("octave", "printf('<i id=%s>', getenv('VINELOOM_ID'))"),
    ("ruby", "puts \"<i id=#{ENV['VINELOOM_ID']}>\""),
    ("perl", "print \"<i id=$ENV{VINELOOM_ID}>\""),
    ("lua", "print('<i id=' .. os.getenv('VINELOOM_ID') .. '>')"),
    ("awk", "BEGIN { print \"<i id=\" ENVIRON[\"VINELOOM_ID\"] \">\" }"),
];

#[test]
fn every_block_has_an_identifier_of_its_own() {
    let mut text = String::new();
    for (language, code) in IDENTIFIERS {
        text.push_str(&format!("```{language} @{language} as=html show=text\n{code}\n```\n\n"));
    }
    let page = Project::with(&text).page();
    for (language, _) in IDENTIFIERS {
        assert!(page.contains(&format!("<i id={language}-drawing>")), "{language}: {page}");
    }
}

#[test]
fn a_helper_that_is_defined_elsewhere_finds_the_identifier_of_the_block_that_runs() {
    let helper = "```python @setup show=none\nimport os\ndef draw():\n    print(f'<i id={os.environ[\"VINELOOM_\" + \"ID\"]}>')\n```\n\n";
    let uses =
        "```python @one as=html show=text\ndraw()\n```\n\n```python @two as=html show=text\ndraw(); draw()\n```\n\n";
    let shell = "```sh @shell-setup show=none\ndraw() { echo \"<b id=$VINELOOM_ID>\"; }\n```\n\n```sh @three as=html show=text\ndraw\n```\n";
    let project = Project::with(&format!("{helper}{uses}{shell}"));
    let page = project.page();
    for id in ["<i id=one-drawing>", "<i id=two-drawing>", "<b id=three-drawing>"] {
        assert!(page.contains(id), "{id}: {page}");
    }
    // Placed twice, each place has one of its own.
    project.write("guide.vine.md", project.read("guide.vine.md") + "\n![](@one)\n\n![](@one)\n");
    let page = project.page();
    assert!(page.contains("<i id=one-drawing>") && page.contains("<i id=one-drawing-2>"), "{page}");
}
