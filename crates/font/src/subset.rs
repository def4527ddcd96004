//! The tables of a font with what some characters need, and nothing else. Glyphs keep their numbers.

use crate::cff;
use crate::glyf::Outlines;
use std::collections::{BTreeMap, BTreeSet};
use ttf_parser::gsub::{SingleSubstitution, SubstitutionSubtable};
use ttf_parser::math::GlyphConstruction;
use ttf_parser::{Face, GlyphId, RawFace, Tag};

/// A table of a font.
pub(crate) struct Table {
    pub tag: [u8; 4],
    pub bytes: Vec<u8>,
}

/// The tables that are taken as they are. A mathematics font is set by its own table instead of kerning and ligatures.
const AS_THEY_ARE: [&[u8; 4]; 11] =
    [b"OS/2", b"hhea", b"maxp", b"name", b"cvt ", b"fpgm", b"prep", b"gasp", b"GDEF", b"GPOS", b"GSUB"];
const OF_TEXT: [&[u8; 4]; 3] = [b"GDEF", b"GPOS", b"GSUB"];

/// The tables of the part of a font that sets some characters, by their tags; nothing for a font that is built in another
/// way than ours.
pub(crate) fn tables(font: &[u8], characters: impl IntoIterator<Item = char>) -> Option<Vec<Table>> {
    let face = Face::parse(font, 0).ok()?;
    let raw = RawFace::parse(font, 0).ok()?;
    let table = |tag: &[u8; 4]| raw.table(Tag::from_bytes(tag));
    let known: BTreeMap<char, u16> = characters.into_iter().filter_map(|c| Some((c, face.glyph_index(c)?.0))).collect();
    // The first glyph stands for what is not there.
    let mut glyphs: BTreeSet<u16> = known.values().copied().chain([0]).collect();
    add_growing(&face, &mut glyphs);
    add_substitutes(&face, &mut glyphs);
    let mut tables: Vec<Table> = Vec::new();
    let mut push = |tag: &[u8; 4], bytes: Vec<u8>| tables.push(Table { tag: *tag, bytes });
    let mathematics = table(b"MATH");
    for tag in AS_THEY_ARE {
        if let Some(bytes) = table(tag).filter(|_| mathematics.is_none() || !OF_TEXT.contains(&tag)) {
            push(tag, bytes.to_vec());
        }
    }
    if let Some(bytes) = mathematics {
        push(b"MATH", bytes.to_vec());
    }
    let mut head = table(b"head")?.to_vec();
    match (table(b"CFF "), table(b"glyf"), table(b"loca")) {
        (Some(outlines), ..) => push(b"CFF ", cff::only(outlines, &glyphs)?),
        (_, Some(glyf), Some(loca)) => {
            let outlines = Outlines::new(glyf, loca, head.get(51) == Some(&1));
            outlines.close(&mut glyphs);
            let (glyf, loca) = outlines.only(face.number_of_glyphs(), &glyphs);
            push(b"glyf", glyf);
            push(b"loca", loca);
            *head.get_mut(51)? = 1;
        }
        _ => return None,
    }
    push(b"head", head);
    push(b"hmtx", widths(table(b"hhea")?, table(b"hmtx")?, &glyphs)?);
    push(b"cmap", cmap(&known));
    // Glyphs have no names.
    let post = table(b"post")?;
    push(b"post", [&[0, 3, 0, 0], post.get(4..32)?].concat());
    tables.sort_by_key(|table| table.tag);
    Some(tables)
}

/// Adds the larger forms of glyphs that grow, and the parts that the largest are put together from.
fn add_growing(face: &Face, glyphs: &mut BTreeSet<u16>) {
    let Some(variants) = face.tables().math.and_then(|math| math.variants) else { return };
    let mut more = BTreeSet::new();
    let mut add = |construction: GlyphConstruction| {
        more.extend(construction.variants.into_iter().map(|variant| variant.variant_glyph.0));
        let parts = construction.assembly.into_iter().flat_map(|assembly| assembly.parts);
        more.extend(parts.map(|part| part.glyph_id.0));
    };
    for &glyph in glyphs.iter() {
        let constructions = [variants.vertical_constructions, variants.horizontal_constructions];
        constructions.iter().filter_map(|known| known.get(GlyphId(glyph))).for_each(&mut add);
    }
    glyphs.extend(more);
}

