//! Exports in another folder than their document: relative links lead from there to what they led to.

use crate::placing::{stem, there_already};
use std::path::{Component, Path, PathBuf};
use vineloom_document::options::Format;
use vineloom_document::{Block, Inline, InlineKind, Part, Span, each_block, each_inline, parse_printed};
use vineloom_woven as woven;
use vineloom_woven::{Rewrite, Shown};

/// How links change when the exports of a document stand in another folder.
#[derive(Debug, Clone)]
pub(crate) struct Moved {
    /// The document's folder.
    from: PathBuf,
    /// From the folder of the exports to the document's.
    back: String,
    /// The folder of the exports' parts, which stands beside them.
    parts: String,
    /// All documents of the weave, whose exports stand beside these.
    companions: Vec<PathBuf>,
}

impl Moved {
    /// How links change; nothing when the exports stand beside the document. `parts` is the name of the exports.
    pub fn of(from: &Path, to: &Path, name: &str, companions: &[&Path]) -> Option<Self> {
        let from = std::fs::canonicalize(from).ok()?;
        let to = there_already(to).ok()?;
        let companions = companions.iter().filter_map(|file| std::fs::canonicalize(file).ok()).collect();
        (from != to).then(|| Moved { back: way(&to, &from), from, parts: format!("{name}-parts/"), companions })
    }

    /// The tree with its links changed.
    pub fn tree(&self, tree: woven::Woven) -> woven::Woven {
        let mut links = Links(self);
        let blocks = links.blocks(tree.blocks);
        let notes = tree.notes.into_iter().map(|note| links.blocks(note)).collect();
        let mut head = tree.head;
        head.title = links.text(head.title);
        head.subtitle = links.text(head.subtitle);
        woven::Woven { head, blocks, notes, ..tree }
    }

    /// Markdown with its links changed, from a byte on.
    pub fn markdown(&self, text: &str, start: usize) -> String {
        let (front, body) = text.split_at(start.min(text.len()));
        let mut edits: Vec<(Span, String)> = Vec::new();
        let mut listings = Vec::new();
        let blocks = parse_printed(body);
        each_block(&blocks, &mut |block| match block {
            Block::Html { span, .. } => edits.push((*span, self.html(slice(body, *span), Pictures::Moved))),
            Block::Listing(listing) => listings.push(listing.span),
            _ => {}
        });
        edits.extend(self.definitions(body, &listings));
        visit_texts(&blocks, &mut |inline| {
            let target = match &inline.kind {
                InlineKind::Link(link) => &link.target,
                InlineKind::Image(image) => &image.target,
                InlineKind::Html(_) => {
                    edits.push((inline.span(), self.html(slice(body, inline.span()), Pictures::Moved)));
                    return;
                }
                _ => return,
            };
            if let [Part::Text(target)] = target.as_ref() {
                edits.extend(self.link_in(body, inline.span(), target));
            }
        });
        edits.sort_by_key(|(span, _)| span.start);
        let mut written = String::from(front);
        let mut at = 0;
        for (span, text) in edits.into_iter().filter(|(span, _)| span.end <= body.len()) {
            if span.start >= at {
                written.push_str(&body[at..span.start]);
                written.push_str(&text);
                at = span.end;
            }
        }
        written + &body[at..]
    }

    /// Where the target of a link is written behind its text, and what stands there then.
    fn link_in(&self, body: &str, span: Span, target: &str) -> Option<(Span, String)> {
        let moved = self.target(target)?;
        let written = slice(body, span);
        let behind = written.rfind("](").map_or(0, |at| at + 2);
        if let Some(at) = written[behind..].find(target) {
            let start = span.start + behind + at;
            return Some((Span::new(start, start + target.len()), moved));
        }
        None
    }

