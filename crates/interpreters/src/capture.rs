//! Reading what a block gives while it runs: two streams, the driver's events, a clock and an interrupt.

use crate::protocol::{Event, mark_start};
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use std::io::{self, PipeReader, Read};
use std::os::fd::AsFd;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// A wish, from another thread or a signal, that everything running ends.
#[derive(Debug, Clone, Default)]
pub struct Interrupt(Arc<AtomicBool>);

impl Interrupt {
    /// Makes the wish known.
    pub fn raise(&self) {
        self.0.store(true, Ordering::SeqCst);
    }

    /// Whether it was made.
    pub fn raised(&self) -> bool {
        self.0.load(Ordering::SeqCst)
    }

    /// The flag itself, for a signal handler.
    pub fn flag(&self) -> Arc<AtomicBool> {
        Arc::clone(&self.0)
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
}

/// How long is waited for output that is still on its way when the end mark does not come.
const GRACE: Duration = Duration::from_millis(150);
/// How often the interrupt is looked at.
const TICK: Duration = Duration::from_millis(100);

impl Capture {
    pub fn new(stdout: PipeReader, stderr: PipeReader, events: PipeReader) -> io::Result<Self> {
        Ok(Capture { stdout: Pipe::new(stdout)?, stderr: Pipe::new(stderr)?, events: Pipe::new(events)? })
    }

    /// Throws away what came since the last block ended: the output of processes left in the background.
    pub fn discard_pending(&mut self) -> io::Result<()> {
        for pipe in [&mut self.stdout, &mut self.stderr, &mut self.events] {
            pipe.fill()?;
            pipe.bytes.clear();
        }
        Ok(())
    }

    /// Reads until the block's end mark, the interpreter's end, a limit or an interrupt. `told` are its first events,
    /// known before the driver says anything.
    pub fn block(
        &mut self,
        mark: &str,
        told: Vec<Event>,
        deadline: Instant,
        limit: u64,
        interrupt: &Interrupt,
    ) -> io::Result<Captured> {
        let end = [mark_start(mark), b"end\x03".to_vec()].concat();
        let mut last_data = Instant::now();
        let mut done = None;
        let mut lines = Lines { events: told.into_iter().map(|event| Some(RawPiece::Event(event))).collect() };
        let stop = loop {
            let finished = |pipe: &Pipe| pipe.closed || pipe.ends_at(&end).is_some();
            let quiet = last_data.elapsed() > GRACE;
            if let Some(exit) = done
                && (quiet || finished(&self.stdout) && finished(&self.stderr))
            {
                break Stop::Done(exit);
            }
            if self.events.closed && done.is_none() && (quiet || self.stdout.closed && self.stderr.closed) {
                break Stop::Gone;
            }
            if interrupt.raised() {
                break Stop::Ended(Ended::Interrupted);
            }
            let left = deadline.saturating_duration_since(Instant::now());
            if left.is_zero() {
                break Stop::Ended(Ended::Time);
            }
            let waits_for_the_rest = done.is_some() || self.events.closed;
            self.wait(left.min(if waits_for_the_rest { GRACE / 5 } else { TICK }))?;
            let mut grown = 0;
            for pipe in [&mut self.stdout, &mut self.stderr, &mut self.events] {
                grown += pipe.fill()?;
            }
            if grown > 0 {
                last_data = Instant::now();
            }
            for event in lines.take(&mut self.events.bytes) {
                match event {
                    RawPiece::Event(Event::Done { exit }) => done = Some(exit),
                    other => lines.events.push(Some(other)),
                }
            }
            if self.stdout.bytes.len().max(self.stderr.bytes.len()) as u64 > limit {
                break Stop::Ended(Ended::Output);
            }
        };
        Ok(Captured { stop, pieces: self.pieces(mark, &end, lines.events) })
    }

    fn wait(&self, time: Duration) -> io::Result<()> {
        let open = [&self.stdout, &self.stderr, &self.events];
        let mut polled: Vec<PollFd> =
            open.iter().filter(|p| !p.closed).map(|p| PollFd::new(&p.reader, PollFlags::IN)).collect();
        let time = Timespec { tv_sec: time.as_secs() as i64, tv_nsec: i64::from(time.subsec_nanos()) };
        match poll(&mut polled, Some(&time)) {
            Ok(_) | Err(rustix::io::Errno::INTR) => Ok(()),
            Err(error) => Err(error.into()),
        }
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
    fn take(&mut self, bytes: &mut Vec<u8>) -> Vec<RawPiece> {
        let Some(last) = bytes.iter().rposition(|&b| b == b'\n') else { return Vec::new() };
        let whole: Vec<u8> = bytes.drain(..=last).collect();
        let lines = whole.split(|&b| b == b'\n').filter(|line| !line.is_empty());
        lines
            .map(|line| match serde_json::from_slice(line) {
                Ok(event) => RawPiece::Event(event),
                Err(_) => RawPiece::Unreadable(String::from_utf8_lossy(line).chars().take(200).collect()),
            })
            .collect()
    }
}

/// A pipe that is read without waiting.
#[derive(Debug)]
struct Pipe {
    reader: PipeReader,
    bytes: Vec<u8>,
    closed: bool,
}

impl Pipe {
    fn new(reader: PipeReader) -> io::Result<Self> {
        let flags = rustix::fs::fcntl_getfl(reader.as_fd())?;
        rustix::fs::fcntl_setfl(reader.as_fd(), flags | rustix::fs::OFlags::NONBLOCK)?;
        Ok(Pipe { reader, bytes: Vec::new(), closed: false })
    }

    /// Reads what is there, up to 1 MiB, and returns how much it was.
    fn fill(&mut self) -> io::Result<usize> {
        let mut buffer = [0; 64 * 1024];
        let mut grown = 0;
        while !self.closed && grown < 1 << 20 {
            match self.reader.read(&mut buffer) {
                Ok(0) => self.closed = true,
                Ok(count) => {
                    self.bytes.extend_from_slice(&buffer[..count]);
                    grown += count;
                }
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => break,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
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
