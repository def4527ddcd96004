//! The oracle: a long walk of random edits over random documents and their files. After each step a weave with the
//! store must give, in every format, what a weave from nothing gives in a copy of the folder; and a second weave must
//! run nothing that could have been kept.
//!
//! `VINELOOM_ORACLE_STEPS` sets how many steps there are (2,000 in `scripts/test`, as many as wanted overnight),
//! `VINELOOM_ORACLE_SEED` where the walks start.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::{Path, PathBuf};
use std::process::Command;
use vineloom_document::options::Format;
use vineloom_document::{Document, FileProblem, Files, Given, Source, has_errors, parse_with};
use vineloom_export::{Assets, Job, Want};
use vineloom_interpreters::{Interrupt, Languages, Surroundings};
use vineloom_store::{Secret, Store};
use vineloom_weave::{
    Aids, History, Installed, LastWeave, OnFailure, OwnFiles, PicturesIn, Plan, Results, State, plan, run_side_by_side,
    splice, splice_text,
};
use vineloom_woven::NoMemory;

/// One user's secret, for all stores of a walk.
fn secret() -> Secret {
    static SECRET: std::sync::OnceLock<Secret> = std::sync::OnceLock::new();
    SECRET.get_or_init(|| Secret::passing().unwrap()).clone()
}

/// The folder of the interpreter that `python3` leads to: a version manager's launch script takes far longer than a block.
fn folder_of_python() -> Option<&'static Path> {
    static FOUND: std::sync::OnceLock<Option<PathBuf>> = std::sync::OnceLock::new();
    let found = FOUND.get_or_init(|| {
        let said = Command::new("python3").args(["-c", "import sys; print(sys.executable)"]).output().ok()?;
        let program = PathBuf::from(String::from_utf8_lossy(&said.stdout).trim());
        program.parent().map(Path::to_path_buf)
    });
    found.as_deref()
}

/// A generator of pseudo-random numbers (xorshift64*), the same on every machine.
struct Dice(u64);

impl Dice {
    fn below(&mut self, sides: usize) -> usize {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_F491_4F6C_DD1D) >> 33) as usize % sides
    }
}

/// One block of a generated document.
#[derive(Clone)]
struct Block {
    name: String,
    strand: &'static str,
    deed: usize,
    constant: usize,
    looks: usize,
}

/// How many things the blocks of shells do.
const DEEDS: usize = 60;

const STRANDS: [&str; 6] = ["sh", "sh", "sh strand=other", "sh strand=fresh", "bash", "python"];

impl Block {
    fn random(dice: &mut Dice, number: usize, with_python: bool) -> Block {
        let strands = if with_python { STRANDS.len() } else { STRANDS.len() - 1 };
        let strand = STRANDS[dice.below(strands)];
        Block { name: format!("b{number}"), strand, deed: dice.below(DEEDS), constant: dice.below(5), looks: 0 }
    }

