//! The woven Markdown: results put into the author's own text, which is kept to the byte wherever nothing was
//! woven in.

use super::Splicer;
use crate::pictures::Pictures;
use crate::plan::Plan;
use crate::run::Results;
use crate::values::value_text;
use crate::woven::{self, Float, Picture, Shown};
use std::fmt::Write as _;
use vineloom_document::{Block, Diagnostic, Document, Inline, Part, Span, Template};
use vineloom_interpreters::{ColumnKind, Table};

/// A document as Markdown that any viewer shows.
#[derive(Debug, Clone)]
pub struct MarkdownText {
    /// The text.
    pub text: String,
    /// The pictures it names, by file name in its folder of parts.
    pub pictures: Vec<(String, Picture)>,
}

/// Puts results into the author's text. `parts` is the folder in which pictures will stand beside it.
pub fn splice_text(
    document: &Document,
    plan: &Plan,
    results: &Results,
    parts: &str,
    pictures: &dyn Pictures,
    diagnostics: &mut Vec<Diagnostic>,
) -> MarkdownText {
    let splicer = Splicer::new(document, plan, results, pictures, diagnostics);
    let main = document.sources.main();
    let mut editor = Editor { splicer, parts, edits: Vec::new(), pictures: Vec::new() };
    editor.blocks(&document.blocks);
    let mut text = editor.edited(Span::new(main.base(), main.end()));
    if !editor.splicer.citations.list_placed()
        && let Some(woven::Block::Works(works)) = editor.splicer.citations.list()
    {
        text.push('\n');
        for work in works {
            let _ = writeln!(text, "- {}{}", plain(&work.label), plain(&work.content));
        }
    }
    MarkdownText { text, pictures: editor.pictures }
}

struct Editor<'a, 'p> {
    splicer: Splicer<'a>,
    parts: &'p str,
    edits: Vec<(Span, String)>,
    pictures: Vec<(String, Picture)>,
}

impl<'a> Editor<'a, '_> {
    /// The text of a span of one source with the edits in it applied.
    fn edited(&mut self, span: Span) -> String {
        let source = self.splicer.document.sources.of(span.start);
        let mut edits: Vec<(Span, String)> = self
            .edits
            .iter()
            .filter(|(edit, _)| span.start <= edit.start && edit.end <= span.end && edit.start < edit.end)
            .cloned()
            .collect();
        edits.sort_by_key(|(edit, _)| (edit.start, std::cmp::Reverse(edit.end)));
        let mut text = String::new();
        let mut done = span.start;
        for (edit, replacement) in edits {
            if edit.start < done {
                continue;
            }
            text.push_str(source.slice(Span::new(done, edit.start)));
            text.push_str(&indented(
                &replacement,
                source.line(source.line_of(edit.start)),
                edit.start - source.line_span(source.line_of(edit.start)).start,
            ));
            done = edit.end;
        }
        text.push_str(source.slice(Span::new(done, span.end)));
        text
    }

    fn blocks(&mut self, blocks: &'a [Block]) {
        for block in blocks {
            self.block(block);
        }
    }

    fn block(&mut self, block: &'a Block) {
        match block {
            Block::Heading { content, .. } | Block::Paragraph { content, .. } => self.inlines(content),
            Block::Quote(blocks) | Block::Footnote { blocks, .. } => self.blocks(blocks),
            Block::Container(container) => self.blocks(&container.blocks),
            Block::List { items, .. } => items.iter().for_each(|item| self.blocks(&item.blocks)),
            Block::Table { header, rows, .. } => {
                header.iter().chain(rows.iter().flatten()).for_each(|cell| self.inlines(cell));
            }
            Block::Equation { latex, .. } => self.template(latex),
            Block::Embedded { blocks, span, body } => {
                self.blocks(blocks);
                if body.start < body.end {
                    let text = self.edited(*body);
                    self.edits.push((*span, text.trim_end().to_string()));
                }
            }
            Block::Live(index) => {
                let span = self.splicer.document.live[*index].span;
                let text = match self.splicer.live(*index) {
                    Some(woven::Block::Run(run)) => self.run(&run),
                    _ => String::new(),
                };
                self.edits.push((span, text.trim_end().to_string()));
            }
            Block::Placement { name, caption, span } => {
                if let Some(woven::Block::Run(run)) = self.splicer.placement(name, caption, *span) {
                    let text = self.run(&run);
                    self.edits.push((*span, text.trim_end().to_string()));
                }
            }
            Block::DataFile { path, text, caption, span } => {
                if let Some(woven::Block::Data { table, float, .. }) =
                    self.splicer.data_file(path, text, caption, *span)
                {
                    let text = table_text(&table) + &caption_text(float.as_ref());
                    self.edits.push((*span, text.trim_end().to_string()));
                }
            }
            Block::Listing(listing) => {
                if let Some(span) = listing.embedded {
                    let fence = fenced(&listing.language, listing.code.trim_end_matches('\n'));
                    self.edits.push((span, fence.trim_end().to_string()));
                }
            }
            Block::Rule | Block::Html { .. } => {}
        }
    }

    fn run(&mut self, run: &woven::Run) -> String {
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
                Shown::LeftOut { lines } => {
                    let _ = writeln!(text, "*{lines} more lines are left out here*");
                }
                Shown::Table { table, .. } => text.push_str(&table_text(table)),
                Shown::Figure { picture, alt } => {
                    let name = format!("{}-{}.{}", run.id, at + 1, picture.media.extension());
                    let words = alt.clone().or_else(|| run.float.as_ref().map(|float| plain(&float.caption)));
                    let words = escaped(&words.unwrap_or_default());
                    let _ = writeln!(text, "![{words}]({}/{name})", self.parts);
                    self.pictures.push((name, picture.clone()));
                }
                // What the block printed is Markdown already; it stands in its outcome as it was.
                Shown::Blocks(_) => text.push_str(&self.printed(run)),
            }
            text.push('\n');
        }
        text + &caption_text(run.float.as_ref())
    }

    /// The Markdown that the block of a run printed.
    fn printed(&self, run: &woven::Run) -> String {
        let document = self.splicer.document;
        let block =
            document.live.iter().position(|block| block.name.as_ref().is_some_and(|name| name.as_str() == run.id));
        block
            .and_then(|index| self.splicer.outcome(index))
            .map_or_else(String::new, |outcome| outcome.cited_text() + "\n")
    }

    fn inlines(&mut self, inlines: &'a [Inline]) {
        for inline in inlines {
            match inline {
                Inline::Value(value) => {
                    let text = escaped(&self.value(*value));
                    self.edits.push((self.splicer.document.values[*value].span, text));
                }
                Inline::Code(template) | Inline::Math { latex: template, .. } => self.template(template),
                Inline::Link { target, content, .. } => {
                    self.template(target);
                    self.inlines(content);
                }
                Inline::Image { target, alt, .. } => {
                    self.template(target);
                    self.inlines(alt);
                }
                Inline::Emphasis(content) | Inline::Strong(content) | Inline::Strike(content) => self.inlines(content),
                Inline::Reference { name, content, span } => {
                    let reference = self.splicer.reference(name, content, *span);
                    let text = match &reference {
                        woven::Inline::SectionReference { title, .. } => format!("“{}”", plain(title)),
                        other => plain(std::slice::from_ref(other)),
                    };
                    self.edits.push((*span, escaped(&text)));
                }
                Inline::Placement { name, caption, span } => {
                    let placed = self.splicer.inline_placement(name, caption);
                    let text = match placed {
                        woven::Inline::Image { picture, alt, .. } => {
                            let file = format!("{name}.{}", picture.media.extension());
                            let image = format!("![{}]({}/{file})", escaped(&alt), self.parts);
                            self.pictures.push((file, picture));
                            image
                        }
                        other => escaped(&plain(&[other])),
                    };
                    self.edits.push((*span, text));
                }
                Inline::Text(_) | Inline::Footnote(_) | Inline::Html(_) | Inline::SoftBreak | Inline::LineBreak => {}
            }
        }
    }

    fn template(&mut self, template: &Template) {
        for part in template {
            if let Part::Value(value) = part {
                let text = self.value(*value);
                self.edits.push((self.splicer.document.values[*value].span, text));
            }
        }
    }

    fn value(&self, value: usize) -> String {
        let results = self.splicer.results;
        value_text(value, self.splicer.document, &|index| {
            Some((results.outcomes[index].as_ref()?, results.codes[index].as_str()))
        })
    }
}

