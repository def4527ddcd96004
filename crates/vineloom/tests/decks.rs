//! Decks: the division into slides, what stands on them, and their print.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, tool};

const TALK: &str = "+++\ntitle = \"Dry days\"\nauthors = [\"Ines Calloway\"]\nlicence = \"CC-BY-4.0\"\nreferences = [\"a.bib\"]\n\
[export]\nto = [\"deck\", \"deck-pdf\"]\n+++\n\n::: speaker\nBreathe first.\n:::\n\n# Soil\n\n## Readings {#readings}\n\n\
::: steps\n- Dig.\n- Read[^1].\n:::\n\n::: speaker\nShow the probe.\n:::\n\n[^1]: Twice.\n\n---\n\nSee [](@code) and [](@wren).\n\n\
```sh @code caption=\"A count\" mark=1\necho 1874\n```\n\n::: for html\nOn the page alone.\n:::\n\n::: for deck,deck-pdf,pptx\n## Last\n\nOn slides alone.\n:::\n";

fn talk(settings: &str) -> Project {
    let project = Project::with(&TALK.replace("[export]\n", &format!("{settings}[export]\n")));
    project.write("a.bib", "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, year = {2019}}\n");
    let said = project.run(&["weave", "guide.vine.md"]);
    assert_eq!(said.code, 0, "{said:?}");
    project
}

const SQUARE: &str =
    "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"400\" height=\"300\"><rect width=\"400\" height=\"300\"/></svg>";

/// The identifiers of the slides, in order.
fn ids(deck: &str) -> Vec<&str> {
    deck.split("<section class=\"slide")
        .skip(1)
        .map(|part| part.split("id=\"").nth(1).unwrap().split('"').next().unwrap())
        .collect()
}

#[test]
fn headings_and_rules_make_slides_whose_places_are_made_of_their_headings() {
    let project = talk("");
    let deck = project.read("guide-deck.html");
    assert_eq!(ids(&deck), ["title", "soil", "readings", "readings--on", "last", "works"]);
    assert!(deck.contains("<section class=\"slide title-slide\"") && deck.contains("Licence: CC-BY-4.0"));
    assert!(deck.contains("<section class=\"slide divider\" id=\"soil\""));
    assert!(deck.contains("aria-label=\"3 of 6: Readings\""));
    assert!(deck.contains("<li data-step=\"1\">Dig.") && deck.contains("<li data-step=\"2\">Read"));
    assert!(deck.contains("<div id=\"readings--note-1\">") && !deck.contains("On the page alone."));
    assert!(deck.contains("On slides alone.") && deck.contains("<h2>Works cited</h2>"));
    // What is put in before a slide leaves its place as it is.
    project.write("guide.vine.md", project.read("guide.vine.md").replace("# Soil", "# Before\n\n# Soil"));
    assert_eq!(project.run(&["weave", "guide.vine.md", "--to", "deck"]).code, 0);
    assert_eq!(
        ids(&project.read("guide-deck.html")),
        ["title", "before", "soil", "readings", "readings--on", "last", "works"]
    );
}

#[test]
fn notes_are_for_the_speaker_and_stay_at_home_when_asked() {
    let deck = talk("").read("guide-deck.html");
    let title = deck.split("<section class=\"slide").nth(1).unwrap();
    assert!(title.contains("<aside class=\"speaker\"") && title.contains("Breathe first."));
    let deck = talk("[deck]\nnotes = false\n").read("guide-deck.html");
    assert!(!deck.contains("Breathe first.") && !deck.contains("Show the probe."));
}

