//! Threads in which blocks of several strands run at once.

use std::fmt;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread;
use vineloom_interpreters::{Interrupt, Outcome, RunError};

/// Strands that run a block each. `S` is a strand.
pub(crate) struct Beside<S> {
    /// How many may run at once.
    pub at_once: usize,
    running: usize,
    /// What ends those that run now, and nothing else.
    ending: Option<Interrupt>,
    sender: Sender<thread::Result<Done<S>>>,
    receiver: Receiver<thread::Result<Done<S>>>,
}

/// The number of a lane, its strand, and what came of its block.
type Done<S> = (usize, S, Result<Outcome, RunError>);

impl<S> Default for Beside<S> {
    fn default() -> Self {
        let (sender, receiver) = channel();
        Beside { at_once: 1, running: 0, ending: None, sender, receiver }
    }
}

impl<S> fmt::Debug for Beside<S> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Beside").field("at_once", &self.at_once).field("running", &self.running).finish()
    }
}

impl<S: Send + 'static> Beside<S> {
    /// Begins to run a block in a thread of its own. `run` gives back its strand and what came of it; it ends early when the
    /// user interrupts it or it is given up.
    pub fn begin(
        &mut self,
        lane: usize,
        interrupt: &Interrupt,
        run: impl FnOnce(&Interrupt) -> (S, Result<Outcome, RunError>) + Send + 'static,
    ) -> Result<(), RunError> {
        let ending = self.ending.get_or_insert_with(|| interrupt.narrower()).clone();
        let sender = self.sender.clone();
        let work = move || {
            let done = catch_unwind(AssertUnwindSafe(|| {
                let (strand, result) = run(&ending);
                (lane, strand, result)
            }));
            // Where nobody waits for it any more, the strand ends here.
            let _ = sender.send(done);
        };
        let started = thread::Builder::new().spawn(work);
        started.map_err(|source| RunError::System { what: "no thread can be started".into(), source })?;
        self.running += 1;
        Ok(())
    }

    /// Waits for the first block to end. A fault of the program in its thread is one of the program here.
    pub fn next_done(&mut self) -> Option<Done<S>> {
        if self.running == 0 {
            return None;
        }
        let done = self.receiver.recv().ok()?;
        self.running -= 1;
        if self.running == 0 {
            self.ending = None;
        }
        Some(done.unwrap_or_else(|fault| resume_unwind(fault)))
    }

    /// Ends all blocks that run.
    pub fn give_up(&mut self) {
        self.ending.iter().for_each(Interrupt::raise);
    }
}
