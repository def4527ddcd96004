//! LaTeX math, read once for every format.

mod commands;
pub mod omml;
pub mod plain;
pub mod tree;

use crate::html::escape;
use commands::known_latex;
use event::{ColorChange, ColorTarget, Content, DelimiterType, Event, Grouping, ScriptPosition, StateChange, Visual};
use pulldown_latex::config::{DisplayMode, RenderConfig};
use pulldown_latex::{Parser, Storage, push_mathml};
use std::collections::BTreeSet;
use vineloom_font::slanted;

pub use pulldown_latex::event;

/// The parser has no box and nothing invisible. Two colours, too pale for anybody to write in, stand for them on the
/// way through it.
const BOXED: (u8, u8, u8) = (240, 255, 240);

/// The colour of what takes its room and is not seen.
pub const UNSEEN: (u8, u8, u8) = (255, 240, 245);

/// The frame of a box: grey, for light and for dark grounds.
const FRAME: (u8, u8, u8) = (128, 128, 128);

/// A formula that can't be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MathError {
    /// Why, in one line.
    pub message: String,
}

/// Reads a formula and hands its events to `each_format`, which writes them its own way. `macros` are definitions of
/// the writer's own, as LaTeX; they are there for the formulas that use them.
///
/// # Errors
/// [`MathError`] with the part that failed.
pub fn with_events<T>(
    latex: &str,
    macros: &str,
    each_format: impl FnOnce(Vec<event::Event>) -> T,
) -> Result<T, MathError> {
    let storage = Storage::new();
    let whole = known_latex(latex, macros);
    let mut events: Result<Vec<_>, _> = Parser::new(&whole, &storage).collect();
    for event in events.iter_mut().flatten() {
        match event {
            Event::StateChange(StateChange::Color(change)) if change.color == BOXED => {
                *change = ColorChange { color: FRAME, target: ColorTarget::Border };
            }
            // The parser says a space that breaks no line as HTML does.
            Event::Content(Content::Text("&nbsp;")) => *event = Event::Content(Content::Text("\u{A0}")),
            _ => {}
        }
    }
    events.map(each_format).map_err(|error| {
        if let Some(command) = unknown_command(latex, macros) {
            return MathError { message: format!("there is no command {command}") };
        }
        let message = error.to_string();
        MathError {
            message: message.lines().map(str::trim).find(|l| !l.is_empty()).unwrap_or("").trim_end_matches(':').into(),
        }
    })
}

/// The first command in a formula that is not known.
fn unknown_command(latex: &str, macros: &str) -> Option<String> {
    latex.match_indices('\\').find_map(|(at, _)| {
        let letters = latex[at + 1..].find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(latex.len() - at - 1);
        let command = &latex[at..at + 1 + letters];
        let alone = known_latex(&format!("{command}{{a}}{{b}}{{c}}"), macros);
        let storage = Storage::new();
        let unknown = Parser::new(&alone, &storage)
            .any(|event| event.is_err_and(|error| error.to_string().contains("unknown primitive")));
        (letters > 0 && unknown).then(|| command.to_string())
    })
}

/// A formula as MathML.
///
/// # Errors
/// [`MathError`] with the part that failed.
pub fn mathml(latex: &str, macros: &str, display: bool) -> Result<String, MathError> {
    let readable = escape::text(latex);
    with_events(&without(latex), &without(macros), |events| {
        let config = RenderConfig {
            display_mode: if display { DisplayMode::Block } else { DisplayMode::Inline },
            annotation: Some(&readable),
            xml: true,
            ..RenderConfig::default()
        };
        let mut out = String::new();
        let events = low_delimiters(events).into_iter().map(marked).map(Ok::<_, std::convert::Infallible>);
        match push_mathml(&mut out, events, config) {
            Ok(()) => {
                let (r, g, b) = UNSEEN;
                Ok(spaces_before_scripts(&as_text(&out))
                    .replace(&format!("color: rgb({r} {g} {b})"), "visibility: hidden"))
            }
            Err(error) => Err(MathError { message: error.to_string() }),
        }
    })?
}

