//! Documents for a word processor: what another program's library finds in them, the package itself, styles of a house.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::collections::{BTreeMap, BTreeSet};
use std::io::{Cursor, Read};
use support::{Project, tool};

const DOCUMENT: &str = r#"+++
title = "Soil & water"
subtitle = "What *dries*"
authors = [{ name = "Ines Calloway", affiliation = "Hollin Ridge" }]
date = "2026-06-09"
licence = "CC-BY-4.0"
language = "en-GB"
[export]
numbered = true
+++
# Ground {#ground}

Words with **weight**, *slant* and `code < here`, a [link](https://example.org/a?b=1&c=2), a note[^n] and once more[^n]. See [](@tab), [](@eq), [](@fig) and [](@ground).

[^n]: Below ten parts.

## Lists

3. Dig.
4. Read.
   - deep

- [x] Dug.

::: caution "Mind the wire"
It is thin.
:::

$$
\frac{a}{b} + \sum_{i=1}^n x_i
$$ {#eq}

```sh @tab as=table caption="Depths"
printf 'plot,depth\nNorth,30.5\nLow,4\n'
```

```sh @fig caption="A dot" alt="One dot"
printf "<svg xmlns='http://www.w3.org/2000/svg' width='40' height='30'><circle r='9'/></svg>" > $VINELOOM_FIGURES/a.svg
```

```python lines=on mark=2
one = 1
two = "<2>"
```

# Sources

Third.
"#;

fn parts(bytes: &[u8]) -> BTreeMap<String, Vec<u8>> {
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).unwrap();
    let read = |at: usize| {
        let mut file = archive.by_index(at).unwrap();
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes).unwrap();
        (file.name().unwrap().into_owned(), bytes)
    };
    (0..zip::ZipArchive::new(Cursor::new(bytes)).unwrap().len()).map(read).collect()
}

fn text_of(parts: &BTreeMap<String, Vec<u8>>, name: &str) -> String {
    String::from_utf8(parts[name].clone()).unwrap()
}

/// The values of an attribute, in order.
fn values(xml: &str, attribute: &str) -> Vec<String> {
    let begin = format!("{attribute}=\"");
    xml.split(&begin).skip(1).filter_map(|rest| rest.split('"').next()).map(String::from).collect()
}

fn woven(text: &str) -> (Project, Vec<u8>) {
    let project = Project::with(text);
    let said = project.run(&["weave", "guide.vine.md", "--to", "docx"]);
    assert_eq!(said.code, 0, "{said:?}");
    let bytes = std::fs::read(project.path("guide.docx")).unwrap();
    (project, bytes)
}

