//! The files that exports were written to by weaves of a store: they are no part of a listing that a block makes.

use crate::file_name::{as_path, as_text};
use std::collections::BTreeSet;
use std::path::PathBuf;
use vineloom_store::{Digest, Objects, from_record, to_record};

/// The files of exports that weaves of this store have written.
pub(crate) fn exports_of(store: &dyn Objects) -> Vec<PathBuf> {
    let names = store.own_record(place_of_exports()).and_then(|bytes| from_record::<Vec<String>>(&bytes));
    names.unwrap_or_default().iter().map(|name| as_path(name)).collect()
}

/// Takes note of files that exports are written to: they are no part of a listing that a block makes.
pub fn remember_exports(store: &dyn Objects, written: &[PathBuf]) {
    let mut all: BTreeSet<PathBuf> = exports_of(store).into_iter().collect();
    let before = all.len();
    all.extend(written.iter().cloned());
    if all.len() > before {
        let names: Vec<String> = all.iter().map(|path| as_text(path)).collect();
        // Without it the blocks that list the folder run once more.
        let _ = store.write_record(place_of_exports(), &to_record(&names));
    }
}

fn place_of_exports() -> Digest {
    Digest::of(b"exports of this store")
}
