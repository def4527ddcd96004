//! A strand: one running interpreter that keeps its state from block to block.

use crate::block_run::{BlockRun, Form, RunError};
use crate::capture::{Capture, Captured, Heard, Interrupt, Limits, RawPiece, Stop};
use crate::environment::Surroundings;
use crate::find::Interpreter;
use crate::language::{Driver, Language};
use crate::outcome::{ListItem, Outcome, Piece};
use crate::protocol::{Ask, Event, Streams};
use crate::shell_state;
use crate::strand_folder::StrandFolder;
use crate::terminal_session;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::fs::{self, File};
use std::io;
use std::os::fd::OwnedFd;
use std::path::Path;
use std::time::{Duration, Instant};
use vineloom_observe::{Access, Observed, Program, Watch};
use vineloom_picture::Picture;
use vineloom_table::Table;
use vineloom_terminal_text::{clean, without_colours};

/// A word that nobody can guess: what comes with it comes from the driver.
pub(crate) fn random_word() -> io::Result<String> {
    use rustix::rand::{GetRandomFlags, getrandom};
    let mut bytes = [0_u8; 12];
    let mut had = 0;
    while had < bytes.len() {
        match getrandom(&mut bytes[had..], GetRandomFlags::empty()) {
            Ok(more) => had += more,
            // Where the kernel has none ready, it is asked again.
            Err(rustix::io::Errno::INTR) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}

/// A text without control characters and colours.
fn printable(text: &str) -> String {
    without_colours(&clean(text.as_bytes()).0)
}

/// A table whose heads and cells are printable.
fn printable_table(mut table: Table) -> Table {
    table.columns.iter_mut().for_each(|column| column.name = printable(&column.name));
    let cells = table.rows.iter_mut().flatten().flatten();
    cells.filter(|cell| cell.contains(char::is_control)).for_each(|cell| *cell = printable(cell));
    table
}

/// One running interpreter.
#[derive(Debug)]
pub struct Strand {
    pub(crate) running: vineloom_observe::Running,
    watch: Option<Watch>,
    pub(crate) requests: io::PipeWriter,
    pub(crate) capture: Capture,
    pub(crate) folder: StrandFolder,
    name: String,
    pub(crate) language: Language,
    ended: bool,
    heard: Option<Heard>,
    /// What makes it doubtful that a shell's state can be told, of all that ran in it.
    pub(crate) doubt: Option<String>,
    /// Whether what ran in a shell may have defined functions.
    pub(crate) may_define: bool,
    /// The environment that it was started with.
    pub(crate) environment: BTreeMap<OsString, OsString>,
}

pub(crate) fn system(what: impl Into<String>) -> impl FnOnce(io::Error) -> RunError {
    let what = what.into();
    move |source| RunError::System { what, source }
}

impl Strand {
    /// Starts an interpreter in `folder`; `watch` is told of the files that it touches.
    ///
    /// # Errors
    /// [`RunError::System`] when it can't be started.
    pub fn start(
        interpreter: &Interpreter,
        around: &Surroundings,
        folder: &Path,
        watch: Option<Watch>,
    ) -> Result<Self, RunError> {
        let no_folder = |source| RunError::System { what: "no temporary folder can be made".into(), source };
        let mut own_folder = StrandFolder::new().map_err(no_folder)?;
        for own in own_folder.own() {
            watch.iter().for_each(|watch| watch.leave_out(own.clone()));
        }
        let language = &interpreter.language;
        let no_pipe = |source| RunError::System { what: "no pipe can be made".into(), source };
        let (request_end, requests) = io::pipe().map_err(no_pipe)?;
        let (events, event_end) = io::pipe().map_err(no_pipe)?;
        let (stdout, stdout_end) = io::pipe().map_err(no_pipe)?;
        let (stderr, stderr_end) = io::pipe().map_err(no_pipe)?;
        let mut arguments: Vec<OsString> = Vec::new();
        let (path, stdin, channels) = if language.driver.is_shells() {
            // A shell's own name goes into its messages: keep it short and the same everywhere.
            arguments.push(interpreter.name.clone().into());
            let path = match language.driver {
                Driver::None => Path::new("/bin/sh"),
                _ => {
                    arguments.extend(language.command[1..].iter().map(OsString::from));
                    &interpreter.path
                }
            };
            arguments.push("-s".into());
            (path, OwnedFd::from(request_end), None)
        } else {
            let script = own_folder.write("driver", language.driver.script()).map_err(no_folder)?;
            arguments.push(interpreter.path.clone().into());
            arguments.extend(language.command[1..].iter().map(OsString::from));
            arguments.push(script.into());
            let stdin = match language.driver.has_lasting_input() {
                true => own_folder.lasting_input(),
                false => File::open("/dev/null").map(OwnedFd::from),
            };
            let channels = [request_end.into(), OwnedFd::from(event_end.try_clone().map_err(no_pipe)?)];
            (interpreter.path.as_path(), stdin.map_err(no_folder)?, Some(channels))
        };
        drop(event_end);
        let mut environment: BTreeMap<OsString, OsString> = around.block_environment();
        environment.extend(language.environment.iter().map(|(name, value)| (name.into(), value.into())));
        environment.insert("TMPDIR".into(), own_folder.path("tmp").into());
        environment.insert("VINELOOM_FIGURES".into(), own_folder.path("figures").into());
        let program = Program {
            path: path.into(),
            arguments,
            environment: environment.clone().into_iter().collect(),
            folder: folder.into(),
            streams: [stdin, stdout_end.into(), stderr_end.into()],
            channels,
        };
        let running = vineloom_observe::spawn(&program, watch.as_ref());
        // Our ends of what is the program's now close.
        drop(program);
        let running = running.map_err(system(format!("{} can't be started", path.display())))?;
        let alive = running.alive().try_clone_to_owned().map_err(no_pipe)?;
        let capture = Capture::new(stdout, stderr, events, alive).map_err(no_pipe)?;
        let language = language.clone();
        Ok(Strand {
            watch,
            running,
            requests,
            capture,
            folder: own_folder,
            name: interpreter.name.clone(),
            language,
            ended: false,
            heard: None,
            doubt: None,
            may_define: false,
            environment,
        })
    }

    /// What was observed of files since this was asked last; nothing where observing is not to be had. What the
    /// interpreter reads while it starts comes with the first block.
    pub fn observed(&mut self) -> Option<Observed> {
        self.watch.as_ref().and_then(Watch::take)
    }

    /// Says who is told what blocks print, while they print it.
    pub fn hear(&mut self, heard: Option<Heard>) {
        self.heard = heard;
    }

    /// Whether the interpreter has ended, and its state with it.
    pub fn ended(&self) -> bool {
        self.ended
    }

    /// Runs a block.
    ///
    /// # Errors
    /// [`RunError`] when the block was ended, or something around it failed. A block whose own code fails is
    /// no error: its outcome has an exit code.
    pub fn run(&mut self, block: &BlockRun, interrupt: &Interrupt) -> Result<Outcome, RunError> {
        if let Some(folder) =
            block.cwd.as_ref().filter(|folder| block.scratch.as_ref().is_some_and(|s| folder.starts_with(s)))
        {
            fs::create_dir_all(folder).map_err(system("a folder in the scratch folder can't be made"))?;
        }
        if let Some(folder) = block.cwd.as_ref().filter(|folder| !folder.is_dir()) {
            return Err(RunError::NoFolder(folder.clone()));
        }
        if self.language.driver.is_shells() {
            self.doubt = self.doubt.take().or_else(|| shell_state::doubt_of(&block.code));
            self.may_define |= shell_state::may_define(&block.code);
        }
        let mark = random_word().map_err(system("no random numbers can be had"))?;
        let started = Instant::now();
        let (told, own) = self.send(block, &mark, Ask::Run).map_err(system("the interpreter takes no more code"))?;
        let unmarked_is_a_fault = matches!(self.language.driver, Driver::Own(_));
        let limits = Limits {
            deadline: started + block.time_limit,
            bytes: block.output_limit,
            interrupt,
            unmarked_is_a_fault,
            heard: self.heard.as_ref(),
        };
        let exit = || self.folder.take_exit();
        let captured = self.capture.block(&mark, told, own, &exit, &limits);
        let milliseconds = started.elapsed().as_millis() as u64;
        let captured = match captured.map_err(system("the interpreter's output can't be read"))? {
            Captured { stop: Stop::Ended(why), pieces, .. } => {
                self.end();
                let so_far = self.assemble(pieces, block)?;
                return Err(RunError::Ended { why, so_far });
            }
            captured => captured,
        };
        let exit = match captured.stop {
            Stop::Done(exit) => exit,
            _ => self.exit_code(),
        };
        let mut pieces = self.assemble(captured.pieces, block)?;
        self.folder.collect_figures(&mut pieces).map_err(system("the folder of figures can't be read"))?;
        if let Some(path) = &block.figure {
            let at = block.cwd.as_ref().map_or_else(|| path.clone(), |cwd| cwd.join(path));
            // Whether the block wrote it or found it there: the result shows it.
            self.watch.iter().for_each(|watch| watch.touched(&at, Access::Read));
            let figure = fs::read(&at).ok().and_then(Picture::new);
            match figure {
                Some(figure) => pieces.push(Piece::Figure(figure)),
                None if exit == 0 => return Err(RunError::NoFigure(path.clone())),
                None => {}
            }
        }
        Ok(Outcome { pieces, exit, interpreter_ended: self.ended, milliseconds })
    }

    /// Puts text and events in order, with the paths of this session made the same everywhere.
    fn assemble(&self, raw: Vec<RawPiece>, block: &BlockRun) -> Result<Vec<Piece>, RunError> {
        let mut pieces: Vec<Piece> = Vec::new();
        let mut undecoded = 0;
        for piece in raw {
            let piece = match piece {
                RawPiece::Text(bytes) => {
                    let (text, replaced) = clean(&bytes);
                    undecoded += replaced;
                    Piece::Text(self.tidy(text, block))
                }
                // With one stream for both, what still comes on standard error is the driver's own trace.
                RawPiece::Notice(_) if self.language.driver.is_shells() && block.streams == Streams::Shared => continue,
                RawPiece::Notice(bytes) => Piece::Notice(self.tidy(clean(&bytes).0, block)),
                RawPiece::Event(Event::Notice(text)) => {
                    Piece::Notice(self.plain_paths(clean(text.as_bytes()).0, block))
                }
                RawPiece::Event(Event::Value { text, plain, kind, items }) => {
                    let tidy = |text: String| self.plain_paths(clean(text.as_bytes()).0, block);
                    let item = |item: ListItem| ListItem { plain: tidy(item.plain), kind: item.kind };
                    let items = items.into_iter().map(item).collect();
                    Piece::Value { text: tidy(text), plain: tidy(plain), kind, items }
                }
                RawPiece::Event(Event::Table(table)) => Piece::Table(printable_table(table)),
                RawPiece::Event(Event::Figure { file }) => match self.folder.take_figure(&file) {
                    Some(figure) => Piece::Figure(figure),
                    None => continue,
                },
                RawPiece::Event(Event::Failure { summary, text, at, help }) => {
                    let (summary, help) = (printable(&summary), help.as_deref().map(printable));
                    Piece::Failure { summary, text: self.plain_paths(printable(&text), block), at, help }
                }
                RawPiece::Event(Event::Statement(text)) => Piece::Statement(printable(&text)),
                RawPiece::Event(Event::Done { .. } | Event::Here(_) | Event::Variables(_)) => continue,
                RawPiece::Unreadable(line) => return Err(RunError::Protocol(line)),
            };
            match (pieces.last_mut(), piece) {
                (Some(Piece::Text(before)), Piece::Text(text)) => before.push_str(&text),
                (Some(Piece::Notice(before)), Piece::Notice(text)) => before.push_str(&text),
                (_, Piece::Text(text)) if text.is_empty() => {}
                (_, piece) => pieces.push(piece),
            }
        }
        if undecoded > 0 {
            let bytes = if undecoded == 1 { "byte" } else { "bytes" };
            pieces.push(Piece::Notice(format!("{undecoded} {bytes} of the output were not UTF-8 and are replaced\n")));
        }
        Ok(pieces)
    }

    /// The text with the paths of this session and of the scratch folder made the same everywhere.
    fn plain_paths(&self, text: String, block: &BlockRun) -> String {
        let text = self.folder.plain_paths(text);
        match &block.scratch {
            Some(scratch) if text.contains(&*scratch.to_string_lossy()) => {
                text.replace(&*scratch.to_string_lossy(), "/scratch")
            }
            _ => text,
        }
    }

    /// What was printed, without what comes of our way to run it.
    fn tidy(&self, text: String, block: &BlockRun) -> String {
        let text = self.without_trace(self.plain_paths(text, block), block);
        match block.form {
            Form::Session => terminal_session::plain_message(&text, &block.label, &self.name),
            _ => text,
        }
    }

    /// A shell that traces (`set -x`) also traces its driver; those lines are not the block's.
    fn without_trace(&self, text: String, block: &BlockRun) -> String {
        if !self.language.driver.is_shells() || !text.contains("+ ") {
            return text;
        }
        let own = format!("+ . {}", block.label);
        let marks = |line: &str| line.starts_with("+ command printf ") && line.contains("\\002");
        let drivers = |line: &str| line.trim_end() == own || marks(line);
        text.split_inclusive('\n').filter(|line| !drivers(line)).collect()
    }

    /// The exit code of an interpreter that said no more. One that lives on all the same can't be talked to.
    fn exit_code(&mut self) -> i32 {
        const PATIENCE: Duration = Duration::from_secs(2);
        self.ended = true;
        if !self.running.ends_within(PATIENCE) {
            self.running.end();
        }
        self.running.wait()
    }

    /// Ends the interpreter and everything it started.
    pub(crate) fn end(&mut self) {
        self.ended = true;
        self.running.end();
    }
}

impl Drop for Strand {
    fn drop(&mut self) {
        self.end();
    }
}
