//! Links, references and the places that they lead to in the woven Markdown.

use super::markdown_forms::{anchor, in_target, plain};
use super::text::Editor;
use vineloom_document::{Inline, Link, Reference, Span};
use vineloom_woven as woven;
use vineloom_woven::escaped;

impl<'a> Editor<'a, '_> {
    /// The place of a name, where something leads there.
    pub(super) fn place(&self, name: &str) -> String {
        if self.led_to.contains(name) { anchor(name) } else { String::new() }
    }

    /// The same, above what has the name.
    pub(super) fn place_above(&self, name: Option<&str>) -> String {
        let place = name.map_or_else(String::new, |name| self.place(name));
        if place.is_empty() { place } else { place + "\n\n" }
    }

    /// The place of a heading without a name, where a link leads there: programs that show Markdown make such names each
    /// in its own way.
    pub(super) fn place_of_heading(&mut self, content: &[Inline], span: Span) {
        if let Some(id) = self.led_to.heading(span)
            && let Some(last) = content.last().and_then(|last| last.span().known())
        {
            self.edits.push((Span::new(last.end, last.end), format!(" {}", anchor(id.as_str()))));
        }
    }

    pub(super) fn link(&mut self, link: &'a Link, span: Span) {
        match self.splicer.words_of_link_to_left_out(link, span) {
            Some(words) => self.words_alone(&link.content, &words, span),
            None => self.template(&link.target, in_target),
        }
        self.inlines(&link.content);
    }

    pub(super) fn reference(&mut self, to: &'a Reference, span: Span) {
        if let Some(words) = self.splicer.words_of_left_out(to, span) {
            self.words_alone(&to.content, &words, span);
            return self.inlines(&to.content);
        }
        let reference = self.splicer.reference(&to.name, &to.content, span);
        let (target, text) = match &reference {
            woven::InlineKind::Reference(woven) => {
                if let Some((_, behind)) = self.around(&to.content, span) {
                    self.edits.push((behind, format!("](#{})", woven.id)));
                    return self.inlines(&to.content);
                }
                (Some(&woven.id), plain(&woven.content))
            }
            woven::InlineKind::SectionReference(to) => (Some(&to.id), format!("“{}”", plain(&to.title))),
            woven::InlineKind::Citation(to) => (Some(&to.work), plain(&to.content)),
            _ => (None, plain(&[woven::Inline::new(reference.clone(), span)])),
        };
        let text = escaped(&text);
        let text = match target.filter(|_| !text.is_empty()) {
            Some(target) => format!("[{text}](#{target})"),
            None => text,
        };
        self.edits.push((span, text));
    }

    /// Takes away what is around the words of a link; where it has no words of its own, `words` stand in its place.
    fn words_alone(&mut self, own: &[Inline], words: &[woven::Inline], span: Span) {
        match self.around(own, span) {
            Some((before, behind)) => self.edits.extend([(before, String::new()), (behind, String::new())]),
            None => self.edits.push((span, escaped(&plain(words)))),
        }
    }

    /// What stands before and behind the words of a link as they are written: a bracket, and the rest of it. Nothing for
    /// one that has no words.
    fn around(&self, words: &[Inline], span: Span) -> Option<(Span, Span)> {
        let (span, last) = (span.known()?, words.last()?.span().known()?);
        let source = self.splicer.document.sources.of(span.start);
        let close = last.end + source.slice(Span::new(last.end, span.end)).find(']')?;
        let opens = source.slice(span).starts_with('[');
        opens.then(|| (Span::new(span.start, span.start + 1), Span::new(close, span.end)))
    }
}
