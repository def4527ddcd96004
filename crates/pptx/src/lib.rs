//! Slides for an office program: an Office Open XML presentation (ECMA-376) whose titles, texts, tables and notes are what
//! that program itself would have made, so that they can be edited.
//!
//! The division into slides is that of every deck. [`items`] says what stands on a slide in a presentation's own terms,
//! [`arrange`] gives each of it its place, [`shapes`] writes it, and [`package`] puts the parts together on a [`design`]: that
//! of [`frame`], which is ours, or that of a [`house`].

#![forbid(unsafe_code)]

mod arrange;
mod design;
mod frame;
mod house;
mod items;
mod package;
mod pieces;
mod shapes;

use serde::Serialize;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_export::deck::SlideOptions;
use vineloom_export::deck::slides::slides;
use vineloom_export::html::palette;
use vineloom_export::raw_html::{picture_names, without_html};
use vineloom_export::{Export, Exporter, Job, Want};
use vineloom_woven::Woven;

/// Slides for an office program.
#[derive(Debug, Clone, Copy)]
pub struct Pptx;

/// The options of slides for an office program.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct PptxOptions {
    /// What all formats of slides share.
    pub slides: SlideOptions,
    /// The theme that gives the colours.
    pub theme: String,
    /// The scheme of code colours, or `theme` for that of the theme.
    pub code_colours: String,
    /// The presentation that gives master and layouts, by its path from the document's folder.
    pub styles_from: Option<String>,
}

impl Exporter for Pptx {
    type Options = PptxOptions;

    fn format(&self) -> Format {
        Format::Pptx
    }

    fn options(&self, settings: &Settings) -> PptxOptions {
        PptxOptions {
            slides: SlideOptions::of(settings),
            theme: settings.text("theme").unwrap_or("linen").into(),
            code_colours: settings.text("code-colours").unwrap_or("theme").into(),
            styles_from: settings.text("styles-from").map(String::from),
        }
    }

    fn wants(&self, woven: &Woven, options: &PptxOptions) -> Vec<Want> {
        let emblem = options.slides.emblem.iter().map(|path| Want::File { what: "the emblem", path: path.clone() });
        let house = options.styles_from.iter();
        let house = house.map(|path| Want::File { what: "the presentation of styles", path: path.clone() });
        emblem.chain(house).chain([Want::HighlightedCode, Want::Pictures(picture_names(woven))]).collect()
    }

    fn export(&self, job: &Job<PptxOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, .. } = *job;
        let (plain, findings) = without_html(woven, &assets.pictures, Format::Pptx);
        let all = slides(&plain);
        let count = all.len();
        let colours = palette(&options.theme, &options.code_colours);
        let house = options.styles_from.as_ref().and_then(|path| Some((path, assets.files.get(path)?)));
        let (design, colours) = match house {
            None => (frame::ours(&options.slides, &colours), colours),
            Some((path, bytes)) => {
                let design = house::house(bytes).map_err(|error| {
                    let help = "it is a presentation (.pptx) whose master and layouts the slides take";
                    let message = format!("the presentation of styles {path} can't be used: {error}");
                    vec![Diagnostic::unplaced(message).help(help)]
                })?;
                // Code is coloured for the ground that the house has.
                let theme = if design.dark { "indigo" } else { "undyed" };
                (design, palette(theme, &options.code_colours))
            }
        };
        let made = package::presentation(&plain, &all, options, (&design, &colours), assets);
        let bytes = made.map_err(|error| vec![Diagnostic::unplaced(format!("the slides can't be packed: {error}"))])?;
        Ok(Export { bytes, pages: Some(count), findings, ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        vineloom_office::is_signed(file)
    }
}
