//! A picture as the typesetter takes it.

use std::sync::Arc;

/// A picture that the source names.
#[derive(Debug, Clone)]
pub(crate) struct PictureFile(pub Arc<Vec<u8>>);

impl AsRef<[u8]> for PictureFile {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}
