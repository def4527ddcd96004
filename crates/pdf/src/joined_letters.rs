//! The picture of a page with fewer elements: the letters of a piece of text are one path.
//!
//! The typesetter's picture has an element for each letter, which refers to the letter's shape. A browser takes about twice
//! as long to draw thousands of references as it takes for paths that hold the same shapes.

use std::collections::{HashMap, HashSet};
use std::fmt::Write;

const SYMBOL: &str = "<symbol id=\"";
/// How a symbol goes on that is one path, drawn from where its letter stands.
const SHAPE: &str = "\" overflow=\"visible\"><path d=\"M 0 0";
const SHAPE_END: &str = "\"/></symbol>";

/// A letter as the picture refers to it.
struct Letter<'a> {
    shape: &'a str,
    x: &'a str,
    y: &'a str,
    /// Its colour and the like, as attributes.
    look: &'a str,
}

impl<'a> Letter<'a> {
    /// Reads an element; nothing where it is no letter of a plain colour. What fades or has a pattern does so in each letter.
    fn read(element: &'a str) -> Option<Self> {
        let (shape, rest) = element.strip_prefix("<use xlink:href=\"#")?.split_once("\" x=\"")?;
        let (x, rest) = rest.split_once("\" y=\"")?;
        let (y, look) = rest.strip_suffix("/>")?.split_once("\" ")?;
        (look.starts_with("fill=\"#") && !look.contains("url(")).then_some(Letter { shape, x, y, look })
    }
}

/// The same picture, with letters of one look that follow each other as one path.
pub(crate) fn with_joined_letters(svg: &str) -> String {
    let shapes: HashMap<&str, &str> =
        svg.split(SYMBOL).skip(1).filter_map(shape).map(|(id, path, _)| (id, path)).collect();
    let mut still_needed = HashSet::new();
    let mut joined = String::with_capacity(2 * svg.len());
    // The look of the path that is being written.
    let mut open: Option<&str> = None;
    let close = |open: &mut Option<&str>, joined: &mut String| {
        if let Some(look) = open.take() {
            // Writing to a String can't fail.
            let _ = write!(joined, "\" {look}/>");
        }
    };
    let mut rest = svg;
    while let Some((before, element)) = rest.find("<use ").map(|at| rest.split_at(at)) {
        let (element, after) = element.split_at(element.find("/>").map_or(element.len(), |at| at + 2));
        rest = after;
        let letter = Letter::read(element).and_then(|letter| Some((*shapes.get(letter.shape)?, letter)));
        let look = letter.as_ref().map(|(_, letter)| letter.look);
        if !before.is_empty() || open != look {
            close(&mut open, &mut joined);
        }
        joined.push_str(before);
        match letter {
            Some((path, letter)) => {
                if open.is_none() {
                    joined.push_str("<path d=\"");
                    open = Some(letter.look);
                }
                let _ = write!(joined, "M {} {}{path}", letter.x, letter.y);
            }
            None => {
                still_needed.extend(element.split("href=\"#").nth(1).and_then(|rest| rest.split('"').next()));
                joined.push_str(element);
            }
        }
    }
    close(&mut open, &mut joined);
    without_symbols(rest, &still_needed, &mut joined);
    joined
}

/// The name, the path and what follows of a symbol that is one path, read behind the beginning of its element.
fn shape(symbol: &str) -> Option<(&str, &str, &str)> {
    let (id, rest) = symbol.split_once(SHAPE)?;
    let (path, after) = rest.split_once(SHAPE_END)?;
    (!id.contains('"') && !path.contains('"')).then_some((id, path, after))
}

/// Writes the end of a picture without the shapes that nothing refers to any more.
fn without_symbols(end: &str, still_needed: &HashSet<&str>, out: &mut String) {
    for (at, piece) in end.split(SYMBOL).enumerate() {
        match shape(piece).filter(|(id, ..)| at > 0 && !still_needed.contains(id)) {
            Some((.., after)) => out.push_str(after),
            None if at > 0 => out.extend([SYMBOL, piece]),
            None => out.push_str(piece),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{PdfOptions, fonts::Chosen, setting, sources::Sources, world::Sheet};
    use resvg::tiny_skia::{Pixmap, Transform};
    use resvg::usvg::{Options, Tree};
    use std::collections::BTreeMap;
    use vineloom_document::options::{Format, Settings};

    fn dots(svg: &str) -> Pixmap {
        let tree = Tree::from_str(svg, &Options::default()).unwrap();
        let mut dots = Pixmap::new(600, 600).unwrap();
        resvg::render(&tree, Transform::from_scale(2.0, 2.0), &mut dots.as_mut());
        dots
    }

    #[test]
    fn a_picture_with_joined_letters_looks_the_same() {
        let source = "#set page(width: 300pt, height: 300pt, margin: 20pt)\nWords of *two* weights, #text(red)[some red], \
            _leaning_, and $sum_(k=1)^n sqrt(k) / 2$.\n#text(gradient.linear(red, blue))[From one colour to another]\n\n\
            #rotate(20deg)[turned] #text(stroke: 0.5pt + green)[with an edge] `code` \\ \
            #text(rgb(0, 0, 255, 128))[half seen through] #box(clip: true, width: 1em)[cut off]\n#line(length: 40pt)";
        let options = PdfOptions::of(&Settings::of_format(Format::Pdf));
        let fonts = Chosen::of(&options, &BTreeMap::new()).unwrap();
        let sheet = Sheet::new(Sources::one("", source.into()), BTreeMap::new(), fonts.into_store());
        let Ok(set) = setting::from_nothing(&sheet) else { panic!("it can be set") };
        let options = typst_svg::SvgOptions { render_bleed: false, pretty: false };
        let whole = typst_svg::svg(&set.document.pages()[0], &options);
        let joined = with_joined_letters(&whole);
        let count = |svg: &str, what: &str| svg.matches(what).count();
        let gradient = "Fromonecolourtoanother".len();
        assert!(count(&whole, "<use ") > 100, "{whole}");
        assert_eq!(count(&joined, "<use "), gradient, "{joined}");
        // No shape that is referred to is missing, no other is there.
        assert!(count(&joined, "<symbol ") <= gradient && count(&joined, "<symbol ") > 5, "{joined}");
        assert!(count(&joined, "<path ") < count(&whole, "<use ") / 2, "{joined}");
        let (whole, joined) = (dots(&whole), dots(&joined));
        let apart = whole.data().iter().zip(joined.data()).filter(|(one, other)| one.abs_diff(**other) > 40).count();
        assert!(apart < 40, "{apart} of {}", whole.data().len());
        let drawn = whole.data().chunks(4).filter(|dot| dot[0] < 128).count();
        assert!(drawn > 2000, "{drawn}");
    }

    #[test]
    fn what_is_no_picture_of_letters_stays_as_it_is() {
        for text in [
            "",
            "<svg/>",
            "<use ",
            "<use xlink:href=\"#a\" x=\"0\"",
            "<svg><use xlink:href=\"#a\" x=\"1\" y=\"2\" fill=\"#000000\"/></svg>",
        ] {
            assert_eq!(with_joined_letters(text), text);
        }
    }
}
