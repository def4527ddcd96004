//! Lines of code with names: in live blocks, in listings and in code from files, with the number that is shown.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

const DECODE: &str = "# not shown\ndef decode(bits):\n    a = 1  # @:part-line\n    return a\n# not shown either\n";

const DOCUMENT: &str = "+++\ntitle = \"T\"\n[export]\nto = [\"html\", \"pdf\", \"markdown\", \"text\", \"docx\", \"epub\", \"latex\"]\n+++\n\n\
    ```python id=own lines=10\na = 1\nb = 2  # @:own-line\n```\n\n\
    ```python id=next lines=continue\nc = 3  # @:next-line\n```\n\n\
    ```python @live lines=continue\nd = 4\n# @:between\nprint(d)  # @:live-line\n```\n\n\
    ```python id=part from=src/decode.py#L2-L4 lines=21 caption=\"A part\"\n```\n\n\
    ```python id=bare\nx = 1\ny = 2  # @:bare-line\n```\n\n\
    ![](parts/more.vine.md)\n\n\
    Own [](@own:own-line), next [](@next:next-line), live [](@live:live-line), part [](@part:part-line), \
    bare [](@bare:bare-line), inner [](@inner:inner-line).\n";

fn project() -> Project {
    let project = Project::with(DOCUMENT);
    project.write("src/decode.py", DECODE);
    project.write(
        "parts/more.vine.md",
        "```python id=inner lines=on from=helper.py\n```\n\n```python @runs show=text from=printed.py\n```\n",
    );
    project.write("parts/printed.py", "print('printed', 'beside', 'its', 'document')\n");
    project.write("parts/helper.py", "import os\nimport sys  # @:inner-line\n");
    project
}

#[test]
fn a_line_with_a_name_has_the_number_that_is_shown_in_every_format() {
    let project = project();
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    for name in ["guide.html", "guide.pdf", "guide.md", "guide.txt", "guide.docx", "guide.epub", "guide.tex"] {
        let text = project.text_of(name).replace(['\u{a0}', '~'], " ");
        if text.is_empty() && name.ends_with(".pdf") {
            continue;
        }
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        let plain = text.split_once("Own ").map_or("", |it| it.1).chars().take(700).collect::<String>();
        let plain = format!("Own {}", plain.replace("\\hyperlink{", ""));
        for (what, line) in [("Own", 11), ("next", 12), ("live", 15), ("part", 22), ("bare", 2), ("inner", 2)] {
            let told = format!("line {line}");
            let after = plain.split_once(&format!("{what} ")).map_or("", |it| it.1);
            assert!(after.chars().take(80).collect::<String>().contains(&told), "{name}: {what} is {told}\n{plain}");
        }
        assert!(!text.contains("@:"), "{name}: {text}");
        assert!(!text.contains("not shown"), "{name}: {text}");
        assert!(text.contains("return") && text.contains("import"), "{name}: {text}");
        assert!(text.contains("printed beside its document"), "{name}: {text}");
    }
}

#[test]
fn what_a_listing_takes_from_a_file_is_checked_where_it_is_written() {
    for (document, told) in [
        ("```python from=src/none.py\n```\n", "the file src/none.py is not there"),
        ("```python from=src/decode.py#L4-L9\n```\n", "src/decode.py has no lines 4 to 9"),
        ("```python from=src/decode.py#here\n```\n", "src/decode.py has no lines here"),
        ("```python @a from=src/decode.py#here\n```\n", "src/decode.py has no lines here"),
        ("![](src/decode.py#here)\n", "src/decode.py has no lines here"),
        ("```python from=\n```\n", "no file is named"),
        ("```python @a from=\n```\n", "no file is named"),
        ("```python from=src/decode.py\nx = 1\n```\n", "a listing whose code comes from a file holds no code itself"),
        ("```python id=a\nx = 1  # @:one\n```\n\n[](@a:two)\n", "one"),
        ("```python id=a\nx = 1  # @:one\ny = 1  # @:one\n```\n", "guide.vine.md:3:"),
        ("```python id=a from=src/twice.py\n```\n", "src/twice.py:2:"),
        ("```python @a from=src/twice.py\n```\n", "src/twice.py:2:"),
    ] {
        let project = Project::with(document);
        project.write("src/decode.py", DECODE);
        project.write("src/twice.py", "x = 1  # @:one\ny = 2  # @:one\n");
        let said = project.run(&["check", "guide.vine.md"]);
        let all = said.out + &said.err;
        assert!(all.contains(told) && all.contains("guide.vine.md"), "{document}: {all}");
        assert_eq!(said.code, 1, "{document}: {all}");
    }
}

#[test]
fn numbers_go_on_behind_what_has_none_and_in_notes_and_lists() {
    let project = Project::with(
        "```python id=a lines=5\nx = 1\ny = 2\n```\n\n```console @c lines=on\n$ echo one\n$ echo two\n```\n\n\
         - An entry\n\n  ```python id=b lines=continue\n  z = 3  # @:in-list\n  ```\n\n\
         A note.[^n]\n\n[^n]: Of code:\n\n    ```python id=d lines=continue\n    w = 4  # @:in-note\n    ```\n\n\
         List [](@b:in-list), note [](@d:in-note).\n",
    );
    let seen = support::visible(&project.page()).replace('\u{a0}', " ");
    assert!(seen.contains("List line 7, note line 8."), "{seen}");
    let page = project.read("guide.html");
    assert!(page.contains("7") && seen.contains("$ echo two"), "{seen}");
}

#[test]
fn a_live_block_may_run_lines_of_a_file() {
    let project = Project::with("```python @part from=src/steps.py#L2-L3\n```\n\n[](@part:said)\n");
    project.write("src/steps.py", "nothing that runs\nx = 20 + 1\nprint(x * 2)  # @:said\nneither this\n");
    let seen = support::visible(&project.page());
    assert!(seen.contains("42") && seen.replace('\u{a0}', " ").contains("line 2"), "{seen}");
    project.write("src/steps.py", "nothing that runs\nx = 20 + 1\nprint(y * 2)  # @:said\nneither this\n");
    let said = project.weave();
    assert!(said.code == 1 && said.err.contains("src/steps.py:3"), "{said:?}");
}

#[test]
fn a_change_of_the_file_changes_the_listing_and_runs_nothing() {
    let project = project();
    assert_eq!(project.weave().code, 0);
    project.write("src/decode.py", DECODE.replace("return a", "return a + 1"));
    let said = project.weave();
    assert!(said.out.contains(" 0 ran"), "{said:?}");
    assert!(project.read("guide.md").contains("return a + 1"));
}
