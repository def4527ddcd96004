//! Formulas as office programs have them: Office MathML, ECMA-376 part 1, section 22.1.

use super::tree::{ColumnLook, Dress, LeafKind, Node};
use crate::xml::text;

/// The namespace that the elements here stand in, under the prefix `m`.
pub const NAMESPACE: &str = "http://schemas.openxmlformats.org/officeDocument/2006/math";

/// A formula as the inside of an `m:oMath`. What the program around it says of a run (its face, and its colour, six
/// hexadecimal digits, where it has one of its own) is `look`'s.
///
/// ```
/// use vineloom_export::math::{omml::omml, tree::read};
///
/// let half = omml(&read("\\frac{1}{2}", "", false).unwrap(), &|_| String::new());
/// assert_eq!(half, "<m:f><m:num><m:r><m:t>1</m:t></m:r></m:num><m:den><m:r><m:t>2</m:t></m:r></m:den></m:f>");
/// ```
pub fn omml(formula: &Node, look: &dyn Fn(Option<&str>) -> String) -> String {
    let mut writer = Writer { out: String::new(), look, colour: None };
    writer.node(formula);
    writer.out
}

struct Writer<'a> {
    out: String,
    look: &'a dyn Fn(Option<&str>) -> String,
    colour: Option<&'a str>,
}

/// Signs that take what follows as their own, with limits at them.
const LARGE: &str = "∑∏∐∫∬∭∮∯∰⋃⋂⋁⋀⨀⨁⨂⨄⨆";

/// Signs above a letter, and the combining ones that office programs want.
const ACCENTS: [(&str, &str); 14] = [
    ("^", "\u{302}"),
    ("ˆ", "\u{302}"),
    ("~", "\u{303}"),
    ("˜", "\u{303}"),
    ("→", "\u{20D7}"),
    ("⃗", "\u{20D7}"),
    ("˙", "\u{307}"),
    ("¨", "\u{308}"),
    ("ˇ", "\u{30C}"),
    ("˘", "\u{306}"),
    ("´", "\u{301}"),
    ("`", "\u{300}"),
    ("˚", "\u{30A}"),
    ("⃛", "\u{20DB}"),
];

/// The combining sign of one that stands above a letter.
pub(super) fn combining(sign: &str) -> Option<&'static str> {
    ACCENTS.iter().find(|(known, _)| *known == sign).map(|(_, combining)| *combining)
}

/// Whether a sign is a line above or below.
pub(super) fn is_line(sign: &str) -> bool {
    matches!(sign, "‾" | "¯" | "_" | "―" | "─" | "\u{332}" | "\u{305}")
}

impl<'a> Writer<'a> {
    fn node(&mut self, node: &'a Node) {
        match node {
            Node::Row(parts) => self.row(parts),
            Node::Leaf { kind, text } => self.leaf(*kind, text),
            Node::Space(width) => self.space(*width),
            Node::Fraction { over, under, ruled } => {
                self.open("f");
                if !ruled {
                    self.push("<m:fPr><m:type m:val=\"noBar\"/></m:fPr>");
                }
                self.part("num", over);
                self.part("den", under);
                self.close("f");
            }
            Node::Root { of, degree } => {
                self.open("rad");
                match degree {
                    Some(degree) => self.part("deg", degree),
                    None => self.push("<m:radPr><m:degHide m:val=\"1\"/></m:radPr><m:deg/>"),
                }
                self.part("e", of);
                self.close("rad");
            }
            Node::Script { base, sub, sup } => self.script(base, sub.as_deref(), sup.as_deref()),
            Node::Limits { base, under, over } => self.limits(base, under.as_deref(), over.as_deref()),
            Node::Table { rows, columns } => self.table(rows, *columns),
            Node::Fenced { open, inside, close } => {
                self.open("d");
                let property = |name: &str, sign: &str| format!("<m:{name} m:val=\"{}\"/>", text(sign));
                let properties = property("begChr", open) + &property("endChr", close);
                self.push(&format!("<m:dPr>{properties}</m:dPr>"));
                self.part("e", inside);
                self.close("d");
            }
            Node::Dressed(dress, inner) => self.dressed(dress, inner),
        }
    }

