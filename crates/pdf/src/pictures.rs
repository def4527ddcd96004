//! Pictures: whether they can be read, what is said of them for those who can't see them.

use crate::findings::Places;
use crate::picture_file::PictureFile;
use crate::source::{Writer, string};
use image::AnimationDecoder;
use image::codecs::{gif::GifDecoder, png::PngDecoder, webp::WebPDecoder};
use std::io::Cursor;
use typst::foundations::Bytes;
use typst::visualize::{ExchangeFormat, RasterImage};
use vineloom_document::Diagnostic;
use vineloom_woven::{Media, Picture, Span};

/// HTML measures in pixels of which 96 make an inch.
const POINTS_OF_A_PIXEL: f64 = 0.75;

/// What a reader who can't see a picture is told.
pub(crate) enum Words<'a> {
    /// What it shows.
    Say(&'a str),
    /// It shows nothing that matters: its writer gave it empty words.
    Nothing,
    /// Its writer gave it none.
    Missing,
}

impl<'a> Words<'a> {
    /// The words in `![…]`, where leaving them out is no way to say that there are none.
    pub fn written(words: &'a str) -> Self {
        if words.trim().is_empty() { Words::Missing } else { Words::Say(words) }
    }

    /// The words of an option, which may be empty on purpose.
    pub fn of(words: &'a str) -> Self {
        if words.trim().is_empty() { Words::Nothing } else { Words::Say(words) }
    }
}

impl Writer<'_> {
    /// Sets a picture by a function of the template; `width` is in pixels of HTML, where its writer gave one. One that
    /// can't be read ends the export.
    pub fn picture(&mut self, function: &str, picture: &Picture, words: Words, width: Option<f64>) {
        if let Err(why) = readable(picture) {
            let kind = picture.media.extension().to_uppercase();
            let message = format!("the picture can't be read as {kind}: {why}");
            let help = "see whether another program shows it; the file may be cut short, or damaged";
            self.errors.push(Diagnostic::error(self.place, message).help(help));
            return;
        }
        if moves(picture) {
            let loss = Diagnostic::loss("a picture that moves stands still in the PDF: its first frame is shown");
            self.lose(loss.help("give print a picture of its own: `::: for pdf`"));
        }
        let name = picture.file_name();
        self.pictures.entry(name.clone()).or_insert_with(|| PictureFile(picture.bytes.clone()));
        let words = match words {
            Words::Say(words) => format!("alt: {}", string(words)),
            Words::Nothing => "decorative: true".into(),
            Words::Missing => {
                self.without_words.push(self.place);
                "alt: none".into()
            }
        };
        let wide = width.map_or_else(String::new, |pixels| format!(", wide: {}pt", pixels * POINTS_OF_A_PIXEL));
        // On a slide a picture takes what is left.
        let share = if self.slide.is_some() && function == "picture" { ", share: share" } else { "" };
        self.out.push_str(&format!("#{function}({}, {words}{wide}{share})", string(&name)));
    }
}

impl Writer<'_> {
    /// The words in each drawing, with the place where it is set first.
    pub fn words_in_drawings(&self) -> Vec<(String, Span)> {
        let drawings = self.pictures.iter().filter(|(name, _)| name.ends_with(".svg"));
        let places = Places(self.places.clone());
        drawings
            .map(|(name, file)| {
                let at = self.out.find(&string(name)).unwrap_or(0);
                (words_between_tags(&String::from_utf8_lossy(&file.0)), places.of(at))
            })
            .collect()
    }
}

/// What stands between the tags of a drawing; comments, and the style sheets and names in tags, are none of it.
fn words_between_tags(svg: &str) -> String {
    svg.split('<').filter_map(|part| part.split_once('>')).map(|(_, words)| words).collect()
}

/// Whether the typesetter can read a picture; what it reads is kept for when it is set.
fn readable(picture: &Picture) -> Result<(), String> {
    let bytes = Bytes::new(PictureFile(picture.bytes.clone()));
    let format = match picture.media {
        // The typesetter reads it with the fonts, and tells where it is not one.
        Media::Svg => return Ok(()),
        Media::Png => ExchangeFormat::Png,
        Media::Jpeg => ExchangeFormat::Jpg,
        Media::Gif => ExchangeFormat::Gif,
        Media::Webp => ExchangeFormat::Webp,
    };
    RasterImage::plain(bytes, format).map(|_| ()).map_err(|error| error.to_string())
}

fn moves(picture: &Picture) -> bool {
    let bytes = Cursor::new(picture.bytes.as_slice());
    match picture.media {
        Media::Gif => GifDecoder::new(bytes).is_ok_and(|decoder| decoder.into_frames().take(2).count() > 1),
        Media::Webp => WebPDecoder::new(bytes).is_ok_and(|decoder| decoder.has_animation()),
        Media::Png => PngDecoder::new(bytes).is_ok_and(|decoder| decoder.is_apng().unwrap_or(false)),
        Media::Svg | Media::Jpeg => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drawings_words_stand_between_its_tags() {
        let svg = "<?xml version='1.0'?><!-- made by é --><svg id='ü'><text>Soil <tspan>土</tspan></text></svg>";
        assert_eq!(words_between_tags(svg), "Soil 土");
    }
}
