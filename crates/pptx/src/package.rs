//! The package: slides on their design, with what they lead to.

use crate::PptxOptions;
use crate::arrange::{Place, Sizes, arranged};
use crate::design::{Design, Layout};
use crate::frame::{GROUP, NAMESPACES, kind};
use crate::items::{Item, Itemising};
use crate::pieces::{Look, Paragraph, Piece, Words};
use crate::shapes::{Link, Shapes};
use std::collections::BTreeMap;
use vineloom_export::Assets;
use vineloom_export::deck::slides::{Slide, SlideKind};
use vineloom_export::html::Palette;
use vineloom_export::xml::text;
use vineloom_office::{Gallery, HEAD, Package, Relation};
use vineloom_woven::Word;
use vineloom_woven::{Block, Picture, Woven};
use zip::result::ZipError;

/// A slide as it is written.
struct Written {
    xml: String,
    layout: Layout,
    links: Vec<Link>,
    /// Its notes, where it has some.
    notes: Option<String>,
}

/// The presentation.
///
/// # Errors
/// What keeps the archive from being made.
pub(crate) fn presentation(
    woven: &Woven,
    slides: &[Slide],
    options: &PptxOptions,
    (design, palette): (&Design, &Palette),
    assets: &Assets,
) -> Result<Vec<u8>, ZipError> {
    let mut gallery = Gallery::default();
    let places = places(slides);
    let slide_of = |id: &str| places.get(id).copied();
    let mut writing = Writing { woven, options, design, palette, assets, gallery: &mut gallery, slide_of: &slide_of };
    let written: Vec<Written> = slides.iter().map(|slide| writing.slide(slide)).collect();
    package(woven, &written, design, &gallery)
}

/// Which slide each identifier stands on.
fn places(slides: &[Slide]) -> BTreeMap<String, usize> {
    let mut places = BTreeMap::new();
    for (at, slide) in slides.iter().enumerate() {
        let mut add = |id: &str| {
            places.entry(id.to_string()).or_insert(at + 1);
        };
        add(&slide.id);
        vineloom_woven::each_block(&slide.blocks, &mut |block| match block {
            Block::Heading(heading) => heading.id.iter().for_each(|id| add(id.as_str())),
            Block::Equation { id, .. } | Block::Group { id, .. } | Block::Listing { id, .. } => {
                id.iter().for_each(|id| add(id.as_str()));
            }
            Block::Place(id) => add(id.as_str()),
            Block::Run(run) => add(run.id.as_str()),
            Block::Works(works) => works.iter().for_each(|work| add(work.id.as_str())),
            _ => {}
        });
    }
    places
}

struct Writing<'a> {
    woven: &'a Woven,
    options: &'a PptxOptions,
    design: &'a Design,
    palette: &'a Palette,
    assets: &'a Assets,
    gallery: &'a mut Gallery,
    slide_of: &'a dyn Fn(&str) -> Option<usize>,
}

