//! The fonts of pages, packed once for the same characters.

use std::collections::BTreeSet;
use vineloom_font::Typeface;
use vineloom_woven::Memory;

/// The part of a font that sets these characters, as [`Typeface::web_font`] gives it.
pub(crate) fn web_font(
    face: Typeface,
    characters: impl IntoIterator<Item = char>,
    memory: &dyn Memory,
) -> Option<Vec<u8>> {
    let characters: BTreeSet<char> = characters.into_iter().collect();
    let question = format!("the web font {face:?} of {}", characters.iter().collect::<String>());
    if let Some(known) = memory.recall(question.as_bytes()) {
        return Some(known);
    }
    let font = face.web_font(characters)?;
    memory.keep(question.as_bytes(), &font);
    Some(font)
}
