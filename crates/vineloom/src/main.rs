//! `vineloom`: the command-line program, the only room that talks to a person.

#![forbid(unsafe_code)]

mod blocks;
mod check;
mod command_line;
mod compare;
mod convert;
mod demo;
mod interpreters;
mod interrupt;
mod messages;
mod new;
mod options;
mod output;
mod pack;
mod progress;
mod report;
mod run;
mod side_by_side;
mod store;
mod watch;
mod weave;

use clap::Parser;
use command_line::{Command, CommandLine};
use std::process::ExitCode;

/// How a command ended. The numbers are the program's exit codes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Exit {
    /// All is done.
    Done = 0,
    /// A block or a check failed.
    Failed = 1,
    /// Wrong use, or a document that can't be read.
    WrongUse = 2,
    /// The user interrupted it.
    Interrupted = 130,
}

/// Deeply nested documents are walked by recursion; the memory is only touched when it is needed.
const STACK: usize = 1 << 30;

fn main() -> ExitCode {
    let command_line = match CommandLine::try_parse() {
        Ok(command_line) => command_line,
        Err(problem) => return tell_wrong_use(&problem),
    };
    let work = std::thread::Builder::new().stack_size(STACK).spawn(move || run(command_line));
    let exit = match work.map(std::thread::JoinHandle::join) {
        Ok(Ok(ended)) => ended,
        Ok(Err(_)) => {
            output::note("error: a fault in the program stopped it; nothing half-written was left behind");
            Exit::Failed
        }
        Err(error) => {
            output::note(&format!("error: no thread can be started: {error}"));
            Exit::WrongUse
        }
    };
    ExitCode::from(exit as u8)
}

/// Shows help or what is wrong with the command line, of which a word may be the name of a file that somebody else made.
fn tell_wrong_use(problem: &clap::Error) -> ExitCode {
    let has_codes = std::env::args_os().any(|word| word.to_string_lossy().contains(char::is_control));
    if has_codes {
        output::note(&problem.render().to_string());
    } else {
        let _ = problem.print();
    }
    ExitCode::from(u8::try_from(problem.exit_code()).unwrap_or(2))
}

fn run(command_line: CommandLine) -> Exit {
    if let Err(problem) = vineloom_weave::states_from(std::env::var_os(vineloom_weave::STATES).as_deref()) {
        output::note(&format!("error: {problem}"));
        return Exit::WrongUse;
    }
    match command_line.command {
        Command::Weave(arguments) => weave::weave(&arguments),
        Command::Watch(arguments) => watch::watch(&arguments),
        Command::Run(arguments) => run::run(&arguments),
        Command::Blocks(arguments) => blocks::blocks(&arguments),
        Command::Store(arguments) => store::store(&arguments),
        Command::Check(arguments) => check::check(&arguments),
        Command::Compare(arguments) => compare::compare(&arguments),
        Command::Convert(arguments) => convert::convert(&arguments),
        Command::Pack(arguments) => pack::pack(&arguments),
        Command::Unpack(arguments) => pack::unpack(&arguments),
        Command::New(arguments) => new::new(&arguments),
        Command::Interpreters(arguments) => interpreters::interpreters(&arguments),
        Command::Options(arguments) => options::options(&arguments),
        Command::Demo(arguments) => demo::demo(&arguments),
    }
}
