//! Blocks of different strands side by side: only where neither sees the other, and never with another result, another file or
//! another message than in the order of the document.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::collections::BTreeMap;
use std::time::{Duration, Instant};
use support::Project;

/// What a block does so that it is seen when it ran: its first and its last moment, beside what it is about.
fn stamped(name: &str, code: &str) -> String {
    format!("date +%s%N > {name}.began\n{code}\nsleep 0.4\ndate +%s%N > {name}.ended")
}

/// A document of two shells, each with a block that shows when it ran.
fn document(a: &str, b: &str) -> String {
    let block = |name: &str, strand: &str, code: &str| {
        let (options, code) = code.split_once(" | ").unwrap_or(("", code));
        format!("```sh @{name} strand={strand} {options}\n{}\n```\n\n", stamped(name, code))
    };
    format!("{}{}", block("a", "one", a), block("b", "two", b))
}

fn moment(project: &Project, file: &str) -> u128 {
    project.read(file).trim().parse().unwrap()
}

/// Whether the two blocks ran at the same time.
fn ran_side_by_side(project: &Project) -> bool {
    let at = |file| moment(project, file);
    at("a.began") < at("b.ended") && at("b.began") < at("a.ended")
}

/// The files of a project but for moments and exports.
fn files(project: &Project) -> BTreeMap<String, String> {
    let mut find = std::process::Command::new("find");
    let said = find.args([".", "-type", "f", "-o", "-type", "l"]).current_dir(project.path("."));
    let names = String::from_utf8(said.output().unwrap().stdout).unwrap();
    let counts = |name: &&str| !name.contains(".vineloom") && !name.ends_with(".began") && !name.ends_with(".ended");
    names.lines().filter(counts).map(|name| (name.to_string(), project.read(name))).collect()
}

/// What two weaves with a change between them come to, with so many jobs: whether the blocks ran side by side then, the
/// files, the text of the export, what was said, and how it ended.
fn after_a_change(first: &str, second: &str, jobs: &str) -> (bool, BTreeMap<String, String>, String, String, i32) {
    let project = Project::with(first);
    project.write("data.txt", "1\n");
    let weave = || project.run(&["weave", "guide.vine.md", "--to", "text", "--jobs", jobs]);
    let said = weave();
    assert_eq!(said.code, 0, "{said:?}");
    project.write("data.txt", "2\n");
    project.write("guide.vine.md", second);
    let said = weave();
    (ran_side_by_side(&project), files(&project), project.read("guide.txt"), said.err, said.code)
}

/// What the first block does, what the second one does, and whether they may run side by side when `data.txt` changes. What
/// stands before a bar are options.
const PAIRS: [(&str, &str, bool); 22] = [
    ("cat data.txt", "cat data.txt", true),
    ("cat data.txt > a.txt", "cat data.txt > b.txt", true),
    ("exit=any | cat data.txt", "time-limit=9s | cat data.txt", true),
    ("cat data.txt; mkdir -p of_a; echo > of_a/x", "cat data.txt; mkdir -p of_b; echo > of_b/x", true),
    // One sees what the other makes.
    ("cat data.txt > a.txt", "cat data.txt a.txt", false),
    ("cat data.txt b.txt 2> /dev/null; true", "cat data.txt > b.txt", false),
    ("cat data.txt > c.txt", "cp data.txt c.txt", false),
    ("cat data.txt; ls *.txt", "cat data.txt > b.txt", false),
    ("cat data.txt; mkdir -p d; cp data.txt d/x", "cat data.txt; ls d", false),
    ("cat data.txt > a.txt", "cat data.txt; test -e a.txt && echo there", false),
    ("cp data.txt a.txt; ln -sf a.txt link", "cat data.txt link", false),
    ("cat data.txt; rm -f c.txt", "cat data.txt; test -e c.txt || echo gone", false),
    // They are bound to each other, or to the moment, otherwise.
    ("cat data.txt", "cat data.txt; echo @[a]", false),
    ("cat data.txt", "run=always | cat data.txt", false),
    ("cat data.txt", "cat data.txt; cat log 2> /dev/null; echo more >> log", false),
    // With other data they do what they did not do before.
    ("grep -q 2 data.txt && echo of-a > maybe.txt; true", "cat data.txt maybe.txt 2> /dev/null; true", false),
    ("cat data.txt; cat maybe.txt 2> /dev/null; true", "grep -q 2 data.txt && echo of-b > maybe.txt; true", false),
    ("grep -q 2 data.txt && cat of_b 2> /dev/null; true", "cat data.txt > of_b", false),
    ("grep -q 2 data.txt && echo of-a > c.txt; true", "grep -q 2 data.txt && echo of-b > c.txt; true", false),
    ("grep -q 2 data.txt && ls; true", "cat data.txt > \"of_b$(cat data.txt)\"", false),
    ("f=$(cat data.txt); echo a > \"made$f\"", "f=$(cat data.txt); cat \"made$f\" 2> /dev/null; true", false),
    ("grep -q 2 data.txt && cat data.txt >> log; true", "grep -q 2 data.txt && echo b >> log; true", false),
];

