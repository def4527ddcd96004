//! Splicing: results that are made up are put into documents, as a tree and as the author's own text.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::borrow::Cow;
use std::collections::BTreeMap;
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Document, FileProblem, Files, Given as With, Source, has_errors, parse_with};
use vineloom_interpreters::{Languages, Outcome, Piece};
use vineloom_picture::Picture;
use vineloom_table::Table;
use vineloom_weave::{
    Aids, BlockResult, Given, PictureProblem, Pictures, Plan, Results, State, plan, splice, splice_text,
};
use vineloom_woven::{Block, FloatKind, Inline, InlineKind, NoMemory, Run, Shown, Woven, each_inline, plain_text};

const LIBRARY: &str = "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, date = {2024}}\n\
                       @book{calloway, title = {Marl and Clay}, author = {Calloway, Ines}, date = {2021}}\n";

/// The files beside a document.
struct Beside;

impl Files for Beside {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileProblem> {
        match path {
            "a.bib" => Ok(LIBRARY.into()),
            "bad.bib" => Ok("@book{other, title = {Reading".into()),
            "part.vine.md" => Ok("+++\ntitle = \"Part\"\n+++\n\nA part with @[n].\n".into()),
            "a.csv" => Ok("plot,depth\nNorth,30\n".into()),
            _ => Err(FileProblem::Absent),
        }
    }
}

impl Pictures for Beside {
    fn read(&self, name: &str) -> Result<Picture, PictureProblem> {
        match name {
            "a.svg" => Ok(drawing()),
            _ => Err(PictureProblem::Absent { folder: "here".into() }),
        }
    }
}

fn drawing() -> Picture {
    Picture::new(b"<svg/>".to_vec()).unwrap()
}

/// A document and what its blocks gave, by their names; those that are not among it printed nothing.
struct Splicing {
    document: Document,
    plan: Plan,
    results: Results,
}

fn with(text: &str, gave: &[(&str, Vec<Piece>)]) -> Splicing {
    let parsed = parse_with(Source::new("a.vine.md", text), With { files: &Beside, project: None, set: &[] });
    assert!(!has_errors(&parsed.diagnostics), "{:?}", parsed.diagnostics);
    let document = parsed.document;
    let plan = plan(&document, &Languages::built_in()).unwrap();
    let result = |block: &vineloom_document::LiveBlock| {
        let name = block.name.as_ref().map_or("", |name| name.as_str());
        let pieces = gave.iter().find(|(known, _)| *known == name).map_or(Vec::new(), |(_, pieces)| pieces.clone());
        let outcome = Outcome { pieces, exit: 0, interpreter_ended: false, milliseconds: 1 };
        BlockResult {
            code: format!("code of {name}\n").into(),
            given: Some(Given { outcome, state: State::Ran, facts: Vec::new(), files: None }),
        }
    };
    let results = Results { blocks: document.live.map(result), not_stored: None, failures: Vec::new() };
    Splicing { document, plan, results }
}

const AIDS: Aids = Aids { pictures: &Beside, memory: &NoMemory };

impl Splicing {
    /// The tree, which is the same when the document gives its body away.
    fn tree(&self) -> (Woven, Vec<Diagnostic>) {
        let mut without_body = self.document.clone();
        let body = std::mem::take(&mut without_body.blocks);
        let kept = self.splice(&without_body, Cow::Borrowed(&body));
        let (tree, findings) = self.splice(&without_body, Cow::Owned(body));
        assert_eq!(serde_json::to_value(&kept.0).unwrap(), serde_json::to_value(&tree).unwrap());
        assert_eq!(kept.1, findings);
        kept
    }

    fn splice(&self, document: &Document, body: Cow<'_, [vineloom_document::Block]>) -> (Woven, Vec<Diagnostic>) {
        let mut findings = Vec::new();
        (splice(document, body, &[Format::Html], &self.plan, &self.results, AIDS, &mut findings), findings)
    }

