//! HTML said in the tree's terms: what comes out is written as HTML again, by the page's own writer.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::BTreeMap;
use vineloom_document::parse_printed;
use vineloom_export::html::bare;
use vineloom_export::raw_html::{picture_names, without_html};
use vineloom_weave::woven_markdown;
use vineloom_woven::{Block, Fold, Format, Id, Media, Picture, Run, Shown, Span, StrandIndex, Woven};

fn woven(blocks: Vec<Block>) -> Woven {
    Woven { blocks, strands: vec!["python".into()], ..Woven::default() }
}

fn of(markdown: &str) -> Woven {
    woven(woven_markdown(&parse_printed(markdown), Span::NOWHERE))
}

/// The document without HTML, written as HTML, and the messages.
fn said(markdown: &str) -> (String, Vec<String>) {
    let woven = of(markdown);
    let (plain, losses) = without_html(&woven, &BTreeMap::new(), Format::Pdf);
    (bare(&plain.blocks), losses.into_iter().map(|loss| loss.message).collect())
}

fn is(markdown: &str, html: &str) {
    let (out, losses) = said(markdown);
    assert_eq!(out.trim_end(), html, "{markdown}");
    assert_eq!(losses, [""; 0], "{markdown}");
}

#[test]
fn looks_links_and_breaks_of_running_text() {
    is("H<sub>2</sub>O, m<sup>2</sup>", "<p>H<sub>2</sub>O, m<sup>2</sup></p>");
    is("<KBD>Ctrl</KBD> <ins>a</ins> <small>b</small>", "<p><kbd>Ctrl</kbd> <u>a</u> <small>b</small></p>");
    is("<b>a *b* <i>c</i></b> <del>d</del>", "<p><strong>a <em>b</em> <em>c</em></strong> <del>d</del></p>");
    is("<code>a &lt; b</code> <q>c</q>", "<p><code>a &lt; b</code> \u{201c}c\u{201d}</p>");
    is(
        "<a href=\"https://example.org\">a **b**</a>",
        "<p><a href=\"https://example.org\">a <strong>b</strong></a></p>",
    );
    is("<a id=x></a>a <span style=\"color:red\">b</span> <!-- c -->d", "<p>a b d</p>");
    is("one<br/>two", "<p>one<br>\ntwo</p>");
    is("# A <mark>b</mark>", "<h1>A <mark>b</mark></h1>");
}

#[test]
fn tags_that_are_not_closed_or_not_opened_lose_nothing() {
    is("a <b>b *c*", "<p>a <strong>b <em>c</em></strong></p>");
    is("a</b> c", "<p>a c</p>");
    is("<sub>a <sup>b</sub> c</sup>", "<p><sub>a <sup>b</sup></sub> c</p>");
}

#[test]
fn blocks_hold_markdown_between_their_tags() {
    is("<div align=\"center\">\n\n**a**\n\n- b\n\n</div>", "<p><strong>a</strong></p>\n<ul>\n<li>b\n</li>\n</ul>");
    let (out, _) = said("<details>\n<summary>More <b>a</b></summary>\n\nb\n\n</details>\n\nc");
    assert!(out.contains("<summary>More <strong>a</strong></summary>\n<p>b</p>\n</details>\n<p>c</p>"), "{out}");
    is("<blockquote>a<hr>b</blockquote>", "<blockquote>\n<p>a</p>\n<hr>\n<p>b</p>\n</blockquote>");
    is("<h3>a</h3>\nb\n<p>c<p>d", "<h3>a</h3>\n<p>b</p>\n<p>c</p>\n<p>d</p>");
    is("<ol start=3><li>a<li>b</ol>", "<ol start=\"3\">\n<li>a\n</li>\n<li>b\n</li>\n</ol>");
    is("<dl><dt>a<dd>b</dl>", "<dl>\n<dt>a</dt>\n<dd>b</dd>\n</dl>");
    let (out, _) = said("<pre><code class=\"language-sh\">\nls  -l\n</code></pre>");
    assert!(out.contains("ls  -l") && out.contains("language-sh"), "{out}");
}

#[test]
fn tables_have_heads_alignment_and_cells_across() {
    is(
        "<table><caption>Plots</caption><thead><tr><th>plot<th>moisture</thead><tr><td>North<td>31.5\n<tr><td>Low<td>36</table>",
        "<p><em>Plots</em></p>\n<table>\n<thead><tr><th scope=\"col\">plot</th><th scope=\"col\" class=\"right\">moisture</th></tr></thead>\n\
         <tbody>\n<tr><td>North</td><td class=\"right\">31.5</td></tr>\n<tr><td>Low</td><td class=\"right\">36</td></tr>\n</tbody>\n</table>",
    );
    let woven = of("<table><tr><td colspan=2 align=center>a<tr><td>b<td>c</table>");
    let (plain, _) = without_html(&woven, &BTreeMap::new(), Format::Pdf);
    let Block::Table { header, rows, alignment, .. } = &plain.blocks[0] else { panic!("{:?}", plain.blocks) };
    assert!(header.iter().all(Vec::is_empty) && header.len() == 2 && rows.len() == 2 && rows[0].len() == 2);
    assert_eq!(format!("{alignment:?}"), "[Center, None]");
    is("<table></table>", "");
}

