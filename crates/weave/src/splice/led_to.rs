//! Which places of a document its own references and links lead to.

use super::Splicer;
use ecow::EcoString;
use std::collections::{BTreeSet, HashMap};
use vineloom_document::{InlineKind, Sought, Span};
use vineloom_woven::Id;

/// What references and links of a document lead to within it.
pub(super) struct LedTo {
    places: BTreeSet<EcoString>,
    /// The places of headings among them, by where the headings begin.
    headings: HashMap<usize, Id>,
}

impl LedTo {
    pub fn of(splicer: &Splicer) -> Self {
        let document = splicer.document;
        let mut places = BTreeSet::new();
        document.each_inline(Sought::References, &mut |inline| {
            if let InlineKind::Reference(to) = &inline.kind {
                places.insert(to.name.split(':').next().unwrap_or(&to.name).into());
            }
        });
        document.each_inline(Sought::Links, &mut |inline| {
            if let InlineKind::Link(link) = &inline.kind {
                places.extend(splicer.fill(&link.target).strip_prefix('#').map(EcoString::from));
            }
        });
        let headings = splicer.headings.iter().filter_map(|heading| {
            let id = heading.id.clone().filter(|id| places.contains(id.as_str()))?;
            Some((heading.span.start, id))
        });
        LedTo { headings: headings.collect(), places }
    }

    /// The place of a heading that has no name, where something leads there.
    pub fn heading(&self, heading: Span) -> Option<&Id> {
        self.headings.get(&heading.start)
    }

    /// Whether something leads to a place.
    pub fn contains(&self, place: &str) -> bool {
        self.places.contains(place)
    }
}
