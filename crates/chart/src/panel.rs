//! What is drawn in one panel: the rows of a table as marks, before they have a place on paper.

use crate::column::{Column, Quantity};
use crate::spec::{ChartError, Kind, Set, Spec, wrong};
use vineloom_table::Table;

/// A mark, in the terms of the axes: along first, up second.
#[derive(Debug, Clone, PartialEq)]
pub enum Mark {
    Line {
        points: Vec<(f64, f64)>,
        series: usize,
    },
    Area {
        points: Vec<(f64, f64)>,
        series: usize,
    },
    Point {
        at: (f64, f64),
        series: usize,
    },
    /// Between two places along and two up.
    Bar {
        along: (f64, f64),
        up: (f64, f64),
        series: usize,
    },
    /// How far a value may be off: from here up to there.
    Span {
        along: f64,
        up: (f64, f64),
        series: usize,
    },
    Box {
        along: (f64, f64),
        five: [f64; 5],
        outliers: Vec<f64>,
        series: usize,
    },
}

/// The rows of a table as the chart takes them.
#[derive(Debug)]
pub struct Rows {
    pub along: Along,
    /// The columns that go up: one, or one a series.
    pub up: Vec<Column>,
    pub series: Vec<String>,
    /// The series of each row, when a column says it.
    pub by_row: Option<Vec<Option<f64>>>,
    /// Where each row's value reaches down and up, when columns say it.
    pub reach: Option<Vec<Reach>>,
    /// The panel of each row, and the panels' names.
    pub panel_of: Vec<usize>,
    pub panels: Vec<String>,
}

/// What lies along the chart.
#[derive(Debug)]
pub enum Along {
    Column(Column),
    /// Nothing: all rows are one step.
    One,
    /// Steps of a column's numbers: the lowest, the width, how many.
    Bins {
        column: Column,
        from: f64,
        step: f64,
        count: usize,
    },
}

impl Rows {
    /// Takes from the table what the chart names.
    pub fn of(spec: &Spec, table: &Table) -> Result<Rows, ChartError> {
        let along = along(spec, table)?;
        let up = match spec.kind {
            Kind::Histogram => Vec::new(),
            _ => spec.y.iter().map(|name| Column::find_numbers(table, name)).collect::<Result<_, _>>()?,
        };
        let colour = spec.colour.as_ref().map(|name| Column::find_words(table, name)).transpose()?;
        if let (Some(colour), true) = (&spec.colour, up.len() > 1) {
            let help =
                "take one column for `y`, or leave `colour` out: each column has a colour of its own".to_string();
            return Err(wrong(colour.line, "`colour` can't divide several columns", Some(help)));
        }
        let series = match &colour {
            Some(column) => column.words.clone(),
            None => up.iter().map(|column| column.name.clone()).collect(),
        };
        let panels = spec.panels.as_ref().map(|name| Column::find_words(table, name)).transpose()?;
        let panel_of = match &panels {
            Some(column) => column.values.iter().map(|value| value.map_or(usize::MAX, |at| at as usize)).collect(),
            None => vec![0; table.rows.len()],
        };
        let panels = panels.map_or_else(|| vec![String::new()], |column| column.words);
        let reach = reach(spec, table, &up)?;
        let rows = Rows { along, up, reach, series, by_row: colour.map(|column| column.values), panel_of, panels };
        rows.check_scales(spec)?;
        Ok(rows)
    }

    fn check_scales(&self, spec: &Spec) -> Result<(), ChartError> {
        let along = match &self.along {
            Along::Column(column) | Along::Bins { column, .. } => Some(column),
            Along::One => None,
        };
        let of_x = spec.x_log.into_iter().flat_map(|line| along.map(|column| (line, column)));
        let of_y = spec.y_log.into_iter().flat_map(|line| self.up.iter().map(move |column| (line, column)));
        for (line, column) in of_x.chain(of_y) {
            if column.quantity != Quantity::Number {
                return Err(wrong(
                    line,
                    format!("`{}` does not hold numbers, so its scale can't be logarithmic", column.name),
                    None,
                ));
            }
            if let Some((row, value)) =
                column.values.iter().enumerate().find_map(|(row, v)| v.filter(|v| *v <= 0.0).map(|v| (row, v)))
            {
                let message =
                    format!("a logarithmic scale has no place for {value}, in row {} of `{}`", row + 1, column.name);
                return Err(wrong(line, message, Some("leave such rows out, or take \"linear\"".into())));
            }
        }
        Ok(())
    }

    /// How many series there are; one when nothing divides them.
    fn series_count(&self) -> usize {
        self.series.len().max(1)
    }

