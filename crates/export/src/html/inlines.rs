//! Running text.

use super::escape::{attribute, safe_target, text};
use super::{Dress, Writer};
use crate::math;
use base64::Engine;
use vineloom_woven::{Id, Inline, InlineKind, NoteNumber, Picture, SectionReference, Word, plain_text};

impl Writer<'_> {
    pub(crate) fn inlines(&mut self, inlines: &[Inline]) {
        inlines.iter().for_each(|inline| self.inline(inline));
    }

    /// Writes parts of markup, one behind the other.
    fn put<const N: usize>(&mut self, parts: [&str; N]) {
        parts.iter().for_each(|part| self.out.push_str(part));
    }

    /// Running text without links, for inside a link.
    pub(super) fn plain_inlines(&mut self, inlines: &[Inline]) {
        for inline in inlines {
            match &inline.kind {
                InlineKind::Link(_)
                | InlineKind::Reference(_)
                | InlineKind::Citation(_)
                | InlineKind::SectionReference(_) => self.plain_inlines(inline.children()),
                InlineKind::Note(_) => {}
                InlineKind::LineBreak => self.out.push(' '),
                InlineKind::Emphasis(content) => self.wrapped("em", content, true),
                InlineKind::Strong(content) => self.wrapped("strong", content, true),
                InlineKind::Strike(content) => self.wrapped("del", content, true),
                InlineKind::Styled { style, content } => self.wrapped(style.element(), content, true),
                InlineKind::Text(_)
                | InlineKind::Code(_)
                | InlineKind::Math { .. }
                | InlineKind::Image(_)
                | InlineKind::RemoteImage(_)
                | InlineKind::Html(_)
                | InlineKind::SoftBreak => self.inline(inline),
            }
        }
    }

    fn wrapped(&mut self, tag: &str, content: &[Inline], plain: bool) {
        self.put(["<", tag, ">"]);
        if plain {
            self.plain_inlines(content)
        } else {
            self.inlines(content)
        }
        self.put(["</", tag, ">"]);
    }

    fn inline(&mut self, inline: &Inline) {
        match &inline.kind {
            InlineKind::Text(part) => self.out.push_str(&text(part)),
            InlineKind::Code(part) => self.put(["<code>", &text(part), "</code>"]),
            InlineKind::Math { latex, display } => self.math(latex, *display),
            InlineKind::Emphasis(content) => self.wrapped("em", content, false),
            InlineKind::Strong(content) => self.wrapped("strong", content, false),
            InlineKind::Strike(content) => self.wrapped("del", content, false),
            InlineKind::Styled { style, content } => self.wrapped(style.element(), content, false),
            InlineKind::Link(link) => {
                self.put(["<a href=\"", &safe_target(&link.target), "\""]);
                self.title_of(&link.title);
                self.out.push('>');
                self.plain_inlines(&link.content);
                self.out.push_str("</a>");
            }
            InlineKind::Reference(to) => self.link_within(&to.id, &to.content),
            InlineKind::Citation(to) => self.link_within(&to.work, &to.content),
            InlineKind::SectionReference(to) => {
                let SectionReference { id, number, title } = to.as_ref();
                self.out.push_str(&format!("<a href=\"#{}\">", attribute(id.as_str())));
                if self.options.numbered {
                    let word = text(self.word(Word::Section)).into_owned();
                    self.out.push_str(&format!("{word}\u{a0}{}", text(number)));
                } else {
                    self.out.push('\u{201c}');
                    self.plain_inlines(title);
                    self.out.push('\u{201d}');
                }
                self.out.push_str("</a>");
            }
            InlineKind::Image(image) => {
                let title = Some(image.title.as_str()).filter(|title| !title.is_empty());
                self.image(&image.picture, &image.alt, title);
            }
            InlineKind::RemoteImage(image) if self.dress == Dress::Bare => {
                let alt = plain_text(&image.alt);
                self.put(["<img src=\"", &safe_target(&image.target), "\" alt=\"", &attribute(&alt), "\""]);
                self.title_of(&image.title);
                self.out.push('>');
            }
            InlineKind::RemoteImage(image) => {
                let words = plain_text(&image.alt);
                let words = if words.is_empty() { image.target.as_str() } else { &words };
                self.put(["<a href=\"", &safe_target(&image.target), "\">", &text(words), "</a>"]);
            }
            InlineKind::Note(number) => self.note_mark(*number),
            InlineKind::Html(html) => self.raw(html),
            InlineKind::SoftBreak => self.out.push('\n'),
            InlineKind::LineBreak => self.out.push_str("<br>\n"),
        }
    }

    /// The attribute with what is told of a link or a picture, where something is.
    fn title_of(&mut self, title: &str) {
        if !title.is_empty() {
            self.put([" title=\"", &attribute(title), "\""]);
        }
    }

    /// A link to something in this document. A citation is a place to come back to.
    fn link_within(&mut self, id: &Id, content: &[Inline]) {
        self.out.push_str("<a");
        if self.is_work(id) {
            let count = self.cited.entry(id.clone()).or_insert(0);
            *count += 1;
            self.out.push_str(&format!(" id=\"{}-cited-{count}\"", attribute(id.as_str())));
        }
        self.put([" href=\"#", &attribute(id.as_str()), "\">"]);
        self.plain_inlines(content);
        self.out.push_str("</a>");
    }

    /// The mark of a footnote. The first has no number of its own in its identifier.
    fn note_mark(&mut self, number: NoteNumber) {
        let of = attribute(&self.notes_of).into_owned();
        let count = self.noted.entry(number).or_insert(0);
        *count += 1;
        let id = mark_id(number, *count);
        self.out.push_str(&format!(
            "<sup class=\"note\"><a id=\"{id}\" href=\"#{of}note-{number}\" aria-label=\"{}\">{number}</a></sup>",
            attribute(&self.woven.head.words.with(Word::Footnote, &number.to_string()))
        ));
    }

    /// Links from a footnote to its marks, as far as the text before it has them.
    pub(super) fn links_to_marks(&mut self, number: NoteNumber) {
        for count in 1..=self.noted.get(&number).copied().unwrap_or(0) {
            let label = attribute(self.word(Word::BackToTheText)).into_owned();
            self.out.push_str(&format!(
                "<a class=\"back\" href=\"#{}\" aria-label=\"{label}\">\u{21a9}\u{fe0e}</a>\n",
                mark_id(number, count)
            ));
        }
    }

    /// A formula as MathML; one that can't be read is shown as its source.
    pub(super) fn math(&mut self, latex: &str, display: bool) {
        match math::mathml(latex, &self.woven.head.macros, display) {
            Ok(mathml) => {
                self.uses.mathematics.extend(math::letters(&mathml));
                self.out.push_str(&mathml);
            }
            Err(_) => {
                // The writer is told of it at its line.
                self.out.push_str(&format!("<code class=\"unread\">{}</code>", text(latex)));
            }
        }
    }

    /// HTML as the writer wrote it, with the pictures that it names.
    pub(super) fn raw(&mut self, html: &str) {
        if self.named.is_empty() {
            self.out.push_str(html);
            return;
        }
        let mut html = html.to_string();
        for (name, picture) in self.named.clone() {
            let bare = [format!("src={name} "), format!("src={name}>")];
            let forms = [format!("src=\"{name}\""), format!("src='{name}'")];
            for form in forms.iter().chain(&bare) {
                if html.contains(form) {
                    let end = form.strip_prefix(&format!("src={name}")).unwrap_or("");
                    html = html.replace(form, &format!("src=\"{}\"{end}", self.source(&picture)));
                }
            }
        }
        self.out.push_str(&html);
    }

    /// Where the page has a picture: in itself, or among its parts.
    fn source(&mut self, picture: &Picture) -> String {
        match &self.parts_folder {
            Some(folder) => {
                let name = picture.file_name();
                let source = attribute(&format!("{folder}/{name}")).into_owned();
                if !self.parts.iter().any(|(part, _)| *part == name) {
                    self.parts.push((name, picture.bytes.to_vec()));
                }
                source
            }
            None => {
                let data = base64::engine::general_purpose::STANDARD.encode(picture.bytes.as_slice());
                format!("data:{};base64,{data}", picture.media.media_type())
            }
        }
    }

    pub(super) fn image(&mut self, picture: &Picture, alt: &str, title: Option<&str>) {
        let source = self.source(picture);
        self.out.push_str(&format!("<img src=\"{source}\" alt=\"{}\"", attribute(alt)));
        if let Some(title) = title {
            self.out.push_str(&format!(" title=\"{}\"", attribute(title)));
        }
        self.out.push('>');
    }
}

/// The identifier of a mark of a footnote, by how many of its marks there are up to it.
fn mark_id(number: NoteNumber, count: usize) -> String {
    if count == 1 { format!("note-mark-{number}") } else { format!("note-mark-{number}-{count}") }
}
