//! The woven Markdown: results put into the author's own text, which is kept to the byte wherever nothing was
//! woven in.

use super::failed::failed_text;
use super::led_to::LedTo;
use super::markdown_forms::{captioned, encoded, fenced, in_target, indented, plain, table_text, work_line};
use super::{Splicer, parted};
use crate::harmless;
use crate::memory::Aids;
use crate::plan::Plan;
use crate::prose::Writing;
use crate::results::Results;
use crate::values::{read_text, value_text};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use vineloom_document::options::Format;
use vineloom_document::{
    Block, BlockIndex, Diagnostic, Document, Inline, InlineKind, Part, Source, Span, Template, ValueIndex, each_block,
    each_inline, each_text, parse_printed,
};
use vineloom_woven as woven;
use vineloom_woven::{Picture, Shown, WovenText, escaped};

/// Puts results into the author's text. `parts` is the folder in which pictures will stand beside it.
pub fn splice_text(
    document: &Document,
    plan: &Plan,
    results: &Results,
    parts: &str,
    aids: Aids,
    diagnostics: &mut Vec<Diagnostic>,
) -> WovenText {
    let format = Format::Markdown;
    let (standing, left_out) = parted(document, Cow::Borrowed(&document.blocks), &[format]);
    let splicer = Splicer::new(document, &standing, left_out, plan, results, aids, diagnostics);
    let main = document.sources.main();
    let (led_to, commands) = (LedTo::of(&splicer), document.commands());
    let mut editor = Editor { splicer, parts, format, edits: Vec::new(), pictures: Vec::new(), led_to, commands };
    editor.blocks(&document.blocks);
    let mut text = editor.edited(Span::new(main.base(), main.end()), 0);
    if !editor.splicer.citations.list_placed()
        && let Some(woven::Block::Works(works)) = editor.splicer.citations.list()
    {
        text.truncate(text.trim_end().len());
        text.push_str("\n\n");
        for work in works {
            text.push_str(&work_line(&work));
        }
    }
    let front = document.front.span.known().map_or(0, |span| span.end.saturating_sub(main.base()));
    WovenText { text, front, pictures: editor.pictures }
}

pub(super) struct Editor<'a, 'p> {
    pub(super) splicer: Splicer<'a>,
    pub(super) parts: &'p str,
    /// The format that the text is for: what is for others alone is left out.
    pub(super) format: Format,
    pub(super) edits: Vec<Edit>,
    pub(super) pictures: Vec<(String, Picture)>,
    pub(super) led_to: LedTo,
    /// The writer's own commands in formulas.
    pub(super) commands: BTreeMap<String, String>,
}

/// The footnotes that blocks have marks of, but for the marks in other footnotes.
fn footnotes_in(blocks: &[Block]) -> BTreeSet<&str> {
    let mut names = BTreeSet::new();
    for block in blocks.iter().filter(|block| !matches!(block, Block::Footnote { .. })) {
        each_text(std::slice::from_ref(block), &mut |text| {
            each_inline(text, &mut |inline| {
                if let InlineKind::Footnote(name) = &inline.kind {
                    names.insert(name.as_str());
                }
            });
        });
    }
    names
}

