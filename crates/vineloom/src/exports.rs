//! Making exports: one woven tree, every format, from the store when the same one was made before.

use crate::along::Brought;
use crate::placing::MARKDOWN_END;
use std::cell::OnceCell;
use std::path::Path;
use std::sync::Arc;
use vineloom_document::Diagnostic;
use vineloom_document::options::{ExportOptions, Format};
use vineloom_export::Loss;
use vineloom_export::highlighted::Highlighted;
use vineloom_export::html;
use vineloom_pdf::PrintError;
use vineloom_store::{Digest, Store};
use vineloom_weave::woven::Picture;
use vineloom_weave::{MarkdownText, Woven};

/// A finished export, not yet written.
#[derive(Debug)]
pub struct Export {
    /// The file.
    pub bytes: Vec<u8>,
    /// Files beside it, by their path from its folder.
    pub parts: Vec<(String, Vec<u8>)>,
    /// How many pages a PDF has.
    pub pages: Option<usize>,
    /// What it does not show as it was meant.
    pub losses: Vec<Loss>,
}

/// A woven document on its way to its exports.
pub struct Making<'a> {
    /// The document.
    pub woven: &'a Woven,
    /// Where exports and highlighted code are kept.
    pub store: &'a Store,
    /// The document's file, under which its highlighted code is kept.
    pub file: &'a Path,
    highlighted: OnceCell<Arc<Highlighted>>,
}

impl<'a> Making<'a> {
    /// Nothing is made yet.
    pub fn new(woven: &'a Woven, store: &'a Store, file: &'a Path) -> Self {
        Making { woven, store, file, highlighted: OnceCell::new() }
    }

    /// Exports the document, or takes the export from the store when this program has made the same before.
    ///
    /// # Errors
    /// What is wrong, when the document can't be typeset.
    pub fn export(
        &self,
        options: &ExportOptions,
        format: Format,
        mut along: Brought,
    ) -> Result<Export, Vec<Diagnostic>> {
        let mut key = key(self.woven, options, format, &along);
        if let Some(export) = key.and_then(|key| stored(self.store, key)) {
            return Ok(export);
        }
        let export = match format {
            Format::Html => {
                along.page.highlighted = self.highlighted();
                let page = html::page_with(self.woven, options, &along.page);
                let folder = along.page.parts.clone().unwrap_or_default();
                let parts = page.parts.into_iter().map(|(name, bytes)| (format!("{folder}/{name}"), bytes)).collect();
                Export { bytes: page.html.into_bytes(), pages: None, losses: Vec::new(), parts }
            }
            Format::Markdown => {
                return Err(vec![Diagnostic::unplaced("the woven Markdown is made from the text, not from the tree")]);
            }
            Format::Pdf => {
                along.print.highlighted = self.highlighted();
                let print = vineloom_pdf::print(self.woven, options, &along.print);
                let print = print.map_err(|PrintError(errors)| errors)?;
                // Tomorrow's fonts may be others.
                key = key.filter(|_| !print.of_the_system);
                Export { bytes: print.bytes, pages: Some(print.pages), losses: print.losses, parts: Vec::new() }
            }
        };
        if let Some(key) = key {
            export.keep(self.store, key);
        }
        Ok(export)
    }

    /// The document's code, highlighted once for all formats; what an earlier weave highlighted is taken from the store.
    fn highlighted(&self) -> Arc<Highlighted> {
        let make = || {
            let whole = std::path::absolute(self.file).unwrap_or_else(|_| self.file.into());
            let key = program().map(|it| Digest::of(format!("highlighted {it:?} {}", whole.display()).as_bytes()));
            let kept = key.and_then(|key| self.store.own_record(key));
            let mut highlighted = kept.map(|bytes| Highlighted::from_bytes(&bytes)).unwrap_or_default();
            if highlighted.complete(self.woven)
                && let Some(key) = key
            {
                // Only a shortcut, as above.
                let _ = self.store.write_record(key, &highlighted.to_bytes());
            }
            Arc::new(highlighted)
        };
        self.highlighted.get_or_init(make).clone()
    }
}

/// What is stored of an export beside its bytes.
#[derive(serde::Serialize, serde::Deserialize)]
struct Record {
    bytes: Digest,
    pages: Option<usize>,
    losses: Vec<Loss>,
}

impl Export {
    /// The woven Markdown, with its pictures in the folder `parts`.
    pub fn of_markdown(text: MarkdownText, parts: &str) -> Export {
        let part = |(name, picture): (String, Picture)| (format!("{parts}/{name}"), picture.bytes.to_vec());
        let between = if text.text.ends_with('\n') { "\n" } else { "\n\n" };
        let bytes = format!("{}{between}{MARKDOWN_END}\n", text.text).into_bytes();
        Export { bytes, parts: text.pictures.into_iter().map(part).collect(), pages: None, losses: Vec::new() }
    }

    /// Only a shortcut for the next weave: a store that can't be written is told of elsewhere.
    fn keep(&self, store: &Store, key: Digest) {
        let Ok(bytes) = store.put(&self.bytes) else { return };
        let record = Record { bytes, pages: self.pages, losses: self.losses.clone() };
        if let Ok(record) = serde_json::to_vec(&record) {
            let _ = store.write_record(key, &record);
        }
    }

    /// What the summary says of it.
    pub fn summary(&self, path: &Path) -> String {
        let name =
            path.file_name().map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned());
        match self.pages {
            Some(1) => format!("{name} 1 page"),
            Some(pages) => format!("{name} {pages} pages"),
            None if self.bytes.len() < 1_000_000 => format!("{name} {} KB", self.bytes.len().div_ceil(1000)),
            None => format!("{name} {:.1} MB", self.bytes.len() as f64 / 1e6),
        }
    }
}

fn stored(store: &Store, key: Digest) -> Option<Export> {
    let record: Record = serde_json::from_slice(&store.own_record(key)?).ok()?;
    let bytes = store.get(record.bytes)?;
    Some(Export { bytes, parts: Vec::new(), pages: record.pages, losses: record.losses })
}

/// This very program: its version, size and age.
fn program() -> Option<(&'static str, u64, u128)> {
    let program = std::env::current_exe().and_then(std::fs::metadata).ok()?;
    let age = program.modified().ok()?.duration_since(std::time::UNIX_EPOCH).ok()?;
    Some((env!("CARGO_PKG_VERSION"), program.len(), age.as_nanos()))
}

/// The identity of an export: the whole woven tree, the format's options, and this very program.
fn key(woven: &Woven, options: &ExportOptions, format: Format, along: &Brought) -> Option<Digest> {
    // Parts are files of their own, which a record does not hold.
    if along.page.parts.is_some() {
        return None;
    }
    let text = serde_json::to_string(&(
        "export",
        format.word(),
        program()?,
        options,
        &along.page.style,
        along.page.attachments.iter().map(|file| (&file.name, Digest::of(&file.bytes).to_string())).collect::<Vec<_>>(),
        along.print.fonts.iter().map(|font| (&font.name, Digest::of(&font.bytes).to_string())).collect::<Vec<_>>(),
        (&along.page.pictures, &along.print.pictures),
        woven,
    ));
    Some(Digest::of(text.ok()?.as_bytes()))
}
