//! What blocks gave, and what is told while they run.

use crate::failure::{Failure, FailureKind};
use crate::key::Fact;
use crate::observations::Observations;
use ecow::EcoString;
use vineloom_document::{BlockIndex, ByBlock, LiveBlock};
use vineloom_interpreters::Outcome;

/// Which stored results may be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reuse {
    /// All that are still true.
    Stored,
    /// None: everything runs again.
    Nothing,
}

/// What a block that fails does to its document.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OnFailure {
    /// It stops it.
    Stop,
    /// The rest runs all the same, but for what needs its value; the failure is among what the block gave.
    GoOn,
}

/// What became of a block.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// Its stored result is still true.
    Kept,
    /// It ran.
    Ran,
    /// It ran again for the state that a later block needs.
    Replayed,
    /// It failed, and the rest went on.
    Failed,
    /// It has not run: it waits to be asked for, or needs a block that does.
    Waiting,
}

/// What happens while a document runs.
#[derive(Debug, Clone, Copy)]
pub enum Progress<'a> {
    /// A block starts; its index among the live blocks.
    Started {
        /// The block.
        block: &'a LiveBlock,
        /// Its index.
        index: BlockIndex,
    },
    /// A block is done.
    Finished {
        /// The block.
        block: &'a LiveBlock,
        /// Its index.
        index: BlockIndex,
        /// What became of it.
        state: State,
        /// How long it ran, in milliseconds; for a kept block, how long it once ran.
        milliseconds: u64,
    },
    /// A replayed block gave something else than what was stored.
    Differs {
        /// The block's index.
        index: BlockIndex,
    },
}

/// What all live blocks of a document gave.
#[derive(Debug, Clone)]
pub struct Results {
    /// The result of each.
    pub blocks: ByBlock<BlockResult>,
    /// Why results could not be stored, if any could not.
    pub not_stored: Option<String>,
    /// The blocks that failed, where the rest went on all the same.
    pub failures: Vec<Box<Failure>>,
}

/// What became of one live block.
#[derive(Debug, Clone)]
pub struct BlockResult {
    /// Its code, values put in as far as they are known.
    pub code: EcoString,
    /// What it gave; nothing for one that did not run, and of which nothing was stored.
    pub given: Option<Given>,
}

/// What a block gave, and what is known of that.
#[derive(Debug, Clone)]
pub struct Given {
    /// What it gave.
    pub outcome: Outcome,
    /// Whether it ran.
    pub state: State,
    /// What its key was made of.
    pub facts: Vec<Fact>,
    /// What it did with files; nothing where that could not be observed.
    pub files: Option<Observations>,
}

impl Results {
    /// What a block gave; nothing for one that did not run.
    pub fn outcome(&self, block: BlockIndex) -> Option<&Outcome> {
        self.blocks[block].given.as_ref().map(|given| &given.outcome)
    }

    /// What a block gave and its code, for the values that cite it; nothing for one that did not run.
    pub fn cited(&self, block: BlockIndex) -> Option<(&Outcome, &str)> {
        Some((self.outcome(block)?, self.blocks[block].code.as_str()))
    }

    /// What became of a block; nothing for one that did not run.
    pub fn state(&self, block: BlockIndex) -> Option<State> {
        self.blocks[block].given.as_ref().map(|given| given.state)
    }

    /// What a block did with files; nothing where that could not be observed, or it did not run.
    pub fn files(&self, block: BlockIndex) -> Option<&Observations> {
        self.blocks[block].given.as_ref()?.files.as_ref()
    }

    /// The blocks that wait to be asked for, and those that need them.
    pub fn waiting(&self) -> Vec<BlockIndex> {
        let waits = self.failures.iter().filter(|failure| matches!(failure.kind, FailureKind::Waits(_)));
        waits.map(|failure| failure.index).collect()
    }

    /// Whether a block failed, and the rest went on.
    pub fn has_failed(&self, block: BlockIndex) -> bool {
        self.failures.iter().any(|failure| failure.index == block)
    }

    /// How many blocks have a state.
    pub fn count(&self, state: State) -> usize {
        self.blocks.iter().flat_map(|block| &block.given).filter(|given| given.state == state).count()
    }
}
