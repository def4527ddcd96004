//! What is probably not meant, known without running anything: findings of `check` beyond plain errors.

use crate::diagnostic::Diagnostic;
use crate::holdings::Sought;
use crate::inline::{Inline, InlineKind, Part, each_inline, plain_text};
use crate::span::Span;
use crate::tree::{Block, ContainerKind, Document, LiveBlock, Role};
use crate::walk::{each_block, each_text};
use memchr::memmem;
use std::collections::BTreeSet;

/// Languages that do nothing but draw.
const DRAWING: [&str; 3] = ["chart", "dot", "gnuplot"];

/// All such findings, in the order of the text.
pub fn lint(document: &Document) -> Vec<Diagnostic> {
    let mut lint =
        Lint { document, findings: Vec::new(), heading: None, referred: BTreeSet::new(), placed: BTreeSet::new() };
    lint.headings(&document.blocks);
    lint.placements(&document.blocks);
    lint.listings(&document.blocks);
    let is_held =
        [Sought::References, Sought::Pictures, Sought::Links].into_iter().any(|sought| document.holds(sought));
    if is_held || document.sources.iter().any(|source| memmem::find(source.text().as_bytes(), b"[^").is_some()) {
        each_text(&document.blocks, &mut |text| lint.inlines(text));
    }
    lint.live_blocks();
    lint.findings.sort_by_key(|finding| finding.span.map_or(0, |span| span.start));
    lint.findings
}

struct Lint<'a> {
    document: &'a Document,
    findings: Vec<Diagnostic>,
    /// The level of the heading before.
    heading: Option<u8>,
    /// Names that are referred to.
    referred: BTreeSet<&'a str>,
    /// Names whose results are placed with a caption.
    placed: BTreeSet<&'a str>,
}

impl<'a> Lint<'a> {
    /// Headings, which are looked at in their order; the words on tabs are no sections of the document.
    fn headings(&mut self, blocks: &'a [Block]) {
        for block in blocks {
            match block {
                Block::Heading { level, span, .. } => self.heading(*level, *span),
                Block::Container(container) if container.kind == ContainerKind::Tabs => {}
                Block::Container(container) => self.headings(&container.blocks),
                Block::Embedded { blocks, .. } => self.headings(blocks),
                _ => {}
            }
        }
    }

    fn placements(&mut self, blocks: &'a [Block]) {
        each_block(blocks, &mut |block| {
            if let Block::Placement { name, caption, .. } = block
                && !caption.is_empty()
            {
                self.placed.insert(name);
            }
        });
    }

    fn heading(&mut self, level: u8, span: Span) {
        if let Some(before) = self.heading
            && level > before + 1
        {
            let marks = "#".repeat(usize::from(before) + 1);
            self.findings.push(
                Diagnostic::warning(span, format!("this heading skips from level {before} to level {level}"))
                    .help(format!("write `{marks}`, so that contents and screen readers show it where it belongs")),
            );
        }
        self.heading = Some(level);
    }

    fn inlines(&mut self, inlines: &'a [Inline]) {
        each_inline(inlines, &mut |inline| {
            let span = inline.span();
            match &inline.kind {
                InlineKind::Reference(reference) => {
                    self.referred.insert(&reference.name);
                }
                InlineKind::Image(image) => {
                    if plain_text(&image.alt).trim().is_empty() {
                        self.findings.push(
                            Diagnostic::warning(span, "this picture has no alternative text")
                                .help("say between the brackets what it shows, for those who can't see it"),
                        );
                    }
                    if let Some(Part::Text(path)) = image.target.first() {
                        self.absolute_path(path, span);
                    }
                }
                InlineKind::Link(link) => {
                    self.link_without_words(&link.content, &link.target, span);
                    if let Some(Part::Text(path)) = link.target.first()
                        && path.starts_with("file:")
                    {
                        self.findings.push(
                            Diagnostic::warning(span, format!("the link {path} leads to a file of this computer"))
                                .help("no reader elsewhere can follow it"),
                        );
                    }
                }
                InlineKind::Text(text) => self.footnotes_without_text(text, span),
                _ => {}
            }
        });
    }

    /// A link that no reader sees.
    fn link_without_words(&mut self, content: &[Inline], target: &[Part], span: Span) {
        if !content.iter().all(|inline| matches!(&inline.kind, InlineKind::Text(text) if text.trim().is_empty())) {
            return;
        }
        let place = match target {
            [Part::Text(target)] => target.strip_prefix('#'),
            _ => None,
        };
        let help = match place {
            Some(name) if self.document.names.contains_key(name) => {
                format!("`[](@{name})` says its number or its title")
            }
            // It may lead nowhere, which says more.
            Some(_) => return,
            None => "write them between the brackets".into(),
        };
        self.findings.push(Diagnostic::warning(span, "this link has no words, so nobody sees it").help(help));
    }

    /// What is said of listings that never run.
    fn listings(&mut self, blocks: &'a [Block]) {
        each_block(blocks, &mut |block| {
            if let Block::Listing(listing) = block {
                let code = [Part::Text(listing.code.as_str().into())];
                self.marks_beyond_the_end(&code, &listing.options.mark, listing.span);
            }
        });
    }

    fn absolute_path(&mut self, path: &str, span: Span) {
        if path.starts_with('/') && !path.starts_with("//") || has_drive(path) {
            self.findings.push(
                Diagnostic::warning(
                    span,
                    format!("`{path}` is an absolute path, which is there on this computer only"),
                )
                .help("put the file beside the document and name it from there"),
            );
        }
    }

