//! What any front end needs, silently: finding and opening documents, what is wrong with them, weaving them, their
//! exports, and putting these in their places.
//!
//! Nothing here prints, parses arguments or knows of terminals, sockets or editors: what there is to say comes back as
//! values, or as [`Event`]s while it happens. The way of a document is
//!
//! 1. [`Opened`]: its text, from disk or as an editor holds it, put together with the files it names; all findings that
//!    can be known without running;
//! 2. [`Planned`]: what runs in which order, with its store and its history;
//! 3. [`Weave`]: run, spliced, exported, written whole.
//!
//! ```no_run
//! use std::path::Path;
//! use vineloom_project::{Opened, Text};
//!
//! let opened = Opened::open(Path::new("guide.vine.md"), Text::OnDisk, &[], None).map_err(|problem| problem.findings)?;
//! for finding in opened.findings() {
//!     println!("{}: {}", opened.file.display(), finding.message);
//! }
//! # Ok::<(), Vec<vineloom_document::Diagnostic>>(())
//! ```

#![forbid(unsafe_code)]

mod after;
mod assets;
mod colours;
mod compare;
mod dates;
mod events;
mod exports;
mod findings;
mod formats;
mod formulas;
mod languages;
mod location;
mod manifest;
mod memory;
mod moved;
mod named_files;
mod open;
mod order;
mod pack;
mod placing;
mod planned;
mod problem;
mod rows;
mod store_of_project;
mod surroundings;
mod trees;
mod trust;
mod unpack;
mod weave;

pub use after::{Step, Steps};
pub use compare::{Placed, compare};
pub use events::{Event, Live, Phase, WarmStrands};
pub use exports::{Made, Onlooker, SeePages};
pub use formats::exporter;
pub use location::{from_here, store_for};
pub use manifest::Manifest;
pub use open::{Opened, Text, read_source};
pub use order::{Order, Presence, order_for};
pub use pack::{Packed, pack};
pub use placing::{Destination, Place, Placing, shared};
pub use planned::Planned;
pub use problem::{Fault, Problem};
pub use rows::{Row, Rows, names_exports};
pub use surroundings::{secret, surroundings};
pub use trees::Trees;
pub use trust::Trust;
pub use unpack::{Limits, unpack};
pub use vineloom_docx::{Remark, RemarkKind};
pub use vineloom_export::{Page, Pages, SetText};
pub use weave::{Weave, Woven};
