//! Live blocks and listings with their options laid in layers, and what is called and computed in the text.

use crate::arguments::{self, Argument};
use crate::diagnostic::Diagnostic;
use crate::files::joined;
use crate::front_matter::FrontMatter;
use crate::gather::{Fenced, Gatherer, Libraries};
use crate::index::{BlockIndex, ByBlock, ValueIndex};
use crate::inline::{Inline, InlineKind, Part, Template, plain_text};
use crate::listing::{named_twice, take_line_names, with_plain_ends};
use crate::markdown::FoundFence;
use crate::name::{Name, Scope, nearest};
use crate::options::{BlockOptions, Reading, Settings};
use crate::span::Span;
use crate::tree::{LiveBlock, Named, Role};
use crate::value_use::{self, ValueUse, Wanted};
use std::collections::BTreeMap;
use vineloom_chart::{Data, Spec};
use vineloom_table::workbook_target;

/// What a `chart` block draws.
enum Drawn {
    /// A file, by its path.
    File(String),
    /// The result of a block.
    Result(Name),
}

/// Where some code stands.
struct CodePlace {
    /// Its first byte.
    start: usize,
    /// The block that has it.
    index: BlockIndex,
    /// The folder of its file, from that of the document.
    folder: String,
    /// What the names in it stand behind.
    scope: Option<Scope>,
}

/// Makes plain words of a reference.
fn without_reference(inline: &mut Inline) {
    if let InlineKind::Reference(reference) = &inline.kind {
        let words = plain_text(&reference.content);
        inline.kind = InlineKind::Text(if words.is_empty() { reference.name.as_str().into() } else { words.into() });
    }
}

/// Builds the live blocks of a document.
pub(crate) struct Builder<'b, 'a> {
    gatherer: &'b mut Gatherer<'a>,
    values: Vec<ValueUse>,
    project: &'b FrontMatter,
    names: &'b BTreeMap<Name, Named>,
    libraries: &'b Libraries,
    live: ByBlock<LiveBlock>,
}

impl<'b, 'a> Builder<'b, 'a> {
    pub fn new(
        gatherer: &'b mut Gatherer<'a>,
        values: Vec<ValueUse>,
        project: &'b FrontMatter,
        names: &'b BTreeMap<Name, Named>,
        libraries: &'b Libraries,
    ) -> Self {
        Builder { gatherer, values, project, names, libraries, live: ByBlock::default() }
    }

    /// The live blocks: those that are written, then one for each call and each expression in the text and in code. With
    /// them all values, those in code after those in prose.
    pub fn build(mut self, fences: ByBlock<Fenced>) -> (ByBlock<LiveBlock>, Vec<ValueUse>) {
        for fenced in fences {
            let block = self.live_block(self.live.next(), fenced);
            self.live.push(block);
        }
        self.check_block_tables();
        self.calls_and_expressions();
        self.readings();
        (self.live, self.values)
    }

