//! The fonts that the program brings along, and the part of one that goes with a page.
//!
//! A page that embeds a whole font is larger than all it says. [`Typeface::web_font`] gives the outlines of the characters
//! that a page has, with everything that sets them: a mathematics font keeps its table of roots, brackets and italics.
//!
//! ```
//! use vineloom_font::Typeface;
//!
//! let font = Typeface::Mathematics.web_font("x² + √".chars()).expect("the font is built in");
//! assert!(font.starts_with(b"wOF2") && font.len() < 60_000);
//! ```

#![forbid(unsafe_code)]

mod cff;
mod glyf;
mod subset;
mod woff2;

use std::sync::LazyLock;
use ttf_parser::{Face, name_id};

/// The files of all fonts that the program brings along. They are asked for here alone: each crate that names them puts
/// ten megabytes of its own into the program.
pub fn built_in() -> &'static [&'static [u8]] {
    static FILES: LazyLock<Vec<&'static [u8]>> = LazyLock::new(|| typst_assets::fonts().collect());
    &FILES
}

/// A font that the program brings along.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "named after what each is for")]
pub enum Typeface {
    Mathematics,
    Serif,
    SerifBold,
    SerifItalic,
    SerifBoldItalic,
    Monospace,
    MonospaceBold,
    MonospaceOblique,
}

impl Typeface {
    /// The name that PostScript knows the font by.
    fn postscript_name(self) -> &'static str {
        match self {
            Typeface::Mathematics => "NewCMMath-Regular",
            Typeface::Serif => "LibertinusSerif-Regular",
            Typeface::SerifBold => "LibertinusSerif-Bold",
            Typeface::SerifItalic => "LibertinusSerif-Italic",
            Typeface::SerifBoldItalic => "LibertinusSerif-BoldItalic",
            Typeface::Monospace => "DejaVuSansMono",
            Typeface::MonospaceBold => "DejaVuSansMono-Bold",
            Typeface::MonospaceOblique => "DejaVuSansMono-Oblique",
        }
    }

    /// The font's file.
    fn file(self) -> Option<&'static [u8]> {
        let is_it = |file: &&'static [u8]| {
            let Ok(face) = Face::parse(file, 0) else { return false };
            let is_wanted =
                |name: &ttf_parser::name::Name| name.name_id == name_id::POST_SCRIPT_NAME && name.is_unicode();
            let name = face.names().into_iter().find(is_wanted).and_then(|name| name.to_string());
            name.as_deref() == Some(self.postscript_name())
        };
        built_in().iter().copied().find(is_it)
    }

    /// The part of the font that sets these characters, as WOFF2. Characters that it does not have are left out. The same
    /// characters give the same bytes, in whichever order they come. Nothing when the font is not built in.
    pub fn web_font(self, characters: impl IntoIterator<Item = char>) -> Option<Vec<u8>> {
        let tables = subset::tables(self.file()?, characters)?;
        woff2::packed(&tables)
    }

    /// Whether the font has a character.
    pub fn has(self, character: char) -> bool {
        let face = self.file().and_then(|file| Face::parse(file, 0).ok());
        face.is_some_and(|face| face.glyph_index(character).is_some())
    }
}

/// The slanted letters that MathML puts in the place of plain ones which stand alone.
pub fn slanted(letter: char) -> Option<char> {
    let from = |first: u32, offset: u32| char::from_u32(first + offset);
    match letter {
        // The place of this letter in its row was taken long before the row was there.
        'h' => Some('ℎ'),
        'a'..='z' => from(0x1D44E, letter as u32 - 'a' as u32),
        'A'..='Z' => from(0x1D434, letter as u32 - 'A' as u32),
        'α'..='ω' => from(0x1D6FC, letter as u32 - 'α' as u32),
        'Α'..='Ω' => from(0x1D6E2, letter as u32 - 'Α' as u32),
        '∂' => Some('𝜕'),
        'ϵ' => Some('𝜖'),
        'ϑ' => Some('𝜗'),
        'ϰ' => Some('𝜘'),
        'ϕ' => Some('𝜙'),
        'ϱ' => Some('𝜚'),
        'ϖ' => Some('𝜛'),
        'ı' => Some('𝚤'),
        'ȷ' => Some('𝚥'),
        _ => None,
    }
}
