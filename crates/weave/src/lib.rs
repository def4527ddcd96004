//! From a document to a woven tree: plan, run, splice.
//!
//! [`plan`] says what runs in which order; [`run`] gives [`Results`], from the store where they are still true;
//! [`splice`] puts them into the document. Interpreters and store are behind traits ([`Interpreting`],
//! [`ResultStore`]); formats and terminals are not known here.

#![forbid(unsafe_code)]

mod after_running;
mod beside;
mod chart;
mod citation_locales;
mod citations;
mod data_files;
mod exports_of_store;
mod failure;
mod file_name;
mod file_states;
mod forecast;
mod harmless;
mod history;
mod installed;
mod interpreting;
mod key;
mod labels;
mod memory;
mod names_in_code;
mod observations;
mod outline;
mod pictures;
mod plan;
mod printed_markdown;
mod program;
mod prose;
mod request;
mod results;
mod run;
mod scratch;
mod splice;
mod states_setting;
mod stored_results;
mod values;
mod verify;
mod works_in_order;
mod writing_back;

pub use after_running::findings_after;
pub use chart::check_charts;
pub use citations::{check_citation_style, check_works};
pub use data_files::check_data_files;
pub use exports_of_store::remember_exports;
pub use failure::{Failure, FailureKind};
pub use forecast::{Forecast, Runs, forecast};
pub use history::{History, Past, changes, difference, names as known_names};
pub use installed::{Installed, OwnFiles, Presence, RunningInterpreter};
pub use interpreting::{Caller, FileStates, Interpreting, Known, Machine, NotRunnable, ScratchFolder};
pub use key::{Fact, Key};
pub use labels::with_names;
pub use memory::Aids;
pub use observations::{Made, Observations};
pub use outline::Outline;
pub use pictures::{PictureProblem, Pictures, PicturesIn, check_pictures};
pub use plan::{Plan, StrandId, Task, block_title, check_transcripts, plan};
pub use printed_markdown::woven_markdown;
pub use program::program;
pub use prose::number_style;
pub use results::{BlockResult, Given, OnFailure, Progress, Results, Reuse, State};
pub use run::{LastWeave, Warm, held_after, run, run_side_by_side, run_to_the_end, run_warm};
pub use splice::{splice, splice_pieces, splice_text};
pub use states_setting::{STATES, states_from};
pub use stored_results::{KeptState, ResultStore, StoredResult};
pub use verify::{Difference, Verified, verify};
