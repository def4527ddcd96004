//! From text to a [`Document`]: front matter, body, the files it names, names, options and their layers.

use crate::checks;
use crate::diagnostic::{Diagnostic, Severity};
use crate::files::{Files, NoFiles, folder_of, joined};
use crate::front_matter::{self, FrontDate, FrontMatter, FrontText};
use crate::gather::{Fenced, Gathered, Gatherer, Libraries, Other};
use crate::holdings::{Holdings, Sought};
use crate::inline::{Inline, InlineKind, Part};
use crate::live::Builder;
use crate::markdown::{self, Syntax};
use crate::name::{Name, Scope, nearest};
use crate::options::{Place, Settings};
use crate::parameter::Parameter;
use crate::source::{Source, Sources};
use crate::span::Span;
use crate::tree::{Block, Day, Document, Named};
use crate::walk::each_block;
use ecow::EcoString;
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::Arc;

/// A document and what is wrong with it.
#[derive(Debug, Clone)]
pub struct Parsed {
    /// The document, as far as it could be read.
    pub document: Document,
    /// What is wrong, in the order of the text.
    pub diagnostics: Vec<Diagnostic>,
}

/// What a document is read with.
pub struct Given<'a> {
    /// The files it may name.
    pub files: &'a dyn Files,
    /// The project file.
    pub project: Option<Source>,
    /// Parameters set from outside, as `name` and text.
    pub set: &'a [(String, String)],
}

/// Reads a document by itself, with no files beside it.
pub fn parse(source: Source) -> Parsed {
    parse_with(source, Given { files: &NoFiles, project: None, set: &[] })
}

/// Reads a document. Always gives one, however much is wrong with the text.
pub fn parse_with(source: impl Into<Arc<Source>>, given: Given) -> Parsed {
    let source = source.into();
    let mut sources = Sources::default();
    let file_name = source.name().rsplit('/').next().unwrap_or("").to_string();
    let main = sources.add(source);
    let project_source = given.project.map(|project| sources.add(project));
    let mut findings = Vec::new();
    let project = project_source.map(|source| front_matter::read_project(&source, &mut findings));
    let project = project.unwrap_or_default();
    let mut gatherer = Gatherer::new(given.files, sources, &file_name, &project);
    gatherer.findings = findings;

    let mut whole = Gathered::default();
    let blocks = gatherer.document(&main, &file_name, &mut whole);
    let front = gatherer.fronts[0].clone();
    let mut text = |text: Option<&FrontText>| {
        text.map_or_else(Vec::new, |text| gatherer.running(&text.text, text.span, &mut whole.values))
    };
    let title = text(front.title.as_ref());
    let subtitle = text(front.subtitle.as_ref());
    let author = |author: &front_matter::FrontAuthor| (text(Some(&author.name)), text(author.affiliation.as_ref()));
    let authors = front.authors.iter().map(author).collect();
    let mut text = |text: Option<&FrontText>| {
        text.map_or_else(Vec::new, |text| gatherer.running(&text.text, text.span, &mut whole.values))
    };
    let date = text(front.date.as_ref().and_then(FrontDate::written));
    let licence = text(front.licence.as_ref());

    let libraries = read_libraries(&mut gatherer, &[&project, &front], &mut whole);
    let (references, works) = read_references(&mut gatherer, &[&project, &front]);
    // Those of the other files it is put together from are its own, where it has none of the same name.
    let layers: Vec<&FrontMatter> = gatherer.fronts[1..].iter().chain([&project, &front]).collect();
    let (parameters, found) = read_parameters(&layers, given.set);
    gatherer.findings.extend(found);
    whole.names.extend(works);
    let (names, twice) = named(&mut whole, &parameters);
    gatherer.findings.extend(twice);

    let Gathered { fences, values, .. } = whole;
    let (live, values) = Builder::new(&mut gatherer, values, &project, &names, &libraries).build(fences);

    let Gatherer { sources, fronts, others, findings: mut diagnostics, .. } = gatherer;
    let layers = vec![project, fronts.into_iter().next().unwrap_or_default()];
    let parameters = parameters.into_iter().map(|(name, (_, parameter))| (name, parameter)).collect();
    let mut document = Document {
        sources,
        front,
        layers,
        title,
        subtitle,
        authors,
        date,
        day: None,
        licence,
        blocks,
        live,
        values,
        names,
        parameters,
        references,
        listings: BTreeMap::new(),
        pictures: Vec::new(),
        holdings: Holdings::default(),
    };
    document.listings = named_listings(&document.blocks);
    let mut holdings = Holdings::default();
    document.each_text(&mut |text| holdings.add(text));
    document.holdings = holdings;
    document.pictures = named_pictures(&document);
    diagnostics.extend(checks::check(&document, &others));
    diagnostics.sort_by_key(|d| (d.span.map_or(0, |span| span.start), d.severity != Severity::Error));
    Parsed { document, diagnostics }
}