#[test]
fn a_deck_is_one_file_with_its_fonts_and_nothing_is_asked_of_the_network() {
    let project = talk(
        "[deck]\nstrict = true\nfoot = \"Hollin Ridge\"\nemblem = \"emblem.svg\"\naspect = \"4:3\"\nnumbered = true\n"
            .replace("emblem = \"emblem.svg\"\n", "")
            .as_str(),
    );
    let deck = project.read("guide-deck.html");
    for face in ["\"Vine Serif\"; font-weight: 400; font-style: normal", "\"Vine Mono\""] {
        assert!(deck.contains(&format!("@font-face {{ font-family: {face}")), "{face}");
    }
    assert!(deck.contains("data-wide=\"960\"") && deck.contains("<span class=\"foot\">Hollin Ridge</span>"));
    assert!(deck.contains("<span class=\"number\">1.1</span> Readings"));
    assert!(deck.contains("script-src 'sha256-") && !project.exists("guide-deck-parts"));
    let asked = deck.match_indices("src=").filter(|(at, _)| !deck[at + 4..].starts_with("\"data:")).count();
    assert_eq!(asked, 0);
}

#[test]
fn print_has_a_page_a_slide_or_a_step_or_several_on_a_sheet() {
    let pages = |settings: &str| {
        let project = talk(settings);
        let said = tool("pdfinfo", &[&project.path("guide-deck.pdf")])?;
        let line = |name: &str| said.out.lines().find_map(|line| line.strip_prefix(name)).unwrap().trim().to_string();
        let text = tool("pdftotext", &["-layout".as_ref(), &project.path("guide-deck.pdf"), "-".as_ref()])?.out;
        assert_eq!(line("Tagged:"), "yes");
        Some((line("Pages:").parse::<usize>().unwrap(), line("Page size:"), text))
    };
    let Some((count, size, text)) = pages("") else { return };
    assert_eq!((count, size.as_str()), (6, "720 x 405 pts"));
    let each: Vec<&str> = text.split('\u{c}').collect();
    assert!(
        each[2].contains("Dig.") && each[2].contains("Twice.") && each[2].replace(' ', "").contains("3/6"),
        "{}",
        each[2]
    );
    assert!(each[5].contains("Works cited") && each[5].contains("Reading Soil"), "{}", each[5]);
    assert!(!text.contains("Breathe first.") && !text.contains("On the page alone."));
    let Some((count, _, text)) = pages("[deck-pdf]\nsteps = \"pages\"\n") else { return };
    let each: Vec<&str> = text.split('\u{c}').collect();
    assert_eq!(count, 8);
    assert!(!each[2].contains("Dig.") && each[3].contains("Dig.") && !each[3].contains("Read1"), "{text}");
    assert!(each[4].contains("Dig.") && each[4].contains("Read"), "{text}");
    let Some((count, size, _)) = pages("[deck-pdf]\nper-sheet = \"4\"\n") else { return };
    assert_eq!((count, size.contains("841.89 x 595.28")), (2, true), "{size}");
    let Some((count, _, text)) = pages("[deck-pdf]\nper-sheet = \"notes\"\naspect = \"4:3\"\n") else { return };
    assert!(count == 6 && text.contains("Show the probe."), "{text}");
}

/// The identifiers of a page or a deck that stand there twice, and its links that lead nowhere.
fn faulty_places(html: &str) -> Vec<&str> {
    let values = |start: &str| -> Vec<&str> {
        html.split(start)
            .skip(1)
            .map(|part| part.split('"').next().unwrap())
            .filter(|value| !value.is_empty())
            .collect()
    };
    let ids = values(" id=\"");
    let twice = ids.iter().enumerate().filter(|(at, id)| ids[..*at].contains(id)).map(|(_, id)| *id);
    let dead = values(" href=\"#").into_iter().filter(|target| !ids.contains(target));
    twice.chain(dead).collect()
}

