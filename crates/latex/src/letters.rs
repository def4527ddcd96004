//! Letters that pdflatex does not know by itself. Each gets a declaration; where it has no command, for pdflatex alone:
//! lualatex sets what its font has.

use deunicode::deunicode_char;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use vineloom_document::Diagnostic;

/// Letters that pdflatex sets by a command, in text.
const SIGNS: &[(char, &str)] = &[
    ('\u{2002}', "\\enspace{}"),
    ('\u{2003}', "\\quad{}"),
    ('\u{2009}', "\\,"),
    ('\u{202F}', "\\,"),
    ('\u{2007}', "\\phantom{0}"),
    ('\u{2010}', "-"),
    ('\u{2011}', "-"),
    ('\u{2012}', "--"),
    ('\u{2015}', "---"),
    ('\u{2212}', "\\ensuremath{-}"),
    ('\u{2032}', "\\ensuremath{'}"),
    ('\u{2033}', "\\ensuremath{''}"),
    ('→', "\\ensuremath{\\rightarrow}"),
    ('←', "\\ensuremath{\\leftarrow}"),
    ('↑', "\\ensuremath{\\uparrow}"),
    ('↓', "\\ensuremath{\\downarrow}"),
    ('↔', "\\ensuremath{\\leftrightarrow}"),
    ('⇒', "\\ensuremath{\\Rightarrow}"),
    ('⇐', "\\ensuremath{\\Leftarrow}"),
    ('⇔', "\\ensuremath{\\Leftrightarrow}"),
    ('↦', "\\ensuremath{\\mapsto}"),
    ('⟶', "\\ensuremath{\\longrightarrow}"),
    ('↩', "\\ensuremath{\\hookleftarrow}"),
    ('≤', "\\ensuremath{\\leq}"),
    ('≥', "\\ensuremath{\\geq}"),
    ('≠', "\\ensuremath{\\neq}"),
    ('≈', "\\ensuremath{\\approx}"),
    ('≡', "\\ensuremath{\\equiv}"),
    ('∼', "\\ensuremath{\\sim}"),
    ('∝', "\\ensuremath{\\propto}"),
    ('∞', "\\ensuremath{\\infty}"),
    ('∑', "\\ensuremath{\\sum}"),
    ('∏', "\\ensuremath{\\prod}"),
    ('∫', "\\ensuremath{\\int}"),
    ('√', "\\ensuremath{\\surd}"),
    ('∂', "\\ensuremath{\\partial}"),
    ('∇', "\\ensuremath{\\nabla}"),
    ('∈', "\\ensuremath{\\in}"),
    ('∉', "\\ensuremath{\\notin}"),
    ('⊂', "\\ensuremath{\\subset}"),
    ('⊆', "\\ensuremath{\\subseteq}"),
    ('∪', "\\ensuremath{\\cup}"),
    ('∩', "\\ensuremath{\\cap}"),
    ('∅', "\\ensuremath{\\emptyset}"),
    ('∀', "\\ensuremath{\\forall}"),
    ('∃', "\\ensuremath{\\exists}"),
    ('∧', "\\ensuremath{\\wedge}"),
    ('∨', "\\ensuremath{\\vee}"),
    ('∘', "\\ensuremath{\\circ}"),
    ('⋅', "\\ensuremath{\\cdot}"),
    ('★', "\\ensuremath{\\star}"),
    ('✓', "\\ensuremath{\\checkmark}"),
    ('✗', "\\ensuremath{\\times}"),
    ('☐', "\\ensuremath{\\square}"),
    ('☑', "\\ensuremath{\\boxtimes}"),
    ('ℝ', "\\ensuremath{\\mathbb{R}}"),
    ('ℕ', "\\ensuremath{\\mathbb{N}}"),
    ('ℤ', "\\ensuremath{\\mathbb{Z}}"),
    ('ℚ', "\\ensuremath{\\mathbb{Q}}"),
    ('ℂ', "\\ensuremath{\\mathbb{C}}"),
    ('─', "\\textemdash{}"),
    ('│', "\\textbar{}"),
    ('•', "\\textbullet{}"),
];

/// The Greek letters, capitals first, by the commands that they have; those that look as Latin ones do have none.
const GREEK: &[(char, &str)] = &[
    ('Γ', "Gamma"),
    ('Δ', "Delta"),
    ('Θ', "Theta"),
    ('Λ', "Lambda"),
    ('Ξ', "Xi"),
    ('Π', "Pi"),
    ('Σ', "Sigma"),
    ('Φ', "Phi"),
    ('Ψ', "Psi"),
    ('Ω', "Omega"),
    ('α', "alpha"),
    ('β', "beta"),
    ('γ', "gamma"),
    ('δ', "delta"),
    ('ε', "varepsilon"),
    ('ζ', "zeta"),
    ('η', "eta"),
    ('θ', "theta"),
    ('ι', "iota"),
    ('κ', "kappa"),
    ('λ', "lambda"),
    ('μ', "mu"),
    ('ν', "nu"),
    ('ξ', "xi"),
    ('π', "pi"),
    ('ρ', "rho"),
    ('σ', "sigma"),
    ('τ', "tau"),
    ('υ', "upsilon"),
    ('φ', "varphi"),
    ('χ', "chi"),
    ('ψ', "psi"),
    ('ω', "omega"),
];

