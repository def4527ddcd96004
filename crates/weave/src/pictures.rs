//! Picture files that a document names.

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

/// Pictures in a document's folder.
#[derive(Debug, Clone)]
pub struct PicturesIn(pub std::path::PathBuf);

impl Pictures for PicturesIn {
    fn read(&self, name: &str) -> Result<Picture, PictureProblem> {
        let name = name.split(['?', '#']).next().unwrap_or(name);
        let bytes = std::fs::read(self.0.join(name)).map_err(|error| match error.kind() {
            std::io::ErrorKind::NotFound => PictureProblem::Absent { folder: self.0.display().to_string() },
            _ => PictureProblem::Unreadable(error.to_string()),
        })?;
        Picture::new(bytes).ok_or(PictureProblem::NotAPicture)
    }
}
