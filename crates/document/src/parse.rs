//! From text to a [`Document`]: front matter, body, names, options and their layers.

use crate::diagnostic::Diagnostic;
use crate::front_matter::{self, FrontMatter, FrontText};
use crate::markdown::{FoundFence, LISTING, Reader, duplicate};
use crate::name::{Name, nearest};
use crate::options::{BlockOptions, Place, Settings};
use crate::source::{Source, Span};
use crate::tree::{Block, Document, Inline, Listing, LiveBlock, Named, Part, Template};
use crate::value_use::{self, ValueUse, Wanted};
use std::collections::BTreeMap;
use std::sync::Arc;

/// A document and what is wrong with it.
#[derive(Debug, Clone)]
pub struct Parsed {
    /// The document, as far as it could be read.
    pub document: Document,
    /// What is wrong, in the order of the text.
    pub diagnostics: Vec<Diagnostic>,
}

/// Reads a document. Always gives one, however much is wrong with the text.
pub fn parse(source: Source) -> Parsed {
    let mut diagnostics = Vec::new();
    let (front, body) = front_matter::read(&source, &mut diagnostics);
    let mut values = Vec::new();
    let mut reader = Reader::new(&source, &source.text()[body..], body, &mut values, &mut diagnostics);
    let mut blocks = reader.blocks();
    let (found_live, listings) = (std::mem::take(&mut reader.live), std::mem::take(&mut reader.listings));
    let mut names = std::mem::take(&mut reader.names);
    drop(reader);

    name_live_blocks(&found_live, &mut names, &mut diagnostics);
    let mut builder = Builder { source: &source, front: &front, names: &names, values, diagnostics };
    let live = found_live.into_iter().map(|found| builder.live(found)).collect::<Vec<_>>();
    let mut listings = listings.into_iter().map(|found| Some(builder.listing(found))).collect::<Vec<_>>();
    place_listings(&mut blocks, &mut listings);
    let title = builder.front_text(front.title.as_ref());
    let subtitle = builder.front_text(front.subtitle.as_ref());
    builder.check_block_tables(&live);
    let Builder { values, mut diagnostics, .. } = builder;

    check_values(&values, &names, &mut diagnostics);
    check_references(&blocks, &names, &mut diagnostics);
    diagnostics.sort_by_key(|d| d.span.map_or(0, |span| span.start));
    let document = Document { source: Arc::new(source), front, title, subtitle, blocks, live, values, names };
    Parsed { document, diagnostics }
}

/// Reads Markdown that a block printed, as plain Markdown: fences in it are listings, and `@[ … ]` is text.
pub fn parse_fragment(text: &str) -> Vec<Block> {
    let source = Source::new("output", text.replace("@[", "\\@["));
    let mut parsed = parse(Source::new("output", source.text()));
    demote_live(&mut parsed.document.blocks, &parsed.document.live);
    parsed.document.blocks
}

fn demote_live(blocks: &mut [Block], live: &[LiveBlock]) {
    for block in blocks {
        match block {
            Block::Live(index) => {
                let found = &live[*index];
                *block = Block::Listing(Box::new(Listing {
                    language: found.language.clone(),
                    code: template_text(&found.code),
                    options: found.options.clone(),
                    caption: Vec::new(),
                }));
            }
            other => each_child(other, &mut |children| demote_live(children, live)),
        }
    }
}

fn template_text(template: &Template) -> String {
    template.iter().filter_map(|part| if let Part::Text(text) = part { Some(text.as_str()) } else { None }).collect()
}

/// Calls `visit` on each list of blocks directly inside a block.
fn each_child(block: &mut Block, visit: &mut impl FnMut(&mut [Block])) {
    match block {
        Block::Quote(blocks) | Block::Notice { blocks, .. } | Block::Footnote { blocks, .. } => visit(blocks),
        Block::List { items, .. } => items.iter_mut().for_each(|item| visit(&mut item.blocks)),
        _ => {}
    }
}

fn name_live_blocks(found: &[FoundFence], names: &mut BTreeMap<Name, Named>, diagnostics: &mut Vec<Diagnostic>) {
    for (index, found) in found.iter().enumerate() {
        let Some((name, span)) = &found.fence.name else { continue };
        match names.get(name) {
            Some(before) => diagnostics.push(duplicate(name, before.span(), *span)),
            None => {
                names.insert(name.clone(), Named::Live(index, *span));
            }
        }
    }
}

