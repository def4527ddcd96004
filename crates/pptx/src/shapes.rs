//! The shapes of a slide in DrawingML: placeholders, text boxes, tables, pictures.

use crate::arrange::{Place, Placed, Sizes, code_size, column_letters, table_row, table_size};
use crate::design::Design;
use crate::items::Item;
use crate::pieces::{Mark, Paragraph, Piece};
use std::fmt::Write as _;
use vineloom_export::html::Palette;
use vineloom_export::math::omml::NAMESPACE as MATH;
use vineloom_export::xml::text;
use vineloom_office::{Gallery, Known};

/// English Metric Units in a pixel of 96 to the inch.
const UNITS: f64 = 9525.0;

/// The look of text in boxes: that of the theme, its paragraphs as far from each other as those of the layouts.
const STYLE: &str = "<a:lvl1pPr><a:lnSpc><a:spcPct val=\"105000\"/></a:lnSpc><a:spcBef><a:spcPts val=\"600\"/></a:spcBef><a:defRPr><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl1pPr>";
/// The look of code: line upon line.
const CODE_STYLE: &str = "<a:lvl1pPr><a:defRPr><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl1pPr>";

/// The ground of code and notices.
const FILL: &str = "<a:solidFill><a:schemeClr val=\"bg2\"/></a:solidFill>";

/// What a slide leads to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Link {
    /// A picture, by its file's name.
    Media(String),
    /// Another slide, by its number.
    Slide(usize),
    /// An address outside.
    Address(String),
}

/// Writes the shapes of one slide.
pub(crate) struct Shapes<'a> {
    pub out: String,
    pub gallery: &'a mut Gallery,
    pub links: Vec<Link>,
    /// The slide that an identifier stands on.
    pub slide_of: &'a dyn Fn(&str) -> Option<usize>,
    pub sizes: Sizes,
    design: &'a Design,
    palette: &'a Palette,
    /// What lies under a figure.
    card: &'static str,
    next: usize,
}

fn units(pixels: f64) -> i64 {
    (pixels * UNITS).round() as i64
}

/// A font size in hundredths of a point.
fn points(pixels: f64) -> i64 {
    ((pixels * 75.0).round() as i64).clamp(100, 400_000)
}

impl<'a> Shapes<'a> {
    pub fn new(
        gallery: &'a mut Gallery,
        slide_of: &'a dyn Fn(&str) -> Option<usize>,
        sizes: Sizes,
        design: &'a Design,
        palette: &'a Palette,
    ) -> Self {
        // Figures are drawn for paper: on a dark slide they lie on a card.
        let card = if design.dark { "<a:solidFill><a:srgbClr val=\"FFFFFF\"/></a:solidFill>" } else { "" };
        Shapes { out: String::new(), gallery, links: Vec::new(), slide_of, sizes, design, palette, card, next: 2 }
    }

    fn id(&mut self) -> usize {
        self.next += 1;
        self.next - 1
    }

    /// The name of a relation, `rId` and a number: the first is that to the layout.
    fn relate(&mut self, link: Link) -> String {
        let known = self.links.iter().position(|known| *known == link);
        let at = known.unwrap_or_else(|| {
            self.links.push(link);
            self.links.len() - 1
        });
        format!("rId{}", at + 2)
    }

    /// A placeholder of the layout: its place and its looks are the layout's.
    pub fn placeholder(
        &mut self,
        kind: &str,
        name: &str,
        paragraphs: &[Paragraph],
        place: Option<Place>,
        size: Option<f64>,
    ) {
        let id = self.id();
        let place = place.map_or_else(String::new, frame);
        let body = self.paragraphs(paragraphs, size, Marks::OfLayout);
        let _ = write!(
            self.out,
            "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"{name}\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph {kind}/></p:nvPr></p:nvSpPr>\
             <p:spPr>{place}</p:spPr><p:txBody><a:bodyPr><a:normAutofit/></a:bodyPr><a:lstStyle/>{body}</p:txBody></p:sp>"
        );
    }

    /// What is arranged on the slide. The first text stands in the placeholder of the layout for it, where it has one.
    pub fn placed(&mut self, all: &[Placed], body: Option<&str>) {
        self.place_all(all, body);
    }