    /// Parts one after the other. A large sign takes what follows, up to the next sign that adds or compares.
    fn row(&mut self, parts: &'a [Node]) {
        let mut at = 0;
        while at < parts.len() {
            match large(&parts[at]) {
                Some((sign, under_over, sub, sup)) => {
                    let ends = |node: &Node| matches!(node, Node::Leaf { kind: LeafKind::Operator, text } if !"()[]{}|′!".contains(text.as_str()));
                    let rest = &parts[at + 1..];
                    let taken = rest.iter().position(ends).unwrap_or(rest.len());
                    self.large(sign, under_over, sub, sup, &rest[..taken]);
                    at += 1 + taken;
                }
                None => {
                    self.node(&parts[at]);
                    at += 1;
                }
            }
        }
    }

    fn large(
        &mut self,
        sign: &str,
        under_over: bool,
        sub: Option<&'a Node>,
        sup: Option<&'a Node>,
        operand: &'a [Node],
    ) {
        let place = if under_over { "undOvr" } else { "subSup" };
        self.open("nary");
        let hidden = |name: &str, part: Option<&Node>| match part {
            Some(_) => String::new(),
            None => format!("<m:{name} m:val=\"1\"/>"),
        };
        let properties = format!("<m:chr m:val=\"{}\"/><m:limLoc m:val=\"{place}\"/>", text(sign))
            + &hidden("subHide", sub)
            + &hidden("supHide", sup);
        self.push(&format!("<m:naryPr>{properties}</m:naryPr>"));
        for (name, part) in [("sub", sub), ("sup", sup)] {
            self.open(name);
            part.into_iter().for_each(|part| self.node(part));
            self.close(name);
        }
        self.open("e");
        // An empty place would be shown as one to be filled.
        match operand {
            [] => self.run("", "\u{200B}"),
            operand => self.row(operand),
        }
        self.close("e");
        self.close("nary");
    }

    fn leaf(&mut self, kind: LeafKind, leaf: &str) {
        // What is applied, and what is multiplied without a sign, is seen without one.
        let leaf: String = leaf.chars().filter(|c| !matches!(c, '\u{2061}'..='\u{2064}')).collect();
        if leaf.is_empty() {
            return;
        }
        let style = match kind {
            LeafKind::Words => "<m:nor/>",
            LeafKind::Upright => "<m:sty m:val=\"p\"/>",
            LeafKind::Name if leaf.chars().count() > 1 => "<m:sty m:val=\"p\"/>",
            LeafKind::Name | LeafKind::Number | LeafKind::Operator => "",
        };
        self.run(style, &leaf);
    }

    fn space(&mut self, width: f64) {
        let space = match width {
            width if width <= 0.0 => return,
            width if width < 0.2 => "\u{2009}",
            width if width < 0.26 => "\u{205F}",
            width if width < 0.6 => "\u{2004}",
            width if width < 1.5 => "\u{2003}",
            _ => "\u{2003}\u{2003}",
        };
        self.run("", space);
    }

    fn run(&mut self, style: &str, words: &str) {
        let style = if style.is_empty() { String::new() } else { format!("<m:rPr>{style}</m:rPr>") };
        let look = (self.look)(self.colour);
        let room = if words.starts_with(char::is_whitespace) || words.ends_with(char::is_whitespace) {
            " xml:space=\"preserve\""
        } else {
            ""
        };
        self.push(&format!("<m:r>{style}{look}<m:t{room}>{}</m:t></m:r>", text(words)));
    }

    fn script(&mut self, base: &'a Node, sub: Option<&'a Node>, sup: Option<&'a Node>) {
        if base.sign().is_some_and(is_large) {
            return self.row_of_one(base, false, sub, sup);
        }
        let name = match (sub, sup) {
            (Some(_), Some(_)) => "sSubSup",
            (Some(_), None) => "sSub",
            _ => "sSup",
        };
        self.open(name);
        self.part("e", base);
        sub.into_iter().for_each(|part| self.part("sub", part));
        sup.into_iter().for_each(|part| self.part("sup", part));
        self.close(name);
    }

    /// A large sign that stands alone.
    fn row_of_one(&mut self, base: &'a Node, under_over: bool, sub: Option<&'a Node>, sup: Option<&'a Node>) {
        self.large(base.sign().unwrap_or_default(), under_over, sub, sup, &[]);
    }

