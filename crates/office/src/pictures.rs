//! Pictures as office files take them: PNG, JPEG and GIF as they are, drawings as SVG with dots for programs that draw none,
//! WebP as PNG.

use image::ImageFormat;
use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::fontdb::Source;
use resvg::usvg::{Options, Tree};
use std::collections::BTreeMap;
use std::io::Cursor;
use std::sync::{Arc, LazyLock};
use vineloom_woven::{Media, Picture};

/// How many dots a drawing has for one of its own units: sharp on a large wall.
const DOTS: f32 = 2.0;
/// The most dots a drawing is drawn with, each way.
const MOST: f32 = 3200.0;

/// A picture among the parts.
#[derive(Debug, Clone)]
pub struct Known {
    /// The file that every program shows, by its name among the parts.
    pub file: String,
    /// The drawing itself, for programs that draw.
    pub drawing: Option<String>,
    /// Width and height, in pixels.
    pub size: (f64, f64),
}

/// The pictures of an office file: each file once.
#[derive(Debug, Default)]
pub struct Gallery {
    known: BTreeMap<String, Known>,
    /// The files, by their names.
    pub files: BTreeMap<String, Vec<u8>>,
}

impl Gallery {
    /// Adds a picture; nothing for one that can't be read.
    pub fn add(&mut self, picture: &Picture) -> Option<Known> {
        if let Some(known) = self.known.get(&picture.hash) {
            return Some(known.clone());
        }
        let stem = &picture.hash[..picture.hash.len().min(16)];
        let mut file = |ending: &str, bytes: Vec<u8>| {
            let name = format!("{stem}.{ending}");
            self.files.insert(name.clone(), bytes);
            name
        };
        let dots = |bytes: &[u8]| {
            let reader = image::ImageReader::new(Cursor::new(bytes)).with_guessed_format().ok()?;
            reader.into_dimensions().ok().map(|(wide, high)| (f64::from(wide), f64::from(high)))
        };
        let known = match picture.media {
            Media::Svg => {
                let (png, size) = drawn(&picture.bytes)?;
                let png = file("png", png);
                Known { file: png, drawing: Some(file("svg", picture.bytes.to_vec())), size }
            }
            Media::Webp => {
                let read = image::load_from_memory(&picture.bytes).ok()?;
                let mut png = Cursor::new(Vec::new());
                read.write_to(&mut png, ImageFormat::Png).ok()?;
                let size = (f64::from(read.width()), f64::from(read.height()));
                Known { file: file("png", png.into_inner()), drawing: None, size }
            }
            Media::Jpeg => {
                let size = jpeg_size(&picture.bytes)?;
                Known { file: file("jpeg", picture.bytes.to_vec()), drawing: None, size }
            }
            Media::Png | Media::Gif => {
                let size = dots(&picture.bytes)?;
                Known { file: file(picture.media.extension(), picture.bytes.to_vec()), drawing: None, size }
            }
        };
        self.known.insert(picture.hash.clone(), known.clone());
        Some(known)
    }
}

/// The fonts that drawings are set in.
static FONTS: LazyLock<Arc<resvg::usvg::fontdb::Database>> = LazyLock::new(|| {
    let mut fonts = resvg::usvg::fontdb::Database::new();
    for font in vineloom_font::built_in() {
        fonts.load_font_source(Source::Binary(Arc::new(font)));
    }
    // What a drawing asks for in general is set in these.
    fonts.set_serif_family("Libertinus Serif");
    fonts.set_sans_serif_family("Libertinus Serif");
    fonts.set_monospace_family("DejaVu Sans Mono");
    Arc::new(fonts)
});

/// A drawing in dots, as PNG, and its size in its own units.
fn drawn(svg: &[u8]) -> Option<(Vec<u8>, (f64, f64))> {
    let options = Options { fontdb: FONTS.clone(), font_family: "Libertinus Serif".into(), ..Options::default() };
    let tree = Tree::from_data(svg, &options).ok()?;
    let size = tree.size();
    let scale = DOTS.min(MOST / size.width()).min(MOST / size.height());
    let mut dots = Pixmap::new((size.width() * scale).ceil() as u32, (size.height() * scale).ceil() as u32)?;
    resvg::render(&tree, Transform::from_scale(scale, scale), &mut dots.as_mut());
    Some((dots.encode_png().ok()?, (f64::from(size.width()), f64::from(size.height()))))
}

/// Width and height of a JPEG picture: they stand in the first frame header.
fn jpeg_size(bytes: &[u8]) -> Option<(f64, f64)> {
    let mut at = 2;
    loop {
        let marker = bytes.get(at..at + 4)?;
        let length = usize::from(u16::from_be_bytes([marker[2], marker[3]]));
        if marker[0] != 0xFF {
            return None;
        }
        if matches!(marker[1], 0xC0..=0xCF) && !matches!(marker[1], 0xC4 | 0xC8 | 0xCC) {
            let frame = bytes.get(at + 5..at + 9)?;
            let number = |at: usize| f64::from(u16::from_be_bytes([frame[at], frame[at + 1]]));
            return Some((number(2), number(0)));
        }
        at += 2 + length;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drawing_comes_with_dots_and_each_file_is_there_once() {
        let svg =
            b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='30'><rect width='40' height='30'/></svg>";
        let picture = Picture::new(svg.to_vec()).unwrap();
        let mut gallery = Gallery::default();
        let known = gallery.add(&picture).unwrap();
        assert_eq!(known.size, (40.0, 30.0));
        assert!(gallery.files[&known.file].starts_with(b"\x89PNG") && known.drawing.is_some());
        gallery.add(&picture).unwrap();
        assert_eq!(gallery.files.len(), 2);
        assert!(gallery.add(&Picture::of_kind(Media::Png, b"nothing".to_vec())).is_none());
    }

    #[test]
    fn the_size_of_a_jpeg_is_read_from_its_frame() {
        let jpeg = [0xFF, 0xD8, 0xFF, 0xE0, 0, 4, 1, 2, 0xFF, 0xC0, 0, 11, 8, 0, 30, 0, 40, 3];
        assert_eq!(jpeg_size(&jpeg), Some((40.0, 30.0)));
        assert_eq!(jpeg_size(&jpeg[..12]), None);
    }
}
