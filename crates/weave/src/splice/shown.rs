//! What a block gave, as it is shown.

use super::Splicer;
use crate::harmless;
use crate::pictures::Pictures;
use crate::prose::{Writing, number_style};
use crate::request::drawing_id;
use std::borrow::Cow;
use vineloom_document::options::{Origin, ReadAs, Show, Trim, Trimming};
use vineloom_document::{BlockIndex, Diagnostic, LiveBlock, Span, nearest, parse_printed};
use vineloom_interpreters::Piece;
use vineloom_table::Table;
use vineloom_terminal_text::{styled, without_colours};
use vineloom_woven as woven;
use vineloom_woven::{Code, Shown, TextKind, Vocabulary, Word};

/// Whether a piece of what a block gave is shown, where its text is read in some way.
fn shows(show: Show, read_as: ReadAs, piece: &Piece) -> bool {
    match piece {
        Piece::Text(_) if read_as == ReadAs::Table => show.tables,
        Piece::Text(_) | Piece::Value { .. } => show.text,
        Piece::Statement(_) => show.code,
        Piece::Notice(_) => show.notices,
        Piece::Failure { .. } => show.text || show.notices,
        Piece::Table(_) => show.tables,
        Piece::Figure(_) => show.figures,
    }
}

impl<'a> Splicer<'a> {
    pub(super) fn results_of(&mut self, index: BlockIndex) -> Vec<Shown> {
        let block = &self.document.live[index];
        let Some(outcome) = self.outcome(index) else { return Vec::new() };
        let (show, read_as) = (self.show(index), self.read_as(index));
        let alt = block.alt.as_ref().map(|alt| self.fill_for_reading(alt, Writing::Sentence).to_string());
        let mut shown = Vec::new();
        for piece in told_together(&outcome.pieces).iter().filter(|piece| shows(show, read_as, piece)) {
            match piece {
                Piece::Text(text) => match read_as {
                    ReadAs::Table => self.read_table(block, text, &mut shown),
                    ReadAs::Markdown => {
                        let text = self.with_drawing_id(index, text);
                        shown.push(Shown::Blocks(fragment(&text, block.span, self.pictures)));
                    }
                    ReadAs::Html => {
                        let html = without_colours(&self.with_drawing_id(index, text));
                        shown.push(Shown::Html { html, alt: alt.clone() });
                    }
                    ReadAs::Json => self.read_json(block, text, &mut shown),
                    ReadAs::Text => self.text(block, TextKind::Output, text, &mut shown),
                },
                Piece::Statement(text) => {
                    shown.push(Shown::Code(self.statement(&block.language, text)));
                }
                Piece::Value { text, .. } => self.text(block, TextKind::Value, text, &mut shown),
                Piece::Notice(text) => self.text(block, TextKind::Notice, text, &mut shown),
                Piece::Failure { text, .. } => {
                    self.text(block, TextKind::Failure, text, &mut shown);
                }
                Piece::Table(table) => {
                    shown.push(self.table(block, table.clone()));
                }
                Piece::Figure(picture) => {
                    shown.push(Shown::Figure { picture: picture.clone(), alt: alt.clone() });
                }
            }
        }
        self.check_columns(block, &shown);
        shown
    }

    /// What of a block is shown in these formats.
    pub(super) fn show(&self, index: BlockIndex) -> Show {
        // Of a block that failed while the rest went on all is shown.
        let failed = self.results.has_failed(index);
        let show = if failed { Show::EVERYTHING } else { self.document.live[index].options.show };
        Show { code: show.code && !self.without_code, ..show }
    }

    /// What a block printed until it failed need not be what it was to print.
    fn read_as(&self, index: BlockIndex) -> ReadAs {
        if self.results.has_failed(index) { ReadAs::Text } else { self.document.live[index].options.read_as }
    }