    /// The options and the code. `others` are names that a value may come from.
    fn written(&self, others: &[String]) -> String {
        let n = self.constant;
        let (mut options, code) = if self.strand == "python" {
            let code = match self.deed % 16 {
                0 => format!("print({n})"),
                1 => format!(
                    "try:\n    x = [{n}, x]\nexcept NameError:\n    x = [{n}]\ndef f(y={n}): return [y, x]\nz = x[1:]"
                ),
                2 => "try:\n    x.append(9)\n    print(x, f(), z)\nexcept NameError as e:\n    print(e)".into(),
                3 => "print(open('data.txt').read())".into(),
                5 => "import sys\nsys.path.insert(0, 'site-packages')\ntry:\n    import pkg\n    print(pkg.V)\nexcept ImportError:\n    print('no package')".into(),
                6 => "import vlmod\nprint(vlmod.V)".into(),
                4 => "import os\nprint(os.path.exists('maybe.txt'), sorted(os.listdir('.')) if False else '')".into(),
                8 => "import glob\nprint(sorted(glob.glob('**/f[01]', recursive=True)))".into(),
                9 => format!("import os\nos.makedirs('d/e', exist_ok=True)\nopen('d/e/f1', 'w').write('{n}')\nos.replace('d/e/f1', 'd/e/f0')"),
                10 => "import shutil\nshutil.rmtree('d', ignore_errors=True)\nprint(shutil.copy('data.txt', 'copy.txt'))".into(),
                11 => "import mmap\nwith open('data.txt', 'rb') as f:\n    print(mmap.mmap(f.fileno(), 0, access=mmap.ACCESS_READ)[:4])".into(),
                12 => format!("import sqlite3, os\nc = sqlite3.connect('rows.db')\nc.execute('create table if not exists t (n)')\nc.execute('delete from t')\nc.execute('insert into t values ({n})')\nc.commit()\nc.close()"),
                13 => "import sqlite3, os\nif os.path.exists('rows.db'):\n    c = sqlite3.connect('file:rows.db?mode=ro', uri=True)\n    print(c.execute('select * from t').fetchall())\n    c.close()".into(),
                14 => "import pathlib\nprint(sorted(p.name for p in pathlib.Path('.').iterdir() if p.is_dir() and p.name in ('d', 'moved_d', 'copied_d')))".into(),
                _ => format!(
                    "open('made{}.txt', 'w').write('python {n}')\nprint(open('made0.txt').read() if __import__('os').path.exists('made0.txt') else 'no')",
                    n % 2
                ),
            };
            (String::new(), code)
        } else {
            match self.deed {
                0 => (String::new(), format!("echo {n}")),
                1 => (String::new(), format!("x={n}")),
                2 | 3 => (String::new(), "echo \"x is $x\"".into()),
                4 => (String::new(), "cat data.txt".into()),
                5 => (String::new(), "cat maybe.txt 2> /dev/null || echo none".into()),
                6 => (String::new(), "echo *.txt".into()),
                7 => (String::new(), ". ./helper.sh; helper".into()),
                8 => (String::new(), format!("echo made {n} > made{}.txt", n % 2)),
                9 | 10 => (String::new(), format!("cat made{}.txt 2> /dev/null || echo none", n % 2)),
                11 => (" env=CALLER".into(), "echo \"caller $CALLER\"".into()),
                12 => (" cwd=@scratch".into(), format!("ls; echo {n} >> f; cat f")),
                13 => (" exit=any".into(), format!("exit {n}")),
                14 => (" with=month".into(), "echo \"month $month\"".into()),
                15 => (String::new(), "x=$(cat data.txt); echo \"$x\" | wc -c".into()),
                16 => (String::new(), "ln -sfn data.txt cur; cat cur".into()),
                17 => (String::new(), "cat link.txt 2> /dev/null || echo broken".into()),
                18 => (String::new(), format!("mv made{}.txt moved.txt 2> /dev/null; cat moved.txt 2> /dev/null || echo none", n % 2)),
                19 => (String::new(), format!("rm -f made{}.txt moved.txt", n % 2)),
                20 => (String::new(), "stat -c '%s %a' data.txt helper.sh tool".into()),
                21 => (String::new(), "./tool 2> /dev/null || echo refused".into()),
                22 => (String::new(), format!("echo head {n} > log.txt")),
                23 => (String::new(), "echo row >> log.txt; wc -l < log.txt".into()),
                24 => (String::new(), "prog 2> /dev/null || echo no program".into()),
                25 => (String::new(), "command -v prog > /dev/null && echo found || echo not found".into()),
                26 => (String::new(), "cp data.txt copy.txt; chmod 600 copy.txt; cat copy.txt".into()),
                27 => (String::new(), "ln -f data.txt hard.txt; cat hard.txt; rm hard.txt".into()),
                // Which files these use, and what fails, hangs on what they read.
                30 => (String::new(), format!("f=$(tr -dc 01 < data.txt); echo by content {n} > \"made${{f:-1}}.txt\"")),
                31 => (String::new(), "f=$(tr -dc 01 < data.txt); cat \"made${f:-0}.txt\" 2> /dev/null || echo none".into()),
                32 => (" exit=any".into(), "grep -q 2 data.txt && { echo two > log.txt; exit 3; }; echo not two".into()),
                33 => (String::new(), format!("mkdir -p d/e; echo {n} > d/e/f{}; ls d/e", n % 2)),
                34 => (String::new(), "rm -rf d; ls -d d 2> /dev/null || echo gone".into()),
                35 => (String::new(), "rm -rf moved_d; mv d moved_d 2> /dev/null; find d moved_d -name 'f[01]' 2> /dev/null | sort".into()),
                36 => (String::new(), "cat d/e/f0 moved_d/e/f0 2> /dev/null || echo nowhere".into()),
                37 => (String::new(), "for f in d/*/f*; do echo \"$f\"; done".into()),
                38 => (String::new(), format!("printf {n} | dd of=log.txt conv=notrunc bs=1 seek=1 status=none; echo done")),
                39 => (String::new(), "sed -i s/1/2/ copy.txt 2> /dev/null; cat copy.txt 2> /dev/null || echo none".into()),
                40 => (String::new(), "tar cf - data.txt helper.sh | tar tf -; cksum data.txt".into()),
                41 => (String::new(), "ln -sfn d cur_d; ls cur_d/ 2> /dev/null || echo leads nowhere".into()),
                42 => (String::new(), "exec 7< data.txt; read -r line <&7; echo \"$line\"".into()),
                43 => (String::new(), "cat <&7 2> /dev/null; echo \"then $?\"".into()),
                44 => (String::new(), format!("exec 8> fd8.txt; echo first {n} >&8; cat fd8.txt")),
                45 => (String::new(), "echo second >&8; cat fd8.txt 2> /dev/null || echo none".into()),
                46 => (String::new(), "touch -c copy.txt; test copy.txt -nt nowhere.txt && echo newer; true".into()),
                47 => (String::new(), "chmod 640 copy.txt 2> /dev/null; stat -c %a copy.txt 2> /dev/null || echo none".into()),
                48 => (String::new(), "truncate -s 3 log.txt; wc -c < log.txt".into()),
                49 => (String::new(), "cp -r d copied_d 2> /dev/null; cat copied_d/e/* 2> /dev/null || echo none".into()),
                50 => (String::new(), "cmp -s data.txt copy.txt && echo same || echo other".into()),
                51 => (String::new(), "(cd d 2> /dev/null && pwd | sed 's,.*/,,' && ls ..  | grep -c txt) || echo no folder".into()),
                52 => (String::new(), format!("trash=$(mktemp ./tmp.XXXXXX); echo {n} > \"$trash\"; mv \"$trash\" renamed.txt; cat renamed.txt")),
                53 => (String::new(), "cat renamed.txt 2> /dev/null || echo none; rm -f renamed.txt".into()),
                54 => (String::new(), "rmdir d/e d 2> /dev/null && echo removed || echo stays".into()),
                55 => (String::new(), "ln data.txt second.txt 2> /dev/null && echo linked || echo was linked; cat second.txt".into()),
                56 => (String::new(), "mkfifo pipe 2> /dev/null; test -p pipe && echo pipe; rm -f pipe".into()),
                57 => (String::new(), "cat ./d/../data.txt 2> /dev/null || echo no way; cat ././data.txt".into()),
                58 => (String::new(), "x=${x:-unset}; cat \"$x.txt\" 2> /dev/null || echo \"no $x\"; x=data".into()),
                59 => (String::new(), "sleep 0.01 & wait; echo \"$(ls | grep -c made)\"; unset x".into()),
                28 => (String::new(), "cd /proc/self/cwd && cat data.txt; cat < /proc/self/cwd/helper.sh; cat /dev/fd/3 3< data.txt; cd \"$OLDPWD\"".into()),
                _ => (String::new(), "ls -l maybe.txt 2> /dev/null | cut -c1-10; readlink link.txt; test -x tool && echo runs; true".into()),
            }
        };
        let value = others.get(self.constant).filter(|_| self.deed.is_multiple_of(7) && self.strand != "python");
        let code = value.map_or(code.clone(), |name| format!("{code}\necho '@[{name}]'"));
        options.push_str(["", " fold=closed", " prefix=\"> \"", " trim=3"][self.looks]);
        let (language, strand) = self.strand.split_once(' ').map_or((self.strand, ""), |(l, s)| (l, s));
        format!("```{language} @{} {strand}{options}\n{code}\n```\n\n", self.name)
    }
}

