//! What is written to the terminal: text, and of control codes our own alone.
//!
//! Everything that is said, on standard output or on standard error, goes through here. Control characters in it, of a
//! document, a file's name, a variable or whatever a block printed, are replaced by signs that stand for them; so
//! are characters that turn the direction of a line. Only then our own codes for colours are put around it.

use std::borrow::Cow;
use std::io::{IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use vineloom_terminal_text::{Colour, TextStyle, styled};

/// Writes a line to standard output. What a closed pipe (`vineloom options | head`) takes no more of is left unsaid.
macro_rules! say {
    ($($words:tt)*) => { $crate::output::line(&format!($($words)*)) };
}

pub(crate) use say;

/// Whether standard output is for something else than lines for people.
static TAKEN: AtomicBool = AtomicBool::new(false);

/// Leaves standard output to an export or to events: lines for people go to standard error from now on.
pub fn leave_standard_output() {
    TAKEN.store(true, Ordering::Relaxed);
}

/// Whether standard output is left to something else.
pub fn standard_output_is_taken() -> bool {
    TAKEN.load(Ordering::Relaxed)
}

/// A line on standard output.
pub fn line(words: &str) {
    line_with_faint(words, "");
}

/// A line on standard output of which the second part is less prominent, where there are colours.
pub fn line_with_faint(words: &str, faint: &str) {
    let style = TextStyle { faint: true, ..TextStyle::default() };
    let words = visible(words);
    let _ = match standard_output_is_taken() {
        true => {
            writeln!(std::io::stderr(), "{words}{}", in_style(faint, style, colours_wanted(&std::io::stderr())))
        }
        false => writeln!(std::io::stdout(), "{words}{}", in_style(faint, style, colours_wanted(&std::io::stdout()))),
    };
}

/// An event on standard output: one line of JSON, in which control characters are escaped.
pub fn event(event: &serde_json::Value) {
    let _ = writeln!(std::io::stdout(), "{event}");
}

/// An export on standard output, as it is.
///
/// # Errors
/// When nobody takes it.
pub fn export(bytes: &[u8]) -> std::io::Result<()> {
    let mut out = std::io::stdout();
    out.write_all(bytes)?;
    out.flush()
}

/// A text on standard output with the colours that a program gave it, where there are colours.
pub fn line_as_printed(text: &str) {
    let colours = colours_wanted(&std::io::stdout());
    let (plain, styles) = styled(text);
    let mut shown = String::new();
    let mut at = 0;
    for (range, style) in styles {
        shown.push_str(&visible(&plain[at..range.start]));
        shown.push_str(&in_style(&plain[range.clone()], style, colours));
        at = range.end;
    }
    shown.push_str(&visible(&plain[at..]));
    let _ = writeln!(std::io::stdout(), "{shown}");
}

/// Words on standard error, without an end of line.
pub fn ask(words: &str) {
    let _ = write!(std::io::stderr(), "{}", visible(words));
}

/// A line on standard error.
pub fn note(words: &str) {
    let _ = writeln!(std::io::stderr(), "{}", visible(words));
}

/// A message on standard error that was drawn from visible texts: the codes in it are for colours, and ours.
pub fn drawn(message: &str) {
    let _ = writeln!(std::io::stderr(), "{}\n", with_colours_alone(message));
}

/// Whether to use colours: on a terminal, unless NO_COLOR is set to anything.
pub fn colours_wanted(stream: &impl IsTerminal) -> bool {
    stream.is_terminal() && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty())
}

fn in_style(text: &str, style: TextStyle, colours: bool) -> String {
    let mut codes = Vec::new();
    let colour = |colour: Colour| {
        [Colour::Black, Colour::Red, Colour::Green, Colour::Yellow, Colour::Blue, Colour::Magenta, Colour::Cyan]
            .iter()
            .position(|known| *known == colour)
            .unwrap_or(7)
    };
    codes.extend(style.bold.then_some(1));
    codes.extend(style.faint.then_some(2));
    codes.extend(style.italic.then_some(3));
    codes.extend(style.underlined.then_some(4));
    codes.extend(style.colour.map(|it| 30 + colour(it)));
    codes.extend(style.ground.map(|it| 40 + colour(it)));
    if !colours || codes.is_empty() {
        return visible(text).into_owned();
    }
    let codes: Vec<String> = codes.iter().map(ToString::to_string).collect();
    format!("\u{1b}[{}m{}\u{1b}[0m", codes.join(";"), visible(text))
}

/// Whether a character does something to a terminal other than being shown; ends of lines and tabs apart.
fn acts(c: char) -> bool {
    (c.is_control() && !matches!(c, '\n' | '\t'))
        || matches!(c, '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}' | '\u{200E}' | '\u{200F}' | '\u{61C}')
}

/// A text with signs in the place of control characters.
pub fn visible(text: &str) -> Cow<'_, str> {
    if !text.contains(acts) {
        return Cow::Borrowed(text);
    }
    let sign = |c: char| match c {
        c if !acts(c) => c,
        '\0'..='\u{1f}' => char::from_u32(0x2400 + u32::from(c)).unwrap_or('\u{2426}'),
        '\u{7f}' => '\u{2421}',
        _ => '\u{2426}',
    };
    Cow::Owned(text.chars().map(sign).collect())
}

/// The same with signs that take as many bytes, for a text in which places are counted.
pub fn visible_in_place(text: &str) -> Cow<'_, str> {
    if !text.contains(acts) {
        return Cow::Borrowed(text);
    }
    let sign = |c: char| match c {
        c if !acts(c) => c,
        c if c.len_utf8() == 1 => '?',
        c if c.len_utf8() == 2 => '\u{bf}',
        _ => '\u{2426}',
    };
    Cow::Owned(text.chars().map(sign).collect())
}

/// A drawn message without any control code but those of colours.
fn with_colours_alone(message: &str) -> String {
    let mut parts = message.split('\u{1b}');
    let mut kept = visible(parts.next().unwrap_or("")).into_owned();
    for part in parts {
        let end =
            part.strip_prefix('[').and_then(|rest| Some(1 + rest.find(|c: char| !c.is_ascii_digit() && c != ';')?));
        match end {
            Some(end) if part[end..].starts_with('m') => {
                kept.push('\u{1b}');
                kept.push_str(&part[..=end]);
                kept.push_str(&visible(&part[end + 1..]));
            }
            _ => kept.push_str(&visible(part)),
        }
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_control_code_but_those_of_colours_gets_through() {
        let hostile = "a\u{1b}]0;T\u{7}b\u{9b}31mc\u{202e}d\u{7f}\r\u{8}";
        for shown in
            [visible(hostile).into_owned(), visible_in_place(hostile).into_owned(), with_colours_alone(hostile)]
        {
            assert!(!shown.contains(acts), "{shown:?}");
        }
        assert_eq!(visible_in_place(hostile).len(), hostile.len());
        assert_eq!(with_colours_alone("\u{1b}[1;31merror\u{1b}[0m: x\u{1b}[2Jy"), "\u{1b}[1;31merror\u{1b}[0m: x[2Jy");
        assert_eq!(visible("a\tb\nc"), "a\tb\nc");
    }

    #[test]
    fn colours_of_programs_become_ours() {
        let red = TextStyle { colour: Some(Colour::Red), bold: true, ..TextStyle::default() };
        assert_eq!(in_style("x\u{1b}[2J", red, true), "\u{1b}[1;31mx\u{241b}[2J\u{1b}[0m");
        assert_eq!(in_style("x", red, false), "x");
    }
}
