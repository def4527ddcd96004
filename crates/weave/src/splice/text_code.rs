//! Spans of code in the woven Markdown, with the values in them.

use super::markdown_forms::spanned;
use super::text::Editor;
use ecow::EcoString;
use vineloom_document::{Part, Span, Template, ValueIndex};

impl Editor<'_, '_> {
    /// Takes out the backslashes that keep `@[` from being a value: what reads the Markdown would show them.
    pub(super) fn escapes_in_code(&mut self, span: Span) {
        let Some(span) = span.known() else { return };
        let written = self.splicer.document.sources.of(span.start).slice(span);
        for (at, _) in written.match_indices("\\@[") {
            self.edits.push((Span::new(span.start + at, span.start + at + 1), String::new()));
        }
    }

    /// The values in a span of code. A value with backticks needs a longer fence around the whole.
    pub(super) fn code(&mut self, template: &Template) {
        let values = template.iter().filter_map(|part| if let Part::Value(value) = part { Some(*value) } else { None });
        let values: Vec<ValueIndex> = values.collect();
        let Some(first) = values.first().filter(|_| values.iter().any(|&value| self.value(value).contains('`'))) else {
            return self.template(template, |value| value.replace('\n', " "));
        };
        let span = self.splicer.document.value(*first).span;
        let source = self.splicer.document.sources.of(span.start);
        let line = source.line_span(source.line_of(span.start));
        let written = source.slice(line);
        let at = span.start - line.start;
        // The fences: the runs of backticks before the first value and, of the same length, after it.
        let before = &written[..at];
        let end = before.rfind('`').map_or(0, |last| last + 1);
        let length = before[..end].bytes().rev().take_while(|&byte| byte == b'`').count();
        let fence = "`".repeat(length.max(1));
        let after = written[at..].find(&fence).map_or(written.len(), |found| at + found + fence.len());
        let whole = Span::new(line.start + end.saturating_sub(length), line.start + after);
        let part = |part: &Part| match part {
            Part::Text(text) => text.clone(),
            Part::Value(value) => self.value(*value).into(),
        };
        let code: EcoString = template.iter().map(part).collect();
        self.edits.push((whole, spanned(&code.replace("\n", " "))));
    }
}
