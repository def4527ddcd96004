//! What is stored and when it is still true: files that nobody declared, reasons, and what can be done with a store.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::os::unix::fs::PermissionsExt;
use support::Project;

/// Asserts that nothing at all runs.
fn nothing_runs(project: &Project) {
    let said = project.weave();
    assert!(said.out.contains(" 0 ran,"), "{said:?}");
}

#[test]
fn a_file_that_nobody_declared_is_an_input_of_exactly_the_block_that_reads_it() {
    let text = "```python @python\nprint(open('python.csv').read())\n```\n\n```r @r\ncat(readLines('r.csv'))\n```\n\n\
                ```sh @sh strand=fresh\ncat sh.csv\n```\n\n```javascript @javascript\nrequire('fs').readFileSync('javascript.csv', 'utf8')\n```\n\n\
                ```sqlite @sqlite\n.import --csv sqlite.csv t\nselect * from t;\n```\n\n```sh @c strand=fresh\n./program\n```\n\n```ruby @ruby\nFile.read('ruby.csv')\n```\n";
    let project = Project::with(text);
    let program = "#include <stdio.h>\nint main(void) { char b[64]; FILE *f = fopen(\"c.csv\", \"r\"); while (fgets(b, 64, f)) fputs(b, stdout); return 0; }\n";
    project.write("program.c", program);
    let compiled = std::process::Command::new("cc")
        .args(["-static", "-o", "program", "program.c"])
        .current_dir(project.path(""))
        .status();
    assert!(compiled.unwrap().success());
    let languages = ["python", "r", "sh", "javascript", "sqlite", "c", "ruby"];
    for language in languages {
        project.write(&format!("{language}.csv"), "a,b\n1,2\n");
    }
    assert_eq!(project.weave().code, 0);
    nothing_runs(&project);
    for language in languages {
        let path = project.path(&format!("{language}.csv"));
        assert!(std::process::Command::new("touch").arg(&path).status().unwrap().success());
    }
    nothing_runs(&project);
    for language in languages {
        project.write(&format!("{language}.csv"), "a,b\n1,3\n");
        let said = project.weave();
        let ran: Vec<&str> = said
            .out
            .lines()
            .filter(|line| line.contains(" ran "))
            .filter_map(|line| line.split_whitespace().next())
            .collect();
        assert_eq!(ran[0], format!("@{language}"), "{said:?}");
        assert_eq!(ran.len(), 1, "{said:?}");
    }
    // The program itself is an input too.
    project.write("program.c", program.replace("64, f", "32, f"));
    assert!(
        std::process::Command::new("cc")
            .args(["-static", "-o", "program", "program.c"])
            .current_dir(project.path(""))
            .status()
            .unwrap()
            .success()
    );
    assert!(project.states(&project.weave()).contains("c:ran"));
}

#[test]
fn a_file_that_was_looked_for_and_appears_is_an_input() {
    let project = Project::with(
        "```python @a\nimport os\nprint(os.path.exists('extra.csv'))\n```\n\n```sh @b strand=fresh\nls *.csv 2> /dev/null; echo\n```\n",
    );
    assert_eq!(project.weave().code, 0);
    nothing_runs(&project);
    project.write("unrelated.txt", "x");
    assert_eq!(
        project.states(&project.weave()),
        "a:kept b:ran",
        "only the block that lists the folder can have seen it"
    );
    project.write("extra.csv", "x");
    assert_eq!(project.states(&project.weave()), "a:ran b:ran");
    assert!(project.read("guide.html").contains("True"));
}

#[test]
fn what_a_block_made_is_put_back_and_what_somebody_wrote_is_not_lost() {
    let project = Project::with(
        "```sh @make\nmkdir -p out\necho made > out/a.txt\n```\n\n```python @use\nprint(open('out/a.txt').read())\n```\n",
    );
    assert_eq!(project.weave().code, 0);
    project.weave();
    nothing_runs(&project);
    std::fs::remove_dir_all(project.path("out")).unwrap();
    for look in [&["blocks", "guide.vine.md"][..], &["weave", "guide.vine.md", "--dry-run"]] {
        let said = project.run(look);
        assert!(said.code == 0 && !said.out.contains("would run\n") && !project.exists("out"), "{look:?} {said:?}");
    }
    nothing_runs(&project);
    assert_eq!(project.read("out/a.txt"), "made\n");
    // Through the folder, one strand depends on another.
    project.write("guide.vine.md", project.read("guide.vine.md").replace("echo made", "echo other"));
    assert_eq!(project.states(&project.weave()), "make:ran use:ran");
    assert!(project.read("guide.html").contains("other"));
    // What is written by hand is the block's to write over, not ours.
    project.write("out/a.txt", "by hand\n");
    assert!(project.states(&project.weave()).starts_with("make:ran"));
}