impl Writing<'_> {
    fn slide(&mut self, slide: &Slide) -> Written {
        let (woven, options) = (self.woven, &self.options.slides.for_slide(slide));
        let design = self.design;
        let (wide, high) = design.size;
        let sizes = Sizes::of(options, design.unit);
        let itemising = itemising(self.woven, self.assets, self.palette, options.numbered);
        let emblem = options.emblem.as_ref().and_then(|path| Picture::new(self.assets.files.get(path)?.clone()));
        let emblem = emblem.and_then(|picture| self.gallery.add(&picture));
        let mut shapes = Shapes::new(self.gallery, self.slide_of, sizes, design, self.palette);
        let title = |slide: &Slide| {
            let mut pieces = Vec::new();
            if let Some(heading) = slide.title {
                if options.numbered && !heading.number.is_empty() {
                    pieces.push(Piece { text: format!("{} ", heading.number), ..Piece::default() });
                }
                pieces.extend(itemising.words.pieces(&heading.content));
            } else if slide.kind == SlideKind::Works {
                pieces.push(Piece { text: woven.head.words.word(Word::WorksCited).into(), ..Piece::default() });
            }
            (!pieces.is_empty()).then(|| vec![Paragraph::whole(pieces)])
        };
        let notes = self.woven;
        let footnotes: Vec<Item> =
            slide.footnotes.iter().flat_map(|number| footnote(&itemising, notes, *number)).collect();
        let foot = if footnotes.is_empty() { 0.0 } else { 40.0 * footnotes.len() as f64 + 14.0 };
        // However many there are, the slide keeps the greater part of its room.
        let foot = foot.min(high * 0.4);
        let (title, items) = match slide.kind {
            SlideKind::Title => (Some(vec![Paragraph::whole(itemising.words.pieces(&woven.head.title))]), Vec::new()),
            SlideKind::Divider => (Some(title(slide).unwrap_or_default()), Vec::new()),
            SlideKind::Content | SlideKind::Works => (title(slide), itemising.items(&slide.blocks)),
        };
        let layout = match slide.kind {
            SlideKind::Title => Layout::Title,
            SlideKind::Divider => Layout::Section,
            _ if items.iter().any(has_text) => Layout::Content,
            _ if title.is_some() => Layout::TitleOnly,
            _ => Layout::Blank,
        };
        let frame = design.frame(layout);
        let places = &frame.placeholders;
        if let Some(title) = &title {
            match &places.title {
                Some(place) => shapes.placeholder(place, "Title", title, None, None),
                None => shapes.boxes(&arranged(&[Item::Text(title.clone())], frame.room, sizes)),
            }
        }
        if let (SlideKind::Title, Some(place)) = (slide.kind, &places.body) {
            shapes.placeholder(place, "Subtitle", &title_lines(woven, &itemising), None, None);
        }
        // Text without a title begins where the title would.
        let room = if title.is_none() { design.frame(Layout::Blank).room } else { frame.room };
        let above = Place { high: room.high - foot, ..room };
        shapes.placed(&arranged(&items, above, sizes), places.body.as_deref().filter(|_| layout == Layout::Content));
        let below = Place { y: room.y + room.high - foot + 4.0, high: foot, ..room };
        // They are no part of the text that the slide has to say.
        shapes.boxes(&arranged(&footnotes, below, Sizes { text: sizes.text * 0.55, ..sizes }));
        if let Some(emblem) = &emblem {
            shapes.picture(emblem, "", Place { x: wide - 160.0, y: 22.0, wide: 130.0, high: 52.0 }, "");
        }
        if !matches!(slide.kind, SlideKind::Title | SlideKind::Divider) {
            if let Some(place) = places.foot.as_ref().filter(|_| !options.foot.is_empty()) {
                let foot = vec![Piece { text: options.foot.clone(), ..Piece::default() }];
                shapes.placeholder(place, "Foot", &[Paragraph::whole(foot)], None, None);
            }
            if let Some(place) = places.number.as_ref().filter(|_| options.count) {
                shapes.number(place);
            }
        }
        let Shapes { out, links, .. } = shapes;
        let xml = format!(
            "{HEAD}<p:sld {NAMESPACES}><p:cSld><p:spTree>{GROUP}{out}</p:spTree></p:cSld><p:clrMapOvr><a:masterClrMapping/></p:clrMapOvr></p:sld>"
        );
        let notes = (options.notes && !slide.notes.is_empty()).then(|| self.notes(&slide.notes));
        Written { xml, layout, links, notes }
    }

    /// What the speaker sees, as plain paragraphs.
    fn notes(&self, blocks: &[Block]) -> String {
        let itemising = itemising(self.woven, self.assets, self.palette, false);
        let mut lines = Vec::new();
        itemising.items(blocks).iter().for_each(|item| lines_of(item, &mut lines));
        let paragraphs: String = lines
            .iter()
            .map(|line| format!("<a:p><a:r><a:rPr dirty=\"0\"/><a:t>{}</a:t></a:r></a:p>", text(line)))
            .collect();
        format!(
            "{HEAD}<p:notes {NAMESPACES}><p:cSld><p:spTree>{GROUP}<p:sp><p:nvSpPr><p:cNvPr id=\"2\" name=\"Slide\"/><p:cNvSpPr><a:spLocks noGrp=\"1\" noRot=\"1\" noChangeAspect=\"1\"/></p:cNvSpPr>\
             <p:nvPr><p:ph type=\"sldImg\"/></p:nvPr></p:nvSpPr><p:spPr/></p:sp><p:sp><p:nvSpPr><p:cNvPr id=\"3\" name=\"Notes\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr>\
             <p:nvPr><p:ph type=\"body\" idx=\"1\"/></p:nvPr></p:nvSpPr><p:spPr/><p:txBody><a:bodyPr/><a:lstStyle/>{paragraphs}</p:txBody></p:sp></p:spTree></p:cSld>\
             <p:clrMapOvr><a:masterClrMapping/></p:clrMapOvr></p:notes>"
        )
    }
}