/// The events with ordinary delimiters around whatever is no taller than a line of text. Around a delimiter that may
/// grow, a browser leaves the room of the largest that the font has, grown or not.
fn low_delimiters(mut events: Vec<Event>) -> Vec<Event> {
    let mut open = Vec::new();
    let mut pairs = Vec::new();
    for (at, event) in events.iter().enumerate() {
        match event {
            Event::Begin(_) => open.push(at),
            Event::End => pairs.extend(open.pop().map(|begin| (begin, at))),
            _ => {}
        }
    }
    let low = |event: &Event| match event {
        Event::Content(Content::LargeOp { .. } | Content::Delimiter { size: Some(_), .. }) => false,
        Event::Content(Content::Ordinary { stretchy, .. }) => !stretchy,
        Event::Script { position, .. } => *position == ScriptPosition::Right,
        Event::Visual(visual) => *visual == Visual::Negation,
        Event::Begin(grouping) => matches!(grouping, Grouping::Normal | Grouping::LeftRight(..)),
        Event::StateChange(StateChange::Style(_)) | Event::EnvironmentFlow(_) => false,
        _ => true,
    };
    let delimiter = |content: Option<char>, ty| {
        content.map(|content| Event::Content(Content::Delimiter { content, size: None, ty }))
    };
    // What goes in behind an opening, and before a closing. From the back, the places of what stands before stay.
    let mut put = Vec::new();
    for (begin, end) in pairs {
        if let Event::Begin(Grouping::LeftRight(left, right)) = events[begin]
            && events[begin..end].iter().all(low)
        {
            put.extend(delimiter(left, DelimiterType::Open).map(|event| (begin + 1, event)));
            put.extend(delimiter(right, DelimiterType::Close).map(|event| (end, event)));
            events[begin] = Event::Begin(Grouping::Normal);
        }
    }
    // Of two at one place, which nothing lies between, the one that opens comes first.
    put.sort_by_key(|(at, event)| (*at, !is_opening(event)));
    for (at, event) in put.into_iter().rev() {
        events.insert(at, event);
    }
    events
}

fn is_opening(event: &Event) -> bool {
    matches!(event, Event::Content(Content::Delimiter { ty: DelimiterType::Open, .. }))
}

/// The MathML with each space that stands as a further part in something with limits or scripts before it: the writer
/// separates the name of a function from what stands before, wherever that is.
fn spaces_before_scripts(mathml: &str) -> String {
    let mut out = mathml.to_string();
    for tag in ["munder", "mover", "munderover", "msub", "msup", "msubsup"] {
        let (open, spaced) = (format!("<{tag}>"), format!("<{tag}><mspace"));
        while let Some(at) = out.find(&spaced) {
            let space = at + open.len();
            let Some(end) = out[space..].find("/>").map(|end| space + end + 2) else { break };
            let moved = format!("{}{open}", &out[space..end]);
            out.replace_range(at..end, &moved);
        }
    }
    out
}

/// The characters that a formula in MathML is set in.
pub fn letters(mathml: &str) -> BTreeSet<char> {
    let shown = mathml.split("<annotation").next().unwrap_or(mathml);
    let mut letters = BTreeSet::new();
    for part in shown.split('<') {
        let Some((tag, text)) = part.split_once('>') else { continue };
        let text = text.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
        letters.extend(text.chars());
        let mut alone = text.chars();
        // A name of one letter is set slanted, unless it says otherwise.
        if let ("mi", Some(letter), None) = (tag, alone.next(), alone.next()) {
            letters.extend(slanted(letter));
        }
        if tag.starts_with("msqrt") || tag.starts_with("mroot") {
            letters.insert('√');
        }
    }
    letters
}

/// Characters that mean something in markup, and those that stand for them while the MathML is written: its writer
/// puts symbols and names out as they are. A no-break space is one that it would write twice.
const MARKUP: [(char, char, &str); 4] = [
    ('<', '\u{F8F0}', "&lt;"),
    ('>', '\u{F8F1}', "&gt;"),
    ('&', '\u{F8F2}', "&amp;"),
    ('\u{a0}', '\u{F8F3}', "\u{a0}"),
];

/// Bars as delimiters, each with the character that stands for it while the MathML is written: the writer leaves out
/// their form, without which one in the midst of a row is spaced as a relation is. The space around a prefix and around
/// a postfix is the same, none.
const BARS: [(char, char); 2] = [('|', '\u{F8E0}'), ('\u{2016}', '\u{F8E1}')];

/// A text without the characters that stand for others here, and without those that may not stand in a page.
fn without(text: &str) -> String {
    let stands_in = |c: char| {
        MARKUP.iter().any(|(_, stand_in, _)| *stand_in == c) || BARS.iter().any(|(_, stand_in)| *stand_in == c)
    };
    let text = text.chars().filter(|&c| !stands_in(c) && (!c.is_control() || c.is_whitespace()));
    text.collect()
}

