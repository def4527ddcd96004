//! Starting a program: what is done between the fork and the moment when the program itself runs.
//!
//! The standard library's way to start a process copies every descriptor of ours into the child until it becomes
//! the program. A child that is stopped in between (by the filter, when nobody listens any more) would then hold
//! open what has to close when we are killed. So the steps are our own here, and the child closes everything that
//! is not its own first.

use crate::child::{Child, Step, fork};
use crate::running::{Running, register};
use crate::watch::Watch;
use std::ffi::{CString, OsString};
use std::io::{self, Read};
use std::os::fd::{AsRawFd, FromRawFd, OwnedFd, RawFd};
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;
use std::ptr;

/// The descriptor on which a driver reads requests.
pub const REQUESTS: i32 = 3;
/// The descriptor on which a driver writes events.
pub const EVENTS: i32 = 4;

/// A program to start. It gets these descriptors and no others of ours.
#[derive(Debug)]
pub struct Program {
    /// Its file.
    pub path: PathBuf,
    /// What it is called by, then its arguments.
    pub arguments: Vec<OsString>,
    /// Its whole environment.
    pub environment: Vec<(OsString, OsString)>,
    /// The folder it starts in.
    pub folder: PathBuf,
    /// Its standard input, output and error.
    pub streams: [OwnedFd; 3],
    /// What becomes its descriptors [`REQUESTS`] and [`EVENTS`], when it has such.
    pub channels: Option<[OwnedFd; 2]>,
}

/// The texts of a program as the kernel takes them, made before the fork: nothing may be allocated after it.
struct Texts {
    path: CString,
    folder: CString,
    arguments: Vec<CString>,
    environment: Vec<CString>,
}

impl Texts {
    fn of(program: &Program) -> io::Result<Self> {
        let text = |bytes: &[u8]| CString::new(bytes).map_err(|_| io::Error::from(io::ErrorKind::InvalidInput));
        let pair = |(name, value): &(OsString, OsString)| text(&[name.as_bytes(), b"=", value.as_bytes()].concat());
        Ok(Texts {
            path: text(program.path.as_os_str().as_bytes())?,
            folder: text(program.folder.as_os_str().as_bytes())?,
            arguments: program.arguments.iter().map(|argument| text(argument.as_bytes())).collect::<Result<_, _>>()?,
            environment: program.environment.iter().map(pair).collect::<Result<_, _>>()?,
        })
    }
}

/// A list of texts as the kernel takes it: their addresses, and a null at the end.
fn addresses(texts: &[CString]) -> Vec<*const libc::c_char> {
    texts.iter().map(|text| text.as_ptr()).chain([ptr::null()]).collect()
}

/// Starts a program under a keeper, and tells `watch` of the files it touches, where that is to be had.
///
/// # Errors
/// Those of starting a process; [`io::ErrorKind::NotFound`] when there is no such program.
pub fn spawn(program: &Program, watch: Option<&Watch>) -> io::Result<Running> {
    if crate::running::namespaces_are_to_be_had() {
        match start_with(program, watch, true) {
            Err(Failed { step: Step::Namespace, .. }) => crate::running::do_without_namespaces(),
            other => return other.map_err(|failed| failed.error),
        }
    }
    start_with(program, watch, false).map_err(|failed| failed.error)
}

/// Starts a program, in a namespace of its own or not.
pub(crate) fn start_with(program: &Program, watch: Option<&Watch>, apart: bool) -> Result<Running, Failed> {
    let texts = Texts::of(program)?;
    let given: Vec<&OwnedFd> = program.streams.iter().chain(program.channels.iter().flatten()).collect();
    start(&texts, &given, watch, apart)
}

/// A start that failed.
#[derive(Debug)]
pub(crate) struct Failed {
    step: Step,
    error: io::Error,
}

impl From<io::Error> for Failed {
    fn from(error: io::Error) -> Self {
        Failed { step: Step::Start, error }
    }
}

