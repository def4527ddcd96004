//! Notebooks both ways: what their validator says, what plain python makes of their cells, documents that come back equal.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use serde_json::{Value, json};
use support::{Project, tool};

const DOCUMENT: &str = r#"+++
title = "Soil & water"
authors = ["Ines Calloway"]
[parameters]
limit = 25
+++

Before. It is @[total] in all.

# First

```python @setup show=none
import sys
rows = [12, 30, 24]
```

Words with `code` and $x^2$.

```python @total
print(sum(rows))
sum(rows)
```

::: note
A notice with a block in it:

```python @inside
rows.append(4)
```
:::

## Second

```sh @shell
echo "from the shell"
```

```python @low with=limit caption="A table" as=table
print("plot,depth")
for row in rows:
    if row < limit:
        print(f"p,{row}")
```

```python @fails exit=1
raise ValueError("too dry")
```

```python @notices show=code,notices
print("careful", file=sys.stderr)
```

```python @fig alt="A dot"
import os
open(os.environ["VINELOOM_FIGURES"] + "/a.svg", "w").write("<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>")
```

::: for notebook
In notebooks alone.
:::

::: not-for notebook
Elsewhere.
:::

The end.
"#;

/// Whether a python package is missing where it may be.
fn may_be_missing(said: &support::Said) -> bool {
    said.err.contains("No module named") && std::env::var_os("VINELOOM_TEST_TOOLS").is_none()
}

/// The notebook of a document, as its validator sees it where that is installed.
fn woven(project: &Project, name: &str) -> Value {
    let said = project.run(&["weave", &format!("{name}.vine.md"), "--to", "notebook"]);
    assert_eq!(said.code, 0, "{said:?}");
    let check = "import sys, nbformat\nnb = nbformat.read(sys.argv[1], as_version=nbformat.NO_CONVERT)\nnbformat.validate(nb)\nprint(nb.nbformat, nb.nbformat_minor)\n";
    let path = project.path(&format!("{name}.ipynb"));
    if let Some(said) = tool("python3", &["-c".as_ref(), check.as_ref(), &path])
        && !may_be_missing(&said)
    {
        assert_eq!(said.out, "4 5\n", "{said:?}");
    }
    serde_json::from_str(&project.read(&format!("{name}.ipynb"))).unwrap()
}

fn source(cell: &Value) -> String {
    cell["source"].as_array().unwrap().iter().map(|line| line.as_str().unwrap()).collect()
}

#[test]
fn a_notebook_has_cells_with_what_they_gave() {
    let project = Project::with(DOCUMENT);
    let notebook = woven(&project, "guide");
    let cells = notebook["cells"].as_array().unwrap();
    let cell = |id: &str| cells.iter().find(|cell| cell["id"] == id).unwrap_or_else(|| panic!("{id}: {cells:#?}"));
    assert_eq!(notebook["metadata"]["kernelspec"]["name"], "python3");
    assert!(source(cell("title")).starts_with("# Soil"));
    assert_eq!(cell("setup")["metadata"]["jupyter"]["source_hidden"], true);
    let total = &cell("total")["outputs"];
    assert_eq!(total[0]["output_type"], "stream");
    assert_eq!(total[0]["text"], json!(["66\n"]));
    assert_eq!(total[1]["data"]["text/plain"], json!(["66"]));
    assert_eq!(source(cell("handed-in")), "limit = 25");
    assert!(cell("low")["outputs"][0]["data"]["text/html"].to_string().contains("<th>plot</th>"));
    assert_eq!(cell("fails")["outputs"][0]["ename"], "ValueError");
    assert_eq!(cell("notices")["outputs"][0]["name"], "stderr");
    assert!(cell("fig")["outputs"].to_string().contains("<svg"));
    assert_eq!(cell("block")["cell_type"], "markdown");
    assert!(source(cell("block")).contains("from the shell"));
    assert!(
        cells.iter().any(|cell| source(cell).contains("It is 66") && source(cell).contains(" in all.")),
        "values stand in the text"
    );
    let all: String = cells.iter().map(source).collect();
    assert!(all.contains("In notebooks alone.") && !all.contains("Elsewhere."), "{all}");
    // The same document gives the same bytes, and the program knows its file.
    let first = project.read("guide.ipynb");
    woven(&project, "guide");
    assert_eq!(project.read("guide.ipynb"), first);
    project.write("guide.ipynb", "{}");
    assert_ne!(project.run(&["weave", "guide.vine.md", "--to", "notebook"]).code, 0);
}

