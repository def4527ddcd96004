//! The words of the reader's language that exports are made with beside the writer's own, and the writer's instead of them.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, text_of_office_file, visible};

/// A document with everything that brings a word of ours.
fn document(language: &str, more: &str) -> String {
    format!(
        r#"+++
title = "x"
licence = "z"
language = "{language}"
references = ["w.bib"]
{more}
[export]
contents = "top"
numbered = true
[deck]
contents = "side"
+++

# a {{#a}}

w [](@t) [](@f) [](@q) [](@t:l) [](@b2019) [](@a) w.[^n]

```python @t as=table caption="c" trim=2,1 fold=closed
print("a,b")  # @:l
for n in range(9): print(f"{{n}},{{n}}")
```

```python @c trim=1,1 exit=any show=code,text,notices
import sys
for n in range(5): print(n)
print("e", file=sys.stderr)
```

```sh @f caption="c"
echo '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>' > $VINELOOM_FIGURES/f.svg
```

$$ x $$ {{#q}}

::: note
w
:::

::: tip
w
:::

::: caution
w
:::

::: danger
w
:::

::: fold ""
w
:::

# b

w

[^n]: w
"#
    )
}

fn woven(language: &str, more: &str, formats: &str) -> Project {
    let project = Project::with(&document(language, more));
    project.write("w.bib", "@book{b2019, author={B, B.}, title={T}, year={2019}}\n");
    let said = project.run(&["weave", "guide.vine.md", "--to", formats]);
    assert_eq!(said.code, 0, "{language}: {said:?}");
    project
}

/// What a page of one language says, that says it in another: the words of figures, tables, contents and so on.
const ENGLISH: [&str; 16] = [
    "Figure 1",
    "Table 1",
    "Equation 1",
    "line 1",
    "Section 1",
    "Contents",
    "Licence",
    "Note",
    "Caution",
    "Danger",
    "Works cited",
    "Footnotes",
    "left out",
    "Dark page",
    "Unfold all",
    "To the text",
];

#[test]
fn a_page_speaks_the_language_of_its_document_alone() {
    let english = visible(&woven("en", "", "html").read("guide.html")).replace('\u{A0}', " ");
    for word in ENGLISH.iter().filter(|word| !["Works cited", "Footnotes"].contains(word)) {
        assert!(english.contains(word), "{word}: {english}");
    }
    for (language, words) in [
        ("de", ["Abbildung 1", "Tabelle 1", "Abschnitt 1", "Hinweis", "6 Zeilen ausgelassen", "Lizenz"]),
        ("fr", ["Figure 1", "Tableau 1", "Sommaire", "Astuce", "6 lignes omises", "Licence"]),
        ("pl", ["Rysunek 1", "Tabela 1", "Spis treści", "Uwaga", "pominięto 6 wierszy", "Licencja"]),
        ("ru", ["Рисунок 1", "Таблица 1", "Содержание", "Примечание", "пропущено 6 строк", "Лицензия"]),
        ("ar", ["شكل 1", "جدول 1", "المحتويات", "ملاحظة", "حذفت 6 صفوف", "الترخيص"]),
        ("ja", ["図 1", "表 1", "目次", "注記", "6行省略", "ライセンス"]),
        ("zh-Hans", ["图 1", "表 1", "目录", "注", "省略 6 行", "许可"]),
        ("ko", ["그림 1", "표 1", "차례", "참고", "6행 생략", "라이선스"]),
    ] {
        let html = woven(language, "", "html").read("guide.html");
        let page = visible(&html).replace('\u{A0}', " ");
        for word in words {
            assert!(page.contains(word), "{language}: {word}\n{page}");
        }
        for word in ENGLISH
            .iter()
            .filter(|word| !(language == "fr" && ["Figure 1", "Licence", "Note", "Section 1", "Danger"].contains(word)))
        {
            assert!(!page.contains(word), "{language} says {word}\n{page}");
        }
        // What only a reader with a screen reader hears, and what the scripts say.
        for label in
            ["aria-label=\"Footnotes\"", "aria-label=\"Works cited\"", "aria-label=\"Link to", "aria-label=\"Code,"]
        {
            assert!(
                !html.contains(label) || ["de", "fr"].contains(&language) && label.contains("Code"),
                "{language}: {label}"
            );
        }
        assert!(html.contains("data-words=\"{&quot;copy"), "{language}");
    }
    let page = woven("en", "", "html").read("guide.html");
    assert!(!page.contains("data-words"), "English pages carry no table of words");
}

#[test]
fn every_format_speaks_it() {
    let project = woven("de", "", "text,markdown,docx,latex,epub,notebook,pptx,deck,pdf");
    let read = |name: &str| std::fs::read(project.path(name)).unwrap();
    let text = project.read("guide.txt").replace('\u{A0}', " ");
    for word in ["Inhalt\n", "Abbildung 1.", "Tabelle 1.", "(6 Zeilen ausgelassen)", "▌ Hinweis", "Lizenz: z", "[Bild"]
    {
        assert!(text.contains(word), "{word}: {text}");
    }
    assert!(project.read("guide.md").contains("*Tabelle 1. c*"));
    let office = text_of_office_file(&read("guide.docx"));
    for word in ["Abbildung", "Tabelle", "Hinweis", "Lizenz: z"] {
        assert!(office.contains(word), "{word}: {office}");
    }
    let latex = project.read("guide.tex");
    for word in [
        "\\renewcommand{\\figurename}{Abbildung}",
        "\\renewcommand{\\contentsname}{Inhalt}",
        "Tabelle~\\ref",
        "Hinweis",
    ] {
        assert!(latex.contains(word), "{word}: {latex}");
    }
    let slides = text_of_office_file(&read("guide.pptx"));
    assert!(slides.contains("Abbildung 1.") && slides.contains("Literatur") && slides.contains("Hinweis"), "{slides}");
    let deck = project.read("guide-deck.html");
    for word in ["Vollbild", "Vortrag", "aria-label=\"Folien\"", "speakers-window&quot;:&quot;Vortragsfenster"] {
        assert!(deck.contains(word), "{word}");
    }
    if let Some(said) = support::tool("pdftotext", &[&project.path("guide.pdf"), std::path::Path::new("-")]) {
        for word in ["Inhalt", "Abbildung 1", "1 von ", "Hinweis", "Lizenz"] {
            assert!(said.out.replace('\u{A0}', " ").contains(word), "{word}: {}", said.out);
        }
    }
}

#[test]
fn a_writer_has_the_last_word() {
    let own = "[words]\nfigure = \"Fig.\"\ncontents = \"In this guide\"\nrows-left-out = [\"# row is not shown\", \"# rows are not shown\"]\nyes = \"aye\"\n";
    let page = visible(&woven("en", own, "html").read("guide.html")).replace('\u{A0}', " ");
    for word in ["Fig. 1", "In this guide", "6 rows are not shown"] {
        assert!(page.contains(word), "{word}: {page}");
    }
    let wrong = Project::with("+++\n[words]\nfigur = \"Fig.\"\n+++\n");
    let said = wrong.weave();
    assert!(said.code == 1 && said.err.contains("did you mean `figure`?"), "{said:?}");
}

#[test]
fn a_number_has_its_unit_in_the_form_that_the_language_counts_with() {
    let text = |language: &str, forms: &str| {
        format!(
            "+++\nlanguage = \"{language}\"\n+++\n```sh @one show=none\necho 1\n```\n\n```sh @n show=none unit=\"{forms}\"\necho 3\n```\n\n```python @m show=none\n31.4159\n```\n\n@[one unit=\"{forms}\"]; @[n]; @[m unit=% digits=1]; @[m unit=\"mm\"]; @[python unit=\"{forms}\": 22]; `@[n]`\n"
        )
    };
    for (language, forms, expected) in [
        ("en", "day, days", "1\u{A0}day; 3\u{A0}days; 31.4\u{202F}%; 31.416\u{A0}mm; 22\u{A0}days; 3"),
        ("ru", "день, дня, дней", "1\u{A0}день; 3\u{A0}дня; 31,4\u{202F}%; 31,416\u{A0}mm; 22\u{A0}дня; 3"),
        ("fr", "jour, jours", "1\u{A0}jour; 3\u{A0}jours; 31,4\u{202F}%; 31,416\u{A0}mm; 22\u{A0}jours; 3"),
        ("ja", "日", "1\u{A0}日; 3\u{A0}日; 31.4\u{202F}%; 31.416\u{A0}mm; 22\u{A0}日; 3"),
    ] {
        let page = visible(&Project::with(&text(language, forms)).page());
        assert!(page.contains(expected), "{language}: {page:?}");
    }
}

#[test]
fn options_are_found_by_words_that_are_not_their_names() {
    let project = Project::new();
    for (words, option) in [
        (&["landscape"][..], "orientation"),
        (&["line", "numbers"], "lines"),
        (&["side", "by", "side"], "columns"),
        (&["house", "colour"], "accent"),
        (&["snippet"], "from"),
        (&["logo"], "page-head"),
    ] {
        let said = project.run(&[&["options"], words].concat());
        let found = said.out.lines().any(|line| line.split_whitespace().next() == Some(option));
        assert!(said.code == 0 && found, "{words:?}: {said:?}");
    }
    let near = project.run(&["options", "langage"]);
    assert!(near.code == 2 && near.err.contains("did you mean `language`?"), "{near:?}");
    assert_eq!(project.run(&["options", "quux", "frob"]).code, 2);
}