fn start(texts: &Texts, given: &[&OwnedFd], watch: Option<&Watch>, apart: bool) -> Result<Running, Failed> {
    // Above all targets, so that placing one can't overwrite another.
    let given: Vec<OwnedFd> = given.iter().map(|given| duplicate_above(given)).collect::<Result<_, _>>()?;
    let descriptors: Vec<RawFd> = given.iter().map(AsRawFd::as_raw_fd).collect();
    let (mut report, report_end) = io::pipe()?;
    let (lifeline_end, lifeline) = io::pipe()?;
    let (alive, alive_end) = io::pipe()?;
    let ends = [report_end, alive_end].map(OwnedFd::from);
    let [report_end, alive_end] = [duplicate_above(&ends[0])?, duplicate_above(&ends[1])?];
    drop(ends);
    let lifeline_end = duplicate_above(&lifeline_end.into())?;
    let (socket, filter) = listen_for(watch)?;
    let (arguments, environment) = (addresses(&texts.arguments), addresses(&texts.environment));
    let mut by_shell = vec![c"/bin/sh".as_ptr(), texts.path.as_ptr()];
    by_shell.extend(&arguments[1.min(arguments.len() - 1)..]);
    let child = Child {
        path: texts.path.as_ptr(),
        folder: texts.folder.as_ptr(),
        arguments: &arguments,
        by_shell: &by_shell,
        environment: &environment,
        descriptors: &descriptors,
        report: report_end.as_raw_fd(),
        socket: socket.as_ref().map(AsRawFd::as_raw_fd),
        filter: &filter,
        lifeline: lifeline_end.as_raw_fd(),
        alive: alive_end.as_raw_fd(),
        apart,
    };
    let registered = register();
    // SAFETY: the child calls only async-signal-safe functions and allocates nothing; it works on its own copy of
    // what `child` points to, and never returns from `begin`.
    let forked = unsafe {
        match fork(if apart { NAMESPACE } else { 0 }) {
            0 => begin(&child),
            forked => forked,
        }
    };
    if forked < 0 {
        let step = if apart { Step::Namespace } else { Step::Start };
        return Err(Failed { step, error: io::Error::last_os_error() });
    }
    let running = Running::new(forked, registered, lifeline.into(), alive.into(), apart);
    drop((given, report_end, lifeline_end, alive_end, socket));
    let mut told = Vec::new();
    report.read_to_end(&mut told)?;
    match told[..] {
        [] => Ok(running),
        [step, a, b, c, d] => Err(Failed {
            step: if step == Step::Namespace as u8 { Step::Namespace } else { Step::Start },
            error: io::Error::from_raw_os_error(i32::from_ne_bytes([a, b, c, d])),
        }),
        _ => Err(io::Error::from(io::ErrorKind::UnexpectedEof).into()),
    }
}

#[cfg(target_os = "linux")]
const NAMESPACE: libc::c_int = libc::CLONE_NEWPID | libc::CLONE_NEWNS;
#[cfg(not(target_os = "linux"))]
const NAMESPACE: libc::c_int = 0;

/// The first process that is forked: it becomes the keeper, and its child the program.
///
/// # Safety
/// Must be called in a forked process that does nothing else. It calls only async-signal-safe functions.
unsafe fn begin(child: &Child) -> ! {
    #[cfg(target_os = "linux")]
    // SAFETY: as promised by the caller.
    unsafe {
        crate::keeper::keep(child)
    }
    #[cfg(not(target_os = "linux"))]
    // SAFETY: as promised by the caller.
    unsafe {
        become_program(child)
    }
}

/// Makes ready for the child's listener: the socket that the child sends it through, and the filter's program. The
/// program that is started stops at its first call until somebody listens, so that is done in a thread of its own.
#[cfg(target_os = "linux")]
fn listen_for(watch: Option<&Watch>) -> io::Result<(Option<OwnedFd>, Vec<libc::sock_filter>)> {
    let Some(watch) = watch.cloned() else { return Ok((None, Vec::new())) };
    let (ours, theirs) = crate::filter::sockets()?;
    let theirs_above = duplicate_above(&theirs)?;
    std::thread::Builder::new().name("observing".into()).spawn(move || {
        if let Some(listener) = crate::filter::receive_descriptor(&ours) {
            drop(ours);
            crate::listener::listen(&listener, &watch);
        }
    })?;
    Ok((Some(theirs_above), crate::filter::program()))
}

#[cfg(not(target_os = "linux"))]
fn listen_for(_watch: Option<&Watch>) -> io::Result<(Option<OwnedFd>, Vec<libc::sock_filter>)> {
    Ok((None, Vec::new()))
}

/// A duplicate above the descriptors that a program is given, closed on exec.
fn duplicate_above(descriptor: &OwnedFd) -> io::Result<OwnedFd> {
    const LOWEST: libc::c_int = 20;
    // SAFETY: F_DUPFD_CLOEXEC takes an integer and returns a new descriptor, which nothing else owns.
    unsafe {
        let new = libc::fcntl(descriptor.as_raw_fd(), libc::F_DUPFD_CLOEXEC, LOWEST);
        if new < 0 { Err(io::Error::last_os_error()) } else { Ok(OwnedFd::from_raw_fd(new)) }
    }
}
