//! Stored states of strands: a block that changed runs without those before it where their state can be told faithfully,
//! gives what it gives when all of them run, and where the state is in doubt all of them do run.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, Said};

/// Weaves with every state stored, however cheap.
fn weave(project: &Project) -> Said {
    let said = project
        .command(&["weave", "guide.vine.md", "--to", "markdown"])
        .env("VINELOOM_STATES", "0")
        .output()
        .map(|output| support::said(&output))
        .unwrap();
    assert_eq!(said.code, 0, "{said:?}");
    said
}

/// A document of one language: what makes a state, and what shows it.
fn document(language: &str, makes: &str, shows: &str) -> String {
    format!(
        "```{language} @makes\n{makes}\n```\n\n```{language} @between\n\n```\n\n```{language} @shows\n{shows}\n```\n"
    )
}

/// Weaves, changes the last block, weaves again: what became of the blocks then. The export must be the one that running
/// everything gives.
fn after_a_change(language: &str, makes: &str, shows: &str, remark: &str) -> (Project, String) {
    let project = Project::with(&document(language, makes, &format!("{shows}\n{remark} 1")));
    weave(&project);
    project.write("guide.vine.md", document(language, makes, &format!("{shows}\n{remark} 2")));
    let said = weave(&project);
    let states = project.states(&said);
    let woven = project.read("guide.md");
    let anew = project.run(&["weave", "guide.vine.md", "--to", "markdown", "--again"]);
    assert_eq!(anew.code, 0, "{anew:?}");
    assert_eq!(woven, project.read("guide.md"), "{language}\n{makes}\n{shows}");
    (project, states)
}

/// Whether the tests have a program, or must have it.
fn is_there(program: &str) -> bool {
    support::tool(program, &["--version".as_ref()]).is_some()
}

