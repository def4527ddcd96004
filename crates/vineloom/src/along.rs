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
    /// The data files that the page offers for download, by their paths from the document's folder.
    pub taken: Vec<String>,
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
    Ok(Brought { print, ..Brought::default() })
}

/// The pictures that HTML in the text names. One that is not there is told of where it should stand.
fn named_pictures(woven: &Woven, folder: &Path) -> BTreeMap<String, Picture> {
    let files = PicturesIn(folder.into());
    picture_names(woven).into_iter().filter_map(|name| Some((name.clone(), files.read(&name).ok()?))).collect()
}

/// Where a document lies.
#[derive(Debug, Clone, Copy)]
pub struct DocumentPlace<'a> {
    /// Its file.
    pub file: &'a Path,
    /// Its folder, absolute.
    pub folder: &'a Path,
    /// The folder of its project.
    pub project: &'a Path,
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
    at: DocumentPlace,
    page: &str,
) -> Result<Brought, String> {
    let DocumentPlace { file, folder, project } = at;
    let mut taken = Vec::new();
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
        let names = data_files(document, results, folder, project);
        let bytes =
            zipped(&name, &source, &names, folder).map_err(|error| format!("its data can't be packed: {error}"))?;
        let count = names.len();
        taken.extend(names);
        attachments.push(Attachment {
            name: format!("{page}.zip"),
            media: "application/zip".into(),
            words: format!("the source with {count} {} that it read", if count == 1 { "file" } else { "files" }),
            bytes,
        });
    }
    let pictures = named_pictures(woven, folder);
    let parts = (!options.single_file).then(|| format!("{page}-parts"));
    let page = Along { style, attachments, parts, pictures, ..Along::default() };
    Ok(Brought { page, taken, ..Brought::default() })
}

/// The files below the document's folder that its blocks read and did not make, and those that they declare to read:
/// those that the writer can have meant to give away.
fn data_files(document: &Document, results: &Results, folder: &Path, project: &Path) -> BTreeSet<String> {
    let made: BTreeSet<&String> = results
        .files
        .iter()
        .flatten()
        .flat_map(|files| &files.outputs)
        .filter(|(_, made)| *made != Made::Nothing)
        .map(|(name, _)| name)
        .collect();
    let read = results.files.iter().flatten().flat_map(|files| files.inputs.iter().map(|(name, _)| name.clone()));
    let declared = document.live.iter().flat_map(|block| &block.options.reads).flat_map(|pattern| {
        let paths = glob::glob(&folder.join(pattern).to_string_lossy()).into_iter().flatten().flatten();
        paths
            .filter_map(|path| Some(path.strip_prefix(folder).ok()?.to_string_lossy().into_owned()))
            .collect::<Vec<_>>()
    });
    let meant = |name: &String| {
        !made.contains(name) && is_data(Path::new(name)) && {
            // A link gives away what it leads to.
            let real = std::fs::canonicalize(folder.join(name)).ok();
            let below = real
                .as_deref()
                .and_then(|real| Some(real.strip_prefix(std::fs::canonicalize(project).ok()?).ok()?.to_path_buf()));
            below.is_some_and(|below| is_data(&below))
                && folder.join(name).is_file()
                && !in_environment(&folder.join(name), folder)
        }
    };
    read.chain(declared).filter(meant).collect()
}

/// Files of these kinds hold keys, passwords or certificates.
const KEYS: [&str; 12] = ["pem", "key", "p12", "pfx", "jks", "keystore", "kdbx", "gpg", "asc", "ppk", "crt", "p8"];
/// So do files whose names begin so.
const KEY_NAMES: [&str; 6] = ["id_rsa", "id_dsa", "id_ecdsa", "id_ed25519", "credentials", "secrets"];
/// Folders that hold what version control and interpreters bring.
const BROUGHT: [&str; 8] =
    ["CVS", "_darcs", "node_modules", "site-packages", "__pycache__", "vendor", "bower_components", "packrat"];

/// Whether a path, from a folder of the document's, can be of data: no part of it is hidden, or of version control, or
/// of an interpreter's packages, and it is no key.
fn is_data(path: &Path) -> bool {
    let plain = |part: Component| match part {
        Component::Normal(name) => {
            let name = name.to_string_lossy();
            !name.starts_with('.') && !BROUGHT.contains(&&*name)
        }
        _ => false,
    };
    let name = path.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let extension = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    path != Path::new("")
        && path.components().all(plain)
        && !KEYS.contains(&&*extension)
        && !KEY_NAMES.iter().any(|key| name.starts_with(key))
}

/// Whether a file lies in a folder below `top` that is an environment of an interpreter.
fn in_environment(path: &Path, top: &Path) -> bool {
    let marks = ["pyvenv.cfg", "conda-meta"];
    let folders = path.ancestors().skip(1).take_while(|folder| folder.starts_with(top) && *folder != top);
    folders.into_iter().any(|folder| marks.iter().any(|mark| folder.join(mark).exists()))
}

/// The document and its files in a zip archive; the same input gives the same bytes.
fn zipped(name: &str, source: &[u8], names: &BTreeSet<String>, folder: &Path) -> std::io::Result<Vec<u8>> {
    let options = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Deflated);
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    archive.start_file(name, options)?;
    archive.write_all(source)?;
    for path in names {
        archive.start_file(path.as_str(), options)?;
        archive.write_all(&std::fs::read(folder.join(path))?)?;
    }
    Ok(archive.finish()?.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_can_be_meant_to_be_given_away_is_data() {
        for name in ["june.csv", "data/june.csv", "src/decode.py", "notes/key figures.txt", "keyboard.csv"] {
            assert!(is_data(Path::new(name)), "{name}");
        }
        for name in [
            ".env",
            ".git/config",
            "data/.hidden/x",
            "../x",
            "/etc/passwd",
            "",
            "server.key",
            "a/ca.PEM",
            "id_rsa",
            "id_ed25519.pub",
            "credentials.json",
            "secrets.toml",
            "node_modules/x/y.js",
            "venv/lib/site-packages/x.py",
            "__pycache__/x.pyc",
            "CVS/Entries",
            "store.kdbx",
        ] {
            assert!(!is_data(Path::new(name)), "{name}");
        }
    }
}
