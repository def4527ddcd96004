//! A document for a word processor: Office Open XML (ECMA-376) with the styles, fields, footnotes and tables that somebody
//! who knows such a program well would have made by hand, so that it can be edited on.
//!
//! [`styles`] has the styles, ours or those of a [`house`]; [`blocks`], [`runs`], [`inlines`] and [`tables`] write the body;
//! [`package`] puts the parts together. What comes back of it is read by [`remarks`].

#![forbid(unsafe_code)]

mod blocks;
mod fields;
mod house;
mod inlines;
mod namespaces;
mod numbering;
mod package;
mod page;
mod pictures;
mod returned;
mod runs;
mod styles;
mod tables;
mod writer;

pub use returned::{Remark, RemarkKind, remarks};
pub use vineloom_office::Unreadable;

use serde::Serialize;
use styles::Styles;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_export::html::palette;
use vineloom_export::layout::{Margins, Paper, headings_of};
use vineloom_export::raw_html::{picture_names, without_html};
use vineloom_export::{Contents, Export, Exporter, Job, Want};
use vineloom_woven::Woven;

/// A document for a word processor.
#[derive(Debug, Clone, Copy)]
pub struct Docx;

/// The options of a document for a word processor.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct DocxOptions {
    /// The lowest level of headings in the contents above the text; nothing where there are none.
    pub contents: Option<u8>,
    /// Whether headings are numbered.
    pub numbered: bool,
    /// Whether the code of live blocks is left out.
    /// The paper.
    pub paper: Paper,
    /// Its margins; the usual where there are none.
    pub margins: Option<Margins>,
    /// The scheme of code colours.
    pub code_colours: String,
    /// The document that gives styles, head and foot, by its path from the document's folder.
    pub styles_from: Option<String>,
}

impl Exporter for Docx {
    type Options = DocxOptions;

    fn format(&self) -> Format {
        Format::Docx
    }

    fn options(&self, settings: &Settings) -> DocxOptions {
        DocxOptions {
            contents: (Contents::of(settings) != Contents::None).then(|| Contents::depth(settings)),
            numbered: settings.flag("numbered"),
            paper: Paper::of(settings),
            margins: Margins::of(settings.list("margins")),
            code_colours: settings.text("code-colours").unwrap_or("theme").into(),
            styles_from: settings.text("styles-from").map(String::from),
        }
    }

    fn wants(&self, woven: &Woven, options: &DocxOptions) -> Vec<Want> {
        let house = options.styles_from.iter();
        let house = house.map(|path| Want::File { what: "the document of styles", path: path.clone() });
        house.chain([Want::HighlightedCode, Want::Pictures(picture_names(woven))]).collect()
    }

    fn export(&self, job: &Job<DocxOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, .. } = *job;
        let (plain, findings) = without_html(woven, &assets.pictures, Format::Docx);
        // Paper is white, whatever the theme of the page.
        let colours = palette("linen", &options.code_colours);
        let house = options.styles_from.as_ref().and_then(|path| Some((path, assets.files.get(path)?)));
        let house = match house {
            None => None,
            Some((path, bytes)) => Some(house::House::read(bytes).map_err(|error| {
                let message = format!("the document of styles {path} can't be used: {error}");
                let help = "it is a document (.docx) whose styles, head and foot the export takes";
                vec![Diagnostic::unplaced(message).help(help)]
            })?),
        };
        let top = headings_of(&plain.blocks, 6).iter().map(|heading| heading.level).min().unwrap_or(1);
        let styles = Styles::new(&colours, options, (&plain.head.language, top), house.as_ref());
        let body = writer::Writer::new(&plain, options, assets, &styles, (&colours, top)).document();
        let made = package::document((&plain, top), &styles, body, house.as_ref());
        let bytes =
            made.map_err(|error| vec![Diagnostic::unplaced(format!("the document can't be packed: {error}"))])?;
        Ok(Export { bytes, findings, ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        vineloom_office::is_signed(file)
    }
}