/// Raised and lowered digits and signs, from the first on.
const RAISED: &str = "⁰¹²³⁴⁵⁶⁷⁸⁹⁺⁻⁼⁽⁾ⁿ";
const LOWERED: &str = "₀₁₂₃₄₅₆₇₈₉₊₋₌₍₎";
const PLAIN: &str = "0123456789+-=()n";

/// Whether pdflatex, with its fonts in the T1 encoding, knows a letter by itself.
fn is_known(c: char) -> bool {
    c.is_ascii()
        || matches!(c,
            '\u{A0}'..='\u{17F}' | '\u{218}'..='\u{21B}' | '–' | '—' | '‘' | '’' | '‚' | '“' | '”' | '„' | '†' | '‡' | '…' | '‰'
            | '‹' | '›' | '€' | '№' | '™' | '℃' | 'Ω')
            && !matches!(c, '\u{110}'..='\u{111}' | '\u{126}'..='\u{127}' | '\u{138}' | '\u{149}' | '\u{166}'..='\u{167}' | '\u{17F}' | 'Ω')
}

/// The declarations of the letters in a source that pdflatex does not know, and what is told of those for which it has
/// nothing but what they sound like.
pub(crate) fn declared(source: &str) -> (String, Option<Diagnostic>) {
    let letters: BTreeSet<char> = source.chars().filter(|c| !is_known(*c)).collect();
    if letters.is_empty() {
        return (String::new(), None);
    }
    let mut out = String::from("\\ifPDFTeX\n");
    // What has a command of its own is set by it in both: the usual font of lualatex lacks it as well.
    let mut both = String::from("\\else\n\\usepackage{newunicodechar}\n");
    let mut strange = String::new();
    for letter in letters {
        let set = match command(letter) {
            Some(set) => {
                // Writing to a String can't fail, here and below.
                let _ = writeln!(both, "\\newunicodechar{{{letter}}}{{{set}}}");
                set
            }
            None => {
                strange.push(letter);
                instead(letter)
            }
        };
        let _ = writeln!(out, "\\DeclareUnicodeCharacter{{{:04X}}}{{{set}}}", letter as u32);
    }
    out.push_str(&both);
    out.push_str("\\fi\n");
    let shown: Vec<String> = strange.chars().take(8).map(String::from).collect();
    let told = (!strange.is_empty()).then(|| {
        let message = format!("pdflatex has no letters for {}: what they sound like stands for them", shown.join(" "));
        Diagnostic::loss(message).help("lualatex sets them, where its font has them")
    });
    (out, told)
}

fn command(letter: char) -> Option<String> {
    if let Some((_, set)) = SIGNS.iter().find(|(known, _)| *known == letter) {
        return Some((*set).to_string());
    }
    if let Some((_, name)) = GREEK.iter().find(|(known, _)| *known == letter) {
        return Some(format!("\\ensuremath{{\\{name}}}"));
    }
    for (signs, place) in [(RAISED, "textsuperscript"), (LOWERED, "textsubscript")] {
        if let Some(at) = signs.chars().position(|sign| sign == letter) {
            let plain = PLAIN.chars().nth(at)?;
            return Some(format!("\\{place}{{{plain}}}"));
        }
    }
    None
}

/// What stands for a letter without a command.
fn instead(letter: char) -> String {
    let sound = deunicode_char(letter).map(|sound| crate::escape::text(sound.trim_end())).unwrap_or_default();
    let is_mark =
        matches!(letter, '\u{300}'..='\u{36F}' | '\u{FE00}'..='\u{FE0F}' | '\u{200D}' | '\u{1F3FB}'..='\u{1F3FF}');
    match sound.as_str() {
        "" if is_mark => String::new(),
        "" => format!("{{\\small U+{:04X}}}", letter as u32),
        sound => sound.to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_that_pdflatex_lacks_are_declared_and_strange_ones_told() {
        assert_eq!(declared("Größe – “x”"), (String::new(), None));
        let (out, told) = declared("θ ≤ x² ₂");
        assert!(out.contains("{03B8}{\\ensuremath{\\theta}}") && out.contains("{2082}{\\textsubscript{2}}"), "{out}");
        assert!(told.is_none() && out.starts_with("\\ifPDFTeX"));
        let (out, told) = declared("土");
        assert!(out.contains("{571F}{Tu}") && told.unwrap().message.contains('土'), "{out}");
    }
}
