//! What happens between `fork` and `exec`: the only crate with `unsafe`.
//!
//! A child is started as the leader of a process group of its own, with two channels as file descriptors 3 and
//! 4, and tied to the thread that started it: when that ends, however it ends, the kernel kills the child.

#![deny(unsafe_op_in_unsafe_fn)]

use std::io;
use std::os::fd::{AsRawFd, FromRawFd, OwnedFd};
use std::os::unix::process::CommandExt;
use std::process::{Child, Command};

/// The descriptor on which a driver reads requests.
pub const REQUESTS: i32 = 3;
/// The descriptor on which a driver writes events.
pub const EVENTS: i32 = 4;

/// Starts a command with `requests` as its descriptor 3 and `events` as its descriptor 4.
///
/// # Errors
/// Those of starting a process; [`io::ErrorKind::NotFound`] when there is no such program.
pub fn spawn_with_channels(command: &mut Command, requests: OwnedFd, events: OwnedFd) -> io::Result<Child> {
    // Above the two targets, so that placing one can't overwrite the other.
    let requests = duplicate_above(&requests, 10)?;
    let events = duplicate_above(&events, 10)?;
    let (from_requests, from_events) = (requests.as_raw_fd(), events.as_raw_fd());
    command.process_group(0);
    // SAFETY: the closure runs in the child between fork and exec. It calls only async-signal-safe functions
    // (dup2, prctl, getppid), allocates nothing, and touches no memory but two integers that it owns. The
    // descriptors stay open in the parent until `requests` and `events` are dropped below, after the fork.
    let parent = std::process::id();
    unsafe {
        command.pre_exec(move || {
            if libc::dup2(from_requests, REQUESTS) < 0 || libc::dup2(from_events, EVENTS) < 0 {
                return Err(io::Error::last_os_error());
            }
            end_with_parent(parent)
        });
    }
    let child = command.spawn();
    drop((requests, events));
    child
}

/// Asks the kernel to kill this process when its parent thread ends.
#[cfg(target_os = "linux")]
fn end_with_parent(parent: u32) -> io::Result<()> {
    // SAFETY: prctl with PR_SET_PDEATHSIG takes a signal number and touches no memory; getppid can't fail.
    unsafe {
        if libc::prctl(libc::PR_SET_PDEATHSIG, libc::SIGKILL) < 0 {
            return Err(io::Error::last_os_error());
        }
        // The parent may have ended before the request was made.
        if libc::getppid() as u32 != parent {
            return Err(io::Error::from_raw_os_error(libc::ESRCH));
        }
    }
    Ok(())
}

#[cfg(not(target_os = "linux"))]
fn end_with_parent(_parent: u32) -> io::Result<()> {
    Ok(())
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

    #[test]
    fn a_child_talks_on_its_channels() {
        let (request_end, mut requests) = io::pipe().unwrap();
        let (mut events, event_end) = io::pipe().unwrap();
        let mut command = Command::new("sh");
        command.args(["-c", "read -r line <&3; echo \"got $line\" >&4"]);
        let mut child = spawn_with_channels(&mut command, request_end.into(), event_end.into()).unwrap();
        requests.write_all(b"hello\n").unwrap();
        drop(command);
        let mut answer = String::new();
        events.read_to_string(&mut answer).unwrap();
        assert_eq!(answer, "got hello\n");
        assert!(child.wait().unwrap().success());
    }
}