fn named_pictures(document: &Document) -> Vec<EcoString> {
    let mut pictures = Vec::new();
    document.each_inline(Sought::Pictures, &mut |inline| {
        if let InlineKind::Image(image) = &inline.kind
            && let [Part::Text(target)] = image.target.as_ref()
        {
            pictures.push(target.clone());
        }
    });
    pictures
}

fn named_listings(blocks: &[Block]) -> BTreeMap<Name, (Span, BTreeMap<String, usize>)> {
    let mut listings = BTreeMap::new();
    each_block(blocks, &mut |block| {
        if let Block::Listing(listing) = block
            && let Some(id) = &listing.id
        {
            listings.insert(id.clone(), (listing.span, listing.line_names.clone()));
        }
    });
    listings
}

/// Reads Markdown that a block printed, as plain Markdown: fences in it are listings, and `@[ … ]` is text.
pub fn parse_printed(text: &str) -> Vec<Block> {
    plain(text, Syntax::GitHub)
}

/// Reads plain CommonMark, without any extension.
pub fn parse_commonmark(text: &str) -> Vec<Block> {
    plain(text, Syntax::CommonMark)
}

fn plain(text: &str, syntax: Syntax) -> Vec<Block> {
    markdown::read(&Source::new("output", text), text, 0, syntax, "").blocks
}

/// Reads the libraries, and with them the documents that a result or a value is taken from. Nothing of them is shown where
/// it stands, so neither their values nor their sections are wanted.
fn read_libraries(gatherer: &mut Gatherer, layers: &[&FrontMatter], whole: &mut Gathered) -> Libraries {
    let mut libraries = Libraries::new();
    let mut wanted: VecDeque<(String, Span, Option<Scope>)> = VecDeque::new();
    for library in layers.iter().flat_map(|layer| &layer.library) {
        wanted.push_back((library.text.clone(), library.span, None));
    }
    let mut read = BTreeSet::new();
    loop {
        let taken = std::mem::take(&mut gatherer.taken_from);
        wanted.extend(taken.into_iter().map(|(path, span)| (path.clone(), span, gatherer.scope_of(&path))));
        let Some((path, span, scope)) = wanted.pop_front() else { break };
        if !read.insert((path.clone(), scope.clone())) {
            continue;
        }
        if let Some(scope) = gatherer.scope_of(&path).filter(|own| Some(own) == scope.as_ref()) {
            gatherer.others.push(Other { path: path.clone(), scope, is_read: false });
        }
        if scope.is_some() && !folder_of(&path).is_empty() {
            let finding =
                Diagnostic::error(span, format!("{path} lies in another folder, so that nothing is taken from it"));
            gatherer.findings.push(finding.help(
                "its code would look for its files in the folder of this document: put the two side by side, \
                 or let it write a file and show that",
            ));
            continue;
        }
        let Some(source) = gatherer.read_source(&path, span) else {
            continue;
        };
        gatherer.others.iter_mut().filter(|other| other.path == path).for_each(|other| other.is_read = true);
        let file = path.rsplit('/').next().unwrap_or(&path);
        let file = file.split('.').next().unwrap_or(file);
        // What another document calls has a strand of its own there, and so here.
        let name = match &scope {
            Some(scope) if Some(scope) == gatherer.scope_of(&path).as_ref() => scope.as_str().to_string(),
            Some(scope) => format!("{} {file}", scope.as_str()),
            None => file.to_string(),
        };
        libraries.push((whole.fences.next(), name));
        let mut held = Gathered::default();
        let front = gatherer.fronts.len();
        gatherer.document(&source, &path, &mut held);
        for fenced in held.fences {
            whole.fences.push(Fenced { scope: scope.clone(), ..fenced });
        }
        // What it calls is known to it by its own names.
        if scope.is_some() {
            let own = gatherer.fronts[front].library.clone();
            wanted.extend(own.into_iter().map(|it| (joined(folder_of(&path), &it.text), it.span, scope.clone())));
        }
    }
    libraries
}

