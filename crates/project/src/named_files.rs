//! What a document names and does not hold: places that its links lead to, and the files of its exports.

use std::cell::OnceCell;
use std::collections::BTreeSet;
use std::path::Path;
use vineloom_document::options::{Format, OptionValue, ReadAs};
use vineloom_document::{
    Block, Diagnostic, Document, InlineKind, Part, Sought, Span, alike, each_block, each_inline, each_place, nearest,
    standing_in,
};
use vineloom_pdf::is_font_file;

/// Options of exports that name files, and what such a file is called.
const FILES: [(&str, &str); 12] = [
    ("style", "the style sheet"),
    ("page-head", "the head"),
    ("page-foot", "the foot"),
    ("scripts", "the script"),
    ("icon", "the icon"),
    ("social-picture", "the social picture"),
    ("emblem", "the emblem"),
    ("cover", "the cover"),
    ("preamble", "the preamble"),
    ("styles-from", "the file of styles"),
    ("font", FONT),
    ("code-font", FONT),
];
/// A font may also be named that is installed.
const FONT: &str = "the font";

/// Links that lead nowhere, and files that exports need and that are not there.
pub(crate) fn missing(document: &Document, folder: &Path) -> Vec<Diagnostic> {
    let mut findings = files_of_exports(document, folder);
    // Known only where some link asks for it.
    let known = OnceCell::new();
    document.each_inline(Sought::Links, &mut |inline| {
        let InlineKind::Link(link) = &inline.kind else { return };
        let [Part::Text(target)] = link.target.as_ref() else { return };
        findings.extend(match target.strip_prefix('#') {
            Some(place) => no_place(place, known.get_or_init(|| places(document)), inline.span()),
            None => no_file(target, document, folder, inline.span()),
        });
    });
    findings
}

/// The places within the document that a link can lead to; nothing where HTML or printed text may bring others.
fn places(document: &Document) -> Option<BTreeSet<String>> {
    let mut open = document.live.iter().any(|block| matches!(block.options.read_as, ReadAs::Html | ReadAs::Markdown));
    each_block(&document.blocks, &mut |block| match block {
        // What a value says is known only when it is woven.
        Block::Heading { id: None, content, .. } => {
            each_inline(content, &mut |inline| open |= matches!(inline.kind, InlineKind::Value(_)));
        }
        Block::Html { .. } => open = true,
        _ => {}
    });
    if open || document.holds(Sought::Html) {
        return None;
    }
    let mut places = BTreeSet::new();
    for formats in alike(document, &document.blocks, &Format::ALL) {
        let standing = formats.first().and_then(|&format| standing_in(format, &document.blocks));
        each_place(document, standing.as_deref().unwrap_or(&document.blocks), &mut |name, _| {
            places.insert(name.into_owned());
        });
    }
    Some(places)
}

fn no_place(place: &str, places: &Option<BTreeSet<String>>, span: Span) -> Option<Diagnostic> {
    let places = places.as_ref()?;
    if place.is_empty() || place == "top" || places.contains(place) {
        return None;
    }
    let help = match nearest(place, places.iter().map(String::as_str)) {
        Some(near) => format!("did you mean `#{near}`?"),
        None => "the name of a section is written behind its heading: `## Wiring {#wiring}`".into(),
    };
    Some(Diagnostic::error(span, format!("the link `#{place}` leads to no place in this document")).help(help))
}

/// A link to a file beside the document that is not there. What a weave makes, or a block may make, need not be there yet.
fn no_file(target: &str, document: &Document, folder: &Path, span: Span) -> Option<Diagnostic> {
    let path = target.split(['#', '?']).next().unwrap_or(target);
    let is_address =
        path.is_empty() || path.starts_with('/') || path.split('/').next().is_some_and(|word| word.contains(':'));
    if is_address || path.contains('%') || folder.join(path).exists() {
        return None;
    }
    let stem = path.rsplit_once('.').map_or(path, |(stem, _)| stem);
    let woven = ["vine.md", "md"].iter().any(|extension| folder.join(format!("{stem}.{extension}")).exists());
    let name = path.rsplit('/').next().unwrap_or(path);
    let mentions = |part: &Part| matches!(part, Part::Text(code) if code.contains(name));
    let made = document.live.iter().any(|block| block.code.iter().any(mentions));
    if woven || made || document.live.iter().any(|block| !block.options.writes.is_empty()) {
        return None;
    }
    let finding = Diagnostic::warning(span, format!("the link {path} leads to a file that is not there"));
    Some(finding.help("paths start at the document's folder"))
}

fn files_of_exports(document: &Document, folder: &Path) -> Vec<Diagnostic> {
    let mut findings: Vec<Diagnostic> = Vec::new();
    for format in Format::ALL {
        let settings = document.export_settings(format);
        for (option, what) in FILES {
            let Some(setting) = settings.get(option) else { continue };
            let names: Vec<&String> = match &setting.value {
                OptionValue::Text(text) => vec![text],
                OptionValue::List(texts) => texts.iter().collect(),
                OptionValue::Flag(_) | OptionValue::Number(_) | OptionValue::Lists(_) => Vec::new(),
            };
            for name in names.into_iter().filter(|name| what != FONT || is_font_file(name)) {
                if !name.is_empty()
                    && !name.contains("://")
                    && !folder.join(name).exists()
                    && !told(&findings, setting.span)
                {
                    let message = format!("{what} {name} is not there");
                    findings
                        .push(Diagnostic::error(setting.span, message).help("paths start at the document's folder"));
                }
            }
        }
    }
    findings
}

fn told(findings: &[Diagnostic], span: Span) -> bool {
    findings.iter().any(|finding| finding.span == Some(span))
}
