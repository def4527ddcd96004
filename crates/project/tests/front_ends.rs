//! A second front end: what an editor or a watcher asks of a project, without the program.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Severity};
use vineloom_interpreters::{Interrupt, Surroundings};
use vineloom_project::{Destination, Event, Fault, Opened, Order, Presence, Text, Weave, Woven, order_for, shared};
use vineloom_store::Secret;
use vineloom_weave::State;

/// A folder of documents, and a user with a secret.
struct Desk {
    folder: tempfile::TempDir,
    secret: Secret,
}

impl Desk {
    fn new(files: &[(&str, &str)]) -> Self {
        let desk = Desk { folder: tempfile::tempdir().unwrap(), secret: Secret::passing().unwrap() };
        files.iter().for_each(|(name, text)| desk.write(name, text));
        desk
    }

    fn path(&self, name: &str) -> PathBuf {
        std::fs::canonicalize(self.folder.path()).unwrap().join(name)
    }

    fn write(&self, name: &str, text: &str) {
        std::fs::create_dir_all(self.path(name).parent().unwrap()).unwrap();
        std::fs::write(self.path(name), text).unwrap();
    }

    fn open(&self, name: &str, text: Text) -> Opened {
        Opened::open(&self.path(name), text, &[], Some(&self.secret)).unwrap_or_else(|problem| panic!("{problem:?}"))
    }

    /// Weaves as an order says; what happened, in words.
    fn weave(&self, order: Order) -> Result<(Woven, Vec<String>), Vec<Diagnostic>> {
        let variables = ["PATH", "HOME"].map(|name| (name.into(), std::env::var_os(name).unwrap()));
        let caller = Surroundings { variables: variables.into_iter().collect(), moment: "now".into() };
        let opened = Opened::for_order(&order, &self.secret).map_err(|problem| problem.findings)?;
        let weave = Weave::of(order, opened, &[], &self.secret).map_err(|problem| problem.findings)?;
        let mut happened = Vec::new();
        let woven = weave.weave(&caller, &Interrupt::default(), &mut |event| {
            happened.push(match event {
                Event::Begins { plan, .. } => format!("{} blocks", plan.order.len()),
                Event::Progress(vineloom_weave::Progress::Finished { state, .. }) => format!("{state:?}"),
                Event::Progress(_) => return,
                Event::Found(_, found) => found.iter().map(|finding| finding.message.as_str()).collect(),
                Event::Phase(phase) => format!("{phase:?}"),
                Event::Failed(..) => "failed".into(),
            });
        });
        woven.map(|woven| (woven, happened)).map_err(|problem| problem.findings)
    }
}

#[test]
fn a_document_that_an_editor_holds_is_read_like_one_on_disk() {
    let text = "# One\n\n### Three\n\n![Part](part.vine.md)\n\nA @[nosuch].\n";
    let desk = Desk::new(&[("part.vine.md", "A part with [](@nowhere).\n"), ("saved.vine.md", text)]);
    let held = desk.open("unsaved.vine.md", Text::Held(text.into()));
    let saved = desk.open("saved.vine.md", Text::OnDisk);
    let told = |opened: &Opened| -> Vec<(Severity, String, usize)> {
        let line = |finding: &Diagnostic| opened.document.sources.location(finding.span.unwrap()).unwrap().start.line;
        opened.findings().iter().map(|finding| (finding.severity, finding.message.clone(), line(finding))).collect()
    };
    assert_eq!(told(&held), told(&saved));
    assert_eq!(told(&held).iter().map(|(_, _, line)| *line).collect::<Vec<_>>(), [3, 7, 1]);
    assert!(held.document.sources.location(held.findings()[2].span.unwrap()).unwrap().file.ends_with("part.vine.md"));
    assert!(!desk.path("unsaved.vine.md").exists() && !desk.path(".vineloom").exists(), "opening writes nothing");
}

#[test]
fn a_document_that_can_not_be_had_is_no_finding_but_a_problem() {
    let desk = Desk::new(&[("guide.vine.md", "x"), ("latin.vine.md", "x")]);
    std::fs::write(desk.path("latin.vine.md"), b"caf\xe9\n").unwrap();
    for (name, message) in
        [("none.vine.md", "there is no document"), ("latin.vine.md", "byte 4 of line 1 is not UTF-8")]
    {
        let problem = Opened::open(&desk.path(name), Text::OnDisk, &[], None).unwrap_err();
        assert_eq!(problem.fault, Fault::Use);
        assert!(problem.findings[0].message.contains(message), "{problem:?}");
    }
}

