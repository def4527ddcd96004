//! A notebook: nbformat 4.5, its code cells in one language, with what they gave. Blocks of other languages stand between
//! them as text with their results.
//!
//! What the document says that a notebook has no place for stands under `vineloom` in the metadata of the notebook and of
//! its cells, so that a document can be made of it again.

mod literals;
mod outputs;

use crate::{Export, Exporter, Job, Want};
use outputs::{outputs, source};
use serde::Serialize;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use vineloom_document::options::{Format, Settings};
use vineloom_document::{Diagnostic, FencedLines};
use vineloom_woven::Word;
use vineloom_woven::{Block, FloatKind, Head, ProgramBlock, Run, TextPiece, Woven, escaped, plain_text};

/// A notebook.
#[derive(Debug, Clone, Copy)]
pub struct Notebook;

/// The options of a notebook.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct NotebookOptions {
    /// The language that runs there; that of the most blocks where none is asked for.
    pub language: Option<String>,
}

/// The file of a notebook.
#[derive(Serialize)]
struct NotebookFile<'a> {
    cells: &'a [Value],
    metadata: Value,
    nbformat: u8,
    nbformat_minor: u8,
}

/// What the program signs its notebooks with, in their metadata.
const MARK: &str = "\"woven_by\": \"Vine Loom\"";

impl Exporter for Notebook {
    type Options = NotebookOptions;

    fn format(&self) -> Format {
        Format::Notebook
    }

    fn is_quick(&self) -> bool {
        true
    }

    fn options(&self, settings: &Settings) -> NotebookOptions {
        NotebookOptions { language: settings.text("language").filter(|it| !it.is_empty()).map(str::to_lowercase) }
    }

    fn wants(&self, _woven: &Woven, _options: &NotebookOptions) -> Vec<Want> {
        vec![Want::Program, Want::Source]
    }

    fn export(&self, job: &Job<NotebookOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, .. } = *job;
        let Some(program) = &assets.program else {
            return Err(vec![Diagnostic::unplaced("the notebook is made from the blocks, which are missing")]);
        };
        let language = options.language.clone().unwrap_or_else(|| most_frequent(&program.blocks));
        let mut writer =
            Writer { language: &language, cells: Vec::new(), ids: BTreeMap::new(), count: 0, findings: Vec::new() };
        writer.title(&woven.head);
        let runs = runs(&woven.blocks);
        let blocks: BTreeMap<usize, &ProgramBlock> = program.blocks.iter().map(|block| (block.start, block)).collect();
        for piece in &program.pieces {
            match piece {
                TextPiece::Prose { start, end, text } => {
                    writer.prose(text);
                    // What stands in a quote or a list has run as well: without it, later cells would fail.
                    for (_, block) in blocks.range(*start..*end) {
                        if block.language == language && block.on_shared_strand {
                            writer.code(block, None, true);
                        }
                    }
                }
                TextPiece::Live { start, text, led_to } => {
                    let Some(block) = blocks.get(start) else { continue };
                    let run = runs.get(start).copied();
                    if block.language == language && block.on_shared_strand {
                        run.filter(|_| *led_to).into_iter().for_each(|run| writer.place(run));
                        writer.code(block, run, false);
                    } else {
                        writer.other(block, text, run.is_some());
                    }
                }
            }
        }
        let source = assets.source.as_ref().map(|file| String::from_utf8_lossy(&file.bytes).into_owned());
        let findings = std::mem::take(&mut writer.findings);
        let metadata = metadata(&woven.head, &language, source.as_deref());
        let notebook = NotebookFile { cells: &writer.cells, metadata, nbformat: 4, nbformat_minor: 5 };
        let mut bytes = Vec::new();
        let form = serde_json::ser::PrettyFormatter::with_indent(b" ");
        let mut serializer = serde_json::Serializer::with_formatter(&mut bytes, form);
        if let Err(error) = notebook.serialize(&mut serializer) {
            return Err(vec![Diagnostic::unplaced(format!("the notebook can't be written: {error}"))]);
        }
        bytes.push(b'\n');
        let folder = job.parts_folder();
        let part =
            |(name, picture): &(String, vineloom_woven::Picture)| (format!("{folder}/{name}"), picture.bytes.to_vec());
        let parts = program.pictures.iter().filter(|(name, _)| writer.names(name)).map(part).collect();
        Ok(Export { bytes, parts, findings, ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        let mark = MARK.as_bytes();
        file.trim_ascii_start().starts_with(b"{") && file.windows(mark.len()).any(|window| window == mark)
    }
}

/// The language of the most blocks.
fn most_frequent(blocks: &[ProgramBlock]) -> String {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for block in blocks.iter().filter(|block| block.language != "chart") {
        *counts.entry(&block.language).or_default() += 1;
    }
    let first = |language: &str| blocks.iter().position(|block| block.language == language).unwrap_or(usize::MAX);
    // Of two that are as frequent, the one that comes first.
    let most = counts.into_iter().max_by_key(|(language, count)| (*count, std::cmp::Reverse(first(language))));
    most.map_or_else(|| "python".into(), |(language, _)| language.into())
}

/// The live blocks of a tree that stand where they are written, by where they begin.
fn runs(blocks: &[Block]) -> BTreeMap<usize, &Run> {
    let mut runs: BTreeMap<usize, &Run> = BTreeMap::new();
    vineloom_woven::each_block(blocks, &mut |block| {
        if let Block::Run(run) = block {
            runs.entry(run.span.start).or_insert(run);
        }
    });
    runs
}

/// What links to a block lead to.
fn anchor(run: &Run) -> String {
    format!("<a id=\"{}\"></a>", crate::html::escape::attribute(run.id.as_str()))
}

/// What the notebook says of itself.
fn metadata(head: &Head, language: &str, source: Option<&str>) -> Value {
    let (name, shown) = match language {
        "python" => ("python3", "Python 3"),
        "r" => ("ir", "R"),
        "octave" => ("octave", "Octave"),
        "javascript" => ("javascript", "JavaScript"),
        "ruby" => ("ruby", "Ruby"),
        "bash" | "sh" => ("bash", "Bash"),
        other => (other, other),
    };
    let mut metadata = json!({
        "kernelspec": { "display_name": shown, "language": language, "name": name },
        "language_info": { "name": if language == "r" { "R" } else { language } },
    });
    let title = plain_text(&head.title);
    if !title.is_empty() {
        metadata["title"] = title.into();
    }
    if !head.authors.is_empty() {
        metadata["authors"] = head.authors.iter().map(|author| json!({ "name": author.name })).collect();
    }
    let front = source.and_then(front_matter).unwrap_or_default();
    metadata["vineloom"] = json!({ "woven_by": "Vine Loom", "front_matter": front });
    metadata
}

/// What stands between the marks of a document's front matter.
fn front_matter(source: &str) -> Option<&str> {
    let inside = source.trim_start_matches('\u{FEFF}').strip_prefix("+++")?.split_once('\n')?.1;
    let mut end = 0;
    for line in inside.split_inclusive('\n') {
        if line.trim_end() == "+++" {
            return Some(inside[..end].trim_end());
        }
        end += line.len();
    }
    None
}

struct Writer<'a> {
    language: &'a str,
    cells: Vec<Value>,
    /// The names of cells, and how often each was wanted.
    ids: BTreeMap<String, usize>,
    count: usize,
    findings: Vec<Diagnostic>,
}

