//! Print: a woven document as a PDF, typeset in process with nothing else installed.
//!
//! The document is written as source text for the typesetter (modules [`blocks`], [`inlines`], [`math`]), in
//! which every text of the author's is a quoted string, so that none of it is ever read as markup.

#![forbid(unsafe_code)]

mod blocks;
mod breaks;
mod findings;
mod fonts;
mod inlines;
mod long_lines;
mod math;
mod pictures;
mod runs;
mod source;
mod tables;
mod world;

pub use fonts::{FontFile, is_font_file};

use findings::Places;
use source::Writer;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use typst::World;
use typst::diag::SourceDiagnostic;
use typst::foundations::Smart;
use typst_layout::PagedDocument;
use typst_pdf::{PdfOptions, PdfStandard, PdfStandards};
use vineloom_document::Diagnostic;
use vineloom_document::options::{ExportOptions, Format};
use vineloom_export::Loss;
use vineloom_export::highlighted::Highlighted;
use vineloom_export::raw_html::without_html;
use vineloom_weave::Woven;
use vineloom_weave::woven::{Picture, Span};
use world::Sheet;

/// A PDF and what it could not show.
#[derive(Debug, Clone)]
pub struct Print {
    /// The file.
    pub bytes: Vec<u8>,
    /// How many pages it has.
    pub pages: usize,
    /// What is not shown as it was meant.
    pub losses: Vec<Loss>,
    /// Whether fonts of the system were looked for, so that another machine, or this one tomorrow, may set it otherwise.
    pub of_the_system: bool,
}

/// A document that could not be typeset, with all that is wrong.
#[derive(Debug, Clone, thiserror::Error)]
#[error("{}", .0.iter().map(|error| error.message.as_str()).collect::<Vec<_>>().join("; "))]
pub struct PrintError(pub Vec<Diagnostic>);

