//! The deck: slides in one HTML file, for whoever speaks and for whoever listens.
//!
//! Every slide is laid out in a room of fixed size, in fonts that come along, and drawn as large as the window has room
//! for: it looks the same on every machine. Without scripts the slides stand one below the other.

mod page;
pub mod slides;

use crate::html::HtmlOptions;
use crate::raw_html::picture_names;
use crate::{Export, Exporter, Job, Want};
use serde::Serialize;
use slides::Slide;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::Woven;

/// The deck.
#[derive(Debug, Clone, Copy)]
pub struct Deck;

/// The options of a deck.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct DeckOptions {
    /// What slides share with pages: theme, colours, style sheet and the like.
    pub html: HtmlOptions,
    /// What all formats of slides share.
    pub slides: SlideOptions,
    /// How one slide gives way to the next.
    pub change: Change,
}

/// What all formats of slides share.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct SlideOptions {
    /// Width and height of a slide.
    pub aspect: Aspect,
    /// The size of text, 1 being the usual.
    pub text_scale: f64,
    /// The size of code, 1 being the usual.
    pub code_scale: f64,
    /// Whether each slide says which it is.
    pub count: bool,
    /// Whether sections and slides are numbered.
    pub numbered: bool,
    /// Whether the speaker's notes come along.
    pub notes: bool,
    /// What stands at the foot of each slide.
    pub foot: String,
    /// A picture file for the corner of each slide.
    pub emblem: Option<String>,
}

/// Width and height of a slide.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub enum Aspect {
    /// 16 to 9.
    Wide,
    /// 4 to 3.
    Square,
}

impl Aspect {
    /// Width and height in CSS pixels.
    pub fn size(self) -> (u32, u32) {
        match self {
            Aspect::Wide => (1280, 720),
            Aspect::Square => (960, 720),
        }
    }
}

/// How one slide gives way to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Change {
    /// At once.
    None,
    /// Little by little.
    Fade,
    /// From the side.
    Slide,
}

impl SlideOptions {
    /// The same with what is set for one slide.
    #[must_use]
    pub fn for_slide(&self, slide: &Slide) -> Self {
        let own = slide.title.map(|heading| heading.slide.clone()).unwrap_or_default();
        let scale = |percent: Option<u32>, usual: f64| percent.map_or(usual, |percent| scale_of(percent.into()));
        SlideOptions {
            text_scale: scale(own.text_scale, self.text_scale),
            code_scale: scale(own.code_scale, self.code_scale),
            count: own.count.unwrap_or(self.count),
            foot: own.foot.unwrap_or_else(|| self.foot.clone()),
            ..self.clone()
        }
    }

    /// As the settings of a document have them.
    pub fn of(settings: &Settings) -> Self {
        let scale = |name: &str| settings.number(name).map_or(1.0, |percent| scale_of(percent as f64));
        SlideOptions {
            aspect: if settings.text("aspect") == Some("4:3") { Aspect::Square } else { Aspect::Wide },
            text_scale: scale("text-scale"),
            code_scale: scale("code-scale"),
            count: settings.flag("count"),
            numbered: settings.flag("numbered"),
            notes: settings.flag("notes"),
            foot: settings.text("foot").unwrap_or_default().into(),
            emblem: settings.text("emblem").map(String::from),
        }
    }
}

/// A scale in per cent as a factor that something can be read in.
fn scale_of(percent: f64) -> f64 {
    (percent / 100.0).clamp(0.3, 3.0)
}

impl Exporter for Deck {
    type Options = DeckOptions;

    fn format(&self) -> Format {
        Format::Deck
    }

    fn options(&self, settings: &Settings) -> DeckOptions {
        let change = match settings.text("change") {
            Some("fade") => Change::Fade,
            Some("slide") => Change::Slide,
            _ => Change::None,
        };
        DeckOptions { html: HtmlOptions::of(settings), slides: SlideOptions::of(settings), change }
    }

    fn wants(&self, woven: &Woven, options: &DeckOptions) -> Vec<Want> {
        let file = |what, path: &Option<String>| {
            path.iter().map(|path| Want::File { what, path: path.clone() }).collect::<Vec<_>>()
        };
        let files = [options.html.house.wants(), file("the emblem", &options.slides.emblem)].concat();
        let shared = [Want::HighlightedCode, Want::Pictures(picture_names(woven))];
        files.into_iter().chain(shared).collect()
    }

    fn export(&self, job: &Job<DeckOptions>) -> Result<Export, Vec<Diagnostic>> {
        let (bytes, slides) = page::deck(job)?;
        Ok(Export { bytes: bytes.into_bytes(), pages: Some(slides), ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        crate::html::Html.is_signed(file)
    }
}