    fn live_block(&mut self, index: BlockIndex, Fenced { found, file, scope }: Fenced) -> LiveBlock {
        let FoundFence { fence, code, mut code_start, line, span } = found;
        let name = fence.name.map(|(name, _)| name);
        let fronts = &self.gatherer.fronts;
        let layers: Vec<&FrontMatter> = match file {
            0 => vec![self.project, &fronts[0]],
            // What is another document's has the options that it has there.
            file if scope.is_some() => vec![self.project, &fronts[file]],
            file => vec![self.project, &fronts[0], &fronts[file]],
        };
        let mut settings = FrontMatter::block_settings(&layers, &fence.language, name.as_ref());
        let name = name.map(|name| scope.as_ref().map_or_else(|| name.clone(), |scope| name.within(scope)));
        let first_value = self.values.len();
        settings.overlay(&fence.settings);
        let mut code = code;
        if let Some(setting) = settings.get("from").cloned()
            && let Some(path) = setting.value.as_text()
        {
            if !code.trim().is_empty() {
                self.gatherer.findings.push(
                    Diagnostic::error(setting.span, "a block whose code comes from a file holds no code itself")
                        .help("take the code out of the fence, or the option `from` off its line"),
                );
            }
            if let Some((held, start)) = self.gatherer.code_of(path, setting.span) {
                (code, code_start) = (held, start);
            }
        }
        let (written, code) = (code.clone(), with_plain_ends(&code));
        let (code, line_names, twice) = take_line_names(&code);
        let found = named_twice(twice, self.gatherer.sources.of(code_start), code_start);
        self.gatherer.findings.extend(found);
        let mut caption = self.option_inlines(&settings, "caption", line);
        if scope.is_some() {
            // What it leads to is in the other document: here its words are left.
            caption.iter_mut().for_each(|inline| inline.each_mut(&mut without_reference));
        }
        let alt = settings.get("alt").and_then(|s| s.value.as_text().map(String::from));
        let alt = alt.map(|text| self.text_template(&text, line, index.number()));
        let role = match self.libraries.iter().rev().find(|(first, _)| index >= *first) {
            Some((_, library)) => Role::Library { library: library.clone() },
            None => Role::Shown,
        };
        let position = match role {
            Role::Library { .. } => [0, index.number(), usize::MAX],
            _ => [index.number(), 1, 0],
        };
        let takes = self.arguments(&settings, "takes", scope.as_ref());
        let mut variables = self.arguments(&settings, "with", scope.as_ref());
        let mut options = BlockOptions::from_settings(&settings);
        match self.chart_data(&fence.language, &written, code_start, scope.as_ref()) {
            Some(Drawn::Result(name)) => {
                variables.extend(Name::new("data").map(|data| (data, Argument::Named(name))));
            }
            Some(Drawn::File(path)) => {
                options.reads.push(workbook_target(&path).map_or(path.as_str(), |(path, _)| path).to_string());
            }
            None => {}
        }
        let place = CodePlace { start: code_start, index, folder: self.gatherer.folders[file].clone(), scope };
        let code = self.code_template(&code, &place);
        for at in first_value..self.values.len() {
            let mut value = self.values[at].clone();
            self.known_here(&mut value, &place);
            value.library_block = matches!(role, Role::Library { .. }).then_some(index);
            self.values[at] = value;
        }
        LiveBlock {
            name,
            language: fence.language,
            code,
            code_start,
            role,
            position,
            takes,
            variables,
            line_names,
            fence: line,
            span,
            options,
            settings,
            caption,
            alt,
        }
    }

    /// What a `chart` block draws: a file, or the result of a block, which has to be there.
    fn chart_data(&mut self, language: &str, code: &str, code_start: usize, scope: Option<&Scope>) -> Option<Drawn> {
        if language != "chart" {
            return None;
        }
        // A value is read as a number of as many letters: its text is only known at the weave.
        let mut plain = code.to_string();
        for value in value_use::find(code) {
            plain.replace_range(value.span.start..value.span.end, &"1".repeat(value.span.end - value.span.start));
        }
        let (data, place) = Spec::data_in(&plain)?;
        let word = match &data {
            Data::File(path) => {
                // A block whose `@` was forgotten.
                if matches!(self.names.get(path.as_str()), Some(Named::Live(..))) && !self.gatherer.has_file(path) {
                    let span = Span::new(place.start, place.end).shifted(code_start);
                    let finding = Diagnostic::error(span, format!("there is no file {path}, but a block `@{path}`"));
                    self.gatherer.findings.push(finding.help(format!("a block's result is `data = \"@{path}\"`")));
                }
                return Some(Drawn::File(path.clone()));
            }
            Data::Result(word) => word,
        };
        let name = Name::new(word).map(|name| self.known_as(&name, scope));
        if let Some(name) = name.filter(|name| matches!(self.names.get(name), Some(Named::Live(..)))) {
            return Some(Drawn::Result(name));
        }
        let blocks = self.names.iter().filter(|(_, named)| matches!(named, Named::Live(..)));
        let help = match nearest(word, blocks.map(|(name, _)| name.as_str())) {
            Some(near) => format!("did you mean `@{near}`?"),
            None => "name a block of this document, or a file".into(),
        };
        let span = Span::new(place.start, place.end).shifted(code_start);
        self.gatherer.findings.push(Diagnostic::error(span, format!("there is no block `@{word}`")).help(help));
        None
    }

    /// Adds a live block for each call and each expression in the text and in code.
    fn calls_and_expressions(&mut self) {
        let mut at = 0;
        while at < self.values.len() {
            let value = self.values[at].clone();
            let block = match &value.wanted {
                Wanted::Call(name, arguments) => self.call(name, arguments, &value, at),
                Wanted::Text(name) => match self.callee(name) {
                    Some(_) => self.call(name, &[], &value, at),
                    None => None,
                },
                Wanted::Expression { language, code } => Some(self.expression(language, code, &value, at)),
                _ => None,
            };
            if let Some(block) = block {
                self.values[at].runs = Some(self.live.push(block));
            }
            at += 1;
        }
    }

