//! Values as a person would write them: forty values in seven languages, in a sentence, as code, in a table cell and
//! in other code.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

/// The languages with values of their own, in the order of the rows below.
const LANGUAGES: [&str; 5] = ["python", "r", "octave", "javascript", "ruby"];

/// A value: as a sentence says it; the number that code gets, where it is one; the expression in each language, empty
/// where the language has no such value.
type Row = (&'static str, Option<f64>, [&'static str; 5]);

#[rustfmt::skip]
const VALUES: [Row; 40] = [
    ("2", Some(2.0), ["1 + 1", "1 + 1", "1 + 1", "1 + 1", "1 + 1"]),
    ("0", Some(0.0), ["0", "0", "0", "0", "0"]),
    ("-7", Some(-7.0), ["-7", "-7", "-7", "-7", "-7"]),
    ("12345678901234", Some(12345678901234.0), ["12345678901234", "12345678901234", "12345678901234", "12345678901234", "12345678901234"]),
    ("4", Some(4.0), ["np.int32(4)", "4L", "int32 (4)", "4n", "Integer(\"4\")"]),
    ("2", Some(2.0), ["2.0", "2.0", "2.0", "2.0", "2.0"]),
    ("100", Some(100.0), ["100.0", "100.0", "100.0", "100.0", "100.0"]),
    ("3.25", Some(3.25), ["3.25", "3.25", "3.25", "3.25", "3.25"]),
    ("2.25", Some(2.25), ["np.float64(2.25)", "mean(c(2, 2.5))", "mean ([2 2.5])", "(2 + 2.5) / 2", "[2, 2.5].sum / 2"]),
    ("159.17", Some(955.0 / 6.0), ["955 / 6", "955 / 6", "955 / 6", "955 / 6", "955 / 6.0"]),
    ("0.3", Some(0.1 + 0.2), ["0.1 + 0.2", "0.1 + 0.2", "0.1 + 0.2", "0.1 + 0.2", "0.1 + 0.2"]),
    ("0.33333", Some(1.0 / 3.0), ["1 / 3", "1 / 3", "1 / 3", "1 / 3", "1 / 3.0"]),
    ("-0.66667", Some(-2.0 / 3.0), ["-2 / 3", "-2 / 3", "-2 / 3", "-2 / 3", "-2 / 3.0"]),
    ("1234568", Some(1234567.891), ["1234567.891", "1234567.891", "1234567.891", "1234567.891", "1234567.891"]),
    ("100000", Some(99999.96), ["99999.96", "99999.96", "99999.96", "99999.96", "99999.96"]),
    ("10", Some(9.999999), ["9.999999", "9.999999", "9.999999", "9.999999", "9.999999"]),
    ("0.0012346", Some(0.00123456789), ["0.00123456789", "0.00123456789", "0.00123456789", "0.00123456789", "0.00123456789"]),
    ("0.00012346", Some(0.000123456789), ["0.000123456789", "0.000123456789", "0.000123456789", "0.000123456789", "0.000123456789"]),
    ("1 × 10⁻⁷", Some(1e-7), ["1e-7", "1e-7", "1e-7", "1e-7", "1e-7"]),
    ("-1.5 × 10⁻⁹", Some(-1.5e-9), ["-1.5e-9", "-1.5e-9", "-1.5e-9", "-1.5e-9", "-1.5e-9"]),
    ("6.0221 × 10²³", Some(6.02214076e23), ["6.02214076e23", "6.02214076e23", "6.02214076e23", "6.02214076e23", "6.02214076e23"]),
    ("0.1", Some(0.1), ["0.1", "0.1", "0.1", "0.1", "0.1"]),
    ("2.50", Some(2.5), ["decimal.Decimal(\"2.50\")", "", "", "", ""]),
    ("yes", None, ["True", "TRUE", "true", "true", "true"]),
    ("no", None, ["1 > 2", "1 > 2", "1 > 2", "1 > 2", "1 > 2"]),
    ("no", None, ["np.bool_(False)", "FALSE", "false", "!true", "!true"]),
    ("missing", None, ["None", "NULL", "[]", "null", "nil"]),
    ("missing", None, ["float(\"nan\")", "NA", "NaN", "undefined", "Float::NAN"]),
    ("text", None, ["\"text\"", "\"text\"", "\"text\"", "\"text\"", "\"text\""]),
    ("it's so", None, ["\"it's so\"", "\"it's so\"", "\"it's so\"", "\"it's so\"", "\"it's so\""]),
    ("Süd 漢", None, ["\"Süd 漢\"", "\"Süd 漢\"", "\"Süd 漢\"", "\"Süd 漢\"", "\"Süd 漢\""]),
    ("a/b", None, ["pathlib.Path(\"a/b\")", "file.path(\"a\", \"b\")", "fullfile (\"a\", \"b\")", "path.join(\"a\", \"b\")", "Pathname.new(\"a/b\")"]),
    ("2024-01-02", None, ["datetime.date(2024, 1, 2)", "as.Date(\"2024-01-02\")", "", "new Date(\"2024-01-02\")", "Date.new(2024, 1, 2)"]),
    ("2024-01-02", None, ["np.datetime64(\"2024-01-02\")", "as.POSIXct(\"2024-01-02\", tz = \"UTC\")", "", "", "Time.utc(2024, 1, 2)"]),
    ("2024-01-02 03:04:05", None, ["datetime.datetime(2024, 1, 2, 3, 4, 5)", "as.POSIXct(\"2024-01-02 03:04:05\", tz = \"UTC\")", "", "", "Time.utc(2024, 1, 2, 3, 4, 5)"]),
    ("1/3", None, ["fractions.Fraction(1, 3)", "", "", "", "1.to_r / 3"]),
    ("1, 2, 3", None, ["[1, 2, 3]", "c(1, 2, 3)", "[1 2 3]", "[1, 2, 3]", "[1, 2, 3]"]),
    ("1, 2.5", None, ["np.array([1.0, 2.5])", "c(1, 2.5)", "[1; 2.5]", "[1, 2.5]", "[1, 2.5]"]),
    ("North, South, West", None, ["(\"North\", \"South\", \"West\")", "c(\"North\", \"South\", \"West\")", "{\"North\", \"South\", \"West\"}", "[\"North\", \"South\", \"West\"]", "%w[North South West]"]),
    ("0.33333, missing, yes", None, ["[1 / 3, None, True]", "", "", "[1 / 3, null, true]", "[1 / 3.0, nil, true]"]),
];