/// The files of works cited, by name and text, and the names that works in them have.
#[allow(clippy::type_complexity, reason = "two lists that are made side by side")]
fn read_references(gatherer: &mut Gatherer, layers: &[&FrontMatter]) -> (Vec<(String, String)>, Vec<(Name, Named)>) {
    let (mut references, mut works) = (Vec::new(), Vec::new());
    for file in layers.iter().flat_map(|layer| &layer.references) {
        let Some(source) = gatherer.read_source(&file.text, file.span) else { continue };
        works.extend(crate::bibliography::keys(&source).into_iter().map(|(name, span)| (name, Named::Work(span))));
        references.push((file.text.clone(), source.text().to_string()));
    }
    (references, works)
}

/// Parameters by name, with where each is named.
type Parameters = BTreeMap<Name, (Span, Parameter)>;

/// The parameters of the layers, with what was set from outside; and what of that could not be set.
fn read_parameters(layers: &[&FrontMatter], set: &[(String, String)]) -> (Parameters, Vec<Diagnostic>) {
    let mut parameters = Parameters::new();
    let mut findings = Vec::new();
    for layer in layers {
        parameters.extend(layer.parameters.clone());
    }
    for (word, text) in set {
        let finding = match parameters.iter_mut().find(|(name, _)| name.as_str() == word) {
            Some((_, (_, parameter))) => match parameter.set(text) {
                Ok(()) => continue,
                Err(help) => {
                    Diagnostic::unplaced(format!("the parameter `{word}` can't be set to `{text}`")).help(help)
                }
            },
            None => {
                let names: Vec<&str> = parameters.keys().map(Name::as_str).collect();
                let help = match nearest(word, names.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None if names.is_empty() => {
                        "it has no parameters: they stand in `[parameters]` in its front matter".into()
                    }
                    None => format!("its parameters are {}", names.join(", ")),
                };
                Diagnostic::unplaced(format!("the document has no parameter `{word}`")).help(help)
            }
        };
        findings.push(finding);
    }
    (parameters, findings)
}

/// Everything that has a name, and the names given twice, of which the first in the text counts.
fn named(whole: &mut Gathered, parameters: &Parameters) -> (BTreeMap<Name, Named>, Vec<Diagnostic>) {
    let mut given = std::mem::take(&mut whole.names);
    for (index, fenced) in whole.fences.enumerate() {
        let Some((name, span)) = &fenced.found.fence.name else { continue };
        let name = fenced.scope.as_ref().map_or_else(|| name.clone(), |scope| name.within(scope));
        given.push((name, Named::Live(index, *span)));
    }
    given.extend(parameters.iter().map(|(name, (span, _))| (name.clone(), Named::Parameter(*span))));
    given.sort_by_key(|(_, named)| named.span().start);
    let mut names: BTreeMap<Name, Named> = BTreeMap::new();
    let mut findings = Vec::new();
    for (name, named) in given {
        match names.get(&name) {
            Some(before) => findings.push(
                Diagnostic::error(named.span(), format!("the name `@{name}` is used twice"))
                    .label("used again here")
                    .related(before.span(), "used here first")
                    .help("give one of them another name: names are unique in a document"),
            ),
            None => {
                names.insert(name, named);
            }
        }
    }
    (names, findings)
}

impl Document {
    /// The formats it asks for.
    pub fn formats(&self) -> Vec<crate::options::Format> {
        FrontMatter::formats(&self.layers.iter().collect::<Vec<_>>())
    }

    /// The options of one of its exports.
    pub fn export_settings(&self, format: crate::options::Format) -> Settings {
        FrontMatter::export_settings(&self.layers.iter().collect::<Vec<_>>(), format)
    }

    /// Where a live block or a listing stands, and the names of its lines, each with its line in the code, from 1.
    pub fn named_lines(&self, name: &str) -> Option<(Span, &BTreeMap<String, usize>)> {
        if let Some(index) = self.block_named(name) {
            let live = &self.live[index];
            return Some((live.fence, &live.line_names));
        }
        self.listings.get(name).map(|(span, lines)| (*span, lines))
    }

    /// All words of `[words]`, by their keys.
    pub fn own_words(&self) -> BTreeMap<String, String> {
        self.layers.iter().flat_map(|layer| layer.words.clone()).collect()
    }

    /// A word of `[words]`, such as `missing`; nothing where it is left to the language.
    pub fn word(&self, name: &str) -> Option<&str> {
        self.layers.iter().rev().find_map(|layer| layer.words.get(name)).map(String::as_str)
    }