    /// The same without a body.
    pub fn boxes(&mut self, all: &[Placed]) {
        self.place_all(all, None);
    }

    /// The number of the slide, as the program that shows it counts.
    pub fn number(&mut self, placeholder: &str) {
        let id = self.id();
        let _ = write!(
            self.out,
            "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"Number\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph {placeholder}/></p:nvPr></p:nvSpPr>\
             <p:spPr/><p:txBody><a:bodyPr/><a:lstStyle/><a:p><a:fld id=\"{{0B1D5C52-6B3E-4E57-9F0B-6D1B7A2E0001}}\" type=\"slidenum\"><a:rPr dirty=\"0\"/><a:t>‹#›</a:t></a:fld><a:endParaRPr/></a:p></p:txBody></p:sp>"
        );
    }

    fn place_all(&mut self, all: &[Placed], mut body: Option<&str>) {
        for Placed { item, place, scale } in all {
            match item {
                Item::Text(paragraphs) if body.is_some() => {
                    let size = self.sizes.text * scale;
                    // As large as the layout has it, it follows the layout.
                    let of_layout = (size - self.design.text).abs() < 0.01;
                    let size = Some(size).filter(|_| !of_layout || paragraphs.iter().any(|it| it.size != 1.0));
                    self.placeholder(body.take().unwrap_or_default(), "Text", paragraphs, Some(*place), size);
                }
                Item::Text(paragraphs) => {
                    let size = self.sizes.text * scale;
                    let body = self.paragraphs(paragraphs, Some(size), Marks::Own);
                    self.text_box("Text", *place, &body, "");
                }
                Item::Framed(paragraphs) => {
                    let size = self.sizes.text * scale;
                    let body = self.paragraphs(paragraphs, Some(size), Marks::Own);
                    self.text_box("Notice", *place, &body, FILL);
                }
                Item::Code { lines, filled, strand } => {
                    let size = code_size(lines, place.wide, self.sizes.code * scale);
                    let body = self.paragraphs(lines, Some(size), Marks::Own);
                    let fill =
                        if *filled { "<a:solidFill><a:schemeClr val=\"bg2\"/></a:solidFill>" } else { "<a:noFill/>" };
                    self.text_box(if *filled { "Code" } else { "Output" }, *place, &body, fill);
                    strand.iter().for_each(|strand| self.thread(*strand, *place));
                }
                Item::Formula { omml, plain, number } => self.formula(omml, plain, *number, *place, *scale),
                Item::Table { rows, right } => self.table(rows, right, *place, *scale),
                Item::Figure { picture, alt } => {
                    if let Some(known) = self.gallery.add(picture) {
                        self.picture(&known, alt, *place, self.card);
                    }
                }
                Item::Columns { .. } => {}
            }
        }
    }

    /// The thread of a strand beside what came from it.
    fn thread(&mut self, strand: usize, place: Place) {
        let id = self.id();
        let colour = self.palette.strands[strand % self.palette.strands.len()].to_uppercase();
        let frame = frame(Place { x: place.x - 9.0, wide: 0.0, ..place });
        let _ = write!(
            self.out,
            "<p:cxnSp><p:nvCxnSpPr><p:cNvPr id=\"{id}\" name=\"Thread {id}\"><a:extLst><a:ext uri=\"{{C183D7F6-B498-43B3-948B-1728B52AA6E4}}\">\
             <adec:decorative xmlns:adec=\"http://schemas.microsoft.com/office/drawing/2017/decorative\" val=\"1\"/></a:ext></a:extLst></p:cNvPr><p:cNvCxnSpPr/><p:nvPr/></p:nvCxnSpPr>\
             <p:spPr>{frame}<a:prstGeom prst=\"line\"><a:avLst/></a:prstGeom><a:ln w=\"28575\"><a:solidFill><a:srgbClr val=\"{colour}\"/></a:solidFill></a:ln></p:spPr></p:cxnSp>"
        );
    }

