//! What happens while a document is woven, and who is told of it.

use crate::exports::Onlooker;
use crate::problem::Problem;
use vineloom_document::{BlockIndex, Diagnostic, Document, Sources};
use vineloom_interpreters::Heard;
use vineloom_weave::{Plan, Progress, RunningInterpreter, Warm};

/// Something that happens while a document is woven.
#[derive(Debug)]
pub enum Event<'a> {
    /// The blocks of a plan begin to run. A document is read again when its blocks wrote what it is put together from:
    /// then this comes once more.
    Begins {
        /// The document as it was read.
        document: &'a Document,
        /// Its plan.
        plan: &'a Plan,
    },
    /// What happens to a block.
    Progress(Progress<'a>),
    /// Findings that came to light on the way, and the texts they lie in.
    Found(&'a Sources, &'a [Diagnostic]),
    /// A block failed, and the rest goes on.
    Failed(BlockIndex, &'a Problem),
    /// What is done now.
    Phase(Phase),
}

/// What is done with a document. It can only be left alone for good between two of these.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Phase {
    /// Blocks run.
    Running,
    /// Exports are made. Nothing is lost when the program ends here.
    Exporting,
    /// Exports take their places.
    Placing,
    /// All is done.
    Done,
}

/// The interpreters of a document that go on running between its weaves.
pub type WarmStrands = Warm<RunningInterpreter>;

/// What outlasts one of many weaves of a document, and who is told of it while it happens.
pub struct Live<'a> {
    /// What an earlier weave of the document left running; what this one leaves running is left there.
    pub warm: &'a mut WarmStrands,
    /// Is told what blocks print, while they print it.
    pub heard: &'a Heard,
    /// Who looks at the exports.
    pub onlooker: Onlooker<'a>,
}

impl Live<'_> {
    /// The same, for one more pass.
    pub(crate) fn again(&mut self) -> Live<'_> {
        Live { warm: self.warm, heard: self.heard, onlooker: self.onlooker }
    }
}
