//! Whether everything still gives what is stored: all blocks run anew beside the store, which is not changed.

use crate::failure::Failure;
use crate::interpreting::Machine;
use crate::key::Key;
use crate::plan::Plan;
use crate::results::{Progress, Reuse};
use crate::run::{Runner, run};
use crate::stored_results::{ResultStore, StoredResult};
use vineloom_document::{BlockIndex, Document};
use vineloom_interpreters::{Outcome, Piece};
use vineloom_store::StoreError;

/// A block that gave something else than what is stored.
#[derive(Debug, Clone)]
pub struct Difference {
    /// Its index among the live blocks.
    pub index: BlockIndex,
    /// What is stored, as text.
    pub stored: String,
    /// What it gives now, as text.
    pub now: String,
}

/// What a check that everything repeats found.
#[derive(Debug, Clone, Default)]
pub struct Verified {
    /// How many blocks gave what is stored.
    pub same: usize,
    /// The blocks that gave something else.
    pub differences: Vec<Difference>,
    /// The blocks of which no true result was stored.
    pub not_stored: Vec<BlockIndex>,
}

/// A store that nothing comes from and nothing goes to.
struct Aside;

impl ResultStore for Aside {
    fn load(&self, _key: Key) -> Vec<StoredResult> {
        Vec::new()
    }

    fn keep(&self, _key: Key, _kept: &StoredResult) -> Result<(), StoreError> {
        Ok(())
    }
}

/// Runs every block of a plan anew and compares it with what is stored.
///
/// # Errors
/// The first [`Failure`].
pub fn verify<I: Machine>(
    document: &Document,
    plan: &Plan,
    interpreters: &mut I,
    store: &impl ResultStore,
    progress: &mut dyn FnMut(Progress),
) -> Result<Verified, Box<Failure>> {
    let mut ignore = |_: Progress| {};
    let stored = Runner::new(document, plan, interpreters, store, Reuse::Stored, &mut ignore).stored_outcomes();
    let results = run(document, plan, interpreters, &Aside, Reuse::Nothing, progress)?;
    let mut verified = Verified::default();
    for &index in &plan.order {
        match (&stored[index], results.outcome(index)) {
            (Some(stored), Some(now)) if stored.pieces == now.pieces && stored.exit == now.exit => verified.same += 1,
            (Some(stored), Some(now)) => {
                verified.differences.push(Difference { index, stored: as_text(stored), now: as_text(now) });
            }
            _ => verified.not_stored.push(index),
        }
    }
    Ok(verified)
}

fn as_text(outcome: &Outcome) -> String {
    let part = |piece: &Piece| match piece {
        Piece::Text(text) | Piece::Notice(text) | Piece::Statement(text) => text.clone(),
        Piece::Value { text, .. } | Piece::Failure { text, .. } => format!("{text}\n"),
        Piece::Table(table) => table.to_csv(),
        Piece::Figure(figure) => {
            format!("a figure, {} {}\n", figure.media.extension(), &figure.hash[..8.min(figure.hash.len())])
        }
    };
    let exit = if outcome.exit == 0 { String::new() } else { format!("exit code {}\n", outcome.exit) };
    outcome.pieces.iter().map(part).collect::<String>() + &exit
}