/// What each language needs first.
const FIRST: [&str; 5] = [
    "import datetime, decimal, fractions, pathlib\nimport numpy as np",
    "invisible(0)",
    "1;",
    "globalThis.path = require(\"node:path\"); undefined",
    "require \"date\"; require \"pathname\"; nil",
];

/// What shells print: what stands in a sentence.
const PRINTED: [(&str, &str); 5] = [
    ("echo text", "text"),
    ("echo 3.10", "3.10"),
    ("echo 159.16666666666666", "159.17"),
    ("printf '2024-01-02'", "2024-01-02"),
    ("echo 42", "42"),
];

#[test]
fn forty_values_read_as_a_person_would_write_them() {
    for (at, language) in LANGUAGES.iter().enumerate() {
        let rows: Vec<(&Row, &str)> =
            VALUES.iter().map(|row| (row, row.2[at])).filter(|(_, code)| !code.is_empty()).collect();
        let mut text = format!("```{language} @first\n{}\n```\n\n", FIRST[at]);
        let (mut lines, mut handed) = (String::new(), String::new());
        for (number, (row, code)) in rows.iter().enumerate() {
            // In a block, nothing is no value; only a sentence asks for one.
            let named = row.0 != "missing";
            if named {
                text.push_str(&format!("```{language} @v{number} show=none\n{code}\n```\n\n"));
                handed.push_str(&format!("{number}: @[v{number}]\n"));
            }
            let value = if named { format!("@[v{number}]") } else { format!("@[{language}: {code}]") };
            lines.push_str(&format!("S{number} {value} end.\n\nE{number} @[{language}: {code}] end.\n\n"));
            lines.push_str(&format!("C{number} `{value}` end.\n\n| T{number} |\n| --- |\n| {value} |\n\n"));
        }
        text.push_str(&lines);
        text.push_str(&format!("```sh @handed\ncat <<'END'\n{handed}END\n```\n"));
        let project = Project::with(&text);
        let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
        assert_eq!(said.code, 0, "{language}: {said:?}");
        let woven = project.read("guide.md");
        let printed = woven.rsplit("```text\n").next().unwrap();
        for (number, ((sentence, exact, _), code)) in rows.iter().enumerate() {
            let between = |start: &str, end: &str| {
                let rest = woven.split_once(&format!("{start}{number} ")).unwrap().1;
                rest.split_once(end).unwrap().0.to_string()
            };
            let about = format!("{language}: {code}");
            assert_eq!(between("S", " end."), *sentence, "{about}");
            assert_eq!(between("E", " end."), *sentence, "{about}, as an expression");
            let cell = woven.split_once(&format!("| T{number} |\n| --- |\n")).unwrap().1.lines().next().unwrap();
            assert_eq!(cell, format!("| {sentence} |"), "{about}, in a cell");
            let in_code = between("C", " end.");
            let in_code = in_code.trim_matches('`');
            let handed = printed.lines().find_map(|line| line.strip_prefix(&format!("{number}: ")));
            if let Some(exact) = exact {
                let same = |text: &str| text.trim_end_matches('n').parse::<f64>() == Ok(*exact);
                assert!(same(in_code), "{about}: `{in_code}` has lost digits");
                assert!(handed.is_some_and(same), "{about}: {handed:?} has lost digits");
            } else if *sentence != "missing" {
                assert_eq!(handed, Some(in_code), "{about}");
            }
        }
    }
}

