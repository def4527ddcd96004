//! What was written: what the summary says of it, and the one export that goes to standard output.

use crate::{Exit, messages, output};
use std::path::Path;
use vineloom_document::options::Format;
use vineloom_project::{Made, from_here};

/// Writes the one export to standard output. One that has files beside it can't go there.
pub fn to_standard_output(exports: &[Made]) -> Result<(), Exit> {
    for made in exports {
        if !made.export.parts.is_empty() {
            let message =
                format!("{} has pictures in files of their own, and can't go to standard output", made.format);
            messages::error(&message, Some("name a folder with `--out`"));
            return Err(Exit::WrongUse);
        }
        if let Err(error) = output::export(&made.export.bytes) {
            messages::error(&format!("standard output takes no more: {error}"), None);
            return Err(Exit::WrongUse);
        }
    }
    Ok(())
}

/// What the summary says of the exports: their names, behind the folder they stand in where that is not the current one.
pub fn summaries(exports: &[Made]) -> Vec<String> {
    let mut said: Vec<String> = exports.iter().map(summary).collect();
    let path = exports.first().map(|made| from_here(&made.place.path));
    let folder = path.as_deref().and_then(Path::parent).filter(|folder| !folder.as_os_str().is_empty());
    if let (Some(folder), Some(first)) = (folder.filter(|folder| *folder != Path::new(".")), said.first_mut()) {
        *first = format!("in {}: {first}", folder.display());
    }
    said
}

/// What the summary says of an export.
fn summary(made: &Made) -> String {
    let path = &made.place.path;
    let name = path.file_name().map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned());
    let bytes = made.export.bytes.len();
    let noun = if matches!(made.format, Format::Deck | Format::Pptx) { "slide" } else { "page" };
    match made.export.pages {
        Some(1) => format!("{name} 1 {noun}"),
        Some(pages) => format!("{name} {pages} {noun}s"),
        None if bytes < 1_000_000 => format!("{name} {} KB", bytes.div_ceil(1000)),
        None => format!("{name} {:.1} MB", bytes as f64 / 1e6),
    }
}
