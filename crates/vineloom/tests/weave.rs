//! Weaving: what runs, what is kept, what the reader sees.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, visible};

const TWO_STRANDS: &str = r#"+++
title = "Probes"
[export]
to = ["html", "pdf"]
+++
# First

```sh @count
echo 17
```

```python @a
x = 2
print(x)
```

```python @b
print(x * 10)
```

```python @c caption="Twice more"
print(x * 20)
```

There are @[count] probes, see [](@c).
"#;

#[test]
fn a_second_weave_runs_nothing_and_one_run_serves_both_formats() {
    let project = Project::with(TWO_STRANDS);
    let first = project.weave();
    assert_eq!(first.code, 0, "{first:?}");
    assert!(first.out.contains("4 blocks: 4 ran, 0 kept"), "{}", first.out);
    assert!(first.out.contains("guide.html") && first.out.contains("guide.pdf 1 page"), "{}", first.out);
    let page = project.read("guide.html");
    let seen = visible(&page);
    assert!(seen.contains("There are 17 probes, see Listing\u{a0}1."), "{seen}");
    let second = project.weave();
    assert!(second.out.contains("4 blocks: 0 ran, 4 kept"), "{}", second.out);
    assert_eq!(project.read("guide.html"), page);
}

#[test]
fn a_change_runs_what_follows_on_its_strand_and_nothing_else() {
    let project = Project::with(TWO_STRANDS);
    project.weave();
    project.write("guide.vine.md", TWO_STRANDS.replace("print(x * 10)", "print(x * 11)"));
    let said = project.weave();
    assert_eq!(project.states(&said), "count:kept a:kept a:replayed b:ran c:ran");
    assert!(said.out.contains("2 ran, 1 kept, 1 replayed"), "{}", said.out);
    assert!(visible(&project.read("guide.html")).contains("22"));
}

#[test]
fn a_change_of_looks_runs_nothing_and_shows() {
    let project = Project::with(TWO_STRANDS);
    project.weave();
    for (from, to) in [
        ("Twice more", "Two times more"),
        ("```python @b", "```python @b fold=closed lines=on mark=1 prefix=\"> \""),
        ("# First", "A new paragraph.\n\n# First"),
    ] {
        project.write("guide.vine.md", project.read("guide.vine.md").replace(from, to));
        let before = project.read("guide.html");
        let said = project.weave();
        assert!(said.out.contains("0 ran, 4 kept"), "{from}: {}{}", said.out, said.err);
        assert_ne!(project.read("guide.html"), before, "{from}");
    }
    let text = project.read("guide.vine.md").replace("@count", "@number").replace("@[count]", "@[number]");
    project.write("guide.vine.md", text);
    assert!(project.weave().out.contains("0 ran, 4 kept"), "another name runs nothing");
}

#[test]
fn a_value_in_code_makes_the_block_depend_on_it() {
    let text = "```python @use\nprint(@[n] + 1)\n```\n\n```sh @n\necho 41\n```\n";
    let project = Project::with(text);
    let page = project.page();
    assert!(visible(&page).contains("print(41 + 1)"), "the reader sees the replaced code");
    assert!(visible(&page).contains("42"));
    project.write("guide.vine.md", text.replace("echo 41", "echo 1"));
    let said = project.weave();
    assert_eq!(project.states(&said), "n:ran use:ran");
    assert!(visible(&project.read("guide.html")).contains("print(1 + 1)"));
}

#[test]
fn values_stay_plain_text_wherever_they_stand() {
    let project = Project::with(
        "```python @v show=none\nprint('*<b>_x_')\n```\n\n## About @[v]\n\nIt is @[v], as code `@[v]`, [link](/@[v]).\n\n| a |\n|---|\n| @[v] |\n",
    );
    let page = project.page();
    assert!(page.contains("It is *&lt;b&gt;_x_, as code <code>*&lt;b&gt;_x_</code>"), "{page}");
    assert!(page.contains("<td>*&lt;b&gt;_x_</td>"));
    assert!(page.contains("About *&lt;b&gt;_x_ <a"));
}

#[test]
fn code_and_exit_of_a_block_can_be_cited() {
    let project = Project::with(
        "```sh @fails exit=3 show=none\nsh -c 'exit 3'\n```\n\nIt ended with @[fails.exit]: `@[fails.code]`.\n",
    );
    assert!(visible(&project.page()).contains("It ended with 3: sh -c 'exit 3'."));
}

