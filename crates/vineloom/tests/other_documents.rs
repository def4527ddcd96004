//! Results and values that a document takes from another one: they are what that one says, and run no more often.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

const JUNE: &str = "+++\ntitle = \"June\"\nlibrary = [\"units.vine.md\"]\n\
    [parameters]\nmonth = \"June\"\n[block.rain]\ncaption = \"Rain in @[month], mean @[mean]\"\n+++\n\n\
    ```python @setup show=none\nmillimetres = [9, 14, 11]\n```\n\n\
    ```python @mean show=none\nprint(round(sum(millimetres) / len(millimetres)))\n```\n\n\
    ```python @rain\nfor value in millimetres: print('@[month]', value)\n```\n\n\
    ```python @unit show=none\nprint('mm')\n```\n\n\
    ```python @total show=none with=unit\nprint(sum(millimetres), unit, '(@[twice(n=2)])')\n```\n\n\
    In all @[total].\n";

const UNITS: &str = "```python @twice takes=n=1\nprint(2 * n)\n```\n";

const YEAR: &str = "+++\ntitle = \"The year: @[june.vine.md@total]\"\n+++\n\n\
    ```python @setup show=none\nmillimetres = 'its own'\n```\n\n\
    ```python @rain\nprint(millimetres)\n```\n\n\
    ![Rain of June](june.vine.md@rain)\n\n\
    ![](june.vine.md@mean)\n\n\
    As [](@june-rain) shows, it was @[june.vine.md@total].\n\n\
    ```python @sum caption=\"After @[june.vine.md@total]\"\nprint('code:', '@[june.vine.md@total]')\n```\n";

fn project() -> Project {
    let project = Project::with(YEAR);
    project.write("june.vine.md", JUNE);
    project.write("units.vine.md", UNITS);
    project
}

#[test]
fn a_result_of_another_document_is_what_it_is_there_and_runs_once() {
    let project = project();
    let june = project.run(&["weave", "june.vine.md", "--to", "text"]);
    assert_eq!(june.code, 0, "{june:?}");
    assert!(project.read("june.txt").contains("In all 34 mm (4)."), "{}", project.read("june.txt"));

    let year = project.run(&["weave", "guide.vine.md", "--to", "text,markdown,html,pdf"]);
    assert_eq!(year.code, 0, "{year:?}");
    let states = project.states(&year);
    for name in ["june-setup", "june-mean", "june-rain", "june-total", "june-unit"] {
        assert!(states.contains(&format!("{name}:kept")), "{name} of {states}");
    }
    let text = project.read("guide.txt");
    assert!(text.contains("The year: 34 mm (4)"), "{text}");
    assert!(text.contains("Rain of June") && text.contains("June 14"), "{text}");
    assert!(text.contains("shows, it was 34 mm (4)."), "{text}");
    assert!(text.contains("After 34 mm (4)") && text.contains("code: 34 mm (4)"), "{text}");
    // Blocks of the same name stay apart.
    assert!(text.contains("its own"), "{text}");
    for name in ["guide.md", "guide.html"] {
        let text = project.text_of(name);
        assert!(
            text.contains("Rain of June") && text.contains("June 14") && text.contains("34 mm (4)"),
            "{name}: {text}"
        );
    }
}

#[test]
fn without_the_other_being_woven_it_runs_here_and_a_change_of_it_is_seen() {
    let project = project();
    let first = project.weave();
    assert_eq!(first.code, 0, "{first:?}");
    assert!(project.states(&first).contains("june-rain:ran"), "{first:?}");
    project.write("june.vine.md", JUNE.replace("[9, 14, 11]", "[9, 14, 12]"));
    let second = project.run(&["weave", "guide.vine.md", "--to", "text"]);
    assert!(project.states(&second).contains("june-rain:ran"), "{second:?}");
    assert!(project.read("guide.txt").contains("it was 35 mm (4)."), "{}", project.read("guide.txt"));
    // A parameter that is set reaches the other document too.
    let set = project.run(&["weave", "guide.vine.md", "--to", "text", "--set", "month=July"]);
    assert_eq!(set.code, 0, "{set:?}");
    assert!(project.read("guide.txt").contains("July 14"), "{}", project.read("guide.txt"));
}

#[test]
fn documents_that_take_from_each_other_are_read_once() {
    let project = Project::with("```python @a\nprint(1)\n```\n\n![](other.vine.md@b)\n");
    project.write("other.vine.md", "```python @b\nprint(2)\n```\n\n![](guide.vine.md@a)\n\nAnd @[guide.vine.md@a].\n");
    for file in ["guide.vine.md", "other.vine.md"] {
        let said = project.run(&["weave", file, "--to", "text"]);
        assert_eq!(said.code, 0, "{said:?}");
    }
    assert!(project.read("guide.txt").contains("2") && project.read("other.txt").contains("And 1."));
}

#[test]
fn a_name_of_one_document_never_stands_for_that_of_another() {
    let project = Project::with(
        "[](@other-shown)\n\n```python @rate\nprint(99)\n```\n\n![](other.vine.md@shown)\n\n```python @own\nprint('own', @[rate])\n```\n",
    );
    // The other document has no `rate`: there it is a text of the language's own, and so it is here.
    project.write(
        "other.vine.md",
        "# Rates {#rates}\n\n```python @shown caption=\"See [](@second) and [](@rates)\"\nprint('@[rate]')\n```\n\n```python @second caption=\"Two\"\nprint(2)\n```\n",
    );
    let said = project.run(&["weave", "guide.vine.md", "--to", "text"]);
    assert_eq!(said.code, 0, "{said:?}");
    let text = project.read("guide.txt");
    assert!(text.contains("│ @[rate]") && text.contains("own 99"), "{text}");
    // What is named and is not there is told in code, too, also where a block of this document has its name.
    project
        .write("guide.vine.md", "```python @rate\nprint(99)\n```\n\n```python @b\nprint(@[other.vine.md@rate])\n```\n");
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.code == 1 && said.err.contains("other.vine.md has no block `rate`"), "{said:?}");
}
