//! Print: a woven document as a PDF, typeset in process with nothing else installed.
//!
//! The document is written as source text for the typesetter (modules [`blocks`], [`inlines`], [`math`]), in
//! which every text of the author's is a quoted string, so that none of it is ever read as markup.

#![forbid(unsafe_code)]

mod beforehand;
mod blocks;
mod breaks;
mod colours;
mod deck;
mod error;
mod findings;
mod fonts;
mod fullness;
mod inlines;
mod joined_letters;
mod long_lines;
mod math;
mod options;
mod picture_file;
mod pictures;
mod press;
mod proof;
mod runs;
mod setting;
mod source;
mod sources;
mod tables;
mod template;
mod world;

pub use deck::{DeckPdf, DeckPdfOptions, slides_too_full};
pub use fonts::is_font_file;
pub use options::{Layout, Margins, Paper, PdfOptions};

use error::PrintError;
use findings::Places;
use picture_file::PictureFile;
use press::Haste;
use setting::Set;
use source::Writer;
use sources::Sources;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::time::Instant;
use typst::World;
use typst::diag::SourceDiagnostic;
use typst::foundations::Smart;
use typst_layout::PagedDocument;
use typst_pdf::{PdfStandard, PdfStandards};
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_export::raw_html::{picture_names, without_html};
use vineloom_export::{Assets, Export, Exporter, Job, Pages, Proof, Want};
use vineloom_woven::{Id, Picture, Span, Woven};
use world::Sheet;

/// Print.
#[derive(Debug, Clone, Copy)]
pub struct Pdf;

impl Exporter for Pdf {
    type Options = PdfOptions;

    fn format(&self) -> Format {
        Format::Pdf
    }

    fn has_pages(&self) -> bool {
        true
    }

    fn options(&self, settings: &Settings) -> PdfOptions {
        PdfOptions::of(settings)
    }

    fn wants(&self, woven: &Woven, options: &PdfOptions) -> Vec<Want> {
        fonts_wanted(options).chain([Want::HighlightedCode, Want::Pictures(picture_names(woven))]).collect()
    }

    fn export(&self, job: &Job<PdfOptions>) -> Result<Export, Vec<Diagnostic>> {
        print(job).map_err(|PrintError(found)| found)
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        let mark = b"<xmp:CreatorTool>Vine Loom ";
        file.starts_with(b"%PDF-") && file.windows(mark.len()).any(|window| window == mark)
    }
}

/// The font files that options name.
fn fonts_wanted(options: &PdfOptions) -> impl Iterator<Item = Want> {
    let fonts = options.font.iter().chain(&options.code_font).filter(|name| fonts::is_font_file(name));
    fonts.map(|path| Want::File { what: "the font", path: path.clone() })
}

/// The standard of that word; none for plain PDF.
fn standard(word: &str) -> Option<PdfStandard> {
    Some(match word {
        "ua-1" => PdfStandard::Ua_1,
        "a-1b" => PdfStandard::A_1b,
        "a-2b" => PdfStandard::A_2b,
        "a-2u" => PdfStandard::A_2u,
        "a-2a" => PdfStandard::A_2a,
        "a-3b" => PdfStandard::A_3b,
        "a-3u" => PdfStandard::A_3u,
        "a-4" => PdfStandard::A_4,
        _ => return None,
    })
}

/// Whether print can set a formula as one; else it shows the source.
pub fn reads_formula(latex: &str, macros: &str) -> bool {
    math::formula(latex, macros).is_ok()
}

/// A drawing as a PDF of its own size, and how wide it is, in pixels of 96 to the inch; nothing for one that can't be read.
pub fn drawing(picture: &Picture) -> Option<(Vec<u8>, f64)> {
    let settings = Settings::of_format(Format::Pdf);
    let fonts = fonts::Chosen::of(&PdfOptions::of(&settings), &BTreeMap::new()).ok()?;
    let name = picture.file_name();
    let source = format!("#set page(width: auto, height: auto, margin: 0pt, fill: none)\n#image(\"{name}\")");
    let pictures = BTreeMap::from([(name, PictureFile(picture.bytes.clone()))]);
    let sheet = Sheet::new(Sources::one("", source), pictures, fonts.into_store());
    let document = setting::from_nothing(&sheet).ok()?.document;
    let wide = document.pages().first()?.frame.width().to_pt() / 0.75;
    let bytes = typst_pdf::pdf(&document, &typst_pdf::PdfOptions::default()).ok()?;
    press::forget();
    Some((bytes, wide))
}

/// The least room for text on a page, in points: about 4 cm each way.
const LEAST_ROOM: f64 = 113.0;

/// The sizes of text that can be read, in points.
const FONT_SIZES: std::ops::RangeInclusive<f64> = 4.0..=72.0;

