//! What comes step by step on a slide. Everything is there from the start: the deck's script shows it when its turn comes.

use super::Writer;
use crate::deck::slides::has_marks;
use vineloom_woven::{Block, Code};

impl Writer<'_> {
    /// Blocks that come one after the other, a list entry by entry, the marked lines of code one part after the other.
    pub(super) fn steps(&mut self, blocks: &[Block]) {
        if self.steps.is_none() {
            self.blocks(blocks);
            return;
        }
        for block in blocks {
            match block {
                Block::List { start, tight, items } => self.stepped_list(*start, *tight, items),
                block if has_marks(block) => {
                    self.marks_in_steps = true;
                    self.block(block);
                    self.marks_in_steps = false;
                }
                block => {
                    let step = self.next_step();
                    self.push(&format!("<div{step}>\n"));
                    self.block(block);
                    self.push("</div>\n");
                }
            }
        }
    }

    /// The attribute of the next step; empty where nothing comes step by step.
    pub(super) fn next_step(&mut self) -> String {
        let Some(steps) = &mut self.steps else { return String::new() };
        *steps += 1;
        format!(" data-step=\"{steps}\"")
    }

    /// For each part of code that is marked, the step in which it is stressed.
    pub(super) fn steps_of_marks(&mut self, code: &Code) -> Vec<u32> {
        match (&mut self.steps, self.marks_in_steps) {
            (Some(steps), true) => {
                let first = *steps + 1;
                *steps += code.mark.len() as u32;
                (first..=*steps).collect()
            }
            _ => Vec::new(),
        }
    }
}
