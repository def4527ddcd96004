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

/// Blocks with captions: one that shows its code alone, one that gave something, one that gave nothing, data, and a last.
const CAPTIONED: &str = "See [](@setup), [](@gave), [](@last), and [the `code`](@setup) or [that](#setup).\n\n\
    ```sh @setup caption=\"Called setup\" show=code\nx=1\n```\n\n\
    ```sh @gave caption=\"Called gave\"\necho given\n```\n\n\
    ```sh @quiet caption=\"Called quiet\"\ntrue\n```\n\n\
    ```sh @data as=json\necho '{\"depth\": [1, 2]}'\n```\n\n\
    ```sh @last caption=\"Called last\"\necho at last\n```\n";

#[test]
fn what_is_shown_without_code_is_counted_for_each_format_by_itself() {
    let formats = ["html", "pdf", "markdown", "deck", "pptx", "text", "docx", "epub", "latex"];
    let names = ["html", "pdf", "md", "deck.html", "pptx", "txt", "docx", "epub", "tex"];
    let to = formats.map(|format| format!("\"{format}\"")).join(", ");
    for codeless in [&formats[..], &formats[..1], &formats[1..]] {
        let settings = codeless.iter().map(|format| format!("[{format}]\nwithout-code = true\n"));
        let front = format!("+++\n[export]\nto = [{to}]\n{}+++\n\n", settings.collect::<String>());
        let project = Project::with(&(front + CAPTIONED));
        let said = project.weave();
        assert_eq!(said.code, 0, "{said:?}");
        assert_eq!(said.err.matches("leads nowhere in").count(), 3, "{said:?}");
        for (format, name) in formats.iter().zip(names) {
            let name = if name.starts_with("deck") { format!("guide-{name}") } else { format!("guide.{name}") };
            let text = project.text_of(&name).replace(['\u{a0}', '~'], " ");
            if text.is_empty() && name.ends_with(".pdf") {
                continue;
            }
            let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
            let is_codeless = codeless.contains(format);
            let sentence = match (*format, is_codeless) {
                ("latex", true) => "See Called setup, Listing \\ref{gave}, Listing \\ref{last}",
                ("latex", false) => "See Listing \\ref{setup}, Listing \\ref{gave}, Listing \\ref{last}",
                ("markdown", true) => "See Called setup, [Listing 1](#gave), [Listing 2](#last)",
                ("markdown", false) => "See [Listing 1](#setup), [Listing 2](#gave), [Listing 4](#last)",
                ("docx", true) => "Listing 2",
                (_, true) => "See Called setup, Listing 1, Listing 2",
                (_, false) => "Listing 4",
            };
            assert!(text.contains(sentence), "{name}, {codeless:?}: {sentence}\n{text}");
            let last = if is_codeless { "Listing 3" } else { "Listing 5" };
            assert!(!text.contains(last) && text.contains("depth"), "{name}, {codeless:?}\n{text}");
        }
        // A link leads somewhere, or says its words alone.
        let page = project.read("guide.html");
        assert_eq!(page.contains("href=\"#setup\""), page.contains("id=\"setup\""), "{page}");
        assert_eq!(page.contains("href=\"#setup\""), !codeless.contains(&"html"), "{page}");
    }
}
