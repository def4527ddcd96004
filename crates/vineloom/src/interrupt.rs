//! Ctrl-C: what runs is ended, and so is the typesetter, which can't be asked to.

use crate::{Exit, messages};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard};
use std::time::Duration;
use vineloom_interpreters::Interrupt;

/// Ctrl-C and a polite request to end set a flag; a second Ctrl-C ends the program at once.
pub fn interrupt() -> Interrupt {
    let interrupt = Interrupt::default();
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        // Without handlers the signal ends the program, and the kernel the interpreters: nothing is lost.
        let _ = signal_hook::flag::register_conditional_shutdown(signal, Exit::Interrupted as i32, interrupt.flag());
        let _ = signal_hook::flag::register(signal, interrupt.flag());
    }
    interrupt
}

/// How many documents run blocks, or put exports in their places, at this instant. The typesetter can't be
/// interrupted; when that is all that is left after an interrupt, the program ends without it.
#[derive(Debug, Default)]
pub struct Busy(Arc<Mutex<usize>>);

impl Busy {
    /// Held while a document runs, and while its exports take their places.
    pub fn one(&self) -> Working {
        *count(&self.0) += 1;
        Working(Arc::clone(&self.0))
    }

    /// Ends the program soon after an interrupt, when no interpreter runs any more; not once what comes back is
    /// dropped.
    pub fn end_typesetting(&self, interrupt: &Interrupt) -> Watching {
        const SOON: Duration = Duration::from_millis(300);
        let over = Arc::new(AtomicBool::new(false));
        let (running, flag, ended) = (Arc::clone(&self.0), interrupt.clone(), Arc::clone(&over));
        // Without a thread for it, the end has to wait for the typesetter.
        let _ = std::thread::Builder::new().name("interrupt".into()).spawn(move || {
            while !ended.load(Ordering::SeqCst) {
                std::thread::sleep(SOON / 6);
                if flag.raised() {
                    std::thread::sleep(SOON);
                    // Held until the program has ended: nothing starts meanwhile.
                    let running = count(&running);
                    if *running == 0 && !ended.load(Ordering::SeqCst) {
                        messages::error("interrupted while exports were made; those are as they were", None);
                        std::process::exit(Exit::Interrupted as i32);
                    }
                }
            }
        });
        Watching(over)
    }
}

/// A document that is not to be left alone.
pub struct Working(Arc<Mutex<usize>>);

impl Drop for Working {
    fn drop(&mut self) {
        *count(&self.0) -= 1;
    }
}

fn count(running: &Mutex<usize>) -> MutexGuard<'_, usize> {
    // A panic elsewhere leaves no number half written.
    running.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// Whether an interrupt is waited for.
pub struct Watching(Arc<AtomicBool>);

impl Drop for Watching {
    fn drop(&mut self) {
        self.0.store(true, Ordering::SeqCst);
    }
}
