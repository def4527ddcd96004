//! Scripts as documents: comment lines that begin with the comment mark and a tilde are prose, runs of code
//! between them are live blocks.
//!
//! ```
//! use vineloom_document::{Script, to_document, to_script};
//!
//! let python = Script::of_path("tide.py").unwrap();
//! let document = to_document("#~ # Tides\n#~ @level\nprint(3)\n", python);
//! assert_eq!(document.text, "# Tides\n```python @level\nprint(3)\n```\n");
//! assert_eq!(to_script(&document.text, python), "#~ # Tides\n#~ @level\nprint(3)\n");
//! ```

/// A language whose scripts can be documents.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Script {
    /// The language.
    pub language: &'static str,
    /// The file extension.
    pub extension: &'static str,
    /// What starts a line of prose.
    pub mark: &'static str,
}

const SCRIPTS: [Script; 8] = [
    Script { language: "python", extension: "py", mark: "#~" },
    Script { language: "r", extension: "R", mark: "#~" },
    Script { language: "sh", extension: "sh", mark: "#~" },
    Script { language: "bash", extension: "bash", mark: "#~" },
    Script { language: "javascript", extension: "js", mark: "//~" },
    Script { language: "octave", extension: "m", mark: "%~" },
    Script { language: "ruby", extension: "rb", mark: "#~" },
    Script { language: "lua", extension: "lua", mark: "--~" },
];

impl Script {
    /// The kind of script a path names, by its extension.
    pub fn of_path(path: &str) -> Option<Self> {
        let (_, extension) = path.rsplit_once('.')?;
        SCRIPTS.into_iter().find(|script| script.extension.eq_ignore_ascii_case(extension))
    }

    /// The kind of script of a language.
    pub fn of_language(language: &str) -> Option<Self> {
        SCRIPTS.into_iter().find(|script| script.language == language)
    }

    /// The extensions there are.
    pub fn extensions() -> impl Iterator<Item = &'static str> {
        SCRIPTS.into_iter().map(|script| script.extension)
    }

    /// The prose of a line; nothing when it is code.
    fn prose<'l>(&self, line: &'l str) -> Option<&'l str> {
        let rest = line.strip_prefix(self.mark)?;
        Some(rest.strip_prefix(' ').unwrap_or(rest))
    }
}

/// A script in the form of a document, and which line of the script each of its lines comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ScriptDocument {
    /// The document.
    pub text: String,
    /// For each line of it, the 1-based line of the script.
    pub lines: Vec<usize>,
}

/// Reads a script as a document.
///
/// Blank lines around a run of code are no part of it. A prose line `@name key=value` directly above code names
/// the block and sets its options; code without one is a live block without a name.
pub fn to_document(script: &str, kind: Script) -> ScriptDocument {
    let lines: Vec<&str> = script.lines().collect();
    let mut document = ScriptDocument { text: String::new(), lines: Vec::new() };
    let mut push = |line: &str, number: usize| {
        document.text.push_str(line);
        document.text.push('\n');
        document.lines.push(number);
    };
    let mut at = 0;
    // A line that names an interpreter is for the system.
    if lines.first().is_some_and(|line| line.starts_with("#!")) {
        at = 1;
    }
    while at < lines.len() {
        if let Some(prose) = kind.prose(lines[at]) {
            let opens = prose.starts_with('@')
                && lines.get(at + 1).is_some_and(|next| kind.prose(next).is_none() && !next.trim().is_empty());
            if !opens {
                push(prose, at + 1);
                at += 1;
                continue;
            }
            push(&format!("{}{} {}", fence_for(&lines[at + 1..], kind), kind.language, prose), at + 1);
            at += 1;
            at = code(&lines, at, kind, &mut push);
            continue;
        }
        if lines[at].trim().is_empty() {
            at += 1;
            continue;
        }
        push("", at + 1);
        push(&format!("{}{} @", fence_for(&lines[at..], kind), kind.language), at + 1);
        at = code(&lines, at, kind, &mut push);
        if at < lines.len() {
            push("", at);
        }
    }
    document
}

/// Takes a run of code and its closing fence; returns the line after it.
fn code(lines: &[&str], from: usize, kind: Script, push: &mut impl FnMut(&str, usize)) -> usize {
    let end = (from..lines.len()).find(|&at| kind.prose(lines[at]).is_some()).unwrap_or(lines.len());
    let last = (from..end).rev().find(|&at| !lines[at].trim().is_empty()).unwrap_or(from);
    for (line, number) in lines[from..=last].iter().zip(from + 1..) {
        push(line, number);
    }
    push(&fence_for(&lines[from..], kind), last + 1);
    end
}

