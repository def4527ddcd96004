//! Running text.

use crate::escape::{address, code, label, text};
use crate::writer::Writer;
use vineloom_export::layout::letter_of;
use vineloom_export::runs_code;
use vineloom_woven::{Block, Id, Inline, InlineKind, InlineStyle, NoteNumber, SectionReference, Word, plain_text};

impl Writer<'_> {
    pub fn inlines(&mut self, inlines: &[Inline]) -> String {
        inlines.iter().map(|inline| self.inline(inline)).collect()
    }

    fn inline(&mut self, inline: &Inline) -> String {
        let command = |writer: &mut Self, name: &str| {
            let inside = writer.inlines(inline.children());
            format!("\\{name}{{{inside}}}")
        };
        match &inline.kind {
            InlineKind::Text(words) => text(words),
            InlineKind::Code(words) => format!("\\texttt{{{}}}", code(words)),
            InlineKind::Math { latex, .. } => match self.formula(latex) {
                Some(formula) => format!("\\({formula}\\)"),
                None => format!("\\texttt{{{}}}", code(latex.trim())),
            },
            InlineKind::Emphasis(_) => command(self, "emph"),
            InlineKind::Strong(_) => command(self, "textbf"),
            InlineKind::Strike(_) => command(self, "sout"),
            InlineKind::Styled { style, .. } => match style {
                InlineStyle::Subscript => command(self, "textsubscript"),
                InlineStyle::Superscript => command(self, "textsuperscript"),
                InlineStyle::Key => command(self, "vlkey"),
                InlineStyle::Stressed => command(self, "vlmark"),
                InlineStyle::Underlined => command(self, "uline"),
                InlineStyle::Small => format!("{{\\small {}}}", self.inlines(inline.children())),
            },
            InlineKind::Link(link) => self.link(&link.target, &link.content),
            InlineKind::Reference(to) => self.reference(&to.id, &to.content),
            InlineKind::Citation(to) => self.citation(&to.work, &to.place, &to.content),
            InlineKind::SectionReference(to) => {
                let SectionReference { id, number, title } = to.as_ref();
                let place = label(id.as_str());
                if !self.places.contains(id.as_str()) {
                    return if self.options.numbered {
                        format!("{}~{}", text(self.woven.head.words.word(Word::Section)), text(number))
                    } else {
                        format!("“{}”", self.inlines(title))
                    };
                }
                if self.options.numbered {
                    return format!("{}~\\ref{{{place}}}", text(self.woven.head.words.word(Word::Section)));
                }
                let title = self.inlines(title);
                format!("\\hyperref[{place}]{{“{title}”}}")
            }
            InlineKind::Image(image) => self.small_picture(&image.picture, &image.alt, image.width, inline.span()),
            InlineKind::RemoteImage(image) => {
                let words = plain_text(&image.alt);
                let words = if words.is_empty() { image.target.clone() } else { words.into() };
                self.link(&image.target, &[Inline::text(words, inline.span())])
            }
            InlineKind::Note(number) => self.note(*number),
            // What could be said without HTML has been.
            InlineKind::Html(_) => String::new(),
            InlineKind::SoftBreak => "\n".into(),
            InlineKind::LineBreak if self.in_argument => "\\newline{}".into(),
            InlineKind::LineBreak => "\\\\{}\n".into(),
        }
    }

    /// A formula as it can stand in the source: as its writer wrote it. Nothing for one that can't be read: it could hold
    /// any command, and is shown as its source, as in every format.
    pub fn formula(&self, latex: &str) -> Option<String> {
        vineloom_export::math::mathml(latex, &self.woven.head.macros, false).ok()?;
        let lines: Vec<&str> = latex.lines().filter(|line| !line.trim().is_empty()).collect();
        let mut formula = lines.join("\n").trim().to_string();
        if !formula.contains('&') {
            // This one stands in aligned lines alone.
            formula = formula.replace("\\Aboxed{", "\\boxed{");
        }
        // A remark in it would hide what closes the formula.
        Some(if formula.contains('%') { formula + "\n" } else { formula })
    }

    fn link(&mut self, target: &str, content: &[Inline]) -> String {
        let words = self.inlines(content);
        if let Some(place) = target.strip_prefix('#') {
            if !self.places.contains(place) {
                return words;
            }
            return match place.strip_prefix("work-").filter(|_| self.is_work(place)) {
                Some(key) => self.link_to_work(key, &words),
                None => format!("\\hyperref[{}]{{{words}}}", label(place)),
            };
        }
        if target.trim().is_empty() || runs_code(target) {
            return words;
        }
        format!("\\href{{{}}}{{{words}}}", address(target))
    }

    /// A reference: the word before a number, and the number from its label; other words lead there.
    fn reference(&mut self, id: &Id, content: &[Inline]) -> String {
        if !self.places.contains(id.as_str()) {
            return self.inlines(content);
        }
        let place = label(id.as_str());
        let plain = plain_text(content).replace('\u{A0}', " ");
        for word in [Word::Figure, Word::Table, Word::Listing, Word::Equation] {
            let word = self.woven.head.words.word(word).replace('\u{A0}', " ");
            if plain.strip_prefix(&word).is_some_and(|rest| rest.trim().parse::<usize>().is_ok()) {
                return format!("{}~\\ref{{{place}}}", crate::escape::text(&word));
            }
        }
        let words = self.inlines(content);
        format!("\\hyperref[{place}]{{{words}}}")
    }

    fn citation(&mut self, work: &Id, place: &str, content: &[Inline]) -> String {
        let key = work.as_str().strip_prefix("work-").unwrap_or(work.as_str());
        if self.lists_works_itself() {
            let place = place.trim();
            let note = if place.is_empty() { String::new() } else { format!("[{{{}}}]", text(place)) };
            // In parentheses where the list is by author and year, as the style of the document has it.
            let plain = plain_text(content);
            let command = if plain.starts_with('(') { "parencite" } else { "cite" };
            return format!("\\{command}{note}{{{key}}}");
        }
        let words = self.inlines(content);
        if !self.places.contains(work.as_str()) {
            return words;
        }
        self.link_to_work(key, &words)
    }

    /// Whether LaTeX writes the list of works.
    pub fn lists_works_itself(&self) -> bool {
        self.options.cites && !self.assets.works.is_empty()
    }

    fn is_work(&self, place: &str) -> bool {
        let mut is_work = false;
        vineloom_woven::each_block(&self.woven.blocks, &mut |block| {
            is_work |= matches!(block, Block::Works(works) if works.iter().any(|work| work.id.as_str() == place));
        });
        is_work
    }

    fn link_to_work(&self, key: &str, words: &str) -> String {
        match self.lists_works_itself() {
            // The name that biblatex gives a work of the list.
            true => format!("\\hyperlink{{cite.0@{key}}}{{{words}}}"),
            false => format!("\\hyperlink{{{}}}{{{words}}}", label(&format!("work-{key}"))),
        }
    }

    /// A footnote; its second mark repeats the number.
    fn note(&mut self, number: NoteNumber) -> String {
        if let Some(inner) = &mut self.inner {
            return format!("\\textsuperscript{{{}}}", letter_of(inner, number));
        }
        let place = format!("note:{number}");
        if !self.noted.insert(number) {
            return format!("\\textsuperscript{{\\ref{{{place}}}}}");
        }
        if let Some(waiting) = &mut self.waiting {
            waiting.push(number);
            return "\\footnotemark{}".into();
        }
        let inside = self.note_text(number);
        format!("\\footnote{{{inside}}}")
    }

    fn note_text(&mut self, number: NoteNumber) -> String {
        let woven = self.woven;
        let (in_argument, fixed) = (self.in_argument, self.fixed);
        (self.in_argument, self.fixed) = (true, true);
        self.inner = Some(Vec::new());
        let mut inside = self.aside(|writer| writer.blocks(woven.note(number))).trim().to_string();
        let mut at = 0;
        while let Some(other) = self.inner.as_ref().and_then(|inner| inner.get(at).copied()) {
            at += 1;
            let letter = self.inner.as_mut().map_or_else(String::new, |inner| letter_of(inner, other));
            let words = self.aside(|writer| writer.blocks(woven.note(other)));
            inside.push_str(&format!("\\par\\textsuperscript{{{letter}}} {}", words.trim()));
        }
        self.inner = None;
        (self.in_argument, self.fixed) = (in_argument, fixed);
        format!("\\label{{note:{number}}}{}", inside.trim())
    }

    /// What `work` gives, and behind it the footnotes whose marks stand in it.
    pub fn with_notes_behind(&mut self, work: impl FnOnce(&mut Self)) {
        if self.waiting.is_some() {
            return work(self);
        }
        self.waiting = Some(Vec::new());
        work(self);
        let waiting = self.waiting.take().unwrap_or_default();
        if waiting.is_empty() {
            return;
        }
        self.push(&format!("\\addtocounter{{footnote}}{{-{}}}\n", waiting.len()));
        for number in waiting {
            let inside = self.note_text(number);
            self.push(&format!("\\stepcounter{{footnote}}\\footnotetext{{{inside}}}\n"));
        }
    }

    /// Running text as what moves into contents and lists: without footnotes.
    pub fn moving(&mut self, inlines: &[Inline]) -> String {
        let without: Vec<Inline> =
            inlines.iter().filter(|inline| !matches!(inline.kind, InlineKind::Note(_))).cloned().collect();
        self.inlines(&without)
    }
}
