//! HTML that does no more than set text: what a block prints as Markdown, and what stands in the front matter, keeps
//! such tags, and loses the others.
//!
//! A page shows what somebody's program printed to people who did not run it. So nothing that runs, loads, sends,
//! covers or leads anywhere but to a plain address gets through, and no tag closes what it has not opened.

use ecow::EcoString;
use vineloom_woven::html_tokens::{Token, tokens};
use vineloom_woven::{Block, Inline, InlineKind, Rewrite, Shown, Span};

/// Elements that set text. Their own attributes are in [`ATTRIBUTES`].
const ELEMENTS: [&str; 60] = [
    "a",
    "abbr",
    "b",
    "bdi",
    "bdo",
    "blockquote",
    "br",
    "caption",
    "cite",
    "code",
    "col",
    "colgroup",
    "dd",
    "del",
    "details",
    "dfn",
    "div",
    "dl",
    "dt",
    "em",
    "figcaption",
    "figure",
    "h2",
    "h3",
    "h4",
    "h5",
    "h6",
    "hr",
    "i",
    "img",
    "ins",
    "kbd",
    "li",
    "mark",
    "ol",
    "p",
    "pre",
    "q",
    "rp",
    "rt",
    "ruby",
    "s",
    "samp",
    "small",
    "span",
    "strong",
    "sub",
    "summary",
    "sup",
    "table",
    "tbody",
    "td",
    "tfoot",
    "th",
    "thead",
    "tr",
    "u",
    "ul",
    "var",
    "wbr",
];

/// Attributes that say nothing but how text is to be read or set, each with its element; any element may have those of
/// `*`.
const ATTRIBUTES: [(&str, &str); 15] = [
    ("*", "title"),
    ("*", "lang"),
    ("*", "dir"),
    ("a", "href"),
    ("img", "src"),
    ("img", "alt"),
    ("img", "width"),
    ("img", "height"),
    ("ol", "start"),
    ("details", "open"),
    ("td", "colspan"),
    ("td", "rowspan"),
    ("th", "colspan"),
    ("th", "rowspan"),
    ("th", "scope"),
];

/// Elements of which what stands in them is no text for a reader either.
const UNREAD: [&str; 7] = ["script", "style", "iframe", "noembed", "noframes", "title", "textarea"];

/// Elements that have no end.
const VOID: [&str; 5] = ["br", "col", "hr", "img", "wbr"];

/// Whether a source of an `<img>` is a picture that goes along with an export, so that nothing is asked for.
pub type IsPicture<'a> = &'a dyn Fn(&str) -> bool;

/// The same blocks with harmless tags only.
pub fn blocks(blocks: Vec<Block>, pictures: IsPicture) -> Vec<Block> {
    Harmless { pictures }.blocks(blocks)
}

/// The same running text with harmless tags only.
pub fn inlines(content: Vec<Inline>, pictures: IsPicture) -> Vec<Inline> {
    Harmless { pictures }.text(content)
}

/// Leaves harmless tags only, each closed where it was opened: in its list of blocks, in its running text.
struct Harmless<'a> {
    pictures: IsPicture<'a>,
}

impl Rewrite for Harmless<'_> {
    fn blocks(&mut self, blocks: Vec<Block>) -> Vec<Block> {
        let mut open = Open::new(self.pictures);
        let mut last = Span::NOWHERE;
        let mut harmless: Vec<Block> = Vec::with_capacity(blocks.len());
        for block in blocks {
            harmless.push(match block {
                Block::Html { html, span } => {
                    last = span;
                    Block::Html { html: open.filtered(&html), span }
                }
                other => self.inside(other),
            });
        }
        let rest = open.closed();
        if !rest.is_empty() {
            harmless.push(Block::Html { html: rest, span: last });
        }
        harmless
    }

    fn text(&mut self, text: Vec<Inline>) -> Vec<Inline> {
        let mut open = Open::new(self.pictures);
        let mut last = Span::NOWHERE;
        let mut harmless: Vec<Inline> = Vec::with_capacity(text.len());
        for inline in text {
            harmless.push(match &inline.kind {
                InlineKind::Html(html) => {
                    last = inline.span();
                    Inline::new(InlineKind::Html(open.filtered(html).into()), inline.span())
                }
                _ => self.inline(inline),
            });
        }
        let rest = open.closed();
        if !rest.is_empty() {
            harmless.push(Inline::new(InlineKind::Html(rest.into()), last));
        }
        harmless
    }

    fn shown(&mut self, shown: Shown) -> Shown {
        match shown {
            Shown::Html { html, alt } => Shown::Html { html: filtered(&html), alt },
            Shown::Blocks(blocks) => Shown::Blocks(self.blocks(blocks)),
            Shown::Text { .. }
            | Shown::Code(_)
            | Shown::LeftOut { .. }
            | Shown::Table { .. }
            | Shown::Figure { .. } => shown,
        }
    }
}

/// A piece of HTML with harmless tags only, each closed in it.
pub fn filtered(html: &str) -> String {
    let mut open = Open::new(&|_| true);
    open.filtered(html) + &open.closed()
}

/// Whether a piece of HTML is harmless as it is.
pub fn is_harmless(html: &str) -> bool {
    let mut unread = false;
    tokens(html).iter().all(|token| match token {
        Token::Open { name, attributes } => {
            unread |= UNREAD.contains(&name.as_str());
            is_element(name) && attributes.iter().all(|(attribute, value)| is_attribute(name, attribute, value))
        }
        Token::Close(name) => is_element(name),
        Token::Text(_) => !unread,
    })
}