#[test]
fn a_footnote_is_kept_wherever_its_mark_stands() {
    let places =
        ["section", "divider", "title", "text", "table", "list", "steps", "quote", "notice", "note", "speaker"];
    let mut text = "+++\ntitle = \"Talk\"\n[deck-pdf]\nper-sheet = \"notes\"\n+++\n\n# Soil[^section]\n\nHere.\n\n# Water[^divider]\n\n\
        ## Readings[^title]\n\nText[^text], once more[^text].\n\n| a[^table] |\n|---|\n| 1 |\n\n- Item[^list]\n\n::: steps\n- Step[^steps]\n:::\n\n\
        > Quoted[^quote].\n\n::: note\nNoticed[^notice].\n:::\n\n::: speaker\nSay[^speaker] it, and that[^text].\n:::\n\n## More\n\nAgain[^text].\n\n"
        .to_string();
    for place in places {
        let inner = if place == "text" { "[^note]" } else { "" };
        text += &format!("[^{place}]: Kept of {place}{inner}.\n");
    }
    let project = Project::with(&text);
    let said = project.run(&["weave", "guide.vine.md", "--to", "deck,deck-pdf,pptx,html,pdf,markdown"]);
    assert_eq!(said.code, 0, "{said:?}");
    let office = support::text_of_office_file(&std::fs::read(project.path("guide.pptx")).unwrap());
    let mut shown = vec![
        ("deck", support::visible(&project.read("guide-deck.html"))),
        ("pptx", office),
        ("html", support::visible(&project.read("guide.html"))),
        ("markdown", project.read("guide.md")),
    ];
    for (format, name) in [("deck-pdf", "guide-deck.pdf"), ("pdf", "guide.pdf")] {
        shown.extend(tool("pdftotext", &[&project.path(name), "-".as_ref()]).map(|said| (format, said.out)));
    }
    for (format, text) in &shown {
        for place in places {
            // What only the speaker sees is on no page; Markdown keeps it where it is defined, and shows it to nobody.
            let is_there = place != "speaker" || !matches!(*format, "html" | "pdf");
            assert_eq!(text.contains(&format!("Kept of {place}")), is_there, "{place} in {format}: {text}");
        }
    }
    for name in ["guide.html", "guide-deck.html"] {
        assert_eq!(faulty_places(&project.read(name)), Vec::<&str>::new(), "{name}");
    }
    // What only the speaker sees stands in a part that can be left at home.
    let deck = project.read("guide-deck.html");
    let (_, speaker) = deck.split_once("<aside class=\"speaker\"").unwrap();
    assert!(speaker.split("</aside>").next().unwrap().contains("Kept of speaker"));
    assert_eq!(deck.matches("Kept of speaker").count(), 1);
}

#[test]
fn a_slide_with_too_much_on_it_is_told_by_its_line_and_one_with_little_is_not() {
    let lines: String = (0..50).map(|n| format!("line_{n} = {n}\n")).collect();
    let project = Project::with(&format!("## Short\n\nWords.\n\n## Long\n\n```python\n{lines}```\n"));
    for formats in ["deck", "deck-pdf"] {
        let said = project.run(&["weave", "guide.vine.md", "--to", formats]);
        assert!(said.code == 0 && said.err.contains("the slide “Long” is set at"), "{formats}: {said:?}");
        assert!(said.err.contains("guide.vine.md:5:1") && !said.err.contains("Short"), "{formats}: {said:?}");
    }
    // The same without writing anything, from what is stored.
    std::fs::remove_file(project.path("guide-deck.html")).unwrap();
    project.write(
        "guide.vine.md",
        project.read("guide.vine.md").replace("## Short", "+++\n[export]\nto = [\"deck\"]\n+++\n\n## Short"),
    );
    let said = project.run(&["check", "--fit", "guide.vine.md"]);
    assert!(said.code == 0 && said.err.contains("the slide “Long” is set at"), "{said:?}");
    assert!(!project.exists("guide-deck.html"), "{said:?}");
    project.write("run.vine.md", "## Live\n\n```sh @a\necho 1\n```\n");
    let said = project.run(&["check", "--fit", "run.vine.md"]);
    assert!(said.code == 1 && said.err.contains("@a has no stored result that is true"), "{said:?}");
    // Nothing on it is lost.
    if let Some(said) = tool("pdftotext", &[&project.path("guide-deck.pdf"), "-".as_ref()]) {
        assert!((0..50).all(|n| said.out.contains(&format!("line_{n} = {n}"))), "{}", said.out);
    }
}

