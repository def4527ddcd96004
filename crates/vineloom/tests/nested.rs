//! Nothing is lost within something else: every construct stands in everything that can hold one, with words of its own,
//! and each of them is found in every format.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;
use vineloom_document::options::Format;

/// What can stand in something: `WORD` is a word that occurs once.
const INSIDE: [&str; 20] = [
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

#[test]
fn whatever_stands_in_something_is_found_in_every_format() {
    let all: Vec<String> = Format::ALL.iter().map(|format| format!("\"{format}\"")).collect();
    let mut text = format!("+++\n[export]\nto = [{}]\n+++\n\n# Target {{#target}}\n\n", all.join(", "));
    let mut count = 0;
    for (at, (before, behind, prefix)) in AROUND.iter().enumerate() {
        for (number, inside) in INSIDE.iter().enumerate() {
            // What runs stands in no footnote.
            if before.contains("[^ID]") && inside.contains("@ID") {
                continue;
            }
            let lines = inside.lines().map(|line| format!("{prefix}{line}").trim_end().to_string());
            let source = format!("{before}{}{behind}\n\n", lines.collect::<Vec<_>>().join("\n"));
            text.push_str(&format!("## Part {at} {number}\n\n"));
            for (part, piece) in source.replace("ID", &format!("n{at}x{number}x")).split("WORD").enumerate() {
                if part > 0 {
                    count += 1;
                    text.push_str(&format!("w{count}q"));
                }
                text.push_str(piece);
            }
        }
    }
    let project = Project::with(&text);
    project
        .write("a.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"><circle r=\"4\"/></svg>");
    project.write("a.csv", "plot,moisture\nNorth,31.5\n");
    let said = project.weave();
    assert_eq!(said.code, 0, "{}", said.err);
    let mut lost = Vec::new();
    for format in Format::ALL {
        let shown = project.text_of(&format!("guide{}", format.ending()));
        if shown.is_empty() && matches!(format, Format::Pdf | Format::DeckPdf) {
            continue;
        }
        for word in (1..=count).map(|number| format!("w{number}q")).filter(|word| !shown.contains(word)) {
            let source = text.lines().find(|line| line.contains(&word)).unwrap_or_default();
            lost.push(format!("{format}: {word} of {source}"));
        }
    }
    assert!(lost.is_empty(), "{} of {count} lost:\n{}", lost.len(), lost.join("\n"));
}