impl PrintError {
    fn of(message: impl Into<String>, help: impl Into<String>) -> Self {
        PrintError(vec![Diagnostic::unplaced(message).help(help)])
    }
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

/// What a document brings along for print.
#[derive(Debug, Clone, Default)]
pub struct Brought {
    /// The font files that the options name.
    pub fonts: Vec<FontFile>,
    /// The pictures that HTML in the text names, by their names there.
    pub pictures: BTreeMap<String, Picture>,
    /// Code of the document that is highlighted already.
    pub highlighted: Arc<Highlighted>,
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
pub fn print(woven: &Woven, options: &ExportOptions, brought: &Brought) -> Result<Print, PrintError> {
    let (width, height) = source::room(options);
    if width < LEAST_ROOM || height < LEAST_ROOM {
        let help = "make `margins` smaller, or `paper` larger; at least 4 cm have to be left each way";
        return Err(PrintError::of("the margins leave no room for text on the page", help));
    }
    if !FONT_SIZES.contains(&options.font_size) {
        let help = "sizes from 4pt to 72pt can be set";
        return Err(PrintError::of("`font-size` is no size that text can be read in", help));
    }
    let (plain, mut losses) = without_html(woven, &brought.pictures, Format::Pdf);
    let mut fonts = fonts::Chosen::of(options, &brought.fonts)?;
    let mut writer = Writer::new(&plain, options, &brought.highlighted);
    writer.document(&fonts);
    // What is only for other formats may be referred to all the same.
    let absent: BTreeSet<String> = writer.referred.difference(&writer.labels).cloned().collect();
    if !absent.is_empty() {
        writer = Writer { absent, ..Writer::new(&plain, options, &brought.highlighted) };
        writer.document(&fonts);
    }
    if !writer.errors.is_empty() {
        return Err(PrintError(writer.errors));
    }
    losses.append(&mut writer.losses);
    fonts.add_for(&writer.out);
    let drawn = writer.words_in_drawings();
    drawn.iter().for_each(|(words, _)| fonts.add_for(words));
    let of_the_system = fonts.of_the_system;
    let without_words = std::mem::take(&mut writer.without_words);
    let (source, pictures, places) = (writer.out, writer.pictures, writer.places);
    drop(plain);
    let set = Typeset::of(Sheet::new(source, pictures, fonts.into_store()), &places, &mut losses)?;
    let letters = findings::letters_without_shape(&set.document, set.sheet.book());
    losses.extend(findings::of_sizes(&set.document));
    losses.extend(findings::of_letters(&letters, set.sheet.text(), &set.places));
    losses.extend(findings::of_drawn_letters(&drawn, set.sheet.book()));
    let bytes = match options.standard.as_str() {
        "auto" if without_words.is_empty() => match set.export(&[PdfStandard::Ua_1]) {
            Ok(bytes) => bytes,
            // Accessible by the standard whenever it can be; tagged all the same when it can't.
            Err(PrintError(why)) => {
                if letters.is_empty() {
                    losses.extend(why.first().map(findings::of_the_standard));
                }
                set.export(&[])?
            }
        },
        "auto" => {
            losses.extend(findings::of_figures(&without_words));
            set.export(&[])?
        }
        word => set.export(&standard(word).into_iter().collect::<Vec<_>>())?,
    };
    // What the typesetter remembers is of no use to another document.
    typst::comemo::evict(0);
    Ok(Print { bytes, pages: set.document.pages().len(), losses, of_the_system })
}

/// A document that has been set, not yet a PDF.
struct Typeset<'a> {
    document: PagedDocument,
    sheet: Sheet,
    places: Places<'a>,
}

impl<'a> Typeset<'a> {
    fn of(sheet: Sheet, places: &'a [(usize, Option<Span>)], losses: &mut Vec<Loss>) -> Result<Self, PrintError> {
        let places = Places(places);
        let compiled = typst::compile::<PagedDocument>(&sheet);
        for warning in &compiled.warnings {
            let loss = Loss::new(format!("in the PDF: {}", warning.message)).at(place(warning, &sheet, &places));
            if !losses.contains(&loss) {
                losses.push(loss);
            }
        }
        match compiled.output {
            Ok(document) => Ok(Typeset { document, sheet, places }),
            Err(errors) => Err(as_error(&errors, &sheet, &places)),
        }
    }

    fn export(&self, standards: &[PdfStandard]) -> Result<Vec<u8>, PrintError> {
        let standards = PdfStandards::new(standards)
            .map_err(|error| PrintError::of(error.message().to_string(), "choose another `standard`"))?;
        let creator = Smart::Custom(Some(concat!("Vine Loom ", env!("CARGO_PKG_VERSION")).to_string()));
        let options = PdfOptions { standards, creator, ..PdfOptions::default() };
        typst_pdf::pdf(&self.document, &options).map_err(|errors| as_error(&errors, &self.sheet, &self.places))
    }
}

/// Where in the document the typesetter met something: in our source, or in what called the template.
fn place(found: &SourceDiagnostic, sheet: &Sheet, places: &Places) -> Option<Span> {
    let spans = std::iter::once(found.span).chain(found.trace.iter().map(|point| point.span.into()));
    spans.filter_map(|span| sheet.byte_of(span)).find_map(|byte| places.of(byte))
}

fn as_error(errors: &[SourceDiagnostic], sheet: &Sheet, places: &Places) -> PrintError {
    let mut found: Vec<Diagnostic> = Vec::new();
    if errors.iter().any(|error| error.message.contains("depth exceeded")) {
        let help = "lists, quotes and the like can stand in each other some thirty deep";
        return PrintError::of("the PDF can't be made: something in the text is nested too deep", help);
    }
    for error in errors {
        let message = format!("the PDF can't be made: {}", error.message);
        let mut diagnostic = match place(error, sheet, places) {
            Some(span) => Diagnostic::error(span, message),
            None => Diagnostic::unplaced(message),
        };
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