    /// What changes in the lines that define where links by reference lead.
    fn definitions(&self, body: &str, listings: &[Span]) -> Vec<(Span, String)> {
        let mut edits = Vec::new();
        let mut start = 0;
        for line in body.split_inclusive('\n') {
            let in_listing = listings.iter().any(|span| (span.start..span.end).contains(&start));
            let label = line.trim_start().strip_prefix('[').filter(|label| !label.starts_with('^') && !in_listing);
            let defined = label.and_then(|label| Some(label.split_once("]:")?.1.trim_start()));
            let target = defined.and_then(|rest| rest.split_whitespace().next());
            if let Some(target) = target
                && let Some(moved) = self.target(target.trim_matches(['<', '>']))
                && let Some(at) = line.find("]:").and_then(|behind| Some(behind + line[behind..].find(target)?))
            {
                edits.push((Span::new(start + at, start + at + target.len()), moved));
            }
            start += line.len();
        }
        edits
    }

    /// HTML with the addresses in it changed.
    fn html(&self, html: &str, pictures: Pictures) -> String {
        let mut written = String::new();
        let mut done = 0;
        for Address { tag, start, end, attribute } in addresses(html) {
            let value = &html[start..end];
            written.push_str(&html[done..start]);
            match attribute {
                "srcset" => written.push_str(&self.picture_set(value)),
                "src" if pictures == Pictures::TakenIn && tag == "img" => written.push_str(value),
                _ => written.push_str(self.target(value).as_deref().unwrap_or(value)),
            }
            done = end;
        }
        written + &html[done..]
    }

    /// Several pictures, each with the size that it is for, with their addresses changed.
    fn picture_set(&self, value: &str) -> String {
        let moved = |one: &str| {
            let (address, size) = one.split_once(char::is_whitespace).unwrap_or((one, ""));
            let address = self.target(address).unwrap_or_else(|| address.into());
            if size.is_empty() { address } else { format!("{address} {size}") }
        };
        value.split(',').map(|one| moved(one.trim())).collect::<Vec<_>>().join(", ")
    }

    /// What a target becomes; nothing when it stays as it is.
    fn target(&self, target: &str) -> Option<String> {
        let end = target.find(['#', '?']).unwrap_or(target.len());
        let (path, behind) = target.split_at(end);
        let first = path.split('/').next().unwrap_or("");
        if path.is_empty() || path.starts_with('/') || first.contains(':') || path.starts_with(&self.parts) {
            return None;
        }
        let there = plain(&self.from.join(path));
        let exports = |file: &&PathBuf| {
            let name = file.file_name().unwrap_or_default().to_string_lossy();
            let wanted = there.file_name().unwrap_or_default().to_string_lossy();
            let is_export = |format: Format| wanted == format!("{}{}", stem(&name), format.ending());
            file.parent() == there.parent() && Format::ALL.into_iter().any(is_export)
        };
        if self.companions.iter().any(|file| exports(&file)) {
            return Some(format!("{}{behind}", there.file_name().unwrap_or_default().to_string_lossy()));
        }
        let folder = if path.ends_with('/') { "/" } else { "" };
        let joined = plain(&Path::new(&self.back).join(path));
        Some(format!("{}{folder}{behind}", joined.to_string_lossy()))
    }
}

/// What becomes of the pictures that HTML names.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Pictures {
    /// Exports are made with them inside: they are found where the document is.
    TakenIn,
    /// They are found from where the export stands.
    Moved,
}

/// The tree's links.
struct Links<'m>(&'m Moved);

impl Rewrite for Links<'_> {
    fn block(&mut self, block: woven::Block) -> woven::Block {
        match block {
            woven::Block::Html { html, span } => {
                woven::Block::Html { html: self.0.html(&html, Pictures::TakenIn), span }
            }
            block => self.inside(block),
        }
    }

    fn inline(&mut self, inline: woven::Inline) -> woven::Inline {
        let mut inline = self.inside_of(inline);
        match &mut inline.kind {
            woven::InlineKind::Link(link) => {
                if let Some(moved) = self.0.target(&link.target) {
                    link.target = moved.into();
                }
            }
            woven::InlineKind::Html(html) => *html = self.0.html(html, Pictures::TakenIn).into(),
            _ => {}
        }
        inline
    }

    fn shown(&mut self, shown: Shown) -> Shown {
        match shown {
            Shown::Html { html, alt } => Shown::Html { html: self.0.html(&html, Pictures::TakenIn), alt },
            Shown::Blocks(blocks) => Shown::Blocks(self.blocks(blocks)),
            shown => shown,
        }
    }
}

