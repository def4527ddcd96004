//! LaTeX that the parser of formulas lacks, said in LaTeX that it knows.

use std::collections::HashSet;
use vineloom_document::braced;

/// Commands that others can stand for, each with its definition.
#[rustfmt::skip]
const DEFINED: &[(&str, &str)] = &[
    ("\\mathscr", "\\def\\mathscr#1{\\mathcal{#1}}"),
    ("\\mathbfit", "\\def\\mathbfit#1{\\boldsymbol{#1}}"),
    ("\\pmb", "\\def\\pmb#1{\\boldsymbol{#1}}"),
    ("\\dddot", "\\def\\dddot#1{\\overset{\\ldots}{#1}}"),
    ("\\ddddot", "\\def\\ddddot#1{\\overset{\\ldots.}{#1}}"),
    ("\\Hat", "\\def\\Hat#1{\\hat{#1}}"),
    ("\\Check", "\\def\\Check#1{\\check{#1}}"),
    ("\\Tilde", "\\def\\Tilde#1{\\tilde{#1}}"),
    ("\\Acute", "\\def\\Acute#1{\\acute{#1}}"),
    ("\\Grave", "\\def\\Grave#1{\\grave{#1}}"),
    ("\\Dot", "\\def\\Dot#1{\\dot{#1}}"),
    ("\\Ddot", "\\def\\Ddot#1{\\ddot{#1}}"),
    ("\\Breve", "\\def\\Breve#1{\\breve{#1}}"),
    ("\\Bar", "\\def\\Bar#1{\\bar{#1}}"),
    ("\\Vec", "\\def\\Vec#1{\\vec{#1}}"),
    ("\\prescript", "\\def\\prescript#1#2#3{{}^{#1}_{#2}{#3}}"),
    ("\\smash", "\\def\\smash#1{#1}"),
    ("\\cramped", "\\def\\cramped#1{#1}"),
    ("\\llap", "\\def\\llap#1{#1}"),
    ("\\rlap", "\\def\\rlap#1{#1}"),
    ("\\clap", "\\def\\clap#1{#1}"),
    ("\\mathllap", "\\def\\mathllap#1{#1}"),
    ("\\mathrlap", "\\def\\mathrlap#1{#1}"),
    ("\\mathclap", "\\def\\mathclap#1{#1}"),
    ("\\tag", "\\def\\tag#1{\\qquad(\\mathrm{#1})}"),
    ("\\notag", "\\def\\notag{}"),
    ("\\nonumber", "\\def\\nonumber{}"),
    ("\\allowdisplaybreaks", "\\def\\allowdisplaybreaks{}"),
    ("\\displaybreak", "\\def\\displaybreak{}"),
    ("\\MoveEqLeft", "\\def\\MoveEqLeft{}"),
    ("\\label", "\\def\\label#1{}"),
    ("\\shoveleft", "\\def\\shoveleft#1{#1}"),
    ("\\shoveright", "\\def\\shoveright#1{#1}"),
    ("\\raisetag", "\\def\\raisetag#1{}"),
    ("\\leftroot", "\\def\\leftroot#1{}"),
    ("\\uproot", "\\def\\uproot#1{}"),
    ("\\boxed", "\\def\\boxed#1{{\\color{honeydew}#1}}"),
    ("\\Aboxed", "\\def\\Aboxed#1{{\\color{honeydew}#1}}"),
    ("\\bcancel", "\\def\\bcancel#1{\\cancel{#1}}"),
    ("\\xcancel", "\\def\\xcancel#1{\\cancel{#1}}"),
    ("\\phantom", "\\def\\phantom#1{{\\color{lavenderblush}#1}}"),
    ("\\hphantom", "\\def\\hphantom#1{{\\color{lavenderblush}#1}}"),
    ("\\vphantom", "\\def\\vphantom#1{}"),
    ("\\mathstrut", "\\def\\mathstrut{}"),
    ("\\sideset", "\\def\\sideset#1#2#3{{}#1{{#3}}#2}"),
    ("\\varlimsup", "\\def\\varlimsup{\\overline{\\lim}}"),
    ("\\varliminf", "\\def\\varliminf{\\underline{\\lim}}"),
    ("\\varinjlim", "\\def\\varinjlim{\\underrightarrow{\\lim}}"),
    ("\\varprojlim", "\\def\\varprojlim{\\underleftarrow{\\lim}}"),
    ("\\injlim", "\\def\\injlim{\\mathrm{inj\\,lim}}"),
    ("\\projlim", "\\def\\projlim{\\mathrm{proj\\,lim}}"),
    ("\\xleftrightarrow", "\\def\\xleftrightarrow#1{\\overset{#1}{\\longleftrightarrow}}"),
    ("\\xRightarrow", "\\def\\xRightarrow#1{\\overset{#1}{\\Longrightarrow}}"),
    ("\\xLeftarrow", "\\def\\xLeftarrow#1{\\overset{#1}{\\Longleftarrow}}"),
    ("\\xLeftrightarrow", "\\def\\xLeftrightarrow#1{\\overset{#1}{\\Longleftrightarrow}}"),
    ("\\xhookrightarrow", "\\def\\xhookrightarrow#1{\\overset{#1}{\\hookrightarrow}}"),
    ("\\xhookleftarrow", "\\def\\xhookleftarrow#1{\\overset{#1}{\\hookleftarrow}}"),
    ("\\xmapsto", "\\def\\xmapsto#1{\\overset{#1}{\\longmapsto}}"),
    ("\\xrightharpoonup", "\\def\\xrightharpoonup#1{\\overset{#1}{\\rightharpoonup}}"),
    ("\\xrightharpoondown", "\\def\\xrightharpoondown#1{\\overset{#1}{\\rightharpoondown}}"),
    ("\\xleftharpoonup", "\\def\\xleftharpoonup#1{\\overset{#1}{\\leftharpoonup}}"),
    ("\\xleftharpoondown", "\\def\\xleftharpoondown#1{\\overset{#1}{\\leftharpoondown}}"),
    ("\\xrightleftharpoons", "\\def\\xrightleftharpoons#1{\\overset{#1}{\\rightleftharpoons}}"),
    ("\\xleftrightharpoons", "\\def\\xleftrightharpoons#1{\\overset{#1}{\\leftrightharpoons}}"),
    ("\\bm", "\\def\\bm#1{\\boldsymbol{#1}}"),
    ("\\mspace", "\\def\\mspace#1{\\mkern#1}"),
    ("\\doublecap", "\\def\\doublecap{\\Cap{}}"),
    ("\\doublecup", "\\def\\doublecup{\\Cup{}}"),
    ("\\idotsint", "\\def\\idotsint{\\int\\cdots\\int{}}"),
    ("\\mod", "\\def\\mod#1{\\quad\\mathrm{mod}\\enspace{}#1}"),
    ("\\pod", "\\def\\pod#1{\\quad(#1)}"),
    ("\\splitfrac", "\\def\\splitfrac#1#2{\\substack{#1\\\\#2}}"),
    ("\\splitdfrac", "\\def\\splitdfrac#1#2{\\substack{#1\\\\#2}}"),
    ("\\overunderset", "\\def\\overunderset#1#2#3{\\overset{#1}{\\underset{#2}{#3}}}"),
    ("\\adjustlimits", "\\def\\adjustlimits{}"),
    ("\\shortintertext", "\\def\\shortintertext#1{\\\\\\text{#1}\\\\}"),
    ("\\intertext", "\\def\\intertext#1{\\\\\\text{#1}\\\\}"),
];

