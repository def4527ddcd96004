//! Documents that are watched: whatever is done to them and to what they read, the page is that of a weave from nothing,
//! and nothing runs on when watching ends.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use support::Project;

/// A running `watch`, ended when it is dropped.
struct Watching {
    process: Child,
    /// The address of the live page: host, then path.
    address: (String, String),
}

impl Watching {
    fn of(project: &Project, more: &[&str]) -> Self {
        let mut command = project.command(&[]);
        command.args(["watch", "--no-open", "--port", "0"]).args(more);
        let mut process = command.stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap();
        let mut lines = BufReader::new(process.stdout.take().unwrap()).lines();
        let address = lines.by_ref().map(Result::unwrap).find_map(|line| {
            let address = line.split_once("http://")?.1.to_string();
            let (host, path) = address.split_once('/')?;
            Some((host.to_string(), format!("/{path}")))
        });
        // What is said later is let go, so that it stops nothing.
        std::thread::spawn(move || lines.for_each(drop));
        Watching { process, address: address.unwrap() }
    }

    fn send(&self, method: &str, path: &str) -> String {
        let (host, root) = &self.address;
        let mut stream = TcpStream::connect(host).unwrap();
        let request =
            format!("{method} {root}{path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n");
        stream.write_all(request.as_bytes()).unwrap();
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).unwrap();
        String::from_utf8_lossy(&answer).into_owned()
    }

    /// Asks it to end, and waits until it has.
    fn end(&mut self) -> Option<i32> {
        Command::new("kill").args(["-INT", &self.process.id().to_string()]).status().unwrap();
        until("watching to end", || self.process.try_wait().unwrap().is_some());
        self.process.try_wait().unwrap().unwrap().code()
    }
}

