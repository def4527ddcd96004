//! LaTeX math, read once for every format.

use pulldown_latex::config::{DisplayMode, RenderConfig};
use pulldown_latex::{Parser, Storage, push_mathml};

pub use pulldown_latex::event;

/// A formula that can't be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MathError {
    /// Why, in one line.
    pub message: String,
}

/// Reads a formula and hands its events to `each_format`, which writes them its own way.
///
/// # Errors
/// [`MathError`] with the part that failed.
pub fn with_events<T>(latex: &str, each_format: impl FnOnce(Vec<event::Event>) -> T) -> Result<T, MathError> {
    let storage = Storage::new();
    let events: Result<Vec<_>, _> = Parser::new(latex, &storage).collect();
    events.map(each_format).map_err(|error| {
        let message = error.to_string();
        MathError {
            message: message.lines().map(str::trim).find(|l| !l.is_empty()).unwrap_or("").trim_end_matches(':').into(),
        }
    })
}

/// A formula as MathML.
///
/// # Errors
/// [`MathError`] with the part that failed.
pub fn mathml(latex: &str, display: bool) -> Result<String, MathError> {
    with_events(latex, |events| {
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
        let mathml = mathml("\\frac{a}{b}", true).unwrap();
        assert!(mathml.contains("<mfrac>") && mathml.contains("display=\"block\""), "{mathml}");
        assert!(!super::mathml("\\nosuch{a}", false).unwrap_err().message.is_empty());
    }
}
