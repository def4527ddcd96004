//! Putting results into the document: from what was written and what was given to the woven tree.

use crate::pictures::Pictures;
use crate::run::Results;
use crate::values::{fill, labels, show_labels, value_text};
use crate::woven::{self, Author, Code, Float, FloatKind, Head, Heading, Run, Shown, TextKind, Woven};
use std::collections::{BTreeMap, HashMap, HashSet};
use vineloom_document::options::{BlockOptions, LineNumbers, ReadAs, Trim};
use vineloom_document::{
    Block, Diagnostic, Document, FrontDate, Inline, LiveBlock, Name, Part, Span, Template, parse_fragment, plain_text,
};
use vineloom_interpreters::{Outcome, Piece, Table, without_colours};

/// What splicing needs to know of the world: two dates, ready to print.
#[derive(Debug, Clone, Default)]
pub struct Dates {
    /// The day of the weave.
    pub today: String,
    /// The day the document was last changed.
    pub modified: String,
}

/// Puts results into a document. Findings, such as a picture that is not there, go to `diagnostics`.
pub fn splice(
    document: &Document,
    plan: &crate::plan::Plan,
    results: &Results,
    dates: &Dates,
    pictures: &dyn Pictures,
    diagnostics: &mut Vec<Diagnostic>,
) -> Woven {
    let mut splicer = Splicer {
        document,
        results,
        pictures,
        diagnostics,
        labels: labels(document, &results.codes),
        strands: Strands::of(document, plan),
        placed: HashSet::new(),
        names: BTreeMap::new(),
        heading_ids: Vec::new(),
        next_heading: 0,
        ids: HashSet::new(),
        shown: HashSet::new(),
        counts: [0; 3],
        equations: 0,
        last_line: 0,
        notes: Notes::default(),
    };
    splicer.survey();
    let head = splicer.head(dates);
    let mut blocks = splicer.blocks(&document.blocks);
    let notes = splicer.take_notes();
    // Whatever was written at the end of a document stands in it: trailing rules of nothing do not.
    blocks.shrink_to_fit();
    Woven { head, blocks, notes, strands: splicer.strands.titles }
}

/// Which strand each block ran on, and what they are called, in order of first use.
struct Strands {
    titles: Vec<String>,
    of_block: Vec<usize>,
}

impl Strands {
    fn of(document: &Document, plan: &crate::plan::Plan) -> Self {
        let (mut titles, mut of_block) = (Vec::new(), Vec::new());
        for (task, block) in plan.tasks.iter().zip(&document.live) {
            let title = task.strand.title(&block.language);
            let at = titles.iter().position(|known| *known == title).unwrap_or_else(|| {
                titles.push(title.clone());
                titles.len() - 1
            });
            of_block.push(at);
        }
        Strands { titles, of_block }
    }
}

/// What a reference to a name becomes.
#[derive(Debug, Clone)]
enum Target {
    /// A figure, table or listing.
    Float(FloatKind, usize),
    Section {
        number: String,
        title: Vec<Inline>,
    },
    Equation(usize),
    /// A block without a number.
    Block,
}

#[derive(Default)]
struct Notes {
    numbers: HashMap<String, usize>,
    written: HashMap<String, Vec<woven::Block>>,
}

struct Splicer<'a> {
    document: &'a Document,
    results: &'a Results,
    pictures: &'a dyn Pictures,
    diagnostics: &'a mut Vec<Diagnostic>,
    labels: Vec<(String, String)>,
    strands: Strands,
    /// Blocks whose result the prose places somewhere.
    placed: HashSet<usize>,
    names: BTreeMap<Name, Target>,
    heading_ids: Vec<(String, String)>,
    next_heading: usize,
    ids: HashSet<String>,
    /// Blocks whose numbered result has been put in.
    shown: HashSet<usize>,
    counts: [usize; 3],
    equations: usize,
    /// The last line number given, for `lines=continue`.
    last_line: u32,
    notes: Notes,
}

impl<'a> Splicer<'a> {
    // Numbers, before anything is put in: a reference may stand before what it refers to.

    fn survey(&mut self) {
        let document = self.document;
        find_placements(&document.blocks, &mut |name, _| {
            if let Some(vineloom_document::Named::Live(index, _)) = document.names.get(name) {
                self.placed.insert(*index);
            }
        });
        for block in &document.live {
            if let Some(name) = &block.name {
                self.ids.insert(name.to_string());
                self.names.insert(name.clone(), Target::Block);
            }
        }
        let mut headings = [0usize; 6];
        let mut counts = [0usize; 3];
        let mut numbered = HashSet::new();
        let top = first_level(&document.blocks);
        self.survey_blocks(&document.blocks, top, &mut headings, &mut counts, &mut numbered);
    }

