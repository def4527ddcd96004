//! The document language, through the built program.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, visible};

#[test]
fn parameters_are_typed_set_from_outside_and_handed_in() {
    let project = Project::with(
        "+++\ntitle = \"Report for @[month]\"\nauthors = [\"Growers of @[month]\"]\nlicence = \"CC-@[month]\"\n[parameters]\nmonth = \"June\"\ndepth-cm = 30\nplots = [\"North\"]\nfrom = 2026-06-01\ndry = true\n+++\n\
         In @[month] at @[depth-cm] cm: @[plots], @[from], @[dry].\n\n\
         ```python @p with=month,depth=@depth-cm,plots,dry\nprint(month, depth + 1, plots, dry)\n```\n\n\
         ```sh @s with=depth-cm\necho \"$depth_cm\" @[month]\n```\n",
    );
    let seen = visible(&project.page());
    assert!(seen.contains("Report for June") && seen.contains("Growers of June"), "{seen}");
    assert!(seen.contains("In June at 30 cm: North, 2026-06-01, yes."), "{seen}");
    assert!(seen.contains("June 31 ['North'] True"), "{seen}");
    assert!(seen.contains("30 June"), "{seen}");
    let set = [
        "--set",
        "month=July",
        "--set",
        "depth-cm=45",
        "--set",
        "plots=East,Low",
        "--set",
        "dry=no",
        "--set",
        "from=2026-07-01",
    ];
    let said = project.run(&[&["weave", "guide.vine.md"], &set[..]].concat());
    assert_eq!(said.code, 0, "{said:?}");
    let seen = visible(&project.read("guide.html"));
    assert!(seen.contains("In July at 45 cm: East, Low, 2026-07-01, no."), "{seen}");
    assert!(seen.contains("July 46 ['East', 'Low'] False"), "{seen}");
    for (setting, wanted) in [
        ("depth-cm=deep", "it is a whole number"),
        ("mnth=July", "did you mean `month`?"),
        ("from=soon", "it is a date"),
        ("dry=maybe", "it is true or false"),
    ] {
        let said = project.run(&["weave", "guide.vine.md", "--set", setting]);
        assert_eq!(said.code, 1);
        assert!(said.err.contains(wanted), "{setting}: {}", said.err);
    }
}

#[test]
fn a_parameter_runs_only_the_blocks_that_use_it() {
    let project = Project::with(
        "+++\n[parameters]\nmonth = \"June\"\n+++\n```python @a with=month\nprint(month)\n```\n```sh @b\necho @[month]\n```\n```sh @c strand=x\necho c\n```\n",
    );
    project.page();
    let said = project.run(&["weave", "guide.vine.md", "--set", "month=July"]);
    assert_eq!(project.states(&said), "a:ran b:ran c:kept");
    assert!(project.weave().out.contains("0 ran, 3 kept"), "June is still stored");
}

#[test]
fn results_are_handed_from_language_to_language() {
    let project = Project::with(
        "```sh @t as=table\nprintf 'plot,m\\nNorth,31.5\\nLow,36\\n'\n```\n```sh @n\necho 7\n```\n\
         ```python @p with=rows=@t,n\nprint(rows[0]['m'] + 1, rows[1]['m'], type(n).__name__)\n```\n\
         ```sh @s with=rows=@p2\nhead -n 1 \"$rows\"\n```\n```python @p2\n[{'x': 1, 'y': 'a'}]\n```\n",
    );
    let seen = visible(&project.page());
    assert!(seen.contains("32.5 36 str"), "{seen}");
    assert!(seen.contains("x,y"), "{seen}");
}