fn place_listings(blocks: &mut [Block], listings: &mut [Option<Listing>]) {
    for block in blocks {
        match block {
            Block::Live(number) if *number >= LISTING => {
                if let Some(listing) = listings[*number - LISTING].take() {
                    *block = Block::Listing(Box::new(listing));
                }
            }
            other => each_child(other, &mut |children| place_listings(children, listings)),
        }
    }
}

struct Builder<'a> {
    source: &'a Source,
    front: &'a FrontMatter,
    names: &'a BTreeMap<Name, Named>,
    values: Vec<ValueUse>,
    diagnostics: Vec<Diagnostic>,
}

impl Builder<'_> {
    fn live(&mut self, found: FoundFence) -> LiveBlock {
        let FoundFence { fence, code, code_line, span } = found;
        let mut settings = Settings::built_in(Place::Block);
        settings.overlay(&self.front.defaults);
        if let Some((_, own)) = self.front.language_defaults.get(&fence.language) {
            settings.overlay(own);
        }
        let name = fence.name.map(|(name, _)| name);
        if let Some((_, own)) = name.as_ref().and_then(|name| self.front.block_options.get(name.as_str())) {
            settings.overlay(own);
        }
        settings.overlay(&fence.settings);
        let caption = self.option_inlines(&settings, "caption", span);
        let alt = settings.get("alt").and_then(|s| s.value.as_text().map(String::from));
        let alt = alt.map(|text| self.template(&text, span));
        let code = self.code_template(&code, code_line);
        let options = BlockOptions::from_settings(&settings);
        LiveBlock { name, language: fence.language, code, code_line, fence: span, options, caption, alt }
    }

    fn listing(&mut self, found: FoundFence) -> Listing {
        let mut settings = Settings::built_in(Place::Block);
        settings.overlay(&found.fence.settings);
        let caption = self.option_inlines(&settings, "caption", found.span);
        let options = BlockOptions::from_settings(&settings);
        Listing { language: found.fence.language, code: found.code, options, caption }
    }

    fn option_inlines(&mut self, settings: &Settings, name: &str, span: Span) -> Vec<Inline> {
        let Some(setting) = settings.get(name) else { return Vec::new() };
        let span = if setting.span == Span::default() { span } else { setting.span };
        let text = setting.value.as_text().unwrap_or("").to_string();
        self.inlines(&text, span)
    }

    fn front_text(&mut self, text: Option<&FrontText>) -> Vec<Inline> {
        text.map_or_else(Vec::new, |text| self.inlines(&text.text, text.span))
    }

    /// Reads text that does not stand in the body as such; its values are placed at `span`.
    fn inlines(&mut self, text: &str, span: Span) -> Vec<Inline> {
        let first = self.values.len();
        let known = self.diagnostics.len();
        let inner = Source::new(self.source.name(), text);
        let inlines = Reader::new(&inner, text, 0, &mut self.values, &mut self.diagnostics).inlines();
        self.values[first..].iter_mut().for_each(|value| value.span = span);
        self.diagnostics[known..].iter_mut().for_each(|d| d.span = Some(span));
        inlines
    }

    fn template(&mut self, text: &str, span: Span) -> Template {
        let mut template = Template::new();
        let mut done = 0;
        for value in value_use::find(text) {
            let Span { start, end } = value.span;
            template.push(Part::Text(text[done..start].into()));
            template.push(Part::Value(self.values.len()));
            self.values.push(ValueUse { span, ..value });
            done = end;
        }
        template.push(Part::Text(text[done..].into()));
        template.retain(|part| !matches!(part, Part::Text(text) if text.is_empty()));
        template
    }

    /// Code keeps every `@[ … ]` whose name is not known: it may be the language's own.
    fn code_template(&mut self, code: &str, code_line: usize) -> Template {
        let mut template = Template::new();
        let mut done = 0;
        for value in value_use::find(code) {
            let known = match &value.wanted {
                Wanted::Doc(_) => true,
                wanted => wanted.block().is_some_and(|name| self.names.contains_key(name)),
            };
            if !known {
                continue;
            }
            let Span { start, end } = value.span;
            let line = code_line + code[..start].matches('\n').count();
            template.push(Part::Text(code[done..start].into()));
            template.push(Part::Value(self.values.len()));
            self.values.push(ValueUse { span: self.source.line_span(line), ..value });
            done = end;
        }
        template.push(Part::Text(code[done..].into()));
        template.retain(|part| !matches!(part, Part::Text(text) if text.is_empty()));
        template
    }

    fn check_block_tables(&mut self, live: &[LiveBlock]) {
        for (word, (span, _)) in &self.front.block_options {
            if live.iter().any(|block| block.name.as_ref().is_some_and(|name| name.as_str() == word)) {
                continue;
            }
            let blocks = live.iter().filter_map(|block| block.name.as_ref()).map(Name::as_str);
            let help = match nearest(word, blocks) {
                Some(near) => format!("did you mean `[block.{near}]`?"),
                None => "the table holds options of a live block that has this name".into(),
            };
            self.diagnostics.push(Diagnostic::error(*span, format!("no block is called `{word}`")).help(help));
        }
    }
}

