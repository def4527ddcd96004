//! Fonts in the packing of the web (W3C, WOFF File Format 2.0), without its transforms.

use crate::subset::Table;
use std::io::Write;

/// The tags that have a number, in its order.
const KNOWN: [&[u8; 4]; 20] = [
    b"cmap", b"head", b"hhea", b"hmtx", b"maxp", b"name", b"OS/2", b"post", b"cvt ", b"fpgm", b"glyf", b"loca",
    b"prep", b"CFF ", b"VORG", b"EBDT", b"EBLC", b"gasp", b"hdmx", b"kern",
];

/// The font of these tables; nothing when they can't be packed.
pub(crate) fn packed(tables: &[Table]) -> Option<Vec<u8>> {
    let flavour: u32 = if tables.iter().any(|table| &table.tag == b"CFF ") { 0x4F54_544F } else { 0x0001_0000 };
    let (mut directory, mut data) = (Vec::new(), Vec::new());
    for table in tables {
        let number = KNOWN.iter().position(|known| **known == table.tag);
        // The tables of outlines are marked as they are when they are not transformed.
        let as_it_is = if matches!(&table.tag, b"glyf" | b"loca") { 3 << 6 } else { 0 };
        directory.push(number.map_or(63, |number| number as u8) | as_it_is);
        if number.is_none() {
            directory.extend(table.tag);
        }
        push_base128(&mut directory, u32::try_from(table.bytes.len()).ok()?);
        data.extend(&table.bytes);
    }
    let compressed = compressed(&data)?;
    // The font as it is when unpacked: its directory, and tables on steps of four bytes.
    let unpacked: usize = 12 + tables.iter().map(|table| 16 + table.bytes.len().div_ceil(4) * 4).sum::<usize>();
    let whole = (48 + directory.len() + compressed.len()).div_ceil(4) * 4;
    let mut font = Vec::with_capacity(whole);
    font.extend(b"wOF2");
    font.extend(flavour.to_be_bytes());
    font.extend(u32::try_from(whole).ok()?.to_be_bytes());
    font.extend(u16::try_from(tables.len()).ok()?.to_be_bytes());
    font.extend([0; 2]);
    font.extend(u32::try_from(unpacked).ok()?.to_be_bytes());
    font.extend(u32::try_from(compressed.len()).ok()?.to_be_bytes());
    // A version, and no metadata or data of one's own.
    font.extend([0, 1, 0, 0]);
    font.extend([0; 20]);
    font.extend(directory);
    font.extend(compressed);
    font.resize(whole, 0);
    Some(font)
}

/// How hard the packing is tried, of 11: with 9 it takes eight times as long, for one byte in a hundred and fifty.
const EFFORT: u32 = 5;

fn compressed(data: &[u8]) -> Option<Vec<u8>> {
    let mut compressed = Vec::new();
    {
        let mut writer = brotli::CompressorWriter::new(&mut compressed, 1 << 16, EFFORT, 22);
        writer.write_all(data).ok()?;
        writer.flush().ok()?;
    }
    Some(compressed)
}

/// A number in steps of seven bits, the highest first.
fn push_base128(out: &mut Vec<u8>, number: u32) {
    let steps = (1..5).filter(|step| number >> (7 * step) > 0).count();
    for step in (0..=steps).rev() {
        let more = if step > 0 { 0x80 } else { 0 };
        out.push((number >> (7 * step) & 0x7F) as u8 | more);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_written_in_steps_of_seven_bits() {
        let written = |number| {
            let mut out = Vec::new();
            push_base128(&mut out, number);
            out
        };
        assert_eq!(written(0), [0]);
        assert_eq!(written(127), [127]);
        assert_eq!(written(128), [0x81, 0]);
        assert_eq!(written(63_000), [0x83, 0xEC, 0x18]);
    }
}
