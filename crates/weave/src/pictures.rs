//! Picture files that a document names.

use vineloom_document::{Diagnostic, Document, InlineKind, Part, Sought, Span};
use vineloom_woven::Picture;

/// Why a picture can't be used.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PictureProblem {
    /// There is no such file; the folder that was looked in.
    Absent {
        /// The folder.
        folder: String,
    },
    /// It can't be read.
    Unreadable(String),
    /// It is none of the kinds we know.
    NotAPicture,
}

impl PictureProblem {
    /// What is wrong, to follow the picture's name.
    pub fn what(&self) -> String {
        match self {
            PictureProblem::Absent { .. } => "is not there".into(),
            PictureProblem::Unreadable(why) => format!("can't be read: {why}"),
            PictureProblem::NotAPicture => "is not a picture".into(),
        }
    }

    /// What to do about it.
    pub fn remedy(&self) -> String {
        match self {
            PictureProblem::Absent { folder } => {
                format!("picture files are looked for from the document's folder, {folder}")
            }
            PictureProblem::Unreadable(_) => "see that the file may be read".into(),
            PictureProblem::NotAPicture => "pictures are SVG, PNG, JPEG, GIF or WebP files".into(),
        }
    }
}

/// Reads picture files by the names a document gives them.
pub trait Pictures {
    /// The picture of that name.
    ///
    /// # Errors
    /// [`PictureProblem`] when there is none.
    fn read(&self, name: &str) -> Result<Picture, PictureProblem>;
}

/// Why an image shows no picture.
pub(crate) enum Unshown {
    /// It is on another computer.
    Remote(Diagnostic),
    /// It can't be had.
    Missing(Diagnostic),
}

/// The picture that an image of the document names, written at a place.
pub(crate) fn picture_of(target: &str, span: Span, pictures: &dyn Pictures) -> Result<Picture, Box<Unshown>> {
    if is_remote(target) {
        let message = format!("the picture {target} is on another computer and is shown as a link");
        let finding = Diagnostic::warning(span, message).help("copy it beside the document and name the copy here");
        return Err(Box::new(Unshown::Remote(finding)));
    }
    pictures.read(target).map_err(|problem| {
        let finding = Diagnostic::error(span, format!("the picture {target} {}", problem.what()));
        Box::new(Unshown::Missing(finding.help(problem.remedy())))
    })
}

/// Whether a picture is on another computer.
fn is_remote(target: &str) -> bool {
    target.contains("://") || target.starts_with("//")
}

/// What is wrong with the pictures that a document names, as far as it can be known without running: a block may still
/// write a file that is not there.
pub fn check_pictures(document: &Document, pictures: &dyn Pictures) -> Vec<Diagnostic> {
    let mut findings = Vec::new();
    document.each_inline(Sought::Pictures, &mut |inline| {
        let InlineKind::Image(image) = &inline.kind else { return };
        let [Part::Text(target)] = image.target.as_ref() else { return };
        // A file beside the document is only looked at where no block can write it.
        if document.live.is_empty() || is_remote(target) {
            let unshown = picture_of(target, inline.span(), pictures).err();
            findings.extend(unshown.map(|unshown| match *unshown {
                Unshown::Remote(finding) | Unshown::Missing(finding) => finding,
            }));
        }
    });
    findings
}

/// Pictures in a document's folder.
#[derive(Debug, Clone)]
pub struct PicturesIn(pub std::path::PathBuf);

impl Pictures for PicturesIn {
    fn read(&self, name: &str) -> Result<Picture, PictureProblem> {
        let name = name.split(['?', '#']).next().unwrap_or(name);
        let bytes = vineloom_interpreters::read_file(&self.0.join(name)).map_err(|error| match error.kind() {
            std::io::ErrorKind::NotFound => PictureProblem::Absent { folder: self.0.display().to_string() },
            _ => PictureProblem::Unreadable(error.to_string()),
        })?;
        Picture::new(bytes).ok_or(PictureProblem::NotAPicture)
    }
}