#[test]
fn a_block_that_changes_what_it_reads_is_told_that_it_can_not_be_kept() {
    let project = Project::with("```sh @log\ncat log.txt; echo more >> log.txt\n```\n");
    project.write("log.txt", "start\n");
    for _ in 0..3 {
        let said = project.weave();
        assert_eq!(project.states(&said), "log:ran");
        assert!(said.err.contains("@log changes log.txt, which it also reads"), "{said:?}");
    }
    // Where a block before it makes the file, both are kept, and nothing is told.
    let project = Project::with(
        "```sh @makes\necho start > log.txt\n```\n\n```sh @log strand=other\ncat log.txt; echo more >> log.txt\n```\n",
    );
    for states in ["makes:ran log:ran", "makes:kept log:kept", "makes:kept log:kept"] {
        let said = project.weave();
        assert_eq!((project.states(&said).as_str(), said.err.as_str()), (states, ""));
        assert_eq!(project.read("log.txt"), "start\nmore\n");
    }
}

#[test]
fn the_reason_of_a_run_is_said_from_what_to_what() {
    let project = Project::with(
        "+++\n[parameters]\nmonth = \"June\"\n+++\n\n```python @load\nrows = open('a.csv').read()\n```\n\n```python @use with=month\nprint(rows, month)\n```\n\n```sh @other env=\"TZ=UTC\"\ndate +%Z\n```\n",
    );
    project.write("a.csv", "1");
    let why = |name: &str, more: &[&str]| {
        let said = project.run(&[&["blocks", "guide.vine.md", "--why", name], more].concat());
        assert_eq!(said.code, 0, "{said:?}");
        said.out
    };
    assert!(why("load", &[]).contains("it has not run before"));
    assert_eq!(project.weave().code, 0);
    assert!(why("load", &[]).contains("@load would not run, because\n  nothing that it depends on changed"));
    assert!(
        why("use", &["--set", "month=July"])
            .contains("what is handed in as month changed from {\"plain\":\"June\"} to {\"plain\":\"July\"}")
    );
    assert!(why("load", &["--set", "month=July"]).contains("would be replayed"));
    project.write("a.csv", "2");
    assert!(why("load", &[]).contains("the file a.csv changed"));
    let said = why("use", &[]);
    assert!(said.contains("@load runs, whose state it starts from"), "{said}");
    assert!(said.contains("the first cause is @load: the file a.csv changed"), "{said}");
    project
        .write("guide.vine.md", project.read("guide.vine.md").replace("TZ=UTC", "TZ=CET").replace("date +", "date  +"));
    let said = why("other", &[]);
    assert!(said.contains("the value of the environment variable TZ is another"), "{said}");
    assert!(!said.contains("UTC") && !said.contains("CET"), "values are never told: {said}");
    assert!(said.contains("- date +%Z") && said.contains("+ date  +%Z"), "{said}");
    let dry = project.run(&["weave", "guide.vine.md", "--dry-run"]);
    assert!(dry.out.contains("3 blocks: 3 would run, about ") && !project.exists("guide.txt"), "{dry:?}");
    let json = project.run(&["blocks", "guide.vine.md", "--json"]);
    let blocks: serde_json::Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!(
        (blocks[0]["name"].as_str(), blocks[0]["state"].as_str(), blocks[0]["line"].as_u64()),
        (Some("load"), Some("runs"), Some(6))
    );
    let said = project.run(&["blocks", "guide.vine.md", "--why", "lod"]);
    assert!(said.code == 2 && said.err.contains("did you mean load?"), "{said:?}");
}

