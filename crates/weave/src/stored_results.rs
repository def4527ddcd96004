//! Outcomes in the store: a record with the figures' bytes beside it.

use crate::key::Key;
use crate::observations::Observations;
use crate::scratch;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use vineloom_interpreters::{Outcome, Piece, Saved};
use vineloom_store::{Digest, Objects, Origin, StoreError, from_record, to_record};

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
        let outputs =
            |kept: &StoredResult| kept.files.as_ref().map(|files| files.lasting().cloned().collect::<Vec<_>>());
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

    /// What is kept of the state of a strand, if this user kept it: taking up a state runs code.
    fn state(&self, _key: Key) -> Option<KeptState> {
        None
    }

    /// Keeps the state of a strand, or why there is none.
    ///
    /// # Errors
    /// [`StoreError`] when it can't be written.
    fn keep_state(&self, _key: Key, _saved: &Saved) -> Result<(), StoreError> {
        Ok(())
    }

    /// The state that is kept under its digest.
    fn state_of(&self, _digest: Digest) -> Option<Vec<u8>> {
        None
    }
}

/// What is kept of the state of a strand.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum KeptState {
    /// The state is there, under this digest.
    There(Digest),
    /// It could not be saved faithfully: why, as the end of a sentence.
    InDoubt(String),
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
        let mut record = to_record(&all);
        // All of a record is read to use one result of it.
        while record.len() > LARGEST_RECORD && all.len() > 1 {
            all.pop();
            record = to_record(&all);
        }
        self.write_record(key.0, &record)
    }

    fn state(&self, key: Key) -> Option<KeptState> {
        from_record(&self.own(key.0)?)
    }

    fn keep_state(&self, key: Key, saved: &Saved) -> Result<(), StoreError> {
        let kept = match saved {
            Saved::State(state) => {
                let digest = Digest::of(state);
                self.keep_own(digest, state)?;
                KeptState::There(digest)
            }
            Saved::InDoubt(why) => KeptState::InDoubt(why.clone()),
        };
        self.keep_own(key.0, &to_record(&kept))
    }

    fn state_of(&self, digest: Digest) -> Option<Vec<u8>> {
        self.own(digest)
    }
}

fn records(store: &dyn Objects, key: Key) -> Vec<StoredResult> {
    let Some((bytes, origin)) = store.record_from(key.0) else { return Vec::new() };
    let mut records: Vec<StoredResult> = from_record(&bytes).unwrap_or_default();
    // In a record of one's own, each says for itself where it came from.
    if origin == Origin::Elsewhere {
        records.iter_mut().for_each(|kept| kept.origin = origin);
    }
    records
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::history::{History, Past};
    use crate::installed::{Concealed, Said};
    use crate::interpreting::Known;
    use crate::key::Fact;
    use crate::observations::Made;
    use crate::outline::Outline;
    use vineloom_interpreters::{FailurePlace, ListItem, Seen, Stamp, ValueKind};
    use vineloom_picture::Picture;
    use vineloom_store::{Digest, Secret, Store};
    use vineloom_table::{Column, ColumnAlign, ColumnKind, Table};

    /// Records say nothing of the fields of what they hold. When this fails, a type that is kept has changed: raise
    /// `FORM` in the store's `encoding.rs`, then write down the new hash.
    #[test]
    fn what_is_kept_has_the_form_that_its_number_stands_for() {
        let digest = Digest::of(b"x");
        let stamp = |content| Stamp { size: 1, mode: 0o644, times: Some((-2, 3)), content };
        let seen = [
            Seen::Absent,
            Seen::Content("c".into()),
            Seen::Asked(stamp(None)),
            Seen::Asked(stamp(Some("c".into()))),
            Seen::There(0o600),
            Seen::Folder(0o700),
            Seen::Entries("e".into(), Some(0o700), vec!["own".into()]),
            Seen::Link("to".into()),
            Seen::Program(4, 5),
            Seen::Unsteady,
            Seen::Place("p".into()),
        ];
        let made =
            [Made::File(digest, 0o644), Made::Link("to".into()), Made::Folder(0o700), Made::Nothing, Made::Other];
        let item = ListItem { plain: "i".into(), kind: ValueKind::Number };
        let kinds = [ValueKind::Text, ValueKind::Number, ValueKind::Yes, ValueKind::No, ValueKind::Missing];
        let value = |kind| Piece::Value { text: "t".into(), plain: "p".into(), kind, items: vec![item.clone()] };
        let at = Some(FailurePlace { block: "@b".into(), line: 6 });
        let column = |kind, align| Column { name: "n".into(), kind, align };
        let columns = vec![
            column(ColumnKind::Number, None),
            column(ColumnKind::Amount, Some(ColumnAlign::Mark)),
            column(ColumnKind::Text, None),
        ];
        let mut pieces = vec![
            Piece::Text("t".into()),
            Piece::Notice("n".into()),
            Piece::Statement("s".into()),
            Piece::Table(Table { columns, rows: vec![vec![Some("3".into()), None, None]] }),
            Piece::Figure(Picture::new(b"<svg/>".to_vec()).unwrap()),
            Piece::Failure { summary: "s".into(), text: "t".into(), at, help: Some("h".into()) },
        ];
        pieces.extend(kinds.map(value));
        let numbered = |n: usize| n.to_string();
        let files = Observations {
            inputs: seen.into_iter().enumerate().map(|(n, seen)| (numbered(n), seen)).collect(),
            outputs: made.into_iter().enumerate().map(|(n, made)| (numbered(n), made)).collect(),
            unfollowed: Some("u".into()),
            network: true,
        };
        let outcome = Outcome { pieces, exit: 7, interpreter_ended: true, milliseconds: 8 };
        let kept = StoredResult { outcome, scratch: Some(digest), files: Some(files), origin: Origin::Elsewhere };
        let past = Past {
            known_as: "@b".into(),
            facts: vec![Fact { what: "w".into(), value: "v".into() }],
            files: kept.files.clone(),
            milliseconds: 9,
            bytes: 10,
        };
        let history = History { blocks: vec![past] };
        let values = std::collections::BTreeMap::from([("N".to_string(), "v".to_string())]);
        let known = Known {
            command: vec!["c".into()],
            version: "v".into(),
            driver: "d".into(),
            environment: values.clone(),
            session: true,
            shares_streams: false,
        };
        let said = Said { version: "v".into(), inputs: vec![("p".into(), Seen::Absent)] };
        let concealed = Concealed { by: "b".into(), values };
        let states = [KeptState::There(digest), KeptState::InDoubt("d".into())];
        let others = (&history, Outline::of(&history), known, said, concealed, states);
        assert_eq!(Digest::of(&to_record(&others)).to_string()[..16], *"df379d36e11acc92");
        let record = to_record(&vec![kept.clone()]);
        assert_eq!(Digest::of(&record).to_string()[..16], *"f2d427efdfd0eefa");
        let mut back: Vec<StoredResult> = from_record(&record).unwrap();
        for (piece, was) in back[0].outcome.pieces.iter_mut().zip(&kept.outcome.pieces) {
            if let (Piece::Figure(figure), Piece::Figure(was)) = (piece, was) {
                figure.bytes = was.bytes.clone();
            }
        }
        assert_eq!(back, [kept]);
    }

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