#[test]
fn blocks_of_a_library_are_called_with_arguments_and_never_shown() {
    let project = Project::with(
        "+++\nlibrary = [\"lib/helpers.vine.md\"]\n+++\n```sh @n show=none\necho 4\n```\n\
         A @[greet(name=\"Ann \\\"A\\\" Lee\", times=2)], a @[greet], a @[greet(times=@n)].\n\n```python @own\nprint('shout' in globals())\n```\n",
    );
    project.write(
        "lib/helpers.vine.md",
        "# Helpers\n\nProse with @[nothing].\n\n```python @\ndef shout(t):\n    return t.upper()\n```\n\n```python @greet takes=name=\"you\",times=1\nprint(shout(name) * int(times))\n```\n\n```python @unused\nraise SystemExit(9)\n```\n"
            .replace("```python @unused\nraise SystemExit(9)\n```\n", ""),
    );
    let page = project.page();
    let seen = visible(&page);
    assert!(seen.contains("A ANN \"A\" LEEANN \"A\" LEE, a YOU, a YOUYOUYOUYOU."), "{seen}");
    assert!(!seen.contains("Helpers") && !seen.contains("def shout"), "{seen}");
    assert!(seen.contains("False"), "a library has strands of its own");
    project.write("lib/helpers.vine.md", project.read("lib/helpers.vine.md").replace("t.upper()", "t.title()"));
    let said = project.weave();
    assert!(said.out.contains("@own") && project.states(&said).ends_with("own:kept"), "{}", said.out);
    assert!(visible(&project.read("guide.html")).contains("a You,"));
}

#[test]
fn a_library_that_is_not_called_does_not_run() {
    let project = Project::with("+++\nlibrary = [\"h.vine.md\"]\n+++\nText.\n");
    project.write("h.vine.md", "```sh @\ntouch ran\n```\n```sh @f takes=n=1\necho $n\n```\n");
    project.page();
    assert!(!project.exists("ran"));
}

#[test]
fn expressions_see_their_strand_as_it_stands() {
    let project = Project::with(
        "```python @a\nx = [1]\n```\nFirst @[python: len(x)].\n\n```python @b\nx.append(2)\n```\nThen `@[python: len(x)]`, and @[sh: echo $((6 * 7))].\n",
    );
    let seen = visible(&project.page());
    assert!(seen.contains("First 1.") && seen.contains("Then 2, and 42."), "{seen}");
    assert!(project.weave().out.contains("0 ran, 5 kept"));
}

#[test]
fn code_can_live_in_a_file_and_its_failures_are_placed_there() {
    let project = Project::with("```python @f from=src/count.py\n```\n\n@[f]\n");
    project.write("src/count.py", "n = 2\nprint(n)\n");
    assert!(visible(&project.page()).contains("n = 2"));
    project.write("src/count.py", "n = 2\nprint(m)\n");
    let said = project.weave();
    assert_eq!(said.code, 1);
    assert!(said.err.contains("src/count.py:2:1"), "{}", said.err);
}

#[test]
fn declared_files_are_part_of_the_key() {
    let project = Project::with(
        "```sh @a reads=data/*.csv\ncat data/*.csv\n```\n```sh @b strand=x reads=none.txt\necho b\n```\n",
    );
    project.write("data/one.csv", "1\n");
    project.page();
    project.write("data/one.csv", "1\n");
    assert!(project.weave().out.contains("0 ran, 2 kept"), "touching is no change");
    project.write("data/two.csv", "2\n");
    let said = project.weave();
    assert_eq!(project.states(&said), "a:ran b:kept");
    project.write("none.txt", "now");
    assert_eq!(project.states(&project.weave()), "a:kept b:ran");
}

#[test]
fn every_kind_of_reference_has_its_number() {
    let project = Project::with(
        "+++\n[export]\nnumbered = true\n+++\n# One\n\n## Wiring {#wiring}\n\n$$a$$ {#drift}\n\n\
         ```python @code caption=\"A listing\" lines=5\nx = 1\ny = 2 # @:second\n```\n\n\
         ```sh @t as=table show=tables\nprintf 'a\\n1\\n'\n```\n\n![A table](@t)\n\n\
         ```sh @f show=figures caption=\"A figure\"\nprintf '<svg xmlns=\"http://www.w3.org/2000/svg\"/>' > $VINELOOM_FIGURES/a.svg\n```\n\n\
         ::: table \"Written\" #w\n| a |\n|---|\n| 1 |\n:::\n\n```text id=plain caption=\"Plain\"\nx\n```\n\n\
         See [](@wiring), [](@drift), [](@code), [](@t), [](@f), [](@w), [](@plain), [](@code:second), [so](@wiring).\n",
    );
    let seen = visible(&project.page()).replace('\u{a0}', " ");
    assert!(
        seen.contains("See Section 1.1, Equation 1, Listing 1, Table 1, Figure 1, Table 2, Listing 2, line 6, so."),
        "{seen}"
    );
    assert!(!seen.contains("@:second"));
}

