//! LaTeX math for the typesetter, from the same events that make the page's MathML.
//!
//! The events are a flat list in which an *element* is one event or a group, and fractions, roots and scripts
//! are followed by the elements they hold (`pulldown_latex::event` describes it). They are read by recursive
//! descent. Every symbol is written on its own, apart from its neighbours, so that letters stay letters.

use crate::source::string;
use std::fmt::Write as _;
use vineloom_export::math::event::{
    ArrayColumn, ColorTarget, ColumnAlignment, Content, DelimiterSize, DelimiterType, Dimension, EnvironmentFlow,
    Event, Font, Grouping, ScriptPosition, ScriptType, StateChange, Style, Visual,
};
use vineloom_export::math::{MathError, UNSEEN, with_events};

/// A formula in the typesetter's math notation, without the dollar signs.
///
/// # Errors
/// [`MathError`] with the part that can't be read.
pub(crate) fn formula(latex: &str, macros: &str) -> Result<String, MathError> {
    with_events(latex, macros, |events| {
        let mut reader = Reader { events: &events, at: 0 };
        reader.sequence().join(" ")
    })
}

struct Reader<'e> {
    events: &'e [Event<'e>],
    at: usize,
}

/// The rows of an environment, each a list of cells.
type Rows = Vec<Vec<String>>;

impl<'e> Reader<'e> {
    fn next(&mut self) -> Option<&'e Event<'e>> {
        let event = self.events.get(self.at);
        self.at += 1;
        event
    }

    /// Reads elements up to the end of the group, which it takes.
    fn sequence(&mut self) -> Vec<String> {
        let mut parts = Vec::new();
        while let Some(event) = self.events.get(self.at) {
            match event {
                Event::End => {
                    self.at += 1;
                    break;
                }
                Event::EnvironmentFlow(EnvironmentFlow::Alignment) => {
                    self.at += 1;
                    parts.push("&".into());
                }
                Event::EnvironmentFlow(EnvironmentFlow::NewLine { .. }) => {
                    self.at += 1;
                    parts.push("\\ ".into());
                }
                Event::EnvironmentFlow(EnvironmentFlow::StartLines { .. }) => self.at += 1,
                Event::StateChange(change) => {
                    self.at += 1;
                    let rest = self.sequence().join(" ");
                    parts.push(changed(change, &rest));
                    // The rest of the group was read with it, its end too.
                    return parts;
                }
                _ => parts.push(self.element()),
            }
        }
        parts
    }

    /// Reads one element as an argument: never empty, so that calls stay well formed.
    fn argument(&mut self) -> String {
        let element = self.element();
        if element.trim().is_empty() { "\"\"".into() } else { element }
    }

    fn element(&mut self) -> String {
        let Some(event) = self.next() else { return String::new() };
        match event {
            Event::Content(content) => symbol(content),
            Event::Begin(grouping) => self.group(grouping),
            Event::Visual(visual) => self.visual(visual),
            Event::Script { ty, position } => self.script(*ty, *position),
            Event::Space { width, .. } => width.as_ref().map(space).unwrap_or_default(),
            Event::StateChange(change) => {
                let rest = self.argument();
                changed(change, &rest)
            }
            Event::End | Event::EnvironmentFlow(_) => String::new(),
        }
    }

    fn visual(&mut self, visual: &Visual) -> String {
        match visual {
            Visual::SquareRoot => format!("sqrt({})", self.argument()),
            Visual::Root => {
                let (radicand, index) = (self.argument(), self.argument());
                format!("root({index}, {radicand})")
            }
            Visual::Fraction(bar) => {
                let (top, bottom) = (self.argument(), self.argument());
                if bar.is_some_and(|bar| bar.to_string().starts_with('0')) {
                    format!("mat(delim: #none, {top}; {bottom})")
                } else {
                    format!("frac({top}, {bottom})")
                }
            }
            Visual::Negation => {
                let element = self.argument();
                negated(element.trim()).unwrap_or_else(|| format!("cancel({element})"))
            }
        }
    }

