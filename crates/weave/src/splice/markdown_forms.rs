//! The forms of Markdown that results take in the author's text.

use std::fmt::Write as _;
use vineloom_document::NoticeKind;
use vineloom_table::Table;
use vineloom_woven as woven;
use vineloom_woven::{Cut, Float, InlineKind, escaped};

/// A place that links lead to.
pub(super) fn anchor(id: &str) -> String {
    format!("<a id=\"{id}\"></a>")
}

pub(super) fn plain(inlines: &[woven::Inline]) -> String {
    woven::plain_text(inlines)
}

/// Running text as Markdown, in one line.
pub(super) fn in_markdown(inlines: &[woven::Inline]) -> String {
    let mut text = String::new();
    for inline in inlines {
        let inner = || in_markdown(inline.children());
        match &inline.kind {
            InlineKind::Text(words) => text += &escaped(words),
            InlineKind::Code(code) => text += &spanned(code),
            InlineKind::Math { latex, .. } => text += &format!("${}$", in_formula(latex)),
            InlineKind::Emphasis(_) => text += &format!("*{}*", inner()),
            InlineKind::Strong(_) => text += &format!("**{}**", inner()),
            InlineKind::Strike(_) => text += &format!("~~{}~~", inner()),
            InlineKind::Styled { style, .. } => text += &format!("<{0}>{1}</{0}>", style.element(), inner()),
            InlineKind::Link(link) => text += &format!("[{}]({})", inner(), in_target(&link.target)),
            InlineKind::Reference(to) => text += &format!("[{}](#{})", inner(), to.id),
            InlineKind::Citation(citation) => text += &format!("[{}](#{})", inner(), citation.work),
            InlineKind::SectionReference(to) => text += &format!("[“{}”](#{})", inner(), to.id),
            InlineKind::Image(image) => text += &escaped(&image.alt),
            InlineKind::RemoteImage(_) => text += &inner(),
            InlineKind::SoftBreak | InlineKind::LineBreak => text.push(' '),
            InlineKind::Html(html) => text += html,
            InlineKind::Note(_) => {}
        }
    }
    text
}

/// A code span that nothing in the code ends.
pub(super) fn spanned(code: &str) -> String {
    let runs = code.split(|c| c != '`').map(str::len);
    let fence = "`".repeat(runs.max().unwrap_or(0) + 1);
    format!("{fence} {code} {fence}")
}

/// A value in a formula: nothing in it begins a tag for a reader of Markdown that knows no formulas, and nothing ends
/// the formula.
pub(super) fn in_formula(value: &str) -> String {
    value.replace('\n', " ").replace('$', "\\$").replace('<', "< ").replace('`', "'")
}

/// A value in the target of a link: one word, and no address that would run something.
pub(super) fn in_target(value: &str) -> String {
    let word = encoded(value);
    let scheme = value.chars().filter(|c| !c.is_whitespace() && !c.is_control()).collect::<String>().to_lowercase();
    let runs = ["javascript:", "vbscript:", "data:"].iter().any(|scheme_| scheme.starts_with(scheme_));
    if runs { format!("#{}", word.replace(':', "%3A")) } else { word }
}

/// An address with what would end it percent-encoded.
pub(super) fn encoded(target: &str) -> String {
    let mut encoded = String::with_capacity(target.len());
    for c in target.chars() {
        match c {
            ' ' | '(' | ')' | '<' | '>' | '"' | '\'' | '\\' | '`' | '[' | ']' => {
                let _ = write!(encoded, "%{:02X}", u32::from(c));
            }
            c if c.is_control() => {}
            c => encoded.push(c),
        }
    }
    encoded
}

/// A fenced block that no line of the text closes.
pub(super) fn fenced(language: &str, text: &str) -> String {
    let longest =
        text.lines().map(|line| line.trim_start().bytes().take_while(|&b| b == b'`').count()).max().unwrap_or(0);
    let fence = "`".repeat(longest.max(2) + 1);
    format!("{fence}{language}\n{text}\n{fence}\n")
}