const DOC_FIELDS: [&str; 6] = ["title", "subtitle", "authors", "date", "language", "licence"];

fn check_values(values: &[ValueUse], names: &BTreeMap<Name, Named>, diagnostics: &mut Vec<Diagnostic>) {
    for value in values {
        let finding = match &value.wanted {
            Wanted::Unreadable(text) => Diagnostic::error(value.span, format!("`@[{text}]` can't be read"))
                .help("write @[name], @[name.code], @[name.exit] or @[doc.title]; `\\@[` is a plain `@[`"),
            Wanted::Doc(field) if !DOC_FIELDS.contains(&field.as_str()) => {
                Diagnostic::error(value.span, format!("a document has no `{field}`"))
                    .help(format!("the fields are {}", DOC_FIELDS.join(", ")))
            }
            Wanted::Doc(_) => continue,
            Wanted::Text(name) | Wanted::Code(name) | Wanted::Exit(name) => match names.get(name) {
                Some(Named::Live(..)) => continue,
                Some(_) => Diagnostic::error(value.span, format!("`@{name}` is not a block, so it has no value"))
                    .help(format!("to refer to it write [](@{name})")),
                None => {
                    let help = "`\\@[` is a plain `@[`";
                    unknown_name(value.span, name.as_str(), names, true, help)
                }
            },
        };
        diagnostics.push(finding);
    }
}

fn unknown_name(
    span: Span,
    word: &str,
    names: &BTreeMap<Name, Named>,
    blocks_only: bool,
    otherwise: &str,
) -> Diagnostic {
    let fits = |named: &Named| !blocks_only || matches!(named, Named::Live(..));
    let candidates: Vec<&str> = names.iter().filter(|(_, named)| fits(named)).map(|(name, _)| name.as_str()).collect();
    let help = match nearest(word, candidates.iter().copied()) {
        Some(near) => format!("did you mean `@{near}`?"),
        None if candidates.is_empty() => {
            format!("nothing in this document has a name yet: ```` ```python @{word} ```` names a block; {otherwise}")
        }
        None if candidates.len() <= 12 => format!("the names are {}", candidates.join(", ")),
        None => format!("no name is like it; {otherwise}"),
    };
    Diagnostic::error(span, format!("nothing is called `@{word}`")).help(help)
}

fn check_references(blocks: &[Block], names: &BTreeMap<Name, Named>, diagnostics: &mut Vec<Diagnostic>) {
    let mut check = Check { names, diagnostics };
    check.blocks(blocks);
}

struct Check<'a> {
    names: &'a BTreeMap<Name, Named>,
    diagnostics: &'a mut Vec<Diagnostic>,
}