/// Every relation leads to a part that is there, every part has a content type, every name that is used is defined.
fn whole(bytes: &[u8]) {
    let parts = parts(bytes);
    let types = text_of(&parts, "[Content_Types].xml");
    let endings: BTreeSet<String> = values(&types, "Extension").into_iter().collect();
    let named: BTreeSet<String> = values(&types, "PartName").into_iter().collect();
    for name in parts.keys().filter(|name| *name != "[Content_Types].xml") {
        let ending = name.rsplit('.').next().unwrap();
        assert!(named.contains(&format!("/{name}")) || endings.contains(ending), "{name} has no content type");
    }
    assert!(named.iter().all(|name| parts.contains_key(name.trim_start_matches('/'))), "{named:?}");
    for (name, bytes) in parts.iter().filter(|(name, _)| name.ends_with(".rels")) {
        let xml = String::from_utf8(bytes.clone()).unwrap();
        let owner = name.replace("_rels/", "").trim_end_matches(".rels").to_string();
        let folder = owner.rsplit_once('/').map_or("", |(folder, _)| folder);
        for relation in xml.split("<Relationship ").skip(1) {
            let target = &values(relation, "Target")[0];
            let whole = match target.strip_prefix('/') {
                Some(whole) => whole.to_string(),
                None => format!("{folder}/{target}").trim_start_matches('/').to_string(),
            };
            assert!(relation.contains("External") || parts.contains_key(&whole), "{name}: {target} is not there");
        }
        let ids = values(&xml, " Id");
        assert_eq!(ids.iter().collect::<BTreeSet<_>>().len(), ids.len(), "{name}");
        if let Some(part) = parts.get(&owner) {
            let part = String::from_utf8(part.clone()).unwrap();
            for used in ["r:id", "r:embed"].iter().flat_map(|attribute| values(&part, attribute)) {
                assert!(xml.contains(&format!("Id=\"{used}\"")), "{owner}: {used} is no relation");
            }
        }
    }
    let body = text_of(&parts, "word/document.xml");
    let styles = values(&text_of(&parts, "word/styles.xml"), "w:styleId");
    for element in ["pStyle", "rStyle", "tblStyle"] {
        for used in body.split(&format!("<w:{element} ")).skip(1).map(|rest| values(rest, "w:val").remove(0)) {
            assert!(styles.contains(&used), "the style {used} is not there");
        }
    }
    let sheet = text_of(&parts, "word/styles.xml");
    for element in ["basedOn", "next"] {
        for used in sheet.split(&format!("<w:{element} ")).skip(1).map(|rest| values(rest, "w:val").remove(0)) {
            assert!(styles.contains(&used), "the style {used} is not there");
        }
    }
    let marks = values(&body, "w:name");
    assert_eq!(marks.iter().collect::<BTreeSet<_>>().len(), marks.len(), "{marks:?}");
    for used in values(&body, "w:anchor") {
        assert!(marks.contains(&used), "the place {used} is not there");
    }
    for asked in body.split("REF ").skip(1).filter_map(|rest| rest.split(' ').next()) {
        assert!(marks.iter().any(|mark| mark == asked), "the place {asked} is not there");
    }
    let lists = text_of(&parts, "word/numbering.xml");
    for used in body.split("<w:numId ").skip(1).map(|rest| values(rest, "w:val").remove(0)) {
        assert!(used == "0" || lists.contains(&format!("<w:num w:numId=\"{used}\">")), "the list {used} is not there");
    }
}

const READ: &str = "import sys, docx
document = docx.Document(sys.argv[1])
for p in document.paragraphs: print(p.style.name, '|', p.text)
for t in document.tables:
    for row in t.rows: print('row |', ' ; '.join(cell.text for cell in row.cells))
p = document.core_properties
print(p.title, '|', p.author, '|', p.language)
print([shape._inline.docPr.get('descr') for shape in document.inline_shapes])
";

#[test]
fn another_programs_library_finds_every_heading_caption_number_and_cell() {
    let (project, bytes) = woven(DOCUMENT);
    whole(&bytes);
    let Some(said) = tool("python3", &["-c".as_ref(), READ.as_ref(), &project.path("guide.docx")]) else { return };
    if said.err.contains("No module named") && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
        return;
    }
    for line in [
        "Title | Soil & water",
        "Subtitle | What dries",
        "Author | Ines Calloway (Hollin Ridge)",
        "Licence | Licence: CC-BY-4.0",
        "Heading 1 | Ground",
        "Heading 2 | Lists",
        "Body Text | Words with weight, slant and code < here, a link, a note and once more1. See Table\u{a0}1, Equation\u{a0}1, Figure\u{a0}1 and Section\u{a0}1.",
        "List Number | Dig.",
        "List Bullet | deep",
        "Caption | Table\u{a0}1. Depths",
        "Caption | Figure\u{a0}1. A dot",
        "Code | two = \"<2>\"",
        "row | Mind the wire\nIt is thin.",
        "row | plot ; depth",
        "row | North ; 30.5",
        "Soil & water | Ines Calloway | en-GB",
        "['One dot']",
    ] {
        assert!(said.out.contains(line), "{line}\n{said:?}");
    }
    let body = text_of(&parts(&bytes), "word/document.xml");
    for field in [
        "SEQ Table \\* ARABIC",
        "SEQ Figure \\* ARABIC",
        "SEQ Equation \\* ARABIC",
        "REF _tab \\h",
        "REF _ground \\r \\h",
        "NOTEREF",
        "TOC \\o",
    ] {
        assert!(body.contains(field), "{field}");
    }
    assert!(body.contains("<m:nary>") && body.contains("<w:tblHeader/>") && body.contains("asvg:svgBlip"));
    assert!(text_of(&parts(&bytes), "word/footnotes.xml").contains("Below ten parts."));
}

