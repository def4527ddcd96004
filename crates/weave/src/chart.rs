//! `chart` blocks: what they draw comes from a table that is handed in, or from a file.

use std::path::Path;
use std::time::Instant;
use vineloom_chart::{ChartError, Data, Size, Spec, draw};
use vineloom_document::{Diagnostic, Document, LiveBlock, Part};
use vineloom_interpreters::{BlockRun, FailurePlace, Outcome, Piece, VariableValue, read_file};
use vineloom_picture::Picture;
use vineloom_table::{Table, TableError, workbook_target};

/// The name of the variable in which a named result comes.
pub(crate) const DATA: &str = "data";

/// The file that a chart takes its data from.
pub(crate) fn data_file(block: &BlockRun) -> Option<String> {
    match Spec::read(&block.code).ok()?.data {
        Some(Data::File(path)) => Some(file_of(&path).to_string()),
        _ => None,
    }
}

/// The file that a chart's `data` names, without the part of a workbook.
fn file_of(data: &str) -> &str {
    workbook_target(data).map_or(data, |(path, _)| path)
}

/// What is wrong with the charts of a document, as far as it can be known without running: their settings, and their
/// columns where the table is a file that no block may write.
pub fn check_charts(document: &Document, folder: &Path) -> Vec<Diagnostic> {
    let mut findings = Vec::new();
    for block in document.live.iter().filter(|block| block.language == "chart" && block.takes.is_empty()) {
        let [Part::Text(code)] = block.code.as_ref() else { continue };
        if let Err(error) = check_chart(code, document, folder) {
            let source = document.sources.of(block.code_start);
            let line = (source.line_of(block.code_start) + error.line - 1).min(source.line_count());
            let finding = Diagnostic::error(source.line_span(line), error.message);
            findings.push(match error.help {
                Some(help) => finding.help(help),
                None => finding,
            });
        }
    }
    findings
}

fn check_chart(code: &str, document: &Document, folder: &Path) -> Result<(), ChartError> {
    let spec = Spec::read(code)?;
    let Some(Data::File(path)) = &spec.data else { return Ok(()) };
    // A block may make the file: one that names it, or any where the file is not there.
    let path = file_of(path);
    let name = path.rsplit('/').next().unwrap_or(path);
    let names_it = |part: &Part| matches!(part, Part::Text(code) if code.contains(name));
    let is_there = folder.join(path).exists();
    let makes = |block: &LiveBlock| {
        let writes = !is_there || !block.options.writes.is_empty() || block.code.iter().any(names_it);
        block.language != "chart" && writes
    };
    if document.live.iter().any(makes) {
        return Ok(());
    }
    let block = BlockRun { code: code.into(), ..BlockRun::default() };
    let table = table(&block, folder)?;
    draw(code, &table, Size::default()).map(|_| ())
}

/// Draws the chart of a block. A chart that can't be drawn is a failure of the block, at its line.
pub(crate) fn run(block: &BlockRun, folder: &Path) -> Outcome {
    let started = Instant::now();
    let drawn = table(block, folder).and_then(|table| {
        let usual = Size::default();
        let width = block.figures.width.unwrap_or(usual.width);
        let height = block.figures.height.unwrap_or(width * usual.height / usual.width);
        draw(&block.code, &table, Size { width, height })
    });
    let (piece, exit) = match drawn.map(|svg| Picture::new(svg.into_bytes())) {
        Ok(Some(figure)) => (Piece::Figure(figure), 0),
        Ok(None) => (failure(block, 1, "the chart is no picture".into(), None), 1),
        Err(error) => (failure(block, error.line, error.message, error.help), 1),
    };
    let milliseconds = started.elapsed().as_millis() as u64;
    Outcome { pieces: vec![piece], exit, interpreter_ended: true, milliseconds }
}

fn failure(block: &BlockRun, line: usize, message: String, help: Option<String>) -> Piece {
    let at = Some(FailurePlace { block: block.label.clone(), line });
    Piece::Failure { text: message.clone(), summary: message, at, help }
}

fn table(block: &BlockRun, folder: &Path) -> Result<Table, ChartError> {
    let spec = Spec::read(&block.code)?;
    let wrong = |message: String, help: &str| ChartError { line: 1, message, help: Some(help.into()) };
    let help =
        "a chart draws CSV, TSV, JSON rows, a workbook, or a block's table; put `as=table` on a block that prints one";
    let not_a_table = |error: TableError| wrong(format!("its data is not a table: {error}"), help);
    let text = match (&spec.data, block.variables.iter().find(|variable| variable.name == DATA)) {
        (Some(Data::File(path)), _) => {
            let workbook = workbook_target(path);
            let path = file_of(path);
            let bytes = read_file(&folder.join(path)).map_err(|error| {
                wrong(format!("{path} can't be read: {error}"), "paths start at the document's folder")
            })?;
            if let Some((_, part)) = workbook {
                return Table::read_workbook(&bytes, &part).map_err(not_a_table);
            }
            String::from_utf8(bytes)
                .map_err(|_| wrong(format!("{path} is not text in UTF-8"), "save it as UTF-8 in your editor"))?
        }
        (_, Some(variable)) => match &variable.value {
            VariableValue::Table(table) => return Ok(table.clone()),
            VariableValue::Plain(serde_json::Value::String(text)) => text.clone(),
            VariableValue::Plain(other) => other.to_string(),
        },
        _ => {
            let help = "name it: `data = \"@block\"` for a block's result, `data = \"path.csv\"` for a file";
            return Err(wrong("the chart has no data".into(), help));
        }
    };
    Table::read(&text).map_err(not_a_table)
}
