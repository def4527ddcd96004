//! What is run in which order.
//!
//! Blocks run in document order, but for a block whose value another one above it uses: that one goes first,
//! as long as no circle comes of it.

use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap};
use vineloom_document::options::StrandChoice;
use vineloom_document::{
    Argument, Block, BlockIndex, ByBlock, Diagnostic, Document, InlineKind, LiveBlock, Name, Named, Part, Role, Sought,
    Template, ValueIndex, Wanted, each_block, each_inline,
};
use vineloom_interpreters::Languages;

/// Which running interpreter a block uses.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum StrandId {
    /// The one of a language, or one with a name of its own.
    Shared {
        /// The language.
        language: String,
        /// The name, when it is not the language's own.
        name: Option<String>,
        /// The library whose blocks share it, when it is not the document's own.
        library: Option<String>,
    },
    /// A process for one block alone, by the block's index.
    Fresh(BlockIndex),
}

impl StrandId {
    fn of(document: &Document, index: BlockIndex, languages: &Languages) -> Self {
        let block = &document.live[index];
        let name = match &block.options.strand {
            // A language without state has nothing to share.
            _ if !languages.keeps_state(&block.language) => return StrandId::Fresh(index),
            StrandChoice::Language => None,
            StrandChoice::Named(name) => Some(name.clone()),
            StrandChoice::Fresh => return StrandId::Fresh(index),
        };
        let library = match home(document, block) {
            Role::Library { library } => Some(library.clone()),
            _ => None,
        };
        StrandId::Shared { language: languages.home(&block.language).to_string(), name, library }
    }

    /// What a reader may call it.
    pub fn title(&self, language: &str) -> String {
        match self {
            StrandId::Shared { language, name, library } => [Some(language), name.as_ref(), library.as_ref()]
                .into_iter()
                .flatten()
                .cloned()
                .collect::<Vec<_>>()
                .join(" "),
            StrandId::Fresh(_) => format!("{language} fresh"),
        }
    }
}

/// Where a block's code stands: for a call, where the called block does.
pub(crate) fn home<'d>(document: &'d Document, block: &'d LiveBlock) -> &'d Role {
    match block.role {
        Role::Call(callee) => &document.live[callee].role,
        _ => &block.role,
    }
}

/// One block to run, by its index among the live blocks.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Task {
    /// Its strand.
    pub strand: StrandId,
    /// The block before it on the strand.
    pub before: Option<BlockIndex>,
    /// The blocks whose values its code uses.
    pub needs: BTreeSet<BlockIndex>,
}

/// The tasks of a document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Plan {
    /// A task for each live block that runs; nothing for one that is only called, or not wanted.
    pub tasks: ByBlock<Option<Task>>,
    /// The indices of the tasks in the order in which they run.
    pub order: Vec<BlockIndex>,
}

impl Plan {
    /// The part of the plan that a block needs: itself, what its code uses, and the blocks before those on their
    /// strands.
    #[must_use]
    pub fn through(&self, index: BlockIndex) -> Plan {
        self.of([index])
    }

    /// The same for several blocks.
    #[must_use]
    pub fn of(&self, blocks: impl IntoIterator<Item = BlockIndex>) -> Plan {
        let mut wanted = BTreeSet::new();
        let mut waiting: Vec<BlockIndex> = blocks.into_iter().collect();
        while let Some(at) = waiting.pop() {
            if wanted.insert(at) {
                waiting.extend(before(&self.tasks, at));
            }
        }
        let kept = |(at, task): (BlockIndex, &Option<Task>)| task.clone().filter(|_| wanted.contains(&at));
        Plan {
            tasks: self.tasks.enumerate().map(kept).collect(),
            order: self.order.iter().copied().filter(|at| wanted.contains(at)).collect(),
        }
    }
}

/// Plans a document.
///
/// # Errors
/// A diagnostic that names the whole circle, when blocks need each other's values in a circle.
pub fn plan(document: &Document, languages: &Languages) -> Result<Plan, Box<Diagnostic>> {
    let wanted = wanted(document, languages);
    let mut sequence: Vec<BlockIndex> = document.live.indices().filter(|&index| wanted[index]).collect();
    sequence.sort_by_key(|&index| document.live[index].position);
    let mut tasks: ByBlock<Option<Task>> = document.live.map(|_| None);
    let mut last = std::collections::BTreeMap::new();
    for index in sequence.iter().copied() {
        let strand = StrandId::of(document, index, languages);
        let before = last.insert(strand.clone(), index);
        tasks[index] = Some(Task { strand, before, needs: needs_of(document, &document.live[index]) });
    }
    match order(&tasks, &sequence) {
        Some(order) => Ok(Plan { tasks, order }),
        None => Err(Box::new(circle(document, &tasks, &sequence))),
    }
}