    fn script(&mut self, ty: ScriptType, position: ScriptPosition) -> String {
        let function = match self.events.get(self.at) {
            Some(Event::Content(Content::Function(name))) => Some(*name),
            _ => None,
        };
        let base = self.argument();
        let (below, above) = match ty {
            ScriptType::Subscript => (Some(self.argument()), None),
            ScriptType::Superscript => (None, Some(self.argument())),
            ScriptType::SubSuperscript => (Some(self.argument()), Some(self.argument())),
        };
        if position == ScriptPosition::AboveBelow
            && let Some(accent) = accented(&base, below.as_deref(), above.as_deref())
        {
            return accent;
        }
        let base = match (position, function) {
            (ScriptPosition::Movable, Some(name)) => format!("op({}, limits: #true)", string(name)),
            (ScriptPosition::AboveBelow, _) => format!("limits({base})"),
            (ScriptPosition::Movable, None) => format!("limits({base}, inline: #false)"),
            (ScriptPosition::Right, _) => format!("scripts({base})"),
        };
        let mut attached = format!("attach({base}");
        for (side, script) in [("b", below), ("t", above)] {
            if let Some(script) = script {
                let _ = write!(attached, ", {side}: {script}");
            }
        }
        attached.push(')');
        attached
    }

    fn group(&mut self, grouping: &Grouping) -> String {
        match grouping {
            Grouping::Normal => self.sequence().join(" "),
            Grouping::LeftRight(left, right) => {
                let inner = self.sequence().join(" ");
                let side = |side: &Option<char>| side.map(escaped).unwrap_or_default();
                format!("lr({} {inner} {})", side(left), side(right))
            }
            Grouping::Matrix { alignment } => {
                let rows = self.rows();
                format!("mat(delim: #none, align: #{}, {})", side(*alignment), matrix(&rows))
            }
            Grouping::Array(columns) => {
                let rows = self.rows();
                let mut lines = Vec::new();
                let mut count = 0;
                for column in columns.iter() {
                    match column {
                        ArrayColumn::Column(_) => count += 1,
                        ArrayColumn::Separator(_) => lines.push(format!("{count},")),
                    }
                }
                let first = columns.iter().find_map(|c| if let ArrayColumn::Column(a) = c { Some(*a) } else { None });
                let augment =
                    match lines.iter().filter(|l| **l != "0," && **l != format!("{count},")).collect::<Vec<_>>() {
                        lines if lines.is_empty() => String::new(),
                        lines => format!("augment: #(vline: ({})), ", lines.into_iter().cloned().collect::<String>()),
                    };
                let align = side(first.unwrap_or(ColumnAlignment::Center));
                format!("mat(delim: #none, align: #{align}, {augment}{})", matrix(&rows))
            }
            Grouping::SubArray { alignment } => {
                let rows = self.rows();
                format!("mat(delim: #none, align: #{}, row-gap: #0.2em, {})", side(*alignment), matrix(&rows))
            }
            Grouping::Cases { left } => {
                let rows = self.rows();
                let lines: Vec<String> = rows.iter().map(|row| row.join(" & quad ")).collect();
                let reverse = if *left { "" } else { "reverse: #true, " };
                format!("cases({reverse}{})", lines.join(", "))
            }
            Grouping::Equation { .. }
            | Grouping::Align { .. }
            | Grouping::Aligned
            | Grouping::Alignat { .. }
            | Grouping::Alignedat { .. }
            | Grouping::Gather { .. }
            | Grouping::Gathered
            | Grouping::Multline
            | Grouping::Split => self.sequence().join(" "),
        }
    }

    /// Reads an environment as rows of cells, up to its end.
    fn rows(&mut self) -> Rows {
        let mut rows: Rows = vec![vec![String::new()]];
        while let Some(event) = self.events.get(self.at) {
            match event {
                Event::End => {
                    self.at += 1;
                    break;
                }
                Event::EnvironmentFlow(flow) => {
                    self.at += 1;
                    match flow {
                        EnvironmentFlow::Alignment => {
                            rows.last_mut().into_iter().for_each(|row| row.push(String::new()))
                        }
                        EnvironmentFlow::NewLine { .. } => rows.push(vec![String::new()]),
                        EnvironmentFlow::StartLines { .. } => {}
                    }
                }
                _ => {
                    let element = self.element();
                    if let Some(cell) = rows.last_mut().and_then(|row| row.last_mut()) {
                        cell.push(' ');
                        cell.push_str(&element);
                    }
                }
            }
        }
        if rows.len() > 1 && rows.last().is_some_and(|row| row.iter().all(|cell| cell.trim().is_empty())) {
            rows.pop();
        }
        rows
    }
}

