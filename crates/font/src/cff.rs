//! Outlines in the Compact Font Format (Adobe, Technical Notes 5176 and 5177): those of a part of the glyphs.
//!
//! Glyphs keep their numbers, so that every other table holds as it is; those that are not wanted end where they begin.
//! The names of glyphs go, and so do the subroutines that no wanted glyph calls.

use std::collections::BTreeSet;

/// An outline that ends where it begins.
const NO_OUTLINE: &[u8] = &[14];

/// The operators of a font's dictionary that are kept as they are: matrix, box, and how strokes are drawn.
const KEPT: [u16; 4] = [5, 0x0C07, 0x0C05, 0x0C08];
const CHARSET: u16 = 15;
const CHAR_STRINGS: u16 = 17;
const PRIVATE: u16 = 18;
const SUBROUTINES: u16 = 19;
/// The operator that a font has whose glyphs have numbers instead of names; those are drawn in another way.
const ROS: u16 = 0x0C1E;

/// The table with the outlines of these glyphs alone; nothing for a font that is built in another way than ours.
pub(crate) fn only(cff: &[u8], glyphs: &BTreeSet<u16>) -> Option<Vec<u8>> {
    let at = usize::from(*cff.get(2)?);
    let (names, at) = Index::read(cff, at)?;
    let (dictionaries, at) = Index::read(cff, at)?;
    let (_strings, at) = Index::read(cff, at)?;
    let (global, _) = Index::read(cff, at)?;
    let top = Dictionary::read(dictionaries.get(0)?)?;
    if top.number(ROS, 0).is_some() {
        return None;
    }
    let (outlines, _) = Index::read(cff, top.number(CHAR_STRINGS, 0)?)?;
    let (size, start) = (top.number(PRIVATE, 0)?, top.number(PRIVATE, 1)?);
    let private = Dictionary::read(cff.get(start..start + size)?)?;
    let local = match private.number(SUBROUTINES, 0) {
        Some(offset) => Index::read(cff, start + offset)?.0,
        None => Index::default(),
    };
    let mut calls = Calls { local: &local, global: &global, used_local: BTreeSet::new(), used_global: BTreeSet::new() };
    for &glyph in glyphs {
        calls.follow(outlines.get(usize::from(glyph))?);
    }
    let Calls { used_local, used_global, .. } = calls;
    let count = outlines.entries.len();
    let is_wanted = |at: usize| u16::try_from(at).is_ok_and(|glyph| glyphs.contains(&glyph));
    let outlines = outlines.with(is_wanted, NO_OUTLINE);
    let local = local.with(|at| used_local.contains(&at), &[]);
    let global = global.with(|at| used_global.contains(&at), &[]);
    // Every glyph has a name, and every name is empty.
    let strings = Index { entries: vec![&[]; count] }.written();
    let charset = [&[2, 0, 1][..], &u16::try_from(count.checked_sub(2)?).ok()?.to_be_bytes()].concat();

    let mut private = private.without(&[SUBROUTINES]);
    if !used_local.is_empty() {
        // Subroutines stand behind what speaks of them, which is six bytes longer by then.
        let behind = private.len() + 6;
        push_operator(&mut private, &[behind], SUBROUTINES);
    }
    let head = [&[1, 0, 4, 4][..], &names.written()].concat();
    // The dictionary is as long with any offsets in it.
    let dictionary = |offsets: [usize; 3]| {
        let mut bytes = top.only(&KEPT);
        let [charset, outlines, start] = offsets;
        push_operator(&mut bytes, &[charset], CHARSET);
        push_operator(&mut bytes, &[outlines], CHAR_STRINGS);
        push_operator(&mut bytes, &[private.len(), start], PRIVATE);
        Index { entries: vec![&bytes] }.written()
    };
    let charset_at = head.len() + dictionary([0; 3]).len() + strings.len() + global.len();
    let outlines_at = charset_at + charset.len();
    let private_at = outlines_at + outlines.len();
    let dictionary = dictionary([charset_at, outlines_at, private_at]);
    Some(
        [
            head,
            dictionary,
            strings,
            global,
            charset,
            outlines,
            private,
            if used_local.is_empty() { Vec::new() } else { local },
        ]
        .concat(),
    )
}

