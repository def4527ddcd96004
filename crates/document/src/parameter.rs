//! Parameters of a document: named values with a type, given by the default's.

use crate::name::nearest;
use serde::{Deserialize, Serialize};
use toml_edit::Value;

/// The value of a parameter.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum ParameterValue {
    /// `true` or `false`.
    Flag(bool),
    /// A whole number.
    Integer(i64),
    /// A number with a fraction.
    Number(f64),
    /// A text; also a date, as written.
    Text(String),
    /// A list.
    List(Vec<ParameterValue>),
}

/// The type of a parameter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ParameterKind {
    /// A flag.
    Flag,
    /// A whole number.
    Integer,
    /// A number.
    Number,
    /// A text.
    Text,
    /// A date, as in `2026-06-30`.
    Date,
    /// A list.
    List,
}

/// A parameter with its value.
#[derive(Debug, Clone, PartialEq)]
pub struct Parameter {
    /// What it must be.
    pub kind: ParameterKind,
    /// What it is.
    pub value: ParameterValue,
    /// The values it may have; any of its kind when there are none.
    pub allowed: Vec<ParameterValue>,
    /// What it is for; empty when nobody says.
    pub about: String,
}

impl ParameterKind {
    /// The kind in words, with an example.
    pub fn words(self) -> &'static str {
        match self {
            ParameterKind::Flag => "true or false",
            ParameterKind::Integer => "a whole number, such as 30",
            ParameterKind::Number => "a number, such as 2.5",
            ParameterKind::Text => "a text",
            ParameterKind::Date => "a date, such as 2026-06-30",
            ParameterKind::List => "a list, such as North,East",
        }
    }

    /// Reads a value as written on the command line.
    pub fn read(self, text: &str) -> Option<ParameterValue> {
        match self {
            ParameterKind::Flag => match text {
                "true" | "yes" => Some(ParameterValue::Flag(true)),
                "false" | "no" => Some(ParameterValue::Flag(false)),
                _ => None,
            },
            ParameterKind::Integer => text.trim().parse().ok().map(ParameterValue::Integer),
            ParameterKind::Number => text.trim().parse().ok().map(ParameterValue::Number),
            ParameterKind::Text => Some(ParameterValue::Text(text.into())),
            ParameterKind::Date => match text.parse::<Value>() {
                Ok(Value::Datetime(date)) => Some(ParameterValue::Text(date.value().to_string())),
                _ => None,
            },
            ParameterKind::List => {
                let inner = text.trim().trim_start_matches('[').trim_end_matches(']');
                let items = inner.split(',').map(|item| item.trim().trim_matches('"')).filter(|item| !item.is_empty());
                let item = |item: &str| match (item.parse::<i64>(), item.parse::<f64>()) {
                    (Ok(number), _) => ParameterValue::Integer(number),
                    (_, Ok(number)) => ParameterValue::Number(number),
                    _ => ParameterValue::Text(item.into()),
                };
                Some(ParameterValue::List(items.map(item).collect()))
            }
        }
    }
}

impl Parameter {
    /// A parameter with a default from the front matter; nothing for a table, which is no parameter.
    pub fn from_toml(value: &Value) -> Option<Self> {
        let kind = match value {
            Value::Boolean(_) => ParameterKind::Flag,
            Value::Integer(_) => ParameterKind::Integer,
            Value::Float(_) => ParameterKind::Number,
            Value::String(_) => ParameterKind::Text,
            Value::Datetime(_) => ParameterKind::Date,
            Value::Array(_) => ParameterKind::List,
            Value::InlineTable(_) => return None,
        };
        Some(Parameter { kind, value: from_toml(value)?, allowed: Vec::new(), about: String::new() })
    }

    /// Sets it to what somebody wrote outside of the document.
    ///
    /// # Errors
    /// What it may be instead, in words.
    pub fn set(&mut self, text: &str) -> Result<(), String> {
        let Some(value) = self.kind.read(text) else { return Err(format!("it is {}", self.kind.words())) };
        if !self.allows(&value) {
            let allowed: Vec<String> = self.allowed.iter().map(ParameterValue::text).collect();
            return Err(match nearest(text, allowed.iter().map(String::as_str)) {
                Some(near) => format!("did you mean `{near}`? It is one of {}", allowed.join(", ")),
                None => format!("it is one of {}", allowed.join(", ")),
            });
        }
        self.value = value;
        Ok(())
    }

    /// Whether it may have a value of its kind.
    pub fn allows(&self, value: &ParameterValue) -> bool {
        let single = |value: &ParameterValue| self.allowed.is_empty() || self.allowed.contains(value);
        match value {
            ParameterValue::List(items) => items.iter().all(single),
            value => single(value),
        }
    }
}

fn from_toml(value: &Value) -> Option<ParameterValue> {
    Some(match value {
        Value::Boolean(flag) => ParameterValue::Flag(*flag.value()),
        Value::Integer(number) => ParameterValue::Integer(*number.value()),
        Value::Float(number) => ParameterValue::Number(*number.value()),
        Value::String(text) => ParameterValue::Text(text.value().clone()),
        Value::Datetime(date) => ParameterValue::Text(date.value().to_string()),
        Value::Array(items) => ParameterValue::List(items.iter().map(from_toml).collect::<Option<_>>()?),
        Value::InlineTable(_) => return None,
    })
}

impl ParameterValue {
    /// As it reads in a sentence.
    pub fn text(&self) -> String {
        match self {
            ParameterValue::Flag(flag) => flag.to_string(),
            ParameterValue::Integer(number) => number.to_string(),
            ParameterValue::Number(number) => number.to_string(),
            ParameterValue::Text(text) => text.clone(),
            ParameterValue::List(items) => items.iter().map(ParameterValue::text).collect::<Vec<_>>().join(", "),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_type_of_the_default_says_what_may_be_set() {
        let kind = |toml: &str| Parameter::from_toml(&toml.parse().unwrap()).unwrap().kind;
        assert_eq!(kind("30").read("45"), Some(ParameterValue::Integer(45)));
        assert_eq!(kind("30").read("deep"), None);
        assert_eq!(kind("true").read("no"), Some(ParameterValue::Flag(false)));
        assert_eq!(kind("2026-06-01").read("2026-07-01"), Some(ParameterValue::Text("2026-07-01".into())));
        assert_eq!(kind("2026-06-01").read("soon"), None);
        let list = kind("[\"a\"]").read("North, 3").unwrap();
        assert_eq!(list.text(), "North, 3");
        assert!(matches!(list, ParameterValue::List(items) if items[1] == ParameterValue::Integer(3)));
    }
}