fn pair_gives_what_it_gives_in_order(a: &str, b: &str, may: bool) {
    let text = document(a, b);
    let in_order = after_a_change(&text, &text, "1");
    assert!(!in_order.0, "{a} / {b}: one job runs all in order");
    // On a machine that is busy, one may be done before the other has begun, though they may overlap.
    for attempt in 0..4 {
        let (side_by_side, files, export, err, code) = after_a_change(&text, &text, "2");
        assert_eq!((&files, &export, &err, code), (&in_order.1, &in_order.2, &in_order.3, in_order.4), "{a} / {b}");
        if side_by_side == may {
            return;
        }
        assert!(may && attempt < 3, "side by side: {side_by_side}: {a} / {b}\n{export}");
    }
}

#[test]
fn what_runs_side_by_side_gives_what_it_gives_in_order() {
    let next = std::sync::atomic::AtomicUsize::new(0);
    let work = || {
        while let Some((a, b, may)) = PAIRS.get(next.fetch_add(1, std::sync::atomic::Ordering::SeqCst)) {
            pair_gives_what_it_gives_in_order(a, b, *may);
        }
    };
    // They mostly sleep.
    std::thread::scope(|scope| {
        for _ in 0..4 {
            scope.spawn(work);
        }
    });
}

/// A block that changed is not known yet, wherever it stands.
#[test]
fn what_changed_runs_in_the_order_of_the_document() {
    let (a, b) = ("cat data.txt", "cat data.txt; echo more");
    for (first, second) in [
        (document(a, b), document("cat data.txt; true", b)),
        (document(a, b), document(a, "cat data.txt; echo less")),
        (document("cat data.txt", b), document("exit=any | cat data.txt", b)),
    ] {
        let (side_by_side, ..) = after_a_change(&first, &second, "2");
        // An option that changes nothing of what a block gives is no change of the block.
        assert!(!side_by_side || second.contains("exit=any"), "{second}");
    }
}

#[test]
fn a_block_that_fails_is_told_of_as_ever_and_nothing_that_ran_ahead_stays() {
    for fails in [
        "grep -q 1 data.txt",
        "grep -q 2 data.txt && kill -9 $$; true",
        "time-limit=2s | grep -q 1 data.txt || sleep 9",
    ] {
        let (options, code) = fails.split_once(" | ").unwrap_or(("", fails));
        let text = format!(
            "```sh @a strand=one {options}\nsleep 0.4; echo $(cat data.txt) > a.txt\n{code}\n```\n\n```sh @b strand=two\n{}\n```\n",
            stamped("b", "cat data.txt > b.txt; mkdir -p of_b; cat data.txt > of_b/\"$(cat data.txt)\"; rm -f c.txt"),
        );
        let after = |jobs: &str| {
            let project = Project::with(&text);
            let weave = || project.run(&["weave", "guide.vine.md", "--jobs", jobs]);
            project.write("data.txt", "1\n");
            project.write("c.txt", "by hand\n");
            assert_eq!(weave().code, 0);
            let first = moment(&project, "b.ended");
            project.write("data.txt", "2\n");
            let said = weave();
            assert_eq!(said.code, 1, "{said:?}");
            assert_eq!((project.read("a.txt").as_str(), project.read("b.txt").as_str()), ("2\n", "1\n"), "{fails}");
            assert!(project.exists("of_b/1") && !project.exists("of_b/2"), "{fails}");
            assert_eq!(moment(&project, "b.ended"), first, "what ran ahead left nothing: {fails}");
            said.err
        };
        assert_eq!(after("2"), after("1"), "{fails}");
    }
}

