//! What is asked of a strand beside running blocks: what its state holds, that it leave a copy of itself, and that it
//! save its state for another interpreter to take up.

use crate::block_run::{BlockRun, RunError};
use crate::capture::{Captured, Interrupt, Limits, RawPiece, Stop};
use crate::frames::shell_variables;
use crate::language::Driver;
use crate::protocol::{Ask, Event, Held};
use crate::request::STATE;
use crate::shell_state;
use crate::strand::{Strand, random_word, system};
use std::fs;
use std::io;
use std::time::{Duration, Instant};

/// What came of saving a state.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Saved {
    /// The state, in a form of the language's own driver.
    State(Vec<u8>),
    /// Another interpreter might not be the same with it: why, as the end of a sentence.
    InDoubt(String),
}

/// What a strand is asked: the task, and how long and how much it may answer.
struct Question {
    task: Ask,
    code: String,
    patience: Duration,
    most: u64,
}

impl Strand {
    /// What the interpreter's state holds. Nothing for one whose driver can't tell.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended, or something around it failed.
    pub fn variables(&mut self, interrupt: &Interrupt) -> Result<Option<Vec<Held>>, RunError> {
        if !self.language.driver.tells_variables() {
            return Ok(None);
        }
        let question =
            Question { task: Ask::Variables, code: String::new(), patience: Duration::from_secs(60), most: 1 << 26 };
        let captured = self.ask(question, interrupt)?;
        let mut text = Vec::new();
        for piece in captured.pieces {
            match piece {
                RawPiece::Event(Event::Variables(held)) => return Ok(Some(held)),
                RawPiece::Text(bytes) => text.extend(bytes),
                _ => {}
            }
        }
        Ok(Some(shell_variables(&String::from_utf8_lossy(&text))))
    }

