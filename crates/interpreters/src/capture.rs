//! Reading what a block gives while it runs: two streams, the driver's events, a clock and an interrupt.

use crate::protocol::{Event, mark_start};
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use std::io::{self, PipeReader};
use std::os::fd::{AsFd, OwnedFd};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// A wish, from another thread or a signal, that everything running ends.
#[derive(Debug, Clone, Default)]
pub struct Interrupt {
    made: Arc<AtomicBool>,
    wider: Option<Arc<AtomicBool>>,
}

impl Interrupt {
    /// Makes the wish known.
    pub fn raise(&self) {
        self.made.store(true, Ordering::SeqCst);
    }

    /// Whether it was made.
    pub fn raised(&self) -> bool {
        let is_made = |flag: &Arc<AtomicBool>| flag.load(Ordering::SeqCst);
        is_made(&self.made) || self.wider.as_ref().is_some_and(is_made)
    }

    /// The flag itself, for a signal handler.
    pub fn flag(&self) -> Arc<AtomicBool> {
        Arc::clone(&self.made)
    }

    /// One that is made when this one is, and can be made without it. This one is to be nobody's narrower one itself.
    #[must_use]
    pub fn narrower(&self) -> Interrupt {
        Interrupt { made: Arc::default(), wider: Some(Arc::clone(&self.made)) }
    }
}

/// Somebody who is told what a block prints, while it prints it: whole lines of its standard output, as they come.
#[derive(Clone)]
pub struct Heard(Arc<dyn Fn(&str) + Send + Sync>);

impl Heard {
    /// Tells lines to `told`.
    pub fn new(told: impl Fn(&str) + Send + Sync + 'static) -> Self {
        Heard(Arc::new(told))
    }
}

impl std::fmt::Debug for Heard {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Heard")
    }
}

/// Why a block was ended before it was done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ended {
    /// It ran longer than its time limit.
    Time,
    /// It printed more than its output limit.
    Output,
    /// The user interrupted the weave.
    Interrupted,
}

/// A piece as it came in, before it is cleaned.
#[derive(Debug)]
pub(crate) enum RawPiece {
    Text(Vec<u8>),
    Notice(Vec<u8>),
    Event(Event),
    Unreadable(String),
}

/// How the reading of a block came to its end.
#[derive(Debug)]
pub(crate) enum Stop {
    /// The driver said so, with an exit code.
    Done(i32),
    /// The interpreter ended.
    Gone,
    /// A limit or the user ended it.
    Ended(Ended),
}

/// What was read.
#[derive(Debug)]
pub(crate) struct Captured {
    pub stop: Stop,
    pub pieces: Vec<RawPiece>,
}

/// The reading ends of an interpreter's pipes.
#[derive(Debug)]
pub(crate) struct Capture {
    stdout: Pipe,
    stderr: Pipe,
    events: Pipe,
    /// Has something to tell when the interpreter has ended.
    alive: OwnedFd,
    /// What processes that earlier blocks left in the background still write to; nobody sees it.
    earlier: Vec<Pipe>,
}

/// The pipes of one block alone, for drivers that open them by name: what another block's processes write later does
/// not get in.
#[derive(Debug)]
pub(crate) struct BlockPipes {
    pub stdout: Pipe,
    pub stderr: Option<Pipe>,
    /// For shells: opened and closed again when the block is done. Its exit code is then known.
    pub done: Option<Pipe>,
}

/// What ends the reading of a block.
pub(crate) struct Limits<'a> {
    pub deadline: Instant,
    /// The most bytes of a stream.
    pub bytes: u64,
    pub interrupt: &'a Interrupt,
    /// Whether an event without the block's mark is a fault of the driver's. With drivers of ours it is none of theirs,
    /// and left unread.
    pub unmarked_is_a_fault: bool,
    /// Who is told what is printed, while it is.
    pub heard: Option<&'a Heard>,
}

/// How long is waited for output that is still on its way when the end mark does not come.
const GRACE: Duration = Duration::from_millis(150);
/// How often the interrupt is looked at.
const TICK: Duration = Duration::from_millis(100);

impl Capture {
    pub fn new(stdout: PipeReader, stderr: PipeReader, events: PipeReader, alive: OwnedFd) -> io::Result<Self> {
        let [stdout, stderr, events] = [stdout, stderr, events].map(|reader| Pipe::new(reader.into(), Kind::Lasting));
        Ok(Capture { stdout: stdout?, stderr: stderr?, events: events?, alive, earlier: Vec::new() })
    }