impl Drop for Watching {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

fn until(what: &str, mut condition: impl FnMut() -> bool) {
    let end = Instant::now() + Duration::from_secs(30);
    while !condition() {
        assert!(Instant::now() < end, "waited too long for {what}");
        std::thread::sleep(Duration::from_millis(10));
    }
}

/// A document whose strand holds what is hard to go back to: files that are read on, with a buffer and without, a generator, state of libraries,
/// files that blocks write and read.
const DOCUMENT: &str = "+++\ntitle = \"T\"\n[export]\nto = [\"text\"]\n+++\n\n\
    ```python @load\nimport time, random, json\ntime.sleep(0.05)\nlines = open('lines.txt')\nbytes = open('lines.txt', 'rb', buffering=0)\nrandom.seed(1)\nbase = 1\nprint('base', base)\n```\n\n\
    ```python @first\nfirst = 7\nprint(first, lines.readline().strip(), random.random(), bytes.read(2))\ntime.sleep(0.03)\n```\n\n\
    ```python @write\nvalue = base * 2\njson.dump({'value': value}, open('made.json', 'w'))\ntime.sleep(0.03)\nprint('wrote', value)\n```\n\n\
    ```sh @shell\ncat made.json; echo; cat data.txt\n```\n\n\
    ```python @second\nprint(lines.readline().strip(), random.random(), json.load(open('made.json'))['value'], 3)\nprint(bytes.read(3))\ntime.sleep(0.03)\n```\n\n\
    ```python @count\ndef counter():\n    at = 0\n    while True:\n        at += 4\n        yield at\ncounting = counter()\nprint(next(counting))\ntime.sleep(0.03)\n```\n\n\
    ```python @third\nprint(next(counting), lines.readline().strip(), open('data.txt').read().strip(), 5)\n```\n\n\
    Base @[load], and @[third].\n";

/// Numbers of the document that are changed, as they stand there.
const PLACES: [&str; 7] = ["first = ", "base = ", "base * ", "at += ", "['value'], ", ".strip(), ", "random.seed("];

fn with_another_number(text: &str, place: &str, number: u64) -> String {
    let at = text.rfind(place).unwrap() + place.len();
    let digits = text[at..].bytes().take_while(u8::is_ascii_digit).count();
    format!("{}{number}{}", &text[..at], &text[at + digits..])
}

/// What a weave from nothing gives of the files of a project, elsewhere.
fn from_nothing(project: &Project) -> String {
    let other = Project::new();
    for name in ["guide.vine.md", "lines.txt", "data.txt"] {
        other.write(name, project.read(name));
    }
    let said = other.weave();
    assert_eq!(said.code, 0, "{said:?}");
    other.read("guide.txt")
}

#[test]
fn whatever_is_changed_the_page_is_that_of_a_weave_from_nothing() {
    let steps: u64 = std::env::var("VINELOOM_ORACLE_STEPS").map_or(20, |steps| steps.parse::<u64>().unwrap() / 25);
    let project = Project::with(DOCUMENT);
    project.write("lines.txt", "one\ntwo\nthree\nfour\n");
    project.write("data.txt", "data 1\n");
    let mut watching = Watching::of(&project, &["guide.vine.md"]);
    until("the first weave", || project.exists("guide.txt"));
    let mut state: u64 = 88_172_645_463_325_252;
    let mut random = move || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state
    };
    for step in 0..steps {
        // A few changes in a row, so that some come while others are woven.
        for _ in 0..=random() % 3 {
            let number = 1 + random() % 90;
            match random() as usize % (PLACES.len() + 3) {
                at if at < PLACES.len() => {
                    let text = with_another_number(&project.read("guide.vine.md"), PLACES[at], number);
                    project.write("guide.vine.md", text);
                }
                at if at == PLACES.len() => project.write("data.txt", format!("data {number}\n")),
                at if at == PLACES.len() + 1 => project.write("lines.txt", format!("one {number}\ntwo\nthree\n")),
                _ => {
                    project.write(".swap", format!("data {number}, replaced\n"));
                    std::fs::rename(project.path(".swap"), project.path("data.txt")).unwrap();
                }
            }
            std::thread::sleep(Duration::from_millis(random() % 120));
        }
        let wanted = from_nothing(&project);
        let mut last = String::new();
        let end = Instant::now() + Duration::from_secs(20);
        while last != wanted {
            assert!(Instant::now() < end, "step {step}: the page is\n{last}\nand from nothing it is\n{wanted}");
            std::thread::sleep(Duration::from_millis(20));
            last = project.read("guide.txt");
        }
    }
    assert_eq!(watching.end(), Some(0));
}

#[test]
fn a_block_that_changes_is_run_from_the_state_before_it() {
    // The libraries that most documents use live through it.
    let project = Project::with(
        "+++\ntitle = \"T\"\n[export]\nto = [\"text\"]\n+++\n\n\
         ```python @dear\nimport time\nimport numpy\nimport matplotlib.pyplot\nnumpy.ones((300, 300)) @ numpy.ones((300, 300))\ntime.sleep(0.2)\nbase = 1\nprint('at', time.time_ns())\n```\n\n\
         ```python @last\nprint('gives', base + 1)\n```\n",
    );
    let moment = |text: &str| text.lines().find(|line| line.contains("at 1")).map(str::to_string);
    let mut watching = Watching::of(&project, &["guide.vine.md"]);
    until("the first weave", || project.exists("guide.txt") && project.read("guide.txt").contains("gives 2"));
    let first = moment(&project.read("guide.txt"));
    assert!(first.is_some());
    for number in 2..6 {
        let text = project.read("guide.vine.md");
        project.write("guide.vine.md", with_another_number(&text, "base + ", number));
        let wanted = format!("gives {}", number + 1);
        until(&wanted, || project.read("guide.txt").contains(&wanted));
    }
    assert_eq!(watching.end(), Some(0));
    assert_eq!(moment(&project.read("guide.txt")), first, "the dear block ran once");
}

