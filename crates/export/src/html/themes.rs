//! The looks of a page: four themes, named after dyes and cloth, and six schemes of code colours, as the values of CSS
//! custom properties. The rules that use them are in `page.css`.

use std::fmt::Write as _;

/// A theme: its values in light and in dark, by custom property.
pub(crate) struct Theme {
    name: &'static str,
    /// The scheme of code colours that it brings.
    scheme: &'static str,
    /// How it stands before the reader chooses: with the reader's system, or always dark.
    always_dark: bool,
    light: [&'static str; COLOURS],
    dark: [&'static str; COLOURS],
    /// Type and measure.
    serif: &'static str,
    /// Rules of its own for pages.
    rules: &'static str,
    /// Rules of its own for slides.
    slide_rules: &'static str,
}

/// How many colours a theme has.
const COLOURS: usize = 16;

/// The custom properties of a theme's colours, in the order of [`Theme::light`].
const PROPERTIES: [&str; COLOURS] = [
    "paper",
    "paper-shade",
    "ink",
    "ink-soft",
    "rule",
    "link",
    "thread",
    "mark",
    "strand-1",
    "strand-2",
    "strand-3",
    "strand-4",
    "strand-5",
    "strand-6",
    "band",
    "band-ink",
];

const SERIF: &str =
    r#""Iowan Old Style", "Palatino Linotype", Palatino, "Source Serif 4", "Noto Serif", Georgia, serif"#;
const PLAIN_SERIF: &str = r#""Times New Roman", "Liberation Serif", "Noto Serif", serif"#;

const THEMES: [Theme; 4] = [
    // Warm paper, a serif for long reading.
    Theme {
        name: "linen",
        scheme: "linen",
        always_dark: false,
        light: [
            "#faf6ee", "#f2ebdd", "#2a2520", "#665c50", "#d9cfbd", "#86301f", "#e3dac8", "#f5e3b3", "#355e8d",
            "#a23b3b", "#3f7550", "#88640d", "#75487f", "#6f4e37", "#faf6ee", "#2a2520",
        ],
        dark: [
            "#1f1c19", "#2a2622", "#e8e0d2", "#b8ad9b", "#4a433a", "#f0a58f", "#3a342d", "#4d4018", "#86b1e0",
            "#e88a86", "#8cc79d", "#dcb557", "#c89bd3", "#c9a288", "#1f1c19", "#e8e0d2",
        ],
        serif: SERIF,
        rules: "",
        slide_rules: "",
    },
    // Night: dark unless the reader wants it light.
    Theme {
        name: "indigo",
        scheme: "indigo",
        always_dark: true,
        light: [
            "#f5f7fc", "#e9edf6", "#1f2536", "#565e70", "#c6cee0", "#375fbe", "#d8dfee", "#f0e6b4", "#376aa4",
            "#b2453b", "#387350", "#85620f", "#8b539a", "#8d5e3c", "#f5f7fc", "#1f2536",
        ],
        dark: [
            "#171c2b", "#202840", "#e3e6ef", "#a9b1c6", "#3a4460", "#9db6f0", "#2a3350", "#3d3a1e", "#6ea8ea",
            "#ea8078", "#4cc080", "#e6a922", "#c789d8", "#d8905b", "#171c2b", "#e3e6ef",
        ],
        serif: SERIF,
        rules: "",
        slide_rules: "",
    },
    // A report, its title on a coloured band.
    Theme {
        name: "madder",
        scheme: "walnut",
        always_dark: false,
        light: [
            "#fffdfb", "#f6ecea", "#2b2021", "#6e5759", "#e0cfcc", "#9d2c37", "#ecdcd9", "#f4e2b8", "#376ba6",
            "#b2453b", "#387552", "#85610f", "#8b539a", "#8d5e3c", "#8c2f39", "#fffaf6",
        ],
        dark: [
            "#1c1817", "#2a2220", "#ece2df", "#beacaa", "#4c3f3d", "#f0a0a6", "#3a302e", "#4d3f18", "#5f9ce4",
            "#e87a70", "#4cb87a", "#e0a020", "#c483d4", "#d3854c", "#6d222b", "#fff4ee",
        ],
        serif: SERIF,
        rules: "header.title { background: var(--band); color: var(--band-ink); margin: 0 0 2.4rem -2.5rem; \
                padding: 2.6rem 2.5rem 2rem; border-radius: 3px; }\n\
                header.title .subtitle, header.title .affiliation, header.title .date { color: inherit; }\n\
                article::before { display: none; }\n\
                @media (max-width: 520px) { header.title { margin-left: -1.35rem; padding: 1.6rem 1.35rem; } }\n",
        slide_rules: ".slide.title-slide { background: var(--band); color: var(--band-ink); }\n\
                      .slide.title-slide :is(.subtitle, .affiliation, .date, a) { color: inherit; }\n\
                      .slide.title-slide::after { background: var(--band); border-color: var(--band-ink); }\n",
    },
    // No ornament, for submission.
    Theme {
        name: "undyed",
        scheme: "ink",
        always_dark: false,
        light: [
            "#ffffff", "#f4f4f2", "#1a1a1a", "#5c5c5c", "#cfcfcf", "#3b3b3b", "#ffffff", "#f0e6b4", "#5c5c5c",
            "#5c5c5c", "#5c5c5c", "#5c5c5c", "#5c5c5c", "#5c5c5c", "#ffffff", "#1a1a1a",
        ],
        dark: [
            "#181818", "#242424", "#e6e6e6", "#b0b0b0", "#444444", "#d0d0d0", "#181818", "#3a3418", "#b0b0b0",
            "#b0b0b0", "#b0b0b0", "#b0b0b0", "#b0b0b0", "#b0b0b0", "#181818", "#e6e6e6",
        ],
        serif: PLAIN_SERIF,
        rules: "article { padding-left: 0; } article::before, .run::before, .run::after { display: none; }\n\
                .notice-title { color: var(--ink) !important; }\n",
        slide_rules: ".slide::before, .slide.title-slide::after, .slide.divider::after { display: none; }\n",
    },
];

/// A scheme of code colours, in light and in dark.
pub(crate) struct Scheme {
    name: &'static str,
    light: [&'static str; 9],
    dark: [&'static str; 9],
}

/// What the colours of a scheme are for, in order.
const PARTS: [&str; 9] =
    ["comment", "keyword", "text", "number", "constant", "function", "type", "variable", "operator"];

const SCHEMES: [Scheme; 6] = [
    Scheme {
        name: "linen",
        light: ["#6a6053", "#ab3c28", "#436c3d", "#895804", "#895804", "#32649d", "#844d93", "#2a2520", "#6b6054"],
        dark: ["#b8b0a5", "#e6a094", "#8fbc88", "#f69e06", "#f69e06", "#91b4dc", "#c7a6d0", "#e8e0d2", "#b8afa5"],
    },
    Scheme {
        name: "indigo",
        light: ["#5b6274", "#3359cc", "#296d57", "#955115", "#955115", "#156993", "#734aba", "#1f2536", "#596278"],
        dark: ["#acb2be", "#9dafe7", "#5ec2a1", "#e9a163", "#e9a163", "#61bbe8", "#bca8de", "#e3e6ef", "#aab1c0"],
    },
    Scheme {
        name: "weld",
        light: ["#676251", "#7c5e07", "#466d29", "#a3451d", "#a3451d", "#246d61", "#96486f", "#2a2520", "#68614d"],
        dark: ["#b5b1a1", "#dfaa0c", "#85c15a", "#e89f7f", "#e89f7f", "#4bc3af", "#d3a4bb", "#e8e0d2", "#b7b19e"],
    },
    Scheme {
        name: "walnut",
        light: ["#6c6158", "#8f5330", "#5e682c", "#a84138", "#a84138", "#835a21", "#904e64", "#2a2520", "#6e6056"],
        dark: ["#b8afa8", "#d8a78a", "#a9b95b", "#dea39d", "#dea39d", "#d8a864", "#d0a7b5", "#e8e0d2", "#bbb0a8"],
    },
    Scheme {
        name: "lichen",
        light: ["#54665d", "#206f4a", "#526923", "#1f6b7a", "#1f6b7a", "#1c6e63", "#3c658d", "#1f2a25", "#54665d"],
        dark: ["#a4b4ac", "#3dc787", "#95bf40", "#54bfd4", "#54bfd4", "#31c6b2", "#96b4d2", "#dfe8e3", "#a4b4ac"],
    },
    Scheme {
        name: "ink",
        light: ["#626262", "#1a1a1a", "#4a4a4a", "#1a1a1a", "#1a1a1a", "#1a1a1a", "#1a1a1a", "#1a1a1a", "#4a4a4a"],
        dark: ["#b1b1b1", "#f2f2f2", "#c8c8c8", "#f2f2f2", "#f2f2f2", "#f2f2f2", "#f2f2f2", "#f2f2f2", "#c8c8c8"],
    },
];

fn theme(name: &str) -> &'static Theme {
    THEMES.iter().find(|theme| theme.name == name).unwrap_or(&THEMES[0])
}

fn scheme(name: &str) -> &'static Scheme {
    SCHEMES.iter().find(|scheme| scheme.name == name).unwrap_or(&SCHEMES[0])
}

/// The style sheet of a page: the theme's values, the rules, the theme's own rules. `code_colours` is a scheme, or the
/// theme's own when it names none.
pub(crate) fn style_sheet(name: &str, code_colours: &str) -> String {
    let theme = theme(name);
    let scheme = scheme(if code_colours == "theme" { theme.scheme } else { code_colours });
    let values = |colours: &[&str; COLOURS], code: &[&str; 9]| {
        let mut values = String::new();
        // Writing to a String can't fail.
        for (property, colour) in PROPERTIES.iter().zip(colours) {
            let _ = write!(values, " --{property}: {colour};");
        }
        for (part, colour) in PARTS.iter().zip(code) {
            let _ = write!(values, " --code-{part}: {colour};");
        }
        values
    };
    // Figures are drawn for paper: in the dark they keep a white ground.
    let light = values(&theme.light, &scheme.light) + " --figure-ground: transparent;";
    let dark = values(&theme.dark, &scheme.dark) + " --figure-ground: #fff;";
    let serif = theme.serif;
    let mut sheet = match theme.always_dark {
        true => format!(":root {{{dark} --serif: {serif}; }}\n:root[data-look=light] {{{light} }}\n"),
        false => format!(
            ":root {{{light} --serif: {serif}; }}\n\
             @media (prefers-color-scheme: dark) {{ :root:not([data-look=light]) {{{dark} }} }}\n:root[data-look=dark] {{{dark} }}\n"
        ),
    };
    sheet.push_str(include_str!("page.css"));
    sheet.push_str(theme.rules);
    if scheme.name == "ink" {
        sheet.push_str(".k, .t { font-weight: 700; } .s { font-style: italic; }\n");
    }
    sheet
}

/// The colours of a theme, each as `RRGGBB`, for formats that have no style sheet and one look. A theme that is dark
/// before the reader chooses is dark here.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Palette {
    /// Whether its paper is darker than its ink.
    pub dark: bool,
    /// The ground of everything.
    pub paper: &'static str,
    /// The ground of code.
    pub paper_shade: &'static str,
    /// Text.
    pub ink: &'static str,
    /// Text of less weight.
    pub ink_soft: &'static str,
    /// Links.
    pub link: &'static str,
    /// The thread where no code stands.
    pub thread: &'static str,
    /// The strands, in the order in which they begin.
    pub strands: [&'static str; 6],
    /// The ground of the title; that of everything where it has none of its own.
    pub band: &'static str,
    /// The title on it.
    pub band_ink: &'static str,
    /// Those of code, by the class of its part.
    code: &'static [&'static str; 9],
}

impl Palette {
    /// The colour of a part of code, by the class that [`crate::highlight::Kind::class`] gives it.
    pub fn code(&self, class: &str) -> Option<&'static str> {
        let part = match class {
            "c" => "comment",
            "k" => "keyword",
            "s" => "text",
            "n" => "number",
            "l" => "constant",
            "f" => "function",
            "t" => "type",
            "o" => "operator",
            _ => return None,
        };
        let at = PARTS.iter().position(|name| *name == part)?;
        Some(digits(self.code[at]))
    }
}

