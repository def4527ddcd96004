//! Running code: the language table, drivers, strands, and the capture of everything a block gives.
//!
//! A [`Strand`] is one running interpreter. [`Strand::run`] gives it a block of code and returns an
//! [`Outcome`]: text, notices, values, tables, figures and failures, in order. Nothing here knows of documents
//! or of storing.

#![forbid(unsafe_code)]

mod block_run;
mod capture;
mod environment;
mod find;
mod frames;
mod language;
mod outcome;
mod protocol;
mod request;
mod shell_state;
mod state;
mod strand;
mod strand_folder;
mod terminal_session;

pub use block_run::{BlockRun, Form, RunError};
pub use capture::{Ended, Heard, Interrupt};
pub use environment::Surroundings;
pub use find::{Interpreter, MissingInterpreter};
pub use language::{Language, LanguageError, Languages};
pub use outcome::{FailurePlace, ListItem, Outcome, Piece, ValueKind};
pub use protocol::{FigureWishes, Held, Streams, Variable, VariableValue};
pub use state::Saved;
pub use strand::Strand;
pub use strand_folder::{TemporaryFolder, clear_abandoned_sessions, is_temporary};
pub use vineloom_observe::{
    Access, AtRest, Before, Found, LeftOut, Observed, Output, Products, Seen, Stamp, Watch, moment, now, place,
    read_file,
};
