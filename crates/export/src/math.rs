//! LaTeX math, read once for every format.

use event::{ColorChange, ColorTarget, Event, StateChange};
use pulldown_latex::config::{DisplayMode, RenderConfig};
use pulldown_latex::{Parser, Storage, push_mathml};

pub use pulldown_latex::event;

/// Commands that the parser lacks and others can stand for, each with its definition.
const BROUGHT: [(&str, &str); 14] = [
    ("\\mathscr", "\\def\\mathscr#1{\\mathcal{#1}}"),
    ("\\dddot", "\\def\\dddot#1{\\overset{\\ldots}{#1}}"),
    ("\\prescript", "\\def\\prescript#1#2#3{{}^{#1}_{#2}{#3}}"),
    ("\\smash", "\\def\\smash#1{#1}"),
    ("\\llap", "\\def\\llap#1{#1}"),
    ("\\rlap", "\\def\\rlap#1{#1}"),
    ("\\tag", "\\def\\tag#1{\\qquad(\\mathrm{#1})}"),
    ("\\boxed", "\\def\\boxed#1{{\\color{honeydew}#1}}"),
    ("\\bcancel", "\\def\\bcancel#1{\\cancel{#1}}"),
    ("\\xcancel", "\\def\\xcancel#1{\\cancel{#1}}"),
    ("\\phantom", "\\def\\phantom#1{{\\color{lavenderblush}#1}}"),
    ("\\hphantom", "\\def\\hphantom#1{{\\color{lavenderblush}#1}}"),
    ("\\vphantom", "\\def\\vphantom#1{}"),
    ("\\sideset", "\\def\\sideset#1#2#3{{}#1{{#3}}#2}"),
];

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
    let brought: String =
        BROUGHT.iter().filter(|(command, _)| latex.contains(command)).map(|(_, definition)| *definition).collect();
    // The parser takes the star for a part of the operator's name.
    let plain = bare_delimiters(&latex.replace("\\operatorname*", "\\operatorname"));
    let whole = format!("{brought}{macros}{plain}");
    let mut events: Result<Vec<_>, _> = Parser::new(&whole, &storage).collect();
    for event in events.iter_mut().flatten() {
        if let Event::StateChange(StateChange::Color(change)) = event
            && change.color == BOXED
        {
            *change = ColorChange { color: FRAME, target: ColorTarget::Border };
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

/// `\genfrac` with its delimiters out of their braces, as the parser wants them.
fn bare_delimiters(latex: &str) -> String {
    let mut bare = String::new();
    let mut rest = latex;
    while let Some(at) = rest.find("\\genfrac") {
        let (before, after) = rest.split_at(at + "\\genfrac".len());
        bare.push_str(before);
        rest = after;
        for _ in 0..2 {
            let Some((delimiter, behind)) = rest.trim_start().strip_prefix('{').and_then(|it| it.split_once('}'))
            else {
                break;
            };
            bare.push_str(if delimiter.trim().is_empty() { "{}" } else { delimiter.trim() });
            rest = behind;
        }
    }
    bare + rest
}

/// The first command in a formula that is not known.
fn unknown_command(latex: &str, macros: &str) -> Option<String> {
    latex.match_indices('\\').find_map(|(at, _)| {
        let letters = latex[at + 1..].find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(latex.len() - at - 1);
        let command = &latex[at..at + 1 + letters];
        let alone = format!("{macros}{command}{{a}}{{b}}{{c}}");
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
    with_events(latex, macros, |events| {
        let config = RenderConfig {
            display_mode: if display { DisplayMode::Block } else { DisplayMode::Inline },
            annotation: Some(latex),
            xml: true,
            ..RenderConfig::default()
        };
        let mut out = String::new();
        let events = events.into_iter().map(Ok::<_, std::convert::Infallible>);
        match push_mathml(&mut out, events, config) {
            Ok(()) => {
                let (r, g, b) = UNSEEN;
                Ok(out.replace(&format!("color: rgb({r} {g} {b})"), "visibility: hidden"))
            }
            Err(error) => Err(MathError { message: error.to_string() }),
        }
    })?
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