    /// The marks of one panel.
    pub fn marks(&self, spec: &Spec, panel: usize) -> Result<Vec<Mark>, ChartError> {
        match spec.kind {
            Kind::Line | Kind::Area | Kind::Point => {
                let mut marks = self.points(spec.kind, panel);
                marks.extend(self.spans(panel, &|along, _| along));
                Ok(marks)
            }
            Kind::Bar => self.bars(spec, panel),
            Kind::Box => Ok(self.boxes(panel)),
            Kind::Histogram => Ok(self.counts(panel)),
            // It has places, not marks.
            Kind::Heat => Ok(Vec::new()),
        }
    }

    /// The rows of a panel and a series: what lies along, and up.
    fn values(&self, panel: usize, series: usize) -> impl Iterator<Item = (Option<f64>, Option<f64>)> {
        self.rows_of(panel, series).map(|(_, along, up)| (along, up))
    }

    /// How far the values of a panel may be off, each over its mark: `place` says where a series stands.
    fn spans(&self, panel: usize, place: &dyn Fn(f64, usize) -> f64) -> Vec<Mark> {
        let Some(reach) = &self.reach else { return Vec::new() };
        let spans = (0..self.series_count()).flat_map(|series| {
            self.rows_of(panel, series).filter_map(move |(row, along, up)| {
                up?;
                Some(Mark::Span { along: place(along?, series), up: reach[row]?, series })
            })
        });
        spans.collect()
    }

    /// The same, with the numbers of the rows.
    fn rows_of(&self, panel: usize, series: usize) -> impl Iterator<Item = (usize, Option<f64>, Option<f64>)> {
        let column = match self.by_row {
            Some(_) => self.up.first(),
            None => self.up.get(series),
        };
        let is_in = move |row: &usize| {
            self.panel_of[*row] == panel && self.by_row.as_ref().is_none_or(|by| by[*row] == Some(series as f64))
        };
        (0..self.panel_of.len()).filter(is_in).map(move |row| {
            let along = match &self.along {
                Along::Column(column) | Along::Bins { column, .. } => column.values[row],
                Along::One => Some(0.0),
            };
            (row, along, column.and_then(|column| column.values[row]))
        })
    }

    fn points(&self, kind: Kind, panel: usize) -> Vec<Mark> {
        let mut marks = Vec::new();
        for series in 0..self.series_count() {
            let mut points = Vec::new();
            for (along, up) in self.values(panel, series) {
                match (along, up, kind) {
                    (Some(along), Some(up), Kind::Point) => marks.push(Mark::Point { at: (along, up), series }),
                    (Some(along), Some(up), _) => points.push((along, up)),
                    // A value that is missing breaks the line.
                    _ => finish(&mut points, kind, series, &mut marks),
                }
            }
            finish(&mut points, kind, series, &mut marks);
        }
        marks
    }

    fn bars(&self, spec: &Spec, panel: usize) -> Result<Vec<Mark>, ChartError> {
        let count = if spec.stack { 1 } else { self.series_count() };
        let mut marks = Vec::new();
        // How high the bars of a place reach by now, up and down.
        let mut heights: Vec<(f64, [f64; 2])> = Vec::new();
        for series in 0..self.series_count() {
            let mut seen = Vec::new();
            for (along, up) in self.values(panel, series) {
                let (Some(along), Some(up)) = (along, up) else { continue };
                if seen.contains(&along) {
                    let word = match &self.along {
                        Along::Column(column) => column.words.get(along as usize).cloned().unwrap_or_default(),
                        _ => String::new(),
                    };
                    let line = spec.x.as_ref().map_or(1, |x| x.line);
                    let help = "divide the rows with `colour` or `panels`, or add them up before";
                    return Err(wrong(
                        line,
                        format!("several rows are about `{word}`, and a bar shows one"),
                        Some(help.into()),
                    ));
                }
                seen.push(along);
                let width = 0.76 / count as f64;
                let from = along - 0.38 + if spec.stack { 0.0 } else { width * series as f64 };
                let side = usize::from(up < 0.0);
                let foot = match heights.iter_mut().find(|(place, _)| *place == along).filter(|_| spec.stack) {
                    Some((_, heights)) => {
                        heights[side] += up;
                        heights[side] - up
                    }
                    None => {
                        let mut both = [0.0; 2];
                        both[side] = up;
                        heights.push((along, both));
                        0.0
                    }
                };
                marks.push(Mark::Bar { along: (from, from + width * 0.94), up: (foot, foot + up), series });
            }
        }
        let middle = |along: f64, series: usize| along - 0.38 + 0.76 / count as f64 * (series as f64 + 0.47);
        marks.extend(self.spans(panel, &middle));
        Ok(marks)
    }

