//! What a strand's interpreter is sent for a block: a JSON line for a driver, a few lines of its own for a shell.

use crate::block_run::{BlockRun, Form};
use crate::capture::{BlockPipes, Pipe};
use crate::frames::{LIST_SHELL_VARIABLES, quote, r_environment, r_frame, shell_environment, shell_folder};
use crate::language::Driver;
use crate::protocol::{Ask, Event, Request, Streams, Variable, VariableValue};
use crate::shell_state;
use crate::strand::Strand;
use crate::terminal_session;
use std::fmt::Write as _;
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// The pipes that a block's output comes through.
const STDOUT: &str = "stdout";
const STDERR: &str = "stderr";
/// The file that a state is saved in, and taken up from.
pub(crate) const STATE: &str = "state";
/// Opened by a shell when its block is done.
const DONE: &str = "done";
/// What the name of the file begins with that a shell makes for its block's exit code.
const EXIT: &str = "exit-";

/// A line with texts in the places of words; what is put in is not looked through again.
fn put_in(line: &str, words: &[(&str, String)]) -> String {
    let mut filled = String::new();
    let mut rest = line;
    while let Some((at, (word, text))) =
        words.iter().filter_map(|entry| Some((rest.find(entry.0)?, entry))).min_by_key(|(at, _)| *at)
    {
        filled.push_str(&rest[..at]);
        filled.push_str(text);
        rest = &rest[at + word.len()..];
    }
    filled + rest
}

impl Strand {
    /// Sends a request; returns the events that are known before the driver has said anything, and the pipes that
    /// the driver opens for this block.
    pub(crate) fn send(
        &mut self,
        block: &BlockRun,
        mark: &str,
        task: Ask,
    ) -> io::Result<(Vec<Event>, Option<BlockPipes>)> {
        self.capture.discard_pending()?;
        let mut told = Vec::new();
        // Making a file costs more than running a small block, so only who can't be given the code gets one.
        let is_shell = self.language.driver.is_shells();
        let is_r = self.language.driver == Driver::R;
        let mut file = PathBuf::from("/dev/null");
        if is_shell {
            let commands = terminal_session::commands(&block.code);
            let code = match (task, block.form) {
                (Ask::Variables, _) => LIST_SHELL_VARIABLES.into(),
                (Ask::Save, _) => shell_state::TELL.into(),
                (_, Form::Session) => terminal_session::script(&commands, mark, block.stop),
                _ => block.code.clone(),
            };
            if block.form == Form::Session {
                told.extend(commands.iter().map(|command| Event::Statement(terminal_session::typed(&command.text))));
            }
            let label = if block.label.is_empty() { "@" } else { &block.label };
            file = self.folder.write(&format!("blocks/{label}"), &code)?;
        }
        if matches!(task, Ask::Save | Ask::Load) && !is_shell {
            file = self.folder.path(STATE);
        }
        if self.language.driver == Driver::None {
            file = self.starter(&file)?;
        }
        let null = PathBuf::from("/dev/null");
        let stdin = self.folder.give_input(block.stdin.as_deref())?;
        let text = |path: &Path| path.to_string_lossy().into_owned();
        let own = self.block_pipes(block)?;
        if is_shell {
            let (mut before, mut after) = (null.clone(), null);
            let (enter, leave) = self.shell_frame(block)?;
            for (path, part, code) in [(&mut before, "before", enter), (&mut after, "after", leave)] {
                if !code.is_empty() {
                    *path = self.folder.write(part, &code)?;
                }
            }
            let request = self.shell_request(&[&before, &file, &stdin, &after], block);
            self.requests.write_all(request.as_bytes())?;
            return Ok((told, own));
        }
        let cwd = block.cwd.as_deref().map(text);
        let opened = |part: &str| own.is_some().then(|| text(&self.folder.pipe(part)));
        let (stdout, stderr) = (opened(STDOUT), opened(STDERR));
        let follow = if is_r {
            let (enter, leave) = r_frame(block);
            [enter, block.code.clone(), leave]
        } else {
            Default::default()
        };
        let request = Request {
            mark,
            file: &text(&file),
            before: follow[0].len(),
            size: follow[1].len(),
            after: follow[2].len(),
            environment: &if is_r { r_environment(block) } else { String::new() },
            stdin: &text(&stdin),
            stdout: stdout.as_deref(),
            stderr: stderr.as_deref(),
            streams: block.streams,
            task,
            expression: block.form == Form::Expression,
            transcript: block.form == Form::Transcript,
            limit: block.output_limit,
            code: (!is_r).then_some(block.code.as_str()),
            label: &block.label,
            cwd: cwd.as_deref(),
            env: &block.env,
            variables: &block.variables,
            figures: &block.figures,
        };
        let mut line = serde_json::to_vec(&request)?;
        line.push(b'\n');
        if self.language.driver == Driver::Octave {
            // Octave looks at the byte after a line before it returns the line.
            line.push(b'\n');
        }
        follow.iter().for_each(|part| line.extend(part.as_bytes()));
        self.requests.write_all(&line)?;
        Ok((told, own))
    }