#[test]
fn the_same_document_gives_the_same_bytes_and_the_program_knows_its_file() {
    let (project, first) = woven(DOCUMENT);
    project.write("other.vine.md", DOCUMENT);
    assert_eq!(project.run(&["weave", "other.vine.md", "--to", "docx"]).code, 0);
    assert_eq!(std::fs::read(project.path("other.docx")).unwrap(), first);
    // A file of somebody else's in its place is not overwritten.
    project.write("guide.docx", "mine");
    assert_ne!(project.run(&["weave", "guide.vine.md", "--to", "docx"]).code, 0);
    assert_eq!(project.read("guide.docx"), "mine");
}

#[test]
fn a_house_gives_its_styles_head_and_foot() {
    let (project, _) = woven("+++\ntitle = \"House\"\n+++\n# One\n");
    // The house calls its headings something else, and has a head of its own.
    let mut house = parts(&std::fs::read(project.path("guide.docx")).unwrap());
    let styles = "<w:styles xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\">\
        <w:style w:type=\"paragraph\" w:default=\"1\" w:styleId=\"Standaard\"><w:name w:val=\"Normal\"/></w:style>\
        <w:style w:type=\"paragraph\" w:styleId=\"Kop1\"><w:name w:val=\"heading 1\"/><w:basedOn w:val=\"Standaard\"/>\
        <w:pPr><w:numPr><w:numId w:val=\"3\"/></w:numPr></w:pPr><w:rPr><w:sz w:val=\"77\"/></w:rPr></w:style></w:styles>"
        .to_string();
    house.insert("word/styles.xml".into(), styles.into_bytes());
    let head = text_of(&house, "word/header1.xml").replace("House", "Growers only");
    house.insert("word/header1.xml".into(), head.into_bytes());
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in &house {
        writer.start_file(name.as_str(), zip::write::SimpleFileOptions::default()).unwrap();
        std::io::Write::write_all(&mut writer, bytes).unwrap();
    }
    std::fs::write(project.path("house.docx"), writer.finish().unwrap().into_inner()).unwrap();
    std::fs::remove_file(project.path("guide.docx")).unwrap();
    project.write(
        "guide.vine.md",
        "+++\ntitle = \"Soil\"\n[docx]\nstyles-from = \"house.docx\"\n+++\n# Dry\n\n::: tip\nWords.\n:::\n",
    );
    let said = project.run(&["weave", "guide.vine.md", "--to", "docx"]);
    assert_eq!(said.code, 0, "{said:?}");
    let bytes = std::fs::read(project.path("guide.docx")).unwrap();
    whole(&bytes);
    let made = parts(&bytes);
    let body = text_of(&made, "word/document.xml");
    assert!(body.contains("<w:pStyle w:val=\"Kop1\"/>") && !body.contains("w:val=\"Heading1\""), "{body}");
    let styles = text_of(&made, "word/styles.xml");
    assert!(styles.contains("<w:sz w:val=\"77\"/>") && !styles.contains("<w:numId w:val=\"3\"/>"), "{styles}");
    assert!(text_of(&made, "word/header1.xml").contains("Growers only"));
    project.write("house.docx", "no document");
    let said = project.run(&["weave", "guide.vine.md", "--to", "docx"]);
    assert_eq!(said.code, 1);
    assert!(said.err.contains("the document of styles house.docx can't be used"), "{said:?}");
}

#[test]
fn what_leads_nowhere_is_words_and_a_footnote_may_have_marks_of_others() {
    let (_, bytes) = woven(support::LEADING_NOWHERE);
    whole(&bytes);
    let notes = text_of(&parts(&bytes), "word/footnotes.xml");
    assert!(notes.contains("Inner words.") && !notes.contains("footnoteReference w:id"), "{notes}");
}

