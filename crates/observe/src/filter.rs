//! The filter: which system calls of a process tree are told to us before they happen.
//!
//! It is a seccomp filter with user notification (Linux 5.5 and later; `seccomp_unotify(2)`): the kernel stops a
//! process at one of these calls and tells the listener, which looks, and lets the call go on. Nothing is forbidden
//! and nothing answered in place of the kernel. The filter is set between `fork` and `exec`, and every process that
//! comes of the child has it. The listener is a descriptor, which the child hands over through a socket.

use std::io;
use std::os::fd::{FromRawFd, OwnedFd, RawFd};

/// What a system call does with which of its arguments.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Call {
    /// `open(path, flags)`.
    Open { path: usize, flags: usize },
    /// `openat(folder, path, flags)`.
    OpenAt { folder: usize, path: usize, flags: usize },
    /// `openat2(folder, path, how)`: the flags are where `how` points.
    OpenAt2,
    /// Asks about a path.
    Look { folder: Option<usize>, path: usize, flags: Option<usize> },
    /// Asks about a link itself.
    LookAtLink { folder: Option<usize>, path: usize },
    /// Reads the entries of an open folder.
    List,
    /// Starts a program.
    Start { folder: Option<usize>, path: usize },
    /// Asks whether something is there.
    Ask { folder: Option<usize>, path: usize, flags: Option<usize> },
    /// Changes what may be done with a file.
    Change { folder: Option<usize>, path: usize },
    /// The same with an open file.
    ChangeOpen,
    /// Gives something a second name: from, to.
    Link { folders: Option<(usize, usize)>, from: usize, to: usize },
    /// Connects a socket.
    Connect,
    /// Gives a socket an address, which may be a file.
    Bind,
    /// Asks for a ring of calls, which pass by the filter.
    Ring,
    /// Sees files elsewhere than we do from now on: what it is called.
    Leave(&'static str),
    /// The same, when the flags in this argument say so.
    LeaveWith { flags: usize },
    /// Makes something new.
    Make { folder: Option<usize>, path: usize },
    /// Takes something away.
    Remove { folder: Option<usize>, path: usize },
    /// Gives something another name: from, to; the flags may say that the two change places.
    Rename { folders: Option<(usize, usize)>, from: usize, to: usize, flags: Option<usize> },
    /// Sets the times of a file; without a path, of an open one.
    Date { folder: Option<usize>, path: usize },
    /// Shortens a file.
    Truncate,
}