    /// How each value stands in a sentence: as its block's options say, those of its own place last.
    fn readings(&mut self) {
        let layers = [self.project, &self.gatherer.fronts[0]];
        let usual = FrontMatter::block_settings(&layers, "", None);
        for value in &mut self.values {
            let named = || match self.names.get(value.wanted.name()?) {
                Some(Named::Live(index, _)) => Some(*index),
                _ => None,
            };
            let settings = value.runs.or_else(named).map_or(&usual, |index| &self.live[index].settings);
            value.reading = match value.own.is_empty() {
                true => Reading::from_settings(settings),
                false => {
                    let mut settings = settings.clone();
                    settings.overlay(&value.own);
                    Reading::from_settings(&settings)
                }
            };
        }
    }

    /// The index of a block that takes parameters.
    fn callee(&self, name: &Name) -> Option<BlockIndex> {
        match self.names.get(name) {
            Some(Named::Live(index, _)) if !self.live[*index].takes.is_empty() => Some(*index),
            _ => None,
        }
    }

    fn call(&mut self, name: &Name, given: &[(Name, Argument)], value: &ValueUse, seen: usize) -> Option<LiveBlock> {
        let Some(index) = self.callee(name) else {
            // One whose parameters can't be read is told of where they stand.
            let unread = |index: &BlockIndex| self.live[*index].settings.get("takes").is_some();
            if let Some(Named::Live(index, span)) = self.names.get(name)
                && !unread(index)
            {
                let finding =
                    Diagnostic::error(value.span, format!("`@{name}` takes no parameters, so it can't be called"));
                let help = format!("write @[{name}] for its text, or give it parameters: `takes=…` on its fence line");
                self.gatherer.findings.push(finding.related(*span, "this block").help(help));
            }
            return None;
        };
        let callee = self.live[index].clone();
        let mut variables = callee.takes.clone();
        self.known_arguments(given, value.span);
        for (word, argument) in given {
            match variables.iter_mut().find(|(known, _)| known == word) {
                Some((_, value)) => *value = argument.clone(),
                None => {
                    let known: Vec<&str> = callee.takes.iter().map(|(name, _)| name.as_str()).collect();
                    let help = match nearest(word.as_str(), known.iter().copied()) {
                        Some(near) => format!("did you mean `{near}`?"),
                        None => format!("it takes {}", known.join(", ")),
                    };
                    let finding = Diagnostic::error(value.span, format!("`@{name}` takes no parameter `{word}`"));
                    self.gatherer.findings.push(finding.help(help));
                }
            }
        }
        variables.extend(callee.variables.clone());
        let position = match value.library_block {
            Some(block) => [0, block.number(), seen],
            None => [value.after + 1, 0, seen],
        };
        Some(LiveBlock { name: None, role: Role::Call(index), position, takes: Vec::new(), variables, ..callee })
    }

    fn expression(&mut self, language: &str, code: &str, value: &ValueUse, seen: usize) -> LiveBlock {
        let layers = [self.project, &self.gatherer.fronts[0]];
        let settings = FrontMatter::block_settings(&layers, language, None);
        LiveBlock {
            name: None,
            language: language.to_string(),
            code: [Part::Text(format!("{code}\n").into())].into(),
            code_start: value.span.start,
            role: Role::Expression,
            position: [value.after + 1, 0, seen],
            takes: Vec::new(),
            variables: Vec::new(),
            line_names: BTreeMap::new(),
            fence: value.span,
            span: value.span,
            options: BlockOptions::from_settings(&settings),
            settings,
            caption: Vec::new(),
            alt: None,
        }
    }

    /// What a name that stands in a block is called in this document: a block of another document calls its own first.
    /// Of other names it knows its parameters alone: never a block of this document that is called the same.
    fn known_as(&self, name: &Name, scope: Option<&Scope>) -> Name {
        let Some(within) = scope.map(|scope| name.within(scope)) else { return name.clone() };
        let fronts = self.gatherer.fronts[1..].iter().chain([self.project]);
        let is_parameter = || fronts.into_iter().any(|front| front.parameters.contains_key(name));
        if !self.names.contains_key(&within) && is_parameter() { name.clone() } else { within }
    }

    /// The same for all names of a value.
    fn known_here(&self, value: &mut ValueUse, place: &CodePlace) {
        let other = value.document.take().map(|path| joined(&place.folder, &path));
        let scope = other.map_or_else(|| place.scope.clone(), |path| self.gatherer.scope_of(&path));
        value.wanted.rename(&|name| self.known_as(name, scope.as_ref()));
    }

