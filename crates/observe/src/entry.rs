//! What is known of one path: what a block found there, and what was there before it wrote.

use crate::access::{Access, Before, moment};
use crate::seen::{Identity, Products, Seen, Stamp, entries, kind, steady_content};
use std::fs;
use std::path::Path;

/// One path.
#[derive(Debug, Default)]
pub(crate) struct Entry {
    pub found: Option<Found>,
    /// What it was when it was asked what it is.
    asked: Option<Stamp>,
    /// Whether it was more than asked for: read, or run.
    read: bool,
    /// The folder's entries, when they were read.
    pub listed: Option<Seen>,
    pub link: Option<Seen>,
    /// What was there before somebody was going to write to it.
    pub before: Option<Before>,
    /// When that was looked at.
    pub moment: u64,
    /// By what it can be told whether that came to pass; nothing where nothing was there.
    was: Option<Identity>,
    /// Whether it had been at rest by then, so that a write would have given it another time.
    was_at_rest: bool,
}

/// How a path was found.
#[derive(Debug)]
pub(crate) enum Found {
    Seen(Seen),
    /// A file that is read; its content is taken at the block's end, if it is then still the same file.
    Reading(Identity),
}

/// A file that was only asked for is hashed up to this size, and so many bytes of all of them.
const LARGEST_ASKED: u64 = 16 << 20;
pub(crate) const MOST_ASKED: u64 = 256 << 20;

impl Entry {
    pub fn touched(&mut self, path: &Path, access: Access) {
        match access {
            Access::Look => self.look(path),
            Access::Ask => {
                if !self.written(path) && self.found.is_none() {
                    self.found = Some(Found::Seen(kind(path)));
                }
            }
            Access::LookAtLink => {
                if !self.written(path) && self.link.is_none() {
                    match fs::read_link(path) {
                        Ok(target) => self.link = Some(Seen::Link(target)),
                        Err(_) => self.look(path),
                    }
                }
            }
            // What is in a folder is known by who knows of all paths.
            Access::List => {}
            Access::Read | Access::Start => self.read(path),
            Access::Share => {
                self.read(path);
                // Its times change with the number of its names.
                self.settle(path);
            }
            Access::Date => {
                self.settle(path);
                // Its times count for nothing; that it is there does.
                if !self.written(path) {
                    self.stands_there(path);
                }
            }
            Access::Modify => {
                self.read(path);
                self.write(path);
            }
            Access::Replace => {
                // Its content counts only where it has been read before.
                self.write(path);
            }
            Access::Change | Access::Make | Access::Remove => {
                if !self.written(path) {
                    self.stands_there(path);
                }
                self.write(path);
            }
        }
    }

    /// Takes note of what is in a folder, but for the names that the block itself has made or taken away.
    pub fn list(&mut self, path: &Path, products: &Products, own: &[String]) {
        self.listed = Some(entries(path, products, false, own));
    }

    /// Takes note of what is in a place, where that decides whether something can be made or removed there. A link counts
    /// itself, wherever it leads.
    fn stands_there(&mut self, path: &Path) {
        if self.found.is_none() && self.link.is_none() {
            match fs::read_link(path) {
                Ok(target) => self.link = Some(Seen::Link(target)),
                Err(_) => self.found = Some(Found::Seen(kind(path))),
            }
        }
    }

    /// Whether it was written to. A call is noted before it is done, and may fail (a link where a file stands, another name
    /// for what is not there): what is then still the same, in the same place, is as it was found.
    pub fn written(&self, path: &Path) -> bool {
        /// A larger file is known by its times alone.
        const SMALL: usize = 1 << 20;
        let is_large = matches!(&self.before, Some(Before::File(bytes, _)) if bytes.len() > SMALL);
        self.before.is_some() && !(self.is_in_place(path) && (is_large || self.holds_the_same(path)))
    }

    /// The same, when all is done: whether there is another thing at the path, or it holds something else.
    fn is_changed(&self, path: &Path) -> bool {
        self.before.is_some() && !(self.is_in_place(path) && self.holds_the_same(path))
    }

    fn is_in_place(&self, path: &Path) -> bool {
        self.was.is_some() && identity(path) == self.was
    }

    fn holds_the_same(&self, path: &Path) -> bool {
        self.before.as_ref().is_some_and(|before| Before::of(path) == *before)
    }

