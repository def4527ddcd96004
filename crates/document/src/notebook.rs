//! Notebooks as documents: nbformat 4 and 3, cells as blocks, their tags as options, attachments as files.
//!
//! ```
//! use vineloom_document::notebook_to_document;
//!
//! let notebook = r##"{"nbformat": 4, "nbformat_minor": 5, "metadata": {"kernelspec": {"language": "python"}}, "cells": [
//!     {"cell_type": "markdown", "metadata": {}, "source": ["# Tides\n"]},
//!     {"cell_type": "code", "metadata": {"tags": ["hide-input"]}, "outputs": [], "source": ["print(3)"]}]}"##;
//! let made = notebook_to_document(notebook, "tides").unwrap();
//! assert_eq!(made.text, "+++\ntitle = \"Tides\"\n+++\n\n```python @ show=text,figures,tables\nprint(3)\n```\n");
//! ```

use crate::fenced_lines::FencedLines;
use base64::Engine;
use serde_json::Value;
use std::collections::BTreeMap;

/// A notebook in the form of a document.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NotebookDocument {
    /// The document.
    pub text: String,
    /// The files that were attached to cells, by their paths from the document's folder.
    pub files: BTreeMap<String, Vec<u8>>,
    /// What a document says otherwise, or not at all: the number of the cell, from 1, and what became of it.
    pub told: Vec<(usize, String)>,
}

/// Makes a document of a notebook. `name` is what its file is called, without its ending: files that were attached come
/// to stand in a folder of that name.
///
/// # Errors
/// Why the text is no notebook that can be read.
pub fn notebook_to_document(json: &str, name: &str) -> Result<NotebookDocument, String> {
    let json = json.trim_start_matches('\u{FEFF}');
    let notebook: Value = serde_json::from_str(json).map_err(|error| format!("it is no notebook: {error}"))?;
    let version = notebook["nbformat"].as_u64();
    let cells = match version {
        Some(4) => notebook["cells"].as_array().cloned(),
        Some(3) => {
            let sheets = notebook["worksheets"].as_array();
            sheets.map(|sheets| sheets.iter().filter_map(|it| it["cells"].as_array()).flatten().cloned().collect())
        }
        Some(other) => return Err(format!("it is a notebook of version {other}; those of 3 and 4 can be read")),
        None => None,
    };
    let Some(cells) = cells else { return Err("it is no notebook: it has no cells".into()) };
    let mut reader = Reader {
        language: language(&notebook["metadata"]),
        folder: format!("{name}-files"),
        parts: Vec::new(),
        made: NotebookDocument::default(),
        cell: 0,
    };
    for (at, cell) in cells.iter().enumerate() {
        reader.cell = at + 1;
        reader.cell(cell);
    }
    let front = reader.front_matter(&notebook["metadata"]);
    let mut made = reader.made;
    made.text = front + &reader.parts.join("\n\n");
    if !made.text.is_empty() && !made.text.ends_with('\n') {
        made.text.push('\n');
    }
    Ok(made)
}

/// The language of its code cells, as blocks have it.
fn language(metadata: &Value) -> String {
    let said =
        [&metadata["kernelspec"]["language"], &metadata["language_info"]["name"], &metadata["kernelspec"]["name"]];
    let said = said.into_iter().find_map(|it| it.as_str().filter(|it| !it.is_empty())).unwrap_or("python");
    match said.to_lowercase().as_str() {
        "ir" => "r".into(),
        "python3" | "python2" | "ipython" => "python".into(),
        "node" => "javascript".into(),
        "shell" => "bash".into(),
        other => other.split_whitespace().collect::<Vec<_>>().join("-"),
    }
}

struct Reader {
    language: String,
    folder: String,
    parts: Vec<String>,
    made: NotebookDocument,
    cell: usize,
}

/// A text that may be a list of lines.
fn text_of(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        Value::Array(lines) => lines.iter().filter_map(Value::as_str).collect(),
        _ => String::new(),
    }
    .replace("\r\n", "\n")
}

