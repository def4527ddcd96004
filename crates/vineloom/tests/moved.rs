//! Exports in another folder: what relative links and pictures lead to from there.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::io::Read;
use support::Project;

const DOCUMENT: &str = r##"+++
title = "A [link](data/title.csv)"
+++

# A heading with [a link](data/heading.csv)

A [link](data/plain.csv "with a title"), [one by reference][there], <a href="data/html.csv">one in HTML</a>, a footnote.[^n]
To [a sister](../sister/other.html#place), to [a place](#end), to [elsewhere](https://example.org/a.csv).

![A picture](pictures/dot.svg)

- in a list: [item](./data/item.csv)

| a | b |
|---|---|
| [cell](data/cell.csv) | x |

> [quoted](data/quoted.csv)

<div><a href='data/block.csv'>A block of HTML</a></div>

```sh @printed as=markdown show=text caption="Printed, with [a link](data/caption.csv)"
echo '[printed](data/printed.csv)'
```

```sh @html as=html show=text
echo '<p><a href="data/printed-html.csv">printed HTML</a></p>'
```

# End {#end}

[^n]: In a [footnote](data/note.csv).

[there]: data/reference.csv
"##;

const FILES: [&str; 13] = [
    "title",
    "heading",
    "plain",
    "html",
    "item",
    "cell",
    "quoted",
    "block",
    "caption",
    "printed",
    "printed-html",
    "note",
    "reference",
];

fn project() -> Project {
    let project = Project::new();
    project.write("docs/guide.vine.md", DOCUMENT);
    project.write("sister/other.vine.md", "# Other\n");
    for name in FILES {
        project.write(&format!("docs/data/{name}.csv"), "a,b\n1,2\n");
    }
    project.write("docs/pictures/dot.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"/>");
    project
}

/// All text of an export, the parts of an archive with it.
fn text_of(project: &Project, name: &str) -> String {
    let bytes = std::fs::read(project.path(name)).unwrap();
    let Ok(mut archive) = zip::ZipArchive::new(std::io::Cursor::new(&bytes)) else {
        return String::from_utf8_lossy(&bytes).into_owned();
    };
    let mut text = String::new();
    for at in 0..archive.len() {
        let _ = archive.by_index(at).unwrap().read_to_string(&mut text);
    }
    text
}

#[test]
fn relative_links_lead_where_they_led_in_every_format() {
    let project = project();
    let formats = "html,markdown,docx,latex,notebook,deck,pptx,pdf,text";
    let said =
        project.run(&["weave", "docs/guide.vine.md", "sister/other.vine.md", "--out", "site/en", "--to", formats]);
    assert_eq!(said.code, 0, "{said:?}");
    for name in ["guide.html", "guide-deck.html", "guide.md", "guide.ipynb", "guide.docx", "guide.tex", "guide.pptx"] {
        let text = text_of(&project, &format!("site/en/{name}"));
        for file in FILES.iter().filter(|file| text.contains(&format!("data/{file}.csv"))) {
            let led_back = text.matches(&format!("../../docs/data/{file}.csv")).count();
            // A notebook keeps front matter, options and code as they are written.
            let as_written =
                usize::from(name == "guide.ipynb" && ["title", "caption", "printed", "printed-html"].contains(file));
            assert_eq!(text.matches(&format!("data/{file}.csv")).count(), led_back + as_written, "{name}: {file}");
        }
        let shown = FILES.iter().filter(|file| text.contains(&format!("../../docs/data/{file}.csv"))).count();
        // Raw HTML and captions are words in some formats.
        assert!(shown >= 8, "{name}: {shown}");
        assert!(text.contains("other.html") && !text.contains("sister/other.html"), "{name}: a document beside it");
        assert!(text.contains("https://example.org/a.csv"), "{name}");
    }
    for name in ["guide.html", "guide.md"] {
        let text = text_of(&project, &format!("site/en/{name}"));
        // The title of woven Markdown is words alone.
        for file in FILES.iter().filter(|file| name == "guide.html" || **file != "title") {
            assert!(text.contains(&format!("../../docs/data/{file}.csv")), "{name}: {file}\n{text}");
        }
    }
    assert!(project.exists("site/en/../../docs/data/plain.csv"));
    // The picture of the page is in it; that of the Markdown is found from where it stands.
    assert!(project.read("site/en/guide.html").contains("data:image/svg"));
    assert!(project.read("site/en/guide.md").contains("](../../docs/pictures/dot.svg)"));
}

#[test]
fn beside_the_document_nothing_changes() {
    let project = project();
    let here = project.run(&["weave", "docs/guide.vine.md", "--to", "html,markdown"]);
    assert_eq!(here.code, 0, "{here:?}");
    let (page, text) = (project.read("docs/guide.html"), project.read("docs/guide.md"));
    let out = project.run(&["weave", "docs/guide.vine.md", "--to", "html,markdown", "--out", "docs/../docs"]);
    assert_eq!(out.code, 0, "{out:?}");
    assert!(project.read("docs/guide.html") == page && project.read("docs/guide.md") == text);
    assert!(text.contains("](data/plain.csv \"with a title\")") && page.contains("href=\"data/plain.csv\""));
}
