//! The whole sheet: title, legend, and a panel for each part of the table, drawn to SVG.

use crate::axis::{Axis, LABEL, Lie};
use crate::ends;
use crate::heat;
use crate::ink::{Area, FAINT, INK, SOFT, fitted, said, words};
use crate::panel::{Along, Mark, Rows};
use crate::spec::{ChartError, Kind, Spec, wrong};
use crate::{Size, text};
use plotters::coord::ranged1d::Ranged;
use plotters::prelude::*;
use plotters::style::text_anchor::HPos;
use vineloom_table::Table;

/// Colours that people of any colour sight tell apart (Okabe and Ito 2002), without their yellow, which is too pale
/// for lines on paper.
const PALETTE: [RGBColor; 7] = [
    RGBColor(0, 114, 178),
    RGBColor(213, 94, 0),
    RGBColor(0, 158, 115),
    RGBColor(204, 121, 167),
    RGBColor(230, 159, 0),
    RGBColor(86, 180, 233),
    RGBColor(68, 68, 68),
];
/// Draws a point whose shape says its series, for those who see no colour: `$draw` takes each kind of element.
macro_rules! draw_point {
    ($at:expr, $series:expr, $draw:expr) => {{
        let fill = colour($series).mix(0.85).filled();
        match $series % 4 {
            0 => $draw(Circle::new($at, 4, fill)),
            1 => $draw(TriangleMarker::new($at, 5, fill)),
            2 => $draw(EmptyElement::at($at) + Rectangle::new([(-4, -4), (4, 4)], fill)),
            _ => $draw(EmptyElement::at($at) + Polygon::new([(0, -6), (6, 0), (0, 6), (-6, 0)], fill)),
        }
    }};
}

/// Draws a chart.
pub fn draw(spec: &Spec, table: &Table, size: Size) -> Result<String, ChartError> {
    let shown = match spec.kind {
        Kind::Heat => Shown::Heat(heat::Places::of(spec, table)?),
        _ => Shown::Rows(Rows::of(spec, table)?),
    };
    if table.rows.is_empty() {
        return Err(wrong(1, "the table has no rows to draw", None));
    }
    let pixels = |millimetres: u32| (f64::from(millimetres) / 25.4 * 96.0).round().max(60.0) as u32;
    let (width, height) = (pixels(size.width), pixels(size.height));
    let mut svg = String::new();
    let drawn = {
        let root = SVGBackend::with_string(&mut svg, (width, height)).into_drawing_area();
        let extent = (f64::from(width), f64::from(height));
        match &shown {
            Shown::Heat(places) => heat::draw(spec, places, &root, extent),
            Shown::Rows(rows) => Sheet { spec, rows }.draw(&root, extent),
        }
    };
    drawn.map_err(|problem| wrong(1, problem, None))?;
    Ok(svg.trim_start().to_string())
}

/// What a sheet shows.
enum Shown {
    Rows(Rows),
    Heat(heat::Places),
}

struct Sheet<'a> {
    spec: &'a Spec,
    rows: &'a Rows,
}

/// One panel's marks on its axes.
struct Panel {
    marks: Vec<Mark>,
    along: Axis,
    up: Axis,
    /// Whether what lies along runs from top to bottom.
    lying: bool,
}

