//! What print tells of: each finding with its words, its remedy, and the place of the document that it is about.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use vineloom_document::options::{Format, OptionValue, Origin, Setting, Settings};
use vineloom_document::{Diagnostic, Span};
use vineloom_export::{Assets, Export, Exporter, Job};
use vineloom_pdf::{Pdf, PdfOptions};
use vineloom_woven::NoMemory;
use vineloom_woven::{
    Block, Column, ColumnKind, Heading, Id, Image, Inline, InlineKind, Picture, Reference, Table, Woven,
};

fn export(blocks: Vec<Block>, settings: &Settings) -> Result<Export, Vec<Diagnostic>> {
    let woven = Woven { blocks, ..Woven::default() };
    Pdf.export(&Job {
        woven: &woven,
        options: &PdfOptions::of(settings),
        assets: &Assets::default(),
        memory: &NoMemory,
        name: "print",
        proof: None,
    })
}

fn usual() -> Settings {
    Settings::of_format(Format::Pdf)
}

/// The settings of print with one of them set.
fn set(name: &'static str, value: OptionValue) -> Settings {
    let mut settings = usual();
    settings.set(name, Setting { value, span: Span::NOWHERE, origin: Origin::Document });
    settings
}

/// A paragraph of one piece, both at a place.
fn at(start: usize, kind: InlineKind) -> Block {
    let span = Span::new(start, start + 10);
    Block::Paragraph { content: vec![Inline::new(kind, span)], span }
}

fn picture(start: usize, bytes: &[u8], alt: &str) -> Block {
    let picture = Picture::new(bytes.to_vec()).unwrap();
    at(start, InlineKind::Image(Box::new(Image { picture, alt: alt.into(), title: "".into(), width: None })))
}

/// The smallest moving picture: two frames of one point.
const MOVING: &[u8] = b"GIF89a\x01\x00\x01\x00\x80\x00\x00\x00\x00\x00\xff\xff\xff\
    \x2c\x00\x00\x00\x00\x01\x00\x01\x00\x00\x02\x02\x44\x01\x00\
    \x2c\x00\x00\x00\x00\x01\x00\x01\x00\x00\x02\x02\x44\x01\x00\x3b";

#[test]
fn what_print_does_not_show_is_told_at_its_place() {
    let words = |start: usize| at(start, InlineKind::Text("Words.".into()));
    let table = |columns: usize| {
        let column = |n: usize| Column::new(format!("column {n}"), ColumnKind::Number);
        let table = Table {
            columns: (0..columns).map(column).collect(),
            rows: vec![(0..columns).map(|n| Some((n * 1000).to_string())).collect()],
        };
        Block::Data { table: Box::new(table), float: None, span: Span::new(70, 80) }
    };
    let elsewhere = InlineKind::Reference(Box::new(Reference { id: Id::new("gone").unwrap(), content: vec![] }));
    let heading = |level: u8, start: usize| {
        let content = vec![Inline::text("Head", Span::new(start, start + 4))];
        let id = Id::new(format!("h{start}"));
        Block::Heading(Box::new(Heading {
            level,
            id,
            number: String::new(),
            slide: Default::default(),
            content,
            span: Span::new(start, start + 4),
        }))
    };
    let unread = InlineKind::Text("\u{100000} and".into());
    let long = format!("x = {}", (0..90).map(|n| format!("a_{{{n}}}")).collect::<Vec<_>>().join(" + "));
    let formula = Block::Equation { id: None, number: None, latex: long.into(), span: Span::new(70, 80) };
    for (block, message, help) in [
        (picture(70, MOVING, "A"), "a picture that moves stands still in the PDF", "`::: for pdf`"),
        (picture(70, b"<svg xmlns='http://www.w3.org/2000/svg'/>", ""), "this figure has no alternative text", "`alt="),
        (at(70, elsewhere), "a reference to `@gone` leads nowhere in the PDF", "put the sentence into the same"),
        (at(70, unread), "no font here has the letter \u{100000} (U+100000)", "install a font that has it"),
        (at(70, InlineKind::Html("<blink>".into())), "`<blink>` says nothing in the PDF", "`::: for html`"),
        (table(14), "the table of 14 columns is turned on its side", "show fewer columns"),
        (formula, "the formula is set at", "break it"),
    ] {
        let found = export(vec![words(5), block, words(90)], &usual()).unwrap().findings;
        let fits = |finding: &&Diagnostic| finding.message.contains(message);
        let finding = found.iter().find(fits).unwrap_or_else(|| panic!("{message}: {found:?}"));
        assert_eq!(finding.span, Some(Span::new(70, 80)), "{message}");
        assert!(finding.help.as_ref().is_some_and(|told| told.contains(help)), "{finding:?}");
        assert_eq!(found.iter().filter(fits).count(), 1, "{found:?}");
    }
    let found = export(vec![heading(1, 5), heading(3, 70)], &usual()).unwrap().findings;
    assert_eq!(found[0].help.as_deref(), Some("let headings go down one level at a time"));
}

#[test]
fn one_kind_of_finding_is_told_once_and_nothing_is_told_of_plain_words() {
    let found = |blocks: Vec<Block>| export(blocks, &usual()).unwrap().findings;
    assert_eq!(found(vec![at(5, InlineKind::Text("Plain words.".into()))]), []);
    let moving = found(vec![picture(5, MOVING, "A"), picture(70, MOVING, "B")]);
    assert_eq!((moving.len(), moving[0].span), (1, Some(Span::new(5, 15))));
    let silent = b"<svg xmlns='http://www.w3.org/2000/svg'/>";
    let figures = found(vec![picture(5, silent, ""), picture(70, silent, "")]);
    assert!(figures[0].message.starts_with("2 figures have no alternative text"), "{figures:?}");
}

#[test]
fn what_can_not_be_printed_is_an_error_with_its_place_and_a_remedy() {
    let text = |words: &str| OptionValue::Text(words.into());
    let list = |words: &[&str]| OptionValue::List(words.iter().map(ToString::to_string).collect());
    for (settings, message, help) in [
        (set("margins", list(&["100mm"])), "the margins leave no room", "make `margins` smaller"),
        (set("font-size", text("1pt")), "`font-size` is no size", "4pt to 72pt"),
        (set("font", list(&["No Such Family"])), "there is no font `No Such Family`", "name a family"),
        (set("standard", text("a-2u")), "missing document date", "give the document a day"),
    ] {
        let errors = export(vec![at(5, InlineKind::Text("Words.".into()))], &settings).unwrap_err();
        assert!(errors[0].message.contains(message), "{errors:?}");
        assert!(errors[0].help.as_ref().is_some_and(|told| told.contains(help)), "{errors:?}");
    }
    let broken = export(vec![picture(70, b"\x89PNG\r\n\x1a\nno more", "A")], &usual()).unwrap_err();
    assert!(broken[0].message.starts_with("the picture can't be read as PNG"), "{broken:?}");
    assert_eq!(broken[0].span, Some(Span::new(70, 80)));
}
