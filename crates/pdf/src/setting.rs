//! Setting a document until it comes to rest.
//!
//! The typesetter sets a document several times, since its contents and the numbers of its pages follow from where all
//! else came to stand; it begins with nothing known of that, and ends when everything stands where it was taken to stand.
//! After a changed word most of a document stands where it stood before: set once from there, and found to be what it was
//! set from, the pages are the same as they will be. Who looks at a proof sees these ahead of the whole setting.

use crate::press::BeingSet;
use crate::world::Sheet;
use typst::World;
use typst::comemo::{Constraint, Track};
use typst::diag::SourceDiagnostic;
use typst::ecow::EcoVec;
use typst::engine::{Engine, Route, Sink, Traced};
use typst::foundations::{Output, StyleChain, Target, TargetElem};
use typst::introspection::{EmptyIntrospector, Introspector};
use typst::utils::Protected;
use typst_layout::{PagedDocument, layout_document};

/// How often a document is set ahead before it is left to the whole setting.
const MOST_TIMES_AHEAD: usize = 2;
/// How often a document is set at all; one that has not come to rest by then is told of.
const MOST_TIMES: usize = 5;

/// A document that has been set, with what the typesetter warns of.
pub(crate) struct Set {
    pub document: PagedDocument,
    pub warnings: EcoVec<SourceDiagnostic>,
}

/// The document of a sheet, set from nothing.
///
/// # Errors
/// What keeps it from being set.
pub(crate) fn from_nothing(sheet: &Sheet) -> Result<Set, EcoVec<SourceDiagnostic>> {
    if let Some(set) = until_at_rest(sheet, None, MOST_TIMES)? {
        return Ok(set);
    }
    // It does not come to rest. The typesetter finds out why, for which it keeps each setting.
    let compiled = typst::compile::<PagedDocument>(sheet);
    Ok(Set { document: compiled.output?, warnings: compiled.warnings })
}

/// The document of a sheet, set from where all of it stood before; nothing when it does not come to rest soon.
pub(crate) fn pages_ahead(sheet: &Sheet, before: &PagedDocument) -> Option<PagedDocument> {
    until_at_rest(sheet, Some(before), MOST_TIMES_AHEAD).ok()?.map(|set| set.document)
}

/// Sets a document from where it stood in `before`; nothing when it has not come to rest after so many times. No more than
/// one setting before the last is kept: each takes as much memory as all pages.
fn until_at_rest(
    sheet: &Sheet,
    before: Option<&PagedDocument>,
    most: usize,
) -> Result<Option<Set>, EcoVec<SourceDiagnostic>> {
    let world: &dyn World = sheet;
    let (world, library, traced) = (world.track(), sheet.library(), Traced::default());
    let mut sink = Sink::new();
    let main = sheet.main_source();
    let route = Route::default();
    let module = typst_eval::eval(world, library, traced.track(), sink.track_mut(), route.track(), &main)?;
    drop(main);
    sheet.give_up_read();
    let content = module.content();
    let target = TargetElem::target.set(Target::Paged).wrap();
    let base = StyleChain::new(&library.styles);
    let styles = base.chain(&target);
    let being_set = BeingSet::begun();
    let mut known = before.cloned();
    for _ in 0..most {
        let constraint = Constraint::new();
        let introspector: &dyn Introspector = known.as_ref().map_or(&EmptyIntrospector, Output::introspector);
        let mut told = Sink::new();
        let mut engine = Engine {
            library,
            world,
            introspector: Protected::new(introspector.track_with(&constraint)),
            traced: traced.track(),
            sink: told.track_mut(),
            route: Route::default(),
        };
        let document = layout_document(&mut engine, &content, styles)?;
        if constraint.validate(Output::introspector(&document)) {
            sink.extend_from_sink(told);
            let errors = sink.delayed();
            return if errors.is_empty() { Ok(Some(Set { document, warnings: sink.warnings() })) } else { Err(errors) };
        }
        known = Some(document);
        being_set.forget_before_last();
    }
    Ok(None)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    /// A document as the typesetter sets it by itself, and what it tells.
    fn told(
        set: Result<(PagedDocument, EcoVec<SourceDiagnostic>), EcoVec<SourceDiagnostic>>,
    ) -> (Vec<String>, Vec<String>) {
        let said = |told: EcoVec<SourceDiagnostic>| told.iter().map(|one| one.message.to_string()).collect();
        match set {
            Ok((document, warnings)) => {
                let options = typst_svg::SvgOptions { render_bleed: false, pretty: false };
                (document.pages().iter().map(|page| typst_svg::svg(page, &options)).collect(), said(warnings))
            }
            Err(errors) => (Vec::new(), said(errors)),
        }
    }

    #[test]
    fn a_document_is_set_and_told_of_as_the_typesetter_does_by_itself() {
        for (text, pages, message) in [
            ("#outline()\n#set page(height: 4cm)\n= One\n#lorem(90)\n= Two\n@one <one>\n", 0, "cannot reference"),
            ("#outline()\n#set page(height: 4cm)\n= One\n#lorem(90)\n= Two", 3, ""),
            ("#nothing", 0, "unknown variable"),
            ("#set text(font: \"No Such Font\")\nWords", 1, "unknown font family"),
            // Set as often as one likes, it says another number.
            ("#let n = state(\"n\", 0)\n#context n.update(n.final() + 1)\n#context n.final()", 1, "did not converge"),
            ("@nowhere", 0, "does not exist"),
        ] {
            let sheet = || {
                let options = crate::PdfOptions::of(&vineloom_document::options::Settings::of_format(
                    vineloom_document::options::Format::Pdf,
                ));
                let fonts = crate::fonts::Chosen::of(&options, &BTreeMap::new()).unwrap();
                Sheet::new(crate::sources::Sources::one("", text.into()), BTreeMap::new(), fonts.into_store())
            };
            let ours = told(from_nothing(&sheet()).map(|set| (set.document, set.warnings)));
            let whole = typst::compile::<PagedDocument>(&sheet());
            let own = told(whole.output.map(|document| (document, whole.warnings)));
            assert!(ours == own, "{text}:\n{:?}\n{:?}", ours.1, own.1);
            assert!(
                ours.0.len() >= pages && ours.1.concat().contains(message),
                "{text}: {} {:?}",
                ours.0.len(),
                ours.1
            );
        }
    }
}