    fn survey_blocks(
        &mut self,
        blocks: &'a [Block],
        top: u8,
        headings: &mut [usize; 6],
        counts: &mut [usize; 3],
        numbered: &mut HashSet<usize>,
    ) {
        for block in blocks {
            match block {
                Block::Heading { level, id, content, .. } => {
                    let number = next_number(headings, *level, top);
                    let id_text = match id {
                        Some(name) => name.to_string(),
                        None => self.unique_id(&slug(&plain_text(content))),
                    };
                    if let Some(name) = id {
                        self.ids.insert(name.to_string());
                        let target = Target::Section { number: number.clone(), title: content.clone() };
                        self.names.insert(name.clone(), target);
                    }
                    self.heading_ids.push((id_text, number));
                }
                Block::Equation { id: Some(name), .. } => {
                    self.equations += 1;
                    self.names.insert(name.clone(), Target::Equation(self.equations));
                }
                Block::Live(index)
                    if !self.placed.contains(index) && !self.document.live[*index].caption.is_empty() =>
                {
                    self.survey_float(*index, counts, numbered);
                }
                Block::Listing(listing) if !listing.caption.is_empty() => counts[FloatKind::Listing as usize] += 1,
                Block::Placement { name, caption, .. } => {
                    if let Some(vineloom_document::Named::Live(index, _)) = self.document.names.get(name.as_str())
                        && (!caption.is_empty() || !self.document.live[*index].caption.is_empty())
                    {
                        self.survey_float(*index, counts, numbered);
                    }
                }
                Block::Quote(blocks) | Block::Notice { blocks, .. } | Block::Footnote { blocks, .. } => {
                    self.survey_blocks(blocks, top, headings, counts, numbered);
                }
                Block::List { items, .. } => {
                    for item in items {
                        self.survey_blocks(&item.blocks, top, headings, counts, numbered);
                    }
                }
                _ => {}
            }
        }
    }

    fn survey_float(&mut self, index: usize, counts: &mut [usize; 3], numbered: &mut HashSet<usize>) {
        if !numbered.insert(index) {
            return;
        }
        let kind = self.float_kind(index);
        counts[kind as usize] += 1;
        if let Some(name) = &self.document.live[index].name {
            self.names.insert(name.clone(), Target::Float(kind, counts[kind as usize]));
        }
    }

    /// What a captioned block counts as: by what it gave.
    fn float_kind(&self, index: usize) -> FloatKind {
        let block = &self.document.live[index];
        let pieces = &self.results.outcomes[index].pieces;
        if block.options.show.figures && pieces.iter().any(|piece| matches!(piece, Piece::Figure(_))) {
            FloatKind::Figure
        } else if block.options.read_as == ReadAs::Table || pieces.iter().any(|piece| matches!(piece, Piece::Table(_)))
        {
            FloatKind::Table
        } else {
            FloatKind::Listing
        }
    }

    fn unique_id(&mut self, wanted: &str) -> String {
        let wanted = if wanted.is_empty() { "section" } else { wanted };
        let mut id = wanted.to_string();
        let mut count = 1;
        while !self.ids.insert(id.clone()) || self.document.names.contains_key(id.as_str()) {
            count += 1;
            id = format!("{wanted}-{count}");
        }
        id
    }

    // The tree.

    fn head(&mut self, dates: &Dates) -> Head {
        let front = &self.document.front;
        let text = |text: &vineloom_document::FrontText| text.text.clone();
        Head {
            title: self.inlines(&self.document.title),
            subtitle: self.inlines(&self.document.subtitle),
            authors: front
                .authors
                .iter()
                .map(|a| Author { name: a.name.text.clone(), affiliation: a.affiliation.as_ref().map(text) })
                .collect(),
            date: front.date.as_ref().map(|date| match date {
                FrontDate::Today => dates.today.clone(),
                FrontDate::Modified => dates.modified.clone(),
                FrontDate::Written(written) => written.text.clone(),
            }),
            language: front.language.as_ref().map_or_else(|| "en".into(), text),
            licence: front.licence.as_ref().map(text),
        }
    }

    fn blocks(&mut self, blocks: &'a [Block]) -> Vec<woven::Block> {
        let mut woven = Vec::with_capacity(blocks.len());
        for block in blocks {
            woven.extend(self.block(block));
        }
        woven
    }

