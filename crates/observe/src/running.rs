//! A program that runs, and its end: nothing that it started is left.
//!
//! Where this process may make namespaces (as root, or with the right to administer the system), each program runs
//! in a namespace of process numbers of its own, whose first process is the keeper. The kernel ends all of it with
//! the keeper, and nothing in it can see, stop or kill what is outside. Elsewhere the keeper alone ends what the
//! program started; a program that kills it leaves its children to us, and we end them. Namespaces of users, which
//! anybody may make on many systems, are not used: in them the owners of files are not shown as they are.

use std::io;
use std::os::fd::{AsFd, AsRawFd, BorrowedFd, OwnedFd};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// A running program. Dropping it ends it and everything it started.
#[derive(Debug)]
pub struct Running {
    /// Its keeper; where there are none, the program itself.
    process: libc::pid_t,
    /// Held open as long as it may run.
    lifeline: Option<OwnedFd>,
    /// Closed at the other end when the keeper ends.
    alive: OwnedFd,
    /// Whether it has a namespace of its own.
    apart: bool,
    /// How it ended, once it has been waited for.
    status: Option<i32>,
}

/// The processes that are ours: each child of this process that is not one of them is what a program left behind.
/// The kernel knows one list of children for a process, so there is one list of them here.
static OURS: Mutex<Vec<libc::pid_t>> = Mutex::new(Vec::new());
static WITHOUT_NAMESPACES: AtomicBool = AtomicBool::new(false);

pub(crate) fn namespaces_are_to_be_had() -> bool {
    cfg!(target_os = "linux") && !WITHOUT_NAMESPACES.load(Ordering::Relaxed)
}

pub(crate) fn do_without_namespaces() {
    WITHOUT_NAMESPACES.store(true, Ordering::Relaxed);
}