fn itemising<'a>(woven: &'a Woven, assets: &'a Assets, palette: &'a Palette, numbered: bool) -> Itemising<'a> {
    Itemising {
        highlighted: &assets.highlighted,
        palette,
        words: Words { numbered, macros: &woven.head.macros, vocabulary: &woven.head.words },
    }
}

fn has_text(item: &Item) -> bool {
    match item {
        Item::Text(_) => true,
        Item::Columns { columns, .. } => columns.iter().flatten().any(has_text),
        Item::Framed(_) | Item::Code { .. } | Item::Formula { .. } | Item::Table { .. } | Item::Figure { .. } => false,
    }
}

/// A footnote with its number before its first words.
fn footnote(itemising: &Itemising, woven: &Woven, number: vineloom_woven::NoteNumber) -> Vec<Item> {
    let mut items = itemising.items(woven.note(number));
    let mark =
        Piece { text: format!("{number} "), look: Look { baseline: 30_000, ..Look::default() }, ..Piece::default() };
    match items.first_mut() {
        Some(Item::Text(paragraphs)) if !paragraphs.is_empty() => paragraphs[0].pieces.insert(0, mark),
        _ => items.insert(0, Item::Text(vec![Paragraph::whole(vec![mark])])),
    }
    items
}

/// Subtitle, authors, date and licence, a line each.
fn title_lines(woven: &Woven, itemising: &Itemising) -> Vec<Paragraph> {
    let head = &woven.head;
    let line = |words: String| Paragraph::whole(vec![Piece { text: words, ..Piece::default() }]);
    let mut lines = Vec::new();
    if !head.subtitle.is_empty() {
        lines.push(Paragraph::whole(itemising.words.pieces(&head.subtitle)));
    }
    if !head.authors.is_empty() {
        lines.push(line(head.authors.iter().map(vineloom_woven::Author::with_place).collect::<Vec<_>>().join(", ")));
    }
    lines.extend(head.date.clone().map(line));
    lines.extend(head.licence.as_ref().map(|licence| line(format!("Licence: {licence}"))));
    lines
}

fn lines_of(item: &Item, lines: &mut Vec<String>) {
    let line = |paragraph: &Paragraph| paragraph.pieces.iter().map(|piece| piece.text.as_str()).collect::<String>();
    match item {
        Item::Text(paragraphs) | Item::Framed(paragraphs) | Item::Code { lines: paragraphs, .. } => {
            lines.extend(paragraphs.iter().map(line))
        }
        Item::Table { rows, .. } => {
            lines.extend(rows.iter().map(|row| row.iter().map(line).collect::<Vec<_>>().join("  ")))
        }
        Item::Formula { plain, .. } => lines.push(plain.clone()),
        Item::Figure { alt, .. } => lines.push(alt.clone()),
        Item::Columns { columns, .. } => columns.iter().flatten().for_each(|item| lines_of(item, lines)),
    }
}

const ML: &str = "presentationml";

