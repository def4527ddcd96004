//! One document for many readers: parameters with what they may be, a weave for each row of a table, the steps after.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::process::Stdio;
use support::{Project, Said, said};

const DOCUMENT: &str = r#"+++
title = "Soil moisture for @[grower]"
[parameters]
grower = { default = "Calloway", allowed = ["Calloway", "Wren", "Adeyemi"], about = "Whose field it is" }
depth-cm = { default = 30, allowed = [10, 30] }
+++

```sh @common
echo measured
```

```sh @own strand=own
echo "field of @[grower], @[depth-cm] cm"
```
"#;

const STEPS: &str = "[after]\nrun = [[\"sh\", \"-c\", \"printf '%s|' \\\"$VINELOOM_ROW_E_MAIL\\\" $VINELOOM_EXPORTS >> sent\"]]\n+++\n\n```";

fn with_steps() -> String {
    DOCUMENT.replacen("+++\n\n```", STEPS, 1)
}

/// How often a block ran.
fn runs(said: &Said, block: &str) -> usize {
    said.out.lines().filter(|line| line.contains(block) && line.contains(" ran ")).count()
}

#[test]
fn a_parameter_is_one_of_what_it_may_be() {
    let project = Project::with(DOCUMENT);
    let said = project.run(&["weave", "guide.vine.md", "--set", "grower=wren"]);
    assert_eq!(said.code, 1, "{said:?}");
    assert!(said.err.contains("did you mean `Wren`? It is one of Calloway, Wren, Adeyemi"), "{said:?}");
    let said = project.run(&["weave", "guide.vine.md", "--set", "depth-cm=20"]);
    assert!(said.code == 1 && said.err.contains("it is one of 10, 30"), "{said:?}");
    assert_eq!(project.run(&["weave", "guide.vine.md", "--set", "depth-cm=10"]).code, 0);
    for (written, expected) in [
        ("{ allowed = [1] }", "has no default"),
        ("{ default = 1, allowed = [\"a\"] }", "`allowed` holds \"a\""),
        ("{ default = 3, allowed = [1, 2] }", "is none of what it may be"),
        ("{ default = 1, alowed = [1] }", "did you mean `allowed`?"),
        ("{ default = 1, about = 2 }", "`about` takes a text in quotes"),
    ] {
        let project = Project::with(&format!("+++\n[parameters]\np = {written}\n+++\n@[p]\n"));
        let said = project.weave();
        assert!(said.code == 1 && said.err.contains(expected), "{written}: {said:?}");
    }
    let list = Project::with("+++\n[parameters]\np = { default = [\"a\"], allowed = [\"a\", \"b\"] }\n+++\n@[p]\n");
    assert_eq!(list.run(&["weave", "guide.vine.md", "--set", "p=b,a"]).code, 0);
    assert_eq!(list.run(&["weave", "guide.vine.md", "--set", "p=b,c"]).code, 1);
}

