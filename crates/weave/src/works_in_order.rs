//! The order of a list of works, found with few comparisons.
//!
//! The `hayagriva` library sets both works each time it compares two, once for every key that the style sorts by: most of
//! the time that a long list takes. What it sorts is in order from the beginning but for a few works, when it is given them
//! in an order that is nearly the style's; it then compares neighbours alone.

use hayagriva::citationberg::taxonomy::{StandardVariable, Variable};
use hayagriva::citationberg::{IndependentStyle, Locale, LocaleCode, Sort, SortDirection, SortKey};
use hayagriva::types::FormatString;
use hayagriva::{BibliographyDriver, BibliographyRequest, CitationItem, CitationRequest, Entry};
use std::collections::{HashMap, HashSet};

/// Of so many works the library finds the order about as fast by itself.
const FEW: usize = 30;

/// What the works are called in which their order is written down.
const RANK: StandardVariable = StandardVariable::CallNumber;

/// The works that are cited, in the order of their first citations, as works that know their place in the list, by their
/// keys, and the style that sorts by it. Nothing where there is nothing to gain, or the style shows what the place is
/// written in.
pub(crate) fn ranked(
    cited: &[&Entry],
    style: &IndependentStyle,
    locales: &[Locale],
    locale: Option<&LocaleCode>,
) -> Option<(HashMap<String, Entry>, IndependentStyle)> {
    let mut known = HashSet::new();
    let cited: Vec<&Entry> = cited.iter().copied().filter(|work| known.insert(work.key())).collect();
    let is_sorted = style.bibliography.as_ref().is_some_and(|list| list.sort.is_some());
    if cited.len() <= FEW || !is_sorted || format!("{style:?}").contains(&format!("{RANK:?}")) {
        return None;
    }
    let mut works = cited.into_iter().cloned().collect::<Vec<_>>();
    for (place, work) in works.iter_mut().enumerate() {
        set_rank(work, place)?;
    }
    for (place, number) in order(&works, style, locales, locale)?.into_iter().enumerate() {
        set_rank(&mut works[number], place)?;
    }
    let mut style = style.clone();
    style.bibliography.as_mut()?.sort = Some(Sort { keys: vec![by_rank()] });
    Some((works.into_iter().map(|work| (work.key().to_string(), work)).collect(), style))
}

/// Writes a work's place into it. The digits are those that letters are compared by.
fn set_rank(work: &mut Entry, place: usize) -> Option<()> {
    work.set_call_number(format!("{place:09}").parse::<FormatString>().ok()?);
    Some(())
}

fn by_rank() -> SortKey {
    SortKey::Variable { variable: Variable::Standard(RANK), sort_direction: SortDirection::Ascending }
}

/// The order of works that know where they are cited first, by their numbers. Works that the style does not tell apart stand
/// as they are cited.
fn order(
    works: &[Entry],
    style: &IndependentStyle,
    locales: &[Locale],
    locale: Option<&LocaleCode>,
) -> Option<Vec<usize>> {
    let mut style = style.clone();
    // Nothing is shown.
    style.citation.layout.elements.clear();
    let list = style.bibliography.as_mut()?;
    list.layout.elements.clear();
    list.sort.as_mut()?.keys.push(by_rank());
    let mut nearly: Vec<usize> = (0..works.len()).collect();
    nearly.sort_by_cached_key(|&number| roughly(&works[number]));
    let mut driver = BibliographyDriver::new();
    for number in nearly {
        let item = CitationItem::with_entry(&works[number]);
        let mut request = CitationRequest::from_items(vec![item], &style, locales);
        request.locale = locale.cloned();
        driver.citation(request);
    }
    let list = BibliographyRequest { style: &style, locale: locale.cloned(), locale_files: locales };
    let list = driver.finish(list).bibliography?;
    let numbers: HashMap<&str, usize> = works.iter().enumerate().map(|(number, work)| (work.key(), number)).collect();
    let order: Vec<usize> =
        list.items.iter().map(|item| numbers.get(item.key.as_str()).copied()).collect::<Option<_>>()?;
    (order.len() == works.len()).then_some(order)
}

