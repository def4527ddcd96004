//! A script in the form of a document.

use super::lines::{Lines, Paragraph};
use super::{Script, fence_for};

/// A script in the form of a document, and which line of the script each of its lines comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ScriptDocument {
    /// The document.
    pub text: String,
    /// For each line of it, the 1-based line of the script.
    pub lines: Vec<usize>,
    /// The 1-based lines of it that look like a name of the code below and name nothing: a blank line stands between.
    pub named_nothing: Vec<usize>,
}

/// A part of a script.
enum Part<'s> {
    /// The line for the system that names an interpreter.
    Interpreter(&'s str),
    /// A line of prose, without its mark.
    Prose(&'s str),
    /// A line with a mark and nothing else.
    Mark,
    /// A blank line between prose and code.
    Blank,
    /// A run of code.
    Code {
        /// What its name line says; nothing when it has none.
        words: Option<&'s str>,
        lines: Vec<&'s str>,
    },
}

/// Reads a script as a document.
///
/// Blank lines around a run of code are no part of it. A prose line `@name key=value` directly above code names
/// the block and sets its options; code without one is a live block without a name.
pub fn to_document(script: &str, kind: Script) -> ScriptDocument {
    let read = Lines::of(script);
    let parts = parts(&read.lines, kind);
    let mut document =
        Writer { kind, text: Vec::new(), lines: Vec::new(), named_nothing: Vec::new(), above: Paragraph::default() };
    document.write(&parts);
    ScriptDocument { text: read.joined(&document.text), lines: document.lines, named_nothing: document.named_nothing }
}

/// The parts of a script, each with the number of its first line.
fn parts<'s>(lines: &[&'s str], kind: Script) -> Vec<(usize, Part<'s>)> {
    let mut parts = Vec::new();
    let mut at = 0;
    if let Some(first) = lines.first().filter(|line| line.starts_with("#!") && !line.contains("-->")) {
        parts.push((1, Part::Interpreter(first)));
        at = 1;
    }
    while at < lines.len() {
        let line = lines[at];
        let is_code = |at: usize| lines.get(at).is_some_and(|line| kind.prose(line).is_none() && !line.is_empty());
        let words = match kind.prose(line) {
            Some(words) if words.starts_with('@') && is_code(at + 1) => Some(words),
            Some(prose) => {
                parts.push((at + 1, if prose.is_empty() { Part::Mark } else { Part::Prose(prose) }));
                at += 1;
                continue;
            }
            None if line.is_empty() => {
                parts.push((at + 1, Part::Blank));
                at += 1;
                continue;
            }
            None => None,
        };
        let from = at + usize::from(words.is_some());
        let end = (from..lines.len()).find(|&at| kind.prose(lines[at]).is_some()).unwrap_or(lines.len());
        let last = (from..end).rev().find(|&at| !lines[at].is_empty()).unwrap_or(from);
        parts.push((at + 1, Part::Code { words, lines: lines[from..=last].to_vec() }));
        at = last + 1;
    }
    parts
}

struct Writer {
    kind: Script,
    text: Vec<String>,
    lines: Vec<usize>,
    named_nothing: Vec<usize>,
    /// What stands directly above what is written next.
    above: Paragraph,
}

impl Writer {
    fn push(&mut self, line: impl Into<String>, number: usize) {
        let line = line.into();
        self.above = self.above.after(&line);
        self.text.push(line);
        self.lines.push(number);
    }

    fn write(&mut self, parts: &[(usize, Part)]) {
        // The line for the system stands behind the front matter.
        let opens_front = |part: &(usize, Part)| matches!(part.1, Part::Prose("+++"));
        let interpreter = match parts.first() {
            Some((_, Part::Interpreter(line))) => Some(format!("<!-- {line} -->")),
            _ => None,
        };
        let front_ends = match parts.get(usize::from(interpreter.is_some())).is_some_and(opens_front) {
            true => parts.iter().enumerate().filter(|(_, part)| opens_front(part)).nth(1).map(|(at, _)| at),
            false => None,
        };
        let beside = beside_code(parts);
        for (at, (number, part)) in parts.iter().enumerate() {
            match part {
                Part::Interpreter(_) => {
                    if let Some(line) = interpreter.clone().filter(|_| front_ends.is_none()) {
                        self.push(line, *number);
                    }
                }
                Part::Prose(prose) => self.push(*prose, *number),
                Part::Mark | Part::Blank => {
                    // A blank line beside code is one of the script, any other one with a mark; a space says otherwise.
                    let usual = matches!(part, Part::Blank) == beside[at];
                    self.push(if usual { "" } else { " " }, *number);
                }
                Part::Code { words, lines } => self.code(parts, at, *words, lines),
            }
            if let Part::Prose(prose) = part
                && prose.starts_with('@')
                && !prose.contains("](")
                && prose[1..].chars().next().is_none_or(char::is_alphabetic)
                && names_nothing(parts, at)
            {
                self.named_nothing.push(self.text.len());
            }
            if let Some(line) = interpreter.clone().filter(|_| front_ends == Some(at)) {
                self.push(line, 1);
            }
        }
    }

    fn code(&mut self, parts: &[(usize, Part)], at: usize, words: Option<&str>, code: &[&str]) {
        let number = parts[at].0;
        // HTML would take what follows for its own.
        if self.above.is_html {
            self.push("  ", number);
        }
        // A name line that says nothing and is not needed is told by its fence.
        let unneeded = words == Some("@") && !needs_name_line(parts, at, code);
        let fence = fence_for(code, if unneeded { '~' } else { '`' });
        self.push(format!("{fence}{} {}", self.kind.language, words.unwrap_or("@")), number);
        let first = number + usize::from(words.is_some());
        for (line, number) in code.iter().zip(first..) {
            self.push(*line, number);
        }
        self.push(fence, first + code.len() - 1);
    }
}

/// For each part, whether the blank lines around it touch a run of code.
fn beside_code(parts: &[(usize, Part)]) -> Vec<bool> {
    let mut beside = vec![false; parts.len()];
    let mut mark = |order: &mut dyn Iterator<Item = usize>| {
        let mut is_code = false;
        for at in order {
            match parts[at].1 {
                Part::Mark | Part::Blank => beside[at] |= is_code,
                Part::Code { .. } => is_code = true,
                _ => is_code = false,
            }
        }
    };
    mark(&mut (0..parts.len()));
    mark(&mut (0..parts.len()).rev());
    beside
}

/// Whether code without a name line would be taken for a part of what stands before it.
fn needs_name_line(parts: &[(usize, Part)], at: usize, code: &[&str]) -> bool {
    let before = parts[..at].iter().map(|(_, part)| part).rev().find(|part| !matches!(part, Part::Blank));
    let is_named = matches!(parts[..at].last(), Some((_, Part::Prose(prose))) if prose.starts_with('@'));
    let first = at == 0 && code.first().is_some_and(|line| line.starts_with("#!"));
    matches!(before, Some(Part::Code { .. })) || is_named || first
}

/// Whether only blank lines stand between a line and code.
fn names_nothing(parts: &[(usize, Part)], at: usize) -> bool {
    let behind = &parts[at + 1..];
    let blank = behind.iter().take_while(|(_, part)| matches!(part, Part::Blank)).count();
    blank > 0 && matches!(behind.get(blank), Some((_, Part::Code { .. })))
}
