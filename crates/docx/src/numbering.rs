//! Lists: the numbers of headings, bullets, numbered lists that each begin anew, and the numbers of lines of code, which no
//! one copies with the code.

use crate::namespaces::NAMESPACES;
use std::fmt::Write as _;
use vineloom_office::HEAD;

/// How deep lists go.
const LEVELS: usize = 9;
/// What a level is set in, in twentieths of a point.
pub(crate) const STEP: i64 = 360;

/// The lists of a document. Each has a number, by which paragraphs say that they are of it.
#[derive(Debug, Clone)]
pub(crate) struct Lists {
    /// The lists behind the first two: what each is, and where it begins.
    begun: Vec<(Kind, usize)>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    Numbered,
    Lines,
}

/// The list of headings.
pub(crate) const HEADINGS: usize = 1;
/// The list of bullets.
pub(crate) const BULLETS: usize = 2;

impl Lists {
    pub fn new() -> Self {
        Lists { begun: Vec::new() }
    }

    /// A numbered list that begins with a number.
    pub fn numbered(&mut self, start: usize) -> usize {
        self.begun.push((Kind::Numbered, start));
        self.begun.len() + BULLETS
    }

    /// The numbers of lines, from the first on.
    pub fn lines(&mut self, first: usize) -> usize {
        self.begun.push((Kind::Lines, first));
        self.begun.len() + BULLETS
    }

    /// The part that holds them. The numbers of headings begin with those of level `top`.
    pub fn xml(&self, top: u8) -> String {
        let mut out = format!("{HEAD}<w:numbering {NAMESPACES}>");
        let headings = |level: usize| {
            let words: String = (1..=level + 1).map(|at| format!("%{at}")).collect::<Vec<_>>().join(".");
            let heading = level + usize::from(top.max(1));
            let style = if heading <= 6 { format!("<w:pStyle w:val=\"Heading{heading}\"/>") } else { String::new() };
            format!(
                "<w:start w:val=\"1\"/><w:numFmt w:val=\"decimal\"/>{style}<w:suff w:val=\"space\"/><w:lvlText w:val=\"{words}\"/><w:lvlJc w:val=\"left\"/><w:pPr><w:ind w:left=\"0\" w:firstLine=\"0\"/></w:pPr>"
            )
        };
        let bullets = |level: usize| {
            let sign = ["•", "–", "▪"][level % 3];
            format!(
                "<w:start w:val=\"1\"/><w:numFmt w:val=\"bullet\"/><w:lvlText w:val=\"{sign}\"/><w:lvlJc w:val=\"left\"/>{}",
                indent(level)
            )
        };
        let numbers = |level: usize| {
            format!(
                "<w:start w:val=\"1\"/><w:numFmt w:val=\"decimal\"/><w:lvlText w:val=\"%{}.\"/><w:lvlJc w:val=\"left\"/>{}",
                level + 1,
                indent(level)
            )
        };
        let lines = |_: usize| {
            "<w:start w:val=\"1\"/><w:numFmt w:val=\"decimal\"/><w:lvlText w:val=\"%1\"/><w:lvlJc w:val=\"left\"/><w:pPr><w:ind w:left=\"500\" w:hanging=\"500\"/></w:pPr><w:rPr><w:color w:val=\"8A8074\"/></w:rPr>".to_string()
        };
        let kinds: [(&dyn Fn(usize) -> String, usize); 4] =
            [(&headings, LEVELS), (&bullets, LEVELS), (&numbers, LEVELS), (&lines, 1)];
        for (at, (kind, levels)) in kinds.iter().enumerate() {
            let multi = if *levels == 1 { "singleLevel" } else { "multilevel" };
            let _ = write!(out, "<w:abstractNum w:abstractNumId=\"{at}\"><w:multiLevelType w:val=\"{multi}\"/>");
            for level in 0..*levels {
                let _ = write!(out, "<w:lvl w:ilvl=\"{level}\">{}</w:lvl>", kind(level));
            }
            out.push_str("</w:abstractNum>");
        }
        for (number, of) in [(HEADINGS, 0), (BULLETS, 1)] {
            let _ = write!(out, "<w:num w:numId=\"{number}\"><w:abstractNumId w:val=\"{of}\"/></w:num>");
        }
        for (at, (kind, start)) in self.begun.iter().enumerate() {
            let (of, levels) = if *kind == Kind::Numbered { (2, LEVELS) } else { (3, 1) };
            let begun: String = (0..levels)
                .map(|level| {
                    format!("<w:lvlOverride w:ilvl=\"{level}\"><w:startOverride w:val=\"{start}\"/></w:lvlOverride>")
                })
                .collect();
            let _ =
                write!(out, "<w:num w:numId=\"{}\"><w:abstractNumId w:val=\"{of}\"/>{begun}</w:num>", at + 1 + BULLETS);
        }
        out + "</w:numbering>"
    }
}

fn indent(level: usize) -> String {
    let left = STEP * (level as i64 + 1);
    format!("<w:pPr><w:ind w:left=\"{left}\" w:hanging=\"{STEP}\"/></w:pPr>")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_numbered_list_begins_anew() {
        let mut lists = Lists::new();
        let (first, second) = (lists.numbered(1), lists.numbered(3));
        assert!(first != second && first > BULLETS);
        let xml = lists.xml(1);
        assert!(xml.contains(&format!("<w:num w:numId=\"{second}\"><w:abstractNumId w:val=\"2\"/><w:lvlOverride w:ilvl=\"0\"><w:startOverride w:val=\"3\"/>")), "{xml}");
        assert_eq!(xml.matches("<w:abstractNum ").count(), 4);
    }
}