    fn text(&self) -> String {
        splice_text(&self.document, &self.plan, &self.results, "parts", AIDS, &mut Vec::new()).text
    }
}

fn printed(text: &str) -> Vec<Piece> {
    vec![Piece::Text(text.into())]
}

/// The words of every paragraph.
fn paragraphs(woven: &Woven) -> Vec<String> {
    let mut found = Vec::new();
    woven.each_block(&mut |block| {
        if let Block::Paragraph { content, .. } = block {
            found.push(plain_text(content).replace('\u{a0}', " "));
        }
    });
    found
}

fn runs(woven: &Woven) -> Vec<&Run> {
    let mut found: Vec<&Run> = Vec::new();
    woven.each_block(&mut |block| {
        if let Block::Run(run) = block {
            found.push(run);
        }
    });
    found
}

#[test]
fn what_has_a_caption_has_a_number_that_can_be_referred_to_from_above() {
    let text = "See [](@plot), [](@depths), [](@said), [](@list), [](@mass), [](@wiring).\n\n## Wiring {#wiring}\n\n\
                ```sh @plot caption=\"P\"\n```\n```sh @depths caption=\"D\"\n```\n```sh @said caption=\"S\"\n```\n\
                ```sh id=list caption=\"L\"\nx\n```\n$$m$$ {#mass}\n";
    let table = Piece::Table(Table::read("a\n1\n").unwrap());
    let woven =
        with(text, &[("plot", vec![Piece::Figure(drawing())]), ("depths", vec![table]), ("said", printed("x"))]);
    let (tree, found) = woven.tree();
    assert_eq!(found, []);
    assert_eq!(paragraphs(&tree)[0], "See Figure 1, Table 1, Listing 1, Listing 2, Equation 1, Wiring.");
    let floats: Vec<_> =
        runs(&tree).iter().map(|run| run.float.as_ref().map(|f| (f.kind, f.number)).unwrap()).collect();
    assert_eq!(floats, [(FloatKind::Figure, 1), (FloatKind::Table, 1), (FloatKind::Listing, 1)]);
}

#[test]
fn a_placed_result_leaves_its_code_where_it_stands() {
    let woven = with("```sh @a\n```\n\nWords.\n\n![Placed](@a)\n\n![Again](@a)\n", &[("a", printed("given\n"))]);
    let (tree, _) = woven.tree();
    let [code, placed, again] = runs(&tree)[..] else { panic!("{tree:?}") };
    assert!(code.code.is_some() && code.results.is_empty() && code.id.as_str() == "a-code");
    assert!(placed.code.is_none() && placed.id.as_str() == "a" && placed.float.as_ref().unwrap().number == 1);
    assert!(again.float.is_none() && again.id.as_str() == "a-2", "a result has one number: {again:?}");
    for run in [placed, again] {
        assert!(matches!(&run.results[..], [Shown::Text { text, .. }] if text == "given"), "{run:?}");
    }
}

#[test]
fn a_result_that_is_not_there_is_told_where_it_should_stand() {
    let woven = with("```sh @a show=code\n```\n```sh @b\n```\n\n![](@a)\n\n![](@b)\n", &[("a", printed("hidden"))]);
    let (_, found) = woven.tree();
    let told: Vec<_> = found
        .iter()
        .map(|f| (woven.document.sources.line_of(f.span.unwrap().start), f.help.clone().unwrap()))
        .collect();
    assert_eq!(told[0].0, 6);
    assert!(told[0].1.contains("not among the kinds that `show` lists"), "{told:?}");
    assert_eq!((told[1].0, told[1].1.as_str()), (8, "it printed nothing, and gave no figure and no table"));
}

