//! Scripts as documents: comment lines that begin with the comment mark and a tilde are prose, runs of code
//! between them are live blocks.
//!
//! ```
//! use vineloom_document::{Script, to_document, to_script};
//!
//! let python = Script::of_path("tide.py").unwrap();
//! let document = to_document("#~ # Tides\n#~ @level\nprint(3)\n", python);
//! assert_eq!(document.text, "# Tides\n```python @level\nprint(3)\n```\n");
//! assert_eq!(to_script(&document.text, python).text, "#~ # Tides\n#~ @level\nprint(3)\n");
//! ```
//!
//! Each way back gives the same text, line for line. What the two forms do not tell apart by themselves is told by things
//! that no reader sees:
//!
//! - A blank line beside a block of code is a blank line of the script, and any other is a line with the mark alone. One
//!   that is the other kind holds a space.
//! - Code without a name line is a block without a name. A name line `@` alone that is not needed to part it from the
//!   block before has a fence of tildes.
//! - The first line `#!…` is an HTML comment, behind the front matter where there is one.
//! - A line of two spaces parts HTML from the block behind it, and is no line of the script.

mod comments;
mod held;
mod lines;
mod to_document;
mod to_script;

pub use comments::{Marks, with_marks};
pub use held::document_of_script;
pub use to_document::{ScriptDocument, to_document};
pub use to_script::{DocumentScript, to_script};

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

    /// What starts a comment of its language.
    fn comment(&self) -> &'static str {
        self.mark.trim_end_matches('~')
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

/// A fence that no line of the code closes.
fn fence_for(code: &[&str], sign: char) -> String {
    let run = |line: &&str| line.trim_start().chars().take_while(|&c| c == sign).count();
    sign.to_string().repeat(code.iter().map(run).filter(|&run| run >= 3).max().map_or(3, |longest| longest + 1))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn python() -> Script {
        Script::of_path("x.py").unwrap()
    }

    fn back_and_forth(script: &str) {
        let document = to_document(script, python());
        assert_eq!(document.lines.len(), document.text.lines().count(), "{script:?}");
        assert_eq!(to_script(&document.text, python()).text, script, "{}", document.text);
    }

    #[test]
    fn a_script_by_hand_reads_as_one_would_think() {
        let script = "#!/usr/bin/env python3\n#~ # Tides\n#~\n#~ Some prose.\n\nimport math\n\n\n#~ @level fold=open\nprint(1)\n\n#~ The end.\n";
        let document = to_document(script, python());
        assert_eq!(
            document.text,
            "<!-- #!/usr/bin/env python3 -->\n# Tides\n\nSome prose.\n\n```python @\nimport math\n```\n\n\n```python @level fold=open\nprint(1)\n```\n\nThe end.\n"
        );
        assert_eq!(document.lines.len(), document.text.lines().count());
        assert_eq!(document.lines[6], 6, "the line of `import math`");
        back_and_forth(script);
    }

    #[test]
    fn every_script_comes_back() {
        for script in [
            "",
            "\n",
            "\n\nx\n\n",
            "x",
            "#~ a",
            "#~ a\n\n#~ b\n",
            "#~ a\n#~\nx\n#~\n#~ b\n",
            "#~ a\n\n\n#~\n\nx\n",
            "#~ @\nx\n",
            "#~ @\nx\n\n#~ @\ny\n#~ @b\nz\n",
            "#~ @name\n\nx\n",
            "#~ @name\n#~ more\nx\n",
            "#!/bin/sh\n#~ +++\n#~ title = \"T\"\n#~ +++\n\nx\n",
            "#!/bin/sh\n\nx\n",
            "#!/bin/sh",
            "s = r(\n```\n````\n)\n",
            "    \nx\n  \n",
            "a\r\n#~ b\r\n\r\nc\r\n",
            "a\r\nb\n#~ c\n",
            "#~ <div>\n#~ x\nprint(1)\n",
            "#~ <div>\n#~\n\nprint(1)\n",
            "#~ ```sh @s\n#~ ls\n#~ ```\nx\n",
        ] {
            back_and_forth(script);
        }
    }

    #[test]
    fn every_document_comes_back() {
        for document in [
            "```python @a\n```\n",
            "```python @a\n\nx\n```\n",
            "~~~python @a\nx\n~~~\n",
            "```python @a\n#~ x\n```\n",
            "````\n```python @a\nx\n```\n````\n",
            "```sh @s\nls\n```\n",
            "@name\n",
            "@name\n```python @\nx\n```\n",
            "```python @\nx\n```\n```python @\ny\n```\n\n\n```python @ fold=open\nz\n```\ntext",
            "```python @\n#!/bin/sh\n```\n",
            "a\n \n  \n   \n```python @\nx\n```",
            "<div>\n```python @a\nx\n```\n",
            "<!-- #!/bin/sh -->\n# Title\n",
            "text\n<!-- #!/bin/sh -->\n",
            "+++\ntitle = \"T\"\n+++\n<!-- #!/bin/sh -->\n\ntext\n",
            "- item\n\n  ```python @a\n  x\n  ```\n",
            "```python @a\nx\n````\n",
            "a\r\n\r\n```python @\r\nx\r\n```\r\n",
        ] {
            let script = to_script(document, python()).text;
            assert_eq!(to_document(&script, python()).text, document, "{script}");
        }
    }

    #[test]
    fn what_can_not_be_code_and_names_that_name_nothing_are_told() {
        let script = to_script("```python @a\n#~ x\n```\n\n```sh @b\nls\n```\n\n```python @c\nx\n```\n", python());
        assert_eq!(script.in_comments, [(1, "python".to_string()), (5, "sh".to_string())]);
        let document = to_document("#~ @level\n\nx = 1\n#~ @other\ny\n#~ @wren said so\n", python());
        assert_eq!(document.named_nothing, [1]);
    }
}
