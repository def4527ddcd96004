//! Links within a document: in every format each leads to a place that is there, or is told and says its words alone.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::collections::BTreeSet;
use std::io::Read;
use support::{Project, tool};
use vineloom_document::options::Format;

/// Everything that can be linked to: its place, and how it is written.
const PLACES: [(&str, &str); 18] = [
    ("named", "## With a name {#named}\n\nText.\n"),
    ("of-its-words", "## Of its words\n\nText.\n"),
    ("under-a-line", "Under a *line*\n--------------\n\nText.\n"),
    ("equation", "$$\na = b\n$$ {#equation}\n"),
    ("figure", "::: figure \"Words\" #figure\n\nDrawn.\n\n:::\n"),
    ("notice", "::: note \"Words\" #notice\n\nTold.\n\n:::\n"),
    ("table", "::: table \"Words\" #table\n\n| a |\n|---|\n| 1 |\n\n:::\n"),
    ("listing", "```python id=listing caption=\"Words\"\nx = 1\n```\n"),
    ("bare-listing", "```python id=bare-listing\nx = 1\n```\n"),
    ("run", "```sh @run caption=\"Words\"\necho 1\n```\n"),
    ("bare-run", "```sh @bare-run\necho 1\n```\n"),
    ("gave", "```sh @gave show=text\necho 1\n```\n"),
    ("placed", "```sh @placed\necho 1\n```\n\n![Words](@placed)\n"),
    ("bare-placed", "```sh @bare-placed show=text\necho 1\n```\n\n![](@bare-placed)\n"),
    ("in-a-sentence", "```sh @in-a-sentence\necho 1\n```\n\nIt says ![](@in-a-sentence) here.\n"),
    ("tab", "::: tabs\n\n## One {#tab}\n\nFirst.\n\n## Two\n\nSecond.\n\n:::\n"),
    ("on-a-tab", "::: tabs\n\n## One\n\n### On a tab\n\nFirst.\n\n:::\n"),
    ("work-wren", "By [](@wren).\n"),
];

fn woven(body: &str) -> (Project, support::Said) {
    let all = support::all_formats();
    let front = format!("+++\nreferences = [\"a.bib\"]\n[export]\nto = [{all}]\n+++\n\n# All\n\n");
    let project = Project::with(&(front + body));
    project.write("a.bib", "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, date = {2024}}\n");
    let said = project.weave();
    (project, said)
}

/// What stands between each `before` and the `after` that follows it.
fn between<'t>(text: &'t str, before: &str, after: &[char]) -> Vec<&'t str> {
    text.split(before).skip(1).map(|rest| rest.split(after).next().unwrap()).collect()
}

/// An export as it is written: of an archive all its parts; of a PDF nothing where the tool for that is missing.
fn written(project: &Project, format: Format) -> Option<String> {
    let path = project.path(&format!("guide{}", format.ending()));
    if matches!(format, Format::Pdf | Format::DeckPdf) {
        let plain = project.path("plain.pdf");
        tool("qpdf", &["--qdf".as_ref(), "--object-streams=disable".as_ref(), &path, &plain])?;
        return Some(String::from_utf8_lossy(&std::fs::read(plain).unwrap()).into_owned());
    }
    let bytes = std::fs::read(path).unwrap();
    let Ok(mut archive) = zip::ZipArchive::new(std::io::Cursor::new(&bytes)) else {
        return Some(String::from_utf8_lossy(&bytes).replace("\\\"", "\""));
    };
    let mut text = String::new();
    for at in 0..archive.len() {
        let mut part = archive.by_index(at).unwrap();
        // The list of chapters links to them all.
        if !part.name().unwrap().contains("nav") {
            let _ = part.read_to_string(&mut text);
        }
    }
    Some(text)
}

