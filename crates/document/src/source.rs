//! The text of a document and the places in it.

use crate::span::Span;
use memchr::memchr_iter;
use serde::Serialize;
use std::sync::Arc;

/// A text with the name its reader knows it by.
///
/// A document may be put together from several files. Each of them takes up a range of positions of its own,
/// one after the other, so that a [`Span`] alone says which file it lies in: positions here start at
/// [`Source::base`].
#[derive(Debug, Clone)]
pub struct Source {
    name: String,
    base: usize,
    text: String,
    line_starts: Vec<usize>,
    /// What the text was made from, when it is not what its writer sees.
    written: Option<Arc<Written>>,
}

/// What a writer sees of a text that was made from it.
#[derive(Debug)]
struct Written {
    text: String,
    line_starts: Vec<usize>,
    /// For each line of the text, the 1-based line of this one.
    lines: Vec<usize>,
}

/// Where the lines of a text start, in bytes.
fn line_starts(text: &str) -> Vec<usize> {
    std::iter::once(0).chain(memchr_iter(b'\n', text.as_bytes()).map(|at| at + 1)).collect()
}

/// A text in which a CR alone is an LF: it ends a line in Markdown, and whoever reads the text is to see the same lines.
/// Every position stays true.
fn with_known_line_ends(text: String) -> String {
    if !text.contains('\r') {
        return text;
    }
    text.split("\r\n").map(|part| part.replace('\r', "\n")).collect::<Vec<_>>().join("\r\n")
}

/// Bytes that are not UTF-8, and where.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("byte {byte} of line {line} is not UTF-8 (0x{value:02X})")]
pub struct NotUtf8 {
    /// 1-based line.
    pub line: usize,
    /// 1-based byte within that line.
    pub byte: usize,
    /// The offending byte.
    pub value: u8,
}

impl Source {
    /// A source from text; `name` is what messages call it, usually its path.
    pub fn new(name: impl Into<String>, text: impl Into<String>) -> Self {
        let text = with_known_line_ends(text.into());
        let line_starts = line_starts(&text);
        Source { name: name.into(), base: 0, text, line_starts, written: None }
    }

    /// The same source with its positions starting at `base`.
    #[must_use]
    pub fn at(mut self, base: usize) -> Self {
        self.base = base;
        self
    }

    /// The position of its first byte.
    pub fn base(&self) -> usize {
        self.base
    }

    /// The position after its last byte.
    pub fn end(&self) -> usize {
        self.base + self.text.len()
    }

    /// A source from the bytes of a file.
    ///
    /// # Errors
    /// [`NotUtf8`] with the line and the byte in it, when the bytes are not UTF-8.
    pub fn from_bytes(name: impl Into<String>, bytes: Vec<u8>) -> Result<Self, NotUtf8> {
        match String::from_utf8(bytes) {
            Ok(text) => Ok(Source::new(name, text)),
            Err(error) => {
                let at = error.utf8_error().valid_up_to();
                let bytes = error.as_bytes();
                let line_start = bytes[..at].iter().rposition(|&b| b == b'\n').map_or(0, |p| p + 1);
                Err(NotUtf8 {
                    line: bytes[..at].iter().filter(|&&b| b == b'\n').count() + 1,
                    byte: at - line_start + 1,
                    value: bytes[at],
                })
            }
        }
    }

    /// Says that the text was made from another, line by line: places are then shown in that one.
    #[must_use]
    pub fn made_from(mut self, text: String, lines: Vec<usize>) -> Self {
        self.written = Some(Arc::new(Written { line_starts: line_starts(&text), text, lines }));
        self
    }

    /// Whether the text was made from a script.
    pub fn is_made_from_script(&self) -> bool {
        self.written.is_some()
    }

    /// The text as its writer sees it.
    pub fn written_text(&self) -> &str {
        self.written.as_ref().map_or(&self.text, |written| &written.text)
    }

