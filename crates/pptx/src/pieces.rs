//! Running text in pieces of one look each, and the paragraphs that they make.

use vineloom_export::math::plain::plain as as_text;
use vineloom_export::math::tree;
use vineloom_woven::{Inline, InlineKind, SectionReference, Vocabulary, Word, plain_text};

/// A paragraph.
#[derive(Debug, Clone, Default)]
pub(crate) struct Paragraph {
    pub pieces: Vec<Piece>,
    pub mark: Mark,
    /// How deep it stands in lists, from 0.
    pub level: u8,
    /// The size of its text, as a part of the usual.
    pub size: f64,
    pub centred: bool,
}

/// What stands before a paragraph.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) enum Mark {
    #[default]
    None,
    Bullet,
    Number(usize),
}

/// A piece of text in one look.
#[derive(Debug, Clone, Default)]
pub(crate) struct Piece {
    pub text: String,
    pub look: Look,
    /// Where a link in it leads: an address, or `#` and a place in this document.
    pub link: Option<String>,
    /// Whether a line ends behind it.
    pub breaks: bool,
}

/// How a piece of text looks.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct Look {
    pub bold: bool,
    pub italic: bool,
    pub strike: bool,
    pub code: bool,
    /// Above the line, or below it where it is less than nothing, in thousandths.
    pub baseline: i32,
    /// The part of code that it is, as a colour.
    pub colour: Option<&'static str>,
}

impl Paragraph {
    /// A paragraph of the usual size.
    pub fn whole(pieces: Vec<Piece>) -> Self {
        Paragraph { pieces, size: 1.0, ..Paragraph::default() }
    }

    /// How many letters it has.
    pub fn letters(&self) -> usize {
        self.pieces.iter().map(|piece| piece.text.chars().count()).sum()
    }
}

/// Makes pieces of running text.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Words<'a> {
    /// Whether sections are called by their numbers.
    pub numbered: bool,
    /// The writer's own definitions for formulas.
    pub macros: &'a str,
    /// The words of the reader's language.
    pub vocabulary: &'a Vocabulary,
}

impl Words<'_> {
    /// A formula among words, as text.
    fn formula(&self, latex: &str, link: Option<&str>) -> Piece {
        match tree::read(latex, self.macros, false) {
            Ok(read) => Piece {
                text: as_text(&read),
                look: Look { italic: true, ..Look::default() },
                link: link.map(String::from),
                breaks: false,
            },
            Err(_) => source(latex),
        }
    }

    pub fn bold(&self, inlines: &[Inline]) -> Vec<Piece> {
        self.pieces(inlines).into_iter().map(bold).collect()
    }

    /// Running text in pieces.
    pub fn pieces(&self, inlines: &[Inline]) -> Vec<Piece> {
        let mut pieces = Vec::new();
        self.push_pieces(inlines, Look::default(), None, &mut pieces);
        pieces
    }

    fn push_pieces(&self, inlines: &[Inline], look: Look, link: Option<&str>, pieces: &mut Vec<Piece>) {
        let piece =
            |text: &str, look: Look| Piece { text: text.into(), look, link: link.map(String::from), breaks: false };
        for inline in inlines {
            let inner = |this: &Self, look: Look, pieces: &mut Vec<Piece>| {
                this.push_pieces(inline.children(), look, link, pieces)
            };
            match &inline.kind {
                InlineKind::Text(text) => pieces.push(piece(text, look)),
                InlineKind::Code(code) => pieces.push(piece(code, Look { code: true, ..look })),
                InlineKind::Math { latex, .. } => pieces.push(self.formula(latex, link)),
                InlineKind::Emphasis(_) => inner(self, Look { italic: true, ..look }, pieces),
                InlineKind::Strong(_) => inner(self, Look { bold: true, ..look }, pieces),
                InlineKind::Strike(_) => inner(self, Look { strike: true, ..look }, pieces),
                InlineKind::Styled { style, .. } => {
                    use vineloom_woven::InlineStyle;
                    let baseline = match style {
                        InlineStyle::Subscript => -25_000,
                        InlineStyle::Superscript => 30_000,
                        _ => look.baseline,
                    };
                    let code = look.code || *style == InlineStyle::Key;
                    inner(self, Look { baseline, code, ..look }, pieces);
                }
                InlineKind::Link(to) => {
                    let safe = !vineloom_export::runs_code(&to.target);
                    self.push_pieces(&to.content, look, safe.then_some(to.target.as_str()).or(link), pieces);
                }
                InlineKind::Reference(to) => {
                    self.push_pieces(&to.content, look, Some(&format!("#{}", to.id)), pieces);
                }
                InlineKind::Citation(to) => {
                    self.push_pieces(&to.content, look, Some(&format!("#{}", to.work)), pieces);
                }
                InlineKind::SectionReference(to) => {
                    let SectionReference { id, number, title } = to.as_ref();
                    let words = if self.numbered {
                        format!("{}\u{a0}{number}", self.vocabulary.word(Word::Section))
                    } else {
                        format!("“{}”", plain_text(title))
                    };
                    pieces.push(Piece { text: words, look, link: Some(format!("#{id}")), breaks: false });
                }
                InlineKind::Image(image) => pieces.push(piece(&image.alt, look)),
                InlineKind::RemoteImage(image) => self.push_pieces(&image.alt, look, Some(&image.target), pieces),
                InlineKind::Note(number) => {
                    pieces.push(piece(&number.to_string(), Look { baseline: 30_000, ..look }));
                }
                InlineKind::SoftBreak => pieces.push(piece(" ", look)),
                InlineKind::LineBreak => pieces.push(Piece { breaks: true, ..piece("", look) }),
                InlineKind::Html(_) => {}
            }
        }
    }
}

pub(crate) fn plain(text: &str) -> Piece {
    Piece { text: text.into(), ..Piece::default() }
}

pub(crate) fn bold(piece: Piece) -> Piece {
    Piece { look: Look { bold: true, ..piece.look }, ..piece }
}

/// A formula as its writer wrote it.
pub(crate) fn source(latex: &str) -> Piece {
    Piece { text: latex.trim().into(), look: Look { italic: true, code: true, ..Look::default() }, ..Piece::default() }
}
