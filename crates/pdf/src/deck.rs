//! A deck in print: one slide a page, or several on a sheet of paper.

use crate::colours::{PRINT, of_theme};
use crate::error::PrintError;
use crate::fonts::Chosen;
use crate::fullness::{LINES_OF_SLIDE, lines_on};
use crate::options::{Layout, Paper, PdfOptions};
use crate::source::{OnSlide, Writer, language, string};
use serde::Serialize;
use std::fmt::Write as _;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_export::deck::slides::{Slide, SlideKind, slides, steps_of};
use vineloom_export::deck::{Aspect, SlideOptions};
use vineloom_export::html::palette;
use vineloom_export::layout::Margins;
use vineloom_export::raw_html::{picture_names, without_html};
use vineloom_export::{Export, Exporter, Job, Want};
use vineloom_woven::Word;
use vineloom_woven::{Block, InlineKind, Picture, Shown, Woven, plain_text};

/// A deck in print.
#[derive(Debug, Clone, Copy)]
pub struct DeckPdf;

/// The options of a deck in print.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct DeckPdfOptions {
    /// What it shares with other print.
    pub pdf: PdfOptions,
    /// What all formats of slides share.
    pub slides: SlideOptions,
    /// How many slides a sheet has, or `notes` for one with its notes.
    pub per_sheet: String,
    /// Whether each step has its page.
    pub steps_as_pages: bool,
    /// The theme that gives the colours.
    pub theme: String,
    /// The scheme of code colours, or `theme` for that of the theme.
    pub code_colours: String,
}

impl DeckPdfOptions {
    /// The colours, as definitions. Slides on sheets of paper are printed: they are light.
    fn colours(&self) -> String {
        let palette = palette(&self.theme, &self.code_colours);
        if self.per_sheet == "1" { of_theme(&palette) } else { PRINT.into() }
    }
}

/// The size of text on a slide, in points.
const TEXT_SIZE: f64 = 17.4;
/// The size of code, as a part of the size of text.
const CODE_SIZE: f64 = 0.8;

impl Exporter for DeckPdf {
    type Options = DeckPdfOptions;

    fn format(&self) -> Format {
        Format::DeckPdf
    }

    fn has_pages(&self) -> bool {
        true
    }

    fn options(&self, settings: &Settings) -> DeckPdfOptions {
        let slides = SlideOptions::of(settings);
        let font_size = TEXT_SIZE * slides.text_scale;
        let paper = match slides.aspect {
            Aspect::Wide => Paper::WideSlide,
            Aspect::Square => Paper::SquareSlide,
        };
        let margins = Some(Margins { top: 26.0, right: 47.0, bottom: 17.0, left: 61.0 });
        let code_size = CODE_SIZE * slides.code_scale / slides.text_scale;
        let (layout, numbered) = (Layout::Slides, slides.numbered);
        let pdf = PdfOptions { paper, layout, margins, font_size, code_size, numbered, ..PdfOptions::of(settings) };
        DeckPdfOptions {
            pdf,
            slides,
            per_sheet: settings.text("per-sheet").unwrap_or("1").into(),
            steps_as_pages: settings.text("steps") == Some("pages"),
            theme: settings.text("theme").unwrap_or("linen").into(),
            code_colours: settings.text("code-colours").unwrap_or("theme").into(),
        }
    }

    fn wants(&self, woven: &Woven, options: &DeckPdfOptions) -> Vec<Want> {
        let emblem = options.slides.emblem.iter().map(|path| Want::File { what: "the emblem", path: path.clone() });
        let fonts = crate::fonts_wanted(&options.pdf);
        emblem.chain(fonts).chain([Want::HighlightedCode, Want::Pictures(picture_names(woven))]).collect()
    }

    fn export(&self, job: &Job<DeckPdfOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, proof, .. } = *job;
        let (plain, lost) = without_html(woven, &assets.pictures, Format::DeckPdf);
        let emblem = options.slides.emblem.as_ref().and_then(|path| Picture::new(assets.files.get(path)?.clone()));
        let mut write = |writer: &mut Writer, fonts: &Chosen| writer.deck(fonts, options, emblem.as_ref(), None);
        crate::typeset(&plain, &options.pdf, (assets, proof), lost, &mut write).map_err(|PrintError(found)| found)
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        crate::Pdf.is_signed(file)
    }
}