/// An event with other characters in the place of those of markup.
fn marked(event: Event) -> Event {
    let marked = |c: char| MARKUP.iter().find(|(plain, ..)| *plain == c).map_or(c, |(_, stand_in, _)| *stand_in);
    let Event::Content(content) = event else { return event };
    Event::Content(match content {
        Content::Text("\u{A0}") => Content::Text("\u{F8F3}"),
        // The writer escapes a text, and sets a name with markup in it as one all the same.
        Content::Function(name) if name.contains(['<', '>', '&']) => Content::Text(name),
        Content::Number(number) if number.contains(['<', '>', '&']) => Content::Text(number),
        Content::Ordinary { content, stretchy } => Content::Ordinary { content: marked(content), stretchy },
        Content::LargeOp { content, small } => Content::LargeOp { content: marked(content), small },
        Content::BinaryOp { content, small } => Content::BinaryOp { content: marked(content), small },
        Content::Delimiter { content, size, ty } => {
            let bar = BARS.iter().find(|(bar, _)| *bar == content).map(|(_, stand_in)| *stand_in);
            Content::Delimiter { content: bar.unwrap_or_else(|| marked(content)), size, ty }
        }
        Content::Punctuation(content) => Content::Punctuation(marked(content)),
        other => other,
    })
}

