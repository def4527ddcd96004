//! The whole way of a document: read, run, spliced, exported, written whole.

use crate::colours::Colours;
use crate::events::{Event, Live, Phase};
use crate::exports::{Made, Making, Onlooker};
use crate::formats::is_made_of_written_text;
use crate::moved::Moved;
use crate::open::Opened;
use crate::order::{Order, Presence};
use crate::placing::{Destination, Place, Placing, is_at};
use crate::planned::Planned;
use crate::problem::{Fault, Problem};
use crate::trees::Trees;
use std::borrow::Cow;
use std::path::{Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Diagnostic, Document, alike, has_errors};
use vineloom_interpreters::{Interrupt, Surroundings};
use vineloom_store::Secret;
use vineloom_weave::{
    Forecast, Installed, LastWeave, OnFailure, Progress, Results, Reuse, Runs, State, block_title, findings_after,
    known_names, remember_exports, run, run_side_by_side, run_to_the_end, run_warm, splice,
};
use vineloom_woven as woven;

/// A woven document.
#[derive(Debug)]
pub struct Woven {
    /// What its blocks gave.
    pub results: Results,
    /// The trees.
    pub trees: Trees,
    /// Its exports, which are in their places.
    pub exports: Vec<Made>,
    /// The document as it was read last, with its plan: after [`Weave::weave`] it may have no blocks any more.
    pub planned: Planned,
}

/// A document that has been read, with the places of its exports.
#[derive(Debug)]
pub struct Weave<'a> {
    /// What was asked for.
    pub order: Order<'a>,
    /// The document.
    pub planned: Planned,
    exports: Vec<(Format, Place)>,
    /// How links change, when the exports do not stand beside the document.
    moved: Option<Moved>,
    secret: Secret,
}

/// Strands run side by side where that spares so many milliseconds: for less, telling whether they may takes as long.
const WORTH: u64 = 100;

/// How often a document is read again because its blocks wrote files that it is put together from.
const MOST_PASSES: usize = 5;

impl<'a> Weave<'a> {
    /// Plans a document that has been opened and finds the places of its exports. `files` are all documents of this
    /// weave, of which no export takes the place.
    ///
    /// # Errors
    /// As [`Planned::of`], and [`Fault::Document`] when an export can't stand in its place.
    pub fn of(order: Order<'a>, opened: Opened, files: &[&Path], secret: &Secret) -> Result<Self, Box<Problem>> {
        let planned = Planned::of(opened, secret)?;
        let asked = planned.document().formats();
        let wanted = if order.formats.is_empty() { asked.as_slice() } else { order.formats };
        let mut exports: Vec<(Format, Place)> = Vec::new();
        for &format in wanted {
            if exports.iter().any(|(known, _)| *known == format) {
                continue;
            }
            let refused = |finding: Diagnostic| Problem::unplaced(Fault::Document, finding);
            let place = placing(&order, &planned).place(format).map_err(|finding| refused(*finding))?;
            let placed = order.destination != Destination::Caller;
            if let Some(file) = files.iter().filter(|_| placed).find(|file| is_at(&place, file)) {
                let (own, other) = (order.file.display(), file.display());
                let finding = Diagnostic::unplaced(format!("an export of {own} would take the place of {other}"));
                return Err(refused(
                    finding.help("give one of them another name, or choose another place with `--out`"),
                ));
            }
            exports.push((format, place));
        }
        let moved = match (order.destination, exports.first()) {
            (Destination::Folder(folder), Some((_, place))) => {
                Moved::of(planned.opened.folder(), folder, &place.stem(), files)
            }
            _ => None,
        };
        Ok(Weave { order, planned, exports, moved, secret: secret.clone() })
    }

    /// The places of its exports.
    pub fn places(&self) -> Vec<Place> {
        self.exports.iter().map(|(_, place)| place.clone()).collect()
    }

    /// Every file, and every folder of parts, that the weave writes.
    fn written(&self) -> Vec<PathBuf> {
        let places = self.exports.iter().filter(|_| self.order.destination != Destination::Caller);
        places.flat_map(|(_, place)| [place.real().to_path_buf(), place.parts()]).collect()
    }

    /// Runs what must run, and writes all exports, or none. The blocks of the document are freed on the way, unless an
    /// export is made of them; all else that is known of it stays.
    ///
    /// # Errors
    /// What stopped it. The former exports are then as they were.
    pub fn weave(
        self,
        caller: &Surroundings,
        interrupt: &Interrupt,
        tell: &mut dyn FnMut(Event),
    ) -> Result<Woven, Box<Problem>> {
        self.weave_with(None, caller, interrupt, tell)
    }

