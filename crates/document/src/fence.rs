//! The line that opens a fenced block: ` ```python @daily-mean fold=open `.

use crate::diagnostic::Diagnostic;
use crate::front_matter::unknown_option;
use crate::name::{Name, nearest};
use crate::options::{Effect, Origin, Place, Setting, Settings, entry, names};
use crate::span::Span;

/// What a fence line says.
#[derive(Debug, Clone, Default)]
pub struct Fence {
    /// The first word, lower-cased; empty when there is none.
    pub language: String,
    /// Whether the block is live: the word after the language starts with `@`.
    pub live: bool,
    /// The name after `@`.
    pub name: Option<(Name, Span)>,
    /// Its options.
    pub settings: Settings,
}

impl Fence {
    /// A listing in plain Markdown: the first word is the language, nothing else means anything.
    pub fn plain(info: &str) -> Self {
        Fence { language: info.split_whitespace().next().unwrap_or("").into(), ..Fence::default() }
    }
}

/// Reads the text after the fence characters, which starts at byte `offset` of the source.
pub fn read(info: &str, offset: usize, diagnostics: &mut Vec<Diagnostic>) -> Fence {
    let words = words(info, offset);
    let mut fence = Fence::default();
    let mut words = words.into_iter().peekable();
    if let Some(first) = words.next_if(|word| !word.text.starts_with('@') && !word.text.contains('=')) {
        fence.language = first.text.to_lowercase();
    }
    if let Some(at) = words.next_if(|word| word.text.starts_with('@')) {
        fence.live = true;
        if at.text.len() > 1 {
            match Name::new(&at.text[1..]) {
                Some(name) => fence.name = Some((name, at.span)),
                None => diagnostics.push(
                    Diagnostic::error(at.span, format!("`{}` is not a name", &at.text[1..]))
                        .help("a name starts with a letter and has letters, digits, `-` and `_`"),
                ),
            }
        }
        if fence.language.is_empty() {
            diagnostics.push(
                Diagnostic::error(at.span, "a live block needs a language before its name")
                    .help(format!("write for example ```` ```python {} ````", at.text)),
            );
        }
    }
    for word in words {
        option(&word, &mut fence, diagnostics);
    }
    fence
}

fn option(word: &Word, fence: &mut Fence, diagnostics: &mut Vec<Diagnostic>) {
    let Some(value) = &word.value else {
        // A plain listing may carry words that other programs read.
        if fence.live {
            let help = match nearest(&word.text, names(Place::Block)) {
                Some(near) => format!("options are written `{near}=value`"),
                None => "options are written `name=value`".into(),
            };
            diagnostics.push(Diagnostic::error(word.span, format!("`{}` has no value", word.text)).help(help));
        }
        return;
    };
    let name_span = Span::new(word.span.start, word.span.start + word.text.len());
    let Some(entry) = entry(&word.text, Place::Block) else {
        let mut finding = unknown_option(&word.text, Place::Block, name_span);
        if !fence.live {
            finding.severity = crate::diagnostic::Severity::Warning;
        }
        diagnostics.push(finding);
        return;
    };
    if !fence.live && entry.effect != Effect::Looks && entry.name != "from" {
        diagnostics.push(
            Diagnostic::warning(name_span, format!("`{}` has no effect on a listing, which never runs", entry.name))
                .help("put `@` or `@name` after the language to make the block live"),
        );
        return;
    }
    if value.unclosed {
        diagnostics.push(
            Diagnostic::error(value.span, "the quoted value is never closed")
                .help(format!("put a `\"` after it: `{}=\"…\"`", entry.name)),
        );
        return;
    }
    match entry.kind.read(&value.text) {
        Ok(read) => {
            if let Some(before) = fence.settings.get(entry.name) {
                diagnostics.push(
                    Diagnostic::error(word.span, format!("`{}` is set twice on one block", entry.name))
                        .related(before.span, "set here first"),
                );
            }
            fence.settings.set(entry.name, Setting { value: read, span: word.span, origin: Origin::Fence });
        }
        Err(bad) => diagnostics.push(
            Diagnostic::error(value.span, format!("`{}` can't be set to `{}`", entry.name, value.text))
                .help(format!("`{}` takes {}", entry.name, bad.allowed)),
        ),
    }
}