/// The places that the links of an export lead to, one for each link, and the places that are there. Nothing of formats
/// whose links have no names of places in them.
fn links_and_places(format: Format, text: &str) -> Option<(Vec<&str>, BTreeSet<&str>)> {
    let html = || text.split_once("<main").map_or(text, |(_, main)| main);
    Some(match format {
        Format::Html => (between(html(), "href=\"#", &['"']), between(text, " id=\"", &['"']).into_iter().collect()),
        Format::Epub => {
            let targets = between(text, "href=\"", &['"']).into_iter().filter_map(|target| target.split_once('#'));
            (targets.map(|(_, place)| place).collect(), between(text, " id=\"", &['"']).into_iter().collect())
        }
        Format::Markdown | Format::Notebook => {
            (between(text, "](#", &[')']), between(text, "<a id=\"", &['"']).into_iter().collect())
        }
        Format::Latex => {
            let mut links = between(text, "\\hyperref[", &[']']);
            links.extend(between(text, "\\ref{", &['}']));
            links.extend(between(text, "\\hyperlink{", &['}']));
            let mut places = between(text, "\\label{", &['}']);
            places.extend(between(text, "\\hypertarget{", &['}']));
            // The list that biblatex writes has places of its own.
            places.extend(text.contains("\\printbibliography").then_some("cite.0@wren"));
            (links, places.into_iter().collect())
        }
        Format::Docx => {
            let mut links = between(text, "w:anchor=\"", &['"']);
            links.extend(between(text, "REF ", &[' ']));
            let names = between(text, "<w:bookmarkStart ", &['>']);
            let names = names.iter().flat_map(|start| between(start, "w:name=\"", &['"']));
            (links, names.collect())
        }
        Format::Pdf | Format::Deck | Format::DeckPdf | Format::Pptx | Format::Text => return None,
    })
}

/// How many links within an export there are.
fn count(format: Format, text: &str) -> Option<usize> {
    match format {
        Format::Text => None,
        Format::Pdf | Format::DeckPdf => Some(text.matches("/Subtype /Link").count()),
        Format::Pptx => Some(text.matches("hlinksldjump").count()),
        Format::Deck => Some(text.matches("href=\"#").count()),
        format => links_and_places(format, text).map(|(links, _)| links.len()),
    }
}

/// Weaves all places, then `around` them, without and with a link to each. What is wrong with the number of links in each
/// format is returned: there are `links` more with them.
fn with_links(around: (&str, &str), links: impl Fn(Format) -> usize) -> (Project, support::Said, Vec<String>) {
    let (before, behind) = around;
    let all: String = PLACES.iter().map(|(_, source)| format!("{before}{source}\n{behind}")).collect();
    let (without, _) = woven(&all);
    let links_to: Vec<String> =
        PLACES.iter().map(|(place, _)| format!("See [the `other` *one*](#{place}).\n")).collect();
    let (project, said) = woven(&(all + &links_to.join("\n")));
    assert_eq!(said.code, 0, "{said:?}");
    let mut wrong = Vec::new();
    for format in Format::ALL {
        let (Some(text), Some(before)) = (written(&project, format), written(&without, format)) else { continue };
        let (Some(count), Some(before)) = (count(format, &text), count(format, &before)) else { continue };
        if count != before + links(format) {
            wrong.push(format!("{format}: {count} links with them, {before} without"));
        }
    }
    (project, said, wrong)
}

