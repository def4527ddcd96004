//! What is set for one slide, behind the name of its heading: `## Wiring {#wiring code-scale=150}`.

use super::{OptionValue, Place, entry};
use crate::name::nearest;
use serde::Serialize;

/// The settings of one slide; what is not set is as for all of them.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "named after the options, which the table of options describes")]
pub struct OneSlide {
    /// In per cent.
    pub text_scale: Option<u32>,
    /// In per cent.
    pub code_scale: Option<u32>,
    pub count: Option<bool>,
    pub foot: Option<String>,
    pub change: Option<String>,
}

/// The options that can be set for one slide.
const NAMES: [&str; 5] = ["text-scale", "code-scale", "count", "foot", "change"];

impl OneSlide {
    /// Reads `key=value` and `key="quoted value"`, with spaces between.
    ///
    /// # Errors
    /// What is wrong with the first that can't be read, and what to do about it.
    pub fn read(text: &str) -> Result<Self, (String, String)> {
        let mut slide = OneSlide::default();
        let mut rest = text.trim();
        while !rest.is_empty() {
            let Some((name, after)) = rest.split_once('=') else {
                return Err((
                    format!("`{rest}` can't be read here"),
                    "settings of a slide are written `key=value`".into(),
                ));
            };
            let (value, behind) = match after.strip_prefix('"') {
                Some(quoted) => quoted.split_once('"').unwrap_or((quoted, "")),
                None => after.split_once(char::is_whitespace).unwrap_or((after, "")),
            };
            slide.set(name.trim(), value)?;
            rest = behind.trim_start();
        }
        Ok(slide)
    }

    fn set(&mut self, name: &str, value: &str) -> Result<(), (String, String)> {
        let Some(option) = NAMES.contains(&name).then(|| entry(name, Place::Export)).flatten() else {
            let help = match nearest(name, NAMES) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("they are {}", NAMES.join(", ")),
            };
            return Err((format!("a slide has no setting `{name}` of its own"), help));
        };
        let read = option.kind.read(value).map_err(|bad| {
            (format!("`{name}` can't be set to `{value}`"), format!("`{name}` takes {}", bad.allowed))
        })?;
        match (name, read) {
            ("text-scale", OptionValue::Number(percent)) => self.text_scale = u32::try_from(percent).ok(),
            ("code-scale", OptionValue::Number(percent)) => self.code_scale = u32::try_from(percent).ok(),
            ("count", OptionValue::Flag(flag)) => self.count = Some(flag),
            ("foot", OptionValue::Text(text)) => self.foot = Some(text),
            ("change", OptionValue::Text(word)) => self.change = Some(word),
            _ => {}
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_of_one_slide_are_read_and_what_is_none_is_told() {
        let slide = OneSlide::read("code-scale=150 foot=\"Two words\" count=no").unwrap();
        assert_eq!((slide.code_scale, slide.foot.as_deref(), slide.count), (Some(150), Some("Two words"), Some(false)));
        assert_eq!(OneSlide::read(""), Ok(OneSlide::default()));
        assert_eq!(OneSlide::read("code-scal=1").unwrap_err().1, "did you mean `code-scale`?");
        assert!(OneSlide::read("code-scale=large").is_err() && OneSlide::read("large").is_err());
    }
}
