//! A formula as a tree: what its MathML says, in the terms that other formats write formulas in.

use super::{MathError, mathml};
use ecow::EcoString;
use vineloom_woven::html_tokens::{Token, tokens};

/// A part of a formula.
#[derive(Debug, Clone, PartialEq)]
pub enum Node {
    /// Parts one after the other.
    Row(Vec<Node>),
    /// Letters, digits or a sign.
    Leaf {
        /// What they are.
        kind: LeafKind,
        /// The characters.
        text: String,
    },
    /// Room of so many em.
    Space(f64),
    /// One above the other.
    Fraction {
        /// The numerator.
        over: Box<Node>,
        /// The denominator.
        under: Box<Node>,
        /// Whether a line stands between them.
        ruled: bool,
    },
    /// A root.
    Root {
        /// What stands under its sign.
        of: Box<Node>,
        /// Which root, where it is not the square root.
        degree: Option<Box<Node>>,
    },
    /// Something with a subscript, a superscript, or both.
    Script {
        /// What they belong to.
        base: Box<Node>,
        /// The subscript.
        sub: Option<Box<Node>>,
        /// The superscript.
        sup: Option<Box<Node>>,
    },
    /// Something with a part below, above, or both.
    Limits {
        /// What they belong to.
        base: Box<Node>,
        /// The part below.
        under: Option<Box<Node>>,
        /// The part above.
        over: Option<Box<Node>>,
    },
    /// Rows of cells.
    Table {
        /// The cells.
        rows: Vec<Vec<Node>>,
        /// How the cells of its columns are aligned.
        columns: ColumnLook,
    },
    /// Something between delimiters that are as tall as it is.
    Fenced {
        /// The opening one; empty where there is none.
        open: String,
        /// What stands between them.
        inside: Box<Node>,
        /// The closing one; empty where there is none.
        close: String,
    },
    /// Something with a look of its own.
    Dressed(Dress, Box<Node>),
}

/// What a leaf is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LeafKind {
    /// A name: slanted where it is one letter.
    Name,
    /// A name that stands upright.
    Upright,
    /// A number.
    Number,
    /// An operator, a relation, punctuation.
    Operator,
    /// Words.
    Words,
}

/// How the cells of the columns of a table are aligned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ColumnLook {
    /// All are centred.
    Centred,
    /// All begin at the left.
    Left,
    /// All end at the right.
    Right,
    /// Columns end at the right and begin at the left by turns, so that they meet at a sign.
    Meeting,
}

/// A look.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Dress {
    /// In a frame.
    Framed,
    /// Struck through.
    Struck,
    /// Taking its room, and not seen.
    Unseen,
    /// In a colour: six hexadecimal digits.
    Coloured(String),
}

impl Node {
    /// Nothing at all.
    pub fn empty() -> Self {
        Node::Row(Vec::new())
    }

    /// Whether nothing stands in it.
    pub fn is_empty(&self) -> bool {
        matches!(self, Node::Row(parts) if parts.iter().all(Node::is_empty))
    }

    /// The characters of a leaf, also of one that stands alone in rows.
    pub fn sign(&self) -> Option<&str> {
        match self {
            Node::Leaf { text, .. } => Some(text),
            Node::Row(parts) => match parts.as_slice() {
                [one] => one.sign(),
                _ => None,
            },
            _ => None,
        }
    }
}

/// A formula as a tree. `macros` are definitions of the writer's own, as LaTeX.
///
/// # Errors
/// [`MathError`] with the part that failed.
///
/// ```
/// use vineloom_export::math::tree::{Node, read};
///
/// assert!(matches!(read("x^2", "", false), Ok(Node::Script { sub: None, .. })));
/// ```
pub fn read(latex: &str, macros: &str, display: bool) -> Result<Node, MathError> {
    let written = mathml(latex, macros, display)?;
    let mut stack = vec![Element::new("math", Vec::new())];
    for token in tokens(&written) {
        match token {
            Token::Open { name, attributes } => {
                stack.push(Element::new(&name, attributes));
                // These have no end of their own.
                if name == "mspace" {
                    close(&mut stack);
                }
            }
            Token::Close(name) if name != "mspace" => close(&mut stack),
            Token::Close(_) => {}
            Token::Text(text) => {
                if let Some(element) = stack.last_mut() {
                    element.text.push_str(&text);
                }
            }
        }
    }
    while stack.len() > 1 {
        close(&mut stack);
    }
    Ok(stack.pop().map_or_else(Node::empty, |whole| row(whole.parts)))
}

