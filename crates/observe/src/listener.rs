//! The listener: what stopped processes are about to do, read out of their memory, and let go on.

use crate::access::Access;
use crate::filter::{Call, calls, is_native, unlisted};
use crate::watch::Watch;
use std::collections::HashMap;
use std::ffi::OsString;
use std::os::fd::{AsRawFd, OwnedFd};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

/// Tells `watch` of every call until no process with the filter is left.
pub(crate) fn listen(listener: &OwnedFd, watch: &Watch) {
    let calls: HashMap<libc::c_long, Call> = calls().into_iter().collect();
    // The strand's own process is the first that is told: it becomes the interpreter, maybe by way of scripts.
    let mut own_process = None;
    // SAFETY: the flag is an integer; a kernel that does not know it answers with an error, and all is as before.
    unsafe {
        let wake_at_once: u64 = 1;
        libc::ioctl(listener.as_raw_fd(), libc::SECCOMP_IOCTL_NOTIF_SET_FLAGS as _, wake_at_once);
    }
    loop {
        let mut waits = libc::pollfd { fd: listener.as_raw_fd(), events: libc::POLLIN, revents: 0 };
        // SAFETY: poll reads and writes one structure on this stack.
        let ready = unsafe { libc::poll(&raw mut waits, 1, -1) };
        if ready < 0 && std::io::Error::last_os_error().kind() == std::io::ErrorKind::Interrupted {
            continue;
        }
        if ready < 0 || waits.revents & libc::POLLIN == 0 {
            return;
        }
        let Some(told) = receive(listener) else { continue };
        let number = libc::c_long::from(told.data.nr);
        let mut refused = false;
        let is_own = *own_process.get_or_insert(told.pid) == told.pid;
        match calls.get(&number).filter(|_| is_native(told.data.arch)) {
            Some(Call::Ring) if lives_without_rings(told.pid) => refused = true,
            Some(call) => Stopped { process: told.pid, arguments: told.data.args, is_own, watch }.tell(*call),
            None => watch.cannot_follow(unlisted(number, told.data.arch)),
        }
        let answer = libc::seccomp_notif_resp {
            id: told.id,
            val: 0,
            error: if refused { -libc::ENOSYS } else { 0 },
            flags: if refused { 0 } else { libc::SECCOMP_USER_NOTIF_FLAG_CONTINUE as u32 },
        };
        // SAFETY: the kernel reads the answer, which lives until the call returns. A process that has been killed
        // meanwhile needs none, so an error is none of ours.
        unsafe { libc::ioctl(listener.as_raw_fd(), libc::SECCOMP_IOCTL_NOTIF_SEND as _, &raw const answer) };
    }
}

fn receive(listener: &OwnedFd) -> Option<libc::seccomp_notif> {
    // SAFETY: the kernel wants the structure zeroed and fills it; it is plain integers.
    unsafe {
        let mut told: libc::seccomp_notif = std::mem::zeroed();
        let result = libc::ioctl(listener.as_raw_fd(), libc::SECCOMP_IOCTL_NOTIF_RECV as _, &raw mut told);
        (result == 0).then_some(told)
    }
}

/// Whether a program is known to take the plain calls where there is no ring: Node.js and others on the same library.
fn lives_without_rings(process: u32) -> bool {
    let program = std::fs::read_link(format!("/proc/{process}/exe")).ok();
    let name = program.as_deref().and_then(Path::file_name).unwrap_or_default().to_string_lossy().into_owned();
    name.starts_with("node") || name.starts_with("julia")
}

/// A process that waits for its call to go on.
struct Stopped<'a> {
    process: u32,
    arguments: [u64; 6],
    /// Whether it is the strand's own process.
    is_own: bool,
    /// What is told.
    watch: &'a Watch,
}

/// What a socket is bound or connected to.
enum Address {
    Network,
    File(PathBuf),
}

