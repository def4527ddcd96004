//! `vineloom run`: what a document, or one block of it, gives, in the terminal.

use crate::blocks::planned;
use crate::command_line::RunArguments;
use crate::interrupt::interrupt;
use crate::output::{line_as_printed, line_with_faint, say};
use crate::{Exit, messages};
use std::io::IsTerminal as _;
use std::path::Path;
use vineloom_document::options::ReadAs;
use vineloom_document::{BlockIndex, Document, LiveBlock, Role, nearest};
use vineloom_interpreters::{Held, Piece};
use vineloom_picture::Picture;
use vineloom_project::from_here;
use vineloom_store::write_whole;
use vineloom_table::{NumberStyle, Table};
use vineloom_terminal_text::without_colours;
use vineloom_weave::{
    Failure, Results, Reuse, State, block_title, held_after, number_style, run as run_plan, with_names,
};

/// Runs what is needed, stores it, and shows the results.
pub fn run(arguments: &RunArguments) -> Exit {
    match steps(arguments) {
        Ok(()) => Exit::Done,
        Err(ended) => ended,
    }
}

fn steps(arguments: &RunArguments) -> Result<(), Exit> {
    let (file, wanted) = target(&arguments.target);
    let caller = vineloom_project::surroundings();
    let planned = planned(Path::new(file), &arguments.set, &caller)?;
    let (document, store) = (planned.document(), &planned.store);
    let whole = planned.plan.clone();
    let block = |name: &str| named_block(document, file, name);
    let is_shown = |at: &BlockIndex| document.live[*at].role == Role::Shown;
    let (part, shown) = if let Some(name) = &arguments.through {
        let last = document.live[block(name)?].position;
        let part = whole.of(whole.order.iter().copied().filter(|&at| document.live[at].position <= last));
        let shown = part.order.iter().copied().filter(is_shown).collect();
        (part, shown)
    } else if !arguments.only.is_empty() {
        let shown = arguments.only.iter().map(|name| block(name)).collect::<Result<Vec<_>, _>>()?;
        (whole.of(shown.iter().copied()), shown)
    } else if let Some(name) = wanted {
        let index = block(name)?;
        (whole.through(index), vec![index])
    } else {
        let shown = whole.order.iter().copied().filter(is_shown).collect();
        (whole, shown)
    };
    let around = planned.surroundings(&caller);
    let mut interpreters = planned.interpreters(&around, Vec::new(), interrupt());
    let explain = |failure: Box<Failure>| messages::problem(&planned.explain(&failure, &caller));
    if arguments.variables {
        let Some(&index) = shown.last().filter(|_| wanted.is_some()) else {
            let help = format!("name the block after which to look: `vineloom run {file}@BLOCK --variables`");
            messages::error("the variables of a state are those after a block", Some(&help));
            return Err(Exit::WrongUse);
        };
        let held = held_after(document, &part, &mut interpreters, store, index, &mut |_| {}).map_err(explain)?;
        show_variables(document, index, held);
        return Ok(());
    }
    let reuse = if arguments.again { Reuse::Nothing } else { Reuse::Stored };
    let results = run_plan(document, &part, &mut interpreters, store, reuse, &mut |_| {}).map_err(explain)?;
    // A person who runs a whole document wants to see what is new in it, not hundreds of blocks that are not.
    let is_named = wanted.is_some() || arguments.through.is_some() || !arguments.only.is_empty();
    let counts = !is_named && !arguments.kept && std::io::stdout().is_terminal();
    // What was only replayed gave what it had given before.
    let is_kept = |index: &BlockIndex| !matches!(results.state(*index), Some(State::Ran | State::Failed));
    let (kept, ran): (Vec<_>, Vec<_>) = shown.into_iter().partition(|index| counts && is_kept(index));
    for index in &ran {
        show(document, *index, &results, store.folder());
    }
    if counts {
        let more = if kept.is_empty() { "" } else { "; --kept shows those too" };
        say!("{file}  {} blocks: {} ran, {} kept{more}", ran.len() + kept.len(), ran.len(), kept.len());
    }
    Ok(())
}

