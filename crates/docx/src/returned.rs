//! What somebody did to a document in their word processor: comments and tracked changes, in the order of the text.

use roxmltree::{Document, Node};
use serde::Serialize;
use std::collections::BTreeMap;
use vineloom_office::{Opened, Unreadable};

/// A comment or a change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Remark {
    /// What it is.
    #[serde(flatten)]
    pub kind: RemarkKind,
    /// Who made it; empty where that is not said.
    pub author: String,
    /// When, as ISO 8601 has it; empty where that is not said.
    pub date: String,
    /// The paragraph that it stands in, as it was before any change.
    pub paragraph: String,
}

/// The kinds of remark.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum RemarkKind {
    /// A comment.
    Comment {
        /// What it says.
        says: String,
        /// The words that it is about; empty where it stands at a place.
        about: String,
    },
    /// Words that were put in.
    Inserted {
        /// The words.
        words: String,
        /// What stands before them in the paragraph.
        after: String,
    },
    /// Words that were taken out.
    Deleted {
        /// The words.
        words: String,
    },
}

impl Remark {
    /// Words of the document that the remark is about.
    pub fn about(&self) -> &str {
        match &self.kind {
            RemarkKind::Comment { about, .. } => about,
            RemarkKind::Inserted { after, .. } => after,
            RemarkKind::Deleted { words } => words,
        }
    }
}

/// The remarks in a document.
///
/// # Errors
/// [`Unreadable`] where it is no document of a word processor.
pub fn remarks(bytes: &[u8]) -> Result<Vec<Remark>, Unreadable> {
    let opened = Opened::read(bytes)?;
    let main = opened.relations("").into_iter().find(|it| it.kind == "officeDocument").and_then(|it| it.part);
    let main = main.unwrap_or_else(|| "word/document.xml".into());
    let comments = opened.relations(&main).into_iter().find(|it| it.kind == "comments").and_then(|it| it.part);
    let comments = match comments {
        Some(part) => comments_of(opened.text(&part)?)?,
        None => BTreeMap::new(),
    };
    let text = opened.text(&main)?;
    let read = parsed(text)?;
    let mut reader = Reader { comments: &comments, open: BTreeMap::new(), found: Vec::new() };
    for paragraph in read.descendants().filter(|node| is(node, "p")) {
        // A paragraph in a text box stands in another one, which is read without it.
        reader.paragraph(paragraph);
    }
    Ok(reader.found)
}

fn parsed(text: &str) -> Result<Document<'_>, Unreadable> {
    Document::parse(text).map_err(|error| Unreadable::NoArchive(error.to_string()))
}

/// Who said what, by the number of the comment.
type Comments = BTreeMap<String, (String, String, String)>;

fn comments_of(text: &str) -> Result<Comments, Unreadable> {
    let read = parsed(text)?;
    let comment = |node: Node| {
        let lines: Vec<String> = node.descendants().filter(|node| is(node, "p")).map(|node| words_of(&node)).collect();
        let lines: Vec<String> = lines.into_iter().filter(|line| !line.trim().is_empty()).collect();
        let of = |name: &str| attribute(&node, name).to_string();
        (of("id"), (of("author"), of("date"), lines.join(" / ")))
    };
    Ok(read.descendants().filter(|node| is(node, "comment")).map(comment).collect())
}

fn is(node: &Node, name: &str) -> bool {
    node.is_element() && node.tag_name().name() == name
}

fn attribute<'a>(node: &Node<'a, '_>, name: &str) -> &'a str {
    node.attributes().find(|it| it.name() == name).map_or("", |it| it.value())
}

/// The words of all runs in an element, those that were taken out too.
fn words_of(node: &Node) -> String {
    let mut words = String::new();
    for node in node.descendants().filter(Node::is_element) {
        match node.tag_name().name() {
            "t" | "delText" => words.push_str(node.text().unwrap_or("")),
            "tab" | "br" if node.parent().is_some_and(|it| is(&it, "r")) => words.push(' '),
            _ => {}
        }
    }
    words
}

struct Reader<'a> {
    comments: &'a Comments,
    /// The words that each comment is about which has begun and not ended.
    open: BTreeMap<String, String>,
    found: Vec<Remark>,
}

impl Reader<'_> {
    fn paragraph(&mut self, paragraph: Node) {
        // The paragraph as it was: without what was put in, with what was taken out.
        let mut before = String::new();
        let first = self.found.len();
        for node in paragraph.descendants().filter(Node::is_element) {
            let name = node.tag_name().name();
            match name {
                "commentRangeStart" => {
                    self.open.insert(attribute(&node, "id").into(), String::new());
                }
                "commentReference" => self.comment(attribute(&node, "id")),
                "ins" | "moveTo" | "del" | "moveFrom" => {
                    let words = words_of(&node);
                    if words.trim().is_empty() {
                        continue;
                    }
                    let kind = match name {
                        "ins" | "moveTo" => RemarkKind::Inserted { words, after: last_words(&before) },
                        _ => RemarkKind::Deleted { words },
                    };
                    let (author, date) = (attribute(&node, "author").into(), attribute(&node, "date").into());
                    self.found.push(Remark { kind, author, date, paragraph: String::new() });
                }
                "t" | "delText" => {
                    let words = node.text().unwrap_or("");
                    self.open.values_mut().for_each(|about| about.push_str(words));
                    let put_in = |it: Node| is(&it, "ins") || is(&it, "moveTo");
                    if !node.ancestors().any(put_in) {
                        before.push_str(words);
                    }
                }
                _ => {}
            }
        }
        for remark in &mut self.found[first..] {
            remark.paragraph.clone_from(&before);
        }
    }

    fn comment(&mut self, id: &str) {
        let about = self.open.remove(id).unwrap_or_default();
        let Some((author, date, says)) = self.comments.get(id).cloned() else { return };
        let kind = RemarkKind::Comment { says, about: about.trim().into() };
        self.found.push(Remark { kind, author, date, paragraph: String::new() });
    }
}

/// The last few words of a text.
fn last_words(text: &str) -> String {
    let words: Vec<&str> = text.split_whitespace().collect();
    words[words.len().saturating_sub(6)..].join(" ")
}
