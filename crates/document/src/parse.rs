//! From text to a [`Document`]: front matter, body, the files it names, names, options and their layers.

use crate::checks;
use crate::diagnostic::{Diagnostic, Severity};
use crate::files::{Files, NoFiles};
use crate::front_matter::{self, FrontDate, FrontMatter, FrontText};
use crate::live::{Builder, Libraries};
use crate::markdown::{FoundFence, LISTING, Reader, Syntax, duplicate};
use crate::name::{Name, nearest};
use crate::options::{BlockOptions, Place, Settings};
use crate::parameter::Parameter;
use crate::source::{Source, Sources, Span};
use crate::state::State;
use crate::tree::{Block, Document, Inline, Listing, Named};
use std::collections::BTreeMap;

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
pub fn parse_with(source: Source, given: Given) -> Parsed {
    let mut sources = Sources::default();
    let file_name = source.name().rsplit('/').next().unwrap_or("").to_string();
    let main = sources.add(source);
    let project_source = given.project.map(|project| sources.add(project));
    let mut state = State::new(given.files, sources, &file_name);
    let project = project_source.map(|source| front_matter::read_project(&source, &mut state.diagnostics));
    let project = project.unwrap_or_default();

    let mut blocks = state.document(&main, &file_name);
    let front = state.fronts[0].clone();
    let text = |state: &mut State, text: &Option<FrontText>| {
        text.as_ref().map_or_else(Vec::new, |text| state.inlines_at(&main, &text.text, text.span))
    };
    let title = text(&mut state, &front.title);
    let subtitle = text(&mut state, &front.subtitle);
    let authors = front
        .authors
        .iter()
        .map(|author| (text(&mut state, &Some(author.name.clone())), text(&mut state, &author.affiliation)))
        .collect();
    let date = match &front.date {
        Some(FrontDate::Written(written)) => text(&mut state, &Some(written.clone())),
        _ => Vec::new(),
    };
    let licence = text(&mut state, &front.licence);

    let libraries = read_libraries(&mut state, &[&project, &front]);
    let references = read_references(&mut state, &[&project, &front]);
    let parameters = read_parameters(&mut state, &[&project, &front], given.set);
    let mut names = std::mem::take(&mut state.names);
    name_things(&state, &mut names, &parameters).into_iter().for_each(|finding| state.diagnostics.push(finding));

    let found_live = std::mem::take(&mut state.live);
    let found_listings = std::mem::take(&mut state.listings);
    let mut builder = Builder::new(&mut state, &project, &names, &libraries);
    builder.live_blocks(found_live);
    let mut listings: Vec<Option<Listing>> =
        found_listings.into_iter().map(|found| Some(builder.listing(found))).collect();
    builder.calls_and_expressions();
    let live = builder.live;
    place_listings(&mut blocks, &mut listings);

    let State { sources, fronts, values, mut diagnostics, .. } = state;
    let layers = vec![project, fronts.into_iter().next().unwrap_or_default()];
    let parameters = parameters.into_iter().map(|(name, (_, parameter))| (name, parameter)).collect();
    let document = Document {
        sources,
        front,
        layers,
        title,
        subtitle,
        authors,
        date,
        licence,
        blocks,
        live,
        values,
        names,
        parameters,
        references,
    };
    diagnostics.extend(checks::check(&document));
    diagnostics.sort_by_key(|d| (d.span.map_or(0, |span| span.start), d.severity != Severity::Error));
    Parsed { document, diagnostics }
}

/// Reads Markdown that a block printed, as plain Markdown: fences in it are listings, and `@[ … ]` is text.
pub fn parse_fragment(text: &str) -> Vec<Block> {
    plain(text, Syntax::GitHub)
}

/// Reads plain CommonMark, without any extension.
pub fn parse_commonmark(text: &str) -> Vec<Block> {
    plain(text, Syntax::CommonMark)
}