/// A formula and the definitions before it, in LaTeX that the parser knows.
pub(crate) fn known_latex(latex: &str, macros: &str) -> String {
    let formula = rewritten(latex);
    let macros = rewritten(macros);
    let used: HashSet<&str> = commands(&formula).chain(commands(&macros)).collect();
    let brought: String = DEFINED.iter().filter(|(command, _)| used.contains(command)).map(|(_, text)| *text).collect();
    format!("{brought}{macros}{formula}")
}

/// The commands of a text that are words.
fn commands(text: &str) -> impl Iterator<Item = &str> {
    text.match_indices('\\').map(|(at, _)| {
        let behind = &text[at + 1..];
        let letters = behind.bytes().take_while(u8::is_ascii_alphabetic).count();
        &text[at..=at + letters]
    })
}

/// What no definition can stand for: environments under other names, and arguments in a form that the parser does not take.
fn rewritten(latex: &str) -> String {
    if !latex.contains('\\') {
        return latex.to_string();
    }
    let has_environments = latex.contains("\\begin{");
    let mut text = if has_environments { with_known_environments(latex) } else { latex.to_string() };
    // The parser takes the star for a part of the operator's name.
    text = text.replace("\\operatorname*", "\\operatorname");
    text = text.replace("\\smash[b]", "\\smash").replace("\\smash[t]", "\\smash").replace("\\MoveEqLeft[", "\\hspace[");
    text = with_arguments(&text, "\\DeclareMathOperator*", 2, |part| {
        format!("\\def{}{{\\operatorname{{{}}}}}", part[0], part[1])
    });
    text = with_arguments(&text, "\\DeclareMathOperator", 2, |part| {
        format!("\\def{}{{\\operatorname{{{}}}}}", part[0], part[1])
    });
    // An operator is a name for the parser, and what it holds is not read.
    text = with_arguments(&text, "\\mathop", 1, |part| {
        let name = part[0].trim().strip_prefix("\\mathrm{").and_then(|rest| rest.strip_suffix('}'));
        operator(name.unwrap_or(part[0]), part[0])
    });
    text = with_arguments(&text, "\\operatorname", 1, |part| operator(part[0], &format!("\\mathrm{{{}}}", part[0])));
    for side in ["l", "r", "c"] {
        text = text.replace(&format!("\\cfrac[{side}]"), "\\cfrac");
    }
    text = with_arguments(&text, "\\hdotsfor", 1, |part| {
        let columns = part[0].trim().parse::<usize>().unwrap_or(1).clamp(1, 100);
        vec!["\\ldots"; columns].join("&")
    });
    for (infix, prefix) in INFIX {
        text = prefixed(&text, infix, prefix);
    }
    bare_delimiters(&if has_environments { with_text_cases(&text) } else { text })
}

