//! Outcomes in the store: a record with the figures' bytes beside it.

use crate::key::Key;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use vineloom_interpreters::{Outcome, Piece};
use vineloom_store::{Digest, Store, StoreError};

/// What is kept of a block that ran.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Kept {
    /// What it gave.
    pub outcome: Outcome,
    /// The scratch folder after it, when it ran there.
    pub scratch: Option<Digest>,
}

/// Where outcomes are kept. A trait, so that the running of documents is tested without files.
pub trait Keeping {
    /// The outcome kept under a key; nothing when there is none, or when any part of it is gone or damaged.
    fn load(&self, key: Key) -> Option<Kept>;

    /// Keeps an outcome.
    ///
    /// # Errors
    /// [`StoreError`] when it can't be written.
    fn keep(&self, key: Key, kept: &Kept) -> Result<(), StoreError>;
}

impl Keeping for Store {
    fn load(&self, key: Key) -> Option<Kept> {
        let mut kept: Kept = serde_json::from_slice(&self.record(key.0)?).ok()?;
        for piece in &mut kept.outcome.pieces {
            if let Piece::Figure(figure) = piece {
                figure.bytes = Arc::new(self.get(figure.hash.parse().ok()?)?);
            }
        }
        Some(kept)
    }

    fn keep(&self, key: Key, kept: &Kept) -> Result<(), StoreError> {
        for piece in &kept.outcome.pieces {
            if let Piece::Figure(figure) = piece {
                self.put(&figure.bytes)?;
            }
        }
        let record = serde_json::to_vec(kept).unwrap_or_default();
        self.write_record(key.0, &record)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_interpreters::Figure;
    use vineloom_store::Digest;

    #[test]
    fn an_outcome_comes_back_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let figure = Figure::new(b"<svg/>".to_vec()).unwrap();
        let pieces = vec![Piece::Text("a\n".into()), Piece::Figure(figure.clone())];
        let outcome = Outcome { pieces, exit: 0, interpreter_ended: false, milliseconds: 3 };
        let kept = Kept { outcome, scratch: None };
        let key = Key(Digest::of(b"k"));
        store.keep(key, &kept).unwrap();
        assert_eq!(store.load(key), Some(kept));
        let object = folder.path().join("v1/objects").join(&figure.hash[..2]).join(&figure.hash[2..]);
        std::fs::remove_file(object).unwrap();
        assert_eq!(store.load(key), None);
    }
}
