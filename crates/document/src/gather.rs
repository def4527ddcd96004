//! Putting a document together from the files it names: each is read by itself, then what it holds gets its numbers in
//! the whole, in the order of the text.

use crate::diagnostic::Diagnostic;
use crate::fence::Fence;
use crate::files::{FileProblem, Files, ImageTarget, folder_of, joined};
use crate::front_matter::{self, FrontMatter};
use crate::index::{BlockIndex, ByBlock, ValueIndex};
use crate::inline::{Inline, InlineKind, Part, plain_text};
use crate::listing::{listing, named_twice};
use crate::markdown::{self, FoundFence, Read, Syntax};
use crate::name::{Name, Scope, nearest, slug};
use crate::source::{Source, Sources};
use crate::span::Span;
use crate::tree::{Block, Listing, Named};
use crate::value_use::{self, ValueUse, of_document};
use std::sync::Arc;
use vineloom_table::{Table, workbook_target};

/// A live block with the number of the file whose front matter applies to it.
#[derive(Debug)]
pub(crate) struct Fenced {
    pub found: FoundFence,
    pub file: usize,
    /// What its name, and those in its code, stand behind, when it is another document's.
    pub scope: Option<Scope>,
}

/// A document that something is taken from.
#[derive(Debug)]
pub(crate) struct Other {
    /// Its path from the folder of the document that is read.
    pub path: String,
    /// What its names stand behind.
    pub scope: Scope,
    /// Whether it could be read.
    pub is_read: bool,
}

/// What the files of a document, or of a library, hold together, beside their blocks.
#[derive(Debug, Default)]
pub(crate) struct Gathered {
    /// The live blocks, in the order in which they run; [`Block::Live`] says which.
    pub fences: ByBlock<Fenced>,
    /// The values; [`Part::Value`] says which.
    pub values: Vec<ValueUse>,
    /// What was given a name where it stands.
    pub names: Vec<(Name, Named)>,
}

/// Reads files and puts them together.
pub(crate) struct Gatherer<'a> {
    files: &'a dyn Files,
    pub sources: Sources,
    /// The front matter of each file whose blocks are read, by number; the document's own is the first.
    pub fronts: Vec<FrontMatter>,
    pub findings: Vec<Diagnostic>,
    /// The folder of each of these files, from that of the document.
    pub folders: Vec<String>,
    /// The libraries of the project, whose names are known as they are.
    libraries: Vec<String>,
    /// The documents that something is taken from, by path, each with where that is said.
    pub taken_from: Vec<(String, Span)>,
    /// The same, each once.
    pub others: Vec<Other>,
    /// The files that are being read, the document first: a file that comes again would embed itself.
    open: Vec<String>,
}

impl<'a> Gatherer<'a> {
    pub fn new(files: &'a dyn Files, sources: Sources, path: &str, project: &FrontMatter) -> Self {
        Gatherer {
            files,
            sources,
            fronts: Vec::new(),
            findings: Vec::new(),
            folders: Vec::new(),
            libraries: project.library.iter().map(|library| library.text.clone()).collect(),
            taken_from: Vec::new(),
            others: Vec::new(),
            open: vec![path.to_string()],
        }
    }

    /// What the names of a document that something is taken from stand behind; those of a library stand as they are.
    pub fn scope_of(&self, path: &str) -> Option<Scope> {
        let own = self.fronts.first().map_or(&[][..], |front| &front.library);
        let is_library = own.iter().any(|library| library.text == path) || self.libraries.iter().any(|it| it == path);
        (!is_library).then(|| Scope::of(path))
    }

    /// Notes that a value is taken from another document, which a file in `folder` names, and calls it as it is called here.
    pub fn take_value(&mut self, value: &mut ValueUse, folder: &str) {
        let Some(path) = value.document.take().map(|path| joined(folder, &path)) else { return };
        if let Some(scope) = self.scope_of(&path) {
            value.wanted.rename(&|name| name.within(&scope));
        }
        self.taken_from.push((path, value.span));
    }

    /// Reads the body of a document: front matter first, then blocks. `path` is from the main document's folder.
    pub fn document(&mut self, source: &Arc<Source>, path: &str, whole: &mut Gathered) -> Vec<Block> {
        let (front, body) = front_matter::read(source, &mut self.findings);
        self.fronts.push(front);
        self.folders.push(folder_of(path).to_string());
        let file = self.fronts.len() - 1;
        let (text, offset) = (&source.text()[body..], source.base() + body);
        let Read { blocks, fences, values, names, findings } =
            markdown::read(source, text, offset, Syntax::Vine, folder_of(path));
        self.findings.extend(findings);
        whole.names.extend(names);
        let mut values = values;
        values.iter_mut().for_each(|value| self.take_value(value, folder_of(path)));
        let mut part = FilePart { file, fences: fences.map_into(Some), values };
        let mut blocks = blocks;
        self.number(&mut blocks, &mut part, whole);
        blocks
    }