#[test]
fn links_lead_to_places_that_are_there_in_every_format() {
    let (project, said, mut wrong) = with_links(("", ""), |format| {
        // On a slide each piece of the words is a link.
        PLACES.len() * if format == Format::Pptx { 4 } else { 1 }
    });
    assert!(!said.err.contains("leads nowhere") && !said.err.contains("no place"), "{said:?}");
    for format in Format::ALL {
        let Some(text) = written(&project, format) else { continue };
        if let Some((links, places)) = links_and_places(format, &text) {
            let dead = links.iter().filter(|link| !places.contains(**link));
            wrong.extend(dead.map(|link| format!("{format}: {link} leads to none of {places:?}")));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    // A result that is placed is what its name leads to, not the code.
    assert!(!project.read("guide.ipynb").contains("placed-code"), "{}", project.read("guide.ipynb"));
}

#[test]
fn a_link_to_what_stands_for_others_says_its_words_alone_and_is_told() {
    let in_page = |format| if format == Format::Html { PLACES.len() } else { 0 };
    let (project, said, wrong) = with_links(("::: for html\n\n", ":::\n\n"), in_page);
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    for (place, _) in PLACES {
        let told = said.err.matches(&format!("the link `#{place}` leads nowhere in the PDF")).count();
        assert_eq!(told, 1, "{place}: {said:?}");
    }
    assert!(!said.err.contains("nowhere in the page"), "{said:?}");
    assert_eq!(project.read("guide.md").matches("See the `other` *one*.").count(), PLACES.len());
    assert_eq!(project.read("guide.txt").matches("See the `other` _one_.").count(), PLACES.len());
}

#[test]
fn a_link_to_what_is_shown_nowhere_says_its_words_alone_and_is_told() {
    let nowhere = [
        ("hid", "```sh @hid show=none\necho 1\n```\n"),
        ("gave-nothing", "```sh @gave-nothing show=text\ntrue\n```\n"),
        ("in-a-sentence", "```sh @in-a-sentence show=text\necho 1\n```\n\nIt says ![](@in-a-sentence) here.\n"),
    ];
    for (place, source) in nowhere {
        for link in [format!("#{place}"), format!("@{place}")] {
            let (project, said) = woven(&format!("{source}\nSee [its `own` *words*]({link}) there.\n"));
            assert_eq!(said.code, 0, "{place}: {said:?}");
            let told = said.err.matches("leads nowhere: of that block nothing is shown on its own").count();
            assert_eq!(told, 1, "{link}: {said:?}");
            for format in Format::ALL {
                let Some(text) = written(&project, format) else { continue };
                let links = links_and_places(format, &text).map_or(Vec::new(), |(links, _)| links);
                assert!(!links.contains(&place), "{link} in {format}: {links:?}");
            }
            assert!(project.read("guide.md").contains("See its `own` *words* there."), "{}", project.read("guide.md"));
            assert!(
                project.read("guide.txt").contains("See its `own` _words_ there."),
                "{}",
                project.read("guide.txt")
            );
        }
    }
}

#[test]
fn a_line_of_code_that_does_not_stand_in_a_format_has_its_number_there() {
    let code = "```sh @run caption=\"Words\" show=code\nx=1\ny=2 # @:here\n```\n";
    let sentence = "See [](@run:here) and [that `line`](@run:here).\n";
    for body in [format!("::: for html\n\n{code}\n:::\n\n{sentence}"), format!("{code}\n{sentence}")] {
        let is_codeless = !body.starts_with(":::");
        let (project, said) = woven(&body);
        assert_eq!(said.code, 0, "{said:?}");
        if is_codeless {
            let text = project
                .read("guide.vine.md")
                .replace("\n+++\n\n", "\n[text]\nwithout-code = true\n[markdown]\nwithout-code = true\n+++\n\n");
            project.write("guide.vine.md", text);
            assert_eq!(project.weave().code, 0);
        }
        let text = project.read("guide.txt").replace('\u{a0}', " ");
        assert!(text.contains("See line 2 and that `line`."), "{text}");
        let markdown = project.read("guide.md").replace('\u{a0}', " ");
        assert!(markdown.contains("See line 2 and that `line`."), "{markdown}");
        assert!(project.read("guide.html").contains("href=\"#run\""), "{said:?}");
    }
}

#[test]
fn words_of_a_reference_keep_their_marks_in_woven_markdown() {
    let (project, said) = woven("## A {#a}\n\nSee [the `--long` *one*, \\[sic\\]](@a), and [](@a).\n");
    assert_eq!(said.code, 0, "{said:?}");
    let text = project.read("guide.md");
    assert!(text.contains("See [the `--long` *one*, \\[sic\\]](#a), and [“A”](#a)."), "{text}");
}

#[test]
fn what_is_no_place_is_found_by_a_check() {
    let text = "+++\nreferences = [\"a.bib\"]\n[parameters]\ndepth = 3\n+++\n\n::: tabs\n\n## Linux\n\nDo.\n\n:::\n\n";
    for name in ["wren", "work-wren", "depth", "linux"] {
        let project = Project::with(&format!("{text}See [that](#{name}).\n"));
        project.write("a.bib", "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, date = {2024}}\n");
        let said = project.run(&["check", "guide.vine.md"]);
        let told = format!("the link `#{name}` leads to no place");
        assert!(said.out.contains(&told) || said.err.contains(&told), "{name}: {said:?}");
    }
}