/// An element that is being read.
struct Element {
    name: String,
    attributes: Vec<(EcoString, EcoString)>,
    text: String,
    parts: Vec<Node>,
    /// The cells of a table or of a row.
    cells: Vec<Vec<Node>>,
}

impl Element {
    fn new(name: &str, attributes: Vec<(EcoString, EcoString)>) -> Self {
        Element { name: name.into(), attributes, text: String::new(), parts: Vec::new(), cells: Vec::new() }
    }

    fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
    }
}

/// Ends the innermost element, which becomes a part of the one around it.
fn close(stack: &mut Vec<Element>) {
    if stack.len() < 2 {
        return;
    }
    let Some(element) = stack.pop() else { return };
    let Some(outer) = stack.last_mut() else { return };
    match element.name.as_str() {
        "annotation" => {}
        "mtd" => outer.parts.push(dressed(&element, row(element.parts.clone()))),
        "mtr" => outer.cells.push(element.parts),
        _ => outer.parts.push(node(element)),
    }
}

fn node(element: Element) -> Node {
    let made = shape(&element);
    dressed(&element, made)
}

fn shape(element: &Element) -> Node {
    let mut parts = element.parts.iter().cloned();
    let mut next = || Box::new(parts.next().unwrap_or_else(Node::empty));
    let leaf = |kind| Node::Leaf { kind, text: element.text.clone() };
    match element.name.as_str() {
        "mi" if element.attribute("mathvariant") == Some("normal") => leaf(LeafKind::Upright),
        "mi" => leaf(LeafKind::Name),
        "mn" => leaf(LeafKind::Number),
        "mo" => leaf(LeafKind::Operator),
        "mtext" => leaf(LeafKind::Words),
        "mspace" => Node::Space(ems(element.attribute("width").unwrap_or("0"))),
        "mfrac" => {
            let ruled = element.attribute("linethickness").is_none_or(|thick| ems(thick) != 0.0);
            Node::Fraction { over: next(), under: next(), ruled }
        }
        "msqrt" => Node::Root { of: Box::new(row(element.parts.clone())), degree: None },
        "mroot" => Node::Root { of: next(), degree: Some(next()) },
        "msub" => Node::Script { base: next(), sub: Some(next()), sup: None },
        "msup" => Node::Script { base: next(), sub: None, sup: Some(next()) },
        "msubsup" => Node::Script { base: next(), sub: Some(next()), sup: Some(next()) },
        "munder" => Node::Limits { base: next(), under: Some(next()), over: None },
        "mover" => Node::Limits { base: next(), under: None, over: Some(next()) },
        "munderover" => Node::Limits { base: next(), under: Some(next()), over: Some(next()) },
        "mtable" => Node::Table { rows: element.cells.clone(), columns: columns(element) },
        _ => row(element.parts.clone()),
    }
}

/// Parts one after the other. Delimiters that may grow, at both ends or at the first, hold what stands between them.
fn row(mut parts: Vec<Node>) -> Node {
    if parts.len() == 1 {
        return parts.remove(0);
    }
    Node::Row(parts)
}

fn columns(table: &Element) -> ColumnLook {
    let class = table.attribute("class").unwrap_or("");
    match class {
        class if class.contains("menv-alignlike") => ColumnLook::Meeting,
        class if class.contains("cells-left") => ColumnLook::Left,
        class if class.contains("cells-right") => ColumnLook::Right,
        _ => ColumnLook::Centred,
    }
}

fn dressed(element: &Element, node: Node) -> Node {
    let style = element.attribute("style").unwrap_or("");
    let class = element.attribute("class").unwrap_or("");
    let dress = if style.contains("visibility: hidden") {
        Dress::Unseen
    } else if style.contains("border") && element.name != "mtable" {
        Dress::Framed
    } else if class == "mop-negated" {
        Dress::Struck
    } else if let Some(colour) = style.strip_prefix("color: ").and_then(hexadecimal) {
        Dress::Coloured(colour)
    } else {
        return fenced(element, node);
    };
    Node::Dressed(dress, Box::new(node))
}

