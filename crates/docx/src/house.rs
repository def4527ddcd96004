//! What a document of the writer's house gives: its styles, its fonts, the head and the foot of its pages, its paper.

use roxmltree::{Document, Node};
use std::collections::BTreeMap;
use vineloom_office::{Opened, OpenedRelation, Relation, Unreadable};

/// What was found in a document of the house.
#[derive(Debug, Clone, Default)]
pub(crate) struct House {
    /// The part with its styles.
    pub styles_xml: String,
    /// The identifiers of its styles, by their names in small letters.
    pub styles: BTreeMap<String, String>,
    /// What the last section of it says: head and foot, paper, margins.
    pub section: String,
    /// The heads and feet that the section names, with the names by which it does.
    pub heads: Vec<(String, Relation)>,
    /// Parts that come along: their names, content types and bytes.
    pub parts: Vec<(String, Option<String>, Vec<u8>)>,
    /// What the document itself leads to besides.
    pub others: Vec<Relation>,
    pub endings: Vec<(String, String)>,
}

impl House {
    /// Reads a document.
    ///
    /// # Errors
    /// [`Unreadable`] where it is none.
    pub fn read(bytes: &[u8]) -> Result<Self, Unreadable> {
        let opened = Opened::read(bytes)?;
        let main = opened.relations("").into_iter().find(|it| it.kind == "officeDocument").and_then(|it| it.part);
        let main = main.unwrap_or_else(|| "word/document.xml".into());
        let relations = opened.relations(&main);
        let part_of = |kind: &str| relations.iter().find(|it| it.kind == kind).and_then(|it| it.part.clone());
        let styles = part_of("styles").ok_or_else(|| Unreadable::Missing("styles".into()))?;
        let styles_xml = opened.text(&styles)?.to_string();
        let mut house = House { styles: names(&styles_xml)?, styles_xml, ..House::default() };
        let text = opened.text(&main)?;
        let read = Document::parse(text).map_err(|error| Unreadable::NoArchive(error.to_string()))?;
        let section = read.descendants().rfind(|node| node.tag_name().name() == "sectPr");
        if let Some(section) = section {
            let inside = section.children().filter(Node::is_element).filter(|node| {
                let name = node.tag_name().name();
                matches!(name, "headerReference" | "footerReference" | "pgSz" | "pgMar" | "titlePg" | "cols")
            });
            for node in inside {
                let mut written = text[node.range()].to_string();
                let id = node.attributes().find(|it| it.name() == "id" && it.namespace().is_some());
                if let Some(id) = id.map(|it| it.value()) {
                    let Some(relation) = relations.iter().find(|it| it.id == id) else { continue };
                    let Some(part) = relation.part.clone() else { continue };
                    let own = format!("house{}", house.heads.len() + 1);
                    written = written.replace(&format!("\"{id}\""), &format!("\"{own}\""));
                    house.heads.push((own, Relation::inside(&relation.kind, format!("/{part}"))));
                }
                house.section.push_str(&written);
            }
        }
        let others = ["theme", "fontTable"].into_iter().filter_map(|kind| Some((kind, part_of(kind)?)));
        let others: Vec<(&str, String)> = others.collect();
        house.others = others.iter().map(|(kind, part)| Relation::inside(kind, format!("/{part}"))).collect();
        let heads = house.heads.iter().map(|(_, relation)| relation.target.trim_start_matches('/').to_string());
        let begin: Vec<String> = heads.chain(others.into_iter().map(|(_, part)| part)).collect();
        let leave = |it: &OpenedRelation| matches!(it.kind.as_str(), "attachedTemplate" | "vbaProject");
        for name in opened.reached(&begin, &leave) {
            for (name, kind) in [(name.clone(), opened.kind(&name)), (Relation::file(&name), None)] {
                if let Some(bytes) = opened.bytes(&name) {
                    house.parts.push((name, kind.map(String::from), bytes.to_vec()));
                }
            }
        }
        house.endings = opened.endings().map(|(ending, kind)| (ending.to_string(), kind.to_string())).collect();
        Ok(house)
    }
}

/// The identifiers of styles by their names.
fn names(styles: &str) -> Result<BTreeMap<String, String>, Unreadable> {
    let read = Document::parse(styles).map_err(|error| Unreadable::NoArchive(error.to_string()))?;
    let value =
        |node: Node, name: &str| node.attributes().find(|it| it.name() == name).map(|it| it.value().to_string());
    let style = |node: Node| {
        let name = node.children().find(|node| node.tag_name().name() == "name")?;
        Some((value(name, "val")?.to_lowercase(), value(node, "styleId")?))
    };
    let styles = read.root_element().children().filter(|node| node.tag_name().name() == "style");
    Ok(styles.filter_map(style).collect())
}
