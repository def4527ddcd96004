//! Live blocks and listings with their options laid in layers, and what is called and computed in the text.

use crate::arguments::{self, Argument};
use crate::diagnostic::Diagnostic;
use crate::front_matter::FrontMatter;
use crate::markdown::FoundFence;
use crate::name::{Name, nearest};
use crate::options::{BlockOptions, Place, Settings};
use crate::source::Span;
use crate::state::State;
use crate::tree::{Inline, Listing, LiveBlock, Named, Part, Role, Template};
use crate::value_use::{self, ValueUse, Wanted};
use std::collections::BTreeMap;

/// Which library each file of live blocks belongs to: by the index of its first live block.
pub(crate) type Libraries = Vec<(usize, String)>;

/// Where a chart's table comes from.
enum ChartData {
    Result(Name),
    File(String),
}

/// Builds the live blocks of a document.
pub(crate) struct Builder<'b, 'a> {
    state: &'b mut State<'a>,
    project: &'b FrontMatter,
    names: &'b BTreeMap<Name, Named>,
    libraries: &'b Libraries,
    pub live: Vec<LiveBlock>,
}

impl<'b, 'a> Builder<'b, 'a> {
    pub fn new(
        state: &'b mut State<'a>,
        project: &'b FrontMatter,
        names: &'b BTreeMap<Name, Named>,
        libraries: &'b Libraries,
    ) -> Self {
        Builder { state, project, names, libraries, live: Vec::new() }
    }

    pub fn live_blocks(&mut self, found: Vec<FoundFence>) {
        for (index, found) in found.into_iter().enumerate() {
            let block = self.live_block(index, found);
            self.live.push(block);
        }
        self.check_block_tables();
    }

    fn live_block(&mut self, index: usize, found: FoundFence) -> LiveBlock {
        let FoundFence { fence, code, mut code_start, line, span, file, .. } = found;
        let name = fence.name.map(|(name, _)| name);
        let fronts = &self.state.fronts;
        let layers: Vec<&FrontMatter> = match file {
            0 => vec![self.project, &fronts[0]],
            file => vec![self.project, &fronts[0], &fronts[file]],
        };
        let mut settings = FrontMatter::block_settings(&layers, &fence.language, name.as_ref());
        settings.overlay(&fence.settings);
        let mut code = code;
        if let Some(setting) = settings.get("from").cloned()
            && let Some(path) = setting.value.as_text()
        {
            if !code.trim().is_empty() {
                self.state.diagnostics.push(
                    Diagnostic::error(setting.span, "a block whose code comes from a file holds no code itself")
                        .help("take the code out of the fence, or the option `from` off its line"),
                );
            }
            if let Some(source) = self.state.read_source(path, setting.span) {
                code = source.text().to_string();
                code_start = source.base();
            }
        }
        let (written, code) = (code.clone(), with_plain_ends(&code));
        let (code, line_names) = take_line_names(&code);
        let caption = self.option_inlines(&settings, "caption", line);
        let alt = settings.get("alt").and_then(|s| s.value.as_text().map(String::from));
        let alt = alt.map(|text| self.text_template(&text, line, index + 1));
        let role = match self.libraries.iter().rev().find(|(first, _)| index >= *first) {
            Some((_, library)) => Role::Library { library: library.clone() },
            None => Role::Shown,
        };
        let position = match role {
            Role::Library { .. } => [0, 0, index],
            _ => [index + 1, 1, 0],
        };
        let takes = self.arguments(&settings, "takes");
        let mut variables = self.arguments(&settings, "with");
        let mut options = BlockOptions::from_settings(&settings);
        match self.chart_data(&fence.language, &written, code_start) {
            Some(ChartData::Result(name)) => {
                variables.extend(Name::new("data").map(|data| (data, Argument::Named(name))))
            }
            Some(ChartData::File(path)) => options.reads.push(path),
            None => {}
        }
        let code = self.code_template(&code, code_start, index);
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

    /// What a `chart` block draws: the line `data = "…"` of its code, which names a block or a file.
    fn chart_data(&mut self, language: &str, code: &str, code_start: usize) -> Option<ChartData> {
        if language != "chart" {
            return None;
        }
        let mut at = 0;
        for line in code.split_inclusive('\n') {
            let quoted = line.split_once('=').filter(|(key, _)| key.trim() == "data").and_then(|(_, value)| {
                let text = value.trim_start().strip_prefix('"')?;
                Some(&text[..text.find('"')?])
            });
            let Some(text) = quoted else {
                at += line.len();
                continue;
            };
            let Some(word) = text.strip_prefix('@') else { return Some(ChartData::File(text.to_string())) };
            if let Some(name) = Name::new(word).filter(|name| matches!(self.names.get(name), Some(Named::Live(..)))) {
                return Some(ChartData::Result(name));
            }
            let start = code_start + at + line.find(text).unwrap_or(0);
            let blocks = self.names.iter().filter(|(_, named)| matches!(named, Named::Live(..)));
            let help = match nearest(word, blocks.map(|(name, _)| name.as_str())) {
                Some(near) => format!("did you mean `@{near}`?"),
                None => "name a block of this document, or a file".into(),
            };
            let span = Span::new(start, start + text.len());
            self.state.diagnostics.push(Diagnostic::error(span, format!("there is no block `{text}`")).help(help));
            return None;
        }
        None
    }

    pub fn listing(&mut self, found: FoundFence) -> Listing {
        let mut settings = Settings::built_in(Place::Block);
        settings.overlay(&found.fence.settings);
        let caption = self.option_inlines(&settings, "caption", found.line);
        let id = settings.get("id").and_then(|s| Name::new(s.value.as_text()?));
        let options = BlockOptions::from_settings(&settings);
        let code = with_plain_ends(&found.code);
        let (code, _) = if found.fence.language.is_empty() { (code, BTreeMap::new()) } else { take_line_names(&code) };
        let embedded = found.embedded.then_some(found.span);
        Listing { language: found.fence.language, code, options, caption, id, embedded, span: found.span }
    }

    /// Adds a live block for each call and each expression in the text and in code.
    pub fn calls_and_expressions(&mut self) {
        let mut at = 0;
        while at < self.state.values.len() {
            let value = self.state.values[at].clone();
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
                self.state.values[at].runs = Some(self.live.len());
                self.live.push(block);
            }
            at += 1;
        }
    }

