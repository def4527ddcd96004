//! Running text as one long line; a newline in it ends a line.

use super::Writer;
use crate::math::plain::{plain, raised};
use crate::math::tree;
use vineloom_woven::Word;
use vineloom_woven::{Inline, InlineKind, InlineStyle, NoteNumber, plain_text};

/// The mark of a footnote.
pub(super) fn note_mark(number: NoteNumber, ascii: bool) -> String {
    match raised(&number.to_string()).filter(|_| !ascii) {
        Some(mark) => mark,
        None => format!("(note {number})"),
    }
}

impl Writer<'_> {
    pub(super) fn inline(&mut self, inlines: &[Inline]) -> String {
        let mut out = String::new();
        self.push_inlines(inlines, &mut out);
        out
    }

    fn push_inlines(&mut self, inlines: &[Inline], out: &mut String) {
        for inline in inlines {
            let mut between = |writer: &mut Self, open: &str, close: &str| {
                out.push_str(open);
                writer.push_inlines(inline.children(), out);
                out.push_str(close);
            };
            match &inline.kind {
                // Only a hard break ends a line.
                InlineKind::Text(text) => text.split('\n').enumerate().for_each(|(at, part)| {
                    out.push_str(if at == 0 { "" } else { " " });
                    out.push_str(part);
                }),
                InlineKind::Code(code) => out.push_str(&format!("`{code}`")),
                InlineKind::Math { latex, .. } => out.push_str(&self.formula(latex).replace(' ', "\u{A0}")),
                InlineKind::Emphasis(_) => between(self, "_", "_"),
                InlineKind::Strong(_) => between(self, "*", "*"),
                InlineKind::Strike(_) => between(self, "~", "~"),
                InlineKind::Styled { style, .. } => match style {
                    InlineStyle::Key => between(self, "[", "]"),
                    InlineStyle::Stressed => between(self, "*", "*"),
                    InlineStyle::Underlined => between(self, "_", "_"),
                    InlineStyle::Small => between(self, "", ""),
                    InlineStyle::Subscript | InlineStyle::Superscript => {
                        let words = plain_text(inline.children());
                        let raise = *style == InlineStyle::Superscript;
                        let sign = if raise { '^' } else { '_' };
                        let script = if raise { raised(&words) } else { crate::math::plain::lowered(&words) };
                        let bracketed = || match words.chars().count() {
                            1 => format!("{sign}{words}"),
                            _ => format!("{sign}({words})"),
                        };
                        out.push_str(&script.unwrap_or_else(bracketed));
                    }
                },
                InlineKind::Link(link) => {
                    let words = self.inline(&link.content);
                    out.push_str(&words);
                    let said = link.target.strip_prefix("mailto:").unwrap_or(&link.target);
                    // A place in this text is found by its words; an address that is said needs no number.
                    if !link.target.starts_with('#') && said != words {
                        out.push_str(&format!("\u{A0}[{}]", self.address(&link.target)));
                    }
                }
                InlineKind::Reference(_) | InlineKind::Citation(_) => self.push_inlines(inline.children(), out),
                InlineKind::SectionReference(to) => {
                    if self.options.numbered {
                        out.push_str(&format!("{}\u{A0}{}", self.woven.head.words.word(Word::Section), to.number));
                    } else {
                        out.push_str(&format!("“{}”", self.inline(&to.title)));
                    }
                }
                InlineKind::Image(image) => {
                    let words = self.picture(&image.picture, &image.alt);
                    out.push_str(&words);
                }
                InlineKind::RemoteImage(image) => {
                    let words = plain_text(&image.alt);
                    let number = self.address(&image.target);
                    out.push_str(&match words.as_str() {
                        "" => format!("[Picture {number}]"),
                        words => format!("{words}\u{A0}[{number}]"),
                    });
                }
                InlineKind::Note(number) => {
                    out.push_str(&note_mark(*number, self.options.ascii));
                    if self.noted.insert(*number) {
                        self.waiting.push(*number);
                    }
                }
                // What could be said without HTML has been.
                InlineKind::Html(_) => {}
                InlineKind::SoftBreak => out.push(' '),
                InlineKind::LineBreak => out.push('\n'),
            }
        }
    }

    /// A formula as a line of signs; one that can't be read as its source.
    pub(super) fn formula(&self, latex: &str) -> String {
        match tree::read(latex, &self.woven.head.macros, false) {
            Ok(read) => plain(&read),
            Err(_) => latex.trim().replace('\n', " "),
        }
    }

    /// The number of an address in the list of links.
    fn address(&mut self, target: &str) -> usize {
        let next = self.addresses.len() + 1;
        *self.addresses.entry(target.into()).or_insert(next)
    }

    /// What a picture shows, in words, and its file.
    pub(super) fn picture(&mut self, picture: &vineloom_woven::Picture, alt: &str) -> String {
        let file = format!("{}/{}", self.folder, picture.file_name());
        let words = {
            let word = self.woven.head.words.word(Word::Picture);
            if alt.is_empty() { word.to_string() } else { format!("{word}: {alt}") }
        };
        let said = format!("[{words}]\u{A0}({file})");
        self.pictures.insert(file, picture.bytes.to_vec());
        said
    }
}
