//! A block as it is given to an interpreter, and why it may give no outcome.

use crate::capture::Ended;
use crate::outcome::Piece;
use crate::protocol::{FigureWishes, Streams, Variable};
use std::collections::BTreeMap;
use std::io;
use std::path::PathBuf;
use std::time::Duration;

/// What the code of a block is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Form {
    /// Code of the language.
    #[default]
    Code,
    /// Code of which each statement is told before what it gives.
    Transcript,
    /// An expression that a sentence asks for: nothing is a value too.
    Expression,
    /// A terminal session: the commands of a shell behind their prompts.
    Session,
}

/// One block to run.
#[derive(Debug, Clone, Default)]
pub struct BlockRun {
    /// What to call the code in messages: `@` and a name.
    pub label: String,
    /// The code.
    pub code: String,
    /// What the code is.
    pub form: Form,
    /// The folder to run in; nothing: wherever the strand stands.
    pub cwd: Option<PathBuf>,
    /// The scratch folder, which readers know as `/scratch`.
    pub scratch: Option<PathBuf>,
    /// Environment variables for this block alone.
    pub env: BTreeMap<String, String>,
    /// Variables handed in.
    pub variables: Vec<Variable>,
    /// Text on standard input.
    pub stdin: Option<String>,
    /// How standard output and error come in.
    pub streams: Streams,
    /// A picture file that it leaves on disk.
    pub figure: Option<PathBuf>,
    /// How the language's own plotting should draw.
    pub figures: FigureWishes,
    /// It is ended after this time.
    pub time_limit: Duration,
    /// It is ended when a stream grows beyond this many bytes.
    pub output_limit: u64,
    /// For shells: it ends at its first command that fails.
    pub stop: bool,
}

/// A block that gave no outcome.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// It was ended.
    #[error("the block was ended")]
    Ended {
        /// Why.
        why: Ended,
        /// What it had printed by then.
        so_far: Vec<Piece>,
    },
    /// It did not leave the picture it was to leave.
    #[error("the block left no picture {}", .0.display())]
    NoFigure(PathBuf),
    /// The folder it is to run in is not there.
    #[error("there is no folder {}", .0.display())]
    NoFolder(PathBuf),
    /// The interpreter could not be started, or a file it needs not be written.
    #[error("{what}: {source}")]
    System {
        /// What failed.
        what: String,
        /// Why.
        #[source]
        source: io::Error,
    },
    /// The driver said something that is not in its language.
    #[error("the driver sent a line that is no event behind the block's mark: {0}")]
    Protocol(String),
}
