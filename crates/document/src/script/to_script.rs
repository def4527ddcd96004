//! A document in the form of a script.

use super::lines::Lines;
use super::{Script, fence_for};

/// A document in the form of a script.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DocumentScript {
    /// The script.
    pub text: String,
    /// The live blocks that stand in its comments, since the script is of another language or can't hold them: the
    /// 1-based line of the document, and the language.
    pub in_comments: Vec<(usize, String)>,
}

/// Writes a document as a script of a language. Live blocks of that language that stand by themselves become
/// code; all else, other live blocks too, becomes prose.
pub fn to_script(document: &str, kind: Script) -> DocumentScript {
    let read = Lines::of(document);
    let lines = &read.lines;
    let (interpreter, skipped) = interpreter(lines);
    let mut script: Vec<String> = interpreter.into_iter().collect();
    let mut in_comments = Vec::new();
    let mut state = State { last: Last::Nothing, fence: None };
    let mut at = 0;
    while at < lines.len() {
        if Some(at) == skipped {
            at += 1;
            continue;
        }
        if let Some(block) = state.block(lines, at, kind, &script) {
            if block.name_line {
                script.push(format!("{} {}", kind.mark, block.words));
            }
            script.extend(lines[at + 1..block.end].iter().map(ToString::to_string));
            state.last = Last::Code;
            at = block.end + 1;
            continue;
        }
        let line = lines[at];
        let blank = state.fence.is_none() && (line.is_empty() || line == " ");
        if blank {
            let beside = beside_code(lines, at, kind, &state, &script);
            let is_real = beside == line.is_empty();
            script.push(if is_real { String::new() } else { kind.mark.to_string() });
            if !is_real {
                state.last = Last::Prose;
            }
            at += 1;
            continue;
        }
        if line == "  " && state.fence.is_none() && parts_html(lines, at) {
            let next = State { last: Last::Prose, fence: None };
            if next.block(lines, at + 1, kind, &script).is_some() {
                at += 1;
                continue;
            }
        }
        if state.fence.is_none()
            && let Some(language) = live_language(line)
        {
            in_comments.push((at + 1, language.to_string()));
        }
        state.fence = after_line(state.fence, line);
        script.push(if line.is_empty() { kind.mark.to_string() } else { format!("{} {line}", kind.mark) });
        state.last = if line.starts_with('@') { Last::At } else { Last::Prose };
        at += 1;
    }
    DocumentScript { text: read.joined(&script), in_comments }
}

/// The line that names an interpreter for the system, and where in the document it stands.
fn interpreter(lines: &[&str]) -> (Option<String>, Option<usize>) {
    let at = match lines.first() {
        Some(&"+++") => lines.iter().skip(1).position(|line| *line == "+++").map(|close| close + 2),
        _ => Some(0),
    };
    let line = at.and_then(|at| lines.get(at)).and_then(|line| line.strip_prefix("<!-- ")?.strip_suffix(" -->"));
    match line {
        Some(line) if line.starts_with("#!") && !line.contains("-->") => (Some(line.to_string()), at),
        _ => (None, None),
    }
}

/// What stands before a line in the script, blank lines apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Last {
    Nothing,
    Prose,
    /// A line of prose that begins with `@`.
    At,
    Code,
}

struct State {
    last: Last,
    /// The fence that is open in the prose.
    fence: Option<(char, usize)>,
}

/// A live block that a script can hold so that it comes back the same.
struct Block<'l> {
    /// The name and the options: what stands after the language.
    words: &'l str,
    /// Whether the script has a line for them.
    name_line: bool,
    /// The line of the closing fence.
    end: usize,
}

