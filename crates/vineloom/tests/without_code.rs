//! Exports for readers who want no code: in every format what blocks gave, and nothing of how.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

const DOCUMENT: &str = "+++\ntitle = \"T\"\n[export]\nto = [\"html\", \"pdf\", \"markdown\", \"deck\", \"deck-pdf\", \"pptx\", \"text\", \"docx\", \"epub\", \"latex\"]\nwithout-code = true\n+++\n\n## A\n\n```python @a fold=closed caption=\"Given\"\ncode_of_a = 'result of ' + 'a'\nprint(code_of_a)\n```\n\n```python @only-code\ncode_of_b = 1\n```\n\n```console @c\n$ echo result of c; : code_of_c\n```\n\n```python @d transcript=yes\ncode_of_d = 'result of ' + 'd'\ncode_of_d\n```\n\n```sh\nshown listing\n```\n";

#[test]
fn no_format_shows_code_and_every_format_shows_what_it_gave() {
    let project = Project::with(DOCUMENT);
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    for name in [
        "guide.html",
        "guide.pdf",
        "guide.md",
        "guide-deck.html",
        "guide-deck.pdf",
        "guide.pptx",
        "guide.txt",
        "guide.docx",
        "guide.epub",
        "guide.tex",
    ] {
        let text = project.text_of(name);
        if text.is_empty() && name.ends_with(".pdf") {
            continue;
        }
        for code in ["code_of_a", "code_of_b", "code_of_c", "code_of_d"] {
            assert!(!text.contains(code) && !text.contains(&code.replace('_', "\\_")), "{name}: {code}\n{text}");
        }
        // A listing that never runs is text; in LaTeX its words stand apart.
        let listing = if name.ends_with(".tex") { "listing" } else { "shown listing" };
        for result in ["result of a", "result of c", "result of d", listing] {
            assert!(text.contains(result), "{name}: {result}\n{text}");
        }
    }
    // It is a look: nothing runs for it.
    project.write("guide.vine.md", DOCUMENT.replace("without-code = true", "without-code = false"));
    let shown = project.weave();
    assert!(shown.out.contains(" 0 ran"), "{shown:?}");
    assert!(project.read("guide.txt").contains("code_of_a"));
}