#[test]
fn where_a_copy_would_not_be_the_same_blocks_are_run_again() {
    for unsafe_state in [
        "import threading\nthreading.Thread(target=time.sleep, args=(60,), daemon=True).start()",
        "import socket\nheld = socket.socket()",
        "held = open('held.txt', 'w')",
        "import subprocess\nheld = subprocess.Popen(['sleep', '60'])",
        "import mmap, os\nheld = mmap.mmap(-1, 4096)",
    ] {
        let project = Project::with(&format!(
            "+++\ntitle = \"T\"\n[export]\nto = [\"text\"]\n+++\n\n\
             ```python @dear\nimport time\nprint('at', time.time_ns())\ntime.sleep(0.1)\n{unsafe_state}\nbase = 1\n```\n\n\
             ```python @last\nprint('gives', base + 1)\n```\n",
        ));
        let mut watching = Watching::of(&project, &["guide.vine.md"]);
        let moment = |text: &str| text.lines().find(|line| line.contains("at 1")).map(str::to_string);
        until("the first weave", || project.exists("guide.txt") && project.read("guide.txt").contains("gives 2"));
        let first = moment(&project.read("guide.txt"));
        project.write("guide.vine.md", project.read("guide.vine.md").replace("base + 1", "base + 5"));
        until("the second", || project.read("guide.txt").contains("gives 6"));
        assert_eq!(watching.end(), Some(0));
        assert_ne!(moment(&project.read("guide.txt")), first, "{unsafe_state}");
    }
}

#[test]
fn a_failure_is_told_and_mended_by_whatever_mends_it() {
    let project = Project::with("+++\ntitle = \"T\"\n+++\n\n```python @reads\nprint(open('late.txt').read())\n```\n");
    let mut watching = Watching::of(&project, &["guide.vine.md"]);
    until("the page", || watching.send("GET", "1/").contains("It has not been woven yet"));
    std::thread::sleep(Duration::from_millis(500));
    project.write("late.txt", "here it is");
    until("the file to be read", || project.exists("guide.html") && project.read("guide.html").contains("here it is"));
    until("the live page", || watching.send("GET", "1/guide.html").contains("here it is"));
    assert_eq!(watching.end(), Some(0));
}

#[test]
fn a_block_that_runs_at_every_weave_runs_when_watching_begins_and_when_it_is_asked_for() {
    let project = Project::with(
        "+++\ntitle = \"T\"\n[export]\nto = [\"text\"]\n+++\n\nWords 0.\n\n\
         ```sh @before\necho one\n```\n\n\
         ```python @always run=always\nimport time\nprint('at', time.time_ns())\n```\n",
    );
    let mut watching = Watching::of(&project, &["guide.vine.md"]);
    until("the first weave", || project.exists("guide.txt"));
    let moment = || project.read("guide.txt").lines().find(|line| line.contains("at 1")).map(str::to_string);
    let first = moment();
    assert!(first.is_some());
    for number in 1..4 {
        project.write("guide.vine.md", with_another_number(&project.read("guide.vine.md"), "Words ", number));
        until("the word", || project.read("guide.txt").contains(&format!("Words {number}.")));
    }
    assert_eq!(moment(), first);
    // A weave that comes to no end before it has not asked for it, nor has one that saw half of what was being written.
    let change = |from: &str, to: &str| {
        project.write("guide.vine.md", project.read("guide.vine.md").replace(from, to));
    };
    for number in 0..3 {
        change("echo one", &format!("touch told-{number}; exit 3"));
        until("the failure", || project.exists(&format!("told-{number}")));
        change(&format!("touch told-{number}; exit 3"), &format!("echo mended {number}"));
        until("it to be mended", || project.read("guide.txt").contains(&format!("mended {number}")));
        assert_eq!(moment(), first);
        let whole = project.read("guide.vine.md");
        project.write("guide.vine.md", whole.split("```python").next().unwrap());
        until("the half of it", || moment().is_none());
        project.write("guide.vine.md", whole.replace(&format!("echo mended {number}"), "echo one"));
        until("the whole", || moment().is_some());
        assert_eq!(moment(), first);
    }
    assert!(watching.send("POST", "1/again").starts_with("HTTP/1.1 200"));
    until("the block to run again", || moment() != first);
    assert_eq!(watching.end(), Some(0));
}

