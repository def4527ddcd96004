//! What splicing takes beside a document and its results.

use crate::pictures::Pictures;
use vineloom_woven::Memory;

/// What splicing takes beside a document and its results.
#[derive(Clone, Copy)]
pub struct Aids<'a> {
    /// The pictures that the document names.
    pub pictures: &'a dyn Pictures,
    /// What earlier weaves worked out.
    pub memory: &'a dyn Memory,
}
