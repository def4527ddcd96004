//! Which fonts a document is set in: those its writer names, the built-in ones, and the system's for what these lack.
//!
//! The system is looked at only when it must be: for a family that is named and not built in, or for a letter that no
//! font at hand has. Only the fonts that are wanted are taken from it, so that the others change nothing.

use crate::error::PrintError;
use crate::options::PdfOptions;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{LazyLock, OnceLock};
use typst::foundations::Bytes;
use typst::text::{Font, FontBook, FontInfo, FontStyle};
use typst_kit::fonts::{self, FontPath, FontSource, FontStore};
use vineloom_document::nearest;

const SERIF: &str = "Libertinus Serif";
const CODE: &str = "DejaVu Sans Mono";

/// What the built-in fonts are: a list of [`FontInfo`], one for each file, in their order. To find that out from the fonts
/// takes longer than to set a page; a test holds it to them.
const BUILT_IN_INFOS: &str = include_str!("built_in_fonts.json");

/// A built-in font by its number, which is read when something is set in it.
struct BuiltIn(usize);

impl FontSource for BuiltIn {
    fn load(&self) -> Option<Font> {
        /// Each is read once, for all documents.
        static READ: LazyLock<Vec<OnceLock<Option<Font>>>> =
            LazyLock::new(|| vineloom_font::built_in().iter().map(|_| OnceLock::new()).collect());
        let read = || Font::new(Bytes::new(*vineloom_font::built_in().get(self.0)?), 0);
        READ.get(self.0)?.get_or_init(read).clone()
    }
}

/// The built-in fonts that most documents are set in: for text, for headings, for code.
pub(crate) fn usual() -> impl Iterator<Item = Font> {
    let faces = [(SERIF, 400), (SERIF, 600), (CODE, 400)];
    faces.into_iter().filter_map(|(family, weight)| {
        let is_it = |info: &FontInfo| {
            info.family == family
                && info.variant.style == FontStyle::Normal
                && info.variant.weight.to_number() == weight
        };
        BuiltIn(BUILT_IN.iter().position(is_it)?).load()
    })
}

static BUILT_IN: LazyLock<Vec<FontInfo>> =
    LazyLock::new(|| serde_json::from_str(BUILT_IN_INFOS).unwrap_or_else(|_| infos_of_built_in()));

/// What the built-in fonts say that they are.
fn infos_of_built_in() -> Vec<FontInfo> {
    let faces = vineloom_font::built_in().iter().flat_map(|file| Font::iter(Bytes::new(*file)));
    faces.map(|face| face.info().clone()).collect()
}

static SYSTEM: LazyLock<Vec<(FontPath, FontInfo)>> = LazyLock::new(|| fonts::system().collect());

/// The font files that a document names, by their paths as they are named.
type FontFiles = BTreeMap<String, Vec<u8>>;

/// Whether a font is named by its file.
pub fn is_font_file(name: &str) -> bool {
    let extension = name.rsplit_once('.').map(|(_, extension)| extension.to_ascii_lowercase());
    extension.is_some_and(|extension| ["ttf", "otf", "ttc", "otc", "woff", "woff2"].contains(&extension.as_str()))
}

/// The families of a document, each list ending in a built-in one, and where their faces come from.
pub(crate) struct Chosen {
    pub text: Vec<String>,
    pub code: Vec<String>,
    store: FontStore,
    /// Whether the system was asked, so that another machine may set the document otherwise.
    pub of_the_system: bool,
}

impl Chosen {
    /// Finds the fonts that the options name.
    ///
    /// # Errors
    /// [`PrintError`] for a file that is no font and a family that is not there.
    pub fn of(options: &PdfOptions, files: &FontFiles) -> Result<Self, PrintError> {
        let mut store = FontStore::new();
        for (number, info) in BUILT_IN.iter().enumerate() {
            store.push((BuiltIn(number), info.clone()));
        }
        let mut chosen = Chosen { text: Vec::new(), code: Vec::new(), store, of_the_system: false };
        chosen.text = chosen.families("font", &options.font, files)?;
        chosen.text.push(SERIF.into());
        chosen.code = chosen.families("code-font", &options.code_font, files)?;
        chosen.code.push(CODE.into());
        Ok(chosen)
    }

    fn families(&mut self, option: &str, names: &[String], files: &FontFiles) -> Result<Vec<String>, PrintError> {
        let mut families = Vec::new();
        for name in names {
            let family = match files.get(name) {
                Some(bytes) => self.take_file(option, name, bytes)?,
                None => self.take_family(option, name)?,
            };
            if !families.contains(&family) {
                families.push(family);
            }
        }
        Ok(families)
    }

