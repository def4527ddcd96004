//! The blocks of a document as they ran, in the order of the document.

use crate::plan::{Plan, StrandId};
use crate::request::variables;
use crate::results::Results;
use vineloom_document::{Document, Role};
use vineloom_interpreters::VariableValue;
use vineloom_woven::ProgramBlock;

/// The written blocks that ran: calls, expressions and what stands in libraries are no part of the program that a reader
/// could run.
pub fn program(document: &Document, plan: &Plan, results: &Results) -> Vec<ProgramBlock> {
    let mut blocks = Vec::new();
    for index in document.live.indices() {
        let block = &document.live[index];
        let (Role::Shown, Some(task)) = (&block.role, &plan.tasks[index]) else { continue };
        let source = document.sources.of(block.fence.start);
        let fence = source.slice(block.fence).trim();
        let behind = fence.trim_start_matches(['`', '~']).trim_start();
        let header = behind.split_once(char::is_whitespace).map_or("", |(_, header)| header.trim());
        let value = |value: &VariableValue| match value {
            VariableValue::Plain(value) => Some(value.to_string()),
            VariableValue::Table(_) => None,
        };
        let variables = variables(document, block, &|index| results.outcome(index));
        blocks.push(ProgramBlock {
            start: block.span.start,
            language: block.language.clone(),
            header: header.into(),
            code: results.blocks[index].code.trim_end_matches('\n').into(),
            variables: variables.iter().map(|it| (it.name.clone(), value(&it.value))).collect(),
            on_shared_strand: matches!(&task.strand, StrandId::Shared { name: None, library: None, .. }),
        });
    }
    blocks.sort_by_key(|block| block.start);
    blocks
}
