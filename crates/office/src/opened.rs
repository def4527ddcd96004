//! A package that somebody else made, read for what can be taken over.

use crate::package::Relation;
use std::collections::BTreeMap;
use std::io::{Cursor, Read};

/// The most bytes that the parts of a package may have together: a small file can claim to hold any number.
const MOST: u64 = 200_000_000;

/// Why a package can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Unreadable {
    /// It is no archive.
    #[error("it is no office file: {0}")]
    NoArchive(String),
    /// It is larger than anybody's house style.
    #[error("its parts are larger than {} MB", MOST / 1_000_000)]
    TooLarge,
    /// A part is missing that it can't do without.
    #[error("it has no {0}")]
    Missing(String),
}

/// A package that was read.
#[derive(Debug, Clone, Default)]
pub struct Opened {
    parts: BTreeMap<String, Vec<u8>>,
    types: BTreeMap<String, String>,
    endings: BTreeMap<String, String>,
}

/// A relation of a part of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenedRelation {
    /// The name by which the part calls it.
    pub id: String,
    /// What the other is to it: the last word of the kind's address.
    pub kind: String,
    /// The other part by its name in the package; nothing for an address outside.
    pub part: Option<String>,
    /// The address outside, or the path as it is written.
    pub target: String,
}

impl Opened {
    /// Reads a package.
    ///
    /// # Errors
    /// [`Unreadable`] where it is none, or too large.
    pub fn read(bytes: &[u8]) -> Result<Self, Unreadable> {
        let unreadable = |error: zip::result::ZipError| Unreadable::NoArchive(error.to_string());
        let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).map_err(unreadable)?;
        let mut opened = Opened::default();
        let mut left = MOST;
        for at in 0..archive.len() {
            let file = archive.by_index(at).map_err(unreadable)?;
            let name = file.name().map_err(unreadable)?.trim_start_matches('/').to_string();
            let mut bytes = Vec::new();
            let read = file.take(left + 1).read_to_end(&mut bytes);
            read.map_err(|error| Unreadable::NoArchive(error.to_string()))?;
            left = left.checked_sub(bytes.len() as u64).ok_or(Unreadable::TooLarge)?;
            opened.parts.insert(name, bytes);
        }
        let types = opened.text("[Content_Types].xml")?.to_string();
        let read = roxmltree::Document::parse(&types).map_err(|error| Unreadable::NoArchive(error.to_string()))?;
        for node in read.root_element().children().filter(roxmltree::Node::is_element) {
            let of = |name: &str| node.attribute(name).unwrap_or_default().to_string();
            match node.tag_name().name() {
                "Default" => opened.endings.insert(of("Extension").to_lowercase(), of("ContentType")),
                _ => opened.types.insert(of("PartName").trim_start_matches('/').into(), of("ContentType")),
            };
        }
        Ok(opened)
    }

    /// A part that is text.
    ///
    /// # Errors
    /// [`Unreadable::Missing`] where there is none.
    pub fn text(&self, name: &str) -> Result<&str, Unreadable> {
        let bytes = self.parts.get(name).ok_or_else(|| Unreadable::Missing(name.into()))?;
        let text = std::str::from_utf8(bytes).map_err(|_| Unreadable::Missing(format!("readable {name}")))?;
        Ok(text.trim_start_matches('\u{FEFF}'))
    }

    /// The bytes of a part.
    pub fn bytes(&self, name: &str) -> Option<&[u8]> {
        self.parts.get(name).map(Vec::as_slice)
    }

    /// The content type of a part.
    pub fn kind(&self, name: &str) -> Option<&str> {
        let ending = name.rsplit_once('.').map(|(_, ending)| ending.to_lowercase())?;
        self.types.get(name).or_else(|| self.endings.get(&ending)).map(String::as_str)
    }

    /// The content types by the endings of names.
    pub fn endings(&self) -> impl Iterator<Item = (&str, &str)> {
        self.endings.iter().map(|(ending, kind)| (ending.as_str(), kind.as_str()))
    }

    /// The relations of a part; of the package where the name is empty.
    pub fn relations(&self, part: &str) -> Vec<OpenedRelation> {
        let Ok(text) = self.text(&Relation::file(part)) else { return Vec::new() };
        let Ok(read) = roxmltree::Document::parse(text) else { return Vec::new() };
        let relation = |node: roxmltree::Node| {
            let of = |name: &str| node.attribute(name).unwrap_or_default();
            let outside = of("TargetMode") == "External";
            Some(OpenedRelation {
                id: of("Id").into(),
                kind: of("Type").rsplit('/').next()?.into(),
                part: (!outside).then(|| joined(part, of("Target"))),
                target: of("Target").into(),
            })
        };
        read.root_element().children().filter(roxmltree::Node::is_element).filter_map(relation).collect()
    }

    /// A part and all that it leads to, by their names; what `leave` says is not followed.
    pub fn reached(&self, parts: &[String], leave: &dyn Fn(&OpenedRelation) -> bool) -> Vec<String> {
        let mut reached: Vec<String> = Vec::new();
        let mut waiting = parts.to_vec();
        while let Some(part) = waiting.pop() {
            if reached.contains(&part) || !self.parts.contains_key(&part) {
                continue;
            }
            let relations = self.relations(&part);
            waiting.extend(relations.into_iter().filter(|relation| !leave(relation)).filter_map(|it| it.part));
            reached.push(part);
        }
        reached
    }
}

/// The name of a part from the path that another part has to it.
fn joined(from: &str, target: &str) -> String {
    if let Some(whole) = target.strip_prefix('/') {
        return whole.into();
    }
    let mut steps: Vec<&str> = from.rsplit_once('/').map_or(Vec::new(), |(folder, _)| folder.split('/').collect());
    for step in target.split('/') {
        match step {
            ".." => {
                steps.pop();
            }
            "." | "" => {}
            step => steps.push(step),
        }
    }
    steps.join("/")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Package;
    use vineloom_woven::Woven;

    #[test]
    fn what_was_made_is_read_with_what_it_leads_to() {
        let mut package = Package::new(&Woven::default(), "");
        package.add("ppt/main.xml", "application/x+xml", "<a/>");
        package.add_plain("ppt/media/a.png", b"dots".to_vec());
        package.relate("ppt/main.xml", &[Relation::inside("image", "media/a.png"), Relation::address("https://x.org")]);
        let opened = Opened::read(&package.archive().unwrap()).unwrap();
        assert_eq!(opened.kind("ppt/main.xml"), Some("application/x+xml"));
        assert_eq!(opened.kind("ppt/media/a.png"), Some("image/png"));
        let reached = opened.reached(&["ppt/main.xml".into()], &|_| false);
        assert_eq!(reached, ["ppt/main.xml", "ppt/media/a.png"]);
        assert!(opened.reached(&["ppt/main.xml".into()], &|it| it.kind == "image").len() == 1);
        assert!(Opened::read(b"no archive").is_err());
    }

    #[test]
    fn paths_lead_from_the_folder_of_a_part() {
        assert_eq!(joined("ppt/slides/a.xml", "../media/b.png"), "ppt/media/b.png");
        assert_eq!(joined("ppt/a.xml", "/docProps/b.xml"), "docProps/b.xml");
        assert_eq!(joined("a.xml", "../../b.xml"), "b.xml");
    }
}
