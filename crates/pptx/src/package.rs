//! The package: all parts of a presentation with their relations and content types, in an archive that is the same each time.

use crate::PptxOptions;
use crate::arrange::{Place, Sizes, arranged};
use crate::frame::{GROUP, Layout, NAMESPACES, layout, master, notes_master, size, table_styles, theme};
use crate::items::{Item, Itemising, Look, Paragraph, Piece};
use crate::media::Gallery;
use crate::shapes::{Relation, Shapes};
use crate::xml::text;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::{Cursor, Write};
use vineloom_export::Assets;
use vineloom_export::deck::slides::{Slide, SlideKind};
use vineloom_export::html::{Palette, palette};
use vineloom_woven::{Block, Picture, Woven, plain_text};
use zip::result::ZipError;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

const HEAD: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n";
const OFFICE: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
const PACKAGES: &str = "http://schemas.openxmlformats.org/package/2006";

/// A slide as it is written.
struct Written {
    xml: String,
    layout: Layout,
    relations: Vec<Relation>,
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
    assets: &Assets,
) -> Result<Vec<u8>, ZipError> {
    let palette = palette(&options.theme, &options.code_colours);
    let mut gallery = Gallery::default();
    let places = places(slides);
    let slide_of = |id: &str| places.get(id).copied();
    let mut writing = Writing { woven, options, palette: &palette, assets, gallery: &mut gallery, slide_of: &slide_of };
    let written: Vec<Written> = slides.iter().map(|slide| writing.slide(slide)).collect();
    package(woven, &written, options, &palette, &gallery)
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
    palette: &'a Palette,
    assets: &'a Assets,
    gallery: &'a mut Gallery,
    slide_of: &'a dyn Fn(&str) -> Option<usize>,
}

