//! Going on after a block that failed: what it gave until then is its result, with the failure at its end.

use super::{Runner, Settled};
use crate::failure::{Failure, FailureKind};
use crate::interpreting::Machine;
use crate::key::Key;
use crate::results::{OnFailure, State};
use crate::stored_results::{ResultStore, StoredResult};
use crate::values::as_written;
use std::sync::Arc;
use vineloom_document::BlockIndex;
use vineloom_interpreters::{Outcome, Piece};
use vineloom_store::Origin;

impl<I: Machine, K: ResultStore> Runner<'_, I, K> {
    /// A block that ended otherwise than it should, with that among what it gave.
    ///
    /// # Errors
    /// The failure, when it stops the document.
    pub(super) fn framed_exit(&mut self, index: BlockIndex, mut block: Settled) -> Result<Settled, Box<Failure>> {
        let expected = self.document.live[index].options.exit;
        let failure = self.failure(index, FailureKind::Exit { outcome: block.kept.outcome.clone(), expected });
        if self.on_failure == OnFailure::Stop {
            return Err(failure);
        }
        let is_told = block.kept.outcome.pieces.iter().any(|piece| matches!(piece, Piece::Failure { .. }));
        if !is_told {
            Arc::make_mut(&mut block.kept).outcome.pieces.push(self.told(&failure));
        }
        let kept = block.kept.clone();
        self.finish(index, block.key, block.identity, kept, State::Failed);
        self.failures.insert(index, failure);
        Ok(block)
    }

    /// A block that gave no outcome, with why among what it gave until then. What runs after it on its strand begins anew.
    ///
    /// # Errors
    /// The failure, when it stops the document.
    pub(super) fn framed(&mut self, index: BlockIndex, failure: Box<Failure>) -> Result<Settled, Box<Failure>> {
        let waits = matches!(failure.kind, FailureKind::Waits(_));
        if self.on_failure == OnFailure::Stop && !waits || matches!(failure.kind, FailureKind::Interrupted) {
            return Err(failure);
        }
        let mut pieces = match &failure.kind {
            FailureKind::Ended { so_far, .. } => so_far.clone(),
            _ => Vec::new(),
        };
        pieces.push(self.told(&failure));
        let began = !waits && !matches!(&failure.kind, FailureKind::Needs(_));
        if !began {
            self.unbegun.insert(index);
        }
        let outcome = Outcome { pieces, exit: 1, interpreter_ended: began, milliseconds: 0 };
        let kept = Arc::new(StoredResult { outcome, scratch: None, files: None, origin: Origin::Own });
        let key = Key::of(&[]);
        let identity = key.of_this_weave(&format!("{} {}", self.weave, index.number()));
        let state = if waits { State::Waiting } else { State::Failed };
        self.finish(index, key, identity, kept.clone(), state);
        self.failures.insert(index, Box::new(Failure { index, ..*failure }));
        let code = as_written(&self.document.live[index].code, self.document);
        Ok(Settled { key, identity, kept, code, variables: Vec::new(), facts: Vec::new(), scratch: None })
    }

    /// A failure as a piece of what its block gave.
    fn told(&self, failure: &Failure) -> Piece {
        let (finding, _) = failure.explain(self.document);
        let summary = finding.message;
        Piece::Failure { text: summary.clone(), summary, at: None, help: finding.help }
    }
}