fn slice(text: &str, span: Span) -> &str {
    text.get(span.start..span.end).unwrap_or("")
}

fn visit_texts<'a>(blocks: &'a [Block], visit: &mut dyn FnMut(&'a Inline)) {
    vineloom_document::each_text(blocks, &mut |text| each_inline(text, visit));
}

/// An address in HTML.
struct Address {
    /// The name of the element, in small letters.
    tag: String,
    /// The attribute whose value it is.
    attribute: &'static str,
    /// Its first byte, and the byte behind its last.
    start: usize,
    end: usize,
}

/// The addresses in HTML, in quotes or without, whichever way their attributes are written.
fn addresses(html: &str) -> Vec<Address> {
    const ATTRIBUTES: [&str; 6] = ["href", "src", "srcset", "poster", "data", "cite"];
    let mut found = Vec::new();
    let to = |from: usize, ends: &dyn Fn(char) -> bool| html[from..].find(ends).map_or(html.len(), |at| from + at);
    let mut at = 0;
    while let Some(open) = html[at..].find('<').map(|open| at + open + 1) {
        at = open;
        if let Some(comment) = html[open..].strip_prefix("!--") {
            at = comment.find("-->").map_or(html.len(), |end| open + end + 6);
        }
        if !html[at..].starts_with(|c: char| c.is_ascii_alphabetic()) || at > open {
            continue;
        }
        at = to(open, &|c| c.is_whitespace() || matches!(c, '>' | '/'));
        let tag = html[open..at].to_ascii_lowercase();
        loop {
            at = to(at, &|c| !c.is_whitespace() && c != '/');
            if html[at..].is_empty() || html[at..].starts_with('>') {
                break;
            }
            let first = html[at..].chars().next().map_or(1, char::len_utf8);
            let end_of_name = to(at + first, &|c| c.is_whitespace() || matches!(c, '=' | '>' | '/'));
            let name = &html[at..end_of_name];
            let attribute = ATTRIBUTES.into_iter().find(|known| name.eq_ignore_ascii_case(known));
            at = end_of_name;
            let behind = to(at, &|c| !c.is_whitespace());
            if !html[behind..].starts_with('=') {
                continue;
            }
            let value = to(behind + 1, &|c| !c.is_whitespace());
            let quote = html[value..].chars().next().filter(|c| matches!(c, '"' | '\''));
            let (start, end) = match quote {
                Some(quote) => (value + 1, to(value + 1, &|c| c == quote)),
                None => (value, to(value, &|c| c.is_whitespace() || c == '>')),
            };
            found.extend(attribute.map(|attribute| Address { tag: tag.clone(), attribute, start, end }));
            at = if quote.is_some() { (end + 1).min(html.len()) } else { end };
        }
    }
    found
}

/// The way from one folder to another, both absolute.
fn way(from: &Path, to: &Path) -> String {
    let common = from.components().zip(to.components()).take_while(|(one, other)| one == other).count();
    let up = from.components().skip(common).map(|_| Component::ParentDir);
    let path: PathBuf = up.chain(to.components().skip(common)).collect();
    path.to_string_lossy().into_owned()
}