    /// Throws away what came since the last block ended: the output of processes left in the background.
    pub fn discard_pending(&mut self) -> io::Result<()> {
        for pipe in [&mut self.stdout, &mut self.stderr, &mut self.events] {
            pipe.fill()?;
            pipe.bytes.clear();
        }
        Ok(())
    }

    /// Reads until the block's end, the interpreter's end, a limit or an interrupt. `told` are its first events,
    /// known before the driver says anything; `exit` says how a shell's block ended.
    pub fn block(
        &mut self,
        mark: &str,
        told: Vec<Event>,
        own: Option<BlockPipes>,
        exit: &dyn Fn() -> i32,
        limits: &Limits,
    ) -> io::Result<Captured> {
        let Some(BlockPipes { mut stdout, mut stderr, mut done }) = own else {
            return self.read(mark, told, &mut None, exit, limits);
        };
        std::mem::swap(&mut self.stdout, &mut stdout);
        if let Some(stderr) = &mut stderr {
            std::mem::swap(&mut self.stderr, stderr);
        }
        let captured = self.read(mark, told, &mut done, exit, limits);
        std::mem::swap(&mut self.stdout, &mut stdout);
        if let Some(stderr) = &mut stderr {
            std::mem::swap(&mut self.stderr, stderr);
        }
        self.earlier.extend([Some(stdout), stderr].into_iter().flatten().filter(|pipe| !pipe.closed));
        captured
    }

    fn read(
        &mut self,
        mark: &str,
        told: Vec<Event>,
        done_by_shell: &mut Option<Pipe>,
        exit: &dyn Fn() -> i32,
        limits: &Limits,
    ) -> io::Result<Captured> {
        let end = [mark_start(mark), b"end\x03".to_vec()].concat();
        let mut last_data = Instant::now();
        let mut done = None;
        let mut lines = Lines { events: told.into_iter().map(|event| Some(RawPiece::Event(event))).collect() };
        let mut gone = false;
        let mut telling = Telling { start: mark_start(mark), told: 0, last: Instant::now() };
        let stop = loop {
            let finished = |pipe: &Pipe| pipe.closed || pipe.ends_at(&end).is_some();
            let quiet = last_data.elapsed() > GRACE;
            if let Some(exit) = done
                && (quiet || done_by_shell.is_some() || finished(&self.stdout) && finished(&self.stderr))
            {
                break Stop::Done(exit);
            }
            if (gone || self.events.closed && done_by_shell.is_none()) && done.is_none() && (quiet || gone) {
                break Stop::Gone;
            }
            if limits.interrupt.raised() {
                break Stop::Ended(Ended::Interrupted);
            }
            let left = limits.deadline.saturating_duration_since(Instant::now());
            if left.is_zero() {
                break Stop::Ended(Ended::Time);
            }
            let waits_for_the_rest = done.is_some() || self.events.closed;
            let ends =
                self.wait(done_by_shell.as_ref(), left.min(if waits_for_the_rest { GRACE / 5 } else { TICK }))?;
            gone |= ends.interpreter;
            let mut grown = 0;
            // All that was written before the end is there now.
            while let 1.. = self.fill()? {
                grown += 1;
                let longest = self.stdout.bytes.len().max(self.stderr.bytes.len());
                if !(ends.block || ends.interpreter) || longest as u64 > limits.bytes {
                    break;
                }
            }
            if grown > 0 {
                last_data = Instant::now();
            }
            if let Some(heard) = limits.heard {
                telling.tell(&self.stdout.bytes, heard);
            }
            if ends.block {
                done = Some(exit());
            }
            if limits.unmarked_is_a_fault && lines.events.iter().flatten().any(|e| matches!(e, RawPiece::Unreadable(_)))
            {
                break Stop::Gone;
            }
            for event in lines.take(mark, limits.unmarked_is_a_fault, &mut self.events.bytes) {
                match event {
                    RawPiece::Event(Event::Done { exit }) => done = Some(exit),
                    other => lines.events.push(Some(other)),
                }
            }
            if self.stdout.bytes.len().max(self.stderr.bytes.len()) as u64 > limits.bytes {
                break Stop::Ended(Ended::Output);
            }
        };
        Ok(Captured { stop, pieces: self.pieces(mark, &end, lines.events) })
    }

    fn fill(&mut self) -> io::Result<usize> {
        let mut grown = 0;
        for pipe in [&mut self.stdout, &mut self.stderr, &mut self.events] {
            grown += pipe.fill()?;
        }
        for pipe in &mut self.earlier {
            pipe.fill()?;
            pipe.bytes.clear();
        }
        self.earlier.retain(|pipe| !pipe.closed);
        Ok(grown)
    }