/// Writes so and so much.
type Filling = fn(usize) -> String;

/// What may fill a slide.
fn fillings() -> Vec<(&'static str, Filling)> {
    fn each(count: usize, line: impl Fn(usize) -> String) -> String {
        (0..count).map(line).collect()
    }
    vec![
        ("code", |n| format!("```python\n{}```\n", each(n, |at| format!("line_{at} = {at}\n")))),
        ("long code", |n| format!("```python\n{}```\n", each(n / 3, |_| "a + ".repeat(40) + "b\n"))),
        ("list", |n| each(n, |at| format!("- item {at}\n"))),
        ("loose list", |n| each(n, |at| format!("- item {at}\n\n"))),
        ("nested", |n| each(n, |_| "> - > words\n\n".into())),
        ("paragraphs", |n| each(n, |at| format!("Words {at}.\n\n"))),
        ("one paragraph", |n| "Words of some length stand here in a row and go on. ".repeat(2 * n)),
        ("wide letters", |n| "\u{6f22}\u{5b57}".repeat(22 * n)),
        ("table", |n| format!("| a | b |\n|---|---|\n{}", each(n, |at| format!("| {at} | x |\n")))),
        ("table of words", |n| {
            format!("| a | b |\n|---|---|\n{}", each(n / 3, |at| format!("| {at} | {} |\n", "word ".repeat(40))))
        }),
        ("headings", |n| each(n, |at| format!("### Deep {at}\n\n"))),
        ("formulas", |n| "$$\\frac{a}{\\frac{b}{c}}$$\n\n".repeat(n)),
        ("notices", |n| "::: note\nWords.\n:::\n\n".repeat(n / 2)),
        ("figures", |n| "![Plot](plot.svg)\n\n".repeat(n / 4)),
        ("footnotes", |n| {
            each(n, |at| format!("Words[^{n}n{at}]. ")) + "\n\n" + &each(n, |at| format!("[^{n}n{at}]: Note.\n\n"))
        }),
        ("columns", |n| format!("::: columns\n{}\n\n---\n\nA word.\n:::\n", "Words go on. ".repeat(4 * n))),
        ("steps", |n| format!("::: steps\n{}:::\n", each(n, |at| format!("- step {at}\n")))),
    ]
}

#[test]
fn a_deck_tells_of_the_very_slides_that_print_makes_too_small_to_read() {
    for (settings, counts) in [("", [4, 18, 26, 48].as_slice()), ("aspect = \"4:3\"\ntext-scale = 150\n", &[9, 14])] {
        let slides = fillings().into_iter().flat_map(|(what, filled)| {
            counts.iter().map(move |&n| format!("## Slide of {what}, {n}\n\n{}\n\n", filled(n)))
        });
        let text = format!("+++\n[deck]\n{settings}[deck-pdf]\n{settings}+++\n\n{}", slides.collect::<String>());
        let project = Project::with(&text);
        project.write("plot.svg", SQUARE);
        let told = |format: &str| {
            let said = project.run(&["weave", "guide.vine.md", "--to", format]);
            assert_eq!(said.code, 0, "{format}: {said:?}");
            let told =
                |line: &str| Some(line.split_once("the slide \u{201c}")?.1.split_once('\u{201d}')?.0.to_string());
            said.err.lines().filter_map(told).collect::<Vec<_>>()
        };
        let print = told("deck-pdf");
        assert_eq!(told("deck"), print, "{settings}");
        // Each of them is told of when there is much of it, and none when there is little.
        for (what, _) in fillings() {
            let is_told = |n: usize| print.contains(&format!("Slide of {what}, {n}"));
            assert!(!is_told(4), "little of {what}: {print:?}");
            assert!(is_told(48) || !settings.is_empty(), "much of {what}: {print:?}");
        }
    }
}

