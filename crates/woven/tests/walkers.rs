//! The walkers reach everything: a tree with a word of its own in each place where words can stand.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::BTreeMap;
use vineloom_woven::*;

/// Makes words that are each used once.
#[derive(Default)]
struct Words(usize);

impl Words {
    fn next(&mut self) -> Vec<Inline> {
        self.0 += 1;
        vec![Inline::text(format!("w{}.", self.0), Span::NOWHERE)]
    }

    fn in_paragraph(&mut self) -> Vec<Block> {
        vec![Block::Paragraph { content: self.next(), span: Span::NOWHERE }]
    }

    fn caption(&mut self, kind: FloatKind) -> Option<Box<Float>> {
        Some(Box::new(Float { kind, word: String::new(), number: 1, caption: self.next() }))
    }

    /// A piece of every kind that holds running text.
    fn nested(&mut self) -> Vec<Inline> {
        let id = || Id::new("x").unwrap();
        let kinds = [
            InlineKind::Emphasis(self.next().into()),
            InlineKind::Strong(self.next().into()),
            InlineKind::Strike(self.next().into()),
            InlineKind::Styled { style: InlineStyle::Key, content: self.next().into() },
            InlineKind::Link(Box::new(Link { target: "t".into(), title: "".into(), content: self.next() })),
            InlineKind::Reference(Box::new(Reference { id: id(), content: self.next() })),
            InlineKind::Citation(Box::new(Citation { work: id(), place: String::new(), content: self.next() })),
            InlineKind::SectionReference(Box::new(SectionReference {
                id: id(),
                number: "1".into(),
                title: self.next(),
            })),
            InlineKind::RemoteImage(Box::new(RemoteImage { target: "t".into(), title: "".into(), alt: self.next() })),
        ];
        kinds.into_iter().map(|kind| Inline::new(kind, Span::NOWHERE)).collect()
    }
}

fn code() -> Code {
    Code { language: "sh".into(), text: "code".into(), first_line: None, mark: Vec::new() }
}

/// A tree with everything that holds words, and how many words that is.
fn tree() -> (Woven, usize) {
    let mut words = Words::default();
    let table = Table { columns: Vec::new(), rows: Vec::new() };
    let span = Span::NOWHERE;
    let run = |results: Vec<Shown>, float: Option<Box<Float>>| Run {
        id: Id::new("r").unwrap(),
        strand: StrandIndex(0),
        code: Some(code()),
        fold: Fold::Closed,
        fold_label: "Code".into(),
        join: false,
        transcript: false,
        results,
        float,
        span,
    };
    let blocks = vec![
        Block::Heading(Box::new(Heading {
            level: 1,
            id: None,
            number: String::new(),
            slide: Default::default(),
            content: words.next(),
            span,
        })),
        Block::Paragraph { content: words.nested(), span },
        Block::Quote(words.in_paragraph()),
        Block::List {
            start: None,
            tight: true,
            items: vec![
                Item { task: None, blocks: words.in_paragraph() },
                Item { task: Some(true), blocks: words.in_paragraph() },
            ],
        },
        Block::Table {
            alignment: [Alignment::None].into(),
            header: [words.next()].into(),
            rows: [vec![words.next()], vec![words.next()]].into(),
            span,
        },
        Block::Rule,
        Block::Place(Id::new("place").unwrap()),
        Block::Html { html: "<p>".into(), span },
        Block::Equation { id: None, number: None, latex: "x".into(), span },
        Block::Notice { kind: NoticeKind::Tip, title: words.next(), blocks: words.in_paragraph() },
        Block::Tabs(vec![
            Tab { title: words.next(), blocks: words.in_paragraph() },
            Tab { title: words.next(), blocks: words.in_paragraph() },
        ]),
        Block::Columns { widths: vec![2, 1], columns: vec![words.in_paragraph(), words.in_paragraph()] },
        Block::Fold { label: words.next(), blocks: words.in_paragraph() },
        Block::Steps(words.in_paragraph()),
        Block::Speaker(words.in_paragraph()),
        Block::Terms(vec![
            Term { term: words.next(), blocks: words.in_paragraph() },
            Term { term: words.next(), blocks: words.in_paragraph() },
        ]),
        Block::Group { id: None, float: words.caption(FloatKind::Figure), blocks: words.in_paragraph() },
        Block::Data { table: Box::new(table), float: words.caption(FloatKind::Table), span },
        Block::Works(vec![Work { id: Id::new("w").unwrap(), label: words.next(), content: words.next() }]),
        Block::Listing { id: None, code: Box::new(code()), float: words.caption(FloatKind::Listing), span },
        Block::Run(Box::new(run(
            vec![
                Shown::Code(code()),
                Shown::LeftOut { words: String::new() },
                Shown::Blocks(words.in_paragraph()),
                Shown::Html { html: "<b>".into(), alt: None },
            ],
            words.caption(FloatKind::Figure),
        ))),
    ];
    let head = Head { title: words.next(), subtitle: words.next(), ..Head::default() };
    let notes = vec![words.in_paragraph(), words.in_paragraph()];
    (Woven { head, blocks, notes, strands: vec!["sh".into()] }, words.0)
}

