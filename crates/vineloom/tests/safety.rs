//! What is nobody else's business and what came from elsewhere: secrets, stores of others, attachments; and documents and
//! environments of other ways of writing.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::Path;
use std::process::Command;
use support::{Project, said};

/// Every file below a folder, with what is in it.
fn files(folder: &Path) -> Vec<(std::path::PathBuf, Vec<u8>)> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        match entry.file_type().unwrap() {
            kind if kind.is_dir() => found.extend(files(&entry.path())),
            kind if kind.is_file() => found.push((entry.path(), std::fs::read(entry.path()).unwrap_or_default())),
            _ => {}
        }
    }
    found
}

fn holds(folder: &Path, secret: &str) -> Vec<std::path::PathBuf> {
    let has = |bytes: &[u8]| bytes.windows(secret.len()).any(|window| window == secret.as_bytes());
    files(folder)
        .into_iter()
        .filter(|(path, bytes)| has(bytes) || has(path.as_os_str().as_bytes()))
        .map(|(path, _)| path)
        .collect()
}

/// In every language with a driver and without: a value that is let through or set is used, decides whether the block
/// runs, and is found in no file but the document.
#[test]
fn values_of_the_environment_are_never_written() {
    let languages = [
        ("sh", "echo ${#TOKEN}"),
        ("bash", "echo ${#TOKEN}"),
        ("console", "$ echo ${#TOKEN}"),
        ("python", "import os\nprint(len(os.environ['TOKEN']))"),
        ("ruby", "puts ENV['TOKEN'].size"),
        ("javascript", "console.log(process.env.TOKEN.length)"),
        ("r", "cat(nchar(Sys.getenv('TOKEN')), '\\n')"),
        ("octave", "printf ('%d\\n', numel (getenv ('TOKEN')));"),
        ("awk", "BEGIN { print length(ENVIRON[\"TOKEN\"]) }"),
        ("perl", "print length($ENV{TOKEN}), \"\\n\""),
        ("jq", "env.TOKEN | length"),
    ];
    let secret = "hunter2-Zq9-secret";
    for (language, code) in languages {
        let temporary = Project::new();
        let project = Project::with(&format!(
            "```{language} @a env=TOKEN\n{code}\n```\n\n```{language} @b strand=x\n{}\n```\n",
            code.replace("TOKEN", "HOME")
        ));
        let weave = |token: &str, more: &[&str]| {
            let mut command = project.command(&[&["weave", "guide.vine.md"], more].concat());
            said(&command.env("TOKEN", token).env("TMPDIR", temporary.path("")).output().unwrap())
        };
        let first = weave(secret, &[]);
        if first.err.contains("is not installed") && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
            continue;
        }
        assert_eq!(first.code, 0, "{language}: {first:?}");
        assert!(project.read("guide.html").contains(&secret.len().to_string()), "{language}");
        assert!(weave(secret, &[]).out.contains("0 ran"), "{language}");
        assert!(
            weave("other", &["--to", "markdown"]).out.contains("1 ran"),
            "{language}: another value is another result"
        );
        assert_eq!(holds(&project.path(""), secret), Vec::<std::path::PathBuf>::new(), "{language}");
        let mut command = project.command(&["blocks", "guide.vine.md", "--why", "a"]);
        let why = said(&command.env("TOKEN", "third-value").output().unwrap());
        assert!(
            !format!("{why:?}").contains("hunter2") && !format!("{why:?}").contains("third"),
            "{language}: {why:?}"
        );
        project.run(&["store", "export", "store.tar"]);
        assert_eq!(holds(&project.path(""), secret), Vec::<std::path::PathBuf>::new(), "{language}: the archive");
        // While it runs, and when it is killed: nothing in the temporary folder.
        project.write("guide.vine.md", format!("```{language} @a env=TOKEN\n{code}\n```\n\n```sh @s\nsleep 60\n```\n"));
        let mut command = project.command(&["weave", "guide.vine.md", "--again"]);
        let mut child = command.env("TOKEN", secret).env("TMPDIR", temporary.path("")).spawn().unwrap();
        let began = std::time::Instant::now();
        while !files(&temporary.path("")).iter().any(|(_, bytes)| bytes.starts_with(b"sleep 60")) {
            assert!(began.elapsed().as_secs() < 240, "{language}");
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
        assert_eq!(holds(&temporary.path(""), secret), Vec::<std::path::PathBuf>::new(), "{language}");
        child.kill().unwrap();
        child.wait().unwrap();
    }
}

