//! Packs: what is in them, that they give the same bytes elsewhere without interpreters, and that a hostile one lets
//! nothing out of its folder.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::collections::BTreeMap;
use std::io::{Read, Write};
use std::path::Path;
use support::{Project, Said, said};

const DOCUMENT: &str = r#"+++
title = "Packed"
date = "modified"
library = ["../helpers.vine.md"]
references = ["works.bib"]
[html]
style = "house.css"
+++

![A dot](pictures/dot.svg) See [](@calloway2019) and @[greet(who="you")].

```python @read reads=extra/*.csv env="FIELD=north"
import helper
print(helper.mean(open("data/june.csv")))
```

```sh @list cwd=data
ls; cat linked.csv; echo made > ../made.txt
```

```sh @scratch cwd=@scratch
echo 1 > a; cat a
```

```console @session
$ echo hi
```

![Limits](data/limits.csv)

```r @figure alt="A line"
plot(1:3)
```

![](parts/end.vine.md)
"#;

const FORMATS: &str = "html,pdf,markdown,text,docx,epub,latex,notebook,deck,deck-pdf,pptx";

fn project() -> Project {
    let project = Project::new();
    project.write("vineloom.toml", "[export]\nnumbered = true\n");
    project.write("helpers.vine.md", "```sh @greet takes=who=\"x\"\necho hello $who\n```\n");
    project.write("docs/guide.vine.md", DOCUMENT);
    project.write("docs/works.bib", "@book{calloway2019, author={Calloway, I.}, title={Water}, year={2019}}\n");
    project.write("docs/house.css", "p { color: #123456 }\n");
    project.write("docs/pictures/dot.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"/>");
    project
        .write("docs/helper.py", "def mean(lines):\n    v = [float(x) for x in lines]\n    return sum(v) / len(v)\n");
    project.write("docs/extra/declared.csv", "1\n");
    project.write("docs/data/june.csv", "1\n2\n");
    project.write("docs/data/limits.csv", "a,b\n1,2\n");
    project.write("docs/parts/end.vine.md", "The end.\n");
    project.write("docs/unrelated.csv", "secret\n");
    project.write("docs/.env", "TOKEN=x\n");
    std::os::unix::fs::symlink("june.csv", project.path("docs/data/linked.csv")).unwrap();
    project
}

/// The program as another user has it: other home, other data folder, and no interpreter on the PATH.
fn as_another(project: &Project, home: &Path, arguments: &[&str]) -> Said {
    let mut command = project.command(arguments);
    command.env_clear().env("HOME", home).env("PATH", home.join("no-programs")).env("NO_COLOR", "1").current_dir(home);
    said(&command.output().unwrap())
}

#[test]
fn a_pack_gives_the_same_bytes_under_another_home_without_interpreters() {
    let project = project();
    let said = project.run(&["weave", "docs/guide.vine.md", "--to", FORMATS]);
    assert_eq!(said.code, 0, "{said:?}");
    let packed = project.run(&["pack", "docs/guide.vine.md"]);
    assert_eq!(packed.code, 0, "{packed:?}");
    let home = tempfile::tempdir().unwrap();
    let archive = home.path().join("guide-pack.tar.gz");
    std::fs::copy(project.path("guide-pack.tar.gz"), &archive).unwrap();
    let names = entries(&archive);
    for name in [
        "project/vineloom.toml",
        "project/helpers.vine.md",
        "project/docs/guide.vine.md",
        "project/docs/helper.py",
        "project/docs/extra/declared.csv",
        "project/docs/data/june.csv",
        "project/docs/data/linked.csv",
        "project/docs/pictures/dot.svg",
        "project/docs/house.css",
        "project/docs/parts/end.vine.md",
    ] {
        assert!(names.contains_key(name), "{name} in {:?}", names.keys());
    }
    let secret = |name: &&String| name.contains("unrelated") || name.contains(".env") || name.contains("secret");
    assert_eq!(names.keys().find(secret), None);
    let said = as_another(&project, home.path(), &["unpack", "guide-pack.tar.gz", "deep/er/x"]);
    assert!(
        said.code == 0 && said.out.contains("Next: vineloom weave --stored-only deep/er/x/docs/guide.vine.md"),
        "{said:?}"
    );
    assert!(said.out.contains("python (Python 3"), "the versions are told: {said:?}");
    let woven =
        as_another(&project, home.path(), &["weave", "--stored-only", "deep/er/x/docs/guide.vine.md", "--to", FORMATS]);
    assert_eq!(woven.code, 0, "{woven:?}");
    for name in [
        "guide.html",
        "guide.pdf",
        "guide.md",
        "guide.txt",
        "guide.docx",
        "guide.epub",
        "guide.tex",
        "guide.ipynb",
        "guide-deck.html",
        "guide-deck.pdf",
        "guide.pptx",
    ] {
        let there =
            std::fs::read(home.path().join("deep/er/x/docs").join(name)).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert!(there == std::fs::read(project.path("docs").join(name)).unwrap(), "{name} differs");
    }
    // Where the interpreters are, it is kept as well, or runs to the same result.
    let link = std::fs::read_link(home.path().join("deep/er/x/docs/data/linked.csv")).unwrap();
    assert_eq!(link, Path::new("june.csv"));
    let again = as_another(&project, home.path(), &["unpack", "guide-pack.tar.gz", "deep/er/x"]);
    assert!(again.code == 2 && again.err.contains("is there already"), "{again:?}");
    // The same documents give the same pack.
    assert_eq!(project.run(&["pack", "docs/guide.vine.md", "--to", "second.tar.gz"]).code, 0);
    assert!(std::fs::read(project.path("second.tar.gz")).unwrap() == std::fs::read(&archive).unwrap());
}

#[test]
fn what_can_not_be_packed_is_told() {
    let project = Project::with("```sh @a\ncat ../outside.csv .env; cat data.csv\n```\n");
    project.write(".env", "x\n");
    project.write("data.csv", "x\n");
    let said = project.run(&["pack", "guide.vine.md"]);
    assert!(said.code == 1 && said.err.contains("@a has no stored result"), "weave it first: {said:?}");
    let project = Project::new();
    project.write("a/guide.vine.md", "![](../b/part.vine.md)\n\n```sh @a\ncat .env data.csv\n```\n");
    project.write("a/.env", "x\n");
    project.write("a/data.csv", "y\n");
    project.write("b/part.vine.md", "Part.\n");
    assert_eq!(project.run(&["weave", "a/guide.vine.md"]).code, 0);
    let said = project.run(&["pack", "a/guide.vine.md"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert!(said.err.contains("b/part.vine.md is not in the pack: it lies outside of the project"), "{said:?}");
    assert!(said.err.contains("a/.env is not in the pack: it is hidden"), "{said:?}");
    project.write("c/other.vine.md", "Other.\n");
    let two = project.run(&["pack", "a/guide.vine.md", "c/other.vine.md"]);
    assert!(two.code == 2 && two.err.contains("of another project"), "{two:?}");
}

/// The entries of an archive, by name.
fn entries(archive: &Path) -> BTreeMap<String, Vec<u8>> {
    let file = std::fs::File::open(archive).unwrap();
    let mut tar = tar::Archive::new(flate2::read::GzDecoder::new(file));
    let mut found = BTreeMap::new();
    for entry in tar.entries().unwrap() {
        let mut entry = entry.unwrap();
        let mut bytes = Vec::new();
        entry.read_to_end(&mut bytes).unwrap();
        found.insert(entry.path().unwrap().to_string_lossy().into_owned(), bytes);
    }
    found
}

/// One thing in a forged archive.
enum Forged<'a> {
    File(&'a str, &'a [u8]),
    Symlink(&'a str, &'a str),
    Kind(&'a str, tar::EntryType, &'a str),
}

/// A pack with what somebody hostile puts into it; `manifest` says of it what they like.
fn forge(path: &Path, manifest: &serde_json::Value, things: &[Forged]) {
    let file = std::fs::File::create(path).unwrap();
    let mut archive = tar::Builder::new(flate2::write::GzEncoder::new(file, flate2::Compression::default()));
    let header = |name: &str, kind: tar::EntryType, size: u64| {
        let mut header = tar::Header::new_gnu();
        header.set_entry_type(kind);
        header.set_size(size);
        header.set_mode(0o4755);
        // What the library would not let through.
        let bytes = name.as_bytes();
        header.as_mut_bytes()[..bytes.len()].copy_from_slice(bytes);
        header
    };
    let text = manifest.to_string();
    let mut put = |mut header: tar::Header, bytes: &[u8]| {
        header.set_cksum();
        archive.append(&header, bytes).unwrap();
    };
    put(header("pack.json", tar::EntryType::Regular, text.len() as u64), text.as_bytes());
    put(header("results.tar", tar::EntryType::Regular, 1024), &[0; 1024]);
    for thing in things {
        match thing {
            Forged::File(name, bytes) => put(header(name, tar::EntryType::Regular, bytes.len() as u64), bytes),
            Forged::Symlink(name, to) => {
                let mut link = header(name, tar::EntryType::Symlink, 0);
                link.set_link_name_literal(to).unwrap();
                put(link, &[]);
            }
            Forged::Kind(name, kind, to) => {
                let mut other = header(name, *kind, 0);
                let _ = other.set_link_name_literal(to);
                put(other, &[]);
            }
        }
    }
    archive.into_inner().unwrap().finish().unwrap().flush().unwrap();
}

fn manifest(files: &[(&str, &[u8])], links: &[(&str, &str)]) -> serde_json::Value {
    let files: BTreeMap<&str, String> =
        files.iter().map(|(name, bytes)| (*name, blake3::hash(bytes).to_hex().to_string())).collect();
    let links: BTreeMap<&str, &str> = links.iter().copied().collect();
    serde_json::json!({
        "form": 1, "program": "0", "documents": ["a.vine.md"], "languages": {}, "files": files, "links": links, "results": 0,
    })
}

#[test]
fn a_hostile_pack_lets_nothing_out_of_its_folder() {
    use Forged::{File, Kind, Symlink};
    let ok: &[u8] = b"Text.\n";
    let cases: Vec<(&str, serde_json::Value, Vec<Forged>)> = vec![
        ("a step up", manifest(&[("../out", ok)], &[]), vec![File("project/../out", ok)]),
        ("a step up behind a name", manifest(&[("a/../../out", ok)], &[]), vec![File("project/a/../../out", ok)]),
        ("an absolute path", manifest(&[], &[]), vec![File("/tmp/vineloom-hostile-out", ok)]),
        ("beside the project", manifest(&[], &[]), vec![File("out", ok)]),
        (
            "a hidden file",
            manifest(&[(".git/hooks/post-checkout", ok)], &[]),
            vec![File("project/.git/hooks/post-checkout", ok)],
        ),
        ("a store of its own", manifest(&[(".vineloom/v1/x", ok)], &[]), vec![File("project/.vineloom/v1/x", ok)]),
        ("a link to elsewhere", manifest(&[], &[("a", "/etc/passwd")]), vec![Symlink("project/a", "/etc/passwd")]),
        ("a link upwards", manifest(&[], &[("a", "../../x")]), vec![Symlink("project/a", "../../x")]),
        ("a link up behind a name", manifest(&[], &[("a", "b/../../x")]), vec![Symlink("project/a", "b/../../x")]),
        (
            "a link and a file through it",
            manifest(&[("a/out", ok)], &[("a", "b")]),
            vec![Symlink("project/a", "b"), File("project/a/out", ok)],
        ),
        ("a link behind a link", manifest(&[("d/f", ok)], &[("a", "d"), ("a/b", "f")]), vec![File("project/d/f", ok)]),
        ("a hard link", manifest(&[], &[]), vec![Kind("project/a", tar::EntryType::Link, "/etc/passwd")]),
        ("a device", manifest(&[], &[]), vec![Kind("project/a", tar::EntryType::Char, "")]),
        ("a pipe", manifest(&[], &[]), vec![Kind("project/a", tar::EntryType::Fifo, "")]),
        ("a file twice", manifest(&[("a", ok)], &[]), vec![File("project/a", ok), File("project/a", ok)]),
        ("a file that it does not name", manifest(&[], &[]), vec![File("project/a", ok)]),
        ("a file that is missing", manifest(&[("a", ok)], &[]), vec![]),
        ("a file that was changed", manifest(&[("a", b"other")], &[]), vec![File("project/a", ok)]),
        (
            "another form",
            serde_json::json!({"form": 9, "program": "", "documents": [], "languages": {}, "files": {}, "links": {}, "results": 0}),
            vec![],
        ),
        ("nothing that says what it is", serde_json::json!([]), vec![]),
    ];
    for (what, manifest, things) in cases {
        let project = Project::new();
        forge(&project.path("in/evil.tar.gz".split('/').next_back().unwrap()), &manifest, &things);
        let said = project.run(&["unpack", "evil.tar.gz", "inside/x"]);
        assert!(said.code == 2 && said.err.contains("is no sound pack"), "{what}: {said:?}");
        let mut left: Vec<String> = Vec::new();
        for folder in ["", "inside"] {
            let names = std::fs::read_dir(project.path(folder)).into_iter().flatten().flatten();
            left.extend(names.map(|entry| entry.file_name().to_string_lossy().into_owned()));
        }
        left.sort();
        assert_eq!(left, ["evil.tar.gz", "inside"], "{what}");
        assert!(!Path::new("/tmp/vineloom-hostile-out").exists(), "{what}");
    }
}

#[test]
fn a_bomb_ends_at_the_limit() {
    let project = Project::new();
    let zeros = vec![0_u8; 64 << 20];
    forge(&project.path("bomb.tar.gz"), &manifest(&[("a", &zeros)], &[]), &[Forged::File("project/a", &zeros)]);
    let size = std::fs::metadata(project.path("bomb.tar.gz")).unwrap().len();
    assert!(size < 1 << 20, "it is small: {size}");
    let said = project.run(&["unpack", "bomb.tar.gz", "x", "--limit", "8MiB"]);
    assert!(said.code == 2 && said.err.contains("more than 8388608 bytes"), "{said:?}");
    assert!(!project.exists("x"));
    // Sizes that are not there, and a file that is no archive.
    let text = manifest(&[], &[]).to_string();
    let file = std::fs::File::create(project.path("short.tar.gz")).unwrap();
    let mut gz = flate2::write::GzEncoder::new(file, flate2::Compression::default());
    let mut header = tar::Header::new_gnu();
    header.set_path("pack.json").unwrap();
    header.set_size(1 << 40);
    header.set_cksum();
    gz.write_all(header.as_bytes()).unwrap();
    gz.write_all(text.as_bytes()).unwrap();
    gz.finish().unwrap();
    project.write("none.tar.gz", "this is no archive");
    for name in ["short.tar.gz", "none.tar.gz"] {
        let said = project.run(&["unpack", name, "x"]);
        assert!(said.code == 2 && said.err.contains("is no sound pack"), "{said:?}");
    }
    assert!(!project.exists("x"));
}

#[test]
fn a_mode_brings_no_more_than_the_right_to_run() {
    use std::os::unix::fs::PermissionsExt;
    let project = Project::new();
    let ok: &[u8] = b"#!/bin/sh\n";
    forge(&project.path("p.tar.gz"), &manifest(&[("a.sh", ok)], &[]), &[Forged::File("project/a.sh", ok)]);
    let said = project.run(&["unpack", "p.tar.gz", "x"]);
    assert_eq!(said.code, 0, "{said:?}");
    let mode = std::fs::metadata(project.path("x/a.sh")).unwrap().permissions().mode();
    assert_eq!(mode & 0o7777, 0o755, "{mode:o}");
}
