//! Woven Markdown: what a code host makes of it is what the page shows.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use comrak::{Options, markdown_to_html};
use std::path::{Path, PathBuf};
use support::Project;

/// What stands in HTML, by the kind of its element: headings with their level, code, the cells of tables, entries of lists.
#[derive(Debug, Default, PartialEq, Eq)]
struct Shape {
    headings: Vec<(String, String)>,
    code: Vec<String>,
    tables: Vec<Vec<String>>,
    entries: Vec<String>,
}

/// The text between an element's tags at a place, without the tags in it, and where it ends.
fn inner<'h>(html: &'h str, name: &str) -> (&'h str, usize) {
    let open = html.find('>').map_or(html.len(), |at| at + 1);
    let (mut depth, mut at) = (1, open);
    while depth > 0 {
        let next = html[at..].find('<').map_or(html.len(), |next| at + next);
        let tag = &html[next..];
        if tag.starts_with(&format!("</{name}>")) {
            depth -= 1;
        } else if tag.starts_with(&format!("<{name}>")) || tag.starts_with(&format!("<{name} ")) {
            depth += 1;
        }
        if depth == 0 || next >= html.len() {
            return (&html[open..next.min(html.len())], next.min(html.len()));
        }
        at = next + 1;
    }
    ("", open)
}

fn words(html: &str) -> String {
    let mut text = String::new();
    let mut rest = html;
    while let Some(at) = rest.find('<') {
        text.push_str(&rest[..at]);
        rest = rest[at..].find('>').map_or("", |end| &rest[at + end + 1..]);
    }
    text.push_str(rest);
    let plain = text.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&amp;", "&");
    plain.replace('\u{a0}', " ").split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The shape of HTML. Of a page, only its text counts, without what helps to find one's way in it.
fn shape(html: &str) -> Shape {
    let body = html.split_once("<main id=\"text\">").map_or(html, |(_, body)| body);
    let body = body.split("<footer").next().unwrap();
    let mut shape = Shape::default();
    let mut at = 0;
    while let Some(next) = body[at..].find('<').map(|next| at + next) {
        let name: String = body[next + 1..].chars().take_while(char::is_ascii_alphanumeric).collect();
        let (content, _) = inner(&body[next..], &name);
        at = next + 1;
        match name.as_str() {
            "h1" | "h2" | "h3" | "h4" | "h5" | "h6" => {
                let content = content.split("<a class=\"self\"").next().unwrap();
                // A page numbers its sections where that is asked for; the author's text has no numbers.
                let content = content
                    .strip_prefix("<span class=\"number\">")
                    .map_or(content, |rest| rest.split_once("</span>").unwrap().1);
                shape.headings.push((name, words(content)));
            }
            "pre" => shape.code.push(words(content)),
            "table" => shape.tables.push(Vec::new()),
            // A cell without a head of its own is one all the same.
            "td" | "th" => shape.tables.last_mut().unwrap().push(words(content)),
            "li" => {
                let own = content.split("<ul").next().unwrap().split("<ol").next().unwrap();
                let own = words(own.split("<div").next().unwrap().split("<pre").next().unwrap());
                // The way back from a footnote is each reader's own.
                shape.entries.push(own.split('↩').next().unwrap().trim().to_string());
            }
            _ => {}
        }
    }
    shape
}

/// A page's shape as woven Markdown has it: levels as the writer gave them, lists that only a page has left out.
fn of_page(html: &str) -> Shape {
    let mut page = shape(html);
    page.tables.iter_mut().for_each(|cells| cells.retain(|cell| !cell.is_empty()));
    page
}

fn of_markdown(markdown: &str, github: bool) -> Shape {
    let mut options = Options::default();
    options.extension.table = github;
    options.extension.strikethrough = github;
    options.extension.tasklist = github;
    options.extension.autolink = github;
    options.extension.footnotes = github;
    options.extension.alerts = github;
    options.render.r#unsafe = true;
    let mut shape = shape(&markdown_to_html(markdown, &options));
    shape.tables.iter_mut().for_each(|cells| cells.retain(|cell| !cell.is_empty()));
    shape
}

fn examples() -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples");
    let mut found: Vec<PathBuf> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    found.retain(|path| path.to_string_lossy().ends_with(".vine.md"));
    found.sort();
    assert!(found.len() >= 3);
    found
}