#[test]
fn what_cannot_be_said_is_told_once_for_each_kind() {
    let (out, losses) =
        said("<video src=a>no video</video>\n\n<video></video>\n\na <blink>b</blink>\n\n<script>x</script>");
    assert_eq!(out, "<p>no video</p>\n<p>a b</p>\n");
    assert_eq!(
        losses,
        [
            "`<video>` says nothing in the PDF; what stands in it is kept",
            "`<video>` says nothing in the PDF; it is left out",
            "`<blink>` says nothing in the PDF; what stands in it is kept",
            "a script does not run in the PDF"
        ]
    );
    let (out, losses) = said("<style>p { color: red }</style>\n\n<!-- a -->\n\nb");
    is("<noscript>without scripts</noscript>", "<p>without scripts</p>");
    assert!(out == "<p>b</p>\n" && losses.is_empty(), "what no reader sees is no loss: {losses:?}");
}

#[test]
fn a_loss_is_told_where_its_element_is_written() {
    let listed = |html: &str, at: usize| Block::Html { html: html.into(), span: Span::new(at, at + html.len()) };
    let blocks = vec![
        listed("<div>a</div>", 5),
        listed("<iframe src=x></iframe>", 40),
        listed("<div><canvas>b</canvas></div>", 90),
    ];
    let woven = woven(blocks);
    let (plain, losses) = without_html(&woven, &BTreeMap::new(), Format::Pdf);
    let places: Vec<usize> = losses.iter().map(|loss| loss.span.unwrap().start).collect();
    assert_eq!(places, [40, 90], "{losses:?}");
    assert!(losses.iter().all(|loss| loss.message.ends_with("it is left out")), "{losses:?}");
    assert_eq!(bare(&plain.blocks), "<p>a</p>\n");
}

#[test]
fn a_picture_in_a_data_address_is_a_picture() {
    let (out, losses) = said(
        "<img alt=A src=\"data:image/gif;base64,R0lGODlhAQABAAAAACw=\"> <img alt=B src=\"data:image/png;base64,%\">",
    );
    assert!(
        out.contains("src=\"data:image/gif;base64,R0lGODlhAQABAAAAACw=\" alt=\"A\"") && out.contains(" B"),
        "{out}"
    );
    assert_eq!(losses, ["the picture in an `<img>` can't be read; its words stand in the PDF"]);
}

#[test]
fn pictures_come_from_files_and_drawings_from_the_text() {
    let document = of(
        "<img src=\"a.png\" alt=\"A\" width=50> <img src=\"https://example.org/b.png\" alt=B>\n\n> <img src='c.png'>",
    );
    assert_eq!(picture_names(&document), ["a.png", "c.png"]);
    let pictures = BTreeMap::from([("a.png".to_string(), Picture::of_kind(Media::Png, vec![1, 2, 3]))]);
    let (plain, losses) = without_html(&document, &pictures, Format::Pdf);
    let html = bare(&plain.blocks);
    assert!(
        html.contains("data:image/png;base64,AQID") && html.contains("src=\"https://example.org/b.png\""),
        "{html}"
    );
    assert_eq!(losses.len(), 1);
    assert_eq!(losses[0].message, "the picture c.png is not there; its words stand in the PDF");
    let drawing = "<svg width=\"9\"><title>A dot</title><circle r=\"4\"/></svg>";
    let run = |html: &str| Run {
        id: Id::new("r").unwrap(),
        strand: StrandIndex(0),
        code: None,
        fold: Fold::No,
        fold_label: String::new(),
        join: false,
        transcript: false,
        results: vec![Shown::Html { html: html.into(), alt: None }],
        float: None,
        span: Span::new(5, 9),
    };
    let drawn = woven(vec![Block::Run(Box::new(run(drawing)))]);
    let (plain, losses) = without_html(&drawn, &BTreeMap::new(), Format::Pdf);
    let Block::Run(drawn) = &plain.blocks[0] else { panic!() };
    let Shown::Figure { picture, alt } = &drawn.results[0] else { panic!("{:?}", drawn.results) };
    assert!(picture.bytes.starts_with(b"<svg xmlns=\"http://www.w3.org/2000/svg\" width") && losses.is_empty());
    assert_eq!(alt.as_deref(), Some("A dot"));
    let (_, losses) =
        without_html(&woven(vec![Block::Run(Box::new(run("<div></div>")))]), &BTreeMap::new(), Format::Pdf);
    assert_eq!(losses[0].message, "the HTML that this block printed shows nothing in the PDF");
    assert_eq!(losses[0].span, Some(Span::new(5, 9)));
}
