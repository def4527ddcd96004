//! What a typesetter makes of the marks on a keyboard: quotes, apostrophes, dashes, dots and the spaces beside them.

/// A space that breaks no line.
const FIXED: char = '\u{A0}';
/// The same, narrow.
const NARROW: char = '\u{202F}';

/// The marks of a language.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Marks {
    double: (&'static str, &'static str),
    single: (&'static str, &'static str),
    /// Whether a space stands before `;`, `!`, `?` and `:`.
    spaced: bool,
}

/// The marks by language; those of the first are for all that are not here.
#[rustfmt::skip]
const MARKS: &[(&str, Marks)] = &[
    ("en", Marks { double: ("“", "”"), single: ("‘", "’"), spaced: false }),
    ("de", Marks { double: ("„", "“"), single: ("‚", "‘"), spaced: false }),
    ("de-ch", Marks { double: ("«", "»"), single: ("‹", "›"), spaced: false }),
    ("fr", Marks { double: ("«\u{A0}", "\u{A0}»"), single: ("“", "”"), spaced: true }),
    ("fr-ch", Marks { double: ("«\u{202F}", "\u{202F}»"), single: ("‹\u{202F}", "\u{202F}›"), spaced: false }),
    ("es", Marks { double: ("«", "»"), single: ("“", "”"), spaced: false }),
    ("it", Marks { double: ("«", "»"), single: ("“", "”"), spaced: false }),
    ("pt", Marks { double: ("«", "»"), single: ("“", "”"), spaced: false }),
    ("pt-br", Marks { double: ("“", "”"), single: ("‘", "’"), spaced: false }),
    ("da", Marks { double: ("»", "«"), single: ("›", "‹"), spaced: false }),
    ("nb", Marks { double: ("«", "»"), single: ("‘", "’"), spaced: false }),
    ("nn", Marks { double: ("«", "»"), single: ("‘", "’"), spaced: false }),
    ("no", Marks { double: ("«", "»"), single: ("‘", "’"), spaced: false }),
    ("sv", Marks { double: ("”", "”"), single: ("’", "’"), spaced: false }),
    ("fi", Marks { double: ("”", "”"), single: ("’", "’"), spaced: false }),
    ("pl", Marks { double: ("„", "”"), single: ("‚", "’"), spaced: false }),
    ("cs", Marks { double: ("„", "“"), single: ("‚", "‘"), spaced: false }),
    ("hu", Marks { double: ("„", "”"), single: ("»", "«"), spaced: false }),
    ("tr", Marks { double: ("“", "”"), single: ("‘", "’"), spaced: false }),
    ("el", Marks { double: ("«", "»"), single: ("“", "”"), spaced: false }),
    ("ru", Marks { double: ("«", "»"), single: ("„", "“"), spaced: false }),
    ("uk", Marks { double: ("«", "»"), single: ("„", "“"), spaced: false }),
    ("ar", Marks { double: ("«", "»"), single: ("“", "”"), spaced: false }),
    ("ja", Marks { double: ("「", "」"), single: ("『", "』"), spaced: false }),
    ("zh", Marks { double: ("“", "”"), single: ("‘", "’"), spaced: false }),
    ("ko", Marks { double: ("“", "”"), single: ("‘", "’"), spaced: false }),
];

/// Sets the pieces of a running text, one after the other, as a typesetter of its language would. What a piece becomes
/// depends on those before it.
///
/// ```
/// use vineloom_language::Typesetter;
///
/// let mut setter = Typesetter::of("en");
/// assert_eq!(setter.set("\"It's dry\" -- 3--5 days...", None), "“It’s dry” – 3–5 days…");
/// assert_eq!(Typesetter::of("fr").set("\"Sec ?\" dit-elle", None), "«\u{A0}Sec\u{202F}?\u{A0}» dit-elle");
/// ```
#[derive(Debug, Clone)]
pub struct Typesetter {
    marks: Marks,
    /// What stands before; nothing at the start.
    before: Option<char>,
    /// The single quotes that are open.
    open: usize,
}

impl Typesetter {
    /// A typesetter for a language (BCP 47), at the start of a running text.
    pub fn of(tag: &str) -> Self {
        let tag = tag.to_lowercase().replace('_', "-");
        let named = |wanted: &str| MARKS.iter().find(|(tag, _)| *tag == wanted);
        let alone = tag.split('-').next().unwrap_or_default();
        let (_, marks) = named(&tag).or_else(|| named(alone)).unwrap_or(&MARKS[0]);
        Typesetter { marks: *marks, before: None, open: 0 }
    }

    /// Another running text begins.
    pub fn begin(&mut self) {
        (self.before, self.open) = (None, 0);
    }

    /// Something stands here that is not set: code, a formula, a value.
    pub fn pass(&mut self, text: &str) {
        self.before = text.chars().next_back().or(self.before);
    }