/// With the store of another user or machine nothing needs the value.
#[test]
fn a_result_with_a_secret_is_shown_elsewhere_without_it() {
    let text = "```sh @a env=\"TOKEN,MODE=fast\"\necho \"${#TOKEN} $MODE\"\n```\n\n```sh @b\necho after\n```\n";
    let project = Project::with(text);
    let mut command = project.command(&["weave", "guide.vine.md"]);
    assert!(command.env("TOKEN", "12345").status().unwrap().success());
    project.run(&["store", "export", "store.tar"]);
    let elsewhere = Project::with(text);
    std::fs::copy(project.path("store.tar"), elsewhere.path("store.tar")).unwrap();
    let there = |arguments: &[&str]| {
        said(&elsewhere.command(arguments).env("XDG_DATA_HOME", elsewhere.path("data")).output().unwrap())
    };
    assert_eq!(there(&["store", "import", "store.tar"]).code, 0);
    let shown = there(&["weave", "guide.vine.md", "--stored-only"]);
    assert_eq!(shown.code, 0, "{shown:?}");
    assert!(elsewhere.read("guide.html").contains("5 fast"));
    // At home another value is not what is stored.
    let mut command = project.command(&["weave", "guide.vine.md", "--stored-only"]);
    assert!(!command.env("TOKEN", "123").status().unwrap().success());
}

#[test]
fn stores_and_temporary_folders_are_their_owners_alone_whatever_the_mask() {
    for mask in ["000", "022", "077", "027"] {
        let temporary = Project::new();
        let project = Project::with("```sh @a cwd=@scratch\nls -ld \"$TMPDIR/..\" \"$PWD/..\" | cut -c1-10\n```\n");
        let program = project.command(&[]).get_program().to_owned();
        let line = format!("umask {mask}; exec '{}' run guide.vine.md", program.to_string_lossy());
        let mut command = Command::new("sh");
        command.args(["-c", &line]).current_dir(project.path("")).env("TMPDIR", temporary.path(""));
        let said = said(&command.env("XDG_DATA_HOME", project.path("data")).output().unwrap());
        assert_eq!(said.out.matches("drwx------").count(), 2, "{mask}: {said:?}");
        let mode = |name: &str| std::fs::metadata(project.path(name)).unwrap().permissions().mode() & 0o777;
        assert_eq!(
            (mode(".vineloom"), mode("data/vineloom"), mode("data/vineloom/secret")),
            (0o700, 0o700, 0o600),
            "{mask}"
        );
    }
}

/// A project that ships a store which is, or leads, somewhere else.
#[test]
fn a_shipped_store_leads_nowhere() {
    for link in [".vineloom", ".vineloom/v1", ".vineloom/v1/objects", ".vineloom/v1/records", ".vineloom/figures"] {
        let outside = Project::new();
        let project = Project::with(
            "```sh @a\necho '<svg xmlns=\"http://www.w3.org/2000/svg\"/>' > $VINELOOM_FIGURES/a.svg; echo done\n```\n",
        );
        std::fs::create_dir_all(project.path(link).parent().unwrap()).unwrap();
        symlink(outside.path(""), project.path(link)).unwrap();
        let mode = || std::fs::metadata(outside.path("")).unwrap().permissions().mode();
        let before = mode();
        let woven = project.weave();
        assert_eq!(woven.code, 0, "{link}: {woven:?}");
        project.run(&["run", "guide.vine.md"]);
        assert_eq!(std::fs::read_dir(outside.path("")).unwrap().count(), 0, "{link}");
        assert_eq!(mode(), before, "{link}");
    }
}

#[test]
fn a_result_from_elsewhere_is_shown_and_writes_no_file_of_anybodys() {
    let text = "```sh @a\necho theirs > made.txt; echo done\n```\n";
    let theirs = Project::with(text);
    theirs.weave();
    theirs.run(&["store", "export", "store.tar"]);
    let ours = Project::with(text);
    std::fs::copy(theirs.path("store.tar"), ours.path("store.tar")).unwrap();
    let run =
        |arguments: &[&str]| said(&ours.command(arguments).env("XDG_DATA_HOME", ours.path("data")).output().unwrap());
    run(&["store", "import", "store.tar"]);
    ours.write("made.txt", "by hand\n");
    let refused = run(&["weave", "guide.vine.md", "--stored-only"]);
    assert_eq!((refused.code, ours.read("made.txt").as_str()), (1, "by hand\n"), "{refused:?}");
    std::fs::remove_file(ours.path("made.txt")).unwrap();
    assert_eq!(run(&["weave", "guide.vine.md", "--stored-only"]).code, 0);
    assert_eq!(ours.read("made.txt"), "theirs\n");
}

#[test]
fn only_what_a_writer_can_mean_is_given_away_and_the_list_is_told() {
    let names = [
        "data/june.csv",
        ".env",
        "server.pem",
        "id_rsa",
        ".git/config",
        "venv/pyvenv.cfg",
        "venv/lib/x.py",
        "node_modules/m/x.js",
        "../outside.csv",
    ];
    let reads: String = names.iter().map(|name| format!("cat '{name}' > /dev/null\n")).collect();
    let project = Project::new();
    let home = "docs/";
    for name in names {
        project.write(&format!("{home}{name}"), "x\n");
    }
    project.write("docs/june.md", "x\n");
    symlink("../../outside-secret", project.path("docs/data/link.csv")).unwrap();
    project.write("docs/guide.vine.md", format!("+++\n[html]\nattach = [\"source\", \"data\"]\n+++\n```sh @a\n{reads}cat data/link.csv 2>/dev/null; true\n```\n"));
    let first = project.run(&["weave", "docs/guide.vine.md"]);
    assert_eq!(first.code, 0, "{first:?}");
    assert!(first.err.contains("now offers these files to everybody who gets it: data/june.csv\n"), "{first:?}");
    assert!(project.read("docs/guide.html").contains("the source with 1 file that it read"));
    assert!(!project.run(&["weave", "docs/guide.vine.md"]).err.contains("now offers"), "it is told when it is new");
}