    /// Waits until there is something to read, the block or the interpreter ends, or the time is over.
    fn wait(&mut self, done: Option<&Pipe>, time: Duration) -> io::Result<Ends> {
        let pipes = [&mut self.stdout, &mut self.stderr, &mut self.events].into_iter().chain(&mut self.earlier);
        let mut open: Vec<&mut Pipe> = pipes.filter(|pipe| !pipe.closed).collect();
        let mut polled: Vec<PollFd> = vec![PollFd::new(&self.alive, PollFlags::IN)];
        polled.extend(done.map(|pipe| PollFd::new(&pipe.reader, PollFlags::IN)));
        polled.extend(open.iter().map(|pipe| PollFd::new(&pipe.reader, PollFlags::IN)));
        let time = Timespec { tv_sec: time.as_secs() as i64, tv_nsec: i64::from(time.subsec_nanos()) };
        match poll(&mut polled, Some(&time)) {
            Ok(_) => {}
            Err(rustix::io::Errno::INTR) => return Ok(Ends::default()),
            Err(error) => return Err(error.into()),
        }
        let told: Vec<PollFlags> = polled.iter().map(PollFd::revents).collect();
        let ends = Ends { interpreter: !told[0].is_empty(), block: done.is_some() && told[1].contains(PollFlags::HUP) };
        let from = 1 + usize::from(done.is_some());
        for (pipe, told) in open.iter_mut().zip(&told[from..]) {
            // Nobody writes to it any more, and nothing is in it.
            pipe.closed |= told.contains(PollFlags::HUP) && !told.contains(PollFlags::IN);
        }
        Ok(ends)
    }

    /// Cuts standard output at its marks and puts each event in its place; error output goes before the first
    /// event whose mark comes after it there, or to the end.
    fn pieces(&mut self, mark: &str, end: &[u8], mut events: Vec<Option<RawPiece>>) -> Vec<RawPiece> {
        let start = mark_start(mark);
        let (bytes, notices) = (self.stdout.until(end), self.stderr.until(end));
        let (mut noticed, late) = cut(&notices, &start);
        let (printed, rest) = cut(&bytes, &start);
        let mut pieces = Vec::new();
        for (text, number) in printed {
            pieces.extend((!text.is_empty()).then(|| RawPiece::Text(text.to_vec())));
            let before = noticed.iter().take_while(|(_, at)| *at <= number).count();
            let told = noticed.drain(..before).filter(|(text, _)| !text.is_empty());
            pieces.extend(told.map(|(text, _)| RawPiece::Notice(text.to_vec())));
            pieces.extend(events.get_mut(number.wrapping_sub(1)).and_then(Option::take));
        }
        pieces.extend((!rest.is_empty()).then(|| RawPiece::Text(rest.to_vec())));
        pieces.extend(events.into_iter().flatten());
        let notices = noticed.into_iter().map(|(text, _)| text).chain([late]).filter(|text| !text.is_empty());
        pieces.extend(notices.map(|text| RawPiece::Notice(text.to_vec())));
        pieces
    }
}

/// How much of what is printed has been told.
struct Telling {
    start: Vec<u8>,
    told: usize,
    last: Instant,
}

impl Telling {
    /// So often is something told at most.
    const PAUSE: Duration = Duration::from_millis(100);
    /// Of much that came at once, so many bytes are told.
    const MOST: usize = 8192;

    /// Tells the whole lines that came, without marks.
    fn tell(&mut self, printed: &[u8], heard: &Heard) {
        if self.last.elapsed() < Self::PAUSE || printed.len() <= self.told {
            return;
        }
        let Some(end) = printed[self.told..].iter().rposition(|&byte| byte == b'\n') else { return };
        let new = &printed[self.told..=self.told + end];
        let (parts, rest) = cut(new, &self.start);
        let text: Vec<u8> = parts.iter().flat_map(|(text, _)| *text).chain(rest).copied().collect();
        let text = String::from_utf8_lossy(&text[text.len().saturating_sub(Self::MOST)..]).into_owned();
        self.told += end + 1;
        self.last = Instant::now();
        if !text.trim().is_empty() {
            (heard.0)(&text);
        }
    }
}

