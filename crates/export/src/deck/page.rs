//! The file of a deck: its head, its slides, its menu.

use super::slides::{Slide, SlideKind, slides};
use super::{Change, DeckOptions, SlideOptions};
use crate::html::escape::{attribute, text};
use crate::html::{Dress, Writer, html_head, slide_rules};
use crate::web_font::web_font;
use crate::{Contents, Job};
use base64::Engine;
use vineloom_document::Diagnostic;
use vineloom_font::Typeface;
use vineloom_woven::{Memory, Picture, Vocabulary, Word, Woven, plain_text};

/// What is common to the script of a page and that of a deck goes first.
const SCRIPTS: [&str; 2] = [include_str!("../html/page.js"), include_str!("deck.js")];
/// Before the slides come: they are shown one at a time, so that the browser need not lay out all of them.
const ONE_AT_A_TIME: &str = "document.documentElement.classList.add(\"on\");";
const RULES: &str = include_str!("deck.css");

/// The deck, and how many slides it has.
///
/// # Errors
/// An emblem that is no picture.
pub(super) fn deck(job: &Job<DeckOptions>) -> Result<(String, usize), Vec<Diagnostic>> {
    let options = job.options;
    let all = slides(job.woven);
    let emblem = emblem(job)?;
    let mut writer = Writer::new(job.woven, &options.html, Dress::Full);
    writer.highlighted = job.assets.highlighted.clone();
    writer.named.clone_from(&job.assets.pictures);
    let mut deck = DeckWriter { writer, options, woven: job.woven, count: all.len(), emblem };
    for (at, slide) in all.iter().enumerate() {
        deck.slide(slide, at + 1);
    }
    let menu = deck.menu(&all);
    let DeckWriter { mut writer, .. } = deck;
    let body = std::mem::take(&mut writer.out);
    let fonts = writer.formula_font(job.memory) + &fonts_of(&body, job.memory);
    let rules = RULES.to_string() + slide_rules(&options.html.theme);
    let sheet = fonts + &writer.style_sheet(&rules) + &options.html.house.style_sheet(job.assets);
    let (wide, high) = options.slides.aspect.size();
    let title = plain_text(&job.woven.head.title);
    let title = if title.is_empty() { first_title(&all) } else { title };
    // A printed slide is a page of its size; custom properties can't say so.
    let sheet = sheet + &format!("@media print {{ @page {{ size: {wide}px {high}px; }} }}\n");
    let mut out =
        html_head(job.woven, &options.html, job.assets, &title, &sheet, &[ONE_AT_A_TIME, SCRIPTS[0], SCRIPTS[1]]);
    let one_at_a_time = format!("<script>{ONE_AT_A_TIME}</script>\n</head>\n");
    out.truncate(out.trim_end().trim_end_matches("</head>").len());
    out.push_str(&one_at_a_time);
    let change = match options.change {
        Change::None => "none",
        Change::Fade => "fade",
        Change::Slide => "slide",
    };
    out.push_str(&format!(
        "<body class=\"deck\" data-wide=\"{wide}\" data-high=\"{high}\" data-change=\"{change}\" style=\"--wide:{wide}px;--high:{high}px;--ratio:{wide}/{high};\
         --text-scale:{};--code-scale:{}\">\n",
        options.slides.text_scale, options.slides.code_scale
    ));
    out.push_str(&menu);
    let words = &job.woven.head.words;
    out.push_str(&format!("<main id=\"text\" aria-label=\"{}\">\n", attribute(words.word(Word::Slides))));
    out.push_str(&body);
    out.push_str("</main>\n");
    out.push_str(&bar(words));
    for script in SCRIPTS {
        out.push_str(&format!("<script>{script}</script>\n"));
    }
    out.push_str("</body>\n</html>\n");
    Ok((out, all.len()))
}

/// What can be done with the mouse or a finger.
fn bar(words: &Vocabulary) -> String {
    let word = |word: Word| attribute(words.word(word)).into_owned();
    let act = |act: &str, name: Word| format!("<button type=\"button\" data-act=\"{act}\">{}</button>", word(name));
    let sign = |act: &str, name: Word, sign: &str| {
        format!("<button type=\"button\" data-act=\"{act}\" aria-label=\"{}\">{sign}</button>", word(name))
    };
    let buttons = [
        sign("back", Word::Back, "\u{2190}"),
        sign("forward", Word::On, "\u{2192}"),
        act("menu", Word::Menu),
        act("overview", Word::All),
        act("speaker", Word::Speaker),
        act("full", Word::FullScreen),
        format!("<button type=\"button\" data-look-switch>{}</button>", word(Word::DarkPage)),
        sign("help", Word::Keys, "?"),
    ];
    format!(
        "<div class=\"bar\" role=\"group\" aria-label=\"{}\" hidden><span class=\"where\" aria-hidden=\"true\"></span>{}</div>\n\
         <p class=\"told visually-hidden\" aria-live=\"polite\"></p>\n",
        word(Word::TheDeck),
        buttons.concat()
    )
}