#[test]
fn the_code_cells_run_by_themselves_and_print_the_same() {
    let project = Project::with(DOCUMENT);
    let notebook = woven(&project, "guide");
    let figures = project.path("figures");
    std::fs::create_dir(&figures).unwrap();
    let mut program = format!("import os\nos.environ['VINELOOM_FIGURES'] = {figures:?}\n");
    let mut expected = String::new();
    for cell in notebook["cells"].as_array().unwrap().iter().filter(|cell| cell["cell_type"] == "code") {
        let code = serde_json::to_string(&source(cell)).unwrap();
        let run = format!("    exec(compile({code}, 'cell', 'exec'), globals())\n");
        program.push_str(&format!("try:\n{run}except Exception as error:\n    print('failed:', error)\n"));
        for output in cell["outputs"].as_array().unwrap() {
            match output["output_type"].as_str().unwrap() {
                "stream" if output["name"] == "stdout" => {
                    expected.extend(output["text"].as_array().unwrap().iter().map(|it| it.as_str().unwrap()));
                }
                // The table was printed as lines.
                "display_data" if output["data"]["text/plain"].to_string().contains("depth") => {
                    let lines = output["data"]["text/plain"].as_array().unwrap();
                    let text: String = lines.iter().map(|it| it.as_str().unwrap()).collect();
                    expected.push_str(&(text.replace('\t', ",") + "\n"));
                }
                "error" => expected.push_str(&format!("failed: {}\n", output["evalue"].as_str().unwrap())),
                _ => {}
            }
        }
    }
    project.write("cells.py", program);
    let said = tool("python3", &[&project.path("cells.py")]).unwrap();
    assert_eq!(said.out, expected, "{said:?}");
    assert!(expected.contains("66\n") && expected.contains("p,4\n"), "{expected}");
}

#[test]
fn a_notebook_comes_back_as_the_document_that_it_was() {
    let project = Project::with(DOCUMENT);
    let mut last: Option<String> = None;
    let mut name = "guide".to_string();
    for round in 0..3 {
        woven(&project, &name);
        let next = format!("round{round}");
        let said = project.run(&["convert", &format!("{name}.ipynb"), &format!("{next}.vine.md")]);
        assert_eq!(said.code, 0, "{said:?}");
        let text = project.read(&format!("{next}.vine.md"));
        for kept in [
            "title = \"Soil & water\"",
            "```python @setup show=none\n",
            "with=limit caption=\"A table\"",
            "```sh @shell\necho",
            "rows.append(4)",
        ] {
            assert!(text.contains(kept), "{kept}\n{text}");
        }
        if let Some(last) = &last {
            assert_eq!(&text, last, "round {round}");
        }
        last = Some(text);
        name = next;
    }
}

/// Ten notebooks as people have them, written with the library of the format.
const WRITE: &str = r###"import sys, nbformat, base64
from nbformat.v4 import new_notebook, new_markdown_cell as md, new_code_cell as code, new_raw_cell as raw, new_output
out = sys.argv[1]
def save(name, cells, **meta):
    nb = new_notebook(cells=cells)
    nb.metadata.update(meta)
    nbformat.write(nb, f"{out}/{name}.ipynb")