#[test]
fn what_happens_comes_as_events_and_what_is_kept_is_told_so() {
    let desk = Desk::new(&[("guide.vine.md", "```sh @a\necho x\n```\n\n```sh @b\ncat none; true\n```\n")]);
    let file = desk.path("guide.vine.md");
    let (woven, first) = desk.weave(order_for(&file)).unwrap();
    assert_eq!(first, ["Running", "2 blocks", "Ran", "Ran", "Exporting", "Placing", "Done"]);
    assert_eq!(woven.exports[0].place.real(), desk.path("guide.html"));
    let (woven, second) = desk.weave(order_for(&file)).unwrap();
    assert_eq!(second[2..4], ["Kept", "Kept"]);
    assert_eq!(woven.results.count(State::Kept), 2);
    // Without its interpreter too, as long as nothing that it depends on changed.
    let order = || Order { presence: Presence::StoredOnly, ..order_for(&file) };
    assert!(desk.weave(order()).is_ok());
    desk.write("none", "now there\n");
    let missing = desk.weave(order()).unwrap_err();
    assert!(missing[0].message.starts_with("@b has no stored result that is true"), "{missing:?}");
}

#[test]
fn a_document_that_its_blocks_write_to_is_read_again() {
    let text = "```sh @make writes=made.vine.md run=always\nprintf '%s\\n' 'As [](@nosuch) says.' > made.vine.md\n```\n\n![](made.vine.md)\n";
    let desk = Desk::new(&[("guide.vine.md", text)]);
    let found = desk.weave(order_for(&desk.path("guide.vine.md"))).unwrap_err();
    assert!(found.is_empty(), "what is wrong with what was written was told as it was read again: {found:?}");
    std::fs::remove_file(desk.path("made.vine.md")).unwrap();
    desk.write("guide.vine.md", &text.replace("As [](@nosuch) says.", "Written."));
    let (woven, happened) = desk.weave(order_for(&desk.path("guide.vine.md"))).unwrap();
    assert!(String::from_utf8_lossy(&woven.exports[0].export.bytes).contains("Written."));
    assert_eq!(happened.iter().filter(|it| *it == "1 blocks").count(), 2, "{happened:?}");
}

#[test]
fn everything_that_a_weave_depends_on_is_listed() {
    let text = "+++\nlibrary = \"lib.vine.md\"\nreferences = \"a.bib\"\n[html]\nstyle = \"house.css\"\n+++\n\n\
                ![](part.vine.md)\n\n![A line](line.svg)\n\n<img src=\"dot.svg\" alt=\"A dot\">\n\n```sh @a from=code.sh reads=extra/*.csv,single.csv\n```\n";
    let desk = Desk::new(&[
        ("vineloom.toml", ""),
        ("docs/guide.vine.md", text),
        ("docs/lib.vine.md", ""),
        ("docs/a.bib", ""),
        ("docs/part.vine.md", "A part.\n"),
        ("docs/house.css", ""),
        ("docs/dot.svg", "<svg xmlns='http://www.w3.org/2000/svg'/>"),
        ("docs/line.svg", "<svg xmlns='http://www.w3.org/2000/svg'/>"),
        ("docs/extra/x.csv", "1\n"),
        ("docs/code.sh", "cat data.csv; cat later.csv; true\n"),
        ("docs/data.csv", "1\n"),
        ("docs/unrelated.csv", "1\n"),
    ]);
    let (woven, _) = desk.weave(order_for(&desk.path("docs/guide.vine.md"))).unwrap();
    let files = woven.planned.dependencies(&woven.results, &woven.trees);
    let own: BTreeSet<String> = files
        .iter()
        .filter_map(|file| file.strip_prefix(desk.path("")).ok())
        .map(|file| file.to_string_lossy().into_owned())
        .collect();
    for wanted in [
        "vineloom.toml",
        "docs/guide.vine.md",
        "docs/lib.vine.md",
        "docs/a.bib",
        "docs/part.vine.md",
        "docs/house.css",
        "docs/dot.svg",
        "docs/line.svg",
        "docs/extra/x.csv",
        "docs/single.csv",
        "docs/code.sh",
        "docs/data.csv",
        "docs/later.csv",
    ] {
        assert!(own.contains(wanted), "{wanted} is missing in {own:?}");
    }
    assert!(!own.contains("docs/unrelated.csv") && !own.contains("docs/guide.html"), "{own:?}");
}

#[test]
fn an_export_never_takes_the_place_of_something_else() {
    let desk = Desk::new(&[("a.vine.md", "A.\n"), ("a.md", "Mine.\n"), ("b/a.vine.md", "B.\n")]);
    let (a, b, out) = (desk.path("a.vine.md"), desk.path("b/a.vine.md"), desk.path("out"));
    let refused = desk.weave(Order { formats: &[Format::Markdown], ..order_for(&a) }).unwrap_err();
    assert!(refused[0].message.contains("a.md is there already"), "{refused:?}");
    let places = |file: &Path| {
        let order = Order { destination: Destination::Folder(&out), ..order_for(file) };
        let opened = Opened::for_order(&order, &desk.secret).unwrap();
        Weave::of(order, opened, &[], &desk.secret).unwrap().places()
    };
    let both = shared(&[places(&a), places(&b)]);
    assert_eq!(both, [(out.join("a.html"), vec![0, 1])]);
}
