//! Which changes concern what is being woven.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use vineloom_document::{BlockIndex, Document};
use vineloom_project::Opened;
use vineloom_weave::{Plan, StrandId};

/// The blocks of a plan as they are written, in the order in which they run.
pub struct Outline(Vec<(BlockIndex, StrandId, String)>);

impl Outline {
    /// The outline of a document.
    pub fn of(document: &Document, plan: &Plan) -> Self {
        let block = |&index: &BlockIndex| {
            let strand = plan.tasks[index].as_ref()?.strand.clone();
            let span = document.live[index].span;
            Some((index, strand, document.sources.of(span.start).slice(span).to_string()))
        };
        Outline(plan.order.iter().filter_map(block).collect())
    }

    /// Whether a block that runs is as wanted in the document as it is now: it and all before it on its strand are
    /// written as they were.
    pub fn still_wants(&self, running: BlockIndex, now: &Opened) -> bool {
        let Some(plan) = &now.plan else { return false };
        let Some((_, strand, _)) = self.0.iter().find(|(index, ..)| *index == running) else { return false };
        let before = self.on(strand).take_while(|(index, _)| *index != running).map(|(_, text)| text);
        let this = self.on(strand).find(|(index, _)| *index == running).map(|(_, text)| text);
        let wanted: Vec<&str> = before.chain(this).collect();
        let there = Outline::of(&now.document, plan);
        let mut found = there.on(strand).map(|(_, text)| text);
        wanted.into_iter().all(|text| found.next() == Some(text))
    }

    fn on<'a>(&'a self, strand: &'a StrandId) -> impl Iterator<Item = (BlockIndex, &'a str)> {
        self.0.iter().filter(move |(_, own, _)| own == strand).map(|(index, _, text)| (*index, text.as_str()))
    }

    /// The blocks after another on its strand.
    pub fn after(&self, running: BlockIndex) -> Vec<BlockIndex> {
        let Some((_, strand, _)) = self.0.iter().find(|(index, ..)| *index == running) else { return Vec::new() };
        self.on(strand).map(|(index, _)| index).skip_while(|index| *index != running).skip(1).collect()
    }
}

/// Whether a path is something that the program itself writes: exports, and what it writes beside its places.
pub fn is_own_writing(path: &Path, exports: &BTreeSet<PathBuf>) -> bool {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    exports.iter().any(|export| path.starts_with(export))
        || name.starts_with(".vineloom-") && name.ends_with(".part")
        || path.components().any(|part| part.as_os_str() == ".vineloom")
}