/// How often each word is met by walking.
fn met(woven: &Woven) -> BTreeMap<String, usize> {
    let mut met = BTreeMap::new();
    woven.each_text(&mut |text| {
        each_inline(text, &mut |inline| {
            if let InlineKind::Text(word) = &inline.kind {
                *met.entry(word.to_string()).or_default() += 1;
            }
        });
    });
    met
}

#[test]
fn every_word_is_met_once() {
    let (woven, count) = tree();
    let met = met(&woven);
    let missed: Vec<usize> = (1..=count).filter(|n| met.get(&format!("w{n}.")) != Some(&1)).collect();
    assert!(missed.is_empty() && met.len() == count, "{missed:?} of {count}: {met:?}");
}

#[test]
fn every_block_is_visited_before_those_that_stand_in_it() {
    let (woven, _) = tree();
    let (mut paragraphs, mut all) = (0, 0);
    woven.each_block(&mut |block| {
        all += 1;
        paragraphs += usize::from(matches!(block, Block::Paragraph { .. }));
    });
    // One at the top, two in the list, one each in quote, notice, fold, steps, speaker, group and run, two each in tabs, terms, columns
    // and notes.
    assert_eq!((paragraphs, all), (18, woven.blocks.len() + 17));
}

/// Changes nothing.
struct Same;
impl Rewrite for Same {}

/// Writes every word in capitals.
struct Capitals;
impl Rewrite for Capitals {
    fn inline(&mut self, mut inline: Inline) -> Inline {
        if let InlineKind::Text(word) = &mut inline.kind {
            *word = word.to_uppercase();
        }
        inline.change_children(|content| self.text(content));
        inline
    }
}

#[test]
fn a_tree_that_is_rewritten_keeps_what_is_not_touched_and_loses_nothing() {
    let (woven, count) = tree();
    let same = Same.document(woven.clone());
    assert_eq!(serde_json::to_string(&same).unwrap(), serde_json::to_string(&woven).unwrap());
    let loud = met(&Capitals.document(woven));
    assert!(loud.len() == count && loud.keys().all(|word| word.starts_with('W')), "{loud:?}");
}

#[test]
fn the_plain_text_of_running_text_is_every_word_of_it() {
    let mut words = Words::default();
    let text = words.nested();
    assert_eq!(plain_text(&text), (1..=words.0).map(|n| format!("w{n}.")).collect::<String>());
}

#[test]
fn what_a_long_document_has_many_of_is_small() {
    assert_eq!((size_of::<Inline>(), size_of::<vineloom_document::Inline>()), (32, 32));
    assert_eq!((size_of::<Block>(), size_of::<vineloom_document::Block>()), (72, 80));
}
