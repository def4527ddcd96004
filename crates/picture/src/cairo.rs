//! Drawings of the cairo library, through which R and others draw, said in fewer bytes.
//!
//! Cairo writes one element a line, each with all of its style and with six digits behind the decimal mark, so that a
//! thousand points take a third of a megabyte. Here a style is written once, a shape that comes several times is drawn
//! once and placed, and numbers keep two digits: a two-hundredth of a point is seen by nobody.

use std::collections::HashMap;
use std::fmt::Write as _;

/// How often a shape has to come before it is drawn once and placed.
const OFTEN: usize = 3;

/// The same drawing in fewer bytes; nothing when cairo did not write it.
pub(crate) fn compact(svg: &str) -> Option<String> {
    let mut lines = svg.lines();
    let opening: Vec<&str> = lines.by_ref().take(2).collect();
    let [xml, root] = opening.as_slice() else { return None };
    let of_cairo = xml.starts_with("<?xml") && root.starts_with("<svg ") && root.contains("pt\" viewBox=\"0 0 ");
    if !of_cairo || !root.ends_with('>') || svg.contains("<style") {
        return None;
    }
    let lines: Vec<Line> = lines.map(Line::read).collect();
    let mut counts: HashMap<(&str, &str), usize> = HashMap::new();
    for line in &lines {
        if let Line::Path { look, shape, .. } = line {
            *counts.entry((look, shape)).or_default() += 1;
        }
    }
    let mut styles = Names::default();
    let mut shapes = Names::default();
    let (mut drawn, mut body) = (String::new(), String::new());
    for line in &lines {
        match line {
            Line::Path { look, shape, at, .. } if counts.get(&(look.as_str(), shape.as_str())) >= Some(&OFTEN) => {
                let (number, is_new) = shapes.number(&format!("{look} {shape}"));
                if is_new {
                    let look = classed(look, &mut styles);
                    let _ = writeln!(drawn, "<path id=\"s{number}\"{look} d=\"{shape}\"/>");
                }
                let _ = writeln!(body, "<use xlink:href=\"#s{number}\" x=\"{}\" y=\"{}\"/>", at.0, at.1);
            }
            Line::Path { look, absolute, .. } => {
                let look = classed(look, &mut styles);
                let _ = writeln!(body, "<path{look} d=\"{absolute}\"/>");
            }
            Line::Other(line) => {
                let _ = writeln!(body, "{}", line.trim_start());
            }
        }
    }
    let mut compact = format!("{xml}\n{root}\n<style>");
    for (number, style) in styles.texts.iter().enumerate() {
        let _ = write!(compact, ".c{number}{{{style}}}");
    }
    let _ = write!(compact, "</style>\n<defs>\n{drawn}</defs>\n{body}");
    Some(compact)
}

/// Texts, each with a number, in the order in which they came first.
#[derive(Default)]
struct Names {
    texts: Vec<String>,
    numbers: HashMap<String, usize>,
}

impl Names {
    /// The number of a text, and whether it came first just now.
    fn number(&mut self, text: &str) -> (usize, bool) {
        if let Some(number) = self.numbers.get(text) {
            return (*number, false);
        }
        self.texts.push(text.to_string());
        self.numbers.insert(text.to_string(), self.texts.len() - 1);
        (self.texts.len() - 1, true)
    }
}

/// The attributes of a path with a class in the place of its style.
fn classed(look: &str, styles: &mut Names) -> String {
    let Some((before, rest)) = look.split_once("style=\"") else { return look.to_string() };
    let Some((style, after)) = rest.split_once('"') else { return look.to_string() };
    let (number, _) = styles.number(style.trim_end_matches(';'));
    format!("{before}class=\"c{number}\"{after}")
}

/// A line of a drawing.
enum Line {
    Path {
        /// Its attributes but for the path itself, with the space before them.
        look: String,
        /// The path as it is.
        absolute: String,
        /// The path from its first point.
        shape: String,
        /// That point.
        at: (String, String),
    },
    Other(String),
}