    fn boxes(&self, panel: usize) -> Vec<Mark> {
        let count = self.series_count();
        let steps = match &self.along {
            Along::Column(column) => column.words.len(),
            _ => 1,
        };
        let mut marks = Vec::new();
        for step in 0..steps {
            for series in 0..count {
                let here = self.values(panel, series).filter(|(along, _)| *along == Some(step as f64));
                let mut values: Vec<f64> = here.filter_map(|(_, up)| up).collect();
                values.sort_by(f64::total_cmp);
                if values.is_empty() {
                    continue;
                }
                let width = 0.64 / count as f64;
                let from = step as f64 - 0.32 + width * series as f64;
                let (five, outliers) = five_numbers(&values);
                marks.push(Mark::Box { along: (from, from + width * 0.86), five, outliers, series });
            }
        }
        marks
    }

    fn counts(&self, panel: usize) -> Vec<Mark> {
        let Along::Bins { from, step, count, .. } = &self.along else { return Vec::new() };
        let mut heights = vec![0.0; *count];
        let mut marks = Vec::new();
        for series in 0..self.series_count() {
            let mut counts = vec![0.0; *count];
            for value in self.values(panel, series).filter_map(|(along, _)| along) {
                let at = (((value - from) / step) as usize).min(count - 1);
                counts[at] += 1.0;
            }
            for (at, more) in counts.into_iter().enumerate().filter(|(_, more)| *more > 0.0) {
                let left = from + step * at as f64;
                let up = (heights[at], heights[at] + more);
                heights[at] += more;
                marks.push(Mark::Bar { along: (left, left + step), up, series });
            }
        }
        marks
    }
}

/// Where a row's value reaches down and up; nothing for a row that does not say it.
type Reach = Option<(f64, f64)>;

/// Where each row's value reaches.
fn reach(spec: &Spec, table: &Table, up: &[Column]) -> Result<Option<Vec<Reach>>, ChartError> {
    let Some(first) = spec.error.first() else { return Ok(None) };
    let suits = matches!(spec.kind, Kind::Line | Kind::Point | Kind::Bar | Kind::Area) && !spec.stack;
    let ([column], true) = (up, suits) else {
        let help = "it is for one column of values, in lines, points and bars that stand side by side".to_string();
        return Err(wrong(first.line, "`error` has no place in this chart", Some(help)));
    };
    let columns: Vec<Column> =
        spec.error.iter().map(|name| Column::find_numbers(table, name)).collect::<Result<_, _>>()?;
    let of_row = |(row, value): (usize, &Option<f64>)| match columns.as_slice() {
        [off] => Some((value.as_ref()? - off.values[row]?, value.as_ref()? + off.values[row]?)),
        [low, high] => Some((low.values[row]?, high.values[row]?)),
        _ => None,
    };
    Ok(Some(column.values.iter().enumerate().map(of_row).collect()))
}

/// So many points of a line, in so many steps along, are more than a screen or paper tells apart.
const STEPS: usize = 1200;

/// A long line with fewer points: of each step along, its first and last point, its lowest and its highest are left, so
/// that no peak is lost.
fn thinned(points: Vec<(f64, f64)>) -> Vec<(f64, f64)> {
    let (Some(first), Some(last)) = (points.first(), points.last()) else { return points };
    let width = (last.0 - first.0) / STEPS as f64;
    if points.len() <= 4 * STEPS || width <= 0.0 || points.windows(2).any(|pair| pair[0].0 > pair[1].0) {
        return points;
    }
    let start = first.0;
    let step = |point: &(f64, f64)| ((point.0 - start) / width) as usize;
    let mut kept: Vec<(f64, f64)> = Vec::new();
    for part in points.chunk_by(|one, other| step(one) == step(other)) {
        let by_height = |one: &&(f64, f64), other: &&(f64, f64)| one.1.total_cmp(&other.1);
        let ends = [part.first(), part.iter().min_by(by_height), part.iter().max_by(by_height), part.last()];
        let mut ends: Vec<(f64, f64)> = ends.into_iter().flatten().copied().collect();
        ends.sort_by(|one, other| one.0.total_cmp(&other.0));
        ends.dedup();
        kept.extend(ends);
    }
    kept
}

fn finish(points: &mut Vec<(f64, f64)>, kind: Kind, series: usize, marks: &mut Vec<Mark>) {
    let points = thinned(std::mem::take(points));
    if points.len() == 1 {
        marks.push(Mark::Point { at: points[0], series });
    } else if !points.is_empty() {
        marks.push(if kind == Kind::Area { Mark::Area { points, series } } else { Mark::Line { points, series } });
    }
}