    /// A piece of text as it is set. `next` is what follows the piece, where that is known.
    pub fn set(&mut self, text: &str, next: Option<char>) -> String {
        let chars: Vec<char> = text.chars().collect();
        let mut set = String::with_capacity(text.len() + 8);
        let mut at = 0;
        while at < chars.len() {
            let rest = &chars[at..];
            let after = |skipped: usize| rest.get(skipped).copied().or(next);
            let taken = match rest {
                ['.', '.', '.', ..] if after(3) != Some('.') && self.before != Some('.') => {
                    set.push('…');
                    3
                }
                ['-', '-', '-', ..] if after(3) != Some('-') && self.before != Some('-') => {
                    set.push('—');
                    3
                }
                ['-', '-', ..] if self.is_dash(after(2)) => {
                    set.push('–');
                    2
                }
                ['"', ..] => {
                    let (open, close) = self.marks.double;
                    let mark = if self.opens(after(1)) { open } else { close };
                    // The space that a French quote brings is there once.
                    if mark.starts_with([FIXED, NARROW]) {
                        set.truncate(set.trim_end_matches([' ', FIXED, NARROW]).len());
                    }
                    set.push_str(mark);
                    1
                }
                ['\'', ..] => {
                    set.push_str(self.single(after(1)));
                    1
                }
                [' ', ';' | '!' | '?' | ':', ..] if self.marks.spaced => {
                    set.push(if rest[1] == ':' { FIXED } else { NARROW });
                    1
                }
                [c, ..] => {
                    set.push(*c);
                    1
                }
                [] => break,
            };
            self.before = Some(chars[at + taken - 1]);
            at += taken;
        }
        set
    }

    /// Whether a quote opens here: nothing, a space or something that opens stands before it, and no space behind it.
    fn opens(&self, after: Option<char>) -> bool {
        let before = match self.before {
            None => true,
            Some(c) => {
                c.is_whitespace() || matches!(c, '(' | '[' | '{' | '-' | '–' | '—' | '/' | '"' | '\'' | '“' | '‘')
            }
        };
        before && after.is_some_and(|c| !c.is_whitespace() && !matches!(c, ')' | ']' | ',' | '.' | ';' | '!' | '?'))
    }

    fn single(&mut self, after: Option<char>) -> &'static str {
        let letter_after = after.is_some_and(char::is_alphanumeric);
        // The '90s have lost something, and open nothing.
        let is_year = after.is_some_and(|c| c.is_ascii_digit());
        if self.opens(after) && !is_year {
            self.open += 1;
            return self.marks.single.0;
        }
        if self.open > 0 && !letter_after && self.before.is_some_and(|c| !c.is_whitespace()) {
            self.open -= 1;
            return self.marks.single.1;
        }
        "’"
    }

    /// Whether two hyphens are a dash: between spaces, or between letters or digits. An option such as `--again` has none
    /// behind it.
    fn is_dash(&self, after: Option<char>) -> bool {
        match (self.before, after) {
            (Some(before), Some(after)) => {
                before.is_whitespace() && after.is_whitespace() || before.is_alphanumeric() && after.is_alphanumeric()
            }
            _ => false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{languages, read};

    fn set(tag: &str, text: &str) -> String {
        Typesetter::of(tag).set(text, None)
    }

    #[test]
    fn quotes_open_and_close_as_the_language_has_them() {
        assert_eq!(set("en", "(\"a 'b' c\")"), "(“a ‘b’ c”)");
        assert_eq!(set("de", "\"Das 'Feld' ist's\""), "„Das ‚Feld‘ ist’s“");
        assert_eq!(set("fr", "l'eau : \"claire\" !"), "l’eau\u{A0}: «\u{A0}claire\u{A0}»\u{202F}!");
        assert_eq!(set("sv", "\"torr\""), "”torr”");
        assert_eq!(set("tlh", "\"x\""), "“x”");
    }

    #[test]
    fn apostrophes_years_and_feet_open_nothing() {
        assert_eq!(set("en", "the growers' '90s, it's"), "the growers’ ’90s, it’s");
        assert_eq!(set("de", "Ines' Feld"), "Ines’ Feld");
    }

    #[test]
    fn dashes_stand_where_somebody_meant_them() {
        assert_eq!(set("en", "a -- b, 3--5, x---y"), "a – b, 3–5, x—y");
        assert_eq!(set("en", "`weave` --again and -- at the end --"), "`weave` --again and – at the end --");
        assert_eq!(set("en", "---- and ...."), "---- and ....");
    }

    #[test]
    fn what_stands_before_in_another_piece_counts() {
        let mut setter = Typesetter::of("en");
        assert_eq!(setter.set("say \"", Some('x')), "say “");
        setter.pass("x");
        assert_eq!(setter.set("\" now", None), "” now");
        setter.begin();
        assert_eq!(setter.set("\"y\"", None), "“y”");
    }

    #[test]
    fn every_language_of_the_table_has_its_marks() {
        for language in languages().iter().map(read) {
            let alone = language.tag.split('-').next().unwrap_or_default();
            let known = MARKS.iter().any(|(tag, _)| *tag == language.tag || *tag == alone);
            assert!(known || language.tag == "nl", "{}", language.tag);
        }
    }
}
