//! What is known of one path: what a block found there, and what was there before it wrote.

use crate::access::{Access, Before};
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
    listed: Option<Seen>,
    pub link: Option<Seen>,
    /// What was there before it was written to.
    pub before: Option<Before>,
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
    pub fn touched(&mut self, path: &Path, access: Access, products: &Products) {
        match access {
            Access::Look => self.look(path),
            Access::Ask => {
                if !self.written() && self.found.is_none() {
                    self.found = Some(Found::Seen(kind(path)));
                }
            }
            Access::LookAtLink => {
                if !self.written() && self.link.is_none() {
                    match fs::read_link(path) {
                        Ok(target) => self.link = Some(Seen::Link(target)),
                        Err(_) => self.look(path),
                    }
                }
            }
            Access::List => {
                if self.listed.is_none() {
                    self.listed = Some(entries(path, products, false));
                }
            }
            Access::Read | Access::Start => self.read(path),
            Access::Share => {
                self.read(path);
                // Its times change with the number of its names.
                self.settle(path);
            }
            Access::Date => self.settle(path),
            Access::Modify => {
                self.read(path);
                self.write(path);
            }
            Access::Replace => {
                // Its content counts only where it has been read before.
                self.write(path);
            }
            Access::Change | Access::Make | Access::Remove => {
                if !self.written() && self.found.is_none() {
                    self.found = Some(Found::Seen(kind(path)));
                }
                self.write(path);
            }
        }
    }

    pub fn written(&self) -> bool {
        self.before.is_some()
    }

    fn write(&mut self, path: &Path) {
        self.settle(path);
        self.before.get_or_insert_with(|| Before::of(path));
    }

    pub fn look(&mut self, path: &Path) {
        if self.written() || self.asked.is_some() {
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
        if self.written() {
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
                Some(Seen::Entries(hash, _)) => Some(Seen::Entries(hash, Some(mode))),
                other => other,
            },
            (Some(Seen::Folder(_)) | None, _) if self.listed.is_some() || self.link.is_some() => {
                self.listed.or(self.link)
            }
            (found, _) => found,
        }
    }
}
