//! The steps after weaving: asked about once, shown, timed, and run only when everything is written.

use crate::command_line::WeaveArguments;
use crate::output::{self, say};
use crate::report::Report;
use crate::{Exit, messages};
use std::ffi::OsString;
use std::io::{BufRead, IsTerminal};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;
use vineloom_interpreters::{Interrupt, Surroundings};
use vineloom_project::{Step, Trust};

/// Steps that are run together, with what they find in their environment.
pub struct Group {
    /// The folder of the project that they come with.
    pub project: PathBuf,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// Their environment, beside the caller's own.
    pub environment: Vec<(OsString, OsString)>,
}

/// Runs steps, one after the other, to the first that fails.
pub fn run(
    groups: &[Group],
    arguments: &WeaveArguments,
    caller: &Surroundings,
    interrupt: &Interrupt,
    report: &Report,
) -> Exit {
    if arguments.no_after {
        return Exit::Done;
    }
    let trust = Trust::of(caller);
    let mut left_out: Vec<(&Path, &[Step])> = Vec::new();
    for Group { project, steps, .. } in groups {
        if trust.covers(project, steps) || left_out.contains(&(project, steps)) {
            continue;
        }
        match agreed(project, steps, arguments.trust) {
            Agreed::Yes => {
                if let Err(error) = trust.agree(project, steps) {
                    let help = Some("they run now, and are asked about again");
                    messages::warning(&format!("what you agreed to can't be remembered: {error}"), help);
                }
            }
            Agreed::No => left_out.push((project, steps)),
            Agreed::NobodyToAsk => {
                let list: Vec<String> = steps.iter().map(|step| step.words.join(" ")).collect();
                messages::error(
                    &format!("the steps after weaving did not run, since nobody agreed to them: {}", list.join("; ")),
                    Some("read them, then agree with `--trust`, or leave them out with `--no-after`"),
                );
                return Exit::Failed;
            }
        }
    }
    for group in groups.iter().filter(|it| !left_out.contains(&(&it.project, &it.steps))) {
        for step in &group.steps {
            if interrupt.raised() {
                return Exit::Interrupted;
            }
            if let Err(exit) = one(step, &group.environment, arguments.quiet, interrupt, report) {
                return exit;
            }
        }
    }
    Exit::Done
}

/// What became of asking.
enum Agreed {
    Yes,
    No,
    NobodyToAsk,
}

fn agreed(project: &Path, steps: &[Step], trust: bool) -> Agreed {
    if trust {
        return Agreed::Yes;
    }
    if !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return Agreed::NobodyToAsk;
    }
    output::note(&format!("{} asks to run these programs after weaving:", project.display()));
    for step in steps {
        output::note(&format!("  {}", step.words.join(" ")));
    }
    output::ask("Run them, now and whenever they are the same? [y/N] ");
    let mut line = String::new();
    let _ = std::io::stdin().lock().read_line(&mut line);
    if matches!(line.trim(), "y" | "Y" | "yes") { Agreed::Yes } else { Agreed::No }
}

fn one(
    step: &Step,
    environment: &[(OsString, OsString)],
    quiet: bool,
    interrupt: &Interrupt,
    report: &Report,
) -> Result<(), Exit> {
    let [program, words @ ..] = step.words.as_slice() else { return Ok(()) };
    let started = Instant::now();
    // A path starts at the folder that the step runs in.
    let path = if program.contains('/') { step.folder.join(program) } else { program.into() };
    let mut command = Command::new(path);
    command.args(words).current_dir(&step.folder).envs(environment.iter().cloned()).stdin(Stdio::null());
    if output::standard_output_is_taken() {
        command.stdout(std::io::stderr());
    }
    let why = match command.status() {
        Ok(status) if status.success() => None,
        Ok(status) => match status.code() {
            Some(code) => Some(format!("it ended with exit code {code}")),
            None => Some("a signal ended it".into()),
        },
        Err(error) => Some(format!("it can't be started: {error}")),
    };
    let time = started.elapsed();
    report.step(&step.words, &step.folder, time, why.as_deref());
    let Some(why) = why else {
        if !quiet {
            say!("  after weaving  {}  {:.2} s", step.words.join(" "), time.as_secs_f64());
        }
        return Ok(());
    };
    if interrupt.raised() {
        return Err(Exit::Interrupted);
    }
    messages::error(
        &format!("the step `{}` after weaving failed: {why}", step.words.join(" ")),
        Some("everything is written; the steps behind it did not run. `--no-after` leaves them out"),
    );
    Err(Exit::Failed)
}