/// A notice as a quote with a kind.
pub(super) fn notice(kind: NoticeKind, title: &str, body: &str) -> String {
    let word = match kind {
        NoticeKind::Note => "NOTE",
        NoticeKind::Tip => "TIP",
        NoticeKind::Important => "IMPORTANT",
        NoticeKind::Caution => "WARNING",
        NoticeKind::Danger => "CAUTION",
    };
    let title = if title.is_empty() { String::new() } else { format!("**{}**\n\n", escaped(title)) };
    let quoted = |line: &str| if line.is_empty() { ">".to_string() } else { format!("> {line}") };
    let lines: Vec<String> = format!("{title}{body}").lines().map(quoted).collect();
    format!("> [!{word}]\n{}", lines.join("\n"))
}

/// Text between tags.
pub(super) fn tag_text(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

/// The lines of a text without what stands before each in a list or a quote, so many bytes of spaces and marks of quotes.
pub(super) fn without_prefix(text: &str, column: usize) -> String {
    if column == 0 {
        return text.to_string();
    }
    let line = |line: &str| {
        let prefix = line.bytes().take(column).take_while(|byte| matches!(byte, b' ' | b'>' | b'\t')).count();
        line[prefix..].to_string()
    };
    text.lines().map(line).collect::<Vec<_>>().join("\n")
}

/// A text with its caption, above it or below it.
pub(super) fn captioned(text: &str, float: Option<&Float>) -> String {
    let text = text.trim_matches('\n');
    match float {
        None => format!("{text}\n"),
        Some(float) if float.is_above() => format!("{}\n\n{text}\n", caption_text(float)),
        Some(float) => format!("{text}\n\n{}\n", caption_text(float)),
    }
}

fn caption_text(float: &Float) -> String {
    // Words that are stressed in it stand out of a text that is stressed.
    let stressed = |inline: &woven::Inline| matches!(inline.kind, InlineKind::Emphasis(_) | InlineKind::Strong(_));
    let caption = match float.caption.iter().any(stressed) {
        true => escaped(&plain(&float.caption)),
        false => in_markdown(&float.caption),
    };
    format!("*{} {}. {caption}*", float.word, float.number)
}

pub(super) fn table_text(table: &Table, cut: Option<&Cut>) -> String {
    let row = |cells: Vec<String>| format!("| {} |\n", cells.join(" | "));
    let mut text = row(table.columns.iter().map(|column| escaped(&column.name)).collect());
    let align = |at: usize| if table.is_right(at) { "--:" } else { "---" };
    text.push_str(&row((0..table.columns.len()).map(|at| align(at).into()).collect()));
    let left_out = |at: usize| {
        let words = cut.filter(|cut| cut.after == at).map(|cut| format!("*{}*", cut.words.clone()))?;
        Some(row((0..table.columns.len())
            .map(|column| if column == 0 { words.clone() } else { String::new() })
            .collect()))
    };
    for (at, cells) in table.rows.iter().enumerate() {
        text.extend(left_out(at));
        text.push_str(&row(cells.iter().map(|cell| escaped(cell.as_deref().unwrap_or(""))).collect()));
    }
    text.extend(left_out(table.rows.len()));
    text
}

/// Lines after the first stand as far in as the first does: in a list, in a quote.
pub(super) fn indented(text: &str, line: &str, column: usize) -> String {
    let before = line.get(..column).unwrap_or("");
    if before.is_empty() || !text.contains('\n') {
        return text.to_string();
    }
    let prefix: String = before.chars().map(|c| if c == '>' || c == '\t' { c } else { ' ' }).collect();
    let mut lines = text.split('\n');
    let mut indented = lines.next().unwrap_or("").to_string();
    for line in lines {
        indented.push('\n');
        if !line.is_empty() || prefix.contains('>') {
            indented.push_str(&prefix);
        }
        indented.push_str(line);
    }
    indented
}

/// A work of the list of works, with the place that citations lead to.
pub(super) fn work_line(work: &woven::Work) -> String {
    let label = if work.label.is_empty() { String::new() } else { in_markdown(&work.label) + " " };
    format!("- {}{label}{}\n", anchor(work.id.as_str()), in_markdown(&work.content))
}
