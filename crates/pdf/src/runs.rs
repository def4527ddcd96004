//! Live blocks: their code, what they gave, and the colours in it.

use crate::long_lines::{parted, pieces};
use crate::pictures::Words;
use crate::source::{Writer, code_columns, string};
use std::fmt::Write as _;
use vineloom_export::highlight::Line;
use vineloom_woven::{Code, Float, FloatKind, Id, Run, Shown, TextKind, TextStyle};

/// How many lines of code and output are kept together on a page.
const KEPT_TOGETHER: usize = 24;

/// Whether a block is short enough to stand on one page as a whole.
fn is_short(run: &Run) -> bool {
    let code = run.code.as_ref().map_or(0, |code| code.text.lines().count());
    let results = run.results.iter().map(|shown| match shown {
        Shown::Text { text, .. } | Shown::Code(Code { text, .. }) => text.lines().count(),
        Shown::Html { .. } => 1,
        Shown::Table { table, .. } => table.rows.len() + 2,
        Shown::LeftOut { .. } => 1,
        // A picture is never broken; printed Markdown breaks as any text does.
        Shown::Figure { .. } => 12,
        Shown::Blocks(_) => KEPT_TOGETHER,
    });
    code + results.sum::<usize>() <= KEPT_TOGETHER
}

/// Whether the code of a block may stand on the page before its picture: where the picture has words of its own, which say
/// what it is, a page is rather filled than left half empty.
fn may_part(run: &Run) -> bool {
    let is_figure = run.float.as_deref().is_some_and(|float| float.kind == FloatKind::Figure);
    is_figure && !run.join && run.code.is_some() && matches!(run.results.first(), Some(Shown::Figure { .. }))
}

/// About how many lines a part of a long text has: for twice the lines in one, the typesetter takes four times as long.
const LINES_OF_PART: usize = 100;

/// A text in parts, each as how many lines stand before it and a string literal. No part begins or ends with an empty
/// line, whose height would be lost there.
fn in_parts(text: &str) -> String {
    let lines: Vec<&str> = text.split('\n').collect();
    let full = |at: usize| !lines[at].trim().is_empty();
    let mut parts = String::from("(");
    let mut begun = 0;
    while begun < lines.len() {
        let least = begun + LINES_OF_PART;
        let end = (least..lines.len()).find(|&at| full(at) && full(at - 1)).unwrap_or(lines.len());
        parts.push_str(&format!("({begun}, {}),", string(&lines[begun..end].join("\n"))));
        begun = end;
    }
    parts + ")"
}

/// The parts of a line of code that stand in each of its pieces.
fn line_in_pieces(line: Line, columns: usize) -> Vec<Line> {
    let whole: String = line.iter().map(|(_, part)| part.as_str()).collect();
    let pieces = pieces(&whole, columns);
    if pieces.len() == 1 {
        return vec![line];
    }
    let mut parted = vec![Line::new(); pieces.len()];
    let mut start = 0;
    for (kind, part) in line {
        for (piece, into) in pieces.iter().zip(&mut parted) {
            let (from, to) = (piece.start.max(start), piece.end.min(start + part.len()));
            if from < to {
                into.push((kind, part[from - start..to - start].to_string()));
            }
        }
        start += part.len();
    }
    parted
}