/// A fence that no line of the code closes.
fn fence_for(lines: &[&str], kind: Script) -> String {
    let code = lines.iter().take_while(|line| kind.prose(line).is_none());
    let ticks = code
        .map(|line| line.trim_start())
        .filter(|line| line.starts_with("```"))
        .map(|line| line.bytes().take_while(|&b| b == b'`').count());
    "`".repeat(ticks.max().map_or(3, |longest| longest + 1))
}

/// Writes a document as a script of a language. Live blocks of that language that stand by themselves become
/// code; all else, other live blocks too, becomes prose.
pub fn to_script(document: &str, kind: Script) -> String {
    let lines: Vec<&str> = document.lines().collect();
    let mut script = String::new();
    let mut at = 0;
    let mut other_fence: Option<(char, usize)> = None;
    while at < lines.len() {
        if other_fence.is_none()
            && let Some(block) = canonical_block(&lines, at, kind)
        {
            script.push_str(&format!("{} {}\n", kind.mark, block.words));
            for line in &lines[at + 1..block.end] {
                script.push_str(line);
                script.push('\n');
            }
            at = block.end + 1;
            continue;
        }
        let line = lines[at];
        other_fence = after_line(other_fence, line);
        if line.is_empty() {
            script.push_str(&format!("{}\n", kind.mark));
        } else {
            script.push_str(&format!("{} {line}\n", kind.mark));
        }
        at += 1;
    }
    script
}

struct CanonicalBlock<'l> {
    /// The name and the options: what stands after the language.
    words: &'l str,
    /// The line of the closing fence.
    end: usize,
}

/// A live block of the language that a script can hold so that it comes back the same: three backticks at the
/// start of a line, some code, no blank lines around it, no line that would read as prose.
fn canonical_block<'l>(lines: &[&'l str], at: usize, kind: Script) -> Option<CanonicalBlock<'l>> {
    let words = lines[at].strip_prefix("```")?.strip_prefix(kind.language)?.strip_prefix(' ')?;
    if !words.starts_with('@') || words != words.trim_end() {
        return None;
    }
    let end = (at + 1..lines.len()).find(|&line| lines[line] == "```")?;
    let code = &lines[at + 1..end];
    let edges_hold_code = !code.first()?.trim().is_empty() && !code.last()?.trim().is_empty();
    let plain = code.iter().all(|line| kind.prose(line).is_none() && !line.trim_start().starts_with("```"));
    (edges_hold_code && plain).then_some(CanonicalBlock { words, end })
}

/// Follows fences that stay prose, so that what is inside them is not taken for a block.
fn after_line(open: Option<(char, usize)>, line: &str) -> Option<(char, usize)> {
    let body = line.trim_start();
    let mark = body.chars().next().filter(|c| matches!(c, '`' | '~'))?;
    let count = body.chars().take_while(|&c| c == mark).count();
    match open {
        Some((opened, length)) if mark == opened && count >= length && body[count..].trim().is_empty() => None,
        Some(open) => Some(open),
        None if count >= 3 && !(mark == '`' && body[count..].contains('`')) => Some((mark, count)),
        None => None,
    }
    .or(if count >= 3 { None } else { open })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn python() -> Script {
        Script::of_path("x.py").unwrap()
    }

    #[test]
    fn a_script_by_hand_reads_as_one_would_think() {
        let script = "#!/usr/bin/env python3\n#~ # Tides\n#~\n#~ Some prose.\n\nimport math\n\n\n#~ @level fold=open\nprint(1)\n\n#~ The end.\n";
        let document = to_document(script, python());
        assert_eq!(
            document.text,
            "# Tides\n\nSome prose.\n\n```python @\nimport math\n```\n\n```python @level fold=open\nprint(1)\n```\nThe end.\n"
        );
        assert_eq!(document.lines.len(), document.text.lines().count());
        assert_eq!(document.lines[5], 6, "the line of `import math`");
    }

    #[test]
    fn what_is_not_plain_stays_prose_and_comes_back() {
        for document in [
            "```python @a\n```\n",
            "```python @a\n\nx\n```\n",
            "~~~python @a\nx\n~~~\n",
            "```python @a\n#~ x\n```\n",
            "````\n```python @a\nx\n```\n````\n",
            "```sh @s\nls\n```\n",
            "@name\n",
        ] {
            assert_eq!(to_document(&to_script(document, python()), python()).text, document);
        }
    }
}
