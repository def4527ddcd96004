//! Our own design of slides: its theme, the master, the layouts, the master of notes.

use crate::arrange::{Place, Sizes};
use crate::design::{Design, Frame, Layout, Part, Placeholders};
use vineloom_export::deck::Aspect;
use vineloom_export::deck::SlideOptions;
use vineloom_export::html::{Palette, palette};
use vineloom_office::{HEAD, Relation, theme};

/// The namespaces of every part.
pub(crate) const NAMESPACES: &str = "xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" \
    xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\" \
    xmlns:p=\"http://schemas.openxmlformats.org/presentationml/2006/main\"";

/// The group that all shapes of a slide stand in.
pub(crate) const GROUP: &str = "<p:nvGrpSpPr><p:cNvPr id=\"1\" name=\"\"/><p:cNvGrpSpPr/><p:nvPr/></p:nvGrpSpPr>\
    <p:grpSpPr><a:xfrm><a:off x=\"0\" y=\"0\"/><a:ext cx=\"0\" cy=\"0\"/><a:chOff x=\"0\" y=\"0\"/><a:chExt cx=\"0\" cy=\"0\"/></a:xfrm></p:grpSpPr>";

/// The identifier of the one style of tables.
const TABLES: &str = "{9D7B030F-B1BA-407E-9B7E-2B7E5B1B7A65}";
/// The size of text, in pixels.
const UNIT: f64 = 31.0;
const MASTER: &str = "ppt/slideMasters/slideMaster1.xml";

/// The content type of a part of a presentation.
pub(crate) fn kind(word: &str) -> String {
    format!("application/vnd.openxmlformats-officedocument.{word}+xml")
}

fn part(name: &str, word: &str, xml: &str) -> Part {
    Part { name: name.into(), kind: Some(kind(word)), bytes: format!("{HEAD}{xml}").into_bytes() }
}

fn relations(of: &str, relations: &[Relation]) -> Part {
    Part { name: Relation::file(of), kind: None, bytes: Relation::list(relations).into_bytes() }
}

/// The design in the colours of a theme.
pub(crate) fn ours(options: &SlideOptions, colours: &Palette) -> Design {
    let aspect = options.aspect;
    let text = Sizes::of(options, UNIT).text;
    let size = size(aspect);
    let layout_part = |kind: Layout| format!("ppt/slideLayouts/slideLayout{}.xml", kind.index() + 1);
    let mut parts = vec![
        part("ppt/presProps.xml", "presentationml.presProps", &format!("<p:presentationPr {NAMESPACES}/>")),
        part("ppt/viewProps.xml", "presentationml.viewProps", &format!("<p:viewPr {NAMESPACES}/>")),
        part("ppt/tableStyles.xml", "presentationml.tableStyles", &table_styles()),
        part("ppt/theme/theme1.xml", "theme", &theme(colours)),
        part(MASTER, "presentationml.slideMaster", &master(aspect, text, colours)),
    ];
    let of_master = Layout::ALL.iter().map(|kind| ("slideLayout", layout_part(*kind)));
    let of_master = of_master.chain([("theme", "ppt/theme/theme1.xml".to_string())]);
    let of_master: Vec<Relation> =
        of_master.map(|(kind, part)| Relation::inside(kind, part.replacen("ppt/", "../", 1))).collect();
    parts.push(relations(MASTER, &of_master));
    for kind in Layout::ALL {
        let name = layout_part(kind);
        parts.push(part(&name, "presentationml.slideLayout", &layout(kind, aspect, colours)));
        parts.push(relations(&name, &[Relation::inside("slideMaster", "../slideMasters/slideMaster1.xml")]));
    }
    // Notes are printed: they are light whatever the slides are.
    let (notes_master, notes) = notes_parts(2, &palette("linen", "theme"));
    parts.extend(notes);
    let frame = |kind: Layout| {
        let has = |yes: bool, words: &str| yes.then(|| words.to_string());
        let placeholders = Placeholders {
            title: match kind {
                Layout::Title => has(true, "type=\"ctrTitle\""),
                kind => has(kind != Layout::Blank, "type=\"title\""),
            },
            body: match kind {
                Layout::Title => has(true, "type=\"subTitle\" idx=\"1\""),
                kind => has(kind == Layout::Content, "idx=\"1\""),
            },
            foot: has(kind != Layout::Title, "type=\"ftr\" sz=\"quarter\" idx=\"3\""),
            number: has(kind != Layout::Title, "type=\"sldNum\" sz=\"quarter\" idx=\"4\""),
        };
        let top = if kind == Layout::Blank { 46.0 } else { 140.0 };
        let room = Place { x: 108.0, y: top, wide: size.0 - 192.0, high: size.1 - top - 70.0 };
        Frame { part: layout_part(kind), placeholders, room }
    };
    let others = ["theme/theme1", "presProps", "viewProps", "tableStyles"];
    Design {
        size,
        unit: UNIT,
        text,
        dark: colours.dark,
        parts,
        endings: Vec::new(),
        masters: vec![("2147483648".into(), MASTER.into())],
        notes_master,
        others: others
            .map(|name| (name.split('/').next().unwrap_or(name).to_string(), format!("ppt/{name}.xml")))
            .into(),
        table_style: TABLES.into(),
        frames: Layout::ALL.into_iter().map(frame).collect(),
    }
}

