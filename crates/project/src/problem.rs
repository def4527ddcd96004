//! Why something could not be done.

use vineloom_document::{Diagnostic, Sources};

/// Why something could not be done, to be told by the front end.
#[derive(Debug, Clone)]
pub struct Problem {
    /// Whose fault it is.
    pub fault: Fault,
    /// What is wrong, and what to do about it.
    pub findings: Vec<Diagnostic>,
    /// The texts that the findings lie in.
    pub sources: Sources,
    /// The last lines that a block printed, when it is one that failed.
    pub output: String,
}

/// Whose fault it is that something could not be done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fault {
    /// A block or a check failed.
    Document,
    /// The call was wrong, or a document can't be read.
    Use,
    /// The user interrupted it.
    Interrupt,
}

impl Problem {
    /// A problem that has no place in a text.
    pub fn unplaced(fault: Fault, finding: Diagnostic) -> Box<Self> {
        Problem::of(fault, vec![finding], &Sources::default())
    }

    /// A problem in these texts.
    pub fn of(fault: Fault, findings: Vec<Diagnostic>, sources: &Sources) -> Box<Self> {
        Box::new(Problem { fault, findings, sources: sources.clone(), output: String::new() })
    }

    /// The user interrupted what was going on.
    pub fn interrupted() -> Box<Self> {
        Problem::of(Fault::Interrupt, Vec::new(), &Sources::default())
    }
}