/// A row that a tall delimiter begins is what stands between it and the one at its end.
fn fenced(element: &Element, node: Node) -> Node {
    let Node::Row(parts) = &node else { return node };
    let delimiter = |node: &Node| match node {
        Node::Leaf { kind: LeafKind::Operator, text } if text.chars().all(|c| "()[]{}|‖⟨⟩⌊⌋⌈⌉/\\↑↓".contains(c)) => {
            Some(text.clone())
        }
        _ => None,
    };
    let tall = |node: &Node| !matches!(node, Node::Leaf { .. } | Node::Space(_));
    if element.name != "mrow" || !parts.iter().any(tall) {
        return node;
    }
    let (first, last) = (parts.first().and_then(delimiter), parts.last().and_then(delimiter));
    let opens = first.as_deref().is_some_and(|sign| !")]}⟩⌋⌉".contains(sign));
    let closes = last.as_deref().is_some_and(|sign| !"([{⟨⌊⌈".contains(sign));
    let alone =
        |from: usize, to: usize| parts[from..to].iter().filter_map(delimiter).all(|sign| !"()[]{}⟨⟩".contains(&sign));
    let (open, close, inside) = match (first, last) {
        (Some(open), Some(close)) if opens && closes && parts.len() > 2 && alone(1, parts.len() - 1) => {
            (open, close, &parts[1..parts.len() - 1])
        }
        (Some(open), None) if opens && parts.len() == 2 => (open, String::new(), &parts[1..]),
        (None, Some(close)) if closes && parts.len() == 2 => (String::new(), close, &parts[..1]),
        _ => return node,
    };
    Node::Fenced { open, inside: Box::new(row(inside.to_vec())), close }
}

/// A length in em.
fn ems(length: &str) -> f64 {
    length.trim_end_matches("em").trim().parse().unwrap_or(0.0)
}

/// `rgb(255 0 0)` as `FF0000`.
fn hexadecimal(colour: &str) -> Option<String> {
    let parts = colour.trim().strip_prefix("rgb(")?.split(')').next()?;
    let numbers: Vec<u8> = parts.split_whitespace().filter_map(|part| part.parse().ok()).collect();
    match numbers.as_slice() {
        [red, green, blue] => Some(format!("{red:02X}{green:02X}{blue:02X}")),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kinds(latex: &str) -> String {
        fn of(node: &Node, out: &mut String) {
            let inner: Vec<&Node> = match node {
                Node::Row(parts) => parts.iter().collect(),
                Node::Leaf { text, .. } => {
                    out.push_str(text);
                    return;
                }
                Node::Space(_) => return,
                Node::Fraction { over, under, .. } => {
                    out.push('f');
                    vec![over, under]
                }
                Node::Root { of, degree } => {
                    out.push('r');
                    std::iter::once(&**of).chain(degree.as_deref()).collect()
                }
                Node::Script { base, sub, sup } => {
                    out.push('s');
                    [Some(base), sub.as_ref(), sup.as_ref()].into_iter().flatten().map(|part| &**part).collect()
                }
                Node::Limits { base, under, over } => {
                    out.push('l');
                    [Some(base), under.as_ref(), over.as_ref()].into_iter().flatten().map(|part| &**part).collect()
                }
                Node::Table { rows, .. } => {
                    out.push('t');
                    rows.iter().flatten().collect()
                }
                Node::Fenced { open, inside, close } => {
                    out.push_str(&format!("d{open}{close}"));
                    vec![inside]
                }
                Node::Dressed(dress, inner) => {
                    out.push_str(match dress {
                        Dress::Framed => "box",
                        Dress::Struck => "struck",
                        Dress::Unseen => "unseen",
                        Dress::Coloured(colour) => colour,
                    });
                    vec![inner]
                }
            };
            out.push('[');
            inner.into_iter().for_each(|part| of(part, out));
            out.push(']');
        }
        let mut out = String::new();
        of(&read(latex, "", true).unwrap(), &mut out);
        out
    }

    #[test]
    fn a_formula_is_what_it_says() {
        for (latex, expected) in [
            ("a_i^2", "s[ai2]"),
            ("\\frac{1}{2}", "f[12]"),
            ("\\sqrt[3]{x}", "r[x3]"),
            ("\\left(\\frac{a}{b}\\right)", "d()[f[ab]]"),
            ("\\begin{cases}1&x\\\\2&y\\end{cases}", "d{[t[1x2y]]"),
            ("\\begin{pmatrix}a\\\\b\\end{pmatrix}", "d()[t[ab]]"),
            ("\\boxed{x}", "box[x]"),
            ("\\phantom{x}", "unseen[x]"),
            ("\\color{red}{x}", "FF0000[x]"),
            ("\\sum_{i}^n", "l[∑in]"),
            ("x<y", "[x<y]"),
        ] {
            assert_eq!(kinds(latex), expected, "{latex}");
        }
    }
}