impl Sheet<'_> {
    fn draw(&self, root: &Area, (width, height): (f64, f64)) -> Result<(), String> {
        let mut top = 4.0;
        if !self.spec.title.is_empty() {
            words(root, &self.spec.title, (2.0, top), 18.0, INK, FontStyle::Bold, HPos::Left)?;
            top += 29.0;
        }
        if !ends::are_labelled(self.spec, self.rows) {
            top = self.legend(root, top, width)?;
        }
        let count = self.rows.panels.len();
        let columns = match count {
            1 => 1,
            2 | 4 => 2,
            _ => 3,
        };
        let lines = count.div_ceil(columns);
        let (cell_width, cell_height) = (width / columns as f64, (height - top) / lines as f64);
        let panels = (0..count).map(|at| self.panel(at, cell_width, cell_height)).collect::<Result<Vec<_>, _>>()?;
        for (at, panel) in panels.iter().enumerate() {
            let (left, upper) = ((at % columns) as f64 * cell_width, top + (at / columns) as f64 * cell_height);
            let area = root.clone().shrink(
                (left as i32, upper as i32),
                ((cell_width - 10.0).max(20.0) as i32, (cell_height - 4.0).max(20.0) as i32),
            );
            self.draw_panel(&area, panel, &self.rows.panels[at])?;
        }
        Ok(())
    }

    /// A square of its colour and the name of each series, in as many lines as it takes; returns where they end.
    fn legend(&self, root: &Area, top: f64, width: f64) -> Result<f64, String> {
        let divided = self.rows.by_row.is_some() || self.rows.series.len() > 1;
        if !divided || self.rows.series.is_empty() {
            return Ok(top);
        }
        let (mut left, mut upper) = (2.0, top);
        for (series, name) in self.rows.series.iter().enumerate() {
            let room = text::width(name) * LABEL + 38.0;
            if left > 2.0 && left + room > width {
                left = 2.0;
                upper += 22.0;
            }
            if matches!(self.spec.kind, Kind::Point) {
                let place = (left as i32 + 6, upper as i32 + 8);
                draw_point!(place, series, |element| root.draw(&element).map_err(said))?;
            } else {
                let square = [(left as i32, upper as i32 + 3), (left as i32 + 12, upper as i32 + 13)];
                root.draw(&Rectangle::new(square, colour(series).filled())).map_err(said)?;
            }
            words(root, name, (left + 18.0, upper), LABEL, INK, FontStyle::Normal, HPos::Left)?;
            left += room;
        }
        Ok(upper + 28.0)
    }

    /// The axes of all panels reach over the values of all, so that they can be compared.
    fn panel(&self, at: usize, width: f64, height: f64) -> Result<Panel, String> {
        let spec = self.spec;
        let all = (0..self.rows.panels.len()).map(|panel| self.rows.marks(spec, panel));
        let all: Vec<Vec<Mark>> = all.collect::<Result<_, _>>().map_err(|error| error.message)?;
        let (plot_width, plot_height) = (width - 78.0, height - 68.0);
        let mut ups = all.iter().flatten().flat_map(heights).peekable();
        let from_zero = matches!(spec.kind, Kind::Bar | Kind::Area | Kind::Histogram);
        let up_title = spec.y_title.clone().unwrap_or_else(|| match (spec.kind, spec.y.as_slice()) {
            (Kind::Histogram, _) => "count".into(),
            (_, [only]) => only.value.clone(),
            _ => String::new(),
        });
        let zero = from_zero.then_some(0.0).filter(|_| ups.peek().is_some());
        let values: Vec<f64> = ups.chain(zero).collect();
        let is_log = spec.y_log.is_some() && spec.kind != Kind::Histogram;
        let mut up = Axis::of_numbers(&up_title, values.iter().copied(), Lie::Up(plot_height), is_log);
        let title = spec.x_title.clone().or_else(|| spec.x.as_ref().map(|x| x.value.clone())).unwrap_or_default();
        let along = match &self.rows.along {
            Along::One => Axis { ticks: Vec::new(), ..Axis::of_words(&title, &[String::new()]) },
            Along::Bins { column: _, from, step, count } => {
                let ends = [*from, from + step * *count as f64];
                Axis::of_numbers(&title, ends.into_iter(), Lie::Across(plot_width), false)
            }
            Along::Column(column) => {
                let values = column.values.iter().copied().flatten();
                Axis::of_column(&title, column, values, Lie::Across(plot_width), spec.x_log.is_some())
            }
        };
        // Words that have no room side by side are written one above the other.
        let lying = along.is_words && matches!(spec.kind, Kind::Bar | Kind::Box) && !along.fits(plot_width);
        if lying {
            up = Axis::of_numbers(&up_title, values.into_iter(), Lie::Across(plot_width), is_log);
        }
        let up = if from_zero { up.reach(0.0) } else { up };
        Ok(Panel { marks: all.into_iter().nth(at).unwrap_or_default(), along, up, lying })
    }

    fn draw_panel(&self, area: &Area, panel: &Panel, name: &str) -> Result<(), String> {
        let (across, upright) = if panel.lying { (&panel.up, &panel.along) } else { (&panel.along, &panel.up) };
        let mut top = 2.0;
        if !name.is_empty() {
            words(area, name, (2.0, top), 15.0, INK, FontStyle::Bold, HPos::Left)?;
            top += 23.0;
        }
        if !upright.title.is_empty() {
            words(area, &upright.title, (2.0, top), LABEL, SOFT, FontStyle::Normal, HPos::Left)?;
            top += 22.0;
        }
        let widest = upright.ticks.iter().map(|(_, label)| text::width(label) * LABEL).fold(0.0, f64::max);
        let (width, height) = area.dim_in_pixel();
        let left = (widest + 10.0).min(f64::from(width) * 0.45);
        let below = if across.title.is_empty() { 26 } else { 50 };
        let names = ends::names(self.spec, self.rows, panel.marks.as_slice());
        let right = names.iter().map(|end| text::width(end.name) * LABEL + 12.0).fold(14.0, f64::max);
        let right = right.min(f64::from(width) * 0.35);
        let turned = if panel.lying { Ticked::of(upright).turned() } else { Ticked::of(upright) };
        let mut chart = ChartBuilder::on(area)
            .margin_top(top as u32 + 6)
            .margin_right(right as u32)
            .x_label_area_size(below)
            .y_label_area_size(left as u32)
            .build_cartesian_2d(Ticked::of(across), turned)
            .map_err(said)?;
        let plot = chart.plotting_area().get_pixel_range();
        let base = area.get_base_pixel();
        let origin = (plot.0.start - base.0, plot.1.start - base.1);
        let extent = (f64::from(plot.0.end - plot.0.start), f64::from(plot.1.end - plot.1.start));
        let place = |axis: &Axis, value: f64| (value - axis.from) / (axis.to - axis.from);
        let label = |_: &f64| String::new();
        let none = RGBColor(0, 0, 0).mix(0.0);
        chart
            .configure_mesh()
            .disable_mesh()
            .axis_style(none)
            .set_all_tick_mark_size(0)
            .x_label_formatter(&label)
            .y_label_formatter(&label)
            .draw()
            .map_err(said)?;
        for (value, label) in &across.ticks {
            let x = f64::from(origin.0) + place(across, *value) * extent.0;
            let (up, down) = (origin.1, origin.1 + extent.1 as i32);
            if !across.is_words {
                let line = if panel.lying { (up, down) } else { (down, down + 4) };
                let shade = if panel.lying { FAINT } else { SOFT };
                area.draw(&PathElement::new([(x as i32, line.0), (x as i32, line.1)], shade)).map_err(said)?;
            }
            words(area, label, (x, f64::from(down) + 6.0), LABEL, SOFT, FontStyle::Normal, HPos::Center)?;
        }
        for (value, label) in &upright.ticks {
            let part = place(upright, *value);
            let y = f64::from(origin.1) + if panel.lying { part } else { 1.0 - part } * extent.1;
            if !upright.is_words {
                let line = [(origin.0, y as i32), (origin.0 + extent.0 as i32, y as i32)];
                area.draw(&PathElement::new(line, FAINT)).map_err(said)?;
            }
            let fitted = fitted(label, left - 8.0);
            words(area, &fitted, (left - 6.0, y - 7.0), LABEL, SOFT, FontStyle::Normal, HPos::Right)?;
        }
        if !across.title.is_empty() {
            let middle = f64::from(origin.0) + extent.0 / 2.0;
            words(
                area,
                &across.title,
                (middle, f64::from(height) - 20.0),
                LABEL,
                SOFT,
                FontStyle::Normal,
                HPos::Center,
            )?;
        }
        let at = |(along, up): (f64, f64)| {
            let (along, up) = (panel.along.at(along), panel.up.at(up));
            if panel.lying { (up, along) } else { (along, up) }
        };
        for mark in &panel.marks {
            draw_mark(&mut chart, mark, &at, &panel.up, panel.lying)?;
        }
        let ends: Vec<(f64, &ends::End)> = names
            .iter()
            .map(|end| (f64::from(origin.1) + (1.0 - place(&panel.up, panel.up.at(end.up))) * extent.1, end))
            .collect();
        for (y, end) in ends::apart(ends, LABEL + 2.0, f64::from(origin.1), f64::from(origin.1) + extent.1) {
            let x = f64::from(origin.0) + extent.0 + 6.0;
            let name = fitted(end.name, right - 8.0);
            words(area, &name, (x, y - LABEL / 2.0), LABEL, colour(end.series), FontStyle::Normal, HPos::Left)?;
        }
        // The base line lies over the feet of the marks.
        let line = if panel.lying {
            [(origin.0, origin.1), (origin.0, origin.1 + extent.1 as i32)]
        } else {
            let zero =
                if across.is_words && !panel.up.is_log { place(&panel.up, 0.0f64.max(panel.up.from)) } else { 0.0 };
            let y = origin.1 + ((1.0 - zero) * extent.1) as i32;
            [(origin.0, y), (origin.0 + extent.0 as i32, y)]
        };
        area.draw(&PathElement::new(line, INK)).map_err(said)
    }
}

