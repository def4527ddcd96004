//! The print of a document, page by page, as the live page shows it.
//!
//! | request | answer |
//! |---|---|
//! | `GET pages` | what each page is, in JSON: `digest`, and `width` and `height` in points |
//! | `GET K.svg` | page K, from 1, as a picture |
//! | `GET line/L` | where line L of the document is set, in JSON: `page`, from 1, and `y` in points |
//! | `POST at/K/X/Y` | what is set at a point of page K, in JSON: `file`, `line`, and `text`, the line itself |

use crate::answer::{Answer, NOTHING, escaped, file, plain};
use serde_json::json;
use std::path::PathBuf;

/// The script of the page that shows print.
pub(crate) const SCRIPT: &str = include_str!("print.js");

/// A document as it is printed. Pages are counted from 0; lengths are in points, from the upper left corner.
pub trait Printed: Send + Sync {
    /// What each page is, in their order.
    fn pages(&self) -> Vec<PrintedPage>;

    /// A page as a picture, in SVG.
    fn picture(&self, page: usize) -> Option<String>;

    /// The line of the document that is set at a point of a page, or nearest to it.
    fn line_at(&self, page: usize, point: (f64, f64)) -> Option<Line>;

    /// Where a line of the document is set, or what stands before it: the page, and how far down.
    fn place_of(&self, line: usize) -> Option<(usize, f64)>;
}

/// One page.
#[derive(Debug, Clone, PartialEq)]
pub struct PrintedPage {
    /// Differs where the page does.
    pub digest: String,
    /// Its width.
    pub width: f64,
    /// Its height.
    pub height: f64,
}

/// A line of a document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// The file that it stands in.
    pub file: PathBuf,
    /// Its number there, from 1.
    pub number: usize,
    /// The line itself.
    pub text: String,
}

/// A page that shows the print of a document, of which `name` is the file.
pub fn page_of_print(title: &str, name: &str) -> String {
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{0}</title>\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"></head>\n\
         <body class=\"live-printed\"><main data-file=\"{1}\" aria-label=\"{0}\"><p>The print is being set.</p></main>\n\
         <script src=\"../print.js\" defer></script>\n</body></html>\n",
        escaped(title),
        escaped(name)
    )
}

/// Answers what is asked of a print; a line of the document is returned, too, where one was asked for.
pub(crate) fn answer(printed: &dyn Printed, asked: &[&str]) -> (Answer, Option<Line>) {
    let json = |value: serde_json::Value| file("answer.json", value.to_string().into_bytes());
    let number = |text: &str| text.parse::<usize>().ok().and_then(|number| number.checked_sub(1));
    let nothing = || (plain(404, NOTHING), None);
    match asked {
        ["pages"] => {
            let page = |page: PrintedPage| json!({ "digest": page.digest, "width": page.width, "height": page.height });
            (json(printed.pages().into_iter().map(page).collect()), None)
        }
        ["line", line] => match line.parse().ok().and_then(|line| printed.place_of(line)) {
            Some((page, y)) => (json(json!({ "page": page + 1, "y": y })), None),
            None => nothing(),
        },
        ["at", page, x, y] => {
            let point = x.parse().ok().zip(y.parse().ok());
            let found = number(page).zip(point).and_then(|(page, point)| printed.line_at(page, point));
            let Some(line) = found else { return nothing() };
            let told = json!({ "file": line.file.display().to_string(), "line": line.number, "text": line.text });
            (json(told), Some(line))
        }
        [picture] => match picture.strip_suffix(".svg").and_then(number).and_then(|page| printed.picture(page)) {
            Some(svg) => (file("page.svg", svg.into_bytes()), None),
            None => nothing(),
        },
        _ => nothing(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Read;

    /// One page, of which every point is of line 7.
    struct One;

    impl Printed for One {
        fn pages(&self) -> Vec<PrintedPage> {
            vec![PrintedPage { digest: "d".into(), width: 100.5, height: 200.0 }]
        }

        fn picture(&self, page: usize) -> Option<String> {
            (page == 0).then(|| "<svg/>".into())
        }

        fn line_at(&self, page: usize, _point: (f64, f64)) -> Option<Line> {
            (page == 0).then(|| Line { file: "a.vine.md".into(), number: 7, text: "words".into() })
        }

        fn place_of(&self, line: usize) -> Option<(usize, f64)> {
            (line == 7).then_some((0, 12.5))
        }
    }

    fn asked(asked: &[&str]) -> (u16, String, bool) {
        let (answer, line) = answer(&One, asked);
        let status = answer.status_code().0;
        let mut body = String::new();
        answer.into_reader().read_to_string(&mut body).unwrap();
        (status, body, line.is_some())
    }

    #[test]
    fn pages_and_lines_are_told_and_nothing_else() {
        assert_eq!(asked(&["pages"]).1, r#"[{"digest":"d","width":100.5,"height":200.0}]"#);
        assert_eq!(asked(&["1.svg"]).1, "<svg/>");
        assert_eq!(asked(&["line", "7"]).1, r#"{"page":1,"y":12.5}"#);
        let (_, told, is_line) = asked(&["at", "1", "3.5", "-4"]);
        assert_eq!((told.as_str(), is_line), (r#"{"file":"a.vine.md","line":7,"text":"words"}"#, true));
        for nothing in [
            &["0.svg"][..],
            &["2.svg"],
            &["1.png"],
            &["line", "8"],
            &["line", "x"],
            &["at", "1", "x", "1"],
            &["at", "2", "1", "1"],
            &["at"],
            &[],
        ] {
            let (status, _, is_line) = asked(nothing);
            assert_eq!((status, is_line), (404, false), "{nothing:?}");
        }
    }

    #[test]
    fn a_title_and_a_name_are_no_markup() {
        let page = page_of_print("<b>", "a\"b.pdf");
        assert!(page.contains("<title>&lt;b&gt;</title>") && page.contains("data-file=\"a&quot;b.pdf\""), "{page}");
    }
}
