//! What happens between `fork` and `exec`: the only crate with `unsafe`.
//!
//! A program is started with the descriptors it is given and no others, under a keeper that ends it and everything
//! it started when we let go of it or are killed ourselves. On Linux a [`Watch`] is told of every file that it, or
//! anything it starts, opens, asks about, lists, runs or writes.

#![deny(unsafe_op_in_unsafe_fn)]

mod access;
mod at_rest;
mod child;
mod entry;
#[cfg(target_os = "linux")]
mod filter;
#[cfg(target_os = "linux")]
mod keeper;
#[cfg(target_os = "linux")]
mod listener;
mod places;
mod reading;
mod running;
mod seen;
mod spawn;
mod watch;

pub use access::{Access, Before, moment};
pub use at_rest::{AtRest, Found};
pub use places::library_of;
pub use reading::read_file;
pub use running::Running;
pub use seen::{Products, Seen, Stamp, now, place};
pub use spawn::{EVENTS, Program, REQUESTS, spawn};
pub use watch::{LeftOut, Observed, Output, Watch};

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{self, Read, Write};
    use std::path::Path;

    /// A shell script to be run in a folder, and the other ends of its channels.
    fn program(text: &str, folder: &Path) -> (Program, io::PipeWriter, io::PipeReader) {
        let (request_end, requests) = io::pipe().unwrap();
        let (events, event_end) = io::pipe().unwrap();
        let null = || std::fs::File::options().read(true).write(true).open("/dev/null").unwrap().into();
        let environment = std::env::vars_os().collect();
        let program = Program {
            path: "/bin/sh".into(),
            arguments: ["sh", "-c", text].map(Into::into).into(),
            environment,
            folder: folder.into(),
            streams: [null(), null(), null()],
            channels: Some([request_end.into(), event_end.into()]),
        };
        (program, requests, events)
    }

    fn script(text: &str, folder: &Path, watch: Option<&Watch>) -> (Running, io::PipeWriter, io::PipeReader) {
        let (program, requests, events) = program(text, folder);
        (spawn(&program, watch).unwrap(), requests, events)
    }

    fn start(text: &str) -> (Running, io::PipeWriter, io::PipeReader) {
        script(text, Path::new("/"), None)
    }

    #[test]
    fn a_child_talks_on_its_channels() {
        let (mut running, mut requests, mut events) = start("read -r line <&3; echo \"got $line\" >&4; exit 3");
        requests.write_all(b"hello\n").unwrap();
        let mut answer = String::new();
        events.read_to_string(&mut answer).unwrap();
        assert_eq!(answer, "got hello\n");
        assert_eq!(running.wait(), 3);
    }

    #[test]
    fn a_program_that_is_not_there_is_an_error() {
        let null = || std::fs::File::open("/dev/null").unwrap().into();
        let program = Program {
            path: "/nowhere/at/all".into(),
            arguments: vec!["all".into()],
            environment: Vec::new(),
            folder: "/".into(),
            streams: [null(), null(), null()],
            channels: None,
        };
        let error = spawn(&program, None).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::NotFound);
    }

    /// Whether a `sleep` of so many seconds runs anywhere.
    #[cfg(target_os = "linux")]
    fn sleeps(seconds: &str) -> bool {
        let wanted = format!("sleep\0{seconds}\0");
        let lines = std::fs::read_dir("/proc").unwrap().flatten();
        lines.into_iter().any(|entry| std::fs::read_to_string(entry.path().join("cmdline")).is_ok_and(|l| l == wanted))
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn nothing_it_started_runs_on_in_whatever_session() {
        let all = ["301.77", "302.77", "303.77"];
        let (mut running, _requests, mut events) =
            start("setsid sleep 301.77 & (sleep 302.77 &) ; sleep 303.77 & echo ready >&4; read -r x <&3");
        let mut ready = [0; 6];
        events.read_exact(&mut ready).unwrap();
        while !all.iter().all(|seconds| sleeps(seconds)) {
            std::thread::yield_now();
        }
        running.end();
        assert!(!all.iter().any(|seconds| sleeps(seconds)));
    }

    /// What a program does to its keeper saves none of its children, also where there are no namespaces.
    #[test]
    #[cfg(target_os = "linux")]
    fn a_keeper_that_is_killed_or_stopped_saves_nobody() {
        for (signal, seconds) in [("KILL", "304.77"), ("STOP", "305.77"), ("TERM", "306.77"), ("HUP", "307.77")] {
            for apart in [true, false] {
                let text = format!("setsid sleep {seconds} & echo ready >&4; kill -{signal} $PPID; read -r x <&3");
                let program = program(&text, Path::new("/"));
                let (program, _requests, mut events) = program;
                let started = crate::spawn::start_with(&program, None, apart);
                let Ok(mut running) = started else { continue };
                drop(program);
                let mut ready = [0; 6];
                events.read_exact(&mut ready).unwrap();
                running.end();
                assert!(!sleeps(seconds), "{signal} {apart}");
            }
        }
    }

    #[test]
    fn a_program_has_no_descriptor_of_ours() {
        let ours = std::fs::File::open("/dev/null").unwrap();
        // One that a caller's shell left open to us.
        // SAFETY: F_DUPFD takes an integer; the new descriptor is closed below.
        let open = unsafe { libc::fcntl(std::os::fd::AsRawFd::as_raw_fd(&ours), libc::F_DUPFD, 30) };
        let (mut running, _requests, mut events) = start("ls /proc/self/fd >&4");
        let mut seen = String::new();
        running.wait();
        drop(running);
        events.read_to_string(&mut seen).unwrap();
        // SAFETY: as above.
        unsafe { libc::close(open) };
        // The last one is the folder that `ls` reads.
        assert_eq!(seen.split_whitespace().collect::<Vec<_>>(), ["0", "1", "2", "3", "4", "5"]);
    }

    /// Runs a script under watch in a folder with a file `data`, and returns what was observed of that folder.
    #[cfg(target_os = "linux")]
    fn observed(text: &str) -> (tempfile::TempDir, Observed) {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("data"), "one").unwrap();
        let apart = ["/usr", "/lib", "/lib64", "/etc", "/proc", "/sys", "/dev", "/root"].map(std::path::PathBuf::from);
        let watch = Watch::new(LeftOut { apart: apart.into(), ..LeftOut::default() });
        let (mut running, _requests, _events) = script(text, folder.path(), Some(&watch));
        assert_eq!(running.wait(), 0, "{text}");
        let seen = watch.take().expect("this kernel has seccomp user notification");
        (folder, seen)
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn every_way_to_read_a_file_is_observed() {
        for script in [
            "read -r line < data; true",
            "cat data",
            "cd / && cat \"$OLDPWD/data\"",
            "read=$( (cat data &) )",
            "exec cat ./data",
            "setsid cat data",
            "python3 -c \"import threading; t = threading.Thread(target=lambda: open('data').read()); t.start(); t.join()\"",
            "perl -e 'open(F, \"data\"); <F>'",
        ] {
            let (folder, seen) = observed(script);
            let data = std::fs::canonicalize(folder.path()).unwrap().join("data");
            assert!(matches!(seen.inputs.get(&data), Some(Seen::Content(_))), "{script}: {seen:?}");
            assert!(seen.outputs.is_empty(), "{script}: {seen:?}");
        }
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn programs_of_every_make_are_observed_also_under_a_filter_of_their_own() {
        let program = r#"
#include <fcntl.h>
#include <stddef.h>
#include <sys/prctl.h>
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <unistd.h>
int main(void) {
    struct sock_filter all[] = {{0x06, 0, 0, SECCOMP_RET_ALLOW}};
    struct sock_fprog program = {1, all};
    prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
    if (prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program, 0, 0)) return 1;
    char byte;
    return read(open("data", O_RDONLY), &byte, 1) == 1 ? 0 : 2;
}
"#;
        for flags in ["", "-static"] {
            let script = format!("cat > p.c <<'END'\n{program}END\ncc {flags} -o p p.c && ./p");
            let (folder, seen) = observed(&script);
            let folder = std::fs::canonicalize(folder.path()).unwrap();
            assert!(matches!(seen.inputs.get(&folder.join("data")), Some(Seen::Content(_))), "{flags}: {seen:?}");
            assert!(seen.outputs.iter().any(|made| made.path == folder.join("p")), "{seen:?}");
        }
    }

    #[test]
    #[cfg(target_os = "linux")]
    fn listings_missing_names_programs_and_what_is_made_are_observed() {
        let (folder, seen) = observed(
            "ls > /dev/null; cat none 2> /dev/null; mkdir new; cp data new/copy; echo more >> data; rm -f data",
        );
        let folder = std::fs::canonicalize(folder.path()).unwrap();
        assert!(matches!(seen.inputs.get(&folder), Some(Seen::Entries(..))), "{seen:?}");
        assert_eq!(seen.inputs.get(&folder.join("none")), Some(&Seen::Absent));
        assert!(
            seen.inputs.iter().any(|(path, seen)| path.ends_with("cat") && matches!(seen, Seen::Program(..))),
            "{seen:?}"
        );
        for name in ["new", "new/copy", "data"] {
            assert!(seen.outputs.iter().any(|made| made.path == folder.join(name)), "{name}: {seen:?}");
        }
        let one = blake3::hash(b"one").to_hex().to_string();
        // `cp` asks what the file is before it reads it.
        let asked = |seen: &Seen| matches!(seen, Seen::Asked(stamp) if stamp.content.as_ref() == Some(&one));
        assert!(seen.inputs.get(&folder.join("data")).is_some_and(asked), "{seen:?}");
    }
}
