//! The languages that works are cited in: how a style says "and", "edition", a date, an ordinal in each.

use hayagriva::archive::locales;
use hayagriva::citationberg::{IndependentStyle, Locale, LocaleCode};
use std::sync::LazyLock;
use vineloom_language::language_and_region;
use vineloom_woven::Memory;

/// How dates, ordinals and the like are written in each language; reading them takes a while.
static LOCALES: LazyLock<Vec<Locale>> = LazyLock::new(locales);

/// The language that works are cited in, by the tag of the document's. Nothing where the style speaks it, perhaps as one
/// region does, and the tag names no region.
pub(crate) fn locale(tag: &str, style: &IndependentStyle) -> Option<LocaleCode> {
    let (language, region) = language_and_region(tag)?;
    let language = if language == "no" { "nb".into() } else { language };
    let own = style.default_locale.clone().unwrap_or_else(LocaleCode::en_us);
    if region.is_none() && own.0.split('-').next() == Some(language.as_str()) {
        return None;
    }
    Some(LocaleCode([Some(language), region].into_iter().flatten().collect::<Vec<_>>().join("-")))
}

/// The locales in which the words of a style are looked for: each is asked for by its name many times for each work.
pub(crate) fn locales_of(style: &IndependentStyle, locale: Option<&LocaleCode>, memory: &dyn Memory) -> Vec<Locale> {
    let asked = locale.or(style.default_locale.as_ref());
    let mut names: Vec<LocaleCode> = Vec::new();
    for name in [asked.cloned(), asked.and_then(LocaleCode::fallback), Some(LocaleCode::en_us())].into_iter().flatten()
    {
        if !names.contains(&name) {
            names.push(name);
        }
    }
    names.iter().filter_map(|name| locale_of(name, memory)).collect()
}

/// The locale of that name. To read all that there are takes longer than to cite twenty works: one that was found is remembered.
fn locale_of(name: &LocaleCode, memory: &dyn Memory) -> Option<Locale> {
    let question = serde_json::to_vec(&("locale", &name.0)).unwrap_or_default();
    if let Some(known) = memory.recall(&question).and_then(|known| serde_json::from_slice(&known).ok()) {
        return known;
    }
    let found = LOCALES.iter().find(|locale| locale.lang.as_ref() == Some(name)).cloned();
    memory.keep(&question, &serde_json::to_vec(&found).unwrap_or_default());
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use hayagriva::archive::ArchivedStyle;
    use hayagriva::citationberg::Style;
    use vineloom_woven::NoMemory;

    #[test]
    fn a_locale_that_is_remembered_is_the_one_that_was_read() {
        for locale in LOCALES.iter() {
            let kept = serde_json::to_vec(&Some(locale)).unwrap();
            let known: Option<Locale> = serde_json::from_slice(&kept).unwrap();
            assert!(known.as_ref() == Some(locale), "{:?}", locale.lang);
        }
    }

    #[test]
    fn each_language_that_exports_speak_is_one_that_works_are_cited_in() {
        let Style::Independent(style) = ArchivedStyle::by_name("apa").unwrap().get() else { panic!("apa is a style") };
        let spoken = |tag: &str| {
            let found = locales_of(&style, locale(tag, &style).as_ref(), &NoMemory);
            found[0].lang.as_ref().unwrap().0.clone()
        };
        for tag in vineloom_language::tags().map(|tag| tag.split('-').next().unwrap()) {
            assert!(spoken(tag).starts_with(tag), "{tag}: {}", spoken(tag));
        }
        for (tag, locale) in
            [("de-at", "de-AT"), ("DE_ch", "de-CH"), ("pt-BR", "pt-BR"), ("zh-Hant-TW", "zh-TW"), ("no", "nb-NO")]
        {
            assert_eq!(spoken(tag), locale);
        }
        for tag in ["", "-", "x", "i", "x-klingon", "i-klingon", "é", "12", "a b", "tlh"] {
            assert_eq!(spoken(tag), "en-US", "{tag}");
        }
    }
}