fn needed<'s>(spec: &'s Spec, setting: Option<&'s Set<String>>, name: &str) -> Result<&'s Set<String>, ChartError> {
    let word = match spec.kind {
        Kind::Line => "a line chart",
        Kind::Bar => "a bar chart",
        Kind::Point => "a point chart",
        Kind::Area => "an area chart",
        Kind::Box => "a box chart",
        Kind::Histogram => "a histogram",
        Kind::Heat => "a heat map",
    };
    setting.ok_or_else(|| wrong(1, format!("{word} needs `{name}`"), Some(format!("name a column: `{name} = \"…\"`"))))
}

fn along(spec: &Spec, table: &Table) -> Result<Along, ChartError> {
    if spec.kind != Kind::Histogram {
        needed(spec, spec.y.first(), "y")?;
    }
    if spec.kind == Kind::Box && spec.x.is_none() {
        return Ok(Along::One);
    }
    let x = needed(spec, spec.x.as_ref(), "x")?;
    Ok(match spec.kind {
        Kind::Bar | Kind::Box | Kind::Heat => Along::Column(Column::find_words(table, x)?),
        Kind::Histogram => {
            let column = Column::find_numbers(table, x)?;
            let mut values: Vec<f64> = column.values.iter().copied().flatten().collect();
            values.sort_by(f64::total_cmp);
            let (from, step, count) = bins(&values, spec.bins);
            Along::Bins { column, from, step, count }
        }
        Kind::Line | Kind::Point | Kind::Area => Along::Column(Column::find(table, x)?),
    })
}

/// The steps of a histogram over sorted values: as many as asked for, else of the width of Freedman and Diaconis
/// (1981), twice the distance between the quartiles over the cube root of how many there are, made round.
fn bins(values: &[f64], wanted: Option<usize>) -> (f64, f64, usize) {
    let (Some(low), Some(high)) = (values.first(), values.last()) else { return (0.0, 1.0, 1) };
    if low == high {
        return (low - 0.5, 1.0, 1);
    }
    if let Some(count) = wanted {
        return (*low, (high - low) / count as f64, count);
    }
    let between = quantile(values, 0.75) - quantile(values, 0.25);
    let width = if between > 0.0 { 2.0 * between / (values.len() as f64).cbrt() } else { (high - low) / 10.0 };
    let width = width.max((high - low) / 60.0);
    let base = 10f64.powf(width.log10().floor());
    let step = [1.0, 2.0, 2.5, 5.0, 10.0].into_iter().map(|m| m * base).find(|step| *step >= width).unwrap_or(width);
    let from = (low / step).floor() * step;
    let count = ((high - from) / step).floor() as usize + 1;
    (from, step, count)
}

/// A quantile of sorted values, between two of them by proportion.
fn quantile(values: &[f64], part: f64) -> f64 {
    let at = part * (values.len() - 1) as f64;
    let (below, rest) = (at.floor() as usize, at.fract());
    let above = values.get(below + 1).copied().unwrap_or(values[below]);
    values[below] + (above - values[below]) * rest
}