/// The calls that are told, by number.
pub(crate) fn calls() -> Vec<(libc::c_long, Call)> {
    let look = |folder, path, flags| Call::Look { folder, path, flags };
    let mut calls = vec![
        (libc::SYS_openat, Call::OpenAt { folder: 0, path: 1, flags: 2 }),
        (libc::SYS_openat2, Call::OpenAt2),
        (libc::SYS_statx, look(Some(0), 1, Some(2))),
        (libc::SYS_faccessat, Call::Ask { folder: Some(0), path: 1, flags: None }),
        (libc::SYS_faccessat2, Call::Ask { folder: Some(0), path: 1, flags: Some(3) }),
        (libc::SYS_newfstatat, look(Some(0), 1, Some(3))),
        (libc::SYS_readlinkat, Call::LookAtLink { folder: Some(0), path: 1 }),
        (libc::SYS_getdents64, Call::List),
        (libc::SYS_execve, Call::Start { folder: None, path: 0 }),
        (libc::SYS_execveat, Call::Start { folder: Some(0), path: 1 }),
        (libc::SYS_mkdirat, Call::Make { folder: Some(0), path: 1 }),
        (libc::SYS_symlinkat, Call::Make { folder: Some(1), path: 2 }),
        (libc::SYS_linkat, Call::Link { folders: Some((0, 2)), from: 1, to: 3 }),
        (libc::SYS_fchmodat, Call::Change { folder: Some(0), path: 1 }),
        (FCHMODAT2, Call::Change { folder: Some(0), path: 1 }),
        (libc::SYS_fchmod, Call::ChangeOpen),
        (libc::SYS_fchown, Call::ChangeOpen),
        (libc::SYS_fchownat, Call::Change { folder: Some(0), path: 1 }),
        (libc::SYS_chdir, Call::Ask { folder: None, path: 0, flags: None }),
        (libc::SYS_statfs, Call::Ask { folder: None, path: 0, flags: None }),
        (libc::SYS_name_to_handle_at, Call::Ask { folder: Some(0), path: 1, flags: None }),
        (libc::SYS_inotify_add_watch, Call::Ask { folder: None, path: 1, flags: None }),
        (libc::SYS_getxattr, Call::Ask { folder: None, path: 0, flags: None }),
        (libc::SYS_lgetxattr, Call::LookAtLink { folder: None, path: 0 }),
        (libc::SYS_listxattr, Call::Ask { folder: None, path: 0, flags: None }),
        (libc::SYS_llistxattr, Call::LookAtLink { folder: None, path: 0 }),
        (libc::SYS_setxattr, Call::Change { folder: None, path: 0 }),
        (libc::SYS_lsetxattr, Call::Change { folder: None, path: 0 }),
        (libc::SYS_fsetxattr, Call::ChangeOpen),
        (libc::SYS_removexattr, Call::Change { folder: None, path: 0 }),
        (libc::SYS_lremovexattr, Call::Change { folder: None, path: 0 }),
        (libc::SYS_fremovexattr, Call::ChangeOpen),
        (GETXATTRAT, Call::Ask { folder: Some(0), path: 1, flags: Some(2) }),
        (LISTXATTRAT, Call::Ask { folder: Some(0), path: 1, flags: Some(2) }),
        (SETXATTRAT, Call::Change { folder: Some(0), path: 1 }),
        (REMOVEXATTRAT, Call::Change { folder: Some(0), path: 1 }),
        (libc::SYS_bind, Call::Bind),
        (libc::SYS_connect, Call::Connect),
        (libc::SYS_io_uring_setup, Call::Ring),
        (libc::SYS_chroot, Call::Leave("changes its root folder")),
        (libc::SYS_pivot_root, Call::Leave("changes its root folder")),
        (libc::SYS_mount, Call::Leave("mounts file systems")),
        (MOVE_MOUNT, Call::Leave("mounts file systems")),
        (OPEN_TREE, Call::Leave("mounts file systems")),
        (FSMOUNT, Call::Leave("mounts file systems")),
        (libc::SYS_umount2, Call::Leave("unmounts file systems")),
        (libc::SYS_setns, Call::Leave("enters another namespace")),
        (libc::SYS_unshare, Call::LeaveWith { flags: 0 }),
        (libc::SYS_unlinkat, Call::Remove { folder: Some(0), path: 1 }),
        (libc::SYS_renameat2, Call::Rename { folders: Some((0, 2)), from: 1, to: 3, flags: Some(4) }),
        (libc::SYS_mknodat, Call::Make { folder: Some(0), path: 1 }),
        (libc::SYS_utimensat, Call::Date { folder: Some(0), path: 1 }),
        (libc::SYS_truncate, Call::Truncate),
    ];
    #[cfg(target_arch = "x86_64")]
    calls.extend([
        (libc::SYS_open, Call::Open { path: 0, flags: 1 }),
        (libc::SYS_creat, Call::Make { folder: None, path: 0 }),
        (libc::SYS_stat, look(None, 0, None)),
        (libc::SYS_lstat, Call::LookAtLink { folder: None, path: 0 }),
        (libc::SYS_access, Call::Ask { folder: None, path: 0, flags: None }),
        (libc::SYS_chmod, Call::Change { folder: None, path: 0 }),
        (libc::SYS_chown, Call::Change { folder: None, path: 0 }),
        (libc::SYS_lchown, Call::Change { folder: None, path: 0 }),
        (libc::SYS_getdents, Call::List),
        (libc::SYS_readlink, Call::LookAtLink { folder: None, path: 0 }),
        (libc::SYS_mkdir, Call::Make { folder: None, path: 0 }),
        (libc::SYS_symlink, Call::Make { folder: None, path: 1 }),
        (libc::SYS_link, Call::Link { folders: None, from: 0, to: 1 }),
        (libc::SYS_unlink, Call::Remove { folder: None, path: 0 }),
        (libc::SYS_rmdir, Call::Remove { folder: None, path: 0 }),
        (libc::SYS_rename, Call::Rename { folders: None, from: 0, to: 1, flags: None }),
        (libc::SYS_renameat, Call::Rename { folders: Some((0, 2)), from: 1, to: 3, flags: None }),
        (libc::SYS_mknod, Call::Make { folder: None, path: 0 }),
        (libc::SYS_utime, Call::Date { folder: None, path: 0 }),
        (libc::SYS_utimes, Call::Date { folder: None, path: 0 }),
        (libc::SYS_futimesat, Call::Date { folder: Some(0), path: 1 }),
    ]);
    calls
}

