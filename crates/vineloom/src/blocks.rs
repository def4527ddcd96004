//! `vineloom blocks`: the live blocks of a document, what would become of each in a weave, and why.

use crate::command_line::BlocksArguments;
use crate::interrupt::interrupt;
use crate::output::say;
use crate::weave::show_findings;
use crate::{Exit, messages};
use serde_json::json;
use std::path::Path;
use vineloom_document::{BlockIndex, Role, nearest};
use vineloom_interpreters::Surroundings;
use vineloom_project::{Opened, Planned, Problem, Text};
use vineloom_weave::{Forecast, Runs, block_title};

/// Lists the blocks, or says of one why it would run.
pub fn blocks(arguments: &BlocksArguments) -> Exit {
    match steps(arguments) {
        Ok(()) => Exit::Done,
        Err(ended) => ended,
    }
}

fn steps(arguments: &BlocksArguments) -> Result<(), Exit> {
    let caller = vineloom_project::surroundings();
    let planned = planned(&arguments.file, &arguments.set, &caller)?;
    let around = planned.surroundings(&caller);
    let forecasts = planned.forecast(&mut planned.interpreters(&around, Vec::new(), interrupt()));
    if let Some(name) = &arguments.why {
        let name = name.trim_start_matches('@');
        let named = |forecast: &&Forecast| {
            planned.document().live[forecast.index].name.as_ref().is_some_and(|n| n.as_str() == name)
        };
        let Some(found) = forecasts.iter().find(named) else {
            let names = forecasts.iter().filter_map(|forecast| planned.document().live[forecast.index].name.as_ref());
            let help = nearest(name, names.map(|name| name.as_str())).map(|near| format!("did you mean {near}?"));
            messages::error(&format!("{} has no block `{name}` that runs", arguments.file.display()), help.as_deref());
            return Err(Exit::WrongUse);
        };
        if arguments.json {
            say!("{:#}", as_json(&planned, found));
        } else {
            why(&planned, found);
        }
    } else if arguments.json {
        say!("{:#}", serde_json::Value::Array(forecasts.iter().map(|forecast| as_json(&planned, forecast)).collect()));
    } else {
        list(&planned, &forecasts);
    }
    Ok(())
}

/// A document that is ready to run; what is wrong with it is shown.
pub fn planned(file: &Path, set: &[(String, String)], caller: &Surroundings) -> Result<Planned, Exit> {
    let open = || {
        let secret = messages::secret(caller)?;
        let opened = Opened::open(file, Text::OnDisk, set, Some(&secret))?;
        show_findings(&opened);
        let planned = Planned::of(opened, &secret)?;
        messages::show(&planned.document().sources, &planned.about_store);
        Ok(planned)
    };
    open().map_err(|problem: Box<Problem>| messages::problem(&problem))
}

fn state(runs: Runs) -> &'static str {
    match runs {
        Runs::No => "stored",
        Runs::Yes => "would run",
        Runs::ForState => "would be replayed",
    }
}

fn strand(planned: &Planned, index: BlockIndex) -> String {
    let language = &planned.document().live[index].language;
    planned.plan.tasks[index].as_ref().map_or_else(String::new, |task| task.strand.title(language))
}

fn list(planned: &Planned, forecasts: &[Forecast]) {
    let row = |forecast: &Forecast| {
        let index = forecast.index;
        let time = forecast.milliseconds.map_or_else(String::new, |time| format!("{:.2} s", time as f64 / 1000.0));
        let size = forecast.bytes.map_or_else(String::new, |bytes| match bytes {
            0..1000 => format!("{bytes} B"),
            bytes => format!("{} KB", bytes.div_ceil(1000)),
        });
        let language = planned.document().live[index].language.clone();
        [
            block_title(planned.document(), index),
            language,
            strand(planned, index),
            state(forecast.runs).into(),
            time,
            size,
        ]
    };
    let rows: Vec<[String; 6]> = forecasts.iter().map(row).collect();
    let heading = ["block", "language", "strand", "in a weave", "last time", "size"].map(String::from);
    let width = |at: usize| rows.iter().chain([&heading]).map(|row| row[at].chars().count()).max().unwrap_or(0);
    let widths: [usize; 6] = std::array::from_fn(width);
    for row in std::iter::once(&heading).chain(&rows) {
        let cell = |(at, text): (usize, &String)| {
            if at >= 4 { format!("{text:>0$}", widths[at]) } else { format!("{text:<0$}", widths[at]) }
        };
        say!("{}", row.iter().enumerate().map(cell).collect::<Vec<_>>().join("  ").trim_end());
    }
}

fn why(planned: &Planned, forecast: &Forecast) {
    say!("{} {}, because", block_title(planned.document(), forecast.index), state_in_words(forecast.runs));
    for reason in &forecast.reasons {
        say!("  {}", reason.replace('\n', "\n  "));
    }
    if let Some(start) = &forecast.start {
        say!("{start}");
    }
    match forecast.observed {
        Some(files) => say!("the files it uses were observed as it ran: {files} in all"),
        None if forecast.milliseconds.is_some() => {
            say!("the files it uses could not be observed: what it reads has to be named with `reads`");
        }
        None => {}
    }
    let follow: Vec<String> = followers(planned, forecast.index);
    if forecast.runs == Runs::Yes && !follow.is_empty() {
        let need = if follow.len() == 1 { "needs" } else { "need" };
        say!("after it {} would run, which {need} its state", follow.join(", "));
    }
}

/// The blocks after one on its strand.
fn followers(planned: &Planned, index: BlockIndex) -> Vec<String> {
    let strand = |at: BlockIndex| planned.plan.tasks[at].as_ref().map(|task| &task.strand);
    let after = planned.plan.order.iter().copied().skip_while(|&at| at != index).skip(1);
    after.filter(|&at| strand(at) == strand(index)).map(|at| block_title(planned.document(), at)).collect()
}

fn state_in_words(runs: Runs) -> &'static str {
    match runs {
        Runs::No => "would not run",
        Runs::Yes => "would run",
        Runs::ForState => "would be replayed",
    }
}

fn as_json(planned: &Planned, forecast: &Forecast) -> serde_json::Value {
    let block = &planned.document().live[forecast.index];
    let source = planned.document().sources.of(block.fence.start);
    json!({
        "name": block.name.as_ref().map(ToString::to_string),
        "language": block.language,
        "strand": strand(planned, forecast.index),
        "line": source.written_line(source.line_of(block.fence.start)),
        "file": source.name(),
        "shown": block.role == Role::Shown,
        "state": match forecast.runs { Runs::No => "stored", Runs::Yes => "runs", Runs::ForState => "replayed" },
        "reasons": forecast.reasons,
        "start": forecast.start,
        "milliseconds": forecast.milliseconds,
        "bytes": forecast.bytes,
        "files_observed": forecast.observed,
    })
}