type Chart<'a, 'b> = ChartContext<'a, SVGBackend<'b>, Cartesian2d<Ticked, Ticked>>;

fn draw_mark<'b>(
    chart: &mut Chart<'_, 'b>,
    mark: &Mark,
    at: &dyn Fn((f64, f64)) -> (f64, f64),
    up_axis: &Axis,
    lying: bool,
) -> Result<(), String> {
    let foot = |value: f64| if up_axis.is_log { 10f64.powf(up_axis.from) } else { value };
    match mark {
        Mark::Line { points, series } => {
            let line: Vec<(f64, f64)> = points.iter().map(|point| at(*point)).collect();
            chart.draw_series([PathElement::new(line, colour(*series).stroke_width(2))]).map_err(said)?;
        }
        Mark::Area { points, series } => {
            let feet = points.iter().rev().map(|(along, _)| (*along, foot(0.0)));
            let outline: Vec<(f64, f64)> = points.iter().copied().chain(feet).map(at).collect();
            chart.draw_series([Polygon::new(outline, colour(*series).mix(0.28))]).map_err(said)?;
            let line: Vec<(f64, f64)> = points.iter().map(|point| at(*point)).collect();
            chart.draw_series([PathElement::new(line, colour(*series).stroke_width(2))]).map_err(said)?;
        }
        Mark::Span { along, up, series } => {
            let stroke = colour(*series).stroke_width(2);
            let reach = 4;
            let (low, high) = (at((*along, up.0)), at((*along, up.1)));
            chart.draw_series([PathElement::new([low, high], stroke)]).map_err(said)?;
            let cap = if lying { [(0, -reach), (0, reach)] } else { [(-reach, 0), (reach, 0)] };
            for end in [low, high] {
                chart.draw_series([EmptyElement::at(end) + PathElement::new(cap, stroke)]).map_err(said)?;
            }
        }
        Mark::Point { at: point, series } => {
            let place = at(*point);
            draw_point!(place, *series, |element| chart.draw_series([element]).map(drop).map_err(said))?;
        }
        Mark::Bar { along, up, series } => {
            let corners = [at((along.0, foot(up.0))), at((along.1, up.1))];
            chart.draw_series([Rectangle::new(corners, colour(*series).filled())]).map_err(said)?;
            // Bars that touch are told apart by a line of paper.
            let edge = RGBColor(255, 255, 255).mix(0.85);
            chart.draw_series([Rectangle::new(corners, edge)]).map_err(said)?;
        }
        Mark::Box { along, five, outliers, series } => {
            let middle = (along.0 + along.1) / 2.0;
            let stroke = colour(*series).stroke_width(2);
            for whisker in [[five[0], five[1]], [five[3], five[4]]] {
                let line = whisker.map(|up| at((middle, up)));
                chart.draw_series([PathElement::new(line, stroke)]).map_err(said)?;
            }
            let corners = [at((along.0, five[1])), at((along.1, five[3]))];
            chart.draw_series([Rectangle::new(corners, colour(*series).mix(0.28).filled())]).map_err(said)?;
            chart.draw_series([Rectangle::new(corners, stroke)]).map_err(said)?;
            let median = [at((along.0, five[2])), at((along.1, five[2]))];
            chart.draw_series([PathElement::new(median, colour(*series).stroke_width(3))]).map_err(said)?;
            for outlier in outliers {
                let (x, y) = at((middle, *outlier));
                chart.draw_series([Circle::new((x, y), 3, stroke)]).map_err(said)?;
            }
        }
    }
    Ok(())
}

