//! The examples of the CommonMark specification, and those of the GitHub extensions, through our own HTML writer.
//!
//! `data/commonmark-0.31.json` holds the examples of CommonMark 0.31 (by John MacFarlane, CC-BY-SA 4.0).
#![allow(clippy::unwrap_used, clippy::expect_used)]

use vineloom_document::{parse_commonmark, parse_printed};
use vineloom_export::html::bare;
use vineloom_weave::woven_markdown;
use vineloom_woven::Span;

/// HTML in one form: how an empty element is closed, and line ends between elements, are left open by the standard.
fn normal(html: &str) -> String {
    // A quotation mark in text may be written either way.
    let mut html = html.replace(" />", ">").replace("&quot;", "\"");
    for tag in [
        "p",
        "li",
        "ul",
        "ol",
        "blockquote",
        "h1",
        "h2",
        "h3",
        "h4",
        "h5",
        "h6",
        "hr",
        "table",
        "thead",
        "tbody",
        "tr",
        "td",
        "th",
    ] {
        for whole in [format!("<{tag}>"), format!("</{tag}>")] {
            html = html.replace(&format!("\n{whole}"), &whole).replace(&format!("{whole}\n"), &whole);
        }
    }
    html.replace("\n<br>", "<br>").replace("<br>\n", "<br>").trim().to_string()
}

#[test]
fn the_examples_of_commonmark_pass() {
    let examples: Vec<serde_json::Value> = serde_json::from_str(include_str!("data/commonmark-0.31.json")).unwrap();
    assert!(examples.len() > 640);
    let mut failed = Vec::new();
    for (at, example) in examples.iter().enumerate() {
        let number = example["example"].as_u64().unwrap_or(at as u64 + 1);
        let markdown = example["markdown"].as_str().or_else(|| example["input"].as_str()).unwrap().replace('→', "\t");
        let html = example["html"].as_str().or_else(|| example["output"].as_str()).unwrap().replace('→', "\t");
        let ours = bare(&woven_markdown(&parse_commonmark(&markdown), Span::NOWHERE));
        if normal(&ours) != normal(&html) {
            failed.push(format!("example {number}\n{markdown}\nwanted\n{}\ngot\n{}\n", normal(&html), normal(&ours)));
        }
    }
    assert!(failed.is_empty(), "{} differ\n{}", failed.len(), failed.join("\n"));
}

#[test]
fn the_github_extensions_pass() {
    for (markdown, html) in [
        ("~~struck~~ text", "<p><del>struck</del> text</p>"),
        (
            "| a | b |\n|---|:-:|\n| c | d |",
            "<table><thead><tr><th scope=\"col\">a</th><th scope=\"col\" class=\"centre\">b</th></tr></thead><tbody><tr><td>c</td><td class=\"centre\">d</td></tr></tbody></table>",
        ),
        ("Hello www.github.com.", "<p>Hello <a href=\"http://www.github.com\">www.github.com</a>.</p>"),
        (
            "https://example.org/a?b=c&d",
            "<p><a href=\"https://example.org/a?b=c&amp;d\">https://example.org/a?b=c&amp;d</a></p>",
        ),
        ("Happy :tada:", "<p>Happy 🎉</p>"),
        (
            "> [!note]\n> Mind it.",
            "<aside class=\"notice note\">\n<p class=\"notice-title\">Note</p><p>Mind it.</p></aside>",
        ),
        ("A\\\nB", "<p>A<br>B</p>"),
    ] {
        assert_eq!(normal(&bare(&woven_markdown(&parse_printed(markdown), Span::NOWHERE))), html, "{markdown}");
    }
    let tasks = bare(&woven_markdown(&parse_printed("* [x] Done\n* [ ] To do"), Span::NOWHERE));
    assert_eq!(tasks.matches("type=\"checkbox\" disabled").count(), 2);
    assert_eq!(tasks.matches(" checked").count(), 1);
}
