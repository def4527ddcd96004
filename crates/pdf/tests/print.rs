//! Print, from woven trees made by hand and from Markdown.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use vineloom_document::options::{Format, Settings};
use vineloom_document::{Diagnostic, parse_printed};
use vineloom_export::{Assets, Export, Exporter, Job};
use vineloom_pdf::{Pdf, PdfOptions};
use vineloom_weave::woven_markdown;
use vineloom_woven::NoMemory;
use vineloom_woven::{
    Block, Code, Fold, Head, Heading, Id, Inline, InlineKind, Link, Run, Shown, Span, StrandIndex, TextKind, Woven,
};

fn tree(blocks: Vec<Block>) -> Woven {
    let head = Head { title: vec![Inline::text("Title", Span::NOWHERE)], language: "en".into(), ..Head::default() };
    Woven { head, blocks, strands: vec!["sh".into()], ..Woven::default() }
}

fn paragraph_of(content: Vec<Inline>) -> Block {
    Block::Paragraph { content, span: Span::NOWHERE }
}

fn options() -> PdfOptions {
    PdfOptions::of(&Settings::of_format(Format::Pdf))
}

fn print(woven: &Woven, options: &PdfOptions) -> Result<Export, Vec<Diagnostic>> {
    Pdf.export(&Job { woven, options, assets: &Assets::default(), memory: &NoMemory, name: "print", proof: None })
}

fn printed(blocks: Vec<Block>) -> Export {
    print(&tree(blocks), &options()).unwrap_or_else(|errors| panic!("{errors:?}"))
}

fn pages(export: &Export) -> usize {
    export.pages.unwrap()
}

fn html(html: &str) -> Inline {
    Inline::new(InlineKind::Html(html.into()), Span::NOWHERE)
}

fn inline_code(code: &str) -> Inline {
    Inline::new(InlineKind::Code(code.into()), Span::NOWHERE)
}

fn formula(latex: &str) -> Block {
    Block::Equation { id: None, number: None, latex: latex.into(), span: Span::NOWHERE }
}

#[test]
fn formulas_are_set_and_none_is_lost() {
    let formulas = [
        r"a + b - c \cdot d / e",
        r"\frac{a+b}{c}",
        r"\sqrt{x} + \sqrt[3]{y}",
        r"x_1^2 + x_{i,j}^{n+1}",
        r"\sum_{i=1}^{n} i^2 = \prod_k k",
        r"\int_0^\infty e^{-x}\,dx",
        r"\lim_{x \to 0} \frac{\sin x}{x}",
        r"\left( \frac{a}{b} \right]",
        r"\left\{ x \mid x > 0 \right\}",
        r"\begin{pmatrix} 1 & 2 \\ 3 & 4 \end{pmatrix}",
        r"\begin{bmatrix} a \\ b \end{bmatrix}",
        r"\begin{vmatrix} a & b \\ c & d \end{vmatrix}",
        r"\begin{cases} 1 & x > 0 \\ 0 & \text{otherwise, say} \end{cases}",
        r"\begin{aligned} a &= b \\ &= c \end{aligned}",
        r"\begin{array}{l|r} a & b \\ c & d \end{array}",
        r"\hat{x} \bar{y} \tilde{z} \vec{v} \dot{q} \ddot{q}",
        r"\overline{AB} \underline{C} \overbrace{a+b} \underbrace{c}",
        r"\mathbb{R} \mathcal{L} \mathfrak{g} \mathbf{v} \mathrm{d} \mathsf{s} \mathtt{t}",
        r"\alpha \beta \Gamma \varepsilon \ell \nabla \partial \infty",
        r"a \le b \ge c \ne d \approx e \equiv f \in G \subset H",
        r"a \not= b \notin c",
        r"\binom{n}{k} \dbinom{n}{k}",
        r"\text{if } x, \text{ then } y\; (z)",
        r"\big( \Big[ \bigg\{ x \bigg\} \Big] \big)",
        r"f'(x) f''(x)",
        r"\operatorname{argmax}_x f(x)",
        r"\color{red} x + y",
        r"a \quad b \qquad c \, d \: e \; f \! g",
        r"\xrightarrow{f} \stackrel{!}{=}",
        r"x \mapsto y \implies z \iff w",
        r"\# \% \& \$ \_ , ; : ! ? ' / |",
        r"\displaystyle \sum_i x_i",
    ];
    let print = printed(formulas.iter().map(|latex| formula(latex)).collect());
    assert_eq!(print.findings, [], "every formula is set as one");
    assert!(print.bytes.starts_with(b"%PDF-"));
}

#[test]
fn a_formula_that_cannot_be_read_is_shown_as_its_source() {
    let print = printed(vec![formula(r"\frac{1"), formula(r"\nosuchcommand")]);
    assert!(print.bytes.starts_with(b"%PDF-"));
}

