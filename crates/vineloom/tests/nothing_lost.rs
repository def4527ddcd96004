//! Nothing is lost: every construct, in many sizes and numbers, is given words of its own, and each of them is found
//! whole, in print on a page, in every format and layout.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::collections::BTreeSet;
use std::fmt::Write as _;
use support::{Project, tool, visible};

/// Words that occur once.
#[derive(Default)]
struct Words {
    count: usize,
    /// Those in drawings, which are no text of the page or of the Markdown.
    drawn: BTreeSet<String>,
}

impl Words {
    fn next(&mut self) -> String {
        self.count += 1;
        format!("w{:05}q", self.count)
    }

    /// Prose of so many words, of which the first, the middle one and the last occur once.
    fn prose(&mut self, length: usize) -> String {
        let word = |at: usize| ["the", "probe", "sends", "a", "short", "frame"][at % 6];
        let mut words: Vec<String> = (0..length.max(1)).map(|at| word(at).to_string()).collect();
        for at in BTreeSet::from([0, length / 2, length.saturating_sub(1)]) {
            words[at] = self.next();
        }
        words.join(" ")
    }

    fn lines(&mut self, count: usize) -> String {
        (0..count).fold(String::new(), |mut lines, at| {
            let word = if at % 7 == 0 || at + 1 == count { self.next() } else { format!("line {at}") };
            let _ = writeln!(lines, "{word}");
            lines
        })
    }

    fn drawing(&mut self, width: usize, height: usize) -> String {
        let word = self.next();
        self.drawn.insert(word.clone());
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\"><rect width=\"{width}\" \
             height=\"{height}\" fill=\"#eee\"/><text x=\"4\" y=\"20\" font-size=\"14\">{word}</text></svg>"
        )
    }
}

