//! Lists of named values: `text="abc", n=@count`, as `takes`, `with` and calls have them.

use crate::name::Name;
use crate::parameter::ParameterValue;

/// What a name is given.
#[derive(Debug, Clone, PartialEq)]
pub enum Argument {
    /// A value as written.
    Given(ParameterValue),
    /// The result of a block, or a parameter.
    Named(Name),
}

/// Gives every name that a value is taken from the name that `known_as` says.
pub(crate) fn rename(arguments: &mut [(Name, Argument)], known_as: &dyn Fn(&Name) -> Name) {
    for (_, argument) in arguments {
        if let Argument::Named(name) = argument {
            *name = known_as(name);
        }
    }
}

/// A list that can't be read: the part that is wrong, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadArguments {
    /// The part.
    pub part: String,
    /// What is wrong with it.
    pub problem: &'static str,
}

/// Reads a list of named values. `greeting` alone is `greeting=@greeting`.
pub fn read(text: &str) -> Result<Vec<(Name, Argument)>, BadArguments> {
    let mut arguments: Vec<(Name, Argument)> = Vec::new();
    for part in split(text) {
        let bad = |problem| BadArguments { part: part.trim().to_string(), problem };
        let (name, value) = match part.split_once('=') {
            Some((name, value)) => (name.trim(), Some(value.trim())),
            None => (part.trim(), None),
        };
        let key = Name::new(name.trim_start_matches('@')).ok_or_else(|| bad("is not a name"))?;
        let value = match value {
            None => Argument::Named(key.clone()),
            Some(value) => argument(value)
                .ok_or_else(|| bad("is not a value: write a number, true, false, a \"text\", or @name for a result"))?,
        };
        if arguments.iter().any(|(known, _)| *known == key) {
            return Err(bad("is given twice"));
        }
        arguments.push((key, value));
    }
    Ok(arguments)
}

fn argument(text: &str) -> Option<Argument> {
    if let Some(name) = text.strip_prefix('@') {
        return Name::new(name).map(Argument::Named);
    }
    let value = match text {
        "true" => ParameterValue::Flag(true),
        "false" => ParameterValue::Flag(false),
        _ => match (text.parse::<i64>(), text.parse::<f64>()) {
            (Ok(number), _) => ParameterValue::Integer(number),
            (_, Ok(number)) => ParameterValue::Number(number),
            _ => ParameterValue::Text(quoted(text)?),
        },
    };
    Some(Argument::Given(value))
}

fn quoted(text: &str) -> Option<String> {
    let inner = text.strip_prefix('"')?.strip_suffix('"')?;
    Some(inner.replace("\\\"", "\"").replace("\\\\", "\\"))
}

/// Splits at commas that stand outside quotes.
fn split(text: &str) -> Vec<&str> {
    let (mut parts, mut start, mut inside, mut escaped) = (Vec::new(), 0, false, false);
    for (at, c) in text.char_indices() {
        match c {
            '"' if !escaped => inside = !inside,
            ',' if !inside => {
                parts.push(&text[start..at]);
                start = at + 1;
            }
            _ => {}
        }
        escaped = c == '\\' && !escaped;
    }
    parts.push(&text[start..]);
    parts.retain(|part| !part.trim().is_empty());
    parts
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_of_named_values_are_read() {
        let read = read("text=\"a, \\\"b\\\"\", n=@count, greeting, depth=2.5, dry=true").unwrap();
        let name = |text: &str| Name::new(text).unwrap();
        assert_eq!(read[0], (name("text"), Argument::Given(ParameterValue::Text("a, \"b\"".into()))));
        assert_eq!(read[1], (name("n"), Argument::Named(name("count"))));
        assert_eq!(read[2], (name("greeting"), Argument::Named(name("greeting"))));
        assert_eq!(read[3], (name("depth"), Argument::Given(ParameterValue::Number(2.5))));
        assert_eq!(read[4], (name("dry"), Argument::Given(ParameterValue::Flag(true))));
    }

    #[test]
    fn what_is_wrong_is_named() {
        assert_eq!(read("n=abc").unwrap_err().part, "n=abc");
        assert_eq!(read("n=1,n=2").unwrap_err().problem, "is given twice");
        assert_eq!(read("2n=1").unwrap_err().problem, "is not a name");
    }
}