#[test]
fn what_is_hostile_stays_text_and_the_package_stays_whole() {
    let mut text = String::from(
        "# A \u{1}\u{FFFE} <w:p> & \"quoted\" \u{202E}back\n\n[run](javascript:alert(1)) [odd](<https://a b\"<>.org>) `]]>`\n\n",
    );
    for number in 0..300 {
        text.push_str(&format!("Words[^n{number}] {}\n\n[^n{number}]: Note <{number}> & more.\n\n", "x".repeat(500)));
    }
    text.push_str("العربية 土が乾く 𝔘𝔫𝔦 👩‍🌾\n");
    let (_, bytes) = woven(&text);
    whole(&bytes);
    let parts = parts(&bytes);
    let (body, notes) = (text_of(&parts, "word/document.xml"), text_of(&parts, "word/footnotes.xml"));
    assert!(body.contains("&lt;w:p&gt; &amp; ") && body.contains("العربية 土が乾く 𝔘𝔫𝔦 👩‍🌾"));
    assert!(!text_of(&parts, "word/_rels/document.xml.rels").contains("javascript"));
    assert!((0..300).all(|number| notes.contains(&format!("Note &lt;{number}&gt; &amp; more."))));
    for xml in [body, notes] {
        assert!(xml.chars().all(|c| !c.is_control() || c == '\n'));
    }
}

/// Writes comments and tracked changes into a document, as a word processor does.
const REMARK: &str = r#"import sys, re, zipfile, io
path = sys.argv[1]
z = zipfile.ZipFile(path); parts = {n: z.read(n) for n in z.namelist()}
body = parts['word/document.xml'].decode()
W = 'w:author="Tomas Wren" w:date="2026-06-12T08:00:00Z"'
body = body.replace('<w:r><w:t xml:space="preserve">dries</w:t></w:r>', 'X')
def run(words): return f'<w:r><w:t xml:space="preserve">{words}</w:t></w:r>'
old = run('The soil dries from above.')
assert old in body, body
new = run('The ') + f'<w:del w:id="901" {W}><w:r><w:delText xml:space="preserve">soil</w:delText></w:r></w:del>' + f'<w:ins w:id="902" {W}>' + run('ground') + '</w:ins>' + '<w:commentRangeStart w:id="7"/>' + run(' dries from above.') + '<w:commentRangeEnd w:id="7"/><w:r><w:commentReference w:id="7"/></w:r>'
parts['word/document.xml'] = body.replace(old, new).encode()
ns = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
parts['word/comments.xml'] = f'<w:comments {ns}><w:comment w:id="7" {W}><w:p>{run("Is that so in clay?")}</w:p></w:comment></w:comments>'.encode()
parts['word/_rels/document.xml.rels'] = parts['word/_rels/document.xml.rels'].replace(b'</Relationships>', b'<Relationship Id="rIdC" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/comments" Target="comments.xml"/></Relationships>')
out = zipfile.ZipFile(sys.argv[2], 'w')
for n, b in parts.items(): out.writestr(n, b)
out.close()
"#;

#[test]
fn comments_and_changes_come_back_with_their_lines() {
    let (project, _) = woven("+++\ntitle = \"Soil\"\n+++\n\nOther words first.\n\nThe soil dries\nfrom above.\n");
    let (made, back) = (project.path("guide.docx"), project.path("guide-tomas.docx"));
    let Some(said) = tool("python3", &["-c".as_ref(), REMARK.as_ref(), &made, &back]) else { return };
    assert_eq!(said.err, "");
    let said = project.run(&["compare", "guide-tomas.docx"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert_eq!(
        said.out,
        "guide.vine.md:7  Tomas Wren took out “soil”\n\
         guide.vine.md:7  Tomas Wren put in “ground” behind “The soil”\n\
         guide.vine.md:8  Tomas Wren on “dries from above.”: Is that so in clay?\n\
         guide-tomas.docx  1 comment, 2 changes\n"
    );
    let said = project.run(&["compare", "guide-tomas.docx", "--json"]);
    assert!(said.out.contains("\"kind\":\"comment\"") && said.out.contains("\"line\":8"), "{said:?}");
    assert_eq!(project.run(&["compare", "guide.docx"]).out, "guide.docx  0 comments, 0 changes\n");
    let said = project.run(&["compare", "guide.vine.md", "guide.vine.md"]);
    assert!(said.code == 2 && said.err.contains("it is no office file"), "{said:?}");
}