    fn limits(&mut self, base: &'a Node, under: Option<&'a Node>, over: Option<&'a Node>) {
        if base.sign().is_some_and(is_large) {
            return self.row_of_one(base, true, under, over);
        }
        match (under, over) {
            (Some(under), None) => self.limit(base, under, Side::Below),
            (None, Some(over)) => self.limit(base, over, Side::Above),
            (Some(under), Some(over)) => {
                self.push("<m:limLow><m:e>");
                self.limit(base, over, Side::Above);
                self.push("</m:e>");
                self.part("lim", under);
                self.close("limLow");
            }
            (None, None) => self.node(base),
        }
    }

    fn limit(&mut self, base: &'a Node, part: &'a Node, side: Side) {
        let (position, justified, element) = match side {
            Side::Above => ("top", "bot", "limUpp"),
            Side::Below => ("bot", "top", "limLow"),
        };
        let sign = part.sign().unwrap_or_default();
        if let (Side::Above, Some(combining)) = (side, combining(sign)) {
            self.push(&format!("<m:acc><m:accPr><m:chr m:val=\"{combining}\"/></m:accPr>"));
            self.part("e", base);
            self.close("acc");
        } else if is_line(sign) {
            self.push(&format!("<m:bar><m:barPr><m:pos m:val=\"{position}\"/></m:barPr>"));
            self.part("e", base);
            self.close("bar");
        } else if matches!(sign, "⏟" | "⏞" | "⎵" | "⎴" | "⏝" | "⏜") {
            let properties =
                format!("<m:chr m:val=\"{sign}\"/><m:pos m:val=\"{position}\"/><m:vertJc m:val=\"{justified}\"/>");
            self.push(&format!("<m:groupChr><m:groupChrPr>{properties}</m:groupChrPr>"));
            self.part("e", base);
            self.close("groupChr");
        } else {
            self.open(element);
            self.part("e", base);
            self.part("lim", part);
            self.close(element);
        }
    }

    fn table(&mut self, rows: &'a [Vec<Node>], columns: ColumnLook) {
        let count = rows.iter().map(Vec::len).max().unwrap_or(0).max(1);
        let side = |at: usize| match columns {
            ColumnLook::Centred => "center",
            ColumnLook::Left => "left",
            ColumnLook::Right => "right",
            ColumnLook::Meeting if at.is_multiple_of(2) => "right",
            ColumnLook::Meeting => "left",
        };
        let column =
            |at: usize| format!("<m:mc><m:mcPr><m:count m:val=\"1\"/><m:mcJc m:val=\"{}\"/></m:mcPr></m:mc>", side(at));
        let columns: String = (0..count).map(column).collect();
        self.push(&format!("<m:m><m:mPr><m:plcHide m:val=\"1\"/><m:mcs>{columns}</m:mcs></m:mPr>"));
        for cells in rows {
            self.open("mr");
            for at in 0..count {
                match cells.get(at) {
                    Some(cell) => self.part("e", cell),
                    None => self.push("<m:e/>"),
                }
            }
            self.close("mr");
        }
        self.close("m");
    }

    fn dressed(&mut self, dress: &'a Dress, inner: &'a Node) {
        let (element, properties) = match dress {
            Dress::Coloured(colour) => {
                let before = self.colour.replace(colour);
                self.node(inner);
                self.colour = before;
                return;
            }
            Dress::Framed => ("borderBox", ""),
            Dress::Struck => (
                "borderBox",
                "<m:borderBoxPr><m:hideTop m:val=\"1\"/><m:hideBot m:val=\"1\"/><m:hideLeft m:val=\"1\"/>\
                 <m:hideRight m:val=\"1\"/><m:strikeBLTR m:val=\"1\"/></m:borderBoxPr>",
            ),
            Dress::Unseen => ("phant", "<m:phantPr><m:show m:val=\"0\"/></m:phantPr>"),
        };
        self.open(element);
        self.push(properties);
        self.part("e", inner);
        self.close(element);
    }

    fn part(&mut self, name: &str, node: &'a Node) {
        self.open(name);
        self.node(node);
        self.close(name);
    }

    fn open(&mut self, name: &str) {
        self.push(&format!("<m:{name}>"));
    }

    fn close(&mut self, name: &str) {
        self.push(&format!("</m:{name}>"));
    }

