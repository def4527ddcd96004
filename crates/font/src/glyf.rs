//! TrueType outlines (OpenType, tables `glyf` and `loca`): those of a part of the glyphs.

use std::collections::BTreeSet;

/// The outlines of a font, by glyph.
pub(crate) struct Outlines<'a> {
    glyf: &'a [u8],
    loca: &'a [u8],
    long: bool,
}

impl<'a> Outlines<'a> {
    /// `long` is whether `loca` has four bytes for a glyph, as `head` says.
    pub fn new(glyf: &'a [u8], loca: &'a [u8], long: bool) -> Self {
        Outlines { glyf, loca, long }
    }

    fn of(&self, glyph: u16) -> &'a [u8] {
        let offset = |at: usize| match self.long {
            true => self.loca.get(at * 4..at * 4 + 4).map(|b| u32::from_be_bytes([b[0], b[1], b[2], b[3]]) as usize),
            false => self.loca.get(at * 2..at * 2 + 2).map(|b| usize::from(u16::from_be_bytes([b[0], b[1]])) * 2),
        };
        let range = offset(usize::from(glyph)).zip(offset(usize::from(glyph) + 1));
        range.and_then(|(from, to)| self.glyf.get(from..to)).unwrap_or(&[])
    }

    /// Adds the glyphs that some are put together from.
    pub fn close(&self, glyphs: &mut BTreeSet<u16>) {
        let mut open: Vec<u16> = glyphs.iter().copied().collect();
        while let Some(glyph) = open.pop() {
            for part in self.parts(glyph) {
                if glyphs.insert(part) {
                    open.push(part);
                }
            }
        }
    }

    /// The glyphs that a composite glyph is put together from.
    fn parts(&self, glyph: u16) -> Vec<u16> {
        let outline = self.of(glyph);
        let mut parts = Vec::new();
        let word = |at: usize| outline.get(at..at + 2).map(|b| u16::from_be_bytes([b[0], b[1]]));
        if word(0).is_none_or(|contours| contours < 0x8000) {
            return parts;
        }
        let mut at = 10;
        while let (Some(flags), Some(part)) = (word(at), word(at + 2)) {
            parts.push(part);
            at += 4 + if flags & 0x01 != 0 { 4 } else { 2 };
            at += match flags {
                flags if flags & 0x08 != 0 => 2,
                flags if flags & 0x40 != 0 => 4,
                flags if flags & 0x80 != 0 => 8,
                _ => 0,
            };
            if flags & 0x20 == 0 {
                break;
            }
        }
        parts
    }

    /// `glyf` and a `loca` of four bytes for a glyph, with the outlines of these glyphs alone.
    pub fn only(&self, count: u16, glyphs: &BTreeSet<u16>) -> (Vec<u8>, Vec<u8>) {
        let (mut glyf, mut loca) = (Vec::new(), Vec::new());
        for glyph in 0..count {
            loca.extend((glyf.len() as u32).to_be_bytes());
            if glyphs.contains(&glyph) {
                glyf.extend(self.of(glyph));
                glyf.resize(glyf.len().div_ceil(4) * 4, 0);
            }
        }
        loca.extend((glyf.len() as u32).to_be_bytes());
        (glyf, loca)
    }
}