#[test]
fn values_of_every_kind_stand_wherever_running_text_does() {
    let project = Project::with(
        "# Count @[python: 1 + 1] of `@[n]`\n\n```python @area takes=w=1,h=2\nprint(w * h)\n```\n\n\
         ```python @twice takes=n=1\nprint(@[area(w=3)] * n)\n```\n\n```sh @n caption=\"Caption @[area(w=4,h=5)]\"\necho 5\n```\n\n\
         Nested @[twice(n=2)], [](@n), ![](@n).\n\n| a |\n|---|\n| `@[area]` |\n\n[link](https://example.org/@[n])\n",
    );
    let page = project.page();
    let seen = visible(&page);
    assert!(seen.contains("Count 2 of 5"), "{seen}");
    assert!(seen.contains("Listing 1. Caption 20"), "{seen}");
    assert!(seen.contains("Nested 12, Listing\u{a0}1, 5."), "{seen}");
    assert!(page.contains("<td><code>2</code></td>") && page.contains("https://example.org/5"), "{page}");
    assert!(seen.contains("print(6 * n)"), "the reader sees what a call in code gave: {seen}");
}

#[test]
fn works_are_cited_in_the_style_asked_for() {
    let text = "+++\nreferences = [\"l.bib\"]\ncitation-style = \"ieee\"\n+++\nAs shown [](@calloway2019), [p. 12](@calloway2019).\n\n::: references\n:::\n\nEnd.\n";
    let project = Project::with(text);
    project.write("l.bib", "@book{calloway2019,\n author = {Calloway, Ines},\n title = {Loam},\n year = {2019},\n publisher = {Ridge}\n}\n");
    let page = project.page();
    let seen = visible(&page);
    assert!(seen.contains("As shown [1], [1, p. 12]."), "{seen}");
    assert!(seen.find("Loam").unwrap() < seen.find("End.").unwrap(), "the list stands where it was asked for");
    assert!(page.contains("href=\"#work-calloway2019\"") && page.contains("id=\"work-calloway2019\""));
    project
        .write("guide.vine.md", text.replace("citation-style = \"ieee\"\n", "").replace("::: references\n:::\n", ""));
    let seen = visible(&project.page());
    assert!(seen.contains("(Calloway 2019)"), "{seen}");
    assert!(seen.find("Loam").unwrap() > seen.find("End.").unwrap(), "else at the end");
    project.write("guide.vine.md", text.replace("ieee", "iee"));
    let said = project.weave();
    assert!(
        said.err.contains("there is no citation style `iee`") && said.err.contains("did you mean `ieee`?"),
        "{}",
        said.err
    );
}

#[test]
fn works_are_cited_in_the_language_of_the_document() {
    let text =
        "+++\nlanguage = \"LANGUAGE\"\nreferences = [\"l.bib\"]\ncitation-style = \"STYLE\"\n+++\nAs [](@loam) says.\n";
    let project = Project::new();
    project.write(
        "l.bib",
        "@book{loam,\n author = {Calloway, Ines and Wren, Tomas},\n title = {Loam},\n edition = {2},\n year = {2019}\n}\n",
    );
    let cited = |language: &str, style: &str| {
        project.write("guide.vine.md", text.replace("LANGUAGE", language).replace("STYLE", style));
        visible(&project.page())
    };
    for (language, and) in [
        ("en", "Calloway and Wren"),
        ("de", "Calloway und Wren"),
        ("de-at", "Calloway und Wren"),
        ("fr", "Calloway et Wren"),
        ("no", "Calloway og Wren"),
        ("ja", "Calloway と Wren"),
        // No style speaks it.
        ("tlh", "Calloway and Wren"),
    ] {
        let seen = cited(language, "chicago-author-date");
        assert!(seen.contains(and), "{language}: {seen}");
    }
    let style = "harvard-cite-them-right";
    assert!(cited("en", style).contains("2nd ed."));
    assert!(cited("en-gb", style).contains("2nd edn."), "as the region does");
    // A style speaks as it does where it is at home, as long as the document says nothing of its language.
    let style = "deutsche-sprache";
    assert!(cited("en", style).contains("2nd ed."));
    project.write("guide.vine.md", text.replace("language = \"LANGUAGE\"\n", "").replace("STYLE", style));
    assert!(visible(&project.page()).contains("2. Aufl."));
}