/// A document, its files, and the world around it.
struct World {
    folder: tempfile::TempDir,
    blocks: Vec<Block>,
    made: usize,
    month: usize,
    caller: usize,
    version: usize,
    /// From how many milliseconds on states of strands are stored; every second walk stores them all, the others none.
    states: &'static str,
    /// How many strands run at once, where none can see another; half of the walks run all in the order of the document.
    at_once: usize,
}

impl World {
    fn new(dice: &mut Dice, states: &'static str, at_once: usize) -> World {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("data.txt"), "data 0\n").unwrap();
        fs::write(folder.path().join("helper.sh"), "helper() { echo helper 0; }\n").unwrap();
        fs::write(folder.path().join("tool"), "#!/bin/sh\necho tool 0\n").unwrap();
        fs::set_permissions(folder.path().join("tool"), fs::Permissions::from_mode(0o755)).unwrap();
        fs::write(folder.path().join("vlmod.py"), "V = 'module 0'\n").unwrap();
        fs::create_dir_all(folder.path().join("site-packages/pkg")).unwrap();
        fs::create_dir_all(folder.path().join("bin")).unwrap();
        fs::write(folder.path().join("site-packages/pkg/__init__.py"), "V = 'package 0'\n").unwrap();
        symlink("data.txt", folder.path().join("link.txt")).unwrap();
        let with_python = dice.below(4) == 0;
        let count = 4 + dice.below(6);
        let blocks = (0..count).map(|number| Block::random(dice, number, with_python)).collect();
        World { folder, blocks, made: count, month: 0, caller: 0, version: 0, states, at_once }
    }

