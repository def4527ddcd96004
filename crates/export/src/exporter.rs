//! The seam of a format: what it wants, what it gets, what it gives.

use crate::highlighted::Highlighted;
use crate::proof::Proof;
use serde::Serialize;
use std::collections::BTreeMap;
use std::io::{self, BufWriter, Write};
use std::sync::Arc;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::{Memory, Picture, ProgramBlock, TextPiece, Woven, WovenText};

/// One format that documents are exported to.
pub trait Exporter: Sync {
    /// The options that the format takes, typed.
    type Options: Serialize;

    /// The row of the table of formats that it is.
    fn format(&self) -> Format;

    /// Whether it has pages, which somebody may look at while the document is written.
    fn has_pages(&self) -> bool {
        false
    }

    /// Whether an export is made in less time than it takes to tell that it was made before, so that none is stored.
    fn is_quick(&self) -> bool {
        false
    }

    /// The options, as the settings of the document have them.
    fn options(&self, settings: &Settings) -> Self::Options;

    /// What it wants to be given besides the tree.
    fn wants(&self, woven: &Woven, options: &Self::Options) -> Vec<Want>;

    /// Makes the export.
    ///
    /// # Errors
    /// What keeps the document from being exported, each at its place.
    fn export(&self, job: &Job<Self::Options>) -> Result<Export, Vec<Diagnostic>>;

    /// Whether a file, or a part that stands beside one, says of itself that this program made it.
    fn is_signed(&self, file: &[u8]) -> bool;
}

/// Something that a format wants to be given besides the tree.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Want {
    /// A file that an option names, by its path from the document's folder.
    File {
        /// What it is, for a message: "the style sheet".
        what: &'static str,
        /// The path.
        path: String,
    },
    /// The pictures that HTML in the text names.
    Pictures(Vec<String>),
    /// The code of the document, highlighted.
    HighlightedCode,
    /// The document's own file.
    Source,
    /// The document's own file with the data files that its blocks read, in an archive.
    SourceWithData,
    /// The author's own text with the results in it.
    AuthorsText,
    /// The files of works that may be cited.
    Works,
    /// The blocks as they ran, and the author's own text around them.
    Program,
}

/// A document as a program: its blocks, and its text in pieces between them.
#[derive(Debug, Clone, Default)]
pub struct Program {
    /// The blocks that ran, in the order of the document.
    pub blocks: Vec<ProgramBlock>,
    /// The author's own text with the results in it.
    pub pieces: Vec<TextPiece>,
    /// The pictures that the pieces name, by file name in the folder of parts.
    pub pictures: Vec<(String, Picture)>,
}

/// A file with its name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedFile {
    /// Its name, without a folder.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// The document with the files that it read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DataArchive {
    /// A zip archive.
    pub bytes: Vec<u8>,
    /// How many data files are in it.
    pub files: usize,
}

/// What a format was given of what it wants.
#[derive(Debug, Clone, Default)]
pub struct Assets {
    /// The files that options name, by their paths as they are named.
    pub files: BTreeMap<String, Vec<u8>>,
    /// The pictures that HTML in the text names, by their names there. One that is not there is told of by its format.
    pub pictures: BTreeMap<String, Picture>,
    /// The code of the document, highlighted.
    pub highlighted: Arc<Highlighted>,
    /// The document's own file.
    pub source: Option<NamedFile>,
    /// The document's own file with its data.
    pub data: Option<DataArchive>,
    /// The author's own text with the results in it.
    pub text: Option<WovenText>,
    /// What stands in the files of works that may be cited, in BibLaTeX.
    pub works: Vec<String>,
    /// The document as a program.
    pub program: Option<Program>,
}

/// All that an export is made of.
#[derive(Debug)]
pub struct Job<'a, O> {
    /// The tree.
    pub woven: &'a Woven,
    /// The options of the format.
    pub options: &'a O,
    /// What it wanted.
    pub assets: &'a Assets,
    /// What earlier exports worked out.
    pub memory: &'a dyn Memory,
    /// The name of the export, without its ending: of its folder of parts, of what it offers for download.
    pub name: &'a str,
    /// Who looks at the export while the document is being written.
    pub proof: Option<Proof<'a>>,
}

