//! The part of a font that goes with a page: small, whole for its characters, and the same each time.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::process::{Command, Stdio};
use vineloom_font::{Typeface, slanted};

const ALL: [Typeface; 8] = [
    Typeface::Mathematics,
    Typeface::Serif,
    Typeface::SerifBold,
    Typeface::SerifItalic,
    Typeface::SerifBoldItalic,
    Typeface::Monospace,
    Typeface::MonospaceBold,
    Typeface::MonospaceOblique,
];

#[test]
fn every_typeface_is_built_in_and_gives_a_small_part() {
    for typeface in ALL {
        let letters = "Soil moisture, 31.5 %: “dry” – ÄÖÜ";
        let font = typeface.web_font(letters.chars()).unwrap_or_else(|| panic!("{typeface:?}"));
        assert!(font.starts_with(b"wOF2") && font.len() < 40_000, "{typeface:?} takes {}", font.len());
        assert_eq!(u32::from_be_bytes(font[8..12].try_into().unwrap()) as usize, font.len(), "{typeface:?}");
        let turned: String = letters.chars().rev().collect();
        assert_eq!(typeface.web_font(turned.chars()).unwrap(), font, "{typeface:?}");
    }
}

#[test]
fn a_mathematics_font_for_an_ordinary_document_takes_under_sixty_kilobytes() {
    let symbols = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZαβγδεθλμνπρστφχψωΓΔΘΛΠΣΦΨΩ0123456789";
    let slanted = symbols.chars().filter_map(slanted);
    let operators = "+−=<>≤≥≠≈∑∏∫√∞∂∇·×÷±∈∉⊂∪∩→⇒∀∃()[]{}|‖⟨⟩,.;:!′…^~¯";
    let font = Typeface::Mathematics.web_font(symbols.chars().chain(slanted).chain(operators.chars())).unwrap();
    assert!(font.len() < 60 * 1024, "{}", font.len());
}

/// Unpacks a font with a reader of its own, and draws glyphs with it.
#[test]
fn the_part_is_read_by_another_program_with_outlines_and_the_table_of_mathematics() {
    let script = "import io, sys
from fontTools.ttLib import TTFont
from fontTools.pens.boundsPen import BoundsPen
from fontTools.ttLib.tables import otTables
font = TTFont(io.BytesIO(sys.stdin.buffer.read()))
glyphs, order = font.getGlyphSet(), font.getGlyphOrder()
def box(name):
    pen = BoundsPen(glyphs); glyphs[name].draw(pen); return pen.bounds
known = font.getBestCmap()
for character in sys.argv[1]:
    assert box(known[ord(character)]), character
assert ord('Q') not in known
if 'GSUB' in font and 'f' in sys.argv[1]:
    table, drawn = font['GSUB'].table, []
    for feature in table.FeatureList.FeatureRecord:
        if feature.FeatureTag not in ('liga', 'onum'): continue
        for index in feature.Feature.LookupListIndex:
            for rule in table.LookupList.Lookup[index].SubTable:
                rule = getattr(rule, 'ExtSubTable', rule)
                if hasattr(rule, 'mapping'):
                    drawn += [box(rule.mapping[known[ord('3')]])] if known[ord('3')] in rule.mapping else []
                for ligature in getattr(rule, 'ligatures', {}).get(known[ord('f')], []):
                    if ligature.Component == [known[ord('i')]]: drawn.append(box(ligature.LigGlyph))
    assert len(drawn) >= 2 and all(drawn), drawn
if 'MATH' in font:
    variants = font['MATH'].table.MathVariants
    at = variants.VertGlyphCoverage.glyphs.index(known[0x221A])
    root = variants.VertGlyphConstruction[at]
    assert len(root.MathGlyphVariantRecord) > 3
    for record in root.MathGlyphVariantRecord: assert box(record.VariantGlyph)
    for part in root.GlyphAssembly.PartRecords: assert box(part.glyph)
drawn = sum(1 for name in order if box(name))
assert drawn < 400, drawn
print('whole', len(order), drawn)
";
    for (typeface, characters) in
        [(Typeface::Mathematics, "𝑥√∑(2"), (Typeface::Serif, "aÄfi“3"), (Typeface::Monospace, "aÄ→{")]
    {
        let font = typeface.web_font(characters.chars()).unwrap();
        let child = Command::new("python3")
            .args(["-c", script, characters])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        std::io::Write::write_all(&mut child.stdin.as_ref().unwrap(), &font).unwrap();
        let output = child.wait_with_output().unwrap();
        let (out, err) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        if err.contains("No module named") && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
            eprintln!(
                "fonttools and brotli for Python are not installed: this part did not run; scripts/test installs them"
            );
            return;
        }
        assert!(out.starts_with("whole"), "{typeface:?}: {out} {err}");
    }
}