#[test]
fn a_block_that_is_moved_above_what_it_needs_is_told_by_name() {
    let load = "```python @load\nframe = [1, 2]\n```\n\n";
    let write = "```sh @write\necho 5 > five.txt\n```\n\n";
    let mean = "```python @mean\nprint(sum(frame))\n```\n\n";
    let read = "```r @read\ncat(readLines('five.txt'))\n```\n\n";
    let project = Project::with(&format!("{load}{write}{mean}{read}"));
    assert_eq!(project.weave().code, 0);
    project.write("guide.vine.md", format!("{mean}{load}{read}{write}"));
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.err.contains("@mean uses `frame`, set by @load, which stands below it now"), "{said:?}");
    assert!(said.err.contains("@read reads five.txt, made by @write, which stands below it now"), "{said:?}");
    let said = project.weave();
    assert_eq!(said.code, 1);
    assert!(said.err.contains("@mean uses `frame`, set by @load"), "{said:?}");
    assert!(said.err.contains("`frame` is set in @load, which stands below; move it above"), "{said:?}");
}

#[test]
fn exports_are_made_from_the_store_alone_where_no_interpreter_is() {
    let project = Project::with("```python @a\nprint(6 * 7)\n```\n\n```sh @b\necho b\n```\n");
    assert_eq!(project.weave().code, 0);
    let page = project.read("guide.html");
    assert_eq!(project.run(&["store", "export", "results.tar"]).code, 0);
    std::fs::remove_dir_all(project.path(".vineloom")).unwrap();
    std::fs::remove_file(project.path("guide.html")).unwrap();
    let without = |arguments: &[&str]| {
        let output = project.command(arguments).env("PATH", "/nowhere").output().unwrap();
        (output.status.code(), String::from_utf8_lossy(&output.stderr).into_owned())
    };
    let (code, said) = without(&["weave", "guide.vine.md", "--stored-only"]);
    assert_eq!(code, Some(1));
    assert!(said.contains("@a has no stored result") && said.contains("@b has no stored result"), "{said}");
    assert_eq!(project.run(&["store", "import", "results.tar"]).code, 0);
    let (code, said) = without(&["weave", "guide.vine.md", "--stored-only"]);
    assert_eq!(code, Some(0), "{said}");
    assert_eq!(project.read("guide.html"), page);
    project.write("guide.vine.md", project.read("guide.vine.md").replace("6 * 7", "6 * 8"));
    let (code, said) = without(&["weave", "guide.vine.md", "--stored-only"]);
    assert!(code == Some(1) && said.contains("@a has no stored result that is true: its code changed"), "{said}");
    assert!(!said.contains("@b has"), "{said}");
}

/// A checkout gives files the rights that its user's mask leaves: that is no change. Whether a file may be run is one.
#[test]
fn who_may_read_a_file_on_another_machine_is_no_change_there() {
    let block = "stat -c %s data.txt tool > /dev/null; test -x tool && echo runs || echo not\nls d; stat d > /dev/null; test -d d/e\ncat data.txt > copy";
    let project = Project::with(&format!("```sh @a\n{block}\n```\n"));
    let modes = |folder: u32, file: u32, tool: u32| {
        for (name, mode) in [("d", folder), ("d/e", folder), ("data.txt", file), ("d/x", file), ("tool", tool)] {
            std::fs::set_permissions(project.path(name), std::fs::Permissions::from_mode(mode)).unwrap();
        }
    };
    std::fs::create_dir_all(project.path("d/e")).unwrap();
    for name in ["data.txt", "d/x", "tool"] {
        project.write(name, "1\n");
    }
    modes(0o775, 0o664, 0o775);
    std::thread::sleep(std::time::Duration::from_millis(60));
    assert_eq!(project.weave().code, 0);
    let stored_only = || project.run(&["weave", "guide.vine.md", "--stored-only"]);
    modes(0o755, 0o644, 0o755);
    let said = stored_only();
    assert_eq!(said.code, 0, "{said:?}");
    std::fs::remove_file(project.path("copy")).unwrap();
    assert_eq!(project.run(&["store", "export", "results.tar"]).code, 0);
    std::fs::remove_dir_all(project.path(".vineloom")).unwrap();
    assert_eq!(project.run(&["store", "import", "results.tar"]).code, 0);
    let said = stored_only();
    assert_eq!(said.code, 0, "{said:?}");
    assert_eq!(project.read("copy"), "1\n");
    modes(0o755, 0o644, 0o644);
    let said = stored_only();
    assert!(said.code == 1 && said.err.contains("tool"), "{said:?}");
}

