//! No change of anything that a block used leaves an old result: each way in which an input can be reached and changed,
//! tried one by one; and what is no change runs nothing.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::io::{BufRead, BufReader, Write};
use std::process::{Command, Stdio};
use support::{Project, Said};

/// Runs a shell line in the project's folder.
fn shell(project: &Project, line: &str) {
    let status =
        Command::new("sh").args(["-ec", line]).current_dir(project.path("")).env("HOME", project.path("home")).status();
    assert!(status.unwrap().success(), "{line}");
}

fn weave(project: &Project) -> Said {
    let mut command = project.command(&["weave", "guide.vine.md", "--to", "markdown"]);
    let path = format!("{}:{}", project.path("bin").display(), std::env::var("PATH").unwrap());
    support::said(&command.env("HOME", project.path("home")).env("PATH", path).output().unwrap())
}

/// One case: what is there, the block, and a change after which the block gives `new` where it gave `old`.
struct Case {
    name: &'static str,
    before: &'static str,
    block: &'static str,
    change: &'static str,
}

fn case(name: &'static str, before: &'static str, block: &'static str, change: &'static str) -> Case {
    Case { name, before, block, change }
}

const WRITE_OLD: &str = "echo old > data.txt";
const WRITE_NEW: &str = "echo new > data.txt";