/// An array of things of any length.
#[derive(Default)]
struct Index<'a> {
    entries: Vec<&'a [u8]>,
}

impl<'a> Index<'a> {
    /// The array at a place, and where it ends.
    fn read(cff: &'a [u8], at: usize) -> Option<(Self, usize)> {
        let count = usize::from(u16::from_be_bytes(cff.get(at..at + 2)?.try_into().ok()?));
        if count == 0 {
            return Some((Index::default(), at + 2));
        }
        let width = usize::from(*cff.get(at + 2)?);
        let offset = |entry: usize| {
            let from = at + 3 + entry * width;
            cff.get(from..from + width).map(|bytes| bytes.iter().fold(0, |sum, byte| sum << 8 | usize::from(*byte)))
        };
        let data = at + 2 + (count + 1) * width;
        let entry = |entry: usize| cff.get(data + offset(entry)?..data + offset(entry + 1)?);
        let entries = (0..count).map(entry).collect::<Option<_>>()?;
        Some((Index { entries }, data + offset(count)?))
    }

    fn get(&self, at: usize) -> Option<&'a [u8]> {
        self.entries.get(at).copied()
    }

    /// The array with those of its entries that are wanted, and this in the place of the others.
    fn with(&self, is_wanted: impl Fn(usize) -> bool, other: &'a [u8]) -> Vec<u8> {
        let entry = |(at, entry): (usize, &&'a [u8])| if is_wanted(at) { *entry } else { other };
        Index { entries: self.entries.iter().enumerate().map(entry).collect() }.written()
    }

    fn written(&self) -> Vec<u8> {
        let mut bytes = (self.entries.len() as u16).to_be_bytes().to_vec();
        if self.entries.is_empty() {
            return bytes;
        }
        let length: usize = self.entries.iter().map(|entry| entry.len()).sum();
        let width = (1..4).find(|width| (length + 1) >> (8 * width) == 0).unwrap_or(4);
        bytes.push(width as u8);
        let mut offset = 1_usize;
        let push = |offset: usize, bytes: &mut Vec<u8>| bytes.extend(&(offset as u32).to_be_bytes()[4 - width..]);
        push(offset, &mut bytes);
        for entry in &self.entries {
            offset += entry.len();
            push(offset, &mut bytes);
        }
        self.entries.iter().for_each(|entry| bytes.extend(*entry));
        bytes
    }
}

/// What a font, or its private part, says of itself: operators, each behind its numbers.
struct Dictionary<'a> {
    entries: Vec<(u16, &'a [u8], Vec<usize>)>,
}

impl<'a> Dictionary<'a> {
    fn read(bytes: &'a [u8]) -> Option<Self> {
        let mut entries = Vec::new();
        let (mut at, mut start) = (0, 0);
        let mut numbers = Vec::new();
        while at < bytes.len() {
            let first = bytes[at];
            let word = |from: usize| Some(i16::from_be_bytes(bytes.get(from..from + 2)?.try_into().ok()?));
            at += match first {
                0..=21 => {
                    let (operator, length) = match first {
                        12 => (0x0C00 | u16::from(*bytes.get(at + 1)?), 2),
                        other => (u16::from(other), 1),
                    };
                    entries.push((operator, &bytes[start..at + length], std::mem::take(&mut numbers)));
                    start = at + length;
                    length
                }
                28 => {
                    numbers.push(usize::try_from(word(at + 1)?).unwrap_or(0));
                    3
                }
                29 => {
                    let number = i32::from_be_bytes(bytes.get(at + 1..at + 5)?.try_into().ok()?);
                    numbers.push(usize::try_from(number).unwrap_or(0));
                    5
                }
                30 => {
                    // A real number ends with a half byte of ones; none is an offset.
                    numbers.push(0);
                    2 + bytes[at + 1..].iter().position(|byte| byte & 0x0F == 0x0F || byte >> 4 == 0x0F)?
                }
                32..=246 => {
                    numbers.push(usize::from(first).saturating_sub(139));
                    1
                }
                247..=250 => {
                    numbers.push((usize::from(first) - 247) * 256 + usize::from(*bytes.get(at + 1)?) + 108);
                    2
                }
                251..=254 => {
                    numbers.push(0);
                    2
                }
                _ => return None,
            };
        }
        Some(Dictionary { entries })
    }

