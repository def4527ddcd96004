//! The values options take, read from a fence line or from TOML.

use std::time::Duration;

/// What an option may be set to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// `yes` or `no`; in TOML also `true` and `false`.
    Flag,
    /// One of these words.
    Word(&'static [&'static str]),
    /// Any of these words in a list, or `all`, or `none`.
    Words(&'static [&'static str]),
    /// Any text.
    Text,
    /// Any texts, in a list.
    Texts,
    /// A whole number, zero or more.
    Number,
    /// A whole number from one to this.
    Count(u8),
    /// A time such as `60s`, `2min`, `500ms`; a bare number is seconds.
    Time,
    /// An amount of bytes such as `16MiB`, `200kB`; a bare number is bytes.
    Bytes,
    /// An exit code, or `any`.
    Exit,
    /// A length on paper such as `10.5pt`, `20mm`, `2cm`, `1in`.
    Length,
    /// One to four such lengths.
    Lengths,
    /// Lines such as `2,4-6`.
    Lines,
    /// `off`, `on`, `continue`, or the first number.
    Numbering,
    /// How many lines to keep: `20`, or first and last: `20,5`.
    Trim,
    /// One value for all columns of a table, values for some of them, or both: `2`, `mean: 1`, `2, mean: 1, n: 0`.
    ByColumn(&'static Kind),
    /// A colour such as `#7a1f3d`.
    Colour,
    /// Programs to run, each with its words: a list of lists. It can't be written on a fence line.
    Commands,
}

/// A value that passed its option's [`Kind`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum OptionValue {
    /// A flag.
    Flag(bool),
    /// A whole number: a count, milliseconds for a time, bytes for an amount.
    Number(i64),
    /// A text or a word.
    Text(String),
    /// A list.
    List(Vec<String>),
    /// Lists of words.
    Lists(Vec<Vec<String>>),
}

/// A value that an option can't take, with what it can.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadValue {
    /// What is allowed, as a phrase: "one of no, open, closed".
    pub allowed: String,
}

impl OptionValue {
    /// As it would be written on a fence line.
    pub fn written(&self, kind: Kind) -> String {
        match self {
            OptionValue::Flag(flag) => if *flag { "yes" } else { "no" }.into(),
            OptionValue::Number(number) if kind == Kind::Time => {
                if number % 1000 == 0 {
                    format!("{}s", number / 1000)
                } else {
                    format!("{number}ms")
                }
            }
            OptionValue::Number(number) if kind == Kind::Bytes && number % (1 << 20) == 0 => {
                format!("{}MiB", number >> 20)
            }
            OptionValue::Number(number) => number.to_string(),
            OptionValue::Text(text) => text.clone(),
            OptionValue::List(list) if list.is_empty() => "none".into(),
            OptionValue::List(list) => list.join(","),
            OptionValue::Lists(lists) => lists.iter().map(|words| words.join(" ")).collect::<Vec<_>>().join("; "),
        }
    }

    /// The text of a text value.
    pub fn as_text(&self) -> Option<&str> {
        match self {
            OptionValue::Text(text) => Some(text),
            _ => None,
        }
    }
}

impl Kind {
    /// What is allowed, as a phrase for a message.
    pub fn allowed(self) -> String {
        match self {
            Kind::Flag => "yes or no".into(),
            Kind::Word(words) => format!("one of {}", words.join(", ")),
            Kind::Words(words) => format!("a list of {}; or all, or none", words.join(", ")),
            Kind::Text => "a text".into(),
            Kind::Texts => "a list of texts".into(),
            Kind::Number => "a whole number".into(),
            Kind::Count(most) => format!("a whole number from 1 to {most}"),
            Kind::Time => "a time such as 60s, 2min or 500ms".into(),
            Kind::Bytes => "an amount such as 16MiB or 200kB".into(),
            Kind::Length => "a length such as 10.5pt, 20mm, 2cm or 1in".into(),
            Kind::Lengths => "one to four lengths such as 20mm, 2cm or 1in".into(),
            Kind::Exit => "an exit code from 0 to 255, or any".into(),
            Kind::Lines => "lines such as 2,4-6".into(),
            Kind::Numbering => "off, on, continue, or the number of the first line".into(),
            Kind::Trim => "a number of lines, first and last lines such as 20,5, or none".into(),
            Kind::Colour => "a colour such as #7a1f3d".into(),
            Kind::Commands => "a list of programs with their words, as in [[\"git\", \"add\", \".\"]]".into(),
            Kind::ByColumn(kind) => format!("{}; by column as in \"mean: …, n: …\"", kind.allowed()),
        }
    }