/// Code that makes a state which can be told, and code that shows it.
const TOLD: [(&str, &str, &str); 35] = [
    ("sh", "x=\"it's\"; y='two\nlines'; export z=3; cd /usr; cd /", "echo \"$x\" \"$y\"; env | grep ^z=; pwd; cd -"),
    (
        "sh",
        "IFS=,; set -f; umask 077; unset LANG",
        "w='a,b'; set -- $w; echo $# *; umask; echo \"${LANG-none}\"; IFS=' '; shift $#",
    ),
    ("sh", "set -- a 'b c' ''", "echo $# \"$2\" \"[$3]\""),
    ("bash", "set -- a $'b\\nc'; shift; set -o nounset", "echo $# \"$1\""),
    ("sh", "export later; set -u", "later=5; env | grep ^later; (echo $nosuch) 2> /dev/null || echo unset"),
    (
        "r",
        "total <- 0; for (n in 1:2000) total <- total + n; f <- function(x) { s <- 0; for (i in x) s <- s + i; s }; for (k in 1:4) f(1:10)",
        "print(total); print(f(1:4))",
    ),
    (
        "python",
        "rows = {'plots': {'north', 'south', 'low'}, 'n': frozenset([3, 1])}\nfrom collections import Counter, deque\nc = Counter('abca'); q = deque([1, 2], maxlen=2)",
        "q.append(3)\nprint(rows, c, q)",
    ),
    ("bash", "shopt -s extglob\ng() { case $1 in +(a|b)) echo yes ;; esac; }", "g abab"),
    ("sh", "PATH=\"/nosuch:$PATH\"", "echo \"${PATH%%:*}\"; env | grep -c ^PATH=/nosuch"),
    ("console", "$ x=5\n$ cd /", "$ echo $x\n$ pwd"),
    (
        "bash",
        "declare -A plots=([south]='a b'); list=(1 '2 3' $'4\\n5'); declare -i n=2",
        "echo \"${plots[south]}\" \"${#list[@]}\" \"${list[2]}\"; n=n+1; echo $n",
    ),
    (
        "bash",
        "f() { local a=$1; echo \"f $a\"; }; shopt -s nullglob extglob; set -o pipefail",
        "f 1; echo *.nosuch; false | true || echo piped",
    ),
    (
        "bash",
        "export A=1; export -n HOME; [[ abc =~ b(.) ]]",
        "env | grep -c -e ^A= -e ^HOME=; echo \"${BASH_REMATCH[1]}\"",
    ),
    (
        "python",
        "a = [1, 2]\nb = {'x': a, (1, 2): {3.5, None}}\nc = b'bytes'",
        "a.append(9)\nprint(b['x'], c, list(globals())[-3:])",
    ),
    (
        "python",
        "import os\nfrom json import dumps as d\nos.environ['PLOT'] = 'north'\nos.chdir('/')",
        "print(d([os.getcwd(), os.environ['PLOT']]))",
    ),
    (
        "python",
        "def mean(values, digits=1):\n    \"\"\"Their mean.\"\"\"\n    return round(sum(values) / len(values), digits)",
        "import inspect\nprint(mean([1, 2, 4]), inspect.getsource(mean), mean.__doc__, mean.__defaults__)",
    ),
    (
        "python",
        "def fact(n):\n    return 1 if n < 2 else n * fact(n - 1)\ntable = {'f': fact}",
        "print(table['f'] is fact, fact(5))",
    ),
    ("python", "import random\nrandom.seed(4)\nrandom.random()", "print(random.random(), random.choice('abc'))"),
    (
        "python",
        "import csv\nwith open('/etc/hostname') as f:\n    name = f.read()",
        "print(f.closed, f.name, f.mode)\ntry:\n    f.read()\nexcept ValueError as error:\n    print(error)",
    ),
    (
        "python",
        "import warnings\nwarnings.filterwarnings('error')\nfrom datetime import date\nday = date(2026, 5, 1)",
        "try:\n    warnings.warn('dry')\nexcept UserWarning as w:\n    print(day, w)",
    ),
    (
        "python",
        "from __future__ import annotations\nimport sys\nsys.path.insert(0, '/nosuch')",
        "def f(x: Unknown): pass\nprint(f.__annotations__, sys.path[0])",
    ),
    (
        "python",
        "import numpy as np\nnp.random.seed(3)\nm = np.random.rand(3, 2)\nnp.set_printoptions(precision=3)\nv = m",
        "v[0, 0] = 7\nprint(m, np.random.rand())",
    ),
    (
        "python",
        "import pandas as pd\ndf = pd.DataFrame({'plot': ['a', 'b'], 'mm': [1.5, None]})\ndf['day'] = pd.to_datetime('2026-05-01')\ntotals = df.groupby('plot').sum(numeric_only=True)",
        "df.loc[0, 'mm'] = 3\nprint(df, totals, df.dtypes)",
    ),
    (
        "python",
        "import matplotlib.pyplot as plt\nplt.rcParams['figure.figsize'] = (2, 1)\nrows = [1, 2]",
        "plt.plot(rows)\nprint(plt.rcParams['figure.figsize'])",
    ),
    (
        "r",
        "x <- c(a = 1, b = 2.5); .hidden <- 'h'; f <- function(n) n * x[['b']]",
        "print(f(2)); print(.hidden); print(f)",
    ),
    (
        "r",
        "set.seed(3); invisible(runif(1)); options(digits = 4, OutDec = ','); Sys.setenv(PLOT = 'north')",
        "print(runif(2)); cat(Sys.getenv('PLOT'), '\\n')",
    ),
    (
        "r",
        "d <- data.frame(mm = c(1, 5, 2), plot = factor(c('a', 'b', 'a'))); m <- lm(mm ~ plot, d)",
        "print(coef(m)); print(summary(d)); d$mm[1] <- 9; print(d)",
    ),
    (
        "r",
        "count <- local({ n <- 0; function() { n <<- n + 1; n } }); invisible(count()); e <- new.env(); e$a <- 1; g <- e",
        "print(count()); g$a <- 2; print(e$a)",
    ),
    ("r", "setwd('/'); x <- quote(a + b); d <- as.Date('2026-05-01')", "print(getwd()); print(x); print(d + 1)"),
    (
        "octave",
        "a = [1 2; 3 4]; s.name = 'north'; s.rows = {1, 'x'}; b = true; n = int8(3); r = 1:3;",
        "disp (a * 2), disp (s.rows{2}), disp (class (n)), disp (b), disp (r)",
    ),
    (
        "octave",
        "rand ('state', 3); x = rand (); output_precision (3); cd ('/');",
        "disp (rand ()), disp (pi), disp (pwd ())",
    ),
    (
        "octave",
        "z = 3 + 2i; e = []; t = \"two\\nlines\"; k = sparse ([1 2], [1 2], [3 4]);",
        "disp (z), disp (size (e)), disp (t), disp (full (k))",
    ),
    ("octave", "m = eye (3); q(2).v = 5; f = single (0.1);", "disp (m), disp (isempty (q(1).v)), disp (class (f))"),
    (
        "python",
        "total = 0\nfor mm in [1, 2]:\n    total += mm\nsquare = lambda x: x * x",
        "print(total, mm, square(3), [square(i) for i in range(3)])",
    ),
    ("bash", "cd /tmp; cd /; x=$'tab\\there'; declare -x LANG=C.UTF-8", "cd -; echo \"$x\""),
];

