//! Code and what it printed, as listings.

use crate::escape::{code as in_line, listing, pieces};
use crate::writer::Writer;
use vineloom_woven::{Code, Run, Shown, TextKind, plain_text};
use vineloom_woven::{Float, FloatKind};

/// What ends the environment of code.
const END_OF_CODE: &str = "\\end{vlcode}\n";

impl Writer<'_> {
    /// A listing in colours. Where none can stand, its lines are text.
    pub fn code(&mut self, code: &Code, strand: Option<usize>) {
        if self.in_argument {
            return self.lines_as_text(&code.text);
        }
        let mut options = Vec::new();
        if let Some(strand) = strand {
            options.push(format!("rulecolor=\\color{{vlStrand{}}}", char::from(b'A' + (strand % 6) as u8)));
        } else {
            options.push("rulecolor=\\color{vlGround}".into());
        }
        if let Some(first) = code.first_line {
            options.push(format!("numbers=left,firstnumber={first},xleftmargin=2em"));
        }
        if !code.mark.is_empty() {
            let first = code.first_line.unwrap_or(1);
            let range = |(from, to): &(u32, u32)| format!("{}-{}", from + first - 1, to + first - 1);
            let all: Vec<String> = code.mark.iter().map(range).collect();
            options.push(format!("highlightlines={{{}}}", all.join(",")));
        }
        self.push(&format!("\\begin{{vlcode}}[{}]\n", options.join(",")));
        for line in self.assets.highlighted.lines(code) {
            let mut written = String::new();
            if let [(_, whole)] = line.as_slice() {
                let all: Vec<String> = pieces(whole).iter().map(|piece| listing(piece)).collect();
                if all.len() > 1 {
                    self.push(&(all.join("\n") + "\n"));
                    continue;
                }
            }
            for (kind, part) in &line {
                let part = listing(part);
                match kind.class().filter(|class| *class != "v") {
                    Some(class) if !part.trim().is_empty() => written.push_str(&format!("\\vl{class}{{{part}}}")),
                    _ => written.push_str(&part),
                }
            }
            self.push(&written);
            self.push("\n");
        }
        self.push(END_OF_CODE);
    }

    fn printed(&mut self, words: &str, kind: TextKind, strand: usize) {
        if self.in_argument {
            return self.lines_as_text(words);
        }
        let colour = match kind {
            TextKind::Failure => ",formatcom=\\color{vlFailure}",
            TextKind::Notice => ",formatcom=\\color{vlSoft}\\itshape",
            TextKind::Output | TextKind::Value => "",
        };
        let strand = char::from(b'A' + (strand % 6) as u8);
        self.push(&format!("\\begin{{vloutput}}[rulecolor=\\color{{vlStrand{strand}}}{colour}]\n"));
        self.lines(words);
        self.push("\\end{vloutput}\n");
    }

    /// Printed lines, those that are too long in pieces.
    fn lines(&mut self, words: &str) {
        for piece in words.split('\n').flat_map(pieces) {
            let line = listing(&piece);
            self.push(&line);
            self.push("\n");
        }
    }

    fn lines_as_text(&mut self, words: &str) {
        let lines: Vec<String> = words.split('\n').map(|line| format!("\\texttt{{{}}}", in_line(line))).collect();
        self.push(&format!("\n{}\n", lines.join("\\newline{}\n")));
    }

    pub fn run(&mut self, run: &Run) {
        let strand = run.strand.0;
        let float = run.float.as_ref();
        let listing_only = float.filter(|float| float.kind == FloatKind::Listing);
        if float.is_none() {
            self.place(&run.id);
        }
        listing_only.into_iter().for_each(|float| self.listing_caption(float, Some(&run.id)));
        if let Some(code) = &run.code {
            self.code(code, Some(strand));
        }
        let floats = float.filter(|float| float.kind != FloatKind::Listing);
        match floats {
            Some(float) => self.floating(float, Some(&run.id), &mut |writer| writer.results(run)),
            None => self.results(run),
        }
        self.push("\n");
    }

    fn results(&mut self, run: &Run) {
        let strand = run.strand.0;
        for shown in &run.results {
            match shown {
                Shown::Text { kind, text, .. } => {
                    let plain = matches!(kind, TextKind::Output | TextKind::Value);
                    match self.out.strip_suffix(END_OF_CODE).map(str::len) {
                        // Code and output in one frame are one environment.
                        Some(end) if run.join && plain => {
                            self.out.truncate(end);
                            self.lines(text);
                            self.push(END_OF_CODE);
                        }
                        _ => self.printed(text, *kind, strand),
                    }
                }
                Shown::Code(code) => self.code(code, Some(strand)),
                Shown::Html { .. } => {}
                Shown::LeftOut { words } => {
                    self.push(&format!("\n{{\\small\\itshape {}}}\n\n", words));
                }
                Shown::Table { table, cut } => self.data_table(table, cut.as_ref()),
                Shown::Figure { picture, alt } => {
                    let caption = run.float.as_ref().map(|float| plain_text(&float.caption));
                    let picture = self.picture(picture, &alt.clone().or(caption).unwrap_or_default(), run.span);
                    match self.fixed {
                        true => self.push(&format!("{picture}\n\n")),
                        false => self.push(&format!("\\begin{{center}}\n{picture}\n\\end{{center}}\n")),
                    }
                }
                Shown::Blocks(blocks) => self.blocks(blocks),
            }
        }
    }

    pub fn listing_caption(&mut self, float: &Float, id: Option<&vineloom_woven::Id>) {
        let words = self.inlines(&float.caption);
        self.push(&format!("\\vllistingcaption{{{words}}}"));
        if let Some(id) = id {
            self.push(&format!("\\label{{{}}}", crate::escape::label(id.as_str())));
        }
        self.push("\n");
    }
}
