//! Running text. Every piece begins with `#`, so that none runs into the one before it.

use crate::math;
use crate::pictures::Words;
use crate::source::{Writer, string};
use std::fmt::Write as _;
use vineloom_document::Diagnostic;
use vineloom_export::runs_code;
use vineloom_woven::Word;
use vineloom_woven::{Block, Id, Inline, InlineKind, InlineStyle, NoteNumber, plain_text};

/// A formula of so many letters is worth measuring.
const MAY_BE_WIDE: usize = 50;

fn function_of(style: InlineStyle) -> &'static str {
    match style {
        InlineStyle::Subscript => "#sub",
        InlineStyle::Superscript => "#super",
        InlineStyle::Key => "#key",
        InlineStyle::Stressed => "#marked",
        InlineStyle::Underlined => "#underline",
        InlineStyle::Small => "#text(0.85em)",
    }
}

impl Writer<'_> {
    pub fn inlines(&mut self, inlines: &[Inline]) {
        inlines.iter().for_each(|inline| self.inline(inline));
    }

    fn wrapped(&mut self, open: &str, content: &[Inline]) {
        self.out.push_str(open);
        self.out.push('[');
        self.inlines(content);
        self.out.push(']');
    }

    fn inline(&mut self, inline: &Inline) {
        // Writing to a String can't fail.
        let _ = match &inline.kind {
            InlineKind::Text(text) => {
                self.words("", text, "", self.longest_word);
                Ok(())
            }
            InlineKind::Code(text) => {
                self.words("raw(", text, ")", self.longest_word);
                Ok(())
            }
            InlineKind::Math { latex, display } => {
                self.math(latex, *display);
                Ok(())
            }
            InlineKind::Emphasis(content) => {
                self.wrapped("#emph", content);
                Ok(())
            }
            InlineKind::Strong(content) => {
                self.wrapped("#strong", content);
                Ok(())
            }
            InlineKind::Strike(content) => {
                self.wrapped("#strike", content);
                Ok(())
            }
            InlineKind::Link(link) => {
                let target = link.target.trim_matches(|c: char| c.is_control() || c.is_whitespace());
                if let Some(place) = target.strip_prefix('#') {
                    match Id::new(place).filter(|place| !self.absent.contains(place)) {
                        Some(place) => self.link_within(&place, |writer| writer.inlines(&link.content)),
                        None => self.inlines(&link.content),
                    }
                } else if target.is_empty() || runs_code(target) {
                    self.inlines(&link.content);
                } else {
                    self.wrapped(&format!("#link({})", string(target)), &link.content);
                }
                Ok(())
            }
            InlineKind::Reference(to) => {
                self.reference(&to.id, |writer| writer.inlines(&to.content));
                Ok(())
            }
            InlineKind::Citation(to) => {
                self.reference(&to.work, |writer| writer.inlines(&to.content));
                Ok(())
            }
            InlineKind::SectionReference(to) => {
                let words = match self.options.numbered {
                    true => format!("{}\u{a0}{}", self.woven.head.words.word(Word::Section), to.number),
                    false => format!("“{}”", plain_text(&to.title)),
                };
                self.reference(&to.id, |writer| writer.words("", &words, "", writer.longest_word));
                Ok(())
            }
            InlineKind::Image(image) => {
                self.picture("small-picture", &image.picture, Words::written(&image.alt), image.width);
                Ok(())
            }
            InlineKind::RemoteImage(image) => {
                let target = image.target.as_str();
                let words = plain_text(&image.alt);
                let words = if words.is_empty() { target } else { &words };
                match target.trim().is_empty() || runs_code(target) {
                    true => write!(self.out, "#{}", string(words)),
                    false => write!(self.out, "#link({})[#{}]", string(target), string(words)),
                }
            }
            InlineKind::Note(number) => {
                self.note(*number);
                Ok(())
            }
            // What could be said without HTML has been; the rest was told.
            InlineKind::Html(_) => Ok(()),
            InlineKind::Styled { style, content } => {
                self.wrapped(function_of(*style), content);
                Ok(())
            }
            InlineKind::SoftBreak => write!(self.out, "#\" \""),
            InlineKind::LineBreak => write!(self.out, "#linebreak()"),
        };
    }

    /// A link to a place of the document; words alone when the place is not among what is printed.
    fn reference(&mut self, id: &Id, words: impl FnOnce(&mut Self)) {
        if self.absent.contains(id) {
            let loss =
                Diagnostic::loss(format!("a reference to `@{id}` leads nowhere in the PDF, where that is not shown"));
            self.lose(loss.help("put the sentence into the same `::: for …` or `::: not-for …`"));
            return words(self);
        }
        self.link_within(id, words);
    }

    /// A link to a place in the document.
    fn link_within(&mut self, id: &Id, words: impl FnOnce(&mut Self)) {
        self.referred.insert(id.clone());
        let _ = write!(self.out, "#link(label({}))[", string(id.as_str()));
        words(self);
        self.out.push(']');
    }

    fn note(&mut self, number: NoteNumber) {
        // A slide has its notes at its own foot.
        if self.slide.is_some() {
            let _ = write!(self.out, "#super(\"{number}\")");
            return;
        }
        let label = format!("note-{number}");
        if self.notes_of_headings.contains(&number) {
            let _ = write!(self.out, "#note-of-heading(super(\"{number}\"))");
            return;
        }
        if self.set_notes.contains(&number) {
            let _ = write!(self.out, "#footnote(numbering: _ => \"{number}\", label({}))", string(&label));
            return;
        }
        self.set_notes.push(number);
        let woven = self.woven;
        // Its number is given: what the contents repeat of a heading would count twice.
        let open = if self.in_heading { "note-of-heading(footnote" } else { "footnote" };
        let _ = write!(self.out, "#{open}(numbering: _ => \"{number}\")[");
        match woven.note(number) {
            // Its first words follow the mark.
            [Block::Paragraph { content, span }, rest @ ..] => {
                self.at(*span, |writer| writer.inlines(content));
                self.out.push_str("\n\n");
                self.blocks(rest);
            }
            blocks => self.blocks(blocks),
        }
        // White space at its end would end the note with an empty line.
        self.trim_end();
        if self.in_heading {
            self.notes_of_headings.push(number);
            self.out.push_str("])");
        } else {
            let _ = write!(self.out, "]#label({})", string(&label));
        }
    }

    /// A formula; one that can't be read is set as its source.
    pub fn math(&mut self, latex: &str, display: bool) {
        match math::formula(latex, &self.woven.head.macros) {
            Ok(formula) => {
                let alt = string(latex.trim());
                let equation = format!("math.equation(block: {display}, alt: {alt}, ${formula}$.body)");
                let _ = match display && latex.len() > MAY_BE_WIDE {
                    true => {
                        let name = self.name_of(latex);
                        write!(self.out, "#fitted({equation}, named: \"{name}\")")
                    }
                    false => write!(self.out, "#{equation}"),
                };
            }
            // The writer is told of it at its line.
            Err(_) => {
                let _ = write!(self.out, "#raw({})", string(latex));
            }
        }
    }
}
