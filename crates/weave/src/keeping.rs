//! Outcomes in the store: a record with the figures' bytes beside it.

use crate::key::Key;
use std::sync::Arc;
use vineloom_interpreters::{Outcome, Piece};
use vineloom_store::{Store, StoreError};

/// Where outcomes are kept. A trait, so that the running of documents is tested without files.
pub trait Keeping {
    /// The outcome kept under a key; nothing when there is none, or when any part of it is gone or damaged.
    fn load(&self, key: Key) -> Option<Outcome>;

    /// Keeps an outcome.
    ///
    /// # Errors
    /// [`StoreError`] when it can't be written.
    fn keep(&self, key: Key, outcome: &Outcome) -> Result<(), StoreError>;
}

impl Keeping for Store {
    fn load(&self, key: Key) -> Option<Outcome> {
        let mut outcome: Outcome = serde_json::from_slice(&self.record(key.0)?).ok()?;
        for piece in &mut outcome.pieces {
            if let Piece::Figure(figure) = piece {
                figure.bytes = Arc::new(self.get(figure.hash.parse().ok()?)?);
            }
        }
        Some(outcome)
    }

    fn keep(&self, key: Key, outcome: &Outcome) -> Result<(), StoreError> {
        for piece in &outcome.pieces {
            if let Piece::Figure(figure) = piece {
                self.put(&figure.bytes)?;
            }
        }
        let record = serde_json::to_vec(outcome).unwrap_or_default();
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
        let key = Key(Digest::of(b"k"));
        store.keep(key, &outcome).unwrap();
        assert_eq!(store.load(key), Some(outcome));
        let object = folder.path().join("v1/objects").join(&figure.hash[..2]).join(&figure.hash[2..]);
        std::fs::remove_file(object).unwrap();
        assert_eq!(store.load(key), None);
    }
}
