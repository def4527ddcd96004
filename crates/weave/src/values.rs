//! Putting values in: into code, into texts, and names into what the interpreters said.

use crate::prose::{Prose, Writing};
use ecow::EcoString;
use vineloom_document::{
    BlockIndex, Diagnostic, Document, Inline, InlineKind, Named, Part, Template, ValueIndex, ValueUse, Wanted,
    plain_text,
};
use vineloom_interpreters::Outcome;
use vineloom_store::Digest;

/// Looks up what a block gave, and its code, by index; nothing when it has not run yet.
pub(crate) type Lookup<'a> = dyn Fn(BlockIndex) -> Option<(&'a Outcome, &'a str)> + 'a;

/// The text of a template that is code or an address, its values put in with all their digits.
pub(crate) fn fill(template: &Template, document: &Document, lookup: &Lookup) -> EcoString {
    filled(template, |value| value_text(value, document, lookup))
}

/// A template with each of its values as text; the text of one that is nothing else is shared.
fn filled(template: &Template, value: impl Fn(ValueIndex) -> String) -> EcoString {
    if let [Part::Text(text)] = template.as_ref() {
        return text.clone();
    }
    let part = |part: &Part| match part {
        Part::Text(text) => text.clone(),
        Part::Value(index) => value(*index).into(),
    };
    template.iter().map(part).collect()
}

/// The text of a template as its writer wrote it.
pub(crate) fn as_written(template: &Template, document: &Document) -> EcoString {
    filled(template, |value| {
        let span = document.value(value).span;
        document.sources.of(span.start).slice(span).to_string()
    })
}

/// The text of a template for readers, its values written as its place wants them.
pub(crate) fn fill_for_reading(
    template: &Template,
    document: &Document,
    lookup: &Lookup,
    writing: Writing,
) -> EcoString {
    filled(template, |value| read_text(value, document, lookup, writing))
}

/// A value as it is written for readers, in a sentence or in a formula.
pub(crate) fn read_text(value: ValueIndex, document: &Document, lookup: &Lookup, writing: Writing) -> String {
    let used = document.value(value);
    let prose = Prose::new(document, used.reading.clone(), writing);
    let block = || match document.names.get(used.wanted.name()?)? {
        Named::Live(index, _) => Some(*index),
        _ => None,
    };
    match &used.wanted {
        Wanted::Code(_) | Wanted::Exit(_) | Wanted::Doc(_) | Wanted::Unreadable(..) => {}
        Wanted::Text(name) if matches!(document.names.get(name), Some(Named::Parameter(_))) => {
            return document.parameters.get(name).map_or_else(String::new, |p| prose.parameter(&p.value));
        }
        Wanted::Text(_) | Wanted::Call(..) | Wanted::Expression { .. } => {
            if let Some((outcome, _)) = used.runs.or_else(block).and_then(lookup) {
                return prose.outcome(outcome);
            }
        }
    }
    value_text(value, document, lookup)
}

/// The text of a value in code, with all its digits.
pub(crate) fn value_text(value: ValueIndex, document: &Document, lookup: &Lookup) -> String {
    let wanted = &document.value(value).wanted;
    if let Some((outcome, _)) = document.value(value).runs.and_then(lookup) {
        return outcome.cited_text();
    }
    if let Wanted::Doc(field) = wanted {
        return doc_text(field, document, lookup);
    }
    let Some(name) = wanted.name() else { return String::new() };
    let index = match document.names.get(name) {
        Some(Named::Live(index, _)) => *index,
        Some(Named::Parameter(_)) => return document.parameters.get(name).map_or_else(String::new, |p| p.value.text()),
        _ => return String::new(),
    };
    let Some((outcome, code)) = lookup(index) else {
        // A block that is only called has code to cite, though nothing it gave.
        return match wanted {
            Wanted::Code(_) => fill(&document.live[index].code, document, lookup).trim_end().to_string(),
            _ => String::new(),
        };
    };
    match wanted {
        Wanted::Code(_) => code.trim_end().to_string(),
        Wanted::Exit(_) => outcome.exit.to_string(),
        _ => outcome.cited_text(),
    }
}

/// What is wrong with values in sentences and in code that no text can stand for: of blocks that gave nothing but tables
/// and figures.
pub(crate) fn values_without_text(document: &Document, lookup: &Lookup) -> Vec<Diagnostic> {
    let problem = |value: &ValueUse| {
        let (Wanted::Text(_) | Wanted::Call(..) | Wanted::Expression { .. }) = value.wanted else { return None };
        let named = value.wanted.name().filter(|_| matches!(value.wanted, Wanted::Text(_)));
        let index = value.runs.or_else(|| document.block_named(named?.as_str()))?;
        let (outcome, _) = lookup(index)?;
        let what = outcome.only_laid_out()?;
        let subject = value.wanted.name().map_or_else(|| "the expression".to_string(), |name| format!("`@{name}`"));
        let help = match named {
            Some(name) => {
                format!("put it below the sentence with ![A caption](@{name}), and refer to it with [](@{name})")
            }
            None => "print what the sentence is to say".to_string(),
        };
        Some(Diagnostic::error(value.span, format!("{subject} gave {what}, which no text can stand for")).help(help))
    };
    document.values.iter().filter_map(problem).collect()
}

/// A text of the front matter, its values put in. A value that cites the front matter in turn is left out: it
/// could cite itself.
fn doc_text(field: &str, document: &Document, lookup: &Lookup) -> String {
    if field == "language" {
        return document.language().to_string();
    }
    let text = |inlines: &&[Inline]| running_text(inlines, document, lookup);
    document.title_block_texts(field).iter().map(text).collect::<Vec<_>>().join(", ")
}

fn running_text(inlines: &[Inline], document: &Document, lookup: &Lookup) -> String {
    let text = |inline: &Inline| match &inline.kind {
        InlineKind::Value(value) => match document.value(*value).wanted {
            Wanted::Doc(_) => String::new(),
            _ => read_text(*value, document, lookup, Writing::Sentence),
        },
        InlineKind::Emphasis(content) | InlineKind::Strong(content) | InlineKind::Strike(content) => {
            running_text(content, document, lookup)
        }
        _ => plain_text(std::slice::from_ref(inline)),
    };
    inlines.iter().map(text).collect()
}

/// What a block's code is called while it runs: it depends on nothing but the code, so that giving a block
/// another name runs nothing. [`crate::labels::Labels`] puts the name in for the reader.
pub(crate) fn label(code: &str) -> String {
    ["@", &Digest::of(code.as_bytes()).hex()[..LABEL_LENGTH - 1]].concat()
}

/// How many bytes a label has.
pub(crate) const LABEL_LENGTH: usize = 11;

/// The text of a template that holds no values.
pub(crate) fn plain_template(template: &Template) -> EcoString {
    filled(template, |_| String::new())
}