impl State {
    /// The block that begins at a line, when the script can hold it as code: its fence at the start of the line and of
    /// the length that the code needs, some code, no blank lines around it, no line that would read as prose.
    fn block<'l>(&self, lines: &[&'l str], at: usize, kind: Script, script: &[String]) -> Option<Block<'l>> {
        if self.fence.is_some() || parts_html(lines, at) {
            return None;
        }
        let line = lines.get(at)?;
        let sign = line.chars().next().filter(|c| matches!(c, '`' | '~'))?;
        let length = line.chars().take_while(|&c| c == sign).count();
        let words = line[length..].strip_prefix(kind.language)?.strip_prefix(' ')?;
        if !words.starts_with('@') {
            return None;
        }
        let fence = &line[..length];
        let end = (at + 1..lines.len()).find(|&at| {
            let close = lines[at].trim_end();
            close.len() >= length && close.chars().all(|c| c == sign)
        })?;
        let code = &lines[at + 1..end];
        let edges_hold_code = !code.first()?.is_empty() && !code.last()?.is_empty();
        let plain = code.iter().all(|line| kind.prose(line).is_none());
        if lines[end] != fence || fence != fence_for(code, sign) || !edges_hold_code || !plain {
            return None;
        }
        let blank_above = script.last().is_some_and(String::is_empty);
        let needed = self.last == Last::Code
            || (self.last == Last::At && !blank_above)
            || (script.is_empty() && code[0].starts_with("#!"));
        match (sign, words == "@", needed) {
            ('`', false, _) => Some(Block { words, name_line: true, end }),
            ('`', true, needed) => Some(Block { words, name_line: needed, end }),
            (_, true, false) => Some(Block { words, name_line: true, end }),
            _ => None,
        }
    }
}

/// Whether the blank lines around this one touch a block that becomes code.
fn beside_code(lines: &[&str], at: usize, kind: Script, state: &State, script: &[String]) -> bool {
    let is_blank = |line: &&str| line.is_empty() || *line == " ";
    let before = script.iter().rev().find(|line| !line.is_empty() && *line != kind.mark);
    // What was written last is code, or prose.
    let behind_code = before.is_some_and(|line| kind.prose(line).is_none()) && state.last_is_code(script, kind);
    let next = (at..lines.len()).find(|&at| !is_blank(&lines[at]));
    let separated = next.filter(|&next| lines[next] == "  " && parts_html(lines, next)).map(|next| next + 1).or(next);
    let after = State { last: state.last, fence: None };
    behind_code || separated.is_some_and(|next| after.block(lines, next, kind, script).is_some())
}

impl State {
    /// Whether the last line that is not blank is code; the line for the system is none.
    fn last_is_code(&self, script: &[String], kind: Script) -> bool {
        let at = script.iter().rposition(|line| !line.is_empty() && *line != kind.mark);
        at.is_some_and(|at| !(at == 0 && script[0].starts_with("#!") && self.last != Last::Code))
    }
}

/// Whether a line is where HTML ends and code may begin.
fn parts_html(lines: &[&str], at: usize) -> bool {
    let paragraph = lines[..at].iter().rev().take_while(|line| !line.trim().is_empty());
    paragraph.last().is_some_and(|first| opens_html(first))
}

/// Whether a paragraph that begins so is HTML to its next blank line.
pub(super) fn opens_html(line: &str) -> bool {
    let line = line.trim_start();
    line.starts_with('<')
        && !line.starts_with("<!--")
        && line[1..].starts_with(|c: char| c.is_ascii_alphabetic() || c == '/')
}

/// The language of a line that opens a live block.
fn live_language(line: &str) -> Option<&str> {
    let line = line.trim_start();
    let words = line.strip_prefix("```").or_else(|| line.strip_prefix("~~~"))?.trim_start_matches(['`', '~']);
    let (language, rest) = words.trim_start().split_once(' ')?;
    rest.trim_start().starts_with('@').then_some(language)
}

/// Follows fences that stay prose, so that what is inside them is not taken for a block.
fn after_line(open: Option<(char, usize)>, line: &str) -> Option<(char, usize)> {
    let body = line.trim_start();
    let mark = body.chars().next().filter(|c| matches!(c, '`' | '~'));
    let Some(mark) = mark else { return open };
    let count = body.chars().take_while(|&c| c == mark).count();
    match open {
        Some((opened, length)) if mark == opened && count >= length && body[count..].trim().is_empty() => None,
        Some(open) => Some(open),
        None if count >= 3 && !(mark == '`' && body[count..].contains('`')) => Some((mark, count)),
        None => None,
    }
}
