//! Formulas in the woven Markdown: values put in, and the writer's own commands, which no code host knows.

use super::markdown_forms::in_formula;
use super::text::Editor;
use crate::prose::Writing;
use vineloom_document::{Part, Span, Template, expand_macros};

impl Editor<'_, '_> {
    /// Puts the values of a formula in, as its reader sees them.
    pub(super) fn formula(&mut self, template: &Template) {
        for part in template {
            if let Part::Value(value) = part {
                let text = in_formula(&self.read(*value, Writing::Formula));
                self.edits.push((self.splicer.document.value(*value).span, text));
            }
        }
    }

    /// Puts the writer's own commands into a formula, whose edits are those since there were so many.
    pub(super) fn expand_commands(&mut self, span: Span, since: usize) {
        let (start, end) = self.edits[since..]
            .iter()
            .fold((span.start, span.end), |(start, end), (edit, _)| (start.min(edit.start), end.max(edit.end)));
        let whole = Span::new(start, end);
        let edits = self.edits[since..].to_vec();
        let text = self.edited(whole, since);
        let expanded = expand_macros(&text, &self.commands);
        match expanded == text {
            true => self.edits.extend(edits),
            false => self.edits.push((whole, expanded)),
        }
    }
}
