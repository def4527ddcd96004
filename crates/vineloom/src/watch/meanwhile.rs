//! What happens while a document is woven.

use super::changes::Outline;
use super::printed::Editor;
use super::woven::{Ended, Watched};
use super::{LOOK_ROUND, QUIET, Signal, open_in_editor};
use serde_json::json;
use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::mpsc::Receiver;
use std::time::Instant;
use vineloom_document::BlockIndex;
use vineloom_interpreters::Interrupt;
use vineloom_project::{Opened, Text};
use vineloom_serve::{Ask, Server, concerns};
use vineloom_store::Secret;

/// Attends to a weave from its beginning to its end: ends what is not wanted any more, and hands on what it tells.
pub struct Attendant<'a> {
    /// Where what happens comes from.
    pub signals: &'a Receiver<Signal>,
    /// Where the document is shown, and as which one.
    pub server: &'a Server,
    pub at: usize,
    /// Whether the program is to end.
    pub program: &'a Interrupt,
    /// Ends the weave.
    pub weave: Interrupt,
    pub editor: Option<&'a Editor>,
    pub secret: &'a Secret,
    file: PathBuf,
    set: Vec<(String, String)>,
    /// The files of its text, and those that it read last without having written them.
    own: BTreeSet<PathBuf>,
    read: BTreeSet<PathBuf>,
}

/// What came while a document was woven, and how that ended.
#[derive(Default)]
pub struct Meanwhile {
    pub changes: Vec<Vec<PathBuf>>,
    pub asks: Vec<Ask>,
    /// Nothing where a fault in the program ended it.
    pub ended: Option<Ended>,
}

/// How far the weave is.
#[derive(Default)]
struct Stage {
    outline: Option<Outline>,
    running: Option<BlockIndex>,
    is_exporting: bool,
    /// When the document's own text changed last, or what it read, as long as that has not been looked at.
    changed: Option<Instant>,
}

impl<'a> Attendant<'a> {
    /// An attendant for a document.
    pub fn of(
        document: &Watched,
        (server, at): (&'a Server, usize),
        signals: &'a Receiver<Signal>,
        (program, editor, secret): (&'a Interrupt, Option<&'a Editor>, &'a Secret),
    ) -> Self {
        let (file, set, own, read) =
            (document.file.clone(), document.set.clone(), document.own.clone(), document.read());
        Attendant { signals, server, at, program, weave: Interrupt::default(), editor, secret, file, set, own, read }
    }

    /// Attends until the weave has told of its end. `is_over` says whether it can't tell any more.
    pub fn attend(&self, is_over: &dyn Fn() -> bool) -> Meanwhile {
        let (mut meanwhile, mut stage) = (Meanwhile::default(), Stage::default());
        while meanwhile.ended.is_none() {
            if self.program.raised() {
                self.weave.raise();
            }
            // An editor saves in several steps: what it has written in the middle is nothing to go by.
            if stage.changed.is_some_and(|changed| changed.elapsed() >= QUIET) {
                stage.changed = None;
                if !self.is_wanted(&stage) {
                    self.weave.raise();
                }
            }
            match self.signals.recv_timeout(if stage.changed.is_some() { QUIET } else { LOOK_ROUND }) {
                Ok(signal) => self.note(signal, &mut meanwhile, &mut stage),
                // It has told of its end, or a fault in the program has ended it.
                Err(_) if is_over() => match self.signals.try_recv() {
                    Ok(signal) => self.note(signal, &mut meanwhile, &mut stage),
                    Err(_) => break,
                },
                Err(_) => {}
            }
        }
        meanwhile
    }

    /// Whether what is done is still wanted in the document as it is now.
    fn is_wanted(&self, stage: &Stage) -> bool {
        let Some(running) = stage.running else {
            // Exports of what was are nothing that anybody waits for.
            return !stage.is_exporting;
        };
        let now = Opened::open(&self.file, Text::OnDisk, &self.set, Some(self.secret)).ok();
        stage.outline.as_ref().zip(now).is_some_and(|(outline, now)| outline.still_wants(running, &now))
    }

    fn note(&self, signal: Signal, meanwhile: &mut Meanwhile, stage: &mut Stage) {
        match signal {
            Signal::Changed(paths) => {
                let of = |files| paths.iter().any(|path| concerns(files, path));
                if paths.is_empty() || of(&self.own) || stage.is_exporting && of(&self.read) {
                    stage.changed = Some(Instant::now());
                }
                meanwhile.changes.push(paths);
            }
            Signal::Begins(outline) => stage.outline = Some(outline),
            Signal::Starts(index) => stage.running = Some(index),
            Signal::Exports => (stage.running, stage.is_exporting) = (None, true),
            Signal::Prints(text) => self.server.tell(self.at, &json!({ "event": "prints", "text": text })),
            // An editor is opened at once.
            Signal::Asked(Ask::Open(line)) => open_in_editor(self.editor, &line),
            Signal::Asked(ask) => meanwhile.asks.push(ask),
            Signal::Over(ended) => meanwhile.ended = Some(*ended),
        }
    }
}
