//! Scripts as documents: what `convert` makes of one and back, and what it refuses.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

/// Ordinary scripts in R, Python, shell and Octave, each behind a line `==== name`.
const SCRIPTS: &str = include_str!("data/scripts.txt");

fn scripts() -> Vec<(&'static str, &'static str)> {
    let parts = SCRIPTS.split("==== ").skip(1);
    parts.map(|part| part.split_once('\n').unwrap()).collect()
}

/// A file there and back; the document between.
fn there_and_back(project: &Project, name: &str, text: &str, between: &str, back: &str, options: &[&str]) -> String {
    project.write(name, text);
    for file in [between, back] {
        let _ = std::fs::remove_file(project.path(file));
    }
    let there = project.run(&[&["convert", name, between], options].concat());
    assert_eq!(there.code, 0, "{name}: {there:?}");
    let said = project.run(&["convert", between, back]);
    assert_eq!(said.code, 0, "{name}: {said:?}");
    assert_eq!(project.read(back), text, "{name}, by way of\n{}", project.read(between));
    project.read(between)
}

#[test]
fn forty_ordinary_scripts_come_back_as_they_were() {
    let scripts = scripts();
    assert_eq!(scripts.len(), 40);
    let project = Project::new();
    for (name, text) in scripts {
        let back = format!("back.{}", name.rsplit_once('.').unwrap().1);
        there_and_back(&project, name, text, "between.vine.md", &back, &[]);
        // With other ends of lines, and without the last one.
        there_and_back(&project, name, &text.replace('\n', "\r\n"), "between.vine.md", &back, &[]);
        there_and_back(&project, name, text.trim_end_matches('\n'), "between.vine.md", &back, &[]);
    }
}

#[test]
fn sections_and_comments_become_prose_when_asked_and_no_code_is_lost() {
    let project = Project::new();
    let mut headings = 0;
    for (name, text) in scripts() {
        let extension = name.rsplit_once('.').unwrap().1;
        let (marked, back) = (format!("marked.{extension}"), format!("back.{extension}"));
        project.write(name, text);
        let _ = std::fs::remove_file(project.path(&marked));
        let said = project.run(&["convert", name, &marked, "--headings", "--comments"]);
        assert_eq!(said.code, 0, "{name}: {said:?}");
        let with_marks = project.read(&marked);
        headings += with_marks.matches("~ #").count();
        // Every line that is no comment is there, in its order.
        let code = |text: &str| -> Vec<String> {
            let is_code = |line: &&str| !line.starts_with(['#', '%']) && !line.is_empty();
            text.lines().filter(is_code).map(String::from).collect()
        };
        assert_eq!(code(&with_marks), code(text), "{name}");
        // What was marked comes back as it was marked.
        there_and_back(&project, &marked, &with_marks, "between.vine.md", &back, &[]);
    }
    assert!(headings >= 10, "{headings}");
}