#[test]
fn works_are_numbered_in_the_order_in_which_they_are_read_captions_among_them() {
    let text = "+++\nreferences = \"a.bib\"\ncitation-style = \"ieee\"\n+++\n\n\
                ```sh @a caption=\"After [](@calloway)\"\n```\n\nAs [p. 12](@wren) says, and [](@calloway).\n";
    let woven = with(text, &[("a", printed("x"))]);
    let (tree, found) = woven.tree();
    assert_eq!(found, []);
    assert_eq!(paragraphs(&tree)[0], "As [2, p. 12] says, and [1].");
    let Some(Block::Works(works)) = tree.blocks.last() else { panic!("the list stands at the end: {tree:?}") };
    let listed: Vec<String> = works.iter().map(|work| plain_text(&work.content)).collect();
    assert!(listed[0].contains("Marl and Clay") && listed[1].contains("Reading Soil"), "{listed:?}");
    assert_eq!(works[1].id.as_str(), "work-wren");
    assert!(woven.text().contains("Reading Soil"), "the text has the list too");
}

#[test]
fn the_list_of_works_stands_where_it_is_placed_and_an_unread_file_is_told() {
    let text = "+++\nreferences = \"a.bib\"\n+++\n\nAs [](@wren) says.\n\n::: references\n:::\n\nAfter.\n";
    let (tree, _) = with(text, &[]).tree();
    assert!(
        matches!(&tree.blocks[..], [Block::Paragraph { .. }, Block::Works(_), Block::Paragraph { .. }]),
        "{tree:?}"
    );
    let unused = with("+++\nreferences = \"a.bib\"\n+++\n\nNo citation.\n", &[]).tree().0;
    assert_eq!(unused.blocks.len(), 1, "nothing cited, no list");
    let (_, found) = with("+++\nreferences = [\"a.bib\", \"bad.bib\"]\n+++\n\nAs [](@calloway) says.\n", &[]).tree();
    assert!(found.iter().any(|f| f.message.starts_with("bad.bib, line 1, can't be read")), "{found:?}");
}

#[test]
fn footnotes_are_numbered_by_their_first_mark() {
    let text = "One[^b] and[^a] and[^b].\n\n[^a]: Of a.\n\n[^b]: Of b.\n\n[^c]: Of nobody.\n";
    let (tree, _) = with(text, &[]).tree();
    let mut marks = Vec::new();
    tree.each_text(&mut |text| {
        each_inline(text, &mut |inline| {
            if let InlineKind::Note(number) = inline.kind {
                marks.push(number.to_string());
            }
        });
    });
    assert_eq!(marks, ["1", "2", "1"]);
    assert_eq!(paragraphs(&tree)[1..], ["Of b.", "Of a."], "a note without a mark is no note");
}

#[test]
fn a_picture_that_is_not_there_is_an_error_at_its_place() {
    let woven = with("Words ![far](https://example.org/x.png) and ![gone](no.svg) ![here](a.svg).\n", &[]);
    let (tree, found) = woven.tree();
    let at = |f: &Diagnostic| woven.document.sources.main().slice(f.span.unwrap()).to_string();
    assert_eq!(at(&found[0]), "![far](https://example.org/x.png)");
    assert_eq!((at(&found[1]).as_str(), has_errors(&found)), ("![gone](no.svg)", true));
    assert_eq!(paragraphs(&tree), ["Words far and gone here."]);
}

#[test]
fn printed_markdown_keeps_its_structure_and_no_harmful_tag() {
    let gave = printed("# H\n\n- *a*\n\n<script>alert(1)</script>\n\nx<sub>2</sub> <b onclick=y>z</b>\n");
    let (tree, _) = with("```sh @a as=markdown show=text\n```\n", &[("a", gave)]).tree();
    let [Shown::Blocks(blocks)] = &runs(&tree)[0].results[..] else { panic!() };
    assert!(matches!(blocks[0], Block::Heading(ref heading) if heading.id.is_none()));
    assert!(matches!(blocks[1], Block::List { .. }));
    let json = serde_json::to_string(blocks).unwrap();
    assert!(!json.contains("script") && !json.contains("onclick") && json.contains("<sub>"), "{json}");
}