impl Writer<'_> {
    /// A name for a cell that no other has.
    fn id(&mut self, wanted: &str) -> String {
        let plain: String =
            wanted.chars().map(|c| if c.is_ascii_alphanumeric() || c == '_' { c } else { '-' }).take(48).collect();
        let plain = if plain.is_empty() { "cell".to_string() } else { plain };
        loop {
            let count = self.ids.entry(plain.clone()).or_insert(0);
            *count += 1;
            let count = *count;
            let id = if count == 1 { plain.clone() } else { format!("{plain}-{count}") };
            // A block may be called as another one's name with a number is.
            if count == 1 || !self.ids.contains_key(&id) {
                self.ids.entry(id.clone()).or_insert(1);
                return id;
            }
        }
    }

    fn markdown(&mut self, id: &str, text: &str, vineloom: Option<Value>) {
        let id = self.id(id);
        let metadata = vineloom.map_or_else(|| json!({}), |own| json!({ "vineloom": own }));
        self.cells.push(json!({ "cell_type": "markdown", "id": id, "metadata": metadata, "source": source(text) }));
    }

    /// The title block, which the front matter says when the notebook becomes a document again.
    fn title(&mut self, head: &Head) {
        let mut lines = Vec::new();
        let (title, subtitle) = (plain_text(&head.title), plain_text(&head.subtitle));
        if !title.is_empty() {
            lines.push(format!("# {}", escaped(&title)));
        }
        if !subtitle.is_empty() {
            lines.push(format!("*{}*", escaped(&subtitle)));
        }
        let mut signed: Vec<String> = head.authors.iter().map(|author| escaped(&author.with_place())).collect();
        signed.extend(head.date.as_deref().map(escaped));
        signed.extend(
            head.licence.as_deref().map(|licence| escaped(&format!("{}: {licence}", head.words.word(Word::Licence)))),
        );
        if !signed.is_empty() {
            lines.push(signed.join(" · "));
        }
        if !lines.is_empty() {
            self.markdown("title", &lines.join("\n\n"), Some(json!({ "made": true })));
        }
    }

    /// Text, a cell a section.
    fn prose(&mut self, text: &str) {
        for part in sections(text) {
            self.markdown("text", part, None);
        }
    }

    /// A block in the language of the notebook.
    fn code(&mut self, block: &ProgramBlock, run: Option<&Run>, hidden: bool) {
        self.handed_in(block);
        self.count += 1;
        let id = self.id(block.header.split_whitespace().next().unwrap_or("").trim_start_matches('@'));
        let shown = run.is_some_and(|run| run.code.is_some() || run.transcript);
        let mut metadata = json!({});
        // One that stands within the text is there already, and is not made a block of again.
        metadata["vineloom"] = if hidden { json!({ "made": true }) } else { json!({ "block": block.header }) };
        if hidden || !shown {
            metadata["jupyter"] = json!({ "source_hidden": true });
        }
        let outputs = run.filter(|_| !hidden).map_or_else(Vec::new, |run| outputs(run, self.count));
        // Code is captioned above; what it gave stands in the cell of the code, so that its caption comes after that.
        let listing = run.filter(|run| run.float.as_ref().is_some_and(|float| float.kind == FloatKind::Listing));
        listing.into_iter().for_each(|run| self.caption(run));
        self.cells.push(json!({
            "cell_type": "code",
            "execution_count": self.count,
            "id": id,
            "metadata": metadata,
            "outputs": outputs,
            "source": source(&block.code),
        }));
        let result = run.filter(|_| listing.is_none());
        result.into_iter().for_each(|run| self.caption(run));
    }

    /// A place above a block, for one that has no caption to be that.
    fn place(&mut self, run: &Run) {
        if run.float.is_none() {
            self.markdown("place", &anchor(run), Some(json!({ "made": true })));
        }
    }

    fn caption(&mut self, run: &Run) {
        let Some(float) = &run.float else { return };
        let words = escaped(&plain_text(&float.caption));
        let words = format!("{}*{} {}.* {words}", anchor(run), float.word, float.number);
        self.markdown("caption", &words, Some(json!({ "made": true })));
    }

    /// What is handed to a block, as assignments in a cell before it.
    fn handed_in(&mut self, block: &ProgramBlock) {
        let mut lines = Vec::new();
        for (name, value) in &block.variables {
            let value: Option<Value> = value.as_deref().and_then(|value| serde_json::from_str(value).ok());
            match value.and_then(|value| literals::assignment(self.language, name, &value)) {
                Some(line) => lines.push(line),
                None => {
                    let message =
                        format!("what is handed in as `{name}` has no form in a notebook: its cell will not run there");
                    if self.findings.iter().all(|finding| finding.message != message) {
                        self.findings.push(Diagnostic::loss(message));
                    }
                }
            }
        }
        if lines.is_empty() {
            return;
        }
        self.count += 1;
        let id = self.id("handed-in");
        self.cells.push(json!({
            "cell_type": "code",
            "execution_count": self.count,
            "id": id,
            "metadata": { "jupyter": { "source_hidden": true }, "vineloom": { "made": true } },
            "outputs": [],
            "source": source(&lines.join("\n")),
        }));
    }

    /// A block of another language, as text with its results.
    fn other(&mut self, block: &ProgramBlock, text: &str, shown: bool) {
        let text = if shown { text.trim() } else { "" };
        let own = json!({ "language": block.language, "block": block.header, "code": block.code });
        self.markdown("block", text, Some(own));
    }

    /// Whether a cell names a picture that stands beside the notebook.
    fn names(&self, picture: &str) -> bool {
        self.cells.iter().any(|cell| {
            cell["source"]
                .as_array()
                .is_some_and(|lines| lines.iter().any(|line| line.as_str().is_some_and(|line| line.contains(picture))))
        })
    }
}

