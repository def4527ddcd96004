//! A heat map: a place for each two words, filled with the colour of its number.

use crate::axis::{LABEL, day};
use crate::column::{Column, Quantity};
use crate::ink::{Area, INK, SOFT, fitted, said, words};
use crate::spec::{ChartError, Set, Spec, wrong};
use crate::text;
use plotters::prelude::*;
use plotters::style::text_anchor::HPos;
use vineloom_table::Table;

/// The colours of a scale from low to high: pale, and dark enough to be told apart on paper.
const RAMP: [RGBColor; 3] = [RGBColor(229, 238, 245), RGBColor(0, 114, 178), RGBColor(0, 48, 84)];
/// The colours of what lies below zero, where some of it lies above.
const BELOW: [RGBColor; 3] = [RGBColor(247, 236, 226), RGBColor(213, 94, 0), RGBColor(106, 44, 0)];

/// More places in a row are narrower than paper or a screen shows.
const MOST: usize = 1200;

/// The places of a heat map, before they have one on paper.
#[derive(Debug, PartialEq)]
pub struct Places {
    across: Vec<String>,
    down: Vec<String>,
    /// The number of each place, row by row; nothing where the table has none.
    numbers: Vec<Option<f64>>,
}

impl Places {
    /// Takes from the table what the chart names.
    pub fn of(spec: &Spec, table: &Table) -> Result<Places, ChartError> {
        let needed = |setting: Option<&Set<String>>, name: &str, holds: &str| {
            let help = format!("name the column of {holds}: `{name} = \"…\"`");
            setting.cloned().ok_or_else(|| wrong(1, format!("a heat map needs `{name}`"), Some(help)))
        };
        let x = needed(spec.x.as_ref(), "x", "what lies along")?;
        let y = needed(spec.y.first(), "y", "what stands below one another")?;
        let colour = needed(spec.colour.as_ref(), "colour", "numbers")?;
        let unfit = [
            (spec.y.get(1).map(|set| set.line), "several columns for `y`"),
            (spec.panels.as_ref().map(|set| set.line), "`panels`"),
            (spec.error.first().map(|set| set.line), "`error`"),
            (spec.x_log, "`x-scale`"),
            (spec.y_log, "`y-scale`"),
        ];
        if let Some((Some(line), what)) = unfit.into_iter().find(|(line, _)| line.is_some()) {
            return Err(wrong(line, format!("a heat map has no place for {what}"), None));
        }
        let (along, up) = (in_order(table, &x)?, in_order(table, &y)?);
        let values = Column::find_numbers(table, &colour)?.values;
        let (across, down) = (along.words, up.words);
        let mut numbers = vec![None; across.len() * down.len()];
        for ((x, y), value) in along.values.iter().zip(&up.values).zip(values) {
            let (Some(x), Some(y), Some(value)) = (x, y, value.filter(|value| value.is_finite())) else { continue };
            let (x, y) = (*x as usize, *y as usize);
            if numbers[y * across.len() + x].replace(value).is_some() {
                let help = "add them up before, or take their mean".to_string();
                let message =
                    format!("several rows are about `{}` and `{}`, and a place shows one", across[x], down[y]);
                return Err(wrong(colour.line, message, Some(help)));
            }
        }
        Ok(Places { across, down, numbers })
    }

    /// The lowest and the highest number, as far from zero both ways where some are below it.
    fn extent(&self) -> (f64, f64) {
        let known = || self.numbers.iter().copied().flatten();
        let (low, high) = (known().fold(f64::INFINITY, f64::min), known().fold(f64::NEG_INFINITY, f64::max));
        if low < 0.0 && high > 0.0 {
            let far = high.max(-low);
            return (-far, far);
        }
        if low.is_finite() { (low, high) } else { (0.0, 1.0) }
    }
}

/// A column as words: numbers and days in their order, words as they first come.
fn in_order(table: &Table, wanted: &Set<String>) -> Result<Column, ChartError> {
    let (found, mut named) = (Column::find(table, wanted)?, Column::find_words(table, wanted)?);
    if named.words.len() > MOST {
        let (column, count) = (&wanted.value, named.words.len());
        let message = format!("`{column}` has {count} different cells, and a heat map shows at most {MOST}");
        return Err(wrong(wanted.line, message, Some("bring them together before: by hour, by day, by site".into())));
    }
    if found.quantity == Quantity::Word {
        return Ok(named);
    }
    let mut order: Vec<(f64, usize)> = Vec::new();
    for (value, word) in found.values.iter().zip(&named.values) {
        if let (Some(value), Some(word)) = (value, word)
            && !order.iter().any(|(_, known)| *known == *word as usize)
        {
            order.push((*value, *word as usize));
        }
    }
    order.sort_by(|one, other| one.0.total_cmp(&other.0));
    let place = |word: f64| order.iter().position(|(_, known)| *known == word as usize).map(|at| at as f64);
    named.values = named.values.iter().map(|word| word.and_then(place)).collect();
    let all_days = found.quantity == Quantity::Moment && order.iter().all(|(second, _)| second % 86_400.0 == 0.0);
    let word =
        |(second, word): &(f64, usize)| day(*second).filter(|_| all_days).unwrap_or_else(|| named.words[*word].clone());
    named.words = order.iter().map(word).collect();
    Ok(named)
}

