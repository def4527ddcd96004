//! A project in a temporary folder, and the built program run on it.
#![allow(dead_code, reason = "each test file uses its own part of this")]

use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

/// A folder of documents.
pub struct Project {
    folder: tempfile::TempDir,
}

/// What the program said and how it ended.
#[derive(Debug)]
pub struct Said {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Project {
    pub fn new() -> Self {
        Project { folder: tempfile::tempdir().unwrap() }
    }

    /// A project with one document, `guide.vine.md`.
    pub fn with(text: &str) -> Self {
        let project = Project::new();
        project.write("guide.vine.md", text);
        project
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub fn write(&self, name: &str, text: impl AsRef<[u8]>) {
        let path = self.path(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    }

    pub fn read(&self, name: &str) -> String {
        String::from_utf8_lossy(&std::fs::read(self.path(name)).unwrap_or_else(|e| panic!("{name}: {e}"))).into_owned()
    }

    pub fn exists(&self, name: &str) -> bool {
        self.path(name).exists()
    }

    /// The program, to be run in the project's folder.
    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(assert_cmd::cargo::cargo_bin("vineloom"));
        command.args(arguments).current_dir(self.folder.path()).env("NO_COLOR", "1");
        // On a slow machine blocks take long enough for their state to be stored. What replays must not hang on that.
        command.env("VINELOOM_STATES", "none");
        // The tests have a secret of their own, and leave the user's alone.
        command.env("XDG_DATA_HOME", std::env::temp_dir().join("vineloom-test-data"));
        command
    }

    pub fn run(&self, arguments: &[&str]) -> Said {
        said(&self.command(arguments).output().unwrap())
    }

    /// Weaves `guide.vine.md`.
    pub fn weave(&self) -> Said {
        self.run(&["weave", "guide.vine.md"])
    }

    /// Weaves `guide.vine.md`, which must succeed, and returns the page.
    pub fn page(&self) -> String {
        let said = self.weave();
        assert_eq!(said.code, 0, "{said:?}");
        self.read("guide.html")
    }

    /// All text of an export; of an archive, that of its parts. Nothing for a PDF where its text can't be read.
    pub fn text_of(&self, name: &str) -> String {
        if name.ends_with(".pdf") {
            return tool("pdftotext", &[&self.path(name), Path::new("-")]).map_or_else(String::new, |said| said.out);
        }
        let without_tags = |text: &str| {
            let pieces = text.split('<').enumerate();
            pieces
                .map(|(at, piece)| if at == 0 { piece } else { piece.split_once('>').map_or("", |it| it.1) })
                .collect::<String>()
        };
        let bytes = std::fs::read(self.path(name)).unwrap();
        if name.ends_with(".html") {
            return without_tags(&String::from_utf8_lossy(&bytes));
        }
        let Ok(mut archive) = zip::ZipArchive::new(std::io::Cursor::new(&bytes)) else {
            return String::from_utf8_lossy(&bytes).into_owned();
        };
        let mut text = String::new();
        for at in 0..archive.len() {
            let _ = archive.by_index(at).unwrap().read_to_string(&mut text);
        }
        without_tags(&text)
    }

    /// What became of each block in the last weave: `a:ran b:kept`.
    pub fn states(&self, said: &Said) -> String {
        let line = |line: &str| {
            let mut words = line.strip_prefix("  ")?.split_whitespace();
            let (name, _, state) = (words.next()?, words.next()?, words.next()?);
            Some(format!("{}:{state}", name.trim_start_matches('@')))
        };
        said.out.lines().filter_map(line).collect::<Vec<_>>().join(" ")
    }
}

pub fn said(output: &Output) -> Said {
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Said { code: output.status.code().unwrap_or(-1), out: text(&output.stdout), err: text(&output.stderr) }
}

/// The names of all formats, as `to` takes them.
pub fn all_formats() -> String {
    vineloom_document::options::Format::ALL.map(|format| format!("\"{format}\"")).join(", ")
}

/// The text that a reader sees on a page: its body without tags.
pub fn visible(html: &str) -> String {
    let body = html.split_once("<body").map_or(html, |(_, body)| body);
    let body = body.split("<script>").next().unwrap_or(body);
    let mut text = String::new();
    let mut inside = false;
    for c in body.chars() {
        match c {
            '<' => inside = true,
            '>' => inside = false,
            c if !inside => text.push(c),
            _ => {}
        }
    }
    text.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&amp;", "&")
}

/// Runs a tool of the test machine. `scripts/test` installs it and demands it; elsewhere its absence is said.
pub fn tool(name: &str, arguments: &[&Path]) -> Option<Said> {
    match Command::new(name).args(arguments).output() {
        Ok(output) => Some(said(&output)),
        Err(_) if std::env::var_os("VINELOOM_TEST_TOOLS").is_none() => {
            eprintln!("{name} is not installed: this part of the test did not run; scripts/test installs it");
            None
        }
        Err(error) => panic!("{name} is needed by this test: {error}"),
    }
}

/// What stands in the parts of an office file that hold text, a paragraph a line, with the names of pictures.
pub fn text_of_office_file(bytes: &[u8]) -> String {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut names: Vec<String> = archive.file_names().map(|name| name.unwrap().into_owned()).collect();
    let holds_text = |name: &String| {
        name.contains("slides/") && name.ends_with(".xml")
            || name.contains("notesSlides/")
            || matches!(name.as_str(), "word/document.xml" | "word/footnotes.xml")
    };
    names.retain(holds_text);
    names.sort();
    let mut text = String::new();
    for name in names {
        let mut part = String::new();
        std::io::Read::read_to_string(&mut archive.by_name(&name).unwrap(), &mut part).unwrap();
        let part = part.replace("</w:p>", "</a:p>").replace("<w:br/>", "<a:br/>");
        // What a field asks for is not shown.
        let part: String = part
            .split("<w:instrText")
            .enumerate()
            .map(|(at, piece)| if at == 0 { piece } else { piece.split_once("</w:instrText>").unwrap().1 })
            .collect();
        for paragraph in part.split("</a:p>") {
            text.extend(
                paragraph.split("descr=\"").skip(1).map(|rest| rest.split('"').next().unwrap().to_string() + "\n"),
            );
            let mut inside = false;
            for c in paragraph.replace("<a:br/>", "\n").chars() {
                match c {
                    '<' => inside = true,
                    '>' => inside = false,
                    c if !inside => text.push(c),
                    _ => {}
                }
            }
            text.push('\n');
        }
    }
    text.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&amp;", "&").replace('\u{a0}', " ")
}

/// What stands in the files of a book, in their order.
pub fn text_of_book(bytes: &[u8]) -> String {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut text = String::new();
    for at in 0..archive.len() {
        let mut file = archive.by_index(at).unwrap();
        if file.name().unwrap().ends_with(".xhtml") {
            std::io::Read::read_to_string(&mut file, &mut text).unwrap();
        }
    }
    text
}

/// What stands in the cells of a notebook and in what they gave, a cell after the other.
pub fn text_of_notebook(bytes: &[u8]) -> String {
    fn strings(value: &serde_json::Value, text: &mut String) {
        match value {
            serde_json::Value::String(part) => text.push_str(part),
            serde_json::Value::Array(parts) => parts.iter().for_each(|part| strings(part, text)),
            serde_json::Value::Object(parts) => {
                for (name, part) in parts.iter().filter(|(name, _)| !matches!(name.as_str(), "id" | "metadata")) {
                    text.push_str(if name.contains('/') || name == "source" || name == "outputs" { "\n" } else { "" });
                    strings(part, text);
                }
            }
            _ => {}
        }
    }
    let notebook: serde_json::Value = serde_json::from_slice(bytes).unwrap();
    let mut text = String::new();
    strings(&notebook["cells"], &mut text);
    text + "\n"
}

/// References and links of every kind to what is not there in most formats, and places that have no line of their own.
pub const LEADING_NOWHERE: &str = r#"# A

See [](@only), [](@page), [](@number), [a table](@table), [a figure](@figure), [hidden](@hidden) and [the data](data/a.csv), [on the page](#page).

::: for html
```sh @only caption="Only on the page"
echo 1
```

## On the page {#page}

$$x$$ {#number}
:::

```sh @table as=table show=tables
printf 'a,b\n1,2\n'
```

```sh @figure show=figures
printf "<svg xmlns='http://www.w3.org/2000/svg' width='40' height='30'><circle r='9'/></svg>" > $VINELOOM_FIGURES/a.svg
```

```sh @hidden show=none
echo 3
```

Note[^a].

[^a]: Outer words with an inner[^b] mark.

[^b]: Inner words.

# B

Again[^a].
"#;
