//! The press: where documents are set again and again while they are written.
//!
//! The typesetter's memory is one for the whole program. It is emptied after each document, unless somebody looks at
//! proofs: then what was set for the last few of them is kept, so that a changed word costs little more than its paragraph.
//! Setting can't be stopped halfway. A proof that is outdated is left to end by itself, with nobody waiting; only one
//! is set at a time. What nobody waits for any more, since its pages are seen already, yields to all else on the machine: to
//! the browser that shows them first of all.

use crate::sources::Sources;
use rayon::{ThreadPool, ThreadPoolBuilder};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::sync::{Arc, LazyLock, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use typst_layout::PagedDocument;
use vineloom_export::Proof;

/// What was not needed for so many settings is forgotten. A changed word in three hundred pages leaves 150 MB behind.
const REMEMBERED: usize = 2;
/// How often it is looked whether a proof is outdated.
const LOOK_ROUND: Duration = Duration::from_millis(5);
/// So long what nobody waits for is put off at most after pages were shown, while the browser fetches and draws them.
const PUT_OFF: Duration = Duration::from_millis(250);
/// Deeply nested documents are walked by recursion; the memory is only touched when it is needed.
const STACK: usize = 1 << 30;

/// Whether somebody looks at proofs in this program.
static PROOFS: AtomicBool = AtomicBool::new(false);
/// How many documents are being set.
static BEING_SET: AtomicUsize = AtomicUsize::new(0);
/// Is held while a proof is set.
static PRESS: Mutex<()> = Mutex::new(());
/// The exports that were set last, by their paths.
static SET: Mutex<Option<HashMap<PathBuf, Set>>> = Mutex::new(None);

/// A document as it was set last.
#[derive(Default)]
struct Set {
    sources: Option<Sources>,
    document: Option<PagedDocument>,
}

/// Threads for what nobody waits for.
static UNHURRIED: LazyLock<Option<ThreadPool>> = LazyLock::new(|| {
    let threads = ThreadPoolBuilder::new().thread_name(|_| "press".into()).stack_size(STACK);
    threads.start_handler(|_| yield_to_others()).build().ok()
});

/// Whether somebody waits for a proof.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Haste {
    Awaited,
    Unhurried,
}

/// Lets all else on the machine go before this thread, where threads have priorities of their own.
fn yield_to_others() {
    #[cfg(target_os = "linux")]
    let _ = rustix::process::setpriority_process(None, 10);
}

/// An export was given up, since its document has changed.
#[derive(Debug, Clone, Copy)]
pub(crate) struct GivenUp;

/// Forgets what was set, where nobody looks at proofs.
pub(crate) fn forget() {
    if !PROOFS.load(Ordering::Relaxed) {
        typst::comemo::evict(0);
    }
}

/// A document that is being set, again and again until it comes to rest.
pub(crate) struct BeingSet(());

impl BeingSet {
    pub fn begun() -> Self {
        BEING_SET.fetch_add(1, Ordering::Relaxed);
        BeingSet(())
    }

    /// Forgets what only an earlier setting needed than the last. Where others are set beside it, or somebody looks at
    /// proofs, that could be what they need.
    pub fn forget_before_last(&self) {
        if BEING_SET.load(Ordering::Relaxed) == 1 && !PROOFS.load(Ordering::Relaxed) {
            typst::comemo::evict(1);
        }
    }
}

impl Drop for BeingSet {
    fn drop(&mut self) {
        BEING_SET.fetch_sub(1, Ordering::Relaxed);
    }
}

/// Forgets what was set: all of it, or what has not been needed for some time where somebody looks at proofs.
pub(crate) fn forget_after(proof: Option<Proof>) {
    typst::comemo::evict(if proof.is_some() { REMEMBERED } else { 0 });
}

/// What a document looks by and its text in sources, which share what they can with those that were set before.
pub(crate) fn sources(export: &Path, look: String, text: String, cuts: &[usize]) -> Sources {
    let earlier = of_export(export, |set| set.sources.take());
    let sources = Sources::of_chapters(look, text, cuts, earlier);
    of_export(export, |set| set.sources = Some(sources.clone()));
    sources
}

/// A document as it was set last for a proof.
pub(crate) fn remembered(export: &Path) -> Option<PagedDocument> {
    of_export(export, |set| set.document.clone())
}

/// Takes note of a document as it has been set for a proof.
pub(crate) fn remember(export: &Path, set_now: &PagedDocument) {
    of_export(export, |set| set.document = Some(set_now.clone()));
}

fn of_export<T>(export: &Path, work: impl FnOnce(&mut Set) -> T) -> T {
    work(locked(&SET).get_or_insert_default().entry(export.to_path_buf()).or_default())
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Leaves the machine for a moment to the browser that shows pages which took so long to set.
///
/// # Errors
/// [`GivenUp`] when the proof is outdated by then.
pub(crate) fn put_off(proof: Proof, took: Duration) -> Result<(), GivenUp> {
    let end = Instant::now() + PUT_OFF.min(2 * took);
    while Instant::now() < end {
        if (proof.is_outdated)() {
            return Err(GivenUp);
        }
        std::thread::sleep(LOOK_ROUND);
    }
    Ok(())
}

/// Does work for a proof on a thread of its own, and gives it up when the proof is outdated. Without a proof it is done here.
///
/// # Errors
/// [`GivenUp`].
pub(crate) fn done<T: Send + 'static>(
    proof: Option<Proof>,
    haste: Haste,
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, GivenUp> {
    let Some(proof) = proof else { return Ok(work()) };
    PROOFS.store(true, Ordering::Relaxed);
    let outdated = Arc::new(AtomicBool::new(false));
    let is_outdated = Arc::clone(&outdated);
    let (sender, done) = channel();
    let thread = std::thread::Builder::new().name("press".into()).stack_size(STACK);
    let started = thread.spawn(move || {
        let _held = locked(&PRESS);
        if !is_outdated.load(Ordering::Relaxed) {
            // Nobody may be waiting any more.
            let _ = sender.send(match UNHURRIED.as_ref().filter(|_| haste == Haste::Unhurried) {
                Some(threads) => threads.install(work),
                None => work(),
            });
        }
    });
    if started.is_err() {
        return Err(GivenUp);
    }
    loop {
        match done.recv_timeout(LOOK_ROUND) {
            Ok(done) => return Ok(done),
            Err(RecvTimeoutError::Timeout) if !(proof.is_outdated)() => {}
            Err(_) => {
                outdated.store(true, Ordering::Relaxed);
                return Err(GivenUp);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_nobody_waits_for_is_put_off_for_a_moment_or_given_up() {
        let put_off = |took: u64, is_outdated: &(dyn Fn() -> bool + Sync)| {
            let begun = Instant::now();
            let proof = Proof { export: Path::new("a.pdf"), pages: &|_| {}, is_outdated };
            (super::put_off(proof, Duration::from_millis(took)).is_ok(), begun.elapsed())
        };
        let (goes_on, time) = put_off(20, &|| false);
        assert!(goes_on && time >= Duration::from_millis(40), "{time:?}");
        // Outdated after a while.
        let begun = Instant::now();
        let (goes_on, time) = put_off(10_000, &|| begun.elapsed() > Duration::from_millis(30));
        assert!(!goes_on && time < PUT_OFF, "{time:?}");
        assert!(put_off(10_000, &|| false).1 < 4 * PUT_OFF);
    }
}
