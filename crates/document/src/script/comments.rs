//! Ordinary comments of a script as prose, when somebody asks for it: comments that part it into sections become headings,
//! and blocks of whole-line comments between blank lines become prose.

use super::Script;
use super::lines::Lines;

/// What of an ordinary script becomes prose.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Marks {
    /// Comments that part it into sections become headings.
    pub headings: bool,
    /// Whole-line comments between blank lines become prose.
    pub comments: bool,
}

/// A script in which such comments have the mark of prose, with the 1-based line of the given one for each line.
///
/// ```
/// use vineloom_document::{Marks, Script, with_marks};
///
/// let script = "# ---- Load ----\nx = 1\n\n# The *mean* of it.\n\ny = x\n";
/// let python = Script::of_path("a.py").unwrap();
/// let (marked, _) = with_marks(script, python, Marks { headings: true, comments: true });
/// assert_eq!(marked, "#~ # Load\nx = 1\n\n#~ The *mean* of it.\n\ny = x\n");
/// ```
pub fn with_marks(script: &str, kind: Script, marks: Marks) -> (String, Vec<usize>) {
    let read = Lines::of(script);
    let lines = &read.lines;
    let texts = inside_texts(lines, kind);
    let mut written: Vec<String> = Vec::new();
    let mut numbers = Vec::new();
    let mut at = 0;
    while at < lines.len() {
        let found = (!texts[at]).then(|| section(lines, at, kind)).flatten().filter(|_| marks.headings);
        if let Some(Section { level, title, lines: taken }) = found {
            written.push(format!("{} {} {title}", kind.mark, "#".repeat(level)));
            numbers.push(at + 1);
            at += taken;
            continue;
        }
        let prose = if marks.comments && !texts[at] { comment_block(lines, at, kind, marks) } else { 0 };
        for line in &lines[at..at + prose] {
            let text = comment_text(line, kind).unwrap_or_default();
            written.push(if text.is_empty() { kind.mark.to_string() } else { format!("{} {text}", kind.mark) });
            numbers.push(at + 1);
            at += 1;
        }
        if prose == 0 {
            written.push(lines[at].to_string());
            numbers.push(at + 1);
            at += 1;
        }
    }
    (read.joined(&written), numbers)
}

/// A comment that begins a section.
struct Section<'l> {
    level: usize,
    title: &'l str,
    /// How many lines it takes.
    lines: usize,
}

/// What rules are drawn with.
const RULES: [char; 5] = ['-', '=', '*', '#', '%'];

fn section<'l>(lines: &[&'l str], at: usize, kind: Script) -> Option<Section<'l>> {
    // A title between two rules.
    if is_rule(lines[at], kind)
        && lines.get(at + 2).is_some_and(|line| is_rule(line, kind))
        && let Some(title) = lines.get(at + 1).and_then(|line| comment_text(line, kind)).map(bare)
        && is_title(title)
    {
        return Some(Section { level: 1, title, lines: 3 });
    }
    let line = lines[at].trim_end();
    let starts = starts(kind);
    let start = starts.iter().find(|start| line.starts_with(**start))?;
    let sign = start.chars().last()?;
    let marks = line.chars().take_while(|&c| c == sign).count();
    let rest = &line[start.len()..];
    // A cell: `# %% Title`, `%% Title`.
    let cell = rest.trim_start().strip_prefix("%%").or_else(|| (sign == '%' && marks == 2).then(|| &line[2..]));
    if let Some(title) = cell.map(str::trim).filter(|title| is_title(title)) {
        return Some(Section { level: 1, title, lines: 1 });
    }
    // A title with a rule behind it.
    let body = &line[marks.max(start.len())..];
    if !body.starts_with(|c: char| c.is_whitespace() || RULES.contains(&c)) {
        return None;
    }
    let body = body.trim();
    let rule = body.chars().next_back().filter(|c| RULES.contains(c))?;
    let length = body.chars().rev().take_while(|&c| c == rule).count();
    let title = bare(body);
    let level = if marks > 3 || sign == '/' || sign == '-' { 1 } else { marks };
    (length >= 3 && is_title(title)).then_some(Section { level, title, lines: 1 })
}

/// A title without the rules around it.
fn bare(text: &str) -> &str {
    text.trim().trim_matches(RULES).trim()
}

fn is_title(text: &str) -> bool {
    text.chars().any(char::is_alphabetic) && text.chars().count() <= 80 && !text.starts_with('@')
}

/// What whole-line comments of a language start with.
fn starts(kind: Script) -> &'static [&'static str] {
    match kind.comment() {
        "%" => &["%", "#"],
        "//" => &["//"],
        "--" => &["--"],
        _ => &["#"],
    }
}

/// A line that is nothing but a rule in a comment.
fn is_rule(line: &str, kind: Script) -> bool {
    let line = line.trim_end();
    let Some(start) = starts(kind).iter().find(|start| line.starts_with(**start)) else { return false };
    let rest = line[start.len()..].trim();
    let mut signs = rest.chars();
    rest.len() >= 9 && signs.next().is_some_and(|first| RULES.contains(&first) && signs.all(|c| c == first))
}