#[test]
fn files_are_embedded_by_what_they_are() {
    let project =
        Project::with("![](parts/safety.vine.md)\n\n![Limits](limits.csv)\n\n![Code](src/a.py#L2-L3)\n\n@[inner]\n");
    project.write(
        "parts/safety.vine.md",
        "+++\ntitle = \"no\"\n+++\n## Safety\n\n```sh @inner\necho inside\n```\n\n![Probe](p.svg)\n",
    );
    project.write("parts/p.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"/>");
    project.write("limits.csv", "plot,limit\nNorth,25\n");
    project.write("src/a.py", "one = 1\ntwo = 2\nthree = 3\nfour = 4\n");
    let page = project.page();
    let seen = visible(&page);
    assert!(seen.contains("Safety") && seen.contains("echo inside"), "{seen}");
    assert!(page.contains("alt=\"Probe\""));
    assert!(seen.contains("Table 1. Limits") && page.contains("<td class=\"number\">25</td>"));
    assert!(seen.contains("two = 2\nthree = 3") && !seen.contains("four"), "{seen}");
    project.write("parts/safety.vine.md", "![](../guide.vine.md)\n");
    project.write("guide.vine.md", "![](parts/safety.vine.md)\n");
    let said = project.weave();
    assert_eq!(said.code, 1);
    assert!(said.err.contains("embeds"), "{}", said.err);
}

#[test]
fn containers_are_shown_where_they_belong() {
    let project = Project::with(
        ":::: tabs\n## Linux\napt\n::: tip \"A *tip*\"\nDeep.\n:::\n## macOS\nbrew\n::::\n\n::: for pdf\nIn print.\n:::\n::: not-for pdf\nOn the page.\n:::\n\n\
         ::: speaker\nSecret.\n:::\n\n::: fold \"More\"\nHidden.\n:::\n\n::: columns\nLeft\n\n---\n\nRight\n:::\n\n- item\n\n  ::: note\n  In a list.\n  :::\n\n```text\n::: note\n```\n",
    );
    let page = project.page();
    let seen = visible(&page);
    assert!(page.contains("class=\"tab-title\">Linux") && page.matches("<section class=\"tab\">").count() == 2);
    assert!(page.contains("A <em>tip</em>"));
    assert!(!seen.contains("In print.") && seen.contains("On the page.") && !seen.contains("Secret."), "{seen}");
    assert!(page.contains("<summary>More</summary>"));
    assert!(seen.contains("In a list.") && seen.contains("::: note"), "{seen}");
    assert!(project.run(&["weave", "--to", "pdf", "guide.vine.md"]).code == 0);
}

#[test]
fn the_project_file_is_a_layer_below_the_document() {
    let project = Project::with("+++\n[defaults]\nlines = \"on\"\n+++\n```sh @a\necho 1\n```\n");
    project.write(
        "vineloom.toml",
        "[project]\nname = \"x\"\n[defaults]\nlines = \"off\"\nfold = \"closed\"\n[export]\nnumbered = true\n",
    );
    let page = project.page();
    assert!(page.contains("<details class=\"fold\">") && page.contains("data-line=\"1\""));
    let said = project.run(&["options", "fold", "--file", "guide.vine.md"]);
    assert!(said.out.contains("the project file"), "{}", said.out);
    project.write("vineloom.toml", "title = \"x\"\n");
    let said = project.weave();
    assert_eq!(said.code, 1);
    assert!(
        said.err.contains("`title` belongs to a document") && said.err.contains("vineloom.toml:1:1"),
        "{}",
        said.err
    );
}

#[test]
fn woven_markdown_keeps_the_authors_text_to_the_byte() {
    let plain = "+++\ntitle = \"x\"\n[markdown]\nfront-matter = \"toml\"\n+++\n\n# T\n\n*  odd   spacing*\n\n```python\nlisting\n```\n\n| a|b |\n|-|-|\n\ttabs\t\n\n> [!NOTE]\n> x\r\n\r\n[^1]\n\n[^1]: n\n\nno newline at the end";
    let project = Project::with(plain);
    assert_eq!(project.run(&["weave", "--to", "markdown", "guide.vine.md"]).code, 0);
    let end = "\n\n<!-- Woven by Vine Loom: what is changed here is lost at the next weave. -->\n";
    assert_eq!(project.read("guide.md"), format!("{plain}{end}"));
}

#[test]
fn woven_markdown_shows_results_on_any_viewer() {
    let project = Project::with(
        "Before  *as it was*.\n\n- In a list:\n\n  ```sh @a\n  echo '*x*'\n  ```\n\nIt is @[a], `@[a]`. See [](@f).\n\n```sh @f show=figures caption=\"A *figure*\"\nprintf '<svg xmlns=\"http://www.w3.org/2000/svg\"/>' > $VINELOOM_FIGURES/a.svg\n```\n\n```sh @t as=table show=tables\nprintf 'a,b\\n1,x|y\\n'\n```\n",
    );
    assert_eq!(project.run(&["weave", "--to", "markdown", "guide.vine.md"]).code, 0);
    let text = project.read("guide.md");
    assert!(text.starts_with("Before  *as it was*.\n\n- In a list:\n\n  ```sh\n  echo '*x*'\n  ```\n\n  ```text\n  *x*\n  ```\n\nIt is \\*x\\*, `*x*`. See [Figure\u{a0}1](#f).\n"), "{text}");
    assert!(text.contains("<a id=\"f\"></a>\n\n"), "{text}");
    assert!(text.contains("![A figure](guide-parts/f-1.svg)") && project.exists("guide-parts/f-1.svg"), "{text}");
    assert!(text.contains("| 1 | x\\|y |"), "{text}");
    assert!(!text.contains("@[") && !text.contains("@f"));
}

#[test]
fn a_section_of_another_document_brings_what_is_its_own() {
    let project = Project::with("![](part.vine.md#wiring)\n\nSee [](@wiring).\n");
    project.write("part.vine.md", "# Before {#before}\n\n```python @set\nx = 3\n```\n\n# Wiring {#wiring}\n\nIt is @[python: x].[^n]\n\n## Deep\n\nDeeper.\n\n# After\n\nNot here.\n\n[^n]: Of copper.\n");
    let seen = visible(&project.page());
    assert!(seen.contains("It is 3.") && seen.contains("Deeper.") && seen.contains("Of copper."), "{seen}");
    assert!(!seen.contains("Before") && !seen.contains("Not here"), "{seen}");
    project.write("guide.vine.md", "![](part.vine.md#wiring)\n\nSee [](@before).\n");
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.code == 1 && said.err.contains("nothing is called `@before`"), "{said:?}");
}

