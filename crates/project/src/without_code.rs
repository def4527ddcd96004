//! A document for readers who want no code: what its blocks gave, and nothing of how.

use vineloom_woven::{Block, Rewrite, Shown, Woven};

/// The tree without the code of its live blocks. A block that shows nothing else is gone.
pub(crate) fn without_code(tree: &Woven) -> Woven {
    let mut woven = tree.clone();
    woven.blocks = Codeless.blocks(woven.blocks);
    woven.notes = woven.notes.into_iter().map(|note| Codeless.blocks(note)).collect();
    woven
}

struct Codeless;

impl Rewrite for Codeless {
    fn blocks(&mut self, blocks: Vec<Block>) -> Vec<Block> {
        let shows = |block: &Block| !matches!(block, Block::Run(run) if run.results.is_empty());
        blocks.into_iter().map(|block| self.block(block)).filter(shows).collect()
    }

    fn block(&mut self, block: Block) -> Block {
        match self.inside(block) {
            Block::Run(mut run) => {
                let is_code = |shown: &Shown| matches!(shown, Shown::Code(_));
                run.results.retain(|shown| !is_code(shown));
                run.code = None;
                run.transcript = false;
                Block::Run(run)
            }
            block => block,
        }
    }
}
