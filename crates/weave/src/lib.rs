//! From a document to a woven tree: plan, run, splice.
//!
//! [`plan`] says what runs in which order; [`run`] gives [`Results`], from the store where they are still true;
//! [`splice`] puts them into the document. Interpreters and store are behind traits ([`Interpreting`],
//! [`Keeping`]); formats and terminals are not known here.

#![forbid(unsafe_code)]

mod chart;
mod citations;
mod failure;
mod file_name;
mod forecast;
mod fragment;
mod harmless;
mod history;
pub mod html_tokens;
mod interpreting;
mod keeping;
mod key;
mod names_set;
mod observations;
mod pictures;
mod plan;
mod request;
mod run;
mod scratch;
mod splice;
mod values;
mod verify;
pub mod woven;

pub use citations::check_citation_style;
pub use failure::{Failure, FailureKind};
pub use forecast::{Forecast, Runs, forecast};
pub use fragment::blocks as plain_markdown;
pub use history::{History, Past, changes, difference, names as known_names};
pub use interpreting::{Installed, Interpreting, Known, NotRunnable, OwnFiles, remember_exports};
pub use keeping::{Keeping, Kept};
pub use key::{Fact, Key};
pub use observations::{Made, Observations};
pub use pictures::{PictureProblem, Pictures, PicturesIn};
pub use plan::{Plan, StrandId, Task, block_title, check_transcripts, plan};
pub use run::{Progress, Results, Reuse, State, ended_strands, held_after, run};
pub use splice::{MarkdownText, splice, splice_text};
pub use values::with_names;
pub use verify::{Difference, Verified, verify};
pub use woven::Woven;
