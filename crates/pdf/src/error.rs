//! Why a document can't be typeset.

use crate::press::GivenUp;
use vineloom_document::Diagnostic;

/// A document that could not be typeset, with all that is wrong.
#[derive(Debug, Clone, thiserror::Error)]
#[error("{}", .0.iter().map(|error| error.message.as_str()).collect::<Vec<_>>().join("; "))]
pub(crate) struct PrintError(pub Vec<Diagnostic>);

impl PrintError {
    pub fn of(message: impl Into<String>, help: impl Into<String>) -> Self {
        PrintError(vec![Diagnostic::unplaced(message).help(help)])
    }
}

impl From<GivenUp> for PrintError {
    fn from(_: GivenUp) -> Self {
        PrintError(Vec::new())
    }
}
