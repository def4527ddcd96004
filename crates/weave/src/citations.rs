//! Works cited: BibLaTeX files and CSL styles, through the `hayagriva` library.
//!
//! All citations are formatted together before the tree is made, since their form depends on each other: a
//! numeric style counts them, an author-date style tells two works of a year apart.

use crate::citation_locales::{locale, locales_of};
use crate::works_in_order::ranked;
use hayagriva::archive::ArchivedStyle;
use hayagriva::citationberg::taxonomy::Locator;
use hayagriva::citationberg::{FontStyle, FontWeight, Style};
use hayagriva::io::{BibLaTeXError, from_biblatex_str};
use hayagriva::{
    BibliographyDriver, BibliographyRequest, CitationItem, CitationRequest, ElemChild, ElemChildren, Entry, Library,
    LocatorPayload, SpecificLocator,
};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use vineloom_document::{
    Block as WrittenBlock, Diagnostic, Document, Inline as WrittenInline, InlineKind as WrittenKind, Named, Span,
    each_inline, nearest, place_of_work, plain_text,
};
use vineloom_woven::Memory;
use vineloom_woven::{Block, Citation, Id, Inline, InlineKind, Link, Work};

/// The style when none is asked for.
const DEFAULT_STYLE: &str = "chicago-author-date";

/// The citations of a document, formatted.
#[derive(Debug, Default)]
pub(crate) struct Citations {
    /// By where it stands and which work it names: where in the work, and the words.
    formatted: HashMap<(usize, String), (String, Vec<Inline>)>,
    works: Vec<Work>,
    placed: bool,
}

/// One citation as written.
struct Cited {
    key: String,
    place: String,
    span: Span,
}

/// What citations look like: it follows from the works, the style, and what is cited in which order.
#[derive(Debug, Serialize, Deserialize)]
struct Looks {
    /// Of each citation; nothing for one whose work can't be read.
    citations: Vec<Option<Vec<Words>>>,
    /// The list of works: of each its key, what stands before it, and its words.
    works: Vec<(String, Vec<Words>, Vec<Words>)>,
}

/// Words that look alike.
#[derive(Debug, Serialize, Deserialize)]
struct Words {
    text: String,
    italic: bool,
    bold: bool,
    /// Where they lead.
    target: Option<String>,
}

