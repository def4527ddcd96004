//! Containers: `::: kind "Title" #id` … `:::`.
//!
//! CommonMark knows no such lines. Before parsing, each is replaced by an empty heading of the same length in
//! bytes, which Markdown places exactly where the line stands (in a list, in a quote) and which ends a
//! paragraph as a container line should; afterwards the headings on those lines are taken for what they are.
//! In code the lines are put back.

use crate::diagnostic::Diagnostic;
use crate::lines::lines_with_ends;
use crate::name::{Name, nearest};
use crate::options::Format;
use crate::span::Span;
use crate::tree::{ContainerKind, NoticeKind};
use memchr::memmem;
use std::borrow::Cow;
use std::collections::BTreeMap;

/// A line of colons.
#[derive(Debug, Clone)]
pub(crate) struct Line {
    /// How many colons.
    pub colons: usize,
    /// What comes after them, trimmed; empty on a closing line.
    pub rest: String,
    /// From the first colon to the end of the line.
    pub span: Span,
    /// The text of that span.
    pub text: String,
}

/// Replaces container lines in `text`, which starts at `offset`; the lines are found by their 1-based number.
pub(crate) fn replace(text: &str, offset: usize) -> (Cow<'_, str>, BTreeMap<usize, Line>) {
    let mut lines = BTreeMap::new();
    if memmem::find(text.as_bytes(), b":::").is_none() {
        return (Cow::Borrowed(text), lines);
    }
    let mut replaced = String::with_capacity(text.len());
    let mut start = offset;
    for (number, line) in lines_with_ends(text).enumerate() {
        let body = line.trim_end_matches(['\n', '\r']);
        let (indent, begins_item) = indent_of(body);
        let colons = body[indent..].bytes().take_while(|&b| b == b':').count();
        let rest = body[indent + colons..].trim();
        let opens = rest.starts_with(|c: char| c.is_ascii_alphabetic());
        let closes = rest.is_empty() && !begins_item;
        if colons >= 3 && (closes || opens && body[indent + colons..].starts_with(' ')) {
            replaced.push_str(&body[..indent]);
            replaced.push_str("###");
            replaced.extend(std::iter::repeat_n(' ', body.len() - indent - 3));
            replaced.push_str(&line[body.len()..]);
            let span = Span::new(start + indent, start + body.len());
            lines.insert(number + 1, Line { colons, rest: rest.into(), span, text: body[indent..].into() });
        } else {
            replaced.push_str(line);
        }
        start += line.len();
    }
    (Cow::Owned(replaced), lines)
}

/// How many bytes of a line are indentation and marks of quotes and of list entries, and whether an entry begins among them.
fn indent_of(line: &str) -> (usize, bool) {
    let (mut indent, mut begins_item) = (0, false);
    loop {
        indent = line.len() - line[indent..].trim_start_matches([' ', '\t', '>']).len();
        let rest = &line[indent..];
        let digits = rest.bytes().take_while(u8::is_ascii_digit).count();
        let marks: &[char] = if digits > 0 { &['.', ')'] } else { &['-', '*', '+'] };
        if !(rest[digits..].starts_with(marks) && rest[digits + 1..].starts_with([' ', '\t'])) {
            return (indent, begins_item);
        }
        (indent, begins_item) = (indent + digits + 1, true);
    }
}

/// Puts container lines back into code whose first line is line `first` of the text.
pub(crate) fn restore(code: String, first: usize, lines: &BTreeMap<usize, Line>) -> String {
    if lines.is_empty() || !code.contains("###") {
        return code;
    }
    let restored = |(at, line): (usize, &str)| {
        let body = line.trim_end_matches(['\n', '\r']);
        let found = lines.get(&(first + at)).map(|found| found.text.as_str());
        let kept = |found: &str| body.get(..body.len().checked_sub(found.len())?);
        match found.and_then(|found| Some((kept(found)?, found))) {
            Some((kept, found)) => format!("{kept}{found}{}", &line[body.len()..]),
            None => line.to_string(),
        }
    };
    lines_with_ends(&code).enumerate().map(restored).collect()
}

/// What an opening line says.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Opening {
    pub kind: ContainerKind,
    pub title: String,
    pub id: Option<Name>,
    pub formats: Vec<String>,
    pub widths: Vec<u32>,
}

const KINDS: [(&str, ContainerKind); 16] = [
    ("tabs", ContainerKind::Tabs),
    ("note", ContainerKind::Notice(NoticeKind::Note)),
    ("tip", ContainerKind::Notice(NoticeKind::Tip)),
    ("important", ContainerKind::Notice(NoticeKind::Important)),
    ("caution", ContainerKind::Notice(NoticeKind::Caution)),
    ("danger", ContainerKind::Notice(NoticeKind::Danger)),
    ("columns", ContainerKind::Columns),
    ("for", ContainerKind::For),
    ("not-for", ContainerKind::NotFor),
    ("figure", ContainerKind::Figure),
    ("table", ContainerKind::Table),
    ("fold", ContainerKind::Fold),
    ("references", ContainerKind::References),
    ("speaker", ContainerKind::Speaker),
    ("terms", ContainerKind::Terms),
    ("steps", ContainerKind::Steps),
];

/// What containers were called before, and what they are called.
const FORMER: [(&str, &str); 2] = [("only", "for"), ("except", "not-for")];

/// Reads an opening line.
///
/// # Errors
/// What is wrong with it, at its place.
pub(crate) fn open(line: &Line) -> Result<Opening, Box<Diagnostic>> {
    read_opening(line).map_err(Box::new)
}