/// Which blocks run: all that are shown, but not those that wait to be called; of a library, those whose value
/// or result is used and those on a strand where one of its blocks is called.
fn wanted(document: &Document, languages: &Languages) -> ByBlock<bool> {
    let mut used: BTreeSet<&Name> = document.values.iter().filter_map(|value| value.wanted.name()).collect();
    let mut placed = |name: &str| used.extend(document.names.get_key_value(name).map(|(name, _)| name));
    each_block(&document.blocks, &mut |block| {
        if let Block::Placement { name, .. } = block {
            placed(name);
        }
    });
    document.each_inline(Sought::Placements, &mut |inline| {
        if let InlineKind::Placement(placement) = &inline.kind {
            placed(&placement.name);
        }
    });
    let is_used = |block: &LiveBlock| block.name.as_ref().is_some_and(|name| used.contains(name));
    let strands: BTreeSet<StrandId> = document
        .live
        .indices()
        .filter(|&index| {
            let block = &document.live[index];
            matches!(home(document, block), Role::Library { .. })
                && (matches!(block.role, Role::Call(_)) || is_used(block))
        })
        .map(|index| StrandId::of(document, index, languages))
        .collect();
    document
        .live
        .indices()
        .map(|index| {
            let block = &document.live[index];
            match block.role {
                _ if !block.takes.is_empty() => false,
                Role::Library { .. } => is_used(block) || strands.contains(&StrandId::of(document, index, languages)),
                Role::Shown | Role::Call(_) | Role::Expression => true,
            }
        })
        .collect()
}

fn needs_of(document: &Document, block: &LiveBlock) -> BTreeSet<BlockIndex> {
    let mut needs = BTreeSet::new();
    needs_of_template(document, &block.code, &mut needs);
    for (_, argument) in &block.variables {
        if let Argument::Named(name) = argument
            && let Some(Named::Live(index, _)) = document.names.get(name)
        {
            needs.insert(*index);
        }
    }
    needs
}

fn needs_of_template(document: &Document, template: &Template, needs: &mut BTreeSet<BlockIndex>) {
    for part in template {
        if let Part::Value(value) = part {
            needs_of_value(document, *value, needs, 0);
        }
    }
}

fn needs_of_value(document: &Document, value: ValueIndex, needs: &mut BTreeSet<BlockIndex>, depth: usize) {
    if let Some(runs) = document.value(value).runs {
        needs.insert(runs);
        return;
    }
    match &document.value(value).wanted {
        Wanted::Doc(field) if depth == 0 => {
            for text in document.title_block_texts(field) {
                each_inline(text, &mut |inline| {
                    if let InlineKind::Value(value) = &inline.kind {
                        needs_of_value(document, *value, needs, depth + 1);
                    }
                });
            }
        }
        wanted => {
            if let Some(Named::Live(index, _)) = wanted.name().and_then(|name| document.names.get(name)) {
                needs.insert(*index);
            }
        }
    }
}

/// What has to run before a task.
fn before(tasks: &ByBlock<Option<Task>>, index: BlockIndex) -> impl Iterator<Item = BlockIndex> {
    // The code of a block that is only called is not run itself; whoever cites it needs nothing of it.
    let task = tasks[index].as_ref();
    task.into_iter()
        .flat_map(|task| task.needs.iter().chain(&task.before))
        .copied()
        .filter(|&need| tasks[need].is_some())
}

fn order(tasks: &ByBlock<Option<Task>>, sequence: &[BlockIndex]) -> Option<Vec<BlockIndex>> {
    let mut rank = tasks.map(|_| 0usize);
    sequence.iter().enumerate().for_each(|(at, &index)| rank[index] = at);
    let mut followers = tasks.map(|_| Vec::new());
    let mut waiting = tasks.map(|_| 0usize);
    for &index in sequence {
        for need in before(tasks, index) {
            followers[need].push(index);
            waiting[index] += 1;
        }
    }
    let mut ready: BinaryHeap<Reverse<usize>> =
        sequence.iter().filter(|&&index| waiting[index] == 0).map(|&index| Reverse(rank[index])).collect();
    let mut order = Vec::with_capacity(sequence.len());
    while let Some(Reverse(at)) = ready.pop() {
        let index = sequence[at];
        order.push(index);
        for &follower in &followers[index] {
            waiting[follower] -= 1;
            if waiting[follower] == 0 {
                ready.push(Reverse(rank[follower]));
            }
        }
    }
    (order.len() == sequence.len()).then_some(order)
}

/// Walks needs and strands from block to block until one comes again.
fn circle(document: &Document, tasks: &ByBlock<Option<Task>>, sequence: &[BlockIndex]) -> Diagnostic {
    let reachable = |from: BlockIndex, to: BlockIndex| {
        let mut seen = tasks.map(|_| false);
        let mut stack = vec![from];
        while let Some(at) = stack.pop() {
            for next in before(tasks, at) {
                if next == to {
                    return true;
                }
                if !std::mem::replace(&mut seen[next], true) {
                    stack.push(next);
                }
            }
        }
        false
    };
    let needs = |index: BlockIndex| tasks[index].as_ref().map(|task| task.needs.clone()).unwrap_or_default();
    let in_circle = |index: BlockIndex| needs(index).iter().any(|&need| need == index || reachable(need, index));
    let start = sequence.iter().copied().find(|&index| in_circle(index)).unwrap_or(sequence[0]);
    let mut path = vec![start];
    let mut at = start;
    while let Some(next) = before(tasks, at).find(|&next| next == start || reachable(next, start)) {
        path.push(next);
        if next == start || path.len() > tasks.len() {
            break;
        }
        at = next;
    }
    let name = |index: BlockIndex| block_title(document, index);
    let steps: Vec<String> = path
        .windows(2)
        .map(|pair| {
            let why = if needs(pair[0]).contains(&pair[1]) { "uses the value of" } else { "runs after" };
            format!("{} {why} {}", name(pair[0]), name(pair[1]))
        })
        .collect();
    let span = document.live[start].fence;
    Diagnostic::error(span, format!("{} can never run: it waits for itself", name(start)))
        .help(format!("the circle is: {}. Move a block, or give one a strand of its own", steps.join("; ")))
}