    /// Reads a value as written on a fence line.
    ///
    /// # Errors
    /// [`BadValue`] with what is allowed.
    pub fn read(self, text: &str) -> Result<OptionValue, BadValue> {
        self.try_read(text).ok_or_else(|| BadValue { allowed: self.allowed() })
    }

    fn try_read(self, text: &str) -> Option<OptionValue> {
        let texts = || split_list(text);
        match self {
            Kind::Flag => match text {
                "yes" | "true" => Some(OptionValue::Flag(true)),
                "no" | "false" => Some(OptionValue::Flag(false)),
                _ => None,
            },
            Kind::Word(words) => words.contains(&text).then(|| OptionValue::Text(text.into())),
            Kind::Words(words) => known_words(texts(), words),
            Kind::Text => Some(OptionValue::Text(text.into())),
            Kind::Texts => Some(OptionValue::List(texts())),
            Kind::Number => text.parse::<u32>().ok().map(|n| OptionValue::Number(n.into())),
            Kind::Count(most) => {
                text.parse::<u8>().ok().filter(|n| (1..=most).contains(n)).map(|n| OptionValue::Number(n.into()))
            }
            Kind::Time => time_ms(text).map(OptionValue::Number),
            Kind::Bytes => amount(text, &BYTES, 1.0).map(OptionValue::Number),
            Kind::Length => points(text).map(|_| OptionValue::Text(text.into())),
            Kind::Lengths => {
                let parts = texts();
                let fits = (1..=4).contains(&parts.len()) && parts.iter().all(|part| points(part).is_some());
                fits.then_some(OptionValue::List(parts))
            }
            Kind::Exit if text == "any" => Some(OptionValue::Text("any".into())),
            Kind::Exit => text.parse::<u8>().ok().map(|n| OptionValue::Number(n.into())),
            Kind::Lines => texts().iter().all(|part| line_range(part).is_some()).then(|| OptionValue::List(texts())),
            Kind::Numbering => match text {
                "off" | "on" | "continue" => Some(OptionValue::Text(text.into())),
                number => number.parse::<u32>().ok().map(|n| OptionValue::Number(n.into())),
            },
            Kind::Trim => {
                let parts = texts();
                let none = parts.len() == 1 && parts[0] == "none";
                let fits = none || (1..=2).contains(&parts.len()) && parts.iter().all(|p| p.parse::<u32>().is_ok());
                fits.then_some(OptionValue::List(parts))
            }
            Kind::Commands => None,
            Kind::Colour => {
                let digits = text.strip_prefix('#')?;
                let is_colour = digits.len() == 6 && digits.chars().all(|c| c.is_ascii_hexdigit());
                is_colour.then(|| OptionValue::Text(text.to_lowercase()))
            }
            Kind::ByColumn(kind) => {
                let parts = texts();
                let (for_all, by_column) = by_column(&parts);
                let reads = |value: &str| kind.try_read(value);
                let fits = by_column.iter().all(|(name, value)| !name.is_empty() && reads(value).is_some());
                match for_all.as_slice() {
                    _ if !fits => None,
                    [] => (!parts.is_empty()).then_some(OptionValue::List(parts)),
                    [one] if by_column.is_empty() => reads(one),
                    [one] => reads(one).map(|_| OptionValue::List(parts)),
                    _ => None,
                }
            }
        }
    }