/// The features that set text without being asked for, and those by which digits are chosen.
const FEATURES: [&[u8; 4]; 10] =
    [b"ccmp", b"locl", b"rlig", b"liga", b"clig", b"calt", b"onum", b"lnum", b"pnum", b"tnum"];

/// Adds the glyphs that stand in the place of others: ligatures, digits of another kind. A mathematics font has them in its
/// own table.
fn add_substitutes(face: &Face, glyphs: &mut BTreeSet<u16>) {
    let Some(table) = face.tables().gsub.filter(|_| face.tables().math.is_none()) else { return };
    let is_wanted =
        |feature: &ttf_parser::opentype_layout::Feature| FEATURES.iter().any(|tag| feature.tag == Tag::from_bytes(tag));
    let lookups: BTreeSet<u16> =
        table.features.into_iter().filter(is_wanted).flat_map(|feature| feature.lookup_indices).collect();
    // What stands in the place of something may itself be replaced.
    for _ in 0..3 {
        let before = glyphs.len();
        for lookup in lookups.iter().filter_map(|&index| table.lookups.get(index)) {
            for subtable in lookup.subtables.into_iter::<SubstitutionSubtable>() {
                glyphs.extend(substitutes(&subtable, glyphs));
            }
        }
        if glyphs.len() == before {
            break;
        }
    }
}

/// What a rule puts in the place of some glyphs.
fn substitutes(rule: &SubstitutionSubtable, glyphs: &BTreeSet<u16>) -> Vec<u16> {
    let mut found = Vec::new();
    for &glyph in glyphs {
        let id = GlyphId(glyph);
        match rule {
            SubstitutionSubtable::Single(SingleSubstitution::Format1 { coverage, delta }) => {
                found.extend(coverage.get(id).map(|_| glyph.wrapping_add_signed(*delta)));
            }
            SubstitutionSubtable::Single(SingleSubstitution::Format2 { coverage, substitutes }) => {
                found.extend(coverage.get(id).and_then(|at| substitutes.get(at)).map(|id| id.0));
            }
            SubstitutionSubtable::Multiple(rule) => {
                let sequence = rule.coverage.get(id).and_then(|at| rule.sequences.get(at));
                found.extend(sequence.into_iter().flat_map(|sequence| sequence.substitutes).map(|id| id.0));
            }
            SubstitutionSubtable::Ligature(rule) => {
                let set = rule.coverage.get(id).and_then(|at| rule.ligature_sets.get(at));
                let is_whole = |ligature: &ttf_parser::gsub::Ligature| {
                    ligature.components.into_iter().all(|part| glyphs.contains(&part.0))
                };
                let whole = set.into_iter().flat_map(|set| set.into_iter()).filter(is_whole);
                found.extend(whole.map(|ligature| ligature.glyph.0));
            }
            _ => {}
        }
    }
    found
}

/// The widths of glyphs; those that are not wanted have none, which packs well.
fn widths(hhea: &[u8], hmtx: &[u8], glyphs: &BTreeSet<u16>) -> Option<Vec<u8>> {
    let long = usize::from(u16::from_be_bytes(hhea.get(34..36)?.try_into().ok()?));
    let mut widths = hmtx.to_vec();
    for glyph in (0..long).filter(|glyph| u16::try_from(*glyph).is_ok_and(|glyph| !glyphs.contains(&glyph))) {
        widths.get_mut(glyph * 4..glyph * 4 + 4)?.fill(0);
    }
    Some(widths)
}

/// Which glyph each character has, in groups of neighbours (format 12 of the table).
fn cmap(known: &BTreeMap<char, u16>) -> Vec<u8> {
    let mut groups: Vec<(u32, u32, u32)> = Vec::new();
    for (&character, &glyph) in known {
        let (character, glyph) = (character as u32, u32::from(glyph));
        match groups.last_mut() {
            Some((first, last, start)) if *last + 1 == character && *start + character - *first == glyph => {
                *last = character;
            }
            _ => groups.push((character, character, glyph)),
        }
    }
    let length = 16 + 12 * groups.len() as u32;
    // One subtable, for Windows and all of Unicode, at byte 12.
    let mut bytes = vec![0, 0, 0, 1, 0, 3, 0, 10, 0, 0, 0, 12, 0, 12, 0, 0];
    for number in [length, 0, groups.len() as u32] {
        bytes.extend(number.to_be_bytes());
    }
    for (first, last, glyph) in groups {
        [first, last, glyph].iter().for_each(|number| bytes.extend(number.to_be_bytes()));
    }
    bytes
}