/// Typesets a woven document.
///
/// # Errors
/// [`PrintError`] for a picture or a font that can't be read, margins that leave no room, and whatever else the
/// typesetter finds, in its words.
fn print(job: &Job<PdfOptions>) -> Result<Export, PrintError> {
    let Job { woven, options, assets, proof, .. } = *job;
    let (width, height) = source::room(options);
    if width < LEAST_ROOM || height < LEAST_ROOM {
        let help = "make `margins` smaller, or `paper` larger; at least 4 cm have to be left each way";
        return Err(PrintError::of("the margins leave no room for text on the page", help));
    }
    if !FONT_SIZES.contains(&options.font_size) {
        let help = "sizes from 4pt to 72pt can be set";
        return Err(PrintError::of("`font-size` is no size that text can be read in", help));
    }
    let (plain, lost) = without_html(woven, &assets.pictures, Format::Pdf);
    typeset(&plain, options, (assets, proof), lost, &mut |writer, fonts| writer.document(fonts))
}

/// Typesets what `write` writes.
fn typeset(
    plain: &Woven,
    options: &PdfOptions,
    (assets, proof): (&Assets, Option<Proof>),
    mut lost: Vec<Diagnostic>,
    write: &mut dyn FnMut(&mut Writer, &fonts::Chosen),
) -> Result<Export, PrintError> {
    beforehand::begin();
    let mut fonts = fonts::Chosen::of(options, &assets.files)?;
    let mut writer = Writer::new(plain, options, &assets.highlighted);
    write(&mut writer, &fonts);
    // What is only for other formats may be referred to all the same.
    let absent: BTreeSet<Id> = writer.referred.difference(&writer.labels).cloned().collect();
    if !absent.is_empty() {
        writer = Writer { absent, ..Writer::new(plain, options, &assets.highlighted) };
        write(&mut writer, &fonts);
    }
    if !writer.errors.is_empty() {
        return Err(PrintError(writer.errors));
    }
    lost.append(&mut writer.lost);
    fonts.add_for(&writer.look);
    fonts.add_for(&writer.out);
    let drawn = writer.words_in_drawings();
    drawn.iter().for_each(|(words, _)| fonts.add_for(words));
    let of_the_system = fonts.of_the_system;
    let without_words = std::mem::take(&mut writer.without_words);
    let (look, text, pictures, places) = (writer.look, writer.out, writer.pictures, writer.places);
    let sources = match proof {
        Some(proof) => press::sources(proof.export, look, text, &writer.cuts),
        None => Sources::one(&look, text),
    };
    let sheet = Sheet::new(sources, pictures, fonts.into_store());
    let (sheet, places) = (Arc::new(sheet), Places(places));
    let begun = Instant::now();
    let shown = proof.and_then(|proof| show_ahead(proof, &sheet, &places));
    let haste = if shown.is_some() { Haste::Unhurried } else { Haste::Awaited };
    if let Some(proof) = proof.filter(|_| shown.is_some()) {
        press::put_off(proof, begun.elapsed())?;
    }
    let set = Typeset::of(sheet, places, (proof, haste), &mut lost)?;
    if let Some(proof) = proof {
        let pages = set.pages();
        // What is seen already need not be shown again.
        if shown.is_none_or(|shown| shown.all() != pages.all()) {
            (proof.pages)(pages);
        }
        press::remember(proof.export, &set.document);
    }
    let letters = findings::letters_without_shape(&set.document, set.sheet.book());
    lost.extend(findings::of_sizes(&set.document, &writer.named));
    lost.extend(findings::of_letters(&letters, set.sheet.text(), &set.places));
    lost.extend(findings::of_drawn_letters(&drawn, set.sheet.book()));
    let bytes = match options.standard.as_str() {
        "auto" if without_words.is_empty() => match set.export(&[PdfStandard::Ua_1], proof) {
            Ok(bytes) => bytes,
            // Accessible by the standard whenever it can be; tagged all the same when it can't.
            Err(PrintError(why)) => {
                if letters.is_empty() {
                    lost.extend(why.first().map(findings::of_the_standard));
                }
                set.export(&[], proof)?
            }
        },
        "auto" => {
            lost.extend(findings::of_figures(&without_words));
            set.export(&[], proof)?
        }
        word => set.export(&standard(word).into_iter().collect::<Vec<_>>(), proof)?,
    };
    // What the typesetter remembers is of no use to another document.
    press::forget_after(proof);
    let pages = Some(set.document.pages().len());
    Ok(Export { bytes, pages, findings: lost, of_this_machine: of_the_system, parts: Vec::new() })
}