/// What a state holds, a line a variable.
fn show_variables(document: &Document, index: BlockIndex, held: Option<Vec<Held>>) {
    let title = block_title(document, index);
    let Some(held) = held else {
        line_with_faint(
            "",
            &format!(
                "{title}  each {} block runs by itself: there is no state to look at",
                document.live[index].language
            ),
        );
        return;
    };
    line_with_faint(
        "",
        &format!(
            "after {title}: {}",
            if held.len() == 1 { "1 variable".into() } else { format!("{} variables", held.len()) }
        ),
    );
    let width = |part: &dyn Fn(&Held) -> usize| held.iter().map(part).max().unwrap_or(0);
    let name = width(&|held| held.name.chars().count());
    let kind = width(&|held| held.kind.chars().count());
    let shape = width(&|held| held.shape.chars().count());
    for one in &held {
        let value: String = one.value.chars().take(100usize.saturating_sub(name + kind + shape).max(30)).collect();
        let cut = if value.len() < one.value.len() { "…" } else { "" };
        say!("{:name$}  {:kind$}  {:>shape$}  {value}{cut}", one.name, one.kind, one.shape);
    }
}

/// `guide.vine.md@daily-mean` is a document and a block; a file whose own name has an `@` is a document.
fn target(text: &str) -> (&str, Option<&str>) {
    match text.rsplit_once('@') {
        Some((file, block)) if !Path::new(text).exists() => (file, Some(block)),
        _ => (text, None),
    }
}

fn named_block(document: &Document, file: &str, name: &str) -> Result<BlockIndex, Exit> {
    if let Some(index) = document.block_named(name)
        && document.live[index].takes.is_empty()
    {
        return Ok(index);
    }
    let runs = |block: &&LiveBlock| block.takes.is_empty();
    let names: Vec<&str> =
        document.live.iter().filter(runs).filter_map(|b| b.name.as_ref()).map(|n| n.as_str()).collect();
    let help = match nearest(name, names.iter().copied()) {
        Some(near) => format!("did you mean {file}@{near}?"),
        None if names.is_empty() => "none of its blocks has a name".into(),
        None => format!("its blocks are {}", names.join(", ")),
    };
    messages::error(&format!("{file} has no block `{name}` that runs by itself"), Some(&help));
    Err(Exit::WrongUse)
}

fn show(document: &Document, index: BlockIndex, results: &Results, store_folder: &Path) {
    let Some(outcome) = results.outcome(index) else { return };
    let state = match results.state(index) {
        Some(State::Ran) => format!("ran {:.2} s", outcome.milliseconds as f64 / 1000.0),
        Some(State::Replayed) => format!("replayed {:.2} s", outcome.milliseconds as f64 / 1000.0),
        Some(State::Failed) => "failed".into(),
        Some(State::Waiting) => "waits to be asked for".into(),
        Some(State::Kept) | None => "kept".into(),
    };
    let heading = format!("{}  {}  {state}", block_title(document, index), document.live[index].language);
    line_with_faint("", &heading);
    let named = |text: &str| with_names(text.trim_end_matches('\n'), document, results);
    let style = number_style(document, &document.live[index].options.reading);
    let mut figures = 0;
    for piece in &outcome.pieces {
        match piece {
            Piece::Figure(figure) => {
                figures += 1;
                let block = document.live[index]
                    .name
                    .as_ref()
                    .map_or_else(|| format!("block-{}", index.number()), ToString::to_string);
                let file = format!("{block}-{figures}.{}", figure.media.extension());
                say!("{}", figure_line(figure, &store_folder.join("figures"), &file));
            }
            piece => show_piece(piece, &document.live[index], style, &named),
        }
    }
}