/// Code that makes a state which can't be told, or might not be the same.
const IN_DOUBT: [(&str, &str, &str); 42] = [
    ("sh", "f() { echo f; }", "f"),
    ("sh", "trap 'echo bye' TERM", "trap"),
    ("sh", "alias hi='echo hi'", "alias hi"),
    ("sh", "readonly x=1", "(x=2) 2> /dev/null; echo $x"),
    ("sh", "exec 7< /dev/null", "cat <&7; echo open"),
    ("sh", "sleep 30 & p=$!", "kill -0 $p && echo lives"),
    ("sh", "(sleep 30 > /dev/null 2>&1 &)", "sleep 0; echo on"),
    ("sh", "ulimit -n 100", "ulimit -n"),
    ("sh", "x=$TMPDIR", "[ \"$x\" = \"$TMPDIR\" ] && echo own"),
    ("bash", "declare -r x=1; f() { :; }; declare -n y=x", "echo $x $y"),
    ("bash", "pushd / > /dev/null", "dirs"),
    ("bash", "RANDOM=3", "echo $RANDOM"),
    ("python", "class Plot:\n    mm = 3\np = Plot()", "print(p.mm)"),
    (
        "python",
        "def counter():\n    n = 0\n    def up():\n        nonlocal n\n        n += 1\n        return n\n    return up\nc = counter()",
        "print(c())",
    ),
    ("python", "f = open('/etc/passwd')", "print(len(f.readline()) > 0)"),
    ("python", "import json\njson.season = 'dry'", "print(json.season)"),
    ("python", "import mimetypes\nmimetypes.types_map['.x'] = 'y'", "print(mimetypes.types_map['.x'])"),
    (
        "python",
        "import string\nfrom mimetypes import types_map\nx = types_map",
        "import mimetypes\nprint(x is mimetypes.types_map)",
    ),
    ("python", "import logging\nlogging.getLogger().setLevel(10)", "print(logging.getLogger().level)"),
    ("python", "import threading\nt = threading.Timer(60, print)\nt.daemon = True\nt.start()", "print(t.is_alive())"),
    ("python", "import numpy as np\na = np.arange(4)\nb = a[1:]", "b[0] = 9\nprint(a)"),
    ("python", "import numpy as np\ndef f(m):\n    m.season = 'dry'\nf(np)", "print(np.season)"),
    ("python", "import functools\n@functools.lru_cache(None)\ndef f(x):\n    return x\nf(1)", "print(f.cache_info())"),
    ("python", "g = (n for n in range(3))\nnext(g)", "print(next(g))"),
    ("python", "import helper\nhelper.rows.append(1)", "print(helper.rows)"),
    ("python", "s = set(range(1000))\nfor n in range(1000):\n    if n not in (1, 8):\n        s.remove(n)", "print(s)"),
    ("python", "import warnings\nwarnings.warn('dry')", "print(2)"),
    ("python", "it = iter([1, 2])\nnext(it)", "print(next(it))"),
    ("python", "import numpy as np\na = np.arange(3)\na.setflags(write=False)", "print(a.flags.writeable)"),
    ("bash", "declare -A plots=([north]=3 [south]=4)", "echo \"${!plots[@]}\""),
    ("octave", "rand ('seed', 3);", "disp (rand ())"),
    // Larger than running again is dear.
    ("sh", "x=$(head -c 3000000 /dev/zero | tr '\\0' a)", "echo ${#x}"),
    ("python", "x = list(range(30_000_000))", "print(len(x))"),
    ("r", "x <- numeric(5e7)", "print(length(x))"),
    ("octave", "x = num2cell (1:30000);", "disp (numel (x))"),
    ("r", "library(tools)", "print('package:tools' %in% search())"),
    ("r", "setClass('Plot', representation(mm = 'numeric')); p <- new('Plot', mm = 3)", "print(p@mm)"),
    ("r", "con <- textConnection('a\\nb'); x <- readLines(con, 1)", "print(readLines(con, 1))"),
    (
        "r",
        "print.plot <- function(x, ...) cat('a plot\\n'); registerS3method('print', 'plot', print.plot)",
        "print(structure(1, class = 'plot'))",
    ),
    ("octave", "f = @(x) x + 1;", "disp (f (1))"),
    ("octave", "function r = g (x)\n  r = x + 1;\nend", "disp (g (1))"),
    ("octave", "global n\nn = 3;", "global n\ndisp (n)"),
];