impl Reader {
    fn tell(&mut self, message: impl Into<String>) {
        self.made.told.push((self.cell, message.into()));
    }

    fn part(&mut self, text: &str) {
        let text = text.trim_matches('\n').trim_end();
        if !text.trim().is_empty() {
            self.parts.push(text.to_string());
        }
    }

    fn cell(&mut self, cell: &Value) {
        let own = &cell["metadata"]["vineloom"];
        // What was made for the notebook alone is in the front matter, or in another block.
        if own["made"].as_bool() == Some(true) {
            return;
        }
        let text = match (&cell["source"], &cell["input"]) {
            (Value::Null, input) => text_of(input),
            (source, _) => text_of(source),
        };
        match cell["cell_type"].as_str().unwrap_or("code") {
            "markdown" => match own["language"].as_str() {
                // A block of another language than the notebook's.
                Some(language) => {
                    let header = own["block"].as_str().unwrap_or("@");
                    let (language, code) = (language.to_string(), own["code"].as_str().unwrap_or("").to_string());
                    self.block(&language, &without_source(header), &code);
                }
                None => self.markdown(&text, &cell["attachments"]),
            },
            "heading" => {
                let level = cell["level"].as_u64().unwrap_or(1).clamp(1, 6) as usize;
                self.part(&format!("{} {}", "#".repeat(level), text.trim()));
            }
            "raw" => self.raw(&text, &cell["metadata"]),
            "code" => match own["block"].as_str() {
                Some(header) => {
                    let (language, header) = (self.language.clone(), without_source(header));
                    self.block(&language, &header, &text);
                }
                None => self.code(&text, cell),
            },
            other => {
                self.tell(format!("a cell of the kind `{other}` is kept as a listing"));
                self.listing("text", &text);
            }
        }
    }

    fn markdown(&mut self, text: &str, attachments: &Value) {
        let mut text = with_plain_values(text);
        for (name, kinds) in attachments.as_object().into_iter().flatten() {
            let Some((kind, coded)) = kinds.as_object().and_then(|kinds| kinds.iter().next()) else { continue };
            let coded: String = text_of(coded).split_whitespace().collect();
            let Ok(bytes) = base64::engine::general_purpose::STANDARD.decode(coded) else {
                self.tell(format!("the attachment {name} can't be read and is left out"));
                continue;
            };
            let path = format!("{}/{}", self.folder, self.file_name(name, kind));
            text = text.replace(&format!("attachment:{name}"), &path);
            self.made.files.insert(path, bytes);
        }
        self.part(&text);
    }

    /// A plain name for a file that was attached: two cells may have one of the same name.
    fn file_name(&self, name: &str, kind: &str) -> String {
        let plain: String =
            name.chars().map(|c| if c.is_alphanumeric() || matches!(c, '.' | '-' | '_') { c } else { '-' }).collect();
        let plain = plain.trim_start_matches('.');
        let ending = kind.rsplit(['/', '+']).next().unwrap_or("bin");
        let plain = match plain {
            "" => format!("file.{ending}"),
            plain if plain.contains('.') => plain.to_string(),
            plain => format!("{plain}.{ending}"),
        };
        let taken = |name: &str| self.made.files.contains_key(&format!("{}/{name}", self.folder));
        let numbered = (1..).map(|number| if number == 1 { plain.clone() } else { format!("{}-{plain}", number) });
        numbered.into_iter().find(|name| !taken(name)).unwrap_or(plain)
    }

    fn raw(&mut self, text: &str, metadata: &Value) {
        let kind = ["format", "raw_mimetype"].into_iter().find_map(|key| metadata[key].as_str()).unwrap_or("");
        match kind {
            "text/html" => self.part(text),
            "text/markdown" => self.part(&with_plain_values(text)),
            "text/latex" | "text/restructuredtext" | "text/asciidoc" => {
                self.tell(format!("a raw cell of the kind {kind} is kept as a listing"));
                self.listing(kind.rsplit('/').next().unwrap_or("text"), text);
            }
            _ => self.listing("text", text),
        }
    }