/// A text that holds every construct at one size; `files` are what it names.
fn document(words: &mut Words, size: usize, files: &mut Vec<(String, String)>) -> String {
    let mut text = String::new();
    let mut add = |part: String| {
        text.push_str(&part);
        text.push_str("\n\n");
    };
    let named = |size: usize, what: &str| format!("{what}-{size}");
    add(format!("# {} heading", words.prose(size.min(30))));
    add(words.prose(size * 12));
    add(format!("> {}\n>\n> > {}", words.prose(size * 10), words.prose(size * 10)));
    let items: Vec<String> = (0..size).map(|_| format!("- {}\n  - {}", words.prose(6), words.prose(12))).collect();
    add(items.join("\n"));
    let deep: Vec<String> = (0..size.min(12)).map(|at| format!("{}1. {}", "   ".repeat(at), words.prose(3))).collect();
    add(deep.join("\n"));
    add(format!("- [x] {}\n- [ ] {}", words.prose(4), words.prose(4)));
    for columns in [2, 5, 9, 14, 30] {
        let row = |words: &mut Words| (0..columns).map(|_| words.next()).collect::<Vec<_>>().join(" | ");
        let (head, rows) = (row(words), (0..size).map(|_| format!("| {} |\n", row(words))).collect::<String>());
        add(format!("| {head} |\n|{}\n{rows}", "---|".repeat(columns)));
    }
    add(format!("| a | b |\n|---|---|\n| {} | {} |\n| x | {} |", words.prose(size * 30), words.next(), words.prose(9)));
    add(format!("| {} | b |\n|---|---|\n| x | y |", words.prose(size * 20)));
    add(format!(
        "::: table \"{}\" #{}\n| a | b |\n|---|---|\n| {} | {} |\n:::",
        words.prose(size * 3),
        named(size, "tab"),
        words.next(),
        words.next()
    ));
    add(format!("```python lines=on mark=2\n{}```", words.lines(size * 4)));
    add(format!("```text\n{} {} {}\n```", words.next(), "x ".repeat(size * 400), words.next()));
    add(format!(
        "```python lines=on\n{} = '{}' # {}\nnext = 1\n```",
        words.next(),
        "y".repeat(size * 300),
        words.next()
    ));
    add(format!("```sh @{} lines=on\nseq {}; echo {}\n```", named(size, "out"), size * 20, words.next()));
    add(format!(
        "```sh @{} join=yes show=all caption=\"{}\"\necho {} >&2; echo {}\n```",
        named(size, "cap"),
        words.prose(size),
        words.next(),
        words.next()
    ));
    add(format!(
        "```sh @{} as=markdown\ncat <<'END'\n## {}\n\n{}\nEND\n```",
        named(size, "md"),
        words.next(),
        words.prose(size * 9)
    ));
    add(format!(
        "```sh @{} as=table caption=\"{}\"\nprintf 'a,b\\n'; for n in $(seq {}); do echo \"{},$n\"; done\n```",
        named(size, "csv"),
        words.prose(4),
        size * 5,
        words.next()
    ));
    for (count, height) in [(1, 90), (2, 300), (3, 700), (5, 400), (8, 160)] {
        let mut code = String::new();
        for at in 0..count {
            let _ = writeln!(
                code,
                "cat > $VINELOOM_FIGURES/{at}.svg <<'END'\n{}\nEND",
                words.drawing(300 + size, height * size / 4 + 40)
            );
        }
        add(format!(
            "```sh @{} show=figures caption=\"{}\" alt=\"a drawing\"\n{code}```",
            named(size, &format!("fig{count}-{height}")),
            words.prose(size * 4)
        ));
    }
    let mut pictures = String::new();
    for at in 0..size.min(9) {
        let file = format!("{}-{at}.svg", named(size, "pic"));
        files.push((file.clone(), words.drawing(200, 60 * size)));
        let _ = writeln!(pictures, "![A drawing]({file})\n");
    }
    add(format!("::: figure \"{}\" #{}\n{pictures}:::", words.prose(8), named(size, "group")));
    for kind in ["note", "tip", "caution", "danger"] {
        add(format!("::: {kind} \"{}\"\n{}\n\n- {}\n:::", words.next(), words.prose(size * 14), words.prose(5)));
    }
    add(format!(
        ":::: tabs\n## {}\n{}\n## {}\n{}\n::::",
        words.next(),
        words.prose(size * 8),
        words.next(),
        words.prose(4)
    ));
    add(format!("::: columns\n{}\n\n---\n\n{}\n:::", words.prose(size * 30), words.prose(size * 3)));
    add(format!("::: fold \"{}\"\n{}\n:::", words.next(), words.prose(size * 10)));
    add(format!("A note.[^n{size}]\n\n[^n{size}]: {}", words.prose(size * 25)));
    let rows: Vec<String> = (0..size * 3).map(|_| format!("\\text{{{}}} & b", words.next())).collect();
    add(format!("$$ \\begin{{matrix}} {} \\end{{matrix}} $$", rows.join(" \\\\ ")));
    add(format!("<table><tr><td>{}</td></tr></table>", words.prose(size * 5)));
    files.push((
        format!("{}.csv", named(size, "data")),
        format!("k,v\n{}", words.lines(size * 3).replace('\n', ",1\n")),
    ));
    add(format!("![{}]({}.csv)", words.prose(4), named(size, "data")));
    files.push((format!("{}.vine.md", named(size, "part")), format!("Embedded {}\n", words.prose(size))));
    add(format!("![]({}.vine.md)", named(size, "part")));
    text
}

/// The words of a PDF that lie on its pages as wholes, and those that do not.
fn words_on_pages(bbox: &str) -> (BTreeSet<String>, BTreeSet<String>) {
    let number = |line: &str, name: &str| -> f64 {
        let (_, rest) = line.split_once(&format!("{name}=\"")).unwrap();
        rest.split_once('"').unwrap().0.parse().unwrap()
    };
    let (mut width, mut height) = (0.0, 0.0);
    let (mut on, mut off) = (BTreeSet::new(), BTreeSet::new());
    for line in bbox.lines() {
        if line.trim_start().starts_with("<page ") {
            (width, height) = (number(line, "width"), number(line, "height"));
        } else if let Some((_, word)) = line.trim().strip_suffix("</word>").and_then(|it| it.split_once('>')) {
            let inside = number(line, "xMin") > -0.5
                && number(line, "yMin") > -0.5
                && number(line, "xMax") < width + 0.5
                && number(line, "yMax") < height + 0.5;
            let parts = word.split(|c: char| !c.is_ascii_alphanumeric()).filter(|part| !part.is_empty());
            parts.for_each(|part| {
                // The mark of a footnote stands close to its first word.
                let part = part.trim_start_matches(|c: char| c.is_ascii_digit());
                (if inside { &mut on } else { &mut off }).insert(part.to_string());
            });
        }
    }
    (on, off)
}

/// What a reader of a file gets of it, as text.
fn text_of(format: &str, bytes: &[u8]) -> String {
    match format {
        "docx" | "pptx" => support::text_of_office_file(bytes),
        "epub" => visible(&support::text_of_book(bytes)),
        "notebook" => support::text_of_notebook(bytes),
        _ => String::from_utf8(bytes.to_vec()).unwrap(),
    }
}

