//! Running text.

use super::{Splicer, Target};
use crate::values::value_text;
use crate::woven;
use vineloom_document::options::LineNumbers;
use vineloom_document::{Diagnostic, Inline, Named, Span, Template, plain_text};
use vineloom_interpreters::Piece;

impl<'a> Splicer<'a> {
    pub(super) fn inlines(&mut self, inlines: &'a [Inline]) -> Vec<woven::Inline> {
        let mut woven: Vec<woven::Inline> = Vec::with_capacity(inlines.len());
        for inline in inlines {
            let next = self.inline(inline);
            match (woven.last_mut(), next) {
                (Some(woven::Inline::Text(before)), woven::Inline::Text(text)) => before.push_str(&text),
                (_, next) => woven.push(next),
            }
        }
        woven
    }

    fn inline(&mut self, inline: &'a Inline) -> woven::Inline {
        match inline {
            Inline::Text(text) => woven::Inline::Text(text.clone()),
            Inline::Value(value) => {
                let results = self.results;
                woven::Inline::Text(value_text(*value, self.document, &|index| {
                    Some((results.outcomes[index].as_ref()?, results.codes[index].as_str()))
                }))
            }
            Inline::Code(template) => woven::Inline::Code(self.fill(template)),
            Inline::Math { latex, display, .. } => woven::Inline::Math { latex: self.fill(latex), display: *display },
            Inline::Emphasis(content) => woven::Inline::Emphasis(self.inlines(content)),
            Inline::Strong(content) => woven::Inline::Strong(self.inlines(content)),
            Inline::Strike(content) => woven::Inline::Strike(self.inlines(content)),
            Inline::Link { target, title, content } => {
                woven::Inline::Link { target: self.fill(target), title: title.clone(), content: self.inlines(content) }
            }
            Inline::Image { target, title, alt, span } => self.image(target, title, alt, *span),
            Inline::Reference { name, content, span } => self.reference(name, content, *span),
            Inline::Placement { name, caption, .. } => self.inline_placement(name, caption),
            Inline::Footnote(name) => {
                let next = self.notes.numbers.len() + 1;
                woven::Inline::Note(*self.notes.numbers.entry(name.clone()).or_insert(next))
            }
            Inline::Html(html) => woven::Inline::Html(html.clone()),
            Inline::SoftBreak => woven::Inline::SoftBreak,
            Inline::LineBreak => woven::Inline::LineBreak,
        }
    }

    fn image(&mut self, target: &Template, title: &str, alt: &'a [Inline], span: Span) -> woven::Inline {
        let target = self.fill(target);
        if target.contains("://") || target.starts_with("//") {
            self.diagnostics.push(
                Diagnostic::warning(
                    span,
                    format!("the picture {target} is on another computer and is shown as a link"),
                )
                .help("copy it beside the document and name the copy here"),
            );
            return woven::Inline::RemoteImage { target, title: title.into(), alt: self.inlines(alt) };
        }
        match self.pictures.read(&target) {
            Ok(picture) => woven::Inline::Image { picture, alt: plain_text(alt), title: title.into(), width: None },
            Err(problem) => {
                self.diagnostics.push(
                    Diagnostic::error(span, format!("the picture {target} {}", problem.what())).help(problem.remedy()),
                );
                woven::Inline::Text(plain_text(alt))
            }
        }
    }

    pub(super) fn inline_placement(&mut self, name: &str, caption: &'a [Inline]) -> woven::Inline {
        let outcome = match self.document.names.get(name) {
            Some(Named::Live(index, _)) => self.outcome(*index),
            _ => None,
        };
        let Some(outcome) = outcome else { return woven::Inline::Text(String::new()) };
        let figure = outcome.pieces.iter().find_map(|piece| match piece {
            Piece::Figure(figure) => Some(figure),
            _ => None,
        });
        match figure {
            Some(figure) => woven::Inline::Image {
                picture: woven::Picture { media: figure.media, hash: figure.hash.clone(), bytes: figure.bytes.clone() },
                alt: plain_text(caption),
                title: String::new(),
                width: None,
            },
            None => woven::Inline::Text(outcome.cited_text()),
        }
    }

    pub(super) fn reference(&mut self, name: &str, content: &'a [Inline], span: Span) -> woven::Inline {
        if let Some(citation) = self.citations.citation(name, span) {
            return citation;
        }
        if let Some(line) = self.line_reference(name, content) {
            return line;
        }
        let id = name.to_string();
        let Some(target) = self.names.get(name).cloned() else {
            return woven::Inline::Text(String::new());
        };
        if !content.is_empty() {
            return woven::Inline::Reference { id, content: self.inlines(content) };
        }
        let text = |text: String| vec![woven::Inline::Text(text)];
        match target {
            Target::Float(kind, number) => {
                woven::Inline::Reference { id, content: text(format!("{}\u{a0}{number}", kind.word())) }
            }
            Target::Equation(number) => {
                woven::Inline::Reference { id, content: text(format!("Equation\u{a0}{number}")) }
            }
            Target::Section { number, title } => {
                let title = vec![woven::Inline::Text(plain_text(&title))];
                woven::Inline::SectionReference { id, number, title }
            }
            Target::Unnumbered => {
                let finding = Diagnostic::error(span, format!("`@{name}` has no number to refer to"));
                self.diagnostics.push(finding.help(format!(
                    "give it a caption, as in `![A caption](@{name})`, or write words: `[as shown](@{name})`"
                )));
                woven::Inline::Text(String::new())
            }
        }
    }

    /// `@block:line`: the number of a line that has a name, as it is shown beside the code.
    fn line_reference(&mut self, name: &str, content: &'a [Inline]) -> Option<woven::Inline> {
        let (block, line) = name.split_once(':')?;
        let Named::Live(index, _) = *self.document.names.get(block)? else { return None };
        let live = &self.document.live[index];
        let at = *live.line_names.get(line)?;
        let number = match live.options.lines {
            LineNumbers::From(first) => first as usize + at - 1,
            LineNumbers::Off | LineNumbers::Continue => at,
        };
        let content = match content {
            [] => vec![woven::Inline::Text(format!("line\u{a0}{number}"))],
            content => self.inlines(content),
        };
        Some(woven::Inline::Reference { id: block.to_string(), content })
    }
}
