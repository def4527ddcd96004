//! What the typesetter may see: one source, the pictures of the document, its fonts. No file system.

use crate::picture_file::PictureFile;
use std::collections::BTreeMap;
use std::sync::LazyLock;
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration};
use typst::syntax::{DiagSpan, FileId, RootedPath, Source, VirtualPath, VirtualRoot};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World, WorldExt};
use typst_kit::fonts::FontStore;

static LIBRARY: LazyLock<LazyHash<Library>> = LazyLock::new(|| LazyHash::new(Library::default()));

/// One document's world.
pub(crate) struct Sheet {
    main: Source,
    files: BTreeMap<String, Bytes>,
    fonts: FontStore,
}

impl Sheet {
    /// A world of a source text, pictures by name, and fonts.
    pub fn new(text: String, pictures: BTreeMap<String, PictureFile>, fonts: FontStore) -> Self {
        Self::of(Source::new(file_id("main.typ"), text), pictures, fonts)
    }

    /// The same with a source that is at hand.
    pub fn of(main: Source, pictures: BTreeMap<String, PictureFile>, fonts: FontStore) -> Self {
        let files = pictures.into_iter().map(|(name, file)| (name, Bytes::new(file))).collect();
        Sheet { main, files, fonts }
    }
}

/// A text as a source. What it has in common with an earlier one is known to the typesetter by the same marks.
pub(crate) fn source_after(earlier: Option<Source>, text: String) -> Source {
    match earlier {
        Some(mut source) => {
            source.replace(&text);
            source
        }
        None => Source::new(file_id("main.typ"), text),
    }
}

#[allow(clippy::expect_used, reason = "the names are ours and have no `..` in them")]
fn file_id(name: &str) -> FileId {
    let path = VirtualPath::new(name).expect("a plain file name is a valid path");
    RootedPath::new(VirtualRoot::Project, path).intern()
}

impl Sheet {
    /// The byte of the source that a span leads to; for a span in a picture, where the source first names it.
    pub fn byte_of(&self, span: DiagSpan) -> Option<usize> {
        let file = span.id()?;
        if file == self.main.id() {
            return self.range(span).map(|range| range.start);
        }
        let name = format!("\"{}\"", file.get().vpath().get_without_slash());
        self.text().find(&name)
    }

    /// The source.
    pub fn main_source(&self) -> &Source {
        &self.main
    }

    /// The text of the source.
    pub fn text(&self) -> &str {
        self.main.text()
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
        self.main.id()
    }

    fn source(&self, id: FileId) -> FileResult<Source> {
        if id == self.main.id() { Ok(self.main.clone()) } else { Err(FileError::NotSource) }
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
