//! The exports of a document, as the live page shows them.

use vineloom_document::options::Format;
use vineloom_project::Made;
use vineloom_serve::Shown;

/// All exports with their parts, the one that browsers show best first. One that is no page is put into a page.
pub fn shown(title: &str, exports: &[Made]) -> Vec<Shown> {
    let name = |made: &Made| made.place.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let rank = |made: &&Made| match made.format {
        Format::Html => 0,
        Format::Deck => 1,
        Format::Pdf => 2,
        Format::DeckPdf => 3,
        _ => 4,
    };
    let mut ordered: Vec<&Made> = exports.iter().collect();
    ordered.sort_by_key(rank);
    let mut all = Vec::new();
    if let Some(first) = ordered.first().filter(|made| !name(made).ends_with(".html")) {
        all.push(Shown { name: "view.html".into(), bytes: around(title, &name(first)).into_bytes() });
    }
    for made in ordered {
        let folder = made.place.parts().file_name().unwrap_or_default().to_string_lossy().into_owned();
        all.push(Shown { name: name(made), bytes: made.export.bytes.clone() });
        for (part, bytes) in &made.export.parts {
            // Parts are named from the folder of the export, or from their own.
            let name = if part.starts_with(&folder) { part.clone() } else { format!("{folder}/{part}") };
            all.push(Shown { name, bytes: bytes.clone() });
        }
    }
    all
}

/// A page that shows a file as browsers show it.
fn around(title: &str, name: &str) -> String {
    let escaped = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{0}</title></head>\n\
         <body style=\"margin: 0\"><iframe src=\"{1}\" title=\"{0}\" style=\"position: fixed; inset: 0; width: 100%; height: 100%; border: 0\"></iframe>\n\
         </body></html>\n",
        escaped(title),
        escaped(name)
    )
}
