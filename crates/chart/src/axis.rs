//! Axes: from values to positions, and ticks whose labels have room.

use crate::column::{Column, Quantity};
use crate::text;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp, ToSpan};

/// One axis.
#[derive(Debug, Clone)]
pub struct Axis {
    pub title: String,
    /// The lowest and the highest position.
    pub from: f64,
    pub to: f64,
    /// Ticks: positions and labels.
    pub ticks: Vec<(f64, String)>,
    pub is_log: bool,
    /// Whether it holds words, one a step.
    pub is_words: bool,
}

/// The size of tick labels, in pixels.
pub const LABEL: f64 = 14.0;

/// How an axis lies, which decides how much room its labels need.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Lie {
    /// Labels side by side, in so many pixels.
    Across(f64),
    /// Labels one above the other, in so many pixels.
    Up(f64),
}

impl Axis {
    /// An axis of words: one step each.
    pub fn of_words(title: &str, words: &[String]) -> Axis {
        let ticks = words.iter().enumerate().map(|(at, word)| (at as f64, word.clone())).collect();
        let to = words.len() as f64 - 0.5;
        Axis { title: title.into(), from: -0.5, to, ticks, is_log: false, is_words: true }
    }

    /// The axis of a column over these of its values.
    pub fn of_column(title: &str, column: &Column, values: impl Iterator<Item = f64>, lie: Lie, is_log: bool) -> Axis {
        match column.quantity {
            Quantity::Word => Axis::of_words(title, &column.words),
            Quantity::Moment => Axis::of_moments(title, values, lie),
            Quantity::Number => Axis::of_numbers(title, values, lie, is_log),
        }
    }

    /// An axis of numbers, in steps of 1, 2 or 5 times a power of ten; on a logarithmic one, at powers of ten.
    pub fn of_numbers(title: &str, values: impl Iterator<Item = f64>, lie: Lie, is_log: bool) -> Axis {
        let (low, high) = extent(values.map(|value| if is_log { value.log10() } else { value }));
        let axis = |from: f64, to: f64, ticks| Axis { title: title.into(), from, to, ticks, is_log, is_words: false };
        if is_log {
            let (from, to) = (low.floor(), high.ceil().max(low.floor() + 1.0));
            let powers = (from as i32..=to as i32).map(|power| (f64::from(power), plain(10f64.powi(power), power)));
            let every = ((to - from) / 7.0).ceil().max(1.0) as usize;
            return axis(from, to, powers.step_by(every).collect());
        }
        let room = match lie {
            Lie::Across(pixels) => pixels / 84.0,
            Lie::Up(pixels) => pixels / 42.0,
        };
        let (step, decimals) = nice_step((high - low) / room.clamp(2.0, 10.0));
        let (from, to) = ((low / step).floor() * step, (high / step).ceil() * step);
        let count = ((to - from) / step).round() as i64;
        let ticks = (0..=count).map(|at| from + step * at as f64).map(|at| (at, number(at, decimals))).collect();
        axis(from, to, ticks)
    }

    fn of_moments(title: &str, values: impl Iterator<Item = f64>, lie: Lie) -> Axis {
        let (from, to) = extent(values);
        let pixels = match lie {
            Lie::Across(pixels) => pixels,
            Lie::Up(pixels) => pixels * 2.5,
        };
        let ticks = STEPS.iter().find_map(|step| {
            let ticks = moments(from, to, step)?;
            let widest = ticks.iter().map(|(_, label)| text::width(label) * LABEL).fold(0.0, f64::max);
            (ticks.len() as f64 * (widest + 18.0) <= pixels).then_some(ticks)
        });
        // Where no step has room, the ends do.
        let ticks = ticks.unwrap_or_else(|| [from, to].into_iter().filter_map(|at| Some((at, day(at)?))).collect());
        Axis { title: title.into(), from, to, ticks, is_log: false, is_words: false }
    }

