//! Blocks.

use super::Splicer;
use super::shown::empty;
use crate::data_files::table_of_file;
use crate::prose::{Writing, number_style};
use vineloom_document::options::BlockOptions;
use vineloom_document::{Block, BlockIndex, Container, ContainerKind, Diagnostic, Inline, Name, Span, first_level};
use vineloom_woven as woven;
use vineloom_woven::{Code, Float, FloatKind, Heading, Id, Run, Shown, Tab, Term, Word};

impl<'a> Splicer<'a> {
    pub(super) fn blocks(&mut self, blocks: &[Block]) -> Vec<woven::Block> {
        let mut woven = Vec::with_capacity(blocks.len());
        blocks.iter().for_each(|block| self.push(block, &mut woven));
        woven
    }

    /// Adds what a block becomes, if anything.
    pub(super) fn push(&mut self, block: &Block, woven: &mut Vec<woven::Block>) {
        match block {
            Block::Embedded { blocks: inner, .. } => inner.iter().for_each(|block| self.push(block, woven)),
            Block::Container(container) => self.container(container, woven),
            block => woven.extend(self.block(block)),
        }
    }

    fn block(&mut self, block: &Block) -> Option<woven::Block> {
        Some(match block {
            Block::Heading { level, slide, content, span, .. } => {
                let place = self.headings.get(self.next_heading).cloned();
                let (id, number) = place.map_or_else(Default::default, |place| (place.id, place.number));
                self.next_heading += 1;
                woven::Block::Heading(Box::new(Heading {
                    level: *level,
                    id,
                    slide: slide.clone(),
                    number,
                    content: self.inlines(content),
                    span: *span,
                }))
            }
            Block::Paragraph { content, span } => {
                woven::Block::Paragraph { content: self.inlines(content), span: *span }
            }
            Block::Quote(blocks) => woven::Block::Quote(self.blocks(blocks)),
            Block::List { start, tight, items } => woven::Block::List {
                start: *start,
                tight: *tight,
                items: items.iter().map(|i| woven::Item { task: i.task, blocks: self.blocks(&i.blocks) }).collect(),
            },
            Block::Table { alignment, header, rows, span } => woven::Block::Table {
                alignment: alignment.clone(),
                header: header.iter().map(|cell| self.inlines(cell)).collect(),
                rows: rows.iter().map(|row| row.iter().map(|cell| self.inlines(cell)).collect()).collect(),
                span: *span,
            },
            Block::Rule => woven::Block::Rule,
            Block::Html { html, span } => woven::Block::Html { html: html.clone(), span: *span },
            Block::Equation { latex, id, span } => {
                let number = id.as_ref().and_then(|name| self.equation_number(name));
                woven::Block::Equation {
                    id: id.as_ref().and_then(as_id),
                    number,
                    latex: self.fill_for_reading(latex, Writing::Formula),
                    span: *span,
                }
            }
            Block::Listing(listing) => {
                let code = Box::new(self.code(listing.span, &listing.language, &listing.code, &listing.options));
                let float = (!listing.caption.is_empty()).then(|| self.float(FloatKind::Listing, &listing.caption));
                woven::Block::Listing { id: listing.id.as_ref().and_then(as_id), code, float, span: listing.span }
            }
            Block::Live(index) => return self.live(*index),
            Block::Placement { name, caption, span } => return self.placement(name, caption, *span),
            Block::DataFile { path, text, caption, span } => return self.data_file(path, text, caption, *span),
            Block::Footnote { name, blocks, .. } => {
                let blocks = self.blocks(blocks);
                self.notes.written.insert(name.clone(), blocks);
                return None;
            }
            Block::Embedded { .. } | Block::Container(_) => return None,
        })
    }

