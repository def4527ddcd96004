//! The pages of a document as they are set, for who looks at them while it is written.

use crate::findings::Places;
use crate::joined_letters::with_joined_letters;
use crate::world::Sheet;
use foldhash::quality::FixedState;
use rayon::prelude::*;
use std::fmt;
use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::{Arc, OnceLock};
use typst::layout::{Abs, Frame, FrameItem, Point, Transform};
use typst::text::{Glyph, TextItem};
use typst_layout::PagedDocument;
use vineloom_export::{Page, Pages, SetText};

/// Pages that have been set, with where they come from.
struct PagesSet {
    document: PagedDocument,
    sheet: Arc<Sheet>,
    places: Places,
    /// What each page is; known once it has been asked for.
    all: OnceLock<Vec<Page>>,
}

/// The pages of a document that has been set.
pub(crate) fn pages(document: &PagedDocument, sheet: &Arc<Sheet>, places: &Places) -> Arc<dyn Pages> {
    let (document, sheet, places) = (document.clone(), Arc::clone(sheet), places.clone());
    Arc::new(PagesSet { document, sheet, places, all: OnceLock::new() })
}

impl fmt::Debug for PagesSet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("PagesSet").field("pages", &self.document.pages().len()).finish_non_exhaustive()
    }
}

impl Pages for PagesSet {
    fn all(&self) -> Vec<Page> {
        let look = FixedState::default();
        let page = |page: &typst_layout::Page| Page {
            digest: look.hash_one((Look(&page.frame), &page.fill)),
            width: page.frame.width().to_pt(),
            height: page.frame.height().to_pt(),
        };
        self.all.get_or_init(|| self.document.pages().par_iter().map(page).collect()).clone()
    }

    fn picture(&self, page: usize) -> Option<String> {
        let options = typst_svg::SvgOptions { render_bleed: false, pretty: false };
        Some(with_joined_letters(&typst_svg::svg(self.document.pages().get(page)?, &options)))
    }

    fn at(&self, page: usize, (x, y): (f64, f64)) -> Option<SetText> {
        let page = self.document.pages().get(page)?;
        let point = Point::new(Abs::pt(x), Abs::pt(y));
        let mut nearest: Option<(f64, SetText)> = None;
        for_each_text(&page.frame, Transform::identity(), &mut |item, transform| {
            let Some(inverse) = transform.invert() else { return };
            let point = point.transform(inverse);
            let distance = distance(item, point);
            if nearest.as_ref().is_some_and(|(least, _)| *least <= distance) {
                return;
            }
            let (byte, span) = hit(item, point.x);
            if let Some(part) = self.sheet.byte_of(span.into()).and_then(|byte| self.places.of(byte).known()) {
                nearest = Some((distance, SetText { part, text: item.text.to_string(), byte }));
            }
        });
        nearest.map(|(_, text)| text)
    }

    fn place_of(&self, byte: usize, text: &str) -> Option<(usize, f64)> {
        // The part that begins last before the byte, where it is set first, or where what is set is of that line.
        let mut best: Option<((usize, bool), (usize, f64))> = None;
        for (number, page) in self.document.pages().iter().enumerate() {
            for_each_text(&page.frame, Transform::identity(), &mut |item, transform| {
                let Some(glyph) = item.glyphs.first() else { return };
                let byte_of_source = self.sheet.byte_of(glyph.span.0.into());
                let Some(part) = byte_of_source.and_then(|byte| self.places.of(byte).known()) else { return };
                let rank = (part.start, is_of_line(&item.text, text));
                if part.start <= byte && best.is_none_or(|(known, _)| known < rank) {
                    best = Some((rank, (number, (Point::zero().transform(transform).y - item.size).to_pt())));
                }
            });
        }
        best.map(|(_, place)| place)
    }
}

/// Whether a piece of text as it is set may be of a line of the document: one of the two begins with the other's beginning.
fn is_of_line(set: &str, line: &str) -> bool {
    let begins = |text: &str| text.split_whitespace().take(2).map(str::to_string).collect::<Vec<_>>().join(" ");
    let (set, beginning) = (begins(set), begins(line));
    !beginning.is_empty() && set == beginning || set.len() > 2 && line.contains(&set)
}

/// Calls a function for each piece of text, with what brings it to its place on the page.
fn for_each_text(frame: &Frame, transform: Transform, see: &mut dyn FnMut(&TextItem, Transform)) {
    for (point, item) in frame.items() {
        let here = transform.pre_concat(Transform::translate(point.x, point.y));
        match item {
            FrameItem::Group(group) => for_each_text(&group.frame, here.pre_concat(group.transform), see),
            FrameItem::Text(text) => see(text, here),
            _ => {}
        }
    }
}

/// How far a point is from a text that begins at the origin; what is above or below counts more than what is beside.
fn distance(item: &TextItem, point: Point) -> f64 {
    let beyond = |at: Abs, from: Abs, to: Abs| (from - at).max(at - to).max(Abs::zero()).to_pt();
    let beside = beyond(point.x, Abs::zero(), item.width());
    let above = beyond(point.y, -item.size, item.size * 0.25);
    beside + 4.0 * above
}

/// The byte of a text that is at a distance from its beginning, and where it comes from.
fn hit(item: &TextItem, x: Abs) -> (usize, typst::syntax::Span) {
    let mut end = Abs::zero();
    for glyph in &item.glyphs {
        end += glyph.x_advance.at(item.size);
        if x < end {
            return (glyph.range().start, glyph.span.0);
        }
    }
    item.glyphs.last().map_or((0, typst::syntax::Span::detached()), |glyph| (glyph.range().start, glyph.span.0))
}

/// What of a frame can be seen: not where it comes from.
struct Look<'a>(&'a Frame);

impl Hash for Look<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.0.size().hash(state);
        for (point, item) in self.0.items() {
            point.hash(state);
            match item {
                FrameItem::Group(group) => {
                    (&group.transform, &group.clip).hash(state);
                    Look(&group.frame).hash(state);
                }
                FrameItem::Text(text) => {
                    (&text.font, text.size, &text.fill, &text.stroke, &text.text).hash(state);
                    text.glyphs.iter().for_each(|glyph| hash_glyph(glyph, state));
                }
                FrameItem::Shape(shape, _) => shape.hash(state),
                FrameItem::Image(image, size, _) => (image, size).hash(state),
                FrameItem::Link(..) | FrameItem::Tag(_) => {}
            }
        }
    }
}

/// Hashes what can be seen of a glyph. Most are moved by their width alone.
fn hash_glyph(glyph: &Glyph, state: &mut impl Hasher) {
    let moved = [glyph.x_offset, glyph.y_advance, glyph.y_offset];
    let is_moved = moved.iter().any(|by| by.get() != 0.0);
    state.write_u64(glyph.x_advance.get().to_bits());
    state.write_u32(u32::from(glyph.id) << 1 | u32::from(is_moved));
    if is_moved {
        moved.iter().for_each(|by| state.write_u64(by.get().to_bits()));
    }
}
