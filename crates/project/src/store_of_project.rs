//! The store of a project: where it is, and whether it may be used.

use crate::location::Location;
use crate::problem::{Fault, Problem};
use std::path::Path;
use vineloom_document::{Diagnostic, Span};
use vineloom_store::{Secret, Store, StoreError};

/// The store of a project, if there is one that may be used; nothing is made.
pub(crate) fn store_there(at: &Location, secret: &Secret) -> Option<Store> {
    let folder = at.store();
    if Store::is_in(&folder) { open_inside(&folder, &at.project, secret.clone()).ok() } else { None }
}

/// Opens a store; one that is a link to somewhere outside its project is not used: it may have come with the project.
fn open_inside(folder: &Path, project_folder: &Path, secret: Secret) -> Result<Store, StoreError> {
    let leads_outside = std::fs::canonicalize(folder).is_ok_and(|real| !real.starts_with(project_folder));
    if leads_outside || std::fs::symlink_metadata(folder).is_ok_and(|about| about.is_symlink() && !folder.exists()) {
        let source = std::io::Error::other("it is a link that leads out of the project");
        return Err(StoreError { path: folder.into(), source });
    }
    Store::open(folder, secret)
}

/// Opens the store beside the project file, else beside the document. Where that can't be, results are kept for this
/// run alone, with a warning.
#[allow(clippy::type_complexity, reason = "the parts of one answer, taken apart at once")]
pub(crate) fn open_store(
    at: &Location,
    secret: &Secret,
) -> Result<(Store, Option<tempfile::TempDir>, Vec<Diagnostic>), Box<Problem>> {
    let folder = at.store();
    let warning = |message: String, help: &str| vec![Diagnostic::warning(Span::NOWHERE, message).help(help)];
    let error = match open_inside(&folder, &at.project, secret.clone()) {
        Ok(store) => {
            let other = store.other_layout().map_or_else(Vec::new, |other| {
                let message =
                    format!("{} holds results of another version of this program ({other})", folder.display());
                warning(message, "they are left alone and not read; remove them when no older program needs them")
            });
            return Ok((store, None, other));
        }
        Err(error) => error,
    };
    let passing = tempfile::tempdir().and_then(|passing| {
        let store = Store::open(passing.path(), secret.clone()).map_err(std::io::Error::other)?;
        Ok((store, passing))
    });
    match passing {
        Ok((store, passing)) => {
            let told = warning(error.to_string(), "the weave goes on, and the next one will run every block again");
            Ok((store, Some(passing), told))
        }
        Err(_) => {
            let finding = Diagnostic::unplaced(error.to_string());
            let finding = finding.help("see that there is room, and that the folder may be written to");
            Err(Problem::unplaced(Fault::Use, finding))
        }
    }
}