/// The documents of the demo and the examples, woven to a page and to Markdown.
fn all() -> Vec<(String, String, String)> {
    let project = Project::new();
    let said = project.run(&["demo", "here"]);
    assert_eq!(said.code, 0, "{said:?}");
    for example in examples() {
        let name = example.file_name().unwrap().to_string_lossy().into_owned();
        project.write(&format!("here/{name}"), std::fs::read(&example).unwrap());
    }
    let mut documents: Vec<String> = std::fs::read_dir(project.path("here"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .filter(|name| name.ends_with(".vine.md"))
        .collect();
    documents.sort();
    let woven = |name: String| {
        let said = project.run(&["weave", &format!("here/{name}"), "--to", "html,markdown"]);
        assert_eq!(said.code, 0, "{name}: {said:?}");
        let stem = name.trim_end_matches(".vine.md");
        let page = project.read(&format!("here/{stem}.html"));
        let markdown = project.read(&format!("here/{stem}.md"));
        (name, page, markdown)
    };
    documents.into_iter().map(woven).collect()
}

#[test]
fn a_code_host_shows_the_headings_code_tables_and_lists_of_the_page() {
    let documents = all();
    assert!(documents.len() >= 5, "{}", documents.len());
    for (name, page, markdown) in documents {
        let (page, github, plain) = (of_page(&page), of_markdown(&markdown, true), of_markdown(&markdown, false));
        let titles = |shape: &Shape| shape.headings.iter().map(|(_, words)| words.clone()).collect::<Vec<_>>();
        let mut wanted = titles(&page);
        wanted.retain(|title| !["References", "Notes", "Footnotes", "Works cited"].contains(&title.as_str()));
        let on_tabs = |title: &String| !wanted.contains(title);
        let mut shown = titles(&github);
        shown.retain(|title| !on_tabs(title));
        assert_eq!(shown, wanted, "{name}");
        assert_eq!(titles(&plain), titles(&github), "{name}: headings need no extension");
        assert_eq!(plain.code.len(), github.code.len(), "{name}");
        assert_eq!(github.code, page.code, "{name}");
        assert_eq!(github.tables, page.tables, "{name}");
        for entry in &page.entries {
            // A section without a number is referred to by its title.
            let entry = entry.split("Section ").next().unwrap();
            assert!(
                github.entries.iter().any(|other| other.contains(entry)),
                "{name}: {entry} in {:?}",
                github.entries
            );
        }
        for notation in ["@[", "](@", "{#", "\n:::", "\n+++"] {
            assert!(!markdown.contains(notation), "{name} has {notation} left");
        }
        assert!(!markdown.contains("\n\n\n\n"), "{name} has gaps");
    }
}

#[test]
fn contents_commands_and_numbers_are_in_the_text() {
    let project = Project::with(
        "+++\ntitle = \"Wiring\"\nreferences = \"a.bib\"\n[macros]\n\"\\\\R\" = \"\\\\mathbb{R}\"\n\"\\\\norm\" = \"\\\\lVert #1 \\\\rVert\"\n\
         [markdown]\ncontents = \"top\"\n+++\n\n## Wiring\n\nIn $\\norm{x} \\in \\R$ and [](@wren).\n\n### The *long* way\n\n\
         $$\\norm{y} = @[n]$$ {#mass}\n\nSee [](@mass).\n\n![](parts.vine.md#one)\n\n```sh @n show=none\necho 3\n```\n",
    );
    project.write("parts.vine.md", "# All\n\nText.[^b]\n\n[^b]: Not here.\n\n## One\n\nSection.[^a]\n\n## Two\n\nLast.\n\n[^a]: The note is here.\n");
    project
        .write("a.bib", "@book{wren, title = {Reading *Soil* & <b>Clay</b>}, author = {Wren, Tomas}, year = {2019}}\n");
    let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    let text = project.read("guide.md");
    assert!(text.starts_with("# Wiring\n\n- [Wiring](#wiring-1)\n  - [The long way](#the-long-way)\n"), "{text}");
    assert!(text.contains("In $\\lVert x \\rVert \\in \\mathbb{R}$ and"), "{text}");
    assert!(text.contains("$$\\lVert y \\rVert = 3$$ <a id=\"mass\"></a>(1)"), "{text}");
    assert!(text.contains("Section.[^a]") && text.contains("[^a]: The note is here."), "{text}");
    assert!(!text.contains("Not here."), "{text}");
    assert!(text.contains("*Reading \\*soil\\* \\& \\<b\\>clay\\</b\\>*"), "{text}");
    let github = markdown_to_html(&text, &{
        let mut options = Options::default();
        options.extension.footnotes = true;
        options
    });
    assert!(
        github.contains("The note is here.")
            && github.contains("<em>Reading *soil* &amp; &lt;b&gt;clay&lt;/b&gt;</em>"),
        "{github}"
    );
}

#[test]
fn what_is_woven_into_a_cell_stands_at_its_place_whatever_is_escaped_before_it() {
    let project = Project::with(
        "+++\nreferences = \"a.bib\"\n+++\n\n## A {#sec}\n\n| a \\| b [c \\| d](@sec) e | [f](@sec) \\| |\n|---|---|\n\
         | \\|\\| [x](#hid) y | *a* \\| `b \\| c` [](@sec), [](@wren) \\| |\n\n```sh @hid show=none\ntrue\n```\n",
    );
    project.write("a.bib", "@book{wren, title = {Soil}, author = {Wren, Tomas}, year = {2019}}\n");
    let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    let text = project.read("guide.md");
    assert!(text.contains("| a \\| b [c \\| d](#sec) e | [f](#sec) \\| |\n"), "{text}");
    assert!(text.contains("| \\|\\| x y | *a* \\| `b \\| c` [“A”](#sec), [(Wren 2019)](#work-wren) \\| |\n"), "{text}");
}

#[test]
fn contents_lead_to_the_places_that_code_hosts_give_headings() {
    let project = Project::with(
        "+++\ntitle = \"Depth\"\n[markdown]\ncontents = \"top\"\n+++\n\n## Depth\n\n## Sand – part & more {#sand}\n\n\
         ### What's *new*: the `probe_5`?\n\n## Überblick, 2.1\n\n## Depth\n\n## @[n] probes\n\n```sh @n show=none\necho 3\n```\n",
    );
    let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    let text = project.read("guide.md");
    let mut options = Options::default();
    options.extension.header_id_prefix = Some(String::new());
    let hosted = markdown_to_html(&text, &options);
    let links: Vec<&str> = text.split("](#").skip(1).filter_map(|rest| rest.split(')').next()).collect();
    assert_eq!(links.len(), 6, "{text}");
    for link in links {
        assert!(hosted.contains(&format!("id=\"{link}\"")), "{link}\n{hosted}");
    }
}

#[test]
fn an_escaped_value_in_a_code_span_is_what_it_says_in_every_format() {
    let project = Project::with(
        "```python @x show=none\nprint(3)\n```\n\nA `\\@[x]` span, `@[x] and \\@[y]` and \\@[z] text.\n\n\
         | a |\n|---|\n| `\\@[x] in a cell` |\n\n> - `\\@[x] in a list`\n",
    );
    let said = project.run(&["weave", "guide.vine.md", "--to", "html,markdown,text,latex,docx"]);
    assert_eq!(said.code, 0, "{said:?}");
    for (name, stressed) in
        [("guide.md", "\\@[z]"), ("guide.txt", "@[z]"), ("guide.html", "@[z]"), ("guide.docx", "@[z]")]
    {
        let text = project.text_of(name);
        for words in ["3 and @[y]", "@[x] in a cell", "@[x] in a list", stressed] {
            assert!(text.contains(words), "{name}: no {words} in {text}");
        }
        assert_eq!(text.matches("\\@[").count(), stressed.matches('\\').count(), "{name}: {text}");
    }
}