/// Whole strands run side by side, with what is replayed for them; each block starts from the state that those before it made.
#[test]
fn each_strand_keeps_its_order_and_its_state() {
    let block = |strand: &str, name: &str, code: &str| format!("```sh @{name} strand={strand}\n{code}\n```\n\n");
    let text = [
        block("one", "set", "x=of-one"),
        block("two", "set-too", "x=of-two"),
        block("one", "a", &stamped("a", "y=$(cat data.txt); echo $x $y")),
        block("one", "a-more", "echo $x $y again"),
        block("two", "b", &stamped("b", "y=$(cat data.txt)0; echo $x $y")),
        block("three", "apart", "echo kept"),
        block("two", "b-more", "echo $x $y again"),
        block("fresh", "c", "cat data.txt"),
    ]
    .concat();
    let project = Project::with(&text);
    project.write("data.txt", "1\n");
    assert_eq!(project.weave().code, 0);
    project.write("data.txt", "2\n");
    let said = project.run(&["weave", "guide.vine.md", "--to", "text", "--jobs", "3"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert!(ran_side_by_side(&project));
    // It is told in the order of the document, whatever ended first.
    assert_eq!(
        project.states(&said),
        "set:kept set-too:kept set:replayed a:ran a-more:ran set-too:replayed b:ran apart:kept b-more:ran c:ran"
    );
    let text = project.read("guide.txt");
    for shown in ["of-one 2 ", "of-one 2 again", "of-two 20 ", "of-two 20 again"] {
        assert!(text.contains(shown), "{shown}{text}");
    }
    assert_eq!(project.states(&project.weave()).matches("kept").count(), 8);
}

#[test]
fn two_strands_take_the_time_of_one() {
    let text = document("cat data.txt; sleep 1", "cat data.txt; sleep 1");
    let took = |jobs: &str| {
        let project = Project::with(&text);
        project.write("data.txt", "1\n");
        project.weave();
        project.write("data.txt", "2\n");
        let began = Instant::now();
        assert_eq!(project.run(&["weave", "guide.vine.md", "--jobs", jobs]).code, 0);
        began.elapsed().as_secs_f64()
    };
    let (one, two) = (took("1"), took("2"));
    assert!(two < 0.8 * one, "{two} s, and {one} s in order");
}

#[test]
fn an_interrupt_ends_all_that_run() {
    let text = document("cat data.txt; grep -q 1 data.txt || sleep 60", "cat data.txt; grep -q 1 data.txt || sleep 60");
    let project = Project::with(&text);
    project.write("data.txt", "1\n");
    assert_eq!(project.weave().code, 0);
    project.write("data.txt", "2\n");
    for name in ["a.began", "b.began"] {
        std::fs::remove_file(project.path(name)).unwrap();
    }
    let began = Instant::now();
    let mut child = project.command(&["weave", "guide.vine.md", "--jobs", "2"]).spawn().unwrap();
    while !(project.exists("a.began") && project.exists("b.began")) {
        assert!(began.elapsed() < Duration::from_secs(50), "both begin");
        std::thread::sleep(Duration::from_millis(20));
    }
    let told = std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    assert!(told.success());
    assert_eq!(child.wait().unwrap().code(), Some(130));
    assert!(began.elapsed() < Duration::from_secs(55));
}