fn colour(series: usize) -> RGBColor {
    PALETTE[series % PALETTE.len()]
}

/// An axis as the drawing library takes it.
struct Ticked {
    from: f64,
    to: f64,
}

impl Ticked {
    fn of(axis: &Axis) -> Ticked {
        Ticked { from: axis.from, to: axis.to }
    }

    /// The same from the other end: words are read from the top.
    fn turned(self) -> Ticked {
        Ticked { from: self.to, to: self.from }
    }
}

impl Ranged for Ticked {
    type FormatOption = plotters::coord::ranged1d::NoDefaultFormatting;
    type ValueType = f64;

    fn map(&self, value: &f64, limit: (i32, i32)) -> i32 {
        let part = (value - self.from) / (self.to - self.from);
        limit.0 + (f64::from(limit.1 - limit.0) * part).round() as i32
    }

    fn key_points<H: plotters::coord::ranged1d::KeyPointHint>(&self, _hint: H) -> Vec<f64> {
        Vec::new()
    }

    fn range(&self) -> std::ops::Range<f64> {
        self.from..self.to
    }
}

impl plotters::coord::ranged1d::ValueFormatter<f64> for Ticked {
    fn format(value: &f64) -> String {
        value.to_string()
    }
}

/// The values that a mark reaches up to.
fn heights(mark: &Mark) -> Vec<f64> {
    match mark {
        Mark::Line { points, .. } | Mark::Area { points, .. } => points.iter().map(|point| point.1).collect(),
        Mark::Point { at, .. } => vec![at.1],
        Mark::Bar { up, .. } => vec![up.1],
        Mark::Span { up, .. } => vec![up.0, up.1],
        Mark::Box { five, outliers, .. } => five.iter().chain(outliers).copied().collect(),
    }
}