    fn text(&self) -> String {
        let mut text =
            format!("+++\n[parameters]\nmonth = \"M{}\"\n+++\n\nSome prose, for month @[month].\n\n", self.month);
        let mut names = Vec::new();
        for block in &self.blocks {
            text.push_str(&block.written(&names));
            names.push(block.name.clone());
        }
        text
    }

    /// Changes one thing.
    fn edit(&mut self, dice: &mut Dice) -> String {
        let file = |name: &str| self.folder.path().join(name);
        let at = dice.below(self.blocks.len());
        match dice.below(28) {
            0..=2 => self.blocks[at].constant = dice.below(5),
            3 => fs::write(file("data.txt"), format!("data {}\n", dice.below(4))).unwrap(),
            4 => fs::write(file("helper.sh"), format!("helper() {{ echo helper {}; }}\n", dice.below(3))).unwrap(),
            5 => self.month = dice.below(3),
            6 => self.caller = dice.below(3),
            7 => {
                let other = dice.below(self.blocks.len());
                self.blocks.swap(at, other);
            }
            8 => {
                self.blocks[at].name = format!("r{}", {
                    self.made += 1;
                    self.made
                })
            }
            9 if self.blocks.len() > 2 => drop(self.blocks.remove(at)),
            10 | 11 if self.blocks.len() < 10 => {
                self.made += 1;
                let block = Block::random(dice, self.made, false);
                self.blocks.insert(at, block);
            }
            12 => match file("maybe.txt").exists() {
                true => fs::remove_file(file("maybe.txt")).unwrap(),
                false => fs::write(file("maybe.txt"), "maybe\n").unwrap(),
            },
            13 => drop(fs::remove_file(file(["made0.txt", "made1.txt"][dice.below(2)]))),
            14 => {
                // Touched, and not changed.
                let text = fs::read(file("data.txt")).unwrap();
                fs::write(file("data.txt"), text).unwrap();
            }
            15 => self.blocks[at].looks = dice.below(4),
            16 => self.blocks[at].deed = dice.below(DEEDS),
            17 => {
                let target = ["data.txt", "helper.sh", "nowhere"][dice.below(3)];
                fs::remove_file(file("link.txt")).unwrap();
                symlink(target, file("link.txt")).unwrap();
            }
            18 => {
                let mode =
                    if fs::metadata(file("tool")).unwrap().permissions().mode() & 0o100 != 0 { 0o644 } else { 0o755 };
                fs::set_permissions(file("tool"), fs::Permissions::from_mode(mode)).unwrap();
            }
            19 => fs::write(file("tool"), format!("#!/bin/sh\necho tool {}\n", dice.below(3))).unwrap(),
            20 => fs::write(file("vlmod.py"), format!("V = 'module {}'\n", dice.below(3))).unwrap(),
            21 => match file("site-packages/pkg").exists() {
                true if dice.below(3) == 0 => fs::remove_dir_all(file("site-packages/pkg")).unwrap(),
                _ => {
                    fs::create_dir_all(file("site-packages/pkg")).unwrap();
                    fs::write(file("site-packages/pkg/__init__.py"), format!("V = 'package {}'\n", dice.below(3)))
                        .unwrap();
                }
            },
            22 => match file("bin/prog").exists() {
                true if dice.below(2) == 0 => fs::remove_file(file("bin/prog")).unwrap(),
                _ => {
                    fs::write(file("bin/prog"), format!("#!/bin/sh\necho program {}\n", dice.below(3))).unwrap();
                    fs::set_permissions(file("bin/prog"), fs::Permissions::from_mode(0o755)).unwrap();
                }
            },
            23 => drop(fs::remove_file(file(
                ["moved.txt", "log.txt", "cur", "copy.txt", "d/e/f0", "rows.db"][dice.below(6)],
            ))),
            24 => {
                // By hand, in the place of what a block may have made.
                let name = ["made0.txt", "moved.txt", "log.txt", "copy.txt", "renamed.txt", "d"][dice.below(6)];
                if name == "d" {
                    let _ = fs::remove_dir_all(file(name)).or_else(|_| fs::create_dir_all(file("d/e")));
                } else {
                    fs::write(file(name), format!("hand {}\n", dice.below(2))).unwrap();
                }
            }
            25 => fs::write(file("data.txt"), format!("DATA {}\n", dice.below(4))).unwrap(),
            26 => {
                // Another content of the same size, with the time of the one before.
                let before = fs::metadata(file("data.txt")).unwrap().modified().unwrap();
                fs::write(file("data.txt"), format!("date {}\n", dice.below(4))).unwrap();
                fs::File::options().append(true).open(file("data.txt")).unwrap().set_modified(before).unwrap();
            }
            _ => self.version = dice.below(2),
        }
        self.text()
    }
}

