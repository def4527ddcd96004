//! Several pictures under one number: side by side, and in rows, in every format.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

fn woven(figure: &str, pictures: &str) -> Project {
    let project = Project::with(&format!(
        "+++\ntitle = \"T\"\n[export]\nto = [\"html\", \"pdf\", \"markdown\", \"text\", \"docx\", \"epub\", \"latex\", \"deck\", \"pptx\", \"notebook\"]\n+++\n\n\
         ::: {figure}\n{pictures}:::\n\nSee [](@probes).\n"
    ));
    for (at, name) in ["a", "b", "c"].into_iter().enumerate() {
        let height = 40 + 10 * at;
        project.write(
            &format!("{name}.svg"),
            format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"80\" height=\"{height}\"><rect width=\"80\" height=\"{height}\"/></svg>"),
        );
    }
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    project
}

/// How many rows there are in a format, and how many pictures or empty places in all of them.
fn rows(project: &Project, row: &str, place: &str, name: &str) -> (usize, usize) {
    let text = match name {
        "guide.docx" => {
            let mut archive = zip::ZipArchive::new(std::fs::File::open(project.path(name)).unwrap()).unwrap();
            std::io::read_to_string(archive.by_name("word/document.xml").unwrap()).unwrap()
        }
        _ => project.read(name),
    };
    (text.matches(row).count(), text.matches(place).count())
}

const FORMATS: [(&str, &str, &str); 3] = [
    ("guide.html", "<div class=\"columns\"", "<div>\n<p><img"),
    ("guide.tex", "\\noindent\\begin{minipage}", "\\includegraphics"),
    ("guide.docx", "<w:tbl>", "<w:drawing>"),
];

#[test]
fn pictures_stand_in_as_many_rows_as_they_need() {
    // On lines of their own or on consecutive lines: it is the same.
    for pictures in ["![A](a.svg)\n![B](b.svg)\n![C](c.svg)\n", "![A](a.svg)\n\n![B](b.svg)\n\n![C](c.svg)\n"] {
        for (widths, count) in [("1:1", 2), ("2:1", 2), ("1:1:1", 1)] {
            let project = woven(&format!("figure {widths} \"Probes\" #probes"), pictures);
            for (name, row, place) in FORMATS {
                assert_eq!(rows(&project, row, place, name), (count, 3), "{name}: {widths}");
            }
            for name in ["guide.txt", "guide.md", "guide.docx", "guide.epub", "guide.tex", "guide.pptx", "guide.html"] {
                assert!(project.text_of(name).contains("Probes"), "{name}");
            }
        }
    }
}

#[test]
fn pictures_on_consecutive_lines_are_side_by_side_as_those_on_lines_of_their_own() {
    let together = woven("figure \"Probes\" #probes", "![A](a.svg)\n![B](b.svg)\n");
    let apart = woven("figure \"Probes\" #probes", "![A](a.svg)\n\n![B](b.svg)\n");
    for name in ["guide.html", "guide.tex", "guide.txt"] {
        assert_eq!(together.read(name), apart.read(name), "{name}");
    }
}

#[test]
fn widths_that_are_none_are_told_with_how_they_are_written() {
    let said = Project::with("::: figure 1:x \"Probes\"\n![A](a.svg)\n:::\n").weave();
    assert_eq!(said.code, 1);
    assert!((said.out + &said.err).contains("::: figure 1:1"));
}
