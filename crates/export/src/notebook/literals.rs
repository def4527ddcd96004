//! Values as a language writes them.

use serde_json::Value;

/// A line that gives a name a value; nothing for a language that is not known here, and for a value that it has no form
/// for.
pub(super) fn assignment(language: &str, name: &str, value: &Value) -> Option<String> {
    let literal = literal(language, value)?;
    Some(match language {
        "r" => format!("{name} <- {literal}"),
        "javascript" => format!("var {name} = {literal};"),
        "sh" | "bash" | "zsh" => format!("{name}={literal}"),
        "octave" => format!("{name} = {literal};"),
        _ => format!("{name} = {literal}"),
    })
}

fn literal(language: &str, value: &Value) -> Option<String> {
    let words = |null: &str, yes: &str, no: &str| match value {
        Value::Null => Some(null.to_string()),
        Value::Bool(true) => Some(yes.to_string()),
        Value::Bool(false) => Some(no.to_string()),
        Value::Number(number) => Some(number.to_string()),
        // JSON's own escapes are known to all of these.
        Value::String(text) => Some(Value::from(text.as_str()).to_string()),
        Value::Array(_) | Value::Object(_) => None,
    };
    let list = |open: &str, close: &str| {
        let Value::Array(values) = value else { return None };
        let all: Option<Vec<String>> = values.iter().map(|value| literal(language, value)).collect();
        Some(format!("{open}{}{close}", all?.join(", ")))
    };
    match language {
        "python" => words("None", "True", "False").or_else(|| list("[", "]")),
        "javascript" => Some(value.to_string()),
        "ruby" => words("nil", "true", "false").or_else(|| list("[", "]")),
        "r" => words("NULL", "TRUE", "FALSE").or_else(|| list("c(", ")")),
        "octave" => words("[]", "true", "false").or_else(|| list("{", "}")),
        "sh" | "bash" | "zsh" => match value {
            Value::String(text) => Some(format!("'{}'", text.replace('\'', "'\\''"))),
            Value::Number(_) | Value::Bool(_) => Some(value.to_string()),
            Value::Null => Some("''".into()),
            Value::Array(_) | Value::Object(_) => None,
        },
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn each_language_writes_values_its_own_way() {
        let value = json!([1, true, null, "a\"b"]);
        assert_eq!(assignment("python", "x", &value).unwrap(), "x = [1, True, None, \"a\\\"b\"]");
        assert_eq!(assignment("r", "x", &json!([1, 2])).unwrap(), "x <- c(1, 2)");
        assert_eq!(assignment("sh", "x", &json!("it's")).unwrap(), "x='it'\\''s'");
        assert_eq!(assignment("forth", "x", &json!(1)), None);
    }
}
