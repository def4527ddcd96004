//! A block that did not give what it should, as a finding at its place in the document.

use crate::names_in_code::{set_below, unknown_name};
use crate::plan::{block_title, home};
use std::collections::BTreeMap;
use vineloom_document::options::ExpectedExit;
use vineloom_document::{BlockIndex, Diagnostic, Document, Role, Source, Span, ValueUse};
use vineloom_interpreters::{Ended, FailurePlace, MissingInterpreter, Outcome, Piece};
use vineloom_terminal_text::without_colours;

/// A block that stopped its document.
#[derive(Debug, Clone)]
pub struct Failure {
    /// The block's index among the live blocks.
    pub index: BlockIndex,
    /// What happened.
    pub kind: FailureKind,
    /// Which block each label stands for, as far as blocks had run.
    pub labels: BTreeMap<String, BlockIndex>,
}

/// What happened.
#[derive(Debug, Clone)]
pub enum FailureKind {
    /// It ended with another exit code than it should.
    Exit {
        /// What it gave.
        outcome: Outcome,
        /// What was expected.
        expected: ExpectedExit,
    },
    /// It was ended at a limit.
    Ended {
        /// Which.
        why: Ended,
        /// What it had given by then.
        so_far: Vec<Piece>,
    },
    /// The user interrupted the weave.
    Interrupted,
    /// No language has this name.
    UnknownLanguage {
        /// The nearest one.
        nearest: Option<String>,
        /// All there are.
        known: Vec<String>,
    },
    /// The interpreter is not installed.
    Missing(MissingInterpreter),
    /// Something around the block failed: what, and what to do about it where that is known.
    Run(String, Option<&'static str>),
    /// It needs the value of a block that failed, and did not run.
    Needs(BlockIndex),
    /// It would run, or needs a block that would, which only runs when it is asked for.
    Waits(BlockIndex),
    /// The strand was lost between two blocks.
    Lost,
}

/// How many lines of output a message shows.
const LAST_LINES: usize = 8;

impl Failure {
    /// The failure as a finding, and the last lines of what the block printed.
    pub fn explain(&self, document: &Document) -> (Diagnostic, String) {
        let block = &document.live[self.index];
        let name = match (&block.name, &block.role) {
            (None, Role::Shown) => format!("this {} block", block.language),
            _ => block_title(document, self.index),
        };
        let fence = block.fence;
        match &self.kind {
            FailureKind::Exit { outcome, expected } => self.explain_exit(document, &name, outcome, *expected),
            FailureKind::Ended { why: Ended::Output, so_far } => {
                let finding =
                    Diagnostic::error(fence, format!("{name} printed more than its output limit and was ended"))
                        .help("print less, or raise the limit: `output-limit=64MiB`");
                (finding, last_lines(so_far))
            }
            FailureKind::Ended { so_far, .. } => {
                let limit = block.options.time_limit.as_secs_f64();
                let finding = Diagnostic::error(fence, format!("{name} ran longer than its time limit of {limit} s and was ended"))
                    .help("if it needs the time, raise the limit: `time-limit=5min`; if it waits for input, give it some: `stdin=\"…\"`");
                (finding, last_lines(so_far))
            }
            FailureKind::Interrupted => {
                (Diagnostic::error(fence, format!("interrupted while {name} ran")), String::new())
            }
            FailureKind::UnknownLanguage { nearest, known } => {
                let help = match nearest {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!("the languages are {}; without `@` the block is a plain listing", known.join(", ")),
                };
                let finding =
                    Diagnostic::error(fence, format!("no interpreter is known for the language `{}`", block.language));
                (finding.help(help), String::new())
            }
            FailureKind::Missing(missing) => (
                Diagnostic::error(fence, missing.to_string()).help(format!("install it. {}", missing.install)),
                String::new(),
            ),
            FailureKind::Run(message, help) => {
                let finding = Diagnostic::error(fence, format!("{name}: {message}"));
                (help.map_or(finding.clone(), |help| finding.help(help)), String::new())
            }
            FailureKind::Needs(failed) => {
                let message = format!("{name} did not run: it needs {}, which failed", block_title(document, *failed));
                (Diagnostic::error(fence, message), String::new())
            }
            FailureKind::Waits(waiting) => {
                let message = match *waiting == self.index {
                    true => format!("{name} has not run: it waits to be asked for"),
                    false => format!(
                        "{name} has not run: it needs {}, which waits to be asked for",
                        block_title(document, *waiting)
                    ),
                };
                (Diagnostic::error(fence, message), String::new())
            }
            FailureKind::Lost => {
                let message = format!("{name} lost its interpreter before it ran; this is a fault in the program");
                (Diagnostic::error(fence, message), String::new())
            }
        }
    }

