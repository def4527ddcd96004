//! Pages ahead of the whole setting, for who looks at a proof.
//!
//! The typesetter sets a document several times, since its contents and the numbers of its pages follow from where all
//! else came to stand; it begins with nothing known of that. After a changed word most of it stands where it stood before:
//! set once from there, and found to be what it was set from, the pages are the same as they will be.

use crate::world::Sheet;
use typst::World;
use typst::comemo::{Constraint, Track};
use typst::engine::{Engine, Route, Sink, Traced};
use typst::foundations::{Output, StyleChain, Target, TargetElem};
use typst::utils::Protected;
use typst_layout::{PagedDocument, layout_document};

/// How often a document is set before it is left to the whole setting.
const MOST_TIMES: usize = 2;

/// The document of a sheet, set from where all of it stood before; nothing when it does not come to rest soon.
pub(crate) fn pages_ahead(sheet: &Sheet, before: &PagedDocument) -> Option<PagedDocument> {
    let world: &dyn World = sheet;
    let (world, library, traced) = (world.track(), sheet.library(), Traced::default());
    let mut sink = Sink::new();
    let main = sheet.source(sheet.main()).ok()?;
    let route = Route::default();
    let module = typst_eval::eval(world, library, traced.track(), sink.track_mut(), route.track(), &main).ok()?;
    let content = module.content();
    let target = TargetElem::target.set(Target::Paged).wrap();
    let base = StyleChain::new(&library.styles);
    let styles = base.chain(&target);
    let mut known = before.clone();
    for _ in 0..MOST_TIMES {
        let constraint = Constraint::new();
        let introspector = Output::introspector(&known);
        let mut sink = Sink::new();
        let mut engine = Engine {
            library,
            world,
            introspector: Protected::new(introspector.track_with(&constraint)),
            traced: traced.track(),
            sink: sink.track_mut(),
            route: Route::default(),
        };
        let document = layout_document(&mut engine, &content, styles).ok()?;
        if constraint.validate(Output::introspector(&document)) {
            return Some(document);
        }
        known = document;
    }
    None
}