impl Writer<'_> {
    pub(crate) fn run(&mut self, run: &Run) {
        let _ = write!(
            self.out,
            "#run({}, knot: {}, joined: {}, dense: {}, whole: {})[",
            run.strand.0,
            run.code.is_some() || run.transcript,
            run.join,
            run.transcript,
            is_short(run) && !may_part(run)
        );
        let on_code = run.float.as_deref().is_some_and(|f| f.kind == FloatKind::Listing) && run.code.is_some();
        if let Some(code) = &run.code {
            let float = run.float.as_deref().filter(|_| on_code);
            // What would have been kept with its picture is kept by itself.
            let alone = may_part(run) && is_short(run);
            self.out.push_str(if alone { "#alone[" } else { "" });
            self.floating(float, Some(&run.id), |writer| writer.code(code));
            self.out.push_str(if alone { "]" } else { "" });
        }
        let float = run.float.as_deref().filter(|_| !on_code);
        if !run.results.is_empty() || float.is_some() {
            self.dense = run.transcript;
            self.floating(float, Some(&run.id), |writer| writer.results(&run.results));
            self.dense = false;
        }
        if run.float.is_none() {
            self.anchor(&run.id);
        }
        self.out.push(']');
    }

    /// Sets something as a numbered figure when it has a caption.
    pub(crate) fn floating(&mut self, float: Option<&Float>, id: Option<&Id>, body: impl FnOnce(&mut Self)) {
        let Some(float) = float else {
            body(self);
            return;
        };
        let kind = match float.kind {
            FloatKind::Figure => "image",
            FloatKind::Table => "table",
            FloatKind::Listing => "raw",
        };
        let _ = write!(self.out, "#floating({kind}, \"{}\", {}, [", float.word, float.number);
        self.inlines(&float.caption);
        self.out.push_str("])[");
        body(self);
        self.out.push(']');
        self.label(id);
    }

    pub(crate) fn code(&mut self, code: &Code) {
        let columns = self.columns_of_code();
        let (text, _, continued) = parted(&code.text.replace('\t', "    "), &[], columns);
        let _ = write!(self.out, "#code({}, (", in_parts(&text));
        let longest = self.longest_of_code();
        let mut lines = self.highlighted.lines(code);
        if code.text.contains('\t') {
            lines.iter_mut().flatten().for_each(|(_, part)| *part = part.replace('\t', "    "));
        }
        if !continued.is_empty() {
            lines = lines.into_iter().flat_map(|line| line_in_pieces(line, columns)).collect();
        }
        for line in lines {
            self.out.push('[');
            for (kind, part) in &with_spaces(line) {
                match kind.class() {
                    Some(class) => self.words(&format!("text(fill: code-colours.{class}, "), part, ")", longest),
                    None => self.words("", part, "", longest),
                }
            }
            self.out.push_str("],");
        }
        self.out.push(')');
        if let Some(first) = code.first_line {
            let _ = write!(self.out, ", first: {first}");
        }
        if !continued.is_empty() {
            let continued: String = continued.iter().map(|line| format!("{line},")).collect();
            let _ = write!(self.out, ", continued: ({continued})");
        }
        let marks = self.marks_shown(code);
        if !marks.is_empty() {
            let marked: String = marks.iter().flat_map(|&(a, b)| a..=b).map(|line| format!("{line},")).collect();
            let _ = write!(self.out, ", marked: ({marked})");
        }
        let numbers = code.first_line.map_or(0, |first| {
            let last = first as usize + text.lines().count();
            last.to_string().len().max(2) + 2
        });
        self.say_long_lines(&text, numbers);
        self.say_dense();
        self.out.push(')');
    }

    /// The marked parts of code that are shown: where they come step by step, the one whose turn it is.
    fn marks_shown(&mut self, code: &Code) -> Vec<(u32, u32)> {
        let Some(slide) = self.slide.as_mut().filter(|slide| self.marks_in_steps && slide.shown.is_some()) else {
            return code.mark.clone();
        };
        let before = slide.steps;
        slide.steps += code.mark.len() as u32;
        let turn = slide.shown.and_then(|shown| shown.checked_sub(before + 1));
        turn.and_then(|turn| code.mark.get(turn as usize)).copied().into_iter().collect()
    }

    /// How many columns of code stand on a line where we are.
    fn columns_of_code(&self) -> usize {
        (code_columns(self.options) as f64 * self.share) as usize
    }

    /// The longest word of code that is left whole.
    fn longest_of_code(&self) -> usize {
        self.columns_of_code().saturating_sub(12).max(6)
    }

    /// Which lines go on below, for there being no room: `taken` columns stand before each.
    fn say_long_lines(&mut self, text: &str, taken: usize) {
        let columns = self.columns_of_code().saturating_sub(taken);
        let is_long = |line: &str| line.len() > columns && line.chars().count() > columns;
        let long = text.split('\n').enumerate().filter(|(_, line)| is_long(line));
        let long: String = long.map(|(at, _)| format!("{},", at + 1)).collect();
        if !long.is_empty() {
            let _ = write!(self.out, ", long: ({long})");
        }
    }

    pub(crate) fn results(&mut self, results: &[Shown]) {
        for shown in results {
            match shown {
                Shown::Text { kind, text, styles } => {
                    let colour = match kind {
                        TextKind::Output | TextKind::Value => "ink",
                        TextKind::Notice => "soft",
                        TextKind::Failure => "strands.at(1)",
                    };
                    let (text, styles, _) = &parted(text, styles, self.columns_of_code());
                    let plain = text.replace('\t', "    ");
                    let _ = write!(self.out, "#output({}, colour: {colour}", in_parts(&plain));
                    let broken = plain.split_whitespace().any(|word| word.len() > self.longest_of_code());
                    if broken || !styles.is_empty() {
                        self.out.push_str(", lines: (");
                        self.styled_lines(text, styles);
                        self.out.push(')');
                    }
                    self.say_long_lines(&plain, 0);
                    self.say_dense();
                    self.out.push(')');
                }
                Shown::Code(code) => self.code(code),
                // What could be said without HTML has been; the rest was told.
                Shown::Html { .. } => {}
                Shown::LeftOut { words } => {
                    let _ = write!(self.out, "#left-out[{}]", words);
                }
                Shown::Table { table, cut } => self.data_table(table, cut.as_ref()),
                Shown::Figure { picture, alt } => {
                    let words = alt.as_deref().map_or(Words::Missing, Words::of);
                    self.picture("picture", picture, words, None);
                }
                Shown::Blocks(blocks) => self.blocks(blocks),
            }
            self.out.push('\n');
        }
    }

    pub(crate) fn say_dense(&mut self) {
        if self.dense {
            self.out.push_str(", dense: true");
        }
        if let Some(slide) = self.slide.filter(|slide| slide.code != 1.0) {
            let _ = write!(self.out, ", size: {} * code-size", slide.code);
        }
    }

    /// The lines of a text with the colours a program gave it.
    pub(crate) fn styled_lines(&mut self, text: &str, styles: &[(std::ops::Range<usize>, TextStyle)]) {
        let mut start = 0;
        for line in text.split('\n') {
            let end = start + line.len();
            let mut at = start;
            self.out.push('[');
            // They stand in the order of the text, and none over another.
            let first = styles.partition_point(|(range, _)| range.end <= start);
            for (range, style) in styles[first..].iter().take_while(|(range, _)| range.start < end) {
                let (from, to) = (range.start.max(start), range.end.min(end));
                self.plain_part(&text[at..from]);
                self.styled_part(&text[from..to], style);
                at = to;
            }
            self.plain_part(&text[at..end]);
            self.out.push_str("],");
            start = end + 1;
        }
    }

    pub(crate) fn plain_part(&mut self, part: &str) {
        if !part.is_empty() {
            self.words("", &part.replace('\t', "    "), "", self.longest_of_code());
        }
    }

    pub(crate) fn styled_part(&mut self, part: &str, style: &TextStyle) {
        let mut open = String::new();
        if let Some(ground) = style.ground {
            let _ = write!(open, "highlight(fill: ground-colours.{}, ", ground.word());
        }
        let mut look = String::new();
        if let Some(colour) = style.colour {
            let _ = write!(look, "fill: text-colours.{}, ", colour.word());
        } else if style.faint {
            look.push_str("fill: soft, ");
        }
        if style.bold {
            look.push_str("weight: \"bold\", ");
        }
        if style.italic {
            look.push_str("style: \"italic\", ");
        }
        let mut open = format!("{open}text({look}");
        let mut close = String::from(if style.ground.is_some() { "))" } else { ")" });
        if style.underlined {
            open.push_str("underline(");
            close.push(')');
        }
        self.words(&open, &part.replace('\t', "    "), &close, self.longest_of_code());
    }
}

/// The same line in fewer pieces: white space has no colour, and goes with what stands before it.
fn with_spaces(line: Line) -> Line {
    let mut joined = Line::new();
    for (kind, part) in line {
        match joined.last_mut() {
            Some((_, before)) if part.chars().all(|c| c == ' ') => before.push_str(&part),
            Some((known, before)) if *known == kind => before.push_str(&part),
            _ => joined.push((kind, part)),
        }
    }
    joined
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_texts_are_parted_between_full_lines() {
        assert_eq!(in_parts("a\n\nb"), "((0, \"a\\n\\nb\"),)");
        assert_eq!(in_parts(""), "((0, \"\"),)");
        let lines: Vec<String> =
            (0..250).map(|n| if (98..=101).contains(&n) { String::new() } else { n.to_string() }).collect();
        let parts = in_parts(&lines.join("\n"));
        let begun: Vec<&str> = parts.split("(").filter_map(|part| part.split_once(", \"")).map(|(n, _)| n).collect();
        assert_eq!(begun, ["0", "103", "203"]);
        assert_eq!(in_parts(&"\n".repeat(400)).matches("(0,").count(), 1, "nothing but empty lines is one part");
    }
}
