//! Print: a woven document as a PDF, typeset in process with nothing else installed.
//!
//! The document is written as source text for the typesetter (modules [`blocks`], [`inlines`], [`math`]), in
//! which every text of the author's is a quoted string, so that none of it is ever read as markup.

#![forbid(unsafe_code)]

mod blocks;
mod inlines;
mod math;
mod source;
mod world;

use source::Writer;
use typst_layout::PagedDocument;
use typst_pdf::PdfOptions;
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
    let bytes = typst_pdf::pdf(&document, &PdfOptions::default()).map_err(|errors| words(&errors))?;
    Ok(Print { bytes, pages: document.pages().len(), losses })
}