    /// The same with what outlasts it.
    ///
    /// # Errors
    /// As [`Weave::weave`].
    pub fn weave_live(
        self,
        live: Live,
        caller: &Surroundings,
        interrupt: &Interrupt,
        tell: &mut dyn FnMut(Event),
    ) -> Result<Woven, Box<Problem>> {
        self.weave_with(Some(live), caller, interrupt, tell)
    }

    fn weave_with(
        mut self,
        live: Option<Live>,
        caller: &Surroundings,
        interrupt: &Interrupt,
        tell: &mut dyn FnMut(Event),
    ) -> Result<Woven, Box<Problem>> {
        let onlooker = live.as_ref().map(|live| live.onlooker);
        let body = self.body_after(live.is_some());
        let mut colours = Colours::of(&self.planned);
        // A program that lives on has read the rules of languages, and colours what changed in no time.
        if live.is_none() {
            colours = colours.begun(&self.planned, self.exports.iter().map(|(format, _)| *format));
        }
        let results = self.results(live, caller, interrupt, tell)?;
        tell(Event::Phase(Phase::Exporting));
        let exports = self.exports(&results, body, &colours, onlooker, &|| interrupt.raised(), tell);
        let (trees, exports) = match exports {
            // What nobody waits for any more may have been given up.
            Err(_) if interrupt.raised() => return Err(Problem::interrupted()),
            exports => exports?,
        };
        // Files take their places one after the other: nothing ends before the last.
        tell(Event::Phase(Phase::Placing));
        if interrupt.raised() {
            return Err(Problem::interrupted());
        }
        // What waits to be asked for keeps the exports that are there.
        let is_whole = results.waiting().is_empty();
        if is_whole && self.order.destination != Destination::Caller {
            let all: Vec<_> = exports.iter().map(|made| (&made.place, &made.export)).collect();
            let put = placing(&self.order, &self.planned).put(&all);
            put.map_err(|finding| Problem::unplaced(Fault::Document, *finding))?;
            remember_exports(&self.planned.store, &self.written());
        }
        tell(Event::Phase(Phase::Done));
        Ok(Woven { results, trees, exports, planned: self.planned })
    }

    /// Runs what must run and splices it for every format; nothing is exported.
    ///
    /// # Errors
    /// What stopped it.
    pub fn splice(
        mut self,
        caller: &Surroundings,
        interrupt: &Interrupt,
        tell: &mut dyn FnMut(Event),
    ) -> Result<(Planned, Results, Trees), Box<Problem>> {
        let results = self.results(None, caller, interrupt, tell)?;
        let trees = self.spliced(&results, &Format::ALL, BodyAfter::Kept, tell)?;
        Ok((self.planned, results, trees))
    }

    /// Makes all exports and puts none in its place: what they do not show as it was meant is told.
    ///
    /// # Errors
    /// What stopped it.
    pub fn try_out(
        mut self,
        caller: &Surroundings,
        interrupt: &Interrupt,
        tell: &mut dyn FnMut(Event),
    ) -> Result<(), Box<Problem>> {
        let results = self.results(None, caller, interrupt, tell)?;
        tell(Event::Phase(Phase::Exporting));
        let (body, colours) = (self.body_after(false), Colours::of(&self.planned));
        self.exports(&results, body, &colours, None, &|| false, tell).map(|_| ())
    }

    /// Runs the document, and again with what its blocks wrote where it is put together from that.
    fn results(
        &mut self,
        mut live: Option<Live>,
        caller: &Surroundings,
        interrupt: &Interrupt,
        tell: &mut dyn FnMut(Event),
    ) -> Result<Results, Box<Problem>> {
        let mut before: Option<(Planned, Results)> = None;
        for pass in 0.. {
            let mut results = self.pass(live.as_mut().map(Live::again), caller, interrupt, tell)?;
            if let Some((planned, earlier)) = &before {
                ran_before(planned.document(), earlier, self.planned.document(), &mut results);
            }
            if pass == MOST_PASSES || !self.planned.opened.is_behind() {
                return Ok(results);
            }
            let told = self.planned.opened.findings().to_vec();
            let opened = self.planned.opened.again(&self.secret)?;
            let new = |finding: &&Diagnostic| told.iter().all(|known| known.message != finding.message);
            let found: Vec<Diagnostic> = opened.findings().iter().filter(new).cloned().collect();
            tell(Event::Found(&opened.document.sources, &found));
            let planned = Planned::of(opened, &self.secret)?;
            before = Some((std::mem::replace(&mut self.planned, planned), results));
        }
        Err(Problem::interrupted())
    }

