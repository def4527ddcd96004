//! What can be wrong with names and values, known without running anything.

use crate::diagnostic::Diagnostic;
use crate::gather::Other;
use crate::holdings::Sought;
use crate::inline::{Inline, InlineKind, each_inline, plain_text};
use crate::name::{Name, nearest};
use crate::span::Span;
use crate::tree::{Block, Container, ContainerKind, Document, Item, LiveBlock, Named};
use crate::value_use::Wanted;
use crate::walk::{each_block, each_text};
use std::collections::BTreeMap;

/// The texts of the front matter that can be cited.
pub(crate) const DOC_FIELDS: [&str; 6] = ["title", "subtitle", "authors", "date", "language", "licence"];

/// All findings about names and values. `others` are the documents that something is taken from.
pub(crate) fn check(document: &Document, others: &[Other]) -> Vec<Diagnostic> {
    let mut check = Check { document, others, findings: Vec::new() };
    check.values();
    check.blocks(&document.blocks);
    if document.holds(Sought::References) || document.holds(Sought::Placements) {
        each_text(&document.blocks, &mut |text| check.inlines(text));
    }
    for block in &document.live {
        check.inlines(&block.caption);
    }
    check.findings
}

struct Check<'a> {
    document: &'a Document,
    others: &'a [Other],
    findings: Vec<Diagnostic>,
}

