//! What stands around a block in its own language: for shells and R, whose drivers read no JSON, the folder, the
//! environment and the variables of a block come as code to source before it, and after it to undo them.

use crate::block_run::{BlockRun, Form};
use crate::protocol::{Held, VariableValue};
use std::fmt::Write as _;
use vineloom_table::ColumnKind;

/// For shells: what to run before and after a block so that its environment is its own. It may hold secrets, so it is
/// never written to a file.
pub(crate) fn shell_environment(block: &BlockRun) -> (String, String) {
    let (mut enter, mut leave) = (String::new(), String::new());
    // Writing to a String can't fail.
    if block.stop && block.form != Form::Session {
        let _ = writeln!(enter, "case $- in *e*) vineloom_stop=set ;; *) vineloom_stop= ;; esac; \\set -e");
        let _ = writeln!(leave, "case $vineloom_stop in set) ;; *) \\set +e ;; esac");
    }
    for (name, value) in &block.env {
        let _ = writeln!(enter, "vineloom_had_{name}=${{{name}+set}} vineloom_old_{name}=${{{name}-}}");
        let _ = writeln!(enter, "export {name}={}", quote(value));
        let _ =
            writeln!(leave, "case $vineloom_had_{name} in set) {name}=$vineloom_old_{name} ;; *) unset {name} ;; esac");
    }
    (enter, leave)
}

/// For shells: what to source before and after a block so that its folder is its own.
pub(crate) fn shell_folder(block: &BlockRun) -> (String, String) {
    match &block.cwd {
        Some(folder) => (
            format!("vineloom_back=$PWD\n\\command cd {}\n", quote(&folder.to_string_lossy())),
            "\\command cd \"$vineloom_back\" || :\n".into(),
        ),
        None => (String::new(), String::new()),
    }
}

/// Lists the variables of a shell, a line `name='value'` each; bash would else list its functions too.
pub(crate) const LIST_SHELL_VARIABLES: &str = "case ${BASH_VERSION-} in '') set ;; *) (set -o posix; set) ;; esac; \\command printf 'vineloom:given\\n'; \\command env\n";

/// The variables that a document set, out of what [`LIST_SHELL_VARIABLES`] printed: not those that a shell brings,
/// nor those of its environment.
pub(crate) fn shell_variables(listed: &str) -> Vec<Held> {
    const BROUGHT: [&str; 14] =
        ["IFS", "OPTIND", "OPTERR", "PPID", "PS1", "PS2", "PS4", "PWD", "OLDPWD", "UID", "EUID", "SHELL", "SHLVL", "_"];
    const OTHERS: [&str; 11] = [
        "BASH",
        "PIPESTATUS",
        "DIRSTACK",
        "GROUPS",
        "HOSTNAME",
        "HOSTTYPE",
        "MACHTYPE",
        "OSTYPE",
        "POSIXLY_CORRECT",
        "BASHOPTS",
        "SHELLOPTS",
    ];
    let (set, given) = listed.split_once("vineloom:given\n").unwrap_or((listed, ""));
    let environment: Vec<(&str, &str)> = given.lines().filter_map(|line| line.split_once('=')).collect();
    let mut held = Vec::new();
    for (name, value) in set.lines().filter_map(|line| line.split_once('=')) {
        let is_name = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        let brought = name.starts_with("vineloom_") || name.starts_with("BASH_") || name.starts_with("VINELOOM_");
        let value = unquoted(value);
        if !is_name
            || brought
            || BROUGHT.contains(&name)
            || OTHERS.contains(&name)
            || environment.contains(&(name, &value))
        {
            continue;
        }
        let shape = value.chars().count().to_string();
        held.push(Held { name: name.into(), kind: "text".into(), shape, value: value.chars().take(200).collect() });
    }
    held
}

/// A word as a shell lists it, without its quotes.
fn unquoted(word: &str) -> String {
    word.replace("'\\''", "\u{0}").replace("'\"'\"'", "\u{0}").replace('\'', "").replace('\u{0}', "'")
}

/// A text as one word of a shell.
pub(crate) fn quote(text: &str) -> String {
    format!("'{}'", text.replace('\'', "'\\''"))
}

/// For R: a block's environment, `NAME=value` with the bytes of each value in hexadecimal digits, behind one another with
/// semicolons. It may hold secrets, so it goes with the request and is never written to a file.
pub(crate) fn r_environment(block: &BlockRun) -> String {
    let digits = |value: &String| value.bytes().map(|byte| format!("{byte:02x}")).collect::<String>();
    let pairs: Vec<String> = block.env.iter().map(|(name, value)| format!("{name}={}", digits(value))).collect();
    pairs.join(";")
}

