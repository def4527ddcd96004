//! The styles of a document: each construct has its own, so that who restyles one restyles them all.

use crate::DocxOptions;
use crate::house::House;
use crate::namespaces::NAMESPACES;
use crate::numbering::HEADINGS;
use std::collections::BTreeMap;
use vineloom_export::html::Palette;
use vineloom_export::xml::text;
use vineloom_office::HEAD;

/// The parts of code that have a style of their own: their classes and the names of the styles.
pub(crate) const CODE_PARTS: [(&str, &str); 8] = [
    ("c", "Comment"),
    ("k", "Keyword"),
    ("s", "String"),
    ("n", "Number"),
    ("l", "Constant"),
    ("f", "Function"),
    ("t", "Type"),
    ("o", "Operator"),
];

/// The kinds of notice, each with the number of its strand colour.
pub(crate) const NOTICES: [(&str, usize); 5] =
    [("Note", 0), ("Tip", 2), ("Important", 3), ("Caution", 3), ("Danger", 1)];

/// All styles of a document.
pub(crate) struct Styles {
    /// The part that holds them.
    pub xml: String,
    /// What our styles are called in it, where that is something else.
    others: BTreeMap<String, String>,
}

/// One style: what it is for, its identifier, its name, and what stands in it.
struct Style {
    kind: &'static str,
    id: String,
    name: String,
    based: Option<&'static str>,
    next: Option<&'static str>,
    inside: String,
}

impl Styles {
    /// Ours, or those of a house with ours behind them where the house has none of that name. The language is the
    /// document's, and `top` the level of its highest headings.
    pub fn new(colours: &Palette, options: &DocxOptions, (language, top): (&str, u8), house: Option<&House>) -> Self {
        let ours = all(colours, options.numbered.then_some(top));
        match house {
            None => {
                let defaults = defaults(colours, language);
                let written: String = ours.iter().map(|style| style.xml(&BTreeMap::new())).collect();
                let xml = format!("{HEAD}<w:styles {NAMESPACES}>{defaults}{written}</w:styles>");
                Styles { xml, others: BTreeMap::new() }
            }
            Some(house) => {
                let known = |style: &Style| house.styles.get(&style.name.to_lowercase());
                let others: BTreeMap<String, String> =
                    ours.iter().filter_map(|style| Some((style.id.clone(), known(style)?.clone()))).collect();
                let missing = ours.iter().filter(|style| known(style).is_none());
                let missing: String = missing.map(|style| style.xml(&others)).collect();
                // What numbers the house's own headings is a list of the house's, which stays there.
                let own = without_lists(&house.styles_xml);
                Styles { xml: own.replace("</w:styles>", &format!("{missing}</w:styles>")), others }
            }
        }
    }

    /// What a style is called in the file.
    pub fn id<'a>(&'a self, ours: &'a str) -> &'a str {
        self.others.get(ours).map_or(ours, String::as_str)
    }
}

impl Style {
    /// The style as XML. `others` is what the styles that it rests on are called, where that is something else.
    fn xml(&self, others: &BTreeMap<String, String>) -> String {
        let called = |style: &str| others.get(style).cloned().unwrap_or_else(|| style.to_string());
        let Style { kind, id, name, based, next, inside } = self;
        let based = based.map_or_else(String::new, |based| format!("<w:basedOn w:val=\"{}\"/>", text(&called(based))));
        let next = next.map_or_else(String::new, |next| format!("<w:next w:val=\"{}\"/>", text(&called(next))));
        let default = matches!(id.as_str(), "Normal" | "DefaultParagraphFont" | "TableNormal");
        let default = if default { " w:default=\"1\"" } else { "" };
        format!(
            "<w:style w:type=\"{kind}\"{default} w:styleId=\"{id}\"><w:name w:val=\"{name}\"/>{based}{next}<w:qFormat/>{inside}</w:style>"
        )
    }
}

