//! The keys of works in a BibLaTeX file, with where each is given; what they hold is read by whoever cites.

use crate::name::Name;
use crate::source::Source;
use crate::span::Span;

/// Finds the keys of all entries. `@comment`, `@string` and `@preamble` are none.
pub fn keys(source: &Source) -> Vec<(Name, Span)> {
    let text = source.text();
    let mut found = Vec::new();
    for (at, _) in text.match_indices('@') {
        let rest = &text[at + 1..];
        let kind_end = rest.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(rest.len());
        let kind = rest[..kind_end].to_lowercase();
        let Some(inside) = rest[kind_end..].trim_start().strip_prefix('{') else { continue };
        if kind.is_empty() || matches!(kind.as_str(), "comment" | "string" | "preamble") {
            continue;
        }
        let Some(end) = inside.find(',') else { continue };
        let key = inside[..end].trim();
        if let Some(name) = Name::new(key) {
            // `inside` is the tail of the text up to its end.
            let offset = text.len() - inside.len();
            let lead = inside[..end].len() - inside[..end].trim_start().len();
            let begin = source.base() + offset + lead;
            found.push((name, Span::new(begin, begin + key.len())));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_are_found_and_other_entries_are_not() {
        let text =
            "@comment{x, y}\n@article{calloway2019,\n title = {Soil @ depth},\n}\n@Book { wren-2021 , title={T} }\n";
        let source = Source::new("l.bib", text);
        let found = keys(&source);
        let names: Vec<&str> = found.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(names, ["calloway2019", "wren-2021"]);
        assert_eq!(source.slice(found[1].1), "wren-2021");
    }
}