#[test]
fn woven_markdown_leaves_no_gap_where_nothing_is_shown() {
    for end in ["\n", "\r\n"] {
        let text = "```sh @a show=none\n:\n```\n\nOne.\n\n::: speaker\nBreathe.\n:::\n\n```sh @b show=none\n:\n```\n\n## Two {#two}\n\nSee [](@two).\n";
        let project = Project::with(&text.replace('\n', end));
        assert_eq!(project.run(&["weave", "--to", "markdown", "guide.vine.md"]).code, 0);
        let woven = project.read("guide.md").replace("\r\n", "\n");
        let expected = "One.\n\n## Two <a id=\"two\"></a>\n\nSee [“Two”](#two).\n";
        assert!(woven.starts_with(expected), "{end:?}: {woven:?}");
    }
}

#[test]
fn woven_markdown_begins_as_asked() {
    let front = "title = \"Rain in @[month]\"\nauthors = [\"Ines\", { name = \"Tomas\", affiliation = \"Hollin Ridge\" }]\ndate = \"2026-06-09\"\n";
    let text = |form: &str| format!("+++\n{front}{form}[parameters]\nmonth = \"June\"\n+++\n\nWords.\n");
    for (form, begins) in [
        ("", "# Rain in June\n\nInes, Tomas (Hollin Ridge) · 9 June 2026\n\nWords.\n"),
        (
            "[markdown]\nfront-matter = \"none\"\n",
            "# Rain in June\n\nInes, Tomas (Hollin Ridge) · 9 June 2026\n\nWords.\n",
        ),
        (
            "[markdown]\nfront-matter = \"yaml\"\n",
            "---\ntitle: \"Rain in June\"\ndate: \"2026-06-09\"\nauthors: [\"Ines\", \"Tomas\"]\nlang: \"en\"\n---\n\nWords.\n",
        ),
        ("[markdown]\nfront-matter = \"toml\"\n", "+++\ntitle = \"Rain in @[month]\"\n"),
    ] {
        let project = Project::with(&text(form));
        assert_eq!(project.run(&["weave", "--to", "markdown", "guide.vine.md"]).code, 0);
        let woven = project.read("guide.md");
        assert!(woven.starts_with(begins), "{form}: {woven}");
    }
}