/// The finding for a name that nothing has.
pub(crate) fn unknown_name(
    span: Span,
    word: &str,
    names: &BTreeMap<Name, Named>,
    valued_only: bool,
    otherwise: &str,
) -> Diagnostic {
    let fits = |named: &Named| !valued_only || matches!(named, Named::Live(..) | Named::Parameter(_));
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

/// Whether an entry of a list begins with a term: a text in bold.
fn begins_with_term(block: &Block) -> bool {
    let Block::Paragraph { content, .. } = block else { return false };
    matches!(content.first().map(|inline| &inline.kind), Some(InlineKind::Strong(_)))
}

impl Check<'_> {
    fn values(&mut self) {
        for value in &self.document.values {
            let finding = match &value.wanted {
                Wanted::Unreadable(text, why) => {
                    let why = why.as_ref().map_or(String::new(), |why| format!(": {why}"));
                    Diagnostic::error(value.span, format!("`@[{text}]` can't be read{why}")).help(
                        "write @[name], @[name.code], @[name.exit], @[name(n=3)], @[python: 1 + 1], @[name digits=1] or @[doc.title]; `\\@[` is a plain `@[`",
                    )
                }
                Wanted::Doc(field) if !DOC_FIELDS.contains(&field.as_str()) => {
                    Diagnostic::error(value.span, format!("a document has no `{field}`"))
                        .help(format!("the fields are {}", DOC_FIELDS.join(", ")))
                }
                Wanted::Doc(_) | Wanted::Expression { .. } => continue,
                Wanted::Text(name) | Wanted::Code(name) | Wanted::Exit(name) | Wanted::Call(name, _) => {
                    match self.document.names.get(name) {
                        Some(Named::Live(..)) => continue,
                        Some(Named::Parameter(_)) if matches!(value.wanted, Wanted::Text(_)) => continue,
                        Some(_) => {
                            Diagnostic::error(value.span, format!("`@{name}` is not a block, so it has no value"))
                                .help(format!("to refer to it write [](@{name})"))
                        }
                        None => {
                            self.unknown(value.span, name.as_str(), true, "`\\@[` is a plain `@[`");
                            continue;
                        }
                    }
                }
            };
            self.findings.push(finding);
        }
    }

    fn blocks(&mut self, blocks: &[Block]) {
        each_block(blocks, &mut |block| match block {
            Block::Placement { name, span, .. } => self.block_name(name, *span),
            Block::Paragraph { span, .. } => self.names_of_no_code(*span),
            Block::Container(container) => self.container(container),
            _ => {}
        });
    }

    /// Lines of a script that are written as names of code and have none below them.
    fn names_of_no_code(&mut self, paragraph: Span) {
        let source = self.document.sources.of(paragraph.start);
        if !source.is_made_from_script() {
            return;
        }
        for line in source.line_of(paragraph.start)..=source.line_of(paragraph.end.saturating_sub(1)) {
            let text = source.line(line).trim();
            let mut words = text.split_whitespace();
            let is_name =
                words.next().and_then(|word| word.strip_prefix('@')).is_some_and(|name| Name::new(name).is_some());
            if is_name && words.all(|word| word.contains('=')) {
                let finding = Diagnostic::error(source.line_span(line), format!("`{text}` names no code"));
                self.findings
                    .push(finding.help("the code stands directly below its name, without an empty line between"));
            }
        }
    }

    fn container(&mut self, container: &Container) {
        let shows_title = matches!(
            container.kind,
            ContainerKind::Notice(_) | ContainerKind::Fold | ContainerKind::Figure | ContainerKind::Table
        );
        if !shows_title && !container.title.is_empty() {
            let title = plain_text(&container.title);
            let finding = Diagnostic::warning(container.span, format!("the title “{title}” is shown nowhere"));
            self.findings
                .push(finding.help("a container of this kind has no title: write it as a heading or a paragraph"));
        }
        if container.kind == ContainerKind::References && !container.blocks.is_empty() {
            let finding = Diagnostic::error(container.span, "what stands in this container is shown nowhere");
            self.findings.push(finding.help("the list of works cited takes its place: write the text above or below"));
        }
        let has_heading = || container.blocks.iter().any(|block| matches!(block, Block::Heading { .. }));
        if container.kind == ContainerKind::Tabs && !has_heading() {
            self.findings.push(
                Diagnostic::error(container.span, "these tabs have no headings")
                    .help("each heading inside becomes a tab: write for example `## Linux` above the first"),
            );
        }
        let columns = container.blocks.split(|block| matches!(block, Block::Rule)).count();
        if container.kind == ContainerKind::Columns && !container.widths.is_empty() && container.widths.len() != columns
        {
            let message = format!("there are {} widths for {columns} columns", container.widths.len());
            self.findings.push(
                Diagnostic::error(container.span, message)
                    .help("a line `---` divides columns; give each of them a width"),
            );
        }
        if container.kind == ContainerKind::Terms {
            let is_term = |item: &Item| item.blocks.first().is_some_and(begins_with_term);
            let all_terms = container.blocks.iter().all(|block| match block {
                Block::List { items, .. } => items.iter().all(is_term),
                _ => false,
            });
            if !all_terms || container.blocks.is_empty() {
                let finding = Diagnostic::error(container.span, "these terms are not a list of terms");
                self.findings.push(
                    finding.help("each entry begins with its term in bold: `- **Strand** One running interpreter.`"),
                );
            }
        }
        if container.kind == ContainerKind::Table
            && !container.blocks.iter().any(|b| {
                matches!(b, Block::Table { .. } | Block::DataFile { .. } | Block::Live(_) | Block::Placement { .. })
            })
        {
            self.findings.push(
                Diagnostic::error(container.span, "there is no table in this container")
                    .help("put a Markdown table between its lines"),
            );
        }
    }

    fn inlines(&mut self, inlines: &[Inline]) {
        each_inline(inlines, &mut |inline| match &inline.kind {
            InlineKind::Reference(reference) => self.reference(&reference.name, inline.span()),
            InlineKind::Placement(placement) => self.block_name(&placement.name, inline.span()),
            _ => {}
        });
    }

    fn reference(&mut self, word: &str, span: Span) {
        let names = &self.document.names;
        if names.contains_key(word) {
            return;
        }
        if let Some((block, line)) = word.split_once(':') {
            let finding = match names.get(block) {
                Some(Named::Live(..) | Named::Listing(_)) => {
                    let lines = self.document.named_lines(block).map(|(_, names)| names);
                    if lines.is_some_and(|names| names.contains_key(line)) {
                        return;
                    }
                    let known: Vec<&str> = lines.into_iter().flatten().map(|(name, _)| name.as_str()).collect();
                    let help = match nearest(line, known.iter().copied()) {
                        Some(near) => format!("did you mean `@{block}:{near}`?"),
                        None if known.is_empty() => format!("a comment at a line's end names it: `# @:{line}`"),
                        None => format!("its named lines are {}", known.join(", ")),
                    };
                    Diagnostic::error(span, format!("no line of `@{block}` is called `{line}`")).help(help)
                }
                _ => unknown_name(
                    span,
                    block,
                    names,
                    true,
                    "lines with names stand in live blocks and in listings with an `id`",
                ),
            };
            self.findings.push(finding);
            return;
        }
        self.unknown(span, word, false, "`{#name}` after a heading or an equation names it");
    }

    /// Tells of a name that nothing has: of this document, or of another one, where that could be read.
    fn unknown(&mut self, span: Span, word: &str, valued_only: bool, otherwise: &str) {
        let names = &self.document.names;
        let other = self.others.iter().find_map(|other| Some((other, other.scope.inside(word)?)));
        let finding = match other {
            None => unknown_name(span, word, names, valued_only, otherwise),
            Some((other, _)) if !other.is_read => return,
            Some((other, word)) => {
                let own: Vec<&str> = names.keys().filter_map(|name| other.scope.inside(name.as_str())).collect();
                let path = &other.path;
                let help = match nearest(word, own.iter().copied()) {
                    Some(near) => format!("did you mean {path}@{near}?"),
                    None if own.is_empty() => "none of its blocks has a name".into(),
                    None => format!("its blocks are {}", own.join(", ")),
                };
                Diagnostic::error(span, format!("{path} has no block `{word}`")).help(help)
            }
        };
        self.findings.push(finding);
    }

    fn block_name(&mut self, word: &str, span: Span) {
        let finding = match self.document.names.get(word) {
            Some(Named::Live(index, _)) => match self.problem_of_placing(&self.document.live[*index]) {
                Some((what, help)) => Diagnostic::error(span, format!("`@{word}` {what}")).help(help),
                None => return,
            },
            Some(_) => Diagnostic::error(span, format!("`@{word}` is not a block, so it has no result to put here"))
                .help(format!("to refer to it write [](@{word})")),
            None => return self.unknown(span, word, true, "a result comes from a live block"),
        };
        self.findings.push(finding);
    }

    fn problem_of_placing(&self, block: &LiveBlock) -> Option<(&'static str, &'static str)> {
        if !block.takes.is_empty() {
            return Some(("takes parameters and runs only when called", "cite a call of it in the text: @[name(n=3)]"));
        }
        None
    }
}