    fn code(&mut self, text: &str, cell: &Value) {
        if text.trim().is_empty() {
            return;
        }
        let mut language = cell["language"].as_str().map_or_else(|| self.language.clone(), str::to_lowercase);
        let mut lines: Vec<String> = text.trim_end().split('\n').map(String::from).collect();
        let first = lines.iter().position(|line| !line.trim().is_empty()).unwrap_or(0);
        let options = options(&cell["metadata"], &cell["outputs"]);
        if let Some(magic) = lines[first].trim().strip_prefix("%%").map(String::from) {
            let (word, rest) = magic.split_once(char::is_whitespace).unwrap_or((&magic, ""));
            lines.drain(..=first);
            match word {
                "bash" | "sh" | "ruby" | "perl" | "javascript" | "js" | "python" | "python3" | "r" | "R" => {
                    let name = match word {
                        "js" => "javascript",
                        "python3" => "python",
                        "R" => "r",
                        word => word,
                    };
                    language = name.into();
                }
                "html" | "HTML" => {
                    return self.part(&lines.join("\n"));
                }
                "latex" | "svg" | "markdown" | "SVG" => {
                    self.tell(format!("`%%{word}` is kept as a listing"));
                    return self.listing(&word.to_lowercase(), &lines.join("\n"));
                }
                "time" | "timeit" | "capture" | "prun" => self.tell(format!("`%%{word}` is left out")),
                "writefile" | "file" => {
                    self.tell(format!("`%%{word} {rest}` is kept as a listing: a block can write the file itself, or the file can stand beside the document"));
                    return self.listing("text", &lines.join("\n"));
                }
                other => {
                    self.tell(format!("`%%{other}` is not known: the cell is kept as a listing"));
                    lines.insert(0, format!("%%{magic}"));
                    return self.listing(&language, &lines.join("\n"));
                }
            }
        }
        if language == "python" {
            self.without_magics(&mut lines);
        }
        let code = lines.join("\n");
        if code.trim().is_empty() {
            return;
        }
        let header = if options.is_empty() { "@".to_string() } else { format!("@ {}", options.join(" ")) };
        match options.iter().any(|option| option == "listing") {
            true => self.listing(&language, &code),
            false => self.block(&language, &header, &code),
        }
    }

    /// Lines that only a notebook's own shell knows become comments, or what they stand before.
    fn without_magics(&mut self, lines: &mut [String]) {
        let comment = self.comment();
        for line in lines.iter_mut() {
            let bare = line.trim_start().to_string();
            let indent = line[..line.len() - bare.len()].to_string();
            let magic = bare.strip_prefix('%').filter(|rest| rest.starts_with(|c: char| c.is_ascii_alphabetic()));
            if let Some(magic) = magic {
                let (word, rest) = magic.split_once(char::is_whitespace).unwrap_or((magic, ""));
                if matches!(word, "time" | "timeit") && !rest.trim().is_empty() && !rest.trim_start().starts_with('-') {
                    self.tell(format!("`%{word}` is left out, and its line runs"));
                    *line = format!("{indent}{}", rest.trim_start());
                } else {
                    // Figures stand in the text without being asked for.
                    if !matches!(word, "matplotlib" | "config" | "pylab") {
                        self.tell(format!("`%{word}` is a comment now"));
                    }
                    *line = format!("{indent}{comment} {bare}");
                }
            } else if bare.starts_with('!') {
                self.tell(format!("`{}` is a comment now: a shell block runs commands", first_words(&bare)));
                *line = format!("{indent}{comment} {bare}");
            } else if bare.starts_with('?') || (bare.ends_with('?') && !bare.contains([' ', '#', '"', '\''])) {
                self.tell(format!("`{}` is a comment now", first_words(&bare)));
                *line = format!("{indent}{comment} {bare}");
            } else if let Some((name, command)) = bare.split_once("= !").or_else(|| bare.split_once("= %"))
                && name.trim().chars().all(|c| c.is_alphanumeric() || c == '_')
            {
                self.tell(format!("`{} = …{}` is a comment now", name.trim(), first_words(command)));
                *line = format!("{indent}{comment} {bare}");
            }
        }
    }