    /// A block that is sure to draw, and does not say what.
    fn figure_without_words(&mut self, block: &LiveBlock) {
        let draws = DRAWING.contains(&block.language.as_str()) || block.options.figure.is_some();
        if draws && block.options.show.figures && block.alt.is_none() {
            self.findings.push(
                Diagnostic::warning(block.fence, "this figure has no alternative text")
                    .help("say what it shows, for those who can't see it: `alt=\"…\"`; `alt=\"\"` for an ornament"),
            );
        }
    }

    /// Lines to stress that the code does not have. A value may hold any number of lines.
    fn marks_beyond_the_end(&mut self, code: &[Part], mark: &[(u32, u32)], span: Span) {
        let [Part::Text(code)] = code else { return };
        let lines = code.lines().count() as u32;
        if let Some((_, last)) = mark.iter().find(|(_, last)| *last > lines) {
            let count = if lines == 1 { "1 line".into() } else { format!("{lines} lines") };
            self.findings.push(
                Diagnostic::warning(span, format!("`mark` names line {last}, and the code has {count}"))
                    .help("lines are counted from 1, in the code as the reader sees it"),
            );
        }
    }

    /// A footnote that is referred to and has no text: the reader would see the brackets.
    fn footnotes_without_text(&mut self, text: &str, span: Span) {
        for (at, _) in text.match_indices('[').filter(|(at, _)| text[*at..].starts_with("[^")) {
            let Some(end) = text[at..].find(']') else { continue };
            let name = &text[at + 2..at + end];
            if !name.is_empty() && !name.contains(char::is_whitespace) {
                self.findings.push(
                    Diagnostic::warning(span, format!("no footnote is called `{name}`"))
                        .help(format!("write its text in a paragraph of its own: `[^{name}]: …`")),
                );
            }
        }
    }

    fn live_blocks(&mut self) {
        let document = self.document;
        let used: BTreeSet<&str> =
            document.values.iter().filter_map(|value| value.wanted.name()).map(|n| n.as_str()).collect();
        for block in document.live.iter().filter(|block| block.role == Role::Shown) {
            self.absolute_paths_in_code(block);
            self.figure_without_words(block);
            self.marks_beyond_the_end(&block.code, &block.options.mark, block.fence);
            let Some(name) = &block.name else { continue };
            let captioned = !block.caption.is_empty() || self.placed.contains(name.as_str());
            if captioned && !self.referred.contains(name.as_str()) {
                self.findings.push(
                    Diagnostic::hint(
                        block.fence,
                        format!("nothing refers to `@{name}`, which has a caption and a number"),
                    )
                    .help(format!("refer to it in the text with [](@{name})")),
                );
            }
            if !block.takes.is_empty() && !used.contains(name.as_str()) {
                self.findings.push(
                    Diagnostic::hint(
                        block.fence,
                        format!("`@{name}` takes parameters and is never called, so it never runs"),
                    )
                    .help(format!("call it in the text: @[{name}(…)]")),
                );
            }
        }
    }

    /// Quoted absolute paths that can hardly be anything else: below a home or a mounted disk.
    fn absolute_paths_in_code(&mut self, block: &LiveBlock) {
        let source = self.document.sources.of(block.code_start);
        let first = source.line_of(block.code_start);
        let text: String =
            block.code.iter().map(|part| if let Part::Text(text) = part { text.as_str() } else { "" }).collect();
        for (at, line) in text.lines().enumerate() {
            for path in line.split(['"', '\'', ' ', '=', '(', ')', ',']) {
                let below =
                    ["/home/", "/Users/", "/mnt/", "/media/", "/root/"].iter().any(|folder| path.starts_with(folder));
                if below || has_drive(path) {
                    self.findings.push(
                        Diagnostic::warning(
                            source.line_span(first + at),
                            format!("`{path}` is an absolute path, which is there on this computer only"),
                        )
                        .help("put the file beside the document and name it from there"),
                    );
                }
            }
        }
    }
}

fn has_drive(path: &str) -> bool {
    let mut chars = path.chars();
    chars.next().is_some_and(|c| c.is_ascii_alphabetic())
        && chars.next() == Some(':')
        && matches!(chars.next(), Some('\\' | '/'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Source, parse};

    fn found(text: &str) -> Vec<(usize, String)> {
        let document = parse(Source::new("t.md", text)).document;
        let line = |d: &Diagnostic| document.sources.line_of(d.span.unwrap().start);
        lint(&document).iter().map(|d| (line(d), d.message.clone())).collect()
    }

    #[test]
    fn what_is_probably_not_meant_is_found() {
        let text = "# A\n\n### B\n\n![](x.png)\n\n```sh @f caption=\"c\"\ncat /home/me/x.csv \"C:\\\\x\"\n```\n";
        let messages = found(text);
        assert_eq!(messages.iter().map(|(line, _)| *line).collect::<Vec<_>>(), [3, 5, 7, 8, 8]);
        assert!(messages[0].1.contains("skips from level 1 to level 3"));
        assert!(messages[1].1.contains("no alternative text"));
        assert!(messages[2].1.contains("nothing refers to `@f`"));
    }

    #[test]
    fn a_figure_that_says_nothing_is_found_where_it_is_sure_to_be_drawn() {
        let words = |fence: &str| found(&format!("```{fence}\nx\n```\n")).len();
        assert_eq!([words("chart @a"), words("dot @a"), words("sh @a figure=a.png")], [1, 1, 1]);
        assert_eq!([words("chart @a alt=\"Falling\""), words("dot @a alt=\"\""), words("python @a")], [0, 0, 0]);
        assert_eq!(words("chart @a show=none"), 0);
    }

    #[test]
    fn a_sound_document_has_no_findings() {
        assert_eq!(
            found("# A\n\n## B\n\n![A probe](x.png)\n\n```sh @f caption=\"c\"\nls /usr/bin\n```\nSee [](@f).\n"),
            []
        );
    }
}
