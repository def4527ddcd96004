//! What is made from the table: the reference page and the JSON Schema for editors.

use super::{Kind, OptionEntry, Place, TABLE};
use serde_json::{Map, Value, json};
use std::fmt::Write as _;
use vineloom_language::Word;

/// The reference page of all options, as Markdown.
pub fn reference_page() -> String {
    let mut page = String::from(
        "# Options\n\nMade from the table in the program; `vineloom options` shows the same in the terminal.\n",
    );
    for (place, title, words) in [
        (
            Place::Block,
            "Options of blocks",
            "On a fence line, in `[block.NAME]`, in `[defaults]` and `[defaults.LANGUAGE]`. Those marked *looks* also on listings, which never run.",
        ),
        (
            Place::Export,
            "Settings of exports",
            "In `[export]` for all formats that take it, in a format's own table for that one.",
        ),
        (
            Place::Interpreter,
            "Settings of interpreters",
            "In `[interpreters.NAME]`: a language of your own, or other values for one that is known.",
        ),
        (Place::Environment, "The environment of blocks", "In `[environment]`."),
        (Place::After, "Steps after weaving", "In `[after]`."),
        (
            Place::Script,
            "Scripts as documents",
            "In `[script]`, in the front matter of a script; as options of `vineloom convert` too.",
        ),
    ] {
        // Writing to a String can't fail.
        let _ = write!(page, "\n## {title}\n\n{words}\n");
        for entry in TABLE.iter().filter(|entry| entry.place == place) {
            let _ = write!(page, "\n### `{}`\n\n{}\n\n", entry.name, entry.help);
            let _ = writeln!(page, "- takes {}", entry.kind.allowed());
            let default = if entry.default.is_empty() { "none".to_string() } else { format!("`{}`", entry.default) };
            let _ = writeln!(page, "- default: {default}");
            let _ = writeln!(page, "- example: `{}`", entry.example);
            if entry.place == Place::Block {
                let _ = writeln!(page, "- {}", entry.effect.words());
            }
            if let Some(formats) = entry.formats_in_words() {
                let _ = writeln!(page, "- formats: {formats}");
            }
        }
    }
    page
}

/// A JSON Schema (draft 2020-12) for front matter and project files.
pub fn schema() -> Value {
    let text = || json!({ "type": "string" });
    let block = object_of(Place::Block);
    let defaults = json!({
        "type": "object",
        "description": "Options for every live block; a table in it, named after a language, for that language's.",
        "properties": properties_of(Place::Block),
        "additionalProperties": block,
    });
    let author = json!({
        "type": "object",
        "properties": { "name": text(), "affiliation": text() },
        "required": ["name"],
        "additionalProperties": false,
    });
    let mut properties = Map::new();
    for name in ["title", "subtitle", "language", "licence", "citation-style"] {
        properties.insert(name.into(), text());
    }
    properties.insert("date".into(), json!({ "description": "\"today\", \"modified\", a date, or any text" }));
    properties.insert("authors".into(), json!({ "type": ["array", "string"], "items": { "anyOf": [text(), author] } }));
    for name in ["references", "library"] {
        properties.insert(name.into(), json!({ "type": ["array", "string"], "items": text() }));
    }
    let parameter = json!({
        "type": "object",
        "properties": { "default": {}, "allowed": { "type": "array" }, "about": text() },
        "required": ["default"],
        "additionalProperties": false,
    });
    let plain = json!({ "type": ["string", "number", "boolean", "array"] });
    let parameters = json!({ "type": "object", "additionalProperties": { "anyOf": [plain, parameter] } });
    properties.insert("parameters".into(), parameters);
    let own = |word: &Word| (word.key().to_string(), json!({ "type": ["string", "array"], "items": text() }));
    let words: Map<String, Value> = Word::ALL.iter().map(own).collect();
    properties.insert("words".into(), json!({ "type": "object", "properties": words, "additionalProperties": false }));
    properties.insert("macros".into(), json!({ "type": "object", "additionalProperties": text() }));
    properties.insert("project".into(), json!({ "type": "object" }));
    properties.insert("defaults".into(), defaults);
    properties.insert("block".into(), json!({ "type": "object", "additionalProperties": block }));
    properties.insert("export".into(), object_of(Place::Export));
    let interpreters = json!({ "type": "object", "additionalProperties": object_of(Place::Interpreter) });
    properties.insert("interpreters".into(), interpreters);
    properties.insert("environment".into(), object_of(Place::Environment));
    properties.insert("after".into(), object_of(Place::After));
    properties.insert("script".into(), object_of(Place::Script));
    for format in super::Format::ALL {
        let own: Map<String, Value> = TABLE
            .iter()
            .filter(|entry| entry.formats.contains(&format))
            .map(|entry| (entry.name.to_string(), property(entry)))
            .collect();
        let table = json!({ "type": "object", "properties": own, "additionalProperties": false });
        properties.insert(format.word().into(), table);
    }
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Front matter of a vine document, and vineloom.toml",
        "type": "object",
        "properties": properties,
        "additionalProperties": false,
    })
}