/// The program of a language, and what begins a remark in it.
fn about(language: &str) -> (&'static str, &'static str) {
    match language {
        "sh" => ("sh", "#"),
        "console" => ("sh", "$ true #"),
        "bash" => ("bash", "#"),
        "python" => ("python3", "#"),
        "r" => ("Rscript", "#"),
        "ruby" => ("ruby", "#"),
        _ => ("octave-cli", "%"),
    }
}

#[test]
fn a_state_that_is_told_is_taken_up_and_gives_the_same() {
    let mut wrong = Vec::new();
    for (language, makes, shows) in TOLD {
        let (program, remark) = about(language);
        if program != "sh" && !is_there(program) {
            continue;
        }
        let (project, states) = after_a_change(language, makes, shows, remark);
        if states != "makes:kept between:kept shows:ran" {
            project.write("guide.vine.md", document(language, makes, &format!("{shows}\n{remark} 3")));
            let why = project.run(&["blocks", "guide.vine.md", "--why", "shows"]);
            wrong.push(format!("{language}\n{makes}\n{states}\n{}", why.out));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}

#[test]
fn a_state_in_doubt_is_made_again() {
    for (language, makes, shows) in IN_DOUBT {
        let (program, remark) = about(language);
        if program != "sh" && !is_there(program) {
            continue;
        }
        let project = Project::with("");
        project.write("helper.py", "rows = []\n");
        let change = |number: usize| {
            project.write("guide.vine.md", document(language, makes, &format!("{shows}\n{remark} {number}")));
            weave(&project)
        };
        change(1);
        let said = change(2);
        let woven = project.read("guide.md");
        assert!(project.states(&said).contains("makes:replayed"), "{language}\n{makes}\n{said:?}");
        let anew = project.run(&["weave", "guide.vine.md", "--to", "markdown", "--again"]);
        assert_eq!(anew.code, 0, "{anew:?}");
        assert_eq!(woven, project.read("guide.md"), "{language}\n{makes}");
    }
}

/// Code in every language whose state is kept, and ways to write to what has no name among files.
const REPLAYED: [(&str, &str, &str); 16] = [
    ("sh", "sh", "echo a"),
    ("sh", "sh", "echo a > /dev/stdout; echo b > /dev/fd/1; echo c > /proc/self/fd/2"),
    (
        "sh",
        "sh",
        "echo a | cat > /dev/null; cat < /dev/fd/0; exec 5> gone.txt; rm gone.txt; echo b > /dev/fd/5; exec 5>&-",
    ),
    ("bash", "bash", "cat <(echo a); echo b > >(cat)"),
    ("console", "sh", "$ echo a > /dev/stdout"),
    ("python", "python3", "import os\nr, w = os.pipe()\nopen('/dev/fd/%d' % w, 'w').write('a')\nprint(os.read(r, 1))"),
    ("python", "python3", "open('/dev/stdout', 'w').write('a')"),
    ("javascript", "node", "require('fs').writeFileSync('/dev/stdout', 'a')"),
    ("ruby", "ruby", "File.write('/dev/stdout', 'a')"),
    ("r", "Rscript", "cat('a\\n', file = '/dev/stdout')"),
    ("octave", "octave-cli", "disp (1)"),
    // Programs write under a name that they make up, another one each time, and give it its own in the end.
    ("sh", "sh", "echo a > data.txt; ln -sfn data.txt l; ln -sfn data.txt l"),
    ("sh", "sh", "echo 1 > copy.txt; sed -i s/1/2/ copy.txt; cat copy.txt"),
    ("sh", "sh", "f=$(mktemp ./tmp.XXXXXX); d=$(mktemp -d ./tmp.XXXXXX); echo a > $f; mv $f made.txt; rmdir $d"),
    ("sh", "sh", "seq 9 | sort -S 1b -T . > sorted.txt; sort -o sorted.txt sorted.txt"),
    (
        "python",
        "python3",
        "import os, tempfile\nwith tempfile.NamedTemporaryFile('w', dir='.', delete=False) as f:\n    f.write('a')\nos.replace(f.name, 'made.txt')\nwith tempfile.TemporaryDirectory(dir='.') as d:\n    open(d + '/in', 'w').write('b')",
    ),
];

#[test]
fn what_is_replayed_gives_the_same_though_it_writes_to_what_is_no_file() {
    for (language, program, code) in REPLAYED {
        if program != "sh" && !is_there(program) {
            continue;
        }
        let (_, remark) = about(language);
        let remark = if language == "javascript" { "//" } else { remark };
        let project = Project::new();
        let change = |number: usize| {
            project.write("guide.vine.md", document(language, code, &format!("{remark} {number}")));
            project.run(&["weave", "guide.vine.md", "--to", "markdown"])
        };
        // What a block finds that it made itself is another thing to find once.
        for _ in 0..3 {
            assert_eq!(change(1).code, 0, "{language}\n{code}");
        }
        let said = change(2);
        let states = "makes:kept between:kept makes:replayed between:replayed shows:ran";
        assert_eq!(project.states(&said), states, "{language}\n{code}\n{said:?}");
    }
}

/// Without a word about states, one is stored after blocks that took half a second together, and not after quick ones:
/// of how quick they are nothing is asked here, for the machine may be slow.
#[test]
fn a_state_is_stored_where_making_it_took_long() {
    let project = Project::new();
    let change = |makes: &str, number: usize| {
        project.write("guide.vine.md", document("sh", makes, &format!("echo $x\n# {number}")));
        let mut command = project.command(&["weave", "guide.vine.md"]);
        support::said(&command.env_remove("VINELOOM_STATES").output().unwrap())
    };
    assert_eq!(change("x=dear; sleep 0.6", 1).code, 0);
    let said = change("x=dear; sleep 0.6", 2);
    assert!(said.code == 0 && !project.states(&said).contains("makes:replayed"), "{said:?}");
    assert!(project.read("guide.html").contains("dear"));
    let with = |states: &str| {
        let text = document("sh", "x=1", "echo $x\n# 3");
        project.write("guide.vine.md", text);
        let mut command = project.command(&["weave", "guide.vine.md"]);
        support::said(&command.env("VINELOOM_STATES", states).output().unwrap())
    };
    let said = with("never");
    let told = "VINELOOM_STATES is \"never\": it is `none`, or a number of milliseconds";
    assert!(said.code == 2 && said.err.contains(told), "{said:?}");
}

/// The files below a folder of a project that hold states.
fn own_files(project: &Project, within: &str) -> Vec<std::path::PathBuf> {
    let folders = std::fs::read_dir(project.path(within).join(".vineloom/v1/own")).into_iter().flatten().flatten();
    let files = folders.flat_map(|folder| std::fs::read_dir(folder.path()).unwrap().flatten());
    files.map(|file| file.path()).collect()
}

#[test]
fn a_state_is_its_users_alone() {
    let text = |last: usize| document("sh", "x=kept-apart", &format!("echo $x\n# {last}"));
    let project = Project::with(&text(1));
    weave(&project);
    let holds = |path: &std::path::Path| String::from_utf8_lossy(&std::fs::read(path).unwrap()).contains("kept-apart");
    assert!(own_files(&project, ".").iter().any(|file| holds(file)));
    let size = project.run(&["store", "size"]);
    assert!(size.out.contains("of states"), "{size:?}");
    assert_eq!(project.run(&["store", "verify"]).code, 0);
    // Neither an archive of the store nor a pack holds it.
    assert_eq!(project.run(&["store", "export", "all.tar"]).code, 0);
    project.write("guide.vine.md", text(2));
    weave(&project);
    let packed =
        project.command(&["pack", "guide.vine.md", "--to", "pack.tar.gz"]).env("VINELOOM_STATES", "0").output();
    let packed = support::said(&packed.unwrap());
    assert_eq!(packed.code, 0, "{packed:?}");
    let unpacked = project.run(&["unpack", "pack.tar.gz", "elsewhere"]);
    assert_eq!(unpacked.code, 0, "{unpacked:?}");
    assert!(!std::fs::read(project.path("all.tar")).unwrap().windows(4).any(|part| part == b"own/"));
    assert!(project.exists("elsewhere/.vineloom/v1/records") && own_files(&project, "elsewhere").is_empty());
    // Somebody else's is not taken up, nor one that was altered: running it would be running their code.
    let becomes = |data: Option<&std::path::Path>, last: usize| {
        project.write("guide.vine.md", text(last));
        let mut command = project.command(&["weave", "guide.vine.md", "--to", "markdown"]);
        command.env("VINELOOM_STATES", "0");
        if let Some(data) = data {
            command.env("XDG_DATA_HOME", data);
        }
        let said = support::said(&command.output().unwrap());
        assert!(said.code == 0 && project.read("guide.md").contains("kept-apart"), "{said:?}");
        project.states(&said)
    };
    let other = tempfile::tempdir().unwrap();
    assert_eq!(becomes(None, 3), "makes:kept between:kept shows:ran");
    for file in own_files(&project, ".") {
        let bytes = std::fs::read(&file).unwrap();
        let altered = String::from_utf8_lossy(&bytes).replace("kept-apart", "kept-apars");
        std::fs::write(&file, altered).unwrap();
    }
    assert_eq!(becomes(None, 4), "makes:kept between:kept makes:replayed between:replayed shows:ran");
    assert_eq!(becomes(None, 5), "makes:kept between:kept shows:ran");
    assert_eq!(becomes(Some(other.path()), 6), "makes:kept between:kept makes:replayed between:replayed shows:ran");
}

#[test]
fn no_state_is_stored_that_may_hold_a_secret() {
    let project = Project::with("```sh @makes env=TOKEN\nx=$TOKEN\n```\n\n```sh @shows\necho \"${#x}\"\n# 1\n```\n");
    let change = |number: usize| {
        let text = project.read("guide.vine.md");
        project.write("guide.vine.md", text.replace(&format!("# {}", number - 1), &format!("# {number}")));
        let mut command = project.command(&["weave", "guide.vine.md", "--to", "markdown"]);
        support::said(&command.env("VINELOOM_STATES", "0").env("TOKEN", "s3cret-of-mine").output().unwrap())
    };
    assert_eq!(change(2).code, 0);
    assert_eq!(project.states(&change(3)), "makes:kept makes:replayed shows:ran");
    for file in own_files(&project, ".") {
        let bytes = std::fs::read(&file).unwrap();
        assert!(!String::from_utf8_lossy(&bytes).contains("s3cret"), "{}", file.display());
    }
}

/// A folder is copied with its store, as people do: what is woven there has nothing of where the copy was made.
#[test]
fn a_state_stays_in_its_folder() {
    for (language, makes, shows) in [
        ("sh", "x=1", "cat data.txt"),
        ("python", "x = 1", "print(open('data.txt').read())"),
        ("r", "x <- 1", "cat(readLines('data.txt'))"),
        ("octave", "x = 1;", "disp (fileread ('data.txt'))"),
    ] {
        let (program, remark) = about(language);
        if program != "sh" && !is_there(program) {
            continue;
        }
        let project = Project::new();
        project.write("first/guide.vine.md", document(language, makes, &format!("{shows}\n{remark} 1")));
        project.write("first/data.txt", "of the first\n");
        let weave = |guide: &str| {
            let mut command = project.command(&["weave", guide, "--to", "markdown"]);
            support::said(&command.env("VINELOOM_STATES", "0").output().unwrap())
        };
        assert_eq!(weave("first/guide.vine.md").code, 0);
        let copied =
            std::process::Command::new("cp").args(["-a", "first", "second"]).current_dir(project.path("")).status();
        assert!(copied.unwrap().success());
        project.write("second/data.txt", "of the second\n");
        project.write("second/guide.vine.md", document(language, makes, &format!("{shows}\n{remark} 2")));
        assert_eq!(weave("second/guide.vine.md").code, 0);
        assert!(project.read("second/guide.md").contains("of the second"), "{language}");
    }
}