/// A document with the line ends of another system gives the same page, and runs nothing again.
#[test]
fn line_ends_change_nothing() {
    let project = Project::new();
    project.write("helper.vine.md", "# Part\n\n```sh @part\nprintf 'a\\n'\n```\n");
    let text = "+++\ntitle = \"T\"\n[parameters]\nm = \"June\"\n[block.late]\ncaption = \"A *late* one\"\n+++\n\n# Heading {#h}\n\nText  \nbroken, @[sum], $x^2$ and [](@h).\n\n\
                $$\na\n= b\n$$\n\n- item\n\n  ```python @sum\n  total = 1\n  print(total +\n      2)\n  ```\n\n```sh @late lines=on\nif true; then\n  echo yes # @:mark\nfi\n```\n\n\
                | a | b |\n|---|---|\n| 1 | 2 |\n\n::: note \"N\"\ninside\n:::\n\n```chart @c\ndata = \"t.csv\"\nx = \"d\"\ny = \"v\"\n```\n\n![](helper.vine.md)\n\n```text\nlisting\n```\n\n\
                ```console @s\n$ echo one\n$ for i in 1 2; do\n>   echo $i\n> done\n```\n\n```r @r\nx <- c(1,\n  2)\nx\n```\n\n```awk @w\nBEGIN {\n  print 1\n}\n```\n";
    project.write("t.csv", "d,v\n1,2\n2,3\n");
    project.write("guide.vine.md", text);
    let page = project.page();
    project.write("guide.vine.md", text.replace('\n', "\r\n"));
    project.write("helper.vine.md", project.read("helper.vine.md").replace('\n', "\r\n"));
    let said = project.weave();
    assert!(said.code == 0 && said.out.contains(" 0 ran"), "{said:?}");
    assert_eq!(project.read("guide.html"), page);
    assert_eq!(project.run(&["check", "guide.vine.md"]).code, 0);
}

#[test]
fn names_and_environments_that_are_no_text_are_no_fault() {
    let odd = std::ffi::OsStr::from_bytes(b"a\xffb");
    let project = Project::new();
    let folder = project.path("").join(odd);
    std::fs::create_dir(&folder).unwrap();
    std::fs::write(
        folder.join("guide.vine.md"),
        "```sh @a\npwd | wc -l; echo data > made.txt\n```\n\n```python @p\nprint(2)\n```\n",
    )
    .unwrap();
    for arguments in [
        ["weave", "guide.vine.md"],
        ["weave", "guide.vine.md"],
        ["check", "guide.vine.md"],
        ["run", "guide.vine.md"],
        ["blocks", "guide.vine.md"],
    ] {
        let mut command = project.command(&arguments);
        command
            .current_dir(&folder)
            .env("ODD", odd)
            .env(odd, "x")
            .env("HOME", &folder)
            .env("TZ", odd)
            .env("TMPDIR", &folder);
        let said = said(&command.output().unwrap());
        assert!(said.code == 0 && !said.err.contains("panicked"), "{arguments:?}: {said:?}");
    }
    assert!(folder.join("guide.html").exists());
    std::fs::write(folder.join(std::ffi::OsStr::from_bytes(b"g\xfe.vine.md")), "text\n").unwrap();
    let mut command = project.command(&["weave"]);
    let said = said(&command.arg(folder.join(std::ffi::OsStr::from_bytes(b"g\xfe.vine.md"))).output().unwrap());
    assert!(!said.err.contains("panicked"), "{said:?}");
}

#[test]
fn a_block_that_ends_its_interpreter_is_told_with_those_that_lose_their_state() {
    for (language, ends) in [
        ("sh", "exit 0"),
        ("python", "import os\nos._exit(0)"),
        ("python", "import sys\nsys.exit"),
        ("ruby", "exit! 0"),
        ("r", "quit(status = 0)"),
        ("javascript", "process.exit(0)"),
    ] {
        let project = Project::with(
            &format!(
                "```{language} @a\n{ends}\n```\n\n```{language} @b\n1\n```\n\n```{language} @c strand=other\n1\n```\n"
            )
            .replace("```sh @b\n1", "```sh @b\ntrue")
            .replace("```sh @c strand=other\n1", "```sh @c strand=other\ntrue"),
        );
        for _ in 0..2 {
            let said = project.weave();
            let told = said.err.contains("@a ended its interpreter: its state is gone for @b, which shares its strand");
            assert_eq!(told, !ends.ends_with("sys.exit"), "{language}: {said:?}");
        }
    }
}
