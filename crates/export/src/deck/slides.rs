//! The division of a document into slides, the same for every format that has them.
//!
//! The title block is the first slide. A heading of level 1 begins a section, one of level 2 a slide, and a rule outside
//! of containers one without a heading; what is deeper stays on its slide. What only the speaker sees is taken out.

use vineloom_document::Ids;
use vineloom_woven::{
    Block, Heading, Inline, InlineKind, InlineStyle, NoteNumber, Rewrite, Run, Shown, Span, Work, Woven, each_inline,
    each_text, plain_text,
};

/// A slide.
#[derive(Debug, Clone)]
pub struct Slide<'a> {
    /// What it is there for.
    pub kind: SlideKind,
    /// Where links to it lead: made of its heading, so that it stays the same whatever is put in before it.
    pub id: String,
    /// What stands above it.
    pub title: Option<&'a Heading>,
    /// The title of the section that it belongs to; empty before the first.
    pub section: Vec<Inline>,
    /// What stands on it.
    pub blocks: Vec<Block>,
    /// What the speaker sees beside it, the footnotes of that at its end.
    pub notes: Vec<Block>,
    /// The footnotes at its foot.
    pub footnotes: Vec<NoteNumber>,
    /// Where it begins in the document.
    pub span: Span,
}

/// What a slide is there for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SlideKind {
    /// The title block.
    Title,
    /// It begins a section and has nothing but its title.
    Divider,
    /// Anything else.
    Content,
    /// Works cited.
    Works,
}

impl Slide<'_> {
    /// Its title in words; nothing where it has none.
    pub fn words(&self) -> String {
        self.title.map_or_else(String::new, |heading| plain_text(&heading.content))
    }
}

/// About how many letters of a list of works a slide has room for.
const LETTERS_OF_WORKS: usize = 900;

/// The slides of a document.
pub fn slides(woven: &Woven) -> Vec<Slide<'_>> {
    let mut dividing = Dividing { slides: Vec::new(), section: Vec::new(), ids: Ids::default() };
    let head = &woven.head;
    if !head.title.is_empty() || !head.authors.is_empty() {
        let id = dividing.free_id("title");
        dividing.slides.push(Slide {
            kind: SlideKind::Title,
            id,
            title: None,
            section: Vec::new(),
            blocks: Vec::new(),
            notes: Vec::new(),
            footnotes: Vec::new(),
            span: Span::NOWHERE,
        });
    }
    for block in &woven.blocks {
        dividing.add(block);
    }
    let mut slides = dividing.slides;
    // A title alone that begins a section divides; one in the midst of a section is a slide whose words come another day.
    for slide in &mut slides {
        let begins = slide.title.is_some_and(|heading| heading.level == 1);
        if begins && slide.blocks.is_empty() && slide.kind == SlideKind::Content {
            slide.kind = SlideKind::Divider;
        }
        let titles: &[&[Inline]] = match (slide.kind, slide.title) {
            (SlideKind::Title, _) => &[&head.title, &head.subtitle],
            (_, Some(heading)) => &[&heading.content],
            (_, None) => &[],
        };
        slide.footnotes = notes_of(woven, titles, &slide.blocks);
        let for_speaker = notes_of(woven, &[], &slide.notes);
        slide.notes = with_own_footnotes(woven, std::mem::take(&mut slide.notes), &for_speaker);
    }
    slides
}

struct Dividing<'a> {
    slides: Vec<Slide<'a>>,
    section: Vec<Inline>,
    ids: Ids,
}

impl<'a> Dividing<'a> {
    fn free_id(&mut self, wanted: &str) -> String {
        self.ids.free(wanted)
    }

    fn begin(&mut self, kind: SlideKind, id: &str, title: Option<&'a Heading>, span: Span) {
        let id = self.free_id(id);
        let section = self.section.clone();
        let (blocks, notes, footnotes) = (Vec::new(), Vec::new(), Vec::new());
        self.slides.push(Slide { kind, id, title, section, blocks, notes, footnotes, span });
    }

