//! A long text in parts that are parsed each by itself, side by side: the tree that a parser makes of a whole text takes
//! twenty times the memory of the text.
//!
//! What a part gives must be what it gives within the whole. So a part begins behind an empty line, with a line that
//! begins with a letter or a number sign: in CommonMark that ends every paragraph, list, quote and table above. It does
//! not end a fenced block, nor some blocks of HTML; when the parser says that a part ends within one of these, the part
//! is parsed again together with those behind it. And what is defined anywhere counts everywhere: parts in which the
//! same label stands between brackets, and which may define it, are one.

use memchr::{memchr2_iter, memmem};
use std::collections::HashMap;
use std::ops::Range;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::channel;

/// How long a part is at least, in bytes.
pub(super) const LENGTH: usize = 32 << 10;

const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";

/// Room for the deepest nesting that a text has.
const STACK: usize = 1 << 30;

/// What parsing a part gave.
#[derive(Debug)]
pub(super) struct Pieces<P> {
    /// What stands in it.
    pub pieces: Vec<P>,
    /// Whether it may end within its last piece.
    pub is_open: bool,
}

/// The parts of a text, each as a range of lines, of which the first is line 0.
pub(super) fn of(text: &str, line_starts: &[usize], length: usize) -> Vec<Range<usize>> {
    let mut cuts = vec![0];
    if text.len() > length {
        cuts.extend(Cuts { bytes: text.as_bytes(), line_starts, length }.all());
    }
    let starts: Vec<usize> = cuts.iter().map(|&line| line_starts[line]).collect();
    let kept = joined(text, &starts);
    let ends = kept.iter().skip(1).map(|&at| cuts[at]).chain([line_starts.len()]);
    kept.iter().map(|&at| cuts[at]).zip(ends).map(|(start, end)| start..end).collect()
}

/// Where a text can be cut.
struct Cuts<'t> {
    bytes: &'t [u8],
    line_starts: &'t [usize],
    length: usize,
}

impl Cuts<'_> {
    fn line(&self, line: usize) -> &[u8] {
        let end = self.line_starts.get(line + 1).copied().unwrap_or(self.bytes.len());
        &self.bytes[self.line_starts[line]..end]
    }

    fn all(&self) -> Vec<usize> {
        let mut cuts = Vec::new();
        let mut last = 0;
        // The fence of the block that a line stands in: not always right, which costs no more than time.
        let mut fence: Option<&[u8]> = None;
        for line in 0..self.line_starts.len() {
            let here = self.line(line);
            let marks = fence_of(here);
            match fence {
                None => {
                    let start = self.line_starts[line];
                    if start - last >= self.length && line > 0 && is_blank(self.line(line - 1)) && ends_all(here) {
                        cuts.push(line);
                        last = start;
                    }
                    fence = marks;
                }
                Some(open) if marks.is_some_and(|marks| marks.starts_with(open)) => fence = None,
                Some(_) => {}
            }
        }
        cuts
    }
}

fn is_blank(line: &[u8]) -> bool {
    line.iter().all(|byte| b" \t\r\n".contains(byte))
}

/// Whether no block that an empty line can end goes on in a line.
fn ends_all(line: &[u8]) -> bool {
    let is_letter = |byte: &u8| byte.is_ascii_alphabetic() || *byte == b'#' || !byte.is_ascii();
    line.first().is_some_and(is_letter) && !line.starts_with(BYTE_ORDER_MARK)
}

/// The marks with which a line opens or closes a fenced block.
fn fence_of(line: &[u8]) -> Option<&[u8]> {
    let indent = line.iter().take_while(|&&byte| byte == b' ').count();
    let rest = line.get(indent..).filter(|_| indent < 4)?;
    let mark = rest.first().filter(|byte| b"`~".contains(byte))?;
    let count = rest.iter().take_while(|byte| *byte == mark).count();
    (count >= 3).then(|| &rest[..count])
}

/// Which of the parts that begin at these bytes begin a part still, when those that have a label in common are one.
fn joined(text: &str, starts: &[usize]) -> Vec<usize> {
    let mut kept: Vec<usize> = (0..starts.len()).collect();
    if starts.len() < 2 || memmem::find(text.as_bytes(), b"]:").is_none() {
        return kept;
    }
    let part_of = |at: usize| starts.partition_point(|&start| start <= at) - 1;
    // By label, the first and the last part in which it stands.
    let mut defined: HashMap<u64, (usize, usize)> = HashMap::new();
    for label in labels(text).filter(|label| label.may_define) {
        defined.entry(label.hash).or_insert((usize::MAX, 0));
    }
    for label in labels(text) {
        if let Some((first, last)) = defined.get_mut(&label.hash) {
            let part = part_of(label.at);
            (*first, *last) = ((*first).min(part), (*last).max(part));
        }
    }
    let mut reaches: Vec<usize> = kept.clone();
    defined.into_values().for_each(|(first, last)| reaches[first] = reaches[first].max(last));
    let mut reach = 0;
    kept.retain(|&part| {
        let begins = part == 0 || part > reach;
        reach = reach.max(reaches[part]);
        begins
    });
    kept
}

/// Text between brackets.
struct Label {
    /// Where it ends.
    at: usize,
    /// The hash of its letters and digits, in which labels that Markdown takes to be the same are the same.
    hash: u64,
    /// Whether it may be what is defined there, as a link's target or as a footnote.
    may_define: bool,
}

