//! Reading `[parameters]`: a parameter is its default, or a table of its default, the values it may have and what it is for.

use super::read::{Reader, entries};
use crate::diagnostic::Diagnostic;
use crate::name::{Name, nearest};
use crate::parameter::Parameter;
use toml_edit::{Item, Key, TableLike, Value};

/// What the table of a parameter may hold.
const KEYS: [&str; 3] = ["default", "allowed", "about"];
const VALUES: &str = "a text, a number, true or false, a date, or a list of those";

impl Reader<'_> {
    pub(super) fn parameters(&mut self, key: &Key, item: &Item) {
        let Some(table) = self.table(key, item) else { return };
        for (key, item) in entries(table) {
            let span = self.key_span(key);
            let Some(name) = Name::new(key.get()) else {
                self.diagnostics.push(
                    Diagnostic::error(span, format!("`{}` is not a name", key.get()))
                        .help("a name starts with a letter and has letters, digits, `-` and `_`"),
                );
                continue;
            };
            let parameter = match item.as_table_like() {
                Some(table) => self.parameter_of_table(key, table),
                None => item.as_value().and_then(Parameter::from_toml).or_else(|| {
                    self.expected(key, item.span(), VALUES);
                    None
                }),
            };
            if let Some(parameter) = parameter {
                self.matter.parameters.insert(name, (span, parameter));
            }
        }
    }

    /// A parameter as `{ default = "June", allowed = ["June", "July"], about = "The month of the report" }`.
    fn parameter_of_table(&mut self, key: &Key, table: &dyn TableLike) -> Option<Parameter> {
        let name = key.get();
        let Some((default_key, default)) = table.get_key_value("default") else {
            let finding = Diagnostic::error(self.key_span(key), format!("the parameter `{name}` has no default"));
            let help = format!("write `{name} = {{ default = \"…\", allowed = [\"…\"], about = \"…\" }}`");
            self.diagnostics.push(finding.help(help));
            return None;
        };
        let Some(mut parameter) = default.as_value().and_then(Parameter::from_toml) else {
            self.expected(default_key, default.span(), VALUES);
            return None;
        };
        for (part, item) in entries(table) {
            match part.get() {
                "default" => {}
                "about" => parameter.about = self.text(part, item).map_or_else(String::new, |text| text.text),
                "allowed" => self.allowed(&mut parameter, part, item),
                word => {
                    let finding = Diagnostic::error(self.key_span(part), format!("a parameter has no `{word}`"));
                    let help = match nearest(word, KEYS) {
                        Some(near) => format!("did you mean `{near}`?"),
                        None => format!("the keys are {}", KEYS.join(", ")),
                    };
                    self.diagnostics.push(finding.help(help));
                }
            }
        }
        if !parameter.allows(&parameter.value) {
            let span = self.value_span(default.span(), default_key);
            let finding = Diagnostic::error(span, format!("the default of `{name}` is none of what it may be"));
            self.diagnostics.push(finding.help("add it to `allowed`, or choose another"));
        }
        Some(parameter)
    }

    /// What a parameter may be: values of the kind of its default; of a list, what its items may be.
    fn allowed(&mut self, parameter: &mut Parameter, key: &Key, item: &Item) {
        let Some(list) = item.as_array() else {
            self.expected(key, item.span(), "a list of the values that may be set");
            return;
        };
        for value in list {
            let one = Parameter::from_toml(value);
            let is_list = matches!(parameter.value, crate::parameter::ParameterValue::List(_));
            match one.filter(|one| is_list || one.kind == parameter.kind) {
                Some(one) => parameter.allowed.push(one.value),
                None => self.not_of_kind(parameter, key, value),
            }
        }
    }

    fn not_of_kind(&mut self, parameter: &Parameter, key: &Key, value: &Value) {
        let span = self.value_span(value.span(), key);
        let message =
            format!("`allowed` holds {}, and the default is {}", value.to_string().trim(), parameter.kind.words());
        self.diagnostics.push(Diagnostic::error(span, message).help("the values are all of the kind of the default"));
    }
}
