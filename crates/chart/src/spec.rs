//! What a chart is to show: the TOML text of a `chart` block.

use std::ops::Range;
use toml_edit::{ImDocument, Item, Value};

/// A chart that can't be drawn.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct ChartError {
    /// The line of the chart's text, from 1.
    pub line: usize,
    /// What is wrong.
    pub message: String,
    /// What to do about it.
    pub help: Option<String>,
}

/// How the rows are drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A line through them.
    Line,
    /// A bar each.
    Bar,
    /// A point each.
    Point,
    /// A line, filled down to zero.
    Area,
    /// Median, quartiles and outliers.
    Box,
    /// How many fall into each of several steps.
    Histogram,
    /// A place for each two words, filled with the colour of its number.
    Heat,
}

const KINDS: [(&str, Kind); 7] = [
    ("line", Kind::Line),
    ("bar", Kind::Bar),
    ("point", Kind::Point),
    ("area", Kind::Area),
    ("box", Kind::Box),
    ("histogram", Kind::Histogram),
    ("heat", Kind::Heat),
];

/// Where the table comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Data {
    /// A named result, without its `@`.
    Result(String),
    /// A file, relative to the document's folder.
    File(String),
}

impl Data {
    fn of(text: &str) -> Self {
        match text.strip_prefix('@') {
            Some(name) => Data::Result(name.to_string()),
            None => Data::File(text.to_string()),
        }
    }
}

/// A setting and the line it stands on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Set<T> {
    pub value: T,
    pub line: usize,
}

/// The text of a chart, read.
#[derive(Debug, Clone)]
pub struct Spec {
    /// Where the table comes from, when the text says so.
    pub data: Option<Data>,
    pub(crate) kind: Kind,
    pub(crate) x: Option<Set<String>>,
    pub(crate) y: Vec<Set<String>>,
    pub(crate) colour: Option<Set<String>>,
    pub(crate) panels: Option<Set<String>>,
    pub(crate) title: String,
    pub(crate) x_title: Option<String>,
    pub(crate) y_title: Option<String>,
    pub(crate) x_log: Option<usize>,
    pub(crate) y_log: Option<usize>,
    pub(crate) bins: Option<usize>,
    /// Bars of one place stand on one another.
    pub(crate) stack: bool,
    /// How far each value may be off: one column for both ways, or one down and one up to where it reaches.
    pub(crate) error: Vec<Set<String>>,
}

/// The settings there are.
pub const KEYS: [&str; 14] = [
    "data", "kind", "x", "y", "colour", "panels", "title", "x-title", "y-title", "x-scale", "y-scale", "bins", "stack",
    "error",
];

impl Spec {
    /// Reads the text of a chart.
    ///
    /// # Errors
    /// [`ChartError`] for text that is not TOML, a key that does not exist, a value of the wrong kind.
    pub fn read(text: &str) -> Result<Spec, ChartError> {
        let document = ImDocument::parse(text).map_err(|error| ChartError {
            line: error.span().map_or(1, |span| line_of(text, span.start)),
            message: format!("the chart can't be read: {}", error.message().lines().next().unwrap_or("")),
            help: Some("a chart is TOML: a line such as `x = \"day\"` for each setting".into()),
        })?;
        let mut spec = Spec {
            data: None,
            kind: Kind::Line,
            x: None,
            y: Vec::new(),
            colour: None,
            panels: None,
            title: String::new(),
            x_title: None,
            y_title: None,
            x_log: None,
            y_log: None,
            bins: None,
            stack: false,
            error: Vec::new(),
        };
        for (key, item) in document.as_table() {
            let span = document.as_table().get_key_value(key).and_then(|(key, _)| key.span());
            spec.set(key, item, span.map_or(1, |span| line_of(text, span.start)))?;
        }
        Ok(spec)
    }

    /// Where the table comes from, as far as the text can be read, and the bytes between the quotes that say it.
    ///
    /// ```
    /// use vineloom_chart::{Data, Spec};
    ///
    /// let (data, place) = Spec::data_in("kind = \"no such\"\ndata = \"@totals\"").unwrap();
    /// assert_eq!(data, Data::Result("totals".into()));
    /// assert_eq!(place, 25..32);
    /// ```
    pub fn data_in(text: &str) -> Option<(Data, Range<usize>)> {
        let document = ImDocument::parse(text).ok()?;
        let item = document.as_table().get("data")?;
        let quoted = item.span()?;
        Some((Data::of(item.as_str()?), quoted.start + 1..quoted.end - 1))
    }

