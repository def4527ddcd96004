//! LaTeX math, read once for every format.

use pulldown_latex::config::{DisplayMode, RenderConfig};
use pulldown_latex::{Parser, Storage, push_mathml};

/// A formula that can't be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MathError {
    /// Why, in one line.
    pub message: String,
}

/// A formula as MathML.
///
/// # Errors
/// [`MathError`] with the part that failed.
pub fn mathml(latex: &str, display: bool) -> Result<String, MathError> {
    let storage = Storage::new();
    let events: Result<Vec<_>, _> = Parser::new(latex, &storage).collect();
    let events = events.map_err(|error| MathError { message: error.to_string().lines().next().unwrap_or("").trim().into() })?;
    let config = RenderConfig {
        display_mode: if display { DisplayMode::Block } else { DisplayMode::Inline },
        annotation: Some(latex),
        xml: true,
        ..RenderConfig::default()
    };
    let mut out = String::new();
    let events = events.into_iter().map(Ok::<_, std::convert::Infallible>);
    push_mathml(&mut out, events, config).map_err(|error| MathError { message: error.to_string() })?;
    Ok(out)
}