/// The colour of a number between two others.
fn shade(number: f64, (low, high): (f64, f64)) -> RGBColor {
    let (ramp, part) = match (low < 0.0 && high > 0.0, number < 0.0) {
        (true, true) => (BELOW, number / low),
        (true, false) => (RAMP, number / high),
        (false, _) if high > low => (RAMP, (number - low) / (high - low)),
        _ => (RAMP, 0.5),
    };
    let part = part.clamp(0.0, 1.0) * 2.0;
    let (from, to, part) = if part < 1.0 { (ramp[0], ramp[1], part) } else { (ramp[1], ramp[2], part - 1.0) };
    let mixed = |from: u8, to: u8| (f64::from(from) + (f64::from(to) - f64::from(from)) * part).round() as u8;
    RGBColor(mixed(from.0, to.0), mixed(from.1, to.1), mixed(from.2, to.2))
}

/// Whether words on a colour are light.
fn is_dark(RGBColor(red, green, blue): RGBColor) -> bool {
    0.299 * f64::from(red) + 0.587 * f64::from(green) + 0.114 * f64::from(blue) < 128.0
}

/// Draws a heat map on the whole sheet.
pub fn draw(spec: &Spec, places: &Places, root: &Area, (width, height): (f64, f64)) -> Result<(), String> {
    let mut top = 4.0;
    if !spec.title.is_empty() {
        words(root, &spec.title, (2.0, top), 18.0, INK, FontStyle::Bold, HPos::Left)?;
        top += 29.0;
    }
    let extent = places.extent();
    scale(root, spec.colour.as_ref().map_or("", |colour| &colour.value), extent, top)?;
    top += 30.0;
    let named = |title: &Option<String>, column: Option<&Set<String>>| {
        title.clone().or_else(|| column.map(|it| it.value.clone())).unwrap_or_default()
    };
    let y_title = named(&spec.y_title, spec.y.first());
    if !y_title.is_empty() {
        words(root, &y_title, (2.0, top), LABEL, SOFT, FontStyle::Normal, HPos::Left)?;
        top += 22.0;
    }
    let x_title = named(&spec.x_title, spec.x.as_ref());
    let bottom = height - if x_title.is_empty() { 26.0 } else { 48.0 };
    let widest = places.down.iter().map(|word| text::width(word) * LABEL).fold(0.0, f64::max);
    let left = (widest + 10.0).min(width * 0.35);
    let (wide, high) = ((width - left - 6.0).max(1.0), (bottom - top).max(1.0));
    let (columns, lines) = (places.across.len().max(1), places.down.len().max(1));
    let (cell_wide, cell_high) = (wide / columns as f64, high / lines as f64);
    let decimals = places.numbers.iter().flatten().map(|number| decimals(*number)).max().unwrap_or(0);
    let label = |number: f64| format!("{number:.decimals$}").replace('-', "\u{2212}");
    let longest =
        places.numbers.iter().flatten().map(|number| text::width(&label(*number)) * LABEL).fold(0.0, f64::max);
    let says_numbers = longest + 8.0 <= cell_wide && cell_high >= LABEL + 4.0;
    for (at, number) in places.numbers.iter().enumerate() {
        let Some(number) = number else { continue };
        let (x, y) = (left + (at % columns) as f64 * cell_wide, top + (at / columns) as f64 * cell_high);
        let gap = if cell_wide.min(cell_high) > 6.0 { 1.0 } else { 0.0 };
        let corners = [(x as i32, y as i32), ((x + cell_wide - gap) as i32, (y + cell_high - gap) as i32)];
        let fill = shade(*number, extent);
        root.draw(&Rectangle::new(corners, fill.filled())).map_err(said)?;
        if says_numbers {
            let ink = if is_dark(fill) { RGBColor(255, 255, 255) } else { INK };
            let place = (x + cell_wide / 2.0, y + (cell_high - LABEL) / 2.0 - 1.0);
            words(root, &label(*number), place, LABEL, ink, FontStyle::Normal, HPos::Center)?;
        }
    }
    // Of words that have no room, each second or third and so on is written.
    let every = |size: f64, needed: f64| (needed / size.max(0.01)).ceil().max(1.0) as usize;
    for (at, word) in places.down.iter().enumerate().step_by(every(cell_high, LABEL + 2.0)) {
        let y = top + (at as f64 + 0.5) * cell_high - LABEL / 2.0 - 1.0;
        words(root, &fitted(word, left - 8.0), (left - 6.0, y), LABEL, SOFT, FontStyle::Normal, HPos::Right)?;
    }
    let widest = places.across.iter().map(|word| text::width(word) * LABEL).fold(0.0, f64::max).min(wide / 2.0);
    for (at, word) in places.across.iter().enumerate().step_by(every(cell_wide, widest + 10.0)) {
        let x = left + (at as f64 + 0.5) * cell_wide;
        let word = fitted(word, wide / 2.0);
        let half = text::width(&word) * LABEL / 2.0;
        let x = x.clamp(half.min(width / 2.0), (width - half).max(width / 2.0));
        words(root, &word, (x, bottom + 5.0), LABEL, SOFT, FontStyle::Normal, HPos::Center)?;
    }
    if !x_title.is_empty() {
        let place = (left + wide / 2.0, height - 20.0);
        words(root, &x_title, place, LABEL, SOFT, FontStyle::Normal, HPos::Center)?;
    }
    Ok(())
}

