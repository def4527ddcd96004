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