#[test]
fn a_strand_keeps_its_state_and_a_fresh_one_has_none() {
    let text = "```python @a\nx = 1\n```\n```python @b strand=fresh\nprint('x' in globals())\n```\n\
                ```python @c strand=other\nprint('x' in globals())\n```\n```python @d\nprint(x)\n```\n";
    let project = Project::with(text);
    project.page();
    project.write("guide.vine.md", text.replace("x = 1", "x = 5"));
    let said = project.weave();
    assert_eq!(project.states(&said), "a:ran b:kept c:kept d:ran");
}

#[test]
fn run_always_runs_and_with_it_what_comes_after_on_its_strand() {
    let text = "```sh @now run=always\nn=5; echo x\n```\n```sh @after\necho $n\n```\n```python @other\nprint(1)\n```\n";
    let project = Project::with(text);
    project.page();
    let said = project.weave();
    assert_eq!(project.states(&said), "now:ran after:ran other:kept");
}

#[test]
fn a_replayed_block_that_differs_is_told_and_counts() {
    let project =
        Project::with("```python @a\nimport time\nt = time.time_ns()\nprint(t)\n```\n```python @b\nprint(t)\n```\n");
    project.page();
    let text = project.read("guide.vine.md").replace("```python @b\nprint(t)", "```python @b\nprint(t, 'end')");
    project.write("guide.vine.md", text);
    let said = project.weave();
    assert!(said.out.contains("@a gave something else when it was replayed"), "{}", said.out);
    let seen = visible(&project.read("guide.html"));
    let numbers: Vec<&str> = seen.split_whitespace().filter(|w| w.len() > 15 && w.parse::<u64>().is_ok()).collect();
    assert_eq!(numbers.len(), 2, "{seen}");
    assert_eq!(numbers[0], numbers[1], "both show the value of the same run");
    assert!(project.weave().out.contains("0 ran, 2 kept"));
}

#[test]
fn figures_come_from_the_folder_from_matplotlib_and_from_a_named_file() {
    let project = Project::with(
        "```sh @f\nprintf '<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"/>' > \"$VINELOOM_FIGURES/a.svg\"\n```\n\
         ```python @m\nimport matplotlib.pyplot as plt\nfor n in (1, 2):\n    plt.figure()\n    plt.plot([n, 2])\n```\n\
         ```sh @n figure=out.svg show=figures\nprintf '<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"/>' > out.svg\n```\n\n\
         ![Moisture](@m)\n",
    );
    if support::tool("python3", &["-c".as_ref(), "import matplotlib".as_ref()]).is_none_or(|s| s.code != 0) {
        assert!(std::env::var_os("VINELOOM_TEST_TOOLS").is_none(), "matplotlib is needed by this test");
        return;
    }
    let page = project.page();
    assert_eq!(page.matches("<img src=\"data:image/svg+xml").count(), 4);
    assert!(page.contains("Figure 1.</span> Moisture"));
    let again = project.run(&["weave", "--again", "guide.vine.md"]);
    assert!(again.out.contains("3 ran"), "{}", again.out);
    assert_eq!(project.read("guide.html"), page, "the same figures, to the byte");
}

#[test]
fn tables_are_tables_and_numbers_are_aligned() {
    let project = Project::with(
        "```sh @t as=table trim=1,1\nprintf 'probe,depth\\nNorth,30\\nEast,5\\nLow,60\\n'\n```\n```python @p\n[{'day': 1, 'rain': 2.5}]\n```\n\n![Depths](@t)\n\n[](@t)\n",
    );
    let page = project.page();
    assert!(page.contains("<th scope=\"col\" class=\"number\">depth</th>"));
    assert!(page.contains("1 row left out"));
    assert!(page.contains("<td class=\"number\">2.5</td>"));
    assert!(visible(&page).contains("Table 1. Depths"));
    assert!(visible(&page).contains("Table\u{a0}1"));
}