    /// Whether a block's code is shown in these formats.
    pub(super) fn shows_code(&self, index: BlockIndex) -> bool {
        self.document.live[index].options.show.code && !self.without_code
    }

    /// Whether a block gave something that is shown.
    pub(super) fn gives_what_is_shown(&self, index: BlockIndex) -> bool {
        let (show, read_as) = (self.show(index), self.read_as(index));
        self.outcome(index).is_some_and(|outcome| outcome.pieces.iter().any(|piece| shows(show, read_as, piece)))
    }

    /// Whether a block's code is told statement by statement among what it gave.
    pub(super) fn is_told_by_statements(&self, index: BlockIndex) -> bool {
        let told = |piece: &Piece| matches!(piece, Piece::Statement(_));
        self.outcome(index).is_some_and(|outcome| outcome.pieces.iter().any(told))
    }

    fn statement(&self, language: &str, text: &str) -> Code {
        let text = text.strip_suffix('\n').unwrap_or(text).to_string();
        Code { language: language.into(), text, first_line: None, mark: Vec::new() }
    }

    /// The text with an identifier of this document where `$VINELOOM_ID` was printed.
    fn with_drawing_id(&mut self, index: BlockIndex, text: &str) -> String {
        let while_running = drawing_id(&self.results.blocks[index].code);
        if !text.contains(&while_running) {
            return text.to_string();
        }
        let name = self.document.live[index]
            .name
            .as_ref()
            .map_or_else(|| format!("block-{}", index.number()), ToString::to_string);
        text.replace(&while_running, &self.ids.free(&format!("{name}-drawing")))
    }

    fn read_table(&mut self, block: &LiveBlock, text: &str, shown: &mut Vec<Shown>) {
        match Table::read(text) {
            Ok(table) => shown.push(self.table(block, table)),
            Err(error) => {
                let finding = Diagnostic::error(block.fence, format!("what the block printed is not a table: {error}"));
                self.diagnostics.push(
                    finding.help("`as=table` reads CSV, TSV, or a JSON list of objects; `as=text` shows it as it is"),
                );
            }
        }
    }

    /// A table as its block wants it shown.
    fn table(&self, block: &LiveBlock, table: Table) -> Shown {
        let style = number_style(self.document, &block.options.reading);
        trimmed_table(table.for_reading(style, &block.options.columns), block.options.trim, &self.words)
    }

    /// Tells of columns that a block's options name and that none of its tables has.
    fn check_columns(&mut self, block: &LiveBlock, shown: &[Shown]) {
        let tables =
            || shown.iter().filter_map(|shown| if let Shown::Table { table, .. } = shown { Some(table) } else { None });
        let known: Vec<&str> = tables().flat_map(|table| &table.columns).map(|column| column.name.as_str()).collect();
        let mut told: Vec<&str> = Vec::new();
        for name in named_columns(block).filter(|name| !known.is_empty() && !known.contains(name)) {
            if told.contains(&name) {
                continue;
            }
            told.push(name);
            let help = match nearest(name, known.iter().copied()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("its columns are {}", known.join(", ")),
            };
            let finding = Diagnostic::warning(block.fence, format!("its table has no column `{name}`"));
            self.diagnostics.push(finding.help(help));
        }
    }

    fn read_json(&mut self, block: &LiveBlock, text: &str, shown: &mut Vec<Shown>) {
        match serde_json::from_str::<serde_json::Value>(text) {
            Ok(value) => shown.push(Shown::Code(self.statement("json", &format!("{value:#}")))),
            Err(error) => {
                let finding = Diagnostic::error(block.fence, format!("what the block printed is not JSON: {error}"));
                self.diagnostics.push(finding.help("`as=json` takes one JSON value; `as=text` shows it as it is"));
            }
        }
    }