/// A text in parts, each beginning with a heading that stands behind one empty line, outside of fences.
fn sections(text: &str) -> Vec<&str> {
    let text = text.trim_matches(['\n', '\r']).trim_end();
    let mut parts = Vec::new();
    let mut begin = 0;
    let mut at = 0;
    let mut fences = FencedLines::default();
    for line in text.split_inclusive('\n') {
        let is_text = !fences.holds(line);
        let is_heading = is_text && line.starts_with('#') && line.trim_start_matches('#').starts_with(' ');
        let before = &text[begin..at];
        if is_heading && at > begin && before.ends_with("\n\n") && !before.ends_with("\n\n\n") {
            parts.push(before.trim_end_matches('\n'));
            begin = at;
        }
        at += line.len();
    }
    parts.push(&text[begin..]);
    parts.retain(|part| !part.trim().is_empty());
    parts
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_is_parted_at_headings_that_stand_alone_and_joins_again() {
        let text = "Before.\n\n# One\n\n```sh\n\n# no heading\n```\n\n## Two\nWords.\n# Close\n\n\n# Far\n";
        let parts = sections(text);
        assert_eq!(parts, ["Before.", "# One\n\n```sh\n\n# no heading\n```", "## Two\nWords.\n# Close\n\n\n# Far"]);
        assert_eq!(parts.join("\n\n"), text.trim_end());
        assert_eq!(sections("\n\n"), Vec::<&str>::new());
    }

    #[test]
    fn front_matter_is_what_stands_between_its_marks() {
        assert_eq!(front_matter("+++\ntitle = \"A\"\n+++\ntext"), Some("title = \"A\""));
        assert_eq!(front_matter("text\n+++\n"), None);
    }
}
