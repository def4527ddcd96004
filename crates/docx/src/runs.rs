//! Live blocks: their code and what they gave, with the thread of their strand at the left.

use crate::inlines::Look;
use crate::styles::CODE_PARTS;
use crate::writer::{Extra, Writer};
use vineloom_woven::{Code, FloatKind, Id, Run, Shown, TextKind, TextStyle, plain_text};

/// The ground of lines that are stressed.
const STRESSED: &str = "F5E3B3";

impl Writer<'_> {
    pub fn live(&mut self, run: &Run) {
        let float = run.float.as_ref();
        let above = float.filter(|float| float.kind == FloatKind::Table);
        let listing = float.filter(|float| float.kind == FloatKind::Listing);
        listing.into_iter().for_each(|float| self.caption(Some(&run.id), float));
        self.strand = Some(run.strand.0);
        let mut place = Some(&run.id).filter(|_| float.is_none());
        if let Some(code) = &run.code {
            self.code(code, place.take());
        }
        above.into_iter().for_each(|float| self.caption_above(Some(&run.id), float));
        for shown in &run.results {
            // A table and a picture have no line that could be the place.
            let has_lines = matches!(shown, Shown::Code(_) | Shown::Text { .. });
            let here = if has_lines { place.take() } else { None };
            self.shown(shown, run, here);
        }
        self.strand = None;
        self.caption_by_now();
        match float.filter(|float| !float.is_above()) {
            Some(float) => self.caption(Some(&run.id), float),
            None => self.part_at(place),
        }
    }

    fn shown(&mut self, shown: &Shown, run: &Run, place: Option<&Id>) {
        if !matches!(shown, Shown::Table { .. } | Shown::Blocks(_)) {
            self.caption_by_now();
        }
        match shown {
            Shown::Text { kind, text, styles } => {
                let style = match kind {
                    TextKind::Output | TextKind::Value => "Output",
                    TextKind::Notice => "Notices",
                    TextKind::Failure => "Failure",
                };
                self.printed(style, text, styles, place, run.join);
            }
            Shown::Code(code) => self.code(code, place),
            Shown::Html { .. } => {}
            Shown::LeftOut { words } => {
                let words = self.run(words, Look::default());
                self.paragraph("LeftOut", Extra::default(), &words);
            }
            Shown::Table { table, cut } => {
                // A table has no thread of its own: cells are not paragraphs of the text.
                let strand = self.strand.take();
                self.data_table(table, cut.as_ref());
                self.strand = strand;
            }
            Shown::Figure { picture, alt } => {
                let caption = run.float.as_ref().map(|float| plain_text(&float.caption));
                let picture = self.picture(picture, &alt.clone().or(caption).unwrap_or_default(), None);
                self.paragraph("Figure", Extra::default(), &picture);
            }
            Shown::Blocks(blocks) => self.blocks(blocks),
        }
    }

    /// Code, a paragraph a line. Numbers of lines are those of a list, so that they are not copied with the code.
    pub fn code(&mut self, code: &Code, place: Option<&Id>) {
        let list = code.first_line.map(|first| self.lists.lines(first as usize));
        let lines = self.assets.highlighted.lines(code);
        let last = lines.len() - 1;
        for (at, line) in lines.iter().enumerate() {
            let mut inside = String::new();
            for (kind, part) in line {
                let name = kind.class().and_then(|class| CODE_PARTS.iter().find(|(known, _)| *known == class));
                let style = name.map(|(_, name)| format!("Code{name}"));
                let look = Look { style: style.as_deref(), ..Look::default() };
                inside.push_str(&self.run(&part.replace('\t', "    "), look));
            }
            if let (0, Some(id)) = (at, place) {
                inside = self.bookmarks.around(id.as_str(), &inside);
            }
            let number = at as u32 + 1;
            let stressed = code.mark.iter().any(|(first, last)| (*first..=*last).contains(&number));
            // Short code stays on one page.
            let keeps_next = at < last && (last < 24 || at == 0 || at + 1 == last);
            let extra = Extra {
                keeps_next,
                list: list.map(|list| (list, 0)),
                ground: stressed.then_some(STRESSED),
                spacing: Some((if at == 0 { 80 } else { 0 }, if at == last { 80 } else { 0 })),
                ..Extra::default()
            };
            self.paragraph("Code", extra, &inside);
        }
    }

    /// What a block printed, a paragraph a line, in the colours that a program gave it.
    fn printed(
        &mut self,
        style: &str,
        text: &str,
        styles: &[(std::ops::Range<usize>, TextStyle)],
        place: Option<&Id>,
        joined: bool,
    ) {
        // In one frame with its code it stands on the same ground.
        let ground = joined.then(|| self.colours.paper_shade.to_uppercase());
        let mut start = 0;
        let count = text.split('\n').count();
        for (at, line) in text.split('\n').enumerate() {
            let end = start + line.len();
            let mut inside = String::new();
            let mut from = start;
            for (range, look) in styles.iter().filter(|(range, _)| range.start < end && range.end > start) {
                let (begin, stop) = (range.start.max(start), range.end.min(end));
                inside.push_str(&self.run(&text[from..begin].replace('\t', "    "), Look::default()));
                inside.push_str(&self.coloured(&text[begin..stop].replace('\t', "    "), look));
                from = stop;
            }
            inside.push_str(&self.run(&text[from..end].replace('\t', "    "), Look::default()));
            if let (0, Some(id)) = (at, place) {
                inside = self.bookmarks.around(id.as_str(), &inside);
            }
            let above = if at == 0 && !joined { 60 } else { 0 };
            let spacing = Some((above, if at + 1 == count { 60 } else { 0 }));
            self.paragraph(style, Extra { spacing, ground: ground.as_deref(), ..Extra::default() }, &inside);
            start = end + 1;
        }
    }

    fn coloured(&self, words: &str, style: &TextStyle) -> String {
        let strands = &self.colours.strands;
        let colour = style.colour.map(|colour| match colour.word() {
            "red" => strands[1],
            "green" => strands[2],
            "yellow" => strands[3],
            "blue" => strands[0],
            "magenta" => strands[4],
            "cyan" => "2b6a72",
            "white" => self.colours.ink_soft,
            _ => self.colours.ink,
        });
        let ground = style.ground.map(|colour| match colour.word() {
            "red" => "F6D9D6",
            "green" => "D8ECDC",
            "yellow" => "F5E3B3",
            "blue" => "D9E5F3",
            "magenta" => "ECDCF0",
            "cyan" => "D4EAEC",
            _ => "E3DAC8",
        });
        let colour = colour.or(style.faint.then_some(self.colours.ink_soft)).map(str::to_uppercase);
        let look = Look {
            bold: style.bold,
            italic: style.italic,
            underlined: style.underlined,
            colour: colour.as_deref(),
            ground,
            ..Look::default()
        };
        self.run(words, look)
    }
}
