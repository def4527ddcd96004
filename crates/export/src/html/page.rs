//! The page around the text: its head, title block, contents, footnotes and foot.

use super::escape::{attribute, text};
use super::{Attachment, GENERATOR, HtmlOptions, PART_START, Writer, attachments, themes};
use crate::layout::headings_of;
use crate::{Contents, Job};
use base64::Engine;
use vineloom_font::Typeface;
use vineloom_woven::{Block, Fold, Format, Heading, Id, plain_text};

impl Writer<'_> {
    pub(super) fn page(&mut self, job: &Job<HtmlOptions>) {
        let head = &self.woven.head;
        let title = plain_text(&head.title);
        let title = if title.is_empty() { first_heading(&self.woven.blocks).unwrap_or_default() } else { title };
        // The body first: it tells what the page uses.
        self.body(&attachments(job));
        let body = std::mem::take(&mut self.out);

        let direction = if runs_from_the_right(&head.language) { " dir=\"rtl\"" } else { "" };
        let dark = if themes::is_always_dark(&self.options.theme) { " data-dark" } else { "" };
        self.out.push_str(&format!(
            "<!DOCTYPE html>\n<html lang=\"{}\"{direction}{dark}>\n<head>\n<meta charset=\"utf-8\">\n",
            attribute(&head.language)
        ));
        if self.options.strict {
            self.policy();
        }
        self.push("<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n");
        self.push("<meta name=\"color-scheme\" content=\"light dark\">\n");
        self.out.push_str(&format!("<title>{}</title>\n", text(if title.is_empty() { "Untitled" } else { &title })));
        self.out.push_str(&format!("<meta name=\"generator\" content=\"{GENERATOR}\">\n"));
        for author in &head.authors {
            self.out.push_str(&format!("<meta name=\"author\" content=\"{}\">\n", attribute(&author.name)));
        }
        self.description(&title);
        self.out.push_str(&format!("<link rel=\"icon\" href=\"{}\">\n", icon()));
        let sheet =
            self.fonts() + &themes::style_sheet(&self.options.theme, &self.options.code_colours) + &house_style(job);
        // A style sheet can't end the element it stands in.
        let sheet = sheet.replace("</", "<\\/");
        match &self.parts_folder {
            Some(folder) => {
                self.out.push_str(&format!("<link rel=\"stylesheet\" href=\"{}/page.css\">\n", attribute(folder)));
                self.parts.push(("page.css".into(), format!("{PART_START}\n{sheet}").into_bytes()));
            }
            None => self.out.push_str(&format!("<style>\n{sheet}</style>\n")),
        }
        self.out.push_str(&format!("<script>{CHOSEN_LOOK}</script>\n</head>\n"));
        self.out.push_str(&body);
        match &self.parts_folder {
            Some(folder) => {
                self.out.push_str(&format!("<script src=\"{}/page.js\"></script>\n", attribute(folder)));
                self.parts.push(("page.js".into(), format!("{PART_START}\n{SCRIPT}").into_bytes()));
            }
            None => self.out.push_str(&format!("<script>{SCRIPT}</script>\n")),
        }
        self.push("</body>\n</html>\n");
    }

    /// The part of the mathematics font that the page's formulas are set in, as a rule of the style sheet.
    fn fonts(&mut self) -> String {
        let letters = std::mem::take(&mut self.uses.mathematics);
        if letters.is_empty() {
            return String::new();
        }
        let Some(font) = Typeface::Mathematics.web_font(letters) else { return String::new() };
        let source = match &self.parts_folder {
            Some(_) => {
                self.parts.push(("mathematics.woff2".into(), font));
                // The style sheet stands in the same folder.
                "mathematics.woff2".to_string()
            }
            None => format!("data:font/woff2;base64,{}", base64::engine::general_purpose::STANDARD.encode(font)),
        };
        format!("@font-face {{ font-family: \"Vine Mathematics\"; src: url({source}) format(\"woff2\"); }}\n")
    }

    /// Lets nothing run but our own scripts, and nothing be fetched.
    fn policy(&mut self) {
        let hashes = [CHOSEN_LOOK, SCRIPT].map(|script| format!("'sha256-{}'", sha256(script.as_bytes())));
        let own = if self.parts_folder.is_some() { " 'self'" } else { "" };
        self.out.push_str(&format!(
            "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; img-src data:{own}; font-src data:{own}; style-src 'unsafe-inline'{own}; \
             script-src {}{own}; base-uri 'none'; form-action 'none'\">\n",
            hashes.join(" ")
        ));
    }

    /// What the page says of itself to those who only show its card.
    fn description(&mut self, title: &str) {
        let head = &self.woven.head;
        let subtitle = plain_text(&head.subtitle);
        let words = if subtitle.is_empty() { first_words(&self.woven.blocks) } else { subtitle };
        self.push("<meta property=\"og:type\" content=\"article\">\n");
        if !title.is_empty() {
            self.out.push_str(&format!("<meta property=\"og:title\" content=\"{}\">\n", attribute(title)));
        }
        if !words.is_empty() {
            let words = attribute(&words).into_owned();
            self.out.push_str(&format!(
                "<meta name=\"description\" content=\"{words}\">\n<meta property=\"og:description\" content=\"{words}\">\n"
            ));
        }
    }

    pub(super) fn push(&mut self, html: &str) {
        self.out.push_str(html);
    }

    fn body(&mut self, attachments: &[Attachment<'_>]) {
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
        self.push("<p class=\"tools\" hidden>");
        if self.uses_folds() && !self.options.without_code {
            self.push("<button type=\"button\" data-fold-all>Unfold all</button> ");
        }
        self.push("<button type=\"button\" data-look-switch>Dark page</button></p>\n");
        self.blocks(&self.woven.blocks);
        self.notes();
        self.push("</article>\n");
        self.foot(attachments);
        self.push("</main>\n");
    }

    fn uses_folds(&mut self) -> bool {
        let mut found = false;
        self.woven.each_block(&mut |block| {
            found |= matches!(block, Block::Run(run) if run.fold != Fold::No && run.code.is_some());
        });
        self.uses.folds = found;
        found
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
        headings_of(&self.woven.blocks, Format::Html, self.options.contents_depth).into_iter().cloned().collect()
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
            let id = heading.id.as_ref().map_or("", Id::as_str);
            self.out.push_str(&format!("<li><a href=\"#{}\">", attribute(id)));
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

    fn foot(&mut self, attachments: &[Attachment<'_>]) {
        let licence = self.woven.head.licence.as_ref();
        if licence.is_none() && attachments.is_empty() {
            return;
        }
        self.push("<footer>\n");
        if !attachments.is_empty() {
            self.push("<p class=\"attachments\">To take along: ");
            for (at, file) in attachments.iter().enumerate() {
                let data = base64::engine::general_purpose::STANDARD.encode(file.bytes);
                let comma = if at > 0 { ", " } else { "" };
                self.out.push_str(&format!(
                    "{comma}<a download=\"{}\" href=\"data:{};base64,{data}\">{}</a>",
                    attribute(&file.name),
                    attribute(file.media),
                    text(&file.words)
                ));
            }
            self.push("</p>\n");
        }
        if let Some(licence) = licence {
            self.out.push_str(&format!("<p>Licence: {}</p>\n", text(licence)));
        }
        self.push("</footer>\n");
    }
}

/// The style sheet of the writer's own; bytes that are no text are shown as such.
fn house_style(job: &Job<HtmlOptions>) -> String {
    let named = job.options.style.as_ref().and_then(|path| job.assets.files.get(path));
    named.map_or_else(String::new, |bytes| String::from_utf8_lossy(bytes).into_owned())
}

/// Our script.
const SCRIPT: &str = include_str!("page.js");
/// Before anything is shown: the look that the reader chose the last time.
const CHOSEN_LOOK: &str = "try { const look = localStorage.getItem(\"look\"); if (look) document.documentElement.dataset.look = look; } catch {}";

/// The hash of a script, as a content security policy wants it.
fn sha256(bytes: &[u8]) -> String {
    use sha2::Digest;
    base64::engine::general_purpose::STANDARD.encode(sha2::Sha256::digest(bytes))
}

/// Whether a language is written from right to left.
fn runs_from_the_right(language: &str) -> bool {
    let first = language.split('-').next().unwrap_or("");
    ["ar", "dv", "fa", "he", "ku", "ps", "sd", "ug", "ur", "yi"].contains(&first)
}

/// The beginning of the first paragraph.
fn first_words(blocks: &[Block]) -> String {
    let paragraph = blocks
        .iter()
        .find_map(|block| if let Block::Paragraph { content, .. } = block { Some(plain_text(content)) } else { None });
    let words = paragraph.unwrap_or_default().split_whitespace().collect::<Vec<_>>().join(" ");
    if words.chars().count() > 200 { words.chars().take(199).chain(['…']).collect() } else { words }
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