    /// Gives the live blocks and values of a file their numbers in the whole, and reads what it embeds where that stands.
    fn number(&mut self, blocks: &mut [Block], part: &mut FilePart, whole: &mut Gathered) {
        for block in blocks {
            let after = whole.fences.len();
            if !part.values.is_empty() {
                block.each_value_mut(&mut |index| *index = part.value(*index, after, &mut whole.values));
            }
            if let Block::Live(index) = block
                && let Some(found) = part.fences[*index].take()
            {
                self.take_values_of(&found, part.file);
                *index = whole.fences.push(Fenced { found, file: part.file, scope: None });
            }
            for inner in block.children_mut() {
                self.number(inner, part, whole);
            }
            if let Block::Listing(listing) = block {
                self.fill(listing);
            }
            if let Some(embedding) = embeds(block) {
                *block = self.embed(embedding, whole);
            }
        }
    }

    /// Reads text that does not stand in a body as such; what is found in it is placed at `span`.
    pub fn running(&mut self, text: &str, span: Span, values: &mut Vec<ValueUse>) -> Vec<Inline> {
        let first = values.len();
        let inlines = markdown::running(text, span).into_inlines(values, &mut self.findings);
        values[first..].iter_mut().for_each(|value| self.take_value(value, ""));
        inlines
    }

    /// Notes what the code and the words of a live block take from other documents.
    fn take_values_of(&mut self, found: &FoundFence, file: usize) {
        let option = |name| found.fence.settings.get(name).and_then(|setting| setting.value.as_text());
        for text in [Some(found.code.as_str()), option("caption"), option("alt")].into_iter().flatten() {
            for mut value in value_use::find(text) {
                value.span = found.line;
                let folder = self.folders[file].clone();
                self.take_value(&mut value, &folder);
            }
        }
    }

    /// A file as text, added to the sources; what is wrong with it is found at `span`.
    pub fn read_source(&mut self, path: &str, span: Span) -> Option<Arc<Source>> {
        let bytes = self.read_bytes(path, span)?;
        match Source::from_bytes(path, bytes) {
            Ok(source) => Some(self.sources.add(source)),
            Err(error) => {
                let finding = Diagnostic::error(span, format!("{path}, line {}: {error}", error.line));
                self.findings.push(finding.help("text files are read as UTF-8: save it as UTF-8 in your editor"));
                None
            }
        }
    }

    /// Whether a file is there.
    pub fn has_file(&self, path: &str) -> bool {
        !matches!(self.files.read(path), Err(FileProblem::Absent))
    }

    fn read_bytes(&mut self, path: &str, span: Span) -> Option<Vec<u8>> {
        match self.files.read(path) {
            Ok(bytes) => Some(bytes),
            Err(problem) => {
                let (what, help) = match problem {
                    FileProblem::Absent => {
                        ("is not there".to_string(), "files are looked for from the document's folder")
                    }
                    FileProblem::Unreadable(why) => (format!("can't be read: {why}"), "see that the file may be read"),
                };
                self.findings.push(Diagnostic::error(span, format!("the file {path} {what}")).help(help));
                None
            }
        }
    }

    /// Puts in the place of an image the file that it names, by its path from the document's folder.
    fn embed(&mut self, embedding: Embedding, whole: &mut Gathered) -> Block {
        let Embedding { target, kind, caption, span } = embedding;
        let nothing = Block::Embedded { blocks: Vec::new(), span, body: Span::NOWHERE };
        let (path, lines) = code_target(&target);
        if kind == ImageTarget::Document && self.open.contains(&path) {
            let circle = self.open.iter().chain([&path]).cloned().collect::<Vec<_>>().join(" embeds ");
            self.findings.push(
                Diagnostic::error(span, format!("{path} would embed itself"))
                    .help(format!("the circle is: {circle}. Take one of them out")),
            );
            return nothing;
        }
        if let Some((path, part)) = workbook_target(&target) {
            return self.embed_workbook(path, &part, caption, span).unwrap_or(nothing);
        }
        if let (ImageTarget::Result, Some((path, name))) = (kind, of_document(&target)) {
            self.taken_from.push((path.to_string(), span));
            let scope = self.scope_of(path).zip(Name::new(name));
            let name = scope.map_or_else(|| name.to_string(), |(scope, name)| name.within(&scope).to_string());
            return Block::Placement { name, caption, span };
        }
        let Some(source) = self.read_source(&path, span) else { return nothing };
        match kind {
            ImageTarget::Document => {
                self.open.push(path.clone());
                let (file, named) = (self.fronts.len(), whole.names.len());
                let blocks = self.document(&source, &path, whole);
                self.open.pop();
                let front = self.fronts.get(file).and_then(|front| front.span.known()).map_or(0, |span| span.end);
                let body = Span::new(front.max(source.base()), source.end());
                match target.split_once('#').map(|(_, section)| section) {
                    Some(section) if !section.is_empty() => {
                        let embedded = self.section_of(blocks, section, &path, span, body);
                        // What is not embedded has no name here.
                        if let Block::Embedded { body: Span { start, end }, .. } = &embedded {
                            let own = whole.names.split_off(named);
                            let is_there = |(_, named): &(Name, Named)| (*start..*end).contains(&named.span().start);
                            whole.names.extend(own.into_iter().filter(is_there));
                        }
                        embedded
                    }
                    _ => Block::Embedded { blocks, span, body },
                }
            }
            ImageTarget::Table => Block::DataFile { path: path.into(), text: source.text().into(), caption, span },
            ImageTarget::Code | ImageTarget::Picture | ImageTarget::Workbook | ImageTarget::Result => {
                self.embed_code(&source, &path, lines, caption, span).unwrap_or(nothing)
            }
        }
    }