#[test]
fn every_word_of_every_construct_is_found_whole_in_files_for_other_programs() {
    let mut words = Words::default();
    let mut files = Vec::new();
    let text: String = [1, 4, 9].map(|size| document(&mut words, size, &mut files)).concat();
    let project = Project::new();
    files.iter().for_each(|(name, content)| project.write(name, content));
    project.write("guide.vine.md", text + "\n```sh @once\necho x >> ran.txt\n```\n");
    let formats = [("text", "txt"), ("docx", "docx"), ("epub", "epub"), ("latex", "tex"), ("notebook", "ipynb")];
    let asked: Vec<&str> = formats.iter().map(|(format, _)| *format).collect();
    let said = project.run(&["weave", "guide.vine.md", "--to", &asked.join(",")]);
    assert_eq!(said.code, 0, "{said:?}");
    assert_eq!(project.read("ran.txt"), "x\n", "each block runs once for all formats");
    let everywhere = (1..=words.count).map(|n| format!("w{n:05}q")).filter(|word| !words.drawn.contains(word));
    let everywhere: BTreeSet<String> = everywhere.collect();
    for (format, ending) in formats {
        let text = text_of(format, &std::fs::read(project.path(&format!("guide.{ending}"))).unwrap());
        let lost: Vec<&String> = everywhere.iter().filter(|word| !text.contains(word.as_str())).collect();
        let source = project.read("guide.vine.md");
        let lines: Vec<&str> =
            source.lines().filter(|line| lost.iter().take(5).any(|word| line.contains(word.as_str()))).collect();
        assert!(lost.is_empty(), "{format}: {} of {} lost: {lost:?}: {lines:#?}", lost.len(), everywhere.len());
    }
}

#[test]
fn every_word_of_every_construct_is_found_whole_in_every_format() {
    let mut words = Words::default();
    let mut files = Vec::new();
    let mut text: String = [1, 4, 9].map(|size| document(&mut words, size, &mut files)).concat();
    text.push_str(&format!("\n::: for pdf,html,markdown\n{}\n:::\n", words.next()));
    let everywhere: BTreeSet<String> =
        (1..=words.count).map(|n| format!("w{n:05}q")).filter(|word| !words.drawn.contains(word)).collect();
    for (layout, paper, columns) in
        [("article", "a5", 1), ("report", "a4", 1), ("handout", "a4", 1), ("article", "a4", 2)]
    {
        let project = Project::new();
        files.iter().for_each(|(name, content)| project.write(name, content));
        let (title, subtitle) = ("A long title ".repeat(6) + "endtitle", "and more ".repeat(20) + "endsubtitle");
        let authors: Vec<String> = (0..40).map(|at| format!("\"Author{at}end\"")).collect();
        let head = format!(
            "+++\ntitle = \"{title}\"\nsubtitle = \"{subtitle}\"\nauthors = [{}]\n[export]\nto = [\"html\", \"pdf\", \"markdown\"]\n\
             [pdf]\nlayout = \"{layout}\"\npaper = \"{paper}\"\ncolumns = {columns}\n+++\n\n",
            authors.join(", ")
        );
        project.write("guide.vine.md", head + &text);
        let said = project.weave();
        assert_eq!(said.code, 0, "{said:?}");
        let page = visible(&project.read("guide.html"));
        let markdown = project.read("guide.md");
        let lost =
            |found: &dyn Fn(&str) -> bool| -> Vec<&String> { everywhere.iter().filter(|word| !found(word)).collect() };
        assert_eq!(lost(&|word| page.contains(word)), Vec::<&String>::new(), "on the page");
        assert_eq!(lost(&|word| markdown.contains(word)), Vec::<&String>::new(), "in the woven Markdown");
        let Some(said) = tool("pdftotext", &["-bbox".as_ref(), &project.path("guide.pdf"), "-".as_ref()]) else {
            return;
        };
        let (on, off) = words_on_pages(&said.out);
        let of_head = ["endtitle", "endsubtitle", "Author39end"].map(String::from);
        let lost: Vec<&String> =
            everywhere.iter().chain(&words.drawn).chain(&of_head).filter(|word| !on.contains(*word)).collect();
        let off: Vec<&String> = off.iter().filter(|word| everywhere.contains(*word) && !on.contains(*word)).collect();
        assert!(lost.is_empty(), "{layout} {paper} {columns}: {} lost: {lost:?}\nbeyond the page: {off:?}", lost.len());
    }
}