    /// A formula that the program can edit, and the same as text for one that knows no formulas.
    fn formula(&mut self, omml: &str, plain: &str, number: Option<usize>, place: Place, scale: f64) {
        let id = self.id();
        let size = self.sizes.text * scale;
        // A program that draws a formula as a picture fills its frame with it.
        let beside = if number.is_some() { size * 5.2 } else { 0.0 };
        let wide = (plain.chars().count() as f64 * 0.52 * size + size).min(place.wide - beside);
        let own = Place { x: place.x + (place.wide - wide) / 2.0, wide, ..place };
        let sized = CODE_STYLE.replace("<a:defRPr>", &format!("<a:defRPr sz=\"{}\">", points(size)));
        let shape = |body: &str| {
            format!(
                "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"Formula {id}\" descr=\"{0}\"/><p:cNvSpPr txBox=\"1\"/><p:nvPr/></p:nvSpPr>\
                 <p:spPr>{1}<a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom></p:spPr>\
                 <p:txBody><a:bodyPr wrap=\"square\" anchor=\"ctr\"><a:normAutofit/></a:bodyPr><a:lstStyle>{sized}</a:lstStyle>\
                 <a:p><a:pPr algn=\"ctr\"/>{body}</a:p></p:txBody></p:sp>",
                text(plain),
                frame(own)
            )
        };
        let _ = write!(
            self.out,
            "<mc:AlternateContent xmlns:mc=\"http://schemas.openxmlformats.org/markup-compatibility/2006\">\
             <mc:Choice xmlns:a14=\"http://schemas.microsoft.com/office/drawing/2010/main\" Requires=\"a14\">{}</mc:Choice>\
             <mc:Fallback>{}</mc:Fallback></mc:AlternateContent>",
            shape(&format!("<a14:m><m:oMathPara xmlns:m=\"{MATH}\"><m:oMath>{omml}</m:oMath></m:oMathPara></a14:m>")),
            shape(&format!("<a:r><a:rPr dirty=\"0\"/><a:t>{}</a:t></a:r>", text(plain))),
        );
        if let Some(number) = number {
            let words = Piece { text: format!("({number})"), ..Piece::default() };
            let body = self.paragraphs(&[Paragraph::whole(vec![words])], Some(size), Marks::Own);
            let high = size * 1.6;
            let wide = size * 2.4;
            let edge = Place { x: place.x + place.wide - wide, y: place.y + (place.high - high) / 2.0, wide, high };
            self.text_box("Text", edge, &body, "");
        }
    }

    fn text_box(&mut self, name: &str, place: Place, body: &str, fill: &str) {
        let id = self.id();
        let _ = write!(
            self.out,
            "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"{name} {id}\"/><p:cNvSpPr txBox=\"1\"/><p:nvPr/></p:nvSpPr>\
             <p:spPr>{}<a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom>{fill}</p:spPr>\
             <p:txBody><a:bodyPr wrap=\"square\" lIns=\"{margin}\" rIns=\"{margin}\" tIns=\"{inset}\" bIns=\"{inset}\"><a:normAutofit/></a:bodyPr><a:lstStyle>{style}</a:lstStyle>{body}</p:txBody></p:sp>",
            frame(place),
            margin = if fill.contains("solidFill") { 114_300 } else { 0 },
            style = if matches!(name, "Code" | "Output") { CODE_STYLE } else { STYLE },
            // Words beside each other begin at the same height, in a box or in a placeholder.
            inset = if name == "Text" { 45_720 } else { 95_250 },
        );
    }

