//! One archive of documents with everything that it takes to weave them elsewhere: the documents and their project file,
//! the files that they and their blocks read, the stored results, and which versions gave these.
//!
//! It is a tar archive in gzip. In it stand `pack.json`, which says what the pack is and holds the hash of each file;
//! `results.tar`, what is stored of the documents; and `project/`, the files.

use crate::assets::{holds_key, is_data};
use crate::manifest::{Manifest, stays_inside};
use crate::moved::plain;
use crate::open::Opened;
use crate::order::{Order, Presence, order_for};
use crate::placing::Destination;
use crate::problem::{Fault, Problem};
use crate::weave::Weave;
use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};
use std::path::{Component, Path, PathBuf};
use std::time::UNIX_EPOCH;
use vineloom_document::Diagnostic;
use vineloom_document::options::Format;
use vineloom_interpreters::{Interrupt, Seen, Surroundings};
use vineloom_store::{Digest, Objects, Secret, Store, write_whole};
use vineloom_weave::{Made, Results};

/// A pack that has been made.
#[derive(Debug)]
pub struct Packed {
    /// What it says of itself.
    pub manifest: Manifest,
    /// How large it is, in bytes.
    pub bytes: usize,
    /// What was read and is not in it: the path, and why.
    pub left_out: Vec<(PathBuf, &'static str)>,
}

/// Packs documents of one project into an archive. Nothing runs: their results are those that are stored.
///
/// # Errors
/// What keeps a document from being woven from stored results; documents of several projects; an archive that can't be
/// written.
pub fn pack(
    documents: &[PathBuf],
    set: &[(String, String)],
    archive: &Path,
    caller: &Surroundings,
    secret: &Secret,
) -> Result<Packed, Box<Problem>> {
    let mut gathered = Gathered::default();
    for file in documents {
        gathered.document(file, set, caller, secret)?;
    }
    let Some((project, store)) = &gathered.project else {
        return Err(Problem::unplaced(Fault::Use, Diagnostic::unplaced("no document is named")));
    };
    let failed = |error: io::Error| {
        let finding = Diagnostic::unplaced(format!("{} can't be written: {error}", archive.display()));
        Problem::unplaced(Fault::Use, finding.help("see that there is room, and that the folder may be written to"))
    };
    let (results, count) = store.export_noted().map_err(failed)?;
    let mut manifest = Manifest {
        form: Manifest::FORM,
        program: env!("CARGO_PKG_VERSION").into(),
        documents: gathered.documents.clone(),
        languages: gathered.languages.clone(),
        files: BTreeMap::new(),
        links: BTreeMap::new(),
        results: count,
    };
    let mut left_out = std::mem::take(&mut gathered.left_out);
    let own_archive = std::path::absolute(archive).unwrap_or_else(|_| archive.into());
    let mut held: Vec<(String, Vec<u8>, std::fs::Metadata)> = Vec::new();
    for path in &gathered.files {
        if *path == own_archive {
            continue;
        }
        let Ok(name) = path.strip_prefix(project) else {
            if std::fs::metadata(path).is_ok_and(|about| about.is_file()) && gathered.named.contains(path) {
                left_out.push((path.clone(), "it lies outside of the project"));
            }
            continue;
        };
        for link in links_on_the_way(project, name) {
            if let Some(to) = leads_inside(project, &link) {
                manifest.links.insert(in_archive(&link), to);
            }
        }
        // A link stands for itself; what it leads to is packed where that lies.
        let real = std::fs::canonicalize(path).ok();
        let Some(name) = real.as_deref().and_then(|real| real.strip_prefix(project).ok()) else {
            if real.is_some() {
                left_out.push((path.clone(), "it leads out of the project"));
            }
            continue;
        };
        let Some(about) = std::fs::metadata(path).ok().filter(std::fs::Metadata::is_file) else { continue };
        if let Some(why) = private(name, &project.join(name)) {
            left_out.push((path.clone(), why));
            continue;
        }
        let bytes = std::fs::read(path).map_err(failed)?;
        if manifest.files.insert(in_archive(name), Digest::of(&bytes).to_string()).is_none() {
            held.push((in_archive(name), bytes, about));
        }
    }
    let bytes = written(&manifest, &results, &held).map_err(failed)?;
    write_whole(archive, &bytes).map_err(failed)?;
    left_out.sort();
    left_out.dedup();
    Ok(Packed { manifest, bytes: bytes.len(), left_out })
}

/// What the documents need.
#[derive(Default)]
struct Gathered {
    /// The folder of the project, and its store, which notes what is of use.
    project: Option<(PathBuf, Store)>,
    documents: Vec<String>,
    languages: BTreeMap<String, String>,
    /// All files, by absolute paths.
    files: BTreeSet<PathBuf>,
    /// Those of them that a document names.
    named: BTreeSet<PathBuf>,
    left_out: Vec<(PathBuf, &'static str)>,
}

impl Gathered {
    fn document(
        &mut self,
        file: &Path,
        set: &[(String, String)],
        caller: &Surroundings,
        secret: &Secret,
    ) -> Result<(), Box<Problem>> {
        let order = Order {
            set,
            destination: Destination::Caller,
            presence: Presence::StoredOnly,
            // Results are the same for all formats; none is exported.
            formats: &[Format::Html],
            ..order_for(file)
        };
        let opened = Opened::for_order(&order, secret)?;
        let mut weave = Weave::of(order, opened, &[], secret)?;
        let project = weave.planned.opened.project_folder().to_path_buf();
        match &self.project {
            Some((known, _)) if *known != project => {
                let message = format!("{} is of another project than the documents before it", file.display());
                let help = "one pack holds documents of one project: those below one vineloom.toml";
                return Err(Problem::unplaced(Fault::Use, Diagnostic::unplaced(message).help(help)));
            }
            Some((_, store)) => weave.planned.store = store.clone(),
            None => {
                weave.planned.store = weave.planned.store.noting();
                self.project = Some((project.clone(), weave.planned.store.clone()));
            }
        }
        let (planned, results, trees) = weave.splice(caller, &Interrupt::default(), &mut |_| {})?;
        self.named.extend(planned.opened.files().iter().map(|path| plain(path)));
        self.files.extend(planned.dependencies(&results, &trees).iter().map(|path| plain(path)));
        self.made_and_listed(planned.opened.folder(), &planned.store, &results, planned.document().live.indices());
        for index in planned.document().live.indices() {
            let facts = results.blocks[index].given.iter().flat_map(|given| &given.facts);
            let version =
                facts.filter(|fact| fact.what == "the interpreter's version").map(|fact| fact.value.to_string());
            let language = &planned.document().live[index].language;
            // A program that can't say its version is known by its hash, which says nothing to people.
            let says = |version: &String| !(version.len() == 64 && version.chars().all(|c| c.is_ascii_hexdigit()));
            for version in version.filter(|_| planned.opened.languages.get(language).is_some_and(|it| !it.built_in)) {
                self.languages.insert(language.clone(), Some(version).filter(says).unwrap_or_default());
            }
        }
        let real = std::fs::canonicalize(file).unwrap_or_else(|_| file.into());
        self.documents.extend(real.strip_prefix(&project).ok().map(in_archive));
        Ok(())
    }