fn cases() -> Vec<Case> {
    let c = case;
    vec![
        // A launch script starts what something else chooses.
        c(
            "what a launch script reads",
            "mkdir -p bin; echo WHICH=old > home/choice; printf '#!/bin/sh\\n. \"$HOME/choice\"; export WHICH\\nexec /usr/bin/python3 \"$@\"\\n' > bin/python3; chmod +x bin/python3",
            "```python @a\nimport os; print(os.environ['WHICH'])\n```",
            "echo WHICH=new > home/choice",
        ),
        c(
            "what a launch script looks for",
            "mkdir -p bin; printf '#!/bin/sh\\nexport WHICH=old\\nif [ -e .choice ]; then WHICH=new; fi\\nexec /usr/bin/python3 \"$@\"\\n' > bin/python3; chmod +x bin/python3",
            "```python @a\nimport os; print(os.environ['WHICH'])\n```",
            "touch .choice",
        ),
        c(
            "what a launch script lists",
            "mkdir -p bin home/versions/1-old; printf '#!/bin/sh\\nfor WHICH in \"$HOME\"/versions/*; do :; done; export WHICH\\nexec /usr/bin/python3 \"$@\"\\n' > bin/python3; chmod +x bin/python3",
            "```python @a\nimport os; print(os.environ['WHICH'])\n```",
            "mkdir home/versions/2-new",
        ),
        c(
            "what a launch script starts",
            "mkdir -p bin; printf '#!/bin/sh\\nexport WHICH=old\\nexec /usr/bin/python3 \"$@\"\\n' > home/real; printf '#!/bin/sh\\nexec \"$HOME/real\" \"$@\"\\n' > bin/python3; chmod +x bin/python3 home/real",
            "```python @a\nimport os; print(os.environ['WHICH'])\n```",
            "sed -i s/old/new/ home/real",
        ),
        c(
            "the version behind a launch script",
            "mkdir -p bin; printf '#!/bin/sh\\necho old\\n' > home/real; printf '#!/bin/sh\\nif [ \"$1\" = --version ]; then exec \"$HOME/real\"; fi\\nexport WHICH=$(\"$HOME/real\")\\nexec /usr/bin/python3 \"$@\"\\n' > bin/python3; chmod +x bin/python3 home/real",
            "```python @a\nimport os; print(os.environ['WHICH'])\n```",
            "sed -i s/old/new/ home/real",
        ),
        // A path means what it led to.
        c("a file", WRITE_OLD, "```sh @a\ncat data.txt\n```", WRITE_NEW),
        c("a link made by the block", WRITE_OLD, "```sh @a\nln -sfn data.txt cur; cat cur\n```", WRITE_NEW),
        c(
            "a link to a link",
            "echo old > data.txt; ln -s data.txt one; ln -s one two",
            "```sh @a\ncat two\n```",
            WRITE_NEW,
        ),
        c(
            "a link that leads elsewhere",
            "echo old > a.txt; echo new > b.txt; ln -s a.txt cur",
            "```sh @a\ncat cur\n```",
            "ln -sfn b.txt cur",
        ),
        c(
            "a link to a folder",
            "mkdir one two; echo old > one/f; echo new > two/f; ln -s one cur",
            "```sh @a\ncat cur/f\n```",
            "ln -sfn two cur",
        ),
        c(
            "a link in the middle of links",
            "mkdir one two; echo old > one/f; echo new > two/f; ln -s one mid; ln -s mid/f cur",
            "```sh @a\ncat cur\n```",
            "ln -sfn two mid",
        ),
        c("a link that is read", "ln -s old cur", "```sh @a\nreadlink cur\n```", "ln -sfn new cur"),
        c(
            "a link that is read and followed",
            "echo x > old; echo x > new; ln -s old cur",
            "```sh @a\ncat cur; readlink cur\n```",
            "ln -sfn new cur",
        ),
        c(
            "the content behind a link that is read",
            "echo old > data.txt; ln -s data.txt cur",
            "```sh @a\nreadlink cur > /dev/null; cat cur\n```",
            WRITE_NEW,
        ),
        c(
            "a hard link made by the block",
            WRITE_OLD,
            "```sh @a\nln -f data.txt cur; cat cur\n```",
            "rm data.txt; echo new > data.txt",
        ),
        c(
            "a copy by link",
            WRITE_OLD,
            "```sh @a\ncp -lf data.txt cur; cat cur; rm cur\n```",
            "rm data.txt; echo new > data.txt",
        ),
        c(
            "a copy by link of links",
            WRITE_OLD,
            "```sh @a\nrm -f cur; cp -s \"$PWD/data.txt\" cur; cat cur\n```",
            WRITE_NEW,
        ),
        c("a renamed file", WRITE_OLD, "```sh @a\ncp data.txt tmp; mv tmp moved; cat moved\n```", WRITE_NEW),
        c("by /proc/self/cwd", WRITE_OLD, "```sh @a\ncat /proc/self/cwd/data.txt\n```", WRITE_NEW),
        c("by the number of a process", WRITE_OLD, "```sh @a\ncat /proc/$$/cwd/data.txt\n```", WRITE_NEW),
        c("by /proc/self/root", WRITE_OLD, "```sh @a\ncat \"/proc/self/root$PWD/data.txt\"\n```", WRITE_NEW),
        c(
            "by /dev/fd of a folder",
            WRITE_OLD,
            "```python @a\nimport os\nf = os.open('.', os.O_RDONLY)\nprint(open('/dev/fd/%d/data.txt' % f).read())\n```",
            WRITE_NEW,
        ),
        c(
            "by a descriptor opened O_PATH",
            WRITE_OLD,
            "```python @a\nimport os\nf = os.open('data.txt', os.O_PATH)\nprint(open('/proc/self/fd/%d' % f).read())\n```",
            WRITE_NEW,
        ),
        c(
            "by openat",
            WRITE_OLD,
            "```python @a\nimport os\nf = os.open('.', os.O_RDONLY)\nprint(os.read(os.open('data.txt', os.O_RDONLY, dir_fd=f), 9).decode())\n```",
            WRITE_NEW,
        ),
        c(
            "from another folder",
            "mkdir sub; echo old > data.txt",
            "```sh @a\ncd sub && cat ../data.txt\n```",
            WRITE_NEW,
        ),
        c(
            "in the background of another session",
            WRITE_OLD,
            "```sh @a\nsetsid sh -c 'cat data.txt > out.txt' & wait; cat out.txt\n```",
            WRITE_NEW,
        ),
        c("by sed in place", WRITE_OLD, "```sh @a\ncp data.txt e.txt; sed -i s/x/y/ e.txt; cat e.txt\n```", WRITE_NEW),
        // What a file is.
        c(
            "whether it may be run",
            "printf '#!/bin/sh\\necho old\\n' > tool; chmod +x tool",
            "```sh @a\n./tool 2>/dev/null || echo new\n```",
            "chmod -x tool",
        ),
        c(
            "whether it may be run, asked",
            "touch tool; chmod +x tool",
            "```sh @a\ntest -x tool && echo old || echo new\n```",
            "chmod -x tool",
        ),
        c(
            "its mode",
            "echo x > data.txt; chmod 644 data.txt",
            "```sh @a\nstat -c %a data.txt | sed s/644/old/ | sed s/600/new/\n```",
            "chmod 600 data.txt",
        ),
        c(
            "its mode beside its content",
            "echo x > data.txt; chmod 644 data.txt",
            "```sh @a\ncat data.txt; stat -c %a data.txt | sed s/644/old/ | sed s/600/new/\n```",
            "chmod 600 data.txt",
        ),
        c(
            "its kind",
            "echo x > data.txt",
            "```sh @a\ntest -d data.txt && echo new || echo old\n```",
            "rm data.txt; mkdir data.txt",
        ),
        c(
            "whether it is a link",
            "echo x > other; echo x > data.txt",
            "```sh @a\ntest -L data.txt && echo new || echo old\n```",
            "ln -sfn other data.txt",
        ),
        c(
            "its size",
            "echo xx > data.txt",
            "```sh @a\nstat -c %s data.txt | sed s/3/old/ | sed s/5/new/\n```",
            "echo xxxx > data.txt",
        ),
        c(
            "whether it is there",
            "rm -f data.txt",
            "```sh @a\ntest -e data.txt && echo new || echo old\n```",
            WRITE_OLD,
        ),
        c(
            "whether it is not there",
            WRITE_OLD,
            "```sh @a\ntest -e data.txt && echo old || echo new\n```",
            "rm data.txt",
        ),
        // Asked only for its stamp.
        c(
            "a sum by name of what stat says",
            WRITE_OLD,
            "```sh @a\nif [ $(stat -c %s data.txt) = 4 ]; then tr a-z a-z < data.txt; fi\n```",
            WRITE_NEW,
        ),
        c(
            "git",
            "git init -q .; echo old > data.txt; git add data.txt; git -c user.name=a -c user.email=b commit -qm x; sleep 1.1; git status > /dev/null",
            "```sh @a\ngit status --short | grep -q data.txt && echo new || echo old\n```",
            WRITE_NEW,
        ),
        c(
            "make",
            "printf 'out.txt: data.txt\\n\\tcp data.txt out.txt\\n' > Makefile; echo old > data.txt",
            "```sh @a\nmake -s; cat out.txt\n```",
            "sleep 1.1; echo new > data.txt",
        ),
        c(
            "a module with its compiled form",
            "echo 'V=\"old\"' > vlmod.py; python3 -m py_compile vlmod.py; sleep 1.1",
            "```python @a\nimport vlmod\nprint(vlmod.V)\n```",
            "echo 'V=\"new\"' > vlmod.py",
        ),
        c(
            "the time of the one before",
            "echo old > data.txt; touch -d '2020-01-01' data.txt",
            "```sh @a\ntest -f data.txt && cat data.txt\n```",
            "echo new > data.txt; touch -d '2020-01-01' data.txt",
        ),
        c(
            "asked and of the same size and time",
            "echo old > data.txt; touch -d '2020-01-01' data.txt",
            "```sh @a\nif test data.txt -ot Makefile 2>/dev/null; then :; fi; stat data.txt > /dev/null; python3 -c 'print(open(\"data.txt\").read())'\n```",
            "echo new > data.txt; touch -d '2020-01-01' data.txt",
        ),
        // Folders.
        c("a listing", "touch old", "```sh @a\nls | grep -x -e old -e new | tail -1\n```", "mv old new"),
        c("a pattern", "touch old.csv", "```sh @a\necho *.csv | cut -d. -f1\n```", "mv old.csv new.csv"),
        c(
            "a tree",
            "mkdir -p d/e; touch d/e/old",
            "```sh @a\nfind d -type f | sed 's|.*/||'\n```",
            "mv d/e/old d/e/new",
        ),
        // Removing is an effect.
        c(
            "a file that the block removes",
            "touch f0",
            "```sh @r\nrm -f f0\n```\n\n```sh @a strand=two\ntest -e f0 && echo old || echo new; test -e never || true\n```\n",
            "echo by hand > f0",
        ),
        // Files of the document's that are read by us.
        c(
            "a picture that a block leaves",
            "printf '<svg xmlns=\"http://www.w3.org/2000/svg\"><desc>old</desc></svg>' > out.svg",
            "```sh @a figure=out.svg show=figures\ntrue\n```\n\n```sh @b\ngrep -o -e old -e new out.svg\n```",
            "sed -i s/old/new/ out.svg",
        ),
        c(
            "a table that a block writes",
            "printf 'k\\nold\\n' > src.csv",
            "```sh @a writes=t.csv\ncp src.csv t.csv\n```\n\n![T](t.csv)\n",
            "sed -i s/old/new/ src.csv",
        ),
        c(
            "a script that a block writes",
            "echo 'echo old' > src.txt",
            "```sh @m show=none writes=gen.sh\ncp src.txt gen.sh\n```\n\n```sh @a from=gen.sh strand=fresh\n```\n",
            "echo 'echo new' > src.txt",
        ),
        c(
            "a document that a block writes",
            "echo old > src.txt",
            "```sh @a writes=part.vine.md show=none\ncp src.txt part.vine.md\n```\n\n![](part.vine.md)\n",
            "echo new > src.txt",
        ),
        c(
            "data of a chart in other quotes",
            "printf 'd,v\\nold,1\\n' > t.csv",
            "```chart @c\ndata = 't.csv'\nx = 'd'\ny = 'v'\n```\n\n```sh @b\ntail -1 t.csv | cut -d, -f1\n```",
            "printf 'd,v\\nnew,1\\n' > t.csv",
        ),
        // What stands for the system is narrow.
        c(
            "data in ~/R",
            "mkdir -p home/R; echo old > home/R/x",
            "```sh @a\ncat \"$HOME/R/x\"\n```",
            "echo new > home/R/x",
        ),
        c(
            "settings in ~/.config",
            "mkdir -p home/.config/matplotlib; echo old > home/.config/matplotlib/x",
            "```sh @a\ncat \"$HOME/.config/matplotlib/x\"\n```",
            "echo new > home/.config/matplotlib/x",
        ),
        c(
            "a program found by name",
            "mkdir bin; printf '#!/bin/sh\\necho old\\n' > bin/vlprog; chmod +x bin/vlprog",
            "```sh @a\nvlprog\n```",
            "sed -i s/old/new/ bin/vlprog",
        ),
        c(
            "a program that was not there",
            "mkdir -p bin",
            "```sh @a\nvlprog 2>/dev/null || echo old\n```",
            "printf '#!/bin/sh\\necho new\\n' > bin/vlprog; chmod +x bin/vlprog",
        ),
        c(
            "whether a program is there",
            "mkdir -p bin",
            "```sh @a\ncommand -v vlprog > /dev/null && echo new || echo old\n```",
            "printf '#!/bin/sh\\n' > bin/vlprog; chmod +x bin/vlprog",
        ),
        c(
            "a program in front of another",
            "mkdir -p bin",
            "```sh @a\ntrue; hostname | grep -x new || echo old\n```",
            "printf '#!/bin/sh\\necho new\\n' > bin/hostname; chmod +x bin/hostname",
        ),
        // Packages.
        c(
            "a package",
            "mkdir -p site-packages/vlpkg; echo 'V=\"old\"' > site-packages/vlpkg/__init__.py",
            "```python @a\nimport sys\nsys.path.insert(0, 'site-packages')\nimport vlpkg\nprint(vlpkg.V)\n```",
            "echo 'V=\"new\"' > site-packages/vlpkg/__init__.py",
        ),
        c(
            "a package that was not there",
            "mkdir -p site-packages",
            "```python @a\nimport sys\nsys.path.insert(0, 'site-packages')\ntry:\n    import vlpkg\n    print('new')\nexcept ImportError:\n    print('old')\n```",
            "mkdir -p site-packages/vlpkg; touch site-packages/vlpkg/__init__.py",
        ),
        c(
            "a part of a package",
            "mkdir -p site-packages/vlpkg; touch site-packages/vlpkg/__init__.py; echo 'V=\"old\"' > site-packages/vlpkg/deep.py",
            "```python @a\nimport sys\nsys.path.insert(0, 'site-packages')\nfrom vlpkg import deep\nprint(deep.V)\n```",
            "echo 'V=\"new\"' > site-packages/vlpkg/deep.py",
        ),
        c(
            "a module of node",
            "mkdir -p node_modules/vl; echo 'module.exports = \"old\"' > node_modules/vl/index.js",
            "```javascript @a\nrequire('vl')\n```",
            "echo 'module.exports = \"new\"' > node_modules/vl/index.js",
        ),
        // What can't be followed is not kept.
        c(
            "mounts of its own",
            "mkdir d m; echo old > d/x",
            "```sh @a\nunshare -m sh -c 'mount --bind d m && cat m/x' 2>/dev/null || cat d/x\n```",
            "echo new > d/x",
        ),
        c(
            "another root",
            "mkdir -p root; echo old > root/x",
            "```python @a\nimport os\np = os.fork()\nif p == 0:\n    try:\n        os.chroot('root')\n        data = open('/x').read()\n    except PermissionError:\n        data = open('root/x').read()\n    os.write(1, data.encode())\n    os._exit(0)\nos.waitpid(p, 0)\n```",
            "echo new > root/x",
        ),
        c(
            "a process that is closed to others",
            WRITE_OLD,
            "```python @a\nimport ctypes, os\nif os.fork() == 0:\n    ctypes.CDLL(None).prctl(4, 0)\n    os.write(1, open('data.txt', 'rb').read())\n    os._exit(0)\nos.wait()\n```",
            WRITE_NEW,
        ),
        c(
            "two files that change places and back",
            "echo x > a; echo old > b",
            "```python @a\nimport ctypes\nswap = lambda: ctypes.CDLL(None).renameat2(-100, b'a', -100, b'b', 2)\nswap()\nprint(open('a').read())\nswap()\n```",
            "echo new > b",
        ),
        c(
            "made or opened, then read by descriptor",
            WRITE_OLD,
            "```python @a\nimport os\nprint(os.read(os.open('data.txt', os.O_RDONLY | os.O_CREAT), 9).decode())\n```",
            WRITE_NEW,
        ),
        c(
            "what runs a script's interpreter",
            "printf '#!/bin/sh\\necho old\\n' > inner; printf '#!%s/inner\\n' \"$PWD\" > outer; printf '#!%s/outer\\n' \"$PWD\" > tool; chmod +x inner outer tool",
            "```sh @a\n./tool\n```",
            "touch -r inner time; sed -i s/old/new/ inner; touch -r time inner",
        ),
        c(
            "data beside a linked interpreter",
            "mkdir bin share; ln -s \"$(command -v sh)\" bin/sh; echo old > share/x",
            "```sh @a\ncat share/x\n```",
            "echo new > share/x",
        ),
        // Strands of every kind.
        c("in R", WRITE_OLD, "```r @a\ncat(readLines('data.txt'), '\\n')\n```", WRITE_NEW),
        c("in Ruby", WRITE_OLD, "```ruby @a\nputs File.read('data.txt')\n```", WRITE_NEW),
        c("in Octave", WRITE_OLD, "```octave @a\nprintf ('%s', fileread ('data.txt'));\n```", WRITE_NEW),
        c(
            "in awk",
            WRITE_OLD,
            "```awk @a\nBEGIN { while ((getline line < \"data.txt\") > 0) print line }\n```",
            WRITE_NEW,
        ),
        c(
            "in node",
            WRITE_OLD,
            "```javascript @a\nconsole.log(require('fs').readFileSync('data.txt', 'utf8'))\n```",
            WRITE_NEW,
        ),
    ]
}

