//! The documents in `examples/`, woven with the real interpreters.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, visible};

#[test]
fn one_question_gets_the_same_answer_in_every_language() {
    let project = Project::with(include_str!("../../../examples/languages.vine.md"));
    let said = project.run(&["interpreters", "guide.vine.md"]);
    if said.code != 0 && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
        eprintln!(
            "some interpreters are not installed, so this test did not run; scripts/test installs them\n{}",
            said.out
        );
        return;
    }
    // The room behind a number without a decimal mark is not what it says.
    let page = project.page().replace(" data-rest=\".0\"", "");
    let seen = visible(&page);
    // In five languages the answer is a table, in six it is printed.
    for answer in ["<td>North</td><td class=\"number\">31.5</td>", "<td>East</td><td class=\"number\">28</td>"] {
        assert!(page.matches(answer).count() >= 5, "{answer}");
    }
    assert!(seen.matches("North 31.5\n").count() + seen.matches("North\t31.5\n").count() >= 6, "{seen}");
    assert!(seen.contains("28\n") && seen.contains("31.8333") && seen.contains("'North, East'"), "{seen}");
    assert_eq!(page.matches("<img src=\"data:image/svg+xml").count(), 5);
    assert!(project.exists("guide.pdf"));
    assert!(project.weave().out.contains(" 0 ran"));
}

#[test]
fn every_kind_of_chart_is_drawn() {
    let project = Project::with(include_str!("../../../examples/charts.vine.md"));
    let page = project.page();
    assert_eq!(page.matches("<img src=\"data:image/svg+xml").count(), 9);
    assert!(project.exists("guide.pdf"));
}

/// Copies the project of an example.
fn example(folder: &str) -> Project {
    let project = Project::new();
    let from = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples").join(folder);
    let copied = std::process::Command::new("cp").arg("-r").arg(from.join(".")).arg(project.path("")).status().unwrap();
    assert!(copied.success());
    project
}

#[test]
fn the_monthly_report_is_sent_unattended_and_made_again_elsewhere_without_running() {
    let cache = tempfile::tempdir().unwrap();
    for (round, ran) in [(0, 22), (1, 0)] {
        // Each time in a fresh folder, as build services do.
        let project = example("monthly");
        let mut recipe = std::process::Command::new("sh");
        recipe.arg("publish.sh").arg("June").current_dir(project.path(""));
        recipe.env("CACHE", cache.path()).env("VINELOOM", assert_cmd::cargo::cargo_bin("vineloom"));
        let said = support::said(&recipe.output().unwrap());
        assert_eq!(said.code, 0, "{said:?}");
        assert_eq!(project.read("reports/events.jsonl").matches("\"state\":\"ran\"").count(), ran, "round {round}");
        assert!(project.read("reports/weave.xml").contains("failures=\"0\""));
        for name in ["Tomas-Wren", "Adaeze-Okafor", "Lena-Brandt", "Yusuf-Demir", "Maud-Fenwick"] {
            assert!(project.read(&format!("sent/June-{name}.pdf")).starts_with("%PDF"));
            let letter = project.read(&format!("sent/letters/June-{name}.eml"));
            assert!(letter.contains("Subject: Soil moisture for") && letter.contains("application/pdf"), "{letter}");
        }
    }
}

#[test]
fn a_report_is_printed_with_all_that_print_has() {
    let project = Project::with(include_str!("../../../examples/print.vine.md"));
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    assert!(
        said.err.contains("the table of 13 columns is set at") && said.err.matches("warning").count() == 1,
        "{said:?}"
    );
    assert!(said.out.contains("guide.pdf 4 pages"), "{said:?}");
    assert!(project.read("guide.pdf").contains("pdfuaid:part"), "accessible by the standard");
}
