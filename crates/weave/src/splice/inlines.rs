//! Running text.

use super::failed::failed_text;
use super::{Numbered, Splicer};
use crate::pictures::{Unshown, picture_of};
use crate::prose::{Prose, Writing};
use crate::values::read_text;
use ecow::EcoString;
use vineloom_document::options::Reading;
use vineloom_document::{Diagnostic, Inline, InlineKind, Span, Template, plain_text};
use vineloom_interpreters::{Outcome, Piece};
use vineloom_woven as woven;
use vineloom_woven::{Id, NoteNumber};

impl<'a> Splicer<'a> {
    pub(super) fn inlines(&mut self, inlines: &[Inline]) -> Vec<woven::Inline> {
        let mut woven: Vec<woven::Inline> = Vec::with_capacity(inlines.len());
        if let Some(typesetter) = self.typesetter.as_mut().filter(|_| self.depth == 0) {
            typesetter.begin();
        }
        self.depth += 1;
        for (at, inline) in inlines.iter().enumerate() {
            let words = match &inline.kind {
                InlineKind::Reference(to) => self.words_of_left_out(to, inline.span()),
                InlineKind::Link(link) => self.words_of_link_to_left_out(link, inline.span()),
                _ => None,
            };
            if let Some(words) = words {
                words.iter().for_each(|word| self.pass(&word.kind));
                woven.extend(words);
                continue;
            }
            let kind = match &inline.kind {
                InlineKind::Text(text) => woven::InlineKind::Text(self.set(text, inlines.get(at + 1))),
                _ => self.inline(inline),
            };
            self.pass(&kind);
            if let woven::InlineKind::Text(text) = &kind
                && let Some(last) = woven.last_mut()
                && let woven::InlineKind::Text(before) = &mut last.kind
            {
                before.push_str(text);
                last.set_span(Span::new(last.span().start, inline.span().end));
            } else {
                woven.push(woven::Inline::new(kind, inline.span()));
            }
        }
        self.depth -= 1;
        woven
    }

    /// A piece of prose, set where that is asked for; `next` is the piece behind it.
    fn set(&mut self, text: &EcoString, next: Option<&Inline>) -> EcoString {
        let Some(typesetter) = &mut self.typesetter else { return text.clone() };
        let next = next.map(|next| match &next.kind {
            InlineKind::SoftBreak | InlineKind::LineBreak => ' ',
            InlineKind::Footnote(_) => '.',
            _ => plain_text(std::slice::from_ref(next)).chars().next().unwrap_or('x'),
        });
        typesetter.set(text, next).into()
    }

    /// Tells the typesetter what stands here that is no prose, or stood in a piece of its own.
    fn pass(&mut self, kind: &woven::InlineKind) {
        let Some(typesetter) = &mut self.typesetter else { return };
        match kind {
            woven::InlineKind::Text(_) | woven::InlineKind::Note(_) | woven::InlineKind::Html(_) => {}
            woven::InlineKind::SoftBreak | woven::InlineKind::LineBreak => typesetter.pass(" "),
            kind => {
                let piece = woven::Inline::new(kind.clone(), Span::NOWHERE);
                typesetter.pass(&woven::plain_text(&[piece]));
            }
        }
    }

    fn inline(&mut self, inline: &Inline) -> woven::InlineKind {
        match &inline.kind {
            InlineKind::Text(text) => woven::InlineKind::Text(text.clone()),
            InlineKind::Value(value) => {
                let results = self.results;
                let read = || read_text(*value, self.document, &|index| results.cited(index), Writing::Sentence);
                woven::InlineKind::Text(failed_text(*value, self.document, results).unwrap_or_else(read).into())
            }
            InlineKind::Code(template) => woven::InlineKind::Code(self.fill(template)),
            InlineKind::Math { latex, display } => {
                woven::InlineKind::Math { latex: self.fill_for_reading(latex, Writing::Formula), display: *display }
            }
            InlineKind::Emphasis(content) => woven::InlineKind::Emphasis(self.inlines(content).into()),
            InlineKind::Strong(content) => woven::InlineKind::Strong(self.inlines(content).into()),
            InlineKind::Strike(content) => woven::InlineKind::Strike(self.inlines(content).into()),
            InlineKind::Link(link) => woven::InlineKind::Link(Box::new(woven::Link {
                target: self.fill(&link.target),
                title: link.title.clone(),
                content: self.inlines(&link.content),
            })),
            InlineKind::Image(image) => self.image(&image.target, &image.title, &image.alt, inline.span()),
            InlineKind::Reference(to) => self.reference(&to.name, &to.content, inline.span()),
            InlineKind::Placement(placed) => self.inline_placement(&placed.name, &placed.caption),
            InlineKind::Footnote(name) => {
                let next = NoteNumber::of_index(self.notes.numbers.len());
                woven::InlineKind::Note(*self.notes.numbers.entry(name.to_string()).or_insert(next))
            }
            InlineKind::Html(html) => woven::InlineKind::Html(html.clone()),
            InlineKind::SoftBreak => woven::InlineKind::SoftBreak,
            InlineKind::LineBreak => woven::InlineKind::LineBreak,
        }
    }

