//! Pages as they are seen while a document is written.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::path::Path;
use std::sync::{Arc, Mutex};
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_export::{Assets, Export, Exporter, Job, Pages, Proof};
use vineloom_pdf::{Pdf, PdfOptions};
use vineloom_woven::NoMemory;
use vineloom_woven::{Block, Head, Heading, Inline, Span, Woven};

type Exported = Result<Export, Vec<Diagnostic>>;

/// A tree of headings and paragraphs, each at its place in the text.
fn tree(text: &str) -> Woven {
    let at = |part: &str| {
        let start = part.as_ptr() as usize - text.as_ptr() as usize;
        Span::new(start, start + part.len())
    };
    let block = |part: &str| match part.strip_prefix("# ") {
        Some(title) => Block::Heading(Box::new(Heading {
            level: 1,
            id: None,
            number: String::new(),
            slide: Box::default(),
            content: vec![Inline::text(title, at(part))],
            span: at(part),
        })),
        None => Block::Paragraph { content: vec![Inline::text(part, at(part))], span: at(part) },
    };
    let head = Head { language: "en".into(), ..Head::default() };
    let blocks = text.split("\n\n").filter(|part| !part.is_empty()).map(block).collect();
    Woven { head, blocks, ..Woven::default() }
}

/// Sets a text as a proof of the document of that name: its pages, and the export.
fn proof(name: &str, text: &str) -> (Arc<dyn Pages>, Exported) {
    let (mut seen, export) = all_seen(name, text);
    (seen.pop().expect("pages come before the file"), export)
}

/// All that is shown while a text is set, the last last.
fn all_seen(name: &str, text: &str) -> (Vec<Arc<dyn Pages>>, Exported) {
    let seen: Mutex<Vec<Arc<dyn Pages>>> = Mutex::default();
    let pages = |pages| seen.lock().unwrap().push(pages);
    let woven = tree(text);
    let options = PdfOptions::of(&Settings::of_format(Format::Pdf));
    let proof = Proof { export: Path::new(name), pages: &pages, is_outdated: &|| false };
    let job = Job {
        woven: &woven,
        options: &options,
        assets: &Assets::default(),
        memory: &NoMemory,
        name: "print",
        proof: Some(proof),
    };
    let export = Pdf.export(&job);
    (seen.into_inner().unwrap(), export)
}

fn many(first: &str) -> String {
    let part = |n: usize| format!("# Part {n}\n\n{}\n\n", format!("Words of part {n}. ").repeat(60));
    format!("{first}\n\n{}", (0..12).map(part).collect::<String>())
}

#[test]
fn only_the_page_that_changed_is_another() {
    let (before, export) = proof("many", &many("The first words."));
    let (after, _) = proof("many", &many("The very first words."));
    let (before, after) = (before.all(), after.all());
    assert_eq!(Some(before.len()), export.unwrap().pages);
    assert_eq!(before.len(), after.len());
    assert!(before.len() > 2);
    let differ: Vec<usize> = (0..before.len()).filter(|&at| before[at] != after[at]).collect();
    assert_eq!(differ, [0]);
    assert!((before[0].width - 595.3).abs() < 0.1 && (before[0].height - 841.9).abs() < 0.1);
}

#[test]
fn pages_are_pictures_and_there_are_no_more_than_pages() {
    let (pages, _) = proof("pictures", "One page.\n");
    let picture = pages.picture(0).unwrap();
    assert!(picture.starts_with("<svg") && picture.trim_end().ends_with("</svg>"), "{picture}");
    assert!(pages.picture(1).is_none() && pages.at(1, (0.0, 0.0)).is_none());
}

#[test]
fn what_is_set_leads_to_its_part_and_back() {
    let text = many("The first words.");
    let (pages, _) = proof("there and back", &text);
    let mut looked_at = 0;
    for (at, _) in text.match_indices("# Part ") {
        let line = text[at..].lines().next().unwrap();
        let (page, y) = pages.place_of(at, line).unwrap();
        let set = pages.at(page, (150.0, y + 6.0)).unwrap();
        assert!(set.part.start <= at && at < set.part.end, "{line}: {set:?}");
        assert_eq!(format!("# {}", set.text), line);
        looked_at += 1;
    }
    assert_eq!(looked_at, 12);
}

#[test]
fn a_proof_gives_the_same_file_as_a_weave_whatever_was_set_before() {
    let woven = tree(&many("Words at last."));
    let options = PdfOptions::of(&Settings::of_format(Format::Pdf));
    let job = Job {
        woven: &woven,
        options: &options,
        assets: &Assets::default(),
        memory: &NoMemory,
        name: "print",
        proof: None,
    };
    let plain = Pdf.export(&job).unwrap().bytes;
    for first in ["Words.", "# A heading\n\n- and a list", "", "Words at last."] {
        let (_, export) = proof("same", &many(first));
        let is_same = export.unwrap().bytes == plain;
        assert_eq!(is_same, first == "Words at last.", "{first}");
    }
}

#[test]
fn what_is_shown_ahead_is_what_is_set_in_the_end() {
    proof("ahead", &many("Words.")).1.unwrap();
    let longer = "Words that come to be so many that they take a line more. ".repeat(12);
    let texts = [
        ("a word", many("Other words."), 1),
        ("a paragraph that moves all others", many(&longer), 2),
        ("a heading, which stands in the contents too", many(&longer).replace("# Part 3\n", "# The third part\n"), 1),
        ("pages fewer", many("Words.")[..900].to_string(), 2),
        ("pages more", many("Words."), 2),
    ];
    for (what, text, at_most) in texts {
        let (seen, _) = all_seen("ahead", &text);
        let (from_nothing, _) = proof(&format!("from nothing: {what}"), &text);
        assert_eq!(seen.last().unwrap().all(), from_nothing.all(), "{what}");
        assert!(seen.len() <= at_most, "{what}: shown {} times", seen.len());
    }
}

#[test]
fn an_outdated_proof_is_given_up() {
    let woven = tree(&many("Outdated."));
    let options = PdfOptions::of(&Settings::of_format(Format::Pdf));
    let nobody = |_: Arc<dyn Pages>| panic!("nobody waits for its pages");
    let proof = Proof { export: Path::new("outdated"), pages: &nobody, is_outdated: &|| true };
    let job = Job {
        woven: &woven,
        options: &options,
        assets: &Assets::default(),
        memory: &NoMemory,
        name: "print",
        proof: Some(proof),
    };
    assert_eq!(Pdf.export(&job).unwrap_err(), []);
}