    fn block(&mut self, block: &'a Block) -> Option<woven::Block> {
        Some(match block {
            Block::Heading { level, content, .. } => {
                let (id, number) = self.heading_ids.get(self.next_heading).cloned().unwrap_or_default();
                self.next_heading += 1;
                woven::Block::Heading(Heading { level: *level, id, number, content: self.inlines(content) })
            }
            Block::Paragraph { content, .. } => woven::Block::Paragraph(self.inlines(content)),
            Block::Quote(blocks) => woven::Block::Quote(self.blocks(blocks)),
            Block::List { start, tight, items } => woven::Block::List {
                start: *start,
                tight: *tight,
                items: items.iter().map(|i| woven::Item { task: i.task, blocks: self.blocks(&i.blocks) }).collect(),
            },
            Block::Table { alignment, header, rows } => woven::Block::Table {
                alignment: alignment.clone(),
                header: header.iter().map(|cell| self.inlines(cell)).collect(),
                rows: rows.iter().map(|row| row.iter().map(|cell| self.inlines(cell)).collect()).collect(),
            },
            Block::Rule => woven::Block::Rule,
            Block::Html(html) => woven::Block::Html(html.clone()),
            Block::Equation { latex, id, .. } => {
                let number = id.as_ref().and_then(|name| match self.names.get(name) {
                    Some(Target::Equation(number)) => Some(*number),
                    _ => None,
                });
                woven::Block::Equation { id: id.as_ref().map(Name::to_string), number, latex: self.fill(latex) }
            }
            Block::Notice { kind, title, blocks } => {
                woven::Block::Notice { kind: *kind, title: title.clone(), blocks: self.blocks(blocks) }
            }
            Block::Listing(listing) => {
                let code = self.code(&listing.language, &listing.code, &listing.options);
                let float = (!listing.caption.is_empty()).then(|| self.float(FloatKind::Listing, &listing.caption));
                woven::Block::Listing { code, float }
            }
            Block::Live(index) => return self.live(*index),
            Block::Placement { name, caption, span } => return self.placement(name, caption, *span),
            Block::Footnote { name, blocks } => {
                let blocks = self.blocks(blocks);
                self.notes.written.insert(name.clone(), blocks);
                return None;
            }
        })
    }

    fn take_notes(&mut self) -> Vec<Vec<woven::Block>> {
        let mut numbered: Vec<(usize, String)> =
            self.notes.numbers.drain().map(|(name, number)| (number, name)).collect();
        numbered.sort_unstable();
        numbered.into_iter().map(|(_, name)| self.notes.written.remove(&name).unwrap_or_default()).collect()
    }

    fn float(&mut self, kind: FloatKind, caption: &'a [Inline]) -> Float {
        self.counts[kind as usize] += 1;
        Float { kind, number: self.counts[kind as usize], caption: self.inlines(caption) }
    }

    fn live(&mut self, index: usize) -> Option<woven::Block> {
        let block = &self.document.live[index];
        let code = block.options.show.code.then(|| {
            let text = &self.results.codes[index];
            self.code(&block.language, text, &block.options)
        });
        let placed = self.placed.contains(&index);
        let results = if placed { Vec::new() } else { self.results_of(index) };
        if code.is_none() && results.is_empty() {
            return None;
        }
        let float = (!placed && !block.caption.is_empty() && self.shown.insert(index))
            .then(|| self.float(self.float_kind(index), &block.caption));
        let id = match &block.name {
            // The placed result is what the name leads to, unless nothing is placed.
            Some(name) if placed => self.unique_id(&format!("{name}-code")),
            Some(name) => name.to_string(),
            None => self.unique_id(&format!("block-{}", index + 1)),
        };
        Some(woven::Block::Run(self.run(index, id, code, results, float)))
    }

    fn placement(&mut self, name: &str, caption: &'a [Inline], span: Span) -> Option<woven::Block> {
        let vineloom_document::Named::Live(index, _) = *self.document.names.get(name)? else { return None };
        let block = &self.document.live[index];
        let results = self.results_of(index);
        if results.is_empty() {
            let gave_hidden = !self.results.outcomes[index].pieces.is_empty();
            let help = if gave_hidden {
                "what it gave is not among the kinds that `show` lists on its fence line"
            } else {
                "it printed nothing, and gave no figure and no table"
            };
            self.diagnostics.push(Diagnostic::warning(span, format!("`@{name}` has no result to put here")).help(help));
        }
        let caption = if caption.is_empty() { &block.caption } else { caption };
        let first = self.shown.insert(index);
        let float = (first && !caption.is_empty()).then(|| self.float(self.float_kind(index), caption));
        let id = if first { name.to_string() } else { self.unique_id(name) };
        Some(woven::Block::Run(self.run(index, id, None, results, float)))
    }

