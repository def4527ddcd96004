//! The walkers over a document reach every word, each once and where it is written.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::BTreeMap;
use vineloom_document::{FileProblem, Files, Given, InlineKind, Source, each_inline, has_errors, parse_with};

const DOCUMENT: &str = "# w1.

w2. *w3.* **w4.** ~~w5.~~ [w6.](https://example.org) ![w7.](a.png) [w8.](@plot) ![w9.](@plot)

> w10.

1. w11.
   - w12.

| w13. |
|------|
| w14. |

::: note \"w15.\"
w16.
:::

:::: tabs
## w17.
w18.
::: fold \"w19.\"
w20.
:::
::::

![w21.](@other)

![w22.](a.csv)

```python id=list caption=\"w23.\"
x
```

```sh @plot caption=\"w24.\"
x
```

```sh @other
x
```

![](part.vine.md)

Note[^1].

[^1]: w26.
";

/// The files beside it.
struct Beside;

impl Files for Beside {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileProblem> {
        match path {
            "a.csv" => Ok(b"n\n1\n".to_vec()),
            "part.vine.md" => Ok(b"w25.\n".to_vec()),
            _ => Err(FileProblem::Absent),
        }
    }
}

#[test]
fn every_word_of_a_document_is_met_once_and_lies_where_it_is_written() {
    let parsed = parse_with(Source::new("a.vine.md", DOCUMENT), Given { files: &Beside, project: None, set: &[] });
    assert!(!has_errors(&parsed.diagnostics), "{:?}", parsed.diagnostics);
    let sources = &parsed.document.sources;
    let mut met: BTreeMap<String, usize> = BTreeMap::new();
    parsed.document.each_text(&mut |text| {
        each_inline(text, &mut |inline| {
            if let InlineKind::Text(words) = &inline.kind {
                for word in words.split_whitespace().filter(|word| word.starts_with('w')) {
                    *met.entry(word.to_string()).or_default() += 1;
                    let written = sources.of(inline.span().start).slice(inline.span());
                    assert!(written.contains(word), "{word} is not in {written:?}");
                }
            }
        });
    });
    let missed: Vec<usize> = (1..=26).filter(|n| met.get(&format!("w{n}.")) != Some(&1)).collect();
    assert!(missed.is_empty() && met.len() == 26, "{missed:?}: {met:?}");
}
