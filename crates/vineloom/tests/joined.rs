//! `join=yes` puts code and output into one frame, in every format that draws frames.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::io::Read as _;
use support::Project;

const DOCUMENT: &str = "+++\ntitle = \"T\"\n[export]\nto = [\"html\", \"text\", \"docx\", \"epub\", \"latex\", \"pptx\"]\n+++\n\n\
    ```python @joined join=yes\nprint('of joined')\n```\n\n```python @parted\nprint('of parted')\n```\n";

/// A part of an archive.
fn part(project: &Project, archive: &str, name: &str) -> String {
    let file = std::fs::File::open(project.path(archive)).unwrap();
    let mut text = String::new();
    zip::ZipArchive::new(file).unwrap().by_name(name).unwrap().read_to_string(&mut text).unwrap();
    text
}

/// What of a text stands before the last place that has some words, from the last place before it that has others.
fn between<'a>(text: &'a str, from: &str, to: &str) -> &'a str {
    let end = text.rfind(to).unwrap_or_else(|| panic!("no {to} in {text}"));
    let start = text[..end].rfind(from).unwrap_or_else(|| panic!("no {from} before {to} in {text}"));
    &text[start..end]
}

#[test]
fn code_and_output_stand_in_one_frame_in_every_format_that_draws_frames() {
    let project = Project::with(DOCUMENT);
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");

    assert!(between(&project.read("guide.html"), "class=\"run", "of joined</").contains("run strand-1 join\""));
    assert!(!between(&project.read("guide.html"), "class=\"run", "of parted</").contains("join"));

    // The ground of the code lies behind the output too.
    let words = part(&project, "guide.docx", "word/document.xml");
    assert!(between(&words, "<w:pStyle w:val=\"Output\"/>", "of joined<").contains("<w:shd "));
    assert!(!between(&words, "<w:pStyle w:val=\"Output\"/>", "of parted<").contains("<w:shd "));

    let source = project.read("guide.tex");
    assert!(!between(&source, "print", "of joined\n\\end").contains("\\end{vlcode}"));
    assert!(between(&source, "print", "of parted\n\\end").contains("\\end{vlcode}"));

    let slide = part(&project, "guide.pptx", "ppt/slides/slide2.xml");
    assert!(!between(&slide, "print", "of joined</a:t>").contains("<p:sp>"), "{slide}");
    assert!(between(&slide, "print", "of parted</a:t>").contains("<p:sp>"), "{slide}");

    assert!(part(&project, "guide.epub", "EPUB/book.css").contains(".join { background:"));
    assert!(part(&project, "guide.epub", "EPUB/chapter-1.xhtml").contains("strand-1 join\""));
}
