//! Tables of numbers, in every format: as many digits behind the mark down a column, marks one below the other, nothing
//! that was not there.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

/// Thirty columns: what each is called, its cells, and how they read.
type Column = (&'static str, [&'static str; 4], [&'static str; 4]);

#[rustfmt::skip]
const COLUMNS: [Column; 30] = [
    ("whole", ["1", "20", "300", "4000"], ["1", "20", "300", "4000"]),
    ("zeros", ["1.0", "20.0", "300.0", "4000.0"], ["1", "20", "300", "4000"]),
    ("short", ["7", "12.25", "0.5", "3"], ["7", "12.25", "0.5", "3"]),
    ("kept", ["9.50", "8.25", "7.00", "6.10"], ["9.50", "8.25", "7.00", "6.10"]),
    ("mean", ["23.133333333333333", "18.04", "19.5", "22"], ["23.1", "18.0", "19.5", "22.0"]),
    ("half", ["23.133333333333333", "1.5", "2.25", "3"], ["23.13", "1.50", "2.25", "3.00"]),
    ("third", ["0.3333333333333333", "0.6666666666666666", "1", "0"], ["0.333", "0.667", "1.000", "0.000"]),
    ("noise", ["0.1", "0.30000000000000004", "0.2", "0.4"], ["0.1", "0.3", "0.2", "0.4"]),
    ("wide", ["758.6666666666666", "0.00123456", "12", "3.5"], ["758.66667", "0.00123", "12.00000", "3.50000"]),
    ("six", ["758.6666666666666", "0.000123456", "12", "3.5"], ["758.666667", "0.000123", "12.000000", "3.500000"]),
    ("tiny", ["1e-9", "2.34567e-7", "3e-5", "4.5e-12"], ["1.00 × 10⁻⁹", "2.35 × 10⁻⁷", "3.00 × 10⁻⁵", "4.50 × 10⁻¹²"]),
    ("mixed", ["1e-9", "0.5", "2.25", "30"], ["1.00 × 10⁻⁹", "0.50", "2.25", "30.00"]),
    ("huge", ["6.02214076e23", "1.5", "1000", "2"], ["6.02 × 10²³", "1.5", "1000.0", "2.0"]),
    ("large", ["12345678.123456", "23456789.5", "100", "200"], ["12345678", "23456790", "100", "200"]),
    ("long", ["12345678901234567890", "1", "2", "3"], ["12345678901234567890", "1", "2", "3"]),
    ("negative", ["-1.5", "2.25", "-3.125", "4"], ["-1.5", "2.25", "-3.125", "4"]),
    ("cold", ["-2.3333333333333", "-0.5", "1.125", "-4"], ["-2.333", "-0.500", "1.125", "-4.000"]),
    ("missing", ["", "9.9999999", "12.123456789", ""], ["", "10.0", "12.1", ""]),
    ("empty", ["", "", "", ""], ["", "", "", ""]),
    ("money", ["€ 1,234.50", "€ 3.00", "€ -12.25", "€ 7.10"], ["€ 1,234.50", "€ 3.00", "€ -12.25", "€ 7.10"]),
    ("dollars", ["$5", "-$1,000", "$12.5", "$0"], ["$5", "-$1,000", "$12.5", "$0"]),
    ("behind", ["3,00 €", "1.234,50 €", "0,10 €", "7 €"], ["3,00 €", "1.234,50 €", "0,10 €", "7 €"]),
    ("percent", ["12 %", "3.5 %", "100 %", "0.25 %"], ["12 %", "3.5 %", "100 %", "0.25 %"]),
    ("grouped", ["1,234", "12,345,678", "9", "10"], ["1,234", "12,345,678", "9", "10"]),
    ("date", ["2024-01-02", "2024-01-03", "2024-01-04", "2024-01-05"], ["2024-01-02", "2024-01-03", "2024-01-04", "2024-01-05"]),
    ("version", ["1.2.3", "1.10.0", "2.0.0", "2.0.1"], ["1.2.3", "1.10.0", "2.0.0", "2.0.1"]),
    ("words", ["about 3", "4", "5", "6"], ["about 3", "4", "5", "6"]),
    ("signs", ["+1.5", "-2.5", "+3", "0"], ["+1.5", "-2.5", "+3", "0"]),
    ("hex", ["0x10", "0x20", "0x30", "0x40"], ["0x10", "0x20", "0x30", "0x40"]),
    ("text", ["a", "b", "c", "d"], ["a", "b", "c", "d"]),
];

/// The columns that stand at the right.
const RIGHT: std::ops::Range<usize> = 0..18;
const AMOUNTS: std::ops::Range<usize> = 19..24;

/// Six of the columns at a time as CSV, so that they fit on a sheet.
fn document() -> String {
    let mut text = String::from("# Numbers\n\n");
    for columns in COLUMNS.chunks(6) {
        let quoted = |cell: &str| if cell.contains(',') { format!("\"{cell}\"") } else { cell.to_string() };
        let line = |cells: Vec<String>| cells.join(",") + "\n";
        let mut csv = line(columns.iter().map(|column| column.0.to_string()).collect());
        for row in 0..4 {
            csv += &line(columns.iter().map(|column| quoted(column.1[row])).collect());
        }
        text += &format!("```sh @t{} as=table show=tables\ncat <<'END'\n{csv}END\n```\n\n", columns[0].0);
    }
    text
}

#[test]
fn thirty_columns_read_well_on_the_page_in_print_in_markdown_and_on_the_terminal() {
    let project = Project::with(&document());
    let said = project.run(&["weave", "guide.vine.md", "--to", "html,pdf,markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    let woven = project.read("guide.md");
    let page = project.read("guide.html");
    let cells = |line: &str| -> Vec<String> {
        line.trim_matches('|').split('|').map(|cell| cell.trim().replace('\\', "")).collect()
    };
    let tables: Vec<&str> = woven.split("\n\n").filter(|part| part.starts_with("| ")).collect();
    assert_eq!(tables.len(), 5, "{woven}");
    for (part, (columns, table)) in COLUMNS.chunks(6).zip(&tables).enumerate() {
        let lines: Vec<Vec<String>> = table.lines().map(cells).collect();
        for (at, (name, _, read)) in columns.iter().enumerate() {
            let number = part * 6 + at;
            let aligned_right = lines[1][at] == "--:";
            let wanted = (RIGHT.contains(&number) || AMOUNTS.contains(&number) || *name == "signs") && *name != "empty";
            assert_eq!(aligned_right, wanted, "{name}");
            for (row, cell) in read.iter().enumerate() {
                assert_eq!(&lines[row + 2][at], cell, "{name} in Markdown");
                assert!(page.contains(&format!(">{cell}</td>")), "{name}: {cell} on the page");
            }
        }
    }
    // What a number lacks behind its mark is room on the page, and no text.
    assert!(page.contains("data-rest=\".00\">7</td>") && page.contains("data-rest=\"0\">0.5</td>"));
    for columns in COLUMNS.chunks(6) {
        let said = project.run(&["run", &format!("guide.vine.md@t{}", columns[0].0)]);
        for (name, _, read) in columns {
            assert!(read.iter().all(|cell| said.out.contains(cell)), "{name} on the terminal: {}", said.out);
        }
    }
}

#[test]
fn a_table_of_any_language_reads_the_same_and_hands_on_every_digit() {
    let frames = [
        ("python", "[{\"m\": 955 / 6, \"n\": 1}, {\"m\": 0.5, \"n\": 2}]"),
        ("r", "data.frame(m = c(955 / 6, 0.5), n = c(1L, 2L))"),
        ("octave", "s = struct (\"m\", {955 / 6, 0.5}, \"n\", {1, 2})"),
        ("javascript", "[{ m: 955 / 6, n: 1 }, { m: 0.5, n: 2 }]"),
        ("ruby", "[{ m: 955 / 6.0, n: 1 }, { m: 0.5, n: 2 }]"),
    ];
    for (language, code) in frames {
        let text = format!("```{language} @t\n{code}\n```\n\n```sh @all with=t\ncat \"$t\"\n```\n");
        let project = Project::with(&text);
        let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
        assert_eq!(said.code, 0, "{language}: {said:?}");
        let woven = project.read("guide.md");
        assert!(woven.contains("| 159.167 | 1 |") && woven.contains("| 0.500 | 2 |"), "{language}: {woven}");
        let handed =
            woven.lines().find_map(|line| line.strip_prefix("159.16")).unwrap_or_else(|| panic!("{language}: {woven}"));
        let number: f64 = format!("159.16{}", handed.split(',').next().unwrap()).parse().unwrap();
        assert_eq!(number, 955.0 / 6.0, "{language}");
    }
}

/// A workbook of two sheets as an office program writes it, in the parts that a reader needs.
fn workbook() -> Vec<u8> {
    use std::io::Write;
    let sheet = |rows: &str| {
        let namespace = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
        format!("<worksheet xmlns=\"{namespace}\"><sheetData>{rows}</sheetData></worksheet>")
    };
    let text = |at: &str, words: &str| format!("<c r=\"{at}\" t=\"inlineStr\"><is><t>{words}</t></is></c>");
    let number = |at: &str, value: &str, style: u8| format!("<c r=\"{at}\" s=\"{style}\"><v>{value}</v></c>");
    let head = format!("<row r=\"1\">{}{}{}</row>", text("A1", "plot"), text("B1", "depth"), text("C1", "read on"));
    let north =
        format!("<row r=\"2\">{}{}{}</row>", text("A2", "North"), number("B2", "30", 0), number("C2", "46177", 1));
    let east = format!(
        "<row r=\"3\">{}{}{}</row>",
        text("A3", "East, low"),
        number("B3", "22.5", 0),
        number("C3", "46178", 1)
    );
    let main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    let office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let packages = "http://schemas.openxmlformats.org/package/2006";
    let relation = |id: u8, kind: &str, target: &str| {
        format!("<Relationship Id=\"r{id}\" Type=\"{office}/{kind}\" Target=\"{target}\"/>")
    };
    let relations =
        |inner: String| format!("<Relationships xmlns=\"{packages}/relationships\">{inner}</Relationships>");
    let parts = [
        (
            "[Content_Types].xml",
            format!(
                "<Types xmlns=\"{packages}/content-types\"><Default Extension=\"xml\" ContentType=\"application/xml\"/></Types>"
            ),
        ),
        ("_rels/.rels", relations(relation(1, "officeDocument", "xl/workbook.xml"))),
        (
            "xl/workbook.xml",
            format!(
                "<workbook xmlns=\"{main}\" xmlns:r=\"{office}\"><sheets><sheet name=\"June\" sheetId=\"1\" r:id=\"r1\"/>\
                 <sheet name=\"Hollin Ridge\" sheetId=\"2\" r:id=\"r2\"/>\
                 <sheet name=\"Süd\" sheetId=\"3\" r:id=\"r4\"/></sheets></workbook>"
            ),
        ),
        (
            "xl/_rels/workbook.xml.rels",
            relations(
                relation(1, "worksheet", "worksheets/sheet1.xml")
                    + &relation(2, "worksheet", "worksheets/sheet2.xml")
                    + &relation(3, "styles", "styles.xml")
                    + &relation(4, "worksheet", "worksheets/sheet3.xml"),
            ),
        ),
        (
            "xl/styles.xml",
            format!(
                "<styleSheet xmlns=\"{main}\"><cellXfs><xf numFmtId=\"0\"/><xf numFmtId=\"14\"/></cellXfs></styleSheet>"
            ),
        ),
        ("xl/worksheets/sheet1.xml", sheet(&(head.clone() + &north + &east))),
        // A lone cell in the last row and column that a sheet can have.
        (
            "xl/worksheets/sheet3.xml",
            sheet(&format!("{head}<row r=\"1048576\">{}</row>", number("XFD1048576", "1", 0))),
        ),
        ("xl/worksheets/sheet2.xml", sheet(&format!("<row r=\"4\">{}</row>", text("D4", "only this")))),
    ];
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, content) in parts {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        writer.write_all(content.as_bytes()).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

#[test]
fn a_sheet_of_a_workbook_or_some_cells_of_it_are_a_table() {
    let text = "![All](soil.xlsx)\n\n![Some](soil.xlsx#June!A1:B2)\n\n![](soil.xlsx#Hollin%20Ridge)\n\n![Whole](soil.xlsx#June!A1:XFD1048576)\n\n![Head](soil.xlsx#S%C3%BCd!A1:D9)\n\n\
                ```chart @chart\ndata = \"soil.xlsx#June\"\nkind = \"bar\"\nx = \"plot\"\ny = \"depth\"\n```\n";
    let project = Project::with(text);
    project.write("soil.xlsx", workbook());
    let said = project.run(&["weave", "guide.vine.md", "--to", "markdown,html"]);
    assert_eq!(said.code, 0, "{said:?}");
    let woven = project.read("guide.md");
    assert!(woven.contains("| plot | depth | read on |\n| --- | --: | --- |\n"), "{woven}");
    assert!(woven.contains("*Table 1. All*\n\n| plot | depth | read on |"), "{woven}");
    assert!(woven.contains("| East, low | 22.5 | 2026-06-05 |\n\n*Table 2. Some*"), "{woven}");
    assert!(woven.contains("*Table 2. Some*\n\n| plot | depth |\n| --- | --: |\n| North | 30 |\n"), "{woven}");
    assert!(woven.contains("| only this |\n| --- |"), "{woven}");
    assert!(woven.contains("*Table 3. Whole*\n\n| plot | depth | read on |"), "{woven}");
    assert!(woven.contains("*Table 4. Head*\n\n| plot | depth | read on |\n| --- | --- | --- |\n"), "{woven}");
    assert!(project.read("guide-parts/chart-1.svg").contains("East, low"));
    for (target, what, help) in [
        (
            "soil.xlsx#July",
            "soil.xlsx: it has no sheet `July`; its sheets are June, Hollin Ridge, Süd",
            "soil.xlsx#Sheet!A1:D20",
        ),
        ("soil.xlsx#Süd", "lie in 1048576 rows and 16384 columns, too far apart for a table", "soil.xlsx#Sheet!A1:D20"),
        ("soil.xlsx#June!K20:L30", "there is nothing in those cells of its sheet `June`", ""),
        ("guide.xlsx", "the file guide.xlsx is not there", ""),
        ("broken.xlsx", "broken.xlsx: it is no workbook that can be read", ""),
    ] {
        project.write("broken.xlsx", "PK");
        project.write("guide.vine.md", format!("Text.\n\n![]({target})\n"));
        let said = project.run(&["check", "guide.vine.md"]);
        assert!(said.code != 0 && said.err.contains(what) && said.err.contains(help), "{target}: {said:?}");
        assert!(said.err.contains("guide.vine.md:3:1"), "{said:?}");
    }
}

#[test]
fn digits_and_alignment_are_set_by_column_and_a_name_that_no_column_has_is_told() {
    let code = |options: &str| {
        format!("```sh @t as=table {options}\nprintf 'plot,n,mean\\nNorth,1,1.23456789\\nEast,20,20.5\\n'\n```\n")
    };
    let woven = |options: &str, front: &str| {
        let project = Project::with(&format!("{front}{}", code(options)));
        let said = project.run(&["weave", "guide.vine.md", "--to", "markdown,html"]);
        assert_eq!(said.code, 0, "{said:?}");
        (project.read("guide.md"), said.err)
    };
    let (text, _) = woven("digits=\"mean: 1\" align=\"plot: right, n: left\"", "");
    assert!(text.contains("| --: | --- | --: |") && text.contains("| North | 1 | 1.2 |"), "{text}");
    let (text, _) = woven("digits=\"2, mean: 0\" align=left", "");
    assert!(text.contains("| --- | --- | --- |") && text.contains("| North | 1 | 1 |"), "{text}");
    // What defaults say holds for whichever table has the column.
    let (text, told) = woven("", "+++\n[defaults]\ndigits = \"mean: 3, depth: 1\"\n+++\n");
    assert!(text.contains("| 1.235 |") && told.is_empty(), "{text} {told}");
    let (_, told) = woven("digits=\"maen: 1\"", "");
    assert!(told.contains("its table has no column `maen`") && told.contains("did you mean `mean`?"), "{told}");
}

#[test]
fn a_table_in_which_there_is_nothing_says_so_in_every_format() {
    let formats = ["html", "pdf", "docx", "latex", "epub", "text", "markdown", "deck", "pptx", "notebook"];
    let exports = ["html", "pdf", "docx", "tex", "epub", "txt", "md", "pptx", "ipynb"].map(|it| format!("guide.{it}"));
    for (printed, words) in [("[]", "empty"), ("[{},{}]", "leer")] {
        let language = if words == "empty" { "en" } else { "de" };
        let project = Project::with(&format!(
            "+++\ntitle = \"Empty\"\nlanguage = \"{language}\"\n[export]\nto = {formats:?}\n+++\n\n# Nothing\n\n\
             ```sh @faults as=table caption=\"Faults of probes\"\necho '{printed}'\n```\n\nAll in [](@faults).\n"
        ));
        let said = project.weave();
        let run = project.run(&["run", "guide.vine.md@faults"]);
        assert!(run.code == 0 && run.out.lines().any(|line| line == "empty"), "{run:?}");
        // A PDF in which a figure is empty would claim nothing.
        assert!(said.code == 0 && said.err.is_empty(), "{said:?}");
        for export in exports.iter().map(String::as_str).chain(["guide-deck.html"]) {
            let text = project.text_of(export);
            let is_read = !text.is_empty() || !export.ends_with(".pdf");
            assert!(!is_read || text.contains(words) && text.contains("Faults of probes"), "{export}: {text}");
        }
        assert!(!project.read("guide.tex").contains("{tabular}"), "a table without a column stops LaTeX");
    }
}

#[test]
fn an_embedded_file_that_is_no_table_is_told_before_the_weave_and_by_it() {
    for (name, content, why) in [
        ("faults.csv", "", "there is no row at all"),
        ("faults.csv", "\n\n", "there is no row at all"),
        ("faults.csv", "plot,depth\nNorth,30\nLow\n", "row 2 has 1 cells where the heading has 2"),
        ("faults.tsv", "plot\tdepth\nNorth\t30\t4\n", "row 1 has 3 cells where the heading has 2"),
    ] {
        let project = Project::with(&format!("Text.\n\n::: note\n![Faults]({name})\n:::\n"));
        project.write(name, content);
        for command in ["check", "weave"] {
            let said = project.run(&[command, "guide.vine.md"]);
            let told = said.err.matches(&format!("{name} is not a table: {why}")).count();
            assert!(said.code == 1 && told == 1, "{command}: {said:?}");
            assert!(said.err.contains("guide.vine.md:4:1"), "{said:?}");
        }
    }
}