#[test]
fn each_row_has_its_exports_and_what_rows_share_runs_once() {
    let project = Project::with(DOCUMENT);
    project.write("readers.csv", "grower,depth-cm,e-mail\nCalloway,10,a@b\nWren,,c@d\nAdeyemi,30,e@f\n");
    let said = project.run(&["weave", "guide.vine.md", "--each", "readers.csv", "--to", "html,text", "--jobs", "4"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert!(said.err.contains("the column e-mail of readers.csv is no parameter"), "{said:?}");
    for (name, text) in [
        ("guide-Calloway", "field of Calloway, 10 cm"),
        ("guide-Wren", "field of Wren, 30 cm"),
        ("guide-Adeyemi", "field of Adeyemi, 30 cm"),
    ] {
        assert!(project.read(&format!("{name}.html")).contains(text), "{name}");
        assert!(project.read(&format!("{name}.txt")).contains(text), "{name}");
    }
    assert!(!project.exists("guide.html"));
    assert_eq!((runs(&said, "@common"), runs(&said, "@own")), (1, 3), "{said:?}");
    // Each row has a past of its own: nothing is told as moved or changed, and nothing runs.
    let again = project.run(&["weave", "guide.vine.md", "--each", "readers.csv", "--to", "html,text", "--all-kept"]);
    assert!(again.code == 0 && !again.err.contains("warning"), "{again:?}");
    let named = project.run(&["weave", "guide.vine.md", "--each", "readers.csv", "--name", "@[e-mail] @[depth-cm]"]);
    assert_eq!(named.code, 0, "{named:?}");
    assert!(project.exists("a-b 10.html") && project.exists("c-d 30.html"), "an empty cell is the parameter's value");
}

#[test]
fn rows_that_can_not_be_woven_are_told_and_keep_nobody_back() {
    let project = Project::with(DOCUMENT);
    project.write("readers.csv", "grower\nCalloway\nWrem\nAdeyemi\n");
    let said = project.run(&["weave", "guide.vine.md", "--each", "readers.csv"]);
    assert_eq!(said.code, 1, "{said:?}");
    assert!(said.err.contains("can't be set to `Wrem`") && said.err.contains("did you mean `Wren`?"), "{said:?}");
    assert!(project.exists("guide-Calloway.html") && project.exists("guide-Adeyemi.html"), "{said:?}");
    project.write("twice.csv", "grower,depth-cm\nWren,10\nWren,30\n");
    let said = project.run(&["weave", "guide.vine.md", "--each", "twice.csv"]);
    assert!(said.code == 1 && said.err.contains("`--name`"), "{said:?}");
    for (arguments, expected) in [
        (vec!["--each", "nosuch.csv"], "there is no table nosuch.csv"),
        (vec!["--each", "readers.csv", "--name", "@[growr]"], "did you mean `@[grower]`?"),
        (vec!["--each", "readers.csv", "--name", "../@[grower]"], "is no pattern for names of files"),
    ] {
        let said = project.run(&[vec!["weave", "guide.vine.md"], arguments].concat());
        assert!(said.code == 2 && said.err.contains(expected), "{said:?}");
    }
}

/// Runs the program with a folder of its own for what its user agreed to.
fn weave_as_newcomer(project: &Project, arguments: &[&str]) -> Said {
    let arguments = [&["weave", "guide.vine.md"], arguments].concat();
    let mut command = project.command(&arguments);
    said(&command.env("XDG_DATA_HOME", project.path("data")).stdin(Stdio::null()).output().unwrap())
}

#[test]
fn steps_run_when_all_is_written_and_only_for_who_agreed() {
    let project = Project::with(&with_steps());
    project.write("readers.csv", "grower,e-mail\nCalloway,a@b\nWren,c@d\n");
    let rows = ["--each", "readers.csv"];
    let said = weave_as_newcomer(&project, &rows);
    assert!(said.code == 1 && said.err.contains("nobody agreed to them") && said.err.contains("--trust"), "{said:?}");
    assert!(
        !project.exists("sent") && project.exists("guide-Wren.html"),
        "the exports are there, and nothing was sent"
    );
    assert_eq!(weave_as_newcomer(&project, &[&rows[..], &["--no-after"]].concat()).code, 0);
    let said = weave_as_newcomer(&project, &[&rows[..], &["--trust"]].concat());
    assert!(said.code == 0 && said.out.contains("after weaving  sh -c"), "{said:?}");
    let path = |name: &str| std::fs::canonicalize(project.path(name)).unwrap().display().to_string();
    let sent = format!("a@b|{}|c@d|{}|", path("guide-Calloway.html"), path("guide-Wren.html"));
    let written = project.read("sent").replace(&project.path("").display().to_string(), "");
    assert!(project.read("sent") == sent || sent.ends_with(&written), "{written}");
    // It is remembered, for these very steps.
    assert_eq!(weave_as_newcomer(&project, &rows).code, 0);
    project.write("guide.vine.md", with_steps().replace("sent", "elsewhere"));
    assert_eq!(weave_as_newcomer(&project, &rows).code, 1);
    assert!(!project.exists("elsewhere"));
    // A row that fails keeps every step back.
    project.write("readers.csv", "grower,e-mail\nCalloway,a@b\nNobody,c@d\n");
    assert_eq!(weave_as_newcomer(&project, &[&rows[..], &["--trust"]].concat()).code, 1);
    assert!(!project.exists("elsewhere"));
}

#[test]
fn a_step_that_fails_is_told_and_stops_those_behind_it() {
    let after = "[after]\nrun = [[\"sh\", \"-c\", \"exit 3\"], [\"touch\", \"behind\"]]\n";
    let project = Project::with(&format!("+++\n{after}+++\nText.\n"));
    let said = project.run(&["weave", "guide.vine.md", "--trust"]);
    assert_eq!(said.code, 1, "{said:?}");
    assert!(said.err.contains("the step `sh -c exit 3` after weaving failed: it ended with exit code 3"), "{said:?}");
    assert!(project.exists("guide.html") && !project.exists("behind"));
    project.write("guide.vine.md", "+++\n[after]\nrun = [[\"./nosuch\"]]\n+++\nText.\n");
    let said = project.run(&["weave", "guide.vine.md", "--trust"]);
    assert!(said.code == 1 && said.err.contains("it can't be started"), "{said:?}");
    project.write("guide.vine.md", "+++\n[after]\nrun = [\"touch\", \"x\"]\n+++\nText.\n");
    let said = project.weave();
    assert!(said.code == 1 && said.err.contains("a list of programs with their words"), "{said:?}");
}

#[test]
fn the_steps_of_a_project_run_once_for_all_documents() {
    let project = Project::new();
    project.write("vineloom.toml", "[after]\nrun = [[\"sh\", \"-c\", \"echo once $VINELOOM_EXPORTS >> log\"]]\n");
    project.write("a/one.vine.md", "One.\n");
    project.write("a/two.vine.md", "Two.\n");
    let said = project.run(&["weave", "a/one.vine.md", "a/two.vine.md", "--trust"]);
    assert_eq!(said.code, 0, "{said:?}");
    let log = project.read("log");
    assert!(log.lines().count() == 1 && log.contains("one.html") && log.contains("two.html"), "{log}");
}
