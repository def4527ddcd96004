//! Formulas as a line of text, with the signs that Unicode has: `xᵢ² ≤ ½` where it reads, brackets and `^` elsewhere.

use super::omml::{combining, is_line};
use super::tree::{Dress, LeafKind, Node};

/// A formula as a line of text.
///
/// ```
/// use vineloom_export::math::{plain::plain, tree::read};
///
/// let line = |latex| plain(&read(latex, "", false).unwrap());
/// assert_eq!(line("a_i^2 \\le \\frac{x + 1}{n}"), "aᵢ² ≤ (x + 1)/n");
/// assert_eq!(line("\\sum_{i=1}^{n} x_i"), "∑ᵢ₌₁ⁿ xᵢ");
/// ```
pub fn plain(formula: &Node) -> String {
    let mut out = String::new();
    push(formula, &mut out);
    let mut tidy = String::with_capacity(out.len());
    for c in out.replace("\u{A0}", " ").trim().chars() {
        if c != ' ' || !tidy.ends_with(' ') {
            tidy.push(c);
        }
    }
    tidy
}

fn push(node: &Node, out: &mut String) {
    match node {
        Node::Row(parts) => row(parts, out),
        Node::Leaf { text, .. } => out.extend(text.chars().filter(|c| !matches!(c, '\u{2061}'..='\u{2064}'))),
        Node::Space(width) => out.push_str(if *width > 0.1 { " " } else { "" }),
        Node::Fraction { over, under, ruled: true } => {
            out.push_str(&format!("{}/{}", bracketed(over), bracketed(under)));
        }
        Node::Fraction { over, under, .. } => out.push_str(&format!("{} over {}", plain(over), plain(under))),
        Node::Root { of, degree } => {
            let sign = match degree.as_ref().map(|degree| plain(degree)).as_deref() {
                None => "√".to_string(),
                Some("3") => "∛".to_string(),
                Some("4") => "∜".to_string(),
                Some(degree) => script(degree, RAISED).unwrap_or_else(|| format!("({degree})")) + "√",
            };
            out.push_str(&format!("{sign}{}", bracketed(of)));
        }
        Node::Script { base, sub, sup } => {
            let begun = out.len();
            push(base, out);
            scripts(sub.as_deref(), sup.as_deref(), begun < out.len(), out);
        }
        Node::Limits { base, under, over } => limits(base, under.as_deref(), over.as_deref(), out),
        Node::Table { rows, .. } => {
            let line = |cells: &Vec<Node>| {
                cells.iter().map(plain).filter(|cell| !cell.is_empty()).collect::<Vec<_>>().join(" ")
            };
            out.push_str(&rows.iter().map(line).collect::<Vec<_>>().join("; "));
        }
        Node::Fenced { open, inside, close } => {
            out.push_str(open);
            out.push_str(&plain(inside));
            out.push_str(close);
        }
        Node::Dressed(Dress::Unseen, _) => out.push(' '),
        Node::Dressed(Dress::Struck, inner) => {
            plain(inner).chars().for_each(|c| out.extend([c, '\u{338}']));
        }
        Node::Dressed(Dress::Framed, inner) => out.push_str(&format!("[{}]", plain(inner))),
        Node::Dressed(Dress::Coloured(_), inner) => push(inner, out),
    }
}

/// Signs that stand between others with room on both sides.
fn stands_between(sign: &str) -> bool {
    let mut letters = sign.chars();
    let (Some(letter), rest) = (letters.next(), letters.next()) else { return false };
    rest.is_none_or(|next| next == '\u{338}')
        && ("=<>+−±∓×⋅·÷∗∘∼≈≠≤≥≡≅≃∝≪≫∈∉∋⊂⊆⊃⊇∪∩∧∨⊕⊗∖∣∥→←↔⇒⇐⇔↦⟶⟹⟺:∶≔".contains(letter) || letter == '-')
}