    /// The section of a document that is embedded alone: its heading and all up to the next of its level. Live blocks
    /// elsewhere in the document run as well, since its own may need them; they are shown nowhere. Footnotes come along,
    /// wherever in the document they are written.
    fn section_of(&mut self, blocks: Vec<Block>, section: &str, path: &str, span: Span, body: Span) -> Block {
        let named = |block: &Block| match block {
            Block::Heading { id: Some(id), .. } => id.as_str() == section,
            Block::Heading { id: None, content, .. } => slug(&plain_text(content)) == section,
            _ => false,
        };
        let Some(first) = blocks.iter().position(named) else {
            let ids: Vec<String> = blocks
                .iter()
                .filter_map(|block| match block {
                    Block::Heading { id, content, .. } => {
                        Some(id.as_ref().map_or_else(|| slug(&plain_text(content)), ToString::to_string))
                    }
                    _ => None,
                })
                .collect();
            let help = match nearest(section, ids.iter().map(String::as_str)) {
                Some(near) => format!("did you mean {path}#{near}?"),
                None if ids.is_empty() => "it has no headings".into(),
                None => format!("its sections are {}", ids.join(", ")),
            };
            self.findings.push(Diagnostic::error(span, format!("{path} has no section `{section}`")).help(help));
            return Block::Embedded { blocks: Vec::new(), span, body: Span::NOWHERE };
        };
        let level_of = |block: &Block| match block {
            Block::Heading { level, span, .. } => Some((*level, *span)),
            _ => None,
        };
        let (level, start) = blocks.get(first).and_then(level_of).unwrap_or((1, body));
        let next =
            blocks.iter().skip(first + 1).position(|block| level_of(block).is_some_and(|(next, _)| next <= level));
        let last = next.map_or(blocks.len(), |step| first + 1 + step);
        let end = blocks.get(last).and_then(level_of).map_or(body.end, |(_, next)| next.start);
        let is_of_it =
            |at: usize, block: &Block| (first..last).contains(&at) || matches!(block, Block::Footnote { .. });
        let blocks = blocks.into_iter().enumerate().filter(|(at, block)| is_of_it(*at, block)).map(|(_, block)| block);
        let blocks = blocks.collect();
        Block::Embedded { blocks, span, body: Span::new(start.start, end) }
    }

    /// A part of a workbook as a table. What is embedded is the table as text, as if a data file held it.
    fn embed_workbook(&mut self, path: &str, part: &str, caption: Vec<Inline>, span: Span) -> Option<Block> {
        let bytes = self.read_bytes(path, span)?;
        match Table::read_workbook(&bytes, part) {
            Ok(table) => Some(Block::DataFile { path: path.into(), text: table.to_csv().into(), caption, span }),
            Err(error) => {
                let help = format!("a sheet and its cells are named as in {path}#Sheet!A1:D20");
                self.findings.push(Diagnostic::error(span, format!("{path}: {error}")).help(help));
                None
            }
        }
    }

    fn embed_code(
        &mut self,
        source: &Source,
        path: &str,
        lines: Option<&str>,
        caption: Vec<Inline>,
        span: Span,
    ) -> Option<Block> {
        let (code, _) = self.lines_of(source, path, lines, span)?;
        let fence = Fence { language: language_of(path).into(), ..Fence::default() };
        let (mut embedded, _) = listing(fence, &code, caption, span);
        embedded.embedded = Some(span);
        Some(Block::Listing(Box::new(embedded)))
    }

