//! Formulas that can't be read, each at its place.

use vineloom_document::{Block, Diagnostic, Document, InlineKind, Part, Sought, Span, Template, each_block};
use vineloom_export::math::mathml;

/// A warning for every formula of a document that can't be read: it is shown as its source.
pub fn unread(document: &Document) -> Vec<Diagnostic> {
    let macros = document.macros();
    let mut found = Vec::new();
    let mut look = |latex: &Template, span: Span| {
        // What a block puts in is only known once it has run.
        let Some(text) = plain(latex) else { return };
        if let Err(error) = mathml(&text, &macros, false) {
            let finding = Diagnostic::warning(span, format!("this formula can't be read: {}", error.message));
            found.push(
                finding
                    .help("it is shown as its source; formulas are LaTeX math, and `[macros]` adds your own commands"),
            );
        }
    };
    each_block(&document.blocks, &mut |block| {
        if let Block::Equation { latex, span, .. } = block {
            look(latex, *span);
        }
    });
    document.each_inline(Sought::Formulas, &mut |inline| {
        if let InlineKind::Math { latex, .. } = &inline.kind {
            look(latex, inline.span());
        }
    });
    found
}

fn plain(latex: &Template) -> Option<String> {
    latex.iter().map(|part| if let Part::Text(text) = part { Some(text.as_str()) } else { None }).collect()
}