    fn explain_exit(
        &self,
        document: &Document,
        name: &str,
        outcome: &Outcome,
        expected: ExpectedExit,
    ) -> (Diagnostic, String) {
        let block = &document.live[self.index];
        let mut output = last_lines(&outcome.pieces);
        let failure = outcome.pieces.iter().rev().find_map(|piece| match piece {
            Piece::Failure { summary, text, at, help } => Some((summary, text, at.as_ref(), help)),
            _ => None,
        });
        if let Some((_, text, ..)) = &failure {
            output = tail(text);
        }
        let place = failure.as_ref().and_then(|(_, _, at, _)| at.cloned()).or_else(|| self.shell_line(&output));
        let span = place.and_then(|place| self.place_in(document, &place)).unwrap_or(block.fence);
        let what = match (&failure, expected) {
            (Some((summary, ..)), _) => format!("{name} failed: {summary}"),
            (None, _) if outcome.exit > 128 && outcome.interpreter_ended => {
                format!("the interpreter of {name} was ended by {}", signal(outcome.exit - 128))
            }
            (None, ExpectedExit::Code(0)) => format!("{name} ended with exit code {}", outcome.exit),
            (None, ExpectedExit::Code(code)) => {
                format!("{name} ended with exit code {} where `exit={code}` is expected", outcome.exit)
            }
            (None, ExpectedExit::Any) => format!("{name} failed"),
        };
        let unknown = failure.as_ref().and_then(|(summary, ..)| unknown_name(summary));
        let below = unknown.and_then(|name| {
            let setter = set_below(document, self.index, name)?;
            Some(format!("`{name}` is set in {}, which stands below; move it above", block_title(document, setter)))
        });
        let help = match failure.and_then(|(_, _, _, help)| help.clone()) {
            Some(help) => help,
            None if below.is_some() => below.unwrap_or_default(),
            None if block.role == Role::Expression => {
                "an expression sees what the blocks above it have made; move it below what it needs".into()
            }
            None if outcome.exit == 0 => "it was to fail; take `exit` off its fence line if it no longer should".into(),
            None => format!("if this failure is what you want to show, add `exit={}` to its fence line", outcome.exit),
        };
        let mut finding = Diagnostic::error(span, what).help(help);
        finding.related.extend(self.uses(document));
        (finding, self.in_document_lines(&output, document))
    }

    /// Where the text uses a block that stands in a library, or that runs for a call; for one that runs for others of its
    /// library, where these are used first.
    fn uses(&self, document: &Document) -> Vec<(Span, String)> {
        let library = |index: BlockIndex| match home(document, &document.live[index]) {
            Role::Library { library } => Some(library),
            _ => None,
        };
        let is_call = matches!(document.live[self.index].role, Role::Call(_));
        let own = library(self.index);
        if own.is_none() && !is_call {
            return Vec::new();
        }
        let used = |value: &ValueUse| value.runs.or_else(|| document.block_named(value.wanted.name()?.as_str()));
        let here = |words: &'static str| move |value: &ValueUse| (value.span, words.to_string());
        let direct = document.values.iter().filter(|value| used(value) == Some(self.index));
        let direct: Vec<_> = direct.take(3).map(here("it is used here")).collect();
        if !direct.is_empty() {
            return direct;
        }
        let of_library = |value: &&ValueUse| used(value).is_some_and(|index| library(index) == own);
        document.values.iter().find(of_library).map(here("its library is used here")).into_iter().collect()
    }

