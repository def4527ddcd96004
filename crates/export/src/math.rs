//! LaTeX math, read once for every format.

use pulldown_latex::config::{DisplayMode, RenderConfig};
use pulldown_latex::{Parser, Storage, push_mathml};

pub use pulldown_latex::event;

/// Commands that the parser lacks and others can stand for, each with its definition.
const BROUGHT: [(&str, &str); 6] = [
    ("\\mathscr", "\\def\\mathscr#1{\\mathcal{#1}}"),
    ("\\dddot", "\\def\\dddot#1{\\overset{\\ldots}{#1}}"),
    ("\\prescript", "\\def\\prescript#1#2#3{{}^{#1}_{#2}{#3}}"),
    ("\\smash", "\\def\\smash#1{#1}"),
    ("\\llap", "\\def\\llap#1{#1}"),
    ("\\rlap", "\\def\\rlap#1{#1}"),
];

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
    let whole = format!("{brought}{macros}{}", latex.replace("\\operatorname*", "\\operatorname"));
    let events: Result<Vec<_>, _> = Parser::new(&whole, &storage).collect();
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
            Ok(()) => Ok(out),
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
}
