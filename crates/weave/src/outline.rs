//! What every weave asks of the last one of its document, in a record of its own: the whole [`History`] is read only
//! where one of its blocks is asked about.

use crate::history::{History, Past, names};
use crate::observations::Made;
use crate::plan::{Plan, block_title};
use serde::{Deserialize, Serialize};
use vineloom_document::{BlockIndex, Diagnostic, Document, LiveBlock};
use vineloom_store::{Digest, Objects, from_record, to_record};

/// The last weave of one document, in short.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Outline {
    /// What its blocks are known by, in the order in which they ran.
    order: Vec<String>,
    /// Those that used the network.
    network: Vec<String>,
    /// The files that they made.
    made: Vec<String>,
}

impl Outline {
    fn place(document: &str) -> Digest {
        Digest::of(format!("outline of {document}").as_bytes())
    }

    /// The outline of a document, by its path in the project; empty when it was never woven.
    pub fn load(store: &dyn Objects, document: &str) -> Outline {
        store.record(Self::place(document)).and_then(|bytes| from_record(&bytes)).unwrap_or_default()
    }

    /// Keeps it. It is of use and not needed, so a store that can't be written is no failure.
    pub fn save(&self, store: &dyn Objects, document: &str) {
        let _ = store.write_record(Self::place(document), &to_record(self));
    }

    /// The outline of a weave.
    pub fn of(history: &History) -> Outline {
        let files = |past: &Past| past.files.clone().unwrap_or_default();
        let is_file = |(name, made): (String, Made)| matches!(made, Made::File(..)).then_some(name);
        let used_network = |past: &&Past| past.files.as_ref().is_some_and(|files| files.network);
        Outline {
            order: history.blocks.iter().map(|past| past.known_as.clone()).collect(),
            network: history.blocks.iter().filter(used_network).map(|past| past.known_as.clone()).collect(),
            made: history.blocks.iter().flat_map(|past| files(past).outputs).filter_map(is_file).collect(),
        }
    }

    /// The files that its blocks made.
    pub fn made(&self) -> &[String] {
        &self.made
    }

    /// Whether the blocks of the last weave were those of this one, in the order of this one.
    pub fn is_in_order(&self, document: &Document, plan: &Plan) -> bool {
        let names = names(document);
        plan.order.len() == self.order.len()
            && plan.order.iter().zip(&self.order).all(|(&index, known)| names[index] == *known)
    }

    /// A hint for every block that used the network in the last weave and is kept all the same.
    pub fn used_network(&self, document: &Document) -> Vec<Diagnostic> {
        if self.network.is_empty() {
            return Vec::new();
        }
        let names = names(document);
        let used = |(index, block): (BlockIndex, &LiveBlock)| {
            (self.network.contains(&names[index]) && block.options.run.is_stored()).then(|| {
                let message =
                    format!("{} uses the network, and its result is kept all the same", block_title(document, index));
                Diagnostic::hint(block.fence, message)
                    .help("what is fetched is no input: `run=always` fetches it at every weave")
            })
        };
        document.live.enumerate().filter_map(used).collect()
    }
}
