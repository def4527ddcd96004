//! The page, from woven trees made by hand.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use vineloom_document::options::Settings;
use vineloom_export::html::{Html, HtmlOptions, bare};
use vineloom_export::{Assets, Exporter, Job};
use vineloom_woven::NoMemory;
use vineloom_woven::{
    Block, Code, Column, ColumnKind, Cut, Float, FloatKind, Fold, Format, Head, Heading, Id, Inline, InlineKind, Link,
    NoticeKind, Picture, Run, Shown, Span, StrandIndex, Tab, Table, TextKind, Work, Woven,
};

fn text(words: &str) -> Vec<Inline> {
    vec![Inline::text(words, Span::NOWHERE)]
}

fn paragraph_of(content: Vec<Inline>) -> Block {
    Block::Paragraph { content, span: Span::NOWHERE }
}

fn code(words: &str) -> Code {
    Code { language: "python".into(), text: words.into(), first_line: None, mark: Vec::new() }
}

fn run(results: Vec<Shown>) -> Run {
    Run {
        id: id("r"),
        strand: StrandIndex(0),
        code: Some(code("x = 1")),
        fold: Fold::No,
        fold_label: "Code".into(),
        join: false,
        transcript: false,
        results,
        float: None,
        span: Span::NOWHERE,
    }
}

fn woven(blocks: Vec<Block>) -> Woven {
    let head = Head { title: text("Title"), language: "en".into(), ..Head::default() };
    Woven { head, blocks, strands: vec!["python".into(), "sh".into()], ..Woven::default() }
}

/// A place that links lead to.
fn id(text: &str) -> Id {
    Id::new(text).unwrap()
}

fn page(woven: &Woven) -> String {
    let options = HtmlOptions::of(&Settings::of_format(Format::Html));
    let export = Html
        .export(&Job {
            woven,
            options: &options,
            assets: &Assets::default(),
            memory: &NoMemory,
            name: "page",
            proof: None,
        })
        .unwrap();
    assert!(Exporter::is_signed(&Html, &export.bytes));
    String::from_utf8(export.bytes).unwrap()
}

fn html(blocks: Vec<Block>) -> String {
    page(&woven(blocks))
}

/// What stands between a tag that begins so and its end.
fn body(html: &str) -> &str {
    let start = html.find("<article>").unwrap();
    &html[start..html.find("</article>").unwrap()]
}

#[test]
fn results_are_text_and_never_markup() {
    let hostile = "</pre><script>alert(1)</script>\u{0}\u{1b}[31m<img src=x onerror=y>";
    for shown in [
        Shown::Text { kind: TextKind::Output, text: hostile.into(), styles: Vec::new() },
        Shown::Text { kind: TextKind::Failure, text: hostile.into(), styles: Vec::new() },
        Shown::Table {
            table: Table {
                columns: vec![Column::new(hostile, ColumnKind::Text)],
                rows: vec![vec![Some(hostile.into())]],
            },
            cut: None,
        },
    ] {
        let page = html(vec![Block::Run(Box::new(run(vec![shown])))]);
        let body = body(&page);
        assert!(!body.contains("<script") && !body.contains("<img") && !body.contains('\u{0}'), "{body}");
        assert!(body.contains("&lt;script&gt;alert(1)&lt;/script&gt;"));
    }
}

#[test]
fn hostile_names_and_captions_stay_inside_their_attributes() {
    let mut hostile = run(vec![Shown::Figure {
        picture: Picture::new(b"<svg/>".to_vec()).unwrap(),
        alt: Some("\" onload=\"alert(1)".into()),
    }]);
    hostile.float = Some(Box::new(Float {
        kind: FloatKind::Figure,
        word: "Figure".into(),
        number: 1,
        caption: text("<b>\"c\"</b>"),
    }));
    let mut tree = woven(vec![Block::Run(Box::new(hostile))]);
    tree.strands = vec!["\"><script>".into()];
    tree.head.authors = vec![vineloom_woven::Author { name: "\"><script>".into(), affiliation: Some("<i>".into()) }];
    let page = page(&tree);
    assert_eq!(page.matches("<script").count(), 2, "only our own");
    assert!(page.contains("alt=\"&quot; onload=&quot;alert(1)\""));
    assert!(!page.contains("<b>\"c\""));
}

#[test]
fn a_strand_has_its_colour_and_a_listing_has_no_thread() {
    let mut second = run(vec![]);
    second.strand = StrandIndex(1);
    let page = html(vec![
        Block::Run(Box::new(run(vec![]))),
        Block::Run(Box::new(second)),
        Block::Listing { id: None, code: Box::new(code("plain")), float: None, span: Span::NOWHERE },
    ]);
    assert!(page.contains("class=\"run strand-1\" data-strand=\"python\""));
    assert!(page.contains("class=\"run strand-2\" data-strand=\"sh\""));
    assert_eq!(body(&page).matches("class=\"run").count(), 2);
}