impl<'a> Editor<'a, '_> {
    /// The text of a span of one source with the edits in it applied: those since there were so many.
    pub(super) fn edited(&mut self, span: Span, since: usize) -> String {
        let mut edits = self.edits.split_off(since);
        sort(&mut edits);
        applied(self.splicer.document.sources.of(span.start), span, &edits)
    }

    pub(super) fn blocks(&mut self, blocks: &'a [Block]) {
        for block in blocks {
            self.block(block);
        }
    }

    fn block(&mut self, block: &'a Block) {
        match block {
            Block::Heading { content, id, span, .. } => {
                self.inlines(content);
                match id {
                    Some(id) => self.replace_given_name(id.as_str(), *span, &self.place(id.as_str())),
                    None => self.place_of_heading(content, *span),
                }
            }
            Block::Paragraph { content, .. } => self.inlines(content),
            Block::Quote(blocks) | Block::Footnote { blocks, .. } => self.blocks(blocks),
            Block::Container(container) => self.container(container),
            Block::List { items, .. } => items.iter().for_each(|item| self.blocks(&item.blocks)),
            Block::Table { header, rows, .. } => {
                header.iter().chain(rows.iter().flatten()).for_each(|cell| self.inlines(cell));
            }
            Block::Equation { latex, id, span } => {
                let since = self.edits.len();
                self.formula(latex);
                if let Some(id) = id {
                    let place = self.place(id.as_str());
                    let number = self.splicer.equation_number(id).map_or_else(String::new, |n| format!("({n})"));
                    self.replace_given_name(id.as_str(), *span, &format!("{place}{number}"));
                }
                self.expand_commands(*span, since);
            }
            Block::Embedded { blocks, span, body } => {
                let since = self.edits.len();
                self.blocks(blocks);
                if body.start < body.end {
                    let notes = footnotes_in(blocks);
                    // Of a section that is embedded alone, the footnotes may be written elsewhere in its file.
                    let elsewhere = blocks.iter().filter_map(|block| match block {
                        Block::Footnote { name, span, .. } if span.start < body.start || span.end > body.end => {
                            notes.contains(name.as_str()).then_some(*span)
                        }
                        _ => None,
                    });
                    let edits = self.edits.split_off(since);
                    let mut apply = |span: Span| {
                        self.edits.extend(edits.clone());
                        self.edited(span, since)
                    };
                    // The empty lines after its front matter are none of the text.
                    let mut text = apply(*body).trim_start_matches(['\r', '\n']).trim_end().to_string();
                    for note in elsewhere {
                        text += "\n\n";
                        text += apply(note).trim_end();
                    }
                    self.edits.push((*span, text));
                }
            }
            Block::Live(index) => {
                let span = self.splicer.document.live[*index].span;
                let text = match self.splicer.live(*index) {
                    Some(woven::Block::Run(run)) => self.run(&run, *index),
                    _ => String::new(),
                };
                self.replace_block(span, text.trim_end());
            }
            Block::Placement { name, caption, span } => {
                if let Some(index) = self.splicer.document.block_named(name)
                    && let Some(woven::Block::Run(run)) = self.splicer.placement(name, caption, *span)
                {
                    let text = self.run(&run, index);
                    self.edits.push((*span, text.trim_end().to_string()));
                }
            }
            Block::DataFile { path, text, caption, span } => {
                if let Some(woven::Block::Data { table, float, .. }) =
                    self.splicer.data_file(path, text, caption, *span)
                {
                    let text = captioned(&table_text(&table, None), float.as_deref());
                    self.edits.push((*span, text.trim_end().to_string()));
                }
            }
            Block::Listing(listing) => self.listing(listing),
            Block::Rule | Block::Html { .. } => {}
        }
    }

    /// Takes ` {#name}` behind a heading or an equation away; `text` stands there instead.
    fn replace_given_name(&mut self, name: &str, span: Span, text: &str) {
        let source = self.splicer.document.sources.of(span.start);
        let given = format!("{{#{name}");
        // An equation's name may stand behind the formula itself.
        let line_end = source.line_span(source.line_of(span.end.max(span.start + 1) - 1)).end;
        let written = source.slice(Span::new(span.start, line_end.max(span.end)));
        if let Some(at) = written.rfind(&given)
            && let Some(length) = written[at..].find('}')
        {
            let start = span.start + written[..at].trim_end().len();
            let text = if text.is_empty() { String::new() } else { format!(" {text}") };
            self.edits.push((Span::new(start, span.start + at + length + 1), text));
        }
    }

    /// Puts a text in the place of a block. Where nothing is shown, its empty line goes too.
    pub(super) fn replace_block(&mut self, mut span: Span, text: &str) {
        if text.is_empty() {
            let source = self.splicer.document.sources.of(span.start);
            let behind = source.slice(Span::new(span.end, source.end()));
            let before = source.slice(Span::new(source.base(), span.start));
            let line_end =
                |text: &str| ["\r\n", "\n"].into_iter().find(|end| text.starts_with(end)).map_or(0, str::len);
            let own = line_end(behind);
            let empty = line_end(&behind[own..]);
            let follows_empty = before.is_empty() || before.ends_with("\n\n") || before.ends_with("\n\r\n");
            if follows_empty && own > 0 && (empty > 0 || behind.len() == own) {
                span.end += own + empty;
            }
        }
        self.edits.push((span, text.to_string()));
    }

    fn run(&mut self, run: &woven::Run, index: BlockIndex) -> String {
        let name = self.splicer.document.live[index].name.as_ref();
        let place = self.place_above(name.map(|name| name.as_str()).filter(|name| *name == run.id.as_str()));
        let mut text = String::new();
        if let Some(code) = &run.code {
            text.push_str(&fenced(&code.language, &code.text));
            text.push('\n');
        }
        for (at, shown) in run.results.iter().enumerate() {
            match shown {
                Shown::Text { text: output, .. } => text.push_str(&fenced("text", output)),
                Shown::Code(code) => text.push_str(&fenced(&code.language, &code.text)),
                Shown::Html { html, .. } => text.push_str(&format!("{}\n", html.trim_end())),
                Shown::LeftOut { words } => {
                    let _ = writeln!(text, "*{}*", words);
                }
                Shown::Table { table, cut } => text.push_str(&table_text(table, cut.as_ref())),
                Shown::Figure { picture, alt } => {
                    let name = format!("{}-{}.{}", run.id, at + 1, picture.media.extension());
                    let words = alt.clone().or_else(|| run.float.as_ref().map(|float| plain(&float.caption)));
                    let words = escaped(&words.unwrap_or_default());
                    let _ = writeln!(text, "![{words}]({}/{})", encoded(self.parts), encoded(&name));
                    self.pictures.push((name, picture.clone()));
                }
                // What the block printed is Markdown already; it stands in its outcome as it was.
                Shown::Blocks(_) => text.push_str(&self.printed(index)),
            }
            text.push('\n');
        }
        place + &captioned(&text, run.float.as_deref())
    }

    /// The Markdown that a block printed.
    fn printed(&self, index: BlockIndex) -> String {
        let printed = self.splicer.outcome(index);
        printed.map_or_else(String::new, |outcome| with_harmless_tags(&outcome.cited_text()) + "\n")
    }

    pub(super) fn inlines(&mut self, inlines: &'a [Inline]) {
        for inline in inlines {
            let span = inline.span();
            match &inline.kind {
                InlineKind::Value(value) => {
                    let text = escaped(&self.read(*value, Writing::Sentence));
                    self.edits.push((span, text));
                }
                InlineKind::Code(template) => {
                    self.escapes_in_code(span);
                    self.code(template);
                }
                InlineKind::Math { latex, .. } => {
                    let since = self.edits.len();
                    self.formula(latex);
                    self.expand_commands(span, since);
                }
                InlineKind::Link(link) => self.link(link, span),
                InlineKind::Image(image) => {
                    self.template(&image.target, in_target);
                    self.inlines(&image.alt);
                }
                InlineKind::Emphasis(_) | InlineKind::Strong(_) | InlineKind::Strike(_) => {
                    self.inlines(inline.children());
                }
                InlineKind::Reference(to) => self.reference(to, span),
                InlineKind::Placement(placed) => {
                    let text = match self.splicer.inline_placement(&placed.name, &placed.caption) {
                        woven::InlineKind::Image(shown) => {
                            let woven::Image { picture, alt, .. } = *shown;
                            let file = format!("{}.{}", placed.name, picture.media.extension());
                            let image = format!("![{}]({}/{})", escaped(&alt), encoded(self.parts), encoded(&file));
                            self.pictures.push((file, picture));
                            image
                        }
                        other => escaped(&plain(&[woven::Inline::new(other, span)])),
                    };
                    self.edits.push((span, text));
                }
                InlineKind::Text(_)
                | InlineKind::Footnote(_)
                | InlineKind::Html(_)
                | InlineKind::SoftBreak
                | InlineKind::LineBreak => {}
            }
        }
    }

    /// Puts the values of a template in, each in the form that its place wants.
    pub(super) fn template(&mut self, template: &Template, form: fn(&str) -> String) {
        for part in template {
            if let Part::Value(value) = part {
                let text = form(&self.value(*value));
                self.edits.push((self.splicer.document.value(*value).span, text));
            }
        }
    }

    pub(super) fn read(&self, value: ValueIndex, writing: Writing) -> String {
        let results = self.splicer.results;
        let document = self.splicer.document;
        let read = || read_text(value, document, &|index| results.cited(index), writing);
        failed_text(value, document, results).unwrap_or_else(read)
    }

    pub(super) fn value(&self, value: ValueIndex) -> String {
        let results = self.splicer.results;
        value_text(value, self.splicer.document, &|index| results.cited(index))
    }
}

