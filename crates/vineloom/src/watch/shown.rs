//! The exports of a document, as the live page shows them.

use vineloom_document::options::Format;
use vineloom_project::{Made, Place};
use vineloom_serve::{Shown, page_around, page_of_print};

/// A document's exports as they are shown, and the ways to look at it.
pub struct View {
    /// All files, the main view first.
    pub files: Vec<Shown>,
    /// What each view is called, and its file.
    pub views: Vec<(&'static str, String)>,
}

/// An export without its parts.
pub fn file(made: &Made) -> Shown {
    Shown { name: name(&made.place), bytes: made.export.bytes.clone() }
}

/// What the file at a place is called.
pub fn name(place: &Place) -> String {
    place.path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// All exports with their parts. One that is no page is looked at within a page of its own.
pub fn shown(title: &str, exports: &[Made]) -> View {
    let view = |made: &Made| match made.format {
        Format::Html => (0, "Page"),
        Format::Deck => (1, "Slides"),
        Format::Pdf => (2, "Print"),
        Format::DeckPdf => (3, "Slides on paper"),
        Format::Text | Format::Markdown | Format::Latex => (4, "Text"),
        _ => (5, ""),
    };
    let mut ordered: Vec<&Made> = exports.iter().collect();
    ordered.sort_by_key(|made| view(made).0);
    let mut all = View { files: Vec::new(), views: Vec::new() };
    for made in &ordered {
        let (rank, called) = view(made);
        let is_of_use = rank < 4 || all.views.is_empty();
        let file = match name(&made.place) {
            page if page.ends_with(".html") => page,
            other if is_of_use => {
                let around = match made.format {
                    Format::Pdf | Format::DeckPdf => page_of_print(title, &other),
                    _ => page_around(title, &other),
                };
                let page = format!("view-of-{other}.html");
                all.files.push(Shown { name: page.clone(), bytes: around.into_bytes() });
                page
            }
            _ => continue,
        };
        if is_of_use && !called.is_empty() {
            all.views.push((called, file));
        }
    }
    for made in ordered {
        let folder = made.place.parts().file_name().unwrap_or_default().to_string_lossy().into_owned();
        all.files.push(file(made));
        for (part, bytes) in &made.export.parts {
            // Parts are named from the folder of the export, or from their own.
            let name = if part.starts_with(&folder) { part.clone() } else { format!("{folder}/{part}") };
            all.files.push(Shown { name, bytes: bytes.clone() });
        }
    }
    let main = all.views.first().map(|(_, file)| file.clone());
    if let Some(at) = all.files.iter().position(|file| Some(&file.name) == main.as_ref()) {
        all.files.swap(0, at);
    }
    all
}
