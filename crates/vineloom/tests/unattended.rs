//! Weaving in a pipe and in a build service: standard input and output, events, reports, failures that stand in exports.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::io::Write;
use std::process::Stdio;
use support::{Project, Said, said, visible};

fn piped(project: &Project, text: &str, arguments: &[&str]) -> Said {
    let mut command = project.command(arguments);
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(text.as_bytes()).unwrap();
    said(&child.wait_with_output().unwrap())
}

const FAILING: &str = r#"# Failing

```python @first show=none
value = 3
print(value)
```

```python @broken show=none as=table
print("before")
nothing_of_this_name
```

Seen: @[broken], @[first].

```python @needs
print(@[broken])
```

```python @after
print(value + 1)
```

```sh @slow time-limit=1s
echo started; sleep 20
```

```sh @stops stop=yes
echo one
false
echo two
```
"#;

#[test]
fn a_document_comes_in_a_pipe_and_its_export_goes_out() {
    let project = Project::new();
    project.write("data.txt", "17\n");
    let text = "# Piped\n\n```sh @a\ncat data.txt\n```\n";
    let said = piped(&project, text, &["weave", "-", "--to", "markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert!(said.out.starts_with("# Piped\n") && said.out.contains("\n17\n"), "{said:?}");
    assert!(said.err.is_empty(), "{said:?}");
    let wrong = piped(&project, "```python @a\n1/0\n```\n", &["weave", "-", "--to", "text"]);
    assert!(wrong.code == 1 && wrong.out.is_empty() && wrong.err.contains("-:2:1"), "{wrong:?}");
    let two = piped(&project, text, &["weave", "-", "--to", "markdown,text"]);
    assert!(two.code == 2 && two.out.is_empty() && two.err.contains("--to"), "{two:?}");
    let figure = "```sh @a alt=x\necho '<svg xmlns=\"http://www.w3.org/2000/svg\"/>' > $VINELOOM_FIGURES/a.svg\n```\n";
    let parts = piped(&project, figure, &["weave", "-", "--to", "markdown"]);
    assert!(parts.code == 2 && parts.out.is_empty() && parts.err.contains("--out"), "{parts:?}");
    assert!(!project.exists("-.md") && !project.exists("document.md"));
    let kept = piped(&project, text, &["weave", "-", "--to", "markdown", "--out", "out", "--name", "piped"]);
    assert!(kept.code == 0 && project.exists("out/piped.md"), "{kept:?}");
    project.write("guide.vine.md", text);
    let out = project.run(&["weave", "guide.vine.md", "--to", "text", "--out", "-"]);
    assert!(out.code == 0 && out.out.contains("Piped") && !project.exists("guide.txt"), "{out:?}");
}

#[test]
fn events_are_lines_of_json_and_nothing_else_stands_between_them() {
    let project = Project::with(
        "+++\n[after]\nrun = [[\"echo\", \"noise\"]]\n+++\n```sh @a\necho 1\n```\n\n```sh @b exit=3\nexit 3\n```\n",
    );
    let said = project.run(&["weave", "guide.vine.md", "--json", "--trust"]);
    assert_eq!(said.code, 0, "{said:?}");
    let events: Vec<serde_json::Value> = said.out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let words: Vec<&str> = events.iter().map(|event| event["event"].as_str().unwrap()).collect();
    assert_eq!(words, ["begins", "block", "block", "export", "step", "ends"]);
    assert_eq!((events[1]["block"].as_str(), events[1]["state"].as_str()), (Some("@a"), Some("ran")));
    assert_eq!(events[1]["line"], 5);
    assert!(events[3]["path"].as_str().unwrap().ends_with("guide.html"));
    assert_eq!(events[5]["exit"], 0);
    project.write("guide.vine.md", "```sh @a\nexit 4\n```\n");
    let said = project.run(&["weave", "guide.vine.md", "--json"]);
    assert_eq!(said.code, 1);
    let last: serde_json::Value = serde_json::from_str(said.out.lines().last().unwrap()).unwrap();
    assert_eq!(last["exit"], 1);
    assert!(said.out.contains("\"severity\":\"error\""), "{said:?}");
}

#[test]
fn the_report_has_a_case_for_each_block() {
    let project = Project::with(FAILING);
    let said = project.run(&["weave", "guide.vine.md", "--keep-going", "--junit", "reports/weave.xml"]);
    assert_eq!(said.code, 1, "{said:?}");
    let report = project.read("reports/weave.xml");
    assert!(report.contains("tests=\"6\" failures=\"4\""), "{report}");
    for name in ["@first", "@broken", "@needs", "@after", "@slow", "@stops"] {
        assert_eq!(report.matches(&format!("name=\"{name}\"")).count(), 1, "{name}\n{report}");
    }
    assert!(report.contains("guide.vine.md:10: ") && report.contains("nothing_of_this_name"), "{report}");
    let hostile = Project::with("```sh @a\nprintf 'a\\033[31m<&\"]]>'; exit 1\n```\n");
    hostile.run(&["weave", "guide.vine.md", "--junit", "r.xml"]);
    let report = hostile.read("r.xml");
    assert!(!report.contains('\u{1b}') && report.contains("&lt;&amp;&quot;]]&gt;"), "{report}");
}

#[test]
fn a_failure_stands_in_every_export_when_the_weave_goes_on() {
    let project = Project::with(FAILING);
    assert_eq!(project.weave().code, 1);
    assert!(!project.exists("guide.html"), "without it nothing is written");
    let formats = "html,markdown,text,pdf,docx,epub,latex,notebook,deck";
    let said = project.run(&["weave", "guide.vine.md", "--keep-going", "--to", formats]);
    assert_eq!(said.code, 1, "{said:?}");
    let page = visible(&project.read("guide.html"));
    for text in [
        "Seen: [@broken failed], 3.",
        "NameError",
        "did not run: it needs @broken, which failed",
        "ran longer than its time limit",
        "@stops ended with exit code 1",
    ] {
        assert!(page.contains(text), "{text}\n{page}");
        for name in ["guide.md", "guide.ipynb"] {
            let export = project.read(name).replace('\\', "");
            assert!(export.contains(text), "{text}\n{export}");
        }
    }
    // What does not need it runs, with the state that was there.
    let markdown = project.read("guide.md");
    assert!(markdown.contains("print(value + 1)\n```\n\n```text\n4\n```"), "{markdown}");
    assert!(markdown.contains("```text\none\n```"), "what comes behind the failing command did not run: {markdown}");
    assert!(said.out.contains("4 failed"), "{said:?}");
    for name in ["guide.pdf", "guide.docx", "guide.epub", "guide.tex", "guide-deck.html"] {
        assert!(project.exists(name), "{name}: {said:?}");
    }
    // Nothing of it is stored: mended, it runs.
    project.write(
        "guide.vine.md",
        FAILING
            .replace("nothing_of_this_name", "pass")
            .replace("as=table", "")
            .replace("sleep 20", ":")
            .replace("false", "true"),
    );
    let mended = project.weave();
    assert_eq!(mended.code, 1, "`before` is no name in python: {mended:?}");
    assert!(mended.err.contains("name 'before' is not defined"), "{mended:?}");
}

#[test]
fn all_kept_runs_nothing_and_says_what_would() {
    let project = Project::with("```sh @a\necho x >> log; echo 1\n```\n\n```sh @b\necho 2\n```\n");
    let said = project.run(&["weave", "guide.vine.md", "--all-kept"]);
    assert!(said.code == 1 && said.err.contains("@a would run") && said.err.contains("@b would run"), "{said:?}");
    assert!(!project.exists("log") && !project.exists("guide.html"));
    assert_eq!(project.weave().code, 0);
    project.write("guide.vine.md", "```sh @a reads=in\necho 1\n```\n");
    project.write("in", "1");
    assert_eq!(project.weave().code, 0);
    assert_eq!(project.run(&["weave", "guide.vine.md", "--all-kept"]).code, 0);
    project.write("in", "2");
    assert_eq!(project.run(&["weave", "guide.vine.md", "--all-kept"]).code, 1);
}

#[test]
fn open_hands_the_first_export_to_the_system() {
    use std::os::unix::fs::PermissionsExt;
    let project = Project::with("Text.\n");
    project.write("bin/xdg-open", "#!/bin/sh\necho \"$1\" > \"$(dirname \"$0\")/opened\"\n");
    std::fs::set_permissions(project.path("bin/xdg-open"), std::fs::Permissions::from_mode(0o755)).unwrap();
    let path = format!("{}:/usr/bin:/bin", project.path("bin").display());
    let mut command = project.command(&["weave", "guide.vine.md", "--open", "--to", "text,html"]);
    let said = said(&command.env("PATH", path).output().unwrap());
    assert_eq!(said.code, 0, "{said:?}");
    for _ in 0..50 {
        if project.exists("bin/opened") && !project.read("bin/opened").is_empty() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    assert!(project.read("bin/opened").trim().ends_with("guide.txt"));
}