    /// The 1-based line of [`Source::written_text`] that holds byte `at` of it, and where that line starts.
    pub fn written_line_at(&self, at: usize) -> (usize, usize) {
        let starts = self.written.as_ref().map_or(&self.line_starts, |written| &written.line_starts);
        let line = starts.partition_point(|&start| start <= at);
        (line, starts[line - 1])
    }

    /// The 1-based line as its writer counts, of a 1-based line of the text.
    pub fn written_line(&self, line: usize) -> usize {
        match &self.written {
            Some(written) => written.lines.get(line.saturating_sub(1)).copied().unwrap_or(line),
            None => line,
        }
    }

    /// A span within one line as a range of bytes in [`Source::written_text`].
    pub fn written_range(&self, span: Span) -> std::ops::Range<usize> {
        let line = self.line_of(span.start);
        let whole = self.line_span(line);
        let length = self.line(line).len();
        let (start, end) = (span.start.saturating_sub(whole.start), span.end.saturating_sub(whole.start));
        let (start, end) = (start.min(length), end.clamp(start.min(length), length));
        let Some(written) = &self.written else {
            let local = whole.start - self.base;
            return local + start..local + end;
        };
        let number = self.written_line(line);
        let starts = written.line_starts.get(number.saturating_sub(1));
        let offset = starts.copied().unwrap_or(written.text.len());
        let shown = written.text[offset..].lines().next().unwrap_or("");
        // The line as it was made stands at the end of the one it was made from, if it stands there at all.
        match shown.rfind(self.line(line)) {
            Some(shift) => offset + shift + start..offset + shift + end,
            None => offset..offset + shown.len(),
        }
    }

    /// What messages call this source.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// How many lines there are; a text that ends in a newline has an empty last one.
    pub fn line_count(&self) -> usize {
        self.line_starts.len()
    }

    /// The 1-based line that holds byte `at`.
    pub fn line_of(&self, at: usize) -> usize {
        self.line_starts.partition_point(|&start| start <= at.saturating_sub(self.base))
    }

    /// The bytes of a 1-based line, without its line end. Lines past the last are empty.
    pub fn line_span(&self, line: usize) -> Span {
        let Some(&start) = self.line_starts.get(line.saturating_sub(1)) else {
            return Span::new(self.end(), self.end());
        };
        let end = self.line_starts.get(line).map_or(self.text.len(), |next| next - 1);
        let end = if end > start && self.text.as_bytes()[end - 1] == b'\r' { end - 1 } else { end };
        Span::new(start, end).shifted(self.base)
    }

    /// The text of a 1-based line, without its line end.
    pub fn line(&self, line: usize) -> &str {
        self.slice(self.line_span(line))
    }

    /// The text of a span. Empty when the span does not lie on character boundaries.
    pub fn slice(&self, span: Span) -> &str {
        let local = |at: usize| at.saturating_sub(self.base);
        self.text.get(local(span.start)..local(span.end)).unwrap_or("")
    }
}

/// A place in a text as editors and people count: lines and columns from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Position {
    /// The line.
    pub line: usize,
    /// The column in characters.
    pub column: usize,
    /// The column in bytes of UTF-8.
    pub utf8: usize,
    /// The column in units of UTF-16, as the protocol of editors counts by default.
    pub utf16: usize,
}

/// A place as its writer sees it: the file, the first and the last position, end exclusive.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Location {
    /// What the file is called.
    pub file: String,
    /// The first character.
    pub start: Position,
    /// One past the last character.
    pub end: Position,
}

/// The position of a byte of the text that a writer sees.
fn position(source: &Source, at: usize) -> Position {
    let (line, line_start) = source.written_line_at(at);
    let before = &source.written_text()[line_start..at];
    Position {
        line,
        column: before.chars().count() + 1,
        utf8: before.len() + 1,
        utf16: before.chars().map(char::len_utf16).sum::<usize>() + 1,
    }
}

