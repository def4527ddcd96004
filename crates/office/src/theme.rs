//! The theme of an office file: the colours and the faces that its program offers.

use vineloom_export::html::Palette;

/// The theme: the colours of paper, ink and strands, a serif for reading. An office program knows two dark and two light
/// colours, and takes the dark ones for paper where the master says so.
pub fn theme(palette: &Palette) -> String {
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
