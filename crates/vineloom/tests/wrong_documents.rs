//! Documents with one mistake each, and the whole of what `check` says of them.
//!
//! The answers stand in `data/wrong-documents.txt`, to be read as a tired writer would. `VINELOOM_UPDATE_DOCS=1`
//! writes them anew: read the difference before it is committed.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

const BLOCK: &str = "```python @count\nprint(3)\n```\n";

fn wrong_documents() -> Vec<(&'static str, String)> {
    let with_block = |text: &str| format!("{BLOCK}\n{text}\n");
    let front = |toml: &str| format!("+++\n{toml}\n+++\n\nText.\n");
    vec![
        ("a title without quotes", front("title = Probe")),
        ("a header with colons", front("title: Probe")),
        ("a header never closed", "+++\ntitle = \"x\"\n\nText.\n".into()),
        ("a misspelt key", front("autors = [\"Ann\"]")),
        ("a key that belongs to exports", front("contents = \"top\"")),
        ("a key that belongs to blocks", front("fold = \"open\"")),
        ("a title that is a number", front("title = 3")),
        ("an author without a name", front("authors = [{ affiliation = \"Hollin Ridge\" }]")),
        ("a table written as a value", front("export = \"pdf\"")),
        ("a format that does not exist", front("[export]\nto = [\"htlm\"]")),
        ("an export setting with a wrong value", front("[export]\ncontents = \"left\"")),
        ("an option of blocks among exports", front("[export]\nshow = \"none\"")),
        ("an option for no block", format!("+++\n[block.cuont]\nalt = \"x\"\n+++\n{BLOCK}")),
        ("a citation style that does not exist", front("citation-style = \"ieeee\"")),
        ("a result of a document that is not there", "![Rain](june.vine.md@rain)\n".into()),
        ("a result that its document has not", "In @[parts.vine.md@rain].\n".into()),
        ("a value of a document in another folder", "In @[plots/june.vine.md@rain].\n".into()),
        (
            "a chart of a block without its @",
            format!("{BLOCK}\n```chart @bars alt=\"\"\ndata = \"count\"\nkind = \"bar\"\n```\n"),
        ),
        ("a library that is not there", front("library = [\"helpers.vine.md\"]")),
        ("a bibliography that is not there", front("references = [\"library.bib\"]")),
        ("a parameter that is a table", front("[parameters]\nprobe = { depth = 3 }")),
        ("a fence never closed", "```python @count\nprint(3)\n".into()),
        ("a live block without a language", "``` @count\nprint(3)\n```\n".into()),
        ("a name that is none", "```python @2nd\nprint(3)\n```\n".into()),
        ("a name used twice", format!("{BLOCK}\n{BLOCK}")),
        ("a misspelt option", "```python @count fodl=open\nprint(3)\n```\n".into()),
        ("an option without a value", "```python @count fold\nprint(3)\n```\n".into()),
        ("an option with a wrong value", "```python @count fold=shut\nprint(3)\n```\n".into()),
        ("an option set twice", "```python @count fold=open fold=no\nprint(3)\n```\n".into()),
        ("a quote never closed", "```python @count caption=\"Counts\nprint(3)\n```\n".into()),
        ("a time that is none", "```python @count time-limit=soon\nprint(3)\n```\n".into()),
        ("an option that a listing can't have", "```python exit=1\nprint(3)\n```\n".into()),
        ("a language nobody knows", "```pyhton @count\nprint(3)\n```\n".into()),
        ("code in a block whose code is a file", "```python @count from=count.py\nprint(3)\n```\n".into()),
        ("a value of nothing", with_block("It is @[cuont].")),
        ("a value that can't be read", with_block("It is @[count + 1].")),
        ("a value of a section", with_block("## Wiring {#wiring}\n\nIt is @[wiring].")),
        ("a field no document has", with_block("By @[doc.writer].")),
        ("a call of what takes nothing", with_block("It is @[count(n=3)].")),
        (
            "a call with an unknown parameter",
            "```python @area takes=\"width=1,height=2\"\nprint(width * height)\n```\n\n@[area(widht=3)]\n".into(),
        ),
        (
            "a call with a value that is none",
            "```python @area takes=\"width=1\"\nprint(width)\n```\n\n@[area(width=wide)]\n".into(),
        ),
        ("a reference to nothing", with_block("See [](@countt).")),
        ("a result of nothing", with_block("![Counts](@counts)")),
        (
            "a result of a block that is only called",
            "```python @area takes=\"n=1\"\nprint(n)\n```\n\n![Area](@area)\n".into(),
        ),
        ("a line that has no name", with_block("See [](@count:total).")),
        ("blocks that wait for each other", "```python @a\nprint(@[b])\n```\n\n```python @b\nprint(2)\n```\n".into()),
        ("a picture without words", "![](probe.svg)\n".into()),
        ("a picture on another computer", "![Probe](https://example.org/probe.png)\n".into()),
        ("a picture that is not there", "![Probe](prob.svg)\n".into()),
        ("a heading that skips a level", "# One\n\n### Three\n".into()),
        ("an absolute path", "```python @count\nopen(\"/home/ines/june.csv\")\n```\n".into()),
        ("a container that does not exist", "::: warn\nMind the wire.\n:::\n".into()),
        ("a container never closed", "::: note\nMind the wire.\n".into()),
        ("a line that closes nothing", "Text.\n\n:::\n".into()),
        ("tabs without headings", "::: tabs\nText.\n:::\n".into()),
        ("widths for other columns", "::: columns 2:1:1\nLeft.\n\n---\n\nRight.\n:::\n".into()),
        ("terms that are none", "::: terms\n- **Strand** One.\n- Knot\n:::\n".into()),
        ("only for a format that does not exist", "::: for htm\nText.\n:::\n".into()),
        ("digits of a column that are none", "```sh @count as=table digits=\"mean: few\"\necho a\n```\n".into()),
        ("an alignment that does not exist", "```sh @count as=table align=\"mean: middle\"\necho a\n```\n".into()),
        ("a workbook that is not there", "![Limits](limits.xlsx#June)\n".into()),
        ("a workbook that is none", "![Limits](probe.xlsx)\n".into()),
        ("a document that embeds itself", "![](guide.vine.md)\n".into()),
        ("lines that a file does not have", "![](guide.vine.md#L5-L9)\n".into()),
        ("a data file that is not there", "![Limits](limits.csv)\n".into()),
        ("an option of print in the table of the page", front("[html]\npaper = \"a5\"")),
        ("an option of the page in the table of print", front("[pdf]\ntheme = \"madder\"")),
        ("the list of formats in the table of one", front("[pdf]\nto = [\"pdf\"]")),
        (
            "a chart of a block that is not there",
            with_block("```chart @plot alt=\"x\"\nx = \"a\"\ndata = \"@cuont\"\n```"),
        ),
        ("a formula that can't be read", "As $\\wrong{x}$ grows.\n".into()),
        (
            "a formula in a caption that can't be read",
            "```sh @a caption=\"As $\\wrong{x}$\"\n:\n```\n\n[](@a)\n".into(),
        ),
        ("a transcript of a language that tells none", "```ruby @count transcript=yes\n1\n```\n".into()),
        ("a link without words", "# Wiring {#wiring}\n\nSee [](#wiring).\n".into()),
        ("a link to a file of this computer", "See [it](file:///home/ines/june.csv).\n".into()),
    ]
}