/// A colour without the sign before it.
fn digits(colour: &'static str) -> &'static str {
    colour.trim_start_matches('#')
}

/// The colours of a theme. `code_colours` is a scheme, or the theme's own when it names none.
pub fn palette(name: &str, code_colours: &str) -> Palette {
    let theme = theme(name);
    let scheme = scheme(if code_colours == "theme" { theme.scheme } else { code_colours });
    let (colours, code) = match theme.always_dark {
        true => (&theme.dark, &scheme.dark),
        false => (&theme.light, &scheme.light),
    };
    let [paper, paper_shade, ink, ink_soft, _, link, thread, _, strands @ .., band, band_ink] = colours.map(digits);
    Palette { dark: theme.always_dark, paper, paper_shade, ink, ink_soft, link, thread, strands, band, band_ink, code }
}

/// The rules that a theme has for slides, which stand behind those of all slides.
pub(crate) fn slide_rules(name: &str) -> &'static str {
    theme(name).slide_rules
}

/// Whether a theme is dark unless the reader chooses otherwise.
pub(crate) fn is_always_dark(name: &str) -> bool {
    theme(name).always_dark
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Relative luminance, as WCAG 2.2 defines it.
    fn luminance(colour: &str) -> f64 {
        let part = |at: usize| f64::from(u8::from_str_radix(&colour[at..at + 2], 16).unwrap()) / 255.0;
        let linear = |c: f64| if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) };
        0.2126 * linear(part(1)) + 0.7152 * linear(part(3)) + 0.0722 * linear(part(5))
    }

    fn contrast(one: &str, other: &str) -> f64 {
        let (one, other) = (luminance(one), luminance(other));
        (one.max(other) + 0.05) / (one.min(other) + 0.05)
    }

    #[test]
    fn every_text_can_be_read_on_every_ground() {
        for theme in &THEMES {
            for (colours, look) in [(&theme.light, "light"), (&theme.dark, "dark")] {
                let value = |name: &str| colours[PROPERTIES.iter().position(|property| *property == name).unwrap()];
                let strands = ["strand-1", "strand-2", "strand-3", "strand-4", "strand-5", "strand-6"];
                for text in ["ink", "ink-soft", "link"].iter().chain(&strands) {
                    for ground in ["paper", "paper-shade"] {
                        let contrast = contrast(value(text), value(ground));
                        assert!(contrast >= 4.5, "{} {look}: {text} on {ground} {contrast:.2}", theme.name);
                    }
                }
                let band = contrast(value("band-ink"), value("band"));
                assert!(band >= 4.5, "{} {look}: band {band:.2}", theme.name);
                for scheme in &SCHEMES {
                    let code = if look == "light" { &scheme.light } else { &scheme.dark };
                    for (part, colour) in PARTS.iter().zip(code) {
                        for ground in ["paper-shade", "mark"] {
                            let contrast = contrast(colour, value(ground));
                            assert!(
                                contrast >= 4.5,
                                "{} {look}, {}: {part} on {ground} {contrast:.2}",
                                theme.name,
                                scheme.name
                            );
                        }
                    }
                }
            }
        }
    }

    #[test]
    fn the_options_name_every_theme_and_scheme() {
        use vineloom_document::options::{Kind, Place, entry};
        let words = |option: &str| match entry(option, Place::Export).unwrap().kind {
            Kind::Word(words) => words,
            _ => &[],
        };
        assert_eq!(words("theme"), THEMES.each_ref().map(|theme| theme.name));
        assert_eq!(words("code-colours")[1..], SCHEMES.each_ref().map(|scheme| scheme.name));
    }
}