    /// Reads a TOML value. Numbers and flags may be written as such, or as the text a fence would hold.
    ///
    /// # Errors
    /// [`BadValue`] with what is allowed.
    pub fn read_toml(self, value: &toml_edit::Value) -> Result<OptionValue, BadValue> {
        use toml_edit::Value;
        let bad = || BadValue { allowed: self.allowed() };
        match value {
            Value::String(text) if self == Kind::Texts => Ok(OptionValue::List(vec![text.value().clone()])),
            Value::String(text) => self.read(text.value()),
            Value::Boolean(flag) if self == Kind::Flag => Ok(OptionValue::Flag(*flag.value())),
            Value::Integer(number) if self != Kind::Text && self != Kind::Flag => {
                self.read(&number.value().to_string())
            }
            Value::Array(array) if self == Kind::Commands => {
                let word = |item: &Value| item.as_str().map(String::from);
                let words = |item: &Value| {
                    let words: Vec<String> = item.as_array()?.iter().map(word).collect::<Option<_>>()?;
                    words.first().is_some_and(|program| !program.trim().is_empty()).then_some(words)
                };
                array.iter().map(words).collect::<Option<_>>().map(OptionValue::Lists).ok_or_else(bad)
            }
            Value::Array(array) => {
                let texts = array.iter().map(|item| match item {
                    Value::String(text) => Some(text.value().clone()),
                    Value::Integer(number) => Some(number.value().to_string()),
                    _ => None,
                });
                let texts: Vec<String> = texts.collect::<Option<_>>().ok_or_else(bad)?;
                match self {
                    Kind::Texts => Ok(OptionValue::List(texts)),
                    Kind::Words(words) => known_words(texts, words).ok_or_else(bad),
                    Kind::Lines | Kind::Trim | Kind::Lengths => self.read(&texts.join(",")),
                    _ => Err(bad()),
                }
            }
            _ => Err(bad()),
        }
    }
}

fn known_words(texts: Vec<String>, words: &[&str]) -> Option<OptionValue> {
    match texts.as_slice() {
        [only] if only == "all" => Some(OptionValue::List(words.iter().map(ToString::to_string).collect())),
        [only] if only == "none" => Some(OptionValue::List(Vec::new())),
        _ => texts.iter().all(|text| words.contains(&text.as_str())).then_some(OptionValue::List(texts)),
    }
}

fn split_list(text: &str) -> Vec<String> {
    text.split(',').map(str::trim).filter(|part| !part.is_empty()).map(String::from).collect()
}

/// The parts of a value of [`Kind::ByColumn`]: what is for all columns, and what is for columns with their names.
pub(super) fn by_column(parts: &[String]) -> (Vec<&str>, Vec<(&str, &str)>) {
    let (mut for_all, mut columns) = (Vec::new(), Vec::new());
    for part in parts {
        match part.rsplit_once(':') {
            Some((name, value)) => columns.push((name.trim(), value.trim())),
            None => for_all.push(part.as_str()),
        }
    }
    (for_all, columns)
}

/// Reads `4` or `4-6` as a 1-based range of lines, both ends included.
pub(super) fn line_range(text: &str) -> Option<(u32, u32)> {
    let (first, last) = text.split_once('-').unwrap_or((text, text));
    let (first, last) = (first.trim().parse().ok()?, last.trim().parse().ok()?);
    (first >= 1 && first <= last).then_some((first, last))
}

const TIMES: [(&str, f64); 5] = [("ms", 1.0), ("s", 1e3), ("min", 60e3), ("m", 60e3), ("h", 3_600e3)];
const BYTES: [(&str, f64); 7] = [
    ("B", 1.0),
    ("kB", 1e3),
    ("MB", 1e6),
    ("GB", 1e9),
    ("KiB", 1024.0),
    ("MiB", 1_048_576.0),
    ("GiB", 1_073_741_824.0),
];

fn time_ms(text: &str) -> Option<i64> {
    amount(text, &TIMES, 1e3).filter(|ms| *ms > 0 && *ms <= Duration::from_secs(366 * 86_400).as_millis() as i64)
}

