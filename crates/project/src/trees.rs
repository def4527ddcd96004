//! The woven trees of a document: one, unless some of it stands for some formats alone.

use vineloom_document::options::Format;
use vineloom_woven::Woven;

/// A document as it is woven for each format.
#[derive(Debug)]
pub struct Trees {
    /// Formats in all of which the same stands, with what does.
    groups: Vec<(Vec<Format>, Woven)>,
    /// What stands in formats that nobody asked for.
    nothing: Woven,
}

impl Trees {
    pub(crate) fn new(groups: Vec<(Vec<Format>, Woven)>) -> Self {
        Trees { groups, nothing: Woven::default() }
    }

    /// What stands in a format; nothing in one that was not asked for.
    pub fn of(&self, format: Format) -> &Woven {
        let group = self.groups.iter().find(|(formats, _)| formats.contains(&format));
        group.map_or(&self.nothing, |(_, tree)| tree)
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = &Woven> {
        self.groups.iter().map(|(_, tree)| tree)
    }
}