impl Citations {
    /// Formats the citations in the blocks of a document, or recalls how they were formatted before.
    pub fn of(
        document: &Document,
        body: &[WrittenBlock],
        memory: &dyn Memory,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Self {
        let mut cited = Vec::new();
        if !document.references.is_empty() {
            document.each_text_of(body, &mut |text| find(text, document, &mut cited));
        }
        if cited.is_empty() {
            return Citations::default();
        }
        let asked: Vec<(&str, &str)> = cited.iter().map(|one| (one.key.as_str(), one.place.as_str())).collect();
        let style = document.citation_style().map(|text| text.text.as_str());
        let question = ("citations", style, document.language_given(), &document.references, asked);
        let question = serde_json::to_vec(&question).unwrap_or_default();
        let known = memory.recall(&question).and_then(|looks| serde_json::from_slice::<Looks>(&looks).ok());
        let looks = match known {
            Some(looks) => looks,
            None => {
                let told = diagnostics.len();
                let Some(looks) = Looks::of(document, &cited, memory, diagnostics) else { return Citations::default() };
                // What is wrong is told each time.
                if diagnostics.len() == told {
                    memory.keep(&question, &serde_json::to_vec(&looks).unwrap_or_default());
                }
                looks
            }
        };
        Citations::from_looks(looks, cited)
    }

    fn from_looks(looks: Looks, cited: Vec<Cited>) -> Self {
        let mut citations = Citations::default();
        for (look, written) in looks.citations.into_iter().zip(cited) {
            let Some(look) = look else { continue };
            citations.formatted.insert((written.span.start, written.key), (written.place, inlines(look)));
        }
        for (key, label, content) in looks.works {
            let Some(id) = work_id(&key) else { continue };
            citations.works.push(Work { id, label: inlines(label), content: inlines(content) });
        }
        citations
    }

    /// The formatted citation of a work at a place; nothing when the name is no work that could be read.
    pub fn citation(&self, key: &str, span: Span) -> Option<InlineKind> {
        let (place, content) = self.formatted.get(&(span.start, key.to_string()))?.clone();
        Some(InlineKind::Citation(Box::new(Citation { work: work_id(key)?, place, content })))
    }

    /// The list of works cited; nothing when none is.
    pub fn list(&self) -> Option<Block> {
        (!self.works.is_empty()).then(|| Block::Works(self.works.clone()))
    }

    /// Says that the list stands somewhere in the text.
    pub fn place_list(&mut self) {
        self.placed = true;
    }

    /// Whether the list stands somewhere in the text.
    pub fn list_placed(&self) -> bool {
        self.placed
    }
}

impl Looks {
    fn of(
        document: &Document,
        cited: &[Cited],
        memory: &dyn Memory,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Option<Self> {
        let style = named_style(document).map_err(|finding| diagnostics.push(*finding)).ok()?;
        let library = library(&document.references, diagnostics);
        let Style::Independent(style) = style.get() else { return None };
        let locale = document.language_given().and_then(|tag| locale(tag, &style));
        let locales = locales_of(&style, locale.as_ref(), memory);
        let works: Vec<&Entry> = cited.iter().filter_map(|citation| library.get(&citation.key)).collect();
        let ranked = ranked(&works, &style, &locales, locale.as_ref());
        let (in_order, style) = ranked.map_or((None, style), |(works, style)| (Some(works), style));
        let mut driver = BibliographyDriver::new();
        let mut is_sent = Vec::new();
        for citation in cited {
            let entry = in_order.as_ref().map_or_else(|| library.get(&citation.key), |works| works.get(&citation.key));
            is_sent.push(entry.is_some());
            let Some(entry) = entry else { continue };
            let item: CitationItem<Entry> = CitationItem::with_locator(entry, locator(&citation.place));
            let mut request = CitationRequest::from_items(vec![item], &style, &locales);
            request.locale.clone_from(&locale);
            driver.citation(request);
        }
        let rendered = driver.finish(BibliographyRequest { style: &style, locale, locale_files: &locales });
        let mut formatted = rendered.citations.iter();
        let citation = |sent: bool| if sent { formatted.next().map(|one| words(&one.citation)) } else { None };
        let citations = is_sent.into_iter().map(citation).collect();
        let works = rendered.bibliography.into_iter().flat_map(|list| list.items);
        let work = |item: hayagriva::BibliographyItem| {
            let label = item.first_field.iter().flat_map(words_of).collect();
            let content = words(&item.content);
            (item.key, label, content)
        };
        Some(Looks { citations, works: works.map(work).collect() })
    }
}

fn work_id(key: &str) -> Option<Id> {
    Id::new(place_of_work(key))
}

/// What is wrong with the citation style a document asks for. The style itself is not read: that takes a while.
pub fn check_citation_style(document: &Document) -> Option<Diagnostic> {
    named_style(document).err().map(|finding| *finding)
}

/// What is wrong in the files of works that a document names.
pub fn check_works(document: &Document, memory: &dyn Memory) -> Vec<Diagnostic> {
    let mut findings = Vec::new();
    for file in &document.references {
        let question = serde_json::to_vec(&("works without a mistake", file)).unwrap_or_default();
        if memory.recall(&question).is_some() {
            continue;
        }
        let told = findings.len();
        library(std::slice::from_ref(file), &mut findings);
        if findings.len() == told {
            memory.keep(&question, b"");
        }
    }
    findings
}

fn named_style(document: &Document) -> Result<ArchivedStyle, Box<Diagnostic>> {
    let asked = document.citation_style();
    let name = asked.map_or(DEFAULT_STYLE, |text| text.text.as_str());
    if let Some(style) = ArchivedStyle::by_name(name) {
        return Ok(style);
    }
    let names: Vec<&str> = ArchivedStyle::all().iter().flat_map(|style| style.names()).copied().collect();
    let help = match nearest(name, names.iter().copied()) {
        Some(near) => format!("did you mean `{near}`?"),
        None => "some that there are: apa, chicago-author-date, chicago-notes, harvard-cite-them-right, ieee, mla, nature, vancouver".into(),
    };
    let span = asked.map_or(Span::NOWHERE, |text| text.span);
    Err(Box::new(Diagnostic::error(span, format!("there is no citation style `{name}`")).help(help)))
}

fn library(files: &[(String, String)], diagnostics: &mut Vec<Diagnostic>) -> Library {
    let mut library = Library::new();
    for (name, text) in files {
        match from_biblatex_str(text) {
            Ok(works) => works.iter().for_each(|work| library.push(work)),
            Err(errors) => {
                for error in errors.iter().take(3) {
                    let (at, why) = match error {
                        BibLaTeXError::Parse(error) => (error.span.start, error.kind.to_string()),
                        BibLaTeXError::Type(error) => (error.span.start, error.kind.to_string()),
                    };
                    let line = text.get(..at).unwrap_or(text).matches('\n').count() + 1;
                    diagnostics.push(
                        Diagnostic::unplaced(format!("{name}, line {line}, can't be read: {why}"))
                            .help("works cited stand in BibLaTeX files, as in @article{key, title = {…}, …}"),
                    );
                }
            }
        }
    }
    library
}

/// `p. 12`, `pp. 3–5`, `ch. 2`, `§ 4`: the place in the work; a page when nothing says otherwise.
fn locator(place: &str) -> Option<SpecificLocator<'_>> {
    let place = place.trim();
    if place.is_empty() {
        return None;
    }
    const KINDS: [(&str, Locator); 12] = [
        ("pp.", Locator::Page),
        ("p.", Locator::Page),
        ("pages", Locator::Page),
        ("page", Locator::Page),
        ("chapter", Locator::Chapter),
        ("ch.", Locator::Chapter),
        ("section", Locator::Section),
        ("sec.", Locator::Section),
        ("§", Locator::Section),
        ("fig.", Locator::Figure),
        ("vol.", Locator::Volume),
        ("table", Locator::Table),
    ];
    let lower = place.to_lowercase();
    let found = KINDS.iter().find(|(word, _)| lower.starts_with(word));
    let (kind, rest) = found.map_or((Locator::Page, place), |(word, kind)| (*kind, place[word.len()..].trim()));
    Some(SpecificLocator(kind, LocatorPayload::Str(rest)))
}

/// Finds the citations in a running text.
fn find(text: &[WrittenInline], document: &Document, cited: &mut Vec<Cited>) {
    each_inline(text, &mut |inline| {
        if let WrittenKind::Reference(reference) = &inline.kind
            && let vineloom_document::Reference { name, content } = reference.as_ref()
            && matches!(document.names.get(name.as_str()), Some(Named::Work(_)))
        {
            cited.push(Cited { key: name.clone(), place: plain_text(content), span: inline.span() });
        }
    });
}

/// What a style puts into the text stands nowhere in the document.
fn inlines(words: Vec<Words>) -> Vec<Inline> {
    let written = |kind: InlineKind| Inline::new(kind, Span::NOWHERE);
    let inline = |Words { text, italic, bold, target }| {
        let mut inline = written(InlineKind::Text(text.into()));
        if italic {
            inline = written(InlineKind::Emphasis([inline].into()));
        }
        if bold {
            inline = written(InlineKind::Strong([inline].into()));
        }
        match target {
            Some(target) => written(InlineKind::Link(Box::new(Link {
                target: target.into(),
                title: "".into(),
                content: vec![inline],
            }))),
            None => inline,
        }
    };
    words.into_iter().map(inline).collect()
}

fn words(children: &ElemChildren) -> Vec<Words> {
    children.0.iter().flat_map(words_of).collect()
}

fn words_of(child: &ElemChild) -> Vec<Words> {
    let formatted = |text: &hayagriva::Formatted, target: Option<&String>| Words {
        text: text.text.clone(),
        italic: text.formatting.font_style == FontStyle::Italic,
        bold: text.formatting.font_weight == FontWeight::Bold,
        target: target.cloned(),
    };
    match child {
        ElemChild::Text(text) => vec![formatted(text, None)],
        ElemChild::Elem(elem) => words(&elem.children),
        ElemChild::Markup(text) => vec![Words { text: text.clone(), italic: false, bold: false, target: None }],
        ElemChild::Link { text, url } => vec![formatted(text, Some(url))],
        ElemChild::Transparent { .. } => Vec::new(),
    }
}