    /// Makes sure a value lies on the axis.
    pub fn reach(mut self, value: f64) -> Axis {
        if !self.is_log {
            self.from = self.from.min(value);
            self.to = self.to.max(value);
        }
        self
    }

    /// The position of a value.
    pub fn at(&self, value: f64) -> f64 {
        if self.is_log { value.log10() } else { value }
    }

    /// Whether all labels have room side by side in so many pixels.
    pub fn fits(&self, pixels: f64) -> bool {
        let widest = self.ticks.iter().map(|(_, label)| text::width(label) * LABEL).fold(0.0, f64::max);
        self.ticks.len() as f64 * (widest + 10.0) <= pixels
    }
}

/// The lowest and the highest value; never the same.
fn extent(values: impl Iterator<Item = f64>) -> (f64, f64) {
    let (low, high) = values
        .filter(|value| value.is_finite())
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| (low.min(value), high.max(value)));
    match (low.is_finite(), low < high) {
        (false, _) => (0.0, 1.0),
        (true, true) => (low, high),
        (true, false) if low == 0.0 => (0.0, 1.0),
        (true, false) => (low - low.abs() * 0.1, low + low.abs() * 0.1),
    }
}

/// A step of 1, 2 or 5 times a power of ten, no smaller than wanted, and how many decimals its multiples have.
fn nice_step(wanted: f64) -> (f64, usize) {
    let power = wanted.log10().floor();
    let base = 10f64.powf(power);
    let step = [1.0, 2.0, 5.0, 10.0].into_iter().map(|m| m * base).find(|step| *step >= wanted * 0.999).unwrap_or(base);
    let decimals = (-step.log10().floor()).max(0.0) as usize;
    (step, decimals)
}

/// A number for a tick: thousands set apart by a narrow space, a true minus sign.
fn number(value: f64, decimals: usize) -> String {
    let value = if value.abs() < 10f64.powi(-(decimals as i32)) / 2.0 { 0.0 } else { value };
    if value.abs() >= 1e7 {
        return format!("{value:.1e}");
    }
    let digits = format!("{:.decimals$}", value.abs());
    let (whole, rest) = digits.split_at(digits.find('.').unwrap_or(digits.len()));
    let mut spaced = String::new();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at).is_multiple_of(3) && whole.len() > 4 {
            spaced.push('\u{202F}');
        }
        spaced.push(digit);
    }
    format!("{}{spaced}{rest}", if value < 0.0 { "\u{2212}" } else { "" })
}

fn plain(value: f64, power: i32) -> String {
    if (-4..=5).contains(&power) { number(value, (-power).max(0) as usize) } else { format!("1e{power}") }
}

/// A day as the axis of days writes it.
pub fn day(second: f64) -> Option<String> {
    let moment = Timestamp::from_second(second as i64).ok()?.to_zoned(TimeZone::UTC);
    Some(moment.strftime("%-d %b").to_string())
}

/// The steps of an axis of moments, from the finest.
#[derive(Debug)]
enum Step {
    Minutes(i64),
    Hours(i64),
    Days(i64),
    Months(i64),
    Years(i64),
}

const STEPS: [Step; 18] = [
    Step::Minutes(1),
    Step::Minutes(5),
    Step::Minutes(15),
    Step::Hours(1),
    Step::Hours(3),
    Step::Hours(6),
    Step::Hours(12),
    Step::Days(1),
    Step::Days(2),
    Step::Days(7),
    Step::Days(14),
    Step::Months(1),
    Step::Months(3),
    Step::Years(1),
    Step::Years(2),
    Step::Years(5),
    Step::Years(10),
    Step::Years(50),
];

