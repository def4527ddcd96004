//! What a process does with a path, and what was there before.

use crate::reading::read_file;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// What a process is about to do with a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Read its content.
    Read,
    /// Give it a second name, by which its content can be had.
    Share,
    /// Ask what it is: kind, size, mode and times.
    Look,
    /// Ask whether it is there, and what may be done with it.
    Ask,
    /// Ask what the link itself is.
    LookAtLink,
    /// Read a folder's entries.
    List,
    /// Run it.
    Start,
    /// Write into it and keep what is there.
    Modify,
    /// Write it anew, whatever is there.
    Replace,
    /// Change what may be done with it.
    Change,
    /// Set its times.
    Date,
    /// Make it, where nothing must be.
    Make,
    /// Take it away.
    Remove,
}

impl Access {
    /// Whether it fails where the folder of the path is not there.
    pub(crate) fn needs_its_folder(self) -> bool {
        matches!(self, Access::Modify | Access::Replace | Access::Make | Access::Remove)
    }

    /// Whether a link at the end of the path is followed.
    pub(crate) fn follows(self) -> bool {
        !matches!(self, Access::LookAtLink | Access::Make | Access::Remove)
    }
}

/// What was at a path before a block wrote to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Before {
    /// Nothing.
    Nothing,
    /// A folder.
    Folder,
    /// A file: its content and its mode.
    File(Arc<Vec<u8>>, u32),
    /// A link to this path.
    Link(PathBuf),
    /// Something that can't be brought back: a device, a file that is too large.
    Other,
}

/// A number that grows: of two moments in this program the later one has the larger, whatever thread asks.
pub fn moment() -> u64 {
    static NEXT: AtomicU64 = AtomicU64::new(0);
    NEXT.fetch_add(1, Ordering::SeqCst)
}

/// A file that is larger can't be brought back.
const LARGEST: u64 = 64 << 20;

impl Before {
    /// What is at a path now.
    pub fn of(path: &Path) -> Self {
        match fs::symlink_metadata(path) {
            Ok(about) if about.is_symlink() => fs::read_link(path).map_or(Before::Other, Before::Link),
            Ok(about) if about.is_dir() => Before::Folder,
            Ok(about) if about.is_file() && about.len() <= LARGEST => read_file(path)
                .map_or(Before::Other, |bytes| Before::File(Arc::new(bytes), about.permissions().mode() & 0o7777)),
            Ok(_) => Before::Other,
            Err(_) => Before::Nothing,
        }
    }
}
