//! What the files of office programs share: the package of parts with their relations and content types (Open Packaging
//! Conventions, ECMA-376 part 2), what a file says of itself, the pictures in it.
//!
//! [`Package`] is one that is being made, [`Opened`] one that somebody else made, read for what can be taken over.

#![forbid(unsafe_code)]

mod opened;
mod package;
mod pictures;
mod theme;

pub use opened::{Opened, OpenedRelation, Unreadable};
pub use package::{HEAD, Package, Relation, is_signed};
pub use pictures::{Gallery, Known};
pub use theme::theme;