    /// The commands of `[macros]` as LaTeX definitions, to be put before each formula.
    pub fn macros(&self) -> String {
        let all = self.commands();
        let parameters = |text: &str| (1..=9).rev().find(|n| text.contains(&format!("#{n}"))).unwrap_or(0);
        let define = |(name, text): (&String, &String)| {
            let taken: String = (1..=parameters(text)).map(|n| format!("#{n}")).collect();
            format!("\\def\\{name}{taken}{{{}}}", with_words_apart(text))
        };
        all.iter().map(define).collect()
    }

    /// The commands of `[macros]`, each with what it stands for.
    pub fn commands(&self) -> BTreeMap<String, String> {
        self.layers.iter().flat_map(|layer| layer.macros.clone()).collect()
    }

    /// The interpreters it sets up, `[interpreters.NAME]`: the name, where it stands, and what is set.
    pub fn interpreters(&self) -> Vec<(String, Span, Settings)> {
        let mut all: BTreeMap<String, (Span, Settings)> = BTreeMap::new();
        for (name, (span, settings)) in self.layers.iter().flat_map(|layer| &layer.interpreters) {
            let (at, own) = all.entry(name.clone()).or_default();
            *at = *span;
            own.overlay(settings);
        }
        all.into_iter().map(|(name, (span, settings))| (name, span, settings)).collect()
    }

    /// The folders in which its blocks find programs first, as they are written.
    pub fn program_folders(&self) -> Vec<String> {
        let mut settings = Settings::built_in(Place::Environment);
        self.layers.iter().for_each(|layer| settings.overlay(&layer.environment));
        settings.list("path").to_vec()
    }

    /// Whether its prose is set as typesetters do.
    pub fn is_typographic(&self) -> bool {
        let layers: Vec<&FrontMatter> = self.layers.iter().collect();
        FrontMatter::settings_of_all_formats(&layers).flag("typographic")
    }

    /// The options of what is no block: of values and tables where no block says otherwise.
    pub fn usual_options(&self) -> crate::options::BlockOptions {
        let layers: Vec<&FrontMatter> = self.layers.iter().collect();
        crate::options::BlockOptions::from_settings(&FrontMatter::block_settings(&layers, "", None))
    }

    /// The language tag of its prose.
    pub fn language(&self) -> &str {
        self.language_given().unwrap_or("en")
    }

    /// The language tag of its prose, where its writer gave one.
    pub fn language_given(&self) -> Option<&str> {
        let language = self.layers.iter().rev().find_map(|layer| layer.language.as_ref());
        language.map(|text| text.text.as_str())
    }

    /// Asks for the day of the document: which day `today` is, on which the file was last changed, or which day the written
    /// date is. A date that is no day stays as it is written.
    pub fn set_day(&mut self, day_of: impl FnOnce(&FrontDate) -> Option<Day>) {
        if let Some(day) = self.front.date.as_ref().and_then(day_of) {
            self.date = vec![Inline::text(day.printed, Span::NOWHERE)];
            self.day = Some(day.iso);
        }
    }

    /// The running texts that a field of the title block is made of: one, or one for each author.
    pub fn title_block_texts(&self, field: &str) -> Vec<&[Inline]> {
        match field {
            "title" => vec![&self.title],
            "subtitle" => vec![&self.subtitle],
            "authors" => self.authors.iter().map(|(name, _)| name.as_slice()).collect(),
            "date" => vec![&self.date],
            "licence" => vec![&self.licence],
            _ => Vec::new(),
        }
    }

    /// The citation style it asks for.
    pub fn citation_style(&self) -> Option<&FrontText> {
        self.layers.iter().rev().find_map(|layer| layer.citation_style.as_ref())
    }
}