    fn push(&mut self, xml: &str) {
        self.out.push_str(xml);
    }
}

/// Where a limit stands.
#[derive(Clone, Copy)]
enum Side {
    Above,
    Below,
}

fn is_large(sign: &str) -> bool {
    let mut letters = sign.chars();
    matches!((letters.next(), letters.next()), (Some(sign), None) if LARGE.contains(sign))
}

/// A large sign, whether its limits stand below and above it, and the limits.
type Large<'a> = (&'a str, bool, Option<&'a Node>, Option<&'a Node>);

fn large(node: &Node) -> Option<Large<'_>> {
    match node {
        Node::Script { base, sub, sup } => {
            base.sign().filter(|sign| is_large(sign)).map(|sign| (sign, false, sub.as_deref(), sup.as_deref()))
        }
        Node::Limits { base, under, over } => {
            base.sign().filter(|sign| is_large(sign)).map(|sign| (sign, true, under.as_deref(), over.as_deref()))
        }
        Node::Leaf { text, .. } if is_large(text) => Some((text, false, None, None)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::super::tree::read;
    use super::*;

    fn written(latex: &str) -> String {
        omml(&read(latex, "", true).unwrap(), &|colour| colour.map_or_else(String::new, |it| format!("<c>{it}</c>")))
    }

    #[test]
    fn constructs_become_those_of_office_programs() {
        for (latex, expected) in [
            ("a_1^2", "<m:sSubSup><m:e>"),
            ("\\hat{x}", "<m:acc><m:accPr><m:chr m:val=\"\u{302}\"/></m:accPr><m:e>"),
            ("\\overline{AB}", "<m:bar><m:barPr><m:pos m:val=\"top\"/></m:barPr>"),
            ("\\sqrt{x}", "<m:degHide m:val=\"1\"/></m:radPr><m:deg/><m:e>"),
            ("\\binom{n}{k}", "<m:fPr><m:type m:val=\"noBar\"/></m:fPr>"),
            ("\\lim_{x\\to 0} f", "<m:limLow><m:e><m:r><m:rPr><m:sty m:val=\"p\"/></m:rPr><m:t>lim</m:t>"),
            ("\\begin{pmatrix}a&b\\end{pmatrix}", "<m:begChr m:val=\"(\"/><m:endChr m:val=\")\"/></m:dPr><m:e><m:m>"),
            ("\\color{red}{x}", "<c>FF0000</c>"),
            ("\\text{dry soil}", "<m:nor/>"),
            ("a < b", "<m:t>&lt;</m:t>"),
            ("\\boxed{x}", "<m:borderBox><m:e>"),
            ("\\underbrace{x}_{n}", "<m:groupChr>"),
        ] {
            assert!(written(latex).contains(expected), "{latex}: {}", written(latex));
        }
    }

    #[test]
    fn a_sum_takes_what_it_adds_and_no_more() {
        let sum = written("\\sum_{i=1}^n x_i y = z");
        let (inside, after) = sum.split_once("</m:nary>").unwrap();
        assert!(inside.contains("<m:limLoc m:val=\"undOvr\"/>") && inside.contains("<m:t>y</m:t>"), "{sum}");
        assert!(after.contains("<m:t>=</m:t>") && after.contains("<m:t>z</m:t>"), "{sum}");
        assert!(written("\\int_0^1").contains("<m:e><m:r><m:t>\u{200B}</m:t></m:r></m:e>"));
    }

    #[test]
    fn every_element_is_closed_in_its_turn() {
        for latex in [
            "\\sum_{i}^{n}\\frac{\\sqrt{a_i}}{b}",
            "\\left\\{\\begin{matrix}a&b\\\\c\\end{matrix}\\right.",
            "\\cancel{x}\\phantom{y}",
        ] {
            let mut open = Vec::new();
            for tag in written(latex).split('<').skip(1).filter_map(|part| part.split('>').next()) {
                match tag.strip_prefix('/') {
                    Some(name) => assert_eq!(open.pop().as_deref(), Some(name), "{latex}"),
                    None if tag.ends_with('/') => {}
                    None => open.push(tag.split(' ').next().unwrap_or("").to_string()),
                }
            }
            assert!(open.is_empty(), "{latex}: {open:?}");
        }
    }
}