fn plain(text: &str, syntax: Syntax) -> Vec<Block> {
    let mut sources = Sources::default();
    let source = sources.add(Source::new("output", text));
    let mut state = State::new(&NoFiles, sources, "");
    let mut blocks = Reader::new(&mut state, &source, text, 0, syntax).blocks();
    let options = BlockOptions::from_settings(&Settings::built_in(Place::Block));
    let listing = |found: FoundFence| {
        let language = found.fence.language;
        Some(Listing {
            language,
            code: found.code,
            options: options.clone(),
            caption: Vec::new(),
            id: None,
            embedded: None,
            span: found.span,
        })
    };
    let mut listings = state.listings.into_iter().map(listing).collect::<Vec<_>>();
    place_listings(&mut blocks, &mut listings);
    blocks
}

fn read_libraries(state: &mut State, layers: &[&FrontMatter]) -> Libraries {
    let mut libraries = Libraries::new();
    for library in layers.iter().flat_map(|layer| &layer.library) {
        let Some(source) = state.read_source(&library.text, library.span) else { continue };
        let file = library.text.rsplit('/').next().unwrap_or(&library.text);
        libraries.push((state.live.len(), file.split('.').next().unwrap_or(file).to_string()));
        // Nothing of it is shown, so neither its values nor its sections are wanted.
        let (values, names, listings) = (state.values.len(), state.names.clone(), state.listings.len());
        state.document(&source, &library.text);
        state.values.truncate(values);
        state.names = names;
        state.listings.truncate(listings);
    }
    libraries
}

fn read_references(state: &mut State, layers: &[&FrontMatter]) -> Vec<(String, String)> {
    let mut references = Vec::new();
    for file in layers.iter().flat_map(|layer| &layer.references) {
        let Some(source) = state.read_source(&file.text, file.span) else { continue };
        for (name, span) in crate::bibliography::keys(&source) {
            match state.names.get(&name).copied() {
                Some(before) => {
                    let finding = duplicate(&name, before.span(), span);
                    state.diagnostics.push(finding);
                }
                None => {
                    state.names.insert(name, Named::Work(span));
                }
            }
        }
        references.push((file.text.clone(), source.text().to_string()));
    }
    references
}

