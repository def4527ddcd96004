//! The page: one self-contained HTML file.

mod blocks;
mod escape;
mod inlines;

use crate::Loss;
use escape::{attribute, text};
use vineloom_document::options::{Contents, ExportOptions, Format, Place, Settings};
use vineloom_weave::woven::{Block, Head, Heading, Woven, plain_text};

/// What the program signs its pages with.
const GENERATOR: &str = concat!("Vine Loom ", env!("CARGO_PKG_VERSION"));

/// A page and what it could not show.
#[derive(Debug, Clone)]
pub struct Page {
    /// The HTML.
    pub html: String,
    /// What is not shown as it was meant.
    pub losses: Vec<Loss>,
}

/// Writes a woven document as a page.
pub fn page(woven: &Woven, options: &ExportOptions) -> Page {
    let mut writer =
        Writer { woven, options, out: String::new(), losses: Vec::new(), uses: Uses::default(), dress: Dress::Full };
    writer.page();
    Page { html: writer.out, losses: writer.losses }
}

/// Plain blocks as HTML and nothing around them: what CommonMark's own examples show.
pub fn bare(blocks: &[Block]) -> String {
    let woven = Woven { head: Head::default(), blocks: Vec::new(), notes: Vec::new(), strands: Vec::new() };
    let options = ExportOptions::from_settings(&Settings::built_in(Place::Export));
    let mut writer = Writer {
        woven: &woven,
        options: &options,
        out: String::new(),
        losses: Vec::new(),
        uses: Uses::default(),
        dress: Dress::Bare,
    };
    writer.blocks(blocks);
    writer.out
}

/// How much a page adds to what Markdown itself gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Dress {
    /// Links to headings, frames, buttons, colours.
    Full,
    /// Nothing.
    Bare,
}

struct Writer<'a> {
    dress: Dress,
    woven: &'a Woven,
    options: &'a ExportOptions,
    out: String,
    losses: Vec<Loss>,
    uses: Uses,
}

/// What the page turned out to hold, so that it brings only what it needs.
#[derive(Default)]
struct Uses {
    code: bool,
    tabs: bool,
    folds: bool,
}