/// More of them: names that nothing has, wherever a name can stand.
fn names_of_nothing() -> Vec<(&'static str, String)> {
    let front = |toml: &str| format!("+++\n{toml}\n+++\n\nText.\n");
    let chart = |lines: &str| format!("```chart @plot alt=\"x\"\ndata = \"table.csv\"\n{lines}\n```\n");
    let callable = "```python @area takes=\"width=1\"\nprint(width)\n```\n\n";
    vec![
        ("a former name of a container", "::: only html\nText.\n:::\n".into()),
        ("the other former name of a container", "::: except html\nText.\n:::\n".into()),
        ("a former name of an option", front("[export]\nreading-view = true")),
        ("settings of one format among those of all", front("[export.html]\ncontents = \"top\"")),
        ("a link to the words on a tab", "::: tabs\n\n## Linux\n\nDo.\n\n:::\n\nSee [Linux](#linux).\n".into()),
        ("a call with a value of nothing", format!("{callable}@[area(width=@nosuch)]\n")),
        ("a call with a parameter too many", format!("{callable}@[area(width=1, height=2)]\n")),
        ("a variable of nothing", "```python @a with=nosuch\nprint(1)\n```\n".into()),
        ("a variable of nothing under another name", "```python @a with=\"n=@nosuch\"\nprint(1)\n```\n".into()),
        (
            "a parameter without quotes",
            "```python @g takes=\"text=abc\"\nprint(text)\n```\n\n@[g(text=\"x\")]\n".into(),
        ),
        ("an option that values do not have", format!("{BLOCK}\nIt is @[count digit=1].\n")),
        ("an option of a value with a wrong value", format!("{BLOCK}\nIt is @[count digits=few].\n")),
        ("an option of an expression that values do not have", "It is @[python digit=1: 1 / 3].\n".into()),
        ("a link to no place", "## Wiring {#wiring}\n\nSee [it](#wirring).\n".into()),
        ("a link without words to no place", "## Wiring\n\nSee [](#nowhere).\n".into()),
        ("a link to a file that is not there", "See [the sheet](sheet.pdf).\n".into()),
        ("a section that a document does not have", "![](parts.vine.md#nosuch)\n".into()),
        ("a document that is not there", "![](part.vine.md)\n".into()),
        ("code that is not there", "![](decode.py#L1-L2)\n".into()),
        ("a style sheet that is not there", front("[html]\nstyle = \"house.css\"")),
        ("a font file that is not there", front("[pdf]\nfont = [\"House.ttf\"]")),
        ("a bibliography with an entry never closed", front("references = [\"open.bib\"]")),
        ("a bibliography with a field without a value", front("references = [\"field.bib\"]")),
        ("a kind of chart that there is not", chart("kind = \"lin\"\nx = \"day\"\ny = \"level\"")),
        ("a setting that charts do not have", chart("x = \"day\"\ny = \"level\"\ncolor = \"red\"")),
        ("a column that the table does not have", chart("x = \"day\"\ny = \"levle\"")),
        ("a chart that is no TOML", chart("x = day")),
        ("a chart of a file that is not there", "```chart @plot alt=\"x\"\ndata = \"tabel.csv\"\n```\n".into()),
        ("lines to stress beyond the end", "```python @a mark=5\nprint(1)\n```\n".into()),
        ("lines of a listing to stress beyond the end", "```python mark=2-3\nprint(1)\n```\n".into()),
        ("two lines of one name", "```python @a\nx = 1 # @:one\ny = 2 # @:one\n```\n".into()),
        ("a footnote without text", "Dry by noon.[^noon]\n".into()),
        ("a word that values do not have", front("[words]\nmising = \"none\"")),
        ("a section and a block of one name", format!("## Count {{#count}}\n\n{BLOCK}")),
        ("a figure placed by a name of nothing in a sentence", "See ![it](@nosuch) here.\n".into()),
    ]
}