    /// The span of a line of a block's code, for a place the interpreter named.
    fn place_in(&self, document: &Document, place: &FailurePlace) -> Option<Span> {
        let index = *self.labels.get(&place.block)?;
        let block = &document.live[index];
        if block.role == Role::Expression {
            return Some(block.fence);
        }
        let source = document.sources.of(block.code_start);
        Some(trimmed_line(source, source.line_of(block.code_start) + place.line.saturating_sub(1)))
    }

    /// Finds `@label: line 3:` (bash) or `sh: 3: @label:` (dash) in a shell's message.
    fn shell_line(&self, output: &str) -> Option<FailurePlace> {
        output.lines().rev().find_map(|text| {
            let (label, at) = self.labels.keys().find_map(|label| Some((label, text.find(label.as_str())?)))?;
            let after = text[at + label.len()..].strip_prefix(": line ").and_then(leading_number);
            let line = after.or_else(|| text[..at].split(": ").filter_map(leading_number).last())?;
            Some(FailurePlace { block: label.clone(), line })
        })
    }

    /// Says `"guide.vine.md", line 47` where an interpreter said `"@label", line 3`, and names where it said labels.
    fn in_document_lines(&self, output: &str, document: &Document) -> String {
        let mut shown = output.to_string();
        for (label, &index) in self.labels.iter().filter(|(label, _)| output.contains(label.as_str())) {
            let block = &document.live[index];
            let name = block.name.as_ref().map_or_else(|| "block".to_string(), |name| format!("@{name}"));
            let quoted = format!("\"{label}\", line ");
            let line = |text: &str| {
                let Some((before, after)) = text.split_once(quoted.as_str()) else { return text.replace(label, &name) };
                let Some(line) = leading_number(after) else { return text.replace(label, &name) };
                let rest = after.trim_start_matches(|c: char| c.is_ascii_digit());
                let source = document.sources.of(block.code_start);
                let first = source.line_of(block.code_start);
                format!(
                    "{before}\"{}\", line {}{rest}",
                    source.name(),
                    source.written_line(first + line.saturating_sub(1))
                )
            };
            shown = shown.lines().map(line).collect::<Vec<_>>().join("\n");
        }
        shown
    }
}

fn last_lines(pieces: &[Piece]) -> String {
    let text: String = pieces
        .iter()
        .filter_map(|piece| match piece {
            Piece::Text(text) | Piece::Notice(text) | Piece::Failure { text, .. } => Some(text.as_str()),
            _ => None,
        })
        .collect();
    tail(&text)
}

fn tail(text: &str) -> String {
    let plain = without_colours(text);
    let lines: Vec<&str> = plain.trim_end().lines().collect();
    let cut = |line: &&str| line.chars().take(200).collect::<String>();
    lines[lines.len().saturating_sub(LAST_LINES)..].iter().map(cut).collect::<Vec<_>>().join("\n")
}

fn trimmed_line(source: &Source, line: usize) -> Span {
    let span = source.line_span(line);
    let text = source.slice(span);
    Span::new(span.start + (text.len() - text.trim_start().len()), span.start + text.trim_end().len().max(1))
}

fn leading_number(text: &str) -> Option<usize> {
    let digits = text.trim_start();
    let end = digits.find(|c: char| !c.is_ascii_digit()).unwrap_or(digits.len());
    digits[..end].parse().ok()
}

fn signal(number: i32) -> String {
    let name = match number {
        2 => "INT",
        6 => "ABRT",
        9 => "KILL",
        11 => "SEGV",
        13 => "PIPE",
        15 => "TERM",
        _ => return format!("signal {number}"),
    };
    format!("signal {number} ({name})")
}
