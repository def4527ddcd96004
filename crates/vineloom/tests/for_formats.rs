//! What stands for some formats alone is not there in others: it has no number, no note, no place that links lead to.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, Said};
use vineloom_document::options::Format;

/// Everything that is counted: what a reference calls it, and how it is written with a name and words.
const COUNTED: [(&str, &str); 9] = [
    ("Section", "## WORDS {#NAME}\n\nText.\n"),
    ("Equation", "$$\na = b\n$$ {#NAME}\n"),
    ("Figure", "::: figure \"WORDS\" #NAME\n\nDrawn.\n\n:::\n"),
    ("Table", "::: table \"WORDS\" #NAME\n\n| a |\n|---|\n| 1 |\n\n:::\n"),
    ("Listing", "```python id=NAME caption=\"WORDS\"\nx = 1\n```\n"),
    ("Listing", "```sh @NAME caption=\"WORDS\"\necho 1\n```\n"),
    ("Table", "```sh @NAME as=table caption=\"WORDS\"\necho a; echo 1\n```\n"),
    ("Listing", "```sh @NAME show=text\necho 1\n```\n\n![WORDS](@NAME)\n"),
    ("Table", "![Of a file](a.csv)\n\n::: table \"WORDS\" #NAME\n\n| a |\n|---|\n| 1 |\n\n:::\n"),
];

/// A document woven to every format, with what was told.
fn woven(body: &str) -> (Project, Said) {
    let front = format!("+++\n[export]\nto = [{}]\nnumbered = true\n+++\n\n", support::all_formats());
    let project = Project::with(&(front + body));
    project.write("a.csv", "a\n1\n");
    let said = project.weave();
    (project, said)
}

