//! LaTeX sources: what two engines say of them, citations, parts, classes, hostile text.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::path::Path;
use std::process::Command;
use support::Project;

/// Runs a program of LaTeX in the project's folder; nothing where it is not installed.
fn run(project: &Project, program: &str, arguments: &[&str]) -> Option<(bool, String)> {
    let folder = project.path("guide.tex").parent().unwrap().to_path_buf();
    match Command::new(program).args(arguments).current_dir(folder).output() {
        Ok(output) => Some((output.status.success(), String::from_utf8_lossy(&output.stdout).into_owned())),
        Err(_) if std::env::var_os("VINELOOM_TEST_TOOLS").is_none() => {
            eprintln!("{program} is not installed: this part of the test did not run; scripts/test installs it");
            None
        }
        Err(error) => panic!("{program} is needed by this test: {error}"),
    }
}

/// Compiles a source until its references are known, and says what stands in its PDF.
fn compiled(project: &Project, engine: &str, source: &str, works: bool) -> Option<String> {
    let stem = source.trim_end_matches(".tex");
    let arguments = ["-interaction=nonstopmode", "-halt-on-error", source];
    run(project, engine, &arguments)?;
    if works {
        let (done, said) = run(project, "biber", &[stem])?;
        assert!(done, "{said}");
    }
    run(project, engine, &arguments)?;
    let (done, said) = run(project, engine, &arguments)?;
    assert!(done, "{engine}: {said}");
    for sign in ["undefined", "multiply defined", "Missing character"] {
        assert!(!said.contains(sign), "{engine}: {said}");
    }
    let pdf = project.path(&format!("{stem}.pdf"));
    let text = support::tool("pdftotext", &[&pdf, Path::new("-")])?.out;
    Some(text.split_whitespace().collect::<Vec<_>>().join(" "))
}

const ALL: &str = r#"+++
title = "Soil & *water*"
subtitle = "50 % of it"
authors = [{ name = "Ines Calloway", affiliation = "Hollin & Ridge" }, "Tomas Wren"]
references = "a.bib"
licence = "CC-BY-4.0"
[export]
numbered = true
[macros]
R = '\mathbb{R}'
+++
# Ground_1 {#ground}

