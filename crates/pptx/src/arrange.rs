//! Where things stand on a slide: one below the other, texts as high as they are, pictures in what is left.

use crate::items::Item;
use crate::pieces::Paragraph;
use vineloom_export::deck::SlideOptions;

/// A place on a slide, in pixels of 96 to the inch.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Place {
    pub x: f64,
    pub y: f64,
    pub wide: f64,
    pub high: f64,
}

/// A thing in its place, its text this part of the usual size.
#[derive(Debug)]
pub(crate) struct Placed<'a> {
    pub item: &'a Item,
    pub place: Place,
    pub scale: f64,
}

/// The sizes of text and of code, in pixels.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Sizes {
    pub text: f64,
    pub code: f64,
}

impl Sizes {
    /// `unit` is the size of text where nothing scales it.
    pub fn of(options: &SlideOptions, unit: f64) -> Self {
        Sizes { text: unit * options.text_scale, code: 25.0 * options.code_scale }
    }
}

/// Between two things.
const GAP: f64 = 14.0;
/// How small everything may be made.
const SMALLEST: f64 = 0.2;
/// What a picture takes at least.
const LEAST_PICTURE: f64 = 120.0;

/// Gives all things on a slide their places.
pub(crate) fn arranged<'a>(items: &'a [Item], room: Place, sizes: Sizes) -> Vec<Placed<'a>> {
    let mut scale = 1.0;
    while scale > SMALLEST && height_of(items, room.wide, sizes, scale) > room.high {
        scale -= 0.05;
    }
    let mut placed = Vec::new();
    stack(items, room, sizes, scale, &mut placed);
    placed
}

fn stack<'a>(items: &'a [Item], room: Place, sizes: Sizes, scale: f64, placed: &mut Vec<Placed<'a>>) {
    let figures = items.iter().filter(|item| matches!(item, Item::Figure { .. })).count();
    let others: f64 = items
        .iter()
        .map(|item| if matches!(item, Item::Figure { .. }) { GAP } else { height(item, room.wide, sizes, scale) + GAP })
        .sum();
    let share = if figures == 0 { 0.0 } else { ((room.high - others) / figures as f64).max(LEAST_PICTURE * scale) };
    let mut y = room.y;
    for item in items {
        let high = match item {
            Item::Figure { .. } => share,
            item => height(item, room.wide, sizes, scale),
        };
        let place = Place { y, high, ..room };
        match item {
            Item::Columns { widths, columns } => {
                let place = Place { high: (room.y + room.high - y).max(high), ..place };
                for (column, place) in columns.iter().zip(beside(widths, columns.len(), place)) {
                    stack(column, place, sizes, scale, placed);
                }
            }
            item => placed.push(Placed { item, place, scale }),
        }
        y += high + GAP;
    }
}

/// The places of columns beside each other.
fn beside(widths: &[u32], count: usize, place: Place) -> Vec<Place> {
    let gap = 46.0;
    let parts: Vec<f64> = match widths {
        [] => vec![1.0; count],
        widths => widths.iter().map(|width| f64::from(*width)).collect(),
    };
    let whole: f64 = parts.iter().sum();
    let free = place.wide - gap * (count.max(1) - 1) as f64;
    let mut x = place.x;
    let one = |part: &f64| {
        let wide = free * part / whole;
        let own = Place { x, wide, ..place };
        x += wide + gap;
        own
    };
    parts.iter().map(one).collect()
}

fn height_of(items: &[Item], wide: f64, sizes: Sizes, scale: f64) -> f64 {
    items.iter().map(|item| height(item, wide, sizes, scale) + GAP).sum()
}

