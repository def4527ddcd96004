//! Faults: interrupts, failures half-way, odd documents. Exports are whole, children are ended.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::io::Read;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use support::{Project, tool, visible};

#[test]
fn a_failed_weave_leaves_the_earlier_exports_as_they_were() {
    let project = Project::with("```sh @a\necho good\n```\n");
    let page = project.page();
    project.write("guide.vine.md", "```sh @a\necho bad\nfalse\n```\n");
    assert_eq!(project.weave().code, 1);
    assert_eq!(project.read("guide.html"), page);
}

#[test]
fn an_interrupt_ends_the_children_and_leaves_the_exports_whole() {
    let project = Project::with("```sh @a\necho good\n```\n");
    let page = project.page();
    let text = "```sh @a\nsleep 97.531 & sleep 97.531\n```\n";
    project.write("guide.vine.md", text);
    let mut child = project.command(&["weave", "guide.vine.md"]).stderr(Stdio::piped()).spawn().unwrap();
    wait_for(|| running("sleep 97.531"));
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    assert_eq!(child.wait().unwrap().code(), Some(130));
    let mut said = String::new();
    child.stderr.take().unwrap().read_to_string(&mut said).unwrap();
    assert!(said.contains("interrupted while @a ran"), "{said}");
    assert_eq!(project.read("guide.html"), page);
    wait_for(|| !running("sleep 97.531"));
}

#[test]
fn an_interpreter_ends_when_the_program_is_killed() {
    let project = Project::with("```python @a\nimport time\nmark_86_421 = 1\ntime.sleep(60)\n```\n");
    let mut child = project.command(&["weave", "guide.vine.md"]).spawn().unwrap();
    // The interpreter is known by its driver, in a folder that has our process's number in its name.
    let driver = format!(".vineloom-{}-", child.id());
    let strand = || processes().into_iter().find(|(_, line, _)| line.contains(&driver)).map(|(pid, ..)| pid);
    wait_for(|| strand().is_some());
    child.kill().unwrap();
    child.wait().unwrap();
    wait_for(|| strand().is_none());
}

#[test]
fn nothing_that_blocks_started_runs_on_when_the_program_is_killed() {
    let text = "```python @b strand=one run=always\nimport subprocess\nsubprocess.Popen([\"sleep\", \"98.645\"], start_new_session=True)\n```\n\n\
                ```sh @a\nsetsid sleep 98.642 &\n(sleep 98.643 &)\nsleep 98.644\n```\n";
    let all = ["sleep 98.642", "sleep 98.643", "sleep 98.644", "sleep 98.645"];
    let project = Project::with(text);
    let mut child = project.command(&["weave", "guide.vine.md"]).spawn().unwrap();
    wait_for(|| all.iter().all(|command| running(command)));
    child.kill().unwrap();
    child.wait().unwrap();
    wait_for(|| !all.iter().any(|command| running(command)));
    // A polite end does the same, and takes the temporary folders along.
    let before = sessions();
    let mut child = project.command(&["weave", "guide.vine.md"]).stderr(Stdio::null()).spawn().unwrap();
    wait_for(|| all.iter().all(|command| running(command)));
    assert!(Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap().success());
    child.wait().unwrap();
    wait_for(|| !all.iter().any(|command| running(command)));
    assert!(sessions().iter().all(|name| !name.contains(&format!("-{}-", child.id()))), "{before:?}");
}