fn package(woven: &Woven, slides: &[Written], design: &Design, gallery: &Gallery) -> Result<Vec<u8>, ZipError> {
    let mut package = Package::new(woven, &format!("<Slides>{}</Slides>", slides.len()));
    for (ending, kind) in &design.endings {
        package.ending(ending, kind);
    }
    for part in &design.parts {
        match &part.kind {
            Some(kind) => package.add(&part.name, kind, part.bytes.clone()),
            None => package.add_plain(&part.name, part.bytes.clone()),
        }
    }
    let from_ppt = |part: &str| part.strip_prefix("ppt/").map_or_else(|| format!("/{part}"), String::from);
    let mut relations: Vec<Relation> =
        design.masters.iter().map(|(_, part)| Relation::inside("slideMaster", from_ppt(part))).collect();
    let first = relations.len() + 1;
    relations.extend((1..=slides.len()).map(|at| Relation::inside("slide", format!("slides/slide{at}.xml"))));
    relations.push(Relation::inside("notesMaster", from_ppt(&design.notes_master)));
    let notes = relations.len();
    relations.extend(design.others.iter().map(|(kind, part)| Relation::inside(kind, from_ppt(part))));
    let masters: String = design
        .masters
        .iter()
        .enumerate()
        .map(|(at, (id, _))| format!("<p:sldMasterId id=\"{}\" r:id=\"rId{}\"/>", text(id), at + 1))
        .collect();
    let list: String =
        (0..slides.len()).map(|at| format!("<p:sldId id=\"{}\" r:id=\"rId{}\"/>", 256 + at, at + first)).collect();
    let (wide, high) = design.size;
    let units = |pixels: f64| (pixels * 9525.0) as i64;
    let main = format!(
        "{HEAD}<p:presentation {NAMESPACES} saveSubsetFonts=\"1\"><p:sldMasterIdLst>{masters}</p:sldMasterIdLst>\
         <p:notesMasterIdLst><p:notesMasterId r:id=\"rId{notes}\"/></p:notesMasterIdLst><p:sldIdLst>{list}</p:sldIdLst>\
         <p:sldSz cx=\"{}\" cy=\"{}\"/><p:notesSz cx=\"6858000\" cy=\"9144000\"/>\
             <p:defaultTextStyle><a:lvl1pPr><a:defRPr sz=\"1800\"><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl1pPr></p:defaultTextStyle></p:presentation>",
        units(wide),
        units(high)
    );
    package.add("ppt/presentation.xml", &kind(&format!("{ML}.presentation.main")), main);
    package.relate("ppt/presentation.xml", &relations);
    for (at, slide) in slides.iter().enumerate() {
        slide_parts(&mut package, slide, at + 1, design);
    }
    package.relate("", &[Relation::inside("officeDocument", "ppt/presentation.xml")]);
    for (name, bytes) in &gallery.files {
        package.add_plain(&format!("ppt/media/{OWN}{name}"), bytes.clone());
    }
    package.archive()
}

/// What the names of our pictures begin with, among those of a house.
const OWN: &str = "figure-";

fn slide_parts(package: &mut Package, slide: &Written, number: usize, design: &Design) {
    let name = format!("ppt/slides/slide{number}.xml");
    package.add(&name, &kind(&format!("{ML}.slide")), slide.xml.clone());
    let mut relations = vec![Relation::inside("slideLayout", format!("/{}", design.frame(slide.layout).part))];
    relations.extend(slide.links.iter().map(|link| match link {
        Link::Media(file) => Relation::inside("image", format!("../media/{OWN}{file}")),
        Link::Slide(number) => Relation::inside("slide", format!("slide{number}.xml")),
        Link::Address(address) => Relation::address(address),
    }));
    let notes = slide.notes.iter();
    relations.extend(notes.map(|_| Relation::inside("notesSlide", format!("../notesSlides/notesSlide{number}.xml"))));
    package.relate(&name, &relations);
    if let Some(notes) = &slide.notes {
        let name = format!("ppt/notesSlides/notesSlide{number}.xml");
        package.add(&name, &kind(&format!("{ML}.notesSlide")), notes.clone());
        let master = Relation::inside("notesMaster", format!("/{}", design.notes_master));
        package.relate(&name, &[master, Relation::inside("slide", format!("../slides/slide{number}.xml"))]);
    }
}
