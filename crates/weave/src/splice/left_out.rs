//! What does not stand in a format: a reference to it says what it is called, and leads nowhere.

use super::Splicer;
use std::collections::BTreeMap;
use vineloom_document::options::Format;
use vineloom_document::{Block, Diagnostic, Document, Inline, Named, Reference, Span, each_block};
use vineloom_woven as woven;

/// The names whose place, or whose caption, does not stand in some formats.
#[derive(Default)]
pub(super) struct LeftOut {
    formats: Vec<Format>,
    names: BTreeMap<String, Called>,
}

#[derive(Clone, Default)]
struct Called {
    /// What stands over it where it stands: a title, a caption; nothing over an equation.
    words: Vec<Inline>,
    /// Whether it stands without them.
    is_place: bool,
}

impl LeftOut {
    /// What is missing of the body of a document in formats where `standing` stands of it.
    pub fn of(document: &Document, body: &[Block], standing: &[Block], formats: &[Format]) -> Self {
        let mut names: BTreeMap<String, Called> = BTreeMap::new();
        each_place(document, body, &mut |name, words| {
            let called = names.entry(name.into()).or_default();
            if called.words.is_empty() {
                called.words = words.to_vec();
            }
        });
        each_place(document, standing, &mut |name, words| {
            if let Some(called) = names.get_mut(name) {
                called.is_place = true;
                if !words.is_empty() || called.words.is_empty() {
                    names.remove(name);
                }
            }
        });
        LeftOut { formats: formats.to_vec(), names }
    }

    /// The formats in a sentence.
    fn nouns(&self) -> String {
        self.formats.iter().map(|format| format.noun()).collect::<Vec<_>>().join(", ")
    }
}

impl Splicer<'_> {
    /// The words of a reference to what does not stand here: its own, else what stands over it where it stands. Nothing for
    /// a reference that leads somewhere, and for one to what is called nothing anywhere.
    pub(super) fn words_of_left_out(&mut self, to: &Reference, span: Span) -> Option<Vec<woven::Inline>> {
        let (place, line) = match to.name.split_once(':') {
            Some((place, line)) => (place, Some(line)),
            None => (to.name.as_str(), None),
        };
        let called = self.left_out.names.get(place).filter(|called| !called.is_place)?.clone();
        let is_equation = matches!(self.document.names.get(place), Some(Named::Equation(_)));
        if to.content.is_empty() && line.is_none() && called.words.is_empty() && !is_equation {
            return None;
        }
        let nouns = self.left_out.nouns();
        let message = format!("a reference to `@{place}` leads nowhere in {nouns}, where that is not shown");
        let finding = Diagnostic::warning(span, message);
        self.diagnostics.push(finding.help("put the sentence into the same `::: for …` or `::: not-for …`"));
        if !to.content.is_empty() {
            return Some(self.inlines(&to.content));
        }
        let words = match (line, called.words.as_slice()) {
            (Some(line), _) => format!("{} {line}", self.words.word(woven::Word::Line)),
            (None, []) => self.words.word(woven::Word::Equation).to_string(),
            (None, words) => self.plain(words),
        };
        Some(vec![woven::Inline::text(words, span)])
    }

    /// The words of a reference to what stands here without its caption, and so without a number.
    pub(super) fn words_of_uncaptioned(&mut self, name: &str, span: Span) -> Option<String> {
        let stands = |called: &&Called| called.is_place && !called.words.is_empty();
        let called = self.left_out.names.get(name).filter(stands)?.clone();
        let nouns = self.left_out.nouns();
        let message = format!("a reference to `@{name}` has no number in {nouns}, where that has no caption");
        let help = "give the block itself a `caption`, or put the sentence into the same `::: for …`";
        self.diagnostics.push(Diagnostic::warning(span, message).help(help));
        Some(self.plain(&called.words))
    }
}

/// Visits the names of what stands in blocks, with the words that stand over each.
fn each_place<'b>(document: &'b Document, blocks: &'b [Block], visit: &mut dyn FnMut(&'b str, &'b [Inline])) {
    each_block(blocks, &mut |block| match block {
        Block::Heading { id: Some(id), content, .. } => visit(id.as_str(), content),
        Block::Equation { id: Some(id), .. } => visit(id.as_str(), &[]),
        Block::Listing(listing) => {
            if let Some(id) = &listing.id {
                visit(id.as_str(), &listing.caption);
            }
        }
        Block::Container(container) => {
            if let Some(id) = &container.id {
                visit(id.as_str(), &container.title);
            }
        }
        Block::Live(index) => {
            let live = &document.live[*index];
            if let Some(name) = &live.name {
                visit(name.as_str(), &live.caption);
            }
        }
        Block::Placement { name, caption, .. } => visit(name, caption),
        Block::Heading { .. }
        | Block::Equation { .. }
        | Block::Paragraph { .. }
        | Block::Quote(_)
        | Block::List { .. }
        | Block::Table { .. }
        | Block::Rule
        | Block::Html { .. }
        | Block::DataFile { .. }
        | Block::Embedded { .. }
        | Block::Footnote { .. } => {}
    });
}