    fn write(&mut self, path: &Path) {
        self.settle(path);
        if self.before.is_none() {
            self.before = Some(Before::of(path));
            self.moment = moment();
            self.was = identity(path);
            self.was_at_rest = self.was.as_ref().is_some_and(Identity::is_at_rest);
        }
    }

    /// Whether it is left out of what was made: whoever was going to write to it did not. Where that can't be told, for it
    /// had been written a moment before, what it holds is an input beside.
    pub fn is_left_alone(&mut self, path: &Path) -> bool {
        if self.before.is_none() || self.is_changed(path) {
            return false;
        }
        // That it could not be written is due to what it is.
        self.stands_there(path);
        if !self.was_at_rest {
            match fs::symlink_metadata(path) {
                Ok(about) if about.is_symlink() => {
                    self.link = self.link.take().or_else(|| fs::read_link(path).ok().map(Seen::Link));
                }
                Ok(about)
                    if about.is_file()
                        && !matches!(self.found, Some(Found::Reading(_) | Found::Seen(Seen::Content(_)))) =>
                {
                    self.read = true;
                    self.found = Some(Found::Reading(Identity::of(&about)));
                }
                _ => {}
            }
        }
        self.was_at_rest
    }

    pub fn look(&mut self, path: &Path) {
        if self.written(path) || self.asked.is_some() {
            return;
        }
        match fs::metadata(path) {
            Ok(about) if about.is_file() => {
                self.asked = Some(Stamp::of(&about));
                if !matches!(self.found, Some(Found::Reading(_) | Found::Seen(Seen::Content(_) | Seen::Unsteady))) {
                    self.found = Some(Found::Reading(Identity::of(&about)));
                }
            }
            _ => {
                if self.found.is_none() {
                    self.found = Some(Found::Seen(kind(path)));
                }
            }
        }
    }

    pub fn read(&mut self, path: &Path) {
        if self.written(path) {
            return;
        }
        self.read = true;
        let known = matches!(
            self.found,
            Some(Found::Reading(_) | Found::Seen(Seen::Content(_) | Seen::Absent | Seen::Unsteady))
        );
        if known {
            return;
        }
        self.found = Some(match fs::metadata(path) {
            Ok(about) if about.is_file() => Found::Reading(Identity::of(&about)),
            _ => Found::Seen(kind(path)),
        });
    }

    /// Takes the content of a file that is being read, before it changes.
    fn settle(&mut self, path: &Path) {
        if let Some(Found::Reading(identity)) = self.found {
            self.found = Some(Found::Seen(steady_content(path, identity)));
        }
    }

    pub fn seen(self, path: &Path, room: &mut u64) -> Option<Seen> {
        let found = match self.found {
            // One that is large and was only asked for is known by its stamp.
            Some(Found::Reading(identity)) if !self.read => match self.asked {
                Some(stamp) if identity.size > LARGEST_ASKED.min(*room) => return Some(Seen::Asked(stamp)),
                Some(stamp) => {
                    *room -= identity.size;
                    let content = match steady_content(path, identity) {
                        Seen::Content(hash) => Some(hash),
                        _ => None,
                    };
                    return Some(Seen::Asked(stamp.with_content(content)));
                }
                None => Some(steady_content(path, identity)),
            },
            Some(Found::Reading(identity)) => Some(steady_content(path, identity)),
            Some(Found::Seen(seen)) => Some(seen),
            None => None,
        };
        match (found, self.asked) {
            (Some(Seen::Content(hash)), Some(stamp)) => Some(Seen::Asked(stamp.with_content(Some(hash)))),
            (Some(Seen::Folder(mode)), _) if self.listed.is_some() => match self.listed {
                Some(Seen::Entries(hash, _, own)) => Some(Seen::Entries(hash, Some(mode), own)),
                other => other,
            },
            (Some(Seen::Folder(_) | Seen::There(_)) | None, _) if self.listed.is_some() || self.link.is_some() => {
                self.listed.or(self.link)
            }
            (found, _) => found,
        }
    }
}

/// By what a path is told from what it was, without following a link at its end.
fn identity(path: &Path) -> Option<Identity> {
    fs::symlink_metadata(path).ok().map(|about| Identity::of(&about))
}