    /// Makes the pipes that a block's output comes through, for a driver that opens them.
    fn block_pipes(&self, block: &BlockRun) -> io::Result<Option<BlockPipes>> {
        let is_shell = self.language.driver.is_shells();
        if !is_shell && !self.language.driver.opens_its_output() {
            return Ok(None);
        }
        let pipe = |part: &str| {
            let path = self.folder.pipe(part);
            // That of the block before; whoever has it open writes to that one.
            let _ = fs::remove_file(&path);
            Pipe::named(&path)
        };
        let stderr = (!is_shell || block.streams == Streams::Separate).then(|| pipe(STDERR)).transpose()?;
        let done = is_shell.then(|| pipe(DONE)).transpose()?;
        Ok(Some(BlockPipes { stdout: pipe(STDOUT)?, stderr, done }))
    }

    /// The lines that a shell is given for a block; `files` are those to source before, the code, the standard input,
    /// and what to source after.
    fn shell_request(&self, files: &[&PathBuf; 4], block: &BlockRun) -> String {
        let word = |path: &Path| quote(&path.to_string_lossy());
        let stderr = match block.streams {
            Streams::Shared => "&1".into(),
            Streams::Separate => word(&self.folder.pipe(STDERR)),
        };
        let [before, code, stdin, after] = files.map(|path| word(path));
        let own = |part: &str| word(&self.folder.pipe(part));
        let environment = shell_environment(block);
        let apart = |lines: String| if lines.is_empty() { lines } else { format!("{{ {lines}}} <&- >&- 2>&-") };
        let words = [
            ("ENTER", apart(environment.0)),
            ("LEAVE", apart(environment.1)),
            ("BEFORE", before),
            ("AFTER", after),
            ("CODE", code),
            ("STDIN", stdin),
            ("STDOUT", own(STDOUT)),
            ("STDERR", stderr),
            ("EXIT", own(EXIT)),
            ("DONE", own(DONE)),
        ];
        let none = quote("/dev/null");
        let is_meant = |line: &&str| {
            let unused = |word: &str, path: &str| line.contains(word) && path == none;
            !(line.starts_with('#') || unused("BEFORE", &words[2].1) || unused("AFTER", &words[3].1))
        };
        let lines = self.language.driver.script().lines().filter(is_meant).map(|line| put_in(line, &words));
        lines.filter(|line| !line.is_empty()).map(|line| line + "\n").collect()
    }

    /// For shells: what to source before and after a block so that its folder and variables are there.
    fn shell_frame(&self, block: &BlockRun) -> io::Result<(String, String)> {
        let (mut enter, leave) = shell_folder(block);
        for variable in &block.variables {
            let value = self.shell_value(variable)?;
            // For a program that the shell starts, a variable has to be exported. Writing to a String can't fail.
            let export = if self.language.driver == Driver::None { "export " } else { "" };
            let _ = writeln!(enter, "{export}{}={}", variable.name, quote(&value));
        }
        Ok((enter, leave))
    }

    /// A shell script that runs a file of code by the language's command.
    fn starter(&self, code: &Path) -> io::Result<PathBuf> {
        let words: Vec<String> = self.language.command.iter().map(|word| quote(word)).collect();
        self.folder.write("start", &format!("{} {}\n", words.join(" "), quote(&code.to_string_lossy())))
    }

    /// A variable as a shell has it: a text; for a table, the path of a CSV file.
    fn shell_value(&self, variable: &Variable) -> io::Result<String> {
        match &variable.value {
            VariableValue::Plain(serde_json::Value::String(text)) => Ok(text.clone()),
            VariableValue::Plain(serde_json::Value::Array(items)) => {
                let text = |item: &serde_json::Value| item.as_str().map_or_else(|| item.to_string(), String::from);
                Ok(items.iter().map(text).collect::<Vec<_>>().join("\n"))
            }
            VariableValue::Plain(value) => Ok(value.to_string()),
            VariableValue::Table(table) => {
                let path = self.folder.write(&format!("tmp/{}.csv", variable.name), &table.to_csv())?;
                Ok(path.to_string_lossy().into_owned())
            }
        }
    }
}
