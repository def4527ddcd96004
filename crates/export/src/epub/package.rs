//! The package of a book: EPUB 3.3, its files, what it says of itself, its contents.

use crate::xml::text;
use std::fmt::Write as _;
use std::io::{Cursor, Write};
use vineloom_woven::Word;
use vineloom_woven::{Head, plain_text};
use zip::result::ZipError;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// What every file begins with.
pub(super) const XML: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n";
/// What the program signs its books with.
const MARK: &str = "<!-- Woven by Vine Loom -->";

/// A file of a book, by its path from the folder of the book.
pub(super) struct File {
    pub name: String,
    pub media: &'static str,
    pub bytes: Vec<u8>,
    /// What it is to the book: `nav`, `mathml`, `cover-image`.
    pub properties: &'static str,
    /// Whether it is read in its turn.
    pub is_read: bool,
}

/// The book in an archive, its type and its mark first.
///
/// # Errors
/// What keeps the archive from being made.
pub(super) fn archive(opf: &str, files: &[File]) -> Result<Vec<u8>, ZipError> {
    let container = format!(
        "{XML}{MARK}\n<container version=\"1.0\" xmlns=\"urn:oasis:names:tc:opendocument:xmlns:container\"><rootfiles><rootfile full-path=\"EPUB/book.opf\" media-type=\"application/oebps-package+xml\"/></rootfiles></container>\n"
    );
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    let stored = SimpleFileOptions::default()
        .last_modified_time(zip::DateTime::default())
        .compression_method(CompressionMethod::Stored);
    let packed = stored.compression_method(CompressionMethod::Deflated);
    let mut add = |name: &str, options: SimpleFileOptions, bytes: &[u8]| {
        writer.start_file(name, options)?;
        writer.write_all(bytes).map_err(ZipError::from)
    };
    add("mimetype", stored, b"application/epub+zip")?;
    add("META-INF/container.xml", stored, container.as_bytes())?;
    add("EPUB/book.opf", packed, opf.as_bytes())?;
    for file in files {
        let options = if file.media.contains("xml") || file.media.starts_with("text/") { packed } else { stored };
        add(&format!("EPUB/{}", file.name), options, &file.bytes)?;
    }
    Ok(writer.finish()?.into_inner())
}

/// Whether a file says of itself that this program made it.
pub(super) fn is_signed(file: &[u8]) -> bool {
    let mark = MARK.as_bytes();
    file.starts_with(b"PK") && file[..file.len().min(2048)].windows(mark.len()).any(|window| window == mark)
}

/// What a book says of itself, and its files in order.
pub(super) fn opf(head: &Head, identifier: &str, files: &[File], shows: Shows) -> String {
    let title = plain_text(&head.title);
    let title = if title.is_empty() { head.words.word(Word::Untitled) } else { &title };
    let language = if head.language.is_empty() { "en" } else { &head.language };
    let mut about = format!(
        "<dc:identifier id=\"id\">{}</dc:identifier><dc:title>{}</dc:title><dc:language>{}</dc:language>",
        text(identifier),
        text(title),
        text(language)
    );
    for author in &head.authors {
        let _ = write!(about, "<dc:creator>{}</dc:creator>", text(&author.name));
    }
    let subtitle = plain_text(&head.subtitle);
    if !subtitle.is_empty() {
        let _ = write!(about, "<dc:description>{}</dc:description>", text(&subtitle));
    }
    if let Some(licence) = &head.licence {
        let _ = write!(about, "<dc:rights>{}</dc:rights>", text(licence));
    }
    if let Some(day) = &head.day {
        let _ = write!(about, "<dc:date>{}</dc:date>", text(day));
    }
    // The same document gives the same book: it is as old as the document says.
    let day = head.day.as_deref().unwrap_or("2000-01-01");
    let _ = write!(about, "<meta property=\"dcterms:modified\">{}T00:00:00Z</meta>", text(day));
    let modes: &[&str] = if shows.pictures { &["textual", "visual"] } else { &["textual"] };
    let mut features = vec!["structuralNavigation", "tableOfContents", "readingOrder", "displayTransformability"];
    features.extend(shows.pictures.then_some("alternativeText"));
    features.extend(shows.formulas.then_some("MathML"));
    for mode in modes {
        let _ = write!(about, "<meta property=\"schema:accessMode\">{mode}</meta>");
    }
    about.push_str("<meta property=\"schema:accessModeSufficient\">textual</meta>");
    for feature in features {
        let _ = write!(about, "<meta property=\"schema:accessibilityFeature\">{feature}</meta>");
    }
    about.push_str("<meta property=\"schema:accessibilityHazard\">none</meta>");
    let direction = match vineloom_woven::runs_from_the_right(&head.language) {
        true => " page-progression-direction=\"rtl\"",
        false => "",
    };
    let mut manifest = String::new();
    let mut spine = String::new();
    for (at, file) in files.iter().enumerate() {
        let properties = match file.properties {
            "" => String::new(),
            properties => format!(" properties=\"{properties}\""),
        };
        let name = text(&file.name);
        let _ = write!(manifest, "<item id=\"f{at}\" href=\"{name}\" media-type=\"{}\"{properties}/>", file.media);
        if file.is_read {
            let _ = write!(spine, "<itemref idref=\"f{at}\"/>");
        }
    }
    format!(
        "{XML}<package xmlns=\"http://www.idpf.org/2007/opf\" version=\"3.0\" unique-identifier=\"id\" xml:lang=\"{}\" prefix=\"schema: http://schema.org/\">\n\
         <metadata xmlns:dc=\"http://purl.org/dc/elements/1.1/\">{about}</metadata>\n<manifest>{manifest}</manifest>\n<spine{direction}>{spine}</spine>\n</package>\n",
        text(language)
    )
}

/// What a book shows besides text.
#[derive(Debug, Clone, Copy)]
pub(super) struct Shows {
    pub pictures: bool,
    pub formulas: bool,
}