fn first_title(all: &[Slide]) -> String {
    all.iter().map(Slide::words).find(|words| !words.is_empty()).unwrap_or_else(|| "Untitled".into())
}

/// The emblem, as an address of its own bytes.
fn emblem(job: &Job<DeckOptions>) -> Result<Option<String>, Vec<Diagnostic>> {
    let Some(path) = &job.options.slides.emblem else { return Ok(None) };
    let picture = job.assets.files.get(path).cloned().and_then(Picture::new);
    let Some(picture) = picture else {
        let finding = Diagnostic::unplaced(format!("the emblem {path} is not a picture"));
        return Err(vec![finding.help("pictures are SVG, PNG, JPEG, GIF or WebP files")]);
    };
    let data = base64::engine::general_purpose::STANDARD.encode(picture.bytes.as_slice());
    Ok(Some(format!("data:{};base64,{data}", picture.media.media_type())))
}

/// The parts of the fonts that the slides are set in, as rules of the style sheet.
fn fonts_of(body: &str, memory: &dyn Memory) -> String {
    let mut characters: std::collections::BTreeSet<char> = (' '..='~').collect();
    let mut inside = false;
    for c in body.chars() {
        match c {
            '<' => inside = true,
            '>' => inside = false,
            c if !inside && !c.is_control() => {
                characters.insert(c);
            }
            _ => {}
        }
    }
    let code = body.contains("<pre") || body.contains("<code") || body.contains("<kbd");
    let faces = [
        (Typeface::Serif, "Vine Serif", "400", "normal", true),
        (Typeface::SerifBold, "Vine Serif", "600 700", "normal", true),
        (Typeface::SerifItalic, "Vine Serif", "400", "italic", body.contains("<em>") || body.contains("subtitle")),
        (Typeface::Monospace, "Vine Mono", "400", "normal", code),
    ];
    let mut rules = String::new();
    for (face, family, weight, style, _) in faces.into_iter().filter(|(.., wanted)| *wanted) {
        if let Some(font) = web_font(face, characters.iter().copied(), memory) {
            let data = base64::engine::general_purpose::STANDARD.encode(font);
            rules += &format!(
                "@font-face {{ font-family: \"{family}\"; font-weight: {weight}; font-style: {style}; \
                 src: url(data:font/woff2;base64,{data}) format(\"woff2\"); }}\n"
            );
        }
    }
    rules
}

struct DeckWriter<'a> {
    writer: Writer<'a>,
    options: &'a DeckOptions,
    woven: &'a Woven,
    count: usize,
    emblem: Option<String>,
}