impl Check<'_> {
    fn blocks(&mut self, blocks: &[Block]) {
        for block in blocks {
            match block {
                Block::Heading { content, .. } | Block::Paragraph { content, .. } => self.inlines(content),
                Block::Quote(blocks) | Block::Notice { blocks, .. } | Block::Footnote { blocks, .. } => {
                    self.blocks(blocks)
                }
                Block::List { items, .. } => items.iter().for_each(|item| self.blocks(&item.blocks)),
                Block::Table { header, rows, .. } => {
                    header.iter().chain(rows.iter().flatten()).for_each(|cell| self.inlines(cell));
                }
                Block::Placement { name, caption, span } => {
                    self.block_name(name, *span);
                    self.inlines(caption);
                }
                Block::Rule | Block::Html(_) | Block::Equation { .. } | Block::Listing(_) | Block::Live(_) => {}
            }
        }
    }

    fn inlines(&mut self, inlines: &[Inline]) {
        for inline in inlines {
            match inline {
                Inline::Reference { name, content, span } => {
                    if !self.names.contains_key(name.as_str()) {
                        let otherwise = "`{#name}` after a heading or an equation names it";
                        self.diagnostics.push(unknown_name(*span, name, self.names, false, otherwise));
                    }
                    self.inlines(content);
                }
                Inline::Placement { name, caption, span } => {
                    self.block_name(name, *span);
                    self.inlines(caption);
                }
                Inline::Emphasis(content)
                | Inline::Strong(content)
                | Inline::Strike(content)
                | Inline::Link { content, .. }
                | Inline::Image { alt: content, .. } => self.inlines(content),
                _ => {}
            }
        }
    }

    fn block_name(&mut self, word: &str, span: Span) {
        match self.names.get(word) {
            Some(Named::Live(..)) => {}
            Some(_) => self.diagnostics.push(
                Diagnostic::error(span, format!("`@{word}` is not a block, so it has no result to put here"))
                    .help(format!("to refer to it write [](@{word})")),
            ),
            None => {
                self.diagnostics.push(unknown_name(span, word, self.names, true, "a result comes from a live block"))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn messages(text: &str) -> Vec<(usize, String)> {
        let parsed = parse(Source::new("t.md", text));
        let line = |d: &Diagnostic| parsed.document.source.line_of(d.span.unwrap().start);
        parsed.diagnostics.iter().map(|d| (line(d), d.message.clone())).collect()
    }

    #[test]
    fn a_name_used_twice_shows_both_places() {
        let parsed = parse(Source::new("t.md", "```sh @a\n:\n```\n\n```sh @a\n:\n```\n"));
        let [found] = parsed.diagnostics.as_slice() else { panic!("{:?}", parsed.diagnostics) };
        assert_eq!(found.message, "the name `@a` is used twice");
        assert_eq!(parsed.document.source.line_of(found.span.unwrap().start), 5);
        assert_eq!(parsed.document.source.line_of(found.related[0].0.start), 1);
    }

    #[test]
    fn unknown_names_are_found_wherever_they_are_used() {
        let text = "```sh @count\n:\n```\n\nA @[cuont], a [](@coun), and\n\n![c](@countt)\n";
        let found = messages(text);
        assert_eq!(
            found,
            [
                (5, "nothing is called `@cuont`".into()),
                (5, "nothing is called `@coun`".into()),
                (7, "nothing is called `@countt`".into())
            ]
        );
    }

    #[test]
    fn code_keeps_what_it_does_not_know_and_what_is_escaped() {
        let parsed = parse(Source::new("t.md", "```sh @n\n:\n```\n\n```ruby @r\n@[x] @[n] \\@[n]\n```\n"));
        assert!(parsed.diagnostics.is_empty(), "{:?}", parsed.diagnostics);
        let code = &parsed.document.live[1].code;
        assert_eq!(code[0], Part::Text("@[x] ".into()));
        assert!(matches!(code[1], Part::Value(_)));
        assert_eq!(code[2], Part::Text(" \\@[n]\n".into()));
    }

    #[test]
    fn layers_are_laid_in_order() {
        let text = "+++\n[defaults]\nfold = \"open\"\nlines = \"on\"\n[defaults.sh]\nfold = \"closed\"\n[block.a]\nprefix = \"> \"\n+++\n```sh @a prefix=\"# \"\n:\n```\n";
        let parsed = parse(Source::new("t.md", text));
        assert!(parsed.diagnostics.is_empty(), "{:?}", parsed.diagnostics);
        let options = &parsed.document.live[0].options;
        assert_eq!(options.fold, crate::options::Fold::Closed);
        assert_eq!(options.lines, crate::options::LineNumbers::From(1));
        assert_eq!(options.prefix, "# ");
    }

    #[test]
    fn an_unclosed_fence_is_an_error_at_its_opening() {
        assert_eq!(
            messages("text\n\n```sh @a\necho\n"),
            [(3, "this fenced block is opened here and never closed".into())]
        );
    }

    #[test]
    fn code_lines_are_counted_in_the_document() {
        let parsed = parse(Source::new("t.md", "+++\n+++\n\n- item\n\n  ```sh @a\n  echo 1\n  ```\n"));
        assert_eq!(parsed.document.live[0].code_line, 7);
        assert_eq!(parsed.document.live[0].code, [Part::Text("echo 1\n".into())]);
    }

    #[test]
    fn values_in_prose_are_not_markup() {
        let parsed = parse(Source::new("t.md", "```sh @n\n:\n```\n*a @[n] b* `x @[n]` [y](@[n])\n"));
        assert!(parsed.diagnostics.is_empty(), "{:?}", parsed.diagnostics);
        let Block::Paragraph { content, .. } = &parsed.document.blocks[1] else { panic!() };
        assert_eq!(
            content[0],
            Inline::Emphasis(vec![Inline::Text("a ".into()), Inline::Value(0), Inline::Text(" b".into())])
        );
        assert_eq!(content[2], Inline::Code(vec![Part::Text("x ".into()), Part::Value(1)]));
        assert!(matches!(&content[4], Inline::Link { target, .. } if target == &[Part::Value(2)]));
    }
}