    /// A picture as large as its place has room for.
    pub fn picture(&mut self, known: &Known, alt: &str, place: Place, card: &str) {
        let scale = (place.wide / known.size.0).min(place.high / known.size.1);
        let (wide, high) = (known.size.0 * scale, known.size.1 * scale);
        let own = Place { x: place.x + (place.wide - wide) / 2.0, y: place.y, wide, high };
        let id = self.id();
        let file = self.relate(Link::Media(known.file.clone()));
        let drawing = known.drawing.clone().map_or_else(String::new, |drawing| {
            let drawing = self.relate(Link::Media(drawing));
            format!(
                "<a:extLst><a:ext uri=\"{{96DAC541-7B7A-43D3-8B79-37D633B846F1}}\"><asvg:svgBlip \
                 xmlns:asvg=\"http://schemas.microsoft.com/office/drawing/2016/SVG/main\" r:embed=\"{drawing}\"/></a:ext></a:extLst>"
            )
        });
        let _ = write!(
            self.out,
            "<p:pic><p:nvPicPr><p:cNvPr id=\"{id}\" name=\"Figure {id}\" descr=\"{}\"/><p:cNvPicPr><a:picLocks noChangeAspect=\"1\"/></p:cNvPicPr><p:nvPr/></p:nvPicPr>\
             <p:blipFill><a:blip r:embed=\"{file}\">{drawing}</a:blip><a:stretch><a:fillRect/></a:stretch></p:blipFill>\
             <p:spPr>{}<a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom>{card}</p:spPr></p:pic>",
            text(alt),
            frame(own)
        );
    }

    fn table(&mut self, rows: &[Vec<Paragraph>], right: &[bool], place: Place, scale: f64) {
        let id = self.id();
        let size = table_size(rows, place.wide, self.sizes.text * scale);
        let letters = column_letters(rows);
        let natural: Vec<f64> = letters.iter().map(|letters| (*letters as f64 * 0.56 + 2.2) * size).collect();
        let share = (place.wide / natural.iter().sum::<f64>()).min(1.0);
        let widths: Vec<i64> = natural.iter().map(|wide| units(wide * share)).collect();
        let high = units(table_row(rows, place.wide, self.sizes.text * scale));
        let columns: String = widths.iter().map(|wide| format!("<a:gridCol w=\"{wide}\"/>")).collect();
        let mut body = String::new();
        for row in rows {
            let _ = write!(body, "<a:tr h=\"{high}\">");
            for column in 0..widths.len() {
                let align = if right.get(column) == Some(&true) { " algn=\"r\"" } else { "" };
                let empty = Paragraph::default();
                let cell = row.get(column).unwrap_or(&empty);
                let pieces = self.pieces(&cell.pieces, Some(size));
                let _ = write!(
                    body,
                    "<a:tc><a:txBody><a:bodyPr/><a:lstStyle/><a:p><a:pPr{align}/>{pieces}</a:p></a:txBody><a:tcPr marL=\"57150\" marR=\"57150\" marT=\"28575\" marB=\"28575\" anchor=\"ctr\"/></a:tc>"
                );
            }
            body.push_str("</a:tr>");
        }
        let place = Place { wide: natural.iter().sum::<f64>() * share, ..place };
        let _ = write!(
            self.out,
            "<p:graphicFrame><p:nvGraphicFramePr><p:cNvPr id=\"{id}\" name=\"Table {id}\"/><p:cNvGraphicFramePr><a:graphicFrameLocks noGrp=\"1\"/></p:cNvGraphicFramePr><p:nvPr/></p:nvGraphicFramePr>\
             <p:xfrm><a:off x=\"{}\" y=\"{}\"/><a:ext cx=\"{}\" cy=\"{}\"/></p:xfrm>\
             <a:graphic><a:graphicData uri=\"http://schemas.openxmlformats.org/drawingml/2006/table\"><a:tbl><a:tblPr firstRow=\"1\">\
             <a:tableStyleId>{style}</a:tableStyleId></a:tblPr><a:tblGrid>{columns}</a:tblGrid>{body}</a:tbl></a:graphicData></a:graphic></p:graphicFrame>",
            units(place.x),
            units(place.y),
            units(place.wide),
            high * rows.len() as i64,
            style = self.design.table_style,
        );
    }