/// The MathML with the characters of markup as they are written in it. Of all that stands in the formula, only
/// relations were put out as they are.
fn as_text(mathml: &str) -> String {
    // Two attributes of a delimiter of a given size are not separated by their writer.
    let mut text = mathml.replace("\"minsize=", "\" minsize=");
    for after in ["</", "\u{338}"] {
        text = text.replace(&format!("><{after}"), &format!(">&lt;{after}"));
        text = text.replace(&format!(">>{after}"), &format!(">&gt;{after}"));
    }
    for (bar, stand_in) in BARS {
        text = text.replace(&format!(">{stand_in}"), &format!(" form=\"prefix\">{bar}"));
    }
    MARKUP.iter().fold(text, |text, (_, stand_in, written)| text.replace(*stand_in, written))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formulas_become_mathml_and_errors_say_what_failed() {
        let mathml = mathml("\\frac{a}{b}", "", true).unwrap();
        assert!(mathml.contains("<mfrac>") && mathml.contains("display=\"block\""), "{mathml}");
        assert_eq!(super::mathml("x + \\nosuch{a}", "", false).unwrap_err().message, "there is no command \\nosuch");
        assert!(super::mathml("x \\in \\R", "\\def\\R{\\mathbb{R}}", false).is_ok());
    }

    #[test]
    fn a_formula_names_the_letters_that_it_is_set_in() {
        let set = letters(&mathml("\\sqrt{x} < \\mathrm{d}y + \\sin 2", "", false).unwrap());
        for letter in "√x𝑥<dy𝑦+sin2".chars() {
            assert!(set.contains(&letter), "{letter} in {set:?}");
        }
        assert!(!set.contains(&'{') && !set.contains(&'q') && !set.contains(&'𝑑'), "{set:?}");
    }

    /// The names of all tags, and no text that was meant to be one.
    fn tags(mathml: &str) -> std::collections::BTreeSet<String> {
        use vineloom_woven::html_tokens::{Token, tokens};
        let name = |token: Token| match token {
            Token::Open { name, attributes } => {
                assert!(attributes.iter().all(|(name, _)| !name.starts_with("on")), "{mathml}");
                Some(name)
            }
            Token::Close(name) => Some(name),
            Token::Text(_) => None,
        };
        tokens(mathml).into_iter().filter_map(name).map(String::from).collect()
    }

    #[test]
    fn nothing_in_a_formula_becomes_markup() {
        let hostile = "<img src=x onerror=alert(1)>";
        let known = [
            "math",
            "semantics",
            "annotation",
            "mrow",
            "mi",
            "mo",
            "mn",
            "mtext",
            "mspace",
            "msup",
            "msub",
            "mfrac",
            "mstyle",
            "mover",
            "munder",
            "msqrt",
            "mtable",
            "mtr",
            "mtd",
            "mpadded",
            "merror",
            "msubsup",
            "munderover",
        ];
        for form in [
            "@",
            "\\text{@}",
            "\\mathrm{@}",
            "\\operatorname{@}",
            "\\mathbb{@}",
            "x^{@}",
            "\\frac{@}{b}",
            "\\sqrt{@}",
            "\\left<@\\right>",
            "\\overset{@}{x}",
            "\\not< @",
            "\\color{red}{@}",
            "\\begin{matrix}@&b\\end{matrix}",
            "\\&@",
            "</mi>@",
            "\\text{</mtext></math>@}",
            "\\operatorname{</mi></math>@}",
            "<@",
            "\\lt @ \\gt",
            "1<2",
            "\\tag{@}",
            "\\boxed{@}",
            "\\mathbf{<}@",
            "\\big<@\\big>",
            "\\limits<@",
        ] {
            for hostile in
                [hostile, "<script>alert(1)</script>", "\"><svg/onload=x>", "&lt;b&gt;", "\u{F8F0}b\u{F8F1}\u{0}"]
            {
                let latex = form.replace('@', hostile);
                let Ok(mathml) = mathml(&latex, "", true) else { continue };
                assert!(tags(&mathml).iter().all(|name| known.contains(&name.as_str())), "{latex}: {mathml}");
                assert!(!mathml.contains(['\u{F8F0}', '\u{F8F1}', '\u{F8F2}', '\u{F8F3}', '\u{0}']), "{latex}");
            }
        }
        assert!(mathml("a<b", "", false).unwrap().contains("&lt;</mo>"));
        assert!(mathml("a\\not<b", "", false).unwrap().contains("&lt;\u{338}"));
        assert!(mathml("a\\ b~c", "", false).unwrap().matches('\u{a0}').count() == 2);
    }

    #[test]
    fn delimiters_may_grow_only_around_what_is_tall() {
        for low in ["a + b", "x^2_i", "a\\left[b\\right]c", "", "\\left(\\left(k\\right)\\right)", "f(x), \\sin y"] {
            let mathml = mathml(&format!("\\left({low}\\right)^2"), "", true).unwrap();
            assert!(!mathml.contains("stretchy=\"true\"") && mathml.contains(">(<"), "{low}: {mathml}");
            let shown = mathml.split("<annotation").next().unwrap();
            assert_eq!(shown.matches(">(<").count(), shown.matches(">)<").count(), "{low}: {mathml}");
            assert!(shown.find(">(<") < shown.find(">)<"), "{low}: {mathml}");
        }
        for tall in ["\\frac{a}{b}", "\\sum_i x", "\\sqrt{x}", "\\begin{matrix}a\\\\b\\end{matrix}", "a \\middle| b"] {
            let mathml = mathml(&format!("\\left({tall}\\right)"), "", true).unwrap();
            assert!(mathml.contains("<mo stretchy=\"true\">(</mo>"), "{tall}: {mathml}");
        }
        assert!(mathml("\\left.a\\right|", "", true).unwrap().contains(">|<"));
        assert!(mathml("\\big(a\\big)", "", true).unwrap().contains("\" minsize="));
        // A bar beside what it encloses is no relation.
        for bars in [
            "x\\lvert a\\rvert y",
            "x\\bigl|a\\bigr| y",
            "x\\lVert a\\rVert_2 y",
            "x\\Bigl\\|a\\Bigr\\| y",
            "\\vert a\\vert",
        ] {
            let mathml = mathml(bars, "", false).unwrap();
            assert_eq!(mathml.matches(" form=\"prefix\">").count(), 2, "{bars}: {mathml}");
            assert!(!mathml.contains(['\u{F8E0}', '\u{F8E1}']), "{bars}: {mathml}");
        }
    }

    #[test]
    fn what_the_parser_lacks_is_stood_for() {
        let of = |latex: &str| mathml(latex, "", true).unwrap_or_else(|error| panic!("{latex}: {error:?}"));
        assert!(of("\\boxed{E = m}").contains("border: 0.06em solid") && !of("\\boxed{E}").contains("color: rgb"));
        assert!(of("\\phantom{x}y").contains("visibility: hidden"));
        assert!(!of("\\vphantom{x}y").contains("<mi>x</mi>"));
        assert!(of("a \\tag{1}").contains("<mo stretchy=\"false\">(</mo>") || of("a \\tag{1}").contains("(</mo>"));
        let sides = of("\\sideset{_1^2}{_3^4}\\sum");
        assert!(["1", "2", "3", "4"].iter().all(|n| sides.contains(&format!("<mn>{n}</mn>"))), "{sides}");
        assert!(of("\\genfrac{(}{)}{0pt}{}{n}{k}").contains("linethickness=\"0pt\""));
        assert!(of("\\genfrac{}{}{}{}{n}{k} + \\genfrac[]{0pt}{}{n}{k}").contains("<mfrac"));
        assert!(of("\\xcancel{xy}").contains("mop-negated"));
    }
}