#[test]
fn woven_markdown_is_woven() {
    let project = Project::with(
        "# Field {#field}\n\nAs [](@field) says, and [](@pair).\n::: danger \"Mind *the* wire\"\nIt is thin.\n\n- one\n- two\n:::\nGoes on.\n\n\
         ::: speaker\nBreathe.\n:::\n\n::: for html\n![](no.svg)\nOn the page.\n:::\n\n::: not-for html\nElsewhere.\n:::\n\n\
         :::: fold \"Why & how\"\n::: tip\nDeep.\n:::\n::::\n\n\
         ::: figure \"Two probes\" #pair\n![North](a.svg)\n\n![Low](a.svg)\n:::\n\n\
         ::: tabs\n## Linux\nFrom a shell.\n## macOS\nFrom a terminal.\n:::\n\n\
         - item\n\n  ::: note\n  In a list.\n  :::\n\n\
         ```python id=code caption=\"Decoding\" lines=on mark=1\nx = 1\n```\n\nEnd.\n"
            .replace("![](no.svg)\n", "").as_str(),
    );
    project.write("a.svg", "<svg xmlns='http://www.w3.org/2000/svg'/>");
    let said = project.run(&["weave", "--to", "markdown", "guide.vine.md"]);
    assert_eq!(said.code, 0, "{said:?}");
    let text = project.read("guide.md");
    let expected = "# Field <a id=\"field\"></a>\n\nAs [“Field”](#field) says, and [Figure\u{a0}1](#pair).\n\n\
        > [!CAUTION]\n> **Mind the wire**\n>\n> It is thin.\n>\n> - one\n> - two\n\nGoes on.\n\n\
        Elsewhere.\n\n\
        <details>\n<summary>Why &amp; how</summary>\n\n> [!TIP]\n> Deep.\n\n</details>\n\n\
        <a id=\"pair\"></a>\n\n![North](a.svg)\n\n![Low](a.svg)\n\n*Figure 1. Two probes*\n\n\
        ## Linux\nFrom a shell.\n## macOS\nFrom a terminal.\n\n\
        - item\n\n  > [!NOTE]\n  > In a list.\n\n\
        *Listing 1. Decoding*\n\n```python\nx = 1\n```\n\nEnd.\n\n";
    let (body, _) = text.split_once("<!-- Woven").unwrap();
    assert_eq!(body, expected);
}

#[test]
fn an_export_never_takes_the_place_of_its_document() {
    let project = Project::new();
    project.write("notes.md", "```sh @a\necho 1\n```\n");
    assert_eq!(project.run(&["weave", "--to", "markdown", "notes.md"]).code, 0);
    assert!(project.read("notes.md").contains("@a") && project.read("notes.woven.md").contains("```text\n1\n```"));
    assert_eq!(project.run(&["weave", "--to", "markdown", "--out", ".", "notes.md"]).code, 0);
    assert!(project.read("notes.md").contains("@a"));
}