/// The text with environments that the parser lacks under the names of such as it has.
fn with_known_environments(latex: &str) -> String {
    let mut text = latex.to_string();
    for (from, to) in [
        ("multline", "gather"),
        ("multlined", "gathered"),
        ("lgathered", "gathered"),
        ("rgathered", "gathered"),
        ("subarray", "array"),
    ] {
        for star in ["*", ""] {
            for part in ["begin", "end"] {
                let found = format!("\\{part}{{{from}{star}}}");
                if text.contains(&found) {
                    text = text.replace(&found, &format!("\\{part}{{{to}{star}}}"));
                }
            }
        }
    }
    text
}

/// An operator by its name; `otherwise` where that is more than letters.
fn operator(name: &str, otherwise: &str) -> String {
    match name.contains(['\\', '{', '^', '_']) {
        true => format!("{{{otherwise}}}"),
        false => format!("\\operatorname{{{name}}}"),
    }
}

/// Commands between two parts of a group, and those that take the two as arguments.
const INFIX: [(&str, &str); 3] = [("\\over", "\\frac"), ("\\choose", "\\binom"), ("\\atop", "\\genfrac{}{}{0pt}{}")];

/// The text with each `{a \over b}` as `{\frac{a}{b}}`.
fn prefixed(text: &str, infix: &str, prefix: &str) -> String {
    let mut text = text.to_string();
    let mut from = 0;
    while let Some(at) = text[from..].find(infix).map(|found| found + from) {
        let behind = at + infix.len();
        from = behind;
        if text[behind..].starts_with(|c: char| c.is_ascii_alphabetic()) {
            continue;
        }
        let start = group_edge(text[..at].char_indices().rev(), '{', '}').map_or(0, |start| start + 1);
        let end = group_edge(text[behind..].char_indices(), '}', '{').map_or(text.len(), |end| behind + end);
        let (above, below) = (text[start..at].trim(), text[behind..end].trim());
        let written = format!("{prefix}{{{above}}}{{{below}}}");
        text.replace_range(start..end, &written);
        from = start;
    }
    text
}

/// Where a group ends in one direction: at the first brace that nothing on the way has opened.
fn group_edge(chars: impl Iterator<Item = (usize, char)>, edge: char, other: char) -> Option<usize> {
    let mut depth = 0;
    for (at, c) in chars {
        if c == other {
            depth += 1;
        } else if c == edge && depth == 0 {
            return Some(at);
        } else if c == edge {
            depth -= 1;
        }
    }
    None
}

