//! Print: a woven document as a PDF, typeset in process with nothing else installed.
//!
//! The document is written as source text for the typesetter (modules [`blocks`], [`inlines`], [`math`]), in
//! which every text of the author's is a quoted string, so that none of it is ever read as markup.

#![forbid(unsafe_code)]

mod blocks;
mod inlines;
mod math;
mod runs;
mod source;
mod world;

use source::Writer;
use typst_layout::PagedDocument;
use typst_pdf::{PdfOptions, PdfStandard, PdfStandards};
use vineloom_document::options::ExportOptions;
use vineloom_export::Loss;
use vineloom_weave::Woven;

/// A PDF and what it could not show.
#[derive(Debug, Clone)]
pub struct Print {
    /// The file.
    pub bytes: Vec<u8>,
    /// How many pages it has.
    pub pages: usize,
    /// What is not shown as it was meant.
    pub losses: Vec<Loss>,
}

/// A document that could not be typeset.
#[derive(Debug, Clone, thiserror::Error)]
#[error("the PDF can't be made: {0}")]
pub struct PrintError(String);

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

/// Typesets a woven document.
///
/// # Errors
/// [`PrintError`] with the typesetter's words, for example for a picture it can't read.
pub fn print(woven: &Woven, options: &ExportOptions) -> Result<Print, PrintError> {
    let mut writer = Writer::new(woven, options);
    writer.document();
    let Writer { out, pictures, losses, .. } = writer;
    let world = world::Sheet::new(out, pictures);
    let words = |errors: &[typst::diag::SourceDiagnostic]| {
        let mut messages: Vec<String> = errors.iter().map(|error| error.message.to_string()).collect();
        messages.dedup();
        PrintError(messages.join("; "))
    };
    let compiled = typst::compile::<PagedDocument>(&world);
    let mut losses = losses;
    for warning in &compiled.warnings {
        losses.push(Loss { message: format!("in the PDF: {}", warning.message), help: None });
    }
    losses.dedup();
    let document = compiled.output.map_err(|errors| words(&errors))?;
    let with = |standards: &[PdfStandard]| {
        let standards = PdfStandards::new(standards).map_err(|error| PrintError(error.message().to_string()))?;
        typst_pdf::pdf(&document, &PdfOptions { standards, ..PdfOptions::default() }).map_err(|errors| words(&errors))
    };
    let bytes = match options.standard.as_str() {
        // Accessible by the standard whenever it can be; tagged all the same when it can't.
        "auto" => match with(&[PdfStandard::Ua_1]) {
            Ok(bytes) => bytes,
            Err(why) => {
                let why = why.0.replace("PDF/UA-1 error: ", "");
                let help = match why.as_str() {
                    why if why.contains("alt text") => "give every figure its words: `alt=\"…\"`",
                    why if why.contains("heading level") => "let headings go down one level at a time",
                    _ => "`standard = \"none\"` asks for a PDF without the claim",
                };
                losses.push(Loss {
                    message: format!("the PDF is tagged and makes no claim to PDF/UA-1: {why}"),
                    help: Some(help.into()),
                });
                with(&[])?
            }
        },
        word => with(&standard(word).into_iter().collect::<Vec<_>>())?,
    };
    Ok(Print { bytes, pages: document.pages().len(), losses })
}