fn object_of(place: Place) -> Value {
    json!({ "type": "object", "properties": properties_of(place), "additionalProperties": false })
}

fn properties_of(place: Place) -> Map<String, Value> {
    TABLE.iter().filter(|entry| entry.place == place).map(|entry| (entry.name.to_string(), property(entry))).collect()
}

fn property(entry: &OptionEntry) -> Value {
    let mut property = match entry.kind {
        Kind::Flag => json!({ "enum": [true, false, "yes", "no"] }),
        Kind::Word(words) => json!({ "enum": words }),
        Kind::Words(words) => json!({
            "anyOf": [{ "type": "array", "items": { "enum": words } }, { "type": "string" }],
        }),
        Kind::Colour => json!({ "type": "string", "pattern": "^#[0-9a-fA-F]{6}$" }),
        Kind::Text | Kind::Length => json!({ "type": "string" }),
        Kind::Texts | Kind::Lengths => json!({ "type": ["array", "string"], "items": { "type": "string" } }),
        Kind::Number => json!({ "type": ["integer", "string"], "minimum": 0 }),
        Kind::Count(most) => json!({ "type": "integer", "minimum": 1, "maximum": most }),
        Kind::Time | Kind::Bytes | Kind::Exit | Kind::Numbering => json!({ "type": ["integer", "string"] }),
        Kind::Commands => json!({
            "type": "array",
            "items": { "type": "array", "items": { "type": "string" }, "minItems": 1 },
        }),
        Kind::Lines | Kind::Trim | Kind::ByColumn(_) => json!({ "type": ["array", "integer", "string"] }),
    };
    property["description"] = entry.help.into();
    if !entry.default.is_empty() {
        property["default"] = entry.default.into();
    }
    property
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The page in `docs/` is this one. `VINELOOM_UPDATE_DOCS=1 cargo test` writes it anew.
    #[test]
    fn the_reference_page_is_up_to_date() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/options.md");
        if std::env::var_os("VINELOOM_UPDATE_DOCS").is_some() {
            std::fs::write(path, reference_page()).unwrap();
        }
        assert_eq!(std::fs::read_to_string(path).unwrap(), reference_page(), "see the test's comment");
    }

    #[test]
    fn the_schema_knows_every_key_that_front_matter_has() {
        let properties = &schema()["properties"];
        for key in crate::front_matter::TITLE_BLOCK.iter().chain(&crate::front_matter::TABLES) {
            assert!(properties[key].is_object(), "{key}");
        }
        for format in crate::options::Format::ALL {
            assert!(properties[format.word()].is_object());
        }
    }

    #[test]
    fn the_schema_knows_every_option_and_every_default() {
        let schema = schema();
        for entry in TABLE {
            let properties = &schema["properties"];
            let property = match entry.place {
                Place::Block => &properties["defaults"]["properties"][entry.name],
                Place::Export => &properties["export"]["properties"][entry.name],
                Place::Interpreter => &properties["interpreters"]["additionalProperties"]["properties"][entry.name],
                Place::Environment => &properties["environment"]["properties"][entry.name],
                Place::After => &properties["after"]["properties"][entry.name],
                Place::Script => &properties["script"]["properties"][entry.name],
            };
            assert_eq!(property["description"], entry.help, "{}", entry.name);
            assert_eq!(property["default"].as_str().unwrap_or(""), entry.default, "{}", entry.name);
        }
    }
}
