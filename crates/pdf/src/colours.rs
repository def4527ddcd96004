//! The colours of what the typesetter sets: those of print, or for slides those of a theme.

use crate::options::PdfOptions;
use vineloom_export::html::{Palette, palette};

/// The colours of print, as definitions.
pub(crate) const PRINT: &str = include_str!("colours.typ");

/// What the definitions call each part of code, by its class.
const CODE: [&str; 8] = ["c", "k", "s", "n", "l", "f", "t", "o"];

/// The same definitions with the colours of a theme.
pub(crate) fn of_theme(palette: &Palette) -> String {
    let code = code(palette);
    let strands: String = palette.strands.iter().map(|strand| format!("\"#{strand}\", ")).collect();
    // The grounds that programs give their text carry the ink of the theme.
    let grounds = match palette.dark {
        false => ["f6d9d6", "d8ecdc", "f5e3b3", "d9e5f3", "ecdcf0", "d4eaec"],
        true => ["5a2a28", "274a30", "4d4018", "25405f", "4a2f55", "1f4a50"],
    };
    let [red, green, yellow, blue, magenta, cyan] = grounds;
    let (ink_cyan, stress) = if palette.dark { ("8ad0d8", "4d4018") } else { ("2b6a72", "f5e3b3") };
    let card = if palette.dark { "white" } else { "none" };
    let Palette { paper, paper_shade, ink, ink_soft, thread, link, band, band_ink, .. } = palette;
    format!(
        "#let ground = rgb(\"#{paper}\")\n#let ink = rgb(\"#{ink}\")\n#let soft = rgb(\"#{ink_soft}\")\n\
         #let faint = rgb(\"#{thread}\")\n#let shade = rgb(\"#{paper_shade}\")\n#let accent = rgb(\"#{link}\")\n\
         #let stress = rgb(\"#{stress}\")\n#let strands = ({strands}).map(rgb)\n#let code-colours = ({code}v: ink)\n\
         #let text-colours = (black: ink, red: strands.at(1), green: strands.at(2), yellow: strands.at(3), blue: strands.at(0), \
         magenta: strands.at(4), cyan: rgb(\"#{ink_cyan}\"), white: soft)\n\
         #let ground-colours = (black: faint, red: rgb(\"#{red}\"), green: rgb(\"#{green}\"), yellow: rgb(\"#{yellow}\"), \
         blue: rgb(\"#{blue}\"), magenta: rgb(\"#{magenta}\"), cyan: rgb(\"#{cyan}\"), white: faint)\n\
         #let band = rgb(\"#{band}\")\n#let band-ink = rgb(\"#{band_ink}\")\n\
         #let card = {card}\n"
    )
}

/// What a writer's house has otherwise than print.
pub(crate) fn of_house(options: &PdfOptions) -> String {
    let mut out = String::new();
    if options.code_colours != "theme" {
        out += &format!("#let code-colours = ({}v: ink)\n", code(&palette("linen", &options.code_colours)));
    }
    if let Some(accent) = &options.accent {
        out += &format!("#let accent = rgb(\"{accent}\")\n#let strands = (accent,) + strands.slice(1)\n");
    }
    out
}

/// The colours of the parts of code, as definitions.
fn code(palette: &Palette) -> String {
    CODE.iter().filter_map(|class| Some(format!("{class}: rgb(\"#{}\"), ", palette.code(class)?))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_theme_defines_what_print_defines() {
        let names = |source: &str| -> Vec<String> {
            let mut names: Vec<String> =
                source.split("#let ").skip(1).filter_map(|part| part.split(' ').next()).map(String::from).collect();
            names.sort();
            names
        };
        for theme in ["linen", "indigo", "madder", "undyed"] {
            assert_eq!(names(&of_theme(&palette(theme, "theme"))), names(PRINT), "{theme}");
        }
    }
}