#[test]
fn what_stands_over_something_keeps_only_tags_that_set_text() {
    let text = "+++\ntitle = \"A <b>b</b> <img src=x onerror=y>\"\n+++\n\n```sh @a caption=\"H<sub>2</sub>O <script>x</script>\"\n```\n";
    let (tree, _) = with(text, &[("a", printed("x"))]).tree();
    let html = |text: &[Inline]| {
        let kept =
            text.iter().filter_map(|i| if let InlineKind::Html(html) = &i.kind { Some(html.as_str()) } else { None });
        kept.collect::<String>()
    };
    assert_eq!(html(&tree.head.title), "<b></b>");
    assert_eq!(html(&runs(&tree)[0].float.as_ref().unwrap().caption), "<sub></sub>");
}

#[test]
fn the_authors_text_is_kept_to_the_byte_around_what_is_woven_in() {
    let gave = [("n", printed("4*2\n")), ("list", printed("a\nb\n"))];
    for (document, expected) in [
        ("Odd  *spacing*,\ttabs  \nand @[n] here.\r\n", "Odd  *spacing*,\ttabs  \nand 4\\*2 here.\r\n"),
        ("`x @[n]` $@[n]$ [l](a/@[n])\n", "`x 4*2` $4*2$ [l](a/4*2)\n"),
        (
            "- item\n\n  ```sh @list\n  ```\n",
            "- item\n\n  ```sh\n  code of list\n  ```\n\n  ```text\n  a\n  b\n  ```\n",
        ),
        ("> ```sh @list show=text\n> ```\n", "> ```text\n> a\n> b\n> ```\n"),
        ("![](part.vine.md)\n", "A part with 4\\*2.\n"),
        ("![D](a.csv)\n", "*Table 1. D*\n\n| plot | depth |\n| --- | --: |\n| North | 30 |\n"),
        ("In a sentence: ![](@list).\n", "In a sentence: a b.\n"),
        ("\\@[n] and `\\@[n]` stay.\n", "\\@[n] and `@[n]` stay.\n"),
    ] {
        // The blocks that values come from stand at the end, where they change nothing before them.
        let blocks = [("n", "\n```sh @n show=none\n```\n"), ("list", "\n```sh @list show=none\n```\n")];
        let missing = blocks.iter().filter(|(name, _)| !document.contains(&format!("sh @{name}")));
        let whole = format!("{document}{}", missing.map(|(_, block)| *block).collect::<String>());
        let text = with(&whole, &gave).text();
        assert!(text.starts_with(expected), "{document:?} gave\n{text}");
    }
}

#[test]
fn values_with_backticks_and_printed_fences_end_nothing() {
    let gave = [("tick", printed("a`b\n")), ("fence", printed("```\nx\n```\n"))];
    let text = with("Say `x @[tick] y`.\n\n```sh @tick show=none\n```\n```sh @fence show=text\n```\n", &gave).text();
    assert!(text.starts_with("Say `` x a`b y ``.\n"), "{text}");
    assert!(text.contains("````text\n```\nx\n```\n````"), "{text}");
}

#[test]
fn markdown_that_a_block_without_a_name_printed_is_not_lost() {
    let text = with("```sh @ as=markdown show=text\n```\n", &[("", printed("Very **dry**.\n"))]).text();
    assert_eq!(text.trim_end(), "Very **dry**.");
}

#[test]
fn strands_are_listed_in_the_order_of_their_first_use() {
    let (tree, _) =
        with("```python @a\n```\n```sh @b\n```\n```python @c\n```\n```sh @d strand=fresh\n```\n", &[]).tree();
    assert_eq!(tree.strands, ["python", "sh", "sh fresh"]);
    let of: BTreeMap<&str, &str> = runs(&tree).iter().map(|run| (run.id.as_str(), tree.strand(run.strand))).collect();
    assert_eq!(of, BTreeMap::from([("a", "python"), ("b", "sh"), ("c", "python"), ("d", "sh fresh")]));
}