fn row(parts: &[Node], out: &mut String) {
    let mut stands_after_term = false;
    for (at, part) in parts.iter().enumerate() {
        match part {
            Node::Leaf { kind: LeafKind::Operator, text } if stands_between(text) => {
                // At the beginning, and behind another sign, it belongs to what follows.
                let between = stands_after_term && at + 1 < parts.len();
                out.push_str(&if between { format!(" {text} ") } else { text.clone() });
                stands_after_term = false;
            }
            Node::Leaf { kind: LeafKind::Operator, text } if text == "," || text == ";" => {
                out.push_str(&format!("{text} "));
                stands_after_term = false;
            }
            Node::Limits { base, .. } | Node::Script { base, .. } if base.sign().is_some_and(is_large) => {
                push(part, out);
                out.push(' ');
                stands_after_term = false;
            }
            Node::Limits { base, .. } if base.sign().is_some_and(stands_between) => {
                out.push(' ');
                push(part, out);
                out.push(' ');
                stands_after_term = false;
            }
            Node::Space(_) => push(part, out),
            part => {
                // A function is parted from what it is applied to.
                let named = |node: &Node| matches!(node.sign(), Some(sign) if sign.chars().filter(|c| c.is_alphabetic()).count() > 1);
                if at > 0 && named(part) && out.ends_with(|c: char| c.is_alphanumeric()) {
                    out.push(' ');
                }
                push(part, out);
                stands_after_term = true;
            }
        }
    }
}

fn is_large(sign: &str) -> bool {
    sign.chars().count() == 1 && sign.chars().all(|c| "∑∏∐∫∬∭∮⋃⋂⋁⋀⨁⨂".contains(c))
}

/// A part of a fraction or under a root, in brackets where it is more than one thing.
fn bracketed(node: &Node) -> String {
    let line = plain(node);
    let alone = line.chars().all(|c| c.is_alphanumeric() || ".,√∛∜′!".contains(c) || is_script(c) || is_mark(c));
    if alone || matches!(node, Node::Fenced { .. }) { line } else { format!("({line})") }
}

fn is_script(c: char) -> bool {
    RAISED.iter().chain(LOWERED).any(|(_, script)| *script == c)
}

fn is_mark(c: char) -> bool {
    matches!(c, '\u{300}'..='\u{36F}' | '\u{20D0}'..='\u{20F0}')
}

fn scripts(sub: Option<&Node>, sup: Option<&Node>, has_base: bool, out: &mut String) {
    for (part, table, sign) in [(sub, LOWERED, '_'), (sup, RAISED, '^')] {
        let Some(part) = part else { continue };
        let line = plain(part);
        let close: String = line.chars().filter(|c| *c != ' ').collect();
        if line.is_empty() {
            continue;
        }
        match script(&close, table) {
            // Primes stand raised as they are.
            _ if close.chars().all(|c| matches!(c, '′' | '″' | '‴')) => out.push_str(&close),
            Some(script) if has_base => out.push_str(&script),
            _ if close.chars().count() == 1 => out.extend([sign].into_iter().chain(close.chars())),
            _ => out.push_str(&format!("{sign}({line})")),
        }
    }
}

fn limits(base: &Node, under: Option<&Node>, over: Option<&Node>, out: &mut String) {
    let marked = |sign: &str| combining(sign).or(is_line(sign).then_some("\u{305}"));
    let brace = |node: &Node| matches!(node.sign(), Some("⏟" | "⏞" | "⎵" | "⎴"));
    match (under, over) {
        (None, Some(over)) if over.sign().and_then(marked).is_some() => {
            let mark = over.sign().and_then(marked).unwrap_or_default();
            for c in plain(base).chars() {
                out.push(c);
                out.push_str(mark);
            }
        }
        (Some(line), None) if line.sign().is_some_and(is_line) => {
            plain(base).chars().for_each(|c| out.extend([c, '\u{332}']));
        }
        (Some(part), None) | (None, Some(part)) if brace(part) => push(base, out),
        _ => {
            let begun = out.len();
            push(base, out);
            scripts(under, over, begun < out.len(), out);
        }
    }
}

/// A text in raised or lowered signs; nothing where one has none.
fn script(text: &str, table: &[(char, char)]) -> Option<String> {
    text.chars().map(|c| table.iter().find(|(plain, _)| *plain == c).map(|(_, script)| *script)).collect()
}

