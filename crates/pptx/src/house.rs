//! The design of a house: master, layouts, theme and pictures of a presentation that the writer's people made. None of its
//! slides comes along.

use crate::arrange::Place;
use crate::design::{Design, Frame, Layout, Part, Placeholders};
use crate::frame;
use roxmltree::{Document, Node};
use vineloom_export::html::palette;
use vineloom_office::{Opened, OpenedRelation, Relation, Unreadable};

const UNITS: f64 = 9525.0;
const MAIN: &str = "ppt/presentation.xml";

/// The design of a presentation.
///
/// # Errors
/// [`Unreadable`] where it is no presentation, or has no master or layout.
pub(crate) fn house(bytes: &[u8]) -> Result<Design, Unreadable> {
    let opened = Opened::read(bytes)?;
    let main = opened.relations("").into_iter().find(|it| it.kind == "officeDocument").and_then(|it| it.part);
    let main = main.unwrap_or_else(|| MAIN.into());
    let text = opened.text(&main)?;
    let read = parsed(text)?;
    let relations = opened.relations(&main);
    let part_of = |id: &str| relations.iter().find(|it| it.id == id).and_then(|it| it.part.clone());
    let masters: Vec<(String, String)> = read
        .descendants()
        .filter(|node| node.tag_name().name() == "sldMasterId")
        .filter_map(|node| {
            Some((node.attribute("id").unwrap_or("2147483648").to_string(), part_of(relation_id(node)?)?))
        })
        .collect();
    let Some((_, master)) = masters.first() else { return Err(Unreadable::Missing("master of slides".into())) };
    let size = read.descendants().find(|node| node.tag_name().name() == "sldSz");
    let measure = |name: &str, usual: f64| {
        size.and_then(|size| size.attribute(name)?.parse::<f64>().ok()).map_or(usual, |units| units / UNITS)
    };
    let size = (measure("cx", 1280.0), measure("cy", 720.0));
    let frames = frames(&opened, master, size)?;
    let notes = relations.iter().find(|it| it.kind == "notesMaster").and_then(|it| it.part.clone());
    let mut begin: Vec<String> = masters.iter().map(|(_, part)| part.clone()).collect();
    begin.extend(notes.clone());
    let others: Vec<(String, String)> = relations
        .iter()
        .filter(|it| matches!(it.kind.as_str(), "theme" | "tableStyles" | "presProps" | "viewProps"))
        .filter_map(|it| Some((it.kind.clone(), it.part.clone()?)))
        .collect();
    begin.extend(others.iter().map(|(_, part)| part.clone()));
    // Slides stay behind, and so do macros: no master leads to either.
    let leave = |it: &OpenedRelation| matches!(it.kind.as_str(), "slide" | "notesSlide" | "vbaProject");
    let mut parts = Vec::new();
    for name in opened.reached(&begin, &leave) {
        for (name, kind) in [(name.clone(), opened.kind(&name)), (Relation::file(&name), None)] {
            if let Some(bytes) = opened.bytes(&name) {
                parts.push(Part { name, kind: kind.map(String::from), bytes: bytes.to_vec() });
            }
        }
    }
    let (dark, text) = looks(&opened, master);
    let endings = opened.endings().map(|(ending, kind)| (ending.to_string(), kind.to_string())).collect();
    let notes_master = match notes {
        Some(part) => part,
        None => {
            // Notes want a master, and a house that has none gets ours, under a number that no theme of its own has.
            let (name, ours) = frame::notes_parts(990, &palette("linen", "theme"));
            parts.extend(ours);
            name
        }
    };
    let table_style = others
        .iter()
        .filter(|(kind, _)| kind == "tableStyles")
        .find_map(|(_, part)| Some(parsed(opened.text(part).ok()?).ok()?.root_element().attribute("def")?.to_string()));
    let table_style = table_style.unwrap_or_else(|| "{5C22544A-7EE6-4342-B048-85BDC9FD1C3A}".into());
    Ok(Design { size, unit: text, text, dark, parts, endings, masters, notes_master, others, frames, table_style })
}

fn parsed(text: &str) -> Result<Document<'_>, Unreadable> {
    Document::parse(text).map_err(|error| Unreadable::NoArchive(error.to_string()))
}

/// The `r:id` of an element.
fn relation_id<'a>(node: Node<'a, '_>) -> Option<&'a str> {
    node.attributes().find(|it| it.name() == "id" && it.namespace().is_some()).map(|it| it.value())
}

/// A layout of the house.
struct LayoutFound {
    part: String,
    /// What it says that it is.
    kind: Option<String>,
    placeholders: Placeholders,
    /// Where its text stands, and its title.
    body: Option<Place>,
    title: Option<Place>,
}

