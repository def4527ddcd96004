//! The names of lines at their ends, where a reader looks for them, in place of a legend.

use crate::panel::{Mark, Rows};
use crate::spec::{Kind, Spec};

/// More lines than this are told apart in a legend.
const MOST: usize = 6;

/// Where a line ends.
#[derive(Debug, Clone, PartialEq)]
pub struct End<'a> {
    pub name: &'a str,
    pub series: usize,
    /// How high it ends, in the terms of the axis.
    pub up: f64,
}

/// Whether the lines of a chart carry their names: there are a few, in one panel.
pub fn are_labelled(spec: &Spec, rows: &Rows) -> bool {
    matches!(spec.kind, Kind::Line | Kind::Area) && rows.panels.len() == 1 && (2..=MOST).contains(&rows.series.len())
}

/// The ends of the lines of a chart that carry their names; none of another.
pub fn names<'a>(spec: &Spec, rows: &'a Rows, marks: &[Mark]) -> Vec<End<'a>> {
    if !are_labelled(spec, rows) {
        return Vec::new();
    }
    let last = |series: usize| {
        let ends = marks.iter().filter_map(|mark| match mark {
            Mark::Line { points, series: own } | Mark::Area { points, series: own } if *own == series => points.last(),
            Mark::Point { at, series: own } if *own == series => Some(at),
            _ => None,
        });
        ends.copied().max_by(|one, other| one.0.total_cmp(&other.0))
    };
    let end = |(series, name): (usize, &'a String)| last(series).map(|(_, up)| End { name, series, up });
    rows.series.iter().enumerate().filter_map(end).collect()
}

/// The same with none over another: each at its height, or as near to it as there is room.
pub fn apart<'e, 'a>(mut ends: Vec<(f64, &'e End<'a>)>, room: f64, top: f64, bottom: f64) -> Vec<(f64, &'e End<'a>)> {
    ends.sort_by(|one, other| one.0.total_cmp(&other.0));
    for at in 1..ends.len() {
        ends[at].0 = ends[at].0.max(ends[at - 1].0 + room);
    }
    // What was pushed below the chart pushes the others up again.
    let mut lowest = bottom;
    for (y, _) in ends.iter_mut().rev() {
        *y = y.min(lowest).max(top);
        lowest = *y - room;
    }
    ends
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_table::Table;

    fn ends_of(spec: &str, csv: &str) -> Vec<(String, f64)> {
        let spec = Spec::read(spec).unwrap();
        let rows = Rows::of(&spec, &Table::read(csv).unwrap()).unwrap();
        let marks = rows.marks(&spec, 0).unwrap();
        names(&spec, &rows, &marks).into_iter().map(|end| (end.name.to_string(), end.up)).collect()
    }

    #[test]
    fn a_few_lines_carry_their_names_at_their_last_value() {
        let table = "d,north,east\n1,30,20\n2,29,\n3,31,22\n";
        let found = ends_of("x = \"d\"\ny = [\"north\", \"east\"]", table);
        assert_eq!(found, [("north".to_string(), 31.0), ("east".to_string(), 22.0)]);
        assert_eq!(ends_of("x = \"d\"\ny = \"north\"", table), [], "a single line needs no name");
        assert_eq!(ends_of("kind = \"point\"\nx = \"d\"\ny = [\"north\", \"east\"]", table), []);
    }

    #[test]
    fn names_stand_apart_and_within_the_chart() {
        let end = |name| End { name, series: 0, up: 0.0 };
        let (a, b, c) = (end("a"), end("b"), end("c"));
        let placed = apart(vec![(99.0, &a), (98.0, &b), (50.0, &c)], 16.0, 0.0, 100.0);
        let ys: Vec<f64> = placed.iter().map(|(y, _)| *y).collect();
        assert_eq!(ys, [50.0, 84.0, 100.0]);
        assert_eq!(placed[1].1.name, "b");
    }
}