#[test]
fn everything_can_be_run_anew_beside_the_store() {
    let project = Project::with(
        "```sh @same\necho same\n```\n\n```python @now\nimport time\nprint('constant')\nprint(time.time_ns())\n```\n",
    );
    assert_eq!(project.weave().code, 0);
    let page = project.read("guide.html");
    let said = project.run(&["weave", "guide.vine.md", "--verify"]);
    assert_eq!(said.code, 1, "{said:?}");
    assert!(
        said.out.contains("@now gives something else than what is stored")
            && said.out.contains("1 the same, 1 different"),
        "{said:?}"
    );
    assert!(!said.out.contains("- constant"), "{said:?}");
    assert_eq!(project.read("guide.html"), page);
    nothing_runs(&project);
}

#[test]
fn a_store_is_measured_verified_cleaned_and_of_one_layout() {
    let project = Project::with("```sh @a\necho a\n```\n");
    assert_eq!(project.weave().code, 0);
    assert!(project.run(&["store", "size"]).out.contains("results"));
    assert_eq!(project.run(&["store", "verify"]).code, 0);
    let objects = std::process::Command::new("find")
        .args([".vineloom/v1/records", "-type", "f"])
        .current_dir(project.path(""))
        .output()
        .unwrap();
    let first = String::from_utf8(objects.stdout).unwrap().lines().next().unwrap().to_string();
    project.write(&first, "damaged");
    let said = project.run(&["store", "verify"]);
    assert!(said.code == 1 && said.out.contains("damaged"), "{said:?}");
    let said = project.run(&["store", "clean", "--keep", "0"]);
    assert!(said.out.contains(", 0 bytes left"), "{said:?}");
    assert_eq!(project.states(&project.weave()), "a:ran");
    std::fs::rename(project.path(".vineloom/v1"), project.path(".vineloom/v0")).unwrap();
    let said = project.weave();
    assert_eq!(said.code, 0);
    assert!(said.err.contains("results of another version of this program (v0)"), "{said:?}");
    let other = Project::new();
    assert_eq!(other.run(&["store", "size"]).code, 2);
}

#[test]
fn two_weaves_of_one_document_at_once_both_succeed() {
    let blocks: String = (0..12).map(|n| format!("```sh @b{n} strand=fresh\nsleep 0.02; echo {n}\n```\n\n")).collect();
    let project = Project::with(&blocks);
    let children: Vec<_> =
        (0..3).map(|_| project.command(&["weave", "-q", "guide.vine.md"]).spawn().unwrap()).collect();
    for mut child in children {
        assert!(child.wait().unwrap().success());
    }
    assert_eq!(project.run(&["store", "verify"]).code, 0);
    nothing_runs(&project);
}

#[test]
fn a_file_whose_name_is_no_text_is_put_back_under_its_own_name() {
    use std::os::unix::ffi::OsStrExt;
    let project = Project::with("```sh @a\necho hi > \"$(printf 'n\\377')\"; ls | wc -l\n```\n");
    assert_eq!(project.weave().code, 0);
    let path = project.path("").join(std::ffi::OsStr::from_bytes(b"n\xff"));
    assert!(path.exists());
    std::fs::remove_file(&path).unwrap();
    let before = std::fs::read_dir(project.path("")).unwrap().count();
    project.weave();
    assert!(path.exists());
    assert_eq!(std::fs::read_dir(project.path("")).unwrap().count(), before + 1, "and no other file is made");
    project.weave();
    nothing_runs(&project);
}

#[test]
fn the_store_command_and_a_weave_mean_the_same_folder() {
    let project = Project::new();
    project.write("book/vineloom.toml", "");
    project.write("book/part/a.vine.md", "```sh @a\necho 1\n```\n");
    project.write("alone/b.vine.md", "```sh @b\necho 1\n```\n");
    assert_eq!(project.run(&["weave", "book/part/a.vine.md", "alone/b.vine.md"]).code, 0);
    assert!(project.exists("book/.vineloom") && project.exists("alone/.vineloom"));
    let size = |folder: &str| {
        let mut command = project.command(&["store", "size"]);
        support::said(&command.current_dir(project.path(folder)).output().unwrap())
    };
    for folder in ["book", "book/part", "alone"] {
        let said = size(folder);
        assert!(said.code == 0 && said.out.contains(".vineloom  "), "{folder}: {said:?}");
    }
    // One that lies above is not taken for that of a document here: a weave here would not use it.
    project.write("book/apart/vineloom.toml", "");
    let said = size("book/apart");
    assert!(said.code == 2 && said.err.contains("book/.vineloom") && said.err.contains("--store"), "{said:?}");
    let import = project.command(&["store", "export", "x.tar"]).current_dir(project.path("book")).output().unwrap();
    assert!(import.status.success());
    let mut command = project.command(&["store", "import", "../x.tar"]);
    assert!(command.current_dir(project.path("book/apart")).status().unwrap().success());
    assert!(project.exists("book/apart/.vineloom"));
}