fn matrix(rows: &Rows) -> String {
    let cell = |cell: &String| if cell.trim().is_empty() { "\"\"".to_string() } else { cell.trim().to_string() };
    rows.iter().map(|row| row.iter().map(cell).collect::<Vec<_>>().join(", ")).collect::<Vec<_>>().join("; ")
}

fn side(alignment: ColumnAlignment) -> &'static str {
    match alignment {
        ColumnAlignment::Left => "left",
        ColumnAlignment::Center => "center",
        ColumnAlignment::Right => "right",
    }
}

fn symbol(content: &Content) -> String {
    match content {
        Content::Text(text) => string(text),
        Content::Number(number) => number.chars().map(escaped).collect(),
        Content::Function(name) => format!("op({})", string(name)),
        Content::Ordinary { content, .. } | Content::LargeOp { content, .. } | Content::BinaryOp { content, .. } => {
            escaped(*content)
        }
        Content::Punctuation(content) => escaped(*content),
        Content::Relation { content, .. } => {
            let mut buffer = [0; 8];
            let text = content.encode_utf8_to_buf(&mut buffer);
            String::from_utf8_lossy(text).chars().map(escaped).collect::<Vec<_>>().join("")
        }
        Content::Delimiter { content, size, ty } => {
            let symbol = escaped(*content);
            match (size, ty) {
                (Some(size), _) => {
                    let em = match size {
                        DelimiterSize::Big => 1.2,
                        DelimiterSize::BIG => 1.8,
                        DelimiterSize::Bigg => 2.4,
                        DelimiterSize::BIGG => 3.0,
                    };
                    format!("lr(size: #{em}em, {symbol})")
                }
                (None, DelimiterType::Fence) => format!("mid({symbol})"),
                (None, _) => symbol,
            }
        }
    }
}

/// A character as itself: what means something in math notation is escaped, and what would run into its
/// neighbours stands apart.
fn escaped(c: char) -> String {
    match c {
        'a'..='z' | 'A'..='Z' | '0'..='9' | '.' => c.to_string(),
        c if c.is_ascii() && !c.is_ascii_whitespace() => format!("\\{c}"),
        c if c.is_whitespace() => "space.nobreak".into(),
        c => c.to_string(),
    }
}

fn negated(symbol: &str) -> Option<String> {
    let negated = match symbol.trim_start_matches('\\') {
        "=" => '≠',
        "<" => '≮',
        ">" => '≯',
        "∈" => '∉',
        "∋" => '∌',
        "∃" => '∄',
        "≡" => '≢',
        "≤" => '≰',
        "≥" => '≱',
        "∼" => '≁',
        "≈" => '≉',
        "⊂" => '⊄',
        "⊃" => '⊅',
        "⊆" => '⊈',
        "⊇" => '⊉',
        "∣" => '∤',
        "∥" => '∦',
        _ => return None,
    };
    Some(negated.to_string())
}

/// Accents, braces and lines above or below, when the script is one.
fn accented(base: &str, below: Option<&str>, above: Option<&str>) -> Option<String> {
    let call = match (below, above) {
        (None, Some(mark)) => match mark.trim_start_matches('\\') {
            "^" | "ˆ" | "\u{302}" => "hat",
            "~" | "˜" | "∼" => "tilde",
            "‾" | "¯" | "ˉ" | "―" => "overline",
            "→" | "⃗" => "arrow",
            "←" => "arrow.l",
            "˙" | "." => "dot",
            "¨" => "dot.double",
            "´" => "acute",
            "`" => "grave",
            "ˇ" => "caron",
            "˘" => "breve",
            "˚" => "circle",
            "⏞" => "overbrace",
            "⎴" => "overbracket",
            "⏜" => "overparen",
            _ => return None,
        },
        (Some(mark), None) => match mark.trim_start_matches('\\') {
            "_" | "‾" | "―" => "underline",
            "⏟" => "underbrace",
            "⎵" => "underbracket",
            "⏝" => "underparen",
            _ => return None,
        },
        _ => return None,
    };
    Some(format!("{call}({base})"))
}

