//! How dear the state of a strand must be to be stored, as the caller sets it.

use std::ffi::OsStr;

/// The variable of the caller's environment that says from how many milliseconds of running on states are stored.
pub const STATES: &str = "VINELOOM_STATES";
/// What it is where it is not set.
pub(crate) const DEAR: u64 = 500;

/// From how many milliseconds of running on states are stored, as [`STATES`] says it; nothing where none is to be.
///
/// # Errors
/// It says neither; the sentence has no full stop.
pub fn states_from(setting: Option<&OsStr>) -> Result<Option<u64>, String> {
    let Some(setting) = setting else { return Ok(Some(DEAR)) };
    match setting.to_str() {
        Some("none") => Ok(None),
        text => text.and_then(|text| text.parse().ok()).map(Some).ok_or_else(|| {
            format!("{STATES} is {setting:?}: it is `none`, or a number of milliseconds of running from which on states are stored")
        }),
    }
}
