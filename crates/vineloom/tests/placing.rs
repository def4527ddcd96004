//! Where exports go: all of a document's or none, never over what somebody wrote, never out of the project.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::os::unix::fs::symlink;
use support::Project;

const ALL: [&str; 3] = ["guide.html", "guide.pdf", "guide.md"];

fn weave(project: &Project, more: &[&str]) -> support::Said {
    project.run(&[&["weave", "guide.vine.md", "--to", "html,pdf,markdown"], more].concat())
}

/// Each export in turn can't be written; none of the others changes, and nothing runs.
#[test]
fn when_one_export_cant_be_written_none_is() {
    for bad in ALL {
        let project = Project::with("```sh @a\necho one >> ran.txt; echo one\n```\n");
        assert_eq!(weave(&project, &[]).code, 0);
        let before = ALL.map(|name| std::fs::read(project.path(name)).unwrap());
        project.write("guide.vine.md", "```sh @a\necho two >> ran.txt; echo two\n```\n");
        std::fs::remove_file(project.path(bad)).unwrap();
        std::fs::create_dir(project.path(bad)).unwrap();
        let said = weave(&project, &[]);
        assert!(said.code == 1 && said.err.contains(&format!("{bad} is a folder")), "{said:?}");
        for (name, before) in ALL.iter().zip(&before).filter(|(name, _)| **name != bad) {
            assert_eq!(&std::fs::read(project.path(name)).unwrap(), before, "{bad}: {name}");
        }
        assert_eq!(project.read("ran.txt"), "one\n", "nothing runs");
        std::fs::remove_dir(project.path(bad)).unwrap();
        assert_eq!(weave(&project, &[]).code, 0, "the next weave completes the set");
        assert!(project.read("guide.html").contains("two") && project.read("guide.md").contains("two"));
    }
}

#[test]
fn what_somebody_wrote_by_hand_is_replaced_only_when_told() {
    for name in ALL {
        let project = Project::with("text\n");
        project.write(name, "by hand");
        let said = weave(&project, &[]);
        assert!(
            said.code == 1 && said.err.contains("Vine Loom did not write it") && said.err.contains("--overwrite"),
            "{said:?}"
        );
        assert_eq!(project.read(name), "by hand");
        assert!(ALL.iter().filter(|other| **other != name).all(|other| !project.exists(other)));
        assert_eq!(weave(&project, &["--overwrite"]).code, 0);
        assert_ne!(project.read(name), "by hand");
    }
    // Part of a set: a picture in the folder of parts.
    let project =
        Project::with("```sh @a\necho '<svg xmlns=\"http://www.w3.org/2000/svg\"/>' > $VINELOOM_FIGURES/a.svg\n```\n");
    project.write("guide-parts/a-1.svg", "by hand");
    let said = weave(&project, &[]);
    assert!(
        said.code == 1 && project.read("guide-parts/a-1.svg") == "by hand" && !project.exists("guide.html"),
        "{said:?}"
    );
}

/// Exports that came with a repository say themselves that they are ours, also when the store did not come along.
#[test]
fn a_fresh_clone_with_its_exports_is_woven() {
    let text = "```sh @a\necho '<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\"/>' > $VINELOOM_FIGURES/a.svg; echo one\n```\n";
    for parts in ["", "[html]\nsingle-file = false\n"] {
        let project = Project::with(&format!("+++\n{parts}+++\n{text}"));
        assert_eq!(weave(&project, &[]).code, 0);
        std::fs::remove_dir_all(project.path(".vineloom")).unwrap();
        project.write(
            "guide.vine.md",
            project.read("guide.vine.md").replace("one", "two").replace("width=\"9\"", "width=\"8\""),
        );
        let said = weave(&project, &[]);
        assert_eq!(said.code, 0, "{said:?}");
        assert!(
            project.read("guide.md").contains("two") && project.read("guide-parts/a-2.svg").contains("width=\"8\"")
        );
    }
}

#[test]
fn a_link_in_the_place_of_an_export_is_followed_inside_the_project_alone() {
    for name in ALL {
        let outside = Project::new();
        outside.write("there", "somebody's");
        let project = Project::with("text\n");
        for target in [outside.path("there"), outside.path("new")] {
            let _ = std::fs::remove_file(project.path(name));
            symlink(&target, project.path(name)).unwrap();
            let said = weave(&project, &["--overwrite"]);
            assert!(said.code == 1 && said.err.contains("leads out of the project"), "{said:?}");
        }
        assert!(outside.read("there") == "somebody's" && !outside.exists("new"));
        std::fs::remove_file(project.path(name)).unwrap();
        std::fs::create_dir(project.path("site")).unwrap();
        symlink(format!("site/{name}"), project.path(name)).unwrap();
        assert_eq!(weave(&project, &[]).code, 0);
        assert!(project.exists(&format!("site/{name}")) && std::fs::read_link(project.path(name)).is_ok());
    }
    let outside = Project::new();
    let project =
        Project::with("```sh @a\necho '<svg xmlns=\"http://www.w3.org/2000/svg\"/>' > $VINELOOM_FIGURES/a.svg\n```\n");
    symlink(outside.path(""), project.path("guide-parts")).unwrap();
    assert_eq!(weave(&project, &[]).code, 1);
    assert_eq!(std::fs::read_dir(outside.path("")).unwrap().count(), 0);
}

#[test]
fn two_documents_that_would_write_one_file_are_told_before_anything_runs() {
    let project = Project::new();
    for name in ["a.vine.md", "a.markdown", "b.vine.md"] {
        project.write(name, "```sh @x\necho ran >> ran.txt\n```\n");
    }
    let said = project.run(&["weave", "a.vine.md", "a.markdown", "--to", "html"]);
    assert!(said.code == 1 && said.err.contains("a.vine.md and a.markdown would each write a.html"), "{said:?}");
    assert!(!project.exists("ran.txt") && !project.exists("a.html"));
    // Another that is woven with them is; a document given twice is one.
    let said = project.run(&["weave", "a.vine.md", "a.markdown", "b.vine.md", "./b.vine.md", "--to", "html"]);
    assert!(said.code == 1 && project.exists("b.html") && project.read("ran.txt") == "ran\n", "{said:?}");
    // An export never takes the place of a document, also when told to replace what is there.
    project.write("b.md", "a document of somebody's\n");
    let said = project.run(&["weave", "b.vine.md", "b.md", "--to", "markdown", "--overwrite"]);
    assert!(said.err.contains("would take the place of b.md"), "{said:?}");
    assert!(project.read("b.md").starts_with("a document of somebody's\n"));
}

#[test]
fn an_export_that_is_as_it_should_be_is_left_as_it_is() {
    let project = Project::with("```sh @a\necho one\n```\n");
    weave(&project, &[]);
    let times = || ALL.map(|name| std::fs::metadata(project.path(name)).unwrap().modified().unwrap());
    let before = times();
    weave(&project, &[]);
    assert_eq!(times(), before);
    assert!(
        std::fs::read_dir(project.path(""))
            .unwrap()
            .flatten()
            .all(|entry| !entry.file_name().to_string_lossy().ends_with(".part"))
    );
}
