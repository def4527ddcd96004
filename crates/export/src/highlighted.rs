//! The highlighted code of a document: made once for all formats, and kept from one export to the next.

use crate::highlight::{Kind, Line, highlight};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use vineloom_woven::{Block, Code, Shown, Woven};

/// Highlighted code by its language and text.
///
/// ```
/// use vineloom_export::{highlight::highlight, highlighted::Highlighted};
/// # use vineloom_woven::*;
/// # let code = Code { language: "sh".into(), text: "echo \"a\"".into(), first_line: None, mark: Vec::new() };
/// # let listing = Block::Listing { id: None, code: Box::new(code.clone()), float: None, span: Span::NOWHERE };
/// # let woven = Woven { blocks: vec![listing], ..Woven::default() };
/// let mut highlighted = Highlighted::default();
/// assert!(highlighted.complete(&woven), "there was something to highlight");
/// assert!(!highlighted.complete(&woven), "and now there is nothing more");
/// assert_eq!(highlighted.lines(&code), highlight(&code.language, &code.text));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Highlighted {
    found: BTreeMap<String, BTreeMap<String, Pieces>>,
}

/// The kinds of the pieces of each line, with their lengths in bytes.
type Pieces = Vec<Vec<(Kind, usize)>>;

/// One entry as it is kept.
#[derive(Serialize, Deserialize)]
struct Entry {
    language: String,
    text: String,
    pieces: Pieces,
}

impl Highlighted {
    /// Highlights what of a document is not yet there and forgets what is no longer in it. Returns whether anything
    /// changed.
    pub fn complete(&mut self, woven: &Woven) -> bool {
        let mut before = std::mem::take(&mut self.found);
        let mut changed = false;
        each_code(woven, &mut |code| {
            let texts = self.found.entry(code.language.clone()).or_default();
            if !texts.contains_key(&code.text) {
                let known = before.get_mut(&code.language).and_then(|texts| texts.remove(&code.text));
                changed |= known.is_none();
                let pieces = known.unwrap_or_else(|| pieces(&highlight(&code.language, &code.text)));
                texts.insert(code.text.clone(), pieces);
            }
        });
        changed || before.values().any(|texts| !texts.is_empty())
    }

    /// Highlights some code that is not yet there. Returns whether it was not.
    pub fn add(&mut self, language: &str, text: &str) -> bool {
        if self.found.get(language).is_some_and(|texts| texts.contains_key(text)) {
            return false;
        }
        let pieces = pieces(&highlight(language, text));
        self.found.entry(language.to_string()).or_default().insert(text.to_string(), pieces);
        true
    }

    /// The lines of some code. What is not there is highlighted for this once.
    pub fn lines(&self, code: &Code) -> Vec<Line> {
        let known = self.found.get(&code.language).and_then(|texts| texts.get(&code.text));
        match known {
            Some(pieces) => lines(&code.text, pieces),
            None => highlight(&code.language, &code.text),
        }
    }

    /// All of it as bytes to be kept.
    pub fn to_bytes(&self) -> Vec<u8> {
        let kept = self.found.iter().flat_map(|(language, texts)| {
            texts.iter().map(|(text, pieces)| Entry {
                language: language.clone(),
                text: text.clone(),
                pieces: pieces.clone(),
            })
        });
        serde_json::to_vec(&kept.collect::<Vec<_>>()).unwrap_or_default()
    }

    /// What was kept. Bytes that are nothing of the kind, or do not fit their text, count for nothing.
    pub fn from_bytes(bytes: &[u8]) -> Self {
        let kept: Vec<Entry> = serde_json::from_slice(bytes).unwrap_or_default();
        let mut highlighted = Highlighted::default();
        for Entry { language, text, pieces } in kept {
            if fit(&text, &pieces) {
                highlighted.found.entry(language).or_default().insert(text, pieces);
            }
        }
        highlighted
    }
}

fn pieces(lines: &[Line]) -> Pieces {
    lines.iter().map(|line| line.iter().map(|(kind, text)| (*kind, text.len())).collect()).collect()
}

/// Whether the pieces of each line are that line, cut between characters.
fn fit(text: &str, pieces: &Pieces) -> bool {
    let mut lines = text.split('\n');
    let all_fit = pieces.iter().all(|pieces| {
        let Some(line) = lines.next() else { return false };
        let mut at = 0;
        pieces.iter().all(|(_, length)| {
            at += length;
            line.is_char_boundary(at)
        }) && at == line.len()
    });
    all_fit && lines.next().is_none()
}

fn lines(text: &str, pieces: &Pieces) -> Vec<Line> {
    text.split('\n')
        .zip(pieces)
        .map(|(line, pieces)| {
            let mut at = 0;
            let piece = |(kind, length): &(Kind, usize)| {
                at += length;
                (*kind, line[at - length..at].to_string())
            };
            pieces.iter().map(piece).collect()
        })
        .collect()
}

/// Visits all code that a document shows.
fn each_code(woven: &Woven, visit: &mut dyn FnMut(&Code)) {
    let mut of_block = |block: &Block| match block {
        Block::Listing { code, .. } => visit(code),
        Block::Run(run) => {
            run.code.iter().for_each(&mut *visit);
            for shown in &run.results {
                if let Shown::Code(code) = shown {
                    visit(code);
                }
            }
        }
        _ => {}
    };
    woven.each_block(&mut of_block);
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_woven::Span;

    fn woven(texts: &[&str]) -> Woven {
        let listing = |text: &&str| {
            let code = Code { language: "python".into(), text: text.to_string(), first_line: None, mark: Vec::new() };
            Block::Listing { id: None, code: Box::new(code), float: None, span: Span::NOWHERE }
        };
        let blocks = vec![Block::Quote(texts.iter().map(listing).collect())];
        Woven { blocks, ..Woven::default() }
    }

    #[test]
    fn what_is_kept_comes_back_the_same() {
        let mut highlighted = Highlighted::default();
        highlighted.complete(&woven(&["def f():\n    return 'é'\n\n", "", "x = 1  # one"]));
        assert_eq!(Highlighted::from_bytes(&highlighted.to_bytes()), highlighted);
        assert_eq!(Highlighted::from_bytes(b"[{]"), Highlighted::default());
    }

    #[test]
    fn pieces_that_do_not_fit_their_text_are_done_again() {
        for pieces in ["[[[\"k\",1]]]", "[[[\"k\",9]]]", "[[[\"k\",2]],[]]", "[]"] {
            let kept = format!("[{{\"language\":\"python\",\"text\":\"é\",\"pieces\":{pieces}}}]");
            let highlighted = Highlighted::from_bytes(kept.as_bytes());
            assert_eq!(highlighted, Highlighted::default(), "{pieces}");
        }
    }

    #[test]
    fn what_a_document_no_longer_shows_is_forgotten() {
        let mut highlighted = Highlighted::default();
        assert!(highlighted.complete(&woven(&["a = 1", "b = 2"])));
        assert!(highlighted.complete(&woven(&["a = 1"])));
        assert!(!highlighted.complete(&woven(&["a = 1"])));
    }
}