#[test]
fn no_text_is_read_as_the_typesetters_markup() {
    let nasty = "#panic() $x$ *b* _e_ `r` <l> @r \\ \" [ ] { } // c /* d */ = h\n- i\n+ j\n/ t: u ~ -- --- ...";
    let code = Code { language: "typst".into(), text: nasty.into(), first_line: Some(1), mark: vec![(1, 1)] };
    let run = Run {
        id: Id::new("a\"b").unwrap(),
        strand: StrandIndex(9),
        code: Some(code),
        fold: Fold::Closed,
        fold_label: nasty.into(),
        join: true,
        transcript: false,
        results: vec![
            Shown::Text { kind: TextKind::Output, text: nasty.into(), styles: Vec::new() },
            Shown::LeftOut { words: "3 more lines are left out here".into() },
        ],
        float: None,
        span: Span::NOWHERE,
    };
    let heading = Heading {
        level: 1,
        id: Id::new(nasty),
        number: nasty.into(),
        slide: Default::default(),
        content: vec![Inline::text(nasty, Span::NOWHERE)],
        span: Span::NOWHERE,
    };
    let inlines = vec![Inline::text(nasty, Span::NOWHERE), inline_code(nasty), html("<u>")];
    let print = printed(vec![Block::Heading(Box::new(heading)), paragraph_of(inlines), Block::Run(Box::new(run))]);
    assert_eq!(pages(&print), 1);
}

#[test]
fn markdown_of_every_kind_is_printed() {
    let text = "# H\n\nText *e* **s** ~~d~~ `c` [l](https://example.org) <br> x\\\ny\n\n> quote\n\n- a\n  - b\n    1. c\n\n- [x] t\n- [ ] u\n\n\
                | a | b |\n|:-:|--:|\n| 1 | 2 |\n\n---\n\n> [!NOTE]\n> n\n\n```rust\nfn f() {}\n```\n\n    indented\n\n<div>raw</div>\n\n$$x$$\n";
    let print = printed(woven_markdown(&parse_printed(text), Span::NOWHERE));
    assert_eq!(print.findings, [], "nothing is lost");
}

#[test]
fn the_same_tree_gives_the_same_bytes_and_long_text_more_pages() {
    let paragraphs = |count: usize| {
        vec![paragraph_of(vec![Inline::text("The soil dries a little each day. ".repeat(30), Span::NOWHERE)]); count]
    };
    let one = printed(paragraphs(2));
    assert_eq!(one.bytes, printed(paragraphs(2)).bytes);
    assert_eq!(pages(&one), 1);
    assert!(pages(&printed(paragraphs(40))) > 5);
}

#[test]
fn an_empty_document_is_a_page() {
    assert_eq!(pages(&print(&Woven::default(), &options()).unwrap()), 1);
}

#[test]
fn a_table_too_wide_for_the_page_is_made_small_and_told() {
    use vineloom_woven::{Column, ColumnKind, Table};
    let table = |columns: usize| {
        let column = |n: usize| Column::new(format!("column {n}"), ColumnKind::Number);
        let row = (0..columns).map(|n| Some((n * 1000).to_string())).collect();
        Block::Data {
            table: Box::new(Table { columns: (0..columns).map(column).collect(), rows: vec![row] }),
            float: None,
            span: Span::NOWHERE,
        }
    };
    let told = |columns: usize| {
        printed(vec![table(columns)]).findings.into_iter().map(|loss| loss.message).collect::<Vec<_>>()
    };
    assert_eq!(told(6), [""; 0]);
    assert_eq!(told(9), ["the table of 9 columns is set at 93 % of its size to fit the page"]);
    assert_eq!(told(14), ["the table of 14 columns is turned on its side to fit the page"]);
    assert_eq!(told(30), ["the table of 30 columns is set in 5 parts, one below the other"]);
}

/// The same formulas on the page and in print: each is either shown by both or read by neither, and one is read by neither.
#[test]
fn a_hundred_and_twenty_formulas_are_the_same_on_the_page_and_in_print() {
    let formulas: Vec<&str> = include_str!("formulas.txt").lines().collect();
    assert!(formulas.len() >= 120, "{}", formulas.len());
    let mut unread = Vec::new();
    for formula in &formulas {
        let on_page = vineloom_export::math::mathml(formula, "", true).is_ok();
        let math = Block::Equation { id: None, number: None, latex: (*formula).into(), span: Span::NOWHERE };
        let export = print(&woven_of(vec![math]), &options()).unwrap_or_else(|errors| panic!("{formula}: {errors:?}"));
        // What print can't read it sets as its source, which is no formula: no alternative text says it.
        let in_print = vineloom_pdf::reads_formula(formula, "");
        assert_eq!(on_page, in_print, "{formula} is read by both or by neither");
        assert_eq!(pages(&export), 1, "{formula}");
        if !on_page {
            unread.push(*formula);
        }
    }
    assert_eq!(unread, [r"x \mathbin{\ooalign{x}} y"]);
}