/// A text in raised signs; nothing where one has none.
pub(crate) fn raised(text: &str) -> Option<String> {
    script(text, RAISED)
}

/// A text in lowered signs; nothing where one has none.
pub(crate) fn lowered(text: &str) -> Option<String> {
    script(text, LOWERED)
}

/// Of a raised or lowered sign, what says so in a line, and the sign itself.
pub(crate) fn of_script(c: char) -> Option<(char, char)> {
    let find = |table: &[(char, char)]| table.iter().find(|(_, script)| *script == c).map(|(plain, _)| *plain);
    find(RAISED).map(|plain| ('^', plain)).or_else(|| find(LOWERED).map(|plain| ('_', plain)))
}

const RAISED: &[(char, char)] = &[
    ('0', '⁰'),
    ('1', '¹'),
    ('2', '²'),
    ('3', '³'),
    ('4', '⁴'),
    ('5', '⁵'),
    ('6', '⁶'),
    ('7', '⁷'),
    ('8', '⁸'),
    ('9', '⁹'),
    ('+', '⁺'),
    ('-', '⁻'),
    ('−', '⁻'),
    ('=', '⁼'),
    ('(', '⁽'),
    (')', '⁾'),
    ('n', 'ⁿ'),
    ('i', 'ⁱ'),
    ('k', 'ᵏ'),
    ('m', 'ᵐ'),
    ('t', 'ᵗ'),
    ('x', 'ˣ'),
];

const LOWERED: &[(char, char)] = &[
    ('0', '₀'),
    ('1', '₁'),
    ('2', '₂'),
    ('3', '₃'),
    ('4', '₄'),
    ('5', '₅'),
    ('6', '₆'),
    ('7', '₇'),
    ('8', '₈'),
    ('9', '₉'),
    ('+', '₊'),
    ('-', '₋'),
    ('−', '₋'),
    ('=', '₌'),
    ('(', '₍'),
    (')', '₎'),
    ('a', 'ₐ'),
    ('e', 'ₑ'),
    ('h', 'ₕ'),
    ('i', 'ᵢ'),
    ('j', 'ⱼ'),
    ('k', 'ₖ'),
    ('l', 'ₗ'),
    ('m', 'ₘ'),
    ('n', 'ₙ'),
    ('o', 'ₒ'),
    ('p', 'ₚ'),
    ('r', 'ᵣ'),
    ('s', 'ₛ'),
    ('t', 'ₜ'),
    ('u', 'ᵤ'),
    ('v', 'ᵥ'),
    ('x', 'ₓ'),
];

#[cfg(test)]
mod tests {
    use super::super::tree::read;
    use super::*;

    #[test]
    fn formulas_read_as_a_line() {
        for (latex, expected) in [
            ("x^{2}", "x²"),
            ("x_{max}", "xₘₐₓ"),
            ("x^{q}", "x^q"),
            ("e^{-x/2}", "e^(−x/2)"),
            ("\\frac{1}{2}", "1/2"),
            ("\\frac{a+b}{c}", "(a + b)/c"),
            ("\\sqrt{x}", "√x"),
            ("\\sqrt{x+1}", "√(x + 1)"),
            ("\\sqrt[3]{8}", "∛8"),
            ("-a + b", "−a + b"),
            ("f(x, y) = 0", "f(x, y) = 0"),
            ("\\hat{x}", "x\u{302}"),
            ("\\begin{pmatrix}a&b\\\\c&d\\end{pmatrix}", "(a b; c d)"),
            ("\\text{dry } x", "dry x"),
            ("\\sin x", "sin x"),
            ("\\int_0^1 x", "∫₀¹ x"),
            ("\\lim_{x \\to 0} f", "lim_(x → 0) f"),
            ("x \\in \\mathbb{R}", "x ∈ ℝ"),
            ("f'(x)", "f′(x)"),
        ] {
            assert_eq!(plain(&read(latex, "", false).unwrap()), expected, "{latex}");
        }
    }
}