/// Styles without the lists that they are of.
fn without_lists(styles: &str) -> String {
    let mut out = String::with_capacity(styles.len());
    let mut rest = styles;
    while let Some(at) = rest.find("<w:numPr") {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        let (closed, end) = (rest.find("</w:numPr>"), rest.find('>').unwrap_or(rest.len() - 1));
        rest = match closed {
            _ if rest[..end].ends_with('/') => &rest[end + 1..],
            Some(closed) => &rest[closed + "</w:numPr>".len()..],
            None => "",
        };
    }
    out + rest
}

/// What holds where no style says otherwise.
fn defaults(colours: &Palette, language: &str) -> String {
    let language = if language.is_empty() { "en" } else { language };
    format!(
        "<w:docDefaults><w:rPrDefault><w:rPr><w:rFonts w:ascii=\"Georgia\" w:hAnsi=\"Georgia\" w:eastAsia=\"Georgia\" w:cs=\"Georgia\"/><w:color w:val=\"{}\"/><w:sz w:val=\"21\"/><w:szCs w:val=\"21\"/>\
         <w:lang w:val=\"{}\"/></w:rPr></w:rPrDefault><w:pPrDefault><w:pPr><w:spacing w:after=\"0\" w:line=\"288\" w:lineRule=\"auto\"/></w:pPr></w:pPrDefault></w:docDefaults>",
        colours.ink.to_uppercase(),
        text(language)
    )
}

