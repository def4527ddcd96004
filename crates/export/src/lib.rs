//! From a woven document to bytes: one module a format, and what they share.
//!
//! Exporters are pure: the same woven document and options give the same bytes.

#![forbid(unsafe_code)]

pub mod highlight;
pub mod html;
pub mod math;

/// Something a format can't show as it was meant, told once a kind.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Loss {
    /// What it is and what stands in its place.
    pub message: String,
    /// What could be done about it.
    pub help: Option<String>,
}