struct In<'a>(&'a Path);

impl Files for In<'_> {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileProblem> {
        fs::read(self.0.join(path)).map_err(|_| FileProblem::Absent)
    }
}

fn document(text: &str, folder: &Path) -> Document {
    let parsed = parse_with(Source::new("d.vine.md", text), Given { files: &In(folder), project: None, set: &[] });
    assert!(!has_errors(&parsed.diagnostics), "{:?}\n{text}", parsed.diagnostics);
    parsed.document
}

/// What one weave gave: its exports, what ran, and the files left.
struct Woven {
    exports: Vec<Vec<u8>>,
    results: Results,
}

fn weave(world: &World, text: &str, folder: &Path, store: &Path, formats: &[Format]) -> Woven {
    let document = document(text, folder);
    let mut variables: BTreeMap<OsString, OsString> =
        ["PATH", "HOME"].iter().map(|name| (name.into(), std::env::var_os(name).unwrap())).collect();
    // Programs are found in the folder first.
    let own = folder.join("bin");
    let callers = std::env::var_os("PATH").unwrap();
    let folders = [Some(own.as_path()), folder_of_python()].into_iter().flatten().map(Path::to_path_buf);
    let path = std::env::join_paths(folders.chain(std::env::split_paths(&callers))).unwrap();
    variables.insert("PATH".into(), path);
    variables.insert("CALLER".into(), world.caller.to_string().into());
    variables.insert("LANG".into(), ["C.UTF-8", "C"][world.version].into());
    variables.insert("VINELOOM_STATES".into(), world.states.into());
    let around = Surroundings { variables, moment: format!("{:?}", std::time::Instant::now()) };
    let languages = Languages::built_in();
    let plan = plan(&document, &languages).unwrap_or_else(|circle| panic!("{circle:?}"));
    let store = Store::open(store, secret()).unwrap();
    let mut interpreters =
        Installed::new(languages, &around, folder, folder, OwnFiles::default(), &store, Interrupt::default())
            .at_once(world.at_once);
    let history = || History::load(&store, "d.vine.md");
    let past = LastWeave { history: &history, worth: 0 };
    let results = run_side_by_side(&document, &plan, &mut interpreters, &store, OnFailure::Stop, past, &mut |_| {})
        .unwrap_or_else(|failure| panic!("{:?}\n{text}", failure.explain(&document)));
    History::of(&document, &plan, &results).save(&store, "d.vine.md");
    Woven { exports: exports(&document, &plan, &results, folder, formats), results }
}