    fn comment(&self) -> &'static str {
        if self.language == "javascript" { "//" } else { "#" }
    }

    fn block(&mut self, language: &str, header: &str, code: &str) {
        let code = code.trim_end_matches('\n');
        let fence = fence_around(code);
        self.parts.push(format!("{fence}{language} {header}\n{code}\n{fence}"));
    }

    fn listing(&mut self, language: &str, code: &str) {
        let code = code.trim_matches('\n');
        if !code.trim().is_empty() {
            let fence = fence_around(code);
            self.parts.push(format!("{fence}{language}\n{code}\n{fence}"));
        }
    }

    /// The front matter: that of the document which the notebook was made of, else what the notebook says of itself. A
    /// heading of the first level that stands first is the title.
    fn front_matter(&mut self, metadata: &Value) -> String {
        let own = &metadata["vineloom"];
        if let Some(front) = own["front_matter"].as_str() {
            return if front.trim().is_empty() { String::new() } else { format!("+++\n{front}\n+++\n\n") };
        }
        let mut title = metadata["title"].as_str().or(metadata["name"].as_str()).unwrap_or("").trim().to_string();
        let first = self.parts.first().cloned().unwrap_or_default();
        if let Some((heading, rest)) = first.strip_prefix("# ").map(|rest| rest.split_once('\n').unwrap_or((rest, "")))
        {
            let heading = heading.trim().trim_end_matches('#').trim().to_string();
            let level_one = |part: &String| part.lines().filter(|line| line.starts_with("# ")).count();
            let is_only =
                self.parts.iter().filter(|part| !part.starts_with(['`', '~'])).map(level_one).sum::<usize>() == 1;
            if is_only && (title.is_empty() || title == heading) && !heading.is_empty() {
                title = heading;
                self.parts[0] = rest.trim_start_matches('\n').to_string();
                self.parts.retain(|part| !part.is_empty());
            }
        }
        let mut lines = Vec::new();
        if !title.is_empty() {
            lines.push(format!("title = {}", quoted(&title)));
        }
        let name = |author: &Value| author["name"].as_str().or(author.as_str()).map(quoted);
        let authors: Vec<String> = metadata["authors"].as_array().into_iter().flatten().filter_map(name).collect();
        if !authors.is_empty() {
            lines.push(format!("authors = [{}]", authors.join(", ")));
        }
        if lines.is_empty() { String::new() } else { format!("+++\n{}\n+++\n\n", lines.join("\n")) }
    }
}

/// A text as TOML has it.
fn quoted(text: &str) -> String {
    Value::from(text).to_string()
}

/// The options that the tags of a cell stand for.
fn options(metadata: &Value, outputs: &Value) -> Vec<String> {
    let tags: Vec<&str> = metadata["tags"].as_array().into_iter().flatten().filter_map(Value::as_str).collect();
    let has = |wanted: &[&str]| tags.iter().any(|tag| wanted.contains(tag));
    let mut options = Vec::new();
    let hides = |key: &str| metadata["jupyter"][key].as_bool() == Some(true);
    let no_code = has(&["hide-input", "hide_input", "remove-input", "remove_input"]) || hides("source_hidden");
    let no_output = has(&["hide-output", "hide_output", "remove-output", "remove_output"]) || hides("outputs_hidden");
    if has(&["skip-execution"]) {
        return vec!["listing".into()];
    }
    match (no_code, no_output) {
        _ if has(&["remove-cell", "remove_cell", "hide-cell", "hide_cell"]) => options.push("show=none".into()),
        (true, true) => options.push("show=none".into()),
        (true, false) => options.push("show=text,figures,tables".into()),
        (false, true) => options.push("show=code".into()),
        (false, false) => {}
    }
    // What failed when the notebook was saved is expected to fail.
    let failed = outputs
        .as_array()
        .into_iter()
        .flatten()
        .any(|output| matches!(output["output_type"].as_str(), Some("error" | "pyerr")));
    if failed || has(&["raises-exception", "raises_exception"]) {
        options.push("exit=1".into());
    }
    options
}

