//! Making exports: woven trees, every format, from the store when the same one was made before.

use crate::assets::{Gathered, Gathering};
use crate::colours::Colours;
use crate::formats::{exporter, rank};
use crate::memory::{InStore, program};
use crate::moved::Moved;
use crate::placing::Place;
use crate::planned::Planned;
use crate::trees::Trees;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Sources, Span};
use vineloom_export::{Export, Job, Pages, Program, Proof};
use vineloom_store::{Digest, Objects, Store, from_record, to_record};
use vineloom_weave::{Results, program as program_of, splice_pieces, splice_text};
use vineloom_woven::TextPiece;

/// An export that has been made, and where it goes.
#[derive(Debug, Clone)]
pub struct Made {
    /// Its format.
    pub format: Format,
    /// Its place.
    pub place: Place,
    /// The export; what it does not show as it was meant is among its findings.
    pub export: Export,
}

/// Who looks at exports while they are made.
#[derive(Clone, Copy)]
pub struct Onlooker<'a> {
    /// Is told of each export as soon as it is made, before it takes its place.
    pub made: &'a (dyn Fn(&Made) + Sync),
    /// Sees the pages of those that have pages, before their files are made.
    pub pages: &'a SeePages<'a>,
}

/// Sees the pages of an export: its place, the pages, and the texts that they were made from.
pub type SeePages<'a> = dyn Fn(&Place, Arc<dyn Pages>, &Sources) + Sync + 'a;

/// Deeply nested documents are walked by recursion; the memory is only touched when it is needed.
const STACK: usize = 1 << 30;

/// A woven document on its way to its exports.
pub(crate) struct Making<'a> {
    planned: &'a Planned,
    results: &'a Results,
    trees: &'a Trees,
    moved: Option<&'a Moved>,
    colours: &'a Colours,
}

impl<'a> Making<'a> {
    pub fn new(
        planned: &'a Planned,
        results: &'a Results,
        trees: &'a Trees,
        moved: Option<&'a Moved>,
        colours: &'a Colours,
    ) -> Self {
        Making { planned, results, trees, moved, colours }
    }

    /// Exports the document to several formats, side by side as far as there are cores. What became of each comes in
    /// their order; an onlooker is told of each that could be made as soon as it is. Once the exports are outdated, one that
    /// takes long may be given up: an error without a finding.
    pub fn all(
        &self,
        wanted: &[(Format, Place)],
        onlooker: Option<Onlooker>,
        is_outdated: &(dyn Fn() -> bool + Sync),
    ) -> Vec<Result<Made, Vec<Diagnostic>>> {
        let cores = std::thread::available_parallelism().map_or(1, usize::from).min(wanted.len());
        let one = |at: usize| {
            let (format, place) = wanted.get(at)?;
            let pages = |pages| {
                if let Some(onlooker) = onlooker {
                    (onlooker.pages)(place, pages, &self.planned.document().sources);
                }
            };
            let proof = onlooker.map(|_| Proof { export: &place.path, pages: &pages, is_outdated });
            let export = self.export(*format, place, proof);
            if let (Some(onlooker), Ok(export)) = (onlooker, &export) {
                (onlooker.made)(export);
            }
            Some(export)
        };
        if cores < 2 {
            return (0..wanted.len()).filter_map(one).collect();
        }
        // What takes longest begins first, so that no core waits for it at the end.
        let mut order: Vec<usize> = (0..wanted.len()).collect();
        order.sort_by_key(|at| rank(wanted[*at].0));
        let next = AtomicUsize::new(0);
        let done: Mutex<BTreeMap<usize, Result<Made, Vec<Diagnostic>>>> = Mutex::default();
        let work = || {
            loop {
                let Some(&at) = order.get(next.fetch_add(1, Ordering::Relaxed)) else { return };
                let Some(made) = one(at) else { return };
                done.lock().unwrap_or_else(PoisonError::into_inner).insert(at, made);
            }
        };
        std::thread::scope(|scope| {
            for number in 1..cores {
                let thread = std::thread::Builder::new().name(format!("export {number}")).stack_size(STACK);
                // A thread that can't be had is done without: this one does what is left.
                let _ = thread.spawn_scoped(scope, work);
            }
            work();
        });
        done.into_inner().unwrap_or_else(PoisonError::into_inner).into_values().collect()
    }