/// The master of notes and its theme, whose names have this number, and the name of the master.
pub(crate) fn notes_parts(number: usize, colours: &Palette) -> (String, Vec<Part>) {
    let name = format!("ppt/notesMasters/notesMaster{number}.xml");
    let of_notes = format!("ppt/theme/theme{number}.xml");
    let parts = vec![
        part(&of_notes, "theme", &theme(colours)),
        part(&name, "presentationml.notesMaster", &notes_master()),
        relations(&name, &[Relation::inside("theme", format!("../theme/theme{number}.xml"))]),
    ];
    (name, parts)
}

/// Width and height of a slide, in pixels.
fn size(aspect: Aspect) -> (f64, f64) {
    let (wide, high) = aspect.size();
    (f64::from(wide), f64::from(high))
}

fn units(pixels: f64) -> i64 {
    (pixels * 9525.0).round() as i64
}

fn place(x: f64, y: f64, wide: f64, high: f64) -> String {
    format!(
        "<a:xfrm><a:off x=\"{}\" y=\"{}\"/><a:ext cx=\"{}\" cy=\"{}\"/></a:xfrm>",
        units(x),
        units(y),
        units(wide),
        units(high)
    )
}

fn placeholder(id: usize, name: &str, kind: &str, place: &str, body: &str, words: &str) -> String {
    format!(
        "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"{name}\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph {kind}/></p:nvPr></p:nvSpPr>\
         <p:spPr>{place}</p:spPr><p:txBody>{body}<a:lstStyle/>{words}</p:txBody></p:sp>"
    )
}

/// The thread at the left of every slide.
fn thread(id: usize, high: f64, palette: &Palette) -> String {
    format!(
        "<p:cxnSp><p:nvCxnSpPr><p:cNvPr id=\"{id}\" name=\"Thread\"/><p:cNvCxnSpPr/><p:nvPr userDrawn=\"1\"/></p:nvCxnSpPr>\
         <p:spPr>{}<a:prstGeom prst=\"line\"><a:avLst/></a:prstGeom><a:ln w=\"19050\"><a:solidFill><a:srgbClr val=\"{}\"/></a:solidFill></a:ln></p:spPr></p:cxnSp>",
        place(62.0, 0.0, 0.0, high),
        palette.thread.to_uppercase()
    )
}

/// The mark of title and section slides: a knot on the thread.
fn knot(id: usize, middle: f64) -> String {
    format!(
        "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"Knot\"/><p:cNvSpPr/><p:nvPr userDrawn=\"1\"/></p:nvSpPr>\
         <p:spPr>{}<a:prstGeom prst=\"ellipse\"><a:avLst/></a:prstGeom><a:solidFill><a:schemeClr val=\"bg1\"/></a:solidFill>\
         <a:ln w=\"38100\"><a:solidFill><a:schemeClr val=\"accent1\"/></a:solidFill></a:ln></p:spPr>\
         <p:txBody><a:bodyPr/><a:lstStyle/><a:p><a:endParaRPr/></a:p></p:txBody></p:sp>",
        place(52.0, middle - 10.0, 20.0, 20.0)
    )
}

const WORDS: &str = "<a:p><a:r><a:t>Title</a:t></a:r></a:p>";

