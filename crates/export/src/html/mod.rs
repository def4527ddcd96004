//! The page: one self-contained HTML file.

mod blocks;
pub(crate) mod chapters;
pub(crate) mod escape;
mod house;
mod inlines;
mod options;
mod page;
mod runs;
mod steps;
mod themes;

pub use house::House;
pub use options::{Attach, HtmlOptions};
pub(crate) use page::html_head;
pub(crate) use themes::slide_rules;
pub use themes::{Palette, palette};

use crate::highlighted::Highlighted;
use crate::raw_html::picture_names;
use crate::{Export, Exporter, Job, Want};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use vineloom_document::Diagnostic;
use vineloom_document::options::{Format, Settings};
use vineloom_woven::{Block, Id, NoteNumber, Picture, Woven};

/// How the style sheet and the script of a page begin that stand in files of their own.
pub const PART_START: &str = "/* Part of a page by Vine Loom */";

/// What the program signs its pages with.
const GENERATOR: &str = concat!("Vine Loom ", env!("CARGO_PKG_VERSION"));

/// The page.
#[derive(Debug, Clone, Copy)]
pub struct Html;

impl Exporter for Html {
    type Options = HtmlOptions;

    fn format(&self) -> Format {
        Format::Html
    }

    fn is_quick(&self) -> bool {
        true
    }

    fn options(&self, settings: &Settings) -> HtmlOptions {
        HtmlOptions::of(settings)
    }

    fn wants(&self, woven: &Woven, options: &HtmlOptions) -> Vec<Want> {
        let attached = match options.attach {
            Attach::Nothing => None,
            Attach::Source => Some(Want::Source),
            Attach::Data => Some(Want::SourceWithData),
        };
        let shared = [Want::HighlightedCode, Want::Pictures(picture_names(woven))];
        options.house.wants().into_iter().chain(attached).chain(shared).collect()
    }

    fn export(&self, job: &Job<HtmlOptions>) -> Result<Export, Vec<Diagnostic>> {
        let page = page(job);
        let folder = job.parts_folder();
        let parts = page.parts.into_iter().map(|(name, bytes)| (format!("{folder}/{name}"), bytes)).collect();
        let left_out = job.options.strict && !job.options.house.scripts.is_empty();
        let told = left_out.then(|| {
            Diagnostic::loss("the page is strict, so your own scripts are not in it")
                .help("take `strict` out, or `scripts`")
        });
        Ok(Export { bytes: page.html.into_bytes(), parts, findings: told.into_iter().collect(), ..Export::default() })
    }

    fn is_signed(&self, file: &[u8]) -> bool {
        let head = &file[..file.len().min(8192)];
        let mark = b"<meta name=\"generator\" content=\"Vine Loom ";
        head.starts_with(PART_START.as_bytes())
            || head.starts_with(b"<!DOCTYPE html>") && head.windows(mark.len()).any(|window| window == mark)
    }
}

/// A page and its parts, by name in their folder.
#[derive(Debug)]
struct Page {
    html: String,
    parts: Vec<(String, Vec<u8>)>,
}

fn page(job: &Job<HtmlOptions>) -> Page {
    let mut writer = Writer::new(job.woven, job.options, Dress::Full);
    writer.parts_folder = (!job.options.single_file).then(|| job.parts_folder());
    writer.highlighted = job.assets.highlighted.clone();
    writer.named.clone_from(&job.assets.pictures);
    writer.page(job);
    Page { html: writer.out, parts: writer.parts }
}

/// A file that the page offers.
struct Attachment<'a> {
    name: String,
    /// Its media type.
    media: &'static str,
    /// The words of the link.
    words: String,
    bytes: &'a [u8],
}

/// What a page offers for download.
fn attachments<'a>(job: &'a Job<HtmlOptions>) -> Vec<Attachment<'a>> {
    let source = job.assets.source.iter().map(|source| Attachment {
        name: source.name.clone(),
        media: "text/markdown;charset=utf-8",
        words: format!("the source, {}", source.name),
        bytes: &source.bytes,
    });
    let data = job.assets.data.iter().map(|data| Attachment {
        name: format!("{}.zip", job.name),
        media: "application/zip",
        words: format!(
            "the source with {} {} that it read",
            data.files,
            if data.files == 1 { "file" } else { "files" }
        ),
        bytes: &data.bytes,
    });
    source.chain(data).collect()
}

/// Plain blocks as HTML and nothing around them: what CommonMark's own examples show.
pub fn bare(blocks: &[Block]) -> String {
    let woven = Woven::default();
    let options = HtmlOptions::of(&Settings::of_format(Format::Html));
    let mut writer = Writer::new(&woven, &options, Dress::Bare);
    writer.blocks(blocks);
    writer.out
}

/// How much a page adds to what Markdown itself gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Dress {
    /// Links to headings, frames, buttons, colours.
    Full,
    /// Nothing.
    Bare,
}

pub(crate) struct Writer<'a> {
    dress: Dress,
    woven: &'a Woven,
    options: &'a HtmlOptions,
    /// Whether the title takes the place of the headings of the first level, which then stand one level lower.
    is_below_title: bool,
    /// The identifiers of the works that its lists of works name.
    works: BTreeSet<&'a Id>,
    pub(crate) out: String,
    /// On a slide, how many steps there have been so far; nothing where all is there at once.
    pub(crate) steps: Option<u32>,
    /// Whether the lines of code that are marked come one after the other.
    marks_in_steps: bool,
    uses: Uses,
    /// The folder of the page's parts, when it is not to be one file.
    parts_folder: Option<String>,
    parts: Vec<(String, Vec<u8>)>,
    /// How often each work has been cited so far.
    cited: BTreeMap<Id, usize>,
    /// How many marks each footnote has had so far.
    noted: BTreeMap<NoteNumber, usize>,
    /// What stands before the identifiers of footnotes: each slide has its own.
    pub(crate) notes_of: String,
    pub(crate) highlighted: Arc<Highlighted>,
    /// The pictures that HTML in the text names.
    pub(crate) named: BTreeMap<String, Picture>,
}

/// What the page turned out to hold, so that it brings only what it needs.
#[derive(Default)]
struct Uses {
    code: bool,
    /// The characters that its formulas are set in.
    mathematics: BTreeSet<char>,
    tabs: bool,
    folds: bool,
}

impl<'a> Writer<'a> {
    pub(crate) fn new(woven: &'a Woven, options: &'a HtmlOptions, dress: Dress) -> Self {
        let is_top = |block: &Block| matches!(block, Block::Heading(heading) if heading.level == 1);
        let is_below_title = !woven.head.title.is_empty() && woven.blocks.iter().any(is_top);
        let mut works = BTreeSet::new();
        woven.each_block(&mut |block| {
            if let Block::Works(listed) = block {
                works.extend(listed.iter().map(|work| &work.id));
            }
        });
        Writer {
            dress,
            woven,
            options,
            is_below_title,
            works,
            out: String::new(),
            steps: None,
            marks_in_steps: false,
            uses: Uses::default(),
            parts_folder: None,
            parts: Vec::new(),
            cited: BTreeMap::new(),
            noted: BTreeMap::new(),
            notes_of: String::new(),
            highlighted: Arc::default(),
            named: BTreeMap::new(),
        }
    }
}
