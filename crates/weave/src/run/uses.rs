//! Files as the blocks of several strands use them: whether one of them can see what another does.

use crate::file_name::as_path;
use crate::observations::Observations;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use vineloom_interpreters::Seen;

/// The files that blocks of several strands found and made. Strands are numbered.
#[derive(Debug)]
pub(super) struct Uses {
    folder: PathBuf,
    found: BTreeMap<PathBuf, Finders>,
    made: BTreeMap<PathBuf, Strands>,
}

/// One strand, or several.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Strands {
    One(usize),
    Several,
}

/// Who found something at a path.
#[derive(Debug)]
struct Finders {
    strands: Strands,
    /// Those of them who would see it if anything came to lie below it.
    below: Option<Strands>,
}

impl Strands {
    fn with(self, strand: usize) -> Strands {
        if self == Strands::One(strand) { self } else { Strands::Several }
    }

    fn are_others_than(self, strand: usize) -> bool {
        self != Strands::One(strand)
    }
}

impl Uses {
    /// Nothing yet. What has no absolute path lies in `folder`.
    pub(super) fn new(folder: PathBuf) -> Self {
        Uses { folder, found: BTreeMap::new(), made: BTreeMap::new() }
    }

    /// Takes note of what a block of a strand did with files. False where a block of another strand made what it found,
    /// found what it made, or made the same.
    pub(super) fn add(&mut self, strand: usize, files: &Observations) -> bool {
        let mut apart = true;
        for (name, seen) in &files.inputs {
            let path = self.folder.join(as_path(name));
            let sees_below = matches!(seen, Seen::Entries(..) | Seen::Absent | Seen::Unsteady);
            let made_by_others = |path: &Path| self.made.get(path).is_some_and(|who| who.are_others_than(strand));
            apart &= !path.ancestors().any(made_by_others);
            apart &= !(sees_below && below(&self.made, &path).any(|(_, who)| who.are_others_than(strand)));
            let finders = self.found.entry(path).or_insert(Finders { strands: Strands::One(strand), below: None });
            finders.strands = finders.strands.with(strand);
            if sees_below {
                finders.below = Some(finders.below.map_or(Strands::One(strand), |who| who.with(strand)));
            }
        }
        for (name, _) in &files.outputs {
            let path = self.folder.join(as_path(name));
            let made_by_others = |path: &Path| self.made.get(path).is_some_and(|who| who.are_others_than(strand));
            let seen_by_others = |path: &Path| {
                self.found.get(path).and_then(|it| it.below).is_some_and(|who| who.are_others_than(strand))
            };
            apart &= !path.ancestors().any(|path| made_by_others(path) || seen_by_others(path));
            apart &= !below(&self.made, &path).any(|(_, who)| who.are_others_than(strand));
            apart &= !below(&self.found, &path).any(|(_, finders)| finders.strands.are_others_than(strand));
            let who = self.made.get(&path).map_or(Strands::One(strand), |who| who.with(strand));
            self.made.insert(path, who);
        }
        apart
    }
}

/// What lies at a path and below it.
fn below<'m, T>(map: &'m BTreeMap<PathBuf, T>, path: &'m Path) -> impl Iterator<Item = (&'m PathBuf, &'m T)> {
    map.range(path.to_path_buf()..).take_while(move |(at, _)| at.starts_with(path))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::observations::Made;
    use vineloom_store::Digest;

    /// A block that finds and makes things: `r PATH` is read, `l PATH` is listed, `n PATH` is not there, `t PATH` is there,
    /// `w PATH` is written, `d PATH` is made a folder, `x PATH` is removed.
    fn files(uses: &str) -> Observations {
        let mut files = Observations::default();
        let words: Vec<&str> = uses.split_whitespace().collect();
        for pair in words.chunks(2) {
            let name = pair[1].to_string();
            match pair[0] {
                "r" => files.inputs.push((name, Seen::Content("1".into()))),
                "l" => files.inputs.push((name, Seen::Entries("1".into(), None, Vec::new()))),
                "n" => files.inputs.push((name, Seen::Absent)),
                "t" => files.inputs.push((name, Seen::There(0o755))),
                "w" => files.outputs.push((name, Made::File(Digest::of(b"1"), 0o644))),
                "d" => files.outputs.push((name, Made::Folder(0o755))),
                "x" => files.outputs.push((name, Made::Nothing)),
                other => panic!("{other}"),
            }
        }
        files
    }

    #[test]
    fn whoever_can_see_what_another_does_is_not_apart() {
        let cases = [
            ("r a", "r a", true),
            ("r a", "w a", false),
            ("w a", "w a", false),
            ("r a", "w b", true),
            ("r a", "x a", false),
            ("n a", "w a", false),
            ("n d", "w d/a", false),
            ("l d", "w d/a", false),
            ("l d", "w e/a", true),
            ("t d", "w d/a", true),
            ("l d", "r d/a", true),
            ("r d/a", "d d", false),
            ("r d/a", "x d", false),
            ("w d/a", "w d/b", true),
            ("d d", "w d/b", false),
            ("l d", "w d-and-more", true),
            ("w d", "r d-and-more", true),
            // The folder itself, those above it, and paths that are written otherwise.
            ("l /home/grower", "w a", false),
            ("l /home/grower/guide", "w a", false),
            ("r /home/grower/guide/a", "w a", false),
            ("r a/b", "w /home/grower/guide/a/b", false),
            ("r /etc/hosts", "w a", true),
        ];
        for (one, other, apart) in cases {
            for (first, second) in [(one, other), (other, one)] {
                let mut uses = Uses::new("/home/grower/guide".into());
                assert!(uses.add(1, &files(first)));
                assert_eq!(uses.add(2, &files(second)), apart, "{first} | {second}");
                let mut alone = Uses::new("/home/grower/guide".into());
                assert!(
                    alone.add(1, &files(first)) && alone.add(1, &files(second)),
                    "one strand sees itself: {first} | {second}"
                );
            }
        }
    }

    #[test]
    fn of_three_strands_each_is_asked_about_both_others() {
        let mut uses = Uses::new("/home".into());
        assert!(uses.add(1, &files("r a w b")) && uses.add(2, &files("r a w c")) && uses.add(3, &files("r a w d")));
        assert!(!uses.add(1, &files("w a")), "two others read it");
        let mut uses = Uses::new("/home".into());
        assert!(uses.add(1, &files("r a")) && uses.add(2, &files("r a")));
        assert!(!uses.add(2, &files("w a")), "its own reading hides not that of another");
    }
}