impl Writer<'_> {
    fn page(&mut self) {
        let head = &self.woven.head;
        let title = plain_text(&head.title);
        let title = if title.is_empty() { first_heading(&self.woven.blocks).unwrap_or_default() } else { title };
        // The body first: it tells what the page uses.
        self.body();
        let body = std::mem::take(&mut self.out);

        self.push("<!DOCTYPE html>\n<html lang=\"");
        self.out.push_str(&attribute(&head.language));
        self.push("\">\n<head>\n<meta charset=\"utf-8\">\n");
        self.push("<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n");
        self.push("<meta name=\"color-scheme\" content=\"light dark\">\n");
        self.out.push_str(&format!("<title>{}</title>\n", text(if title.is_empty() { "Untitled" } else { &title })));
        self.out.push_str(&format!("<meta name=\"generator\" content=\"{GENERATOR}\">\n"));
        for author in &head.authors {
            self.out.push_str(&format!("<meta name=\"author\" content=\"{}\">\n", attribute(&author.name)));
        }
        self.out.push_str(&format!("<link rel=\"icon\" href=\"{}\">\n", icon()));
        self.push("<style>\n");
        self.push(include_str!("linen.css"));
        self.push("</style>\n</head>\n");
        self.out.push_str(&body);
        if self.uses.code || self.uses.tabs || self.options.contents == Contents::Side {
            self.push("<script>\n");
            self.push(include_str!("page.js"));
            self.push("</script>\n");
        }
        self.push("</body>\n</html>\n");
    }

    fn push(&mut self, html: &str) {
        self.out.push_str(html);
    }

    fn body(&mut self) {
        let headings = self.outline();
        let contents = if headings.len() < 2 { Contents::None } else { self.options.contents };
        let class = match contents {
            Contents::Side => "beside",
            Contents::Top | Contents::None => "alone",
        };
        self.out.push_str(&format!("<body class=\"{class}\">\n<a class=\"skip\" href=\"#text\">To the text</a>\n"));
        if contents == Contents::Side {
            self.contents(&headings);
        }
        self.push("<main id=\"text\">\n<article>\n");
        self.title_block();
        if contents == Contents::Top {
            self.contents(&headings);
        }
        if self.uses_folds() {
            self.push(
                "<p class=\"fold-all\" hidden><button type=\"button\" data-fold-all>Show all code</button></p>\n",
            );
        }
        self.blocks(&self.woven.blocks);
        self.notes();
        self.push("</article>\n");
        self.foot();
        self.push("</main>\n");
    }

    fn uses_folds(&mut self) -> bool {
        fn any_fold(blocks: &[Block]) -> bool {
            use vineloom_weave::woven::Fold;
            blocks.iter().any(|block| match block {
                Block::Run(run) => run.fold != Fold::No && run.code.is_some(),
                Block::Quote(inner) | Block::Notice { blocks: inner, .. } | Block::Group { blocks: inner, .. } => {
                    any_fold(inner)
                }
                Block::Columns(columns) => columns.iter().any(|column| any_fold(column)),
                Block::Tabs(tabs) => tabs.iter().any(|tab| any_fold(&tab.blocks)),
                Block::List { items, .. } => items.iter().any(|item| any_fold(&item.blocks)),
                _ => false,
            })
        }
        self.uses.folds = any_fold(&self.woven.blocks);
        self.uses.folds
    }

    fn title_block(&mut self) {
        let head = &self.woven.head;
        if head.title.is_empty() && head.authors.is_empty() && head.date.is_none() {
            return;
        }
        self.push("<header class=\"title\">\n");
        if !head.title.is_empty() {
            self.push("<h1>");
            self.inlines(&head.title);
            self.push("</h1>\n");
        }
        if !head.subtitle.is_empty() {
            self.push("<p class=\"subtitle\">");
            self.inlines(&head.subtitle);
            self.push("</p>\n");
        }
        if !head.authors.is_empty() {
            self.push("<p class=\"authors\">");
            for (at, author) in head.authors.iter().enumerate() {
                let comma = if at > 0 { ", " } else { "" };
                self.out.push_str(&format!("{comma}<span>{}</span>", text(&author.name)));
                if let Some(affiliation) = &author.affiliation {
                    self.out.push_str(&format!(" <span class=\"affiliation\">({})</span>", text(affiliation)));
                }
            }
            self.push("</p>\n");
        }
        if let Some(date) = &head.date {
            self.out.push_str(&format!("<p class=\"date\">{}</p>\n", text(date)));
        }
        self.push("</header>\n");
    }

    fn outline(&self) -> Vec<Heading> {
        let depth = self.options.contents_depth;
        let mut headings = Vec::new();
        collect_headings(&self.woven.blocks, depth, &mut headings);
        headings
    }

    fn contents(&mut self, headings: &[Heading]) {
        self.push("<nav class=\"contents\" aria-labelledby=\"contents-title\">\n<details open>\n");
        self.push("<summary id=\"contents-title\">Contents</summary>\n");
        let top = headings.iter().map(|h| h.level).min().unwrap_or(1);
        let mut depth = 0;
        for heading in headings {
            let wanted = usize::from(heading.level - top) + 1;
            // A level that is skipped gets no empty list of its own.
            let wanted = wanted.min(depth + 1);
            if wanted > depth {
                self.push("<ol>\n");
                depth += 1;
            } else {
                self.push("</li>\n");
                while depth > wanted {
                    self.push("</ol>\n</li>\n");
                    depth -= 1;
                }
            }
            self.out.push_str(&format!("<li><a href=\"#{}\">", attribute(&heading.id)));
            if self.options.numbered {
                self.out.push_str(&format!("<span class=\"number\">{}</span> ", text(&heading.number)));
            }
            self.plain_inlines(&heading.content);
            self.push("</a>");
        }
        for _ in 0..depth {
            self.push("</li>\n</ol>\n");
        }
        self.push("</details>\n</nav>\n");
    }

    fn notes(&mut self) {
        if self.woven.notes.is_empty() {
            return;
        }
        self.push("<section class=\"notes\" aria-label=\"Footnotes\">\n<ol>\n");
        for (at, blocks) in self.woven.notes.iter().enumerate() {
            let number = at + 1;
            self.out.push_str(&format!("<li id=\"note-{number}\">\n"));
            self.blocks(blocks);
            self.out.push_str(&format!(
                "<a class=\"back\" href=\"#note-mark-{number}\" aria-label=\"Back to the text\">\u{21a9}\u{fe0e}</a>\n</li>\n"
            ));
        }
        self.push("</ol>\n</section>\n");
    }

    fn foot(&mut self) {
        if let Some(licence) = &self.woven.head.licence {
            self.out.push_str(&format!("<footer>Licence: {}</footer>\n", text(licence)));
        }
    }

    fn lose(&mut self, message: impl Into<String>, help: Option<&str>) {
        let loss = Loss { message: message.into(), help: help.map(String::from) };
        if !self.losses.contains(&loss) {
            self.losses.push(loss);
        }
    }
}

fn collect_headings(blocks: &[Block], depth: u8, into: &mut Vec<Heading>) {
    for block in blocks {
        match block {
            Block::Heading(heading) if heading.level <= depth && !heading.id.is_empty() => into.push(heading.clone()),
            Block::Only { formats, blocks } if formats.contains(&Format::Html) => collect_headings(blocks, depth, into),
            Block::Quote(inner) | Block::Notice { blocks: inner, .. } => collect_headings(inner, depth, into),
            _ => {}
        }
    }
}

fn first_heading(blocks: &[Block]) -> Option<String> {
    blocks.iter().find_map(|block| if let Block::Heading(h) = block { Some(plain_text(&h.content)) } else { None })
}

/// Our mark: a knot on a thread.
fn icon() -> String {
    let svg = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 16 16'>\
               <path d='M8 0v16' stroke='#a23b3b' stroke-width='2'/>\
               <circle cx='8' cy='8' r='4' fill='#faf6ee' stroke='#a23b3b' stroke-width='2'/></svg>";
    format!(
        "data:image/svg+xml,{}",
        svg.replace('#', "%23").replace('<', "%3C").replace('>', "%3E").replace(' ', "%20")
    )
}