/// `cases*` and its like, whose second column is text.
fn with_text_cases(text: &str) -> String {
    let mut text = text.to_string();
    for name in ["cases", "dcases", "rcases", "drcases"] {
        let (begin, end) = (format!("\\begin{{{name}*}}"), format!("\\end{{{name}*}}"));
        while let Some((before, rest)) = text.split_once(&begin) {
            let Some((body, after)) = rest.split_once(&end) else { break };
            let row = |row: &str| match row.split_once('&') {
                Some((value, words)) => format!("{value}&\\text{{{}}}", words.trim()),
                None => row.to_string(),
            };
            let rows: Vec<String> = body.split("\\\\").map(row).collect();
            text = format!("{before}\\begin{{{name}}}{}\\end{{{name}}}{after}", rows.join("\\\\"));
        }
    }
    text
}

/// The text with each use of a command, its arguments in braces, replaced.
fn with_arguments(text: &str, command: &str, count: usize, replace: impl Fn(&[&str]) -> String) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find(command) {
        let (before, found) = rest.split_at(at);
        let mut behind = &found[command.len()..];
        // A length in square brackets before the arguments says how far apart.
        if let Some(length) = behind.strip_prefix('[').and_then(|inside| inside.split_once(']')) {
            behind = length.1;
        }
        let mut arguments = Vec::new();
        while arguments.len() < count {
            let Some((argument, after)) = braced(behind.trim_start()) else { break };
            arguments.push(argument);
            behind = after;
        }
        out.push_str(before);
        if arguments.len() == count {
            out.push_str(&replace(&arguments));
            rest = behind;
        } else {
            out.push_str(command);
            rest = &found[command.len()..];
        }
    }
    out + rest
}

/// `\genfrac` with its delimiters out of their braces, as the parser wants them.
fn bare_delimiters(latex: &str) -> String {
    let mut bare = String::new();
    let mut rest = latex;
    while let Some(at) = rest.find("\\genfrac") {
        let (before, after) = rest.split_at(at + "\\genfrac".len());
        bare.push_str(before);
        rest = after;
        for _ in 0..2 {
            let Some((delimiter, behind)) = rest.trim_start().strip_prefix('{').and_then(|it| it.split_once('}'))
            else {
                break;
            };
            bare.push_str(if delimiter.trim().is_empty() { "{}" } else { delimiter.trim() });
            rest = behind;
        }
    }
    bare + rest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn definitions_are_brought_for_what_is_used_and_for_nothing_else() {
        assert_eq!(known_latex("a + b", ""), "a + b");
        assert_eq!(known_latex("\\models \\model", ""), "\\models \\model");
        assert!(known_latex("a \\mod{b}", "").starts_with("\\def\\mod#1{"));
        assert!(known_latex("\\my", "\\def\\my{\\notag}").starts_with("\\def\\notag{}"));
    }

    #[test]
    fn arguments_in_braces_are_found_with_what_they_hold() {
        assert_eq!(rewritten("\\hdotsfor{3} x"), "\\ldots&\\ldots&\\ldots x");
        assert_eq!(rewritten("\\hdotsfor[1.5]{2}"), "\\ldots&\\ldots");
        assert_eq!(rewritten("\\hdotsfor 3"), "\\hdotsfor 3");
        assert_eq!(rewritten("\\DeclareMathOperator{\\am}{arg\\,{m}}"), "\\def\\am{{\\mathrm{arg\\,{m}}}}");
        assert_eq!(braced("{a\\}b}c"), Some(("a\\}b", "c")));
        assert_eq!(braced("x{a}"), None);
        assert_eq!(braced("{a"), None);
    }

    #[test]
    fn what_stands_between_two_parts_takes_them_as_arguments() {
        assert_eq!(rewritten("x + {a \\over {b + c}} \\overline{d}"), "x + {\\frac{a}{{b + c}}} \\overline{d}");
        assert_eq!(rewritten("n \\choose k"), "\\binom{n}{k}");
        assert_eq!(
            rewritten("\\begin{cases*} 1 & if $x$ \\\\ 0 & else\\end{cases*}"),
            "\\begin{cases} 1 &\\text{if $x$}\\\\ 0 &\\text{else}\\end{cases}"
        );
    }
}