py = dict(kernelspec=dict(name="python3", display_name="Python 3", language="python"))
save("empty", [], **py)
save("plain", [md("# Plain\n\nText."), code("x = 1\nx + 1"), md("## More\n\n- a\n- b"), code("print(x)")], **py)
save("magics", [code("%matplotlib inline\n%time y = 2\n!echo no\nprint(y)"), code("%%bash\necho shell"), code("%%html\n<b>hi</b>"), code("%%writefile a.txt\nx"), code("%load_ext x\nz = 3")], **py)
png = base64.b64encode(b"\x89PNG\r\n\x1a\n" + bytes.fromhex("0000000d49484452000000010000000108060000001f15c4890000000d49444154789c6360606060000000050001a5f645400000000049454e44ae426082")).decode()
cell = md("![dot](attachment:dot.png) and again ![dot](attachment:dot.png)"); cell.attachments = {"dot.png": {"image/png": png}}
other = md("![dot](attachment:dot.png)"); other.attachments = {"dot.png": {"image/png": png}}
save("attachments", [cell, other], **py)
hide = code("print('seen')"); hide.metadata.tags = ["hide-input"]
boom = code("1/0"); boom.metadata.tags = ["raises-exception"]
was = code("raise KeyError('k')"); was.outputs = [new_output("error", ename="KeyError", evalue="'k'", traceback=["x"])]
skip = code("print('never')"); skip.metadata.tags = ["skip-execution"]
save("tags", [hide, boom, was, skip], **py)
huge = code("print('small now')"); huge.outputs = [new_output("stream", name="stdout", text="x" * 3_000_000)]
save("huge", [huge], **py)
save("odd", [code(""), md(""), md("```python\nlisting()\n```\n\n@[not a value] and a@b.org"), code("s = '''\n```\n'''\nprint(len(s))"), raw("raw text"), md("::: not ours\n\ntext")], **py)
r = raw("<i>raw</i>"); r.metadata.format = "text/html"
save("raw", [r, md("Text after.")], **py)
save("ruby", [md("# In Ruby"), code("x = [1, 2]\nputs x.sum")], kernelspec=dict(name="ruby", display_name="Ruby", language="ruby"))
save("unicode", [md("# Größe — 土 👩\n\n$\\alpha < \\beta$"), code("print('土が乾く — ß')"), md("| a | b |\n|---|--:|\n| 1 | 2 |\n\n[^1] x\n\n[^1]: note")], title="Ümlaut \"quoted\"", authors=[dict(name="Ines")], **py)
"###;

#[test]
fn notebooks_of_others_convert_weave_and_come_back_equal() {
    let project = Project::new();
    std::fs::create_dir(project.path("old")).unwrap();
    let Some(said) = tool("python3", &["-c".as_ref(), WRITE.as_ref(), &project.path("old")]) else { return };
    if may_be_missing(&said) {
        return;
    }
    assert!(!said.err.contains("Error"), "{said:?}");
    let said = project.run(&["convert", "old", "new"]);
    assert_eq!(said.code, 0, "{said:?}");
    for told in [
        "`!echo no` is a comment now",
        "`%time` is left out, and its line runs",
        "`%%writefile a.txt` is kept as a listing",
        "magics.ipynb, cell 5",
    ] {
        assert!(said.err.contains(told), "{told}: {said:?}");
    }
    for name in ["empty", "plain", "magics", "attachments", "tags", "huge", "odd", "raw", "ruby", "unicode"] {
        let (first, second) = (format!("new/{name}.vine.md"), format!("new/{name}-again.vine.md"));
        let said = project.run(&["weave", &first, "--to", "html,notebook"]);
        assert_eq!(said.code, 0, "{name}: {said:?}");
        let said = project.run(&["convert", &format!("new/{name}.ipynb"), &second]);
        assert_eq!(said.code, 0, "{name}: {said:?}");
        assert_eq!(project.read(&second), project.read(&first), "{name}");
    }
    let page = |name: &str| project.read(&format!("new/{name}.html"));
    assert!(page("plain").contains("<h1>Plain</h1>") && page("plain").contains("<samp>2</samp>"));
    assert!(page("magics").contains("shell") && page("magics").contains("<b>hi</b>"));
    assert!(page("tags").contains("ZeroDivisionError") && page("tags").contains("never"));
    assert!(page("odd").contains("::: not ours") && page("odd").contains("@[not a value]"));
    assert!(page("ruby").contains("<samp>3</samp>") && page("unicode").contains("Ümlaut"));
    for file in ["new/attachments-files/dot.png", "new/attachments-files/2-dot.png"] {
        assert!(project.path(file).exists(), "{file}");
    }
    // Nothing is overwritten, and what is no notebook is told.
    assert_eq!(project.run(&["convert", "old/plain.ipynb", "new/plain.vine.md"]).code, 2);
    project.write("bad.ipynb", "{\"nbformat\": 4}");
    let said = project.run(&["convert", "bad.ipynb", "bad.vine.md"]);
    assert!(said.code == 2 && said.err.contains("it has no cells"), "{said:?}");
}