/// The header of a block without the file that its code came from: the code stands in the block now.
fn without_source(header: &str) -> String {
    let words: Vec<&str> = header.split(' ').filter(|word| !word.starts_with("from=")).collect();
    words.join(" ")
}

/// A fence that no line of some code closes.
fn fence_around(code: &str) -> String {
    let longest =
        code.lines().map(|line| line.trim_start().chars().take_while(|c| *c == '`').count()).max().unwrap_or(0);
    "`".repeat(longest.max(2) + 1)
}

/// Text in which nothing is read as ours: what a notebook has `@[…]` and `:::` for is nothing that we know. Listings are
/// left as they are.
fn with_plain_values(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut fences = FencedLines::default();
    for line in text.split_inclusive('\n') {
        if fences.holds(line) {
            out.push_str(line);
            continue;
        }
        let bare = line.trim_start();
        let indent = line.len() - bare.len();
        if indent < 4 && bare.starts_with(":::") {
            out.push_str(&line[..indent]);
            out.push('\\');
        }
        let mut last = ' ';
        let rest = if indent < 4 && bare.starts_with(":::") { bare } else { line };
        for (at, c) in rest.char_indices() {
            if c == '@' && rest[at..].starts_with("@[") && last != '\\' {
                out.push('\\');
            }
            out.push(c);
            last = c;
        }
    }
    out
}

fn first_words(line: &str) -> String {
    let words: String = line.chars().take(40).collect();
    if words.len() < line.len() { format!("{words}…") } else { words }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn made(cells: Value, metadata: Value) -> NotebookDocument {
        let notebook = json!({ "nbformat": 4, "nbformat_minor": 5, "metadata": metadata, "cells": cells });
        notebook_to_document(&notebook.to_string(), "tides").unwrap()
    }

    fn code(source: &str) -> Value {
        json!({ "cell_type": "code", "metadata": {}, "outputs": [], "source": source })
    }

    #[test]
    fn magics_are_told_and_the_rest_runs() {
        let made = made(
            json!([
                code("%matplotlib inline\n%time x = 1\n!ls -l\nx"),
                code("%%bash\necho 1"),
                code("%%strange\na"),
                code("  ")
            ]),
            json!({}),
        );
        assert_eq!(
            made.text,
            "```python @\n# %matplotlib inline\nx = 1\n# !ls -l\nx\n```\n\n```bash @\necho 1\n```\n\n```python\n%%strange\na\n```\n"
        );
        let told: Vec<usize> = made.told.iter().map(|(cell, _)| *cell).collect();
        assert_eq!(told, [1, 1, 3]);
    }

    #[test]
    fn attachments_are_files_and_values_are_words() {
        let cell = json!({ "cell_type": "markdown", "metadata": {}, "source": "![a](attachment:a b.png) costs @[x]",
            "attachments": { "a b.png": { "image/png": "aGk=" } } });
        let made = made(json!([cell]), json!({ "language_info": { "name": "R" } }));
        assert_eq!(made.text, "![a](tides-files/a-b.png) costs \\@[x]\n");
        assert_eq!(made.files["tides-files/a-b.png"], b"hi");
    }

    #[test]
    fn nothing_of_others_is_read_as_ours() {
        let text = "::: note\n\n```\n::: @[x]\n```\n\n\\::: and \\@[y]";
        assert_eq!(with_plain_values(text), "\\::: note\n\n```\n::: @[x]\n```\n\n\\::: and \\@[y]");
    }

    #[test]
    fn fences_are_longer_than_those_in_the_code() {
        let made = made(json!([code("x = '''\n```\n'''")]), json!({}));
        assert_eq!(made.text, "````python @\nx = '''\n```\n'''\n````\n");
    }

    #[test]
    fn what_is_no_notebook_is_told() {
        for text in ["", "[]", "{}", "{\"nbformat\": 9, \"cells\": []}", "not json"] {
            assert!(notebook_to_document(text, "x").is_err(), "{text}");
        }
    }
}