/// The moments of a step between two others; nothing when there are too many or fewer than two.
fn moments(from: f64, to: f64, step: &Step) -> Option<Vec<(f64, String)>> {
    let start = Timestamp::from_second(from.floor() as i64).ok()?.to_zoned(TimeZone::UTC).datetime();
    let day = start.date();
    let (mut at, span, format): (DateTime, Span, &str) = match *step {
        Step::Minutes(n) => (start.date().at(start.hour(), 0, 0, 0), n.minutes(), "%H:%M"),
        Step::Hours(n) => (day.at(0, 0, 0, 0), n.hours(), "%H:%M"),
        Step::Days(n) => {
            // Weeks start on a Monday.
            let back = if n >= 7 { i64::from(day.weekday().to_monday_zero_offset()) } else { 0 };
            (day.checked_sub(back.days()).ok()?.at(0, 0, 0, 0), n.days(), "%-d %b")
        }
        Step::Months(n) => (Date::new(day.year(), 1, 1).ok()?.at(0, 0, 0, 0), n.months(), "%b"),
        Step::Years(n) => {
            let year = i64::from(day.year()) / n * n;
            (Date::new(year as i16, 1, 1).ok()?.at(0, 0, 0, 0), n.years(), "%Y")
        }
    };
    let mut ticks = Vec::new();
    for _ in 0..4000 {
        let second = at.to_zoned(TimeZone::UTC).ok()?.timestamp().as_second() as f64;
        if second > to {
            return (ticks.len() >= 2).then_some(ticks);
        }
        if second >= from {
            let midnight = at.hour() == 0 && at.minute() == 0;
            let label = match step {
                Step::Hours(_) | Step::Minutes(_) if midnight => at.strftime("%-d %b").to_string(),
                Step::Months(_) if at.month() == 1 => at.strftime("%Y").to_string(),
                _ => at.strftime(format).to_string(),
            };
            ticks.push((second, label));
            if ticks.len() > 60 {
                return None;
            }
        }
        at = at.checked_add(span).ok()?;
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    fn labels(axis: &Axis) -> Vec<&str> {
        axis.ticks.iter().map(|(_, label)| label.as_str()).collect()
    }

    #[test]
    fn numbers_have_round_steps() {
        let axis = Axis::of_numbers("", [18.2, 31.4].into_iter(), Lie::Up(250.0), false);
        assert_eq!(labels(&axis), ["15", "20", "25", "30", "35"]);
        let axis = Axis::of_numbers("", [0.0, 0.3].into_iter(), Lie::Up(250.0), false);
        assert_eq!(labels(&axis), ["0.0", "0.1", "0.2", "0.3"]);
        let axis = Axis::of_numbers("", [-12_000.0, 30_000.0].into_iter(), Lie::Up(200.0), false);
        assert_eq!(labels(&axis)[0], "\u{2212}20\u{202F}000");
        let axis = Axis::of_numbers("", [3.0, 4000.0].into_iter(), Lie::Up(200.0), true);
        assert_eq!(labels(&axis), ["1", "10", "100", "1000", "10\u{202F}000"]);
        assert!(Axis::of_numbers("", [5.0, 5.0].into_iter(), Lie::Up(200.0), false).from < 5.0);
        assert!(!Axis::of_numbers("", std::iter::empty(), Lie::Up(200.0), false).ticks.is_empty());
    }

    #[test]
    fn moments_have_the_finest_step_that_has_room() {
        let day = 86_400.0;
        let june = 1_780_272_000.0; // 1 June 2026
        let axis =
            |days: f64, pixels: f64| Axis::of_moments("", [june, june + days * day].into_iter(), Lie::Across(pixels));
        assert_eq!(labels(&axis(29.0, 400.0)), ["1 Jun", "8 Jun", "15 Jun", "22 Jun", "29 Jun"]);
        assert_eq!(labels(&axis(1.0, 400.0)), ["1 Jun", "06:00", "12:00", "18:00", "2 Jun"]);
        assert_eq!(labels(&axis(400.0, 300.0)), ["Jul", "Oct", "2027", "Apr", "Jul"]);
        assert_eq!(labels(&axis(4000.0, 300.0)).len(), 5);
        assert_eq!(labels(&axis(29.0, 90.0)), ["1 Jun", "30 Jun"]);
    }
}
