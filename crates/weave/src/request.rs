//! What is asked of an interpreter for a block: its variables, its environment, its options in the interpreters' terms.

use crate::interpreting::Machine;
use crate::values::label;
use std::collections::BTreeMap;
use std::path::Path;
use vineloom_document::options::{FigureFormat, ReadAs};
use vineloom_document::{Argument, BlockIndex, Document, LiveBlock, Name, Named, ParameterValue};
use vineloom_interpreters::{BlockRun, FigureWishes, Form, Outcome, Piece, Streams, Variable, VariableValue};
use vineloom_table::Table;

/// The word before a path in `cwd` that stands for the scratch folder.
const SCRATCH: &str = "@scratch";

/// Where in the scratch folder a block runs; nothing for one that runs elsewhere.
pub(crate) fn scratch_folder(block: &LiveBlock) -> Option<&Path> {
    let rest = block.options.cwd.as_deref()?.strip_prefix(SCRATCH)?;
    (rest.is_empty() || rest.starts_with('/')).then(|| Path::new(rest.trim_start_matches('/')))
}

/// The variables a block is handed; `outcome_of` is what a block gave.
pub(crate) fn variables<'a>(
    document: &Document,
    block: &LiveBlock,
    outcome_of: &dyn Fn(BlockIndex) -> Option<&'a Outcome>,
) -> Vec<Variable> {
    let null = VariableValue::Plain(serde_json::Value::Null);
    let value = |argument: &Argument| match argument {
        Argument::Given(value) => VariableValue::Plain(json(value)),
        Argument::Named(name) => match document.names.get(name) {
            Some(Named::Parameter(_)) => {
                let parameter = document.parameters.get(name);
                VariableValue::Plain(parameter.map_or(serde_json::Value::Null, |p| json(&p.value)))
            }
            Some(Named::Live(index, _)) => {
                outcome_of(*index).map_or(null.clone(), |outcome| handed(&document.live[*index], outcome))
            }
            _ => null.clone(),
        },
    };
    let variable = |(name, argument): &(Name, Argument)| Variable {
        name: name.as_str().replace('-', "_"),
        value: value(argument),
    };
    block.variables.iter().map(variable).collect()
}

/// A parameter's value as the languages take it.
fn json(value: &ParameterValue) -> serde_json::Value {
    serde_json::to_value(value).unwrap_or_default()
}

/// The result of a block as it is handed to another: its table, if it gave one, else its text.
fn handed(block: &LiveBlock, outcome: &Outcome) -> VariableValue {
    let table = outcome.pieces.iter().find_map(|piece| match piece {
        Piece::Table(table) => Some(table.clone()),
        Piece::Text(text) if block.options.read_as == ReadAs::Table => Table::read(text).ok(),
        _ => None,
    });
    if let Some(table) = table {
        return VariableValue::Table(table);
    }
    let text = outcome.cited_text();
    match serde_json::from_str(&text) {
        Ok(value) if block.options.read_as == ReadAs::Json => VariableValue::Plain(value),
        _ => VariableValue::Plain(text.into()),
    }
}

/// Shells give one stream, as a terminal does, unless the reader is to see notices apart from the rest.
pub(crate) fn streams(block: &LiveBlock) -> Streams {
    if block.options.show.notices { Streams::Separate } else { Streams::Shared }
}

/// The environment variables that a block's `env` gives it.
pub(crate) fn own_environment(block: &LiveBlock, interpreters: &impl Machine) -> BTreeMap<String, String> {
    let read = |entry: &String| match entry.split_once('=') {
        Some((name, value)) => Some((name.trim().to_string(), value.to_string())),
        None => Some((entry.clone(), interpreters.variable(entry)?)),
    };
    block.options.env.iter().filter_map(read).collect()
}

/// The environment variables of a block alone: its own, and `$VINELOOM_ID`, a word that no other code has and that is
/// an identifier in HTML. It is there for every block, since a helper that names it may stand in another one.
fn block_environment(block: &LiveBlock, code: &str, interpreters: &impl Machine) -> BTreeMap<String, String> {
    let mut environment = own_environment(block, interpreters);
    environment.entry("VINELOOM_ID".into()).or_insert_with(|| drawing_id(code));
    environment
}

/// What `$VINELOOM_ID` is while a block of this code runs.
pub(crate) fn drawing_id(code: &str) -> String {
    format!("vine-{}", &label(code)[1..])
}

/// The whole request.
pub(crate) fn block_run(
    block: &LiveBlock,
    form: Form,
    code: &str,
    variables: &[Variable],
    interpreters: &mut impl Machine,
) -> BlockRun {
    let options = &block.options;
    let scratch = scratch_folder(block).and_then(|inside| Some((interpreters.scratch()?, inside)));
    let cwd = match &scratch {
        Some((scratch, inside)) => Some(scratch.join(inside)),
        None => options.cwd.as_ref().map(|folder| interpreters.folder().join(folder)),
    };
    BlockRun {
        label: label(code),
        code: code.into(),
        form,
        cwd,
        scratch: scratch.map(|(scratch, _)| scratch),
        env: block_environment(block, code, interpreters),
        variables: variables.to_vec(),
        stdin: options.stdin.clone(),
        streams: streams(block),
        // Relative to the folder it runs in; a strand that stands elsewhere is taken to stand at home.
        figure: options.figure.as_ref().map(|path| match &options.cwd {
            Some(_) => path.into(),
            None => interpreters.folder().join(path),
        }),
        figures: FigureWishes {
            format: if options.figure_format == FigureFormat::Svg { "svg".into() } else { "png".into() },
            width: options.width,
            height: options.height,
            dpi: options.dpi,
        },
        time_limit: options.time_limit,
        output_limit: options.output_limit,
        stop: options.stop,
    }
}