    /// What blocks made is with the results; what stands in a folder that one listed decides what it gives.
    fn made_and_listed(
        &mut self,
        folder: &Path,
        store: &Store,
        results: &Results,
        blocks: impl Iterator<Item = vineloom_document::BlockIndex>,
    ) {
        for files in blocks.filter_map(|index| results.files(index)) {
            for (_, made) in &files.outputs {
                if let Made::File(digest, _) = made {
                    // It is noted as of use by being looked at.
                    let _ = store.get(*digest);
                }
            }
            for (name, _) in files.inputs.iter().filter(|(_, seen)| matches!(seen, Seen::Entries(..))) {
                let entries = std::fs::read_dir(folder.join(name)).into_iter().flatten().flatten();
                let shown = entries.filter(|entry| !entry.file_name().to_string_lossy().starts_with('.'));
                self.files.extend(shown.map(|entry| entry.path()));
            }
        }
    }
}

/// Why a file of the project is left out of a pack: hidden files and keys are nobody else's.
fn private(name: &Path, path: &Path) -> Option<&'static str> {
    let is_hidden = |part: Component| part.as_os_str().to_string_lossy().starts_with('.');
    match () {
        () if name.components().any(is_hidden) => Some("it is hidden"),
        () if !is_data(name) || holds_key(path) => Some("it looks like a key, or comes with an interpreter"),
        () => None,
    }
}

/// The links on the way to a path of the project, by their own paths.
fn links_on_the_way(project: &Path, name: &Path) -> Vec<PathBuf> {
    let parts: Vec<Component> = name.components().collect();
    let path = |length: usize| parts[..length].iter().collect::<PathBuf>();
    let is_link = |path: &PathBuf| std::fs::symlink_metadata(project.join(path)).is_ok_and(|about| about.is_symlink());
    (1..=parts.len()).map(path).filter(is_link).collect()
}

/// What a link of the project says, when it is relative and stays in the project.
fn leads_inside(project: &Path, link: &Path) -> Option<String> {
    let to = std::fs::read_link(project.join(link)).ok()?;
    stays_inside(link, &to).then(|| to.to_string_lossy().into_owned())
}

fn in_archive(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

/// The archive. The same files give the same bytes.
fn written(manifest: &Manifest, results: &[u8], held: &[(String, Vec<u8>, std::fs::Metadata)]) -> io::Result<Vec<u8>> {
    use std::os::unix::fs::PermissionsExt;
    let packer = flate2::GzBuilder::new().write(Vec::new(), flate2::Compression::default());
    let mut archive = tar::Builder::new(packer);
    let mut add = |name: &str, bytes: &[u8], mode: u32, modified: u64| {
        let mut header = tar::Header::new_gnu();
        header.set_size(bytes.len() as u64);
        header.set_mode(mode);
        header.set_mtime(modified);
        archive.append_data(&mut header, name, bytes)
    };
    let mut text = serde_json::to_vec_pretty(manifest)?;
    text.push(b'\n');
    add(Manifest::PLACE, &text, 0o644, 0)?;
    add(Manifest::RESULTS, results, 0o644, 0)?;
    for (name, bytes, about) in held {
        // A document may say when it was changed.
        let modified = about.modified().ok().and_then(|at| at.duration_since(UNIX_EPOCH).ok());
        let mode = if about.permissions().mode() & 0o100 == 0 { 0o644 } else { 0o755 };
        let seconds = modified.map_or(0, |modified| modified.as_secs());
        add(&format!("{}/{name}", Manifest::PROJECT), bytes, mode, seconds)?;
    }
    for (link, to) in &manifest.links {
        let mut header = tar::Header::new_gnu();
        header.set_entry_type(tar::EntryType::Symlink);
        header.set_size(0);
        header.set_mode(0o777);
        archive.append_link(&mut header, format!("{}/{link}", Manifest::PROJECT), to)?;
    }
    let mut packer = archive.into_inner()?;
    packer.flush()?;
    packer.finish()
}