    /// Paragraphs; `size` is in pixels, and left to the layout where it is nothing.
    pub fn paragraphs(&mut self, paragraphs: &[Paragraph], size: Option<f64>, marks: Marks) -> String {
        if paragraphs.is_empty() {
            return "<a:p><a:endParaRPr/></a:p>".into();
        }
        let mut out = String::new();
        for paragraph in paragraphs {
            let own = size.map(|size| size * paragraph.size);
            let indent = 26.0 * own.unwrap_or(self.sizes.text) / 31.0;
            let left = f64::from(paragraph.level) * indent;
            let level =
                if paragraph.level > 0 { format!(" lvl=\"{}\"", paragraph.level.min(8)) } else { String::new() };
            let align = if paragraph.centred { " algn=\"ctr\"" } else { "" };
            let (margin, bullet) = match paragraph.mark {
                Mark::Bullet => (
                    format!(" marL=\"{}\" indent=\"-{}\"", units(left + indent), units(indent)),
                    "<a:buFont typeface=\"Arial\"/><a:buChar char=\"•\"/>".to_string(),
                ),
                Mark::Number(number) => (
                    format!(" marL=\"{}\" indent=\"-{}\"", units(left + indent * 1.3), units(indent * 1.3)),
                    format!(
                        "<a:buFont typeface=\"+mj-lt\"/><a:buAutoNum type=\"arabicPeriod\" startAt=\"{}\"/>",
                        number.clamp(1, 32_767)
                    ),
                ),
                Mark::None => (format!(" marL=\"{}\" indent=\"0\"", units(left)), "<a:buNone/>".to_string()),
            };
            let (margin, bullet) = match (marks, size, paragraph.mark) {
                (Marks::OfLayout, None, Mark::Bullet) => (String::new(), String::new()),
                (Marks::OfLayout, None, Mark::None) if paragraph.level == 0 => {
                    (" marL=\"0\" indent=\"0\"".into(), bullet)
                }
                _ => (margin, bullet),
            };
            let _ = write!(
                out,
                "<a:p><a:pPr{margin}{level}{align}>{bullet}</a:pPr>{}</a:p>",
                self.pieces(&paragraph.pieces, own)
            );
        }
        out
    }

    fn pieces(&mut self, pieces: &[Piece], size: Option<f64>) -> String {
        let mut out = String::new();
        for piece in pieces {
            if piece.breaks {
                out.push_str("<a:br/>");
                continue;
            }
            if piece.text.is_empty() {
                continue;
            }
            let look = piece.look;
            let mut attributes = String::new();
            if let Some(size) = size {
                let _ = write!(attributes, " sz=\"{}\"", points(size));
            }
            for (is_so, attribute) in
                [(look.bold, " b=\"1\""), (look.italic, " i=\"1\""), (look.strike, " strike=\"sngStrike\"")]
            {
                attributes.push_str(if is_so { attribute } else { "" });
            }
            if look.baseline != 0 {
                let _ = write!(attributes, " baseline=\"{}\"", look.baseline);
            }
            if look.code {
                attributes.push_str(" noProof=\"1\"");
            }
            let colour = look.colour.map_or_else(String::new, |colour| {
                format!("<a:solidFill><a:srgbClr val=\"{}\"/></a:solidFill>", colour.to_uppercase())
            });
            let face = if look.code { "<a:latin typeface=\"Consolas\"/><a:cs typeface=\"Consolas\"/>" } else { "" };
            let link = piece.link.as_deref().and_then(|target| self.link(target)).unwrap_or_default();
            let _ = write!(
                out,
                "<a:r><a:rPr dirty=\"0\"{attributes}>{colour}{face}{link}</a:rPr><a:t>{}</a:t></a:r>",
                text(&piece.text)
            );
        }
        out
    }

    fn link(&mut self, target: &str) -> Option<String> {
        if let Some(id) = target.strip_prefix('#') {
            let slide = (self.slide_of)(id)?;
            let relation = self.relate(Link::Slide(slide));
            return Some(format!("<a:hlinkClick r:id=\"{relation}\" action=\"ppaction://hlinksldjump\"/>"));
        }
        if target.trim().is_empty() {
            return None;
        }
        let relation = self.relate(Link::Address(target.into()));
        Some(format!("<a:hlinkClick r:id=\"{relation}\"/>"))
    }
}

/// Whose bullets and margins paragraphs have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Marks {
    /// Those of the layout, where the text is as large as the layout has it.
    OfLayout,
    /// Their own.
    Own,
}

fn frame(place: Place) -> String {
    format!(
        "<a:xfrm><a:off x=\"{}\" y=\"{}\"/><a:ext cx=\"{}\" cy=\"{}\"/></a:xfrm>",
        units(place.x),
        units(place.y),
        units(place.wide),
        units(place.high)
    )
}