#[derive(Debug)]
struct Word {
    /// The word, or the part before `=`.
    text: String,
    span: Span,
    value: Option<WordValue>,
}

#[derive(Debug)]
struct WordValue {
    text: String,
    span: Span,
    unclosed: bool,
}

/// Splits an info string at white space; `key="a b"` is one word, and `\"` inside quotes is a quote.
fn words(info: &str, offset: usize) -> Vec<Word> {
    let bytes = info.as_bytes();
    let mut found = Vec::new();
    let mut at = 0;
    while at < bytes.len() {
        if bytes[at].is_ascii_whitespace() {
            at += 1;
            continue;
        }
        let start = at;
        while at < bytes.len() && !bytes[at].is_ascii_whitespace() && bytes[at] != b'=' {
            at += 1;
        }
        let text = info[start..at].to_string();
        let mut value = None;
        if at < bytes.len() && bytes[at] == b'=' && at > start {
            at += 1;
            let value_start = at;
            let (text, unclosed) = if at < bytes.len() && bytes[at] == b'"' {
                quoted(info, &mut at)
            } else {
                // A list of named values may hold quoted texts: takes=text="a b",n=3.
                let mut inside = false;
                while at < bytes.len() && (inside || !bytes[at].is_ascii_whitespace()) {
                    inside ^= bytes[at] == b'"';
                    at += 1;
                }
                (info[value_start..at].to_string(), inside)
            };
            value = Some(WordValue { text, span: Span::new(offset + value_start, offset + at), unclosed });
        } else {
            while at < bytes.len() && !bytes[at].is_ascii_whitespace() {
                at += 1;
            }
        }
        let text = if value.is_none() { info[start..at].to_string() } else { text };
        found.push(Word { text, span: Span::new(offset + start, offset + at), value });
    }
    found
}

fn quoted(info: &str, at: &mut usize) -> (String, bool) {
    let mut text = String::new();
    let mut chars = info[*at + 1..].char_indices();
    let start = *at + 1;
    while let Some((offset, c)) = chars.next() {
        match c {
            '"' => {
                *at = start + offset + 1;
                return (text, false);
            }
            '\\' => match chars.next() {
                Some((_, next @ ('"' | '\\'))) => text.push(next),
                Some((_, 'n')) => text.push('\n'),
                Some((_, next)) => text.extend(['\\', next]),
                None => text.push('\\'),
            },
            _ => text.push(c),
        }
    }
    *at = info.len();
    (text, true)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::options::OptionValue;

    fn read_info(info: &str) -> (Fence, Vec<Diagnostic>) {
        let mut diagnostics = Vec::new();
        (read(info, 100, &mut diagnostics), diagnostics)
    }

    #[test]
    fn a_live_block_has_an_at_sign_after_its_language() {
        let (fence, found) = read_info("python @daily-mean show=text caption=\"A \\\"b\\\" c\"");
        assert!(fence.live && found.is_empty());
        assert_eq!(fence.language, "python");
        assert_eq!(fence.name.unwrap().0.as_str(), "daily-mean");
        assert_eq!(fence.settings.get("caption").unwrap().value, OptionValue::Text("A \"b\" c".into()));
        assert!(!read_info("python").0.live);
        assert!(read_info("sh @").0.live && read_info("sh @").0.name.is_none());
    }

    #[test]
    fn words_that_other_programs_read_are_no_error_on_a_listing() {
        assert!(read_info("rust,ignore").1.is_empty());
        assert!(read_info("{.python}").1.is_empty());
        assert!(read_info("js twoslash hello").1.is_empty());
    }

    #[test]
    fn mistakes_name_the_place_and_the_remedy() {
        let (_, found) = read_info("python @x fodl=open");
        assert_eq!(found[0].span, Some(Span::new(110, 114)));
        assert!(found[0].help.as_ref().unwrap().starts_with("did you mean `fold`? It takes one of no, open, closed"));
        let (_, found) = read_info("python @x fold=opne");
        assert_eq!(found[0].help.as_deref(), Some("`fold` takes one of no, open, closed"));
        assert!(read_info("python @x caption=\"never closed").1[0].message.contains("never closed"));
        assert!(read_info("python @2x").1[0].message.contains("not a name"));
        assert!(read_info("python @x fold=open fold=no").1[0].message.contains("twice"));
    }
}