/// What is told of the sizes in what `write` writes, without making a PDF of it; nothing when it can't be set.
fn measured(
    plain: &Woven,
    options: &PdfOptions,
    assets: &Assets,
    write: &mut dyn FnMut(&mut Writer, &fonts::Chosen),
) -> Vec<Diagnostic> {
    beforehand::begin();
    let Ok(mut fonts) = fonts::Chosen::of(options, &assets.files) else { return Vec::new() };
    let mut writer = Writer::new(plain, options, &assets.highlighted);
    write(&mut writer, &fonts);
    // A part of the slides is measured: references may lead to others.
    let absent: BTreeSet<Id> = writer.referred.difference(&writer.labels).cloned().collect();
    let mut writer = Writer { absent, ..Writer::new(plain, options, &assets.highlighted) };
    write(&mut writer, &fonts);
    fonts.add_for(&writer.look);
    fonts.add_for(&writer.out);
    let sheet = Arc::new(Sheet::new(Sources::one(&writer.look, writer.out), writer.pictures, fonts.into_store()));
    let set = Typeset::of(sheet, Places(writer.places), (None, Haste::Awaited), &mut Vec::new());
    let found = set.map_or_else(|_| Vec::new(), |set| findings::of_sizes(&set.document, &writer.named));
    press::forget();
    found
}

/// Shows the pages of a proof as soon as they can be known, and returns those that were shown.
fn show_ahead(proof: Proof, sheet: &Arc<Sheet>, places: &Places) -> Option<Arc<dyn Pages>> {
    let before = press::remembered(proof.export)?;
    let own = Arc::clone(sheet);
    let document = press::done(Some(proof), Haste::Awaited, move || setting::pages_ahead(&own, &before)).ok()??;
    let pages = proof::pages(&document, sheet, places);
    (proof.pages)(Arc::clone(&pages));
    Some(pages)
}

/// A document that has been set, not yet a PDF.
struct Typeset {
    document: PagedDocument,
    sheet: Arc<Sheet>,
    places: Places,
}

impl Typeset {
    fn of(
        sheet: Arc<Sheet>,
        places: Places,
        (proof, haste): (Option<Proof>, Haste),
        lost: &mut Vec<Diagnostic>,
    ) -> Result<Self, PrintError> {
        let own = Arc::clone(&sheet);
        let set = press::done(proof, haste, move || setting::from_nothing(&own))?;
        let Set { document, warnings } = set.map_err(|errors| as_error(&errors, &sheet, &places))?;
        for warning in &warnings {
            let loss = Diagnostic::loss(format!("in the PDF: {}", warning.message)).at(place(warning, &sheet, &places));
            if !lost.contains(&loss) {
                lost.push(loss);
            }
        }
        Ok(Typeset { document, sheet, places })
    }

    /// The pages, for who looks at a proof.
    fn pages(&self) -> Arc<dyn Pages> {
        proof::pages(&self.document, &self.sheet, &self.places)
    }

    fn export(&self, standards: &[PdfStandard], proof: Option<Proof>) -> Result<Vec<u8>, PrintError> {
        let standards = PdfStandards::new(standards)
            .map_err(|error| PrintError::of(error.message().to_string(), "choose another `standard`"))?;
        let creator = Smart::Custom(Some(concat!("Vine Loom ", env!("CARGO_PKG_VERSION")).to_string()));
        let options = typst_pdf::PdfOptions { standards, creator, ..typst_pdf::PdfOptions::default() };
        // Nothing of what the typesetter remembers is needed any more, and writing the pages takes memory, too.
        press::forget();
        let document = self.document.clone();
        let made = press::done(proof, Haste::Unhurried, move || typst_pdf::pdf(&document, &options))?;
        made.map_err(|errors| as_error(&errors, &self.sheet, &self.places))
    }
}

/// Where in the document the typesetter met something: in our source, or in what called the template.
fn place(found: &SourceDiagnostic, sheet: &Sheet, places: &Places) -> Span {
    let spans = std::iter::once(found.span).chain(found.trace.iter().map(|point| point.span.into()));
    let found = spans.filter_map(|span| sheet.byte_of(span)).find_map(|byte| places.of(byte).known());
    found.unwrap_or(Span::NOWHERE)
}

fn as_error(errors: &[SourceDiagnostic], sheet: &Sheet, places: &Places) -> PrintError {
    let mut found: Vec<Diagnostic> = Vec::new();
    if errors.iter().any(|error| error.message.contains("depth exceeded")) {
        let help = "lists, quotes and the like can stand in each other some thirty deep";
        return PrintError::of("the PDF can't be made: something in the text is nested too deep", help);
    }
    for error in errors {
        let message = format!("the PDF can't be made: {}", error.message);
        let mut diagnostic = Diagnostic::error(place(error, sheet, places), message);
        if error.message.contains("missing document date") {
            diagnostic = diagnostic.help("give the document a day: `date = \"today\"`, or `date = \"2026-11-23\"`");
        } else if error.message.contains("PDF/") {
            diagnostic = diagnostic.help("mend it, or ask for another `standard`");
        }
        if !found.contains(&diagnostic) {
            found.push(diagnostic);
        }
    }
    PrintError(found)
}