#[test]
fn lines_of_code_are_stressed_one_after_the_other_where_they_stand_in_steps() {
    let text = "## Code\n\n::: steps\n```sh @a mark=1,3\nx=1\ny=2\nz=3\n```\n\nAnd then.\n:::\n";
    let project = Project::with(text);
    assert_eq!(project.run(&["weave", "guide.vine.md", "--to", "deck,html"]).code, 0);
    let deck = project.read("guide-deck.html");
    assert!(
        deck.contains("<span class=\"line marked\" data-mark=\"1\">")
            && deck.contains("<span class=\"line marked\" data-mark=\"2\">")
    );
    assert!(deck.contains("<div data-step=\"3\">\n<p>And then.</p>"));
    assert!(!project.read("guide.html").contains("data-mark=\"1\""), "a page shows all at once");
}

/// Reads the office file with a library of another maker: titles, texts, numbers, notes, alternative texts, tables.
const READ: &str = "import sys, json
from pptx import Presentation
deck = Presentation(sys.argv[1])
def told(shape):
    if shape.has_text_frame: return shape.text_frame.text
    if shape.has_table: return ' '.join(cell.text for row in shape.table.rows for cell in row.cells)
    return shape._element.nvPicPr.cNvPr.get('descr') if hasattr(shape._element, 'nvPicPr') else ''
for slide in deck.slides:
    title = slide.shapes.title.text if slide.shapes.title is not None else ''
    notes = slide.notes_slide.notes_text_frame.text if slide.has_notes_slide else ''
    number = any(shape.is_placeholder and 'SLIDE_NUMBER' in str(shape.placeholder_format.type) for shape in slide.shapes)
    links = [run.hyperlink.address for shape in slide.shapes if shape.has_text_frame for p in shape.text_frame.paragraphs for run in p.runs if run.hyperlink.address]
    print(json.dumps([slide.slide_layout.name, title, [told(shape) for shape in slide.shapes], notes, number, links]))
print(deck.core_properties.title, deck.core_properties.author, deck.slide_width, deck.slide_height)
";

#[test]
fn the_office_file_has_titles_texts_tables_figures_and_notes_that_another_program_finds() {
    let text = TALK.replace("# Soil\n", "# Soil\n\n## Data\n\n| plot | depth |\n|---|--:|\n| North | 30 |\n\n![A pit](pit.svg)\n\n[More](https://example.org/a?b=1&c=2) and x < y.\n");
    let project = Project::with(&text);
    project.write("a.bib", "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, year = {2019}}\n");
    project.write(
        "pit.svg",
        "<svg xmlns='http://www.w3.org/2000/svg' width='40' height='30'><text x='1' y='9'>Pit</text></svg>",
    );
    let said = project.run(&["weave", "guide.vine.md", "--to", "pptx"]);
    assert_eq!(said.code, 0, "{said:?}");
    let first = std::fs::read(project.path("guide.pptx")).unwrap();
    let Some(said) = tool("python3", &["-c".as_ref(), READ.as_ref(), &project.path("guide.pptx")]) else { return };
    if said.err.contains("No module named") && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
        return;
    }
    let lines: Vec<&str> = said.out.lines().collect();
    assert_eq!(lines.len(), 8, "{said:?}");
    assert!(lines[0].contains("[\"Title slide\", \"Dry days\"") && lines[0].contains("Breathe first."), "{}", lines[0]);
    assert!(lines[1].contains("[\"Section\", \"Soil\""), "{}", lines[1]);
    for part in ["\"Data\"", "North 30", "A pit", "x < y", "https://example.org/a?b=1&c=2", "true"] {
        assert!(lines[2].contains(part), "{part}: {}", lines[2]);
    }
    assert!(lines[3].contains("\"Readings\"") && lines[3].contains("Show the probe.") && lines[3].contains("Twice."));
    assert!(lines[4].contains("echo 1874") && lines[4].contains("Listing 1. A count"), "{}", lines[4]);
    assert!(lines[6].contains("Reading Soil"), "{said:?}");
    assert_eq!(lines[7], "Dry days Ines Calloway 12192000 6858000");
    // The same slides give the same bytes, and the program knows its own file.
    project.write("other.vine.md", &text);
    assert_eq!(project.run(&["weave", "other.vine.md", "--to", "pptx"]).code, 0);
    assert_eq!(std::fs::read(project.path("other.pptx")).unwrap(), first);
    assert_eq!(project.run(&["weave", "guide.vine.md", "--to", "pptx"]).code, 0);
}