/// What is told of slides that have more on them than can be read from the back, measured as print sets them. Slides
/// that have little on them are not looked at, since measuring takes its time.
pub fn slides_too_full(job: &Job<Settings>) -> Vec<Diagnostic> {
    let options = DeckPdf.options(job.options);
    let (plain, _) = without_html(job.woven, &job.assets.pictures, Format::Deck);
    let full: Vec<String> = slides(&plain)
        .into_iter()
        .filter(|slide| lines_on(slide, &plain, &options.slides) > LINES_OF_SLIDE)
        .map(|slide| slide.id)
        .collect();
    if full.is_empty() {
        return Vec::new();
    }
    let mut write = |writer: &mut Writer, fonts: &Chosen| {
        writer.deck(fonts, &DeckPdfOptions { steps_as_pages: false, ..options.clone() }, None, Some(&full));
    };
    let found = crate::measured(&plain, &options.pdf, job.assets, &mut write);
    found.into_iter().filter(|finding| finding.message.starts_with("the slide")).collect()
}

impl Writer<'_> {
    /// Writes the slides; of many, only those whose places are asked for.
    fn deck(&mut self, fonts: &Chosen, options: &DeckPdfOptions, emblem: Option<&Picture>, only: Option<&[String]>) {
        self.measures(fonts);
        self.look.push_str(&options.colours());
        self.look.push_str(crate::template::OF_DOCUMENTS);
        self.look.push_str(crate::template::OF_SLIDES);
        let woven = self.woven;
        let head = &woven.head;
        let title = plain_text(&head.title);
        let all = slides(woven);
        let first = || all.iter().map(Slide::words).find(|words| !words.is_empty());
        let known_as = if title.is_empty() {
            first().unwrap_or_else(|| head.words.word(Word::Untitled).into())
        } else {
            title.clone()
        };
        let authors: String = head.authors.iter().map(|author| string(&author.name) + ",").collect();
        let date = self.day().unwrap_or_else(|| "none".into());
        let (language, region) = language(&head.language);
        let region = region.map_or("none".into(), |region| string(&region));
        // Writing to a String can't fail, here and below.
        let _ = write!(
            self.out,
            "\n#set document(title: {}, author: ({authors}), date: {date})\n\
             #set text(font: text-font, size: text-size, fill: ink, lang: {}, region: {region})\n\
             #set page(width: page-size.width, height: page-size.height, margin: 0pt)\n\
             #show link: it => if type(it.dest) == str {{ text(fill: accent, it) }} else {{ it }}\n\
             #set raw(theme: none)\n#show raw: set text(font: code-font, size: 0.92em)\n\
             #set list(marker: ([•], [–]), indent: 0.2em, body-indent: 0.6em)\n#set enum(indent: 0.2em, body-indent: 0.6em)\n",
            string(&known_as),
            string(&language),
        );
        let on_sheets = options.per_sheet != "1";
        if on_sheets {
            let _ = write!(self.out, "#sheets({}, (", string(&options.per_sheet));
        }
        let mut first_page = true;
        for (at, slide) in all.iter().enumerate() {
            if only.is_some_and(|only| !only.contains(&slide.id)) {
                continue;
            }
            let steps = if options.steps_as_pages { steps_of(&slide.blocks) } else { 0 };
            for shown in 0..=steps {
                let again = shown > 0;
                let shown = (steps > 0).then_some(shown);
                self.slide = Some(OnSlide { steps: 0, shown, again, code: 1.0 });
                self.at(slide.span, |writer| {
                    if on_sheets {
                        writer.out.push('(');
                    } else {
                        writer.out.push_str(if first_page { "#" } else { "#pagebreak()\n#" });
                    }
                    writer.slide(slide, at + 1, all.len(), options, emblem);
                    if on_sheets {
                        writer.out.push_str(", [");
                        if options.per_sheet == "notes" {
                            writer.slide = None;
                            writer.blocks(&slide.notes);
                        }
                        writer.out.push_str("]),");
                    }
                    writer.out.push('\n');
                });
                first_page = false;
            }
        }
        self.slide = None;
        if on_sheets {
            self.out.push_str("))\n");
        }
    }

    fn slide(
        &mut self,
        slide: &Slide,
        number: usize,
        count: usize,
        options: &DeckPdfOptions,
        emblem: Option<&Picture>,
    ) {
        let kind = match slide.kind {
            SlideKind::Title => "title",
            SlideKind::Divider => "divider",
            SlideKind::Content | SlideKind::Works => "content",
        };
        let _ = write!(self.out, "slide-box(kind: \"{kind}\"");
        if let (SlideKind::Content, Some(_)) = (slide.kind, slide.title) {
            self.out.push_str(", title: [");
            self.slide_heading(slide);
            self.out.push(']');
        }
        if slide.kind == SlideKind::Works {
            let words = string(self.woven.head.words.word(Word::WorksCited));
            let _ = write!(self.out, ", title: {words}");
        }
        let section = plain_text(&slide.section);
        let own = slide.title.is_some_and(|heading| heading.level == 1);
        if !section.is_empty() && !own {
            let _ = write!(self.out, ", section: {}", string(&section));
        }
        let own = options.slides.for_slide(slide);
        if !own.foot.is_empty() {
            let _ = write!(self.out, ", foot: {}", string(&own.foot));
        }
        if own.count {
            let _ = write!(self.out, ", count: \"{number} / {count}\"");
        }
        if let Some(picture) = emblem {
            let name = picture.file_name();
            self.pictures
                .entry(name.clone())
                .or_insert_with(|| crate::picture_file::PictureFile(picture.bytes.clone()));
            let _ = write!(self.out, ", emblem: pdf.artifact(image({}, height: 100%))", string(&name));
        }
        if !slide.footnotes.is_empty() {
            self.out.push_str(", notes: [");
            for &number in &slide.footnotes {
                let _ = write!(self.out, "#super(\"{number}\") ");
                let note = self.woven.note(number).to_vec();
                self.blocks(&note);
            }
            self.out.push(']');
        }
        let words = slide.words();
        let name = if words.is_empty() { format!("{number} of {count}") } else { words };
        let pictures = has_pictures(&slide.blocks);
        let named = self.name_of(&name);
        let _ = write!(
            self.out,
            ", pictures: {pictures}, told: (named: {}, name: {}), share => [",
            string(&named),
            string(&name)
        );
        match slide.kind {
            SlideKind::Title => self.slide_title(),
            SlideKind::Divider => {
                self.out.push_str("#text(1.3 * head-size, weight: \"semibold\")[");
                self.slide_heading(slide);
                self.out.push(']');
            }
            SlideKind::Content | SlideKind::Works => {
                // What is set for this slide alone holds for its content.
                let text = own.text_scale / options.slides.text_scale;
                if text != 1.0 {
                    let _ = writeln!(self.out, "#set text(size: {text} * text-size)");
                }
                if let Some(slide) = &mut self.slide {
                    slide.code = own.code_scale / options.slides.code_scale;
                }
                self.blocks(&slide.blocks);
            }
        }
        self.out.push_str("])");
    }

    fn slide_heading(&mut self, slide: &Slide) {
        let Some(heading) = slide.title else { return };
        let number = match self.options.numbered && !heading.number.is_empty() {
            true => string(&heading.number),
            false => "none".into(),
        };
        let again = self.slide.is_some_and(|slide| slide.again);
        let level = (heading.level + 1).saturating_sub(self.top).max(1);
        let _ = write!(self.out, "#slide-heading({level}, {number}, {})[", !again);
        self.inlines(&heading.content);
        self.out.push(']');
        if let Some(id) = heading.id.as_ref().filter(|_| !again) {
            self.anchor(id);
        }
    }

    fn slide_title(&mut self) {
        self.titles("slide-title");
    }
}

fn has_pictures(blocks: &[Block]) -> bool {
    let mut found = false;
    vineloom_woven::each_block(blocks, &mut |block| {
        if let Block::Run(run) = block {
            found |= run.results.iter().any(|shown| matches!(shown, Shown::Figure { .. }));
        }
    });
    vineloom_woven::each_text(blocks, &mut |text| {
        found |= text.iter().any(|inline| matches!(inline.kind, InlineKind::Image(_)));
    });
    found
}