#[test]
fn what_a_shell_prints_stands_as_it_was_printed_but_for_a_computers_digits() {
    for shell in ["sh", "bash"] {
        let blocks = PRINTED
            .iter()
            .enumerate()
            .map(|(at, (code, _))| format!("```{shell} @p{at}\n{code}\n```\n\nS{at} @[p{at}] end, `@[p{at}]`.\n\n"));
        let project = Project::with(&blocks.collect::<String>());
        let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
        assert_eq!(said.code, 0, "{said:?}");
        let woven = project.read("guide.md");
        for (at, (code, sentence)) in PRINTED.iter().enumerate() {
            assert!(woven.contains(&format!("S{at} {sentence} end, `")), "{shell}: {code}\n{woven}");
        }
        assert!(woven.contains("end, `159.16666666666666`"), "code keeps all digits\n{woven}");
    }
}

#[test]
fn digits_groups_lists_and_words_are_as_the_document_the_language_and_the_place_say() {
    let text = "+++\nlanguage = \"de\"\n[words]\nmissing = \"k. A.\"\n[parameters]\nlimit = 0.375\ndry = true\n\
        sites = [\"Nord\", \"Süd\", \"West\"]\n[defaults]\ndigits = 2\n[defaults.ruby]\ndigits = 3\n+++\n\
        A @[limit] @[limit digits=3] @[dry] @[sites] @[sites list=and] @[sites list=or] end.\n\n\
        B @[python thousands=yes: 1234567.8] @[python: None] $x < @[limit]$ @[python: 3] `@[limit]` end.\n\n\
        C @[mean] @[mean digits=3] @[ruby: 1.23456] @[add(n=2)] @[add(n=2) digits=0] end.\n\n\
        ```python @mean digits=1\n159.16666666\n```\n\n\
        ```python @add takes=\"n=1\"\nn + 0.5\n```\n";
    let project = Project::with(text);
    let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    let woven = project.read("guide.md");
    let line = |start: &str| woven.lines().find(|line| line.starts_with(start)).unwrap().to_string();
    assert_eq!(line("A "), "A 0,38 0,375 ja Nord, Süd, West Nord, Süd und West Nord, Süd oder West end.");
    assert_eq!(line("B "), "B 1.234.567,80 k. A. $x < 0{,}38$ 3 `0.375` end.");
    assert_eq!(line("C "), "C 159,2 159,167 1,235 2,50 2 end.");
    let again = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
    assert!(again.out.contains("0 ran") || !again.out.contains(" ran"), "{again:?}");
}