/// What is said, but for hints, which are for a check alone.
fn without_hints(said: &str) -> String {
    said.split_inclusive("\n\n").filter(|message| !message.starts_with("note: ")).collect()
}

#[test]
fn each_mistake_is_answered_so_that_a_tired_writer_knows_what_to_do() {
    let (mut answers, mut several) = (String::new(), String::new());
    for (what, text) in wrong_documents().into_iter().chain(names_of_nothing()) {
        let project = Project::with(&text);
        project.write("count.py", "print(3)\n");
        project.write("parts.vine.md", "# Wiring {#wiring}\n\nText.\n");
        project.write("table.csv", "day,level\n1,2.5\n2,3.5\n");
        project.write("open.bib", "@article{a, title = {A}, author = {B}, date = {2000}}\n\n@article{b, title = {B\n");
        project.write("field.bib", "@article{a,\n title = ,\n author = {B}}\n");
        project.write("probe.xlsx", "no workbook");
        project.write("probe.svg", "<svg xmlns='http://www.w3.org/2000/svg'/>");
        let said = project.run(&["check", "guide.vine.md"]);
        assert!(!said.err.contains("panicked"), "{what}: {}", said.err);
        assert!(!said.err.is_empty(), "{what}: nothing was said");
        let count = said.err.matches("error: ").count() + said.err.matches("warning: ").count();
        if count != 1 {
            several.push_str(&format!("{what}: one mistake, one message\n{}", said.err));
        }
        // A weave says the same, and runs nothing when something is wrong.
        let woven = project.run(&["weave", "guide.vine.md"]);
        let expected = without_hints(&said.err);
        assert!(woven.err.starts_with(&expected), "{what}: {expected}\nis not what a weave says: {}", woven.err);
        if said.code != 0 {
            assert_eq!(woven.err, expected, "{what}");
            assert_eq!((woven.code, woven.out.as_str(), project.exists(".vineloom")), (said.code, "", false), "{what}");
        }
        let told = said.err.replace(project.path("").to_string_lossy().trim_end_matches('/'), "/PROJECT");
        answers.push_str(&format!("== {what} (exit {})\n{}\n\n", said.code, told.trim_end()));
    }
    assert_eq!(several, "");
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/wrong-documents.txt");
    if std::env::var_os("VINELOOM_UPDATE_DOCS").is_some() {
        std::fs::create_dir_all(std::path::Path::new(path).parent().unwrap()).unwrap();
        std::fs::write(path, &answers).unwrap();
    }
    let wanted = std::fs::read_to_string(path).unwrap();
    for (ours, theirs) in answers.split("== ").zip(wanted.split("== ")) {
        assert_eq!(ours, theirs);
    }
    assert_eq!(answers, wanted);
}