    /// Adds what a container becomes, and the place that its name is unless a caption is that.
    fn container(&mut self, container: &Container, woven: &mut Vec<woven::Block>) {
        let place = container.id.as_ref().and_then(as_id);
        // Where it does not stand, it has been left out.
        if matches!(container.kind, ContainerKind::For | ContainerKind::NotFor) {
            woven.extend(place.map(woven::Block::Place));
            container.blocks.iter().for_each(|block| self.push(block, woven));
            return;
        }
        let mut block = self.container_itself(container);
        match (place, &mut block) {
            (Some(id), Some(woven::Block::Speaker(blocks))) => blocks.insert(0, woven::Block::Place(id)),
            (Some(_), Some(woven::Block::Group { float: Some(_), .. })) | (None, _) => {}
            (Some(id), _) => woven.push(woven::Block::Place(id)),
        }
        woven.extend(block);
    }

    fn container_itself(&mut self, container: &Container) -> Option<woven::Block> {
        let title = &container.title;
        Some(match container.kind {
            ContainerKind::Notice(kind) => {
                woven::Block::Notice { kind, title: self.heading_of(title), blocks: self.blocks(&container.blocks) }
            }
            ContainerKind::Tabs => woven::Block::Tabs(self.tabs(&container.blocks)),
            ContainerKind::Columns => {
                let columns = container.blocks.split(|block| matches!(block, Block::Rule));
                let columns: Vec<_> = columns.map(|column| self.blocks(column)).collect();
                // Widths are for as many columns as there are.
                let widths =
                    if container.widths.len() == columns.len() { container.widths.clone() } else { Vec::new() };
                woven::Block::Columns { widths, columns }
            }
            ContainerKind::For | ContainerKind::NotFor => return None,
            ContainerKind::Speaker => woven::Block::Speaker(self.blocks(&container.blocks)),
            ContainerKind::Steps => woven::Block::Steps(self.blocks(&container.blocks)),
            ContainerKind::Terms => woven::Block::Terms(self.terms(&container.blocks)),
            ContainerKind::Fold => {
                woven::Block::Fold { label: self.heading_of(title), blocks: self.blocks(&container.blocks) }
            }
            ContainerKind::Figure | ContainerKind::Table => {
                let kind = if container.kind == ContainerKind::Table { FloatKind::Table } else { FloatKind::Figure };
                let float = (!title.is_empty()).then(|| self.float(kind, title));
                let id = container.id.as_ref().and_then(as_id).filter(|_| float.is_some());
                let mut blocks = self.blocks(&container.blocks);
                if kind == FloatKind::Figure {
                    blocks = pictures_apart(blocks);
                }
                if !container.widths.is_empty() {
                    blocks = in_rows(blocks, &container.widths);
                }
                woven::Block::Group { id, float, blocks }
            }
            ContainerKind::References => {
                self.citations.place_list();
                return self.citations.list();
            }
        })
    }

    /// The entries of lists that each begin with a term in bold.
    fn terms(&mut self, blocks: &[Block]) -> Vec<Term> {
        let lists =
            blocks.iter().filter_map(|block| if let Block::List { items, .. } = block { Some(items) } else { None });
        let mut terms = Vec::new();
        for item in lists.flatten() {
            let mut blocks = self.blocks(&item.blocks);
            let mut term = Vec::new();
            if let Some(woven::Block::Paragraph { content, .. }) = blocks.first_mut()
                && let Some(woven::InlineKind::Strong(_)) = content.first().map(|inline| &inline.kind)
            {
                let first = content.remove(0);
                term = first.children().to_vec();
                // What stands between a term and what it means is for those who read the source.
                if let Some(woven::InlineKind::Text(rest)) = content.first_mut().map(|inline| &mut inline.kind) {
                    *rest = rest.trim_start().trim_start_matches([':', '–', '—']).trim_start().into();
                }
                if woven::plain_text(content).trim().is_empty() {
                    blocks.remove(0);
                }
            }
            terms.push(Term { term, blocks });
        }
        terms
    }