fn woven_of(blocks: Vec<Block>) -> Woven {
    Woven { blocks, ..Woven::default() }
}

#[test]
fn a_pdf_is_accessible_by_the_standard_whenever_it_can_be() {
    let holds = |print: &Export, text: &str| print.bytes.windows(text.len()).any(|part| part == text.as_bytes());
    let plain = printed(vec![paragraph_of(vec![Inline::text("Words.", Span::NOWHERE)])]);
    assert!(holds(&plain, "pdfuaid:part") && plain.findings.is_empty(), "{:?}", plain.findings);
    let heading = |level, text: &str| {
        Block::Heading(Box::new(Heading {
            level,
            id: Id::new(text),
            number: String::new(),
            slide: Default::default(),
            content: vec![Inline::text(text, Span::NOWHERE)],
            span: Span::NOWHERE,
        }))
    };
    let skipped = printed(vec![heading(1, "a"), heading(3, "b")]);
    assert!(!holds(&skipped, "pdfuaid:part"));
    assert_eq!(skipped.findings[0].help.as_deref(), Some("let headings go down one level at a time"));
    let mut options = options();
    options.standard = "a-2u".into();
    let mut dated = tree(vec![]);
    dated.head.date = Some("23 November 2026".into());
    assert!(holds(&print(&dated, &options).unwrap(), "pdfaid:part"));
    dated.head.date = None;
    assert!(print(&dated, &options).unwrap_err()[0].message.contains("missing document date"));
}

/// What the specification of Markdown thinks of, all of it on one PDF.
#[test]
fn every_example_of_commonmark_is_printed() {
    let examples: Vec<serde_json::Value> =
        serde_json::from_str(include_str!("../../export/tests/data/commonmark-0.31.json")).unwrap();
    let quoted = |example: &serde_json::Value| {
        let markdown = example["markdown"].as_str().or_else(|| example["input"].as_str()).unwrap().replace('→', "\t");
        Block::Quote(woven_markdown(&parse_printed(&markdown), Span::NOWHERE))
    };
    let print = printed(examples.iter().map(quoted).collect());
    assert!(pages(&print) > 20, "{}", pages(&print));
}

/// Texts that a typesetter might take for its own, in all places where texts stand.
#[test]
fn any_text_is_printed_as_text_wherever_it_stands() {
    let texts: Vec<String> = vec![
        "\u{0}\u{1}\u{7f}".into(),
        "\\u{41} \\n \\\" \\\\".into(),
        "${1}$ #set page(width: 1pt) #import \"x\"".into(),
        "*/ /* // <a> @b [c] (d) {e} ~ -- ... ' \" `".into(),
        "\u{202e}mirrored\u{202c} \u{2028}\u{2029}\u{feff}\u{fffd}".into(),
        "\u{1F468}\u{200D}\u{1F469}\u{200D}\u{1F467} e\u{301}\u{301}\u{301} \u{10FFFF}".into(),
        "a\u{200b}b\u{ad}c\u{a0}d".repeat(40),
    ];
    let mut blocks = Vec::new();
    for text in texts {
        let words = vec![Inline::text(text.clone(), Span::NOWHERE), inline_code(&text)];
        let link = InlineKind::Link(Box::new(Link {
            target: text.as_str().into(),
            title: text.as_str().into(),
            content: words.clone(),
        }));
        let linked = Inline::new(link, Span::NOWHERE);
        let code =
            Code { language: text.clone(), text: text.clone(), first_line: Some(u32::MAX - 9), mark: vec![(1, 9)] };
        let heading = Heading {
            level: 2,
            id: Id::new(text.clone()),
            number: text.clone(),
            slide: Default::default(),
            content: words.clone(),
            span: Span::NOWHERE,
        };
        blocks.push(Block::Heading(Box::new(heading)));
        blocks.push(paragraph_of(vec![linked, html(&format!("<b {text}>"))]));
        blocks.push(Block::Listing {
            id: Id::new(format!("l{text}")),
            code: Box::new(code),
            float: None,
            span: Span::NOWHERE,
        });
        blocks.push(Block::Html { html: text.clone(), span: Span::NOWHERE });
        blocks.push(Block::Equation {
            id: Id::new(format!("e{text}")),
            number: Some(1),
            latex: text.into(),
            span: Span::NOWHERE,
        });
    }
    assert!(pages(&printed(blocks)) >= 1);
}