Words with **weight**, *slant*, ~~struck~~, `code {\n}  two`, H<sub>2</sub>O, <kbd>Enter</kbd>, <mark>mark</mark>, $x_i \in \R$, a [link](https://example.org/a_b?c=1&d=2#e%20f), a note[^n], again[^n]. As [p. 4](@wren) says, see [](@tab), [](@eq), [](@fig), [](@list), [](@ground). Größe θ ≤ 3 – “so” → 5 €.

[^n]: Below `ten` parts.

    ```sh
    echo in a note
    ```

## A note here[^m] {#deep}

[^m]: Of a heading.

> Quoted.
>
> ```python
> print("in a quote")
> ```

3. Dig.
4. Read.
   - deep
     - deeper
       - deepest
         - five
           - six

- [x] Dug.
- ```sh
  first in an entry
  ```

::: terms
- **Strand** One interpreter.
:::

::: caution "Mind the wire"
It is thin.
:::

::: columns
Left.

---

Right.
:::

::: fold "More"
Folded.
:::

---

$$
\begin{align} a &= b \\ c &= d \end{align}
$$ {#eq}

| plot_a | [what](https://example.org)[^t] & more |
|--:|:-:|
| 1.5 | wet |

[^t]: Of a table.

```sh @tab as=table caption="Depths *m*"
printf 'plot,depth\nNorth_1,30.5\nLow,4\n'
```

```sh @fig caption="A dot" alt="One dot"
printf "<svg xmlns='http://www.w3.org/2000/svg' width='40' height='30'><circle r='9'/></svg>" > $VINELOOM_FIGURES/a.svg
```

```python @list lines=on mark=2 caption="A listing"
one = {"a": "\\n"}
two = "<2> #%&_~^"  # 50 %
print(two)
```

```sh @long as=table
echo a,b; seq 1 60 | sed 's/$/,x/'
```

```sh @wide as=table
seq -s, 1 20; seq -s, 101 120
```

# Works

::: references
:::
"#;

fn project() -> Project {
    let project = Project::with(ALL);
    project.write(
        "a.bib",
        "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, date = {2024}, publisher = {Hollin}}\n",
    );
    project
}

#[test]
fn two_engines_compile_it_without_an_error_or_an_undefined_reference() {
    let project = project();
    let said = project.run(&["weave", "guide.vine.md", "--to", "latex"]);
    assert_eq!(said.code, 0, "{said:?}");
    for engine in ["pdflatex", "lualatex"] {
        let Some(text) = compiled(&project, engine, "guide.tex", true) else { return };
        for words in [
            "Soil & water",
            "1 Ground_1",
            "Table 1",
            "Figure 1",
            "Listing 1",
            "Equation 1",
            "Wren 2024, p. 4",
            "Reading Soil",
            "in a note",
            "in a quote",
            "Of a table",
            "two = \"<2> #%&_~^\"",
            "North_1",
            "Hollin & Ridge",
            "five",
            "six",
        ] {
            assert!(text.contains(words), "{engine}: {words}\n{text}");
        }
    }
}

#[test]
fn every_documented_formula_compiles_and_one_that_cannot_be_read_is_its_source() {
    let formulas = include_str!("data/formulas.txt");
    let macros = "+++\n[macros]\n\"\\\\R\" = \"\\\\mathbb{R}\"\n\"\\\\Rn\" = \"\\\\R^n\"\n\"\\\\eps\" = \"\\\\varepsilon\"\n\
                  \"\\\\pair\" = \"\\\\langle#1, #2\\\\rangle\"\n\"\\\\norm\" = \"\\\\left\\\\lVert #1 \\\\right\\\\rVert\"\n\
                  \"\\\\argmax\" = \"\\\\DeclareMathOperator{\\\\am}{arg\\\\,max}\\\\am\"\n+++\n";
    let body: String = formulas.lines().map(|formula| format!("$$\n{formula}\n$$\n\n")).collect();
    let bad = "Bad $\\frac{a$ and $\\input{/etc/passwd}$ and $}$.\n\n$$\n\\nosuch{x}\n$$\n\n```sh @ as=markdown show=text\necho 'Printed $\\write18{ls}$.'\n```\n";
    let project = Project::with(&format!("{macros}{bad}\n{body}"));
    let said = project.run(&["weave", "guide.vine.md", "--to", "latex"]);
    assert_eq!(said.code, 0, "{said:?}");
    let source = project.read("guide.tex");
    assert!(
        !source.contains("\n\\input{/etc") && !source.contains("\\(\\input") && !source.contains("\\write18{"),
        "{source}"
    );
    let Some(text) = compiled(&project, "pdflatex", "guide.tex", false) else { return };
    for words in ["\\frac{a", "\\input{/etc/passwd}", "\\nosuch{x}", "\\write18{ls}"] {
        assert!(text.contains(words), "{words}\n{text}");
    }
}

#[test]
fn what_leads_nowhere_is_words_and_a_footnote_may_have_marks_of_others() {
    let project = Project::with(support::LEADING_NOWHERE);
    let said = project.run(&["weave", "guide.vine.md", "--to", "latex"]);
    assert_eq!(said.code, 0, "{said:?}");
    let Some(text) = compiled(&project, "pdflatex", "guide.tex", false) else { return };
    assert!(text.contains("Outer words") && text.contains("Inner words."), "{text}");
}

#[test]
fn lists_and_quotes_may_stand_in_each_other_however_deep() {
    let deep: String = (0..30).map(|at| format!("{}- entry{at}x\n", "  ".repeat(at))).collect();
    let quotes: String =
        (1..30).map(|at| format!("{} quote{at}x\n{}\n", "> ".repeat(at), "> ".repeat(at).trim())).collect();
    let project = Project::with(&format!("{deep}\nBetween.\n\n{quotes}"));
    let said = project.run(&["weave", "guide.vine.md", "--to", "latex"]);
    assert_eq!(said.code, 0, "{said:?}");
    let Some(text) = compiled(&project, "pdflatex", "guide.tex", false) else { return };
    for word in (0..30).map(|at| format!("entry{at}x")).chain((1..30).map(|at| format!("quote{at}x"))) {
        assert!(text.contains(&word), "{word}\n{text}");
    }
}

#[test]
fn citations_can_be_words_and_a_source_can_be_a_part_of_another() {
    let project = project();
    project.write(
        "guide.vine.md",
        ALL.replace("[macros]", "[latex]\ncitations = \"formatted\"\npart = true\npreamble = \"house.tex\"\n[macros]"),
    );
    project.write("house.tex", "\\newcommand{\\house}{Hollin house}\n");
    let said = project.run(&["weave", "guide.vine.md", "--to", "latex"]);
    assert_eq!(said.code, 0, "{said:?}");
    let part = project.read("guide.tex");
    assert!(!part.contains("\\documentclass") && !part.contains("\\begin{document}") && !part.contains("biblatex"));
    let whole = "\\documentclass{report}\n\\input{guide-parts/preamble.tex}\n\\begin{document}\n\\chapter{Before}\n\\house\n\\input{guide}\n\\end{document}\n";
    project.write("whole.tex", whole);
    let Some(text) = compiled(&project, "pdflatex", "whole.tex", false) else { return };
    for words in ["Hollin house", "Ground_1", "Reading Soil", "(Wren 2024, 4)"] {
        assert!(text.contains(words), "{words}\n{text}");
    }
}

#[test]
fn what_is_hostile_stays_text_and_every_letter_is_set_or_told() {
    let hostile = "# \\input{/etc/passwd} \u{1}\u{FFFE}\n\n\\write18{rm} $a \\% b$ `\\end{document}` [x](javascript:alert(1)) [odd](<https://a b}{\\x>) % # & ~ ^ { } _ -- ''\n\n```text\n\\end{vlcode} % {} \\\\\n```\n\nالعربية 土が乾く 𝔘𝔫𝔦 👩‍🌾 ₓ Ⅷ \u{202E}x\n";
    let project = Project::with(hostile);
    let said = project.run(&["weave", "guide.vine.md", "--to", "latex"]);
    assert_eq!(said.code, 0, "{said:?}");
    assert!(said.err.contains("pdflatex has no letters for"), "{said:?}");
    let source = project.read("guide.tex");
    assert!(
        source.contains("العربية 土が乾く 𝔘𝔫𝔦")
            && !source.contains("javascript:")
            && !source.contains("\n\\input{/etc")
    );
    let Some(text) = compiled(&project, "pdflatex", "guide.tex", false) else { return };
    for words in ["\\input{/etc/passwd}", "\\write18{rm}", "\\end{document}", "\\end{vlcode} % {} \\\\"] {
        assert!(text.contains(words), "{words}\n{text}");
    }
}