    /// Runs the document as it was read.
    fn pass(
        &self,
        live: Option<Live>,
        caller: &Surroundings,
        interrupt: &Interrupt,
        tell: &mut dyn FnMut(Event),
    ) -> Result<Results, Box<Problem>> {
        let (document, plan) = (self.planned.document(), &self.planned.plan);
        tell(Event::Phase(Phase::Running));
        let around = self.planned.surroundings(caller);
        let interpreters = self.planned.interpreters(&around, self.written(), interrupt.clone());
        let mut interpreters = match self.order.presence {
            Presence::Running => match &live {
                Some(Live { heard, .. }) => interpreters.heard((*heard).clone()),
                None => interpreters,
            },
            Presence::StoredOnly => {
                let mut interpreters = interpreters.stored_only();
                self.need_all_stored(&mut interpreters)?;
                interpreters
            }
            Presence::AllKept => {
                let mut interpreters = interpreters;
                self.need_all_stored(&mut interpreters)?;
                interpreters
            }
        };
        tell(Event::Begins { document, plan });
        let progress = &mut |progress: Progress| tell(Event::Progress(progress));
        let (store, reuse) = (&self.planned.store, self.order.reuse);
        interpreters = interpreters.at_once(self.order.at_once);
        let history = || self.planned.history();
        let known = LastWeave { history: &history, worth: WORTH };
        let results = match (self.order.on_failure, live) {
            (how, None) if self.order.at_once > 1 && reuse == Reuse::Stored => {
                run_side_by_side(document, plan, &mut interpreters, store, how, known, progress)
            }
            (_, Some(Live { warm, .. })) => run_warm(document, plan, &mut interpreters, store, warm, progress),
            (OnFailure::Stop, None) => run(document, plan, &mut interpreters, store, reuse, progress),
            (OnFailure::GoOn, None) => run_to_the_end(document, plan, &mut interpreters, store, reuse, progress),
        };
        let results = results.map_err(|failure| self.planned.explain(&failure, caller))?;
        for failure in &results.failures {
            tell(Event::Failed(failure.index, &self.planned.explain(failure, caller)));
        }
        // What waits has not run: what is known of it stays.
        if results.waiting().is_empty() {
            self.planned.keep_history(&results);
        }
        let found = findings_after(document, plan, &results);
        if !found.is_empty() {
            tell(Event::Found(&document.sources, &found));
        }
        Ok(results)
    }

    /// Names every block of which no true result is stored, when nothing may run.
    fn need_all_stored(&self, interpreters: &mut Installed) -> Result<(), Box<Problem>> {
        let document = self.planned.document();
        let (lacks, help) = match self.order.presence {
            Presence::AllKept => ("would run", "weave it without `--all-kept`"),
            _ => (
                "has no stored result that is true",
                "weave it where its interpreter is, and bring the store: `vineloom store export`, then `store import`",
            ),
        };
        let forecasts = self.planned.forecast(interpreters);
        let is_missing = |forecast: &&Forecast| match self.order.presence {
            Presence::AllKept => forecast.runs != Runs::No,
            _ => forecast.runs == Runs::Yes,
        };
        let missing = forecasts.iter().filter(is_missing);
        let findings: Vec<Diagnostic> = missing
            .map(|forecast| {
                let title = block_title(document, forecast.index);
                let message = format!("{title} {lacks}: {}", forecast.in_short());
                Diagnostic::error(document.live[forecast.index].fence, message).help(help)
            })
            .collect();
        match findings.is_empty() {
            true => Ok(()),
            false => Err(Problem::of(Fault::Document, findings, &document.sources)),
        }
    }

