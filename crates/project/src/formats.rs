//! The table of formats: which exporter makes which. A new format gets its row here and in the table of words.

use blake3::Hash;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_docx::Docx;
use vineloom_export::deck::Deck;
use vineloom_export::epub::Epub;
use vineloom_export::html::Html;
use vineloom_export::markdown::Markdown;
use vineloom_export::notebook::Notebook;
use vineloom_export::text::Text;
use vineloom_export::{AnyExporter, Export, Job, Want};
use vineloom_latex::Latex;
use vineloom_pdf::{DeckPdf, Pdf, slides_too_full};
use vineloom_pptx::Pptx;
use vineloom_woven::Woven;

/// The exporter of a format.
pub fn exporter(format: Format) -> &'static dyn AnyExporter {
    match format {
        Format::Html => &Html,
        Format::Pdf => &Pdf,
        Format::Markdown => &Markdown,
        Format::Deck => &MeasuredDeck,
        Format::DeckPdf => &DeckPdf,
        Format::Pptx => &Pptx,
        Format::Text => &Text,
        Format::Docx => &Docx,
        Format::Epub => &Epub,
        Format::Latex => &Latex,
        Format::Notebook => &Notebook,
    }
}

/// Whether the exports of a format are made of what was written and not of the tree alone.
pub(crate) fn is_made_of_written_text(format: Format) -> bool {
    let wants = exporter(format).wants(&Woven::default(), &Settings::of_format(format));
    wants.iter().any(|want| matches!(want, Want::AuthorsText | Want::Program))
}

/// The place of a format among all, by how long its exports take: the longest first.
pub(crate) fn rank(format: Format) -> usize {
    let longest = [Format::Pdf, Format::DeckPdf, Format::Epub, Format::Docx, Format::Deck, Format::Pptx, Format::Latex];
    longest.iter().position(|known| *known == format).unwrap_or(longest.len())
}

/// The deck, of which each slide that has much on it is measured by the typesetter.
struct MeasuredDeck;

impl AnyExporter for MeasuredDeck {
    fn format(&self) -> Format {
        AnyExporter::format(&Deck)
    }

    fn has_pages(&self) -> bool {
        false
    }

    fn is_quick(&self) -> bool {
        false
    }

    fn wants(&self, woven: &Woven, settings: &Settings) -> Vec<Want> {
        AnyExporter::wants(&Deck, woven, settings)
    }

    fn key(&self, job: &Job<Settings>, program: &str) -> Hash {
        Deck.key(job, program)
    }

    fn export(&self, job: &Job<Settings>) -> Result<Export, Vec<Diagnostic>> {
        let mut export = AnyExporter::export(&Deck, job)?;
        export.findings.extend(slides_too_full(job));
        Ok(export)
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        AnyExporter::is_signed(&Deck, file)
    }
}

/// Whether a file says of itself that this program made it, in whichever format.
pub(crate) fn is_signed(file: &[u8]) -> bool {
    Format::ALL.into_iter().any(|format| exporter(format).is_signed(file))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_format_has_its_own_exporter() {
        for format in Format::ALL {
            assert_eq!(exporter(format).format(), format);
        }
    }
}
