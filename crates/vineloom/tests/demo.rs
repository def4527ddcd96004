//! The demo, as a newcomer meets it.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::process::Command;
use support::{Project, tool, visible};

#[test]
fn the_demo_is_written_and_woven_and_what_somebody_changed_is_kept() {
    let project = Project::new();
    let said = project.run(&["demo"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert_eq!(said.err, "", "the demo is woven without a word of warning");
    for name in ["probe.vine.md", "data/june.csv", "probe.html", "probe.pdf"] {
        assert!(project.exists(&format!("vineloom-demo/{name}")), "{name}");
        assert!(said.out.contains(name.rsplit('/').next().unwrap()), "{name} is named");
    }
    let seen = visible(&project.read("vineloom-demo/probe.html"));
    assert!(seen.contains("so the checksum must be 0x84, and that is the byte that was sent"), "{seen}");
    if let Some(said) = tool("pdftotext", &[&project.path("vineloom-demo/probe.pdf"), "-".as_ref()]) {
        assert!(said.out.contains("the checksum must be 0x84"), "{}", said.out);
    }
    project
        .write("vineloom-demo/data/june.csv", "day,rain_mm,north,east,low\n2026-06-01,0,1,2,3\n2026-06-02,0,1,2,3\n");
    let said = project.run(&["demo"]);
    assert!(said.out.contains("june.csv  kept as you changed it"), "{}", said.out);
    assert!(project.read("vineloom-demo/data/june.csv").ends_with("1,2,3\n"));
}

/// The page is whole by itself: nothing it holds makes a browser ask for anything, and it says nothing to
/// the console.
#[test]
fn the_page_makes_no_request() {
    let project = Project::new();
    assert_eq!(project.run(&["demo", "-q"]).code, 0);
    let page = project.read("vineloom-demo/probe.html");
    for part in ["src=\"http", "url(http", "@import", "<link rel=\"stylesheet\"", "<iframe", "fetch(", "XMLHttpRequest"]
    {
        assert!(!page.contains(part), "{part}");
    }
    let Some(browser) =
        ["chromium", "google-chrome"].into_iter().find(|name| Command::new(name).arg("--version").output().is_ok())
    else {
        assert!(std::env::var_os("VINELOOM_TEST_TOOLS").is_none(), "a Chromium browser is needed by this test");
        return;
    };
    let log = project.path("net.json");
    let output = Command::new(browser)
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"])
        .args([
            "--disable-component-update",
            "--disable-sync",
            "--virtual-time-budget=2000",
            "--dump-dom",
            "--enable-logging=stderr",
        ])
        .arg(format!("--user-data-dir={}", project.path("profile").display()))
        .arg(format!("--log-net-log={}", log.display()))
        .arg(format!("file://{}", project.path("vineloom-demo/probe.html").display()))
        .output()
        .unwrap();
    let dom = String::from_utf8_lossy(&output.stdout);
    assert!(dom.contains("aria-current=\"true\""), "the page's own script ran");
    assert!(dom.contains(">Copy</button>"));
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(!said.contains("CONSOLE"), "{said}");
    // URL requests are logged with their address; the browser's own start-up asks for Google's hosts only.
    let log = std::fs::read_to_string(&log).unwrap_or_default();
    let asked: Vec<&str> = log
        .split("\"url\":\"")
        .skip(1)
        .filter_map(|rest| rest.split('"').next())
        .filter(|url| url.starts_with("http") && !url.contains("google"))
        .collect();
    assert_eq!(asked, Vec::<&str>::new());
}
