//! One document for many readers: a table with a row for each, of which the columns set the document's parameters.

use crate::open::{Opened, read_source};
use crate::placing::stem;
use crate::problem::{Fault, Problem};
use std::collections::BTreeMap;
use std::path::Path;
use vineloom_document::{Diagnostic, Name, nearest};
use vineloom_table::Table;

/// A weave of a document: the one of a row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// The parameters that it sets, each with its text.
    pub set: Vec<(String, String)>,
    /// What its exports are called, without their endings.
    pub name: String,
    /// All its cells, by the names of their columns.
    pub cells: Vec<(String, String)>,
}

/// The rows of a table of readers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rows {
    /// One for each weave, in the order of the table.
    pub rows: Vec<Row>,
    /// The columns that are no parameters of the document: names of files and the steps after weaving can use them.
    pub others: Vec<String>,
}

impl Rows {
    /// Reads a table of readers, CSV, TSV or JSON rows, for a document. The exports of a row are called as `pattern` says,
    /// in which `@[column]` stands for a cell; after the document and the first column unless there is one. An empty cell
    /// leaves its parameter as it is.
    ///
    /// # Errors
    /// [`Fault::Use`] when it can't be read, has no row, sets nothing, or the pattern names no column.
    pub fn read(table: &Path, document: &Opened, pattern: Option<&str>) -> Result<Self, Box<Problem>> {
        let shown = table.display();
        let wrong =
            |message: String, help: &str| Problem::unplaced(Fault::Use, Diagnostic::unplaced(message).help(help));
        let source = read_source(table).map_err(|problem| absent(*problem, table))?;
        let read = Table::read(source.text());
        let read = read.map_err(|why| {
            wrong(format!("{shown} is no table: {why}"), "a first row of names, and a row for each reader")
        })?;
        let columns: Vec<&str> = read.columns.iter().map(|column| column.name.trim()).collect();
        let parameters: Vec<&str> = document.document.parameters.keys().map(Name::as_str).collect();
        let sets = |column: &&&str| parameters.contains(*column);
        let others: Vec<String> = columns.iter().filter(|column| !sets(column)).map(ToString::to_string).collect();
        let file = document.file.display();
        if read.rows.is_empty() {
            return Err(wrong(
                format!("{shown} has no row"),
                "a row for each reader stands below the names of the columns",
            ));
        }
        if others.len() == columns.len() {
            let help = match parameters.is_empty() {
                true => "parameters stand in `[parameters]` in its front matter".to_string(),
                false => format!("its parameters are {}, the columns {}", parameters.join(", "), columns.join(", ")),
            };
            return Err(wrong(format!("no column of {shown} is a parameter of {file}"), &help));
        }
        let file_name = document.file.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let usual = format!("{}-@[{}]", stem(&file_name), columns.first().unwrap_or(&""));
        let parts = parts_of(pattern.unwrap_or(&usual), &columns).map_err(|(message, help)| wrong(message, &help))?;
        let row = |cells: &Vec<Option<String>>| {
            let cells: Vec<(String, String)> = columns
                .iter()
                .zip(cells)
                .map(|(column, cell)| ((*column).to_string(), cell.clone().unwrap_or_default().trim().to_string()))
                .collect();
            let by_name: BTreeMap<&str, &str> =
                cells.iter().map(|(name, text)| (name.as_str(), text.as_str())).collect();
            let name = parts.iter().map(|part| match part {
                Part::Words(words) => words.clone(),
                Part::Cell(column) => match by_name.get(column.as_str()) {
                    Some(cell) if !cell.is_empty() => in_file_name(cell),
                    // What the parameter is when the cell leaves it.
                    _ => in_file_name(&usual_text(document, column)),
                },
            });
            let name = name.collect();
            let set = cells.iter().filter(|(column, text)| parameters.contains(&column.as_str()) && !text.is_empty());
            Row { set: set.cloned().collect(), name, cells: cells.clone() }
        };
        let rows: Vec<Row> = read.rows.iter().map(row).collect();
        // A name that is empty, or begins with a point, is one that nobody sees.
        if let Some(at) = rows.iter().position(|row| !names_exports(&row.name)) {
            let message = format!("row {} of {shown} gives its exports no name", at + 1);
            return Err(wrong(message, "let `--name` use a column that is filled in each row"));
        }
        Ok(Rows { rows, others })
    }
}

/// Whether a text can be the name of exports: it leads to no other folder, and hides nothing.
pub fn names_exports(name: &str) -> bool {
    !name.is_empty() && !name.contains(['/', '\\']) && !name.starts_with('.')
}

/// A part of a pattern for names of files.
enum Part {
    Words(String),
    Cell(String),
}

