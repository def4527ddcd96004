//! The woven Markdown: results put into the author's own text, which is kept to the byte wherever nothing was
//! woven in.

use super::Splicer;
use crate::harmless;
use crate::pictures::Pictures;
use crate::plan::Plan;
use crate::prose::Writing;
use crate::run::Results;
use crate::values::{read_text, value_text};
use std::fmt::Write as _;
use vineloom_document::{
    Block, BlockIndex, Diagnostic, Document, Inline, InlineKind, Part, Span, Template, ValueIndex, each_block,
    each_inline, each_text, parse_printed,
};
use vineloom_table::{ColumnKind, Table};
use vineloom_woven as woven;
use vineloom_woven::{Cut, Float, Picture, Shown, WovenText};

/// Puts results into the author's text. `parts` is the folder in which pictures will stand beside it.
pub fn splice_text(
    document: &Document,
    plan: &Plan,
    results: &Results,
    parts: &str,
    pictures: &dyn Pictures,
    diagnostics: &mut Vec<Diagnostic>,
) -> WovenText {
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
            let _ = writeln!(text, "- {}{}", escaped(&plain(&work.label)), escaped(&plain(&work.content)));
        }
    }
    WovenText { text, pictures: editor.pictures }
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
            Block::Equation { latex, .. } => self.formula(latex),
            Block::Embedded { blocks, span, body } => {
                self.blocks(blocks);
                if body.start < body.end {
                    let text = self.edited(*body);
                    // The empty lines after its front matter are none of the text.
                    let text = text.trim_start_matches(['\r', '\n']).trim_end();
                    self.edits.push((*span, text.to_string()));
                }
            }
            Block::Live(index) => {
                let span = self.splicer.document.live[*index].span;
                let text = match self.splicer.live(*index) {
                    Some(woven::Block::Run(run)) => self.run(&run, *index),
                    _ => String::new(),
                };
                self.edits.push((span, text.trim_end().to_string()));
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
                    let text = table_text(&table, None) + &caption_text(float.as_ref());
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

    fn run(&mut self, run: &woven::Run, index: BlockIndex) -> String {
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
                Shown::Table { table, cut } => text.push_str(&table_text(table, *cut)),
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
        text + &caption_text(run.float.as_ref())
    }

    /// The Markdown that a block printed.
    fn printed(&self, index: BlockIndex) -> String {
        let printed = self.splicer.outcome(index);
        printed.map_or_else(String::new, |outcome| with_harmless_tags(&outcome.cited_text()) + "\n")
    }

    fn inlines(&mut self, inlines: &'a [Inline]) {
        for inline in inlines {
            let span = inline.span;
            match &inline.kind {
                InlineKind::Value(value) => {
                    let text = escaped(&self.read(*value, Writing::Sentence));
                    self.edits.push((span, text));
                }
                InlineKind::Code(template) => self.code(template),
                InlineKind::Math { latex, .. } => self.formula(latex),
                InlineKind::Link { target, .. } | InlineKind::Image { target, .. } => {
                    self.template(target, in_target);
                    self.inlines(inline.children());
                }
                InlineKind::Emphasis(_) | InlineKind::Strong(_) | InlineKind::Strike(_) => {
                    self.inlines(inline.children());
                }
                InlineKind::Reference { name, content } => {
                    let reference = self.splicer.reference(name, content, span);
                    let text = match &reference {
                        woven::InlineKind::SectionReference { title, .. } => format!("“{}”", plain(title)),
                        _ => plain(&[woven::Inline::new(reference, span)]),
                    };
                    self.edits.push((span, escaped(&text)));
                }
                InlineKind::Placement { name, caption } => {
                    let text = match self.splicer.inline_placement(name, caption) {
                        woven::InlineKind::Image { picture, alt, .. } => {
                            let file = format!("{name}.{}", picture.media.extension());
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
    fn template(&mut self, template: &Template, form: fn(&str) -> String) {
        for part in template {
            if let Part::Value(value) = part {
                let text = form(&self.value(*value));
                self.edits.push((self.splicer.document.value(*value).span, text));
            }
        }
    }

    /// The same in a formula, as its reader sees them.
    fn formula(&mut self, template: &Template) {
        for part in template {
            if let Part::Value(value) = part {
                let text = in_formula(&self.read(*value, Writing::Formula));
                self.edits.push((self.splicer.document.value(*value).span, text));
            }
        }
    }

    /// The same in code. A value with backticks needs a longer fence around the whole.
    fn code(&mut self, template: &Template) {
        let values = template.iter().filter_map(|part| if let Part::Value(value) = part { Some(*value) } else { None });
        let values: Vec<ValueIndex> = values.collect();
        let Some(first) = values.first().filter(|_| values.iter().any(|&value| self.value(value).contains('`'))) else {
            return self.template(template, |value| value.replace('\n', " "));
        };
        let span = self.splicer.document.value(*first).span;
        let source = self.splicer.document.sources.of(span.start);
        let line = source.line_span(source.line_of(span.start));
        let written = source.slice(line);
        let at = span.start - line.start;
        // The fences: the runs of backticks before the first value and, of the same length, after it.
        let before = &written[..at];
        let end = before.rfind('`').map_or(0, |last| last + 1);
        let length = before[..end].bytes().rev().take_while(|&byte| byte == b'`').count();
        let fence = "`".repeat(length.max(1));
        let after = written[at..].find(&fence).map_or(written.len(), |found| at + found + fence.len());
        let whole = Span::new(line.start + end.saturating_sub(length), line.start + after);
        let part = |part: &Part| match part {
            Part::Text(text) => text.clone(),
            Part::Value(value) => self.value(*value),
        };
        let code: String = template.iter().map(part).collect();
        self.edits.push((whole, spanned(&code.replace('\n', " "))));
    }

    fn read(&self, value: ValueIndex, writing: Writing) -> String {
        let results = self.splicer.results;
        read_text(value, self.splicer.document, &|index| results.cited(index), writing)
    }

    fn value(&self, value: ValueIndex) -> String {
        let results = self.splicer.results;
        value_text(value, self.splicer.document, &|index| results.cited(index))
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

/// A code span that nothing in the code ends.
fn spanned(code: &str) -> String {
    let runs = code.split(|c| c != '`').map(str::len);
    let fence = "`".repeat(runs.max().unwrap_or(0) + 1);
    format!("{fence} {code} {fence}")
}

/// A value in a formula: nothing in it begins a tag for a reader of Markdown that knows no formulas, and nothing ends
/// the formula.
fn in_formula(value: &str) -> String {
    value.replace('\n', " ").replace('$', "\\$").replace('<', "< ").replace('`', "'")
}

/// A value in the target of a link: one word, and no address that would run something.
fn in_target(value: &str) -> String {
    let word = encoded(value);
    let scheme = value.chars().filter(|c| !c.is_whitespace() && !c.is_control()).collect::<String>().to_lowercase();
    let runs = ["javascript:", "vbscript:", "data:"].iter().any(|scheme_| scheme.starts_with(scheme_));
    if runs { format!("#{}", word.replace(':', "%3A")) } else { word }
}

/// An address with what would end it percent-encoded.
fn encoded(target: &str) -> String {
    let mut encoded = String::with_capacity(target.len());
    for c in target.chars() {
        match c {
            ' ' | '(' | ')' | '<' | '>' | '"' | '\'' | '\\' | '`' | '[' | ']' => {
                let _ = write!(encoded, "%{:02X}", u32::from(c));
            }
            c if c.is_control() => {}
            c => encoded.push(c),
        }
    }
    encoded
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
    let mut look = |html: &String| {
        if !harmless::is_harmless(html) {
            found.push(html.clone());
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

fn table_text(table: &Table, cut: Option<Cut>) -> String {
    let row = |cells: Vec<String>| format!("| {} |\n", cells.join(" | "));
    let mut text = row(table.columns.iter().map(|column| escaped(&column.name)).collect());
    let align = |kind: ColumnKind| if kind.aligns_right() { "--:" } else { "---" };
    text.push_str(&row(table.columns.iter().map(|column| align(column.kind).into()).collect()));
    let left_out = |at: usize| {
        let words = cut.filter(|cut| cut.after == at).map(|cut| format!("*{}*", cut.words()))?;
        Some(row((0..table.columns.len())
            .map(|column| if column == 0 { words.clone() } else { String::new() })
            .collect()))
    };
    for (at, cells) in table.rows.iter().enumerate() {
        text.extend(left_out(at));
        text.push_str(&row(cells.iter().map(|cell| escaped(cell.as_deref().unwrap_or(""))).collect()));
    }
    text.extend(left_out(table.rows.len()));
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
