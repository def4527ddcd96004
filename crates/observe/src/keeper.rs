//! The keeper: a process between us and an interpreter that lets nothing run on.
//!
//! It stands between `fork` and `exec`: the child that [`Command`](std::process::Command) forks becomes the keeper,
//! and the interpreter is a child of that. Whatever the interpreter starts, also what leaves its process group or
//! its session, becomes the keeper's own child when its parent ends (Linux calls it a subreaper). The keeper holds
//! the reading end of a pipe, the lifeline, whose writing end is ours alone: when we let go of it, or are killed,
//! it kills all its children and ends. When the interpreter ends by itself, it does the same and hands on its exit
//! code, 128 and the signal's number when a signal ended it.

use std::io;
use std::ptr;

/// Makes this process, just forked, the keeper of a new child. Returns in the child alone.
///
/// # Errors
/// When the system refuses a step; nothing is running then.
///
/// # Safety
/// Must be called between `fork` and `exec`, with `lifeline` the reading end of a pipe. It calls only
/// async-signal-safe functions and allocates nothing.
pub(crate) unsafe fn keep(lifeline: i32) -> io::Result<()> {
    let zero: libc::c_ulong = 0;
    let one: libc::c_ulong = 1;
    // SAFETY: prctl takes integers here, fork and getpid take nothing; all are async-signal-safe.
    unsafe {
        if libc::prctl(libc::PR_SET_CHILD_SUBREAPER, one, zero, zero, zero) < 0 {
            return Err(io::Error::last_os_error());
        }
        let keeper = libc::getpid();
        match libc::fork() {
            -1 => Err(io::Error::last_os_error()),
            0 => {
                libc::setpgid(0, 0);
                if libc::prctl(libc::PR_SET_PDEATHSIG, libc::SIGKILL as libc::c_ulong, zero, zero, zero) < 0 {
                    return Err(io::Error::last_os_error());
                }
                // The keeper may have ended before the wish was made.
                if libc::getppid() != keeper {
                    return Err(io::Error::from_raw_os_error(libc::ESRCH));
                }
                Ok(())
            }
            child => watch(child, lifeline),
        }
    }
}

/// The keeper's life.
///
/// # Safety
/// As for [`keep`]; `child` is a child of this process.
unsafe fn watch(child: libc::pid_t, lifeline: i32) -> ! {
    // SAFETY: every function called is async-signal-safe; the structures handed over live on this stack and are
    // valid when zeroed; descriptors are closed that only this process holds.
    unsafe {
        libc::prctl(libc::PR_SET_NAME, c"vineloom keeper".as_ptr());
        // What the block may read to its end must not be held open here.
        close_all_but(lifeline);
        let mut signals: libc::sigset_t = std::mem::zeroed();
        libc::sigfillset(&mut signals);
        libc::sigprocmask(libc::SIG_BLOCK, &signals, ptr::null_mut());
        libc::sigemptyset(&mut signals);
        libc::sigaddset(&mut signals, libc::SIGCHLD);
        let ends = libc::signalfd(-1, &signals, libc::SFD_NONBLOCK | libc::SFD_CLOEXEC);
        loop {
            let mut status = 0;
            loop {
                match libc::waitpid(-1, &mut status, libc::WNOHANG) {
                    ended if ended == child => {
                        end_all(child);
                        libc::_exit(exit_code(status));
                    }
                    ended if ended > 0 => {}
                    _ => break,
                }
            }
            let mut waits = [
                libc::pollfd { fd: lifeline, events: libc::POLLIN, revents: 0 },
                libc::pollfd { fd: ends, events: libc::POLLIN, revents: 0 },
            ];
            // Without a signal descriptor children are looked for ten times a second.
            libc::poll(waits.as_mut_ptr(), 2, if ends < 0 { 100 } else { -1 });
            if waits[0].revents != 0 {
                end_all(child);
                libc::_exit(128 + libc::SIGKILL);
            }
            let mut told = [0_u8; 1024];
            libc::read(ends, told.as_mut_ptr().cast(), told.len());
        }
    }
}

fn exit_code(status: i32) -> i32 {
    if libc::WIFEXITED(status) { libc::WEXITSTATUS(status) } else { 128 + libc::WTERMSIG(status) }
}

/// Kills every child until there is none; those of a child that is killed become children here, and are next.
///
/// # Safety
/// As for [`keep`].
unsafe fn end_all(child: libc::pid_t) {
    // SAFETY: kill, waitpid, open, read, close and nanosleep are async-signal-safe; buffers live on this stack.
    unsafe {
        libc::kill(-child, libc::SIGKILL);
        loop {
            kill_children();
            let mut status = 0;
            match libc::waitpid(-1, &mut status, libc::WNOHANG) {
                -1 => return,
                0 => {
                    let moment = libc::timespec { tv_sec: 0, tv_nsec: 200_000 };
                    libc::nanosleep(&moment, ptr::null_mut());
                }
                _ => {}
            }
        }
    }
}

/// Kills the children that the kernel lists for this process, a number and a space each.
///
/// # Safety
/// As for [`keep`].
unsafe fn kill_children() {
    // SAFETY: see `end_all`.
    unsafe {
        let list = libc::open(c"/proc/thread-self/children".as_ptr(), libc::O_RDONLY | libc::O_CLOEXEC);
        if list < 0 {
            return;
        }
        let mut number: libc::pid_t = 0;
        let mut bytes = [0_u8; 4096];
        loop {
            let count = libc::read(list, bytes.as_mut_ptr().cast(), bytes.len());
            if count <= 0 {
                break;
            }
            for &byte in &bytes[..count as usize] {
                if byte.is_ascii_digit() {
                    number = number.wrapping_mul(10).wrapping_add(libc::pid_t::from(byte - b'0'));
                } else {
                    if number > 1 {
                        libc::kill(number, libc::SIGKILL);
                    }
                    number = 0;
                }
            }
        }
        libc::close(list);
    }
}

/// Closes every descriptor but one.
///
/// # Safety
/// As for [`keep`].
unsafe fn close_all_but(kept: i32) {
    // SAFETY: close_range and close take integers; nothing in this process uses the descriptors any more.
    unsafe {
        let below = kept == 0 || libc::syscall(libc::SYS_close_range, 0, kept - 1, 0) == 0;
        let above = libc::syscall(libc::SYS_close_range, kept + 1, libc::c_uint::MAX, 0) == 0;
        if !(below && above) {
            (0..4096).filter(|&descriptor| descriptor != kept).for_each(|descriptor| {
                libc::close(descriptor);
            });
        }
    }
}
