//! Captions stand on one side in every format: above what may break over pages, below pictures.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, text_of_office_file};

const DOCUMENT: &str = "+++\ntitle = \"T\"\n[export]\n\
    to = [\"html\", \"pdf\", \"markdown\", \"text\", \"docx\", \"epub\", \"latex\", \"notebook\", \"deck\", \"pptx\"]\n+++\n\n\
    # One\n\n\
    ```python id=lst caption=\"Words of the listing\"\ninsidelisting = 1\n```\n\n\
    # Two\n\n\
    ```python @live caption=\"Words of the block\"\nprint('insideblock')\n```\n\n\
    # Three\n\n\
    ![Words of the file](tab.csv)\n\n\
    # Four\n\n\
    ::: table \"Words of the table\"\n\n| insidetable | y |\n|---|---|\n| 1 | 2 |\n:::\n\n\
    # Five\n\n\
    ::: figure \"Words of the figure\"\n\ninsidefigure\n:::\n\n\
    # Six\n\n\
    ```python @made show=text\nprint('insideresult,b\\n1,2')\n```\n\n\
    ![Words of the result](@made)\n\n\
    # Seven\n\n\
    ```sh @none as=table caption=\"Words of nothing\"\ntrue\n```\n";

/// The caption, a word of it, and whether the caption stands above.
const CAPTIONED: [(&str, &str, bool); 7] = [
    ("Words of the listing", "insidelisting", true),
    ("Words of the block", "insideblock", true),
    ("Words of the file", "insidefile", true),
    ("Words of the table", "insidetable", true),
    ("Words of the result", "insideresult", true),
    ("Words of the figure", "insidefigure", false),
    ("Words of nothing", "empty", true),
];

#[test]
fn a_caption_stands_on_one_side_in_every_format() {
    let project = Project::with(DOCUMENT);
    project.write("tab.csv", "insidefile,b\n1,2\n");
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    let mut wrong = Vec::new();
    for name in [
        "guide.html",
        "guide.pdf",
        "guide.md",
        "guide.txt",
        "guide.docx",
        "guide.epub",
        "guide.tex",
        "guide.ipynb",
        "guide-deck.html",
        "guide.pptx",
    ] {
        let text = project.text_of(name).replace(['\u{a0}', '\\', '{', '}'], " ").replace("\u{2011}", "-");
        if text.is_empty() && name.ends_with(".pdf") {
            continue;
        }
        for (caption, inside, above) in CAPTIONED {
            // The words of contents and of pictures stand before all else: the last is the one.
            match (text.rfind(caption), text.rfind(inside)) {
                (Some(words), Some(content)) if (words < content) == above => {}
                found => wrong.push(format!("{name}: `{caption}` and `{inside}` at {found:?}")),
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

/// Blocks with a caption that references name, in every way that they may come to be shown: the options, the code, and
/// what stands behind the block. The caption of `@n` is "Words of n".
const NUMBERED: [(&str, &str, &str); 17] = [
    ("", "echo 1", ""),
    ("", "true", ""),
    ("show=text", "echo 1", ""),
    ("show=text", "true", ""),
    ("show=tables", "true", ""),
    ("show=figures", "echo 1", ""),
    ("show=notices", "true", ""),
    ("as=table", "echo a; echo 1", ""),
    ("as=table", "true", ""),
    ("as=table show=tables", "true", ""),
    ("as=table", "echo '[]'", ""),
    ("as=markdown show=text", "true", ""),
    ("show=code", "echo 1", ""),
    ("show=none", "echo 1", "![](@NAME)\n"),
    ("as=table show=none", "true", "![](@NAME)\n"),
    ("", "echo 1", "It says ![](@NAME) here.\n"),
    ("as=table", "echo a; echo 1", "![](@NAME)\n\n![Words of NAME](@NAME)\n"),
];

/// What stands around a block.
const PLACES: [(&str, &str); 8] = [
    ("", ""),
    ("> ", ""),
    ("- ", ""),
    ("::: figure \"Around\"\n\n", "\n:::\n"),
    ("::: note \"Around\"\n\n", "\n:::\n"),
    ("::: fold \"Around\"\n\n", "\n:::\n"),
    ("::: tabs\n\n## One\n\n", "\n:::\n"),
    ("::: columns\n\n", "\n:::\n"),
];

#[test]
fn a_reference_says_the_number_that_stands_in_the_caption() {
    let mut front =
        String::from("+++\n[export]\nto = [\"text\", \"markdown\", \"html\", \"pdf\", \"docx\", \"latex\"]\n+++\n\n");
    let (mut text, mut names) = (String::new(), Vec::new());
    for (place, (before, after)) in PLACES.iter().enumerate() {
        for (at, (options, code, behind)) in NUMBERED.iter().enumerate() {
            let name = format!("n{place}x{at}x");
            let own = if behind.contains("Words") { String::new() } else { format!("caption=\"Words of {name}\"") };
            let fence = format!("```sh @{name} {options} {own}\n{code}\n```\n");
            // A quote or a list goes on in lines that begin as it does.
            let block = match *before {
                "> " => fence.lines().map(|line| format!("> {line}\n")).collect(),
                "- " => {
                    fence.lines().enumerate().map(|(n, line)| format!("{}{line}\n", ["- ", "  "][n.min(1)])).collect()
                }
                _ => format!("{before}{fence}{after}"),
            };
            text.push_str(&format!("{block}\n{}\n", behind.replace("NAME", &name)));
            front.push_str(&format!("Of {name} see [](@{name}).\n\n"));
            names.push(name);
        }
    }
    // What is hidden counts for nothing.
    text.push_str("```sh @hidden show=none caption=\"Nowhere\"\necho 1\n```\n\n```sh @last caption=\"Words of last\"\necho 1\n```\n");
    front.push_str("Of last see [](@last).\n\n");
    names.push("last".into());
    let project = Project::with(&(front + &text));
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    let mut wrong = Vec::new();
    for export in ["guide.txt", "guide.md", "guide.html", "guide.pdf", "guide.docx"] {
        let text = match export.ends_with(".docx") {
            true => text_of_office_file(&std::fs::read(project.path(export)).unwrap()),
            false => project.text_of(export),
        };
        if text.is_empty() && export.ends_with(".pdf") {
            continue;
        }
        let text = text.replace(['\u{a0}', '*'], " ").split_whitespace().collect::<Vec<_>>().join(" ");
        for name in &names {
            let referred = text.split_once(&format!("Of {name} see ")).and_then(|(_, rest)| rest.split_once('.'));
            let said: String = referred.unwrap_or_default().0.chars().filter(|c| !"[]".contains(*c)).collect();
            let said = said.split('(').next().unwrap_or_default().to_string();
            let caption = text.rfind(&format!("Words of {name}"));
            let is_so = caption.is_some_and(|at| text[..at].trim_end_matches([' ', '.']).ends_with(&said));
            if said.is_empty() || !is_so {
                let around = caption.map_or("no caption", |at| &text[at.saturating_sub(30)..at + 20]);
                wrong.push(format!("{export}: {name}, {said:?}: {around}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
    let hidden = Project::with("See [](@hidden).\n\n```sh @hidden show=none caption=\"Nowhere\"\necho 1\n```\n");
    let said = hidden.weave();
    assert!(said.code != 0 && said.err.contains("`@hidden` has no number to refer to"), "{said:?}");
    assert!(said.err.contains("it is shown nowhere: let its `show` list something"), "{said:?}");
}