/// What most styles sort by: the names, the year, the title.
fn roughly(work: &Entry) -> (String, i32, String) {
    let title = work.title().map(|title| title.to_string().to_lowercase()).unwrap_or_default();
    let names = work.authors().or_else(|| work.editors()).unwrap_or_default();
    let said = names.iter().flat_map(|person| [Some(&person.name), person.given_name.as_ref()]).flatten();
    let names: Vec<String> = said.map(|name| name.to_lowercase()).collect();
    let names = if names.is_empty() { title.clone() } else { names.join("\n") };
    (names, work.date_any().map_or(0, |date| date.year), title)
}

#[cfg(test)]
mod tests {
    use super::*;
    use hayagriva::archive::{ArchivedStyle, locales};
    use hayagriva::citationberg::Style;
    use hayagriva::io::from_biblatex_str;

    /// What a style makes of citations of all works: each as it is cited, and the list.
    fn made(works: &[&Entry], style: &IndependentStyle, locales: &[Locale], locale: &LocaleCode) -> String {
        let mut driver = BibliographyDriver::new();
        for work in works {
            let mut request = CitationRequest::from_items(vec![CitationItem::with_entry(*work)], style, locales);
            request.locale = Some(locale.clone());
            driver.citation(request);
        }
        let list = BibliographyRequest { style, locale: Some(locale.clone()), locale_files: locales };
        let rendered = driver.finish(list);
        let cited: Vec<String> = rendered.citations.iter().map(|one| format!("{:?}", one.citation)).collect();
        let list = rendered.bibliography.map(|list| list.items);
        format!("{cited:#?}\n{list:#?}")
    }

    #[test]
    fn works_that_know_their_place_are_listed_as_the_style_sorts_them() {
        // Many are alike in part: names, years, titles, one as another.
        let names = ["Wren, Tomas", "Wren, Ada and Calloway, Ines", "{Ridge Board}", "", "de Marl, Änne", "Ōki, Ren"];
        let work = |n: usize| {
            let name = names[n * 7 % names.len()];
            let by = if name.is_empty() { String::new() } else { format!("author = {{{name}}},") };
            let kind = ["book", "article", "online", "thesis"][n % 4];
            let title = format!("{} soil {}", ["On", "The", "a", "Über"][n % 4], n % 2);
            let year = if n.is_multiple_of(11) { String::new() } else { format!("year = {{20{:02}}},", n * 5 % 4) };
            format!("@{kind}{{w{n}, {by} {year} title = {{{title}}}, journal = {{Soils}}, publisher = {{Ridge}}}}\n")
        };
        let library = from_biblatex_str(&(0..40).map(work).collect::<String>()).unwrap();
        let all: Vec<&Entry> = (0..40).filter_map(|n| library.get(&format!("w{}", n * 23 % 40))).collect();
        // One of them is cited twice.
        let cited: Vec<&Entry> = all.iter().chain(&all[3..4]).copied().collect();
        let (locales, mut sorted) = (locales(), 0);
        for name in [
            "chicago-author-date",
            "apa",
            "mla",
            "harvard-cite-them-right",
            "springer-basic-brackets",
            "deutsche-sprache",
            "chicago-notes",
            "elsevier-harvard",
            "council-of-science-editors-brackets",
            "gb-7714-2015-author-date",
            "ieee",
        ] {
            let Some(Style::Independent(style)) = ArchivedStyle::by_name(name).map(ArchivedStyle::get) else {
                continue;
            };
            for locale in [LocaleCode::en_us(), LocaleCode("de-DE".into())] {
                let Some((ranked, by_rank)) = ranked(&cited, &style, &locales, Some(&locale)) else { continue };
                sorted += 1;
                let known: Vec<&Entry> = cited.iter().map(|work| &ranked[work.key()]).collect();
                let (by_style, by_rank) =
                    (made(&cited, &style, &locales, &locale), made(&known, &by_rank, &locales, &locale));
                assert!(by_style == by_rank, "{name}, {locale:?}:\n{by_style}\n{by_rank}");
            }
        }
        assert!(sorted >= 16, "{sorted}");
    }
}
