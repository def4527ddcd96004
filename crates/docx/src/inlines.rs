//! Running text in runs.

use crate::fields::{field, run};
use crate::writer::{Writer, is_right_to_left};
use vineloom_export::math::{omml::omml, tree};
use vineloom_export::runs_code;
use vineloom_export::xml::text;
use vineloom_office::Relation;
use vineloom_woven::{Id, Inline, InlineKind, InlineStyle, SectionReference, Word, plain_text};

/// How a run looks.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Look<'a> {
    pub bold: bool,
    pub italic: bool,
    pub strike: bool,
    pub underlined: bool,
    pub small: bool,
    /// `superscript` or `subscript`.
    pub raised: Option<&'static str>,
    /// A character style: that of code, of a key, of a link.
    pub style: Option<&'a str>,
    /// A colour of its own, as six hexadecimal digits.
    pub colour: Option<&'a str>,
    pub ground: Option<&'a str>,
}

/// What a run of a formula looks like.
fn face(colour: Option<&str>) -> String {
    let colour = colour.map_or_else(String::new, |colour| format!("<w:color w:val=\"{colour}\"/>"));
    format!("<w:rPr><w:rFonts w:ascii=\"Cambria Math\" w:hAnsi=\"Cambria Math\"/>{colour}</w:rPr>")
}