fn parts_of(pattern: &str, columns: &[&str]) -> Result<Vec<Part>, (String, String)> {
    if !names_exports(pattern) {
        let help = "`--out FOLDER` chooses the folder".to_string();
        return Err((format!("`{pattern}` is no pattern for names of files"), help));
    }
    let mut parts = Vec::new();
    let mut rest = pattern;
    while let Some((before, after)) = rest.split_once("@[") {
        parts.push(Part::Words(before.into()));
        let Some((column, behind)) = after.split_once(']') else {
            return Err((format!("`{pattern}` has a `@[` that no `]` closes"), "write `@[column]`".into()));
        };
        let column = column.trim();
        if !columns.contains(&column) {
            let help = match nearest(column, columns.iter().copied()) {
                Some(near) => format!("did you mean `@[{near}]`?"),
                None => format!("the columns are {}", columns.join(", ")),
            };
            return Err((format!("`{pattern}` names the column `{column}`, which there is not"), help));
        }
        parts.push(Part::Cell(column.into()));
        rest = behind;
    }
    parts.push(Part::Words(rest.into()));
    Ok(parts)
}

/// The text of a parameter that no cell sets.
fn usual_text(document: &Opened, name: &str) -> String {
    let parameters = &document.document.parameters;
    let named = parameters.iter().find(|(known, _)| known.as_str() == name);
    named.map_or_else(String::new, |(_, parameter)| parameter.value.text())
}

/// A cell as a part of a file's name: letters, digits, `-`, `_` and `.`; a `-` for all else.
fn in_file_name(text: &str) -> String {
    let plain = |c: char| if c.is_alphanumeric() || matches!(c, '-' | '_' | '.') { c } else { ' ' };
    let spaced: String = text.chars().map(plain).collect();
    spaced.split_whitespace().collect::<Vec<_>>().join("-")
}

/// A table of readers that is not there is no document that is not there.
fn absent(mut problem: Problem, table: &Path) -> Box<Problem> {
    for finding in problem.findings.iter_mut().filter(|_| !table.exists()) {
        finding.message = format!("there is no table {}", table.display());
        finding.help = Some("`--each` takes a CSV, TSV or JSON file with a row for each reader".into());
    }
    Box::new(problem)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::open::Text;

    const DOCUMENT: &str = "+++\n[parameters]\ngrower = \"Calloway\"\ndepth-cm = 30\n+++\n@[grower]\n";

    fn rows(table: &str, pattern: Option<&str>) -> Result<Rows, String> {
        let folder = tempfile::tempdir().unwrap();
        let (file, table_file) = (folder.path().join("month.vine.md"), folder.path().join("readers.csv"));
        std::fs::write(&table_file, table).unwrap();
        let opened = Opened::open(&file, Text::Held(DOCUMENT.into()), &[], None).unwrap();
        Rows::read(&table_file, &opened, pattern).map_err(|problem| problem.findings[0].message.clone())
    }

    #[test]
    fn columns_set_parameters_and_the_first_one_names_the_file() {
        let read = rows("grower,depth-cm,email\nInes Calloway,20,ines@example.org\nT/W,,\n", None).unwrap();
        assert_eq!(read.others, ["email"]);
        let names: Vec<&str> = read.rows.iter().map(|row| row.name.as_str()).collect();
        assert_eq!(names, ["month-Ines-Calloway", "month-T-W"]);
        let pair = |name: &str, text: &str| (name.to_string(), text.to_string());
        assert_eq!(read.rows[0].set, [pair("grower", "Ines Calloway"), pair("depth-cm", "20")]);
        assert_eq!(read.rows[1].set, [pair("grower", "T/W")], "an empty cell leaves the parameter");
        assert_eq!(read.rows[0].cells[2], pair("email", "ines@example.org"));
    }

    #[test]
    fn a_pattern_names_the_files_and_never_a_folder() {
        let table = "grower,depth-cm\nWren,20\n../../etc,30\n";
        let read = rows(table, Some("@[depth-cm]cm @[grower]")).unwrap();
        assert_eq!(read.rows[0].name, "20cm Wren");
        assert_eq!(read.rows[1].name, "30cm ..-..-etc");
        assert_eq!(rows("depth-cm,grower\n,Wren\n", None).unwrap().rows[0].name, "month-30", "as the parameter is");
        assert!(rows("grower,email\nWren,\n", Some("@[email]")).unwrap_err().contains("no name"));
        for pattern in ["../@[grower]", "a/@[grower]", ".@[grower]", "@[growr]", "@[grower"] {
            assert!(rows(table, Some(pattern)).is_err(), "{pattern}");
        }
    }

    #[test]
    fn a_table_that_sets_nothing_is_refused() {
        for (table, why) in [
            ("grower\n", "has no row"),
            ("name\nWren\n", "is a parameter of"),
            ("", "is no table"),
            ("grower,depth-cm\nWren\n", "is no table"),
        ] {
            let said = rows(table, None).unwrap_err();
            assert!(said.contains(why), "{said}");
        }
    }
}