impl DeckWriter<'_> {
    fn push(&mut self, html: &str) {
        self.writer.out.push_str(html);
    }

    fn slide(&mut self, slide: &Slide, number: usize) {
        let class = match slide.kind {
            SlideKind::Title => " title-slide",
            SlideKind::Divider => " divider",
            SlideKind::Content | SlideKind::Works => "",
        };
        let words = match slide.kind {
            SlideKind::Title => plain_text(&self.woven.head.title),
            SlideKind::Works => self.woven.head.words.word(Word::WorksCited).to_string(),
            _ => slide.words(),
        };
        let colon = if words.is_empty() { "" } else { ": " };
        let all = self.options.slides.clone();
        let own = all.for_slide(slide);
        let mut style = String::new();
        if own.text_scale != all.text_scale {
            style += &format!("--text-scale:{};", own.text_scale);
        }
        if own.code_scale != all.code_scale {
            style += &format!("--code-scale:{};", own.code_scale);
        }
        let style = if style.is_empty() { style } else { format!(" style=\"{style}\"") };
        let change = slide.title.and_then(|heading| heading.slide.change.as_deref());
        let change = change.map_or_else(String::new, |change| format!(" data-change=\"{change}\""));
        self.push(&format!(
            "<section class=\"slide{class}\"{style}{change} id=\"{}\" tabindex=\"-1\" aria-roledescription=\"slide\" aria-label=\"{}{colon}{}\">\n",
            attribute(&slide.id),
            attribute(&self.woven.head.words.of(Word::PageOf, &number.to_string(), &self.count.to_string())),
            attribute(&words)
        ));
        if let Some(emblem) = self.emblem.clone() {
            self.push(&format!("<img class=\"emblem\" src=\"{emblem}\" alt=\"\">\n"));
        }
        self.writer.steps = Some(0);
        self.writer.notes_of = format!("{}--", slide.id);
        match slide.kind {
            SlideKind::Title => {
                self.push("<div class=\"content\"><div class=\"body\">\n");
                self.writer.title_words();
                if let Some(licence) = &self.woven.head.licence {
                    self.push(&format!(
                        "<p class=\"date\">{}: {}</p>\n",
                        text(self.woven.head.words.word(Word::Licence)),
                        text(licence)
                    ));
                }
                self.push("</div></div>\n");
            }
            SlideKind::Divider => {
                self.push("<div class=\"content\"><div class=\"body\">\n");
                self.heading(slide);
                self.push("</div></div>\n");
            }
            SlideKind::Content | SlideKind::Works => {
                if slide.kind == SlideKind::Works {
                    let words = text(self.woven.head.words.word(Word::WorksCited)).into_owned();
                    self.push(&format!("<header><h2>{words}</h2></header>\n"));
                } else if slide.title.is_some() {
                    self.push("<header>");
                    self.heading(slide);
                    self.push("</header>\n");
                }
                self.push("<div class=\"content\"><div class=\"body\">\n");
                self.writer.blocks(&slide.blocks);
                self.push("</div></div>\n");
            }
        }
        self.footnotes(slide);
        self.writer.steps = None;
        self.foot(slide, number, &own);
        if self.options.slides.notes && !slide.notes.is_empty() {
            let label = attribute(self.woven.head.words.word(Word::Notes)).into_owned();
            self.push(&format!("<aside class=\"speaker\" aria-label=\"{label}\">\n"));
            self.writer.blocks(&slide.notes);
            self.push("</aside>\n");
        }
        self.push("</section>\n");
    }

    fn heading(&mut self, slide: &Slide) {
        let Some(heading) = slide.title else { return };
        let level = self.writer.level_of(heading);
        self.push(&format!("<h{level}>"));
        if self.options.slides.numbered && !heading.number.is_empty() {
            self.push(&format!("<span class=\"number\">{}</span> ", text(&heading.number)));
        }
        self.writer.inlines(&heading.content);
        self.push(&format!("</h{level}>\n"));
    }

    fn footnotes(&mut self, slide: &Slide) {
        if slide.footnotes.is_empty() {
            return;
        }
        self.push("<div class=\"footnotes\" role=\"note\">\n");
        for &number in &slide.footnotes {
            self.push(&format!("<div id=\"{}--note-{number}\"><sup>{number}</sup> ", attribute(&slide.id)));
            let blocks = self.woven.note(number).to_vec();
            self.writer.blocks(&blocks);
            self.push("</div>\n");
        }
        self.push("</div>\n");
    }

    fn foot(&mut self, slide: &Slide, number: usize, options: &SlideOptions) {
        if matches!(slide.kind, SlideKind::Title | SlideKind::Divider) {
            return;
        }
        let section = plain_text(&slide.section);
        let own = slide.title.is_some_and(|heading| heading.level == 1);
        let section = if own { String::new() } else { section };
        let foot = options.foot.clone();
        let count = if options.count { format!("{number} / {}", self.count) } else { String::new() };
        if section.is_empty() && foot.is_empty() && count.is_empty() {
            return;
        }
        self.push(&format!(
            "<footer><span class=\"section\">{}</span><span class=\"foot\">{}</span><span class=\"count\" aria-hidden=\"true\">{count}</span></footer>\n",
            text(&section),
            text(&foot)
        ));
    }

    /// The slides by section.
    fn menu(&self, all: &[Slide]) -> String {
        let titled: Vec<&Slide> = all.iter().filter(|slide| slide.title.is_some()).collect();
        if self.options.html.contents == Contents::None || titled.len() < 2 {
            return String::new();
        }
        let mut out = format!(
            "<nav class=\"contents\" aria-label=\"{}\">\n<ol>\n",
            attribute(self.woven.head.words.word(Word::Slides))
        );
        let mut open = false;
        for (at, slide) in titled.iter().enumerate() {
            let Some(heading) = slide.title else { continue };
            let number = match self.options.slides.numbered {
                true => format!("<span class=\"number\">{}</span> ", text(&heading.number)),
                false => String::new(),
            };
            let link = format!("<a href=\"#{}\">{number}{}</a>", attribute(&slide.id), text(&slide.words()));
            if heading.level == 1 {
                out += if open {
                    "</ol>\n</li>\n"
                } else if at > 0 {
                    "</li>\n"
                } else {
                    ""
                };
                out += &format!("<li>{link}\n");
                open = false;
            } else {
                let in_section =
                    titled[..at].iter().any(|before| before.title.is_some_and(|heading| heading.level == 1));
                match (in_section, open) {
                    (true, false) => {
                        out += "<ol>\n";
                        open = true;
                    }
                    (false, _) if at > 0 => out += "</li>\n",
                    _ => {}
                }
                out += &format!("<li>{link}{}", if in_section { "</li>\n" } else { "\n" });
            }
        }
        out += if open { "</ol>\n</li>\n" } else { "</li>\n" };
        out + "</ol>\n</nav>\n"
    }
}