#[test]
fn lines_are_numbered_and_stressed() {
    let numbered = Code { first_line: Some(7), mark: vec![(2, 2)], ..code("a\nb\nc") };
    let page =
        html(vec![Block::Listing { id: Id::new("l"), code: Box::new(numbered), float: None, span: Span::NOWHERE }]);
    assert!(page.contains("<span class=\"line\" data-line=\"7\">"));
    assert!(page.contains("<span class=\"line marked\" data-line=\"8\">"));
    assert!(page.contains("id=\"l\""));
}

#[test]
fn folds_offer_to_open_all_only_where_there_are_any() {
    let mut folded = run(vec![]);
    folded.fold = Fold::Closed;
    let page = html(vec![Block::Run(Box::new(folded))]);
    assert!(page.contains("<details class=\"fold\"><summary>Code</summary>") && page.contains("data-fold-all>"));
    assert!(!body(&html(vec![Block::Run(Box::new(run(vec![])))])).contains("data-fold-all"));
}

#[test]
fn long_tables_say_where_rows_are_left_out() {
    let row = |n: u32| vec![Some(n.to_string())];
    let table = Table { columns: vec![Column::new("n", ColumnKind::Number)], rows: vec![row(1), row(9)] };
    let page = html(vec![Block::Run(Box::new(run(vec![Shown::Table {
        table,
        cut: Some(Cut { after: 1, rows: 7, words: "7 rows left out".into() }),
    }])))]);
    let body = body(&page);
    let (first, cut, last) =
        (body.find(">1<").unwrap(), body.find("7 rows left out").unwrap(), body.find(">9<").unwrap());
    assert!(first < cut && cut < last);
}

#[test]
fn contents_nest_as_the_headings_do() {
    let heading = |level: u8, words: &str| {
        Block::Heading(Box::new(Heading {
            level,
            id: Id::new(words),
            number: "1".into(),
            slide: Default::default(),
            content: text(words),
            span: Span::NOWHERE,
        }))
    };
    let page = html(vec![heading(2, "a"), heading(3, "b"), heading(2, "c"), heading(5, "deep")]);
    let nav = &page[page.find("<nav").unwrap()..page.find("</nav>").unwrap()];
    let flat: String = nav.split_whitespace().collect();
    assert!(
        flat.contains(
            "<ol><li><ahref=\"#a\">a</a><ol><li><ahref=\"#b\">b</a></li></ol></li><li><ahref=\"#c\">c</a></li></ol>"
        ),
        "{flat}"
    );
    assert!(!nav.contains("deep"), "deeper than contents-depth");
}

#[test]
fn containers_have_their_elements() {
    let paragraph = |words: &str| paragraph_of(text(words));
    let page = html(vec![
        Block::Tabs(vec![
            Tab { title: text("One"), blocks: vec![paragraph("1")] },
            Tab { title: text("Two"), blocks: vec![] },
        ]),
        Block::Columns { widths: Vec::new(), columns: vec![vec![paragraph("l")], vec![paragraph("r")]] },
        Block::Fold { label: text("More"), blocks: vec![paragraph("hidden")] },
        Block::Notice { kind: NoticeKind::Danger, title: Vec::new(), blocks: vec![paragraph("hot")] },
        Block::Group {
            id: Id::new("g"),
            float: Some(Box::new(Float {
                kind: FloatKind::Figure,
                word: "Figure".into(),
                number: 3,
                caption: text("Pair"),
            })),
            blocks: vec![paragraph("p")],
        },
        Block::Works(vec![Work { id: id("work-a"), label: text("[1]"), content: text("A") }]),
    ]);
    for part in [
        "<section class=\"tab\">\n<p class=\"tab-title\">One</p>",
        "<div class=\"columns\">",
        "<summary>More</summary>",
        "<aside class=\"notice danger\">\n<p class=\"notice-title\">Danger</p>",
        "<figure class=\"group\" id=\"g\">",
        "Figure 3.</span> Pair",
        "<p id=\"work-a\"><span class=\"work-label\">[1]</span> A</p>",
    ] {
        assert!(page.contains(part), "{part}\n{page}");
    }
}

#[test]
fn a_formula_that_cannot_be_read_is_shown_as_its_source_and_told() {
    let math = InlineKind::Math { latex: "\\frac{1".into(), display: false };
    let page = html(vec![paragraph_of(vec![Inline::new(math, Span::NOWHERE)])]);
    assert!(page.contains("<code class=\"unread\">\\frac{1</code>"));
}

#[test]
fn links_never_run_code() {
    let link = |target: &str| {
        let link = InlineKind::Link(Box::new(Link { target: target.into(), title: "".into(), content: text("x") }));
        bare(&[paragraph_of(vec![Inline::new(link, Span::NOWHERE)])])
    };
    assert_eq!(link("javascript:alert(1)"), "<p><a href=\"#\">x</a></p>\n");
    assert_eq!(link("a b?c=é"), "<p><a href=\"a%20b?c=%C3%A9\">x</a></p>\n");
}

#[test]
fn the_same_tree_gives_the_same_page() {
    let tree = woven(vec![Block::Run(Box::new(run(vec![Shown::Text {
        kind: TextKind::Value,
        text: "1".into(),
        styles: Vec::new(),
    }])))]);
    assert_eq!(page(&tree), page(&tree));
}