/// Our styles. Where headings are numbered, `numbered` is the level of the highest.
fn all(colours: &Palette, numbered: Option<u8>) -> Vec<Style> {
    let soft = colours.ink_soft.to_uppercase();
    let shade = colours.paper_shade.to_uppercase();
    let mut styles = Vec::new();
    let mut add = |kind, id: &str, name: &str, based, next, inside: &str| {
        styles.push(Style { kind, id: id.into(), name: name.into(), based, next, inside: inside.into() });
    };
    let (paragraph, character) = ("paragraph", "character");
    let (normal, body) = (Some("Normal"), Some("BodyText"));
    add(paragraph, "Normal", "Normal", None, None, "");
    add(character, "DefaultParagraphFont", "Default Paragraph Font", None, None, "");
    let none = "<w:tblPr><w:tblInd w:w=\"0\" w:type=\"dxa\"/><w:tblCellMar><w:top w:w=\"0\" w:type=\"dxa\"/><w:left w:w=\"108\" w:type=\"dxa\"/><w:bottom w:w=\"0\" w:type=\"dxa\"/><w:right w:w=\"108\" w:type=\"dxa\"/></w:tblCellMar></w:tblPr>";
    add("table", "TableNormal", "Normal Table", None, None, none);
    add(paragraph, "BodyText", "Body Text", normal, body, "<w:pPr><w:spacing w:after=\"150\"/></w:pPr>");
    let title = "<w:pPr><w:keepNext/><w:spacing w:before=\"0\" w:after=\"120\" w:line=\"240\" w:lineRule=\"auto\"/></w:pPr><w:rPr><w:b/><w:sz w:val=\"48\"/><w:szCs w:val=\"48\"/></w:rPr>";
    add(paragraph, "Title", "Title", normal, body, title);
    let subtitle = format!(
        "<w:pPr><w:spacing w:after=\"200\"/></w:pPr><w:rPr><w:i/><w:color w:val=\"{soft}\"/><w:sz w:val=\"27\"/><w:szCs w:val=\"27\"/></w:rPr>"
    );
    add(paragraph, "Subtitle", "Subtitle", normal, body, &subtitle);
    add(paragraph, "Author", "Author", normal, body, "<w:pPr><w:spacing w:after=\"30\"/></w:pPr>");
    let line = format!("<w:pPr><w:spacing w:after=\"30\"/></w:pPr><w:rPr><w:color w:val=\"{soft}\"/></w:rPr>");
    add(paragraph, "Date", "Date", normal, body, &line);
    add(paragraph, "Licence", "Licence", normal, body, &line);
    let sizes = [34, 29, 25, 22, 21, 21];
    for (at, size) in sizes.into_iter().enumerate() {
        let level = at + 1;
        let before = [480, 400, 320, 280, 240, 240][at];
        // The numbers of headings are a list that is bound to their styles.
        let own = numbered.and_then(|top| level.checked_sub(usize::from(top)));
        let number = own.map_or_else(String::new, |own| {
            format!("<w:numPr><w:ilvl w:val=\"{own}\"/><w:numId w:val=\"{HEADINGS}\"/></w:numPr>")
        });
        let slant = if level > 4 { "<w:i/>" } else { "" };
        let inside = format!(
            "<w:pPr><w:keepNext/><w:keepLines/>{number}<w:spacing w:before=\"{before}\" w:after=\"110\" w:line=\"252\" w:lineRule=\"auto\"/><w:outlineLvl w:val=\"{at}\"/></w:pPr>\
             <w:rPr><w:b/>{slant}<w:sz w:val=\"{size}\"/><w:szCs w:val=\"{size}\"/></w:rPr>"
        );
        add(paragraph, &format!("Heading{level}"), &format!("heading {level}"), normal, body, &inside);
    }
    let caption = format!(
        "<w:pPr><w:keepLines/><w:spacing w:before=\"80\" w:after=\"220\" w:line=\"252\" w:lineRule=\"auto\"/></w:pPr><w:rPr><w:color w:val=\"{soft}\"/><w:sz w:val=\"18\"/><w:szCs w:val=\"18\"/></w:rPr>"
    );
    add(paragraph, "Caption", "caption", normal, body, &caption);
    let figure = "<w:pPr><w:keepNext/><w:spacing w:before=\"160\" w:after=\"60\" w:line=\"240\" w:lineRule=\"auto\"/><w:jc w:val=\"center\"/></w:pPr>";
    add(paragraph, "Figure", "Figure", normal, body, figure);
    let mono =
        "<w:rFonts w:ascii=\"Consolas\" w:hAnsi=\"Consolas\" w:eastAsia=\"Consolas\" w:cs=\"Consolas\"/><w:noProof/>";
    let code = format!(
        "<w:pPr><w:shd w:val=\"clear\" w:color=\"auto\" w:fill=\"{shade}\"/><w:spacing w:line=\"252\" w:lineRule=\"auto\"/></w:pPr><w:rPr>{mono}<w:sz w:val=\"17\"/><w:szCs w:val=\"17\"/></w:rPr>"
    );
    add(paragraph, "Code", "Code", normal, None, &code);
    let output = format!(
        "<w:pPr><w:spacing w:line=\"252\" w:lineRule=\"auto\"/></w:pPr><w:rPr>{mono}<w:sz w:val=\"17\"/><w:szCs w:val=\"17\"/></w:rPr>"
    );
    add(paragraph, "Output", "Output", normal, None, &output);
    add(paragraph, "Notices", "Notices", Some("Output"), None, &format!("<w:rPr><w:color w:val=\"{soft}\"/></w:rPr>"));
    let red = colours.strands[1].to_uppercase();
    add(paragraph, "Failure", "Failure", Some("Output"), None, &format!("<w:rPr><w:color w:val=\"{red}\"/></w:rPr>"));
    let left = format!(
        "<w:pPr><w:spacing w:before=\"40\" w:after=\"80\"/></w:pPr><w:rPr><w:i/><w:color w:val=\"{soft}\"/><w:sz w:val=\"18\"/></w:rPr>"
    );
    add(paragraph, "LeftOut", "Left Out", normal, body, &left);
    let quote = format!(
        "<w:pPr><w:pBdr><w:left w:val=\"single\" w:sz=\"12\" w:space=\"10\" w:color=\"{}\"/></w:pBdr><w:ind w:left=\"400\"/></w:pPr><w:rPr><w:i/></w:rPr>",
        colours.thread.to_uppercase()
    );
    add(paragraph, "Quote", "Quote", body, body, &quote);
    let entry = "<w:pPr><w:spacing w:after=\"60\"/></w:pPr>";
    add(paragraph, "ListBullet", "List Bullet", body, None, entry);
    add(paragraph, "ListNumber", "List Number", body, None, entry);
    add(paragraph, "ListContinue", "List Continue", body, None, entry);
    add(
        paragraph,
        "Term",
        "Term",
        normal,
        Some("Definition"),
        "<w:pPr><w:keepNext/><w:spacing w:before=\"60\"/></w:pPr><w:rPr><w:b/></w:rPr>",
    );
    add(
        paragraph,
        "Definition",
        "Definition",
        body,
        None,
        "<w:pPr><w:spacing w:after=\"80\"/><w:ind w:left=\"400\"/></w:pPr>",
    );
    add(
        paragraph,
        "TabTitle",
        "Tab Title",
        normal,
        body,
        &format!(
            "<w:pPr><w:keepNext/><w:spacing w:before=\"160\" w:after=\"80\"/></w:pPr><w:rPr><w:b/><w:color w:val=\"{soft}\"/></w:rPr>"
        ),
    );
    add(
        paragraph,
        "FoldTitle",
        "Fold Title",
        normal,
        body,
        "<w:pPr><w:keepNext/><w:spacing w:before=\"120\" w:after=\"80\"/></w:pPr><w:rPr><w:b/></w:rPr>",
    );
    add(
        paragraph,
        "Rule",
        "Rule",
        normal,
        body,
        &format!(
            "<w:pPr><w:pBdr><w:bottom w:val=\"single\" w:sz=\"6\" w:space=\"1\" w:color=\"{soft}\"/></w:pBdr><w:spacing w:before=\"120\" w:after=\"240\"/></w:pPr>"
        ),
    );
    add(
        paragraph,
        "Equation",
        "Equation",
        normal,
        body,
        "<w:pPr><w:spacing w:before=\"80\" w:after=\"120\"/><w:jc w:val=\"center\"/></w:pPr>",
    );
    add(
        paragraph,
        "Cell",
        "Cell",
        normal,
        None,
        "<w:pPr><w:spacing w:before=\"30\" w:after=\"30\" w:line=\"247\" w:lineRule=\"auto\"/></w:pPr><w:rPr><w:sz w:val=\"19\"/><w:szCs w:val=\"19\"/></w:rPr>",
    );
    add(paragraph, "CellHead", "Cell Head", Some("Cell"), None, "<w:pPr><w:keepNext/></w:pPr><w:rPr><w:b/></w:rPr>");
    add(
        paragraph,
        "Bibliography",
        "Bibliography",
        normal,
        None,
        "<w:pPr><w:spacing w:after=\"90\"/><w:ind w:left=\"400\" w:hanging=\"400\"/></w:pPr>",
    );
    add(
        paragraph,
        "TOCHeading",
        "TOC Heading",
        normal,
        body,
        "<w:pPr><w:keepNext/><w:spacing w:before=\"240\" w:after=\"120\"/></w:pPr><w:rPr><w:b/><w:sz w:val=\"25\"/></w:rPr>",
    );
    for level in 1..=6 {
        let inside = format!(
            "<w:pPr><w:tabs><w:tab w:val=\"right\" w:leader=\"dot\" w:pos=\"9060\"/></w:tabs><w:spacing w:after=\"40\"/><w:ind w:left=\"{}\"/></w:pPr>",
            260 * (level - 1)
        );
        add(paragraph, &format!("TOC{level}"), &format!("toc {level}"), normal, normal, &inside);
    }
    let small = format!("<w:rPr><w:color w:val=\"{soft}\"/><w:sz w:val=\"17\"/><w:szCs w:val=\"17\"/></w:rPr>");
    add(paragraph, "Header", "header", normal, None, &small);
    add(paragraph, "Footer", "footer", normal, None, &small);
    add(
        paragraph,
        "FootnoteText",
        "footnote text",
        normal,
        None,
        "<w:pPr><w:spacing w:after=\"40\" w:line=\"247\" w:lineRule=\"auto\"/></w:pPr><w:rPr><w:sz w:val=\"18\"/><w:szCs w:val=\"18\"/></w:rPr>",
    );
    add(
        character,
        "FootnoteReference",
        "footnote reference",
        None,
        None,
        "<w:rPr><w:vertAlign w:val=\"superscript\"/></w:rPr>",
    );
    let link = colours.link.to_uppercase();
    add(
        character,
        "Hyperlink",
        "Hyperlink",
        None,
        None,
        &format!("<w:rPr><w:color w:val=\"{link}\"/><w:u w:val=\"single\"/></w:rPr>"),
    );
    add(character, "Emphasis", "Emphasis", None, None, "<w:rPr><w:i/><w:iCs/></w:rPr>");
    add(character, "Strong", "Strong", None, None, "<w:rPr><w:b/><w:bCs/></w:rPr>");
    add(character, "CodeText", "Code Text", None, None, &format!("<w:rPr>{mono}<w:sz w:val=\"19\"/></w:rPr>"));
    add(
        character,
        "Key",
        "Key",
        None,
        None,
        &format!(
            "<w:rPr>{mono}<w:sz w:val=\"18\"/><w:bdr w:val=\"single\" w:sz=\"4\" w:space=\"0\" w:color=\"{soft}\"/></w:rPr>"
        ),
    );
    add(
        character,
        "Mark",
        "Mark",
        None,
        None,
        "<w:rPr><w:shd w:val=\"clear\" w:color=\"auto\" w:fill=\"F5E3B3\"/></w:rPr>",
    );
    add(character, "LineNumber", "Line Number", None, None, &format!("<w:rPr><w:color w:val=\"{soft}\"/></w:rPr>"));
    for (class, name) in CODE_PARTS {
        if let Some(colour) = colours.code(class) {
            let slant = if class == "c" { "<w:i/>" } else { "" };
            let inside = format!("<w:rPr>{slant}<w:color w:val=\"{}\"/></w:rPr>", colour.to_uppercase());
            add(character, &format!("Code{name}"), &format!("Code {name}"), None, None, &inside);
        }
    }
    let rule =
        |side: &str, size: u32| format!("<w:{side} w:val=\"single\" w:sz=\"{size}\" w:space=\"0\" w:color=\"auto\"/>");
    let ruled = format!(
        "<w:tblPr><w:tblBorders>{}{}</w:tblBorders><w:tblCellMar><w:left w:w=\"90\" w:type=\"dxa\"/><w:right w:w=\"90\" w:type=\"dxa\"/></w:tblCellMar></w:tblPr>\
         <w:tblStylePr w:type=\"firstRow\"><w:tblPr/><w:tcPr><w:tcBorders>{}</w:tcBorders></w:tcPr></w:tblStylePr>",
        rule("top", 10),
        rule("bottom", 10),
        rule("bottom", 5)
    );
    add("table", "Ruled", "Ruled", Some("TableNormal"), None, &ruled);
    for (name, strand) in NOTICES {
        let colour = colours.strands[strand].to_uppercase();
        let inside = format!(
            "<w:pPr><w:keepNext/><w:spacing w:before=\"80\" w:after=\"60\"/></w:pPr><w:rPr><w:b/><w:color w:val=\"{colour}\"/></w:rPr>"
        );
        add(paragraph, &format!("{name}Title"), &format!("{name} Title"), normal, body, &inside);
        let inside = format!(
            "<w:tblPr><w:tblBorders><w:left w:val=\"single\" w:sz=\"18\" w:space=\"0\" w:color=\"{colour}\"/></w:tblBorders><w:tblCellMar><w:top w:w=\"60\" w:type=\"dxa\"/><w:left w:w=\"200\" w:type=\"dxa\"/><w:bottom w:w=\"60\" w:type=\"dxa\"/><w:right w:w=\"160\" w:type=\"dxa\"/></w:tblCellMar></w:tblPr>\
             <w:tcPr><w:shd w:val=\"clear\" w:color=\"auto\" w:fill=\"{shade}\"/></w:tcPr>"
        );
        add("table", &format!("{name}Box"), &format!("{name} Box"), Some("TableNormal"), None, &inside);
    }
    styles
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_style_of_a_house_keeps_all_but_its_list() {
        let styles =
            "<w:style><w:pPr><w:numPr><w:numId w:val=\"3\"/></w:numPr><w:keepNext/></w:pPr></w:style><w:numPr/>x";
        assert_eq!(without_lists(styles), "<w:style><w:pPr><w:keepNext/></w:pPr></w:style>x");
    }
}
