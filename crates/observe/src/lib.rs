//! What happens between `fork` and `exec`: the only crate with `unsafe`.
//!
//! A program is started with two channels as file descriptors 3 and 4, under a keeper that ends it and everything
//! it started when we let go of it or are killed ourselves.

#![deny(unsafe_op_in_unsafe_fn)]

#[cfg(target_os = "linux")]
mod keeper;

use std::io;
use std::os::fd::{AsRawFd, FromRawFd, OwnedFd};
use std::os::unix::process::{CommandExt, ExitStatusExt};
use std::process::{Child, Command};

/// The descriptor on which a driver reads requests.
pub const REQUESTS: i32 = 3;
/// The descriptor on which a driver writes events.
pub const EVENTS: i32 = 4;

/// A running program. Dropping it ends it and everything it started.
#[derive(Debug)]
pub struct Running {
    /// The program; on Linux, its keeper.
    child: Child,
    /// Held open as long as it may run.
    lifeline: Option<io::PipeWriter>,
}

impl Running {
    /// A number that no other running program has.
    pub fn id(&self) -> u32 {
        self.child.id()
    }

    /// Waits until it has ended by itself; its exit code, 128 and the signal's number when a signal ended it.
    pub fn wait(&mut self) -> i32 {
        match self.child.wait() {
            Ok(status) => status.code().unwrap_or_else(|| 128 + status.signal().unwrap_or(0)),
            Err(_) => 128,
        }
    }

    /// Ends it and everything it started, and waits until that is done.
    pub fn end(&mut self) {
        self.lifeline = None;
        #[cfg(not(target_os = "linux"))]
        {
            // SAFETY: killpg takes two integers; the group is that of our own child, which has not been waited for.
            unsafe { libc::killpg(self.child.id() as i32, libc::SIGKILL) };
            let _ = self.child.kill();
        }
        let _ = self.child.wait();
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.end();
    }
}

/// Starts a command with `requests` as its descriptor 3 and `events` as its descriptor 4.
///
/// # Errors
/// Those of starting a process; [`io::ErrorKind::NotFound`] when there is no such program.
pub fn spawn_with_channels(command: &mut Command, requests: OwnedFd, events: OwnedFd) -> io::Result<Running> {
    // Above the two targets, so that placing one can't overwrite the other.
    let requests = duplicate_above(&requests, 10)?;
    let events = duplicate_above(&events, 10)?;
    let (lifeline_end, lifeline) = io::pipe()?;
    let lifeline_end = duplicate_above(&lifeline_end.into(), 10)?;
    let from = (requests.as_raw_fd(), events.as_raw_fd(), lifeline_end.as_raw_fd());
    command.process_group(0);
    // SAFETY: the closure runs in the child between fork and exec. It calls only async-signal-safe functions,
    // allocates nothing, and touches no memory but three integers that it owns. The descriptors stay open in the
    // parent until they are dropped below, after the fork.
    unsafe {
        command.pre_exec(move || {
            #[cfg(target_os = "linux")]
            keeper::keep(from.2)?;
            if libc::dup2(from.0, REQUESTS) < 0 || libc::dup2(from.1, EVENTS) < 0 {
                return Err(io::Error::last_os_error());
            }
            Ok(())
        });
    }
    let child = command.spawn();
    drop((requests, events, lifeline_end));
    Ok(Running { child: child?, lifeline: Some(lifeline) })
}

/// A duplicate at or above `lowest`, closed on exec.
fn duplicate_above(descriptor: &OwnedFd, lowest: i32) -> io::Result<OwnedFd> {
    // SAFETY: F_DUPFD_CLOEXEC takes an integer and returns a new descriptor, which nothing else owns.
    unsafe {
        let new = libc::fcntl(descriptor.as_raw_fd(), libc::F_DUPFD_CLOEXEC, lowest);
        if new < 0 { Err(io::Error::last_os_error()) } else { Ok(OwnedFd::from_raw_fd(new)) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{Read, Write};

    fn start(script: &str) -> (Running, io::PipeWriter, io::PipeReader) {
        let (request_end, requests) = io::pipe().unwrap();
        let (events, event_end) = io::pipe().unwrap();
        let mut command = Command::new("sh");
        command.args(["-c", script]);
        let running = spawn_with_channels(&mut command, request_end.into(), event_end.into()).unwrap();
        (running, requests, events)
    }

    #[test]
    fn a_child_talks_on_its_channels() {
        let (mut running, mut requests, mut events) = start("read -r line <&3; echo \"got $line\" >&4; exit 3");
        requests.write_all(b"hello\n").unwrap();
        let mut answer = String::new();
        events.read_to_string(&mut answer).unwrap();
        assert_eq!(answer, "got hello\n");
        assert_eq!(running.wait(), 3);
    }

    #[test]
    fn a_program_that_is_not_there_is_an_error() {
        let (end, _requests) = io::pipe().unwrap();
        let (_events, event_end) = io::pipe().unwrap();
        let mut command = Command::new("/nowhere/at/all");
        let error = spawn_with_channels(&mut command, end.into(), event_end.into()).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::NotFound);
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn nothing_it_started_runs_on_in_whatever_session() {
        let alive = |pid: &str| std::path::Path::new("/proc").join(pid).exists();
        let script = "setsid sleep 300 >&4 & echo $! >&4; (sleep 301 & echo $! >&4) ; echo $$ >&4; read -r x <&3";
        let (mut running, _requests, mut events) = start(script);
        let mut pids = String::new();
        while pids.lines().count() < 3 {
            let mut some = [0; 64];
            let count = events.read(&mut some).unwrap();
            pids.push_str(std::str::from_utf8(&some[..count]).unwrap());
        }
        assert!(pids.lines().all(alive), "{pids}");
        running.end();
        assert!(!pids.lines().any(alive), "{pids}");
    }
}