    fn tabs(&mut self, blocks: &[Block]) -> Vec<Tab> {
        let level = first_level(blocks);
        let mut tabs: Vec<Tab> = Vec::new();
        for block in blocks {
            match block {
                Block::Heading { level: this, id, content, .. } if Some(*this) == level => {
                    let place = id.as_ref().and_then(as_id).map(woven::Block::Place);
                    tabs.push(Tab { title: self.inlines(content), blocks: place.into_iter().collect() });
                }
                other => {
                    let woven = self.blocks(std::slice::from_ref(other));
                    if tabs.is_empty() {
                        tabs.push(Tab { title: Vec::new(), blocks: Vec::new() });
                    }
                    if let Some(tab) = tabs.last_mut() {
                        tab.blocks.extend(woven);
                    }
                }
            }
        }
        tabs.retain(|tab| !tab.title.is_empty() || !tab.blocks.is_empty());
        tabs
    }

    pub(super) fn data_file(&mut self, path: &str, text: &str, caption: &[Inline], span: Span) -> Option<woven::Block> {
        match table_of_file(path, text, span) {
            Ok(table) => {
                let usual = self.document.usual_options();
                let table = Box::new(table.for_reading(number_style(self.document, &usual.reading), &usual.columns));
                let float = (!caption.is_empty()).then(|| self.float(FloatKind::Table, caption));
                Some(woven::Block::Data { table, float, span })
            }
            Err(finding) => {
                self.diagnostics.push(*finding);
                None
            }
        }
    }

    pub(super) fn float(&mut self, kind: FloatKind, caption: &[Inline]) -> Box<Float> {
        self.counts[kind as usize] += 1;
        Box::new(Float {
            kind,
            word: self.words.word(kind.word()).to_string(),
            number: self.counts[kind as usize],
            caption: self.heading_of(caption),
        })
    }

    pub(super) fn live(&mut self, index: BlockIndex) -> Option<woven::Block> {
        let block = &self.document.live[index];
        let told = self.is_told_by_statements(index);
        let code = (self.shows_code(index) && !told).then(|| {
            let text = &self.results.blocks[index].code;
            self.code(block.fence, &block.language, text, &block.options)
        });
        let placed = self.placed.contains(&index);
        let mut results = if placed { Vec::new() } else { self.results_of(index) };
        let float = (self.stands_captioned(index) && self.shown.insert(index))
            .then(|| self.float(self.float_kind(index), &block.caption));
        if float.is_some() {
            self.say_empty(index, code.is_some(), &mut results);
        }
        if code.is_none() && results.is_empty() && float.is_none() {
            return None;
        }
        let id = Id::new(match &block.name {
            // The placed result is what the name leads to; within a sentence it is no place.
            Some(name) if self.placed_apart.contains(&index) => self.ids.free(&format!("{name}-code")),
            Some(name) => name.to_string(),
            None => self.ids.free(&format!("block-{}", index.number())),
        })?;
        let span = block.span;
        Some(woven::Block::Run(Box::new(Run { span, ..self.run(index, id, code, results, float) })))
    }

    /// Whether something of a block is shown that is a place: its code, or what it gave, but within no sentence.
    pub(super) fn is_shown_apart(&self, index: BlockIndex) -> bool {
        let shows_code = self.shows_code(index) && !self.is_told_by_statements(index);
        shows_code
            || self.placed_apart.contains(&index)
            || self.stands_captioned(index)
            || !self.placed.contains(&index) && self.gives_what_is_shown(index)
    }

    pub(super) fn placement(&mut self, name: &str, caption: &[Inline], span: Span) -> Option<woven::Block> {
        let index = self.document.block_named(name)?;
        let block = &self.document.live[index];
        let mut results = self.results_of(index);
        if results.is_empty() {
            let gave_hidden = self.outcome(index).is_some_and(|outcome| !outcome.pieces.is_empty());
            let help = if gave_hidden {
                "what it gave is not among the kinds that `show` lists on its fence line"
            } else {
                "it printed nothing, and gave no figure and no table"
            };
            self.diagnostics.push(Diagnostic::warning(span, format!("`@{name}` has no result to put here")).help(help));
        }
        let caption = if caption.is_empty() { &block.caption } else { caption };
        // The name leads to where the caption stands.
        let first = (!caption.is_empty() || !self.captioned.contains(&index)) && self.shown.insert(index);
        let float = (first && !caption.is_empty()).then(|| self.float(self.float_kind(index), caption));
        if float.is_some() {
            self.say_empty(index, false, &mut results);
        }
        let id = Id::new(if first { name.to_string() } else { self.ids.free(name) })?;
        Some(woven::Block::Run(Box::new(Run { span, ..self.run(index, id, None, results, float) })))
    }