#[test]
fn a_folder_of_documents_is_listed_and_only_what_is_concerned_is_woven() {
    let project = Project::new();
    project.write("a.vine.md", "+++\ntitle = \"A\"\n+++\n\n![](shared/part.vine.md)\n");
    project.write("b.vine.md", "+++\ntitle = \"B\"\n+++\n\nAlone.\n");
    project.write("shared/part.vine.md", "From the part.\n");
    let mut watching = Watching::of(&project, &["."]);
    until("both to be woven", || ["a.html", "b.html"].iter().all(|name| project.exists(name)));
    let list = watching.send("GET", "");
    assert!(list.contains("a.vine.md") && list.contains("b.vine.md") && !list.contains("part.vine.md"), "{list}");
    let before = std::fs::metadata(project.path("b.html")).unwrap().modified().unwrap();
    project.write("shared/part.vine.md", "Changed in the part.\n");
    until("the one to be woven", || project.read("a.html").contains("Changed in"));
    assert!(!project.exists("shared/part.html"), "a part of another is not woven by itself");
    project.write("new/c.vine.md", "+++\ntitle = \"C\"\n+++\n\nCame later.\n");
    until("a new document to be woven", || project.exists("new/c.html"));
    assert!(watching.send("GET", "").contains("c.vine.md"));
    // Folders in folders, which come in one go.
    for number in 0..20 {
        project.write(&format!("more/{number}/deep/d{number}.vine.md"), "+++\ntitle = \"D\"\n+++\n\nDeep.\n");
    }
    let is_there = |number| project.exists(&format!("more/{number}/deep/d{number}.html"));
    until("all that are deep to be woven", || (0..20).all(is_there));
    project.write("new/c.vine.md", "+++\ntitle = \"C\"\n+++\n\nChanged later.\n");
    until("it to be woven again", || project.read("new/c.html").contains("Changed later"));
    assert_eq!(std::fs::metadata(project.path("b.html")).unwrap().modified().unwrap(), before);
    assert_eq!(watching.end(), Some(0));
}

/// The processes below another, by their numbers.
fn below(process: u32) -> Vec<u32> {
    let mut found = vec![process];
    let mut at = 0;
    while at < found.len() {
        let tasks = std::fs::read_dir(format!("/proc/{}/task", found[at])).into_iter().flatten().flatten();
        for task in tasks {
            let children = std::fs::read_to_string(task.path().join("children")).unwrap_or_default();
            found.extend(children.split_whitespace().filter_map(|number| number.parse::<u32>().ok()));
        }
        at += 1;
    }
    found
}

#[test]
fn when_watching_ends_or_is_killed_nothing_runs_on() {
    for signal in ["-INT", "-KILL"] {
        let project = Project::with(
            "+++\ntitle = \"T\"\n+++\n\n```python @a\nimport time\ntime.sleep(0.1)\n```\n\n```python @b\ntime.sleep(0.1)\n```\n\n\
             ```python @c\nprint('c')\n```\n\n```sh @d\nsleep 0.1\n```\n",
        );
        let mut watching = Watching::of(&project, &["guide.vine.md"]);
        until("the first weave", || project.exists("guide.html"));
        let mut all = Vec::new();
        until("the interpreters and their copies", || {
            all = below(watching.process.id());
            all.len() > 4
        });
        Command::new("kill").args([signal, &watching.process.id().to_string()]).status().unwrap();
        until("the end", || watching.process.try_wait().unwrap().is_some());
        let runs = |process: &u32| Path::new(&format!("/proc/{process}/exe")).exists();
        until("all to end", || !all.iter().any(runs));
    }
}