/// The text of a macro in which no command runs into what is put behind it: a space ends its name.
fn with_words_apart(text: &str) -> String {
    let mut apart = String::with_capacity(text.len() + 1);
    let mut in_command = false;
    for c in text.chars() {
        if in_command && c == '#' {
            apart.push(' ');
        }
        in_command = c == '\\' || in_command && c.is_ascii_alphabetic();
        apart.push(c);
    }
    if in_command && !apart.ends_with('\\') {
        apart.push(' ');
    }
    apart
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::index::ValueIndex;
    use crate::inline::{InlineKind, Part};

    fn messages(text: &str) -> Vec<(usize, String)> {
        let parsed = parse(Source::new("t.md", text));
        let line = |d: &Diagnostic| parsed.document.sources.line_of(d.span.unwrap().start);
        parsed.diagnostics.iter().map(|d| (line(d), d.message.clone())).collect()
    }

    #[test]
    fn a_name_used_twice_shows_both_places() {
        let parsed = parse(Source::new("t.md", "```sh @a\n:\n```\n\n```sh @a\n:\n```\n"));
        let [found] = parsed.diagnostics.as_slice() else { panic!("{:?}", parsed.diagnostics) };
        assert_eq!(found.message, "the name `@a` is used twice");
        assert_eq!(parsed.document.sources.line_of(found.span.unwrap().start), 5);
        assert_eq!(parsed.document.sources.line_of(found.related[0].0.start), 1);
    }

    #[test]
    fn unknown_names_are_found_wherever_they_are_used() {
        let text = "```sh @count\n:\n```\n\nA @[cuont], a [](@coun), and\n\n![c](@countt)\n";
        let found = messages(text);
        assert_eq!(
            found,
            [
                (5, "nothing is called `@cuont`".into()),
                (5, "nothing is called `@coun`".into()),
                (7, "nothing is called `@countt`".into())
            ]
        );
    }

    #[test]
    fn code_keeps_what_it_does_not_know_and_what_is_escaped() {
        let parsed = parse(Source::new("t.md", "```sh @n\n:\n```\n\n```ruby @r\n@[x] @[n] \\@[n]\n```\n"));
        assert!(parsed.diagnostics.is_empty(), "{:?}", parsed.diagnostics);
        let code = &parsed.document.live.iter().nth(1).unwrap().code;
        assert_eq!(code[0], Part::Text("@[x] ".into()));
        assert!(matches!(code[1], Part::Value(_)));
        assert_eq!(code[2], Part::Text(" \\@[n]\n".into()));
    }

    #[test]
    fn layers_are_laid_in_order() {
        let text = "+++\n[defaults]\nfold = \"open\"\nlines = \"on\"\n[defaults.sh]\nfold = \"closed\"\n[block.a]\nprefix = \"> \"\n+++\n```sh @a prefix=\"# \"\n:\n```\n";
        let parsed = parse(Source::new("t.md", text));
        assert!(parsed.diagnostics.is_empty(), "{:?}", parsed.diagnostics);
        let options = &parsed.document.live.iter().next().unwrap().options;
        assert_eq!(options.fold, crate::options::Fold::Closed);
        assert_eq!(options.lines, crate::options::LineNumbers::From(1));
        assert_eq!(options.prefix, "# ");
    }

    #[test]
    fn an_unclosed_fence_is_an_error_at_its_opening() {
        assert_eq!(
            messages("text\n\n```sh @a\necho\n"),
            [(3, "this fenced block is opened here and never closed".into())]
        );
    }

    #[test]
    fn code_lines_are_counted_in_the_document() {
        let parsed = parse(Source::new("t.md", "+++\n+++\n\n- item\n\n  ```sh @a\n  echo 1\n  ```\n"));
        assert_eq!(parsed.document.sources.line_of(parsed.document.live.iter().next().unwrap().code_start), 7);
        assert_eq!(parsed.document.live.iter().next().unwrap().code.as_ref(), [Part::Text("echo 1\n".into())]);
    }

    #[test]
    fn blocks_in_footnotes_keep_their_place_in_the_order() {
        let text = "A.[^n]\n\n[^n]: Note.\n\n    ```sh @first\n    :\n    ```\n\n```sh @second\n:\n```\n";
        let parsed = parse(Source::new("t.md", text));
        let names: Vec<&str> = parsed.document.live.iter().filter_map(|b| b.name.as_ref()).map(Name::as_str).collect();
        assert_eq!(names, ["first", "second"]);
    }

    #[test]
    fn values_in_prose_are_not_markup() {
        let parsed = parse(Source::new("t.md", "```sh @n\n:\n```\n*a @[n] b* `x @[n]` [y](@[n])\n"));
        assert!(parsed.diagnostics.is_empty(), "{:?}", parsed.diagnostics);
        let Block::Paragraph { content, .. } = &parsed.document.blocks[1] else { panic!() };
        let text = "*a @[n] b* `x @[n]` [y](@[n])";
        let written = |inline: &Inline| parsed.document.sources.main().slice(inline.span()).to_string();
        assert_eq!(content.iter().map(written).collect::<String>(), text, "each piece lies where it is written");
        let InlineKind::Emphasis(inner) = &content[0].kind else { panic!() };
        assert!(matches!(inner[1].kind, InlineKind::Value(ValueIndex(0))) && written(&inner[1]) == "@[n]");
        assert_eq!(content[2].kind, InlineKind::Code([Part::Text("x ".into()), Part::Value(ValueIndex(1))].into()));
        let InlineKind::Link(link) = &content[4].kind else { panic!() };
        assert_eq!(link.target.as_ref(), [Part::Value(ValueIndex(2))]);
    }
}