/// Held while a process is forked, so that it is not taken for one left behind before it is listed.
pub(crate) fn register() -> MutexGuard<'static, Vec<libc::pid_t>> {
    #[cfg(target_os = "linux")]
    // SAFETY: prctl takes integers here. What loses its keeper becomes a child of ours.
    unsafe {
        let (zero, one): (libc::c_ulong, libc::c_ulong) = (0, 1);
        libc::prctl(libc::PR_SET_CHILD_SUBREAPER, one, zero, zero, zero);
    }
    OURS.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Running {
    pub(crate) fn new(
        process: libc::pid_t,
        mut registered: MutexGuard<'static, Vec<libc::pid_t>>,
        lifeline: OwnedFd,
        alive: OwnedFd,
        apart: bool,
    ) -> Self {
        registered.push(process);
        Running { process, lifeline: Some(lifeline), alive, apart, status: None }
    }

    /// A descriptor that has something to tell (its end) when the program has ended.
    pub fn alive(&self) -> BorrowedFd<'_> {
        self.alive.as_fd()
    }

    /// Whether nothing runs that it started, and it has the limits on resources that it was started with: then what it is
    /// lies in its own memory and its open files. False where that can't be known.
    pub fn is_alone(&self) -> bool {
        let Some(program) = self.program() else { return false };
        let limits = |process: &str| std::fs::read(format!("/proc/{process}/limits")).ok();
        children_of(program).is_some_and(|children| children.is_empty())
            && limits(&program.to_string()).is_some_and(|limits_of| limits("self") == Some(limits_of))
    }

    /// Whether it has no open files but these. False where that can't be known.
    pub fn holds_only(&self, descriptors: &[i32]) -> bool {
        let Some(program) = self.program() else { return false };
        let Ok(open) = std::fs::read_dir(format!("/proc/{program}/fd")) else { return false };
        open.flatten().all(|entry| {
            let number = entry.file_name().to_str().and_then(|name| name.parse().ok());
            number.is_some_and(|number| descriptors.contains(&number))
        })
    }

    /// The program itself, if it is all that its keeper keeps.
    fn program(&self) -> Option<libc::pid_t> {
        if self.status.is_some() {
            return None;
        }
        match children_of(self.process)?[..] {
            [program] => Some(program),
            _ => None,
        }
    }

    /// Waits until it has ended by itself; its exit code, 128 and the signal's number when a signal ended it.
    pub fn wait(&mut self) -> i32 {
        if let Some(status) = self.status {
            return exit_code(status);
        }
        let mut status = 0;
        // SAFETY: waitpid writes one integer; the process is a child of ours that has not been waited for.
        while unsafe { libc::waitpid(self.process, &raw mut status, 0) } < 0 {
            if io::Error::last_os_error().kind() != io::ErrorKind::Interrupted {
                status = 128 << 8;
                break;
            }
        }
        self.status = Some(status);
        let mut ours = OURS.lock().unwrap_or_else(PoisonError::into_inner);
        ours.retain(|process| *process != self.process);
        if !self.apart && libc::WIFSIGNALED(status) {
            end_left_behind(&ours);
        }
        exit_code(status)
    }

    /// Ends it and everything it started, and waits until that is done.
    pub fn end(&mut self) {
        /// A keeper ends what it keeps in a few milliseconds, on a machine that is not busy.
        const PATIENCE: Duration = Duration::from_millis(500);
        self.lifeline = None;
        if self.status.is_some() {
            return;
        }
        // SAFETY: kill and killpg take integers; the process is a child of ours that has not been waited for.
        unsafe {
            if cfg!(not(target_os = "linux")) {
                libc::killpg(self.process, libc::SIGKILL);
            }
            if cfg!(not(target_os = "linux")) || self.apart {
                libc::kill(self.process, libc::SIGKILL);
            } else if !self.ends_within(PATIENCE) {
                // Somebody stopped it.
                libc::kill(self.process, libc::SIGCONT);
                if !self.ends_within(PATIENCE * 8) {
                    libc::kill(self.process, libc::SIGKILL);
                }
            }
        }
        self.wait();
    }

    /// Waits for its end, but no longer than so long; whether it has ended.
    pub fn ends_within(&self, time: Duration) -> bool {
        let mut waits = libc::pollfd { fd: self.alive.as_raw_fd(), events: libc::POLLIN, revents: 0 };
        // SAFETY: poll reads and writes one structure on this stack.
        unsafe { libc::poll(&raw mut waits, 1, time.as_millis() as libc::c_int) > 0 }
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.end();
    }
}

fn exit_code(status: i32) -> i32 {
    if libc::WIFEXITED(status) { libc::WEXITSTATUS(status) } else { 128 + libc::WTERMSIG(status) }
}

/// Ends every child of this process that is none of `ours`; those of a child that is ended become children here, and
/// are next.
fn end_left_behind(ours: &[libc::pid_t]) {
    loop {
        let mut found = false;
        for process in children().into_iter().filter(|process| !ours.contains(process)) {
            found = true;
            // SAFETY: kill and waitpid take integers, and a null for a status that nobody asks for.
            unsafe {
                libc::kill(process, libc::SIGKILL);
                libc::waitpid(process, std::ptr::null_mut(), 0);
            }
        }
        if !found {
            return;
        }
    }
}

/// The children of this process.
fn children() -> Vec<libc::pid_t> {
    children_of(std::process::id() as libc::pid_t).unwrap_or_default()
}

/// The children of a process, whichever of its threads started them; nothing where the kernel does not tell.
fn children_of(process: libc::pid_t) -> Option<Vec<libc::pid_t>> {
    let mut children = Vec::new();
    for thread in std::fs::read_dir(format!("/proc/{process}/task")).ok()?.flatten() {
        let list = std::fs::read_to_string(thread.path().join("children")).ok()?;
        children.extend(list.split_whitespace().filter_map(|number| number.parse::<libc::pid_t>().ok()));
    }
    Some(children)
}