impl Writing<'_> {
    fn slide(&mut self, slide: &Slide) -> Written {
        let (woven, options) = (self.woven, &self.options.slides.for_slide(slide));
        let (wide, high) = size(options.aspect);
        let sizes = Sizes::of(options);
        let itemising =
            Itemising { highlighted: &self.assets.highlighted, numbered: options.numbered, palette: self.palette };
        let emblem = options.emblem.as_ref().and_then(|path| Picture::new(self.assets.files.get(path)?.clone()));
        let emblem = emblem.and_then(|picture| self.gallery.add(&picture));
        let mut shapes = Shapes::new(self.gallery, self.slide_of, sizes, self.palette.dark);
        let title = |slide: &Slide| {
            let mut pieces = Vec::new();
            if let Some(heading) = slide.title {
                if options.numbered && !heading.number.is_empty() {
                    pieces.push(Piece { text: format!("{} ", heading.number), ..Piece::default() });
                }
                pieces.extend(itemising.pieces(&heading.content));
            } else if slide.kind == SlideKind::Works {
                pieces.push(Piece { text: "Works cited".into(), ..Piece::default() });
            }
            (!pieces.is_empty()).then(|| vec![Paragraph { pieces, size: 1.0, ..Paragraph::default() }])
        };
        let notes = self.woven;
        let footnotes: Vec<Item> =
            slide.footnotes.iter().flat_map(|number| footnote(&itemising, notes, *number)).collect();
        let foot = if footnotes.is_empty() { 0.0 } else { 40.0 * footnotes.len() as f64 + 14.0 };
        // However many there are, the slide keeps the greater part of its room.
        let foot = foot.min(high * 0.4);
        let layout = match slide.kind {
            SlideKind::Title => {
                let pieces = itemising.pieces(&woven.head.title);
                shapes.placeholder(
                    "type=\"ctrTitle\"",
                    "Title",
                    &[Paragraph { pieces, size: 1.0, ..Paragraph::default() }],
                    None,
                    None,
                );
                shapes.placeholder(
                    "type=\"subTitle\" idx=\"1\"",
                    "Subtitle",
                    &title_lines(woven, &itemising),
                    None,
                    None,
                );
                Layout::Title
            }
            SlideKind::Divider => {
                shapes.placeholder("type=\"title\"", "Title", &title(slide).unwrap_or_default(), None, None);
                Layout::Section
            }
            SlideKind::Content | SlideKind::Works => {
                let title = title(slide);
                let items = itemising.items(&slide.blocks);
                let has_text = items.iter().any(has_text);
                let layout = match (&title, has_text) {
                    (Some(_), true) => Layout::Content,
                    (Some(_), false) => Layout::TitleOnly,
                    (None, true) => Layout::Content,
                    (None, false) => Layout::Blank,
                };
                if let Some(title) = &title {
                    shapes.placeholder("type=\"title\"", "Title", title, None, None);
                }
                let top = if title.is_some() { 140.0 } else { 46.0 };
                let room = Place { x: 108.0, y: top, wide: wide - 192.0, high: high - top - 70.0 - foot };
                shapes.placed(&arranged(&items, room, sizes));
                layout
            }
        };
        let room = Place { x: 108.0, y: high - 66.0 - foot, wide: wide - 192.0, high: foot };
        // They are no part of the text that the slide has to say.
        shapes.boxes(&arranged(&footnotes, room, Sizes { text: sizes.text * 0.55, ..sizes }));
        if let Some(emblem) = &emblem {
            shapes.picture(emblem, "", Place { x: wide - 160.0, y: 22.0, wide: 130.0, high: 52.0 }, "");
        }
        if !matches!(slide.kind, SlideKind::Title | SlideKind::Divider) {
            if !options.foot.is_empty() {
                let pieces = vec![Piece { text: options.foot.clone(), ..Piece::default() }];
                shapes.placeholder(
                    "type=\"ftr\" sz=\"quarter\" idx=\"3\"",
                    "Foot",
                    &[Paragraph { pieces, size: 1.0, ..Paragraph::default() }],
                    None,
                    None,
                );
            }
            if options.count {
                shapes.number();
            }
        }
        let Shapes { out, relations, .. } = shapes;
        let xml = format!(
            "{HEAD}<p:sld {NAMESPACES}><p:cSld><p:spTree>{GROUP}{out}</p:spTree></p:cSld><p:clrMapOvr><a:masterClrMapping/></p:clrMapOvr></p:sld>"
        );
        let notes = (options.notes && !slide.notes.is_empty()).then(|| self.notes(&slide.notes));
        Written { xml, layout, relations, notes }
    }

    /// What the speaker sees, as plain paragraphs.
    fn notes(&self, blocks: &[Block]) -> String {
        let itemising = Itemising { highlighted: &self.assets.highlighted, numbered: false, palette: self.palette };
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

fn has_text(item: &Item) -> bool {
    match item {
        Item::Text(_) => true,
        Item::Columns { columns, .. } => columns.iter().flatten().any(has_text),
        Item::Framed(_) | Item::Code { .. } | Item::Table { .. } | Item::Figure { .. } => false,
    }
}

/// A footnote with its number before its first words.
fn footnote(itemising: &Itemising, woven: &Woven, number: vineloom_woven::NoteNumber) -> Vec<Item> {
    let mut items = itemising.items(woven.note(number));
    let mark =
        Piece { text: format!("{number} "), look: Look { baseline: 30_000, ..Look::default() }, ..Piece::default() };
    match items.first_mut() {
        Some(Item::Text(paragraphs)) if !paragraphs.is_empty() => paragraphs[0].pieces.insert(0, mark),
        _ => items.insert(0, Item::Text(vec![Paragraph { pieces: vec![mark], size: 1.0, ..Paragraph::default() }])),
    }
    items
}

/// Subtitle, authors, date and licence, a line each.
fn title_lines(woven: &Woven, itemising: &Itemising) -> Vec<Paragraph> {
    let head = &woven.head;
    let line = |words: String| Paragraph {
        pieces: vec![Piece { text: words, ..Piece::default() }],
        size: 1.0,
        ..Paragraph::default()
    };
    let mut lines = Vec::new();
    if !head.subtitle.is_empty() {
        lines.push(Paragraph { pieces: itemising.pieces(&head.subtitle), size: 1.0, ..Paragraph::default() });
    }
    let author = |author: &vineloom_woven::Author| match &author.affiliation {
        Some(place) => format!("{} ({place})", author.name),
        None => author.name.clone(),
    };
    if !head.authors.is_empty() {
        lines.push(line(head.authors.iter().map(author).collect::<Vec<_>>().join(", ")));
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
        Item::Figure { alt, .. } => lines.push(alt.clone()),
        Item::Columns { columns, .. } => columns.iter().flatten().for_each(|item| lines_of(item, lines)),
    }
}

/// The part names of a presentation with what stands in each.
struct Parts {
    files: Vec<(String, Vec<u8>)>,
    types: String,
}

impl Parts {
    fn add(&mut self, name: &str, kind: &str, xml: impl Into<Vec<u8>>) {
        let _ = write!(
            self.types,
            "<Override PartName=\"/{name}\" ContentType=\"application/vnd.openxmlformats-{kind}+xml\"/>"
        );
        self.files.push((name.into(), xml.into()));
    }

    /// The relations of a part: kind, target, and whether it leads outside.
    fn relate(&mut self, part: &str, relations: &[(&str, String, bool)]) {
        let (folder, name) = part.rsplit_once('/').unwrap_or(("", part));
        let mut xml = format!("{HEAD}<Relationships xmlns=\"{PACKAGES}/relationships\">");
        for (at, (kind, target, outside)) in relations.iter().enumerate() {
            let kind = if kind.starts_with("http") { kind.to_string() } else { format!("{OFFICE}/{kind}") };
            let mode = if *outside { " TargetMode=\"External\"" } else { "" };
            let _ =
                write!(xml, "<Relationship Id=\"rId{}\" Type=\"{kind}\" Target=\"{}\"{mode}/>", at + 1, text(target));
        }
        xml.push_str("</Relationships>");
        let folder = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        self.files.push((format!("{folder}_rels/{name}.rels"), xml.into_bytes()));
    }
}

fn package(
    woven: &Woven,
    slides: &[Written],
    options: &PptxOptions,
    colours: &Palette,
    gallery: &Gallery,
) -> Result<Vec<u8>, ZipError> {
    let aspect = options.slides.aspect;
    let mut parts = Parts { files: Vec::new(), types: String::new() };
    parts.add("docProps/app.xml", "officedocument.extended-properties", format!(
        "{HEAD}<Properties xmlns=\"http://schemas.openxmlformats.org/officeDocument/2006/extended-properties\"><Application>Vine Loom</Application><Slides>{}</Slides></Properties>",
        slides.len()
    ));
    parts.files.push(("docProps/core.xml".into(), core(woven).into_bytes()));
    parts.types.push_str("<Override PartName=\"/docProps/core.xml\" ContentType=\"application/vnd.openxmlformats-package.core-properties+xml\"/>");
    let ml = "officedocument.presentationml";
    let mut relations: Vec<(&str, String, bool)> = vec![("slideMaster", "slideMasters/slideMaster1.xml".into(), false)];
    relations.extend((1..=slides.len()).map(|at| ("slide", format!("slides/slide{at}.xml"), false)));
    relations.push(("notesMaster", "notesMasters/notesMaster1.xml".into(), false));
    relations.push(("theme", "theme/theme1.xml".into(), false));
    relations.push(("presProps", "presProps.xml".into(), false));
    relations.push(("viewProps", "viewProps.xml".into(), false));
    relations.push(("tableStyles", "tableStyles.xml".into(), false));
    let list: String =
        (0..slides.len()).map(|at| format!("<p:sldId id=\"{}\" r:id=\"rId{}\"/>", 256 + at, at + 2)).collect();
    let (wide, high) = size(aspect);
    let units = |pixels: f64| (pixels * 9525.0) as i64;
    parts.add("ppt/presentation.xml", &format!("{ml}.presentation.main"), format!(
        "{HEAD}<p:presentation {NAMESPACES} saveSubsetFonts=\"1\"><p:sldMasterIdLst><p:sldMasterId id=\"2147483648\" r:id=\"rId1\"/></p:sldMasterIdLst>\
         <p:notesMasterIdLst><p:notesMasterId r:id=\"rId{}\"/></p:notesMasterIdLst><p:sldIdLst>{list}</p:sldIdLst>\
         <p:sldSz cx=\"{}\" cy=\"{}\"/><p:notesSz cx=\"6858000\" cy=\"9144000\"/>\
             <p:defaultTextStyle><a:lvl1pPr><a:defRPr sz=\"1800\"><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl1pPr></p:defaultTextStyle></p:presentation>",
        slides.len() + 2,
        units(wide),
        units(high)
    ));
    parts.relate("ppt/presentation.xml", &relations);
    parts.add("ppt/presProps.xml", &format!("{ml}.presProps"), format!("{HEAD}<p:presentationPr {NAMESPACES}/>"));
    parts.add("ppt/viewProps.xml", &format!("{ml}.viewProps"), format!("{HEAD}<p:viewPr {NAMESPACES}/>"));
    parts.add("ppt/tableStyles.xml", &format!("{ml}.tableStyles"), HEAD.to_string() + &table_styles());
    // Notes are printed: they are light whatever the slides are.
    for (number, colours) in [(1, colours), (2, &palette("linen", "theme"))] {
        parts.add(&format!("ppt/theme/theme{number}.xml"), "officedocument.theme", HEAD.to_string() + &theme(colours));
    }
    parts.add(
        "ppt/slideMasters/slideMaster1.xml",
        &format!("{ml}.slideMaster"),
        HEAD.to_string() + &master(aspect, Sizes::of(&options.slides).text, colours),
    );
    let mut of_master: Vec<(&str, String, bool)> = Layout::ALL
        .iter()
        .map(|layout| ("slideLayout", format!("../slideLayouts/slideLayout{}.xml", layout.number()), false))
        .collect();
    of_master.push(("theme", "../theme/theme1.xml".into(), false));
    parts.relate("ppt/slideMasters/slideMaster1.xml", &of_master);
    for kind in Layout::ALL {
        let name = format!("ppt/slideLayouts/slideLayout{}.xml", kind.number());
        parts.add(&name, &format!("{ml}.slideLayout"), HEAD.to_string() + &layout(kind, aspect));
        parts.relate(&name, &[("slideMaster", "../slideMasters/slideMaster1.xml".into(), false)]);
    }
    parts.add("ppt/notesMasters/notesMaster1.xml", &format!("{ml}.notesMaster"), HEAD.to_string() + &notes_master());
    parts.relate("ppt/notesMasters/notesMaster1.xml", &[("theme", "../theme/theme2.xml".into(), false)]);
    for (at, slide) in slides.iter().enumerate() {
        slide_parts(&mut parts, slide, at + 1, ml);
    }
    let root = [
        ("officeDocument", "ppt/presentation.xml".to_string(), false),
        (
            "http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties",
            "docProps/core.xml".into(),
            false,
        ),
        ("extended-properties", "docProps/app.xml".into(), false),
    ];
    parts.relate("", &root);
    for (name, bytes) in &gallery.files {
        parts.files.push((format!("ppt/media/{name}"), bytes.clone()));
    }
    archive(parts)
}

fn slide_parts(parts: &mut Parts, slide: &Written, number: usize, ml: &str) {
    let name = format!("ppt/slides/slide{number}.xml");
    parts.add(&name, &format!("{ml}.slide"), slide.xml.clone());
    let layout = ("slideLayout", format!("../slideLayouts/slideLayout{}.xml", slide.layout.number()), false);
    let mut relations = vec![layout];
    relations.extend(slide.relations.iter().map(|relation| match relation {
        Relation::Media(file) => ("image", format!("../media/{file}"), false),
        Relation::Slide(number) => ("slide", format!("slide{number}.xml"), false),
        Relation::Address(address) => ("hyperlink", address.clone(), true),
    }));
    relations
        .extend(slide.notes.iter().map(|_| ("notesSlide", format!("../notesSlides/notesSlide{number}.xml"), false)));
    parts.relate(&name, &relations);
    if let Some(notes) = &slide.notes {
        let name = format!("ppt/notesSlides/notesSlide{number}.xml");
        parts.add(&name, &format!("{ml}.notesSlide"), notes.clone());
        parts.relate(
            &name,
            &[
                ("notesMaster", "../notesMasters/notesMaster1.xml".into(), false),
                ("slide", format!("../slides/slide{number}.xml"), false),
            ],
        );
    }
}

/// What the file says of itself.
fn core(woven: &Woven) -> String {
    let head = &woven.head;
    let authors: Vec<&str> = head.authors.iter().map(|author| author.name.as_str()).collect();
    let day = head.day.as_deref().map_or_else(String::new, |day| {
        format!("<dcterms:created xsi:type=\"dcterms:W3CDTF\">{0}T00:00:00Z</dcterms:created><dcterms:modified xsi:type=\"dcterms:W3CDTF\">{0}T00:00:00Z</dcterms:modified>", text(day))
    });
    format!(
        "{HEAD}<cp:coreProperties xmlns:cp=\"{PACKAGES}/metadata/core-properties\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\" xmlns:dcterms=\"http://purl.org/dc/terms/\" xmlns:xsi=\"http://www.w3.org/2001/XMLSchema-instance\">\
         <dc:title>{}</dc:title><dc:creator>{}</dc:creator><dc:language>{}</dc:language>{day}</cp:coreProperties>",
        text(&plain_text(&head.title)),
        text(&authors.join(", ")),
        text(&head.language)
    )
}

/// The archive. What it says of itself comes first, as it is, so that a file can be known by its beginning.
fn archive(parts: Parts) -> Result<Vec<u8>, ZipError> {
    let media = ["png", "jpeg", "gif"]
        .map(|ending| format!("<Default Extension=\"{ending}\" ContentType=\"image/{ending}\"/>"))
        .concat();
    let types = format!(
        "{HEAD}<Types xmlns=\"{PACKAGES}/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>\
         <Default Extension=\"xml\" ContentType=\"application/xml\"/>{media}<Default Extension=\"svg\" ContentType=\"image/svg+xml\"/>{}</Types>",
        parts.types
    );
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    let files = parts.files.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice()));
    let (own, others): (Vec<_>, Vec<_>) = files.partition(|(name, _)| *name == "docProps/app.xml");
    for (name, bytes) in own.into_iter().chain([("[Content_Types].xml", types.as_bytes())]).chain(others) {
        let packed =
            name.ends_with(".xml") && name != "docProps/app.xml" || name.ends_with(".rels") || name.ends_with(".svg");
        let method = if packed { CompressionMethod::Deflated } else { CompressionMethod::Stored };
        // No file has the time at which it was made: the same slides give the same bytes.
        writer.start_file(
            name,
            SimpleFileOptions::default().compression_method(method).last_modified_time(zip::DateTime::default()),
        )?;
        writer.write_all(bytes)?;
    }
    Ok(writer.finish()?.into_inner())
}