    /// Makes all exports before any is written, so that a failure leaves the old ones as they are.
    fn exports(
        &mut self,
        results: &Results,
        body: BodyAfter,
        colours: &Colours,
        onlooker: Option<Onlooker>,
        is_outdated: &(dyn Fn() -> bool + Sync),
        tell: &mut dyn FnMut(Event),
    ) -> Result<(Trees, Vec<Made>), Box<Problem>> {
        let formats: Vec<Format> = self.exports.iter().map(|(format, _)| *format).collect();
        let trees = self.spliced(results, &formats, body, tell)?;
        let sources = &self.planned.document().sources;
        let making = Making::new(&self.planned, results, &trees, self.moved.as_ref(), colours);
        let mut exports = Vec::new();
        for made in making.all(&self.exports, onlooker, is_outdated) {
            let made = made.map_err(|findings| Problem::of(Fault::Document, self.named(findings), sources))?;
            if !made.export.findings.is_empty() {
                tell(Event::Found(sources, &self.named(made.export.findings.clone())));
            }
            exports.push(made);
        }
        Ok((trees, exports))
    }

    /// The trees for formats, with the results in them and their links as they are where the exports stand.
    fn spliced(
        &mut self,
        results: &Results,
        formats: &[Format],
        body: BodyAfter,
        tell: &mut dyn FnMut(Event),
    ) -> Result<Trees, Box<Problem>> {
        // Nobody finds blocks in the document while it is woven, whether it keeps them or not.
        let mut blocks = std::mem::take(&mut self.planned.opened.document.blocks);
        let (mut findings, mut trees): (Vec<Diagnostic>, Vec<(Vec<Format>, woven::Woven)>) = Default::default();
        let mut groups = alike(self.planned.document(), &blocks, formats).into_iter().peekable();
        while let Some(formats) = groups.next() {
            let given = match body {
                BodyAfter::GivenUp if groups.peek().is_none() => Cow::Owned(std::mem::take(&mut blocks)),
                _ => Cow::Borrowed(blocks.as_slice()),
            };
            let (document, plan) = (self.planned.document(), &self.planned.plan);
            let mut found = Vec::new();
            let tree = self.planned.aided(|aids| splice(document, given, &formats, plan, results, aids, &mut found));
            // Most of what is wrong is wrong for all of them.
            found.retain(|finding| !findings.contains(finding));
            findings.extend(found);
            let tree = match &self.moved {
                Some(moved) => moved.tree(tree),
                None => tree,
            };
            trees.push((formats, tree));
        }
        self.planned.opened.document.blocks = blocks;
        let sources = &self.planned.document().sources;
        if has_errors(&findings) {
            return Err(Problem::of(Fault::Document, findings, sources));
        }
        // What was known before anything ran has been told.
        findings.retain(|finding| !self.planned.opened.findings().contains(finding));
        if !findings.is_empty() {
            tell(Event::Found(sources, &findings));
        }
        Ok(Trees::new(trees))
    }

    /// What becomes of the written body once the tree is made: what lives on reads it again, and so do formats that are
    /// the writer's own text with results in it.
    fn body_after(&self, lives_on: bool) -> BodyAfter {
        let is_read = |(format, _): &(Format, Place)| is_made_of_written_text(*format);
        match lives_on || self.exports.iter().any(is_read) {
            true => BodyAfter::Kept,
            false => BodyAfter::GivenUp,
        }
    }

    /// Findings of which each that has no place in the text begins with the document's name.
    fn named(&self, mut findings: Vec<Diagnostic>) -> Vec<Diagnostic> {
        for finding in findings.iter_mut().filter(|finding| finding.span.is_none()) {
            finding.message = format!("{}: {}", self.order.file.display(), finding.message);
        }
        findings
    }
}

/// What becomes of the blocks of a document when its tree is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum BodyAfter {
    Kept,
    /// Each is freed as soon as it is woven: the memory of a long document is taken once.
    GivenUp,
}

fn placing<'a>(order: &Order<'a>, planned: &'a Planned) -> Placing<'a> {
    Placing {
        file: order.file,
        name: order.name,
        destination: order.destination,
        project: planned.opened.project_folder(),
        store: &planned.store,
        overwrite: order.overwrite,
    }
}

/// What ran before the document was read again has run in this weave, whatever became of it since.
fn ran_before(earlier: &Document, before: &Results, document: &Document, results: &mut Results) {
    let (names, now) = (known_names(earlier), known_names(document));
    for (index, name) in now.enumerate() {
        let was = names.position(|known| known == name).and_then(|index| before.state(index));
        if let (Some(was), Some(given)) = (was, results.blocks[index].given.as_mut())
            && given.state == State::Kept
        {
            given.state = was;
        }
    }
}
