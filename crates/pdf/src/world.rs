//! What the typesetter may see: the sources, the pictures of the document, its fonts. No file system.

use crate::picture_file::PictureFile;
use crate::sources::Sources;
use std::collections::BTreeMap;
use std::sync::LazyLock;
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration};
use typst::syntax::{DiagSpan, FileId, Source};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World, WorldExt};
use typst_kit::fonts::FontStore;

/// What the typesetter knows by itself.
pub(crate) static LIBRARY: LazyLock<LazyHash<Library>> = LazyLock::new(|| LazyHash::new(Library::default()));

/// One document's world.
pub(crate) struct Sheet {
    sources: Sources,
    files: BTreeMap<String, Bytes>,
    fonts: FontStore,
}

impl Sheet {
    /// A world of sources, pictures by name, and fonts.
    pub fn new(sources: Sources, pictures: BTreeMap<String, PictureFile>, fonts: FontStore) -> Self {
        let files = pictures.into_iter().map(|(name, file)| (name, Bytes::new(file))).collect();
        Sheet { sources, files, fonts }
    }

    /// The byte of the text that a span leads to; for a span in a picture, where the text first names it.
    pub fn byte_of(&self, span: DiagSpan) -> Option<usize> {
        let file = span.id()?;
        if self.sources.has(file) {
            return self.sources.byte_of(file, self.range(span)?.start);
        }
        let name = format!("\"{}\"", file.get().vpath().get_without_slash());
        self.text().find(&name)
    }

    /// The source that is set.
    pub fn main_source(&self) -> Source {
        self.sources.main()
    }

    /// Gives up what the typesetter has read and does not need again.
    pub fn give_up_read(&self) {
        self.sources.give_up_read();
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        self.sources.text()
    }
}

impl World for Sheet {
    fn library(&self) -> &LazyHash<Library> {
        &LIBRARY
    }

    fn book(&self) -> &LazyHash<FontBook> {
        self.fonts.book()
    }

    fn main(&self) -> FileId {
        self.sources.main_file()
    }

    fn source(&self, id: FileId) -> FileResult<Source> {
        self.sources.of_file(id).ok_or(FileError::NotSource)
    }

    fn file(&self, id: FileId) -> FileResult<Bytes> {
        let name = id.get().vpath().get_without_slash();
        self.files.get(name).cloned().ok_or_else(|| FileError::NotFound(name.into()))
    }

    fn font(&self, index: usize) -> Option<Font> {
        self.fonts.font(index)
    }

    fn today(&self, _offset: Option<Duration>) -> Option<Datetime> {
        None
    }
}
