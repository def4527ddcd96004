//! Containers of every kind: what is written on and in them is shown, or told; a name is a place in every format.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

/// Each kind with what may stand in it, and whether it shows a title.
const KINDS: [(&str, &str, bool); 15] = [
    ("note", "Words.", true),
    ("tip", "Words.", true),
    ("important", "Words.", true),
    ("caution", "Words.", true),
    ("danger", "Words.", true),
    ("fold", "Words.", true),
    ("figure", "Words.", true),
    ("table", "| a |\n|---|\n| 1 |", true),
    ("tabs", "## One\n\nWords.", false),
    ("columns", "Words.", false),
    ("steps", "1. One\n2. Two", false),
    ("terms", "- **Strand** One interpreter.", false),
    ("references", "", false),
    ("for html,pdf,docx,latex,epub,deck,pptx,markdown,notebook,text", "Words.", false),
    ("not-for deck-pdf", "Words.", false),
];

const FRONT: &str = "+++\nreferences = \"works.bib\"\n[export]\n\
    to = [\"html\", \"pdf\", \"docx\", \"latex\", \"epub\", \"deck\", \"pptx\", \"markdown\", \"notebook\", \"text\"]\n+++\n\n\
    As [](@wren) says.\n\n";

fn project(text: &str) -> Project {
    let project = Project::with(&format!("{FRONT}{text}"));
    project.write("works.bib", "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, year = {2019}}\n");
    project
}

#[test]
fn the_name_of_any_container_is_a_place_in_every_format() {
    let mut text = String::new();
    for (at, (kind, inside, _)) in KINDS.iter().enumerate() {
        text.push_str(&format!("See [it](@n{at}x).\n\n::: {kind} #n{at}x\n{inside}\n:::\n\n"));
    }
    let project = project(&text);
    let said = project.weave();
    // A PDF with a link to a place that is not there is not set at all.
    assert!(said.code == 0 && !said.err.contains("leads nowhere"), "{said:?}");
    let html = project.read("guide.html");
    let deck = project.read("guide-deck.html");
    let tex = project.read("guide.tex");
    let markdown = project.read("guide.md");
    let part = |file: &str, part: &str| {
        let mut archive = zip::ZipArchive::new(std::fs::File::open(project.path(file)).unwrap()).unwrap();
        let mut text = String::new();
        for name in archive.file_names().map(|name| name.unwrap().into_owned()).collect::<Vec<_>>() {
            if name.contains(part) {
                std::io::Read::read_to_string(&mut archive.by_name(&name).unwrap(), &mut text).unwrap();
            }
        }
        text
    };
    let (book, office) = (part("guide.epub", ".xhtml"), part("guide.docx", "word/document.xml"));
    for at in 0..KINDS.len() {
        let times = |text: &str, what: String| text.matches(&what).count();
        assert_eq!(times(&html, format!("id=\"n{at}x\"")), 1, "{at} on the page");
        assert_eq!(times(&deck, format!("id=\"n{at}x\"")), 1, "{at} in the deck");
        assert_eq!(times(&book, format!("id=\"n{at}x\"")), 1, "{at} in the book");
        assert_eq!(times(&office, format!("w:name=\"_n{at}x\"")), 1, "{at} in the office document");
        assert_eq!(times(&tex, format!("\\label{{n{at}x}}")), 1, "{at} in LaTeX");
        assert_eq!(times(&markdown, format!("<a id=\"n{at}x\"></a>")), 1, "{at} in the woven Markdown");
    }
}

#[test]
fn a_title_is_shown_or_told_and_so_is_what_the_list_of_works_takes_the_place_of() {
    for (kind, inside, shows_title) in KINDS {
        let project = project(&format!("::: {kind} \"Titlewords\"\n{inside}\n:::\n"));
        let said = project.weave();
        assert_eq!(said.code, 0, "{said:?}");
        let told = said.err.matches("the title “Titlewords” is shown nowhere").count();
        assert_eq!(told, usize::from(!shows_title), "{kind}: {said:?}");
        for export in ["guide.html", "guide.docx", "guide.tex", "guide.epub", "guide.txt", "guide.md"] {
            assert_eq!(project.text_of(export).contains("Titlewords"), shows_title, "{kind} in {export}");
        }
    }
    // Its headings would have counted, and those behind it would have had wrong numbers.
    let said = project("::: references\n## Read on\n\nWords.\n:::\n\n## After\n").weave();
    assert!(said.code == 1 && said.err.contains("what stands in this container is shown nowhere"), "{said:?}");
}