#[test]
fn slides_stand_on_the_master_and_layouts_of_a_house() {
    let project = Project::with("+++\ntitle = \"House\"\n[export]\ntheme = \"madder\"\n+++\n## One\n\nText.\n");
    assert_eq!(project.run(&["weave", "guide.vine.md", "--to", "pptx"]).code, 0);
    let house = std::fs::read(project.path("guide.pptx")).unwrap();
    std::fs::rename(project.path("guide.pptx"), project.path("house.pptx")).unwrap();
    let styled = "+++\ntitle = \"Soil\"\n[export]\nstyles-from = \"house.pptx\"\n+++\n## Dry\n\nWords.\n\n$$x^2$$\n\n::: speaker\nSay it.\n:::\n";
    project.write("guide.vine.md", styled);
    let said = project.run(&["weave", "guide.vine.md", "--to", "pptx"]);
    assert_eq!(said.code, 0, "{said:?}");
    let made = std::fs::read(project.path("guide.pptx")).unwrap();
    for name in ["ppt/slideMasters/slideMaster1.xml", "ppt/slideLayouts/slideLayout3.xml", "ppt/theme/theme1.xml"] {
        assert_eq!(part(&made, name), part(&house, name), "{name}");
    }
    assert!(part(&made, "ppt/slides/_rels/slide2.xml.rels").contains("/ppt/slideLayouts/slideLayout3.xml"));
    let text = support::text_of_office_file(&made);
    assert!(text.contains("Words.") && text.contains("Say it.") && !text.contains("House"), "{text}");
    // A change of the house is a change of the slides; what is no presentation is told, and what is not there too.
    project.write("house.pptx", "no presentation");
    let said = project.run(&["weave", "guide.vine.md", "--to", "pptx"]);
    assert_eq!(said.code, 1, "{said:?}");
    assert!(said.err.contains("the presentation of styles house.pptx can't be used: it is no office file"), "{said:?}");
    std::fs::remove_file(project.path("house.pptx")).unwrap();
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.err.contains("the file of styles house.pptx is not there"), "{said:?}");
}

#[test]
fn a_deck_in_print_has_the_colours_of_its_theme_and_a_handout_those_of_paper() {
    let project = Project::with("+++\ntitle = \"Dark\"\n[export]\ntheme = \"indigo\"\n+++\n## One\n\nText.\n");
    let colour = |settings: &[&str]| {
        let mut arguments = vec!["weave", "guide.vine.md", "--to", "deck-pdf"];
        arguments.extend(settings);
        assert_eq!(project.run(&arguments).code, 0);
        let (pdf, dots) = (project.path("guide-deck.pdf"), project.path("slide"));
        tool("pdftoppm", &["-r".as_ref(), "20".as_ref(), "-singlefile".as_ref(), &pdf, &dots])?;
        let bytes = std::fs::read(project.path("slide.ppm")).unwrap();
        // The first dot of the first page, behind the three lines of its head.
        let dots = bytes.splitn(4, |byte| *byte == b'\n').nth(3)?.to_vec();
        Some([dots[0], dots[1], dots[2]])
    };
    let Some(dark) = colour(&[]) else { return };
    assert!(dark.iter().all(|part| *part < 90), "{dark:?}");
    project.write(
        "guide.vine.md",
        "+++\ntitle = \"Dark\"\n[export]\ntheme = \"indigo\"\nper-sheet = \"2\"\n+++\n## One\n\nText.\n",
    );
    assert_eq!(colour(&[]), Some([255, 255, 255]));
}

/// A part of an office file.
fn part(file: &[u8], name: &str) -> String {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(file)).unwrap();
    std::io::read_to_string(archive.by_name(name).unwrap()).unwrap()
}