#[test]
fn looks_of_a_value_run_nothing() {
    let project = Project::with("```python @mean\n955 / 6\n```\n\nIt is @[mean].\n");
    project.page();
    for use_ in ["@[mean digits=1]", "@[mean thousands=yes list=and]"] {
        project.write("guide.vine.md", format!("```python @mean\n955 / 6\n```\n\nIt is {use_}.\n"));
        let said = project.weave();
        assert!(said.out.contains("0 ran, 1 kept"), "{use_}: {said:?}");
    }
}

#[test]
fn what_has_no_text_is_told_where_a_sentence_asks_for_it() {
    let blocks = "```python @table show=none\n[{\"a\": 1}, {\"a\": 2}]\n```\n\n```chart @chart show=none\ndata = \"@table\"\n\
                  kind = \"bar\"\nx = \"a\"\ny = \"a\"\n```\n";
    for (used, what, help) in [
        ("@[table]", "`@table` gave a table, which no text can stand for", "![A caption](@table)"),
        ("@[chart]", "`@chart` gave a figure, which no text can stand for", "![A caption](@chart)"),
        ("@[python: [{\"a\": 1}, {\"a\": 2}]]", "the expression gave a table", "print what the sentence is to say"),
    ] {
        let project = Project::with(&format!("{blocks}\nIt is {used}.\n"));
        let said = project.weave();
        assert!(said.code == 1 && said.err.contains(what) && said.err.contains(help), "{used}: {said:?}");
        assert!(said.err.contains("guide.vine.md:12:7") && !project.exists("guide.html"), "{used}: {said:?}");
    }
    // Its code and its exit can be cited all the same.
    let project = Project::with(&format!("{blocks}\nIt is @[table.code] and @[table.exit].\n"));
    assert!(project.page().contains("and 0."));
}

#[test]
fn prose_is_typeset_as_its_language_wants_it_and_values_and_code_are_not() {
    let page = |language: &str, front: &str| {
        let text = format!(
            "+++\ntitle = \"\\\"Dry\\\" days\"\nlanguage = \"{language}\"\n[export]\nto = [\"html\", \"markdown\"]\n{front}+++\n\n\
             \"It's *dry*\" -- 3--5 days... `\"--x\"` @[said] --again ?\n\n```sh @said show=none\necho '\"as -- is\"'\n```\n"
        );
        let project = Project::with(&text);
        (support::visible(&project.page()), project.read("guide.md"))
    };
    let (english, woven) = page("en", "typographic = true\n");
    assert!(english.contains("“It’s dry” – 3–5 days… \"--x\" \"as -- is\" --again ?"), "{english}");
    assert!(english.contains("“Dry” days"), "{english}");
    assert!(woven.contains("\"It's *dry*\" -- 3--5 days..."), "prose in Markdown stays to the byte: {woven}");
    let (french, _) = page("fr", "typographic = true\n");
    assert!(french.contains("«\u{A0}It’s dry\u{A0}» – 3–5 days…") && french.contains("--again\u{202F}?"), "{french}");
    let (plain, _) = page("en", "");
    assert!(plain.contains("\"It's dry\" -- 3--5 days..."), "{plain}");
}