#[test]
fn a_script_is_a_document_and_its_places_are_those_of_the_script() {
    let project = Project::new();
    let script = "#!/usr/bin/env python3\n#~ +++\n#~ title = \"Tides\"\n#~ +++\n#~\n#~ Prose with @[level].\n\nimport math\n\n#~ @level\nprint(math.floor(3.7))\n";
    project.write("tide.py", script);
    let said = project.run(&["weave", "tide.py"]);
    assert_eq!(said.code, 0, "{said:?}");
    let seen = visible(&project.read("tide.html"));
    assert!(seen.contains("Tides") && seen.contains("Prose with 3."), "{seen}");
    project.write("tide.py", script.replace("math.floor(3.7)", "math.flor(3.7)"));
    let said = project.run(&["weave", "tide.py"]);
    assert!(said.err.contains("tide.py:11:1") && said.err.contains("11 | print(math.flor(3.7))"), "{}", said.err);
    assert!(said.err.contains("File \"tide.py\", line 11"), "{}", said.err);
    project.write("tide.py", script.replace("#~ @level", "#~ @level fodl=open"));
    let said = project.run(&["check", "tide.py"]);
    assert!(said.err.contains("10 | #~ @level fodl=open"), "{}", said.err);
}

#[test]
fn convert_goes_both_ways_and_never_overwrites() {
    let document = "+++\ntitle = \"x\"\n+++\n\nProse.\n\n```python @a fold=open\nx = 1\n\ny = 2\n```\n\nEnd.\n";
    let project = Project::with(document);
    assert_eq!(project.run(&["convert", "guide.vine.md", "guide.py"]).code, 0);
    assert!(project.read("guide.py").contains("#~ @a fold=open\nx = 1\n"));
    assert_eq!(project.run(&["convert", "guide.py", "back.md"]).code, 0);
    assert_eq!(project.read("back.md"), document);
    let said = project.run(&["convert", "guide.py", "back.md"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("is there already"), "{}", said.err);
    assert_eq!(project.run(&["convert", "guide.py", "other.py"]).code, 2);
}

#[test]
fn starters_weave_at_once_and_never_overwrite() {
    for (starter, file) in [("guide", "g.vine.md"), ("report", "r.vine.md"), ("deck", "d.vine.md"), ("script", "s.py")]
    {
        let project = Project::new();
        let said = project.run(&[
            "new",
            file,
            "--from",
            starter,
            "--title",
            "A \"quoted\" title",
            "--author",
            "Ines",
            "--date",
            "June",
        ]);
        assert_eq!(said.code, 0, "{said:?}");
        let said = project.run(&["check", file]);
        assert!(said.out.contains("nothing to mend"), "{starter}: {said:?}");
        assert_eq!(project.run(&["weave", file]).code, 0);
        let ending = if starter == "deck" { "-deck.html" } else { ".html" };
        let page = project.read(&format!("{}{ending}", file.split('.').next().unwrap()));
        assert!(visible(&page).contains("A \"quoted\" title") && visible(&page).contains("Ines"), "{starter}");
        let before = project.read(file);
        assert_eq!(project.run(&["new", file, "--from", starter]).code, 2);
        assert_eq!(project.read(file), before);
    }
}

#[test]
fn findings_as_json_have_places_that_editors_understand() {
    let project = Project::with("# é\n\n### Deep\n\nIt is é @[nothing].\n");
    let said = project.run(&["check", "--json", "guide.vine.md"]);
    assert_eq!(said.code, 1);
    let findings: serde_json::Value = serde_json::from_str(&said.out).unwrap();
    assert_eq!(findings.as_array().unwrap().len(), 2);
    assert_eq!((findings[0]["severity"].as_str(), findings[0]["line"].as_u64()), (Some("warning"), Some(3)));
    let second = &findings[1];
    assert_eq!(
        (second["line"].as_u64(), second["column"].as_u64(), second["end_column"].as_u64()),
        (Some(5), Some(9), Some(19))
    );
    assert_eq!(second["file"], "guide.vine.md");
}

#[test]
fn options_are_found_without_a_manual() {
    let project = Project::new();
    let said = project.run(&["options"]);
    assert!(said.out.lines().count() < 220 && said.out.lines().all(|line| line.chars().count() <= 120), "{}", said.out);
    let said = project.run(&["options", "fold"]);
    assert!(said.out.contains("one of no, open, closed") && said.out.contains("fold=closed"), "{}", said.out);
    assert!(project.run(&["options", "--search", "caption"]).out.contains("caption"));
    let said = project.run(&["options", "capton"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("did you mean `caption`?"), "{}", said.err);
    let schema: serde_json::Value = serde_json::from_str(&project.run(&["options", "--schema"]).out).unwrap();
    assert!(schema["properties"]["export"]["properties"]["numbered"].is_object());
}