    fn text(&mut self, block: &LiveBlock, kind: TextKind, text: &str, shown: &mut Vec<Shown>) {
        let text = self.labels.shown(text);
        let text = text.strip_suffix('\n').unwrap_or(&text);
        let prefix = block.options.prefix.as_str();
        let text = match prefix {
            "" => Cow::Borrowed(text),
            _ => Cow::Owned(prefix.to_string() + &text.replace('\n', &format!("\n{prefix}"))),
        };
        let lines: Vec<&str> = text.split('\n').collect();
        let push = |lines: &[&str], shown: &mut Vec<Shown>| {
            if !lines.is_empty() {
                let (text, styles) = styled(&lines.join("\n"));
                shown.push(Shown::Text { kind, text, styles });
            }
        };
        match block.options.trim {
            Trimming::To(Trim { first, last }) if lines.len() > first + last => {
                push(&lines[..first], shown);
                let words = self.words.counted(Word::LinesLeftOut, lines.len() - first - last);
                shown.push(Shown::LeftOut { words });
                push(&lines[lines.len() - last..], shown);
            }
            _ => push(&lines, shown),
        }
    }
}

/// What a block gave. A language that shows every value, as R does, gives them among what it prints, as one piece of output.
fn told_together(pieces: &[Piece]) -> Cow<'_, [Piece]> {
    let values = pieces.iter().filter(|piece| matches!(piece, Piece::Value { .. })).count();
    if values < 2 || pieces.iter().any(|piece| matches!(piece, Piece::Statement(_))) {
        return Cow::Borrowed(pieces);
    }
    let mut together: Vec<Piece> = Vec::new();
    for piece in pieces {
        match (together.last_mut(), piece) {
            (Some(Piece::Text(before)), Piece::Text(text) | Piece::Value { text, .. }) => {
                if !before.ends_with('\n') && matches!(piece, Piece::Value { .. }) {
                    before.push('\n');
                }
                before.push_str(text);
            }
            (_, Piece::Value { text, .. }) => together.push(Piece::Text(text.clone())),
            _ => together.push(piece.clone()),
        }
        if let (Some(Piece::Text(text)), Piece::Value { .. }) = (together.last_mut(), piece) {
            text.push('\n');
        }
    }
    Cow::Owned(together)
}

/// The columns that a block's own options name. Those of defaults are for whichever table has them.
fn named_columns(block: &LiveBlock) -> impl Iterator<Item = &str> {
    let is_own = |option: &str| {
        let origin = block.settings.get(option).map(|setting| &setting.origin);
        matches!(origin, Some(Origin::Fence | Origin::BlockTable))
    };
    let own = is_own("digits") || is_own("align");
    block.options.columns.names().filter(move |_| own)
}

/// What stands where there is nothing to show.
pub(super) fn empty(words: &Vocabulary) -> Shown {
    Shown::LeftOut { words: words.word(Word::Empty).into() }
}

fn trimmed_table(mut table: Table, trimming: Trimming, words: &Vocabulary) -> Shown {
    let trim = match trimming {
        Trimming::To(trim) => Some(trim),
        Trimming::Usual if table.rows.len() > Trim::LONG_TABLE => Some(Trim::OF_TABLES),
        Trimming::Usual | Trimming::None => None,
    };
    if table.columns.is_empty() {
        return empty(words);
    }
    let mut cut = None;
    if let Some(Trim { first, last }) = trim
        && table.rows.len() > first + last
    {
        let rows = table.rows.len() - first - last;
        table.rows.drain(first..first + rows);
        cut = Some(woven::Cut { after: first, rows, words: words.counted(Word::RowsLeftOut, rows) });
    }
    Shown::Table { table, cut }
}

/// Markdown that a block printed, with harmless tags only.
fn fragment(text: &str, span: Span, pictures: &dyn Pictures) -> Vec<woven::Block> {
    let blocks = parse_printed(&without_colours(text));
    harmless::blocks(crate::printed_markdown::woven_markdown(&blocks, span), &|source| pictures.read(source).is_ok())
}