    /// The index of a block that takes parameters.
    fn callee(&self, name: &Name) -> Option<usize> {
        match self.names.get(name) {
            Some(Named::Live(index, _)) if !self.live[*index].takes.is_empty() => Some(*index),
            _ => None,
        }
    }

    fn call(&mut self, name: &Name, given: &[(Name, Argument)], value: &ValueUse, seen: usize) -> Option<LiveBlock> {
        let Some(index) = self.callee(name) else {
            if let Some(Named::Live(_, span)) = self.names.get(name) {
                let finding =
                    Diagnostic::error(value.span, format!("`@{name}` takes no parameters, so it can't be called"));
                let help = format!("write @[{name}] for its text, or give it parameters: `takes=…` on its fence line");
                self.state.diagnostics.push(finding.related(*span, "this block").help(help));
            }
            return None;
        };
        let callee = self.live[index].clone();
        let mut variables = callee.takes.clone();
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
                    self.state.diagnostics.push(finding.help(help));
                }
            }
        }
        variables.extend(callee.variables.clone());
        let position = [value.after + 1, 0, seen];
        Some(LiveBlock { name: None, role: Role::Call(index), position, takes: Vec::new(), variables, ..callee })
    }

    fn expression(&mut self, language: &str, code: &str, value: &ValueUse, seen: usize) -> LiveBlock {
        let layers = [self.project, &self.state.fronts[0]];
        let settings = FrontMatter::block_settings(&layers, language, None);
        LiveBlock {
            name: None,
            language: language.to_string(),
            code: vec![Part::Text(format!("{code}\n"))],
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

    fn arguments(&mut self, settings: &Settings, option: &str) -> Vec<(Name, Argument)> {
        let Some(setting) = settings.get(option) else { return Vec::new() };
        match arguments::read(setting.value.as_text().unwrap_or("")) {
            Ok(arguments) => {
                for (_, argument) in &arguments {
                    if let Argument::Named(name) = argument
                        && !matches!(self.names.get(name), Some(Named::Live(..) | Named::Parameter(_)))
                    {
                        let finding = crate::checks::unknown_name(
                            setting.span,
                            name.as_str(),
                            self.names,
                            true,
                            "a block or a parameter is wanted",
                        );
                        self.state.diagnostics.push(finding);
                    }
                }
                arguments
            }
            Err(bad) => {
                let finding = Diagnostic::error(setting.span, format!("in `{option}`, `{}` {}", bad.part, bad.problem));
                self.state.diagnostics.push(finding.help(format!("write for example `{option}=text=\"abc\",n=3`")));
                Vec::new()
            }
        }
    }

    fn option_inlines(&mut self, settings: &Settings, name: &str, span: Span) -> Vec<Inline> {
        let Some(setting) = settings.get(name) else { return Vec::new() };
        let span = if setting.span == Span::default() { span } else { setting.span };
        let text = setting.value.as_text().unwrap_or("").to_string();
        let source = self.state.sources.main().clone();
        self.state.inlines_at(&source, &text, span)
    }

    fn text_template(&mut self, text: &str, span: Span, after: usize) -> Template {
        self.fill(text, after, |_| true, |_| span)
    }

    /// Code keeps every `@[ … ]` whose name is not known: it may be the language's own.
    fn code_template(&mut self, code: &str, code_start: usize, index: usize) -> Template {
        let names = self.names;
        let known = |wanted: &Wanted| match wanted {
            Wanted::Doc(field) => crate::checks::DOC_FIELDS.contains(&field.as_str()),
            Wanted::Expression { .. } => false,
            wanted => {
                wanted.name().is_some_and(|name| matches!(names.get(name), Some(Named::Live(..) | Named::Parameter(_))))
            }
        };
        let source = self.state.sources.of(code_start);
        let first = source.line_of(code_start);
        let lines: Vec<Span> = (0..code.lines().count() + 1).map(|n| source.line_span(first + n)).collect();
        let line_of = |at: usize| lines[code[..at].matches('\n').count().min(lines.len() - 1)];
        self.fill(code, index, known, line_of)
    }

    fn fill(
        &mut self,
        text: &str,
        after: usize,
        known: impl Fn(&Wanted) -> bool,
        span_of: impl Fn(usize) -> Span,
    ) -> Template {
        let mut template = Template::new();
        let mut done = 0;
        for value in value_use::find(text) {
            if !known(&value.wanted) {
                continue;
            }
            let Span { start, end } = value.span;
            template.push(Part::Text(text[done..start].into()));
            template.push(Part::Value(self.state.values.len()));
            self.state.values.push(ValueUse { span: span_of(start), after, ..value });
            done = end;
        }
        template.push(Part::Text(text[done..].into()));
        template.retain(|part| !matches!(part, Part::Text(text) if text.is_empty()));
        template
    }

    fn check_block_tables(&mut self) {
        let mut findings = Vec::new();
        for (word, (span, _)) in &self.state.fronts[0].block_options {
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
        self.state.diagnostics.extend(findings);
    }
}

/// Code with the line ends that all languages know, whichever the document has.
pub(crate) fn with_plain_ends(code: &str) -> String {
    code.replace("\r\n", "\n")
}

/// Takes the names of lines, `# @:checksum`, out of code.
fn take_line_names(code: &str) -> (String, BTreeMap<String, usize>) {
    let mut names = BTreeMap::new();
    if !code.contains("@:") {
        return (code.to_string(), names);
    }
    let mut kept = String::with_capacity(code.len());
    for (at, line) in code.split_inclusive('\n').enumerate() {
        let body = line.trim_end();
        match line_name(body) {
            Some((before, name)) => {
                names.insert(name.to_string(), at + 1);
                kept.push_str(before);
                kept.push_str(&line[line.trim_end_matches(['\n', '\r']).len()..]);
            }
            None => kept.push_str(line),
        }
    }
    (kept, names)
}

fn line_name(line: &str) -> Option<(&str, &str)> {
    let (before, name) = line.rsplit_once("@:")?;
    Name::new(name)?;
    let before = before.trim_end();
    let mark = ["#", "//", "--", "%", ";"].into_iter().find(|mark| before.ends_with(mark))?;
    Some((before[..before.len() - mark.len()].trim_end(), name))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn line_names_are_taken_out_of_code() {
        let (code, names) = take_line_names("a = 1\nb = 2  # @:second\n// @:no name\nc(); // @:third\n");
        assert_eq!(code, "a = 1\nb = 2\n// @:no name\nc();\n");
        assert_eq!(names, BTreeMap::from([("second".into(), 2), ("third".into(), 4)]));
    }
}