/// What the page says outside of the code: `old`, `new`.
fn says(project: &Project, word: &str) -> bool {
    let text = project.read("guide.md");
    let mut code = false;
    text.lines().any(|line| {
        let fence = line.trim_start().starts_with("```");
        code = if fence { !code && !line.contains("```text") } else { code };
        !code && line.split(|c: char| !c.is_alphanumeric()).any(|part| part == word)
    })
}

#[test]
fn no_change_of_an_input_leaves_an_old_result() {
    let mut wrong = Vec::new();
    for Case { name, before, block, change } in cases() {
        let project = Project::with(&format!("+++\n[environment]\npath = [\"bin\"]\n+++\n{block}\n"));
        std::fs::create_dir_all(project.path("home")).unwrap();
        shell(&project, before);
        std::thread::sleep(std::time::Duration::from_millis(60));
        let mut said = weave(&project);
        for _ in 0..2 {
            if said.code != 0 {
                break;
            }
            said = weave(&project);
        }
        if said.code != 0 || name != "a file that the block removes" && !says(&project, "old") {
            wrong.push(format!("{name}: at first: {said:?}"));
            continue;
        }
        shell(&project, change);
        let said = weave(&project);
        if said.code != 0 || !says(&project, "new") || says(&project, "old") {
            wrong.push(format!("{name}: after the change: {}{}", said.out, said.err));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// What is no change of anything that a block used runs nothing.
#[test]
fn nothing_runs_that_need_not() {
    let cases = [
        ("touched data", WRITE_OLD, "```sh @a\ncat data.txt\n```", "touch data.txt"),
        (
            "touched data that is asked for",
            WRITE_OLD,
            "```sh @a\nstat -c %s data.txt; cat data.txt\n```",
            "touch data.txt",
        ),
        (
            "a touched module",
            "echo 'V=1' > vlmod.py",
            "```python @a\nimport vlmod\nprint(vlmod.V)\n```",
            "touch vlmod.py; rm -rf __pycache__",
        ),
        ("a file beside", "touch a", "```sh @a\ncat a; ls -d a\n```", "touch b"),
        ("the exports of other documents", "echo text > other.vine.md", "```sh @a\nls | wc -l\n```", "true"),
        (
            "showing notices",
            "true",
            "```python @a\nprint(1)\n```",
            "sed -i 's/@a/@a show=code,text,notices/' guide.vine.md",
        ),
        ("Octave beside its own document", "true", "```octave @a\n1\n```", "echo 'More prose.' >> guide.vine.md"),
        (
            "Octave beside its own document, in R as well",
            "true",
            "```r @b\n1\n```\n\n```octave @a\n1\n```",
            "echo 'More prose.' >> guide.vine.md",
        ),
        (
            "a copied file",
            WRITE_OLD,
            "```sh @a\ncat data.txt; stat data.txt > /dev/null\n```",
            "cp data.txt x; mv x data.txt",
        ),
    ];
    let mut wrong = Vec::new();
    for (name, before, block, change) in cases {
        let project = Project::with(&format!("{block}\n"));
        shell(&project, before);
        for _ in 0..3 {
            weave(&project);
        }
        shell(&project, change);
        if name.starts_with("the exports of other") {
            assert_eq!(project.run(&["weave", "other.vine.md", "--to", "html,markdown"]).code, 0);
            weave(&project);
        }
        let said = weave(&project);
        if said.code != 0 || !said.out.contains(" 0 ran") {
            wrong.push(format!("{name}: {}{}", said.out, said.err));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The rows of a log are as many as if it had been woven from nothing, however often blocks are replayed.
#[test]
fn a_block_that_appends_counts_or_rewrites_does_so_once() {
    let project = Project::with(
        "```sh @head strand=fresh\necho head > log\n```\n\n```sh @row\necho row >> log; wc -l < log | sed 's/^/lines-/'\n```\n\n\
         ```sh @count\nn=$(cat n 2>/dev/null || echo 0); : $((n += 1)); echo count-$n\n```\n\n```sh @x\nx=1\n```\n",
    );
    for n in 2..7 {
        assert_eq!(weave(&project).code, 0);
        assert!(project.read("guide.md").contains("lines-2") && project.read("guide.md").contains("count-1"), "{n}");
        assert_eq!(project.read("log"), "head\nrow\n");
        project
            .write("guide.vine.md", project.read("guide.vine.md").replace(&format!("x={}", n - 1), &format!("x={n}")));
    }
}

/// A large file at rest is not read again; each way of writing to it that leaves its size and its time is noticed.
/// What seems to write to `f`, and does not, or not to its content; then `f` is shown. `f` is another block's.
const WRITES_THAT_ARE_NONE: [&str; 17] = [
    "ln -s x f 2> /dev/null; cat f",
    "ln -s x y; ln y f 2> /dev/null; cat f; rm y",
    "mkdir f 2> /dev/null; cat f",
    "rmdir f 2> /dev/null; cat f",
    "echo g > g; mv -n g f; cat f",
    "mv nosuch f 2> /dev/null; cat f",
    "mv f nosuch/f 2> /dev/null; cat f",
    "mkdir -p d; mv -T f d 2> /dev/null; cat f",
    "set -C; (echo g > f) 2> /dev/null; cat f",
    "mkfifo f 2> /dev/null; cat f",
    "cp --update=none /etc/hostname f; cat f",
    "chmod 640 f; cat f",
    "cat f; chmod 640 f",
    "touch f; cat f",
    "chown $(id -u) f; cat f",
    "unlink f/ 2> /dev/null; cat f",
    "truncate -s +0 f; cat f",
];

/// A call is seen before it is done. One that fails wrote nothing: what it would have written to is still an input.
#[test]
fn what_could_not_be_written_is_read_from_who_wrote_it() {
    for code in WRITES_THAT_ARE_NONE {
        let project = Project::new();
        let text = |word: &str| {
            format!("```sh @makes strand=one\necho {word} > f\n```\n\n```sh @shows strand=two show=text\n{code}\n```\n")
        };
        // What was there before is known by now, and must not be put back.
        for word in ["north", "south", "north", "low", "south"] {
            project.write("guide.vine.md", text(word));
            let said = weave(&project);
            assert_eq!(said.code, 0, "{code}: {said:?}");
            assert!(project.read("guide.md").contains(&format!("\n{word}\n")), "{code}, {word}: {said:?}");
            assert_eq!(project.read("f").trim(), word, "{code}");
        }
    }
}

/// What a block made is put back whole or not at all: when one file of it is somebody's own, the block runs, and finds what
/// it is to find.
#[test]
fn nothing_is_put_back_for_a_block_that_has_to_run() {
    let moves = "import os\nos.rename('f', 'g')\nos.mkdir('d')";
    let project = Project::with(&format!(
        "```sh @makes strand=one\necho north > f; rm -rf d\n```\n\n```sh @moves strand=two show=text\npython3 -c \"{moves}\" 2> /dev/null; cat g\n```\n"
    ));
    for own in ["south", "low", "south"] {
        for _ in 0..2 {
            assert_eq!(weave(&project).code, 0);
            assert!(project.read("guide.md").contains("\nnorth\n"), "{}", project.read("guide.md"));
        }
        project.write("g", format!("{own}\n"));
        let said = weave(&project);
        assert!(project.read("guide.md").contains("\nnorth\n"), "{own}: {said:?}");
    }
}

/// What could not be written for want of a folder can be, once somebody has made that.
#[test]
fn a_folder_that_was_not_there_to_write_into_is_an_input() {
    let python = "python3 -c \"open('d/f', 'x')\"";
    for write in [
        "(echo x > d/f)",
        "(echo x >> d/f)",
        "mkdir d/e",
        "ln -s x d/l",
        "mv own d/g",
        "touch d/f",
        "mkfifo d/f",
        "(echo x > d/in/f)",
        python,
    ] {
        let project =
            Project::with(&format!("```sh @a show=text\necho own > own; {write} 2> /dev/null || echo refused\n```\n"));
        for _ in 0..2 {
            assert_eq!(weave(&project).code, 0);
            assert!(project.read("guide.md").contains("refused"), "{write}");
        }
        shell(&project, "mkdir -p d/in");
        assert_eq!(weave(&project).code, 0);
        assert!(!project.read("guide.md").contains("refused"), "{write}");
    }
    // A folder, where a file was to be.
    let project = Project::with("```sh @a show=text\n(echo x > d) 2> /dev/null || echo refused\n```\n");
    shell(&project, "mkdir d");
    assert_eq!(weave(&project).code, 0);
    assert!(project.read("guide.md").contains("refused"));
    shell(&project, "rmdir d");
    assert_eq!(weave(&project).code, 0);
    assert!(!project.read("guide.md").contains("refused"));
    // The same, where the file has been made before: it is not put back in the folder's place.
    shell(&project, "rm d; mkdir d");
    assert_eq!(weave(&project).code, 0);
    assert!(project.read("guide.md").contains("refused") && project.path("d").is_dir());
}

/// A path that leaves a folder again leads on only while that is there.
#[test]
fn a_folder_that_a_path_only_passes_is_an_input() {
    for way in [
        "cat d/../data.txt",
        "cat < d/../data.txt",
        "cat leads/../data.txt",
        "cat d/./../data.txt",
        "cat d/in/../../data.txt",
        "cd -P d/.. && cat data.txt",
        "test -e d/../data.txt",
        "ls d/..",
        "./d/../tool",
        "(echo x > d/../made.txt)",
        "cp data.txt d/../copy.txt",
        "ln -s x d/../l",
        "mkdir d/../e",
        "python3 -c \"open('d/../data.txt')\"",
    ] {
        let project = Project::with(&format!("```sh @a show=text\n{way} 2> /dev/null || echo refused\n```\n"));
        shell(&project, "echo data > data.txt; ln -s d leads; printf '#!/bin/sh\n' > tool; chmod +x tool");
        for is_there in [false, true, false] {
            shell(&project, if is_there { "mkdir -p d/in" } else { "rm -rf d" });
            // What it made the last time is not there to refuse it.
            shell(&project, "rm -rf made.txt copy.txt l e");
            for _ in 0..2 {
                assert_eq!(weave(&project).code, 0);
                assert_eq!(project.read("guide.md").contains("refused\n"), !is_there, "{way}");
                shell(&project, "rm -rf l e");
            }
        }
    }
}

/// However a language writes the letters and spaces of the path.
#[test]
fn a_path_that_is_written_otherwise_is_where_the_project_lies_all_the_same() {
    if support::tool("python3", &["--version".as_ref()]).is_none() {
        return;
    }
    let project = Project::new();
    let ways = [
        ("python", "import pathlib\nprint(pathlib.Path('x').resolve().as_uri())"),
        ("python", "import json, os\nprint(json.dumps(os.getcwd()))"),
        ("bash", "printf '%q\\n' \"$PWD\""),
        ("sh", "pwd"),
    ];
    let block = |(language, code): &(&str, &str)| format!("```{language} @ strand=fresh show=text\n{code}\n```\n\n");
    project.write("Höllin Ridge/guide.vine.md", ways.iter().map(block).collect::<String>());
    assert_eq!(project.run(&["weave", "Höllin Ridge/guide.vine.md", "--to", "markdown"]).code, 0);
    shell(&project, "mv 'Höllin Ridge' 'Höllin Valley'");
    let said = project.run(&["weave", "Höllin Valley/guide.vine.md", "--to", "markdown"]);
    assert!(said.code == 0 && said.out.contains("4 ran, 0 kept"), "{said:?}");
    let woven = project.read("Höllin Valley/guide.md");
    assert!(woven.matches("Valley").count() == 4 && !woven.contains("Ridge"), "{woven}");
}

/// Every way to ask for a path or to use it finds out that it is not there, and finds it when it is: as file or as folder.
#[test]
fn every_call_that_takes_a_path_is_seen() {
    if support::tool("python3", &["--version".as_ref()]).is_none() {
        return;
    }
    let of_folder =
        ["os.chdir('d'); os.chdir('..')", "os.scandir('d')", "os.open('d', os.O_PATH)", "os.rename('d', 'd')"];
    let of_file = [
        "open('d')",
        "os.truncate('d', 0)",
        "os.link('d', 'second'); os.remove('second')",
        "os.execv('d', ['d'])",
        "socket.socket(socket.AF_UNIX).connect('d')",
    ];
    let of_both = [
        "os.stat('d')",
        "os.lstat('d')",
        "os.statvfs('d')",
        "os.pathconf('d', 'PC_NAME_MAX')",
        "os.chmod('d', 0o755)",
        "os.chown('d', -1, -1)",
        "os.lchown('d', -1, -1)",
        "os.utime('d', (1, 1))",
        "os.getxattr('d', 'user.none')",
        "os.listxattr('d')",
        "os.listxattr('d', follow_symlinks=False)",
        "os.removexattr('d', 'user.none')",
        "open('there').close() if os.access('d', os.F_OK) else open('d')",
        "ctypes.CDLL(None, use_errno=True).inotify_add_watch(ctypes.CDLL(None).inotify_init(), b'd', 1) < 0 and no",
    ];
    let names_it = |call: &str| {
        format!(
            "import os, socket, ctypes\ntry:\n    {call}\n    print('is there')\nexcept (OSError, NameError) as why:\n    print('refused' if isinstance(why, (FileNotFoundError, NameError)) else 'is there')"
        )
    };
    let both = |make: &'static str| of_both.iter().map(move |call| (make, *call));
    let all = of_folder.iter().map(|call| ("mkdir d", *call)).chain(of_file.iter().map(|call| ("touch d", *call)));
    for make in ["mkdir d", "touch d"] {
        let calls: Vec<&str> =
            all.clone().filter(|(how, _)| *how == make).chain(both(make)).map(|(_, call)| call).collect();
        for call in calls {
            let project = Project::with(&format!("```python @a show=text strand=fresh\n{}\n```\n", names_it(call)));
            shell(&project, "touch there");
            assert_eq!(weave(&project).code, 0, "{call}");
            assert!(project.read("guide.md").contains("refused"), "{call}: {}", project.read("guide.md"));
            shell(&project, make);
            assert_eq!(weave(&project).code, 0, "{call}");
            assert!(!project.read("guide.md").contains("refused"), "{make}: {call}");
        }
    }
    // A socket's file is made, and is in nobody's way when it is there.
    let project = Project::with(
        "```python @a show=text\nimport socket\ntry:\n    socket.socket(socket.AF_UNIX).bind('d')\nexcept OSError:\n    print('refused')\n```\n",
    );
    assert_eq!(weave(&project).code, 0);
    shell(&project, "rm d; mkdir d");
    assert_eq!(weave(&project).code, 0);
    assert!(project.read("guide.md").contains("refused"));
}

/// Where a strand is run in the order of the document, and all is gone through once more since a block gave something else, what
/// it did to a file of another block is still done.
#[test]
fn what_a_strand_made_in_its_place_stays_though_all_is_gone_through_again() {
    let project = Project::new();
    let text = |number: usize| {
        format!(
            "```sh @makes\necho 1 > copy.txt\n```\n\n```sh @edits strand=other\nsed -i s/1/2/ copy.txt\n```\n\n\
             ```sh @after strand=other\ncat copy.txt # {number}\n```\n\n```bash @moment\ndate +%N\n```\n\n\
             ```bash @last\necho {number}\n```\n"
        )
    };
    for number in 0..4 {
        project.write("guide.vine.md", text(number));
        assert_eq!(weave(&project).code, 0);
        assert_eq!(project.read("copy.txt"), "2\n", "{number}");
    }
}

/// What a block takes away that a later one makes is what it found, also when all is gone through once more since a block gave
/// something else.
#[test]
fn what_a_block_took_away_is_what_it_found_though_all_is_gone_through_again() {
    let project = Project::new();
    for number in 1..5 {
        project.write(
            "guide.vine.md",
            format!(
                "```bash @takes show=text\ncat made.txt 2> /dev/null || echo none; rm -f made.txt\n```\n\n```sh @makes\n\
                 echo of {number} > made.txt\n```\n\n```sh @moment strand=other\ndate +%N\n```\n\n\
                 ```sh @last strand=other\necho {number}\n```\n"
            ),
        );
        assert_eq!(weave(&project).code, 0);
        let found = if number == 1 { "none".to_string() } else { format!("of {}", number - 1) };
        let woven = project.read("guide.md");
        assert!(woven.contains(&format!("```text\n{found}\n```")), "{number}: {woven}");
        assert_eq!(project.read("made.txt"), format!("of {number}\n"));
    }
}

/// A link that leads nowhere is in its place all the same: what is made there finds it.
#[test]
fn links_that_lead_nowhere_settle_as_others_do() {
    for code in [
        "ln -sfn nowhere l; cat l 2> /dev/null || echo none",
        "ln -sfn d l; ls l/ 2> /dev/null || echo none",
        "mkdir -p d; ln -sfn d l; ls l/",
        "rm -f l; ln -s nowhere l; test -e l || echo none",
        "ln -s nowhere l 2> /dev/null; ln -s elsewhere l 2> /dev/null; readlink l",
        "mkdir l 2> /dev/null; ln -sfn nowhere k; mv -T k l 2> /dev/null; true",
    ] {
        let project = Project::with(&format!("```sh @a\n{code}\n```\n"));
        for _ in 0..3 {
            assert_eq!(weave(&project).code, 0, "{code}");
        }
        assert_eq!(project.states(&weave(&project)), "a:kept", "{code}");
    }
}

/// What one block clears away for others to fill settles as well: then nothing runs, and whatever is put into the folder by
/// hand is seen.
#[test]
fn a_folder_that_is_emptied_and_filled_again_settles() {
    for (clears, fills) in [
        ("rm -rf out; mkdir out", "mkdir -p out/sub; echo 1 > out/sub/f; ls out"),
        ("rm -rf out; mkdir -p out/deep/er", "echo 1 > out/deep/er/f; find out | sort"),
        ("mv out old 2> /dev/null; rm -rf old; mkdir out", "cd out; touch a b; mkdir c; touch c/d; ls; ls c; cd .."),
        ("rm -f out/*; mkdir -p out", "for n in 1 2; do echo $n > out/$n; done; cat out/*"),
        ("rm -rf out; mkdir out; touch out/kept", "rm -f out/none; touch out/new; ls out; rm out/new; ls out"),
    ] {
        for strand in ["", "strand=other"] {
            let project = Project::with(&format!(
                "```sh @clears\n{clears}\n```\n\n```sh @fills {strand} show=text\n{fills}\n```\n\n```sh @shows strand=fresh show=text\nfind out -type f | sort\n```\n"
            ));
            for _ in 0..4 {
                assert_eq!(weave(&project).code, 0, "{clears} / {fills}");
            }
            let said = weave(&project);
            assert_eq!(project.states(&said), "clears:kept fills:kept shows:kept", "{clears} / {fills} {strand}");
            let woven = project.read("guide.md");
            shell(&project, "echo mine > out/by-hand");
            assert_eq!(weave(&project).code, 0);
            assert_eq!(
                project.read("guide.md"),
                woven,
                "{clears} / {fills} {strand}: it is cleared away like the rest"
            );
            assert!(!project.exists("out/by-hand"), "{clears} / {fills} {strand}");
        }
    }
    // A name that somebody else brings counts, one that the block brings itself does not.
    let project = Project::with("```sh @a show=text\necho > own.txt; ls *.txt\n```\n");
    assert_eq!(weave(&project).code, 0);
    for (change, shown) in [
        ("touch other.txt", "other.txt\nown.txt"),
        ("rm own.txt", "other.txt\nown.txt"),
        ("rm other.txt own.txt", "own.txt"),
        ("mkdir d.txt", "own.txt"),
    ] {
        shell(&project, change);
        let said = weave(&project);
        assert!(said.code == 0 && project.read("guide.md").contains(shown), "{change}");
        assert_eq!(project.states(&said).contains("kept"), change.starts_with("rm "), "{change}");
    }
}

/// Who shows where the project lies gives something else where it is moved or copied to; all others are kept.
#[test]
fn a_block_that_shows_where_the_project_lies_is_bound_to_that() {
    let shows = |language: &str, code: &str| format!("```{language} strand=fresh show=text\n{code}\n```\n\n");
    let all = [
        shows("sh @a", "pwd"),
        shows("sh @b cwd=sub", "pwd"),
        shows("sh @c", "ls \"$PWD\"/sub/*"),
        shows("python @d", "import os\nos.path.abspath('x')"),
        shows("python @e", "import os\n[{'path': os.getcwd(), 'n': 1}, {'path': 'x', 'n': 2}]"),
        shows(
            "sh @f",
            "echo \"<svg xmlns='http://www.w3.org/2000/svg'><text>$PWD</text></svg>\" > \"$VINELOOM_FIGURES/f.svg\"",
        ),
        shows("sh @makes", "pwd > where.txt"),
        shows("sh @reads", "cat where.txt"),
        shows("sh @g cwd=..", "ls first second 2> /dev/null | sort | uniq -d; pwd"),
        shows("sh @other", "pwd > /dev/null; basename sub/in"),
    ];
    let project = Project::new();
    let text = all[..9].concat() + &all[9];
    project.write("home/vineloom.toml", "");
    project.write("home/docs/guide.vine.md", text);
    project.write("home/docs/sub/in", "x");
    let weave = |folder: &str| project.run(&["weave", &format!("{folder}/docs/guide.vine.md"), "--to", "markdown"]);
    for _ in 0..3 {
        let said = weave("home");
        assert_eq!(said.code, 0, "{said:?}");
    }
    assert_eq!(project.states(&weave("home")).matches("kept").count(), 10);
    shell(&project, "cp -a home elsewhere; mv home moved");
    for folder in ["elsewhere", "moved"] {
        let said = weave(folder);
        assert_eq!(said.code, 0, "{said:?}");
        assert_eq!(project.states(&said).matches("kept").count(), 1, "{said:?}");
        let woven = project.read(&format!("{folder}/docs/guide.md"));
        assert!(woven.matches(&format!("/{folder}/docs")).count() >= 5 && !woven.contains("/home/docs"), "{woven}");
        assert_eq!(project.states(&weave(folder)).matches("kept").count(), 10, "{folder}");
    }
    // What is stored of both places is told apart by them.
    shell(&project, "rm -r elsewhere/.vineloom; cp -a moved/.vineloom elsewhere/");
    assert_eq!(project.states(&weave("elsewhere")).matches("kept").count(), 1);
}

/// The same of links.
#[test]
fn a_link_that_could_not_be_made_is_read_from_who_made_it() {
    for code in ["ln -s x l 2> /dev/null; cat l", "mkdir l 2> /dev/null; readlink l", "mv -n one.txt l; cat l"] {
        let project = Project::new();
        let text = |word: &str| {
            format!(
                "```sh @makes strand=one\nfor n in one two; do echo $n.txt > $n.txt; done; ln -sfn {word}.txt l\n```\n\n```sh @shows strand=two show=text\n{code}\n```\n"
            )
        };
        for word in ["one", "two", "one", "two"] {
            project.write("guide.vine.md", text(word));
            assert_eq!(weave(&project).code, 0, "{code}");
            assert!(project.read("guide.md").contains(&format!("\n{word}.txt\n")), "{code}, {word}");
        }
    }
}

#[test]
fn a_large_file_that_was_not_read_again_is_noticed_when_it_changes() {
    let project = Project::with("```sh @a\nhead -c 5 large.txt; cksum < large.txt\n```\n");
    let make = "import os; open('large.txt', 'w').write('first' + ' ' * 3_000_000)";
    let python = |code: &str| shell(&project, &format!("python3 -c \"{code}\""));
    python(make);
    let mapped = "import mmap; f = open('large.txt', 'r+b'); m = mmap.mmap(f.fileno(), 0); m[:5] = b'mmaps'; m.close()";
    let ways = [
        ("written", "f = open('large.txt', 'r+'); f.write('write'); f.close()".to_string()),
        ("mapped", mapped.to_string()),
        (
            "replaced",
            make.replace("first", "moved").replace("large.txt", "new.txt") + "; os.rename('new.txt', 'large.txt')",
        ),
        ("at the end", "f = open('large.txt', 'r+'); f.seek(3_000_004); f.write('x'); f.close()".to_string()),
        (
            "a link in its place",
            make.replace("first", "links").replace("large.txt", "other.txt")
                + "; os.remove('large.txt'); os.symlink('other.txt', 'large.txt')",
        ),
        ("behind the link", "f = open('other.txt', 'r+'); f.write('other'); f.close()".to_string()),
    ];
    assert_eq!(weave(&project).code, 0);
    for (way, code) in ways {
        // The first weave that finds the file at rest remembers it, the second knows it.
        std::thread::sleep(std::time::Duration::from_millis(2100));
        for _ in 0..2 {
            let said = weave(&project);
            assert!(said.out.contains(" 0 ran"), "{way}: {said:?}");
        }
        let keep = "t = os.stat('large.txt'); after = lambda: os.utime('large.txt', ns=(t.st_atime_ns, t.st_mtime_ns))";
        python(&format!("import os; {keep}; {code}; after()"));
        let said = weave(&project);
        assert!(said.out.contains(" 1 ran"), "{way}: {said:?}");
    }
    let kept = project.read("guide.md");
    assert!(kept.contains("other"), "{kept}");
}

/// A page of a file in mapped memory that is still to be written to the disk is written to again without a new time.
#[test]
fn what_is_written_through_mapped_memory_is_noticed_however_the_file_was_looked_at() {
    let blocks = ["cat data.txt", "stat -c %s data.txt; cat data.txt", "make -s -f rule.mk"];
    for (block, size) in blocks.iter().flat_map(|block| [(block, 9), (block, 2_000_000)]) {
        let project = Project::with(&format!("```sh @a\n{block} | cut -c -20\n```\n"));
        project.write("rule.mk", "all: data.txt\n\t@cat data.txt\n");
        let code = format!(
            "import mmap; open('data.txt', 'w').write('first' + ' ' * {size}); f = open('data.txt', 'r+b'); \
             m = mmap.mmap(f.fileno(), 0); m[:5] = b'mmaps'; print('mapped', flush=True); input(); \
             m[:5] = b'again'; print('written', flush=True); input()"
        );
        let mut writer = Command::new("python3");
        writer.args(["-c", &code]).current_dir(project.path("")).stdin(Stdio::piped()).stdout(Stdio::piped());
        let mut writer = writer.spawn().unwrap();
        let (mut go_on, mut said) =
            (writer.stdin.take().unwrap(), BufReader::new(writer.stdout.take().unwrap()).lines());
        assert_eq!(said.next().unwrap().unwrap(), "mapped");
        std::thread::sleep(std::time::Duration::from_millis(2200));
        for _ in 0..2 {
            assert_eq!(weave(&project).code, 0);
        }
        assert!(project.read("guide.md").contains("mmaps"), "{block}");
        writeln!(go_on).unwrap();
        assert_eq!(said.next().unwrap().unwrap(), "written");
        assert_eq!(weave(&project).code, 0);
        assert!(project.read("guide.md").contains("again"), "{block}, {size} bytes");
        drop(go_on);
        writer.wait().unwrap();
    }
}

/// From whatever terminal, editor or build service: the same folders, the same results; and a program that is only on
/// the caller's own path is named with what to write.
#[test]
fn the_path_of_blocks_is_the_same_from_everywhere() {
    let project = Project::with("```sh @a\necho \"$PATH\"\n```\n\n```python @p\nprint(1)\n```\n");
    let python = support::said(&Command::new("sh").args(["-c", "command -v python3"]).output().unwrap());
    let folder = python.out.trim().rsplit_once('/').unwrap().0.to_string();
    let with_path =
        |path: &str, arguments: &[&str]| support::said(&project.command(arguments).env("PATH", path).output().unwrap());
    let weave = ["weave", "guide.vine.md", "--to", "markdown"];
    let first = with_path(&format!("{folder}:/usr/bin:/bin"), &weave);
    assert_eq!(first.code, 0, "{first:?}");
    for path in
        [format!("{folder}:/nowhere:/sbin:/usr/bin:/usr/local/bin:/bin"), format!("/nowhere:{folder}:/bin:/usr/bin")]
    {
        let said = with_path(&path, &weave);
        assert!(said.out.contains(" 0 ran"), "{path}: {said:?}");
    }
    let tools = Project::new();
    tools.write("vl-tool", "#!/bin/sh\necho from the tool\n");
    shell(&tools, "chmod +x vl-tool");
    let place = tools.path("").display().to_string().trim_end_matches('/').to_string();
    project.write("guide.vine.md", "```sh @a\nvl-tool\n```\n");
    let said = with_path(&format!("{place}:/usr/bin:/bin"), &weave);
    let line = format!("path = [\"{place}\"]");
    assert!(said.code == 1 && said.err.contains("`vl-tool` is in") && said.err.contains(&line), "{said:?}");
    project.write("guide.vine.md", format!("+++\n[environment]\n{line}\n+++\n```sh @a\nvl-tool\n```\n"));
    assert_eq!(with_path("/usr/bin:/bin", &weave).code, 0);
    assert!(project.read("guide.md").contains("from the tool"));
}

/// In a block of another weave files can't be observed: nothing is kept then but what `reads` vouches for, and a weave
/// says so.
#[test]
fn where_nothing_can_be_observed_nothing_is_kept_unvouched() {
    let project = Project::new();
    let program = project.command(&[]).get_program().to_string_lossy().into_owned();
    project.write("data.txt", "old\n");
    project.write(
        "inner.vine.md",
        "```sh @plain\ncat data.txt\n```\n\n```sh @vouched reads=data.txt strand=two\necho vouched\n```\n\n```sh @nothing reads=none strand=three\necho nothing\n```\n",
    );
    project.write(
        "guide.vine.md",
        format!(
            "```sh @outer run=always exit=any\nHOME=$PWD '{program}' weave inner.vine.md --to markdown 2>&1\n```\n"
        ),
    );
    weave(&project);
    let first = project.read("guide.md");
    assert!(first.contains("files can't be observed here"), "{first}");
    weave(&project);
    let second = project.read("guide.md");
    assert!(second.contains("1 ran, 2 kept"), "{second}");
    project.write("data.txt", "new\n");
    weave(&project);
    let third = project.read("guide.md");
    assert!(third.contains("2 ran, 1 kept") && project.read("inner.md").contains("new"), "{third}");
}

#[test]
fn a_block_that_uses_the_network_is_named_by_check() {
    let project = Project::with(
        "```python @net\nimport socket\ns = socket.socket()\ntry:\n    s.connect(('127.0.0.1', 9))\nexcept OSError:\n    print('refused')\n```\n\n```sh @a\necho 1\n```\n",
    );
    assert_eq!(weave(&project).code, 0);
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.err.contains("@net uses the network") && said.err.contains("run=always"), "{said:?}");
    assert!(!said.err.contains("@a uses"), "{said:?}");
    assert!(weave(&project).out.contains(" 0 ran"));
}

#[test]
fn a_launch_script_is_asked_for_the_version_only_when_what_it_read_has_changed() {
    let project = Project::with("+++\n[environment]\npath = [\"bin\"]\n+++\n```python @a\nprint('old')\n```\n");
    std::fs::create_dir_all(project.path("home")).unwrap();
    let script = "mkdir bin; echo 1 > home/choice; printf '#!/bin/sh\\nread n < \"$HOME/choice\"; sleep 1.5\\nexec /usr/bin/python3 \"$@\"\\n' > bin/python3; chmod +x bin/python3";
    shell(&project, script);
    std::thread::sleep(std::time::Duration::from_millis(60));
    let weave = || {
        let begun = std::time::Instant::now();
        let said = weave(&project);
        assert_eq!(said.code, 0, "{said:?}");
        (begun.elapsed().as_secs_f64(), said.out)
    };
    assert!(weave().0 > 2.9, "it is asked, and it runs the block");
    let (took, said) = weave();
    assert!(took < 1.5 && said.contains("0 ran"), "{took}: {said}");
    shell(&project, "echo 2 > home/choice");
    assert!(weave().0 > 1.5, "it is asked again");
    assert!(weave().0 < 1.5);
}
