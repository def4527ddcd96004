//! Plots as values of the languages that draw: shown where they are named, on a clear ground, and small.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

/// The SVG pictures of woven Markdown, by the name of their block.
fn figures(project: &Project, block: &str) -> Vec<String> {
    let name = |at: usize| format!("guide-parts/{block}-{at}.svg");
    (1..9).map(name).filter(|name| project.exists(name)).map(|name| project.read(&name)).collect()
}

fn woven(text: &str) -> Project {
    let project = Project::with(text);
    let said = project.run(&["weave", "guide.vine.md", "--to", "markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    project
}

const PYTHON: &str = "```python @first
import matplotlib.pyplot as plt
figure, axes = plt.subplots()
axes.plot([3, 1, 2])
```

```python @again caption=\"With a line\"
axes.axhline(2)
figure
```

```python @twice
figure.set_size_inches(3, 2)
axes
```

```python @bars
axes.hist([1, 2, 2])
```

```python @open
plt.hist([1, 2, 2, 3])
```

```python @coloured
_, green = plt.subplots(facecolor=\"palegreen\")
green.boxplot([1, 2, 4])
```

```python @plain
axes.get_xlim()[0] < axes.get_xlim()[1]
```
";

#[test]
fn a_figure_of_an_earlier_block_is_shown_where_it_is_named_and_calls_that_draw_show_nothing_else() {
    let project = woven(PYTHON);
    for block in ["first", "again", "twice", "bars", "open", "coloured"] {
        assert_eq!(figures(&project, block).len(), 1, "{block}");
    }
    let text = project.read("guide.md");
    assert!(text.contains("*Figure 1. With a line*"), "{text}");
    assert_eq!(text.matches("```text").count(), 1, "only the last block has a value in words: {text}");
    assert!(figures(&project, "first") != figures(&project, "again"));
    let white = |block: &str| figures(&project, block)[0].contains("fill: #ffffff");
    assert!(!white("first") && !white("open"), "the ground is clear where nobody coloured it");
    assert!(figures(&project, "coloured")[0].contains("fill: #98fb98"));
}

#[test]
fn a_plot_of_r_is_replayed_in_a_later_block_and_altered_there() {
    let code = "```r @first\nx <- seq(0, 10, length.out = 1000)\nplot(x, sin(x))\nkept <- recordPlot()\n```\n\n\
                ```r @later caption=\"With a line\"\nkept\nabline(h = 0, col = \"red\")\n```\n";
    let project = woven(code);
    let (first, later) = (figures(&project, "first"), figures(&project, "later"));
    assert_eq!((first.len(), later.len()), (1, 1));
    // A thousand circles are drawn once and placed.
    assert!(
        first[0].matches("<use xlink:href=\"#s0\"").count() >= 1000 && first[0].len() < 80_000,
        "{}",
        first[0].len()
    );
    assert!(later[0].matches("<use xlink:href=\"#s0\"").count() >= 1000);
    let red = |svg: &str| svg.contains("stroke:rgb(100%,0%,0%)");
    assert!(red(&later[0]) && !red(&first[0]));
    assert!(project.read("guide.md").contains("*Figure 1. With a line*"));
}

#[test]
fn figures_of_octave_have_a_clear_ground_and_letters_that_can_be_read() {
    let project = woven("```octave @wave\nplot ([1 3 2]); title (\"Wave\");\n```\n");
    let figure = &figures(&project, "wave")[0];
    assert!(!figure.contains("fill=\"#ffffff\"") && !figure.contains("fill = 'rgb(255, 255, 255)'"), "{figure}");
    let sizes =
        figure.split("font-size=\"").skip(1).filter_map(|rest| rest.split(['.', '"']).next()?.parse::<u32>().ok());
    assert!(sizes.clone().count() > 0 && sizes.clone().all(|size| size >= 13), "{:?}", sizes.collect::<Vec<_>>());
}