fn is_element(name: &str) -> bool {
    ELEMENTS.contains(&name)
}

fn is_attribute(element: &str, name: &str, value: &str) -> bool {
    let known = ATTRIBUTES.iter().any(|(of, known)| *known == name && (*of == "*" || *of == element));
    known
        && match name {
            "href" => leads_to_a_page(value),
            // A file beside the document; nothing is fetched.
            "src" => value.starts_with("data:image/") || !value.contains(':') && !value.starts_with("//"),
            _ => true,
        }
}

/// Whether an address has no scheme, or one that shows a page or writes a letter.
fn leads_to_a_page(target: &str) -> bool {
    let plain: String = target.chars().filter(|c| !c.is_whitespace() && !c.is_control()).collect();
    match plain.split(['/', '?', '#']).next().unwrap_or("").split_once(':') {
        Some((scheme, _)) => ["http", "https", "mailto"].contains(&scheme.to_ascii_lowercase().as_str()),
        None => true,
    }
}

/// The elements that are open at a place.
struct Open<'a> {
    names: Vec<EcoString>,
    pictures: IsPicture<'a>,
}

impl<'a> Open<'a> {
    fn new(pictures: IsPicture<'a>) -> Self {
        Open { names: Vec::new(), pictures }
    }

    fn filtered(&mut self, html: &str) -> String {
        let mut kept = String::new();
        let mut skipped: Option<EcoString> = None;
        for token in tokens(html) {
            match token {
                Token::Close(name) if skipped.as_ref() == Some(&name) => skipped = None,
                _ if skipped.is_some() => {}
                Token::Open { name, .. } if UNREAD.contains(&name.as_str()) => skipped = Some(name),
                Token::Open { name, attributes } if name == "img" && !self.is_there(&attributes) => {
                    let words = attributes.iter().find(|(attribute, _)| attribute == "alt");
                    kept.push_str(&words.map_or_else(String::new, |(_, words)| escaped(words)));
                }
                Token::Open { name, attributes } if is_element(&name) => {
                    kept.push('<');
                    kept.push_str(&name);
                    for (attribute, value) in attributes.iter().filter(|(a, value)| is_attribute(&name, a, value)) {
                        kept.push_str(&format!(" {attribute}=\"{}\"", escaped(value)));
                    }
                    kept.push('>');
                    if !VOID.contains(&name.as_str()) {
                        self.names.push(name);
                    }
                }
                Token::Close(name) => {
                    // One that nothing opened here would close what is around it.
                    if let Some(at) = self.names.iter().rposition(|open| *open == name) {
                        for name in self.names.drain(at..).rev() {
                            kept.push_str(&format!("</{name}>"));
                        }
                    }
                }
                Token::Open { .. } => {}
                Token::Text(text) => kept.push_str(&escaped(&text)),
            }
        }
        kept
    }

    /// Whether the picture of an `<img>` goes along.
    fn is_there(&self, attributes: &[(EcoString, EcoString)]) -> bool {
        let source = attributes.iter().find(|(attribute, _)| attribute == "src");
        source.is_some_and(|(_, source)| source.starts_with("data:image/") || (self.pictures)(source))
    }

    /// The ends of all that is open.
    fn closed(&mut self) -> String {
        self.names.drain(..).rev().map(|name| format!("</{name}>")).collect()
    }
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tags_that_set_text_stay_and_all_others_go() {
        for (html, expected) in [
            ("CO<sub>2</sub>", "CO<sub>2</sub>"),
            ("<b>bold", "<b>bold</b>"),
            ("</div></main>after", "after"),
            ("<b><i>x</b>y</i>", "<b><i>x</i></b>y"),
            ("<script>alert(1)</script>after", "after"),
            ("<style>*{display:none}</style>after", "after"),
            ("<iframe src=x></iframe><object data=x><embed src=x><form action=x><input><button>b</button>", "b"),
            ("<img src=x onerror=alert(1)>", "<img src=\"x\">"),
            ("<IMG SRC=\"https://example.org/x.png\">", "<img>"),
            ("<img src=\"data:image/png;base64,AA\">", "<img src=\"data:image/png;base64,AA\">"),
            ("<svg onload=alert(1)><script>alert(1)</script></svg>", ""),
            ("<a href=\" java\nscript:alert(1)\">x</a>", "<a>x</a>"),
            ("<a href=\"data:text/html,x\" target=_blank>x</a>", "<a>x</a>"),
            ("<a href=\"https://example.org/?a=b&c\">x</a>", "<a href=\"https://example.org/?a=b&amp;c\">x</a>"),
            ("<p style=\"position:fixed\" class=x id=y>x</p>", "<p>x</p>"),
            ("<base href=//x><meta http-equiv=refresh content=0><link rel=stylesheet href=x>", ""),
            ("<math><mtext><img src=x onerror=alert(1)></mtext></math>", "<img src=\"x\">"),
            ("<b title='\"><script>'>x</b>", "<b title=\"&quot;&gt;&lt;script&gt;\">x</b>"),
        ] {
            assert_eq!(filtered(html), expected, "{html}");
            assert!(is_harmless(&filtered(html)), "{html}");
        }
        let mut open = Open::new(&|source| source == "there.svg");
        assert_eq!(open.filtered("<img src=x alt='a<b'><img src=there.svg>"), "a&lt;b<img src=\"there.svg\">");
        assert!(!is_harmless("<b onclick=x>") && !is_harmless("<script>") && is_harmless("a < b"));
    }
}
