//! The files a document names, as they are handed to the parser: this crate opens none itself.

use vineloom_table::workbook_target;

/// Why a file can't be had.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FileProblem {
    /// There is no such file.
    Absent,
    /// It is there and can't be read.
    Unreadable(String),
}

/// Reads files by their path from the document's folder.
pub trait Files {
    /// The bytes of a file.
    ///
    /// # Errors
    /// [`FileProblem`] when it can't be had.
    fn read(&self, path: &str) -> Result<Vec<u8>, FileProblem>;
}

/// No files at all.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoFiles;

impl Files for NoFiles {
    fn read(&self, _path: &str) -> Result<Vec<u8>, FileProblem> {
        Err(FileProblem::Absent)
    }
}

/// The path of a file that another one in `folder` names, without steps back. `folder` is empty or ends without
/// a slash.
pub(crate) fn joined(folder: &str, path: &str) -> String {
    if path.starts_with('/') {
        return path.to_string();
    }
    let mut parts: Vec<&str> = Vec::new();
    for part in folder.split('/').chain(path.split('/')) {
        match part {
            "" | "." => {}
            ".." if parts.last().is_some_and(|last| *last != "..") => {
                parts.pop();
            }
            part => parts.push(part),
        }
    }
    parts.join("/")
}

/// The folder of a path; empty when it has none.
pub(crate) fn folder_of(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// What kind of thing the target of an image names.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum ImageTarget {
    /// A picture, or something on another computer.
    Picture,
    /// Another document.
    Document,
    /// A result of another document.
    Result,
    /// A data file.
    Table,
    /// A workbook of an office program.
    Workbook,
    /// A source file.
    Code,
}

impl ImageTarget {
    pub fn of(target: &str) -> Self {
        if target.contains("://") || target.starts_with("data:") {
            return ImageTarget::Picture;
        }
        if crate::value_use::of_document(target).is_some() {
            return ImageTarget::Result;
        }
        let path = target.split('#').next().unwrap_or(target);
        let extension = path.rsplit_once('.').map_or("", |(_, extension)| extension).to_lowercase();
        if workbook_target(target).is_some() {
            return ImageTarget::Workbook;
        }
        if target.contains("#L") {
            return ImageTarget::Code;
        }
        match extension.as_str() {
            "md" | "markdown" => ImageTarget::Document,
            "csv" | "tsv" => ImageTarget::Table,
            "" | "svg" | "png" | "jpg" | "jpeg" | "gif" | "webp" | "avif" | "bmp" | "tif" | "tiff" | "pdf" | "ico" => {
                ImageTarget::Picture
            }
            _ => ImageTarget::Code,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_joined_without_steps_back() {
        assert_eq!(joined("", "a.md"), "a.md");
        assert_eq!(joined("parts", "../a.md"), "a.md");
        assert_eq!(joined("a/b", "./c/../d.md"), "a/b/d.md");
        assert_eq!(joined("", "../x.md"), "../x.md");
        assert_eq!(joined("a", "/x.md"), "/x.md");
    }

    #[test]
    fn what_an_image_names_is_told_by_its_ending() {
        assert_eq!(ImageTarget::of("a/b.vine.md"), ImageTarget::Document);
        assert_eq!(ImageTarget::of("a.md#L1-L3"), ImageTarget::Code);
        assert_eq!(ImageTarget::of("a/b.vine.md@map"), ImageTarget::Result);
        assert_eq!(ImageTarget::of("t.CSV"), ImageTarget::Table);
        assert_eq!(ImageTarget::of("t.xlsx#L2:M9"), ImageTarget::Workbook);
        assert_eq!(ImageTarget::of("x.png"), ImageTarget::Picture);
        assert_eq!(ImageTarget::of("https://example.org/x.py"), ImageTarget::Picture);
        assert_eq!(ImageTarget::of("src/x.py#L2"), ImageTarget::Code);
    }
}
