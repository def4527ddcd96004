//! What is asked of a weave.

use crate::open::{Opened, Text};
use crate::placing::Destination;
use crate::problem::Problem;
use std::path::Path;
use vineloom_document::options::Format;
use vineloom_store::Secret;
use vineloom_weave::{OnFailure, Reuse};

/// What is asked for.
#[derive(Debug, Clone)]
pub struct Order<'a> {
    /// The document.
    pub file: &'a Path,
    /// Parameters set from outside, as `name` and text.
    pub set: &'a [(String, String)],
    /// The formats to export; those that the document asks for, when there is none.
    pub formats: &'a [Format],
    /// The document's text, where it is not in its file.
    pub held: Option<&'a str>,
    /// What its exports are called, without their endings; after the document unless given.
    pub name: Option<&'a str>,
    /// Where its exports go.
    pub destination: Destination<'a>,
    /// Whether to replace also what somebody wrote by hand in the places of exports.
    pub overwrite: bool,
    /// Which stored results may be used.
    pub reuse: Reuse,
    /// Whether blocks may run.
    pub presence: Presence,
    /// What a block that fails does to the document.
    pub on_failure: OnFailure,
    /// How many of its strands may run a block at once, where it is known that neither can see the other.
    pub at_once: usize,
}

/// The usual order for a document: everything that it asks for itself.
pub fn order_for(file: &Path) -> Order<'_> {
    Order {
        file,
        set: &[],
        formats: &[],
        held: None,
        name: None,
        destination: Destination::Beside,
        overwrite: false,
        reuse: Reuse::Stored,
        presence: Presence::Running,
        on_failure: OnFailure::Stop,
        at_once: 1,
    }
}

/// Whether blocks may run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Presence {
    /// They run where they must.
    Running,
    /// Nothing runs: all is taken from stored results, as on a machine without interpreters.
    StoredOnly,
    /// Nothing may have to run: with everything as it is on this machine, all stored results are still true.
    AllKept,
}

impl Opened {
    /// Opens a document from disk as an order has it.
    ///
    /// # Errors
    /// As [`Opened::open`].
    pub fn for_order(order: &Order, secret: &Secret) -> Result<Self, Box<Problem>> {
        let text = order.held.map_or(Text::OnDisk, |text| Text::Held(text.into()));
        Opened::open_as(order.file, order.name, text, order.set, Some(secret))
    }
}