    fn add(&mut self, block: &'a Block) {
        match block {
            Block::Heading(heading) if heading.level <= 2 => {
                if heading.level == 1 {
                    self.section = heading.content.clone();
                }
                let id = heading.id.as_ref().map_or("slide", |id| id.as_str());
                self.begin(SlideKind::Content, id, Some(heading), heading.span);
            }
            Block::Rule => {
                // It goes on from the slide before, whose heading it is found by.
                let before = self.slides.last().map_or("slide".to_string(), |slide| slide.id.clone());
                let stem = before.split("--").next().unwrap_or(&before).to_string();
                self.begin(SlideKind::Content, &format!("{stem}--on"), None, Span::NOWHERE);
            }
            Block::Works(works) => self.works(works),
            Block::Speaker(blocks) => match self.slides.last_mut() {
                Some(slide) => slide.notes.extend(blocks.iter().cloned()),
                None => {
                    self.begin(SlideKind::Content, "slide", None, Span::NOWHERE);
                    self.slides.iter_mut().for_each(|slide| slide.notes.extend(blocks.iter().cloned()));
                }
            },
            block => {
                // The title has its slide to itself.
                if self.slides.last().is_none_or(|slide| matches!(slide.kind, SlideKind::Title | SlideKind::Works)) {
                    self.begin(SlideKind::Content, "slide", None, Span::NOWHERE);
                }
                if let Some(slide) = self.slides.last_mut() {
                    let (block, notes) = without_speaker(block.clone());
                    slide.notes.extend(notes);
                    slide.blocks.extend(block);
                    if slide.span.known().is_none() {
                        slide.span = slide.blocks.last().map_or(Span::NOWHERE, Block::span);
                    }
                }
            }
        }
    }

    /// Works cited, on as many slides as they take.
    fn works(&mut self, works: &[Work]) {
        let mut part: Vec<Work> = Vec::new();
        let mut letters = 0;
        for work in works {
            let own = plain_text(&work.label).chars().count() + plain_text(&work.content).chars().count() + 40;
            if letters + own > LETTERS_OF_WORKS && !part.is_empty() {
                self.works_slide(std::mem::take(&mut part));
                letters = 0;
            }
            letters += own;
            part.push(work.clone());
        }
        if !part.is_empty() {
            self.works_slide(part);
        }
    }

    fn works_slide(&mut self, works: Vec<Work>) {
        // They belong to the whole talk.
        self.section.clear();
        self.begin(SlideKind::Works, "works", None, Span::NOWHERE);
        if let Some(slide) = self.slides.last_mut() {
            slide.blocks.push(Block::Works(works));
        }
    }
}

/// A block without what only the speaker sees in it, and that.
fn without_speaker(block: Block) -> (Option<Block>, Vec<Block>) {
    struct Taking(Vec<Block>);
    impl Rewrite for Taking {
        fn blocks(&mut self, blocks: Vec<Block>) -> Vec<Block> {
            let mut kept = Vec::new();
            for block in blocks {
                match block {
                    Block::Speaker(notes) => self.0.extend(notes),
                    block => kept.push(self.inside(block)),
                }
            }
            kept
        }
    }
    let mut taking = Taking(Vec::new());
    let mut kept = taking.blocks(vec![block]);
    (kept.pop(), taking.0)
}

/// The footnotes that titles and blocks have marks of, and those that these have marks of, each once.
fn notes_of(woven: &Woven, titles: &[&[Inline]], blocks: &[Block]) -> Vec<NoteNumber> {
    fn add(text: &[Inline], numbers: &mut Vec<NoteNumber>) {
        each_inline(text, &mut |inline| match inline.kind {
            InlineKind::Note(number) if !numbers.contains(&number) => numbers.push(number),
            _ => {}
        });
    }
    let mut numbers = Vec::new();
    titles.iter().for_each(|title| add(title, &mut numbers));
    each_text(blocks, &mut |text| add(text, &mut numbers));
    let mut at = 0;
    while let Some(&number) = numbers.get(at) {
        each_text(woven.note(number), &mut |text| add(text, &mut numbers));
        at += 1;
    }
    numbers
}