fn exports(document: &Document, plan: &Plan, results: &Results, folder: &Path, formats: &[Format]) -> Vec<Vec<u8>> {
    let pictures = PicturesIn(folder.into());
    let aids = Aids { pictures: &pictures, memory: &NoMemory };
    // Nothing in its documents stands for some formats alone.
    let tree = splice(document, Cow::Borrowed(&document.blocks), formats, plan, results, aids, &mut Vec::new());
    let export = |format: &Format| {
        let options = document.export_settings(*format);
        let wants_text = vineloom_project::exporter(*format).wants(&tree, &options).contains(&Want::AuthorsText);
        let text = wants_text.then(|| splice_text(document, plan, results, "parts", aids, &mut Vec::new()));
        let assets = Assets { text, ..Assets::default() };
        let job =
            Job { woven: &tree, options: &options, assets: &assets, memory: &NoMemory, name: "oracle", proof: None };
        vineloom_project::exporter(*format).export(&job).unwrap().bytes
    };
    formats.iter().map(export).collect()
}

/// A copy of a folder without its store.
fn copy_of(folder: &Path) -> tempfile::TempDir {
    let copy = passing();
    let names = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let names = names.filter(|path| !path.ends_with(".vineloom"));
    // In one go, so that two names of one file stay that.
    let status = Command::new("cp").arg("-a").args(names).arg(copy.path()).status().unwrap();
    assert!(status.success());
    copy
}

/// A folder for what is used once: in memory, where there is one for files.
fn passing() -> tempfile::TempDir {
    tempfile::tempdir_in("/dev/shm").or_else(|_| tempfile::tempdir()).unwrap()
}

/// What lies in a folder: files with their modes, links with what they lead to. What Python compiled is left out.
fn files(folder: &Path) -> BTreeMap<PathBuf, (u32, Vec<u8>)> {
    let mut found = BTreeMap::new();
    let mut folders = vec![folder.to_path_buf()];
    while let Some(inside) = folders.pop() {
        for entry in fs::read_dir(&inside).unwrap().flatten() {
            let (path, name) = (entry.path(), entry.file_name());
            if name == ".vineloom" || name == "__pycache__" {
                continue;
            }
            let about = fs::symlink_metadata(&path).unwrap();
            if about.is_dir() {
                folders.push(path);
                continue;
            }
            let content = match about.is_symlink() {
                true => fs::read_link(&path).unwrap().as_os_str().as_encoded_bytes().to_vec(),
                false => fs::read(&path).unwrap(),
            };
            let mode = if about.is_symlink() { 0 } else { about.permissions().mode() & 0o7777 };
            found.insert(path.strip_prefix(folder).unwrap().to_path_buf(), (mode, content));
        }
    }
    found
}

