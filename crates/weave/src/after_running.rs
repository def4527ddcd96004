//! What is told of blocks once they have run: interpreters that ended, results that can't be kept.

use crate::observations::Made;
use crate::plan::{Plan, block_title};
use crate::results::{Results, State};
use std::collections::BTreeSet;
use vineloom_document::{BlockIndex, Diagnostic, Document, Span};

/// All that is told once the blocks of a plan have run.
pub fn findings_after(document: &Document, plan: &Plan, results: &Results) -> Vec<Diagnostic> {
    let mut findings = not_stored(document, plan, results);
    findings.extend(ended_strands(document, plan, results));
    findings.extend(never_kept(document, plan, results));
    findings
}

/// Why results can't be stored, where nothing can.
fn not_stored(document: &Document, plan: &Plan, results: &Results) -> Vec<Diagnostic> {
    let is_unobserved = |index: &&BlockIndex| {
        let given = results.blocks[**index].given.as_ref().filter(|_| !results.has_failed(**index));
        given.is_some_and(|given| given.files.is_none()) && document.live[**index].options.reads.is_empty()
    };
    let unobserved = plan.order.iter().find(is_unobserved).map(|&first| {
        let message =
            format!("files can't be observed here, so {} and others run at every weave", block_title(document, first));
        Diagnostic::warning(Span::NOWHERE, message)
            .help("say what a block reads: `reads=data/*.csv`, or `reads=none`; its results are then kept")
    });
    let unwritten = results.not_stored.as_ref().map(|problem| {
        Diagnostic::warning(Span::NOWHERE, problem.clone())
            .help("the weave goes on, but the next one will run these blocks again")
    });
    unobserved.into_iter().chain(unwritten).collect()
}

/// A warning for every block that ended its interpreter though later blocks share its strand: they start from nothing.
fn ended_strands(document: &Document, plan: &Plan, results: &Results) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    for (place, &index) in plan.order.iter().enumerate() {
        let Some(strand) = plan.tasks[index].as_ref().map(|task| &task.strand) else { continue };
        let ended = results.outcome(index).is_some_and(|outcome| outcome.interpreter_ended);
        // What a failure did to a strand is told with the failure.
        if !ended || results.has_failed(index) {
            continue;
        }
        let shares = |&&later: &&BlockIndex| plan.tasks[later].as_ref().is_some_and(|task| task.strand == *strand);
        let later: Vec<BlockIndex> = plan.order[place + 1..].iter().filter(shares).copied().collect();
        if later.is_empty() {
            continue;
        }
        let names: Vec<String> = later.iter().map(|&later| block_title(document, later)).collect();
        let share = if later.len() == 1 { "shares" } else { "share" };
        let message = format!(
            "{} ended its interpreter: its state is gone for {}, which {share} its strand",
            block_title(document, index),
            names.join(", ")
        );
        found.push(
            Diagnostic::warning(document.live[index].fence, message)
                .help("leave the code without ending the interpreter, or give the block `strand=fresh`"),
        );
    }
    found
}

/// Warns of blocks that ran and can never be kept.
fn never_kept(document: &Document, plan: &Plan, results: &Results) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    let mut unfollowed_strands = BTreeSet::new();
    for &index in plan.order.iter().filter(|index| results.state(**index) != Some(State::Kept)) {
        let Some(files) = results.files(index) else { continue };
        let (fence, title) = (document.live[index].fence, block_title(document, index));
        if files.is_unsteady() {
            let message = format!("a file changed while {title} read it, so its result is not kept");
            found.push(Diagnostic::warning(fence, message).help("weave again when the file is at rest"));
        }
        // What a strand can't be followed to, its later blocks can't either.
        let strand = plan.tasks[index].as_ref().map(|task| &task.strand);
        if let Some(what) = files.unfollowed.as_ref().filter(|what| unfollowed_strands.insert((strand, *what))) {
            let message = format!("{title} {what}, where its files can't be followed, so it runs at every weave");
            found.push(Diagnostic::warning(fence, message));
        }
        // Where a block before it makes the file, that stands there again as it was found.
        let is_made =
            |path: &&str| plan.order.iter().take_while(|&&at| at != index).any(|&at| makes(results, at, path));
        if let Some(path) = files.altered().filter(|path| !is_made(path)) {
            let message = format!("{title} changes {path}, which it also reads, so it runs at every weave");
            let help = "let it write another file, or run in `cwd=@scratch`, which is clean at each weave";
            found.push(Diagnostic::warning(fence, message).help(help));
        }
    }
    found
}

/// Whether a block left a file at a path.
fn makes(results: &Results, block: BlockIndex, path: &str) -> bool {
    let is_it = |(name, made): &(String, Made)| name == path && matches!(made, Made::File(..));
    results.files(block).is_some_and(|files| files.outputs.iter().any(is_it))
}
