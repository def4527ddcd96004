//! What every presentation has: its theme, the master of its slides, their layouts, the master of notes.

use vineloom_export::deck::Aspect;
use vineloom_export::html::Palette;

/// The namespaces of every part.
pub(crate) const NAMESPACES: &str = "xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" \
    xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\" \
    xmlns:p=\"http://schemas.openxmlformats.org/presentationml/2006/main\"";

/// The group that all shapes of a slide stand in.
pub(crate) const GROUP: &str = "<p:nvGrpSpPr><p:cNvPr id=\"1\" name=\"\"/><p:cNvGrpSpPr/><p:nvPr/></p:nvGrpSpPr>\
    <p:grpSpPr><a:xfrm><a:off x=\"0\" y=\"0\"/><a:ext cx=\"0\" cy=\"0\"/><a:chOff x=\"0\" y=\"0\"/><a:chExt cx=\"0\" cy=\"0\"/></a:xfrm></p:grpSpPr>";

/// The layouts, in the order of their numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Layout {
    Title,
    Section,
    Content,
    TitleOnly,
    Blank,
}

impl Layout {
    pub const ALL: [Layout; 5] = [Layout::Title, Layout::Section, Layout::Content, Layout::TitleOnly, Layout::Blank];

    pub fn number(self) -> usize {
        Layout::ALL.iter().position(|layout| *layout == self).unwrap_or(0) + 1
    }
}