/// Walks over one world. Returns how many blocks were kept, and how many ran or were replayed.
fn walk(seed: u64, steps: usize) -> (usize, usize) {
    let mut dice = Dice(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1);
    let mut world = World::new(&mut dice, ["0", "none"][seed as usize % 2], [1, 3][seed as usize / 2 % 2]);
    let mut text = world.text();
    let mut counts = (0, 0);
    // They are removed in the end: some file systems look long for room for a new file where others were removed just now.
    let mut copies = Vec::new();
    for step in 0..steps {
        let formats: &[Format] = if step == 49 && seed.is_multiple_of(2) {
            &[Format::Html, Format::Markdown, Format::Pdf]
        } else {
            &[Format::Html, Format::Markdown]
        };
        let folder = world.folder.path();
        let clean = copy_of(folder);
        let from_nothing = weave(&world, &text, clean.path(), passing().path(), formats);
        let stored = weave(&world, &text, folder, &folder.join(".vineloom"), formats);
        let place = format!("seed {seed}, step {step}\n{text}");
        let given = |woven: &Woven| woven.results.blocks.map(|block| block.given.clone());
        let texts = |woven: &Woven| given(woven).map(|given| given.as_ref().map(|it| it.outcome.pieces.clone()));
        let states: Vec<State> = given(&stored).into_iter().flatten().map(|given| given.state).collect();
        assert_eq!(texts(&stored), texts(&from_nothing), "{states:?}\n{place}");
        assert!(stored.exports == from_nothing.exports, "exports differ: {place}");
        assert_eq!(files(folder), files(clean.path()), "{states:?}\n{place}");
        let kept = stored.results.count(State::Kept);
        counts = (counts.0 + kept, counts.1 + states.len() - kept);
        // What was just woven is true until something changes; what settles is kept for good after three times.
        if step % 10 == 0 {
            weave(&world, &text, folder, &folder.join(".vineloom"), &[]);
            weave(&world, &text, folder, &folder.join(".vineloom"), &[]);
            let again = weave(&world, &text, folder, &folder.join(".vineloom"), &[]);
            let blocks = || again.results.blocks.indices();
            let ran: Vec<_> = blocks().filter(|&at| again.results.state(at) == Some(State::Ran)).collect();
            // A block that alters what it reads runs each time, and so does all that uses its state or its result.
            let settles = blocks().filter_map(|at| again.results.files(at)).all(|files| files.altered().is_none());
            assert!(ran.is_empty() || !settles, "{ran:?} ran again: {place}");
        }
        text = world.edit(&mut dice);
        copies.push(clean);
    }
    counts
}

#[test]
fn a_weave_with_the_store_gives_what_a_weave_from_nothing_gives() {
    let number = |name: &str, usual: u64| std::env::var(name).map_or(usual, |text| text.parse().unwrap());
    let steps = number("VINELOOM_ORACLE_STEPS", 200) as usize;
    let seed = number("VINELOOM_ORACLE_SEED", 1);
    let walks = steps.div_ceil(50);
    let next = std::sync::atomic::AtomicU64::new(0);
    let total = std::sync::Mutex::new((0, 0));
    // A walk waits for its interpreters now and then: twice as many walks as cores keep these busy.
    let at_once = 2 * std::thread::available_parallelism().map_or(1, usize::from);
    std::thread::scope(|scope| {
        for _ in 0..at_once {
            scope.spawn(|| {
                loop {
                    let walk_number = next.fetch_add(1, std::sync::atomic::Ordering::SeqCst);
                    if walk_number >= walks as u64 {
                        return;
                    }
                    let (kept, ran) = walk(seed + walk_number, 50);
                    let mut total = total.lock().unwrap();
                    *total = (total.0 + kept, total.1 + ran);
                }
            });
        }
    });
    let (kept, ran) = total.into_inner().unwrap();
    eprintln!("{} steps: {kept} blocks kept, {ran} ran", walks * 50);
    assert!(kept > ran, "the store is of no use: {kept} kept, {ran} ran");
}