fn labels(text: &str) -> impl Iterator<Item = Label> {
    const BASIS: u64 = 0xcbf2_9ce4_8422_2325;
    let bytes = text.as_bytes();
    // A byte-order mark is no text: a definition may begin behind it.
    let start = if bytes.starts_with(BYTE_ORDER_MARK) { BYTE_ORDER_MARK.len() } else { 0 };
    let mut before = Before { read: start, may_begin: true, in_label: false };
    let mut open: Option<(bool, usize, u64)> = None;
    memchr2_iter(b'[', b']', bytes).filter_map(move |at| {
        if bytes[at] == b'[' {
            open = Some((before.may_begin_at(at, bytes), at + 1, BASIS));
            return None;
        }
        let (may_begin, read, hash) = open?;
        let hash = folded(&text[read..at]).fold(hash, |hash, c| (hash ^ u64::from(c)).wrapping_mul(0x0100_0000_01b3));
        open = Some((may_begin, at, hash));
        Some(Label { at, hash, may_define: may_begin && bytes.get(at + 1) == Some(&b':') })
    })
}

/// What stands in a line before a bracket, each byte read once.
struct Before {
    read: usize,
    may_begin: bool,
    /// Whether a definition may have begun, whose label goes on: it may have more brackets in it.
    in_label: bool,
}

impl Before {
    /// Whether a definition may begin there: behind nothing but marks of quotes and lists, or behind another definition.
    fn may_begin_at(&mut self, at: usize, bytes: &[u8]) -> bool {
        for here in self.read..at {
            let before = here.checked_sub(1).map(|before| bytes[before]);
            match bytes[here] {
                b']' if before == Some(b'\\') => {}
                b']' => (self.may_begin, self.in_label) = (false, false),
                _ if self.in_label => {}
                b':' if before == Some(b']') => self.may_begin = true,
                b'\n' | b'\r' => self.may_begin = true,
                b'[' => self.in_label = self.may_begin,
                b' ' | b'\t' | b'>' | b'-' | b'*' | b'+' | b'.' | b')' | b'0'..=b'9' => {}
                _ => self.may_begin = false,
            }
        }
        self.read = at;
        self.may_begin
    }
}

/// The letters and digits of a text, without the difference between small and capital ones.
fn folded(text: &str) -> impl Iterator<Item = char> {
    text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).flat_map(char::to_uppercase)
}

/// Parses all parts, on all cores, and hands over what stands in them in its order, as soon as it is known: what a part
/// gave is not kept beside what is made of it.
pub(super) fn each<P: Send>(
    parts: &[Range<usize>],
    parse: &(dyn Fn(Range<usize>) -> Pieces<P> + Sync),
    take: &mut dyn FnMut(P),
) {
    let next = AtomicUsize::new(0);
    let cores = std::thread::available_parallelism().map_or(1, usize::from).min(parts.len());
    std::thread::scope(|scope| {
        let (sender, receiver) = channel();
        let worker = |_| {
            let (sender, next) = (sender.clone(), &next);
            let work = move || {
                while let Some(at) = number_of_next(next, parts) {
                    if sender.send((at, parse(parts[at].clone()))).is_err() {
                        return;
                    }
                }
            };
            std::thread::Builder::new().name("reading".into()).stack_size(STACK).spawn_scoped(scope, work).ok()
        };
        let workers: Vec<_> = (1..cores).filter_map(worker).collect();
        drop(sender);
        let mut given: Vec<Option<Pieces<P>>> = parts.iter().map(|_| None).collect();
        let mut at = 0;
        while at < parts.len() {
            if let Some(part) = given[at].take() {
                at = taken(part, at, parts, parse, take);
            } else if let Some(mine) = number_of_next(&next, parts) {
                given[mine] = Some(parse(parts[mine].clone()));
                receiver.try_iter().for_each(|(at, part)| given[at] = Some(part));
            } else if let Ok((at, part)) = receiver.recv() {
                given[at] = Some(part);
            } else {
                // All that was to come has come, but for what a worker died of.
                break;
            }
        }
        for worker in workers {
            worker.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic));
        }
    });
}

/// The next part that nobody parses yet.
fn number_of_next(next: &AtomicUsize, parts: &[Range<usize>]) -> Option<usize> {
    Some(next.fetch_add(1, Ordering::Relaxed)).filter(|at| *at < parts.len())
}

/// Hands over what stands in part `at`, parsed with as many behind it as it takes; returns the part that comes next.
fn taken<P>(
    mut given: Pieces<P>,
    at: usize,
    parts: &[Range<usize>],
    parse: &dyn Fn(Range<usize>) -> Pieces<P>,
    take: &mut dyn FnMut(P),
) -> usize {
    let mut end = at + 1;
    while given.is_open && end < parts.len() {
        end = (end + (end - at)).min(parts.len());
        given = parse(parts[at].start..parts[end - 1].end);
    }
    given.pieces.into_iter().for_each(take);
    end
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lines::line_starts;

    /// How many parts a text has that begins and ends so, with much between.
    fn count(first: &str, last: &str) -> usize {
        let text = format!("{first}\n\n{}{last}\n", "Words of a paragraph.\n\n".repeat(1000));
        of(&text, &line_starts(&text), 2200).len()
    }

    #[test]
    fn a_text_has_as_many_parts_as_it_is_long_where_no_label_is_common_to_them() {
        assert_eq!(count("Words.", "Words."), 11);
        assert_eq!(count("[a]: /a", "[b] and x[ab]"), 11);
        assert_eq!(count("    for x in y[a]:", "y[a]"), 11);
        assert_eq!(count("[a]: /a", "a link to [A]"), 1);
        assert_eq!(count("\u{feff} [a]: /a", "a link to [A]"), 1);
        assert_eq!(count("[a]: /a", "[a]: /b"), 1);
        assert_eq!(count("a note[^n]", "[^n]: the note"), 1);
        assert_eq!(count("```\ncode", "```"), 1, "nothing is cut within a fenced block");
    }
}