/// Puts a figure where it can be opened, and tells where and how large.
fn figure_line(figure: &Picture, folder: &Path, file: &str) -> String {
    let path = folder.join(file);
    let size = format!("{} KB", figure.bytes.len().div_ceil(1000));
    let is_elsewhere = std::fs::symlink_metadata(folder).is_ok_and(|about| about.is_symlink());
    let made = match is_elsewhere {
        true => Err(std::io::Error::other("the folder is a link to elsewhere")),
        false => std::fs::create_dir_all(folder),
    };
    let written = made.and_then(|()| write_whole(&path, &figure.bytes));
    match written {
        Ok(()) => format!("{}  {size}", from_here(&path).display()),
        Err(error) => {
            format!("a figure, {}, {size}, which can't be put at {}: {error}", figure.media.extension(), path.display())
        }
    }
}

fn show_piece(piece: &Piece, block: &LiveBlock, style: NumberStyle, named: &dyn Fn(&str) -> String) {
    let looks = &block.options.columns;
    match piece {
        Piece::Text(text) => match (block.options.read_as == ReadAs::Table).then(|| Table::read(text)) {
            Some(Ok(table)) => say!("{}", aligned(&table.for_reading(style, looks))),
            _ => line_as_printed(&named(text)),
        },
        Piece::Value { text, .. } => line_as_printed(text),
        Piece::Statement(text) => line_with_faint("", text.trim_end_matches('\n')),
        Piece::Notice(text) => line_with_faint("", &without_colours(&named(text))),
        Piece::Table(table) => say!("{}", aligned(&table.clone().for_reading(style, looks))),
        Piece::Figure(_) => {}
        Piece::Failure { text, .. } => line_as_printed(&named(text)),
    }
}

/// A table in columns, numbers to the right. One without a column says that there is nothing.
fn aligned(table: &Table) -> String {
    if table.columns.is_empty() {
        return "empty".into();
    }
    let cells = |row: &Vec<Option<String>>| -> Vec<String> {
        row.iter().map(|cell| cell.clone().unwrap_or_default()).collect()
    };
    let heading: Vec<String> = table.columns.iter().map(|column| column.name.clone()).collect();
    let mut rows: Vec<Vec<String>> = table.rows.iter().map(cells).collect();
    for at in 0..table.columns.len() {
        // What a number lacks behind its decimal mark is room.
        let behind_marks = table.decimals(at);
        for row in rows.iter_mut() {
            let rest = behind_marks.map_or(0, |decimals| decimals.rest(&row[at]).chars().count());
            row[at].extend(std::iter::repeat_n(' ', rest));
        }
    }
    let width = |at: usize| rows.iter().chain([&heading]).map(|row| row[at].chars().count()).max().unwrap_or(0);
    let widths: Vec<usize> = (0..heading.len()).map(width).collect();
    let line = |row: &Vec<String>| -> String {
        let cell = |(at, text): (usize, &String)| match table.is_right(at) {
            true => format!("{text:>0$}", widths[at]),
            false => format!("{text:<0$}", widths[at]),
        };
        row.iter().enumerate().map(cell).collect::<Vec<_>>().join("  ").trim_end().to_string()
    };
    let rule = widths.iter().map(|&width| "─".repeat(width)).collect::<Vec<_>>().join("  ");
    let mut lines = vec![line(&heading), rule];
    lines.extend(rows.iter().map(line));
    lines.join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_are_aligned_as_their_columns_want() {
        let table = Table::read("plot,m\nNorth,9.5\nLow,36\n").unwrap();
        assert_eq!(aligned(&table), "plot      m\n─────  ────\nNorth   9.5\nLow    36");
    }

    #[test]
    fn a_target_is_a_document_and_perhaps_a_block() {
        assert_eq!(target("a.vine.md@mean"), ("a.vine.md", Some("mean")));
        assert_eq!(target("a.vine.md"), ("a.vine.md", None));
    }
}
