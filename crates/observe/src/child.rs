//! The process that becomes the program: what it needs, and what it does between the fork and the program. All of it is
//! async-signal-safe.

use std::io;
use std::os::fd::RawFd;
use std::ptr;

/// Everything that the child needs, as plain numbers and addresses.
pub(crate) struct Child<'a> {
    pub path: *const libc::c_char,
    pub folder: *const libc::c_char,
    pub arguments: &'a [*const libc::c_char],
    /// The same for `/bin/sh`, which runs a script that names no program to run it.
    pub by_shell: &'a [*const libc::c_char],
    pub environment: &'a [*const libc::c_char],
    /// What becomes its descriptors from 0 on.
    pub descriptors: &'a [RawFd],
    /// Where it tells that it could not become the program; closed when it does.
    pub report: RawFd,
    pub socket: Option<RawFd>,
    pub filter: &'a [libc::sock_filter],
    /// Open as long as we live and want it to run.
    pub lifeline: RawFd,
    /// Held open by the keeper as long as it lives.
    pub alive: RawFd,
    /// Whether it is the first process of a namespace of its own.
    pub apart: bool,
}

/// A step that the child tells about when it fails.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Step {
    /// The namespace could not be furnished: the keeper alone will do.
    Namespace = 1,
    /// Anything else.
    Start = 2,
}

/// Forks without what the C library does around it: another thread may hold a lock of it at this instant, and the
/// child would wait for that for ever.
///
/// # Safety
/// The child may only call async-signal-safe functions.
pub(crate) unsafe fn fork(flags: libc::c_int) -> libc::pid_t {
    #[cfg(target_os = "linux")]
    // SAFETY: without CLONE_VM the child has a copy of all memory; the other arguments are null.
    unsafe {
        let zero: libc::c_ulong = 0;
        let flags = (flags | libc::SIGCHLD) as libc::c_ulong;
        libc::syscall(libc::SYS_clone, flags, zero, zero, zero, zero) as libc::pid_t
    }
    #[cfg(not(target_os = "linux"))]
    // SAFETY: as the caller promises.
    unsafe {
        let _ = flags;
        libc::fork()
    }
}

/// Becomes the program.
///
/// # Safety
/// Must be called in a forked process that does nothing else. It calls only async-signal-safe functions.
pub(crate) unsafe fn become_program(child: &Child) -> ! {
    // SAFETY: all calls are async-signal-safe and take integers, or addresses of what was made before the fork.
    unsafe {
        libc::setpgid(0, 0);
        let mut fails = false;
        for (at, descriptor) in child.descriptors.iter().enumerate() {
            fails |= libc::dup2(*descriptor, at as i32) < 0;
        }
        close_all_above(child.descriptors.len() as i32, child.report, child.socket.unwrap_or(child.report));
        fails |= libc::chdir(child.folder) < 0;
        for signal in 1..32 {
            libc::signal(signal, libc::SIG_DFL);
        }
        let mut none: libc::sigset_t = std::mem::zeroed();
        libc::sigemptyset(&mut none);
        libc::sigprocmask(libc::SIG_SETMASK, &none, ptr::null_mut());
        if fails {
            tell(child.report, Step::Start);
            libc::_exit(127);
        }
        #[cfg(target_os = "linux")]
        if let Some(socket) = child.socket {
            crate::filter::set(child.filter, socket);
        }
        libc::execve(child.path, child.arguments.as_ptr(), child.environment.as_ptr());
        if io::Error::last_os_error().raw_os_error() == Some(libc::ENOEXEC) {
            libc::execve(c"/bin/sh".as_ptr(), child.by_shell.as_ptr(), child.environment.as_ptr());
        }
        tell(child.report, Step::Start);
        libc::_exit(127);
    }
}

/// Tells which step failed, and the error's number.
///
/// # Safety
/// Must be called in a forked process that does nothing else. It calls only async-signal-safe functions.
pub(crate) unsafe fn tell(report: RawFd, step: Step) {
    let [a, b, c, d] = io::Error::last_os_error().raw_os_error().unwrap_or(0).to_ne_bytes();
    let told = [step as u8, a, b, c, d];
    // SAFETY: write reads five bytes of this stack.
    unsafe { libc::write(report, told.as_ptr().cast(), told.len()) };
}

/// Closes every descriptor from `lowest` on but two, which may be the same.
///
/// # Safety
/// Must be called in a forked process that does nothing else. It calls only async-signal-safe functions.
pub(crate) unsafe fn close_all_above(lowest: i32, one: RawFd, other: RawFd) {
    let (first, second) = (one.min(other), one.max(other));
    // SAFETY: close takes an integer; nothing in this process uses the descriptors any more.
    unsafe {
        close_from_to(lowest, first - 1);
        close_from_to(first + 1, second - 1);
        close_from_to(second + 1, i32::MAX);
    }
}

/// # Safety
/// Must be called in a forked process that does nothing else. It calls only async-signal-safe functions.
unsafe fn close_from_to(from: i32, to: i32) {
    if from > to {
        return;
    }
    // SAFETY: as above; close_range takes integers.
    unsafe {
        #[cfg(target_os = "linux")]
        if libc::syscall(libc::SYS_close_range, from as libc::c_uint, to as libc::c_uint, 0) == 0 {
            return;
        }
        (from..=to.min(65_535)).for_each(|descriptor| {
            libc::close(descriptor);
        });
    }
}
