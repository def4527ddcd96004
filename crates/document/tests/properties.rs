//! What holds for any text: reading it never panics, places lie in it, and scripts come back the same.

use proptest::prelude::*;
use vineloom_document::{Role, Script, Source, Span, each_inline, has_errors, lint, parse, to_document, to_script};

const DEMO: &str = include_str!("../../vineloom/demo/probe.vine.md");

/// Text that is rich in what the syntax gives meaning to.
fn texts() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        Just("```".to_string()),
        Just("~~~~".to_string()),
        Just("```python @a\n".to_string()),
        Just("```sh @ show=none x=\"y\n".to_string()),
        Just("```python @b lines=on\nx = 1\n\ny\n```\n".to_string()),
        Just("```python @\n\nx\n```\n".to_string()),
        Just("@name\n".to_string()),
        Just("#~ x\n".to_string()),
        Just("+++\n".to_string()),
        Just("title = \"x\"\n".to_string()),
        Just("[export]\nto = [\"pdf\"]\n".to_string()),
        Just("@[a]".to_string()),
        Just("@[a(n=1, t=\"]\")]".to_string()),
        Just("@[python: x]".to_string()),
        Just("[](@a)".to_string()),
        Just("![c](@a)".to_string()),
        Just("![](b.csv)".to_string()),
        Just("::: note \"T\" #n\n".to_string()),
        Just(":::: tabs\n".to_string()),
        Just(":::\n".to_string()),
        Just("$$x$$ {#e}\n".to_string()),
        Just("## H {#h}\n".to_string()),
        Just("> - 1. ".to_string()),
        Just("| a | b |\n|---|--:|\n".to_string()),
        Just("[^1]\n\n[^1]: note\n".to_string()),
        Just("\r\n".to_string()),
        Just("\n\n".to_string()),
        Just("    ".to_string()),
        Just("\u{F0000}\u{10FFFD}\u{200F}é漢𝄞".to_string()),
        any::<String>().prop_map(|text| text.chars().take(12).collect()),
    ];
    proptest::collection::vec(piece, 0..40).prop_map(|pieces| pieces.concat())
}

fn places_lie_in_the_text(text: &str) {
    let parsed = parse(Source::new("t.md", text));
    let end = parsed.document.sources.main().end();
    let findings = parsed.diagnostics.iter().cloned().chain(lint(&parsed.document));
    for span in findings.filter_map(|finding| finding.span) {
        assert!(span.start <= span.end && span.end <= end, "{span:?} of {end} in {text:?}");
    }
    let lies_in = |span: Span| {
        span.start <= span.end
            && span.end <= text.len()
            && text.is_char_boundary(span.start)
            && text.is_char_boundary(span.end)
    };
    for value in &parsed.document.values {
        assert!(lies_in(value.span), "{value:?} in {text:?}");
    }
    parsed.document.each_text(&mut |running| {
        each_inline(running, &mut |inline| {
            assert!(lies_in(inline.span()), "{inline:?} in {text:?}");
            for inner in inline.children() {
                let within = inline.span().start <= inner.span().start && inner.span().end <= inline.span().end;
                assert!(within, "{inner:?} is not in {inline:?} in {text:?}");
            }
        });
    });
    let mut before = 0;
    for block in parsed.document.live.iter().filter(|block| block.role == Role::Shown) {
        assert!(lies_in(block.span), "{:?} in {text:?}", block.span);
        let fence = block.span.start == block.fence.start && block.fence.end <= block.span.end;
        assert!(fence, "the fence line {:?} begins the block {:?} in {text:?}", block.fence, block.span);
        assert!(before <= block.span.start, "blocks follow each other: {text:?}");
        before = block.span.end;
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn any_text_is_read(text in texts()) {
        places_lie_in_the_text(&text);
    }

    #[test]
    fn any_edit_of_the_demo_is_read(from in 0..DEMO.len(), length in 0..60usize, with in texts()) {
        let floor = |mut at: usize| { while !DEMO.is_char_boundary(at) { at -= 1; } at };
        let (start, end) = (floor(from), floor((from + length).min(DEMO.len())));
        places_lie_in_the_text(&format!("{}{with}{}", &DEMO[..start], &DEMO[end..]));
    }

    /// A document that was made a script and a document again is the same, to the byte.
    #[test]
    fn conversion_loses_nothing(text in texts(), extension in prop::sample::select(vec!["py", "R", "sh", "js", "m", "rb"])) {
        let script = Script::of_path(&format!("x.{extension}")).unwrap();
        // A script has lines, each with an end, and nothing else.
        let mut document: String = text.replace('\r', "").replace("```python", &format!("```{}", script.language));
        if !document.is_empty() && !document.ends_with('\n') {
            document.push('\n');
        }
        let there = to_script(&document, script).text;
        prop_assert_eq!(to_document(&there, script).text, document);
    }
}

#[test]
fn the_demo_has_no_findings() {
    let parsed = parse(Source::new("probe.vine.md", DEMO));
    assert!(!has_errors(&parsed.diagnostics), "{:?}", parsed.diagnostics);
    assert_eq!(lint(&parsed.document), []);
}