/// The master of all slides.
fn master(aspect: Aspect, text: f64, palette: &Palette) -> String {
    let grounds = match palette.dark {
        true => "bg1=\"dk1\" tx1=\"lt1\" bg2=\"dk2\" tx2=\"lt2\"",
        false => "bg1=\"lt1\" tx1=\"dk1\" bg2=\"lt2\" tx2=\"dk2\"",
    };
    let (wide, high) = size(aspect);
    let title = placeholder(
        2,
        "Title",
        "type=\"title\"",
        &place(108.0, 40.0, wide - 192.0, 84.0),
        "<a:bodyPr lIns=\"0\" rIns=\"0\" anchor=\"ctr\"><a:normAutofit/></a:bodyPr>",
        WORDS,
    );
    let body = placeholder(
        3,
        "Text",
        "type=\"body\" idx=\"1\"",
        &place(108.0, 140.0, wide - 192.0, high - 220.0),
        "<a:bodyPr lIns=\"0\" rIns=\"0\"><a:normAutofit/></a:bodyPr>",
        "<a:p><a:r><a:t>Text</a:t></a:r></a:p>",
    );
    let foot = placeholder(
        4,
        "Foot",
        "type=\"ftr\" sz=\"quarter\" idx=\"3\"",
        &place(wide * 0.3, high - 50.0, wide * 0.4, 32.0),
        "<a:bodyPr anchor=\"ctr\"/>",
        "<a:p><a:pPr algn=\"ctr\"/><a:endParaRPr sz=\"1200\"/></a:p>",
    );
    let number = placeholder(
        5,
        "Number",
        "type=\"sldNum\" sz=\"quarter\" idx=\"4\"",
        &place(wide - 204.0, high - 50.0, 120.0, 32.0),
        "<a:bodyPr rIns=\"0\" anchor=\"ctr\"/>",
        "<a:p><a:pPr algn=\"r\"/><a:fld id=\"{0B1D5C52-6B3E-4E57-9F0B-6D1B7A2E0001}\" type=\"slidenum\"><a:rPr sz=\"1200\"/><a:t>1</a:t></a:fld></a:p>",
    );
    let size = (text * 75.0).round() as i64;
    let level = |number: usize| {
        let left = units(26.0 * number as f64);
        format!(
            "<a:lvl{number}pPr marL=\"{left}\" indent=\"-{}\" algn=\"l\"><a:lnSpc><a:spcPct val=\"105000\"/></a:lnSpc><a:spcBef><a:spcPts val=\"600\"/></a:spcBef><a:buFont typeface=\"Arial\"/><a:buChar char=\"•\"/>\
             <a:defRPr sz=\"{size}\"><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl{number}pPr>",
            units(26.0)
        )
    };
    let levels: String = (1..=9).map(level).collect();
    let layouts: String = Layout::ALL
        .iter()
        .map(|layout| {
            format!(
                "<p:sldLayoutId id=\"{}\" r:id=\"rId{}\"/>",
                2_147_483_649_u64 + layout.index() as u64,
                layout.index() + 1
            )
        })
        .collect();
    format!(
        "<p:sldMaster {NAMESPACES}><p:cSld><p:bg><p:bgRef idx=\"1001\"><a:schemeClr val=\"bg1\"/></p:bgRef></p:bg><p:spTree>{GROUP}{}{title}{body}{foot}{number}</p:spTree></p:cSld>\
         <p:clrMap {grounds} accent1=\"accent1\" accent2=\"accent2\" accent3=\"accent3\" accent4=\"accent4\" accent5=\"accent5\" accent6=\"accent6\" hlink=\"hlink\" folHlink=\"folHlink\"/>\
         <p:sldLayoutIdLst>{layouts}</p:sldLayoutIdLst><p:txStyles><p:titleStyle><a:lvl1pPr algn=\"l\"><a:lnSpc><a:spcPct val=\"95000\"/></a:lnSpc><a:spcBef><a:spcPct val=\"0\"/></a:spcBef><a:buNone/>\
         <a:defRPr sz=\"3400\" b=\"1\"><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mj-lt\"/></a:defRPr></a:lvl1pPr></p:titleStyle>\
         <p:bodyStyle>{levels}</p:bodyStyle><p:otherStyle><a:lvl1pPr><a:defRPr sz=\"1800\"><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl1pPr></p:otherStyle></p:txStyles></p:sldMaster>",
        thread(6, high, palette)
    )
}