/// How many decimals a number is written with, at most two.
fn decimals(number: f64) -> usize {
    (0..2)
        .find(|&decimals| (number * 10f64.powi(decimals) - (number * 10f64.powi(decimals)).round()).abs() < 1e-9)
        .map_or(2, |it| it as usize)
}

/// What the colours mean: the column, the lowest number, the scale, the highest.
fn scale(root: &Area, name: &str, (low, high): (f64, f64), top: f64) -> Result<(), String> {
    let written = |number: f64| {
        let decimals = decimals(number);
        format!("{number:.decimals$}").replace('-', "\u{2212}")
    };
    let mut left = 2.0;
    for part in [name.to_string(), written(low)] {
        words(root, &part, (left, top), LABEL, INK, FontStyle::Normal, HPos::Left)?;
        left += text::width(&part) * LABEL + 12.0;
    }
    const STEPS: usize = 24;
    for step in 0..STEPS {
        let number = low + (high - low) * step as f64 / (STEPS - 1) as f64;
        let x = left as i32 + 6 * step as i32;
        let corners = [(x, top as i32 + 2), (x + 6, top as i32 + 15)];
        root.draw(&Rectangle::new(corners, shade(number, (low, high)).filled())).map_err(said)?;
    }
    left += 6.0 * STEPS as f64 + 8.0;
    words(root, &written(high), (left, top), LABEL, INK, FontStyle::Normal, HPos::Left)
}

#[cfg(test)]
mod tests {
    use super::*;

    const SPEC: &str = "kind = \"heat\"\nx = \"hour\"\ny = \"plot\"\ncolour = \"n\"";

    fn places(spec: &str, csv: &str) -> Result<Places, ChartError> {
        Places::of(&Spec::read(spec)?, &Table::read(csv).unwrap())
    }

    #[test]
    fn numbers_are_in_their_order_and_words_as_they_come() {
        let found = places(SPEC, "hour,plot,n\n10,Low,3\n9,North,1\n9,Low,2\n").unwrap();
        assert_eq!((found.across.join(" "), found.down.join(" ")), ("9 10".into(), "Low North".into()));
        assert_eq!(found.numbers, [Some(2.0), Some(3.0), Some(1.0), None]);
    }

    #[test]
    fn what_can_not_be_a_heat_map_is_told_with_its_line() {
        let csv = "hour,plot,n\n9,Low,2\n9,Low,3\n";
        let error = places(SPEC, csv).unwrap_err();
        assert!(error.line == 4 && error.message.contains("several rows are about `9` and `Low`"), "{error:?}");
        let many: String = (0..1300).map(|n| format!("{n},a,1\n")).collect();
        let error = places(SPEC, &format!("hour,plot,n\n{many}")).unwrap_err();
        assert!(error.line == 2 && error.message.contains("1300 different cells"), "{error:?}");
        let error = places("kind = \"heat\"\nx = \"hour\"\ny = \"plot\"", csv).unwrap_err();
        assert_eq!(error.message, "a heat map needs `colour`");
        let error = places(&format!("{SPEC}\npanels = \"plot\""), csv).unwrap_err();
        assert!(error.line == 5 && error.message.contains("no place for `panels`"), "{error:?}");
    }

    #[test]
    fn colours_say_which_is_more_and_which_side_of_zero() {
        let light = |RGBColor(r, g, b): RGBColor| u32::from(r) + u32::from(g) + u32::from(b);
        let ramp: Vec<u32> = [1.0, 2.0, 3.0, 4.0].map(|number| light(shade(number, (1.0, 4.0)))).into();
        assert!(ramp.windows(2).all(|pair| pair[0] > pair[1]), "{ramp:?}");
        let (below, above) = (shade(-3.0, (-4.0, 4.0)), shade(3.0, (-4.0, 4.0)));
        assert!(below.0 > below.2 && above.2 > above.0);
        assert_eq!(places(SPEC, "hour,plot,n\n9,a,-4\n10,a,1\n").unwrap().extent(), (-4.0, 4.0));
        assert_eq!(places(SPEC, "hour,plot,n\n9,a,4\n10,a,9\n").unwrap().extent(), (4.0, 9.0));
        let odd = places(SPEC, "hour,plot,n\n9,a,NaN\n10,a,inf\n11,a,2\n12,a,3\n");
        assert!(odd.is_err() || odd.is_ok_and(|odd| odd.extent() == (2.0, 3.0)));
    }
}