/// The layouts that stand for ours, by what they say that they are; for one that the house lacks, the next best.
fn frames(opened: &Opened, master: &str, size: (f64, f64)) -> Result<Vec<Frame>, Unreadable> {
    let of_master = parsed(opened.text(master)?)?;
    let layouts: Vec<LayoutFound> = opened
        .relations(master)
        .into_iter()
        .filter(|it| it.kind == "slideLayout")
        .filter_map(|it| {
            let part = it.part?;
            let read = Document::parse(opened.text(&part).ok()?).ok()?;
            let kind = read.root_element().attribute("type").map(String::from);
            let body = place_of(&read, &["body", "obj", ""]).or_else(|| place_of(&of_master, &["body"]));
            let title = place_of(&read, &["title", "ctrTitle"]).or_else(|| place_of(&of_master, &["title"]));
            Some(LayoutFound { part, kind, placeholders: placeholders(&read), body, title })
        })
        .collect();
    if layouts.is_empty() {
        return Err(Unreadable::Missing("layout of slides".into()));
    }
    let frame = |wanted: Layout| {
        let words = match wanted {
            Layout::Blank => [wanted.word(), "titleOnly", "obj"],
            Layout::TitleOnly => [wanted.word(), "obj", "tx"],
            Layout::Section => [wanted.word(), "title", "titleOnly"],
            Layout::Title => [wanted.word(), "secHead", "titleOnly"],
            Layout::Content => [wanted.word(), "tx", "objOnly"],
        };
        let named = words.iter().find_map(|word| layouts.iter().find(|it| it.kind.as_deref() == Some(word)));
        let LayoutFound { part, kind: _, placeholders, body, title } = named.unwrap_or(&layouts[0]);
        let usual = Place { x: size.0 * 0.08, y: size.1 * 0.2, wide: size.0 * 0.84, high: size.1 * 0.68 };
        let mut room = body.unwrap_or(usual);
        if let (Layout::Blank, Some(title)) = (wanted, title) {
            room = Place { high: room.y + room.high - title.y, y: title.y, ..room };
        }
        Frame { part: part.clone(), placeholders: placeholders.clone(), room }
    };
    Ok(Layout::ALL.into_iter().map(frame).collect())
}

/// The placeholder elements of a layout or a master, with their shapes.
fn all_placeholders<'a, 'b>(read: &'b Document<'a>) -> impl Iterator<Item = (Node<'b, 'a>, Node<'b, 'a>)> {
    let shape = |node: Node<'b, 'a>| node.ancestors().find(|it| it.tag_name().name() == "sp");
    read.descendants().filter(|node| node.tag_name().name() == "ph").filter_map(move |node| Some((node, shape(node)?)))
}

fn placeholders(read: &Document) -> Placeholders {
    let attributes = |kinds: &[&str]| {
        let (node, _) =
            all_placeholders(read).find(|(node, _)| kinds.contains(&node.attribute("type").unwrap_or("")))?;
        let words = ["type", "orient", "sz", "idx"].iter().filter_map(|name| Some((name, node.attribute(*name)?)));
        let words = words.filter(|(_, value)| value.chars().all(char::is_alphanumeric));
        Some(words.map(|(name, value)| format!("{name}=\"{value}\"")).collect::<Vec<_>>().join(" "))
    };
    Placeholders {
        title: attributes(&["title", "ctrTitle"]),
        body: attributes(&["subTitle"]).or_else(|| attributes(&["obj", "body", ""])),
        foot: attributes(&["ftr"]),
        number: attributes(&["sldNum"]),
    }
}

/// Where the first placeholder of one of these kinds stands.
fn place_of(read: &Document, kinds: &[&str]) -> Option<Place> {
    let (_, shape) = all_placeholders(read).find(|(node, _)| kinds.contains(&node.attribute("type").unwrap_or("")))?;
    let frame = shape.descendants().find(|node| node.tag_name().name() == "xfrm")?;
    let measure = |element: &str, name: &str| -> Option<f64> {
        let node = frame.children().find(|node| node.tag_name().name() == element)?;
        Some(node.attribute(name)?.parse::<f64>().ok()? / UNITS)
    };
    Some(Place {
        x: measure("off", "x")?,
        y: measure("off", "y")?,
        wide: measure("ext", "cx")?,
        high: measure("ext", "cy")?,
    })
}

/// Whether its slides are dark, and the size of their text, in pixels.
fn looks(opened: &Opened, master: &str) -> (bool, f64) {
    let read = opened.text(master).ok().and_then(|text| Document::parse(text).ok());
    let Some(read) = read else { return (false, 31.0) };
    let ground = read.descendants().find(|node| node.tag_name().name() == "clrMap");
    let ground = ground.and_then(|map| map.attribute("bg1")).unwrap_or("lt1");
    let theme = opened.relations(master).into_iter().find(|it| it.kind == "theme").and_then(|it| it.part);
    let colour = theme.and_then(|part| {
        let read = Document::parse(opened.text(&part).ok()?).ok()?;
        let node = read.descendants().find(|node| node.tag_name().name() == ground)?;
        let colour = node.children().find(Node::is_element)?;
        let value = colour.attribute("lastClr").or_else(|| colour.attribute("val"))?;
        u32::from_str_radix(value, 16).ok()
    });
    let bright = colour.map_or(255, |colour| {
        let [_, red, green, blue] = colour.to_be_bytes();
        (u32::from(red) * 2 + u32::from(green) * 3 + u32::from(blue)) / 6
    });
    let size = read
        .descendants()
        .find(|node| node.tag_name().name() == "bodyStyle")
        .and_then(|style| style.descendants().find(|node| node.tag_name().name() == "defRPr"))
        .and_then(|node| node.attribute("sz")?.parse::<f64>().ok());
    (bright < 110, size.map_or(31.0, |hundredths| hundredths / 75.0))
}