#[test]
fn citations_that_are_remembered_are_those_that_would_be_made() {
    let works = "@book{soil, title = {On soil}, author = {Wren, Tomas}, year = {2019}}\n\
                 @article{rain, title = {On rain}, author = {Calloway, Ines}, journal = {Plots}, year = {2021}, url = {https://example.org/r}}\n";
    let text = "+++\nreferences = [\"works.bib\"]\n[export]\nto = [\"text\", \"html\"]\n+++\n\nAs [](@soil) and [p. 3](@rain) say.\n";
    let project = Project::with(text);
    project.write("works.bib", works);
    assert_eq!(project.weave().code, 0);
    let changes = [
        ("guide.vine.md", "[p. 3]", "[p. 4]"),
        ("guide.vine.md", "[](@soil) and", "[](@rain) and [](@soil) and"),
        ("guide.vine.md", "[](@soil) and", "[*pp. 1–2*](@soil) and"),
        ("guide.vine.md", "references =", "citation-style = \"ieee\"\nreferences ="),
        ("guide.vine.md", "citation-style = \"ieee\"", "citation-style = \"apa\""),
        ("guide.vine.md", "citation-style", "language = \"de\"\ncitation-style"),
        ("guide.vine.md", "language = \"de\"", "language = \"fr\""),
        ("works.bib", "2019", "2018"),
        ("works.bib", "@article{rain", "@book{other, title = {Another}}\n@article{rain"),
    ];
    for (file, from, to) in changes {
        let before = project.read(file);
        assert!(before.contains(from), "{from}");
        project.write(file, before.replace(from, to));
        assert_eq!(project.weave().code, 0);
        let other = Project::with(&project.read("guide.vine.md"));
        other.write("works.bib", project.read("works.bib"));
        assert_eq!(other.weave().code, 0);
        for export in ["guide.txt", "guide.html"] {
            assert_eq!(project.read(export), other.read(export), "{to}");
        }
    }
    // A mistake in the works is told each time, and mended when it is.
    project.write("works.bib", format!("{works}@book{{broken, title = "));
    for _ in 0..2 {
        let said = project.weave();
        assert!(said.code != 0 && said.err.contains("works.bib, line 3, can't be read"), "{said:?}");
    }
    project.write("works.bib", works);
    assert_eq!(project.weave().code, 0);
}

/// Whether a file of the store holds this text.
fn store_holds(project: &Project, text: &str) -> bool {
    let mut folders = vec![project.path(".vineloom")];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if std::fs::read(&path).unwrap().windows(text.len()).any(|window| window == text.as_bytes()) {
                return true;
            }
        }
    }
    false
}

#[test]
fn exports_that_take_long_are_stored_and_those_that_are_made_in_no_time_are_not() {
    let project = Project::with("+++\ntitle = \"Frames of June\"\n+++\n\nOf $x^2$ frames.\n\n```sh @a\necho 7\n```\n");
    let quick = ["html", "markdown", "latex", "text", "notebook"];
    for format in quick {
        assert_eq!(project.run(&["weave", "guide.vine.md", "--to", format]).code, 0);
        // The title stands in each of them, and nowhere else in the store.
        assert!(!store_holds(&project, "Frames of June"), "{format}");
    }
    for (format, signed) in [("pdf", "%PDF-"), ("deck", "<section class=\"slide"), ("epub", "application/epub+zip")] {
        assert!(!store_holds(&project, signed), "{format}");
        assert_eq!(project.run(&["weave", "guide.vine.md", "--to", format]).code, 0);
        assert!(store_holds(&project, signed), "{format}");
    }
    // The font of formulas is packed once, and the same for the page that was made first and the one made again.
    let page = project.read("guide.html");
    assert!(page.contains("font/woff2") && store_holds(&project, "wOF2"), "the font of a page is remembered");
    assert_eq!(project.run(&["weave", "guide.vine.md", "--to", "html"]).code, 0);
    assert_eq!(project.read("guide.html"), page);
}