impl Stopped<'_> {
    fn tell(&self, call: Call) {
        let watch = self.watch;
        match call {
            Call::Open { path, flags } => self.opened(None, path, self.arguments[flags] as i32),
            Call::OpenAt { folder, path, flags } => {
                self.opened(Some(folder), path, self.arguments[flags] as i32);
            }
            Call::OpenAt2 => {
                let flags = self
                    .memory(self.arguments[2], 8)
                    .and_then(|bytes| Some(u64::from_ne_bytes(bytes.try_into().ok()?)));
                self.opened(Some(0), 1, flags.unwrap_or(0) as i32);
            }
            Call::Look { folder, path, flags } => {
                let of_link = flags.is_some_and(|at| self.arguments[at] as i32 & libc::AT_SYMLINK_NOFOLLOW != 0);
                let access = if of_link { Access::LookAtLink } else { Access::Look };
                self.one(folder, path, access);
            }
            Call::LookAtLink { folder, path } => self.one(folder, path, Access::LookAtLink),
            Call::Start { folder, path } => {
                let by_name = self.path(folder, path);
                // By an open descriptor: `execveat(fd, "", …, AT_EMPTY_PATH)`.
                let started = by_name.or_else(|| self.descriptor(self.arguments[folder?] as i32));
                if let Some(path) = started {
                    watch.touched(&path, Access::Start);
                    if self.is_own {
                        watch.becomes(&path);
                    }
                }
            }
            Call::Ask { folder, path, flags } => {
                let of_link = flags.is_some_and(|at| self.arguments[at] as i32 & libc::AT_SYMLINK_NOFOLLOW != 0);
                self.one(folder, path, if of_link { Access::LookAtLink } else { Access::Ask });
            }
            Call::Change { folder, path } => self.one(folder, path, Access::Change),
            Call::ChangeOpen => {
                if let Some(path) = self.descriptor(self.arguments[0] as i32) {
                    watch.touched(&path, Access::Change);
                }
            }
            Call::Link { folders, from, to } => {
                // What has a second name can be read by it.
                self.one(folders.map(|(from, _)| from), from, Access::Share);
                self.one(folders.map(|(_, to)| to), to, Access::Make);
            }
            Call::Connect => match self.address() {
                Some(Address::Network) => watch.uses_network(),
                Some(Address::File(path)) => watch.touched(&path, Access::Ask),
                None => {}
            },
            Call::Bind => {
                if let Some(Address::File(path)) = self.address() {
                    watch.touched(&path, Access::Make);
                }
            }
            Call::Ring => watch.cannot_follow("uses io_uring"),
            Call::Leave(what) => watch.cannot_follow(what),
            Call::LeaveWith { flags } => {
                if self.arguments[flags] as i32 & libc::CLONE_NEWNS != 0 {
                    watch.cannot_follow("mounts file systems of its own");
                }
            }
            Call::Make { folder, path } => self.one(folder, path, Access::Make),
            Call::Remove { folder, path } => self.one(folder, path, Access::Remove),
            Call::Rename { folders, from, to, flags } => {
                let from = self.path(folders.map(|(from, _)| from), from);
                if let (Some(from), Some(to)) = (from, self.path(folders.map(|(_, to)| to), to)) {
                    watch.renamed(&from, &to);
                    if flags.is_some_and(|at| self.arguments[at] as u32 & libc::RENAME_EXCHANGE != 0) {
                        watch.renamed(&to, &from);
                    }
                }
            }
            Call::Date { folder, path } => {
                let open = || folder.and_then(|at| self.descriptor(self.arguments[at] as i32));
                let dated = if self.arguments[path] == 0 { open() } else { self.path(folder, path) };
                if let Some(path) = dated {
                    watch.touched(&path, Access::Date);
                }
            }
            Call::Truncate => self.one(None, 0, Access::Modify),
            Call::List => {
                if let Some(path) = self.descriptor(self.arguments[0] as i32) {
                    watch.touched(&path, Access::List);
                }
            }
        }
    }

    /// The address of a socket, in the second argument, as far as it is one of a network or a file.
    fn address(&self) -> Option<Address> {
        const FAMILY: usize = 2;
        let length = (self.arguments[2] as usize).min(size_of::<libc::sockaddr_un>());
        let bytes = self.memory(self.arguments[1], length)?;
        let family = u16::from_ne_bytes(bytes.get(..FAMILY)?.try_into().ok()?);
        match i32::from(family) {
            libc::AF_INET | libc::AF_INET6 => Some(Address::Network),
            libc::AF_UNIX => {
                let name = bytes[FAMILY..].split(|&byte| byte == 0).next().filter(|name| !name.is_empty())?;
                self.absolute(None, PathBuf::from(OsString::from_vec(name.to_vec()))).map(Address::File)
            }
            _ => None,
        }
    }

    fn one(&self, folder: Option<usize>, path: usize, access: Access) {
        if let Some(path) = self.path(folder, path) {
            self.watch.touched(&path, access);
        }
    }

    fn opened(&self, folder: Option<usize>, path: usize, flags: i32) {
        let Some(path) = self.path(folder, path) else { return };
        let writes = flags & libc::O_ACCMODE != libc::O_RDONLY || flags & libc::O_CREAT != 0;
        let access = if flags & libc::O_PATH != 0 || flags & libc::O_TMPFILE == libc::O_TMPFILE {
            // A file without a name is nobody's until it is given one.
            Access::Look
        } else if flags & libc::O_EXCL != 0 && flags & libc::O_CREAT != 0 {
            Access::Make
        } else if flags & libc::O_TRUNC != 0 {
            Access::Replace
        } else if writes {
            Access::Modify
        } else if flags & libc::O_DIRECTORY != 0 {
            Access::Look
        } else {
            Access::Read
        };
        self.watch.touched(&path, access);
    }

    /// The path that an argument points to, made absolute; nothing for a call on an open descriptor.
    fn path(&self, folder: Option<usize>, argument: usize) -> Option<PathBuf> {
        let written = self.text(self.arguments[argument])?;
        if written.as_os_str().is_empty() {
            return None;
        }
        self.absolute(folder, written)
    }

    fn absolute(&self, folder: Option<usize>, written: PathBuf) -> Option<PathBuf> {
        if written.is_absolute() {
            return self.through_proc(written);
        }
        let base = match folder.map(|at| self.arguments[at] as i32) {
            Some(descriptor) if descriptor != libc::AT_FDCWD => self.descriptor(descriptor)?,
            _ => self.proc_link(&format!("/proc/{}/cwd", self.process))?,
        };
        self.through_proc(base.join(written))
    }

    /// A path through `/proc` or `/dev/fd`, to where it leads for the process that uses it; nothing where that is no file
    /// with a name.
    fn through_proc(&self, path: PathBuf) -> Option<PathBuf> {
        let own = format!("/proc/{}", self.process);
        let rest = |of: &str| path.strip_prefix(of).ok().map(Path::to_path_buf);
        let into = |folder: String, rest: PathBuf| PathBuf::from(folder).join(rest);
        let seen = if let Some(rest) = rest("/dev/fd") {
            into(format!("{own}/fd"), rest)
        } else if let Some(rest) = rest("/proc/self").or_else(|| rest("/proc/thread-self")) {
            into(own, rest)
        } else if let Some(rest) = rest("/proc") {
            // Its numbers are those of its own namespace.
            into(format!("{own}/root/proc"), rest)
        } else {
            return Some(path);
        };
        // The part that leads out of /proc: `cwd`, `root`, `exe`, or a number below `fd`.
        let parts: Vec<_> = seen.components().collect();
        let leads = parts.iter().enumerate().position(|(at, part)| {
            let name = part.as_os_str();
            at > 2
                && (name == "cwd"
                    || name == "root" && parts.get(at + 1).is_none_or(|next| next.as_os_str() != "proc")
                    || name == "exe"
                    || parts[at - 1].as_os_str() == "fd")
        });
        let Some(at) = leads else { return Some(path) };
        let magic: PathBuf = parts[..=at].iter().collect();
        match std::fs::read_link(&magic) {
            Ok(target) => with_name(target).map(|target| target.join(parts[at + 1..].iter().collect::<PathBuf>())),
            Err(_) => Some(path),
        }
    }

    fn descriptor(&self, descriptor: i32) -> Option<PathBuf> {
        self.proc_link(&format!("/proc/{}/fd/{descriptor}", self.process)).and_then(with_name)
    }

    fn proc_link(&self, link: &str) -> Option<PathBuf> {
        std::fs::read_link(link).map_err(|error| self.not_had(&error)).ok()
    }

    /// A process may be closed to everybody else, as one that guards secrets is: what it does is not known then. One
    /// that has been killed meanwhile, or that gave an address of nothing, does nothing.
    fn not_had(&self, error: &std::io::Error) {
        if error.kind() == std::io::ErrorKind::PermissionDenied {
            self.watch.cannot_follow("starts a program that can't be looked into");
        }
    }

    /// A text in the process's memory, up to its zero byte.
    fn text(&self, address: u64) -> Option<PathBuf> {
        const PAGE: u64 = 4096;
        let mut bytes = Vec::new();
        let mut at = address;
        while bytes.len() < libc::PATH_MAX as usize {
            // Never beyond a page that may not be there.
            let part = self.memory(at, (PAGE - at % PAGE).min(256) as usize)?;
            if let Some(end) = part.iter().position(|&byte| byte == 0) {
                bytes.extend_from_slice(&part[..end]);
                return Some(Path::new(&OsString::from_vec(bytes)).to_path_buf());
            }
            at += part.len() as u64;
            bytes.extend(part);
        }
        None
    }

    fn memory(&self, address: u64, count: usize) -> Option<Vec<u8>> {
        let mut bytes = vec![0_u8; count];
        let local = libc::iovec { iov_base: bytes.as_mut_ptr().cast(), iov_len: count };
        let remote = libc::iovec { iov_base: address as *mut libc::c_void, iov_len: count };
        // SAFETY: the kernel writes at most `count` bytes into `bytes`, which has as many; the other address is in
        // the stopped process, and the kernel checks it.
        let read = unsafe { libc::process_vm_readv(self.process as i32, &raw const local, 1, &raw const remote, 1, 0) };
        if read < 0 {
            self.not_had(&std::io::Error::last_os_error());
        }
        (read == count as isize).then_some(bytes)
    }
}

/// What an open descriptor leads to, if that is a file with a name: not a pipe or a socket (`pipe:[7]`), nor a file that
/// has been removed since.
fn with_name(target: PathBuf) -> Option<PathBuf> {
    let is_removed = target.as_os_str().as_bytes().ends_with(b" (deleted)") && target.symlink_metadata().is_err();
    (target.is_absolute() && !is_removed).then_some(target)
}