/// A path without steps that lead nowhere: `a/../b` is `b`.
pub(crate) fn plain(path: &Path) -> PathBuf {
    let mut plain = PathBuf::new();
    for part in path.components() {
        match part {
            Component::CurDir => {}
            Component::ParentDir if matches!(plain.components().next_back(), Some(Component::Normal(_))) => {
                plain.pop();
            }
            part => plain.push(part),
        }
    }
    plain
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_relative_is_led_back_and_all_else_stays() {
        let moved = Moved {
            from: "/project/docs".into(),
            back: "../docs".into(),
            parts: "guide-parts/".into(),
            companions: vec!["/project/docs/guide.vine.md".into(), "/project/other/more.vine.md".into()],
        };
        for (target, expected) in [
            ("data/june.csv", Some("../docs/data/june.csv")),
            ("./a.png", Some("../docs/a.png")),
            ("../x.txt?y#z", Some("../x.txt?y#z")),
            ("data/", Some("../docs/data/")),
            ("../other/more.html#wiring", Some("more.html#wiring")),
            ("guide.pdf", Some("guide.pdf")),
            ("more.html", Some("../docs/more.html")),
            ("#wiring", None),
            ("/etc/passwd", None),
            ("https://example.org/a", None),
            ("mailto:a@b", None),
            ("guide-parts/a.svg", None),
            ("", None),
        ] {
            assert_eq!(moved.target(target).as_deref(), expected, "{target}");
        }
        assert_eq!(
            moved.html("<img src='e.png'>", Pictures::TakenIn),
            "<img src='e.png'>",
            "a picture that exports take in"
        );
        assert_eq!(
            moved.html(
                "<a href=\"b.txt\" title=\"href=x\"><img alt='src=' src='c.png'></a> href=\"d\"",
                Pictures::Moved
            ),
            "<a href=\"../docs/b.txt\" title=\"href=x\"><img alt='src=' src='../docs/c.png'></a> href=\"d\""
        );
        for (html, expected) in [
            ("<A HREF=\"b.txt\">", "<A HREF=\"../docs/b.txt\">"),
            ("<a href=b.txt>b</a>", "<a href=../docs/b.txt>b</a>"),
            ("<a\n href = 'b.txt'>", "<a\n href = '../docs/b.txt'>"),
            (
                "<IMG src=\"a.png\" srcset=\"a.png 1x, b.png 2x\">",
                "<IMG src=\"a.png\" srcset=\"../docs/a.png 1x, ../docs/b.png 2x\">",
            ),
            ("<video poster=p.png src='v.mp4'>", "<video poster=../docs/p.png src='../docs/v.mp4'>"),
            ("<blockquote cite=\"s.html\">", "<blockquote cite=\"../docs/s.html\">"),
            ("a = b, <i>src=x</i> <b data-src=\"y\">", "a = b, <i>src=x</i> <b data-src=\"y\">"),
            ("<b title=\"a href=x > y\" é=1>é</b>", "<b title=\"a href=x > y\" é=1>é</b>"),
            ("<!-- <a href=b.txt> --><a é href=é.txt/x>", "<!-- <a href=b.txt> --><a é href=../docs/é.txt/x>"),
            ("<a href=\"b.txt", "<a href=\"../docs/b.txt"),
        ] {
            assert_eq!(moved.html(html, Pictures::TakenIn), expected);
        }
        assert_eq!(
            moved.markdown(
                "+++\na.txt\n+++\n[a](b.txt) ![p](c.png \"t\") `[x](y)` [r] <i><img src=\"d.png\"></i>\n\n[r]: e.txt\n",
                14
            ),
            "+++\na.txt\n+++\n[a](../docs/b.txt) ![p](../docs/c.png \"t\") `[x](y)` [r] <i><img src=\"../docs/d.png\"></i>\n\n[r]: ../docs/e.txt\n"
        );
    }

    #[test]
    fn the_way_between_folders() {
        for (from, to, expected) in
            [("/a/b", "/a", ".."), ("/a", "/a/b", "b"), ("/a/out", "/a/docs", "../docs"), ("/x", "/a/b", "../a/b")]
        {
            assert_eq!(way(Path::new(from), Path::new(to)), expected);
        }
    }
}