impl Line {
    fn read(line: &str) -> Self {
        let path = || {
            let attributes = line.trim_start().strip_prefix("<path")?.strip_suffix("/>")?;
            let (before, rest) = attributes.split_once(" d=\"")?;
            let (path, after) = rest.split_once('"')?;
            let look = format!("{before}{after}");
            let (absolute, shape, at) = shifted(path)?;
            Some(Line::Path { look, absolute, shape, at })
        };
        path().unwrap_or_else(|| Line::Other(line.to_string()))
    }
}

/// A path as it is and from its first point, and that point. Nothing for one with commands that cairo does not write.
fn shifted(path: &str) -> Option<(String, String, (String, String))> {
    let mut first: Option<(f64, f64)> = None;
    let (mut absolute, mut shape) = (String::new(), String::new());
    let mut words = path.split_ascii_whitespace();
    while let Some(word) = words.next() {
        if let Some(command) = Some(word).filter(|word| matches!(*word, "M" | "L" | "C" | "Z")) {
            absolute.push_str(command);
            shape.push_str(command);
            continue;
        }
        let (x, y): (f64, f64) = (word.parse().ok()?, words.next()?.parse().ok()?);
        let (from_x, from_y) = *first.get_or_insert((x, y));
        push_point(&mut absolute, x, y);
        push_point(&mut shape, x - from_x, y - from_y);
    }
    let (x, y) = first?;
    Some((absolute, shape, (short(x), short(y))))
}

fn push_point(path: &mut String, x: f64, y: f64) {
    for number in [x, y] {
        let number = short(number);
        // A sign is as good as a space between numbers.
        if path.ends_with(|c: char| c.is_ascii_digit()) && !number.starts_with('-') {
            path.push(' ');
        }
        path.push_str(&number);
    }
}

/// A number with at most two digits behind the decimal mark.
fn short(number: f64) -> String {
    let text = format!("{number:.2}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".into() } else { text.into() }
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEAD: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<svg xmlns=\"http://www.w3.org/2000/svg\" \
        xmlns:xlink=\"http://www.w3.org/1999/xlink\" width=\"453pt\" height=\"283pt\" viewBox=\"0 0 453 283\" version=\"1.1\">\n";

    fn point(x: f64, y: f64) -> String {
        format!(
            "<path style=\"fill:none;stroke:red;\" d=\"M {} {y} C {x} {} {x} {y} {x} {y} Z M {x} {y} \"/>\n",
            x + 2.699219,
            y + 1.234567
        )
    }

    #[test]
    fn a_shape_that_comes_often_is_drawn_once_and_placed() {
        let points: String = (0..100).map(|n| point(f64::from(n) * 3.5, 10.25)).collect();
        let svg = format!("{HEAD}<g id=\"surface1\">\n{points}</g>\n</svg>\n");
        let compact = compact(&svg).unwrap();
        assert_eq!(compact.matches("<path").count(), 1);
        assert_eq!(compact.matches("<use xlink:href=\"#s0\"").count(), 100);
        assert!(compact.contains("<style>.c0{fill:none;stroke:red}</style>"), "{compact}");
        assert!(compact.contains("<use xlink:href=\"#s0\" x=\"6.2\" y=\"10.25\"/>"), "{compact}");
        assert!(compact.len() * 2 < svg.len(), "{} of {}", compact.len(), svg.len());
    }

    #[test]
    fn a_shape_that_comes_once_stays_where_it_is() {
        let svg = format!("{HEAD}<path style=\"stroke:none;\" d=\"M 1.5 -2.006 L 10 -0.001 Z M 1.5 2 \"/>\n</svg>\n");
        assert!(compact(&svg).unwrap().contains("<path class=\"c0\" d=\"M1.5-2.01L10 0ZM1.5 2\"/>"));
    }

    #[test]
    fn what_cairo_did_not_write_is_left_alone() {
        assert_eq!(compact("<svg xmlns=\"http://www.w3.org/2000/svg\"/>"), None);
        assert_eq!(compact(&format!("{HEAD}<style>.c0{{}}</style>\n</svg>")), None);
        // A path that is none of cairo's keeps its letters.
        let arc = "<path d=\"M 1 1 A 2 2 0 0 1 3 3\"/>";
        assert!(compact(&format!("{HEAD}{arc}\n</svg>\n")).unwrap().contains(arc));
    }
}
