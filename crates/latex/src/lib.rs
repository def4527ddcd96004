//! A LaTeX source that compiles with pdflatex and with lualatex of a common installation: sections, floats, labels,
//! citations and formulas as their writer would have written them, figures beside it.
//!
//! [`preamble`] has what stands before the text, [`blocks`], [`inlines`], [`code`] and [`tables`] write the text, and
//! [`letters`] says what pdflatex is to do with letters that it does not know.

#![forbid(unsafe_code)]

mod blocks;
mod code;
mod escape;
mod inlines;
mod letters;
mod pictures;
mod preamble;
mod tables;
mod writer;

use serde::Serialize;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_export::html::palette;
use vineloom_export::raw_html::{picture_names, without_html};
use vineloom_export::{Contents, Export, Exporter, Job, Want};
use vineloom_woven::Woven;

/// The first line of a source.
pub const FIRST_LINE: &str = "% Woven by Vine Loom: what is changed here is lost at the next weave.";

/// A LaTeX source.
#[derive(Debug, Clone, Copy)]
pub struct Latex;

/// The options of a LaTeX source.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LatexOptions {
    /// The class of the document.
    pub document_class: String,
    /// Its options.
    pub class_options: String,
    /// A file that stands at the end of the preamble, by its path from the document's folder.
    pub preamble: Option<String>,
    /// Whether it is a part of another source: no class, no beginning, no end.
    pub part: bool,
    /// Whether citations are commands, which want the works beside the source.
    pub cites: bool,
    /// The lowest level of headings in the contents; nothing where there are none.
    pub contents: Option<u8>,
    /// Whether sections are numbered.
    pub numbered: bool,
    /// Whether the code of live blocks is left out.
    /// The scheme of code colours.
    pub code_colours: String,
}

impl Exporter for Latex {
    type Options = LatexOptions;

    fn format(&self) -> Format {
        Format::Latex
    }

    fn is_quick(&self) -> bool {
        true
    }

    fn options(&self, settings: &Settings) -> LatexOptions {
        LatexOptions {
            document_class: settings.text("document-class").unwrap_or("article").into(),
            class_options: settings.text("class-options").unwrap_or_default().into(),
            preamble: settings.text("preamble").map(String::from),
            part: settings.flag("part"),
            cites: settings.text("citations") != Some("formatted"),
            contents: (Contents::of(settings) == Contents::Top).then(|| Contents::depth(settings)),
            numbered: settings.flag("numbered"),
            code_colours: settings.text("code-colours").unwrap_or("theme").into(),
        }
    }

    fn wants(&self, woven: &Woven, options: &LatexOptions) -> Vec<Want> {
        let preamble = options.preamble.iter().map(|path| Want::File { what: "the preamble", path: path.clone() });
        let works = options.cites.then_some(Want::Works);
        preamble.chain(works).chain([Want::HighlightedCode, Want::Pictures(picture_names(woven))]).collect()
    }

    fn export(&self, job: &Job<LatexOptions>) -> Result<Export, Vec<Diagnostic>> {
        let Job { woven, options, assets, .. } = *job;
        let (plain, mut findings) = without_html(woven, &assets.pictures, Format::Latex);
        let colours = palette("linen", &options.code_colours);
        let folder = job.parts_folder();
        let mut writer = writer::Writer::new(&plain, options, assets, &folder);
        writer.document();
        let writer::Writer { out, mut parts, errors, unknown_pictures, .. } = writer;
        if !errors.is_empty() {
            return Err(errors);
        }
        findings.extend(unknown_pictures);
        let works = writer::cited_works(&plain, options, assets);
        let has_works = works.is_some();
        parts.extend(works.map(|works| (format!("{folder}/works.bib"), works.into_bytes())));
        let house = options.preamble.as_ref().and_then(|path| assets.files.get(path));
        let house = house.map_or_else(String::new, |bytes| String::from_utf8_lossy(bytes).into_owned());
        let mut before = preamble::preamble(&plain, options, &colours);
        let (declared, told) = letters::declared(&[out.as_str(), &before].concat());
        findings.extend(told);
        before.push_str(&declared);
        if has_works {
            before.push_str(&preamble::works(&plain, &folder));
        }
        before.push_str(&house);
        let text = if options.part {
            let name = format!("{folder}/preamble.tex");
            parts.push((name.clone(), format!("{FIRST_LINE}\n{before}").into_bytes()));
            format!("{FIRST_LINE}\n% The source that takes this in has \\input{{{name}}} in its preamble.\n{out}")
        } else {
            let class = preamble::class(&plain, options);
            format!("{FIRST_LINE}\n{class}{before}\n\\begin{{document}}\n{out}\n\\end{{document}}\n")
        };
        Ok(Export { bytes: text.into_bytes(), parts, findings, ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        file.starts_with(FIRST_LINE.as_bytes())
    }
}