    /// Lets the interpreter leave a stopped copy of itself, to which [`Strand::go_back`] returns. False where its driver
    /// can't, or where a copy would not be the same: other threads, open sockets, files that are written to, processes
    /// that it started.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    pub fn checkpoint(&mut self, interrupt: &Interrupt) -> Result<bool, RunError> {
        if !self.language.driver.leaves_copies() {
            return Ok(false);
        }
        self.ask_unseen(Ask::Checkpoint, String::new(), 0, interrupt).map(|captured| is_done(&captured))
    }

    /// Returns to the state of a copy that was left, `levels` of them ago; those after it are gone. False where that is
    /// not to be had: then the interpreter is of no more use.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    pub fn go_back(&mut self, levels: usize, interrupt: &Interrupt) -> Result<bool, RunError> {
        self.ask_unseen(Ask::Back, levels.to_string(), 0, interrupt).map(|captured| is_done(&captured))
    }

    /// Saves the interpreter's state, in no more than `most` bytes: what it holds in its own memory, where that can be
    /// told faithfully. What belongs to this one process alone (processes it started, open files, the paths of its own
    /// temporary folder) makes it doubtful.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    pub fn save(&mut self, most: u64, interrupt: &Interrupt) -> Result<Saved, RunError> {
        let doubt = |why: &str| Ok(Saved::InDoubt(why.to_string()));
        if !self.language.driver.saves_its_state() {
            return doubt("its driver saves no state");
        }
        let is_shell = self.language.driver.is_shells();
        if let Some(why) = &self.doubt {
            return doubt(why);
        }
        if !soon(|| self.running.is_alone()) {
            return doubt("a process that it started still runs, or its limits are others");
        }
        if is_shell && !soon(|| self.running.holds_only(&[0, 1, 2])) {
            return doubt("it holds files open");
        }
        let captured = self.ask_unseen(Ask::Save, String::new(), most, interrupt)?;
        let path = self.folder.path(STATE);
        if !is_done(&captured) {
            let _ = fs::remove_file(&path);
            let why = captured.pieces.into_iter().find_map(|piece| match piece {
                RawPiece::Event(Event::Notice(why)) => Some(why),
                _ => None,
            });
            return Ok(Saved::InDoubt(why.unwrap_or_else(|| "its driver could not tell it".into())));
        }
        let state = if is_shell {
            let text = |piece| if let RawPiece::Text(bytes) = piece { bytes } else { Vec::new() };
            let told: Vec<u8> = captured.pieces.into_iter().flat_map(text).collect();
            let Ok(told) = String::from_utf8(told) else { return doubt("it holds what is no text") };
            match shell_state::script(&told, &self.environment, self.may_define) {
                Ok(script) => script.into_bytes(),
                Err(why) => return Ok(Saved::InDoubt(why)),
            }
        } else {
            let state = fs::read(&path).map_err(system("a state can't be read"))?;
            let _ = fs::remove_file(&path);
            state
        };
        if state.len() as u64 > most {
            return doubt(TOO_LARGE);
        }
        let own = self.folder.all();
        match own.iter().any(|folder| contains(&state, folder.as_os_str().as_encoded_bytes())) {
            true => doubt("it holds a path of its own temporary folder"),
            false => Ok(Saved::State(state)),
        }
    }

    /// Brings an interpreter that has run nothing into a state that another one saved. False where that can't be done: the
    /// interpreter is then of no more use.
    ///
    /// # Errors
    /// [`RunError`] when the interpreter was ended.
    pub fn take_up(&mut self, state: &[u8], interrupt: &Interrupt) -> Result<bool, RunError> {
        let mut code = String::new();
        if self.language.driver.is_shells() {
            code = String::from_utf8_lossy(state).into_owned();
        } else {
            fs::write(self.folder.path(STATE), state).map_err(system("a state can't be written"))?;
        }
        let captured = self.ask_unseen(Ask::Load, code, 1 << 20, interrupt)?;
        let _ = fs::remove_file(self.folder.path(STATE));
        Ok(is_done(&captured))
    }

    /// Asks something of which no file that it touches is a block's.
    fn ask_unseen(&mut self, task: Ask, code: String, most: u64, interrupt: &Interrupt) -> Result<Captured, RunError> {
        let patience = Duration::from_secs(if matches!(task, Ask::Save | Ask::Load) { 60 } else { 20 });
        let captured = self.ask(Question { task, code, patience, most: most.max(1 << 20) }, interrupt);
        let _ = self.observed();
        captured
    }

    fn ask(&mut self, question: Question, interrupt: &Interrupt) -> Result<Captured, RunError> {
        let Question { task, code, patience, most } = question;
        let mark = random_word().map_err(system("no random numbers can be had"))?;
        let block = BlockRun { code, output_limit: most, ..BlockRun::default() };
        let (told, own) = self.send(&block, &mark, task).map_err(system("the interpreter takes no more code"))?;
        let limits = Limits {
            deadline: Instant::now() + patience,
            // A shell prints its state; how large it may be is looked at afterwards.
            bytes: most.max(1 << 28),
            interrupt,
            unmarked_is_a_fault: matches!(self.language.driver, Driver::Own(_)),
            heard: None,
        };
        let exit = || self.folder.take_exit();
        let captured = self.capture.block(&mark, told, own, &exit, &limits);
        let captured = captured.map_err(system("the interpreter's output can't be read"))?;
        match captured.stop {
            Stop::Done(_) => Ok(captured),
            Stop::Ended(why) => {
                self.end();
                Err(RunError::Ended { why, so_far: Vec::new() })
            }
            Stop::Gone => {
                self.end();
                let source = io::ErrorKind::BrokenPipe.into();
                Err(RunError::System { what: "the interpreter ended when it was asked of its state".into(), source })
            }
        }
    }
}

/// Whether something is so, or becomes so in a moment: what says that a block is done may still be closing its files.
fn soon(is_so: impl Fn() -> bool) -> bool {
    (0..10).any(|time| {
        if time > 0 {
            std::thread::sleep(Duration::from_millis(1 << (time / 2)));
        }
        is_so()
    })
}

/// Why a state is not kept that is dearer than what made it.
const TOO_LARGE: &str = "it is larger than running again is dear";

/// Whether a driver did what it was asked to.
fn is_done(captured: &Captured) -> bool {
    matches!(captured.stop, Stop::Done(0))
}

/// Whether some bytes stand among others.
fn contains(bytes: &[u8], wanted: &[u8]) -> bool {
    memchr::memmem::find(bytes, wanted).is_some()
}