#[allow(clippy::result_large_err, reason = "boxed once, where it leaves")]
fn read_opening(line: &Line) -> Result<Opening, Diagnostic> {
    let (word, mut rest) = line.rest.split_once(char::is_whitespace).unwrap_or((&line.rest, ""));
    let Some((_, kind)) = KINDS.iter().find(|(name, _)| *name == word) else {
        let names = KINDS.iter().map(|(name, _)| *name);
        let help = match FORMER.iter().find(|(former, _)| *former == word) {
            Some((_, now)) => format!("it is called `{now}`: write `::: {now} {}`", rest.trim()),
            None => match nearest(word, names.clone()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("the containers are {}", names.collect::<Vec<_>>().join(", ")),
            },
        };
        return Err(Diagnostic::error(line.span, format!("there is no container `{word}`")).help(help));
    };
    let mut opening = Opening { kind: *kind, title: String::new(), id: None, formats: Vec::new(), widths: Vec::new() };
    rest = rest.trim();
    while !rest.is_empty() {
        if let Some(after) = rest.strip_prefix('"') {
            let Some(end) = after.find('"') else {
                return Err(
                    Diagnostic::error(line.span, "the quoted title is never closed").help("put a `\"` after it")
                );
            };
            opening.title = after[..end].into();
            rest = after[end + 1..].trim_start();
            continue;
        }
        let (word, after) = rest.split_once(char::is_whitespace).unwrap_or((rest, ""));
        match word.strip_prefix('#') {
            Some(id) => match Name::new(id) {
                Some(name) => opening.id = Some(name),
                None => {
                    return Err(Diagnostic::error(line.span, format!("`{id}` is not a name"))
                        .help("a name starts with a letter and has letters, digits, `-` and `_`"));
                }
            },
            None if matches!(kind, ContainerKind::For | ContainerKind::NotFor) => {
                opening.formats.extend(word.split(',').filter(|f| !f.is_empty()).map(String::from));
            }
            None if matches!(kind, ContainerKind::Columns | ContainerKind::Figure) && widths(word).is_some() => {
                opening.widths = widths(word).unwrap_or_default();
            }
            None => {
                let help = match kind {
                    ContainerKind::Columns => "after it may come how wide the columns are: `::: columns 2:1`",
                    ContainerKind::Figure => {
                        "after it come how its pictures stand beside one another, a caption in quotes and a #name: \
                         `::: figure 1:1 \"Two plots\" #plots`"
                    }
                    _ => "after the kind come a \"title\" in quotes and a #name",
                };
                return Err(Diagnostic::error(line.span, format!("`{word}` can't be read here")).help(help));
            }
        }
        rest = after.trim_start();
    }
    check_formats(&opening, line)?;
    Ok(opening)
}

/// `2:1` as the widths of columns.
fn widths(word: &str) -> Option<Vec<u32>> {
    let widths: Vec<u32> = word.split(':').map(|width| width.parse().ok()).collect::<Option<_>>()?;
    (widths.len() > 1 && widths.iter().all(|width| (1..=12).contains(width))).then_some(widths)
}

#[allow(clippy::result_large_err, reason = "boxed once, where it leaves")]
fn check_formats(opening: &Opening, line: &Line) -> Result<(), Diagnostic> {
    if matches!(opening.kind, ContainerKind::For | ContainerKind::NotFor) && opening.formats.is_empty() {
        let finding = Diagnostic::error(line.span, "no format is named");
        return Err(finding.help(format!("write for example `{} {} html`", ":".repeat(line.colons), line.rest)));
    }
    let all: Vec<&str> = Format::ALL.iter().map(|format| format.word()).collect();
    match opening.formats.iter().find(|word| !all.contains(&word.as_str())) {
        None => Ok(()),
        Some(word) => {
            let help = match nearest(word, all.iter().copied()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("the formats are {}", all.join(", ")),
            };
            Err(Diagnostic::error(line.span, format!("there is no format `{word}`")).help(help))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_replaced_to_the_byte_and_put_back() {
        let text = "a\n> ::: note \"T\"\n:::\n```\n::: x\n```\n";
        let (replaced, lines) = replace(text, 0);
        assert_eq!(replaced.len(), text.len());
        assert_eq!(lines.keys().copied().collect::<Vec<_>>(), [2, 3, 5]);
        assert_eq!(restore("###  \n".into(), 5, &lines), "::: x\n");
    }

    #[test]
    fn a_container_may_be_the_first_of_an_entry_of_a_list() {
        let text = "- ::: note\n12) > * ::: tip\n- :::\n1 ::: note\n-::: note\n-\n";
        let (replaced, lines) = replace(text, 0);
        assert_eq!(replaced.len(), text.len());
        assert_eq!(lines.keys().copied().collect::<Vec<_>>(), [1, 2], "{replaced}");
        assert!(replaced.starts_with("- ###     \n12) > * ###    \n"), "{replaced}");
    }

    #[test]
    fn opening_lines_are_read() {
        let line = |rest: &str| Line { colons: 3, rest: rest.into(), span: Span::NOWHERE, text: String::new() };
        let opening = open(&line("figure \"Two probes\" #pair")).unwrap();
        assert_eq!((opening.kind, opening.title.as_str()), (ContainerKind::Figure, "Two probes"));
        assert_eq!(opening.id, Name::new("pair"));
        assert_eq!(open(&line("for html,pdf")).unwrap().formats, ["html", "pdf"]);
        assert_eq!(open(&line("tipp")).unwrap_err().help.as_deref(), Some("did you mean `tip`?"));
        assert!(open(&line("for")).is_err());
        assert_eq!(open(&line("columns 2:1")).unwrap().widths, [2, 1]);
        assert!(open(&line("columns wide")).is_err() && open(&line("columns 0:1")).is_err());
        assert!(open(&line("note \"x")).is_err());
    }
}
