//! What the writer can set of a page: theme, colours, style, parts, policy, attachments.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

fn with_settings(settings: &str) -> Project {
    Project::with(&format!(
        "+++\ntitle = \"A page\"\nsubtitle = \"Of settings\"\n[html]\n{settings}\n+++\n\nSome words.\n\n\
         ```python @a\nprint(open('data/a.csv').read())\n```\n\n```python @drawn caption=\"A line\" alt=\"A line\"\n\
         import os\nopen(os.environ['VINELOOM_FIGURES'] + '/a.svg', 'w').write('<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"/>')\n```\n"
    ))
}

fn page_with(settings: &str) -> (Project, String) {
    let project = with_settings(settings);
    project.write("data/a.csv", "x\n1\n");
    let page = project.page();
    (project, page)
}

#[test]
fn themes_and_code_colours_are_chosen_and_a_style_sheet_lies_over_them() {
    let (_, linen) = page_with("");
    assert!(linen.contains("--paper: #faf6ee") && linen.contains("og:description\" content=\"Of settings\""));
    let (_, indigo) = page_with("theme = \"indigo\"\ncode-colours = \"lichen\"");
    assert!(indigo.contains("<html lang=\"en\" data-dark>") && indigo.contains(":root { --paper: #171c2b"));
    let project = with_settings("style = \"house.css\"");
    project.write("data/a.csv", "x\n");
    let said = project.weave();
    assert!(said.code == 1 && said.err.contains("the style sheet house.css is not there"), "{said:?}");
    project.write("house.css", ":root { --measure: 33rem; } /* </style><script> */");
    let page = project.page();
    assert!(page.contains("--measure: 33rem") && !page.contains("</style><script> */"));
    project.write("house.css", ":root { --measure: 44rem; }");
    assert!(project.page().contains("--measure: 44rem"), "a changed style sheet makes the page anew");
    let said = with_settings("theme = \"velvet\"").run(&["check", "guide.vine.md"]);
    assert!(said.err.contains("linen, indigo, madder, undyed"), "{said:?}");
}

#[test]
fn the_source_and_its_data_can_be_taken_out_of_the_page() {
    let (project, page) = page_with("attach = [\"source\"]");
    let data = page.split("href=\"data:text/markdown;charset=utf-8;base64,").nth(1).unwrap().split('"').next().unwrap();
    let decoded =
        std::process::Command::new("sh").args(["-c", &format!("printf %s '{data}' | base64 -d")]).output().unwrap();
    assert_eq!(String::from_utf8(decoded.stdout).unwrap(), project.read("guide.vine.md"));
    let (project, page) = page_with("attach = [\"source\", \"data\"]");
    let data = page.split("href=\"data:application/zip;base64,").nth(1).unwrap().split('"').next().unwrap();
    project.write("data.b64", data);
    let list = "import base64, io, zipfile; z = zipfile.ZipFile(io.BytesIO(base64.b64decode(open('data.b64').read()))); print(sorted(z.namelist()), z.read('data/a.csv'))";
    let listed =
        std::process::Command::new("python3").args(["-c", list]).current_dir(project.path("")).output().unwrap();
    assert_eq!(String::from_utf8(listed.stdout).unwrap(), "['data/a.csv', 'guide.vine.md'] b'x\\n1\\n'\n");
}

#[test]
fn a_page_can_stand_in_parts_be_strict_and_leave_out_code() {
    let (project, page) = page_with("single-file = false");
    assert!(page.contains("href=\"guide-parts/page.css\"") && page.contains("src=\"guide-parts/page.js\""));
    assert!(project.exists("guide-parts/page.css") && !page.contains("data:image/svg+xml;base64"));
    let (_, page) = page_with("strict = true");
    assert!(page.contains("Content-Security-Policy") && page.contains("script-src 'sha256-"));
    let (_, page) = page_with("without-code = true");
    assert!(!page.contains("class=\"code\"") && page.contains("<samp>"));
}

#[test]
fn a_language_that_runs_from_the_right_does() {
    let project = Project::with("+++\ntitle = \"שלום\"\nlanguage = \"he\"\n+++\n\nטקסט.\n");
    assert!(project.page().contains("<html lang=\"he\" dir=\"rtl\">"));
}

#[test]
fn a_picture_that_html_names_stands_in_the_page() {
    let project = Project::with(
        "<p><img src=\"dot.svg\" alt=\"A dot\"></p>\n\nAnd <img src='dot.svg' alt=''> and <img src=none.svg>.\n\n\
         ```sh @p as=html show=text\necho \"<img src='dot.svg'>\"\n```\n",
    );
    project.write("dot.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"/>");
    let page = project.page();
    assert_eq!(page.matches("src=\"data:image/svg+xml;base64,").count(), 3, "in the text and printed");
    assert!(!page.contains("dot.svg") && page.contains("src=none.svg"));
    project.write("dot.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"10\" height=\"9\"/>");
    assert_ne!(project.page(), page, "a changed picture makes the page anew");
}