/// `VINELOOM_KILLS` says how often; a few times unless it does.
#[test]
fn a_weave_that_is_killed_at_any_instant_leaves_a_store_and_exports_of_use() {
    let kills: u64 = std::env::var("VINELOOM_KILLS").map_or(12, |text| text.parse().unwrap());
    let text = |n: u64| {
        format!(
            "```sh @a\necho {n} > made.txt; echo a{n}\n```\n\n```sh @b strand=other\ncat made.txt; sleep 0.02\n```\n\n\
             ```sh @c cwd=@scratch strand=fresh\nls; echo {n} > f\n```\n\n```sh @d\necho end {n}\n```\n"
        )
    };
    let project = Project::with(&text(0));
    let whole = |page: &str| page.starts_with("<!DOCTYPE html>") && page.trim_end().ends_with("</html>");
    project.page();
    let mut instant = 7_u64;
    for n in 1..=kills {
        project.write("guide.vine.md", text(n % 3));
        let command = ["weave", "-q", "--again", "--to", "html,markdown", "guide.vine.md"];
        let mut child = project.command(&command).spawn().unwrap();
        instant = instant.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        std::thread::sleep(Duration::from_micros((instant >> 33) % 120_000));
        child.kill().unwrap();
        child.wait().unwrap();
        assert!(whole(&project.read("guide.html")), "killed {n} times");
        if project.exists("guide.md") {
            assert!(project.read("guide.md").ends_with(MARKDOWN_END), "killed {n} times");
        }
        let (killed, folder) = (child.id(), format!(".vineloom-{}-", child.id()));
        wait_for(|| !processes().iter().any(|(_, line, _)| line.contains(&folder)));
        assert_eq!(project.run(&["store", "verify"]).code, 0, "killed {n} times");
        let page = project.page();
        assert!(page.contains(&format!("end {}", n % 3)) && page.contains(&format!("a{}", n % 3)), "killed {n} times");
        assert_eq!(project.read("made.txt"), format!("{}\n", n % 3));
        assert!(sessions().iter().all(|name| !name.starts_with(&folder)), "what process {killed} left is removed");
    }
}

/// The last line of woven Markdown.
const MARKDOWN_END: &str = "at the next weave. -->\n";

/// The temporary folders of strands.
fn sessions() -> Vec<String> {
    let names = std::fs::read_dir(std::env::temp_dir()).unwrap().flatten();
    names
        .map(|entry| entry.file_name().to_string_lossy().into_owned())
        .filter(|n| n.starts_with(".vineloom-"))
        .collect()
}

fn wait_for(mut condition: impl FnMut() -> bool) {
    let began = Instant::now();
    while !condition() {
        assert!(began.elapsed() < Duration::from_secs(240), "waited too long");
        std::thread::sleep(Duration::from_millis(20));
    }
}

fn processes() -> Vec<(u32, String, String)> {
    let read = |pid: u32, part: &str| std::fs::read_to_string(format!("/proc/{pid}/{part}")).unwrap_or_default();
    std::fs::read_dir("/proc")
        .unwrap()
        .filter_map(|entry| entry.ok()?.file_name().to_str()?.parse().ok())
        .map(|pid| (pid, read(pid, "cmdline").replace('\0', " "), read(pid, "stat")))
        .collect()
}

fn running(command: &str) -> bool {
    processes().iter().any(|(_, line, _)| line.trim() == command)
}

/// What a block does to the process above it saves nothing that it started, with namespaces and without: a program
/// that may not administer the system has none.
#[test]
fn a_block_that_kills_or_stops_what_keeps_it_saves_nothing() {
    let unprivileged = ["setpriv", "--bounding-set=-sys_admin", "--inh-caps=-sys_admin"];
    let is_root = Command::new("id").arg("-u").output().is_ok_and(|said| said.stdout == b"0\n");
    for (n, (signal, limit)) in [("KILL", "60s"), ("STOP", "2s"), ("TERM", "60s"), ("INT", "60s")].iter().enumerate() {
        for keeper_alone in [false, true] {
            let seconds = format!("96.{n}{}", u8::from(keeper_alone));
            let wait = if *signal == "STOP" { "sleep 50" } else { "true" };
            let project = Project::with(&format!(
                "```sh @a exit=any time-limit={limit}\nsetsid sleep {seconds} & sleep 0.2; kill -{signal} $PPID; {wait}\n```\n"
            ));
            let weave = project.command(&["weave", "guide.vine.md"]);
            let mut command = if keeper_alone && is_root {
                let mut command = Command::new(unprivileged[0]);
                command.args(&unprivileged[1..]).arg(weave.get_program()).args(weave.get_args());
                command
                    .current_dir(project.path(""))
                    .env("XDG_DATA_HOME", std::env::temp_dir().join("vineloom-test-data"));
                command
            } else {
                weave
            };
            let _ = command.output().unwrap();
            wait_for(|| !running(&format!("sleep {seconds}")));
        }
    }
}