/// About how high a thing is.
fn height(item: &Item, wide: f64, sizes: Sizes, scale: f64) -> f64 {
    let text = sizes.text * scale;
    match item {
        Item::Text(paragraphs) => {
            paragraphs.iter().map(|paragraph| text_height(paragraph, wide, text)).sum::<f64>() + 8.0
        }
        Item::Framed(paragraphs) => {
            paragraphs.iter().map(|paragraph| text_height(paragraph, wide - 24.0, text)).sum::<f64>() + 26.0
        }
        Item::Formula { .. } => text * 2.4,
        Item::Code { lines, filled, .. } => {
            let code = code_size(lines, wide, sizes.code * scale);
            lines.len().max(1) as f64 * code * 1.25 + if *filled { 24.0 } else { 8.0 }
        }
        Item::Table { rows, .. } => rows.len() as f64 * table_row(rows, wide, text),
        Item::Figure { .. } => LEAST_PICTURE * scale,
        Item::Columns { widths, columns } => {
            let places = beside(widths, columns.len(), Place { x: 0.0, y: 0.0, wide, high: 0.0 });
            let high = |(column, place): (&Vec<Item>, Place)| height_of(column, place.wide, sizes, scale);
            columns.iter().zip(places).map(high).fold(0.0, f64::max)
        }
    }
}

fn text_height(paragraph: &Paragraph, wide: f64, size: f64) -> f64 {
    let size = size * paragraph.size;
    // A letter of a text face is a little less than half as wide as it is high.
    let room = (wide - f64::from(paragraph.level + 1) * 26.0).max(80.0) / (0.5 * size);
    let breaks = paragraph.pieces.iter().filter(|piece| piece.breaks).count();
    let lines = (paragraph.letters() as f64 / room).ceil().max(1.0) + breaks as f64;
    lines * size * 1.25 + size * 0.35
}

/// The size of code in which its longest line fits.
pub(crate) fn code_size(lines: &[Paragraph], wide: f64, wanted: f64) -> f64 {
    let longest = lines.iter().map(Paragraph::letters).max().unwrap_or(0).max(1);
    wanted.min((wide - 28.0) / (0.605 * longest as f64))
}

/// The height of a row of a table.
pub(crate) fn table_row(rows: &[Vec<Paragraph>], wide: f64, text: f64) -> f64 {
    table_size(rows, wide, text) * 1.7
}

/// The size of text in which the rows of a table fit.
pub(crate) fn table_size(rows: &[Vec<Paragraph>], wide: f64, text: f64) -> f64 {
    let letters: usize = column_letters(rows).iter().sum();
    (text * 0.78).min(wide / (0.56 * (letters as f64 + 3.0 * rows.first().map_or(1, Vec::len) as f64)))
}

/// The most letters of each column of a table.
pub(crate) fn column_letters(rows: &[Vec<Paragraph>]) -> Vec<usize> {
    let columns = rows.iter().map(Vec::len).max().unwrap_or(0);
    let letters =
        |column: usize| rows.iter().filter_map(|row| row.get(column)).map(Paragraph::letters).max().unwrap_or(0);
    (0..columns).map(|column| letters(column).clamp(2, 60)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pieces::Piece;

    fn line(letters: usize) -> Paragraph {
        let pieces = vec![Piece { text: "x".repeat(letters), ..Piece::default() }];
        Paragraph { pieces, size: 1.0, ..Paragraph::default() }
    }

    const ROOM: Place = Place { x: 100.0, y: 140.0, wide: 1000.0, high: 480.0 };
    const SIZES: Sizes = Sizes { text: 31.0, code: 25.0 };

    #[test]
    fn nothing_leaves_its_room_however_much_there_is() {
        let code = Item::Code { lines: vec![line(120); 60], filled: true, strand: None };
        let items =
            [Item::Text(vec![line(400)]), code, Item::Table { rows: vec![vec![line(9); 20]; 12], right: vec![] }];
        let placed = arranged(&items, ROOM, SIZES);
        assert_eq!(placed.len(), 3);
        assert!(placed.iter().all(|placed| placed.scale < 1.0));
        assert!(placed.windows(2).all(|pair| pair[1].place.y > pair[0].place.y));
        assert!(code_size(&[line(120)], 1000.0, 25.0) * 0.605 * 120.0 <= 972.1);
    }

    #[test]
    fn columns_share_the_width_as_they_are_asked_to() {
        let columns = vec![vec![Item::Text(vec![line(3)])], vec![Item::Text(vec![line(3)])]];
        let items = [Item::Columns { widths: vec![2, 1], columns }];
        let placed = arranged(&items, ROOM, SIZES);
        assert_eq!(placed[0].place.x, 100.0);
        assert!((placed[0].place.wide - 2.0 * placed[1].place.wide).abs() < 0.01);
        assert!(placed[1].place.x + placed[1].place.wide <= 1100.01);
    }
}