/// The text of a whole-line comment; nothing for another line, and for comments that are for programs.
fn comment_text(line: &str, kind: Script) -> Option<&str> {
    let start = starts(kind).iter().find(|start| line.starts_with(**start))?;
    let rest = &line[start.len()..];
    let is_for_programs = rest.starts_with('!') || rest.contains("-*-") || rest.trim_start().starts_with("vim:");
    match rest.strip_prefix(' ') {
        _ if is_for_programs => None,
        Some(text) => Some(text),
        None => rest.is_empty().then_some(""),
    }
}

/// How many lines a block of comments has that begins at a line and stands between blank lines.
fn comment_block(lines: &[&str], at: usize, kind: Script, marks: Marks) -> usize {
    let opens = at == 0 || lines[at - 1].trim().is_empty() || (at == 1 && lines[0].starts_with("#!"));
    let opens = opens || (marks.headings && at > 0 && is_rule(lines[at - 1], kind));
    if !opens {
        return 0;
    }
    let is_comment = |line: &&&str| comment_text(line, kind).is_some() && !is_rule(line, kind);
    let count = lines[at..].iter().take_while(is_comment).count();
    let closes = lines.get(at + count).is_none_or(|line| line.trim().is_empty());
    let says = lines[at..at + count].iter().any(|line| comment_text(line, kind).is_some_and(|text| !text.is_empty()));
    if closes && says { count } else { 0 }
}

/// For each line, whether it stands in a text over several lines, in which a comment is none: Python's, and the documents
/// that shells are given in place.
fn inside_texts(lines: &[&str], kind: Script) -> Vec<bool> {
    let mut inside = Vec::with_capacity(lines.len());
    let mut open: Option<String> = None;
    for line in lines {
        inside.push(open.is_some());
        match &open {
            Some(end) if kind.language == "python" && line.matches(end.as_str()).count() % 2 == 1 => open = None,
            Some(end) if kind.language != "python" && line.trim() == end => open = None,
            Some(_) => {}
            None if kind.language == "python" => {
                let quote = ["\"\"\"", "'''"].into_iter().find(|quote| line.matches(quote).count() % 2 == 1);
                open = quote.filter(|_| !line.starts_with('#')).map(String::from);
            }
            None if matches!(kind.language, "sh" | "bash") => {
                let word = line.split_once("<<").map(|(_, rest)| rest.trim_start_matches('-').trim_start());
                let word = word.filter(|rest| !rest.starts_with('<')).and_then(|rest| rest.split_whitespace().next());
                let word = word.map(|word| word.trim_matches(['\'', '"', '\\', ';', ')']).to_string());
                open = word.filter(|word| word.starts_with(|c: char| c.is_alphabetic() || c == '_'));
            }
            None => {}
        }
    }
    inside
}

#[cfg(test)]
mod tests {
    use super::*;

    fn marked(name: &str, script: &str, marks: Marks) -> String {
        with_marks(script, Script::of_path(name).unwrap(), marks).0
    }

    const HEADINGS: Marks = Marks { headings: true, comments: false };
    const COMMENTS: Marks = Marks { headings: false, comments: true };

    #[test]
    fn comments_that_part_a_script_become_headings() {
        for (name, script, expected) in [
            ("a.R", "# Load data ----\nx <- 1\n", "#~ # Load data\nx <- 1\n"),
            ("a.R", "## Deeper ====\n", "#~ ## Deeper\n"),
            ("a.R", "#### Section ####\n", "#~ # Section\n"),
            ("a.py", "# %% Load\n", "#~ # Load\n"),
            ("a.py", "#%% Load\n", "#~ # Load\n"),
            ("a.py", "# ---- Load ----\n", "#~ # Load\n"),
            ("a.py", "##########\n# Load   #\n##########\nx\n", "#~ # Load\nx\n"),
            ("a.sh", "# ------------\n# Load\n# ------------\n", "#~ # Load\n"),
            ("a.m", "%% Load\n", "%~ # Load\n"),
            ("a.m", "% Load -----\n", "%~ # Load\n"),
            ("a.js", "// ---- Load ----\n", "//~ # Load\n"),
            ("a.lua", "-- Load ----\n", "--~ # Load\n"),
        ] {
            assert_eq!(marked(name, script, HEADINGS), expected, "{script}");
        }
        for (name, script) in [
            ("a.py", "# Load\n"),
            ("a.py", "# ----------\n"),
            ("a.py", "x = 1  # Load ----\n"),
            ("a.py", "s = '''\n# Load ----\n'''\n"),
            ("a.sh", "cat <<END\n# Load ----\nEND\n"),
            ("a.py", "# 2 - 3 ----\n"),
            ("a.R", "#' Title ----\n"),
        ] {
            assert_eq!(marked(name, script, HEADINGS), script, "{script}");
        }
    }

    #[test]
    fn comments_between_blank_lines_become_prose() {
        let script =
            "#!/bin/sh\n# What it does,\n#\n# and why.\n\nls  # all\n\n# for the next line\nls -l\n\n# the end";
        let expected =
            "#!/bin/sh\n#~ What it does,\n#~\n#~ and why.\n\nls  # all\n\n# for the next line\nls -l\n\n#~ the end";
        assert_eq!(marked("a.sh", script, COMMENTS), expected);
        for script in ["# -*- coding: utf-8 -*-\n\nx\n", "#' roxygen\n\nx\n", "# ==========\n\nx\n"] {
            assert_eq!(marked("a.py", script, COMMENTS), script);
        }
    }
}
