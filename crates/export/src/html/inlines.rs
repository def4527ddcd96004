//! Running text.

use super::escape::{attribute, safe_target, text};
use super::{Dress, Writer};
use crate::math;
use base64::Engine;
use vineloom_weave::woven::{Inline, Picture, plain_text};

impl Writer<'_> {
    pub(super) fn inlines(&mut self, inlines: &[Inline]) {
        inlines.iter().for_each(|inline| self.inline(inline));
    }

    /// Running text without links, for inside a link.
    pub(super) fn plain_inlines(&mut self, inlines: &[Inline]) {
        for inline in inlines {
            match inline {
                Inline::Link { content, .. } | Inline::Reference { content, .. } => self.plain_inlines(content),
                Inline::SectionReference { title, .. } => self.plain_inlines(title),
                Inline::Note(_) => {}
                Inline::LineBreak => self.out.push(' '),
                Inline::Emphasis(content) => self.wrapped("em", content, true),
                Inline::Strong(content) => self.wrapped("strong", content, true),
                Inline::Strike(content) => self.wrapped("del", content, true),
                Inline::Styled { style, content } => self.wrapped(style.element(), content, true),
                other => self.inline(other),
            }
        }
    }

    fn wrapped(&mut self, tag: &str, content: &[Inline], plain: bool) {
        self.out.push_str(&format!("<{tag}>"));
        if plain {
            self.plain_inlines(content)
        } else {
            self.inlines(content)
        }
        self.out.push_str(&format!("</{tag}>"));
    }

    fn inline(&mut self, inline: &Inline) {
        match inline {
            Inline::Text(part) => self.out.push_str(&text(part)),
            Inline::Code(part) => self.out.push_str(&format!("<code>{}</code>", text(part))),
            Inline::Math { latex, display } => self.math(latex, *display),
            Inline::Emphasis(content) => self.wrapped("em", content, false),
            Inline::Strong(content) => self.wrapped("strong", content, false),
            Inline::Strike(content) => self.wrapped("del", content, false),
            Inline::Styled { style, content } => self.wrapped(style.element(), content, false),
            Inline::Link { target, title, content } => {
                self.out.push_str(&format!("<a href=\"{}\"", safe_target(target)));
                if !title.is_empty() {
                    self.out.push_str(&format!(" title=\"{}\"", attribute(title)));
                }
                self.out.push('>');
                self.plain_inlines(content);
                self.out.push_str("</a>");
            }
            Inline::Reference { id, content } => {
                // A citation is a place to come back to.
                let place = match self.is_work(id) {
                    true => {
                        let count = self.cited.entry(id.clone()).or_insert(0);
                        *count += 1;
                        format!(" id=\"{}-cited-{count}\"", attribute(id))
                    }
                    false => String::new(),
                };
                self.out.push_str(&format!("<a{place} href=\"#{}\">", attribute(id)));
                self.plain_inlines(content);
                self.out.push_str("</a>");
            }
            Inline::SectionReference { id, number, title } => {
                self.out.push_str(&format!("<a href=\"#{}\">", attribute(id)));
                if self.options.numbered {
                    self.out.push_str(&format!("Section\u{a0}{}", text(number)));
                } else {
                    self.out.push('\u{201c}');
                    self.plain_inlines(title);
                    self.out.push('\u{201d}');
                }
                self.out.push_str("</a>");
            }
            Inline::Image { picture, alt, title, .. } => {
                self.image(picture, alt, Some(title).filter(|t| !t.is_empty()).map(String::as_str));
            }
            Inline::RemoteImage { target, title, alt } if self.dress == Dress::Bare => {
                self.out.push_str(&format!("<img src=\"{}\" alt=\"{}\"", safe_target(target), attribute(&plain_text(alt))));
                if !title.is_empty() {
                    self.out.push_str(&format!(" title=\"{}\"", attribute(title)));
                }
                self.out.push('>');
            }
            Inline::RemoteImage { target, alt, .. } => {
                let words = plain_text(alt);
                let words = if words.is_empty() { target } else { &words };
                self.out.push_str(&format!("<a href=\"{}\">{}</a>", safe_target(target), text(words)));
            }
            Inline::Note(number) => self.out.push_str(&format!(
                "<sup class=\"note\"><a id=\"note-mark-{number}\" href=\"#note-{number}\" aria-label=\"Footnote {number}\">{number}</a></sup>"
            )),
            Inline::Html(html) => self.raw(html),
            Inline::SoftBreak => self.out.push('\n'),
            Inline::LineBreak => self.out.push_str("<br>\n"),
        }
    }

    /// A formula as MathML; one that can't be read is shown as its source.
    pub(super) fn math(&mut self, latex: &str, display: bool) {
        match math::mathml(latex, &self.woven.head.macros, display) {
            Ok(mathml) => self.out.push_str(&mathml),
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
                let name = format!("{}.{}", &picture.hash[..16.min(picture.hash.len())], picture.media.extension());
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
