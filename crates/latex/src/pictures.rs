//! Figures: drawings as PDF, photographs as they are, other pictures as PNG, each in a file of its own.

use crate::escape::text;
use crate::writer::Writer;
use image::ImageFormat;
use std::io::Cursor;
use vineloom_document::Diagnostic;
use vineloom_pdf::drawing;
use vineloom_woven::{Media, Picture, Span};

/// The width of a line of text, about, in pixels of 96 to the inch.
const LINE: f64 = 480.0;

impl Writer<'_> {
    /// A picture on a line of its own.
    pub fn picture(&mut self, picture: &Picture, alt: &str, at: Span) -> String {
        self.set(picture, alt, None, at)
    }

    /// A picture among words. `width` is in pixels.
    pub fn small_picture(&mut self, picture: &Picture, alt: &str, width: Option<f64>, at: Span) -> String {
        self.set(picture, alt, width, at)
    }

    fn set(&mut self, picture: &Picture, alt: &str, width: Option<f64>, at: Span) -> String {
        let Some((ending, bytes, wide)) = file(picture) else {
            let loss = Diagnostic::loss("a picture can't be read, and its words stand for it in the LaTeX source");
            self.unknown_pictures.push(loss.at(at));
            return text(alt);
        };
        let stem = &picture.hash[..picture.hash.len().min(16)];
        let path = format!("{}/{stem}.{ending}", self.folder);
        if !self.parts.iter().any(|(known, _)| *known == path) {
            self.parts.push((path.clone(), bytes));
        }
        let share = (width.unwrap_or(wide) / LINE).min(1.0);
        let alt = if alt.is_empty() { String::new() } else { format!(",alt={{{}}}", text(alt)) };
        format!("\\includegraphics[width={share:.2}\\linewidth,height=0.8\\textheight,keepaspectratio{alt}]{{{path}}}")
    }
}

/// The file of a picture: its ending, its bytes, and how wide it is, in pixels.
fn file(picture: &Picture) -> Option<(&'static str, Vec<u8>, f64)> {
    match picture.media {
        Media::Svg => {
            let (bytes, wide) = drawing(picture)?;
            Some(("pdf", bytes, wide))
        }
        Media::Jpeg => Some(("jpg", picture.bytes.to_vec(), LINE)),
        Media::Png => {
            let read = image::ImageReader::new(Cursor::new(picture.bytes.as_slice())).with_guessed_format().ok()?;
            Some(("png", picture.bytes.to_vec(), f64::from(read.into_dimensions().ok()?.0)))
        }
        Media::Gif | Media::Webp => {
            let read = image::load_from_memory(&picture.bytes).ok()?;
            let mut png = Cursor::new(Vec::new());
            read.write_to(&mut png, ImageFormat::Png).ok()?;
            Some(("png", png.into_inner(), f64::from(read.width())))
        }
    }
}