/// Cuts a stream at its marks: what stands before each mark, with the mark's number, and what stands after the last.
fn cut<'a>(bytes: &'a [u8], start: &[u8]) -> (Vec<(&'a [u8], usize)>, &'a [u8]) {
    let mut parts = Vec::new();
    let mut rest = bytes;
    while let Some(at) = find(rest, start) {
        let after = &rest[at + start.len()..];
        let close = after.iter().position(|&b| b == 3).unwrap_or(after.len());
        let number = std::str::from_utf8(&after[..close]).ok().and_then(|text| text.parse().ok()).unwrap_or(0);
        parts.push((&rest[..at], number));
        rest = after.get(close + 1..).unwrap_or(&[]);
    }
    (parts, rest)
}

/// The events of a block, a line each.
struct Lines {
    events: Vec<Option<RawPiece>>,
}

impl Lines {
    /// The events among some bytes: what stands after the block's mark and a space, a line each. What lacks the mark
    /// was written by somebody else, and is none.
    fn take(&mut self, mark: &str, unmarked_is_a_fault: bool, bytes: &mut Vec<u8>) -> Vec<RawPiece> {
        let Some(last) = bytes.iter().rposition(|&b| b == b'\n') else { return Vec::new() };
        let whole: Vec<u8> = bytes.drain(..=last).collect();
        let marked = format!("{mark} ").into_bytes();
        let lines = whole.split(|&b| b == b'\n');
        let unreadable = |line: &[u8]| RawPiece::Unreadable(String::from_utf8_lossy(line).chars().take(200).collect());
        let event = |line: &[u8]| match find(line, &marked).map(|at| &line[at + marked.len()..]) {
            Some(event) => Some(serde_json::from_slice(event).map_or_else(|_| unreadable(event), RawPiece::Event)),
            None => (unmarked_is_a_fault && !line.is_empty()).then(|| unreadable(line)),
        };
        lines.filter_map(event).collect()
    }
}

/// Whether a block or its interpreter is at its end.
#[derive(Debug, Default)]
struct Ends {
    block: bool,
    interpreter: bool,
}

/// How a pipe comes to its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    /// When nothing can be read any more.
    Lasting,
    /// It has a name. Before somebody opens it, nothing can be read either.
    Named,
}

/// A pipe that is read without waiting.
#[derive(Debug)]
pub(crate) struct Pipe {
    reader: OwnedFd,
    kind: Kind,
    bytes: Vec<u8>,
    closed: bool,
}

impl Pipe {
    fn new(reader: OwnedFd, kind: Kind) -> io::Result<Self> {
        let flags = rustix::fs::fcntl_getfl(reader.as_fd())?;
        rustix::fs::fcntl_setfl(reader.as_fd(), flags | rustix::fs::OFlags::NONBLOCK)?;
        Ok(Pipe { reader, kind, bytes: Vec::new(), closed: false })
    }

    /// Makes a pipe with a name, to be opened by whoever writes to it.
    pub fn named(path: &Path) -> io::Result<Self> {
        use rustix::fs::{CWD, FileType, Mode, OFlags, mknodat, open};
        mknodat(CWD, path, FileType::Fifo, Mode::RUSR | Mode::WUSR, 0)?;
        let reader = open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty())?;
        Pipe::new(reader, Kind::Named)
    }

    /// Reads what is there, up to 1 MiB, and returns how much it was.
    fn fill(&mut self) -> io::Result<usize> {
        let mut buffer = [0; 64 * 1024];
        let mut grown = 0;
        while !self.closed && grown < 1 << 20 {
            match rustix::io::read(&self.reader, &mut buffer) {
                Ok(0) if self.kind == Kind::Named => break,
                Ok(0) => self.closed = true,
                Ok(count) => {
                    self.bytes.extend_from_slice(&buffer[..count]);
                    grown += count;
                }
                Err(rustix::io::Errno::AGAIN) => break,
                Err(rustix::io::Errno::INTR) => {}
                Err(error) => return Err(error.into()),
            }
        }
        Ok(grown)
    }

    /// Where the end mark begins, when it is the last thing that came.
    fn ends_at(&self, end: &[u8]) -> Option<usize> {
        let tail = self.bytes.len().saturating_sub(end.len() + 4096);
        find(&self.bytes[tail..], end).map(|at| tail + at)
    }

    /// Takes the bytes before the end mark and leaves nothing.
    fn until(&mut self, end: &[u8]) -> Vec<u8> {
        let mut bytes = std::mem::take(&mut self.bytes);
        if let Some(at) = find(&bytes, end) {
            bytes.truncate(at);
        }
        bytes
    }
}

fn find(bytes: &[u8], wanted: &[u8]) -> Option<usize> {
    let first = *wanted.first()?;
    let mut from = 0;
    while let Some(step) = bytes[from..].iter().position(|&b| b == first) {
        let at = from + step;
        if bytes[at..].starts_with(wanted) {
            return Some(at);
        }
        from = at + 1;
    }
    None
}
