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
    assert!(FORMULAS.lines().count() >= 190);
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
    // Nothing of the notation is left in what is shown, and every argument found its command.
    for (math, formula) in page.split("<math").skip(1).zip(FORMULAS.lines()) {
        let shown = math.split_once("<annotation").unwrap().0;
        let ours =
            formula.contains("\\backslash") || formula.contains("\\setminus") || formula.contains("\\smallsetminus");
        assert!(ours || !shown.contains('\\'), "{formula}: {shown}");
        let bracket = formula.contains("cfrac[") || formula.contains("smash[") || formula.contains("hdotsfor[");
        assert!(!(bracket && shown.contains(">[</mo>")), "{formula}: {shown}");
    }
}

#[test]
fn spaces_are_spaces() {
    let project = Project::with("$a\\ b~c$\n");
    let page = project.page();
    let math = page.split_once("<math").unwrap().1.split_once("<annotation").unwrap().0;
    assert_eq!(math.matches('\u{a0}').count(), 2, "{math}");
    assert!(!math.contains("nbsp"), "{math}");
}