#[test]
fn a_first_interrupt_also_ends_typesetting() {
    let text = format!("+++\n[export]\nto = [\"pdf\"]\n+++\n\n{}", "Some words.\n\n- and more\n\n".repeat(20_000));
    let project = Project::with(&text);
    let mut child = project.command(&["weave", "guide.vine.md"]).stderr(Stdio::null()).spawn().unwrap();
    // By now it is set, on most machines; before that an interrupt ends it all the more.
    std::thread::sleep(Duration::from_secs(3));
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    assert_eq!(child.wait().unwrap().code(), Some(130));
    assert!(!project.exists("guide.pdf"));
}

#[test]
fn odd_documents_are_woven() {
    for (what, text) in [
        ("an empty file", String::new()),
        ("only front matter", "+++\ntitle = \"x\"\n+++".into()),
        ("no final newline", "text".into()),
        ("deep nesting", format!("{}x\n", "> ".repeat(400))),
        ("deep lists", (0..80).map(|depth| format!("{}- x\n", "  ".repeat(depth))).collect()),
        ("a long line", "word ".repeat(200_000)),
        ("every plane", "é 漢 𝄞 \u{F0000} \u{10FFFD} \u{FDD0} \u{200F}עברית\n".into()),
        ("brackets", "@[ @[] \\@[x] ![](x:y) [](\n".replace("![](x:y)", "")),
    ] {
        let project = Project::with(&text);
        let said = project.weave();
        assert_eq!(said.code, 0, "{what}: {said:?}");
        assert!(project.exists("guide.html"), "{what}");
    }
}

#[test]
fn binary_output_is_shown_as_text_and_never_as_markup() {
    let project = Project::with(
        "```python @a\nimport os\nos.write(1, b'\\x00\\xff\\x1b[31m<script>alert(1)</script></pre>\\x07')\n```\n",
    );
    let page = project.page();
    assert!(visible(&page).contains("\u{FFFD}<script>alert(1)</script></pre>"), "{page}");
    assert_eq!(page.matches("<script>").count(), 2, "only our own script");
    assert!(!page.contains('\u{1b}') && !page.contains('\u{0}'));
}

#[test]
fn a_damaged_store_is_as_good_as_none() {
    let project = Project::with("```python @a\nprint(6 * 7)\n```\n");
    let page = project.page();
    let mut damaged = 0;
    let mut folders = vec![project.path(".vineloom")];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if path.file_name().is_some_and(|name| name != ".gitignore") {
                let mut bytes = std::fs::read(&path).unwrap();
                bytes.truncate(bytes.len() / 2);
                std::fs::write(&path, bytes).unwrap();
                damaged += 1;
            }
        }
    }
    assert!(damaged > 0);
    let said = project.weave();
    assert_eq!(said.code, 0, "{said:?}");
    assert!(said.out.contains("1 ran, 0 kept"), "{}", said.out);
    assert_eq!(project.read("guide.html"), page);
}

#[test]
fn the_pdf_is_sound_and_holds_what_was_computed() {
    let project = Project::with(
        "+++\ntitle = \"Sum\"\n[export]\nto = [\"pdf\"]\n+++\n```python @sum show=none\nprint(hex(sum(range(1000))))\n```\n\nThe sum is @[sum], $x^2$, \"quoted\" #[not] *code*.\n",
    );
    assert_eq!(project.weave().code, 0);
    let pdf = project.path("guide.pdf");
    if let Some(said) = tool("qpdf", &["--check".as_ref(), &pdf]) {
        assert_eq!(said.code, 0, "{said:?}");
    }
    if let Some(said) = tool("pdftotext", &[&pdf, "-".as_ref()]) {
        assert!(said.out.contains("The sum is 0x79f2c"), "{}", said.out);
        assert!(said.out.contains("#[not]"), "{}", said.out);
    }
    let bytes = std::fs::read(&pdf).unwrap();
    project.write("guide.vine.md", project.read("guide.vine.md") + "\n");
    assert_eq!(project.run(&["weave", "--again", "guide.vine.md"]).code, 0);
    assert_eq!(std::fs::read(&pdf).unwrap(), bytes, "the same document gives the same bytes");
}
