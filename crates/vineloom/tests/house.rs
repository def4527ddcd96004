//! The house itself: one direction between crates, no circle between files, no file too long, tests enough.
//!
//! It reads the sources as text, and `use` and `crate::` in them as what one file needs of another.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// The rooms, each with those it may look into. What is not listed may not be.
const ROOMS: &[(&str, &[&str])] = &[
    ("language", &[]),
    ("table", &[]),
    ("font", &[]),
    ("picture", &[]),
    ("terminal-text", &[]),
    ("observe", &[]),
    ("store", &[]),
    ("chart", &["table"]),
    ("document", &["chart", "language", "table"]),
    ("interpreters", &["observe", "picture", "table", "terminal-text"]),
    ("woven", &["document", "language", "picture", "table", "terminal-text"]),
    (
        "weave",
        &["chart", "document", "interpreters", "language", "picture", "store", "table", "terminal-text", "woven"],
    ),
    ("export", &["document", "font", "table", "woven"]),
    ("pdf", &["font", "document", "export", "language", "table", "woven"]),
    ("office", &["font", "export", "woven"]),
    ("pptx", &["document", "export", "office", "woven"]),
    ("docx", &["document", "export", "office", "woven"]),
    ("latex", &["document", "export", "pdf", "woven"]),
    (
        "project",
        &[
            "docx",
            "document",
            "export",
            "interpreters",
            "language",
            "latex",
            "pdf",
            "pptx",
            "store",
            "table",
            "weave",
            "woven",
        ],
    ),
    ("serve", &[]),
    (
        "vineloom",
        &["document", "interpreters", "picture", "project", "serve", "store", "table", "terminal-text", "weave"],
    ),
];

/// How many lines of code, without comments and tests, a file may have.
const LONGEST: usize = 400;
/// How many of a hundred lines are to be tests.
const TESTS: usize = 25;

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..").canonicalize().unwrap()
}

fn sources(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            found.extend(sources(&path));
        } else if path.extension().is_some_and(|extension| extension == "rs") {
            found.push(path);
        }
    }
    found.sort();
    found
}

/// A source file: its code without comments, and how many lines of it are tests.
struct File {
    code: String,
    lines: usize,
    tests: usize,
}

fn read(path: &Path) -> File {
    let text = fs::read_to_string(path).unwrap();
    let (body, tests) = match text.find("#[cfg(test)]\nmod tests") {
        Some(at) => (&text[..at], text[at..].lines().count()),
        None => (text.as_str(), 0),
    };
    let is_code = |line: &&str| !line.trim().is_empty() && !line.trim_start().starts_with("//");
    File { code: body.lines().filter(is_code).collect::<Vec<_>>().join("\n"), lines: text.lines().count(), tests }
}

#[test]
fn crates_look_in_one_direction() {
    let there: BTreeSet<String> =
        fs::read_dir(crates()).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    assert_eq!(there, ROOMS.iter().map(|(room, _)| room.to_string()).collect());
    for (at, (room, may)) in ROOMS.iter().enumerate() {
        let manifest = fs::read_to_string(crates().join(room).join("Cargo.toml")).unwrap();
        let wanted = dependencies(&manifest, "dependencies");
        let ours = wanted.iter().filter_map(|name| name.strip_prefix("vineloom_"));
        let looks: BTreeSet<String> = ours.map(|name| name.replace('_', "-")).collect();
        assert_eq!(looks, may.iter().map(ToString::to_string).collect(), "{room}");
        let below: Vec<&str> = ROOMS[..at].iter().map(|(room, _)| *room).collect();
        assert!(may.iter().all(|other| below.contains(other)), "{room} looks back");
    }
}

/// The names of the dependencies of a section of a manifest.
fn dependencies(manifest: &str, section: &str) -> Vec<String> {
    let body = manifest.split(&format!("\n[{section}]\n")).nth(1).unwrap_or("");
    let lines = body.lines().take_while(|line| !line.starts_with('[')).filter(|line| !line.is_empty());
    lines.map(|line| line.split(['.', ' ', '=']).next().unwrap().replace('-', "_")).collect()
}

/// What stands at the root: whatever is tried out there must not stay, and nothing of this may go.
const ROOT: [&str; 14] = [
    ".ci",
    ".gitignore",
    "CONTRIBUTING.md",
    "Cargo.lock",
    "Cargo.toml",
    "LICENSE",
    "README.md",
    "clippy.toml",
    "crates",
    "docs",
    "examples",
    "rustfmt.toml",
    "scripts",
    "tests",
];

