//! What happens between `fork` and `exec`: the only crate with `unsafe`.
//!
//! A program is started with two channels as file descriptors 3 and 4, under a keeper that ends it and everything
//! it started when we let go of it or are killed ourselves. On Linux a [`Watch`] is told of every file that it, or
//! anything it starts, opens, asks about, lists, runs or writes.

#![deny(unsafe_op_in_unsafe_fn)]

#[cfg(target_os = "linux")]
mod filter;
#[cfg(target_os = "linux")]
mod keeper;
#[cfg(target_os = "linux")]
mod listener;
mod watch;

pub use watch::{Access, Before, Observed, Products, Seen, Watch, now};

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

/// Starts a command with `requests` as its descriptor 3 and `events` as its descriptor 4, and tells `watch` of the
/// files it touches, where that is to be had.
///
/// # Errors
/// Those of starting a process; [`io::ErrorKind::NotFound`] when there is no such program.
pub fn spawn_with_channels(
    command: &mut Command,
    requests: OwnedFd,
    events: OwnedFd,
    watch: Option<&Watch>,
) -> io::Result<Running> {
    // Above the two targets, so that placing one can't overwrite the other.
    let requests = duplicate_above(&requests, 10)?;
    let events = duplicate_above(&events, 10)?;
    let (lifeline_end, lifeline) = io::pipe()?;
    let lifeline_end = duplicate_above(&lifeline_end.into(), 10)?;
    let from = (requests.as_raw_fd(), events.as_raw_fd(), lifeline_end.as_raw_fd());
    command.process_group(0);
    #[cfg(target_os = "linux")]
    let (socket, filter) = listen_for(watch)?;
    #[cfg(target_os = "linux")]
    let socket_end = socket.as_ref().map(AsRawFd::as_raw_fd);
    #[cfg(not(target_os = "linux"))]
    let _ = watch;
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
            #[cfg(target_os = "linux")]
            if let Some(socket) = socket_end {
                filter::set(&filter, socket);
            }
            Ok(())
        });
    }
    let child = command.spawn();
    drop((requests, events, lifeline_end));
    #[cfg(target_os = "linux")]
    drop(socket);
    Ok(Running { child: child?, lifeline: Some(lifeline) })
}

/// Makes ready for the child's listener: the socket that the child sends it through, and the filter's program. The
/// program that is started stops at its first call until somebody listens, so that is done in a thread of its own.
#[cfg(target_os = "linux")]
fn listen_for(watch: Option<&Watch>) -> io::Result<(Option<OwnedFd>, Vec<libc::sock_filter>)> {
    let Some(watch) = watch.cloned() else { return Ok((None, Vec::new())) };
    let (ours, theirs) = filter::sockets()?;
    let theirs_above = duplicate_above(&theirs, 10)?;
    std::thread::Builder::new().name("observing".into()).spawn(move || {
        if let Some(listener) = filter::receive_descriptor(&ours) {
            drop(ours);
            listener::listen(&listener, &watch);
        }
    })?;
    Ok((Some(theirs_above), filter::program()))
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
        let running = spawn_with_channels(&mut command, request_end.into(), event_end.into(), None).unwrap();
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
        let error = spawn_with_channels(&mut command, end.into(), event_end.into(), None).unwrap_err();
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

    /// Runs a script under watch in a folder with a file `data`, and returns what was observed of that folder.
    #[cfg(target_os = "linux")]
    fn observed(script: &str) -> (tempfile::TempDir, Observed) {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("data"), "one").unwrap();
        let (request_end, _requests) = io::pipe().unwrap();
        let (_events, event_end) = io::pipe().unwrap();
        let mut command = Command::new("sh");
        command.args(["-c", script]).current_dir(folder.path());
        let apart = ["/usr", "/lib", "/lib64", "/etc", "/proc", "/sys", "/dev", "/root"].map(std::path::PathBuf::from);
        let watch = Watch::new(apart.into(), |_| Vec::new());
        let mut running =
            spawn_with_channels(&mut command, request_end.into(), event_end.into(), Some(&watch)).unwrap();
        assert_eq!(running.wait(), 0, "{script}");
        let seen = watch.take().expect("this kernel has seccomp user notification");
        (folder, seen)
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn every_way_to_read_a_file_is_observed() {
        for script in [
            "read -r line < data; true",
            "cat data",
            "cd / && cat \"$OLDPWD/data\"",
            "(cat data &) ; wait; sleep 0.1",
            "exec cat ./data",
            "setsid cat data",
            "python3 -c \"import threading; t = threading.Thread(target=lambda: open('data').read()); t.start(); t.join()\"",
            "perl -e 'open(F, \"data\"); <F>'",
        ] {
            let (folder, seen) = observed(script);
            let data = std::fs::canonicalize(folder.path()).unwrap().join("data");
            assert!(matches!(seen.inputs.get(&data), Some(Seen::Content(_))), "{script}: {seen:?}");
            assert!(seen.outputs.is_empty(), "{script}: {seen:?}");
        }
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn programs_of_every_make_are_observed_also_under_a_filter_of_their_own() {
        let program = r#"
#include <fcntl.h>
#include <stddef.h>
#include <sys/prctl.h>
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <unistd.h>
int main(void) {
    struct sock_filter all[] = {{0x06, 0, 0, SECCOMP_RET_ALLOW}};
    struct sock_fprog program = {1, all};
    prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
    if (prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program, 0, 0)) return 1;
    char byte;
    return read(open("data", O_RDONLY), &byte, 1) == 1 ? 0 : 2;
}
"#;
        for flags in ["", "-static"] {
            let script = format!("cat > p.c <<'END'\n{program}END\ncc {flags} -o p p.c && ./p");
            let (folder, seen) = observed(&script);
            let folder = std::fs::canonicalize(folder.path()).unwrap();
            assert!(matches!(seen.inputs.get(&folder.join("data")), Some(Seen::Content(_))), "{flags}: {seen:?}");
            assert!(seen.outputs.iter().any(|(path, _)| *path == folder.join("p")), "{seen:?}");
        }
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn listings_missing_names_programs_and_what_is_made_are_observed() {
        let (folder, seen) = observed(
            "ls > /dev/null; cat none 2> /dev/null; mkdir new; cp data new/copy; echo more >> data; rm -f data",
        );
        let folder = std::fs::canonicalize(folder.path()).unwrap();
        assert!(matches!(seen.inputs.get(&folder), Some(Seen::Entries(_))), "{seen:?}");
        assert_eq!(seen.inputs.get(&folder.join("none")), Some(&Seen::Absent));
        assert!(
            seen.inputs.iter().any(|(path, seen)| path.ends_with("cat") && matches!(seen, Seen::Program(..))),
            "{seen:?}"
        );
        for name in ["new", "new/copy", "data"] {
            assert!(seen.outputs.iter().any(|(path, _)| *path == folder.join(name)), "{name}: {seen:?}");
        }
        let one = blake3::hash(b"one").to_hex().to_string();
        assert_eq!(seen.inputs.get(&folder.join("data")), Some(&Seen::Content(one)));
    }
}