/// Width and height of a slide, in pixels.
pub(crate) fn size(aspect: Aspect) -> (f64, f64) {
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
pub(crate) fn master(aspect: Aspect, text: f64, palette: &Palette) -> String {
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
                2_147_483_648_u64 + layout.number() as u64,
                layout.number()
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
pub(crate) fn layout(layout: Layout, aspect: Aspect) -> String {
    let (wide, high) = size(aspect);
    let foot = "<p:sp><p:nvSpPr><p:cNvPr id=\"8\" name=\"Foot\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"ftr\" sz=\"quarter\" idx=\"3\"/></p:nvPr></p:nvSpPr><p:spPr/><p:txBody><a:bodyPr/><a:lstStyle><a:lvl1pPr marL=\"0\" indent=\"0\" algn=\"ctr\"><a:buNone/><a:defRPr sz=\"1200\"/></a:lvl1pPr></a:lstStyle><a:p><a:endParaRPr/></a:p></p:txBody></p:sp>\
        <p:sp><p:nvSpPr><p:cNvPr id=\"9\" name=\"Number\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"sldNum\" sz=\"quarter\" idx=\"4\"/></p:nvPr></p:nvSpPr><p:spPr/><p:txBody><a:bodyPr/><a:lstStyle><a:lvl1pPr marL=\"0\" indent=\"0\" algn=\"r\"><a:buNone/><a:defRPr sz=\"1200\"/></a:lvl1pPr></a:lstStyle><a:p><a:fld id=\"{0B1D5C52-6B3E-4E57-9F0B-6D1B7A2E0001}\" type=\"slidenum\"><a:rPr/><a:t>1</a:t></a:fld><a:endParaRPr/></a:p></p:txBody></p:sp>";
    let title = placeholder(2, "Title", "type=\"title\"", "", "<a:bodyPr/>", WORDS);
    let large = |kind: &str, y: f64, size: usize, high: f64| {
        format!(
            "<p:sp><p:nvSpPr><p:cNvPr id=\"2\" name=\"Title\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"{kind}\"/></p:nvPr></p:nvSpPr>\
             <p:spPr>{}</p:spPr><p:txBody><a:bodyPr anchor=\"b\"><a:normAutofit/></a:bodyPr><a:lstStyle><a:lvl1pPr><a:defRPr sz=\"{size}\"/></a:lvl1pPr></a:lstStyle>{WORDS}</p:txBody></p:sp>",
            place(108.0, y, wide - 192.0, high)
        )
    };
    let (name, kind, shapes) = match layout {
        Layout::Title => {
            let subtitle = format!(
                "<p:sp><p:nvSpPr><p:cNvPr id=\"3\" name=\"Subtitle\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"subTitle\" idx=\"1\"/></p:nvPr></p:nvSpPr>\
                 <p:spPr>{}</p:spPr><p:txBody><a:bodyPr><a:normAutofit/></a:bodyPr><a:lstStyle><a:lvl1pPr marL=\"0\" indent=\"0\"><a:buNone/><a:defRPr sz=\"2400\"><a:solidFill><a:schemeClr val=\"tx2\"/></a:solidFill></a:defRPr></a:lvl1pPr></a:lstStyle>\
                 <a:p><a:r><a:t>Subtitle</a:t></a:r></a:p></p:txBody></p:sp>",
                place(108.0, high * 0.54, wide - 192.0, high * 0.3)
            );
            (
                "Title slide",
                " type=\"title\"",
                large("ctrTitle", high * 0.2, 5400, high * 0.32) + &subtitle + &knot(7, high * 0.53),
            )
        }
        Layout::Section => (
            "Section",
            " type=\"secHead\"",
            large("title", high * 0.26, 4400, high * 0.3) + &knot(7, high * 0.53) + foot,
        ),
        Layout::Content => {
            let body = placeholder(3, "Text", "idx=\"1\"", "", "<a:bodyPr/>", "<a:p><a:r><a:t>Text</a:t></a:r></a:p>");
            ("Title and text", " type=\"obj\"", title + &body + foot)
        }
        Layout::TitleOnly => ("Title alone", " type=\"titleOnly\"", title + foot),
        Layout::Blank => ("Nothing", " type=\"blank\"", foot.to_string()),
    };
    format!(
        "<p:sldLayout {NAMESPACES}{kind} preserve=\"1\"><p:cSld name=\"{name}\"><p:spTree>{GROUP}{shapes}</p:spTree></p:cSld><p:clrMapOvr><a:masterClrMapping/></p:clrMapOvr></p:sldLayout>"
    )
}

/// The master of notes.
pub(crate) fn notes_master() -> String {
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

/// The theme: the colours of paper, ink and strands, a serif for reading. An office program knows two dark and two light
/// colours, and takes the dark ones for paper where the master says so.
pub(crate) fn theme(palette: &Palette) -> String {
    let (paper, ink) = ([palette.paper, palette.paper_shade], [palette.ink, palette.ink_soft]);
    let (dark, light) = if palette.dark { (paper, ink) } else { (ink, paper) };
    let [one, two, three, four, five, six] = palette.strands;
    let colours = [
        ("dk1", dark[0]),
        ("lt1", light[0]),
        ("dk2", dark[1]),
        ("lt2", light[1]),
        ("accent1", one),
        ("accent2", two),
        ("accent3", three),
        ("accent4", four),
        ("accent5", five),
        ("accent6", six),
        ("hlink", palette.link),
        ("folHlink", five),
    ];
    let colours: String = colours
        .iter()
        .map(|(name, colour)| format!("<a:{name}><a:srgbClr val=\"{}\"/></a:{name}>", colour.to_uppercase()))
        .collect();
    let fill = "<a:solidFill><a:schemeClr val=\"phClr\"/></a:solidFill>";
    let line = |width: u32| {
        format!("<a:ln w=\"{width}\" cap=\"flat\" cmpd=\"sng\" algn=\"ctr\">{fill}<a:prstDash val=\"solid\"/></a:ln>")
    };
    let font = "<a:latin typeface=\"Georgia\"/><a:ea typeface=\"\"/><a:cs typeface=\"\"/>";
    format!(
        "<a:theme xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" name=\"Vine Loom\"><a:themeElements><a:clrScheme name=\"Vine Loom\">{colours}</a:clrScheme>\
         <a:fontScheme name=\"Vine Loom\"><a:majorFont>{font}</a:majorFont><a:minorFont>{font}</a:minorFont></a:fontScheme>\
         <a:fmtScheme name=\"Vine Loom\"><a:fillStyleLst>{fill}{fill}{fill}</a:fillStyleLst><a:lnStyleLst>{}{}{}</a:lnStyleLst>\
         <a:effectStyleLst><a:effectStyle><a:effectLst/></a:effectStyle><a:effectStyle><a:effectLst/></a:effectStyle><a:effectStyle><a:effectLst/></a:effectStyle></a:effectStyleLst>\
         <a:bgFillStyleLst>{fill}{fill}{fill}</a:bgFillStyleLst></a:fmtScheme></a:themeElements></a:theme>",
        line(6350),
        line(12700),
        line(19050)
    )
}

/// The one style of tables: ruled above, below and under the head.
pub(crate) fn table_styles() -> String {
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
