//! The shapes of a slide in DrawingML: placeholders, text boxes, tables, pictures.

use crate::arrange::{Place, Placed, Sizes, code_size, column_letters, table_row, table_size};
use crate::items::{Item, Mark, Paragraph, Piece};
use crate::media::{Gallery, Known};
use crate::xml::text;
use std::fmt::Write as _;

/// English Metric Units in a pixel of 96 to the inch.
const UNITS: f64 = 9525.0;

/// The look of text in boxes: that of the theme.
const STYLE: &str = "<a:lvl1pPr><a:defRPr><a:solidFill><a:schemeClr val=\"tx1\"/></a:solidFill><a:latin typeface=\"+mn-lt\"/></a:defRPr></a:lvl1pPr>";

/// The ground of code and notices.
const FILL: &str = "<a:solidFill><a:schemeClr val=\"bg2\"/></a:solidFill>";

/// A relation of a slide to another part.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Relation {
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
    pub relations: Vec<Relation>,
    /// The slide that an identifier stands on.
    pub slide_of: &'a dyn Fn(&str) -> Option<usize>,
    pub sizes: Sizes,
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
        dark: bool,
    ) -> Self {
        // Figures are drawn for paper: on a dark slide they lie on a card.
        let card = if dark { "<a:solidFill><a:srgbClr val=\"FFFFFF\"/></a:solidFill>" } else { "" };
        Shapes { out: String::new(), gallery, relations: Vec::new(), slide_of, sizes, card, next: 2 }
    }

    fn id(&mut self) -> usize {
        self.next += 1;
        self.next - 1
    }

    /// The name of a relation, `rId` and a number: the first is that to the layout.
    fn relate(&mut self, relation: Relation) -> String {
        let known = self.relations.iter().position(|known| *known == relation);
        let at = known.unwrap_or_else(|| {
            self.relations.push(relation);
            self.relations.len() - 1
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
        let body = self.paragraphs(paragraphs, size, true);
        let _ = write!(
            self.out,
            "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"{name}\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph {kind}/></p:nvPr></p:nvSpPr>\
             <p:spPr>{place}</p:spPr><p:txBody><a:bodyPr><a:normAutofit/></a:bodyPr><a:lstStyle/>{body}</p:txBody></p:sp>"
        );
    }

    /// What is arranged on the slide. The first text is its body.
    pub fn placed(&mut self, all: &[Placed]) {
        self.place_all(all, false);
    }

    /// The same without a body.
    pub fn boxes(&mut self, all: &[Placed]) {
        self.place_all(all, true);
    }

    /// The number of the slide, as the program that shows it counts.
    pub fn number(&mut self) {
        let id = self.id();
        let _ = write!(
            self.out,
            "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"Number\"/><p:cNvSpPr><a:spLocks noGrp=\"1\"/></p:cNvSpPr><p:nvPr><p:ph type=\"sldNum\" sz=\"quarter\" idx=\"4\"/></p:nvPr></p:nvSpPr>\
             <p:spPr/><p:txBody><a:bodyPr/><a:lstStyle/><a:p><a:fld id=\"{{0B1D5C52-6B3E-4E57-9F0B-6D1B7A2E0001}}\" type=\"slidenum\"><a:rPr dirty=\"0\"/><a:t>‹#›</a:t></a:fld><a:endParaRPr/></a:p></p:txBody></p:sp>"
        );
    }

    fn place_all(&mut self, all: &[Placed], mut has_body: bool) {
        for Placed { item, place, scale } in all {
            match item {
                Item::Text(paragraphs) if !has_body => {
                    has_body = true;
                    let size = self.sizes.text * scale;
                    self.placeholder("idx=\"1\"", "Text", paragraphs, Some(*place), Some(size));
                }
                Item::Text(paragraphs) => {
                    let size = self.sizes.text * scale;
                    let body = self.paragraphs(paragraphs, Some(size), false);
                    self.text_box("Text", *place, &body, "");
                }
                Item::Framed(paragraphs) => {
                    let size = self.sizes.text * scale;
                    let body = self.paragraphs(paragraphs, Some(size), false);
                    self.text_box("Notice", *place, &body, FILL);
                }
                Item::Code { lines, filled } => {
                    let size = code_size(lines, place.wide, self.sizes.code * scale);
                    let body = self.paragraphs(lines, Some(size), false);
                    let fill =
                        if *filled { "<a:solidFill><a:schemeClr val=\"bg2\"/></a:solidFill>" } else { "<a:noFill/>" };
                    self.text_box(if *filled { "Code" } else { "Output" }, *place, &body, fill);
                }
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

    fn text_box(&mut self, name: &str, place: Place, body: &str, fill: &str) {
        let id = self.id();
        let _ = write!(
            self.out,
            "<p:sp><p:nvSpPr><p:cNvPr id=\"{id}\" name=\"{name} {id}\"/><p:cNvSpPr txBox=\"1\"/><p:nvPr/></p:nvSpPr>\
             <p:spPr>{}<a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom>{fill}</p:spPr>\
             <p:txBody><a:bodyPr wrap=\"square\" lIns=\"{margin}\" rIns=\"{margin}\" tIns=\"95250\" bIns=\"95250\"><a:normAutofit/></a:bodyPr><a:lstStyle>{STYLE}</a:lstStyle>{body}</p:txBody></p:sp>",
            frame(place),
            margin = if fill.contains("solidFill") { 114_300 } else { 0 },
        );
    }

    /// A picture as large as its place has room for.
    pub fn picture(&mut self, known: &Known, alt: &str, place: Place, card: &str) {
        let scale = (place.wide / known.size.0).min(place.high / known.size.1);
        let (wide, high) = (known.size.0 * scale, known.size.1 * scale);
        let own = Place { x: place.x + (place.wide - wide) / 2.0, y: place.y, wide, high };
        let id = self.id();
        let file = self.relate(Relation::Media(known.file.clone()));
        let drawing = known.drawing.clone().map_or_else(String::new, |drawing| {
            let drawing = self.relate(Relation::Media(drawing));
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
             <a:tableStyleId>{{9D7B030F-B1BA-407E-9B7E-2B7E5B1B7A65}}</a:tableStyleId></a:tblPr><a:tblGrid>{columns}</a:tblGrid>{body}</a:tbl></a:graphicData></a:graphic></p:graphicFrame>",
            units(place.x),
            units(place.y),
            units(place.wide),
            high * rows.len() as i64,
        );
    }

    /// Paragraphs; `size` is in pixels, and left to the layout where it is nothing.
    pub fn paragraphs(&mut self, paragraphs: &[Paragraph], size: Option<f64>, is_placeholder: bool) -> String {
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
            let (margin, bullet) =
                if is_placeholder && size.is_none() { (String::new(), String::new()) } else { (margin, bullet) };
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
            let relation = self.relate(Relation::Slide(slide));
            return Some(format!("<a:hlinkClick r:id=\"{relation}\" action=\"ppaction://hlinksldjump\"/>"));
        }
        let target: String = target.chars().filter(|c| !c.is_control() && !c.is_whitespace()).collect();
        if target.is_empty() {
            return None;
        }
        let relation = self.relate(Relation::Address(target));
        Some(format!("<a:hlinkClick r:id=\"{relation}\"/>"))
    }
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
