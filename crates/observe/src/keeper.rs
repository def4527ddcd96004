//! The keeper: a process between us and a program that lets nothing run on.
//!
//! The process that is forked first becomes the keeper, and the program is a child of that. Whatever the program
//! starts, also what leaves its process group or its session, becomes the keeper's own child when its parent ends
//! (Linux calls it a subreaper). The keeper holds the reading end of a pipe, the lifeline, whose writing end is ours
//! alone: when we let go of it, or are killed, it kills all its children and ends. When the program ends by itself,
//! it does the same and hands on its exit code, 128 and the signal's number when a signal ended it. In a namespace
//! of its own it is the first process, and the kernel does the killing when it ends.

use crate::child::{Child, Step, become_program, close_all_above, fork, tell};
use std::ptr;

/// Becomes the keeper of a new child, which becomes the program.
///
/// # Safety
/// Must be called in a forked process that does nothing else. It calls only async-signal-safe functions and
/// allocates nothing.
pub(crate) unsafe fn keep(child: &Child) -> ! {
    let zero: libc::c_ulong = 0;
    let one: libc::c_ulong = 1;
    // SAFETY: prctl and kill take integers here, getpid and getppid nothing; all are async-signal-safe.
    unsafe {
        if child.apart && !furnish() {
            tell(child.report, Step::Namespace);
            libc::_exit(127);
        }
        if libc::prctl(libc::PR_SET_CHILD_SUBREAPER, one, zero, zero, zero) < 0 {
            tell(child.report, Step::Start);
            libc::_exit(127);
        }
        let keeper = libc::getpid();
        match fork(0) {
            -1 => {
                tell(child.report, Step::Start);
                libc::_exit(127);
            }
            0 => {
                libc::prctl(libc::PR_SET_PDEATHSIG, libc::SIGKILL as libc::c_ulong, zero, zero, zero);
                // The keeper may have ended before the wish was made.
                if libc::getppid() != keeper {
                    libc::_exit(127);
                }
                become_program(child)
            }
            program => watch(program, child),
        }
    }
}

/// Gives a namespace of processes a `/proc` that shows it. What is mounted outside later is seen inside, and nothing
/// that is mounted inside is seen outside.
///
/// # Safety
/// As for [`keep`].
unsafe fn furnish() -> bool {
    // SAFETY: mount takes texts that live for ever, and nulls where it has nothing to be told.
    unsafe {
        let (none, any) = (ptr::null(), ptr::null());
        libc::mount(none, c"/".as_ptr(), none, libc::MS_REC | libc::MS_SLAVE, any) == 0
            && libc::mount(
                c"proc".as_ptr(),
                c"/proc".as_ptr(),
                c"proc".as_ptr(),
                libc::MS_NOSUID | libc::MS_NODEV | libc::MS_NOEXEC,
                any,
            ) == 0
    }
}

/// The keeper's life.
///
/// # Safety
/// As for [`keep`]; `program` is a child of this process.
unsafe fn watch(program: libc::pid_t, child: &Child) -> ! {
    // SAFETY: every function called is async-signal-safe; the structures handed over live on this stack and are
    // valid when zeroed; descriptors are closed that only this process holds.
    unsafe {
        let lifeline = child.lifeline;
        libc::prctl(libc::PR_SET_NAME, c"vineloom keeper".as_ptr());
        // What the block may read to its end must not be held open here.
        close_all_above(0, lifeline, child.alive);
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
                    ended if ended == program => {
                        end_all(program);
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
                end_all(program);
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
unsafe fn end_all(program: libc::pid_t) {
    // SAFETY: kill, waitpid, open, read, close and nanosleep are async-signal-safe; buffers live on this stack.
    unsafe {
        libc::kill(-program, libc::SIGKILL);
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
