//! The page around the text: its head, title block, contents, footnotes and foot.

use super::escape::{attribute, text};
use super::{Attachment, GENERATOR, HtmlOptions, PART_START, Writer, attachments, themes};
use crate::layout::headings_of;
use crate::web_font::web_font;
use crate::{Assets, Contents, Job};
use base64::Engine;
use vineloom_font::Typeface;
use vineloom_woven::{Block, Fold, Heading, Id, Memory, NoteNumber, Woven, plain_text};
use vineloom_woven::{Vocabulary, Word};

impl Writer<'_> {
    pub(super) fn page(&mut self, job: &Job<HtmlOptions>) {
        let head = &self.woven.head;
        let title = plain_text(&head.title);
        let title = if title.is_empty() { first_heading(&self.woven.blocks).unwrap_or_default() } else { title };
        // A page is about half as long again as its text: one that grows step by step is copied at each.
        let written = self.woven.blocks.last().and_then(|last| last.span().known()).map_or(0, |span| span.end);
        self.out.reserve(written + written / 2);
        // The body first: it tells what the page uses.
        self.body(&attachments(job), job.assets);
        let sheet = self.formula_font(job.memory) + &self.style_sheet("") + &self.options.house.style_sheet(job.assets);
        let folder = self.parts_folder.clone();
        let head = match &folder {
            Some(folder) => {
                let link = format!("<link rel=\"stylesheet\" href=\"{}/page.css\">\n", attribute(folder));
                self.parts.push(("page.css".into(), format!("{PART_START}\n{}", in_element(&sheet)).into_bytes()));
                head_with(self.woven, self.options, job.assets, &title, &link, &[SCRIPT], true)
            }
            None => html_head(self.woven, self.options, job.assets, &title, &sheet, &[SCRIPT]),
        };
        self.out.insert_str(0, &head);
        match &folder {
            Some(folder) => {
                self.out.push_str(&format!("<script src=\"{}/page.js\"></script>\n", attribute(folder)));
                self.parts.push(("page.js".into(), format!("{PART_START}\n{SCRIPT}").into_bytes()));
            }
            None => self.out.push_str(&format!("<script>{SCRIPT}</script>\n")),
        }
        if !self.options.strict {
            for script in self.options.house.scripts(job.assets) {
                self.push(&format!("<script>{script}</script>\n"));
            }
        }
        self.push("</body>\n</html>\n");
    }

    /// The rules of the theme, and others behind them.
    pub(crate) fn style_sheet(&self, more: &str) -> String {
        themes::style_sheet(&self.options.theme, &self.options.code_colours) + more
    }

    /// The part of the mathematics font that the page's formulas are set in, as a rule of the style sheet.
    pub(crate) fn formula_font(&mut self, memory: &dyn Memory) -> String {
        let letters = std::mem::take(&mut self.uses.mathematics);
        if letters.is_empty() {
            return String::new();
        }
        let Some(font) = web_font(Typeface::Mathematics, letters, memory) else { return String::new() };
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

    /// A word of the reader's language.
    pub(crate) fn word(&self, word: Word) -> &str {
        self.woven.head.words.word(word)
    }

    pub(super) fn push(&mut self, html: &str) {
        self.out.push_str(html);
    }

    fn body(&mut self, attachments: &[Attachment<'_>], assets: &Assets) {
        let headings = self.outline();
        let contents = if headings.len() < 2 { Contents::None } else { self.options.contents };
        let class = match contents {
            Contents::Side => "beside",
            Contents::Top | Contents::None => "alone",
        };
        let skip = text(self.word(Word::ToTheText)).into_owned();
        self.out.push_str(&format!("<body class=\"{class}\">\n<a class=\"skip\" href=\"#text\">{skip}</a>\n"));
        if contents == Contents::Side {
            self.contents(&headings);
        }
        self.push("<main id=\"text\">\n");
        let own = self.options.house.head(assets);
        if !own.is_empty() {
            self.push(&format!("<div class=\"house-head\">\n{own}\n</div>\n"));
        }
        self.push("<article>\n");
        self.title_block();
        if contents == Contents::Top {
            self.contents(&headings);
        }
        self.push("<p class=\"tools\" hidden>");
        if self.uses_folds() {
            let words = text(self.word(Word::UnfoldAll)).into_owned();
            self.push(&format!("<button type=\"button\" data-fold-all>{words}</button> "));
        }
        let words = text(self.word(Word::DarkPage)).into_owned();
        self.push(&format!("<button type=\"button\" data-look-switch>{words}</button></p>\n"));
        self.blocks(&self.woven.blocks);
        self.notes();
        self.push("</article>\n");
        self.foot(attachments);
        let own = self.options.house.foot(assets);
        if !own.is_empty() {
            self.push(&format!("<div class=\"house-foot\">\n{own}\n</div>\n"));
        }
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
        self.title_words();
        self.push("</header>\n");
    }

    /// Title, subtitle, authors and date.
    pub(crate) fn title_words(&mut self) {
        let head = &self.woven.head;
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
    }

    fn outline(&self) -> Vec<Heading> {
        headings_of(&self.woven.blocks, self.options.contents_depth).into_iter().cloned().collect()
    }

    fn contents(&mut self, headings: &[Heading]) {
        self.push("<nav class=\"contents\" aria-labelledby=\"contents-title\">\n<details open>\n");
        let words = text(self.word(Word::Contents)).into_owned();
        self.push(&format!("<summary id=\"contents-title\">{words}</summary>\n"));
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

    /// The footnotes that have marks on the page: others belong to what other formats or the speaker see.
    fn notes(&mut self) {
        let mut begun = false;
        for (at, blocks) in self.woven.notes.iter().enumerate() {
            let number = NoteNumber::of_index(at);
            if !self.noted.contains_key(&number) {
                continue;
            }
            if !std::mem::replace(&mut begun, true) {
                let label = attribute(self.word(Word::Footnotes)).into_owned();
                self.push(&format!("<section class=\"notes\" aria-label=\"{label}\">\n<ol>\n"));
            }
            self.out.push_str(&format!("<li id=\"note-{number}\" value=\"{number}\">\n"));
            self.blocks(blocks);
            self.links_to_marks(number);
            self.push("</li>\n");
        }
        if begun {
            self.push("</ol>\n</section>\n");
        }
    }

    fn foot(&mut self, attachments: &[Attachment<'_>]) {
        let licence = self.woven.head.licence.as_ref();
        if licence.is_none() && attachments.is_empty() {
            return;
        }
        self.push("<footer>\n");
        if !attachments.is_empty() {
            let words = text(self.word(Word::TakeAlong)).into_owned();
            self.push(&format!("<p class=\"attachments\">{words}: "));
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
            let words = text(self.word(Word::Licence)).into_owned();
            self.out.push_str(&format!("<p>{words}: {}</p>\n", text(licence)));
        }
        self.push("</footer>\n");
    }
}

/// A style sheet, which can't end the element that it stands in.
fn in_element(sheet: &str) -> String {
    sheet.replace("</", "<\\/")
}

/// All that stands before the body of a file that is read in browsers, its style sheet within. `scripts` are those that
/// the file holds.
pub(crate) fn html_head(
    woven: &Woven,
    options: &HtmlOptions,
    assets: &Assets,
    title: &str,
    sheet: &str,
    scripts: &[&str],
) -> String {
    let style = format!("<style>\n{}</style>\n", in_element(sheet));
    head_with(woven, options, assets, title, &style, scripts, false)
}

/// The words that the scripts say, for another language than English.
fn said(words: &Vocabulary) -> String {
    const SAID: [Word; 25] = [
        Word::Copy,
        Word::Copied,
        Word::FoldAll,
        Word::UnfoldAll,
        Word::DarkPage,
        Word::LightPage,
        Word::Figure,
        Word::PreviousFigure,
        Word::NextFigure,
        Word::Close,
        Word::Enlarge,
        Word::Slides,
        Word::Keys,
        Word::On,
        Word::Back,
        Word::FirstAndLastSlide,
        Word::Slide,
        Word::Menu,
        Word::AllSlides,
        Word::SpeakersWindow,
        Word::FullScreen,
        Word::Black,
        Word::LightOrDark,
        Word::TheseKeys,
        Word::TimeAgain,
    ];
    let english = Vocabulary::default();
    let others = SAID.iter().filter(|word| words.word(**word) != english.word(**word));
    let map: serde_json::Map<String, serde_json::Value> =
        others.map(|word| (word.key().to_string(), words.word(*word).into())).collect();
    if map.is_empty() {
        return String::new();
    }
    format!(" data-words=\"{}\"", attribute(&serde_json::Value::Object(map).to_string()))
}

fn head_with(
    woven: &Woven,
    options: &HtmlOptions,
    assets: &Assets,
    title: &str,
    style: &str,
    scripts: &[&str],
    has_parts: bool,
) -> String {
    let head = &woven.head;
    let direction = if vineloom_woven::runs_from_the_right(&head.language) { " dir=\"rtl\"" } else { "" };
    let dark = if themes::is_always_dark(&options.theme) { " data-dark" } else { "" };
    let said = said(&head.words);
    let mut out = format!(
        "<!DOCTYPE html>\n<html lang=\"{}\"{direction}{dark}{said}>\n<head>\n<meta charset=\"utf-8\">\n",
        attribute(&head.language)
    );
    if options.strict {
        out += &policy(scripts, has_parts);
    }
    out += "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n";
    out += "<meta name=\"color-scheme\" content=\"light dark\">\n";
    out +=
        &format!("<title>{}</title>\n", text(if title.is_empty() { head.words.word(Word::Untitled) } else { title }));
    out += &format!("<meta name=\"generator\" content=\"{GENERATOR}\">\n");
    for author in &head.authors {
        out += &format!("<meta name=\"author\" content=\"{}\">\n", attribute(&author.name));
    }
    out += &description(woven, title);
    out += &options.house.card(assets);
    let icon = options.house.icon(assets).unwrap_or_else(icon);
    out += &format!("<link rel=\"icon\" href=\"{icon}\">\n{style}");
    out + &format!("<script>{CHOSEN_LOOK}</script>\n</head>\n")
}

/// Lets nothing run but our own scripts, and nothing be fetched.
fn policy(scripts: &[&str], has_parts: bool) -> String {
    let scripts = [CHOSEN_LOOK].iter().chain(scripts);
    let hashes: Vec<String> = scripts.map(|script| format!("'sha256-{}'", sha256(script.as_bytes()))).collect();
    let own = if has_parts { " 'self'" } else { "" };
    format!(
        "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; img-src data:{own}; font-src data:{own}; style-src 'unsafe-inline'{own}; \
         script-src {}{own}; base-uri 'none'; form-action 'none'\">\n",
        hashes.join(" ")
    )
}

/// What a file says of itself to those who only show its card.
fn description(woven: &Woven, title: &str) -> String {
    let subtitle = plain_text(&woven.head.subtitle);
    let words = if subtitle.is_empty() { first_words(&woven.blocks) } else { subtitle };
    let mut out = "<meta property=\"og:type\" content=\"article\">\n".to_string();
    if !title.is_empty() {
        out += &format!("<meta property=\"og:title\" content=\"{}\">\n", attribute(title));
    }
    if !words.is_empty() {
        let words = attribute(&words);
        out += &format!(
            "<meta name=\"description\" content=\"{words}\">\n<meta property=\"og:description\" content=\"{words}\">\n"
        );
    }
    out
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