/// What only the speaker sees, its footnotes behind it: the foot of the slide is for everybody.
fn with_own_footnotes(woven: &Woven, notes: Vec<Block>, footnotes: &[NoteNumber]) -> Vec<Block> {
    struct Marks;
    impl Rewrite for Marks {
        fn inline(&mut self, inline: Inline) -> Inline {
            match inline.kind {
                InlineKind::Note(number) => mark(number, inline.span()),
                _ => self.inside_of(inline),
            }
        }
    }
    let mut notes = Marks.blocks(notes);
    for &number in footnotes {
        let mut blocks = Marks.blocks(woven.note(number).to_vec());
        let start = [mark(number, Span::NOWHERE), Inline::text(" ", Span::NOWHERE)];
        match blocks.first_mut() {
            Some(Block::Paragraph { content, .. }) => drop(content.splice(..0, start)),
            _ => blocks.insert(0, Block::Paragraph { content: start.into(), span: Span::NOWHERE }),
        }
        notes.extend(blocks);
    }
    notes
}

/// The number of a footnote as text, which leads nowhere.
fn mark(number: NoteNumber, span: Span) -> Inline {
    let content = vec![Inline::text(number.to_string(), span)];
    Inline::new(InlineKind::Styled { style: InlineStyle::Superscript, content: content.into() }, span)
}

/// Whether a block is code of which lines are marked.
pub fn has_marks(block: &Block) -> bool {
    match block {
        Block::Listing { code, .. } => !code.mark.is_empty(),
        Block::Run(run) => {
            let Run { code, results, .. } = run.as_ref();
            let own = code.iter().chain(results.iter().filter_map(|shown| match shown {
                Shown::Code(code) => Some(code),
                _ => None,
            }));
            own.into_iter().any(|code| !code.mark.is_empty())
        }
        _ => false,
    }
}

/// The parts of a block's code that are marked, over all its code.
fn marks_of(block: &Block) -> usize {
    match block {
        Block::Listing { code, .. } => code.mark.len(),
        Block::Run(run) => {
            let Run { code, results, .. } = run.as_ref();
            let statements =
                results.iter().map(|shown| if let Shown::Code(code) = shown { code.mark.len() } else { 0 });
            code.as_ref().map_or(0, |code| code.mark.len()) + statements.sum::<usize>()
        }
        _ => 0,
    }
}

/// How many steps blocks take: an entry of a list is one, a marked part of code is one, and so is any other block.
pub fn steps_of(blocks: &[Block]) -> u32 {
    let mut steps = 0;
    vineloom_woven::each_block(blocks, &mut |block| {
        if let Block::Steps(blocks) = block {
            let own = blocks.iter().map(|block| match block {
                Block::List { items, .. } => items.len(),
                block => marks_of(block).max(1),
            });
            steps += own.sum::<usize>();
        }
    });
    steps as u32
}

#[cfg(test)]
mod tests {
    use super::*;
    use vineloom_document::parse_printed;
    use vineloom_weave::woven_markdown;
    use vineloom_woven::{Head, Id};

    fn divided(markdown: &str) -> Vec<(SlideKind, String, usize, usize)> {
        let mut blocks = woven_markdown(&parse_printed(markdown), Span::NOWHERE);
        for block in &mut blocks {
            if let Block::Heading(heading) = block {
                heading.id = Id::new(plain_text(&heading.content).to_lowercase());
            }
        }
        let title = vec![Inline::text("Talk", Span::NOWHERE)];
        let woven = Woven { head: Head { title, ..Head::default() }, blocks, ..Woven::default() };
        let all = slides(&woven);
        all.into_iter().map(|slide| (slide.kind, slide.id, slide.blocks.len(), slide.notes.len())).collect()
    }

    #[test]
    fn headings_and_rules_divide_and_what_is_deeper_stays() {
        use SlideKind::{Content, Divider, Title};
        let of = |kind, id: &str, blocks| (kind, id.to_string(), blocks, 0);
        let found = divided("# One\n\n## A\n\nText.\n\n### Deep\n\n- x\n\n---\n\nMore.\n\n# Two\n\nAt once.\n\n## A\n");
        let wanted = [
            of(Title, "title", 0),
            of(Divider, "one", 0),
            of(Content, "a", 3),
            of(Content, "a--on", 1),
            of(Content, "two", 1),
            of(Content, "a-2", 0),
        ];
        assert_eq!(found, wanted);
        // Text before any heading is a slide of its own, and so is what stands between two rules.
        let found = divided("Text.\n\n---\n\n---\n\nMore.\n");
        assert_eq!(
            found,
            [
                of(Title, "title", 0),
                of(Content, "slide", 1),
                of(Content, "slide--on", 0),
                of(Content, "slide--on-2", 1)
            ]
        );
    }
}
