//! What weaves worked out, kept in the store for the next one.

use std::sync::OnceLock;
use vineloom_store::{Digest, Objects, Store};
use vineloom_woven::Memory;

/// A store as a memory: what this very program worked out, on behalf of this very user.
#[derive(Debug, Clone, Copy)]
pub(crate) struct InStore<'a>(pub Option<&'a Store>);

impl Memory for InStore<'_> {
    fn recall(&self, question: &[u8]) -> Option<Vec<u8>> {
        self.0?.own_record(key(question)?)
    }

    fn keep(&self, question: &[u8], answer: &[u8]) {
        if let Some((store, key)) = self.0.zip(key(question)) {
            // Only a shortcut for the next weave: a store that can't be written is told of elsewhere.
            let _ = store.write_record(key, answer);
        }
    }
}

fn key(question: &[u8]) -> Option<Digest> {
    Some(Digest::of(&[b"worked out by ", program()?.as_bytes(), b" ", question].concat()))
}

/// This very program: its version, size and age.
pub(crate) fn program() -> Option<&'static str> {
    static PROGRAM: OnceLock<Option<String>> = OnceLock::new();
    let look = || {
        let program = std::env::current_exe().and_then(std::fs::metadata).ok()?;
        let age = program.modified().ok()?.duration_since(std::time::UNIX_EPOCH).ok()?;
        Some(format!("{} {} {}", env!("CARGO_PKG_VERSION"), program.len(), age.as_nanos()))
    };
    PROGRAM.get_or_init(look).as_deref()
}