/// For R: what to source before and after a block so that its folder is its own and its variables are there.
pub(crate) fn r_frame(block: &BlockRun) -> (String, String) {
    let (mut enter, mut leave) = (String::new(), String::new());
    // Writing to a String can't fail.
    if let Some(folder) = &block.cwd {
        let _ = writeln!(enter, ".vineloom_back <- setwd({})", r_text(&folder.to_string_lossy()));
        let _ = writeln!(leave, "setwd(.vineloom_back)");
    }
    for variable in &block.variables {
        let _ = writeln!(enter, "{} <- {}", variable.name, r_value(&variable.value));
    }
    (enter, leave)
}

fn r_value(value: &VariableValue) -> String {
    match value {
        VariableValue::Plain(value) => r_plain(value),
        VariableValue::Table(table) => {
            let column = |at: usize| {
                let numeric = table.columns[at].kind == ColumnKind::Number;
                let cell = |row: &Vec<Option<String>>| match &row[at] {
                    None => "NA".to_string(),
                    Some(text) if numeric => text.clone(),
                    Some(text) => r_text(text),
                };
                let cells: Vec<String> = table.rows.iter().map(cell).collect();
                format!("{} = c({})", r_text(&table.columns[at].name), cells.join(", "))
            };
            let columns: Vec<String> = (0..table.columns.len()).map(column).collect();
            format!("data.frame({}, check.names = FALSE)", columns.join(", "))
        }
    }
}

fn r_plain(value: &serde_json::Value) -> String {
    match value {
        serde_json::Value::Null => "NULL".into(),
        serde_json::Value::Bool(flag) => if *flag { "TRUE" } else { "FALSE" }.into(),
        serde_json::Value::Number(number) => number.to_string(),
        serde_json::Value::String(text) => r_text(text),
        serde_json::Value::Array(items) => {
            format!("c({})", items.iter().map(r_plain).collect::<Vec<_>>().join(", "))
        }
        serde_json::Value::Object(_) => "NULL".into(),
    }
}

/// A text as R writes it: what is not plain ASCII by its number.
fn r_text(text: &str) -> String {
    let mut literal = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => literal.extend(['\\', c]),
            ' '..='~' => literal.push(c),
            // Writing to a String can't fail.
            c => {
                let _ = write!(literal, "\\U{{{:x}}}", c as u32);
            }
        }
    }
    literal.push('"');
    literal
}

#[cfg(test)]
mod tests {
    //! Texts of every kind arrive as they are; the real interpreters are asked in `tests/strands.rs`.
    use super::*;

    #[test]
    fn a_word_of_a_shell_holds_any_text() {
        let block = BlockRun { env: [("TOKEN".to_string(), "é;'".to_string())].into(), ..BlockRun::default() };
        assert_eq!(r_environment(&block), "TOKEN=c3a93b27");
        assert_eq!(quote("it's $x `y` \"z\""), "'it'\\''s $x `y` \"z\"'");
    }

    #[test]
    fn the_variables_that_a_document_set_are_listed() {
        let held = shell_variables(
            "IFS=' '\nHOME='/h'\ncount='3'\nit='it'\\''s'\nvineloom_mark='x'\nvineloom:given\nHOME=/h\n",
        );
        let told: Vec<(&str, &str)> = held.iter().map(|held| (held.name.as_str(), held.value.as_str())).collect();
        assert_eq!(told, [("count", "3"), ("it", "it's")]);
    }

    #[test]
    fn values_are_written_as_r_writes_them() {
        let plain = |value: serde_json::Value| r_value(&VariableValue::Plain(value));
        assert_eq!(plain(serde_json::json!(true)), "TRUE");
        assert_eq!(plain(serde_json::json!(["a", 2])), "c(\"a\", 2)");
        assert_eq!(plain(serde_json::json!("é\\\"\n")), "\"\\U{e9}\\\\\\\"\\U{a}\"");
        let table = vineloom_table::Table::read("plot,m\nNorth,1.5\nLow,\n").unwrap();
        assert_eq!(
            r_value(&VariableValue::Table(table)),
            "data.frame(\"plot\" = c(\"North\", \"Low\"), \"m\" = c(1.5, NA), check.names = FALSE)"
        );
    }
}
