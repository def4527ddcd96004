//! HTML of our own as XHTML: every element closed, nothing that wants a script, places in other files found.

use crate::xml::text;
use ecow::{EcoString, eco_format};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use vineloom_woven::html_tokens::{Token, tokens};

/// Elements that have no end.
const EMPTY: [&str; 6] = ["br", "hr", "img", "input", "col", "mspace"];

/// A piece of HTML that our writer wrote, read.
#[derive(Debug)]
pub(super) struct Piece {
    tokens: Vec<Token>,
}

impl Piece {
    /// Reads chapters, on all cores.
    pub fn read_all(chapters: Vec<String>) -> Vec<Self> {
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let share = chapters.len().div_ceil(cores).max(1);
        let read = |share: &[String]| share.iter().map(|html| Piece::read(html)).collect::<Vec<_>>();
        std::thread::scope(|scope| {
            let mut shares = chapters.chunks(share);
            let mut pieces = Vec::with_capacity(chapters.len());
            let own = shares.next().unwrap_or_default();
            let others: Vec<_> = shares.map(|share| scope.spawn(move || read(share))).collect();
            pieces.extend(read(own));
            for other in others {
                pieces.extend(other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)));
            }
            pieces
        })
    }

    /// Reads a piece.
    pub fn read(html: &str) -> Self {
        Piece { tokens: without_controls(tokens(html)) }
    }

    /// The places that it has.
    pub fn places(&self) -> impl Iterator<Item = &str> {
        self.tokens.iter().filter_map(|token| match token {
            Token::Open { attributes, .. } => value(attributes, "id"),
            _ => None,
        })
    }

    /// Whether it has an element of this name.
    pub fn has(&self, wanted: &str) -> bool {
        self.tokens.iter().any(|token| matches!(token, Token::Open { name, .. } if name == wanted))
    }

    /// The XHTML. `file_of` has the file that each place stands in, `own` is the file of this piece. The first heading is
    /// one of level 1.
    pub fn xhtml(&self, file_of: &BTreeMap<String, String>, own: &str) -> String {
        let shift = self.tokens.iter().find_map(|token| match token {
            Token::Open { name, .. } => level(name),
            _ => None,
        });
        let shift = shift.unwrap_or(1) - 1;
        let named = |name: &EcoString| match level(name) {
            Some(level) => eco_format!("h{}", level.saturating_sub(shift).max(1)),
            None => renamed(name),
        };
        let mut out = String::new();
        // Links that lead nowhere in a book are words.
        let mut lost = 0;
        // A footnote stands in each chapter that has a mark of it.
        let here: BTreeSet<&str> = self.places().collect();
        for token in &self.tokens {
            match token {
                Token::Open { name, attributes } if name == "a" && leads_nowhere(attributes, file_of) => {
                    lost += 1;
                    continue;
                }
                Token::Close(name) if name == "a" && lost > 0 => {
                    lost -= 1;
                    continue;
                }
                _ => {}
            }
            match token {
                Token::Text(words) => push_words(words, &mut out),
                Token::Close(name) if EMPTY.contains(&name.as_str()) => {}
                Token::Close(name) => {
                    let _ = write!(out, "</{}>", named(name));
                }
                Token::Open { name, attributes } => {
                    let _ = write!(out, "<{}", named(name));
                    attributes_of(
                        name,
                        attributes,
                        &|place| file_of.get(place).filter(|file| *file != own && !here.contains(place)),
                        &mut out,
                    );
                    out.push_str(if EMPTY.contains(&name.as_str()) { "/>" } else { ">" });
                }
            }
        }
        out
    }
}

/// Writes words, but for what can't stand in XML.
fn push_words(words: &str, out: &mut String) {
    for c in words.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '\u{FFFE}' | '\u{FFFF}' => {}
            c if c.is_control() && c != '\n' => {}
            c => out.push(c),
        }
    }
}

fn level(name: &str) -> Option<u8> {
    let level = name.strip_prefix('h')?.parse().ok()?;
    (1..=6).contains(&level).then_some(level)
}

/// What an element is in a book: folds lie open there.
fn renamed(name: &EcoString) -> EcoString {
    match name.as_str() {
        "details" => "div".into(),
        "summary" => "p".into(),
        _ => name.clone(),
    }
}

fn value<'a>(attributes: &'a [(EcoString, EcoString)], name: &str) -> Option<&'a str> {
    attributes.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
}

/// Whether a link leads to a place that is not there, or to a file that is no part of the book.
fn leads_nowhere(attributes: &[(EcoString, EcoString)], file_of: &BTreeMap<String, String>) -> bool {
    let Some(target) = value(attributes, "href") else { return false };
    match target.strip_prefix('#') {
        Some(place) => !file_of.contains_key(place),
        None => !target.split(['/', '?', '#']).next().unwrap_or("").contains(':'),
    }
}