/// Printed Markdown in which only harmless tags are left. What can't be made so is shown as text.
fn with_harmless_tags(text: &str) -> String {
    let mut text = text.to_string();
    for _ in 0..8 {
        let mut harmful = Vec::new();
        harmful_in(&parse_printed(&text), &mut harmful);
        if harmful.is_empty() {
            return text;
        }
        for html in harmful {
            text = text.replace(html.trim_end(), &harmless::filtered(&html));
        }
    }
    fenced("text", &text)
}

/// The pieces of HTML that are not harmless, in blocks and all that stands in them.
fn harmful_in(blocks: &[Block], found: &mut Vec<String>) {
    let mut look = |html: &str| {
        if !harmless::is_harmless(html) {
            found.push(html.to_string());
        }
    };
    each_block(blocks, &mut |block| {
        if let Block::Html { html, .. } = block {
            look(html);
        }
    });
    each_text(blocks, &mut |text| {
        each_inline(text, &mut |inline| {
            if let InlineKind::Html(html) = &inline.kind {
                look(html);
            }
        });
    });
}

/// A place in the source, and the text that comes there.
pub(super) type Edit = (Span, String);

/// Puts edits into the order of the source, the longer of two that begin together first.
pub(super) fn sort(edits: &mut [Edit]) {
    edits.sort_by_key(|(edit, _)| (edit.start, std::cmp::Reverse(edit.end)));
}

/// A stretch of the source with the edits in it, which are sorted. Those that reach beyond it are left out, and so are
/// those within others. One of no length is put in between.
pub(super) fn applied(source: &Source, span: Span, edits: &[Edit]) -> String {
    let first = edits.partition_point(|(edit, _)| edit.start < span.start);
    let mut text = String::new();
    let mut done = span.start;
    for (edit, replacement) in edits[first..].iter().take_while(|(edit, _)| edit.start <= span.end) {
        if edit.end > span.end || edit.start < done {
            continue;
        }
        text.push_str(source.slice(Span::new(done, edit.start)));
        let line = source.line_of(edit.start);
        text.push_str(&indented(replacement, source.line(line), edit.start - source.line_span(line).start));
        done = edit.end;
    }
    text.push_str(source.slice(Span::new(done, span.end)));
    text
}