    fn take_file(&mut self, option: &str, name: &str, bytes: &[u8]) -> Result<String, PrintError> {
        let faces: Vec<Font> = Font::iter(Bytes::new(bytes.to_vec())).collect();
        let Some(family) = faces.first().map(|face| face.info().family.clone()) else {
            return Err(PrintError::of(
                format!("`{option}`: {name} is not a font"),
                "font files are TrueType and OpenType: .ttf, .otf, .ttc, .otc",
            ));
        };
        for face in faces {
            let info = face.info().clone();
            self.store.push((face, info));
        }
        Ok(family)
    }

    fn take_family(&mut self, option: &str, name: &str) -> Result<String, PrintError> {
        let wanted = name.to_lowercase();
        if !self.store.book().contains_family(&wanted) {
            let faces = SYSTEM.iter().filter(|(_, info)| info.family.to_lowercase() == wanted);
            for (path, info) in faces {
                self.store.push((same(path), info.clone()));
                self.of_the_system = true;
            }
        }
        if self.store.book().contains_family(&wanted) {
            return Ok(name.into());
        }
        let known = SYSTEM.iter().map(|(_, info)| info.family.as_str()).chain([SERIF, CODE]);
        let help = match nearest(name, known) {
            Some(near) => format!("did you mean `{near}`?"),
            None => "name a family that is installed, or a font file, its path from the document's folder".into(),
        };
        Err(PrintError::of(format!("`{option}`: there is no font `{name}` on this system"), help))
    }

    /// Takes from the system what has the letters that no font at hand has.
    pub fn add_for(&mut self, text: &str) {
        let mut lacking: BTreeSet<char> = text.chars().filter(|&c| !c.is_ascii() && is_drawn(c)).collect();
        lacking.retain(|&c| !has(self.store.book(), c));
        if lacking.is_empty() {
            return;
        }
        // Even when nothing is found today: a font may be installed tomorrow.
        self.of_the_system = true;
        for (path, info) in SYSTEM.iter().filter(|(_, info)| lacking.iter().any(|&c| info.coverage.contains(c.into())))
        {
            self.store.push((same(path), info.clone()));
        }
    }

    pub fn into_store(self) -> FontStore {
        self.store
    }
}

fn same(path: &FontPath) -> FontPath {
    FontPath { path: path.path.clone(), index: path.index }
}

/// Whether any font has a letter.
pub(crate) fn has(book: &FontBook, c: char) -> bool {
    (0..).map_while(|at| book.info(at)).any(|info| info.coverage.contains(c.into()))
}

/// Whether a letter needs a shape: white space, marks of direction, joiners and selectors of variants need none.
pub(crate) fn is_drawn(c: char) -> bool {
    let selector = matches!(c, '\u{FE00}'..='\u{FE0F}' | '\u{E0100}'..='\u{E01EF}');
    let hint = matches!(c, '\u{200B}'..='\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2060}'..='\u{206F}' | '\u{FEFF}');
    !(c.is_whitespace() || c.is_control() || selector || hint || c == '\u{AD}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_built_in_fonts_are_what_is_written_down_of_them() {
        let fonts = infos_of_built_in();
        assert_eq!(fonts.len(), vineloom_font::built_in().len(), "each file holds one font");
        let list: Vec<String> = fonts.iter().map(|info| serde_json::to_string(info).unwrap()).collect();
        let text = format!("[\n{}\n]\n", list.join(",\n"));
        let file = concat!(env!("CARGO_MANIFEST_DIR"), "/src/built_in_fonts.json");
        if std::env::var_os("VINELOOM_UPDATE_DOCS").is_some() {
            std::fs::write(file, &text).unwrap();
        }
        let held: Vec<FontInfo> = serde_json::from_str(&std::fs::read_to_string(file).unwrap()).unwrap();
        assert!(held == fonts, "the fonts have changed: run this test once with VINELOOM_UPDATE_DOCS=1");
        for (number, info) in fonts.iter().enumerate() {
            assert_eq!(BuiltIn(number).load().unwrap().info(), info);
        }
    }

    #[test]
    fn the_usual_fonts_are_there() {
        let of = |font: Font| (font.info().family.clone(), font.info().variant.weight.to_number());
        let faces: Vec<(String, u16)> = usual().map(of).collect();
        assert_eq!(faces, [(SERIF.into(), 400), (SERIF.into(), 600), (CODE.into(), 400)]);
    }

    #[test]
    fn what_has_no_shape_asks_for_no_font() {
        assert!(['\u{200B}', '\u{FE0F}', '\u{200D}', '\u{A0}', '\n'].iter().all(|&c| !is_drawn(c)));
        assert!(['é', '🌱', '土'].iter().all(|&c| is_drawn(c)));
    }

    #[test]
    fn fonts_are_told_from_families_by_their_extension() {
        assert!(is_font_file("fonts/House.TTF") && !is_font_file("Noto Serif") && !is_font_file("St. Otf Sans"));
    }
}