    fn arguments(&mut self, settings: &Settings, option: &str, scope: Option<&Scope>) -> Vec<(Name, Argument)> {
        let Some(setting) = settings.get(option) else { return Vec::new() };
        match arguments::read(setting.value.as_text().unwrap_or("")) {
            Ok(mut arguments) => {
                arguments::rename(&mut arguments, &|name| self.known_as(name, scope));
                self.known_arguments(&arguments, setting.span);
                arguments
            }
            Err(bad) => {
                let finding = Diagnostic::error(setting.span, format!("in `{option}`, `{}` {}", bad.part, bad.problem));
                self.gatherer.findings.push(finding.help(format!("write for example `{option}=text=\"abc\",n=3`")));
                Vec::new()
            }
        }
    }

    /// Every name that an argument takes its value from is that of a block or a parameter.
    fn known_arguments(&mut self, arguments: &[(Name, Argument)], span: Span) {
        for (_, argument) in arguments {
            if let Argument::Named(name) = argument
                && !matches!(self.names.get(name), Some(Named::Live(..) | Named::Parameter(_)))
            {
                let otherwise = "a block or a parameter is wanted";
                let finding = crate::checks::unknown_name(span, name.as_str(), self.names, true, otherwise);
                self.gatherer.findings.push(finding);
            }
        }
    }

    fn option_inlines(&mut self, settings: &Settings, name: &str, span: Span) -> Vec<Inline> {
        let Some(setting) = settings.get(name) else { return Vec::new() };
        let text = setting.value.as_text().unwrap_or("").to_string();
        self.gatherer.running(&text, setting.span.or(span), &mut self.values)
    }

    fn text_template(&mut self, text: &str, span: Span, after: usize) -> Template {
        self.fill(text, after, |_, _| true, |_| span)
    }

    /// Code keeps every `@[ … ]` whose name is not known: it may be the language's own.
    fn code_template(&mut self, code: &str, place: &CodePlace) -> Template {
        let known = |builder: &Self, value: &ValueUse| match &value.wanted {
            Wanted::Doc(field) => crate::checks::DOC_FIELDS.contains(&field.as_str()),
            Wanted::Expression { .. } => false,
            // What names a document is no text of the language's own.
            _ if value.document.is_some() => true,
            _ => {
                let mut value = value.clone();
                builder.known_here(&mut value, place);
                let named = value.wanted.name().and_then(|name| builder.names.get(name));
                matches!(named, Some(Named::Live(..) | Named::Parameter(_)))
            }
        };
        let source = self.gatherer.sources.of(place.start);
        let first = source.line_of(place.start);
        let lines: Vec<Span> = (0..code.lines().count() + 1).map(|n| source.line_span(first + n)).collect();
        let line_of = |at: usize| lines[code[..at].matches('\n').count().min(lines.len() - 1)];
        self.fill(code, place.index.number() - 1, known, line_of)
    }

    fn fill(
        &mut self,
        text: &str,
        after: usize,
        known: impl Fn(&Self, &ValueUse) -> bool,
        span_of: impl Fn(usize) -> Span,
    ) -> Template {
        let mut template = Vec::new();
        let mut done = 0;
        for value in value_use::find(text) {
            if !known(self, &value) {
                continue;
            }
            let Span { start, end } = value.span;
            template.push(Part::Text(text[done..start].into()));
            template.push(Part::Value(ValueIndex(self.values.len())));
            self.values.push(ValueUse { span: span_of(start), after, ..value });
            done = end;
        }
        template.push(Part::Text(text[done..].into()));
        template.retain(|part| !matches!(part, Part::Text(text) if text.is_empty()));
        template.into()
    }

    fn check_block_tables(&mut self) {
        let mut findings = Vec::new();
        for (word, (span, _)) in &self.gatherer.fronts[0].block_options {
            if self.live.iter().any(|block| block.name.as_ref().is_some_and(|name| name.as_str() == word)) {
                continue;
            }
            let blocks = self.live.iter().filter_map(|block| block.name.as_ref()).map(Name::as_str);
            let help = match nearest(word, blocks) {
                Some(near) => format!("did you mean `[block.{near}]`?"),
                None => "the table holds options of a live block that has this name".into(),
            };
            findings.push(Diagnostic::error(*span, format!("no block is called `{word}`")).help(help));
        }
        self.gatherer.findings.extend(findings);
    }
}