/// A layout.
fn layout(layout: Layout, aspect: Aspect, palette: &Palette) -> String {
    let (wide, high) = size(aspect);
    let foot = "<p:sp><p:nvSpPr><p:cNvPr id=\"8\" name=\"Foot\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"ftr\" sz=\"quarter\" idx=\"3\"/></p:nvPr></p:nvSpPr><p:spPr/><p:txBody><a:bodyPr/><a:lstStyle><a:lvl1pPr marL=\"0\" indent=\"0\" algn=\"ctr\"><a:buNone/><a:defRPr sz=\"1200\"/></a:lvl1pPr></a:lstStyle><a:p><a:endParaRPr/></a:p></p:txBody></p:sp>\
        <p:sp><p:nvSpPr><p:cNvPr id=\"9\" name=\"Number\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"sldNum\" sz=\"quarter\" idx=\"4\"/></p:nvPr></p:nvSpPr><p:spPr/><p:txBody><a:bodyPr/><a:lstStyle><a:lvl1pPr marL=\"0\" indent=\"0\" algn=\"r\"><a:buNone/><a:defRPr sz=\"1200\"/></a:lvl1pPr></a:lstStyle><a:p><a:fld id=\"{0B1D5C52-6B3E-4E57-9F0B-6D1B7A2E0001}\" type=\"slidenum\"><a:rPr/><a:t>1</a:t></a:fld><a:endParaRPr/></a:p></p:txBody></p:sp>";
    let title = placeholder(2, "Title", "type=\"title\"", "", "<a:bodyPr/>", WORDS);
    // A title on a band of its own, where the theme has one.
    let band = if layout == Layout::Title && palette.band != palette.paper { Some(palette) } else { None };
    let ink = band.map_or_else(String::new, |palette| {
        format!("<a:solidFill><a:srgbClr val=\"{}\"/></a:solidFill>", palette.band_ink.to_uppercase())
    });
    let ground = band.map_or_else(String::new, |palette| {
        let fill = format!("<a:solidFill><a:srgbClr val=\"{}\"/></a:solidFill>", palette.band.to_uppercase());
        format!("<p:bg><p:bgPr>{fill}<a:effectLst/></p:bgPr></p:bg>")
    });
    let soft = if ink.is_empty() { "<a:solidFill><a:schemeClr val=\"tx2\"/></a:solidFill>" } else { &ink };
    let large = |kind: &str, y: f64, size: usize, high: f64| {
        format!(
            "<p:sp><p:nvSpPr><p:cNvPr id=\"2\" name=\"Title\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"{kind}\"/></p:nvPr></p:nvSpPr>\
             <p:spPr>{}</p:spPr><p:txBody><a:bodyPr anchor=\"b\"><a:normAutofit/></a:bodyPr><a:lstStyle><a:lvl1pPr><a:defRPr sz=\"{size}\">{ink}</a:defRPr></a:lvl1pPr></a:lstStyle>{WORDS}</p:txBody></p:sp>",
            place(108.0, y, wide - 192.0, high)
        )
    };
    let (name, shapes) = match layout {
        Layout::Title => {
            let subtitle = format!(
                "<p:sp><p:nvSpPr><p:cNvPr id=\"3\" name=\"Subtitle\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"subTitle\" idx=\"1\"/></p:nvPr></p:nvSpPr>\
                 <p:spPr>{}</p:spPr><p:txBody><a:bodyPr><a:normAutofit/></a:bodyPr><a:lstStyle><a:lvl1pPr marL=\"0\" indent=\"0\"><a:buNone/><a:defRPr sz=\"2400\">{soft}</a:defRPr></a:lvl1pPr></a:lstStyle>\
                 <a:p><a:r><a:t>Subtitle</a:t></a:r></a:p></p:txBody></p:sp>",
                place(108.0, high * 0.54, wide - 192.0, high * 0.3)
            );
            ("Title slide", large("ctrTitle", high * 0.2, 5400, high * 0.32) + &subtitle + &knot(7, high * 0.53))
        }
        Layout::Section => ("Section", large("title", high * 0.26, 4400, high * 0.3) + &knot(7, high * 0.53) + foot),
        Layout::Content => {
            let body = placeholder(3, "Text", "idx=\"1\"", "", "<a:bodyPr/>", "<a:p><a:r><a:t>Text</a:t></a:r></a:p>");
            ("Title and text", title + &body + foot)
        }
        Layout::TitleOnly => ("Title alone", title + foot),
        Layout::Blank => ("Nothing", foot.to_string()),
    };
    format!(
        "<p:sldLayout {NAMESPACES} type=\"{}\" preserve=\"1\"><p:cSld name=\"{name}\">{ground}<p:spTree>{GROUP}{shapes}</p:spTree></p:cSld><p:clrMapOvr><a:masterClrMapping/></p:clrMapOvr></p:sldLayout>",
        layout.word()
    )
}

