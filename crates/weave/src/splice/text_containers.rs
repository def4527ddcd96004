//! Containers and listings in the woven Markdown, in the form that code hosts show.

use super::markdown_forms::{captioned, fenced, notice, tag_text, without_prefix, work_line};
use super::text::Editor;
use vineloom_document::{Container, ContainerKind, Listing, Name, Span};
use vineloom_woven as woven;
use vineloom_woven::{FloatKind, Word};

impl<'a> Editor<'a, '_> {
    /// Code that never runs: without the options of its fence, its caption above.
    pub(super) fn listing(&mut self, listing: &'a Listing) {
        let caption = &listing.caption;
        let float = (!caption.is_empty()).then(|| self.splicer.float(FloatKind::Listing, caption));
        // Only what is ours goes: words behind the language that are no options may be somebody else's.
        let is_plain = float.is_none() && listing.id.is_none() && listing.line_names.is_empty() && {
            let source = self.splicer.document.sources.of(listing.span.start);
            !source.line(source.line_of(listing.span.start)).contains('=')
        };
        if listing.embedded.is_none() && is_plain {
            return;
        }
        let mut text = self.place_above(listing.id.as_ref().map(Name::as_str));
        text += &captioned(&fenced(&listing.language, listing.code.trim_end_matches('\n')), float.as_deref());
        self.edits.push((listing.embedded.unwrap_or(listing.span), text.trim_end().to_string()));
    }

    /// A container in the form that code hosts show.
    pub(super) fn container(&mut self, container: &'a Container) {
        let kind = container.kind;
        if !container.stands_in(self.format) {
            if let (Some(open), Some(close)) = (container.span.known(), container.close.known()) {
                self.replace_block(Span::new(open.start, close.end), "");
            }
            return;
        }
        let float = match kind {
            ContainerKind::Figure if !container.title.is_empty() => {
                Some(self.splicer.float(FloatKind::Figure, &container.title))
            }
            ContainerKind::Table if !container.title.is_empty() => {
                Some(self.splicer.float(FloatKind::Table, &container.title))
            }
            _ => None,
        };
        let title = self.splicer.plain(&container.title);
        let since = self.edits.len();
        self.blocks(&container.blocks);
        let (Some(open), Some(close)) = (container.span.known(), container.close.known()) else { return };
        let source = self.splicer.document.sources.of(open.start);
        let line = source.line_span(source.line_of(open.start));
        let column = open.start - line.start;
        let first = source.line_of(open.start) + 1;
        let inside = Span::new(source.line_span(first).start, source.line_span(source.line_of(close.start)).start);
        let body = without_prefix(&self.edited(inside, since), column);
        let body = body.trim_matches('\n').trim_end();
        let text = match kind {
            ContainerKind::Notice(kind) => notice(kind, &title, body),
            ContainerKind::Fold => {
                let more = self.splicer.words.word(Word::More);
                let label = tag_text(if title.is_empty() { more } else { &title });
                format!("<details>\n<summary>{label}</summary>\n\n{body}\n\n</details>")
            }
            ContainerKind::References => {
                self.splicer.citations.place_list();
                match self.splicer.citations.list() {
                    Some(woven::Block::Works(works)) => works.iter().map(work_line).collect(),
                    _ => String::new(),
                }
            }
            ContainerKind::Figure | ContainerKind::Table => captioned(body, float.as_deref()),
            ContainerKind::Tabs
            | ContainerKind::Columns
            | ContainerKind::For
            | ContainerKind::NotFor
            | ContainerKind::Terms
            | ContainerKind::Steps
            | ContainerKind::Speaker => body.to_string(),
        };
        let place = self.place_above(container.id.as_ref().map(Name::as_str));
        let mut text = (place + &text).trim_end().to_string();
        // What stands directly above or below would run into it.
        let is_empty = |line: usize| {
            line == 0 || line > source.line_count() || source.line(line).trim_matches([' ', '>', '\r']).is_empty()
        };
        if !text.is_empty() && !is_empty(first - 2) {
            text.insert(0, '\n');
        }
        if !text.is_empty() && !is_empty(source.line_of(close.start) + 1) {
            text.push('\n');
        }
        self.replace_block(Span::new(open.start, close.end), &text);
    }
}
