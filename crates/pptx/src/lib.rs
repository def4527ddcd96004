//! Slides for an office program: an Office Open XML presentation (ECMA-376) whose titles, texts, tables and notes are what
//! that program itself would have made, so that they can be edited.
//!
//! The division into slides is that of every deck. [`items`] says what stands on a slide in a presentation's own terms,
//! [`arrange`] gives each of it its place, [`shapes`] writes it, and [`package`] puts the parts together.

#![forbid(unsafe_code)]

mod arrange;
mod frame;
mod items;
mod media;
mod package;
mod shapes;
mod xml;

use serde::Serialize;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_export::deck::SlideOptions;
use vineloom_export::deck::slides::slides;
use vineloom_export::raw_html::{picture_names, without_html};
use vineloom_export::{Export, Exporter, Job, Want};
use vineloom_woven::{Block, InlineKind, Woven, each_inline};

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
        }
    }

    fn wants(&self, woven: &Woven, options: &PptxOptions) -> Vec<Want> {
        let emblem = options.slides.emblem.iter().map(|path| Want::File { what: "the emblem", path: path.clone() });
        emblem.chain([Want::HighlightedCode, Want::Pictures(picture_names(woven))]).collect()
    }

    fn export(&self, job: &Job<PptxOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, .. } = *job;
        let (plain, mut findings) = without_html(woven, &assets.pictures, Format::Pptx);
        findings.extend(formulas(&plain));
        let all = slides(&plain, Format::Pptx);
        let count = all.len();
        let made = package::presentation(&plain, &all, options, assets);
        let bytes = made.map_err(|error| vec![Diagnostic::unplaced(format!("the slides can't be packed: {error}"))])?;
        Ok(Export { bytes, pages: Some(count), findings, ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        // The part that says so comes first and is not compressed.
        file.starts_with(b"PK") && file[..file.len().min(4096)].windows(MARK.len()).any(|window| window == MARK)
    }
}

/// What is told of formulas, which stand there as their writer wrote them.
fn formulas(woven: &Woven) -> Option<Diagnostic> {
    let mut first = None;
    woven.each_block(&mut |block| {
        if let Block::Equation { span, .. } = block {
            first = first.or(Some(*span));
        }
    });
    woven.each_text(&mut |text| {
        each_inline(text, &mut |inline| {
            if matches!(inline.kind, InlineKind::Math { .. }) {
                first = first.or(Some(inline.span));
            }
        });
    });
    let loss = Diagnostic::loss("formulas stand as LaTeX in the office slides");
    Some(loss.help("the program that shows them can turn LaTeX into a formula of its own").at(first?))
}

/// What the program signs its presentations with.
const MARK: &[u8] = b"<Application>Vine Loom</Application>";
