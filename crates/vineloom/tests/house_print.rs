//! Print as a writer's house wants it: paper that lies across, and colours of its own.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::path::Path;
use support::{Project, tool};

fn printed(export: &str, pdf: &str) -> Project {
    let project = Project::with(&format!(
        "+++\ntitle = \"T\"\n[export]\nto = [\"pdf\", \"docx\"]\n{export}\n[pdf]\n{pdf}\n+++\n\n\
         A [link of some length](https://example.org).\n\n```python id=x\nx = 'a long text that has a colour'\n```\n"
    ));
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    project
}

/// Whether the first page has enough of a colour to be seen; nothing where the page can't be drawn here.
fn shows(project: &Project, colour: [u8; 3]) -> Option<bool> {
    tool("pdftoppm", &["-r".as_ref(), "200".as_ref(), &project.path("guide.pdf"), &project.path("page")])?;
    let drawn = std::fs::read_dir(project.path(".")).unwrap().filter_map(|it| Some(it.ok()?.path()));
    let picture = drawn.filter(|path| path.extension().is_some_and(|it| it == "ppm")).min().unwrap();
    let pixels = std::fs::read(picture).unwrap();
    // A head of three short lines is a few bytes that match nothing.
    let start = pixels.len() % 3;
    let near = |pixel: &[u8]| pixel.iter().zip(colour).all(|(a, b)| a.abs_diff(b) < 6);
    Some(pixels[start..].chunks_exact(3).filter(|pixel| near(pixel)).count() > 20)
}

#[test]
fn paper_lies_as_it_is_asked() {
    for (paper, size, twips) in [
        ("a4", "841.89 x 595.28", "w:w=\"16838\" w:h=\"11906\""),
        ("a5", "595.28 x 419.53", "w:w=\"11906\" w:h=\"8391\""),
        ("letter", "792 x 612", "w:w=\"15840\" w:h=\"12240\""),
    ] {
        let project = printed(&format!("paper = \"{paper}\"\norientation = \"landscape\""), "");
        if let Some(told) = tool("pdfinfo", &[&project.path("guide.pdf")]) {
            assert!(told.out.contains(size), "{paper}: {}", told.out);
        }
        let mut archive = zip::ZipArchive::new(std::fs::File::open(project.path("guide.docx")).unwrap()).unwrap();
        let body = std::io::read_to_string(archive.by_name("word/document.xml").unwrap()).unwrap();
        assert!(body.contains(&format!("{twips} w:orient=\"landscape\"")), "{paper}: {body}");
    }
    let upright = printed("", "");
    let told = tool("pdfinfo", &[Path::new(&upright.path("guide.pdf"))]);
    assert!(told.is_none_or(|told| told.out.contains("595.28 x 841.89")));
}

#[test]
fn links_have_the_colour_of_the_house() {
    const GREEN: [u8; 3] = [0x0a, 0x6b, 0x3d];
    let of_the_house = printed("", "accent = \"#0A6B3D\"");
    let usual = printed("", "");
    let Some(green) = shows(&of_the_house, GREEN) else { return };
    assert!(green && shows(&usual, GREEN) == Some(false));
    let said = Project::with("+++\n[pdf]\naccent = \"green\"\n+++\nx\n").weave();
    assert!((said.out + &said.err).contains("a colour such as #7a1f3d"));
}

#[test]
fn code_in_print_is_coloured_as_on_the_page() {
    let (plain, other) = (printed("", ""), printed("", "code-colours = \"indigo\""));
    let read = |project: &Project| std::fs::read(project.path("guide.pdf")).unwrap();
    assert!(read(&plain) != read(&other), "the colours of code change nothing in print");
}

#[test]
fn code_may_part_from_a_picture_that_has_words_of_its_own_and_from_no_other() {
    let picture = "import pathlib\nimport matplotlib\nmatplotlib.use('svg')\nimport matplotlib.pyplot as plt\n\
                   plt.figure(figsize=(6, 6))\nplt.plot([1, 2])\nplt.show()\n";
    let filling = "A line of prose that fills the page.\n\n".repeat(14);
    for (options, page_of_code) in [("caption=\"Words below\"", 1), ("alt=\"no words below\"", 2)] {
        let project = Project::with(&format!(
            "+++\ntitle = \"T\"\n[export]\nto = [\"pdf\"]\n+++\n\n{filling}```python @drawn {options}\n{picture}```\n"
        ));
        let said = project.weave();
        assert_eq!(said.code, 0, "{said:?}");
        let page = |number: &str| {
            let of_page = ["-f", number, "-l", number].map(std::path::Path::new);
            let file = project.path("guide.pdf");
            let arguments = of_page.into_iter().chain([file.as_path(), std::path::Path::new("-")]);
            support::tool("pdftotext", &arguments.collect::<Vec<_>>()).map(|said| said.out)
        };
        let Some(first) = page("1") else { return };
        assert_eq!(first.contains("import pathlib"), page_of_code == 1, "{options}: {first}");
        let second = page("2").unwrap();
        assert_eq!(second.contains("import pathlib"), page_of_code == 2, "{options}: {second}");
        assert_eq!(second.contains("Words below"), page_of_code == 1, "{options}: {second}");
    }
}

#[test]
fn long_lines_of_code_and_output_stay_in_their_column() {
    let column = |name: &str| {
        format!(
            "```python @{name}\nprint('{name}', 'x' * 60)  # a comment that is longer than its column is wide\n```\n"
        )
    };
    let project = Project::with(&format!(
        "+++\ntitle = \"T\"\n[export]\nto = [\"pdf\"]\n+++\n\n::: columns\n{}\n---\n{}\n---\n{}\n:::\n",
        column("first"),
        column("second"),
        column("third")
    ));
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    let file = project.path("guide.pdf");
    let arguments = [std::path::Path::new("-bbox"), file.as_path(), std::path::Path::new("-")];
    let Some(words) = support::tool("pdftotext", &arguments) else { return };
    // A run of the letter that reaches from one column into the next would be wider than a third of the page.
    let number = |line: &str, name: &str| -> f64 {
        let after = line.split(&format!("{name}=\"")).nth(1).unwrap();
        after.split('"').next().unwrap().parse().unwrap()
    };
    let runs: Vec<&str> = words.out.lines().filter(|line| line.contains(">xxxx")).collect();
    assert!(runs.len() >= 6, "{}", words.out);
    for line in runs {
        assert!(number(line, "xMax") - number(line, "xMin") < 150.0, "{line}");
    }
}
