//! Works cited: BibLaTeX files and CSL styles, through the `hayagriva` library.
//!
//! All citations are formatted together before the tree is made, since their form depends on each other: a
//! numeric style counts them, an author-date style tells two works of a year apart.

use hayagriva::archive::{ArchivedStyle, locales};
use hayagriva::citationberg::taxonomy::Locator;
use hayagriva::citationberg::{FontStyle, FontWeight, Style};
use hayagriva::io::{BibLaTeXError, from_biblatex_str};
use hayagriva::{
    BibliographyDriver, BibliographyRequest, CitationItem, CitationRequest, ElemChild, ElemChildren, Entry, Library,
    LocatorPayload, Rendered, SpecificLocator,
};
use std::collections::HashMap;
use vineloom_document::{
    Diagnostic, Document, Inline as WrittenInline, InlineKind as WrittenKind, Named, Span, each_inline, nearest,
    plain_text,
};
use vineloom_woven::{Block, Id, Inline, InlineKind, Work};

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

impl Citations {
    /// Formats the citations of a document.
    pub fn of(document: &Document, diagnostics: &mut Vec<Diagnostic>) -> Self {
        let mut cited = Vec::new();
        document.each_text(&mut |text| find(text, document, &mut cited));
        if cited.is_empty() {
            return Citations::default();
        }
        let Some(style) = style(document, diagnostics) else { return Citations::default() };
        let library = library(document, diagnostics);
        let Style::Independent(style) = style else { return Citations::default() };
        let locales = locales();
        let mut driver = BibliographyDriver::new();
        let mut sent = Vec::new();
        for citation in &cited {
            let Some(entry) = library.get(&citation.key) else { continue };
            let locator = locator(&citation.place);
            let item: CitationItem<Entry> = CitationItem::with_locator(entry, locator);
            driver.citation(CitationRequest::from_items(vec![item], &style, &locales));
            sent.push(citation);
        }
        let rendered = driver.finish(BibliographyRequest { style: &style, locale: None, locale_files: &locales });
        Citations::from_rendered(rendered, &sent)
    }

    fn from_rendered(rendered: Rendered, sent: &[&Cited]) -> Self {
        let mut citations = Citations::default();
        for (citation, written) in rendered.citations.iter().zip(sent) {
            let inlines = inlines(&citation.citation);
            let said = (written.place.clone(), inlines);
            citations.formatted.insert((written.span.start, written.key.clone()), said);
        }
        for item in rendered.bibliography.into_iter().flat_map(|list| list.items) {
            let label = item.first_field.iter().flat_map(inline).collect();
            let Some(id) = work_id(&item.key) else { continue };
            citations.works.push(Work { id, label, content: inlines(&item.content) });
        }
        citations
    }

    /// The formatted citation of a work at a place; nothing when the name is no work that could be read.
    pub fn citation(&self, key: &str, span: Span) -> Option<InlineKind> {
        let (place, content) = self.formatted.get(&(span.start, key.to_string()))?.clone();
        Some(InlineKind::Citation { work: work_id(key)?, place, content })
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

fn work_id(key: &str) -> Option<Id> {
    Id::new(format!("work-{key}"))
}

/// What is wrong with the citation style a document asks for. The style itself is not read: that takes a while.
pub fn check_citation_style(document: &Document) -> Option<Diagnostic> {
    named_style(document).err().map(|finding| *finding)
}

/// What is wrong in the files of works that a document names.
pub fn check_works(document: &Document) -> Vec<Diagnostic> {
    let mut findings = Vec::new();
    library(document, &mut findings);
    findings
}

fn style(document: &Document, diagnostics: &mut Vec<Diagnostic>) -> Option<Style> {
    named_style(document).map_err(|finding| diagnostics.push(*finding)).ok().map(|style| style.get())
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

fn library(document: &Document, diagnostics: &mut Vec<Diagnostic>) -> Library {
    let mut library = Library::new();
    for (name, text) in &document.references {
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
        if let WrittenKind::Reference { name, content } = &inline.kind
            && matches!(document.names.get(name.as_str()), Some(Named::Work(_)))
        {
            cited.push(Cited { key: name.clone(), place: plain_text(content), span: inline.span });
        }
    });
}

fn inlines(children: &ElemChildren) -> Vec<Inline> {
    children.0.iter().flat_map(inline).collect()
}

/// What a style puts into the text stands nowhere in the document.
fn written(kind: InlineKind) -> Inline {
    Inline::new(kind, Span::NOWHERE)
}

fn inline(child: &ElemChild) -> Vec<Inline> {
    let formatted = |text: &hayagriva::Formatted| {
        let mut inline = written(InlineKind::Text(text.text.clone()));
        if text.formatting.font_style == FontStyle::Italic {
            inline = written(InlineKind::Emphasis(vec![inline]));
        }
        if text.formatting.font_weight == FontWeight::Bold {
            inline = written(InlineKind::Strong(vec![inline]));
        }
        inline
    };
    match child {
        ElemChild::Text(text) => vec![formatted(text)],
        ElemChild::Elem(elem) => inlines(&elem.children),
        ElemChild::Markup(text) => vec![written(InlineKind::Text(text.clone()))],
        ElemChild::Link { text, url } => {
            let (target, content) = (url.clone(), vec![formatted(text)]);
            vec![written(InlineKind::Link { target, title: String::new(), content })]
        }
        ElemChild::Transparent { .. } => Vec::new(),
    }
}