/// The parameters of the layers, with what was set from outside.
fn read_parameters(
    state: &mut State,
    layers: &[&FrontMatter],
    set: &[(String, String)],
) -> BTreeMap<Name, (Span, Parameter)> {
    let mut parameters: BTreeMap<Name, (Span, Parameter)> = BTreeMap::new();
    for layer in layers {
        parameters.extend(layer.parameters.clone());
    }
    for (word, text) in set {
        let finding = match parameters.iter_mut().find(|(name, _)| name.as_str() == word) {
            Some((_, (_, parameter))) => match parameter.kind.read(text) {
                Some(value) => {
                    parameter.value = value;
                    continue;
                }
                None => Diagnostic::unplaced(format!("the parameter `{word}` can't be set to `{text}`"))
                    .help(format!("it is {}", parameter.kind.words())),
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
        state.diagnostics.push(finding);
    }
    parameters
}

/// Gives live blocks, listings and parameters their names; returns the names given twice.
fn name_things(
    state: &State,
    names: &mut BTreeMap<Name, Named>,
    parameters: &BTreeMap<Name, (Span, Parameter)>,
) -> Vec<Diagnostic> {
    let mut findings = Vec::new();
    let mut give = |name: &Name, named: Named| match names.get(name) {
        Some(before) => findings.push(duplicate(name, before.span(), named.span())),
        None => {
            names.insert(name.clone(), named);
        }
    };
    for (index, found) in state.live.iter().enumerate() {
        if let Some((name, span)) = &found.fence.name {
            give(name, Named::Live(index, *span));
        }
    }
    for found in &state.listings {
        let id = found.fence.settings.get("id");
        if let Some((name, setting)) = id.and_then(|s| Some((Name::new(s.value.as_text()?)?, s))) {
            give(&name, Named::Listing(setting.span));
        }
    }
    for (name, (span, _)) in parameters {
        give(name, Named::Parameter(*span));
    }
    findings
}

fn place_listings(blocks: &mut [Block], listings: &mut [Option<Listing>]) {
    for block in blocks {
        match block {
            Block::Live(number) if *number >= LISTING => {
                if let Some(listing) = listings[*number - LISTING].take() {
                    *block = Block::Listing(Box::new(listing));
                }
            }
            Block::Quote(blocks) | Block::Embedded { blocks, .. } | Block::Footnote { blocks, .. } => {
                place_listings(blocks, listings);
            }
            Block::Container(container) => place_listings(&mut container.blocks, listings),
            Block::List { items, .. } => items.iter_mut().for_each(|item| place_listings(&mut item.blocks, listings)),
            _ => {}
        }
    }
}

impl Document {
    /// The formats it asks for.
    pub fn formats(&self) -> Vec<crate::options::Format> {
        FrontMatter::formats(&self.layers.iter().collect::<Vec<_>>())
    }

    /// The options of one of its exports.
    pub fn export_options(&self, format: crate::options::Format) -> crate::options::ExportOptions {
        FrontMatter::export_options(&self.layers.iter().collect::<Vec<_>>(), format)
    }

    /// The commands of `[macros]` as LaTeX definitions, to be put before each formula.
    pub fn macros(&self) -> String {
        let mut all: BTreeMap<&String, &String> = BTreeMap::new();
        for layer in &self.layers {
            all.extend(&layer.macros);
        }
        let parameters = |text: &str| (1..=9).rev().find(|n| text.contains(&format!("#{n}"))).unwrap_or(0);
        let define = |(name, text): (&String, &String)| {
            let taken: String = (1..=parameters(text)).map(|n| format!("#{n}")).collect();
            format!("\\def\\{name}{taken}{{{text}}}")
        };
        all.into_iter().map(define).collect()
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

    /// The language tag of its prose.
    pub fn language(&self) -> &str {
        let language = self.layers.iter().rev().find_map(|layer| layer.language.as_ref());
        language.map_or("en", |text| text.text.as_str())
    }

    /// Asks which day `today` is, or on which the file was last changed, ready to print; nothing when the document wants
    /// neither.
    pub fn set_day(&mut self, printed: impl FnOnce(&FrontDate) -> String) {
        if let Some(wanted @ (FrontDate::Today | FrontDate::Modified)) = &self.front.date {
            self.date = vec![Inline::Text(printed(wanted))];
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tree::Part;

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
        let code = &parsed.document.live[1].code;
        assert_eq!(code[0], Part::Text("@[x] ".into()));
        assert!(matches!(code[1], Part::Value(_)));
        assert_eq!(code[2], Part::Text(" \\@[n]\n".into()));
    }

    #[test]
    fn layers_are_laid_in_order() {
        let text = "+++\n[defaults]\nfold = \"open\"\nlines = \"on\"\n[defaults.sh]\nfold = \"closed\"\n[block.a]\nprefix = \"> \"\n+++\n```sh @a prefix=\"# \"\n:\n```\n";
        let parsed = parse(Source::new("t.md", text));
        assert!(parsed.diagnostics.is_empty(), "{:?}", parsed.diagnostics);
        let options = &parsed.document.live[0].options;
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
        assert_eq!(parsed.document.sources.line_of(parsed.document.live[0].code_start), 7);
        assert_eq!(parsed.document.live[0].code, [Part::Text("echo 1\n".into())]);
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
        assert_eq!(
            content[0],
            Inline::Emphasis(vec![Inline::Text("a ".into()), Inline::Value(0), Inline::Text(" b".into())])
        );
        assert_eq!(content[2], Inline::Code(vec![Part::Text("x ".into()), Part::Value(1)]));
        assert!(matches!(&content[4], Inline::Link { target, .. } if target == &[Part::Value(2)]));
    }
}