impl<O> Job<'_, O> {
    /// The folder beside the export that its parts stand in.
    pub fn parts_folder(&self) -> String {
        format!("{}-parts", self.name)
    }
}

/// A finished export, not yet written.
#[derive(Debug, Clone, Default)]
pub struct Export {
    /// The file.
    pub bytes: Vec<u8>,
    /// Files beside it, by their paths from its folder.
    pub parts: Vec<(String, Vec<u8>)>,
    /// How many pages it has, in a format that has pages.
    pub pages: Option<usize>,
    /// What it does not show as it was meant.
    pub findings: Vec<Diagnostic>,
    /// Whether the machine had a say, so that another one, or this one tomorrow, may make it otherwise.
    pub of_this_machine: bool,
}

/// A format whose options have not been read yet: how the program handles all of them alike.
pub trait AnyExporter: Sync {
    /// The row of the table of formats that it is.
    fn format(&self) -> Format;

    /// Whether it has pages, which somebody may look at while the document is written.
    fn has_pages(&self) -> bool;

    /// Whether an export is made in less time than it takes to tell that it was made before, so that none is stored.
    fn is_quick(&self) -> bool;

    /// What it wants to be given besides the tree.
    fn wants(&self, woven: &Woven, settings: &Settings) -> Vec<Want>;

    /// The identity of a job: two jobs with the same one give the same export. `program` tells this program from others.
    fn key(&self, job: &Job<Settings>, program: &str) -> blake3::Hash;

    /// Makes the export.
    ///
    /// # Errors
    /// What keeps the document from being exported, each at its place.
    fn export(&self, job: &Job<Settings>) -> Result<Export, Vec<Diagnostic>>;

    /// Whether a file says of itself that this program made it.
    fn is_signed(&self, file: &[u8]) -> bool;
}

impl<E: Exporter> AnyExporter for E {
    fn format(&self) -> Format {
        Exporter::format(self)
    }

    fn has_pages(&self) -> bool {
        Exporter::has_pages(self)
    }

    fn is_quick(&self) -> bool {
        Exporter::is_quick(self)
    }

    fn wants(&self, woven: &Woven, settings: &Settings) -> Vec<Want> {
        Exporter::wants(self, woven, &self.options(settings))
    }

    fn key(&self, job: &Job<Settings>, program: &str) -> blake3::Hash {
        let Assets { files, pictures, highlighted: _, source, data, text, works, program: as_program } = job.assets;
        let hash = |bytes: &[u8]| blake3::hash(bytes).to_hex().to_string();
        let files: Vec<(&String, String)> = files.iter().map(|(name, bytes)| (name, hash(bytes))).collect();
        let source = source.as_ref().map(|file| (&file.name, hash(&file.bytes)));
        let data = data.as_ref().map(|archive| hash(&archive.bytes));
        let text = text.as_ref().map(|text| (&text.text, text.front, &text.pictures));
        // How code is highlighted follows from the code and the program.
        let as_program = as_program.as_ref().map(|it| (&it.blocks, &it.pieces, &it.pictures));
        let assets = (files, pictures, source, data, text, works, as_program);
        let whole = (program, Exporter::format(self).word(), job.name, self.options(job.options), assets, job.woven);
        // Hashing little by little costs several times as much. As bytes the tree is written in a third of the time that
        // it takes as text; each part has its length before it and no field is left out, so that no two trees are the same bytes.
        let mut hashing = BufWriter::with_capacity(1 << 16, Hashing(blake3::Hasher::new()));
        let written = bincode::serialize_into(&mut hashing, &whole).map_err(io::Error::other);
        match written.and_then(|()| Ok(hashing.into_inner()?)) {
            Ok(hashing) => hashing.0.finalize(),
            // Plain data is always written. What could not be is the same as nothing else.
            Err(error) => blake3::hash(format!("{error} {:p}", job.woven).as_bytes()),
        }
    }

    fn export(&self, job: &Job<Settings>) -> Result<Export, Vec<Diagnostic>> {
        let options = self.options(job.options);
        let Job { woven, assets, memory, name, proof, .. } = *job;
        Exporter::export(self, &Job { woven, options: &options, assets, memory, name, proof })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        Exporter::is_signed(self, file)
    }
}

/// Hashes what is written to it.
struct Hashing(blake3::Hasher);

impl Write for Hashing {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.update(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