    fn image(&mut self, target: &Template, title: &str, alt: &[Inline], span: Span) -> woven::InlineKind {
        let target = self.fill(target);
        match picture_of(&target, span, self.pictures).map_err(|unshown| *unshown) {
            Ok(picture) => woven::InlineKind::Image(Box::new(woven::Image {
                picture,
                alt: plain_text(alt),
                title: title.into(),
                width: None,
            })),
            Err(Unshown::Remote(finding)) => {
                self.diagnostics.push(finding);
                woven::InlineKind::RemoteImage(Box::new(woven::RemoteImage {
                    target,
                    title: title.into(),
                    alt: self.inlines(alt),
                }))
            }
            Err(Unshown::Missing(finding)) => {
                self.diagnostics.push(finding);
                woven::InlineKind::Text(plain_text(alt).into())
            }
        }
    }

    pub(super) fn inline_placement(&mut self, name: &str, caption: &[Inline]) -> woven::InlineKind {
        let outcome = self.document.block_named(name).and_then(|index| self.outcome(index));
        let Some(outcome) = outcome else { return woven::InlineKind::Text(EcoString::new()) };
        let figure = outcome.pieces.iter().find_map(|piece| match piece {
            Piece::Figure(figure) => Some(figure),
            _ => None,
        });
        match figure {
            Some(figure) => woven::InlineKind::Image(Box::new(woven::Image {
                picture: figure.clone(),
                alt: plain_text(caption),
                title: "".into(),
                width: None,
            })),
            None => woven::InlineKind::Text(self.said(outcome, name).into()),
        }
    }

    /// What a block gave, in running text.
    fn said(&self, outcome: &Outcome, name: &str) -> String {
        let block = self.document.block_named(name).map(|index| &self.document.live[index]);
        let reading = block.map_or_else(Reading::default, |block| block.options.reading.clone());
        Prose::new(self.document, reading, Writing::Sentence).outcome(outcome)
    }

    pub(super) fn reference(&mut self, name: &str, content: &[Inline], span: Span) -> woven::InlineKind {
        if let Some(citation) = self.citations.citation(name, span) {
            return citation;
        }
        if let Some(line) = self.line_reference(name, content, span) {
            return line;
        }
        let Some(id) = Id::new(name) else { return woven::InlineKind::Text(EcoString::new()) };
        let Some(target) = self.names.get(name).cloned() else {
            return woven::InlineKind::Text(EcoString::new());
        };
        if !content.is_empty() {
            return woven::InlineKind::Reference(Box::new(woven::Reference { id, content: self.inlines(content) }));
        }
        let text = |text: String| vec![woven::Inline::text(text, span)];
        match target {
            Numbered::Float(kind, number) => woven::InlineKind::Reference(Box::new(woven::Reference {
                id,
                content: text(format!("{}\u{a0}{number}", self.words.word(kind.word()))),
            })),
            Numbered::Equation(number) => woven::InlineKind::Reference(Box::new(woven::Reference {
                id,
                content: text(format!("{}\u{a0}{number}", self.words.word(woven::Word::Equation))),
            })),
            Numbered::Section { number, title } => {
                let title = vec![woven::Inline::text(plain_text(&title), span)];
                woven::InlineKind::SectionReference(Box::new(woven::SectionReference { id, number, title }))
            }
            Numbered::Tab { title } => woven::InlineKind::Reference(Box::new(woven::Reference {
                id,
                content: text(format!("“{}”", plain_text(&title))),
            })),
            Numbered::Unnumbered => {
                if let Some(words) = self.words_of_uncaptioned(name, span) {
                    return woven::InlineKind::Reference(Box::new(woven::Reference { id, content: text(words) }));
                }
                let finding = Diagnostic::error(span, format!("`@{name}` has no number to refer to"));
                let block = self.document.block_named(name).map(|index| &self.document.live[index]);
                let remedy = match block.is_some_and(|block| !block.caption.is_empty()) {
                    true => "it is shown nowhere: let its `show` list something, or write words: `[as shown](@NAME)`",
                    false => "give it a caption, as in `![A caption](@NAME)`, or write words: `[as shown](@NAME)`",
                };
                self.diagnostics.push(finding.help(remedy.replace("NAME", name)));
                woven::InlineKind::Text(EcoString::new())
            }
        }
    }

    /// `@block:line`: the number of a line that has a name, as it is shown beside the code.
    pub(super) fn line_reference(&mut self, name: &str, content: &[Inline], span: Span) -> Option<woven::InlineKind> {
        let (block, line) = name.split_once(':')?;
        let (fence, names) = self.document.named_lines(block)?;
        let at = *names.get(line)?;
        // As it is shown beside the code; without numbers there, as one counts.
        let number = self.first_lines.get(&fence.start).map_or(at, |first| *first as usize + at - 1);
        let content = match content {
            [] => vec![woven::Inline::text(format!("{}\u{a0}{number}", self.words.word(woven::Word::Line)), span)],
            content => self.inlines(content),
        };
        Some(woven::InlineKind::Reference(Box::new(woven::Reference { id: Id::new(block)?, content })))
    }
}