impl Writer<'_> {
    /// Running text.
    pub fn inlines(&mut self, inlines: &[Inline]) -> String {
        self.looking(inlines, Look::default())
    }

    pub fn looking(&mut self, inlines: &[Inline], look: Look) -> String {
        let mut out = String::new();
        // Words that follow each other are one run, however many lines they are written on.
        let mut words = String::new();
        for inline in inlines {
            match &inline.kind {
                InlineKind::Text(more) => words.push_str(&more.replace("\n", " ")),
                InlineKind::SoftBreak => words.push(' '),
                _ => {
                    out.push_str(&self.run(&std::mem::take(&mut words), look));
                    out.push_str(&self.inline(inline, look));
                }
            }
        }
        out + &self.run(&words, look)
    }

    /// Words of one look. A newline in them ends a line.
    pub fn run(&self, words: &str, look: Look) -> String {
        if words.is_empty() {
            return String::new();
        }
        let mut properties = String::new();
        let style = match (look.style, look.bold, look.italic) {
            (Some(style), ..) => Some(style),
            (None, true, false) => Some("Strong"),
            (None, false, true) => Some("Emphasis"),
            _ => None,
        };
        if let Some(style) = style {
            properties.push_str(&format!("<w:rStyle w:val=\"{}\"/>", text(self.styles.id(style))));
        }
        let own = style.is_none() || look.style.is_some();
        for (is_so, element) in
            [(look.bold && own, "<w:b/><w:bCs/>"), (look.italic && own, "<w:i/><w:iCs/>"), (look.strike, "<w:strike/>")]
        {
            properties.push_str(if is_so { element } else { "" });
        }
        if let Some(colour) = look.colour {
            properties.push_str(&format!("<w:color w:val=\"{colour}\"/>"));
        }
        properties.push_str(if look.small { "<w:sz w:val=\"17\"/>" } else { "" });
        properties.push_str(if look.underlined { "<w:u w:val=\"single\"/>" } else { "" });
        if let Some(ground) = look.ground {
            properties.push_str(&format!("<w:shd w:val=\"clear\" w:color=\"auto\" w:fill=\"{ground}\"/>"));
        }
        if let Some(raised) = look.raised {
            properties.push_str(&format!("<w:vertAlign w:val=\"{raised}\"/>"));
        }
        let letters = words.chars().filter(|c| c.is_alphabetic());
        let rightward = letters.clone().any(is_right_to_left);
        properties.push_str(if rightward { "<w:rtl/>" } else { "" });
        let properties = if properties.is_empty() { String::new() } else { format!("<w:rPr>{properties}</w:rPr>") };
        let words: Vec<String> =
            words.split('\n').map(|line| format!("<w:t xml:space=\"preserve\">{}</w:t>", text(line))).collect();
        format!("<w:r>{properties}{}</w:r>", words.join("<w:br/>"))
    }

    fn inline(&mut self, inline: &Inline, look: Look) -> String {
        let inside = |writer: &mut Self, look: Look| writer.looking(inline.children(), look);
        match &inline.kind {
            InlineKind::Text(words) => self.run(&words.replace("\n", " "), look),
            InlineKind::Code(code) => self.run(&code.replace("\n", " "), Look { style: Some("CodeText"), ..look }),
            InlineKind::Math { latex, .. } => self.formula(latex),
            InlineKind::Emphasis(_) => inside(self, Look { italic: !look.italic, ..look }),
            InlineKind::Strong(_) => inside(self, Look { bold: true, ..look }),
            InlineKind::Strike(_) => inside(self, Look { strike: true, ..look }),
            InlineKind::Styled { style, .. } => {
                let look = match style {
                    InlineStyle::Subscript => Look { raised: Some("subscript"), ..look },
                    InlineStyle::Superscript => Look { raised: Some("superscript"), ..look },
                    InlineStyle::Key => Look { style: Some("Key"), ..look },
                    InlineStyle::Stressed => Look { style: Some("Mark"), ..look },
                    InlineStyle::Underlined => Look { underlined: true, ..look },
                    InlineStyle::Small => Look { small: true, ..look },
                };
                inside(self, look)
            }
            InlineKind::Link(link) => self.link(&link.target, &link.title, &link.content, look),
            InlineKind::Reference(to) => self.reference(&to.id, &to.content, look),
            InlineKind::Citation(to) => self.reference(&to.work, &to.content, look),
            InlineKind::SectionReference(to) => {
                let SectionReference { id, number, title } = to.as_ref();
                if !self.places.contains(id.as_str()) {
                    let words = if self.options.numbered {
                        format!("{}\u{A0}{number}", self.woven.head.words.word(Word::Section))
                    } else {
                        format!("“{}”", plain_text(title))
                    };
                    return self.run(&words, look);
                }
                let name = self.bookmarks.name(id.as_str());
                if self.options.numbered {
                    let shown = self.run(number, look);
                    return self.run(&format!("{}\u{A0}", self.woven.head.words.word(Word::Section)), look)
                        + &field(&format!("REF {name} \\r \\h"), &shown);
                }
                let shown = self.looking(title, look);
                self.run("“", look) + &field(&format!("REF {name} \\h"), &shown) + &self.run("”", look)
            }
            InlineKind::Image(image) => self.picture(&image.picture, &image.alt, image.width),
            InlineKind::RemoteImage(image) => {
                let words = plain_text(&image.alt);
                let words = if words.is_empty() { image.target.clone() } else { words.into() };
                self.link(&image.target, &image.title, &[Inline::text(words, inline.span())], look)
            }
            InlineKind::Note(number) => self.note(*number),
            // What could be said without HTML has been.
            InlineKind::Html(_) => String::new(),
            InlineKind::SoftBreak => self.run(" ", look),
            InlineKind::LineBreak => "<w:r><w:br/></w:r>".into(),
        }
    }

    fn link(&mut self, target: &str, title: &str, content: &[Inline], look: Look) -> String {
        let styled = Look { style: look.style.or(Some("Hyperlink")), ..look };
        if let Some(place) = target.strip_prefix('#') {
            if !self.places.contains(place) {
                return self.looking(content, look);
            }
            let name = self.bookmarks.name(place);
            let inside = self.looking(content, styled);
            return format!("<w:hyperlink w:anchor=\"{name}\" w:history=\"1\">{inside}</w:hyperlink>");
        }
        if target.trim().is_empty() || runs_code(target) {
            return self.looking(content, look);
        }
        let relation = self.relate(Relation::address(target));
        let tip = if title.is_empty() { String::new() } else { format!(" w:tooltip=\"{}\"", text(title)) };
        let inside = self.looking(content, styled);
        format!("<w:hyperlink r:id=\"{relation}\"{tip} w:history=\"1\">{inside}</w:hyperlink>")
    }

    /// A reference: a field that repeats the label of a figure, a table, an equation, or a link where the writer chose
    /// words.
    fn reference(&mut self, id: &Id, content: &[Inline], look: Look) -> String {
        if !self.places.contains(id.as_str()) {
            return self.looking(content, look);
        }
        let name = self.bookmarks.name(id.as_str());
        let words = plain_text(content).replace('\u{A0}', " ");
        let numbered = |word: &str| words.strip_prefix(word).is_some_and(|rest| rest.trim().parse::<usize>().is_ok());
        let vocabulary = &self.woven.head.words;
        let word = |word: Word| vocabulary.word(word).replace('\u{A0}', " ");
        if [Word::Figure, Word::Table, Word::Listing].into_iter().any(|it| numbered(&word(it))) {
            let shown = self.looking(content, look);
            return field(&format!("REF {name} \\h"), &shown);
        }
        let equation = word(Word::Equation);
        if let Some(number) = words.strip_prefix(&equation).map(str::trim).filter(|_| numbered(&equation)) {
            return self.run(&format!("{equation}\u{A0}"), look) + &field(&format!("REF {name} \\h"), &run(number));
        }
        let inside = self.looking(content, look);
        format!("<w:hyperlink w:anchor=\"{name}\" w:history=\"1\">{inside}</w:hyperlink>")
    }

    /// A formula among words; one that can't be read as its source.
    fn formula(&mut self, latex: &str) -> String {
        match tree::read(latex, &self.woven.head.macros, false) {
            Ok(read) => format!("<m:oMath>{}</m:oMath>", omml(&read, &face)),
            Err(_) => self.run(latex.trim(), Look { style: Some("CodeText"), ..Look::default() }),
        }
    }

    /// A formula on a line of its own, as the inside of a paragraph.
    pub fn display(&mut self, latex: &str) -> String {
        match tree::read(latex, &self.woven.head.macros, true) {
            Ok(read) => format!("<m:oMathPara><m:oMath>{}</m:oMath></m:oMathPara>", omml(&read, &face)),
            Err(_) => self.run(latex.trim(), Look { style: Some("CodeText"), ..Look::default() }),
        }
    }
}