#[test]
fn a_theme_gives_the_office_file_and_the_deck_their_colours() {
    let project = talk("");
    let deck_of = |theme: &str| {
        project.write("guide.vine.md", TALK.replace("[export]\n", &format!("[export]\ntheme = \"{theme}\"\n")));
        let said = project.run(&["weave", "guide.vine.md", "--to", "deck,pptx"]);
        assert_eq!(said.code, 0, "{said:?}");
        (project.read("guide-deck.html"), std::fs::read(project.path("guide.pptx")).unwrap())
    };
    let mut codes = Vec::new();
    for (theme, paper, dark, knots) in [
        ("linen", "FAF6EE", false, true),
        ("indigo", "171C2B", true, true),
        ("madder", "FFFDFB", false, true),
        ("undyed", "FFFFFF", false, false),
    ] {
        let (deck, office) = deck_of(theme);
        let colours = part(&office, "ppt/theme/theme1.xml");
        let slot = if dark { "dk1" } else { "lt1" };
        assert!(colours.contains(&format!("<a:{slot}><a:srgbClr val=\"{paper}\"/>")), "{theme}: {colours}");
        let master = part(&office, "ppt/slideMasters/slideMaster1.xml");
        assert!(master.contains(&format!("<p:clrMap bg1=\"{slot}\"")), "{theme}: {master}");
        // Notes are printed on paper.
        assert!(part(&office, "ppt/theme/theme2.xml").contains("<a:lt1><a:srgbClr val=\"FAF6EE\"/>"));
        codes.push(part(&office, "ppt/slides/slide4.xml").split("srgbClr val=\"").nth(1).unwrap()[..6].to_string());
        assert_eq!(!deck.contains(".slide.divider::after { display: none; }"), knots, "{theme}");
        assert_eq!(deck.contains(".slide.title-slide { background: var(--band)"), theme == "madder", "{theme}");
    }
    codes.dedup();
    assert_eq!(codes.len(), 4, "{codes:?}");
}

#[test]
fn a_slide_has_settings_of_its_own_behind_the_name_of_its_heading() {
    let text = "## Usual\n\n```sh\nls\n```\n\n## Large {#large code-scale=150 foot=\"Two words\" count=no change=fade}\n\n```sh\nls\n```\n\nSee [](#large).\n";
    let project = Project::with(text);
    let said = project.run(&["weave", "guide.vine.md", "--to", "deck,deck-pdf,pptx,markdown,html"]);
    assert_eq!(said.code, 0, "{said:?}");
    let deck = project.read("guide-deck.html");
    assert!(
        deck.contains("<section class=\"slide\" style=\"--code-scale:1.5;\" data-change=\"fade\" id=\"large\""),
        "{deck}"
    );
    assert_eq!(
        (deck.matches("Two words").count(), deck.matches("1 / 2").count(), deck.matches("2 / 2").count()),
        (1, 1, 0)
    );
    let size = |name: &str| {
        let said = tool("pdftotext", &["-bbox-layout".as_ref(), &project.path("guide-deck.pdf"), "-".as_ref()])?;
        let heights: Vec<f64> = said
            .out
            .lines()
            .filter(|line| line.contains(&format!(">{name}</word>")))
            .map(|line| {
                let edge = |at: &str| {
                    line.split(&format!("{at}=\"")).nth(1).unwrap().split('"').next().unwrap().parse::<f64>().unwrap()
                };
                edge("yMax") - edge("yMin")
            })
            .collect();
        Some(heights)
    };
    if let Some(heights) = size("ls") {
        assert!((heights[1] / heights[0] - 1.5).abs() < 0.05, "{heights:?}");
    }
    assert!(!project.read("guide.md").contains("code-scale") && project.read("guide.html").contains("id=\"large\""));
    project.write("guide.vine.md", "## Large {#large code-scal=150}\n");
    let said = project.run(&["check", "guide.vine.md"]);
    assert!(said.code == 1 && said.err.contains("a slide has no setting `code-scal` of its own"), "{said:?}");
}
