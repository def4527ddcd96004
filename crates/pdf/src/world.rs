//! What the typesetter may see: one source, the pictures of the document, the built-in fonts. No file system.

use std::collections::BTreeMap;
use std::sync::{Arc, LazyLock};
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World};
use typst_kit::fonts::{self, FontStore};

static LIBRARY: LazyLock<LazyHash<Library>> = LazyLock::new(|| LazyHash::new(Library::default()));
static FONTS: LazyLock<FontStore> = LazyLock::new(|| {
    let mut store = FontStore::new();
    store.extend(fonts::embedded());
    store
});

/// One document's world.
pub(crate) struct Sheet {
    main: Source,
    files: BTreeMap<String, Bytes>,
}

impl Sheet {
    /// A world of a source text and pictures by name.
    pub fn new(text: String, pictures: BTreeMap<String, Arc<Vec<u8>>>) -> Self {
        let files = pictures.into_iter().map(|(name, bytes)| (name, Bytes::new(Shared(bytes)))).collect();
        Sheet { main: Source::new(file_id("main.typ"), text), files }
    }
}

/// Bytes that several owners share.
struct Shared(Arc<Vec<u8>>);

impl AsRef<[u8]> for Shared {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}

#[allow(clippy::expect_used, reason = "the names are ours and have no `..` in them")]
fn file_id(name: &str) -> FileId {
    let path = VirtualPath::new(name).expect("a plain file name is a valid path");
    RootedPath::new(VirtualRoot::Project, path).intern()
}

impl World for Sheet {
    fn library(&self) -> &LazyHash<Library> {
        &LIBRARY
    }

    fn book(&self) -> &LazyHash<FontBook> {
        FONTS.book()
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
        FONTS.font(index)
    }

    fn today(&self, _offset: Option<Duration>) -> Option<Datetime> {
        None
    }
}
