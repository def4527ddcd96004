//! What is wrong with a document, or probably not meant, and can be known without running anything: the same for
//! whoever asks.

use crate::memory::InStore;
use crate::{formulas, named_files};
use std::path::Path;
use vineloom_document::{Diagnostic, Document, lint, nearest};
use vineloom_interpreters::Languages;
use vineloom_weave::{PicturesIn, check_charts, check_citation_style, check_pictures, check_transcripts, check_works};

/// All findings beyond those of reading the text.
pub(crate) fn without_running(
    document: &Document,
    languages: &Languages,
    folder: &Path,
    memory: InStore,
) -> Vec<Diagnostic> {
    let mut findings = unknown_languages(document, languages);
    findings.extend(check_transcripts(document, languages));
    findings.extend(check_citation_style(document));
    findings.extend(formulas::unread(document));
    findings.extend(check_pictures(document, &PicturesIn(folder.into())));
    findings.extend(named_files::missing(document, folder));
    findings.extend(check_charts(document, folder));
    findings.extend(check_works(document, &memory));
    findings.extend(lint(document));
    findings
}

fn unknown_languages(document: &Document, languages: &Languages) -> Vec<Diagnostic> {
    let is_unknown = |language: &str| !language.is_empty() && languages.get(language).is_none();
    let unknown = document.live.iter().filter(|block| is_unknown(&block.language));
    unknown
        .map(|block| {
            let help = match nearest(&block.language, languages.names()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!(
                    "the languages are {}; without `@` the block is a plain listing",
                    languages.names().collect::<Vec<_>>().join(", ")
                ),
            };
            let message = format!("no interpreter is known for the language `{}`", block.language);
            Diagnostic::error(block.fence, message).help(help)
        })
        .collect()
}
