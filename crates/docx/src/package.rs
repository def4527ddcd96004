//! The package: the body with its styles, lists, footnotes, head and foot.

use crate::fields::{field, run};
use crate::house::House;
use crate::namespaces::{NAMESPACES, of_body};
use crate::page::Lies;
use crate::pictures::OWN;
use crate::styles::Styles;
use crate::writer::{Body, HEADS};
use vineloom_export::xml::text;
use vineloom_office::{HEAD, Package, Relation};
use vineloom_woven::{Woven, plain_text};
use zip::result::ZipError;

fn kind(word: &str) -> String {
    format!("application/vnd.openxmlformats-officedocument.wordprocessingml.{word}+xml")
}

/// The document; `top` is the level of its highest headings.
///
/// # Errors
/// What keeps the archive from being made.
pub(crate) fn document(
    (woven, top): (&Woven, u8),
    styles: &Styles,
    mut body: Body,
    house: Option<&House>,
) -> Result<Vec<u8>, ZipError> {
    let mut package = Package::new(woven, "");
    let spaces = of_body();
    let mut relations = body.relations;
    let mut lead = |relation: Relation| {
        relations.push(relation);
        format!("rId{}", relations.len())
    };
    for (kind, target) in [
        ("styles", "styles.xml"),
        ("numbering", "numbering.xml"),
        ("settings", "settings.xml"),
        ("footnotes", "footnotes.xml"),
    ] {
        lead(Relation::inside(kind, target));
    }
    let section = match house.filter(|house| !house.section.is_empty()) {
        Some(house) => {
            let named = house.heads.iter().fold(house.section.clone(), |section, (name, relation)| {
                section.replace(&format!("\"{name}\""), &format!("\"{}\"", lead(relation.clone())))
            });
            house.others.iter().for_each(|relation| {
                lead(relation.clone());
            });
            for (name, kind, bytes) in &house.parts {
                match kind {
                    Some(kind) => package.add(name, kind, bytes.clone()),
                    None => package.add_plain(name, bytes.clone()),
                }
            }
            house.endings.iter().for_each(|(ending, kind)| package.ending(ending, kind));
            named
        }
        None => {
            let head = lead(Relation::inside("header", "header1.xml"));
            let foot = lead(Relation::inside("footer", "footer1.xml"));
            package.add("word/header1.xml", &kind("header"), header(woven, styles));
            package.add("word/footer1.xml", &kind("footer"), footer(styles));
            lead(Relation::inside("theme", "theme/theme1.xml"));
            lead(Relation::inside("fontTable", "fontTable.xml"));
            package.add("word/theme/theme1.xml", THEME, theme());
            package.add("word/fontTable.xml", &kind("fontTable"), fonts());
            // The first page has the title; it needs no head.
            format!(
                "<w:headerReference w:type=\"default\" r:id=\"{head}\"/><w:footerReference w:type=\"default\" r:id=\"{foot}\"/><w:footerReference w:type=\"first\" r:id=\"{foot}\"/>{}{}",
                body.page.section(Lies::Upright),
                if body.xml.contains(HEADS) { "" } else { "<w:titlePg/>" }
            )
        }
    };
    // Every section says which head and foot it has: the first is followed by the others in nothing else.
    let heads: String = section.split_inclusive("/>").filter(|part| part.contains("Reference ")).collect();
    let mut written = std::mem::take(&mut body.xml);
    if written.contains(HEADS) {
        written = written.replace(HEADS, &heads);
    }
    written.insert_str(0, &format!("{HEAD}<w:document {spaces}><w:body>"));
    written.push_str(&format!("<w:sectPr>{section}</w:sectPr></w:body></w:document>"));
    package.add("word/document.xml", &kind("document.main"), written);
    package.relate("word/document.xml", &relations);
    package.add("word/styles.xml", &kind("styles"), styles.xml.clone());
    package.add("word/numbering.xml", &kind("numbering"), body.lists.xml(top));
    package.add("word/settings.xml", &kind("settings"), settings());
    let line = |word: &str| {
        format!(
            "<w:p><w:pPr><w:spacing w:after=\"0\" w:line=\"240\" w:lineRule=\"auto\"/></w:pPr><w:r><w:{word}/></w:r></w:p>"
        )
    };
    let notes = format!(
        "{HEAD}<w:footnotes {spaces}><w:footnote w:type=\"separator\" w:id=\"-1\">{}</w:footnote><w:footnote w:type=\"continuationSeparator\" w:id=\"0\">{}</w:footnote>{}</w:footnotes>",
        line("separator"),
        line("continuationSeparator"),
        body.notes
    );
    package.add("word/footnotes.xml", &kind("footnotes"), notes);
    if !body.note_relations.is_empty() {
        package.relate("word/footnotes.xml", &body.note_relations);
    }
    package.relate("", &[Relation::inside("officeDocument", "word/document.xml")]);
    for (name, bytes) in &body.gallery.files {
        package.add_plain(&format!("word/media/{OWN}{name}"), bytes.clone());
    }
    package.archive()
}

const THEME: &str = "application/vnd.openxmlformats-officedocument.theme+xml";

/// The colours and faces that the program offers beside those of the styles: those of linen.
fn theme() -> String {
    let colours = vineloom_export::html::palette("linen", "theme");
    format!("{HEAD}{}", vineloom_office::theme(&colours))
}

/// The faces that the styles ask for, and of what kind each is.
fn fonts() -> String {
    let font = |name: &str, family: &str, pitch: &str| {
        format!("<w:font w:name=\"{name}\"><w:family w:val=\"{family}\"/><w:pitch w:val=\"{pitch}\"/></w:font>")
    };
    let fonts =
        [("Georgia", "roman", "variable"), ("Consolas", "modern", "fixed"), ("Cambria Math", "roman", "variable")];
    let fonts: String = fonts.into_iter().map(|(name, family, pitch)| font(name, family, pitch)).collect();
    format!("{HEAD}<w:fonts {NAMESPACES}>{fonts}</w:fonts>")
}

fn settings() -> String {
    format!(
        "{HEAD}<w:settings {NAMESPACES}><w:zoom w:percent=\"100\"/><w:defaultTabStop w:val=\"720\"/><w:footnotePr><w:footnote w:id=\"-1\"/><w:footnote w:id=\"0\"/></w:footnotePr>\
         <w:compat><w:compatSetting w:name=\"compatibilityMode\" w:uri=\"http://schemas.microsoft.com/office/word\" w:val=\"15\"/></w:compat></w:settings>"
    )
}

/// The title above each page but the first.
fn header(woven: &Woven, styles: &Styles) -> String {
    let title = plain_text(&woven.head.title);
    format!(
        "{HEAD}<w:hdr {NAMESPACES}><w:p><w:pPr><w:pStyle w:val=\"{}\"/></w:pPr>{}</w:p></w:hdr>",
        text(styles.id("Header")),
        run(&title)
    )
}

/// Which page of how many.
fn footer(styles: &Styles) -> String {
    let pages = format!("{}{}{}", field("PAGE", &run("1")), run(" of "), field("NUMPAGES", &run("1")));
    format!(
        "{HEAD}<w:ftr {NAMESPACES}><w:p><w:pPr><w:pStyle w:val=\"{}\"/><w:jc w:val=\"right\"/></w:pPr>{pages}</w:p></w:ftr>",
        text(styles.id("Footer"))
    )
}