/// The master of notes.
fn notes_master() -> String {
    let picture = "<p:sp><p:nvSpPr><p:cNvPr id=\"2\" name=\"Slide\"/><p:cNvSpPr><a:spLocks noGrp=\"1\" noRot=\"1\" noChangeAspect=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"sldImg\" idx=\"2\"/></p:nvPr></p:nvSpPr>\
        <p:spPr><a:xfrm><a:off x=\"685800\" y=\"1143000\"/><a:ext cx=\"5486400\" cy=\"3086100\"/></a:xfrm><a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom></p:spPr></p:sp>";
    let body = "<p:sp><p:nvSpPr><p:cNvPr id=\"3\" name=\"Notes\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"body\" sz=\"quarter\" idx=\"3\"/></p:nvPr></p:nvSpPr>\
        <p:spPr><a:xfrm><a:off x=\"685800\" y=\"4400550\"/><a:ext cx=\"5486400\" cy=\"3600450\"/></a:xfrm><a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom></p:spPr>\
        <p:txBody><a:bodyPr/><a:lstStyle/><a:p><a:r><a:t>Notes</a:t></a:r></a:p></p:txBody></p:sp>";
    format!(
        "<p:notesMaster {NAMESPACES}><p:cSld><p:bg><p:bgRef idx=\"1001\"><a:schemeClr val=\"bg1\"/></p:bgRef></p:bg><p:spTree>{GROUP}{picture}{body}</p:spTree></p:cSld>\
         <p:clrMap bg1=\"lt1\" tx1=\"dk1\" bg2=\"lt2\" tx2=\"dk2\" accent1=\"accent1\" accent2=\"accent2\" accent3=\"accent3\" accent4=\"accent4\" accent5=\"accent5\" accent6=\"accent6\" hlink=\"hlink\" folHlink=\"folHlink\"/>\
         <p:notesStyle><a:lvl1pPr><a:defRPr sz=\"1200\"><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl1pPr></p:notesStyle></p:notesMaster>"
    )
}

/// The one style of tables: ruled above, below and under the head.
fn table_styles() -> String {
    let line = |side: &str, width: u32| {
        format!("<a:{side}><a:ln w=\"{width}\"><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill></a:ln></a:{side}>")
    };
    let none = |side: &str| format!("<a:{side}><a:ln><a:noFill/></a:ln></a:{side}>");
    let whole: String =
        [none("left"), none("right"), line("top", 19050), line("bottom", 19050), none("insideH"), none("insideV")]
            .concat();
    format!(
        "<a:tblStyleLst xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" def=\"{{9D7B030F-B1BA-407E-9B7E-2B7E5B1B7A65}}\">\
         <a:tblStyle styleId=\"{{9D7B030F-B1BA-407E-9B7E-2B7E5B1B7A65}}\" styleName=\"Ruled\"><a:wholeTbl><a:tcTxStyle><a:fontRef idx=\"minor\"/><a:schemeClr val=\"tx1\"/></a:tcTxStyle>\
         <a:tcStyle><a:tcBdr>{whole}</a:tcBdr><a:fill><a:noFill/></a:fill></a:tcStyle></a:wholeTbl>\
         <a:firstRow><a:tcTxStyle b=\"on\"><a:fontRef idx=\"minor\"/><a:schemeClr val=\"tx1\"/></a:tcTxStyle><a:tcStyle><a:tcBdr>{}</a:tcBdr></a:tcStyle></a:firstRow></a:tblStyle></a:tblStyleLst>",
        line("bottom", 9525)
    )
}