    /// A number before an operator.
    fn number(&self, operator: u16, at: usize) -> Option<usize> {
        self.entries.iter().find(|(known, ..)| *known == operator).and_then(|(_, _, numbers)| numbers.get(at).copied())
    }

    fn only(&self, operators: &[u16]) -> Vec<u8> {
        let kept = self.entries.iter().filter(|(operator, ..)| operators.contains(operator));
        kept.flat_map(|(_, bytes, _)| bytes.iter().copied()).collect()
    }

    fn without(&self, operators: &[u16]) -> Vec<u8> {
        let kept = self.entries.iter().filter(|(operator, ..)| !operators.contains(operator));
        kept.flat_map(|(_, bytes, _)| bytes.iter().copied()).collect()
    }
}

/// Writes numbers of five bytes each, and an operator.
fn push_operator(bytes: &mut Vec<u8>, numbers: &[usize], operator: u16) {
    for number in numbers {
        bytes.push(29);
        bytes.extend((*number as u32).to_be_bytes());
    }
    bytes.push(operator as u8);
}

/// Follows outlines through the subroutines that they call.
struct Calls<'a> {
    local: &'a Index<'a>,
    global: &'a Index<'a>,
    used_local: BTreeSet<usize>,
    used_global: BTreeSet<usize>,
}

/// Where an outline stands while it is followed.
#[derive(Default)]
struct Walk {
    numbers: Vec<i32>,
    /// How many stems have been named: the masks of stems have a bit for each.
    stems: usize,
    ended: bool,
}

impl Calls<'_> {
    fn follow(&mut self, outline: &[u8]) {
        self.walk(outline, &mut Walk::default(), 0);
    }

    fn walk(&mut self, code: &[u8], walk: &mut Walk, depth: usize) {
        let mut at = 0;
        // The format allows ten levels.
        while at < code.len() && !walk.ended && depth <= 10 {
            let first = code[at];
            at += 1;
            let byte = |ahead: usize| i32::from(code.get(at + ahead).copied().unwrap_or(0));
            match first {
                1 | 3 | 18 | 23 => {
                    walk.stems += walk.numbers.len() / 2;
                    walk.numbers.clear();
                }
                19 | 20 => {
                    walk.stems += walk.numbers.len() / 2;
                    walk.numbers.clear();
                    at += walk.stems.div_ceil(8);
                }
                10 | 29 => {
                    let (index, used) = match first {
                        10 => (self.local, &mut self.used_local),
                        _ => (self.global, &mut self.used_global),
                    };
                    let bias = match index.entries.len() {
                        0..1240 => 107,
                        1240..33900 => 1131,
                        _ => 32768,
                    };
                    let number = walk.numbers.pop().and_then(|number| usize::try_from(number + bias).ok());
                    if let Some((number, code)) = number.and_then(|number| Some((number, index.get(number)?))) {
                        used.insert(number);
                        self.walk(code, walk, depth + 1);
                    }
                }
                11 => return,
                14 => walk.ended = true,
                12 => {
                    at += 1;
                    walk.numbers.clear();
                }
                28 => {
                    walk.numbers.push(i32::from((byte(0) << 8 | byte(1)) as i16));
                    at += 2;
                }
                32..=246 => walk.numbers.push(i32::from(first) - 139),
                247..=250 => {
                    walk.numbers.push((i32::from(first) - 247) * 256 + byte(0) + 108);
                    at += 1;
                }
                251..=254 => {
                    walk.numbers.push(-(i32::from(first) - 251) * 256 - byte(0) - 108);
                    at += 1;
                }
                255 => {
                    walk.numbers.push(byte(0) << 8 | byte(1));
                    at += 4;
                }
                _ => walk.numbers.clear(),
            }
        }
    }
}
