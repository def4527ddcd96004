//! What is gathered while a document and the files it names are read.

use crate::diagnostic::Diagnostic;
use crate::fence::Fence;
use crate::files::{FileProblem, Files, Target, folder_of};
use crate::front_matter::{self, FrontMatter};
use crate::markdown::{FoundFence, LISTING, Reader, Syntax};
use crate::name::Name;
use crate::options::{OptionValue, Origin, Setting};
use crate::source::{Source, Sources, Span};
use crate::tree::{Block, Inline, Named, plain_text};
use crate::value_use::ValueUse;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Everything gathered so far.
pub(crate) struct State<'a> {
    pub files: &'a dyn Files,
    pub sources: Sources,
    /// The front matter of each file whose blocks are read, by number; the document's own is the first.
    pub fronts: Vec<FrontMatter>,
    /// The values used, in prose first.
    pub values: Vec<ValueUse>,
    /// The live blocks found, in order.
    pub live: Vec<FoundFence>,
    /// Listings found, in order; [`Block::Live`] numbers at or above [`LISTING`] stand for them.
    pub listings: Vec<FoundFence>,
    /// What was given a name where it stands: sections, equations, containers.
    pub names: BTreeMap<Name, Named>,
    pub diagnostics: Vec<Diagnostic>,
    /// The files that are being read, the document first: a file that comes again would embed itself.
    open: Vec<String>,
}

impl<'a> State<'a> {
    pub fn new(files: &'a dyn Files, sources: Sources, path: &str) -> Self {
        State {
            files,
            sources,
            fronts: Vec::new(),
            values: Vec::new(),
            live: Vec::new(),
            listings: Vec::new(),
            names: BTreeMap::new(),
            diagnostics: Vec::new(),
            open: vec![path.to_string()],
        }
    }

    /// Reads the body of a document: front matter first, then blocks. `path` is from the main document's folder.
    pub fn document(&mut self, source: &Arc<Source>, path: &str) -> Vec<Block> {
        let (front, body) = front_matter::read(source, &mut self.diagnostics);
        self.fronts.push(front);
        let file = self.fronts.len() - 1;
        let folder = folder_of(path);
        let (text, offset) = (&source.text()[body..], source.base() + body);
        Reader::new(self, source, text, offset, Syntax::Vine).in_file(file, folder).blocks()
    }

    /// Reads text that does not stand in a body as such; what is found in it is placed at `span`.
    pub fn inlines_at(&mut self, source: &Source, text: &str, span: Span) -> Vec<Inline> {
        let (values, found) = (self.values.len(), self.diagnostics.len());
        let inner = Source::new(source.name(), text);
        let inlines = Reader::new(self, &inner, text, 0, Syntax::Vine).inlines();
        self.values[values..].iter_mut().for_each(|value| value.span = span);
        self.diagnostics[found..].iter_mut().for_each(|d| d.span = Some(span));
        inlines.into_iter().map(|inline| placed(inline, span)).collect()
    }

    /// A file as text, added to the sources; what is wrong with it is found at `span`.
    pub fn read_source(&mut self, path: &str, span: Span) -> Option<Arc<Source>> {
        let bytes = self.read_bytes(path, span)?;
        match Source::from_bytes(path, bytes) {
            Ok(source) => Some(self.sources.add(source)),
            Err(error) => {
                let finding = Diagnostic::error(span, format!("{path}, line {}: {error}", error.line));
                self.diagnostics.push(finding.help("text files are read as UTF-8: save it as UTF-8 in your editor"));
                None
            }
        }
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
                self.diagnostics.push(Diagnostic::error(span, format!("the file {path} {what}")).help(help));
                None
            }
        }
    }

    /// Embeds the file an image names, by its path from the document's folder.
    pub fn embed(&mut self, target: &str, kind: Target, caption: Vec<Inline>, span: Span) -> Block {
        let nothing = Block::Embedded { blocks: Vec::new(), span, body: Span::default() };
        let (path, lines) = target.split_once("#L").map_or((target, None), |(path, lines)| (path, Some(lines)));
        let path = path.split('#').next().unwrap_or(path).to_string();
        match kind {
            Target::Document => {
                if self.open.contains(&path) {
                    let circle = self.open.iter().chain([&path]).cloned().collect::<Vec<_>>().join(" embeds ");
                    self.diagnostics.push(
                        Diagnostic::error(span, format!("{path} would embed itself"))
                            .help(format!("the circle is: {circle}. Take one of them out")),
                    );
                    return nothing;
                }
                let Some(source) = self.read_source(&path, span) else { return nothing };
                self.open.push(path.clone());
                let file = self.fronts.len();
                let blocks = self.document(&source, &path);
                self.open.pop();
                let front = self.fronts.get(file).map_or(0, |front| front.span.end);
                let body = Span::new(front.max(source.base()), source.end());
                Block::Embedded { blocks, span, body }
            }
            Target::Table => match self.read_source(&path, span) {
                Some(source) => Block::DataFile { path, text: source.text().into(), caption, span },
                None => nothing,
            },
            Target::Code | Target::Picture => match self.read_source(&path, span) {
                Some(source) => self.embed_code(&source, &path, lines, &caption, span).unwrap_or(nothing),
                None => nothing,
            },
        }
    }

    fn embed_code(
        &mut self,
        source: &Source,
        path: &str,
        lines: Option<&str>,
        caption: &[Inline],
        span: Span,
    ) -> Option<Block> {
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
                        self.diagnostics.push(
                            Diagnostic::error(span, format!("{path} has no lines {}", range.replace("-L", " to ")))
                                .help(format!("it has {last} {lines}; a range is written {path}#L10-L24")),
                        );
                        return None;
                    }
                }
            }
        };
        let code: String = (from..=to).map(|line| format!("{}\n", source.line(line))).collect();
        let mut fence = Fence { language: language_of(path).into(), ..Fence::default() };
        let mut set = |name, text: String| {
            fence.settings.set(name, Setting { value: OptionValue::Text(text), span, origin: Origin::Fence });
        };
        if !caption.is_empty() {
            set("caption", plain_text(caption));
        }
        let code_start = source.line_span(from).start;
        self.listings.push(FoundFence { fence, code, code_start, line: span, span, file: 0, embedded: true });
        Some(Block::Live(LISTING + self.listings.len() - 1))
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

/// An inline from text that stands nowhere in a source, with its span set to where it was written.
fn placed(inline: Inline, span: Span) -> Inline {
    let all = |inlines: Vec<Inline>| inlines.into_iter().map(|inline| placed(inline, span)).collect();
    match inline {
        Inline::Reference { name, content, .. } => Inline::Reference { name, content: all(content), span },
        Inline::Placement { name, caption, .. } => Inline::Placement { name, caption: all(caption), span },
        Inline::Image { target, title, alt, .. } => Inline::Image { target, title, alt: all(alt), span },
        Inline::Math { latex, display, .. } => Inline::Math { latex, display, span },
        Inline::Emphasis(content) => Inline::Emphasis(all(content)),
        Inline::Strong(content) => Inline::Strong(all(content)),
        Inline::Strike(content) => Inline::Strike(all(content)),
        Inline::Link { target, title, content } => Inline::Link { target, title, content: all(content) },
        other => other,
    }
}
