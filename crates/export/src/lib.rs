//! From a woven document to bytes: the seam of all formats, what they share, and the light ones, a module each.
//!
//! Exporters are pure: the same [`Job`] gives the same bytes. A format says which assets it wants of a document
//! ([`Exporter::wants`]), gets a job (the tree, its own options, the assets), and gives an [`Export`] or findings. It
//! opens no file and asks for nothing else.

#![forbid(unsafe_code)]

pub mod deck;
pub mod epub;
mod exporter;
pub mod highlight;
pub mod highlighted;
pub mod html;
pub mod layout;
pub mod markdown;
pub mod math;
pub mod notebook;
mod proof;
pub mod raw_html;
pub mod text;
mod web_font;
pub mod xml;

pub use exporter::{AnyExporter, Assets, DataArchive, Export, Exporter, Job, NamedFile, Program, Want};
pub use html::escape::runs_code;
pub use layout::Contents;
pub use proof::{Page, Pages, Proof, SetText};