    /// Exports the document, or takes the export from the store when this program has made the same before.
    ///
    /// # Errors
    /// What keeps it from being exported.
    fn export(&self, format: Format, place: &Place, proof: Option<Proof>) -> Result<Made, Vec<Diagnostic>> {
        let exporter = exporter(format);
        let settings = self.planned.document().export_settings(format);
        let woven = self.trees.of(format);
        let name = place.stem();
        let gathering = Gathering {
            document: self.planned.document(),
            results: self.results,
            file: &self.planned.opened.file,
            at: &self.planned.opened.at,
            held: self.planned.opened.held.as_deref(),
            text: &|| {
                let (document, plan) = (self.planned.document(), &self.planned.plan);
                // Whatever is wrong has been found with the tree.
                let parts = format!("{name}-parts");
                let mut text =
                    self.planned.aided(|aids| splice_text(document, plan, self.results, &parts, aids, &mut Vec::new()));
                if let Some(moved) = self.moved {
                    text.text = moved.markdown(&text.text, text.front);
                }
                text
            },
            program: &|| {
                let (document, plan, results) = (self.planned.document(), &self.planned.plan, self.results);
                let parts = format!("{name}-parts");
                let (mut pieces, pictures) =
                    self.planned.aided(|aids| splice_pieces(document, plan, results, &parts, aids));
                for piece in pieces.iter_mut().filter(|_| self.moved.is_some()) {
                    let (TextPiece::Prose { text, .. } | TextPiece::Live { text, .. }) = piece;
                    *text = self.moved.map_or_else(String::new, |moved| moved.markdown(text, 0));
                }
                Program { blocks: program_of(document, plan, results), pieces, pictures }
            },
            highlighted: &|| self.colours.of_woven(self.trees),
        };
        let gathered = gathering.gather(exporter.wants(woven, &settings)).map_err(|finding| vec![*finding])?;
        let Gathered { assets, given_away } = gathered;
        let store = &self.planned.store;
        let memory = &InStore(Some(store));
        let job = Job { woven, options: &settings, assets: &assets, memory, name: &name, proof };
        let key = program().filter(|_| !exporter.is_quick()).map(|program| Digest::from(exporter.key(&job, program)));
        // Pages that somebody looks at are set, whether their file is known or not.
        let is_looked_at = proof.is_some() && exporter.has_pages();
        let mut export = match key.filter(|_| !is_looked_at).and_then(|key| stored(store, key)) {
            Some(export) => export,
            None => {
                let export = exporter.export(&job)?;
                if let Some(key) = key.filter(|_| !export.of_this_machine) {
                    keep(&export, store, key);
                }
                export
            }
        };
        let sources = &self.planned.document().sources;
        export.findings = export.findings.into_iter().map(|finding| finding.narrowed(sources)).collect();
        export.findings.extend(self.newly_given_away(&given_away, &place.path));
        Ok(Made { format, place: place.clone(), export })
    }

    /// Tells which data files an export offers for download, when that is not what it offered last.
    fn newly_given_away(&self, files: &[String], export: &Path) -> Option<Diagnostic> {
        let (file, store) = (&self.planned.opened.file, &self.planned.store);
        let whole = std::fs::canonicalize(file).unwrap_or_else(|_| file.clone());
        let place = Digest::of(format!("given away with {}", whole.display()).as_bytes());
        let list = serde_json::to_vec(files).unwrap_or_default();
        if files.is_empty() || store.own_record(place).is_some_and(|known| known == list) {
            return None;
        }
        // Without it the list is told again.
        let _ = store.write_record(place, &list);
        let message =
            format!("{} now offers these files to everybody who gets it: {}", export.display(), files.join(", "));
        let help = "`attach = [\"source\"]` gives away the document alone";
        Some(Diagnostic::warning(Span::NOWHERE, message).help(help))
    }
}

/// What is stored of an export beside its bytes.
#[derive(serde::Serialize, serde::Deserialize)]
struct Record {
    bytes: Digest,
    parts: Vec<(String, Digest)>,
    pages: Option<usize>,
    findings: Vec<Diagnostic>,
}

/// Only a shortcut for the next weave: a store that can't be written is told of elsewhere.
fn keep(export: &Export, store: &Store, key: Digest) {
    let part = |(name, bytes): &(String, Vec<u8>)| Some((name.clone(), store.put(bytes).ok()?));
    let Some(parts) = export.parts.iter().map(part).collect() else { return };
    let Ok(bytes) = store.put(&export.bytes) else { return };
    let record = Record { bytes, parts, pages: export.pages, findings: export.findings.clone() };
    let _ = store.write_record(key, &to_record(&record));
}

fn stored(store: &Store, key: Digest) -> Option<Export> {
    let Record { bytes, parts, pages, findings } = from_record(&store.own_record(key)?)?;
    let parts = parts.into_iter().map(|(name, digest)| Some((name, store.get(digest)?))).collect::<Option<_>>()?;
    Some(Export { bytes: store.get(bytes)?, parts, pages, findings, of_this_machine: false })
}