#[cfg(target_arch = "x86_64")]
const ARCHITECTURE: u32 = 0xC000_003E; // AUDIT_ARCH_X86_64
#[cfg(target_arch = "aarch64")]
const ARCHITECTURE: u32 = 0xC000_00B7; // AUDIT_ARCH_AARCH64
#[cfg(not(any(target_arch = "x86_64", target_arch = "aarch64")))]
const ARCHITECTURE: u32 = 0;

const FCHMODAT2: libc::c_long = 452;
const SETXATTRAT: libc::c_long = 463;
const GETXATTRAT: libc::c_long = 464;
const LISTXATTRAT: libc::c_long = 465;
const REMOVEXATTRAT: libc::c_long = 466;
const OPEN_TREE: libc::c_long = 428;
const MOVE_MOUNT: libc::c_long = 429;
const FSMOUNT: libc::c_long = 432;
/// The bit in the numbers of calls in the way of the x32 architecture.
const X32: u32 = 0x4000_0000;

/// Calls that are answered as not there: files would be opened past the filter. Programs then use the plain calls.
const ANSWERED: [libc::c_long; 2] = [
    libc::SYS_open_by_handle_at,
    // Its flags lie in memory, where the filter can't look; the C library then takes the older call.
    libc::SYS_clone3,
];

/// The filter's program, in the kernel's classic BPF: a call of these is told, all others go on. Every call in the way
/// of another architecture (32-bit programs) is told, so that it is known that there are such.
pub(crate) fn program() -> Vec<libc::sock_filter> {
    const LOAD: u16 = (libc::BPF_LD | libc::BPF_W | libc::BPF_ABS) as u16;
    const EQUAL: u16 = (libc::BPF_JMP | libc::BPF_JEQ | libc::BPF_K) as u16;
    const AT_LEAST: u16 = (libc::BPF_JMP | libc::BPF_JGE | libc::BPF_K) as u16;
    const HAS: u16 = (libc::BPF_JMP | libc::BPF_JSET | libc::BPF_K) as u16;
    const RETURN: u16 = (libc::BPF_RET | libc::BPF_K) as u16;
    let line = |code, jt, jf, k| libc::sock_filter { code, jt, jf, k };
    let tell = line(RETURN, 0, 0, libc::SECCOMP_RET_USER_NOTIF);
    let allow = line(RETURN, 0, 0, libc::SECCOMP_RET_ALLOW);
    let answer = line(RETURN, 0, 0, libc::SECCOMP_RET_ERRNO | libc::ENOSYS as u32);
    // struct seccomp_data: the number at 0, the architecture at 4, the arguments from 16 on, of 8 bytes each.
    let mut program = vec![line(LOAD, 0, 0, 4), line(EQUAL, 1, 0, ARCHITECTURE), tell, line(LOAD, 0, 0, 0)];
    if cfg!(target_arch = "x86_64") {
        program.extend([line(AT_LEAST, 0, 1, X32), answer]);
    }
    for number in ANSWERED {
        program.extend([line(EQUAL, 0, 1, number as u32), answer]);
    }
    // A process in a mount namespace of its own sees files elsewhere than we do.
    let namespaces = libc::CLONE_NEWNS as u32;
    program.extend([
        line(EQUAL, 0, 4, libc::SYS_clone as u32),
        line(LOAD, 0, 0, 16),
        line(HAS, 0, 1, namespaces),
        tell,
        allow,
    ]);
    // Each call has a way out of its own: jumps reach no further than 255 lines.
    for (number, _) in calls() {
        program.extend([line(EQUAL, 0, 1, number as u32), tell]);
    }
    program.push(allow);
    program
}

/// Whether a call was made in the way of the architecture that we are built for.
pub(crate) fn is_native(architecture: u32) -> bool {
    architecture == ARCHITECTURE
}

/// What a call is that is told without being among [`calls`].
pub(crate) fn unlisted(number: libc::c_long, architecture: u32) -> &'static str {
    match number {
        _ if architecture != ARCHITECTURE => "runs a 32-bit program",
        libc::SYS_clone => "starts a process with mounts of its own",
        _ => "makes a call that can't be followed",
    }
}