fn attributes_of<'a>(
    name: &str,
    attributes: &[(EcoString, EcoString)],
    elsewhere: &dyn Fn(&str) -> Option<&'a String>,
    out: &mut String,
) {
    let class = value(attributes, "class").unwrap_or("");
    let scrolls = name == "div" && class.split(' ').next() == Some("table");
    let is_note = name == "a" && value(attributes, "href").is_some_and(|href| href.starts_with("#note-"));
    if is_note && !class.contains("back") {
        out.push_str(" epub:type=\"noteref\" role=\"doc-noteref\"");
    }
    if name == "aside" && class == "footnote" {
        out.push_str(" epub:type=\"footnote\" role=\"doc-footnote\"");
    }
    if name == "summary" {
        out.push_str(" class=\"fold-title\"");
    }
    for (attribute, value) in attributes {
        let known = match attribute.as_str() {
            // Nothing is opened, nothing runs; by keys, only what scrolls is walked to.
            "open" | "hidden" => false,
            "tabindex" => scrolls,
            "role" => scrolls || !matches!(name, "pre" | "div"),
            // What has no role needs no name, unless it is a part of the text.
            "aria-label" => scrolls || matches!(name, "a" | "aside" | "section" | "nav"),
            "data-strand" | "data-line" | "data-mark" | "data-rest" => true,
            attribute => !attribute.starts_with("on") && !attribute.starts_with("data-") && attribute.is_ascii(),
        };
        if !known {
            continue;
        }
        let value = match (attribute.as_str(), value.strip_prefix('#')) {
            ("href", Some(place)) => match elsewhere(place) {
                Some(file) => eco_format!("{file}#{place}"),
                None => value.clone(),
            },
            _ => value.clone(),
        };
        let value = if value.is_empty() && attribute != "alt" { attribute.clone() } else { value };
        let _ = write!(out, " {attribute}=\"{}\"", text(&value));
    }
}

/// The tokens without buttons and links of a heading to itself; boxes of tasks are signs.
fn without_controls(tokens: Vec<Token>) -> Vec<Token> {
    // What is being left out, and how deep it is.
    let mut leaving: Option<(EcoString, usize)> = None;
    let kept = |token| {
        if let Some((name, depth)) = &mut leaving {
            match &token {
                Token::Open { name: inner, .. } if inner == name => *depth += 1,
                Token::Close(inner) if inner == name => *depth -= 1,
                _ => {}
            }
            if *depth == 0 {
                leaving = None;
            }
            return None;
        }
        let Token::Open { name, attributes } = &token else { return Some(token) };
        match name.as_str() {
            "a" if value(attributes, "class") != Some("self") => Some(token),
            "a" | "button" => {
                leaving = Some((name.clone(), 1));
                None
            }
            "input" if value(attributes, "checked").is_some() => Some(Token::Text("☑".into())),
            "input" => Some(Token::Text("☐".into())),
            _ => Some(token),
        }
    };
    tokens.into_iter().filter_map(kept).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn xhtml(html: &str) -> String {
        let files = [("there".to_string(), "b.xhtml".to_string()), ("here".into(), "a.xhtml".into())];
        Piece::read(html).xhtml(&files.into(), "a.xhtml")
    }

    #[test]
    fn elements_are_closed_and_places_are_found_in_their_files() {
        assert_eq!(
            xhtml("<p>a<br>b &amp; c<img src=\"x.png\" alt=\"\"></p>"),
            "<p>a<br/>b &amp; c<img src=\"x.png\" alt=\"\"/></p>"
        );
        assert_eq!(
            xhtml("<a href=\"#there\">x</a><a href=\"#here\">y</a>"),
            "<a href=\"b.xhtml#there\">x</a><a href=\"#here\">y</a>"
        );
    }

    #[test]
    fn a_link_that_leads_nowhere_is_words() {
        assert_eq!(
            xhtml(
                "<p><a href=\"data/a.csv\">file</a> <a href=\"#gone\"><b>gone</b></a> <a href=\"https://x.org/a\">x</a></p>"
            ),
            "<p>file <b>gone</b> <a href=\"https://x.org/a\">x</a></p>"
        );
    }

    #[test]
    fn nothing_of_it_wants_a_script() {
        let html = "<h2 id=\"a\">A <a class=\"self\" href=\"#a\">#</a></h2><button type=\"button\">Copy</button><details class=\"fold\"><summary>More</summary><p onclick=\"x()\">In.</p></details><li><input type=\"checkbox\" disabled checked> Done.</li><h3>B</h3>";
        let out = xhtml(html);
        assert!(out.starts_with("<h1 id=\"a\">A </h1><div class=\"fold\"><p class=\"fold-title\">More</p>"), "{out}");
        assert!(out.ends_with("<li>☑ Done.</li><h2>B</h2>") && !out.contains("onclick"), "{out}");
    }
}