/// Lower whisker, quartiles, upper whisker: the whiskers reach to the last value within one and a half times the
/// distance between the quartiles (Tukey 1977); what lies beyond is an outlier.
fn five_numbers(values: &[f64]) -> ([f64; 5], Vec<f64>) {
    let (q1, median, q3) = (quantile(values, 0.25), quantile(values, 0.5), quantile(values, 0.75));
    let reach = 1.5 * (q3 - q1);
    let is_near = |value: &f64| (q1 - reach..=q3 + reach).contains(value);
    let near: Vec<f64> = values.iter().copied().filter(is_near).collect();
    let low = near.first().copied().unwrap_or(q1).min(q1);
    let high = near.last().copied().unwrap_or(q3).max(q3);
    ([low, q1, median, q3, high], values.iter().copied().filter(|value| !is_near(value)).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn marks(spec: &str, csv: &str) -> Result<Vec<Mark>, ChartError> {
        let spec = Spec::read(spec)?;
        Rows::of(&spec, &Table::read(csv).unwrap())?.marks(&spec, 0)
    }

    #[test]
    fn a_missing_value_breaks_the_line() {
        let found = marks("x = \"a\"\ny = \"b\"", "a,b\n1,1\n2,2\n3,\n4,4\n5,5\n").unwrap();
        assert_eq!(found.len(), 2);
        assert!(matches!(&found[0], Mark::Line { points, .. } if points == &[(1.0, 1.0), (2.0, 2.0)]));
    }

    #[test]
    fn bars_stand_on_one_another_when_asked() {
        let table = "p,k,n\na,x,2\na,y,3\nb,x,4\nb,y,-1\n";
        let found = marks("kind = \"bar\"\nx = \"p\"\ny = \"n\"\ncolour = \"k\"\nstack = true", table).unwrap();
        let ups: Vec<(f64, f64)> =
            found.iter().map(|mark| if let Mark::Bar { up, .. } = mark { *up } else { panic!() }).collect();
        assert_eq!(ups, [(0.0, 2.0), (0.0, 4.0), (2.0, 5.0), (0.0, -1.0)]);
    }

    #[test]
    fn a_value_says_how_far_it_may_be_off() {
        let table = "x,y,s,lo,hi\n1,10,2,9,12\n2,20,,18,25\n3,,1,1,2\n";
        let spans = |error: &str| -> Vec<(f64, f64)> {
            let found = marks(&format!("kind = \"point\"\nx = \"x\"\ny = \"y\"\nerror = {error}"), table).unwrap();
            found.iter().filter_map(|mark| if let Mark::Span { up, .. } = mark { Some(*up) } else { None }).collect()
        };
        assert_eq!(spans("\"s\""), [(8.0, 12.0)], "a value or an error that is missing has none");
        assert_eq!(spans("[\"lo\", \"hi\"]"), [(9.0, 12.0), (18.0, 25.0)]);
        let wrong = marks("x = \"x\"\ny = [\"y\", \"lo\"]\nerror = \"s\"", table).unwrap_err();
        assert!(wrong.message.contains("has no place"), "{wrong}");
        assert!(marks("x = \"x\"\ny = \"y\"\nerror = [\"s\", \"lo\", \"hi\"]", table).is_err());
    }

    #[test]
    fn a_long_line_keeps_its_peaks_with_fewer_points() {
        let mut points: Vec<(f64, f64)> = (0..100_000).map(|n| (f64::from(n), f64::from(n % 7))).collect();
        points[54_321].1 = 1000.0;
        points[77_777].1 = -1000.0;
        let kept = thinned(points.clone());
        assert!(kept.len() <= 4 * STEPS + 4, "{}", kept.len());
        assert!(kept.contains(&(54_321.0, 1000.0)) && kept.contains(&(77_777.0, -1000.0)));
        assert!(kept.first() == points.first() && kept.last() == points.last());
        assert!(kept.windows(2).all(|pair| pair[0].0 <= pair[1].0));
        let few = points[..4000].to_vec();
        assert_eq!(thinned(few.clone()), few);
    }

    #[test]
    fn a_box_has_five_numbers_and_its_outliers() {
        let values: Vec<f64> = (1..=9).map(f64::from).chain([100.0]).collect();
        let (five, outliers) = five_numbers(&values);
        assert_eq!(five, [1.0, 3.25, 5.5, 7.75, 9.0]);
        assert_eq!(outliers, [100.0]);
    }

    #[test]
    fn every_value_falls_into_one_step_of_a_histogram() {
        let csv = format!("m\n{}\n", (0..200).map(|n| (n * 37 % 101).to_string()).collect::<Vec<_>>().join("\n"));
        let total = |spec: &str| -> f64 {
            marks(spec, &csv)
                .unwrap()
                .iter()
                .map(|mark| if let Mark::Bar { up, .. } = mark { up.1 - up.0 } else { 0.0 })
                .sum()
        };
        assert_eq!(total("kind = \"histogram\"\nx = \"m\""), 200.0);
        assert_eq!(total("kind = \"histogram\"\nx = \"m\"\nbins = 7"), 200.0);
    }

    #[test]
    fn what_can_not_be_drawn_is_told() {
        let said = |spec: &str, csv: &str| marks(spec, csv).unwrap_err().to_string();
        assert_eq!(said("kind = \"bar\"\ny = \"b\"", "a,b\nx,1\n"), "a bar chart needs `x`");
        assert!(said("kind = \"bar\"\nx = \"a\"\ny = \"b\"", "a,b\nx,1\nx,2\n").contains("several rows are about `x`"));
        assert!(said("x = \"a\"\ny = \"b\"\ny-scale = \"log\"", "a,b\n1,0\n").contains("no place for 0, in row 1"));
        assert!(said("x = \"a\"\ny = [\"b\", \"a\"]\ncolour = \"a\"", "a,b\n1,0\n").contains("several columns"));
    }
}