#[test]
fn hundreds_of_saves_renames_and_deletions_leave_nothing_over() {
    let project = Project::with(
        "+++\ntitle = \"T\"\n+++\n\nWords 0.\n\n```python @a\nimport time\nvalue = 1\ntime.sleep(0.03)\n```\n\n\
         ```python @b\nprint('gives', value + 1, open('data.txt').read())\n```\n",
    );
    project.write("data.txt", "0");
    let temporary = tempfile::tempdir().unwrap();
    let mut command = project.command(&["watch", "--no-open", "--port", "0", "guide.vine.md"]);
    command.env("TMPDIR", temporary.path()).stdout(Stdio::null()).stderr(Stdio::null());
    let mut watching = Watching { process: command.spawn().unwrap(), address: Default::default() };
    until("the first weave", || project.exists("guide.html"));
    let entries = |path: &str| std::fs::read_dir(path).map_or(0, Iterator::count);
    let process = watching.process.id();
    let held = || {
        let files = entries(&format!("/proc/{process}/fd"));
        (
            files,
            entries(&format!("/proc/{process}/task")),
            below(process).len(),
            entries(&temporary.path().to_string_lossy()),
        )
    };
    let change = |number: u64| {
        let text = with_another_number(&project.read("guide.vine.md"), "value + ", number % 7);
        project.write("guide.vine.md", with_another_number(&text, "Words ", number));
        match number % 5 {
            0 => std::fs::remove_file(project.path("data.txt")).unwrap(),
            1 => project.write("data.txt", number.to_string()),
            2 => {
                std::fs::rename(project.path("guide.vine.md"), project.path("away.md")).unwrap();
                std::fs::rename(project.path("away.md"), project.path("guide.vine.md")).unwrap();
            }
            _ => {}
        }
        std::thread::sleep(Duration::from_millis(number % 17));
    };
    let rests = |number: u64| {
        let (words, data) = (format!("Words {number}."), project.read("data.txt"));
        let gives = format!("gives {} {data}", 1 + number % 7);
        until(&words, || {
            let page = project.read("guide.html");
            page.contains(&words) && page.contains(&gives)
        });
        std::thread::sleep(Duration::from_millis(300));
    };
    (1..=12).for_each(change);
    rests(12);
    let before = held();
    (13..=302).for_each(change);
    rests(302);
    let after = held();
    let grown = [
        after.0.abs_diff(before.0),
        after.1.abs_diff(before.1),
        after.2.abs_diff(before.2),
        after.3.abs_diff(before.3),
    ];
    assert!(
        grown.iter().all(|&grown| grown <= 3),
        "files, threads, processes, temporary files: {before:?}, then {after:?}"
    );
    assert_eq!(watching.end(), Some(0));
    assert_eq!(entries(&temporary.path().to_string_lossy()), 0);
}

#[test]
fn a_block_that_waits_to_be_asked_for_runs_once_for_each_time_it_is_asked() {
    let project = Project::with("```sh @a run=asked\necho one\n```\n\n```sh @b\necho after\n```\n");
    let mut watching = Watching::of(&project, &["guide.vine.md"]);
    let page = || watching.send("GET", "1/guide.html");
    let change = |from: &str, to: &str| {
        project.write("guide.vine.md", project.read("guide.vine.md").replace(from, to));
    };
    let waits = || page().contains("@a has not run: it waits to be asked for");
    until("it to wait", waits);
    assert!(page().contains("@b has not run: it needs @a, which waits to be asked for"));
    assert!(!project.exists("guide.html"), "what waits is in no file");
    watching.send("POST", "1/waiting");
    until("it to run", || project.exists("guide.html") && !waits());
    // It fails when it is asked for: that was it, and mending it does not run it.
    change("echo one", "exit 3");
    until("it to wait again", waits);
    watching.send("POST", "1/waiting");
    std::thread::sleep(Duration::from_millis(700));
    change("exit 3", "echo two");
    std::thread::sleep(Duration::from_millis(700));
    assert!(waits() && project.read("guide.html").contains("one"));
    watching.send("POST", "1/waiting");
    until("the files", || project.read("guide.html").contains("two"));
    // A weave runs it like any other, and so does the first of a project.
    change("echo two", "echo three");
    assert_eq!(watching.end(), Some(0));
    assert_eq!(project.weave().code, 0);
    assert!(project.read("guide.html").contains("three"));
}
