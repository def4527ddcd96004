//! The steps after weaving: programs that a document or its project runs when everything is written.

use crate::open::Opened;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use vineloom_document::options::{OptionValue, Settings};

/// A program that runs when everything is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// The program and its words, as they are given to it: no shell reads them.
    pub words: Vec<String>,
    /// The folder that it runs in: the document's, or that of the project file.
    pub folder: PathBuf,
}

/// The steps that a document and its project ask for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Steps {
    /// Those of the document: they run once for each weave of it.
    pub of_document: Vec<Step>,
    /// Those of the project file: they run once for all that was woven.
    pub of_project: Vec<Step>,
}

impl Opened {
    /// The steps after weaving.
    pub fn steps(&self) -> Steps {
        let layer = |at: usize, folder: &Path| {
            let settings = self.document.layers.get(at).map(|layer| &layer.after);
            settings.map_or_else(Vec::new, |settings| steps_in(settings, folder))
        };
        Steps { of_project: layer(0, &self.at.project), of_document: layer(1, &self.at.folder) }
    }
}

fn steps_in(settings: &Settings, folder: &Path) -> Vec<Step> {
    match settings.get("run").map(|setting| &setting.value) {
        Some(OptionValue::Lists(lists)) => {
            lists.iter().map(|words| Step { words: words.clone(), folder: folder.into() }).collect()
        }
        _ => Vec::new(),
    }
}

impl Step {
    /// What a step finds in its environment beside what its caller has: what was written, a path a line, and the cells of
    /// the row that it runs for, each under `VINELOOM_ROW_` and the name of its column in capitals.
    pub fn environment(
        written: &[PathBuf],
        document: Option<&Path>,
        cells: &[(String, String)],
    ) -> Vec<(OsString, OsString)> {
        let mut list = OsString::new();
        for path in written {
            list.push(std::path::absolute(path).unwrap_or_else(|_| path.clone()));
            list.push("\n");
        }
        let mut environment = vec![(OsString::from("VINELOOM_EXPORTS"), list)];
        if let Some(document) = document {
            let whole = std::path::absolute(document).unwrap_or_else(|_| document.into());
            environment.push(("VINELOOM_DOCUMENT".into(), whole.into()));
        }
        for (column, cell) in cells {
            let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
            let name: String = column.chars().map(plain).collect();
            environment.push((format!("VINELOOM_ROW_{name}").into(), cell.into()));
        }
        environment
    }
}
