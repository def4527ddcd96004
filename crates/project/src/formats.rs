//! The table of formats: which exporter makes which. A new format gets its row here and in the table of words.

use vineloom_document::options::Format;
use vineloom_export::AnyExporter;
use vineloom_export::deck::Deck;
use vineloom_export::html::Html;
use vineloom_export::markdown::Markdown;
use vineloom_pdf::{DeckPdf, Pdf};

/// The exporter of a format.
pub fn exporter(format: Format) -> &'static dyn AnyExporter {
    match format {
        Format::Html => &Html,
        Format::Pdf => &Pdf,
        Format::Markdown => &Markdown,
        Format::Deck => &Deck,
        Format::DeckPdf => &DeckPdf,
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