    fn run(&self, index: usize, id: String, code: Option<Code>, results: Vec<Shown>, float: Option<Float>) -> Run {
        let options = &self.document.live[index].options;
        Run {
            id,
            strand: self.strands.of_block[index],
            code,
            fold: options.fold,
            fold_label: options.fold_label.clone(),
            join: options.join,
            results,
            float,
        }
    }

    fn code(&mut self, language: &str, text: &str, options: &BlockOptions) -> Code {
        let text = text.strip_suffix('\n').unwrap_or(text).replace('\r', "");
        let first_line = match options.lines {
            LineNumbers::Off => None,
            LineNumbers::From(first) => Some(first),
            LineNumbers::Continue => Some(self.last_line + 1),
        };
        if let Some(first) = first_line {
            self.last_line = first + (text.lines().count() as u32).saturating_sub(1);
        }
        Code { language: language.into(), text, first_line, mark: options.mark.clone() }
    }

    // What a block gave.

    fn results_of(&mut self, index: usize) -> Vec<Shown> {
        let block = &self.document.live[index];
        let outcome: &Outcome = &self.results.outcomes[index];
        let show = block.options.show;
        let alt = block.alt.as_ref().map(|alt| self.fill(alt));
        let mut shown = Vec::new();
        for piece in &outcome.pieces {
            match piece {
                Piece::Text(text) => match block.options.read_as {
                    ReadAs::Table if show.tables => self.read_table(block, text, &mut shown),
                    ReadAs::Markdown if show.text => shown.push(Shown::Blocks(fragment(text))),
                    ReadAs::Text if show.text => self.text(block, TextKind::Output, text, &mut shown),
                    _ => {}
                },
                Piece::Value { text, .. } if show.text => self.text(block, TextKind::Value, text, &mut shown),
                Piece::Notice(text) if show.notices => self.text(block, TextKind::Notice, text, &mut shown),
                Piece::Failure { text, .. } if show.text || show.notices => {
                    self.text(block, TextKind::Failure, text, &mut shown);
                }
                Piece::Table(table) if show.tables => shown.push(trimmed_table(table.clone(), block.options.trim)),
                Piece::Figure(figure) if show.figures => shown.push(Shown::Figure {
                    picture: woven::Picture {
                        media: figure.media,
                        hash: figure.hash.clone(),
                        bytes: figure.bytes.clone(),
                    },
                    alt: alt.clone(),
                }),
                _ => {}
            }
        }
        shown
    }

    fn read_table(&mut self, block: &LiveBlock, text: &str, shown: &mut Vec<Shown>) {
        match Table::read(text) {
            Ok(table) => shown.push(trimmed_table(table, block.options.trim)),
            Err(error) => {
                let finding = Diagnostic::error(block.fence, format!("what the block printed is not a table: {error}"));
                self.diagnostics.push(
                    finding.help("`as=table` reads CSV, TSV, or a JSON list of objects; `as=text` shows it as it is"),
                );
            }
        }
    }

    fn text(&mut self, block: &LiveBlock, kind: TextKind, text: &str, shown: &mut Vec<Shown>) {
        let text = show_labels(&without_colours(text), &self.labels);
        let text = text.strip_suffix('\n').unwrap_or(&text);
        let lines: Vec<String> = text.split('\n').map(|line| format!("{}{line}", block.options.prefix)).collect();
        let push = |lines: &[String], shown: &mut Vec<Shown>| {
            if !lines.is_empty() {
                shown.push(Shown::Text { kind, text: lines.join("\n") });
            }
        };
        match block.options.trim {
            Some(Trim { first, last }) if lines.len() > first + last => {
                push(&lines[..first], shown);
                shown.push(Shown::LeftOut { lines: lines.len() - first - last });
                push(&lines[lines.len() - last..], shown);
            }
            _ => push(&lines, shown),
        }
    }

    // Running text.

    fn fill(&self, template: &Template) -> String {
        fill(template, self.document, &|index| {
            Some((&self.results.outcomes[index], self.results.codes[index].as_str()))
        })
    }