#[test]
fn a_marked_script_reads_as_a_document() {
    let project = Project::new();
    project.write("load.R", "#!/usr/bin/env Rscript\n# Soil moisture,\n# by plot.\n\n# Load ----\nx <- c(3, 1)\n\n## Sorted ----\nsort(x)\n");
    let said = project.run(&["convert", "load.R", "load.vine.md", "--headings", "--comments"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert_eq!(
        project.read("load.vine.md"),
        "<!-- #!/usr/bin/env Rscript -->\nSoil moisture,\nby plot.\n \n# Load\n```r @\nx <- c(3, 1)\n```\n\n## Sorted\n```r @\nsort(x)\n```\n"
    );
    // The same without converting it, when its front matter asks for it.
    let front = "#~ +++\n#~ [script]\n#~ headings = true\n#~ comments = true\n#~ +++\n\n";
    project.write(
        "asked.R",
        format!(
            "#!/usr/bin/env Rscript\n{front}# Soil moisture,\n# by plot.\n\n# Load ----\nx <- c(3, 1)\n\nstop('here')\n"
        ),
    );
    let said = project.run(&["weave", "asked.R"]);
    assert!(said.code == 1 && said.err.contains("asked.R:14"), "places are those of the script: {said:?}");
    project.write("asked.R", project.read("asked.R").replace("stop('here')", "sort(x)"));
    assert_eq!(project.run(&["weave", "asked.R", "--to", "markdown"]).code, 0);
    let woven = project.read("asked.md");
    assert!(woven.contains("Soil moisture,\nby plot.\n") && woven.contains("# Load\n"), "{woven}");
    assert!(!woven.contains("Rscript"), "the line for the system is shown to nobody: {woven}");
}

#[test]
fn documents_come_back_from_scripts() {
    let document = "+++\ntitle = \"T\"\n+++\n<!-- #!/usr/bin/env python3 -->\n\nProse.\n```python @\na = 1\n```\n```python @\nb = 2\n```\n\n\n```python @c fold=open\nprint(a + b)\n```\n\n```sh @s\nls\n```\n \n- a list\n\n  ```python @in-list\n  x = 1\n  ```\n";
    let project = Project::new();
    let script = there_and_back(&project, "d.vine.md", document, "d.py", "back.vine.md", &[]);
    assert!(script.starts_with("#!/usr/bin/env python3\n#~ +++\n"), "{script}");
    assert!(script.contains("\na = 1\n#~ @\nb = 2\n\n\n#~ @c fold=open\nprint(a + b)\n"), "{script}");
    let said = project.run(&["convert", "d.vine.md", "again.py"]);
    assert!(said.out.contains("1 block of another language") && said.err.contains("line 25"), "{said:?}");
    let ran = support::tool("python3", &[&project.path("d.py")]).unwrap();
    assert_eq!(ran.out, "3\n");
}

#[test]
fn what_can_not_be_written_is_refused() {
    let project = Project::new();
    project.write("a.py", "x = 1\n");
    project.write("a.vine.md", "Text.\n");
    project.write("a.txt", "Text.\n");
    for (from, to, expected) in [
        ("a.py", "a.html", "`vineloom weave --to html`"),
        ("a.py", "a.docx", "`vineloom weave --to docx`"),
        ("a.vine.md", "b.pdf", "`vineloom weave --to pdf`"),
        ("a.vine.md", "b.vine.md", "scripts end in"),
        ("a.py", "b.R", "scripts end in"),
        ("a.py", "b.py", "can't become"),
        ("a.txt", "b.py", "can't become"),
        ("a.vine.md", "a.jl", "scripts end in"),
        ("a.py", "a.vine.md", "is there already"),
    ] {
        let said = project.run(&["convert", from, to]);
        assert!(said.code == 2 && said.err.contains(expected), "{from} to {to}: {said:?}");
    }
    let said = project.run(&["convert", "a.vine.md", "b.py", "--headings"]);
    assert!(said.code == 2 && said.err.contains("are for what is made of a script"), "{said:?}");
    assert!(!project.exists("b.py") && !project.exists("a.html"));
}

#[test]
fn a_name_line_before_a_blank_line_is_told() {
    let project = Project::new();
    project.write("tide.py", "#~ # Tides\n#~ @level fold=open\n\nprint(1)\n\n#~ @wren said so.\n#~\n#~ The end.\n");
    for arguments in [vec!["weave", "tide.py"], vec!["check", "tide.py"], vec!["convert", "tide.py", "tide.vine.md"]] {
        let said = project.run(&arguments);
        // The document that is made has the same fault, and is woven no more than the script.
        assert_eq!(said.code, i32::from(arguments[0] != "convert"), "{said:?}");
        assert_eq!(said.err.matches("`@level fold=open` names no code").count(), 1, "{said:?}");
        assert!(said.err.contains(if arguments[0] == "convert" { "line 2" } else { "tide.py:2" }), "{said:?}");
        assert!(!said.err.contains("wren"), "{said:?}");
    }
}

#[test]
fn long_scripts_take_as_long_as_they_are_long() {
    let count = 60_000;
    let many = |line: &dyn Fn(usize) -> String| (0..count).map(line).collect::<String>();
    for (what, script) in [
        ("one paragraph", format!("{}x = 1\n", many(&|n| format!("#~ word {n}\n")))),
        ("marks alone", format!("x = 1\n{}#~ end\n", "#~\n".repeat(count))),
        ("blank lines", format!("x = 1\n{}y = 2\n", "\n".repeat(count))),
        ("code and prose in turn", many(&|n| format!("x = {n}\n#~ t\n"))),
    ] {
        let project = Project::new();
        project.write("long.py", &script);
        let started = std::time::Instant::now();
        assert_eq!(project.run(&["convert", "long.py", "long.vine.md"]).code, 0, "{what}");
        assert_eq!(project.run(&["convert", "long.vine.md", "back.py"]).code, 0, "{what}");
        assert!(project.read("back.py") == script, "{what}");
        // Where each line looks at all others, it is minutes.
        assert!(started.elapsed().as_secs() < 20, "{what}: {:?}", started.elapsed());
    }
}