/// A length on paper in points, 72 to the inch.
pub fn points(text: &str) -> Option<f64> {
    let (digits, factor) = [("pt", 1.0), ("mm", 72.0 / 25.4), ("cm", 720.0 / 25.4), ("in", 72.0)]
        .into_iter()
        .find_map(|(unit, factor)| Some((text.strip_suffix(unit)?.trim_end(), factor)))?;
    let plain = !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit() || b == b'.');
    let length = digits.parse::<f64>().ok().filter(|_| plain)? * factor;
    (length < 10_000.0).then_some(length)
}

fn amount(text: &str, units: &[(&str, f64)], bare: f64) -> Option<i64> {
    let digits = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
    let number: f64 = text[..digits].parse().ok()?;
    let unit = text[digits..].trim();
    let factor = if unit.is_empty() { bare } else { units.iter().find(|(name, _)| *name == unit)?.1 };
    Some((number * factor) as i64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_takes_its_own_and_refuses_the_rest() {
        let number = |kind: Kind, text: &str| match kind.read(text) {
            Ok(OptionValue::Number(n)) => Some(n),
            _ => None,
        };
        assert_eq!(number(Kind::Time, "60"), Some(60_000));
        assert_eq!(number(Kind::Time, "2min"), Some(120_000));
        assert_eq!(number(Kind::Time, "1.5s"), Some(1_500));
        assert_eq!(number(Kind::Time, "soon"), None);
        assert_eq!(number(Kind::Time, "0s"), None);
        assert_eq!(points("25.4 mm").map(f64::round), Some(72.0));
        assert!(Kind::Length.read("10.5pt").is_ok());
        for wrong in ["10", "10px", "-1mm", "infmm", "mm", "1e3mm"] {
            assert!(Kind::Length.read(wrong).is_err(), "{wrong}");
        }
        assert!(Kind::Count(3).read("3").is_ok() && Kind::Count(3).read("4").is_err());
        assert!(Kind::Lengths.read("20mm, 1in").is_ok());
        assert!(Kind::Lengths.read("1mm,1mm,1mm,1mm,1mm").is_err());
        assert_eq!(number(Kind::Bytes, "16MiB"), Some(16 << 20));
        assert_eq!(number(Kind::Exit, "3"), Some(3));
        assert_eq!(number(Kind::Exit, "300"), None);
        assert!(Kind::Lines.read("2,4-6").is_ok());
        assert!(Kind::Lines.read("6-4").is_err());
        assert!(Kind::Trim.read("20,5").is_ok());
        assert!(Kind::Trim.read("1,2,3").is_err());
        let digits = Kind::ByColumn(&Kind::Number);
        assert_eq!(number(digits, "2"), Some(2));
        assert!(digits.read("2, mean: 1, n: 0").is_ok() && digits.read("mean: 1").is_ok());
        for wrong in ["", "two", "mean:", ": 1", "1, 2", "mean: one"] {
            assert!(digits.read(wrong).is_err(), "{wrong}");
        }
    }

    #[test]
    fn all_and_none_stand_for_every_word_and_no_word() {
        let kind = Kind::Words(&["code", "text"]);
        assert_eq!(kind.read("all"), Ok(OptionValue::List(vec!["code".into(), "text".into()])));
        assert_eq!(kind.read("none"), Ok(OptionValue::List(vec![])));
        assert!(kind.read("code,pictures").is_err());
    }

    #[test]
    fn toml_numbers_and_flags_need_no_quotes() {
        let read = |kind: Kind, text: &str| kind.read_toml(&text.parse::<toml_edit::Value>().unwrap());
        assert_eq!(read(Kind::Flag, "true"), Ok(OptionValue::Flag(true)));
        assert_eq!(read(Kind::Exit, "2"), Ok(OptionValue::Number(2)));
        assert_eq!(read(Kind::Lines, "[2, \"4-6\"]"), Ok(OptionValue::List(vec!["2".into(), "4-6".into()])));
        assert!(read(Kind::Flag, "3").is_err());
        assert!(read(Kind::Text, "3").is_err());
    }
}