    /// Reads the code of a listing that shows a file.
    fn fill(&mut self, listing: &mut Listing) {
        let Some((target, span)) = listing.from.clone() else { return };
        if !listing.code.trim().is_empty() {
            self.findings.push(
                Diagnostic::error(span, "a listing whose code comes from a file holds no code itself")
                    .help("take the code out of the fence, or the option `from` off its line"),
            );
            return;
        }
        let Some((code, start)) = self.code_of(&target, span) else { return };
        let twice = listing.take_code(&code);
        self.findings.extend(named_twice(twice, self.sources.of(start), start));
        listing.embedded = Some(listing.span);
    }

    /// The code of a file, or of the lines of it that a target such as `src/decode.py#L10-L24` names, and where it starts.
    pub fn code_of(&mut self, target: &str, span: Span) -> Option<(String, usize)> {
        let (path, lines) = code_target(target);
        if path.is_empty() {
            let finding = Diagnostic::error(span, "no file is named");
            self.findings.push(finding.help("write for example `from=src/decode.py#L10-L24`"));
            return None;
        }
        let source = self.read_source(&path, span)?;
        match lines {
            None => Some((source.text().to_string(), source.base())),
            Some(_) => self.lines_of(&source, &path, lines, span),
        }
    }

    /// The lines of a file that are named, such as `10-L24`, and where they start; all of them where none are named.
    fn lines_of(&mut self, source: &Source, path: &str, lines: Option<&str>, span: Span) -> Option<(String, usize)> {
        let last = source.text().lines().count();
        let (from, to) = match lines {
            None => (1, last.max(1)),
            Some(range) => {
                let (from, to) = range.split_once("-L").or_else(|| range.split_once('-')).unwrap_or((range, range));
                let numbers = from.parse::<usize>().ok().zip(to.parse::<usize>().ok());
                match numbers.filter(|&(from, to)| from >= 1 && from <= to && to <= last) {
                    Some(range) => range,
                    None => {
                        let lines = if last == 1 { "line" } else { "lines" };
                        self.findings.push(
                            Diagnostic::error(span, format!("{path} has no lines {}", range.replace("-L", " to ")))
                                .help(format!("it has {last} {lines}; a range is written {path}#L10-L24")),
                        );
                        return None;
                    }
                }
            }
        };
        let code = (from..=to).map(|line| format!("{}\n", source.line(line))).collect();
        Some((code, source.line_span(from).start))
    }
}

/// What one file holds that has no number in the whole yet.
struct FilePart {
    file: usize,
    fences: ByBlock<Option<FoundFence>>,
    values: Vec<ValueUse>,
}

impl FilePart {
    /// Adds a value of the file to those of the whole; `after` is how many live blocks stand above it.
    fn value(&self, value: ValueIndex, after: usize, values: &mut Vec<ValueUse>) -> ValueIndex {
        values.push(ValueUse { after, ..self.values[value.0].clone() });
        ValueIndex(values.len() - 1)
    }
}

/// An image that stands by itself and names a file that is no picture.
struct Embedding {
    target: String,
    kind: ImageTarget,
    caption: Vec<Inline>,
    span: Span,
}

/// What a block embeds, if anything.
fn embeds(block: &Block) -> Option<Embedding> {
    if let Block::Paragraph { content, .. } = block
        && let [inline] = content.as_slice()
        && let InlineKind::Image(image) = &inline.kind
        && let [Part::Text(target)] = image.target.as_ref()
    {
        let kind = ImageTarget::of(target);
        if kind != ImageTarget::Picture {
            return Some(Embedding {
                target: target.to_string(),
                kind,
                caption: image.alt.clone(),
                span: inline.span(),
            });
        }
    }
    None
}

/// The path of a file with code, and which of its lines are named, such as `10-L24`.
fn code_target(target: &str) -> (String, Option<&str>) {
    match target.split_once('#') {
        None => (target.to_string(), None),
        // What names no lines is not taken for all of them.
        Some((path, lines)) => (path.to_string(), Some(lines.strip_prefix('L').unwrap_or(lines))),
    }
}

/// The language of a source file, by its extension: what a fence would be called.
fn language_of(path: &str) -> &str {
    let extension = path.rsplit_once('.').map_or("", |(_, extension)| extension);
    match extension {
        "py" => "python",
        "rs" => "rust",
        "js" | "mjs" => "javascript",
        "rb" => "ruby",
        "m" => "octave",
        "R" | "r" => "r",
        other => other,
    }
}

/// Which library each live block belongs to: by the first block of each.
pub(crate) type Libraries = Vec<(BlockIndex, String)>;