/// All the files a document is put together from, the document itself first.
#[derive(Debug, Clone, Default)]
pub struct Sources(Vec<Arc<Source>>);

impl Sources {
    /// Adds a file after those that are there, and returns it at its place.
    pub fn add(&mut self, source: impl Into<Arc<Source>>) -> Arc<Source> {
        let base = self.0.last().map_or(0, |last| last.end() + 1);
        let mut source = source.into();
        if source.base() != base {
            Arc::make_mut(&mut source).base = base;
        }
        self.0.push(Arc::clone(&source));
        source
    }

    /// All files, in the order of their positions.
    pub fn iter(&self) -> impl Iterator<Item = &Source> {
        self.0.iter().map(Arc::as_ref)
    }

    /// The document itself.
    ///
    /// # Panics
    /// When nothing was added.
    pub fn main(&self) -> &Source {
        &self.0[0]
    }

    /// The file that holds a position.
    ///
    /// # Panics
    /// When nothing was added.
    pub fn of(&self, at: usize) -> &Source {
        let index = self.0.partition_point(|source| source.base() <= at);
        &self.0[index.saturating_sub(1)]
    }

    /// The 1-based line of a position in its file.
    pub fn line_of(&self, at: usize) -> usize {
        self.of(at).line_of(at)
    }

    /// Where the first line of a span lies, as its writer sees it; nothing for a span that is nowhere.
    ///
    /// ```
    /// use vineloom_document::{Source, Sources, Span};
    ///
    /// let mut sources = Sources::default();
    /// sources.add(Source::new("a.md", "\u{1f331}ab\n"));
    /// let start = sources.location(Span::new(4, 5)).unwrap().start;
    /// assert_eq!((start.line, start.column, start.utf8, start.utf16), (1, 2, 5, 3));
    /// assert_eq!(sources.location(Span::NOWHERE), None);
    /// ```
    pub fn location(&self, span: Span) -> Option<Location> {
        let source = self.of(span.known()?.start);
        let text = source.written_text();
        let range = source.written_range(span);
        let boundary = |at: usize| (0..=at.min(text.len())).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0);
        let (start, end) = (boundary(range.start), boundary(range.end));
        Some(Location { file: source.name().into(), start: position(source, start), end: position(source, end) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_found_in_lf_and_crlf_text() {
        let source = Source::new("a.md", "one\r\ntwo\nthree");
        assert_eq!(source.line(1), "one");
        assert_eq!(source.line(2), "two");
        assert_eq!(source.line(3), "three");
        assert_eq!(source.line(4), "");
        assert_eq!(source.line_of(0), 1);
        assert_eq!(source.line_of(5), 2);
        assert_eq!(source.line_of(12), 3);
    }

    #[test]
    fn a_carriage_return_alone_ends_a_line() {
        let text = "one\rtwo\r\nthree\r\r\nfive";
        let source = Source::new("a.md", text);
        assert_eq!([1, 2, 3, 4, 5].map(|line| source.line(line)), ["one", "two", "three", "", "five"]);
        assert_eq!(source.text().len(), text.len());
    }

    #[test]
    fn a_position_says_which_file_it_lies_in() {
        let mut sources = Sources::default();
        sources.add(Source::new("a", "one\ntwo"));
        let second = sources.add(Source::new("b", "three\nfour"));
        assert_eq!(sources.of(3).name(), "a");
        assert_eq!(sources.of(second.base()).name(), "b");
        assert_eq!(second.line(2), "four");
        assert_eq!(sources.line_of(second.line_span(2).start), 2);
    }

    #[test]
    fn bytes_that_are_not_utf8_are_placed() {
        let error = Source::from_bytes("a.md", b"fine\nbad \xff here".to_vec()).unwrap_err();
        assert_eq!(error, NotUtf8 { line: 2, byte: 5, value: 0xff });
    }
}