/// The words of an export, with one space between them; nothing where it can't be read on this machine.
fn words(project: &Project, format: Format) -> String {
    let text = project.text_of(&format!("guide{}", format.ending())).replace(['\u{a0}', '~'], " ");
    // An office program works out the number of a field; what stands behind it is what it was.
    let text = text.replace("REF _all \\h ", "");
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[test]
fn what_is_counted_is_counted_for_each_format_by_itself() {
    let mut wrong = Vec::new();
    for (what, source) in COUNTED {
        let written = |name: &str, words: &str| source.replace("NAME", name).replace("WORDS", words);
        let around = [
            ("::: for html\n\n", "\n:::\n"),
            ("- Within a list:\n\n  ::: for html\n\n  ", "  :::\n"),
            ("> ::: not-for pdf, markdown, deck, deck-pdf, pptx, text, docx, epub, latex, notebook\n>\n> ", "> :::\n"),
        ];
        // Sections stand at the top alone.
        let around = if what == "Section" { &around[..1] } else { &around[..] };
        for (at, (before, after)) in around.iter().enumerate() {
            let hidden = match at {
                0 => written("only", "OnlyThePage"),
                at => written("only", "OnlyThePage").trim_end().replace('\n', ["", "\n  ", "\n> "][at]) + "\n",
            };
            let shown = written("all", "AllOfThem");
            let (project, said) = woven(&format!("{before}{hidden}{after}\n{shown}\nSee [](@all) there.\n"));
            assert_eq!(said.code, 0, "{what}: {said:?}");
            let of_each = if source.contains("a.csv") { 2 } else { 1 };
            for format in Format::ALL {
                let text = words(&project, format);
                if text.is_empty() && matches!(format, Format::Pdf | Format::DeckPdf) {
                    continue;
                }
                let number = of_each * if format == Format::Html { 2 } else { 1 };
                let is_right = match (format, what) {
                    // It counts by itself what is there.
                    (Format::Latex, _) => text.contains("\\ref{all}") && !text.contains("{only}"),
                    // A slide says what it is called, and a notebook and Markdown have no numbers of sections.
                    (_, "Section") => text.contains(&format!("{number} there")) || text.contains("AllOfThem"),
                    _ => {
                        text.contains(&format!("{what} {number}")) && !text.contains(&format!("{what} {}", number + 1))
                    }
                };
                if !is_right || (format != Format::Html && text.contains("OnlyThePage")) {
                    wrong.push(format!("{what} {at} in {format}, not {number}: {text}"));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn a_reference_to_what_stands_for_others_says_what_it_is_called_and_is_told() {
    for (what, source) in COUNTED {
        let hidden = source.replace("NAME", "only").replace("WORDS", "OnlyThePage");
        let body = format!("::: for html\n\n{hidden}\n:::\n\nSee [](@only), or [its *own* words](@only).\n");
        let (project, said) = woven(&body);
        assert_eq!(said.code, 0, "{what}: {said:?}");
        // Once for each of the two, whatever the formats are.
        let told = said.err.matches("a reference to `@only` leads nowhere in the PDF, the woven Markdown").count();
        assert_eq!(told, 2, "{what}: {said:?}");
        assert!(!said.err.contains("in the page"), "{what}: {said:?}");
        let called = if what == "Equation" { "Equation" } else { "OnlyThePage" };
        let text = words(&project, Format::Text);
        assert!(text.contains(&format!("See {called}, or its _own_ words.")), "{what}: {text}");
        let latex = words(&project, Format::Latex);
        assert!(latex.contains(&format!("See {called}, or its \\emph{{own}} words.")), "{what}: {latex}");
        let markdown = words(&project, Format::Markdown);
        assert!(markdown.contains(&format!("See {called}, or its *own* words.")), "{what}: {markdown}");
        let page = project.read("guide.html");
        let links = page.split("See ").last().unwrap_or_default().matches("href=\"#only\"").count();
        assert_eq!(links, 2, "{what}: {page}");
    }
}

#[test]
fn what_has_no_words_anywhere_can_be_referred_to_nowhere() {
    let text = "::: for html\n\n```sh @r\necho 1\n```\n\n:::\n\nSee [](@r).\n";
    for format in ["text", "markdown", "html"] {
        let project = Project::with(&format!("+++\n[export]\nto = [\"{format}\"]\n+++\n\n{text}"));
        let said = project.weave();
        assert!(said.code == 1 && said.err.contains("`@r` has no number to refer to"), "{format}: {said:?}");
    }
}

#[test]
fn notes_and_works_are_numbered_for_each_format_by_itself() {
    let body = "::: for html\n\nFirst[^a] by [](@calloway).\n\n:::\n\nSecond[^b] by [](@wren).\n\n[^a]: Note of the page.\n\n[^b]: Note of all.\n";
    let project =
        Project::with(&format!("+++\nreferences = [\"a.bib\"]\n[export]\nto = [\"html\", \"text\"]\n+++\n\n{body}"));
    project.write(
        "a.bib",
        "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, date = {2024}}\n\
         @book{calloway, title = {Probes}, author = {Calloway, Ines}, date = {2023}}\n",
    );
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    let text = words(&project, Format::Text);
    assert!(!text.contains("Probes") && !text.contains("Note of the page"), "{text}");
    assert!(text.contains("Second¹") && text.contains("¹ Note of all"), "{text}");
    let page = words(&project, Format::Html);
    assert!(page.contains("Probes") && page.contains("Note of the page") && page.contains("Note of all"), "{page}");
}

#[test]
fn a_result_is_placed_with_its_caption_for_each_format_by_itself() {
    let body = "```sh @r\necho gave\n```\n\n::: for html\n\n![Placed on the page](@r)\n\n:::\n\n\
        ::: for text\n\n![Placed in the text](@r)\n\n:::\n\n```sh @last caption=\"Last\"\necho 1\n```\n\nSee [](@r) and [](@last).\n";
    let (project, said) = woven(body);
    assert_eq!(said.code, 0, "{said:?}");
    let text = words(&project, Format::Text);
    assert!(text.contains("Listing 1. Placed in the text"), "{text}");
    assert!(text.contains("See Listing 1 and Listing 2."), "{text}");
    assert!(!text.contains("on the page"), "{text}");
    let page = words(&project, Format::Html);
    assert!(page.contains("Placed on the page") && !page.contains("in the text"), "{page}");
    // Where it is placed nowhere it stands where it is written, without a caption that a number could stand in.
    let latex = words(&project, Format::Latex);
    assert!(latex.contains("gave") && !latex.contains("Placed in the text}"), "{latex}");
    assert!(said.err.contains("a reference to `@r` has no number in the PDF"), "{said:?}");
}

#[test]
fn headings_of_the_same_words_for_different_formats_are_one_place() {
    let both = "::: for html\n\n## Install\n\n:::\n\n::: not-for html\n\n## Install\n\n:::\n\n";
    let (project, said) = woven(&format!("{both}See [above](#install).\n"));
    assert_eq!(said.code, 0, "{said:?}");
    for format in [Format::Html, Format::Latex] {
        let text = project.read(&format!("guide{}", format.ending()));
        assert!(text.contains("install") && !text.contains("install-2"), "{format}: {text}");
    }
    let project = Project::with(&format!("{both}See [above](#install-2).\n"));
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.out.contains("#install-2") || said.err.contains("`#install-2` leads to no place"), "{said:?}");
}
