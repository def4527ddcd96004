//! Captions stand on one side in every format: above what may break over pages, below pictures.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

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
    ![Words of the result](@made)\n";

/// The caption, a word of it, and whether the caption stands above.
const CAPTIONED: [(&str, &str, bool); 6] = [
    ("Words of the listing", "insidelisting", true),
    ("Words of the block", "insideblock", true),
    ("Words of the file", "insidefile", true),
    ("Words of the table", "insidetable", true),
    ("Words of the result", "insideresult", true),
    ("Words of the figure", "insidefigure", false),
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
