//! Formulas: every construct that amsmath, amssymb and mathtools document for mathematics is read, on the page and in print.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

/// One formula a line.
const FORMULAS: &str = include_str!("data/formulas.txt");

const MACROS: &str = r#"+++
[macros]
"\\R" = "\\mathbb{R}"
"\\Rn" = "\\R^n"
"\\eps" = "\\varepsilon"
"\\pair" = "\\langle#1, #2\\rangle"
"\\norm" = "\\left\\lVert #1 \\right\\rVert"
"\\argmax" = "\\DeclareMathOperator{\\am}{arg\\,max}\\am"
+++
"#;

#[test]
fn every_documented_construct_is_read_on_the_page_and_in_print() {
    assert!(FORMULAS.lines().count() >= 200);
    let body: String = FORMULAS.lines().map(|formula| format!("$$\n{formula}\n$$\n\n")).collect();
    let project = Project::with(&format!("{MACROS}{body}"));
    let said = project.run(&["check", "guide.vine.md"]);
    assert_eq!(said.code, 0, "{}", said.err);
    assert!(!said.err.contains("warning"), "{}", said.err);
    let said = project.run(&["weave", "guide.vine.md", "--to", "html,pdf"]);
    assert_eq!((said.code, said.err.contains("warning")), (0, false), "{}", said.err);
    let page = project.read("guide.html");
    assert_eq!(page.matches("<math").count(), FORMULAS.lines().count());
    assert!(!page.contains("<merror") && !page.contains("&amp;nbsp;"));
    // The letters that the formulas are set in go with the page.
    assert!(page.contains("@font-face { font-family: \"Vine Mathematics\"; src: url(data:font/woff2;base64,"));
    // Nothing of the notation is left in what is shown, and every argument found its command.
    for (math, formula) in page.split("<math").skip(1).zip(FORMULAS.lines()) {
        let shown = math.split_once("<annotation").unwrap().0;
        let ours =
            formula.contains("\\backslash") || formula.contains("\\setminus") || formula.contains("\\smallsetminus");
        assert!(ours || !shown.contains('\\'), "{formula}: {shown}");
        assert_eq!(miscounted(math), None, "{formula}: {shown}");
        let bracket = formula.contains("cfrac[") || formula.contains("smash[") || formula.contains("hdotsfor[");
        assert!(!(bracket && shown.contains(">[</mo>")), "{formula}: {shown}");
    }
}

/// An element of MathML that has more or fewer parts than it takes.
fn miscounted(math: &str) -> Option<String> {
    let wanted = |name: &str| match name {
        "mfrac" | "mroot" | "msub" | "msup" | "munder" | "mover" => Some(2),
        "msubsup" | "munderover" => Some(3),
        _ => None,
    };
    let mut open: Vec<(String, usize)> = Vec::new();
    for part in math.split('<').skip(1) {
        let tag = part.split('>').next().unwrap();
        let name: String = tag.trim_start_matches('/').chars().take_while(char::is_ascii_alphabetic).collect();
        if tag.starts_with('/') {
            let (name, parts) = open.pop()?;
            if wanted(&name).is_some_and(|wanted| wanted != parts) {
                return Some(format!("{name} has {parts} parts"));
            }
            continue;
        }
        if let Some((_, parts)) = open.last_mut() {
            *parts += 1;
        }
        if !tag.ends_with('/') {
            open.push((name, 0));
        }
    }
    None
}

#[test]
fn spaces_are_spaces() {
    let project = Project::with("$a\\ b~c$\n");
    assert_eq!(project.run(&["weave", "guide.vine.md", "--to", "pdf"]).code, 0);
    if let Some(said) = support::tool("pdftotext", &[&project.path("guide.pdf"), "-".as_ref()]) {
        assert!(!said.out.contains("nbsp") && !said.out.contains('&'), "{said:?}");
    }
    let page = project.page();
    let math = page.split_once("<math").unwrap().1.split_once("<annotation").unwrap().0;
    assert_eq!(math.matches('\u{a0}').count(), 2, "{math}");
    assert!(!math.contains("nbsp"), "{math}");
}