    fn set(&mut self, key: &str, item: &Item, line: usize) -> Result<(), ChartError> {
        match key {
            "data" => self.data = Some(Data::of(&text(key, item, line)?)),
            "kind" => {
                let word = text(key, item, line)?;
                let words: Vec<&str> = KINDS.iter().map(|(word, _)| *word).collect();
                self.kind = KINDS.iter().find(|(known, _)| *known == word).map(|(_, kind)| *kind).ok_or_else(|| {
                    wrong(line, format!("there is no kind of chart `{word}`"), nearest(&word, &words, "the kinds are"))
                })?;
            }
            "x" => self.x = Some(Set { value: text(key, item, line)?, line }),
            "y" => self.y = texts(key, item, line)?.into_iter().map(|value| Set { value, line }).collect(),
            "colour" => self.colour = Some(Set { value: text(key, item, line)?, line }),
            "panels" => self.panels = Some(Set { value: text(key, item, line)?, line }),
            "title" => self.title = text(key, item, line)?,
            "x-title" => self.x_title = Some(text(key, item, line)?),
            "y-title" => self.y_title = Some(text(key, item, line)?),
            "stack" => match item.as_bool() {
                Some(stack) => self.stack = stack,
                None => return Err(wrong(line, "`stack` takes true or false", None)),
            },
            "error" => {
                self.error = texts(key, item, line)?.into_iter().map(|value| Set { value, line }).collect();
                if self.error.len() > 2 {
                    let help = "one says how far a value may be off, two where it reaches down and up".to_string();
                    return Err(wrong(line, "`error` takes one column or two", Some(help)));
                }
            }
            "x-scale" => self.x_log = scale(key, item, line)?,
            "y-scale" => self.y_log = scale(key, item, line)?,
            "bins" => match item.as_integer().and_then(|bins| usize::try_from(bins).ok()) {
                Some(bins @ 1..=1000) => self.bins = Some(bins),
                _ => return Err(wrong(line, "`bins` takes a whole number from 1 to 1000", None)),
            },
            other => {
                let help = nearest(other, &KEYS, "the settings are");
                return Err(wrong(line, format!("a chart has no setting `{other}`"), help));
            }
        }
        Ok(())
    }
}

/// The line of an offset, from 1.
fn line_of(text: &str, at: usize) -> usize {
    text.get(..at).map_or(1, |before| before.matches('\n').count() + 1)
}

pub(crate) fn wrong(line: usize, message: impl Into<String>, help: Option<String>) -> ChartError {
    ChartError { line, message: message.into(), help }
}

/// "did you mean", or all there are.
pub(crate) fn nearest(word: &str, known: &[&str], all: &str) -> Option<String> {
    let near = known.iter().map(|known| (strsim::damerau_levenshtein(word, known), known)).min();
    match near {
        Some((distance, near)) if distance <= 1 + word.len() / 4 => Some(format!("did you mean `{near}`?")),
        _ => Some(format!("{all} {}", known.join(", "))),
    }
}

fn text(key: &str, item: &Item, line: usize) -> Result<String, ChartError> {
    let help = || Some(format!("write `{key} = \"…\"`"));
    item.as_str().map(String::from).ok_or_else(|| wrong(line, format!("`{key}` takes a text in quotes"), help()))
}

fn texts(key: &str, item: &Item, line: usize) -> Result<Vec<String>, ChartError> {
    let Some(list) = item.as_array() else { return Ok(vec![text(key, item, line)?]) };
    let texts: Option<Vec<String>> = list.iter().map(|value: &Value| value.as_str().map(String::from)).collect();
    texts.ok_or_else(|| wrong(line, format!("`{key}` takes a text, or a list of texts"), None))
}

/// The line of a logarithmic scale.
fn scale(key: &str, item: &Item, line: usize) -> Result<Option<usize>, ChartError> {
    match text(key, item, line)?.as_str() {
        "linear" => Ok(None),
        "log" => Ok(Some(line)),
        _ => Err(wrong(line, format!("`{key}` takes \"linear\" or \"log\""), None)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mistake_is_found_at_its_line_with_a_remedy() {
        let error = Spec::read("kind = \"lines\"").unwrap_err();
        assert_eq!((error.line, error.help.as_deref()), (1, Some("did you mean `line`?")));
        let error = Spec::read("kind = \"bar\"\ncolor = \"plot\"").unwrap_err();
        assert_eq!((error.line, error.help.as_deref()), (2, Some("did you mean `colour`?")));
        assert_eq!(Spec::read("x = \"a\"\ny = 3").unwrap_err().message, "`y` takes a text in quotes");
        assert_eq!(Spec::read("x = \"a\"\n\ny = \n").unwrap_err().line, 3);
    }

    #[test]
    fn data_is_a_result_or_a_file() {
        assert_eq!(Spec::read("data = \"@totals\"").unwrap().data, Some(Data::Result("totals".into())));
        assert_eq!(Spec::read("data = \"data/a.csv\"").unwrap().data, Some(Data::File("data/a.csv".into())));
    }
}
