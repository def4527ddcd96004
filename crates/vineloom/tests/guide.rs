//! The guide: its first page is woven, and every example in the others is read by the program.
//!
//! `VINELOOM_UPDATE_DOCS=1` writes `docs/begin.md` anew: read the difference before it is committed.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::path::Path;
use support::Project;

/// The folder of the guide.
fn docs() -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs")
}

fn copied(from: &Path, project: &Project) {
    let copied = std::process::Command::new("cp").arg("-r").arg(from).arg(project.path("")).status().unwrap();
    assert!(copied.success());
}

#[test]
fn the_first_page_says_what_its_commands_say() {
    if support::tool("Rscript", &[Path::new("--version")]).is_none() {
        return;
    }
    let project = Project::new();
    copied(&docs().join("begin.vine.md"), &project);
    copied(&docs().join("begin"), &project);
    let program = project.command(&[]).get_program().to_owned();
    let folder = Path::new(&program).parent().unwrap().display().to_string();
    project.write("vineloom.toml", format!("[environment]\npath = [\"{folder}\"]\n"));
    let said = project.run(&["weave", "begin.vine.md"]);
    assert_eq!(said.code, 0, "{said:?}");
    let woven = project.read("begin.md");
    if std::env::var_os("VINELOOM_UPDATE_DOCS").is_some() {
        std::fs::write(docs().join("begin.md"), &woven).unwrap();
    }
    let kept = std::fs::read_to_string(docs().join("begin.md")).unwrap();
    assert!(woven == kept, "docs/begin.md is not what begin.vine.md gives:\n{woven}");
}

/// An example of the guide: the page, its first line there, its language and its text.
struct Example {
    place: String,
    language: String,
    text: String,
}

/// The fenced examples of a page.
fn examples(page: &Path) -> Vec<Example> {
    let text = std::fs::read_to_string(page).unwrap();
    let mut examples: Vec<Example> = Vec::new();
    let mut open: Option<(usize, usize, String, String)> = None;
    for (at, line) in text.lines().enumerate() {
        let ticks = line.bytes().take_while(|&byte| byte == b'`').count();
        open = match open.take() {
            None if ticks >= 3 => Some((at + 1, ticks, line[ticks..].to_string(), String::new())),
            Some((first, fence, language, text)) if ticks >= fence && line.trim_end().len() == ticks => {
                let place = format!("{}:{first}", page.file_name().unwrap().to_string_lossy());
                examples.push(Example { place, language, text });
                None
            }
            Some((first, fence, language, text)) => Some((first, fence, language, text + line + "\n")),
            None => None,
        };
    }
    examples
}

#[test]
fn every_example_of_the_guide_is_read_without_a_mistake() {
    let mut wrong = Vec::new();
    let mut count = 0;
    for entry in std::fs::read_dir(docs()).unwrap() {
        let page = entry.unwrap().path();
        let name = page.file_name().unwrap().to_string_lossy().into_owned();
        if !name.ends_with(".md") || name.starts_with("begin") {
            continue;
        }
        for example in examples(&page) {
            let project = Project::new();
            let word = example.language.split_whitespace().next().unwrap_or("");
            let document = match word {
                "toml" if name == "charts.md" => {
                    format!("```python @readings\nprint('day')\n```\n\n```chart @drawn\n{}```\n", example.text)
                }
                "toml" => format!("+++\n{}+++\n\nText.\n", example.text),
                "markdown" => example.text.clone(),
                _ => continue,
            };
            count += 1;
            project.write("guide.vine.md", document);
            let said = project.run(&["check", "guide.vine.md"]);
            // An example names files that only its reader has.
            let mistakes = said.err.split("\n\n").filter(|finding| {
                finding.starts_with("error")
                    && !finding.contains("is not there")
                    && !finding.contains("the driver tools/perl-driver.pl can't be read")
            });
            let mistakes: Vec<&str> = mistakes.collect();
            if !mistakes.is_empty() {
                wrong.push(format!("{}:\n{}", example.place, mistakes.join("\n")));
            }
        }
    }
    assert!(count >= 10, "only {count} examples were found");
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}
