//! What does not stand in a format: a reference or a link to it says its words, and leads nowhere.

use super::Splicer;
use std::collections::BTreeMap;
use vineloom_document::options::Format;
use vineloom_document::{Block, Diagnostic, Document, Inline, Link, Named, Reference, Span, each_place};
use vineloom_woven as woven;

/// How to keep what leads somewhere beside what it leads to.
const TOGETHER: &str = "put the sentence into the same `::: for …` or `::: not-for …`";

/// The names whose place, or whose caption, does not stand in some formats.
pub(super) struct LeftOut {
    pub formats: Vec<Format>,
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
    /// Nothing of a document is missing in formats.
    pub fn nothing(formats: &[Format]) -> Self {
        LeftOut { formats: formats.to_vec(), names: BTreeMap::new() }
    }

    /// What is missing of the body of a document in formats where `standing` stands of it.
    pub fn of(document: &Document, body: &[Block], standing: &[Block], formats: &[Format]) -> Self {
        let mut names: BTreeMap<String, Called> = BTreeMap::new();
        each_place(document, body, &mut |name, words| {
            let called = names.entry(name.into_owned()).or_default();
            if called.words.is_empty() {
                called.words = words.to_vec();
            }
        });
        each_place(document, standing, &mut |name, words| {
            if let Some(called) = names.get_mut(name.as_ref()) {
                called.is_place = true;
                if !words.is_empty() || called.words.is_empty() {
                    names.remove(name.as_ref());
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
        let place = to.name.split(':').next().unwrap_or(&to.name);
        let names_line = place.len() < to.name.len();
        let called = match names_line || !to.content.is_empty() {
            true => None,
            false => Some(self.called(place)?),
        };
        let finding = self.leads_nowhere(place, &format!("a reference to `@{place}`"), span)?;
        self.diagnostics.extend(finding);
        let words = match called {
            None if names_line => match self.line_reference(&to.name, &to.content, span)? {
                woven::InlineKind::Reference(line) => return Some(line.content),
                _ => return None,
            },
            None => return Some(self.inlines(&to.content)),
            Some(words) if words.is_empty() => self.words.word(woven::Word::Equation).to_string(),
            Some(words) => self.plain(&words),
        };
        Some(vec![woven::Inline::text(words, span)])
    }

    /// What stands over something that does not stand here, where it stands; nothing over an equation.
    fn called(&self, place: &str) -> Option<Vec<Inline>> {
        if let Some(called) = self.left_out.names.get(place).filter(|called| !called.is_place) {
            let is_equation = matches!(self.document.names.get(place), Some(Named::Equation(_)));
            return (is_equation || !called.words.is_empty()).then(|| called.words.clone());
        }
        // A block that would show its code alone, where no code is shown.
        let index =
            self.document.block_named(place).filter(|&index| self.without_code && !self.is_shown_apart(index))?;
        Some(self.document.live[index].caption.clone()).filter(|words| !words.is_empty())
    }

    /// The words of a link to a place that does not stand here; nothing for a link that leads somewhere.
    pub(super) fn words_of_link_to_left_out(&mut self, link: &Link, span: Span) -> Option<Vec<woven::Inline>> {
        let target = self.fill(&link.target);
        let place = target.strip_prefix('#')?;
        let finding = self.leads_nowhere(place, &format!("the link `#{place}`"), span)?;
        self.diagnostics.extend(finding);
        Some(self.inlines(&link.content))
    }

    /// What is to be told of `what`, which leads to a place that does not stand here; nothing where it stands.
    fn leads_nowhere(&mut self, place: &str, what: &str, span: Span) -> Option<Option<Diagnostic>> {
        if self.left_out.names.get(place).is_some_and(|called| !called.is_place) {
            let message = format!("{what} leads nowhere in {}, where that is not shown", self.left_out.nouns());
            return Some(Some(Diagnostic::warning(span, message).help(TOGETHER)));
        }
        let index = self.document.block_named(place).filter(|&index| !self.is_shown_apart(index))?;
        if self.without_code && self.document.live[index].options.show.code {
            let message = format!("{what} leads nowhere in {}, where no code is shown", self.left_out.nouns());
            let help = "put the sentence into a `::: not-for …`: `without-code` leaves out what it leads to";
            return Some(Some(Diagnostic::warning(span, message).help(help)));
        }
        // What has not run shows nothing yet.
        let finding = self.outcome(index).map(|_| {
            let message = format!("{what} leads nowhere: of that block nothing is shown on its own");
            let help = format!("let its `show` list something, or place what it gave in a paragraph: `![](@{place})`");
            Diagnostic::warning(span, message).help(help)
        });
        Some(finding)
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
