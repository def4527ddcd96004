//! Pictures in the text: drawings with dots for programs that draw none, as wide as they are and no wider than the text.

use crate::writer::Writer;
use vineloom_export::xml::text;
use vineloom_office::Relation;
use vineloom_woven::Picture;

/// English Metric Units in a twentieth of a point.
const UNITS: i64 = 635;
/// Twentieths of a point in a pixel of 96 to the inch.
const PIXEL: f64 = 15.0;

/// What the names of our pictures begin with, among those of a house.
pub(crate) const OWN: &str = "figure-";

impl Writer<'_> {
    /// A picture as a run; its words where it can't be read. `width` is in pixels.
    pub fn picture(&mut self, picture: &Picture, alt: &str, width: Option<f64>) -> String {
        let Some(known) = self.gallery.add(picture) else { return self.run(alt, Default::default()) };
        let natural = (known.size.0 * PIXEL, known.size.1 * PIXEL);
        let asked = width.map_or(natural.0, |width| width * PIXEL).max(1.0);
        let room = ((self.room - self.indent) as f64).max(400.0);
        let high = self.page.height() as f64 * 0.85;
        let scale = (asked / natural.0).min(room / natural.0).min(high / natural.1);
        let units = |twips: f64| ((twips * scale) as i64).max(1) * UNITS;
        let (wide, high) = (units(natural.0), units(natural.1));
        self.drawings += 1;
        let id = self.drawings;
        let file = self.relate(Relation::inside("image", format!("media/{OWN}{}", known.file)));
        let drawing = known.drawing.map_or_else(String::new, |drawing| {
            let drawing = self.relate(Relation::inside("image", format!("media/{OWN}{drawing}")));
            format!(
                "<a:extLst><a:ext uri=\"{{96DAC541-7B7A-43D3-8B79-37D633B846F1}}\"><asvg:svgBlip xmlns:asvg=\"http://schemas.microsoft.com/office/drawing/2016/SVG/main\" r:embed=\"{drawing}\"/></a:ext></a:extLst>"
            )
        });
        // One that says nothing is decoration, and a reader's voice passes over it.
        let decorative = if alt.is_empty() {
            "<a:extLst><a:ext uri=\"{C183D7F6-B498-43B3-948B-1728B52AA6E4}\"><adec:decorative xmlns:adec=\"http://schemas.microsoft.com/office/drawing/2017/decorative\" val=\"1\"/></a:ext></a:extLst>"
        } else {
            ""
        };
        let alt = text(alt);
        format!(
            "<w:r><w:drawing><wp:inline distT=\"0\" distB=\"0\" distL=\"0\" distR=\"0\"><wp:extent cx=\"{wide}\" cy=\"{high}\"/>\
             <wp:docPr id=\"{id}\" name=\"Figure {id}\" descr=\"{alt}\">{decorative}</wp:docPr><wp:cNvGraphicFramePr><a:graphicFrameLocks noChangeAspect=\"1\"/></wp:cNvGraphicFramePr>\
             <a:graphic><a:graphicData uri=\"http://schemas.openxmlformats.org/drawingml/2006/picture\"><pic:pic><pic:nvPicPr><pic:cNvPr id=\"{id}\" name=\"Figure {id}\" descr=\"{alt}\"/><pic:cNvPicPr/></pic:nvPicPr>\
             <pic:blipFill><a:blip r:embed=\"{file}\">{drawing}</a:blip><a:stretch><a:fillRect/></a:stretch></pic:blipFill>\
             <pic:spPr><a:xfrm><a:off x=\"0\" y=\"0\"/><a:ext cx=\"{wide}\" cy=\"{high}\"/></a:xfrm><a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom></pic:spPr></pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r>"
        )
    }
}
