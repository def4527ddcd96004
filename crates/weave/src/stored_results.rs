//! Outcomes in the store: a record with the figures' bytes beside it.

use crate::key::Key;
use crate::observations::Observations;
use crate::scratch;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use vineloom_interpreters::{Outcome, Piece};
use vineloom_store::{Digest, Objects, Origin, StoreError};

/// What is kept of a block that ran.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StoredResult {
    /// What it gave.
    pub outcome: Outcome,
    /// The scratch folder after it, when it ran there.
    pub scratch: Option<Digest>,
    /// What it did with files; nothing when that could not be observed.
    pub files: Option<Observations>,
    /// Where it comes from. What came with a store of somebody else's may be shown, and writes next to nothing.
    #[serde(default)]
    pub origin: Origin,
}

/// How large a record may grow, in bytes, before the oldest results in it are dropped.
const LARGEST_RECORD: usize = 4 << 20;

impl StoredResult {
    /// Whether a reader, or a later block, could tell this result from another.
    pub(crate) fn differs_from(&self, other: &StoredResult) -> bool {
        let outputs = |kept: &StoredResult| kept.files.as_ref().map(|files| files.outputs.clone());
        self.outcome.pieces != other.outcome.pieces
            || self.outcome.exit != other.outcome.exit
            || self.scratch != other.scratch
            || outputs(self) != outputs(other)
    }
}

/// How many results one key has, for as many states of the files that its block reads.
const RESULTS: usize = 8;

/// Where outcomes are kept. A trait, so that the running of documents is tested without files.
pub trait ResultStore {
    /// The results kept under a key, the newest first: one for each state of the files that the block read. Any of
    /// which a part is gone or damaged is left out.
    fn load(&self, key: Key) -> Vec<StoredResult>;

    /// Keeps a result, in place of one for the same state of the files.
    ///
    /// # Errors
    /// [`StoreError`] when it can't be written.
    fn keep(&self, key: Key, kept: &StoredResult) -> Result<(), StoreError>;
}

impl<O: Objects> ResultStore for O {
    fn load(&self, key: Key) -> Vec<StoredResult> {
        let whole = |mut kept: StoredResult| {
            for piece in &mut kept.outcome.pieces {
                if let Piece::Figure(figure) = piece {
                    figure.bytes = Arc::new(self.get(figure.hash.parse().ok()?)?);
                }
            }
            // What it left in the scratch folder is a part of it.
            kept.scratch.is_none_or(|tree| scratch::is_whole(tree, self)).then_some(kept)
        };
        records(self, key).into_iter().filter_map(whole).collect()
    }

    fn keep(&self, key: Key, kept: &StoredResult) -> Result<(), StoreError> {
        for piece in &kept.outcome.pieces {
            if let Piece::Figure(figure) = piece {
                self.put(&figure.bytes)?;
            }
        }
        let inputs = |kept: &StoredResult| kept.files.as_ref().map(|files| files.inputs.clone());
        let mut all = records(self, key);
        all.retain(|other| inputs(other) != inputs(kept));
        all.insert(0, kept.clone());
        all.truncate(RESULTS);
        let mut record = serde_json::to_vec(&all).unwrap_or_default();
        // All of a record is read to use one result of it.
        while record.len() > LARGEST_RECORD && all.len() > 1 {
            all.pop();
            record = serde_json::to_vec(&all).unwrap_or_default();
        }
        self.write_record(key.0, &record)
    }
}

fn records(store: &dyn Objects, key: Key) -> Vec<StoredResult> {
    let Some((bytes, origin)) = store.record_from(key.0) else { return Vec::new() };
    let mut records: Vec<StoredResult> = serde_json::from_slice(&bytes).unwrap_or_default();
    // In a record of one's own, each says for itself where it came from.
    if origin == Origin::Elsewhere {
        records.iter_mut().for_each(|kept| kept.origin = origin);
    }
    records
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_picture::Picture;
    use vineloom_store::{Digest, Secret, Store};

    #[test]
    fn an_outcome_comes_back_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path(), Secret::passing().unwrap()).unwrap();
        let figure = Picture::new(b"<svg/>".to_vec()).unwrap();
        let pieces = vec![Piece::Text("a\n".into()), Piece::Figure(figure.clone())];
        let outcome = Outcome { pieces, exit: 0, interpreter_ended: false, milliseconds: 3 };
        let kept = StoredResult { outcome, scratch: None, files: None, origin: Origin::Own };
        let key = Key(Digest::of(b"k"));
        store.keep(key, &kept).unwrap();
        assert_eq!(store.load(key), [kept]);
        let object = folder.path().join("v1/objects").join(&figure.hash[..2]).join(&figure.hash[2..]);
        std::fs::remove_file(object).unwrap();
        assert_eq!(store.load(key), []);
    }
}