#[test]
fn what_stands_at_the_root_is_known() {
    let root = crates().parent().unwrap().to_path_buf();
    let passing = [".git", ".vineloom", "target", "vineloom-demo"];
    let there = fs::read_dir(&root).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let there: BTreeSet<String> = there.filter(|name| !passing.contains(&name.as_str())).collect();
    assert_eq!(there, ROOT.map(String::from).into());
    for (name, about) in [("README.md", "scripts/test"), ("CONTRIBUTING.md", "crates/")] {
        assert!(fs::read_to_string(root.join(name)).unwrap().contains(about), "{name} says nothing of {about}");
    }
}

#[test]
fn every_dependency_is_used() {
    for (room, _) in ROOMS {
        let manifest = fs::read_to_string(crates().join(room).join("Cargo.toml")).unwrap();
        let code = |folder: &str| -> String {
            sources(&crates().join(room).join(folder)).iter().map(|path| fs::read_to_string(path).unwrap()).collect()
        };
        let body: String = sources(&crates().join(room).join("src")).iter().map(|path| read(path).code).collect();
        for name in dependencies(&manifest, "dependencies") {
            assert!(body.contains(&name), "{room} does not use {name}");
        }
        let tests = code("src") + &code("tests");
        for name in dependencies(&manifest, "dev-dependencies") {
            assert!(tests.contains(&name), "the tests of {room} do not use {name}");
        }
    }
}

/// The files that a file needs, by their module paths.
fn needs(module: &str, code: &str, modules: &BTreeMap<String, PathBuf>) -> BTreeSet<String> {
    let parent = module.rsplit_once("::").map_or("crate", |(parent, _)| parent);
    let code = code.replace("super::", &format!("{parent}::"));
    let mut needs = BTreeSet::new();
    for (at, _) in code.match_indices("crate::") {
        let path: String = code[at..].chars().take_while(|c| c.is_alphanumeric() || matches!(c, '_' | ':')).collect();
        let names = code[at + path.len()..].strip_prefix('{').and_then(|rest| rest.split('}').next());
        let ends = names.map_or(vec![String::new()], |names| names.split(',').map(|n| n.trim().to_string()).collect());
        for end in ends {
            let whole = format!("{path}{end}");
            let mut parts: Vec<&str> = whole.split("::").collect();
            while !parts.is_empty() && !modules.contains_key(&parts.join("::")) {
                parts.pop();
            }
            needs.insert(parts.join("::"));
        }
    }
    // What a module is in, and the root with its list of modules, are no other file that it needs.
    needs.retain(|need| {
        need != module && need != "crate" && !need.is_empty() && !module.starts_with(&format!("{need}::"))
    });
    needs
}

#[test]
fn no_two_files_need_each_other() {
    for (room, _) in ROOMS {
        let root = crates().join(room).join("src");
        let module = |path: &PathBuf| {
            let name = path.strip_prefix(&root).unwrap().with_extension("").to_string_lossy().replace('/', "::");
            let name = name.trim_end_matches("::mod").to_string();
            if name == "lib" || name == "main" { "crate".to_string() } else { format!("crate::{name}") }
        };
        let modules: BTreeMap<String, PathBuf> = sources(&root).into_iter().map(|path| (module(&path), path)).collect();
        let graph: BTreeMap<&String, BTreeSet<String>> =
            modules.iter().map(|(module, path)| (module, needs(module, &read(path).code, &modules))).collect();
        for start in modules.keys() {
            let (mut reached, mut waiting) = (BTreeSet::new(), vec![start]);
            while let Some(at) = waiting.pop() {
                for next in graph[at].iter().filter_map(|next| modules.get_key_value(next)).map(|(next, _)| next) {
                    assert!(next != start, "{room}: {start} needs itself, by way of {at}");
                    if reached.insert(next) {
                        waiting.push(next);
                    }
                }
            }
        }
    }
}

#[test]
fn no_file_is_too_long_and_a_quarter_is_tests() {
    let (mut lines, mut tests) = (0, 0);
    for (room, _) in ROOMS {
        for path in sources(&crates().join(room).join("src")) {
            let file = read(&path);
            let code = file.code.lines().count();
            assert!(code <= LONGEST, "{} has {code} lines of code", path.display());
            lines += file.lines;
            tests += file.tests;
        }
        for path in sources(&crates().join(room).join("tests")) {
            let count = read(&path).lines;
            lines += count;
            tests += count;
        }
    }
    assert!(tests * 100 >= lines * TESTS, "{tests} of {lines} lines are tests");
}

/// What an export is made of is told from other things by its bytes: a field that is left out where it is empty would let two
/// things have the same ones.
#[test]
fn no_field_of_what_exports_are_made_of_is_left_out() {
    for room in ["document", "export", "language", "pdf", "picture", "table", "woven", "docx", "latex", "pptx"] {
        for path in sources(&crates().join(room).join("src")) {
            assert!(!read(&path).code.contains("skip_serializing_if"), "{}", path.display());
        }
    }
}
