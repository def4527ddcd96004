//! What exports take along: the writer's own style sheet, the document and its data to download, fonts, pictures.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{Cursor, Write};
use std::path::{Component, Path};
use vineloom_document::Document;
use vineloom_document::options::ExportOptions;
use vineloom_export::html::{Along, Attachment};
use vineloom_export::raw_html::picture_names;
use vineloom_pdf::{FontFile, is_font_file};
use vineloom_weave::woven::Picture;
use vineloom_weave::{Made, Pictures, PicturesIn, Results, Woven};

/// What is brought along, by format.
#[derive(Debug, Default)]
pub struct Brought {
    /// For the page.
    pub page: Along,
    /// For print.
    pub print: vineloom_pdf::Brought,
}

/// Gathers what print takes along.
///
/// # Errors
/// In words, when a file that is named can't be read.
pub fn for_print(woven: &Woven, options: &ExportOptions, folder: &Path) -> Result<Brought, String> {
    let mut print = vineloom_pdf::Brought::default();
    for name in options.font.iter().chain(&options.code_font).filter(|name| is_font_file(name)) {
        let bytes = std::fs::read(folder.join(name))
            .map_err(|error| format!("the font {name} can't be read: {error}; paths start at the document's folder"))?;
        print.fonts.push(FontFile { name: name.clone(), bytes });
    }
    print.pictures = named_pictures(woven, folder);
    Ok(Brought { page: Along::default(), print })
}

/// The pictures that HTML in the text names. One that is not there is told of where it should stand.
fn named_pictures(woven: &Woven, folder: &Path) -> BTreeMap<String, Picture> {
    let files = PicturesIn(folder.into());
    picture_names(woven).into_iter().filter_map(|name| Some((name.clone(), files.read(&name).ok()?))).collect()
}

/// Gathers what the page takes along. `page` is the name of the page without its extension.
///
/// # Errors
/// In words, when a file that is named can't be read.
pub fn for_page(
    woven: &Woven,
    document: &Document,
    results: &Results,
    options: &ExportOptions,
    file: &Path,
    folder: &Path,
    page: &str,
) -> Result<Brought, String> {
    let style = match &options.style {
        Some(path) => std::fs::read_to_string(folder.join(path)).map_err(|error| {
            format!("the style sheet {path} can't be read: {error}; paths start at the document's folder")
        })?,
        None => String::new(),
    };
    let mut attachments = Vec::new();
    let name = file.file_name().map_or_else(|| "document.vine.md".into(), |name| name.to_string_lossy().into_owned());
    let source = std::fs::read(file).map_err(|error| format!("{} can't be read: {error}", file.display()))?;
    if options.attach_source && !options.attach_data {
        attachments.push(Attachment {
            name: name.clone(),
            media: "text/markdown;charset=utf-8".into(),
            words: format!("the source, {name}"),
            bytes: source.clone(),
        });
    }
    if options.attach_data {
        let names = data_files(document, results);
        let bytes =
            zipped(&name, &source, &names, folder).map_err(|error| format!("its data can't be packed: {error}"))?;
        let count = names.len();
        attachments.push(Attachment {
            name: format!("{page}.zip"),
            media: "application/zip".into(),
            words: format!("the source with {count} {} that it read", if count == 1 { "file" } else { "files" }),
            bytes,
        });
    }
    let pictures = named_pictures(woven, folder);
    let parts = (!options.single_file).then(|| format!("{page}-parts"));
    Ok(Brought { page: Along { style, attachments, parts, pictures, ..Along::default() }, ..Brought::default() })
}

/// The files below the document's folder that its blocks read and did not make, and those that it is put together from.
fn data_files(document: &Document, results: &Results) -> BTreeSet<String> {
    let made: BTreeSet<&String> = results
        .files
        .iter()
        .flatten()
        .flat_map(|files| &files.outputs)
        .filter(|(_, made)| *made != Made::Nothing)
        .map(|(name, _)| name)
        .collect();
    let read = results.files.iter().flatten().flat_map(|files| files.inputs.iter().map(|(name, _)| name));
    let declared = document.live.iter().flat_map(|block| &block.options.reads);
    let is_inside = |name: &&String| {
        let mut parts = Path::new(name.as_str()).components();
        !name.is_empty() && parts.all(|part| matches!(part, Component::Normal(_)))
    };
    read.chain(declared).filter(is_inside).filter(|name| !made.contains(name)).cloned().collect()
}

/// The document and its files in a zip archive; the same input gives the same bytes.
fn zipped(name: &str, source: &[u8], names: &BTreeSet<String>, folder: &Path) -> std::io::Result<Vec<u8>> {
    let options = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Deflated);
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    archive.start_file(name, options)?;
    archive.write_all(source)?;
    for path in names.iter().filter(|path| folder.join(path).is_file()) {
        archive.start_file(path.as_str(), options)?;
        archive.write_all(&std::fs::read(folder.join(path))?)?;
    }
    Ok(archive.finish()?.into_inner())
}