/// A warning for every block that asks for a transcript in a language that can't tell one.
pub fn check_transcripts(document: &Document, languages: &Languages) -> Vec<Diagnostic> {
    let asks = document.live.iter().filter(|block| block.options.transcript);
    let can = |language: &str| languages.get(language).is_none_or(|language| language.driver.tells_statements());
    asks.filter(|block| !can(&block.language))
        .map(|block| {
            let message = format!("{} blocks can't be shown as a transcript", block.language);
            Diagnostic::warning(block.fence, message)
                .help("python, r, octave and javascript can; for a shell, write a `console` block")
        })
        .collect()
}

/// What a block is called in messages.
pub fn block_title(document: &Document, index: BlockIndex) -> String {
    let block = &document.live[index];
    match (&block.role, &block.name) {
        (Role::Call(callee), _) => format!("the call of {}", block_title(document, *callee)),
        (Role::Expression, _) => {
            let source = document.sources.of(block.fence.start);
            source.slice(block.fence).to_string()
        }
        (_, Some(name)) => format!("@{name}"),
        (_, None) => {
            let source = document.sources.of(block.fence.start);
            let line = source.written_line(source.line_of(block.fence.start));
            format!("the {} block in line {line}", block.language)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_document::{Source, parse};

    /// The block at a place in the text, counted from 0.
    fn at(place: usize) -> BlockIndex {
        BlockIndex::of_number(place + 1)
    }

    fn planned(text: &str) -> Result<Plan, Box<Diagnostic>> {
        plan(&parse(Source::new("t.md", text)).document, &Languages::built_in())
    }

    #[test]
    fn blocks_run_in_document_order_but_for_values_from_below() {
        let plan = planned("```sh @a\necho @[c]\n```\n```python @b\n```\n```python @c\n```\n").unwrap();
        assert_eq!(plan.order, [1, 2, 0].map(at));
        assert_eq!(plan.tasks[at(2)].as_ref().unwrap().before, Some(at(1)));
        assert_eq!(plan.tasks[at(0)].as_ref().unwrap().needs, BTreeSet::from([at(2)]));
    }

    #[test]
    fn strands_are_by_language_by_name_or_fresh() {
        let plan =
            planned("```sh @a\n```\n```sh @b strand=x\n```\n```sh @c strand=fresh\n```\n```sh @d\n```\n").unwrap();
        assert_eq!(
            plan.tasks.iter().map(|t| t.as_ref().unwrap().before).collect::<Vec<_>>(),
            [None, None, None, Some(at(0))]
        );
    }

    #[test]
    fn a_part_of_the_plan_holds_what_its_block_needs() {
        let plan = planned("```sh @a\n```\n```python @p\n```\n```sh @b\n@[p]\n```\n```sh @c\n```\n").unwrap();
        assert_eq!(plan.through(at(2)).order, [0, 1, 2].map(at));
        assert_eq!(plan.through(at(1)).order, [1].map(at));
        assert!(plan.through(at(1)).tasks[at(0)].is_none());
    }

    #[test]
    fn a_callable_block_runs_only_where_it_is_called() {
        let plan =
            planned("```sh @f takes=n=1\n```\n```sh @a\n```\n@[f(n=2)] @[python: 1]\n\n```sh @b\n```\n").unwrap();
        assert_eq!(plan.tasks.len(), 5);
        assert!(plan.tasks[at(0)].is_none());
        assert_eq!(plan.order, [1, 3, 4, 2].map(at));
        assert_eq!(plan.tasks[at(2)].as_ref().unwrap().before, Some(at(3)), "a call is one of its strand's blocks");
    }

    #[test]
    fn a_circle_is_reported_whole() {
        let found = planned("```sh @a\n@[b]\n```\n```python @b\n@[a]\n```\n").unwrap_err();
        assert_eq!(found.message, "@a can never run: it waits for itself");
        assert!(found.help.unwrap().contains("@a uses the value of @b; @b uses the value of @a"));
        let found = planned("```sh @a\n@[b]\n```\n```sh @b\n```\n").unwrap_err();
        assert!(found.help.unwrap().contains("@a uses the value of @b; @b runs after @a"));
        assert!(planned("```sh @a\n@[a]\n```\n").is_err());
    }
}
