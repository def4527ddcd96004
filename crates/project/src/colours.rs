//! The colours of a document's code: made once for all its exports, kept from weave to weave, and begun beside the
//! blocks that run.

use crate::formats::exporter;
use crate::memory::program;
use crate::planned::Planned;
use crate::trees::Trees;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::thread::JoinHandle;
use vineloom_document::Part;
use vineloom_document::options::Format;
use vineloom_export::Want;
use vineloom_export::highlighted::Highlighted;
use vineloom_store::{Digest, Objects, Store};
use vineloom_woven::Woven;

/// The colours of the code of one document.
#[derive(Debug)]
pub(crate) struct Colours {
    store: Store,
    key: Option<Digest>,
    begun: Mutex<Option<JoinHandle<Begun>>>,
    whole: OnceLock<Arc<Highlighted>>,
}

/// Rules of languages call each other; the memory is only touched when it is needed.
const STACK: usize = 1 << 28;

/// What is known before the document is woven, and whether that is more than was kept.
#[derive(Debug, Default)]
struct Begun {
    colours: Highlighted,
    is_more: bool,
}

impl Colours {
    /// Those of a document, of which nothing is done yet.
    pub fn of(planned: &Planned) -> Self {
        let file = &planned.opened.file;
        let whole = std::path::absolute(file).unwrap_or_else(|_| file.clone());
        let key = program().map(|it| Digest::of(format!("highlighted {it} {}", whole.display()).as_bytes()));
        Colours { store: planned.store.clone(), key, begun: Mutex::default(), whole: OnceLock::new() }
    }

    /// Begins in a thread of its own, where one of the formats shows colours: the code of the blocks is known before they
    /// run, and the rules of a language take longer to be read than many a block to run.
    #[must_use]
    pub fn begun(self, planned: &Planned, formats: impl IntoIterator<Item = Format>) -> Self {
        let document = planned.document();
        let shows_colours = |format: Format| {
            let wants = exporter(format).wants(&Woven::default(), &document.export_settings(format));
            wants.iter().any(|want| matches!(want, Want::HighlightedCode))
        };
        if !formats.into_iter().any(shows_colours) {
            return self;
        }
        let text = |part: &Part| if let Part::Text(text) = part { Some(text.to_string()) } else { None };
        // What has values put in is known only when they are.
        let code = document.live.iter().filter_map(|block| {
            let code = block.code.iter().map(text).collect::<Option<String>>()?;
            Some((block.language.clone(), code.trim_end_matches('\n').to_string()))
        });
        let code: Vec<(String, String)> = code.collect();
        let (store, key) = (self.store.clone(), self.key);
        let work = move || {
            let mut begun = Begun { colours: kept(&store, key), is_more: false };
            for (language, text) in code {
                begun.is_more |= begun.colours.add(&language, &text);
            }
            begun
        };
        // A thread that can't be had is done without.
        let thread = std::thread::Builder::new().name("colours".into()).stack_size(STACK).spawn(work).ok();
        Colours { begun: Mutex::new(thread), ..self }
    }

    /// The colours of all code of the woven document.
    pub fn of_woven(&self, trees: &Trees) -> Arc<Highlighted> {
        let make = || {
            let begun = self.begun.lock().unwrap_or_else(PoisonError::into_inner).take();
            let nothing = || Begun { colours: kept(&self.store, self.key), is_more: false };
            let Begun { mut colours, is_more } = begun.and_then(|thread| thread.join().ok()).unwrap_or_else(nothing);
            let is_more = trees.iter().fold(is_more, |is_more, tree| colours.complete(tree) || is_more);
            if is_more && let Some(key) = self.key {
                // Only a shortcut for the next weave.
                let _ = self.store.write_record(key, &colours.to_bytes());
            }
            Arc::new(colours)
        };
        self.whole.get_or_init(make).clone()
    }
}

fn kept(store: &Store, key: Option<Digest>) -> Highlighted {
    let kept = key.and_then(|key| store.own_record(key));
    kept.map(|bytes| Highlighted::from_bytes(&bytes)).unwrap_or_default()
}
