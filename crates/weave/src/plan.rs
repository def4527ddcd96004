//! What is run in which order.
//!
//! Blocks run in document order, but for a block whose value another one above it uses: that one goes first,
//! as long as no circle comes of it.

use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap};
use vineloom_document::options::StrandChoice;
use vineloom_document::{Diagnostic, Document, Inline, LiveBlock, Named, Part, Template, Wanted};

/// Which running interpreter a block uses.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum StrandId {
    /// The one of a language, or one with a name of its own.
    Shared {
        /// The language.
        language: String,
        /// The name, when it is not the language's own.
        name: Option<String>,
    },
    /// A process for one block alone, by the block's index.
    Fresh(usize),
}

impl StrandId {
    fn of(block: &LiveBlock, index: usize) -> Self {
        let language = block.language.clone();
        match &block.options.strand {
            StrandChoice::Language => StrandId::Shared { language, name: None },
            StrandChoice::Named(name) => StrandId::Shared { language, name: Some(name.clone()) },
            StrandChoice::Fresh => StrandId::Fresh(index),
        }
    }

    /// What a reader may call it.
    pub fn title(&self, language: &str) -> String {
        match self {
            StrandId::Shared { language, name: None } => language.clone(),
            StrandId::Shared { language, name: Some(name) } => format!("{language} {name}"),
            StrandId::Fresh(_) => format!("{language} fresh"),
        }
    }
}

/// One block to run, by its index among the live blocks.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Task {
    /// Its strand.
    pub strand: StrandId,
    /// The block before it on the strand.
    pub before: Option<usize>,
    /// The blocks whose values its code uses.
    pub needs: BTreeSet<usize>,
}

/// The tasks of a document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Plan {
    /// A task for each live block, in document order.
    pub tasks: Vec<Task>,
    /// The indices of the tasks in the order in which they run.
    pub order: Vec<usize>,
}

/// Plans a document.
///
/// # Errors
/// A diagnostic that names the whole circle, when blocks need each other's values in a circle.
pub fn plan(document: &Document) -> Result<Plan, Box<Diagnostic>> {
    let mut tasks: Vec<Task> = Vec::new();
    for (index, block) in document.live.iter().enumerate() {
        let strand = StrandId::of(block, index);
        let before = tasks.iter().rposition(|task| task.strand == strand);
        let needs = needs_of(document, &block.code);
        tasks.push(Task { strand, before, needs });
    }
    match order(&tasks) {
        Some(order) => Ok(Plan { tasks, order }),
        None => Err(Box::new(circle(document, &tasks))),
    }
}

fn needs_of(document: &Document, template: &Template) -> BTreeSet<usize> {
    let mut needs = BTreeSet::new();
    for part in template {
        if let Part::Value(value) = part {
            needs_of_value(document, *value, &mut needs, 0);
        }
    }
    needs
}

fn needs_of_value(document: &Document, value: usize, needs: &mut BTreeSet<usize>, depth: usize) {
    match &document.values[value].wanted {
        Wanted::Doc(field) if depth == 0 => {
            let inlines = match field.as_str() {
                "title" => &document.title,
                "subtitle" => &document.subtitle,
                _ => return,
            };
            for inline in inlines {
                if let Inline::Value(value) = inline {
                    needs_of_value(document, *value, needs, depth + 1);
                }
            }
        }
        wanted => {
            if let Some(Named::Live(index, _)) = wanted.block().and_then(|name| document.names.get(name)) {
                needs.insert(*index);
            }
        }
    }
}

fn order(tasks: &[Task]) -> Option<Vec<usize>> {
    let mut followers = vec![Vec::new(); tasks.len()];
    let mut waiting = vec![0usize; tasks.len()];
    for (index, task) in tasks.iter().enumerate() {
        for &need in task.needs.iter().chain(&task.before) {
            followers[need].push(index);
            waiting[index] += 1;
        }
    }
    let mut ready: BinaryHeap<Reverse<usize>> =
        (0..tasks.len()).filter(|&index| waiting[index] == 0).map(Reverse).collect();
    let mut order = Vec::with_capacity(tasks.len());
    while let Some(Reverse(index)) = ready.pop() {
        order.push(index);
        for &follower in &followers[index] {
            waiting[follower] -= 1;
            if waiting[follower] == 0 {
                ready.push(Reverse(follower));
            }
        }
    }
    (order.len() == tasks.len()).then_some(order)
}

/// Walks needs and strands from block to block until one comes again.
fn circle(document: &Document, tasks: &[Task]) -> Diagnostic {
    let reachable = |from: usize, to: usize| {
        let mut seen = vec![false; tasks.len()];
        let mut stack = vec![from];
        while let Some(at) = stack.pop() {
            for &next in tasks[at].needs.iter().chain(&tasks[at].before) {
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
    let start =
        (0..tasks.len()).find(|&index| tasks[index].needs.iter().any(|&need| need == index || reachable(need, index)));
    let start = start.unwrap_or(0);
    let mut path = vec![start];
    let mut at = start;
    while let Some(next) =
        tasks[at].needs.iter().chain(&tasks[at].before).copied().find(|&n| n == start || reachable(n, start))
    {
        path.push(next);
        if next == start || path.len() > tasks.len() {
            break;
        }
        at = next;
    }
    let name = |index: usize| match &document.live[index].name {
        Some(name) => format!("@{name}"),
        None => format!("the {} block in line {}", document.live[index].language, document.live[index].code_line - 1),
    };
    let steps: Vec<String> = path
        .windows(2)
        .map(|pair| {
            let why = if tasks[pair[0]].needs.contains(&pair[1]) { "uses the value of" } else { "runs after" };
            format!("{} {why} {}", name(pair[0]), name(pair[1]))
        })
        .collect();
    let span = document.live[start].fence;
    Diagnostic::error(span, format!("{} can never run: it waits for itself", name(start)))
        .help(format!("the circle is: {}. Move a block, or give one a strand of its own", steps.join("; ")))
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_document::{Source, parse};

    fn planned(text: &str) -> Result<Plan, Box<Diagnostic>> {
        plan(&parse(Source::new("t.md", text)).document)
    }

    #[test]
    fn blocks_run_in_document_order_but_for_values_from_below() {
        let plan = planned("```sh @a\necho @[c]\n```\n```python @b\n```\n```python @c\n```\n").unwrap();
        assert_eq!(plan.order, [1, 2, 0]);
        assert_eq!(plan.tasks[2].before, Some(1));
        assert_eq!(plan.tasks[0].needs, BTreeSet::from([2]));
    }

    #[test]
    fn strands_are_by_language_by_name_or_fresh() {
        let plan =
            planned("```sh @a\n```\n```sh @b strand=x\n```\n```sh @c strand=fresh\n```\n```sh @d\n```\n").unwrap();
        assert_eq!(plan.tasks.iter().map(|t| t.before).collect::<Vec<_>>(), [None, None, None, Some(0)]);
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