#[test]
fn printed_markdown_is_woven_and_its_code_never_runs() {
    let project = Project::with(
        "```sh @m as=markdown show=text\nprintf '**bold** @[x]\\n\\n~~~sh @evil\\ntouch made\\n~~~\\n'\n```\n",
    );
    let page = project.page();
    assert!(page.contains("<strong>bold</strong> @[x]"), "{page}");
    assert!(!project.exists("made"));
}

#[test]
fn names_move_with_their_block_in_error_output() {
    let text = "```python @first exit=1\nboom\n```\n";
    let project = Project::with(text);
    assert!(visible(&project.page()).contains("File \"@first\", line 1"));
    project.write("guide.vine.md", text.replace("@first", "@second"));
    let said = project.weave();
    assert!(said.out.contains("0 ran"), "{}", said.out);
    assert!(visible(&project.read("guide.html")).contains("File \"@second\", line 1"));
}

#[test]
fn exports_go_where_they_are_asked_to() {
    let project = Project::with("```sh @a\necho 1\n```\n");
    let said = project.run(&["weave", "--to", "pdf", "--out", "made/here", "-q", "guide.vine.md"]);
    assert_eq!((said.code, said.out.as_str()), (0, ""));
    assert!(project.exists("made/here/guide.pdf") && !project.exists("guide.html"));
}

#[test]
fn the_store_stands_beside_the_project_file() {
    let project = Project::new();
    project.write("vineloom.toml", "");
    project.write("docs/guide.vine.md", "```sh @a\necho 1\n```\n");
    assert_eq!(project.run(&["weave", "docs/guide.vine.md"]).code, 0);
    assert!(project.exists(".vineloom") && !project.exists("docs/.vineloom"));
}

#[test]
fn crlf_text_and_a_byte_order_mark_are_no_trouble() {
    let project = Project::with(
        "\u{feff}+++\r\ntitle = \"T\"\r\n+++\r\n\r\n```sh @a\r\necho one\r\necho two\r\n```\r\n\r\nIt is @[a].\r\n",
    );
    let seen = visible(&project.page());
    assert!(seen.contains("one\ntwo"), "{seen:?}");
    assert!(project.read("guide.html").contains("<title>T</title>"));
}

#[test]
fn the_title_block_can_be_cited_with_its_day_and_its_values() {
    let project = Project::with(
        "+++\ntitle = \"About *@[n]*\"\nauthors = [\"Ann @[n]\", \"Bo\"]\ndate = \"today\"\n+++\n```sh @n show=none\necho seven\n```\n\nIt is @[doc.title] by @[doc.authors], @[doc.date].\n\n```sh @c\necho '@[doc.title]'\n```\n",
    );
    let page = project.page();
    let seen = visible(&page);
    let day = page.split("<p class=\"date\">").nth(1).unwrap().split('<').next().unwrap();
    assert!(day.chars().any(|c| c.is_ascii_digit()), "{day}");
    assert!(seen.contains(&format!("It is About seven by Ann seven, Bo, {day}.")), "{seen}");
    assert!(seen.contains("echo 'About seven'"), "{seen}");
}

#[test]
fn one_block_is_run_with_what_it_needs_and_shown() {
    let project = Project::with(
        "```python @setup\nrows = [{'plot': 'North', 'm': 9.5}, {'plot': 'Low', 'm': 36.0}]\n```\n\n```python @rows\nrows\n```\n\n```sh @other\ntouch other-ran\n```\n\n```python @later\nraise SystemExit(5)\n```\n",
    );
    let said = project.run(&["run", "guide.vine.md@rows"]);
    assert_eq!((said.code, said.err.as_str()), (0, ""));
    assert!(said.out.starts_with("@rows  python  ran "), "{}", said.out);
    assert!(said.out.ends_with("plot      m\n─────  ────\nNorth   9.5\nLow    36.0\n"), "{}", said.out);
    assert!(!project.exists("other-ran") && !project.exists("guide.html"));
    assert!(project.run(&["run", "guide.vine.md@rows"]).out.contains("@rows  python  kept"), "what ran is stored");
    let said = project.run(&["run", "guide.vine.md@row"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("did you mean guide.vine.md@rows?"), "{}", said.err);
    let said = project.run(&["run", "guide.vine.md"]);
    assert_eq!(said.code, 1);
    assert!(said.err.contains("@later ended with exit code 5") && project.exists("other-ran"), "{}", said.err);
}