fn plain(inlines: &[woven::Inline]) -> String {
    woven::plain_text(inlines)
}

/// Text whose characters Markdown would read as markup.
fn escaped(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        if matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|' | '$' | '~' | '&') {
            escaped.push('\\');
        }
        escaped.push(if c == '\n' { ' ' } else { c });
    }
    escaped
}

/// A fenced block that no line of the text closes.
fn fenced(language: &str, text: &str) -> String {
    let longest =
        text.lines().map(|line| line.trim_start().bytes().take_while(|&b| b == b'`').count()).max().unwrap_or(0);
    let fence = "`".repeat(longest.max(2) + 1);
    format!("{fence}{language}\n{text}\n{fence}\n")
}

fn caption_text(float: Option<&Float>) -> String {
    float.map_or_else(String::new, |float| {
        format!("\n*{} {}. {}*\n", float.kind.word(), float.number, escaped(&plain(&float.caption)))
    })
}

fn table_text(table: &Table) -> String {
    let row = |cells: Vec<String>| format!("| {} |\n", cells.join(" | "));
    let cell = |text: &str| escaped(text);
    let mut text = row(table.columns.iter().map(|column| cell(&column.name)).collect());
    text.push_str(&row(table
        .columns
        .iter()
        .map(|c| if c.kind == ColumnKind::Number { "--:" } else { "---" }.into())
        .collect()));
    for cells in &table.rows {
        text.push_str(&row(cells.iter().map(|c| cell(c.as_deref().unwrap_or(""))).collect()));
    }
    text
}

/// Lines after the first stand as far in as the first does: in a list, in a quote.
fn indented(text: &str, line: &str, column: usize) -> String {
    let before = line.get(..column).unwrap_or("");
    if before.is_empty() || !text.contains('\n') {
        return text.to_string();
    }
    let prefix: String = before.chars().map(|c| if c == '>' || c == '\t' { c } else { ' ' }).collect();
    let mut lines = text.split('\n');
    let mut indented = lines.next().unwrap_or("").to_string();
    for line in lines {
        indented.push('\n');
        if !line.is_empty() || prefix.contains('>') {
            indented.push_str(&prefix);
        }
        indented.push_str(line);
    }
    indented
}