fn changed(change: &StateChange, rest: &str) -> String {
    let rest = if rest.trim().is_empty() { "\"\"" } else { rest };
    match change {
        StateChange::Font(None) => rest.to_string(),
        StateChange::Font(Some(font)) => {
            let calls: &[&str] = match font {
                Font::BoldScript => &["bold", "cal"],
                Font::BoldItalic | Font::BoldSymbol => &["bold", "italic"],
                Font::Bold => &["upright", "bold"],
                Font::Fraktur => &["frak"],
                Font::Script => &["cal"],
                Font::Monospace => &["mono"],
                Font::SansSerif => &["sans"],
                Font::DoubleStruck | Font::DoubleStruckItalic => &["bb"],
                Font::Italic => &["italic"],
                Font::BoldFraktur => &["bold", "frak"],
                Font::SansSerifBoldItalic => &["bold", "italic", "sans"],
                Font::SansSerifItalic => &["italic", "sans"],
                Font::BoldSansSerif => &["bold", "sans"],
                Font::UpRight => &["upright"],
            };
            calls.iter().rev().fold(rest.to_string(), |inner, call| format!("{call}({inner})"))
        }
        StateChange::Style(style) => {
            let call = match style {
                Style::Display => "display",
                Style::Text => "inline",
                Style::Script => "script",
                Style::ScriptScript => "sscript",
            };
            format!("{call}({rest})")
        }
        StateChange::Color(colour) => {
            let (r, g, b) = colour.color;
            match colour.target {
                ColorTarget::Text if colour.color == UNSEEN => format!("#hide(${rest}$)"),
                ColorTarget::Text => format!("#text(fill: rgb({r}, {g}, {b}), ${rest}$)"),
                ColorTarget::Background => format!("#box(fill: rgb({r}, {g}, {b}), outset: 2pt, ${rest}$)"),
                ColorTarget::Border => format!("#box(stroke: 0.5pt + rgb({r}, {g}, {b}), inset: 2pt, ${rest}$)"),
            }
        }
    }
}

/// A width such as `0.5em`, as a space. The events give lengths that the web knows; x-heights are not ours.
fn space(width: &Dimension) -> String {
    let text = width.to_string();
    let split = text.find(|c: char| c.is_ascii_alphabetic()).unwrap_or(text.len());
    let number: f32 = text[..split].parse().unwrap_or(0.0);
    match &text[split..] {
        "ex" => format!("#h({}em)", number * 0.43),
        "mu" => format!("#h({number}em)"),
        unit @ ("em" | "pt" | "mm" | "cm" | "in") => format!("#h({number}{unit})"),
        "pc" => format!("#h({}pt)", number * 12.0),
        _ => String::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What the template defines is also seen in formulas, where it would take the place of the typesetter's own.
    #[test]
    fn the_template_takes_no_name_that_formulas_use() {
        let template = crate::colours::PRINT.to_string() + crate::template::OF_DOCUMENTS;
        let formulas = r"\frac{a}{b} \sqrt{x} \sqrt[3]{x} x_1 \sum_i \hat{x} \bar{x} \tilde{x} \vec{x} \dot{x} \overline{x} \underbrace{x}
            \mathbb{R} \mathcal{R} \mathfrak{R} \mathbf{R} \mathrm{R} \mathsf{R} \mathtt{R} \mathit{R} \left( x \middle| y \right)
            \begin{matrix} a \end{matrix} \begin{cases} a \end{cases} \displaystyle x \not x \sin x";
        let set = formula(formulas, "").unwrap();
        let names = set.split(|c: char| !c.is_ascii_alphabetic()).filter(|word| word.len() > 1);
        for name in names {
            assert!(
                !template.contains(&format!("#let {name} ")) && !template.contains(&format!("#let {name}(")),
                "{name}"
            );
        }
    }

    #[test]
    fn symbols_stand_apart_and_what_means_something_is_escaped() {
        assert_eq!(formula("ab", "").unwrap(), "a b");
        assert_eq!(formula(r"\frac{1}{x,y}", "").unwrap(), "frac(1, x \\, y)");
        assert_eq!(formula("x_1^2", "").unwrap(), "attach(scripts(x), b: 1, t: 2)");
        assert_eq!(formula(r#"\text{a "b"}"#, "").unwrap(), r#""a \"b\"""#);
    }
}