    /// Says that there is nothing under a caption that counts as one of a result, where the block has run.
    fn say_empty(&self, index: BlockIndex, beside_code: bool, results: &mut Vec<Shown>) {
        let is_of_code = beside_code && self.float_kind(index) == FloatKind::Listing;
        if results.is_empty() && !is_of_code && self.outcome(index).is_some() {
            results.push(empty(&self.words));
        }
    }

    /// The words on the fold of a block's code: the writer's, else how much it holds.
    fn fold_label(&self, options: &BlockOptions, code: Option<&Code>) -> String {
        let counted = |code: &Code| {
            let lines = code.text.lines().count();
            self.words.counted(Word::LinesOfCode, lines).replace('@', &language_title(&code.language))
        };
        match options.fold_label.as_str() {
            "" => code.map_or_else(String::new, counted),
            label => label.to_string(),
        }
    }

    fn run(
        &self,
        index: BlockIndex,
        id: Id,
        code: Option<Code>,
        results: Vec<Shown>,
        float: Option<Box<Float>>,
    ) -> Run {
        let options = &self.document.live[index].options;
        Run {
            id,
            strand: self.strands.of_block[index],
            fold: options.fold,
            fold_label: self.fold_label(options, code.as_ref()),
            code,
            join: options.join || self.is_told_by_statements(index),
            transcript: self.shows_code(index) && self.is_told_by_statements(index),
            results,
            float,
            span: Span::NOWHERE,
        }
    }

    /// Code as it is shown; `fence` is where it stands.
    fn code(&self, fence: Span, language: &str, text: &str, options: &BlockOptions) -> Code {
        let text = text.strip_suffix('\n').unwrap_or(text).replace('\r', "");
        let first_line = self.first_lines.get(&fence.start).copied();
        Code { language: language.into(), text, first_line, mark: options.mark.clone() }
    }
}

fn as_id(name: &Name) -> Option<Id> {
    Id::new(name.as_str())
}

/// What a language is called in words.
fn language_title(language: &str) -> String {
    let initialed = [
        "python", "octave", "ruby", "perl", "lua", "fortran", "rust", "go", "java", "haskell", "prolog", "bash",
        "scheme", "raku", "r", "c",
    ];
    match language {
        "javascript" => "JavaScript".into(),
        "cpp" => "C++".into(),
        "php" => "PHP".into(),
        "sqlite" | "sql" => "SQL".into(),
        "awk" => "AWK".into(),
        "tcl" => "Tcl".into(),
        word if initialed.contains(&word) => word[..1].to_uppercase() + &word[1..],
        word => word.into(),
    }
}

/// The same blocks, with a paragraph for each picture of those that are nothing but pictures.
fn pictures_apart(blocks: Vec<woven::Block>) -> Vec<woven::Block> {
    let mut apart = Vec::new();
    for block in blocks {
        match block {
            woven::Block::Paragraph { content, span }
                if content.iter().all(|inline| {
                    matches!(inline.kind, woven::InlineKind::Image(_) | woven::InlineKind::SoftBreak)
                }) =>
            {
                let pictures = content.into_iter().filter(|it| matches!(it.kind, woven::InlineKind::Image(_)));
                apart.extend(pictures.map(|picture| woven::Block::Paragraph { content: vec![picture], span }));
            }
            block => apart.push(block),
        }
    }
    apart
}

/// Blocks side by side, as many in a row as there are widths.
fn in_rows(blocks: Vec<woven::Block>, widths: &[u32]) -> Vec<woven::Block> {
    let mut rows = Vec::new();
    let mut blocks = blocks.into_iter().peekable();
    while blocks.peek().is_some() {
        // What lacks in the last row is empty, so that its pictures are as wide as those above.
        let columns = widths.iter().map(|_| blocks.next().into_iter().collect()).collect();
        rows.push(woven::Block::Columns { widths: widths.to_vec(), columns });
    }
    rows
}
