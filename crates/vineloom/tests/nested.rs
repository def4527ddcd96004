//! Nothing is lost within something else: every construct stands in everything that can hold one, with words of its own,
//! and each of them is found in every format.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::path::Path;
use support::{Project, tool};
use vineloom_document::options::Format;

/// What can stand in something: `WORD` is a word that occurs once.
const INSIDE: [&str; 21] = [
    "WORD *WORD* **WORD** ~~WORD~~ `WORD` [WORD](https://example.org) [*WORD* `WORD`](@target) H<sub>WORD</sub> $x_{\\text{WORD}}$ WORD<br>WORD",
    "- WORD\n- *WORD* and `WORD`\n\n  WORD",
    "3. WORD\n4. WORD",
    "- [ ] WORD\n- [x] WORD",
    "> WORD\n>\n> WORD",
    "| WORD | b |\n|---|--:|\n| *WORD* | `WORD` |",
    "```python\nWORD = 1 # WORD\n```",
    "```python caption=\"WORD *WORD*\"\nWORD = 1\n```",
    "```sh @ID\necho WORD\n```",
    "```sh @ID fold=closed\necho WORD\n```",
    "```sh @ID as=table caption=\"WORD\"\necho WORD,b; echo WORD,1\n```",
    "```sh @ID as=markdown\necho '*WORD*'; echo; echo '- WORD'\n```",
    "```sh @ID exit=any\necho WORD >&2; exit 3\n```",
    "$$\nx_{\\text{WORD}}\n$$",
    "<div>\n<p>WORD</p>\n</div>",
    "<details><summary>WORD</summary>\n\nWORD\n\n</details>",
    "![A dot](a.svg)\n\nWORD",
    "![WORD](a.csv)",
    "#### WORD *WORD* `WORD`\n\nWORD",
    "> [!TIP]\n> WORD",
    "::: for html,latex,pdf,markdown,deck,deck-pdf,pptx,text,docx,epub,notebook #ID\n#### WORD\n:::\n\nSee [WORD](@ID)",
];

/// What can hold something, before and behind it, and what its lines begin with.
const AROUND: [(&str, &str, &str); 12] = [
    ("", "", ""),
    ("", "", "> "),
    ("- WORD\n\n", "", "  "),
    ("1. WORD\n\n", "", "   "),
    ("::: note \"WORD\"\n\n", "\n\n:::", ""),
    ("- ::: fold \"WORD *WORD*\"\n\n", "\n\n  :::", "  "),
    ("::: tabs\n\n## WORD\n\n", "\n\n:::", ""),
    ("::: columns\n\nWORD\n\n---\n\n", "\n\n:::", ""),
    ("::: figure \"WORD *WORD*\"\n\n", "\n\n:::", ""),
    ("::: steps\n\n", "\n\n:::", ""),
    ("::: terms\n\n- **WORD** WORD\n\n", "\n\n:::", "  "),
    ("A note.[^ID]\n\n[^ID]: WORD\n\n", "", "    "),
];

/// A document in the making, in which each word occurs once.
#[derive(Default)]
struct Text {
    text: String,
    count: usize,
}

impl Text {
    /// Adds a section with a source, whose words and names get their numbers.
    fn add(&mut self, source: &str) {
        self.text.push_str("## Part\n\n");
        for (part, piece) in source.replace("ID", &format!("n{}x", self.count)).split("WORD").enumerate() {
            if part > 0 {
                self.count += 1;
                self.text.push_str(&format!("w{}q", self.count));
            }
            self.text.push_str(piece);
        }
        self.text.push_str("\n\n");
    }

    /// Weaves it to formats, in each of which all its words must be found.
    fn is_whole_in(&self, formats: &[Format]) -> Project {
        let names: Vec<String> = formats.iter().map(|format| format!("\"{format}\"")).collect();
        let head = format!("+++\n[export]\nto = [{}]\n+++\n\n# Target {{#target}}\n\n", names.join(", "));
        let project = Project::with(&(head + &self.text));
        let dot = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"><circle r=\"4\"/></svg>";
        project.write("a.svg", dot);
        project.write("a.csv", "plot,moisture\nNorth,31.5\n");
        let said = project.weave();
        assert_eq!(said.code, 0, "{}", said.err);
        let mut lost = Vec::new();
        for &format in formats {
            let shown = project.text_of(&format!("guide{}", format.ending()));
            if shown.is_empty() && matches!(format, Format::Pdf | Format::DeckPdf) {
                continue;
            }
            let words = (1..=self.count).map(|number| format!("w{number}q"));
            for word in words.filter(|word| !shown.contains(word)) {
                let source = self.text.lines().find(|line| line.contains(&word)).unwrap_or_default();
                lost.push(format!("{format}: {word} of {source}"));
            }
        }
        assert!(lost.is_empty(), "{} of {} lost:\n{}", lost.len(), self.count, lost.join("\n"));
        project
    }
}

/// Something within something.
fn within((before, behind, prefix): (&str, &str, &str), inside: &str) -> String {
    let lines = inside.lines().map(|line| format!("{prefix}{line}").trim_end().to_string());
    format!("{before}{}{behind}", lines.collect::<Vec<_>>().join("\n"))
}

/// Has a LaTeX source compiled, where there is something that does.
fn compiles(project: &Project) {
    let folder = format!("-output-directory={}", project.path("").display());
    let once: [&Path; 4] =
        ["-interaction=nonstopmode".as_ref(), "-halt-on-error".as_ref(), folder.as_ref(), &project.path("guide.tex")];
    if let Some(said) = tool("pdflatex", &once) {
        assert_eq!(said.code, 0, "{}", said.out);
    }
}

#[test]
fn whatever_stands_in_something_is_found_in_every_format() {
    let mut text = Text::default();
    for around in AROUND {
        for inside in INSIDE {
            // What runs stands in no footnote.
            if !(around.0.contains("[^ID]") && inside.contains("@ID")) {
                text.add(&within(around, inside));
            }
        }
    }
    compiles(&text.is_whole_in(&Format::ALL));
}

#[test]
fn whatever_stands_in_something_within_something_is_found() {
    let mut text = Text::default();
    let inside = ["WORD", INSIDE[5], INSIDE[7], INSIDE[10], INSIDE[18]];
    let holds: Vec<_> = AROUND.into_iter().filter(|around| !around.0.contains("[^ID]")).collect();
    for &outer in &holds {
        for &inner in &holds {
            for inside in inside {
                // More colons go outside.
                let inner = within(inner, inside);
                let outer = match inner.contains(":::") {
                    true => (outer.0.replace(":::", "::::"), outer.1.replace(":::", "::::"), outer.2),
                    false => (outer.0.to_string(), outer.1.to_string(), outer.2),
                };
                text.add(&within((&outer.0, &outer.1, outer.2), &inner));
            }
        }
    }
    let formats =
        [Format::Html, Format::Markdown, Format::Text, Format::Docx, Format::Epub, Format::Latex, Format::Notebook];
    compiles(&text.is_whole_in(&formats));
}