/// Sets the filter for this process and all that come of it, and sends the listener through `socket`. When that is not
/// to be had, the process goes on unobserved, and the other end sees the socket close.
///
/// # Safety
/// Must be called between `fork` and `exec`; `program` was made before the fork. It calls only async-signal-safe
/// functions and allocates nothing.
pub(crate) unsafe fn set(program: &[libc::sock_filter], socket: RawFd) {
    let described = libc::sock_fprog { len: program.len() as libc::c_ushort, filter: program.as_ptr().cast_mut() };
    // SAFETY: prctl and seccomp take integers and the address of `described`, which lives until they return, as does
    // the program it points to; the listener is a new descriptor that nothing else owns.
    unsafe {
        let (zero, one): (libc::c_ulong, libc::c_ulong) = (0, 1);
        libc::prctl(libc::PR_SET_NO_NEW_PRIVS, one, zero, zero, zero);
        let listener = libc::syscall(
            libc::SYS_seccomp,
            libc::SECCOMP_SET_MODE_FILTER,
            libc::SECCOMP_FILTER_FLAG_NEW_LISTENER,
            &described as *const libc::sock_fprog,
        );
        if listener >= 0 {
            send_descriptor(socket, listener as RawFd);
            libc::close(listener as RawFd);
        }
        libc::close(socket);
    }
}

/// Room for one control message that holds one descriptor, aligned as the kernel wants it.
#[repr(C, align(8))]
struct Control([u8; 24]);

/// # Safety
/// As for [`set`].
unsafe fn send_descriptor(socket: RawFd, descriptor: RawFd) {
    // SAFETY: the message points to a byte and a control buffer on this stack that outlive the call; CMSG_FIRSTHDR
    // and CMSG_DATA point into that buffer, which has room for a header and one descriptor (CMSG_SPACE(4) is 24).
    unsafe {
        let mut byte = 1_u8;
        let mut part = libc::iovec { iov_base: (&raw mut byte).cast(), iov_len: 1 };
        let mut control = Control([0; 24]);
        let mut message: libc::msghdr = std::mem::zeroed();
        message.msg_iov = &raw mut part;
        message.msg_iovlen = 1;
        message.msg_control = control.0.as_mut_ptr().cast();
        message.msg_controllen = control.0.len() as _;
        let header = libc::CMSG_FIRSTHDR(&message);
        (*header).cmsg_level = libc::SOL_SOCKET;
        (*header).cmsg_type = libc::SCM_RIGHTS;
        (*header).cmsg_len = libc::CMSG_LEN(4) as _;
        libc::CMSG_DATA(header).cast::<RawFd>().write_unaligned(descriptor);
        libc::sendmsg(socket, &message, 0);
    }
}

/// Two sockets that are connected, both closed on exec.
pub(crate) fn sockets() -> io::Result<(OwnedFd, OwnedFd)> {
    let mut pair = [0; 2];
    // SAFETY: socketpair writes two descriptors into `pair`, which nothing else owns.
    unsafe {
        if libc::socketpair(libc::AF_UNIX, libc::SOCK_STREAM | libc::SOCK_CLOEXEC, 0, pair.as_mut_ptr()) < 0 {
            return Err(io::Error::last_os_error());
        }
        Ok((OwnedFd::from_raw_fd(pair[0]), OwnedFd::from_raw_fd(pair[1])))
    }
}

/// Waits for the descriptor that [`set`] sends; nothing when the socket closes without one.
pub(crate) fn receive_descriptor(socket: &OwnedFd) -> Option<OwnedFd> {
    use std::os::fd::AsRawFd;
    // SAFETY: as for sending; the descriptor received is new, and nothing else owns it.
    unsafe {
        let mut byte = 0_u8;
        let mut part = libc::iovec { iov_base: (&raw mut byte).cast(), iov_len: 1 };
        let mut control = Control([0; 24]);
        let mut message: libc::msghdr = std::mem::zeroed();
        message.msg_iov = &raw mut part;
        message.msg_iovlen = 1;
        message.msg_control = control.0.as_mut_ptr().cast();
        message.msg_controllen = control.0.len() as _;
        let count = libc::recvmsg(socket.as_raw_fd(), &mut message, libc::MSG_CMSG_CLOEXEC);
        let header = libc::CMSG_FIRSTHDR(&message);
        if count < 1 || header.is_null() || (*header).cmsg_type != libc::SCM_RIGHTS {
            return None;
        }
        Some(OwnedFd::from_raw_fd(libc::CMSG_DATA(header).cast::<RawFd>().read_unaligned()))
    }
}