    fn inlines(&mut self, inlines: &'a [Inline]) -> Vec<woven::Inline> {
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
            Inline::Value(value) => woven::Inline::Text(value_text(*value, self.document, &|index| {
                Some((&self.results.outcomes[index], self.results.codes[index].as_str()))
            })),
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
            return woven::Inline::RemoteImage { target, alt: self.inlines(alt) };
        }
        match self.pictures.read(&target) {
            Ok(picture) => woven::Inline::Image { picture, alt: plain_text(alt), title: title.into() },
            Err(problem) => {
                self.diagnostics.push(
                    Diagnostic::error(span, format!("the picture {target} {}", problem.what())).help(problem.remedy()),
                );
                woven::Inline::Text(plain_text(alt))
            }
        }
    }

    fn inline_placement(&mut self, name: &str, caption: &'a [Inline]) -> woven::Inline {
        let Some(vineloom_document::Named::Live(index, _)) = self.document.names.get(name) else {
            return woven::Inline::Text(String::new());
        };
        let outcome = &self.results.outcomes[*index];
        let figure = outcome.pieces.iter().find_map(|piece| match piece {
            Piece::Figure(figure) => Some(figure),
            _ => None,
        });
        match figure {
            Some(figure) => woven::Inline::Image {
                picture: woven::Picture { media: figure.media, hash: figure.hash.clone(), bytes: figure.bytes.clone() },
                alt: plain_text(caption),
                title: String::new(),
            },
            None => woven::Inline::Text(outcome.cited_text()),
        }
    }

    fn reference(&mut self, name: &str, content: &'a [Inline], span: Span) -> woven::Inline {
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
            Target::Block => {
                self.diagnostics.push(Diagnostic::error(span, format!("`@{name}` has no number to refer to")).help(
                    format!("give it a caption, as in `![A caption](@{name})`, or write words: `[as shown](@{name})`"),
                ));
                woven::Inline::Text(String::new())
            }
        }
    }
}

fn trimmed_table(mut table: Table, trim: Option<Trim>) -> Shown {
    let mut cut = None;
    if let Some(Trim { first, last }) = trim
        && table.rows.len() > first + last
    {
        let rows = table.rows.len() - first - last;
        table.rows.drain(first..first + rows);
        cut = Some(woven::Cut { after: first, rows });
    }
    Shown::Table { table, cut }
}

/// Markdown that a block printed.
fn fragment(text: &str) -> Vec<woven::Block> {
    let blocks = parse_fragment(&without_colours(text));
    crate::fragment::blocks(&blocks)
}

/// Calls `found` for each result placed in the prose.
fn find_placements(blocks: &[Block], found: &mut impl FnMut(&str, Span)) {
    for block in blocks {
        match block {
            Block::Placement { name, span, .. } => found(name, *span),
            Block::Heading { content, .. } | Block::Paragraph { content, .. } => placements_in_text(content, found),
            Block::Table { header, rows, .. } => {
                header.iter().chain(rows.iter().flatten()).for_each(|cell| placements_in_text(cell, found));
            }
            Block::Quote(blocks) | Block::Notice { blocks, .. } | Block::Footnote { blocks, .. } => {
                find_placements(blocks, found);
            }
            Block::List { items, .. } => items.iter().for_each(|item| find_placements(&item.blocks, found)),
            Block::Rule | Block::Html(_) | Block::Equation { .. } | Block::Listing(_) | Block::Live(_) => {}
        }
    }
}

fn placements_in_text(inlines: &[Inline], found: &mut impl FnMut(&str, Span)) {
    for inline in inlines {
        match inline {
            Inline::Placement { name, span, .. } => found(name, *span),
            Inline::Emphasis(content)
            | Inline::Strong(content)
            | Inline::Strike(content)
            | Inline::Link { content, .. }
            | Inline::Reference { content, .. } => placements_in_text(content, found),
            _ => {}
        }
    }
}

/// The level of the highest heading, which counts as the first part of a section number.
fn first_level(blocks: &[Block]) -> u8 {
    blocks
        .iter()
        .filter_map(|b| if let Block::Heading { level, .. } = b { Some(*level) } else { None })
        .min()
        .unwrap_or(1)
}

fn next_number(counts: &mut [usize; 6], level: u8, top: u8) -> String {
    let at = usize::from(level.saturating_sub(top)).min(5);
    counts[at] += 1;
    counts[at + 1..].fill(0);
    counts[..=at].iter().map(usize::to_string).collect::<Vec<_>>().join(".")
}

/// A heading's words as an id: lower case, hyphens for spaces, nothing else but letters and digits.
fn slug(text: &str) -> String {
    let mut slug = String::new();
    for c in text.chars() {
        if c.is_alphanumeric() {
            slug.extend(c.to_lowercase());
        } else if !slug.is_empty() && !slug.ends_with('-') && (c.is_whitespace() || c == '-' || c == '_') {
            slug.push('-');
        }
    }
    slug.trim_end_matches('-').to_string()
}

/// The text of a template that holds no values.
pub(crate) fn plain_template(template: &Template) -> String {
    template.iter().map(|part| if let Part::Text(text) = part { text.as_str() } else { "" }).collect()
}
