//! A document in the form of a script.

use super::lines::{Lines, Paragraph};
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
    let document = Document::of(lines);
    let mut script = Written { lines: Vec::new(), said: None, mark: kind.mark };
    interpreter.into_iter().for_each(|line| script.push(line));
    let mut in_comments = Vec::new();
    let mut state = State { last: Last::Nothing, fence: None };
    let mut at = 0;
    while at < lines.len() {
        if Some(at) == skipped {
            at += 1;
            continue;
        }
        if let Some(block) = state.block(&document, at, kind, &script) {
            if block.name_line {
                script.push(format!("{} {}", kind.mark, block.words));
            }
            lines[at + 1..block.end].iter().for_each(|line| script.push(line.to_string()));
            state.last = Last::Code;
            at = block.end + 1;
            continue;
        }
        let line = lines[at];
        let blank = state.fence.is_none() && (line.is_empty() || line == " ");
        if blank {
            let beside = beside_code(&document, at, kind, &state, &script);
            let is_real = beside == line.is_empty();
            script.push(if is_real { String::new() } else { kind.mark.to_string() });
            if !is_real {
                state.last = Last::Prose;
            }
            at += 1;
            continue;
        }
        if line == "  " && state.fence.is_none() && document.is_behind_html[at] {
            let next = State { last: Last::Prose, fence: None };
            if next.block(&document, at + 1, kind, &script).is_some() {
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
    DocumentScript { text: read.joined(&script.lines), in_comments }
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

/// The lines of a document, with what is around each: long texts are gone through once.
struct Document<'l> {
    lines: &'l [&'l str],
    /// Whether the paragraph above each is HTML.
    is_behind_html: Vec<bool>,
    /// The next line from each on that is not blank.
    next_said: Vec<Option<usize>>,
}

impl<'l> Document<'l> {
    fn of(lines: &'l [&'l str]) -> Self {
        let mut paragraph = Paragraph::default();
        let behind = |line: &&str| {
            let is_html = paragraph.is_html;
            paragraph = paragraph.after(line);
            is_html
        };
        let is_behind_html = lines.iter().map(behind).collect();
        let mut next = None;
        let mut next_said: Vec<Option<usize>> = Vec::with_capacity(lines.len());
        for (at, line) in lines.iter().enumerate().rev() {
            if !line.is_empty() && *line != " " {
                next = Some(at);
            }
            next_said.push(next);
        }
        next_said.reverse();
        Document { lines, is_behind_html, next_said }
    }
}

/// What of the script is written.
struct Written {
    lines: Vec<String>,
    /// The last line that is neither blank nor a mark alone.
    said: Option<usize>,
    mark: &'static str,
}

impl Written {
    fn push(&mut self, line: String) {
        if !line.is_empty() && line != self.mark {
            self.said = Some(self.lines.len());
        }
        self.lines.push(line);
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
    fn block<'l>(&self, document: &Document<'l>, at: usize, kind: Script, script: &Written) -> Option<Block<'l>> {
        let lines = document.lines;
        if self.fence.is_some() || document.is_behind_html.get(at).is_none_or(|is| *is) {
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
        let blank_above = script.lines.last().is_some_and(String::is_empty);
        let needed = self.last == Last::Code
            || (self.last == Last::At && !blank_above)
            || (script.lines.is_empty() && code[0].starts_with("#!"));
        match (sign, words == "@", needed) {
            ('`', false, _) => Some(Block { words, name_line: true, end }),
            ('`', true, needed) => Some(Block { words, name_line: needed, end }),
            (_, true, false) => Some(Block { words, name_line: true, end }),
            _ => None,
        }
    }
}

/// Whether the blank lines around this one touch a block that becomes code.
fn beside_code(document: &Document, at: usize, kind: Script, state: &State, script: &Written) -> bool {
    let next = document.next_said[at];
    let parts = |next: usize| document.lines[next] == "  " && document.is_behind_html[next];
    let next = next.map(|next| if parts(next) { next + 1 } else { next });
    let after = State { last: state.last, fence: None };
    is_code(script, kind, state) || next.is_some_and(|next| after.block(document, next, kind, script).is_some())
}

/// Whether the last line that is not blank is code; the line for the system is none.
fn is_code(script: &Written, kind: Script, state: &State) -> bool {
    let Some(at) = script.said else { return false };
    let line = &script.lines[at];
    kind.prose(line).is_none() && !(at == 0 && line.starts_with("#!") && state.last != Last::Code)
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
